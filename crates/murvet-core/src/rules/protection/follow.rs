//! Failing conductors followed from where the danger enters, up to the devices that end it.

use super::super::Context;
use super::graphs::{Built, allowed, device_words, exceeds, exempt, positive};
use super::{Group, Limiter, Verdict, worst_end};
use crate::network::{Flow, Union, What};
use crate::states::State;
use crate::units::short;
use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};

/// Follows the failing conductors of one state from their entries.
pub(super) fn follow(
    ctx: &Context,
    state: &State,
    index: usize,
    built: &mut Built,
    failing: &[(usize, usize)],
    found: &mut BTreeMap<usize, Group>,
) {
    let net = ctx.net;
    // Pads: terminals that are one piece of metal in this state.
    let mut pads = Union::new(net.nodes.len());
    for (i, edge) in net.edges.iter().enumerate() {
        let metal = matches!(edge.what, What::Joint | What::Contact(_)) && state.closed(net, i);
        if metal && positive(net.nodes[edge.a].duty) && positive(net.nodes[edge.b].duty) {
            pads.join(edge.a, edge.b);
        }
    }
    let pad: Vec<u32> = pads.into_labels();
    let mut at_pad: BTreeMap<u32, Vec<(usize, usize)>> = BTreeMap::new();
    let mut regions = Union::new(net.nodes.len());
    for &(w, e) in failing {
        let (a, b) = (net.edges[e].a, net.edges[e].b);
        for node in [a, b] {
            at_pad.entry(pad[node]).or_default().push((w, node));
        }
        regions.join(pad[a] as usize, pad[b] as usize);
    }
    let edge_of: HashMap<usize, usize> = failing.iter().copied().collect();
    // A region is failing conductors that meet without a device between them. Danger enters it where more
    // than allowed arrives from outside: with the conductors of the region taken away, and only those, for
    // what fails elsewhere still feeds this region through the devices between.
    let mut inside: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for &(_, e) in failing {
        inside.entry(regions.find(pad[net.edges[e].a] as usize)).or_default().extend(built.handle[e]);
    }
    let mut starts: Vec<(usize, usize, Flow)> = Vec::new();
    for (&p, list) in &at_pad {
        let flow = built.graph.max_flow(list[0].1, &inside[&regions.find(p as usize)]);
        for &(w, node) in list {
            if exceeds(&flow, allowed(ctx, w, &flow, built)) {
                starts.push((w, node, flow.clone()));
            }
        }
    }
    let mut walk = |built: &Built, starts: &[(usize, usize, Flow)]| {
        let mut covered: HashSet<usize> = HashSet::new();
        let entries: HashSet<(usize, u32)> = starts.iter().map(|(w, n, _)| (*w, pad[*n])).collect();
        for (first, entry, flow) in starts {
            let path = walk_out(ctx, *first, *entry, &pad, &at_pad, &edge_of, &entries);
            covered.extend(path.iter().map(|(w, ..)| *w));
            if let Some(group) = judge_path(ctx, state, index, built, *first, *entry, flow, &path, &pad, &at_pad) {
                match found.get(first) {
                    Some(old)
                        if old.verdict > group.verdict
                            || (old.verdict == group.verdict && old.flow_a >= group.flow_a) => {}
                    _ => {
                        found.insert(*first, group);
                    }
                }
            }
        }
        covered
    };
    let covered = walk(built, &starts);
    // Conductors that several feeds overload together have no single entry: each is judged from its worse
    // end, so that every failing conductor is judged at least once.
    let left: Vec<(usize, usize)> = failing.iter().copied().filter(|(w, _)| !covered.contains(w)).collect();
    let mut alone = Vec::new();
    for (w, e) in left {
        alone.extend(worst_end(ctx, built, w, e).map(|(node, flow)| (w, node, flow)));
    }
    walk(built, &alone);
}

/// Failing wires reached from an entry through `first`: wire, far pad, distance to it.
pub(super) fn walk_out(
    ctx: &Context,
    first: usize,
    entry: usize,
    pad: &[u32],
    at_pad: &BTreeMap<u32, Vec<(usize, usize)>>,
    edge_of: &HashMap<usize, usize>,
    entries: &HashSet<(usize, u32)>,
) -> Vec<(usize, u32, f64)> {
    let net = ctx.net;
    let mut seen = HashSet::from([first]);
    let mut queue = VecDeque::from([(first, pad[entry], 0.0)]);
    let mut path = Vec::new();
    while let Some((wire, from, before)) = queue.pop_front() {
        let edge = &net.edges[edge_of[&wire]];
        let far = if pad[edge.a] == from { pad[edge.b] } else { pad[edge.a] };
        let distance = before + net.wires[wire].length_m;
        path.push((wire, far, distance));
        for &(next, _) in &at_pad[&far] {
            // A conductor that has its own entry at this pad is followed from there.
            if !entries.contains(&(next, far)) && seen.insert(next) {
                queue.push_back((next, far, distance));
            }
        }
    }
    path
}

