//! What lies beyond a conductor in one state: the devices on every way out, and the ends that no device guards.

use super::super::Context;
use super::Limiter;
use super::graphs::{Built, device_words, exempt, positive};
use crate::network::{EdgeKind, FlowGraph, Union};
use crate::states::State;
use std::cell::RefCell;
use std::cmp::Ordering;
use std::collections::{BinaryHeap, HashMap, HashSet};

/// The metal of one state: terminals that hang together by joints and closed contacts.
pub(super) struct Ground<'a> {
    state: &'a State,
    pub(super) pad: Vec<u32>,
    /// Nodes of each component of metal, and edges at each node.
    nodes_of: HashMap<u32, Vec<usize>>,
    edges_at: Vec<Vec<usize>>,
    /// What hangs beyond each device, by its edge and far node.
    demands: RefCell<HashMap<(usize, usize), f64>>,
    /// Appliances as sources of what they ask for, through the devices: what they can ask for at a terminal is the greatest
    /// flow to it, for no device lets more than its rating be asked for long.
    asked: RefCell<FlowGraph>,
    /// Handle of each edge in that graph.
    arcs: Vec<Option<usize>>,
}

/// A device at the end of a way out.
pub(super) struct End {
    pub(super) words: Limiter,
    rating_a: f64,
    /// What hangs on it, A: its rating where an appliance of unstated current does.
    demand_a: f64,
    /// From the near end of the conductor, m.
    pub(super) distance: f64,
}

/// Everything on the ways out of a conductor.
#[derive(Default)]
pub(super) struct Beyond {
    pub(super) devices: Vec<End>,
    /// Ends without a device, in words.
    pub(super) bare: Vec<String>,
}

impl Beyond {
    /// What could flow out through the devices at once: one of them up to its rating, the others as much as hangs on
    /// them (IEC 60364-4-43 section 433.1, loads that cannot overload; recalled).
    pub(super) fn let_out(&self) -> f64 {
        let spare = self.devices.iter().map(|e| e.rating_a - e.demand_a).fold(0.0, f64::max);
        self.devices.iter().map(|e| e.demand_a).sum::<f64>() + spare
    }

    /// The farthest device, m from the near end.
    pub(super) fn farthest(&self) -> Option<f64> {
        self.devices.iter().map(|d| d.distance).max_by(f64::total_cmp)
    }
}

/// A component of metal still to be looked at, nearest first.
struct Open(f64, u32);

impl PartialEq for Open {
    fn eq(&self, other: &Open) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}
