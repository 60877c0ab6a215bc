//! An appliance that safety depends on, behind a switch that takes other things off too.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, distinct};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::EdgeKind;

pub(super) static RULE: Rule = Rule {
    slug: "vital-switched",
    hazard: Hazard::Isolation,
    statement: "What safety depends on, such as an alarm or breakaway brakes, works with everything switched off.",
    why: "The rig is parked with its main switch off, and the gas alarm with it; a trailer that breaks away does so with its isolator open.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::AheadOfSwitch],
    without: "A conductor is landed elsewhere: which one is decided at the rig, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Isolation, "what safety depends on goes off with the main switch")],
    schools: &[],
    example: include_str!("examples/vital-switched.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for component in ctx.components(Kind::Isolator).filter(|p| !ctx.rig.components[*p].flag("pull-pin")) {
        let own = |n: usize| net.nodes[n].component == Some(component);
        let side = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Minus | Role::Any | Role::Earth);
        let part = ctx
            .joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && side(e.a) && side(e.b) && !(own(e.a) && own(e.b)));
        let fed = |n: usize| {
            net.sources
                .iter()
                .any(|s| s.kind == SourceKind::Battery && (part[s.plus] == part[n] || part[s.minus] == part[n]))
        };
        let off: Vec<_> = net.consumers.iter().filter(|c| !(c.ac || (fed(c.plus) && fed(c.minus)))).collect();
        let whole = ctx.whole();
        let once = |n: usize| {
            net.sources
                .iter()
                .any(|s| s.kind == SourceKind::Battery && (whole[s.plus] == whole[n] || whole[s.minus] == whole[n]))
        };
        let vital: Vec<&str> = off.iter().filter(|c| c.vital && once(c.plus)).map(|c| ctx.id(c.component)).collect();
        // A switch of its own belongs to it.
        if vital.is_empty() || off.len() == vital.len() {
            continue;
        }
        let vital = distinct(vital);
        let name = ctx.component_words(component);
        let mut f = ctx.finding(
            &RULE,
            Severity::Advice,
            ctx.id(component),
            format!("{name} takes {} off as well.", vital.join(", ")),
        );
        f.evidence.push(format!("With {} open, {} hangs on no battery.", ctx.id(component), vital.join(", ")));
        f.evidence.push(
            "Feed it from ahead of the switch by a device of its own, and list it as meant to stay live.".to_owned(),
        );
        f.components = std::iter::once(ctx.id(component)).chain(vital).map(str::to_owned).collect();
        found.push(f);
    }
    found
}
