//! The house keeps its order: crates depend in one direction, and no decision reads a sentence, a display word or the beginning of
//! a name.

use std::path::{Path, PathBuf};

/// Every source file of the crates, with its text.
fn sources() -> Vec<(PathBuf, String)> {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut open: Vec<PathBuf> = std::fs::read_dir(&crates)
        .expect("the crates")
        .map(|c| c.expect("a crate").path().join("src"))
        .filter(|p| p.is_dir())
        .collect();
    let mut list = Vec::new();
    while let Some(folder) = open.pop() {
        for entry in std::fs::read_dir(folder).expect("a folder") {
            let path = entry.expect("an entry").path();
            if path.is_dir() {
                open.push(path);
            } else if path.extension().is_some_and(|x| x == "rs") {
                let text = std::fs::read_to_string(&path).expect("reads");
                // Tests that stand beside what they test may name what they like.
                let own = text.split("#[cfg(test)]").next().unwrap_or_default().to_owned();
                list.push((path, own));
            }
        }
    }
    assert!(list.len() > 150, "{}", list.len());
    list
}

/// Which crates a crate may name. What is not listed is above it, or beside it and none of its business.
const MAY: [(&str, &[&str]); 11] = [
    ("murvet-core", &[]),
    ("murvet-visit", &["murvet-core"]),
    ("murvet-text", &["murvet-core"]),
    ("murvet-trace", &["murvet-core"]),
    ("murvet-draw", &["murvet-core"]),
    ("murvet-store", &[]),
    ("murvet-bundle", &[]),
    ("murvet-print", &[]),
    ("murvet-instruments", &["murvet-core"]),
    (
        "murvet-web",
        &[
            "murvet-core",
            "murvet-visit",
            "murvet-text",
            "murvet-trace",
            "murvet-draw",
            "murvet-store",
            "murvet-bundle",
            "murvet-print",
            "murvet-instruments",
        ],
    ),
    (
        "murvet",
        &[
            "murvet-core",
            "murvet-visit",
            "murvet-text",
            "murvet-draw",
            "murvet-store",
            "murvet-bundle",
            "murvet-instruments",
            "murvet-web",
        ],
    ),
];

#[test]
fn crates_depend_in_one_direction() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    for (name, may) in MAY {
        let manifest = std::fs::read_to_string(crates.join(name).join("Cargo.toml")).expect("reads");
        let own = manifest.split("[dev-dependencies]").next().unwrap_or_default();
        let used = own.lines().filter_map(|l| l.split(['.', ' ', '=']).next()).filter(|w| w.starts_with("murvet-"));
        for other in used {
            assert!(may.contains(&other), "{name} names {other}, which is above it");
        }
    }
    let all = std::fs::read_dir(&crates).expect("the crates").filter(|c| c.as_ref().is_ok_and(|c| c.path().is_dir()));
    assert_eq!(all.count(), MAY.len(), "a new crate has its place in this list");
}

/// The modules of the core, each above those before it.
const ORDER: [&str; 36] = [
    "units",
    "systems",
    "tables",
    "severity",
    "catalogue",
    "profiles",
    "rig",
    "devices",
    "terminals",
    "test_kinds",
    "meaning",
    "notation",
    "starters",
    "bounds",
    "network",
    "states",
    "bench",
    "rules",
    "hearsay",
    "apart",
    "covering",
    "corners",
    "audit",
    "questions",
    "faults",
    "measure",
    "capacity",
    "readings",
    "diagnosis",
    "complaints",
    "owner_questions",
    "remedies",
    "corrections",
    "work",
    "audit_report",
    "reports",
];

#[test]
fn modules_of_the_core_import_downward() {
    let mut found = Vec::new();
    let mut seen = std::collections::BTreeSet::new();
    for (path, text) in sources() {
        let place = path.to_string_lossy().into_owned();
        let Some((_, inside)) = place.split_once("murvet-core/src/") else { continue };
        let own = inside.split(['/', '.']).next().unwrap_or_default();
        if own == "lib" {
            continue;
        }
        let Some(level) = ORDER.iter().position(|m| *m == own) else { panic!("{own} has no place in the order") };
        seen.insert(own.to_owned());
        for (n, line) in text.lines().enumerate().filter(|(_, l)| !l.trim_start().starts_with("//")) {
            for used in line.split("crate::").skip(1) {
                let name = used.split(|c: char| !c.is_alphanumeric() && c != '_').next().unwrap_or_default();
                if ORDER.iter().position(|m| *m == name).is_none_or(|other| other > level) {
                    found.push(format!("{inside}:{}: {own} is below {name}", n + 1));
                }
            }
        }
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
    assert_eq!(seen.len(), ORDER.len(), "each module of the order is there");
}

#[test]
fn no_decision_reads_a_sentence_a_display_word_or_the_beginning_of_a_name() {
    // What is looked for, and what to do instead.
    let forbidden = [
        (".statement.contains(", "ask the finding's rule and subject"),
        (".statement.starts_with(", "ask the finding's rule and subject"),
        ("evidence.iter().any(", "keep what the evidence says as a fact beside it"),
        ("id.as_str().starts_with(", "match the kind of the test"),
        (".id.starts_with(", "match the kind of the test"),
        (".event == \"", "match the event"),
        (".event != \"", "match the event"),
        (".finding.starts_with(", "ask what the event is about"),
        ("f.subject.split", "ask the things the finding is about"),
        ("finding.subject.split", "ask the things the finding is about"),
        ("f.subject.contains(", "ask the things the finding is about"),
        ("standing.as_str()", "match the standing"),
        ("outcome == \"", "match the outcome"),
        ("outcome != \"", "match the outcome"),
        ("outcome.words() ==", "match the outcome"),
        ("phase.words() ==", "match the phase"),
        ("standing.words() ==", "match the standing"),
        (".test.starts_with(", "ask TestKind::of"),
        (".title.contains(", "ask what it is about"),
    ];
    let mut found = Vec::new();
    for (path, text) in sources() {
        for (n, line) in text.lines().enumerate().filter(|(_, l)| !l.trim_start().starts_with("//")) {
            for (pattern, instead) in forbidden {
                if line.contains(pattern) {
                    found.push(format!("{}:{}: {pattern}: {instead}", path.display(), n + 1));
                }
            }
        }
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
}

#[test]
fn no_code_outside_the_profiles_asks_which_profile_it_is() {
    let mut found = Vec::new();
    for (path, text) in sources() {
        let place = path.to_string_lossy();
        if place.contains("murvet-core") && place.contains("/src/profiles/") {
            continue;
        }
        for (n, line) in text.lines().enumerate().filter(|(_, l)| !l.trim_start().starts_with("//")) {
            let words =
                ["NA_RV", "EU_UK", "AU_NZ", "\"na-rv\"", "\"eu-uk\"", "\"au-nz\"", "ac_v.value <", "ac_v.value >"];
            for word in words.into_iter().filter(|w| line.contains(w)) {
                found.push(format!("{place}:{}: {word}: what differs between profiles is a field of them", n + 1));
            }
        }
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
}

#[test]
fn no_test_kind_has_the_code_of_another() {
    use murvet_core::readings::TestKind;
    for kind in TestKind::ALL {
        assert_eq!(TestKind::of(&format!("{}:x", kind.code())), Some(*kind), "{kind:?}");
    }
    assert_eq!(TestKind::of("no-such:x"), None);
    assert_eq!(TestKind::of("rest"), None, "a kind alone is no test");
}
