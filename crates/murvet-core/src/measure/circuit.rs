//! One stand of the controls as a linear network.

use super::{Function, HEATER_W, TestSetup, World};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{
    Case, Edge, EdgeKind, Factor, NodalError, RHO_20, Resistor, Union, WireSpot, battery_volts, charge_volts,
    full_volts, internal_ohm, nominal_system,
};
use crate::rig::{Component, Rig};
use crate::states::{State, settle_at};
use crate::units::Dimension;
use std::cell::RefCell;
use std::collections::HashMap;
use std::fmt::Write;
use std::rc::Rc;

/// A pole of a residual-current device, ohm: small, but enough to carry a current that can be told.
const POLE_OHM: f64 = 1e-3;
/// A neutral-earth link, ohm.
const LINK_OHM: f64 = 1e-2;
/// What a mains supply or inverter has inside, ohm (common practice, no source).
const SUPPLY_OHM: f64 = 0.3;
/// What a charger or alternator has inside while it holds its voltage, ohm (common practice, no source).
const CHARGER_OHM: f64 = 0.01;
/// Suppression capacitors of an AC source from line and from neutral to earth, as a resistance at mains frequency
/// (common practice, no source): they let a floating output stand at half its voltage against earth.
const SUPPRESSION_OHM: f64 = 5e5;
/// An input above it is over range for a low-ohm meter and an insulation tester, ohm.
const OVER_RANGE_OHM: f64 = 9.99e8;
/// Efficiencies of inverter and charger, and DC drawn by a running inverter without load, W (common practice, no source).
const INVERTER_EFFICIENCY: f64 = 0.88;
const CHARGER_SHARE: f64 = 0.85;
const DC_DC_SHARE: f64 = 0.9;
/// Load of a loop tester, ohm: about 10 A of mains.
const TESTER_OHM: f64 = 23.0;
/// Air about the rig, C, and what a watt in a lug adds to it, K (common practice, no source).
const AIR_C: f64 = 21.0;
const KELVIN_PER_WATT: f64 = 4.0;
/// How long a sound residual-current device takes at its rated current, ms (common practice, no source).
const TRIP_MS: f64 = 28.0;

/// A voltage behind a resistance.
#[derive(Debug, Clone, Copy)]
struct Emf {
    plus: usize,
    minus: usize,
    volts: f64,
    ohm: f64,
    /// Most it gives, A; it takes nothing back unless it is a battery.
    limit_a: f64,
    battery: bool,
}

/// What the DC side was solved with: sources that hold their voltage, and currents fed in at the first node of each
/// pair: sources at their limit, and what appliances take, as negative ones.
#[derive(Debug, Clone, Default)]
struct DcSide {
    emfs: Vec<Emf>,
    fed: Vec<(usize, usize, f64)>,
}

/// A factor with the part of every pad.
type Factored = Result<(Factor, Vec<u32>), NodalError>;

/// Voltages of one solve, and the parts in which they can be compared.
#[derive(Debug, Clone, Default)]
struct Volts {
    at: Vec<f64>,
    part: Vec<u32>,
}

/// What follows from where the controls stand, whatever is switched on.
#[derive(Debug)]
pub(super) struct Base {
    state: State,
    /// The pad of each node: what is metal to metal.
    pad: Vec<usize>,
    pads: usize,
    /// Conductors with the edge each stands for.
    branches: Vec<(usize, Resistor)>,
    /// Leaks by pads.
    leaks: Vec<Resistor>,
    /// Networks factored before, by the sources that hold their voltage in them.
    factored: RefCell<HashMap<Vec<u64>, Rc<Factored>>>,
}

/// A rig in one stand of its controls, with what is switched on.
#[derive(Debug)]
pub struct Circuit {
    base: Rc<Base>,
    setup: TestSetup,
    /// Solved when first asked for something live.
    live: RefCell<Option<Rc<Live>>>,
}

/// Voltages and currents of both sides.
#[derive(Debug, Default)]
struct Live {
    ac: Vec<(usize, Emf)>,
    ac_loads: Vec<Resistor>,
    dc_side: DcSide,
    dc: Volts,
    mains: Volts,
}

