//! A rig over years: its visits, what became of each finding, how readings go, what is due, who built it.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, when};
use crate::stations::findings::accepted_risks;
use crate::stations::visit::planned;
use crate::stations::visits::kinds;
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{Redirect, Response};
use chrono::NaiveDate;
use murvet_core::readings::{VisitKind, value_words};
use murvet_store::{FindingEvent, NewVisit, Visit, WorkText};
use murvet_visit::{Course, Due, Event, Trend, courses, due, trend};
use serde::Deserialize;
use std::collections::BTreeMap;

/// What is due for a rig by its visits, withdrawn ones apart, and by what happened to its findings; the earliest first.
pub(crate) fn due_of(visits: &[Visit], events: &[FindingEvent]) -> Vec<(NaiveDate, Due)> {
    let counted = visits.iter().filter(|v| !v.withdrawn);
    let days: Vec<(NaiveDate, &str)> = counted.map(|v| (v.planned_on, v.kind.as_str())).collect();
    let risks: Vec<(String, NaiveDate)> =
        accepted_risks(events).filter_map(|e| Some((e.statement.clone(), e.until?))).collect();
    due(&days, &risks)
}

/// Most revisions that are audited for a page.
const MOST_REVISIONS: usize = 24;

/// The values of a test over the visits.
struct Line {
    title: String,
    values: Vec<(String, String, String)>,
    trend: Option<Trend>,
}

#[derive(Template)]
#[template(path = "years.html")]
struct YearsPage {
    head: Head,
    visits: Vec<(Visit, String)>,
    due: Vec<(NaiveDate, String, bool)>,
    courses: Vec<Course>,
    lines: Vec<Line>,
    builder: String,
    built: String,
    /// Revisions that are older than those audited.
    older: usize,
    kinds: Vec<(&'static str, &'static str, bool)>,
    today: String,
}

impl YearsPage {
    fn trend(&self, t: &Option<Trend>) -> &'static str {
        match t {
            Some(Trend::Rises) => crate::t("years.rises"),
            Some(Trend::Falls) => crate::t("years.falls"),
            Some(Trend::Holds) => crate::t("years.holds"),
            None => "",
        }
    }
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let (firm, rig) = (context.firm, context.visit.rig_id);
    let visits = app.store.visits_of(firm, rig).await?;
    let events = app.store.events_of(firm, rig).await?;
    let readings = app.store.readings_of(firm, rig).await?;
    let mut revisions = app.store.revisions(firm, rig).await?;
    let older = revisions.len().saturating_sub(MOST_REVISIONS);
    revisions.truncate(MOST_REVISIONS);
    let mut audited = Vec::new();
    for (revision, _) in revisions.iter().rev() {
        // A text that a newer grammar refuses says nothing.
        if let Ok((_, audit)) = app.audits.of(&revision.text, context.grounds.clone()).await? {
            let found = audit.findings.iter().map(|f| (f.key(), f.statement.clone())).collect();
            audited.push((revision.number, found));
        }
    }
    let repaired: Vec<(String, i32)> = events
        .iter()
        .filter(|e| Event::of(&e.event) == Some(Event::Repaired))
        .map(|e| (e.finding.clone(), e.revision))
        .collect();
    let mut tests: BTreeMap<&str, Vec<&murvet_store::Reading>> = BTreeMap::new();
    for r in &readings {
        tests.entry(&r.test).or_default().push(r);
    }
    let lines = tests.into_values().filter(|list| list.len() > 1).filter_map(|list| {
        let last = list.last()?;
        let same: Vec<&&murvet_store::Reading> = list.iter().filter(|r| r.unit == last.unit).collect();
        // What is looked at has no trend.
        (last.unit != murvet_core::readings::LOOK && same.len() > 1).then(|| Line {
            title: last.title.clone(),
            values: same.iter().map(|r| (value_words(r.value, &r.unit), when(&r.taken_at), r.person.clone())).collect(),
            trend: trend(&same.iter().map(|r| r.value).collect::<Vec<f64>>()),
        })
    });
    let lines = lines.collect();
    let due_words = |d: &Due| match d {
        Due::FirstJourney => crate::t("years.after-the-first-journey").to_owned(),
        Due::Yearly => crate::t("years.twelve-months").to_owned(),
        Due::Risk(what) => crate::say("years.risk-ends", &[what]),
    };
    let due = due_of(&visits, &events);
    html(&YearsPage {
        due: due.iter().map(|(day, d)| (*day, due_words(d), *day < context.today)).collect(),
        visits: visits
            .into_iter()
            .map(|v| {
                let kind = VisitKind::of(&v.kind).map_or_else(String::new, |k| k.words().to_owned());
                (v, kind)
            })
            .collect(),
        courses: courses(&audited, &repaired),
        lines,
        builder: context.visit.builder.clone(),
        built: context.visit.built.map_or_else(String::new, |y| y.to_string()),
        older,
        kinds: kinds(""),
        today: context.today.to_string(),
        head: context.head("hand-over"),
    })
}

#[derive(Deserialize)]
pub(crate) struct BuilderForm {
    builder: String,
    built: String,
}

/// Keeps builder and year.
pub(crate) async fn builder(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<BuilderForm>,
) -> Result<Redirect, AppError> {
    let builder = form.builder.trim();
    let built = match form.built.trim() {
        "" => None,
        year => Some(
            year.parse::<i32>()
                .ok()
                .filter(|y| (1900..=2200).contains(y))
                .ok_or_else(|| AppError::BadInput(crate::say("years.no-year", &[&year])))?,
        ),
    };
    if builder.chars().count() > 120 {
        return Err(AppError::BadInput(crate::t("years.builder-too-long").to_owned()));
    }
    app.store.set_builder(who.0.firm_id, visit, builder, built).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/years")))
}

#[derive(Deserialize)]
pub(crate) struct AgainForm {
    day: String,
    hours: String,
    kind: String,
    complaint: String,
}

/// Opens the next visit of the rig. Steps that are left of the last one's list go with it.
pub(crate) async fn again(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<AgainForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let typed = planned(&form.day, &form.hours, &context.visit.zone);
    let (planned_on, hours, zone) = typed.map_err(AppError::BadInput)?;
    let kind = VisitKind::of(&form.kind);
    let kind = kind.ok_or_else(|| AppError::BadInput(crate::t("visits.choose-a-kind").to_owned()))?;
    let complaint: String = form.complaint.trim().chars().take(2_000).collect();
    let (firm, person) = (context.firm, context.person.id);
    let new = NewVisit {
        rig: context.visit.rig_id,
        person,
        planned_on,
        hours,
        complaint: &complaint,
        kind: kind.code(),
        zone,
    };
    let next = app.store.add_visit(firm, &new).await?;
    if let Some(list) = app.store.work_text(firm, visit, WorkText::Steps).await?.map(|t| t.0).filter(|l| !l.is_empty())
    {
        app.store.set_work_text(firm, next, (WorkText::Steps, &list), person, app.clock.now()).await?;
    }
    Ok(Redirect::to(&format!("/visits/{next}/safe")))
}
