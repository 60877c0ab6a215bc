//! Single calculations, each with its worked lines, its source and a curve: what an inspector does on the back of an
//! envelope, without a rig.
//!
//! A new one is a function in a file here and a line in [`CALCULATIONS`].

mod batteries;
mod cables;
mod sources;

use crate::profiles::Profile;
use crate::units::{Dimension, Quantity};
use std::collections::BTreeMap;

/// What a field of a form takes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Takes {
    /// A quantity of this dimension.
    Quantity(Dimension),
    /// One of these words.
    Word(&'static [&'static str]),
    /// A weight: `0.41lb`, `186g`, `0.186kg`.
    Weight,
    /// A quantity of any dimension.
    Any,
}

/// One input of a calculation.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Field {
    /// Its key.
    pub key: &'static str,
    /// What it asks for, with an example in the trade's words.
    pub label: &'static str,
    /// What it takes.
    pub takes: Takes,
    /// What stands in it at first; empty where it may stay empty.
    pub first: &'static str,
}

/// A field, written shortly.
const fn field(key: &'static str, label: &'static str, takes: Takes, first: &'static str) -> Field {
    Field { key, label, takes, first }
}

/// A curve with the point that was asked for.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Curve {
    /// What is laid along, with its unit.
    pub along: String,
    /// What is laid up, with its unit.
    pub up: String,
    /// Points by rising first coordinate.
    pub points: Vec<(f64, f64)>,
    /// The limit, on the scale of what is laid up.
    pub limit: Option<f64>,
    /// Where the answer lies.
    pub mark: Option<(f64, f64)>,
}

/// What came out.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Worked {
    /// The answer in one sentence.
    pub answer: String,
    /// It is outside a limit.
    pub bad: bool,
    /// Lines that can be followed with a pocket calculator.
    pub lines: Vec<String>,
    /// Where formula and values come from.
    pub source: String,
    /// The curve it lies on.
    pub curve: Option<Curve>,
}

/// What is wrong with an input.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{label}: {message}")]
pub struct Trouble {
    /// Key of the field.
    pub key: &'static str,
    /// Its label.
    pub label: &'static str,
    /// What is wrong and what to write.
    pub message: String,
}

/// A calculation.
pub struct Calculation {
    /// Its name in addresses.
    pub key: &'static str,
    /// Its printed name.
    pub title: &'static str,
    /// When one needs it.
    pub when: &'static str,
    /// Its inputs.
    pub fields: &'static [Field],
    run: fn(&Inputs) -> Result<Worked, Trouble>,
}

/// What was typed, by field.
pub struct Inputs<'a> {
    fields: &'static [Field],
    typed: &'a BTreeMap<String, String>,
    /// The limits to judge by.
    pub profile: &'a Profile,
}

/// Every calculation.
pub static CALCULATIONS: &[Calculation] = &[
    cables::FOR_LOAD,
    cables::AMPACITY,
    cables::COPPER_BY_WEIGHT,
    cables::COPPER_BY_RESISTANCE,
    cables::DEVICE,
    batteries::SHARING,
    batteries::FAULT,
    batteries::LOOP,
    sources::COLD_ARRAY,
    sources::RESIDUAL,
    sources::TORQUE,
    sources::UNITS,
];

impl Calculation {
    /// Works it out with what was typed; a field that was not typed takes what stands in it at first.
    ///
    /// # Errors
    /// Names the field that cannot be read and says what to write.
    ///
    /// ```
    /// use murvet_core::bench::CALCULATIONS;
    /// use murvet_core::profiles::ProfileId;
    /// let units = CALCULATIONS.iter().find(|c| c.key == "units").unwrap();
    /// let typed = [("value".to_owned(), "10ft".to_owned())].into();
    /// assert!(units.work(&typed, ProfileId::NA_RV.profile()).unwrap().lines.iter().any(|l| l.contains("3.05 m")));
    /// ```
    pub fn work(&self, typed: &BTreeMap<String, String>, limits: &Profile) -> Result<Worked, Trouble> {
        (self.run)(&Inputs { fields: self.fields, typed, profile: limits })
    }
}

impl Inputs<'_> {
    fn field(&self, key: &str) -> &'static Field {
        // A function asks only for its own fields.
        self.fields.iter().find(|f| f.key == key).unwrap_or(&self.fields[0])
    }

    fn text(&self, key: &str) -> &str {
        self.typed.get(key).map_or(self.field(key).first, |t| t.trim())
    }

    fn trouble(&self, key: &str, message: impl Into<String>) -> Trouble {
        let field = self.field(key);
        Trouble { key: field.key, label: field.label, message: message.into() }
    }

    /// A quantity that must be there, in the solver's unit.
    fn si(&self, key: &str) -> Result<f64, Trouble> {
        self.some(key)?.ok_or_else(|| {
            let want = match self.field(key).takes {
                Takes::Quantity(d) => d.describe(),
                _ => "a number with its unit",
            };
            self.trouble(key, format!("write {want}"))
        })
    }

    /// A quantity that is more than nothing.
    fn positive(&self, key: &str) -> Result<f64, Trouble> {
        let value = self.si(key)?;
        if value > 0.0 { Ok(value) } else { Err(self.trouble(key, "it must be more than 0")) }
    }

    /// A quantity that may stay empty.
    fn some(&self, key: &str) -> Result<Option<f64>, Trouble> {
        let text = self.text(key);
        if text.is_empty() {
            return Ok(None);
        }
        let q = self.quantity(key, text)?;
        match self.field(key).takes {
            Takes::Quantity(d) if q.dimension != d => {
                Err(self.trouble(key, format!("\"{text}\" is not {}", d.describe())))
            }
            _ => Ok(Some(q.si)),
        }
    }

    fn quantity(&self, key: &str, text: &str) -> Result<Quantity, Trouble> {
        Quantity::parse(text).map_err(|e| {
            let want = match self.field(key).takes {
                Takes::Quantity(d) => format!("; write {}", d.describe()),
                _ => String::new(),
            };
            self.trouble(key, format!("{e}{want}"))
        })
    }

    /// A word of those the field takes.
    fn word(&self, key: &str) -> Result<&'static str, Trouble> {
        let Takes::Word(words) = self.field(key).takes else { return Ok("") };
        let text = self.text(key);
        let found = words.iter().find(|w| **w == text);
        found.copied().ok_or_else(|| self.trouble(key, format!("\"{text}\" is none of {}", words.join(", "))))
    }

    /// A weight in grams.
    fn grams(&self, key: &str) -> Result<f64, Trouble> {
        let text = self.text(key).replace(' ', "");
        let units = [("kg", 1000.0), ("lb", 453.592_37), ("oz", 28.349_523_125), ("g", 1.0)];
        let read = units.into_iter().find_map(|(unit, grams)| {
            let number: f64 = text.strip_suffix(unit)?.parse().ok()?;
            (number > 0.0 && number.is_finite()).then_some(number * grams)
        });
        read.ok_or_else(|| self.trouble(key, format!("\"{text}\" is not a weight such as 0.41lb or 186g")))
    }
}
