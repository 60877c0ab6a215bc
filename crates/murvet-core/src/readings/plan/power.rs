//! Power on both sides of what converts it, and what an inverter takes while it does nothing.

use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::measure::{Function, Probe, TestSetup};
use crate::readings::{Combine, Part, Parts, Phase, Test, TestId, TestKind, Tool};
use crate::states::State;

/// Least and greatest share of what goes into an inverter under a kilowatt that comes out again, %. Common practice, no
/// source; more than comes in never comes out, but two clamps of a few hundredths each may say so.
const INVERTER_PERCENT: (f64, f64) = (75.0, 103.0);
/// The same of a mains charger, %.
const CHARGER_PERCENT: (f64, f64) = (65.0, 103.0);
/// Most that an inverter takes without load before it is worth a word, W: 15 to 50 W often goes unnoticed.
const IDLE_W: f64 = 50.0;
/// Instruments and idle draw beside the model's efficiency, in hundredths.
const AROUND: f64 = 8.0;

fn part(label: String, function: Function, leads: (String, String), setup: &TestSetup) -> Part {
    Part { label, unit: function.unit(), probe: Probe { function, leads: vec![leads], setup: setup.clone() } }
}

impl Planner<'_> {
    /// An outlet that this source feeds alone, where a heater may stand, and the state in which it does.
    pub(super) fn heated(&self, source: usize) -> Option<(usize, &State)> {
        let net = &self.audit.net;
        let mut outlets = self.components(Kind::Outlet).into_iter().chain(self.components(Kind::GfciOutlet));
        outlets.find_map(|o| {
            let (l, n) = (net.plugged(o, "L")?, net.plugged(o, "N")?);
            let state = self.worst_state(source, l, n)?;
            (self.volts(state, l, n) > 0.0).then_some((o, state))
        })
    }

    /// What the parts of a test give in the rig as traced.
    fn together(&self, parts: &Parts) -> Option<f64> {
        let each: Option<Vec<f64>> = parts.list.iter().map(|p| self.world.read(&p.probe)).collect();
        parts.value(&each?)
    }

    /// Power into and out of each inverter with a heater on, and of each mains charger on shore.
    pub(super) fn balances(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (i, s) in net.sources.iter().enumerate().filter(|(_, s)| !s.opposite) {
            let inverter = s.kind == SourceKind::Inverter;
            let Some((a, b)) = s.input.filter(|_| inverter || s.kind == SourceKind::Charger) else { continue };
            let id = self.ctx.id(s.component).to_owned();
            let (phase, state, heater) = if inverter {
                let Some((outlet, state)) = self.heated(i) else { continue };
                (Phase::Inverter, state, Some(self.ctx.id(outlet).to_owned()))
            } else {
                let on_shore = |x: &&State| {
                    x.live.active[i]
                        && net.sources.iter().enumerate().any(|(k, o)| o.kind == SourceKind::Shore && x.live.active[k])
                };
                let fewest = |x: &&State| x.live.active.iter().filter(|on| **on).count();
                let Some(state) = self.audit.states.states.iter().filter(on_shore).min_by_key(fewest) else { continue };
                (Phase::Shore, state, None)
            };
            let (Some(into), Some(out)) = (net.beyond(a).next(), net.beyond(s.plus).next()) else { continue };
            let setup = TestSetup { heater: heater.clone(), dark: true, ..Self::standing(&state.setting.controls) };
            let (name, plus) = (|n: usize| self.name(n), s.plus);
            let ac = |volts: bool| if volts { Function::AcVolts } else { Function::AcAmps };
            let dc = |volts: bool| if volts { Function::DcVolts } else { Function::DcAmps };
            let (enters, leaves): (&dyn Fn(bool) -> Function, &dyn Fn(bool) -> Function) =
                if inverter { (&dc, &ac) } else { (&ac, &dc) };
            let parts = Parts {
                combine: Combine::Share,
                list: vec![
                    part(
                        format!("Volts into {id}, {} to {}", name(a), name(b)),
                        enters(true),
                        (name(a), name(b)),
                        &setup,
                    ),
                    part(
                        format!("Amperes into {id}, clamp at {}", name(a)),
                        enters(false),
                        (name(into), name(a)),
                        &setup,
                    ),
                    part(
                        format!("Volts out of {id}, {} to {}", name(plus), name(s.minus)),
                        leaves(true),
                        (name(plus), name(s.minus)),
                        &setup,
                    ),
                    part(
                        format!("Amperes out of {id}, clamp at {}", name(plus)),
                        leaves(false),
                        (name(plus), name(out)),
                        &setup,
                    ),
                ],
            };
            let predicted = self
                .together(&parts)
                .filter(|v| v.is_finite() && *v > 0.0)
                .map(|v| band((v - AROUND).max(0.0), (v + AROUND).min(100.0), "usual efficiency, the rig as traced"));
            // Where nothing flows in the model there is nothing to compare: its own test says so.
            if predicted.is_none() {
                continue;
            }
            let (low, high) = if inverter { INVERTER_PERCENT } else { CHARGER_PERCENT };
            list.push(Test {
                title: match &heater {
                    Some(outlet) => format!("Power out of {id} over power into it, with a 1000 W heater in {outlet}"),
                    None => format!("Power out of {id} over power into it while it charges"),
                },
                terminals: format!("volts and amperes on both sides of {id}"),
                state: state.describe(net),
                tools: &[Tool::TrueRms, Tool::DcClamp, Tool::AcClamp],
                unit: "%",
                predicted,
                limit: band(low, high, "common practice, no source"),
                meaning: "More comes out than goes in: another source feeds that side, or a clamp was not zeroed. Far less: a \
                          second appliance before the clamp, current round it, or it is spent."
                    .to_owned(),
                parts: Some(parts),
                ..Test::of(TestId::about(TestKind::Balance, &id), phase)
            });
        }
        self.tests.extend(list);
    }

    /// What each inverter adds to what the bank gives when it is switched on with nothing on it.
    pub(super) fn idle(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (i, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Inverter && !s.opposite) {
            let Some((plus, minus)) = s.input else { continue };
            let Some(bank) = self.bank_of(plus) else { continue };
            let Some(into) = net.beyond(plus).next() else { continue };
            let alone = |x: &&State| {
                x.live.active[i]
                    && net.sources.iter().enumerate().all(|(k, o)| k == i || !o.kind.is_ac() || !x.live.active[k])
            };
            let Some(state) = self.audit.states.states.iter().find(alone) else { continue };
            let id = self.ctx.id(s.component).to_owned();
            let clamp = (self.name(into), self.name(plus));
            let on = TestSetup { dark: true, ..Self::standing(&state.setting.controls) };
            let off = TestSetup { dark: true, ..TestSetup::default() };
            let parts = Parts {
                combine: Combine::Difference,
                list: vec![
                    part(format!("Amperes into {id} while it is off"), Function::DcAmps, clamp.clone(), &off),
                    part(format!("Amperes into {id}, on and with nothing on it"), Function::DcAmps, clamp, &on),
                ],
            };
            let volts = crate::network::nominal_system(bank.volts);
            let stated = self.audit.assumed.components[s.component].si("idle", crate::units::Dimension::Power);
            // A charger that the inverter feeds, or an appliance that is always on, is in this too: it is what happens.
            let predicted = self.together(&parts).filter(|_| stated.is_some());
            list.push(Test {
                title: format!("What {id} takes from {} with nothing on it", self.ctx.id(bank.component)),
                terminals: format!("clamp at {}, volts to {}", self.name(plus), self.name(minus)),
                state: state.describe(net),
                tools: &[Tool::DcClamp],
                unit: "A",
                predicted: predicted.map(|a| band((0.7 * a - 0.2).max(0.0), 1.3 * a + 0.2, "its own figure")),
                limit: band(0.0, IDLE_W / volts, "common practice, no source: 15 to 50 W go unnoticed"),
                meaning: "It empties the bank while nobody uses it, or something is on that nobody thought of: its charger, a \
                          transfer coil, a heater that chose AC by itself."
                    .to_owned(),
                parts: Some(parts),
                ..Test::of(TestId::about(TestKind::Idle, &id), Phase::Inverter)
            });
        }
        self.tests.extend(list);
    }
}
