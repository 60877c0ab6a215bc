//! Every rule beside the five hazards: a rig that breaks it, the nearest that does not, and real-sized sound rigs
//! on which all rules are silent.

#[path = "../common/mod.rs"]
mod common;
mod devices;
mod mains;
mod supply;

use common::{judge, pair};
use murvet_core::audit::Audit;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::remedies::trials;
use murvet_core::rules::{Certainty, Finding, RULES, Severity};

const NA: ProfileId = ProfileId::NA_RV;
const EU: ProfileId = ProfileId::EU_UK;
const AU: ProfileId = ProfileId::AU_NZ;

/// A bank with a switch, a load and a chassis: nothing to say about it.
const BANK: &str = "battery house: lifepo4 12.8V 100Ah internal 3mohm\nchassis frame\nbus neg\nrun house.- : 0.3m 25mm2, neg\nrun neg : 0.5m 16mm2, frame\n";

/// A bank of 12 V with a positive and a negative bar behind a main device.
const BARS: &str = "battery house: lifepo4 12.8V 200Ah\nbus pos\nbus neg\nrun house.+ : 0.2m 50mm2 90C, fuse F1 200A class-t, 0.3m 50mm2 90C, isolator S1 250A, 0.2m 50mm2 90C, pos\n";

#[track_caller]
fn of<'a>(audit: &'a Audit, slug: &str) -> Option<&'a Finding> {
    audit.findings.iter().find(|f| f.rule.slug == slug)
}

/// The broken version has the finding with this subject and severity; the sound one, which differs in one place,
/// has not. Gives the finding.
#[track_caller]
fn breaks(profile: ProfileId, slug: &str, subject: &str, severity: Severity, text: &str) -> Finding {
    let (broken, sound) = pair(text);
    assert_ne!(broken, sound, "two readings");
    let audit = judge(&broken, profile);
    let all: Vec<String> = audit.findings.iter().map(Finding::key).collect();
    let found = of(&audit, slug).unwrap_or_else(|| panic!("no {slug} in {all:?}\n{broken}")).clone();
    assert_eq!((found.subject.as_str(), found.severity), (subject, severity), "{}", found.statement);
    assert!(found.evidence.len() >= 2 && !found.source.is_empty(), "{found:?}");
    let silent = judge(&sound, profile);
    assert!(of(&silent, slug).is_none(), "{:?}\n{sound}", of(&silent, slug));
    if !NO_REPAIR.contains(&slug) {
        let rig = parse(&broken).expect("parses");
        let tried = trials(&rig, &audit, &found);
        let said: Vec<String> = tried.iter().map(|t| format!("{}: {}", t.candidate.title, t.reason)).collect();
        assert!(tried.iter().any(|t| t.accepted && t.closes.contains(&found.key())), "{slug}: {said:?}\n{broken}");
    }
    found
}

/// Findings for which what is right depends on more than the rig says: bought, moved or rewired by judgement.
const NO_REPAIR: [&str; 30] = [
    "colour-reserved",
    "array-strings",
    "rcd-type",
    "wave-form",
    "hot-lost",
    "voltage-unlike",
    "loose-end",
    "device-undersized",
    "thresholds-order",
    "place-heat",
    "array-unlike",
    "array-direct",
    "shunt-bypassed",
    "source-without-store",
    "load-disconnect-place",
    "feed-in",
    "dc-balance",
    "pins-live",
    "vital-switched",
    "devices-in-series",
    "chassis-return",
    "legs-joined",
    "battery-mixed",
    "battery-sharing",
    "battery-place",
    "charge-sum",
    "rcd-neutral",
    "alternator-bank",
    "load-sum",
    "bond-not-isolated",
];

#[test]
fn sound_rigs_of_real_size_have_nothing_above_advice() {
    for (text, profile) in [
        (include_str!("../sound/van.rig"), EU),
        (include_str!("../sound/trailer.rig"), NA),
        (include_str!("../sound/caravan.rig"), AU),
        (include_str!("../sound/coach.rig"), NA),
        (include_str!("../../../murvet/demo/kite.rig"), EU),
    ] {
        let audit = judge(text, profile);
        let above: Vec<&str> =
            audit.findings.iter().filter(|f| f.severity > Severity::Advice).map(|f| f.statement.as_str()).collect();
        assert!(above.is_empty(), "{above:?}");
    }
}

#[test]
fn the_rule_book_shows_a_rig_that_breaks_each_rule() {
    for rule in RULES {
        let text = rule.example;
        let rig = parse(text).unwrap_or_else(|e| panic!("{}: {e:?}", rule.slug));
        let audit = murvet_core::audit::audit(&rig, rig.profile.expect("says its profile"));
        assert!(of(&audit, rule.slug).is_some(), "{}: {:?}", rule.slug, audit.findings);
        assert!(rig.components.len() <= 15, "{} is small enough to be read", rule.slug);
    }
}

