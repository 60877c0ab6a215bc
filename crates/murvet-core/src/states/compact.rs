//! The network with everything that no control can part drawn together, so that a setting is judged quickly.
//!
//! Conductors and joints never change; only contacts and bonds do. What hangs together without them is contracted
//! once, and a setting then joins a few dozen parts instead of hundreds of nodes.

use super::{Labels, Live, Setting, gate_closed};
use crate::catalogue::{Bond, Role, SourceKind};
use crate::network::{EdgeKind, Gate, Network, Union, Wake};
use std::sync::Arc;

/// A pair of parts, in the graph of conductors and in that of all metal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
struct Spot {
    part: u32,
    metal: u32,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
struct Port {
    plus: Spot,
    minus: Spot,
    /// Input and whether it takes alternating current.
    input: Option<(Spot, Spot, bool)>,
    ac: bool,
    opposite_of: Option<usize>,
    assist: bool,
    /// Control and position at which it runs.
    switch: Option<(usize, u8)>,
    /// Automatic changeover and position at which it runs.
    auto: Option<(usize, u8)>,
    /// It charges what it stands on, and is no store.
    charges: bool,
    wake: Option<Waking>,
}

/// What starts a DC-DC charger that has no switch.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Waking {
    Signal(Spot),
    Voltage,
}

/// A contact: its gate, its ends in the graph of conductors (unless it crosses earth), and in that of metal.
type Switched = (Gate, Option<(u32, u32)>, (u32, u32));

/// The contracted network: where it stands in the rig, and what a search depends on.
pub(super) struct Compact {
    /// Part of each node along conductors, with everything that joins earth to another conductor left out.
    part_of: Arc<[u32]>,
    /// Part of each node along all metal.
    metal_of: Arc<[u32]>,
    pub(super) shape: Shape,
}

/// Everything that decides which settings can be reached and what then runs. Two rigs of one shape have the same states:
/// sizes, ratings, lengths and appliances are no part of it.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Shape {
    /// How many parts something can join or feed; those beyond stay as they are.
    parts: usize,
    metals: usize,
    contacts: Vec<Switched>,
    bonds: Vec<(Bond, Option<usize>, (u32, u32))>,
    sources: Vec<Port>,
    /// Inputs of each automatic device, most preferred first.
    sensed: Vec<Vec<Vec<(Spot, Spot)>>>,
    /// Whether each automatic device is held at its first input, and its interlock.
    bound: Vec<(bool, Option<String>)>,
    /// Positions of each automatic device, and of each control with its interlock.
    pub(super) positions: Vec<u8>,
    pub(super) controls: Vec<(u8, Option<String>)>,
}

/// What follows from a setting, by parts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Small {
    part: Vec<u32>,
    metal: Vec<u32>,
    pub(super) active: Vec<bool>,
    pub(super) wanted: Vec<u8>,
}

/// Labels from 0 without gaps, those of the touched nodes first, and how many of those there are. What is not touched
/// stays a part of its own whatever is switched, so it need not be looked at again.
fn dense(labels: &[u32], touched: &[usize]) -> (Vec<u32>, usize) {
    let mut names = vec![u32::MAX; labels.len()];
    let mut next = 0;
    let mut name = |label: u32| {
        let name = &mut names[label as usize];
        if *name == u32::MAX {
            *name = next;
            next += 1;
        }
        (*name, next as usize)
    };
    let count = touched.iter().map(|&n| name(labels[n]).1).last().unwrap_or(0);
    (labels.iter().map(|&l| name(l).0).collect(), count)
}

