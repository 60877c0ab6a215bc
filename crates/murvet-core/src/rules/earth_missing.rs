//! An outlet or appliance whose earth never reaches the bond.

use super::islands::{Separation, fed, separation};
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::EdgeKind;
use crate::states::gate_closed;
use crate::test_kinds::TestKind;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "earth-missing",
    hazard: Hazard::Bonding,
    statement: "The earth terminal of every outlet and appliance reaches the neutral of the source through the bond.",
    why: "A fault to a case then leaves the case live: nothing opens until somebody touches it.",
    source: "NFPA 70 sections 250.4(A)(5) and 551.54; IEC 60364-4-41 section 411.3.1 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::LandEarth],
    without: TRIED,
    proven_by: &[TestKind::Earth, TestKind::FaultLoop],
    faults: &[(Field::Bonding, "an outlet or case whose earth leads nowhere")],
    schools: &[],
    example: include_str!("examples/earth-missing.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    // Neither the chassis nor the ground is an earth conductor: what reaches the bond through it alone does not reach it.
    let frame = |n: usize| {
        net.nodes[n].component.is_some_and(|p| matches!(ctx.rig.components[p].kind, Kind::Chassis | Kind::Electrode))
    };
    let earth = |n: usize| net.nodes[n].duty == Role::Earth && !frame(n);
    let mut missing: BTreeMap<usize, (usize, usize)> = BTreeMap::new();
    let mut parts: BTreeMap<usize, Vec<u32>> = BTreeMap::new();
    for island in ctx.islands() {
        // Where neutral meets earth, or, while a bond is missing as well, where it would: the source's own earth.
        let meetings: Vec<usize> = if island.meetings.is_empty() {
            let source = &net.sources[island.source];
            let wanted = source.kind != SourceKind::Shore && matches!(separation(ctx, island), Separation::Not(_));
            source.earth.filter(|_| wanted).into_iter().collect()
        } else {
            island.meetings.iter().map(|m| m.earth).collect()
        };
        if meetings.is_empty() {
            continue;
        }
        let part = &*parts.entry(island.index).or_insert_with(|| {
            let closed = |e: &crate::network::Edge| match e.what {
                EdgeKind::Contact(gate) => gate_closed(&island.state.setting, gate),
                EdgeKind::Bond { .. } => false,
                _ => true,
            };
            ctx.joined(|e| earth(e.a) && earth(e.b) && closed(e))
        });
        for component in fed(ctx, island.state, island.source) {
            let earths =
                net.nodes.iter().enumerate().filter(|(_, n)| n.component == Some(component) && n.role == Role::Earth);
            let reached = earths.map(|(n, _)| n).any(|n| meetings.iter().any(|m| part[*m] == part[n]));
            if !reached {
                missing.entry(component).or_insert((island.index, island.source));
            }
        }
    }
    // Outlets of one chain that lose their earth together are one finding.
    let mut groups: BTreeMap<(u32, usize, usize), Vec<usize>> = BTreeMap::new();
    for (component, (state, source)) in missing {
        let part = &ctx.states.states[state].live.part;
        let earth = net.nodes.iter().position(|n| n.component == Some(component) && n.role == Role::Earth);
        groups.entry((earth.map_or(0, |n| part[n]), state, source)).or_default().push(component);
    }
    groups
        .into_iter()
        .map(|((_, state, source), components)| {
            let state = &ctx.states.states[state];
            let names: Vec<&str> = components.iter().map(|p| ctx.id(*p)).collect();
            let feeder = ctx.component_words(net.sources[source].component);
            let statement = format!("The earth of {} never reaches the bond of {feeder}.", names.join(", "));
            let mut f = ctx.finding(&RULE, Severity::KeepOff, names[0], statement);
            f.evidence.push(format!("State: {}.", ctx.state_words(state)));
            f.evidence.push(format!(
                "From the earth terminal of {} no earth conductor leads to where the neutral of {feeder} meets earth.",
                names[0]
            ));
            let by_frame = ctx.joined(|e| net.nodes[e.a].duty == Role::Earth && net.nodes[e.b].duty == Role::Earth);
            let own = net.nodes.iter().position(|n| n.component == Some(components[0]) && n.role == Role::Earth);
            if own.zip(net.sources[source].earth).is_some_and(|(a, b)| by_frame[a] == by_frame[b]) {
                f.evidence.push("It gets there over the chassis or the ground alone, and they do not count: paint, hinges and bolted sheet are a joint that nobody sized, sees or watches, and the ground carries a few amperes; measured low they are an addition to an earth conductor, never one.".to_owned());
            }
            f.way = state.way.clone();
            f.components = names.iter().map(|n| (*n).to_owned()).collect();
            f
        })
        .collect()
}
