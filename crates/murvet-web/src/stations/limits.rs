//! The limits of a profile in the rule book, and what the firm has otherwise.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::grounds::Grounds;
use crate::page::when;
use crate::stations::bench::profile_asked;
use axum::extract::State;
use axum::response::{IntoResponse, Response};
use murvet_core::profiles::{Differs, Profile, ProfileId};
use murvet_store::{FirmLimit, NewFirmLimit};
use serde::Deserialize;

/// A limit as the rule book shows it.
pub(super) struct Row {
    pub name: &'static str,
    pub words: &'static str,
    pub value: String,
    pub source: String,
    /// The firm has it otherwise.
    pub own: bool,
}

/// What a firm entered of its own for a profile, the newest first, as lines.
pub(super) fn history(made: &[FirmLimit], id: ProfileId, limits: &Profile) -> Vec<String> {
    let fields = limits.fields();
    let line = |l: &FirmLimit| {
        let words = fields.iter().find(|f| f.name == l.field).map_or(l.field.as_str(), |f| f.words);
        let value = l.value.as_deref().unwrap_or(crate::t("rule-book.taken-back"));
        format!("{words}: {value} ({}). {} ({}, {})", l.source, l.reason, l.person, when(&l.at))
    };
    made.iter().filter(|l| l.base == id.word()).map(line).collect()
}

/// Every limit of a profile with what the firm has otherwise in its place.
pub(super) fn rows(limits: &Profile) -> Vec<Row> {
    let own = limits.own.iter().flat_map(|o| &o.differs).map(|(d, _)| d.field.as_str());
    let own: Vec<&str> = own.collect();
    let row = |f: murvet_core::profiles::Field| Row {
        own: own.contains(&f.name),
        name: f.name,
        words: f.words,
        value: f.value,
        source: f.source,
    };
    limits.fields().into_iter().map(row).collect()
}

#[derive(Deserialize, Default)]
pub(crate) struct LimitForm {
    pub profile: String,
    pub field: String,
    pub value: String,
    pub source: String,
    pub reason: String,
}

/// Enters a limit of the firm's own, or takes it back where no value is given.
pub(crate) async fn enter(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<LimitForm>,
) -> Result<Response, AppError> {
    let id = profile_asked(Some(&form.profile))?;
    let firm = who.0.firm_id;
    let problem = match value_of(id, &form) {
        Ok(value) => {
            let text = |s: &str| s.trim().chars().take(400).collect::<String>();
            let (source, reason) = (text(&form.source), text(&form.reason));
            let new = NewFirmLimit {
                base: id.word(),
                field: &form.field,
                value: value.as_deref(),
                source: &source,
                reason: &reason,
            };
            // All that stand together, so that one cannot contradict another.
            let mut grounds = Grounds::of(&app, firm, id).await?;
            grounds.own.retain(|(base, d)| base != id.word() || d.field != form.field);
            if let Some(value) = value.as_deref().and_then(|v| serde_json::from_str(v).ok()) {
                let own = Differs { field: form.field.clone(), value, source: source.clone(), reason: reason.clone() };
                grounds.own.push((id.word().to_owned(), own));
            }
            match grounds.limits(id) {
                Ok(_) => {
                    app.store.add_firm_limit(firm, &new, who.0.id, app.clock.now()).await?;
                    let to = format!("/rules?profile={}#limits", id.word());
                    return Ok(axum::response::Redirect::to(&to).into_response());
                }
                Err(AppError::Broken(words)) => words,
                Err(other) => return Err(other),
            }
        }
        Err(words) => words,
    };
    super::rule_book::with_problem(&app, &who, id, form, problem).await
}

/// The value that was typed as JSON; nothing where it is to be taken back. Otherwise what is wrong, in words.
fn value_of(id: ProfileId, form: &LimitForm) -> Result<Option<String>, String> {
    let length = |s: &str| s.trim().chars().count();
    if !(5..=400).contains(&length(&form.reason)) {
        return Err(crate::t("rule-book.write-why-in-5-to").to_owned());
    }
    if form.value.trim().is_empty() {
        let known = id.profile().fields().iter().any(|f| f.name == form.field);
        return if known { Ok(None) } else { Err(crate::t("rule-book.choose-a-limit").to_owned()) };
    }
    if length(&form.value) > 400 {
        return Err(crate::t("rule-book.value-too-long").to_owned());
    }
    if !(3..=400).contains(&length(&form.source)) {
        return Err(crate::t("rule-book.write-its-source").to_owned());
    }
    let value = id.profile().typed(&form.field, &form.value).map_err(|e| e.to_string())?;
    Ok(Some(value.to_string()))
}
