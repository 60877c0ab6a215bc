//! The rig map: a cutaway of the vehicle's side with its places where they are, components in them as
//! schematic symbols, and what joins them.
//!
//! The layout is deterministic. Zones stand in rows (roof, living space, bays, under floor); each place
//! takes the cells its components need, and components keep the order of entry, so an edit moves little.

use crate::svg::{Svg, cut};
use crate::symbols::symbol;
use crate::vehicle::{nose, vehicle};
use crate::{FAINT, INK, PAPER, SIGNAL};
use murvet_core::audit::Audit;
use murvet_core::catalogue::{Kind, Role};
use murvet_core::network::EdgeKind;
use murvet_core::rig::Rig;
use murvet_core::rules::{Finding, Severity};
use murvet_core::states::State;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

/// Which conductors are shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Subsystem {
    /// Everything.
    #[default]
    All,
    /// Direct current only.
    Dc,
    /// Alternating current only.
    Ac,
}

impl Subsystem {
    /// By the word of an address, `dc` or `ac`; anything else is everything.
    pub fn asked(word: Option<&str>) -> Subsystem {
        match word {
            Some("dc") => Subsystem::Dc,
            Some("ac") => Subsystem::Ac,
            _ => Subsystem::All,
        }
    }

    /// Its word in an address.
    pub fn word(self) -> &'static str {
        match self {
            Subsystem::Dc => "dc",
            Subsystem::Ac => "ac",
            Subsystem::All => "all",
        }
    }
}

/// What to show on the map.
#[derive(Debug, Clone, Copy, Default)]
pub struct MapOptions<'a> {
    /// Which conductors.
    pub subsystem: Subsystem,
    /// The state whose live parts are drawn heavy.
    pub state: Option<&'a State>,
    /// Findings to flag, numbered in this order.
    pub findings: &'a [Finding],
    /// Where a component leads when it is followed: the identifier is put in place of `{}`.
    pub link: Option<&'a str>,
    /// Controls that are moved where they are drawn: identifier, where following it leads, and the position as it is.
    pub controls: &'a [(String, String, String)],
    /// Components to be framed heavily, by identifier.
    pub marked: &'a [String],
    /// Only what lies around the marked components, as large as a hand holds it.
    pub near: bool,
    /// Components with ends on which nothing was traced yet, by identifier, and how many.
    pub open: &'a [(String, usize)],
}

const CELL_W: f64 = 86.0;
const CELL_H: f64 = 84.0;
const HEAD: f64 = 22.0;
const GAP: f64 = 10.0;
pub(crate) const MARGIN: f64 = 26.0;

struct Box {
    label: String,
    zone: &'static str,
    components: Vec<usize>,
    x: f64,
    y: f64,
    w: f64,
    h: f64,
    cols: usize,
}

/// Rows of zones from the top.
const ROWS: [&[&str]; 4] = [&["roof"], &["engine", "cabin", "outside"], &["tow", "bay", "locker"], &["underfloor"]];

fn zone_of(name: Option<&str>) -> &'static str {
    ROWS.iter().flat_map(|r| r.iter()).copied().find(|z| Some(*z) == name).unwrap_or("cabin")
}

fn places(audit: &Audit) -> Vec<Box> {
    let rig = &audit.assumed;
    let mut boxes: Vec<Box> = rig
        .places
        .iter()
        .map(|p| Box {
            label: p.label.clone().unwrap_or_else(|| p.id.clone()),
            zone: zone_of(p.zone.as_deref()),
            components: Vec::new(),
            x: 0.0,
            y: 0.0,
            w: 0.0,
            h: 0.0,
            cols: 1,
        })
        .collect();
    let mut loose = Vec::new();
    for (i, component) in rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        match rig.places.iter().position(|p| Some(&p.id) == component.place.as_ref()) {
            Some(at) => boxes[at].components.push(i),
            None => loose.push(i),
        }
    }
    if !loose.is_empty() {
        let label = "place not stated".to_owned();
        boxes.push(Box { label, zone: "cabin", components: loose, x: 0.0, y: 0.0, w: 0.0, h: 0.0, cols: 1 });
    }
    boxes
}

