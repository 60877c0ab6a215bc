//! Every rig of a firm judged again. The rows of a run are its jobs, and PostgreSQL is the queue: a worker holds the rows it
//! works on by a lock of its transaction, others pass over them, and what it finds is written in that same transaction. So a rig is
//! judged once however many workers there are, and one that dies lets go of its rigs with nothing half written; no clock and no sign
//! of life is needed.

use crate::schema::{customer, fleet_call, fleet_finding, fleet_rig, fleet_run, fleet_try, person, rig};
use crate::{Result, Store, StoreError};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel::sql_types::{Array, BigInt, Integer, Nullable, Text, Timestamptz};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use std::collections::BTreeMap;

/// Rigs of runs, each beside the rig itself and its customer.
macro_rules! fleet_rows {
    () => {
        fleet_rig::table
            .inner_join(rig::table.on(rig::firm_id.eq(fleet_rig::firm_id).and(rig::id.eq(fleet_rig::rig_id))))
            .inner_join(customer::table.on(customer::firm_id.eq(rig::firm_id).and(customer::id.eq(rig::customer_id))))
    };
}

/// So often a rig is begun. One that workers die of each time is told as failed, and the others are gone on with.
const MOST_TRIES: i64 = 3;

/// A run over the rigs of a firm.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = fleet_run, check_for_backend(diesel::pg::Pg))]
pub struct FleetRun {
    /// Key.
    pub id: i64,
    /// Why.
    pub reason: String,
    /// `going`, `stopped` or `done`.
    pub state: String,
    /// Who began it.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When; the firm's own limits and choices count as they stood then.
    pub begun_at: DateTime<Utc>,
    /// When it was done.
    pub ended_at: Option<DateTime<Utc>>,
}

/// How far a run is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, QueryableByName)]
pub struct FleetCount {
    /// Rigs.
    #[diesel(sql_type = BigInt)]
    pub rigs: i64,
    /// Those that wait.
    #[diesel(sql_type = BigInt)]
    pub waiting: i64,
    /// Those that could not be judged.
    #[diesel(sql_type = BigInt)]
    pub failed: i64,
    /// Those whose audit stopped before it had looked at everything.
    #[diesel(sql_type = BigInt)]
    pub partly: i64,
    /// Those with a verdict that changed.
    #[diesel(sql_type = BigInt)]
    pub changed: i64,
    /// Those whose owner is to be called.
    #[diesel(sql_type = BigInt)]
    pub to_call: i64,
    /// Those of them whose owner was reached.
    #[diesel(sql_type = BigInt)]
    pub reached: i64,
}

/// A rig to be judged.
#[derive(Debug, Clone, QueryableByName)]
pub struct FleetTask {
    /// The rig.
    #[diesel(sql_type = BigInt)]
    pub rig: i64,
    /// The profile it is judged by where it names none itself.
    #[diesel(sql_type = Text)]
    pub profile: String,
    /// Number of its newest revision.
    #[diesel(sql_type = Integer)]
    pub revision: i32,
    /// The text of that.
    #[diesel(sql_type = Text)]
    pub text: String,
    /// The record that was signed last, where one was.
    #[diesel(sql_type = Nullable<Text>)]
    pub record: Option<String>,
    /// The run that judged it last before this one.
    #[diesel(sql_type = Nullable<BigInt>)]
    pub run_before: Option<i64>,
}

/// Rigs to be judged, and what for.
#[derive(Debug, Clone)]
pub struct FleetWork {
    /// The firm.
    pub firm: i64,
    /// The run.
    pub run: i64,
    /// When it was begun.
    pub begun_at: DateTime<Utc>,
    /// The rigs.
    pub tasks: Vec<FleetTask>,
}

/// A verdict as it is kept, each word by its code.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = fleet_finding, check_for_backend(diesel::pg::Pg))]
pub struct FleetFinding {
    /// Rule and subject.
    pub finding: String,
    /// The rule.
    pub rule: String,
    /// What is wrong.
    pub statement: String,
    /// The things it is at.
    pub names: String,
    /// What became of it.
    pub change: String,
    /// How pressing.
    pub severity: String,
    /// Certain or possible.
    pub certainty: String,
}

