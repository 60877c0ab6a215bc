//! Forms and JSON bodies with errors that say what is wrong.

use crate::error::AppError;
use axum::extract::rejection::{FormRejection, JsonRejection};
use axum::extract::{Form, FromRequest, Json, Request};
use axum::http::{StatusCode, header};
use axum::response::Redirect;
use chrono::Datelike;
use serde::de::DeserializeOwned;

/// The longest body that is read at all, in bytes. It is above the longest rig, so that a rig that is
/// too long gets an answer that says so.
pub(crate) const MOST_BYTES: usize = 4_000_000;

/// Where a form of a visit leads when it is done: on with the walk where it was sent from there, else to this page of the visit.
/// `said` is the test that was read.
pub(crate) fn onward(visit: i64, from: &str, said: Option<&str>, otherwise: &str) -> Redirect {
    let to = match (from, said) {
        ("walk", Some(test)) => format!("/visits/{visit}/walk?said={}", crate::stations::readings::urlencode(test)),
        ("walk", None) => format!("/visits/{visit}/walk"),
        _ => format!("/visits/{visit}/{otherwise}"),
    };
    Redirect::to(&to)
}

/// Fields that take a list, a letter or a file, and how many characters those take; every other field takes `FIELD_CHARS`.
const LONG_FIELDS: [(&str, usize); 7] = [
    ("text", MOST_BYTES),
    ("tests", 200_000),
    ("csv", 200_000),
    ("list", 40_000),
    ("lines", 100_000),
    ("brief", 40_000),
    ("changes", 40_000),
];
const FIELD_CHARS: usize = 4_000;

/// Days that a visit, a certificate or a risk can have.
const YEARS: std::ops::RangeInclusive<i32> = 1900..=2200;

/// What is wrong with a field of a form whatever it is for: it is longer than it may be, or it is a day beyond reason.
fn fault(name: &str, value: &str) -> Option<String> {
    let most = LONG_FIELDS.iter().find(|(long, _)| *long == name).map_or(FIELD_CHARS, |(_, most)| *most);
    let chars = value.chars().count();
    if chars > most {
        return Some(crate::say("form.too-long", &[&name, &chars, &most]));
    }
    let day = value.trim().parse::<chrono::NaiveDate>().ok()?;
    (!YEARS.contains(&day.year())).then(|| crate::say("form.no-such-day", &[&value.trim(), &name]))
}

/// The same request, unless a field of it holds the one character that no text of the records may have, more than it may hold,
/// or a day beyond reason. All that is typed comes this way.
async fn guarded(request: Request) -> Result<Request, AppError> {
    let (parts, body) = request.into_parts();
    let bytes = axum::body::to_bytes(body, MOST_BYTES).await.map_err(|_| AppError::TooLarge)?;
    let has = |what: &[u8]| bytes.windows(what.len()).any(|w| w == what);
    if has(b"\0") || has(b"%00") || has(b"\\u0000") {
        return Err(AppError::BadInput(crate::t("form.no-such-character").to_owned()));
    }
    let kind = parts.headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
    if kind.starts_with("application/x-www-form-urlencoded")
        && let Some(fault) = url::form_urlencoded::parse(&bytes).find_map(|(name, value)| fault(&name, &value))
    {
        return Err(AppError::BadInput(fault));
    }
    Ok(Request::from_parts(parts, axum::body::Body::from(bytes)))
}

/// A form whose rejection is a page of ours.
pub(crate) struct Typed<T>(pub T);

fn rejected(status: StatusCode, text: String) -> AppError {
    if status == StatusCode::PAYLOAD_TOO_LARGE { AppError::TooLarge } else { AppError::BadInput(text) }
}

impl<S: Send + Sync, T: DeserializeOwned> FromRequest<S> for Typed<T> {
    type Rejection = AppError;
    async fn from_request(request: Request, state: &S) -> Result<Typed<T>, AppError> {
        let request = guarded(request).await?;
        match Form::<T>::from_request(request, state).await {
            Ok(Form(value)) => Ok(Typed(value)),
            Err(e) => Err(form_error(&e)),
        }
    }
}

fn form_error(e: &FormRejection) -> AppError {
    rejected(e.status(), crate::say("form.the-form-is-not-complete", &[&e.body_text()]))
}

/// A JSON body whose rejection is a page of ours.
pub(crate) struct Body<T>(pub T);

impl<S: Send + Sync, T: DeserializeOwned> FromRequest<S> for Body<T> {
    type Rejection = AppError;
    async fn from_request(request: Request, state: &S) -> Result<Body<T>, AppError> {
        let request = guarded(request).await?;
        match Json::<T>::from_request(request, state).await {
            Ok(Json(value)) => Ok(Body(value)),
            Err(e) => Err(json_error(&e)),
        }
    }
}

fn json_error(e: &JsonRejection) -> AppError {
    rejected(e.status(), crate::say("form.the-message-cannot-be-read", &[&e.body_text()]))
}
