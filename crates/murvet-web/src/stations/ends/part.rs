//! One conductor or cable that is not as it was put down.

use super::seen::part_words;
use super::{keep, length, unit, written_last};
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
use murvet_core::catalogue::Role;
use murvet_core::rig::Step;
use murvet_trace::{Part, assumed, change_conductor};
use serde::Deserialize;

#[derive(Template)]
#[template(path = "part.html")]
struct PartPage {
    head: Head,
    base: i32,
    between: String,
    run: Option<(usize, usize)>,
    cable: Option<String>,
    length: String,
    size: String,
    colour: String,
    insulation: String,
    lengths: Vec<String>,
    sizes: Vec<String>,
    colours: Vec<String>,
    insulations: Vec<String>,
    unit: &'static str,
    last: Option<String>,
    problem: Option<String>,
}

#[derive(Deserialize, Default)]
pub(crate) struct PartQuery {
    run: Option<usize>,
    step: Option<usize>,
    cable: Option<String>,
}

impl PartQuery {
    fn part(&self) -> Result<Part, AppError> {
        match (self.run, self.step, &self.cable) {
            (Some(run), Some(step), _) => Ok(Part::Conductor { run, step }),
            (_, _, Some(cable)) => Ok(Part::Cable(cable.clone())),
            _ => Err(AppError::NotFound),
        }
    }
}

fn page(context: &VisitContext, q: &PartQuery, problem: Option<String>) -> Result<Response, AppError> {
    let rig = &context.rig;
    let part = q.part()?;
    let (length, size, colour, insulation) = match &part {
        Part::Conductor { run, step } => match rig.runs.get(*run).and_then(|r| r.steps.get(*step)) {
            Some(Step::Conductor(c)) => (&c.length, &c.size, c.colour.clone(), &c.insulation),
            _ => return Err(AppError::NotFound),
        },
        Part::Cable(id) => {
            let c = rig.cable(id).ok_or(AppError::NotFound)?;
            (&c.length, &c.size, None, &c.insulation)
        }
        Part::Component(_) => return Err(AppError::NotFound),
    };
    let cable = matches!(part, Part::Cable(_));
    let profile = &context.audit.profile;
    let with = |mut list: Vec<String>, now: &str| {
        if now != "?" && !list.iter().any(|v| v == now) {
            list.insert(0, now.to_owned());
        }
        list
    };
    html(&PartPage {
        head: context.head("trace"),
        base: context.revision.number,
        between: part_words(rig, &part).1,
        run: q.run.zip(q.step),
        cable: q.cable.clone(),
        lengths: with(murvet_trace::lengths(rig, profile, cable), &length.text),
        sizes: with(murvet_trace::sizes(rig, profile, cable), &size.text),
        colours: if cable {
            Vec::new()
        } else {
            murvet_trace::colours(Role::Plus).into_iter().map(str::to_owned).collect()
        },
        insulations: murvet_trace::insulations().into_iter().map(str::to_owned).collect(),
        length: length.text.clone(),
        size: size.text.clone(),
        colour: colour.unwrap_or_default(),
        insulation: insulation.as_ref().map(|v| v.text.clone()).unwrap_or_default(),
        unit: unit(context),
        last: written_last(context),
        problem,
    })
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(q): Query<PartQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    page(&context, &q, None)
}

#[derive(Deserialize)]
pub(crate) struct ChangeForm {
    base: i32,
    run: Option<usize>,
    step: Option<usize>,
    cable: Option<String>,
    length: String,
    #[serde(default)]
    typed: String,
    size: String,
    #[serde(default)]
    colour: String,
    #[serde(default)]
    insulation: String,
}

pub(crate) async fn change(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<ChangeForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let q = PartQuery { run: form.run, step: form.step, cable: form.cable };
    let part = q.part()?;
    let length = length(&context, &form.length, form.typed.trim());
    let said = |text: &'_ str| Some(text.to_owned()).filter(|t| !t.is_empty());
    let (colour, insulation) = (said(&form.colour), said(&form.insulation));
    let changed = change_conductor(
        &context.rig,
        &part,
        Some(&length),
        Some(&form.size),
        colour.as_deref(),
        insulation.as_deref(),
    );
    match changed {
        Err(e) => Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&context, &q, Some(e.0))?).into_response()),
        Ok(w) => {
            // Back to the thing that this belongs to, while something about it is assumed.
            let owner = assumed(&context.rig).into_iter().find(|a| a.parts.iter().any(|(p, _)| *p == part));
            let of = owner.map(|a| a.component).unwrap_or_default();
            let to = format!("/visits/{visit}/ends/seen?of={}", urlencode(of));
            keep(&app, &context, form.base, w, &to, &to).await
        }
    }
}
