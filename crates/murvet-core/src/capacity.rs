//! What happens with these appliances on: which device opens first and when, what is left of each source, how long the
//! bank lasts and how long it takes to fill again.

mod course;

pub use course::{Course, HALF_HOUR, Moment, PROVES_NOT, Reached, course};

use crate::audit::Audit;
use crate::catalogue::{Kind, SourceKind};
use crate::devices::{Band, band};
use crate::network::{Case, Consumer, DcNet, EdgeKind, charge_volts, nominal_system};
use crate::rig::Component;
use crate::rules::protection::device_name;
use crate::rules::ways::{Ways, on_mains, ways};
use crate::states::State;
use crate::tables::table;
use crate::units::{Dimension, short};
use std::collections::{BTreeMap, HashMap};
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
    /// The battery, by its place in the rig's list of components.
    pub component: usize,
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

/// What these components, all on together, bring about in a state with the sun on the array. What charges in that state counts
/// by itself, named or not. Components of unknown current count as off. Where a conductor has more than one way the shortest
/// is taken: wiring is nearly a tree.
///
/// Complexity: one breadth-first search a source, then the length of the way for each component.
pub fn running(audit: &Audit, state: &State, on: &[&str]) -> Running {
    running_in(audit, state, on, true)
}

/// The same with sun or without.
pub fn running_in(audit: &Audit, state: &State, on: &[&str], sun: bool) -> Running {
    let mut tally = Tally::new(audit, state, sun);
    let mut dead = Vec::new();
    let net = &audit.net;
    let id = |p: usize| audit.assumed.components[p].id.as_str();
    for c in net.consumers.iter().filter(|c| c.ac && on.contains(&id(c.component))) {
        let Some(amps) = c.current_a.filter(|_| audit.assumed.components[c.component].kind != Kind::Charger) else {
            continue;
        };
        if !tally.controlled(c.component) || !tally.appliance(c, amps) {
            dead.push(id(c.component).to_owned());
        }
    }
    tally.chargers();
    // What an inverter gives it takes from its bank, and so does what charges one bank from another.
    tally.converters();
    for c in net.consumers.iter().filter(|c| !c.ac && on.contains(&id(c.component))) {
        let converts =
            matches!(audit.assumed.components[c.component].kind, Kind::Inverter | Kind::InverterCharger | Kind::DcDc);
        let Some(amps) =
            c.current_a.filter(|a| *a > 0.0 && !converts && !on_mains(&audit.assumed, net, state, c.component))
        else {
            continue;
        };
        if !tally.direct((c.plus, c.minus), amps) {
            dead.push(id(c.component).to_owned());
        }
    }
    dead.extend(tally.unfed_chargers(on));
    tally.told(dead)
}

/// What each source has given so far, and what has passed each edge.
struct Tally<'a> {
    audit: &'a Audit,
    state: &'a State,
    sun: bool,
    through: BTreeMap<usize, f64>,
    given: BTreeMap<usize, f64>,
    known: HashMap<usize, Ways>,
    /// What each charger on mains gives its bank, A, once that is known.
    charging: BTreeMap<usize, f64>,
}

