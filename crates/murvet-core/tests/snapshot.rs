//! Every verdict as data: of each rig in the repository in full, of generated rigs by a sum of each part. It judges a rebuilding
//! of the inside, which must not change a verdict. A change that is meant is written with `MURVET_WRITE=1` and read in the
//! difference of the files.

mod common;
#[path = "laws/rigs.rs"]
#[allow(dead_code, reason = "the judge's drawing of a rig is read by the laws alone")]
mod rigs;

use murvet_core::audit::{Audit, audit};
use murvet_core::faults::one_fault_away;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Band, make_safe, plan};
use murvet_core::remedies::trials;
use murvet_core::rig::Rig;
use std::fmt::Write;
use std::path::{Path, PathBuf};

/// Four digits: what a meter could tell apart and more, and nothing that a reordered sum could change.
fn figure(v: f64) -> String {
    if v.is_finite() { format!("{v:.3e}") } else { v.to_string() }
}

fn range(b: &Band) -> String {
    format!("{}..{}", figure(b.low), figure(b.high))
}

/// The parts of a rig's verdict, each a list of lines.
fn parts(rig: &Rig, audit: &Audit, repairs: bool) -> Vec<(&'static str, Vec<String>)> {
    let finding = |f: &murvet_core::rules::Finding| {
        format!("{} {:?} {:?} by [{}]", f.key(), f.severity, f.certainty, f.way.join("; "))
    };
    let findings = audit.findings.iter().map(finding).collect();
    let mut faults = Vec::new();
    for fault in one_fault_away(audit) {
        let keys: Vec<String> = fault.findings.iter().map(|f| f.key()).collect();
        faults.push(format!("{}: {}", fault.fault, keys.join(", ")));
    }
    let steps = make_safe(audit).into_iter().map(|s| format!("{}: {}", s.id, s.title)).collect();
    let tests = plan(audit)
        .iter()
        .map(|t| {
            let predicted = t.predicted.as_ref().map_or_else(|| "-".to_owned(), range);
            format!("{} at {} limit {} predicted {predicted}", t.id, t.terminals, range(&t.limit))
        })
        .collect();
    let mut list = vec![("findings", findings), ("one fault away", faults), ("isolation", steps), ("tests", tests)];
    if repairs {
        let mut accepted = Vec::new();
        for f in &audit.findings {
            let own = trials(rig, audit, f).into_iter().filter(|t| t.accepted).map(|t| t.candidate.title);
            accepted.push(format!("{}: {}", f.key(), own.collect::<Vec<_>>().join(" / ")));
        }
        list.push(("repairs", accepted));
    }
    list
}

/// A sum of lines that any change of a letter changes (FNV-1a, 64 bits).
fn sum(lines: &[String]) -> u64 {
    let bytes = lines.iter().flat_map(|l| l.bytes().chain([b'\n']));
    bytes.fold(0xcbf2_9ce4_8422_2325, |h, b| (h ^ u64::from(b)).wrapping_mul(0x0000_0100_0000_01b3))
}

/// Holds what is against what is kept, or writes it.
fn hold(name: &str, now: &str) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/snapshot").join(name);
    if std::env::var_os("MURVET_WRITE").is_some() {
        std::fs::create_dir_all(path.parent().expect("a folder")).expect("made");
        std::fs::write(&path, now).expect("written");
        return;
    }
    let kept = std::fs::read_to_string(&path).unwrap_or_default();
    let other = |(n, (a, b)): (usize, (&str, &str))| (a != b).then(|| format!("line {}:\n- {a}\n+ {b}", n + 1));
    let first: Vec<String> = kept.lines().zip(now.lines()).enumerate().filter_map(other).take(5).collect();
    assert!(kept == now, "{name} differs; MURVET_WRITE=1 writes it where that is meant\n{}", first.join("\n"));
}

#[test]
fn verdicts_of_the_rigs_of_the_repository_are_as_kept() {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut files: Vec<PathBuf> = Vec::new();
    for folder in ["src/rules/examples", "tests/sound", "../murvet/demo"] {
        let all = std::fs::read_dir(here.join(folder)).expect("the folder").map(|f| f.expect("a file").path());
        files.extend(all.filter(|p| p.extension().is_some_and(|x| x == "rig")));
    }
    files.sort_by_key(|p| p.file_name().map(std::ffi::OsStr::to_owned));
    let mut out = String::new();
    for file in files {
        let rig = parse(&std::fs::read_to_string(&file).expect("reads")).expect("parses");
        let audit = audit(&rig, rig.profile.unwrap_or(ProfileId::NA_RV));
        let _ = writeln!(out, "== {}", file.file_stem().unwrap_or_default().to_string_lossy());
        for (part, lines) in parts(&rig, &audit, true) {
            // Of the tests of the small rigs of the rule book a sum will do: the four demo rigs have them all.
            if part == "tests" && !file.components().any(|c| c.as_os_str() == "demo") {
                let _ = writeln!(out, "tests: {} with sum {:016x}", lines.len(), sum(&lines));
                continue;
            }
            let _ = writeln!(out, "{part}:");
            lines.iter().for_each(|l| out.push_str(&format!("  {l}\n")));
        }
    }
    hold("repository.txt", &out);
}

#[test]
fn verdicts_of_generated_rigs_are_as_kept() {
    let mut out = String::new();
    for seed in 0..300 {
        let s = rigs::sketch(seed);
        let rig = parse(&s.text()).expect("parses");
        let audit = common::judge(&s.text(), s.profile);
        let sums = parts(&rig, &audit, false).into_iter().map(|(p, l)| format!("{p} {} {:016x}", l.len(), sum(&l)));
        let _ = writeln!(out, "{seed}: {}", sums.collect::<Vec<_>>().join(", "));
    }
    hold("generated.txt", &out);
}