/// What came of judging a rig.
#[derive(Debug, Clone, Default)]
pub struct FleetVerdict {
    /// The rig.
    pub rig: i64,
    /// Number of the revision that was judged.
    pub revision: i32,
    /// `hand-over`, `run` or `nothing`.
    pub against: &'static str,
    /// `keep-off`, `before-use`, or nothing to call for.
    pub call_for: Option<&'static str>,
    /// Verdicts that changed.
    pub changes: i32,
    /// Whether the audit stopped early.
    pub partly: bool,
    /// When it is to be looked at again.
    pub due_on: Option<NaiveDate>,
    /// Why it could not be judged.
    pub trouble: Option<String>,
    /// The verdicts.
    pub findings: Vec<FleetFinding>,
}

/// A rig of a run as it is listed.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = fleet_rig, check_for_backend(diesel::pg::Pg))]
pub struct FleetRig {
    /// The rig.
    pub rig_id: i64,
    /// Its name.
    #[diesel(select_expression = rig::name)]
    pub rig: String,
    /// Its profile.
    #[diesel(select_expression = rig::profile)]
    pub profile: String,
    /// Who built it.
    #[diesel(select_expression = rig::builder)]
    pub builder: String,
    /// The year it was built.
    #[diesel(select_expression = rig::built)]
    pub built: Option<i32>,
    /// Whose it is.
    #[diesel(select_expression = customer::name)]
    pub customer: String,
    /// How to reach them.
    #[diesel(select_expression = customer::contact)]
    pub contact: String,
    /// The language they read.
    #[diesel(select_expression = customer::language)]
    pub language: Option<String>,
    /// `waiting`, `judged` or `failed`.
    pub state: String,
    /// What it was held against.
    pub against: Option<String>,
    /// The revision that was judged.
    pub revision: Option<i32>,
    /// What to call for.
    pub call_for: Option<String>,
    /// Verdicts that changed.
    pub changes: i32,
    /// Whether the audit stopped early.
    pub partly: bool,
    /// When it is to be looked at again.
    pub due_on: Option<NaiveDate>,
    /// Why it could not be judged.
    pub trouble: Option<String>,
}

/// Which rigs of a run are listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum FleetShown {
    /// Those whose owner is to be called.
    #[default]
    Calls,
    /// Those with a verdict that changed.
    Changed,
    /// Those that could not be judged, or not wholly.
    Trouble,
    /// All.
    All,
}

/// Which rigs of a run are sought; everything that is said must hold.
#[derive(Debug, Clone, Default)]
pub struct FleetSought<'a> {
    /// Which.
    pub shown: FleetShown,
    /// Words in the name of the builder.
    pub builder: &'a str,
    /// Built in this year or later.
    pub built_from: Option<i32>,
    /// Built in this year or before.
    pub built_to: Option<i32>,
    /// Due before this day.
    pub due_before: Option<NaiveDate>,
    /// With a finding of this rule that stands.
    pub rule: &'a str,
    /// Those after this one in the order of the list.
    pub after: Option<FleetPlace>,
}

/// A place in the list of a run: what it is ordered by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FleetPlace {
    /// 0 to keep off, 1 before use, 2 nothing to call for.
    pub danger: i32,
    /// When it is due; a rig without a day stands last.
    pub due_on: NaiveDate,
    /// The rig.
    pub rig: i64,
}

/// The first part of a place as PostgreSQL works it out; [`FleetRig::place`] is the same of a row that was read.
const DANGER: &str = "(CASE fleet_rig.call_for WHEN 'keep-off' THEN 0 WHEN 'before-use' THEN 1 ELSE 2 END)";

/// A day after every other, for rigs that have none.
const NEVER: NaiveDate = NaiveDate::MAX;

impl FleetRig {
    /// Where it stands in the list.
    pub fn place(&self) -> FleetPlace {
        let danger = match self.call_for.as_deref() {
            Some("keep-off") => 0,
            Some(_) => 1,
            None => 2,
        };
        FleetPlace { danger, due_on: self.due_on.unwrap_or(NEVER), rig: self.rig_id }
    }
}

