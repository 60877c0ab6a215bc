//! Visits that came in a bundle of another firm.

use crate::complaints::{NewComplaint, insert_complaints};
use crate::records::insert_reading;
use crate::rigs::{NewRigVisit, insert_rig_visit};
use crate::schema::{origin, person};
use crate::sign::key_of;
use crate::{NewReading, Result, Store};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use ed25519_dalek::Signer;

/// Where a visit came from.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = origin, check_for_backend(diesel::pg::Pg))]
pub struct Origin {
    /// The firm, as it calls itself.
    pub firm: String,
    /// The key that the bundle was sealed with.
    pub public_key: Vec<u8>,
    /// SHA-256 of the bundle.
    pub sha256: Vec<u8>,
    /// When it was made, as it says.
    pub made_at: String,
    /// The record in it, as JSON.
    pub record: String,
    /// Who opened it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A visit from a bundle, to be written.
#[derive(Debug, Clone)]
pub struct NewOrigin<'a> {
    /// Rig, customer and visit.
    pub visit: NewRigVisit<'a>,
    /// What was complained of.
    pub complaints: &'a [NewComplaint<'a>],
    /// Readings with the moment in which they were taken.
    pub readings: &'a [(NewReading<'a>, DateTime<Utc>)],
    /// The firm, as it calls itself.
    pub firm: &'a str,
    /// The key that the bundle was sealed with.
    pub public_key: &'a [u8],
    /// SHA-256 of the bundle.
    pub sha256: &'a [u8],
    /// When it was made, as it says.
    pub made_at: &'a str,
    /// The record in it, as JSON.
    pub record: &'a str,
}

impl Store {
    /// Writes a visit from a bundle: rig, visit, complaints, readings and where they are from. Either all of it or none.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn take_in(&self, firm: i64, new: &NewOrigin<'_>, by: i64, now: DateTime<Utc>) -> Result<i64> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let visit = insert_rig_visit(c, firm, &new.visit, now).await?;
            insert_complaints(c, firm, visit, new.complaints, by, now).await?;
            for (reading, taken_at) in new.readings {
                insert_reading(c, firm, visit, reading, by, *taken_at).await?;
            }
            diesel::insert_into(origin::table)
                .values((
                    origin::firm_id.eq(firm),
                    origin::visit_id.eq(visit),
                    origin::firm.eq(new.firm),
                    origin::public_key.eq(new.public_key),
                    origin::sha256.eq(new.sha256),
                    origin::made_at.eq(new.made_at),
                    origin::record.eq(new.record),
                    origin::person_id.eq(by),
                    origin::at.eq(now),
                ))
                .execute(c)
                .await?;
            Ok(visit)
        })
        .await
    }

    /// Where a visit came from; nothing where it is the firm's own.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn origin(&self, firm: i64, visit: i64) -> Result<Option<Origin>> {
        let mut c = self.connection().await?;
        let own = by_person!(origin).filter(origin::firm_id.eq(firm).and(origin::visit_id.eq(visit)));
        Ok(own.select(Origin::as_select()).first(&mut c).await.optional()?)
    }

    /// The public key of a firm.
    ///
    /// # Errors
    /// When the firm is not there, or the database fails.
    pub async fn public_key(&self, firm: i64) -> Result<Vec<u8>> {
        let key = key_of(&mut *self.connection().await?, firm).await?;
        Ok(key.verifying_key().to_bytes().to_vec())
    }

    /// A signer with the key of a firm.
    ///
    /// # Errors
    /// When the firm is not there, or the database fails.
    pub async fn signer(&self, firm: i64) -> Result<impl Fn(&[u8]) -> Vec<u8> + Send + 'static + use<>> {
        let key = key_of(&mut *self.connection().await?, firm).await?;
        Ok(move |text: &[u8]| key.sign(text).to_bytes().to_vec())
    }
}
