//! The rules: one file each, with its reason, its source and its evidence. Fixtures that break each
//! rule and the nearest that do not stand in `tests/fixtures`.
//!
//! A new rule is a file here with a [`Meta`] and a `find`, and a line in [`RULES`].

mod ac_backfeed;
mod alternator_bank;
mod appliance_maximum;
mod array_current;
mod array_drop;
mod array_isolation;
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
mod cable_drop;
mod cable_minimum;
mod charge_sum;
mod charge_voltage;
mod charger_loop;
mod chassis_bond;
mod chassis_return;
mod conductors_crossed;
mod contact_overloaded;
mod coverage;
mod dc_balance;
mod device_kind;
mod device_oversized;
mod device_too_far;
mod device_voltage;
mod devices_in_series;
mod discharge_limit;
mod earth_missing;
mod earth_size;
mod examples;
mod fault_clearing;
mod feed_in;
mod heating_moves;
mod inverter_device;
mod islands;
mod legs_joined;
mod load_disconnect_place;
mod load_sum;
mod management_ignored;
mod negative_floating;
mod neutral_lost;
mod neutral_shared;
mod oscillation;
mod overcurrent_missing;
mod parallel_conductors;
mod pins_live;
mod pole_missing;
mod rcd_missing;
mod rcd_neutral;
mod remark;
mod return_interrupted;
mod shunt_bypassed;
mod skin_live;
mod source_without_store;
mod supply_fault;
mod thresholds_order;
mod views;
mod vital_switched;

pub mod protection;

pub use cable_drop::{Drop, drops};
pub use coverage::{COVERAGE, Found, page};
pub use examples::example;
pub use islands::{Island, Meeting, fed, islands_at, meeting_lines};

use crate::catalogue::Kind;
use crate::network::{Edge, Network, Union, What, WireSpot};
use crate::profiles::{Ampacity, Duty, Laid, Profile, ampacity};
use crate::rig::Rig;
use crate::states::{Exploration, State};
use crate::units::short;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::cell::{OnceCell, RefCell};
use std::collections::HashSet;

/// How pressing a finding is, most pressing last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Severity {
    /// Good to know.
    Advice,
    /// To be put right soon.
    Soon,
    /// To be put right before the circuit is used.
    BeforeUse,
    /// Keep off: isolate now.
    KeepOff,
}

impl Severity {
    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Severity::Advice => "advice",
            Severity::Soon => "soon",
            Severity::BeforeUse => "before use",
            Severity::KeepOff => "keep off",
        }
    }
}

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
    /// For the remedies.
    pub target: Target,
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

/// Everything a rule may look at.
pub struct Context<'a> {
    /// What was traced.
    pub rig: &'a Rig,
    /// The limits.
    pub profile: &'a Profile,
    /// The graph.
    pub net: &'a Network,
    /// The states.
    pub states: &'a Exploration,
    /// Ampacities of the different ways in which wires lie, and which of them each wire has.
    ampacities: Vec<Ampacity>,
    ampacity_of: Vec<usize>,
    groups: Vec<Vec<usize>>,
    protection: OnceCell<Vec<protection::Group>>,
    whole: OnceCell<Vec<u32>>,
    widest: OnceCell<Vec<usize>>,
    dc: OnceCell<HashSet<usize>>,
    mains: OnceCell<Vec<usize>>,
    islands: OnceCell<Vec<Island<'a>>>,
    conversions: OnceCell<Vec<usize>>,
    /// What may flow with everything closed and running, and from what stores and feeds alone.
    everything: OnceCell<RefCell<protection::Built>>,
    everything_stored: OnceCell<RefCell<protection::Built>>,
}