impl<'a> Tally<'a> {
    fn new(audit: &'a Audit, state: &'a State, sun: bool) -> Tally<'a> {
        Tally {
            audit,
            state,
            sun,
            through: BTreeMap::new(),
            given: BTreeMap::new(),
            known: HashMap::new(),
            charging: BTreeMap::new(),
        }
    }

    fn component(&self, source: usize) -> &'a Component {
        &self.audit.assumed.components[self.audit.net.sources[source].component]
    }

    /// What a source can give, A: a controller no more than its array, and nothing without sun. On wind nobody counts.
    fn limit(&self, source: usize) -> f64 {
        let net = &self.audit.net;
        let s = &net.sources[source];
        if s.kind == SourceKind::Wind {
            return 0.0;
        }
        if !matches!(s.kind, SourceKind::Controller | SourceKind::Array) {
            return self.charging.get(&source).copied().unwrap_or(s.set_a);
        }
        if !self.sun {
            return 0.0;
        }
        let input = s.input.map(|i| i.0);
        let arrays = net
            .sources
            .iter()
            .enumerate()
            .filter(|(o, _)| input.is_some_and(|n| self.state.live.sources_at(net, n).any(|at| at == *o)));
        let watts: Vec<Option<f64>> = arrays.map(|(o, _)| self.component(o).si("power", Dimension::Power)).collect();
        let volts = self.bank_volts(s.plus);
        match watts.into_iter().sum::<Option<f64>>() {
            Some(watts) if watts > 0.0 => s.set_a.min(watts / volts),
            _ => s.set_a,
        }
    }

    /// Nominal voltage of the bank at a terminal, 12 V where none is there.
    fn bank_volts(&self, plus: usize) -> f64 {
        let net = &self.audit.net;
        let at = self.state.live.sources_at(net, plus).filter(|s| net.sources[*s].kind == SourceKind::Battery);
        at.map(|s| nominal_system(net.sources[s].volts)).max_by(f64::total_cmp).unwrap_or(12.0)
    }

    fn room(&self, source: usize) -> f64 {
        (self.limit(source) - self.given.get(&source).copied().unwrap_or(0.0)).max(0.0)
    }

    /// Books a current from one source along the shortest way to a terminal.
    fn book(&mut self, source: usize, plus: usize, amps: f64) {
        *self.given.entry(source).or_default() += amps;
        let mut at = plus;
        while let Some(&(before, edge)) = self.ways_from(source).get(&at) {
            *self.through.entry(edge).or_default() += amps;
            at = before;
        }
    }

    /// AC sources at a terminal, an inverter that assists what passes through it last.
    fn mains_at(&self, plus: usize) -> Vec<usize> {
        let net = &self.audit.net;
        let live = self.state.live.sources_at(net, plus).filter(|s| net.sources[*s].kind.is_ac());
        let mut list: Vec<usize> = live.collect();
        let part = &self.state.live.part;
        let helps = |s: usize| part[net.sources[s].plus] == part[plus] && net.sources[s].assists(&self.state.setting);
        let more: Vec<usize> = (0..net.sources.len()).filter(|&s| helps(s) && !list.contains(&s)).collect();
        list.extend(more);
        list
    }

    /// What passes the contacts of an inverter-charger at an input, A.
    fn passed(&self, component: usize, input: usize) -> f64 {
        let net = &self.audit.net;
        let own = |e: &usize| {
            let edge = &net.edges[*e];
            matches!(edge.what, EdgeKind::Contact(_))
                && (edge.a == input || edge.b == input)
                && [edge.a, edge.b].iter().all(|n| net.nodes[*n].component == Some(component))
        };
        self.through.iter().filter(|(e, _)| own(e)).map(|(_, amps)| amps).sum()
    }

    /// What a supply may still give towards a terminal behind a unit that adds its own power: no more than its input is
    /// set to.
    fn let_in(&mut self, supply: usize, inverter: usize, plus: usize) -> f64 {
        let net = &self.audit.net;
        let unit = net.sources[inverter].component;
        let limit = self.component(inverter).si("input-limit", Dimension::Current);
        let Some(limit) = limit.filter(|_| net.sources[inverter].assists(&self.state.setting)) else {
            return f64::INFINITY;
        };
        let mut at = plus;
        while let Some(&(before, edge)) = self.ways_from(supply).get(&at) {
            let own = [before, at].iter().all(|n| net.nodes[*n].component == Some(unit));
            if own && matches!(net.edges[edge].what, EdgeKind::Contact(_)) {
                return (limit - self.passed(unit, before)).max(0.0);
            }
            at = before;
        }
        f64::INFINITY
    }

    /// The shortest ways from a source.
    fn ways_from(&mut self, source: usize) -> &Ways {
        let (audit, state) = (self.audit, self.state);
        self.known
            .entry(source)
            .or_insert_with(|| ways(&audit.net, audit.net.sources[source].plus, |e| state.closed(&audit.net, e)))
    }

    /// A current drawn at one hot: each source in turn as far as it gives, the last whatever is left.
    fn mains(&mut self, plus: usize, amps: f64) -> bool {
        let sources = self.mains_at(plus);
        let Some(&last) = sources.last() else { return false };
        let mut left = amps;
        for s in sources {
            let part = if s == last { left } else { left.min(self.room(s)).min(self.let_in(s, last, plus)) };
            if part > 0.0 {
                left -= part;
                self.book(s, plus, part);
            }
        }
        true
    }

    /// Whether the electronics of an appliance are fed, where they hang on a terminal of their own.
    fn controlled(&self, component: usize) -> bool {
        let rig = &self.audit.assumed;
        let Some(at) = rig.components[component].word("control") else { return true };
        let Ok((host, terminal)) = crate::meaning::terminal_of(rig, &crate::rig::TermRef::from(at), true) else {
            return true;
        };
        let net = &self.audit.net;
        net.node(host, &terminal).is_none_or(|n| self.state.live.sources_at(net, n).next().is_some())
    }

    /// An appliance on mains: one between two hots loads both, and has nothing between hots in phase.
    fn appliance(&mut self, c: &Consumer, amps: f64) -> bool {
        let part = &self.state.live.part;
        if !c.two_hot {
            return self.mains(c.plus, amps);
        }
        let both = part[c.plus] != part[c.minus] && [c.plus, c.minus].iter().all(|n| !self.mains_at(*n).is_empty());
        both && [c.plus, c.minus].into_iter().all(|n| self.mains(n, amps))
    }

    /// A current drawn on DC: what charges gives as far as it goes, the batteries share the rest as their resistances and
    /// cables have it.
    fn direct(&mut self, (plus, minus): (usize, usize), amps: f64) -> bool {
        let net = &self.audit.net;
        let at: Vec<usize> = self.state.live.sources_at(net, plus).filter(|s| !net.sources[*s].kind.is_ac()).collect();
        let (stores, chargers): (Vec<usize>, Vec<usize>) =
            at.into_iter().partition(|s| net.sources[*s].kind == SourceKind::Battery);
        let mut left = amps;
        let last = if stores.is_empty() { chargers.last().copied() } else { None };
        for s in chargers.iter().copied() {
            let part = if Some(s) == last && self.limit(s) > 0.0 { left } else { left.min(self.room(s)) };
            if part > 0.0 {
                left -= part;
                self.book(s, plus, part);
            }
        }
        if left > 1e-9 {
            for (s, share) in self.shares(&stores, plus, minus) {
                self.book(s, plus, left * share);
            }
        }
        !stores.is_empty() || left <= 1e-9
    }

    /// The part of a load that each battery gives.
    fn shares(&self, stores: &[usize], plus: usize, minus: usize) -> Vec<(usize, f64)> {
        let net = &self.audit.net;
        if let [one] = stores {
            return vec![(*one, 1.0)];
        }
        let dc = DcNet::new(&self.audit.assumed, net, Case::Typical, |e| self.state.closed(net, e));
        let solved = || {
            let load = (dc.at(plus)?, dc.at(minus)?);
            let factored = dc.factored().ok()?;
            let (now, idle) = (factored.shares(&[(load.0, load.1, 1.0)]).ok()?, factored.shares(&[]).ok()?);
            let of = |s: usize| -> f64 {
                let own = dc.cells.iter().enumerate().filter(|(_, c)| c.component == net.sources[s].component);
                own.map(|(k, _)| now[k] - idle[k]).sum()
            };
            Some(stores.iter().map(|s| (*s, of(*s).max(0.0))).collect::<Vec<_>>())
        };
        let list = solved().unwrap_or_default();
        let sum: f64 = list.iter().map(|l| l.1).sum();
        if sum > 0.0 {
            list.into_iter().map(|(s, share)| (s, share / sum)).collect()
        } else {
            stores.iter().map(|s| (*s, 1.0 / stores.len() as f64)).collect()
        }
    }

    /// What charges from mains draws there. A unit that assists charges only with what the appliances leave it.
    fn chargers(&mut self) {
        let net = &self.audit.net;
        for (i, s) in net.sources.iter().enumerate() {
            let Some((line, _)) = s.input.filter(|_| s.kind == SourceKind::Charger && self.state.live.active[i]) else {
                continue;
            };
            let p = self.component(i);
            let volts = match p.kind {
                Kind::Charger => charge_volts(p).unwrap_or(13.6),
                _ => CHARGE * nominal_system(p.si("dc", Dimension::Voltage).unwrap_or_else(|| self.bank_volts(s.plus))),
            };
            let mains = self.mains_at(line);
            let Some(&first) = mains.first() else { continue };
            let ac = net.sources[first].volts;
            let wanted = s.set_a * volts / efficiency(self.audit, p) / ac;
            // Set to draw no more than so much from its supply, a unit that passes the supply through counts that in.
            let allowed = p.si("input-limit", Dimension::Current).map_or(f64::INFINITY, |limit| {
                let passes = p.kind == Kind::InverterCharger;
                (limit - if passes { self.passed(s.component, line) } else { 0.0 }).max(0.0)
            });
            let room = if p.flag("assist") { self.room(first) } else { f64::INFINITY };
            let amps = wanted.min(allowed).min(room);
            if amps > 0.0 && amps.is_finite() {
                self.mains(line, amps);
            }
            self.charging.insert(i, if wanted > 0.0 { s.set_a * amps / wanted } else { 0.0 });
        }
    }

    /// What inverters and DC-DC chargers take from their banks.
    fn converters(&mut self) {
        let net = &self.audit.net;
        for c in net.consumers.iter().filter(|c| !c.ac) {
            let p = &self.audit.assumed.components[c.component];
            let amps = match p.kind {
                Kind::Inverter | Kind::InverterCharger => {
                    let own = |s: usize| {
                        net.sources[s].component == c.component && net.sources[s].kind == SourceKind::Inverter
                    };
                    let given = self.given.iter().filter(|(s, _)| own(**s));
                    let watts: f64 = given.map(|(s, a)| a * net.sources[*s].volts).sum();
                    let volts = p.si("dc", Dimension::Voltage).map_or_else(|| self.bank_volts(c.plus), nominal_system);
                    watts / efficiency(self.audit, p) / volts
                }
                Kind::DcDc => {
                    let runs = |s: usize| net.sources[s].component == c.component && self.state.live.active[s];
                    let active = (0..net.sources.len()).any(runs);
                    c.current_a.filter(|_| active).unwrap_or(0.0)
                }
                _ => 0.0,
            };
            if amps > 0.0 {
                self.direct((c.plus, c.minus), amps);
            }
        }
    }

    /// Chargers that were named and have no supply.
    fn unfed_chargers(&self, on: &[&str]) -> Vec<String> {
        let net = &self.audit.net;
        let named = net.consumers.iter().filter(|c| c.ac).map(|c| (c, &self.audit.assumed.components[c.component]));
        let dead = named.filter(|(c, p)| {
            p.kind == Kind::Charger && on.contains(&p.id.as_str()) && self.mains_at(c.plus).is_empty()
        });
        dead.map(|(_, p)| p.id.clone()).collect()
    }

    fn told(self, dead: Vec<String>) -> Running {
        let mut out = Running { dead, devices: self.devices(), ..Running::default() };
        let latest = |d: &Loaded| d.opens_s.map_or(f64::INFINITY, |o| o.1);
        out.devices.sort_by(|a, b| {
            latest(a).total_cmp(&latest(b)).then((b.amps / b.rating_a).total_cmp(&(a.amps / a.rating_a)))
        });
        for &source in self.given.keys() {
            out.sources.push(Asked {
                name: self.source_name(source),
                amps: self.given[&source],
                limit_a: self.limit(source),
            });
        }
        let share = |a: &Asked| a.amps / a.limit_a;
        out.sources.sort_by(|a, b| share(b).total_cmp(&share(a)));
        out.banks = self.banks();
        out
    }

    fn source_name(&self, source: usize) -> String {
        let net = &self.audit.net;
        let name = self.audit.context().component_words(net.sources[source].component);
        let pair = net.opposite_hots().find(|(a, b)| *a == source || *b == source);
        match pair {
            Some((first, _)) => format!("{name}, hot {}", if first == source { 1 } else { 2 }),
            None => name,
        }
    }

    /// Devices, contacts of stated rating and the breaker of the supply, with what passes them.
    fn devices(&self) -> Vec<Loaded> {
        let net = &self.audit.net;
        let ctx = self.audit.context();
        let mut list: Vec<Loaded> = Vec::new();
        for (&edge, &amps) in &self.through {
            let e = &net.edges[edge];
            match &e.what {
                EdgeKind::Device { component, way, rating_a } => {
                    let opens_s = opens(&band(&self.audit.assumed.components[*component], *rating_a), amps / rating_a);
                    let name = device_name(&ctx, *component, way.as_deref(), *rating_a);
                    list.push(Loaded { name, amps, rating_a: *rating_a, opens_s });
                }
                EdgeKind::Joint | EdgeKind::Contact(_) => {
                    let Some(component) = net.nodes[e.a].component.filter(|p| net.nodes[e.b].component == Some(*p))
                    else {
                        continue;
                    };
                    let p = &self.audit.assumed.components[component];
                    let key = if p.kind == Kind::InverterCharger { "relay" } else { "rating" };
                    let passes = !matches!(p.kind, Kind::Inlet | Kind::Generator | Kind::Charger | Kind::FuseBlock);
                    let Some(rating_a) = p.si(key, Dimension::Current).filter(|a| passes && *a > 0.0) else { continue };
                    let name = format!("{} {} A", ctx.component_words(component), short(rating_a));
                    match list.iter_mut().find(|d| d.name == name) {
                        Some(old) => old.amps = old.amps.max(amps),
                        None => list.push(Loaded { name, amps, rating_a, opens_s: None }),
                    }
                }
                _ => {}
            }
        }
        for (&source, &amps) in self.given.iter().filter(|(s, _)| net.sources[**s].kind == SourceKind::Shore) {
            let rating_a = net.sources[source].limit_a;
            let class = self.audit.rules.supply_breaker.value.as_str();
            let breaker = Component::new("supply".to_owned(), Kind::Breaker).with("class", class);
            let name = format!(
                "{} breaker {} A at {}",
                self.audit.rules.words.supply,
                short(rating_a),
                self.source_name(source)
            );
            let opens_s = opens(&band(&breaker, rating_a), amps / rating_a);
            list.push(Loaded { name, amps, rating_a, opens_s });
        }
        list
    }

    fn banks(&self) -> Vec<Lasting> {
        let net = &self.audit.net;
        let ctx = self.audit.context();
        let mut list = Vec::new();
        for (s, source) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Battery) {
            let p = &self.audit.assumed.components[source.component];
            let (_, parallel) = p.series_and_parallel();
            let amps = self.given.get(&s).copied().unwrap_or(0.0);
            let Some(ah) = p.si("capacity", Dimension::Charge).map(|c| c * parallel) else { continue };
            let chemistry = p.word("chemistry").unwrap_or("lifepo4");
            let usable = table("chemistry").get(chemistry, 0).unwrap_or(0.5);
            let again = table("peukert").get(chemistry, 1).unwrap_or(1.05);
            let hours = lasts_h(p, amps);
            // What the chargers on it have left after the appliances; of several banks each takes by its capacity.
            let at: Vec<usize> = self.state.live.sources_at(net, source.plus).collect();
            let chargers = at.iter().copied().filter(|o| net.sources[*o].kind != SourceKind::Battery);
            let left: f64 = chargers.map(|o| self.room(o)).filter(|a| a.is_finite()).sum();
            let beside: f64 = at
                .iter()
                .filter(|o| net.sources[**o].kind == SourceKind::Battery)
                .map(|o| {
                    self.component(*o).si("capacity", Dimension::Charge).unwrap_or(0.0)
                        * self.component(*o).series_and_parallel().1
                })
                .sum();
            let left = if beside > 0.0 { left * ah / beside } else { left };
            let recharge_hours = (hours.is_none() && left > 0.0).then(|| ah * usable * again / left);
            if hours.is_some() || recharge_hours.is_some() {
                let name = format!("{} of {} V", ctx.component_words(source.component), short(source.volts));
                list.push(Lasting { component: source.component, name, amps, hours, recharge_hours });
            }
        }
        list
    }
}

