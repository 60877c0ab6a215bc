//! What a rule is: everything about it in one value, so that nothing about it stands elsewhere.

use super::{Context, Finding, Hazard};
use crate::test_kinds::TestKind;

/// A rule of the audit.
#[derive(Debug)]
pub struct Rule {
    /// Its name.
    pub slug: &'static str,
    /// The hazard.
    pub hazard: Hazard,
    /// What must hold, in one sentence.
    pub statement: &'static str,
    /// Why it matters.
    pub why: &'static str,
    /// Where it comes from.
    pub source: &'static str,
    /// Finds what breaks it.
    pub find: fn(&Context) -> Vec<Finding>,
    /// What the audit, the trials and the lists have to know of it.
    pub is: &'static [Is],
    /// Repairs that are tried on a copy, in this order.
    pub repairs: &'static [Repair],
    /// What is said where none of them was accepted.
    pub without: &'static str,
    /// Kinds of tests of which one fails while it is broken, wherever a meter can show it: one of them that passes after a repair
    /// proves it mended. Empty where it is about a rating, a size, a place or a label, which no meter shows.
    pub proven_by: &'static [TestKind],
    /// Faults of the trade that it covers.
    pub faults: &'static [(Field, &'static str)],
    /// Questions with more than one school on which its verdict depends.
    pub schools: &'static [&'static str],
    /// A small rig that breaks it, in notation.
    pub example: &'static str,
}

impl PartialEq for Rule {
    fn eq(&self, other: &Rule) -> bool {
        self.slug == other.slug
    }
}

impl Rule {
    /// The rule of a name.
    pub fn of(slug: &str) -> Option<&'static Rule> {
        super::RULES.iter().copied().find(|r| r.slug == slug)
    }

    /// Whether something is to be known of it.
    pub fn is(&self, what: Is) -> bool {
        self.is.contains(&what)
    }

    /// The rule in a word or two, for a headline.
    pub fn title(&self) -> String {
        let word = |(n, word): (usize, &str)| match word {
            "ac" | "dc" | "rcd" => word.to_uppercase(),
            _ if n == 0 => word[..1].to_uppercase() + &word[1..],
            _ => word.to_owned(),
        };
        self.slug.split('-').enumerate().map(word).collect::<Vec<_>>().join(" ")
    }
}

/// What is to be known of a rule beside what it finds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Is {
    /// It looks at the whole rig, whatever touches what: places, the chassis, remarks.
    AcrossParts,
    /// It holds a component against its maker's figures.
    MakersFigures,
    /// It is about a conductor that its device does not protect: no device ahead of it is made larger while it is broken.
    Unprotected,
    /// It is about the supply, not about the rig.
    OfTheSupply,
    /// It is about a bond where none may be: no repair makes one.
    BondUnproven,
}

/// What is said where every repair that was tried was rejected and there is nothing more to say.
pub(super) const TRIED: &str =
    "Each one that was tried was rejected, for the reason beside it; an own one may be entered and is tried as well.";

/// The part of the trade that a fault belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Field {
    /// Missing, distant, oversized or wrong devices.
    Overcurrent,
    /// What takes a source off.
    Isolation,
    /// Batteries and what charges them.
    Battery,
    /// Conductors.
    Cable,
    /// Neutral and earth.
    Bonding,
    /// Sources that reach each other.
    Backfeed,
    /// Chargers on their own battery.
    Loop,
    /// Solar and alternator.
    Generation,
    /// More is asked for than there is.
    Capacity,
    /// How it was done.
    Workmanship,
    /// What is written on it.
    Identification,
}

impl Field {
    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Field::Overcurrent => "Overcurrent protection",
            Field::Isolation => "Isolation",
            Field::Battery => "Battery and charging",
            Field::Cable => "Cable",
            Field::Bonding => "Neutral and earth",
            Field::Backfeed => "Backfeed",
            Field::Loop => "Charger loop",
            Field::Generation => "Solar and alternator",
            Field::Capacity => "Capacity",
            Field::Workmanship => "Workmanship",
            Field::Identification => "Identification",
        }
    }
}

