//! What is live at one setting.

use super::compact::Compact;
use crate::catalogue::Bond;
use crate::network::{Gate, Network};
use std::sync::Arc;

/// Where every control and every automatic changeover stands.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Setting {
    /// Position of each control.
    pub controls: Vec<u8>,
    /// Position of each automatic changeover.
    pub autos: Vec<u8>,
}

impl Setting {
    /// Whether a unit is switched on and its changeover stands at an input, so that what comes in passes through it.
    pub(crate) fn passes_through(&self, switch: Option<(usize, u8)>, auto: Option<(usize, u8)>) -> bool {
        let on = switch.is_none_or(|(c, p)| self.controls.get(c) == Some(&p));
        on && auto.is_some_and(|(a, _)| self.autos.get(a).is_some_and(|at| *at > 0))
    }
}

/// A component for each node. What nothing can switch is kept once for all settings.
#[derive(Debug, Clone)]
pub struct Labels {
    /// Contracted part of each node.
    of: Arc<[u32]>,
    /// Component of each part that something can join; the others are components of their own.
    joined: Vec<u32>,
}

impl Labels {
    pub(super) fn new(of: &Arc<[u32]>, joined: &[u32]) -> Labels {
        Labels { of: Arc::clone(of), joined: joined.to_vec() }
    }

    /// The component of every node, in their order.
    pub fn iter(&self) -> impl Iterator<Item = u32> + '_ {
        (0..self.of.len()).map(|n| self[n])
    }
}

impl std::ops::Index<usize> for Labels {
    type Output = u32;

    fn index(&self, node: usize) -> &u32 {
        let part = &self.of[node];
        self.joined.get(*part as usize).unwrap_or(part)
    }
}

impl PartialEq for Labels {
    fn eq(&self, other: &Labels) -> bool {
        self.iter().eq(other.iter())
    }
}

impl Eq for Labels {}

/// What follows from a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Live {
    /// Component of each node along conductors and closed contacts, with everything that joins earth
    /// to another conductor, and every neutral-earth bond, left out.
    pub part: Labels,
    /// Component of each node along all metal, bonds included.
    pub metal: Labels,
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

/// Computes what is live at one setting; see [`explore`](super::explore) for all of them.
pub fn evaluate(net: &Network, setting: &Setting) -> Live {
    let compact = Compact::new(net);
    compact.live(&compact.shape.judge(setting))
}

impl crate::network::Source {
    /// Whether it adds its power to what passes through its unit at this setting: it is switched on, and its changeover
    /// stands at an input.
    pub fn assists(&self, setting: &Setting) -> bool {
        self.assist && setting.passes_through(self.switch, self.auto)
    }
}
