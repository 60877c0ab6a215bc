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
use crate::rig::Rig;
use crate::rules::{Context, Finding, Target};
use crate::units::{Dimension, Quantity};

/// Every candidate for a finding, in no particular order.
pub fn candidates(rig: &Rig, audit: &Audit, finding: &Finding) -> Vec<Candidate> {
    let ctx = audit.context();
    let maker = Maker { rig, audit, ctx: &ctx, finding };
    let mut list = match &finding.target {
        Target::Wires { wires, entry, demand_a, devices } => match finding.meta {
            "overcurrent-missing" | "device-too-far" => maker.add_device(wires, entry, *demand_a),
            meta => {
                let mut list = maker.fit_device_or_cable(wires, *demand_a, devices);
                list.extend(maker.tap_device(wires, entry));
                list.extend(maker.next_sizes());
                list.extend(maker.derate_with_device());
                if meta == "neutral-shared" {
                    list.extend(maker.other_leg());
                }
                list
            }
        },
        Target::Bond(piece) => maker.open_bond(piece),
        Target::Source(piece) => maker.close_bond(piece),
        Target::Tie { source, others } => maker.part_sources(source, others),
        Target::Loop(charger) => {
            let mut list = maker.move_charger(charger);
            list.extend(maker.plug_elsewhere(charger));
            list.extend(maker.combined(charger));
            list
        }
        Target::Drop { load, wires } => maker.less_drop(load, wires),
        Target::Other => match finding.meta {
            "breaking-capacity" | "device-voltage" | "device-kind" => maker.replace_device(),
            "contact-overloaded" => maker.larger_contact(),
            "appliance-maximum" => maker.own_device(),
            "battery-isolation" | "array-isolation" => maker.fit_switch(),
            "chassis-bond" | "negative-floating" => maker.bond_chassis(),
            "charge-voltage" => maker.set_charger(),
            "thresholds-order" => maker.thresholds(),
            "place-heat" => maker.aired(),
            "inverter-device" | "discharge-limit" => maker.derate(),
            "shunt-bypassed" => maker.behind_shunt(),
            "battery-sharing" => maker.share_alike(),
            "battery-place" => maker.another_place(),
            "battery-mixed" => maker.matched_battery(),
            "vital-switched" => maker.ahead_of_switch(),
            "load-disconnect-place" => maker.out_of_path(),
            "alternator-bank" => maker.dc_dc_for_relay(),
            "load-sum" => maker.other_leg().into_iter().chain(maker.smaller_appliance()).collect(),
            "charge-sum" => maker.less_charge(),
            "device-undersized" => maker.larger_device(),
            "rcd-type" => maker.better_rcd(),
            "wave-form" => maker.sine(),
            "voltage-unlike" => maker.other_voltage(),
            "array-strings" => maker.string_fuses(),
            "devices-in-series" => maker.graded(),
            "loose-end" => maker.loose_out(),
            "transfer-oscillates" => maker.cable_out(),
            "legs-joined" => maker.landings().into_iter().chain(maker.hots_apart()).collect(),
            "rcd-missing" | "earth-missing" | "conductors-crossed" | "bond-away" | "neutral-lost" | "hot-lost" => {
                maker.landings()
            }
            _ => maker.plain(),
        },
    };
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
    fn rating_key(&self, piece: &str) -> &'static str {
        if self.rig.piece(piece).is_some_and(|p| p.kind == Kind::Panel) { "main" } else { "rating" }
    }

    /// The rating of a device, or of a way of it, A.
    fn rated_a(&self, piece: &str, way: Option<&str>) -> Option<f64> {
        let p = self.rig.piece(piece)?;
        match way {
            Some(way) => p.ways.iter().find(|w| w.id == way)?.rating.si(Dimension::Current),
            None => p.si(self.rating_key(piece), Dimension::Current),
        }
    }

    /// Another rating for a device, or for a way of it.
    fn rerate(&self, piece: &str, way: Option<&str>, rating: &str) -> Edit {
        match way {
            Some(way) => Edit::WayRating { piece: piece.to_owned(), way: way.to_owned(), rating: rating.to_owned() },
            None => self.attribute(piece, self.rating_key(piece), Some(rating)),
        }
    }

    fn attribute(&self, piece: &str, key: &str, value: Option<&str>) -> Edit {
        Edit::Attribute { piece: piece.to_owned(), key: key.to_owned(), value: value.map(str::to_owned) }
    }
}
