//! A neutral that several hots load beyond what it carries.

use super::protection::{Neutral, neutrals};
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, Target};
use crate::units::short;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "neutral-shared",
    hazard: Hazard::Overcurrent,
    statement: "A neutral carries what its hots can send back: the larger of two opposite hots, the sum of hots in phase or on one leg.",
    why: "No device stands in a neutral. Two hots of opposite phase share one neutral safely; fed in phase by an adapter or by one inverter, or moved to one leg, they load it twice and nothing opens.",
    source: "NFPA 70 sections 210.4 and 551.40(C); IEC 60364-5-52 section 523.6 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::DeviceOrCable, Repair::TapDevice, Repair::NextSizes, Repair::DerateWithDevice, Repair::OtherLeg],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Bonding, "two hots in phase on one neutral, or both on one leg")],
    schools: &[],
    example: include_str!("examples/neutral-shared.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    // The cores of one cable, and conductors held by the same devices, are one finding.
    let mut groups: BTreeMap<Vec<String>, Vec<Neutral>> = BTreeMap::new();
    for neutral in neutrals(ctx) {
        let mut held = neutral.held.clone();
        held.sort();
        groups.entry(held).or_default().push(neutral);
    }
    let mut found = Vec::new();
    for list in groups.into_values() {
        let Some(worst) = list.iter().max_by(|a, b| (a.flow_a / a.allowed_a).total_cmp(&(b.flow_a / b.allowed_a)))
        else {
            continue;
        };
        let subject = ctx.wire_subject(worst.wire);
        let statement = format!(
            "The neutral {} can be given {} A and carries {} A.",
            ctx.wire_words(worst.wire),
            short(worst.flow_a),
            short(worst.allowed_a)
        );
        let mut f = ctx.finding(&RULE, Severity::BeforeUse, &subject, statement);
        let state = &ctx.states.states[worst.state];
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push(format!(
            "In phase the currents of its hots add up: {} A, held by: {}.",
            short(worst.flow_a),
            worst.held.join("; ")
        ));
        if worst.shared {
            f.evidence.push(
                "It lies in a ring of neutrals: of each current it takes the part that the resistances leave to it."
                    .to_owned(),
            );
        }
        f.evidence.push(format!("Ampacity: {}.", ctx.ampacity(worst.wire).steps.join("; ")));
        f.evidence.push(format!(
            "{} A > {} A allowed, and no device stands in a neutral.",
            short(worst.flow_a),
            short(worst.allowed_a)
        ));
        f.way = state.way.clone();
        f.wires = list.iter().map(|n| ctx.net.wires[n.wire].spot).collect();
        f.target = Target::Wires {
            wires: f.wires.clone(),
            entry: String::new(),
            demand_a: Some(worst.flow_a),
            devices: Vec::new(),
        };
        found.push(f);
    }
    found
}
