//! Device curves: the time-current bands of the devices on a conductor's path, what the conductor stands meanwhile, and
//! the least and greatest current a fault can drive, on two logarithmic scales.

use crate::profile::path;
use crate::svg::Svg;
use crate::{FAINT, INK, PAPER, SIGNAL};
use murvet_core::audit::Audit;
use murvet_core::catalogue::Role;
use murvet_core::devices::{Band, adiabatic_s, band};
use murvet_core::network::{Case, DcNet, EdgeKind, WireSpot};
use murvet_core::units::short;

/// Times on the scale, s.
const SOONEST_S: f64 = 0.01;
const LATEST_S: f64 = 10_000.0;

struct Drawn {
    name: String,
    rating_a: f64,
    band: Band,
}

/// Least and greatest fault current on the path of a conductor, A: the least with everything hot and weak at its end, the
/// greatest with everything cold and strong behind its first device. Nothing where no battery drives one.
pub fn fault_currents(audit: &Audit, spot: WireSpot, state: usize) -> Option<(f64, f64)> {
    let net = &audit.net;
    let state = audit.states.states.get(state)?;
    let steps = path(audit, spot)?;
    let ends = |(e, forward): (usize, bool)| {
        let edge = &net.edges[e];
        if forward { (edge.a, edge.b) } else { (edge.b, edge.a) }
    };
    let start = ends(*steps.first()?).0;
    let source = net.sources.iter().find(|s| s.plus == start || state.live.part[s.plus] == state.live.part[start])?;
    let end = ends(*steps.last()?).1;
    let back = net.consumers.iter().find(|c| c.plus == end).map_or(source.minus, |c| c.minus);
    let through = |case: Case, edge: usize, a: usize, b: usize| {
        let dc = DcNet::new(&audit.assumed, net, case, |e| state.closed(net, e));
        dc.fault_through(edge, (dc.at(a)?, dc.at(b)?)).ok().map(f64::abs).filter(|a| *a > 0.5 && a.is_finite())
    };
    let last = steps.iter().rev().find(|(e, _)| matches!(net.edges[*e].what, EdgeKind::Wire(_)))?;
    let first = steps.iter().find(|(e, _)| matches!(net.edges[*e].what, EdgeKind::Device { .. })).unwrap_or(last);
    let least = through(Case::Weak, last.0, end, back)?;
    let most = through(Case::Strong, first.0, ends(*first).1, source.minus)?;
    Some((least.min(most), most))
}

