//! The rules: one file each, with its reason, its source and its evidence. A small rig that breaks each stands in
//! `examples/`; the nearest rigs that do not stand in the tests.
//!
//! A new rule is a file here with a [`Meta`] and a `find`, and a line in [`RULES`].

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
mod examples;
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
mod shunt_bypassed;
mod skin_live;
mod source_without_store;
mod supply_fault;
mod thresholds_order;
mod views;
mod vital_switched;
mod voltage_unlike;
mod wave_form;
pub(crate) mod ways;

pub mod protection;

pub use cable_drop::{Drop, drops};
pub use context::Context;
pub use coverage::{COVERAGE, Found, page};
pub use examples::example;
pub use islands::{Island, Meeting, fed, islands_at, meeting_lines};
pub(crate) use loose_end::may_end_at;

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

/// What a rule is about.
#[derive(Debug, Clone, Copy)]
pub struct Meta {
    /// Its name.
    pub slug: &'static str,
    /// The hazard.
    pub hazard: Hazard,
    /// The rule in one sentence.
    pub statement: &'static str,
    /// Why it matters.
    pub why: &'static str,
    /// Where it comes from.
    pub source: &'static str,
}

impl Meta {
    /// The rule in a word or two, for a headline.
    pub fn title(&self) -> String {
        let mut title = self.slug.replace('-', " ");
        if let Some(letter) = title.get_mut(0..1) {
            letter.make_ascii_uppercase();
        }
        title
    }
}

/// What a remedy has to work on.
#[derive(Debug, Clone, PartialEq)]
pub enum Target {
    /// Conductors that carry or could carry too much.
    Wires {
        /// In order from the source.
        wires: Vec<WireSpot>,
        /// The terminal from which the danger comes, as `piece.terminal`.
        entry: String,
        /// Current of what hangs on them, A.
        demand_a: Option<f64>,
        /// Devices that stand at their limit.
        devices: Vec<(String, Option<String>)>,
    },
    /// A bond in a piece.
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

/// One finding.
#[derive(Debug, Clone, PartialEq)]
pub struct Finding {
    /// The rule.
    pub meta: &'static str,
    /// How pressing.
    pub severity: Severity,
    /// Certain or possible.
    pub certainty: Certainty,
    /// Stable name of what it is about; with the rule it identifies the finding.
    pub subject: String,
    /// What is wrong, in one sentence.
    pub statement: String,
    /// Lines a person can follow with a pocket calculator.
    pub evidence: Vec<String>,
    /// Sources of the limits used.
    pub source: String,
    /// Shortest sequence of operations from parked.
    pub way: Vec<String>,
    /// Pieces it shows at.
    pub pieces: Vec<String>,
    /// Conductors it shows at.
    pub wires: Vec<WireSpot>,
    /// With what precaution the rig may be used all the same, where there is one; with it, `pieces` are those that ask for it.
    pub precaution: Option<String>,
    /// For the remedies.
    pub target: Target,
    /// Values that were not seen and each of which alone makes it come or go.
    pub hangs_on: Vec<crate::bounds::Unseen>,
}

impl Finding {
    /// The rule's description.
    pub fn rule(&self) -> &'static Meta {
        RULES.iter().map(|r| r.0).find(|m| m.slug == self.meta).unwrap_or(RULES[0].0)
    }

    /// Rule and subject: the same finding in every audit.
    pub fn key(&self) -> String {
        format!("{}:{}", self.meta, self.subject)
    }
}

/// Names in order, each once.
pub(crate) fn distinct(mut names: Vec<&str>) -> Vec<&str> {
    names.sort_unstable();
    names.dedup();
    names
}

/// A rule: its description and the function that finds what breaks it.
pub type Rule = (&'static Meta, fn(&Context) -> Vec<Finding>);

/// Every rule.
pub static RULES: &[Rule] = &[
    (&overcurrent_missing::META, overcurrent_missing::find),
    (&device_too_far::META, device_too_far::find),
    (&device_oversized::META, device_oversized::find),
    (&cable_ampacity::META, cable_ampacity::find),
    (&cable_drop::META, cable_drop::find),
    (&bond_away::META, bond_away::find),
    (&bond_missing::META, bond_missing::find),
    (&bond_several::META, bond_several::find),
    (&earth_missing::META, earth_missing::find),
    (&earth_size::META, earth_size::find),
    (&rcd_missing::META, rcd_missing::find),
    (&ac_backfeed::META, ac_backfeed::find),
    (&charger_loop::META, charger_loop::find),
    (&colour_reserved::META, colour_reserved::find),
    (&conductors_crossed::META, conductors_crossed::find),
    (&oscillation::META, oscillation::find),
    (&parallel_conductors::META, parallel_conductors::find),
    (&contact_overloaded::META, contact_overloaded::find),
    (&appliance_maximum::META, appliance_maximum::find),
    (&breaking_capacity::META, breaking_capacity::find),
    (&device_voltage::META, device_voltage::find),
    (&device_kind::META, device_kind::find),
    (&skin_live::META, skin_live::find),
    (&supply_fault::META, supply_fault::find),
    (&pole_missing::META, pole_missing::find),
    (&neutral_shared::META, neutral_shared::find),
    (&neutral_lost::META, neutral_lost::find),
    (&legs_joined::META, legs_joined::find),
    (&return_interrupted::META, return_interrupted::find),
    (&device_undersized::META, device_undersized::find),
    (&loose_end::META, loose_end::find),
    (&hot_lost::META, hot_lost::find),
    (&inverter_device::META, inverter_device::find),
    (&cable_minimum::META, cable_minimum::find),
    (&bond_isolated::META, bond_isolated::find),
    (&rcd_type::META, rcd_type::find),
    (&wave_form::META, wave_form::find),
    (&rcd_neutral::META, rcd_neutral::find),
    (&chassis_bond::META, chassis_bond::find),
    (&chassis_return::META, chassis_return::find),
    (&negative_floating::META, negative_floating::find),
    (&battery_isolation::META, battery_isolation::find),
    (&array_isolation::META, array_isolation::find),
    (&battery_mixed::META, battery_mixed::find),
    (&battery_sharing::META, battery_sharing::find),
    (&battery_place::META, battery_place::find),
    (&charge_voltage::META, charge_voltage::find),
    (&charge_sum::META, charge_sum::find),
    (&discharge_limit::META, discharge_limit::find),
    (&array_strings::META, array_strings::find),
    (&array_unlike::META, array_unlike::find),
    (&array_voltage::META, array_voltage::find),
    (&array_current::META, array_current::find),
    (&alternator_bank::META, alternator_bank::find),
    (&thresholds_order::META, thresholds_order::find),
    (&management_ignored::META, management_ignored::find),
    (&shunt_bypassed::META, shunt_bypassed::find),
    (&source_without_store::META, source_without_store::find),
    (&load_disconnect_place::META, load_disconnect_place::find),
    (&bank_link::META, bank_link::find),
    (&feed_in::META, feed_in::find),
    (&heating_moves::META, heating_moves::find),
    (&dc_balance::META, dc_balance::find),
    (&pins_live::META, pins_live::find),
    (&vital_switched::META, vital_switched::find),
    (&voltage_unlike::META, voltage_unlike::find),
    (&array_direct::META, array_direct::find),
    (&array_drop::META, array_drop::find),
    (&fault_clearing::META, fault_clearing::find),
    (&devices_in_series::META, devices_in_series::find),
    (&load_sum::META, load_sum::find),
    (&place_heat::META, place_heat::find),
    (&remark::META, remark::find),
];