#[expect(clippy::too_many_arguments, reason = "one step of `follow`, split for reading")]
pub(super) fn judge_path(
    ctx: &Context,
    state: &State,
    index: usize,
    built: &Built,
    first: usize,
    entry: usize,
    flow: &Flow,
    path: &[(usize, u32, f64)],
    pad: &[u32],
    at_pad: &BTreeMap<u32, Vec<(usize, usize)>>,
) -> Option<Group> {
    let net = ctx.net;
    let unlimited = flow.unlimited();
    let limit = if unlimited { ctx.profile.first_device_m } else { ctx.profile.reduction_m };
    let mut no_device = false;
    let mut too_far = false;
    let mut ends: Vec<String> = Vec::new();
    let mut bare: Vec<String> = Vec::new();
    let mut longest: Option<f64> = None;
    for &(wire, far, distance) in path {
        let onward = at_pad[&far].iter().any(|(w, _)| *w != wire && path.iter().any(|(p, ..)| p == w));
        let mut device_here = false;
        let mut open_contact = false;
        let mut open_end = None;
        for (n, node) in net.nodes.iter().enumerate().filter(|(n, _)| pad[*n] == far) {
            if let Some(c) = net.consumers.iter().find(|c| c.plus == n) {
                open_end = Some(ctx.piece_words(c.piece));
            } else if net.sources.iter().any(|s| s.plus == n) {
                open_end = node.piece.map(|p| ctx.piece_words(p));
            }
            for (i, edge) in net.edges.iter().enumerate().filter(|(_, e)| e.a == n || e.b == n) {
                match &edge.what {
                    What::Device { piece, way, rating_a } => {
                        device_here = true;
                        let over = *rating_a > ctx.ampacity(wire).device_a * (1.0 + 1e-6);
                        let words = device_words(ctx, *piece, way.as_deref(), *rating_a);
                        // A device larger than the conductor before it is no end of the danger, unless
                        // what comes after it fails as well and is reported there.
                        let after = if pad[edge.a] == far { edge.b } else { edge.a };
                        let downstream = at_pad.contains_key(&pad[after]);
                        if over && !downstream {
                            open_end = Some(format!("{words}, larger than the conductor before it"));
                        } else {
                            longest = Some(longest.unwrap_or(0.0).max(distance));
                            if distance > limit.value * (1.0 + 1e-6) {
                                too_far = true;
                                ends.push(format!("{words} after {} m", short(distance)));
                            }
                        }
                    }
                    // The state in which it is closed judges what lies beyond.
                    What::Contact(_) if !state.closed(net, i) => open_contact = true,
                    What::Wire(w)
                        if *w != wire && !exempt(ctx, *w) && !at_pad[&far].iter().any(|(f, _)| f == w)
                        // A thicker conductor goes on from here: nothing at this end protects the thin one.
                        && built.handle[i].is_some() =>
                    {
                        open_end = Some(format!("conductor {}", ctx.wire_words(*w)));
                    }
                    _ => {}
                }
            }
        }
        if open_end.is_none() && !device_here && !onward && !open_contact {
            open_end = Some(match net.nodes.iter().enumerate().find(|(n, _)| pad[*n] == far) {
                Some((_, node)) => node.name.clone(),
                None => "a loose end".to_owned(),
            });
        }
        if let Some(end) = open_end {
            no_device = true;
            bare.push(end.clone());
            ends.push(end);
        }
    }
    if !no_device && !too_far {
        return None;
    }
    for list in [&mut ends, &mut bare] {
        list.sort();
        list.dedup();
    }
    let wires: Vec<usize> = path.iter().map(|(w, ..)| *w).collect();
    // A current without limit fails every conductor alike; then the first one is shown.
    let weakest = if unlimited {
        first
    } else {
        wires.iter().copied().min_by(|a, b| ctx.ampacity(*a).iz_a.total_cmp(&ctx.ampacity(*b).iz_a))?
    };
    let (demand_a, demand_working) = demand(ctx, state, first, entry);
    let limiters: Vec<Limiter> = flow.cut.iter().filter_map(|h| built.limiter.get(h).cloned()).collect();
    let verdict = match (unlimited, no_device) {
        (true, true) => Verdict::Missing,
        (true, false) => Verdict::TooFar,
        (false, _) => {
            let overloaded = demand_a.is_some_and(|d| d > ctx.ampacity(weakest).iz_a * (1.0 + 1e-6));
            let device = limiters.iter().any(|l| l.device.is_some());
            if overloaded || !device { Verdict::TooSmall } else { Verdict::Oversized }
        }
    };
    Some(Group {
        verdict,
        wires,
        entry,
        flow_a: flow.amps,
        allowed_a: allowed(ctx, weakest, flow, built),
        weakest,
        limiters,
        distance: longest.map(|d| (d, limit.value, limit.source)),
        ends,
        bare,
        demand_a,
        demand_working,
        state: index,
    })
}

/// Rated current of everything that hangs on a conductor beyond its entry, when no source is there.
pub(super) fn demand(ctx: &Context, state: &State, wire: usize, entry: usize) -> (Option<f64>, Vec<String>) {
    let net = ctx.net;
    let Some(edge) = net.wire_edge(wire) else { return (None, Vec::new()) };
    let mut side = Union::new(net.nodes.len());
    for (i, e) in net.edges.iter().enumerate() {
        let fits = positive(net.nodes[e.a].duty) && positive(net.nodes[e.b].duty);
        if e.what != What::Wire(wire) && fits && state.closed(net, i) && !matches!(e.what, What::Bond { .. }) {
            side.join(e.a, e.b);
        }
    }
    let far = if side.same(edge.a, entry) { edge.b } else { edge.a };
    let (far, near) = (side.find(far), side.find(entry));
    let fed = net.sources.iter().enumerate().any(|(s, source)| {
        let own = state.live.active[s] && !source.kind.converts();
        own && side.find(source.plus) == far
    });
    if far == near || fed {
        return (None, Vec::new());
    }
    let mut sum = 0.0;
    let mut lines = Vec::new();
    for c in &net.consumers {
        if side.find(c.plus) == far
            && let Some(amps) = c.current_a
        {
            sum += amps;
            lines.push(format!("{}: {}", ctx.piece_words(c.piece), c.working));
        }
    }
    if lines.is_empty() { (None, lines) } else { (Some(sum), lines) }
}
