//! Firms, people and their sessions.

use crate::accounts::trail;
use crate::schema::{firm, person, session};
use crate::second::{self, Door};
use crate::{Result, Store, StoreError};
use argon2::Argon2;
use argon2::password_hash::{PasswordHasher, PasswordVerifier, phc::PasswordHash};
use chrono::{DateTime, Duration, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use sha2::{Digest, Sha256};
use tokio::sync::Semaphore;

/// How long a session lasts.
pub const SESSION_HOURS: i64 = 14;

/// Someone who works for a firm.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = person, check_for_backend(diesel::pg::Pg))]
pub struct Person {
    /// Firm.
    pub firm_id: i64,
    /// Key.
    pub id: i64,
    /// Name to sign in with.
    pub login: String,
    /// Full name.
    pub name: String,
    /// What they may do, in words.
    pub qualification: String,
    /// The measures they read beside those that were entered.
    pub measures: String,
    /// What they may do: the code of a [`Role`](crate::Role).
    pub role: String,
    /// Since when they do not work for the firm any more.
    pub closed_at: Option<DateTime<Utc>>,
}

/// Someone to be entered.
#[derive(Debug, Clone)]
pub struct NewPerson<'a> {
    /// Name to sign in with; unique over all firms.
    pub login: &'a str,
    /// Full name.
    pub name: &'a str,
    /// What they may do, in words.
    pub qualification: &'a str,
    /// Password.
    pub password: &'a str,
}

/// What somebody tells at the door.
#[derive(Debug, Clone, Copy)]
pub struct SignIn<'a> {
    /// The name to sign in with.
    pub login: &'a str,
    /// The password.
    pub password: &'a str,
    /// The code of a second factor; empty where none is told.
    pub code: &'a str,
    /// What the browser says of itself.
    pub device: &'a str,
}

/// What came of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SignedIn {
    /// The token of a session.
    Open(String),
    /// Name or password is wrong, or the person does not work there any more.
    Wrong,
    /// Both are right, and a code of the second factor is wanted.
    CodeWanted,
    /// Both are right, and the code is not.
    CodeWrong,
}

impl SignedIn {
    /// The token, where one comes in.
    pub fn token(self) -> Option<String> {
        match self {
            SignedIn::Open(token) => Some(token),
            _ => None,
        }
    }
}

/// Whether a password is one to be taken.
///
/// # Errors
/// Why not, in words.
pub fn password_fits(password: &str) -> std::result::Result<(), String> {
    match password.chars().count() {
        0..12 => Err("A password has 12 characters or more.".to_owned()),
        12..=200 => Ok(()),
        _ => Err("A password has up to 200 characters.".to_owned()),
    }
}

/// A code of ten letters and digits that cannot be mistaken for one another, in two halves.
///
/// # Errors
/// When the source of randomness fails.
pub fn one_time_code() -> Result<String> {
    // 32 of them, so that every one is as likely.
    const LETTERS: &[u8; 32] = b"ABCDEFGHJKLMNPQRSTUVWXYZ23456789";
    let code: Vec<char> = secret::<10>()?.iter().map(|b| char::from(LETTERS[usize::from(b % 32)])).collect();
    Ok(format!("{}-{}", code[..5].iter().collect::<String>(), code[5..].iter().collect::<String>()))
}

/// The argon2id hash of a password.
pub(crate) async fn hashed(password: &str) -> Result<String> {
    let password = password.to_owned();
    let hash = blocking(move || {
        let hash = Argon2::default().hash_password(password.as_bytes());
        hash.map(|h: PasswordHash| h.to_string()).map_err(|e| e.to_string())
    });
    hash.await?.map_err(StoreError::Secret)
}

pub(crate) async fn insert_person(
    c: &mut AsyncPgConnection,
    firm: i64,
    new: &NewPerson<'_>,
    hash: &str,
) -> Result<i64> {
    let person = diesel::insert_into(person::table)
        .values((
            person::firm_id.eq(firm),
            person::login.eq(new.login),
            person::name.eq(new.name),
            person::qualification.eq(new.qualification),
            person::password_hash.eq(hash),
        ))
        .returning(person::id);
    Ok(person.get_result(c).await?)
}

pub(crate) fn token_hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

