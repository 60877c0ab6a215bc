//! The firm's list of prices, and what a plan costs by it.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use axum::extract::State;
use axum::response::Redirect;
use murvet_core::work::day::Part;
use murvet_core::work::price::{Bill, Price, Terms, bill};
use murvet_store::PriceList;
use serde::Deserialize;
use std::collections::BTreeMap;

/// Most lines of a list.
const MOST_LINES: usize = 5_000;

/// Money as hundredths: `12`, `12.5`, `12,50`. Nothing where it is none or below zero.
pub(crate) fn cents(text: &str) -> Option<i64> {
    let text = text.trim().replace(',', ".");
    let (whole, part) = text.split_once('.').unwrap_or((&text, ""));
    let digits = |s: &str| !s.is_empty() && s.bytes().all(|b| b.is_ascii_digit());
    if !digits(whole) || whole.len() > 9 || part.len() > 2 || !(part.is_empty() || digits(part)) {
        return None;
    }
    let part = format!("{part:0<2}");
    Some(whole.parse::<i64>().ok()? * 100 + part.parse::<i64>().ok()?)
}

/// Hundredths as printed.
pub(crate) fn money(cents: i64) -> String {
    format!("{}.{:02}", cents / 100, cents % 100)
}

/// Reads a list: `part,price` and, where it is counted, `stock`; a first line of names is left out.
pub(crate) fn read(text: &str) -> Result<Vec<Price>, String> {
    let mut list = Vec::new();
    let mut rows =
        csv::ReaderBuilder::new().has_headers(false).flexible(true).trim(csv::Trim::All).from_reader(text.as_bytes());
    for (n, row) in rows.records().enumerate() {
        let row = row.map_err(|e| crate::say("prices.no-csv", &[&e]))?;
        let cell = |i: usize| row.get(i).unwrap_or_default();
        if row.iter().all(str::is_empty) || n == 0 && cell(1).eq_ignore_ascii_case("price") {
            continue;
        }
        let wrong = |what: &str| crate::say("prices.wrong-line", &[&(n + 1), &what]);
        if cell(0).is_empty() {
            return Err(wrong(crate::t("prices.no-part")));
        }
        let price = cents(cell(1)).ok_or_else(|| wrong(&crate::say("prices.no-price", &[&cell(1)])))?;
        let stock = match cell(2) {
            "" => None,
            many => Some(many.parse().map_err(|_| wrong(&crate::say("prices.no-count", &[&many])))?),
        };
        list.push(Price { part: cell(0).to_owned(), cents: price, stock });
        if list.len() > MOST_LINES {
            return Err(crate::say("prices.too-long", &[&MOST_LINES]));
        }
    }
    Ok(list)
}

fn terms(list: &PriceList) -> Terms {
    Terms {
        currency: list.currency.clone(),
        tax_tenths: u32::try_from(list.tax_tenths).unwrap_or_default(),
        hour_cents: list.hour_cents,
    }
}

/// The bill of a plan by the firm's list; nothing where it has none.
pub(crate) async fn bill_of(app: &App, firm: i64, parts: &[Part], minutes: u32) -> Result<Option<Bill>, AppError> {
    let Some(list) = app.store.prices(firm).await? else { return Ok(None) };
    let prices = read(&list.csv).map_err(AppError::Broken)?;
    Ok(Some(bill(parts, minutes, &prices, &terms(&list))))
}

/// What is in the van by the list, for the plan of a day.
pub(crate) async fn stock(app: &App, firm: i64) -> Result<BTreeMap<String, u32>, AppError> {
    let Some(list) = app.store.prices(firm).await? else { return Ok(BTreeMap::new()) };
    let prices = read(&list.csv).map_err(AppError::Broken)?;
    Ok(prices.into_iter().filter_map(|p| Some((p.part, p.stock?))).collect())
}

#[derive(Deserialize)]
pub(crate) struct PricesForm {
    csv: String,
    currency: String,
    tax: String,
    hour: String,
}

/// Keeps a list of prices.
pub(crate) async fn set(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<PricesForm>,
) -> Result<Redirect, AppError> {
    read(&form.csv).map_err(AppError::BadInput)?;
    let currency = form.currency.trim().to_uppercase();
    let wrong = |key: &'static str| AppError::BadInput(crate::t(key).to_owned());
    if currency.len() != 3 || !currency.bytes().all(|b| b.is_ascii_uppercase()) {
        return Err(wrong("prices.no-currency"));
    }
    // Hundredths of a per cent in, tenths kept: a tax has one place.
    let tax = cents(&form.tax).filter(|t| *t <= 10_000 && t % 10 == 0).ok_or_else(|| wrong("prices.no-tax"))?;
    let hour_cents = cents(&form.hour).filter(|h| *h <= 100_000_000).ok_or_else(|| wrong("prices.no-hour"))?;
    let tax_tenths = i32::try_from(tax / 10).unwrap_or_default();
    let list = PriceList { csv: form.csv, currency, tax_tenths, hour_cents };
    app.store.set_prices(who.0.firm_id, &list, who.0.id, app.clock.now()).await?;
    Ok(Redirect::to("/practice#prices"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn money_is_read_as_it_is_written_and_nothing_else_is_money() {
        let good = [("12", 1200), ("12.5", 1250), ("12,50", 1250), ("0.05", 5), (" 3.20 ", 320)];
        good.iter().for_each(|(text, is)| assert_eq!(cents(text), Some(*is), "{text}"));
        for bad in ["", "-1", "1.234", "1e3", "1.2.3", "12 EUR", "0x1", ".", ".5", "9999999999"] {
            assert_eq!(cents(bad), None, "{bad}");
        }
        assert_eq!((money(1250), money(5)), ("12.50".to_owned(), "0.05".to_owned()));
        let list =
            read("part,price,stock\nfuse 60A bolt-down,12.95,2\n\"conductor 16mm2, red\",4.15\n").expect("reads");
        assert_eq!((list.len(), list[0].stock, list[1].part.as_str()), (2, Some(2), "conductor 16mm2, red"));
        assert!(read("fuse,twelve\n").expect_err("no price").contains('1'));
    }
}
