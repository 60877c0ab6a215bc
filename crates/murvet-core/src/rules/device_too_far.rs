//! A first device that is farther from the source than allowed.

use super::overcurrent_missing::{from_group, groups};
use super::protection::Verdict;
use super::{Context, Finding, Hazard, Meta, Severity};
use crate::units::short;

pub(super) static META: Meta = Meta {
    slug: "device-too-far",
    hazard: Hazard::Overcurrent,
    statement: "The first overcurrent device stands within the profile's distance of the source.",
    why: "Everything between the source and its first device is unprotected; the longer that is, the likelier it chafes, and a device at the far end protects nothing of the run under the floor.",
    source: "NFPA 70 section 551.10(E)(4); IEC 60364-4-43 section 434.3 (recalled)",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    groups(ctx, Verdict::TooFar)
        .map(|g| {
            let (distance, limit) = g.distance.as_ref().map_or((0.0, 0.0), |d| (d.0, d.1));
            let statement = format!(
                "First overcurrent device is {1} m from {0}; at most {2} m is allowed.",
                ctx.net.nodes[g.entry].name,
                short(distance),
                short(limit)
            );
            from_group(ctx, &META, Severity::BeforeUse, g, statement)
        })
        .collect()
}
