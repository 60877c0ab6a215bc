//! What to ask the owner: what nobody said yet, what unopened places hide, what alterations leave behind.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html};
use askama::Template;
use axum::extract::{Path, State};
use axum::response::Response;
use murvet_core::questions::{Question, questions};

#[derive(Template)]
#[template(path = "ask.html")]
struct AskPage {
    head: Head,
    /// With what it is about, where that is a component that has a page.
    list: Vec<(Question, Option<String>)>,
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let component = |q: &Question| q.about.clone().filter(|id| context.rig.component(id).is_some());
    let list = questions(&context.rig, &context.audit).into_iter().map(|q| {
        let own = component(&q);
        (q, own)
    });
    html(&AskPage { head: context.head("trace"), list: list.collect() })
}
