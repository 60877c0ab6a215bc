//! A cable too small for what hangs on it, with nothing that keeps the current within it.

use super::overcurrent_missing::{from_group, groups};
use super::protection::{Group, Verdict};
use super::{Context, Finding, Hazard, Meta, Severity};
use crate::units::short;

pub(super) static META: Meta = Meta {
    slug: "cable-ampacity",
    hazard: Hazard::Cable,
    statement: "A conductor carries the current of what hangs on it, corrected for ambient, bundling and insulation.",
    why: "A cable run above its ampacity ages, softens and burns while everything on it works, and the device ahead of it, sized for the load, never opens.",
    source: "NFPA 70 sections 240.4 and 310.14; IEC 60364-4-43 section 433.1 and 60364-5-52 (recalled)",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: Vec<Finding> = groups(ctx, Verdict::TooSmall).map(|g| one(ctx, g)).collect();
    // A run without any device can be too thin for its load besides: when no device that the profile allows
    // for it would hold that load.
    for g in groups(ctx, Verdict::Missing).chain(groups(ctx, Verdict::TooFar)) {
        if g.demand_a.is_some_and(|d| d > ctx.ampacity(g.weakest).device_a * (1.0 + 1e-6)) && g.wires.len() == 1 {
            found.push(one(ctx, g));
        }
    }
    found
}

fn one(ctx: &Context, g: &Group) -> Finding {
    let amp = ctx.ampacity(g.weakest);
    let statement = match g.demand_a.filter(|d| *d > amp.iz_a) {
        Some(demand) => {
            format!("{} carries {} A and may carry {} A.", ctx.wire_words(g.weakest), short(demand), short(amp.iz_a))
        }
        None => format!(
            "{} may carry {} A, and {} A can come from {}.",
            ctx.wire_words(g.weakest),
            short(amp.iz_a),
            short(g.flow_a),
            g.limiters.iter().map(|l| l.words.as_str()).collect::<Vec<_>>().join(" and ")
        ),
    };
    from_group(ctx, &META, Severity::BeforeUse, g, statement)
}
