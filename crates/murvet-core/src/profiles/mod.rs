//! Which limits and schools apply.
//!
//! A profile is data: distances, shares and tables with their sources. A new limit is a field here
//! with a source beside it; the rule that uses it names the field.

mod ampacity;
mod curves;
mod schools;
mod thresholds;

pub use ampacity::{Ampacity, Duty, Laid, ambient_factor, ampacity, resistance_ohm_per_m};
pub use curves::{Band, Cartridge, Gate, adiabatic_k, adiabatic_s, band};
pub use schools::{Answers, Choice, SCHOOLS, School, school};
pub use thresholds::{Named, Thresholds};

use crate::tables::{Table, table};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A named set of limits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ProfileId {
    /// Recreational vehicles in North America.
    NaRv,
    /// Caravans and motor caravans in the United Kingdom and Europe.
    EuUk,
    /// Caravans and motorhomes in Australia and New Zealand.
    AuNz,
}

impl ProfileId {
    /// All profiles.
    pub const ALL: [ProfileId; 3] = [ProfileId::NaRv, ProfileId::EuUk, ProfileId::AuNz];

    /// The word of the notation and the command line.
    pub fn word(self) -> &'static str {
        match self {
            ProfileId::NaRv => "na-rv",
            ProfileId::EuUk => "eu-uk",
            ProfileId::AuNz => "au-nz",
        }
    }

    /// Reads the word.
    pub fn parse(word: &str) -> Option<ProfileId> {
        ProfileId::ALL.into_iter().find(|p| p.word() == word)
    }

    /// The limits.
    pub fn profile(self) -> &'static Profile {
        match self {
            ProfileId::NaRv => &NA_RV,
            ProfileId::EuUk => &EU_UK,
            ProfileId::AuNz => &AU_NZ,
        }
    }
}

/// A number with the place it comes from.
#[derive(Debug, Clone, Copy)]
pub struct Limit {
    /// The number, in the unit its field says.
    pub value: f64,
    /// Its source.
    pub source: &'static str,
}

/// What the size of a protective conductor goes by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EarthBy {
    /// The rating of the device ahead, in this table; never larger than the line.
    Device(&'static str),
    /// The size of the line, in this table or by IEC 60364-5-54 table 54.7; thinner where it stands the heat.
    Line(Option<&'static str>),
}

/// The limits of one profile.
#[derive(Debug, Clone, Copy)]
pub struct Profile {
    /// Which.
    pub id: ProfileId,
    /// Printed name.
    pub title: &'static str,
    /// Nominal AC voltage, V.
    pub ac_v: f64,
    /// Conductor allowed between a source and the first device, m.
    pub first_device_m: Limit,
    /// Conductor allowed between a reduction of size and the device for the smaller size, m.
    pub reduction_m: Limit,
    /// Largest voltage drop to a load that safety depends on, share.
    pub drop_vital: Limit,
    /// Largest voltage drop to any other load, share.
    pub drop_other: Limit,
    /// Ambient air where nothing else is stated, C.
    pub ambient_c: f64,
    /// Whether the next standard device size above the ampacity is allowed.
    pub next_size_up: bool,
    /// Standard device ratings.
    ratings: &'static str,
    /// Standard conductor sizes to propose.
    pub sizes: &'static [&'static str],
    /// Whether every AC circuit wants a 30 mA residual-current device.
    pub rcd_everywhere: Option<Limit>,
    /// The residual-current device that outlets outdoors, at a sink, in a bathroom or in the wet want, where not all do.
    pub rcd_where_wet: Option<Limit>,
    /// Outlets of this rating and above that a circuit of that rating may feed, A.
    pub outlet_on: Option<(f64, f64)>,
    /// The source that refuses residual-current devices of type AC, where one does.
    pub refuses_type_ac: Option<&'static str>,
    /// The source that refuses a supply whose earth is its neutral, where one does.
    pub refuses_pme: Option<&'static str>,
    /// Whether plugs keep line and neutral apart.
    pub polarised: bool,
    /// The source that wants mains switches and devices to open all live conductors, where one does.
    pub all_poles: Option<&'static str>,
    /// Size of protective conductors.
    pub earth_by: EarthBy,
    /// Numbers that are the same for every circuit.
    pub thresholds: Thresholds,
    /// Answers to the questions on which the trade has more than one school.
    pub answers: Answers,
    /// Words for the profile: neutral-earth bond, breaker, RCD.
    pub words: Words,
    /// Lowest and highest supply voltage, V.
    pub supply_v: (Limit, Limit),
    /// Largest resistance of an earth path, ohm.
    pub earth_ohm: Limit,
}

