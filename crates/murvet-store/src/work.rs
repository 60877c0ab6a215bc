//! What is planned, what it costs.

use crate::instruments::not_of_firm;
use crate::schema::{action, price_list, visit, work_text};
use crate::{Result, Store};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// Which of the texts of a visit's work.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WorkText {
    /// The list of steps.
    Steps,
    /// Hours, people, parts and own tasks.
    Day,
    /// That the day was begun; the text is empty.
    Begun,
}

impl WorkText {
    fn code(self) -> &'static str {
        match self {
            WorkText::Steps => "steps",
            WorkText::Day => "day",
            WorkText::Begun => "begun",
        }
    }
}

/// A list of prices.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = price_list, check_for_backend(diesel::pg::Pg))]
pub struct PriceList {
    /// As it came in.
    pub csv: String,
    /// ISO 4217.
    pub currency: String,
    /// Tax in tenths of a per cent.
    pub tax_tenths: i32,
    /// An hour of work, in hundredths of the currency.
    pub hour_cents: i64,
}

impl Store {
    /// Keeps a text of a visit's work; the newest counts.
    ///
    /// # Errors
    /// When the visit is not of this firm, or the database fails.
    pub async fn set_work_text(
        &self,
        firm: i64,
        visit: i64,
        (which, text): (WorkText, &str),
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(work_text::table)
            .values((
                work_text::firm_id.eq(firm),
                work_text::visit_id.eq(visit),
                work_text::kind.eq(which.code()),
                work_text::text.eq(text),
                work_text::person_id.eq(by),
                work_text::at.eq(now),
            ))
            .execute(&mut c)
            .await
            .map_err(not_of_firm)?;
        Ok(())
    }

    /// The newest text of a visit's work, and when it was entered.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn work_text(&self, firm: i64, visit: i64, which: WorkText) -> Result<Option<(String, DateTime<Utc>)>> {
        let mut c = self.connection().await?;
        let own = work_text::firm_id.eq(firm).and(work_text::visit_id.eq(visit)).and(work_text::kind.eq(which.code()));
        let newest = work_text::table.filter(own).order(work_text::id.desc()).select((work_text::text, work_text::at));
        Ok(newest.first(&mut c).await.optional()?)
    }

    /// Keeps a list of prices; the newest counts.
    ///
    /// # Errors
    /// When a value is out of its range, or the database fails.
    pub async fn set_prices(&self, firm: i64, new: &PriceList, by: i64, now: DateTime<Utc>) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(price_list::table)
            .values((
                price_list::firm_id.eq(firm),
                price_list::csv.eq(&new.csv),
                price_list::currency.eq(&new.currency),
                price_list::tax_tenths.eq(new.tax_tenths),
                price_list::hour_cents.eq(new.hour_cents),
                price_list::person_id.eq(by),
                price_list::at.eq(now),
            ))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// The newest list of prices.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn prices(&self, firm: i64) -> Result<Option<PriceList>> {
        let mut c = self.connection().await?;
        let own = price_list::table.filter(price_list::firm_id.eq(firm)).order(price_list::id.desc());
        Ok(own.select(PriceList::as_select()).first(&mut c).await.optional()?)
    }

    /// Minutes that were planned and that it took, of every repair of the firm of which both are known: the finding it was for,
    /// planned, took.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn minutes_taken(&self, firm: i64) -> Result<Vec<(String, i32, i32)>> {
        let mut c = self.connection().await?;
        let practice = visit::table.filter(visit::firm_id.eq(firm).and(visit::training)).select(visit::id);
        Ok(action::table
            .filter(action::firm_id.eq(firm).and(action::took.is_not_null()).and(action::own.eq(false)))
            // What somebody pretends on a rig to learn on is no pace.
            .filter(diesel::dsl::not(action::visit_id.eq_any(practice)))
            .order(action::id)
            .select((action::finding, action::minutes, action::took.assume_not_null()))
            .load(&mut c)
            .await?)
    }
}
