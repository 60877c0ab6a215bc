//! The air of a closed place from what works in it: a heat balance of its walls and its openings.
//!
//! What is lost in the place leaves it through the walls, U A ΔT, and with the air that rises through openings low and
//! high, ρ c C A √(2 g h ΔT / T) ΔT. Both grow with ΔT, so the balance has one root. The figures below are ranges of
//! common practice (no source but the two formulas, which stand in every text on ventilation; IEC TR 60890 treats
//! enclosures in the same way), and the answer is a range.

use crate::catalogue::Kind;
use crate::profiles::Profile;
use crate::rig::{Component, Place, Rig};
use crate::units::Dimension;

/// Heat through a wall, W/m²K: lined or insulated, and thin metal or ply with moving air outside.
const WALL: (f64, f64) = (2.0, 5.0);
/// Share of the faces that give heat off: two in three where it stands in a corner, all of them.
const FACES: (f64, f64) = (0.67, 1.0);
/// Discharge of an opening: behind mesh and louvres, and bare.
const OPENING: (f64, f64) = (0.4, 0.65);
/// What the sun on a skin adds to the air behind it, K.
const SUN: (f64, f64) = (20.0, 5.0);
/// Electronics stop before the air around them is as hot as this, C.
pub(crate) const MOST_C: f64 = 100.0;
/// ρ c of air, J/m³K, and the acceleration of gravity, m/s².
const AIR: f64 = 1200.0;
const GRAVITY: f64 = 9.81;

/// What a component loses as heat at full power, W; nothing where its power is not known.
pub(crate) fn losses(p: &Component, profile: &Profile) -> f64 {
    let efficiency = p.si("efficiency", Dimension::Ratio).unwrap_or(profile.efficiency.value).clamp(0.05, 1.0);
    let lost = |out: f64| out / efficiency - out;
    let inverting = p.si("power", Dimension::Power).unwrap_or(0.0);
    let volts = super::charge_volts(p).or(p.si("dc", Dimension::Voltage).map(|v| v * 1.2)).unwrap_or(14.0);
    let charging = super::figures::charge_amps(p).unwrap_or(0.0) * volts;
    match p.kind {
        Kind::Inverter => lost(inverting),
        // Either at a time.
        Kind::InverterCharger => lost(inverting).max(lost(charging)),
        Kind::Charger | Kind::DcDc | Kind::Controller => lost(charging),
        _ => 0.0,
    }
}

/// How much warmer than outside the air of a place becomes with so much lost in it, K: at the most and at the least;
/// nothing where its size is not known.
///
/// A box of 0.5 m each way with no opening, all six faces of 0.25 m² free at 5 W/m²K: 7.5 W/K, so 353 W make 47 K.
pub(crate) fn warmer(place: &Place, lost_w: f64) -> Option<(f64, f64)> {
    let metre = |key: &str| place.air.get(key).and_then(|v| v.si(Dimension::Length));
    let open = |key: &str| place.air.get(key).and_then(|v| v.si(Dimension::Area)).unwrap_or(0.0) * 1e-6;
    let (wide, deep, high) = (metre("wide")?, metre("deep")?, metre("high")?);
    let faces = 2.0 * (wide * deep + wide * high + deep * high);
    let (low, top) = (open("vent-low"), open("vent-high"));
    // Two openings in a row pass what 1/√(1/a² + 1/b²) passes alone.
    let both = if low > 0.0 && top > 0.0 { 1.0 / (low.powi(-2) + top.powi(-2)).sqrt() } else { 0.0 };
    let rise = |u: f64, share: f64, opening: f64| {
        let out = |k: f64| u * share * faces * k + AIR * opening * both * (2.0 * GRAVITY * high * k / 300.0).sqrt() * k;
        // Halving: the sum grows with k, and is above the loss at its upper bound.
        let (mut below, mut above) = (0.0, 1000.0);
        for _ in 0..60 {
            let middle = 0.5 * (below + above);
            if out(middle) < lost_w { below = middle } else { above = middle }
        }
        above
    };
    let (hot_sun, cool_sun) = if place.sun { SUN } else { (0.0, 0.0) };
    Some((rise(WALL.0, FACES.0, OPENING.0) + hot_sun, rise(WALL.1, FACES.1, OPENING.1) + cool_sun))
}

/// The air of a place while everything in it works at full power, and while only the greatest loser does, C.
pub(super) fn air(rig: &Rig, profile: &Profile, place: &Place) -> Option<(f64, f64)> {
    if place.air.is_empty() {
        return None;
    }
    let here = rig.components.iter().filter(|p| p.status.present() && p.place.as_deref() == Some(place.id.as_str()));
    let lost: Vec<f64> = here.map(|p| losses(p, profile)).filter(|w| *w > 0.0).collect();
    let outside = place.ambient.as_ref().and_then(|v| v.si(Dimension::Temperature)).unwrap_or(profile.ambient_c.value);
    let hot = warmer(place, lost.iter().sum())?.0;
    let cool = warmer(place, lost.iter().copied().fold(0.0, f64::max))?.1;
    Some(((outside + hot).min(MOST_C), (outside + cool).min(MOST_C)))
}
