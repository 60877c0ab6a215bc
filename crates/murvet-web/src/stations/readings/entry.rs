//! A test with its pad, its limits and what was read of it.

use super::{Records, correct, next, unguarded, urlencode};
use crate::error::AppError;
use crate::page::{VisitContext, outcome, when};
use crate::stations::instruments::{Offer, instead_words};
use murvet_core::readings::{Means, Outcome, Test, TestKind, divided, moves, on_monitor, value_words};
use murvet_draw::reading_strip;
use murvet_store::{LeftOut, Reading};

/// A reading as shown.
pub(crate) struct Taken {
    pub text: String,
    /// Every value, where they were several.
    pub samples: String,
    pub outcome: Outcome,
    pub words: String,
    pub by: String,
    pub lower: bool,
    pub means: String,
    pub superseded: bool,
    pub stale: bool,
}

/// A reading's value as printed, with every sample behind it.
pub(crate) fn samples_words(r: &Reading) -> String {
    match r.samples.len() {
        0 | 1 => String::new(),
        _ => r
            .samples
            .iter()
            .map(|v| if v.is_infinite() { "OL".to_owned() } else { murvet_core::units::short(*v) })
            .collect::<Vec<_>>()
            .join("; "),
    }
}

pub(crate) fn taken(r: &Reading, all: &[Reading], kept: &Records) -> Taken {
    let with = r.instruments.iter().filter_map(|id| kept.case.list.iter().find(|h| h.id == *id)).map(|h| h.title());
    let with: Vec<String> = with.collect();
    Taken {
        text: value_words(r.value, &r.unit),
        samples: samples_words(r),
        outcome: outcome(r),
        words: r.words.clone(),
        by: [std::slice::from_ref(&r.person), &with[..], &[when(&r.taken_at)]].concat().join(", "),
        lower: r.lower_rank,
        means: r.means.clone(),
        superseded: all.iter().any(|o| o.supersedes == Some(r.id)),
        stale: !kept.holding.has(r.id),
    }
}

/// A test with its pad.
pub(crate) struct Entry {
    pub test: Test,
    pub limit: String,
    pub predicted: String,
    pub strip: String,
    pub taken: Vec<Taken>,
    pub locked: bool,
    /// Tests that must have passed before, by identifier and title; empty where they have or somebody overrode it.
    pub before: Vec<(String, String)>,
    pub phase: &'static str,
    pub overridden: Option<String>,
    /// A meter is there and the test can be read from it.
    pub meter: bool,
    /// The rig's monitor shows it.
    pub monitor: bool,
    /// What each tool can be chosen from.
    pub offers: Vec<Offer>,
    /// How it is done where not with what it asks for.
    pub instead: Vec<String>,
    /// Why it cannot be done with what is at hand.
    pub lacking: Option<String>,
    /// Why it is left out.
    pub left: Option<LeftOut>,
    /// What of it an owner can do.
    pub owner: Option<murvet_text::owner::TaskWords>,
    /// Where its latest reading went, part by part.
    pub divided: Vec<String>,
    /// Corrections of the trace that its latest reading implies.
    pub corrections: Vec<String>,
    /// Operations that bring the controls here from where the last reading left them.
    pub moves: Vec<String>,
    /// Keys of the pad that put a unit behind the number.
    pub units: &'static [&'static str],
    /// What was typed, for each value it takes.
    pub typed: Vec<String>,
    pub problem: Option<String>,
    /// What the practice meter shows, on a rig to learn on.
    pub practice: Vec<String>,
}

impl Entry {
    /// The fields of a test that takes several values: label, unit and what was typed.
    pub fn fields(&self) -> Vec<(&str, &'static str, &str)> {
        let parts = self.test.parts.iter().flat_map(|p| &p.list).enumerate();
        parts.map(|(n, p)| (p.label.as_str(), p.unit, self.typed.get(n).map_or("", String::as_str))).collect()
    }

    pub fn typed_once(&self) -> String {
        self.typed.join("; ")
    }
}

/// What is typed on the page, and what is wrong with it.
#[derive(Default)]
pub(crate) struct Attempt {
    pub typed: Vec<String>,
    pub problem: Option<String>,
}

/// Where the latest reading of a loss went, part by part; with the resting voltage that was measured, where one holds.
fn divided_lines(context: &VisitContext, kept: &Records, test: &Test) -> Vec<String> {
    let newest = |id: &str| kept.readings.iter().rfind(|r| r.test == id && kept.holding.has(r.id)).map(|r| r.value);
    let rest = |bank: &str| newest(&format!("{}:{bank}", TestKind::Rest.code()));
    let Some(value) = newest(test.id.as_str()) else { return Vec::new() };
    divided(&context.audit, test, value, &rest).map_or_else(Vec::new, |d| d.lines())
}

/// A test with its pad, its limits and what was read of it.
///
/// # Errors
/// When there is no such test.
pub(crate) async fn entry(
    context: &VisitContext,
    tests: &[Test],
    kept: &Records,
    id: &str,
    attempt: Attempt,
) -> Result<Entry, AppError> {
    let readings = &kept.readings[..];
    let test = tests.iter().find(|t| t.id == id).cloned().ok_or(AppError::NotFound)?;
    let before = unguarded(tests, &test, kept);
    let own: Vec<&Reading> = readings.iter().filter(|r| r.test == id).collect();
    let values: Vec<f64> = own.iter().map(|r| r.value).collect();
    let (mut instead, mut lacking) = (Vec::new(), None);
    match kept.case.means(&test) {
        Means::Right => {}
        Means::Instead(by) => instead = by.iter().map(|(tool, s)| instead_words(*tool, s)).collect(),
        Means::Lacking(tools) => {
            lacking = Some(tools.iter().map(|t| t.words()).collect::<Vec<_>>().join(", "));
        }
    }
    Ok(Entry {
        limit: test.limit_words(),
        predicted: test.predicted_words(),
        strip: reading_strip(&test, &values),
        taken: own.iter().rev().map(|r| taken(r, readings, kept)).collect(),
        locked: test.phase.energises() && !context.is_safe(),
        before: before.iter().map(|t| (urlencode(&t.id), t.title.clone())).collect(),
        phase: test.phase.words(),
        meter: kept.meter && !context.visit.training && (test.probe.is_some() || test.parts.is_some()),
        monitor: kept.monitor
            && !context.visit.training
            && kept.case.bank.as_deref().is_some_and(|b| on_monitor(b, &test).is_some()),
        offers: kept.case.offers(&test),
        instead,
        lacking,
        left: kept.left.iter().find(|l| l.test == id).cloned(),
        owner: crate::stations::owner::task_of(context, &test, crate::stations::owner::locale(context)),
        divided: divided_lines(context, kept, &test),
        corrections: correct::offered(context, tests, kept, &test).await?.into_iter().map(|c| c.title).collect(),
        overridden: kept
            .overrides
            .iter()
            .find(|o| o.phase == test.phase.code())
            .map(|o| format!("{} ({}, {})", o.reason, o.person, when(&o.at))),
        moves: test.controls().map_or_else(Vec::new, |to| {
            moves(&context.audit.net, &next::stand(context, tests, kept, None).controls, to)
        }),
        units: match test.unit {
            "V" => &["mV", "V", "kV"],
            "A" => &["mA", "A"],
            "ohm" => &["mohm", "ohm", "kohm", "Mohm"],
            "ms" => &["ms", "s"],
            _ => &[],
        },
        practice: if context.visit.training { crate::training::meter(&test, own.len()) } else { Vec::new() },
        test,
        typed: attempt.typed,
        problem: attempt.problem,
    })
}
