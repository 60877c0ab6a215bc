//! What is recorded during a visit.

use crate::rigs::{Saved, insert_revision};
use crate::schema::{action, finding_event, person, reading, rig_revision, safe_step};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::dsl::max;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};

/// A step of making safe that was done.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = safe_step, check_for_backend(diesel::pg::Pg))]
pub struct SafeStep {
    /// The step's name.
    pub step: String,
    /// Who did it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub done_at: DateTime<Utc>,
}

/// A reading.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = reading, check_for_backend(diesel::pg::Pg))]
pub struct Reading {
    /// Key.
    pub id: i64,
    /// Revision of the rig it was taken on.
    pub revision: i32,
    /// The test.
    pub test: String,
    /// What was measured.
    pub title: String,
    /// Value; infinite for over-range.
    pub value: f64,
    /// Unit.
    pub unit: String,
    /// Pass, differs or fail.
    pub outcome: String,
    /// What it means.
    pub words: String,
    /// The reading it takes the place of.
    pub supersedes: Option<i64>,
    /// Who took it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub taken_at: DateTime<Utc>,
    /// Every value that was read, in order; empty where it was one.
    pub samples: Vec<f64>,
    /// The instruments it was taken with.
    pub instruments: Vec<i64>,
    /// Whether it is of lower rank: it can condemn, but not clear.
    pub lower_rank: bool,
    /// What it was taken with, in words, where that was not what the test asks for.
    pub means: String,
}

/// A reading to be added.
#[derive(Debug, Clone, Default)]
pub struct NewReading<'a> {
    /// Revision of the rig.
    pub revision: i32,
    /// The test.
    pub test: &'a str,
    /// What was measured.
    pub title: &'a str,
    /// Value.
    pub value: f64,
    /// Unit.
    pub unit: &'a str,
    /// Outcome.
    pub outcome: &'a str,
    /// Meaning.
    pub words: &'a str,
    /// The name it was given where it was taken, if it was kept there first.
    pub client: Option<&'a str>,
    /// Every value that was read, where they were several.
    pub samples: &'a [f64],
    /// The instruments it was taken with.
    pub instruments: &'a [i64],
    /// Whether it is of lower rank.
    pub lower_rank: bool,
    /// What it was taken with, in words, where that was not what the test asks for.
    pub means: &'a str,
}

/// Something that happened to a finding.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = finding_event, check_for_backend(diesel::pg::Pg))]
pub struct FindingEvent {
    /// The finding.
    pub finding: String,
    /// Its statement at that time.
    pub statement: String,
    /// `opened`, `repaired`, `part-repaired`, `re-tested`, `accepted`, `deferred` or `removed`.
    pub event: String,
    /// Reason or remark.
    pub note: String,
    /// Revision of the rig.
    pub revision: i32,
    /// Who.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
    /// Until when a risk is accepted.
    pub until: Option<NaiveDate>,
    /// What ends that before, and how it is noticed.
    pub condition: Option<String>,
}

/// An event to be added.
#[derive(Debug, Clone, Default)]
pub struct NewEvent<'a> {
    /// The finding.
    pub finding: &'a str,
    /// Its statement.
    pub statement: &'a str,
    /// What happened.
    pub event: &'a str,
    /// Reason or remark.
    pub note: &'a str,
    /// Revision of the rig.
    pub revision: i32,
    /// Until when a risk is accepted.
    pub until: Option<NaiveDate>,
    /// What ends that before, and how it is noticed.
    pub condition: Option<&'a str>,
}

/// A repair that was made.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = action, check_for_backend(diesel::pg::Pg))]
pub struct Action {
    /// The finding it was for.
    pub finding: String,
    /// What was done.
    pub title: String,
    /// Minutes.
    pub minutes: i32,
    /// A condition that goes with it.
    pub condition: Option<String>,
    /// Why it was done while a source that reaches it was not isolated.
    pub live_because: Option<String>,
    /// The revision it made.
    pub revision: i32,
    /// Who.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub done_at: DateTime<Utc>,
    /// Whether it is the inspector's own, not one that Murvet worked out.
    pub own: bool,
    /// What went into it.
    pub parts: String,
    /// Minutes that it took, where that was entered.
    pub took: Option<i32>,
    /// Why the rig is not to be left as it is after it.
    pub not_to_be_left: Option<String>,
}

/// A repair to be recorded.
#[derive(Debug, Clone, Default)]
pub struct NewAction<'a> {
    /// The finding.
    pub finding: &'a str,
    /// What was done.
    pub title: &'a str,
    /// Minutes.
    pub minutes: i32,
    /// A condition.
    pub condition: Option<&'a str>,
    /// Why it is done while a source that reaches it is not isolated.
    pub live_because: Option<&'a str>,
    /// The revision it made.
    pub revision: i32,
    /// Whether it is the inspector's own.
    pub own: bool,
    /// What went into it.
    pub parts: &'a str,
    /// Minutes that it took, where that is known.
    pub took: Option<i32>,
    /// Why the rig is not to be left as it is after it.
    pub not_to_be_left: Option<&'a str>,
}

