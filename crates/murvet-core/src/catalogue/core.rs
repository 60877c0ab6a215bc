//! The cores of a cable.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A core of a cable by its duty.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub enum Core {
    /// Line (hot) conductor.
    L,
    /// Neutral conductor.
    N,
    /// Protective (earth) conductor.
    PE,
    /// Second line (hot) conductor of a two-hot supply.
    L2,
}

impl Core {
    /// Every core.
    pub const ALL: [Core; 4] = [Core::L, Core::N, Core::PE, Core::L2];
    /// Those of a supply with one hot, in the order of the notation.
    pub const ONE_HOT: [Core; 3] = [Core::L, Core::N, Core::PE];

    /// The word of the notation.
    pub fn word(self) -> &'static str {
        match self {
            Core::L => "L",
            Core::N => "N",
            Core::PE => "PE",
            Core::L2 => "L2",
        }
    }

    /// Reads a core's name.
    pub fn parse(text: &str) -> Option<Core> {
        Core::ALL.into_iter().find(|c| c.word().eq_ignore_ascii_case(text))
    }
}
