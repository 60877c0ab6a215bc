//! Which conductors could carry more than they may, and why.
//!
//! For every state: delete a conductor, take the maximum flow to each of its two ends, and compare the
//! larger one with the ampacity. The ends are never added up: a fault lies somewhere on the conductor,
//! and each part of it carries what comes from its own end. Conductors that fail are then followed
//! from the terminals where the danger enters them, to see whether a device ends each path within the
//! distance that the profile allows.
//!
//! Returns carry what their forward devices let through, so for them the flow runs through the bodies
//! of the consumers and ends at the negative posts.

mod follow;
mod graphs;
mod ground;
mod legs;
mod neutrals;
mod returns;

use super::Context;
use super::views::{Around, Surroundings};
use crate::network::{EdgeKind, Flow, INFINITE};
use crate::states::State;
use follow::{Found, follow};
pub(super) use graphs::Built;
use graphs::{allowed, exceeds, forward, forward_of, forward_wire, wires_between};
pub(crate) use graphs::{device_words as device_name, positive as is_live_side};
pub use neutrals::{Neutral, neutrals};
use returns::judge_returns;
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet, HashSet};

/// What is wrong with a group of conductors.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Verdict {
    /// The cable cannot carry what hangs on it, and no device keeps the current within it.
    TooSmall,
    /// The device that limits the current is larger than the cable allows.
    Oversized,
    /// The first device is farther from the source than allowed.
    TooFar,
    /// No device at all on some way from the source.
    Missing,
}

/// Something that stands at its limit in the minimum cut.
#[derive(Debug, Clone, PartialEq)]
pub struct Limiter {
    /// In words with its figure.
    pub words: String,
    /// The device, as component and way, when it is one.
    pub device: Option<(usize, Option<String>)>,
}

/// Conductors that fail for one reason.
#[derive(Debug, Clone)]
pub struct Group {
    /// What is wrong.
    pub verdict: Verdict,
    /// The conductors from the entry on; the first one is the subject.
    pub wires: Vec<usize>,
    /// The node where the danger enters.
    pub entry: usize,
    /// What could flow, A.
    pub flow_a: f64,
    /// The figure is what the devices after the conductors let out, not what arrives at the entry.
    pub let_out: bool,
    /// What the profile allows for the weakest conductor, A.
    pub allowed_a: f64,
    /// The weakest conductor.
    pub weakest: usize,
    /// What limits the flow.
    pub limiters: Vec<Limiter>,
    /// Longest way from the entry to a device, m, and the limit with its source.
    pub distance: Option<(f64, f64, String)>,
    /// What stands at the ends of the failing paths, in words.
    pub ends: Vec<String>,
    /// Those of the ends that no device stands before.
    pub bare: Vec<String>,
    /// Current of what hangs on it, A.
    pub demand_a: Option<f64>,
    /// How the demand was found.
    pub demand_working: Vec<String>,
    /// Index of the state in which it shows first.
    pub state: usize,
}

/// All groups of failing conductors over all states, each once.
///
/// Conductors that pass with every contact closed and every source running pass in every state,
/// because capacities only fall when something opens; only the others are looked at state by state,
/// and only in the widest states.
pub fn analyse(ctx: &Context) -> Vec<Group> {
    let mut found = Found::new();
    let mut all = forward(ctx, None);
    let candidates: Vec<(usize, usize)> = wires_between(ctx, |e| forward_wire(ctx, e))
        .filter(|&(w, e)| worst_end(ctx, &mut all, w, e).is_some())
        .collect();
    let dc = ctx.dc_states();
    let surroundings = Surroundings::new(ctx.net);
    // What was judged: the first conductor of a part, with all that hangs together with it.
    let mut judged: HashSet<(usize, Around)> = HashSet::new();
    for (index, state) in ctx.widest().filter(|_| !candidates.is_empty()) {
        // What flows on the DC side was judged in the first of the states that look alike from there.
        let fresh = |e: usize| dc.contains(&index) || ctx.net.nodes[ctx.net.edges[e].a].is_mains_side();
        let live = |e: usize| state.live.sources_at(ctx.net, ctx.net.edges[e].a).next().is_some();
        let mut open: Vec<(usize, usize)> = candidates.iter().copied().filter(|&(_, e)| fresh(e) && live(e)).collect();
        let part = |e: usize| state.live.part[ctx.net.edges[e].a];
        let mut parts: BTreeMap<u32, bool> = BTreeMap::new();
        open.retain(|&(_, e)| {
            let new = || judged.insert((e, surroundings.of(state, ctx.net.edges[e].a)));
            *parts.entry(part(e)).or_insert_with(new)
        });
        if open.is_empty() {
            continue;
        }
        let mut built = forward(ctx, Some(state));
        // Two AC sources on one conductor are backfeed, which is reported as such; each of them alone is
        // judged in its own state.
        let parallel = |e: usize| {
            let at = state.live.sources_at(ctx.net, ctx.net.edges[e].a);
            at.filter(|s| ctx.net.sources[*s].kind.is_ac()).count() > 1
        };
        let failing: Vec<(usize, usize)> =
            open.into_iter().filter(|&(w, e)| !parallel(e) && worst_end(ctx, &mut built, w, e).is_some()).collect();
        if !failing.is_empty() {
            follow(ctx, state, index, &mut built, &failing, &mut found);
        }
    }
    let mut groups: Vec<Group> = both_ends(found);
    for group in &mut groups {
        group.state = earliest(ctx, group);
    }
    judge_returns(ctx, &mut groups);
    groups
}

