//! What people may do, where they are signed in, and what happened to their accounts.

use crate::people::{fits, hashed, insert_person, token_hash};
use crate::schema::{person, session, trail as trail_table};
use crate::{NewPerson, Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Nullable, Text, Timestamptz};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};

/// What somebody may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// Everything: audits, measures, decides and signs.
    Inspector,
    /// People, customers, visits, instruments and prices; nothing that makes a verdict.
    Office,
    /// Looks.
    ReadOnly,
}

impl Role {
    /// All of them.
    pub const ALL: [Role; 3] = [Role::Inspector, Role::Office, Role::ReadOnly];

    /// The code in the database.
    pub fn code(self) -> &'static str {
        match self {
            Role::Inspector => "inspector",
            Role::Office => "office",
            Role::ReadOnly => "read-only",
        }
    }

    /// Reads a code.
    pub fn of(code: &str) -> Option<Role> {
        Role::ALL.into_iter().find(|r| r.code() == code)
    }
}

/// Whether a change to somebody's account was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Change {
    /// It was.
    Made,
    /// It was not: nobody would be left who may do everything.
    LastInspector,
}

/// Where somebody is signed in.
#[derive(Debug, Clone, Queryable)]
pub struct SessionRow {
    /// Key.
    pub id: i64,
    /// Since when.
    pub began_at: DateTime<Utc>,
    /// Until when at most.
    pub expires_at: DateTime<Utc>,
    /// What the browser says of itself.
    pub device: String,
    /// Hash of its token.
    token_hash: Vec<u8>,
}

impl SessionRow {
    /// Whether it is the session of this token.
    pub fn is(&self, token: &str) -> bool {
        self.token_hash == token_hash(token)
    }
}

/// Something that somebody did.
#[derive(Debug, Clone, QueryableByName)]
pub struct TrailRow {
    /// When.
    #[diesel(sql_type = Timestamptz)]
    pub at: DateTime<Utc>,
    /// Who.
    #[diesel(sql_type = Text)]
    pub person: String,
    /// What: a code of the trail, or the kind of record that was made.
    #[diesel(sql_type = Text)]
    pub event: String,
    /// To whom, for what was done to an account.
    #[diesel(sql_type = Nullable<Text>)]
    pub about: Option<String>,
    /// The visit it belongs to.
    #[diesel(sql_type = Nullable<BigInt>)]
    pub visit: Option<i64>,
    /// What it was.
    #[diesel(sql_type = Text)]
    pub words: String,
}

/// Everything that is written by people, newest first; each table gives no more than is asked for.
const TRAIL: &str = "SELECT t.at, p.name AS person, t.event, a.name AS about, t.visit, t.words FROM (
    (SELECT at, person_id, event, about_id, NULL::bigint AS visit, words FROM trail WHERE firm_id = $1 AND at < $2 ORDER BY at DESC LIMIT $3)
    UNION ALL (SELECT made_at, person_id, 'trace', NULL, NULL, note FROM rig_revision WHERE firm_id = $1 AND made_at < $2 ORDER BY made_at DESC LIMIT $3)
    UNION ALL (SELECT taken_at, person_id, 'reading', NULL, visit_id, title FROM reading WHERE firm_id = $1 AND taken_at < $2 ORDER BY taken_at DESC LIMIT $3)
    UNION ALL (SELECT at, person_id, 'finding', NULL, visit_id, statement FROM finding_event WHERE firm_id = $1 AND at < $2 ORDER BY at DESC LIMIT $3)
    UNION ALL (SELECT done_at, person_id, 'repair', NULL, visit_id, title FROM action WHERE firm_id = $1 AND done_at < $2 ORDER BY done_at DESC LIMIT $3)
    UNION ALL (SELECT signed_at, person_id, 'hand-over', NULL, visit_id, '' FROM hand_over WHERE firm_id = $1 AND signed_at < $2 ORDER BY signed_at DESC LIMIT $3)
    UNION ALL (SELECT at, person_id, 'limit', NULL, NULL, field || ': ' || reason FROM firm_limit WHERE firm_id = $1 AND at < $2 ORDER BY at DESC LIMIT $3)
    UNION ALL (SELECT at, person_id, 'school', NULL, NULL, school || ': ' || reason FROM firm_choice WHERE firm_id = $1 AND at < $2 ORDER BY at DESC LIMIT $3)
) t JOIN person p ON p.firm_id = $1 AND p.id = t.person_id LEFT JOIN person a ON a.firm_id = $1 AND a.id = t.about_id
ORDER BY t.at DESC LIMIT $3";

/// Writes down what happened to an account.
pub(crate) async fn trail(
    c: &mut AsyncPgConnection,
    firm: i64,
    by: i64,
    about: i64,
    event: &str,
    words: &str,
    now: DateTime<Utc>,
) -> Result<()> {
    diesel::insert_into(trail_table::table)
        .values((
            trail_table::firm_id.eq(firm),
            trail_table::person_id.eq(by),
            trail_table::about_id.eq(about),
            trail_table::event.eq(event),
            trail_table::words.eq(words.chars().take(300).collect::<String>()),
            trail_table::at.eq(now),
        ))
        .execute(c)
        .await?;
    Ok(())
}

/// Whether somebody else than this person may do everything. All who may are locked in one order, so that of two who close each
/// other at once the second waits, and then finds nobody.
async fn others_may(c: &mut AsyncPgConnection, firm: i64, id: i64) -> Result<bool> {
    let may = person::table
        .filter(person::firm_id.eq(firm))
        .filter(person::closed_at.is_null().and(person::role.eq(Role::Inspector.code())));
    let left: Vec<i64> = may.select(person::id).order(person::id).for_update().load(c).await?;
    Ok(left.iter().any(|other| *other != id))
}

