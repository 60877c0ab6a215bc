//! The list of visits, and opening a new one.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Top, html};
use crate::stations::readings::urlencode;
use crate::stations::visit::planned;
use askama::Template;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use chrono::{Months, NaiveDate};
use murvet_core::complaints::Symptom;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::VisitKind;
use murvet_core::systems::System;
use murvet_store::{NewComplaint, NewRigVisit, NewVisit, Role, Sought, Visit};
use serde::Deserialize;

/// Visits on one page of the list.
const PAGE: i64 = 50;

#[derive(Template)]
#[template(path = "visits.html")]
struct VisitsPage {
    top: Top,
    firm: String,
    visits: Vec<Visit>,
    profiles: Vec<(&'static str, &'static str)>,
    today: String,
    /// Whether this is not the first page, and where the next one begins.
    further: bool,
    next: Option<String>,
    q: String,
    due: bool,
    withdrawn: bool,
    zone: String,
    /// What is sought, for the addresses of other pages.
    rest: String,
    problem: Option<String>,
    form: NewForm,
    /// Whoever makes visits may practise one.
    may_practise: bool,
    measures: Vec<(&'static str, &'static str, bool)>,
    kinds: Vec<(&'static str, &'static str, bool)>,
}

#[derive(Deserialize, Default)]
pub(crate) struct ListQuery {
    after: Option<String>,
    q: Option<String>,
    due: Option<String>,
    withdrawn: Option<String>,
}

/// What is typed to open a visit.
#[derive(Deserialize, Default, Clone)]
pub(crate) struct NewForm {
    customer: String,
    contact: String,
    rig: String,
    profile: String,
    day: String,
    hours: String,
    complaint: String,
    #[serde(default)]
    kind: String,
    #[serde(default)]
    zone: String,
}

pub(crate) async fn home() -> Redirect {
    Redirect::to("/visits")
}

/// A place in the list, as it stands in an address: a day and the number of a visit.
fn place(text: &str) -> Option<(NaiveDate, i64)> {
    let (day, id) = text.split_once('.')?;
    Some((day.parse().ok()?, id.parse().ok()?))
}

async fn page(
    app: &App,
    who: &Who,
    asked: ListQuery,
    problem: Option<String>,
    form: NewForm,
) -> Result<Response, AppError> {
    let firm = who.0.firm_id;
    // An address that makes no sense begins at the beginning.
    let after = asked.after.as_deref().and_then(place);
    let q: String = asked.q.unwrap_or_default().trim().chars().take(100).collect();
    let due = asked.due.is_some();
    let withdrawn = asked.withdrawn.is_some();
    let today = crate::zone::day(&app.clock.now());
    // A year after the last visit a rig is due.
    let last_before = today.checked_sub_months(Months::new(12)).filter(|_| due);
    let sought = Sought { words: &q, last_before, withdrawn, after };
    let mut visits = app.store.find_visits(firm, &sought, PAGE + 1).await?;
    let more = visits.len() as i64 > PAGE;
    visits.truncate(PAGE as usize);
    let next = visits.last().filter(|_| more).map(|v| format!("{}.{}", v.planned_on, v.id));
    let own = System::parse(&who.0.measures);
    html(&VisitsPage {
        measures: System::ALL.iter().map(|(s, word, words)| (*word, *words, *s == own)).collect(),
        may_practise: Role::of(&who.0.role) == Some(Role::Inspector),
        kinds: kinds(&form.kind),
        firm: app.store.firm_name(firm).await?,
        top: Top::new(who, "visits", None),
        visits,
        profiles: ProfileId::all().map(|p| (p.word(), p.profile().title.as_str())).collect(),
        today: today.to_string(),
        further: after.is_some(),
        next,
        rest: format!(
            "{}{}{}",
            if q.is_empty() { String::new() } else { format!("&q={}", urlencode(&q)) },
            if due { "&due=1" } else { "" },
            if withdrawn { "&withdrawn=1" } else { "" }
        ),
        q,
        due,
        withdrawn,
        zone: if form.zone.is_empty() { crate::zone::here().name().to_owned() } else { form.zone.clone() },
        problem,
        form,
    })
}

