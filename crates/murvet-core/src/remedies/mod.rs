//! Repairs as edits to the rig: candidates from a finding, each tried on a copy by a new audit.

mod candidates;
mod edit;
mod forbidden;
mod sets;

pub use candidates::candidates;
pub use edit::{Edit, EditError, apply};

use crate::audit::Audit;
use crate::rig::Rig;
use crate::rules::{Finding, Severity};
use std::collections::BTreeSet;
use std::sync::Arc;

/// A possible repair.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// What to do, in words.
    pub title: String,
    /// The same as edits.
    pub edits: Vec<Edit>,
    /// Rough time for one person, minutes (common practice, no source).
    pub minutes: u32,
    /// A condition that goes with it, to be recorded and handed over.
    pub condition: Option<String>,
}

/// What came of trying a repair on a copy.
#[derive(Debug, Clone)]
pub struct Trial {
    /// The repair.
    pub candidate: Candidate,
    /// Keys of findings that go away.
    pub closes: Vec<String>,
    /// Findings that appear.
    pub opens: Vec<Finding>,
    /// Whether it may be proposed.
    pub accepted: bool,
    /// Not accepted, but it was made and is not dangerous: with another repair it may close the finding.
    hopeful: bool,
    /// Why it is rejected, or what remains to be said.
    pub reason: String,
    /// The rig after the repair, when it could be made.
    pub rig: Option<Rig>,
    /// The audit of that rig.
    pub after: Option<Arc<Audit>>,
}

/// Why no repair is proposed for a finding where none was accepted: what is right there depends on more than a rig says, or
/// everything that was tried was rejected for the reason that stands beside it.
pub fn why_none(finding: &Finding) -> &'static str {
    finding.rule.without
}

/// Tries every candidate for a finding, and sets of them where none closes it alone. Repairs that close it and open nothing
/// of weight come first.
pub fn trials(rig: &Rig, before: &Audit, finding: &Finding) -> Vec<Trial> {
    let mut list: Vec<Trial> =
        candidates(rig, before, finding).into_iter().map(|c| attempt(rig, before, finding, c)).collect();
    if !list.iter().any(|t| t.accepted) {
        list.extend(sets::sets(rig, before, finding, &list));
    }
    list.sort_by_key(|t| (!t.accepted, t.candidate.minutes));
    list
}

/// Tries one candidate.
pub fn attempt(rig: &Rig, before: &Audit, finding: &Finding, candidate: Candidate) -> Trial {
    let mut copy = rig.clone();
    for edit in &candidate.edits {
        if let Err(error) = apply(&mut copy, edit) {
            return Trial {
                candidate,
                closes: Vec::new(),
                opens: Vec::new(),
                accepted: false,
                hopeful: false,
                reason: format!("It cannot be made: {error}."),
                rig: None,
                after: None,
            };
        }
    }
    copy.normalise();
    let problems = crate::meaning::check(&copy);
    if let Some(problem) = problems.first() {
        return Trial {
            candidate,
            closes: Vec::new(),
            opens: Vec::new(),
            accepted: false,
            hopeful: false,
            reason: format!("It cannot be made: {}.", problem.message),
            rig: None,
            after: None,
        };
    }
    let after = before.after(&copy);
    let old: BTreeSet<String> = before.findings.iter().map(Finding::key).collect();
    let new: BTreeSet<String> = after.findings.iter().map(Finding::key).collect();
    let closes: Vec<String> = old.difference(&new).cloned().collect();
    // A finding that only grew more pressing counts as opened too.
    let opens: Vec<Finding> = before.opened_by(&after).cloned().collect();
    let closed = !new.contains(&finding.key());
    let grave: Vec<&Finding> = opens.iter().filter(|f| f.severity >= Severity::Soon).collect();
    let dangerous = forbidden::forbidden(rig, &candidate.edits, &after);
    let accepted = closed && grave.is_empty() && dangerous.is_none();
    let hopeful = !accepted && dangerous.is_none();
    let reason = if let Some(why) = dangerous {
        why
    } else if !closed {
        "It does not close the finding.".to_owned()
    } else if let Some(f) = grave.first() {
        format!("It opens another finding: {}", f.statement)
    } else {
        if opens.is_empty() {
            "It closes the finding and opens nothing.".to_owned()
        } else {
            "It closes the finding; what it opens is advice.".to_owned()
        }
    };
    Trial { candidate, closes, opens, accepted, hopeful, reason, rig: Some(copy), after: Some(Arc::new(after)) }
}
