//! Which tests to take where the hours do not suffice for all.

use super::settles::{own_worth, worth};
use super::{Phase, Settles, Test, guards};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// What of a plan fits.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Fitted {
    /// Numbers of the tests to take, in the order of the plan.
    pub taken: Vec<usize>,
    /// Numbers of those that do not fit, the greatest loss first.
    pub left: Vec<usize>,
    /// Minutes that those which are taken need, waiting together included.
    pub minutes: u32,
    /// Hidden faults that those which are taken would show, of all that the whole plan would show.
    pub shown: (usize, usize),
    /// Phases that are not begun, because what must have passed before them does not fit.
    pub shut: Vec<Phase>,
    /// Phases that could be begun, but nothing in them adds as much a minute as what is taken.
    pub passed_over: Vec<Phase>,
}

/// Minutes that some tests need together: the work of each, and one wait for all that wait in the same state.
pub fn minutes_of<'a>(tests: impl IntoIterator<Item = &'a Test>) -> u32 {
    let mut waits: HashMap<(Phase, &str), u32> = HashMap::new();
    let mut work = 0;
    for t in tests {
        work += t.minutes;
        let wait = waits.entry((t.phase, &t.state)).or_default();
        *wait = (*wait).max(t.wait);
    }
    work + waits.values().sum::<u32>()
}

/// Chooses tests for these minutes. `done` are the numbers of tests that have a reading which holds: they cost nothing and
/// count as taken.
///
/// What is chosen first is what shows most danger a minute that nothing chosen before shows; before anything is energised
/// stand all its guards, or its phase is not begun at all; what was opened is closed again in any case. Every way of beginning some phases and not others is tried, and
/// inside one the greatest gain a minute is taken again and again. That is a knapsack of a sum of maxima (each hidden fault
/// counts once), for which the greedy choice together with the best single one is within 1 - 1/sqrt(e) of the best
/// (Leskovec and others, "Cost-effective outbreak detection in networks", 2007, section 3; recalled from memory).
///
/// Complexity: 2^6 ways of phases, each O(n) rounds over n tests; a test's gain is the sum over what it shows.
pub fn fit(tests: &[Test], settles: &Settles, done: &BTreeSet<usize>, minutes: u32) -> Fitted {
    let energising: Vec<Phase> = {
        let all: BTreeSet<Phase> = tests.iter().map(|t| t.phase).filter(|p| needs_guards(*p)).collect();
        all.into_iter().collect()
    };
    let number: HashMap<&str, usize> = tests.iter().enumerate().map(|(n, t)| (t.id.as_str(), n)).collect();
    let guards_of: BTreeMap<Phase, Vec<usize>> = energising
        .iter()
        .filter_map(|p| tests.iter().find(|t| t.phase == *p).map(|t| (*p, t)))
        .map(|(p, t)| (p, guards(tests, t).iter().map(|g| number[g.id.as_str()]).collect()))
        .collect();
    // What was opened is closed again, whatever else fits.
    let closing: Vec<usize> = (0..tests.len()).filter(|n| tests[*n].phase == Phase::Close).collect();
    let must_for = |begun: &BTreeSet<Phase>| -> BTreeSet<usize> {
        begun.iter().flat_map(|p| &guards_of[p]).chain(&closing).copied().collect()
    };
    let begin = |must: &BTreeSet<usize>| {
        let mut choice = PhaseChoice::new(tests, settles, done);
        must.iter().for_each(|n| choice.take(*n));
        choice
    };
    let way = |way: u32| {
        let begun = energising.iter().enumerate().filter(|(k, _)| way & (1 << k) != 0).map(|(_, p)| *p);
        let begun: BTreeSet<Phase> = begun.collect();
        let must = must_for(&begun);
        let allowed = |t: &Test| !needs_guards(t.phase) || begun.contains(&t.phase);
        // A guard that is itself energised must be begun as well.
        must.iter().all(|n| allowed(&tests[*n])).then(|| begin(&must).filled(&allowed, minutes)).flatten()
    };
    let better = |a: &PhaseChoice<'_>, b: &PhaseChoice<'_>| a.gain.total_cmp(&b.gain).then(b.spent.cmp(&a.spent));
    let Some(best) = (0..1u32 << energising.len()).filter_map(way).max_by(better) else {
        return Fitted { left: (0..tests.len()).collect(), ..Fitted::default() };
    };
    // A phase whose guards alone would not fit is shut; one that fits and was not begun is passed over.
    let not_begun = energising.iter().filter(|p| !best.taken.iter().any(|n| tests[*n].phase == **p));
    let alone = |p: &Phase| begin(&must_for(&BTreeSet::from([*p]))).spent < minutes;
    let (passed_over, shut) = not_begun.partition(|p| alone(p));
    Fitted { shut, passed_over, ..best.fitted() }
}

