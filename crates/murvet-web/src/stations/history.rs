//! What one revision changed: its lines, what it opened and closed, and where on the map.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread, when};
use crate::stations::trace::line_changes;
use askama::Template;
use axum::extract::{Path, State};
use axum::response::Response;
use murvet_core::meaning::compare;
use murvet_draw::{MapOptions, rig_map};
use std::collections::BTreeSet;

#[derive(Template)]
#[template(path = "history.html")]
struct HistoryPage {
    head: Head,
    number: i32,
    note: String,
    by: String,
    less: Vec<String>,
    more: Vec<String>,
    opened: Vec<String>,
    closed: Vec<String>,
    changed: Vec<(String, String, String)>,
    map: String,
    earlier: Option<i32>,
    later: Option<i32>,
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path((visit, number)): Path<(i64, i32)>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let head = context.head("trace");
    let revisions = app.store.revisions(context.firm, context.visit.rig_id).await?;
    let at = revisions.iter().position(|(r, _)| r.number == number).ok_or(AppError::NotFound)?;
    let (this, person) = revisions[at].clone();
    let before = revisions.get(at + 1).map(|(r, _)| r.text.clone()).unwrap_or_default();
    let later = at.checked_sub(1).and_then(|n| revisions.get(n)).map(|(r, _)| r.number);
    let earlier = revisions.get(at + 1).map(|(r, _)| r.number);
    let judged = app.audits.of(&this.text, context.grounds.clone()).await?;
    let (rig, now) = judged.map_err(|_| AppError::NotFound)?;
    let (old, then) = app.audits.of(&before, context.grounds.clone()).await?.map_err(|_| AppError::NotFound)?;
    let page = off_thread(move || {
        let changes = line_changes(&before, &this.text);
        let side = |which: &str| changes.iter().filter(|(s, _)| *s == which).map(|(_, l)| l.clone()).collect();
        let list = compare(&old, &rig);
        let marked: Vec<String> =
            list.iter().flat_map(|d| d.components.iter().cloned()).collect::<BTreeSet<_>>().into_iter().collect();
        let options = MapOptions { findings: &now.findings, marked: &marked, ..MapOptions::default() };
        HistoryPage {
            head,
            number,
            note: this.note.clone(),
            by: format!("{person}, {}", when(&this.made_at)),
            less: side("only saved"),
            more: side("only yours"),
            opened: then.opened_by(&now).map(|f| f.statement.clone()).collect(),
            closed: now.opened_by(&then).map(|f| f.statement.clone()).collect(),
            changed: list.into_iter().map(|d| (format!("{}, {}", d.about, d.key), d.said, d.found)).collect(),
            map: rig_map(&now, &options),
            earlier,
            later,
        }
    })
    .await?;
    html(&page)
}
