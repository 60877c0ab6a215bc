//! A mains conductor thinner than the profile allows at all, or a DC one thinner than a maker asks.

use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::Role;
use crate::network::{EdgeKind, WireSpot};
use crate::units::{Dimension, short};
use std::collections::{BTreeMap, BTreeSet};

pub(super) static RULE: Rule = Rule {
    slug: "cable-minimum",
    hazard: Hazard::Cable,
    statement: "Fixed mains wiring is no thinner than the profile's smallest size, the DC leads of a device no thinner than its maker asks.",
    why: "A vehicle shakes: a thin conductor breaks at its terminal first, earth and neutral included.",
    source: "BS 7671 section 721 / IEC 60364-7-721, 1.5 mm²; NFPA 70 section 551.47, 14 AWG (recalled); the maker's figure",
    find,
    is: &[Is::MakersFigures],
    repairs: &[Repair::LeastSize],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Cable, "mains wiring thinner than allowed at all")],
    schools: &[],
    example: include_str!("examples/cable-minimum.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let least = ctx.profile.mains_mm2.value;
    let mut seen = BTreeSet::new();
    let mut found = Vec::new();
    for wire in &ctx.net.wires {
        let WireSpot::Cable(index, _) = wire.spot else { continue };
        let cable = &ctx.rig.cables[index];
        // A cord that belongs to an appliance is its maker's affair.
        if cable.flex || wire.laid.area_mm2 >= least * 0.99 || wire.unseen || !seen.insert(index) {
            continue;
        }
        let statement = format!(
            "{} is {} mm²; fixed mains wiring has at least {} mm².",
            cable.id,
            short(wire.laid.area_mm2),
            short(least)
        );
        let mut f = ctx.finding(&RULE, Severity::Soon, &cable.id, statement);
        f.evidence.push(format!(
            "{} as entered: {} mm² < {} mm².",
            cable.size.text,
            short(wire.laid.area_mm2),
            short(least)
        ));
        f.evidence.push("It is entered as fixed wiring, not as a flexible cord.".to_owned());
        f.wires = vec![wire.spot];
        found.push(f);
    }
    found.extend(by_makers(ctx));
    found
}

/// DC leads of a device thinner than its maker asks; those between the same two terminals count together.
fn by_makers(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for (index, component) in ctx.rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let Some(least) = component.si("min-size", Dimension::Area) else { continue };
        let lead =
            |n: usize| net.nodes[n].component == Some(index) && matches!(net.nodes[n].role, Role::Plus | Role::Minus);
        let mut leads: BTreeMap<(usize, usize), (f64, Vec<usize>)> = BTreeMap::new();
        for e in net.edges.iter().filter(|e| lead(e.a) || lead(e.b)) {
            let EdgeKind::Wire(w) = e.what else { continue };
            let both = leads.entry((e.a.min(e.b), e.a.max(e.b))).or_default();
            both.0 += net.wires[w].laid.area_mm2;
            both.1.push(w);
        }
        for (area, wires) in leads.into_values().filter(|l| l.0 < least * 0.99) {
            let (name, asked) = (net.wire_ends(wires[0]), short(least));
            let statement =
                format!("{name} is {} mm²; the maker of {} asks for {asked} mm².", short(area), component.title());
            let mut f = ctx.finding(&RULE, Severity::Soon, &net.wires[wires[0]].key, statement);
            f.evidence.push(format!("{} < {asked} mm², the maker's figure.", short(area)));
            f.evidence.push("It governs where it is stricter than the ampacity of the table.".to_owned());
            f.wires = wires.iter().map(|w| net.wires[*w].spot).collect();
            f.components = vec![component.id.clone()];
            found.push(f);
        }
    }
    found
}
