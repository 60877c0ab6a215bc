//! What is done at the rig, in a form for other programs: isolation steps, the test plan, repairs, diagnosis, uses.
//!
//! A rig and, where readings matter, a list of `test = value` suffice. Each report has a published schema under `docs/` and a
//! text form for a person.

mod day;
mod plan;
mod steps;

pub use day::{DayReport, DoneReport, LeftReport, day};
pub use plan::{Asked, FitReport, PlanReport, PlannedTest, test_plan};
pub use steps::{Became, Named, RestReport, StepReport, StepsReport, steps};

use crate::audit::Audit;
use crate::diagnosis::{Models, Observed};
use crate::readings::{Outcome, Test, judge, make_safe, plan, uses};
use crate::remedies::{trials, why_none};
use crate::rig::Rig;
use schemars::JsonSchema;
use serde::Serialize;
use std::fmt::Write;

/// One step before anything is touched.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Step {
    /// Stable name.
    pub id: String,
    /// What to do.
    pub title: String,
    /// Why, or what stays live.
    pub note: String,
}

/// The steps that make a rig safe to touch, in order.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct IsolationReport {
    /// The steps.
    pub steps: Vec<Step>,
}

/// A range; nothing where a side is open.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Range {
    /// Low end.
    pub low: Option<f64>,
    /// High end.
    pub high: Option<f64>,
    /// Where it comes from.
    pub source: String,
}

/// One repair, tried on a copy.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Repair {
    /// What to do.
    pub title: String,
    /// Rough time for one person.
    pub minutes: u32,
    /// Whether it closes the finding and opens nothing of weight.
    pub accepted: bool,
    /// Why, or why not.
    pub reason: String,
    /// A condition to be handed over with it.
    pub condition: Option<String>,
    /// Keys of the findings it closes.
    pub closes: Vec<String>,
}

/// The repairs of one finding.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct FindingRepairs {
    /// Rule and subject.
    pub finding: String,
    /// What is wrong.
    pub statement: String,
    /// Accepted ones first.
    pub repairs: Vec<Repair>,
    /// Why none is proposed, where none is accepted.
    pub none_because: Option<String>,
}

/// The repairs of every finding.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct RepairsReport {
    /// Most pressing first.
    pub findings: Vec<FindingRepairs>,
}

/// Whether a way of using the rig may be used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Standing {
    /// Every test of it passed and nothing stands against it.
    Cleared,
    /// The same, with a precaution.
    Limited,
    /// A test of it has no reading that clears.
    NotProven,
    /// A finding or a failed reading stands against it.
    Barred,
}

impl Standing {
    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Standing::Cleared => "satisfactory within the limits of the audit",
            Standing::Limited => "satisfactory with what stands below",
            Standing::NotProven => "not proven",
            Standing::Barred => "do not use",
        }
    }
}

/// One way of using the rig.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct UseReport {
    /// drive, tow, shore, inverter, solar, generator.
    pub name: String,
    /// Whether it may be used.
    pub standing: Standing,
    /// Findings that bar it.
    pub barred_by: Vec<String>,
    /// Precautions with which it may be used: finding and what to do.
    pub limited_by: Vec<String>,
    /// Tests whose reading failed.
    pub failed: Vec<String>,
    /// Tests without a reading.
    pub missing: usize,
}

impl UseReport {
    fn of(u: &crate::readings::Use, standing: Standing) -> UseReport {
        UseReport {
            name: u.name.to_owned(),
            standing,
            barred_by: u.barred_by.iter().map(ToString::to_string).collect(),
            limited_by: u.limited_by.iter().map(|l| format!("{}: {}", l.finding, l.precaution)).collect(),
            failed: u.failed.clone(),
            missing: u.missing,
        }
    }
}

/// What may be used.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct UsesReport {
    /// Every use that the sources of the rig allow.
    pub uses: Vec<UseReport>,
}

/// A judged reading.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct JudgedReading {
    /// The test.
    pub test: String,
    /// pass, pass but not as predicted, unsettled or fail.
    pub outcome: String,
    /// What it says.
    pub words: String,
}

