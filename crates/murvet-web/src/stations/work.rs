//! The plan of the day, and steps of work tried on a copy of the rig.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, off_thread};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Response};
use murvet_core::reports::{Became, DayReport, Named, RestReport, StepReport, StepsReport, day, steps};
use murvet_core::work::day::{Day, Hands, clock};
use murvet_core::work::read;
use serde::Deserialize;

/// A piece of a lane: where it begins and how wide it is, in per cent of the day, its number and what it is.
struct Bar {
    x: f64,
    width: f64,
    number: usize,
    title: String,
}

/// One person's day.
struct Lane {
    name: String,
    bars: Vec<Bar>,
}

/// A plan as shown.
struct Shown {
    report: DayReport,
    lanes: Vec<Lane>,
    /// Width of making safe, in per cent of the day.
    safe: f64,
}

#[derive(Template)]
#[template(path = "work.html")]
struct WorkPage {
    head: Head,
    hours: String,
    hands: usize,
    error: Option<String>,
    plan: Option<Shown>,
}

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
    hours: Option<String>,
    hands: Option<usize>,
}

impl WorkPage {
    /// From when to when.
    fn times(&self, start: &u32, end: &u32) -> String {
        format!("{} to {}", clock(*start), clock(*end))
    }
}

/// The day that was asked for: so many people who may do everything.
fn asked_day(minutes: u32, hands: usize, own: &str) -> Day {
    let names = [own, crate::t("work.second-person")];
    Day::new(minutes, names.into_iter().take(hands).map(Hands::for_everything).collect())
}

fn lanes(report: &DayReport) -> Vec<Lane> {
    let whole = f64::from(report.minutes.max(1));
    let share = |minutes: u32| 100.0 * f64::from(minutes) / whole;
    let lane = |name: &String| Lane {
        name: name.clone(),
        bars: report
            .done
            .iter()
            .enumerate()
            .filter(|(_, d)| d.people.contains(name))
            .map(|(n, d)| Bar {
                x: share(d.start),
                width: share(d.end - d.start),
                number: n + 1,
                title: d.title.clone(),
            })
            .collect(),
    };
    report.people.iter().map(lane).collect()
}

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
    let wanted = hours.trim().parse::<f64>().ok().filter(|h| (0.1..=24.0).contains(h));
    let error = (asked.hours.is_some() && wanted.is_none()).then(|| crate::say("work.hours-are", &[&hours]));
    let plan = match (asked.hours.is_some(), wanted) {
        (true, Some(h)) => {
            #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "at most a day")]
            let minutes = (h * 60.0).round() as u32;
            let today = asked_day(minutes, hands, &context.person.name);
            let (rig, audit) = (context.rig.clone(), context.audit.clone());
            let report = off_thread(move || day(&rig, &audit, &today, &[])).await?.map_err(AppError::Broken)?;
            let safe = 100.0 * f64::from(report.isolate_minutes) / f64::from(report.minutes.max(1));
            Some(Shown { lanes: lanes(&report), safe, report })
        }
        _ => None,
    };
    html(&WorkPage { hours, hands, error, plan, head: context.head("put-right") })
}

#[derive(Template)]
#[template(path = "steps.html")]
struct StepsPage {
    head: Head,
    list: String,
    errors: Vec<String>,
    report: Option<StepsReport>,
}

impl StepsPage {
    fn became(&self, b: &Became) -> &'static str {
        match b {
            Became::Made => crate::t("steps.made"),
            Became::NotToBeLeft => crate::t("steps.not-to-be-left"),
            Became::Refused => crate::t("steps.refused"),
            Became::Impossible => crate::t("steps.impossible"),
        }
    }

    /// What a step closes, opens and moves, each with its word.
    fn changed<'a>(&self, s: &'a StepReport) -> Vec<(&'static str, &'a Named)> {
        let of = |key: &'static str, list: &'a [Named]| {
            let word = crate::t(key);
            list.iter().map(move |f| (word, f))
        };
        let (closes, opens) = (of("put-right.closes", &s.closes), of("put-right.opens", &s.opens));
        closes.chain(opens).chain(of("steps.goes-on", &s.moved)).collect()
    }

    /// Moments at which the rig is left after so many steps.
    fn rests(&self, after: &usize) -> Vec<&RestReport> {
        self.report.iter().flat_map(|r| &r.rests).filter(|r| r.after == *after).collect()
    }
}

pub(crate) async fn steps_form(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    html(&StepsPage { list: String::new(), errors: Vec::new(), report: None, head: context.head("put-right") })
}

#[derive(Deserialize)]
pub(crate) struct StepsForm {
    list: String,
}

/// Tries a list of steps on a copy of the rig; nothing is kept but what stands in the form.
pub(crate) async fn steps_tried(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<StepsForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let (rig, audit) = (context.rig.clone(), context.audit.clone());
    let (errors, report) = match read(&form.list) {
        Err(errors) => (errors.iter().map(ToString::to_string).collect(), None),
        Ok(entries) if entries.is_empty() => (vec![crate::t("steps.write-one").to_owned()], None),
        Ok(entries) => (Vec::new(), Some(off_thread(move || steps(&audit, &rig, &entries)).await?)),
    };
    let wrong = !errors.is_empty();
    let page = html(&StepsPage { list: form.list, errors, report, head: context.head("put-right") })?;
    Ok(if wrong { (axum::http::StatusCode::UNPROCESSABLE_ENTITY, page).into_response() } else { page })
}
