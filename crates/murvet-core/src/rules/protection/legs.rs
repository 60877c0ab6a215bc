//! Failing conductors as legs: each with the end from which the danger comes, and how far that end lies from where the
//! danger enters.

use super::super::Context;
use super::ground::Ground;
use super::graphs::{Built, allowed, exceeds};
use super::worst_end;
use crate::network::{Flow, Union};
use std::collections::{BTreeMap, HashMap, HashSet};

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

/// A way by which a leg is reached.
struct Reach {
    entry: usize,
    distance: f64,
    before: Option<(usize, u32)>,
}

/// Every failing conductor from every end at which too much arrives.
///
/// Failing conductors that meet without a device between them are a region. Danger enters a region where more than
/// allowed arrives from outside: with the conductors of the region taken away, and only those, for what fails elsewhere
/// still feeds this region through the devices between. From the entries the legs are followed nearest first, once from
/// the entries of a current without limit and once from all: the distance to a device counts from the source for the
/// one, from the change of size for the other. Complexity: a maximum flow for each leg and each piece of metal.
pub(super) fn legs(ctx: &Context, ground: &Ground, built: &mut Built, failing: &[(usize, usize)]) -> Vec<Leg> {
    let net = ctx.net;
    let mut at_pad: BTreeMap<u32, Vec<(usize, usize)>> = BTreeMap::new();
    let mut regions = Union::new(net.nodes.len());
    for &(w, e) in failing {
        let (a, b) = (net.edges[e].a, net.edges[e].b);
        for node in [a, b] {
            at_pad.entry(ground.pad[node]).or_default().push((w, node));
        }
        regions.join(ground.pad[a] as usize, ground.pad[b] as usize);
    }
    let edge_of: HashMap<usize, usize> = failing.iter().copied().collect();
    let mut inside: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for &(w, e) in failing {
        inside.entry(regions.find(ground.pad[net.edges[e].a] as usize)).or_default().extend(built.together(ctx, w, e));
    }
    // What arrives at each end of each failing conductor, worked out when first asked for.
    let mut arriving: HashMap<(usize, u32), Option<Flow>> = HashMap::new();
    let mut endangered = |built: &mut Built, wire: usize, node: usize| -> bool {
        let flow = arriving.entry((wire, ground.pad[node])).or_insert_with(|| {
            let own = built.together(ctx, wire, edge_of[&wire]);
            let flow = built.graph.max_flow(node, &own);
            exceeds(&flow, allowed(ctx, wire, &flow, built)).then_some(flow)
        });
        flow.is_some()
    };
    let (mut every, mut unlimited): (Vec<(usize, usize)>, Vec<(usize, usize)>) = (Vec::new(), Vec::new());
    for (&p, list) in &at_pad {
        let flow = built.graph.max_flow(list[0].1, &inside[&regions.find(p as usize)]);
        for &(w, node) in list {
            if exceeds(&flow, allowed(ctx, w, &flow, built)) && endangered(built, w, node) {
                every.push((w, node));
                if flow.unlimited() {
                    unlimited.push((w, node));
                }
            }
        }
    }
    let mut follow = |built: &mut Built, starts: &[(usize, usize)]| -> HashMap<(usize, u32), Reach> {
        let mut reached: HashMap<(usize, u32), Reach> = HashMap::new();
        // Nearest first. There are few legs, so a scan serves for a heap.
        let mut open: Vec<(f64, usize, usize, usize, Option<(usize, u32)>)> =
            starts.iter().map(|&(w, n)| (0.0, w, n, n, None)).collect();
        while let Some(next) = (0..open.len()).min_by(|&a, &b| open[a].0.total_cmp(&open[b].0).then(a.cmp(&b))) {
            let (distance, wire, node, entry, before) = open.remove(next);
            let here = (wire, ground.pad[node]);
            if reached.contains_key(&here) || !endangered(built, wire, node) {
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
    let from_sources = follow(built, &unlimited);
    let mut from_all = follow(built, &every);
    // Conductors that several feeds overload together have no single entry: each is judged from its worse end.
    let covered: HashSet<usize> = from_sources.keys().chain(from_all.keys()).map(|k| k.0).collect();
    for &(w, e) in failing.iter().filter(|(w, _)| !covered.contains(w)) {
        if let Some((node, flow)) = worst_end(ctx, built, w, e) {
            arriving.insert((w, ground.pad[node]), Some(flow));
            from_all.insert((w, ground.pad[node]), Reach { entry: node, distance: 0.0, before: None });
        }
    }
    let mut keys: Vec<(usize, u32)> = arriving.iter().filter(|(_, f)| f.is_some()).map(|(k, _)| *k).collect();
    keys.sort_unstable();
    let mut list: Vec<(Leg, Option<(usize, u32)>)> = Vec::new();
    for key in keys {
        let Some(Some(flow)) = arriving.get(&key) else { continue };
        let first = if flow.unlimited() { from_sources.get(&key) } else { None };
        let Some(reach) = first.or_else(|| from_all.get(&key)) else { continue };
        let edge = &net.edges[edge_of[&key.0]];
        let node = if ground.pad[edge.a] == key.1 { edge.a } else { edge.b };
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
    list.sort_by(|(a, _), (b, _)| a.distance.total_cmp(&b.distance).then(a.wire.cmp(&b.wire)).then(a.near.cmp(&b.near)));
    let place: HashMap<(usize, u32), usize> = list.iter().enumerate().map(|(i, (l, _))| ((l.wire, l.near), i)).collect();
    let before: Vec<Option<usize>> = list.iter().map(|(_, b)| b.and_then(|b| place.get(&b).copied())).collect();
    let mut legs: Vec<Leg> = list.into_iter().map(|(l, _)| l).collect();
    for i in 0..legs.len() {
        // What comes before a leg lies nearer, or as near at a conductor without length: it is settled already.
        let Some(b) = before[i].filter(|b| *b < i) else { continue };
        legs[i].before = Some(b);
        if ctx.ampacity(legs[b].wire).iz_a <= ctx.ampacity(legs[i].wire).iz_a * (1.0 + 1e-6) {
            legs[i].reduced = legs[b].reduced + net.wires[legs[b].wire].length_m;
        }
    }
    legs
}
