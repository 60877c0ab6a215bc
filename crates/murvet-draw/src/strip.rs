//! The reading strip: the limits as a band, the prediction as a bar, the measurement as a mark, on one
//! scale.

use crate::svg::Svg;
use crate::{FAINT, INK, PAPER, SIGNAL};
use murvet_core::readings::Test;

/// Width of a strip and the margin at each end of its scale, in its own units.
const WIDTH: f64 = 360.0;
const MARGIN: f64 = 14.0;

/// The one scale on which limits, prediction and readings of a test stand. Ohms that span decades use a logarithmic one.
struct Scale {
    lowest: f64,
    highest: f64,
    origin: f64,
    decades: bool,
}

impl Scale {
    fn new(test: &Test, readings: &[f64]) -> Scale {
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
        Scale { lowest, highest, origin, decades }
    }

    /// Where a value stands, from 0 at the left end of the scale to 1.
    fn share(&self, v: f64) -> f64 {
        let share = if self.decades {
            let least = self.lowest * 0.3;
            (v.max(least).ln() - least.ln()) / (self.highest.ln() - least.ln())
        } else {
            (v - self.origin) / (self.highest - self.origin)
        };
        share.clamp(0.0, 1.0)
    }

    fn x(&self, v: f64) -> f64 {
        MARGIN + (WIDTH - 2.0 * MARGIN) * self.share(v)
    }
}

/// Where a value stands on the strip that [`reading_strip`] draws of the same test and readings: a share of its width.
pub fn strip_at(test: &Test, readings: &[f64], value: f64) -> f64 {
    Scale::new(test, readings).x(value) / WIDTH
}

/// Draws the strip of a test, with the readings taken so far, the latest last.
pub fn reading_strip(test: &Test, readings: &[f64]) -> String {
    let (width, height) = (WIDTH, 50.0);
    let mut svg = Svg::new(
        width,
        height,
        &format!("{}: limits {}, predicted {}", test.title, test.limit_words(), test.predicted_words()),
    );
    svg.rect(0.0, 0.0, width, height, &format!("fill=\"{PAPER}\""));
    let scale = Scale::new(test, readings);
    let x_at = |v: f64| scale.x(v);
    svg.line(MARGIN, 26.0, width - MARGIN, 26.0, &format!("stroke=\"{INK}\" stroke-width=\"1\""));
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
    let text = format!("fill=\"{FAINT}\" font-size=\"14.5\"");
    svg.text(14.0, 47.5, "band: limits", &text);
    svg.text(112.0, 47.5, "bar: predicted", &text);
    if test.limit.high.is_finite() {
        svg.text(
            h,
            12.5,
            &format!("{} {}", murvet_core::units::short(test.limit.high), test.unit),
            &format!("{text} text-anchor=\"middle\""),
        );
    }
    svg.finish()
}
