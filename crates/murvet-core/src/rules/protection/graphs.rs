//! The flow graphs: which conductors, devices and sources take part, and what each allows.

use super::super::Context;
use super::Limiter;
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{Edge, EdgeKind, Flow, FlowGraph, WireSpot};
use crate::states::State;
use crate::units::short;
use std::collections::HashSet;

pub(in crate::rules) struct Built {
    pub(super) graph: FlowGraph,
    /// Flow handle of each edge of the network.
    pub(super) handle: Vec<Option<usize>>,
    /// What gives each arc its capacity, by its handle.
    held: Vec<Option<Held>>,
}

/// What gives an arc of the flow its capacity; put into words only for what is told.
#[derive(Clone, Copy)]
enum Held {
    /// A device, by its edge.
    Device(usize),
    /// A source.
    Source(usize),
    /// A device that is missing in a conductor and taken as fitted, by the conductor's edge.
    Fitted(usize),
}

impl Built {
    /// No arcs yet.
    pub(super) fn empty(ctx: &Context) -> Built {
        Built { graph: FlowGraph::new(ctx.net.nodes.len()), handle: vec![None; ctx.net.edges.len()], held: Vec::new() }
    }

    fn hold(&mut self, handle: usize, by: Held) {
        if self.held.len() <= handle {
            self.held.resize(handle + 1, None);
        }
        self.held[handle] = Some(by);
    }

    /// What stands at its limit in a flow.
    pub(super) fn limiters(&self, ctx: &Context, flow: &Flow) -> Vec<Limiter> {
        let held = flow.cut.iter().filter_map(|h| self.held.get(*h).copied().flatten());
        let words = held.filter_map(|h| match h {
            Held::Device(edge) => match &ctx.net.edges[edge].what {
                EdgeKind::Device { component, way, rating_a } => Some(Limiter {
                    words: device_words(ctx, *component, way.as_deref(), *rating_a),
                    device: Some((*component, way.clone())),
                }),
                _ => None,
            },
            Held::Fitted(edge) => match ctx.net.edges[edge].what {
                EdgeKind::Wire(w) => Some(Limiter {
                    words: format!("the {} A device that {} wants", short(ctx.ampacity(w).device_a), ctx.wire_words(w)),
                    device: None,
                }),
                _ => None,
            },
            Held::Source(source) => Some(Limiter { words: source_words(ctx, source), device: None }),
        });
        words.collect()
    }

    /// Puts devices into conductors: edges with the rating of each, A.
    pub(super) fn fit(&mut self, devices: &[(usize, f64)]) {
        for &(edge, amps) in devices {
            if let Some(handle) = self.handle[edge] {
                self.graph.set_capacity(handle, amps);
                self.hold(handle, Held::Fitted(edge));
            }
        }
    }

    /// Whether an arc of the flow is an overcurrent device.
    pub(super) fn is_device(&self, handle: usize) -> bool {
        matches!(self.held.get(handle), Some(Some(Held::Device(_) | Held::Fitted(_))))
    }

    /// What holds a flow, in words.
    pub(super) fn held(&self, ctx: &Context, flow: &Flow) -> Vec<String> {
        self.limiters(ctx, flow).into_iter().map(|l| l.words).collect()
    }

    /// Flow handles of a conductor and those in parallel with it: they are taken away together.
    pub(super) fn together(&self, ctx: &Context, wire: usize, edge: usize) -> Vec<usize> {
        let group = ctx.parallel(wire);
        if group.len() == 1 {
            return self.handle[edge].into_iter().collect();
        }
        let edges = ctx.net.edges.iter().enumerate();
        edges
            .filter(|(_, e)| matches!(e.what, EdgeKind::Wire(w) if group.contains(&w)))
            .filter_map(|(i, _)| self.handle[i])
            .collect()
    }
}

/// Whether a terminal of this duty is on the live side: positive, line, or whatever is landed on it.
pub(crate) fn positive(role: Role) -> bool {
    matches!(role, Role::Plus | Role::Line | Role::Any)
}

/// A device in words with its rating.
pub(crate) fn device_words(ctx: &Context, component: usize, way: Option<&str>, rating: f64) -> String {
    let p = &ctx.rig.components[component];
    let name = match way {
        Some(way) => format!("{} way {way}", p.id),
        None if p.kind == Kind::Panel => format!("{} main breaker", p.id),
        None => ctx.component_words(component),
    };
    if ctx.unread(component, way) { format!("{name} of unread rating") } else { format!("{name} {} A", short(rating)) }
}

/// The limit of a source in words.
pub(super) fn source_words(ctx: &Context, source: usize) -> String {
    let s = &ctx.net.sources[source];
    let name = ctx.component_words(s.component);
    match s.kind {
        SourceKind::Battery => format!("{name} without limit"),
        SourceKind::Shore => format!("{} breaker of {} A at {name}", ctx.profile.words.supply, short(s.limit_a)),
        SourceKind::Array => {
            format!("{name}, short-circuit current × {} = {} A", short(ctx.profile.sun.value), short(s.limit_a))
        }
        _ => format!("{name}, limit {} A", short(s.limit_a)),
    }
}

pub(super) fn add_edge(built: &mut Built, index: usize, edge: &Edge) {
    let capacity = match edge.what {
        EdgeKind::Device { rating_a, .. } => rating_a,
        _ => f64::INFINITY,
    };
    let handle = built.graph.edge(edge.a, edge.b, capacity);
    built.handle[index] = Some(handle);
    if matches!(edge.what, EdgeKind::Device { .. }) {
        built.hold(handle, Held::Device(index));
    }
}