/// A repair to be written.
#[derive(Debug, Clone)]
pub struct NewRepair<'a> {
    /// The rig.
    pub rig: i64,
    /// The revision the repair was worked out on.
    pub base: i32,
    /// The repaired rig as text; empty where the trace stays as it is.
    pub text: &'a str,
    /// What the revision is called.
    pub note: &'a str,
    /// What was done; its revision is set when it is written.
    pub action: NewAction<'a>,
    /// Findings it closes, with their statements.
    pub closes: &'a [(String, String)],
    /// Findings of which it closes a part: with their statements, and what is left.
    pub parts_of: &'a [(String, String, String)],
}

impl Store {
    /// Records a step of making safe, once.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn add_safe_step(
        &self,
        firm: i64,
        visit: i64,
        step: &str,
        person: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(safe_step::table)
            .values((
                safe_step::firm_id.eq(firm),
                safe_step::visit_id.eq(visit),
                safe_step::step.eq(step),
                safe_step::person_id.eq(person),
                safe_step::done_at.eq(now),
            ))
            .on_conflict_do_nothing()
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// Steps of making safe that were done in a visit.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn safe_steps(&self, firm: i64, visit: i64) -> Result<Vec<SafeStep>> {
        let mut c = self.connection().await?;
        Ok(by_person!(safe_step)
            .filter(safe_step::firm_id.eq(firm).and(safe_step::visit_id.eq(visit)))
            .select(SafeStep::as_select())
            .load(&mut c)
            .await?)
    }

    /// Adds a reading. An earlier reading of the same test in this visit is superseded by it and kept:
    /// finding it and adding the new one is one statement. One that carries the name of a reading that is there already is
    /// that reading: it is not added again.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn add_reading(
        &self,
        firm: i64,
        visit: i64,
        new: &NewReading<'_>,
        person: i64,
        now: DateTime<Utc>,
    ) -> Result<i64> {
        insert_reading(&mut *self.connection().await?, firm, visit, new, person, now).await
    }

    /// All readings of a visit in the order in which they were taken, superseded ones included.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn readings(&self, firm: i64, visit: i64) -> Result<Vec<Reading>> {
        let mut c = self.connection().await?;
        Ok(by_person!(reading)
            .filter(reading::firm_id.eq(firm).and(reading::visit_id.eq(visit)))
            .order(reading::id)
            .select(Reading::as_select())
            .load(&mut c)
            .await?)
    }

    /// Adds an event to a finding's life.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn add_event(
        &self,
        firm: i64,
        visit: i64,
        new: &NewEvent<'_>,
        person: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        insert_event(&mut *self.connection().await?, firm, visit, new, person, now).await
    }

    /// A repair as one: the new revision of the rig, the action, and the event of every finding it closes. Either
    /// all of it is written or none.
    ///
    /// # Errors
    /// When the rig or the visit is not of this firm, or the database fails.
    pub async fn save_repair(
        &self,
        firm: i64,
        visit: i64,
        new: &NewRepair<'_>,
        person: i64,
        now: DateTime<Utc>,
    ) -> Result<Saved> {
        let mut c = self.connection().await?;
        let number = new.base + 1;
        let written: std::result::Result<bool, StoreError> = c
            .transaction(async |c| {
                let latest: Option<i32> = rig_revision::table
                    .filter(rig_revision::firm_id.eq(firm).and(rig_revision::rig_id.eq(new.rig)))
                    .select(max(rig_revision::number))
                    .first(c)
                    .await?;
                if latest.ok_or(StoreError::NotFound)? != new.base {
                    return Ok(false);
                }
                // What changes nothing that is traced makes no revision.
                let number = if new.text.is_empty() { new.base } else { number };
                let made = number == new.base
                    || insert_revision(c, firm, new.rig, number, new.text, new.note, person, now).await?;
                if !made {
                    return Err(StoreError::Query(diesel::result::Error::RollbackTransaction));
                }
                let action = NewAction { revision: number, ..new.action };
                insert_action(c, firm, visit, &action, person, now).await?;
                for (finding, statement) in new.closes {
                    let event = NewEvent {
                        finding,
                        statement,
                        event: "repaired",
                        note: new.action.title,
                        revision: number,
                        ..NewEvent::default()
                    };
                    insert_event(c, firm, visit, &event, person, now).await?;
                }
                for (finding, statement, rest) in new.parts_of {
                    let note = format!("{}; {rest}", new.action.title);
                    let event = NewEvent {
                        finding,
                        statement,
                        event: "part-repaired",
                        note: &note,
                        revision: number,
                        ..NewEvent::default()
                    };
                    insert_event(c, firm, visit, &event, person, now).await?;
                }
                Ok(true)
            })
            .await;
        drop(c);
        match written {
            Ok(true) => Ok(Saved::As(number)),
            Ok(false) | Err(StoreError::Query(diesel::result::Error::RollbackTransaction)) => {
                Ok(Saved::Conflict(Box::new(self.latest_revision(firm, new.rig).await?)))
            }
            Err(e) => Err(e),
        }
    }

    /// The events of a visit in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn events(&self, firm: i64, visit: i64) -> Result<Vec<FindingEvent>> {
        let mut c = self.connection().await?;
        Ok(by_person!(finding_event)
            .filter(finding_event::firm_id.eq(firm).and(finding_event::visit_id.eq(visit)))
            .order(finding_event::id)
            .select(FindingEvent::as_select())
            .load(&mut c)
            .await?)
    }

    /// The repairs of a visit in order.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn actions(&self, firm: i64, visit: i64) -> Result<Vec<Action>> {
        let mut c = self.connection().await?;
        Ok(by_person!(action)
            .filter(action::firm_id.eq(firm).and(action::visit_id.eq(visit)))
            .order(action::id)
            .select(Action::as_select())
            .load(&mut c)
            .await?)
    }
}

