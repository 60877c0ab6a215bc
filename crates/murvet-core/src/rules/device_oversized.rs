//! A device larger than the conductor it is to protect.

use super::overcurrent_missing::{from_group, groups};
use super::protection::Verdict;
use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::units::apart;

pub(super) static RULE: Rule = Rule {
    slug: "device-oversized",
    hazard: Hazard::Overcurrent,
    statement: "The devices ahead of a conductor let through no more than the conductor may carry.",
    why: "A fuse larger than its cable turns the cable into the fuse; two feeds into one thin cable add up.",
    source: "NFPA 70 sections 240.4 and 551.10(E); IEC 60364-4-43 section 433.1, Ib <= In <= Iz (recalled)",
    find,
    is: &[Is::Unprotected],
    repairs: &[Repair::DeviceOrCable, Repair::TapDevice, Repair::NextSizes, Repair::DerateWithDevice],
    without: TRIED,
    proven_by: &[],
    faults: &[
        (Field::Overcurrent, "a device larger than the thinnest conductor after it"),
        (Field::Overcurrent, "several feeds that meet in one thin cable"),
        (Field::Overcurrent, "an RCD without overcurrent element taken for a breaker"),
        (Field::Cable, "a return thinner than its supply, or shared by many"),
    ],
    schools: &["first-device", "small-sizes"],
    example: include_str!("examples/device-oversized.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    groups(ctx, Verdict::Oversized)
        .map(|g| {
            let devices: Vec<&str> = g.limiters.iter().map(|l| l.words.as_str()).collect();
            let (flow, allowed) = apart(g.flow_a, g.allowed_a);
            let statement = format!(
                "{} let {flow} A through to {}, which may have {allowed} A.",
                devices.join(" and "),
                ctx.wire_words(g.weakest),
            );
            from_group(ctx, &RULE, Severity::BeforeUse, g, statement)
        })
        .collect()
}
