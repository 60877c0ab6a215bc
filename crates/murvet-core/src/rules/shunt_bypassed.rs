//! A shunt with current going round it, or with none at all.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, distinct};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::EdgeKind;

pub(super) static RULE: Rule = Rule {
    slug: "shunt-bypassed",
    hazard: Hazard::Battery,
    statement: "All current of a bank goes through its shunt.",
    why: "A monitor that misses a load or a charger shows a full bank until it is flat, and every judgement built on it is wrong.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::BehindShunt],
    without: "A conductor is landed elsewhere: which one is decided at the rig, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Battery, "a shunt with current going round it, or with none")],
    schools: &[],
    example: include_str!("examples/shunt-bypassed.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for shunt in ctx.components(Kind::Shunt) {
        let (Some(a), Some(b)) = (net.node(shunt, "in"), net.node(shunt, "out")) else { continue };
        if net.nodes[a].duty != Role::Minus && net.nodes[b].duty != Role::Minus {
            continue;
        }
        let back = |n: usize| matches!(net.nodes[n].duty, Role::Minus | Role::Earth | Role::Any);
        let through = |x: usize, y: usize| (x, y) == (a, b) || (y, x) == (a, b);
        let part =
            ctx.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && back(e.a) && back(e.b) && !through(e.a, e.b));
        let house = |s: &&crate::network::Source| {
            s.kind == SourceKind::Battery && !ctx.rig.components[s.component].flag("starter")
        };
        let Some(battery) =
            net.sources.iter().filter(house).find(|s| part[s.minus] == part[a] || part[s.minus] == part[b])
        else {
            continue;
        };
        let side = part[battery.minus];
        let plus = ctx.whole();
        // What takes from this bank or charges it, on the bank's side of the shunt.
        let takes = net.consumers.iter().filter(|c| !c.ac).map(|c| (c.component, c.plus, c.minus));
        let gives = net.sources.iter().filter(|s| !s.kind.is_ac() && s.kind != SourceKind::Battery);
        let all: Vec<(usize, usize, usize)> = takes.chain(gives.map(|s| (s.component, s.plus, s.minus))).collect();
        let round: Vec<&str> = all
            .iter()
            .filter(|(_, p, m)| plus[*p] == plus[battery.plus] && part[*m] == side)
            .map(|(p, ..)| ctx.id(*p))
            .collect();
        let round = distinct(round);
        let silent = part[a] != part[b]
            && !all.iter().any(|(.., m)| part[*m] != side && (part[*m] == part[a] || part[*m] == part[b]));
        let statement = match (round.is_empty(), silent) {
            (true, false) => continue,
            (true, true) => format!("Nothing hangs behind {}: it sees no current.", ctx.component_words(shunt)),
            (false, _) => format!("The current of {} goes round {}.", round.join(", "), ctx.component_words(shunt)),
        };
        let mut f = ctx.finding(&RULE, Severity::Advice, ctx.id(shunt), statement);
        f.evidence.push(format!(
            "With {} taken away, the negative side of {} still reaches:",
            ctx.id(shunt),
            ctx.component_words(battery.component)
        ));
        f.evidence.push(if round.is_empty() {
            "nothing that takes or gives.".to_owned()
        } else {
            format!("{}.", round.join(", "))
        });
        f.components = vec![ctx.id(shunt).to_owned()];
        found.push(f);
    }
    found
}
