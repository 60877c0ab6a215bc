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

use super::Context;
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{Edge, Flow, FlowGraph, Union, What, WireSpot};
use crate::states::State;
use crate::units::short;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet, VecDeque};

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
    /// The device, as piece and way, when it is one.
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
    /// What the profile allows for the weakest conductor, A.
    pub allowed_a: f64,
    /// The weakest conductor.
    pub weakest: usize,
    /// What limits the flow.
    pub limiters: Vec<Limiter>,
    /// Longest way from the entry to a device, m, and the limit with its source.
    pub distance: Option<(f64, f64, &'static str)>,
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

struct Built {
    graph: FlowGraph,
    /// Flow handle of each edge of the network.
    handle: Vec<Option<usize>>,
    limiter: HashMap<usize, Limiter>,
}

fn positive(role: Role) -> bool {
    matches!(role, Role::Plus | Role::Line | Role::Any)
}

fn device_words(ctx: &Context, piece: usize, way: Option<&str>, rating: f64) -> String {
    let p = &ctx.rig.pieces[piece];
    let name = match way {
        Some(way) => format!("{} way {way}", p.id),
        None if p.kind == Kind::Panel => format!("{} main breaker", p.id),
        None => ctx.piece_words(piece),
    };
    if rating.is_infinite() { format!("{name} of unseen rating") } else { format!("{name} {} A", short(rating)) }
}

/// The limit of a source in words.
fn source_words(ctx: &Context, source: usize) -> String {
    let s = &ctx.net.sources[source];
    let name = ctx.piece_words(s.piece);
    match s.kind {
        SourceKind::Battery => format!("{name} without limit"),
        SourceKind::Shore => format!("{} breaker of {} A at {name}", ctx.profile.words.supply, short(s.limit_a)),
        SourceKind::Array => format!("{name}, short-circuit current × 1.25 = {} A", short(s.limit_a)),
        _ => format!("{name}, limit {} A", short(s.limit_a)),
    }
}

fn add_edge(ctx: &Context, built: &mut Built, index: usize, edge: &Edge) {
    let capacity = match edge.what {
        What::Device { rating_a, .. } => rating_a,
        _ => f64::INFINITY,
    };
    let handle = built.graph.edge(edge.a, edge.b, capacity);
    built.handle[index] = Some(handle);
    if let What::Device { piece, way, rating_a } = &edge.what {
        let words = device_words(ctx, *piece, way.as_deref(), *rating_a);
        built.limiter.insert(handle, Limiter { words, device: Some((*piece, way.clone())) });
    }
}

fn feed(ctx: &Context, built: &mut Built, source: usize) {
    let s = &ctx.net.sources[source];
    let handle = built.graph.feed(s.plus, s.limit_a);
    built.limiter.insert(handle, Limiter { words: source_words(ctx, source), device: None });
}

/// The graph of everything that is live to earth or positive, in one state or (with `None`) with every
/// contact closed and every source running.
fn forward(ctx: &Context, state: Option<&State>) -> Built {
    let net = ctx.net;
    let mut built =
        Built { graph: FlowGraph::new(net.nodes.len()), handle: vec![None; net.edges.len()], limiter: HashMap::new() };
    for (i, edge) in net.edges.iter().enumerate() {
        let closed = state.is_none_or(|s| s.closed(net, i));
        let fits = positive(net.nodes[edge.a].duty) && positive(net.nodes[edge.b].duty);
        if closed && fits && !matches!(edge.what, What::Bond { .. }) {
            add_edge(ctx, &mut built, i, edge);
        }
    }
    for source in 0..net.sources.len() {
        if state.is_none_or(|s| s.live.active[source]) {
            feed(ctx, &mut built, source);
        }
    }
    built
}

fn returns(role: Role) -> bool {
    matches!(role, Role::Minus | Role::Earth)
}

/// Whether an edge may carry DC return current.
fn return_edge(ctx: &Context, edge: &Edge) -> bool {
    let net = ctx.net;
    let core = matches!(edge.what, What::Wire(w) if matches!(net.wires[w].spot, WireSpot::Cable(..)));
    returns(net.nodes[edge.a].duty)
        && returns(net.nodes[edge.b].duty)
        && !core
        && !matches!(edge.what, What::Bond { .. })
}

/// Nodes at which the return current of a source has arrived: its negative posts.
fn posts(ctx: &Context, source: usize) -> Vec<usize> {
    let net = ctx.net;
    let s = &net.sources[source];
    if s.kind != SourceKind::Battery {
        return vec![s.minus];
    }
    let own = |n: &usize| net.nodes[*n].piece == Some(s.piece) && net.nodes[*n].role == Role::Minus;
    (0..net.nodes.len()).filter(own).collect()
}

/// DC sources whose return current is followed: a converter that shares its negative terminal with its
/// own input is a consumer there and is left to the source that feeds it.
fn returning(ctx: &Context) -> Vec<(usize, Vec<usize>)> {
    let shared = |s: &usize| {
        let s = &ctx.net.sources[*s];
        matches!(ctx.rig.pieces[s.piece].kind, Kind::InverterCharger | Kind::DcDc | Kind::Controller)
    };
    let dc = (0..ctx.net.sources.len()).filter(|&s| !ctx.net.sources[s].kind.is_ac());
    dc.filter(|s| !shared(s)).map(|s| (s, posts(ctx, s))).collect()
}

/// The graph of the return currents of some sources: out along the positive side, through the
/// consumers, and back along the negative side up to their negative posts. A current returns to the
/// source it came from, so the other sources feed nothing here.
fn backward(ctx: &Context, state: Option<&State>, of: &[(usize, Vec<usize>)]) -> Built {
    let net = ctx.net;
    let mut built =
        Built { graph: FlowGraph::new(net.nodes.len()), handle: vec![None; net.edges.len()], limiter: HashMap::new() };
    let arrived: HashSet<usize> = of.iter().flat_map(|(_, posts)| posts.iter().copied()).collect();
    for (i, edge) in net.edges.iter().enumerate() {
        let closed = state.is_none_or(|s| s.closed(net, i));
        let out = positive(net.nodes[edge.a].duty) && positive(net.nodes[edge.b].duty);
        let back = return_edge(ctx, edge) && !arrived.contains(&edge.a) && !arrived.contains(&edge.b);
        if closed && (out || back) && !matches!(edge.what, What::Bond { .. }) {
            add_edge(ctx, &mut built, i, edge);
        }
    }
    for (source, _) in of {
        if state.is_none_or(|s| s.live.active[*source]) {
            feed(ctx, &mut built, *source);
        }
    }
    for c in net.consumers.iter().filter(|c| !c.ac) {
        built.graph.one_way(c.plus, c.minus, f64::INFINITY);
    }
    built
}

/// The vehicle maker's starting circuit is outside the audit.
fn exempt(ctx: &Context, wire: usize) -> bool {
    if ctx.net.wires[wire].cranking {
        return true;
    }
    let Some(edge) = ctx.net.wire_edge(wire) else { return false };
    [edge.a, edge.b].into_iter().all(|n| {
        ctx.net.nodes[n].piece.is_some_and(|p| {
            let p = &ctx.rig.pieces[p];
            p.kind == Kind::Alternator || p.flag("starter")
        })
    })
}

/// What the profile allows against this flow: a single device may be the next standard size, anything
/// else must stay within the ampacity.
fn allowed(ctx: &Context, wire: usize, flow: &Flow, built: &Built) -> f64 {
    let amp = ctx.ampacity(wire);
    let device = flow.cut.len() == 1 && built.limiter.get(&flow.cut[0]).is_some_and(|l| l.device.is_some());
    if device { amp.device_a } else { amp.iz_a }
}

fn exceeds(flow: &Flow, allowed: f64) -> bool {
    flow.unlimited() || flow.amps > allowed * (1.0 + 1e-6) + 1e-9
}

/// Wires of the network whose ends both satisfy a test, with their edges.
fn wires_between<'a>(ctx: &'a Context, fits: impl Fn(&Edge) -> bool + 'a) -> impl Iterator<Item = (usize, usize)> + 'a {
    ctx.net.edges.iter().enumerate().filter(move |(_, e)| fits(e)).filter_map(|(i, e)| match e.what {
        What::Wire(w) if !exempt(ctx, w) => Some((w, i)),
        _ => None,
    })
}

fn forward_wire(ctx: &Context, edge: &Edge) -> bool {
    let (a, b) = (ctx.net.nodes[edge.a].duty, ctx.net.nodes[edge.b].duty);
    positive(a) && positive(b) && (a != Role::Any || b != Role::Any)
}

/// All groups of failing conductors over all states, each once.
///
/// Conductors that pass with every contact closed and every source running pass in every state,
/// because capacities only fall when something opens; only the others are looked at state by state,
/// and only in states that differ on their side of the network.
pub fn analyse(ctx: &Context) -> Vec<Group> {
    let mut found: BTreeMap<usize, Group> = BTreeMap::new();
    let mut all = forward(ctx, None);
    let candidates: Vec<(usize, usize)> = wires_between(ctx, |e| forward_wire(ctx, e))
        .filter(|&(w, e)| worst_end(ctx, &mut all, w, e).is_some())
        .collect();
    for (index, state) in distinct(ctx, &candidates) {
        let mut built = forward(ctx, Some(state));
        // Two AC sources on one conductor are backfeed, which is reported as such; each of them alone is
        // judged in its own state.
        let parallel = |e: usize| {
            let at = state.live.sources_at(ctx.net, ctx.net.edges[e].a);
            at.filter(|s| ctx.net.sources[*s].kind.is_ac()).count() > 1
        };
        let failing: Vec<(usize, usize)> = candidates
            .iter()
            .copied()
            .filter(|&(w, e)| !parallel(e) && worst_end(ctx, &mut built, w, e).is_some())
            .collect();
        if !failing.is_empty() {
            follow(ctx, state, index, &mut built, &failing, &mut found);
        }
    }
    let mut groups: Vec<Group> = found.into_values().collect();
    judge_returns(ctx, &mut groups);
    groups
}

/// The first state of each kind that looks alike from the side of the candidates.
fn distinct<'a>(ctx: &'a Context, candidates: &[(usize, usize)]) -> Vec<(usize, &'a State)> {
    if candidates.is_empty() {
        return Vec::new();
    }
    let net = ctx.net;
    let mut side = Union::new(net.nodes.len());
    for edge in &net.edges {
        if !matches!(edge.what, What::Bond { .. }) && !net.crosses_earth(edge) {
            side.join(edge.a, edge.b);
        }
    }
    for c in &net.consumers {
        side.join(c.plus, c.minus);
    }
    let roots: BTreeSet<usize> = candidates.iter().map(|&(_, e)| side.find(net.edges[e].a)).collect();
    let contacts: Vec<usize> = (0..net.edges.len())
        .filter(|&i| matches!(net.edges[i].what, What::Contact(_)) && roots.contains(&side.find(net.edges[i].a)))
        .collect();
    let sources: Vec<usize> =
        (0..net.sources.len()).filter(|&s| roots.contains(&side.find(net.sources[s].plus))).collect();
    let mut seen = HashSet::new();
    let states = ctx.states.states.iter().enumerate();
    states
        .filter(|(_, s)| {
            let mut bits: Vec<bool> = contacts.iter().map(|&i| s.closed(net, i)).collect();
            bits.extend(sources.iter().map(|&i| s.live.active[i]));
            seen.insert(bits)
        })
        .collect()
}

