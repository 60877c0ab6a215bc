//! The rule book: every rule in readable form, the limits of a profile, the schools, and a rig that breaks each rule.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::grounds::Grounds;
use crate::page::{Top, VisitContext, html, off_thread, when};
use crate::stations::bench::profile_asked;
use crate::stations::limits::{self, LimitForm};
use crate::stations::trace::severity_class;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::audit::audit;
use murvet_core::notation::parse;
use murvet_core::profiles::{ProfileId, SCHOOLS, School, school};
use murvet_core::rules::{Finding, Found, Hazard, RULES, Rule, Severity, coverage};
use murvet_draw::{MapOptions, rig_map};
use murvet_store::FirmChoice;
use serde::Deserialize;
use std::collections::BTreeMap;

/// A field of the trade with its faults: in words, where each is found, and the rule.
type Field = (&'static str, Vec<(&'static str, String, Option<&'static str>)>);

#[derive(Template)]
#[template(path = "rule_book.html")]
struct RuleBook {
    top: Top,
    profiles: Vec<(&'static str, &'static str, bool)>,
    profile: &'static str,
    limits: Vec<limits::Row>,
    own_limits: Vec<String>,
    form: LimitForm,
    problem: Option<String>,
    groups: Vec<(&'static str, Vec<(&'static str, &'static str)>)>,
    schools: Vec<Question>,
    coverage: Vec<Field>,
}

/// A question of the trade, with what the firm chose: the words, who and when, the newest first.
struct Question {
    school: &'static School,
    chosen: Option<String>,
    made: Vec<String>,
}

#[derive(Deserialize)]
pub(crate) struct Asked {
    profile: Option<String>,
    visit: Option<i64>,
}

pub(crate) async fn list(State(app): State<App>, who: Who, Query(asked): Query<Asked>) -> Result<Response, AppError> {
    let id = profile_asked(asked.profile.as_deref())?;
    page(&app, &who, id, asked.visit, (LimitForm::default(), None)).await
}

/// The page again with what was typed for a limit and what is wrong with it.
pub(super) async fn with_problem(
    app: &App,
    who: &Who,
    id: ProfileId,
    form: LimitForm,
    problem: String,
) -> Result<Response, AppError> {
    let page = page(app, who, id, None, (form, Some(problem))).await?;
    Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
}

async fn page(
    app: &App,
    who: &Who,
    id: ProfileId,
    visit: Option<i64>,
    (form, problem): (LimitForm, Option<String>),
) -> Result<Response, AppError> {
    let made = app.store.firm_choices(who.0.firm_id).await?;
    let question = |school: &'static School| {
        let own: Vec<&FirmChoice> = made.iter().filter(|c| c.school == school.key).collect();
        let words = |c: &&FirmChoice| {
            let what = c.option.as_deref().unwrap_or(crate::t("rule-book.taken-back"));
            format!("{what}: {} ({}, {})", c.reason, c.person, when(&c.at))
        };
        Question { school, chosen: own.first().and_then(|c| c.option.clone()), made: own.iter().map(words).collect() }
    };
    let limits = Grounds::of(app, who.0.firm_id, id).await?.limits(id)?;
    let own_limits = app.store.firm_limits(who.0.firm_id).await?;
    let mut groups: BTreeMap<Hazard, Vec<(&'static str, &'static str)>> = BTreeMap::new();
    for rule in RULES {
        groups.entry(rule.hazard).or_default().push((rule.slug, rule.statement));
    }
    let found = |f: &Found| match f {
        Found::Rule(slug) => ((*slug).to_owned(), Some(*slug)),
        Found::Remark(kind) => (crate::say("rule-book.by-looking-remark", &[&kind]), None),
        Found::Reading(kind) => (crate::say("rule-book.by-measuring-test", &[&kind.code()]), None),
    };
    let mut fields: Vec<Field> = Vec::new();
    for (field, words, f) in coverage() {
        let (how, link) = found(&f);
        let row = (words, how, link);
        match fields.last_mut() {
            Some((last, rows)) if *last == field.words() => rows.push(row),
            _ => fields.push((field.words(), vec![row])),
        }
    }
    html(&RuleBook {
        top: Top::new(who, "rules", visit),
        profile: id.word(),
        profiles: ProfileId::all().map(|p| (p.word(), p.profile().title.as_str(), p == id)).collect(),
        limits: limits::rows(&limits),
        own_limits: limits::history(&own_limits, id, &limits),
        form,
        problem,
        groups: groups.into_iter().map(|(h, rules)| (h.words(), rules)).collect(),
        schools: SCHOOLS.iter().map(question).collect(),
        coverage: fields,
    })
}

#[derive(Deserialize)]
pub(crate) struct ChooseForm {
    school: String,
    option: String,
    reason: String,
}

/// A firm chooses among the schools, or takes its choice back, with a reason.
pub(crate) async fn choose(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<ChooseForm>,
) -> Result<Redirect, AppError> {
    let known = school(&form.school).ok_or(AppError::NotFound)?;
    let option = (!form.option.is_empty()).then_some(form.option.as_str());
    if option.is_some_and(|o| !known.options.iter().any(|(word, _)| *word == o)) {
        return Err(AppError::BadInput(crate::t("rule-book.choose-one-of-the-answers").to_owned()));
    }
    let reason = form.reason.trim();
    if !(5..=400).contains(&reason.chars().count()) {
        return Err(AppError::BadInput(crate::t("rule-book.write-why-in-5-to").to_owned()));
    }
    app.store.add_firm_choice(who.0.firm_id, known.key, option, reason, who.0.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/rules#{}", known.key)))
}

#[derive(Template)]
#[template(path = "rule.html")]
struct RulePage {
    top: Top,
    slug: &'static str,
    hazard: &'static str,
    statement: &'static str,
    why: &'static str,
    source: &'static str,
    faults: Vec<&'static str>,
    here: Vec<(usize, String)>,
    text: &'static str,
    map: String,
    severity: &'static str,
    class: &'static str,
    block: bool,
    certainty: &'static str,
    said: String,
    evidence: Vec<String>,
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(slug): Path<String>,
    Query(asked): Query<Asked>,
) -> Result<Response, AppError> {
    let rule = Rule::of(&slug).ok_or(AppError::NotFound)?;
    let top = Top::new(&who, "rules", asked.visit);
    let mut here = Vec::new();
    if let Some(visit) = asked.visit {
        let context = VisitContext::open(&app, who.0, visit).await?;
        let own = |(n, f): (usize, &Finding)| (f.rule.slug == rule.slug).then(|| (n + 1, f.statement.clone()));
        here = context.audit.findings.iter().enumerate().filter_map(own).collect();
    }
    let page = off_thread(move || {
        let text = rule.example;
        let rig = parse(text).ok()?;
        let audit = audit(&rig, rig.profile?);
        let f = audit.findings.iter().find(|f| f.rule.slug == rule.slug)?;
        Some(RulePage {
            top,
            slug: rule.slug,
            hazard: rule.hazard.words(),
            statement: rule.statement,
            why: rule.why,
            source: rule.source,
            faults: rule.faults.iter().map(|(_, words)| *words).collect(),
            here,
            text,
            map: rig_map(&audit, &MapOptions { findings: std::slice::from_ref(f), ..MapOptions::default() }),
            severity: f.severity.words(),
            class: severity_class(f.severity),
            block: f.severity >= Severity::BeforeUse,
            certainty: f.certainty.words(),
            said: f.statement.clone(),
            evidence: f.evidence.clone(),
        })
    })
    .await?;
    html(&page.ok_or(AppError::NotFound)?)
}
