//! Laws of the work at the rig, over generated rigs: what is expected and what is found agree, a repair that is accepted holds
//! what it promises, and with the named switches open nothing but what is named stays on a battery.

use super::common::{joint_c, judge, outcomes};
use super::rigs::sketch;
use murvet_core::audit::{Audit, audit};
use murvet_core::catalogue::{Kind, Role, SourceKind};
use murvet_core::measure::{Fault, World, suspects};
use murvet_core::network::EdgeKind;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{
    Outcome, Phase, Stand, Test, TestKind, after_repair, guards, make_safe, plan, proofs, stand_after, walk,
};
use murvet_core::remedies::{trials, why_none};
use murvet_core::rules::{Certainty, Finding, RULES, Severity};
use std::collections::{BTreeMap, BTreeSet};

/// Whether a finding is about what a test is about: a component, a terminal or a conductor of it.
fn about(f: &Finding, subject: &str) -> bool {
    let component = subject.split(['.', '-']).next().unwrap_or(subject);
    let names = |text: &str| text == subject || text.split(['>', '.', ' ']).any(|w| w == subject || w == component);
    names(&f.subject) || f.subject.contains(subject) || f.components.iter().any(|p| names(p))
}

#[test]
fn what_a_sound_meter_would_show_outside_a_limit_has_a_finding() {
    let (mut rigs, mut tests, mut outside) = (0, 0, 0);
    for seed in 0..300 {
        let s = sketch(seed);
        let audit = judge(&s.text(), s.profile);
        rigs += 1;
        for t in plan(&audit) {
            let Some(p) = &t.predicted else { continue };
            tests += 1;
            if p.high >= t.limit.low && p.low <= t.limit.high {
                continue;
            }
            outside += 1;
            let mut names = t.id.names();
            let found = names.any(|n| audit.findings.iter().any(|f| about(f, n)));
            assert!(found, "rig {seed}: {} is expected outside its limit, and nothing is found\n{}", t.id, s.text());
        }
    }
    println!("{rigs} rigs, {tests} predictions, {outside} outside their limit, each with a finding");
    assert!(tests > 1000, "{tests}");
}

/// From wherever a walk begins, it has every test once, and none before what guards it.
#[test]
fn a_walk_keeps_its_guards_from_wherever_it_begins() {
    let mut walks = 0;
    for seed in 0..60 {
        let s = sketch(seed);
        let audit = judge(&s.text(), s.profile);
        let tests = plan(&audit);
        let guarded: Vec<BTreeSet<&str>> =
            tests.iter().map(|t| guards(&tests, t).iter().map(|g| g.id.as_str()).collect()).collect();
        for from in tests.iter().step_by(7).map(|t| stand_after(&audit, t, &Stand::default())) {
            let order = walk(&audit, &tests, 0..tests.len(), &from);
            let mut done: BTreeSet<&str> = BTreeSet::new();
            for n in &order {
                assert!(guarded[*n].is_subset(&done), "rig {seed}: {} too early\n{}", tests[*n].id, s.text());
                done.insert(tests[*n].id.as_str());
            }
            assert_eq!((order.len(), done.len()), (tests.len(), tests.len()), "rig {seed}");
            walks += 1;
        }
    }
    println!("{walks} walks");
    assert!(walks > 200, "{walks}");
}

/// Whether one of the rule's own tests of a rig with this finding fails, or would where the model has no supply to test.
fn shown(audit: &Audit, tests: &[Test], f: &Finding) -> bool {
    let names: BTreeSet<&str> =
        f.components.iter().map(String::as_str).chain(f.subject.split(['>', '.', ':', '+'])).collect();
    let concerned = |t: &Test| {
        let all = format!("{} {}", t.id, t.terminals);
        all.split([':', '.', ' ', ',', '/']).any(|w| names.contains(w)) || f.subject == t.id.subject
    };
    let failing = outcomes(tests, &World::new(audit, &[]));
    let failing: BTreeSet<&str> =
        failing.iter().filter(|(_, o, _)| *o == Outcome::Fail).map(|(id, ..)| id.as_str()).collect();
    let supply = ["supply-fault", "skin-live"].contains(&f.rule.slug);
    tests.iter().any(|t| {
        let by_hand = supply && t.phase == Phase::Supply;
        f.rule.proven_by.contains(&t.id.kind) && concerned(t) && (by_hand || failing.contains(t.id.as_str()))
    })
}