async fn insert_event(
    c: &mut AsyncPgConnection,
    firm: i64,
    visit: i64,
    new: &NewEvent<'_>,
    person: i64,
    now: DateTime<Utc>,
) -> Result<()> {
    diesel::insert_into(finding_event::table)
        .values((
            finding_event::firm_id.eq(firm),
            finding_event::visit_id.eq(visit),
            finding_event::finding.eq(new.finding),
            finding_event::statement.eq(new.statement),
            finding_event::event.eq(new.event),
            finding_event::note.eq(new.note),
            finding_event::revision.eq(new.revision),
            finding_event::person_id.eq(person),
            finding_event::at.eq(now),
            finding_event::until.eq(new.until),
            finding_event::condition.eq(new.condition),
        ))
        .execute(c)
        .await?;
    Ok(())
}

async fn insert_action(
    c: &mut AsyncPgConnection,
    firm: i64,
    visit: i64,
    new: &NewAction<'_>,
    person: i64,
    now: DateTime<Utc>,
) -> Result<()> {
    diesel::insert_into(action::table)
        .values((
            action::firm_id.eq(firm),
            action::visit_id.eq(visit),
            action::finding.eq(new.finding),
            action::title.eq(new.title),
            action::minutes.eq(new.minutes),
            action::condition.eq(new.condition),
            action::live_because.eq(new.live_because),
            action::revision.eq(new.revision),
            action::person_id.eq(person),
            action::done_at.eq(now),
            action::own.eq(new.own),
            action::parts.eq(new.parts),
            action::took.eq(new.took),
            action::not_to_be_left.eq(new.not_to_be_left),
        ))
        .execute(c)
        .await?;
    Ok(())
}

/// Writes a reading; see [`Store::add_reading`].
pub(crate) async fn insert_reading(
    c: &mut AsyncPgConnection,
    firm: i64,
    visit: i64,
    new: &NewReading<'_>,
    person: i64,
    now: DateTime<Utc>,
) -> Result<i64> {
    let earlier = diesel::alias!(reading as earlier);
    let earlier = earlier
        .filter(earlier.field(reading::firm_id).eq(firm))
        .filter(earlier.field(reading::visit_id).eq(visit))
        .filter(earlier.field(reading::test).eq(new.test))
        .order(earlier.field(reading::id).desc())
        .select(earlier.field(reading::id))
        .limit(1)
        .single_value();
    let entered = diesel::insert_into(reading::table)
        .values((
            reading::firm_id.eq(firm),
            reading::visit_id.eq(visit),
            reading::revision.eq(new.revision),
            reading::test.eq(new.test),
            reading::title.eq(new.title),
            reading::value.eq(new.value),
            reading::unit.eq(new.unit),
            reading::outcome.eq(new.outcome),
            reading::words.eq(new.words),
            reading::supersedes.eq(earlier),
            reading::person_id.eq(person),
            reading::taken_at.eq(now),
            reading::client.eq(new.client),
            reading::samples.eq(new.samples),
            reading::instruments.eq(new.instruments),
            reading::lower_rank.eq(new.lower_rank),
            reading::means.eq(new.means),
        ))
        .on_conflict((reading::firm_id, reading::client))
        .do_nothing()
        .returning(reading::id);
    match committed!(c, entered).await {
        Ok(id) => Ok(id),
        Err(StoreError::Query(diesel::result::Error::NotFound)) => Ok(reading::table
            .filter(reading::firm_id.eq(firm).and(reading::client.eq(new.client)))
            .select(reading::id)
            .first(c)
            .await?),
        Err(e) => Err(e),
    }
}
