//! Customers, rigs with numbered revisions, and visits.

use crate::complaints::{NewComplaint, insert_complaints};
use crate::history::pattern;
use crate::instruments::not_of_firm;
use crate::schema::{customer, person, rig, rig_revision, visit};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::dsl::max;
use diesel::prelude::*;
use diesel::result::{DatabaseErrorKind, Error};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};

/// One revision of a rig's trace.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = rig_revision, check_for_backend(diesel::pg::Pg))]
pub struct Revision {
    /// Number from 1.
    pub number: i32,
    /// The trace in notation.
    pub text: String,
    /// What changed, in words.
    pub note: String,
    /// Who made it.
    pub person_id: i64,
    /// When.
    pub made_at: DateTime<Utc>,
}

/// What came of saving a revision.
#[derive(Debug, Clone)]
pub enum Saved {
    /// It is now the revision of this number.
    As(i32),
    /// Another revision was saved meanwhile; nothing was written.
    Conflict(Box<Revision>),
}

/// A visit with what is needed at every station.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = visit, check_for_backend(diesel::pg::Pg))]
pub struct Visit {
    /// Key.
    pub id: i64,
    /// The rig.
    pub rig_id: i64,
    /// Day.
    pub planned_on: NaiveDate,
    /// Hours set aside.
    pub hours: f64,
    /// What the customer complains of.
    pub complaint: String,
    /// The rig's name.
    #[diesel(select_expression = rig::name)]
    pub rig_name: String,
    /// The rig's profile.
    #[diesel(select_expression = rig::profile)]
    pub profile: String,
    /// The customer's name.
    #[diesel(select_expression = customer::name)]
    pub customer_name: String,
    /// How to reach the customer.
    #[diesel(select_expression = customer::contact)]
    pub customer_contact: String,
    /// Who makes it.
    #[diesel(select_expression = person::name)]
    pub person_name: String,
    /// What they may do.
    #[diesel(select_expression = person::qualification)]
    pub qualification: String,
    /// What it is for, by its code.
    pub kind: String,
    /// The revision of the rig that stood when it was opened.
    pub since: i32,
    /// The zone of its times, by its name in the time zone database.
    pub zone: String,
    /// Whether it was withdrawn and does not count.
    pub withdrawn: bool,
    /// Whether its rig is made up, to learn on: nothing of it is counted.
    pub training: bool,
    /// Who makes it, by key.
    pub person_id: i64,
    /// The language in which the customer reads, by its code; nothing for that of the region.
    #[diesel(select_expression = customer::language)]
    pub customer_language: Option<String>,
    /// Who built the rig, where that is known.
    #[diesel(select_expression = rig::builder)]
    pub builder: String,
    /// The year it was built.
    #[diesel(select_expression = rig::built)]
    pub built: Option<i32>,
}

/// A visit to be entered.
#[derive(Debug, Clone)]
pub struct NewVisit<'a> {
    /// The rig.
    pub rig: i64,
    /// Who makes it.
    pub person: i64,
    /// Day.
    pub planned_on: NaiveDate,
    /// Hours set aside.
    pub hours: f64,
    /// What the customer complains of.
    pub complaint: &'a str,
    /// What it is for, by its code.
    pub kind: &'a str,
    /// The zone of its times, by its name in the time zone database.
    pub zone: &'a str,
}

/// A first visit to a rig that nobody has entered yet.
#[derive(Debug, Clone)]
pub struct NewRigVisit<'a> {
    /// The name of the customer; one of that name is taken where there is one.
    pub customer: &'a str,
    /// How to reach a customer who is new.
    pub contact: &'a str,
    /// The name of the rig.
    pub rig: &'a str,
    /// Its profile.
    pub profile: &'a str,
    /// Its first text in the notation.
    pub text: &'a str,
    /// The visit; the rig in it is the one that is made.
    pub visit: NewVisit<'a>,
}

