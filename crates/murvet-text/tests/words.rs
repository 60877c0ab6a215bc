//! Every message in every locale, in the terms of its region and in no other's.

use murvet_core::readings::{OwnerDoes, OwnerTask, OwnerWanted, Precaution, for_owner, plan, uses};
use murvet_core::rules::{Hazard, RULES};
use murvet_text::owner::{finding, precaution, task, use_of};
use murvet_text::{Locale, Text, Value};
use std::collections::BTreeSet;

/// The names of the messages of a file, and of what is put into each.
fn messages(file: &str) -> Vec<(String, BTreeSet<String>)> {
    let mut list: Vec<(String, BTreeSet<String>)> = Vec::new();
    for line in file.lines().filter(|l| !l.starts_with('#')) {
        if let Some((name, _)) = line.split_once(" = ").filter(|(n, _)| !n.starts_with([' ', '-'])) {
            list.push((name.to_owned(), BTreeSet::new()));
        }
        let own = line.split("{ $").skip(1).filter_map(|r| r.split([' ', '}']).next().map(str::to_owned));
        if let Some((_, values)) = list.last_mut() {
            values.extend(own);
        }
    }
    list
}

#[test]
fn every_message_is_there_in_every_locale_with_the_same_values() {
    let english = messages(include_str!("../text/en.ftl"));
    assert_eq!(english, messages(include_str!("../text/es.ftl")), "English and Spanish in one order");
    assert!(english.len() > 80, "{}", english.len());
    for locale in Locale::ALL {
        let text = Text::of(locale);
        assert_eq!((text.locale, Locale::of(locale.code())), (locale, Some(locale)));
        for (name, values) in &english {
            for count in [1, 2, 7] {
                let value = |n: &String| {
                    let counted = ["missing", "count"].contains(&n.as_str());
                    if counted { Value::Count(count) } else { Value::from("x") }
                };
                let values: Vec<(&str, Value)> = values.iter().map(|n| (n.as_str(), value(n))).collect();
                assert!(text.has(name, &values), "{} {name}", locale.code());
                let said = text.say(name, &values);
                assert!(!said.is_empty() && !said.contains(['{', '}', '\u{2068}']), "{} {name}: {said}", locale.code());
            }
        }
        assert_eq!(text.say("no-such", &[]), "no-such");
    }
}

#[test]
fn plurals_numbers_and_terms_go_by_language_and_region() {
    let say = |l: Locale, m: &str, v: &[(&str, Value)]| Text::of(l).say(m, v);
    let missing = |l, n: usize| say(l, "owner-standing-not-proven", &[("missing", n.into())]);
    assert_eq!(missing(Locale::EnUs, 1), "Not tested to the end: one test is missing.");
    assert_eq!(missing(Locale::Es, 3), "Sin probar del todo: faltan 3 pruebas.");
    // Who reads of a pedestal reads of no hook-up, and of ground and GFCI and not of earth and RCD.
    let own = [
        (Locale::EnUs, "pedestal", "ground"),
        (Locale::EnGb, "hook-up", "earth"),
        (Locale::EnAu, "site outlet", "earth"),
    ];
    let english = messages(include_str!("../text/en.ftl"));
    for (locale, supply, earth) in own {
        assert!(say(locale, "owner-use-shore", &[]).contains(supply));
        assert!(say(locale, "owner-hazard-bonding", &[]).contains(earth));
        for (name, values) in &english {
            let values: Vec<(&str, Value)> = values.iter().map(|n| (n.as_str(), Value::from("x"))).collect();
            let said = say(locale, name, &values).to_lowercase();
            let foreign: &[&str] = match locale {
                Locale::EnUs => &["earth", "rcd", "hook-up", "site outlet", "colour"],
                Locale::EnGb => &["ground", "gfci", "pedestal", "site outlet", "color"],
                _ => &["ground", "gfci", "pedestal", "hook-up", "color"],
            };
            for word in foreign {
                assert!(!said.split(|c: char| !c.is_alphanumeric() && c != '-').any(|w| w == *word), "{name}: {said}");
            }
        }
    }
    assert_eq!(Locale::of("de"), None);
}

#[test]
fn what_an_owner_is_told_is_told_whole() {
    let rig = murvet_core::notation::parse(include_str!("../../murvet/demo/heron.rig")).expect("parses");
    let audit = murvet_core::audit::audit(&rig, rig.profile.expect("its own"));
    let tests = plan(&audit);
    for locale in Locale::ALL {
        let text = Text::of(locale);
        // Each use of the rig, whatever stands against it, and each finding with its places.
        for said in [None, Some(true), Some(false)] {
            for u in uses(&audit, &tests, |_| said) {
                let (name, standing, why) = use_of(text, &u);
                let told = [vec![name, standing], why].concat();
                assert!(told.iter().all(|s| !s.starts_with("owner-")), "{told:?}");
            }
        }
        for f in &audit.findings {
            let lines = finding(text, f, &f.components);
            assert!(lines.len() >= 2 && lines.iter().all(|s| !s.starts_with("owner-")), "{lines:?}");
            assert!(
                f.components.is_empty() || lines.last().is_some_and(|l| f.components.iter().all(|p| l.contains(p)))
            );
        }
        // Every task, with when to stop; a range in the numbers of the language.
        let mut done = BTreeSet::new();
        for t in &tests {
            let Some(own) = for_owner(t, |id| format!("<{id}>")) else { continue };
            let words = task(text, &own);
            assert!(words.how.contains('<'), "{}: {}", t.id, words.how);
            assert!(words.stop.ends_with(&text.say("owner-stop", &[])) && !words.wanted.is_empty(), "{}", t.id);
            done.insert(own.what.code());
        }
        assert!(done.len() >= 6, "{done:?}");
        for what in OwnerDoes::ALL {
            let range = OwnerWanted::Range { low: 12.4, high: 14.6, unit: "V" };
            let own = OwnerTask { what, subject: "house".into(), source: "house".into(), wanted: range };
            let words = task(text, &own);
            let number = if locale == Locale::Es { "12,4" } else { "12.4" };
            assert!(words.wanted.contains(number) && !words.how.starts_with("owner-"), "{words:?}");
        }
        let watched = Precaution::Watched { battery: "house".into(), names: vec!["a".into(), "b".into()] };
        assert!(precaution(text, &watched).contains("a, b"));
        let hazards: BTreeSet<Hazard> = RULES.iter().map(|r| r.hazard).collect();
        assert_eq!(hazards.len(), 10, "every hazard has its words by an exhaustive match");
    }
}
