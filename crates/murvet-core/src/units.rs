//! Quantities as a person writes them: a decimal number with a unit, kept to the digit.
//!
//! A rig shows every value as it was entered, so a [`Quantity`] keeps the typed text and converts
//! only when a solver asks. Inside the solvers plain `f64` in SI base units is used and the name of
//! each variable carries the unit (`length_m`, `area_mm2`, `current_a`).

use std::fmt;

/// What a unit measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Dimension {
    /// Metres inside the solvers.
    Length,
    /// Conductor cross-section; square millimetres inside the solvers.
    Area,
    /// Volts.
    Voltage,
    /// Amperes.
    Current,
    /// Watts (volt-amperes are taken as watts at unity power factor).
    Power,
    /// Ampere-hours.
    Charge,
    /// Degrees Celsius.
    Temperature,
    /// Ohms.
    Resistance,
    /// Seconds.
    Time,
    /// Newton metres.
    Torque,
    /// A count of equal things, written `x2`.
    Count,
    /// A share, inside the solvers 0 to 1, written in per cent.
    Ratio,
}

impl Dimension {
    /// The dimension in the words of an error message, with an example.
    pub fn describe(self) -> &'static str {
        match self {
            Dimension::Length => "a length such as 2.1m or 7ft",
            Dimension::Area => "a conductor size such as 50mm2 or 2/0AWG",
            Dimension::Voltage => "a voltage such as 12.8V",
            Dimension::Current => "a current such as 300A or 30mA",
            Dimension::Power => "a power such as 2000W",
            Dimension::Charge => "a capacity such as 280Ah",
            Dimension::Temperature => "a temperature such as 45C",
            Dimension::Resistance => "a resistance such as 0.4ohm",
            Dimension::Time => "a time such as 300ms",
            Dimension::Torque => "a torque such as 12Nm",
            Dimension::Count => "a count such as x2",
            Dimension::Ratio => "a share such as 85%",
        }
    }
}

/// The units Murvet reads, longest spelling first where one is the start of another.
const UNITS: &[(&str, Dimension, f64)] = &[
    ("mm2", Dimension::Area, 1.0),
    ("cm2", Dimension::Area, 100.0),
    ("mm²", Dimension::Area, 1.0),
    ("mm", Dimension::Length, 1e-3),
    ("cm", Dimension::Length, 1e-2),
    ("m", Dimension::Length, 1.0),
    ("ft", Dimension::Length, 0.3048),
    ("in", Dimension::Length, 0.0254),
    ("kV", Dimension::Voltage, 1e3),
    ("mV", Dimension::Voltage, 1e-3),
    ("V", Dimension::Voltage, 1.0),
    ("kA", Dimension::Current, 1e3),
    ("mA", Dimension::Current, 1e-3),
    ("A", Dimension::Current, 1.0),
    ("kW", Dimension::Power, 1e3),
    ("W", Dimension::Power, 1.0),
    ("kVA", Dimension::Power, 1e3),
    ("VA", Dimension::Power, 1.0),
    ("Ah", Dimension::Charge, 1.0),
    ("C", Dimension::Temperature, 1.0),
    ("F", Dimension::Temperature, f64::NAN),
    ("mohm", Dimension::Resistance, 1e-3),
    ("ohm", Dimension::Resistance, 1.0),
    ("kohm", Dimension::Resistance, 1e3),
    ("Mohm", Dimension::Resistance, 1e6),
    ("Nm", Dimension::Torque, 1.0),
    ("inlb", Dimension::Torque, 0.112_984_83),
    ("ms", Dimension::Time, 1e-3),
    ("s", Dimension::Time, 1.0),
    ("%", Dimension::Ratio, 0.01),
];

/// A number with its unit, as entered.
#[derive(Debug, Clone, PartialEq)]
pub struct Quantity {
    /// The whole text as typed, for example `2.10m` or `2/0AWG`.
    pub text: String,
    /// What it measures.
    pub dimension: Dimension,
    /// The value in the solver's unit of its dimension (see [`Dimension`]).
    pub si: f64,
}

