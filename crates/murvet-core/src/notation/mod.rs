//! The text form of a rig: one statement a line, errors that point at the place.
//!
//! [`parse`] reads the whole text and returns either a rig that makes sense or every error at once;
//! [`print()`] writes a rig so that parsing it gives the same rig. The grammar stands in
//! `docs/notation.md`.
//!
//! ```
//! let text = "\
//! battery house: lifepo4 12.8V 100Ah
//! dc-load pump: 5A vital
//! run house.+ : 0.2m 2.5mm2 red, fuse F1 10A blade, 3m 2.5mm2, pump.+
//! run house.- : 3m 2.5mm2 black, pump.-
//! ";
//! let rig = murvet_core::notation::parse(text).unwrap();
//! let again = murvet_core::notation::parse(&murvet_core::notation::print(&rig)).unwrap();
//! assert_eq!(rig, again);
//! ```

mod complete;
mod lexer;
mod parse;
mod print;
mod stands;

pub use complete::{Suggestion, complete};
pub use parse::{MAX_TEXT, parse};
pub use print::print;
pub use stands::{mirrored, stands};

use std::fmt;

/// Colours of insulation.
pub const COLOURS: [&str; 13] = [
    "red",
    "black",
    "white",
    "green",
    "blue",
    "yellow",
    "brown",
    "grey",
    "orange",
    "pink",
    "violet",
    "green-yellow",
    "bare-copper",
];

/// One error in a text, with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Diagnostic {
    /// Line, counted from 1.
    pub line: usize,
    /// Column in characters, counted from 1.
    pub column: usize,
    /// How many characters are at fault, at least 1.
    pub length: usize,
    /// What is wrong.
    pub message: String,
    /// What was expected, or what to do.
    pub help: String,
}

impl fmt::Display for Diagnostic {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "line {}, column {}: {}; {}", self.line, self.column, self.message, self.help)
    }
}
