//! Failing conductors as legs: each with the end from which the danger comes, and how far that end lies from where the
//! danger enters.

use super::super::Context;
use super::graphs::{Built, allowed, exceeds};
use super::ground::Ground;
use crate::network::Flow;
use std::collections::{BTreeMap, HashMap};

/// A failing conductor, seen from an end at which more arrives than it may carry.
pub(super) struct Leg {
    pub(super) wire: usize,
    /// The node at which the danger arrives.
    pub(super) node: usize,
    /// Metal of that node, and of the far end.
    pub(super) near: u32,
    pub(super) far: u32,
    /// Where the danger enters the failing conductors.
    pub(super) entry: usize,
    /// From there to `node`, m.
    pub(super) distance: f64,
    /// From the last reduction of size to `node`, m.
    pub(super) reduced: f64,
    /// The leg by which the danger arrives.
    pub(super) before: Option<usize>,
    /// What arrives at `node` with the conductor taken away.
    pub(super) flow: Flow,
}

/// A conductor and the node at which danger enters it.
type Start = (usize, usize);

/// A leg still to be followed: the way to it, m, its conductor and node, the entry, and the leg before.
type Step = (f64, usize, usize, usize, Option<(usize, u32)>);

/// A way by which a leg is reached.
struct Reach {
    entry: usize,
    distance: f64,
    before: Option<(usize, u32)>,
}

/// Every failing conductor from every end at which too much arrives.
///
/// Danger enters where more than allowed arrives otherwise than through a conductor that is itself endangered. From the
/// entries the legs are followed nearest first, once from the entries of a current without limit and once from all: the
/// distance to a device counts from the source for the one, from the change of size for the other. Complexity: two
/// maximum flows for each end.
pub(super) fn legs(ctx: &Context, ground: &Ground, built: &mut Built, failing: &[(usize, usize)]) -> Vec<Leg> {
    let net = ctx.net;
    let mut at_pad: BTreeMap<u32, Vec<(usize, usize)>> = BTreeMap::new();
    for &(w, e) in failing {
        for node in [net.edges[e].a, net.edges[e].b] {
            at_pad.entry(ground.pad[node]).or_default().push((w, node));
        }
    }
    let edge_of: HashMap<usize, usize> = failing.iter().copied().collect();
    // What arrives at each end of each failing conductor, where that is too much.
    let mut arriving: HashMap<(usize, u32), Flow> = HashMap::new();
    for (&p, list) in &at_pad {
        for &(w, node) in list {
            let own = built.together(ctx, w, edge_of[&w]);
            let flow = built.graph.max_flow(node, &own);
            if exceeds(&flow, allowed(ctx, w, &flow, built)) {
                arriving.insert((w, p), flow);
            }
        }
    }
    let mut every: Vec<Start> = Vec::new();
    let mut unlimited: Vec<Start> = Vec::new();
    for (&p, list) in &at_pad {
        // Conductors that bring a danger here, which answer for it themselves.
        let bring = list.iter().filter(|(w, _)| arriving.contains_key(&(*w, ground.other_end(ctx, edge_of[w], p))));
        let bring: Vec<usize> = bring.flat_map(|(w, _)| built.together(ctx, *w, edge_of[w])).collect();
        for &(w, node) in list.iter().filter(|(w, _)| arriving.contains_key(&(*w, p))) {
            let own = built.together(ctx, w, edge_of[&w]);
            let deleted: Vec<usize> = own.into_iter().chain(bring.iter().copied()).collect();
            let flow = built.graph.max_flow(node, &deleted);
            if exceeds(&flow, allowed(ctx, w, &flow, built)) {
                every.push((w, node));
                if flow.unlimited() {
                    unlimited.push((w, node));
                }
            }
        }
    }
    let follow = |starts: &[Start]| -> HashMap<(usize, u32), Reach> {
        let mut reached: HashMap<(usize, u32), Reach> = HashMap::new();
        // Nearest first. There are few legs, so a scan serves for a heap.
        let mut open: Vec<Step> = starts.iter().map(|&(w, n)| (0.0, w, n, n, None)).collect();
        while let Some(next) = (0..open.len()).min_by(|&a, &b| open[a].0.total_cmp(&open[b].0).then(a.cmp(&b))) {
            let (distance, wire, node, entry, before) = open.remove(next);
            let here = (wire, ground.pad[node]);
            if reached.contains_key(&here) || !arriving.contains_key(&here) {
                continue;
            }
            reached.insert(here, Reach { entry, distance, before });
            let far = ground.other_end(ctx, edge_of[&wire], here.1);
            for &(w, n) in at_pad.get(&far).into_iter().flatten().filter(|(w, _)| *w != wire) {
                open.push((distance + net.wires[wire].length_m, w, n, entry, Some(here)));
            }
        }
        reached
    };
    let from_sources = follow(&unlimited);
    let from_all = follow(&every);
    let mut keys: Vec<(usize, u32)> = arriving.keys().copied().collect();
    keys.sort_unstable();
    let mut list: Vec<(Leg, Option<(usize, u32)>)> = Vec::new();
    for key in keys {
        let flow = &arriving[&key];
        let edge = &net.edges[edge_of[&key.0]];
        let node = if ground.pad[edge.a] == key.1 { edge.a } else { edge.b };
        let first = if flow.unlimited() { from_sources.get(&key) } else { None };
        // What several feeds overload together has no single entry: it begins where it is.
        let here = Reach { entry: node, distance: 0.0, before: None };
        let reach = first.or_else(|| from_all.get(&key)).unwrap_or(&here);
        let leg = Leg {
            wire: key.0,
            node,
            near: key.1,
            far: ground.other_end(ctx, edge_of[&key.0], key.1),
            entry: reach.entry,
            distance: reach.distance,
            reduced: 0.0,
            before: None,
            flow: flow.clone(),
        };
        list.push((leg, reach.before));
    }
    list.sort_by(|(a, _), (b, _)| {
        a.distance.total_cmp(&b.distance).then(a.wire.cmp(&b.wire)).then(a.near.cmp(&b.near))
    });
    let place: HashMap<(usize, u32), usize> =
        list.iter().enumerate().map(|(i, (l, _))| ((l.wire, l.near), i)).collect();
    let before: Vec<Option<usize>> = list.iter().map(|(_, b)| b.and_then(|b| place.get(&b).copied())).collect();
    let mut legs: Vec<Leg> = list.into_iter().map(|(l, _)| l).collect();
    for i in 0..legs.len() {
        // What comes before a leg lies nearer, or as near at a conductor without length.
        legs[i].before = before[i].filter(|b| *b < i);
    }
    for (leg, reduced) in since_reduction(ctx, &legs).into_iter().enumerate() {
        legs[leg].reduced = reduced;
    }
    legs
}

