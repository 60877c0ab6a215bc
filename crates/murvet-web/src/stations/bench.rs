//! The bench: single calculations, worked out as they are typed.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Top, html};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{Html, IntoResponse, Redirect, Response};
use murvet_core::bench::{CALCULATIONS, Calculation, Takes, Trouble, Worked};
use murvet_core::profiles::ProfileId;
use murvet_draw::plot;
use std::collections::BTreeMap;

struct Input {
    key: &'static str,
    label: &'static str,
    words: &'static [&'static str],
    value: String,
}

#[derive(Template)]
#[template(path = "bench.html")]
struct BenchPage {
    top: Top,
    key: &'static str,
    title: &'static str,
    when: &'static str,
    list: Vec<(&'static str, &'static str, bool)>,
    profile: &'static str,
    profiles: Vec<(&'static str, &'static str, bool)>,
    fields: Vec<Input>,
    part: String,
}

#[derive(Template)]
#[template(path = "bench_part.html")]
struct Part {
    outcome: Result<Worked, Trouble>,
    plot: Option<String>,
}

type Typed = Query<BTreeMap<String, String>>;

fn find(key: &str) -> Result<&'static Calculation, AppError> {
    CALCULATIONS.iter().find(|c| c.key == key).ok_or(AppError::NotFound)
}

fn profile(typed: &BTreeMap<String, String>) -> ProfileId {
    typed.get("profile").and_then(|word| ProfileId::parse(word)).unwrap_or(ProfileId::NaRv)
}

fn worked(c: &Calculation, typed: &BTreeMap<String, String>) -> Result<String, AppError> {
    let outcome = c.work(typed, profile(typed));
    let plot = outcome.as_ref().ok().and_then(|w| plot(w.curve.as_ref()?));
    Ok(Part { outcome, plot }.render()?)
}

pub(crate) async fn first() -> Redirect {
    Redirect::to("/bench/cable")
}

pub(crate) async fn show(
    State(_): State<App>,
    who: Who,
    Path(key): Path<String>,
    Query(typed): Typed,
) -> Result<Response, AppError> {
    let c = find(&key)?;
    let id = profile(&typed);
    let input = |f: &murvet_core::bench::Field| Input {
        key: f.key,
        label: f.label,
        words: if let Takes::Word(words) = f.takes { words } else { &[] },
        value: typed.get(f.key).cloned().unwrap_or_else(|| f.first.to_owned()),
    };
    html(&BenchPage {
        top: Top::new(&who, "bench", None),
        key: c.key,
        title: c.title,
        when: c.when,
        list: CALCULATIONS.iter().map(|o| (o.key, o.title, o.key == c.key)).collect(),
        profile: id.word(),
        profiles: ProfileId::ALL.iter().map(|p| (p.word(), p.profile().title, *p == id)).collect(),
        fields: c.fields.iter().map(input).collect(),
        part: worked(c, &typed)?,
    })
}

pub(crate) async fn part(
    State(_): State<App>,
    _: Who,
    Path(key): Path<String>,
    Query(typed): Typed,
) -> Result<Response, AppError> {
    Ok(Html(worked(find(&key)?, &typed)?).into_response())
}
