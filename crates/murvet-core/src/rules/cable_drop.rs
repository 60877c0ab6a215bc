//! Too much voltage lost on the way to a load and back.

use super::ways::ways;
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, Target};
use crate::catalogue::Kind;
use crate::network::{Consumer, EdgeKind, Factor, Resistor, Union};
use crate::profiles::resistance_ohm_per_m;
use crate::states::State;
use crate::units::{apart, short};
use std::collections::{BTreeMap, HashMap};

pub(super) static RULE: Rule = Rule {
    slug: "cable-drop",
    hazard: Hazard::Cable,
    statement: "The voltage lost through supply and return stays within the profile's share.",
    why: "What is lost heats the cable; pumps stall, compressors fail to start, inverters cut out early and chargers never finish.",
    source: "ABYC E-11, 3 % and 10 % (recalled; used as a school); IEC 60364-5-52 annex G, 5 % (recalled)",
    find,
    is: &[],
    repairs: &[Repair::LessDrop],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Cable, "too much voltage lost through supply and return")],
    schools: &[],
    example: include_str!("examples/cable-drop.rig"),
};

/// A predicted drop.
#[derive(Debug, Clone)]
pub struct VoltageDrop {
    /// Index of the consumer.
    pub consumer: usize,
    /// Volts lost on the supply side and on the return side.
    pub lost_v: (f64, f64),
    /// Volts at the source.
    pub source_v: f64,
    /// Current used, A.
    pub amps: f64,
    /// Wires with the current through them, A, and their resistance, ohm.
    pub through: Vec<(usize, f64, f64)>,
    /// The state used.
    pub state: usize,
    /// The source's name.
    pub source: String,
}

impl VoltageDrop {
    /// What each conductor loses, to be followed by hand.
    pub(super) fn lines<'a>(&'a self, ctx: &'a Context) -> impl Iterator<Item = String> + 'a {
        self.through.iter().map(|&(w, amps, ohm)| {
            let wire = &ctx.net.wires[w];
            format!(
                "{}: {} m × {} mohm/m × {} A = {} V.",
                ctx.wire_words(w),
                short(wire.length_m),
                short(1000.0 * ohm / wire.length_m.max(1e-9)),
                short(amps),
                short(ohm * amps)
            )
        })
    }

    /// Lost volts, both ways.
    pub fn total_v(&self) -> f64 {
        self.lost_v.0 + self.lost_v.1
    }
}

fn find(ctx: &Context) -> Vec<Finding> {
    judged(ctx).iter().filter_map(|(d, others)| judge(ctx, d, others)).collect()
}

/// The drop by which each consumer is judged: alone where that fails, else with everything on, and what else is on then.
pub(crate) fn judged(ctx: &Context) -> Vec<(VoltageDrop, Vec<String>)> {
    let groups = fed(ctx);
    let alone = alone(ctx, &groups);
    let mut all = together(ctx, &groups, &alone);
    let fails = |d: &VoltageDrop| d.total_v() / d.source_v > limit_of(ctx, &ctx.net.consumers[d.consumer]).0 + 1e-9;
    let by = alone.into_iter().map(|d| {
        let with = all.iter().position(|(t, _)| t.consumer == d.consumer).filter(|_| !fails(&d));
        with.map_or((d, Vec::new()), |at| all.swap_remove(at))
    });
    by.collect()
}

/// The share that a consumer may lose, with its source.
pub(crate) fn limit_of<'a>(ctx: &'a Context, c: &Consumer) -> (f64, &'a str) {
    match (c.ac, c.vital) {
        (true, _) => (ctx.profile.drop_mains.value, "IEC 60364-5-52 annex G, 5 % (recalled)"),
        (false, true) => (ctx.profile.drop_vital.value, ctx.profile.drop_vital.source.as_str()),
        (false, false) => (ctx.profile.drop_other.value, ctx.profile.drop_other.source.as_str()),
    }
}

