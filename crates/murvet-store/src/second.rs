//! A second factor at the door: codes by time (RFC 6238, as authenticators make them: SHA-1, six figures, thirty seconds), and codes to
//! come in with when the authenticator is lost. Each is taken once.

use crate::accounts::trail;
use crate::people::{one_time_code, secret, token_hash};
use crate::schema::{recovery_code, second_factor, session};
use crate::{Person, Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use totp_rs::{Algorithm, Secret, TOTP};

/// Seconds that a code stands.
const STEP: u64 = 30;

/// Recovery codes that are given out.
const RECOVERY: usize = 8;

/// How the second factor of somebody stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SecondFactor {
    /// There is none.
    None,
    /// Its secret, in base 32, waits to be entered in an authenticator and proved by a code.
    Begun(String),
    /// It is asked for at the door; so many recovery codes are left.
    On(i64),
}

/// The code of a secret at a step of time.
fn code_at(secret: &[u8], step: u64) -> Result<String> {
    let broken = |e: totp_rs::TotpUrlError| StoreError::Secret(e.to_string());
    let codes = TOTP::new(Algorithm::SHA1, 6, 0, STEP, secret.to_vec()).map_err(broken)?;
    Ok(codes.generate(step * STEP))
}

/// The step at which a secret gives a code, the one before and the one after counted in: clocks differ.
fn step_of(secret: &[u8], code: &str, now: DateTime<Utc>) -> Result<Option<i64>> {
    let here = u64::try_from(now.timestamp()).unwrap_or_default() / STEP;
    for step in [here, here.saturating_sub(1), here + 1] {
        if code_at(secret, step)? == code {
            return Ok(i64::try_from(step).ok());
        }
    }
    Ok(None)
}

/// A code as typed, without what people put between its parts.
fn plain(code: &str) -> String {
    code.chars().filter(|c| c.is_ascii_alphanumeric()).map(|c| c.to_ascii_uppercase()).collect()
}

/// Takes a code of a confirmed second factor: whether it is one. Of two who send the same at once one comes in.
async fn taken(
    c: &mut AsyncPgConnection,
    (firm, person): (i64, i64),
    kept: &[u8],
    code: &str,
    now: DateTime<Utc>,
) -> Result<bool> {
    let code = plain(code);
    if let Some(step) = step_of(kept, &code, now)? {
        let newer = second_factor::table.find((firm, person)).filter(second_factor::last_step.lt(step));
        return Ok(diesel::update(newer).set(second_factor::last_step.eq(step)).execute(c).await? == 1);
    }
    let unused = recovery_code::table.find((firm, person, token_hash(&code))).filter(recovery_code::used_at.is_null());
    let used = diesel::update(unused).set(recovery_code::used_at.eq(now)).execute(c).await? == 1;
    if used {
        trail(c, firm, person, person, "recovery-code", "", now).await?;
    }
    Ok(used)
}

/// What the door asks of somebody whose password is right: nothing more, a code, or another code.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Door {
    Open,
    CodeWanted,
    CodeWrong,
}

/// Asks for the second factor of somebody, where there is one.
pub(crate) async fn asked(
    c: &mut AsyncPgConnection,
    (firm, person): (i64, i64),
    code: &str,
    now: DateTime<Utc>,
) -> Result<Door> {
    let confirmed = second_factor::table.find((firm, person)).filter(second_factor::confirmed_at.is_not_null());
    let kept: Option<Vec<u8>> = confirmed.select(second_factor::secret).first(c).await.optional()?;
    Ok(match kept {
        None => Door::Open,
        Some(_) if code.trim().is_empty() => Door::CodeWanted,
        Some(kept) if taken(c, (firm, person), &kept, code, now).await? => Door::Open,
        Some(_) => Door::CodeWrong,
    })
}

async fn take_off(c: &mut AsyncPgConnection, (firm, person): (i64, i64)) -> Result<usize> {
    let codes = recovery_code::firm_id.eq(firm).and(recovery_code::person_id.eq(person));
    diesel::delete(recovery_code::table.filter(codes)).execute(c).await?;
    Ok(diesel::delete(second_factor::table.find((firm, person))).execute(c).await?)
}