#[test]
fn starter_rigs_are_sound_in_every_profile() {
    for starter in murvet_core::starters::STARTERS {
        for profile in ProfileId::all() {
            let text = starter.rig("A rig of a \"usual\" build", profile);
            let audit = judge(&text, profile);
            let above = audit.findings.iter().filter(|f| f.severity > Severity::Advice);
            let above: Vec<&str> = above.map(|f| f.statement.as_str()).collect();
            assert!(above.is_empty(), "{} {}: {above:#?}", starter.key, profile.word());
            let rig = parse(&text).expect("parses");
            assert!(
                rig.components.iter().all(|p| p.kind.spec().words[0] != "charger"),
                "{}: no converter",
                starter.key
            );
        }
    }
}

#[test]
fn every_rule_says_what_why_and_whence_under_a_name_of_its_own() {
    let mut slugs: Vec<&str> = RULES.iter().map(|r| r.slug).collect();
    slugs.sort_unstable();
    slugs.dedup();
    assert_eq!(slugs.len(), RULES.len());
    for rule in RULES {
        assert!(rule.statement.ends_with('.') && rule.why.ends_with('.') && !rule.source.is_empty(), "{}", rule.slug);
    }
}

#[test]
fn what_was_seen_is_a_finding_of_its_kind() {
    let f = breaks(
        EU,
        "remark",
        "F:hot",
        Severity::KeepOff,
        "fuse F: 30A\n{remark F: hot \"brown at the load side\"\nremark F: hot|}\n",
    );
    assert_eq!(f.evidence[1..], ["Seen: brown at the load side.", "Seen by the inspector."]);
    breaks(EU, "remark", "box:no-legend", Severity::Soon, "place box: bay \"Battery box\"\n{remark box: no-legend|}\n");
    // What is not there any more is not remarked on.
    assert!(judge("fuse F: 30A removed\nremark F: hot\n", EU).findings.is_empty());
}

#[test]
fn the_page_of_rules_is_current_and_names_every_rule_and_remark() {
    use murvet_core::catalogue::{REMARKS, remark_kind};
    use murvet_core::rules::{Found, coverage, page};
    assert_eq!(include_str!("../../../../docs/rules.md"), page(), "run: murvet rules > docs/rules.md");
    let all: Vec<Found> = coverage().into_iter().map(|(.., found)| found).collect();
    for found in &all {
        match found {
            Found::Rule(_) => {}
            Found::Remark(word) => assert!(remark_kind(word).is_some(), "{word}"),
            Found::Reading(_) => {}
        }
    }
    for rule in RULES {
        assert!(all.contains(&Found::Rule(rule.slug)), "{} finds nothing that goes wrong", rule.slug);
    }
    for kind in REMARKS {
        assert!(all.contains(&Found::Remark(kind.word)), "{}", kind.word);
    }
}

#[test]
fn what_a_finding_is_about_are_things_of_the_rig() {
    use murvet_core::rules::About;
    use murvet_core::terminals::anatomy;
    let mut kinds = std::collections::BTreeSet::new();
    for rule in RULES {
        let rig = parse(rule.example).expect("parses");
        let audit = murvet_core::audit::audit(&rig, rig.profile.expect("its own"));
        for f in &audit.findings {
            assert!(!f.subject.about().is_empty(), "{}: {} is nothing of the rig", rule.slug, f.key());
            for about in f.subject.about() {
                let entered = |id: &str| rig.component(id);
                let (kind, there) = match about {
                    About::Component { id } => ("component", entered(id).is_some()),
                    About::Way { component, way } => {
                        ("way", entered(component).is_some_and(|p| p.ways.iter().any(|w| w.id == *way)))
                    }
                    About::Terminal { component, terminal } => (
                        "terminal",
                        entered(component).is_some_and(|p| anatomy(p).terminals.iter().any(|t| t.0 == *terminal)),
                    ),
                    About::Conductor { key } => ("conductor", audit.net.wires.iter().any(|w| w.key == *key)),
                    About::Cable { id } => ("cable", rig.cable(id).is_some()),
                    About::Place { id } => ("place", rig.place(id).is_some()),
                    About::Remark { word, .. } => ("remark", murvet_core::catalogue::remark_kind(word).is_some()),
                };
                assert!(there, "{}: {about:?}", f.key());
                kinds.insert(kind);
            }
        }
    }
    assert!(kinds.len() >= 6, "{kinds:?}");
}

