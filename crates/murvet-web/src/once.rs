//! A form that is sent twice is entered once.
//!
//! Every form of a page carries a name of its own. What is sent is known by that name together with all that was typed, so the
//! same click made five times is one entry and leads five times to the same page, while a form that was changed and sent again is
//! another one.

use crate::App;
use crate::auth::token;
use crate::error::AppError;
use crate::form::MOST_BYTES;
use axum::body::{Body, to_bytes};
use axum::extract::{Request, State};
use axum::http::{Method, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Redirect, Response};
use axum_extra::extract::CookieJar;
use murvet_store::{Sent, form_name};
use std::time::Duration;

/// The field that names a form.
const FIELD: &str = "once";

/// Forms whose answer sets a cookie: sent again it has to be set again.
const DOORS: [&str; 3] = ["/sign-in", "/sign-out", "/set-up"];

/// How often, and how long apart, one looks whether the first of two is through.
const LOOKS: u32 = 60;
const APART: Duration = Duration::from_millis(150);

/// The page with a name in each of its forms.
pub(crate) fn with_names(page: String) -> String {
    const OPENING: &str = "<form method=\"post\"";
    if !page.contains(OPENING) {
        return page;
    }
    // Without randomness no name is given, and a form is entered as often as it is sent.
    let Ok(name) = form_name() else { return page };
    let mut out = String::with_capacity(page.len() + 1024);
    let mut rest = page.as_str();
    let mut number = 0;
    while let Some((before, after)) = rest.split_once(OPENING) {
        let (attributes, tail) = after.split_once('>').unwrap_or((after, ""));
        out.push_str(before);
        out.push_str(OPENING);
        out.push_str(attributes);
        out.push('>');
        out.push_str(&format!("<input type=\"hidden\" name=\"{FIELD}\" value=\"{name}-{number}\">"));
        number += 1;
        rest = tail;
    }
    out.push_str(rest);
    out
}

/// Enters a named form once.
pub(crate) async fn once(State(app): State<App>, request: Request, next: Next) -> Response {
    let typed = request.headers().get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let named = request.method() == Method::POST && typed.starts_with("application/x-www-form-urlencoded");
    if !named || DOORS.contains(&request.uri().path()) {
        return next.run(request).await;
    }
    let (parts, body) = request.into_parts();
    let Ok(bytes) = to_bytes(body, MOST_BYTES).await else { return AppError::TooLarge.page() };
    let text = String::from_utf8_lossy(&bytes).into_owned();
    if !text.split('&').any(|field| field.split('=').next() == Some(FIELD)) {
        return next.run(Request::from_parts(parts, Body::from(bytes))).await;
    }
    let session = token(&app, &CookieJar::from_headers(&parts.headers)).unwrap_or_default();
    let what = format!("{} {text}", parts.uri);
    for _ in 0..LOOKS {
        match app.store.take_form(&session, &what, app.clock.now()).await {
            Err(e) => return AppError::from(e).page(),
            Ok(Sent::Before(place)) => return Redirect::to(&place).into_response(),
            Ok(Sent::Begun) => tokio::time::sleep(APART).await,
            Ok(Sent::First) => {
                let response = next.run(Request::from_parts(parts, Body::from(bytes))).await;
                let to = response.headers().get(header::LOCATION).and_then(|v| v.to_str().ok());
                // Whoever was sent to the door entered nothing, and leaves nothing behind.
                let to = to.filter(|to| response.status().is_redirection() && *to != DOORS[0]).map(str::to_owned);
                // What was entered stays entered, whether its name is written down or not.
                if let Err(e) = app.store.form_led(&session, &what, to.as_deref()).await {
                    tracing::warn!("where a form led is not known: {e}");
                }
                return response;
            }
        }
    }
    AppError::NotYet(crate::t("once.still-being-entered").to_owned()).page()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_form_that_writes_has_a_name_of_its_own() {
        let page = "<form method=\"get\"><p></form><form method=\"post\" action=\"/a\"><p></form><form method=\"post\" action=\"/b\">".to_owned();
        let named = with_names(page);
        assert_eq!(named.matches("name=\"once\"").count(), 2);
        let values: Vec<&str> = named.split("value=\"").skip(1).filter_map(|v| v.split('"').next()).collect();
        assert_ne!(values[0], values[1]);
        assert!(named.starts_with("<form method=\"get\"><p>"));
    }
}
