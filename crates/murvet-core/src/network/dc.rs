//! The DC side of a rig in one state as a resistive network with real batteries: shares between batteries
//! and prospective fault currents, and the same network as a SPICE netlist, so that anyone can check the
//! numbers with an open simulator.

use super::{EdgeKind, Factor, Network, NodalError, Resistor, Union};
use crate::catalogue::Role;
use crate::profiles::resistance_ohm_per_m;
use crate::rig::{Component, Rig};
use crate::tables::table;
use crate::units::Dimension;
use std::collections::HashMap;
use std::fmt::Write;

/// Copper at 20 C, ohm m: IEC 60028.
pub(crate) const RHO_20: f64 = 1.7241e-8;
/// Stands for the resistance of closed contacts and devices, ohm: small against any conductor, large
/// enough for the numbers to stay well conditioned.
const CLOSED_OHM: f64 = 1e-6;

/// Which end of the credible range is taken for conductors and batteries.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Case {
    /// Least resistance and highest voltage, for the greatest fault current: nominal area, cold; the battery's
    /// least internal resistance.
    Strong,
    /// Typical resistance and resting voltage, for shares and readings.
    Typical,
    /// Greatest resistance and a low battery, for the least fault current: conductors at their greatest resistance and
    /// hot, the battery at its nominal voltage with half more than its typical resistance (common practice, no source).
    Weak,
}

/// A battery as a voltage behind a resistance.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Cell {
    /// The component.
    pub component: usize,
    /// Which battery, or string in series, of the component, from 1.
    pub number: usize,
    /// Positive node of the DC network.
    pub plus: usize,
    /// Negative node of the DC network.
    pub minus: usize,
    /// Open-circuit voltage, V.
    pub volts: f64,
    /// Internal resistance of it, ohm.
    pub ohm: f64,
}

/// A resistive DC network.
#[derive(Debug, Clone)]
pub struct DcNet {
    /// Number of nodes.
    pub nodes: usize,
    /// Names of the nodes.
    pub names: Vec<String>,
    /// Conductors, devices and contacts with the edge each stands for.
    pub branches: Vec<(usize, Resistor)>,
    /// Batteries.
    pub cells: Vec<Cell>,
    slot: HashMap<usize, usize>,
}

/// Internal resistance of a bank in ohm and whether it was stated. Where it was not, the typical or least value
/// of the chemistry for 100 Ah at 12 V is scaled with voltage and against capacity.
pub fn internal_ohm(p: &Component, case: Case) -> (f64, bool) {
    let (series, parallel) = p.series_and_parallel();
    let joined = |one: f64| one * series / parallel;
    if let Some(ohm) = p.si("internal", Dimension::Resistance).filter(|o| *o > 0.0) {
        return (joined(ohm), true);
    }
    let column = if case == Case::Strong { 1 } else { 0 };
    let chemistry = p.word("chemistry").unwrap_or("lifepo4");
    let aged = if case == Case::Weak { 1.5 } else { 1.0 };
    let per_100ah = aged * table("battery-resistance").get(chemistry, column).unwrap_or(2.4) / 1000.0;
    let one_v = super::battery_volts(p) / series;
    // An unseen bank is as strong as any that is met.
    let ah = p.si("capacity", Dimension::Charge).unwrap_or(300.0).max(1.0);
    (joined(per_100ah * 100.0 / ah * one_v / 12.0), false)
}

/// Open-circuit voltage of a full bank, V.
pub fn full_volts(p: &Component) -> f64 {
    let volts = super::battery_volts(p);
    let rest = p.word("chemistry").and_then(|c| table("chemistry").get(c, 2)).unwrap_or(1.084);
    volts * rest
}

