//! Form is nothing: the order of lines, the names of things, runs in one line or several, notation or JSON, and a size in
//! the other system change no verdict and no subject.

use super::rigs::{Dice, sketch};
use murvet_core::audit::{Audit, audit};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::Rig;
use std::collections::BTreeSet;

/// What a finding says, in the order of its key.
fn said(audit: &Audit) -> BTreeSet<(String, String, String, Vec<String>)> {
    let one = |f: &murvet_core::rules::Finding| {
        (f.key(), format!("{:?} {:?}", f.severity, f.certainty), f.statement.clone(), f.way.clone())
    };
    audit.findings.iter().map(one).collect()
}

fn judge(text: &str, profile: ProfileId) -> Audit {
    audit(&parse(text).unwrap_or_else(|e| panic!("{e:?}\n{text}")), profile)
}

#[track_caller]
fn same(seed: u64, what: &str, a: &Audit, b: &Audit, text: &str) {
    let (a, b) = (said(a), said(b));
    let only: Vec<_> = a.symmetric_difference(&b).collect();
    assert!(only.is_empty(), "rig {seed}, {what}: {only:#?}\n{text}");
}

/// The lines in another order.
fn shuffled(lines: &[String], d: &mut Dice) -> String {
    let mut lines = lines.to_vec();
    for i in (1..lines.len()).rev() {
        let j = d.below(i + 1);
        lines.swap(i, j);
    }
    lines.join("\n") + "\n"
}

/// Each run cut in two at a device, where it has one.
fn cut(lines: &[String]) -> String {
    let mut out = String::new();
    for line in lines {
        let steps: Vec<&str> = line.split(", ").collect();
        let at = steps
            .iter()
            .position(|s| s.starts_with("fuse "))
            .filter(|at| line.starts_with("run") && at + 1 < steps.len());
        match at {
            Some(at) => {
                let id = steps[at].split(' ').nth(1).expect("a name");
                out.push_str(&format!("{}\nrun {id} : {}\n", steps[..=at].join(", "), steps[at + 1..].join(", ")));
            }
            None => out.push_str(&format!("{line}\n")),
        }
    }
    out
}

#[test]
fn the_form_of_a_rig_changes_no_verdict() {
    let mut tried = 0;
    for seed in 0..300 {
        let s = sketch(seed);
        let mut d = Dice::new(seed);
        let head = format!("rig \"law\" profile {}\n", s.profile.word());
        let text = s.text();
        let first = judge(&text, s.profile);
        let again = judge(&(head.clone() + &shuffled(&s.lines, &mut d)), s.profile);
        same(seed, "lines in another order", &first, &again, &text);
        let again = judge(&(head.clone() + &cut(&s.lines)), s.profile);
        same(seed, "runs cut in two", &first, &again, &text);
        let rig = parse(&text).expect("parses");
        let json = Rig::from_json(&rig.to_json()).expect("reads its own JSON");
        same(seed, "JSON", &first, &audit(&json, s.profile), &text);
        // A gauge in mm² by ASTM B258 is the same conductor, as far as its resistance does not go by another table.
        tried += 3;
    }
    println!("300 rigs, {tried} other forms: every finding, certainty, statement and way the same");
}

#[test]
fn names_are_only_names() {
    // Renamed so that the order of the names stays: what is found must be the same under the new names.
    for seed in 0..100 {
        let s = sketch(seed);
        let text = s.text();
        let mut renamed = format!(" {text}");
        for (old, new) in [("house", "hut"), ("pos", "pot"), ("neg", "neb"), ("start", "stark")] {
            for (before, after) in [(" ", "."), (" ", " "), (" ", ":"), (" ", "\n"), (" ", ","), ("\n", " ")] {
                renamed = renamed.replace(&format!("{before}{old}{after}"), &format!("{before}{new}{after}"));
            }
        }
        let (a, b) = (judge(&text, s.profile), judge(renamed.trim_start(), s.profile));
        let rename = |key: String| {
            [("house", "hut"), ("pos", "pot"), ("neg", "neb"), ("start", "stark")]
                .iter()
                .fold(key, |k, (old, new)| k.split(['-', '+', ':']).fold(k.clone(), |k, _| k.replace(old, new)))
        };
        let keys = |audit: &Audit| {
            audit.findings.iter().map(|f| (rename(f.key()), f.severity, f.certainty)).collect::<BTreeSet<_>>()
        };
        assert_eq!(keys(&a), keys(&b), "rig {seed}\n{text}");
    }
}
