//! Values as typed, with where they came from.

use crate::units::{Dimension, Quantity};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

/// How a value became known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Provenance {
    /// With an instrument or a tape, by the inspector.
    Measured,
    /// Printed or stamped on the thing.
    Marked,
    /// Seen in a photograph or drawing.
    Pictured,
    /// Said by the owner or builder.
    Told,
    /// Shown by the rig's own display.
    Shown,
    /// Taken as typical.
    Assumed,
}

impl Provenance {
    /// All of them, in falling trust.
    pub const ALL: [Provenance; 6] = [
        Provenance::Measured,
        Provenance::Marked,
        Provenance::Pictured,
        Provenance::Told,
        Provenance::Shown,
        Provenance::Assumed,
    ];

    /// The word of the notation, as in `2.1m@measured`.
    pub fn word(self) -> &'static str {
        match self {
            Provenance::Measured => "measured",
            Provenance::Marked => "marked",
            Provenance::Pictured => "pictured",
            Provenance::Told => "told",
            Provenance::Shown => "shown",
            Provenance::Assumed => "assumed",
        }
    }
}

/// A value with where it came from: `300A`, `300A@marked`, or `?` for one that was not seen.
///
/// The text is kept as typed. In JSON it is a string of the same form.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "String", into = "String")]
#[schemars(with = "String")]
pub struct Value {
    /// The text without the provenance mark; `?` when unseen.
    pub text: String,
    /// Where it came from, if that was said.
    pub from: Option<Provenance>,
    /// It stands in for a value that was not seen, at one end of what is credible: to be reckoned with, never to be
    /// printed as seen. No text has this mark.
    pub stand_in: bool,
}

impl Value {
    /// A value with no provenance stated.
    pub fn new(text: impl Into<String>) -> Value {
        Value { text: text.into(), from: None, stand_in: false }
    }

    /// A value at one end of what is credible, where it was not seen.
    pub fn stand_in(text: impl Into<String>) -> Value {
        Value { stand_in: true, ..Value::new(text) }
    }

    /// Whether nobody has seen it, whatever stands in for it.
    pub fn is_guess(&self) -> bool {
        self.stand_in || self.is_unseen()
    }

    /// The unseen value.
    pub fn unseen() -> Value {
        Value::new("?")
    }

    /// Whether nobody has seen it yet.
    pub fn is_unseen(&self) -> bool {
        self.text == "?"
    }

    /// The value as a quantity, `None` when unseen or not one.
    pub fn quantity(&self) -> Option<Quantity> {
        Quantity::parse(&self.text).ok()
    }

    /// The value in the solver's unit when it has this dimension.
    pub fn si(&self, dimension: Dimension) -> Option<f64> {
        self.quantity().filter(|q| q.dimension == dimension).map(|q| q.si)
    }
}

impl FromStr for Value {
    type Err = String;
    fn from_str(text: &str) -> Result<Value, String> {
        let (text, from) = match text.rsplit_once('@') {
            None => (text, None),
            Some((text, word)) => {
                let mut fits = Provenance::ALL.into_iter().filter(|p| !word.is_empty() && p.word().starts_with(word));
                match (fits.next(), fits.next()) {
                    (Some(p), None) => (text, Some(p)),
                    (Some(p), Some(_)) if p.word() == word => (text, Some(p)),
                    _ => {
                        return Err(format!(
                            "\"@{word}\" says nothing about where the value came from; write @measured, @marked, @pictured, @told, @shown or @assumed"
                        ));
                    }
                }
            }
        };
        if text.is_empty() {
            return Err("a value is missing before the @".to_owned());
        }
        Ok(Value { from, ..Value::new(text) })
    }
}

impl TryFrom<String> for Value {
    type Error = String;
    fn try_from(text: String) -> Result<Value, String> {
        text.parse()
    }
}

impl From<Value> for String {
    fn from(value: Value) -> String {
        value.to_string()
    }
}

impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)?;
        match self.from {
            Some(from) => write!(f, "@{}", from.word()),
            None => Ok(()),
        }
    }
}
