//! Hand over: the printable report and its signed record.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::gather;
use crate::page::{Head, VisitContext, html, mapped, outcome, phase_words, when};
use crate::stations::complaints::told;
use crate::stations::findings::{FindingCard, accepted_risks, shown};
use crate::stations::instruments::{called, in_date};
use crate::stations::photographs::{Shot, shots};
use crate::stations::readings::{holding, samples_words, uses_of};
use crate::stations::{left_as, owner};
use askama::Template;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_bundle::hex;
use murvet_core::audit_report::AuditReport;
use murvet_core::readings::{Circuit, Outcome, Use, circuits, value_words};
use murvet_draw::Subsystem;
use murvet_store::{Action, FindingEvent, HandOver, KeptCalculation, Reading, Referral, ReferralBack, verify_record};
use murvet_visit::Event;
use murvet_visit::record::SignedPart;
use serde::Deserialize;
use serde_json::json;

struct ReadingRow {
    title: String,
    value: String,
    outcome: Outcome,
    words: String,
    by: String,
    /// With what, and whether that was in date.
    with: String,
    lower: bool,
    /// Something on its path changed since.
    stale: bool,
    superseded: bool,
}

/// A test that is left to the owner: title, how, what must come out, when to stop.
struct ForOwner {
    title: String,
    how: String,
    wanted: String,
    stop: String,
    reason: String,
}

/// An instrument that was used: what it is, and its calibration on the day of the last reading with it.
struct Used {
    title: String,
    state: String,
    warns: bool,
}

struct Signed {
    id: i64,
    person: String,
    at: String,
    key: String,
    holds: bool,
}

#[derive(Template)]
#[template(path = "hand_over.html")]
struct HandOverPage {
    head: Head,
    firm: String,
    contact: String,
    day: String,
    qualification: String,
    complaint: String,
    profile_title: String,
    map: String,
    uses: Vec<Use>,
    findings: Vec<FindingCard>,
    done: Vec<(String, String, String)>,
    conditions: Vec<String>,
    readings: Vec<ReadingRow>,
    missing: usize,
    steps: Vec<(String, String)>,
    circuits: Vec<Circuit>,
    limits: Vec<String>,
    cautions: Vec<String>,
    kept: Vec<KeptCalculation>,
    shots: Vec<Shot>,
    measured: Vec<(String, String, String, String)>,
    begun_early: Vec<(String, String, String)>,
    complaints: Vec<(String, String, String)>,
    left_out: Vec<(String, String, String)>,
    left_as: Vec<left_as::Row>,
    for_owner: Vec<ForOwner>,
    used: Vec<Used>,
    signed: Vec<Signed>,
    /// What went to others, and what came back.
    referred: Vec<(String, String)>,
    /// Risks that are accepted: what, by whom and why, until when and what ends it before.
    accepted: Vec<(String, String, String)>,
    /// It came in a bundle of another firm.
    origin: bool,
    /// Why the rig is not to be left as it is.
    unsafe_rest: Option<String>,
}

/// What was repaired, and whether it was re-tested.
fn done_rows(actions: &[Action], events: &[FindingEvent]) -> Vec<(String, String, String)> {
    actions
        .iter()
        .map(|a| {
            let test =
                events.iter().rev().find(|e| e.finding == a.finding && Event::of(&e.event) == Some(Event::ReTested));
            let tested = test.map_or_else(
                || crate::t("hand-over.not-yet-re-tested").to_owned(),
                |e| format!("re-tested: {}", e.note),
            );
            let mut title = match &a.live_because {
                Some(why) => format!("{} ({})", a.title, crate::say("put-right.done-live", &[why])),
                None => a.title.clone(),
            };
            if !a.parts.is_empty() {
                title = format!("{title}; {}", crate::say("own-repair.parts-used", &[&a.parts]));
            }
            (title, tested, format!("{}, {}", a.person, when(&a.done_at)))
        })
        .collect()
}

/// Why the rig is not to be left as it is: its newest step says so. Such a step is never the last of a visit.
fn unsafe_rest(context: &VisitContext) -> Option<String> {
    context.actions.iter().rfind(|a| a.revision == context.revision.number)?.not_to_be_left.clone()
}