/// A bank that is neither full nor flat, so that every charger has something to do, V.
fn half_full_volts(p: &Component) -> f64 {
    0.5 * (full_volts(p) + battery_volts(p))
}

/// What a charging source holds: its stated voltage, or the usual one of its system where it states only that.
pub(crate) fn charging_volts(stated: f64) -> f64 {
    let system = nominal_system(stated);
    if stated > 1.08 * system { stated } else { 1.2 * system }
}

/// The same of a component: what it is set to, where that is known.
pub(crate) fn held_volts(p: &Component, stated: f64) -> f64 {
    charge_volts(p).unwrap_or_else(|| charging_volts(stated))
}

/// Rated residual current of a device, mA; the usual one of its kind where it is not stated.
/// Rated residual current of a device by its name, mA.
fn rated_ma(rig: &Rig, device: &str) -> f64 {
    let (id, way) = device.split_once('.').map_or((device, None), |(p, w)| (p, Some(w)));
    let Some(p) = rig.component(id) else { return 30.0 };
    let ways = p.ways.iter().filter(|w| way.is_none_or(|way| w.id == way));
    let ways = ways.filter_map(|w| w.rcd.as_ref()?.si(Dimension::Current));
    let own = p.si("rcd", Dimension::Current).into_iter().chain(ways).fold(f64::INFINITY, f64::min);
    let usual = if p.kind == Kind::GfciOutlet { 5.0 } else { 30.0 };
    if own.is_finite() { own * 1000.0 } else { usual }
}

/// A factor with the first node of every part held at zero.
fn factor(pads: usize, resistors: &[Resistor]) -> Factored {
    let mut parts = Union::new(pads);
    for r in resistors {
        parts.join(r.a, r.b);
    }
    let part = parts.into_labels();
    let mut seen = std::collections::HashSet::new();
    let fixed: Vec<(usize, f64)> = (0..pads).filter(|&n| seen.insert(part[n])).map(|n| (n, 0.0)).collect();
    Ok((Factor::new(pads, resistors, &fixed)?, part))
}

/// Whether an edge goes with what is taken off.
fn taken_off(world: &World, e: &Edge, off: &[String]) -> bool {
    let id = |p: usize| world.rig.components[p].id.as_str();
    let named = |name: &str| off.iter().any(|o| o == name);
    match &e.what {
        EdgeKind::Device { component, way, .. } => match way {
            Some(way) => named(&format!("{}.{way}", id(*component))),
            None => named(id(*component)),
        },
        EdgeKind::Wire(w) => match world.net.wires[*w].spot {
            WireSpot::Cable(c, _) => named(&world.rig.cables[c].id),
            WireSpot::Run(..) => false,
        },
        // A plug: what joins two components without a conductor.
        EdgeKind::Joint => {
            let ends = (world.net.nodes[e.a].component, world.net.nodes[e.b].component);
            matches!(ends, (Some(a), Some(b)) if a != b && (named(id(a)) || named(id(b))))
        }
        _ => false,
    }
}

