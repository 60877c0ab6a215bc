//! Readings: what to measure on this rig, and what each value means.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::{Body, Typed};
use crate::page::{Desk, Head, html, when};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::{DateTime, Utc};
use murvet_core::readings::{LOOK, Outcome, Phase, Test, excess_words, guards, judge, moves, plan, value_words};
use murvet_core::units::{Dimension, Quantity};
use murvet_draw::reading_strip;
use murvet_instruments::meter::Meter;
use murvet_store::{NewReading, Override, Reading};
use serde::{Deserialize, Serialize};
use std::time::Duration;

struct Taken {
    text: String,
    outcome: String,
    words: String,
    by: String,
    superseded: bool,
    stale: bool,
}

struct Line {
    id: String,
    title: String,
    terminals: String,
    limit: String,
    predicted: String,
    latest: Option<Taken>,
    here: bool,
    /// It can be read in the grid: a number, open, and without a reading on this revision.
    grid: bool,
    unit: &'static str,
}

struct Group {
    words: &'static str,
    locked: bool,
    /// Whether the grid of this group is open.
    grid: bool,
    lines: Vec<Line>,
}

impl Group {
    /// Whether something of it can be entered in a grid.
    fn any_grid(&self) -> bool {
        self.lines.iter().any(|l| l.grid)
    }
}

struct Entry {
    test: Test,
    limit: String,
    predicted: String,
    strip: String,
    taken: Vec<Taken>,
    locked: bool,
    /// Tests that must have passed before, by identifier and title; empty where they have or somebody overrode it.
    before: Vec<(String, String)>,
    phase: &'static str,
    overridden: Option<String>,
    /// A meter is there and the test can be read from it.
    meter: bool,
    /// Operations that bring the controls here from where the last reading left them.
    moves: Vec<String>,
    typed: String,
    problem: Option<String>,
}

#[derive(Template)]
#[template(path = "readings.html")]
struct ReadingsPage {
    head: Head,
    groups: Vec<Group>,
    entry: Option<Entry>,
    done: usize,
    all: usize,
}

fn taken(r: &Reading, all: &[Reading], revision: i32) -> Taken {
    Taken {
        text: value_words(r.value, &r.unit),
        outcome: r.outcome.clone(),
        words: r.words.clone(),
        by: format!("{}, {}", r.person, when(&r.taken_at)),
        superseded: all.iter().any(|o| o.supersedes == Some(r.id)),
        stale: r.revision != revision,
    }
}

#[derive(Deserialize, Default)]
pub(crate) struct Choice {
    test: Option<String>,
    /// The phase whose tests are entered in a grid.
    grid: Option<String>,
}

/// What a page of readings is made from.
pub(crate) struct Records {
    readings: Vec<Reading>,
    overrides: Vec<Override>,
    /// Whether a meter is connected.
    meter: bool,
}

pub(crate) async fn records(app: &App, desk: &Desk) -> Result<Records, AppError> {
    let readings = app.store.readings(desk.firm, desk.visit.id).await?;
    let overrides = app.store.overrides(desk.firm, desk.visit.id).await?;
    Ok(Records { readings, overrides, meter: app.meter.is_some() })
}

/// Tests that must have passed before this one and have not: without a passed reading on the rig as it is now.
fn unguarded<'a>(desk: &Desk, tests: &'a [Test], test: &Test, kept: &Records) -> Vec<&'a Test> {
    if kept.overrides.iter().any(|o| o.phase == test.phase.words()) {
        return Vec::new();
    }
    let passed = |t: &Test| {
        let latest = kept.readings.iter().rfind(|r| r.test == t.id);
        latest.is_some_and(|r| r.revision == desk.revision.number && r.outcome != Outcome::Fail.words())
    };
    let mut open = guards(tests, test);
    open.retain(|t| !passed(t));
    open
}

