//! Return conductors: they carry what their forward devices let through.

use super::super::Context;
use super::graphs::{Built, allowed, backward, exceeds, return_edge, returning, wires_between};
use super::{EARLIER, Group, Limiter, Verdict, fitted_for};
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

/// Judges return conductors. One that the cure of a forward finding cures as well is named in that finding, which is
/// tried; any other has a finding of its own.
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
    // Where a forward device is missing the return has no limit either. With that device fitted, as large as its own
    // conductor allows, the return must hold what it lets through.
    let fitted = fitted_for(ctx, groups);
    let mut cache = HashMap::new();
    ways.retain(|way| !matches!(return_flow(ctx, None, &mut cache, &near, way, &fitted), Carried::Within));
    let mut alone: HashSet<usize> = HashSet::new();
    // Returns are of the DC side: states that look alike from there are judged once.
    for (index, state) in ctx.widest().filter(|(i, _)| !ways.is_empty() && ctx.dc_states().contains(i)) {
        let mut cache = HashMap::new();
        for way in &ways {
            if alone.contains(&way.wire) {
                continue;
            }
            let (flow, limiters, allowed_a) = match return_flow(ctx, Some(state), &mut cache, &near, way, &fitted) {
                Carried::Within => continue,
                // It holds what the missing device would let through, once that is there.
                Carried::Fitted => {
                    let root = groups.iter_mut().find(|g| {
                        let entry = net.nodes[g.entry].component;
                        matches!(g.verdict, Verdict::Missing | Verdict::TooFar)
                            && way.of.iter().any(|(s, _)| Some(net.sources[*s].component) == entry)
                    });
                    name(root, way.wire);
                    continue;
                }
                Carried::Beyond(flow, limiters, allowed_a) => (flow, limiters, allowed_a),
            };
            alone.insert(way.wire);
            // The way to it is a shortest one: as much may return in an earlier state already.
            let as_much = |s: &State| match return_flow(ctx, Some(s), &mut HashMap::new(), &near, way, &fitted) {
                Carried::Beyond(f, ..) => f.amps >= flow.amps * (1.0 - 1e-9),
                _ => false,
            };
            let index = ctx.states.states.iter().take(index.min(EARLIER)).position(as_much).unwrap_or(index);
            groups.push(Group {
                verdict: Verdict::Oversized,
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

/// Names a conductor in a group, once.
fn name(group: Option<&mut Group>, wire: usize) {
    if let Some(group) = group.filter(|g| !g.wires.contains(&wire)) {
        group.wires.push(wire);
    }
}

/// What returns along a way.
pub(super) enum Carried {
    /// No more than it may carry.
    Within,
    /// Without limit, for a forward device is missing; no more than it may carry once that is fitted.
    Fitted,
    /// More than it may carry: the flow, what limits it, and what is allowed, A.
    Beyond(Flow, Vec<Limiter>, f64),
}

/// What returns along a way with some devices put in. The cache is of one state and one choice of these.
fn return_flow(
    ctx: &Context,
    state: Option<&State>,
    cache: &mut HashMap<Vec<usize>, [Built; 2]>,
    near: &[Vec<usize>],
    way: &Return,
    fitted: &[(usize, f64)],
) -> Carried {
    let key = way.of.iter().map(|(s, _)| *s).collect();
    let [bare, built] = cache.entry(key).or_insert_with(|| {
        let bare = backward(ctx, state, &way.of);
        let mut with = backward(ctx, state, &way.of);
        with.fit(fitted);
        [bare, with]
    });
    // What has reached the far end goes on to the post from there: it does not turn back through another
    // conductor and take this one a second time.
    let deleted = at_nodes(ctx, built, &[way.beyond]);
    if bare.graph.within(way.here, &deleted, ctx.ampacity(way.wire).iz_a) {
        return Carried::Within;
    }
    let open = bare.graph.max_flow(way.here, &deleted);
    if !exceeds(&open, allowed(ctx, way.wire, &open, bare)) {
        return Carried::Within;
    }
    let within = if open.unlimited() { Carried::Fitted } else { Carried::Within };
    let flow = built.graph.max_flow(way.here, &deleted);
    let allowed_a = allowed(ctx, way.wire, &flow, built);
    if !exceeds(&flow, allowed_a) {
        return within;
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
        some.fit(fitted);
        let part = some.graph.max_flow(way.here, &at_nodes(ctx, &some, &nodes));
        sum.amps += part.amps;
        of_sum.extend(some.limiters(ctx, &part));
        sum.cut.extend(part.cut);
    }
    if sum.amps >= flow.amps {
        return Carried::Beyond(flow, limiters, allowed_a);
    }
    let amp = ctx.ampacity(way.wire);
    let allowed_a = if sum.cut.len() == 1 && built.is_device(sum.cut[0]) { amp.device_a } else { amp.iz_a };
    if exceeds(&sum, allowed_a) { Carried::Beyond(sum, of_sum, allowed_a) } else { within }
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