impl Store {
    /// Enters a person with what they may do; `by` is who enters them.
    ///
    /// # Errors
    /// When the sign-in name is taken or the database fails.
    pub async fn add_colleague(
        &self,
        firm: i64,
        by: i64,
        new: &NewPerson<'_>,
        role: Role,
        now: DateTime<Utc>,
    ) -> Result<i64> {
        let hash = hashed(new.password).await?;
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let id = insert_person(c, firm, new, &hash).await?;
            diesel::update(person::table.find((firm, id))).set(person::role.eq(role.code())).execute(c).await?;
            trail(c, firm, by, id, "added", role.code(), now).await?;
            Ok(id)
        })
        .await
    }

    /// What somebody may do from now on.
    ///
    /// # Errors
    /// When the person is not of this firm, or the database fails.
    pub async fn set_role(&self, firm: i64, by: i64, id: i64, role: Role, now: DateTime<Utc>) -> Result<Change> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            if role != Role::Inspector && !others_may(c, firm, id).await? {
                return Ok(Change::LastInspector);
            }
            let found = person::table.find((firm, id));
            if diesel::update(found).set(person::role.eq(role.code())).execute(c).await? == 0 {
                return Err(StoreError::NotFound);
            }
            trail(c, firm, by, id, "role", role.code(), now).await?;
            Ok(Change::Made)
        })
        .await
    }

    /// Closes somebody's account and ends their sessions, or opens it again. What they did stays.
    ///
    /// # Errors
    /// When the person is not of this firm, or the database fails.
    pub async fn close_person(&self, firm: i64, by: i64, id: i64, close: bool, now: DateTime<Utc>) -> Result<Change> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            if close && !others_may(c, firm, id).await? {
                return Ok(Change::LastInspector);
            }
            let at = close.then_some(now);
            let found = person::table.find((firm, id));
            if diesel::update(found).set(person::closed_at.eq(at)).execute(c).await? == 0 {
                return Err(StoreError::NotFound);
            }
            let own = session::table.filter(session::firm_id.eq(firm).and(session::person_id.eq(id)));
            diesel::delete(own).execute(c).await?;
            trail(c, firm, by, id, if close { "closed" } else { "opened" }, "", now).await?;
            Ok(Change::Made)
        })
        .await
    }

    /// The key of a firm and of a person, by the name they sign in with.
    ///
    /// # Errors
    /// When nobody has it.
    pub async fn person_called(&self, login: &str) -> Result<(i64, i64)> {
        let mut c = self.connection().await?;
        let found = person::table.filter(person::login.eq(login)).select((person::firm_id, person::id));
        found.first(&mut c).await.optional()?.ok_or(StoreError::NotFound)
    }

    /// Changes one's own password, where the old one is right, and ends every other session of one's own.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn change_password(
        &self,
        who: &crate::Person,
        old: &str,
        new: &str,
        token: &str,
        now: DateTime<Utc>,
    ) -> Result<bool> {
        let (firm, id, kept) = (who.firm_id, who.id, token_hash(token));
        let mut c = self.connection().await?;
        let hash: String = person::table.find((firm, id)).select(person::password_hash).first(&mut c).await?;
        drop(c);
        if !fits(old, hash).await? {
            return Ok(false);
        }
        let hash = hashed(new).await?;
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            diesel::update(person::table.find((firm, id))).set(person::password_hash.eq(&hash)).execute(c).await?;
            let others = session::table
                .filter(session::firm_id.eq(firm).and(session::person_id.eq(id)))
                .filter(session::token_hash.ne(kept.clone()));
            diesel::delete(others).execute(c).await?;
            trail(c, firm, id, id, "password", "", now).await?;
            Ok(true)
        })
        .await
    }

    /// Where somebody is signed in, the newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sessions(&self, firm: i64, id: i64, now: DateTime<Utc>) -> Result<Vec<SessionRow>> {
        let mut c = self.connection().await?;
        Ok(session::table
            .filter(session::firm_id.eq(firm).and(session::person_id.eq(id)).and(session::expires_at.gt(now)))
            .order(session::began_at.desc())
            .select((session::id, session::began_at, session::expires_at, session::device, session::token_hash))
            .load(&mut c)
            .await?)
    }

    /// Ends one session of somebody, or all but that of `token` where none is named.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn end_sessions(
        &self,
        who: &crate::Person,
        one: Option<i64>,
        token: &str,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let own = session::table.filter(session::firm_id.eq(who.firm_id).and(session::person_id.eq(who.id)));
            let ended = match one {
                Some(id) => diesel::delete(own.filter(session::id.eq(id))).execute(c).await?,
                None => diesel::delete(own.filter(session::token_hash.ne(token_hash(token)))).execute(c).await?,
            };
            if ended > 0 {
                trail(c, who.firm_id, who.id, who.id, "sessions-ended", &ended.to_string(), now).await?;
            }
            Ok(())
        })
        .await
    }

    /// What the people of a firm did before a moment, newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn trail(&self, firm: i64, before: DateTime<Utc>, most: i64) -> Result<Vec<TrailRow>> {
        let mut c = self.connection().await?;
        let asked =
            diesel::sql_query(TRAIL).bind::<BigInt, _>(firm).bind::<Timestamptz, _>(before).bind::<BigInt, _>(most);
        Ok(asked.load(&mut c).await?)
    }
}
