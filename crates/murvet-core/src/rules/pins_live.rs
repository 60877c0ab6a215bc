//! Pins of an unhitched coupling that the house battery keeps live.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::SourceKind;

pub(super) static META: Meta = Meta {
    slug: "pins-live",
    hazard: Hazard::Isolation,
    statement: "The pins of an unhitched coupling are dead, or behind a device near the battery.",
    why: "They lie on wet grass and touch what they fall on; at the other end the tow vehicle's starter asks the house battery for its current.",
    source: "common practice, no source",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for (i, tow) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Tow) {
        let store = |s: &crate::states::State| {
            let at = s.live.sources_at(net, tow.plus).find(|o| net.sources[*o].kind == SourceKind::Battery);
            // The engine that counts is that of the tow vehicle, and it is away.
            let stopped = net.controls.iter().zip(&s.setting.controls).all(|(c, at)| c.piece.is_some() || *at == 0);
            at.filter(|_| !s.live.active[i] && stopped)
        };
        let Some(state) = ctx.first_state(|s| store(s).is_some()) else { continue };
        let from = store(state).map(|s| ctx.piece_words(net.sources[s].piece)).unwrap_or_default();
        let name = ctx.piece_words(tow.piece);
        let mut f = ctx.finding(
            &META,
            Severity::Advice,
            ctx.id(tow.piece),
            format!("{from} keeps the pins of {name} live while it is unhitched."),
        );
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push("A relay that closes with the engine, or a DC-DC charger, ends it.".to_owned());
        f.way = state.way.clone();
        f.pieces = vec![ctx.id(tow.piece).to_owned()];
        found.push(f);
    }
    found
}