/// Work that went to others, each with what came back.
fn referred(list: Vec<(Referral, Option<ReferralBack>)>) -> Vec<(String, String)> {
    let back = |b: ReferralBack| crate::say("refer.came-back", &[&b.done_by, &b.certificate, &b.issuer, &b.done_on]);
    list.into_iter().map(|(r, b)| (r.title, b.map_or_else(|| crate::t("refer.not-back").to_owned(), back))).collect()
}

/// Risks that are accepted, in words.
fn accepted(events: &[FindingEvent]) -> Vec<(String, String, String)> {
    accepted_risks(events)
        .map(|e| {
            let until = e.until.map_or_else(String::new, |d| d.to_string());
            let condition = e.condition.clone().unwrap_or_default();
            let ends = crate::say("findings.accepted-until", &[&until, &condition]);
            (e.statement.clone(), format!("{}: {}", e.person, e.note), ends)
        })
        .collect()
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let firm = app.store.firm_name(context.firm).await?;
    let events = app.store.events(context.firm, visit).await?;
    let readings = app.store.readings(context.firm, visit).await?;
    let photographs = app.store.photographs(context.firm, visit).await?;
    let overrides = app.store.overrides(context.firm, visit).await?;
    let kept = app.store.calculations(context.firm, visit).await?;
    let hand_overs = app.store.hand_overs(context.firm, visit).await?;
    let left = app.store.left_out(context.firm, visit).await?;
    let complaints = told(&app, context.firm, visit).await?;
    let left_as = left_as::rows(&context, &app.store.left_as(context.firm, visit).await?);
    let instruments = app.store.instruments(context.firm).await?;
    let calibrations = app.store.calibrations(context.firm).await?;
    let report = AuditReport::new(&context.audit);
    let tests = context.audit.tests();
    let holding = holding(&app, &context, &readings).await?;
    let title = |id: &i64| instruments.iter().find(|i| i.id == *id).map(|i| called(&i.name, &i.serial));
    let out = |r: &Reading, id: &i64| in_date(&calibrations, *id, r.taken_at.date_naive());
    let with = |r: &Reading| {
        let one = |id: &i64| {
            let state = out(r, id);
            let title = title(id)?;
            Some(if state.warns() { format!("{title} ({})", state.words()) } else { title })
        };
        let list: Vec<String> = r.instruments.iter().filter_map(one).collect();
        [&list[..], &if r.means.is_empty() { Vec::new() } else { vec![r.means.clone()] }[..]].concat().join(", ")
    };
    let mut ids: Vec<i64> = readings.iter().flat_map(|r| r.instruments.iter().copied()).collect();
    ids.sort_unstable();
    ids.dedup();
    let used = |id: &i64| {
        let last = readings.iter().rfind(|r| r.instruments.contains(id))?;
        let state = out(last, id);
        Some(Used { title: title(id)?, state: state.words(), warns: state.warns() })
    };
    let row = |r: &Reading| ReadingRow {
        with: with(r),
        lower: r.lower_rank,
        stale: !holding.has(r.id),
        title: r.title.clone(),
        value: match samples_words(r) {
            s if s.is_empty() => value_words(r.value, &r.unit),
            s => format!("{} ({s})", value_words(r.value, &r.unit)),
        },
        outcome: outcome(r),
        words: r.words.clone(),
        by: format!("{}, {}", r.person, when(&r.taken_at)),
        superseded: readings.iter().any(|o| o.supersedes == Some(r.id)),
    };
    let seal = |h: &HandOver| Signed {
        id: h.id,
        person: h.person.clone(),
        at: when(&h.signed_at),
        key: hex(&h.public_key[..h.public_key.len().min(8)]),
        holds: verify_record(&h.record, &h.signature, &h.public_key).is_ok(),
    };
    let uses = uses_of(&context, &holding).await?;
    let map = mapped(&context.audit, Subsystem::All).await?;
    html(&HandOverPage {
        firm,
        contact: context.visit.customer_contact.clone(),
        day: context.visit.planned_on.to_string(),
        qualification: context.person.qualification.clone(),
        complaint: context.visit.complaint.trim_end_matches('.').to_owned(),
        profile_title: context.audit.rules.title.clone(),
        map,
        uses,
        findings: shown(&context, &events, false),
        done: done_rows(&context.actions, &events),
        conditions: context.actions.iter().filter_map(|a| a.condition.clone()).collect(),
        readings: readings.iter().map(row).collect(),
        missing: tests
            .iter()
            .filter(|t| !readings.iter().any(|r| r.test == t.id) && !left.iter().any(|l| l.test == t.id))
            .count(),
        used: ids.iter().filter_map(used).collect(),
        complaints: complaints.iter().map(|t| (t.words.clone(), t.told_by.clone(), t.ended(tests))).collect(),
        left_as,
        left_out: left
            .iter()
            .filter(|l| !l.to_owner)
            .map(|l| (l.title.clone(), l.reason.clone(), format!("{}, {}", l.person, when(&l.at))))
            .collect(),
        for_owner: left
            .iter()
            .filter(|l| l.to_owner)
            .filter_map(|l| {
                let own = owner::task_of(&context, tests.iter().find(|t| t.id == l.test)?, owner::locale(&context))?;
                let (title, reason) = (l.title.clone(), l.reason.clone());
                Some(ForOwner { title, how: own.how, wanted: own.wanted, stop: own.stop, reason })
            })
            .collect(),
        steps: context
            .steps
            .iter()
            .map(|s| {
                let done = context.done.iter().find(|d| d.step == s.id);
                (
                    s.title.clone(),
                    done.map_or_else(
                        || crate::t("hand-over.not-done").to_owned(),
                        |d| format!("{}, {}", d.person, when(&d.done_at)),
                    ),
                )
            })
            .collect(),
        circuits: circuits(&context.audit),
        limits: report.limits,
        cautions: report.cautions,
        kept,
        shots: shots(&photographs, &[], None),
        measured: crate::stations::findings::measured(&events),
        begun_early: overrides
            .into_iter()
            .map(|o| (phase_words(&o.phase), o.reason, format!("{}, {}", o.person, when(&o.at))))
            .collect(),
        signed: hand_overs.iter().map(seal).collect(),
        referred: referred(app.store.referrals(context.firm, visit).await?),
        accepted: accepted(&events),
        unsafe_rest: unsafe_rest(&context),
        origin: app.store.origin(context.firm, visit).await?.is_some(),
        head: context.head("hand-over"),
    })
}

