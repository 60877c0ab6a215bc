//! What is live at one setting.

use crate::catalogue::{Bond, Role};
use crate::network::{Gate, Network, Union, What};

/// Where every control and every automatic changeover stands.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Setting {
    /// Position of each control.
    pub controls: Vec<u8>,
    /// Position of each automatic changeover.
    pub autos: Vec<u8>,
}

/// What follows from a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Live {
    /// Component of each node along conductors and closed contacts, with everything that joins earth
    /// to another conductor, and every neutral-earth bond, left out.
    pub part: Vec<u32>,
    /// Component of each node along all metal, bonds included.
    pub metal: Vec<u32>,
    /// Which sources run.
    pub active: Vec<bool>,
    /// Where each automatic changeover wants to stand.
    pub wanted: Vec<u8>,
}

/// Whether a contact is closed.
pub fn gate_closed(setting: &Setting, gate: Gate) -> bool {
    match gate {
        Gate::Control(control, position) => setting.controls.get(control) == Some(&position),
        Gate::Auto(auto, position) => setting.autos.get(auto) == Some(&position),
    }
}

impl Live {
    /// Whether an input pair is fed by a running source of the same kind of current, line and neutral
    /// either way round. `except` is a source that does not count (the piece's own).
    pub fn powered(&self, net: &Network, input: (usize, usize), ac: bool, except: Option<usize>) -> bool {
        net.sources.iter().enumerate().any(|(i, s)| {
            self.active[i] && Some(i) != except && s.kind.is_ac() == ac && {
                let straight = self.part[input.0] == self.part[s.plus] && self.metal[input.1] == self.metal[s.minus];
                let crossed = self.part[input.1] == self.part[s.plus] && self.metal[input.0] == self.metal[s.minus];
                straight || crossed
            }
        }) || (ac && self.between_hots(net, input, except))
    }

    /// Whether an input lies between the two opposite hots of one running source.
    pub fn between_hots(&self, net: &Network, input: (usize, usize), except: Option<usize>) -> bool {
        let at = |node: usize, s: usize| {
            self.active[s] && Some(s) != except && self.part[net.sources[s].plus] == self.part[node]
        };
        net.opposite_hots().any(|(f, s)| (at(input.0, f) && at(input.1, s)) || (at(input.1, f) && at(input.0, s)))
    }

    /// Whether a bond is joined at this setting.
    pub fn bond_joined(&self, bond: Bond, source: Option<usize>) -> bool {
        match bond {
            Bond::Fixed => true,
            Bond::WhileSource => source.is_some_and(|s| self.active[s]),
        }
    }

    /// The running sources whose line or positive reaches this node.
    pub fn sources_at<'a>(&'a self, net: &'a Network, node: usize) -> impl Iterator<Item = usize> + 'a {
        (0..net.sources.len()).filter(move |&s| self.active[s] && self.part[net.sources[s].plus] == self.part[node])
    }
}

/// Computes what is live. Sources start one after the other until nothing changes: running sources and
/// joined bonds only ever add connections, so the least fixed point is unique.
///
/// Complexity: O(E α(N)) for each round, at most one round a source.
pub fn evaluate(net: &Network, setting: &Setting) -> Live {
    let mut part = Union::new(net.nodes.len());
    let mut metal = Union::new(net.nodes.len());
    for edge in &net.edges {
        let closed = match &edge.what {
            What::Contact(gate) => gate_closed(setting, *gate),
            What::Bond { .. } => false,
            _ => true,
        };
        if closed {
            metal.join(edge.a, edge.b);
            if !net.crosses_earth(edge) {
                part.join(edge.a, edge.b);
            }
        }
    }
    let mut live = Live {
        part: part.into_labels(),
        metal: metal.clone().into_labels(),
        active: vec![false; net.sources.len()],
        wanted: vec![0; net.autos.len()],
    };
    loop {
        let mut changed = false;
        for (i, s) in net.sources.iter().enumerate() {
            if live.active[i] {
                continue;
            }
            let switched = s.switch.is_none_or(|(c, p)| setting.controls.get(c) == Some(&p));
            let placed = s.auto.is_none_or(|(a, p)| setting.autos.get(a) == Some(&p));
            let fed = s.input.is_none_or(|input| {
                let ac = net.nodes[input.0].role == Role::Line;
                live.powered(net, input, ac, Some(i))
            });
            if switched && placed && fed {
                live.active[i] = true;
                changed = true;
            }
        }
        if !changed {
            break;
        }
        for edge in &net.edges {
            if let What::Bond { bond, source, .. } = &edge.what
                && live.bond_joined(*bond, *source)
            {
                metal.join(edge.a, edge.b);
            }
        }
        live.metal = metal.clone().into_labels();
    }
    for (i, auto) in net.autos.iter().enumerate() {
        live.wanted[i] = u8::from(auto.sensed.iter().any(|pair| live.powered(net, *pair, true, None)));
    }
    live
}
