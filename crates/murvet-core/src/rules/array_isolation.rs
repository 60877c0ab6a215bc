//! An array that nothing takes off its controller.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, SourceKind};
use crate::network::EdgeKind;

pub(super) static RULE: Rule = Rule {
    slug: "array-isolation",
    hazard: Hazard::Isolation,
    statement: "A switch stands between an array and its controller.",
    why: "Light cannot be switched off: without a switch the array's leads are live in the hand, and the battery can never be taken off first.",
    source: "NFPA 70 section 690.13; IEC 60364-7-712 section 712.537 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::FitSwitch],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Isolation, "nothing takes the array off")],
    schools: &[],
    example: include_str!("examples/array-isolation.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let part = ctx.joined(|e| {
        let kind = net.contact_of(e).map(|p| ctx.rig.components[p].kind);
        let opens = matches!(kind, Some(Kind::Isolator | Kind::Breaker | Kind::DcSocket));
        !opens && !matches!(e.what, EdgeKind::Bond { .. }) && !net.crosses_earth(e)
    });
    let mut found = Vec::new();
    for s in net.sources.iter().filter(|s| s.kind == SourceKind::Array) {
        // A switch in either conductor takes it off.
        let meets = net.sources.iter().filter(|c| c.kind == SourceKind::Controller);
        let bare = meets
            .filter_map(|c| Some((c.component, c.input?)))
            .find(|(_, (p, m))| part[*p] == part[s.plus] && part[*m] == part[s.minus]);
        let Some((controller, _)) = bare else { continue };
        let statement =
            format!("Nothing takes {} off {}.", ctx.component_words(s.component), ctx.component_words(controller));
        let mut f = ctx.finding(&RULE, Severity::Soon, ctx.id(s.component), statement);
        f.evidence.push(format!(
            "Between {} and {} no isolator and no breaker is passed.",
            net.nodes[s.plus].name,
            ctx.id(controller)
        ));
        f.evidence.push("Until then: cover it, and take its leads off one by one.".to_owned());
        f.components = vec![ctx.id(s.component).to_owned(), ctx.id(controller).to_owned()];
        found.push(f);
    }
    found
}
