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
    let near = neighbours(ctx);
    let mut ways: Vec<Return> = Vec::new();
    // With every source feeding and no post that ends a current, each return gets at least what it ever gets.
    let most = backward(ctx, None, &sources.iter().map(|(s, _)| (*s, Vec::new())).collect::<Vec<_>>());
    for (wire, edge) in wires_between(ctx, |e| return_edge(ctx, e)) {
        let e = &net.edges[edge];
        let whole = most.together(ctx, wire, edge);
        for (here, beyond) in [(e.a, e.b), (e.b, e.a)] {
            if most.graph.within(here, &whole, ctx.ampacity(wire).iz_a) {
                continue;
            }
            let reached = reached(&near, beyond, &[here]);
            let of = sources.iter().filter(|(_, posts)| posts.iter().any(|p| reached[*p]));
            let of: Vec<(usize, Vec<usize>)> = of.cloned().collect();
            if !of.is_empty() && !of.iter().any(|(_, posts)| posts.contains(&here)) {
                ways.push(Return { wire, here, beyond, of });
            }
        }
    }
    let mut cache: HashMap<Vec<usize>, Built> = HashMap::new();
    ways.retain(|way| return_flow(ctx, None, &mut cache, &near, way).is_some());
    let mut seen: HashSet<usize> = HashSet::new();
    // Returns are of the DC side: states that look alike from there are judged once.
    for (index, state) in ctx.widest().filter(|(i, _)| !ways.is_empty() && ctx.dc_states().contains(i)) {
        let mut cache: HashMap<Vec<usize>, Built> = HashMap::new();
        for way in &ways {
            if seen.contains(&way.wire) {
                continue;
            }
            let Some((flow, limiters, allowed_a)) = return_flow(ctx, Some(state), &mut cache, &near, way) else {
                continue;
            };
            seen.insert(way.wire);
            // The way to it is a shortest one: as much may return in an earlier state already.
            let as_much = |s: &State| {
                return_flow(ctx, Some(s), &mut HashMap::new(), &near, way)
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
    near: &[Vec<usize>],
    way: &Return,
) -> Option<(Flow, Vec<Limiter>, f64)> {
    let key = way.of.iter().map(|(s, _)| *s).collect();
    let built = cache.entry(key).or_insert_with(|| backward(ctx, state, &way.of));
    // What has reached the far end goes on to the post from there: it does not turn back through another
    // conductor and take this one a second time.
    let deleted = at_nodes(ctx, built, &[way.beyond]);
    if built.graph.within(way.here, &deleted, ctx.ampacity(way.wire).iz_a) {
        return None;
    }
    let flow = built.graph.max_flow(way.here, &deleted);
    let allowed_a = allowed(ctx, way.wire, &flow, built);
    // A return without limit belongs to a forward conductor without a device, reported there.
    if flow.unlimited() || !exceeds(&flow, allowed_a) {
        return None;
    }
    let limiters = built.limiters(ctx, &flow);
    // Nor has it come through a node that it must pass again on its way to the post: that would be a circle.
    // Which nodes those are differs by source; the sum over the sources is a bound as well as the flow of all.
    let mut onward: BTreeMap<Vec<usize>, Vec<usize>> = BTreeMap::new();
    for (n, (_, posts)) in way.of.iter().enumerate() {
        onward.entry(must_pass(near, way, posts)).or_default().push(n);
    }
    let mut sum = Flow { amps: 0.0, cut: Vec::new() };
    let mut of_sum: Vec<Limiter> = Vec::new();
    for (nodes, sources) in onward {
        let of: Vec<(usize, Vec<usize>)> = sources.iter().map(|n| way.of[*n].clone()).collect();
        let mut some = backward(ctx, state, &of);
        let part = some.graph.max_flow(way.here, &at_nodes(ctx, &some, &nodes));
        sum.amps += part.amps;
        of_sum.extend(some.limiters(ctx, &part));
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
fn must_pass(near: &[Vec<usize>], way: &Return, posts: &[usize]) -> Vec<usize> {
    let all = reached(near, way.beyond, &[way.here]);
    let parts = |n: usize| {
        let without = reached(near, way.beyond, &[way.here, n]);
        !posts.iter().any(|p| without[*p])
    };
    let inside = (0..near.len()).filter(|&n| all[n] && !posts.contains(&n));
    let mut nodes: Vec<usize> = inside.filter(|&n| n == way.beyond || parts(n)).collect();
    nodes.sort_unstable();
    nodes
}

/// For each node whether another reaches it along returns without passing some: a way that leads back through the
/// start is a circle, not a return.
fn reached(near: &[Vec<usize>], from: usize, without: &[usize]) -> Vec<bool> {
    let mut seen = vec![false; near.len()];
    if without.contains(&from) {
        return seen;
    }
    seen[from] = true;
    let mut stack = vec![from];
    while let Some(node) = stack.pop() {
        for &next in &near[node] {
            if !seen[next] && !without.contains(&next) {
                seen[next] = true;
                stack.push(next);
            }
        }
    }
    seen
}

/// For each node those that a return joins it to.
fn neighbours(ctx: &Context) -> Vec<Vec<usize>> {
    let mut near = vec![Vec::new(); ctx.net.nodes.len()];
    for edge in ctx.net.edges.iter().filter(|e| return_edge(ctx, e)) {
        near[edge.a].push(edge.b);
        near[edge.b].push(edge.a);
    }
    near
}
