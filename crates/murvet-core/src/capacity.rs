//! What happens with these appliances on: which device opens first and when, what is left of each source, how long the
//! bank lasts and how long it takes to fill again.

use crate::audit::Audit;
use crate::catalogue::{Kind, SourceKind};
use crate::network::{What, nominal_system, series_and_parallel};
use crate::profiles::band;
use crate::rules::protection::{device_name, is_live_side};
use crate::states::State;
use crate::tables::table;
use crate::units::{Dimension, short};
use std::collections::{BTreeMap, HashMap, VecDeque};
use std::fmt::Write;

/// A device with the current through it.
#[derive(Debug, Clone, PartialEq)]
pub struct Loaded {
    /// In words with its rating.
    pub name: String,
    /// Current, A.
    pub amps: f64,
    /// Rating, A.
    pub rating_a: f64,
    /// Soonest and latest time at which it opens, s; nothing where it holds.
    pub opens_s: Option<(f64, f64)>,
}

/// A source with what is asked of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Asked {
    /// In words.
    pub name: String,
    /// Current, A.
    pub amps: f64,
    /// What it gives, A; infinite for a battery.
    pub limit_a: f64,
}

/// How long a bank lasts.
#[derive(Debug, Clone, PartialEq)]
pub struct Lasting {
    /// In words.
    pub name: String,
    /// Current out of it, A.
    pub amps: f64,
    /// Hours until its usable part is gone, by Peukert's law at twenty hours; nothing while it gives nothing.
    pub hours: Option<f64>,
    /// Hours to fill its usable part with what its chargers have left; nothing while it gives current.
    pub recharge_hours: Option<f64>,
}

/// The answer.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Running {
    /// Devices by how soon they must have opened, those that hold after them by how near they are to their rating.
    pub devices: Vec<Loaded>,
    /// Sources, most burdened first.
    pub sources: Vec<Asked>,
    /// Banks that give current or take it.
    pub banks: Vec<Lasting>,
    /// Appliances that no source feeds in this state, by name.
    pub dead: Vec<String>,
}

/// The way from a source to every node it feeds: for each node the one before it and the edge between.
type Ways = HashMap<usize, (usize, usize)>;

fn ways(audit: &Audit, state: &State, source: usize) -> Ways {
    let net = &audit.net;
    let mut near: Vec<Vec<(usize, usize)>> = vec![Vec::new(); net.nodes.len()];
    for (i, e) in net.edges.iter().enumerate() {
        let live = is_live_side(net.nodes[e.a].duty) && is_live_side(net.nodes[e.b].duty);
        if live && state.closed(net, i) && !matches!(e.what, What::Bond { .. }) {
            near[e.a].push((e.b, i));
            near[e.b].push((e.a, i));
        }
    }
    let start = net.sources[source].plus;
    let mut ways = Ways::new();
    let mut queue = VecDeque::from([start]);
    while let Some(node) = queue.pop_front() {
        for &(next, edge) in &near[node] {
            if next != start && !ways.contains_key(&next) {
                ways.insert(next, (node, edge));
                queue.push_back(next);
            }
        }
    }
    ways
}

