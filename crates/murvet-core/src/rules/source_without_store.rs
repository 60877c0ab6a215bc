//! A charging source that keeps loads alive with no battery in circuit.

use super::{Context, Finding, Hazard, Meta, Severity, distinct};
use crate::catalogue::SourceKind;
use std::collections::BTreeMap;

pub(super) static META: Meta = Meta {
    slug: "source-without-store",
    hazard: Hazard::Battery,
    statement: "Where a battery is taken off, what charges it is taken off too.",
    why: "Without the battery a controller or an alternator runs away: the loads behind it get whatever it makes, and an isolator taken for off leaves them live.",
    source: "common practice, no source",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: BTreeMap<usize, Finding> = BTreeMap::new();
    for state in &ctx.states.states {
        for (i, s) in net.sources.iter().enumerate().filter(|(i, _)| state.live.active[*i]) {
            let runs_away = matches!(s.kind, SourceKind::Controller | SourceKind::Alternator);
            if !runs_away || found.contains_key(&s.piece) {
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
                .map(|c| ctx.id(c.piece))
                .collect();
            let live = distinct(live);
            if live.is_empty() {
                continue;
            }
            let name = ctx.piece_words(s.piece);
            let mut f = ctx.finding(
                &META,
                Severity::Advice,
                ctx.id(s.piece),
                format!("{name} feeds {} with no battery in circuit.", live.join(", ")),
            );
            f.evidence.push(format!("State: {}.", ctx.state_words(state)));
            f.evidence.push(format!("{} is live from {name}, and no battery hangs on it.", net.nodes[s.plus].name));
            f.way = state.way.clone();
            f.pieces = vec![ctx.id(s.piece).to_owned()];
            found.insert(s.piece, f);
        }
    }
    found.into_values().collect()
}
