//! The plan of the day: hours, people, parts and own tasks as they are typed, the plan that removes the most danger, what it costs,
//! and what goes to others.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, off_thread, when};
use crate::stations::prices::{bill_of, money, stock};
use crate::stations::{licences, referrals};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::{DateTime, Utc};
use murvet_core::reports::{DayReport, LeftReport, day};
use murvet_core::work::day::{Day, Hands, ISOLATING, Task, WorkKind, clock, pace, read};
use murvet_core::work::price::Bill;
use murvet_store::{Referral, ReferralBack, WorkText};
use serde::Deserialize;

/// A piece of a lane: where it begins and how wide it is, in per cent of the day, its number with the letters of who does it, and
/// what it is.
struct Bar {
    x: f64,
    width: f64,
    mark: String,
    title: String,
}

/// What is done in one place.
struct Lane {
    name: String,
    bars: Vec<Bar>,
}

/// Work that nobody who is there may do: what, the codes of its kinds, and what whoever does it needs to know.
struct Beyond {
    title: String,
    kinds: String,
    brief: String,
}

/// How much of the day is over, minutes.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Clock {
    /// It was not begun.
    Ahead,
    /// So much of it is gone.
    Gone(u32),
    /// All of it is.
    Over,
}

impl Clock {
    fn gone(self) -> u32 {
        match self {
            Clock::Gone(minutes) => minutes,
            Clock::Ahead | Clock::Over => 0,
        }
    }
}

/// A plan as shown.
struct Shown {
    report: DayReport,
    lanes: Vec<Lane>,
    /// Where making safe begins and how wide it is, in per cent of the day.
    safe: (f64, f64),
    /// Where isolation begins and how wide it is.
    isolated: (f64, f64),
    /// Where the day is now, once it was begun.
    now: Option<f64>,
    beyond: Vec<Beyond>,
    bill: Option<Bill>,
}

#[derive(Template)]
#[template(path = "work.html")]
struct WorkPage {
    head: Head,
    hours: String,
    hands: usize,
    /// The day as it is typed.
    text: String,
    errors: Vec<String>,
    plan: Option<Shown>,
    referred: Vec<(Referral, Option<ReferralBack>)>,
    today: String,
    paced: usize,
    clock: Clock,
}

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
    hours: Option<String>,
    hands: Option<usize>,
}

impl WorkPage {
    /// From when to when, from the beginning of the day.
    fn times(&self, start: &u32, end: &u32) -> String {
        let gone = self.clock.gone();
        format!("{} to {}", clock(gone + start), clock(gone + end))
    }

    /// What is to be said of the time.
    fn time(&self) -> Option<String> {
        let left = |p: &Shown| clock(p.report.minutes);
        match (self.clock, &self.plan) {
            (Clock::Gone(minutes), Some(p)) => Some(crate::say("work.begun", &[&clock(minutes), &left(p)])),
            (Clock::Over, Some(p)) => Some(crate::say("work.hours-over", &[&left(p)])),
            _ => None,
        }
    }

    fn money(&self, cents: &i64) -> String {
        money(*cents)
    }

    /// A number of tenths as printed.
    fn tenths(&self, tenths: &u32) -> String {
        if tenths.is_multiple_of(10) { (tenths / 10).to_string() } else { format!("{}.{}", tenths / 10, tenths % 10) }
    }

    /// When something was entered.
    fn when(&self, at: &chrono::DateTime<chrono::Utc>) -> String {
        when(at)
    }
}

/// What is done by place, of a day of which so many minutes are gone. A task in two places stands in both.
fn lanes(report: &DayReport, gone: u32) -> Vec<Lane> {
    let share = share(report, gone);
    let letter = |name: &String| name.chars().next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
    let mut lanes: Vec<Lane> = Vec::new();
    for (n, d) in report.done.iter().enumerate() {
        let who: String = if report.people.len() > 1 { d.people.iter().map(letter).collect() } else { String::new() };
        let anywhere = [crate::t("work.anywhere").to_owned()];
        for place in if d.at.is_empty() { &anywhere[..] } else { &d.at[..] } {
            let bar = Bar {
                x: share(gone + d.start),
                width: share(d.end - d.start),
                mark: format!("{} {who}", n + 1).trim_end().to_owned(),
                title: d.title.clone(),
            };
            match lanes.iter_mut().find(|l| l.name == *place) {
                Some(lane) => lane.bars.push(bar),
                None => lanes.push(Lane { name: place.clone(), bars: vec![bar] }),
            }
        }
    }
    lanes
}

