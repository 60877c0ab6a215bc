//! Which readings hold for the rig as it is now.

use crate::App;
use crate::error::AppError;
use crate::page::{Desk, off_thread, outcome};
use murvet_core::diagnosis::Observed;
use murvet_core::readings::{Outcome, Test, TestKind, still_holds};
use murvet_store::Reading;
use std::collections::{BTreeMap, HashSet};

/// The readings, by key, that hold: those of the present revision, and those of earlier ones on whose path nothing changed.
pub(crate) struct Holding(HashSet<i64>);

impl Holding {
    /// Holds every reading against the rig as it is. The records are asked at most once.
    pub async fn of(app: &App, desk: &Desk, readings: &[Reading]) -> Result<Holding, AppError> {
        let now = desk.revision.number;
        let mut holding: HashSet<i64> = readings.iter().filter(|r| r.revision == now).map(|r| r.id).collect();
        let mut earlier: BTreeMap<i32, Vec<(i64, String)>> = BTreeMap::new();
        for r in readings.iter().filter(|r| r.revision != now) {
            earlier.entry(r.revision).or_default().push((r.id, r.test.clone()));
        }
        if earlier.is_empty() {
            return Ok(Holding(holding));
        }
        let revisions = app.store.revisions(desk.firm, desk.visit.rig_id).await?;
        for (number, own) in earlier {
            let Some((then, _)) = revisions.iter().find(|(r, _)| r.number == number) else { continue };
            // A text that a newer grammar refuses holds nothing.
            let Ok((_, old)) = app.audits.of(&then.text, desk.grounds.clone()).await? else { continue };
            let new = desk.audit.clone();
            let holds = move || {
                let same = |id: &String| {
                    let was = old.tests().iter().find(|t| t.id == *id);
                    let is = new.tests().iter().find(|t| t.id == *id);
                    was.zip(is).is_some_and(|(was, is)| still_holds((&old, was), (&new, is)))
                };
                own.into_iter().filter(|(_, test)| same(test)).map(|(id, _)| id).collect::<Vec<i64>>()
            };
            holding.extend(off_thread(holds).await?);
        }
        Ok(Holding(holding))
    }

    /// A reading that was taken on the present revision.
    pub fn add(&mut self, id: i64) {
        self.0.insert(id);
    }

    /// Whether a reading holds.
    pub fn has(&self, r: &Reading) -> bool {
        self.0.contains(&r.id)
    }

    /// Whether the newest reading of the tests that are meant proves that their limits are kept.
    pub fn newest_clears(&self, readings: &[Reading], meant: impl Fn(&str) -> bool) -> bool {
        readings.iter().rfind(|r| meant(&r.test)).is_some_and(|r| self.clears(r))
    }

    /// Whether the rig's monitor was held against a clamp, so that what it shows counts in full.
    pub fn monitor_checked(&self, readings: &[Reading]) -> bool {
        self.newest_clears(readings, |test| TestKind::of(test) == Some(TestKind::Shunt))
    }

    /// What the newest settled readings say of the tests that a meter is put to.
    pub fn evidence<'a>(&self, tests: &'a [Test], readings: &[Reading]) -> Vec<(&'a Test, Observed)> {
        let newest = |t: &Test| readings.iter().rfind(|r| r.test == t.id && self.has(r));
        let settled = |t: &Test| newest(t).filter(|r| outcome(r) != Outcome::Unsettled).map(|r| r.value);
        let one = |t: &'a Test| Some((t, Observed::measured(t.probe.clone()?, settled(t)?)));
        tests.iter().filter_map(one).collect()
    }

    /// Whether a reading proves that the limits of its test are kept on the rig as it is now: what is of lower rank, wanders
    /// or went stale does not.
    pub fn clears(&self, r: &Reading) -> bool {
        self.has(r) && !r.lower_rank && outcome(r).clears()
    }
}
