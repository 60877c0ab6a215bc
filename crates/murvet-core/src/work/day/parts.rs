//! The parts that a change of a rig takes.

use crate::catalogue::Kind;
use crate::rig::{Component, Conductor, Rig, Step};
use crate::units::{Dimension, Quantity};
use std::collections::BTreeMap;

/// A part of the list.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, serde::Serialize, schemars::JsonSchema)]
pub struct Part {
    /// What it is: `fuse 300A class-t`, `cable 3x2.5mm2 flex`, `conductor 25mm2 red`, `lug 25mm2`.
    pub name: String,
    /// `x` or `m`.
    pub unit: &'static str,
    /// How many; metres in tenths, a tenth more than what is laid, for what is cut off.
    pub tenths: u32,
}

impl std::fmt::Display for Part {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.unit {
            "m" => write!(f, "{}.{} m {}", self.tenths / 10, self.tenths % 10, self.name),
            _ => write!(f, "{} x {}", self.tenths.div_ceil(10), self.name),
        }
    }
}

/// What is new in a rig against another: components that were not there or are of another rating, conductors and cables that
/// were not laid so, a lug for each end of a conductor of 6 mm2 and more, a label for each new device.
///
/// ```
/// use murvet_core::{notation::parse, work::day::parts};
/// let rig = |more: &str| parse(&format!("battery b: agm 12V 90Ah\nbus p\n{more}")).unwrap();
/// let list = parts(&rig(""), &rig("run b.+ : 0.1m 16mm2 red, fuse F1 60A bolt-down, 1.9m 16mm2 red, p\n"));
/// let names: Vec<(&str, u32)> = list.iter().map(|p| (p.name.as_str(), p.tenths)).collect();
/// assert_eq!(names, [("conductor 16mm2 red", 22), ("fuse 60A bolt-down", 10), ("label", 10), ("lug 16mm2", 40)]);
/// ```
pub fn parts(before: &Rig, after: &Rig) -> Vec<Part> {
    let mut list: BTreeMap<(String, &'static str), f64> = BTreeMap::new();
    let mut add = |name: String, unit: &'static str, amount: f64| *list.entry((name, unit)).or_default() += amount;
    for p in after.components.iter().filter(|p| p.status.present()) {
        let old = before.component(&p.id).filter(|o| o.status.present());
        if old.is_none_or(|o| named(o) != named(p)) && !matches!(p.kind, Kind::Chassis) {
            add(named(p), "x", 1.0);
            if p.kind.is_overcurrent_device() || p.kind == Kind::Isolator {
                add("label".to_owned(), "x", 1.0);
            }
        }
        for way in &p.ways {
            let was = old.and_then(|o| o.ways.iter().find(|w| w.id == way.id));
            if was.is_none_or(|w| w.rating != way.rating || w.rcd != way.rcd) && old.is_some() {
                let rcd = way.rcd.as_ref().map_or(String::new(), |r| format!(" {}", r.text));
                add(format!("device for a way {}{rcd}", way.rating.text), "x", 1.0);
            }
        }
    }
    let (old, new) = (laid(before), laid(after));
    for (name, metres) in &new {
        let had = old.get(name).map_or((0.0, 0), |o| (o.0, o.1));
        if metres.0 > had.0 + 1e-6 {
            add(name.clone(), "m", (metres.0 - had.0) * 1.1);
        }
        if let Some(size) = &metres.2
            && metres.1 > had.1
        {
            #[expect(clippy::cast_precision_loss, reason = "a count of conductors")]
            add(format!("lug {size}"), "x", 2.0 * (metres.1 - had.1) as f64);
        }
    }
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "tenths of metres of a vehicle")]
    let tenths = |amount: f64| ((amount * 10.0) - 1e-6).ceil().max(0.0) as u32;
    list.into_iter().map(|((name, unit), amount)| Part { name, unit, tenths: tenths(amount) }).collect()
}

/// A component as it stands on a list: kind, ratings, class.
fn named(p: &Component) -> String {
    let mut words = vec![p.kind.word().to_owned()];
    // Where it is set, what it is plugged into and what its maker says is no part.
    let rating =
        ["rating", "power", "capacity", "voltage", "class", "poles", "curve", "trip", "type", "chemistry", "wave"];
    words.extend(rating.iter().filter_map(|key| p.attrs.get(*key)).filter(|v| !v.is_unseen()).map(|v| v.text.clone()));
    words.join(" ")
}

/// Length, number of conductors and the size that asks for lugs, by what is laid.
fn laid(rig: &Rig) -> BTreeMap<String, (f64, usize, Option<String>)> {
    let mut list: BTreeMap<String, (f64, usize, Option<String>)> = BTreeMap::new();
    let metres = |v: &crate::rig::Value| v.si(Dimension::Length).unwrap_or(0.0);
    for step in rig.runs.iter().flat_map(|r| &r.steps) {
        let Step::Conductor(c) = step else { continue };
        let entry = list.entry(conductor(c)).or_default();
        entry.0 += metres(&c.length);
        entry.1 += 1;
        // Thinner ones are landed by ferrule or clamp.
        if Quantity::parse(&c.size.text).is_ok_and(|q| q.dimension == Dimension::Area && q.si >= 6.0) {
            entry.2 = Some(c.size.text.clone());
        }
    }
    for cable in rig.cables.iter().filter(|c| c.status.present()) {
        let flex = if cable.flex { " flex" } else { "" };
        let entry = list.entry(format!("cable {}x{}{flex}", cable.cores, cable.size.text)).or_default();
        entry.0 += metres(&cable.length);
        entry.1 += 1;
    }
    list
}

fn conductor(c: &Conductor) -> String {
    let colour = c.colour.as_ref().map_or(String::new(), |c| format!(" {c}"));
    format!("conductor {}{colour}", c.size.text)
}
