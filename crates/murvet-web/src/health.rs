//! How the server is, for whatever watches it: a word and a status, nothing of any firm.

use crate::App;
use axum::extract::State;
use axum::http::StatusCode;

/// The server runs.
pub(crate) async fn live() -> &'static str {
    "live\n"
}

/// The server runs and the database answers.
pub(crate) async fn ready(State(app): State<App>) -> (StatusCode, &'static str) {
    match app.store.is_empty().await {
        Ok(_) => (StatusCode::OK, "ready\n"),
        Err(error) => {
            tracing::warn!("not ready: {error}");
            (StatusCode::SERVICE_UNAVAILABLE, "the database does not answer\n")
        }
    }
}
