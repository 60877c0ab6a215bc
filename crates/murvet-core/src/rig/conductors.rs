//! Runs of single conductors, and cables with their cores.

use super::{Status, TermRef, Value, is_false};
use crate::catalogue::Core;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One length of a single conductor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Conductor {
    /// One-way length.
    pub length: Value,
    /// Cross-section or gauge.
    pub size: Value,
    /// Temperature rating of the insulation.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub insulation: Option<Value>,
    /// Colour word, which proves nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub colour: Option<String>,
    /// Places it passes through.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub via: Vec<String>,
    /// How many loaded conductors lie bundled together, this one included; a count.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bundle: Option<Value>,
    /// The vehicle maker's cranking cable, outside the audit of overcurrent protection.
    #[serde(default, skip_serializing_if = "is_false")]
    pub cranking: bool,
    /// In a sheath or conduit of its own.
    #[serde(default, skip_serializing_if = "is_false")]
    pub sheathed: bool,
}

impl Conductor {
    /// A conductor of a length and a size.
    pub fn new(length: impl Into<String>, size: impl Into<String>) -> Conductor {
        Conductor {
            length: Value::new(length),
            size: Value::new(size),
            insulation: None,
            colour: None,
            via: Vec::new(),
            bundle: None,
            cranking: false,
            sheathed: false,
        }
    }
}

/// How an end that goes nowhere was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LooseEnd {
    /// Under a cap or in a blanked box.
    Capped,
    /// Under tape only.
    Taped,
    /// Bare metal.
    Bare,
    /// Vanishes where nobody looked.
    Unseen,
}

impl LooseEnd {
    /// All words of the notation.
    pub const ALL: [(LooseEnd, &'static str); 4] = [
        (LooseEnd::Capped, "capped"),
        (LooseEnd::Taped, "taped"),
        (LooseEnd::Bare, "bare"),
        (LooseEnd::Unseen, "unseen"),
    ];

    /// Reads the word.
    pub fn parse(word: &str) -> Option<LooseEnd> {
        LooseEnd::ALL.iter().find(|(_, w)| *w == word).map(|(end, _)| *end)
    }

    /// The word of the notation.
    pub fn word(self) -> &'static str {
        LooseEnd::ALL.iter().find(|(end, _)| *end == self).map_or("", |(_, word)| word)
    }
}

/// One step of a run, outward from its start.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Step {
    /// A length of conductor.
    Conductor(Conductor),
    /// A component the run passes through or ends at.
    At(TermRef),
    /// An end that goes nowhere.
    End(LooseEnd),
}

/// A run of single conductors from a source outward.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Run {
    /// Where it starts.
    pub from: TermRef,
    /// What comes after, in order.
    pub steps: Vec<Step>,
    /// Comment lines above it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

/// Where one core of a cable lands at each end, where that is not like to like.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Landing {
    /// The terminal of the start port.
    pub from: Core,
    /// The terminal of the end port, or nothing for a core that is cut or not landed.
    pub to: Option<Core>,
}

/// An AC cable from one port to another.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Cable {
    /// Its name in this rig.
    pub id: String,
    /// Number of cores: 2 is L and N, 3 is L, N and PE, 4 is L, L2, N and PE.
    pub cores: u8,
    /// The three cores are L, L2 and PE: a circuit of two hots without a neutral.
    #[serde(default, skip_serializing_if = "is_false")]
    pub no_neutral: bool,
    /// Length of the cable.
    pub length: Value,
    /// Size of each core.
    pub size: Value,
    /// Size of the protective core where it is not that of the others.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub earth: Option<Value>,
    /// Temperature rating of the insulation.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub insulation: Option<Value>,
    /// A flexible cord.
    #[serde(default, skip_serializing_if = "is_false")]
    pub flex: bool,
    /// Places it passes through.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub via: Vec<String>,
    /// How many loaded conductors lie bundled together, a count.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bundle: Option<Value>,
    /// The port it starts at.
    pub from: TermRef,
    /// The port it ends at.
    pub to: TermRef,
    /// Landings that are not like to like. Cores not named land like to like.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub map: Vec<Landing>,
    /// Whether it is there now.
    #[serde(default, skip_serializing_if = "Status::is_default")]
    pub status: Status,
    /// Comment lines above it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

impl Cable {
    /// How the far end lies, where it is landed on nothing that was seen: `-> ?` or `-> end bare`, in JSON `"?"` and
    /// `"?.bare"`.
    pub fn loose(&self) -> Option<LooseEnd> {
        (self.to.component == Cable::NOWHERE).then(|| {
            let word = self.to.terminal.as_deref().unwrap_or_default();
            LooseEnd::parse(word).unwrap_or(LooseEnd::Unseen)
        })
    }

    /// The component of a far end that was not seen.
    pub const NOWHERE: &'static str = "?";

    /// The core at the far end for each core at the start, swapped and lost cores included.
    pub fn landings(&self) -> Vec<(Core, Option<Core>)> {
        // A landing that starts at the second hot says on which hot a cable of one hot hangs.
        let from = |core: Core| self.map.iter().any(|l| l.from == core);
        let on_second = from(Core::L2) && !from(Core::L);
        let cores: &[Core] = match (self.cores, self.no_neutral) {
            (2, _) if on_second => &[Core::L2, Core::N],
            (3, false) if on_second => &[Core::L2, Core::N, Core::PE],
            (3, true) => &[Core::L, Core::L2, Core::PE],
            (4, _) => &[Core::L, Core::L2, Core::N, Core::PE],
            (n, _) => &Core::ONE_HOT[..usize::from(n).min(3)],
        };
        cores
            .iter()
            .copied()
            .map(|core| match self.map.iter().find(|l| l.from == core) {
                Some(landing) => (core, landing.to),
                None => (core, Some(core)),
            })
            .collect()
    }
}
