//! A rig over years: its visits, readings and events together, and finding a visit again.

use crate::records::{FindingEvent, Reading};
use crate::rigs::Visit;
use crate::schema::{customer, finding_event, person, reading, rig, visit};
use crate::{Result, Store, StoreError};
use chrono::NaiveDate;
use diesel::dsl::{exists, max};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// What visits are looked for by; everything that is said must hold.
#[derive(Debug, Clone, Default)]
pub struct Sought<'a> {
    /// Words that stand in the name of customer, rig or builder, in the complaint, or in a finding that something happened to.
    pub words: &'a str,
    /// Only the newest visit of each rig, and only where that was before this day.
    pub last_before: Option<NaiveDate>,
    /// Those that were withdrawn, too.
    pub withdrawn: bool,
    /// Those that come after the visit of this day and number in the list: where a page ended, the next begins, whatever was
    /// entered meanwhile and however far down it is.
    pub after: Option<(NaiveDate, i64)>,
}

/// A pattern in which what is typed means itself.
pub(crate) fn pattern(words: &str) -> String {
    format!("%{}%", words.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_"))
}

impl Store {
    /// Visits that are sought, latest day first: a page of them.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn find_visits(&self, firm: i64, sought: &Sought<'_>, most: i64) -> Result<Vec<Visit>> {
        let mut c = self.connection().await?;
        let mut query = visit_rows!()
            .filter(visit::firm_id.eq(firm))
            .order((visit::planned_on.desc(), visit::id.desc()))
            .limit(most)
            .select(Visit::as_select())
            .into_boxed();
        if let Some((day, id)) = sought.after {
            query = query.filter(visit::planned_on.lt(day).or(visit::planned_on.eq(day).and(visit::id.lt(id))));
        }
        if !sought.withdrawn {
            query = query.filter(diesel::dsl::not(visit::withdrawn));
        }
        if !sought.words.is_empty() {
            let like = pattern(sought.words);
            let found = finding_event::table
                .filter(finding_event::firm_id.eq(visit::firm_id).and(finding_event::visit_id.eq(visit::id)))
                .filter(finding_event::statement.ilike(like.clone()).or(finding_event::finding.ilike(like.clone())));
            query = query.filter(
                customer::name
                    .ilike(like.clone())
                    .or(rig::name.ilike(like.clone()))
                    .or(rig::builder.ilike(like.clone()))
                    .or(visit::complaint.ilike(like))
                    .or(exists(found)),
            );
        }
        if let Some(day) = sought.last_before {
            let later = diesel::alias!(visit as later);
            let newer = later
                .filter(diesel::dsl::not(later.field(visit::withdrawn)))
                .filter(later.field(visit::firm_id).eq(visit::firm_id))
                .filter(later.field(visit::rig_id).eq(visit::rig_id))
                .filter(later.field(visit::planned_on).ge(day).or(later.field(visit::id).gt(visit::id)));
            query = query.filter(diesel::dsl::not(visit::withdrawn.or(visit::training)));
            query = query.filter(visit::planned_on.lt(day)).filter(diesel::dsl::not(exists(newer)));
        }
        Ok(query.load(&mut c).await?)
    }

    /// The visits of a rig, the newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn visits_of(&self, firm: i64, rig_id: i64) -> Result<Vec<Visit>> {
        let mut c = self.connection().await?;
        Ok(visit_rows!()
            .filter(visit::firm_id.eq(firm).and(visit::rig_id.eq(rig_id)))
            .order((visit::planned_on.desc(), visit::id.desc()))
            .select(Visit::as_select())
            .load(&mut c)
            .await?)
    }

    /// The readings of all visits of a rig in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn readings_of(&self, firm: i64, rig_id: i64) -> Result<Vec<Reading>> {
        let mut c = self.connection().await?;
        Ok(by_person!(reading)
            .inner_join(visit::table.on(visit::firm_id.eq(reading::firm_id).and(visit::id.eq(reading::visit_id))))
            .filter(reading::firm_id.eq(firm).and(visit::rig_id.eq(rig_id)))
            .order((reading::taken_at, reading::id))
            .select(Reading::as_select())
            .load(&mut c)
            .await?)
    }

    /// What happened to findings in all visits of a rig, in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn events_of(&self, firm: i64, rig_id: i64) -> Result<Vec<FindingEvent>> {
        let mut c = self.connection().await?;
        Ok(by_person!(finding_event)
            .inner_join(
                visit::table.on(visit::firm_id.eq(finding_event::firm_id).and(visit::id.eq(finding_event::visit_id))),
            )
            .filter(finding_event::firm_id.eq(firm).and(visit::rig_id.eq(rig_id)))
            .order((finding_event::at, finding_event::id))
            .select(FindingEvent::as_select())
            .load(&mut c)
            .await?)
    }

    /// Keeps who built the rig of a visit, and when.
    ///
    /// # Errors
    /// When the visit is not of this firm, the year is out of range, or the database fails.
    pub async fn set_builder(&self, firm: i64, visit_id: i64, builder: &str, built: Option<i32>) -> Result<()> {
        let mut c = self.connection().await?;
        let own = visit::table
            .filter(visit::firm_id.eq(firm).and(visit::id.eq(visit_id)))
            .select(max(visit::rig_id))
            .first::<Option<i64>>(&mut c)
            .await?
            .ok_or(StoreError::NotFound)?;
        diesel::update(rig::table.filter(rig::firm_id.eq(firm).and(rig::id.eq(own))))
            .set((rig::builder.eq(builder), rig::built.eq(built)))
            .execute(&mut c)
            .await?;
        Ok(())
    }
}
