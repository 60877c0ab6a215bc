//! Steps of work: the list that is left of a visit's work, tried on a copy, kept, and marked done step by step.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, off_thread};
use crate::stations::doing::{allowed, on_newest, write_down};
use askama::Template;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::notation::print as print_rig;
use murvet_core::reports::{Became, Named, RestReport, StepReport, StepsReport, steps};
use murvet_core::work::day::kinds;
use murvet_core::work::{Entry, Followed, follow, needed, print, read};
use murvet_store::{NewAction, NewRepair, WorkText};
use serde::Deserialize;

#[derive(Template)]
#[template(path = "steps.html")]
struct StepsPage {
    head: Head,
    list: String,
    errors: Vec<String>,
    report: Option<StepsReport>,
    /// Steps of making safe are open.
    live: bool,
}

impl StepsPage {
    fn became(&self, b: &Became) -> &'static str {
        match b {
            Became::Made => crate::t("steps.made"),
            Became::NotToBeLeft => crate::t("steps.not-to-be-left"),
            Became::Refused => crate::t("steps.refused"),
            Became::Impossible => crate::t("steps.impossible"),
        }
    }

    /// What a step closes, opens and moves, each with its word.
    fn changed<'a>(&self, s: &'a StepReport) -> Vec<(&'static str, &'a Named)> {
        let of = |key: &'static str, list: &'a [Named]| {
            let word = crate::t(key);
            list.iter().map(move |f| (word, f))
        };
        let (closes, opens) = (of("put-right.closes", &s.closes), of("put-right.opens", &s.opens));
        closes.chain(opens).chain(of("steps.goes-on", &s.moved)).collect()
    }

    /// Moments at which the rig is left after so many steps.
    fn rests(&self, after: &usize) -> Vec<&RestReport> {
        self.report.iter().flat_map(|r| &r.rests).filter(|r| r.after == *after).collect()
    }
}

async fn page(context: &VisitContext, list: String) -> Result<Response, AppError> {
    let (errors, report) = match read(&list) {
        Err(errors) => (errors.iter().map(ToString::to_string).collect(), None),
        Ok(entries) if entries.is_empty() => (Vec::new(), None),
        Ok(entries) => {
            let (rig, audit) = (context.rig.clone(), context.audit.clone());
            (Vec::new(), Some(off_thread(move || steps(&audit, &rig, &entries)).await?))
        }
    };
    let wrong = !errors.is_empty();
    let page = html(&StepsPage { list, errors, report, live: !context.is_safe(), head: context.head("put-right") })?;
    Ok(if wrong { (StatusCode::UNPROCESSABLE_ENTITY, page).into_response() } else { page })
}

/// The list as it was kept.
pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let list = app.store.work_text(context.firm, visit, WorkText::Steps).await?.map(|t| t.0).unwrap_or_default();
    page(&context, list).await
}

#[derive(Deserialize)]
pub(crate) struct StepsForm {
    list: String,
}

/// Keeps a list and tries it on a copy of the rig.
pub(crate) async fn keep(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<StepsForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let list = form.list.replace("\r\n", "\n");
    if list.chars().count() > 40_000 {
        return Err(AppError::BadInput(crate::t("work.too-long").to_owned()));
    }
    if read(&list).is_ok() {
        keep_list(&app, &context, &list).await?;
    }
    page(&context, list).await
}

async fn keep_list(app: &App, context: &VisitContext, list: &str) -> Result<(), AppError> {
    let what = (WorkText::Steps, list);
    Ok(app.store.set_work_text(context.firm, context.visit.id, what, context.person.id, app.clock.now()).await?)
}

#[derive(Deserialize)]
pub(crate) struct TakeForm {
    finding: String,
    title: String,
}

/// Adds a repair that Murvet proposes to the end of the list.
pub(crate) async fn take(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<TakeForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let list = app.store.work_text(context.firm, visit, WorkText::Steps).await?.map(|t| t.0).unwrap_or_default();
    let title = form.title.replace('"', "'");
    // What was typed may end in the middle of a line.
    let gap = if list.is_empty() || list.ends_with('\n') { "" } else { "\n" };
    let list = format!("{list}{gap}step \"{title}\"\n  repair {} by \"{title}\"\n", form.finding);
    if read(&list).is_err() {
        return Err(AppError::BadInput(crate::t("steps.cannot-be-taken").to_owned()));
    }
    keep_list(&app, &context, &list).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/steps")))
}

#[derive(Deserialize)]
pub(crate) struct DoneForm {
    base: i32,
    #[serde(default)]
    took: String,
    #[serde(default)]
    live_because: String,
}

/// Minutes that were entered: nothing, or a number of a day.
pub(crate) fn minutes(text: &str) -> Result<Option<i32>, AppError> {
    match text.trim() {
        "" => Ok(None),
        t => match t.parse::<i32>().ok().filter(|m| (1..=1440).contains(m)) {
            Some(m) => Ok(Some(m)),
            None => Err(AppError::BadInput(crate::say("steps.minutes-are", &[&t]))),
        },
    }
}

/// Marks the first step of the list done: the rig is what it is after it, and the list goes on with the next.
pub(crate) async fn done(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<DoneForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let took = minutes(&form.took)?;
    on_newest(&context, form.base)?;
    let list = app.store.work_text(context.firm, visit, WorkText::Steps).await?.map(|t| t.0).unwrap_or_default();
    let entries = read(&list).map_err(|_| AppError::NotYet(crate::t("steps.no-list").to_owned()))?;
    // What rests before the first step is over.
    let first = entries.iter().position(|e| matches!(e, Entry::Step(_)));
    let first = first.ok_or_else(|| AppError::NotYet(crate::t("steps.no-list").to_owned()))?;
    let (one, rest) = (vec![entries[first].clone()], print(&entries[first + 1..]));
    let (rig, audit) = (context.rig.clone(), context.audit.clone());
    let (followed, isolate, of_kinds): (Followed, _, _) = off_thread(move || {
        let followed = follow(&audit, &rig, &one);
        let (isolate, of_kinds) = (needed(&audit, &followed.audit), kinds(&audit, &followed.audit));
        (followed, isolate, of_kinds)
    })
    .await?;
    let step = followed.steps.first().filter(|s| s.made());
    let step = step.ok_or_else(|| AppError::NotYet(crate::t("steps.not-made").to_owned()))?;
    let live_because = allowed(&app, &context, &of_kinds, &isolate, &form.live_because).await?;
    let closes: Vec<(String, String)> = step.closes.iter().map(|f| (f.key(), f.statement.clone())).collect();
    let title = step.step.title.clone();
    let finding = closes.first().map_or("", |c| c.0.as_str());
    let usual = step.step.minutes.and_then(|m| i32::try_from(m).ok()).unwrap_or(0);
    let repair = NewRepair {
        rig: context.visit.rig_id,
        base: form.base,
        text: &print_rig(&followed.rig),
        note: &format!("step: {title}"),
        action: NewAction {
            finding,
            title: &title,
            minutes: usual,
            not_to_be_left: step.step.not_to_be_left.as_deref(),
            live_because: live_because.as_deref(),
            took,
            ..NewAction::default()
        },
        closes: &closes,
        parts_of: &[],
    };
    write_down(&app, &context, &repair).await?;
    keep_list(&app, &context, &rest).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/steps")))
}
