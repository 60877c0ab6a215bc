//! Which readings hold for the rig as it is now, and what may be used by them: the records and the audits that the decisions
//! ask for.

use crate::App;
use crate::error::AppError;
use crate::page::{VisitContext, off_thread, outcome};
use murvet_core::readings::{Use, uses};
use murvet_store::Reading;
use murvet_visit::{Readings, Taken};
use std::collections::HashMap;

/// A reading as decisions need it.
pub(crate) fn taken(r: &Reading) -> Taken {
    Taken {
        id: r.id,
        test: r.test.clone(),
        revision: r.revision,
        value: r.value,
        outcome: outcome(r),
        lower_rank: r.lower_rank,
    }
}

/// Holds every reading against the rig as it is. The records are asked at most once.
pub(crate) async fn holding(app: &App, context: &VisitContext, readings: &[Reading]) -> Result<Readings, AppError> {
    let mut holding = Readings::of(readings.iter().map(taken).collect(), context.revision.number);
    let earlier = holding.earlier();
    if earlier.is_empty() {
        return Ok(holding);
    }
    let revisions = app.store.revisions(context.firm, context.visit.rig_id).await?;
    for number in earlier {
        let Some((then, _)) = revisions.iter().find(|(r, _)| r.number == number) else { continue };
        // A text that a newer grammar refuses holds nothing.
        let Ok((_, old)) = app.audits.of(&then.text, context.grounds.clone()).await? else { continue };
        let new = context.audit.clone();
        holding = off_thread(move || {
            holding.carry(number, (&old, old.tests()), (&new, new.tests()));
            holding
        })
        .await?;
    }
    Ok(holding)
}

/// What may be used, by the findings and by the readings that hold for the rig as it is.
pub(crate) async fn uses_of(context: &VisitContext, holding: &Readings) -> Result<Vec<Use>, AppError> {
    let tests = context.audit.tests().iter();
    let said: HashMap<String, bool> = tests.filter_map(|t| Some((t.id.to_string(), holding.stands(t)?))).collect();
    let audit = context.audit.clone();
    off_thread(move || uses(&audit, audit.tests(), |t| said.get(t.id.as_str()).copied())).await
}
