//! A cable too small for what hangs on it, with nothing that keeps the current within it.

use super::overcurrent_missing::{from_group, groups};
use super::protection::{Group, Verdict};
use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::units::{apart, short};

pub(super) static RULE: Rule = Rule {
    slug: "cable-ampacity",
    hazard: Hazard::Cable,
    statement: "A conductor carries the current of what hangs on it, corrected for ambient, bundling and insulation.",
    why: "A cable run above its ampacity ages, softens and burns while everything on it works, and the device ahead of it, sized for the load, never opens.",
    source: "NFPA 70 sections 240.4 and 310.14; IEC 60364-4-43 section 433.1 and 60364-5-52 (recalled)",
    find,
    is: &[Is::Unprotected],
    repairs: &[Repair::DeviceOrCable, Repair::TapDevice, Repair::NextSizes, Repair::DerateWithDevice],
    without: TRIED,
    proven_by: &[],
    faults: &[
        (Field::Overcurrent, "a 30 A path on a 50 A supply"),
        (Field::Overcurrent, "protection that differs by state"),
        (Field::Cable, "too thin for what hangs on it, with ambient and bundling"),
    ],
    schools: &["small-sizes"],
    example: include_str!("examples/cable-ampacity.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    groups(ctx, Verdict::TooSmall).map(|g| one(ctx, g)).collect()
}

fn one(ctx: &Context, g: &Group) -> Finding {
    let amp = ctx.ampacity(g.weakest);
    let statement = match g.demand_a.filter(|d| *d > amp.iz_a) {
        Some(demand) => {
            let (carries, may) = apart(demand, amp.iz_a);
            format!("{} carries {carries} A and may carry {may} A.", ctx.wire_words(g.weakest))
        }
        None => format!(
            "{} may carry {} A, and {} A can come from {}.",
            ctx.wire_words(g.weakest),
            short(amp.iz_a),
            short(g.flow_a),
            g.limiters.iter().map(|l| l.words.as_str()).collect::<Vec<_>>().join(" and ")
        ),
    };
    from_group(ctx, &RULE, Severity::BeforeUse, g, statement)
}
