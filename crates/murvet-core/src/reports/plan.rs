//! The test plan as a report: of a kind of visit, and of the hours there are.

use super::{Range, range};
use crate::audit::Audit;
use crate::readings::{Test, VisitKind, fit, for_visit, minutes_of, settles};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeSet;
use std::fmt::Write;

/// One test.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct PlannedTest {
    /// Stable name: kind, source and subject.
    pub id: String,
    /// When it belongs.
    pub phase: String,
    /// What is measured or looked at.
    pub title: String,
    /// Where the leads go.
    pub terminals: String,
    /// How everything must stand.
    pub state: String,
    /// Unit of the value; `seen` for what is looked at, 1 as it should be and 0 not.
    pub unit: String,
    /// What the rig as traced would show.
    pub predicted: Option<Range>,
    /// What is acceptable.
    pub limit: Range,
    /// Limits and prediction as a person reads them.
    pub allowed: String,
    /// What a miss means.
    pub meaning: String,
    /// Minutes of work.
    pub minutes: u32,
    /// Minutes of waiting before it; tests in one state wait together.
    pub wait: u32,
    /// What the worst of what it finds is worth: keep-off, before-use, soon or advice.
    pub miss: crate::rules::Severity,
    /// Whether it fits the hours; nothing where none were given.
    pub fits: Option<bool>,
}

/// What of a plan fits the hours.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct FitReport {
    /// Minutes there are.
    pub minutes: u32,
    /// Minutes that the tests which fit take.
    pub taken: u32,
    /// Hidden faults that they would show.
    pub shown: usize,
    /// Hidden faults that the whole plan would show.
    pub of: usize,
    /// Phases that are not begun: what must have passed before them does not fit.
    pub not_begun: Vec<String>,
    /// Phases that could be begun, but nothing in them adds as much a minute as what is taken.
    pub passed_over: Vec<String>,
    /// Names of the tests that are not taken, the greatest loss first.
    pub left: Vec<String>,
}

/// The tests of a rig in the order of work.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct PlanReport {
    /// What the visit is for: before-linings, finished, after-repair or after-journey.
    pub visit: String,
    /// The tests.
    pub tests: Vec<PlannedTest>,
    /// All of them together, waiting included.
    pub minutes: u32,
    /// What of them fits, where hours were given.
    pub hours: Option<FitReport>,
}

/// What a plan is asked for.
#[derive(Debug, Clone, Copy)]
pub struct Asked<'a> {
    /// What the visit is for.
    pub visit: VisitKind,
    /// The rig as it was, for a visit after a repair.
    pub before: Option<&'a Audit>,
    /// Minutes there are.
    pub minutes: Option<u32>,
    /// Readings that were taken, by the name of the test: they cost no more minutes.
    pub readings: &'a [(String, f64)],
}

/// The test plan of an audited rig.
///
/// # Errors
/// A visit after a repair without the rig as it was, and a reading of a test that the plan does not have.
pub fn test_plan(audit: &Audit, asked: &Asked<'_>) -> Result<PlanReport, String> {
    if asked.visit == VisitKind::AfterRepair && asked.before.is_none() {
        return Err("a visit after a repair needs the rig as it was: name its file with --before".to_owned());
    }
    let tests = for_visit(audit, asked.visit, asked.before);
    let done = super::judged(&tests, asked.readings)?;
    let holds = |t: &Test| done.iter().any(|(d, _)| d.id == t.id);
    let done: BTreeSet<usize> = (0..tests.len()).filter(|n| holds(&tests[*n])).collect();
    let fitted = asked.minutes.map(|minutes| (minutes, fit(&tests, &settles(audit, &tests), &done, minutes)));
    let fits = |n: usize| fitted.as_ref().map(|(_, f)| f.taken.binary_search(&n).is_ok());
    let one = |(n, t): (usize, &Test)| PlannedTest {
        phase: t.phase.words().to_owned(),
        unit: t.unit.to_owned(),
        predicted: t.predicted.as_ref().map(range),
        limit: range(&t.limit),
        allowed: match &t.predicted {
            Some(_) => format!("{} allowed, {} as traced", t.limit_words(), t.predicted_words()),
            None if t.is_look() => t.limit_words(),
            None => format!("{} allowed", t.limit_words()),
        },
        id: t.id.to_string(),
        title: t.title.clone(),
        terminals: t.terminals.clone(),
        state: t.state.clone(),
        meaning: t.meaning.clone(),
        minutes: t.minutes,
        wait: t.wait,
        miss: t.id.kind.miss(),
        fits: fits(n),
    };
    let hours = fitted.as_ref().map(|(minutes, f)| FitReport {
        minutes: *minutes,
        taken: f.minutes,
        shown: f.shown.0,
        of: f.shown.1,
        not_begun: f.shut.iter().map(|p| p.words().to_owned()).collect(),
        passed_over: f.passed_over.iter().map(|p| p.words().to_owned()).collect(),
        left: f.left.iter().map(|n| tests[*n].id.to_string()).collect(),
    });
    Ok(PlanReport {
        visit: asked.visit.code().to_owned(),
        minutes: minutes_of(&tests),
        tests: tests.iter().enumerate().map(one).collect(),
        hours,
    })
}

impl PlanReport {
    /// In lines for a person: what fits, in the order of work, then what is not taken.
    pub fn text(&self) -> String {
        let mut out = String::new();
        let mut phase = "";
        for t in self.tests.iter().filter(|t| t.fits != Some(false)) {
            if t.phase != phase {
                phase = &t.phase;
                let _ = writeln!(out, "{phase}:");
            }
            let wait = if t.wait > 0 { format!(" after {} min of waiting", t.wait) } else { String::new() };
            let _ = writeln!(out, "  {} ({} min{wait})", t.title, t.minutes);
            let _ = writeln!(out, "    {}; {}; {}; {}", t.terminals, t.state, t.allowed, t.id);
        }
        let _ = writeln!(out, "{} tests, {} minutes.", self.tests.len(), self.minutes);
        if let Some(h) = &self.hours {
            let taken = self.tests.len() - h.left.len();
            let _ = writeln!(
                out,
                "In {} minutes: {taken} of them, {} minutes. They would show {} of {} faults that the whole plan would show.",
                h.minutes, h.taken, h.shown, h.of
            );
            for p in &h.not_begun {
                let _ = writeln!(out, "Not begun: {p}. What must have passed before it does not fit.");
            }
            for p in &h.passed_over {
                let _ = writeln!(out, "Passed over: {p}. Minute for minute the rest shows more.");
            }
            if !h.left.is_empty() {
                out.push_str("Not taken, the greatest loss first:\n");
            }
            for id in &h.left {
                let title = self.tests.iter().find(|t| t.id == *id).map_or("", |t| &t.title);
                let _ = writeln!(out, "  {title} ({id})");
            }
        }
        out
    }
}
