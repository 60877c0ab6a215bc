//! What the owner reads, in the owner's language: what may be used, what is wrong, what can be tested without opening anything.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html};
use crate::stations::left_as;
use crate::stations::readings::{holding, uses_of};
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{Redirect, Response};
use murvet_core::readings::{Shows, Test, fault_card, for_owner, switch_card};
use murvet_core::rules::{Finding, Severity};
use murvet_text::owner::{TaskWords, fault_line, finding, switch_line, task, use_of};
use murvet_text::{Locale, Text};
use serde::Deserialize;

/// The locale in which the customer of a visit reads: the one that was chosen, else that of the region.
pub(super) fn locale(context: &VisitContext) -> Locale {
    let chosen = context.visit.customer_language.as_deref().and_then(Locale::of);
    chosen.or_else(|| Locale::of(&context.audit.rules.locale)).unwrap_or(Locale::EnGb)
}

/// The name of a thing of the rig as its owner knows it.
fn label(context: &VisitContext, id: &str) -> String {
    context.rig.component(id).map_or_else(|| id.to_owned(), |p| p.title().to_owned())
}

/// A test as it is left to the owner.
pub(super) fn task_of(context: &VisitContext, test: &Test, locale: Locale) -> Option<TaskWords> {
    Some(task(Text::of(locale), &for_owner(test, |id| label(context, id))?))
}

#[derive(Template)]
#[template(path = "owner.html")]
struct OwnerPage {
    head: Head,
    text: &'static Text,
    from: String,
    locales: Vec<(&'static str, &'static str, bool)>,
    /// Name of the use, how it stands, and why or with what.
    uses: Vec<(String, String, Vec<String>)>,
    /// Number in the report, and its sentences.
    findings: Vec<(usize, bool, Vec<String>)>,
    /// What, how it was left, and what was written.
    left: Vec<(String, String, String)>,
    conditions: Vec<String>,
    tasks: Vec<TaskWords>,
    /// When something is dead: what, what to look at, what to do.
    faults: Vec<(String, String, Vec<String>)>,
    /// Source, what is done, what is seen; in the order of shutting down.
    switches: Vec<(String, String, String)>,
    /// Whether a turbine is among them.
    wind: bool,
}

impl OwnerPage {
    /// A message of the page.
    fn t(&self, message: &str) -> String {
        self.text.say(message, &[])
    }
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let locale = locale(&context);
    let text = Text::of(locale);
    let firm = app.store.firm_name(context.firm).await?;
    let readings = app.store.readings(context.firm, visit).await?;
    let holding = holding(&app, &context, &readings).await?;
    let uses = uses_of(&context, &holding).await?;
    let left_out = app.store.left_out(context.firm, visit).await?;
    let left_as = left_as::rows(&context, &app.store.left_as(context.firm, visit).await?);
    let names = |f: &Finding| f.components.iter().map(|id| label(&context, id)).collect::<Vec<_>>();
    let one = |(n, f): (usize, &Finding)| (n + 1, f.severity >= Severity::BeforeUse, finding(text, f, &names(f)));
    let tests = context.audit.tests();
    let switches = switch_card(&context.audit);
    let left_to_owner = left_out.iter().filter(|l| l.to_owner);
    let from = [
        ("firm", firm.into()),
        ("person", context.visit.person_name.as_str().into()),
        ("day", context.visit.planned_on.to_string().into()),
    ];
    html(&OwnerPage {
        from: text.say("owner-from", &from),
        locales: Locale::ALL
            .into_iter()
            .map(|l| (l.code(), l.name(), context.visit.customer_language.as_deref() == Some(l.code())))
            .collect(),
        uses: uses.iter().map(|u| use_of(text, u)).collect(),
        findings: context.audit.findings.iter().enumerate().map(one).collect(),
        left: left_as
            .into_iter()
            .filter_map(|r| {
                let position = text.say(&format!("owner-left-{}", r.code()?), &[]);
                Some((r.title.clone(), position, r.note.clone()))
            })
            .collect(),
        conditions: context.actions.iter().filter_map(|a| a.condition.clone()).collect(),
        tasks: left_to_owner
            .filter_map(|l| task_of(&context, tests.iter().find(|t| t.id == l.test)?, locale))
            .collect(),
        wind: switches.iter().any(|s| s.shows == Shows::Wind),
        switches: switches.iter().map(|s| switch_line(text, s)).collect(),
        faults: fault_card(&context.audit).iter().map(|l| fault_line(text, l)).collect(),
        text,
        head: context.head("hand-over"),
    })
}

#[derive(Deserialize)]
pub(crate) struct SetForm {
    language: String,
}

/// Keeps the language of the customer; an empty one is that of the region.
pub(crate) async fn set(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<SetForm>,
) -> Result<Redirect, AppError> {
    let chosen = (!form.language.is_empty()).then_some(form.language.as_str());
    if let Some(code) = chosen.filter(|c| Locale::of(c).is_none()) {
        let known: Vec<&str> = Locale::ALL.into_iter().map(Locale::code).collect();
        return Err(AppError::BadInput(crate::say("owner.no-such-language", &[&code, &known.join(", ")])));
    }
    app.store.set_customer_language(who.0.firm_id, visit, chosen).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/owner")))
}
