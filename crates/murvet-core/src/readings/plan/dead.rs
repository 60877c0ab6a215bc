//! The supply, and everything dead: earth paths, neutral apart from earth, landings, insulation.

use super::{APART_OHM, JOINED_OHM, Planner, band};
use crate::catalogue::{Kind, Role};
use crate::measure::{Function, Probe, TestSetup};
use crate::network::{EdgeKind, WireSpot};
use crate::profiles::resistance_ohm_per_m;
use crate::readings::{Phase, Test, TestId, TestKind, Tool};
use crate::rig::Core;
use crate::units::Dimension;
use std::collections::{BTreeMap, BinaryHeap};

/// Most that a skin may stand above true earth, V. Common practice, no source.
const SKIN_V: f64 = 2.0;

/// A cable with the nodes that each of its cores joins.
type Landings = (String, Vec<(Core, usize, usize)>);

impl Planner<'_> {
    pub(super) fn supply(&mut self) {
        let profile = &self.audit.rules;
        for i in self.components(Kind::Inlet) {
            let id = self.ctx.id(i).to_owned();
            let (low, high) = (&profile.supply_low_v, &profile.supply_high_v);
            self.tests.push(Test {
                title: format!("Skin against true {}, before the rig is touched", profile.words.earth),
                terminals: "bare metal of skin, step or drawbar to a rod in the ground".to_owned(),
                state: "plugged in as it was found".to_owned(),
                tools: &[Tool::LowImpedance],
                unit: "V",
                limit: band(0.0, SKIN_V, "common practice, no source"),
                meaning: "The skin is live: keep off, pull the plug at the supply end. Earth is lost and something leaks, or \
                          neutral meets the body on a reversed supply."
                    .to_owned(),
                ..Test::of(TestId::about(TestKind::Skin, &id), Phase::Supply)
            });
            self.tests.push(Test {
                title: format!("Voltage of the {}", profile.words.supply),
                terminals: format!("{} to neutral at the supply outlet", profile.words.line),
                state: "unplugged".to_owned(),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(low.value, high.value, &low.source),
                meaning: "Wrong supply: do not plug in. A 30 A outlet that carries 240 V destroys everything."
                    .to_owned(),
                ..Test::of(TestId::about(TestKind::SupplyVolts, &id), Phase::Supply)
            });
            if let Some(legs) = self.audit.assumed.components[i].word("legs") {
                let volts =
                    self.audit.assumed.components[i].si("voltage", Dimension::Voltage).unwrap_or(profile.ac_v.value);
                let (hots, source) = match legs {
                    "two-hot" => (band(1.8 * volts, 2.2 * volts, "opposite hots"), "240 V between them"),
                    _ => (band(0.0, super::DEAD_V, "one hot twice"), "no voltage between them"),
                };
                let of = |kind, title: String, terminals: String, limit, meaning: String| Test {
                    title,
                    terminals,
                    state: "unplugged".to_owned(),
                    tools: &[Tool::Voltmeter],
                    unit: "V",
                    limit,
                    meaning,
                    ..Test::of(TestId::about(kind, &id), Phase::Supply)
                };
                self.tests.push(of(
                    TestKind::SupplyVolts2,
                    format!("Voltage of the second hot of the {}", profile.words.supply),
                    format!("second {} to neutral at the supply outlet", profile.words.line),
                    band(low.value, high.value, &low.source),
                    "A lost hot: half the rig is dead, and what hangs between the hots feeds it back.".to_owned(),
                ));
                self.tests.push(of(
                    TestKind::SupplyHots,
                    format!("Hot to hot of the {}", profile.words.supply),
                    "one hot to the other at the supply outlet".to_owned(),
                    hots,
                    format!("Traced as {source}: in phase the shared neutrals carry the sum."),
                ));
            }
            self.tests.push(Test {
                title: format!("Neutral to {} of the {}", profile.words.earth, profile.words.supply),
                terminals: format!("neutral to {} at the supply outlet", profile.words.earth),
                state: "unplugged".to_owned(),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(0.0, 2.0, "common practice, no source"),
                meaning: "Reversed polarity, a lost neutral or no bond at the supply.".to_owned(),
                ..Test::of(TestId::about(TestKind::SupplyNe, &id), Phase::Supply)
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
                // Cold copper of nominal area and what lies beside it at the least, warm of greatest resistance and the joints
                // at the most; a meter resolves hundredths.
                return Some(((ohm * 0.6 - 0.02).max(0.0), ohm * 1.05 + 0.1));
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
                    EdgeKind::Wire(w) => {
                        let wire = &net.wires[w];
                        wire.length_m * resistance_ohm_per_m(wire.laid.area_mm2, wire.gauge)
                    }
                    EdgeKind::Joint => 0.0,
                    _ => continue,
                };
                if net.nodes[other].duty == Role::Earth && !best.contains_key(&other) {
                    heap.push((std::cmp::Reverse(((ohm + step) * 1e9) as u64), other));
                }
            }
        }
        None
    }

    /// The low end of a resistance with what was not seen at its best.
    fn at_best(&self, probe: &Probe, low: f64) -> f64 {
        let best = self.best.as_ref().and_then(|w| w.read(probe));
        best.map_or(low, |ohm| low.min((ohm * 0.6 - 0.02).max(0.0)))
    }

    pub(super) fn earth_continuity(&mut self) {
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        let profile = &self.audit.rules;
        // Against the first earth bar, else the inlet's earth.
        let bar = net.nodes.iter().position(|n| {
            n.component.is_some_and(|p| rig.components[p].kind == Kind::Panel && rig.components[p].status.present())
                && n.terminal == "PE"
        });
        let bar = bar.or_else(|| net.sources.iter().find_map(|s| s.earth));
        let Some(bar) = bar else { return };
        for (n, node) in net.nodes.iter().enumerate() {
            let Some(p) = node.component.filter(|p| rig.components[*p].status.present()) else { continue };
            let component = &rig.components[p];
            let wanted = match component.kind {
                Kind::Outlet | Kind::AcLoad | Kind::Charger => {
                    node.terminal == "ac.PE" && !component.attrs.contains_key("on")
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
            let probe = Probe::between(Function::Ohms, &node.name, &net.nodes[bar].name, TestSetup::default());
            let predicted = match path {
                Some((low, high)) => band(self.at_best(&probe, low), high, "earth conductors as traced"),
                None => band(1000.0, f64::INFINITY, "no earth path was traced"),
            };
            self.tests.push(Test {
                title: format!("Continuity of {} to {}", profile.words.earth, component.title()),
                terminals: format!("{} to {}", node.name, net.nodes[bar].name),
                state: "everything off, unplugged".to_owned(),
                tools: &[Tool::LowOhm],
                unit: "ohm",
                predicted: Some(predicted),
                limit: band(0.0, profile.earth_ohm.value, &profile.earth_ohm.source),
                meaning: format!("A fault to the case of {} would not open anything.", component.title()),
                probe: Some(probe),
                ..Test::of(TestId::about(TestKind::Earth, &component.id), Phase::Dead)
            });
        }
    }

    /// Each conductor that bonds by itself: what lies beside it would hide that it is open.
    pub(super) fn bonding(&mut self) {
        let net = &self.audit.net;
        let limit = &self.audit.rules.earth_ohm;
        let mut list = Vec::new();
        for e in &net.edges {
            let EdgeKind::Wire(w) = e.what else { continue };
            let wire = &net.wires[w];
            let earth = |n: usize| net.nodes[n].duty == Role::Earth;
            let appliance = |n: usize| net.consumers.iter().any(|c| !c.ac && c.minus == n);
            if !matches!(wire.spot, WireSpot::Run(..))
                || !(earth(e.a) || earth(e.b))
                || appliance(e.a)
                || appliance(e.b)
            {
                continue;
            }
            let ohm = wire.length_m * resistance_ohm_per_m(wire.laid.area_mm2, wire.gauge);
            let (from, to) = (self.name(e.a), self.name(e.b));
            let probe = Probe::between(Function::Ohms, &format!("wire:{}", wire.key), &to, TestSetup::default());
            let low = self.at_best(&probe, (ohm * 0.6 - 0.02).max(0.0));
            list.push(Test {
                title: format!("The bonding conductor from {from} to {to} by itself"),
                terminals: format!("{from} to {to}, one end lifted"),
                state: "everything off, unplugged".to_owned(),
                tools: &[Tool::LowOhm],
                unit: "ohm",
                predicted: Some(band(low, ohm * 1.05 + 0.1, "the conductor as traced")),
                limit: band(0.0, limit.value, &limit.source),
                meaning: "It is open or loose, and another path hid it: the next that fails leaves metal live."
                    .to_owned(),
                probe: Some(probe),
                ..Test::of(TestId::about(TestKind::Bonding, &wire.key), Phase::Dead)
            });
        }
        self.tests.extend(list);
    }

    pub(super) fn neutral_earth_dead(&mut self) {
        let parked = self.audit.states.states.first();
        let Some(parked) = parked else { return };
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        for i in self.components(Kind::Panel).into_iter().chain(self.components(Kind::Inlet)) {
            let (n, e) = if rig.components[i].kind == Kind::Panel { ("N", "PE") } else { ("out.N", "out.PE") };
            let (Some(n), Some(e)) = (net.node(i, n), net.node(i, e)) else { continue };
            let joined = parked.live.metal[n] == parked.live.metal[e];
            let predicted = if joined {
                band(0.0, JOINED_OHM, "a bond was traced")
            } else {
                band(APART_OHM, f64::INFINITY, "no bond was traced")
            };
            let id = &rig.components[i].id;
            // A rig without an inlet may have its only bond here.
            let needs_apart = !self.components(Kind::Inlet).is_empty();
            let limit = if needs_apart {
                band(APART_OHM, f64::INFINITY, "IEC 60364-6, 250 V test with electronics attached (recalled)")
            } else {
                band(0.0, f64::INFINITY, "recorded only: the rig has no shore inlet")
            };
            self.tests.push(Test {
                title: format!("Neutral apart from earth at {id}"),
                terminals: format!("{} to {}", net.nodes[n].name, net.nodes[e].name),
                state: "everything off, unplugged, transfer at shore".to_owned(),
                tools: &[Tool::Insulation],
                unit: "ohm",
                predicted: Some(predicted),
                limit,
                meaning: "Neutral meets earth inside the rig: on shore that is a second bond.".to_owned(),
                probe: Some(Probe::between(
                    Function::Insulation,
                    &net.nodes[n].name,
                    &net.nodes[e].name,
                    TestSetup::default(),
                )),
                ..Test::of(TestId::about(TestKind::NeutralEarth, id), Phase::Dead)
            });
        }
    }

    /// Nothing may be shorted behind the battery before it is closed.
    pub(super) fn shorts(&mut self) {
        let setup = self.isolated();
        for i in self.components(Kind::FuseBlock) {
            let (Some(plus), Some(minus)) = (self.audit.net.node(i, "in"), self.audit.net.node(i, "-")) else {
                continue;
            };
            let (id, a, b) = (self.ctx.id(i).to_owned(), self.name(plus), self.name(minus));
            let probe = Probe::between(Function::Ohms, &a, &b, setup.clone());
            let test = Test {
                title: format!("No short between positive and negative at {id}"),
                terminals: format!("{a} to {b}"),
                state: "every isolator open, every appliance off".to_owned(),
                tools: &[Tool::LowOhm],
                unit: "ohm",
                limit: band(5.0, f64::INFINITY, "common practice, no source"),
                meaning: "A short or something left on: closing the battery would feed it.".to_owned(),
                ..Test::of(TestId::about(TestKind::Short, &id), Phase::Dead)
            };
            // With a bank that nothing isolates the meter would stand on the bank.
            let live =
                self.world.read(&Probe { function: Function::DcVolts, ..probe.clone() }).is_some_and(|v| v.abs() > 0.5);
            if !live {
                self.measured(test, probe);
            }
        }
    }

    /// Both leads of everything on direct current, before it is energised for the first time: plus on plus, minus on minus.
    pub(super) fn direct_landings(&mut self) {
        let net = &self.audit.net;
        let setup = self.isolated();
        let part = self.ctx.joined(|e| matches!(e.what, EdgeKind::Wire(_) | EdgeKind::Joint));
        let mut list = Vec::new();
        for c in net.consumers.iter().filter(|c| !c.ac) {
            // From the far end of what lands on it: a way, a device, a bar.
            let far = |end: usize| {
                let other = |n: &usize| {
                    *n != end && part[*n] == part[end] && net.nodes[*n].component.is_some_and(|p| p != c.component)
                };
                let mut all: Vec<usize> = (0..net.nodes.len()).filter(other).collect();
                let rank = |n: &usize| match net.nodes[*n].component.map(|p| self.ctx.rig.components[p].kind) {
                    Some(Kind::FuseBlock) => 0,
                    Some(kind) if kind.is_overcurrent_device() => 1,
                    Some(Kind::Battery) => 2,
                    Some(Kind::Bus) => 3,
                    _ => 4,
                };
                all.sort_by_key(rank);
                all.first().copied()
            };
            let (Some(plus), Some(minus)) = (far(c.plus), far(c.minus)) else { continue };
            let leads = vec![(self.name(plus), self.name(c.plus)), (self.name(c.minus), self.name(minus))];
            let id = self.ctx.id(c.component).to_owned();
            let test = Test {
                title: format!(
                    "Both leads of {} land where they should, plus on plus",
                    self.ctx.rig.components[c.component].title()
                ),
                terminals: leads.iter().map(|(a, b)| format!("{a} to {b}")).collect::<Vec<_>>().join(" plus "),
                state: "every isolator open, every appliance off".to_owned(),
                tools: &[Tool::LowOhm],
                unit: "ohm",
                limit: band(0.0, 1.0, "common practice, no source"),
                meaning: "A lead is open, or plus and minus are changed over: electronics do not survive that."
                    .to_owned(),
                ..Test::of(TestId::about(TestKind::Land, &id), Phase::Dead)
            };
            list.push((test, Probe { function: Function::Ohms, leads, setup: setup.clone() }));
        }
        self.measured_all(list);
    }

    /// What is positive stands apart from the body, negative lifted off it: nothing chafes through.
    pub(super) fn direct_insulation(&mut self) {
        let net = &self.audit.net;
        let Some(frame) =
            self.components(Kind::Chassis).first().and_then(|i| net.nodes.iter().position(|n| n.component == Some(*i)))
        else {
            return;
        };
        let mut list = Vec::new();
        let mut told: Vec<u32> = Vec::new();
        let part = self.ctx.whole();
        let blocks = self.components(Kind::FuseBlock).into_iter().filter_map(|i| Some((i, net.node(i, "in")?)));
        let bars = self.components(Kind::Bus).into_iter().filter_map(|i| {
            let node = net.nodes.iter().position(|n| n.component == Some(i))?;
            (net.nodes[node].duty == Role::Plus).then_some((i, node))
        });
        for (i, node) in blocks.chain(bars) {
            // One place for everything that hangs together.
            if told.contains(&part[node]) {
                continue;
            }
            told.push(part[node]);
            let id = self.ctx.id(i).to_owned();
            list.push(Test {
                title: format!("Insulation of every positive at {id} against the body"),
                terminals: format!("{} to {}", self.name(node), self.name(frame)),
                state: "every isolator open, appliances unplugged or off, the bond of the negative lifted off the body"
                    .to_owned(),
                tools: &[Tool::Insulation],
                unit: "ohm",
                limit: band(
                    APART_OHM,
                    f64::INFINITY,
                    "common practice, no source: as for mains, at 250 V, electronics off",
                ),
                meaning: "A positive chafes on metal: energised, it burns there or makes the body live.".to_owned(),
                ..Test::of(TestId::about(TestKind::DcInsulation, &id), Phase::Dead)
            });
        }
        self.tests.extend(list);
    }

    /// Each core lands where it should, and nowhere else.
    pub(super) fn landings(&mut self) {
        let rig = &self.audit.assumed;
        let spots: Vec<Landings> = rig
            .cables
            .iter()
            .enumerate()
            .filter(|(_, c)| c.status.present())
            .map(|(index, c)| {
                let cores = [Core::L, Core::L2, Core::N, Core::PE].into_iter().filter_map(|core| {
                    let spot = WireSpot::Cable(index, core as usize);
                    let net = &self.audit.net;
                    let edge =
                        net.edges.iter().find(|e| matches!(e.what, EdgeKind::Wire(w) if net.wires[w].spot == spot))?;
                    Some((core, edge.a, edge.b))
                });
                (c.id.clone(), cores.collect())
            })
            .collect();
        for (cable, cores) in spots {
            for (core, a, b) in cores {
                // Where the core should land is the terminal of its own kind at the far component.
                let far = self.audit.net.nodes[b].clone();
                let wanted = far.component.and_then(|p| {
                    let stem = far.terminal.rsplit_once('.').map_or("", |(stem, _)| stem);
                    let name = if stem.is_empty() { core.word().to_owned() } else { format!("{stem}.{}", core.word()) };
                    self.audit.net.node(p, &name)
                });
                let b = wanted.unwrap_or(b);
                let (from, to) = (self.name(a), self.name(b));
                // Earths lie beside each other: with its end lifted an open one is not hidden by the rest.
                let (lead, lifted) = match core {
                    Core::PE => (format!("wire:{cable}.{}", core.word()), ", one end lifted"),
                    _ => (from.clone(), ""),
                };
                let probe = Probe::between(Function::Ohms, &lead, &to, TestSetup::default());
                let test = Test {
                    title: format!("Continuity and termination of {cable} core {}", core.word()),
                    terminals: format!("{from} to {to}{lifted}"),
                    state: "everything off, unplugged".to_owned(),
                    tools: &[Tool::LowOhm],
                    unit: "ohm",
                    limit: band(0.0, 1.0, "common practice, no source"),
                    meaning: "The core is open, or lands on another terminal: swapped or lost.".to_owned(),
                    ..Test::of(TestId::about(TestKind::Core, &cable).part(core.word()), Phase::Dead)
                };
                self.measured(test, probe);
            }
        }
    }

    /// Line and neutral against earth at each panel.
    pub(super) fn insulation(&mut self) {
        let panels = self.components(Kind::Panel);
        for (i, bar) in panels.into_iter().flat_map(|i| [(i, "hot"), (i, "hot2")]) {
            let (Some(hot), Some(earth)) = (self.audit.net.node(i, bar), self.audit.net.node(i, "PE")) else {
                continue;
            };
            let (id, a, b) = (self.ctx.id(i).to_owned(), self.name(hot), self.name(earth));
            let (kind, which) =
                if bar == "hot" { (TestKind::Insulation, "") } else { (TestKind::Insulation2, " of the second hot") };
            let probe = Probe::between(Function::Insulation, &a, &b, TestSetup::default());
            let test = Test {
                title: format!("Insulation of every line{which} at {id} against {}", self.audit.rules.words.earth),
                terminals: format!("{a} to {b}"),
                state: "everything off and unplugged, electronics taken off or 250 V only".to_owned(),
                tools: &[Tool::Insulation],
                unit: "ohm",
                limit: band(APART_OHM, f64::INFINITY, "IEC 60364-6, 250 V test with electronics attached (recalled)"),
                meaning: "A circuit leaks: take the ways off one by one.".to_owned(),
                ..Test::of(TestId::about(kind, &id), Phase::Dead)
            };
            self.measured(test, probe);
        }
    }
}
