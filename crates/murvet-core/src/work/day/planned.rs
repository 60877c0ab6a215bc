//! The plan: what the program chose, put in order, and each task audited as its turn comes.

use super::model::{Chosen, Cut, choose};
use super::{Day, Task, WorkKind};
use crate::audit::Audit;
use crate::remedies::attempt;
use crate::rig::Rig;
use crate::work::{apply, change};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::rc::Rc;
use std::sync::Arc;

/// How often the choice is made again after tasks turned out not to go together.
const ROUNDS: usize = 60;

/// A task of the day.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Slot {
    /// The task, by its place in the list.
    pub task: usize,
    /// Who does it, by number; all of them where it is done together.
    pub people: Vec<usize>,
    /// Minutes from the beginning of the day.
    pub start: u32,
    /// Minutes from the beginning of the day.
    pub end: u32,
    /// When what it waits for is over.
    pub ready: u32,
}

/// Why a task is not done today.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Why {
    /// Nobody who is there may do it: what it asks for.
    Nobody(BTreeSet<WorkKind>),
    /// A part is not in the van, or not as often.
    Part(String),
    /// What it is for is done in another way.
    OtherWay,
    /// It comes after something that is not done.
    After(usize),
    /// The rig would be worse after it, or it cannot be made beside what is done.
    Worse,
    /// The hours are full of what is worth more.
    Hours,
}

/// A task that is not done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Left {
    /// The task, by its place in the list.
    pub task: usize,
    /// Why.
    pub why: Why,
}

/// A plan.
#[derive(Debug, Clone)]
pub struct Planned {
    /// What is done, by its beginning.
    pub slots: Vec<Slot>,
    /// What is not done.
    pub left: Vec<Left>,
    /// Steps of making safe that are done once, at the beginning.
    pub isolated: BTreeSet<String>,
    /// Closed places, with who opens them.
    pub opened: BTreeMap<String, Vec<usize>>,
    /// Minutes of making safe at the beginning.
    pub safe_minutes: u32,
    /// What it is worth.
    pub worth: u32,
    /// Nothing is worth more than this, where the search stopped early; nothing where the plan is the best there is.
    pub bound: Option<f64>,
    /// How often the choice was made again because tasks did not go together.
    pub rounds: usize,
    /// The rig after it, and its audit.
    pub after: (Rig, Audit),
}

/// Plans a day. The worth is the greatest there is among the choices whose tasks go together; where two tasks were found not to, in either
/// order, no choice has both.
///
/// Complexity: the search of the program, and an audit for each task of each choice that is tried.
///
/// # Errors
/// When the solver finds nothing within its bounds.
pub fn plan(rig: &Rig, audit: &Audit, tasks: &[Task], day: &Day) -> Result<Planned, String> {
    let mut cuts: Vec<Cut> = Vec::new();
    let mut later: BTreeSet<(usize, usize)> = BTreeSet::new();
    let mut bound = None;
    let mut tried = Tried::new(rig, audit, tasks);
    for rounds in 0..ROUNDS {
        let chosen = choose(tasks, day, &cuts)?;
        bound = bound.or(chosen.bound);
        let mut timed = timeline(tasks, day, &chosen, &later);
        if timed.iter().any(|s| s.ready > day.minutes) {
            // What was put after something in an earlier choice is not here: as the program has it, it fits.
            later.clear();
            timed = timeline(tasks, day, &chosen, &later);
        }
        // What fails at its turn may pass after something that is done later: then it is put after that.
        for _ in 0..=tasks.len() {
            match tried.walked(&timed) {
                Ok(after) => {
                    let mut slots = timed;
                    slots.sort_by_key(|s| (s.start, s.people.clone()));
                    return Ok(told(tasks, day, &chosen, slots, (bound, rounds), (*after).clone(), &cuts));
                }
                Err(at) => {
                    let failed = timed[at].task;
                    let before: Vec<usize> = timed[..at].iter().map(|s| s.task).collect();
                    let helped = timed[at + 1..].iter().map(|s| s.task).find(|u| {
                        !later.contains(&(failed, *u)) && tried.passes(&[&before[..], &[*u, failed]].concat())
                    });
                    if let Some(u) = helped {
                        later.insert((failed, u));
                        let next = timeline(tasks, day, &chosen, &later);
                        // Put later, what waits may not be ready in time.
                        if next != timed && next.iter().all(|s| s.ready <= day.minutes) {
                            timed = next;
                            continue;
                        }
                    }
                    cuts.push(tried.conflict(&timed, at));
                    break;
                }
            }
        }
    }
    Err(format!("after {ROUNDS} choices no list of tasks was found that leaves the rig no worse at any time"))
}

