//! Direct current: batteries at rest and under load, drops, charging source by source.

use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::measure::{Function, Probe, TestSetup};
use crate::network::{battery_volts, nominal_system};
use crate::readings::{Phase, Test, TestId, TestKind, Tool};
use crate::rules::drops;
use crate::states::State;
use crate::tables::table;
use crate::units::Dimension;

/// How far from its label a charger may hold its voltage.
const LABEL: f64 = 0.02;
/// The least drop that a meter of two decimals tells from none, V.
const TELLING_V: f64 = 0.02;

impl Planner<'_> {
    pub(super) fn batteries(&mut self) {
        let rest = self.isolated();
        for i in self.components(Kind::Battery) {
            let p = &self.audit.assumed.components[i];
            let chemistry = p.word("chemistry").unwrap_or("flooded");
            let volts = battery_volts(p);
            let lead = !matches!(chemistry, "lifepo4" | "nickel-lithium");
            let base = if lead { nominal_system(volts) } else { volts };
            let t = table("chemistry");
            let (low, high) = (t.get(chemistry, 1).unwrap_or(1.0), t.get(chemistry, 2).unwrap_or(1.15));
            self.tests.push(Test {
                title: format!("Resting voltage of {}", p.title()),
                terminals: format!("{}.+ to {}.-", p.id, p.id),
                state: "everything off for an hour, no charge".to_owned(),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(base * low, base * high, "common practice, no source"),
                meaning: "Discharged, a lost cell, or surface charge: measure again after hours.".to_owned(),
                probe: Some(Probe::between(
                    Function::DcVolts,
                    &format!("{}.+", p.id),
                    &format!("{}.-", p.id),
                    rest.clone(),
                )),
                ..Test::of(TestId::about(TestKind::Rest, &p.id), Phase::Dc)
            });
        }
    }

    pub(super) fn dc_drops(&mut self) {
        for d in drops(&self.ctx) {
            let c = &self.audit.net.consumers[d.consumer];
            if c.ac {
                continue;
            }
            let profile = &self.audit.rules;
            let limit = if c.vital { &profile.drop_vital } else { &profile.drop_other };
            let component = &self.audit.assumed.components[c.component];
            let v = d.total_v();
            let net = &self.audit.net;
            let stem = d.source.split('.').next().unwrap_or_default();
            let from = net.sources.iter().find(|s| !s.kind.is_ac() && self.ctx.id(s.component) == stem);
            let at = &self.audit.states.states[d.state];
            let setup =
                TestSetup { on: vec![component.id.clone()], dark: true, ..Self::standing(&at.setting.controls) };
            // Inverters and chargers are judged on the path tests, where they draw what they give.
            let probe = from.filter(|_| component.kind == Kind::DcLoad).map(|s| Probe {
                function: Function::DcVolts,
                leads: vec![(self.name(s.plus), self.name(c.plus)), (self.name(c.minus), self.name(s.minus))],
                setup,
            });
            // With what was not seen at its best less is lost.
            let least = probe.as_ref().and_then(|p| self.best.as_ref()?.read(p)).map_or(v, |best| best.min(v));
            self.tests.push(Test {
                title: format!("Voltage lost to {} with {:.1} A flowing", component.title(), d.amps),
                terminals: format!(
                    "{} to {} plus {} to its negative",
                    d.source, self.audit.net.nodes[c.plus].name, self.audit.net.nodes[c.minus].name
                ),
                state: format!("{} on alone", component.title()),
                tools: &[Tool::Voltmeter, Tool::DcClamp],
                unit: "V",
                // Cold copper of nominal area at the least; joints add a little at the most.
                predicted: Some(band(least * 0.7, v * 1.1 + 0.05, "conductors as traced")),
                // Less than copper of four times the area would lose is no drop: nothing flows. In whole millivolts.
                limit: band(if least * 0.7 >= TELLING_V { (least * 175.0).floor() / 1000.0 } else { 0.0 }, d.source_v * limit.value, &limit.source),
                meaning: "A loose joint, a thinner conductor than marked, or too long a run; next to nothing: no current flows."
                    .to_owned(),
                probe,
                ..Test::of(TestId::about(TestKind::Drop, &component.id), Phase::Dc)
            });
        }
    }

    /// What no drop is judged for, because nothing lies between it and its way: whether it is live at all.
    pub(super) fn dc_live(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for c in net.consumers.iter().filter(|c| !c.ac && self.ctx.rig.components[c.component].kind == Kind::DcLoad) {
            let id = self.ctx.id(c.component).to_owned();
            if self.tests.iter().any(|t| t.id == format!("drop:{id}")) {
                continue;
            }
            let (plus, minus) = (self.name(c.plus), self.name(c.minus));
            let setup = TestSetup { on: vec![id.clone()], dark: true, ..TestSetup::default() };
            let probe = Probe::between(Function::DcVolts, &plus, &minus, setup);
            let Some(volts) = self.world.read(&probe).filter(|v| *v > 1.0) else { continue };
            let system = nominal_system(volts);
            let test = Test {
                title: format!("Voltage at {}", self.ctx.rig.components[c.component].title()),
                terminals: format!("{plus} to {minus}"),
                state: format!("{id} on alone"),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(0.95 * system, 1.25 * system, "common practice, no source"),
                meaning: "Its way is blown, or a lead is off.".to_owned(),
                ..Test::of(TestId::about(TestKind::Live, &id), Phase::Dc)
            };
            list.push((test, probe));
        }
        self.measured_all(list);
    }

    /// Each bank under everything that can be on, and what it gives with everything off.
    pub(super) fn at_rest(&mut self) {
        let rig = &self.audit.assumed;
        let on: Vec<String> = self
            .audit
            .net
            .consumers
            .iter()
            .filter(|c| !c.ac && rig.components[c.component].kind == Kind::DcLoad)
            .map(|c| rig.components[c.component].id.clone())
            .collect();
        let banks: Vec<(String, f64)> = self
            .components(Kind::Battery)
            .iter()
            .map(|&i| (rig.components[i].id.clone(), battery_volts(&rig.components[i])))
            .collect();
        for (id, volts) in banks {
            let (plus, minus) = (format!("{id}.+"), format!("{id}.-"));
            let setup = TestSetup { on: on.clone(), dark: true, ..TestSetup::default() };
            let sag = Test {
                title: format!("Voltage of {id} with every DC appliance on, after five minutes"),
                terminals: format!("{plus} to {minus}"),
                state: "no charge, every DC appliance on".to_owned(),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(nominal_system(volts) * 0.96, nominal_system(volts) * 1.25, "common practice, no source"),
                meaning: "A weak cell or a spent battery: it sags more than its inside resistance explains.".to_owned(),
                ..Test::of(TestId::about(TestKind::Sag, &id), Phase::Dc)
            };
            self.measured(sag, Probe::between(Function::DcVolts, &plus, &minus, setup));
            self.tests.push(Test {
                title: format!("Current out of {id} with everything off"),
                terminals: format!("clamp on the positive of {id}"),
                state: "everything off, no charge, isolators closed".to_owned(),
                tools: &[Tool::DcClamp],
                unit: "A",
                limit: band(0.0, 0.3, "common practice, no source"),
                meaning: "Something draws while the rig is parked: open the ways one by one and note each difference."
                    .to_owned(),
                ..Test::of(TestId::about(TestKind::Parasitic, &id), Phase::Dc)
            });
        }
    }

    /// Each source of charge by itself: the voltage it holds and that it gives current.
    pub(super) fn charging(&mut self) {
        let net = &self.audit.net;
        let found: Vec<(usize, Phase, TestSetup)> = net
            .sources
            .iter()
            .enumerate()
            .filter_map(|(i, s)| {
                let phase = match s.kind {
                    SourceKind::Controller | SourceKind::DcDc | SourceKind::Alternator | SourceKind::Wind => {
                        Phase::Charging
                    }
                    SourceKind::Charger => Phase::Shore,
                    _ => return None,
                };
                // The first state in which it runs, with the fewest others beside it.
                let states = self.audit.states.states.iter().filter(|x| x.live.active[i]);
                let shore = |x: &State| {
                    let on = |(k, a): (usize, &bool)| *a && net.sources[k].kind == SourceKind::Shore;
                    x.live.active.iter().enumerate().any(on)
                };
                // A mains charger on shore, where the work is done, before one on a generator.
                let state = states.min_by_key(|x| {
                    (phase == Phase::Shore && !shore(x), x.live.active.iter().filter(|a| **a).count())
                })?;
                let dark = s.kind != SourceKind::Controller;
                Some((i, phase, TestSetup { dark, ..Self::standing(&state.setting.controls) }))
            })
            .collect();
        for (i, phase, setup) in found {
            let s = &net.sources[i];
            let (id, plus, minus) = (self.ctx.id(s.component).to_owned(), self.name(s.plus), self.name(s.minus));
            let state = self.audit.states.states.iter().find(|x| x.setting.controls == setup.controls);
            let probe = Probe::between(Function::DcVolts, &plus, &minus, setup.clone());
            let test = |kind, title: String, unit, limit, meaning: &str| Test {
                title,
                terminals: format!("{plus} to {minus}"),
                state: state.map_or_else(|| "running".to_owned(), |x| x.describe(net)),
                tools: if unit == "A" { &[Tool::DcClamp] } else { &[Tool::Voltmeter] },
                unit,
                limit,
                meaning: meaning.to_owned(),
                ..Test::of(TestId::about(kind, &id), phase)
            };
            let component = &self.audit.assumed.components[s.component];
            let holds = crate::measure::held_volts(component, s.volts);
            let system = nominal_system(holds);
            let charges = self.bank_joined(s.plus).is_some();
            let mut volts = test(
                TestKind::ChargeVolts,
                if charges {
                    format!("Voltage at {id} once its current has fallen")
                } else {
                    format!("Voltage out of {id}, which feeds appliances alone")
                },
                "V",
                band(0.9 * system, (1.0 + LABEL) * holds, "its label and 2 %, common practice, no source"),
                "In bulk it follows the bank and says nothing. Too high: set for another battery.",
            );
            // Its stages: what it holds at last is what proves it.
            let float = component.si("float", Dimension::Voltage).unwrap_or(holds).min(holds);
            volts.predicted = Some(band((1.0 - LABEL) * float, (1.0 + LABEL) * holds, "its label"));
            volts.probe = Some(probe);
            self.tests.push(volts);
            let leads: Vec<(String, String)> =
                net.beyond(s.plus).map(|other| (plus.clone(), self.name(other))).collect();
            if charges && !leads.is_empty() {
                let probe = Probe { function: Function::DcAmps, leads, setup };
                // A dead one gives nothing, a weak one half. What the sun or an engine drives is no fixed figure.
                let fixed = matches!(s.kind, SourceKind::Charger | SourceKind::DcDc) && s.set_a.is_finite();
                let expected = self.world.read(&probe).filter(|a| *a > 0.0);
                let most = if s.limit_a.is_finite() { 1.05 * s.limit_a } else { f64::INFINITY };
                let least = match expected {
                    Some(amps) if fixed => 0.6 * amps.min(s.set_a),
                    _ => 0.5,
                };
                let mut amps = test(
                    TestKind::ChargeAmps,
                    format!("Current out of {id} into a bank that is not full"),
                    "A",
                    band(least.min(most), most, "six tenths of what it is set to, common practice, no source"),
                    "No current into a bank that is not full: the source gives nothing, or something is open on its way.",
                );
                amps.state = format!("{}; the bank not full: an appliance on before, its stage noted", amps.state);
                self.measured(amps, probe);
            }
        }
    }

    /// Each combining relay while the engine runs: from post to post of the batteries it joins stands only what its path
    /// loses. Across the relay alone nothing would be seen of a fuse that is open elsewhere on the way.
    pub(super) fn combiners(&mut self) {
        let net = &self.audit.net;
        let Some(parked) = self.audit.states.states.first() else { return };
        let mut list = Vec::new();
        for i in self.components(Kind::Relay) {
            let (Some(a), Some(b)) = (net.node(i, "in"), net.node(i, "out")) else { continue };
            let bank = |n: usize| {
                let mut all = net.sources.iter().filter(|s| s.kind == SourceKind::Battery);
                all.find(|s| parked.live.part[s.plus] == parked.live.part[n])
            };
            let (Some(from), Some(to)) = (bank(a), bank(b)) else { continue };
            let joined = |s: &&State| s.live.part[a] == s.live.part[b];
            let Some(state) = self.audit.states.states.iter().find(joined).filter(|_| from.component != to.component)
            else {
                continue;
            };
            let id = self.ctx.id(i).to_owned();
            let system = nominal_system(to.volts);
            let test = Test {
                title: format!(
                    "From {} to {} over {id} while it is closed",
                    self.ctx.id(from.component),
                    self.ctx.id(to.component)
                ),
                terminals: format!(
                    "{} to {} plus {} to {}",
                    self.name(from.plus),
                    self.name(to.plus),
                    self.name(to.minus),
                    self.name(from.minus)
                ),
                state: state.describe(net),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(-0.08 * system, 0.08 * system, "common practice, no source"),
                meaning: "It does not combine: a fuse or a joint of its path is open, or it gets no signal.".to_owned(),
                ..Test::of(TestId::about(TestKind::Relay, &id), Phase::Charging)
            };
            let setup = TestSetup { dark: true, ..Self::standing(&state.setting.controls) };
            // The return is on the way as well.
            let leads = vec![(self.name(from.plus), self.name(to.plus)), (self.name(to.minus), self.name(from.minus))];
            list.push((test, Probe { function: Function::DcVolts, leads, setup }));
        }
        self.measured_all(list);
    }

    /// What the main paths lose while they carry much: bank to inverter with a heater on, each charging source to its bank.
    pub(super) fn paths(&mut self) {
        let net = &self.audit.net;
        let mut list: Vec<(Test, Probe)> = Vec::new();
        let lost = |id: TestId, phase, title: String, state: String, leads: &[(String, String)]| {
            Test {
            title,
            terminals: leads.iter().map(|(a, b)| format!("{a} to {b}")).collect::<Vec<_>>().join(" plus "),
            state,
            tools: &[Tool::Voltmeter, Tool::DcClamp],
            unit: "V",
            limit: band(0.0, 0.03 * self.audit.net.sources.iter().find(|s| s.kind == SourceKind::Battery).map_or(12.0, |s| nominal_system(s.volts)), &self.audit.rules.drop_vital.source),
            meaning: "More than the copper explains: a joint, a device or a thin conductor on the main path. Measure along it, joint by joint.".to_owned(),
            ..Test::of(id, phase)
        }
        };
        for (i, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Inverter && !s.opposite) {
            let Some((plus, minus)) = s.input else { continue };
            let Some(bank) = self.bank_of(plus) else { continue };
            let Some((outlet, state)) = self.heated(i) else { continue };
            let outlet = self.ctx.id(outlet).to_owned();
            let id = self.ctx.id(s.component).to_owned();
            let leads = vec![(self.name(bank.plus), self.name(plus)), (self.name(minus), self.name(bank.minus))];
            let setup =
                TestSetup { heater: Some(outlet.clone()), dark: true, ..Self::standing(&state.setting.controls) };
            let title =
                format!("Lost between {} and {id} with a 1000 W heater in {outlet}", self.ctx.id(bank.component));
            let test = lost(TestId::about(TestKind::Path, &id), Phase::Inverter, title, state.describe(net), &leads);
            list.push((test, Probe { function: Function::DcVolts, leads, setup }));
        }
        for (i, s) in net.sources.iter().enumerate() {
            let phase = match s.kind {
                SourceKind::Charger => Phase::Shore,
                SourceKind::DcDc | SourceKind::Controller | SourceKind::Wind => Phase::Charging,
                _ => continue,
            };
            let states = self.audit.states.states.iter().filter(|x| x.live.active[i]);
            let Some(state) = states.min_by_key(|x| x.live.active.iter().filter(|a| **a).count()) else { continue };
            let Some(bank) = self.bank_joined(s.plus) else { continue };
            let id = self.ctx.id(s.component).to_owned();
            let setup = TestSetup { dark: s.kind != SourceKind::Controller, ..Self::standing(&state.setting.controls) };
            let leads = vec![(self.name(s.plus), self.name(bank.plus)), (self.name(bank.minus), self.name(s.minus))];
            let title = format!("Lost between {id} and {} while it charges", self.ctx.id(bank.component));
            let test = lost(TestId::about(TestKind::Path, &id), phase, title, state.describe(net), &leads);
            list.push((test, Probe { function: Function::DcVolts, leads, setup: setup.clone() }));
            // Its input, from what it charges from.
            let from = net.sources.iter().find(|o| {
                let kinds = match s.kind {
                    SourceKind::Controller => matches!(o.kind, SourceKind::Array),
                    SourceKind::DcDc => matches!(o.kind, SourceKind::Alternator | SourceKind::Tow),
                    _ => false,
                };
                kinds && s.input.is_some_and(|(a, _)| state.live.part[o.plus] == state.live.part[a])
            });
            if let (Some(from), Some((a, b))) = (from, s.input) {
                let leads = vec![(self.name(from.plus), self.name(a)), (self.name(b), self.name(from.minus))];
                let title =
                    format!("Lost between {} and the input of {id} while it charges", self.ctx.id(from.component));
                let test =
                    lost(TestId::about(TestKind::Path, &id).part("in"), phase, title, state.describe(net), &leads);
                list.push((test, Probe { function: Function::DcVolts, leads, setup }));
            }
        }
        self.measured_all(list);
    }
}