/// `others` are on at the same time, in words.
fn judge(ctx: &Context, d: &VoltageDrop, others: &[String]) -> Option<Finding> {
    let c = &ctx.net.consumers[d.consumer];
    let share = d.total_v() / d.source_v;
    let (limit, source) = limit_of(ctx, c);
    if share <= limit + 1e-9 {
        return None;
    }
    let name = ctx.component_words(c.component);
    // No conductor loses more than there is: then the current does not flow, and the resistance is told instead.
    let dead = share >= 1.0;
    let ohm = d.total_v() / d.amps;
    let statement = if dead {
        format!(
            "{name} cannot have {} A: its conductors have {} ohm, and {} V would drive {} A through them alone.",
            short(d.amps),
            short(ohm),
            short(d.source_v),
            short(d.source_v / ohm)
        )
    } else {
        let (lost, allowed) = apart(share * 100.0, limit * 100.0);
        let with = if others.is_empty() { "" } else { " with everything on" };
        format!(
            "{name} loses {} V of {} V ({lost} %) at {} A{with}; {allowed} % is allowed.",
            short(d.total_v()),
            short(d.source_v),
            short(d.amps),
        )
    };
    let mut f = ctx.finding(&RULE, Severity::Soon, ctx.id(c.component), statement);
    f.evidence.push(format!("Current: {}.", c.working));
    if !others.is_empty() {
        f.evidence.push(format!("On at the same time: {}.", others.join("; ")));
    }
    if dead {
        f.evidence.push(format!(
            "{} V / {} ohm = {} A; at most {} ohm is allowed: {} % of {} V / {} A.",
            short(d.source_v),
            short(ohm),
            short(d.source_v / ohm),
            short(limit * d.source_v / d.amps),
            short(limit * 100.0),
            short(d.source_v),
            short(d.amps)
        ));
    } else {
        f.evidence.extend(d.lines(ctx));
        f.evidence.push(format!(
            "Supply {} V + return {} V = {} V; {} V / {} V = {} % > {} %.",
            short(d.lost_v.0),
            short(d.lost_v.1),
            short(d.total_v()),
            short(d.total_v()),
            short(d.source_v),
            short(share * 100.0),
            short(limit * 100.0)
        ));
    }
    f.evidence.push("Resistance of the warm conductor: NFPA 70 chapter 9 table 8 at 75 C for gauges, IEC 60228 class 5 greatest value taken to 70 C for mm² (recalled); joints and devices not counted.".to_owned());
    f.source = source.to_owned();
    let state = &ctx.states.states[d.state];
    f.way = state.way.clone();
    f.components = vec![ctx.id(c.component).to_owned()];
    let wires: Vec<usize> = d.through.iter().map(|t| t.0).collect();
    f.wires = super::overcurrent_missing::spots(ctx, &wires);
    f.target = Target::Drop { load: ctx.id(c.component).to_owned(), wires: f.wires.clone() };
    Some(f)
}

/// The drop to one consumer at a current of one's own, in the first state that feeds it.
pub(super) fn drop_of(ctx: &Context, index: usize, amps: f64) -> Option<VoltageDrop> {
    let c = &ctx.net.consumers[index];
    let (state, source) = feeding(ctx, c)?;
    System::build(ctx, &ctx.states.states[state], source)?.drop(ctx, index, c, amps)
}

/// Consumers of known current that the same source feeds in the same state, with the network they share, factored once.
struct Fed {
    state: usize,
    source: usize,
    system: System,
    /// Index of each, and its current, A.
    list: Vec<(usize, f64)>,
}

/// Every consumer whose current is known, by the first state and source that feed it.
fn fed(ctx: &Context) -> Vec<Fed> {
    let mut groups: BTreeMap<(usize, usize), Vec<(usize, f64)>> = BTreeMap::new();
    for (index, c) in ctx.net.consumers.iter().enumerate() {
        let Some(amps) = c.current_a.filter(|a| *a > 0.0) else { continue };
        if let Some(by) = feeding(ctx, c) {
            groups.entry(by).or_default().push((index, amps));
        }
    }
    let made = groups.into_iter().filter_map(|((state, source), list)| {
        let system = System::build(ctx, &ctx.states.states[state], source)?;
        Some(Fed { state, source, system, list })
    });
    made.collect()
}

/// The drop to every consumer whose current is known, each alone on, in the first state that feeds it.
pub fn drops(ctx: &Context) -> Vec<VoltageDrop> {
    alone(ctx, &fed(ctx))
}

