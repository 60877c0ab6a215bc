//! Neutral conductors: what the hots that share them can send back.
//!
//! A neutral carries the phasor sum of its hots. Hots of opposite phase send back the difference, so of the two
//! the larger alone is the bound; hots in phase, or all on one leg, send back the sum. So for each source the flow
//! is taken once for its first hot and once for its second, out along the hot side, through outlets and
//! appliances, and back along the neutrals up to the source's own neutral terminal.

use super::super::Context;
use super::graphs::{Built, add_edge, allowed, exceeds, feed, positive, wires_between};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{Edge, EdgeKind, Resistor, Union, nominal_system, solve};
use crate::profiles::resistance_ohm_per_m;
use crate::states::State;
use crate::units::Dimension;
use std::collections::{HashMap, HashSet};

/// A neutral that its hots can load beyond what it carries.
#[derive(Debug, Clone)]
pub struct Neutral {
    /// The conductor.
    pub wire: usize,
    /// What can return along it, A.
    pub flow_a: f64,
    /// What the profile allows, A.
    pub allowed_a: f64,
    /// What holds the flow, in words.
    pub held: Vec<String>,
    /// Index of the state in which it shows first.
    pub state: usize,
    /// It lies in a ring of neutrals, and its part of each current was found by resistance.
    pub shared: bool,
}

fn neutral_edge(ctx: &Context, e: &Edge) -> bool {
    let neutral = |n: usize| ctx.net.nodes[n].duty == Role::Neutral;
    neutral(e.a) && neutral(e.b) && !matches!(e.what, EdgeKind::Bond { .. })
}

/// The hot side of one source, and of its neutrals those that are wanted. The ways through what takes current are still to be
/// added.
fn hot_side(ctx: &Context, state: Option<&State>, source: usize, neutrals: impl Fn(&Edge) -> bool) -> Built {
    let net = ctx.net;
    let mut built = Built::empty(ctx);
    for (i, edge) in net.edges.iter().enumerate() {
        let closed = state.is_none_or(|s| s.closed(net, i));
        let out = positive(net.nodes[edge.a].duty) && positive(net.nodes[edge.b].duty);
        if closed && (out || neutrals(edge)) && !matches!(edge.what, EdgeKind::Bond { .. }) {
            add_edge(&mut built, i, edge);
        }
    }
    feed(ctx, &mut built, source);
    built
}

/// The graph of one hot of one source: out along the hot side, and back along the neutrals up to its own terminal.
fn graph(ctx: &Context, state: Option<&State>, source: usize) -> Built {
    let home = ctx.net.sources[source].minus;
    let back = |edge: &Edge| neutral_edge(ctx, edge) && home != edge.a && home != edge.b;
    let mut built = hot_side(ctx, state, source, back);
    for (line, neutral) in consuming(ctx) {
        built.graph.one_way(line, neutral, takes(ctx, line));
    }
    built
}

/// Hot and neutral terminal of everything that takes current between them.
fn consuming(ctx: &Context) -> Vec<(usize, usize)> {
    let net = ctx.net;
    let mut pairs: Vec<(usize, usize)> = Vec::new();
    for (n, node) in net.nodes.iter().enumerate().filter(|(_, n)| n.role == Role::Line) {
        let Some(component) = node.component else { continue };
        let Some((port, _)) = node.terminal.split_once('.') else { continue };
        let consumes = match ctx.rig.components[component].kind {
            Kind::Outlet | Kind::AcLoad | Kind::Charger => port == "ac",
            Kind::GfciOutlet => port == "load",
            Kind::InverterCharger => port == "in" || port == "in2",
            _ => false,
        };
        if consumes && let Some(neutral) = net.node(component, &format!("{port}.N")) {
            pairs.push((n, neutral));
        }
    }
    pairs
}

/// The most that can be drawn at a hot terminal, A: what is plugged into an outlet nobody knows, but an inverter-charger's
/// input takes for itself what its charger draws.
fn takes(ctx: &Context, line: usize) -> f64 {
    let net = ctx.net;
    let charger = net.sources.iter().find(|s| s.kind == SourceKind::Charger && s.input.is_some_and(|i| i.0 == line));
    let Some(s) = charger.filter(|s| ctx.rig.components[s.component].kind == Kind::InverterCharger) else {
        return f64::INFINITY;
    };
    // At 1.2 times its nominal voltage, as in its bulk stage.
    let own = ctx.rig.components[s.component].si("efficiency", Dimension::Ratio);
    let efficiency = own.unwrap_or(ctx.profile.efficiency.value).clamp(0.05, 1.0);
    s.limit_a * 1.2 * nominal_system(s.volts) / efficiency / ctx.profile.ac_v.value
}