impl Store {
    /// Opens a visit to a rig that is made up, to learn on.
    ///
    /// # Errors
    /// When the person is not of this firm, or the database fails.
    pub async fn open_training(&self, firm: i64, new: &NewRigVisit<'_>, now: DateTime<Utc>) -> Result<i64> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let id = insert_rig_visit(c, firm, new, now).await?;
            let own = visit::table.filter(visit::firm_id.eq(firm).and(visit::id.eq(id)));
            diesel::update(own).set(visit::training.eq(true)).execute(c).await?;
            Ok(id)
        })
        .await
    }

    /// Enters a customer.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn add_customer(&self, firm: i64, name: &str, contact: &str) -> Result<i64> {
        let mut c = self.connection().await?;
        c.transaction(async |c| insert_customer(c, firm, name, contact).await).await
    }

    /// Keeps the language in which the customer of a visit reads; nothing takes it back.
    ///
    /// # Errors
    /// When the visit is not of this firm, the code has no form of one, or the database fails.
    pub async fn set_customer_language(&self, firm: i64, id: i64, language: Option<&str>) -> Result<()> {
        let mut c = self.connection().await?;
        let own = visit::table
            .inner_join(rig::table.on(rig::firm_id.eq(visit::firm_id).and(rig::id.eq(visit::rig_id))))
            .filter(visit::firm_id.eq(firm).and(visit::id.eq(id)))
            .select(rig::customer_id)
            .first::<i64>(&mut c)
            .await
            .optional()?
            .ok_or(StoreError::NotFound)?;
        diesel::update(customer::table.filter(customer::firm_id.eq(firm).and(customer::id.eq(own))))
            .set(customer::language.eq(language))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// Names of customers that have these words in them, in order: at most so many, each once.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn find_customers(&self, firm: i64, words: &str, most: i64) -> Result<Vec<String>> {
        let mut c = self.connection().await?;
        let found = customer::table.filter(customer::firm_id.eq(firm).and(customer::name.ilike(pattern(words))));
        Ok(found.select(customer::name).distinct().order(customer::name).limit(most).load(&mut c).await?)
    }

    /// Enters a rig with its first revision.
    ///
    /// # Errors
    /// When the customer is not of this firm, or the database fails.
    #[expect(clippy::too_many_arguments, reason = "one row of a table")]
    pub async fn add_rig(
        &self,
        firm: i64,
        customer: i64,
        name: &str,
        profile: &str,
        text: &str,
        person: i64,
        now: DateTime<Utc>,
    ) -> Result<i64> {
        let mut c = self.connection().await?;
        c.transaction(async |c| insert_rig(c, firm, customer, (name, profile, text), person, now).await).await
    }

    /// Saves a revision on top of the one it was made from. The key of revisions is their number, so of
    /// two that were made from the same one exactly one is written.
    ///
    /// # Errors
    /// When the rig is not of this firm, or the database fails.
    #[expect(clippy::too_many_arguments, reason = "one row of a table")]
    pub async fn save_revision(
        &self,
        firm: i64,
        rig: i64,
        base: i32,
        text: &str,
        note: &str,
        person: i64,
        now: DateTime<Utc>,
    ) -> Result<Saved> {
        let latest = self.latest_revision(firm, rig).await?;
        let mut c = self.connection().await?;
        if latest.number == base && insert_revision(&mut c, firm, rig, base + 1, text, note, person, now).await? {
            return Ok(Saved::As(base + 1));
        }
        drop(c);
        Ok(Saved::Conflict(Box::new(self.latest_revision(firm, rig).await?)))
    }

    /// The newest revision of a rig.
    ///
    /// # Errors
    /// When the rig is not of this firm.
    pub async fn latest_revision(&self, firm: i64, rig: i64) -> Result<Revision> {
        let mut c = self.connection().await?;
        rig_revision::table
            .filter(rig_revision::firm_id.eq(firm).and(rig_revision::rig_id.eq(rig)))
            .order(rig_revision::number.desc())
            .select(Revision::as_select())
            .first(&mut c)
            .await
            .optional()?
            .ok_or(StoreError::NotFound)
    }

    /// One revision of a rig.
    ///
    /// # Errors
    /// When it is not there.
    pub async fn revision(&self, firm: i64, rig: i64, number: i32) -> Result<Revision> {
        let mut c = self.connection().await?;
        let found = rig_revision::table.find((firm, rig, number)).select(Revision::as_select()).first(&mut c).await;
        found.optional()?.ok_or(StoreError::NotFound)
    }

    /// All revisions of a rig, newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn revisions(&self, firm: i64, rig: i64) -> Result<Vec<(Revision, String)>> {
        let mut c = self.connection().await?;
        Ok(by_person!(rig_revision)
            .filter(rig_revision::firm_id.eq(firm).and(rig_revision::rig_id.eq(rig)))
            .order(rig_revision::number.desc())
            .select((Revision::as_select(), person::name))
            .load(&mut c)
            .await?)
    }

    /// Enters a visit.
    ///
    /// # Errors
    /// When rig or person are not of this firm, or the database fails.
    pub async fn add_visit(&self, firm: i64, new: &NewVisit<'_>) -> Result<i64> {
        let mut c = self.connection().await?;
        c.transaction(async |c| insert_visit(c, firm, new).await).await
    }

    /// Opens a visit to a rig that is new: its customer where none of that name is known, the rig with its first revision, the
    /// visit and what is complained of. Either all of it is written or none.
    ///
    /// # Errors
    /// When the person is not of this firm, or the database fails.
    pub async fn open_visit(
        &self,
        firm: i64,
        new: &NewRigVisit<'_>,
        complaints: &[NewComplaint<'_>],
        now: DateTime<Utc>,
    ) -> Result<i64> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let visit = insert_rig_visit(c, firm, new, now).await?;
            insert_complaints(c, firm, visit, complaints, new.visit.person, now).await?;
            Ok(visit)
        })
        .await
    }

    /// What a visit is for, by its code, from now on.
    ///
    /// # Errors
    /// When the visit is not of this firm, the code is none, or the database fails.
    pub async fn set_visit_kind(&self, firm: i64, id: i64, kind: &str) -> Result<()> {
        let mut c = self.connection().await?;
        let own = visit::table.filter(visit::firm_id.eq(firm).and(visit::id.eq(id)));
        let changed = diesel::update(own).set(visit::kind.eq(kind)).execute(&mut c).await?;
        if changed == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }

    /// One visit.
    ///
    /// # Errors
    /// When it is not there or belongs to another firm.
    pub async fn visit(&self, firm: i64, id: i64) -> Result<Visit> {
        let mut c = self.connection().await?;
        let own = visit_rows!().filter(visit::firm_id.eq(firm).and(visit::id.eq(id)));
        own.select(Visit::as_select()).first(&mut c).await.optional()?.ok_or(StoreError::NotFound)
    }
}

