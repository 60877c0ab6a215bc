//! A short at the far end that opens nothing, or not in time for the conductor.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::{Kind, SourceKind};
use crate::network::{Case, DcNet, What};
use crate::profiles::{adiabatic_s, band};
use crate::units::short;
use std::collections::{BTreeMap, VecDeque};

pub(super) static META: Meta = Meta {
    slug: "fault-clearing",
    hazard: Hazard::Overcurrent,
    statement: "The least fault current, at the far end of a circuit, hot and with a low battery, opens its device before the conductor is harmed.",
    why: "A long thin run limits its own fault current: the device takes it for a load, and the fault heats where it is.",
    source: "IEC 60364-4-43 sections 434.5.2, within 5 s, and 433.1 (recalled)",
};

/// The device nearest to each node on the way from the batteries, as edge and rating, by breadth first along what is
/// live. Wiring is nearly a tree, so that is the device that has to open.
fn nearest_devices(ctx: &Context) -> BTreeMap<usize, (usize, f64)> {
    let net = ctx.net;
    let Some(parked) = ctx.states.states.first() else { return BTreeMap::new() };
    let mut near: Vec<Vec<(usize, usize)>> = vec![Vec::new(); net.nodes.len()];
    for (i, e) in net.edges.iter().enumerate() {
        let live = |n: usize| super::protection::is_live_side(net.nodes[n].duty);
        if live(e.a) && live(e.b) && parked.closed(net, i) && !matches!(e.what, What::Bond { .. }) {
            near[e.a].push((e.b, i));
            near[e.b].push((e.a, i));
        }
    }
    let mut device: BTreeMap<usize, Option<(usize, f64)>> = BTreeMap::new();
    let mut queue: VecDeque<usize> = VecDeque::new();
    for s in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
        device.insert(s.plus, None);
        queue.push_back(s.plus);
    }
    while let Some(node) = queue.pop_front() {
        let so_far = device[&node];
        for &(next, edge) in &near[node] {
            if device.contains_key(&next) {
                continue;
            }
            let here = match net.edges[edge].what {
                // Of several in a row the smallest opens first.
                What::Device { rating_a, .. } if so_far.is_none_or(|(_, r)| rating_a <= r) => Some((edge, rating_a)),
                _ => so_far,
            };
            device.insert(next, here);
            queue.push_back(next);
        }
    }
    device.into_iter().filter_map(|(n, d)| Some((n, d?))).collect()
}

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let Some(parked) = ctx.states.states.first() else { return Vec::new() };
    let dc = DcNet::new(ctx.rig, net, Case::Weak, |e| parked.closed(net, e));
    let Ok(factored) = dc.factored() else { return Vec::new() };
    let devices = nearest_devices(ctx);
    let mut found: BTreeMap<String, (f64, Finding)> = BTreeMap::new();
    for c in net.consumers.iter().filter(|c| !c.ac && ctx.rig.pieces[c.piece].kind == Kind::DcLoad) {
        let Some(&(edge, rating)) = devices.get(&c.plus) else { continue };
        let What::Device { piece, way, .. } = &net.edges[edge].what else { continue };
        let (Some(plus), Some(minus)) = (dc.at(c.plus), dc.at(c.minus)) else { continue };
        let amps = factored.fault_through(edge, (plus, minus)).unwrap_or(0.0).abs();
        if amps <= 0.0 || !rating.is_finite() || rating <= 0.0 {
            continue;
        }
        let device = &ctx.rig.pieces[*piece];
        let band = band(device, rating);
        let name = super::protection::device_name(ctx, *piece, way.as_deref(), rating);
        let multiple = amps / rating;
        let latest = band.latest_s(multiple);
        // The thinnest conductors that arrive at the appliance.
        let arriving: Vec<usize> = net
            .edges
            .iter()
            .filter_map(|e| match e.what {
                What::Wire(w) if [e.a, e.b].contains(&c.plus) || [e.a, e.b].contains(&c.minus) => Some(w),
                _ => None,
            })
            .collect();
        let area = |w: &usize| net.wires[*w].laid.area_mm2;
        let thin = arriving.iter().copied().min_by(|a, b| area(a).total_cmp(&area(b)));
        let stands = thin.map(|w| adiabatic_s(net.wires[w].laid.area_mm2, net.wires[w].laid.insulation_c, amps));
        let (severity, words) = match (latest, stands) {
            (None, _) => (Severity::Soon, "may open nothing".to_owned()),
            // From 0.1 s to 5 s no heat flows off; before and after that the formula says nothing.
            (Some(t), Some(stands)) if band.fuse && (0.1..=5.0).contains(&stands) && t > stands => (
                Severity::Soon,
                format!("opens within {} s, and the conductor stands it for {} s", short(t), short(stands)),
            ),
            (Some(t), _) if t > 60.0 && band.fuse => (Severity::Advice, format!("opens only within {} s", short(t))),
            _ => continue,
        };
        let statement = format!("A short at {} gives {} A: {name} {words}.", ctx.piece_words(c.piece), short(amps));
        let subject = way.as_ref().map_or(device.id.clone(), |w| format!("{}.{w}", device.id));
        if found.get(&subject).is_some_and(|(old, _)| *old <= multiple) {
            continue;
        }
        let mut f = ctx.finding(&META, severity, &subject, statement);
        f.evidence.push("Conductors at their greatest resistance and hot, batteries low and with half more than their typical resistance.".to_owned());
        f.evidence.push(format!("{} A / {} A = {} times its rating.", short(amps), short(rating), short(multiple)));
        f.evidence.push(match latest {
            Some(t) => format!("At that it opens within {} s ({}).", short(t), band.source),
            None => {
                format!("It opens for certain only from {} times on ({}).", short(band.gates[0].multiple), band.source)
            }
        });
        if let (Some(stands), Some(w)) = (stands, thin) {
            f.evidence.push(format!(
                "{} stands {} A for {} s: k² S² / I² (IEC 60364-4-43 table 43A, recalled).",
                ctx.wire_words(w),
                short(amps),
                short(stands)
            ));
            let alike = arriving.iter().filter(|a| area(a) <= area(&w) * 1.01);
            f.wires = alike.map(|a| net.wires[*a].spot).collect();
        }
        f.pieces = vec![device.id.clone(), ctx.id(c.piece).to_owned()];
        found.insert(subject, (multiple, f));
    }
    found.into_values().map(|(_, f)| f).collect()
}
