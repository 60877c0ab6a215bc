//! Banks: the links between batteries, and batteries in series that were entered one by one.
//!
//! A bank is the same whether it is one component or several with their links. Its links are part of the source: no device
//! can stand between a battery and its neighbour, so they are judged by what they carry (rule `bank-link`), not as leads.

use super::{EdgeKind, Network, RHO_20, Union};
use crate::catalogue::{Kind, SourceKind};
use crate::rig::{Component, Rig};
use crate::units::Dimension;

/// Length of a link where nothing is said, m: from post to post of neighbours. Common practice, no source.
const LINK_M: f64 = 0.3;

/// The longest conductor that is still a link between batteries side by side, m. Common practice, no source.
const LONGEST_LINK_M: f64 = 0.6;

/// Resistance of one link of a bank at 20 C, ohm; nothing where its size is not known.
pub(super) fn link_ohm(p: &Component) -> f64 {
    let length = p.si("link-length", Dimension::Length).unwrap_or(LINK_M);
    p.si("links", Dimension::Area).map_or(0.0, |area| length * RHO_20 / (area * 1e-6))
}

/// Metal of the DC side without contacts.
fn metal(net: &Network) -> Vec<u32> {
    let mut union = Union::new(net.nodes.len());
    for e in net.edges.iter().filter(|e| !matches!(e.what, EdgeKind::Contact(_) | EdgeKind::Bond { .. })) {
        union.join(e.a, e.b);
    }
    union.into_labels()
}

/// Finds batteries in series, and arrays: where the negative post of one hangs on the positive of another. The source of
/// the upper then reaches from its positive post to the negative of the lowest, with the voltage of all; lower batteries
/// stay sources of their own, for what is tapped between, lower arrays give nothing beside the current of the upper. A
/// ring, or one with both posts on one metal, is a short and stays as it is. O(E + B^2) for B batteries.
pub(super) fn stack(net: &mut Network) {
    for kind in [SourceKind::Battery, SourceKind::Array] {
        stack_of(net, kind);
    }
}

fn stack_of(net: &mut Network, kind: SourceKind) {
    let list: Vec<usize> = (0..net.sources.len()).filter(|&s| net.sources[s].kind == kind).collect();
    if list.len() < 2 {
        return;
    }
    let label = metal(net);
    let shorted = |s: usize| label[net.sources[s].plus] == label[net.sources[s].minus];
    let own: Vec<(usize, f64)> = net.sources.iter().map(|s| (s.minus, s.volts)).collect();
    let next = |s: usize| {
        list.iter().copied().find(|&o| o != s && !shorted(o) && label[net.sources[o].plus] == label[own[s].0])
    };
    let amps: Vec<f64> = net.sources.iter().map(|s| s.limit_a).collect();
    let mut stacks: Vec<(usize, Vec<usize>)> = Vec::new();
    for &top in list.iter().filter(|&&s| !shorted(s)) {
        let (mut at, mut below) = (top, Vec::new());
        while let Some(lower) = next(at) {
            if lower == top || below.contains(&lower) {
                below.clear();
                break;
            }
            below.push(lower);
            at = lower;
        }
        if !below.is_empty() {
            stacks.push((top, below));
        }
    }
    let mut lower: Vec<usize> = Vec::new();
    for (top, below) in stacks {
        if let Some(last) = below.last() {
            net.sources[top].minus = own[*last].0;
        }
        if kind == SourceKind::Array {
            // The weakest of a string lets no more through.
            net.sources[top].limit_a = below.iter().map(|s| amps[*s]).fold(amps[top], f64::min);
            lower.extend(&below);
        }
        net.sources[top].volts += below.iter().map(|s| own[*s].1).sum::<f64>();
        net.sources[top].below = below.iter().map(|s| net.sources[*s].component).collect();
    }
    for s in lower {
        net.sources[s].limit_a = 0.0;
    }
}

/// Conductors that are links between batteries, by wire: short, from post to post or over a bar, everything in one
/// place, with a battery on either side once the conductor is taken away. A lead to a device is none, for only one
/// battery hangs on it.
///
/// Complexity: a union for each short conductor between posts and bars, which are few.
pub(crate) fn bank_links(rig: &Rig, net: &Network) -> Vec<bool> {
    let mut links = vec![false; net.wires.len()];
    let battery = |n: usize| {
        let p = net.nodes[n].component.filter(|p| rig.components[*p].kind == Kind::Battery)?;
        (!rig.components[p].flag("starter")).then_some(p)
    };
    let bar = |n: usize| net.nodes[n].component.filter(|p| matches!(rig.components[*p].kind, Kind::Bus));
    let end = |n: usize| battery(n).or(bar(n));
    let place = |p: usize| rig.components[p].place.as_deref();
    let mut short: Vec<(usize, usize, usize)> = Vec::new();
    for e in &net.edges {
        let (EdgeKind::Wire(w), Some(a), Some(b)) = (&e.what, end(e.a), end(e.b)) else { continue };
        // Of one bank from post to post of one sign; from post to post of unlike sign is a short there.
        let apart = a != b || (e.a != e.b && net.nodes[e.a].role == net.nodes[e.b].role);
        let near = place(a) == place(b) && net.wires[*w].length_m <= LONGEST_LINK_M;
        if apart && near && !net.wires[*w].cranking {
            short.push((*w, e.a, e.b));
        }
    }
    let solid = |e: &&super::Edge| matches!(e.what, EdgeKind::Joint | EdgeKind::Strap { .. });
    for &(wire, a, b) in &short {
        let mut union = Union::new(net.nodes.len());
        for e in net.edges.iter().filter(solid) {
            union.join(e.a, e.b);
        }
        for &(_, x, y) in short.iter().filter(|s| s.0 != wire) {
            union.join(x, y);
        }
        let mut reached = |side: usize| (0..net.nodes.len()).any(|n| battery(n).is_some() && union.same(n, side));
        links[wire] = reached(a) && reached(b);
    }
    links
}
