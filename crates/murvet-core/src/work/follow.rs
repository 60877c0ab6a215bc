//! The steps made one after the other on a copy, each audited.

use super::apply::{Refused, apply};
use super::change::change;
use super::holders::{Job, lost};
use super::isolation::needed;
use super::script::{Entry, WorkStep};
use crate::audit::Audit;
use crate::readings::{SafeStep, Use, uses};
use crate::rig::{LooseEnd, Rig};
use crate::rules::Finding;

/// What became of a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verdict {
    /// The rig is no worse after it.
    Stands,
    /// The rig is worse after it, and it is marked so: why it is not to be left.
    NotToBeLeft(String),
    /// The rig would be worse after it: it is not made.
    Refused,
    /// It cannot be made: its act, from 0, and why.
    Impossible(usize, Refused),
}

/// A conductor with an end that lies loose.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LooseConductor {
    /// The conductor, in words.
    pub conductor: String,
    /// How its end lies.
    pub end: LooseEnd,
    /// What makes it live in some state; nothing where it is dead in all.
    pub live_from: Option<String>,
}

/// A step with what came of it.
#[derive(Debug, Clone)]
pub struct StepMade {
    /// The step.
    pub step: WorkStep,
    /// What became of it.
    pub verdict: Verdict,
    /// Findings that are gone after it.
    pub closes: Vec<Finding>,
    /// Findings that it opens, or makes more pressing.
    pub opens: Vec<Finding>,
    /// Findings that go on under another name.
    pub moved: Vec<Finding>,
    /// Ends that lie loose after it.
    pub loose: Vec<LooseConductor>,
    /// Jobs that nothing holds any more.
    pub lost: Vec<Job>,
    /// What has to be isolated before it.
    pub isolation: Vec<SafeStep>,
    /// What may be used after it, as far as findings tell; without readings nothing is proven.
    pub uses: Vec<Use>,
    /// The rig after it; as before it where it was not made.
    pub rig: Rig,
}

impl StepMade {
    /// Whether it was made.
    pub fn made(&self) -> bool {
        matches!(self.verdict, Verdict::Stands | Verdict::NotToBeLeft(_))
    }

    /// Whether it was made and may be left so.
    pub fn stands(&self) -> bool {
        self.verdict == Verdict::Stands
    }
}

/// A moment at which the rig is left.
#[derive(Debug, Clone)]
pub struct Rest {
    /// What it is called.
    pub title: String,
    /// How many steps of the list come before it.
    pub after: usize,
    /// What is worse than where the rig was left before.
    pub worse: Vec<Finding>,
    /// The last step made before it is not to be left so: its title and why.
    pub marked: Option<(String, String)>,
    /// What may be used from then on.
    pub uses: Vec<Use>,
}

impl Rest {
    /// Whether the rig may be left then.
    pub fn safe(&self) -> bool {
        self.worse.is_empty() && self.marked.is_none()
    }
}

/// A list of steps, made.
#[derive(Debug, Clone)]
pub struct Followed {
    /// Every step, in order.
    pub steps: Vec<StepMade>,
    /// Every moment at which the rig is left, the end included.
    pub rests: Vec<Rest>,
    /// The audit of the rig at the end.
    pub audit: Audit,
    /// The rig at the end.
    pub rig: Rig,
}

/// The ends that lie loose in a rig.
fn loose(audit: &Audit) -> Vec<LooseConductor> {
    let (net, ctx) = (&audit.net, audit.context());
    let mut list: Vec<LooseConductor> = Vec::new();
    for (n, end) in net.nodes.iter().enumerate().filter_map(|(n, node)| Some((n, node.loose()?))) {
        let Some((wire, _)) = net.wire_at(n) else { continue };
        let from = audit.states.states.iter().find_map(|s| s.live.sources_at(net, n).next());
        list.push(LooseConductor {
            conductor: ctx.wire_words(wire),
            end,
            live_from: from.map(|s| audit.assumed.components[net.sources[s].component].id.clone()),
        });
    }
    list
}

/// Makes the steps one after the other. A step that makes the rig worse and is not marked so is not made, and the next goes on
/// from the rig as it was; so with one that cannot be made.
///
/// The rig as it stands is `before.assumed` as it was traced, which is audited anew after each step by the same limits.
/// Complexity: one audit a step.
pub fn follow(before: &Audit, rig: &Rig, entries: &[Entry]) -> Followed {
    let mut now = before.clone();
    let mut rig = rig.clone();
    let mut left = before.clone();
    let mut steps: Vec<StepMade> = Vec::new();
    let mut rests: Vec<Rest> = Vec::new();
    // The last step made since the rig was left, where it is not to be left so.
    let mut marked: Option<(String, String)> = None;
    let rest = |title: &str, after: usize, left: &Audit, now: &Audit, marked: Option<(String, String)>| Rest {
        title: title.to_owned(),
        after,
        worse: change(left, now).worse().cloned().collect(),
        marked,
        uses: uses(now, &[], |_| None),
    };
    for entry in entries {
        match entry {
            Entry::Rest { title, .. } => {
                rests.push(rest(title, steps.len(), &left, &now, marked.take()));
                left = now.clone();
            }
            Entry::Step(step) => {
                let (made, next) = make(step, &now, &rig);
                if let Some((audit, after)) = next {
                    marked = step.not_to_be_left.clone().map(|why| (step.title.clone(), why));
                    now = audit;
                    rig = after;
                }
                steps.push(made);
            }
        }
    }
    if !matches!(entries.last(), Some(Entry::Rest { .. }) | None) {
        rests.push(rest("at the end", steps.len(), &left, &now, marked));
    }
    Followed { steps, rests, audit: now, rig }
}

/// Makes one step; the audit and the rig after it where it was made. Of one that is refused it is told what would have come of
/// it.
fn make(step: &WorkStep, now: &Audit, rig: &Rig) -> (StepMade, Option<(Audit, Rig)>) {
    let mut new = rig.clone();
    for (index, act) in step.acts.iter().enumerate() {
        match apply(&new, act, |r| now.after(r)) {
            Ok(done) => new = done,
            Err(why) => {
                let made = StepMade {
                    step: step.clone(),
                    verdict: Verdict::Impossible(index, why),
                    closes: Vec::new(),
                    opens: Vec::new(),
                    moved: Vec::new(),
                    loose: loose(now),
                    lost: Vec::new(),
                    isolation: Vec::new(),
                    uses: uses(now, &[], |_| None),
                    rig: rig.clone(),
                };
                return (made, None);
            }
        }
    }
    let after = now.after(&new);
    let change = change(now, &after);
    let verdict = match (&step.not_to_be_left, change.worse().next()) {
        (_, None) => Verdict::Stands,
        (Some(why), Some(_)) => Verdict::NotToBeLeft(why.clone()),
        (None, Some(_)) => Verdict::Refused,
    };
    let stays = verdict == Verdict::Refused;
    let made = StepMade {
        step: step.clone(),
        verdict,
        closes: change.closes,
        opens: change.opens,
        moved: change.moved,
        loose: loose(&after),
        lost: lost(now, &after),
        isolation: needed(now, &after),
        uses: uses(if stays { now } else { &after }, &[], |_| None),
        rig: if stays { rig.clone() } else { new.clone() },
    };
    (made, (!stays).then_some((after, new)))
}