/// What is wrong with one conductor from both its ends in the same way is one group, told from the worse of them.
fn both_ends(found: Found) -> Vec<Group> {
    let mut one: BTreeMap<(usize, Verdict), Group> = BTreeMap::new();
    for group in found.into_values() {
        let key = (group.wires[0], group.verdict);
        let (mut group, other) = match one.remove(&key) {
            Some(old) if old.flow_a >= group.flow_a => (old, Some(group)),
            old => (group, old),
        };
        if let Some(other) = other {
            for (mine, more) in [(&mut group.ends, other.ends), (&mut group.bare, other.bare)] {
                mine.extend(more);
                mine.sort();
                mine.dedup();
            }
            group.wires.extend(other.wires);
            let mut seen = BTreeSet::new();
            group.wires.retain(|w| seen.insert(*w));
        }
        one.insert(key, group);
    }
    one.into_values().collect()
}

/// At most so many states before the one in which a conductor was found are looked at for a shorter way to it.
const EARLIER: usize = 64;

/// The earliest state in which as much as found can already flow at the entry, so that the way to it is a
/// shortest one.
fn earliest(ctx: &Context, group: &Group) -> usize {
    let Some(edge) = ctx.net.edges.iter().position(|e| e.what == EdgeKind::Wire(group.wires[0])) else {
        return group.state;
    };
    let surroundings = Surroundings::new(ctx.net);
    let mut asked: HashSet<Around> = HashSet::new();
    for (index, state) in ctx.states.states.iter().enumerate().take(group.state.min(EARLIER)) {
        if !asked.insert(surroundings.of(state, group.entry)) {
            continue;
        }
        let mut built = forward(ctx, Some(state));
        let whole = built.together(ctx, group.wires[0], edge);
        if built.graph.max_flow(group.entry, &whole).amps >= group.flow_a * (1.0 - 1e-9) {
            return index;
        }
    }
    group.state
}

/// The end of a wire with the larger flow, when that is more than allowed: node and flow.
fn worst_end(ctx: &Context, built: &mut Built, wire: usize, edge: usize) -> Option<(usize, Flow)> {
    let group = built.together(ctx, wire, edge);
    if group.is_empty() {
        return None;
    }
    let (a, b) = (ctx.net.edges[edge].a, ctx.net.edges[edge].b);
    [a, b]
        .into_iter()
        .filter_map(|end| {
            if built.graph.within(end, &group, ctx.ampacity(wire).iz_a) {
                return None;
            }
            let flow = built.graph.max_flow(end, &group);
            let limit = allowed(ctx, wire, &flow, built);
            exceeds(&flow, limit).then_some((end, flow))
        })
        .max_by(|x, y| x.1.amps.total_cmp(&y.1.amps))
}

/// The larger of the flows to the two ends of a conductor, those in parallel with it taken away as well; nothing
/// for a conductor that is neither positive nor line.
fn larger_flow(ctx: &Context, built: &mut Built, wire: usize) -> Option<Flow> {
    let edge = ctx.net.edges.iter().position(|e| e.what == EdgeKind::Wire(wire))?;
    let e = &ctx.net.edges[edge];
    let group = built.together(ctx, wire, edge);
    if group.is_empty() || !forward_wire(ctx, e) {
        return None;
    }
    let [a, b] = [e.a, e.b].map(|end| built.graph.max_flow(end, &group));
    Some(if a.amps >= b.amps { a } else { b })
}

/// What could flow in a conductor in one state, A, and what holds it; nothing for a conductor that is
/// neither positive nor line.
pub fn flow_in(ctx: &Context, state: &State, wire: usize) -> Option<(f64, Vec<String>)> {
    let mut built = forward(ctx, Some(state));
    let flow = larger_flow(ctx, &mut built, wire)?;
    Some((flow.amps, built.held(ctx, &flow)))
}

