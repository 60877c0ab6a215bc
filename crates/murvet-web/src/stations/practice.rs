//! The firm's own: its people, and its instruments with their calibrations.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Top, html};
use crate::stations::instruments::Held;
use crate::stations::prices::money;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::NaiveDate;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::Tool;
use murvet_core::work::day::WorkKind;
use murvet_store::{Licence, NewCalibration, Person};
use serde::Deserialize;

struct Done {
    done_on: NaiveDate,
    due_on: NaiveDate,
    certificate: String,
    by: String,
}

struct Row {
    held: Held,
    calibrations: Vec<Done>,
}

#[derive(Template)]
#[template(path = "practice.html")]
struct PracticePage {
    top: Top,
    firm: String,
    people: Vec<Person>,
    rows: Vec<Row>,
    tools: Vec<(&'static str, &'static str, bool)>,
    today: String,
    problem: Option<String>,
    form: NewForm,
    calibrated: CalibrateForm,
    licences: Vec<LicenceRow>,
    work_kinds: Vec<(&'static str, &'static str)>,
    regions: Vec<&'static str>,
    prices: PricesRow,
}

/// A licence as shown.
struct LicenceRow {
    holder: String,
    kind: &'static str,
    region: String,
    number: String,
    ends: String,
    over: bool,
    withdrawn: Option<String>,
    /// Keys, with blanks between.
    ids: String,
}

/// The firm's list of prices as typed.
#[derive(Default)]
struct PricesRow {
    csv: String,
    currency: String,
    tax: String,
    hour: String,
}

/// Licences as shown: one line for what differs in the region alone.
fn licence_rows(list: Vec<Licence>, people: &[Person], today: NaiveDate) -> Vec<LicenceRow> {
    let mut rows: Vec<LicenceRow> = Vec::new();
    for l in list {
        let row = LicenceRow {
            holder: people.iter().find(|p| p.id == l.holder_id).map_or_else(String::new, |p| p.name.clone()),
            kind: WorkKind::parse(&l.kind).map_or("", kind_words),
            region: l.region,
            number: l.number,
            ends: l.ends_on.map_or_else(|| crate::t("licences.no-end").to_owned(), |d| d.to_string()),
            over: l.withdrawn.is_none() && l.ends_on.is_some_and(|d| d < today),
            withdrawn: l.withdrawn,
            ids: l.id.to_string(),
        };
        let same = |r: &&mut LicenceRow| {
            (&r.holder, r.kind, &r.number, &r.ends, &r.withdrawn)
                == (&row.holder, row.kind, &row.number, &row.ends, &row.withdrawn)
        };
        match rows.iter_mut().find(same) {
            Some(known) => {
                known.region = format!("{}, {}", known.region, row.region);
                known.ids = format!("{} {}", known.ids, row.ids);
            }
            None => rows.push(row),
        }
    }
    rows
}

/// A kind of work in words.
fn kind_words(kind: WorkKind) -> &'static str {
    match kind {
        WorkKind::ExtraLow => crate::t("licences.extra-low"),
        WorkKind::MainsFixed => crate::t("licences.mains-fixed"),
        WorkKind::MainsPlugged => crate::t("licences.mains-plugged"),
        WorkKind::GasLocker => crate::t("licences.gas-locker"),
        WorkKind::TestOnly => crate::t("licences.test-only"),
    }
}

/// What is typed to register an instrument.
#[derive(Default)]
pub(crate) struct NewForm {
    name: String,
    serial: String,
    tools: Vec<Tool>,
}

#[derive(Deserialize, Default)]
pub(crate) struct From {
    visit: Option<i64>,
}

/// What is typed on the page, and what is wrong with it.
#[derive(Default)]
struct Attempt {
    problem: Option<String>,
    form: NewForm,
    calibrated: CalibrateForm,
}

