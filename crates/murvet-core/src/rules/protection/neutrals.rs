//! Neutral conductors: what the hots that share them can send back.
//!
//! A neutral carries the phasor sum of its hots. Hots of opposite phase send back the difference, so of the two
//! the larger alone is the bound; hots in phase, or all on one leg, send back the sum. So for each source the flow
//! is taken once for its first hot and once for its second, out along the hot side, through outlets and
//! appliances, and back along the neutrals up to the source's own neutral terminal.

use super::super::Context;
use super::graphs::{Built, add_edge, allowed, exceeds, feed, positive, wires_between};
use crate::catalogue::{Kind, Role};
use crate::network::{Edge, What};
use crate::states::State;
use std::collections::HashSet;

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
}

fn neutral_edge(ctx: &Context, e: &Edge) -> bool {
    let neutral = |n: usize| ctx.net.nodes[n].duty == Role::Neutral;
    neutral(e.a) && neutral(e.b) && !matches!(e.what, What::Bond { .. })
}

/// The graph of one hot of one source.
fn graph(ctx: &Context, state: Option<&State>, source: usize) -> Built {
    let net = ctx.net;
    let home = net.sources[source].minus;
    let mut built = Built::empty(ctx);
    for (i, edge) in net.edges.iter().enumerate() {
        let closed = state.is_none_or(|s| s.closed(net, i));
        let out = positive(net.nodes[edge.a].duty) && positive(net.nodes[edge.b].duty);
        let back = neutral_edge(ctx, edge) && home != edge.a && home != edge.b;
        if closed && (out || back) && !matches!(edge.what, What::Bond { .. }) {
            add_edge(&mut built, i, edge);
        }
    }
    feed(ctx, &mut built, source);
    for (line, neutral) in consuming(ctx) {
        built.graph.one_way(line, neutral, f64::INFINITY);
    }
    built
}

/// Hot and neutral terminal of everything that takes current between them.
fn consuming(ctx: &Context) -> Vec<(usize, usize)> {
    let net = ctx.net;
    let mut pairs: Vec<(usize, usize)> = Vec::new();
    for (n, node) in net.nodes.iter().enumerate().filter(|(_, n)| n.role == Role::Line) {
        let Some(piece) = node.piece else { continue };
        let Some((port, _)) = node.terminal.split_once('.') else { continue };
        let consumes = match ctx.rig.pieces[piece].kind {
            Kind::Outlet | Kind::AcLoad | Kind::Charger => port == "ac",
            Kind::GfciOutlet => port == "load",
            Kind::InverterCharger => port == "in" || port == "in2",
            _ => false,
        };
        if consumes && let Some(neutral) = net.node(piece, &format!("{port}.N")) {
            pairs.push((n, neutral));
        }
    }
    pairs
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
                    list.push(Neutral { wire, flow_a: flow.amps, allowed_a, held: built.held(ctx, &flow), state: 0 });
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
