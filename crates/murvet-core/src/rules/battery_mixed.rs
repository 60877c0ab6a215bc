//! Unlike batteries in parallel.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::SourceKind;
use crate::network::nominal_system;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "battery-mixed",
    hazard: Hazard::Battery,
    statement: "Batteries in parallel are of one chemistry and one nominal voltage.",
    why: "Each chemistry wants its own charge voltage, and the one that rests higher empties itself into the other without end.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::MatchedBattery],
    without: "What is moved, matched or ventilated is decided at the rig, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Battery, "mixed chemistries, voltages or capacities")],
    schools: &[],
    example: include_str!("examples/battery-mixed.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let Some(parked) = ctx.states.states.first() else { return Vec::new() };
    let stores: Vec<_> = net.sources.iter().filter(|s| s.kind == SourceKind::Battery).collect();
    let mut found = Vec::new();
    for (n, a) in stores.iter().enumerate() {
        for b in &stores[n + 1..] {
            let live = &parked.live;
            if live.part[a.plus] != live.part[b.plus] || live.metal[a.minus] != live.metal[b.minus] {
                continue;
            }
            let (p, q) = (&ctx.rig.components[a.component], &ctx.rig.components[b.component]);
            let chemistry = |p: &crate::rig::Component| p.word("chemistry").map(str::to_owned);
            let (volts, other) = (nominal_system(a.volts), nominal_system(b.volts));
            let names = format!("{} and {}", ctx.component_words(a.component), ctx.component_words(b.component));
            let (severity, words, line) = match (chemistry(p), chemistry(q)) {
                _ if (volts - other).abs() > ctx.profile.mixed_v.value => (
                    Severity::KeepOff,
                    "are of different voltage",
                    format!("{} V beside {} V.", short(volts), short(other)),
                ),
                (Some(x), Some(y)) if x != y => {
                    (Severity::BeforeUse, "are of different chemistry", format!("{x} beside {y}."))
                }
                _ => {
                    let ah = |p: &crate::rig::Component| p.si("capacity", Dimension::Charge);
                    match (ah(p), ah(q)) {
                        (Some(x), Some(y)) if (x - y).abs() > ctx.profile.mixed_ah.value * x.max(y) => (
                            Severity::Advice,
                            "are of different capacity",
                            format!("{} Ah beside {} Ah.", short(x), short(y)),
                        ),
                        _ => continue,
                    }
                }
            };
            let subject = format!("{}+{}", p.id, q.id);
            let mut f = ctx.finding(&RULE, severity, &subject, format!("{names} lie in parallel and {words}."));
            f.evidence.push(line);
            f.evidence.push("As parked, both terminals of the two hang together.".to_owned());
            f.components = vec![p.id.clone(), q.id.clone()];
            found.push(f);
        }
    }
    for top in &stores {
        for lower in &top.below {
            let (p, q) = (&ctx.rig.components[top.component], &ctx.rig.components[*lower]);
            let ah =
                |p: &crate::rig::Component| p.si("capacity", Dimension::Charge).map(|c| c * p.series_and_parallel().1);
            let (severity, words, line) = match (p.word("chemistry"), q.word("chemistry"), ah(p), ah(q)) {
                (Some(x), Some(y), ..) if x != y => {
                    (Severity::BeforeUse, "are of different chemistry", format!("{x} below {y}."))
                }
                (_, _, Some(x), Some(y)) if (x - y).abs() > ctx.profile.mixed_ah.value * x.max(y) => (
                    Severity::Soon,
                    "are of different capacity: the smaller is emptied and filled first, past its limits",
                    format!("{} Ah in series with {} Ah.", short(x), short(y)),
                ),
                _ => continue,
            };
            let names = format!("{} and {}", ctx.component_words(top.component), ctx.component_words(*lower));
            let subject = format!("{}+{}", p.id, q.id);
            let mut f = ctx.finding(&RULE, severity, &subject, format!("{names} lie in series and {words}."));
            f.evidence.push(line);
            f.evidence.push("One current passes both, and one charger fills both.".to_owned());
            f.components = vec![p.id.clone(), q.id.clone()];
            found.push(f);
        }
    }
    found
}
