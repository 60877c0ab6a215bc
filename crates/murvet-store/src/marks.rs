//! Numbered marks on a photograph: a rig traced from a picture, each mark tied to the component that stands there.

use crate::instruments::not_of_firm;
use crate::schema::{mark, photograph};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, Utc};
use diesel::dsl::max;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};

/// Marks on one photograph at most, those that were taken away too.
pub const MOST_MARKS: i32 = 200;

/// A mark that stands.
#[derive(Debug, Clone, PartialEq, Queryable, Selectable)]
#[diesel(table_name = mark, check_for_backend(diesel::pg::Pg))]
pub struct Mark {
    /// The photograph, by key.
    pub photograph_id: i64,
    /// Its number; that of a mark which was taken away is not given again.
    pub number: i32,
    /// How far across, as a share of the width, 0 to 1 from the left.
    pub x: f64,
    /// How far down, as a share of the height, 0 to 1 from the top.
    pub y: f64,
    /// The component that stands there, by its name in the trace.
    pub component: String,
}

impl Store {
    /// Sets the next mark on a photograph of a visit; its number.
    ///
    /// # Errors
    /// When the photograph is not of this visit and firm, the place lies outside the picture, there are as many marks as there
    /// may be, or the database fails.
    pub async fn add_mark(
        &self,
        (firm, visit, picture): (i64, i64, i64),
        (x, y): (f64, f64),
        component: &str,
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<i32> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            // Two marks of the same moment wait for each other here, so each gets a number of its own.
            let own = photograph::firm_id.eq(firm).and(photograph::visit_id.eq(visit)).and(photograph::id.eq(picture));
            let own = photograph::table.filter(own).select(photograph::id).for_update();
            own.first::<i64>(c).await.optional()?.ok_or(StoreError::NotFound)?;
            let of = mark::table.filter(mark::firm_id.eq(firm).and(mark::photograph_id.eq(picture)));
            let last: Option<i32> = of.select(max(mark::number)).first(c).await?;
            let number = last.unwrap_or(0) + 1;
            diesel::insert_into(mark::table)
                .values((
                    mark::firm_id.eq(firm),
                    mark::photograph_id.eq(picture),
                    mark::number.eq(number),
                    mark::x.eq(x),
                    mark::y.eq(y),
                    mark::component.eq(component),
                    mark::person_id.eq(by),
                    mark::at.eq(now),
                ))
                .execute(c)
                .await
                .map_err(not_of_firm)?;
            Ok(number)
        })
        .await
    }

    /// Takes a mark away; its number stays used.
    ///
    /// # Errors
    /// When it is not there or of another visit or firm, or the database fails.
    pub async fn take_mark_away(&self, (firm, visit, picture): (i64, i64, i64), number: i32, by: i64) -> Result<()> {
        let mut c = self.connection().await?;
        self.photograph(firm, visit, picture).await?;
        let own = mark::firm_id.eq(firm).and(mark::photograph_id.eq(picture)).and(mark::number.eq(number));
        let own = mark::table.filter(own.and(mark::taken_away_by.is_null()));
        let gone = diesel::update(own).set(mark::taken_away_by.eq(by)).execute(&mut c).await.map_err(not_of_firm)?;
        if gone == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }

    /// The marks that stand on the photographs of a visit, by photograph and number.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn marks(&self, firm: i64, visit: i64) -> Result<Vec<Mark>> {
        let mut c = self.connection().await?;
        let of = photograph::table.filter(photograph::firm_id.eq(firm).and(photograph::visit_id.eq(visit)));
        Ok(mark::table
            .filter(mark::firm_id.eq(firm).and(mark::taken_away_by.is_null()))
            .filter(mark::photograph_id.eq_any(of.select(photograph::id)))
            .order((mark::photograph_id, mark::number))
            .select(Mark::as_select())
            .load(&mut c)
            .await?)
    }
}