impl<'a> Context<'a> {
    /// Prepares what the rules share.
    pub fn new(rig: &'a Rig, profile: &'a Profile, net: &'a Network, states: &'a Exploration) -> Context<'a> {
        let mut duty = vec![Duty::Dc; net.wires.len()];
        for edge in &net.edges {
            if let What::Wire(w) = edge.what
                && net.nodes[edge.a].is_mains_side()
            {
                duty[w] = Duty::Ac;
            }
        }
        let groups = net.parallel_wires(profile.thresholds.parallel_length);
        let mut ways: Vec<(Duty, Laid, usize)> = Vec::new();
        let (mut ampacities, mut ampacity_of) = (Vec::new(), Vec::with_capacity(net.wires.len()));
        for ((wire, duty), group) in net.wires.iter().zip(duty).zip(&groups) {
            let way = (duty, wire.laid, group.len());
            let index = ways.iter().position(|w| *w == way).unwrap_or_else(|| {
                let mut amp = ampacity(profile, duty, &wire.laid);
                if group.len() > 1 {
                    // Equal in size and length, so they share equally.
                    amp.iz_a *= group.len() as f64;
                    amp.device_a *= group.len() as f64;
                    amp.steps.push(format!("× {} equal conductors in parallel = {} A", group.len(), short(amp.iz_a)));
                }
                ampacities.push(amp);
                ways.push(way);
                ways.len() - 1
            });
            ampacity_of.push(index);
        }
        Context {
            rig,
            profile,
            net,
            states,
            ampacities,
            ampacity_of,
            groups,
            protection: OnceCell::new(),
            whole: OnceCell::new(),
            widest: OnceCell::new(),
            dc: OnceCell::new(),
            mains: OnceCell::new(),
            islands: OnceCell::new(),
            conversions: OnceCell::new(),
            everything: OnceCell::new(),
            everything_stored: OnceCell::new(),
        }
    }

    /// The ampacity of a wire.
    pub fn ampacity(&self, wire: usize) -> &Ampacity {
        &self.ampacities[self.ampacity_of[wire]]
    }

    /// The conductors that lie in parallel with a wire, itself included: same terminals, size, insulation
    /// and length.
    pub fn parallel(&self, wire: usize) -> &[usize] {
        &self.groups[wire]
    }

    /// From how many outlets and appliances on a floating source is no separation any more.
    fn separation_from(&self) -> usize {
        if self.profile.answers.floating_inverter { 2 } else { 1 }
    }

    /// The stable name that a finding about a wire has: that of its cable, or its own.
    fn wire_subject(&self, wire: usize) -> String {
        let wire = &self.net.wires[wire];
        match wire.spot {
            WireSpot::Cable(c, _) => self.rig.cables[c].id.clone(),
            WireSpot::Run(..) => wire.key.clone(),
        }
    }

    /// Whether two wires are cores of one cable.
    pub fn same_cable(&self, a: usize, b: usize) -> bool {
        match (self.net.wires[a].spot, self.net.wires[b].spot) {
            (WireSpot::Cable(x, _), WireSpot::Cable(y, _)) => x == y,
            _ => false,
        }
    }

    /// Pieces of a kind that are there now, by index.
    pub fn pieces(&self, kind: Kind) -> impl Iterator<Item = usize> + '_ {
        let all = self.rig.pieces.iter().enumerate();
        all.filter(move |(_, p)| p.kind == kind && p.status.present()).map(|(i, _)| i)
    }

    /// Labels of nodes that hang together by the edges that a test lets through.
    pub fn joined(&self, keep: impl Fn(&Edge) -> bool) -> Vec<u32> {
        let mut sets = Union::new(self.net.nodes.len());
        for edge in self.net.edges.iter().filter(|e| keep(e)) {
            sets.join(edge.a, edge.b);
        }
        sets.into_labels()
    }

    /// Labels of nodes that hang together with every contact closed, without bonds and what joins earth to another
    /// conductor, worked out once.
    pub fn whole(&self) -> &[u32] {
        self.whole.get_or_init(|| self.joined(|e| !matches!(e.what, What::Bond { .. }) && !self.net.crosses_earth(e)))
    }

    /// States in which most is joined and running, in the order of the search, worked out once.
    pub fn widest(&self) -> impl Iterator<Item = (usize, &'a State)> + '_ {
        let list = self.widest.get_or_init(|| views::widest(self));
        list.iter().map(|&i| (i, &self.states.states[i]))
    }

    /// Of the widest states the first of those that look alike from the DC side, worked out once.
    pub fn dc_states(&self) -> &HashSet<usize> {
        self.dc.get_or_init(|| views::dc_states(self))
    }

    /// One state for each way the mains side can stand, in the order of the search, worked out once.
    pub fn mains_states(&self) -> impl Iterator<Item = (usize, &'a State)> + '_ {
        let list = self.mains.get_or_init(|| views::mains_states(self));
        list.iter().map(|&i| (i, &self.states.states[i]))
    }

    /// The first of the states that look alike to the converters, worked out once: which of them run, and which of their
    /// terminals and of the batteries' hang together.
    pub fn conversion_states(&self) -> impl Iterator<Item = (usize, &'a State)> + '_ {
        let list = self.conversions.get_or_init(|| views::conversion_states(self));
        list.iter().map(|&i| (i, &self.states.states[i]))
    }

    /// Every running AC source in each of these states, worked out once.
    pub fn islands(&self) -> &[Island<'a>] {
        self.islands
            .get_or_init(|| self.mains_states().flat_map(|(index, _)| islands::islands_at(self, index)).collect())
    }

    /// The first state that a test finds, with the sources of its way.
    fn first_state(&self, fits: impl Fn(&State) -> bool) -> Option<&'a State> {
        self.states.states.iter().find(|s| fits(s))
    }

    /// Conductors that no device protects as the profile wants, worked out once.
    pub fn protection(&self) -> &[protection::Group] {
        self.protection.get_or_init(|| protection::analyse(self))
    }

    /// Identifier of a piece.
    pub fn id(&self, piece: usize) -> &str {
        &self.rig.pieces[piece].id
    }

    /// A piece in words: its kind and name.
    pub fn piece_words(&self, piece: usize) -> String {
        let p = &self.rig.pieces[piece];
        let kind = p.kind.spec().title;
        let said = kind.split(' ').any(|word| p.id.eq_ignore_ascii_case(word));
        if said { kind.to_owned() } else { format!("{kind} {}", p.id) }
    }

    /// A wire in words.
    pub fn wire_words(&self, wire: usize) -> String {
        format!("{} ({})", self.net.wires[wire].title, self.net.wire_ends(wire))
    }

    /// A finding with what most of them share.
    fn finding(&self, meta: &'static Meta, severity: Severity, subject: &str, mut statement: String) -> Finding {
        // A sentence starts with a capital, unless it starts with somebody's name for a thing.
        let first = statement.split(' ').next().unwrap_or_default();
        let named = self.rig.piece(first).is_some() || self.rig.cable(first).is_some() || first.contains(['.', '-']);
        if !named && let Some(letter) = statement.get_mut(0..1) {
            letter.make_ascii_uppercase();
        }
        Finding {
            meta: meta.slug,
            severity,
            certainty: Certainty::Certain,
            subject: subject.to_owned(),
            statement,
            evidence: Vec::new(),
            source: meta.source.to_owned(),
            way: Vec::new(),
            pieces: Vec::new(),
            wires: Vec::new(),
            target: Target::Other,
        }
    }

    /// The state in words for an evidence line.
    fn state_words(&self, state: &State) -> String {
        state.describe(self.net)
    }
}

/// Names in order, each once.
fn distinct(mut names: Vec<&str>) -> Vec<&str> {
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
    (&inverter_device::META, inverter_device::find),
    (&cable_minimum::META, cable_minimum::find),
    (&bond_isolated::META, bond_isolated::find),
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
    (&array_drop::META, array_drop::find),
    (&fault_clearing::META, fault_clearing::find),
    (&devices_in_series::META, devices_in_series::find),
    (&load_sum::META, load_sum::find),
    (&remark::META, remark::find),
];
