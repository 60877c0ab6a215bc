//! The rig's own battery monitor: what it shows now, and which tests it can answer.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html};
use crate::stations::instruments::monitored_bank;
use crate::stations::readings::{holding, live, urlencode};
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use murvet_core::readings::on_monitor;
use murvet_core::units::short;
use murvet_instruments::monitor;
use serde::Serialize;

#[derive(Template)]
#[template(path = "monitor.html")]
struct MonitorPage {
    head: Head,
    connected: bool,
    now: Now,
    /// Tests that it shows: address, title, what is allowed.
    tests: Vec<(String, String, String)>,
    /// The check of its shunt has passed on the rig as it is.
    checked: bool,
}

/// What it shows, as printed.
#[derive(Serialize, Default)]
struct Now {
    volts: String,
    amps: String,
    watts: String,
    charge: String,
    celsius: String,
    problem: Option<String>,
}

async fn shown(app: &App) -> Now {
    let Some(address) = app.monitor.as_deref() else {
        return Now { problem: Some(crate::t("monitor.none-connected").to_owned()), ..Now::default() };
    };
    match monitor::read(address, live::PATIENCE).await {
        Ok(s) => Now {
            volts: format!("{:.2} V", s.volts),
            amps: format!("{:+.1} A", s.amps),
            watts: format!("{} W", short(s.volts * s.amps)),
            charge: format!("{:.0} %", s.charge),
            celsius: format!("{:.1} °C", s.celsius),
            problem: None,
        },
        Err(e) => Now { problem: Some(e.to_string()), ..Now::default() },
    }
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let readings = app.store.readings(context.firm, visit).await?;
    let tests = context.audit.tests();
    let bank = monitored_bank(&app, &context);
    let shows = tests.iter().filter(|t| bank.as_deref().is_some_and(|b| on_monitor(b, t).is_some()));
    let holding = holding(&app, &context, &readings).await?;
    html(&MonitorPage {
        connected: app.monitor.is_some(),
        now: shown(&app).await,
        tests: shows.map(|t| (urlencode(&t.id), t.title.clone(), t.limit_words())).collect(),
        checked: holding.monitor_checked(),
        head: context.head("readings"),
    })
}

/// What it shows now, for the page to follow.
pub(crate) async fn now(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    app.store.visit(who.0.firm_id, visit).await?;
    Ok(axum::Json(shown(&app).await).into_response())
}
