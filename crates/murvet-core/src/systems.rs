//! Metric and US customary measures side by side: a sentence keeps what was entered, and the reader's own measure stands
//! behind it in brackets.

use crate::units::{Quantity, awg_at_most, awg_name, short};

/// The measures a person reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum System {
    /// As entered, nothing added.
    #[default]
    AsEntered,
    /// Metres, square millimetres, degrees Celsius.
    Metric,
    /// Feet, AWG, degrees Fahrenheit.
    Us,
}

impl System {
    /// All of them with their words and meanings.
    pub const ALL: [(System, &'static str, &'static str); 3] = [
        (System::AsEntered, "as-entered", "as entered"),
        (System::Metric, "metric", "metric beside"),
        (System::Us, "us", "feet and AWG beside"),
    ];

    /// The word it is kept by.
    pub fn word(self) -> &'static str {
        System::ALL.iter().find(|(s, ..)| *s == self).map_or("as-entered", |(_, word, _)| word)
    }

    /// Reads the word; an unknown one counts as "as entered".
    pub fn parse(word: &str) -> System {
        System::ALL.iter().find(|(_, w, _)| *w == word).map_or(System::AsEntered, |(s, ..)| *s)
    }

    /// A sentence with the measures of this system behind those of the other.
    ///
    /// The gauge given for an area is the largest that is not above it, so that reading it errs to the safe side.
    ///
    /// ```
    /// use murvet_core::systems::System;
    /// assert_eq!(System::Us.beside("2.1 m of 35mm2"), "2.1 m (6.89 ft) of 35mm2 (2 AWG at most)");
    /// assert_eq!(System::Metric.beside("7ft of 10 AWG"), "7ft (2.13 m) of 10 AWG (5.26 mm²)");
    /// assert_eq!(System::Us.beside("pump1 m, 12 V"), "pump1 m, 12 V");
    /// ```
    ///
    /// Complexity: O(length).
    pub fn beside(self, text: &str) -> String {
        if self == System::AsEntered {
            return text.to_owned();
        }
        let mut out = String::with_capacity(text.len() + 16);
        let mut rest = text;
        let mut before = None;
        while let Some(c) = rest.chars().next() {
            let starts = c.is_ascii_digit()
                && !before.is_some_and(|b: char| b.is_alphanumeric() && b != 'x' || ".-/_".contains(b));
            match starts.then(|| measure(rest)).flatten() {
                Some((length, number, unit)) => {
                    let (whole, after) = rest.split_at(length);
                    out.push_str(whole);
                    if let Some(own) = self.own(number, unit) {
                        out.push_str(&format!(" ({own})"));
                    }
                    before = whole.chars().last();
                    rest = after;
                }
                None => {
                    out.push(c);
                    before = Some(c);
                    rest = &rest[c.len_utf8()..];
                }
            }
        }
        out
    }

    /// A measure of the other system in this one.
    fn own(self, number: &str, unit: &str) -> Option<String> {
        let value = || number.parse::<f64>().ok();
        match (self, unit) {
            (System::Us, "m") => Some(format!("{} ft", short(value()? / 0.3048))),
            (System::Us, "mm") => Some(format!("{} in", short(value()? / 25.4))),
            (System::Us, "mm2" | "mm²") => awg_at_most(value()?).map(|n| format!("{} AWG at most", awg_name(n))),
            (System::Us, "°C") => Some(format!("{} °F", short(value()? * 1.8 + 32.0))),
            (System::Metric, "ft") => Some(format!("{} m", short(value()? * 0.3048))),
            (System::Metric, "AWG") => {
                let gauge = Quantity::parse(&format!("{number}AWG")).ok()?;
                Some(format!("{} mm²", short(gauge.si)))
            }
            (System::Metric, "°F") => Some(format!("{} °C", short((value()? - 32.0) / 1.8))),
            _ => None,
        }
    }
}

/// A number with its unit at the start of a text: its length in bytes, the number and the unit.
fn measure(text: &str) -> Option<(usize, &str, &str)> {
    let digits = text.find(|c: char| !(c.is_ascii_digit() || c == '.' || c == '/')).unwrap_or(text.len());
    let number = text[..digits].trim_end_matches(['.', '/']);
    let gap = &text[number.len()..];
    let unit_at = number.len() + gap.find(|c| c != ' ' && c != '\u{a0}')?;
    if unit_at - number.len() > 2 {
        return None;
    }
    let unit =
        ["mm²", "mm2", "mm", "AWG", "ft", "°C", "°F", "m"].into_iter().find(|u| text[unit_at..].starts_with(u))?;
    let end = unit_at + unit.len();
    let ends = text[end..].chars().next().is_none_or(|c| !(c.is_alphanumeric() || "²/·".contains(c)));
    ends.then_some((end, number, unit))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::awg_area_mm2;

    /// Handbook values (NFPA 70 chapter 9 table 8): 2/0 AWG is 67.43 mm²; one foot is 0.3048 m by definition.
    #[test]
    fn every_gauge_reads_back() {
        for n in -3..=30 {
            let words = System::Metric.beside(&format!("{} AWG", awg_name(n)));
            let area: f64 = words.split(['(', ' ']).nth(3).and_then(|a| a.parse().ok()).expect("an area");
            assert!((area / awg_area_mm2(n) - 1.0).abs() < 0.006, "{words}");
        }
        assert_eq!(System::Metric.beside("x 2/0 AWG."), "x 2/0 AWG (67.4 mm²).");
        assert_eq!(
            System::Us.beside("3x2.5mm2, 2 mohm, 5 min, -7 m"),
            "3x2.5mm2 (14 AWG at most), 2 mohm, 5 min, -7 m"
        );
    }
}
