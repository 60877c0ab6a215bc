//! A first device that is farther from the source than allowed.

use super::overcurrent_missing::{from_group, groups};
use super::protection::Verdict;
use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::units::short;

pub(super) static RULE: Rule = Rule {
    slug: "device-too-far",
    hazard: Hazard::Overcurrent,
    statement: "The first overcurrent device stands within the profile's distance of the source.",
    why: "Everything between the source and its first device is unprotected; the longer that is, the likelier it chafes, and a device at the far end protects nothing of the run under the floor.",
    source: "NFPA 70 section 551.10(E)(4); IEC 60364-4-43 section 434.3 (recalled)",
    find,
    is: &[Is::Unprotected],
    repairs: &[Repair::AddDevice],
    without: TRIED,
    proven_by: &[],
    faults: &[
        (Field::Overcurrent, "the first device is too far from its source"),
        (Field::Overcurrent, "a source at each end and one device"),
    ],
    schools: &["first-device"],
    example: include_str!("examples/device-too-far.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    groups(ctx, Verdict::TooFar)
        .map(|g| {
            let (distance, limit) = g.distance.as_ref().map_or((0.0, 0.0), |d| (d.0, d.1));
            let statement = format!(
                "First overcurrent device is {1} m from {0}; at most {2} m is allowed.",
                ctx.net.nodes[g.entry].name,
                short(distance),
                short(limit)
            );
            from_group(ctx, &RULE, Severity::BeforeUse, g, statement)
        })
        .collect()
}
