//! What a firm and its people keep beside the records of a visit: schools chosen, calculations, sketches, measures.

use crate::schema::{firm_choice, kept_calculation, person, sketch};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// A choice of a firm among the schools of the trade.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = firm_choice, check_for_backend(diesel::pg::Pg))]
pub struct FirmChoice {
    /// The question.
    pub school: String,
    /// The answer; nothing where the choice was taken back.
    pub option: Option<String>,
    /// Why.
    pub reason: String,
    /// Who chose.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A calculation that was kept to a visit.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = kept_calculation, check_for_backend(diesel::pg::Pg))]
pub struct KeptCalculation {
    /// Its name on the bench.
    pub calculation: String,
    /// Its title.
    pub title: String,
    /// What was put in, as the query of its page.
    pub query: String,
    /// What came out.
    pub answer: String,
    /// Who kept it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A calculation to be kept.
#[derive(Debug, Clone)]
pub struct NewCalculation<'a> {
    /// Its name on the bench.
    pub calculation: &'a str,
    /// Its title.
    pub title: &'a str,
    /// What was put in, as the query of its page.
    pub query: &'a str,
    /// What came out.
    pub answer: &'a str,
}

/// What an owner drew or told of a rig.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = sketch, check_for_backend(diesel::pg::Pg))]
pub struct Sketch {
    /// In the notation.
    pub text: String,
    /// Where it comes from.
    pub note: String,
    /// Who attached it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

impl Store {
    /// Chooses among the schools for a firm, or takes its choice back.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn add_firm_choice(
        &self,
        firm: i64,
        school: &str,
        option: Option<&str>,
        reason: &str,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(firm_choice::table)
            .values((
                firm_choice::firm_id.eq(firm),
                firm_choice::school.eq(school),
                firm_choice::option.eq(option),
                firm_choice::reason.eq(reason),
                firm_choice::person_id.eq(by),
                firm_choice::at.eq(now),
            ))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// Every choice a firm ever made, the newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn firm_choices(&self, firm: i64) -> Result<Vec<FirmChoice>> {
        let mut c = self.connection().await?;
        Ok(by_person!(firm_choice)
            .filter(firm_choice::firm_id.eq(firm))
            .order(firm_choice::id.desc())
            .select(FirmChoice::as_select())
            .load(&mut c)
            .await?)
    }

    /// Keeps a calculation to a visit.
    ///
    /// # Errors
    /// When the visit is not of this firm, or the database fails.
    pub async fn keep_calculation(
        &self,
        firm: i64,
        visit: i64,
        new: &NewCalculation<'_>,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(kept_calculation::table)
            .values((
                kept_calculation::firm_id.eq(firm),
                kept_calculation::visit_id.eq(visit),
                kept_calculation::calculation.eq(new.calculation),
                kept_calculation::title.eq(new.title),
                kept_calculation::query.eq(new.query),
                kept_calculation::answer.eq(new.answer),
                kept_calculation::person_id.eq(by),
                kept_calculation::at.eq(now),
            ))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// The calculations kept to a visit, in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn calculations(&self, firm: i64, visit: i64) -> Result<Vec<KeptCalculation>> {
        let mut c = self.connection().await?;
        Ok(by_person!(kept_calculation)
            .filter(kept_calculation::firm_id.eq(firm).and(kept_calculation::visit_id.eq(visit)))
            .order(kept_calculation::id)
            .select(KeptCalculation::as_select())
            .load(&mut c)
            .await?)
    }

    /// Attaches what an owner drew or told to a rig.
    ///
    /// # Errors
    /// When the rig is not of this firm, or the database fails.
    pub async fn add_sketch(
        &self,
        firm: i64,
        rig: i64,
        text: &str,
        note: &str,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(sketch::table)
            .values((
                sketch::firm_id.eq(firm),
                sketch::rig_id.eq(rig),
                sketch::text.eq(text),
                sketch::note.eq(note),
                sketch::person_id.eq(by),
                sketch::at.eq(now),
            ))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// The newest sketch of a rig.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sketch(&self, firm: i64, rig: i64) -> Result<Option<Sketch>> {
        let mut c = self.connection().await?;
        Ok(by_person!(sketch)
            .filter(sketch::firm_id.eq(firm).and(sketch::rig_id.eq(rig)))
            .order(sketch::id.desc())
            .select(Sketch::as_select())
            .first(&mut c)
            .await
            .optional()?)
    }

    /// Sets the measures a person reads.
    ///
    /// # Errors
    /// When the person is not of this firm, or the database fails.
    pub async fn set_measures(&self, firm: i64, id: i64, measures: &str) -> Result<()> {
        let mut c = self.connection().await?;
        let who = person::table.filter(person::firm_id.eq(firm).and(person::id.eq(id)));
        match diesel::update(who).set(person::measures.eq(measures)).execute(&mut c).await? {
            0 => Err(StoreError::NotFound),
            _ => Ok(()),
        }
    }
}
