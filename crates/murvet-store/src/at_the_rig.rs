//! What is recorded at the rig beside readings: overrides and photographs.

use crate::schema::{overrides, person, photograph};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// A phase that was begun before its guards had passed.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = overrides, check_for_backend(diesel::pg::Pg))]
pub struct Override {
    /// The phase.
    pub phase: String,
    /// Why.
    pub reason: String,
    /// Who.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A photograph of a visit.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = photograph, check_for_backend(diesel::pg::Pg))]
pub struct Photograph {
    /// Key.
    pub id: i64,
    /// What it shows: a component, a joint, a finding or a test, by its name.
    pub subject: String,
    /// `before`, `after` or `found`.
    pub moment: String,
    /// In words.
    pub note: String,
    /// Where the picture stands in the object store.
    pub object: String,
    /// Where its thumbnail stands.
    pub thumbnail: String,
    /// SHA-256 of the picture as kept.
    pub sha256: Vec<u8>,
    /// Width, pixels.
    pub width: i32,
    /// Height, pixels.
    pub height: i32,
    /// Who took it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When it was entered.
    pub at: DateTime<Utc>,
}

/// A photograph to be entered.
#[derive(Debug, Clone)]
pub struct NewPhotograph<'a> {
    /// What it shows.
    pub subject: &'a str,
    /// `before`, `after` or `found`.
    pub moment: &'a str,
    /// In words.
    pub note: &'a str,
    /// Where the picture stands in the object store.
    pub object: &'a str,
    /// Where its thumbnail stands.
    pub thumbnail: &'a str,
    /// SHA-256 of the picture as kept.
    pub sha256: &'a [u8],
    /// Width and height, pixels.
    pub size: (u32, u32),
}

impl Store {
    /// Records that a phase is begun before its guards have passed.
    ///
    /// # Errors
    /// When the visit is not of this firm, or the database fails.
    pub async fn add_override(
        &self,
        firm: i64,
        visit: i64,
        phase: &str,
        reason: &str,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(overrides::table)
            .values((
                overrides::firm_id.eq(firm),
                overrides::visit_id.eq(visit),
                overrides::phase.eq(phase),
                overrides::reason.eq(reason),
                overrides::person_id.eq(by),
                overrides::at.eq(now),
            ))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// The overrides of a visit, in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn overrides(&self, firm: i64, visit: i64) -> Result<Vec<Override>> {
        let mut c = self.connection().await?;
        Ok(by_person!(overrides)
            .filter(overrides::firm_id.eq(firm).and(overrides::visit_id.eq(visit)))
            .order(overrides::id)
            .select(Override::as_select())
            .load(&mut c)
            .await?)
    }

    /// Enters a photograph whose bytes are kept already.
    ///
    /// # Errors
    /// When the visit is not of this firm, or the database fails.
    pub async fn add_photograph(
        &self,
        firm: i64,
        visit: i64,
        new: &NewPhotograph<'_>,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<i64> {
        let mut c = self.connection().await?;
        let side = |n: u32| i32::try_from(n).unwrap_or(i32::MAX);
        committed!(
            c,
            diesel::insert_into(photograph::table)
                .values((
                    photograph::firm_id.eq(firm),
                    photograph::visit_id.eq(visit),
                    photograph::subject.eq(new.subject),
                    photograph::moment.eq(new.moment),
                    photograph::note.eq(new.note),
                    photograph::object.eq(new.object),
                    photograph::thumbnail.eq(new.thumbnail),
                    photograph::sha256.eq(new.sha256),
                    photograph::width.eq(side(new.size.0)),
                    photograph::height.eq(side(new.size.1)),
                    photograph::person_id.eq(by),
                    photograph::at.eq(now),
                ))
                .returning(photograph::id)
        )
        .await
    }

    /// The photographs of a visit, in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn photographs(&self, firm: i64, visit: i64) -> Result<Vec<Photograph>> {
        let mut c = self.connection().await?;
        Ok(by_person!(photograph)
            .filter(photograph::firm_id.eq(firm).and(photograph::visit_id.eq(visit)))
            .order(photograph::id)
            .select(Photograph::as_select())
            .load(&mut c)
            .await?)
    }

    /// One photograph of a visit.
    ///
    /// # Errors
    /// When it is not there or of another firm, or the database fails.
    pub async fn photograph(&self, firm: i64, visit: i64, id: i64) -> Result<Photograph> {
        let list = self.photographs(firm, visit).await?;
        list.into_iter().find(|p| p.id == id).ok_or(StoreError::NotFound)
    }
}
