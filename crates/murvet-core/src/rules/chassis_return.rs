//! An appliance that returns through the chassis, where the chosen school wants a negative run back.

use super::{Context, Field, Finding, Hazard, Rule, Severity};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::EdgeKind;

pub(super) static RULE: Rule = Rule {
    slug: "chassis-return",
    hazard: Hazard::Cable,
    statement: "Where the firm's school wants it, every appliance has a negative run back beside its positive.",
    why: "Joints of a chassis rust and are painted over: the return grows a resistance nobody sees, and lamps dim when pumps run.",
    source: "a school of the trade, chosen with a reason; common practice, no source",
    find,
    is: &[],
    repairs: &[],
    without: "It is rewired or another unit is bought, by its maker's instructions; then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Cable, "a chassis return taken for granted")],
    schools: &["chassis-return"],
    example: include_str!("examples/chassis-return.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    if ctx.profile.answers.chassis_return {
        return Vec::new();
    }
    let net = ctx.net;
    let frame = |n: usize| net.nodes[n].component.is_some_and(|p| ctx.rig.components[p].kind == Kind::Chassis);
    let back = |n: usize| matches!(net.nodes[n].duty, Role::Minus | Role::Earth);
    let part = ctx
        .joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && back(e.a) && back(e.b) && !frame(e.a) && !frame(e.b));
    let whole = ctx.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && back(e.a) && back(e.b));
    let stores: Vec<usize> = net.sources.iter().filter(|s| s.kind == SourceKind::Battery).map(|s| s.minus).collect();
    let mut found = Vec::new();
    for c in net.consumers.iter().filter(|c| !c.ac && ctx.rig.components[c.component].kind == Kind::DcLoad) {
        let reaches = |labels: &[u32]| stores.iter().any(|s| labels[*s] == labels[c.minus]);
        if !reaches(&whole) || reaches(&part) {
            continue;
        }
        let name = ctx.component_words(c.component);
        let mut f =
            ctx.finding(&RULE, Severity::Soon, ctx.id(c.component), format!("{name} returns through the chassis."));
        f.evidence.push(format!(
            "With the chassis taken away no negative leads from {} to a battery.",
            net.nodes[c.minus].name
        ));
        f.evidence.push("The chosen school wants a negative run back with each positive.".to_owned());
        f.components = vec![ctx.id(c.component).to_owned()];
        found.push(f);
    }
    found
}
