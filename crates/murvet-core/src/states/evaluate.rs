//! What is live at one setting.

use super::compact::Compact;
use crate::catalogue::Bond;
use crate::network::{Gate, Network};

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
    compact.live(&compact.judge(setting))
}
