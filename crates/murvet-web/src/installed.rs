//! Murvet on the start page of a device: the manifest, what is shown without a connection, and photographs that other programs
//! share.

use crate::App;
use crate::assets::address;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Top, html};
use askama::Template;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_store::{Sought, Visit};
use serde_json::json;

/// Visits on offer for a photograph that was shared.
const OFFERED: i64 = 12;

/// The web manifest: name, start page, icons, and that photographs can be shared here.
pub(crate) async fn manifest() -> Response {
    let icon = |name: &str, sizes: &str, media: &str| json!({"src": address(name), "sizes": sizes, "type": media});
    let manifest = json!({
        "name": crate::t("installed.name"),
        "short_name": crate::t("common.murvet"),
        "id": "/",
        "start_url": "/visits",
        "scope": "/",
        "display": "standalone",
        "background_color": "#faf6ea",
        "theme_color": "#faf6ea",
        "icons": [
            icon("icon.svg", "any", "image/svg+xml"),
            icon("icon-192.png", "192x192", "image/png"),
            icon("icon-512.png", "512x512", "image/png"),
        ],
        "share_target": {
            "action": "/shared",
            "method": "POST",
            "enctype": "multipart/form-data",
            "params": {"files": [{"name": "photo", "accept": ["image/jpeg", "image/png", "image/webp"]}]},
        },
    });
    ([(header::CONTENT_TYPE, "application/manifest+json")], manifest.to_string()).into_response()
}

#[derive(Template)]
#[template(path = "away.html")]
struct AwayPage {}

/// What stands in place of a page that is not kept on this device while there is no connection.
pub(crate) async fn away() -> Result<Response, AppError> {
    html(&AwayPage {})
}

#[derive(Template)]
#[template(path = "shared.html")]
struct SharedPage {
    top: Top,
    visits: Vec<Visit>,
}

/// Asks for the visit of a photograph that was shared. The photograph itself waits in the browser.
pub(crate) async fn shared(State(app): State<App>, who: Who) -> Result<Response, AppError> {
    let visits = app.store.find_visits(who.0.firm_id, &Sought::default(), OFFERED).await?;
    html(&SharedPage { top: Top::new(&who, "visits", None), visits })
}

/// Where a browser that has not kept the worker sends what was shared: it is asked to share it again.
pub(crate) async fn share_again() -> Redirect {
    Redirect::to("/shared")
}
