//! The firm's own figures by month, as a page and as CSV.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Top, html};
use askama::Template;
use axum::extract::{Query, State};
use axum::response::Response;
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
    let head = ["month", "visits", "handed over", "readings", "failing", "repairs", "minutes", "left open"];
    let row = |m: &Month| {
        let numbers = [m.visits, m.handed_over, m.readings, m.failing, m.repairs, m.minutes, m.left_open];
        std::iter::once(named(&m.month)).chain(numbers.iter().map(i64::to_string)).collect()
    };
    crate::stations::csv::table("months", &head, months.iter().map(row))
}
