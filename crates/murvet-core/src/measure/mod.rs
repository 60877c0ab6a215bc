//! What a meter would show: the rig in one stand of its controls as a linear network, with or without hidden faults.
//!
//! Predictions, the simulated instruments and the diagnosis all read the same [`Circuit`], so a prediction and a simulated
//! reading of a sound rig are one number. How near it is to the truth is tested against an independent solver and against
//! hand calculation.
//!
//! What is simple here: direct and alternating current are solved apart and joined by power (an inverter draws what its
//! output gives over its efficiency, a charger gives up to its limit); alternating current is taken as resistive, sources
//! in phase or opposite; appliances are their rated current. Transients are not modelled.

mod circuit;
mod fault;
mod world;

pub use circuit::Circuit;
pub(crate) use circuit::held_volts;
pub(crate) use fault::ends;
pub use fault::{Fault, suspects};
pub use world::World;

/// What a meter is set to.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Function {
    /// Direct voltage from the first terminal to the second, V.
    DcVolts,
    /// Alternating voltage between two terminals, true RMS, V.
    AcVolts,
    /// Resistance with everything dead, ohm; infinite for an open circuit.
    Ohms,
    /// Insulation resistance with everything dead, ohm.
    Insulation,
    /// Direct current by clamp in the conductor between two terminals, A.
    DcAmps,
    /// Alternating current by clamp in the conductor between two terminals, A.
    AcAmps,
    /// Milliseconds until the residual-current device upstream opens, with this leakage in mA from the first terminal to
    /// the second; infinite when it does not.
    TripMs(f64),
    /// Impedance of the loop that a fault from the first terminal to the second would take through its source, ohm; infinite
    /// where nothing drives it.
    LoopOhm,
    /// Temperature of the joint at the first terminal, C.
    Celsius,
}

impl Function {
    /// The unit of its readings.
    pub fn unit(self) -> &'static str {
        match self {
            Function::DcVolts | Function::AcVolts => "V",
            Function::Ohms | Function::Insulation => "ohm",
            Function::DcAmps | Function::AcAmps => "A",
            Function::TripMs(_) => "ms",
            Function::LoopOhm => "ohm",
            Function::Celsius => "C",
        }
    }

    /// Whether the rig must be dead for it.
    pub fn dead(self) -> bool {
        matches!(self, Function::Ohms | Function::Insulation)
    }
}

/// How everything stands while a reading is taken.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default, PartialOrd, Ord, serde::Serialize)]
pub struct TestSetup {
    /// The position of every control, in the order of the network; missing ones are parked.
    pub controls: Vec<u8>,
    /// Appliances that are switched on, by identifier.
    pub on: Vec<String>,
    /// Arrays are covered, or it is night.
    pub dark: bool,
    /// A test load of 1000 W in this outlet.
    pub heater: Option<String>,
    /// What is taken off for a reading with everything dead: devices (a fuse pulled, a breaker off), cables, and
    /// appliances unplugged, by name.
    pub off: Vec<String>,
}

/// Power of the test load, W.
pub const HEATER_W: f64 = 1000.0;

/// A reading that a test asks for: one or more voltages added up, or a single other value.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Probe {
    /// What the meter is set to.
    pub function: Function,
    /// Where the leads go, first to second terminal, by name; the values are added. A clamp may be put round a conductor
    /// by the key of its wire, `wire:` before it: what it joins may not be what was traced.
    pub leads: Vec<(String, String)>,
    /// How everything stands.
    #[serde(rename = "stand")]
    pub setup: TestSetup,
}

impl Probe {
    /// A probe between two terminals.
    pub fn between(function: Function, a: &str, b: &str, setup: TestSetup) -> Probe {
        Probe { function, leads: vec![(a.to_owned(), b.to_owned())], setup }
    }
}
