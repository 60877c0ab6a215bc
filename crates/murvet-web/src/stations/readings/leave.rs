//! Tests that are left out with a reason, or left to the owner.

use super::urlencode;
use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::{Typed, onward};
use crate::page::{VisitContext, when};
use axum::extract::{Path, State};
use axum::response::Redirect;
use murvet_core::readings::for_owner;
use murvet_store::LeftOut;
use serde::Deserialize;

/// Why a test is left out, as printed.
pub(crate) fn words(l: &LeftOut) -> String {
    let key = if l.to_owner { "readings.left-to-the-owner" } else { "readings.left-out" };
    crate::say(key, &[&l.reason, &l.person, &when(&l.at)])
}

#[derive(Deserialize)]
pub(crate) struct LeaveForm {
    test: String,
    reason: String,
    /// `out`, `owner`, or `again`.
    how: String,
    #[serde(default)]
    from: String,
}

/// Leaves a test out, leaves it to the owner, or takes it up again. What no owner may do is not left to one.
pub(crate) async fn leave_out(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<LeaveForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let tests = context.audit.tests();
    let test = tests.iter().find(|t| t.id == form.test).ok_or(AppError::NotFound)?;
    let reason = form.reason.trim();
    let to_owner = form.how == "owner";
    let again = form.how == "again";
    if !again && !(5..=400).contains(&reason.chars().count()) {
        return Err(AppError::BadInput(crate::t("readings.write-why-it-is-left").to_owned()));
    }
    if to_owner && for_owner(test, str::to_owned).is_none() {
        return Err(AppError::BadInput(crate::t("readings.no-work-for-an-owner").to_owned()));
    }
    let said = if again { ("", false) } else { (reason, to_owner) };
    app.store
        .leave_out(context.firm, visit, (test.id.as_str(), &test.title), said, context.person.id, app.clock.now())
        .await?;
    // What was left out is behind one on the walk; what is taken up again is next.
    Ok(onward(visit, &form.from, None, &format!("readings?test={}#entry", urlencode(&test.id))))
}
