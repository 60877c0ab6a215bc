//! Signing in and out, and who asks.

use crate::App;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::html;
use askama::Template;
use axum::extract::{ConnectInfo, Extension, FromRequestParts, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Redirect, Response};
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::{Cookie, SameSite};
use chrono::{DateTime, Utc};
use murvet_store::{Person, SESSION_HOURS};
use serde::Deserialize;
use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;

/// Where the time comes from.
#[derive(Clone)]
pub struct Clock(Arc<dyn Fn() -> DateTime<Utc> + Send + Sync>);

impl Clock {
    /// The machine's clock.
    pub fn system() -> Clock {
        Clock::told(Utc::now)
    }

    /// A clock that is told the time.
    pub fn told(time: impl Fn() -> DateTime<Utc> + Send + Sync + 'static) -> Clock {
        Clock(Arc::new(time))
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
    /// Why not.
    problem: Option<String>,
}

pub(crate) async fn sign_in_page() -> Result<Response, AppError> {
    html(&SignInPage { login: String::new(), problem: None })
}

/// Where a request came from. Behind a proxy for TLS that is what the proxy wrote last; anybody else may write what they like
/// there.
fn address(app: &App, headers: &HeaderMap, from: Option<Extension<ConnectInfo<SocketAddr>>>) -> Option<IpAddr> {
    let told = headers.get("x-forwarded-for").and_then(|v| v.to_str().ok()?.rsplit(',').next()?.trim().parse().ok());
    told.filter(|_| app.secure_cookie).or(from.map(|Extension(ConnectInfo(a))| a.ip()))
}

#[derive(Deserialize)]
pub(crate) struct SignIn {
    login: String,
    password: String,
}

pub(crate) async fn sign_in(
    State(app): State<App>,
    jar: CookieJar,
    from: Option<Extension<ConnectInfo<SocketAddr>>>,
    headers: HeaderMap,
    Typed(form): Typed<SignIn>,
) -> Result<Response, AppError> {
    let from = address(&app, &headers, from);
    let name = form.login.trim().to_owned();
    let _turn = app.doors.turn(&name, from).await;
    if let Err(seconds) = app.doors.knock(&name, from, app.clock.now()) {
        let problem = Some(crate::say("sign-in.wait", &[&seconds]));
        let page = html(&SignInPage { login: form.login, problem })?;
        let wait = [(header::RETRY_AFTER, seconds.to_string())];
        return Ok((StatusCode::TOO_MANY_REQUESTS, wait, page).into_response());
    }
    match app.store.sign_in(form.login.trim(), &form.password, app.clock.now()).await? {
        Some(token) => {
            app.doors.opened(&name, from);
            // Whoever was signed in here before is so no longer.
            if let Some(before) = jar.get(COOKIE) {
                app.store.sign_out(before.value()).await?;
            }
            let cookie = Cookie::build((COOKIE, token))
                .path("/")
                .http_only(true)
                .same_site(SameSite::Strict)
                .secure(app.secure_cookie)
                .max_age(time::Duration::hours(SESSION_HOURS));
            Ok((jar.add(cookie), Redirect::to("/visits")).into_response())
        }
        None => {
            let problem = Some(crate::t("sign-in.name-or-password-is-wrong").to_owned());
            let page = html(&SignInPage { login: form.login, problem })?;
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