impl Compact {
    /// Contracts a network. O(E α(N)).
    pub(super) fn new(net: &Network) -> Compact {
        let (mut part, mut metal) = (Union::new(net.nodes.len()), Union::new(net.nodes.len()));
        for edge in &net.edges {
            if !matches!(edge.what, EdgeKind::Contact(_) | EdgeKind::Bond { .. }) {
                metal.join(edge.a, edge.b);
                if !net.crosses_earth(edge) {
                    part.join(edge.a, edge.b);
                }
            }
        }
        // What contacts and bonds join, and what sources and automatic devices stand on.
        let switched = net.edges.iter().filter(|e| matches!(e.what, EdgeKind::Contact(_) | EdgeKind::Bond { .. }));
        let mut touched: Vec<usize> = switched.flat_map(|e| [e.a, e.b]).collect();
        for s in &net.sources {
            touched.extend([s.plus, s.minus]);
            touched.extend(s.input.iter().flat_map(|(a, b)| [*a, *b]));
            touched.extend(s.wake.iter().filter_map(|w| if let Wake::Signal(n) = w { Some(*n) } else { None }));
        }
        touched.extend(net.autos.iter().flat_map(|a| a.sensed.iter().flatten().flat_map(|(a, b)| [*a, *b])));
        let (part_of, parts) = dense(&part.into_labels(), &touched);
        let (metal_of, metals) = dense(&metal.into_labels(), &touched);
        let spot = |n: usize| Spot { part: part_of[n], metal: metal_of[n] };
        let (mut contacts, mut bonds) = (Vec::new(), Vec::new());
        for edge in &net.edges {
            let metal = (metal_of[edge.a], metal_of[edge.b]);
            match &edge.what {
                EdgeKind::Contact(gate) => {
                    let part = (!net.crosses_earth(edge)).then(|| (part_of[edge.a], part_of[edge.b]));
                    contacts.push((*gate, part, metal));
                }
                EdgeKind::Bond { bond, source, .. } => bonds.push((*bond, *source, metal)),
                _ => {}
            }
        }
        let mut twin = vec![None; net.sources.len()];
        for (first, second) in net.opposite_hots() {
            twin[second] = Some(first);
        }
        let sources = net.sources.iter().zip(twin).map(|(s, opposite_of)| Port {
            plus: spot(s.plus),
            minus: spot(s.minus),
            input: s.input.map(|(a, b)| (spot(a), spot(b), net.nodes[a].role == Role::Line)),
            ac: s.kind.is_ac(),
            opposite_of,
            assist: s.assist,
            switch: s.switch,
            auto: s.auto,
            charges: !s.kind.is_ac() && !matches!(s.kind, SourceKind::Battery | SourceKind::Array),
            wake: s.wake.map(|w| match w {
                Wake::Signal(n) => Waking::Signal(spot(n)),
                Wake::Voltage => Waking::Voltage,
            }),
        });
        let sources = sources.collect();
        let pairs = |input: &Vec<(usize, usize)>| input.iter().map(|(a, b)| (spot(*a), spot(*b))).collect();
        let sensed = net.autos.iter().map(|a| a.sensed.iter().map(pairs).collect()).collect();
        let bound = net.autos.iter().map(|a| (a.held, a.interlock.clone())).collect();
        let positions = net.autos.iter().map(|a| a.positions.len() as u8).collect();
        let controls = net.controls.iter().map(|c| (c.positions.len() as u8, c.interlock.clone())).collect();
        let shape = Shape { parts, metals, contacts, bonds, sources, sensed, bound, positions, controls };
        Compact { part_of: part_of.into(), metal_of: metal_of.into(), shape }
    }

    /// What is live, by nodes.
    pub(super) fn live(&self, small: &Small) -> Live {
        Live {
            part: Labels::new(&self.part_of, &small.part),
            metal: Labels::new(&self.metal_of, &small.metal),
            active: small.active.clone(),
            wanted: small.wanted.clone(),
        }
    }
}

impl Shape {
    /// How much one judgement looks at.
    pub(super) fn size(&self) -> usize {
        self.parts + self.metals + self.contacts.len() + self.sources.len() * self.sources.len()
    }

    /// How many labels of parts a state holds.
    pub(super) fn labels(&self) -> usize {
        self.parts + self.metals
    }

    /// Judges a setting. What starts by the voltage at its input is first taken as running, and those whose input nothing
    /// charges are stopped until none is left: two such chargers in a ring hold each other up once anything started them,
    /// and that greatest fixed point is the dangerous one.
    ///
    /// Complexity: as [`Shape::judge_with`], at most once more for each charger that starts by voltage.
    pub(super) fn judge(&self, setting: &Setting) -> Small {
        let mut held = vec![false; self.sources.len()];
        loop {
            let small = self.judge_with(setting, &held);
            let part = |s: Spot| small.part[s.part as usize];
            let charged = |i: usize, input: Spot| {
                let mut others =
                    self.sources.iter().enumerate().filter(|(o, s)| *o != i && s.charges && small.active[*o]);
                others.any(|(_, s)| part(s.plus) == part(input))
            };
            let idle = self.sources.iter().enumerate().filter(|(i, s)| {
                let by_voltage = s.wake == Some(Waking::Voltage) && small.active[*i];
                by_voltage && s.input.is_some_and(|(plus, ..)| !charged(*i, plus))
            });
            let idle: Vec<usize> = idle.map(|(i, _)| i).collect();
            if idle.is_empty() {
                return small;
            }
            for i in idle {
                held[i] = true;
            }
        }
    }