impl Base {
    pub(super) fn new(world: &World, setup: &TestSetup) -> Option<Base> {
        let net = &world.net;
        let mut controls = setup.controls.clone();
        controls.resize(net.controls.len(), 0);
        let state = settle_at(net, &controls)?;
        let ohm_of = |w: usize| {
            let wire = &net.wires[w];
            let area = (wire.laid.area_mm2 * 1e-6).max(1e-9);
            wire.length_m.max(0.0) * RHO_20 / area + world.joints.get(&w).copied().unwrap_or(0.0)
        };
        let mut union = Union::new(net.nodes.len());
        let mut between: Vec<(usize, usize, usize, f64)> = Vec::new();
        for (i, e) in net.edges.iter().enumerate().filter(|(i, _)| state.closed(net, *i)) {
            if !setup.off.is_empty() && taken_off(world, e, &setup.off) {
                continue;
            }
            let ohm = match &e.what {
                EdgeKind::Wire(w) => ohm_of(*w),
                EdgeKind::Bond { .. } => LINK_OHM,
                EdgeKind::Strap { ohm, .. } => *ohm,
                _ if e.residual.is_some() => POLE_OHM,
                _ => 0.0,
            };
            if ohm > 0.0 {
                between.push((i, e.a, e.b, ohm));
            } else {
                union.join(e.a, e.b);
            }
        }
        let label = union.into_labels();
        let mut names: HashMap<u32, usize> = HashMap::new();
        let number = |l: &u32| {
            let next = names.len();
            *names.entry(*l).or_insert(next)
        };
        let pad: Vec<usize> = label.iter().map(number).collect();
        let pads = names.len();
        let resistor =
            |a: usize, b: usize, ohm: f64| (pad[a] != pad[b]).then_some(Resistor { a: pad[a], b: pad[b], ohm });
        let branches = between.into_iter().filter_map(|(i, a, b, ohm)| Some((i, resistor(a, b, ohm)?))).collect();
        let leaks = world.leaks.iter().filter_map(|(a, b, ohm)| resistor(*a, *b, *ohm)).collect();
        Some(Base { state, pad, pads, branches, leaks, factored: RefCell::default() })
    }

    /// The network with these resistors beside the conductors, factored once.
    fn factor(&self, beside: &[Resistor]) -> Rc<Factored> {
        let key: Vec<u64> = beside.iter().flat_map(|r| [r.a as u64, r.b as u64, r.ohm.to_bits()]).collect();
        if let Some(made) = self.factored.borrow().get(&key) {
            return Rc::clone(made);
        }
        let mut all: Vec<Resistor> = self.branches.iter().map(|(_, r)| *r).chain(self.leaks.iter().copied()).collect();
        all.extend_from_slice(beside);
        let made = Rc::new(factor(self.pads, &all));
        self.factored.borrow_mut().insert(key, Rc::clone(&made));
        made
    }

    /// Voltages with sources behind their resistance, loads, and constant currents from the second node to the first.
    fn behind(&self, emfs: &[Emf], loads: &[Resistor], fed: &[(usize, usize, f64)]) -> Volts {
        let mut beside = loads.to_vec();
        beside.extend(emfs.iter().map(|e| Resistor { a: e.plus, b: e.minus, ohm: e.ohm }));
        let made = self.factor(&beside);
        let nothing = || Volts { at: vec![0.0; self.pads], part: (0..self.pads as u32).collect() };
        let Ok((factor, part)) = made.as_ref() else { return nothing() };
        let norton = emfs.iter().map(|e| (e.plus, e.minus, e.volts / e.ohm));
        // A current between parts that nothing joins does not flow.
        let all = norton.chain(fed.iter().copied()).filter(|(a, b, _)| part[*a] == part[*b]);
        let draws: Vec<(usize, f64)> = all.flat_map(|(plus, minus, amps)| [(plus, -amps), (minus, amps)]).collect();
        match factor.solve(&draws) {
            Ok(s) => Volts { at: s.volts, part: part.clone() },
            Err(_) => nothing(),
        }
    }

    fn across(&self, volts: &Volts, a: usize, b: usize) -> f64 {
        let (a, b) = (self.pad[a], self.pad[b]);
        // A meter between parts that have nothing to do with each other shows nothing.
        let joined = volts.part.get(a).is_some_and(|p| Some(p) == volts.part.get(b));
        if joined { volts.at[a] - volts.at[b] } else { 0.0 }
    }
}

fn amps_of(e: &Emf, volts: &Volts) -> f64 {
    (e.volts - (volts.at[e.plus] - volts.at[e.minus])) / e.ohm
}

/// DC power that running inverters take, by component, W.
fn asked_by_inverters(world: &World, live: &Live) -> HashMap<usize, f64> {
    let mut list: HashMap<usize, f64> = HashMap::new();
    for (i, e) in &live.ac {
        let s = &world.net.sources[*i];
        if s.kind == SourceKind::Inverter {
            let out = (amps_of(e, &live.mains) * (live.mains.at[e.plus] - live.mains.at[e.minus])).max(0.0);
            let idle = world.rig.components[s.component].si("idle", Dimension::Power).unwrap_or(0.0);
            *list.entry(s.component).or_default() += out / INVERTER_EFFICIENCY + idle;
        }
    }
    list
}

