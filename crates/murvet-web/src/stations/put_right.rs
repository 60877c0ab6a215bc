//! Put right: candidate repairs, each tried on a copy; doing one makes a new revision.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::{Typed, onward};
use crate::page::{Head, VisitContext, html, off_thread, when};
use crate::stations::doing::{allowed, on_newest, write_down};
use crate::stations::findings::{FindingCard, shown};
use crate::stations::licences;
use crate::stations::readings::holding;
use crate::stations::referrals::brief;
use crate::stations::steps::minutes;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::notation::print;
use murvet_core::readings::{Test, after_repair, proofs, value_words};
use murvet_core::remedies::{Trial, trials};
use murvet_core::work::day::{WorkKind, kinds};
use murvet_core::work::needed as to_isolate;
use murvet_store::{FindingEvent, NewAction, NewEvent, NewRepair};
use murvet_visit::{After, Closed as Proof, Event, Happened, Matter, Refusal, beyond, close, repairs, to_close};
use serde::Deserialize;
use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};

/// A repair that was tried on a copy.
pub(crate) struct TrialRow {
    pub title: String,
    pub accepted: bool,
    pub reason: String,
    pub minutes: u32,
    pub condition: Option<String>,
    pub closes: Vec<String>,
    pub opens: Vec<String>,
    /// Kinds of work in it that whoever is signed in has no licence for, by their words.
    pub beyond: String,
    /// What is written to whoever does it instead.
    pub brief: String,
}

/// A finding that was repaired and not yet re-tested.
pub(crate) struct Repaired {
    pub key: String,
    pub statement: String,
    pub by: String,
    /// Tests that prove it: identifier and title.
    pub tests: Vec<(String, String)>,
}

/// A finding that is closed.
pub(crate) struct Closed {
    statement: String,
    note: String,
    by: String,
}

#[derive(Template)]
#[template(path = "put_right.html")]
struct PutRightPage {
    head: Head,
    findings: Vec<FindingCard>,
    chosen: Option<FindingCard>,
    trials: Vec<TrialRow>,
    to_test: Vec<Repaired>,
    closed: Vec<Closed>,
    bars: Vec<(u32, String)>,
    planned: String,
    base: i32,
    /// Steps of making safe are open.
    live: bool,
    /// Own repairs: what, by whom.
    own: Vec<(String, String)>,
    /// Findings that a repair closed in part: statement, and what is left.
    in_part: Vec<(String, String)>,
}

#[derive(Deserialize, Default)]
pub(crate) struct RepairQuery {
    finding: Option<String>,
}

/// The newest reading since a repair that proves it: of one of its own tests, passed, on the rig as it is.
async fn proven(app: &App, context: &VisitContext, revision: i32) -> Result<Option<String>, AppError> {
    let tests = again(app, context, revision).await?;
    let readings = app.store.readings(context.firm, context.visit.id).await?;
    let holding = holding(app, context, &readings).await?;
    let ids: Vec<String> = tests.into_iter().map(|(id, _)| id).collect();
    let newest = holding.proof(&ids, revision).and_then(|p| readings.iter().find(|r| r.id == p.id));
    Ok(newest.map(|r| format!("{}: {}", r.title, value_words(r.value, &r.unit))))
}

/// An event as decisions need it.
fn happened(e: &FindingEvent) -> Option<Happened> {
    Some(Happened { matter: Matter::of(&e.finding), event: Event::of(&e.event)?, revision: e.revision })
}

/// Most tests that are named beside a repair.
const NAMED: usize = 4;

/// Findings that were repaired and not yet re-tested, and those that were.
pub(crate) async fn lives(
    app: &App,
    context: &VisitContext,
    events: &[FindingEvent],
) -> Result<(Vec<Repaired>, Vec<Closed>), AppError> {
    let mut to_test = Vec::new();
    let mut closed = Vec::new();
    let mut proofs: BTreeMap<i32, Vec<(String, String)>> = BTreeMap::new();
    // The database keeps no event of another code, so the places of both lists are the same.
    let happened: Vec<Happened> = events.iter().filter_map(happened).collect();
    for (n, after) in repairs(&happened) {
        let e = &events[n];
        let by = |e: &FindingEvent| format!("{}, {}", e.person, when(&e.at));
        match after {
            After::Closed(l) => {
                let (statement, note) = (e.statement.clone(), events[l].note.clone());
                closed.push(Closed { statement, note, by: by(&events[l]) });
            }
            After::Overtaken => {}
            After::Waits => {
                let tests = match proofs.entry(e.revision) {
                    Entry::Occupied(known) => known.get().clone(),
                    Entry::Vacant(free) => free.insert(again(app, context, e.revision).await?).clone(),
                };
                to_test.push(Repaired { key: e.finding.clone(), statement: e.statement.clone(), by: by(e), tests });
            }
        }
    }
    Ok((to_test, closed))
}