#[test]
fn what_a_meter_can_show_of_a_finding_makes_a_test_fail() {
    let mut rigs: Vec<(String, ProfileId)> = Vec::new();
    let here = std::path::Path::new(env!("CARGO_MANIFEST_DIR"));
    for folder in ["src/rules/examples", "../murvet/demo", "tests/sound"] {
        for file in std::fs::read_dir(here.join(folder)).expect("the folder") {
            let path = file.expect("a file").path();
            if path.extension().is_some_and(|x| x == "rig") {
                rigs.push((std::fs::read_to_string(path).expect("reads"), ProfileId::NA_RV));
            }
        }
    }
    rigs.extend((0..150).map(|seed| (sketch(seed).text(), sketch(seed).profile)));
    let (mut findings, mut seen) = (0, BTreeSet::new());
    for (text, profile) in &rigs {
        let rig = parse(text).expect("parses");
        let audit = audit(&rig, rig.profile.unwrap_or(*profile));
        let tests = plan(&audit);
        // What was not seen may be otherwise, and what nobody opened no meter reaches.
        let certain = audit.findings.iter().filter(|f| f.certainty == Certainty::Certain);
        for f in certain.filter(|f| !f.rule.proven_by.is_empty()) {
            findings += 1;
            seen.insert(f.rule.slug);
            assert!(shown(&audit, &tests, f), "no test fails on {}: {}\n{text}", f.key(), f.statement);
        }
        // A drop that is beyond its limit even in cold copper.
        for t in tests.iter().filter(|t| t.id.kind == TestKind::Drop) {
            let beyond = t.predicted.as_ref().is_some_and(|p| p.low > t.limit.high);
            let found = audit.findings.iter().any(|f| f.rule.slug == "cable-drop" && about(f, &t.id.subject));
            assert!(!beyond || found, "{}", t.id);
        }
    }
    println!("{} rigs, {findings} findings of {} rules, each shown by a failing test", rigs.len(), seen.len());
    let silent: Vec<&str> = RULES.iter().filter(|r| !r.proven_by.is_empty()).map(|r| r.slug).collect();
    assert!(silent.len() >= 19, "{silent:?}");
    assert!(silent.iter().all(|s| seen.contains(s)), "{silent:?} {seen:?}");
}

/// What each test says on a rig without hidden faults, by its name.
fn said(tests: &[Test], audit: &Audit) -> BTreeMap<String, Outcome> {
    outcomes(tests, &World::new(audit, &[])).into_iter().map(|(id, outcome, _)| (id, outcome)).collect()
}

#[test]
fn a_repair_that_is_accepted_holds_what_it_promises() {
    let (mut findings, mut accepted, mut rejected, mut reasons) = (0, 0, 0, 0);
    let (mut measured, mut looked) = (0, 0);
    for seed in 0..60 {
        let s = sketch(seed);
        let rig = parse(&s.text()).expect("parses");
        let before = audit(&rig, s.profile);
        for finding in before.findings.iter().filter(|f| f.severity > Severity::Advice).take(4) {
            findings += 1;
            let tried = trials(&rig, &before, finding);
            if !tried.iter().any(|t| t.accepted) {
                assert!(!why_none(finding).is_empty());
                reasons += 1;
            }
            for trial in tried {
                if !trial.accepted {
                    rejected += 1;
                    continue;
                }
                accepted += 1;
                // Written down and read again, it is audited as the trial was.
                let again = parse(&print(trial.rig.as_ref().expect("made"))).expect("parses");
                let after = audit(&again, s.profile);
                let title = &trial.candidate.title;
                assert!(!title.contains("  ") && !title.contains("\"\""), "an empty name: {title}");
                assert!(!after.findings.iter().any(|f| f.key() == finding.key()), "rig {seed}: {title} does not close");
                // Its re-test: each of them fails on the rig as it was and passes on the rig as it is; where no meter shows
                // the repair, something is looked at again.
                let tests = plan(&after);
                let again: Vec<Test> = proofs(&before, &after, &tests).into_iter().cloned().collect();
                let was: BTreeMap<String, Outcome> = said(&again, &before);
                let is: BTreeMap<String, Outcome> = said(&again, &after);
                for t in &again {
                    assert_ne!(was.get(t.id.as_str()), Some(&Outcome::Pass), "rig {seed}: {title}, {}", t.id);
                    assert_eq!(is.get(t.id.as_str()), Some(&Outcome::Pass), "rig {seed}: {title}, {}", t.id);
                }
                measured += usize::from(!again.is_empty());
                looked += usize::from(again.is_empty() && !after_repair(&before, &after, &tests).is_empty());
                for f in after.findings.iter().filter(|f| f.severity >= Severity::Soon) {
                    let old = before.findings.iter().find(|b| b.key() == f.key());
                    assert!(old.is_some_and(|b| b.severity >= f.severity), "rig {seed}: {title} opens {}", f.key());
                }
            }
        }
    }
    println!("{findings} findings: {accepted} repairs accepted, {rejected} rejected, {reasons} with a reason why none");
    println!("{measured} repairs are proven by a meter, {looked} by looking again");
    assert!(accepted >= findings / 2, "{accepted} of {findings}");
}

