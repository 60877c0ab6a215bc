//! Candidate repairs for each kind of target. They are proposals to be tried: some are known to fail on
//! most rigs and are kept so that the reason can be read.

mod exchanged;
mod landed;
mod mains;
mod others;
mod settings;
mod wires;

use super::{Candidate, Edit};
use crate::audit::Audit;
use crate::catalogue::Kind;
use crate::network::{Wire, WireSpot};
use crate::profiles::{Ampacity, Duty, ampacity};
use crate::rig::{Cable, Core, Rig};
use crate::rules::{Context, Finding, Repair, Target};
use crate::units::{Dimension, Quantity};

/// Every candidate for a finding, in no particular order.
pub fn candidates(rig: &Rig, audit: &Audit, finding: &Finding) -> Vec<Candidate> {
    let ctx = audit.context();
    let maker = Maker { rig, audit, ctx: &ctx, finding };
    let mut list: Vec<Candidate> = finding.rule.repairs.iter().flat_map(|r| maker.make(*r)).collect();
    // Where nothing is thinner than what is wanted there is nothing to replace; two ways to one repair are one.
    let empty = |e: &Edit| matches!(e, Edit::Resize { spots, .. } if spots.is_empty());
    let mut known: Vec<Vec<Edit>> = Vec::new();
    list.retain(|c| {
        let keep = !c.edits.is_empty() && !c.edits.iter().any(empty) && !known.contains(&c.edits);
        if keep {
            known.push(c.edits.clone());
        }
        keep
    });
    list
}

struct Maker<'a> {
    rig: &'a Rig,
    audit: &'a Audit,
    ctx: &'a Context<'a>,
    finding: &'a Finding,
}

fn candidate(title: impl Into<String>, minutes: u32, edits: Vec<Edit>) -> Candidate {
    Candidate { title: title.into(), edits, minutes, condition: None }
}

