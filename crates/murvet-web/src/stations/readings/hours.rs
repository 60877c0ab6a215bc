//! What of the plan fits the hours that are left, and what is not taken.

use super::{Records, records, urlencode};
use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, off_thread};
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{Redirect, Response};
use murvet_core::readings::{Fitted, Phase, Test, VisitKind, fit, minutes_of, settles, wanted};
use serde::Deserialize;
use std::collections::BTreeSet;

/// One test of the list.
struct Row {
    link: String,
    title: String,
    terminals: String,
    minutes: u32,
    wait: u32,
    miss: &'static str,
}

#[derive(Template)]
#[template(path = "hours.html")]
struct HoursPage {
    head: Head,
    visit: &'static str,
    all: usize,
    minutes: u32,
    taken: usize,
    left_minutes: u32,
    fits: Vec<(&'static str, Vec<Row>)>,
    fitting: usize,
    fitting_minutes: u32,
    shown: usize,
    of: usize,
    shut: Vec<&'static str>,
    not_worth: Vec<&'static str>,
    left: Vec<Row>,
    ids: Vec<String>,
    kinds: Vec<(&'static str, &'static str, bool)>,
}

/// What a visit is for; a code that no kind has would be our fault.
pub(crate) fn kind_of(context: &VisitContext) -> Result<VisitKind, AppError> {
    let code = &context.visit.kind;
    VisitKind::of(code).ok_or_else(|| AppError::Broken(format!("visit {} is of no kind: {code}", context.visit.id)))
}

/// Which tests of the plan a visit asks for, by its kind.
pub(crate) async fn asked(app: &App, context: &VisitContext) -> Result<Vec<bool>, AppError> {
    let kind = kind_of(context)?;
    let before = match kind {
        VisitKind::AfterRepair => {
            let then = app.store.revision(context.firm, context.visit.rig_id, context.visit.since).await?;
            // A text that a newer grammar refuses is no rig to compare with: then everything is measured again.
            app.audits.of(&then.text, context.grounds.clone()).await?.ok().map(|(_, audit)| audit)
        }
        _ => None,
    };
    let now = context.audit.clone();
    off_thread(move || wanted(now.tests(), kind, before.as_deref().map(|b| (&**b, &**now)))).await
}

/// The tests that a visit asks for, and which of them the hours hold.
pub(super) struct InHours {
    /// Those of the plan that are asked for and not left out.
    tests: Vec<Test>,
    /// Which of them are read, by number in the list.
    done: BTreeSet<usize>,
    /// How many are asked for, with those that are left out, and what they take.
    all: usize,
    minutes: u32,
    left_minutes: u32,
    fitted: Fitted,
}

impl InHours {
    /// The tests that do not fit, with what a miss would bring.
    pub fn beyond(&self) -> impl Iterator<Item = (&Test, &'static str)> {
        self.fitted.left.iter().map(|n| (&self.tests[*n], self.tests[*n].id.kind.miss().words()))
    }
}

/// Fits the tests of a visit into the hours that are left of it.
pub(super) async fn in_hours(context: &VisitContext, kept: &Records) -> Result<InHours, AppError> {
    let tests = context.audit.tests().iter().zip(&kept.asked).filter(|(_, w)| **w).map(|(t, _)| t.clone());
    let tests: Vec<Test> = tests.collect();
    let read = |t: &Test| kept.readings.iter().any(|r| r.test == t.id && kept.holding.has(r.id));
    let out = |t: &Test| kept.left.iter().any(|l| l.test == t.id.as_str());
    let all = tests.len();
    let minutes = minutes_of(&tests);
    let tests: Vec<Test> = tests.into_iter().filter(|t| read(t) || !out(t)).collect();
    let done: BTreeSet<usize> = (0..tests.len()).filter(|n| read(&tests[*n])).collect();
    let measured = f64::from(minutes_of(done.iter().map(|n| &tests[*n])));
    let left_minutes = (60.0 * context.visit.hours - context.spent_minutes() - measured).max(0.0) as u32;
    let audit = context.audit.clone();
    off_thread(move || {
        let fitted = fit(&tests, &settles(&audit, &tests), &done, left_minutes);
        InHours { tests, done, all, minutes, left_minutes, fitted }
    })
    .await
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let kept = records(&app, &context).await?;
    let InHours { tests, done, all, minutes, left_minutes, fitted } = in_hours(&context, &kept).await?;
    let row = |n: &usize| {
        let t = &tests[*n];
        Row {
            link: urlencode(&t.id),
            title: t.title.clone(),
            terminals: t.terminals.clone(),
            minutes: t.minutes,
            wait: t.wait,
            miss: t.id.kind.miss().words(),
        }
    };
    let mut fits: Vec<(&'static str, Vec<Row>)> = Vec::new();
    for n in fitted.taken.iter().filter(|n| !done.contains(n)) {
        let words = tests[*n].phase.words();
        match fits.last_mut() {
            Some((last, rows)) if *last == words => rows.push(row(n)),
            _ => fits.push((words, vec![row(n)])),
        }
    }
    let words = |list: &[Phase]| list.iter().map(|p| p.words()).collect();
    html(&HoursPage {
        kinds: crate::stations::visits::kinds(&context.visit.kind),
        visit: kind_of(&context)?.words(),
        all,
        minutes,
        taken: done.len(),
        left_minutes,
        fitting: fits.iter().map(|(_, rows)| rows.len()).sum(),
        fitting_minutes: fitted.minutes,
        fits,
        shown: fitted.shown.0,
        of: fitted.shown.1,
        shut: words(&fitted.shut),
        not_worth: words(&fitted.passed_over),
        left: fitted.left.iter().map(row).collect(),
        ids: fitted.left.iter().map(|n| tests[*n].id.to_string()).collect(),
        head: context.head("readings"),
    })
}

#[derive(Deserialize)]
pub(crate) struct KindForm {
    kind: String,
}

/// Makes the visit one of another kind.
pub(crate) async fn kind(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<KindForm>,
) -> Result<Redirect, AppError> {
    let kind =
        VisitKind::of(&form.kind).ok_or_else(|| AppError::BadInput(crate::t("visits.choose-a-kind").to_owned()))?;
    app.store.set_visit_kind(who.0.firm_id, visit, kind.code()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/hours")))
}

#[derive(Deserialize)]
pub(crate) struct LeaveAll {
    /// Names of tests, a line each.
    tests: String,
}

/// Leaves every test out that does not fit, because of the hours: so that the hand-over says it.
pub(crate) async fn leave(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<LeaveAll>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let named: Vec<&str> = form.tests.lines().map(str::trim).filter(|l| !l.is_empty()).collect();
    let reason = crate::t("readings.reason-hours");
    for test in context.audit.tests().iter().filter(|t| named.contains(&t.id.as_str())) {
        let (what, said) = ((test.id.as_str(), test.title.as_str()), (reason, false));
        app.store.leave_out(context.firm, visit, what, said, context.person.id, app.clock.now()).await?;
    }
    Ok(Redirect::to(&format!("/visits/{visit}/hours")))
}
