//! The bench: single calculations, worked out as they are typed.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed as Form;
use crate::grounds::Grounds;
use crate::page::{Top, html, when};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use murvet_core::bench::{CALCULATIONS, Calculation, Takes, Trouble, Worked};
use murvet_core::profiles::{Profile, ProfileId};
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

/// The profile that was asked for, or the usual one where none was.
pub(crate) fn profile_asked(word: Option<&str>) -> Result<ProfileId, AppError> {
    let Some(word) = word else { return Ok(ProfileId::USUAL) };
    let unknown = || crate::say("bench.no-such-profile", &[&word, &ProfileId::words()]);
    ProfileId::parse(word).ok_or_else(|| AppError::BadInput(unknown()))
}

/// The profile that was typed, and its limits with what the firm has otherwise.
async fn limits(app: &App, who: &Who, typed: &BTreeMap<String, String>) -> Result<(ProfileId, Profile), AppError> {
    let id = profile_asked(typed.get("profile").map(String::as_str))?;
    let grounds = Grounds::of(app, who.0.firm_id, id).await?;
    Ok((id, grounds.limits(id)?.chosen(&grounds.choices)))
}

fn worked(c: &Calculation, typed: &BTreeMap<String, String>, limits: &Profile) -> Result<String, AppError> {
    let outcome = c.work(typed, limits);
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
    let (id, limits) = limits(app, who, typed).await?;
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
        profiles: ProfileId::all().map(|p| (p.word(), p.profile().title.as_str(), p == id)).collect(),
        fields: c.fields.iter().map(input).collect(),
        part: worked(c, typed, &limits)?,
        kept,
    })
}

pub(crate) async fn part(
    State(app): State<App>,
    who: Who,
    Path(key): Path<String>,
    Query(typed): Typed,
) -> Result<Response, AppError> {
    let limits = limits(&app, &who, &typed).await?.1;
    Ok(Html(worked(find(&key)?, &typed, &limits)?).into_response())
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
    let Ok(worked) = c.work(&typed, &limits(&app, &who, &typed).await?.1) else {
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
