//! The test plan of a rig: what to measure and to look at, in the order of work.

mod bank;
mod dead;
mod direct;
mod ends;
mod first;
mod heat;
mod looks;
mod loops;
mod mains;
mod power;
mod residual;
mod sources;
mod strays;

use super::{Band, Phase, Test, TestKind};
use crate::audit::Audit;
use crate::catalogue::Kind;
use crate::measure::{Function, Probe, TestSetup, World};
use crate::network::Network;
use crate::rules::Context;

/// Highest voltage that counts as dead, V (common practice, no source).
const DEAD_V: f64 = 5.0;
/// Below it neutral counts as joined to earth, ohm (common practice, no source).
const JOINED_OHM: f64 = 2.0;
/// Insulation wanted between neutral and earth, ohm: IEC 60364-6, 1 Mohm.
const APART_OHM: f64 = 1.0e6;

struct Planner<'a> {
    audit: &'a Audit,
    ctx: Context<'a>,
    /// The rig as traced, for predictions, with what was not seen at its worst.
    world: World,
    /// The same with what was not seen at its best, where anything was not.
    best: Option<World>,
    tests: Vec<Test>,
}

fn band(low: f64, high: f64, source: &str) -> Band {
    Band { low, high, source: source.to_owned() }
}

/// Derives the tests of a rig in the order of work.
pub fn plan(audit: &Audit) -> Vec<Test> {
    let mut p = Planner {
        audit,
        ctx: audit.context(),
        world: World::new(audit, &[]),
        best: World::at_best(audit),
        tests: Vec::new(),
    };
    p.supply();
    p.covered();
    p.looks();
    p.shorts();
    p.earth_continuity();
    p.bonding();
    p.neutral_earth_dead();
    p.landings();
    p.unknown_ends();
    p.direct_landings();
    p.direct_insulation();
    p.negatives();
    p.insulation();
    p.strings();
    p.precharge();
    p.batteries();
    p.inputs();
    p.dc_pins();
    p.loose_ends();
    p.settings();
    p.monitors();
    p.dc_drops();
    p.dc_live();
    p.at_rest();
    p.shares();
    p.charging();
    p.combiners();
    p.paths();
    p.frequencies();
    p.legs();
    p.outlets();
    p.loaded();
    p.appliances();
    p.carried_over();
    p.strays();
    p.earths_that_carry();
    p.exposed_pins();
    p.loops();
    p.heating_moves();
    p.changeovers();
    p.residual();
    p.fault_loops();
    p.balances();
    p.idle();
    p.carries();
    p.endurance();
    p.alone();
    p.closing();
    p.tests.sort_by_key(|t| t.phase);
    // Two conductors between the same terminals are looked at together.
    let mut seen = std::collections::HashSet::new();
    p.tests.retain(|t| seen.insert(t.id.clone()));
    p.tests
}

/// The tests that must have passed before this one: nothing is energised on trust.
///
/// Before the battery is closed nothing may be shorted behind it; before any mains source runs every dead test must have
/// passed, for earth that does not reach a case is found by no live test in time; before plugging in, the supply too.
pub fn guards<'a>(tests: &'a [Test], test: &Test) -> Vec<&'a Test> {
    // The skin is felt for before anything is plugged in anew; a rig that came unplugged has no such reading.
    let of = |phase: Phase| {
        let counts = |t: &&Test| !t.is_look() && !matches!(t.id.kind, TestKind::Skin | TestKind::Alone);
        tests.iter().filter(move |t| t.phase == phase && counts(t))
    };
    let shorts = || of(Phase::Dead).filter(|t| t.id.kind == TestKind::Short);
    match test.phase {
        Phase::Supply | Phase::Look | Phase::Dead | Phase::Close => Vec::new(),
        Phase::Dc => shorts().collect(),
        Phase::Charging => shorts().chain(of(Phase::Dc).filter(|t| t.id.kind == TestKind::Rest)).collect(),
        Phase::Inverter | Phase::Generator | Phase::Load => of(Phase::Dead).collect(),
        Phase::Shore => of(Phase::Supply).chain(of(Phase::Dead)).collect(),
    }
}

/// The operations that bring the controls from one stand to another, in words: what is switched back first, so that
/// nothing that excludes another stands against it on the way.
pub fn moves(net: &Network, from: &[u8], to: &[u8]) -> Vec<String> {
    let at = |list: &[u8], n: usize| list.get(n).copied().unwrap_or(0);
    let changed = |back: bool| {
        net.controls.iter().enumerate().filter_map(move |(n, c)| {
            let (a, b) = (at(from, n), at(to, n));
            (a != b && (b == 0) == back).then(|| c.operations.get(usize::from(b)).cloned()).flatten()
        })
    };
    changed(true).chain(changed(false)).collect()
}