impl Store {
    /// How somebody's second factor stands.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn second_factor(&self, who: &Person) -> Result<SecondFactor> {
        let mut c = self.connection().await?;
        let row: Option<(Vec<u8>, Option<DateTime<Utc>>)> = second_factor::table
            .find((who.firm_id, who.id))
            .select((second_factor::secret, second_factor::confirmed_at))
            .first(&mut c)
            .await
            .optional()?;
        Ok(match row {
            None => SecondFactor::None,
            Some((kept, None)) => SecondFactor::Begun(Secret::Raw(kept).to_encoded().to_string()),
            Some((_, Some(_))) => {
                let own = recovery_code::firm_id.eq(who.firm_id).and(recovery_code::person_id.eq(who.id));
                let left = recovery_code::table.filter(own.and(recovery_code::used_at.is_null())).count();
                SecondFactor::On(left.get_result(&mut c).await?)
            }
        })
    }

    /// Begins a second factor with a secret of its own; one that was begun before and not confirmed is begun anew. One that is
    /// confirmed stays as it is.
    ///
    /// # Errors
    /// When the database or the source of randomness fails.
    pub async fn begin_second_factor(&self, who: &Person) -> Result<()> {
        let kept = secret::<20>()?.to_vec();
        let mut c = self.connection().await?;
        let open = second_factor::table.find((who.firm_id, who.id)).filter(second_factor::confirmed_at.is_null());
        c.transaction(async |c| {
            diesel::delete(open).execute(c).await?;
            diesel::insert_into(second_factor::table)
                .values((
                    second_factor::firm_id.eq(who.firm_id),
                    second_factor::person_id.eq(who.id),
                    second_factor::secret.eq(&kept),
                ))
                .on_conflict_do_nothing()
                .execute(c)
                .await?;
            Ok(())
        })
        .await
    }

    /// Confirms a second factor by a code of it, and gives recovery codes, which are told this once; nothing where the code is wrong.
    ///
    /// # Errors
    /// When the database or the source of randomness fails.
    pub async fn confirm_second_factor(
        &self,
        who: &Person,
        code: &str,
        now: DateTime<Utc>,
    ) -> Result<Option<Vec<String>>> {
        let (firm, id) = (who.firm_id, who.id);
        let codes = (0..RECOVERY).map(|_| one_time_code()).collect::<Result<Vec<String>>>()?;
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let open = second_factor::table.find((firm, id)).filter(second_factor::confirmed_at.is_null());
            let kept: Option<Vec<u8>> = open.select(second_factor::secret).for_update().first(c).await.optional()?;
            let Some(kept) = kept else { return Ok(None) };
            let Some(step) = step_of(&kept, &plain(code), now)? else { return Ok(None) };
            diesel::update(second_factor::table.find((firm, id)))
                .set((second_factor::confirmed_at.eq(now), second_factor::last_step.eq(step)))
                .execute(c)
                .await?;
            for code in &codes {
                diesel::insert_into(recovery_code::table)
                    .values((
                        recovery_code::firm_id.eq(firm),
                        recovery_code::person_id.eq(id),
                        recovery_code::code_hash.eq(token_hash(&plain(code))),
                    ))
                    .execute(c)
                    .await?;
            }
            trail(c, firm, id, id, "second-on", "", now).await?;
            Ok(Some(codes))
        })
        .await
    }

    /// Takes a second factor off by one of its codes; whether it was one. One that was begun and not confirmed needs none.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn end_second_factor(&self, who: &Person, code: &str, now: DateTime<Utc>) -> Result<bool> {
        let (firm, id) = (who.firm_id, who.id);
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let row: Option<(Vec<u8>, Option<DateTime<Utc>>)> = second_factor::table
                .find((firm, id))
                .select((second_factor::secret, second_factor::confirmed_at))
                .first(c)
                .await
                .optional()?;
            match row {
                Some((kept, Some(_))) if !taken(c, (firm, id), &kept, code, now).await? => return Ok(false),
                Some((_, Some(_))) => trail(c, firm, id, id, "second-off", "", now).await?,
                _ => {}
            }
            take_off(c, (firm, id)).await?;
            Ok(true)
        })
        .await
    }

    /// Takes off the second factor of somebody who lost it with all codes, and ends their sessions; for whoever runs the server.
    ///
    /// # Errors
    /// When the person is not there, or the database fails.
    pub async fn lose_second_factor(&self, firm: i64, person: i64, now: DateTime<Utc>) -> Result<()> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            if take_off(c, (firm, person)).await? > 0 {
                trail(c, firm, person, person, "second-off", "", now).await?;
            }
            let own = session::table.filter(session::firm_id.eq(firm).and(session::person_id.eq(person)));
            diesel::delete(own).execute(c).await?;
            Ok(())
        })
        .await
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// RFC 6238, appendix B, SHA-1: the last six of its eight figures (RFC 4226, 5.3, takes the rest by ten to the number of figures).
    #[test]
    fn codes_are_those_of_the_standard() {
        let secret = b"12345678901234567890";
        for (seconds, code) in [
            (59, "287082"),
            (1_111_111_109, "081804"),
            (1_111_111_111, "050471"),
            (1_234_567_890, "005924"),
            (2_000_000_000, "279037"),
            (20_000_000_000, "353130"),
        ] {
            assert_eq!(code_at(secret, seconds / STEP).expect("a code"), code, "{seconds}");
        }
    }

    #[test]
    fn a_clock_may_be_half_a_minute_wrong_and_no_more() {
        let secret = b"12345678901234567890";
        let at = |seconds| DateTime::<Utc>::from_timestamp(seconds, 0).expect("a moment");
        for (seconds, fits) in [
            (1_111_111_080, true),
            (1_111_111_050, true),
            (1_111_111_139, true),
            (1_111_111_020, false),
            (1_111_111_140, false),
        ] {
            assert_eq!(step_of(secret, "081804", at(seconds)).expect("asked").is_some(), fits, "{seconds}");
        }
    }
}
