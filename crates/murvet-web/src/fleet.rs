//! The worker that judges rigs again: takes some that wait, of any firm, has the core judge them, holds each against what its owner
//! was told, and has the records keep what came of it.

use crate::App;
use crate::error::AppError;
use crate::grounds::Grounds;
use crate::page::off_thread;
use crate::stations::findings::accepted_risks;
use chrono::NaiveDate;
use futures_util::future::join_all;
use murvet_core::audit::audit_for;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::states::Memory;
use murvet_store::{FleetFinding, FleetTask, FleetVerdict, FleetWork, StoreError};
use murvet_visit::{Shift, Told, Verdict, call_for, due, shifts, verdicts};
use std::time::Duration;

/// So many rigs are taken at once: few enough that little is lost with a worker that dies.
const SOME: i64 = 8;

/// How long a worker without work waits before it asks again, and how long after the records did not answer.
const IDLE: Duration = Duration::from_millis(500);
const AWAY: Duration = Duration::from_secs(2);

/// Judges rigs that wait until it is told to end, whoever's they are. Any number of workers may do so beside each other.
pub async fn work(app: App, name: String, until: impl Future<Output = ()>) {
    let going = async {
        loop {
            match some(&app, &name).await {
                Ok(0) => tokio::time::sleep(IDLE).await,
                Ok(_) => {}
                Err(e) => {
                    tracing::warn!("the records do not answer a worker: {e}");
                    tokio::time::sleep(AWAY).await;
                }
            }
        }
    };
    tokio::select! {
        () = going => {}
        () = until => {}
    }
}

/// Judges some that wait; gives how many there were.
async fn some(app: &App, name: &str) -> Result<usize, StoreError> {
    let by = (name, env!("CARGO_PKG_VERSION"));
    let judge = |work: FleetWork| async move {
        // Each rig has its own profile; what the firm chose and has otherwise is the same for all.
        let grounds = Grounds::until(app, work.firm, ProfileId::USUAL, work.begun_at).await;
        let judged = work.tasks.iter().map(|task| judged(app, &work, task, grounds.as_ref()));
        join_all(judged).await
    };
    app.store.judge_waiting(by, SOME, app.clock.now(), judge).await
}

/// What came of a rig; a trouble is told with it and stops nobody else's.
async fn judged(app: &App, work: &FleetWork, task: &FleetTask, grounds: Result<&Grounds, &AppError>) -> FleetVerdict {
    let made = match grounds {
        Ok(grounds) => verdict(app, work, task, grounds.clone()).await.map_err(|e| e.told()),
        Err(e) => Err(e.told()),
    };
    made.unwrap_or_else(|trouble| FleetVerdict { rig: task.rig, trouble: Some(trouble), ..FleetVerdict::default() })
}

async fn verdict(app: &App, work: &FleetWork, task: &FleetTask, grounds: Grounds) -> Result<FleetVerdict, AppError> {
    let broken = |what: &str, e: &dyn std::fmt::Display| AppError::Broken(format!("{what}: {e}"));
    let told = task.record.as_deref().map(Told::read).transpose().map_err(|e| broken("the signed record", &e))?;
    // The rig as its owner has it: as it was handed over, else as it is traced so far.
    let (text, revision) = told.as_ref().map_or((&task.text, task.revision), |t| (&t.trace, t.revision));
    let asked = ProfileId::parse(&task.profile).ok_or_else(|| broken("no profile", &task.profile))?;
    let text = text.clone();
    let (now, partly) = off_thread(move || {
        let rig =
            parse(&text).map_err(|e| broken("the trace", &e.first().map_or(String::new(), ToString::to_string)))?;
        let limits = grounds.limits(rig.profile.unwrap_or(asked))?;
        let audit = audit_for(&rig, &limits, &grounds.choices, &Memory::default());
        Ok::<_, AppError>((verdicts(&audit), audit.partly))
    })
    .await??;
    let (against, before) = match (told, task.run_before) {
        (Some(told), _) => ("hand-over", told.verdicts),
        (None, Some(run)) => ("run", kept(app, work.firm, run, task.rig).await?),
        (None, None) => ("nothing", Vec::new()),
    };
    let list = shifts(&before, &now);
    Ok(FleetVerdict {
        rig: task.rig,
        revision,
        against,
        // Who was told nothing yet has nothing to be called for.
        call_for: call_for(&list).filter(|_| against != "nothing").map(murvet_core::severity::Severity::code),
        partly,
        due_on: due_on(app, work.firm, task.rig).await?,
        trouble: None,
        findings: list.into_iter().map(|(shift, v)| row(shift, v)).collect(),
    })
}

fn row(shift: Shift, v: Verdict) -> FleetFinding {
    FleetFinding {
        finding: v.key,
        rule: v.rule,
        statement: v.statement,
        names: v.names.join(", "),
        change: shift.code().to_owned(),
        severity: v.severity.code().to_owned(),
        certainty: v.certainty.code().to_owned(),
    }
}

/// The verdicts that an earlier run left on a rig.
async fn kept(app: &App, firm: i64, run: i64, rig: i64) -> Result<Vec<Verdict>, AppError> {
    let list = app.store.fleet_findings(firm, run, &[rig]).await?.remove(&rig).unwrap_or_default();
    let stood = list.into_iter().filter(|f| Shift::of(&f.change) != Some(Shift::Goes));
    stood.map(|f| crate::stations::fleet::verdict(&f)).collect()
}

/// The day on which a rig is to be looked at next.
async fn due_on(app: &App, firm: i64, rig: i64) -> Result<Option<NaiveDate>, AppError> {
    let visits = app.store.visits_of(firm, rig).await?;
    let events = app.store.events_of(firm, rig).await?;
    let days: Vec<(NaiveDate, &str)> =
        visits.iter().filter(|v| !v.withdrawn).map(|v| (v.planned_on, v.kind.as_str())).collect();
    let risks: Vec<(String, NaiveDate)> =
        accepted_risks(&events).filter_map(|e| Some((e.statement.clone(), e.until?))).collect();
    Ok(due(&days, &risks).first().map(|(day, _)| *day))
}