/// What can stand in a neutral that lies in a ring of neutrals, as the common bars of two panels joined twice make one.
///
/// A current that enters the neutrals at one place splits by resistance, so the current here is the sum of what enters at
/// each place times a share of the place. What can enter at a set of places together is a greatest flow, and a sum with
/// falling weights over such sets is greatest when taken greedily (Edmonds, 1970): the places in order of their shares,
/// each difference of shares times what the places so far can be given. One solution gives all shares: by reciprocity the
/// potentials of a current sent through the conductor itself.
///
/// Complexity: one solution, and one flow for each different share.
fn by_share(ctx: &Context, state: &State, source: usize, edge: usize) -> Option<(f64, Vec<String>)> {
    let net = ctx.net;
    let home = net.sources[source].minus;
    let closed = |i: usize, e: &Edge| neutral_edge(ctx, e) && state.closed(net, i);
    let mut metal = Union::new(net.nodes.len());
    for (_, e) in net.edges.iter().enumerate().filter(|(i, e)| closed(*i, e)) {
        if !matches!(e.what, EdgeKind::Wire(_)) {
            metal.join(e.a, e.b);
        }
    }
    let at = metal.into_labels();
    let wires = net.edges.iter().enumerate().filter(|(i, e)| closed(*i, e)).filter_map(|(i, e)| match e.what {
        EdgeKind::Wire(w) if at[e.a] != at[e.b] => {
            Some((i, Resistor { a: at[e.a] as usize, b: at[e.b] as usize, ohm: ohm(ctx, w) }))
        }
        _ => None,
    });
    let all: Vec<(usize, Resistor)> = wires.collect();
    let own = all.iter().find(|(i, _)| *i == edge)?.1;
    // What hangs together with the source's neutral; the rest carries nothing.
    let mut reach = Union::new(net.nodes.len());
    for (_, r) in &all {
        reach.join(r.a, r.b);
    }
    let label = reach.into_labels();
    let root = at[home] as usize;
    let mut index: HashMap<usize, usize> = HashMap::from([(root, 0)]);
    let mut here = Vec::new();
    for (_, r) in all.iter().filter(|(_, r)| label[r.a] == label[root]) {
        let mut of = |n: usize| {
            let next = index.len();
            *index.entry(n).or_insert(next)
        };
        here.push(Resistor { a: of(r.a), b: of(r.b), ohm: r.ohm });
    }
    let (a, b) = (*index.get(&own.a)?, *index.get(&own.b)?);
    let solved = solve(index.len(), &here, &[(0, 0.0)], &[(a, -1.0), (b, 1.0)]).ok()?;
    let share = |neutral: usize| index.get(&(at[neutral] as usize)).map_or(0.0, |n| solved.volts[*n] / own.ohm);
    let mut worst: Option<(f64, Vec<String>)> = None;
    for sign in [1.0, -1.0] {
        let mut places: Vec<(f64, usize, usize)> =
            consuming(ctx).into_iter().map(|(line, neutral)| (sign * share(neutral), line, neutral)).collect();
        places.retain(|p| p.0 > 1e-6);
        places.sort_by(|x, y| y.0.total_cmp(&x.0));
        let mut built = hot_side(ctx, Some(state), source, |_| false);
        let (mut sum, mut held) = (0.0, Vec::new());
        for n in 0..places.len() {
            built.graph.one_way(places[n].1, home, takes(ctx, places[n].1));
            let next = places.get(n + 1).map_or(0.0, |p| p.0);
            if places[n].0 - next > 1e-6 {
                let flow = built.graph.max_flow(home, &[]);
                sum += (places[n].0 - next) * flow.amps;
                held = built.held(ctx, &flow);
            }
        }
        if worst.as_ref().is_none_or(|w| sum > w.0) {
            worst = Some((sum, held));
        }
    }
    worst
}

/// Resistance of a neutral, ohm; a joint's where its length was not seen to be more.
fn ohm(ctx: &Context, wire: usize) -> f64 {
    let w = &ctx.net.wires[wire];
    (w.length_m * resistance_ohm_per_m(w.laid.area_mm2, w.gauge)).clamp(1e-5, 1e4)
}

