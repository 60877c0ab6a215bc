//! The test plan of a rig.

use super::{Band, Phase, Test};
use crate::audit::Audit;
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{What, battery_volts, nominal_system};
use crate::profiles::{ProfileId, resistance_ohm_per_m};
use crate::rules::{Context, drops};
use crate::states::State;
use crate::tables::table;
use crate::units::Dimension;
use std::collections::{BTreeMap, BinaryHeap};

/// Highest voltage that counts as dead, V (common practice, no source).
const DEAD_V: f64 = 5.0;
/// Below it neutral counts as joined to earth, ohm (common practice, no source).
const JOINED_OHM: f64 = 2.0;
/// Insulation wanted between neutral and earth, ohm: IEC 60364-6, 1 Mohm.
const APART_OHM: f64 = 1.0e6;

struct Planner<'a> {
    audit: &'a Audit,
    ctx: Context<'a>,
    tests: Vec<Test>,
}

fn band(low: f64, high: f64, source: &str) -> Band {
    Band { low, high, source: source.to_owned() }
}

/// Derives the tests of a rig in the order of work.
pub fn plan(audit: &Audit) -> Vec<Test> {
    let mut p = Planner { audit, ctx: audit.context(), tests: Vec::new() };
    p.supply();
    p.earth_continuity();
    p.neutral_earth_dead();
    p.batteries();
    p.dc_drops();
    p.outlets();
    p.exposed_pins();
    p.loops();
    p.residual();
    p.tests.sort_by_key(|t| t.phase);
    p.tests
}

impl<'a> Planner<'a> {
    fn pieces(&self, kind: Kind) -> Vec<usize> {
        let rig = &self.audit.assumed;
        (0..rig.pieces.len()).filter(|&i| rig.pieces[i].kind == kind && rig.pieces[i].status.present()).collect()
    }

    fn supply(&mut self) {
        let profile = self.audit.rules;
        for i in self.pieces(Kind::Inlet) {
            let id = self.ctx.id(i).to_owned();
            let (low, high) = profile.supply_v;
            self.tests.push(Test {
                id: format!("supply-volts:{id}"),
                phase: Phase::Supply,
                title: format!("Voltage of the {}", profile.words.supply),
                terminals: format!("{} to neutral at the supply outlet", profile.words.line),
                state: "unplugged".to_owned(),
                instrument: "voltmeter",
                unit: "V",
                predicted: None,
                limit: band(low.value, high.value, low.source),
                meaning: "Wrong supply: do not plug in. A 30 A outlet that carries 240 V destroys everything."
                    .to_owned(),
                minutes: 2,
            });
            self.tests.push(Test {
                id: format!("supply-ne:{id}"),
                phase: Phase::Supply,
                title: format!("Neutral to {} of the {}", profile.words.earth, profile.words.supply),
                terminals: format!("neutral to {} at the supply outlet", profile.words.earth),
                state: "unplugged".to_owned(),
                instrument: "voltmeter",
                unit: "V",
                predicted: None,
                limit: band(0.0, 2.0, "common practice, no source"),
                meaning: "Reversed polarity, a lost neutral or no bond at the supply.".to_owned(),
                minutes: 1,
            });
        }
    }

    /// Resistance of the earth path from a node to the nearest of some nodes, nominal and greatest, ohm.
    /// Dijkstra over earth conductors, O(E log N).
    fn earth_path(&self, from: usize, to: &[usize]) -> Option<(f64, f64)> {
        let net = &self.audit.net;
        let mut best: BTreeMap<usize, f64> = BTreeMap::new();
        let mut heap = BinaryHeap::from([(std::cmp::Reverse(0u64), from)]);
        while let Some((std::cmp::Reverse(nano), node)) = heap.pop() {
            let ohm = nano as f64 * 1e-9;
            if best.contains_key(&node) {
                continue;
            }
            best.insert(node, ohm);
            if to.contains(&node) {
                // Cold copper of nominal area at the least, warm of greatest resistance at the most.
                return Some((ohm * 0.75, ohm * 1.05 + 0.1));
            }
            for e in &net.edges {
                let other = if e.a == node {
                    e.b
                } else if e.b == node {
                    e.a
                } else {
                    continue;
                };
                let step = match e.what {
                    What::Wire(w) => {
                        let wire = &net.wires[w];
                        wire.length_m * resistance_ohm_per_m(wire.laid.area_mm2, wire.gauge)
                    }
                    What::Joint => 0.0,
                    _ => continue,
                };
                if net.nodes[other].duty == Role::Earth && !best.contains_key(&other) {
                    heap.push((std::cmp::Reverse(((ohm + step) * 1e9) as u64), other));
                }
            }
        }
        None
    }