impl Circuit {
    pub(super) fn new(base: Rc<Base>, setup: &TestSetup) -> Circuit {
        Circuit { base, setup: setup.clone(), live: RefCell::new(None) }
    }

    fn live(&self, world: &World) -> Rc<Live> {
        if let Some(live) = self.live.borrow().as_ref() {
            return Rc::clone(live);
        }
        let live = Rc::new(self.run(world));
        *self.live.borrow_mut() = Some(Rc::clone(&live));
        live
    }

    /// Solves both sides, each with what the other draws from it, until that no longer changes: three rounds at most, for
    /// a charger on an inverter on the charger's battery.
    fn run(&self, world: &World) -> Live {
        let (net, base) = (&world.net, &*self.base);
        let on = |component: usize| self.setup.on.contains(&world.rig.components[component].id);
        let active = |i: usize| base.state.live.active[i];
        let pads = |a: usize, b: usize| (base.pad[a] != base.pad[b]).then_some((base.pad[a], base.pad[b]));
        let mut suppressed: Vec<Resistor> = Vec::new();
        let mut live = Live::default();
        for (i, s) in net.sources.iter().enumerate().filter(|(i, s)| s.kind.is_ac() && active(*i)) {
            let earth = s.earth.unwrap_or(s.plus);
            let caps = [(s.plus, earth), (s.minus, earth)].into_iter().filter_map(|(a, b)| pads(a, b));
            suppressed.extend(caps.map(|(a, b)| Resistor { a, b, ohm: SUPPRESSION_OHM }));
            if let Some((plus, minus)) = pads(s.plus, s.minus) {
                let volts = if s.opposite { -s.volts } else { s.volts };
                live.ac.push((i, Emf { plus, minus, volts, ohm: SUPPLY_OHM, limit_a: f64::INFINITY, battery: false }));
            }
        }
        let emfs: Vec<Emf> = live.ac.iter().map(|(_, e)| *e).collect();
        let nominal = net.sources.iter().find(|s| s.kind.is_ac()).map_or(230.0, |s| s.volts);
        let mut given: HashMap<usize, f64> = HashMap::new();
        for round in 0..3 {
            live.ac_loads.clone_from(&suppressed);
            for c in net.consumers.iter().filter(|c| c.ac) {
                let charger = world.rig.components[c.component].kind == Kind::Charger;
                let Some((a, b)) = pads(c.plus, c.minus) else { continue };
                let volts = base.across(&live.mains, c.plus, c.minus).abs();
                // An appliance is its rated current; a charger asks for what it gives.
                let ohm = match (charger, c.current_a, given.get(&c.component)) {
                    (false, Some(amps), _) if on(c.component) && amps > 0.0 => nominal / amps,
                    (true, _, Some(watts)) if *watts > 1.0 && volts > 10.0 => volts * volts * CHARGER_SHARE / watts,
                    _ => continue,
                };
                live.ac_loads.push(Resistor { a, b, ohm });
            }
            live.ac_loads.extend(self.heater(world).and_then(|(l, n)| {
                let (a, b) = pads(l, n)?;
                Some(Resistor { a, b, ohm: nominal * nominal / HEATER_W })
            }));
            live.mains = base.behind(&emfs, &live.ac_loads, &[]);
            let asked = asked_by_inverters(world, &live);
            self.solve_dc(world, &on, (&asked, &given), &mut live);
            let before = std::mem::replace(&mut given, self.given_by_chargers(world, &live));
            if given.is_empty()
                || (round > 0 && given.iter().all(|(k, v)| (before.get(k).unwrap_or(&0.0) - v).abs() < 0.5))
            {
                break;
            }
        }
        live
    }