/// How many rigs of a builder and a year have a finding of a rule.
#[derive(Debug, Clone, PartialEq, Eq, QueryableByName)]
pub struct FleetFigure {
    /// The rule.
    #[diesel(sql_type = Text)]
    pub rule: String,
    /// The builder; empty where that is not known.
    #[diesel(sql_type = Text)]
    pub builder: String,
    /// The first year of the five in which they were built.
    #[diesel(sql_type = Nullable<Integer>)]
    pub years_from: Option<i32>,
    /// Rigs of them that were judged.
    #[diesel(sql_type = BigInt)]
    pub rigs: i64,
    /// Those with it.
    #[diesel(sql_type = BigInt)]
    pub found: i64,
    /// Those with it to which it is new.
    #[diesel(sql_type = BigInt)]
    pub new: i64,
}

/// A call to an owner.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = fleet_call, check_for_backend(diesel::pg::Pg))]
pub struct FleetCall {
    /// Whether somebody was reached.
    pub reached: bool,
    /// What was said.
    pub note: String,
    /// Who called.
    #[diesel(select_expression = person::name)]
    pub person: String,
    /// When.
    pub at: DateTime<Utc>,
}

const COUNT: &str = "
SELECT count(*) AS rigs, count(*) FILTER (WHERE state = 'waiting') AS waiting, count(*) FILTER (WHERE state = 'failed') AS failed,
    count(*) FILTER (WHERE partly) AS partly, count(*) FILTER (WHERE changes > 0) AS changed,
    count(*) FILTER (WHERE call_for IS NOT NULL) AS to_call,
    count(*) FILTER (WHERE call_for IS NOT NULL AND EXISTS (SELECT 1 FROM fleet_call c WHERE c.firm_id = r.firm_id
        AND c.run_id = r.run_id AND c.rig_id = r.rig_id AND c.reached)) AS reached
FROM fleet_rig r WHERE firm_id = $1 AND run_id = $2";

/// The rigs that were locked, with what they are judged from.
const TASKS: &str = "
SELECT r.id AS rig, r.profile, v.number AS revision, v.text,
    (SELECT h.record FROM hand_over h JOIN visit o ON o.firm_id = h.firm_id AND o.id = h.visit_id
        WHERE o.firm_id = r.firm_id AND o.rig_id = r.id AND NOT o.withdrawn ORDER BY h.signed_at DESC, h.id DESC LIMIT 1) AS record,
    (SELECT max(b.run_id) FROM fleet_rig b WHERE b.firm_id = r.firm_id AND b.rig_id = r.id AND b.run_id < $2 AND b.state = 'judged')
        AS run_before
FROM rig r CROSS JOIN LATERAL (SELECT number, text FROM rig_revision n WHERE n.firm_id = r.firm_id AND n.rig_id = r.id
    ORDER BY number DESC LIMIT 1) v
WHERE r.firm_id = $1 AND r.id = ANY($3) ORDER BY r.id";

/// Rigs of customers: what was made up to learn on, and what was withdrawn, is nobody's.
const BEGIN: &str = "
INSERT INTO fleet_rig (firm_id, run_id, rig_id)
SELECT r.firm_id, $2, r.id FROM rig r WHERE r.firm_id = $1 AND EXISTS (
    SELECT 1 FROM visit v WHERE v.firm_id = r.firm_id AND v.rig_id = r.id AND NOT v.withdrawn AND NOT v.training)";

const FIGURES: &str = "
WITH judged AS (
    SELECT f.rig_id, f.against, r.builder, (r.built / 5) * 5 AS years_from FROM fleet_rig f
    JOIN rig r ON r.firm_id = f.firm_id AND r.id = f.rig_id WHERE f.firm_id = $1 AND f.run_id = $2 AND f.state = 'judged'
), counted AS (SELECT builder, years_from, count(*) AS rigs FROM judged GROUP BY 1, 2)
SELECT n.rule, j.builder, j.years_from, c.rigs, count(DISTINCT j.rig_id) AS found,
    count(DISTINCT j.rig_id) FILTER (WHERE j.against <> 'nothing' AND n.change IN ('appears', 'graver')) AS new
