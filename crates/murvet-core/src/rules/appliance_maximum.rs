//! An appliance behind a device larger than its maker allows.

use super::protection::greatest_into;
use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::SourceKind;
use crate::network::INFINITE;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "appliance-maximum",
    hazard: Hazard::Overcurrent,
    statement: "The device ahead of an appliance is no larger than the appliance's maker allows.",
    why: "The wires inside the appliance are thinner than the cable to it, and only its maker knows what protects them.",
    source: "the maker's figure; NFPA 70 section 110.3(B) (recalled)",
    find,
    is: &[Is::MakersFigures],
    repairs: &[Repair::OwnDevice],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Overcurrent, "a device larger than the appliance's maker allows")],
    schools: &[],
    example: include_str!("examples/appliance-maximum.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    let net = ctx.net;
    // A turbine feeds the bank by itself, and the bank feeds its lead: its maker names the device as for an appliance.
    let turbines = net.sources.iter().filter(|s| s.kind == SourceKind::Wind).map(|s| (s.component, s.plus));
    for (index, plus) in net.consumers.iter().map(|c| (c.component, c.plus)).chain(turbines) {
        let component = &ctx.rig.components[index];
        let Some(most) = component.si("max-device", Dimension::Current) else { continue };
        let (amps, held) = greatest_into(ctx, &[plus], &[], false, most);
        if amps <= most * (1.0 + 1e-6) {
            continue;
        }
        let shown =
            if amps >= INFINITE * 0.5 { "a current without limit".to_owned() } else { format!("{} A", short(amps)) };
        let statement = format!(
            "{} may stand behind {} A at the most, and {shown} can reach it.",
            ctx.component_words(index),
            short(most)
        );
        let mut f = ctx.finding(&RULE, Severity::BeforeUse, &component.id, statement);
        f.evidence.push(format!("Held by: {}.", if held.is_empty() { "nothing".to_owned() } else { held.join("; ") }));
        f.evidence.push(format!("{shown} > {} A, the maker's figure.", short(most)));
        f.components = vec![component.id.clone()];
        found.push(f);
    }
    found
}
