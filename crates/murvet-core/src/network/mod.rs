//! From what was traced to conductors and contacts: the graph on which everything is computed.

mod bank;
mod dc;
mod expand;
mod figures;
mod flow;
mod heat;
mod nodal;
mod union;
mod waking;

pub(crate) use bank::bank_links;
pub(crate) use dc::RHO_20;
pub use dc::{Case, Cell, DcNet, Factored, full_volts, internal_ohm};
pub use expand::expand;
pub(crate) use figures::{battery_volts, charge_volts, nominal_system};
pub use flow::{Flow, FlowGraph, INFINITE};
use heat::air;
pub(crate) use heat::{MOST_C, losses, warmer};
pub use nodal::{Factor, NodalError, Resistor, Solution, solve};
pub use union::Union;

use crate::catalogue::{Bond, Role, SourceKind};
use crate::profiles::Laid;
use crate::rig::{LooseEnd, Rig};
use std::collections::HashMap;

/// A terminal, a splice or a loose end.
#[derive(Debug, Clone)]
pub struct Node {
    /// The component it belongs to, by index.
    pub component: Option<usize>,
    /// Terminal name within the component.
    pub terminal: String,
    /// Name as printed: `house.+`.
    pub name: String,
    /// What the terminal is meant for.
    pub role: Role,
    /// What is actually landed on it: the role, or for a bar or device that of the nearest terminal
    /// with a role.
    pub duty: Role,
}

impl Node {
    /// How it lies, where it is an end that goes nowhere.
    pub fn loose(&self) -> Option<LooseEnd> {
        LooseEnd::parse(&self.terminal).filter(|_| self.component.is_none())
    }

    /// Whether it belongs to the AC side: line, neutral, or an earth terminal of an AC port.
    pub fn is_mains_side(&self) -> bool {
        matches!(self.duty, Role::Line | Role::Neutral)
    }
}

/// Where in the rig a wire was entered.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum WireSpot {
    /// A conductor of a run: run index, step index.
    Run(usize, usize),
    /// A core of a cable: cable index, core number at the start.
    Cable(usize, usize),
}

/// One length of conductor.
#[derive(Debug, Clone)]
pub struct Wire {
    /// Where it was entered.
    pub spot: WireSpot,
    /// Name that stays the same while other parts of the rig change: the terminals it joins.
    pub key: String,
    /// As printed: `1.8m 70mm2`.
    pub title: String,
    /// Length, m; the worst or best credible one when unseen.
    pub length_m: f64,
    /// How it lies, with its area (the worst or best credible one when unseen).
    pub laid: Laid,
    /// Entered as a gauge.
    pub gauge: bool,
    /// Vehicle maker's cranking cable.
    pub cranking: bool,
    /// In a sheath or conduit of its own.
    pub sheathed: bool,
    /// Length or size was not seen, and nothing stands in for it.
    pub unseen: bool,
    /// The size was not seen, whatever stands in for it.
    pub size_guessed: bool,
}

/// What closes a contact.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Gate {
    /// A control at a position.
    Control(usize, u8),
    /// An automatic changeover at a position.
    Auto(usize, u8),
}

/// What joins two nodes.
#[derive(Debug, Clone, PartialEq)]
pub enum EdgeKind {
    /// A length of conductor.
    Wire(usize),
    /// Metal to metal.
    Joint,
    /// A link between two batteries of one bank, with its resistance at 20 C, ohm; nothing where its size is unknown.
    Strap {
        /// The bank.
        component: usize,
        /// Ohm.
        ohm: f64,
    },
    /// An overcurrent device.
    Device {
        /// The component.
        component: usize,
        /// The way of it.
        way: Option<String>,
        /// Rating, A; the worst or best credible one when unseen.
        rating_a: f64,
    },
    /// A contact.
    Contact(Gate),
    /// A neutral-earth bond.
    Bond {
        /// The component that has it.
        component: usize,
        /// When it is joined.
        bond: Bond,
        /// The source it goes with, by index.
        source: Option<usize>,
    },
}

/// An edge of the graph.
#[derive(Debug, Clone, PartialEq)]
pub struct Edge {
    /// One end.
    pub a: usize,
    /// Other end.
    pub b: usize,
    /// What it is.
    pub what: EdgeKind,
    /// The component through whose residual-current device it passes.
    pub residual: Option<usize>,
}

/// A source port.
#[derive(Debug, Clone)]
pub struct Source {
    /// The component.
    pub component: usize,
    /// What it is.
    pub kind: SourceKind,
    /// Line or positive node.
    pub plus: usize,
    /// Neutral or negative node.
    pub minus: usize,
    /// Earth node of an AC source.
    pub earth: Option<usize>,
    /// Input nodes of a converting source.
    pub input: Option<(usize, usize)>,
    /// Most current it can give for long, A.
    pub limit_a: f64,
    /// What it gives as it is set, A; no more than the limit.
    pub set_a: f64,
    /// Voltage between its terminals, V.
    pub volts: f64,
    /// The second hot of a two-hot source, its voltage opposite to that of the first.
    pub opposite: bool,
    /// An inverter that adds its power to what passes through its unit.
    pub assist: bool,
    /// Batteries below this one in series, by component: the voltage and the negative terminal are those of all together.
    pub below: Vec<usize>,
    /// The control that switches it, and the position at which it runs.
    pub switch: Option<(usize, u8)>,
    /// The automatic changeover that decides whether it runs, and at which position.
    pub auto: Option<(usize, u8)>,
    /// What else has to be there for it to run.
    pub wake: Option<Wake>,
}

