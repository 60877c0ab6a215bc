//! Complaints and lines of somebody's list, as they were told, and how each stands.

use crate::instruments::not_of_firm;
use crate::schema::{complaint, complaint_standing, person};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};

/// A complaint.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = complaint, check_for_backend(diesel::pg::Pg))]
pub struct Complaint {
    /// Key.
    pub id: i64,
    /// Who told it, or whose list it stands on.
    pub told_by: String,
    /// As it was told.
    pub words: String,
    /// What kind, by its name.
    pub symptom: String,
    /// The component it is about.
    pub about: Option<String>,
    /// The source it was on then.
    pub on_source: Option<String>,
    /// After how many minutes it shows, where that was told.
    pub delay_minutes: Option<i32>,
    /// Who entered it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A complaint to be entered.
#[derive(Debug, Clone)]
pub struct NewComplaint<'a> {
    /// Who told it, or whose list it stands on.
    pub told_by: &'a str,
    /// As it was told.
    pub words: &'a str,
    /// What kind, by its name.
    pub symptom: &'a str,
    /// The component it is about.
    pub about: Option<&'a str>,
    /// The source it was on then.
    pub on_source: Option<&'a str>,
    /// After how many minutes it shows, where that was told.
    pub delay_minutes: Option<i32>,
}

/// How a complaint stands since some moment.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = complaint_standing, check_for_backend(diesel::pg::Pg))]
pub struct ComplaintStanding {
    /// The complaint.
    pub complaint_id: i64,
    /// `confirmed`, `not found`, `done` or `not reached`.
    pub standing: String,
    /// The test that shows it.
    pub test: Option<String>,
    /// What was seen, or why it was left.
    pub note: String,
    /// Who.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

impl Store {
    /// Enters complaints, all or none.
    ///
    /// # Errors
    /// When the visit is not of this firm, or the database fails.
    pub async fn add_complaints(
        &self,
        firm: i64,
        visit: i64,
        list: &[NewComplaint<'_>],
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        c.transaction(async |c| insert_complaints(c, firm, visit, list, by, now).await).await
    }

    /// The complaints of a visit in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn complaints(&self, firm: i64, visit: i64) -> Result<Vec<Complaint>> {
        let mut c = self.connection().await?;
        Ok(by_person!(complaint)
            .filter(complaint::firm_id.eq(firm).and(complaint::visit_id.eq(visit)))
            .order(complaint::id)
            .select(Complaint::as_select())
            .load(&mut c)
            .await?)
    }

    /// Says how a complaint of a visit stands.
    ///
    /// # Errors
    /// When it is not of this visit and firm, or the database fails.
    pub async fn add_standing(
        &self,
        firm: i64,
        visit: i64,
        id: i64,
        (standing, test, note): (&str, Option<&str>, &str),
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        let own: i64 = complaint::table
            .filter(complaint::firm_id.eq(firm).and(complaint::visit_id.eq(visit)).and(complaint::id.eq(id)))
            .count()
            .get_result(&mut c)
            .await?;
        if own == 0 {
            return Err(StoreError::NotFound);
        }
        diesel::insert_into(complaint_standing::table)
            .values((
                complaint_standing::firm_id.eq(firm),
                complaint_standing::complaint_id.eq(id),
                complaint_standing::standing.eq(standing),
                complaint_standing::test.eq(test),
                complaint_standing::note.eq(note),
                complaint_standing::person_id.eq(by),
                complaint_standing::at.eq(now),
            ))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// How the complaints of a visit stood, in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn standings(&self, firm: i64, visit: i64) -> Result<Vec<ComplaintStanding>> {
        let mut c = self.connection().await?;
        let of_visit =
            complaint::firm_id.eq(complaint_standing::firm_id).and(complaint::id.eq(complaint_standing::complaint_id));
        Ok(by_person!(complaint_standing)
            .inner_join(complaint::table.on(of_visit))
            .filter(complaint_standing::firm_id.eq(firm).and(complaint::visit_id.eq(visit)))
            .order(complaint_standing::id)
            .select(ComplaintStanding::as_select())
            .load(&mut c)
            .await?)
    }
}

/// Writes complaints, within the transaction of whoever asks.
pub(crate) async fn insert_complaints(
    c: &mut AsyncPgConnection,
    firm: i64,
    visit: i64,
    list: &[NewComplaint<'_>],
    by: i64,
    now: DateTime<Utc>,
) -> Result<()> {
    for new in list {
        diesel::insert_into(complaint::table)
            .values((
                complaint::firm_id.eq(firm),
                complaint::visit_id.eq(visit),
                complaint::told_by.eq(new.told_by),
                complaint::words.eq(new.words),
                complaint::symptom.eq(new.symptom),
                complaint::about.eq(new.about),
                complaint::on_source.eq(new.on_source),
                complaint::delay_minutes.eq(new.delay_minutes),
                complaint::person_id.eq(by),
                complaint::at.eq(now),
            ))
            .execute(&mut *c)
            .await
            .map_err(not_of_firm)?;
    }
    Ok(())
}
