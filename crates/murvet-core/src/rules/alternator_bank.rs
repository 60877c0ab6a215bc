//! A hungry bank straight on the alternator.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::SourceKind;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "alternator-bank",
    hazard: Hazard::Generation,
    statement: "A lithium bank is charged from the alternator through something that limits the current.",
    why: "A lithium bank takes all an alternator gives, at idle and for hours: the alternator burns out, and when the management unit opens the load dump takes the vehicle's electronics.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::DcDcForRelay],
    without: "A conductor is landed elsewhere: which one is decided at the rig, then traced and audited.",
    proven_by: &[],
    faults: &[
        (Field::Battery, "a load dump when a lithium unit opens under an alternator"),
        (Field::Generation, "a lithium bank straight on the alternator"),
    ],
    schools: &[],
    example: include_str!("examples/alternator-bank.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: Vec<Finding> = Vec::new();
    for alternator in net.sources.iter().filter(|s| s.kind == SourceKind::Alternator) {
        for b in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
            let battery = &ctx.rig.components[b.component];
            let lithium = matches!(battery.word("chemistry"), Some("lifepo4" | "nickel-lithium"));
            if !lithium || battery.flag("starter") {
                continue;
            }
            let joined = |s: &crate::states::State| s.live.part[alternator.plus] == s.live.part[b.plus];
            let Some(state) = ctx.first_state(joined) else { continue };
            let ah = battery.si("capacity", Dimension::Charge).unwrap_or(100.0)
                * battery.si("count", Dimension::Count).unwrap_or(1.0);
            let statement = format!(
                "{} stands straight on {}.",
                ctx.component_words(b.component),
                ctx.component_words(alternator.component)
            );
            let mut f = ctx.finding(&RULE, Severity::Soon, &battery.id, statement);
            f.evidence.push(format!("State: {}. Between the two no converter is passed.", ctx.state_words(state)));
            f.evidence.push(format!(
                "{} Ah takes {} A and more at half its capacity an hour; the alternator is rated {} A.",
                short(ah),
                short(ah / 2.0),
                short(alternator.limit_a)
            ));
            f.way = state.way.clone();
            f.components = vec![battery.id.clone(), ctx.id(alternator.component).to_owned()];
            found.push(f);
        }
    }
    found
}