/// Why a text is not a quantity.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum QuantityError {
    /// A number without a unit.
    #[error("\"{0}\" has no unit")]
    NoUnit(String),
    /// A number with letters after it that are no unit.
    #[error("\"{1}\" is not a unit Murvet knows")]
    UnknownUnit(String, String),
    /// Not a number at all.
    #[error("\"{0}\" is not a number with a unit")]
    NotANumber(String),
    /// Negative, infinite or beyond any real installation.
    #[error("\"{0}\" is out of range: {1}")]
    OutOfRange(String, &'static str),
}

/// The index n of a gauge name: `14` is 14, `1/0` is 0, `2/0` is -1, `3/0` is -2, `4/0` is -3.
fn gauge_number(text: &str) -> Option<i32> {
    match text.split_once('/') {
        Some((n, "0")) => match n.parse::<i32>() {
            Ok(n @ 1..=4) => Some(1 - n),
            _ => None,
        },
        Some(_) => None,
        None => match text.parse::<i32>() {
            Ok(n @ 0..=40) => Some(n),
            _ => None,
        },
    }
}

/// Area in mm² of a solid round conductor of AWG number `n` (1/0 is 0, 2/0 is -1 and so on).
///
/// Source: ASTM B258, d = 0.127 mm × 92^((36−n)/39); exact by definition.
///
/// ```
/// let area = murvet_core::units::awg_area_mm2(10);
/// assert!((area - 5.261).abs() < 0.001);
/// ```
pub fn awg_area_mm2(n: i32) -> f64 {
    let diameter_mm = 0.127 * 92f64.powf(f64::from(36 - n) / 39.0);
    std::f64::consts::PI / 4.0 * diameter_mm * diameter_mm
}

/// The AWG number whose area is the largest not above `area_mm2`, with a tenth of a per cent of grace
/// for rounding. `None` below 40 AWG.
pub fn awg_at_most(area_mm2: f64) -> Option<i32> {
    (-3..=40).find(|&n| awg_area_mm2(n) <= area_mm2 * 1.001)
}

/// The name of an AWG number: `-1` is `2/0`.
pub fn awg_name(n: i32) -> String {
    if n <= 0 { format!("{}/0", 1 - n) } else { n.to_string() }
}

