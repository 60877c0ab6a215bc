//! One's own account: the password, and where one is signed in.

use crate::App;
use crate::auth::{Who, token};
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Top, html, when};
use crate::roles;
use crate::stations::readings::urlencode;
use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use axum_extra::extract::CookieJar;
use murvet_store::{Role, SecondFactor, password_fits};
use serde::Deserialize;

struct SessionLine {
    id: i64,
    began: String,
    device: String,
    here: bool,
}

#[derive(Template)]
#[template(path = "account.html")]
struct AccountPage {
    top: Top,
    name: String,
    login: String,
    role: &'static str,
    sessions: Vec<SessionLine>,
    second: SecondFactor,
    /// The second factor as an address that an authenticator on this device opens.
    setup: String,
    /// Recovery codes, told this once.
    codes: Vec<String>,
    problem: Option<String>,
    done: bool,
}

async fn page(
    app: &App,
    who: &Who,
    jar: &CookieJar,
    problem: Option<String>,
    done: bool,
) -> Result<Response, AppError> {
    with_codes(app, who, jar, Vec::new(), (problem, done)).await
}

async fn with_codes(
    app: &App,
    who: &Who,
    jar: &CookieJar,
    codes: Vec<String>,
    (problem, done): (Option<String>, bool),
) -> Result<Response, AppError> {
    let own = token(app, jar).unwrap_or_default();
    let sessions = app.store.sessions(who.0.firm_id, who.0.id, app.clock.now()).await?;
    let status = if problem.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let second = app.store.second_factor(&who.0).await?;
    let setup = match &second {
        SecondFactor::Begun(secret) => {
            format!("otpauth://totp/Murvet:{}?secret={secret}&issuer=Murvet", urlencode(&who.0.login))
        }
        _ => String::new(),
    };
    let line = |s: murvet_store::SessionRow| SessionLine {
        id: s.id,
        began: when(&s.began_at),
        here: s.is(&own),
        device: if s.device.is_empty() { crate::t("account.unknown-device").to_owned() } else { s.device },
    };
    let page = html(&AccountPage {
        top: Top::new(who, "account", None),
        name: who.0.name.clone(),
        login: who.0.login.clone(),
        role: Role::of(&who.0.role).map_or("", roles::words),
        sessions: sessions.into_iter().map(line).collect(),
        second,
        setup,
        codes,
        problem,
        done,
    })?;
    Ok((status, page).into_response())
}

pub(crate) async fn show(State(app): State<App>, who: Who, jar: CookieJar) -> Result<Response, AppError> {
    page(&app, &who, &jar, None, false).await
}

#[derive(Deserialize)]
pub(crate) struct PasswordForm {
    old: String,
    new: String,
}

pub(crate) async fn password(
    State(app): State<App>,
    who: Who,
    jar: CookieJar,
    Typed(form): Typed<PasswordForm>,
) -> Result<Response, AppError> {
    let now = app.clock.now();
    // Whoever sits at an open screen may not guess at the old one without end.
    if let Err(seconds) = app.doors.knock(&who.0.login, None, now) {
        let wait = crate::say("sign-in.wait", &[&seconds]);
        return page(&app, &who, &jar, Some(wait), false).await;
    }
    if let Err(why) = password_fits(&form.new) {
        return page(&app, &who, &jar, Some(why), false).await;
    }
    let own = token(&app, &jar).unwrap_or_default();
    if !app.store.change_password(&who.0, &form.old, &form.new, &own, now).await? {
        return page(&app, &who, &jar, Some(crate::t("account.old-is-wrong").to_owned()), false).await;
    }
    app.doors.opened(&who.0.login, None);
    page(&app, &who, &jar, None, true).await
}

#[derive(Deserialize)]
pub(crate) struct SecondForm {
    what: String,
    #[serde(default)]
    code: String,
}

/// Begins a second factor, confirms it by a code, or takes it off by one.
pub(crate) async fn second(
    State(app): State<App>,
    who: Who,
    jar: CookieJar,
    Typed(form): Typed<SecondForm>,
) -> Result<Response, AppError> {
    let now = app.clock.now();
    if form.what == "begin" {
        app.store.begin_second_factor(&who.0).await?;
        return Ok(Redirect::to("/account#second").into_response());
    }
    // Whoever sits at an open screen may not guess at codes without end.
    if let Err(seconds) = app.doors.knock(&who.0.login, None, now) {
        let wait = crate::say("sign-in.wait", &[&seconds]);
        return page(&app, &who, &jar, Some(wait), false).await;
    }
    let codes = match form.what.as_str() {
        "confirm" => app.store.confirm_second_factor(&who.0, &form.code, now).await?,
        "end" => app.store.end_second_factor(&who.0, &form.code, now).await?.then(Vec::new),
        _ => return Err(AppError::NotFound),
    };
    match codes {
        None => page(&app, &who, &jar, Some(crate::t("sign-in.code-wrong").to_owned()), false).await,
        Some(codes) => {
            app.doors.opened(&who.0.login, None);
            with_codes(&app, &who, &jar, codes, (None, true)).await
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct EndForm {
    /// The session to end; all others where nothing is said.
    #[serde(default)]
    one: String,
}

pub(crate) async fn end_sessions(
    State(app): State<App>,
    who: Who,
    jar: CookieJar,
    Typed(form): Typed<EndForm>,
) -> Result<Response, AppError> {
    let own = token(&app, &jar).unwrap_or_default();
    app.store.end_sessions(&who.0, form.one.parse().ok(), &own, app.clock.now()).await?;
    Ok(Redirect::to("/account").into_response())
}