/// What starts a DC-DC charger that has no switch.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Wake {
    /// A wire that is live.
    Signal(usize),
    /// The voltage at its input, which something that charges holds up.
    Voltage,
}

impl Source {
    /// The components of a battery and of those in series below it, top first; of any other source its own component.
    pub fn stack(&self) -> impl Iterator<Item = usize> + '_ {
        std::iter::once(self.component).chain(self.below.iter().copied())
    }
}

/// A battery, or a string of like ones in series, between its posts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Store {
    /// The component.
    pub component: usize,
    /// Which of the component, from 1.
    pub number: usize,
    /// Positive post.
    pub plus: usize,
    /// Negative post.
    pub minus: usize,
}

/// A consumer's terminals.
#[derive(Debug, Clone)]
pub struct Consumer {
    /// The component.
    pub component: usize,
    /// Line or positive node.
    pub plus: usize,
    /// Neutral or negative node.
    pub minus: usize,
    /// On AC.
    pub ac: bool,
    /// Between two hots of opposite phase: the second terminal is a hot too.
    pub two_hot: bool,
    /// Rated current, A, where known; for an inverter full power at cut-off voltage.
    pub current_a: Option<f64>,
    /// How that current was found.
    pub working: String,
    /// Safety depends on it.
    pub vital: bool,
}

/// Something a person can operate.
#[derive(Debug, Clone)]
pub struct Control {
    /// The component; `None` for the engine.
    pub component: Option<usize>,
    /// Printed name.
    pub name: String,
    /// Printed positions, parked position first.
    pub positions: Vec<String>,
    /// The same as codes: those of the anatomy, and `stopped` and `running` of the engine.
    pub codes: Vec<&'static str>,
    /// The operation that brings it to each position, in words.
    pub operations: Vec<String>,
    /// Interlock it takes part in.
    pub interlock: Option<String>,
}

/// A changeover that moves by itself.
#[derive(Debug, Clone)]
pub struct Auto {
    /// The component.
    pub component: usize,
    /// Printed positions, rest position first.
    pub positions: Vec<String>,
    /// Its inputs, most preferred first: it stands at position 1 while the first is energised, at 2 while the second
    /// is and the first is not. An input is energised when one of its pairs is: line and neutral, and on two hots the
    /// one against the other, for there are coils of both kinds.
    pub sensed: Vec<Vec<(usize, usize)>>,
    /// It stands at position 1 whatever it senses: a contactor that is welded.
    pub held: bool,
    /// Interlock it takes part in: it stays at rest while another of that name is away from it.
    pub interlock: Option<String>,
}

/// A rig as a graph.
#[derive(Debug, Clone, Default)]
pub struct Network {
    /// Nodes.
    pub nodes: Vec<Node>,
    /// Edges.
    pub edges: Vec<Edge>,
    /// Wires, referred to by edges.
    pub wires: Vec<Wire>,
    /// Source ports.
    pub sources: Vec<Source>,
    /// Batteries and strings of them.
    pub stores: Vec<Store>,
    /// Consumers.
    pub consumers: Vec<Consumer>,
    /// Controls.
    pub controls: Vec<Control>,
    /// Automatic changeovers.
    pub autos: Vec<Auto>,
}

impl Network {
    /// Labels of nodes that hang together by the edges that a test lets through.
    pub fn joined(&self, keep: impl Fn(&Edge) -> bool) -> Vec<u32> {
        let mut sets = Union::new(self.nodes.len());
        for edge in self.edges.iter().filter(|e| keep(e)) {
            sets.join(edge.a, edge.b);
        }
        sets.into_labels()
    }

    /// The residual-current device that an edge passes, as `component` or `panel.way`. A panel with a device of its own and
    /// others in its ways counts as one: they stand in a row, and the time to open does not tell them apart.
    pub fn residual_device(&self, rig: &Rig, edge: &Edge) -> Option<String> {
        let component = edge.residual?;
        let p = &rig.components[component];
        let of_way = |n: usize| {
            let node = &self.nodes[n];
            let stem = node.terminal.split('.').next().unwrap_or_default();
            (node.component == Some(component))
                .then(|| p.ways.iter().find(|w| w.id == stem && w.rcd.is_some()))
                .flatten()
        };
        let way = of_way(edge.a).or_else(|| of_way(edge.b)).filter(|_| !p.attrs.contains_key("rcd"));
        Some(way.map_or_else(|| p.id.clone(), |w| format!("{}.{}", p.id, w.id)))
    }