/// The end of a wire with the larger flow, when that is more than allowed: node and flow.
fn worst_end(ctx: &Context, built: &mut Built, wire: usize, edge: usize) -> Option<(usize, Flow)> {
    let handle = built.handle[edge]?;
    let (a, b) = (ctx.net.edges[edge].a, ctx.net.edges[edge].b);
    [a, b]
        .into_iter()
        .filter_map(|end| {
            let flow = built.graph.max_flow(end, &[handle]);
            let limit = allowed(ctx, wire, &flow, built);
            exceeds(&flow, limit).then_some((end, flow))
        })
        .max_by(|x, y| x.1.amps.total_cmp(&y.1.amps))
}

/// What could flow in a conductor in one state, A, and what holds it; nothing for a conductor that is
/// neither positive nor line.
pub fn flow_in(ctx: &Context, state: &State, wire: usize) -> Option<(f64, Vec<String>)> {
    let edge = ctx.net.edges.iter().position(|e| e.what == What::Wire(wire))?;
    let e = &ctx.net.edges[edge];
    if !forward_wire(ctx, e) {
        return None;
    }
    let mut built = forward(ctx, Some(state));
    let handle = built.handle[edge]?;
    let flows = [e.a, e.b].map(|end| built.graph.max_flow(end, &[handle]));
    let larger = if flows[0].amps >= flows[1].amps { &flows[0] } else { &flows[1] };
    let held = larger.cut.iter().filter_map(|h| built.limiter.get(h)).map(|l| l.words.clone()).collect();
    Some((larger.amps, held))
}

