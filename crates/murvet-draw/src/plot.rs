//! A curve on paper: one line, its limit, and the point that was asked for.

use crate::svg::Svg;
use crate::{FAINT, INK, PAPER, SIGNAL};
use murvet_core::bench::Curve;
use murvet_core::units::short;

/// Steps of 1, 2 or 5 times a power of ten that divide a range into about four.
fn step(range: f64) -> f64 {
    let rough = (range / 4.0).max(1e-12);
    let power = 10f64.powf(rough.log10().floor());
    [1.0, 2.0, 5.0, 10.0].into_iter().map(|m| m * power).find(|s| *s >= rough * 0.999).unwrap_or(power)
}

/// Draws a curve; nothing where it has fewer than two points.
pub fn plot(curve: &Curve) -> Option<String> {
    let finite = curve.points.iter().filter(|(x, y)| x.is_finite() && y.is_finite());
    let points: Vec<(f64, f64)> = finite.copied().collect();
    let (first, last) = (points.first()?, points.last()?);
    if points.len() < 2 || last.0 <= first.0 {
        return None;
    }
    let (x0, x1) = curve.mark.map_or((first.0, last.0), |m| (first.0.min(m.0), last.0.max(m.0)));
    let ups = points.iter().map(|p| p.1).chain(curve.limit).chain(curve.mark.map(|m| m.1));
    let (low, high) = ups.fold((0.0f64, 0.0f64), |(a, b), y| (a.min(y), b.max(y)));
    let high = if high > low { high * 1.08 } else { low + 1.0 };
    let (width, height) = (560.0, 300.0);
    let (left, right, base, top) = (66.0, width - 18.0, height - 46.0, 18.0);
    let x_at = |x: f64| left + (right - left) * (x - x0) / (x1 - x0);
    let y_at = |y: f64| base - (base - top) * (y - low) / (high - low);
    let mut svg = Svg::new(width, height, &format!("{} against {}", curve.up, curve.along));
    svg.rect(0.0, 0.0, width, height, &format!("fill=\"{PAPER}\""));
    let small = format!("fill=\"{FAINT}\" font-size=\"12\"");
    let thin = "stroke=\"#ddd6c3\" stroke-width=\"0.8\"";
    let up = step(high - low);
    let mut y = (low / up).ceil() * up;
    while y <= high {
        svg.line(left, y_at(y), right, y_at(y), thin);
        svg.text(left - 6.0, y_at(y) + 4.0, &short(y), &format!("{small} text-anchor=\"end\""));
        y += up;
    }
    let along = step(x1 - x0);
    let mut x = (x0 / along).ceil() * along;
    while x <= x1 {
        svg.line(x_at(x), base, x_at(x), base + 4.0, &format!("stroke=\"{INK}\" stroke-width=\"1\""));
        svg.text(x_at(x), base + 17.0, &short(x), &format!("{small} text-anchor=\"middle\""));
        x += along;
    }
    svg.line(left, base, right, base, &format!("stroke=\"{INK}\" stroke-width=\"1.2\""));
    let mut line = String::new();
    for (n, (x, y)) in points.iter().enumerate() {
        line.push_str(&format!("{}{:.1} {:.1}", if n == 0 { "M" } else { "L" }, x_at(*x), y_at(*y)));
    }
    svg.path(&line, &format!("fill=\"none\" stroke=\"{INK}\" stroke-width=\"2.2\""));
    if let Some(limit) = curve.limit {
        let style = format!("stroke=\"{SIGNAL}\" stroke-width=\"1.8\" stroke-dasharray=\"7 3\"");
        svg.line(left, y_at(limit), right, y_at(limit), &style);
        let words = format!("{} {}", if low < limit { "limit" } else { "least" }, short(limit));
        let bold = format!("fill=\"{SIGNAL}\" font-size=\"12\" font-weight=\"700\" text-anchor=\"end\"");
        svg.text(right, y_at(limit) - 5.0, &words, &bold);
    }
    if let Some((x, y)) = curve.mark {
        let cross = format!("stroke=\"{INK}\" stroke-width=\"1\" stroke-dasharray=\"2 3\"");
        svg.line(x_at(x), y_at(y), x_at(x), base, &cross);
        svg.circle(x_at(x), y_at(y), 5.0, &format!("fill=\"{PAPER}\" stroke=\"{INK}\" stroke-width=\"2.4\""));
        let anchor = if x_at(x) > (left + right) / 2.0 { ("end", -9.0) } else { ("start", 9.0) };
        let words = format!("{} at {}", short(y), short(x));
        let bold = format!("fill=\"{INK}\" font-size=\"12\" font-weight=\"700\" text-anchor=\"{}\"", anchor.0);
        // Clear of the limit, which may run right above the point.
        let near = curve.limit.is_some_and(|l| (-4.0..24.0).contains(&(y_at(y) - y_at(l))));
        let up = if near { 16.0 } else { -8.0 };
        svg.text(x_at(x) + anchor.1, (y_at(y) + up).clamp(top + 4.0, base - 4.0), &words, &bold);
    }
    svg.text(left, height - 8.0, &format!("{}, along: {}", curve.up, curve.along), &small);
    Some(svg.finish())
}