    /// The node of a terminal.
    pub fn node(&self, component: usize, terminal: &str) -> Option<usize> {
        self.nodes.iter().position(|n| n.component == Some(component) && n.terminal == terminal)
    }

    /// The component whose contact or overcurrent device an edge is.
    pub fn contact_of(&self, e: &Edge) -> Option<usize> {
        let component = self.nodes[e.a].component.filter(|p| self.nodes[e.b].component == Some(*p))?;
        matches!(e.what, EdgeKind::Contact(_) | EdgeKind::Device { .. }).then_some(component)
    }

    /// The nodes at the other ends of the conductors that end at a node.
    pub fn beyond(&self, node: usize) -> impl Iterator<Item = usize> + '_ {
        let wires = self.edges.iter().filter(|e| matches!(e.what, EdgeKind::Wire(_)));
        wires.filter_map(move |e| if e.a == node { Some(e.b) } else { (e.b == node).then_some(e.a) })
    }

    /// The first wire that ends at a node, and the node at its other end.
    pub fn wire_at(&self, node: usize) -> Option<(usize, usize)> {
        self.edges.iter().find_map(|e| match e.what {
            EdgeKind::Wire(w) if e.a == node => Some((w, e.b)),
            EdgeKind::Wire(w) if e.b == node => Some((w, e.a)),
            _ => None,
        })
    }

    /// Every node at which a conductor ends, each once: where a joint is.
    pub(crate) fn wire_ends_once(&self) -> Vec<usize> {
        let wires = self.edges.iter().filter(|e| matches!(e.what, EdgeKind::Wire(_)));
        let mut nodes: Vec<usize> = wires.flat_map(|e| [e.a, e.b]).collect();
        nodes.sort_unstable();
        nodes.dedup();
        nodes
    }

    /// The node of a core where something is plugged in: the outlet itself, or the load side of one with a
    /// residual-current device.
    pub fn plugged(&self, component: usize, core: &str) -> Option<usize> {
        ["load", "ac"].iter().find_map(|port| self.node(component, &format!("{port}.{core}")))
    }

    /// Sources that are the first and the second hot of one output with opposite voltages.
    pub fn opposite_hots(&self) -> impl Iterator<Item = (usize, usize)> + '_ {
        let seconds = self.sources.iter().enumerate().filter(|(_, s)| s.opposite);
        seconds.filter_map(|(second, s)| {
            // The second hot stands right behind the first.
            let first = second.checked_sub(1)?;
            (self.sources[first].component == s.component && self.sources[first].kind == s.kind)
                .then_some((first, second))
        })
    }

    /// Whether an edge joins earth to a conductor that is not earth.
    pub fn crosses_earth(&self, edge: &Edge) -> bool {
        let (a, b) = (self.nodes[edge.a].duty, self.nodes[edge.b].duty);
        (a == Role::Earth) != (b == Role::Earth) && a != Role::Any && b != Role::Any
    }

    /// The edge of a wire.
    pub fn wire_edge(&self, wire: usize) -> Option<&Edge> {
        self.edges.iter().find(|e| e.what == EdgeKind::Wire(wire))
    }

    /// For each wire those that lie in parallel with it, itself included: single conductors between the same
    /// two terminals, of one size and insulation, equal in length within a share. Unequal ones share
    /// unequally and are judged each for itself.
    pub fn parallel_wires(&self, within: f64) -> Vec<Vec<usize>> {
        let mut ends: Vec<Option<(usize, usize)>> = vec![None; self.wires.len()];
        for e in &self.edges {
            if let EdgeKind::Wire(w) = e.what {
                ends[w] = Some((e.a.min(e.b), e.a.max(e.b)));
            }
        }
        let like = |a: usize, b: usize| {
            let (x, y) = (&self.wires[a], &self.wires[b]);
            let run = |w: &Wire| matches!(w.spot, WireSpot::Run(..));
            ends[a].is_some()
                && ends[a] == ends[b]
                && run(x)
                && run(y)
                && (x.laid.area_mm2 / y.laid.area_mm2 - 1.0).abs() < 0.01
                && x.laid.insulation_c == y.laid.insulation_c
                && (x.length_m - y.length_m).abs() <= within * x.length_m.max(y.length_m)
        };
        let mut between: HashMap<(usize, usize), Vec<usize>> = HashMap::new();
        for (w, pair) in ends.iter().enumerate() {
            if let Some(pair) = pair {
                between.entry(*pair).or_default().push(w);
            }
        }
        let beside = |a: usize| ends[a].map_or(&[][..], |pair| between[&pair].as_slice());
        let group = |a: usize| {
            let mut list: Vec<usize> = beside(a).iter().copied().filter(|&b| a == b || like(a, b)).collect();
            if list.is_empty() {
                list.push(a);
            }
            list
        };
        (0..self.wires.len()).map(group).collect()
    }

    /// The two terminals a wire joins, as printed.
    pub fn wire_ends(&self, wire: usize) -> String {
        self.wire_edge(wire)
            .map(|e| format!("{} to {}", self.nodes[e.a].name, self.nodes[e.b].name))
            .unwrap_or_default()
    }
}
