//! Signing in and out, and who asks.

use crate::App;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::html;
use crate::roles::{may, need, words};
use crate::watch::Asker;
use askama::Template;
use axum::extract::{ConnectInfo, Extension, FromRequestParts, MatchedPath, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Redirect, Response};
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::{Cookie, SameSite};
use chrono::{DateTime, Utc};
use murvet_store::{Person, Role, SESSION_HOURS, SignIn as Told, SignedIn};
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

/// The session cookie. Over TLS its name binds it to this host and to TLS, so that no other host of the domain can set it.
fn cookie_name(app: &App) -> &'static str {
    if app.secure_cookie { "__Host-murvet" } else { "murvet" }
}

/// The session's token.
pub(crate) fn token(app: &App, jar: &CookieJar) -> Option<String> {
    jar.get(cookie_name(app)).map(|c| c.value().to_owned())
}

/// The machine that a browser says it runs on: what stands in the first brackets of its long name for itself.
fn device(headers: &HeaderMap) -> String {
    let told = headers.get(header::USER_AGENT).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let machine = told.split_once('(').and_then(|(_, rest)| rest.split_once(')')).map_or(told, |(machine, _)| machine);
    machine.chars().take(80).collect()
}

/// The person who is signed in.
#[derive(Clone)]
pub(crate) struct Who(pub Person);

impl FromRequestParts<App> for Who {
    type Rejection = AppError;
    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Who, AppError> {
        let jar = CookieJar::from_headers(&parts.headers);
        let token = token(app, &jar).ok_or(AppError::SignIn)?;
        let person = app.store.who(&token, app.clock.now()).await?.ok_or(AppError::SignIn)?;
        let route = parts.extensions.get::<MatchedPath>().map_or("", MatchedPath::as_str);
        if let Some(asker) = parts.extensions.get::<Asker>() {
            asker.is(person.firm_id, person.id);
        }
        // A role that the database should not have may only look.
        let role = Role::of(&person.role).unwrap_or(Role::ReadOnly);
        if may(role, need(&parts.method, route)) {
            Ok(Who(person))
        } else {
            Err(AppError::Refused(crate::say("roles.may-not", &[&words(role)])))
        }
    }
}

#[derive(Template)]
#[template(path = "sign_in.html")]
struct SignInPage {
    login: String,
    /// Why not.
    problem: Option<String>,
    /// The code of a second factor is asked for.
    code: bool,
}

pub(crate) async fn sign_in_page() -> Result<Response, AppError> {
    html(&SignInPage { login: String::new(), problem: None, code: false })
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
    #[serde(default)]
    code: String,
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
        let page = html(&SignInPage { login: form.login, problem, code: !form.code.is_empty() })?;
        let wait = [(header::RETRY_AFTER, seconds.to_string())];
        return Ok((StatusCode::TOO_MANY_REQUESTS, wait, page).into_response());
    }
    let told = Told { login: &name, password: &form.password, code: &form.code, device: &device(&headers) };
    match app.store.sign_in(told, app.clock.now()).await? {
        SignedIn::Open(opened) => {
            app.doors.opened(&name, from);
            // Whoever was signed in here before is so no longer.
            if let Some(before) = token(&app, &jar) {
                app.store.sign_out(&before).await?;
            }
            let cookie = Cookie::build((cookie_name(&app), opened))
                .path("/")
                .http_only(true)
                .same_site(SameSite::Strict)
                .secure(app.secure_cookie)
                .max_age(time::Duration::hours(SESSION_HOURS));
            Ok((jar.add(cookie), Redirect::to("/visits")).into_response())
        }
        // Only a code that is right forgets what was tried: whoever knows the password may not guess at codes without end.
        other => {
            let (words, code) = match other {
                SignedIn::CodeWanted => ("sign-in.code-wanted", true),
                SignedIn::CodeWrong => ("sign-in.code-wrong", true),
                _ => ("sign-in.name-or-password-is-wrong", false),
            };
            let page = html(&SignInPage { login: form.login, problem: Some(crate::t(words).to_owned()), code })?;
            Ok((StatusCode::UNAUTHORIZED, page).into_response())
        }
    }
}

pub(crate) async fn sign_out(State(app): State<App>, jar: CookieJar) -> Result<Response, AppError> {
    if let Some(open) = token(&app, &jar) {
        app.store.sign_out(&open).await?;
    }
    let gone = Cookie::build((cookie_name(&app), "")).path("/").secure(app.secure_cookie);
    Ok((jar.remove(gone), Redirect::to("/sign-in")).into_response())
}
