//! Mains in a vehicle whose chassis is not bonded, or by too thin a conductor.

use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::EdgeKind;
use crate::test_kinds::TestKind;
use crate::units::{Quantity, short};

pub(super) static RULE: Rule = Rule {
    slug: "chassis-bond",
    hazard: Hazard::Bonding,
    statement: "The chassis is joined to the mains earth by a bond of the profile's size.",
    why: "The skin is what people touch: without the bond a fault to it opens nothing.",
    source: "NFPA 70 sections 551.56 and 551.20(C), 8 AWG; IEC 60364-7-721 section 721.411.3.1.2, 4 mm² (recalled)",
    find,
    is: &[Is::AcrossParts],
    repairs: &[Repair::BondChassis],
    without: TRIED,
    proven_by: &[TestKind::Earth, TestKind::Bonding],
    faults: &[(Field::Bonding, "the chassis not bonded, or by too thin a conductor")],
    schools: &["chassis-bond"],
    example: include_str!("examples/chassis-bond.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = frame(ctx);
    found.extend(cases(ctx));
    found
}

/// Bonds of the cases of converters that are too thin.
fn cases(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let least = ctx.profile.bond_mm2.value;
    let mut found = Vec::new();
    for e in &net.edges {
        let EdgeKind::Wire(w) = e.what else { continue };
        let case = [e.a, e.b].into_iter().find(|n| net.nodes[*n].terminal == "case");
        let wire = &net.wires[w];
        let Some(component) = case.and_then(|n| net.nodes[n].component) else { continue };
        let least = if ctx.profile.answers.bond_as_dc { least.max(one_below_positive(ctx, component)) } else { least };
        if wire.unseen || wire.laid.area_mm2 >= least * 0.99 {
            continue;
        }
        let statement = format!(
            "The case of {} is bonded by {}, thinner than {} mm².",
            ctx.component_words(component),
            ctx.wire_words(w),
            short(least)
        );
        let mut f = ctx.finding(&RULE, Severity::Soon, &wire.key, statement);
        f.evidence.push(format!(
            "{} mm² < {} mm²; the maker's figure governs where it is larger.",
            short(wire.laid.area_mm2),
            short(least)
        ));
        f.evidence.push("A positive that touches the case returns by it.".to_owned());
        f.wires = vec![wire.spot];
        f.components = vec![ctx.id(component).to_owned()];
        found.push(f);
    }
    found
}

/// The standard size next below that of a converter's positive, mm²; 0 where none is known.
fn one_below_positive(ctx: &Context, component: usize) -> f64 {
    let net = ctx.net;
    let at = |n: usize| net.nodes[n].component == Some(component) && net.nodes[n].role == Role::Plus;
    let positive = net.edges.iter().filter_map(|e| match e.what {
        EdgeKind::Wire(w) if at(e.a) || at(e.b) => Some(net.wires[w].laid.area_mm2),
        _ => None,
    });
    let largest = positive.fold(0.0, f64::max);
    let sizes = ctx.profile.on_sale().filter_map(|s| Some(Quantity::parse(s).ok()?.si));
    sizes.filter(|s| *s < largest * 0.99).fold(0.0, f64::max)
}

fn frame(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mains = net.sources.iter().any(|s| matches!(s.kind, SourceKind::Shore | SourceKind::Generator));
    let Some(chassis) = ctx.components(Kind::Chassis).next().filter(|_| mains) else { return Vec::new() };
    let earth = |n: usize| net.nodes[n].duty == Role::Earth;
    let is_frame = |n: usize| net.nodes[n].component.is_some_and(|p| ctx.rig.components[p].kind == Kind::Chassis);
    // Mains earth as far as it hangs together without the chassis itself.
    let without = ctx.joined(|e| {
        matches!(e.what, EdgeKind::Wire(_) | EdgeKind::Joint)
            && earth(e.a)
            && earth(e.b)
            && !is_frame(e.a)
            && !is_frame(e.b)
    });
    let supply: Vec<u32> = net.sources.iter().filter_map(|s| s.earth).map(|n| without[n]).collect();
    let panels = ctx.components(Kind::Panel).filter_map(|p| net.node(p, "PE")).map(|n| without[n]);
    let mains: Vec<u32> = supply.into_iter().chain(panels).collect();
    let mut largest: Option<(f64, usize)> = None;
    for e in &net.edges {
        let EdgeKind::Wire(w) = e.what else { continue };
        let other = match (is_frame(e.a), is_frame(e.b)) {
            (true, false) => e.b,
            (false, true) => e.a,
            _ => continue,
        };
        if mains.contains(&without[other]) && largest.is_none_or(|(a, _)| net.wires[w].laid.area_mm2 > a) {
            largest = Some((net.wires[w].laid.area_mm2, w));
        }
    }
    let least = ctx.profile.bond_mm2.value;
    let id = ctx.id(chassis).to_owned();
    let (severity, statement, line) = match largest {
        None => (
            Severity::BeforeUse,
            format!("The chassis {id} is not joined to the mains {}.", ctx.profile.words.earth),
            "No conductor leads from an earth bar, an earth terminal or a case of the mains side to the chassis."
                .to_owned(),
        ),
        Some((area, w)) if area < least * 0.99 && !net.wires[w].unseen => (
            Severity::Soon,
            format!("The chassis bond {} is thinner than {} mm².", ctx.wire_words(w), short(least)),
            format!("{} mm² < {} mm².", short(area), short(least)),
        ),
        _ => return Vec::new(),
    };
    let mut f = ctx.finding(&RULE, severity, &id, statement);
    f.evidence.push(line);
    f.evidence.push("The maker's figure for the bond of an inverter governs where it is larger.".to_owned());
    f.components = vec![id];
    vec![f]
}
