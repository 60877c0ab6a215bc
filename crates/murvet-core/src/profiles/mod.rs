//! Which limits and schools apply.
//!
//! A profile is data: a file in `profiles/` of this crate with a value and its source for every field of [`Profile`].
//! Nothing outside this module asks which profile it is; what differs between two profiles is a field. A new profile is a
//! file there. A new limit is a field, a value in each file, and the rule that uses it.

mod ampacity;
mod file;
mod schools;

pub use ampacity::{Ampacity, AmpacityBy, Duty, Laid, ambient_factor, ampacity, resistance_ohm_per_m};
pub use file::{Differs, Field, Own, Trouble, profiles_page};
pub use schools::{Answers, Choice, SCHOOLS, School, school};

use crate::tables::{Table, table};
use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// The name of a profile that ships with the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ProfileId(&'static str);

impl ProfileId {
    /// Recreational vehicles in North America.
    pub const NA_RV: ProfileId = ProfileId("na-rv");
    /// Caravans and motor caravans in the United Kingdom and Europe.
    pub const EU_UK: ProfileId = ProfileId("eu-uk");
    /// Caravans and motorhomes in Australia and New Zealand.
    pub const AU_NZ: ProfileId = ProfileId("au-nz");
    /// What holds where neither the rig nor who asks names one.
    pub const USUAL: ProfileId = ProfileId::NA_RV;

    /// Every profile that ships, in the order of their names.
    pub fn all() -> impl Iterator<Item = ProfileId> {
        file::shipped().iter().map(|(id, _)| *id)
    }

    /// The words of all, as a sentence says them: `a, b or c`.
    pub fn words() -> String {
        let words: Vec<&str> = ProfileId::all().map(ProfileId::word).collect();
        match words.split_last() {
            Some((last, rest)) if !rest.is_empty() => format!("{} or {last}", rest.join(", ")),
            _ => words.concat(),
        }
    }

    /// The word of the notation and the command line.
    pub fn word(self) -> &'static str {
        self.0
    }

    /// Reads the word.
    pub fn parse(word: &str) -> Option<ProfileId> {
        ProfileId::all().find(|p| p.word() == word)
    }

    /// The limits.
    ///
    /// # Panics
    /// When the program names a profile without a file, which is a fault of the program and not of any input.
    pub fn profile(self) -> &'static Profile {
        match file::shipped().iter().find(|(id, _)| *id == self) {
            Some((_, profile)) => profile,
            None => panic!("no profile {}", self.0),
        }
    }
}

impl Serialize for ProfileId {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(self.0)
    }
}

impl<'de> Deserialize<'de> for ProfileId {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<ProfileId, D::Error> {
        let word = String::deserialize(from)?;
        let unknown = || format!("unknown profile `{word}`, expected {}", ProfileId::words());
        ProfileId::parse(&word).ok_or_else(|| serde::de::Error::custom(unknown()))
    }
}

impl JsonSchema for ProfileId {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "ProfileId".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let words: Vec<&str> = ProfileId::all().map(ProfileId::word).collect();
        schemars::json_schema!({ "description": "The name of a profile that ships.", "type": "string", "enum": words })
    }
}

/// A value with the place it comes from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Sourced<T> {
    /// The value, in the unit its field says.
    pub value: T,
    /// Its source.
    pub source: String,
}

/// A number with the place it comes from.
pub type Limit = Sourced<f64>;

impl Sourced<bool> {
    /// The source that asks for it, where it is asked for.
    pub fn asked(&self) -> Option<&str> {
        self.value.then_some(self.source.as_str())
    }
}

impl Sourced<Option<f64>> {
    /// The limit, where there is one.
    pub fn limit(&self) -> Option<Limit> {
        self.value.map(|value| Sourced { value, source: self.source.clone() })
    }
}

/// What the size of a protective conductor goes by.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum EarthBy {
    /// The rating of the device ahead, in this table; never larger than the line.
    Device(String),
    /// The size of the line, in this table or by IEC 60364-5-54 table 54.7; thinner where it stands the heat.
    Line(Option<String>),
}

/// How sizes of conductors are named on what is sold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SizesIn {
    /// American wire gauge.
    Gauge,
    /// Square millimetres.
    Mm2,
}