async fn page(app: &App, who: &Who, visit: Option<i64>, attempt: Attempt) -> Result<Response, AppError> {
    let Attempt { problem, form, calibrated } = attempt;
    let firm = who.0.firm_id;
    let calibrations = app.store.calibrations(firm).await?;
    let today = app.clock.now().date_naive();
    let people = app.store.people(firm).await?;
    let row = |i: &murvet_store::Instrument| {
        let own = calibrations.iter().filter(|c| c.instrument_id == i.id).rev();
        let done = own.map(|c| Done {
            done_on: c.done_on,
            due_on: c.due_on,
            certificate: c.certificate.clone(),
            by: c.person.clone(),
        });
        Row { held: Held::new(i, &calibrations, today, true), calibrations: done.collect() }
    };
    html(&PracticePage {
        top: Top::new(who, "practice", visit),
        firm: app.store.firm_name(firm).await?,
        rows: app.store.instruments(firm).await?.iter().map(row).collect(),
        tools: Tool::REGISTERED.iter().map(|t| (t.word(), t.words(), form.tools.contains(t))).collect(),
        today: today.to_string(),
        problem,
        form,
        calibrated,
        licences: licence_rows(app.store.licences(firm).await?, &people, today),
        work_kinds: WorkKind::ALL.iter().map(|(k, word)| (*word, kind_words(*k))).collect(),
        regions: ProfileId::all().map(ProfileId::word).collect(),
        prices: app.store.prices(firm).await?.map_or_else(PricesRow::default, |p| PricesRow {
            tax: format!("{}.{}", p.tax_tenths / 10, p.tax_tenths % 10),
            hour: money(p.hour_cents),
            csv: p.csv,
            currency: p.currency,
        }),
        people,
    })
}

pub(crate) async fn show(State(app): State<App>, who: Who, Query(from): Query<From>) -> Result<Response, AppError> {
    page(&app, &who, from.visit, Attempt::default()).await
}

/// Registers an instrument: `name`, `serial`, and a `tool` for each thing it can do.
pub(crate) async fn register(
    State(app): State<App>,
    who: Who,
    Typed(fields): Typed<Vec<(String, String)>>,
) -> Result<Response, AppError> {
    let text = |key: &str| fields.iter().find(|(k, _)| k == key).map_or("", |(_, v)| v.trim()).to_owned();
    let tools = fields.iter().filter(|(k, _)| k == "tool").filter_map(|(_, v)| Tool::parse(v)).collect();
    let form = NewForm { name: text("name"), serial: text("serial"), tools };
    let fits = |s: &str| (2..=80).contains(&s.chars().count());
    let problem = if !fits(&form.name) || !fits(&form.serial) {
        Some("practice.name-and-serial")
    } else if form.tools.is_empty() {
        Some("practice.say-what-it-can")
    } else {
        None
    };
    if let Some(key) = problem {
        let attempt = Attempt { problem: Some(crate::t(key).to_owned()), form, ..Attempt::default() };
        let page = page(&app, &who, None, attempt).await?;
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    }
    let words: Vec<&str> = form.tools.iter().map(|t| t.word()).collect();
    app.store.add_instrument(who.0.firm_id, &form.name, &form.serial, &words.join(" ")).await?;
    Ok(Redirect::to("/practice#instruments").into_response())
}

#[derive(Deserialize, Default)]
pub(crate) struct CalibrateForm {
    instrument: i64,
    done_on: String,
    due_on: String,
    certificate: String,
}

/// Enters a calibration of an instrument.
pub(crate) async fn calibrate(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<CalibrateForm>,
) -> Result<Response, AppError> {
    let day = |text: &str| NaiveDate::parse_from_str(text.trim(), "%Y-%m-%d").ok();
    let certificate = form.certificate.trim();
    let now = app.clock.now();
    let problem = match (day(&form.done_on), day(&form.due_on)) {
        (Some(done), Some(due)) if done > now.date_naive() => {
            Some(crate::say("practice.done-in-the-future", &[&done, &due]))
        }
        (Some(done), Some(due)) if due <= done => Some(crate::say("practice.due-before-done", &[&due, &done])),
        (Some(_), Some(_)) if !(2..=120).contains(&certificate.chars().count()) => {
            Some(crate::t("practice.who-calibrated").to_owned())
        }
        (Some(done_on), Some(due_on)) => {
            let new = NewCalibration { done_on, due_on, certificate };
            app.store.add_calibration(who.0.firm_id, form.instrument, &new, who.0.id, now).await?;
            None
        }
        _ => Some(crate::t("practice.two-days").to_owned()),
    };
    match problem {
        None => Ok(Redirect::to("/practice#instruments").into_response()),
        Some(words) => {
            let attempt = Attempt { problem: Some(words), calibrated: form, ..Attempt::default() };
            let page = page(&app, &who, None, attempt).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct RetireForm {
    out: String,
}

/// Takes an instrument out of use, or back.
pub(crate) async fn retire(
    State(app): State<App>,
    who: Who,
    Path(id): Path<i64>,
    Typed(form): Typed<RetireForm>,
) -> Result<Redirect, AppError> {
    let since = (form.out == "yes").then(|| app.clock.now());
    app.store.retire_instrument(who.0.firm_id, id, since).await?;
    Ok(Redirect::to("/practice#instruments"))
}
