//! Sets of repairs that only together close a finding: the second half of a bank's fuses, the thicker cable that a larger
//! device needs, the return beside its fuse.
//!
//! A set grows one repair at a time. After a trial that falls short, what still stands is asked for its own repairs: the
//! finding itself where the trial changed it, else the gravest that the trial opened. Each set is tried from the start, as one
//! repair, so nothing is accepted that the plain trial would not accept. Breadth and depth are bounded: at most
//! [`TRIED`] sets of [`LARGEST`] repairs.

use super::{Candidate, Trial, attempt, candidates};
use crate::audit::Audit;
use crate::rig::Rig;
use crate::rules::{Finding, Severity};

/// Repairs in one set, at most.
const LARGEST: usize = 4;
/// Repairs followed further at each step.
const WIDTH: usize = 4;
/// Sets tried for one finding.
const TRIED: usize = 48;

/// Sets that close a finding where none of the single repairs does; the smallest first, none where none was found.
pub(super) fn sets(rig: &Rig, before: &Audit, finding: &Finding, singles: &[Trial]) -> Vec<Trial> {
    let mut front: Vec<Trial> = singles.iter().filter(|t| t.hopeful).cloned().collect();
    let mut tried = 0;
    for _ in 1..LARGEST {
        let mut next: Vec<Trial> = Vec::new();
        let mut found: Vec<Trial> = Vec::new();
        front.sort_by_key(|t| (t.opens.len(), t.candidate.minutes));
        for part in front.iter().take(WIDTH) {
            let (Some(copy), Some(after)) = (&part.rig, &part.after) else { continue };
            let Some(open) = still_open(before, after, finding) else { continue };
            for more in candidates(copy, after, open) {
                if tried >= TRIED {
                    break;
                }
                tried += 1;
                let trial = attempt(rig, before, finding, together(&part.candidate, &more));
                if trial.accepted {
                    found.push(trial);
                } else if trial.hopeful {
                    next.push(trial);
                }
            }
        }
        if !found.is_empty() {
            found.sort_by_key(|t| t.candidate.minutes);
            found.truncate(WIDTH);
            return found;
        }
        front = next;
    }
    Vec::new()
}

/// What is to be mended next: the finding itself where it stands otherwise than before, else the gravest that was opened.
fn still_open<'a>(before: &'a Audit, after: &'a Audit, finding: &Finding) -> Option<&'a Finding> {
    match after.findings.iter().find(|f| f.key() == finding.key()) {
        Some(same) => {
            (same.statement != finding.statement || same.wires != finding.wires || same.target != finding.target)
                .then_some(same)
        }
        None => before.opened_by(after).filter(|f| f.severity >= Severity::Soon).max_by_key(|f| f.severity),
    }
}

/// One repair after the other, as one.
fn together(first: &Candidate, second: &Candidate) -> Candidate {
    let mut edits = first.edits.clone();
    edits.extend(second.edits.iter().cloned());
    let conditions: Vec<&str> =
        [&first.condition, &second.condition].into_iter().filter_map(|c| c.as_deref()).collect();
    let mut rest = second.title.chars();
    let second_words = rest.next().map_or(String::new(), |c| c.to_lowercase().chain(rest).collect::<String>());
    Candidate {
        title: format!("{}; with it {second_words}", first.title),
        edits,
        minutes: first.minutes + second.minutes,
        condition: (!conditions.is_empty()).then(|| conditions.join(" ")),
    }
}
