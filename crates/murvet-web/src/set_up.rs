//! The first start: a firm and its first person, entered by whoever can read what the server prints.

use crate::App;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::html;
use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_store::NewPerson;
use serde::Deserialize;
use sha2::{Digest, Sha256};
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};

/// The code of the first start, and how often it was typed wrong.
#[derive(Clone)]
pub(crate) struct Code {
    digest: [u8; 32],
    wrong: Arc<AtomicU32>,
}

/// After so many wrong codes none is right any more until the server is started anew.
const MOST_WRONG: u32 = 10;

impl Code {
    pub fn new(code: &str) -> Code {
        Code { digest: Sha256::digest(code.as_bytes()).into(), wrong: Arc::default() }
    }

    /// Whether this is it. What is compared is a digest, so the time it takes tells nothing about the code.
    fn fits(&self, typed: &str) -> bool {
        let typed: [u8; 32] = Sha256::digest(typed.trim().to_uppercase().as_bytes()).into();
        let tries = self.wrong.fetch_add(1, Ordering::Relaxed);
        let fits = tries < MOST_WRONG && typed == self.digest;
        if fits {
            self.wrong.fetch_sub(1, Ordering::Relaxed);
        }
        fits
    }
}

#[derive(Template)]
#[template(path = "set_up.html")]
struct SetUpPage {
    problem: Option<String>,
    typed: SetUp,
}

#[derive(Deserialize, Default)]
pub(crate) struct SetUp {
    code: String,
    firm: String,
    name: String,
    qualification: String,
    login: String,
    password: String,
}

/// The page, while there is no firm.
pub(crate) async fn show(State(app): State<App>) -> Result<Response, AppError> {
    if app.set_up.is_none() || !app.store.is_empty().await? {
        return Err(AppError::NotFound);
    }
    html(&SetUpPage { problem: None, typed: SetUp::default() })
}

/// What is wrong with what was typed.
fn problem(code: &Code, typed: &SetUp) -> Option<String> {
    let fields = [
        (&typed.firm, "set-up.firm"),
        (&typed.name, "set-up.name"),
        (&typed.login, "set-up.login"),
        (&typed.qualification, "set-up.qualification"),
    ];
    let wrong = fields.iter().find(|(text, _)| !(1..=120).contains(&text.trim().chars().count()));
    if let Some((_, what)) = wrong {
        return Some(crate::say("set-up.write", &[&crate::t(what)]));
    }
    if let Err(why) = murvet_store::password_fits(&typed.password) {
        return Some(why);
    }
    // Asked for last, so that a slip in another field costs no try.
    (!code.fits(&typed.code)).then(|| crate::t("set-up.wrong-code").to_owned())
}

/// Enters the firm and its first person.
pub(crate) async fn enter(State(app): State<App>, Typed(typed): Typed<SetUp>) -> Result<Response, AppError> {
    let code = app.set_up.clone().ok_or(AppError::NotFound)?;
    if let Some(problem) = problem(&code, &typed) {
        let typed = SetUp { password: String::new(), code: String::new(), ..typed };
        let page = html(&SetUpPage { problem: Some(problem), typed })?;
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    }
    let person = NewPerson {
        login: typed.login.trim(),
        name: typed.name.trim(),
        qualification: typed.qualification.trim(),
        password: &typed.password,
    };
    match app.store.set_up(typed.firm.trim(), &person).await? {
        Some(_) => Ok(Redirect::to("/sign-in").into_response()),
        None => Err(AppError::NotFound),
    }
}
