//! A firm's own figures, month by month: what was done on its visits, without anybody's name.

use crate::{Result, Store};
use chrono::NaiveDate;
use diesel::sql_types::{BigInt, Date};
use diesel_async::RunQueryDsl;

/// What was done on the visits of one month. A visit counts in the month of its day, with everything that came of it; withdrawn ones
/// and those to a rig to learn on do not count.
#[derive(Debug, Clone, PartialEq, Eq, diesel::QueryableByName)]
pub struct Month {
    /// Its first day.
    #[diesel(sql_type = Date)]
    pub month: NaiveDate,
    /// Visits.
    #[diesel(sql_type = BigInt)]
    pub visits: i64,
    /// Those of them with a signed hand-over.
    #[diesel(sql_type = BigInt)]
    pub handed_over: i64,
    /// Readings that stand: none that was superseded.
    #[diesel(sql_type = BigInt)]
    pub readings: i64,
    /// Those of them that fail.
    #[diesel(sql_type = BigInt)]
    pub failing: i64,
    /// Repairs that were done.
    #[diesel(sql_type = BigInt)]
    pub repairs: i64,
    /// Minutes that they took, or the planned ones where that was not entered.
    #[diesel(sql_type = BigInt)]
    pub minutes: i64,
    /// Times that a finding was deferred or its risk accepted.
    #[diesel(sql_type = BigInt)]
    pub left_open: i64,
}

/// The visits since a day with what came of each, gathered by month. The codes are those that the tables allow.
const MONTHS: &str = "
SELECT date_trunc('month', v.planned_on)::date AS month, count(*) AS visits,
    count(*) FILTER (WHERE EXISTS (SELECT 1 FROM hand_over h WHERE h.firm_id = v.firm_id AND h.visit_id = v.id)) AS handed_over,
    sum(r.readings)::bigint AS readings, sum(r.failing)::bigint AS failing,
    sum(a.repairs)::bigint AS repairs, sum(a.minutes)::bigint AS minutes, sum(e.left_open)::bigint AS left_open
FROM visit v
CROSS JOIN LATERAL (
    SELECT count(*) AS readings, count(*) FILTER (WHERE r.outcome = 'fail') AS failing FROM reading r
    WHERE r.firm_id = v.firm_id AND r.visit_id = v.id AND NOT EXISTS (
        SELECT 1 FROM reading later WHERE later.firm_id = r.firm_id AND later.visit_id = r.visit_id AND later.supersedes = r.id)
) r
CROSS JOIN LATERAL (
    SELECT count(*) AS repairs, coalesce(sum(coalesce(took, minutes)), 0) AS minutes FROM action
    WHERE action.firm_id = v.firm_id AND action.visit_id = v.id
) a
CROSS JOIN LATERAL (
    SELECT count(*) AS left_open FROM finding_event f
    WHERE f.firm_id = v.firm_id AND f.visit_id = v.id AND f.event IN ('deferred', 'accepted')
) e
WHERE v.firm_id = $1 AND v.planned_on >= $2 AND NOT v.withdrawn AND NOT v.training
GROUP BY 1 ORDER BY 1 DESC";

impl Store {
    /// What a firm did on its visits since a day, by month, the newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn months(&self, firm: i64, since: NaiveDate) -> Result<Vec<Month>> {
        let mut c = self.connection().await?;
        Ok(diesel::sql_query(MONTHS).bind::<BigInt, _>(firm).bind::<Date, _>(since).load(&mut c).await?)
    }
}