impl Eq for Open {}
impl PartialOrd for Open {
    fn partial_cmp(&self, other: &Open) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Open {
    fn cmp(&self, other: &Open) -> Ordering {
        other.0.total_cmp(&self.0).then(other.1.cmp(&self.1))
    }
}

impl<'a> Ground<'a> {
    pub(super) fn new(ctx: &Context, state: &'a State) -> Ground<'a> {
        let net = ctx.net;
        let mut pads = Union::new(net.nodes.len());
        let mut edges_at = vec![Vec::new(); net.nodes.len()];
        for (i, edge) in net.edges.iter().enumerate() {
            if !positive(net.nodes[edge.a].duty) || !positive(net.nodes[edge.b].duty) {
                continue;
            }
            if matches!(edge.what, EdgeKind::Joint | EdgeKind::Strap { .. } | EdgeKind::Contact(_))
                && state.closed(net, i)
            {
                pads.join(edge.a, edge.b);
            }
            edges_at[edge.a].push(i);
            edges_at[edge.b].push(i);
        }
        let pad = pads.into_labels();
        let mut nodes_of: HashMap<u32, Vec<usize>> = HashMap::new();
        for (n, p) in pad.iter().enumerate() {
            nodes_of.entry(*p).or_default().push(n);
        }
        let mut asked = FlowGraph::new(net.nodes.len());
        let mut arcs = vec![None; net.edges.len()];
        for (i, edge) in net.edges.iter().enumerate() {
            let fits = positive(net.nodes[edge.a].duty) && positive(net.nodes[edge.b].duty);
            if fits && state.closed(net, i) && !matches!(edge.what, EdgeKind::Bond { .. }) {
                let capacity = if let EdgeKind::Device { rating_a, .. } = edge.what { rating_a } else { f64::INFINITY };
                arcs[i] = Some(asked.edge(edge.a, edge.b, capacity));
            }
        }
        for c in &net.consumers {
            // What an appliance of unstated current asks for is limited by the devices alone.
            let amps = c.current_a.unwrap_or(f64::INFINITY);
            asked.feed(c.plus, amps);
            if c.two_hot {
                asked.feed(c.minus, amps);
            }
        }
        Ground { state, pad, nodes_of, edges_at, demands: RefCell::default(), asked: RefCell::new(asked), arcs }
    }

    /// The metal at the other end of a conductor.
    pub(super) fn other_end(&self, ctx: &Context, edge: usize, near: u32) -> u32 {
        let e = &ctx.net.edges[edge];
        if self.pad[e.a] == near { self.pad[e.b] } else { self.pad[e.a] }
    }

    /// Looks outward from the far end of a conductor, through every conductor and closed contact, up to the devices:
    /// nearest first, so that a device's distance is that of the shortest way to it. The conductor itself, those in
    /// parallel with it and the metal at its near end are not passed. O(E log E).
    pub(super) fn beyond(&self, ctx: &Context, built: &Built, wire: usize, near: u32, far: u32) -> Beyond {
        let net = ctx.net;
        let own = ctx.parallel(wire);
        let mut out = Beyond::default();
        let mut seen: HashSet<u32> = HashSet::from([near]);
        let mut heap = BinaryHeap::from([Open(net.wires[wire].length_m, far)]);
        let mut met: HashSet<usize> = HashSet::new();
        while let Some(Open(distance, pad)) = heap.pop() {
            if !seen.insert(pad) {
                continue;
            }
            let (mut ended, mut onward) = (false, 0);
            for &n in self.nodes_of.get(&pad).into_iter().flatten() {
                let consumer = net.consumers.iter().find(|c| c.plus == n || (c.two_hot && c.minus == n));
                let source = net.sources.iter().find(|s| s.plus == n);
                if let Some(component) = consumer.map(|c| c.component).or(source.map(|s| s.component)) {
                    out.bare.push(ctx.component_words(component));
                    ended = true;
                }
                for &i in &self.edges_at[n] {
                    let edge = &net.edges[i];
                    let after = if edge.a == n { edge.b } else { edge.a };
                    match &edge.what {
                        EdgeKind::Device { component, way, rating_a } if self.pad[after] != pad => {
                            ended = true;
                            if self.pad[after] == near || !met.insert(i) {
                                continue;
                            }
                            out.devices.push(End {
                                words: Limiter {
                                    words: device_words(ctx, *component, way.as_deref(), *rating_a),
                                    device: Some((*component, way.clone())),
                                },
                                rating_a: *rating_a,
                                demand_a: self.demand_beyond(ctx, i, after, *rating_a),
                                distance,
                            });
                        }
                        // The state in which it is closed judges what lies beyond.
                        EdgeKind::Contact(_) if !self.state.closed(net, i) => ended = true,
                        EdgeKind::Wire(w) if built.handle[i].is_some() && !own.contains(w) && !exempt(ctx, *w) => {
                            onward += 1;
                            if self.pad[after] != near && !seen.contains(&self.pad[after]) {
                                heap.push(Open(distance + net.wires[*w].length_m, self.pad[after]));
                            }
                        }
                        _ => {}
                    }
                }
            }
            // One conductor leads here, and nothing leads on.
            let first = usize::from(pad != far);
            if !ended && onward <= first {
                out.bare.push(self.name(ctx, pad));
            }
        }
        if out.devices.is_empty() && out.bare.is_empty() {
            out.bare.push(self.name(ctx, far));
        }
        out.bare.sort();
        out.bare.dedup();
        out
    }

    fn name(&self, ctx: &Context, pad: u32) -> String {
        let nodes = self.nodes_of.get(&pad).into_iter().flatten();
        nodes.map(|n| ctx.net.nodes[*n].name.clone()).next().unwrap_or_else(|| "a loose end".to_owned())
    }

    /// Rated current beyond a device, or its rating where that is not known.
    fn demand_beyond(&self, ctx: &Context, device: usize, after: usize, rating_a: f64) -> f64 {
        *self.demands.borrow_mut().entry((device, after)).or_insert_with(|| {
            let net = ctx.net;
            let mut seen = HashSet::from([after]);
            let mut stack = vec![after];
            let e = &net.edges[device];
            let before = if e.a == after { e.b } else { e.a };
            while let Some(n) = stack.pop() {
                for &i in self.edges_at[n].iter().filter(|i| **i != device) {
                    let edge = &net.edges[i];
                    let next = if edge.a == n { edge.b } else { edge.a };
                    if self.state.closed(net, i) && !matches!(edge.what, EdgeKind::Bond { .. }) && seen.insert(next) {
                        stack.push(next);
                    }
                }
            }
            if seen.contains(&before) {
                return rating_a;
            }
            self.asked_at(after, &[device]).min(rating_a)
        })
    }

    /// What appliances can ask for at a terminal with some edges taken away, A; without limit where one of unstated
    /// current hangs there bare.
    pub(super) fn asked_at(&self, node: usize, without: &[usize]) -> f64 {
        let deleted: Vec<usize> = without.iter().filter_map(|e| self.arcs[*e]).collect();
        self.asked.borrow_mut().max_flow(node, &deleted).amps
    }
}