#[test]
fn a_choice_of_school_changes_the_verdict_and_is_printed() {
    let chosen = |text: &str, choice: &str, profile: ProfileId| {
        let audit = judge(&format!("{text}choice {choice} \"asked for by the insurer\"\n"), profile);
        assert!(audit.limits.iter().any(|l| l.contains("asked for by the insurer")), "{:?}", audit.limits);
        audit
    };
    let changes =
        |slug: &str, choice: &str, profile: ProfileId, text: &str, usual: Option<Severity>, other: Option<Severity>| {
            let severity = |audit: &Audit| of(audit, slug).map(|f| f.severity);
            assert_eq!(severity(&judge(text, profile)), usual, "{slug} as usual");
            assert_eq!(severity(&chosen(text, choice, profile)), other, "{slug} with {choice}");
        };
    let (soon, before, advice) = (Some(Severity::Soon), Some(Severity::BeforeUse), Some(Severity::Advice));
    // ABYC E-11, a boat code: 175 mm, or 1.83 m in a sheath at a battery (recalled).
    let first = |m: &str, sheath: &str| {
        format!(
            "battery b: agm 12V 100Ah\ndc-load l: 20A\nrun b.+ : {m} 16mm2 {sheath}, fuse F 30A terminal, 1m 16mm2, l.+\nrun b.- : 1m 16mm2, l.-\n"
        )
    };
    changes("device-too-far", "first-device: boat-code", EU, &first("0.3m", ""), None, before);
    changes("device-too-far", "first-device: boat-code", EU, &first("1.6m", "sheathed"), before, None);
    changes("device-too-far", "first-device: boat-code", EU, &first("2m", "sheathed"), before, before);
    let case = "battery b: agm 12V 100Ah\nchassis c\ninverter i: 1500W dc 12V isolated bond-switched\nrun b.+ : 0.2m 50mm2 90C, fuse F 175A, 1m 50mm2 90C, i.dc+\nrun b.- : 1m 50mm2 90C, i.dc-\nrun i.case : 1m 16mm2, c\n";
    changes("chassis-bond", "chassis-bond: as-dc", EU, case, None, soon);
    changes("chassis-bond", "chassis-bond: as-dc", EU, &case.replace("1m 16mm2, c", "1m 35mm2, c"), None, None);
    let lug = "fuse F: 30A terminal\nremark F: soldered-lug\nplace w: cabin\nremark w: combustible-backing\n";
    changes(
        "remark",
        "soldered-lugs: accepted",
        EU,
        &lug.replace("place w: cabin\nremark w: combustible-backing\n", ""),
        soon,
        advice,
    );
    changes("remark", "backing: accepted", EU, &lug.replace("remark F: soldered-lug\n", ""), soon, advice);
    let beside = "place bay: bay\nbattery b in bay: agm 12V 100Ah\ninverter i in bay: 500W dc 12V isolated bond-none\n";
    changes("battery-place", "inverter-beside-battery: never", EU, beside, None, soon);
    changes("battery-place", "inverter-beside-battery: sealed", EU, &beside.replace("agm", "flooded"), soon, soon);
    let single = "battery b: agm 12V 100Ah\ninverter i: 500W dc 12V isolated bond-none\nsocket o\nrun b.+ : 0.2m 16mm2, fuse F 60A terminal, 1m 16mm2, i.dc+\nrun b.- : 1m 16mm2, i.dc-\ncable W 3x1.5mm2 1m i -> o\n";
    changes("bond-missing", "floating-inverter: never", EU, single, None, before);
    changes("rcd-missing", "floating-inverter: never", EU, single, None, before);
    // 13.6 V at rest (3.40 V a cell): 13.8 V keeps charging a full bank.
    let float = "battery b: lifepo4 12.8V 100Ah\ninlet s: 10A\ncharger c: 10A 14.2V float 13.8V\ncable W 3x2.5mm2 1m s -> c\nrun c.dc+ : 1m 6mm2, b.+\nrun c.dc- : 1m 6mm2, b.-\n";
    changes("charge-voltage", "lithium-float: any", EU, float, soon, None);
    changes("charge-voltage", "lithium-float: any", EU, &float.replace("float 13.8V", "float 15V"), before, before);
    let chassis = "battery b: agm 12V 100Ah\nchassis c\ndc-load l: 5A\nrun b.- : 0.3m 16mm2, c\nrun b.+ : 0.2m 2.5mm2, fuse F 10A blade, 1m 2.5mm2, l.+\nrun l.- : 0.3m 2.5mm2, c\n";
    changes("chassis-return", "chassis-return: run-back", EU, chassis, None, soon);
    changes(
        "chassis-return",
        "chassis-return: run-back",
        EU,
        &chassis.replace("run l.- : 0.3m 2.5mm2, c", "run l.- : 1m 2.5mm2, b.-"),
        None,
        None,
    );
    // What a person would get wrong.
    for (line, help) in [
        ("choice first-devise: boat-code \"x\"", "first-device"),
        ("choice first-device: nearest \"x\"", "boat-code"),
        ("choice first-device: boat-code", "reason"),
        ("choice backing: accepted \"x\"\nchoice backing: refused \"y\"", "twice"),
    ] {
        let said = parse(line).expect_err(line).iter().map(ToString::to_string).collect::<String>();
        assert!(said.contains(help), "{line}: {said}");
    }
}