/// Minutes as per cent of the whole day, of which so many are gone.
fn share(report: &DayReport, gone: u32) -> impl Fn(u32) -> f64 + use<> {
    let whole = f64::from((report.minutes + gone).max(1));
    move |minutes| (10_000.0 * f64::from(minutes) / whole).round() / 100.0
}

/// A day in its notation: so many hours, these people with what they may do.
fn day_text(hours: &str, people: &[Hands]) -> String {
    let all = WorkKind::ALL.len();
    let person = |p: &Hands| {
        let kinds: Vec<&str> = WorkKind::ALL.iter().filter(|(k, _)| p.may.contains(k)).map(|(_, word)| *word).collect();
        let kinds = if p.may.len() == all { WorkKind::ALL.map(|(_, w)| w).join(" ") } else { kinds.join(" ") };
        format!("person \"{}\": {kinds}\n", p.name.replace('"', "'"))
    };
    format!("day {hours}h\n{}", people.iter().map(person).collect::<String>())
}

/// Plans a day; what is in the van by the firm's list counts where the day itself does not say.
async fn planned(
    app: &App,
    context: &VisitContext,
    mut day_is: Day,
    own: Vec<Task>,
    clock: Clock,
) -> Result<(Shown, usize), AppError> {
    let taken = app.store.minutes_taken(context.firm).await?;
    let rule = |f: &str| f.split_once(':').map_or(f.to_owned(), |(rule, _)| rule.to_owned());
    let taken: Vec<(String, u32, u32)> = taken
        .into_iter()
        .filter_map(|(f, usual, took)| Some((rule(&f), u32::try_from(usual).ok()?, u32::try_from(took).ok()?)))
        .collect();
    day_is.pace = pace(taken.iter().map(|(r, u, t)| (r.as_str(), *u, *t)));
    let paced = day_is.pace.len();
    for (part, many) in stock(app, context.firm).await? {
        day_is.parts.entry(part).or_insert(many);
    }
    // What is isolated already is only to be undone again.
    for step in &context.done {
        day_is.isolating.entry(step.step.clone()).or_insert(ISOLATING / 2);
    }
    let (rig, audit) = (context.rig.clone(), context.audit.clone());
    let report = off_thread(move || day(&rig, &audit, &day_is, &own)).await?.map_err(AppError::Broken)?;
    let gone = clock.gone();
    let share = share(&report, gone);
    let safe = (share(gone), share(report.isolate_minutes));
    let isolated = (safe.0 + safe.1, share(report.isolate_until.saturating_sub(report.isolate_minutes)));
    let now = (clock != Clock::Ahead).then(|| share(gone)).filter(|_| clock != Clock::Over);
    let minutes =
        report.done.iter().map(|d| (d.end - d.start) * u32::try_from(d.people.len()).unwrap_or(1)).sum::<u32>()
            + report.isolate_minutes;
    let beyond = |l: &LeftReport| {
        let kinds: Vec<&str> = l.beyond.iter().map(|k| k.word()).collect();
        let closes: Vec<(String, String)> =
            l.closes.iter().map(|f| (f.severity.to_string(), f.statement.clone())).collect();
        let parts: Vec<String> = l.parts.iter().map(|(name, n)| format!("{n} x {name}")).collect();
        Beyond {
            title: l.title.clone(),
            brief: referrals::brief(context, &kinds, &closes, &l.acts, &parts),
            kinds: kinds.join(" "),
        }
    };
    let beyond = report.still_wanted().filter(|l| !l.beyond.is_empty()).map(beyond).collect();
    let bill = bill_of(app, context.firm, &report.parts, minutes).await?;
    Ok((Shown { lanes: lanes(&report, gone), safe, isolated, now, beyond, bill, report }, paced))
}

/// How much of a day of so many minutes is over.
fn time_of(minutes: u32, begun: Option<DateTime<Utc>>, now: DateTime<Utc>) -> Clock {
    let Some(begun) = begun else { return Clock::Ahead };
    match u32::try_from((now - begun).num_minutes()) {
        Ok(gone) if gone < minutes => Clock::Gone(gone),
        _ => Clock::Over,
    }
}

