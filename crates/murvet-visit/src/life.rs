//! The life of a finding: accepted or deferred with a reason, repaired, and closed by a reading of its own or by a reason that
//! is printed.

use crate::{Event, Matter};
use chrono::NaiveDate;
use murvet_core::rules::Severity;

/// Fewest characters of a reason why a repair is closed without a reading.
pub const LEAST_REASON: usize = 10;

/// Fewest characters of a reason why a finding is left, or of what was seen.
pub const LEAST_CHARS: usize = 5;

/// Most characters of what was seen.
const MOST_CHARS: usize = 400;

/// Something that happened, in the order of the records.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Happened {
    /// To what.
    pub matter: Matter,
    /// What.
    pub event: Event,
    /// Revision of the rig in which it stood.
    pub revision: i32,
}

/// Why something is not done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// Only accepted and deferred are decisions.
    #[error("a finding is accepted or deferred")]
    NoDecision,
    /// The reason is shorter than this.
    #[error("write why, in {0} characters or more")]
    WriteWhy(usize),
    /// A risk is accepted until a day that is to come, and under a condition with what ends it.
    #[error("write until when, and what ends it before")]
    NoEnd,
    /// What nobody comes near cannot be accepted.
    #[error("a finding of keep off is not accepted")]
    KeepOff,
    /// Nothing was repaired.
    #[error("this finding has no repair")]
    NoRepair,
    /// The audit of the rig as it is traced still finds it.
    #[error("the rig as traced still has it")]
    StillThere,
}

fn long(words: &str) -> usize {
    words.trim().chars().count()
}

/// Longest time for which a risk is accepted, days: until the next yearly look.
pub const LONGEST_ACCEPTED: i64 = 400;

/// How a person leaves a finding as it is.
#[derive(Debug, Clone, Copy)]
pub struct Decision<'a> {
    /// Accepted or deferred.
    pub event: Event,
    /// Why.
    pub reason: &'a str,
    /// Until when it is accepted.
    pub until: Option<NaiveDate>,
    /// What ends that before, and how it is noticed.
    pub condition: &'a str,
}

/// Whether a person may leave a finding as it is: by a decision, with a reason, a risk with its end and its condition, and never
/// what is to be kept off.
///
/// # Errors
/// The refusal.
pub fn decide(decision: &Decision<'_>, severity: Severity, today: NaiveDate) -> Result<(), Refusal> {
    let Decision { event, reason, until, condition } = *decision;
    if !event.is_decision() {
        return Err(Refusal::NoDecision);
    }
    if long(reason) < LEAST_CHARS {
        return Err(Refusal::WriteWhy(LEAST_CHARS));
    }
    if event == Event::Accepted && severity == Severity::KeepOff {
        return Err(Refusal::KeepOff);
    }
    let ends = until.is_some_and(|d| d > today && (d - today).num_days() <= LONGEST_ACCEPTED);
    if event == Event::Accepted && !(ends && long(condition) >= LEAST_CHARS) {
        return Err(Refusal::NoEnd);
    }
    Ok(())
}

/// Whether what somebody saw is enough to make a finding of an explanation.
///
/// # Errors
/// The refusal.
pub fn confirm(seen: &str) -> Result<(), Refusal> {
    if (LEAST_CHARS..=MOST_CHARS).contains(&long(seen)) { Ok(()) } else { Err(Refusal::WriteWhy(LEAST_CHARS)) }
}

/// How a repair is closed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Closed {
    /// By a reading, in words, with what was written beside it.
    Proven(String),
    /// Without one, by this reason, which is printed as such.
    Reason(String),
}

/// Closes a repaired finding: by the newest passed reading of one of its own tests, or by a reason. A repair is the newest thing
/// that happened to it, and the rig as it is traced no longer has it.
///
/// # Errors
/// The refusal.
pub fn close(
    matter: &Matter,
    happened: &[Happened],
    still_there: bool,
    proof: Option<String>,
    note: &str,
) -> Result<Closed, Refusal> {
    to_close(matter, happened, still_there)?;
    let note = note.trim();
    match proof {
        Some(reading) if note.is_empty() => Ok(Closed::Proven(reading)),
        Some(reading) => Ok(Closed::Proven(format!("{reading}; {note}"))),
        None if long(note) >= LEAST_REASON => Ok(Closed::Reason(note.to_owned())),
        None => Err(Refusal::WriteWhy(LEAST_REASON)),
    }
}

/// The revision that the repair to be closed made: it is the newest thing that happened to the finding, and the rig as it is traced
/// no longer has it. Asked first, so that no proof is looked for in vain.
///
/// # Errors
/// The refusal.
pub fn to_close(matter: &Matter, happened: &[Happened], still_there: bool) -> Result<i32, Refusal> {
    let newest = happened.iter().rfind(|h| h.matter == *matter).filter(|h| h.event == Event::Repaired);
    let revision = newest.map(|h| h.revision).ok_or(Refusal::NoRepair)?;
    if still_there { Err(Refusal::StillThere) } else { Ok(revision) }
}

/// What became of a repair.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum After {
    /// It waits for its proof.
    Waits,
    /// It was closed by the event at this place of the list.
    Closed(usize),
    /// Something else happened to the finding since.
    Overtaken,
}

/// The repairs among the events, by their place in the list, each with what happened to its finding next.
pub fn repairs(happened: &[Happened]) -> Vec<(usize, After)> {
    let after = |n: usize| {
        let next = (n + 1..happened.len()).find(|l| happened[*l].matter == happened[n].matter);
        match next {
            None => After::Waits,
            Some(l) if happened[l].event == Event::ReTested => After::Closed(l),
            Some(_) => After::Overtaken,
        }
    };
    (0..happened.len()).filter(|n| happened[*n].event == Event::Repaired).map(|n| (n, after(n))).collect()
}

/// What an own repair did to a finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DidTo {
    /// The audit no longer has it, nor one of its rule at the same things.
    Closed,
    /// A part of it is left, in the words of what the audit still has.
    Part(String),
}

/// What a repair did to a finding that it was made for: the key, the rule and the things of the finding; and what the audit has
/// after the repair, each by key, rule, things and statement. A finding that goes on at some of its things is closed in part.
///
/// ```
/// use murvet_visit::{DidTo, did_to};
/// let left = [("deaf:a b", "deaf", vec!["bank", "b"], "b does not stop")];
/// let left: Vec<_> = left.iter().map(|(k, r, t, s)| (*k, *r, t.clone(), *s)).collect();
/// assert_eq!(did_to(("deaf:a", "deaf", &["bank", "a"]), &left), DidTo::Part("b does not stop".to_owned()));
/// assert_eq!(did_to(("size:x", "size", &["x"]), &left), DidTo::Closed);
/// ```
pub fn did_to(finding: (&str, &str, &[&str]), after: &[(&str, &str, Vec<&str>, &str)]) -> DidTo {
    let (key, rule, things) = finding;
    let goes_on = |(k, r, t, _): &&(&str, &str, Vec<&str>, &str)| {
        *k == key || *r == rule && t.iter().any(|thing| things.contains(thing))
    };
    let left: Vec<&str> = after.iter().filter(goes_on).map(|a| a.3).collect();
    if left.is_empty() { DidTo::Closed } else { DidTo::Part(left.join("; ")) }
}
