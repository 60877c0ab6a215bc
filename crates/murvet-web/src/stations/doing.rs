//! What every piece of work asks before it is written down: the newest revision, isolation or a reason, the licence; and that
//! nobody wrote another revision meanwhile.

use crate::App;
use crate::error::AppError;
use crate::page::VisitContext;
use crate::stations::licences;
use murvet_core::readings::SafeStep;
use murvet_core::work::day::WorkKind;
use murvet_store::{NewRepair, Saved};
use murvet_visit::{LEAST_REASON, beyond, may_be_done};
use std::collections::BTreeSet;

/// Refuses work that was thought out on another revision than the newest.
pub(crate) fn on_newest(context: &VisitContext, base: i32) -> Result<(), AppError> {
    if base == context.revision.number {
        return Ok(());
    }
    Err(AppError::NotYet(crate::say("put-right.the-rig-is-at-revision", &[&context.revision.number, &base])))
}

/// Refuses work beyond the licences of whoever is signed in, or whose isolation is open without a reason; gives the reason to print.
pub(crate) async fn allowed(
    app: &App,
    context: &VisitContext,
    of_kinds: &BTreeSet<WorkKind>,
    isolate: &[SafeStep],
    reason: &str,
) -> Result<Option<String>, AppError> {
    let beyond = beyond(of_kinds, licences::may(app, context).await?.as_ref());
    if !beyond.is_empty() {
        let kinds: Vec<&str> = beyond.iter().map(|k| k.word()).collect();
        return Err(AppError::NotYet(crate::say("refer.beyond", &[&kinds.join(", ")])));
    }
    let needed: Vec<(&str, &str)> = isolate.iter().map(|s| (s.id.as_str(), s.title.as_str())).collect();
    let done: Vec<&str> = context.done.iter().map(|d| d.step.as_str()).collect();
    may_be_done(&needed, &done, reason)
        .map_err(|e| AppError::NotYet(crate::say("put-right.isolate-first", &[&e.open.join("; "), &LEAST_REASON])))
}

/// Writes it down, unless somebody saved another revision meanwhile.
pub(crate) async fn write_down(app: &App, context: &VisitContext, repair: &NewRepair<'_>) -> Result<(), AppError> {
    let (visit, now) = (context.visit.id, app.clock.now());
    match app.store.save_repair(context.firm, visit, repair, context.person.id, now).await? {
        Saved::As(_) => Ok(()),
        Saved::Conflict(other) => {
            Err(AppError::NotYet(crate::say("put-right.somebody-saved-revision-meanwhile-look", &[&other.number])))
        }
    }
}