    /// The outlet with the test load, line and neutral.
    fn heater(&self, world: &World) -> Option<(usize, usize)> {
        let id = self.setup.heater.as_ref()?;
        let component = world.rig.components.iter().position(|p| p.id == *id)?;
        Some((world.net.plugged(component, "L")?, world.net.plugged(component, "N")?))
    }

    /// `asked` is the power that inverters take and `given` the power that chargers give, by component.
    fn solve_dc(
        &self,
        world: &World,
        on: &impl Fn(usize) -> bool,
        (asked, given): (&HashMap<usize, f64>, &HashMap<usize, f64>),
        live: &mut Live,
    ) {
        let (net, base) = (&world.net, &*self.base);
        let lit = |kind: SourceKind| !self.setup.dark || !matches!(kind, SourceKind::Array | SourceKind::Controller);
        let runs = |i: usize, kind: SourceKind| !kind.is_ac() && base.state.live.active[i] && lit(kind);
        let mut emfs: Vec<Emf> = Vec::new();
        for (_, s) in net.sources.iter().enumerate().filter(|(i, s)| runs(*i, s.kind)) {
            let (plus, minus) = (base.pad[s.plus], base.pad[s.minus]);
            if plus == minus {
                continue;
            }
            let (volts, ohm) = match s.kind {
                SourceKind::Battery => continue,
                SourceKind::Array => (s.volts, 0.15 * s.volts / s.limit_a.clamp(0.1, 1e4)),
                _ => (held_volts(&world.rig.components[s.component], s.volts), CHARGER_OHM),
            };
            emfs.push(Emf { plus, minus, volts, ohm, limit_a: s.set_a, battery: false });
        }
        // Each battery of a bank by itself, behind the links it hangs on.
        for s in &net.stores {
            let (plus, minus) = (base.pad[s.plus], base.pad[s.minus]);
            let p = &world.rig.components[s.component];
            let (share, factor) = world.weak.get(&s.component).copied().unwrap_or((1.0, 1.0));
            let (_, parallel) = p.series_and_parallel();
            let (volts, ohm) = (half_full_volts(p) * share, internal_ohm(p, Case::Typical).0 * parallel * factor);
            if plus != minus {
                emfs.push(Emf { plus, minus, volts, ohm, limit_a: f64::INFINITY, battery: true });
            }
        }
        // Appliances take their rated current, inverters the current of their power at the voltage they get.
        let mut draws: Vec<(usize, usize, f64, bool)> = Vec::new();
        for c in net.consumers.iter().filter(|c| !c.ac && base.pad[c.plus] != base.pad[c.minus]) {
            let (plus, minus) = (base.pad[c.plus], base.pad[c.minus]);
            match (world.rig.components[c.component].kind, c.current_a, asked.get(&c.component)) {
                (_, _, Some(watts)) if *watts > 0.0 => draws.push((plus, minus, *watts, true)),
                (Kind::DcLoad, Some(amps), _) if on(c.component) && amps > 0.0 => {
                    draws.push((plus, minus, amps, false))
                }
                _ => {}
            }
        }
        // What charges from direct current takes its power there; a solar controller takes nearly all an array has.
        for s in net.sources.iter().filter(|s| given.get(&s.component).is_some_and(|w| *w > 1.0)) {
            let Some((plus, minus)) = s.input.map(|(a, b)| (base.pad[a], base.pad[b])).filter(|(a, b)| a != b) else {
                continue;
            };
            match s.kind {
                SourceKind::DcDc => draws.push((plus, minus, given[&s.component] / DC_DC_SHARE, true)),
                SourceKind::Controller => {
                    let most = net
                        .sources
                        .iter()
                        .filter(|o| o.kind == SourceKind::Array)
                        .map(|o| o.limit_a)
                        .fold(0.0, f64::max);
                    draws.push((plus, minus, 0.9 * most.min(1e3), false));
                }
                _ => {}
            }
        }
        let powers = draws.iter().any(|d| d.3);
        let mut mode: Vec<Option<f64>> = vec![None; emfs.len()];
        // An appliance whose supply or return is open takes nothing, and pulls what is left of its leads together.
        let mut idle: Vec<Resistor> = Vec::new();
        let full = emfs.iter().map(|e| e.volts).fold(12.0, f64::max);
        live.dc = Volts { at: vec![12.0; base.pads], part: Vec::new() };
        for _ in 0..8 {
            // A charger at its limit is a current; one that would take current back is off.
            let holding: Vec<Emf> = emfs.iter().zip(&mode).filter(|(_, m)| m.is_none()).map(|(e, _)| *e).collect();
            let limited = emfs.iter().zip(&mode).filter_map(|(e, m)| m.map(|amps| (e.plus, e.minus, amps)));
            let amps = |(plus, minus, value, power): &(usize, usize, f64, bool)| {
                let volts = if live.dc.part.is_empty() { 12.0 } else { live.dc.at[*plus] - live.dc.at[*minus] };
                (*plus, *minus, if *power { -value / volts.abs().max(6.0) } else { -value })
            };
            let fed: Vec<(usize, usize, f64)> = limited.chain(draws.iter().map(amps)).collect();
            let now = base.behind(&holding, &idle, &fed);
            let cut = |d: &(usize, usize, f64, bool)| !d.3 && now.part[d.0] != now.part[d.1];
            if mode.iter().all(Option::is_none) && draws.iter().any(cut) {
                idle.extend(draws.iter().filter(|d| cut(d)).map(|d| Resistor { a: d.0, b: d.1, ohm: full / d.2 }));
                draws.retain(|d| !cut(d));
                continue;
            }
            let moved = now.at.iter().zip(&live.dc.at).any(|(a, b)| (a - b).abs() > 1e-6);
            live.dc = now;
            live.dc_side = DcSide { emfs: holding, fed };
            let mut changed = false;
            for (m, e) in mode.iter_mut().zip(&emfs).filter(|(m, e)| !e.battery && m.is_none()) {
                let amps = amps_of(e, &live.dc);
                if amps > e.limit_a * 1.001 || amps < -0.01 {
                    *m = Some(if amps > 0.0 { e.limit_a } else { 0.0 });
                    changed = true;
                }
            }
            if !(changed || powers && moved) {
                break;
            }
        }
    }