/// What could explain the readings.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Suspect {
    /// In words; several faults together are joined by "and".
    pub fault: String,
}

/// What the readings say.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct DiagnosisReport {
    /// Every reading that was given.
    pub readings: Vec<JudgedReading>,
    /// What explains them, best first.
    pub suspects: Vec<Suspect>,
    /// The test that splits them best.
    pub next: Option<String>,
}

fn range(b: &crate::readings::Band) -> Range {
    let finite = |v: f64| v.is_finite().then_some(v);
    Range { low: finite(b.low), high: finite(b.high), source: b.source.clone() }
}

/// The isolation steps of an audited rig.
pub fn isolation(audit: &Audit) -> IsolationReport {
    let step = |s: crate::readings::SafeStep| Step { id: s.id, title: s.title, note: s.note };
    IsolationReport { steps: make_safe(audit).into_iter().map(step).collect() }
}

/// The repairs of every finding, each tried.
pub fn repairs(rig: &Rig, audit: &Audit) -> RepairsReport {
    let of = |f: &crate::rules::Finding| {
        let repairs: Vec<Repair> = trials(rig, audit, f)
            .into_iter()
            .map(|t| Repair {
                title: t.candidate.title,
                minutes: t.candidate.minutes,
                accepted: t.accepted,
                reason: t.reason,
                condition: t.candidate.condition,
                closes: t.closes,
            })
            .collect();
        let none = !repairs.iter().any(|r| r.accepted);
        FindingRepairs {
            finding: f.key(),
            statement: f.statement.clone(),
            repairs,
            none_because: none.then(|| why_none(f).to_owned()),
        }
    };
    RepairsReport { findings: audit.findings.iter().map(of).collect() }
}

/// What may be used, by readings of `test` and value.
///
/// # Errors
/// A test that the plan does not have.
pub fn uses_by(audit: &Audit, readings: &[(String, f64)]) -> Result<UsesReport, String> {
    let tests = plan(audit);
    let judged = judged(&tests, readings)?;
    let passed = |t: &Test| {
        let (_, verdict) = judged.iter().rev().find(|(test, _)| test.id == t.id)?;
        match verdict.outcome {
            Outcome::Fail => Some(false),
            Outcome::Pass => Some(true),
            Outcome::Differs | Outcome::Unsettled => None,
        }
    };
    let list = uses(audit, &tests, passed);
    let of = |u: crate::readings::Use| {
        let standing = match (
            u.barred_by.is_empty() && u.failed.is_empty(),
            u.missing + usize::from(u.unjudged),
            u.limited_by.is_empty(),
        ) {
            (false, ..) => Standing::Barred,
            (true, 0, true) => Standing::Cleared,
            (true, 0, false) => Standing::Limited,
            _ => Standing::NotProven,
        };
        UseReport::of(&u, standing)
    };
    Ok(UsesReport { uses: list.into_iter().map(of).collect() })
}

fn judged<'a>(
    tests: &'a [Test],
    readings: &[(String, f64)],
) -> Result<Vec<(&'a Test, crate::readings::Verdict)>, String> {
    let one = |(id, value): &(String, f64)| match tests.iter().find(|t| t.id == *id) {
        Some(test) => Ok((test, judge(test, *value))),
        None => {
            let near = crate::meaning::nearest(id, tests.iter().map(|t| t.id.as_str()));
            let near = near.map_or(String::new(), |n| format!("; did you mean \"{n}\"?"));
            Err(format!("the plan of this rig has no test \"{id}\"{near}"))
        }
    };
    readings.iter().map(one).collect()
}

