//! Forms that were sent: each is entered once.

use crate::people::secret_word;
use crate::schema::sent_form;
use crate::{Result, Store};
use chrono::{DateTime, Duration, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use sha2::{Digest, Sha256};

/// What became of a form.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Sent {
    /// It is sent for the first time, or what it was sent for before came to nothing.
    First,
    /// It was entered, and led there.
    Before(String),
    /// It is being entered by another request, or by a server that was lost meanwhile.
    Begun,
}

/// A name for the forms of one page that nobody guesses.
///
/// # Errors
/// When the source of randomness fails.
pub fn form_name() -> Result<String> {
    secret_word::<16>()
}

/// How long a form is known by its name.
const KNOWN_HOURS: i64 = 48;

fn key(session: &str, name: &str) -> Vec<u8> {
    let mut hash = Sha256::new();
    hash.update(session.as_bytes());
    hash.update([0]);
    hash.update(name.as_bytes());
    hash.finalize().to_vec()
}

impl Store {
    /// Takes a form of a session up under the name it carries, once.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn take_form(&self, session: &str, name: &str, now: DateTime<Utc>) -> Result<Sent> {
        let mut c = self.connection().await?;
        let key = key(session, name);
        diesel::delete(sent_form::table.filter(sent_form::at.lt(now - Duration::hours(KNOWN_HOURS))))
            .execute(&mut c)
            .await?;
        let taken = diesel::insert_into(sent_form::table)
            .values((sent_form::key.eq(&key), sent_form::at.eq(now)))
            .on_conflict_do_nothing()
            .execute(&mut c)
            .await?;
        if taken == 1 {
            return Ok(Sent::First);
        }
        let led_to: Option<Option<String>> =
            sent_form::table.find(&key).select(sent_form::led_to).first(&mut c).await.optional()?;
        Ok(match led_to {
            Some(Some(place)) => Sent::Before(place),
            // Gone between the two questions: what it was sent for came to nothing, and it may be taken up again.
            Some(None) | None => Sent::Begun,
        })
    }

    /// Writes down where a form led; one that led nowhere may be sent again.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn form_led(&self, session: &str, name: &str, to: Option<&str>) -> Result<()> {
        let mut c = self.connection().await?;
        let own = sent_form::table.find(key(session, name));
        match to {
            Some(place) => diesel::update(own).set(sent_form::led_to.eq(place)).execute(&mut c).await?,
            None => diesel::delete(own).execute(&mut c).await?,
        };
        Ok(())
    }
}