/// So many random bytes in hexadecimal: a word that nobody guesses.
pub(crate) fn secret_word<const N: usize>() -> Result<String> {
    Ok(secret::<N>()?.iter().map(|b| format!("{b:02x}")).collect())
}

pub(crate) fn secret<const N: usize>() -> Result<[u8; N]> {
    let mut bytes = [0u8; N];
    getrandom::fill(&mut bytes).map_err(|e| StoreError::Secret(e.to_string()))?;
    Ok(bytes)
}

impl Store {
    /// Enters a firm with a signing key of its own and gives its key.
    ///
    /// # Errors
    /// When the database or the source of randomness fails.
    pub async fn add_firm(&self, name: &str) -> Result<i64> {
        let seed = secret::<32>()?.to_vec();
        let mut c = self.connection().await?;
        committed!(
            c,
            diesel::insert_into(firm::table)
                .values((firm::name.eq(name), firm::signing_seed.eq(seed)))
                .returning(firm::id)
        )
        .await
    }

    /// Name of a firm.
    ///
    /// # Errors
    /// When it is not there.
    pub async fn firm_name(&self, firm: i64) -> Result<String> {
        let mut c = self.connection().await?;
        firm::table.find(firm).select(firm::name).first(&mut c).await.optional()?.ok_or(StoreError::NotFound)
    }