/// Places every box behind the nose; gives the size of the drawing.
fn lay_out(boxes: &mut [Box], nose: f64) -> (f64, f64) {
    // Rows no wider than about eleven cells: a place with many components takes more lines of them.
    let mut widths: Vec<f64> = Vec::new();
    for row in ROWS {
        let total: usize = boxes.iter().filter(|b| row.contains(&b.zone)).map(|b| b.components.len().max(1)).sum();
        let lines = total.div_ceil(11).max(1);
        let mut width = 0.0;
        for b in boxes.iter_mut().filter(|b| row.contains(&b.zone)) {
            b.cols = b.components.len().max(1).div_ceil(lines);
            let name = b.label.chars().count() as f64 * 6.6 + 18.0;
            b.w = (b.cols as f64 * CELL_W + 12.0).max(name);
            b.h = HEAD + b.components.len().max(1).div_ceil(b.cols) as f64 * CELL_H + 4.0;
            width += b.w + GAP;
        }
        widths.push(width);
    }
    let width = widths.iter().copied().fold(620.0, f64::max);
    let mut y = MARGIN + 14.0;
    for (row, used) in ROWS.iter().zip(&widths) {
        let members: Vec<usize> =
            row.iter().flat_map(|z| (0..boxes.len()).filter(|&i| boxes[i].zone == *z).collect::<Vec<_>>()).collect();
        if members.is_empty() {
            continue;
        }
        let height = members.iter().map(|&i| boxes[i].h).fold(0.0, f64::max);
        let spare = (width - used) / members.len() as f64;
        let mut x = MARGIN + 20.0 + nose;
        for i in members {
            let b = &mut boxes[i];
            b.x = x;
            b.y = y;
            b.w += spare;
            b.h = height;
            x += b.w + GAP;
        }
        y += height + GAP;
    }
    (width + nose + 2.0 * MARGIN + 30.0, y.max(MARGIN + 130.0) + 62.0)
}

