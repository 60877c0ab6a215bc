//! What is changed of a visit itself: its day, hours, zone, purpose and who makes it; and withdrawing it.

use crate::instruments::not_of_firm;
use crate::schema::{person, visit, visit_change};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};

/// What can happen to a visit itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum VisitEvent {
    /// Something of it was changed.
    Edited,
    /// It is not to be counted: opened by mistake, called off.
    Withdrawn,
    /// It counts after all.
    Reinstated,
}

impl VisitEvent {
    /// All of them.
    pub const ALL: [VisitEvent; 3] = [VisitEvent::Edited, VisitEvent::Withdrawn, VisitEvent::Reinstated];

    /// The code in the database.
    pub fn code(self) -> &'static str {
        match self {
            VisitEvent::Edited => "edited",
            VisitEvent::Withdrawn => "withdrawn",
            VisitEvent::Reinstated => "reinstated",
        }
    }

    /// Reads a code.
    pub fn of(code: &str) -> Option<VisitEvent> {
        VisitEvent::ALL.into_iter().find(|e| e.code() == code)
    }
}

/// What of a visit can be changed.
#[derive(Debug, Clone)]
pub struct VisitEdit<'a> {
    /// Day.
    pub planned_on: NaiveDate,
    /// Hours set aside.
    pub hours: f64,
    /// The zone of its times.
    pub zone: &'a str,
    /// What the customer complains of.
    pub complaint: &'a str,
    /// Who makes it.
    pub person: i64,
}

/// A change that was made.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = visit_change, check_for_backend(diesel::pg::Pg))]
pub struct VisitChange {
    /// What happened, by its code.
    pub event: String,
    /// Why.
    pub reason: String,
    /// How it stood before, in words.
    pub before: String,
    /// Who did it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

async fn insert_change(
    c: &mut AsyncPgConnection,
    (firm, id): (i64, i64),
    event: VisitEvent,
    (reason, before): (&str, &str),
    by: i64,
    now: DateTime<Utc>,
) -> Result<()> {
    diesel::insert_into(visit_change::table)
        .values((
            visit_change::firm_id.eq(firm),
            visit_change::visit_id.eq(id),
            visit_change::event.eq(event.code()),
            visit_change::reason.eq(reason),
            visit_change::before.eq(before),
            visit_change::person_id.eq(by),
            visit_change::at.eq(now),
        ))
        .execute(c)
        .await
        .map_err(not_of_firm)?;
    Ok(())
}

impl Store {
    /// Changes a visit, with the reason and how it stood before in words.
    ///
    /// # Errors
    /// When the visit or who makes it is not of this firm, the reason is empty, or the database fails.
    pub async fn edit_visit(
        &self,
        (firm, id): (i64, i64),
        edit: &VisitEdit<'_>,
        told: (&str, &str),
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let changed = diesel::update(visit::table.filter(visit::firm_id.eq(firm).and(visit::id.eq(id))))
                .set((
                    visit::planned_on.eq(edit.planned_on),
                    visit::hours.eq(edit.hours),
                    visit::zone.eq(edit.zone),
                    visit::complaint.eq(edit.complaint),
                    visit::person_id.eq(edit.person),
                ))
                .execute(c)
                .await
                .map_err(not_of_firm)?;
            if changed == 0 {
                return Err(StoreError::NotFound);
            }
            insert_change(c, (firm, id), VisitEvent::Edited, told, by, now).await
        })
        .await
    }

    /// Withdraws a visit, or lets it count again. Of two who do the same one does it; the other changes nothing.
    ///
    /// # Errors
    /// When the visit is not of this firm, the reason is empty, or the database fails.
    pub async fn withdraw_visit(
        &self,
        (firm, id): (i64, i64),
        withdrawn: bool,
        reason: &str,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let own = visit::table.filter(visit::firm_id.eq(firm).and(visit::id.eq(id)));
            let stands: bool =
                own.select(visit::withdrawn).for_update().first(c).await.optional()?.ok_or(StoreError::NotFound)?;
            if stands == withdrawn {
                return Ok(());
            }
            let own = visit::table.filter(visit::firm_id.eq(firm).and(visit::id.eq(id)));
            diesel::update(own).set(visit::withdrawn.eq(withdrawn)).execute(c).await?;
            let event = if withdrawn { VisitEvent::Withdrawn } else { VisitEvent::Reinstated };
            insert_change(c, (firm, id), event, (reason, ""), by, now).await
        })
        .await
    }

    /// What was changed of a visit, in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn visit_changes(&self, firm: i64, id: i64) -> Result<Vec<VisitChange>> {
        let mut c = self.connection().await?;
        Ok(by_person!(visit_change)
            .filter(visit_change::firm_id.eq(firm).and(visit_change::visit_id.eq(id)))
            .order((visit_change::at, visit_change::id))
            .select(VisitChange::as_select())
            .load(&mut c)
            .await?)
    }
}