pub(super) fn feed(ctx: &Context, built: &mut Built, source: usize) {
    let s = &ctx.net.sources[source];
    let handle = built.graph.feed(s.plus, s.limit_a);
    built.hold(handle, Held::Source(source));
}

/// The graph of everything that is live to earth or positive, in one state or (with `None`) with every
/// contact closed and every source running.
pub(super) fn forward(ctx: &Context, state: Option<&State>) -> Built {
    forward_of(ctx, state, |_| true)
}

/// The same with some of the sources.
pub(super) fn forward_of(ctx: &Context, state: Option<&State>, of: impl Fn(usize) -> bool) -> Built {
    let net = ctx.net;
    let mut built = Built::empty(ctx);
    for (i, edge) in net.edges.iter().enumerate() {
        let closed = state.is_none_or(|s| s.closed(net, i));
        let fits = positive(net.nodes[edge.a].duty) && positive(net.nodes[edge.b].duty);
        if closed && fits && !matches!(edge.what, EdgeKind::Bond { .. }) {
            add_edge(&mut built, i, edge);
        }
    }
    for source in 0..net.sources.len() {
        if of(source) && state.is_none_or(|s| s.live.active[source] || net.sources[source].assists(&s.setting)) {
            feed(ctx, &mut built, source);
        }
    }
    built
}

pub(super) fn returns(role: Role) -> bool {
    matches!(role, Role::Minus | Role::Earth)
}

/// Whether an edge may carry DC return current.
pub(super) fn return_edge(ctx: &Context, edge: &Edge) -> bool {
    let net = ctx.net;
    let core = matches!(edge.what, EdgeKind::Wire(w) if matches!(net.wires[w].spot, WireSpot::Cable(..)));
    returns(net.nodes[edge.a].duty)
        && returns(net.nodes[edge.b].duty)
        && !core
        && !matches!(edge.what, EdgeKind::Bond { .. })
}

/// Nodes at which the return current of a source has arrived: its negative posts.
pub(super) fn posts(ctx: &Context, source: usize) -> Vec<usize> {
    let net = ctx.net;
    let s = &net.sources[source];
    if s.kind != SourceKind::Battery {
        return vec![s.minus];
    }
    let own = |n: &usize| net.nodes[*n].component == Some(s.component) && net.nodes[*n].role == Role::Minus;
    (0..net.nodes.len()).filter(own).collect()
}

/// DC sources with the nodes at which their return current has arrived.
pub(super) fn returning(ctx: &Context) -> Vec<(usize, Vec<usize>)> {
    let dc = (0..ctx.net.sources.len()).filter(|&s| !ctx.net.sources[s].kind.is_ac());
    dc.map(|s| (s, posts(ctx, s))).collect()
}

/// The graph of the return currents of some sources: out along the positive side, through the
/// consumers, and back along the negative side up to their negative posts. A current returns to the
/// source it came from, so the other sources feed nothing here.
pub(super) fn backward(ctx: &Context, state: Option<&State>, of: &[(usize, Vec<usize>)]) -> Built {
    let net = ctx.net;
    let mut built = Built::empty(ctx);
    let arrived: HashSet<usize> = of.iter().flat_map(|(_, posts)| posts.iter().copied()).collect();
    for (i, edge) in net.edges.iter().enumerate() {
        let closed = state.is_none_or(|s| s.closed(net, i));
        let out = positive(net.nodes[edge.a].duty) && positive(net.nodes[edge.b].duty);
        let back = return_edge(ctx, edge) && !arrived.contains(&edge.a) && !arrived.contains(&edge.b);
        if closed && (out || back) && !matches!(edge.what, EdgeKind::Bond { .. }) {
            add_edge(&mut built, i, edge);
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
pub(super) fn exempt(ctx: &Context, wire: usize) -> bool {
    // A link between batteries is part of the source, and judged as one (rule `bank-link`).
    if ctx.net.wires[wire].cranking || ctx.is_link(wire) {
        return true;
    }
    let Some(edge) = ctx.net.wire_edge(wire) else { return false };
    [edge.a, edge.b].into_iter().all(|n| {
        ctx.net.nodes[n].component.is_some_and(|p| {
            let p = &ctx.rig.components[p];
            p.kind == Kind::Alternator || p.flag("starter")
        })
    })
}

/// What the profile allows against this flow: a single device may be the next standard size, anything
/// else must stay within the ampacity.
pub(super) fn allowed(ctx: &Context, wire: usize, flow: &Flow, built: &Built) -> f64 {
    let amp = ctx.ampacity(wire);
    let device = flow.cut.len() == 1 && built.is_device(flow.cut[0]);
    if device { amp.device_a } else { amp.iz_a }
}

pub(super) fn exceeds(flow: &Flow, allowed: f64) -> bool {
    flow.unlimited() || flow.amps > allowed * (1.0 + 1e-6) + 1e-9
}

/// Wires of the network whose ends both satisfy a test, with their edges.
pub(super) fn wires_between<'a>(
    ctx: &'a Context,
    fits: impl Fn(&Edge) -> bool + 'a,
) -> impl Iterator<Item = (usize, usize)> + 'a {
    ctx.net.edges.iter().enumerate().filter(move |(_, e)| fits(e)).filter_map(|(i, e)| match e.what {
        // Conductors in parallel are one, by the first of them.
        EdgeKind::Wire(w) if !exempt(ctx, w) && ctx.parallel(w)[0] == w => Some((w, i)),
        _ => None,
    })
}

pub(super) fn forward_wire(ctx: &Context, edge: &Edge) -> bool {
    let (a, b) = (ctx.net.nodes[edge.a].duty, ctx.net.nodes[edge.b].duty);
    positive(a) && positive(b) && (a != Role::Any || b != Role::Any)
}