/// Follows the failing conductors of one state from their entries.
fn follow(
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
    let deleted: Vec<usize> = failing.iter().filter_map(|&(_, e)| built.handle[e]).collect();
    let mut at_pad: HashMap<u32, Vec<(usize, usize)>> = HashMap::new();
    for &(w, e) in failing {
        for node in [net.edges[e].a, net.edges[e].b] {
            at_pad.entry(pad[node]).or_default().push((w, node));
        }
    }
    // Where the danger enters: pads at which more than allowed arrives without any failing conductor.
    let mut starts: Vec<(usize, usize, Flow)> = Vec::new();
    let mut entries: BTreeMap<u32, Vec<(usize, usize)>> = BTreeMap::new();
    for (&p, list) in &at_pad {
        entries.insert(p, list.clone());
    }
    for list in entries.values() {
        let flow = built.graph.max_flow(list[0].1, &deleted);
        for &(w, node) in list {
            if exceeds(&flow, allowed(ctx, w, &flow, built)) {
                starts.push((w, node, flow.clone()));
            }
        }
    }
    let edge_of: HashMap<usize, usize> = failing.iter().copied().collect();
    // A conductor that several feeds overload together has no single entry: judge it from its worse end.
    for &(w, e) in failing {
        let reached = starts.iter().any(|(s, ..)| *s == w) || {
            let (a, b) = (net.edges[e].a, net.edges[e].b);
            [a, b].iter().any(|n| at_pad[&pad[*n]].iter().any(|(other, _)| *other != w))
        };
        if !reached && let Some((node, flow)) = worst_end(ctx, built, w, e) {
            starts.push((w, node, flow));
        }
    }
    let entry_pads: HashSet<(usize, u32)> = starts.iter().map(|(w, n, _)| (*w, pad[*n])).collect();
    for (first, entry, flow) in &starts {
        let path = walk_out(ctx, *first, *entry, &pad, &at_pad, &edge_of, &entry_pads);
        if let Some(group) = judge_path(ctx, state, index, built, *first, *entry, flow, &path, &pad, &at_pad) {
            match found.get(first) {
                Some(old)
                    if old.verdict > group.verdict || (old.verdict == group.verdict && old.flow_a >= group.flow_a) => {}
                _ => {
                    found.insert(*first, group);
                }
            }
        }
    }
}