async fn insert_customer(c: &mut AsyncPgConnection, firm: i64, name: &str, contact: &str) -> Result<i64> {
    Ok(diesel::insert_into(customer::table)
        .values((customer::firm_id.eq(firm), customer::name.eq(name), customer::contact.eq(contact)))
        .returning(customer::id)
        .get_result(c)
        .await?)
}

/// Writes a visit to a rig that is new, its rig, and its customer where none of that name is known.
pub(crate) async fn insert_rig_visit(
    c: &mut AsyncPgConnection,
    firm: i64,
    new: &NewRigVisit<'_>,
    now: DateTime<Utc>,
) -> Result<i64> {
    let known = customer::table
        .filter(customer::firm_id.eq(firm).and(customer::name.eq(new.customer)))
        .order(customer::id)
        .select(customer::id)
        .first(c)
        .await
        .optional()?;
    let customer = match known {
        Some(id) => id,
        None => insert_customer(c, firm, new.customer, new.contact).await?,
    };
    let rig = insert_rig(c, firm, customer, (new.rig, new.profile, new.text), new.visit.person, now).await?;
    insert_visit(c, firm, &NewVisit { rig, ..new.visit }).await
}

async fn insert_rig(
    c: &mut AsyncPgConnection,
    firm: i64,
    customer: i64,
    (name, profile, text): (&str, &str, &str),
    person: i64,
    now: DateTime<Utc>,
) -> Result<i64> {
    let id: i64 = diesel::insert_into(rig::table)
        .values((rig::firm_id.eq(firm), rig::customer_id.eq(customer), rig::name.eq(name), rig::profile.eq(profile)))
        .returning(rig::id)
        .get_result(c)
        .await
        .map_err(not_of_firm)?;
    insert_revision(c, firm, id, 1, text, "first entry", person, now).await?;
    Ok(id)
}

/// Writes a visit with the newest revision of its rig as the one that stood when it was opened.
async fn insert_visit(c: &mut AsyncPgConnection, firm: i64, new: &NewVisit<'_>) -> Result<i64> {
    let newest = rig_revision::table
        .filter(rig_revision::firm_id.eq(firm).and(rig_revision::rig_id.eq(new.rig)))
        .select(max(rig_revision::number))
        .first::<Option<i32>>(c)
        .await?;
    diesel::insert_into(visit::table)
        .values((
            visit::firm_id.eq(firm),
            visit::rig_id.eq(new.rig),
            visit::person_id.eq(new.person),
            visit::planned_on.eq(new.planned_on),
            visit::hours.eq(new.hours),
            visit::complaint.eq(new.complaint),
            visit::kind.eq(new.kind),
            visit::zone.eq(new.zone),
            visit::since.eq(newest.unwrap_or(1)),
        ))
        .returning(visit::id)
        .get_result(c)
        .await
        .map_err(not_of_firm)
}

/// Writes a revision under its number; false when somebody else has written that number.
#[expect(clippy::too_many_arguments, reason = "one row of a table")]
pub(crate) async fn insert_revision(
    c: &mut AsyncPgConnection,
    firm: i64,
    rig_id: i64,
    number: i32,
    text: &str,
    note: &str,
    person: i64,
    now: DateTime<Utc>,
) -> Result<bool> {
    let done = diesel::insert_into(rig_revision::table)
        .values((
            rig_revision::firm_id.eq(firm),
            rig_revision::rig_id.eq(rig_id),
            rig_revision::number.eq(number),
            rig_revision::text.eq(text),
            rig_revision::note.eq(note),
            rig_revision::person_id.eq(person),
            rig_revision::made_at.eq(now),
        ))
        .execute(c)
        .await;
    match done {
        Ok(_) => Ok(true),
        Err(Error::DatabaseError(DatabaseErrorKind::UniqueViolation, _)) => Ok(false),
        Err(e) => Err(not_of_firm(e)),
    }
}
