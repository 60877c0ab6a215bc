//! The reading strip: the limits as a band, the prediction as a bar, the measurement as a mark, on one
//! scale.

use crate::svg::Svg;
use crate::{FAINT, INK, PAPER, SIGNAL};
use murvet_core::readings::Test;

/// Draws the strip of a test, with the readings taken so far, the latest last. Ohms that span decades
/// use a logarithmic scale.
pub fn reading_strip(test: &Test, readings: &[f64]) -> String {
    let (width, height) = (360.0, 46.0);
    let mut svg = Svg::new(
        width,
        height,
        &format!("{}: limits {}, predicted {}", test.title, test.limit_words(), test.predicted_words()),
    );
    svg.rect(0.0, 0.0, width, height, &format!("fill=\"{PAPER}\""));
    let mut marks: Vec<f64> = vec![test.limit.low, test.limit.high];
    if let Some(p) = &test.predicted {
        marks.extend([p.low, p.high]);
    }
    marks.extend(readings);
    let finite: Vec<f64> = marks.into_iter().filter(|v| v.is_finite() && *v > 0.0).collect();
    let highest = finite.iter().copied().fold(1e-6, f64::max) * 1.2;
    let lowest = finite.iter().copied().fold(highest, f64::min);
    let decades = test.unit == "ohm" && highest / lowest > 200.0;
    // Resting voltages and mains live in a narrow range far from zero.
    let origin = if !decades && lowest > highest * 0.6 { lowest * 0.95 } else { 0.0 };
    let x_at = |v: f64| {
        let share = if decades {
            ((v.max(lowest * 0.3)).ln() - (lowest * 0.3).ln()) / (highest.ln() - (lowest * 0.3).ln())
        } else {
            (v - origin) / (highest - origin)
        };
        14.0 + (width - 28.0) * share.clamp(0.0, 1.0)
    };
    svg.line(14.0, 26.0, width - 14.0, 26.0, &format!("stroke=\"{INK}\" stroke-width=\"1\""));
    let (l, h) = (x_at(test.limit.low.max(0.0)), x_at(test.limit.high));
    svg.rect(l, 16.0, (h - l).max(2.0), 20.0, &format!("fill=\"#e6dfc9\" stroke=\"{INK}\" stroke-width=\"1\""));
    if let Some(p) = &test.predicted {
        let (l, h) = (x_at(p.low), x_at(p.high));
        svg.rect(l, 22.0, (h - l).max(3.0), 8.0, &format!("fill=\"{FAINT}\""));
    }
    for (n, v) in readings.iter().enumerate() {
        let latest = n + 1 == readings.len();
        let x = x_at(*v);
        let good = test.limit.holds(*v);
        let colour = if good { INK } else { SIGNAL };
        let size = if latest { 8.0 } else { 4.0 };
        svg.path(
            &format!("M{x:.1} 26L{:.1} {:.1}H{:.1}Z", x - size * 0.7, 26.0 - size * 1.7, x + size * 0.7),
            &format!("fill=\"{colour}\""),
        );
        if latest && !good {
            svg.path(
                &format!("M{:.1} 31l8 8m0 -8l-8 8", x - 4.0),
                &format!("stroke=\"{SIGNAL}\" stroke-width=\"2\" fill=\"none\""),
            );
        }
    }
    let text = format!("fill=\"{FAINT}\" font-size=\"9.5\"");
    svg.text(14.0, 45.0, "band: limits", &text);
    svg.text(90.0, 45.0, "bar: predicted", &text);
    if test.limit.high.is_finite() {
        svg.text(
            h,
            12.0,
            &format!("{} {}", murvet_core::units::short(test.limit.high), test.unit),
            &format!("{text} text-anchor=\"middle\""),
        );
    }
    svg.finish()
}