/// Draws the map.
pub fn rig_map(audit: &Audit, options: &MapOptions) -> String {
    let rig = &audit.assumed;
    let mut boxes = places(audit);
    let (width, height) = lay_out(&mut boxes, nose(rig.vehicle));
    let centre = centres(&boxes, rig.components.len());
    let part = if options.near { around(rig, options.marked, &centre) } else { None };
    let seen = part.unwrap_or((0.0, 0.0, width, height));
    let within = |(x, y): (f64, f64)| {
        let (left, top, w, h) = seen;
        (left - CELL_W..left + w + CELL_W).contains(&x) && (top - CELL_H..top + h + CELL_H).contains(&y)
    };
    let mut svg = Svg::part(seen, &format!("Rig map of {}", rig.name));
    if options.link.is_some() || !options.controls.is_empty() {
        svg.holds_links();
    }
    svg.rect(0.0, 0.0, width, height, &format!("fill=\"{PAPER}\""));
    // A rig with nothing in it yet is still a vehicle.
    let top = boxes.iter().map(|b| b.y).reduce(f64::min).unwrap_or(MARGIN + 14.0) - 14.0;
    let bottom = boxes.iter().map(|b| b.y + b.h).fold(MARGIN + 120.0, f64::max) + 8.0;
    vehicle(&mut svg, (top, bottom), (width, height), rig.vehicle);
    for b in &boxes {
        let outside = matches!(b.zone, "outside" | "tow");
        let dash = if outside { " stroke-dasharray=\"5 4\"" } else { "" };
        svg.rect(b.x, b.y, b.w, b.h, &format!("fill=\"{PAPER}\" stroke=\"{FAINT}\" stroke-width=\"1\"{dash}"));
        let most = ((b.w - 12.0) / 6.4) as usize;
        svg.text(
            b.x + 7.0,
            b.y + 15.0,
            &cut(&b.label, most),
            &format!("fill=\"{INK}\" font-size=\"12\" font-weight=\"700\""),
        );
    }
    conductors(&mut svg, audit, options, &centre, &within);
    let live = live_components(audit, options.state);
    let flags = flags(options.findings);
    for (i, component) in rig.components.iter().enumerate() {
        let Some((x, y)) = centre[i].filter(|at| within(*at)) else { continue };
        let source = live.get(&i);
        let control = options.controls.iter().find(|(id, ..)| *id == component.id);
        let link = control.map(|(_, to, _)| to.clone()).or(options.link.map(|l| l.replace("{}", &component.id)));
        svg.open_component(&component.id, link.as_deref(), control.is_some());
        svg.title(&format!("{} {}", component.kind.spec().title, component.title()));
        let (frame, weight) = match (options.state.is_some(), source.is_some()) {
            (true, true) => (SIGNAL, 2.6),
            (false, _) if options.marked.contains(&component.id) => (INK, 4.0),
            _ => ("#c9c3b1", 1.0),
        };
        let class = if options.marked.contains(&component.id) { " class=\"marked\"" } else { "" };
        svg.rect(
            x - 38.0,
            y - 24.0,
            76.0,
            62.0,
            &format!("fill=\"{PAPER}\" stroke=\"{frame}\" stroke-width=\"{weight}\" rx=\"2\"{class}"),
        );
        symbol(&mut svg, component.kind, x, y - 4.0, INK);
        svg.text(
            x,
            y + 22.0,
            &cut(&component.id, 11),
            &format!("fill=\"{INK}\" font-size=\"12\" text-anchor=\"middle\""),
        );
        let under = match (source, component.attrs.get("rating").or(component.attrs.get("power"))) {
            (Some(source), _) => format!("live: {}", cut(source.split('+').next().unwrap_or_default(), 8)),
            (None, Some(value)) => cut(&value.text, 12),
            _ => String::new(),
        };
        // A control says where it stands; whether it is live is told by its frame and its conductors.
        let under = control.map_or(under, |(.., at)| cut(at, 12));
        let tone = if source.is_some() { SIGNAL } else { FAINT };
        let weight = if control.is_some() { " font-weight=\"700\" text-decoration=\"underline\"" } else { "" };
        svg.text(x, y + 34.0, &under, &format!("fill=\"{tone}\" font-size=\"12\" text-anchor=\"middle\"{weight}"));
        if let Some((number, severity)) = flags.get(component.id.as_str()) {
            // Heavy frame and hatch edge for what blocks use; the number stands clear on paper.
            let weight = if *severity >= Severity::BeforeUse { 2.6 } else { 1.2 };
            let edge = if *severity == Severity::KeepOff { "url(#hatch)" } else { PAPER };
            svg.rect(
                x + 15.0,
                y - 36.0,
                28.0,
                22.0,
                &format!("fill=\"{edge}\" stroke=\"{SIGNAL}\" stroke-width=\"{weight}\""),
            );
            svg.rect(x + 20.0, y - 33.0, 18.0, 16.0, &format!("fill=\"{PAPER}\""));
            svg.text(
                x + 29.0,
                y - 20.0,
                &number.to_string(),
                &format!("fill=\"{SIGNAL}\" font-size=\"14\" font-weight=\"700\" text-anchor=\"middle\""),
            );
        }
        if let Some((_, count)) = options.open.iter().find(|(id, _)| *id == component.id) {
            open_ends(&mut svg, x - 29.0, y - 26.0, *count);
        }
        svg.close_component(link.is_some());
    }
    if part.is_none() {
        legend(&mut svg, width, height, options.state.is_some());
    }
    svg.finish()
}

/// A ring with the number of ends on which nothing was traced.
fn open_ends(svg: &mut Svg, x: f64, y: f64, count: usize) {
    svg.circle(x, y, 11.0, &format!("fill=\"{PAPER}\" stroke=\"{INK}\" stroke-width=\"2\" stroke-dasharray=\"4 2\""));
    let style = format!("fill=\"{INK}\" font-size=\"13\" font-weight=\"700\" text-anchor=\"middle\"");
    svg.text(x, y + 4.5, &count.to_string(), &style);
}