fn page(
    desk: &Desk,
    tests: Vec<Test>,
    kept: &Records,
    choice: Choice,
    typed: String,
    problem: Option<String>,
) -> Result<Response, AppError> {
    let readings = &kept.readings[..];
    let chosen = choice.test;
    let safe = desk.is_safe();
    let locked = |phase: Phase| phase.energises() && !safe;
    let number = desk.revision.number;
    let mut groups: Vec<Group> = Vec::new();
    let mut done = 0;
    for t in &tests {
        let latest = readings.iter().rev().find(|r| r.test == t.id).map(|r| taken(r, readings, number));
        done += usize::from(latest.is_some());
        let line = Line {
            id: t.id.clone(),
            title: t.title.clone(),
            terminals: t.terminals.clone(),
            limit: t.limit_words(),
            predicted: t.predicted_words(),
            latest,
            here: chosen.as_deref() == Some(&t.id),
            grid: !t.is_look() && !readings.iter().any(|r| r.test == t.id && r.revision == number),
            unit: t.unit,
        };
        match groups.last_mut() {
            Some(g) if g.words == t.phase.words() => g.lines.push(line),
            _ => groups.push(Group {
                words: t.phase.words(),
                locked: locked(t.phase),
                grid: choice.grid.as_deref() == Some(t.phase.words()),
                lines: vec![line],
            }),
        }
    }
    let all = tests.len();
    let entry = match &chosen {
        None => None,
        Some(id) => {
            let test = tests.iter().find(|t| t.id == *id).cloned().ok_or(AppError::NotFound)?;
            let before = unguarded(desk, &tests, &test, kept);
            let stand_of = |id: &str| tests.iter().find(|t| t.id == id).and_then(|t| t.probe.as_ref());
            let present = readings.last().and_then(|r| stand_of(&r.test)).map(|p| p.stand.controls.clone());
            let wanted = test.probe.as_ref().map(|p| p.stand.controls.clone());
            let own: Vec<&Reading> = readings.iter().filter(|r| r.test == *id).collect();
            let values: Vec<f64> = own.iter().map(|r| r.value).collect();
            Some(Entry {
                limit: test.limit_words(),
                predicted: test.predicted_words(),
                strip: reading_strip(&test, &values),
                taken: own.iter().rev().map(|r| taken(r, readings, number)).collect(),
                locked: locked(test.phase),
                before: before.iter().map(|t| (urlencode(&t.id), t.title.clone())).collect(),
                phase: test.phase.words(),
                meter: kept.meter && test.probe.is_some(),
                overridden: kept
                    .overrides
                    .iter()
                    .find(|o| o.phase == test.phase.words())
                    .map(|o| format!("{} ({}, {})", o.reason, o.person, when(&o.at))),
                moves: wanted.map_or_else(Vec::new, |to| moves(&desk.audit.net, &present.unwrap_or_default(), &to)),
                test,
                typed,
                problem,
            })
        }
    };
    html(&ReadingsPage { head: desk.head("readings"), groups, entry, done, all })
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(choice): Query<Choice>,
) -> Result<Response, AppError> {
    let desk = Desk::open(&app, who.0, visit).await?;
    let kept = records(&app, &desk).await?;
    let tests = plan(&desk.audit);
    page(&desk, tests, &kept, choice, String::new(), None)
}

#[derive(Deserialize)]
pub(crate) struct RecordForm {
    test: String,
    value: String,
}

fn dimension(unit: &str) -> Dimension {
    match unit {
        "V" => Dimension::Voltage,
        "A" => Dimension::Current,
        "ohm" => Dimension::Resistance,
        _ => Dimension::Time,
    }
}

/// A typed value in the unit of its test: a bare number, a number with a unit of the same kind, or OL.
fn value_of(typed: &str, unit: &str) -> Result<f64, String> {
    let typed = typed.trim().replace(',', ".");
    if unit == LOOK {
        return match typed.to_lowercase().as_str() {
            "yes" | "1" => Ok(1.0),
            "no" | "0" => Ok(0.0),
            _ => Err(crate::t("readings.yes-or-no").to_owned()),
        };
    }
    if typed.is_empty() {
        return Err(crate::t("readings.type-what-the-meter-shows").to_owned());
    }
    if typed.eq_ignore_ascii_case("ol") {
        return Ok(f64::INFINITY);
    }
    if let Ok(value) = typed.parse::<f64>() {
        // A current may come out where it should go in.
        let least = if unit == "A" { -1e6 } else { 0.0 };
        return if (least..1e12).contains(&value) {
            Ok(value)
        } else {
            Err(crate::say("readings.is-out-of-range-type", &[&typed]))
        };
    }
    if unit == "K" {
        return Err(crate::say("readings.type-a-number-in-or", &[&typed, &unit]));
    }
    let wanted = dimension(unit);
    match Quantity::parse(&typed.replace(' ', "")) {
        Ok(q) if q.dimension == wanted => Ok(if unit == "ms" { q.si * 1000.0 } else { q.si }),
        Ok(q) => Err(crate::say("readings.has-the-wrong-unit-this", &[&q.text, &unit])),
        Err(e) => Err(crate::say("readings.type-a-number-in-or", &[&e, &unit])),
    }
}