    /// Power that chargers give, by component, W.
    fn given_by_chargers(&self, world: &World, live: &Live) -> HashMap<usize, f64> {
        let mut list: HashMap<usize, f64> = HashMap::new();
        let base = &*self.base;
        let emfs = &live.dc_side.emfs;
        for (i, s) in world.net.sources.iter().enumerate() {
            let charges = matches!(s.kind, SourceKind::Charger | SourceKind::DcDc | SourceKind::Controller);
            if !charges || !base.state.live.active[i] || (self.setup.dark && s.kind == SourceKind::Controller) {
                continue;
            }
            let (plus, minus) = (base.pad[s.plus], base.pad[s.minus]);
            let held = emfs.iter().find(|e| {
                !e.battery
                    && e.plus == plus
                    && e.minus == minus
                    && e.volts == held_volts(&world.rig.components[s.component], s.volts)
            });
            let fed = live.dc_side.fed.iter().find(|(p, m, _)| *p == plus && *m == minus).map(|f| f.2);
            let amps = held.map(|e| amps_of(e, &live.dc)).or(fed).unwrap_or(0.0);
            *list.entry(s.component).or_default() += (amps * (live.dc.at[plus] - live.dc.at[minus])).max(0.0);
        }
        list
    }

    /// What a meter between two nodes shows; nothing for a clamp where no conductor joins them.
    pub fn read(&self, world: &World, function: Function, a: usize, b: usize) -> Option<f64> {
        match function {
            Function::DcVolts => Some(self.base.across(&self.live(world).dc, a, b)),
            Function::AcVolts => Some(self.base.across(&self.live(world).mains, a, b).abs()),
            Function::Ohms | Function::Insulation => Some(self.ohms(a, b)),
            Function::DcAmps => self.amps(world, &self.live(world).dc, a, b),
            Function::AcAmps => self.amps(world, &self.live(world).mains, a, b).map(f64::abs),
            Function::TripMs(ma) => Some(self.trip(world, a, b, ma)),
            Function::LoopOhm => Some(self.loop_ohm(world, a, b)),
            Function::Celsius => Some(self.celsius(world, a)),
        }
    }