/// What is seen around some components: left, top, width and height. Never less than a few cells, so that a thing is seen
/// among its neighbours, and where the components lie far apart no more than so many: then around the first of them.
fn around(rig: &Rig, marked: &[String], centre: &[Option<(f64, f64)>]) -> Option<(f64, f64, f64, f64)> {
    const LEAST: (f64, f64) = (340.0, 190.0);
    const MOST: (f64, f64) = (680.0, 300.0);
    let places = marked.iter().filter_map(|id| rig.components.iter().position(|c| c.id == *id));
    let mut at = places.filter_map(|i| centre[i]);
    let (x, y) = at.next()?;
    let (mut left, mut right, mut top, mut bottom) = (x, x, y, y);
    for (x, y) in at {
        let wide = right.max(x) - left.min(x) + CELL_W <= MOST.0;
        if wide && bottom.max(y) - top.min(y) + CELL_H <= MOST.1 {
            (left, right, top, bottom) = (left.min(x), right.max(x), top.min(y), bottom.max(y));
        }
    }
    let (w, h) = ((right - left + 1.5 * CELL_W).max(LEAST.0), (bottom - top + 1.5 * CELL_H).max(LEAST.1));
    Some((f64::midpoint(left, right) - w / 2.0, f64::midpoint(top, bottom) - h / 2.0, w, h))
}

fn centres(boxes: &[Box], components: usize) -> Vec<Option<(f64, f64)>> {
    let mut centre = vec![None; components];
    for b in boxes {
        let pitch = (b.w - 8.0) / b.cols as f64;
        for (n, &component) in b.components.iter().enumerate() {
            let (col, row) = (n % b.cols, n / b.cols);
            let x = b.x + 4.0 + pitch * (col as f64 + 0.5);
            let y = b.y + HEAD + CELL_H * (row as f64 + 0.5) - 4.0;
            centre[component] = Some((x, y));
        }
    }
    centre
}

/// What joins two components, drawn once for each pair and duty.
fn conductors(
    svg: &mut Svg,
    audit: &Audit,
    options: &MapOptions,
    centre: &[Option<(f64, f64)>],
    within: &impl Fn((f64, f64)) -> bool,
) {
    let net = &audit.net;
    let mut pairs: BTreeMap<(usize, usize, u8), (bool, Vec<String>)> = BTreeMap::new();
    for (i, edge) in net.edges.iter().enumerate() {
        let EdgeKind::Wire(w) = edge.what else { continue };
        let (Some(a), Some(b)) = (net.nodes[edge.a].component, net.nodes[edge.b].component) else { continue };
        let duty = match net.nodes[edge.a].duty {
            Role::Plus => 0u8,
            Role::Minus => 1,
            Role::Earth if matches!(net.wires[w].spot, murvet_core::network::WireSpot::Run(..)) => 3,
            Role::Line => 2,
            _ => continue,
        };
        let shown = match options.subsystem {
            Subsystem::All => true,
            Subsystem::Dc => duty != 2,
            Subsystem::Ac => duty >= 2,
        };
        if !shown || a == b {
            continue;
        }
        let live = options.state.is_some_and(|s| {
            s.closed(net, i) && s.live.sources_at(net, edge.a).next().is_some() && matches!(duty, 0 | 2)
        });
        let entry = pairs.entry((a.min(b), a.max(b), duty)).or_default();
        entry.0 |= live;
        entry.1.push(net.wires[w].title.clone());
    }
    // What hangs on one component is drawn as one tree: its conductors leave it together and share a lane.
    let mut degree: BTreeMap<(usize, u8), usize> = BTreeMap::new();
    for (a, b, duty) in pairs.keys() {
        *degree.entry((*a, *duty)).or_default() += 1;
        *degree.entry((*b, *duty)).or_default() += 1;
    }
    let hub = |a: usize, b: usize, duty: u8| if degree[&(b, duty)] > degree[&(a, duty)] { b } else { a };
    let hubs: BTreeSet<(u8, usize)> = pairs.keys().map(|(a, b, duty)| (*duty, hub(*a, *b, *duty))).collect();
    for ((a, b, duty), (live, titles)) in &pairs {
        let (Some((ax, ay)), Some((bx, by))) = (centre[*a], centre[*b]) else { continue };
        if !within((ax, ay)) && !within((bx, by)) {
            continue;
        }
        // Each duty leaves its components at a side of its own, and neighbours use different lanes.
        let own = hubs.iter().position(|h| *h == (*duty, hub(*a, *b, *duty))).unwrap_or(0);
        let lane = f64::from((own % 9) as u32) * 2.0 - 8.0;
        let side = [-14.0, 14.0, 0.0, 26.0][usize::from(*duty)] + lane * 0.7;
        let (x1, x2) = (ax + side, bx + side);
        let mut d = String::new();
        if (ay - by).abs() < 1.0 {
            let y = ay + 38.0 + 9.0 + lane;
            let _ = write!(d, "M{x1:.1} {:.1}V{y:.1}H{x2:.1}V{:.1}", ay + 38.0, by + 38.0);
        } else {
            let (top, low, tx, lx) = if ay < by { (ay, by, x1, x2) } else { (by, ay, x2, x1) };
            let y = low - 24.0 - 10.0 + lane;
            let _ = write!(d, "M{tx:.1} {:.1}V{y:.1}H{lx:.1}V{:.1}", top + 38.0, low - 24.0);
        }
        let (mut stroke, mut weight, dash) = match duty {
            0 => (INK, 1.5, ""),
            1 => (INK, 1.2, " stroke-dasharray=\"5 3\""),
            2 => (INK, 2.4, ""),
            _ => (FAINT, 1.2, " stroke-dasharray=\"1.5 3\""),
        };
        if options.state.is_some() {
            stroke = if *live { SIGNAL } else { FAINT };
            weight = if *live { weight + 1.6 } else { 0.9 };
        }
        let layer = ["dc", "dc", "ac", "earth"][usize::from(*duty)];
        svg.open(&format!("class=\"conductor {layer}\""));
        svg.title(&titles.join("; "));
        svg.path(&d, &format!("fill=\"none\" stroke=\"{stroke}\" stroke-width=\"{weight}\"{dash}"));
        svg.close();
    }
}

