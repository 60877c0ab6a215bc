//! What a firm has otherwise than a profile that ships.

use crate::schema::{firm_limit, person};
use crate::{Result, Store};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// A limit of a firm's own, or that it was taken back.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = firm_limit, check_for_backend(diesel::pg::Pg))]
pub struct FirmLimit {
    /// The profile it differs from.
    pub base: String,
    /// The field.
    pub field: String,
    /// The value as JSON; nothing where it was taken back.
    pub value: Option<String>,
    /// Its source.
    pub source: String,
    /// Why.
    pub reason: String,
    /// Who entered it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A limit to be entered.
#[derive(Debug, Clone, Insertable)]
#[diesel(table_name = firm_limit)]
pub struct NewFirmLimit<'a> {
    /// The profile it differs from.
    pub base: &'a str,
    /// The field.
    pub field: &'a str,
    /// The value as JSON; nothing takes it back.
    pub value: Option<&'a str>,
    /// Its source.
    pub source: &'a str,
    /// Why.
    pub reason: &'a str,
}

impl Store {
    /// Enters a limit of a firm's own, or takes it back.
    ///
    /// # Errors
    /// When the person is not of the firm, a name has no form of one, or the database fails.
    pub async fn add_firm_limit(&self, firm: i64, new: &NewFirmLimit<'_>, by: i64, now: DateTime<Utc>) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(firm_limit::table)
            .values((firm_limit::firm_id.eq(firm), new, firm_limit::person_id.eq(by), firm_limit::at.eq(now)))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// Every limit that a firm ever had of its own, the newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn firm_limits(&self, firm: i64) -> Result<Vec<FirmLimit>> {
        let mut c = self.connection().await?;
        Ok(by_person!(firm_limit)
            .filter(firm_limit::firm_id.eq(firm))
            .order(firm_limit::id.desc())
            .select(FirmLimit::as_select())
            .load(&mut c)
            .await?)
    }
}