/// What was tried: the rig and its audit after tasks in an order; nothing where the last of them cannot be made or makes the rig
/// worse. Choices share their beginnings, and pairs are asked for again and again.
struct Tried<'a> {
    tasks: &'a [Task],
    known: HashMap<Vec<usize>, Option<Rc<(Rig, Audit)>>>,
}

impl<'a> Tried<'a> {
    fn new(rig: &Rig, audit: &Audit, tasks: &'a [Task]) -> Tried<'a> {
        let start = Some(Rc::new((rig.clone(), audit.clone())));
        Tried { tasks, known: HashMap::from([(Vec::new(), start)]) }
    }

    /// The rig after these tasks in this order.
    fn after(&mut self, order: &[usize]) -> Option<Rc<(Rig, Audit)>> {
        if let Some(known) = self.known.get(order) {
            return known.clone();
        }
        let (last, first) = order.split_last()?;
        let state = self.after(first)?;
        let made = make(&state, &self.tasks[*last]);
        self.known.insert(order.to_vec(), made.clone());
        made
    }

    fn passes(&mut self, order: &[usize]) -> bool {
        self.after(order).is_some()
    }

    /// The rig after all tasks in the order in which they end; where one fails, which.
    fn walked(&mut self, slots: &[Slot]) -> Result<Rc<(Rig, Audit)>, usize> {
        let order: Vec<usize> = slots.iter().map(|s| s.task).collect();
        match (1..=order.len()).find(|n| !self.passes(&order[..*n])) {
            Some(n) => Err(n - 1),
            None => self.after(&order).ok_or(0),
        }
    }

    /// The tasks that do not go together: two where two are found that fail in either order, else all up to the one that failed.
    fn conflict(&mut self, slots: &[Slot], at: usize) -> Cut {
        let failed = slots[at].task;
        let so_far = || slots[..=at].iter().map(|s| s.task).collect();
        if !self.passes(&[failed]) {
            // It fails by itself: it can only follow something. Where no other task helps it, it is never done.
            let helped = (0..self.tasks.len()).any(|u| u != failed && self.passes(&[u, failed]));
            return if helped { so_far() } else { Cut::from([failed]) };
        }
        for u in slots[..at].iter().map(|s| s.task) {
            if !self.passes(&[u, failed]) && !self.passes(&[failed, u]) {
                return Cut::from([u, failed]);
            }
        }
        so_far()
    }
}

/// The rig and its audit after a task; nothing where it cannot be made or makes the rig worse.
fn make(state: &Rc<(Rig, Audit)>, task: &Task) -> Option<Rc<(Rig, Audit)>> {
    if task.acts.is_empty() {
        return Some(Rc::clone(state));
    }
    let (rig, audit) = &**state;
    let stands = |after: &Audit| change(audit, after).worse().next().is_none();
    if let Some((key, candidate)) = &task.repair {
        let finding = audit.findings.iter().find(|f| f.key() == *key)?;
        let tried = attempt(rig, audit, finding, candidate.clone());
        if let (true, Some(rig), Some(after)) = (tried.accepted, tried.rig, tried.after)
            && stands(&after)
        {
            return Some(Rc::new((rig, Arc::unwrap_or_clone(after))));
        }
    }
    let mut new = rig.clone();
    for act in &task.acts {
        new = apply(&new, act, |r| audit.after(r)).ok()?;
    }
    let after = audit.after(&new);
    stands(&after).then(|| Rc::new((new, after)))
}

/// The worth of a task in the order of a day: the gravest finding that it closes.
fn gravest(task: &Task, day: &Day) -> u32 {
    task.closes.iter().filter_map(|k| day.danger.get(k)).max().copied().unwrap_or(0).max(task.worth)
}

/// When each task is done, in the order in which they end. Together first, then each by themselves; by falling waits, the most danger first
/// among like waits, those of one place beside each other, and each after what comes before it.
fn timeline(tasks: &[Task], day: &Day, chosen: &Chosen, later: &BTreeSet<(usize, usize)>) -> Vec<Slot> {
    let people = day.people.len();
    let safe = isolated(tasks, chosen).iter().map(|s| day.isolates(s)).sum::<u32>();
    let opening =
        |w: usize| -> u32 { chosen.opened.iter().filter(|(_, by)| **by == w).map(|(place, _)| day.opens(place)).sum() };
    let mut slots: Vec<Slot> = Vec::new();
    let mut clock = vec![safe + if people > 1 { opening(people) } else { 0 }; people];
    for w in (0..=people).rev() {
        let mut open: Vec<(usize, u32)> = chosen.done.iter().filter(|d| d.1 == w).map(|d| (d.0, d.2)).collect();
        if w < people {
            clock[w] += opening(w);
        }
        let mut place: Option<&String> = None;
        while !open.is_empty() {
            let waits = |i: usize| open.iter().any(|(o, _)| tasks[i].after.contains(o) || later.contains(&(i, *o)));
            let best = open
                .iter()
                .enumerate()
                .filter(|(_, (i, _))| !waits(*i))
                .max_by_key(|(_, (i, level))| {
                    let here = tasks[*i].places.iter().any(|p| Some(p) == place);
                    (*level, gravest(&tasks[*i], day), here, std::cmp::Reverse(*i))
                })
                .map_or(0, |(at, _)| at);
            let (task, _) = open.remove(best);
            place = tasks[task].places.iter().next().or(place);
            let who: Vec<usize> = if w == people { (0..people).collect() } else { vec![w] };
            let start = who.iter().map(|p| clock[*p]).max().unwrap_or(0);
            let end = start + tasks[task].minutes;
            who.iter().for_each(|p| clock[*p] = end);
            slots.push(Slot { task, people: who, start, end, ready: end + tasks[task].wait });
        }
    }
    slots.sort_by_key(|s| (s.end, s.start, s.task));
    slots
}

fn isolated(tasks: &[Task], chosen: &Chosen) -> BTreeSet<String> {
    chosen.done.iter().flat_map(|(i, ..)| tasks[*i].isolate.iter().cloned()).collect()
}

fn told(
    tasks: &[Task],
    day: &Day,
    chosen: &Chosen,
    slots: Vec<Slot>,
    (bound, rounds): (Option<f64>, usize),
    after: (Rig, Audit),
    cuts: &[Cut],
) -> Planned {
    let done: BTreeSet<usize> = slots.iter().map(|s| s.task).collect();
    let closed: BTreeSet<&String> = done.iter().flat_map(|i| &tasks[*i].closes).collect();
    let used = |part: &String| done.iter().filter_map(|i| tasks[*i].parts.get(part)).sum::<u32>();
    let why = |i: usize| {
        let t = &tasks[i];
        let instead = |o: &usize| t.instead.is_some() && tasks[*o].instead == t.instead;
        let lacking = t.parts.iter().find(|(p, n)| day.parts.get(*p).is_some_and(|there| used(p) + **n > *there));
        if done.iter().any(instead) || (!t.closes.is_empty() && t.closes.iter().all(|k| closed.contains(k))) {
            Why::OtherWay
        } else if !day.people.iter().any(|h| t.kinds.is_subset(&h.may)) || (t.hands > 1 && day.people.len() < 2) {
            Why::Nobody(t.kinds.clone())
        } else if let Some((part, _)) = lacking {
            Why::Part(part.clone())
        } else if let Some(before) = t.after.iter().find(|b| !done.contains(b)) {
            Why::After(*before)
        } else if cuts.iter().any(|c| c.contains(&i) && c.iter().all(|o| *o == i || done.contains(o))) {
            Why::Worse
        } else {
            Why::Hours
        }
    };
    let left = (0..tasks.len()).filter(|i| !done.contains(i)).map(|task| Left { task, why: why(task) }).collect();
    let isolated = isolated(tasks, chosen);
    let people = day.people.len();
    Planned {
        left,
        worth: day.worth(slots.iter().map(|s| &tasks[s.task])),
        safe_minutes: isolated.iter().map(|s| day.isolates(s)).sum(),
        opened: chosen
            .opened
            .iter()
            .map(|(place, w)| (place.clone(), if *w == people { (0..people).collect() } else { vec![*w] }))
            .collect(),
        isolated,
        slots,
        bound,
        rounds,
        after,
    }
}
