//! What instruments show now: the meter at the leads, and the rig's own monitor.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Body;
use crate::page::VisitContext;
use crate::stations::instruments::monitored_bank;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use murvet_core::readings::{OnMonitor, Test, on_monitor};
use murvet_draw::strip_at;
use murvet_instruments::meter::Meter;
use murvet_instruments::monitor;
use murvet_store::Reading;
use serde::{Deserialize, Serialize};
use std::time::Duration;

/// How long an instrument may take.
pub(crate) const PATIENCE: Duration = Duration::from_secs(2);

#[derive(Deserialize)]
pub(crate) struct LiveBody {
    test: String,
    /// Which value of a test that takes several.
    part: Option<usize>,
}

#[derive(Serialize, Default)]
struct Live {
    /// As it would be typed; nothing where the instrument gave none.
    value: Option<String>,
    /// Where it stands on the reading strip, from 0 at its left to 1.
    at: Option<f64>,
    /// Why there is none.
    problem: Option<String>,
}

impl Live {
    fn shown(value: f64, test: &Test, part: Option<usize>, readings: &[Reading]) -> Live {
        let typed = if value.is_infinite() { "OL".to_owned() } else { format!("{value:.4}") };
        let own: Vec<f64> = readings.iter().filter(|r| r.test == test.id).map(|r| r.value).collect();
        let at = part.is_none().then(|| strip_at(test, &own, value));
        Live { value: Some(typed), at, problem: None }
    }
}

/// The test that is asked for.
fn wanted<'a>(context: &'a VisitContext, body: &LiveBody) -> Result<&'a Test, AppError> {
    context.audit.tests().iter().find(|t| t.id == body.test).ok_or(AppError::NotFound)
}

/// What the meter shows for a test now. Nothing is entered by it.
pub(crate) async fn from_meter(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Body(body): Body<LiveBody>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let address = app.meter.as_deref().ok_or(AppError::NotFound)?;
    let test = wanted(&context, &body)?;
    let probe = match (&test.parts, body.part) {
        (Some(parts), Some(n)) => parts.list.get(n).map(|p| p.probe.clone()),
        _ => test.probe.clone(),
    };
    let probe = probe.ok_or(AppError::NotFound)?;
    let answer = match Meter::at(address, PATIENCE).probe(&probe).await {
        Ok(v) => Live::shown(v, test, body.part, &app.store.readings(context.firm, visit).await?),
        Err(e) => Live { problem: Some(e.to_string()), ..Live::default() },
    };
    Ok(axum::Json(answer).into_response())
}

/// What the rig's monitor shows for a test now. Nothing is entered by it.
pub(crate) async fn from_monitor(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Body(body): Body<LiveBody>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let address = app.monitor.as_deref().ok_or(AppError::NotFound)?;
    let test = wanted(&context, &body)?;
    let shows = monitored_bank(&app, &context).and_then(|b| on_monitor(&b, test)).ok_or(AppError::NotFound)?;
    let of = |s: monitor::MonitorValues| match shows {
        OnMonitor::Volts => s.volts,
        OnMonitor::AmpsIn => s.amps,
        OnMonitor::AmpsOut => -s.amps,
    };
    let answer = match monitor::read(address, PATIENCE).await {
        Ok(shown) => Live::shown(of(shown), test, None, &app.store.readings(context.firm, visit).await?),
        Err(e) => Live { problem: Some(e.to_string()), ..Live::default() },
    };
    Ok(axum::Json(answer).into_response())
}
