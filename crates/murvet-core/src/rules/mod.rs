//! The rules: one file each, with its reason, its source and its evidence. A small rig that breaks each stands in
//! `examples/`; the nearest rigs that do not stand in the tests.
//!
//! A new rule is a file here with a [`Rule`], a rig in `examples/`, and a line in [`RULES`]: what must hold and why, how it is
//! found, which repairs are tried, which tests prove it mended, and which faults of the trade it covers stand in that one file.

mod ac_backfeed;
mod alternator_bank;
mod appliance_maximum;
mod array_current;
mod array_direct;
mod array_drop;
mod array_isolation;
mod array_strings;
mod array_unlike;
mod array_voltage;
mod bank_link;
mod battery_isolation;
mod battery_mixed;
mod battery_place;
mod battery_sharing;
mod bond_away;
mod bond_isolated;
mod bond_missing;
mod bond_several;
mod breaking_capacity;
mod cable_ampacity;
pub(crate) mod cable_drop;
mod cable_minimum;
mod charge_sum;
pub(crate) mod charge_voltage;
mod charger_loop;
mod chassis_bond;
mod chassis_return;
mod colour_reserved;
mod conductors_crossed;
mod contact_overloaded;
mod context;
mod coverage;
mod dc_balance;
mod device_kind;
mod device_oversized;
mod device_too_far;
mod device_undersized;
mod device_voltage;
mod devices_in_series;
mod discharge_limit;
mod earth_missing;
mod earth_size;
mod fault_clearing;
mod feed_in;
mod heating_moves;
mod hot_lost;
mod inverter_device;
mod islands;
mod legs_joined;
mod load_disconnect_place;
mod load_sum;
mod loose_end;
mod management_ignored;
mod negative_floating;
mod neutral_lost;
mod neutral_shared;
mod oscillation;
mod overcurrent_missing;
mod parallel_conductors;
mod pins_live;
mod place_heat;
mod pole_missing;
mod rcd_missing;
mod rcd_neutral;
mod rcd_type;
mod remark;
mod return_interrupted;
mod rule;
mod shunt_bypassed;
mod skin_live;
mod source_without_store;
mod subject;
mod supply_fault;
mod thresholds_order;
mod turbine_unloaded;
mod views;
mod vital_switched;
mod voltage_unlike;
mod wave_form;
pub(crate) mod ways;

pub mod protection;

pub use cable_drop::{VoltageDrop, drops};
pub use context::Context;
pub use coverage::{Found, coverage, page};
pub use islands::{Island, Meeting, fed, islands_at, meeting_lines};
pub(crate) use loose_end::may_end_at;
use rule::TRIED;
pub use rule::{Field, Is, Repair, Rule};
pub use subject::{About, Subject};

pub use crate::severity::Severity;

use crate::network::WireSpot;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Whether an unseen value could clear a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Certainty {
    /// It hangs on something that was not seen.
    Possible,
    /// No unseen value could clear it.
    Certain,
}

impl Certainty {
    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Certainty::Possible => "possible",
            Certainty::Certain => "certain",
        }
    }

    /// Its stable code, as it is kept and as reports have it.
    pub fn code(self) -> &'static str {
        match self {
            Certainty::Possible => "possible",
            Certainty::Certain => "certain",
        }
    }

    /// The certainty of a code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<Certainty> {
        [Certainty::Possible, Certainty::Certain].into_iter().find(|c| c.code() == code)
    }
}

/// What a rule looks for: the five hazards first, then everything else.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Hazard {
    /// Missing, distant or oversized overcurrent protection.
    Overcurrent,
    /// Neutral and earth.
    Bonding,
    /// Backfeed.
    Backfeed,
    /// Charger loop.
    ChargerLoop,
    /// Cable too small.
    Cable,
    /// Nothing that takes a source off, or not all of it.
    Isolation,
    /// Battery and charging.
    Battery,
    /// Solar array and alternator.
    Generation,
    /// More is asked for than there is.
    Capacity,
    /// Workmanship and identification.
    Workmanship,
}

impl Hazard {
    /// Whether it is one of the five that hurt people without a sign.
    pub fn is_of_five(self) -> bool {
        self <= Hazard::Cable
    }

    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Hazard::Overcurrent => "overcurrent protection",
            Hazard::Bonding => "neutral and earth",
            Hazard::Backfeed => "backfeed",
            Hazard::ChargerLoop => "charger loop",
            Hazard::Cable => "cable",
            Hazard::Isolation => "isolation",
            Hazard::Battery => "battery and charging",
            Hazard::Generation => "solar and alternator",
            Hazard::Capacity => "capacity",
            Hazard::Workmanship => "workmanship and identification",
        }
    }
}

/// What a remedy has to work on.
#[derive(Debug, Clone, PartialEq)]
pub enum Target {
    /// Conductors that carry or could carry too much.
    Wires {
        /// In order from the source.
        wires: Vec<WireSpot>,
        /// The terminal from which the danger comes, as `component.terminal`.
        entry: String,
        /// Current of what hangs on them, A.
        demand_a: Option<f64>,
        /// Devices that stand at their limit.
        devices: Vec<(String, Option<String>)>,
    },
    /// A bond in a component.
    Bond(String),
    /// A source without a bond.
    Source(String),
    /// A source that reaches others.
    Tie {
        /// The source that has nothing to exclude it.
        source: String,
        /// Those it reaches.
        others: Vec<String>,
    },
    /// A charger fed by its own battery.
    Loop(String),
    /// A load with too much drop and the conductors of its path.
    Drop {
        /// The load.
        load: String,
        /// Conductors of its supply and return.
        wires: Vec<WireSpot>,
    },
    /// Nothing that a remedy is worked out for.
    Other,
}

