//! Make safe: the steps for this rig, who did each and when.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::{Typed, onward};
use crate::page::{Head, VisitContext, html, when};
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{Redirect, Response};
use serde::Deserialize;

struct Line {
    id: String,
    title: String,
    note: String,
    done: Option<String>,
    open: bool,
}

#[derive(Template)]
#[template(path = "safe.html")]
struct SafePage {
    head: Head,
    lines: Vec<Line>,
    complaint: String,
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let mut open_found = false;
    let lines = context
        .steps
        .iter()
        .map(|s| {
            let done =
                context.done.iter().find(|d| d.step == s.id).map(|d| format!("{}, {}", d.person, when(&d.done_at)));
            // Steps are done in order: only the first open one can be ticked.
            let open = done.is_none() && !open_found;
            open_found |= done.is_none();
            Line { id: s.id.clone(), title: s.title.clone(), note: s.note.clone(), done, open }
        })
        .collect();
    html(&SafePage { head: context.head("safe"), lines, complaint: context.visit.complaint.clone() })
}

#[derive(Deserialize)]
pub(crate) struct Done {
    step: String,
    #[serde(default)]
    from: String,
}

pub(crate) async fn done(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<Done>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    match context.open_steps().next() {
        Some(next) if next.id == form.step => {
            app.store.add_safe_step(context.firm, visit, &form.step, context.person.id, app.clock.now()).await?;
            Ok(onward(visit, &form.from, None, "safe"))
        }
        _ if context.done.iter().any(|d| d.step == form.step) => Ok(onward(visit, &form.from, None, "safe")),
        Some(next) => Err(AppError::NotYet(crate::say("safe.the-next-step-is", &[&next.title]))),
        None => Err(AppError::NotYet(crate::t("safe.this-rig-has-no-such").to_owned())),
    }
}