/// How long a full bank gives a current until its usable part is gone, h: Peukert's law at twenty hours; nothing where its
/// capacity is unknown or nothing flows.
pub(crate) fn lasts_h(bank: &Component, amps: f64) -> Option<f64> {
    let (_, parallel) = bank.series_and_parallel();
    let ah = bank.si("capacity", Dimension::Charge)? * parallel;
    let chemistry = bank.word("chemistry").unwrap_or("lifepo4");
    let usable = table("chemistry").get(chemistry, 0).unwrap_or(0.5);
    let peukert = table("peukert").get(chemistry, 0).unwrap_or(1.05);
    // t = 20 h × (C / (20 h × I))^k for the whole, of which a part is used.
    (amps > 0.0).then(|| 20.0 * (ah / (20.0 * amps)).powf(peukert) * usable)
}

/// A charger in its bulk stage holds its bank at this multiple of the nominal voltage: 14.4 V on 12 V. Common practice, no
/// source.
const CHARGE: f64 = 1.2;

fn efficiency(audit: &Audit, p: &Component) -> f64 {
    p.si("efficiency", Dimension::Ratio).unwrap_or(audit.rules.efficiency.value).clamp(0.05, 1.0)
}

/// When a device opens at a multiple of its rating, s: soonest and latest; nothing where it holds.
fn opens(band: &Band, multiple: f64) -> Option<(f64, f64)> {
    band.latest_s(multiple).map(|latest| (band.soonest_s(multiple).unwrap_or(0.0), latest))
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
