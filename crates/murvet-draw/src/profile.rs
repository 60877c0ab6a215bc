//! The run profile: one conductor path laid out to scale from source to end, like the height profile of
//! a route. Ampacity is one stepped line, what could flow the other; where the second is above the first
//! the ground is hatched, or dotted where a device follows within the distance that the profile allows.

use crate::svg::{Svg, cut};
use crate::{FAINT, INK, PAPER, SIGNAL};
use murvet_core::audit::Audit;
use murvet_core::catalogue::Role;
use murvet_core::network::{EdgeKind, INFINITE, WireSpot};
use murvet_core::rules::protection::flow_in;
use std::collections::{BTreeMap, BTreeSet, VecDeque};

/// Ground where more could flow than may, but a device follows within the allowed distance.
const NEAR: &str = "fill=\"none\" stroke=\"#b3261e\" stroke-width=\"1.2\" stroke-dasharray=\"1.5 3\"";

struct Leg {
    wire: usize,
    from: String,
    to: String,
    length_m: f64,
    iz_a: f64,
    flow_a: f64,
    held: String,
}

/// The edges from the nearest store or primary source to a conductor's far end and on to a consumer,
/// fewest conductors first.
pub(crate) fn path(audit: &Audit, spot: WireSpot) -> Option<Vec<(usize, bool)>> {
    let net = &audit.net;
    let target = net.edges.iter().position(|e| matches!(e.what, EdgeKind::Wire(w) if net.wires[w].spot == spot))?;
    let positive = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Line | Role::Any);
    let reach = |starts: Vec<usize>, without: Option<usize>| {
        let mut before: BTreeMap<usize, (usize, bool, usize)> = BTreeMap::new();
        let mut seen: Vec<bool> = vec![false; net.nodes.len()];
        let mut queue: VecDeque<usize> = VecDeque::new();
        for s in starts {
            seen[s] = true;
            queue.push_back(s);
        }
        while let Some(node) = queue.pop_front() {
            for (i, e) in net.edges.iter().enumerate() {
                if Some(i) == without || matches!(e.what, EdgeKind::Bond { .. }) {
                    continue;
                }
                for (a, b, forward) in [(e.a, e.b, true), (e.b, e.a, false)] {
                    if a == node && positive(b) && !seen[b] {
                        seen[b] = true;
                        before.insert(b, (i, forward, a));
                        queue.push_back(b);
                    }
                }
            }
        }
        (before, seen)
    };
    let sources: Vec<usize> = net.sources.iter().filter(|s| !s.kind.converts()).map(|s| s.plus).collect();
    let (before, seen) = reach(sources, Some(target));
    let edge = &net.edges[target];
    let (near, far, forward) = if seen[edge.a] { (edge.a, edge.b, true) } else { (edge.b, edge.a, false) };
    let mut steps = vec![(target, forward)];
    let mut at = near;
    while let Some(&(e, forward, from)) = before.get(&at) {
        steps.insert(0, (e, forward));
        at = from;
    }
    let (onward, reached) = reach(vec![far], Some(target));
    let steps_to = |n: &usize| {
        let mut count = 0;
        let mut at = *n;
        while let Some(&(_, _, from)) = onward.get(&at) {
            count += 1;
            at = from;
        }
        count
    };
    let consumers = net.consumers.iter().map(|c| c.plus).filter(|&n| reached[n]);
    // Leads of a charger end at the charger.
    let chargers = net.sources.iter().map(|s| s.plus).filter(|&n| reached[n] && n != near);
    let end = consumers.min_by_key(steps_to).or_else(|| chargers.min_by_key(steps_to));
    if let Some(end) = end {
        let mut tail = Vec::new();
        let mut at = end;
        while let Some(&(e, forward, from)) = onward.get(&at) {
            tail.insert(0, (e, forward));
            at = from;
        }
        steps.extend(tail);
    }
    Some(steps)
}

/// A reading to be placed on a profile.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlacedReading {
    /// The terminal it was taken at.
    pub terminal: String,
    /// Its value in words.
    pub words: String,
    /// Whether it failed.
    pub failed: bool,
}

