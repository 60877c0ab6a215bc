//! Failing conductors followed from where the danger enters, up to the devices that end it.

use super::super::Context;
use super::graphs::{Built, allowed, device_words, exceeds, exempt, positive};
use super::{Group, Limiter, Verdict, worst_end};
use crate::network::{Flow, Union, What};
use crate::states::State;
use crate::units::short;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet, VecDeque};

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
    for &(w, e) in failing {
        inside.entry(regions.find(pad[net.edges[e].a] as usize)).or_default().extend(built.together(ctx, w, e));
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
            covered.extend(path.iter().map(|l| l.wire));
            let path = without_taps(ctx, state, index, built, *entry, flow, path, &pad, &at_pad);
            if let Some(group) = judge_path(ctx, state, index, built, *first, *entry, flow, &path, &pad, &at_pad) {
                // The same conductor from its other end, or in another state: one finding, about the worse of
                // the two, with the conductors of both.
                let (mut group, other) = match found.remove(first) {
                    Some(old) if (old.verdict, old.flow_a) >= (group.verdict, group.flow_a) => (old, Some(group)),
                    old => (group, old),
                };
                let more = other.map(|o| o.wires).unwrap_or_default();
                group.wires.extend(more.into_iter().filter(|w| *w != *first).collect::<BTreeSet<_>>());
                let mut seen = HashSet::new();
                group.wires.retain(|w| seen.insert(*w));
                found.insert(*first, group);
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

/// A failing conductor on the way out from an entry.
struct Leg {
    wire: usize,
    from: u32,
    far: u32,
    /// From the entry to its far end, m.
    distance: f64,
}

/// Failing conductors reached from an entry through `first`, nearest first.
fn walk_out(
    ctx: &Context,
    first: usize,
    entry: usize,
    pad: &[u32],
    at_pad: &BTreeMap<u32, Vec<(usize, usize)>>,
    edge_of: &HashMap<usize, usize>,
    entries: &HashSet<(usize, u32)>,
) -> Vec<Leg> {
    let net = ctx.net;
    let mut seen = HashSet::from([first]);
    let mut queue = VecDeque::from([(first, pad[entry], 0.0)]);
    let mut path = Vec::new();
    while let Some((wire, from, before)) = queue.pop_front() {
        let edge = &net.edges[edge_of[&wire]];
        let far = if pad[edge.a] == from { pad[edge.b] } else { pad[edge.a] };
        let distance = before + net.wires[wire].length_m;
        path.push(Leg { wire, from, far, distance });
        for &(next, _) in &at_pad[&far] {
            // A conductor that has its own entry at this pad is followed from there.
            if !entries.contains(&(next, far)) && seen.insert(next) {
                queue.push_back((next, far, distance));
            }
        }
    }
    path
}

/// The legs without thinner taps that are sound for themselves: a tap to a device near enough, which lets no more
/// out than the tap carries, fails only by what its feeder is given, and the feeder answers for that. A current
/// without limit is another matter: there the distance counts from the source.
#[expect(clippy::too_many_arguments, reason = "one step of `follow`, split for reading")]
fn without_taps(
    ctx: &Context,
    state: &State,
    index: usize,
    built: &Built,
    entry: usize,
    flow: &Flow,
    mut path: Vec<Leg>,
    pad: &[u32],
    at_pad: &BTreeMap<u32, Vec<(usize, usize)>>,
) -> Vec<Leg> {
    let net = ctx.net;
    if flow.unlimited() {
        return path;
    }
    let iz = |wire: usize| ctx.ampacity(wire).iz_a;
    let taps: Vec<(usize, u32)> = path.iter().map(|l| (l.wire, l.from)).collect();
    for (wire, from) in taps {
        let Some(tap) = path.iter().find(|l| l.wire == wire) else { continue };
        let thinner = path.iter().filter(|l| l.wire != wire && l.far == from).all(|l| iz(l.wire) > iz(wire));
        let pads = beyond(&path, tap.far, wire, pad[entry]);
        let Some(start) = net.wire_edge(wire).and_then(|e| [e.a, e.b].into_iter().find(|n| pad[*n] == from)) else {
            continue;
        };
        if from == pad[entry] || !thinner || pads.contains(&from) {
            continue;
        }
        let before = tap.distance - net.wires[wire].length_m;
        let own: Vec<Leg> = path
            .iter()
            .filter(|l| l.wire == wire || pads.contains(&l.from))
            .map(|l| Leg { distance: l.distance - before, ..*l })
            .collect();
        if judge_path(ctx, state, index, built, wire, start, flow, &own, pad, at_pad).is_none() {
            path.retain(|l| !own.iter().any(|o| o.wire == l.wire));
        }
    }
    path
}

/// Pads that the legs reach from one of them without passing a conductor or the entry.
fn beyond(path: &[Leg], start: u32, without: usize, entry: u32) -> BTreeSet<u32> {
    let mut seen = BTreeSet::from([start]);
    let mut stack = vec![start];
    while let Some(at) = stack.pop() {
        for leg in path.iter().filter(|l| l.wire != without) {
            for (a, b) in [(leg.from, leg.far), (leg.far, leg.from)] {
                if a == at && a != entry && seen.insert(b) {
                    stack.push(b);
                }
            }
        }
    }
    seen
}

/// Pads that no way leads on from: a pad at the end of the last leg, or a ring of pads that is left
/// nowhere but where it was entered. Each is given once, by its first pad.
fn dead_ends(path: &[Leg], entry: u32) -> Vec<BTreeSet<u32>> {
    // A leg is a bridge when its two ends hang together by it alone; everything else forms rings.
    let bridge = |leg: &Leg| !beyond(path, leg.far, leg.wire, u32::MAX).contains(&leg.from);
    let bridges: Vec<&Leg> = path.iter().filter(|l| bridge(l)).collect();
    let mut rings: Vec<BTreeSet<u32>> =
        path.iter().flat_map(|l| [l.from, l.far]).map(|p| BTreeSet::from([p])).collect();
    for leg in path.iter().filter(|l| !bridges.iter().any(|b| b.wire == l.wire)) {
        let (ours, mut rest): (Vec<_>, Vec<_>) =
            rings.into_iter().partition(|r| r.contains(&leg.from) || r.contains(&leg.far));
        rest.push(ours.into_iter().flatten().collect());
        rings = rest;
    }
    rings.sort();
    rings.dedup();
    let leaf = |ring: &BTreeSet<u32>| {
        let degree = bridges.iter().filter(|b| ring.contains(&b.from) != ring.contains(&b.far)).count();
        degree == 0 || (degree == 1 && !ring.contains(&entry))
    };
    rings.into_iter().filter(leaf).collect()
}

/// A device at the end of a leg.
struct End {
    pad: u32,
    words: Limiter,
    rating_a: f64,
    /// What hangs on it, A: its rating where an appliance of unstated current does.
    demand_a: f64,
}

/// What could flow out through some devices at once: one of them up to its rating, the others as much as
/// hangs on them (IEC 60364-4-43 section 433.1, loads that cannot overload; recalled).
fn most_out<'a>(ends: impl Iterator<Item = &'a End> + Clone) -> f64 {
    let spare = ends.clone().map(|e| e.rating_a - e.demand_a).fold(0.0, f64::max);
    ends.map(|e| e.demand_a).sum::<f64>() + spare
}

/// Rated current beyond a device, or its rating where that is not known.
fn demand_beyond(ctx: &Context, state: &State, device: usize, after: usize, rating_a: f64) -> f64 {
    let net = ctx.net;
    let mut side = Union::new(net.nodes.len());
    for (i, e) in net.edges.iter().enumerate().filter(|(i, _)| *i != device) {
        let fits = positive(net.nodes[e.a].duty) && positive(net.nodes[e.b].duty);
        if fits && state.closed(net, i) && !matches!(e.what, What::Bond { .. }) {
            side.join(e.a, e.b);
        }
    }
    let (e, far) = (&net.edges[device], side.find(after));
    let before = if e.a == after { e.b } else { e.a };
    if side.find(before) == far {
        return rating_a;
    }
    let mut sum = 0.0;
    for c in &net.consumers {
        if side.find(c.plus) == far {
            sum += c.current_a.unwrap_or(rating_a);
        }
    }
    sum.min(rating_a)
}

#[expect(clippy::too_many_arguments, reason = "one step of `follow`, split for reading")]
fn judge_path(
    ctx: &Context,
    state: &State,
    index: usize,
    built: &Built,
    first: usize,
    entry: usize,
    flow: &Flow,
    path: &[Leg],
    pad: &[u32],
    at_pad: &BTreeMap<u32, Vec<(usize, usize)>>,
) -> Option<Group> {
    let net = ctx.net;
    let unlimited = flow.unlimited();
    let mut limit = if unlimited { ctx.profile.first_device_m } else { ctx.profile.reduction_m };
    if let Some(sheathed_m) = ctx.profile.answers.sheathed_m.filter(|_| unlimited)
        && path.iter().all(|l| net.wires[l.wire].sheathed)
    {
        limit.value = sheathed_m;
    }
    let mut too_far = false;
    let mut ends: Vec<String> = Vec::new();
    let mut bare: Vec<String> = Vec::new();
    let mut longest: Option<f64> = None;
    let mut devices: Vec<End> = Vec::new();
    let mut guarded: BTreeSet<u32> = BTreeSet::new();
    let mut named: BTreeSet<u32> = BTreeSet::new();
    for leg in path {
        for (n, node) in net.nodes.iter().enumerate().filter(|(n, _)| pad[*n] == leg.far) {
            if let Some(c) = net.consumers.iter().find(|c| c.plus == n) {
                bare.push(ctx.piece_words(c.piece));
                named.insert(leg.far);
            } else if net.sources.iter().any(|s| s.plus == n) {
                bare.extend(node.piece.map(|p| ctx.piece_words(p)));
                named.insert(leg.far);
            }
            for (i, edge) in net.edges.iter().enumerate().filter(|(_, e)| e.a == n || e.b == n) {
                match &edge.what {
                    What::Device { piece, way, rating_a } => {
                        guarded.insert(leg.far);
                        let words = device_words(ctx, *piece, way.as_deref(), *rating_a);
                        longest = Some(longest.unwrap_or(0.0).max(leg.distance));
                        if leg.distance > limit.value * (1.0 + 1e-6) {
                            too_far = true;
                            ends.push(format!("{words} after {} m", short(leg.distance)));
                        }
                        // What comes after it and fails as well is reported there, the device with it.
                        let after = if pad[edge.a] == leg.far { edge.b } else { edge.a };
                        if !at_pad.contains_key(&pad[after]) && !devices.iter().any(|d| d.words.words == words) {
                            devices.push(End {
                                pad: leg.far,
                                demand_a: demand_beyond(ctx, state, i, after, *rating_a),
                                words: Limiter { words, device: Some((*piece, way.clone())) },
                                rating_a: *rating_a,
                            });
                        }
                    }
                    // The state in which it is closed judges what lies beyond.
                    What::Contact(_) if !state.closed(net, i) => {
                        guarded.insert(leg.far);
                    }
                    What::Wire(w)
                        if !exempt(ctx, *w) && !at_pad[&leg.far].iter().any(|(f, _)| *f == ctx.parallel(*w)[0])
                        // A thicker conductor goes on from here: nothing at this end protects the thin one.
                        && built.handle[i].is_some() =>
                    {
                        bare.push(format!("conductor {}", ctx.wire_words(*w)));
                        named.insert(leg.far);
                    }
                    _ => {}
                }
            }
        }
    }
    for ring in dead_ends(path, pad[entry]) {
        if ring.iter().all(|p| !guarded.contains(p) && !named.contains(p)) {
            let far = path.iter().rev().map(|l| l.far).find(|p| ring.contains(p)).unwrap_or(pad[entry]);
            let name = net.nodes.iter().enumerate().find(|(n, _)| pad[*n] == far).map(|(_, node)| node.name.clone());
            bare.push(name.unwrap_or_else(|| "a loose end".to_owned()));
        }
    }
    // Devices at the far ends hold a conductor only if together they let no more out than it may carry.
    let over = path.iter().find_map(|leg| {
        let pads = beyond(path, leg.far, leg.wire, pad[entry]);
        let own = devices.iter().filter(|d| pads.contains(&d.pad));
        let amps = most_out(own.clone()).min(flow.amps);
        let allowed = ctx.ampacity(leg.wire).device_a;
        (amps > allowed * (1.0 + 1e-6)).then(|| (leg.wire, amps, own.map(|d| d.words.clone()).collect::<Vec<_>>()))
    });
    let no_device = !bare.is_empty();
    if !no_device && !too_far && over.is_none() {
        return None;
    }
    ends.extend(bare.iter().cloned());
    if let Some((_, _, devices)) = &over {
        let words: Vec<&str> = devices.iter().map(|d| d.words.as_str()).collect();
        ends.push(format!("{}, more than the conductor before them may carry", words.join(" and ")));
    }
    for list in [&mut ends, &mut bare] {
        list.sort();
        list.dedup();
    }
    let wires: Vec<usize> = path.iter().map(|l| l.wire).collect();
    // A current without limit fails every conductor alike; then the first one is shown.
    let mut weakest = if unlimited {
        first
    } else {
        wires.iter().copied().min_by(|a, b| ctx.ampacity(*a).iz_a.total_cmp(&ctx.ampacity(*b).iz_a))?
    };
    let (mut demand_a, mut demand_working) = demand(ctx, state, first, entry);
    let mut limiters: Vec<Limiter> = built.limiters(ctx, flow);
    let mut flow_a = flow.amps;
    let mut allowed_a = allowed(ctx, weakest, flow, built);
    let mut let_out = false;
    let verdict = match (unlimited, no_device, over) {
        (true, true, _) => Verdict::Missing,
        (true, false, None) => Verdict::TooFar,
        (true, false, Some(_)) if too_far => Verdict::TooFar,
        // Near enough, but too large for the conductor between the source and them.
        (true, false, Some((wire, amps, devices))) => {
            (weakest, flow_a, limiters, let_out) = (wire, amps, devices, true);
            allowed_a = ctx.ampacity(wire).device_a;
            Verdict::Oversized
        }
        (false, ..) => {
            // What the weakest itself carries, entered where its leg starts.
            let leg = path.iter().find(|l| l.wire == weakest);
            let near = leg.and_then(|l| {
                let e = net.wire_edge(weakest)?;
                [e.a, e.b].into_iter().find(|n| pad[*n] == l.from)
            });
            let own = demand(ctx, state, weakest, near.unwrap_or(entry));
            let overloaded = own.0.is_some_and(|d| d > ctx.ampacity(weakest).iz_a * (1.0 + 1e-6));
            let device = limiters.iter().any(|l| l.device.is_some());
            if overloaded || !device {
                (demand_a, demand_working) = own;
                Verdict::TooSmall
            } else {
                Verdict::Oversized
            }
        }
    };
    Some(Group {
        verdict,
        wires,
        entry,
        flow_a,
        let_out,
        allowed_a,
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
fn demand(ctx: &Context, state: &State, wire: usize, entry: usize) -> (Option<f64>, Vec<String>) {
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
