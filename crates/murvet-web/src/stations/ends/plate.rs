//! What stands on a component: its plate, its place and its ways, a tap a value.

use super::question::ON_DC;
use super::{keep, place_words, with_unit, written_last};
use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html};
use crate::stations::readings::urlencode;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use murvet_trace::{Form, plate, set_plate, set_way, way_ratings, written};
use serde::Deserialize;

/// One field with its chips.
struct FieldRow {
    key: &'static str,
    asks: &'static str,
    /// Values of the chips.
    chips: Vec<String>,
    /// The chip that is pressed: a value, `?` for not seen, nothing for not there or not said.
    now: String,
    /// The unit of a number that is typed; nothing where none can be.
    unit: Option<&'static str>,
    none: bool,
    /// What it means that nothing is said.
    none_words: &'static str,
    first: bool,
}

#[derive(Template)]
#[template(path = "plate.html")]
struct PlatePage {
    head: Head,
    base: i32,
    id: String,
    title: String,
    kind: &'static str,
    label: String,
    fields: Vec<FieldRow>,
    /// Places to be in: name, words, here.
    places: Vec<(String, String, bool)>,
    place: String,
    /// Ways: name and rating; nothing for a kind that has none.
    ways: Option<Vec<String>>,
    ratings: Vec<String>,
    labels: Vec<&'static str>,
    rating: String,
    last: Option<String>,
    problem: Option<String>,
    /// Where this leads when it is done.
    then: String,
}

/// What circuits are often called beside the appliances on direct current.
const CIRCUITS: [&str; 2] = ["ends.sockets", "ends.water-heater"];

/// What it means that nothing is said.
fn none_words(key: &str, form: Form) -> &'static str {
    match (key, form) {
        ("count", _) => crate::t("ends.one"),
        (_, Form::Flag) => crate::t("ends.no"),
        _ => crate::t("ends.none"),
    }
}

fn page(context: &VisitContext, id: &str, then: &str, problem: Option<String>) -> Result<Response, AppError> {
    let rig = &context.rig;
    let c = rig.component(id).ok_or(AppError::NotFound)?;
    let fields = plate(rig, c, &context.audit.profile);
    let fields = fields.into_iter().map(|f| {
        let now = f.now.map(|v| v.text).unwrap_or_default();
        let mut chips = f.usual;
        if !now.is_empty() && now != "?" && !chips.contains(&now) {
            chips.insert(0, now.clone());
        }
        let unit = match f.form {
            Form::Quantity(unit) => Some(unit),
            _ => None,
        };
        // What stands on most plates and was never asked about counts as not seen until it is.
        let now = if now.is_empty() && f.first && !f.none { "?".to_owned() } else { now };
        FieldRow {
            key: f.key,
            asks: f.asks,
            chips,
            now,
            unit,
            none: f.none,
            none_words: none_words(f.key, f.form),
            first: f.first,
        }
    });
    html(&PlatePage {
        head: context.head("trace"),
        base: context.revision.number,
        id: id.to_owned(),
        title: c.title().to_owned(),
        kind: c.kind.spec().title,
        label: c.label.clone().unwrap_or_default(),
        fields: fields.collect(),
        places: rig
            .places
            .iter()
            .map(|p| (p.id.clone(), place_words(rig, Some(&p.id)), c.place.as_deref() == Some(&p.id)))
            .collect(),
        place: place_words(rig, c.place.as_deref()),
        ways: c.kind.spec().ways.then(|| {
            let words =
                |w: &murvet_core::rig::Way| format!("{} {}", w.label.as_deref().unwrap_or(&w.id), w.rating.text);
            c.ways.iter().map(words).collect()
        }),
        rating: way_ratings(c).into_iter().next().unwrap_or_default(),
        ratings: way_ratings(c),
        labels: ON_DC.iter().chain(&CIRCUITS).map(|key| crate::t(key)).collect(),
        last: written_last(context),
        problem,
        then: then.to_owned(),
    })
}

