//! Who may do what: the licences of the firm's people, and what they may do on the day of a visit.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::VisitContext;
use axum::extract::State;
use axum::response::Redirect;
use chrono::NaiveDate;
use murvet_core::profiles::ProfileId;
use murvet_core::work::day::{Hands, WorkKind};
use murvet_store::NewLicence;
use murvet_visit::{HeldLicence, may_do};
use serde::Deserialize;
use std::collections::BTreeSet;

/// The licences of a firm as decisions need them. The database keeps no other kinds of work.
async fn held(app: &App, firm: i64) -> Result<Vec<HeldLicence>, AppError> {
    let one = |l: murvet_store::Licence| {
        // One that was withdrawn holds on no day; that the firm keeps licences stays true.
        let ends_on = if l.withdrawn.is_some() { Some(NaiveDate::MIN) } else { l.ends_on };
        Some(HeldLicence { holder: l.holder_id, kind: WorkKind::parse(&l.kind)?, region: l.region, ends_on })
    };
    Ok(app.store.licences(firm).await?.into_iter().filter_map(one).collect())
}

/// What the person who is signed in may do on this rig today; nothing where the firm keeps no licences.
pub(crate) async fn may(app: &App, context: &VisitContext) -> Result<Option<BTreeSet<WorkKind>>, AppError> {
    let list = held(app, context.firm).await?;
    Ok(may_do(&list, context.person.id, context.profile().word(), context.today))
}

/// The people of the firm as hands for a day on this rig, whoever is signed in first.
pub(crate) async fn hands(app: &App, context: &VisitContext) -> Result<Vec<Hands>, AppError> {
    let list = held(app, context.firm).await?;
    let mut people = app.store.people(context.firm).await?;
    people.sort_by_key(|p| p.id != context.person.id);
    let region = context.profile();
    let one = |p: murvet_store::Person| match may_do(&list, p.id, region.word(), context.today) {
        None => Hands::for_everything(p.name),
        Some(may) => Hands { name: p.name, may },
    };
    let mut hands: Vec<Hands> = people.into_iter().map(one).collect();
    if hands.len() == 1 {
        // Somebody from elsewhere may lend a hand; of their licences nothing is known here.
        let name = crate::t("work.second-person").to_owned();
        let may = BTreeSet::from([WorkKind::TestOnly]);
        hands.push(if list.is_empty() { Hands::for_everything(name) } else { Hands { name, may } });
    }
    Ok(hands)
}

#[derive(Deserialize)]
pub(crate) struct LicenceForm {
    holder: i64,
    kind: String,
    region: String,
    number: String,
    ends_on: String,
}

/// Enters a licence.
pub(crate) async fn add(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<LicenceForm>,
) -> Result<Redirect, AppError> {
    let number = form.number.trim();
    let ends_on = match form.ends_on.trim() {
        "" => None,
        day => Some(
            NaiveDate::parse_from_str(day, "%Y-%m-%d")
                .map_err(|_| AppError::BadInput(crate::say("licences.no-day", &[&day])))?,
        ),
    };
    if !(2..=120).contains(&number.chars().count()) {
        return Err(AppError::BadInput(crate::t("licences.number-and-issuer").to_owned()));
    }
    let (Some(kind), Some(region)) = (WorkKind::parse(&form.kind), ProfileId::parse(&form.region)) else {
        return Err(AppError::BadInput(crate::t("licences.kind-and-region").to_owned()));
    };
    let new = NewLicence { holder: form.holder, kind: kind.word(), region: region.word(), number, ends_on };
    app.store.add_licence(who.0.firm_id, &new, who.0.id, app.clock.now()).await?;
    Ok(Redirect::to("/practice#licences"))
}

#[derive(Deserialize)]
pub(crate) struct WithdrawForm {
    /// Keys of what stands on one line of the page, with blanks between.
    ids: String,
    why: String,
}

/// Withdraws licences with a reason: they stay in the list and hold no more.
pub(crate) async fn withdraw(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<WithdrawForm>,
) -> Result<Redirect, AppError> {
    let why = form.why.trim();
    if !(3..=200).contains(&why.chars().count()) {
        return Err(AppError::BadInput(crate::t("licences.why").to_owned()));
    }
    for id in form.ids.split_whitespace() {
        let id = id.parse().map_err(|_| AppError::NotFound)?;
        app.store.withdraw_licence(who.0.firm_id, id, why, who.0.id, app.clock.now()).await?;
    }
    Ok(Redirect::to("/practice#licences"))
}
