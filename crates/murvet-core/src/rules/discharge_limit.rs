//! An inverter that asks more of a bank than it may give.

use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, SourceKind};
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "discharge-limit",
    hazard: Hazard::Battery,
    statement: "The inverters on a bank ask no more of it than its makers allow for long.",
    why: "The management unit opens under load, everything goes dark at once, and one battery that opens first leaves the others with still more.",
    source: "the battery maker's figure",
    find,
    is: &[Is::MakersFigures],
    repairs: &[Repair::DerateForBank],
    without: TRIED,
    proven_by: &[],
    faults: &[
        (Field::Battery, "an inverter that asks more than the bank may give"),
        (Field::Battery, "one battery that opens and the rest that follow"),
    ],
    schools: &[],
    example: include_str!("examples/discharge-limit.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for b in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
        let battery = &ctx.rig.components[b.component];
        // Of several in series the weakest governs.
        let weakest = |s: &crate::network::Source| {
            let all = s.stack().filter_map(|p| {
                let p = &ctx.rig.components[p];
                Some(p.si("discharge", Dimension::Current)? * p.series_and_parallel().1)
            });
            all.min_by(f64::total_cmp)
        };
        let (_, parallel) = battery.series_and_parallel();
        let Some(limit) = weakest(b).map(|a| a / parallel) else { continue };
        let Some(parked) = ctx.states.states.first() else { continue };
        let own = |n: usize| parked.live.part[n] == parked.live.part[b.plus];
        // Like batteries beside it share the load.
        let beside = net.sources.iter().filter(|s| s.kind == SourceKind::Battery && own(s.plus));
        let limit_a: f64 = beside
            .map(|s| {
                let (_, n) = ctx.rig.components[s.component].series_and_parallel();
                weakest(s).unwrap_or(limit * n)
            })
            .sum();
        let inverters = net.consumers.iter().filter(|c| {
            let kind = ctx.rig.components[c.component].kind;
            matches!(kind, Kind::Inverter | Kind::InverterCharger) && own(c.plus)
        });
        let parts: Vec<(f64, String)> =
            inverters.filter_map(|c| Some((c.current_a?, format!("{}: {}", ctx.id(c.component), c.working)))).collect();
        let amps: f64 = parts.iter().map(|p| p.0).sum();
        if amps <= limit_a * (1.0 + 1e-6) {
            // With one battery of several opened by its management the others follow.
            let left_a = limit_a - limit;
            if parallel > 1.0 && amps > left_a * (1.0 + 1e-6) {
                let name = ctx.component_words(b.component);
                let statement = format!(
                    "With one battery of {name} open the others are asked {} A and may give {} A.",
                    short(amps),
                    short(left_a)
                );
                let mut f = ctx.finding(&RULE, Severity::Advice, &battery.id, statement);
                f.evidence.extend(parts.into_iter().map(|p| format!("{}.", p.1)));
                f.evidence.push(format!(
                    "{} A − {} A = {} A < {} A: one opens and the rest follow.",
                    short(limit_a),
                    short(limit),
                    short(left_a),
                    short(amps)
                ));
                f.components = vec![battery.id.clone()];
                found.push(f);
            }
            continue;
        }
        let statement = format!(
            "{} A can be asked of {}, which may give {} A.",
            short(amps),
            ctx.component_words(b.component),
            short(limit_a)
        );
        let mut f = ctx.finding(&RULE, Severity::Soon, &battery.id, statement);
        f.evidence.extend(parts.into_iter().map(|p| format!("{}.", p.1)));
        f.evidence.push(format!(
            "{} A each, {} in parallel here: {} A; {} A > {} A.",
            short(limit),
            short(parallel),
            short(limit_a),
            short(amps),
            short(limit_a)
        ));
        f.components = vec![battery.id.clone()];
        found.push(f);
    }
    found
}