/// The limits of one profile.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Profile {
    /// Its name.
    pub id: String,
    /// Printed name.
    pub title: String,
    /// Language and region of its readers, such as `en-GB`.
    pub locale: String,
    /// Words that its readers use.
    pub words: Words,
    /// Nominal AC voltage, V.
    pub ac_v: Limit,
    /// Frequency of the mains, Hz.
    pub frequency_hz: Limit,
    /// Lowest supply voltage, V.
    pub supply_low_v: Limit,
    /// Highest supply voltage, V.
    pub supply_high_v: Limit,
    /// Largest rating of a supply outlet, A: what an inlet of unread rating may be plugged into.
    pub supply_most_a: Limit,
    /// Class of the breaker at the supply, a word of the notation.
    pub supply_breaker: Sourced<String>,
    /// Whether plugs keep line and neutral apart.
    pub polarised: Sourced<bool>,
    /// Conductor allowed between a source and the first device, m.
    pub first_device_m: Limit,
    /// Conductor allowed between a reduction of size and the device for the smaller size, m.
    pub reduction_m: Limit,
    /// Largest voltage drop to a load that safety depends on, share.
    pub drop_vital: Limit,
    /// Largest voltage drop to any other load, share.
    pub drop_other: Limit,
    /// Share of the voltage that may be lost on mains circuits.
    pub drop_mains: Limit,
    /// Ambient air where nothing else is stated, C.
    pub ambient_c: Limit,
    /// Lowest air where nothing is stated, C.
    pub coldest_c: Limit,
    /// By which tables conductors are rated.
    pub ampacity_by: Sourced<AmpacityBy>,
    /// Whether the next standard device size above the ampacity is allowed.
    pub next_size_up: Sourced<bool>,
    /// The table of standard device ratings.
    ratings: Sourced<String>,
    /// Standard conductor sizes to propose, the thinnest first.
    sizes: Sourced<Vec<String>>,
    /// How they are named.
    pub sizes_in: Sourced<SizesIn>,
    /// The size of the thinnest fixed mains wiring, to propose.
    pub least_mains_size: Sourced<String>,
    /// Least fixed mains wiring, mm².
    pub mains_mm2: Limit,
    /// Least conductor that may lie in parallel, mm²; 0 where there is none.
    pub parallel_mm2: Limit,
    /// Conductors within this share of each other in length are equal.
    pub parallel_length: Limit,
    /// Size of protective conductors.
    pub earth_by: Sourced<EarthBy>,
    /// Largest resistance of an earth path, ohm.
    pub earth_ohm: Limit,
    /// Least bond of a chassis or a converter's case, mm².
    pub bond_mm2: Limit,
    /// Least conductor between the DC negative and the chassis, mm².
    pub negative_bond_mm2: Limit,
    /// The size of a bond to the chassis, to propose.
    pub bond_size: Sourced<String>,
    /// Colour of protective conductors, to propose.
    pub earth_colour: Sourced<String>,
    /// Colours that are kept for neutrals.
    pub neutral_colours: Sourced<Vec<String>>,
    /// Colours that are kept for live conductors.
    pub line_colours: Sourced<Vec<String>>,
    /// Whether mains switches and devices open all live conductors.
    pub all_poles: Sourced<bool>,
    /// The residual current of the device that every AC circuit wants, A.
    pub rcd_everywhere_a: Sourced<Option<f64>>,
    /// The residual current of the device that outlets outdoors, at a sink, in a bathroom or in the wet want, where not
    /// all do, A.
    pub rcd_where_wet_a: Sourced<Option<f64>>,
    /// The residual current at which a device of unread figure opens, A.
    pub rcd_usual_a: Limit,
    /// Rating of a device to propose for one outlet, A.
    pub outlet_device_a: Limit,
    /// Residual current of a device to propose for one outlet, A.
    pub outlet_rcd_a: Limit,
    /// Whether residual-current devices of type AC are refused.
    pub refuses_type_ac: Sourced<bool>,
    /// Whether a supply whose earth is its neutral is refused.
    pub refuses_pme: Sourced<bool>,
    /// Outlets of the first rating and above that a circuit of the second may feed, A.
    pub outlet_on_a: Sourced<Option<(f64, f64)>>,
    /// Whether the loop of line and earth is measured at outlets.
    pub loop_tests: Sourced<bool>,
    /// Whether conductors of an array carry its current for hours, beside the allowance for bright sun.
    pub array_continuous: Sourced<bool>,
    /// Short-circuit current of an array in full sun over its label.
    pub sun: Limit,
    /// Ampacity over a current that flows for hours.
    pub continuous: Limit,
    /// Share of an array's voltage that may be lost in its home run.
    pub home_run: Limit,
    /// Whether lithium batteries are kept out of the living space.
    pub lithium_out_of_cabin: Sourced<bool>,
    /// Largest share of a battery over the mean, both per ampere-hour.
    pub share: Limit,
    /// Nominal voltages this much apart are different systems, V.
    pub mixed_v: Limit,
    /// Capacities this share apart are different.
    pub mixed_ah: Limit,
    /// A charge voltage within this share of the bank's is what its display can tell.
    pub charge_slack: Limit,
    /// A fault current beyond this many times what a device breaks is pressing although nobody stated the bank's
    /// resistance.
    pub fault_spread: Limit,
    /// Cut-off voltage of an inverter over the nominal one.
    pub cut_off: Limit,
    /// Efficiency used for the current of a converter at full power where none is stated.
    pub efficiency: Limit,
    /// Efficiency of a converter where none is stated, best.
    pub efficiency_best: Limit,
    /// Efficiency of a converter where none is stated, worst.
    pub efficiency_worst: Limit,
    /// Power that an idle inverter takes where none is stated, best, W.
    pub idle_best_w: Limit,
    /// Power that an idle inverter takes where none is stated, worst, W.
    pub idle_worst_w: Limit,
    /// Share of an inverter's power that appliances may ask together before little is left.
    pub inverter_share: Limit,
    /// Answers to the questions on which the trade has more than one school.
    #[serde(skip, default = "Answers::usual")]
    pub answers: Answers,
    /// What a firm has otherwise than the profile that it starts from.
    #[serde(skip)]
    pub own: Option<Own>,
}

