//! A visit itself: its day, hours, zone and who makes it, changed with a reason; and withdrawing it.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, when};
use crate::zone;
use askama::Template;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::NaiveDate;
use murvet_store::{VisitChange, VisitEdit, VisitEvent};
use serde::Deserialize;

/// Somebody who may make the visit: key, name, and whether it is they.
type Maker = (i64, String, bool);

#[derive(Template)]
#[template(path = "visit.html")]
struct VisitPage {
    head: Head,
    form: EditForm,
    makers: Vec<Maker>,
    changes: Vec<(String, String)>,
    withdrawn: bool,
    problem: Option<String>,
}

/// What is typed to change a visit.
#[derive(Deserialize, Clone)]
pub(crate) struct EditForm {
    day: String,
    hours: String,
    zone: String,
    complaint: String,
    person: i64,
    reason: String,
}

/// What happened to a visit itself, in words.
pub(crate) fn change_words(c: &VisitChange) -> String {
    let what = match VisitEvent::of(&c.event) {
        Some(VisitEvent::Edited) => crate::say("visit.edited", &[&c.before]),
        Some(VisitEvent::Withdrawn) => crate::t("visit.withdrawn").to_owned(),
        Some(VisitEvent::Reinstated) => crate::t("visit.reinstated").to_owned(),
        None => c.event.clone(),
    };
    format!("{what}: {}", c.reason)
}

async fn page(
    app: &App,
    context: &VisitContext,
    form: Option<EditForm>,
    problem: Option<String>,
) -> Result<Response, AppError> {
    let v = &context.visit;
    let form = form.unwrap_or_else(|| EditForm {
        day: v.planned_on.to_string(),
        hours: v.hours.to_string(),
        zone: v.zone.clone(),
        complaint: v.complaint.clone(),
        person: v.person_id,
        reason: String::new(),
    });
    let people = app.store.people(context.firm).await?;
    let may = people.into_iter().filter(|p| p.closed_at.is_none() || p.id == v.person_id);
    let status = if problem.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let changes = app.store.visit_changes(context.firm, v.id).await?;
    let page = html(&VisitPage {
        head: context.head(""),
        makers: may.map(|p| (p.id, p.name, p.id == form.person)).collect(),
        form,
        changes: changes.iter().map(|c| (change_words(c), format!("{}, {}", c.person, when(&c.at)))).collect(),
        withdrawn: v.withdrawn,
        problem,
    })?;
    Ok((status, page).into_response())
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    page(&app, &context, None, None).await
}

/// Day, hours and zone as typed on any form that opens or changes a visit; the first fault as a sentence.
pub(crate) fn planned(day: &str, hours: &str, zone: &str) -> Result<(NaiveDate, f64, &'static str), String> {
    let day = day.trim().parse().map_err(|_| crate::say("visits.is-no-day-write-it", &[&day]))?;
    let number = hours.trim().replace(',', ".").parse::<f64>();
    let number = number.map_err(|_| crate::say("visits.is-no-number-of-hours", &[&hours]))?;
    if !(0.25..=24.0).contains(&number) {
        return Err(crate::say("visits.hours-a-visit-takes-between", &[&number]));
    }
    // A form of before the zones says nothing.
    let told = if zone.trim().is_empty() { Some(zone::here()) } else { zone::named(zone) };
    Ok((day, number, told.ok_or_else(|| crate::say("visit.no-zone", &[&zone]))?.name()))
}

/// Why something is done, where enough is written.
fn reason(typed: &str) -> Result<&str, String> {
    let reason = typed.trim();
    if reason.chars().count() < 3 { Err(crate::t("visit.write-why").to_owned()) } else { Ok(reason) }
}

pub(crate) async fn edit(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<EditForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let typed = planned(&form.day, &form.hours, &form.zone).and_then(|p| Ok((p, reason(&form.reason)?)));
    let ((planned_on, hours, zone), why) = match typed {
        Ok(typed) => typed,
        Err(problem) => return page(&app, &context, Some(form.clone()), Some(problem)).await,
    };
    let v = &context.visit;
    let before = crate::say("visit.stood", &[&v.planned_on, &v.hours, &v.zone, &v.person_name, &v.complaint]);
    let edit = VisitEdit { planned_on, hours, zone, complaint: form.complaint.trim(), person: form.person };
    app.store.edit_visit((context.firm, visit), &edit, (why, &before), context.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/visit")).into_response())
}

#[derive(Deserialize)]
pub(crate) struct WithdrawForm {
    withdraw: String,
    reason: String,
}

/// Withdraws a visit, or lets it count again.
pub(crate) async fn withdraw(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<WithdrawForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let why = match reason(&form.reason) {
        Ok(why) => why,
        Err(problem) => return page(&app, &context, None, Some(problem)).await,
    };
    let out = form.withdraw == "yes";
    app.store.withdraw_visit((context.firm, visit), out, why, context.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/visit")).into_response())
}
