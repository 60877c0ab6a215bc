//! Confirm what I see: what was put down unseen, a thing at a time.

use super::{keep, near_map, place_words, written_last};
use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html};
use crate::stations::readings::urlencode;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::catalogue::Kind;
use murvet_core::rig::{Component, Rig, Step, TermRef, Value};
use murvet_trace::{Part, assumed, ends, not_here};
use serde::Deserialize;

/// A part of what one looks at.
struct PartRow {
    /// Where it is changed.
    link: String,
    words: String,
    /// Between which ends it lies; nothing for what stands on a component.
    between: String,
    assumed: bool,
}

#[derive(Template)]
#[template(path = "seen.html")]
struct SeenPage {
    head: Head,
    base: i32,
    id: String,
    title: String,
    kind: &'static str,
    place: String,
    rows: Vec<PartRow>,
    left: usize,
    /// The one after this, where this one is left for later.
    after: Option<String>,
    picture: String,
    last: Option<String>,
    problem: Option<String>,
}

fn plain(value: &Value) -> String {
    if value.is_unseen() { "?".to_owned() } else { value.text.clone() }
}

/// What is known of a component, in one line.
pub(super) fn component_words(c: &Component) -> String {
    let mut words: Vec<String> = Vec::new();
    for spec in c.kind.spec().attrs {
        if let Some(v) = c.attrs.get(spec.key) {
            words.push(if v.text == "yes" { spec.key.to_owned() } else { plain(v) });
        }
    }
    words.extend(c.ways.iter().map(|w| format!("{} {}", w.label.as_deref().unwrap_or(&w.id), plain(&w.rating))));
    let title = if c.label.is_some() { c.title() } else { c.kind.spec().title };
    if words.is_empty() { title.to_owned() } else { format!("{title}: {}", words.join(", ")) }
}

pub(super) fn part_words(rig: &Rig, part: &Part) -> (String, String) {
    match part {
        Part::Component(id) => (rig.component(id).map(component_words).unwrap_or_default(), String::new()),
        Part::Conductor { run, step } => {
            let Some(r) = rig.runs.get(*run) else { return Default::default() };
            let Some(Step::Conductor(c)) = r.steps.get(*step) else { return Default::default() };
            let mut words = vec![plain(&c.length), plain(&c.size)];
            words.extend(c.colour.clone());
            words.extend(c.insulation.as_ref().map(plain));
            words.extend(c.via.iter().map(|v| place_words(rig, Some(v))));
            let ahead = r.steps[..*step].iter().rev().find_map(at).unwrap_or(&r.from);
            let behind = r.steps[*step..].iter().find_map(at);
            let name = |t: &TermRef| {
                let title = rig.component(&t.component).map_or(t.component.as_str(), Component::title);
                t.terminal.as_ref().map_or_else(|| title.to_owned(), |terminal| format!("{title} {terminal}"))
            };
            let end = behind.map_or_else(|| crate::t("ends.nowhere").to_owned(), name);
            (words.join(" "), format!("{} → {end}", name(ahead)))
        }
        Part::Cable(id) => {
            let Some(c) = rig.cable(id) else { return Default::default() };
            let mut words = vec![format!("{} × {}", c.cores, plain(&c.size)), plain(&c.length)];
            if c.flex {
                words.push(crate::t("ends.flex").to_owned());
            }
            (words.join(", "), format!("{} → {}", c.from, c.to))
        }
    }
}

fn at(step: &Step) -> Option<&TermRef> {
    match step {
        Step::At(at) => Some(at),
        _ => None,
    }
}

fn link(visit: i64, part: &Part, of: &str) -> String {
    match part {
        Part::Component(id) => format!("/visits/{visit}/ends/plate?of={}&then={}", urlencode(id), urlencode(of)),
        Part::Conductor { run, step } => format!("/visits/{visit}/ends/part?run={run}&step={step}"),
        Part::Cable(id) => format!("/visits/{visit}/ends/part?cable={}", urlencode(id)),
    }
}

#[derive(Deserialize, Default)]
pub(crate) struct SeenQuery {
    of: Option<String>,
}

async fn page(context: &VisitContext, of: Option<&str>, problem: Option<String>) -> Result<Option<Response>, AppError> {
    let rig = &context.rig;
    let list = assumed(rig);
    let asked = of.and_then(|id| list.iter().position(|a| a.component == id));
    let Some(n) = asked.or((!list.is_empty()).then_some(0)) else { return Ok(None) };
    let a = &list[n];
    let c = rig.component(&a.component).ok_or(AppError::NotFound)?;
    let all = ends(rig);
    let rows = a.parts.iter().map(|(part, assumed)| {
        let (words, between) = part_words(rig, part);
        PartRow { link: link(context.visit.id, part, &a.component), words, between, assumed: *assumed }
    });
    let after = list.get(n + 1).or(list.first()).filter(|_| list.len() > 1);
    html(&SeenPage {
        head: context.head("trace"),
        base: context.revision.number,
        id: a.component.clone(),
        title: c.title().to_owned(),
        kind: c.kind.spec().title,
        place: place_words(rig, c.place.as_deref()),
        // A bar or a chassis has a plate that nobody reads first.
        rows: rows.filter(|r| r.assumed || !matches!(c.kind, Kind::Chassis) || !r.between.is_empty()).collect(),
        left: list.len(),
        after: after.map(|a| urlencode(&a.component)),
        picture: near_map(context, &all, vec![a.component.clone()]).await?,
        last: written_last(context),
        problem,
    })
    .map(Some)
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(q): Query<SeenQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    match page(&context, q.of.as_deref(), None).await? {
        Some(page) => Ok(page),
        None => Ok(Redirect::to(&format!("/visits/{visit}/ends")).into_response()),
    }
}

#[derive(Deserialize)]
pub(crate) struct OfForm {
    base: i32,
    of: String,
}

/// As I see it.
pub(crate) async fn confirm(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<OfForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let list = assumed(&context.rig);
    let n = list.iter().position(|a| a.component == form.of);
    let after = n.and_then(|n| list.get(n + 1).or(list.first())).map(|a| a.component.clone()).unwrap_or_default();
    let w = murvet_trace::confirm(&context.rig, &form.of).map_err(|e| AppError::BadInput(e.0))?;
    let to = format!("/visits/{visit}/ends/seen?of={}", urlencode(after));
    keep(&app, &context, form.base, w, &to, &format!("/visits/{visit}/ends/seen?of={}", urlencode(&form.of))).await
}

/// It is not there: out of the trace, with the lines that serve it alone.
pub(crate) async fn gone(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<OfForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    match not_here(&context.rig, &form.of) {
        Ok(w) => {
            let to = if assumed(&w.rig).is_empty() {
                format!("/visits/{visit}/ends")
            } else {
                format!("/visits/{visit}/ends/seen")
            };
            keep(&app, &context, form.base, w, &to, &format!("/visits/{visit}/ends")).await
        }
        Err(e) => match page(&context, Some(&form.of), Some(e.0.clone())).await? {
            Some(page) => Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response()),
            None => Err(AppError::BadInput(e.0)),
        },
    }
}
