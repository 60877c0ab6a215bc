//! A neutral or an earth that a device or switch opens by itself.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role};
use crate::network::EdgeKind;

pub(super) static RULE: Rule = Rule {
    slug: "return-interrupted",
    hazard: Hazard::Overcurrent,
    statement: "No device and no switch opens a neutral or an earth alone; a fuse in a return that is joined to the chassis protects nothing.",
    why: "A neutral that opens alone leaves everything dead and live at once; an earth that opens leaves cases without protection; the chassis carries the fault past a fuse in the negative.",
    source: "NFPA 70 sections 240.22 and 404.2(B); IEC 60364-4-43 section 431.2 and 60364-5-54 section 543.3 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::TakeOut],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Overcurrent, "a neutral or an earth opened alone")],
    schools: &[],
    example: include_str!("examples/return-interrupted.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let chassis = ctx.components(Kind::Chassis).next().is_some();
    let mut found: Vec<Finding> = Vec::new();
    for edge in &net.edges {
        let component = match &edge.what {
            EdgeKind::Device { component, .. } => *component,
            EdgeKind::Contact(_) => match net.nodes[edge.a].component {
                Some(p) if matches!(ctx.rig.components[p].kind, Kind::Isolator | Kind::Relay) => p,
                _ => continue,
            },
            _ => continue,
        };
        let p = &ctx.rig.components[component];
        // The pole meant for the line: what stands on it alone is opened alone.
        if ![&net.nodes[edge.a], &net.nodes[edge.b]].iter().all(|n| ["in", "out", "mid"].contains(&n.terminal.as_str()))
        {
            continue;
        }
        let device = matches!(edge.what, EdgeKind::Device { .. });
        let duty = net.nodes[edge.a].duty;
        let (severity, words) = match (duty, device) {
            (Role::Earth, _) => (Severity::KeepOff, "opens an earth conductor"),
            (Role::Neutral, _) => (Severity::BeforeUse, "opens a neutral alone"),
            (Role::Minus, true) if chassis => {
                (Severity::Advice, "stands in a negative that is joined to the chassis, so it protects nothing")
            }
            _ => continue,
        };
        if net.nodes[edge.b].duty != duty || found.iter().any(|f| f.subject == p.id) {
            continue;
        }
        let mut f = ctx.finding(&RULE, severity, &p.id, format!("{} {words}.", ctx.component_words(component)));
        f.evidence.push(format!(
            "It stands between {} and {}, both {}.",
            net.nodes[edge.a].name,
            net.nodes[edge.b].name,
            duty.word()
        ));
        f.evidence.push("No line and no positive is opened together with it.".to_owned());
        f.components = vec![p.id.clone()];
        found.push(f);
    }
    found
}
