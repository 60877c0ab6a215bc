//! Return conductors: they carry what their forward devices let through.

use super::super::Context;
use super::graphs::{Built, allowed, backward, exceeds, return_edge, returning, wires_between};
use super::{EARLIER, Group, Limiter, Verdict};
use crate::network::{Edge, Flow};
use crate::states::State;
use std::collections::{BTreeMap, HashMap, HashSet};

/// A way along a return conductor: the end where current arrives, and the sources whose negative posts
/// lie beyond the other end.
pub(super) struct Return {
    wire: usize,
    here: usize,
    beyond: usize,
    of: Vec<(usize, Vec<usize>)>,
}

/// Judges return conductors, adding those that fail for a reason already found to its group.
pub(super) fn judge_returns(ctx: &Context, groups: &mut Vec<Group>) {
    let net = ctx.net;
    let sources = returning(ctx);
    let mut ways: Vec<Return> = Vec::new();
    for (wire, edge) in wires_between(ctx, |e| return_edge(ctx, e)) {
        let e = &net.edges[edge];
        for (here, beyond) in [(e.a, e.b), (e.b, e.a)] {
            let reached = reached(ctx, beyond, &[here]);
            let of = sources.iter().filter(|(_, posts)| posts.iter().any(|p| reached.contains(p)));
            let of: Vec<(usize, Vec<usize>)> = of.cloned().collect();
            if !of.is_empty() && !of.iter().any(|(_, posts)| posts.contains(&here)) {
                ways.push(Return { wire, here, beyond, of });
            }
        }
    }
    let mut cache: HashMap<Vec<usize>, Built> = HashMap::new();
    ways.retain(|way| return_flow(ctx, None, &mut cache, way).is_some());
    let mut seen: HashSet<usize> = HashSet::new();
    for (index, state) in ctx.widest().filter(|_| !ways.is_empty()) {
        let mut cache: HashMap<Vec<usize>, Built> = HashMap::new();
        for way in &ways {
            if seen.contains(&way.wire) {
                continue;
            }
            let Some((flow, limiters, allowed_a)) = return_flow(ctx, Some(state), &mut cache, way) else { continue };
            seen.insert(way.wire);
            // The way to it is a shortest one: as much may return in an earlier state already.
            let as_much = |s: &State| {
                return_flow(ctx, Some(s), &mut HashMap::new(), way)
                    .is_some_and(|(f, ..)| f.amps >= flow.amps * (1.0 - 1e-9))
            };
            let index = ctx.states.states.iter().take(index.min(EARLIER)).position(as_much).unwrap_or(index);
            let devices =
                |l: &[Limiter]| -> Vec<(usize, Option<String>)> { l.iter().filter_map(|x| x.device.clone()).collect() };
            let mine = devices(&limiters);
            let same = groups.iter_mut().find(|g| {
                let unlimited = matches!(g.verdict, Verdict::Missing | Verdict::TooFar);
                let entry = net.nodes[g.entry].piece;
                // Without a main device the forward side has the same root.
                (unlimited && way.of.iter().any(|(s, _)| Some(net.sources[*s].piece) == entry))
                    || (!unlimited && devices(&g.limiters).iter().any(|d| mine.contains(d)))
            });
            if let Some(group) = same {
                group.wires.push(way.wire);
                continue;
            }
            groups.push(Group {
                verdict: if mine.is_empty() { Verdict::TooSmall } else { Verdict::Oversized },
                wires: vec![way.wire],
                entry: way.here,
                flow_a: flow.amps,
                let_out: false,
                allowed_a,
                weakest: way.wire,
                limiters,
                distance: None,
                ends: vec!["the negative post".to_owned()],
                bare: Vec::new(),
                demand_a: None,
                demand_working: Vec::new(),
                state: index,
            });
        }
    }
}

