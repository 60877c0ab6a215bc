//! The plan of the day: which tasks fit the hours, hands and parts, by whom, and in which order.
//!
//! [`tasks`] makes tasks of the repairs that findings have; [`plan`] chooses. The choice is the best there is by a stated weight for
//! danger: a mixed-integer program says which tasks are done by whom, exactly or with a bound, and each task is then audited on
//! the rig as it stands when its turn comes, so that the rig may be left after every one of them.
//!
//! What is counted (common practice, no source):
//! - a person works at one task at a time; what takes two is done first, together;
//! - what is isolated is isolated once, before everything, for all; a closed place is opened once, by whoever works in it, and
//!   nobody else works in it;
//! - what has to cure or settle is done as early as its wait asks for;
//! - a part that the list of the van names is there as often as it says, or the task is not done today.

mod model;
mod parts;
mod planned;
mod scope;
mod script;
mod tasks;

pub use parts::{Part, parts};
pub use planned::{Left, Planned, Slot, Why, plan};
pub use scope::{WorkKind, kinds};
pub use script::read;
pub use tasks::tasks;

use super::act::Act;
use crate::remedies::Candidate;
use crate::severity::Severity;
use std::collections::{BTreeMap, BTreeSet};

/// Something that could be done today.
#[derive(Debug, Clone, PartialEq)]
pub struct Task {
    /// What is done.
    pub title: String,
    /// Minutes, the tests after it included.
    pub minutes: u32,
    /// How many people it takes: one or two.
    pub hands: u32,
    /// What one of them must be allowed to do.
    pub kinds: BTreeSet<WorkKind>,
    /// Places in which somebody works, open or closed.
    pub at: BTreeSet<String>,
    /// Those of them that are closed and opened for it.
    pub places: BTreeSet<String>,
    /// Steps of making safe that it needs, by their names.
    pub isolate: BTreeSet<String>,
    /// Parts by name, with how many or how many metres, rounded up.
    pub parts: BTreeMap<String, u32>,
    /// Minutes that must pass after it before the rig is tested or used: curing, cooling, settling.
    pub wait: u32,
    /// Tasks that come before it, by their place in the list.
    pub after: BTreeSet<usize>,
    /// Keys of the findings that it closes.
    pub closes: BTreeSet<String>,
    /// It leaves every job with a holder: nothing that worked is taken out of use.
    pub keeps: bool,
    /// What it is worth beside the danger it removes, for a line of somebody's list.
    pub worth: u32,
    /// What is done to the rig; nothing where the rig does not change.
    pub acts: Vec<Act>,
    /// The repair that its act names, as it was worked out on the rig of the morning, with the finding it is for. At its turn it is
    /// tried as it is, and only where that fails looked for anew among all repairs of the rig as it is then.
    pub repair: Option<(String, Candidate)>,
    /// Of tasks with the same name here, at most one is done: other ways to the same end.
    pub instead: Option<String>,
}

impl Task {
    /// A task that changes nothing on the rig, for one person.
    pub fn new(title: impl Into<String>, minutes: u32) -> Task {
        Task {
            title: title.into(),
            minutes,
            hands: 1,
            kinds: BTreeSet::new(),
            at: BTreeSet::new(),
            places: BTreeSet::new(),
            isolate: BTreeSet::new(),
            parts: BTreeMap::new(),
            wait: 0,
            after: BTreeSet::new(),
            closes: BTreeSet::new(),
            keeps: true,
            worth: 0,
            acts: Vec::new(),
            repair: None,
            instead: None,
        }
    }
}

/// Somebody who works.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hands {
    /// Name.
    pub name: String,
    /// What they may do.
    pub may: BTreeSet<WorkKind>,
}

impl Hands {
    /// Somebody who may do everything.
    pub fn for_everything(name: impl Into<String>) -> Hands {
        Hands { name: name.into(), may: WorkKind::ALL.iter().map(|(k, _)| *k).collect() }
    }
}

/// What there is today.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Day {
    /// Minutes until the work must be over.
    pub minutes: u32,
    /// Who works.
    pub people: Vec<Hands>,
    /// Parts in the van, by name; a part that is not named is taken to be there.
    pub parts: BTreeMap<String, u32>,
    /// Minutes to open a closed place and close it again, by place; [`OPENING`] for one that is not named.
    pub opening: BTreeMap<String, u32>,
    /// Minutes of a step of making safe, by name; [`ISOLATING`] for one that is not named.
    pub isolating: BTreeMap<String, u32>,
    /// What closing a finding is worth, by its key; findings that are not named are worth nothing.
    pub danger: BTreeMap<String, u32>,
    /// How long the firm's own people take for repairs, against the usual minutes, in per cent by rule; 100 for one that is not
    /// named.
    pub pace: BTreeMap<String, u32>,
}

