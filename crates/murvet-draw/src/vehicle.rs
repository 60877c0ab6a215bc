//! The outline of the vehicle around its places: body, nose or tow bar, and wheels.

use crate::map::MARGIN;
use crate::svg::Svg;
use crate::{INK, PAPER};
use murvet_core::rig::Vehicle;

/// How far the nose or the tow bar of a vehicle reaches ahead of its body.
pub(crate) fn nose(shape: Option<Vehicle>) -> f64 {
    match shape {
        None => 0.0,
        Some(Vehicle::Bus) => 34.0,
        Some(Vehicle::Trailer | Vehicle::Towed) => 64.0,
        Some(Vehicle::Van | Vehicle::Motorhome) => 84.0,
    }
}

/// Draws the outline around what lies between these heights, in a drawing of this size.
pub(crate) fn vehicle(svg: &mut Svg, (top, bottom): (f64, f64), (width, height): (f64, f64), shape: Option<Vehicle>) {
    let ahead = nose(shape);
    let front = MARGIN + 8.0;
    let (left, right) = (front + ahead, width - MARGIN - 4.0);
    let ground = height - 26.0;
    let radius = ground - bottom + 6.0;
    let middle = top + (bottom - top) * 0.52;
    let ink = format!("fill=\"none\" stroke=\"{INK}\" stroke-width=\"2.4\" stroke-linejoin=\"round\"");
    let thin = format!("fill=\"none\" stroke=\"{INK}\" stroke-width=\"1.4\" stroke-linejoin=\"round\"");
    // The body, closed in front, and what is ahead of it.
    let d = format!(
        "M{left:.1} {bottom:.1}V{:.1}Q{left:.1} {top:.1} {:.1} {top:.1}H{:.1}Q{right:.1} {top:.1} {right:.1} {:.1}V{bottom:.1}Z",
        top + 34.0,
        left + 30.0,
        right - 22.0,
        top + 22.0
    );
    svg.path(&d, &ink);
    let (nose, wheels): (Option<String>, &[f64]) = match shape {
        None => (None, &[0.28, 0.74]),
        Some(Vehicle::Trailer) => (None, &[0.56]),
        Some(Vehicle::Towed) => (None, &[0.5, 0.6]),
        Some(Vehicle::Van) => {
            let d = format!(
                "M{left:.1} {:.1}L{:.1} {middle:.1}L{:.1} {:.1}Q{front:.1} {:.1} {front:.1} {:.1}V{bottom:.1}H{left:.1}",
                top + 30.0,
                front + ahead * 0.45,
                front + 14.0,
                middle + 14.0,
                middle + 16.0,
                middle + 34.0
            );
            (Some(d), &[-0.045, 0.78])
        }
        Some(Vehicle::Motorhome) => {
            // The cab under the overhang of the sleeping place.
            let d = format!(
                "M{:.1} {top:.1}H{:.1}Q{:.1} {top:.1} {:.1} {:.1}L{:.1} {:.1}L{:.1} {middle:.1}L{:.1} {:.1}Q{front:.1} {:.1} {front:.1} {:.1}V{bottom:.1}H{left:.1}",
                left + 30.0,
                front + 34.0,
                front + 14.0,
                front + 12.0,
                top + 30.0,
                front + ahead * 0.8,
                top + 50.0,
                front + ahead * 0.45,
                front + 14.0,
                middle + 14.0,
                middle + 16.0,
                middle + 34.0
            );
            (Some(d), &[-0.045, 0.74])
        }
        Some(Vehicle::Bus) => {
            let d = format!(
                "M{:.1} {top:.1}H{:.1}Q{front:.1} {top:.1} {front:.1} {:.1}V{bottom:.1}H{left:.1}",
                left + 30.0,
                front + 26.0,
                top + 30.0
            );
            (Some(d), &[0.12, 0.7, 0.78])
        }
    };
    if let Some(d) = nose {
        svg.path(&d, &ink);
    }
    if matches!(shape, Some(Vehicle::Trailer | Vehicle::Towed)) {
        // Tow bar, coupling and jockey wheel.
        let bar = ground - radius;
        svg.path(&format!("M{left:.1} {:.1}L{:.1} {bar:.1}L{left:.1} {bottom:.1}", bottom - 16.0, front + 10.0), &thin);
        svg.circle(front + 8.0, bar, 5.0, &format!("fill=\"{PAPER}\" stroke=\"{INK}\" stroke-width=\"2\""));
        svg.line(front + 26.0, bar, front + 26.0, ground - 5.0, &thin);
        svg.circle(front + 26.0, ground - 5.0, 5.0, &thin);
    }
    for share in wheels {
        let x = left + (right - left) * share;
        svg.circle(x, ground - radius, radius, &format!("fill=\"{PAPER}\" stroke=\"{INK}\" stroke-width=\"2.4\""));
        svg.circle(x, ground - radius, radius * 0.4, &format!("fill=\"none\" stroke=\"{INK}\" stroke-width=\"1.4\""));
    }
    svg.line(8.0, ground, width - 8.0, ground, &format!("stroke=\"{INK}\" stroke-width=\"1\""));
}
