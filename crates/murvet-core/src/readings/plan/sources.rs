//! What tells a source by its wave: its frequency, and its two hots against each other.

use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::measure::{Function, Probe, TestSetup};
use crate::readings::{Phase, Test, TestId, TestKind, Tool};
use crate::states::State;

/// How far an inverter's frequency may be from its nominal, and a generator's, Hz: an inverter's is exact, a generator's moves
/// with its load. Common practice, no source.
const INVERTER_HZ: f64 = 0.5;
const GENERATOR_HZ: f64 = 3.0;

impl Planner<'_> {
    /// The frequency of every source of the rig's own: it tells by which source an outlet is fed.
    pub(super) fn frequencies(&mut self) {
        let nominal = self.audit.rules.frequency_hz.value;
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (i, s) in net.sources.iter().enumerate().filter(|(_, s)| !s.opposite) {
            let (within, meaning) = match s.kind {
                SourceKind::Inverter => {
                    (INVERTER_HZ, "Not exact: it is no inverter that feeds this, or it is set for another country.")
                }
                SourceKind::Generator => {
                    (GENERATOR_HZ, "Its speed is wrong: motors and clocks suffer, chargers and transfers refuse it.")
                }
                _ => continue,
            };
            let Some((outlet, state)) = self.heated(i) else { continue };
            let (from, outlet) = (self.ctx.id(s.component).to_owned(), self.ctx.id(outlet).to_owned());
            list.push(Test {
                title: format!("Frequency of {from}"),
                terminals: format!("line to neutral of {outlet}"),
                state: state.describe(net),
                tools: &[Tool::TrueRms],
                unit: "Hz",
                predicted: Some(band(nominal - within, nominal + within, "its kind")),
                limit: band(nominal - within, nominal + within, "common practice, no source"),
                meaning: meaning.to_owned(),
                ..Test::of(TestId::about(TestKind::Frequency, &from), Phase::on(s.kind))
            });
        }
        self.tests.extend(list);
    }

    /// Hot to hot at every panel of two hots, on each source: twice the voltage where they are opposite, none where they are
    /// one hot twice.
    pub(super) fn legs(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for (i, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind.is_ac() && !s.opposite) {
            for p in self.components(Kind::Panel) {
                let (Some(a), Some(b)) = (net.node(p, "hot"), net.node(p, "hot2")) else { continue };
                let fed = |x: &&State| {
                    let own = |o: &crate::network::Source| o.component == s.component;
                    x.live.active[i]
                        && x.live.sources_at(net, a).any(|k| own(&net.sources[k]))
                        && net.sources.iter().enumerate().all(|(k, o)| !o.kind.is_ac() || own(o) || !x.live.active[k])
                };
                let Some(state) = self.audit.states.states.iter().find(fed) else { continue };
                let (id, from) = (self.ctx.id(p).to_owned(), self.ctx.id(s.component).to_owned());
                let setup = TestSetup { controls: state.setting.controls.clone(), ..TestSetup::default() };
                let probe = Probe::between(Function::AcVolts, &self.name(a), &self.name(b), setup);
                let test = Test {
                    title: format!("Hot to hot of {id} on {from}"),
                    terminals: format!("{} to {}", self.name(a), self.name(b)),
                    state: state.describe(net),
                    tools: &[Tool::TrueRms],
                    unit: "V",
                    limit: self.hot_to_hot(&probe, s.volts),
                    meaning: "Not as traced: both hots in phase add up in a shared neutral, opposite ones leave the difference."
                        .to_owned(),
                    ..Test::of(TestId::on(TestKind::Legs, &from, &id), Phase::on(s.kind))
                };
                list.push((test, probe));
            }
        }
        self.measured_all(list);
    }
}
