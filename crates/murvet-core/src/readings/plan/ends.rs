//! What a hand may touch and what should be dead there: pins of couplings, ends that go nowhere; and what only another
//! appliance makes live.

use super::{DEAD_V, Planner, band};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::measure::{Function, Probe, TestSetup};
use crate::network::WireSpot;
use crate::readings::{Phase, Test, TestId, TestKind, Tool};
use crate::rig::LooseEnd;
use crate::rules::may_end_at;

/// Most that may stand on a dead terminal of direct current, V (common practice, no source).
const DC_DEAD_V: f64 = 0.5;

impl Planner<'_> {
    /// Pins of an unhitched coupling, and both halves of a DC socket with nothing plugged in.
    pub(super) fn dc_pins(&mut self) {
        let net = &self.audit.net;
        let mut list: Vec<(String, String, String)> = Vec::new();
        for s in net.sources.iter().filter(|s| s.kind == SourceKind::Tow) {
            list.push((self.ctx.id(s.component).to_owned(), self.name(s.plus), self.name(s.minus)));
        }
        let minus = net.sources.iter().find(|s| s.kind == SourceKind::Battery).map(|s| s.minus);
        for i in self.components(Kind::DcSocket) {
            for half in ["in", "out"] {
                if let (Some(n), Some(minus)) = (net.node(i, half), minus) {
                    list.push((self.ctx.id(i).to_owned(), self.name(n), self.name(minus)));
                }
            }
        }
        for (id, plus, minus) in list {
            let setup = TestSetup { dark: true, ..TestSetup::default() };
            let test = Test {
                title: format!("Pins of {id} dead with nothing plugged in and the engine off"),
                terminals: format!("{plus} to {minus}"),
                state: "unhitched, unplugged, everything off, battery closed".to_owned(),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(0.0, DC_DEAD_V, "common practice, no source"),
                meaning: "The battery keeps the pins live: they lie in the wet and touch what they fall on.".to_owned(),
                ..Test::of(TestId::about(TestKind::DcPins, id), Phase::Dc)
            };
            self.measured(test, Probe::between(Function::DcVolts, &plus, &minus, setup));
        }
    }

    /// Every end that goes nowhere and can be reached, in the state in which something makes it live.
    pub(super) fn loose_ends(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (n, node) in net.nodes.iter().enumerate() {
            let Some(how) = node.loose().filter(|h| *h != LooseEnd::Unseen) else { continue };
            // In parts where nothing is live anywhere it is taken as everything is parked.
            let states = &self.audit.states.states;
            let live = states.iter().find_map(|s| Some((s, s.live.sources_at(net, n).next()?)));
            let Some((wire, _)) = net.wire_at(n) else { continue };
            let key = &net.wires[wire].key;
            let mains = node.duty == Role::Line || live.is_some_and(|(_, s)| net.sources[s].kind.is_ac());
            let back = live.map(|(_, s)| net.sources[s].minus);
            let back = back.or_else(|| net.sources.iter().find(|s| s.kind.is_ac() == mains).map(|s| s.minus));
            let (Some(back), Some(parked)) = (back, states.first()) else { continue };
            let state = live.map_or(parked, |(s, _)| s);
            let phase = live.map_or(Phase::Dc, |(_, s)| match net.sources[s].kind {
                kind if kind.is_ac() => Phase::on(kind),
                _ => Phase::Dc,
            });
            let function = if mains { Function::AcVolts } else { Function::DcVolts };
            let words = match how {
                LooseEnd::Bare => "bare",
                LooseEnd::Taped => "taped",
                _ => "capped",
            };
            let test = Test {
                title: format!("The {words} end of {key} is dead"),
                terminals: format!("{} to {}", node.name, self.name(back)),
                state: state.describe(net),
                tools: if mains { &[Tool::LowImpedance] } else { &[Tool::Voltmeter] },
                unit: "V",
                limit: band(0.0, if mains { DEAD_V } else { DC_DEAD_V }, "common practice, no source"),
                meaning: "A live end that goes nowhere: take its fuse out and hold it, cap the end, list it."
                    .to_owned(),
                ..Test::of(TestId::about(TestKind::LooseEnd, key), phase)
            };
            let setup = TestSetup { dark: true, ..Self::standing(&state.setting.controls) };
            list.push((test, Probe::between(function, &node.name, &self.name(back), setup)));
        }
        self.measured_all(list);
    }

    /// An appliance that no source feeds and that another appliance makes live: between dead and full voltage it is neither.
    pub(super) fn carried_over(&mut self) {
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        let on: Vec<String> =
            net.consumers.iter().filter(|c| c.ac).map(|c| rig.components[c.component].id.clone()).collect();
        let mut list = Vec::new();
        for i in self.components(Kind::AcLoad).into_iter().chain(self.components(Kind::Outlet)) {
            let (Some(l), Some(n)) = (net.plugged(i, "L"), net.plugged(i, "N")) else { continue };
            let ac = || net.sources.iter().enumerate().filter(|(_, s)| s.kind.is_ac() && !s.opposite);
            let fed = |s: usize| self.worst_state(s, l, n).is_some_and(|x| self.volts(x, l, n) > 0.0);
            let Some((source, s)) = ac().next().filter(|_| !ac().any(|(k, _)| fed(k))) else { continue };
            let Some(state) = self.worst_state(source, l, n) else { continue };
            let id = self.ctx.id(i).to_owned();
            let others = on.iter().filter(|o| **o != id).cloned().collect();
            let setup = TestSetup { on: others, ..Self::standing(&state.setting.controls) };
            let probe = Probe::between(Function::AcVolts, &self.name(l), &self.name(n), setup);
            if self.world.read(&probe).is_none_or(|v| v <= DEAD_V) {
                continue;
            }
            let test = Test {
                title: format!("{} dead although everything else is on", rig.components[i].title()),
                terminals: format!("line to neutral at {id}"),
                state: format!("{}, everything else on", state.describe(net)),
                tools: &[Tool::TrueRms],
                unit: "V",
                limit: band(0.0, DEAD_V, "common practice, no source: as no source feeds it"),
                meaning: "A hot or a neutral is lost, and another appliance carries its voltage over: it is shared by what each draws."
                    .to_owned(),
                ..Test::of(TestId::about(TestKind::CarriedOver, id), Phase::on(s.kind))
            };
            list.push((test, probe));
        }
        self.measured_all(list);
    }

    /// What chooses mains by itself stays dead on an inverter.
    pub(super) fn heating_moves(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for i in self
            .components(Kind::AcLoad)
            .into_iter()
            .filter(|i| self.audit.assumed.components[*i].flag("chooses-mains"))
        {
            let (Some(l), Some(n)) = (net.plugged(i, "L"), net.plugged(i, "N")) else { continue };
            let inverters =
                net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Inverter && !s.opposite);
            for (source, s) in inverters {
                let Some(state) = self.worst_state(source, l, n) else { continue };
                let (id, from) = (self.ctx.id(i).to_owned(), self.ctx.id(s.component).to_owned());
                let test = Test {
                    title: format!("{} stays off mains while {from} runs", self.audit.assumed.components[i].title()),
                    terminals: format!("line to neutral at {id}"),
                    state: state.describe(net),
                    tools: &[Tool::LowImpedance],
                    unit: "V",
                    limit: band(0.0, DEAD_V, "common practice, no source"),
                    meaning: "It takes mains whenever there is mains, and empties the bank by the inverter.".to_owned(),
                    ..Test::of(TestId::on(TestKind::Moves, &from, id), Phase::Inverter)
                };
                let setup = Self::standing(&state.setting.controls);
                list.push((test, Probe::between(Function::AcVolts, &self.name(l), &self.name(n), setup)));
            }
        }
        self.measured_all(list);
    }
}

