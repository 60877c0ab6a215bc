//! A bank that falls although the rig is on shore.

use super::{Context, Field, Finding, Hazard, Rule, Severity};
use crate::catalogue::{Kind, SourceKind};
use crate::rules::ways::on_mains;
use crate::test_kinds::TestKind;
use crate::units::short;

pub(super) static RULE: Rule = Rule {
    slug: "dc-balance",
    hazard: Hazard::Capacity,
    statement: "What charges on shore gives more than all DC appliances together take.",
    why: "On shore, everything works and the bank falls all the same; it is found in the morning.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[],
    without: "It is a choice between a larger supply and less on together, which the owner makes.",
    proven_by: &[TestKind::Carries],
    faults: &[(Field::Capacity, "a bank that falls although the rig is on shore")],
    schools: &[],
    example: include_str!("examples/dc-balance.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for b in
        net.sources.iter().filter(|s| s.kind == SourceKind::Battery && !ctx.rig.components[s.component].flag("starter"))
    {
        let charging = |s: &crate::states::State| {
            let own = |i: &usize| net.sources[*i].kind == SourceKind::Charger;
            s.live.sources_at(net, b.plus).filter(own).collect::<Vec<_>>()
        };
        // The first state in which a charger works on this bank, and nothing inverts from it.
        let quiet = |s: &crate::states::State| {
            !charging(s).is_empty()
                && !net.sources.iter().enumerate().any(|(i, x)| x.kind == SourceKind::Inverter && s.live.active[i])
        };
        let Some(state) = ctx.first_state(quiet) else { continue };
        let given: f64 = charging(state).iter().map(|i| net.sources[*i].set_a).sum();
        let takes: Vec<(f64, &str)> = net
            .consumers
            .iter()
            .filter(|c| {
                !c.ac
                    && ctx.rig.components[c.component].kind == Kind::DcLoad
                    && !ctx.rig.components[c.component].flag("breakaway")
                    && !on_mains(ctx.rig, net, state, c.component)
                    && state.live.part[c.plus] == state.live.part[b.plus]
            })
            .filter_map(|c| Some((c.current_a?, ctx.id(c.component))))
            .collect();
        let taken: f64 = takes.iter().map(|t| t.0).sum();
        if taken <= given * (1.0 + 1e-6) {
            continue;
        }
        let name = ctx.component_words(b.component);
        let statement =
            format!("On shore {} A are given to {name} and {} A can be taken from it.", short(given), short(taken));
        let mut f = ctx.finding(&RULE, Severity::Advice, ctx.id(b.component), statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        let parts: Vec<String> = takes.iter().map(|(a, id)| format!("{id} {} A", short(*a))).collect();
        f.evidence.push(format!("{} = {} A > {} A.", parts.join(" + "), short(taken), short(given)));
        f.way = state.way.clone();
        f.components = vec![ctx.id(b.component).to_owned()];
        found.push(f);
    }
    found
}
