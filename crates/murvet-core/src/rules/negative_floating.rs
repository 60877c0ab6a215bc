//! A DC negative that nothing joins to the chassis.

use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::EdgeKind;
use crate::test_kinds::TestKind;
use crate::units::short;

pub(super) static RULE: Rule = Rule {
    slug: "negative-floating",
    hazard: Hazard::Bonding,
    statement: "The DC negative of a vehicle is joined to its chassis, by a conductor that carries a fault.",
    why: "Without it a positive that chafes through makes the whole chassis positive and opens nothing until a second fault.",
    source: "NFPA 70 section 551.10; ISO 13297 (recalled); a floating system with monitoring is a school of its own",
    find,
    is: &[Is::AcrossParts],
    repairs: &[Repair::BondNegative],
    without: TRIED,
    proven_by: &[TestKind::Negative],
    faults: &[(Field::Bonding, "the DC negative not joined to the chassis")],
    schools: &[],
    example: include_str!("examples/negative-floating.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let frames: Vec<usize> = ctx.components(Kind::Chassis).filter_map(|p| net.node(p, "bar")).collect();
    if frames.is_empty() {
        return Vec::new();
    }
    let back = |n: usize| matches!(net.nodes[n].duty, Role::Minus | Role::Earth);
    let part = ctx.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && back(e.a) && back(e.b));
    let house = net
        .sources
        .iter()
        .filter(|s| s.kind == SourceKind::Battery && !ctx.rig.components[s.component].flag("starter"));
    let mut found = thin(ctx, &frames);
    let floating = house.filter(|s| frames.iter().all(|f| part[*f] != part[s.minus])).map(|s| {
        let name = ctx.component_words(s.component);
        let mut f = ctx.finding(
            &RULE,
            Severity::Advice,
            ctx.id(s.component),
            format!("The negative of {name} is not joined to the chassis."),
        );
        f.evidence
            .push(format!("No conductor leads from {} to {}.", net.nodes[s.minus].name, net.nodes[frames[0]].name));
        f.evidence.push("A first fault to the chassis then opens nothing and is not noticed.".to_owned());
        f.components = vec![ctx.id(s.component).to_owned()];
        f
    });
    found.extend(floating);
    found
}

/// Conductors between the DC negative and the chassis that are thinner than a fault through the chassis allows.
fn thin(ctx: &Context, frames: &[usize]) -> Vec<Finding> {
    let net = ctx.net;
    let least = ctx.profile.negative_bond_mm2.value;
    // The negative as far as it hangs together without the chassis.
    let back = |n: usize| matches!(net.nodes[n].duty, Role::Minus | Role::Earth) && !frames.contains(&n);
    let part = ctx.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && back(e.a) && back(e.b));
    let negative: Vec<u32> =
        net.sources.iter().filter(|s| s.kind == SourceKind::Battery).map(|s| part[s.minus]).collect();
    let mut found = Vec::new();
    for e in &net.edges {
        let EdgeKind::Wire(w) = e.what else { continue };
        let joins = (frames.contains(&e.a) && negative.contains(&part[e.b]))
            || (frames.contains(&e.b) && negative.contains(&part[e.a]));
        let wire = &net.wires[w];
        if !joins || wire.cranking || wire.unseen || wire.laid.area_mm2 >= least * 0.99 {
            continue;
        }
        let statement = format!(
            "{} joins the DC negative to the chassis and is thinner than {} mm².",
            ctx.wire_words(w),
            short(least)
        );
        let mut f = ctx.finding(&RULE, Severity::Soon, &wire.key, statement);
        f.evidence.push(format!("{} mm² < {} mm².", short(wire.laid.area_mm2), short(least)));
        f.evidence.push(
            "A positive that chafes through to the chassis returns by this conductor alone, behind the main device."
                .to_owned(),
        );
        f.wires = vec![wire.spot];
        found.push(f);
    }
    found
}
