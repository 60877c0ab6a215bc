//! Which readings hold for the rig as it is now, and what they prove.

use murvet_core::audit::Audit;
use murvet_core::diagnosis::Observed;
use murvet_core::readings::{Outcome, Test, TestKind, still_holds};
use std::collections::HashSet;

/// A reading as decisions need it.
#[derive(Debug, Clone, PartialEq)]
pub struct Taken {
    /// Key of its record.
    pub id: i64,
    /// The name of its test.
    pub test: String,
    /// Revision of the rig that it was taken on.
    pub revision: i32,
    /// The value; infinite for over-range.
    pub value: f64,
    /// What it came to.
    pub outcome: Outcome,
    /// Whether it is indicative only: it can fail a test, not pass it.
    pub lower_rank: bool,
}

/// The readings of a visit in the order in which they were taken, with those that hold for the rig as it is: taken on the present
/// revision, or on an earlier one since which nothing changed on the path of their test.
#[derive(Debug, Clone, Default)]
pub struct Readings {
    list: Vec<Taken>,
    holds: HashSet<i64>,
}

impl Readings {
    /// Those of the present revision hold; of earlier ones [`Readings::carry`] decides.
    pub fn of(list: Vec<Taken>, now: i32) -> Readings {
        let holds = list.iter().filter(|r| r.revision == now).map(|r| r.id).collect();
        Readings { list, holds }
    }

    /// The earlier revisions on which readings were taken, each once.
    pub fn earlier(&self) -> Vec<i32> {
        let mut list: Vec<i32> = self.list.iter().filter(|r| !self.holds.contains(&r.id)).map(|r| r.revision).collect();
        list.sort_unstable();
        list.dedup();
        list
    }

    /// Holds the readings of an earlier revision against the rig as it is: with the audit and the tests of then and of now.
    pub fn carry(&mut self, revision: i32, then: (&Audit, &[Test]), now: (&Audit, &[Test])) {
        let same = |r: &&Taken| {
            let was = then.1.iter().find(|t| t.id == r.test);
            let is = now.1.iter().find(|t| t.id == r.test);
            was.zip(is).is_some_and(|(was, is)| still_holds((then.0, was), (now.0, is)))
        };
        let own = self.list.iter().filter(|r| r.revision == revision);
        self.holds.extend(own.filter(same).map(|r| r.id).collect::<Vec<i64>>());
    }

    /// One more, taken on the present revision.
    pub fn add(&mut self, taken: Taken) {
        self.holds.insert(taken.id);
        self.list.push(taken);
    }

    /// Whether a reading holds.
    pub fn has(&self, id: i64) -> bool {
        self.holds.contains(&id)
    }

    /// Whether a reading proves that the limits of its test are kept on the rig as it is now: what is indicative only, unstable or
    /// went stale does not.
    pub fn clears(&self, id: i64) -> bool {
        self.list.iter().find(|r| r.id == id).is_some_and(|r| self.proves(r))
    }

    fn proves(&self, r: &Taken) -> bool {
        self.holds.contains(&r.id) && !r.lower_rank && r.outcome.clears()
    }

    /// Whether the newest reading of the tests that are meant proves that their limits are kept.
    pub fn newest_clears(&self, meant: impl Fn(&str) -> bool) -> bool {
        self.list.iter().rfind(|r| meant(&r.test)).is_some_and(|r| self.proves(r))
    }

    /// Whether the rig's monitor was held against a clamp, so that what it shows counts in full.
    pub fn monitor_checked(&self) -> bool {
        self.newest_clears(|test| TestKind::of(test) == Some(TestKind::Shunt))
    }

    /// What stands for a test in what may be used: passed, failed, or nothing. One that failed stands although something on its
    /// path changed since, for nobody has shown that it passes now.
    pub fn stands(&self, test: &Test) -> Option<bool> {
        let newest = self.list.iter().rfind(|r| test.id == r.test)?;
        let failed = newest.outcome == Outcome::Fail;
        (failed || self.proves(newest)).then_some(!failed)
    }

    /// The newest reading since a revision of one of these tests that proves its limits kept.
    pub fn proof(&self, tests: &[String], since: i32) -> Option<&Taken> {
        let own = |r: &&Taken| tests.contains(&r.test) && r.revision >= since;
        self.list.iter().rev().filter(own).find(|r| self.proves(r))
    }

    /// What the newest settled readings say of the tests that a meter is put to.
    pub fn evidence<'a>(&self, tests: &'a [Test]) -> Vec<(&'a Test, Observed)> {
        let newest = |t: &Test| self.list.iter().rfind(|r| t.id == r.test && self.has(r.id));
        let settled = |t: &Test| newest(t).filter(|r| r.outcome != Outcome::Unsettled).map(|r| r.value);
        let one = |t: &'a Test| Some((t, Observed::measured(t.probe.clone()?, settled(t)?)));
        tests.iter().filter_map(one).collect()
    }
}