FROM fleet_finding n JOIN judged j ON j.rig_id = n.rig_id
JOIN counted c ON c.builder = j.builder AND c.years_from IS NOT DISTINCT FROM j.years_from
WHERE n.firm_id = $1 AND n.run_id = $2 AND n.change <> 'goes'
GROUP BY 1, 2, 3, 4 ORDER BY found DESC, n.rule, j.builder, j.years_from";

#[derive(QueryableByName)]
struct Going {
    #[diesel(sql_type = BigInt)]
    firm_id: i64,
    #[diesel(sql_type = BigInt)]
    id: i64,
    #[diesel(sql_type = Timestamptz)]
    begun_at: DateTime<Utc>,
}

/// A run that is going and has rigs that wait: any of them, so that no firm waits for another's.
async fn any_going(c: &mut AsyncPgConnection) -> Result<Option<Going>> {
    const ANY: &str = "SELECT firm_id, id, begun_at FROM fleet_run r WHERE state = 'going' AND EXISTS (
        SELECT 1 FROM fleet_rig f WHERE f.firm_id = r.firm_id AND f.run_id = r.id AND f.state = 'waiting') ORDER BY random() LIMIT 1";
    Ok(diesel::sql_query(ANY).load(c).await?.into_iter().next())
}

/// Writes what came of judging a rig.
async fn write(
    c: &mut AsyncPgConnection,
    of: &Going,
    by: (&str, &str),
    v: &FleetVerdict,
    now: DateTime<Utc>,
) -> Result<()> {
    let rows: Vec<_> = v
        .findings
        .iter()
        .map(|f| {
            (
                fleet_finding::firm_id.eq(of.firm_id),
                fleet_finding::run_id.eq(of.id),
                fleet_finding::rig_id.eq(v.rig),
                fleet_finding::finding.eq(&f.finding),
                fleet_finding::rule.eq(&f.rule),
                fleet_finding::statement.eq(&f.statement),
                fleet_finding::names.eq(&f.names),
                fleet_finding::change.eq(&f.change),
                fleet_finding::severity.eq(&f.severity),
                fleet_finding::certainty.eq(&f.certainty),
            )
        })
        .collect();
    diesel::insert_into(fleet_finding::table).values(rows).execute(c).await?;
    diesel::update(fleet_rig::table.find((of.firm_id, of.id, v.rig)))
        .set((
            fleet_rig::state.eq(if v.trouble.is_some() { "failed" } else { "judged" }),
            fleet_rig::against.eq((!v.against.is_empty()).then_some(v.against)),
            fleet_rig::revision.eq((v.revision > 0).then_some(v.revision)),
            fleet_rig::call_for.eq(v.call_for),
            fleet_rig::changes.eq(v.changes),
            fleet_rig::partly.eq(v.partly),
            fleet_rig::due_on.eq(v.due_on),
            fleet_rig::trouble.eq(v.trouble.as_deref()),
            fleet_rig::worker.eq(by.0),
            fleet_rig::version.eq(by.1),
            fleet_rig::judged_at.eq(now),
        ))
        .execute(c)
        .await?;
    Ok(())
}

