//! The bench: single calculations, worked out as they are typed.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed as Form;
use crate::page::{Top, html, when};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use murvet_core::bench::{CALCULATIONS, Calculation, Takes, Trouble, Worked};
use murvet_core::profiles::ProfileId;
use murvet_draw::plot;
use murvet_store::{KeptCalculation, NewCalculation};
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
    kept: Vec<KeptCalculation>,
}

impl BenchPage {
    /// When a calculation was kept.
    fn kept_at(&self, k: &KeptCalculation) -> String {
        format!("{}, {}", k.person, when(&k.at))
    }
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

/// The visit that a calculation can be kept to.
fn visit_of(typed: &BTreeMap<String, String>) -> Option<i64> {
    typed.get("visit").and_then(|v| v.parse().ok())
}

pub(crate) async fn first(Query(typed): Typed) -> Redirect {
    Redirect::to(&visit_of(&typed).map_or("/bench/cable".to_owned(), |v| format!("/bench/cable?visit={v}")))
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(key): Path<String>,
    Query(typed): Typed,
) -> Result<Response, AppError> {
    page(&app, &who, find(&key)?, &typed).await
}

async fn page(
    app: &App,
    who: &Who,
    c: &'static Calculation,
    typed: &BTreeMap<String, String>,
) -> Result<Response, AppError> {
    let visit = visit_of(typed);
    let kept = match visit {
        Some(visit) => {
            let visit = app.store.visit(who.0.firm_id, visit).await?;
            app.store.calculations(who.0.firm_id, visit.id).await?
        }
        None => Vec::new(),
    };
    let id = profile(typed);
    let input = |f: &murvet_core::bench::Field| Input {
        key: f.key,
        label: f.label,
        words: if let Takes::Word(words) = f.takes { words } else { &[] },
        value: typed.get(f.key).cloned().unwrap_or_else(|| f.first.to_owned()),
    };
    html(&BenchPage {
        top: Top::new(who, "bench", visit),
        key: c.key,
        title: c.title,
        when: c.when,
        list: CALCULATIONS.iter().map(|o| (o.key, o.title, o.key == c.key)).collect(),
        profile: id.word(),
        profiles: ProfileId::ALL.iter().map(|p| (p.word(), p.profile().title, *p == id)).collect(),
        fields: c.fields.iter().map(input).collect(),
        part: worked(c, typed)?,
        kept,
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

/// Keeps a calculation to a visit, worked out anew from what was typed.
pub(crate) async fn keep(
    State(app): State<App>,
    who: Who,
    Path(key): Path<String>,
    Form(typed): Form<BTreeMap<String, String>>,
) -> Result<Response, AppError> {
    let c = find(&key)?;
    let visit =
        visit_of(&typed).ok_or_else(|| AppError::BadInput(crate::t("bench.open-the-bench-from-a").to_owned()))?;
    let visit = app.store.visit(who.0.firm_id, visit).await?.id;
    let Ok(worked) = c.work(&typed, profile(&typed)) else {
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&app, &who, c, &typed).await?).into_response());
    };
    let known = |k: &str| k == "profile" || c.fields.iter().any(|f| f.key == k);
    let part = |(k, v): (&String, &String)| {
        let v = crate::stations::readings::urlencode(v);
        known(k).then(|| format!("{k}={v}"))
    };
    let query: Vec<String> = typed.iter().filter_map(part).collect();
    let new = NewCalculation { calculation: c.key, title: c.title, query: &query.join("&"), answer: &worked.answer };
    app.store.keep_calculation(who.0.firm_id, visit, &new, who.0.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/bench/{}?visit={visit}&{}#kept", c.key, query.join("&"))).into_response())
}