    /// Whether anything was ever entered.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn is_empty(&self) -> Result<bool> {
        let mut c = self.connection().await?;
        let count: i64 = firm::table.count().get_result(&mut c).await?;
        Ok(count == 0)
    }

    /// Enters a person with an argon2id hash of the password.
    ///
    /// # Errors
    /// When the sign-in name is taken or the database fails.
    pub async fn add_person(&self, firm: i64, new: &NewPerson<'_>) -> Result<i64> {
        let hash = hashed(new.password).await?;
        let mut c = self.connection().await?;
        c.transaction(async |c| insert_person(c, firm, new, &hash).await).await
    }

    /// Enters the first firm and its first person, unless there is a firm already: then nothing. Gives both keys.
    ///
    /// # Errors
    /// When the database or the source of randomness fails.
    pub async fn set_up(&self, firm_name: &str, new: &NewPerson<'_>) -> Result<Option<(i64, i64)>> {
        let hash = hashed(new.password).await?;
        let seed = secret::<32>()?.to_vec();
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            // Of two at once the second waits here, and finds a firm.
            diesel::sql_query("LOCK TABLE firm IN EXCLUSIVE MODE").execute(c).await?;
            let firms: i64 = firm::table.count().get_result(c).await?;
            if firms > 0 {
                return Ok(None);
            }
            let firm: i64 = diesel::insert_into(firm::table)
                .values((firm::name.eq(firm_name), firm::signing_seed.eq(seed)))
                .returning(firm::id)
                .get_result(c)
                .await?;
            Ok(Some((firm, insert_person(c, firm, new, &hash).await?)))
        })
        .await
    }

    /// The key of a firm, by its name or its number.
    ///
    /// # Errors
    /// When there is none of it, or more than one.
    pub async fn firm_called(&self, name: &str) -> Result<i64> {
        let mut c = self.connection().await?;
        let named: Vec<i64> = firm::table.filter(firm::name.eq(name)).select(firm::id).load(&mut c).await?;
        match (&named[..], name.parse::<i64>()) {
            ([one], _) => Ok(*one),
            ([], Ok(number)) => {
                let found = firm::table.find(number).select(firm::id).first(&mut c).await.optional()?;
                found.ok_or(StoreError::NotFound)
            }
            _ => Err(StoreError::NotFound),
        }
    }

    /// Gives somebody another password and ends their sessions everywhere.
    ///
    /// # Errors
    /// When nobody has that name to sign in with, or the database fails.
    pub async fn set_password(&self, login: &str, password: &str) -> Result<()> {
        let hash = hashed(password).await?;
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let changed: Option<(i64, i64)> = diesel::update(person::table.filter(person::login.eq(login)))
                .set(person::password_hash.eq(&hash))
                .returning((person::firm_id, person::id))
                .get_result(c)
                .await
                .optional()?;
            let (firm, id) = changed.ok_or(StoreError::NotFound)?;
            let own = session::table.filter(session::firm_id.eq(firm).and(session::person_id.eq(id)));
            diesel::delete(own).execute(c).await?;
            Ok(())
        })
        .await
    }

    /// Checks a password, and a code where somebody has a second factor, and opens a session. An unknown name takes as long as a wrong
    /// password.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sign_in(&self, told: SignIn<'_>, now: DateTime<Utc>) -> Result<SignedIn> {
        let SignIn { login, password, code, device } = told;
        let mut c = self.connection().await?;
        let found: Option<(i64, i64, String)> = person::table
            .filter(person::login.eq(login).and(person::closed_at.is_null()))
            .select((person::firm_id, person::id, person::password_hash))
            .first(&mut c)
            .await
            .optional()?;
        // Hashing takes its time: meanwhile the connection serves others.
        drop(c);
        let known = found.is_some();
        // A hash of nothing anybody knows, so that both answers cost the same.
        let (firm, id, hash) = found.unwrap_or_else(|| (0, 0, DECOY.to_owned()));
        let fits = fits(password, hash).await?;
        let mut c = self.connection().await?;
        if !(known && fits) {
            // A name that is somebody's is worth knowing about; a name that is nobody's belongs to no firm.
            if known {
                trail(&mut c, firm, id, id, "refused", device, now).await?;
            }
            return Ok(SignedIn::Wrong);
        }
        match second::asked(&mut c, (firm, id), code, now).await? {
            Door::Open => {}
            Door::CodeWanted => return Ok(SignedIn::CodeWanted),
            Door::CodeWrong => {
                trail(&mut c, firm, id, id, "refused", device, now).await?;
                return Ok(SignedIn::CodeWrong);
            }
        }
        let token = secret_word::<32>()?;
        diesel::delete(session::table.filter(session::expires_at.lt(now))).execute(&mut c).await?;
        trail(&mut c, firm, id, id, "signed-in", device, now).await?;
        diesel::insert_into(session::table)
            .values((
                session::token_hash.eq(token_hash(&token)),
                session::firm_id.eq(firm),
                session::person_id.eq(id),
                session::expires_at.eq(now + Duration::hours(SESSION_HOURS)),
                session::began_at.eq(now),
                session::device.eq(device),
            ))
            .execute(&mut c)
            .await?;
        Ok(SignedIn::Open(token))
    }

    /// Who a session belongs to, if it is still open.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn who(&self, token: &str, now: DateTime<Utc>) -> Result<Option<Person>> {
        let mut c = self.connection().await?;
        Ok(by_person!(session)
            .filter(session::token_hash.eq(token_hash(token)).and(session::expires_at.gt(now)))
            .filter(person::closed_at.is_null())
            .select(Person::as_select())
            .first(&mut c)
            .await
            .optional()?)
    }

    /// Closes a session.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sign_out(&self, token: &str) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::delete(session::table.find(token_hash(token))).execute(&mut c).await?;
        Ok(())
    }

    /// The people of a firm.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn people(&self, firm: i64) -> Result<Vec<Person>> {
        let mut c = self.connection().await?;
        Ok(person::table
            .filter(person::firm_id.eq(firm))
            .order(person::id)
            .select(Person::as_select())
            .load(&mut c)
            .await?)
    }
}

/// Whether a password is that of a hash.
pub(crate) async fn fits(password: &str, hash: String) -> Result<bool> {
    let password = password.to_owned();
    blocking(move || {
        PasswordHash::new(&hash).is_ok_and(|h| Argon2::default().verify_password(password.as_bytes(), &h).is_ok())
    })
    .await
}

const DECOY: &str = "$argon2id$v=19$m=19456,t=2,p=1$bm90YXNhbHRhdGFsbCEh$0f8mM9rBvYyXWq1wQH6xk8m1Jz8m0o8f3dYb1bq3x7M";

/// At most so many passwords are hashed at once, whoever knocks: each takes 19 MB and a core.
static HASHING: Semaphore = Semaphore::const_new(2);

/// Runs slow hashing away from the threads that answer requests, a few at a time.
async fn blocking<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T> {
    let turn = HASHING.acquire().await.map_err(|e| StoreError::Secret(e.to_string()))?;
    let work = move || {
        let _turn = turn;
        work()
    };
    tokio::task::spawn_blocking(work).await.map_err(|e| StoreError::Secret(e.to_string()))
}