/// A way to repair. What each does to a rig is worked out in `remedies`, where the compiler asks for every one of them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Repair {
    /// A device near where the danger comes from.
    AddDevice,
    /// A smaller device, or a thicker conductor.
    DeviceOrCable,
    /// A device at the tap.
    TapDevice,
    /// The conductors in each of the next larger sizes.
    NextSizes,
    /// A smaller device, and what hangs on it used for less.
    DerateWithDevice,
    /// An appliance on the other leg.
    OtherLeg,
    /// A bond taken out.
    OpenBond,
    /// A bond at the source.
    CloseBond,
    /// Sources kept apart.
    PartSources,
    /// A charger on a way that its own battery never feeds.
    MoveCharger,
    /// A charger plugged in elsewhere.
    PlugElsewhere,
    /// One unit for inverter, charger and transfer.
    Combined,
    /// Thicker or shorter conductors to an appliance.
    LessDrop,
    /// Another device of the same rating.
    AnotherDevice,
    /// The same, of the kind that the current asks for.
    AnotherKind,
    /// A contact for all that can flow.
    LargerContact,
    /// A device of the maker's figure at the appliance.
    OwnDevice,
    /// A switch at the source.
    FitSwitch,
    /// A conductor from the earth to the chassis.
    BondChassis,
    /// A conductor from the negative to the chassis.
    BondNegative,
    /// A charger set to what its battery wants.
    SetCharger,
    /// Thresholds set in order.
    Thresholds,
    /// A place aired.
    Aired,
    /// An inverter used for less, by what holds ahead of it.
    Derate,
    /// An inverter used for less, by what its bank may give.
    DerateForBank,
    /// A lead landed behind the shunt.
    BehindShunt,
    /// Leads landed so that batteries share alike.
    ShareAlike,
    /// A component in another place.
    AnotherPlace,
    /// A battery like the others.
    MatchedBattery,
    /// A feed ahead of the main switch.
    AheadOfSwitch,
    /// A load-disconnect out of the path of a charger or inverter.
    OutOfPath,
    /// A DC-DC charger for a relay.
    DcDcForRelay,
    /// An appliance that takes less.
    SmallerAppliance,
    /// Chargers set for less.
    LessCharge,
    /// A larger device, where the conductors hold it.
    LargerDevice,
    /// A residual-current device of a better type.
    BetterRcd,
    /// An inverter that gives a sine.
    Sine,
    /// A component of the right voltage.
    OtherVoltage,
    /// A fuse for each string.
    StringFuses,
    /// Devices graded so that the nearer opens first.
    Graded,
    /// A loose end taken out.
    LooseOut,
    /// A cable taken out.
    CableOut,
    /// Two hots parted.
    HotsApart,
    /// A residual-current device for each outlet without one.
    FitRcd,
    /// The cores of the cable that is named landed like to like.
    LandAlike,
    /// The same for what arrives at the components that are named.
    LandEarth,
    /// The same for a cable whose neutral goes nowhere.
    LandNeutral,
    /// The same for a cable of which a hot goes nowhere.
    LandHot,
    /// The same for a cable whose hots are crossed.
    LandHots,
    /// What stands in a return taken out.
    TakeOut,
    /// A device that opens all live conductors.
    AllPoles,
    /// Another outlet of the supply.
    OtherOutlet,
    /// The thinnest size that is allowed.
    LeastSize,
    /// A size for hours of bright sun.
    ArraySize,
    /// A controller for a higher voltage.
    LargerController,
    /// An appliance that does not choose mains by itself.
    NotByItself,
    /// Feed-in switched off.
    FeedInOff,
    /// Signals wired and obeyed.
    WireSignals,
    /// Thicker links of a bank.
    Links,
    /// A dump load for all that a turbine gives.
    DumpLoad,
    /// What was remarked put right.
    PutRight,
}
