//! The people of the firm: who may do what, who has left, and what everybody did.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Top, html, when};
use crate::roles;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::{DateTime, Utc};
use murvet_store::{Change, NewPerson, Person, Role, password_fits};
use serde::Deserialize;

/// So many lines of the trail on a page.
const TRAIL: i64 = 30;

struct PersonRow {
    person: Person,
    here: bool,
}

#[derive(Template)]
#[template(path = "people.html")]
struct PeoplePage {
    top: Top,
    people: Vec<PersonRow>,
    roles: Vec<(&'static str, &'static str)>,
    problem: Option<String>,
    form: AddForm,
}

/// Somebody to be entered.
#[derive(Deserialize, Default)]
pub(crate) struct AddForm {
    login: String,
    name: String,
    qualification: String,
    role: String,
    password: String,
}

async fn page(app: &App, who: &Who, problem: Option<String>, form: AddForm) -> Result<Response, AppError> {
    let people = app.store.people(who.0.firm_id).await?;
    let status = if problem.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let row = |p: Person| PersonRow { here: p.id == who.0.id, person: p };
    let page = html(&PeoplePage {
        top: Top::new(who, "practice", None),
        people: people.into_iter().map(row).collect(),
        roles: Role::ALL.iter().map(|r| (r.code(), roles::words(*r))).collect(),
        problem,
        // A password is never sent back.
        form: AddForm { password: String::new(), ..form },
    })?;
    Ok((status, page).into_response())
}

pub(crate) async fn show(State(app): State<App>, who: Who) -> Result<Response, AppError> {
    page(&app, &who, None, AddForm::default()).await
}

pub(crate) async fn add(State(app): State<App>, who: Who, Typed(form): Typed<AddForm>) -> Result<Response, AppError> {
    let fits = |text: &str| (1..=120).contains(&text.trim().chars().count());
    let role = Role::of(&form.role);
    let problem = if !fits(&form.login) || !fits(&form.name) || !fits(&form.qualification) {
        Some(crate::t("people.write-them").to_owned())
    } else if role.is_none() {
        Some(crate::t("people.choose-a-role").to_owned())
    } else {
        password_fits(&form.password).err()
    };
    let (None, Some(role)) = (&problem, role) else { return page(&app, &who, problem, form).await };
    let taken = app.store.person_called(form.login.trim()).await.is_ok();
    if taken {
        return page(&app, &who, Some(crate::t("people.name-taken").to_owned()), form).await;
    }
    let new = NewPerson {
        login: form.login.trim(),
        name: form.name.trim(),
        qualification: form.qualification.trim(),
        password: &form.password,
    };
    app.store.add_colleague(who.0.firm_id, who.0.id, &new, role, app.clock.now()).await?;
    Ok(Redirect::to("/people").into_response())
}

async fn changed(app: &App, who: &Who, change: Change) -> Result<Response, AppError> {
    match change {
        Change::Made => Ok(Redirect::to("/people").into_response()),
        Change::LastInspector => {
            page(app, who, Some(crate::t("people.last-inspector").to_owned()), AddForm::default()).await
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct RoleForm {
    role: String,
}

pub(crate) async fn role(
    State(app): State<App>,
    who: Who,
    Path(id): Path<i64>,
    Typed(form): Typed<RoleForm>,
) -> Result<Response, AppError> {
    let role = Role::of(&form.role).ok_or_else(|| AppError::BadInput(crate::t("people.choose-a-role").to_owned()))?;
    let change = app.store.set_role(who.0.firm_id, who.0.id, id, role, app.clock.now()).await?;
    changed(&app, &who, change).await
}

#[derive(Deserialize)]
pub(crate) struct CloseForm {
    close: String,
}

pub(crate) async fn close(
    State(app): State<App>,
    who: Who,
    Path(id): Path<i64>,
    Typed(form): Typed<CloseForm>,
) -> Result<Response, AppError> {
    let close = form.close == "yes";
    let change = app.store.close_person(who.0.firm_id, who.0.id, id, close, app.clock.now()).await?;
    changed(&app, &who, change).await
}

struct TrailLine {
    at: String,
    person: String,
    event: &'static str,
    about: Option<String>,
    visit: Option<i64>,
    words: String,
}

#[derive(Template)]
#[template(path = "trail.html")]
struct TrailPage {
    top: Top,
    lines: Vec<TrailLine>,
    /// The moment that the next page begins before.
    older: Option<String>,
}

/// What was done, in words.
fn event_words(event: &str) -> &'static str {
    match event {
        "signed-in" => crate::t("trail.signed-in"),
        "refused" => crate::t("trail.refused"),
        "added" => crate::t("trail.added"),
        "role" => crate::t("trail.role"),
        "closed" => crate::t("trail.closed"),
        "opened" => crate::t("trail.opened"),
        "password" => crate::t("trail.password"),
        "sessions-ended" => crate::t("trail.sessions-ended"),
        "second-on" => crate::t("trail.second-on"),
        "second-off" => crate::t("trail.second-off"),
        "recovery-code" => crate::t("trail.recovery-code"),
        "trace" => crate::t("trail.trace"),
        "reading" => crate::t("trail.reading"),
        "finding" => crate::t("trail.finding"),
        "repair" => crate::t("trail.repair"),
        "hand-over" => crate::t("trail.hand-over"),
        "limit" => crate::t("trail.limit"),
        "school" => crate::t("trail.school"),
        _ => "",
    }
}

#[derive(Deserialize, Default)]
pub(crate) struct TrailQuery {
    before: Option<DateTime<Utc>>,
}

pub(crate) async fn trail(State(app): State<App>, who: Who, Query(q): Query<TrailQuery>) -> Result<Response, AppError> {
    let before = q.before.unwrap_or_else(|| app.clock.now() + chrono::Duration::seconds(1));
    let rows = app.store.trail(who.0.firm_id, before, TRAIL).await?;
    let older = (rows.len() as i64 == TRAIL).then(|| rows.last().map(|r| r.at.to_rfc3339())).flatten();
    let line = |r: murvet_store::TrailRow| TrailLine {
        at: when(&r.at),
        event: event_words(&r.event),
        about: r.about.filter(|a| *a != r.person),
        words: match Role::of(&r.words) {
            Some(role) if r.visit.is_none() => roles::words(role).to_owned(),
            _ => r.words,
        },
        person: r.person,
        visit: r.visit,
    };
    html(&TrailPage {
        top: Top::new(&who, "practice", None),
        older: older.map(crate::stations::readings::urlencode),
        lines: rows.into_iter().map(line).collect(),
    })
}
