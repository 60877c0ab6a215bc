//! Figures that are set, plugs that move, and places that are aired: repairs without a conductor.

use super::super::Edit;
use super::{Candidate, Maker, candidate};
use crate::catalogue::Kind;
use crate::network::{battery_volts, nominal_system};
use crate::rules::About;
use crate::units::{Dimension, short};

/// Warning, cut-off and restart as multiples of the nominal voltage, lead and lithium. Common practice, no source: 11.5, 11.0 and
/// 12.6 V on 12 V of lead, 12.4, 12.0 and 13.1 V on 12.8 V of lithium.
const LEAD: [f64; 3] = [0.958, 0.917, 1.05];
const LITHIUM: [f64; 3] = [0.969, 0.9375, 1.023];
/// How far above what the management opens at a cut-off stays, and how far below the float a restart. Common practice, no source.
const CLEAR: f64 = 1.04;
const BELOW: f64 = 0.98;
/// Free areas of an opening that are offered, cm².
const VENTS_CM2: [u32; 5] = [100, 200, 400, 800, 1600];

impl Maker<'_> {
    /// Warning, cut-off and restart of a device in their order, inside what the battery's management and the float allow.
    pub(super) fn thresholds(&self) -> Vec<Candidate> {
        let Some((index, p)) = self.subject() else { return Vec::new() };
        let net = &self.audit.net;
        let whole = self.ctx.whole();
        let near = |s: &&crate::network::Source| {
            let own = net.nodes.iter().enumerate().filter(|(_, n)| n.component == Some(index));
            own.map(|(n, _)| n).any(|n| whole[n] == whole[s.plus])
        };
        let battery = net.sources.iter().filter(|s| s.kind == crate::catalogue::SourceKind::Battery).find(near);
        let Some(bank) = battery.filter(|_| p.attrs.contains_key("cut-off") || p.attrs.contains_key("warning")) else {
            return self.set_charger();
        };
        let b = &self.rig.components[bank.component];
        let lithium = matches!(b.word("chemistry"), Some("lifepo4" | "nickel-lithium"));
        let stack: f64 = bank.stack().map(|s| battery_volts(&self.rig.components[s])).sum();
        let nominal = if lithium { stack } else { nominal_system(stack) };
        let [warn, cut, restart] = if lithium { LITHIUM } else { LEAD }.map(|f| f * nominal);
        let count = b.series_and_parallel().0 * (1 + bank.below.len()) as f64;
        let opens = b.si("low-cut", Dimension::Voltage).map_or(0.0, |v| v * count);
        let float =
            self.finding.components.iter().filter_map(|id| self.rig.component(id)?.si("float", Dimension::Voltage));
        let float = float.fold(f64::INFINITY, f64::min);
        let cut = cut.max(opens * CLEAR);
        let warn = warn.max(cut * 1.02);
        let restart = restart.max(warn * 1.02).min(float * BELOW);
        let text = |v: f64| format!("{:.1}V", v);
        let set: Vec<(&str, String)> = [("warning", warn), ("cut-off", cut), ("restart", restart)]
            .into_iter()
            .filter(|(key, _)| p.attrs.contains_key(*key))
            .map(|(key, v)| (key, text(v)))
            .collect();
        let words: Vec<String> = set.iter().map(|(key, v)| format!("{key} {v}")).collect();
        let edits = set.iter().map(|(key, v)| self.attribute(&p.id, key, Some(v))).collect();
        let mut c = candidate(format!("Set {} to {}", p.id, words.join(", ")), 15, edits);
        c.condition =
            Some(format!("The maker's figures for {} govern: compare them, and write down what was set.", b.id));
        vec![c]
    }

    /// A place that gets too hot: openings low and high, else what makes the heat in another place.
    pub(super) fn aired(&self) -> Vec<Candidate> {
        let [About::Place { id: place }] = self.finding.subject.about() else { return Vec::new() };
        let vents = VENTS_CM2.iter().map(|cm2| {
            let air = |key: &str| Edit::Air { place: place.clone(), key: key.to_owned(), value: format!("{cm2}cm2") };
            let mut c = candidate(
                format!("Cut openings of {cm2} cm² free area into {place}, one low and one high"),
                90,
                vec![air("vent-low"), air("vent-high")],
            );
            c.condition = Some("Openings to the outside only where no gas, water or exhaust comes in.".to_owned());
            c
        });
        let heats = |p: &&crate::rig::Component| {
            p.place.as_ref() == Some(place)
                && matches!(
                    p.kind,
                    Kind::Inverter | Kind::InverterCharger | Kind::Charger | Kind::DcDc | Kind::Controller
                )
        };
        let moved = self.rig.components.iter().filter(heats).flat_map(|p| {
            let elsewhere = self.rig.places.iter().filter(move |o| o.id != *place);
            elsewhere.map(|o| {
                let edit = Edit::Place { component: p.id.clone(), place: o.id.clone() };
                let mut c = candidate(format!("Move {} to {}", p.id, o.id), 180, vec![edit]);
                c.condition =
                    Some("Its conductors are measured again after the move: their lengths change.".to_owned());
                c
            })
        });
        vents.chain(moved).collect()
    }

    /// A charger on a plug into another outlet: of those on the shore side one that the inverter never feeds closes the loop.
    pub(super) fn plug_elsewhere(&self, charger: &str) -> Vec<Candidate> {
        let Some(now) = self.rig.component(charger).and_then(|p| p.word("on")) else { return Vec::new() };
        let outlets = self
            .rig
            .components
            .iter()
            .filter(|p| matches!(p.kind, Kind::Outlet | Kind::GfciOutlet) && p.status.present() && p.id != now);
        outlets
            .map(|o| {
                let mut c = candidate(
                    format!("Plug {charger} into {} instead of {now}, and label both", o.id),
                    15,
                    vec![self.attribute(charger, "on", Some(&o.id))],
                );
                c.condition = Some(format!(
                    "{charger} stays in {}: in any outlet that the inverter feeds it drains its own bank.",
                    o.id
                ));
                c
            })
            .collect()
    }

    /// Inverter and charger replaced by one unit that is never both at once: it charges from shore and inverts without.
    pub(super) fn combined(&self, charger: &str) -> Vec<Candidate> {
        let inverters = self.rig.components.iter().filter(|p| p.kind == Kind::Inverter && p.status.present());
        let Some(charge) = self.rig.component(charger).and_then(|p| p.si("rating", Dimension::Current)) else {
            return Vec::new();
        };
        let inlet = self.rig.components.iter().find(|p| p.kind == Kind::Inlet && p.status.present());
        let Some(shore) = inlet.and_then(|i| self.leaving(&i.id)) else { return Vec::new() };
        inverters
            .filter_map(|inverter| {
                let out = self.leaving(&inverter.id)?;
                // Its output stays where the inverter's was; shore goes into it, and what took shore there before is let go.
                let transfer = self.rig.component(&out.to.component).filter(|t| t.kind == Kind::Transfer)?;
                let load = self.leaving(&transfer.id)?;
                let edits = vec![
                    Edit::Combine { inverter: inverter.id.clone(), charge: format!("{}A", short(charge)) },
                    Edit::RemoveComponent(charger.to_owned()),
                    Edit::RemoveCable(self.arriving(charger, None)?.id.clone()),
                    Edit::Reland {
                        cable: shore.id.clone(),
                        start: false,
                        to: crate::rig::TermRef::new(inverter.id.clone(), "in"),
                    },
                    Edit::Reland {
                        cable: load.id.clone(),
                        start: true,
                        to: crate::rig::TermRef::new(inverter.id.clone(), "out"),
                    },
                    Edit::RemoveCable(out.id.clone()),
                    Edit::RemoveComponent(transfer.id.clone()),
                ];
                Some(candidate(
                    format!(
                        "Replace {} and {charger} by one inverter-charger in the place of {}",
                        inverter.id, transfer.id
                    ),
                    360,
                    edits,
                ))
            })
            .collect()
    }
}
