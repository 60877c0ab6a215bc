//! The choice as a mixed-integer program.
//!
//! For each task, worker and level of waiting a variable says whether it is done so. A worker is a person, or all of them
//! together; what is done together comes first, so that nobody waits for anybody. Along the list of one worker the order that ends
//! earliest is by falling waits (Jackson's rule for one machine with delivery times: exchange two neighbours out of that order,
//! and the end is no later). So the levels are the waits that occur, a task lies at its own or at a longer one, and the time up
//! to the end of a level plus its wait must fit. A task that comes after another lies at no longer a wait than that one, done by
//! the same worker or after what is done together.
//!
//! Worth is counted in whole units; minutes break ties, all of them together being worth less than two fifths of a unit. The search
//! ends once nothing can be better by more than half a unit: a choice of one unit more would be better by at least three
//! fifths, so the worth is the greatest there is. Proving the last minute as well takes many times as long, and nobody gains by it.

use super::{Day, KEEPS, Task};
use microlp::{ComparisonOp, OptimizationDirection, Problem, SolveOptions, Variable};
use std::collections::{BTreeMap, BTreeSet};

/// Nodes of the search before it stops and tells its bound: the same on every machine.
const NODES: u64 = 300;

/// What all minutes together are worth.
const TIES: f64 = 0.4;

/// How much better another choice may be when the search ends.
const SLACK: f64 = 0.5;

/// Tasks that cannot all be done in any order that was tried.
pub(super) type Cut = BTreeSet<usize>;

/// Who does which task at which wait.
#[derive(Debug, Clone, Default)]
pub(super) struct Chosen {
    /// Task, worker (a person by number, or the number of people for all together), level.
    pub done: Vec<(usize, usize, u32)>,
    /// The person who opens a place; the number of people where it is opened together.
    pub opened: BTreeMap<String, usize>,
    /// No choice is worth more than this, where the search stopped early.
    pub bound: Option<f64>,
}

