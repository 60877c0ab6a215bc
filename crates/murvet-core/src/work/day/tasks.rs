//! Tasks from findings: each accepted repair, with what it needs.

use super::super::act::Act;
use super::super::holders::lost;
use super::super::isolation::needed;
use super::parts::parts;
use super::scope::{WorkKind, kinds};
use super::{Task, weight};
use crate::audit::Audit;
use crate::remedies::trials;
use crate::rig::Rig;
use std::collections::{BTreeMap, BTreeSet};

/// How many ways to close one finding are offered to the plan, the quickest first.
const WAYS: usize = 3;

/// The accepted repairs of every finding as tasks, the most pressing first, and what closing each finding is worth. Ways to
/// close the same finding stand instead of each other; what two findings propose alike is one task.
///
/// `minutes` gives those of a repair by its rule and the usual ones, `retest` those of the tests that prove it, from the rig after it. Complexity: every repair is tried by an
/// audit.
pub fn tasks(
    rig: &Rig,
    audit: &Audit,
    minutes: impl Fn(&str, u32) -> u32,
    retest: impl Fn(&Audit) -> u32,
) -> (Vec<Task>, BTreeMap<String, u32>) {
    let mut list: Vec<Task> = Vec::new();
    let danger: BTreeMap<String, u32> = audit.findings.iter().map(|f| (f.key(), weight(f.severity))).collect();
    let closed = |id: &str| rig.place(id).is_some_and(|p| p.opened.as_deref() == Some("no"));
    for finding in &audit.findings {
        for trial in trials(rig, audit, finding).into_iter().filter(|t| t.accepted).take(WAYS) {
            let (Some(after_rig), Some(after)) = (&trial.rig, &trial.after) else { continue };
            let closes: BTreeSet<String> = trial.closes.iter().cloned().collect();
            let title = trial.candidate.title.clone();
            if list.iter().any(|t| t.title == title && t.closes == closes) {
                continue;
            }
            let at = places(rig, after_rig);
            list.push(Task {
                minutes: minutes(finding.rule.slug, trial.candidate.minutes) + retest(after),
                keeps: lost(audit, after).is_empty(),
                kinds: kinds(audit, after),
                places: at.iter().filter(|id| closed(id)).cloned().collect(),
                at,
                isolate: needed(audit, after).into_iter().map(|s| s.id).collect(),
                parts: parts(rig, after_rig).into_iter().map(|p| (p.name, p.tenths.div_ceil(10))).collect(),
                closes,
                repair: Some((finding.key(), trial.candidate.clone())),
                acts: vec![Act::Repair { finding: finding.key(), title: title.clone() }],
                instead: Some(finding.key()),
                ..Task::new(title, 0)
            });
        }
    }
    // Where nothing of the rig is touched but what is written on it.
    for t in list.iter_mut().filter(|t| t.kinds.is_empty()) {
        t.kinds.insert(WorkKind::TestOnly);
    }
    (list, danger)
}

/// Places in which something changes.
fn places(before: &Rig, after: &Rig) -> BTreeSet<String> {
    let mut places: BTreeSet<&str> = BTreeSet::new();
    for p in &after.components {
        if before.component(&p.id).is_none_or(|o| o != p) {
            places.extend(p.place.as_deref());
            places.extend(before.component(&p.id).and_then(|o| o.place.as_deref()));
        }
    }
    // A run is landed where its ends are.
    for run in after.runs.iter().filter(|r| !before.runs.contains(r)) {
        places.extend(after.component(&run.from.component).and_then(|p| p.place.as_deref()));
    }
    for cable in after.cables.iter().filter(|c| !before.cables.contains(c)) {
        for end in [&cable.from, &cable.to] {
            places.extend(after.component(&end.component).and_then(|p| p.place.as_deref()));
        }
    }
    places.into_iter().map(str::to_owned).collect()
}