/// Whether something must have passed before a phase is begun.
fn needs_guards(phase: Phase) -> bool {
    phase == Phase::Dc || phase.energises()
}

/// A set of tests under construction.
#[derive(Clone)]
struct PhaseChoice<'a> {
    tests: &'a [Test],
    settles: &'a Settles,
    done: &'a BTreeSet<usize>,
    taken: BTreeSet<usize>,
    shown: Vec<bool>,
    waits: HashMap<(Phase, &'a str), u32>,
    spent: u32,
    gain: f64,
}

impl<'a> PhaseChoice<'a> {
    fn new(tests: &'a [Test], settles: &'a Settles, done: &'a BTreeSet<usize>) -> PhaseChoice<'a> {
        let mut choice = PhaseChoice {
            tests,
            settles,
            done,
            taken: BTreeSet::new(),
            shown: vec![false; settles.hidden.len()],
            waits: HashMap::new(),
            spent: 0,
            gain: 0.0,
        };
        for &n in done {
            choice.take(n);
        }
        choice
    }

    /// Minutes that one more test adds.
    fn cost(&self, n: usize) -> u32 {
        if self.done.contains(&n) {
            return 0;
        }
        let t = &self.tests[n];
        let waited = self.waits.get(&(t.phase, t.state.as_str())).copied().unwrap_or(0);
        t.minutes + t.wait.saturating_sub(waited)
    }

    /// What one more test adds: hidden faults that nothing taken shows, what may be found besides, possible findings settled.
    fn adds(&self, n: usize) -> f64 {
        let new = self.settles.shows[n].iter().filter(|f| !self.shown[**f]);
        let hidden: f64 = new.map(|f| worth(self.settles.hidden[*f].danger)).sum();
        let settled = self.settles.possible[n] as f64;
        hidden + own_worth(self.tests[n].id.kind) + settled
    }

    fn take(&mut self, n: usize) {
        if self.taken.contains(&n) {
            return;
        }
        self.gain += self.adds(n);
        self.spent += self.cost(n);
        let t = &self.tests[n];
        if !self.done.contains(&n) {
            let wait = self.waits.entry((t.phase, &t.state)).or_default();
            *wait = (*wait).max(t.wait);
        }
        for &f in &self.settles.shows[n] {
            self.shown[f] = true;
        }
        self.taken.insert(n);
    }

    /// With what adds most a minute while it fits; nothing where what is taken does not fit already.
    fn filled(mut self, allowed: &dyn Fn(&Test) -> bool, minutes: u32) -> Option<PhaseChoice<'a>> {
        if self.spent > minutes {
            return None;
        }
        let open = |c: &PhaseChoice<'_>| -> Vec<usize> {
            let fits = |n: &usize| !c.taken.contains(n) && allowed(&c.tests[*n]) && c.spent + c.cost(*n) <= minutes;
            (0..c.tests.len()).filter(fits).collect()
        };
        let mut single = self.clone();
        let most = open(&self).into_iter().max_by(|a, b| self.adds(*a).total_cmp(&self.adds(*b)));
        if let Some(n) = most {
            single.take(n);
        }
        loop {
            let a_minute = |n: usize| self.adds(n) / f64::from(self.cost(n).max(1));
            // The earlier of two that are worth the same.
            let next = open(&self).into_iter().rev().max_by(|a, b| a_minute(*a).total_cmp(&a_minute(*b)));
            match next {
                Some(n) => self.take(n),
                None => break,
            }
        }
        Some(if single.gain > self.gain { single } else { self })
    }

    fn fitted(self) -> Fitted {
        let mut left: Vec<usize> = (0..self.tests.len()).filter(|n| !self.taken.contains(n)).collect();
        left.sort_by(|a, b| self.adds(*b).total_cmp(&self.adds(*a)).then(a.cmp(b)));
        let all: BTreeSet<usize> = self.settles.shows.iter().flatten().copied().collect();
        Fitted {
            minutes: self.spent,
            shown: (self.shown.iter().filter(|s| **s).count(), all.len()),
            taken: self.taken.into_iter().collect(),
            left,
            ..Fitted::default()
        }
    }
}