/// Chooses. The levels are in minutes of waiting.
///
/// # Errors
/// When the solver finds nothing within its bounds.
pub(super) fn choose(tasks: &[Task], day: &Day, cuts: &[Cut]) -> Result<Chosen, String> {
    let people = day.people.len();
    let together = people;
    let mut p = Problem::new(OptimizationDirection::Maximize);
    let levels: BTreeSet<u32> = tasks.iter().map(|t| t.wait).collect();
    let effort = f64::from(tasks.iter().map(|t| t.minutes + 1).sum::<u32>())
        + f64::from(tasks.iter().flat_map(|t| &t.places).map(|z| day.opens(z)).sum::<u32>())
        + f64::from(tasks.iter().flat_map(|t| &t.isolate).map(|s| day.isolates(s)).sum::<u32>());
    #[expect(clippy::cast_precision_loss, reason = "a few people")]
    let minute = TIES / (effort.max(1.0) * people.max(1) as f64);
    // Who may do it at all.
    let may = |t: &Task, w: usize| match w {
        w if w == together => people > 1 && day.people.iter().any(|h| t.kinds.is_subset(&h.may)),
        w => t.hands < 2 && t.kinds.is_subset(&day.people[w].may),
    };
    let mut x: BTreeMap<(usize, usize, u32), Variable> = BTreeMap::new();
    for (i, t) in tasks.iter().enumerate() {
        for w in (0..=people).filter(|w| may(t, *w)) {
            for level in levels.iter().filter(|l| **l >= t.wait) {
                #[expect(clippy::cast_precision_loss, reason = "a few people")]
                let workers = if w == together { people as f64 } else { 1.0 };
                let var = p.add_binary_var(f64::from(t.worth) - minute * workers * f64::from(t.minutes + 1));
                x.insert((i, w, *level), var);
            }
        }
    }
    let of = |i: usize| x.range((i, 0, 0)..(i + 1, 0, 0)).map(|(_, v)| (*v, 1.0)).collect::<Vec<_>>();
    let at_most = |p: &mut Problem, row: Vec<(Variable, f64)>, limit: f64| {
        if !row.is_empty() {
            p.add_constraint(row, ComparisonOp::Le, limit);
        }
    };
    // Each task once; of ways to the same end one.
    let mut instead: BTreeMap<&str, Vec<(Variable, f64)>> = BTreeMap::new();
    for (i, t) in tasks.iter().enumerate() {
        at_most(&mut p, of(i), 1.0);
        if let Some(name) = &t.instead {
            instead.entry(name).or_default().extend(of(i));
        }
    }
    for row in instead.into_values() {
        at_most(&mut p, row, 1.0);
    }
    for cut in cuts {
        let row: Vec<_> = cut.iter().flat_map(|i| of(*i)).collect();
        #[expect(clippy::cast_precision_loss, reason = "a few tasks")]
        at_most(&mut p, row, cut.len() as f64 - 1.0);
    }
    // A finding is closed once, by whichever task; and once without taking anything out of use.
    for (kept, unit) in [(false, None), (true, Some(KEEPS))] {
        let mut closed: BTreeMap<&str, Vec<(Variable, f64)>> = BTreeMap::new();
        for (i, t) in tasks.iter().enumerate().filter(|(_, t)| t.keeps || !kept) {
            for key in &t.closes {
                closed.entry(key).or_default().extend(of(i).into_iter().map(|(v, _)| (v, -1.0)));
            }
        }
        for (key, mut row) in closed {
            let worth = day.danger.get(key).copied().unwrap_or(0);
            if worth > 0 && !row.is_empty() {
                row.push((p.add_binary_var(f64::from(unit.unwrap_or(worth))), 1.0));
                at_most(&mut p, row, 0.0);
            }
        }
    }
    // Parts that the van has a number of.
    for (part, there) in &day.parts {
        let row = tasks.iter().enumerate().filter_map(|(i, t)| Some((i, f64::from(*t.parts.get(part)?))));
        let row: Vec<_> = row.flat_map(|(i, n)| of(i).into_iter().map(move |(v, _)| (v, n))).collect();
        at_most(&mut p, row, f64::from(*there));
    }
    // Isolated once for all; opened once, by one person or together.
    let mut isolated: BTreeMap<&str, Variable> = BTreeMap::new();
    let mut opened: BTreeMap<(&str, usize), Variable> = BTreeMap::new();
    for t in tasks {
        for s in &t.isolate {
            isolated.entry(s).or_insert_with(|| p.add_binary_var(-minute * f64::from(day.isolates(s))));
        }
        for z in &t.places {
            for w in 0..=people {
                opened.entry((z, w)).or_insert_with(|| p.add_binary_var(-minute * f64::from(day.opens(z))));
            }
        }
    }
    let places: BTreeSet<&str> = opened.keys().map(|(z, _)| *z).collect();
    for z in &places {
        at_most(&mut p, (0..=people).map(|w| (opened[&(*z, w)], 1.0)).collect(), 1.0);
    }
    for (&(i, w, _), &var) in &x {
        for s in &tasks[i].isolate {
            at_most(&mut p, vec![(var, 1.0), (isolated[s.as_str()], -1.0)], 0.0);
        }
        for z in &tasks[i].places {
            let mut row = vec![(var, 1.0), (opened[&(z.as_str(), together)], -1.0)];
            if w != together {
                row.push((opened[&(z.as_str(), w)], -1.0));
            }
            at_most(&mut p, row, 0.0);
        }
    }
    // After what comes before it, by the same worker or after what is done together.
    for (i, t) in tasks.iter().enumerate() {
        for before in &t.after {
            for (&(_, w, level), &var) in x.range((i, 0, 0)..(i + 1, 0, 0)) {
                let earlier = x
                    .range((*before, 0, 0)..(before + 1, 0, 0))
                    .filter(|((_, bw, bl), _)| (*bw == w && *bl >= level) || (*bw == together && w != together))
                    .map(|(_, v)| (*v, -1.0));
                let row: Vec<_> = std::iter::once((var, 1.0)).chain(earlier).collect();
                at_most(&mut p, row, 0.0);
            }
        }
    }
    // The hours of each person, up to each level and its wait.
    for person in 0..people {
        let before: Vec<(Variable, f64)> = isolated
            .iter()
            .map(|(s, v)| (*v, f64::from(day.isolates(s))))
            .chain(
                opened
                    .iter()
                    .filter(|((_, w), _)| *w == person || *w == together)
                    .map(|((z, _), v)| (*v, f64::from(day.opens(z)))),
            )
            .collect();
        let minutes = |keep: &dyn Fn(usize, u32) -> bool| {
            x.iter()
                .filter(|((_, w, l), _)| keep(*w, *l))
                .map(|((i, ..), v)| (*v, f64::from(tasks[*i].minutes)))
                .collect::<Vec<_>>()
        };
        let fits = |p: &mut Problem, own: Vec<(Variable, f64)>, last: Option<(Variable, u32)>| {
            let mut row: BTreeMap<usize, (Variable, f64)> = BTreeMap::new();
            for (v, n) in before.iter().copied().chain(own).chain(last.map(|(v, q)| (v, f64::from(q)))) {
                row.entry(v.idx()).or_insert((v, 0.0)).1 += n;
            }
            at_most(p, row.into_values().collect(), f64::from(day.minutes));
        };
        fits(&mut p, minutes(&|w, _| w == together || w == person), None);
        for (&(i, w, level), &var) in x.iter().filter(|((i, ..), _)| tasks[*i].wait > 0) {
            let wait = tasks[i].wait;
            if w == together {
                fits(&mut p, minutes(&|o, l| o == together && l >= level), Some((var, wait)));
            } else if w == person {
                fits(&mut p, minutes(&|o, l| o == together || (o == person && l >= level)), Some((var, wait)));
            }
        }
    }
    if x.is_empty() {
        return Ok(Chosen::default());
    }
    let mut options = SolveOptions::default();
    options.node_limit = Some(NODES);
    // Of no choice is the worth above this, so the share of it is at most half a unit.
    let all = tasks.iter().map(|t| t.worth + KEEPS).sum::<u32>() + day.danger.values().sum::<u32>();
    options.mip_gap = SLACK / f64::from(all.max(1));
    let outcome = p.solve_with(options).map_err(|e| e.to_string())?;
    let (optimal, bound) = (outcome.is_optimal(), outcome.stats().best_bound);
    let Ok(solution) = outcome.into_solution() else {
        return Err(format!("no plan was found within {NODES} steps of the search"));
    };
    let early = !optimal && bound.is_none_or(|b| b - solution.objective() > SLACK + 1e-6);
    let on = |v: Variable| solution.var_value(v) > 0.5;
    Ok(Chosen {
        done: x.iter().filter(|(_, v)| on(**v)).map(|(k, _)| *k).collect(),
        opened: opened.iter().filter(|(_, v)| on(**v)).map(|((z, w), _)| ((*z).to_owned(), *w)).collect(),
        bound: if early { Some(bound.unwrap_or(f64::INFINITY)) } else { None },
    })
}