/// Most candidates that are rung out one by one; of more the first ones, the rest by energising.
const RUNG_OUT: usize = 4;

impl Planner<'_> {
    /// Where a cable goes whose end nobody saw: rung out dead at each place where it may end; where none waits for it, by
    /// energising it alone under guard.
    pub(super) fn unknown_ends(&mut self) {
        let net = &self.audit.net;
        let words = &self.audit.rules.words;
        let mut list = Vec::new();
        let mut told: Vec<usize> = Vec::new();
        for (n, _) in net.nodes.iter().enumerate().filter(|(_, n)| n.loose() == Some(LooseEnd::Unseen)) {
            let Some((wire, near)) = net.wire_at(n) else { continue };
            // Every core of a cable ends where its first does.
            let WireSpot::Cable(cable, _) = net.wires[wire].spot else { continue };
            if told.contains(&cable) {
                continue;
            }
            told.push(cable);
            let id = self.audit.assumed.cables[cable].id.clone();
            let near = self.name(near);
            let candidates = may_end_at(&self.ctx, wire);
            for &component in candidates.iter().take(RUNG_OUT) {
                let title = self.ctx.component_words(component);
                list.push(Test {
                    title: format!("{id} ends at {title}, rung out dead"),
                    terminals: format!("{near} to the same core at {}", self.ctx.id(component)),
                    state: "everything dead, both ends of each conductor marked before it is lifted".to_owned(),
                    tools: &[Tool::LowOhm],
                    unit: "ohm",
                    limit: band(0.0, 1.0, "common practice, no source"),
                    meaning: format!(
                        "It does not end there: leave {} as it was and go on to the next.",
                        self.ctx.id(component)
                    ),
                    ..Test::of(TestId::about(TestKind::Identify, &id).part(self.ctx.id(component)), Phase::Dead)
                });
            }
            if candidates.is_empty() || candidates.len() > RUNG_OUT {
                list.push(Test {
                    title: format!("Where {id} ends, by energising it alone"),
                    terminals: format!("{near}, fed through its own device of the smallest rating and an {} of 30 mA or less", words.rcd),
                    state: "only where ringing out found nothing: every other way off, one person at the switch, one going round, \
                            nobody touching metal"
                        .to_owned(),
                    tools: &[Tool::LowImpedance],
                    meaning: "Not found: it stays off, its device taken out and held, its end listed as not seen.".to_owned(),
                    ..Test::of(TestId::about(TestKind::Identify, &id).part("live"), Phase::Shore)
                });
            }
        }
        self.tests.extend(list);
    }
}