/// What explains the readings.
///
/// # Errors
/// A test that the plan does not have.
pub fn diagnosis(audit: &Audit, readings: &[(String, f64)]) -> Result<DiagnosisReport, String> {
    let tests = plan(audit);
    let judged = judged(&tests, readings)?;
    let seen: Vec<Observed> = judged
        .iter()
        .zip(readings)
        .filter_map(|((test, _), (_, value))| Some(Observed::measured(test.probe.clone()?, *value)))
        .collect();
    let models = Models::new(audit);
    let found = models.diagnose(&seen);
    let next = models.next_reading(&tests, &found, &seen).map(|n| n.test.unwrap_or(n.title));
    let words = |e: &crate::diagnosis::Explanation| {
        let faults: Vec<String> = e.faults.iter().map(crate::measure::Fault::words).collect();
        Suspect { fault: faults.join(" and ") }
    };
    let suspects = found.explanations.iter().map(words).collect();
    let readings = judged
        .into_iter()
        .map(|(test, v)| JudgedReading {
            test: test.id.to_string(),
            outcome: v.outcome.words().to_owned(),
            words: v.words,
        })
        .collect();
    Ok(DiagnosisReport { readings, suspects, next })
}

/// Reads `test,value` lines; an empty line and a first line of headings are passed over. `over` stands for over range.
///
/// # Errors
/// The line that does not fit, by its number.
pub fn readings_of(text: &str) -> Result<Vec<(String, f64)>, String> {
    let mut list = Vec::new();
    for (n, line) in text.lines().enumerate().map(|(n, l)| (n + 1, l.trim())) {
        if line.is_empty() || (n == 1 && line.starts_with("test,")) {
            continue;
        }
        let (id, value) = line.rsplit_once(',').ok_or_else(|| format!("line {n}: expected test,value"))?;
        let value = match value.trim() {
            "over" => f64::INFINITY,
            v => v.parse::<f64>().map_err(|_| format!("line {n}: \"{v}\" is no number; write over for over range"))?,
        };
        list.push((id.trim().to_owned(), value));
    }
    Ok(list)
}

impl IsolationReport {
    /// In lines for a person.
    pub fn text(&self) -> String {
        let line = |(n, s): (usize, &Step)| format!("{}. {}\n   {}\n", n + 1, s.title, s.note);
        self.steps.iter().enumerate().map(line).collect()
    }
}

impl RepairsReport {
    /// In lines for a person.
    pub fn text(&self) -> String {
        let mut out = String::new();
        for f in &self.findings {
            let _ = writeln!(out, "{}\n  ({})", f.statement, f.finding);
            for r in &f.repairs {
                let word = if r.accepted { "may be done" } else { "rejected" };
                let _ = writeln!(out, "  - {word}: {} ({} min). {}", r.title, r.minutes, r.reason);
            }
            if let Some(why) = &f.none_because {
                let _ = writeln!(out, "  None is proposed: {why}");
            }
        }
        out
    }
}

impl UsesReport {
    /// In lines for a person.
    pub fn text(&self) -> String {
        let mut out = String::new();
        for u in &self.uses {
            let why = match u.standing {
                Standing::Barred => format!(", by {}", [&u.barred_by[..], &u.failed[..]].concat().join("; ")),
                Standing::NotProven if u.missing == 0 => {
                    ", for the audit stopped before everything was judged".to_owned()
                }
                Standing::NotProven => format!(", {} of its tests have no reading that clears", u.missing),
                Standing::Limited | Standing::Cleared => String::new(),
            };
            let _ = writeln!(out, "{}: {}{why}.", u.name, u.standing.words());
            if u.standing != Standing::Barred {
                u.limited_by.iter().for_each(|l| out.push_str(&format!("  {l}.\n")));
            }
        }
        out
    }
}

impl DiagnosisReport {
    /// In lines for a person.
    pub fn text(&self) -> String {
        let mut out = String::new();
        for r in &self.readings {
            let _ = writeln!(out, "{}: {}. {}", r.test, r.outcome, r.words);
        }
        if self.readings.is_empty() {
            out.push_str("No readings were given: name a file of test,value lines with --readings.\n");
        } else if self.suspects.is_empty() {
            out.push_str("Nothing is odd: the rig as traced explains every reading.\n");
        }
        for (n, s) in self.suspects.iter().enumerate() {
            let _ = writeln!(out, "{}. {}", n + 1, s.fault);
        }
        if let Some(next) = &self.next {
            let _ = writeln!(out, "Measure next: {next}.");
        }
        out
    }
}
