//! A fleet judged again: what the owner of a rig was told, what is so now, and whether that is reason to call.

use murvet_core::audit::Audit;
use murvet_core::rules::{Certainty, Severity};
use serde::Deserialize;
use std::collections::BTreeMap;

/// A finding as far as two judgements of a rig are held against each other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verdict {
    /// Rule and subject.
    pub key: String,
    /// The rule.
    pub rule: String,
    /// What is wrong.
    pub statement: String,
    /// The things it is at, by their labels; none where only the record of before is known.
    pub names: Vec<String>,
    /// How pressing.
    pub severity: Severity,
    /// Certain or possible.
    pub certainty: Certainty,
}

/// What becomes of a verdict from one judgement to the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Shift {
    /// It was not there.
    Appears,
    /// It was less pressing, or only possible.
    Graver,
    /// It stays as it was.
    Stays,
    /// It was more pressing, or certain.
    Milder,
    /// It is there no more.
    Goes,
}

impl Shift {
    /// All of them, in the order in which they are told.
    pub const ALL: [Shift; 5] = [Shift::Appears, Shift::Graver, Shift::Milder, Shift::Goes, Shift::Stays];

    /// Its stable code, as it is kept.
    pub fn code(self) -> &'static str {
        match self {
            Shift::Appears => "appears",
            Shift::Graver => "graver",
            Shift::Stays => "stays",
            Shift::Milder => "milder",
            Shift::Goes => "goes",
        }
    }

    /// Whether the owner was not told of it, or not as it is.
    pub fn is_news(self) -> bool {
        matches!(self, Shift::Appears | Shift::Graver)
    }

    /// The shift of a code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<Shift> {
        Shift::ALL.into_iter().find(|s| s.code() == code)
    }
}

/// The verdicts of an audit, with the labels of the things that each is at.
pub fn verdicts(audit: &Audit) -> Vec<Verdict> {
    let label = |id: &String| audit.assumed.component(id).map_or_else(|| id.clone(), |c| c.title().to_owned());
    let verdict = |f: &murvet_core::rules::Finding| Verdict {
        key: f.key(),
        rule: f.rule.slug.to_owned(),
        statement: f.statement.clone(),
        names: f.components.iter().map(label).collect(),
        severity: f.severity,
        certainty: f.certainty,
    };
    audit.findings.iter().map(verdict).collect()
}

#[derive(Deserialize)]
struct ToldRecord {
    rig: ToldRig,
    audit: ToldAudit,
}

#[derive(Deserialize)]
struct ToldRig {
    trace: String,
    revision: i32,
}

#[derive(Deserialize)]
struct ToldAudit {
    findings: Vec<ToldFinding>,
}

#[derive(Deserialize)]
struct ToldFinding {
    slug: String,
    subject: String,
    statement: String,
    severity: Severity,
    certainty: Certainty,
}

/// What an owner was told at a hand-over, and of which rig.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Told {
    /// The trace of the rig as it was left, in the notation.
    pub trace: String,
    /// The number of its revision.
    pub revision: i32,
    /// What was found on it.
    pub verdicts: Vec<Verdict>,
}

impl Told {
    /// Reads it off a signed record of any form so far; of a record nothing else is needed, so nothing else has to be understood.
    ///
    /// # Errors
    /// When it is no record, in words.
    pub fn read(record: &str) -> Result<Told, String> {
        let record: ToldRecord = serde_json::from_str(record).map_err(|e| e.to_string())?;
        let verdict = |f: ToldFinding| Verdict {
            key: format!("{}:{}", f.slug, f.subject),
            rule: f.slug,
            statement: f.statement,
            names: Vec::new(),
            severity: f.severity,
            certainty: f.certainty,
        };
        Ok(Told {
            trace: record.rig.trace,
            revision: record.rig.revision,
            verdicts: record.audit.findings.into_iter().map(verdict).collect(),
        })
    }
}

/// The verdicts of now and those that are there no more, each with what became of it. Of two with one key in a judgement the
/// graver counts.
///
/// Complexity: O(n log n) for n verdicts.
///
/// ```
/// use murvet_core::rules::{Certainty, Severity};
/// use murvet_visit::{Shift, Verdict, call_for, shifts};
/// let v = |key: &str, severity| Verdict {
///     key: key.to_owned(), rule: "r".to_owned(), statement: String::new(), names: Vec::new(), severity, certainty: Certainty::Certain,
/// };
/// let told = [v("a", Severity::Soon), v("b", Severity::KeepOff)];
/// let now = [v("a", Severity::BeforeUse), v("c", Severity::Advice)];
/// let list = shifts(&told, &now);
/// assert_eq!(list.iter().map(|(s, v)| (*s, v.key.as_str())).collect::<Vec<_>>(),
///     [(Shift::Graver, "a"), (Shift::Goes, "b"), (Shift::Appears, "c")]);
/// assert_eq!(call_for(&list), Some(Severity::BeforeUse));
/// ```
pub fn shifts(told: &[Verdict], now: &[Verdict]) -> Vec<(Shift, Verdict)> {
    let rank = |v: &Verdict| (v.severity, v.certainty);
    let by_key = |list: &[Verdict]| {
        let mut map: BTreeMap<String, Verdict> = BTreeMap::new();
        for v in list {
            if map.get(&v.key).is_none_or(|known| rank(known) < rank(v)) {
                map.insert(v.key.clone(), v.clone());
            }
        }
        map
    };
    let (mut before, after) = (by_key(told), by_key(now));
    let mut list: Vec<(Shift, Verdict)> = Vec::new();
    for (key, v) in after {
        let shift = match before.remove(&key) {
            None => Shift::Appears,
            Some(b) => match rank(&v).cmp(&rank(&b)) {
                std::cmp::Ordering::Greater => Shift::Graver,
                std::cmp::Ordering::Equal => Shift::Stays,
                std::cmp::Ordering::Less => Shift::Milder,
            },
        };
        list.push((shift, v));
    }
    list.extend(before.into_values().map(|v| (Shift::Goes, v)));
    list.sort_by(|a, b| a.1.key.cmp(&b.1.key));
    list
}

/// The gravest that the owner was not told of, where it must be put right before use; else there is nothing to call for.
pub fn call_for(shifts: &[(Shift, Verdict)]) -> Option<Severity> {
    let news = shifts.iter().filter(|(s, _)| s.is_news());
    news.map(|(_, v)| v.severity).filter(|s| *s >= Severity::BeforeUse).max()
}
