//! An AC device on DC, or a vehicle fuse on mains.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role};
use crate::network::EdgeKind;

pub(super) static RULE: Rule = Rule {
    slug: "device-kind",
    hazard: Hazard::Overcurrent,
    statement: "A device is made for the kind of current it stands on.",
    why: "An AC breaker waits for a zero crossing that DC does not have, and its magnetic trip comes half as late again; a vehicle fuse has no rating at mains voltage.",
    source: "IEC 60898-1 is for AC, DC duty needs IEC 60898-2 or -3 or 60947-2; ISO 8820-3 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::AnotherKind],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Overcurrent, "an AC device on DC, or a vehicle fuse on mains")],
    schools: &[],
    example: include_str!("examples/device-kind.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: Vec<Finding> = Vec::new();
    for edge in &net.edges {
        let EdgeKind::Device { component, way: None, .. } = &edge.what else { continue };
        let p = &ctx.rig.components[*component];
        if found.iter().any(|f| f.subject == p.id) {
            continue;
        }
        let on = |roles: &[Role]| [edge.a, edge.b].iter().all(|n| roles.contains(&net.nodes[*n].duty));
        let class = p.word("class").unwrap_or_default();
        let (dc, mains) = (on(&[Role::Plus]) || on(&[Role::Minus]), on(&[Role::Line]));
        let ac_only = match p.word("duty") {
            Some(duty) => duty == "ac-only",
            None => class.starts_with("curve-"),
        };
        let words = match p.kind {
            Kind::Breaker | Kind::Rcbo if dc && ac_only => "is an AC device and stands on DC",
            Kind::Fuse if mains && ["blade", "large-blade", "bolt-down", "terminal", "glass"].contains(&class) => {
                "is a fuse for extra-low voltage and stands on mains"
            }
            _ => continue,
        };
        let mut f =
            ctx.finding(&RULE, Severity::BeforeUse, &p.id, format!("{} {words}.", ctx.component_words(*component)));
        let how = p.word("duty").map_or_else(|| format!("by its construction, {class}"), |d| format!("marked {d}"));
        f.evidence.push(format!("It is taken so {how}."));
        f.evidence.push(format!(
            "It stands between {} ({}) and {}.",
            net.nodes[edge.a].name,
            net.nodes[edge.a].duty.word(),
            net.nodes[edge.b].name
        ));
        f.components = vec![p.id.clone()];
        found.push(f);
    }
    found
}