/// The drop to each of these consumers alone, in their order.
fn alone(ctx: &Context, groups: &[Fed]) -> Vec<VoltageDrop> {
    let mut out: Vec<VoltageDrop> = Vec::new();
    for group in groups {
        for &(index, amps) in &group.list {
            if let Some(drop) = group.system.drop(ctx, index, &ctx.net.consumers[index], amps) {
                out.push(VoltageDrop { state: group.state, ..drop });
            }
        }
    }
    out.sort_by_key(|d| d.consumer);
    out
}

/// Loads as far as the source and the devices on the way to each let them all be on: of what hangs behind a device each
/// takes its part of the rating. Along the shortest ways, for wiring is nearly a tree. O(E) and the length of the ways.
fn let_through(ctx: &Context, state: &State, source: usize, list: Vec<(usize, f64)>) -> Vec<(usize, f64)> {
    let net = ctx.net;
    let by = ways(net, net.sources[source].plus, |e| state.closed(net, e));
    // For each consumer the devices on its way; the source counts as one, by no edge.
    let devices = |index: usize| {
        let mut at = net.consumers[index].plus;
        let mut own: Vec<(Option<usize>, f64)> = vec![(None, net.sources[source].limit_a)];
        while let Some(&(before, edge)) = by.get(&at) {
            if let EdgeKind::Device { rating_a, .. } = net.edges[edge].what {
                own.push((Some(edge), rating_a));
            }
            at = before;
        }
        own
    };
    let mut sums: HashMap<Option<usize>, f64> = HashMap::new();
    for &(index, amps) in &list {
        for (device, _) in devices(index) {
            *sums.entry(device).or_default() += amps;
        }
    }
    let part = |index: usize| devices(index).into_iter().map(|(d, rating)| rating / sums[&d]).fold(1.0, f64::min);
    list.into_iter().map(|(index, amps)| (index, amps * part(index))).collect()
}

/// The drop to every consumer with all of the same source on at once, as far as the devices and the supply let them, and
/// what else is on.
fn together(ctx: &Context, groups: &[Fed], alone: &[VoltageDrop]) -> Vec<(VoltageDrop, Vec<String>)> {
    let net = ctx.net;
    let mut out = Vec::new();
    for Fed { state, source, system, list } in groups {
        // An inverter's full power is no steady load: it is judged by itself.
        let steady = |index: usize| {
            !matches!(ctx.rig.components[net.consumers[index].component].kind, Kind::Inverter | Kind::InverterCharger)
        };
        let list: Vec<(usize, f64)> = list.iter().copied().filter(|(index, _)| steady(*index)).collect();
        if list.len() < 2 {
            continue;
        }
        let list = let_through(ctx, &ctx.states.states[*state], *source, list);
        let loads: Vec<(usize, f64)> = list
            .iter()
            .filter_map(|&(index, amps)| {
                let c = &net.consumers[index];
                Some([(system.at(c.plus)?, amps), (system.at(c.minus)?, -amps)])
            })
            .flatten()
            .collect();
        let Ok(solved) = system.factor.solve(&loads) else { continue };
        for &(index, amps) in &list {
            let told = system.told(&solved.volts, index, &net.consumers[index], amps);
            let (Some(mut drop), Some(by_itself)) = (told, alone.iter().find(|d| d.consumer == index)) else {
                continue;
            };
            drop.state = *state;
            // Of all conductors that carry something those on its own way.
            let own = |w: usize| by_itself.through.iter().any(|t| t.0 == w && t.1 > by_itself.amps * 1e-3);
            drop.through.retain(|t| own(t.0));
            let others = list.iter().filter(|o| o.0 != index);
            let words = |&(o, amps): &(usize, f64)| {
                format!("{} {} A", ctx.component_words(net.consumers[o].component), short(amps))
            };
            out.push((drop, others.map(words).collect()));
        }
    }
    out
}

/// The first state in which a consumer is fed, and the source: for DC a store, else whatever feeds it.
fn feeding(ctx: &Context, c: &Consumer) -> Option<(usize, usize)> {
    let net = ctx.net;
    for stores_only in [true, false] {
        for (index, state) in ctx.states.states.iter().enumerate() {
            let fits = |s: &usize| {
                let source = &net.sources[*s];
                source.kind.is_ac() == c.ac
                    && (c.ac || !stores_only || !source.kind.converts())
                    && state.live.metal[source.minus] == state.live.metal[c.minus]
            };
            if let Some(source) = state.live.sources_at(net, c.plus).find(fits) {
                return Some((index, source));
            }
        }
    }
    None
}