/// Minutes to open a closed place and close it again (common practice, no source).
pub const OPENING: u32 = 15;

/// Minutes of one step of making safe, its undoing included (common practice, no source).
pub const ISOLATING: u32 = 4;

/// Minutes of a repair before it is known which one is taken, for a firm that has not entered what its repairs took: that of a
/// fuse fitted at a battery. Common practice, no source.
pub const REPAIRING: u32 = 45;

/// What it is worth beside the danger to close a finding by a task that takes nothing out of use: more than a finding of advice, less
/// than any other.
pub const KEEPS: u32 = 2;

/// Minutes from the beginning of a day as hours and minutes.
///
/// ```
/// assert_eq!(murvet_core::work::day::clock(125), "2:05");
/// ```
pub fn clock(minutes: u32) -> String {
    format!("{}:{:02}", minutes / 60, minutes % 60)
}

/// What closing a finding is worth, against a unit of anything else: ten times the next lower one.
pub fn weight(severity: Severity) -> u32 {
    match severity {
        Severity::KeepOff => 1000,
        Severity::BeforeUse => 100,
        Severity::Soon => 10,
        Severity::Advice => 1,
    }
}

impl Day {
    /// A day of so many minutes: every part there, usual minutes, no danger told yet.
    pub fn new(minutes: u32, people: Vec<Hands>) -> Day {
        Day {
            minutes,
            people,
            parts: BTreeMap::new(),
            opening: BTreeMap::new(),
            isolating: BTreeMap::new(),
            danger: BTreeMap::new(),
            pace: BTreeMap::new(),
        }
    }

    /// Minutes of a repair of a rule at the firm's own pace.
    pub fn takes(&self, rule: &str, usual: u32) -> u32 {
        (usual * self.pace.get(rule).copied().unwrap_or(100)).div_ceil(100)
    }

    /// Minutes to open a place.
    pub fn opens(&self, place: &str) -> u32 {
        self.opening.get(place).copied().unwrap_or(OPENING)
    }

    /// Minutes of a step of making safe.
    pub fn isolates(&self, step: &str) -> u32 {
        self.isolating.get(step).copied().unwrap_or(ISOLATING)
    }

    /// What a list of tasks is worth: every finding that one of them closes, once; [`KEEPS`] more where one of them takes nothing
    /// out of use for it; and what each is worth beside.
    pub fn worth<'a>(&self, tasks: impl Iterator<Item = &'a Task>) -> u32 {
        let (mut closed, mut kept): (BTreeSet<&str>, BTreeSet<&str>) = Default::default();
        let mut worth = 0;
        for t in tasks {
            worth += t.worth;
            closed.extend(t.closes.iter().map(String::as_str));
            kept.extend(t.closes.iter().filter(|_| t.keeps).map(String::as_str));
        }
        let counts = |k: &&str| self.danger.get(*k).is_some_and(|d| *d > 0);
        #[expect(clippy::cast_possible_truncation, reason = "a few findings")]
        let kept = kept.iter().filter(|k| counts(k)).count() as u32 * KEEPS;
        worth + kept + closed.into_iter().filter_map(|k| self.danger.get(k)).sum::<u32>()
    }
}

/// The firm's own pace by rule, from repairs of which the usual minutes and those that it took are known: the median of their
/// ratios in per cent, within a fifth and five times, once there are three of a rule.
///
/// ```
/// use murvet_core::work::day::pace;
/// let taken = [("wire-size", 40, 60), ("wire-size", 30, 30), ("wire-size", 20, 25), ("ac-backfeed", 60, 600)];
/// assert_eq!(pace(taken.into_iter()), [("wire-size".to_owned(), 125)].into());
/// ```
pub fn pace<'a>(taken: impl Iterator<Item = (&'a str, u32, u32)>) -> BTreeMap<String, u32> {
    let mut ratios: BTreeMap<String, Vec<u32>> = BTreeMap::new();
    for (rule, usual, took) in taken.filter(|t| t.1 > 0) {
        ratios.entry(rule.to_owned()).or_default().push((took * 100 / usual).clamp(20, 500));
    }
    ratios.retain(|_, list| list.len() >= 3);
    ratios
        .into_iter()
        .map(|(rule, mut list)| {
            list.sort_unstable();
            let middle = list[list.len() / 2];
            (rule, middle)
        })
        .collect()
}
