//! An electronic load-disconnect in a path that also charges or feeds an inverter.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, distinct};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::EdgeKind;

pub(super) static RULE: Rule = Rule {
    slug: "load-disconnect-place",
    hazard: Hazard::Battery,
    statement: "A load-disconnect stands in a path of loads alone: nothing charges through it, and no inverter hangs on it.",
    why: "It opens under charge and the charger feeds the loads without a battery; the inrush of an inverter's capacitors burns its transistors closed.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::OutOfPath],
    without: "A conductor is landed elsewhere: which one is decided at the rig, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Battery, "a load-disconnect in a path that charges or inverts")],
    schools: &[],
    example: include_str!("examples/load-disconnect-place.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for component in ctx.components(Kind::LoadDisconnect) {
        let (Some(a), Some(b)) = (net.node(component, "in"), net.node(component, "out")) else { continue };
        let live = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Any);
        let own = |x: usize, y: usize| (x, y) == (a, b) || (y, x) == (a, b);
        let part = ctx.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && live(e.a) && live(e.b) && !own(e.a, e.b));
        let store = |n: usize| net.sources.iter().any(|s| s.kind == SourceKind::Battery && part[s.plus] == part[n]);
        // The side without the battery.
        let Some(far) = [a, b].into_iter().find(|n| !store(*n)).filter(|_| part[a] != part[b]) else { continue };
        let charges = net.sources.iter().filter(|s| !s.kind.is_ac() && part[s.plus] == part[far]).map(|s| s.component);
        let feeds = net.consumers.iter().filter(|c| {
            matches!(ctx.rig.components[c.component].kind, Kind::Inverter | Kind::InverterCharger)
                && part[c.plus] == part[far]
        });
        let through: Vec<&str> = charges.chain(feeds.map(|c| c.component)).map(|p| ctx.id(p)).collect();
        let through = distinct(through);
        if through.is_empty() {
            continue;
        }
        // The management's own contactor parts the battery from everything: it is made for that, and is judged by what
        // obeys the same unit (`management-ignored`).
        let own = |s: &&crate::network::Source| {
            let word = ctx.rig.components[s.component].word("management");
            s.kind == SourceKind::Battery && word == Some("management-contactor") && part[s.plus] != part[far]
        };
        if ctx.rig.components[component].flag("listens") && net.sources.iter().any(|s| own(&s)) {
            continue;
        }
        let statement =
            format!("{} stands between the battery and {}.", ctx.component_words(component), through.join(", "));
        let mut f = ctx.finding(&RULE, Severity::Soon, ctx.id(component), statement);
        f.evidence.push(format!(
            "With {} open, {} hang on its far side without a battery.",
            ctx.id(component),
            through.join(", ")
        ));
        f.evidence.push("It is made for loads: what charges and what inverts goes ahead of it.".to_owned());
        f.components = std::iter::once(ctx.id(component)).chain(through).map(str::to_owned).collect();
        found.push(f);
    }
    found
}
