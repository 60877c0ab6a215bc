//! The owner's sketch: what was drawn or told of the rig, beside what was traced.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, off_thread, when};
use crate::stations::trace::{ErrorShown, shown};
use askama::Template;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::meaning::{Disagreement, NOT_THERE, compare};
use murvet_core::notation::{MAX_TEXT, parse};
use murvet_draw::{MapOptions, rig_map};
use serde::Deserialize;
use std::collections::BTreeSet;

#[derive(Template)]
#[template(path = "sketch.html")]
struct SketchPage {
    head: Head,
    text: String,
    note: String,
    by: Option<String>,
    errors: Vec<ErrorShown>,
    list: Vec<Disagreement>,
    /// Components that were traced and that the sketch does not have.
    undrawn: Vec<String>,
    map: Option<String>,
}

/// The page for a text; nothing is compared while it cannot be read.
async fn page(context: VisitContext, text: String, note: String, by: Option<String>) -> Result<Response, AppError> {
    let head = context.head("trace");
    let (rig, audit) = (context.rig, context.audit);
    let page = off_thread(move || {
        let (errors, mut list) = match parse(&text) {
            Ok(said) => (Vec::new(), compare(&said, &rig)),
            Err(errors) => (shown(&text, &errors), Vec::new()),
        };
        let undrawn: Vec<String> = list.iter().filter(|d| d.said == NOT_THERE).map(|d| d.about.clone()).collect();
        list.retain(|d| d.said != NOT_THERE);
        let marked: Vec<String> =
            list.iter().flat_map(|d| d.components.iter().cloned()).collect::<BTreeSet<_>>().into_iter().collect();
        let map = (!list.is_empty() && by.is_some())
            .then(|| rig_map(&audit, &MapOptions { marked: &marked, ..MapOptions::default() }));
        SketchPage {
            head,
            undrawn: if by.is_some() { undrawn } else { Vec::new() },
            list: if by.is_some() { list } else { Vec::new() },
            text,
            note,
            by,
            errors,
            map,
        }
    })
    .await?;
    html(&page)
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let kept = app.store.sketch(context.firm, context.visit.rig_id).await?;
    match kept {
        Some(s) => page(context, s.text, s.note, Some(format!("{}, {}", s.person, when(&s.at)))).await,
        None => page(context, String::new(), String::new(), None).await,
    }
}

#[derive(Deserialize)]
pub(crate) struct SketchForm {
    text: String,
    #[serde(default)]
    note: String,
}

pub(crate) async fn attach(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<SketchForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let text = form.text.replace("\r\n", "\n");
    if text.len() > MAX_TEXT || form.note.chars().count() > 200 {
        return Err(AppError::TooLarge);
    }
    if parse(&text).is_err() {
        let page = page(context, text, form.note, None).await?;
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    }
    let note = form.note.trim();
    app.store.add_sketch(context.firm, context.visit.rig_id, &text, note, context.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/sketch")).into_response())
}
