//! The order in which tests are walked: every test once, no guard broken, and far fewer operations and ways than in the order of the
//! plan. How much an order takes is counted here again, from the rig and the plan alone.

use murvet_core::audit::{Audit, audit};
use murvet_core::notation::parse;
use murvet_core::readings::{Stand, Test, guards, place_of, plan, stand_after, walk};
use std::collections::BTreeSet;

const RIGS: [(&str, &str); 4] = [
    ("heron", include_str!("../../murvet/demo/heron.rig")),
    ("kite", include_str!("../../murvet/demo/kite.rig")),
    ("currawong", include_str!("../../murvet/demo/currawong.rig")),
    ("egret", include_str!("../../murvet/demo/egret.rig")),
];

fn planned(text: &str) -> (Audit, Vec<Test>) {
    let rig = parse(text).expect("reads");
    let audit = audit(&rig, rig.profile.expect("its own"));
    let tests = plan(&audit);
    (audit, tests)
}

/// Controls that stand otherwise than a test before, and places gone to.
fn counted(audit: &Audit, tests: &[Test], order: &[usize]) -> (usize, usize) {
    let controls = audit.net.controls.len();
    let (mut at, mut place) = (vec![0u8; controls], None);
    let (mut operations, mut ways) = (0, 0);
    for t in order.iter().map(|n| &tests[*n]) {
        let probe = t.probe.as_ref().or_else(|| t.parts.as_ref().and_then(|p| p.list.last()).map(|p| &p.probe));
        if let Some(p) = probe {
            let mut to = p.setup.controls.clone();
            to.resize(controls, 0);
            operations += at.iter().zip(&to).filter(|(a, b)| a != b).count();
            at = to;
        }
        if let Some(p) = place_of(audit, t) {
            ways += usize::from(place.as_ref() != Some(&p));
            place = Some(p);
        }
    }
    (operations, ways)
}

#[test]
fn a_walk_has_every_test_once_keeps_the_guards_and_takes_less_than_half() {
    let (mut ours, mut theirs) = (0, 0);
    for (name, text) in RIGS {
        let (audit, tests) = planned(text);
        let order = walk(&audit, &tests, 0..tests.len(), &Stand::default());
        assert_eq!(order.iter().copied().collect::<BTreeSet<_>>(), (0..tests.len()).collect(), "{name}: each once");
        assert_eq!(order.len(), tests.len(), "{name}");
        let mut done: BTreeSet<&str> = BTreeSet::new();
        for t in order.iter().map(|n| &tests[*n]) {
            for g in guards(&tests, t) {
                assert!(done.contains(g.id.as_str()), "{name}: {} before {}", g.id.as_str(), t.id.as_str());
            }
            done.insert(t.id.as_str());
        }
        let (walked, planned) =
            (counted(&audit, &tests, &order), counted(&audit, &tests, &(0..tests.len()).collect::<Vec<_>>()));
        println!("{name}: {} tests, operations and ways {walked:?} instead of {planned:?}", tests.len());
        assert!(walked.0 <= planned.0 && walked.1 < planned.1, "{name}: {walked:?} {planned:?}");
        ours += walked.0 + walked.1;
        theirs += planned.0 + planned.1;
    }
    assert!(2 * ours < theirs, "{ours} of {theirs}");
}

#[test]
fn from_another_place_the_walk_begins_there() {
    let (audit, tests) = planned(RIGS[1].1);
    let looks: Vec<usize> = (0..tests.len()).filter(|n| tests[*n].is_look()).collect();
    let places: BTreeSet<String> = looks.iter().filter_map(|n| place_of(&audit, &tests[*n])).collect();
    assert!(places.len() >= 3);
    for place in places {
        let from = Stand { place: Some(place.clone()), ..Stand::default() };
        let order = walk(&audit, &tests, looks.iter().copied(), &from);
        let first = &tests[order[0]];
        assert_eq!(place_of(&audit, first).unwrap_or(place.clone()), place, "{}", first.title);
        assert_eq!(stand_after(&audit, first, &from).place, Some(place));
    }
}