    /// Current in one conductor, by the key of its wire; none where it is cut through, nothing for a wire that is not
    /// there.
    pub(super) fn clamp(&self, world: &World, function: Function, key: &str) -> Option<f64> {
        let wire = world.net.wires.iter().position(|w| w.key == key)?;
        let live = self.live(world);
        let volts = match function {
            Function::DcAmps => &live.dc,
            Function::AcAmps => &live.mains,
            _ => return None,
        };
        let own = |(e, _): &&(usize, Resistor)| world.net.edges[*e].what == EdgeKind::Wire(wire);
        let amps = self.base.branches.iter().find(own).map_or(0.0, |(_, r)| (volts.at[r.a] - volts.at[r.b]) / r.ohm);
        Some(if function == Function::AcAmps { amps.abs() } else { amps })
    }

    /// Resistance of one conductor by itself, an end of it lifted: what lies beside it does not hide that it is open. Over
    /// range where it is cut through or ends elsewhere than at the named terminal.
    pub(super) fn alone(&self, world: &World, key: &str, far: &str) -> f64 {
        let net = &world.net;
        let own = |(e, _): &&(usize, Resistor)| {
            let edge = &net.edges[*e];
            let ends = [edge.a, edge.b].iter().any(|n| net.nodes[*n].name == far);
            matches!(edge.what, EdgeKind::Wire(w) if net.wires[w].key == key) && ends
        };
        self.base.branches.iter().find(own).map_or(f64::INFINITY, |(_, r)| r.ohm)
    }

    /// Current in the conductors that join two nodes directly; none where they are cut through.
    fn amps(&self, world: &World, volts: &Volts, a: usize, b: usize) -> Option<f64> {
        let joins = |e: usize| {
            let edge = &world.net.edges[e];
            if (edge.a, edge.b) == (a, b) { Some(1.0) } else { ((edge.a, edge.b) == (b, a)).then_some(-1.0) }
        };
        let mut sum = None;
        for (e, r) in &self.base.branches {
            if let Some(sign) = joins(*e) {
                *sum.get_or_insert(0.0) += sign * (volts.at[r.a] - volts.at[r.b]) / r.ohm;
            }
        }
        sum.or(Some(0.0))
    }

    /// Resistance between two nodes with every source and appliance away.
    fn ohms(&self, a: usize, b: usize) -> f64 {
        let (a, b) = (self.base.pad[a], self.base.pad[b]);
        if a == b {
            return 0.0;
        }
        let made = self.base.factor(&[]);
        let Ok((factor, part)) = made.as_ref() else { return f64::INFINITY };
        if part[a] != part[b] {
            return f64::INFINITY;
        }
        let ohm = factor.solve(&[(a, -1.0), (b, 1.0)]).map_or(f64::INFINITY, |s| s.volts[a] - s.volts[b]);
        if ohm > OVER_RANGE_OHM { f64::INFINITY } else { ohm.max(0.0) }
    }

    /// Voltages of the mains with one more resistance, a tester's, between two nodes.
    fn loaded(&self, live: &Live, a: usize, b: usize, ohm: f64) -> Volts {
        let mut loads = live.ac_loads.clone();
        loads.push(Resistor { a: self.base.pad[a], b: self.base.pad[b], ohm });
        let emfs: Vec<Emf> = live.ac.iter().map(|(_, e)| *e).collect();
        self.base.behind(&emfs, &loads, &[])
    }

    /// Impedance of the loop through which the source drives a current from one node to another: what a tester's own load
    /// makes the voltage fall, over its current.
    fn loop_ohm(&self, world: &World, line: usize, earth: usize) -> f64 {
        let live = self.live(world);
        let before = self.base.across(&live.mains, line, earth).abs();
        if before < 10.0 {
            return f64::INFINITY;
        }
        let after = self.base.across(&self.loaded(&live, line, earth, TESTER_OHM), line, earth).abs();
        if after < 1.0 { f64::INFINITY } else { (before - after) / (after / TESTER_OHM) }
    }

