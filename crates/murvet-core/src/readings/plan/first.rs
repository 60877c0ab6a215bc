//! The first power-up: batteries compared before they are joined, capacitors charged through a resistor, figures entered
//! before anything charges; and what can only be seen before it is covered.

use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::network::{EdgeKind, nominal_system};
use crate::readings::{Phase, Test, TestId, TestKind, Tool};
use crate::rig::Step;
use crate::units::Dimension;
use std::collections::BTreeMap;

/// Power from which an inverter's capacitors make a spark that welds a contact, W. Common practice, no source.
const SPARKS_W: f64 = 1000.0;
/// Share of the system's voltage that may stand across a switch when it closes onto capacitors. Common practice, no source.
const CLOSES_AT: f64 = 0.2;
/// What a device is set to before it is first energised.
const FIGURES: [&str; 12] = [
    "absorption",
    "charges",
    "float",
    "rebulk",
    "current-limit",
    "input-limit",
    "warning",
    "cut-off",
    "restart",
    "low-cut",
    "high-cut",
    "delay",
];

impl Planner<'_> {
    /// Batteries against each other before their links close: those of one bank, and banks that a run joins for good.
    pub(super) fn strings(&mut self) {
        let rig = &self.audit.assumed;
        let several: Vec<String> = self
            .components(Kind::Battery)
            .iter()
            .filter(|&&i| rig.components[i].si("count", Dimension::Count).is_some_and(|n| n > 1.0))
            .map(|&i| rig.components[i].id.clone())
            .collect();
        for id in several {
            self.tests.push(Test {
                title: format!("Largest difference between the batteries of {id} before they are joined"),
                terminals: format!("each battery of {id} on its own posts"),
                state: "links open, an hour after charge".to_owned(),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(0.0, 0.1, "common practice, no source"),
                meaning: "Joined now they would level through their links: charge each by itself first.".to_owned(),
                ..Test::of(TestId::about(TestKind::Strings, id), Phase::Dc)
            });
        }
    }

    /// What stands across the last open switch before an inverter's capacitors: closed onto empty ones it sparks and welds.
    pub(super) fn precharge(&mut self) {
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        let mut list: BTreeMap<String, Test> = BTreeMap::new();
        for s in net.sources.iter().filter(|s| s.kind == SourceKind::Inverter && !s.opposite) {
            let large = rig.components[s.component].si("power", Dimension::Power).is_none_or(|w| w >= SPARKS_W);
            let (Some((plus, _)), true) = (s.input, large) else { continue };
            let Some(bank) = self.bank_of(plus) else { continue };
            let parted = |i: &&usize| {
                let own = |e: &crate::network::Edge| {
                    net.nodes[e.a].component == Some(**i) || net.nodes[e.b].component == Some(**i)
                };
                let part = net.joined(|e| !own(e) || matches!(e.what, EdgeKind::Bond { .. }));
                part[bank.plus] != part[plus]
            };
            let switches = self.components(Kind::Isolator);
            let Some(&switch) = switches.iter().find(parted) else { continue };
            let (switch, id) = (self.ctx.id(switch).to_owned(), self.ctx.id(s.component).to_owned());
            let test = Test {
                title: format!(
                    "Across {switch} before it closes onto the capacitors of {id}, charged through a resistor"
                ),
                terminals: format!("one side of {switch} to the other"),
                state: format!("{switch} open, a resistor across it for some seconds"),
                tools: &[Tool::Voltmeter],
                unit: "V",
                limit: band(0.0, CLOSES_AT * nominal_system(bank.volts), "common practice, no source"),
                meaning:
                    "Closed now it sparks: a lug burns or a contact welds shut, and then nothing isolates the battery."
                        .to_owned(),
                ..Test::of(TestId::about(TestKind::Precharge, &switch), Phase::Dc)
            };
            list.entry(switch).or_insert(test);
        }
        self.tests.extend(list.into_values());
    }

    /// The figures in every device that is set, read back before it first charges or runs.
    pub(super) fn settings(&mut self) {
        let rig = &self.audit.assumed;
        let mut list = Vec::new();
        for p in rig.components.iter().filter(|p| p.status.present()) {
            let own: Vec<String> = FIGURES
                .iter()
                // What a battery takes is its maker's; what its electronics cut at is set.
                .filter(|key| p.kind != Kind::Battery || key.ends_with("-cut"))
                .filter_map(|key| {
                    let value = p.attrs.get(*key)?;
                    (!value.stand_in).then(|| format!("{key} {}", value.text))
                })
                .collect();
            let set = matches!(
                p.kind,
                Kind::Charger | Kind::Controller | Kind::DcDc | Kind::InverterCharger | Kind::WindTurbine
            );
            if own.is_empty() && !set {
                continue;
            }
            let wanted = if own.is_empty() {
                "nothing of it was traced: read it and enter it".to_owned()
            } else {
                own.join(", ")
            };
            list.push(Test {
                title: format!("What {} is set to, before it first runs", p.title()),
                terminals: format!("{}: {wanted}", p.id),
                state: "powered, its output still off".to_owned(),
                meaning:
                    "Set for another battery, or not set at all: enter what it shows on Trace and look at the findings."
                        .to_owned(),
                ..Test::of(TestId::about(TestKind::Settings, &p.id), Phase::Dc)
            });
        }
        self.tests.extend(list);
    }

    /// What lies open now and will be covered.
    pub(super) fn covered(&mut self) {
        let rig = &self.audit.assumed;
        let mut list = Vec::new();
        for place in &rig.places {
            let passes = |via: &[String]| via.contains(&place.id);
            let runs = rig
                .runs
                .iter()
                .flat_map(|r| &r.steps)
                .filter(|s| matches!(s, Step::Conductor(w) if passes(&w.via)))
                .count();
            let cables = rig.cables.iter().filter(|c| passes(&c.via)).count();
            if runs + cables == 0 {
                continue;
            }
            let title = place.label.as_deref().unwrap_or(&place.id);
            list.push(Test {
                title: format!(
                    "{title} before it is covered, {} conductors and cables: size and mark, route, support, grommets, away from heat and gas, no joint behind a lining; photograph it",
                    runs + cables
                ),
                terminals: title.to_owned(),
                state: "linings open".to_owned(),
                meaning: "Covered as it is, nobody sees it again: put it right now.".to_owned(),
                ..Test::of(TestId::about(TestKind::Covered, &place.id), Phase::Look)
            });
        }
        self.tests.extend(list);
    }
}
