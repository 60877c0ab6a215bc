//! Repairs that put another unit in the place of one, or set it for less.

use super::super::Edit;
use super::{Candidate, Maker, candidate};
use crate::catalogue::{Kind, SourceKind};
use crate::network::EdgeKind;
use crate::rig::{Component, Conductor, Run, Step, TermRef};
use crate::rules::Target;
use crate::units::{Dimension, short};

/// Output ratings in which DC-DC chargers are sold, A (common practice, no source).
const DC_DC_A: [f64; 5] = [15.0, 20.0, 30.0, 40.0, 60.0];

impl Maker<'_> {
    /// The same unit in another make: one attribute in each of some values.
    fn in_values(&self, key: &str, values: &[&str], minutes: u32, what: &str) -> Vec<Candidate> {
        let Some((_, p)) = self.subject() else { return Vec::new() };
        let one = |value: &&str| {
            let title = format!("Replace {} by {what} {value}", p.id);
            candidate(title, minutes, vec![self.attribute(&p.id, key, Some(value))])
        };
        values.iter().map(one).collect()
    }

    /// A residual-current device of a type that sees what flows.
    pub(super) fn better_rcd(&self) -> Vec<Candidate> {
        self.in_values("rcd-type", &["type-a", "type-f", "type-b"], 45, "one of")
    }

    /// A sine wave instead of steps.
    pub(super) fn sine(&self) -> Vec<Candidate> {
        self.in_values("wave", &["sine"], 90, "one whose wave form is")
    }

    /// A unit for the voltage that is there.
    pub(super) fn other_voltage(&self) -> Vec<Candidate> {
        let [source, others @ ..] = self.finding.components.as_slice() else { return Vec::new() };
        let mut list = Vec::new();
        for p in std::iter::once(source).chain(others).filter_map(|id| self.rig.component(id)) {
            let key = match p.kind {
                Kind::Inverter | Kind::InverterCharger => "dc",
                Kind::DcLoad | Kind::AcLoad | Kind::Panel => "voltage",
                _ => continue,
            };
            for volts in ["12V", "24V", "48V", "120V", "230V", "240V"] {
                let title = format!("Replace {} by one for {volts}", p.id);
                list.push(candidate(title, 90, vec![self.attribute(&p.id, key, Some(volts))]));
            }
        }
        list
    }

    /// A battery like the one beside it.
    pub(super) fn matched_battery(&self) -> Vec<Candidate> {
        let pair: Vec<&Component> = self.finding.components.iter().filter_map(|id| self.rig.component(id)).collect();
        let [a, b] = pair.as_slice() else { return Vec::new() };
        let like = |old: &Component, new: &Component| {
            let keys =
                ["chemistry", "voltage", "capacity", "internal", "charge-limit", "discharge", "absorption", "cells"];
            let changed = keys.iter().filter(|k| old.attrs.get(**k) != new.attrs.get(**k));
            let edits =
                changed.map(|k| self.attribute(&old.id, k, new.attrs.get(*k).map(|v| v.text.as_str()))).collect();
            candidate(format!("Replace {} by a battery like {}", old.id, new.id), 60, edits)
        };
        vec![like(b, a), like(a, b)]
    }

    /// Everything that charges a battery set so that its sum is what the battery takes.
    pub(super) fn less_charge(&self) -> Vec<Candidate> {
        let Some((_, battery)) = self.subject() else { return Vec::new() };
        let net = &self.audit.net;
        let Some(bank) = net.sources.iter().find(|s| self.ctx.id(s.component) == battery.id) else { return Vec::new() };
        let each = battery.si("charge-limit", Dimension::Current).unwrap_or(0.0);
        let (_, parallel) = battery.series_and_parallel();
        let most = each * parallel;
        let whole = self.ctx.whole();
        let charges = net.sources.iter().filter(|s| {
            s.kind.converts()
                && !s.kind.is_ac()
                && s.kind != SourceKind::Alternator
                && whole[s.plus] == whole[bank.plus]
        });
        let all: Vec<(usize, f64)> = charges.map(|s| (s.component, s.set_a)).collect();
        let sum: f64 = all.iter().map(|a| a.1).sum();
        let over = sum - most;
        let mut list = Vec::new();
        for (component, amps) in &all {
            let less = (amps - over).floor();
            if over > 0.0 && less >= 1.0 {
                let id = self.ctx.id(*component);
                let set = format!("{}A", short(less));
                let mut c = candidate(
                    format!("Set {id} to {} A of charge", short(less)),
                    20,
                    vec![self.attribute(id, "current-limit", Some(&set))],
                );
                c.condition =
                    Some(format!("{id} is left set to {} A; look again when a battery is added.", short(less)));
                list.push(c);
            }
        }
        list
    }

    /// Larger devices for what hangs on one that is too small; the conductor behind must carry them, and the trial tells.
    pub(super) fn larger_device(&self) -> Vec<Candidate> {
        let subject = &self.finding.subject;
        let Some((component, way)) = subject.devices().next() else { return Vec::new() };
        let Some(now) = self.rated_a(component, way) else { return Vec::new() };
        let larger = self.audit.rules.ratings().values().filter(|r| *r > now * 1.001).take(4);
        larger
            .map(|rating| {
                let text = format!("{}A", short(rating));
                let edit = self.rerate(component, way, &text);
                candidate(format!("Replace the device of {subject} by {text}"), 20, vec![edit])
            })
            .collect()
    }

    /// The nearer of two devices of one rating a step smaller, so that it opens first.
    pub(super) fn graded(&self) -> Vec<Candidate> {
        let Some((component, way)) = self.finding.subject.devices().nth(1) else { return Vec::new() };
        let nearer = way.map_or_else(|| component.to_owned(), |w| format!("{component} way {w}"));
        // The main of a panel is chosen by its supply.
        if way.is_none() && self.rating_key(component) == "main" {
            return Vec::new();
        }
        let Some(now) = self.rated_a(component, way) else { return Vec::new() };
        let smaller: Vec<f64> = self.audit.rules.ratings().values().filter(|r| *r < now * 0.999).collect();
        let one = |rating: &f64| {
            let text = format!("{}A", short(*rating));
            let edit = self.rerate(component, way, &text);
            candidate(format!("Replace the device of {nearer} by {text}"), 20, vec![edit])
        };
        smaller.iter().rev().take(3).map(one).collect()
    }

    /// Smaller appliances on a source that cannot feed all of them: each in turn for what is left to it.
    pub(super) fn smaller_appliance(&self) -> Vec<Candidate> {
        let Some((_, source)) = self.subject() else { return Vec::new() };
        let net = &self.audit.net;
        let whole = self.ctx.whole();
        let own: Vec<usize> = net
            .sources
            .iter()
            .filter(|s| self.ctx.id(s.component) == source.id)
            .map(|s| whole[s.plus] as usize)
            .collect();
        let on = net.consumers.iter().filter(|c| c.ac && own.contains(&(whole[c.plus] as usize)));
        let mut list = Vec::new();
        for c in on {
            let Some(p) = self.rig.components.get(c.component).filter(|p| p.kind == Kind::AcLoad) else { continue };
            let Some(watts) = p.si("power", Dimension::Power) else { continue };
            for share in [0.75, 0.5, 0.33] {
                let less = (watts * share / 50.0).floor() * 50.0;
                if less >= 50.0 {
                    let title =
                        format!("Replace {} by one of {} W at the most, and label the outlet so", p.id, short(less));
                    list.push(candidate(
                        title,
                        15,
                        vec![self.attribute(&p.id, "power", Some(&format!("{}W", short(less))))],
                    ));
                }
            }
            let mut out = candidate(format!("Take {} out of use", p.id), 15, vec![Edit::RemoveComponent(p.id.clone())]);
            out.condition = Some(format!("{} stays out until the source is larger.", p.id));
            list.push(out);
        }
        list
    }

    /// An inverter used for less, with the device that its cable allows: until the cable is enlarged.
    pub(super) fn derate_with_device(&self) -> Option<Candidate> {
        let Target::Wires { wires, devices, .. } = &self.finding.target else { return None };
        let net = &self.audit.net;
        let allowed = wires.iter().filter_map(|s| self.sized(*s, self.wire(*s)?.1.laid.area_mm2));
        let iz = allowed.clone().map(|a| a.iz_a).fold(f64::INFINITY, f64::min);
        let rating = self.largest_rating(allowed.map(|a| a.device_a).fold(f64::INFINITY, f64::min))?;
        let [(device, None)] = devices.as_slice() else { return None };
        let held = self.rig.component(device).filter(|p| p.kind.is_overcurrent_device())?;
        // What is fed through these conductors alone, and is an inverter.
        let mine: Vec<usize> = wires.iter().filter_map(|s| self.wire(*s)).map(|(i, _)| i).collect();
        let cut = self.ctx.joined(|e| {
            !matches!(e.what, EdgeKind::Bond { .. }) && !matches!(e.what, EdgeKind::Wire(w) if mine.contains(&w))
        });
        let store = net.sources.iter().find(|s| s.kind == SourceKind::Battery)?;
        let fed = net.consumers.iter().find(|c| {
            let p = &self.audit.assumed.components[c.component];
            matches!(p.kind, Kind::Inverter | Kind::InverterCharger)
                && (cut[c.plus] != cut[store.plus] || cut[c.minus] != cut[store.minus])
        })?;
        let p = self.rig.components.get(fed.component)?;
        let (full_a, watts) = (fed.current_a?, p.si("power", Dimension::Power)?);
        let amps = rating.min(iz);
        if amps >= full_a {
            return None;
        }
        let less = (watts * amps / full_a / 50.0).floor() * 50.0;
        if less < 50.0 {
            return None;
        }
        let (w, a) = (short(less), short(rating));
        let mut c = candidate(
            format!("Use {} for {w} W at the most, with {a} A at {}, until the cable is enlarged", p.id, held.id),
            30,
            vec![
                self.attribute(&p.id, "power", Some(&format!("{w}W"))),
                self.attribute(&held.id, "rating", Some(&format!("{a}A"))),
            ],
        );
        c.condition = Some(format!(
            "Label at {}: \"{w} W at the most, {a} A fuse at {}\". It holds until the cable is enlarged.",
            p.id, held.id
        ));
        Some(c)
    }

    /// A DC-DC charger in the place of a relay between the engine's alternator and a bank.
    pub(super) fn dc_dc_for_relay(&self) -> Vec<Candidate> {
        let net = &self.audit.net;
        let Some((_, battery)) = self.subject() else { return Vec::new() };
        let Some(bank) = net.sources.iter().find(|s| self.ctx.id(s.component) == battery.id) else { return Vec::new() };
        let relays =
            self.rig.components.iter().enumerate().filter(|(_, p)| p.kind == Kind::Relay && p.status.present());
        let mut list = Vec::new();
        for (index, relay) in relays {
            let part = self.ctx.joined(|e| {
                let own = |n: usize| net.nodes[n].component == Some(index);
                !(matches!(e.what, EdgeKind::Bond { .. }) || (own(e.a) && own(e.b)))
            });
            let term = |t: &str| net.node(index, t);
            let (Some(a), Some(b)) = (term("in"), term("out")) else { continue };
            let house_first = part[a] == part[bank.plus];
            if !house_first && part[b] != part[bank.plus] {
                continue;
            }
            for rating in DC_DC_A.into_iter().rev() {
                let id = self.rig.fresh_id("new-dcdc-");
                let mut unit = Component::new(id.clone(), Kind::DcDc)
                    .with("rating", format!("{}A", short(rating)))
                    .with("enable", "engine");
                unit.place.clone_from(&relay.place);
                let mut edits = vec![Edit::AddComponent(unit)];
                for (run, of) in self.rig.runs.iter().enumerate() {
                    let ends = [
                        (true, Some(&of.from)),
                        (
                            false,
                            match of.steps.last() {
                                Some(Step::At(t)) => Some(t),
                                _ => None,
                            },
                        ),
                    ];
                    for (start, t) in ends {
                        let Some(t) = t.filter(|t| t.component == relay.id) else { continue };
                        let input = (t.terminal.as_deref() == Some("in")) != house_first;
                        let to = TermRef::new(id.clone(), if input { "in+" } else { "out+" });
                        edits.push(Edit::RelandRun { run, start, to });
                    }
                }
                let conductor = Conductor::new(
                    "1m",
                    match self.audit.rules.sizes_in.value {
                        crate::profiles::SizesIn::Gauge => "8AWG",
                        crate::profiles::SizesIn::Mm2 => "10mm2",
                    },
                );
                let steps = vec![Step::Conductor(conductor), Step::At(TermRef::new(battery.id.clone(), "-"))];
                edits.push(Edit::AddRun(Run { from: TermRef::new(id.clone(), "in-"), steps, comment: Vec::new() }));
                edits.push(Edit::RemoveComponent(relay.id.clone()));
                let title = format!("Fit a DC-DC charger of {} A in the place of {}", short(rating), relay.id);
                list.push(candidate(title, 150, edits));
            }
        }
        list
    }

    /// A switch that opens for loads is taken out of the path of what must not be cut off, which is set to obey instead.
    pub(super) fn out_of_path(&self) -> Vec<Candidate> {
        let [contact, through @ ..] = self.finding.components.as_slice() else { return Vec::new() };
        let mut edits = vec![Edit::RemoveComponent(contact.clone())];
        edits.extend(through.iter().map(|p| self.attribute(p, "listens", Some("yes"))));
        let title = format!("Join the conductor past {contact} and let {} obey the signal itself", through.join(", "));
        vec![candidate(title, 60, edits)]
    }

    /// A fuse in each string of an array.
    pub(super) fn string_fuses(&self) -> Vec<Candidate> {
        let arrays: Vec<&Component> = self.finding.components.iter().filter_map(|id| self.rig.component(id)).collect();
        let string_a =
            |p: &&Component| Some(p.si("isc", Dimension::Current)? / p.si("strings", Dimension::Count).unwrap_or(1.0));
        let most = arrays.iter().filter_map(string_a).fold(0.0, f64::max);
        let rating = self.audit.rules.ratings().values().find(|r| *r >= most * 1.5625);
        let edits = arrays.iter().map(|p| self.attribute(&p.id, "string-fuses", Some("yes"))).collect();
        let what = rating.map_or(String::new(), |r| format!(" of {} A", short(r)));
        let mut c = candidate(format!("Fit a fuse{what} made for arrays in each string"), 90, edits);
        c.condition = Some("Not above the greatest series fuse on the panels' labels.".to_owned());
        vec![c]
    }
}
