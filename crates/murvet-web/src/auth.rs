//! Signing in and out, and who asks.

use crate::App;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::html;
use askama::Template;
use axum::extract::{FromRequestParts, State};
use axum::http::StatusCode;
use axum::http::request::Parts;
use axum::response::{IntoResponse, Redirect, Response};
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::{Cookie, SameSite};
use chrono::{DateTime, Utc};
use murvet_store::{Person, SESSION_HOURS};
use serde::Deserialize;
use std::sync::Arc;

/// Where the time comes from.
#[derive(Clone)]
pub struct Clock(Arc<dyn Fn() -> DateTime<Utc> + Send + Sync>);

impl Clock {
    /// The machine's clock.
    pub fn system() -> Clock {
        Clock(Arc::new(Utc::now))
    }

    /// The time now.
    pub fn now(&self) -> DateTime<Utc> {
        (self.0)()
    }
}

const COOKIE: &str = "murvet";

/// The person who is signed in.
#[derive(Clone)]
pub(crate) struct Who(pub Person);

impl FromRequestParts<App> for Who {
    type Rejection = AppError;
    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Who, AppError> {
        let jar = CookieJar::from_headers(&parts.headers);
        let token = jar.get(COOKIE).ok_or(AppError::SignIn)?.value().to_owned();
        app.store.who(&token, app.clock.now()).await?.map(Who).ok_or(AppError::SignIn)
    }
}

#[derive(Template)]
#[template(path = "sign_in.html")]
struct SignInPage {
    login: String,
    failed: bool,
}

pub(crate) async fn sign_in_page() -> Result<Response, AppError> {
    html(&SignInPage { login: String::new(), failed: false })
}

#[derive(Deserialize)]
pub(crate) struct SignIn {
    login: String,
    password: String,
}

pub(crate) async fn sign_in(
    State(app): State<App>,
    jar: CookieJar,
    Typed(form): Typed<SignIn>,
) -> Result<Response, AppError> {
    match app.store.sign_in(form.login.trim(), &form.password, app.clock.now()).await? {
        Some(token) => {
            let cookie = Cookie::build((COOKIE, token))
                .path("/")
                .http_only(true)
                .same_site(SameSite::Strict)
                .secure(app.secure_cookie)
                .max_age(time::Duration::hours(SESSION_HOURS));
            Ok((jar.add(cookie), Redirect::to("/visits")).into_response())
        }
        None => {
            let page = html(&SignInPage { login: form.login, failed: true })?;
            Ok((StatusCode::UNAUTHORIZED, page).into_response())
        }
    }
}

pub(crate) async fn sign_out(State(app): State<App>, jar: CookieJar) -> Result<Response, AppError> {
    if let Some(cookie) = jar.get(COOKIE) {
        app.store.sign_out(cookie.value()).await?;
    }
    let gone = Cookie::build((COOKIE, "")).path("/");
    Ok((jar.remove(gone), Redirect::to("/sign-in")).into_response())
}