impl DcNet {
    /// The DC side with the edges that a test lets through. Batteries of components that are not there now are left
    /// out. O(E).
    pub fn new(rig: &Rig, net: &Network, case: Case, closed: impl Fn(usize) -> bool) -> DcNet {
        let dc = |n: usize| !matches!(net.nodes[n].duty, Role::Line | Role::Neutral);
        // Metal to metal is one node; so is a conductor without length.
        let mut pads = Union::new(net.nodes.len());
        for e in &net.edges {
            let short = matches!(e.what, EdgeKind::Joint)
                || matches!(e.what, EdgeKind::Wire(w) if net.wires[w].length_m <= 0.0)
                || matches!(e.what, EdgeKind::Strap { ohm, .. } if ohm <= 0.0);
            if short && dc(e.a) && dc(e.b) {
                pads.join(e.a, e.b);
            }
        }
        let mut out =
            DcNet { nodes: 0, names: Vec::new(), branches: Vec::new(), cells: Vec::new(), slot: HashMap::new() };
        let mut place: HashMap<usize, usize> = HashMap::new();
        for n in (0..net.nodes.len()).filter(|&n| dc(n)) {
            let root = pads.find(n);
            let at = *place.entry(root).or_insert_with(|| {
                out.names.push(net.nodes[n].name.clone());
                out.names.len() - 1
            });
            out.slot.insert(n, at);
        }
        out.nodes = out.names.len();
        for (i, e) in net.edges.iter().enumerate() {
            let (Some(&a), Some(&b)) = (out.slot.get(&e.a), out.slot.get(&e.b)) else { continue };
            if a == b || !closed(i) {
                continue;
            }
            let ohm = match &e.what {
                EdgeKind::Wire(w) => {
                    let wire = &net.wires[*w];
                    let per_m = match case {
                        Case::Weak => resistance_ohm_per_m(wire.laid.area_mm2, wire.gauge),
                        // Nominal area, 20 C: what a sound conductor has at the least.
                        _ => RHO_20 / (wire.laid.area_mm2 * 1e-6),
                    };
                    (wire.length_m * per_m).max(CLOSED_OHM)
                }
                EdgeKind::Strap { ohm, .. } => match case {
                    // Hot and at its greatest, as any conductor.
                    Case::Weak => 1.3 * ohm,
                    _ => *ohm,
                },
                EdgeKind::Device { .. } | EdgeKind::Contact(_) => CLOSED_OHM,
                EdgeKind::Bond { .. } | EdgeKind::Joint => continue,
            };
            if ohm.is_finite() {
                out.branches.push((i, Resistor { a, b, ohm }));
            }
        }
        for s in &net.stores {
            let p = &rig.components[s.component];
            if let (Some(&plus), Some(&minus)) = (out.slot.get(&s.plus), out.slot.get(&s.minus))
                && plus != minus
            {
                let (series, parallel) = p.series_and_parallel();
                let links = (series - 1.0) * super::bank::link_ohm(p);
                out.cells.push(Cell {
                    component: s.component,
                    number: s.number,
                    plus,
                    minus,
                    volts: if case == Case::Weak { super::battery_volts(p) } else { full_volts(p) },
                    ohm: internal_ohm(p, case).0 * parallel + links,
                });
            }
        }
        out
    }

    /// The node of the DC network that a terminal is part of.
    pub fn at(&self, node: usize) -> Option<usize> {
        self.slot.get(&node).copied()
    }

    /// Parts that hang together by conductors or batteries: one node of each, to be taken as reference.
    fn references(&self) -> Vec<usize> {
        let mut parts = Union::new(self.nodes);
        for (_, r) in &self.branches {
            parts.join(r.a, r.b);
        }
        for c in &self.cells {
            parts.join(c.plus, c.minus);
        }
        // The negative post of the first battery of each part.
        let mut chosen: HashMap<usize, usize> = HashMap::new();
        for n in self.cells.iter().map(|c| c.minus).chain(0..self.nodes) {
            let root = parts.find(n);
            chosen.entry(root).or_insert(n);
        }
        let mut list: Vec<usize> = chosen.into_values().collect();
        list.sort_unstable();
        list
    }

    /// Node voltages with constant currents drawn between pairs of nodes, A.
    ///
    /// A battery is its Norton equivalent, a current E/R beside a conductance 1/R: exact, and it keeps the
    /// matrix symmetric and positive definite.
    ///
    /// # Errors
    /// As [`Factor::new`].
    pub fn volts(&self, loads: &[(usize, usize, f64)]) -> Result<Vec<f64>, NodalError> {
        self.factored()?.volts(loads)
    }

