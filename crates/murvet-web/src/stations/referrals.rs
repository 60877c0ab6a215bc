//! Work that goes to somebody with the licence for it, and what comes back.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::{Typed, onward};
use crate::page::VisitContext;
use axum::extract::{Path, State};
use axum::response::Redirect;
use chrono::NaiveDate;
use murvet_core::work::day::WorkKind;
use murvet_store::{NewEvent, NewReferralBack};
use murvet_visit::{Event, LEAST_REASON};
use serde::Deserialize;

/// Everything that whoever does it needs to know, to be read over before it goes out.
pub(crate) fn brief(
    context: &VisitContext,
    kinds: &[&str],
    closes: &[(String, String)],
    acts: &[String],
    parts: &[String],
) -> String {
    let mut lines = vec![
        crate::say("refer.brief-rig", &[&context.visit.rig_name, &context.revision.number, &context.audit.rules.title]),
        crate::say("refer.brief-kinds", &[&kinds.join(", ")]),
    ];
    let found = |(severity, statement): &(String, String)| crate::say("refer.brief-found", &[severity, statement]);
    lines.extend(closes.iter().map(found));
    lines.extend(acts.iter().map(|a| crate::say("refer.brief-do", &[a])));
    if !parts.is_empty() {
        lines.push(crate::say("refer.brief-parts", &[&parts.join(", ")]));
    }
    lines.push(crate::t("refer.brief-isolate").to_owned());
    lines.extend(context.steps.iter().map(|s| format!("- {}", s.title)));
    lines.push(crate::t("refer.brief-after").to_owned());
    lines.join("\n")
}

#[derive(Deserialize)]
pub(crate) struct ReferForm {
    title: String,
    kinds: String,
    brief: String,
    /// The finding that it is left open for, where there is one.
    #[serde(default)]
    finding: String,
    #[serde(default)]
    from: String,
}

/// Refers work. A finding that was named with it is deferred: it stays open until the work comes back.
pub(crate) async fn refer(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<ReferForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let (title, brief) = (form.title.trim(), form.brief.trim());
    if title.is_empty() || title.chars().count() > 400 {
        return Err(AppError::BadInput(crate::t("refer.say-what").to_owned()));
    }
    if !(LEAST_REASON..=8_000).contains(&brief.chars().count()) {
        return Err(AppError::BadInput(crate::t("refer.say-enough").to_owned()));
    }
    let kinds: Vec<&str> = form.kinds.split_whitespace().filter_map(WorkKind::parse).map(WorkKind::word).collect();
    let what = (title, kinds.join(" "), brief);
    app.store.refer(context.firm, visit, (what.0, &what.1, what.2), context.person.id, app.clock.now()).await?;
    if let Some(f) = context.audit.findings.iter().find(|f| f.key() == form.finding) {
        let note = crate::say("refer.deferred", &[&title]);
        let event = NewEvent {
            finding: &form.finding,
            statement: &f.statement,
            event: Event::Deferred.code(),
            note: &note,
            revision: context.revision.number,
            ..NewEvent::default()
        };
        app.store.add_event(context.firm, visit, &event, context.person.id, app.clock.now()).await?;
    }
    Ok(onward(visit, &form.from, None, "work#referred"))
}

#[derive(Deserialize)]
pub(crate) struct BackForm {
    done_by: String,
    certificate: String,
    issuer: String,
    done_on: String,
}

/// Enters what came back.
pub(crate) async fn back(
    State(app): State<App>,
    who: Who,
    Path((visit, id)): Path<(i64, i64)>,
    Typed(form): Typed<BackForm>,
) -> Result<Redirect, AppError> {
    let today = app.clock.now().date_naive();
    let done_on = NaiveDate::parse_from_str(form.done_on.trim(), "%Y-%m-%d").ok().filter(|d| *d <= today);
    let done_on = done_on.ok_or_else(|| AppError::BadInput(crate::say("refer.no-day", &[&form.done_on])))?;
    let fields = [form.done_by.trim(), form.certificate.trim(), form.issuer.trim()];
    if fields.iter().any(|f| !(2..=200).contains(&f.chars().count())) {
        return Err(AppError::BadInput(crate::t("refer.who-what-issuer").to_owned()));
    }
    let new = NewReferralBack { done_by: fields[0], certificate: fields[1], issuer: fields[2], done_on };
    app.store.refer_back(who.0.firm_id, (visit, id), &new, who.0.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/work#referred")))
}
