//! A conductor that leaves a source and reaches something without any device.

use super::protection::{Group, Verdict};
use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED, Target};
use crate::network::WireSpot;
use crate::units::{apart, short};

pub(super) static RULE: Rule = Rule {
    slug: "overcurrent-missing",
    hazard: Hazard::Overcurrent,
    statement: "Every conductor that a source can feed beyond its ampacity ends in an overcurrent device near that source.",
    why: "A short on a bare run draws thousands of amperes from a battery and sets the cable alight; battery electronics may take it for a large load and never count as overcurrent protection.",
    source: "NFPA 70 sections 551.10(E)(4) and 240.21; IEC 60364-4-43 sections 433 and 434 (recalled)",
    find,
    is: &[Is::Unprotected],
    repairs: &[Repair::AddDevice],
    without: TRIED,
    proven_by: &[],
    faults: &[
        (Field::Overcurrent, "no device at the battery, or only at the far end"),
        (Field::Overcurrent, "battery electronics taken for a device"),
        (Field::Overcurrent, "old cable fed backwards after a source was moved"),
        (Field::Overcurrent, "a breakaway feed that is long or not fused"),
    ],
    schools: &["first-device"],
    example: include_str!("examples/overcurrent-missing.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    groups(ctx, Verdict::Missing)
        .map(|g| {
            let source = ctx.net.nodes[g.entry].name.clone();
            let statement = format!(
                "No overcurrent device between {source} and {}: {} is live without limit.",
                g.bare.join(", "),
                ctx.wire_words(g.wires[0])
            );
            from_group(ctx, &RULE, Severity::KeepOff, g, statement)
        })
        .collect()
}

/// Groups with a verdict, in a settled order.
pub(super) fn groups<'a>(ctx: &'a Context, verdict: Verdict) -> impl Iterator<Item = &'a Group> {
    ctx.protection().iter().filter(move |g| g.verdict == verdict)
}

/// A finding about a group, with the evidence that all four rules share.
pub(super) fn from_group(
    ctx: &Context,
    rule: &'static Rule,
    severity: Severity,
    g: &Group,
    statement: String,
) -> Finding {
    let net = ctx.net;
    let state = &ctx.states.states[g.state];
    let mut f = ctx.finding(rule, severity, &net.wires[g.wires[0]].key, statement);
    let entry = &net.nodes[g.entry].name;
    f.evidence.push(format!("State: {}.", ctx.state_words(state)));
    let limited: Vec<&str> = g.limiters.iter().map(|l| l.words.as_str()).collect();
    if g.flow_a >= crate::network::INFINITE * 0.5 {
        f.evidence.push(format!("With the conductor taken away, no device stands between a battery and {entry}: no device limits the fault current."));
    } else if g.let_out && g.limiters.is_empty() {
        f.evidence.push(format!("No device stands between a battery and {entry}, and none after it."));
    } else if g.let_out {
        f.evidence.push(format!(
            "No device stands between a battery and {entry}; those after it let out {} A together, one at its rating and the others at what hangs on them: {}.",
            short(g.flow_a),
            limited.join("; ")
        ));
    } else {
        f.evidence.push(format!(
            "With the conductor taken away, {} A could flow at {entry}, held by: {}.",
            short(g.flow_a),
            limited.join("; ")
        ));
    }
    let amp = ctx.ampacity(g.weakest);
    f.evidence.push(format!("Ampacity of {}: {}.", ctx.wire_words(g.weakest), amp.steps.join("; ")));
    let overload = g.demand_a.filter(|d| g.verdict == super::protection::Verdict::TooSmall && *d > amp.iz_a);
    f.evidence.push(if let Some(demand) = overload {
        format!("{} A > {} A.", apart(demand, amp.iz_a).0, apart(demand, amp.iz_a).1)
    } else if g.flow_a >= crate::network::INFINITE * 0.5 {
        format!("A current without limit against {} A.", short(g.allowed_a))
    } else {
        let (flow, allowed) = apart(g.flow_a, g.allowed_a);
        format!("{flow} A > {allowed} A allowed.")
    });
    if let Some((distance, limit, source)) = &g.distance {
        f.evidence.push(format!(
            "Farthest device along it: {} m from {entry}; {} m allowed ({source}).",
            short(*distance),
            short(*limit)
        ));
    }
    f.evidence.push(format!("At its end: {}.", g.ends.join("; ")));
    if let Some(amps) = g.demand_a {
        let sum = if g.demand_working.len() > 1 { format!(": {} A", short(amps)) } else { String::new() };
        f.evidence.push(format!("What hangs on it: {}{sum}.", g.demand_working.join("; ")));
    }
    if g.wires.len() > 1 {
        let all: Vec<String> = g.wires.iter().map(|w| ctx.wire_words(*w)).collect();
        f.evidence.push(format!("Conductors concerned: {}.", all.join("; ")));
    }
    f.source = format!("{}; ampacity: {}", rule.source, amp.source);
    f.way = state.way.clone();
    f.wires = g.wires.iter().map(|w| net.wires[*w].spot).collect();
    f.components = net.nodes[g.entry].component.map(|p| ctx.id(p).to_owned()).into_iter().collect();
    let devices = g.limiters.iter().filter_map(|l| l.device.clone());
    f.target = Target::Wires {
        wires: f.wires.clone(),
        entry: entry.clone(),
        demand_a: g.demand_a,
        devices: devices.map(|(p, way)| (ctx.id(p).to_owned(), way)).collect(),
    };
    f
}

/// Spots of wires in words, for other rules.
pub(super) fn spots(ctx: &Context, wires: &[usize]) -> Vec<WireSpot> {
    wires.iter().map(|w| ctx.net.wires[*w].spot).collect()
}
