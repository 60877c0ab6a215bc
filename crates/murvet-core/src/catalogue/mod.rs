//! The generic kinds of component: what each is called, what to ask about it, which terminals it has and
//! how they are joined inside.
//!
//! A new kind needs a variant of [`Kind`], an entry in `kinds.rs` (words and attributes) and an arm in
//! `terminals.rs` (terminals, ports, inner links and what it converts).

mod anatomy;
mod core;
mod kinds;
mod meant;
mod remarks;

pub use anatomy::{Anatomy, Bond, Contact, Inner, Port, PortUse, Role, SourceKind, SourcePort};
pub use core::Core;
pub use kinds::{AttrSpec, AttrType, KINDS, KindSpec};
pub use meant::meant;
pub use remarks::{REMARKS, RemarkKind, remark_kind};

/// Zones that a place may lie in.
pub const ZONES: [&str; 9] = ["roof", "cabin", "bay", "underfloor", "engine", "locker", "gas", "outside", "tow"];

/// A coil of a contactor whose contacts are welded: it is closed in every state.
pub(crate) const WELDED: &str = "welded";

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a component is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Battery or bank of like batteries.
    Battery,
    /// Shore inlet with the supply it is plugged into.
    Inlet,
    /// Engine-driven AC source.
    Generator,
    /// Stand-alone inverter.
    Inverter,
    /// Inverter, charger and transfer relay in one case.
    InverterCharger,
    /// Mains charger or converter-charger.
    Charger,
    /// DC-DC charger or battery maintainer.
    DcDc,
    /// Photovoltaic array.
    Array,
    /// Solar charge controller.
    Controller,
    /// Small wind turbine with its controller, brake and dump load.
    WindTurbine,
    /// Engine alternator.
    Alternator,
    /// Coupling to a tow vehicle, which feeds through it while hitched.
    Tow,
    /// Hand-operated DC or AC isolator.
    Isolator,
    /// Socket for something portable on DC: its fixed half with the plug that fits it.
    DcSocket,
    /// Combining relay closed by a signal.
    Relay,
    /// Contactor or electronic load-disconnect: opens by a signal, and is no isolation.
    LoadDisconnect,
    /// AC contactor whose coil hangs on a supply.
    AcContactor,
    /// Manual or automatic transfer switch.
    Transfer,
    /// One plug that fits either of two sockets.
    PlugChangeover,
    /// Fuse.
    Fuse,
    /// Circuit breaker.
    Breaker,
    /// Residual-current device without overcurrent element.
    Rcd,
    /// Residual-current breaker with overcurrent element.
    Rcbo,
    /// Bus bar or stud.
    Bus,
    /// Closed box in which conductors meet, its inside known or not.
    JointBox,
    /// Measuring shunt.
    Shunt,
    /// Surge or voltage guard that passes the supply through.
    Guard,
    /// AC panel with hot, neutral and earth bars.
    Panel,
    /// DC fuse block.
    FuseBlock,
    /// Vehicle chassis.
    Chassis,
    /// Rod in the ground.
    Electrode,
    /// AC outlet.
    Outlet,
    /// AC outlet with a built-in residual-current device and a protected load side.
    GfciOutlet,
    /// AC appliance.
    AcLoad,
    /// DC appliance.
    DcLoad,
}

impl Kind {
    /// The catalogue entry.
    pub fn spec(self) -> &'static KindSpec {
        kinds::KINDS.iter().find(|s| s.kind == self).unwrap_or(&kinds::KINDS[0])
    }

    /// The main word of the notation.
    pub fn word(self) -> &'static str {
        self.spec().words[0]
    }

    /// The kind that a word of the notation names.
    pub fn from_word(word: &str) -> Option<Kind> {
        let lower = word.to_ascii_lowercase();
        kinds::KINDS.iter().find(|s| s.words.contains(&lower.as_str())).map(|s| s.kind)
    }

    /// Every kind with its entry.
    pub fn all() -> &'static [KindSpec] {
        kinds::KINDS
    }

    /// A two-ended device that a run passes straight through.
    pub fn is_inline(self) -> bool {
        matches!(
            self,
            Kind::Isolator
                | Kind::DcSocket
                | Kind::Relay
                | Kind::LoadDisconnect
                | Kind::AcContactor
                | Kind::Fuse
                | Kind::Breaker
                | Kind::Rcd
                | Kind::Rcbo
                | Kind::Shunt
                | Kind::Guard
        )
    }

    /// A component that is one electrical node.
    pub fn is_node(self) -> bool {
        matches!(self, Kind::Bus | Kind::Chassis | Kind::Electrode)
    }

    /// A device that opens by itself on overcurrent.
    pub fn is_overcurrent_device(self) -> bool {
        matches!(self, Kind::Fuse | Kind::Breaker | Kind::Rcbo)
    }
}
