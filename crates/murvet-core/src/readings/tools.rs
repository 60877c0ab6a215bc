//! What is measured with, and what may take its place where it is not at hand.
//!
//! Substitutes and their rank are common practice, no source.

use super::{Test, TestKind};

/// What an instrument can do. One instrument may be several.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Tool {
    /// Any voltmeter.
    Voltmeter,
    /// A voltmeter that reads true RMS, on stepped waves too.
    TrueRms,
    /// A voltmeter of low impedance, in which ghost voltages break down.
    LowImpedance,
    /// An ohmmeter of a few milliamperes, or a beep.
    Ohmmeter,
    /// A continuity meter of 200 mA that resolves hundredths of an ohm.
    LowOhm,
    /// An insulation tester of 250 V.
    Insulation,
    /// A clamp for direct current that is zeroed first.
    DcClamp,
    /// A clamp for alternating current.
    AcClamp,
    /// A tester that lets a set leakage flow and times the device.
    RcdTester,
    /// A plug with a fixed leakage: the device opens or does not.
    TestPlug,
    /// A tester of the loop from line to earth that opens no residual-current device.
    LoopTester,
    /// A thermometer for joints.
    Thermometer,
    /// A torque wrench.
    TorqueKey,
    /// The monitor of the rig itself.
    Monitor,
    /// Eyes, hands and a watch: always there.
    Hands,
}

/// What takes the place of a tool.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Substitute {
    /// What is used instead.
    pub by: Tool,
    /// How, and what it does not show.
    pub how: &'static str,
    /// Whether the reading is of lower rank: it can condemn, but neither clear nor open what it guards.
    pub lower: bool,
}

impl Tool {
    /// Every tool that an instrument can be registered as.
    pub const REGISTERED: [Tool; 13] = [
        Tool::Voltmeter,
        Tool::TrueRms,
        Tool::LowImpedance,
        Tool::Ohmmeter,
        Tool::LowOhm,
        Tool::Insulation,
        Tool::DcClamp,
        Tool::AcClamp,
        Tool::RcdTester,
        Tool::TestPlug,
        Tool::LoopTester,
        Tool::Thermometer,
        Tool::TorqueKey,
    ];

    /// Its name in forms and files.
    pub fn word(self) -> &'static str {
        match self {
            Tool::Voltmeter => "voltmeter",
            Tool::TrueRms => "true-rms",
            Tool::LowImpedance => "low-impedance",
            Tool::Ohmmeter => "ohmmeter",
            Tool::LowOhm => "low-ohm",
            Tool::Insulation => "insulation",
            Tool::DcClamp => "dc-clamp",
            Tool::AcClamp => "ac-clamp",
            Tool::RcdTester => "rcd-tester",
            Tool::TestPlug => "test-plug",
            Tool::LoopTester => "loop-tester",
            Tool::Thermometer => "thermometer",
            Tool::TorqueKey => "torque-key",
            Tool::Monitor => "monitor",
            Tool::Hands => "hands",
        }
    }

    /// The tool of a name.
    pub fn parse(word: &str) -> Option<Tool> {
        Tool::REGISTERED.into_iter().chain([Tool::Monitor, Tool::Hands]).find(|t| t.word() == word)
    }

    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Tool::Voltmeter => "voltmeter",
            Tool::TrueRms => "true-RMS voltmeter",
            Tool::LowImpedance => "low-impedance voltmeter",
            Tool::Ohmmeter => "ohmmeter",
            Tool::LowOhm => "low-ohm meter, 200 mA",
            Tool::Insulation => "insulation tester, 250 V",
            Tool::DcClamp => "zeroed DC clamp, one conductor",
            Tool::AcClamp => "zeroed AC clamp, one conductor",
            Tool::RcdTester => "residual-current tester",
            Tool::TestPlug => "plug with a fixed leakage",
            Tool::LoopTester => "no-trip loop tester",
            Tool::Thermometer => "thermometer",
            Tool::TorqueKey => "torque wrench",
            Tool::Monitor => "the rig's own monitor",
            Tool::Hands => "eyes, hands and a watch",
        }
    }

    /// Whether an instrument that is this can be used as the other.
    pub fn serves_as(self, other: Tool) -> bool {
        self == other
            || matches!(
                (self, other),
                (Tool::TrueRms | Tool::LowImpedance, Tool::Voltmeter)
                    | (Tool::LowOhm, Tool::Ohmmeter)
                    | (Tool::RcdTester, Tool::TestPlug)
            )
    }

    /// What may take its place, the best first.
    pub fn substitutes(self) -> &'static [Substitute] {
        const fn by(by: Tool, how: &'static str, lower: bool) -> Substitute {
            Substitute { by, how, lower }
        }
        const MONITOR: Substitute = by(
            Tool::Monitor,
            "sees only its own bank and what passes its shunt, and is only as right as its settings",
            true,
        );
        const VOLTMETER: [Substitute; 1] = [MONITOR];
        const TRUE_RMS: [Substitute; 1] =
            [by(Tool::Voltmeter, "an averaging voltmeter shows a stepped wave some tenth too low", true)];
        // What is dead on a meter that a ghost could feed is dead for certain; the load takes the ghost away.
        const LOW_IMPEDANCE: [Substitute; 1] =
            [by(Tool::Voltmeter, "with a lamp across the leads, in which a ghost voltage breaks down", false)];
        const LOW_OHM: [Substitute; 1] =
            [by(Tool::Ohmmeter, "leads zeroed; its few milliamperes pass through one last strand", true)];
        const INSULATION: [Substitute; 1] =
            [by(Tool::Ohmmeter, "finds what is joined; damp and bruised insulation it does not", true)];
        const DC_CLAMP: [Substitute; 2] = [
            MONITOR,
            by(Tool::Voltmeter, "millivolts along a fuse or shunt of known resistance, over that resistance", true),
        ];
        const RCD: [Substitute; 1] =
            [by(Tool::TestPlug, "enter 0 where the device opens and over range where it does not; no time", true)];
        const TORQUE: [Substitute; 1] = [by(Tool::Hands, "a tug and a look; says nothing of the torque", true)];
        match self {
            Tool::Voltmeter => &VOLTMETER,
            Tool::TrueRms => &TRUE_RMS,
            Tool::LowImpedance => &LOW_IMPEDANCE,
            Tool::LowOhm => &LOW_OHM,
            Tool::Insulation => &INSULATION,
            Tool::DcClamp => &DC_CLAMP,
            Tool::RcdTester => &RCD,
            Tool::TorqueKey => &TORQUE,
            _ => &[],
        }
    }
}