/// The page with a day that was typed: planned or not, and when the day was begun.
async fn page(
    app: &App,
    context: &VisitContext,
    hours: String,
    hands: usize,
    text: String,
    (plan, begun): (bool, Option<DateTime<Utc>>),
) -> Result<Response, AppError> {
    let (mut errors, mut shown, mut paced, mut clock) = (Vec::new(), None, 0, Clock::Ahead);
    if plan {
        match read(&text) {
            Err(list) => errors = list.iter().map(ToString::to_string).collect(),
            Ok((mut day_is, own)) => {
                clock = time_of(day_is.minutes, begun, app.clock.now());
                day_is.minutes -= clock.gone();
                let (made, own_pace) = planned(app, context, day_is, own, clock).await?;
                (shown, paced) = (Some(made), own_pace);
            }
        }
    }
    let wrong = !errors.is_empty();
    let page = html(&WorkPage {
        hours,
        hands,
        text,
        errors,
        plan: shown,
        paced,
        clock,
        referred: app.store.referrals(context.firm, context.visit.id).await?,
        today: context.today.to_string(),
        head: context.head("put-right"),
    })?;
    Ok(if wrong { (StatusCode::UNPROCESSABLE_ENTITY, page).into_response() } else { page })
}

/// The day as it was kept; with hours and people in the address, one of these.
pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(asked): Query<Asked>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let hands = asked.hands.unwrap_or(1).clamp(1, 2);
    let rest = ((60.0 * context.visit.hours - context.spent_minutes()).max(0.0) / 6.0).round() / 10.0;
    let hours = asked.hours.clone().unwrap_or_else(|| rest.to_string());
    let people = licences::hands(&app, &context).await?;
    let usual = |hours: &str| day_text(hours, &people[..hands.min(people.len())]);
    let kept = app.store.work_text(context.firm, visit, WorkText::Day).await?;
    match (asked.hours.is_some(), kept) {
        (true, _) if !hours.trim().parse::<f64>().is_ok_and(|h| (0.1..=24.0).contains(&h)) => {
            let errors = vec![crate::say("work.hours-are", &[&hours])];
            let referred = app.store.referrals(context.firm, visit).await?;
            html(&WorkPage {
                text: usual(&rest.to_string()),
                errors,
                hours,
                hands,
                plan: None,
                paced: 0,
                clock: Clock::Ahead,
                referred,
                today: context.today.to_string(),
                head: context.head("put-right"),
            })
        }
        (true, _) => {
            let text = usual(hours.trim());
            page(&app, &context, hours, hands, text, (true, None)).await
        }
        (false, Some((text, _))) => {
            let begun = app.store.work_text(context.firm, visit, WorkText::Begun).await?.map(|b| b.1);
            page(&app, &context, hours, hands, text, (true, begun)).await
        }
        (false, None) => {
            let text = usual(&hours);
            page(&app, &context, hours, hands, text, (false, None)).await
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct DayForm {
    text: String,
    /// Minutes that were lost since.
    #[serde(default)]
    lost: Option<u32>,
    /// The work begins now.
    #[serde(default)]
    begin: Option<u8>,
}

/// The same day with fewer minutes.
fn shorter(text: &str, lost: u32) -> String {
    let Ok((day_is, _)) = read(text) else { return text.to_owned() };
    let minutes = day_is.minutes.saturating_sub(lost).max(6);
    let rest: Vec<&str> = text.lines().filter(|l| !l.trim_start().starts_with("day ")).collect();
    format!("day {minutes}min\n{}\n", rest.join("\n"))
}

/// Keeps a day and plans it; begun, its plan is of the minutes that are left from now on.
pub(crate) async fn keep(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<DayForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let text = form.text.replace("\r\n", "\n");
    if text.chars().count() > 40_000 {
        return Err(AppError::BadInput(crate::t("work.too-long").to_owned()));
    }
    if read(&text).is_err() {
        return page(&app, &context, String::new(), 1, text, (true, None)).await;
    }
    let text = form.lost.map_or(text.clone(), |lost| shorter(&text, lost));
    let (firm, by, now) = (context.firm, context.person.id, app.clock.now());
    app.store.set_work_text(firm, visit, (WorkText::Day, &text), by, now).await?;
    if form.begin.is_some() {
        app.store.set_work_text(firm, visit, (WorkText::Begun, ""), by, now).await?;
    }
    Ok(Redirect::to(&format!("/visits/{visit}/work")).into_response())
}