/// Draws the curves for the path through a conductor. Nothing where no device of known rating stands on it.
pub fn device_curves(audit: &Audit, spot: WireSpot, state: usize) -> Option<String> {
    let net = &audit.net;
    let mut devices: Vec<Drawn> = Vec::new();
    for (e, _) in path(audit, spot)? {
        if let EdgeKind::Device { component, way, rating_a } = &net.edges[e].what {
            let p = &audit.assumed.components[*component];
            if rating_a.is_finite() && *rating_a > 0.0 {
                let name = way.as_ref().map_or_else(|| p.id.clone(), |w| format!("{}.{w}", p.id));
                devices.push(Drawn { name, rating_a: *rating_a, band: band(p, *rating_a) });
            }
        }
    }
    let wire = net.wires.iter().find(|w| w.spot == spot)?;
    if devices.is_empty() || wire.laid.area_mm2 <= 0.0 {
        return None;
    }
    let faults = fault_currents(audit, spot, state);
    let smallest = devices.iter().map(|d| d.rating_a).fold(f64::INFINITY, f64::min);
    let largest = devices.iter().map(|d| d.rating_a).fold(0.0, f64::max);
    let high = faults.map_or(largest * 20.0, |f| f.1).max(largest * 12.0);
    let (x0, x1) = ((smallest * 0.8).log10().floor(), high.log10().ceil());
    let (width, height) = (760.0, 360.0);
    let (left, right, base, top) = (66.0, width - 18.0, height - 60.0, 34.0);
    let x_at = |amps: f64| left + (right - left) * (amps.max(1e-9).log10() - x0) / (x1 - x0);
    let (y0, y1) = (SOONEST_S.log10(), LATEST_S.log10());
    let y_at = |s: f64| base - (base - top) * (s.clamp(SOONEST_S, LATEST_S).log10() - y0) / (y1 - y0);
    let mut svg = Svg::new(width, height, "Device curves: opening times and what the conductor stands");
    svg.rect(0.0, 0.0, width, height, &format!("fill=\"{PAPER}\""));
    let small = format!("fill=\"{FAINT}\" font-size=\"12\"");
    let grid = "stroke=\"#ddd6c3\" stroke-width=\"0.8\"";
    for decade in -2..=4 {
        let s = 10f64.powi(decade);
        svg.line(left, y_at(s), right, y_at(s), grid);
        svg.text(left - 6.0, y_at(s) + 3.5, &format!("{} s", short(s)), &format!("{small} text-anchor=\"end\""));
    }
    for decade in x0 as i32..=x1 as i32 {
        let amps = 10f64.powi(decade);
        svg.line(x_at(amps), top, x_at(amps), base, grid);
        svg.text(
            x_at(amps),
            base + 14.0,
            &format!("{} A", short(amps)),
            &format!("{small} text-anchor=\"{}\"", if decade == x1 as i32 { "end" } else { "middle" }),
        );
    }
    for (n, d) in devices.iter().enumerate() {
        // Up along the soonest times, back along the latest.
        let gates = &d.band.gates;
        let mut early: Vec<(f64, f64)> = gates.iter().map(|g| (g.multiple, g.soonest_s)).collect();
        let mut late: Vec<(f64, f64)> = gates.iter().map(|g| (g.multiple, g.latest_s)).collect();
        if let (true, Some(last)) = (d.band.fuse, gates.last()) {
            // Beyond its last point a fuse takes a constant I² t, down to the shortest time of the scale.
            for (edge, s) in [(&mut early, last.soonest_s), (&mut late, last.latest_s)] {
                if s > SOONEST_S {
                    edge.push((last.multiple * (s / SOONEST_S).sqrt(), SOONEST_S));
                }
            }
        }
        let point = |(m, s): &(f64, f64)| format!("{:.1} {:.1}", x_at((m * d.rating_a).min(10f64.powf(x1))), y_at(*s));
        let ring: Vec<String> = early.iter().chain(late.iter().rev()).map(point).collect();
        svg.open(&format!("class=\"band\" data-component=\"{}\"", crate::svg::escape(&d.name)));
        svg.title(&format!("{} {} A: {}", d.name, short(d.rating_a), d.band.source));
        let dash = ["", "6 3", "2 3", "9 3 2 3"][n % 4];
        let style = format!(
            "fill=\"{INK}\" fill-opacity=\"0.07\" stroke=\"{INK}\" stroke-width=\"1.6\" stroke-dasharray=\"{dash}\""
        );
        svg.path(&format!("M{}Z", ring.join("L")), &style);
        svg.close();
        let words = format!("{} {} A", d.name, short(d.rating_a));
        let at = x_at(gates.first().map_or(1.0, |g| g.multiple) * d.rating_a);
        let bold = format!("fill=\"{INK}\" font-size=\"12\" font-weight=\"700\" text-anchor=\"middle\"");
        svg.text(at.clamp(left + 40.0, right - 60.0), top - 6.0 - 14.0 * (n % 2) as f64, &words, &bold);
    }
    // What the conductor stands without heat flowing off, valid from 0.1 s to 5 s.
    let stands = |s: f64| adiabatic_s(wire.laid.area_mm2, wire.laid.insulation_c, 1.0).sqrt() / s.sqrt();
    let (a, b) = (stands(5.0), stands(0.1));
    let signal = format!("fill=\"none\" stroke=\"{SIGNAL}\" stroke-width=\"2.4\"");
    svg.path(&format!("M{:.1} {:.1}L{:.1} {:.1}", x_at(a), y_at(5.0), x_at(b).min(right), y_at(0.1)), &signal);
    svg.text(
        x_at(a) - 6.0,
        y_at(5.0) - 3.0,
        &format!("{} stands it", wire.title),
        &format!("fill=\"{SIGNAL}\" font-size=\"12\" font-weight=\"700\" text-anchor=\"end\""),
    );
    let legend = match faults {
        Some((least, most)) => {
            for (amps, words, anchor) in [(least, "least", "end"), (most, "greatest", "start")] {
                let x = x_at(amps);
                svg.line(
                    x,
                    top,
                    x,
                    base,
                    &format!("stroke=\"{SIGNAL}\" stroke-width=\"1.4\" stroke-dasharray=\"2 3\""),
                );
                let dx = if anchor == "end" { -4.0 } else { 4.0 };
                let (anchor, dx) = if x > right - 90.0 { ("end", -4.0) } else { (anchor, dx) };
                let style = format!("fill=\"{SIGNAL}\" font-size=\"12\" text-anchor=\"{anchor}\"");
                svg.text(x + dx, top + 12.0, &format!("{words} fault {} A", short(amps)), &style);
            }
            "least fault: hot, weak battery, at the end; greatest: cold, strong battery, behind the first device"
        }
        None => "no battery drives a fault here that can be worked out",
    };
    let positive = net
        .edges
        .iter()
        .any(|e| matches!(e.what, EdgeKind::Wire(w) if net.wires[w].spot == spot) && net.nodes[e.a].duty == Role::Plus);
    svg.line(left, base, right, base, &format!("stroke=\"{INK}\" stroke-width=\"1.2\""));
    svg.text(
        left,
        height - 26.0,
        "bands: soonest to latest opening, by construction (recalled; makers' curves govern)",
        &small,
    );
    svg.text(
        left,
        height - 10.0,
        if positive { legend } else { "mains: the fault current depends on the supply" },
        &small,
    );
    Some(svg.finish())
}