/// The greatest current that can arrive at any of some nodes with some edges taken away, A, in the state where
/// it is greatest, and what holds it. States are looked at one by one only when everything closed at once would
/// give more than `above`. `stores` leaves out the sources that convert.
pub fn greatest_into(
    ctx: &Context,
    nodes: &[usize],
    without: &[usize],
    stores: bool,
    above: f64,
) -> (f64, Vec<String>) {
    greatest_where(ctx, nodes, (without, stores), above, |_| true)
}

/// The greatest current that can pass a contact or joint, A, in a state in which it is closed, and what holds it.
pub(super) fn greatest_through(ctx: &Context, edge: usize, above: f64) -> (f64, Vec<String>) {
    let e = &ctx.net.edges[edge];
    greatest_where(ctx, &[e.a, e.b], (&[edge], false), above, |s| s.closed(ctx.net, edge))
}

fn greatest_where(
    ctx: &Context,
    nodes: &[usize],
    (without, stores): (&[usize], bool),
    above: f64,
    fits: impl Fn(&State) -> bool,
) -> (f64, Vec<String>) {
    let graph = |state: Option<&State>| forward_of(ctx, state, |s| !stores || !ctx.net.sources[s].kind.converts());
    let ask = |built: &mut Built| {
        let deleted: Vec<usize> = without.iter().filter_map(|&e| built.handle[e]).collect();
        let flows = nodes.iter().map(|&n| built.graph.max_flow(n, &deleted));
        let largest = flows.max_by(|a, b| a.amps.total_cmp(&b.amps)).unwrap_or(Flow { amps: 0.0, cut: Vec::new() });
        (largest.amps, built.held(ctx, &largest))
    };
    let whole = if stores { &ctx.everything_stored } else { &ctx.everything };
    let bound: (f64, Vec<String>) = ask(&mut whole.get_or_init(|| RefCell::new(graph(None))).borrow_mut());
    if bound.0 <= above {
        return bound;
    }
    // What flows without limit is a missing device, found as such; once that is fitted, what it lets through counts.
    let fitted = if bound.0 >= INFINITE * 0.5 { fitted(ctx) } else { Vec::new() };
    let graph = |state: Option<&State>| {
        let mut built = graph(state);
        built.fit(&fitted);
        built
    };
    // Two AC sources on one conductor are backfeed, and found as that.
    let parallel = |s: &State| {
        let at = nodes.iter().flat_map(|n| s.live.sources_at(ctx.net, *n));
        at.filter(|i| ctx.net.sources[*i].kind.is_ac()).collect::<BTreeSet<_>>().len() > 1
    };
    let dc = nodes.iter().all(|n| !ctx.net.nodes[*n].is_mains_side());
    let alike = |i: &usize| !dc || ctx.dc_states().contains(i);
    let surroundings = Surroundings::new(ctx.net);
    let mut asked: HashSet<Vec<Around>> = HashSet::new();
    let mut new = |s: &State| asked.insert(nodes.iter().map(|n| surroundings.of(s, *n)).collect());
    let by_state = ctx
        .widest()
        .filter(|(i, s)| alike(i) && !parallel(s) && fits(s) && new(s))
        .map(|(_, s)| ask(&mut graph(Some(s))));
    by_state.max_by(|a, b| a.0.total_cmp(&b.0)).unwrap_or_default()
}

/// What appliances can ask for at a terminal in one state, A: their rated currents, each as far as the devices on its way
/// let it through.
pub(super) fn asked_at(ctx: &Context, state: &State, node: usize) -> f64 {
    ground::Ground::new(ctx, state).asked_at(node, &[])
}

/// The devices that are to be fitted where one is missing or too far: the conductors' edges and the largest device each
/// may have, A.
pub(super) fn fitted(ctx: &Context) -> Vec<(usize, f64)> {
    fitted_for(ctx, ctx.protection())
}

fn fitted_for(ctx: &Context, groups: &[Group]) -> Vec<(usize, f64)> {
    let roots = groups.iter().filter(|g| matches!(g.verdict, Verdict::Missing | Verdict::TooFar));
    let mut list = Vec::new();
    for root in roots.map(|g| g.wires[0]) {
        let own = ctx.parallel(root);
        let edges = ctx.net.edges.iter().enumerate();
        let same = edges.filter(|(_, e)| matches!(e.what, EdgeKind::Wire(w) if own.contains(&w)));
        list.extend(same.map(|(i, _)| (i, ctx.ampacity(root).device_a / own.len() as f64)));
    }
    list
}

/// What could flow in a conductor at the most, A, with everything closed and running; nothing when it is without
/// limit, or the conductor is neither positive nor line.
pub fn greatest_flow(ctx: &Context, wire: usize) -> Option<f64> {
    let whole = ctx.everything.get_or_init(|| RefCell::new(forward(ctx, None)));
    let flow = larger_flow(ctx, &mut whole.borrow_mut(), wire)?;
    (!flow.unlimited()).then_some(flow.amps)
}