/// With what a rig may be used although something is wrong with it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Precaution {
    /// A control stays where it is.
    Stays {
        /// The control, as it is called.
        control: String,
        /// Its position.
        position: String,
    },
    /// Somebody watches the battery, for these do not stop when it asks.
    Watched {
        /// The battery whose management signals.
        battery: String,
        /// What does not listen.
        names: Vec<String>,
    },
}

impl std::fmt::Display for Precaution {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Precaution::Stays { control, position } => write!(f, "{control} stays {position}"),
            Precaution::Watched { battery, names } => write!(
                f,
                "only while somebody is by who switches {} off by hand as soon as the management of {battery} signals",
                names.join(", ")
            ),
        }
    }
}

/// One finding.
#[derive(Debug, Clone, PartialEq)]
pub struct Finding {
    /// The rule.
    pub rule: &'static Rule,
    /// How pressing.
    pub severity: Severity,
    /// Certain or possible.
    pub certainty: Certainty,
    /// Stable name of what it is about; with the rule it identifies the finding.
    pub subject: Subject,
    /// What is wrong, in one sentence.
    pub statement: String,
    /// Lines a person can follow with a pocket calculator.
    pub evidence: Vec<String>,
    /// Sources of the limits used.
    pub source: String,
    /// Shortest sequence of operations from parked.
    pub way: Vec<String>,
    /// Components it shows at.
    pub components: Vec<String>,
    /// Conductors it shows at.
    pub wires: Vec<WireSpot>,
    /// With what precaution the rig may be used all the same, where there is one; with it, `components` are those that ask for it.
    pub precaution: Option<Precaution>,
    /// For the remedies.
    pub target: Target,
    /// Values that were not seen and each of which alone makes it come or go.
    pub hangs_on: Vec<crate::bounds::Unseen>,
}

impl Finding {
    /// Rule and subject: the same finding in every audit.
    pub fn key(&self) -> String {
        format!("{}:{}", self.rule.slug, self.subject)
    }
}

/// Names in order, each once.
pub(crate) fn distinct(mut names: Vec<&str>) -> Vec<&str> {
    names.sort_unstable();
    names.dedup();
    names
}

/// Every rule.
pub static RULES: &[&Rule] = &[
    &overcurrent_missing::RULE,
    &device_too_far::RULE,
    &device_oversized::RULE,
    &cable_ampacity::RULE,
    &cable_drop::RULE,
    &bond_away::RULE,
    &bond_missing::RULE,
    &bond_several::RULE,
    &earth_missing::RULE,
    &earth_size::RULE,
    &rcd_missing::RULE,
    &ac_backfeed::RULE,
    &charger_loop::RULE,
    &colour_reserved::RULE,
    &conductors_crossed::RULE,
    &oscillation::RULE,
    &parallel_conductors::RULE,
    &contact_overloaded::RULE,
    &appliance_maximum::RULE,
    &breaking_capacity::RULE,
    &device_voltage::RULE,
    &device_kind::RULE,
    &skin_live::RULE,
    &supply_fault::RULE,
    &pole_missing::RULE,
    &neutral_shared::RULE,
    &neutral_lost::RULE,
    &legs_joined::RULE,
    &return_interrupted::RULE,
    &device_undersized::RULE,
    &loose_end::RULE,
    &hot_lost::RULE,
    &inverter_device::RULE,
    &cable_minimum::RULE,
    &bond_isolated::RULE,
    &rcd_type::RULE,
    &wave_form::RULE,
    &rcd_neutral::RULE,
    &chassis_bond::RULE,
    &chassis_return::RULE,
    &negative_floating::RULE,
    &battery_isolation::RULE,
    &array_isolation::RULE,
    &battery_mixed::RULE,
    &battery_sharing::RULE,
    &battery_place::RULE,
    &charge_voltage::RULE,
    &charge_sum::RULE,
    &discharge_limit::RULE,
    &array_strings::RULE,
    &array_unlike::RULE,
    &array_voltage::RULE,
    &array_current::RULE,
    &alternator_bank::RULE,
    &turbine_unloaded::RULE,
    &thresholds_order::RULE,
    &management_ignored::RULE,
    &shunt_bypassed::RULE,
    &source_without_store::RULE,
    &load_disconnect_place::RULE,
    &bank_link::RULE,
    &feed_in::RULE,
    &heating_moves::RULE,
    &dc_balance::RULE,
    &pins_live::RULE,
    &vital_switched::RULE,
    &voltage_unlike::RULE,
    &array_direct::RULE,
    &array_drop::RULE,
    &fault_clearing::RULE,
    &devices_in_series::RULE,
    &load_sum::RULE,
    &place_heat::RULE,
    &remark::RULE,
];