#[derive(Deserialize)]
pub(crate) struct PlateQuery {
    of: String,
    /// Where this leads when it is done: `next` end, or on with confirming the component of this name.
    #[serde(default)]
    then: String,
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(q): Query<PlateQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    page(&context, &q.of, &q.then, None)
}

fn field<'a>(fields: &'a [(String, String)], key: &str) -> &'a str {
    fields.iter().find(|(k, _)| k == key).map_or("", |(_, v)| v.trim())
}

/// What was read, as the attributes want it. A typed number stands before a chip; one without its unit gets it.
fn values(context: &VisitContext, id: &str, fields: &[(String, String)]) -> Vec<(String, Option<String>)> {
    let Some(c) = context.rig.component(id) else { return Vec::new() };
    let mut list = Vec::new();
    for f in plate(&context.rig, c, &context.audit.profile) {
        let typed = field(fields, &format!("typed-{}", f.key));
        let chip = fields.iter().find(|(k, _)| *k == format!("is-{}", f.key)).map(|(_, v)| v.trim());
        let value = match (f.form, typed, chip) {
            (Form::Quantity(unit), typed, _) if !typed.is_empty() => Some(with_unit(typed, unit)),
            (_, _, Some("")) => None,
            (_, _, Some(chip)) => Some(chip.to_owned()),
            (_, _, None) => continue,
        };
        if value.as_deref() != f.now.as_ref().map(|v| v.text.as_str()) {
            list.push((f.key.to_owned(), value));
        } else if let (Some(value), Some(now)) = (value, f.now)
            && now.from == Some(murvet_core::rig::Provenance::Assumed)
        {
            // It was assumed, and now somebody has seen that it is so.
            list.push((f.key.to_owned(), Some(value)));
        }
    }
    list
}

pub(crate) async fn enter(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(fields): Typed<Vec<(String, String)>>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let id = field(&fields, "of").to_owned();
    if context.rig.component(&id).is_none() {
        return Err(AppError::NotFound);
    }
    let base = field(&fields, "base").parse().unwrap_or(0);
    let then = field(&fields, "then").to_owned();
    let read = set_plate(&context.rig, &id, &values(&context, &id, &fields)).and_then(|w| {
        let mut after = w.rig.clone();
        if let Some(c) = after.component_mut(&id) {
            let place = field(&fields, "place");
            if context.rig.place(place).is_some() {
                c.place = Some(place.to_owned());
            }
            let label = field(&fields, "label").replace('"', "'");
            c.label = Some(label).filter(|l| !l.is_empty());
        }
        written(&context.rig, &after, None)
    });
    match read {
        Err(e) => {
            let page = page(&context, &id, &then, Some(e.0))?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Ok(w) => {
            let to = match then.as_str() {
                "" => format!("/visits/{visit}/ends/on?of={}", urlencode(&id)),
                "next" => format!("/visits/{visit}/ends/next?near={}", urlencode(&id)),
                seen => format!("/visits/{visit}/ends/seen?of={}", urlencode(seen)),
            };
            let again = format!("/visits/{visit}/ends/plate?of={}", urlencode(&id));
            keep(&app, &context, base, w, &to, &again).await
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct WayForm {
    base: i32,
    of: String,
    rating: String,
    #[serde(default)]
    label: String,
    #[serde(default)]
    then: String,
}

/// One more way of a block or a panel.
pub(crate) async fn way(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<WayForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let to = format!("/visits/{visit}/ends/plate?of={}&then={}#ways", urlencode(&form.of), urlencode(&form.then));
    match set_way(&context.rig, &form.of, &form.rating, Some(&form.label)) {
        Ok(w) => keep(&app, &context, form.base, w, &to, &to).await,
        Err(e) => {
            let page = page(&context, &form.of, &form.then, Some(e.0))?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
    }
}
