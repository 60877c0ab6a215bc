//! Conductors in parallel that are not safe with one of them open.

use super::protection::{greatest_flow, greatest_into, is_live_side};
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::network::{EdgeKind, INFINITE};
use crate::profiles::resistance_ohm_per_m;
use crate::units::short;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "parallel-conductors",
    hazard: Hazard::Overcurrent,
    statement: "Conductors in parallel are equal, and the others still carry the current when one of them is open.",
    why: "Nobody notices that one of two lugs has worked loose: everything goes on working, on half the copper.",
    source: "NFPA 70 section 310.10(G), 1/0 AWG or larger; IEC 60364-4-43 sections 433.4 and 434.4 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::NextSizes],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Overcurrent, "two thin cables for one thick")],
    schools: &[],
    example: include_str!("examples/parallel-conductors.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for wire in 0..ctx.net.wires.len() {
        let group = ctx.parallel(wire);
        if group.len() < 2 || group[0] != wire {
            continue;
        }
        let n = group.len() as f64;
        let amp = ctx.ampacity(wire);
        let left_a = amp.device_a * (n - 1.0) / n;
        let flow_a = greatest_flow(ctx, wire);
        let thin = ctx.net.wires[wire].laid.area_mm2 < ctx.profile.parallel_mm2.value * 0.999;
        let open = flow_a.is_some_and(|f| f > left_a * (1.0 + 1e-6));
        if !open && !thin {
            continue;
        }
        let name = ctx.wire_words(wire);
        let statement = match (open, thin) {
            (true, _) => format!(
                "{name} lies {} times in parallel; with one open the others carry {} A and may carry {} A.",
                group.len(),
                flow_a.map_or("unlimited".to_owned(), short),
                short(left_a)
            ),
            _ => format!("{name} lies {} times in parallel and is thinner than 1/0 AWG.", group.len()),
        };
        let mut f = ctx.finding(&RULE, Severity::Soon, &ctx.net.wires[wire].key, statement);
        f.evidence.push(format!("All together: {}.", amp.steps.join("; ")));
        f.evidence.push(format!(
            "With one open: {} A × {} / {} = {} A.",
            short(amp.device_a),
            group.len() - 1,
            group.len(),
            short(left_a)
        ));
        if let Some(flow) = flow_a {
            f.evidence.push(format!("The devices ahead let {} A through.", short(flow)));
        }
        f.wires = super::overcurrent_missing::spots(ctx, group);
        found.push(f);
    }
    found.extend(unlike(ctx));
    found
}

/// Conductors between the same two terminals that are not equal: each takes its share by resistance, and the thinnest may
/// carry all of it once the others are open.
fn unlike(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut between: BTreeMap<(usize, usize), Vec<(usize, usize)>> = BTreeMap::new();
    for (edge, e) in net.edges.iter().enumerate() {
        if let EdgeKind::Wire(w) = e.what {
            between.entry((e.a.min(e.b), e.a.max(e.b))).or_default().push((edge, w));
        }
    }
    let mut found = Vec::new();
    for ((a, b), list) in between {
        let wires: Vec<usize> = list.iter().map(|l| l.1).collect();
        let equal = ctx.parallel(wires[0]).len() == wires.len();
        let live = is_live_side(net.nodes[a].duty) && is_live_side(net.nodes[b].duty);
        if wires.len() < 2 || equal || !live || wires.iter().any(|w| net.wires[*w].unseen) {
            continue;
        }
        let edges: Vec<usize> = list.iter().map(|l| l.0).collect();
        let (amps, held) = greatest_into(ctx, &[a, b], &edges, false, 0.0);
        let each = |w: usize| {
            let wire = &net.wires[w];
            1.0 / (wire.length_m * resistance_ohm_per_m(wire.laid.area_mm2, wire.gauge)).max(1e-6)
        };
        let sum: f64 = wires.iter().map(|w| each(*w)).sum();
        let Some(&worst) =
            wires.iter().max_by(|x, y| (each(**x) / one_a(ctx, **x)).total_cmp(&(each(**y) / one_a(ctx, **y))))
        else {
            continue;
        };
        let names: Vec<&str> = wires.iter().map(|w| net.wires[*w].title.as_str()).collect();
        let statement = format!(
            "Between {} and {} lie unlike conductors in parallel: {}.",
            net.nodes[a].name,
            net.nodes[b].name,
            names.join(" and ")
        );
        let mut f = ctx.finding(&RULE, Severity::Soon, &net.wires[worst].key, statement);
        if amps < INFINITE * 0.5 {
            f.evidence.push(format!("{} A can flow through all of them, held by: {}.", short(amps), held.join("; ")));
            for &w in &wires {
                f.evidence.push(format!(
                    "{} takes {:.0} % by its resistance: {} A; it may carry {} A.",
                    net.wires[w].title,
                    100.0 * each(w) / sum,
                    short(amps * each(w) / sum),
                    short(one_a(ctx, w))
                ));
            }
        } else {
            f.evidence
                .push("No device holds what flows through them; each takes a share by its resistance.".to_owned());
        }
        f.evidence.push("Equal ones share equally and are seen to; of unlike ones the thinner is left alone with all of it when the other works loose.".to_owned());
        f.wires = wires.iter().map(|w| net.wires[*w].spot).collect();
        found.push(f);
    }
    found
}

/// What one conductor of a group carries by itself, A.
fn one_a(ctx: &Context, wire: usize) -> f64 {
    ctx.ampacity(wire).device_a / ctx.parallel(wire).len().max(1) as f64
}