/// What a battery's positive still reaches with these components open, walked edge by edge.
fn reached(audit: &Audit, from: usize, open: &BTreeSet<&str>) -> BTreeSet<String> {
    let net = &audit.net;
    let own = |n: usize| net.nodes[n].component.map(|p| audit.assumed.components[p].id.as_str());
    let live = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Any);
    let (mut seen, mut stack) = (BTreeSet::from([from]), vec![from]);
    while let Some(node) = stack.pop() {
        for e in &net.edges {
            let parted = own(e.a).is_some_and(|a| own(e.b) == Some(a) && open.contains(a));
            let bond = matches!(e.what, EdgeKind::Bond { .. });
            for (a, b) in [(e.a, e.b), (e.b, e.a)] {
                if a == node && live(b) && !parted && !bond && seen.insert(b) {
                    stack.push(b);
                }
            }
        }
    }
    seen.into_iter().filter_map(own).map(str::to_owned).collect()
}

#[test]
fn with_the_named_switches_open_only_what_is_named_stays_on_a_battery() {
    let (mut batteries, mut parted) = (0, 0);
    for seed in 0..200 {
        let s = sketch(seed);
        let audit = judge(&s.text(), s.profile);
        let steps = make_safe(&audit);
        for source in audit.net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
            let id = &audit.assumed.components[source.component].id;
            let step = steps.iter().find(|s| s.id == format!("bat:{id}")).expect("each battery has its step");
            batteries += 1;
            let words = format!("{} {}", step.title, step.note).replace(['.', ',', ':'], " ");
            let named: BTreeSet<&str> = words.split_whitespace().collect();
            let Some((_, switches)) = step.title.split_once("open ") else {
                assert!(step.title.contains("minus lead"), "{}", step.title);
                continue;
            };
            parted += 1;
            let open: BTreeSet<&str> = switches.split(" and ").collect();
            for component in reached(&audit, source.plus, &open) {
                let kind = audit.assumed.component(&component).map(|p| p.kind);
                let told = component == *id || named.contains(component.as_str()) || kind == Some(Kind::Chassis);
                assert!(told, "rig {seed}: {component} stays on {id} and is not named: {words}\n{}", s.text());
            }
        }
    }
    println!("{batteries} batteries, {parted} with a switch that parts them");
    assert!(batteries > 200, "{batteries}");
}

/// A joint that no appliance by itself warms by more than the 30 K that the load test allows: what it adds to a drop lies within what a
/// conductor of class 5 may differ.
fn warms_nothing(audit: &Audit, fault: &Fault) -> bool {
    let mut dc = audit.net.consumers.iter().filter(|c| !c.ac).map(|c| audit.assumed.components[c.component].id.clone());
    matches!(fault, Fault::Joint { .. })
        && dc.all(|id| joint_c(audit, fault, vec![id]).is_some_and(|c| c <= 21.0 + 30.0 + 0.1))
}

#[test]
fn a_hidden_fault_makes_some_test_of_the_plan_fail_or_differ() {
    let (mut faults, mut shown, mut harmless) = (0, 0, 0);
    let mut silent: Vec<String> = Vec::new();
    for seed in 0..100 {
        let s = sketch(seed);
        let audit = judge(&s.text(), s.profile);
        let tests = plan(&audit);
        let sound = World::new(&audit, &[]);
        let without = outcomes(&tests, &sound);
        for fault in suspects(&audit) {
            faults += 1;
            let with = outcomes(&tests, &World::new(&audit, std::slice::from_ref(&fault)));
            if with != without {
                shown += 1;
            } else if warms_nothing(&audit, &fault) {
                harmless += 1;
            } else {
                silent.push(format!("{seed}: {}", fault.words()));
            }
        }
    }
    println!("{faults} hidden faults, {shown} shown, {harmless} joints that stay within 30 K");
    assert!(harmless * 5 < faults, "{harmless}");
    assert!(silent.is_empty(), "{} silent: {:#?}", silent.len(), silent);
}