    /// Judges a setting with some sources held off. Sources start one after the other until nothing changes: running
    /// sources and joined bonds only ever add connections, so the least fixed point is unique.
    ///
    /// Complexity: linear in the parts, contacts and sources for each round, at most one round a source.
    fn judge_with(&self, setting: &Setting, held: &[bool]) -> Small {
        let (mut part, mut metal) = (Union::new(self.parts), Union::new(self.metals));
        for (gate, in_part, in_metal) in &self.contacts {
            if gate_closed(setting, *gate) {
                metal.join(in_metal.0 as usize, in_metal.1 as usize);
                if let Some((a, b)) = in_part {
                    part.join(*a as usize, *b as usize);
                }
            }
        }
        let mut small = Small {
            part: part.into_labels(),
            metal: Vec::new(),
            active: vec![false; self.sources.len()],
            wanted: vec![0; self.sensed.len()],
        };
        let mut joined = vec![false; self.bonds.len()];
        let mut fresh = true;
        loop {
            // Without a running source nothing depends on the bonds.
            let running = small.active.iter().any(|a| *a);
            for ((bond, source, (a, b)), done) in self.bonds.iter().zip(&mut joined) {
                let closed = match bond {
                    Bond::Fixed => running,
                    Bond::WhileSource => source.is_some_and(|s| small.active[s]),
                };
                if closed && !*done {
                    metal.join(*a as usize, *b as usize);
                    *done = true;
                    fresh = true;
                }
            }
            if std::mem::take(&mut fresh) {
                small.metal = metal.clone().into_labels();
            }
            let mut changed = false;
            for (i, s) in self.sources.iter().enumerate() {
                if small.active[i] {
                    continue;
                }
                let switched = s.switch.is_none_or(|(c, p)| setting.controls.get(c) == Some(&p));
                let placed = s.auto.is_none_or(|(a, p)| setting.autos.get(a) == Some(&p));
                let fed = s.input.is_none_or(|(a, b, ac)| self.powered(&small, (a, b), ac, Some(i)));
                let signalled = match s.wake {
                    Some(Waking::Signal(at)) => self.reached(&small, at),
                    Some(Waking::Voltage) | None => true,
                };
                if switched && placed && fed && signalled && !held[i] {
                    small.active[i] = true;
                    changed = true;
                }
            }
            if !changed {
                break;
            }
        }
        for (i, inputs) in self.sensed.iter().enumerate() {
            let fed = |pairs: &Vec<(Spot, Spot)>| pairs.iter().any(|pair| self.powered(&small, *pair, true, None));
            let (held, interlock) = &self.bound[i];
            // What is welded stays; of an interlock the one that closed first keeps the others open.
            let kept_open = !held
                && interlock.is_some()
                && self
                    .bound
                    .iter()
                    .enumerate()
                    .any(|(o, (_, name))| o != i && name == interlock && setting.autos[o] > 0);
            small.wanted[i] = match (held, kept_open) {
                (true, _) => 1,
                (_, true) => 0,
                _ => inputs.iter().position(fed).map_or(0, |n| n as u8 + 1),
            };
        }
        small
    }

    /// Whether an input pair is fed by a running source of the same kind of current, line and neutral
    /// either way round, or lies between the two opposite hots of one. `except` is a source that does not count
    /// (the component's own).
    fn powered(&self, small: &Small, input: (Spot, Spot), ac: bool, except: Option<usize>) -> bool {
        let part = |s: Spot| small.part[s.part as usize];
        let metal = |s: Spot| small.metal[s.metal as usize];
        let runs = |i: usize| small.active[i] && Some(i) != except;
        self.sources.iter().enumerate().any(|(i, s)| {
            if !runs(i) || s.ac != ac {
                return false;
            }
            let straight = part(input.0) == part(s.plus) && metal(input.1) == metal(s.minus);
            let crossed = part(input.1) == part(s.plus) && metal(input.0) == metal(s.minus);
            let between = s.opposite_of.is_some_and(|f| {
                let first = part(self.sources[f].plus);
                let pair = (part(input.0), part(input.1));
                runs(f) && (pair == (first, part(s.plus)) || pair == (part(s.plus), first))
            });
            straight || crossed || between
        })
    }

    /// Whether a running source reaches a spot with its line or positive.
    fn reached(&self, small: &Small, at: Spot) -> bool {
        let part = |s: Spot| small.part[s.part as usize];
        self.sources.iter().zip(&small.active).any(|(s, active)| *active && part(s.plus) == part(at))
    }

    /// Which sources give: those that run, and those that assist what passes through their unit.
    pub(super) fn giving(&self, small: &Small, setting: &Setting) -> Vec<bool> {
        let assists = |s: &Port| s.assist && setting.passes_through(s.switch, s.auto);
        self.sources.iter().zip(&small.active).map(|(s, active)| *active || assists(s)).collect()
    }

    /// Which contacts are closed in parts that a running source reaches, in the order of the edges.
    pub(super) fn lit_contacts(&self, small: &Small, setting: &Setting) -> Vec<bool> {
        let mut lit = vec![false; self.metals];
        for (s, _) in self.sources.iter().zip(&small.active).filter(|(_, a)| **a) {
            for spot in [s.plus, s.minus] {
                lit[small.metal[spot.metal as usize] as usize] = true;
            }
        }
        let closed = self
            .contacts
            .iter()
            .map(|(gate, _, metal)| gate_closed(setting, *gate) && lit[small.metal[metal.0 as usize] as usize]);
        closed.collect()
    }
}
