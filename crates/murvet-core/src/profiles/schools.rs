//! Questions on which the trade has more than one school, and what a firm chose.
//!
//! A choice stands in the rig with its reason, changes the limits it is judged by, and is printed with the audit.

use super::{Limit, Profile};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A question with its schools, the usual one first. All are common practice, no source, unless one is named.
#[derive(Debug, Clone, Copy)]
pub struct School {
    /// Its name in both forms of the rig.
    pub key: &'static str,
    /// What it is about.
    pub question: &'static str,
    /// Word and meaning of each answer, the usual one first.
    pub options: &'static [(&'static str, &'static str)],
}

/// Every question.
pub static SCHOOLS: &[School] = &[
    School {
        key: "first-device",
        question: "How far from a source may its first device stand?",
        options: &[
            ("profile", "As the profile says."),
            (
                "boat-code",
                "175 mm; sheathed up to it 1.83 m at a battery itself and 1.02 m at another source (ABYC E-11, recalled; a boat code).",
            ),
        ],
    },
    School {
        key: "small-sizes",
        question: "What may DC conductors of 10 AWG and thinner carry in na-rv?",
        options: &[
            ("rv-code", "The fixed limits of NFPA 70 table 551.10(E)(1), whatever the insulation."),
            (
                "boat-code",
                "The boat code's table for insulation marked 105 C (ABYC E-11, recalled): 14 AWG 35 A, 12 AWG 45 A, 10 AWG 60 A.",
            ),
        ],
    },
    School {
        key: "chassis-bond",
        question: "How thick is the bond of a converter's case and of the chassis?",
        options: &[
            ("fixed", "8 AWG in na-rv (NFPA 70 section 551.20(C), recalled), 4 mm² elsewhere."),
            (
                "as-dc",
                "Not more than one size below the positive of the converter, for the case can carry DC (ABYC E-11, recalled).",
            ),
        ],
    },
    School {
        key: "soldered-lugs",
        question: "Is a lug that is soldered only accepted?",
        options: &[("refused", "It is to be crimped anew."), ("accepted", "It is noted and watched.")],
    },
    School {
        key: "inverter-beside-battery",
        question: "May an inverter stand beside batteries?",
        options: &[
            ("sealed", "Beside sealed ones; never beside those that gas."),
            ("never", "Never in one place with any battery."),
        ],
    },
    School {
        key: "floating-inverter",
        question: "May one appliance run on an inverter without a bond?",
        options: &[
            ("one-appliance", "Yes, as electrical separation of a single appliance."),
            ("never", "No: every inverter output is bonded and has an RCD."),
        ],
    },
    School {
        key: "lithium-float",
        question: "May a charger float a lithium bank?",
        options: &[
            ("at-rest", "At its rest voltage or below."),
            ("any", "As long as it stays below its absorption voltage."),
        ],
    },
    School {
        key: "battery-device",
        question: "Has each battery of a bank a device of its own?",
        options: &[
            ("shared", "One for all of them behind their links."),
            ("each", "Each its own: one with a shorted cell is fed by the others through links that nothing opens."),
        ],
    },
    School {
        key: "chassis-return",
        question: "May an appliance return through the chassis?",
        options: &[
            ("local", "Yes, from a local chassis point."),
            ("run-back", "No: a negative is run back with each positive."),
        ],
    },
    School {
        key: "backing",
        question: "Is a combustible or bare-metal backing behind equipment accepted?",
        options: &[("refused", "It is replaced or lined."), ("accepted", "It is noted.")],
    },
];

/// The question with this name.
pub fn school(key: &str) -> Option<&'static School> {
    SCHOOLS.iter().find(|s| s.key == key)
}

/// What was chosen, and why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Choice {
    /// The question.
    pub school: String,
    /// The answer.
    pub option: String,
    /// The reason, which is printed.
    pub reason: String,
    /// Comment lines above it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

/// The answers in force.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Answers {
    /// The first device by the boat code, where every conductor up to it is sheathed: at a battery itself, and at another
    /// source, m.
    pub sheathed_m: Option<(f64, f64)>,
    /// Small DC conductors of 105 C insulation by the boat code.
    pub small_by_boat: bool,
    /// Bonds of cases as thick as the positive, less one size.
    pub bond_as_dc: bool,
    /// Soldered lugs are accepted.
    pub soldered_lugs: bool,
    /// An inverter may stand beside sealed batteries.
    pub inverter_beside_battery: bool,
    /// One appliance may run on a floating inverter.
    pub floating_inverter: bool,
    /// A lithium bank may be floated above its rest voltage.
    pub lithium_float: bool,
    /// Each battery in parallel has a device of its own.
    pub battery_device: bool,
    /// Appliances may return through the chassis.
    pub chassis_return: bool,
    /// Combustible or bare-metal backing is accepted.
    pub backing: bool,
}

impl Answers {
    /// The usual answers.
    pub(super) fn usual() -> Answers {
        Answers {
            sheathed_m: None,
            small_by_boat: false,
            bond_as_dc: false,
            soldered_lugs: false,
            inverter_beside_battery: true,
            floating_inverter: true,
            lithium_float: false,
            battery_device: false,
            chassis_return: true,
            backing: false,
        }
    }
}

impl Profile {
    /// The same limits with a firm's choices. Unknown words change nothing; the checker refuses them before.
    #[must_use]
    pub fn chosen(&self, choices: &[Choice]) -> Profile {
        let mut p = self.clone();
        for c in choices {
            match (c.school.as_str(), c.option.as_str()) {
                ("first-device", "boat-code") => {
                    p.answers.sheathed_m = Some((1.83, 1.02));
                    p.first_device_m = Limit {
                        value: 0.175,
                        source: "ABYC E-11, 175 mm; when sheathed 1.83 m at a battery, 1.02 m at another source (recalled; a boat code, chosen as a school)".to_owned(),
                    };
                }
                ("small-sizes", word) => p.answers.small_by_boat = word == "boat-code",
                ("chassis-bond", word) => p.answers.bond_as_dc = word == "as-dc",
                ("soldered-lugs", word) => p.answers.soldered_lugs = word == "accepted",
                ("inverter-beside-battery", word) => p.answers.inverter_beside_battery = word == "sealed",
                ("floating-inverter", word) => p.answers.floating_inverter = word == "one-appliance",
                ("lithium-float", word) => p.answers.lithium_float = word == "any",
                ("battery-device", word) => p.answers.battery_device = word == "each",
                ("chassis-return", word) => p.answers.chassis_return = word == "local",
                ("backing", word) => p.answers.backing = word == "accepted",
                _ => {}
            }
        }
        p
    }
}
