//! Readings as CSV, out and in. The columns stand in `docs/readings-csv.md`.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, outcome};
use crate::stations::readings::{Told, enter, records, samples_words};
use askama::Template;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Redirect, Response};
use chrono::{DateTime, Utc};
use murvet_core::readings::value_words;
use serde::Deserialize;

const COLUMNS: [&str; 14] = [
    "test",
    "title",
    "value",
    "unit",
    "shown",
    "outcome",
    "meaning",
    "revision",
    "taken_at",
    "by",
    "superseded",
    "samples",
    "rank",
    "with",
];
/// Rows that are taken at once.
const MOST_ROWS: usize = 2000;

fn broken(e: impl std::fmt::Display) -> AppError {
    AppError::Broken(e.to_string())
}

/// A cell as it is written: what begins like a formula is not to be taken for one by whoever opens the file.
fn plain(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@']) { format!("'{text}") } else { text.to_owned() }
}

/// A table as a file of CSV.
pub(crate) fn table(name: &str, head: &[&str], rows: impl Iterator<Item = Vec<String>>) -> Result<Response, AppError> {
    let mut out = csv::Writer::from_writer(Vec::new());
    out.write_record(head).map_err(broken)?;
    for row in rows {
        out.write_record(row.iter().map(|cell| plain(cell))).map_err(broken)?;
    }
    Ok(file(name, out.into_inner().map_err(broken)?))
}

/// CSV as a file to keep.
fn file(name: &str, bytes: Vec<u8>) -> Response {
    let name = format!("attachment; filename=\"{name}.csv\"");
    let kind = "text/csv; charset=utf-8".to_owned();
    ([(header::CONTENT_TYPE, kind), (header::CONTENT_DISPOSITION, name)], bytes).into_response()
}

/// Every reading of a visit, superseded ones included, in order.
pub(crate) async fn export(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let visit = app.store.visit(who.0.firm_id, visit).await?.id;
    let bytes = readings_csv(&app, who.0.firm_id, visit).await?;
    Ok(file(&format!("readings-{visit}"), bytes))
}

/// The same as the bytes of the file.
pub(crate) async fn readings_csv(app: &App, firm: i64, visit: i64) -> Result<Vec<u8>, AppError> {
    let list = app.store.readings(firm, visit).await?;
    let instruments = app.store.instruments(firm).await?;
    let mut out = csv::Writer::from_writer(Vec::new());
    out.write_record(COLUMNS).map_err(broken)?;
    for r in &list {
        let superseded = list.iter().any(|o| o.supersedes == Some(r.id));
        let with: Vec<String> = r
            .instruments
            .iter()
            .filter_map(|id| instruments.iter().find(|i| i.id == *id))
            .map(|i| i.serial.clone())
            .collect();
        // Over range has no number; OL is read back as it.
        let value = if r.value.is_infinite() { "OL".to_owned() } else { r.value.to_string() };
        out.write_record([
            r.test.as_str(),
            plain(&r.title).as_str(),
            value.as_str(),
            r.unit.as_str(),
            value_words(r.value, &r.unit).as_str(),
            outcome(r).words(),
            plain(&r.words).as_str(),
            r.revision.to_string().as_str(),
            r.taken_at.to_rfc3339().as_str(),
            plain(&r.person).as_str(),
            if superseded { "yes" } else { "no" },
            samples_words(r).as_str(),
            if r.lower_rank { "lower" } else { "full" },
            plain(&with.join(", ")).as_str(),
        ])
        .map_err(broken)?;
    }
    out.into_inner().map_err(broken)
}

#[derive(Template)]
#[template(path = "csv.html")]
struct CsvPage {
    head: Head,
    /// What could not be taken: line, and why.
    bad: Vec<(u64, String)>,
    taken: usize,
    /// The rows set aside, with the head, to be mended and sent again.
    text: String,
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    html(&CsvPage { head: context.head("readings"), bad: Vec::new(), taken: 0, text: String::new() })
}

#[derive(Deserialize)]
pub(crate) struct ImportForm {
    text: String,
}

/// Takes rows with the columns `test` and `value`, and `taken_at` where it is known. Each is judged like one that is typed;
/// bad ones are named by line and set aside, the others are entered.
pub(crate) async fn import(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<ImportForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let tests = context.audit.tests();
    let now = app.clock.now();
    let mut rows = csv::ReaderBuilder::new().flexible(true).trim(csv::Trim::All).from_reader(form.text.as_bytes());
    let heads = rows.headers().cloned().unwrap_or_default();
    let column = |name: &str| heads.iter().position(|h| h.eq_ignore_ascii_case(name));
    let (Some(test_at), Some(value_at)) = (column("test"), column("value")) else {
        let page = CsvPage {
            head: context.head("readings"),
            bad: vec![(1, crate::t("csv.no-columns").to_owned())],
            taken: 0,
            text: form.text.clone(),
        };
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, html(&page)?).into_response());
    };
    let mut kept = records(&app, &context).await?;
    let (mut bad, mut taken) = (Vec::new(), 0);
    let mut aside = csv::Writer::from_writer(Vec::new());
    aside.write_record(&heads).map_err(broken)?;
    for (n, row) in rows.into_records().enumerate() {
        let line = row.as_ref().map_or_else(
            |e| e.position().map_or(0, csv::Position::line),
            |r| r.position().map_or(0, csv::Position::line),
        );
        let said = match &row {
            Err(e) => Some(e.to_string()),
            Ok(_) if n >= MOST_ROWS => Some(crate::say("csv.too-many", &[&MOST_ROWS])),
            Ok(row) => {
                let at = column("taken_at").and_then(|c| row.get(c)).filter(|t| !t.is_empty());
                match at.map(DateTime::parse_from_rfc3339) {
                    Some(Err(_)) => Some(crate::t("csv.no-time").to_owned()),
                    at => {
                        let at = at.and_then(Result::ok).map_or(now, |t| t.with_timezone(&Utc).min(now));
                        let pair = (row.get(test_at).unwrap_or_default(), row.get(value_at).unwrap_or_default());
                        // Every sample stands in a column of its own; where it does, it is read again.
                        let samples = column("samples").and_then(|c| row.get(c)).filter(|s| !s.is_empty());
                        let value = samples.unwrap_or(pair.1);
                        let told = Told { test: pair.0, value, with: &[], client: None, at };
                        match enter(&app, &context, tests, &mut kept, &told).await {
                            Ok(()) => None,
                            Err(refusal) => Some(refusal.words()?),
                        }
                    }
                }
            }
        };
        match said {
            None => taken += 1,
            Some(words) => {
                bad.push((line, words));
                if let Ok(row) = &row {
                    aside.write_record(row).map_err(broken)?;
                }
            }
        }
    }
    if bad.is_empty() {
        return Ok(Redirect::to(&format!("/visits/{visit}/readings")).into_response());
    }
    let text = String::from_utf8(aside.into_inner().map_err(broken)?).map_err(broken)?;
    let page = html(&CsvPage { head: context.head("readings"), bad, taken, text })?;
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}
