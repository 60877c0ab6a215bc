//! Published values as data files, each with its source, edition and whether it was written down from
//! memory. The files stand in `tables/` of this crate.
//!
//! A new table is a JSON file there and a line in `FILES`.

use crate::units::{Dimension, Quantity};
use serde::Deserialize;
use std::sync::{LazyLock, OnceLock};

/// One published table.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Table {
    /// Its name here.
    pub id: String,
    /// What it gives, with unit and conditions.
    pub title: String,
    /// Where it was published.
    pub source: String,
    /// Edition, as far as known.
    pub edition: String,
    /// Whether the values were recalled from memory and not checked against the print.
    pub recalled: bool,
    /// Column heads.
    pub columns: Vec<String>,
    /// Rows.
    pub rows: Vec<Row>,
}

/// One row of a table.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Row {
    /// A size, a count, a rating or a word.
    pub key: String,
    /// One value a column.
    pub values: Vec<f64>,
    /// The size that the key names, mm², where it names one; read once.
    #[serde(skip)]
    area_mm2: OnceLock<Option<f64>>,
}

/// Every data file.
const FILES: &[&str] = &[
    include_str!("../../tables/nfpa70-310-16.json"),
    include_str!("../../tables/nfpa70-310-17.json"),
    include_str!("../../tables/nfpa70-551-10.json"),
    include_str!("../../tables/nfpa70-240-4-d.json"),
    include_str!("../../tables/nfpa70-240-6.json"),
    include_str!("../../tables/device-ratings-metric.json"),
    include_str!("../../tables/abyc-e11.json"),
    include_str!("../../tables/iso-13297.json"),
    include_str!("../../tables/bs7671-4f3a.json"),
    include_str!("../../tables/iec60228-class5.json"),
    include_str!("../../tables/nfpa70-400-5.json"),
    include_str!("../../tables/nfpa70-ch9-t8.json"),
    include_str!("../../tables/bundle-nfpa70.json"),
    include_str!("../../tables/bundle-iso.json"),
    include_str!("../../tables/bundle-abyc.json"),
    include_str!("../../tables/chemistry.json"),
    include_str!("../../tables/battery-resistance.json"),
    include_str!("../../tables/peukert.json"),
    include_str!("../../tables/breaking-capacity.json"),
    include_str!("../../tables/charge-volts.json"),
    include_str!("../../tables/array-cold.json"),
    include_str!("../../tables/nfpa70-250-122.json"),
    include_str!("../../tables/asnzs-3000-5-1.json"),
];

static TABLES: LazyLock<Vec<Table>> =
    LazyLock::new(|| FILES.iter().filter_map(|text| serde_json::from_str(text).ok()).collect());

/// All tables.
pub fn all() -> &'static [Table] {
    &TABLES
}

/// The table of this name. Every name used in the core is checked by a test.
///
/// # Panics
/// When the program names a table that does not exist, which is a fault of the program and not of
/// any input.
pub fn table(id: &str) -> &'static Table {
    match TABLES.iter().find(|t| t.id == id) {
        Some(table) => table,
        None => panic!("no table {id}"),
    }
}

/// The factor on the open-circuit voltage of an array at a temperature, C: the first row at or below it, and none above
/// 20 C.
///
/// ```
/// // NFPA 70 table 690.7(A): 1.14 at -10 C, and for -12 C the next colder row.
/// assert_eq!(murvet_core::tables::cold_array_factor(-10.0), 1.14);
/// assert_eq!(murvet_core::tables::cold_array_factor(-12.0), 1.18);
/// assert_eq!(murvet_core::tables::cold_array_factor(25.0), 1.0);
/// ```
pub fn cold_array_factor(celsius: f64) -> f64 {
    if celsius > 20.0 {
        return 1.0;
    }
    let rows = table("array-cold").rows.iter();
    let mut rows = rows.filter_map(|r| Some((r.key.parse::<f64>().ok()?, *r.values.first()?)));
    rows.clone().find(|(t, _)| *t <= celsius).or_else(|| rows.next_back()).map_or(1.25, |r| r.1)
}

impl Table {
    /// Where the table is from, as printed beside a number.
    pub fn cite(&self) -> String {
        if self.recalled && !self.source.starts_with("common practice") {
            format!("{} (recalled, verify against the current edition)", self.source)
        } else {
            self.source.clone()
        }
    }

    /// The value in the row of this key.
    pub fn get(&self, key: &str, column: usize) -> Option<f64> {
        self.rows.iter().find(|r| r.key == key).and_then(|r| r.values.get(column).copied())
    }

    fn areas(&self, column: usize) -> impl Iterator<Item = (f64, f64, &str)> {
        self.rows.iter().filter_map(move |row| {
            let area = || Some(Quantity::parse(&row.key).ok().filter(|q| q.dimension == Dimension::Area)?.si);
            let area = (*row.area_mm2.get_or_init(area))?;
            Some((area, *row.values.get(column)?, row.key.as_str()))
        })
    }

    /// The value of the largest listed size not above `area_mm2`, with that size's name.
    pub fn at_most(&self, area_mm2: f64, column: usize) -> Option<(f64, &str)> {
        self.areas(column).filter(|(area, ..)| *area <= area_mm2 * 1.001).last().map(|(_, value, key)| (value, key))
    }

    /// The value for an area between listed sizes, along the straight line between them.
    ///
    /// Ampacity grows less than in proportion to area, so the line lies below the true curve and is
    /// the safe reading. Below the first size the value falls in proportion to the area, above the
    /// last it stays.
    pub fn between(&self, area_mm2: f64, column: usize) -> Option<f64> {
        let mut below: Option<(f64, f64)> = None;
        for (area, value, _) in self.areas(column) {
            if area_mm2 <= area * 1.001 {
                return Some(match below {
                    _ if area_mm2 >= area * 0.999 => value,
                    None => value * area_mm2 / area,
                    Some((a, v)) => v + (value - v) * (area_mm2 - a) / (area - a),
                });
            }
            below = Some((area, value));
        }
        below.map(|(_, value)| value)
    }

    /// The factor for a count, from rows that say from which count on they hold.
    pub fn from_count(&self, count: f64) -> f64 {
        let mut listed = self.rows.iter().filter_map(|r| Some((Quantity::parse(&r.key).ok()?.si, *r.values.first()?)));
        listed.rfind(|(from, _)| *from <= count).map_or(1.0, |(_, factor)| factor)
    }

    /// All values of the first column, in order.
    pub fn values(&self) -> impl Iterator<Item = f64> {
        self.rows.iter().filter_map(|r| r.values.first().copied())
    }
}