/// What returns along a way, when that is more than allowed, with what limits it and the allowance.
pub(super) fn return_flow(
    ctx: &Context,
    state: Option<&State>,
    cache: &mut HashMap<Vec<usize>, Built>,
    way: &Return,
) -> Option<(Flow, Vec<Limiter>, f64)> {
    let key = way.of.iter().map(|(s, _)| *s).collect();
    let built = cache.entry(key).or_insert_with(|| backward(ctx, state, &way.of));
    // What has reached the far end goes on to the post from there: it does not turn back through another
    // conductor and take this one a second time.
    let flow = built.graph.max_flow(way.here, &at_nodes(ctx, built, &[way.beyond]));
    let allowed_a = allowed(ctx, way.wire, &flow, built);
    // A return without limit belongs to a forward conductor without a device, reported there.
    if flow.unlimited() || !exceeds(&flow, allowed_a) {
        return None;
    }
    let limiters = flow.cut.iter().filter_map(|h| built.limiter.get(h).cloned()).collect();
    // Nor has it come through a node that it must pass again on its way to the post: that would be a circle.
    // Which nodes those are differs by source; the sum over the sources is a bound as well as the flow of all.
    let mut onward: BTreeMap<Vec<usize>, Vec<usize>> = BTreeMap::new();
    for (n, (_, posts)) in way.of.iter().enumerate() {
        onward.entry(must_pass(ctx, way, posts)).or_default().push(n);
    }
    let mut sum = Flow { amps: 0.0, cut: Vec::new() };
    let mut of_sum: Vec<Limiter> = Vec::new();
    for (nodes, sources) in onward {
        let of: Vec<(usize, Vec<usize>)> = sources.iter().map(|n| way.of[*n].clone()).collect();
        let mut some = backward(ctx, state, &of);
        let part = some.graph.max_flow(way.here, &at_nodes(ctx, &some, &nodes));
        sum.amps += part.amps;
        of_sum.extend(part.cut.iter().filter_map(|h| some.limiter.get(h).cloned()));
        sum.cut.extend(part.cut);
    }
    if sum.amps >= flow.amps {
        return Some((flow, limiters, allowed_a));
    }
    let amp = ctx.ampacity(way.wire);
    let allowed_a = if of_sum.len() == 1 && of_sum[0].device.is_some() { amp.device_a } else { amp.iz_a };
    exceeds(&sum, allowed_a).then_some((sum, of_sum, allowed_a))
}

/// Flow handles of the conductors that end at some nodes.
fn at_nodes(ctx: &Context, built: &Built, nodes: &[usize]) -> Vec<usize> {
    let ends = |e: &Edge| nodes.contains(&e.a) || nodes.contains(&e.b);
    let edges = ctx.net.edges.iter().enumerate().filter(|(_, e)| ends(e));
    edges.filter_map(|(i, _)| built.handle[i]).collect()
}

/// Nodes on every way from the far end to the posts: without any one of them the posts are not reached.
fn must_pass(ctx: &Context, way: &Return, posts: &[usize]) -> Vec<usize> {
    let mut nodes: Vec<usize> = reached(ctx, way.beyond, &[way.here])
        .into_iter()
        .filter(|n| !posts.contains(n))
        .filter(|&n| n == way.beyond || !reached(ctx, way.beyond, &[way.here, n]).iter().any(|r| posts.contains(r)))
        .collect();
    nodes.sort_unstable();
    nodes
}

/// Everything a node reaches along returns without passing some others: a way that leads back through the
/// start is a circle, not a return.
fn reached(ctx: &Context, from: usize, without: &[usize]) -> HashSet<usize> {
    let net = ctx.net;
    let mut seen: HashSet<usize> = without.iter().copied().chain([from]).collect();
    let mut stack = vec![from];
    while let Some(node) = stack.pop() {
        for edge in net.edges.iter().filter(|e| return_edge(ctx, e)) {
            for (a, b) in [(edge.a, edge.b), (edge.b, edge.a)] {
                if a == node && seen.insert(b) {
                    stack.push(b);
                }
            }
        }
    }
    seen.retain(|n| !without.contains(n));
    seen
}
