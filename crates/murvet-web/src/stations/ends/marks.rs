//! Traced from a photograph: numbered marks on the picture, each tied to the component that stands there.

use super::{STANDING, place_words, saved};
use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html};
use askama::Template;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::catalogue::Kind;
use murvet_store::{MOST_MARKS, Mark};
use murvet_trace::{add, ends};
use serde::Deserialize;

/// A mark on the picture, and what is known of the component there.
struct MarkRow {
    number: i32,
    /// Percent of the width from the left, and of the height from the top.
    across: String,
    down: String,
    component: String,
    title: String,
    /// Its open ends.
    open: usize,
    /// It is still in the trace.
    here: bool,
}

/// Components of one place without a mark on this picture.
struct Unmarked {
    place: String,
    list: Vec<(String, String)>,
}

#[derive(Template)]
#[template(path = "marks.html")]
struct MarksPage {
    head: Head,
    picture: i64,
    of: String,
    note: String,
    size: (i32, i32),
    marks: Vec<MarkRow>,
    next: i32,
    unmarked: Vec<Unmarked>,
    own_places: Vec<(String, String)>,
    kinds: Vec<(&'static str, Vec<(&'static str, &'static str)>)>,
    base: i32,
    form: MarkForm,
    problem: Option<String>,
}

/// A place on the picture and what stands there: a component of the trace, or a kind of one that is new.
#[derive(Deserialize, Default)]
pub(crate) struct MarkForm {
    base: i32,
    across: String,
    down: String,
    #[serde(default)]
    component: String,
    #[serde(default)]
    kind: String,
    #[serde(default)]
    place: String,
}

/// A percentage as a share, where it is one.
fn share(typed: &str) -> Option<f64> {
    let percent: f64 = typed.trim().replace(',', ".").parse().ok()?;
    (0.0..=100.0).contains(&percent).then_some(percent / 100.0)
}

async fn page(
    app: &App,
    context: &VisitContext,
    picture: i64,
    form: MarkForm,
    problem: Option<String>,
) -> Result<Response, AppError> {
    let (visit, rig) = (context.visit.id, &context.rig);
    let photograph = app.store.photograph(context.firm, visit, picture).await?;
    let kept = app.store.marks(context.firm, visit).await?;
    let kept: Vec<&Mark> = kept.iter().filter(|m| m.photograph_id == picture).collect();
    let open = ends(rig);
    let percent = |share: f64| format!("{:.2}", share * 100.0);
    let row = |m: &&Mark| MarkRow {
        number: m.number,
        across: percent(m.x),
        down: percent(m.y),
        component: m.component.clone(),
        title: rig.component(&m.component).map_or_else(|| m.component.clone(), |c| c.title().to_owned()),
        open: open.iter().filter(|e| e.component == m.component && e.is_open()).count(),
        here: rig.component(&m.component).is_some(),
    };
    let places = rig.places.iter().map(|p| Some(p.id.as_str())).chain([None]);
    let unmarked = places.map(|place| Unmarked {
        place: place_words(rig, place),
        list: rig
            .components
            .iter()
            .filter(|c| c.place.as_deref() == place && !kept.iter().any(|m| m.component == c.id))
            .map(|c| (c.id.clone(), c.title().to_owned()))
            .collect(),
    });
    html(&MarksPage {
        head: context.head("trace"),
        picture,
        of: photograph.subject,
        note: photograph.note,
        size: (photograph.width, photograph.height),
        marks: kept.iter().map(row).collect(),
        next: kept.iter().map(|m| m.number).max().unwrap_or(0) + 1,
        unmarked: unmarked.filter(|u| !u.list.is_empty()).collect(),
        own_places: rig.places.iter().map(|p| (p.id.clone(), place_words(rig, Some(&p.id)))).collect(),
        kinds: STANDING
            .iter()
            .map(|(group, kinds)| (crate::t(group), kinds.iter().map(|k| (k.word(), k.spec().title)).collect()))
            .collect(),
        base: context.revision.number,
        form,
        problem,
    })
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path((visit, picture)): Path<(i64, i64)>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    page(&app, &context, picture, MarkForm::default(), None).await
}

/// Sets a mark. A component that is new is traced first: it is of use without its mark, a mark without a component is not.
pub(crate) async fn set(
    State(app): State<App>,
    who: Who,
    Path((visit, picture)): Path<(i64, i64)>,
    Typed(form): Typed<MarkForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    app.store.photograph(context.firm, visit, picture).await?;
    let refused = async |form: MarkForm, key: &'static str| {
        let page = page(&app, &context, picture, form, Some(crate::t(key).to_owned())).await?;
        Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
    };
    let (Some(x), Some(y)) = (share(&form.across), share(&form.down)) else {
        return refused(form, "marks.say-where").await;
    };
    let marks = app.store.marks(context.firm, visit).await?;
    if marks.iter().any(|m| m.photograph_id == picture && m.number >= MOST_MARKS) {
        return refused(form, "marks.no-more").await;
    }
    let component = if let Some(kind) = Kind::from_word(&form.kind) {
        let place = context.rig.place(&form.place).map(|p| p.id.as_str());
        let written = add(&context.rig, kind, None, place).map_err(|e| AppError::BadInput(e.0))?;
        let made = written.made.clone().unwrap_or_default();
        if !saved(&app, &context, form.base, &written).await? {
            return refused(form, "marks.trace-changed").await;
        }
        made
    } else if let Some(c) = context.rig.component(&form.component) {
        c.id.clone()
    } else {
        return refused(form, "marks.say-what").await;
    };
    let of = (context.firm, visit, picture);
    let number = app.store.add_mark(of, (x, y), &component, context.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/photographs/{picture}/marks#m{number}")).into_response())
}

#[derive(Deserialize)]
pub(crate) struct AwayForm {
    number: i32,
}

/// Takes a mark away; the component stays in the trace.
pub(crate) async fn take_away(
    State(app): State<App>,
    who: Who,
    Path((visit, picture)): Path<(i64, i64)>,
    Typed(form): Typed<AwayForm>,
) -> Result<Response, AppError> {
    app.store.take_mark_away((who.0.firm_id, visit, picture), form.number, who.0.id).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/photographs/{picture}/marks")).into_response())
}
