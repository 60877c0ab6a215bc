//! Conductors in parallel that are not safe with one of them open.

use super::protection::greatest_flow;
use super::{Context, Finding, Hazard, Meta, Severity};
use crate::units::short;

pub(super) static META: Meta = Meta {
    slug: "parallel-conductors",
    hazard: Hazard::Overcurrent,
    statement: "Conductors in parallel are equal, and the others still carry the current when one of them is open.",
    why: "Nobody notices that one of two lugs has worked loose: everything goes on working, on half the copper.",
    source: "NFPA 70 section 310.10(G), 1/0 AWG or larger; IEC 60364-4-43 sections 433.4 and 434.4 (recalled)",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
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
        let thin = ctx.net.wires[wire].laid.area_mm2 < ctx.profile.thresholds.parallel_mm2 * 0.999;
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
        let mut f = ctx.finding(&META, Severity::Soon, &ctx.net.wires[wire].key, statement);
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
    found
}
