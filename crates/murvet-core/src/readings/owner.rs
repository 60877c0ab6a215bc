//! Tests that may be left to an owner: those that need no cover opened and no lead on a live part.
//!
//! Which they are is common practice, no source. How each is said stands with the words.

use super::{Test, TestKind};

/// What an owner does for a test.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OwnerDoes {
    /// Reads the volts of a battery at rest.
    Rest,
    /// Reads them under load.
    Sag,
    /// Reads the current with everything off.
    Parasitic,
    /// Presses the test button of a residual-current device.
    Button,
    /// Tries a lamp or the appliance.
    Outlet,
    /// Sees that a lamp stays dark.
    Dark,
    /// Sees that a charger is dark on the inverter.
    Loop,
    /// Sees that current goes into the bank.
    Into,
    /// Sees that a charger charges.
    Charge,
    /// Counts the seconds of a changeover.
    Transfer,
}

impl OwnerDoes {
    /// All of them.
    pub const ALL: [OwnerDoes; 10] = [
        OwnerDoes::Rest,
        OwnerDoes::Sag,
        OwnerDoes::Parasitic,
        OwnerDoes::Button,
        OwnerDoes::Outlet,
        OwnerDoes::Dark,
        OwnerDoes::Loop,
        OwnerDoes::Into,
        OwnerDoes::Charge,
        OwnerDoes::Transfer,
    ];

    /// Its stable code, by which its words are found.
    pub fn code(self) -> &'static str {
        match self {
            OwnerDoes::Rest => "rest",
            OwnerDoes::Sag => "sag",
            OwnerDoes::Parasitic => "parasitic",
            OwnerDoes::Button => "button",
            OwnerDoes::Outlet => "outlet",
            OwnerDoes::Dark => "dark",
            OwnerDoes::Loop => "loop",
            OwnerDoes::Into => "into",
            OwnerDoes::Charge => "charge",
            OwnerDoes::Transfer => "transfer",
        }
    }
}

/// What must come out of it.
#[derive(Debug, Clone, PartialEq)]
pub enum OwnerWanted {
    /// What is seen; the words of the task say it.
    Seen,
    /// A value between these, in this unit.
    Range {
        /// The least.
        low: f64,
        /// The most.
        high: f64,
        /// The unit.
        unit: &'static str,
    },
}

/// A test as it is left to an owner.
#[derive(Debug, Clone, PartialEq)]
pub struct OwnerTask {
    /// What to do.
    pub what: OwnerDoes,
    /// On what.
    pub subject: String,
    /// From which source.
    pub source: String,
    /// What must come out.
    pub wanted: OwnerWanted,
}

/// What is left of a test for an owner; nothing where it needs a cover off, a lead on a live part or a judgement. `name` gives
/// what is printed for a thing.
///
/// ```
/// use murvet_core::{audit::audit, notation::parse, profiles::ProfileId, readings::{OwnerDoes, for_owner, plan}};
/// let rig = parse("battery b: agm 12V 100Ah\n").unwrap();
/// let tests = plan(&audit(&rig, ProfileId::EU_UK));
/// let rest = tests.iter().find(|t| t.id == "rest:b").unwrap();
/// assert_eq!(for_owner(rest, str::to_owned).unwrap().what, OwnerDoes::Rest);
/// ```
pub fn for_owner(test: &Test, name: impl Fn(&str) -> String) -> Option<OwnerTask> {
    let what = match test.id.kind {
        TestKind::Rest => OwnerDoes::Rest,
        TestKind::Sag => OwnerDoes::Sag,
        TestKind::Parasitic => OwnerDoes::Parasitic,
        TestKind::Button => OwnerDoes::Button,
        TestKind::Outlet | TestKind::Appliance => OwnerDoes::Outlet,
        TestKind::Census => OwnerDoes::Dark,
        TestKind::Loop => OwnerDoes::Loop,
        TestKind::Into => OwnerDoes::Into,
        TestKind::ChargeAmps | TestKind::ChargeVolts => OwnerDoes::Charge,
        TestKind::Transfer => OwnerDoes::Transfer,
        _ => return None,
    };
    let measured = matches!(what, OwnerDoes::Rest | OwnerDoes::Sag | OwnerDoes::Parasitic | OwnerDoes::Transfer);
    let wanted = if measured && !test.is_look() {
        OwnerWanted::Range { low: test.limit.low, high: test.limit.high, unit: test.unit }
    } else if measured {
        OwnerWanted::Range { low: f64::NEG_INFINITY, high: f64::INFINITY, unit: "" }
    } else {
        OwnerWanted::Seen
    };
    let subject = name(&test.id.subject);
    let source = test.id.source.as_deref().map_or_else(|| subject.clone(), &name);
    Some(OwnerTask { what, subject, source, wanted })
}
