//! Rigs of many parts that are alike: whatever their number, each part is judged as one alone would be, and where
//! something is left out the audit says so.

#[path = "../benches/made/mod.rs"]
mod made;

use murvet_core::audit::{Audit, audit};
use murvet_core::audit_report::AuditReport;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::uses;
use std::collections::BTreeSet;

fn judged(text: &str) -> Audit {
    let rig = parse(text).unwrap_or_else(|e| panic!("{e:?}\n{text}"));
    audit(&rig, ProfileId::EU_UK)
}

/// One unit of which hardly anything was seen: an inverter and an inlet on a transfer, all sizes and words unseen.
fn unit(n: usize, fed: &str) -> String {
    format!(
        "{fed}inverter inv-k{n}-: ?\ninlet in-k{n}-: ?\ntransfer tr-k{n}-: ?\npanel p-k{n}-: ?\n\
         cable Wa-k{n}- length ? size ? in-k{n}- -> tr-k{n}-.a\n\
         cable Wb-k{n}- length ? size ? inv-k{n}- -> tr-k{n}-.b\n\
         cable Wc-k{n}- length ? size ? tr-k{n}-.out -> p-k{n}-.main\n"
    )
}

/// Units on one battery.
fn together(units: usize) -> String {
    let mut text = "battery b: lifepo4 12.8V 200Ah\nbus pos\nbus neg\n\
        run b.+ : 0.3m 50mm2, fuse F 200A class-T, pos\nrun b.- : 0.3m 50mm2, neg\n"
        .to_owned();
    for n in 0..units {
        let fed = format!("run pos : ? ?, inv-k{n}-.dc+\nrun neg : ? ?, inv-k{n}-.dc-\n");
        text.push_str(&unit(n, &fed));
    }
    text
}

/// Units each on a battery of its own.
fn apart(units: usize) -> String {
    let fed = |n: usize| {
        format!(
            "battery b-k{n}-: lifepo4 12.8V 200Ah\nrun b-k{n}-.+ : ? ?, inv-k{n}-.dc+\nrun b-k{n}-.- : ? ?, inv-k{n}-.dc-\n"
        )
    };
    (0..units).map(|n| unit(n, &fed(n))).collect()
}

/// What is found of one unit, with its number taken out.
fn of_unit(audit: &Audit, n: usize) -> BTreeSet<String> {
    let name = format!("-k{n}-");
    let own = audit.findings.iter().filter(|f| f.subject.contains(&name));
    own.map(|f| format!("{} {} {:?} {:?}", f.rule.slug, f.subject.replace(&name, "-k-"), f.severity, f.certainty))
        .collect()
}

#[test]
fn a_unit_among_many_is_judged_as_one_alone() {
    for (make, counts) in [(together as fn(usize) -> String, [2, 4, 6]), (apart, [2, 5, 9])] {
        let alone = of_unit(&judged(&make(1)), 0);
        assert!(alone.len() >= 10, "{alone:?}");
        for count in counts {
            let many = judged(&make(count));
            for n in 0..count {
                assert_eq!(of_unit(&many, n), alone, "unit {n} of {count}");
            }
        }
    }
}

/// Transfers in a row, each choosing between what comes along and a generator of its own.
fn chain(transfers: usize) -> String {
    let mut text = "panel p\ngenerator g0: 2000W\n".to_owned();
    let mut before = "g0".to_owned();
    for n in 0..transfers {
        text.push_str(&format!(
            "generator g{}: 2000W\ntransfer t{n}: automatic 2-pole a-first\n\
             cable A{n} 2m 3x2.5mm2 {before} -> t{n}.a\ncable B{n} 2m 3x2.5mm2 g{} -> t{n}.b\n",
            n + 1,
            n + 1
        ));
        before = format!("t{n}.out");
    }
    text + &format!("cable Z 2m 3x2.5mm2 {before} -> p.main\n")
}

/// What is kept of the states, in labels of nodes: it is this that takes memory and, by the rules, time.
fn weight(audit: &Audit) -> usize {
    (audit.states.states.len() + audit.states.passing.len()) * audit.net.nodes.len()
}

#[test]
fn whatever_the_shape_what_is_left_out_is_said_and_memory_stays_small() {
    for (text, whole) in [(chain(3), true), (chain(8), false), (chain(12), false), (together(8), false)] {
        let audit = judged(&text);
        assert_eq!(audit.states.complete, whole, "{} states", audit.states.states.len());
        assert!(weight(&audit) < 2_000_000, "{} labels", weight(&audit));
        let text = AuditReport::new(&audit).text();
        let said = text.contains("states beyond them were not judged");
        assert_eq!(said, !whole, "{text}");
        assert!(whole || !text.contains("No findings."), "{text}");
        // Nothing of it is satisfactory, whatever was measured.
        let uses = uses(&audit, &[], |_| Some(true));
        assert!(!uses.is_empty() && uses.iter().all(|u| u.unjudged != whole) && audit.partly != whole, "{uses:?}");
    }
}

#[test]
fn a_large_rig_of_twelve_controls_is_judged_in_all_its_states() {
    let audit = judged(&made::rig(120, 12));
    println!("{} states, {} nodes", audit.states.states.len(), audit.net.nodes.len());
    assert!(audit.net.controls.len() >= 12 && audit.states.states.len() > 100);
    assert!(audit.states.complete, "{:?}", audit.limits);
}

#[test]
fn twenty_chargers_on_one_bar_are_each_named() {
    // Each from a battery of its own behind no device, onto one bar.
    let mut text = "battery house: lifepo4 12.8V 300Ah\nbus pos\nbus neg\n\
        run house.+ : 0.3m 70mm2, fuse F 300A class-T, pos\nrun house.- : 0.3m 70mm2, neg\n"
        .to_owned();
    for n in 0..20 {
        text.push_str(&format!(
            "battery s{n}: agm 12V 90Ah\ndcdc d{n}: 30A\n\
             run s{n}.+ : 4m 6mm2, d{n}.in+\nrun s{n}.- : 4m 6mm2, d{n}.in-\n\
             run d{n}.out+ : 1m 6mm2, pos\nrun d{n}.out- : 1m 6mm2, neg\n"
        ));
    }
    let audit = judged(&text);
    for n in 0..20 {
        let bare = format!("s{n}.+--d{n}.in+");
        let named = audit.findings.iter().any(|f| f.rule.slug == "overcurrent-missing" && f.subject == *bare);
        assert!(named, "{bare} is not named");
    }
}
