//! Tests that may be left to an owner: those that need no cover opened and no lead on a live part.
//!
//! Which they are, and when to stop, is common practice, no source.

use super::{Test, TestKind};

/// A test as it is left to an owner.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct OwnerTest {
    /// How to do it with what an owner has.
    pub how: String,
    /// What must come out.
    pub wanted: String,
    /// When to stop, and what to leave alone then.
    pub stop: String,
}

/// When to stop whatever is being tried.
pub const STOP: &str = "Smell, smoke, a cover too hot to leave a hand on, tingling, or a device that opens twice: switch off at \
                        the nearest switch, unplug at the supply end, leave it off and call.";

/// What is left of a test for an owner; nothing where it needs a cover off, a lead on a live part or a judgement.
///
/// ```
/// use murvet_core::{audit::audit, notation::parse, profiles::ProfileId, readings::{for_owner, plan}};
/// let rig = parse("battery b: agm 12V 100Ah\n").unwrap();
/// let tests = plan(&audit(&rig, ProfileId::EU_UK));
/// let rest = tests.iter().find(|t| t.id == "rest:b").unwrap();
/// assert!(for_owner(rest).unwrap().stop.contains("inverter"));
/// ```
pub fn for_owner(test: &Test) -> Option<OwnerTest> {
    let subject = &test.id.subject;
    let source = test.id.source.as_deref().unwrap_or(subject);
    let allowed = test.limit_words();
    let of = |how: String, wanted: String, stop: &str| {
        Some(OwnerTest { how, wanted, stop: if stop.is_empty() { STOP.to_owned() } else { format!("{stop} {STOP}") } })
    };
    match test.id.kind {
        TestKind::Rest => of(
            format!(
                "In the morning, before anything is switched on: the volts of {subject} on its monitor or in a socket."
            ),
            allowed,
            "Below it: charge, and leave the inverter off until somebody has looked.",
        ),
        TestKind::Sag => of(
            format!("Switch every 12 V appliance on for five minutes and read the volts of {subject} on its monitor."),
            allowed,
            "As soon as it falls below: switch off and charge.",
        ),
        TestKind::Parasitic => of(
            format!("Switch everything off in the evening and read the current out of {subject} on its monitor."),
            allowed,
            "More: leave it on charge, or open the battery's isolator when you leave the rig.",
        ),
        TestKind::Button => of(
            format!(
                "Plugged in, press the test button of {subject}; then reset it. Once a month and after every journey."
            ),
            "it opens at once and can be reset".to_owned(),
            "It does not open, or cannot be reset: unplug and use no outlet until it is replaced.",
        ),
        TestKind::Outlet | TestKind::Appliance => of(
            format!("On {source} alone: a plug-in lamp in {subject}, or the appliance itself."),
            "it works".to_owned(),
            "Dead: press the buttons of residual-current devices once. Do not reset anything twice.",
        ),
        TestKind::Census => of(
            format!("On {source} alone: a plug-in lamp in {subject}."),
            "it stays dark".to_owned(),
            "It lights: leave the source off and call.",
        ),
        TestKind::Loop => of(
            format!(
                "Unplugged, inverter {source} on, nothing else: look at the lamps of {subject} and at the current of the bank."
            ),
            "the charger is dark and no current goes into the bank".to_owned(),
            "The charger runs: switch the inverter off. It drains the bank through itself.",
        ),
        TestKind::Into => of(
            format!("Plugged in, inverter on, bank not full: the current of {source} on its monitor."),
            "it goes into the bank".to_owned(),
            "It goes out: switch the inverter off while plugged in.",
        ),
        TestKind::ChargeAmps | TestKind::ChargeVolts => of(
            format!(
                "While {subject} charges a bank that is not full: its lamp, and the current of the bank on its monitor."
            ),
            "current goes into the bank".to_owned(),
            "None for an hour: do not count on it to charge.",
        ),
        TestKind::Transfer => of(
            format!("Plug in or out with a lamp on an outlet of {subject}: count the seconds until it lights again."),
            allowed,
            "It chatters or stays dark: unplug and use one source only.",
        ),
        _ => None,
    }
}
