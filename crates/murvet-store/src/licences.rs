//! What people may do, and what goes to somebody else.

use crate::instruments::not_of_firm;
use crate::schema::{licence, licence_withdrawn, person, referral, referral_back};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// A licence of a person.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = licence, check_for_backend(diesel::pg::Pg))]
pub struct Licence {
    /// Key.
    pub id: i64,
    /// Whose it is.
    pub holder_id: i64,
    /// The kind of work, by its code.
    pub kind: String,
    /// The profile of the region, by its code.
    pub region: String,
    /// Its number, with who gave it.
    pub number: String,
    /// The last day on which it holds; nothing where it has no end.
    pub ends_on: Option<NaiveDate>,
    /// Why it was withdrawn; nothing where it was not.
    #[diesel(select_expression = licence_withdrawn::why.nullable())]
    pub withdrawn: Option<String>,
}

/// A licence to be entered.
#[derive(Debug, Clone)]
pub struct NewLicence<'a> {
    /// Whose it is.
    pub holder: i64,
    /// The kind of work, by its code.
    pub kind: &'a str,
    /// The profile of the region, by its code.
    pub region: &'a str,
    /// Its number, with who gave it.
    pub number: &'a str,
    /// The last day on which it holds.
    pub ends_on: Option<NaiveDate>,
}

/// Work that goes to somebody with the licence for it.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = referral, check_for_backend(diesel::pg::Pg))]
pub struct Referral {
    /// Key.
    pub id: i64,
    /// What is to be done.
    pub title: String,
    /// The kinds of work it is, by their codes, with blanks between.
    pub kinds: String,
    /// Everything that whoever does it needs to know.
    pub brief: String,
    /// Who referred it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// What came back of work that was referred.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = referral_back, check_for_backend(diesel::pg::Pg))]
pub struct ReferralBack {
    /// The work.
    pub referral_id: i64,
    /// Who did it.
    pub done_by: String,
    /// The number of the certificate.
    pub certificate: String,
    /// Who issued it.
    pub issuer: String,
    /// When it was done.
    pub done_on: NaiveDate,
    /// Who entered it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// What came back, to be entered.
#[derive(Debug, Clone)]
pub struct NewReferralBack<'a> {
    /// Who did it.
    pub done_by: &'a str,
    /// The number of the certificate.
    pub certificate: &'a str,
    /// Who issued it.
    pub issuer: &'a str,
    /// When it was done.
    pub done_on: NaiveDate,
}

impl Store {
    /// Enters a licence.
    ///
    /// # Errors
    /// When its holder is not of this firm, kind or region are no code, or the database fails.
    pub async fn add_licence(&self, firm: i64, new: &NewLicence<'_>, by: i64, now: DateTime<Utc>) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(licence::table)
            .values((
                licence::firm_id.eq(firm),
                licence::holder_id.eq(new.holder),
                licence::kind.eq(new.kind),
                licence::region.eq(new.region),
                licence::number.eq(new.number),
                licence::ends_on.eq(new.ends_on),
                licence::person_id.eq(by),
                licence::at.eq(now),
            ))
            .execute(&mut c)
            .await
            .map_err(not_of_firm)?;
        Ok(())
    }

    /// Withdraws a licence that was entered wrongly or was taken away; withdrawn again, the first reason stays.
    ///
    /// # Errors
    /// When the firm has no such licence, or the database fails.
    pub async fn withdraw_licence(&self, firm: i64, id: i64, why: &str, by: i64, now: DateTime<Utc>) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(licence_withdrawn::table)
            .values((
                licence_withdrawn::firm_id.eq(firm),
                licence_withdrawn::licence_id.eq(id),
                licence_withdrawn::why.eq(why),
                licence_withdrawn::person_id.eq(by),
                licence_withdrawn::at.eq(now),
            ))
            .on_conflict_do_nothing()
            .execute(&mut c)
            .await
            .map_err(not_of_firm)?;
        Ok(())
    }

    /// The licences of a firm's people, the withdrawn ones among them.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn licences(&self, firm: i64) -> Result<Vec<Licence>> {
        let mut c = self.connection().await?;
        let same = licence_withdrawn::firm_id.eq(licence::firm_id).and(licence_withdrawn::licence_id.eq(licence::id));
        let all = licence::table
            .left_join(licence_withdrawn::table.on(same))
            .filter(licence::firm_id.eq(firm))
            .order(licence::id);
        Ok(all.select(Licence::as_select()).load(&mut c).await?)
    }

    /// Refers work of a visit, once under each title, and gives its key.
    ///
    /// # Errors
    /// When the visit is not of this firm, or the database fails.
    pub async fn refer(
        &self,
        firm: i64,
        visit: i64,
        (title, kinds, brief): (&str, &str, &str),
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<i64> {
        let mut c = self.connection().await?;
        let own = referral::firm_id.eq(firm).and(referral::visit_id.eq(visit)).and(referral::title.eq(title));
        let known = referral::table.filter(own).select(referral::id).first(&mut c).await.optional()?;
        if let Some(id) = known {
            return Ok(id);
        }
        diesel::insert_into(referral::table)
            .values((
                referral::firm_id.eq(firm),
                referral::visit_id.eq(visit),
                referral::title.eq(title),
                referral::kinds.eq(kinds),
                referral::brief.eq(brief),
                referral::person_id.eq(by),
                referral::at.eq(now),
            ))
            .returning(referral::id)
            .get_result(&mut c)
            .await
            .map_err(not_of_firm)
    }

    /// The work of a visit that was referred, each with what came back.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn referrals(&self, firm: i64, visit: i64) -> Result<Vec<(Referral, Option<ReferralBack>)>> {
        let mut c = self.connection().await?;
        let out: Vec<Referral> = by_person!(referral)
            .filter(referral::firm_id.eq(firm).and(referral::visit_id.eq(visit)))
            .order(referral::id)
            .select(Referral::as_select())
            .load(&mut c)
            .await?;
        let ids: Vec<i64> = out.iter().map(|r| r.id).collect();
        let back: Vec<ReferralBack> = by_person!(referral_back)
            .filter(referral_back::firm_id.eq(firm).and(referral_back::referral_id.eq_any(ids)))
            .select(ReferralBack::as_select())
            .load(&mut c)
            .await?;
        let of = |r: &Referral| back.iter().find(|b| b.referral_id == r.id).cloned();
        Ok(out.into_iter().map(|r| (of(&r), r)).map(|(b, r)| (r, b)).collect())
    }

    /// Enters what came back of referred work of a visit, once.
    ///
    /// # Errors
    /// When there is no such work in the visit, something came back already, or the database fails.
    pub async fn refer_back(
        &self,
        firm: i64,
        (visit, id): (i64, i64),
        new: &NewReferralBack<'_>,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        let own = referral::firm_id.eq(firm).and(referral::visit_id.eq(visit)).and(referral::id.eq(id));
        let there: i64 = referral::table.filter(own).count().get_result(&mut c).await?;
        if there == 0 {
            return Err(StoreError::NotFound);
        }
        diesel::insert_into(referral_back::table)
            .values((
                referral_back::firm_id.eq(firm),
                referral_back::referral_id.eq(id),
                referral_back::done_by.eq(new.done_by),
                referral_back::certificate.eq(new.certificate),
                referral_back::issuer.eq(new.issuer),
                referral_back::done_on.eq(new.done_on),
                referral_back::person_id.eq(by),
                referral_back::at.eq(now),
            ))
            .execute(&mut c)
            .await
            .map_err(not_of_firm)?;
        Ok(())
    }
}