/// Why a reading cannot be entered.
pub(crate) enum Refusal {
    /// The text is no value of this test.
    Value(String),
    Other(AppError),
}

/// Enters one reading: judged against the rig as it is now, refused where it would energise on trust.
pub(crate) async fn enter(
    app: &App,
    desk: &Desk,
    tests: &[Test],
    kept: &Records,
    (id, typed): (&str, &str),
    (client, at): (Option<&str>, DateTime<Utc>),
) -> Result<(), Refusal> {
    let test = tests.iter().find(|t| t.id == id).ok_or(Refusal::Other(AppError::NotFound))?;
    if test.phase.energises() && !desk.is_safe() {
        let words = crate::t("readings.this-reading-energises-the-rig").to_owned();
        return Err(Refusal::Other(AppError::NotYet(words)));
    }
    let before = unguarded(desk, tests, test, kept);
    if let Some(first) = before.first() {
        let words = crate::say("readings.not-before", &[&before.len(), &first.title]);
        return Err(Refusal::Other(AppError::NotYet(words)));
    }
    let value = value_of(typed, test.unit).map_err(Refusal::Value)?;
    let mut verdict = judge(test, value);
    if let Some(excess) = excess_words(&desk.audit, test, value) {
        verdict.words = format!("{} {excess}", verdict.words);
    }
    let new = NewReading {
        revision: desk.revision.number,
        test: &test.id,
        title: &test.title,
        value,
        unit: test.unit,
        outcome: verdict.outcome.words(),
        words: &verdict.words,
        client,
    };
    let added = app.store.add_reading(desk.firm, desk.visit.id, &new, desk.person.id, at).await;
    added.map(|_| ()).map_err(|e| Refusal::Other(e.into()))
}