/// The kinds of visits: code, words, and whether it is chosen; a finished rig where none is.
pub(crate) fn kinds(chosen: &str) -> Vec<(&'static str, &'static str, bool)> {
    let here = VisitKind::of(chosen).unwrap_or(VisitKind::Finished);
    VisitKind::ALL.iter().map(|k| (k.code(), k.words(), *k == here)).collect()
}

pub(crate) async fn list(State(app): State<App>, who: Who, Query(q): Query<ListQuery>) -> Result<Response, AppError> {
    page(&app, &who, q, None, NewForm::default()).await
}

pub(crate) async fn enter(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Redirect, AppError> {
    let visit = app.store.visit(who.0.firm_id, visit).await?;
    Ok(Redirect::to(&format!("/visits/{}/trace", visit.id)))
}

/// The parts of the form, checked; the first fault as a sentence.
fn checked(form: &NewForm) -> Result<(ProfileId, NaiveDate, f64, VisitKind, &'static str), String> {
    for (text, what) in [(&form.customer, crate::t("visits.the-customer")), (&form.rig, crate::t("visits.the-rig"))] {
        if text.trim().is_empty() {
            return Err(crate::say("visits.write-a-name-for", &[&what]));
        }
        if text.chars().count() > 200 {
            return Err(crate::say("visits.the-name-of-has-more", &[&what]));
        }
    }
    if form.rig.contains('"') {
        return Err(crate::t("visits.the-name-of-the-rig").to_owned());
    }
    let profile = ProfileId::parse(&form.profile).ok_or(crate::t("visits.choose-a-profile-from-the"))?;
    let (day, hours, zone) = planned(&form.day, &form.hours, &form.zone)?;
    // A form of before the kinds says nothing.
    let kind = if form.kind.is_empty() { Some(VisitKind::Finished) } else { VisitKind::of(&form.kind) };
    let kind = kind.ok_or(crate::t("visits.choose-a-kind"))?;
    Ok((profile, day, hours, kind, zone))
}

pub(crate) async fn create(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<NewForm>,
) -> Result<Response, AppError> {
    let (profile, planned_on, hours, kind, zone) = match checked(&form) {
        Ok(parts) => parts,
        Err(problem) => {
            let page = page(&app, &who, ListQuery::default(), Some(problem), form).await?;
            return Ok((axum::http::StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
        }
    };
    let (firm, person, now) = (who.0.firm_id, who.0.id, app.clock.now());
    let rig = form.rig.trim();
    let text = format!("rig \"{rig}\" profile {}\n", profile.word());
    let complaint = form.complaint.trim();
    let new = NewRigVisit {
        customer: form.customer.trim(),
        contact: form.contact.trim(),
        rig,
        profile: profile.word(),
        text: &text,
        visit: NewVisit { rig: 0, person, planned_on, hours, complaint, kind: kind.code(), zone },
    };
    // What the visit was asked for is its first complaint.
    let first = (!complaint.is_empty()).then(|| NewComplaint {
        told_by: crate::t("complaints.owner"),
        words: complaint,
        symptom: Symptom::Other.word(),
        about: None,
        on_source: None,
        delay_minutes: None,
    });
    let visit = app.store.open_visit(firm, &new, first.as_slice(), now).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/trace")).into_response())
}

/// Customers on offer while a name is typed.
const OFFERED: i64 = 12;

#[derive(Deserialize)]
pub(crate) struct CustomersQuery {
    #[serde(default)]
    q: String,
}

/// Names of customers that begin with what was typed, or have it in them, as JSON.
pub(crate) async fn customers(
    State(app): State<App>,
    who: Who,
    Query(asked): Query<CustomersQuery>,
) -> Result<Json<Vec<String>>, AppError> {
    let words: String = asked.q.trim().chars().take(100).collect();
    Ok(Json(app.store.find_customers(who.0.firm_id, &words, OFFERED).await?))
}

#[derive(Deserialize)]
pub(crate) struct MeasuresForm {
    measures: String,
}

/// The measures that a person reads beside those that were entered.
pub(crate) async fn measures(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<MeasuresForm>,
) -> Result<Redirect, AppError> {
    let word = System::parse(&form.measures).word();
    app.store.set_measures(who.0.firm_id, who.0.id, word).await?;
    Ok(Redirect::to("/visits"))
}
