//! A charging source that keeps loads alive with no battery in circuit.

use super::{Context, Field, Finding, Hazard, Rule, Severity, distinct};
use crate::catalogue::{Kind, SourceKind};
use crate::network::EdgeKind;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "source-without-store",
    hazard: Hazard::Battery,
    statement: "Where a battery is taken off, what charges it is taken off too.",
    why: "Without the battery a controller or an alternator runs away: the loads behind it get whatever it makes, and an isolator taken for off leaves them live.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[],
    without: "A conductor is landed elsewhere: which one is decided at the rig, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Battery, "a charging source with no battery in circuit")],
    schools: &[],
    example: include_str!("examples/source-without-store.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: BTreeMap<usize, Finding> = BTreeMap::new();
    for state in &ctx.states.states {
        for (i, s) in net.sources.iter().enumerate().filter(|(i, _)| state.live.active[*i]) {
            if !s.kind.runs_away() || found.contains_key(&s.component) {
                continue;
            }
            let here = state.live.part[net.sources[i].plus];
            if state.live.sources_at(net, s.plus).any(|o| net.sources[o].kind == SourceKind::Battery) {
                continue;
            }
            let live: Vec<&str> = net
                .consumers
                .iter()
                .filter(|c| {
                    !c.ac && state.live.part[c.plus] == here && state.live.metal[c.minus] == state.live.metal[s.minus]
                })
                .map(|c| ctx.id(c.component))
                .collect();
            let live = distinct(live);
            if live.is_empty() {
                continue;
            }
            let name = ctx.component_words(s.component);
            let mut f = ctx.finding(
                &RULE,
                Severity::Advice,
                ctx.id(s.component),
                format!("{name} feeds {} with no battery in circuit.", live.join(", ")),
            );
            f.evidence.push(format!("State: {}.", ctx.state_words(state)));
            f.evidence.push(format!("{} is live from {name}, and no battery hangs on it.", net.nodes[s.plus].name));
            f.way = state.way.clone();
            f.components = vec![ctx.id(s.component).to_owned()];
            found.insert(s.component, f);
        }
    }
    for (component, f) in by_breaker(ctx) {
        found.entry(component).or_insert(f);
    }
    found.into_values().collect()
}

/// The same with a breaker of the DC side opened by hand, as an isolator is: states take breakers as closed.
fn by_breaker(ctx: &Context) -> Vec<(usize, Finding)> {
    let net = ctx.net;
    let breakers = net.edges.iter().enumerate().filter_map(|(i, e)| match &e.what {
        EdgeKind::Device { component, way: None, .. } if ctx.rig.components[*component].kind == Kind::Breaker => {
            Some((i, *component))
        }
        _ => None,
    });
    let breakers: Vec<(usize, usize)> = breakers.filter(|(i, _)| !net.nodes[net.edges[*i].a].is_mains_side()).collect();
    let mut list = Vec::new();
    for (i, s) in net.sources.iter().enumerate() {
        if !s.kind.runs_away() {
            continue;
        }
        let Some(state) = ctx.first_state(|state| state.live.active[i]) else { continue };
        for &(edge, breaker) in &breakers {
            let label = ctx.joined_in(state, |at, _| at == edge);
            let store = net.sources.iter().any(|o| o.kind == SourceKind::Battery && label[o.plus] == label[s.plus]);
            let fed = net.consumers.iter().filter(|c| !c.ac && label[c.plus] == label[s.plus]);
            let live = distinct(fed.map(|c| ctx.id(c.component)).collect());
            if store || live.is_empty() {
                continue;
            }
            let name = ctx.component_words(s.component);
            let statement = format!("{name} feeds {} with no battery in circuit.", live.join(", "));
            let mut f = ctx.finding(&RULE, Severity::Advice, ctx.id(s.component), statement);
            f.evidence.push(format!(
                "State: {}, {} opened by hand.",
                ctx.state_words(state),
                ctx.component_words(breaker)
            ));
            f.evidence.push(format!("{} is live from {name}, and no battery hangs on it.", net.nodes[s.plus].name));
            f.way =
                state.way.iter().cloned().chain([format!("open {}", ctx.rig.components[breaker].title())]).collect();
            f.components = vec![ctx.id(s.component).to_owned(), ctx.id(breaker).to_owned()];
            list.push((s.component, f));
        }
    }
    list
}