/// The tests that prove the repair which made a revision: those that would fail on the rig before it and pass on the rig as it
/// is; where no meter shows it, what is looked at or measured again because something on its path changed.
async fn again(app: &App, context: &VisitContext, revision: i32) -> Result<Vec<(String, String)>, AppError> {
    let before = app.store.revision(context.firm, context.visit.rig_id, revision - 1).await?;
    let Ok((_, before)) = app.audits.of(&before.text, context.grounds.clone()).await? else { return Ok(Vec::new()) };
    let now = context.audit.clone();
    off_thread(move || {
        let mut list = proofs(&before, &now, now.tests());
        if list.is_empty() {
            list = after_repair(&before, &now, now.tests());
        }
        let named = |t: &&Test| (t.id.to_string(), t.title.clone());
        list.iter().take(NAMED).map(named).collect()
    })
    .await
}

/// The repairs of a finding, each tried on a copy of the rig; with what is beyond the licences of whoever is signed in.
pub(crate) async fn tried(app: &App, context: &VisitContext, key: &str) -> Result<Vec<TrialRow>, AppError> {
    let (rig, audit, wanted) = (context.rig.clone(), context.audit.clone(), key.to_owned());
    let tried: Vec<(Trial, BTreeSet<WorkKind>)> = off_thread(move || {
        let finding = audit.findings.iter().find(|f| f.key() == wanted);
        let list = finding.map(|f| trials(&rig, &audit, f)).unwrap_or_default();
        let of_kinds = |t: &Trial| t.after.as_ref().filter(|_| t.accepted).map(|after| kinds(&audit, after));
        list.into_iter().map(|t| (of_kinds(&t).unwrap_or_default(), t)).map(|(k, t)| (t, k)).collect()
    })
    .await?;
    let may = licences::may(app, context).await?;
    let named = |k: &String| {
        let found = context.audit.findings.iter().find(|f| f.key() == *k);
        (found.map_or("", |f| f.severity.words()).to_owned(), found.map_or_else(|| k.clone(), |f| f.statement.clone()))
    };
    let row = |(t, of_kinds): (Trial, BTreeSet<WorkKind>)| {
        let beyond: Vec<&str> = beyond(&of_kinds, may.as_ref()).iter().map(|k| k.word()).collect();
        let closes: Vec<(String, String)> = t.closes.iter().map(named).collect();
        TrialRow {
            brief: if beyond.is_empty() {
                String::new()
            } else {
                brief(context, &beyond, &closes, std::slice::from_ref(&t.candidate.title), &[])
            },
            beyond: beyond.join(" "),
            closes: closes.into_iter().map(|(_, statement)| statement).collect(),
            opens: t.opens.iter().map(|f| format!("{}: {}", f.severity.words(), f.statement)).collect(),
            title: t.candidate.title,
            accepted: t.accepted,
            reason: t.reason,
            minutes: t.candidate.minutes,
            condition: t.candidate.condition,
        }
    };
    Ok(tried.into_iter().map(row).collect())
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(choice): Query<RepairQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let events = app.store.events(context.firm, visit).await?;
    let head = context.head("put-right");
    let (to_test, closed) = lives(&app, &context, &events).await?;
    let mut findings = shown(&context, &events, false);
    let chosen = choice.finding.and_then(|key| findings.iter().position(|f| f.key == key));
    let chosen = chosen.map(|n| findings.remove(n));
    let bars: Vec<(u32, String)> = context.actions.iter().map(|a| (a.minutes.max(1) as u32, a.title.clone())).collect();
    let planned = format!("{:.1} h", context.visit.hours);
    let base = context.revision.number;
    let live = !context.is_safe();
    let by = |a: &murvet_store::Action| {
        let took = a.took.map_or_else(String::new, |m| format!(", {m} min"));
        let parts = if a.parts.is_empty() { String::new() } else { format!("; {}", a.parts) };
        format!("{}, {}{took}{parts}", a.person, when(&a.done_at))
    };
    let own = context.actions.iter().filter(|a| a.own).map(|a| (a.title.clone(), by(a))).collect();
    let partly = events.iter().filter(|e| Event::of(&e.event) == Some(Event::PartRepaired));
    let in_part = partly.map(|e| (e.statement.clone(), e.note.clone())).collect();
    let total = (context.visit.hours * 60.0).max(1.0);
    let bars =
        bars.into_iter().map(|(m, t)| ((f64::from(m) / total * 100.0).round().clamp(4.0, 100.0) as u32, t)).collect();
    let rows = match &chosen {
        None => Vec::new(),
        Some(chosen) => tried(&app, &context, &chosen.key).await?,
    };
    html(&PutRightPage {
        head,
        findings,
        chosen,
        trials: rows,
        to_test,
        closed,
        bars,
        planned,
        base,
        live,
        own,
        in_part,
    })
}