/// Whether both ends of a neutral hang together without it and without the source's own terminal.
fn in_ring(ctx: &Context, state: &State, edge: usize) -> bool {
    let net = ctx.net;
    let mut union = Union::new(net.nodes.len());
    for (i, e) in net.edges.iter().enumerate() {
        if i != edge && neutral_edge(ctx, e) && state.closed(net, i) {
            union.join(e.a, e.b);
        }
    }
    union.same(net.edges[edge].a, net.edges[edge].b)
}

/// Whether a source's neutral terminal is reached along neutrals without passing one node.
fn leads(ctx: &Context, state: Option<&State>, from: usize, without: usize, home: usize) -> bool {
    let net = ctx.net;
    let mut seen = HashSet::from([from, without]);
    let mut stack = vec![from];
    while let Some(node) = stack.pop() {
        if node == home {
            return true;
        }
        for (i, edge) in net.edges.iter().enumerate() {
            if neutral_edge(ctx, edge) && state.is_none_or(|s| s.closed(net, i)) {
                for (a, b) in [(edge.a, edge.b), (edge.b, edge.a)] {
                    if a == node && seen.insert(b) {
                        stack.push(b);
                    }
                }
            }
        }
    }
    false
}

/// Every neutral that its hots can overload, each once.
///
/// With every contact closed each neutral gets at least what a source gives it in any state, so only those that fail
/// then are looked at state by state.
pub fn neutrals(ctx: &Context) -> Vec<Neutral> {
    let net = ctx.net;
    let ac: Vec<usize> = (0..net.sources.len()).filter(|&s| net.sources[s].kind.is_ac()).collect();
    // A hot that fails for its own reason takes its neutral with it, as far as that carries no more than the hot.
    let groups = ctx.protection();
    let with_hot = |n: &Neutral| {
        let same = groups.iter().filter(|g| g.wires.iter().any(|w| ctx.same_cable(*w, n.wire)));
        same.into_iter().any(|g| g.flow_a * (1.0 + 1e-6) >= n.flow_a)
    };
    let wires: Vec<(usize, usize)> = wires_between(ctx, |e| neutral_edge(ctx, e)).collect();
    let mut found: Vec<Neutral> = Vec::new();
    let judge = |state: Option<&State>, source: usize, of: &[(usize, usize)]| -> Vec<Neutral> {
        let home = net.sources[source].minus;
        let mut built = graph(ctx, state, source);
        let mut list = Vec::new();
        for &(wire, edge) in of {
            let e = &net.edges[edge];
            let own: Vec<usize> = built.together(ctx, wire, edge);
            for (here, beyond) in [(e.a, e.b), (e.b, e.a)] {
                if here == home || built.graph.within(here, &own, ctx.ampacity(wire).iz_a) {
                    continue;
                }
                let flow = built.graph.max_flow(here, &own);
                let allowed_a = allowed(ctx, wire, &flow, &built);
                if exceeds(&flow, allowed_a) && leads(ctx, state, beyond, here, home) {
                    let held = built.held(ctx, &flow);
                    let ring = state.filter(|s| own.len() <= 1 && in_ring(ctx, s, edge));
                    match ring.and_then(|s| by_share(ctx, s, source, edge)) {
                        Some((amps, _)) if amps <= allowed_a * (1.0 + 1e-6) => {}
                        Some((amps, held)) => {
                            list.push(Neutral { wire, flow_a: amps, allowed_a, held, state: 0, shared: true });
                        }
                        None => {
                            list.push(Neutral { wire, flow_a: flow.amps, allowed_a, held, state: 0, shared: false });
                        }
                    }
                }
            }
        }
        list
    };
    let mut candidates: HashSet<usize> = HashSet::new();
    for &source in &ac {
        candidates.extend(judge(None, source, &wires).into_iter().map(|n| n.wire));
    }
    let open: Vec<(usize, usize)> = wires.into_iter().filter(|(w, _)| candidates.contains(w)).collect();
    if open.is_empty() {
        return found;
    }
    for (index, state) in ctx.mains_states() {
        for &source in ac.iter().filter(|&&s| state.live.active[s]) {
            // Several on one conductor are backfeed, and found as that.
            let at = state.live.sources_at(net, net.sources[source].plus);
            if at.filter(|s| net.sources[*s].kind.is_ac()).count() > 1 {
                continue;
            }
            for neutral in judge(Some(state), source, &open) {
                match found.iter_mut().find(|f| f.wire == neutral.wire) {
                    Some(known) if known.flow_a >= neutral.flow_a => {}
                    Some(known) => *known = Neutral { state: index, ..neutral },
                    None => found.push(Neutral { state: index, ..neutral }),
                }
            }
        }
    }
    found.retain(|n| !with_hot(n));
    found
}