pub(crate) async fn record(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<RecordForm>,
) -> Result<Response, AppError> {
    let desk = Desk::open(&app, who.0, visit).await?;
    let tests = plan(&desk.audit);
    let kept = records(&app, &desk).await?;
    match enter(&app, &desk, &tests, &kept, (&form.test, &form.value), (None, app.clock.now())).await {
        Ok(()) => {
            let to = format!("/visits/{visit}/readings?test={}#entry", urlencode(&form.test));
            Ok(Redirect::to(&to).into_response())
        }
        Err(Refusal::Value(problem)) => {
            let choice = Choice { test: Some(form.test), grid: None };
            let page = page(&desk, tests, &kept, choice, form.value, Some(problem))?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(Refusal::Other(e)) => Err(e),
    }
}

/// Several tests at once, from the grid of a phase: each field is `v:` and the test; empty ones are left alone. What
/// cannot be taken is named, and everything else is entered.
pub(crate) async fn record_grid(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<Vec<(String, String)>>,
) -> Result<Response, AppError> {
    let desk = Desk::open(&app, who.0, visit).await?;
    let tests = plan(&desk.audit);
    let mut problems = Vec::new();
    let phase = form.iter().find(|(k, _)| k == "grid").map(|(_, v)| v.clone());
    for (key, typed) in form.iter().filter(|(_, v)| !v.trim().is_empty()) {
        let Some(id) = key.strip_prefix("v:") else { continue };
        // Each reading may pass a guard of the next.
        let kept = records(&app, &desk).await?;
        let said = match enter(&app, &desk, &tests, &kept, (id, typed), (None, app.clock.now())).await {
            Ok(()) => continue,
            Err(Refusal::Value(problem)) => problem,
            Err(Refusal::Other(AppError::NotYet(words))) => words,
            Err(Refusal::Other(e)) => return Err(e),
        };
        let title = tests.iter().find(|t| t.id == id).map_or(id, |t| &t.title);
        problems.push(format!("{title}: {said}"));
    }
    if !problems.is_empty() {
        return Err(AppError::BadInput(problems.join(" ")));
    }
    let grid = phase.map_or(String::new(), |p| format!("?grid={}", urlencode(&p)));
    Ok(Redirect::to(&format!("/visits/{visit}/readings{grid}")).into_response())
}

#[derive(Deserialize)]
pub(crate) struct OverrideForm {
    test: String,
    reason: String,
}

/// Lets a phase begin before its guards have passed; the reason is printed at the hand-over.
pub(crate) async fn override_guards(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<OverrideForm>,
) -> Result<Redirect, AppError> {
    let desk = Desk::open(&app, who.0, visit).await?;
    let tests = plan(&desk.audit);
    let test = tests.iter().find(|t| t.id == form.test).ok_or(AppError::NotFound)?;
    let reason = form.reason.trim();
    if !(10..=400).contains(&reason.chars().count()) {
        return Err(AppError::BadInput(crate::t("readings.write-why-before").to_owned()));
    }
    app.store.add_override(desk.firm, visit, test.phase.words(), reason, desk.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/readings?test={}#entry", urlencode(&test.id))))
}

/// A reading that waited in a browser.
#[derive(Deserialize)]
pub(crate) struct Waited {
    client: String,
    test: String,
    value: String,
    at: DateTime<Utc>,
}

#[derive(Serialize)]
struct Delivered {
    client: String,
    /// Why it was not entered, and will not be.
    refused: Option<String>,
}

/// Takes what waited in a browser, in the order in which it was recorded. A name that is known is not entered again, so
/// whatever was not answered may be sent once more.
pub(crate) async fn deliver(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Body(list): Body<Vec<Waited>>,
) -> Result<Response, AppError> {
    let desk = Desk::open(&app, who.0, visit).await?;
    let tests = plan(&desk.audit);
    let mut answers = Vec::new();
    for w in list.into_iter().take(200) {
        let name = w.client.len() <= 64 && w.client.chars().all(|c| c.is_ascii_alphanumeric() || c == '-');
        // A clock that is ahead counts as now.
        let at = w.at.min(app.clock.now());
        let kept = records(&app, &desk).await?;
        let refused = if !name || w.client.is_empty() {
            Some(crate::t("readings.no-name").to_owned())
        } else {
            match enter(&app, &desk, &tests, &kept, (&w.test, &w.value), (Some(&w.client), at)).await {
                Ok(()) => None,
                Err(Refusal::Value(problem)) => Some(problem),
                Err(Refusal::Other(AppError::NotYet(words))) => Some(words),
                Err(Refusal::Other(AppError::NotFound)) => Some(crate::t("readings.no-such-test").to_owned()),
                Err(Refusal::Other(e)) => return Err(e),
            }
        };
        answers.push(Delivered { client: w.client, refused });
    }
    Ok(axum::Json(answers).into_response())
}

#[derive(Deserialize)]
pub(crate) struct MeterBody {
    test: String,
}

#[derive(Serialize)]
struct FromMeter {
    /// As it would be typed; nothing where the meter gave none.
    value: Option<String>,
    /// Why there is none.
    problem: Option<String>,
}

/// What the meter shows for a test now. Nothing is entered by it.
pub(crate) async fn from_meter(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Body(body): Body<MeterBody>,
) -> Result<Response, AppError> {
    let desk = Desk::open(&app, who.0, visit).await?;
    let address = app.meter.as_deref().ok_or(AppError::NotFound)?;
    let test = plan(&desk.audit).into_iter().find(|t| t.id == body.test).ok_or(AppError::NotFound)?;
    let probe = test.probe.ok_or(AppError::NotFound)?;
    let read = Meter::at(address, Duration::from_secs(2)).probe(&probe).await;
    let answer = match read {
        Ok(v) if v.is_infinite() => FromMeter { value: Some("OL".to_owned()), problem: None },
        Ok(v) => FromMeter { value: Some(format!("{v:.4}")), problem: None },
        Err(e) => FromMeter { value: None, problem: Some(e.to_string()) },
    };
    Ok(axum::Json(answer).into_response())
}

/// Escapes a name for a query.
pub(crate) fn urlencode(text: &str) -> String {
    text.bytes()
        .map(|b| match b {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'_' | b'.' | b':' => char::from(b).to_string(),
            other => format!("%{other:02X}"),
        })
        .collect()
}