struct System {
    pad: Vec<u32>,
    slot: HashMap<u32, usize>,
    factor: Factor,
    wires: Vec<(usize, usize, usize, f64)>,
    plus: usize,
    minus: usize,
    volts: f64,
    name: String,
}

impl System {
    fn build(ctx: &Context, state: &State, source: usize) -> Option<System> {
        let net = ctx.net;
        let s = &net.sources[source];
        let mut pads = Union::new(net.nodes.len());
        for (i, e) in net.edges.iter().enumerate() {
            let wire_of_length = matches!(e.what, EdgeKind::Wire(w) if net.wires[w].length_m > 0.0);
            if !wire_of_length && state.closed(net, i) {
                pads.join(e.a, e.b);
            }
        }
        let pad = pads.into_labels();
        let reach = |n: usize| {
            state.live.metal[n] == state.live.metal[s.plus] || state.live.metal[n] == state.live.metal[s.minus]
        };
        let mut slot: HashMap<u32, usize> = HashMap::new();
        let mut wires = Vec::new();
        for e in &net.edges {
            if let EdgeKind::Wire(w) = e.what
                && reach(e.a)
                && pad[e.a] != pad[e.b]
            {
                let wire = &net.wires[w];
                let ohm = wire.length_m * resistance_ohm_per_m(wire.laid.area_mm2, wire.gauge);
                let next = slot.len();
                let a = *slot.entry(pad[e.a]).or_insert(next);
                let next = slot.len();
                let b = *slot.entry(pad[e.b]).or_insert(next);
                wires.push((w, a, b, ohm));
            }
        }
        for node in [s.plus, s.minus] {
            let next = slot.len();
            slot.entry(pad[node]).or_insert(next);
        }
        let (plus, minus) = (slot[&pad[s.plus]], slot[&pad[s.minus]]);
        if plus == minus {
            return None;
        }
        let resistors: Vec<Resistor> = wires.iter().map(|&(_, a, b, ohm)| Resistor { a, b, ohm }).collect();
        let volts = if s.kind.is_ac() { s.volts } else { crate::network::nominal_system(s.volts) };
        // Other stores of the same part hold their own posts at the same voltage.
        let mut fixed = vec![(plus, volts), (minus, 0.0)];
        for other in net.sources.iter().filter(|o| !s.kind.is_ac() && o.kind == s.kind && o.plus != s.plus) {
            if let (Some(&p), Some(&m)) = (slot.get(&pad[other.plus]), slot.get(&pad[other.minus]))
                && state.live.part[other.plus] == state.live.part[s.plus]
                && ![plus, minus].contains(&p)
            {
                fixed.push((p, volts));
                if ![plus, minus].contains(&m) {
                    fixed.push((m, 0.0));
                }
            }
        }
        let factor = Factor::new(slot.len(), &resistors, &fixed).ok()?;
        let name = net.nodes[s.plus].name.clone();
        Some(System { pad, slot, factor, wires, plus, minus, volts, name })
    }

    fn drop(&self, _ctx: &Context, index: usize, c: &Consumer, amps: f64) -> Option<VoltageDrop> {
        let (plus, minus) = (self.at(c.plus)?, self.at(c.minus)?);
        let solved = self.factor.solve(&[(plus, amps), (minus, -amps)]).ok()?;
        self.told(&solved.volts, index, c, amps)
    }

    fn at(&self, node: usize) -> Option<usize> {
        self.slot.get(&self.pad[node]).copied()
    }

    /// What a consumer loses at these voltages.
    fn told(&self, v: &[f64], index: usize, c: &Consumer, amps: f64) -> Option<VoltageDrop> {
        let (plus, minus) = (self.at(c.plus)?, self.at(c.minus)?);
        let through = self
            .wires
            .iter()
            .map(|&(w, a, b, ohm)| (w, ((v[a] - v[b]) / ohm).abs(), ohm))
            .filter(|(_, i, _)| *i > amps * 1e-6)
            .collect();
        Some(VoltageDrop {
            consumer: index,
            lost_v: (v[self.plus] - v[plus], v[minus] - v[self.minus]),
            source_v: self.volts,
            amps,
            through,
            state: 0,
            source: self.name.clone(),
        })
    }
}