/// Failing wires reached from an entry through `first`: wire, far pad, distance to it.
fn walk_out(
    ctx: &Context,
    first: usize,
    entry: usize,
    pad: &[u32],
    at_pad: &HashMap<u32, Vec<(usize, usize)>>,
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
fn judge_path(
    ctx: &Context,
    state: &State,
    index: usize,
    built: &Built,
    first: usize,
    entry: usize,
    flow: &Flow,
    path: &[(usize, u32, f64)],
    pad: &[u32],
    at_pad: &HashMap<u32, Vec<(usize, usize)>>,
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
                        let over = exceeds(flow, *rating_a) && *rating_a > ctx.ampacity(wire).device_a * (1.0 + 1e-6);
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

/// A way along a return conductor: the end where current arrives, and the sources whose negative posts
/// lie beyond the other end.
struct Return {
    wire: usize,
    edge: usize,
    here: usize,
    beyond: usize,
    of: Vec<(usize, Vec<usize>)>,
}

/// Judges return conductors, adding those that fail for a reason already found to its group.
fn judge_returns(ctx: &Context, groups: &mut Vec<Group>) {
    let net = ctx.net;
    let sources = returning(ctx);
    let mut ways: Vec<Return> = Vec::new();
    for (wire, edge) in wires_between(ctx, |e| return_edge(ctx, e)) {
        let e = &net.edges[edge];
        for (here, beyond) in [(e.a, e.b), (e.b, e.a)] {
            let reached = reached(ctx, beyond, here);
            let of = sources.iter().filter(|(_, posts)| posts.iter().any(|p| reached.contains(p)));
            let of: Vec<(usize, Vec<usize>)> = of.cloned().collect();
            if !of.is_empty() && !of.iter().any(|(_, posts)| posts.contains(&here)) {
                ways.push(Return { wire, edge, here, beyond, of });
            }
        }
    }
    let mut cache: HashMap<Vec<usize>, Built> = HashMap::new();
    ways.retain(|way| return_flow(ctx, None, &mut cache, way).is_some());
    let candidates: Vec<(usize, usize)> = ways.iter().map(|w| (w.wire, w.edge)).collect();
    let mut seen: HashSet<usize> = HashSet::new();
    for (index, state) in distinct(ctx, &candidates) {
        let mut cache: HashMap<Vec<usize>, Built> = HashMap::new();
        for way in &ways {
            if seen.contains(&way.wire) {
                continue;
            }
            let Some((flow, limiters, allowed_a)) = return_flow(ctx, Some(state), &mut cache, way) else { continue };
            seen.insert(way.wire);
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
fn return_flow(
    ctx: &Context,
    state: Option<&State>,
    cache: &mut HashMap<Vec<usize>, Built>,
    way: &Return,
) -> Option<(Flow, Vec<Limiter>, f64)> {
    let key = way.of.iter().map(|(s, _)| *s).collect();
    let built = cache.entry(key).or_insert_with(|| backward(ctx, state, &way.of));
    // What has reached the far end goes on to the post from there: it does not turn back through another
    // conductor and take this one a second time.
    let ends_beyond = |e: &Edge| e.a == way.beyond || e.b == way.beyond;
    let edges = ctx.net.edges.iter().enumerate().filter(|(_, e)| ends_beyond(e));
    let deleted: Vec<usize> = edges.filter_map(|(i, _)| built.handle[i]).collect();
    let flow = built.graph.max_flow(way.here, &deleted);
    let allowed_a = allowed(ctx, way.wire, &flow, built);
    // A return without limit belongs to a forward conductor without a device, reported there.
    if flow.unlimited() || !exceeds(&flow, allowed_a) {
        return None;
    }
    let limiters = flow.cut.iter().filter_map(|h| built.limiter.get(h).cloned()).collect();
    Some((flow, limiters, allowed_a))
}

/// Everything a node reaches along returns without passing another node: a way that leads back through
/// the start is a circle, not a return.
fn reached(ctx: &Context, from: usize, without: usize) -> HashSet<usize> {
    let net = ctx.net;
    let mut seen = HashSet::from([from, without]);
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
    seen.remove(&without);
    seen
}