impl Quantity {
    /// Reads a number with a unit.
    ///
    /// # Errors
    /// Says whether the number, the unit or the range is wrong. Negative values are refused except
    /// for temperatures.
    ///
    /// ```
    /// use murvet_core::units::{Dimension, Quantity};
    /// let q = Quantity::parse("7ft").unwrap();
    /// assert_eq!(q.dimension, Dimension::Length);
    /// assert!((q.si - 2.1336).abs() < 1e-9);
    /// assert!(Quantity::parse("50").is_err());
    /// ```
    pub fn parse(text: &str) -> Result<Quantity, QuantityError> {
        let made = |dimension, si: f64| Quantity { text: text.to_owned(), dimension, si };
        let lower = text.to_ascii_lowercase();
        if let Some(count) = lower.strip_prefix('x')
            && !count.is_empty()
            && count.chars().all(|c| c.is_ascii_digit())
        {
            return match count.parse::<u32>() {
                Ok(n @ 1..=1000) => Ok(made(Dimension::Count, f64::from(n))),
                _ => Err(QuantityError::OutOfRange(text.to_owned(), "a count goes from x1 to x1000")),
            };
        }
        if let Some(gauge) = lower.strip_suffix("awg") {
            return match gauge_number(gauge.trim_end_matches('-')) {
                Some(n) => Ok(made(Dimension::Area, awg_area_mm2(n))),
                None => Err(QuantityError::OutOfRange(
                    text.to_owned(),
                    "gauges go from 40AWG to 0AWG, then 1/0AWG to 4/0AWG",
                )),
            };
        }
        let end = text
            .char_indices()
            .find(|&(i, c)| !(c.is_ascii_digit() || c == '.' || (i == 0 && (c == '-' || c == '+'))))
            .map_or(text.len(), |(i, _)| i);
        let (digits, unit) = text.split_at(end);
        let number: f64 = digits.parse().map_err(|_| QuantityError::NotANumber(text.to_owned()))?;
        if unit.is_empty() {
            return Err(QuantityError::NoUnit(text.to_owned()));
        }
        // Exact spelling first, because mohm and Mohm differ only by case; then without case where
        // that is unambiguous, because "300a" and "12v" are typed often.
        let found = UNITS.iter().find(|(name, ..)| *name == unit).or_else(|| {
            let mut loose = UNITS.iter().filter(|(name, ..)| name.eq_ignore_ascii_case(unit));
            match (loose.next(), loose.next()) {
                (Some(one), None) => Some(one),
                _ => None,
            }
        });
        let &(_, dimension, factor) =
            found.ok_or_else(|| QuantityError::UnknownUnit(text.to_owned(), unit.to_owned()))?;
        let si = match (dimension, factor.is_nan()) {
            (Dimension::Temperature, true) => (number - 32.0) / 1.8,
            _ => number * factor,
        };
        match dimension {
            Dimension::Temperature if !(-60.0..=300.0).contains(&si) => {
                Err(QuantityError::OutOfRange(text.to_owned(), "temperatures go from -60C to 300C"))
            }
            Dimension::Temperature => Ok(made(dimension, si)),
            _ if number < 0.0 => Err(QuantityError::OutOfRange(text.to_owned(), "it cannot be negative")),
            _ if si > 1e9 => Err(QuantityError::OutOfRange(text.to_owned(), "no installation is that large")),
            _ => Ok(made(dimension, si)),
        }
    }

    /// Whether the text was written as an American wire gauge.
    pub fn is_gauge(&self) -> bool {
        self.text.to_ascii_lowercase().ends_with("awg")
    }
}

impl fmt::Display for Quantity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// What a bare number could mean as a size: `2` is "2AWG, 2/0AWG or 2mm2".
pub(crate) fn sizes_meant(number: &str) -> String {
    match number.parse::<u8>() {
        Ok(1..=4) => format!("{number}AWG, {number}/0AWG or {number}mm2"),
        _ => format!("{number}AWG or {number}mm2"),
    }
}

/// A number rounded for reading: three significant digits, no trailing zeros, no exponent.
///
/// ```
/// assert_eq!(murvet_core::units::short(0.012345), "0.0123");
/// assert_eq!(murvet_core::units::short(265.0), "265");
/// ```
pub fn short(value: f64) -> String {
    if value.is_infinite() {
        return "without limit".to_owned();
    }
    if value == 0.0 || !value.is_finite() {
        return "0".to_owned();
    }
    let digits = (2 - value.abs().log10().floor() as i32).clamp(0, 9) as usize;
    let text = format!("{value:.digits$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}

/// Two different numbers rounded for reading side by side: as [`short`], with as many more digits as it takes to tell them
/// apart.
///
/// ```
/// assert_eq!(murvet_core::units::apart(210.4, 210.0), ("210.4".to_owned(), "210".to_owned()));
/// assert_eq!(murvet_core::units::apart(30.0, 15.0), ("30".to_owned(), "15".to_owned()));
/// ```
pub fn apart(a: f64, b: f64) -> (String, String) {
    let plain = (short(a), short(b));
    if plain.0 != plain.1 || !a.is_finite() || !b.is_finite() {
        return plain;
    }
    let trim = |text: String| {
        if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
    };
    let finer = (0..9).map(|digits| (trim(format!("{a:.digits$}")), trim(format!("{b:.digits$}"))));
    finer.into_iter().find(|(x, y)| x != y).unwrap_or(plain)
}