    fn earth_continuity(&mut self) {
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        let profile = self.audit.rules;
        // Against the first earth bar, else the inlet's earth.
        let bar = net.nodes.iter().position(|n| {
            n.piece.is_some_and(|p| rig.pieces[p].kind == Kind::Panel && rig.pieces[p].status.present())
                && n.terminal == "PE"
        });
        let bar = bar.or_else(|| net.sources.iter().find_map(|s| s.earth));
        let Some(bar) = bar else { return };
        for (n, node) in net.nodes.iter().enumerate() {
            let Some(p) = node.piece.filter(|p| rig.pieces[*p].status.present()) else { continue };
            let piece = &rig.pieces[p];
            let wanted = match piece.kind {
                Kind::Outlet | Kind::AcLoad | Kind::Charger => {
                    node.terminal == "ac.PE" && !piece.attrs.contains_key("on")
                }
                Kind::GfciOutlet => node.terminal == "load.PE",
                Kind::Chassis => true,
                Kind::Inverter | Kind::InverterCharger => node.terminal == "case",
                _ => false,
            };
            if !wanted {
                continue;
            }
            let path = self.earth_path(n, &[bar]);
            let predicted = match path {
                Some((low, high)) => band(low, high, "earth conductors as traced"),
                None => band(1000.0, f64::INFINITY, "no earth path was traced"),
            };
            self.tests.push(Test {
                id: format!("earth:{}", piece.id),
                phase: Phase::Dead,
                title: format!("Continuity of {} to {}", profile.words.earth, piece.title()),
                terminals: format!("{} to {}", node.name, net.nodes[bar].name),
                state: "everything off, unplugged".to_owned(),
                instrument: "low-ohm meter, 200 mA",
                unit: "ohm",
                predicted: Some(predicted),
                limit: band(0.0, profile.earth_ohm.value, profile.earth_ohm.source),
                meaning: format!("A fault to the case of {} would not open anything.", piece.title()),
                minutes: 3,
            });
        }
    }

    fn neutral_earth_dead(&mut self) {
        let parked = self.audit.states.states.first();
        let Some(parked) = parked else { return };
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        for i in self.pieces(Kind::Panel).into_iter().chain(self.pieces(Kind::Inlet)) {
            let (n, e) = if rig.pieces[i].kind == Kind::Panel { ("N", "PE") } else { ("out.N", "out.PE") };
            let (Some(n), Some(e)) = (net.node(i, n), net.node(i, e)) else { continue };
            let joined = parked.live.metal[n] == parked.live.metal[e];
            let predicted = if joined {
                band(0.0, JOINED_OHM, "a bond was traced")
            } else {
                band(APART_OHM, f64::INFINITY, "no bond was traced")
            };
            let id = &rig.pieces[i].id;
            // A rig without an inlet may have its only bond here.
            let needs_apart = !self.pieces(Kind::Inlet).is_empty();
            let limit = if needs_apart {
                band(APART_OHM, f64::INFINITY, "IEC 60364-6, 250 V test with electronics attached (recalled)")
            } else {
                band(0.0, f64::INFINITY, "recorded only: the rig has no shore inlet")
            };
            self.tests.push(Test {
                id: format!("n-e:{id}"),
                phase: Phase::Dead,
                title: format!("Neutral apart from earth at {id}"),
                terminals: format!("{} to {}", net.nodes[n].name, net.nodes[e].name),
                state: "everything off, unplugged, transfer at shore".to_owned(),
                instrument: "insulation tester, 250 V",
                unit: "ohm",
                predicted: Some(predicted),
                limit,
                meaning: "Neutral meets earth inside the rig: on shore that is a second bond.".to_owned(),
                minutes: 4,
            });
        }
    }

    fn batteries(&mut self) {
        for i in self.pieces(Kind::Battery) {
            let p = &self.audit.assumed.pieces[i];
            let chemistry = p.word("chemistry").unwrap_or("flooded");
            let volts = battery_volts(p);
            let lead = !matches!(chemistry, "lifepo4" | "nickel-lithium");
            let base = if lead { nominal_system(volts) } else { volts };
            let t = table("chemistry");
            let (low, high) = (t.get(chemistry, 1).unwrap_or(1.0), t.get(chemistry, 2).unwrap_or(1.15));
            self.tests.push(Test {
                id: format!("rest:{}", p.id),
                phase: Phase::Dc,
                title: format!("Resting voltage of {}", p.title()),
                terminals: format!("{}.+ to {}.-", p.id, p.id),
                state: "everything off for an hour, no charge".to_owned(),
                instrument: "voltmeter",
                unit: "V",
                predicted: None,
                limit: band(base * low, base * high, "common practice, no source"),
                meaning: "Discharged, a lost cell, or surface charge: measure again after hours.".to_owned(),
                minutes: 2,
            });
        }
    }