/// For each leg the way from the last change to its size or a smaller one, m: of several conductors that bring the
/// danger the longest way. Depth first with a stack of its own; a way that comes round to itself is not followed again.
fn since_reduction(ctx: &Context, legs: &[Leg]) -> Vec<f64> {
    let iz = |l: &Leg| ctx.ampacity(l.wire).iz_a;
    let mut into: HashMap<u32, Vec<usize>> = HashMap::new();
    for (i, l) in legs.iter().enumerate() {
        into.entry(l.far).or_default().push(i);
    }
    let leads: Vec<Vec<usize>> = legs
        .iter()
        .map(|l| {
            let at = into.get(&l.near).into_iter().flatten().copied();
            let same = |b: &usize| {
                let b = &legs[*b];
                b.wire != l.wire && b.flow.unlimited() == l.flow.unlimited() && iz(b) <= iz(l) * (1.0 + 1e-6)
            };
            at.filter(same).collect()
        })
        .collect();
    let mut done: Vec<Option<f64>> = vec![None; legs.len()];
    let mut open = vec![false; legs.len()];
    for start in 0..legs.len() {
        let mut stack = vec![start];
        while let Some(&i) = stack.last() {
            open[i] = true;
            if done[i].is_none()
                && let Some(next) = leads[i].iter().find(|b| done[**b].is_none() && !open[**b])
            {
                stack.push(*next);
                continue;
            }
            let way = |b: &usize| Some(done[*b]? + ctx.net.wires[legs[*b].wire].length_m);
            done[i] = done[i].or_else(|| Some(leads[i].iter().filter_map(way).fold(0.0, f64::max)));
            open[i] = false;
            stack.pop();
        }
    }
    done.into_iter().map(Option::unwrap_or_default).collect()
}
