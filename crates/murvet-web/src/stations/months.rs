//! The firm's own figures by month, as a page and as CSV.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Top, html};
use askama::Template;
use axum::extract::{Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use chrono::{Datelike, Months, NaiveDate};
use murvet_store::Month;
use serde::Deserialize;

/// So many months are told.
const TOLD: u32 = 24;

#[derive(Template)]
#[template(path = "months.html")]
struct MonthsPage {
    top: Top,
    months: Vec<Month>,
}

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
    csv: Option<String>,
}

/// The month of a day, as printed: year and number.
pub(crate) fn named(month: &NaiveDate) -> String {
    month.format("%Y-%m").to_string()
}

pub(crate) async fn show(State(app): State<App>, who: Who, Query(asked): Query<Asked>) -> Result<Response, AppError> {
    let today = crate::zone::day(&app.clock.now());
    let since = today.with_day(1).and_then(|d| d.checked_sub_months(Months::new(TOLD - 1))).unwrap_or(today);
    let months = app.store.months(who.0.firm_id, since).await?;
    if asked.csv.is_none() {
        return html(&MonthsPage { top: Top::new(&who, "practice", None), months });
    }
    let mut out = csv::Writer::from_writer(Vec::new());
    let broken = |e: &dyn std::fmt::Display| AppError::Broken(format!("figures as CSV: {e}"));
    let head = ["month", "visits", "handed over", "readings", "failing", "repairs", "minutes", "left open"];
    out.write_record(head).map_err(|e| broken(&e))?;
    for m in &months {
        let numbers = [m.visits, m.handed_over, m.readings, m.failing, m.repairs, m.minutes, m.left_open];
        let row = std::iter::once(named(&m.month)).chain(numbers.iter().map(i64::to_string));
        out.write_record(row).map_err(|e| broken(&e))?;
    }
    let bytes = out.into_inner().map_err(|e| broken(&e))?;
    let headers = [
        (header::CONTENT_TYPE, "text/csv; charset=utf-8"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"months.csv\""),
    ];
    Ok((headers, bytes).into_response())
}
