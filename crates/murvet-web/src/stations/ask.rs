//! What to ask the owner: what nobody said yet, what unopened places hide, what alterations leave behind.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Desk, Head, html};
use askama::Template;
use axum::extract::{Path, State};
use axum::response::Response;
use murvet_core::questions::{Question, questions};

#[derive(Template)]
#[template(path = "ask.html")]
struct AskPage {
    head: Head,
    /// With what it is about, where that is a piece that has a page.
    list: Vec<(Question, Option<String>)>,
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let desk = Desk::open(&app, who.0, visit).await?;
    let piece = |q: &Question| q.about.clone().filter(|id| desk.rig.piece(id).is_some());
    let list = questions(&desk.rig, &desk.audit).into_iter().map(|q| {
        let own = piece(&q);
        (q, own)
    });
    html(&AskPage { head: desk.head("trace"), list: list.collect() })
}
