//! A conductor that joins what must never be joined, or reaches the wrong terminal.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::Role;
use crate::network::EdgeKind;
use crate::test_kinds::TestKind;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "conductors-crossed",
    hazard: Hazard::Backfeed,
    statement: "No conductor joins line to earth, positive to negative, line to neutral, or AC to DC.",
    why: "Joined by colour: black is an AC hot and a DC negative, white an AC neutral and a DC positive; the first closing of a switch then puts mains on the battery side or shorts a bank.",
    source: "NFPA 70 sections 551.4(B) and 200.11; IEC 60364-5-51 section 514 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::LandAlike],
    without: TRIED,
    proven_by: &[TestKind::Core],
    faults: &[(Field::Bonding, "reversed polarity"), (Field::Backfeed, "AC and DC joined by colour")],
    schools: &[],
    example: include_str!("examples/conductors-crossed.rig"),
};

/// What is wrong with joining two duties, if anything is.
fn wrong(a: Role, b: Role) -> Option<(Severity, &'static str)> {
    use Role::{Earth, Line, Minus, Neutral, Plus};
    match (a, b) {
        (Plus, Minus) | (Minus, Plus) => Some((Severity::KeepOff, "DC positive is joined to DC negative")),
        (Plus, Earth) | (Earth, Plus) => Some((Severity::KeepOff, "DC positive is joined to earth")),
        (Line, Earth) | (Earth, Line) => Some((Severity::KeepOff, "the AC line is joined to earth")),
        (Line, Neutral) | (Neutral, Line) => Some((Severity::BeforeUse, "line and neutral are reversed or joined")),
        (Line | Neutral, Plus | Minus) | (Plus | Minus, Line | Neutral) => {
            Some((Severity::KeepOff, "AC is joined to DC"))
        }
        _ => None,
    }
}

/// Metal that joins the negative post of a battery or array to the positive of the next in series: no fault.
fn between_series(ctx: &Context) -> Vec<bool> {
    let net = ctx.net;
    let label = ctx.joined(|e| !matches!(e.what, EdgeKind::Contact(_) | EdgeKind::Bond { .. }));
    let stacks = net.sources.iter().filter(|s| !s.below.is_empty());
    let upper = |component: &usize| {
        let batteries = net.stores.iter().filter(|s| s.component == *component).map(|s| s.plus).collect::<Vec<_>>();
        if batteries.is_empty() { net.node(*component, "+").into_iter().collect() } else { batteries }
    };
    let mids: Vec<u32> = stacks.flat_map(|s| s.below.iter()).flat_map(upper).map(|n| label[n]).collect();
    let frame = |l: u32| (0..net.nodes.len()).any(|n| label[n] == l && net.nodes[n].role == Role::Earth);
    (0..net.nodes.len()).map(|n| mids.contains(&label[n]) && !frame(label[n])).collect()
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let series = between_series(ctx);
    let mut found: BTreeMap<String, Finding> = BTreeMap::new();
    for edge in &net.edges {
        if !matches!(edge.what, EdgeKind::Wire(_) | EdgeKind::Joint) {
            continue;
        }
        let (a, b) = (&net.nodes[edge.a], &net.nodes[edge.b]);
        let Some((severity, words)) = wrong(a.duty, b.duty) else { continue };
        if series[edge.a] && matches!((a.duty, b.duty), (Role::Plus, Role::Minus) | (Role::Minus, Role::Plus)) {
            continue;
        }
        let (subject, spot) = match edge.what {
            EdgeKind::Wire(w) => (ctx.wire_subject(w), Some(net.wires[w].spot)),
            _ => (format!("{}--{}", a.name, b.name), None),
        };
        let line = format!("{} ({}) is joined to {} ({}).", a.name, a.duty.word(), b.name, b.duty.word());
        let f = found.entry(subject.clone()).or_insert_with(|| {
            let mut f = ctx.finding(&RULE, severity, &subject, format!("Between {} and {} {words}.", a.name, b.name));
            f.wires = spot.into_iter().collect();
            f.components = [a.component, b.component].into_iter().flatten().map(|p| ctx.id(p).to_owned()).collect();
            f
        });
        f.severity = f.severity.max(severity);
        f.evidence.push(line);
    }
    found.into_values().collect()
}