/// Components with a live terminal and the name of what makes it live.
fn live_components(audit: &Audit, state: Option<&State>) -> BTreeMap<usize, String> {
    let mut live: BTreeMap<usize, BTreeSet<String>> = BTreeMap::new();
    let Some(state) = state else { return BTreeMap::new() };
    let net = &audit.net;
    for (n, node) in net.nodes.iter().enumerate() {
        let Some(component) = node.component else { continue };
        if !matches!(node.duty, Role::Plus | Role::Line) {
            continue;
        }
        for s in state.live.sources_at(net, n) {
            let source = &net.sources[s];
            let own = audit.assumed.components[source.component].id.clone();
            if !source.kind.converts()
                || source.kind.is_ac()
                || audit.assumed.components[source.component].kind == Kind::Controller
            {
                live.entry(component).or_default().insert(own);
            }
        }
    }
    live.into_iter().map(|(p, names)| (p, names.into_iter().collect::<Vec<_>>().join("+"))).collect()
}

fn flags(findings: &[Finding]) -> BTreeMap<&str, (usize, Severity)> {
    let mut flags = BTreeMap::new();
    for (n, f) in findings.iter().enumerate() {
        if let Some(component) = f.components.first() {
            flags.entry(component.as_str()).or_insert((n + 1, f.severity));
        }
    }
    flags
}

fn legend(svg: &mut Svg, width: f64, height: f64, state: bool) {
    let y = height - 9.0;
    let text = format!("fill=\"{FAINT}\" font-size=\"12\"");
    let mut x = 14.0;
    for (words, weight, dash) in
        [("DC positive", 1.5, ""), ("DC negative", 1.2, "5 3"), ("AC cable", 2.4, ""), ("earth", 1.2, "1.5 3")]
    {
        let dash = if dash.is_empty() { String::new() } else { format!(" stroke-dasharray=\"{dash}\"") };
        svg.line(x, y - 4.0, x + 26.0, y - 4.0, &format!("stroke=\"{INK}\" stroke-width=\"{weight}\"{dash}"));
        svg.text(x + 31.0, y, words, &text);
        x += 46.0 + words.len() as f64 * 6.3;
    }
    if state {
        svg.line(x, y - 4.0, x + 26.0, y - 4.0, &format!("stroke=\"{SIGNAL}\" stroke-width=\"4\""));
        svg.text(x + 31.0, y, "live in this state", &text);
    }
    // Beside what a state adds there is no room for it.
    if !state {
        svg.text(width - 14.0, y, "symbols after IEC 60617", &format!("{text} text-anchor=\"end\""));
    }
}
