//! Signed hand-overs: canonical JSON (RFC 8785) under an Ed25519 signature of the firm.

use crate::schema::{firm, hand_over, person};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use ed25519_dalek::{Signature, Signer, SigningKey, VerifyingKey};

/// Why a record cannot be signed or does not verify.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SignError {
    /// It cannot be written as canonical JSON.
    #[error("it is no canonical JSON: {0}")]
    Canonical(String),
    /// The key has the wrong form.
    #[error("the key has the wrong form")]
    Key,
    /// The signature does not fit the record.
    #[error("the signature does not fit the record: it was changed, or signed by another key")]
    Signature,
}

/// A signed hand-over.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize, serde::Deserialize)]
#[diesel(table_name = hand_over, check_for_backend(diesel::pg::Pg))]
pub struct HandOver {
    /// Key.
    pub id: i64,
    /// Canonical JSON.
    pub record: String,
    /// Signature.
    pub signature: Vec<u8>,
    /// Public key of the firm.
    pub public_key: Vec<u8>,
    /// Who signed.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub signed_at: DateTime<Utc>,
}

/// Checks a signature over a record.
///
/// # Errors
/// When the key has the wrong form or the signature does not fit.
pub fn verify_record(record: &str, signature: &[u8], public_key: &[u8]) -> std::result::Result<(), SignError> {
    let key: [u8; 32] = public_key.try_into().map_err(|_| SignError::Key)?;
    let key = VerifyingKey::from_bytes(&key).map_err(|_| SignError::Key)?;
    let signature = Signature::from_slice(signature).map_err(|_| SignError::Signature)?;
    key.verify_strict(record.as_bytes(), &signature).map_err(|_| SignError::Signature)
}

/// The signing key of a firm.
pub(crate) async fn key_of(c: &mut AsyncPgConnection, firm: i64) -> Result<SigningKey> {
    let seed: Option<Vec<u8>> = firm::table.find(firm).select(firm::signing_seed).first(c).await.optional()?;
    let seed: [u8; 32] = seed.ok_or(StoreError::NotFound)?.try_into().map_err(|_| SignError::Key)?;
    Ok(SigningKey::from_bytes(&seed))
}

impl Store {
    /// Signs a record with the firm's key and keeps it.
    ///
    /// # Errors
    /// When the record is no JSON object that has a canonical form, or the database fails.
    pub async fn sign_hand_over(
        &self,
        firm: i64,
        visit: i64,
        record: &serde_json::Value,
        person: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        let key = key_of(&mut c, firm).await?;
        let canonical = serde_json_canonicalizer::to_string(record).map_err(|e| SignError::Canonical(e.to_string()))?;
        let signature = key.sign(canonical.as_bytes()).to_bytes().to_vec();
        diesel::insert_into(hand_over::table)
            .values((
                hand_over::firm_id.eq(firm),
                hand_over::visit_id.eq(visit),
                hand_over::record.eq(canonical),
                hand_over::signature.eq(signature),
                hand_over::public_key.eq(key.verifying_key().to_bytes().to_vec()),
                hand_over::person_id.eq(person),
                hand_over::signed_at.eq(now),
            ))
            .execute(&mut c)
            .await?;
        Ok(())
    }

    /// The hand-overs of a visit, latest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn hand_overs(&self, firm: i64, visit: i64) -> Result<Vec<HandOver>> {
        let mut c = self.connection().await?;
        Ok(by_person!(hand_over)
            .filter(hand_over::firm_id.eq(firm).and(hand_over::visit_id.eq(visit)))
            .order(hand_over::id.desc())
            .select(HandOver::as_select())
            .load(&mut c)
            .await?)
    }
}