/// What these pieces, all on together, bring about in a state. Pieces of unknown current count as off. Where a conductor
/// has more than one way the shortest is taken: wiring is nearly a tree.
///
/// Complexity: one breadth-first search a source, then the length of the way for each piece.
pub fn running(audit: &Audit, state: &State, on: &[&str]) -> Running {
    let net = &audit.net;
    let ctx = audit.context();
    let thresholds = &audit.rules.thresholds;
    let mut out = Running::default();
    let mut through: BTreeMap<usize, f64> = BTreeMap::new();
    let mut given: BTreeMap<usize, f64> = BTreeMap::new();
    let mut known: HashMap<usize, Ways> = HashMap::new();
    let mut draw = |plus: usize, amps: f64, ac: bool, given: &mut BTreeMap<usize, f64>| -> bool {
        let feeding = |s: &usize| net.sources[*s].kind.is_ac() == ac;
        // A charger that runs takes the load off the battery as far as it gives; a store comes last.
        let mut sources: Vec<usize> = state.live.sources_at(net, plus).filter(feeding).collect();
        sources.sort_by_key(|s| net.sources[*s].kind == SourceKind::Battery);
        let mut left = amps;
        let Some(&last) = sources.last() else { return false };
        for &s in &sources {
            let room = (net.sources[s].limit_a - given.get(&s).copied().unwrap_or(0.0)).max(0.0);
            let part = if s == last { left } else { left.min(room) };
            if part <= 0.0 {
                continue;
            }
            left -= part;
            *given.entry(s).or_default() += part;
            let ways = known.entry(s).or_insert_with(|| ways(audit, state, s));
            let mut at = plus;
            while let Some(&(before, edge)) = ways.get(&at) {
                if matches!(net.edges[edge].what, What::Device { .. }) {
                    *through.entry(edge).or_default() += part;
                }
                at = before;
            }
        }
        true
    };
    // Mains first: what an inverter gives it takes from its bank.
    for ac in [true, false] {
        for c in net.consumers.iter().filter(|c| c.ac == ac) {
            let converter = matches!(ctx.rig.pieces[c.piece].kind, Kind::Inverter | Kind::InverterCharger);
            let amps = if converter {
                let out: f64 = given
                    .iter()
                    .filter(|(s, _)| net.sources[**s].piece == c.piece && net.sources[**s].kind == SourceKind::Inverter)
                    .map(|(s, a)| a * net.sources[*s].volts)
                    .sum();
                let p = &ctx.rig.pieces[c.piece];
                let efficiency = p.si("efficiency", Dimension::Ratio).unwrap_or(thresholds.efficiency).clamp(0.05, 1.0);
                let volts = p.si("dc", Dimension::Voltage).map_or(12.0, nominal_system);
                out / efficiency / volts
            } else if on.contains(&ctx.id(c.piece)) {
                c.current_a.unwrap_or(0.0)
            } else {
                0.0
            };
            if amps > 0.0 && !draw(c.plus, amps, ac, &mut given) && !converter {
                out.dead.push(ctx.id(c.piece).to_owned());
            }
        }
    }
    for (edge, amps) in through {
        let What::Device { piece, way, rating_a } = &net.edges[edge].what else { continue };
        let band = band(&ctx.rig.pieces[*piece], *rating_a);
        let multiple = amps / rating_a;
        let opens_s = band.latest_s(multiple).map(|latest| (band.soonest_s(multiple).unwrap_or(0.0), latest));
        let name = device_name(&ctx, *piece, way.as_deref(), *rating_a);
        out.devices.push(Loaded { name, amps, rating_a: *rating_a, opens_s });
    }
    let latest = |d: &Loaded| d.opens_s.map_or(f64::INFINITY, |o| o.1);
    out.devices
        .sort_by(|a, b| latest(a).total_cmp(&latest(b)).then((b.amps / b.rating_a).total_cmp(&(a.amps / a.rating_a))));
    for (&s, &amps) in &given {
        let source = &net.sources[s];
        out.sources.push(Asked { name: ctx.piece_words(source.piece), amps, limit_a: source.limit_a });
    }
    for (s, source) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Battery) {
        let p = &ctx.rig.pieces[source.piece];
        let (_, parallel) = series_and_parallel(p);
        let amps = given.get(&s).copied().unwrap_or(0.0);
        let Some(ah) = p.si("capacity", Dimension::Charge).map(|c| c * parallel) else { continue };
        let chemistry = p.word("chemistry").unwrap_or("lifepo4");
        let usable = table("chemistry").get(chemistry, 0).unwrap_or(0.5);
        let peukert = table("peukert").get(chemistry, 0).unwrap_or(1.05);
        let again = table("peukert").get(chemistry, 1).unwrap_or(1.05);
        // Peukert: t = 20 h × (C / (20 h × I))^k for the whole, of which a part is used.
        let hours = (amps > 0.0).then(|| 20.0 * (ah / (20.0 * amps)).powf(peukert) * usable);
        // What the chargers on it have left after the appliances.
        let chargers = state.live.sources_at(net, source.plus).filter(|o| net.sources[*o].kind != SourceKind::Battery);
        let left: f64 = chargers
            .map(|o| net.sources[o].limit_a - given.get(&o).copied().unwrap_or(0.0))
            .filter(|a| a.is_finite())
            .sum();
        let recharge_hours = (hours.is_none() && left > 0.0).then(|| ah * usable * again / left);
        if hours.is_some() || recharge_hours.is_some() {
            let name = format!("{} of {} V", ctx.piece_words(source.piece), short(source.volts));
            out.banks.push(Lasting { name, amps, hours, recharge_hours });
        }
    }
    let share = |a: &Asked| a.amps / a.limit_a;
    out.sources.sort_by(|a, b| share(b).total_cmp(&share(a)));
    out
}

/// A time in words.
fn time(seconds: f64) -> String {
    match seconds {
        s if s < 90.0 => format!("{} s", short(s)),
        s if s < 5400.0 => format!("{} min", short(s / 60.0)),
        s => format!("{} h", short(s / 3600.0)),
    }
}

impl Loaded {
    /// What it does, in words.
    pub fn verdict(&self) -> String {
        match self.opens_s {
            Some((soonest, latest)) => format!("opens after {} to {}", time(soonest), time(latest)),
            None if self.amps > self.rating_a => "is above its rating and may hold: long and hot".to_owned(),
            None => "holds".to_owned(),
        }
    }
}

impl Lasting {
    /// How long it lasts or takes to fill, in words.
    pub fn verdict(&self) -> String {
        match (self.hours, self.recharge_hours) {
            (Some(hours), _) => format!("lasts {} h", short(hours)),
            (None, Some(hours)) => format!("{} h to fill", short(hours)),
            (None, None) => "neither gives nor takes".to_owned(),
        }
    }
}

impl Running {
    /// In lines for a person.
    pub fn text(&self, state: &str) -> String {
        let mut out = format!("State: {state}.\n");
        for d in &self.devices {
            let _ = writeln!(out, "{}: {} A, {}.", d.name, short(d.amps), d.verdict());
        }
        for s in &self.sources {
            let of = if s.limit_a.is_finite() { format!(" of {} A", short(s.limit_a)) } else { String::new() };
            let _ = writeln!(out, "{}: {} A{of}.", s.name, short(s.amps));
        }
        for b in &self.banks {
            let _ = match (b.hours, b.recharge_hours) {
                (Some(hours), _) => writeln!(out, "{}: {} A, lasts {} h.", b.name, short(b.amps), short(hours)),
                (None, Some(hours)) => writeln!(out, "{}: {} h to fill.", b.name, short(hours)),
                (None, None) => Ok(()),
            };
        }
        if !self.dead.is_empty() {
            let _ = writeln!(out, "Not fed in this state: {}.", self.dead.join(", "));
        }
        out
    }
}