impl Store {
    /// Begins a run over every rig that a customer has: its number, and how many rigs.
    ///
    /// # Errors
    /// When the person is not of this firm, or the database fails.
    pub async fn begin_fleet(&self, firm: i64, reason: &str, by: i64, now: DateTime<Utc>) -> Result<(i64, usize)> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            let id: i64 = diesel::insert_into(fleet_run::table)
                .values((
                    fleet_run::firm_id.eq(firm),
                    fleet_run::reason.eq(reason),
                    fleet_run::person_id.eq(by),
                    fleet_run::begun_at.eq(now),
                ))
                .returning(fleet_run::id)
                .get_result(c)
                .await?;
            let rigs = diesel::sql_query(BEGIN).bind::<BigInt, _>(firm).bind::<BigInt, _>(id).execute(c).await?;
            if rigs == 0 {
                let done = (fleet_run::state.eq("done"), fleet_run::ended_at.eq(now));
                diesel::update(fleet_run::table.find((firm, id))).set(done).execute(c).await?;
            }
            Ok((id, rigs))
        })
        .await
    }

    /// The runs of a firm, the newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn fleet_runs(&self, firm: i64, most: i64) -> Result<Vec<FleetRun>> {
        let mut c = self.connection().await?;
        Ok(by_person!(fleet_run)
            .filter(fleet_run::firm_id.eq(firm))
            .order(fleet_run::id.desc())
            .limit(most)
            .select(FleetRun::as_select())
            .load(&mut c)
            .await?)
    }

    /// A run and how far it is.
    ///
    /// # Errors
    /// When it is not there or belongs to another firm.
    pub async fn fleet_run(&self, firm: i64, run: i64) -> Result<(FleetRun, FleetCount)> {
        let mut c = self.connection().await?;
        let own = by_person!(fleet_run).filter(fleet_run::firm_id.eq(firm).and(fleet_run::id.eq(run)));
        let found = own.select(FleetRun::as_select()).first(&mut c).await.optional()?.ok_or(StoreError::NotFound)?;
        let count = diesel::sql_query(COUNT).bind::<BigInt, _>(firm).bind::<BigInt, _>(run).get_result(&mut c).await?;
        Ok((found, count))
    }

    /// Stops a run that is going, or goes on with one that was stopped. What is judged stays judged.
    ///
    /// # Errors
    /// When it is not there, belongs to another firm or is done.
    pub async fn set_fleet_going(&self, firm: i64, run: i64, going: bool) -> Result<()> {
        let mut c = self.connection().await?;
        let own = fleet_run::table.filter(fleet_run::firm_id.eq(firm).and(fleet_run::id.eq(run)));
        let open = own.filter(fleet_run::state.ne("done"));
        let state = if going { "going" } else { "stopped" };
        let changed = diesel::update(open).set(fleet_run::state.eq(state)).execute(&mut c).await?;
        if changed == 0 { Err(StoreError::NotFound) } else { Ok(()) }
    }

    /// Takes some rigs that wait, has them judged, and writes what came of it; gives how many, of whichever firm. While `judge` works
    /// the rows are held: nobody else takes them, and should this process end they are free again as if nothing had been. `by` is the
    /// name of the worker and its version.
    ///
    /// # Errors
    /// When the database fails, here or while `judge` asks it; then nothing of these rigs is written, and they wait again.
    pub async fn judge_waiting<F, Judging>(
        &self,
        by: (&str, &str),
        most: i64,
        now: DateTime<Utc>,
        judge: F,
    ) -> Result<usize>
    where
        F: FnOnce(FleetWork) -> Judging + Send,
        Judging: Future<Output = Result<Vec<FleetVerdict>>> + Send,
    {
        let mut c = self.connection().await?;
        let all: Result<(usize, Option<Going>)> = c
            .transaction(async |c| {
                // An odd rig may take longer than a statement that hangs may.
                diesel::sql_query("SET LOCAL idle_in_transaction_session_timeout = '120s'").execute(c).await?;
                let Some(of) = any_going(c).await? else { return Ok((0, None)) };
                let rigs: Vec<i64> = fleet_rig::table
                    .filter(fleet_rig::firm_id.eq(of.firm_id).and(fleet_rig::run_id.eq(of.id)))
                    .filter(fleet_rig::state.eq("waiting"))
                    .order(fleet_rig::rig_id)
                    .limit(most)
                    .for_no_key_update()
                    .skip_locked()
                    .select(fleet_rig::rig_id)
                    .load(c)
                    .await?;
                let tried = self.tried(&of, &rigs, by.0, now).await?;
                let worn = |rig: &i64| tried.get(rig).is_some_and(|n| *n > MOST_TRIES);
                let (worn, fresh): (Vec<i64>, Vec<i64>) = rigs.iter().partition(|r| worn(r));
                let query = diesel::sql_query(TASKS).bind::<BigInt, _>(of.firm_id).bind::<BigInt, _>(of.id);
                let tasks = query.bind::<Array<BigInt>, _>(fresh).load(c).await?;
                let work = FleetWork { firm: of.firm_id, run: of.id, begun_at: of.begun_at, tasks };
                let mut verdicts = judge(work).await?;
                verdicts.extend(worn.into_iter().map(|rig| {
                    let trouble = format!("{MOST_TRIES} workers ended while they judged it");
                    FleetVerdict { rig, trouble: Some(trouble), ..FleetVerdict::default() }
                }));
                for v in &verdicts {
                    write(c, &of, by, v, now).await?;
                }
                Ok((verdicts.len(), Some(of)))
            })
            .await;
        let (judged, of) = all?;
        if let Some(of) = of {
            // After the commit, so that of two workers that end together at least the later one sees that nothing waits.
            const DONE: &str = "UPDATE fleet_run r SET state = 'done', ended_at = $3 WHERE firm_id = $1 AND id = $2 AND state <> 'done'
                AND NOT EXISTS (SELECT 1 FROM fleet_rig f WHERE f.firm_id = r.firm_id AND f.run_id = r.id AND f.state = 'waiting')";
            let done = diesel::sql_query(DONE).bind::<BigInt, _>(of.firm_id).bind::<BigInt, _>(of.id);
            done.bind::<Timestamptz, _>(now).execute(&mut c).await?;
        }
        Ok(judged)
    }

    /// Enters that a worker begins with these rigs, for good whatever becomes of it, and gives how often each was begun.
    async fn tried(&self, of: &Going, rigs: &[i64], worker: &str, now: DateTime<Utc>) -> Result<BTreeMap<i64, i64>> {
        let mut c = self.connection().await?;
        let row = |rig: &i64| {
            (
                fleet_try::firm_id.eq(of.firm_id),
                fleet_try::run_id.eq(of.id),
                fleet_try::rig_id.eq(*rig),
                fleet_try::worker.eq(worker.to_owned()),
                fleet_try::at.eq(now),
            )
        };
        let rows: Vec<_> = rigs.iter().map(row).collect();
        diesel::insert_into(fleet_try::table).values(rows).execute(&mut c).await?;
        let counted = fleet_try::table
            .filter(fleet_try::firm_id.eq(of.firm_id).and(fleet_try::run_id.eq(of.id)))
            .filter(fleet_try::rig_id.eq_any(rigs))
            .group_by(fleet_try::rig_id)
            .select((fleet_try::rig_id, diesel::dsl::count_star()))
            .load::<(i64, i64)>(&mut c)
            .await?;
        Ok(counted.into_iter().collect())
    }

    /// The rigs of a run that are sought: the most dangerous first, then by the day on which they are due; a page of them.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn fleet_rigs(&self, firm: i64, run: i64, sought: &FleetSought<'_>, most: i64) -> Result<Vec<FleetRig>> {
        use diesel::dsl::sql;
        use diesel::sql_types::{Bool, Date};
        let mut c = self.connection().await?;
        let place = || {
            sql::<Text>(DANGER).sql(", coalesce(fleet_rig.due_on, ").bind::<Date, _>(NEVER).sql("), fleet_rig.rig_id")
        };
        let mut query = fleet_rows!()
            .filter(fleet_rig::firm_id.eq(firm).and(fleet_rig::run_id.eq(run)))
            .order(place())
            .limit(most)
            .select(FleetRig::as_select())
            .into_boxed();
        query = match sought.shown {
            FleetShown::Calls => query.filter(fleet_rig::call_for.is_not_null()),
            FleetShown::Changed => query.filter(fleet_rig::changes.gt(0)),
            FleetShown::Trouble => query.filter(fleet_rig::state.eq("failed").or(fleet_rig::partly)),
            FleetShown::All => query,
        };
        if !sought.builder.is_empty() {
            query = query.filter(rig::builder.ilike(crate::history::pattern(sought.builder)));
        }
        if let Some(year) = sought.built_from {
            query = query.filter(rig::built.ge(year));
        }
        if let Some(year) = sought.built_to {
            query = query.filter(rig::built.le(year));
        }
        if let Some(day) = sought.due_before {
            query = query.filter(fleet_rig::due_on.lt(day));
        }
        if !sought.rule.is_empty() {
            let stands = fleet_finding::table
                .filter(fleet_finding::firm_id.eq(fleet_rig::firm_id).and(fleet_finding::run_id.eq(fleet_rig::run_id)))
                .filter(fleet_finding::rig_id.eq(fleet_rig::rig_id).and(fleet_finding::change.ne("goes")))
                .filter(fleet_finding::rule.eq(sought.rule.to_owned()));
            query = query.filter(diesel::dsl::exists(stands));
        }
        if let Some(after) = sought.after {
            let later = sql::<Bool>("(")
                .sql(DANGER)
                .sql(", coalesce(fleet_rig.due_on, ")
                .bind::<Date, _>(NEVER)
                .sql("), fleet_rig.rig_id) > (")
                .bind::<Integer, _>(after.danger)
                .sql(", ")
                .bind::<Date, _>(after.due_on)
                .sql(", ")
                .bind::<BigInt, _>(after.rig)
                .sql(")");
            query = query.filter(later);
        }
        Ok(query.load(&mut c).await?)
    }

    /// A rig of a run.
    ///
    /// # Errors
    /// When it is not there or belongs to another firm.
    pub async fn fleet_rig(&self, firm: i64, run: i64, rig_id: i64) -> Result<FleetRig> {
        let mut c = self.connection().await?;
        fleet_rows!()
            .filter(fleet_rig::firm_id.eq(firm).and(fleet_rig::run_id.eq(run)).and(fleet_rig::rig_id.eq(rig_id)))
            .select(FleetRig::as_select())
            .first(&mut c)
            .await
            .optional()?
            .ok_or(StoreError::NotFound)
    }

    /// The verdicts on these rigs in a run, by rig, in the order of their keys.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn fleet_findings(&self, firm: i64, run: i64, rigs: &[i64]) -> Result<BTreeMap<i64, Vec<FleetFinding>>> {
        let mut c = self.connection().await?;
        let list: Vec<(i64, FleetFinding)> = fleet_finding::table
            .filter(fleet_finding::firm_id.eq(firm).and(fleet_finding::run_id.eq(run)))
            .filter(fleet_finding::rig_id.eq_any(rigs))
            .order((fleet_finding::rig_id, fleet_finding::finding))
            .select((fleet_finding::rig_id, FleetFinding::as_select()))
            .load(&mut c)
            .await?;
        let mut by_rig: BTreeMap<i64, Vec<FleetFinding>> = BTreeMap::new();
        for (rig, finding) in list {
            by_rig.entry(rig).or_default().push(finding);
        }
        Ok(by_rig)
    }

    /// How many rigs have findings of which rule, by builder and by five years; no owner is named.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn fleet_figures(&self, firm: i64, run: i64) -> Result<Vec<FleetFigure>> {
        let mut c = self.connection().await?;
        Ok(diesel::sql_query(FIGURES).bind::<BigInt, _>(firm).bind::<BigInt, _>(run).load(&mut c).await?)
    }

    /// Enters that an owner was called.
    ///
    /// # Errors
    /// When the rig is not in a run of this firm, or the database fails.
    pub async fn add_fleet_call(
        &self,
        firm: i64,
        (run, rig): (i64, i64),
        (reached, note): (bool, &str),
        by: i64,
        now: DateTime<Utc>,
    ) -> Result<()> {
        let mut c = self.connection().await?;
        diesel::insert_into(fleet_call::table)
            .values((
                fleet_call::firm_id.eq(firm),
                fleet_call::run_id.eq(run),
                fleet_call::rig_id.eq(rig),
                fleet_call::reached.eq(reached),
                fleet_call::note.eq(note),
                fleet_call::person_id.eq(by),
                fleet_call::at.eq(now),
            ))
            .execute(&mut c)
            .await
            .map_err(crate::instruments::not_of_firm)?;
        Ok(())
    }

    /// The calls to the owner of a rig in a run, the newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn fleet_calls(&self, firm: i64, run: i64, rig: i64) -> Result<Vec<FleetCall>> {
        let mut c = self.connection().await?;
        Ok(by_person!(fleet_call)
            .filter(fleet_call::firm_id.eq(firm).and(fleet_call::run_id.eq(run)).and(fleet_call::rig_id.eq(rig)))
            .order(fleet_call::id.desc())
            .select(FleetCall::as_select())
            .load(&mut c)
            .await?)
    }
}
