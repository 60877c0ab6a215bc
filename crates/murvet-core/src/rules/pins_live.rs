//! Pins of an unhitched coupling, or of a DC socket with nothing in it, that the rig keeps live.

use super::{Certainty, Context, Field, Finding, Hazard, Rule, Severity};
use crate::catalogue::{Kind, SourceKind};
use crate::test_kinds::TestKind;

pub(super) static RULE: Rule = Rule {
    slug: "pins-live",
    hazard: Hazard::Isolation,
    statement: "The pins of an unhitched coupling are dead, or behind a device near the battery; those of a DC socket are dead or shrouded.",
    why: "They lie on wet grass and touch what they fall on; at the other end the tow vehicle's starter asks the house battery for its current.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[],
    without: "It is rewired or another unit is bought, by its maker's instructions; then traced and audited.",
    proven_by: &[TestKind::DcPins],
    faults: &[(Field::Isolation, "live pins on an unhitched coupling")],
    schools: &[],
    example: include_str!("examples/pins-live.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = couplings(ctx);
    found.extend(sockets(ctx));
    found
}

/// The fixed half of a DC socket that is fed while nothing is plugged in.
fn sockets(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for socket in ctx.components(Kind::DcSocket).filter(|p| ctx.rig.components[*p].word("pins") != Some("female")) {
        let halves: Vec<usize> = ["in", "out"].into_iter().filter_map(|t| net.node(socket, t)).collect();
        let control = net.controls.iter().position(|c| c.component == Some(socket));
        let apart = |s: &crate::states::State| control.is_some_and(|c| s.setting.controls[c] == 0);
        // The half of a portable array hangs on nothing else; the other one is the fixed half.
        let feeds = |s: &crate::states::State| {
            let mut at = halves.iter().flat_map(|n| s.live.sources_at(net, *n));
            at.find(|o| net.sources[*o].kind != SourceKind::Array).filter(|_| apart(s))
        };
        let Some(state) = ctx.first_state(|s| feeds(s).is_some()) else { continue };
        let from = feeds(state).map(|s| ctx.component_words(net.sources[s].component)).unwrap_or_default();
        let name = ctx.component_words(socket);
        let words = format!("{from} keeps the bare pins of {name} live while nothing is plugged in.");
        let mut f = ctx.finding(&RULE, Severity::BeforeUse, ctx.id(socket), words);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        if ctx.rig.components[socket].word("pins").is_none() {
            f.certainty = Certainty::Possible;
            f.evidence.push("Whether its fixed half has pins or shrouded contacts was not seen.".to_owned());
        }
        f.evidence.push(
            "Shrouded contacts on the half that is fed, or a controller that gives nothing back, end it.".to_owned(),
        );
        f.way = state.way.clone();
        f.components = vec![ctx.id(socket).to_owned()];
        found.push(f);
    }
    found
}

fn couplings(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for (i, tow) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Tow) {
        let store = |s: &crate::states::State| {
            let at = s.live.sources_at(net, tow.plus).find(|o| net.sources[*o].kind == SourceKind::Battery);
            // The engine that counts is that of the tow vehicle, and it is away.
            let stopped = net.controls.iter().zip(&s.setting.controls).all(|(c, at)| c.component.is_some() || *at == 0);
            at.filter(|_| !s.live.active[i] && stopped)
        };
        let Some(state) = ctx.first_state(|s| store(s).is_some()) else { continue };
        let from = store(state).map(|s| ctx.component_words(net.sources[s].component)).unwrap_or_default();
        let name = ctx.component_words(tow.component);
        let mut f = ctx.finding(
            &RULE,
            Severity::Advice,
            ctx.id(tow.component),
            format!("{from} keeps the pins of {name} live while it is unhitched."),
        );
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push("A relay that closes with the engine, or a DC-DC charger, ends it.".to_owned());
        f.way = state.way.clone();
        f.components = vec![ctx.id(tow.component).to_owned()];
        found.push(f);
    }
    found
}