    fn dc_drops(&mut self) {
        for d in drops(&self.ctx) {
            let c = &self.audit.net.consumers[d.consumer];
            if c.ac {
                continue;
            }
            let profile = self.audit.rules;
            let limit = if c.vital { profile.drop_vital } else { profile.drop_other };
            let piece = &self.audit.assumed.pieces[c.piece];
            let v = d.total_v();
            self.tests.push(Test {
                id: format!("drop:{}", piece.id),
                phase: Phase::Dc,
                title: format!("Voltage lost to {} with {:.1} A flowing", piece.title(), d.amps),
                terminals: format!(
                    "{} to {} plus {} to its negative",
                    d.source, self.audit.net.nodes[c.plus].name, self.audit.net.nodes[c.minus].name
                ),
                state: format!("{} on alone", piece.title()),
                instrument: "voltmeter and clamp",
                unit: "V",
                // Cold copper of nominal area at the least; joints add a little at the most.
                predicted: Some(band(v * 0.7, v * 1.1 + 0.05, "conductors as traced")),
                limit: band(0.0, d.source_v * limit.value, limit.source),
                meaning: "A loose joint, a thinner conductor than marked, or too long a run.".to_owned(),
                minutes: 5,
            });
        }
    }

    /// Volts expected between line and neutral of a node pair in a state.
    fn volts(&self, state: &State, line: usize, neutral: usize) -> f64 {
        let net = &self.audit.net;
        let fed = |s: &usize| {
            let s = &net.sources[*s];
            s.kind.is_ac() && state.live.metal[s.minus] == state.live.metal[neutral]
        };
        state.live.sources_at(net, line).find(fed).map_or(0.0, |s| net.sources[s].volts)
    }

    fn volt_band(&self, volts: f64) -> Band {
        if volts == 0.0 {
            band(0.0, DEAD_V, "dead in the traced rig")
        } else {
            band(volts * 0.9, volts * 1.1, "live in the traced rig")
        }
    }

    fn outlets(&mut self) {
        let net = &self.audit.net;
        let profile = self.audit.rules;
        for (source, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind.is_ac()) {
            let phase = if s.kind == SourceKind::Inverter { Phase::Inverter } else { Phase::Shore };
            let from = self.ctx.id(s.piece).to_owned();
            for i in self.pieces(Kind::Outlet).into_iter().chain(self.pieces(Kind::GfciOutlet)) {
                let port = if self.audit.assumed.pieces[i].kind == Kind::Outlet { "ac" } else { "load" };
                let node = |core: &str| net.node(i, &format!("{port}.{core}"));
                let (Some(l), Some(n)) = (node("L"), node("N")) else { continue };
                let Some(state) = self.worst_state(source, l, n) else { continue };
                let volts = self.volts(state, l, n);
                if volts == 0.0 {
                    continue;
                }
                let title = self.audit.assumed.pieces[i].title().to_owned();
                let id = self.ctx.id(i).to_owned();
                let describe = state.describe(net);
                self.tests.push(Test {
                    id: format!("outlet:{from}:{id}"),
                    phase,
                    title: format!("{title} on {from}: volts"),
                    terminals: format!("{} to neutral of {id}", profile.words.line),
                    state: describe.clone(),
                    instrument: "true-RMS voltmeter",
                    unit: "V",
                    predicted: Some(self.volt_band(volts)),
                    limit: band(profile.supply_v.0.value, profile.supply_v.1.value, profile.supply_v.0.source),
                    meaning: "Dead: buttons, then the last live and first dead outlet of the chain. Low: a joint."
                        .to_owned(),
                    minutes: 2,
                });
                let at = self.audit.states.states.iter().position(|s| s.setting == state.setting).unwrap_or(0);
                let here = crate::rules::islands_at(&self.ctx, at);
                let bonded = here.iter().any(|i| i.source == source && !i.meetings.is_empty());
                self.tests.push(Test {
                    id: format!("outlet-ne:{from}:{id}"),
                    phase,
                    title: format!("{title} on {from}: neutral to {}", profile.words.earth),
                    terminals: format!("neutral to {} of {id}", profile.words.earth),
                    state: describe,
                    instrument: "low-impedance voltmeter",
                    unit: "V",
                    predicted: Some(if bonded {
                        band(0.0, 2.0, "a bond was traced")
                    } else {
                        band(2.0, volts, "no bond was traced: the neutral floats")
                    }),
                    limit: band(0.0, 2.0, "common practice, no source"),
                    meaning: "Near half the voltage: no bond. Full voltage: line and neutral reversed.".to_owned(),
                    minutes: 1,
                });
            }
        }
    }

