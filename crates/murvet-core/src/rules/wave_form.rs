//! What a stepped wave does not suit.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::{Kind, SourceKind};
use std::collections::BTreeSet;

pub(super) static RULE: Rule = Rule {
    slug: "wave-form",
    hazard: Hazard::Capacity,
    statement: "What needs a sine wave has one, and a device that is to save lives is proven on the wave it works on.",
    why: "On a stepped wave motors and transformers run hot, chargers burn, and residual-current devices and meters may tell nothing: they are made and tested for sine.",
    source: "makers' figures; IEC 61008-1, tested on sine (recalled); common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::Sine],
    without: "Another device or appliance is bought by its marking, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Bonding, "a stepped wave on what needs a sine")],
    schools: &[],
    example: include_str!("examples/wave-form.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for (i, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Inverter && !s.opposite) {
        if ctx.rig.components[s.component].word("wave") != Some("stepped") {
            continue;
        }
        let state = ctx.first_state(|st| st.live.active[i]);
        let Some(state) = state else { continue };
        let here = |n: usize| state.live.part[n] == state.live.part[s.plus];
        let fed = net.nodes.iter().enumerate().filter(|(n, _)| here(*n)).filter_map(|(_, n)| n.component);
        let components: BTreeSet<usize> = fed.collect();
        let of = |test: &dyn Fn(&crate::rig::Component) -> bool| -> Vec<&str> {
            components.iter().filter(|p| test(&ctx.rig.components[**p])).map(|p| ctx.id(*p)).collect()
        };
        let harmed = of(&|p| p.flag("sine-only"));
        let residual = of(&|p| {
            matches!(p.kind, Kind::Rcd | Kind::Rcbo | Kind::GfciOutlet)
                || p.attrs.contains_key("rcd")
                || p.ways.iter().any(|w| w.rcd.is_some())
        });
        if harmed.is_empty() && residual.is_empty() {
            continue;
        }
        let name = ctx.component_words(s.component);
        let (severity, statement) = if harmed.is_empty() {
            (
                Severity::Advice,
                format!("{} works on the stepped wave of {name}, for which it is not proven.", residual.join(", ")),
            )
        } else {
            (Severity::Soon, format!("{} needs a sine wave and is fed a stepped one by {name}.", harmed.join(", ")))
        };
        let mut f = ctx.finding(&RULE, severity, ctx.id(s.component), statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        if !harmed.is_empty() {
            f.evidence.push(format!("Only for a sine wave: {}.", harmed.join(", ")));
        }
        if !residual.is_empty() {
            f.evidence.push(format!(
                "Residual-current devices on it: {}. Their button and a tester are told by, on this wave, only by a meter of true effective value.",
                residual.join(", ")
            ));
        }
        f.way = state.way.clone();
        f.components = std::iter::once(ctx.id(s.component)).chain(harmed).chain(residual).map(str::to_owned).collect();
        found.push(f);
    }
    found
}
