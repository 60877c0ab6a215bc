//! How switches and devices were left.

use crate::schema::{left_as, person};
use crate::{Result, Store};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// How one was left.
#[derive(Debug, Clone, Queryable, Selectable, serde::Serialize)]
#[diesel(table_name = left_as, check_for_backend(diesel::pg::Pg))]
pub struct LeftAs {
    /// The switch or device, by name.
    pub component: String,
    /// `on`, `off`, `locked-off` or `removed`.
    pub position: String,
    /// What was said with it.
    pub note: String,
    /// Who said it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

impl Store {
    /// Says how switches and devices were left: name, position, remark. Said again, the newest counts.
    ///
    /// # Errors
    /// When the visit is not of this firm, a position is none, or the database fails.
    pub async fn leave_as(
        &self,
        firm: i64,
        visit: i64,
        list: &[(&str, &str, &str)],
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        let rows: Vec<_> = list
            .iter()
            .map(|(component, position, note)| {
                (
                    left_as::firm_id.eq(firm),
                    left_as::visit_id.eq(visit),
                    left_as::component.eq(*component),
                    left_as::position.eq(*position),
                    left_as::note.eq(*note),
                    left_as::person_id.eq(by),
                    left_as::at.eq(now),
                )
            })
            .collect();
        diesel::insert_into(left_as::table)
            .values(rows)
            .execute(&mut c)
            .await
            .map_err(crate::instruments::not_of_firm)?;
        Ok(())
    }

    /// How they stand: the newest word on each, in the order in which each was said first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn left_as(&self, firm: i64, visit: i64) -> Result<Vec<LeftAs>> {
        let mut c = self.connection().await?;
        let said: Vec<LeftAs> = by_person!(left_as)
            .filter(left_as::firm_id.eq(firm).and(left_as::visit_id.eq(visit)))
            .order(left_as::id)
            .select(LeftAs::as_select())
            .load(&mut c)
            .await?;
        let newest = |(n, l): &(usize, &LeftAs)| !said[n + 1..].iter().any(|later| later.component == l.component);
        Ok(said.iter().enumerate().filter(newest).map(|(_, l)| l.clone()).collect())
    }
}