    fn exposed_pins(&mut self) {
        let net = &self.audit.net;
        for i in self.pieces(Kind::Inlet) {
            let (Some(l), Some(n)) = (net.node(i, "out.L"), net.node(i, "out.N")) else { continue };
            for (source, s) in net.sources.iter().enumerate() {
                if !s.kind.is_ac() || s.kind == SourceKind::Shore {
                    continue;
                }
                let Some(state) = self.worst_state(source, l, n) else { continue };
                let volts = self.volts(state, l, n);
                let (id, from) = (self.ctx.id(i).to_owned(), self.ctx.id(s.piece).to_owned());
                self.tests.push(Test {
                    id: format!("pins:{from}:{id}"),
                    phase: Phase::Inverter,
                    title: format!("No voltage on the pins of {id} while {from} runs"),
                    terminals: format!("line to neutral and line to earth at the pins of {id}"),
                    state: format!("{}, {id} unplugged", state.describe(net)),
                    instrument: "low-impedance voltmeter",
                    unit: "V",
                    predicted: Some(self.volt_band(volts)),
                    limit: band(0.0, DEAD_V, "common practice, no source"),
                    meaning: "Backfeed: the pins are live in somebody's hand. Keep off and isolate.".to_owned(),
                    minutes: 2,
                });
            }
        }
    }

    fn loops(&mut self) {
        let net = &self.audit.net;
        for i in self.pieces(Kind::Charger) {
            let (Some(l), Some(n)) = (net.node(i, "ac.L"), net.node(i, "ac.N")) else { continue };
            for (source, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Inverter) {
                let Some(state) = self.worst_state(source, l, n) else { continue };
                let volts = self.volts(state, l, n);
                let (id, from) = (self.ctx.id(i).to_owned(), self.ctx.id(s.piece).to_owned());
                self.tests.push(Test {
                    id: format!("loop:{from}:{id}"),
                    phase: Phase::Inverter,
                    title: format!("Input of {id} dead while {from} is on and shore off"),
                    terminals: format!("line to neutral at the input of {id}"),
                    state: state.describe(net),
                    instrument: "voltmeter",
                    unit: "V",
                    predicted: Some(self.volt_band(volts)),
                    limit: band(0.0, DEAD_V, "common practice, no source"),
                    meaning: "The charger runs from its own battery and drains it.".to_owned(),
                    minutes: 3,
                });
            }
        }
    }

    /// The state in which this source runs alone and reaches the nodes, else the first in which it runs.
    fn worst_state(&self, source: usize, line: usize, neutral: usize) -> Option<&'a State> {
        let audit = self.audit;
        let net = &audit.net;
        let alone = |s: &&State| {
            s.live.active[source]
                && net.sources.iter().enumerate().all(|(i, o)| i == source || !o.kind.is_ac() || !s.live.active[i])
        };
        let mut states = audit.states.states.iter().filter(alone);
        states.clone().find(|s| self.volts(s, line, neutral) > 0.0).or_else(|| states.next())
    }

    fn residual(&mut self) {
        let rig = &self.audit.assumed;
        let na = self.audit.profile == ProfileId::NaRv;
        let mut devices: Vec<(String, f64)> = Vec::new();
        for p in rig.pieces.iter().filter(|p| p.status.present()) {
            let typical = if na { 0.005 } else { 0.03 };
            if matches!(p.kind, Kind::Rcd | Kind::Rcbo | Kind::GfciOutlet)
                || (p.kind == Kind::Panel && p.attrs.contains_key("rcd"))
            {
                devices.push((p.id.clone(), p.si("rcd", Dimension::Current).unwrap_or(typical)));
            }
            for w in p.ways.iter().filter(|w| w.rcd.is_some()) {
                let amps = w.rcd.as_ref().and_then(|v| v.si(Dimension::Current)).unwrap_or(typical);
                devices.push((format!("{}.{}", p.id, w.id), amps));
            }
        }
        for (id, amps) in devices {
            let ma = amps * 1000.0;
            let (test_ma, limit_ms, source) = if ma <= 6.0 {
                // UL 943: t <= (20 / I)^1.43 s, I in mA; exact by definition.
                (6.0, (20.0f64 / 6.0).powf(1.43) * 1000.0, "UL 943, t <= (20 / I)^1.43 s")
            } else {
                (ma, 300.0, "IEC 61008, 300 ms at the rated residual current (recalled)")
            };
            self.tests.push(Test {
                id: format!("rcd:{id}"),
                phase: Phase::Shore,
                title: format!("{} of {id}: time to open at {test_ma:.0} mA", self.audit.rules.words.rcd),
                terminals: format!("line to earth behind {id}"),
                state: "on shore, then again on each other source".to_owned(),
                instrument: "residual-current tester",
                unit: "ms",
                predicted: None,
                limit: band(0.0, limit_ms, source),
                meaning: "It does not open on earth leakage: replace it. Its button proves nothing of this.".to_owned(),
                minutes: 3,
            });
        }
    }
}