/// Draws the profile of the path through a conductor in the state with this index, with readings at the terminals they
/// were taken at. Gives nothing for a conductor that is neither positive nor line.
pub fn run_profile(audit: &Audit, spot: WireSpot, state: usize, readings: &[PlacedReading]) -> Option<String> {
    let net = &audit.net;
    let ctx = audit.context();
    let state = audit.states.states.get(state)?;
    let mut legs: Vec<Leg> = Vec::new();
    let mut marks: Vec<(f64, String)> = Vec::new();
    let mut along = 0.0;
    let mut taken: Vec<(f64, &PlacedReading)> = Vec::new();
    let mut seen: BTreeSet<usize> = BTreeSet::new();
    for (e, forward) in path(audit, spot)? {
        let edge = &net.edges[e];
        let (a, b) = if forward { (edge.a, edge.b) } else { (edge.b, edge.a) };
        let length_m = if let EdgeKind::Wire(w) = edge.what { net.wires[w].length_m } else { 0.0 };
        for (node, at) in [(a, along), (b, along + length_m)] {
            if seen.insert(node) {
                taken.extend(readings.iter().filter(|r| r.terminal == net.nodes[node].name).map(|r| (at, r)));
            }
        }
        match &edge.what {
            EdgeKind::Wire(w) => {
                let (flow_a, held) = flow_in(&ctx, state, *w)?;
                legs.push(Leg {
                    wire: *w,
                    from: net.nodes[a].name.clone(),
                    to: net.nodes[b].name.clone(),
                    length_m,
                    iz_a: ctx.ampacity(*w).iz_a,
                    flow_a,
                    held: held.join(", "),
                });
                along += length_m;
            }
            EdgeKind::Device { component, way, rating_a } => {
                let id = &audit.assumed.components[*component].id;
                let name = way.as_ref().map_or_else(|| id.clone(), |w| format!("{id}.{w}"));
                marks.push((along, format!("{name} {rating_a:.0} A")));
            }
            EdgeKind::Contact(_) => {
                if let Some(p) = net.nodes[a].component {
                    marks.push((along, audit.assumed.components[p].id.clone()));
                }
            }
            _ => {}
        }
    }
    if legs.is_empty() {
        return None;
    }
    let total: f64 = legs.iter().map(|l| l.length_m).sum::<f64>().max(0.1);
    let finite = legs.iter().flat_map(|l| [l.iz_a, l.flow_a]).filter(|a| *a < INFINITE * 0.5);
    let top_a = finite.fold(10.0, f64::max) * 1.25;
    let (width, height) = (760.0, 290.0);
    let (left, right, base, ceiling) = (56.0, width - 16.0, height - 58.0, 46.0);
    let x_at = |m: f64| left + (right - left) * m / total;
    let y_at =
        |a: f64| if a >= INFINITE * 0.5 { ceiling - 16.0 } else { base - (base - ceiling) * (a / top_a).min(1.0) };
    let mut svg = Svg::new(width, height, "Run profile: ampacity and what could flow along the conductor");
    svg.rect(0.0, 0.0, width, height, &format!("fill=\"{PAPER}\""));
    let small = format!("fill=\"{FAINT}\" font-size=\"12\"");
    for n in 0..=4 {
        let a = top_a * f64::from(n) / 4.0;
        svg.line(left, y_at(a), right, y_at(a), "stroke=\"#ddd6c3\" stroke-width=\"0.8\"");
        svg.text(left - 6.0, y_at(a) + 3.5, &format!("{a:.0} A"), &format!("{small} text-anchor=\"end\""));
    }
    let (mut iz_line, mut flow_line) = (String::new(), String::new());
    let mut at = 0.0;
    let mut allowed_bare = false;
    for leg in &legs {
        let (x1, x2) = (x_at(at), x_at(at + leg.length_m));
        let (iz, flow) = (y_at(leg.iz_a), y_at(leg.flow_a));
        if leg.flow_a > leg.iz_a * 1.0001 {
            let fails = ctx.protection().iter().any(|g| g.wires.contains(&leg.wire));
            allowed_bare |= !fails;
            svg.open(if fails { "class=\"over\"" } else { "class=\"near\"" });
            svg.title(&format!("{}: {} to {}, held by {}", net.wires[leg.wire].title, leg.from, leg.to, leg.held));
            let ground = if fails { "fill=\"url(#hatch)\"" } else { NEAR };
            svg.rect(x1, flow, (x2 - x1).max(1.0), iz - flow, ground);
            svg.close();
        }
        let op = if iz_line.is_empty() { "M" } else { "L" };
        iz_line.push_str(&format!("{op}{x1:.1} {iz:.1}L{x2:.1} {iz:.1}"));
        flow_line.push_str(&format!("{op}{x1:.1} {flow:.1}L{x2:.1} {flow:.1}"));
        if x2 - x1 > 60.0 {
            let middle = (x1 + x2) / 2.0;
            svg.text(
                middle,
                base + 14.0,
                &cut(&net.wires[leg.wire].title, ((x2 - x1) / 6.8) as usize),
                &format!("{small} text-anchor=\"middle\""),
            );
        }
        at += leg.length_m;
    }
    svg.path(&iz_line, &format!("fill=\"none\" stroke=\"{INK}\" stroke-width=\"2.6\""));
    svg.path(&flow_line, &format!("fill=\"none\" stroke=\"{SIGNAL}\" stroke-width=\"2.2\" stroke-dasharray=\"7 3\""));
    svg.line(left, base, right, base, &format!("stroke=\"{INK}\" stroke-width=\"1.2\""));
    // Marks at nearly the same place share a line, so that their names stay legible.
    let mut placed: Vec<(f64, Vec<String>)> = Vec::new();
    for (m, words) in marks {
        match placed.last_mut() {
            Some((x, list)) if (x_at(m) - *x).abs() < 70.0 => list.push(words),
            _ => placed.push((x_at(m), vec![words])),
        }
    }
    for (x, list) in placed {
        svg.line(x, ceiling - 4.0, x, base, &format!("stroke=\"{INK}\" stroke-width=\"0.8\" stroke-dasharray=\"2 3\""));
        let anchor = if x > right - 120.0 { "end" } else { "start" };
        let dx = if anchor == "end" { -4.0 } else { 4.0 };
        for (n, words) in list.iter().enumerate() {
            svg.text(
                x + dx,
                base - 8.0 - 14.0 * n as f64,
                &cut(words, 26),
                &format!("fill=\"{INK}\" font-size=\"12\" text-anchor=\"{anchor}\""),
            );
        }
    }
    for (n, (m, r)) in taken.iter().enumerate() {
        let (x, y) = (x_at(*m), ceiling + 10.0 + 14.0 * (n % 5) as f64);
        let (anchor, dx) = if x > right - 120.0 { ("end", -9.0) } else { ("start", 9.0) };
        let tone = if r.failed { SIGNAL } else { INK };
        svg.open("class=\"reading\"");
        svg.path(&format!("M{:.1} {y:.1}l5 -5l5 5l-5 5z", x - 5.0), &format!("fill=\"{tone}\""));
        let words = format!("{}{}", cut(&r.words, 26), if r.failed { ", fails" } else { "" });
        svg.text(
            x + dx,
            y + 3.5,
            &words,
            &format!("fill=\"{tone}\" font-size=\"12\" font-weight=\"700\" text-anchor=\"{anchor}\""),
        );
        svg.close();
    }
    let first = legs.first().map_or("", |l| l.from.as_str());
    let last = legs.last().map_or("", |l| l.to.as_str());
    svg.text(left, base + 32.0, first, &format!("fill=\"{INK}\" font-size=\"12\" font-weight=\"700\""));
    svg.text(
        right,
        base + 32.0,
        last,
        &format!("fill=\"{INK}\" font-size=\"12\" font-weight=\"700\" text-anchor=\"end\""),
    );
    svg.text(
        (left + right) / 2.0,
        base + 32.0,
        &format!("{total:.1} m to scale"),
        &format!("{small} text-anchor=\"middle\""),
    );
    let y = height - 8.0;
    svg.line(left, y - 4.0, left + 24.0, y - 4.0, &format!("stroke=\"{INK}\" stroke-width=\"2.6\""));
    svg.text(left + 29.0, y, "ampacity", &small);
    svg.line(
        left + 100.0,
        y - 4.0,
        left + 124.0,
        y - 4.0,
        &format!("stroke=\"{SIGNAL}\" stroke-width=\"2.2\" stroke-dasharray=\"7 3\""),
    );
    svg.text(left + 129.0, y, "what could flow", &small);
    svg.rect(left + 230.0, y - 10.0, 24.0, 11.0, "fill=\"url(#hatch)\"");
    svg.text(left + 259.0, y, "more than it may carry", &small);
    if allowed_bare {
        svg.rect(left + 400.0, y - 10.0, 24.0, 11.0, NEAR);
        svg.text(left + 429.0, y, "the same, with a device near enough", &small);
    }
    if legs.iter().any(|l| l.flow_a >= INFINITE * 0.5) {
        svg.text(
            right,
            ceiling - 20.0,
            "without limit",
            &format!("fill=\"{SIGNAL}\" font-size=\"12\" font-weight=\"700\" text-anchor=\"end\""),
        );
    }
    Some(svg.finish())
}
