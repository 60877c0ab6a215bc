//! A visit to learn on: a small rig that is made up, with faults to find and a meter that says what it would show.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Combine, Outcome, Test, TestKind, VisitKind, value_words};
use murvet_core::starters::TRAINING;
use murvet_store::{NewRigVisit, NewVisit, Reading};
use serde::Deserialize;

/// The test that fails the first time: a crimp nobody could see in the trace.
fn is_loose(test: &Test) -> bool {
    test.id.kind == TestKind::Drop && test.id.subject.ends_with("lamps")
}

/// A number with at most three figures that count, so that few keys are pressed.
fn short(value: f64) -> f64 {
    if value == 0.0 {
        return 0.0;
    }
    let scale = 10f64.powf(2.0 - value.abs().log10().floor());
    (value * scale).round() / scale
}

/// What the practice meter shows for a test, a value for each that is asked for; nothing where it is looked at. What the traced
/// rig would give, else something within the limits; the loose crimp shows until it was read once.
pub(crate) fn meter(test: &Test, read: usize) -> Vec<String> {
    if test.is_look() {
        return Vec::new();
    }
    let middle = |b: &murvet_core::readings::Band| {
        let low = if b.low.is_finite() { b.low.max(0.0) } else { 0.0 };
        if b.high.is_finite() { f64::midpoint(low, b.high) } else { low * 20.0 }
    };
    let value = match &test.predicted {
        _ if is_loose(test) && read == 0 => test.limit.high * 1.2,
        Some(b) if b.high.is_finite() => middle(b),
        _ => middle(&test.limit),
    };
    match &test.parts {
        Some(parts) if parts.combine == Combine::Difference => {
            // Air at 30 degrees, and what climbs above it.
            [30.0, 30.0 + short(value)].iter().map(|v| format!("{v}")).collect()
        }
        _ => vec![value_words(short(value), test.unit)],
    }
}

/// The test whose loose crimp was found by a reading, where it was not measured again since.
pub(crate) fn mended<'a>(tests: &'a [Test], readings: &[Reading]) -> Option<&'a Test> {
    let test = tests.iter().find(|t| is_loose(t))?;
    let last = readings.iter().rfind(|r| test.id == r.test.as_str())?;
    (Outcome::of(&last.outcome) == Some(Outcome::Fail)).then_some(test)
}

#[derive(Deserialize)]
pub(crate) struct BeginForm {
    profile: String,
}

/// Opens a visit to the practice rig and leads to the walk.
pub(crate) async fn begin(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<BeginForm>,
) -> Result<Response, AppError> {
    let profile = ProfileId::parse(&form.profile).ok_or(AppError::NotFound)?;
    let now = app.clock.now();
    let rig = crate::t("training.rig");
    let text = TRAINING.rig(rig, profile);
    let new = NewRigVisit {
        customer: crate::t("training.customer"),
        contact: "",
        rig,
        profile: profile.word(),
        text: &text,
        visit: NewVisit {
            rig: 0,
            person: who.0.id,
            planned_on: crate::zone::day(&now),
            hours: 1.0,
            complaint: "",
            kind: VisitKind::Finished.code(),
            zone: crate::zone::here().name(),
        },
    };
    let visit = app.store.open_training(who.0.firm_id, &new, now).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/walk")).into_response())
}