/// The words a profile's readers use.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Words {
    /// Line conductor.
    pub line: String,
    /// Protective conductor.
    pub earth: String,
    /// Residual-current device.
    pub rcd: String,
    /// What the inlet is plugged into.
    pub supply: String,
    /// The greatest fault current that a device opens.
    pub breaking: String,
}

/// A number by its name.
pub type Named<'a> = (&'static str, &'a mut f64);

impl Profile {
    /// Rating and residual operating current of a device to propose for one outlet, as the notation writes them.
    pub fn outlet_device(&self) -> (String, String) {
        let amps = |a: f64| format!("{}A", crate::units::short(a));
        (amps(self.outlet_device_a.value), format!("{}mA", crate::units::short(self.outlet_rcd_a.value * 1000.0)))
    }

    /// Standard conductor sizes to propose, the thinnest first.
    pub fn on_sale(&self) -> impl DoubleEndedIterator<Item = &str> + Clone {
        self.sizes.value.iter().map(String::as_str)
    }

    /// Supply voltage from its lowest to its highest, V, and where the lowest comes from.
    pub fn supply_v(&self) -> (f64, f64, &str) {
        (self.supply_low_v.value, self.supply_high_v.value, &self.supply_low_v.source)
    }

    /// The table of standard device ratings.
    pub fn ratings(&self) -> &'static Table {
        table(&self.ratings.value)
    }

    /// Every number that a verdict turns on, by name, to be moved.
    pub fn numbers(&mut self) -> Vec<Named<'_>> {
        macro_rules! named {
            ($($field:ident),* $(,)?) => { vec![$((stringify!($field), &mut self.$field.value)),*] };
        }
        let mut list = named![
            first_device_m,
            reduction_m,
            drop_vital,
            drop_other,
            drop_mains,
            ambient_c,
            coldest_c,
            mains_mm2,
            parallel_mm2,
            parallel_length,
            bond_mm2,
            negative_bond_mm2,
            sun,
            continuous,
            home_run,
            share,
            mixed_v,
            mixed_ah,
            charge_slack,
            fault_spread,
            cut_off,
            efficiency,
            efficiency_best,
            efficiency_worst,
            idle_best_w,
            idle_worst_w,
            inverter_share,
        ];
        // Where parallel conductors have no least size there is nothing to move.
        list.retain(|(name, value)| *name != "parallel_mm2" || **value > 0.0);
        if let Some(rcd) = &mut self.rcd_everywhere_a.value {
            list.push(("rcd_everywhere_a", rcd));
        }
        list
    }
}
