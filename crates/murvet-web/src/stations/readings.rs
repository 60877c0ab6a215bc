//! Readings: what to measure on this rig, and what each value means.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Desk, Head, html, when};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::readings::{Phase, Test, judge, plan, value_words};
use murvet_core::units::{Dimension, Quantity};
use murvet_draw::reading_strip;
use murvet_store::{NewReading, Reading};
use serde::Deserialize;

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
}

struct Group {
    words: &'static str,
    locked: bool,
    lines: Vec<Line>,
}

struct Entry {
    test: Test,
    limit: String,
    predicted: String,
    strip: String,
    taken: Vec<Taken>,
    locked: bool,
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
}

fn page(
    desk: &Desk,
    tests: Vec<Test>,
    readings: &[Reading],
    chosen: Option<String>,
    typed: String,
    problem: Option<String>,
) -> Result<Response, AppError> {
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
        };
        match groups.last_mut() {
            Some(g) if g.words == t.phase.words() => g.lines.push(line),
            _ => groups.push(Group { words: t.phase.words(), locked: locked(t.phase), lines: vec![line] }),
        }
    }
    let all = tests.len();
    let entry = match &chosen {
        None => None,
        Some(id) => {
            let test = tests.into_iter().find(|t| t.id == *id).ok_or(AppError::NotFound)?;
            let own: Vec<&Reading> = readings.iter().filter(|r| r.test == *id).collect();
            let values: Vec<f64> = own.iter().map(|r| r.value).collect();
            Some(Entry {
                limit: test.limit_words(),
                predicted: test.predicted_words(),
                strip: reading_strip(&test, &values),
                taken: own.iter().rev().map(|r| taken(r, readings, number)).collect(),
                locked: locked(test.phase),
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
    let readings = app.store.readings(desk.firm, visit).await?;
    let tests = plan(&desk.audit);
    page(&desk, tests, &readings, choice.test, String::new(), None)
}

#[derive(Deserialize)]
pub(crate) struct RecordForm {
    test: String,
    value: String,
}

fn dimension(unit: &str) -> Dimension {
    match unit {
        "V" => Dimension::Voltage,
        "ohm" => Dimension::Resistance,
        _ => Dimension::Time,
    }
}

/// A typed value in the unit of its test: a bare number, a number with a unit of the same kind, or OL.
fn value_of(typed: &str, unit: &str) -> Result<f64, String> {
    let typed = typed.trim().replace(',', ".");
    if typed.is_empty() {
        return Err(crate::t("readings.type-what-the-meter-shows").to_owned());
    }
    if typed.eq_ignore_ascii_case("ol") {
        return Ok(f64::INFINITY);
    }
    if let Ok(value) = typed.parse::<f64>() {
        return if (0.0..1e12).contains(&value) {
            Ok(value)
        } else {
            Err(crate::say("readings.is-out-of-range-type", &[&typed]))
        };
    }
    let wanted = dimension(unit);
    match Quantity::parse(&typed.replace(' ', "")) {
        Ok(q) if q.dimension == wanted => Ok(if unit == "ms" { q.si * 1000.0 } else { q.si }),
        Ok(q) => Err(crate::say("readings.has-the-wrong-unit-this", &[&q.text, &unit])),
        Err(e) => Err(crate::say("readings.type-a-number-in-or", &[&e, &unit])),
    }
}

pub(crate) async fn record(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<RecordForm>,
) -> Result<Response, AppError> {
    let desk = Desk::open(&app, who.0, visit).await?;
    let tests = plan(&desk.audit);
    let Some(test) = tests.iter().find(|t| t.id == form.test).cloned() else { return Err(AppError::NotFound) };
    if test.phase.energises() && !desk.is_safe() {
        return Err(AppError::NotYet(crate::t("readings.this-reading-energises-the-rig").to_owned()));
    }
    let value = match value_of(&form.value, test.unit) {
        Ok(value) => value,
        Err(problem) => {
            let readings = app.store.readings(desk.firm, visit).await?;
            let page = page(&desk, tests, &readings, Some(form.test), form.value, Some(problem))?;
            return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
        }
    };
    let verdict = judge(&test, value);
    let new = NewReading {
        revision: desk.revision.number,
        test: &test.id,
        title: &test.title,
        value,
        unit: test.unit,
        outcome: verdict.outcome.words(),
        words: &verdict.words,
    };
    app.store.add_reading(desk.firm, visit, &new, desk.person.id, app.clock.now()).await?;
    let to = format!("/visits/{visit}/readings?test={}#entry", urlencode(&test.id));
    Ok(Redirect::to(&to).into_response())
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
