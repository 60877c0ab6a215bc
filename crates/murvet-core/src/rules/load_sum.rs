//! Appliances that together ask more of a source than it gives.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::SourceKind;
use crate::units::{apart, short};
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "load-sum",
    hazard: Hazard::Capacity,
    statement: "What can be on together stays within what its source gives.",
    why: "A little too much for long does not trip at once: the cord and the adapter take the heat first.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::OtherLeg, Repair::SmallerAppliance],
    without: "It is a choice between a larger supply and less on together, which the owner makes.",
    proven_by: &[],
    faults: &[(Field::Capacity, "more on together than the source gives, or an inverter near its limit")],
    schools: &[],
    example: include_str!("examples/load-sum.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: BTreeMap<usize, (f64, Finding)> = BTreeMap::new();
    for island in ctx.islands() {
        let s = &net.sources[island.source];
        let own = |n: usize| island.state.live.part[n] == island.state.live.part[s.plus];
        let on: Vec<_> = net
            .consumers
            .iter()
            // On both hots it loads both; between hots in phase there is nothing.
            .filter(|c| {
                c.ac && (own(c.plus) || (c.two_hot && own(c.minus))) && !(c.two_hot && own(c.plus) && own(c.minus))
            })
            .filter_map(|c| Some((c, c.current_a?)))
            .collect();
        let amps: f64 = on.iter().map(|o| o.1).sum();
        // An inverter near its limit trips on the first motor that starts.
        let margin = s.kind == SourceKind::Inverter && amps <= s.limit_a * 1.001;
        let most = if margin { s.limit_a * ctx.profile.inverter_share.value } else { s.limit_a };
        // Of two hots, and of several states, the worst.
        if amps <= most * 1.001 || found.get(&s.component).is_some_and(|(old, _)| *old >= amps) {
            continue;
        }
        let statement = if margin {
            format!(
                "Everything on {} together asks for {} A of its {} A: less than a third is left for motor starts.",
                ctx.component_words(s.component),
                short(amps),
                short(s.limit_a)
            )
        } else {
            format!(
                "Everything on {} together asks for {} A; it gives {} A.",
                ctx.component_words(s.component),
                apart(amps, s.limit_a).0,
                apart(amps, s.limit_a).1
            )
        };
        let mut f = ctx.finding(&RULE, Severity::Advice, ctx.id(s.component), statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(island.state)));
        f.evidence.extend(on.iter().map(|(c, _)| format!("{}: {}.", ctx.component_words(c.component), c.working)));
        let third = if margin { " less the third that is left for motor starts" } else { "" };
        f.evidence.push(format!("Sum {} A > {} A{third}.", short(amps), short(most)));
        f.way = island.state.way.clone();
        f.components = vec![ctx.id(s.component).to_owned()];
        found.insert(s.component, (amps, f));
    }
    found.into_values().map(|(_, f)| f).collect()
}
