//! Alternating current by source: outlets, exposed pins, charger loops, changeovers, stray currents.

use super::{DEAD_V, Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::measure::{Function, Probe, TestSetup};
use crate::profiles::Profile;
use crate::readings::{Band, Phase, Test, TestId, TestKind, Tool};
use crate::states::State;
use crate::units::Dimension;

/// Where the clamp goes on several leads of a bank, each towards its post: round all of them, for one shows a part of it.
pub(super) fn round_all(leads: &[(String, String)]) -> String {
    let words: Vec<String> = leads.iter().map(|(other, post)| format!("{other} towards {post}")).collect();
    match &words[..] {
        [one] => one.clone(),
        many => format!("the clamp round all of these together, or their sum: {}", many.join("; ")),
    }
}

/// The band of a supply voltage.
fn supply(profile: &Profile) -> Band {
    band(profile.supply_low_v.value, profile.supply_high_v.value, &profile.supply_low_v.source)
}

impl<'a> Planner<'a> {
    /// Volts expected between line and neutral of a node pair in a state.
    pub(super) fn volts(&self, state: &State, line: usize, neutral: usize) -> f64 {
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

    pub(super) fn outlets(&mut self) {
        let net = &self.audit.net;
        let profile = &self.audit.rules;
        for (source, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind.is_ac() && !s.opposite) {
            let phase = Phase::on(s.kind);
            let from = self.ctx.id(s.component).to_owned();
            for i in self.components(Kind::Outlet).into_iter().chain(self.components(Kind::GfciOutlet)) {
                let port = if self.audit.assumed.components[i].kind == Kind::Outlet { "ac" } else { "load" };
                let node = |core: &str| net.node(i, &format!("{port}.{core}"));
                let (Some(l), Some(n)) = (node("L"), node("N")) else { continue };
                let Some(state) = self.worst_state(source, l, n) else { continue };
                let volts = self.volts(state, l, n);
                let title = self.audit.assumed.components[i].title().to_owned();
                let id = self.ctx.id(i).to_owned();
                let describe = state.describe(net);
                let setup = Self::standing(&state.setting.controls);
                if volts == 0.0 {
                    self.census(phase, &from, &id, (l, n), (describe, setup));
                    continue;
                }
                self.tests.push(Test {
                    title: format!("{title} on {from}: volts"),
                    terminals: format!("{} to neutral of {id}", profile.words.line),
                    state: describe.clone(),
                    tools: &[Tool::TrueRms],
                    unit: "V",
                    predicted: Some(self.volt_band(volts)),
                    limit: supply(profile),
                    meaning: "Dead: buttons, then the last live and first dead outlet of the chain. Low: a joint."
                        .to_owned(),
                    probe: Some(Probe::between(Function::AcVolts, &self.name(l), &self.name(n), setup.clone())),
                    ..Test::of(TestId::on(TestKind::Outlet, &from, &id), phase)
                });
                let at = self.audit.states.states.iter().position(|s| s.setting == state.setting).unwrap_or(0);
                let here = crate::rules::islands_at(&self.ctx, at);
                let bonded = here.iter().any(|i| i.source == source && !i.meetings.is_empty());
                self.tests.push(Test {
                    title: format!("{title} on {from}: neutral to {}", profile.words.earth),
                    terminals: format!("neutral to {} of {id}", profile.words.earth),
                    state: describe,
                    tools: &[Tool::LowImpedance],
                    unit: "V",
                    predicted: Some(if bonded {
                        band(0.0, 2.0, "a bond was traced")
                    } else {
                        band(2.0, volts, "no bond was traced: the neutral floats")
                    }),
                    limit: band(0.0, 2.0, "common practice, no source"),
                    meaning: "Near half the voltage: no bond. Full voltage: line and neutral reversed.".to_owned(),
                    probe: node("PE").map(|e| Probe::between(Function::AcVolts, &self.name(n), &self.name(e), setup)),
                    ..Test::of(TestId::on(TestKind::OutletNe, &from, &id), phase)
                });
            }
        }
        self.second_hots();
    }

    /// Each outlet on shore with a heater in it: a joint sags, and a lost neutral or hot shares its voltage with what else is on.
    pub(super) fn loaded(&mut self) {
        let net = &self.audit.net;
        let limit = supply(&self.audit.rules);
        let Some((source, s)) = net.sources.iter().enumerate().find(|(_, s)| s.kind == SourceKind::Shore) else {
            return;
        };
        let from = self.ctx.id(s.component).to_owned();
        let mut list = Vec::new();
        for i in self.components(Kind::Outlet).into_iter().chain(self.components(Kind::GfciOutlet)) {
            let (Some(l), Some(n)) = (net.plugged(i, "L"), net.plugged(i, "N")) else { continue };
            let Some(state) = self.worst_state(source, l, n).filter(|x| self.volts(x, l, n) > 0.0) else { continue };
            let id = self.ctx.id(i).to_owned();
            let test = Test {
                title: format!("{} on {from} with a 1000 W heater in it", self.audit.assumed.components[i].title()),
                terminals: format!("{} to neutral of {id}", self.audit.rules.words.line),
                state: format!("{}, a 1000 W heater in {id}", state.describe(net)),
                tools: &[Tool::TrueRms],
                unit: "V",
                limit: limit.clone(),
                meaning: "Sags: a joint on the way, or too long and thin. Far from it, with others changing: a neutral is lost."
                    .to_owned(),
                ..Test::of(TestId::on(TestKind::Loaded, &from, &id), Phase::Shore)
            };
            let setup = TestSetup { heater: Some(id), ..Self::standing(&state.setting.controls) };
            list.push((test, Probe::between(Function::AcVolts, &self.name(l), &self.name(n), setup)));
        }
        self.measured_all(list);
    }

    /// The second hot of every outlet and appliance of two, on each source: against neutral, and against the first hot, twice
    /// the voltage or none by the trace.
    fn second_hots(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (source, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind.is_ac() && !s.opposite) {
            let from = self.ctx.id(s.component).to_owned();
            for i in self.components(Kind::Outlet).into_iter().chain(self.components(Kind::AcLoad)) {
                let node = |core: &str| net.node(i, &format!("ac.{core}"));
                let (Some(l), Some(l2), Some(n)) = (node("L"), node("L2"), node("N")) else { continue };
                let id = self.ctx.id(i).to_owned();
                let neutral = net.beyond(n).next().is_some();
                // Where a hot is dead as traced its own test says so.
                let Some(state) = self.worst_state(source, l2, n).or_else(|| self.worst_state(source, l, n)) else {
                    continue;
                };
                let setup = Self::standing(&state.setting.controls);
                let test = |kind, title: String, terminals: String, limit, meaning: &str| Test {
                    title,
                    terminals,
                    state: state.describe(net),
                    tools: &[Tool::TrueRms],
                    unit: "V",
                    limit,
                    meaning: meaning.to_owned(),
                    ..Test::of(TestId::on(kind, &from, &id), Phase::on(s.kind))
                };
                let title = self.audit.assumed.components[i].title();
                let profile = &self.audit.rules;
                if neutral && self.volts(state, l2, n) > 0.0 {
                    let limit = supply(profile);
                    let words = format!("second {} to neutral of {id}", profile.words.line);
                    let own = test(
                        TestKind::Outlet2,
                        format!("{title} on {from}: volts of the second hot"),
                        words,
                        limit,
                        "Dead: its pole of the breaker, or the hot was lost on the way.",
                    );
                    list.push((own, Probe::between(Function::AcVolts, &self.name(l2), &self.name(n), setup.clone())));
                }
                let probe = Probe::between(Function::AcVolts, &self.name(l), &self.name(l2), setup);
                let limit = self.hot_to_hot(&probe, s.volts);
                let words = format!("{} to {}", self.name(l), self.name(l2));
                let both = test(
                    TestKind::Hots,
                    format!("{title} on {from}: hot to hot"),
                    words,
                    limit,
                    "Twice the voltage where the hots are opposite, none where they are one hot twice: another value is a lost hot, or a leg landed on the other.",
                );
                list.push((both, probe));
            }
        }
        self.measured_all(list);
    }

    /// What may stand between two hots: twice the voltage of one, or nothing, as the trace has it.
    pub(super) fn hot_to_hot(&self, probe: &Probe, volts: f64) -> Band {
        match self.world.read(probe) {
            Some(v) if v > DEAD_V => band(2.0 * volts * 0.9, 2.0 * volts * 1.1, "opposite hots, as traced"),
            _ => band(0.0, DEAD_V, "one hot twice or a dead one, as traced"),
        }
    }

    pub(super) fn exposed_pins(&mut self) {
        let net = &self.audit.net;
        for i in self.components(Kind::Inlet) {
            let (Some(l), Some(n)) = (net.node(i, "out.L"), net.node(i, "out.N")) else { continue };
            for (source, s) in net.sources.iter().enumerate() {
                if !s.kind.is_ac() || s.kind == SourceKind::Shore {
                    continue;
                }
                let Some(state) = self.worst_state(source, l, n) else { continue };
                let volts = self.volts(state, l, n);
                let (id, from) = (self.ctx.id(i).to_owned(), self.ctx.id(s.component).to_owned());
                self.tests.push(Test {
                    title: format!("No voltage on the pins of {id} while {from} runs"),
                    terminals: format!("line to neutral and line to earth at the pins of {id}"),
                    state: format!("{}, {id} unplugged", state.describe(net)),
                    tools: &[Tool::LowImpedance],
                    unit: "V",
                    predicted: Some(self.volt_band(volts)),
                    limit: band(0.0, DEAD_V, "common practice, no source"),
                    meaning: "Backfeed: the pins are live in somebody's hand. Keep off and isolate.".to_owned(),
                    probe: Some(Probe::between(
                        Function::AcVolts,
                        &self.name(l),
                        &self.name(n),
                        Self::standing(&state.setting.controls),
                    )),
                    ..Test::of(TestId::on(TestKind::Pins, &from, &id), Phase::on(s.kind))
                });
            }
        }
    }

    pub(super) fn loops(&mut self) {
        let net = &self.audit.net;
        for i in self.components(Kind::Charger) {
            let (Some(l), Some(n)) = (net.node(i, "ac.L"), net.node(i, "ac.N")) else { continue };
            for (source, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Inverter) {
                let Some(state) = self.worst_state(source, l, n) else { continue };
                let volts = self.volts(state, l, n);
                let (id, from) = (self.ctx.id(i).to_owned(), self.ctx.id(s.component).to_owned());
                self.tests.push(Test {
                    title: format!("Input of {id} dead while {from} is on and shore off"),
                    terminals: format!("line to neutral at the input of {id}"),
                    state: state.describe(net),
                    tools: &[Tool::Voltmeter],
                    unit: "V",
                    predicted: Some(self.volt_band(volts)),
                    limit: band(0.0, DEAD_V, "common practice, no source"),
                    meaning: "The charger runs from its own battery and drains it.".to_owned(),
                    probe: Some(Probe::between(
                        Function::AcVolts,
                        &self.name(l),
                        &self.name(n),
                        Self::standing(&state.setting.controls),
                    )),
                    ..Test::of(TestId::on(TestKind::Loop, &from, &id), Phase::Inverter)
                });
            }
            self.fed_on_shore(i, (l, n));
        }
    }

    /// The two other proofs: on shore with the inverter off the charger's input lives, and with it on as well current still
    /// goes into the bank.
    fn fed_on_shore(&mut self, charger: usize, (l, n): (usize, usize)) {
        let net = &self.audit.net;
        let id = self.ctx.id(charger).to_owned();
        let runs = |s: &State, kind: SourceKind| {
            net.sources.iter().enumerate().any(|(i, x)| x.kind == kind && s.live.active[i])
        };
        let states = &self.audit.states.states;
        let off = states
            .iter()
            .find(|s| runs(s, SourceKind::Shore) && !runs(s, SourceKind::Inverter) && self.volts(s, l, n) > 0.0);
        if let Some(state) = off {
            let probe = Probe::between(
                Function::AcVolts,
                &self.name(l),
                &self.name(n),
                Self::standing(&state.setting.controls),
            );
            let limit = supply(&self.audit.rules);
            let test = Test {
                title: format!("Input of {id} lives on shore with the inverter off"),
                terminals: format!("line to neutral at the input of {id}"),
                state: state.describe(net),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: limit.clone(),
                meaning: "The charger hangs on the inverter's output: shore alone does not charge.".to_owned(),
                ..Test::of(TestId::about(TestKind::Fed, &id), Phase::Shore)
            };
            self.measured(test, probe);
        }
        let both = states.iter().find(|s| runs(s, SourceKind::Shore) && runs(s, SourceKind::Inverter));
        let bank = net.sources.iter().find(|s| s.kind == SourceKind::Battery);
        if let (Some(state), Some(bank)) = (both, bank) {
            let leads = self.leads_of_bank(bank);
            if leads.is_empty() {
                return;
            }
            let setup = crate::measure::TestSetup { dark: true, ..Self::standing(&state.setting.controls) };
            // A clamp on one of several leads shows the charger's current and not the inverter's.
            let terminals = round_all(&leads);
            let probe = Probe { function: Function::DcAmps, leads, setup };
            let bank = self.ctx.id(bank.component).to_owned();
            let test = Test {
                title: format!("Current goes into {bank} on shore with the inverter on and nothing else"),
                terminals,
                state: format!("{}, no sun, {bank} not full", state.describe(net)),
                tools: &[Tool::DcClamp],
                unit: "A",
                limit: band(0.5, f64::INFINITY, "common practice, no source"),
                meaning: "It comes out of the bank: the charger runs from its own battery, or gives nothing."
                    .to_owned(),
                ..Test::of(TestId::on(TestKind::Into, &bank, &id), Phase::Shore)
            };
            self.measured(test, probe);
        }
    }

    /// Every conductor on the positive posts of a bank but its own links, each with the end beyond and the post: their sum is
    /// what the bank takes, whatever lies on which lead.
    pub(super) fn leads_of_bank(&self, bank: &crate::network::Source) -> Vec<(String, String)> {
        let net = &self.audit.net;
        let posts: Vec<usize> = std::iter::once(bank.plus)
            .chain(net.stores.iter().filter(|s| s.component == bank.component).map(|s| s.plus))
            .collect();
        let mut list: Vec<(String, String)> = Vec::new();
        for &post in &posts {
            for other in net.beyond(post).filter(|o| !posts.contains(o)) {
                let lead = (self.name(other), self.name(post));
                // A clamp between two terminals takes all conductors that join them.
                if !list.contains(&lead) {
                    list.push(lead);
                }
            }
        }
        list
    }

    /// An outlet that this source should not feed.
    fn census(
        &mut self,
        phase: Phase,
        from: &str,
        id: &str,
        (l, n): (usize, usize),
        (state, setup): (String, TestSetup),
    ) {
        let probe = Probe::between(Function::AcVolts, &self.name(l), &self.name(n), setup);
        let test = Test {
            title: format!("{id} is dead on {from}, as traced"),
            terminals: format!("{} to neutral of {id}", self.audit.rules.words.line),
            state,
            tools: &[Tool::LowImpedance],
            unit: "V",
            limit: band(0.0, DEAD_V, "as traced"),
            meaning: "Alive: it is fed another way than traced. Its voltage and frequency tell by which source."
                .to_owned(),
            ..Test::of(TestId::on(TestKind::Census, from, id), phase)
        };
        self.measured(test, probe);
    }

    /// Changeovers, both ways and timed; management that opens and closes again.
    pub(super) fn changeovers(&mut self) {
        let delay = |i: usize| self.audit.assumed.components[i].si("delay", Dimension::Time);
        let both: Vec<(String, bool, Option<f64>)> = self
            .components(Kind::Transfer)
            .into_iter()
            .map(|i| {
                let p = &self.audit.assumed.components[i];
                (p.id.clone(), p.word("operation") == Some("automatic"), delay(i))
            })
            .chain(
                self.components(Kind::InverterCharger).into_iter().map(|i| (self.ctx.id(i).to_owned(), true, delay(i))),
            )
            .collect();
        for (id, automatic, delay) in both {
            for (way, words) in [("to-shore", "to shore"), ("from-shore", "away from shore")] {
                // Only what it prefers is waited for: a source that has just started must run up, and motors stand still.
                let limit = match delay.filter(|_| way == "to-shore") {
                    Some(set) => band((0.8 * set - 1.0).max(0.0), 1.2 * set + 2.0, "as it is set"),
                    None if automatic => band(0.0, 45.0, "common practice, no source: an automatic one may wait 40 s"),
                    None => band(0.0, 5.0, "common practice, no source"),
                };
                self.tests.push(Test {
                    title: format!("{id} changes over {words}: seconds until its output stands"),
                    terminals: format!("output of {id}"),
                    state: "an appliance on its output".to_owned(),
                    tools: &[Tool::Voltmeter, Tool::Hands],
                    unit: "s",
                    limit,
                    meaning: "It sticks, or one of its inputs is missing. Never two inputs at once on its output."
                        .to_owned(),
                    ..Test::of(TestId::about(TestKind::Transfer, &id).part(way), Phase::Shore)
                });
            }
        }
    }

    /// The state in which this source runs alone and reaches the nodes, else the one in which it reaches most.
    pub(super) fn worst_state(&self, source: usize, line: usize, neutral: usize) -> Option<&'a State> {
        let audit = self.audit;
        let net = &audit.net;
        let alone = |s: &&State| {
            s.live.active[source]
                // The second hot of the same output runs with it.
                && net.sources.iter().enumerate().all(|(i, o)| {
                    o.component == net.sources[source].component || !o.kind.is_ac() || !s.live.active[i]
                })
        };
        let states = || audit.states.states.iter().filter(alone);
        // Where it feeds nothing here as traced, the state in which it feeds most is the one to prove that in.
        let reach = |s: &&State| {
            (0..net.nodes.len()).filter(|&n| s.live.part[n] == s.live.part[net.sources[source].plus]).count()
        };
        let widest = || states().rev().max_by_key(reach);
        states().find(|s| self.volts(s, line, neutral) > 0.0).or_else(widest)
    }

    /// Volts at the input of every hard-wired appliance, by source.
    pub(super) fn appliances(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (source, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind.is_ac() && !s.opposite) {
            let phase = Phase::on(s.kind);
            for i in self.components(Kind::AcLoad) {
                let component = &self.audit.assumed.components[i];
                let (Some(l), Some(n)) = (net.node(i, "ac.L"), net.node(i, "ac.N")) else { continue };
                let Some(state) = self.worst_state(source, l, n).filter(|_| !component.attrs.contains_key("on")) else {
                    continue;
                };
                if self.volts(state, l, n) == 0.0 {
                    continue;
                }
                let (id, from) = (component.id.clone(), self.ctx.id(s.component).to_owned());
                let limit = supply(&self.audit.rules);
                let test = Test {
                    title: format!("{} on {from}: volts at its input", component.title()),
                    terminals: format!("line to neutral at {id}"),
                    state: state.describe(net),
                    tools: &[Tool::TrueRms],
                    unit: "V",
                    limit: limit.clone(),
                    meaning: "Dead with its neighbours alive: its own device or cable; then its low-voltage control."
                        .to_owned(),
                    ..Test::of(TestId::on(TestKind::Appliance, &from, &id), phase)
                };
                let setup = Self::standing(&state.setting.controls);
                list.push((test, Probe::between(Function::AcVolts, &self.name(l), &self.name(n), setup)));
            }
        }
        self.measured_all(list);
    }
}