    /// Temperature of the joint at a node: the air, and what the resistance of a bad joint there makes of its current.
    fn celsius(&self, world: &World, node: usize) -> f64 {
        let live = self.live(world);
        let heat = |(e, r): &(usize, Resistor)| {
            let EdgeKind::Wire(w) = world.net.edges[*e].what else { return 0.0 };
            let joint = world.joints.get(&w).copied().unwrap_or(0.0);
            let here = world.net.edges[*e].a == node || world.net.edges[*e].b == node;
            if !here || joint == 0.0 {
                return 0.0;
            }
            let volts = if Circuit::is_mains(world, node) { &live.mains } else { &live.dc };
            let amps = (volts.at[r.a] - volts.at[r.b]) / r.ohm;
            amps * amps * joint
        };
        AIR_C + KELVIN_PER_WATT * self.base.branches.iter().map(heat).sum::<f64>()
    }

    /// Time until a residual-current device opens with a leak put between two nodes.
    fn trip(&self, world: &World, line: usize, earth: usize, ma: f64) -> f64 {
        let live = self.live(world);
        let volts = self.base.across(&live.mains, line, earth).abs();
        if volts < 10.0 || ma <= 0.0 {
            return f64::INFINITY;
        }
        let then = self.loaded(&live, line, earth, volts / (ma / 1000.0));
        // What goes out through a device and does not come back through it.
        let mut sums: HashMap<String, f64> = HashMap::new();
        for (e, r) in &self.base.branches {
            if let Some(device) = world.net.residual_device(&world.rig, &world.net.edges[*e]) {
                *sums.entry(device).or_default() += (then.at[r.a] - then.at[r.b]) / r.ohm * 1000.0;
            }
        }
        let opens = |(device, sum): (&String, &f64)| {
            !world.stuck_rcd.contains(device) && sum.abs() >= 0.8 * rated_ma(&world.rig, device)
        };
        let opens = sums.iter().any(opens);
        if opens { TRIP_MS } else { f64::INFINITY }
    }

    /// The DC side as a SPICE netlist, for a check by an independent solver: node 0 is the first pad, pads are numbered
    /// from 1. Charging sources at their limit, appliances and inverters stand as currents.
    pub fn spice(&self, world: &World) -> String {
        let live = self.live(world);
        let base = &*self.base;
        let mut out = String::from("* one stand of a rig\n");
        let node = |n: usize| n + 1;
        let DcSide { emfs, fed } = &live.dc_side;
        for (k, r) in base.branches.iter().map(|(_, r)| r).chain(&base.leaks).enumerate() {
            let _ = writeln!(out, "R{k} {} {} {:e}", node(r.a), node(r.b), r.ohm);
        }
        for (k, e) in emfs.iter().enumerate() {
            let inner = base.pads + k + 2;
            let _ = writeln!(
                out,
                "VB{k} {inner} {} {:e}\nRB{k} {inner} {} {:e}",
                node(e.minus),
                e.volts,
                node(e.plus),
                e.ohm
            );
        }
        for (k, (plus, minus, amps)) in fed.iter().enumerate() {
            let _ = writeln!(out, "IF{k} {} {} {amps:e}", node(*minus), node(*plus));
        }
        for n in 0..base.pads {
            let _ = writeln!(out, "RG{n} {} 0 1e12", node(n));
        }
        out.push_str(".op\n.end\n");
        out
    }

    /// The SPICE node of a node of the network.
    pub fn spice_node(&self, node: usize) -> usize {
        self.base.pad[node] + 1
    }

    /// The state it is a network of.
    pub fn state(&self) -> &State {
        &self.base.state
    }

    /// Whether a node is of the AC side.
    pub fn is_mains(world: &World, node: usize) -> bool {
        matches!(world.net.nodes[node].duty, Role::Line | Role::Neutral)
    }
}
