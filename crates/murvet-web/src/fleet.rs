//! The worker that judges rigs again: takes some that wait, of any firm, has the core judge them, holds each against what its owner
//! was told, and has the records keep what came of it.

use crate::App;
use crate::error::AppError;
use crate::grounds::Grounds;
use crate::page::off_thread;
use crate::stations::rigs::due_of;
use futures_util::future::try_join_all;
use murvet_core::audit::audit_for;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rules::Certainty;
use murvet_core::severity::Severity;
use murvet_core::states::Memory;
use murvet_store::{FleetFinding, FleetTask, FleetVerdict, FleetWork, StoreError};
use murvet_visit::{Shift, Told, Verdict, call_for, shifts, verdicts};
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
        try_join_all(judged).await
    };
    app.store.judge_waiting(by, SOME, app.clock.now(), judge).await
}

/// What came of a rig. A trouble of its own is told with it and stops nobody else's; records that do not answer are nobody's trouble,
/// and the rig waits.
async fn judged(
    app: &App,
    work: &FleetWork,
    task: &FleetTask,
    grounds: Result<&Grounds, &AppError>,
) -> Result<FleetVerdict, StoreError> {
    let made = match grounds {
        Ok(grounds) => verdict(app, work, task, grounds.clone()).await,
        Err(AppError::Away(why)) => Err(AppError::Away(why.clone())),
        Err(e) => Err(AppError::Broken(e.told())),
    };
    match made {
        Err(AppError::Away(why)) => Err(StoreError::Connection(why)),
        Err(e) => Ok(FleetVerdict { rig: task.rig, trouble: Some(e.told()), ..FleetVerdict::default() }),
        Ok(verdict) => Ok(verdict),
    }
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
    // Who was told nothing yet has nothing that changed, and nothing to be called for.
    let compared = against != "nothing";
    let changed = list.iter().filter(|(shift, _)| compared && *shift != Shift::Stays).count();
    let visits = app.store.visits_of(work.firm, task.rig).await?;
    let events = app.store.events_of(work.firm, task.rig).await?;
    Ok(FleetVerdict {
        rig: task.rig,
        revision,
        against,
        call_for: call_for(&list).filter(|_| compared).map(Severity::code),
        changes: i32::try_from(changed).unwrap_or(i32::MAX),
        partly,
        due_on: due_of(&visits, &events).first().map(|(day, _)| *day),
        trouble: None,
        findings: list.into_iter().map(|(shift, v)| row(shift, v)).collect(),
    })
}

/// A verdict as it is kept.
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

/// A verdict read off what is kept.
///
/// # Errors
/// When a code that is kept is none.
pub(crate) fn read(f: &FleetFinding) -> Result<Verdict, AppError> {
    let broken = |code: &str| AppError::Broken(format!("{}: no such code: {code}", f.finding));
    Ok(Verdict {
        key: f.finding.clone(),
        rule: f.rule.clone(),
        statement: f.statement.clone(),
        names: f.names.split(", ").filter(|n| !n.is_empty()).map(str::to_owned).collect(),
        severity: Severity::of(&f.severity).ok_or_else(|| broken(&f.severity))?,
        certainty: Certainty::of(&f.certainty).ok_or_else(|| broken(&f.certainty))?,
    })
}

/// The verdicts that an earlier run left on a rig.
async fn kept(app: &App, firm: i64, run: i64, rig: i64) -> Result<Vec<Verdict>, AppError> {
    let list = app.store.fleet_findings(firm, run, &[rig]).await?.remove(&rig).unwrap_or_default();
    let stood = list.into_iter().filter(|f| Shift::of(&f.change) != Some(Shift::Goes));
    stood.map(|f| read(&f)).collect()
}
