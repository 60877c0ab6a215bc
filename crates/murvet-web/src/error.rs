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
    /// The error as a page.
    pub fn page(self) -> Response {
        let (status, title, message, help) = match self {
            AppError::SignIn => return Redirect::to("/sign-in").into_response(),
            AppError::NotFound => (
                StatusCode::NOT_FOUND,
                "There is no such record",
                "It does not exist, or it belongs to another firm.".to_owned(),
                "Go back to the visits and choose one from the list.",
            ),
            AppError::BadInput(message) => (
                StatusCode::UNPROCESSABLE_ENTITY,
                "This cannot be taken as it is",
                message,
                "Go back: what you typed is still there.",
            ),
            AppError::TooLarge => (
                StatusCode::PAYLOAD_TOO_LARGE,
                "That is too much text",
                format!("A rig may have up to {} bytes of notation.", murvet_core::notation::MAX_TEXT),
                "Go back: what you typed is still there. Split the rig, or remove what is no part of it.",
            ),
            AppError::NotYet(message) => (StatusCode::CONFLICT, "Not yet", message, "Go back and do that first."),
            AppError::Refused(message) => {
                (StatusCode::FORBIDDEN, "Refused", message, "Open the page itself and try again.")
            }
            AppError::Broken(message) => {
                tracing::error!("{message}");
                (
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "Something is wrong on our side",
                    "The request could not be answered. Nothing that was saved is lost.".to_owned(),
                    "Go back and try again; what you typed is still there.",
                )
            }
        };
        let page = ErrorPage { title, message, help };
        match page.render() {
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
