//! Chargers that together give a bank more than it may take.

use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity};
use crate::catalogue::SourceKind;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "charge-sum",
    hazard: Hazard::Battery,
    statement: "All chargers that can run at once give a bank no more than its makers allow.",
    why: "Each charger alone is within the limit, so nobody adds them up; a lithium unit then opens under charge and drops the load on the alternator.",
    source: "the battery maker's figure",
    find,
    is: &[Is::MakersFigures],
    repairs: &[Repair::LessCharge],
    without: "The settings are chosen by the battery maker's figures, entered, and audited.",
    proven_by: &[],
    faults: &[(Field::Battery, "chargers that add up to more than the bank may take")],
    schools: &[],
    example: include_str!("examples/charge-sum.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for b in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
        let battery = &ctx.rig.components[b.component];
        let Some(limit) = battery.si("charge-limit", Dimension::Current) else { continue };
        let (_, parallel) = battery.series_and_parallel();
        let limit_a = limit * parallel;
        let sum = |state: &crate::states::State| -> (f64, Vec<String>) {
            let here = net.sources.iter().enumerate().filter(|(i, s)| {
                s.kind.charges() && state.live.active[*i] && state.live.part[s.plus] == state.live.part[b.plus]
            });
            let list: Vec<_> =
                here.map(|(_, s)| (s.set_a, format!("{} {} A", ctx.id(s.component), short(s.set_a)))).collect();
            (list.iter().map(|l| l.0).sum(), list.into_iter().map(|l| l.1).collect())
        };
        let worst = ctx
            .states
            .states
            .iter()
            .map(|s| (sum(s), s))
            .max_by(|a, b| a.0.0.total_cmp(&b.0.0).then(b.1.way.len().cmp(&a.1.way.len())));
        let Some(((amps, parts), state)) = worst else { continue };
        if amps <= limit_a * (1.0 + 1e-6) {
            continue;
        }
        let statement = format!(
            "{} A of charge can meet in {}, which may take {} A.",
            short(amps),
            ctx.component_words(b.component),
            short(limit_a)
        );
        let mut f = ctx.finding(&RULE, Severity::BeforeUse, &battery.id, statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push(format!("{} = {} A.", parts.join(" + "), short(amps)));
        f.evidence.push(format!(
            "{} A × {} in parallel = {} A allowed.",
            short(limit),
            short(parallel),
            short(limit_a)
        ));
        f.way = state.way.clone();
        f.components = vec![battery.id.clone()];
        found.push(f);
    }
    found
}
