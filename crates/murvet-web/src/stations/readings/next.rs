//! What is next in walking order.

use super::{Records, unguarded};
use crate::page::VisitContext;
use crate::stations::readings::urlencode;
use murvet_core::readings::{Means, Phase, Stand, Test, minutes_of, moves, nearest, place_of, stand_after};
use std::collections::BTreeMap;

/// The test that is next.
pub(crate) struct Next {
    /// Its identifier.
    pub id: String,
    /// Its address for a query.
    pub link: String,
    pub title: String,
    pub terminals: String,
    /// The place, where it has one.
    pub place: Option<String>,
    /// What is switched on the way there.
    pub moves: Vec<String>,
    /// How many come after it that can be done now.
    pub after: usize,
    /// Minutes of all of them.
    pub minutes: u32,
}

/// A place to stand in: its name in the rig, whether one stands there.
pub(crate) type Place = (String, bool);

/// Where one stands after the readings so far, in the place that was chosen if one was.
pub(super) fn stand(context: &VisitContext, tests: &[Test], kept: &Records, at: Option<&str>) -> Stand {
    let taken = kept.readings.iter().filter_map(|r| tests.iter().find(|t| t.id == r.test));
    let mut here = taken.fold(Stand::default(), |here, t| stand_after(&context.audit, t, &here));
    if let Some(place) = at.filter(|p| context.audit.assumed.place(p).is_some()) {
        here.place = Some(place.to_owned());
    }
    here
}

/// The tests that can be done now: due, their guards passed and what they need at hand. Until the rig is made safe there is nothing
/// but the supply, which is tested before plugging in.
pub(crate) fn open_now(tests: &[Test], kept: &Records, safe: bool) -> Vec<usize> {
    // What guards a test hangs on its phase alone.
    let mut passed: BTreeMap<Phase, bool> = BTreeMap::new();
    let mut open = kept.due(tests);
    open.retain(|n| {
        let t = &tests[*n];
        (safe || t.phase == Phase::Supply)
            && !matches!(kept.case.means(t), Means::Lacking(_))
            && *passed.entry(t.phase).or_insert_with(|| unguarded(tests, t, kept).is_empty())
    });
    open
}

/// The tests that come one after the other from where one stands, of those that are open: at most so many.
pub(crate) fn upcoming(
    context: &VisitContext,
    tests: &[Test],
    kept: &Records,
    open: &[usize],
    at: Option<&str>,
    most: usize,
) -> Vec<usize> {
    let mut here = stand(context, tests, kept, at);
    let mut left = open.to_vec();
    let mut order = Vec::new();
    while let Some(n) = nearest(&context.audit, tests, left.iter().copied(), &here).filter(|_| order.len() < most) {
        left.retain(|other| *other != n);
        here = stand_after(&context.audit, &tests[n], &here);
        order.push(n);
    }
    order
}

/// The test that is next from where one stands, of those that are open.
pub(crate) fn next(
    context: &VisitContext,
    tests: &[Test],
    kept: &Records,
    open: &[usize],
    at: Option<&str>,
) -> (Option<Next>, Vec<Place>) {
    let audit = &context.audit;
    let here = stand(context, tests, kept, at);
    let places = context.rig.places.iter().map(|p| (p.id.clone(), here.place.as_ref() == Some(&p.id))).collect();
    let minutes = minutes_of(open.iter().map(|n| &tests[*n]));
    let next = nearest(audit, tests, open.iter().copied(), &here).map(|n| {
        let test = &tests[n];
        Next {
            id: test.id.to_string(),
            link: urlencode(&test.id),
            title: test.title.clone(),
            terminals: test.terminals.clone(),
            place: place_of(audit, test),
            moves: moves(&audit.net, &here.controls, &stand_after(audit, test, &here).controls),
            after: open.len() - 1,
            minutes,
        }
    });
    (next, places)
}
