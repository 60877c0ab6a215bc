//! Errors as pages that say what, where and what to do.

use askama::Template;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Redirect, Response};
use murvet_store::StoreError;

/// What can stop a request.
#[derive(Debug)]
pub(crate) enum AppError {
    /// Nobody is signed in.
    SignIn,
    /// It is not there, or belongs to another firm.
    NotFound,
    /// The input makes no sense; the message says why.
    BadInput(String),
    /// Too much was sent.
    TooLarge,
    /// Not now: the message says what must come first.
    NotYet(String),
    /// Not allowed.
    Refused(String),
    /// The database does not answer.
    Away(String),
    /// Our own fault.
    Broken(String),
}

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage {
    title: &'static str,
    message: String,
    help: &'static str,
}

impl AppError {
    /// What it says, for whoever keeps the server or a list of what could not be done.
    pub fn told(&self) -> String {
        match self {
            AppError::SignIn => "nobody is signed in".to_owned(),
            AppError::NotFound => "there is no such record".to_owned(),
            AppError::TooLarge => "too much was sent".to_owned(),
            AppError::BadInput(m)
            | AppError::NotYet(m)
            | AppError::Refused(m)
            | AppError::Away(m)
            | AppError::Broken(m) => m.clone(),
        }
    }

    /// The error as a page.
    pub fn page(self) -> Response {
        let (status, title, message, help) = match self {
            AppError::SignIn => return Redirect::to("/sign-in").into_response(),
            AppError::NotFound => (
                StatusCode::NOT_FOUND,
                crate::t("error.there-is-no-such-record"),
                crate::t("error.it-does-not-exist-or").to_owned(),
                crate::t("error.go-back-to-the-visits"),
            ),
            AppError::BadInput(message) => (
                StatusCode::UNPROCESSABLE_ENTITY,
                crate::t("error.this-cannot-be-taken-as"),
                message,
                crate::t("error.go-back-what-you-typed"),
            ),
            AppError::TooLarge => (
                StatusCode::PAYLOAD_TOO_LARGE,
                crate::t("error.that-is-too-much-text"),
                crate::say("error.a-rig-may-have-up", &[&murvet_core::notation::MAX_TEXT]),
                crate::t("error.go-back-what-you-typed-2"),
            ),
            AppError::NotYet(message) => {
                (StatusCode::CONFLICT, crate::t("error.not-yet"), message, crate::t("error.go-back-and-do-that"))
            }
            AppError::Refused(message) => {
                (StatusCode::FORBIDDEN, "Refused", message, crate::t("error.open-the-page-itself-and"))
            }
            AppError::Away(message) => {
                tracing::error!("{message}");
                (
                    StatusCode::SERVICE_UNAVAILABLE,
                    crate::t("error.the-records-are-away"),
                    crate::t("error.what-is-kept-here").to_owned(),
                    crate::t("error.try-again-in-a-minute"),
                )
            }
            AppError::Broken(message) => {
                tracing::error!("{message}");
                (
                    StatusCode::INTERNAL_SERVER_ERROR,
                    crate::t("error.something-is-wrong-on-our"),
                    crate::t("error.the-request-could-not-be").to_owned(),
                    crate::t("error.go-back-and-try-again"),
                )
            }
        };
        let page = ErrorPage { title, message, help };
        match page.render() {
            Ok(html) if status == StatusCode::SERVICE_UNAVAILABLE => {
                (status, [(header::RETRY_AFTER, "60")], Html(html)).into_response()
            }
            Ok(html) => (status, Html(html)).into_response(),
            Err(_) => (status, title).into_response(),
        }
    }
}

impl IntoResponse for AppError {
    fn into_response(self) -> Response {
        self.page()
    }
}

impl From<StoreError> for AppError {
    fn from(error: StoreError) -> AppError {
        match error {
            StoreError::NotFound => AppError::NotFound,
            StoreError::Connection(why) => AppError::Away(why),
            // A statement that waited too long for others, or for a database that is busy.
            StoreError::Query(e) if e.to_string().contains("canceling statement due to") => {
                AppError::Away(e.to_string())
            }
            other => AppError::Broken(other.to_string()),
        }
    }
}

impl From<askama::Error> for AppError {
    fn from(error: askama::Error) -> AppError {
        AppError::Broken(error.to_string())
    }
}

/// A page for addresses that lead nowhere.
pub(crate) async fn nothing_here() -> AppError {
    AppError::NotFound
}

/// A page for a fault that was caught on the way out.
pub(crate) fn broken(_: Box<dyn std::any::Any + Send>) -> Response {
    let mut response = AppError::Broken("a handler panicked".to_owned()).page();
    response.headers_mut().remove(header::CONTENT_LENGTH);
    response
}