#[derive(Deserialize)]
pub(crate) struct Sign {
    name: String,
}

pub(crate) async fn sign(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<Sign>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    if form.name.trim() != context.person.name {
        return Err(AppError::BadInput(crate::say("hand-over.type-your-name-as-it", &[&context.person.name])));
    }
    if context.visit.withdrawn {
        return Err(AppError::NotYet(crate::t("visit.is-withdrawn").to_owned()));
    }
    if let Some(why) = unsafe_rest(&context) {
        return Err(AppError::NotYet(crate::say("hand-over.not-to-be-left", &[&why])));
    }
    let now = app.clock.now();
    let signed = SignedPart {
        by: context.person.name.clone(),
        qualification: context.person.qualification.clone(),
        at: now.to_rfc3339(),
    };
    let record = gather::record(&app, &context, Some(signed)).await?;
    let record = serde_json::to_value(record).map_err(|e| AppError::Broken(e.to_string()))?;
    app.store.sign_hand_over(context.firm, visit, &record, context.person.id, now).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/hand-over#signed")))
}

/// A signed record as a file that `murvet verify` checks.
pub(crate) async fn record(
    State(app): State<App>,
    who: Who,
    Path((visit, record)): Path<(i64, i64)>,
) -> Result<Response, AppError> {
    let list = app.store.hand_overs(who.0.firm_id, visit).await?;
    let found = list.into_iter().find(|h| h.id == record).ok_or(AppError::NotFound)?;
    let file = json!({
        "record": found.record, "signature": hex(&found.signature), "public_key": hex(&found.public_key)
    });
    let name = format!("attachment; filename=\"hand-over-{visit}-{record}.json\"");
    Ok(([(header::CONTENT_TYPE, "application/json".to_owned()), (header::CONTENT_DISPOSITION, name)], file.to_string())
        .into_response())
}
