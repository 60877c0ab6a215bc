//! What the program is built from: every crate comes from the one registry and has a licence that is compatible with ours. Asked of
//! `cargo metadata`, which needs no network once the crates are there. `./murvet check` runs it.

use serde_json::Value;
use std::collections::BTreeSet;

/// Licences that ask for no more than to be named.
const ALLOWED: [&str; 12] = [
    "0BSD",
    "Apache-2.0",
    "Apache-2.0 WITH LLVM-exception",
    "BSD-2-Clause",
    "BSD-3-Clause",
    "BSL-1.0",
    "CC0-1.0",
    "CDLA-Permissive-2.0",
    "ISC",
    "MIT",
    "Unicode-3.0",
    "Zlib",
];

/// What only the tests are built with, under a licence that asks for changes of its files to be given on.
const TESTS_ONLY: [(&str, &str); 1] = [("webdriver", "MPL-2.0")];

/// Whether an expression of licences can be met: one of those joined by OR, all of those joined by AND.
fn is_met(expression: &str) -> bool {
    let plain = expression.replace(['(', ')'], "").replace('/', " OR ");
    plain
        .split(" OR ")
        .any(|choice| choice.split(" AND ").all(|l| ALLOWED.contains(&l.trim()) || l.trim() == "Unlicense"))
}

#[test]
fn an_expression_of_licences_is_read_as_it_is_meant() {
    for (expression, met) in [
        ("MIT OR Apache-2.0", true),
        ("MIT/Apache-2.0", true),
        ("GPL-3.0 OR MIT", true),
        ("MIT AND GPL-3.0", false),
        ("(MIT OR Apache-2.0) AND Unicode-3.0", true),
        ("AGPL-3.0", false),
        ("", false),
    ] {
        assert_eq!(is_met(expression), met, "{expression}");
    }
}

#[test]
#[ignore = "asks cargo for every dependency: ./murvet check runs it"]
fn every_dependency_has_a_known_source_and_a_licence_that_fits() {
    let out = std::process::Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--offline", "--locked", "--filter-platform"])
        .arg(format!("{}-unknown-linux-gnu", std::env::consts::ARCH))
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .expect("cargo answers");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let metadata: Value = serde_json::from_slice(&out.stdout).expect("JSON");
    let packages = metadata["packages"].as_array().expect("packages");
    assert!(packages.len() > 100, "{}", packages.len());
    let (mut wrong, mut sources) = (Vec::new(), BTreeSet::new());
    for p in packages {
        let (name, licence) = (p["name"].as_str().unwrap_or_default(), p["license"].as_str().unwrap_or_default());
        match p["source"].as_str() {
            // Our own.
            None => assert!(name.starts_with("murvet"), "{name} comes from a folder"),
            Some(source) => {
                sources.insert(source.split('+').next().unwrap_or_default().to_owned());
                if !is_met(licence) && !TESTS_ONLY.contains(&(name, licence)) {
                    wrong.push(format!("{name}: \"{licence}\""));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert_eq!(sources.into_iter().collect::<Vec<_>>(), ["registry"], "one registry, no repository of somebody's");
}