    /// The same network factored once, to be asked for many loads and faults.
    ///
    /// # Errors
    /// As [`Factor::new`].
    pub fn factored(&self) -> Result<Factored<'_>, NodalError> {
        let mut resistors: Vec<Resistor> = self.branches.iter().map(|(_, r)| *r).collect();
        let mut parts = Union::new(self.nodes);
        for c in &self.cells {
            resistors.push(Resistor { a: c.plus, b: c.minus, ohm: c.ohm });
        }
        for r in &resistors {
            parts.join(r.a, r.b);
        }
        let fixed: Vec<(usize, f64)> = self.references().into_iter().map(|n| (n, 0.0)).collect();
        let factor = Factor::new(self.nodes, &resistors, &fixed)?;
        let mut one = Factored { net: self, factor, part: parts.into_labels(), open: Vec::new() };
        one.open = one.volts(&[])?;
        Ok(one)
    }

    /// Current out of each battery, A, in the order of [`DcNet::cells`], at these loads.
    ///
    /// # Errors
    /// As [`Factor::new`].
    pub fn shares(&self, loads: &[(usize, usize, f64)]) -> Result<Vec<f64>, NodalError> {
        self.factored()?.shares(loads)
    }

    /// Current through one branch (by its edge), from `a` to `b`, A, with a dead short between two nodes.
    ///
    /// # Errors
    /// As [`Factor::new`].
    pub fn fault_through(&self, edge: usize, short: (usize, usize)) -> Result<f64, NodalError> {
        self.factored()?.fault_through(edge, short)
    }

    /// The network with its loads as a SPICE netlist: node 0 is the first reference, nodes are numbered from
    /// 1, and the names stand in comments. Parts without a battery are tied to node 0 by 1 Gohm.
    pub fn spice(&self, title: &str, loads: &[(usize, usize, f64)]) -> String {
        let references = self.references();
        let first = references.first().copied().unwrap_or(0);
        let node = |n: usize| if n == first { 0 } else { n + 1 };
        let mut out = format!("* {}\n", title.replace('\n', " "));
        for (n, name) in self.names.iter().enumerate() {
            let _ = writeln!(out, "* node {}: {name}", node(n));
        }
        for (k, (_, r)) in self.branches.iter().enumerate() {
            let _ = writeln!(out, "R{k} {} {} {:e}", node(r.a), node(r.b), r.ohm);
        }
        for (k, c) in self.cells.iter().enumerate() {
            let inner = self.nodes + k + 2;
            let _ = writeln!(out, "VB{k} {inner} {} {:e}", node(c.minus), c.volts);
            let _ = writeln!(out, "RB{k} {inner} {} {:e}", node(c.plus), c.ohm);
        }
        for (k, (plus, minus, amps)) in loads.iter().enumerate() {
            let _ = writeln!(out, "IL{k} {} {} {amps:e}", node(*plus), node(*minus));
        }
        for (k, n) in references.iter().skip(1).enumerate() {
            let _ = writeln!(out, "RG{k} {} 0 1e9", node(*n));
        }
        out.push_str(".op\n.end\n");
        out
    }
}

/// A [`DcNet`] with its conductance matrix factored.
#[derive(Debug, Clone)]
pub struct Factored<'a> {
    net: &'a DcNet,
    factor: Factor,
    /// What hangs together by conductors or batteries.
    part: Vec<u32>,
    /// Node voltages without any load.
    open: Vec<f64>,
}

impl Factored<'_> {
    /// Node voltages with constant currents drawn between pairs of nodes, A. Linear in the entries of the factor.
    ///
    /// # Errors
    /// As [`Factor::solve`].
    pub fn volts(&self, loads: &[(usize, usize, f64)]) -> Result<Vec<f64>, NodalError> {
        let mut draws = Vec::with_capacity(2 * (self.net.cells.len() + loads.len()));
        for c in &self.net.cells {
            draws.push((c.plus, -c.volts / c.ohm));
            draws.push((c.minus, c.volts / c.ohm));
        }
        for &(plus, minus, amps) in loads {
            draws.push((plus, amps));
            draws.push((minus, -amps));
        }
        Ok(self.factor.solve(&draws)?.volts)
    }

    /// Current out of each battery, A, in the order of [`DcNet::cells`], at these loads.
    ///
    /// # Errors
    /// As [`Factor::solve`].
    pub fn shares(&self, loads: &[(usize, usize, f64)]) -> Result<Vec<f64>, NodalError> {
        let v = self.volts(loads)?;
        Ok(self.net.cells.iter().map(|c| (c.volts - (v[c.plus] - v[c.minus])) / c.ohm).collect())
    }

    /// Current through one branch, from `a` to `b`, A, with a dead short between two nodes, by Thévenin's theorem:
    /// the open-circuit voltage between the two over the resistance seen from them gives the fault current, and
    /// that current drawn there the state of everything else. Exact, for everything here is linear.
    ///
    /// # Errors
    /// As [`Factor::solve`].
    pub fn fault_through(&self, edge: usize, short: (usize, usize)) -> Result<f64, NodalError> {
        let (a, b) = short;
        let Some((_, branch)) = self.net.branches.iter().find(|(e, _)| *e == edge) else { return Ok(0.0) };
        let across = |v: &[f64]| v[branch.a] - v[branch.b];
        // A single joint between parts that are apart carries nothing.
        if a == b || self.part[a] != self.part[b] {
            return Ok(across(&self.open) / branch.ohm);
        }
        let drawn = self.volts(&[(a, b, 1.0)])?;
        let open = self.open[a] - self.open[b];
        let amps = open / (open - (drawn[a] - drawn[b]) + CLOSED_OHM);
        // What one ampere changes, so many amperes change so many times.
        Ok((across(&self.open) + amps * (across(&drawn) - across(&self.open))) / branch.ohm)
    }
}