/// The words a profile's readers use.
#[derive(Debug, Clone, Copy)]
pub struct Words {
    /// Line conductor.
    pub line: &'static str,
    /// Protective conductor.
    pub earth: &'static str,
    /// Residual-current device.
    pub rcd: &'static str,
    /// What the inlet is plugged into.
    pub supply: &'static str,
    /// The greatest fault current that a device opens.
    pub breaking: &'static str,
}

impl Profile {
    /// Rating and residual operating current of a device to propose for one outlet.
    pub fn outlet_device(&self) -> (&'static str, &'static str) {
        if self.rcd_where_wet.is_some() { ("15A", "5mA") } else { ("16A", "30mA") }
    }

    /// The table of standard device ratings.
    pub fn ratings(&self) -> &'static Table {
        table(self.ratings)
    }
}

const AWG_SIZES: &[&str] =
    &["14AWG", "12AWG", "10AWG", "8AWG", "6AWG", "4AWG", "2AWG", "1AWG", "1/0AWG", "2/0AWG", "3/0AWG", "4/0AWG"];
const METRIC_SIZES: &[&str] =
    &["1.5mm2", "2.5mm2", "4mm2", "6mm2", "10mm2", "16mm2", "25mm2", "35mm2", "50mm2", "70mm2", "95mm2", "120mm2"];

const DROP_VITAL: Limit = Limit { value: 0.03, source: "ABYC E-11, vital circuits (recalled; used as a school)" };
const DROP_OTHER: Limit = Limit { value: 0.10, source: "ABYC E-11, other circuits (recalled; used as a school)" };

static NA_RV: Profile = Profile {
    id: ProfileId::NaRv,
    title: "Recreational vehicles, North America",
    ac_v: 120.0,
    first_device_m: Limit { value: 0.4572, source: "NFPA 70 section 551.10(E)(4), 18 in = 457.2 mm (recalled)" },
    reduction_m: Limit { value: 0.4572, source: "NFPA 70 section 551.10(E)(4), 18 in = 457.2 mm (recalled)" },
    drop_vital: DROP_VITAL,
    drop_other: DROP_OTHER,
    ambient_c: 30.0,
    next_size_up: true,
    ratings: "nfpa70-240-6",
    sizes: AWG_SIZES,
    rcd_everywhere: None,
    rcd_where_wet: Some(Limit {
        value: 0.006,
        source: "NFPA 70 section 551.41(C), ground-fault protection of class A, 6 mA (recalled)",
    }),
    // NFPA 70 table 210.21(B)(3) (recalled).
    outlet_on: Some((15.0, 20.0)),
    refuses_type_ac: None,
    refuses_pme: None,
    polarised: true,
    all_poles: None,
    earth_by: EarthBy::Device("nfpa70-250-122"),
    thresholds: Thresholds::NA,
    answers: Answers::USUAL,
    words: Words { line: "hot", earth: "ground", rcd: "GFCI", supply: "pedestal", breaking: "interrupting rating" },
    supply_v: (
        Limit { value: 108.0, source: "120 V less 10 %, common practice, no source" },
        Limit { value: 126.0, source: "120 V plus 5 %, common practice, no source" },
    ),
    earth_ohm: Limit { value: 1.0, source: "common practice, no source" },
};