impl Maker<'_> {
    /// The candidates of one way to repair; none where the finding is not about what it works on.
    fn make(&self, repair: Repair) -> Vec<Candidate> {
        let target = &self.finding.target;
        let wires = match target {
            Target::Wires { wires, entry, demand_a, devices } => Some((wires, entry, *demand_a, devices)),
            _ => None,
        };
        let charger = if let Target::Loop(charger) = target { Some(charger.as_str()) } else { None };
        let other = *target == Target::Other;
        let lands = |c: &Cable, from: Core, to: Option<Core>| c.map.iter().any(|l| l.from == from && l.to == to);
        match repair {
            // With the bond in a component its cores are not at fault.
            Repair::LandAlike => {
                if other {
                    self.land(|_| false)
                } else {
                    Vec::new()
                }
            }
            Repair::AddDevice => wires.map_or_else(Vec::new, |(w, entry, demand, _)| self.add_device(w, entry, demand)),
            Repair::DeviceOrCable => {
                wires.map_or_else(Vec::new, |(w, _, demand, devices)| self.fit_device_or_cable(w, demand, devices))
            }
            Repair::TapDevice => {
                wires.map_or_else(Vec::new, |(w, entry, ..)| self.tap_device(w, entry).into_iter().collect())
            }
            Repair::DerateWithDevice => {
                wires.map_or_else(Vec::new, |_| self.derate_with_device().into_iter().collect())
            }
            Repair::OpenBond => {
                if let Target::Bond(p) = target {
                    self.open_bond(p)
                } else {
                    Vec::new()
                }
            }
            Repair::CloseBond => {
                if let Target::Source(p) = target {
                    self.close_bond(p)
                } else {
                    Vec::new()
                }
            }
            Repair::PartSources => match target {
                Target::Tie { source, others } => self.part_sources(source, others),
                _ => Vec::new(),
            },
            Repair::MoveCharger => charger.map_or_else(Vec::new, |c| self.move_charger(c)),
            Repair::PlugElsewhere => charger.map_or_else(Vec::new, |c| self.plug_elsewhere(c)),
            Repair::Combined => charger.map_or_else(Vec::new, |c| self.combined(c)),
            Repair::LessDrop => match target {
                Target::Drop { load, wires } => self.less_drop(load, wires),
                _ => Vec::new(),
            },
            Repair::NextSizes => self.next_sizes(),
            Repair::OtherLeg => self.other_leg(),
            Repair::AnotherDevice => self.another_device(false),
            Repair::AnotherKind => self.another_device(true),
            Repair::LargerContact => self.larger_contact(),
            Repair::OwnDevice => self.own_device(),
            Repair::FitSwitch => self.fit_switch(),
            Repair::BondChassis => self.bond_chassis(),
            Repair::BondNegative => self.bond_negative(),
            Repair::SetCharger => self.set_charger(),
            Repair::Thresholds => self.thresholds(),
            Repair::Aired => self.aired(),
            Repair::Derate => self.derate(),
            Repair::DerateForBank => self.derate_for_bank(),
            Repair::BehindShunt => self.behind_shunt(),
            Repair::ShareAlike => self.share_alike(),
            Repair::AnotherPlace => self.another_place(),
            Repair::MatchedBattery => self.matched_battery(),
            Repair::AheadOfSwitch => self.ahead_of_switch(),
            Repair::OutOfPath => self.out_of_path(),
            Repair::DcDcForRelay => self.dc_dc_for_relay(),
            Repair::SmallerAppliance => self.smaller_appliance(),
            Repair::LessCharge => self.less_charge(),
            Repair::LargerDevice => self.larger_device(),
            Repair::BetterRcd => self.better_rcd(),
            Repair::Sine => self.sine(),
            Repair::OtherVoltage => self.other_voltage(),
            Repair::StringFuses => self.string_fuses(),
            Repair::Graded => self.graded(),
            Repair::LooseOut => self.loose_out(),
            Repair::CableOut => self.cable_out(),
            Repair::HotsApart => self.hots_apart(),
            Repair::FitRcd => self.fit_rcd(),
            Repair::LandEarth => self.land(|c| self.finding.components.contains(&c.to.component)),
            Repair::LandNeutral => self.land(|c| lands(c, Core::N, None)),
            Repair::LandHot => self.land(|c| lands(c, Core::L, None) || lands(c, Core::L2, None)),
            Repair::LandHots => self.land(|c| lands(c, Core::L, Some(Core::L2)) || lands(c, Core::L2, Some(Core::L))),
            Repair::TakeOut => self.take_out(),
            Repair::AllPoles => self.all_poles(),
            Repair::OtherOutlet => self.other_outlet(),
            Repair::LeastSize => self.least_size(),
            Repair::ArraySize => self.array_size(),
            Repair::LargerController => self.larger_controller(),
            Repair::NotByItself => self.not_by_itself(),
            Repair::FeedInOff => self.feed_in_off(),
            Repair::WireSignals => self.wire_signals(),
            Repair::Links => self.links(),
            Repair::DumpLoad => self.dump_load(),
            Repair::PutRight => self.put_right(),
        }
    }

    fn wire(&self, spot: WireSpot) -> Option<(usize, &Wire)> {
        self.audit.net.wires.iter().enumerate().find(|(_, w)| w.spot == spot)
    }

    fn sized(&self, spot: WireSpot, area_mm2: f64) -> Option<Ampacity> {
        let (index, wire) = self.wire(spot)?;
        let mut laid = wire.laid;
        laid.area_mm2 = area_mm2;
        let edge = self.audit.net.wire_edge(index)?;
        let duty = if self.audit.net.nodes[edge.a].is_mains_side() { Duty::Ac } else { Duty::Dc };
        Some(ampacity(&self.audit.rules, duty, &laid))
    }

    /// The smallest standard size that carries a current behind a device, for all these conductors.
    fn smallest_size(&self, spots: &[WireSpot], device_a: f64, load_a: f64) -> Option<&str> {
        let profile = &self.audit.rules;
        profile.on_sale().find(|size| {
            Quantity::parse(size).is_ok_and(|q| {
                spots.iter().all(|s| {
                    self.sized(*s, q.si).is_some_and(|a| a.device_a >= device_a - 1e-9 && a.iz_a >= load_a - 1e-9)
                })
            })
        })
    }

    fn thinner(&self, spots: &[WireSpot], size: &str) -> Vec<WireSpot> {
        let Ok(q) = Quantity::parse(size) else { return Vec::new() };
        spots.iter().copied().filter(|s| self.wire(*s).is_some_and(|(_, w)| w.laid.area_mm2 < q.si * 0.999)).collect()
    }

    fn largest_rating(&self, most_a: f64) -> Option<f64> {
        self.audit.rules.ratings().values().filter(|r| *r <= most_a + 1e-9).last()
    }

    fn words(&self, spots: &[WireSpot]) -> String {
        let words: Vec<String> =
            spots.iter().filter_map(|s| self.wire(*s)).map(|(i, _)| self.ctx.wire_words(i)).collect();
        words.join("; ")
    }

    /// The attribute that rates a device that is no way: the main of a panel, or its own.
    fn rating_key(&self, component: &str) -> &'static str {
        if self.rig.component(component).is_some_and(|p| p.kind == Kind::Panel) { "main" } else { "rating" }
    }

    /// The rating of a device, or of a way of it, A.
    fn rated_a(&self, component: &str, way: Option<&str>) -> Option<f64> {
        let p = self.rig.component(component)?;
        match way {
            Some(way) => p.ways.iter().find(|w| w.id == way)?.rating.si(Dimension::Current),
            None => p.si(self.rating_key(component), Dimension::Current),
        }
    }

    /// Another rating for a device, or for a way of it.
    fn rerate(&self, component: &str, way: Option<&str>, rating: &str) -> Edit {
        match way {
            Some(way) => {
                Edit::WayRating { component: component.to_owned(), way: way.to_owned(), rating: rating.to_owned() }
            }
            None => self.attribute(component, self.rating_key(component), Some(rating)),
        }
    }

    fn attribute(&self, component: &str, key: &str, value: Option<&str>) -> Edit {
        Edit::Attribute { component: component.to_owned(), key: key.to_owned(), value: value.map(str::to_owned) }
    }
}
