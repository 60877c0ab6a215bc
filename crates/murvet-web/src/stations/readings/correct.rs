//! Corrections of the trace that a reading implies.

use super::{Records, records, urlencode};
use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{VisitContext, off_thread, outcome};
use axum::extract::{Path, State};
use axum::response::Redirect;
use murvet_core::corrections::{Correction, corrections};
use murvet_core::diagnosis::Observed;
use murvet_core::notation::print;
use murvet_core::readings::{Outcome, Test, value_words};
use murvet_core::remedies::apply;
use murvet_store::{Reading, Saved};
use serde::Deserialize;

/// The newest reading of a test on the rig as it is now, where it is not as predicted and settled.
fn odd_reading<'a>(kept: &'a Records, test: &Test) -> Option<&'a Reading> {
    let latest = kept.readings.iter().rfind(|r| r.test == test.id && kept.holding.has(r.id))?;
    let settled = outcome(latest) != Outcome::Unsettled && !latest.lower_rank;
    let odd = test.predicted.as_ref().is_some_and(|p| !p.holds(latest.value));
    (settled && odd && test.probe.is_some()).then_some(latest)
}

/// The corrections that the newest reading of a test implies; none where it is as predicted.
pub(super) async fn offered(
    context: &VisitContext,
    tests: &[Test],
    kept: &Records,
    test: &Test,
) -> Result<Vec<Correction>, AppError> {
    if odd_reading(kept, test).is_none() {
        return Ok(Vec::new());
    }
    let said = kept.holding.evidence(tests);
    let odd: Vec<usize> = said.iter().position(|(t, _)| t.id == test.id).into_iter().collect();
    let seen: Vec<Observed> = said.into_iter().map(|(_, o)| o).collect();
    let (rig, audit) = (context.rig.clone(), context.audit.clone());
    off_thread(move || corrections(&rig, &audit, &seen, &odd)).await
}

#[derive(Deserialize)]
pub(crate) struct CorrectForm {
    test: String,
    title: String,
    base: i32,
}

/// Makes a correction that was offered: a new revision, named after the reading that implied it.
pub(crate) async fn correct(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<CorrectForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let moved = |number: i32| AppError::NotYet(crate::say("readings.rig-moved-on", &[&number]));
    if form.base != context.revision.number {
        return Err(moved(context.revision.number));
    }
    let tests = context.audit.tests();
    let kept = records(&app, &context).await?;
    let test = tests.iter().find(|t| t.id == form.test).ok_or(AppError::NotFound)?;
    let reading = odd_reading(&kept, test).ok_or(AppError::NotFound)?;
    let list = offered(&context, tests, &kept, test).await?;
    let chosen = list.into_iter().find(|c| c.title == form.title).ok_or(AppError::NotFound)?;
    let mut rig = (*context.rig).clone();
    for edit in &chosen.edits {
        apply(&mut rig, edit).map_err(|e| AppError::Broken(e.to_string()))?;
    }
    let shown = value_words(reading.value, &reading.unit);
    let note = crate::say("readings.corrected", &[&chosen.title, &test.title, &shown]);
    let (rig_id, text, now) = (context.visit.rig_id, print(&rig), app.clock.now());
    let saved = app.store.save_revision(context.firm, rig_id, form.base, &text, &note, context.person.id, now).await?;
    match saved {
        Saved::As(_) => Ok(Redirect::to(&format!("/visits/{visit}/readings?test={}#entry", urlencode(&test.id)))),
        Saved::Conflict(theirs) => Err(moved(theirs.number)),
    }
}