#[derive(Deserialize)]
pub(crate) struct Repair {
    finding: String,
    title: String,
    base: i32,
    #[serde(default)]
    live_because: String,
    #[serde(default)]
    took: String,
    #[serde(default)]
    from: String,
}

pub(crate) async fn apply(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<Repair>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    on_newest(&context, form.base)?;
    let (rig, audit) = (context.rig.clone(), context.audit.clone());
    let wanted = form.finding.clone();
    let took = minutes(&form.took)?;
    let (statement, trial, isolate, of_kinds) = off_thread(move || {
        let finding = audit.findings.iter().find(|f| f.key() == wanted)?;
        let list = trials(&rig, &audit, finding);
        let trial = list.into_iter().find(|t| t.candidate.title == form.title && t.accepted)?;
        let isolate = trial.after.as_ref().map(|after| to_isolate(&audit, after)).unwrap_or_default();
        let of_kinds = trial.after.as_ref().map(|after| kinds(&audit, after)).unwrap_or_default();
        Some((finding.statement.clone(), trial, isolate, of_kinds))
    })
    .await?
    .ok_or(AppError::NotFound)?;
    let live_because = allowed(&app, &context, &of_kinds, &isolate, &form.live_because).await?;
    let Some(rig) = trial.rig else { return Err(AppError::NotFound) };
    let note = format!("repair: {}", trial.candidate.title);
    let words = |key: &String| {
        let found = context.audit.findings.iter().find(|f| f.key() == *key);
        (key.clone(), found.map_or_else(|| statement.clone(), |f| f.statement.clone()))
    };
    let closes: Vec<(String, String)> = trial.closes.iter().map(words).collect();
    let repair = NewRepair {
        rig: context.visit.rig_id,
        base: form.base,
        text: &print(&rig),
        note: &note,
        action: NewAction {
            finding: &form.finding,
            title: &trial.candidate.title,
            minutes: trial.candidate.minutes as i32,
            condition: trial.candidate.condition.as_deref(),
            live_because: live_because.as_deref(),
            took,
            ..NewAction::default()
        },
        closes: &closes,
        parts_of: &[],
    };
    write_down(&app, &context, &repair).await?;
    Ok(onward(visit, &form.from, None, "put-right").into_response())
}

#[derive(Deserialize)]
pub(crate) struct ReTest {
    finding: String,
    note: String,
    #[serde(default)]
    from: String,
}

pub(crate) async fn re_test(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<ReTest>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let events = app.store.events(context.firm, visit).await?;
    let no_repair = || AppError::NotYet(crate::t("put-right.this-finding-has-no-repair").to_owned());
    let repaired = events.iter().rfind(|e| e.finding == form.finding).ok_or_else(no_repair)?;
    let happened: Vec<Happened> = events.iter().filter_map(happened).collect();
    let still_there = context.audit.findings.iter().any(|f| f.key() == form.finding);
    let matter = Matter::of(&form.finding);
    let closed = match to_close(&matter, &happened, still_there) {
        Ok(revision) => {
            let proof = proven(&app, &context, revision).await?;
            close(&matter, &happened, still_there, proof, &form.note)
        }
        Err(refusal) => Err(refusal),
    };
    let note = match closed {
        Ok(Proof::Proven(reading)) => reading,
        Ok(Proof::Reason(why)) => crate::say("put-right.without-a-reading", &[&why]),
        Err(Refusal::StillThere) => {
            return Err(AppError::NotYet(crate::t("put-right.the-rig-as-traced-now").to_owned()));
        }
        Err(Refusal::WriteWhy(least)) => {
            return Err(AppError::BadInput(crate::say("put-right.write-why-no-reading", &[&least])));
        }
        Err(_) => return Err(no_repair()),
    };
    let note = note.as_str();
    let event = NewEvent {
        finding: &form.finding,
        statement: &repaired.statement,
        event: Event::ReTested.code(),
        note,
        revision: context.revision.number,
        ..NewEvent::default()
    };
    app.store.add_event(context.firm, visit, &event, context.person.id, app.clock.now()).await?;
    Ok(onward(visit, &form.from, None, "put-right"))
}

impl PutRightPage {
    /// Repairs made so far as shares of the visit's hours: start, width, title.
    fn placed(&self) -> Vec<(u32, u32, &str)> {
        let mut at = 0;
        self.bars
            .iter()
            .map(|(width, title)| {
                let start = at;
                at += width;
                (start, *width, title.as_str())
            })
            .collect()
    }
}