static EU_UK: Profile = Profile {
    id: ProfileId::EuUk,
    title: "Caravans and motor caravans, United Kingdom and Europe",
    ac_v: 230.0,
    first_device_m: Limit {
        value: 0.5,
        source: "IEC 60364-4-43 section 434.3, \"as near as practicable\" (recalled); 0.5 m as its measure is common practice, no source",
    },
    reduction_m: Limit {
        value: 3.0,
        source: "IEC 60364-4-43 sections 433.2.2 and 434.2.1, 3 m if short-circuit proof and clear of combustibles (recalled)",
    },
    drop_vital: DROP_VITAL,
    drop_other: DROP_OTHER,
    ambient_c: 30.0,
    next_size_up: false,
    ratings: "device-ratings-metric",
    sizes: METRIC_SIZES,
    rcd_everywhere: Some(Limit { value: 0.03, source: "BS 7671 section 721 / IEC 60364-7-721, 30 mA (recalled)" }),
    rcd_where_wet: None,
    // BS 7671 appendix 15 (recalled): outlets to BS 1363, whose plugs have a fuse of their own.
    outlet_on: Some((13.0, 32.0)),
    refuses_type_ac: Some("BS 7671:2018+A2 regulation 531.3.3, IEC 60364-5-53 (recalled)"),
    refuses_pme: Some(
        "BS 7671 regulation 708.411.4 (recalled): a combined neutral and earth is not taken into a caravan",
    ),
    polarised: false,
    all_poles: Some("BS 7671 section 721.43.1 / IEC 60364-7-721 (recalled)"),
    earth_by: EarthBy::Line(None),
    thresholds: Thresholds::COMMON,
    answers: Answers::USUAL,
    words: Words { line: "line", earth: "earth", rcd: "RCD", supply: "hook-up", breaking: "breaking capacity" },
    supply_v: (
        Limit { value: 207.0, source: "230 V less 10 %, IEC 60038 (recalled)" },
        Limit { value: 253.0, source: "230 V plus 10 %, IEC 60038 (recalled)" },
    ),
    earth_ohm: Limit { value: 0.5, source: "common practice, no source" },
};

static AU_NZ: Profile = Profile {
    id: ProfileId::AuNz,
    title: "Caravans and motorhomes, Australia and New Zealand",
    ac_v: 230.0,
    first_device_m: Limit {
        value: 0.5,
        source: "AS/NZS 3001.2:2022, battery device as near as practicable (recalled in outline); 0.5 m as its measure is common practice, no source",
    },
    reduction_m: Limit { value: 3.0, source: "IEC 60364-4-43 section 433.2.2, 3 m, used as a school (recalled)" },
    drop_vital: DROP_VITAL,
    drop_other: DROP_OTHER,
    ambient_c: 40.0,
    next_size_up: false,
    ratings: "device-ratings-metric",
    sizes: METRIC_SIZES,
    rcd_everywhere: Some(Limit {
        value: 0.03,
        source: "AS/NZS 3001.2:2022 and 3000, 30 mA type A on every final circuit (recalled in outline)",
    }),
    rcd_where_wet: None,
    // AS/NZS 3000 appendix C (recalled in outline).
    outlet_on: Some((10.0, 20.0)),
    refuses_type_ac: Some("AS/NZS 3000 clause 2.6.2.2 as amended, type A and better (recalled in outline)"),
    refuses_pme: None,
    polarised: true,
    all_poles: Some(
        "AS/NZS 3001.2:2022 and 3000, every switch and breaker opens all live conductors (recalled in outline)",
    ),
    earth_by: EarthBy::Line(Some("asnzs-3000-5-1")),
    thresholds: Thresholds::AU,
    answers: Answers::USUAL,
    words: Words { line: "active", earth: "earth", rcd: "RCD", supply: "site outlet", breaking: "breaking capacity" },
    supply_v: (
        Limit { value: 216.2, source: "230 V less 6 %, AS 60038 (recalled)" },
        Limit { value: 253.0, source: "230 V plus 10 %, AS 60038 (recalled)" },
    ),
    earth_ohm: Limit { value: 0.5, source: "AS/NZS 3001.2:2022, 0.5 ohm or less (recalled in outline)" },
};