impl Planner<'_> {
    fn components(&self, kind: Kind) -> Vec<usize> {
        let rig = &self.audit.assumed;
        (0..rig.components.len())
            .filter(|&i| rig.components[i].kind == kind && rig.components[i].status.present())
            .collect()
    }

    /// The bank that a DC conductor belongs to: the first whose positive is in the same part with everything parked.
    fn bank_of(&self, plus: usize) -> Option<&crate::network::Source> {
        let net = &self.audit.net;
        let parked = self.audit.states.states.first()?;
        let banks = || net.sources.iter().filter(|s| s.kind == crate::catalogue::SourceKind::Battery);
        banks().find(|s| parked.live.part[s.plus] == parked.live.part[plus]).or_else(|| banks().next())
    }

    /// The bank that a terminal charges: one that it is joined to, whatever is open; none where it feeds appliances alone.
    fn bank_joined(&self, plus: usize) -> Option<&crate::network::Source> {
        let whole = self.ctx.whole();
        let mut banks = self.audit.net.sources.iter().filter(|s| s.kind == crate::catalogue::SourceKind::Battery);
        banks.find(|s| whole[s.plus] == whole[plus])
    }

    fn name(&self, node: usize) -> String {
        self.audit.net.nodes[node].name.clone()
    }

    /// The controls so, nothing switched on.
    fn standing(controls: &[u8]) -> TestSetup {
        TestSetup { controls: controls.to_vec(), ..TestSetup::default() }
    }

    /// Everything parked, every isolator open, arrays covered.
    fn isolated(&self) -> TestSetup {
        let rig = &self.audit.assumed;
        let open = |c: &crate::network::Control| {
            u8::from(c.component.is_some_and(|p| rig.components[p].kind == Kind::Isolator))
        };
        TestSetup { controls: self.audit.net.controls.iter().map(open).collect(), dark: true, ..TestSetup::default() }
    }

    /// What the rig as traced would show, with the tolerance of the instrument and of what was traced, from the best to the worst
    /// of what was not seen.
    fn expect(&self, probe: &Probe) -> Option<Band> {
        let worst = Self::around(probe, self.world.read(probe)?)?;
        let best = self.best.as_ref().and_then(|w| Self::around(probe, w.read(probe)?));
        Some(match best {
            Some(best) => band(worst.low.min(best.low), worst.high.max(best.high), &worst.source),
            None => worst,
        })
    }

    /// What a meter may show of a value.
    fn around(probe: &Probe, v: f64) -> Option<Band> {
        let source = "the rig as traced";
        Some(match probe.function {
            Function::DcVolts if v >= 0.0 => band((0.985 * v - 0.06).max(0.0), 1.015 * v + 0.06, source),
            Function::DcVolts => band(1.015 * v - 0.06, 0.985 * v + 0.06, source),
            Function::AcVolts if v < DEAD_V => band(0.0, DEAD_V, source),
            Function::AcVolts => band(v * 0.9, v * 1.1, source),
            Function::Ohms if v.is_infinite() => band(1000.0, f64::INFINITY, source),
            Function::Ohms => band(v * 0.75, v * 1.25 + 0.1, source),
            Function::Insulation if v < JOINED_OHM => band(0.0, JOINED_OHM, source),
            Function::Insulation => band(v.min(APART_OHM), f64::INFINITY, source),
            Function::AcAmps => band((0.9 * v - 0.3).max(0.0), 1.1 * v + 0.3, source),
            Function::DcAmps => band(v - 0.1 * v.abs() - 0.3, v + 0.1 * v.abs() + 0.3, source),
            Function::LoopOhm if v.is_infinite() => band(1e4, f64::INFINITY, source),
            Function::LoopOhm => {
                band((0.7 * v - 0.3).max(0.0), 1.3 * v + 2.0, "the rig as traced behind a usual supply")
            }
            Function::Celsius => return None,
            Function::TripMs(_) if v.is_infinite() => band(1000.0, f64::INFINITY, source),
            // How soon within its limit is not predicted.
            Function::TripMs(_) => return None,
        })
    }

    /// Adds a test whose prediction comes from its probe.
    fn measured(&mut self, mut test: Test, probe: Probe) {
        test.predicted = self.expect(&probe);
        test.probe = Some(probe);
        self.tests.push(test);
    }

    /// Adds tests whose predictions come from their probes.
    fn measured_all(&mut self, list: Vec<(Test, Probe)>) {
        for (test, probe) in list {
            self.measured(test, probe);
        }
    }
}
