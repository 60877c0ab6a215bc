//! A battery that nothing takes off.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, distinct};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{Edge, EdgeKind};

pub(super) static RULE: Rule = Rule {
    slug: "battery-isolation",
    hazard: Hazard::Isolation,
    statement: "A switch takes the battery off everything but the few things that are meant to stay live.",
    why: "In a fault or a fire there is one thing to do first, and it must be possible without tools.",
    source: "NFPA 70 section 551.10; AS/NZS 3001.2 (recalled in outline); ISO 13297 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::FitSwitch],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Isolation, "nothing takes the battery off, or loads stand ahead of the switch")],
    schools: &[],
    example: include_str!("examples/battery-isolation.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let opens = |e: &Edge| {
        let kind = net.contact_of(e).map(|p| ctx.rig.components[p].kind);
        matches!(kind, Some(Kind::Isolator | Kind::Breaker))
    };
    let reach = |role: Role| {
        let fits = move |n: usize| matches!(net.nodes[n].duty, r if r == role || r == Role::Any || (role == Role::Minus && r == Role::Earth));
        ctx.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && fits(e.a) && fits(e.b) && !opens(e))
    };
    let (plus, minus) = (reach(Role::Plus), reach(Role::Minus));
    let whole = ctx.whole();
    let mut found = Vec::new();
    for s in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
        let battery = &ctx.rig.components[s.component];
        if battery.flag("starter") {
            continue;
        }
        let live = net
            .consumers
            .iter()
            .filter(|c| !c.ac && !c.vital && plus[c.plus] == plus[s.plus] && minus[c.minus] == minus[s.minus]);
        let ahead: Vec<&str> = live.map(|c| ctx.id(c.component)).collect();
        let ahead = distinct(ahead);
        if ahead.is_empty() {
            continue;
        }
        // Whether a switch takes anything at all off this battery.
        let any = net.consumers.iter().any(|c| {
            let on = !c.ac && !c.vital && whole[c.plus] == whole[s.plus] && !ahead.contains(&ctx.id(c.component));
            on && whole[c.minus] == whole[s.minus]
        });
        let (severity, statement) = if any {
            (
                Severity::Advice,
                format!(
                    "Still on {} when every isolator is open: {}.",
                    ctx.component_words(s.component),
                    ahead.join(", ")
                ),
            )
        } else {
            (
                Severity::Soon,
                format!("Nothing takes {} off; still on it: {}.", ctx.component_words(s.component), ahead.join(", ")),
            )
        };
        let mut f = ctx.finding(&RULE, severity, &battery.id, statement);
        f.evidence.push(format!(
            "With every isolator and breaker of the rig open, both terminals of {} still reach it.",
            ahead.join(", ")
        ));
        f.evidence.push("What is meant to stay live is listed, labelled and fused; alarms count as vital.".to_owned());
        f.components = vec![battery.id.clone()];
        found.push(f);
    }
    found
}