/// What the monitor of a bank shows of a test.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OnMonitor {
    /// Its voltage.
    Volts,
    /// The current into the bank.
    AmpsIn,
    /// The current out of the bank.
    AmpsOut,
}

/// What the monitor of this bank shows of a test; nothing where it shows nothing of it.
pub fn on_monitor(bank: &str, test: &Test) -> Option<OnMonitor> {
    match (test.id.kind, test.id.names().next()? == bank) {
        (TestKind::Rest | TestKind::Sag, true) => Some(OnMonitor::Volts),
        (TestKind::Into, true) => Some(OnMonitor::AmpsIn),
        (TestKind::Parasitic, true) => Some(OnMonitor::AmpsOut),
        _ => None,
    }
}

/// How a test is done with what is at hand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Means {
    /// With what it asks for.
    Right,
    /// With substitutes: what each takes the place of.
    Instead(Vec<(Tool, Substitute)>),
    /// Not at all: nothing takes the place of these.
    Lacking(Vec<Tool>),
}

/// How a test is done where these tools are at hand. Hands always are.
///
/// ```
/// use murvet_core::readings::{Means, Tool, means_of};
/// assert_eq!(means_of(&[Tool::LowOhm], &[Tool::LowOhm]), Means::Right);
/// let Means::Instead(by) = means_of(&[Tool::Insulation], &[Tool::LowOhm]) else { panic!() };
/// assert!(by[0].1.lower, "an ohmmeter proves no insulation");
/// assert_eq!(means_of(&[Tool::AcClamp], &[Tool::DcClamp]), Means::Lacking(vec![Tool::AcClamp]));
/// ```
pub fn means_of(wanted: &[Tool], at_hand: &[Tool]) -> Means {
    let there = |tool: Tool| tool == Tool::Hands || at_hand.iter().any(|h| h.serves_as(tool));
    let (mut instead, mut lacking) = (Vec::new(), Vec::new());
    for &tool in wanted.iter().filter(|t| !there(**t)) {
        match tool.substitutes().iter().find(|s| there(s.by)) {
            Some(s) => instead.push((tool, *s)),
            None => lacking.push(tool),
        }
    }
    match (instead.is_empty(), lacking.is_empty()) {
        (_, false) => Means::Lacking(lacking),
        (true, true) => Means::Right,
        (false, true) => Means::Instead(instead),
    }
}

impl Test {
    /// What it is measured with, in words.
    pub fn tools_words(&self) -> String {
        self.tools.iter().map(|t| t.words()).collect::<Vec<_>>().join(" and ")
    }
}
