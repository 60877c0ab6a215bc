//! A mains conductor thinner than the profile allows at all.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::network::WireSpot;
use crate::units::short;
use std::collections::BTreeSet;

pub(super) static META: Meta = Meta {
    slug: "cable-minimum",
    hazard: Hazard::Cable,
    statement: "Fixed mains wiring is no thinner than the profile's smallest size.",
    why: "A vehicle shakes: a thin conductor breaks at its terminal first, earth and neutral included.",
    source: "BS 7671 section 721 / IEC 60364-7-721, 1.5 mm²; NFPA 70 section 551.47, 14 AWG (recalled)",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let least = ctx.profile.thresholds.mains_mm2;
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
        let mut f = ctx.finding(&META, Severity::Soon, &cable.id, statement);
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
    found
}
