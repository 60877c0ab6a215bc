//! Instruments with their calibrations, which of them are in the case of a visit, and tests that are left out.

use crate::schema::{calibration, in_case, instrument, left_out, person};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// An instrument of a firm.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = instrument, check_for_backend(diesel::pg::Pg))]
pub struct Instrument {
    /// Key.
    pub id: i64,
    /// What it is called.
    pub name: String,
    /// Its serial number.
    pub serial: String,
    /// What it can do, words parted by blanks.
    pub tools: String,
    /// Since when it is out of use.
    pub retired_at: Option<DateTime<Utc>>,
}

/// A calibration.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = calibration, check_for_backend(diesel::pg::Pg))]
pub struct Calibration {
    /// The instrument.
    pub instrument_id: i64,
    /// The day on which it was done.
    pub done_on: NaiveDate,
    /// The last day on which it holds.
    pub due_on: NaiveDate,
    /// Certificate, or who did it.
    pub certificate: String,
    /// Who entered it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When it was entered.
    pub at: DateTime<Utc>,
}

/// A calibration to be entered.
#[derive(Debug, Clone)]
pub struct NewCalibration<'a> {
    /// The day on which it was done.
    pub done_on: NaiveDate,
    /// The last day on which it holds.
    pub due_on: NaiveDate,
    /// Certificate, or who did it.
    pub certificate: &'a str,
}

/// A test that is not done in a visit, or is left to the owner.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = left_out, check_for_backend(diesel::pg::Pg))]
pub struct LeftOut {
    /// The test.
    pub test: String,
    /// What it is, as it was called then.
    pub title: String,
    /// Why; empty where it was taken up again.
    pub reason: String,
    /// Whether it is left to the owner.
    pub to_owner: bool,
    /// Who said so.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

impl Store {
    /// Registers an instrument.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn add_instrument(&self, firm: i64, name: &str, serial: &str, tools: &str) -> Result<i64> {
        let mut c = self.connection().await?;
        committed!(
            c,
            diesel::insert_into(instrument::table)
                .values((
                    instrument::firm_id.eq(firm),
                    instrument::name.eq(name),
                    instrument::serial.eq(serial),
                    instrument::tools.eq(tools),
                ))
                .returning(instrument::id)
        )
        .await
    }

    /// The instruments of a firm by name, those out of use included.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn instruments(&self, firm: i64) -> Result<Vec<Instrument>> {
        let mut c = self.connection().await?;
        Ok(instrument::table
            .filter(instrument::firm_id.eq(firm))
            .order((instrument::name, instrument::id))
            .select(Instrument::as_select())
            .load(&mut c)
            .await?)
    }

    /// Takes an instrument out of use, or back into it. What was read with it stays.
    ///
    /// # Errors
    /// When it is not of this firm, or the database fails.
    pub async fn retire_instrument(&self, firm: i64, id: i64, since: Option<DateTime<Utc>>) -> Result<()> {
        let mut c = self.connection().await?;
        let own = instrument::table.filter(instrument::firm_id.eq(firm).and(instrument::id.eq(id)));
        match diesel::update(own).set(instrument::retired_at.eq(since)).execute(&mut c).await? {
            0 => Err(StoreError::NotFound),
            _ => Ok(()),
        }
    }

    /// Enters a calibration.
    ///
    /// # Errors
    /// When the instrument is not of this firm, or the database fails.
    pub async fn add_calibration(
        &self,
        firm: i64,
        instrument: i64,
        new: &NewCalibration<'_>,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(calibration::table)
            .values((
                calibration::firm_id.eq(firm),
                calibration::instrument_id.eq(instrument),
                calibration::done_on.eq(new.done_on),
                calibration::due_on.eq(new.due_on),
                calibration::certificate.eq(new.certificate),
                calibration::person_id.eq(by),
                calibration::at.eq(now),
            ))
            .execute(&mut c)
            .await
            .map_err(not_of_firm)?;
        Ok(())
    }

    /// All calibrations of a firm's instruments in the order in which they were done.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn calibrations(&self, firm: i64) -> Result<Vec<Calibration>> {
        let mut c = self.connection().await?;
        Ok(by_person!(calibration)
            .filter(calibration::firm_id.eq(firm))
            .order((calibration::done_on, calibration::id))
            .select(Calibration::as_select())
            .load(&mut c)
            .await?)
    }

    /// Says whether an instrument is in the case of a visit.
    ///
    /// # Errors
    /// When the visit or the instrument is not of this firm, or the database fails.
    pub async fn put_in_case(
        &self,
        firm: i64,
        visit: i64,
        instrument: i64,
        there: bool,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(in_case::table)
            .values((
                in_case::firm_id.eq(firm),
                in_case::visit_id.eq(visit),
                in_case::instrument_id.eq(instrument),
                in_case::there.eq(there),
                in_case::person_id.eq(by),
                in_case::at.eq(now),
            ))
            .execute(&mut c)
            .await
            .map_err(not_of_firm)?;
        Ok(())
    }

    /// Instruments that were left at home on a visit.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn left_at_home(&self, firm: i64, visit: i64) -> Result<Vec<i64>> {
        let mut c = self.connection().await?;
        let said: Vec<(i64, bool)> = in_case::table
            .filter(in_case::firm_id.eq(firm).and(in_case::visit_id.eq(visit)))
            .order(in_case::id)
            .select((in_case::instrument_id, in_case::there))
            .load(&mut c)
            .await?;
        let newest = |id: &i64| said.iter().rev().find(|(i, _)| i == id).is_some_and(|(_, there)| !there);
        let mut list: Vec<i64> = said.iter().map(|(id, _)| *id).filter(newest).collect();
        list.sort_unstable();
        list.dedup();
        Ok(list)
    }

    /// Says that a test is not done, and why; or that it is left to the owner. An empty reason takes it up again.
    ///
    /// # Errors
    /// When the visit is not of this firm, or the database fails.
    pub async fn leave_out(
        &self,
        firm: i64,
        visit: i64,
        (test, title): (&str, &str),
        (reason, to_owner): (&str, bool),
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(left_out::table)
            .values((
                left_out::firm_id.eq(firm),
                left_out::visit_id.eq(visit),
                left_out::test.eq(test),
                left_out::title.eq(title),
                left_out::reason.eq(reason),
                left_out::to_owner.eq(to_owner),
                left_out::person_id.eq(by),
                left_out::at.eq(now),
            ))
            .execute(&mut c)
            .await
            .map_err(not_of_firm)?;
        Ok(())
    }

    /// The tests that stand left out in a visit: the newest word on each, in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn left_out(&self, firm: i64, visit: i64) -> Result<Vec<LeftOut>> {
        let mut c = self.connection().await?;
        let said: Vec<LeftOut> = by_person!(left_out)
            .filter(left_out::firm_id.eq(firm).and(left_out::visit_id.eq(visit)))
            .order(left_out::id)
            .select(LeftOut::as_select())
            .load(&mut c)
            .await?;
        let newest = |(n, l): &(usize, &LeftOut)| {
            !l.reason.is_empty() && !said[n + 1..].iter().any(|later| later.test == l.test)
        };
        Ok(said.iter().enumerate().filter(newest).map(|(_, l)| l.clone()).collect())
    }
}

/// A key that belongs to no record of the firm is a record that is not there.
pub(crate) fn not_of_firm(error: diesel::result::Error) -> StoreError {
    use diesel::result::{DatabaseErrorKind, Error};
    match error {
        Error::DatabaseError(DatabaseErrorKind::ForeignKeyViolation, _) => StoreError::NotFound,
        other => StoreError::Query(other),
    }
}
