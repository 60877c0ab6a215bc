//! The papers of a visit on one page to print from, the labels, and all of them as PDF.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread};
use crate::stations::photographs::stored;
use crate::stations::{circuits, hand_over, next, owner};
use askama::Template;
use axum::body::to_bytes;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use chrono::Datelike;
use murvet_draw::label_sheets;
use murvet_print::{Paper, Papers, Sheet, pdf};
use std::collections::BTreeMap;

/// Most bytes of a page.
const MOST: usize = 64 << 20;

/// A page as text.
async fn text(page: Result<Response, AppError>) -> Result<String, AppError> {
    let bytes = to_bytes(page?.into_body(), MOST).await.map_err(|e| AppError::Broken(e.to_string()))?;
    String::from_utf8(bytes.to_vec()).map_err(|e| AppError::Broken(e.to_string()))
}

/// Papers as one file: title of each with its page.
async fn printed(app: &App, context: &VisitContext, list: Vec<(String, String)>) -> Result<Vec<u8>, AppError> {
    let visit = context.visit.id;
    let mut pictures: BTreeMap<String, Vec<u8>> = BTreeMap::new();
    for p in app.store.photographs(context.firm, visit).await? {
        let address = format!("/visits/{visit}/photographs/{}/thumbnail", p.id);
        pictures.insert(address, stored(app, &p.thumbnail).await?);
    }
    let firm = app.store.firm_name(context.firm).await?;
    let rig = &context.visit.rig_name;
    let foot = crate::say("papers.foot", &[&firm, rig, &context.visit.planned_on, &context.revision.number]);
    let title = crate::say("papers.of", &[rig]);
    let language = owner::locale(context).code();
    // What is read in the words of the United States is printed on its paper.
    let sheet = if language == "en-US" { Sheet::Letter } else { Sheet::A4 };
    let today = context.today;
    let made_on = (
        u16::try_from(today.year()).unwrap_or_default(),
        u8::try_from(today.month()).unwrap_or(1),
        u8::try_from(today.day()).unwrap_or(1),
    );
    let written = off_thread(move || {
        let papers: Vec<Paper<'_>> = list.iter().map(|(title, html)| Paper { title, html }).collect();
        let papers = Papers { title: &title, language, foot: &foot, sheet, made_on, papers: &papers };
        pdf(&papers, &|address| pictures.get(address).cloned())
    });
    written.await?.map_err(|e| AppError::Broken(e.to_string()))
}

/// All papers of a visit as a PDF: for the owner, the report, the circuits, for the next technician, the labels.
pub(crate) async fn all(app: &App, who: &Who, visit: i64) -> Result<Vec<u8>, AppError> {
    let context = VisitContext::open(app, who.0.clone(), visit).await?;
    let (state, path) = (|| State(app.clone()), || Path(visit));
    let list = vec![
        (crate::t("hand-over.for-the-owner"), text(owner::show(state(), who.clone(), path()).await).await?),
        (crate::t("papers.report"), text(hand_over::show(state(), who.clone(), path()).await).await?),
        (
            crate::t("common.circuit-list"),
            text(circuits::show(state(), who.clone(), path(), Query::default()).await).await?,
        ),
        (crate::t("next.for-the-next"), text(next::show(state(), who.clone(), path()).await).await?),
        (crate::t("labels.labels"), text(labels(state(), who.clone(), path()).await).await?),
    ];
    printed(app, &context, list.into_iter().map(|(t, h)| (t.to_owned(), h)).collect()).await
}

fn file(bytes: Vec<u8>, name: &str) -> Response {
    let name = format!("inline; filename=\"{name}.pdf\"");
    ([(header::CONTENT_TYPE, "application/pdf".to_owned()), (header::CONTENT_DISPOSITION, name)], bytes).into_response()
}

/// `papers.pdf`.
pub(crate) async fn as_pdf(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    Ok(file(all(&app, &who, visit).await?, &format!("visit-{visit}")))
}

#[derive(Template)]
#[template(path = "labels.html")]
struct LabelsPage {
    head: Head,
    sheets: Vec<String>,
}

/// The sheets of labels.
pub(crate) async fn labels(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let audit = context.audit.clone();
    let sheets = off_thread(move || label_sheets(&audit)).await?;
    html(&LabelsPage { sheets, head: context.head("hand-over") })
}

/// The sheets of labels as PDF.
pub(crate) async fn labels_pdf(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0.clone(), visit).await?;
    let page = text(labels(State(app.clone()), who, Path(visit)).await).await?;
    let bytes = printed(&app, &context, vec![(crate::t("labels.labels").to_owned(), page)]).await?;
    Ok(file(bytes, &format!("labels-{visit}")))
}
