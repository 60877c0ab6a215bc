//! Working current that takes the earth.

use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::measure::{Function, Probe, TestSetup};
use crate::network::WireSpot;
use crate::readings::{Phase, Test, TestId, TestKind, Tool};
use crate::rig::Core;

/// Most that an earth conductor carries while appliances work, A (common practice, no source).
const STRAY_A: f64 = 0.1;

impl Planner<'_> {
    /// Current in the earth conductor of each outlet and appliance while it works: what goes out comes back by the neutral.
    pub(super) fn strays(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (source, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind.is_ac() && !s.opposite) {
            let (phase, shore) = (Phase::on(s.kind), s.kind == SourceKind::Shore);
            let from = self.ctx.id(s.component).to_owned();
            let ends = [Kind::Outlet, Kind::GfciOutlet, Kind::AcLoad].into_iter().flat_map(|k| self.components(k));
            for i in ends {
                let component = &self.audit.assumed.components[i];
                let load = component.kind == Kind::AcLoad;
                if load && component.attrs.contains_key("on") {
                    continue;
                }
                let at = |core: &str| net.plugged(i, core);
                let (Some(l), Some(n)) = (at("L"), at("N")) else { continue };
                let Some(state) = self.worst_state(source, l, n).filter(|s| self.volts(s, l, n) > 0.0) else {
                    continue;
                };
                // On shore at every end; on the others once, round the earth core of the source's own cable.
                let pe = if shore { net.node(i, "line.PE").or_else(|| at("PE")) } else { s.earth };
                let key = net.edges.iter().find_map(|edge| match edge.what {
                    crate::network::EdgeKind::Wire(w) if Some(if shore { edge.b } else { edge.a }) == pe => {
                        matches!(net.wires[w].spot, WireSpot::Cable(..)).then(|| net.wires[w].key.clone())
                    }
                    _ => None,
                });
                let Some(key) = key else { continue };
                let id = component.id.clone();
                let subject = if shore { id.clone() } else { from.clone() };
                let what = if load { format!("{id} on") } else { format!("a 1000 W heater in {id}") };
                let test = Test {
                    title: format!("Current in the {} of {subject} with {what}", self.audit.rules.words.earth),
                    terminals: format!("clamp round the earth core {key}"),
                    state: format!("{}, {what}", state.describe(net)),
                    tools: &[Tool::AcClamp],
                    unit: "A",
                    limit: band(0.0, STRAY_A, "common practice, no source"),
                    meaning: "Neutral and earth meet behind it or are swapped: the current comes back by the earth."
                        .to_owned(),
                    ..Test::of(TestId::about(TestKind::Stray, &subject), phase)
                };
                let setup = crate::measure::TestSetup {
                    heater: (!load).then(|| id.clone()),
                    on: if load { vec![id] } else { Vec::new() },
                    ..Self::standing(&state.setting.controls)
                };
                list.push((
                    test,
                    Probe { function: Function::AcAmps, leads: vec![(format!("wire:{key}"), String::new())], setup },
                ));
                if !shore {
                    break;
                }
            }
        }
        self.measured_all(list);
    }

    /// Earth cores that as traced carry working current, each by itself: where neutral and earth meet at both ends of one.
    pub(super) fn earths_that_carry(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (source, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind.is_ac() && !s.opposite) {
            let Some((outlet, state)) = self.heated(source) else { continue };
            let outlet = self.ctx.id(outlet).to_owned();
            let setup = TestSetup { heater: Some(outlet.clone()), ..Self::standing(&state.setting.controls) };
            let cores = (0..net.wires.len())
                .filter(|w| matches!(net.wires[*w].spot, WireSpot::Cable(_, core) if core == Core::PE as usize));
            for w in cores {
                let wire = &net.wires[w];
                let leads = vec![(format!("wire:{}", wire.key), String::new())];
                let probe = Probe { function: Function::AcAmps, leads, setup: setup.clone() };
                if self.world.read(&probe).is_none_or(|a| a <= STRAY_A) {
                    continue;
                }
                let test = Test {
                    title: format!("Current in {} with a 1000 W heater in {outlet}", wire.key),
                    terminals: format!("clamp round the earth core {} from {}", wire.key, net.wire_ends(w)),
                    state: format!("{}, a 1000 W heater in {outlet}", state.describe(net)),
                    tools: &[Tool::AcClamp],
                    unit: "A",
                    limit: band(0.0, STRAY_A, "common practice, no source"),
                    meaning: "Neutral meets earth at both of its ends: working current takes the earth.".to_owned(),
                    ..Test::of(TestId::about(TestKind::Stray, &wire.key), Phase::on(s.kind))
                };
                list.push((test, probe));
            }
        }
        self.measured_all(list);
    }
}
