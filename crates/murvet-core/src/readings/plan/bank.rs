//! What only a bank shows: its negative on the body, the shares of its batteries, whether what charges on shore carries the
//! rig; and that what is made for one voltage gets it.

use super::mains::round_all;
use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::measure::{Function, Probe, TestSetup};
use crate::network::{Source, nominal_system};
use crate::readings::{Phase, Test, TestId, TestKind, Tool};
use crate::units::Dimension;

/// Most between the negative of a bank and the body, ohm (common practice, no source).
const NEGATIVE_OHM: f64 = 0.5;

impl Planner<'_> {
    fn house_banks(&self) -> impl Iterator<Item = &Source> {
        let components = &self.audit.assumed.components;
        let banks = self.audit.net.sources.iter().filter(|s| s.kind == SourceKind::Battery);
        banks.filter(|s| !components[s.component].flag("starter"))
    }

    /// The negative of each bank is joined to the body.
    pub(super) fn negatives(&mut self) {
        let net = &self.audit.net;
        let frame = self.components(Kind::Chassis).first().and_then(|i| net.node(*i, "bar"));
        let Some(frame) = frame.map(|n| self.name(n)) else { return };
        // The lower ones of a string stand above the negative.
        let lower: Vec<usize> = net.sources.iter().flat_map(|s| s.below.iter().copied()).collect();
        let bottom =
            |s: &&Source| s.below.is_empty() && !lower.contains(&s.component) || lower.first() == Some(&s.component);
        let banks: Vec<(String, String)> = self
            .house_banks()
            .filter(bottom)
            .map(|s| (self.ctx.id(s.component).to_owned(), self.name(s.minus)))
            .collect();
        for (id, minus) in banks {
            let test = Test {
                title: format!("The negative of {id} is joined to the body"),
                terminals: format!("{minus} to {frame}"),
                state: "every isolator open, everything off".to_owned(),
                tools: &[Tool::LowOhm],
                unit: "ohm",
                limit: band(0.0, NEGATIVE_OHM, "common practice, no source"),
                meaning: "Not joined: a positive that chafes through makes the body positive and opens nothing."
                    .to_owned(),
                ..Test::of(TestId::about(TestKind::Negative, id), Phase::Dead)
            };
            self.measured(test, Probe::between(Function::Ohms, &minus, &frame, self.isolated()));
        }
    }

    /// Batteries that stand beside each other: what each gives of the largest appliance, against its fair share.
    pub(super) fn shares(&mut self) {
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        let Some(parked) = self.audit.states.states.first() else { return };
        let beside = |s: &&Source| {
            let same = |o: &&Source| {
                o.component != s.component
                    && parked.live.part[o.plus] == parked.live.part[s.plus]
                    && parked.live.metal[o.minus] == parked.live.metal[s.minus]
            };
            s.below.is_empty() && self.house_banks().any(|o| same(&o))
        };
        let ah = |s: &Source| rig.components[s.component].si("capacity", Dimension::Charge).unwrap_or(100.0);
        let group: Vec<&Source> = self.house_banks().filter(beside).collect();
        let fed = |c: &&crate::network::Consumer| {
            !c.ac
                && rig.components[c.component].kind == Kind::DcLoad
                && group.first().is_some_and(|s| parked.live.part[c.plus] == parked.live.part[s.plus])
        };
        let largest = net.consumers.iter().filter(fed).filter_map(|c| Some((c.current_a?, c.component)));
        let Some((amps, load)) = largest.max_by(|a, b| a.0.total_cmp(&b.0)) else { return };
        let all: f64 = group.iter().map(|s| ah(s)).sum();
        let load = self.ctx.id(load).to_owned();
        let mut list = Vec::new();
        for s in group {
            let leads: Vec<(String, String)> = self.leads_of_bank(s).into_iter().map(|(a, b)| (b, a)).collect();
            if leads.is_empty() {
                continue;
            }
            let fair = amps * ah(s) / all;
            let words: Vec<String> = leads.iter().map(|(post, other)| format!("{post} towards {other}")).collect();
            let id = self.ctx.id(s.component).to_owned();
            let test = Test {
                title: format!("Share of {id} of the {amps:.0} A of {load}"),
                terminals: words.join("; "),
                state: format!("{load} on alone, no charge"),
                tools: &[Tool::DcClamp],
                unit: "A",
                limit: band(
                    fair * (2.0 - self.audit.rules.share.value).max(0.0),
                    fair * self.audit.rules.share.value,
                    "its fair share by capacity; how far from it, common practice, no source",
                ),
                meaning: "It works harder than the others, or not at all: leads of unlike resistance, a joint, a spent battery."
                    .to_owned(),
                ..Test::of(TestId::about(TestKind::Share, id), Phase::Dc)
            };
            let setup = TestSetup { on: vec![load.clone()], dark: true, ..TestSetup::default() };
            list.push((test, Probe { function: Function::DcAmps, leads, setup }));
        }
        self.measured_all(list);
    }

    /// On shore, with everything on direct current on, the bank does not fall.
    pub(super) fn carries(&mut self) {
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        let mut list = Vec::new();
        for bank in self.house_banks() {
            let own = |i: usize| net.sources[i].kind == SourceKind::Charger;
            let state = self.audit.states.states.iter().find(|s| {
                let shore =
                    net.sources.iter().enumerate().any(|(i, x)| x.kind == SourceKind::Shore && s.live.active[i]);
                let inverts =
                    net.sources.iter().enumerate().any(|(i, x)| x.kind == SourceKind::Inverter && s.live.active[i]);
                shore && !inverts && s.live.sources_at(net, bank.plus).any(own)
            });
            let Some(state) = state else { continue };
            let on: Vec<String> = net
                .consumers
                .iter()
                .filter(|c| {
                    !c.ac
                        && rig.components[c.component].kind == Kind::DcLoad
                        && !rig.components[c.component].flag("breakaway")
                })
                .filter(|c| state.live.part[c.plus] == state.live.part[bank.plus])
                .map(|c| rig.components[c.component].id.clone())
                .collect();
            let leads = self.leads_of_bank(bank);
            if on.is_empty() || leads.is_empty() {
                continue;
            }
            let id = self.ctx.id(bank.component).to_owned();
            let test = Test {
                title: format!("Current into {id} on shore with every DC appliance on"),
                terminals: round_all(&leads),
                state: format!("{}, no sun, every DC appliance on", state.describe(net)),
                tools: &[Tool::DcClamp],
                unit: "A",
                limit: band(0.0, f64::INFINITY, "common practice, no source"),
                meaning:
                    "The bank falls although the rig is plugged in: the chargers give less than the appliances take."
                        .to_owned(),
                ..Test::of(TestId::about(TestKind::Carries, id), Phase::Load)
            };
            let setup = TestSetup { on, dark: true, ..Self::standing(&state.setting.controls) };
            list.push((test, Probe { function: Function::DcAmps, leads, setup }));
        }
        self.measured_all(list);
    }

    /// The voltage at the input of what is made for one, before it is switched on, plus on plus.
    pub(super) fn inputs(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for c in net.consumers.iter().filter(|c| !c.ac) {
            let p = &self.audit.assumed.components[c.component];
            if !matches!(p.kind, Kind::Inverter | Kind::InverterCharger) {
                continue;
            }
            let Some(made) = p.si("dc", Dimension::Voltage).map(nominal_system) else { continue };
            let (plus, minus) = (self.name(c.plus), self.name(c.minus));
            let probe =
                Probe::between(Function::DcVolts, &plus, &minus, TestSetup { dark: true, ..TestSetup::default() });
            if self.world.read(&probe).is_none_or(|v| v.abs() < 1.0) {
                continue;
            }
            let test = Test {
                title: format!("Voltage at the input of {} before it is switched on, plus on plus", p.title()),
                terminals: format!("{plus} to {minus}"),
                state: format!("{} off, battery closed", p.id),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(0.85 * made, 1.25 * made, "what it is made for; common practice, no source"),
                meaning:
                    "Another voltage than it is made for, or plus and minus changed over: it does not survive that."
                        .to_owned(),
                ..Test::of(TestId::about(TestKind::Input, &p.id), Phase::Dc)
            };
            list.push((test, probe));
        }
        self.measured_all(list);
    }
}
