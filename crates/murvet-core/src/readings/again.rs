//! What is measured again after the rig was changed: what would have shown the old fault, and what went stale.

use super::{Outcome, Test, TestKind, VisitKind, judge, plan, still_holds};
use crate::audit::Audit;
use crate::measure::World;
use std::collections::HashSet;

/// One value of a test in a world.
pub(crate) fn value_in(test: &Test, world: &World) -> Option<f64> {
    match (&test.probe, &test.parts) {
        (Some(probe), _) => world.read(probe),
        (None, Some(parts)) => {
            let each: Option<Vec<f64>> = parts.list.iter().map(|p| world.read(&p.probe)).collect();
            parts.value(&each?)
        }
        _ => None,
    }
}

/// The tests of the changed rig that prove the change: on the rig as it was they would fail or show another value than
/// predicted, on the rig as it is now they pass. Whoever signed for a repair that was not made would see it in any of them.
///
/// The most dangerous miss comes first, then the quickest.
///
/// Complexity: two models, one solve a stand of the controls in each.
pub fn proofs<'a>(before: &Audit, after: &Audit, tests: &'a [Test]) -> Vec<&'a Test> {
    let (was, is) = (World::new(before, &[]), World::new(after, &[]));
    let outcome = |t: &Test, world: &World| value_in(t, world).map(|v| judge(t, v).outcome);
    let proves = |t: &&Test| {
        outcome(t, &is) == Some(Outcome::Pass)
            && matches!(outcome(t, &was), Some(Outcome::Fail | Outcome::Differs | Outcome::Unsettled))
    };
    let mut list: Vec<&Test> = tests.iter().filter(proves).collect();
    list.sort_by_key(|t| (std::cmp::Reverse(t.id.kind.miss()), t.minutes + t.wait));
    list
}

/// The tests that a visit after a repair takes: those on whose path something changed, and those that are new.
pub fn after_repair<'a>(before: &Audit, after: &Audit, tests: &'a [Test]) -> Vec<&'a Test> {
    let old = plan(before);
    let stale = |t: &&Test| {
        let was = old.iter().find(|o| o.id == t.id);
        was.is_none_or(|was| !still_holds((before, was), (after, t)))
    };
    tests.iter().filter(stale).collect()
}

/// Which tests of a plan a visit asks for: what its kind wants, and for one after a repair what the change from the first rig to
/// the second made stale. That nothing is shorted, and the supply, come before in any case.
pub fn wanted(tests: &[Test], visit: VisitKind, change: Option<(&Audit, &Audit)>) -> Vec<bool> {
    match (visit, change) {
        (VisitKind::AfterRepair, Some((before, after))) => {
            let again: HashSet<&str> = after_repair(before, after, tests).iter().map(|t| t.id.as_str()).collect();
            let first = |t: &Test| matches!(t.id.kind, TestKind::Short | TestKind::SupplyVolts | TestKind::SupplyNe);
            tests.iter().map(|t| first(t) || again.contains(t.id.as_str())).collect()
        }
        _ => tests.iter().map(|t| t.id.kind.on_visit(visit)).collect(),
    }
}

/// The plan of a visit.
pub fn for_visit(audit: &Audit, visit: VisitKind, before: Option<&Audit>) -> Vec<Test> {
    let tests = plan(audit);
    let wanted = wanted(&tests, visit, before.map(|b| (b, audit)));
    tests.into_iter().zip(wanted).filter_map(|(t, w)| w.then_some(t)).collect()
}
