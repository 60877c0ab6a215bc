//! The order in which the tests of a plan are walked: leg after leg, and inside one with few operations of controls and few ways
//! from place to place.
//!
//! A leg is a phase, but that what is looked at and what is measured dead are one: both are done with everything dead, and neither
//! guards the other. What must have passed before a test stands in an earlier leg ([`guards`](super::guards)), so inside a leg any
//! order keeps the guards. There the next test is the nearest from where one stands, an operation counting as much as a way; then
//! the same place, the same instruments, the order of the plan.

use super::{Phase, Test, Tool, moves};
use crate::audit::Audit;
use crate::network::EdgeKind;
use std::collections::BTreeMap;

/// Where one stands: how the controls are, in which place, with what in the hand.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Stand {
    /// Positions of the controls; what is missing is parked.
    pub controls: Vec<u8>,
    /// The place, by its name in the rig.
    pub place: Option<String>,
    /// What is in the hand.
    pub tools: &'static [Tool],
}

/// The components a test is about, by identifier: the one it names, the two that the conductor it names joins, or all of the
/// place it names.
pub fn things_of(audit: &Audit, test: &Test) -> Vec<String> {
    let rig = &audit.assumed;
    let subject = test.id.subject.as_str();
    let there = |id: &&str| rig.component(id).is_some();
    let own = Some(subject).filter(there).or_else(|| subject.split_once('.').map(|(id, _)| id).filter(there));
    if let Some(id) = own {
        return vec![id.to_owned()];
    }
    if rig.place(subject).is_some() {
        let here = rig.components.iter().filter(|c| c.place.as_deref() == Some(subject));
        return here.map(|c| c.id.clone()).collect();
    }
    let net = &audit.net;
    let edge = net.edges.iter().find(|e| matches!(e.what, EdgeKind::Wire(w) if net.wires[w].key == subject));
    let ends = edge.into_iter().flat_map(|e| [e.a, e.b]).filter_map(|n| net.nodes[n].component);
    ends.map(|c| rig.components[c].id.clone()).collect()
}

/// The place where a test is taken: that of the component or conductor it is about, or the place itself.
pub fn place_of(audit: &Audit, test: &Test) -> Option<String> {
    let rig = &audit.assumed;
    let subject = test.id.subject.as_str();
    if rig.place(subject).is_some() {
        return Some(subject.to_owned());
    }
    things_of(audit, test).first().and_then(|id| rig.component(id)?.place.clone())
}

/// The tests of these numbers in the order in which they are walked from where one stands.
///
/// Complexity: O(n²) comparisons for n tests of a leg.
///
/// ```
/// use murvet_core::{audit::audit, notation::parse, profiles::ProfileId, readings::{Stand, plan, walk}};
/// let rig = parse("battery b: agm 12V 100Ah\ndc-load l: 5A\nrun b.+ : 1m 6mm2, fuse F 20A, 2m 6mm2, l.+\nrun b.- : 3m 6mm2, l.-\n").unwrap();
/// let audit = audit(&rig, ProfileId::EU_UK);
/// let tests = plan(&audit);
/// let order = walk(&audit, &tests, 0..tests.len(), &Stand::default());
/// assert_eq!(order.len(), tests.len());
/// assert!(order.iter().position(|n| tests[*n].phase.energises()) > order.iter().position(|n| !tests[*n].phase.energises()));
/// ```
pub fn walk(audit: &Audit, tests: &[Test], open: impl IntoIterator<Item = usize>, from: &Stand) -> Vec<usize> {
    let mut legs: BTreeMap<Phase, Vec<usize>> = BTreeMap::new();
    for n in open {
        legs.entry(leg(tests[n].phase)).or_default().push(n);
    }
    let mut here = from.clone();
    let mut order = Vec::new();
    for mut left in legs.into_values() {
        while let Some(n) = nearest(audit, tests, left.iter().copied(), &here) {
            left.retain(|other| *other != n);
            here = stand_after(audit, &tests[n], &here);
            order.push(n);
        }
    }
    order
}

/// The first test of a walk from where one stands: the nearest of the first leg.
///
/// Complexity: O(n) for n tests.
pub fn nearest(audit: &Audit, tests: &[Test], open: impl IntoIterator<Item = usize>, here: &Stand) -> Option<usize> {
    open.into_iter().min_by_key(|n| {
        let t = &tests[*n];
        let operations = t.controls().map_or(0, |to| moves(&audit.net, &here.controls, to).len());
        // What has no place of its own is done where one stands.
        let place = place_of(audit, t);
        let away = place.is_some() && place != here.place;
        (leg(t.phase), operations + usize::from(away), away, t.tools != here.tools, *n)
    })
}

/// The leg of a phase, by the first phase of it.
fn leg(phase: Phase) -> Phase {
    match phase {
        Phase::Look | Phase::Dead => Phase::Look,
        Phase::Supply
        | Phase::Dc
        | Phase::Charging
        | Phase::Inverter
        | Phase::Generator
        | Phase::Shore
        | Phase::Load
        | Phase::Close => phase,
    }
}

/// Where one stands after a test.
pub fn stand_after(audit: &Audit, test: &Test, before: &Stand) -> Stand {
    Stand {
        controls: test.controls().map_or_else(|| before.controls.clone(), <[u8]>::to_vec),
        place: place_of(audit, test).or_else(|| before.place.clone()),
        tools: test.tools,
    }
}
