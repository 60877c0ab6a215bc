//! An outlet or appliance whose earth never reaches the bond.

use super::islands::fed;
use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::Role;
use std::collections::BTreeMap;

pub(super) static META: Meta = Meta {
    slug: "earth-missing",
    hazard: Hazard::Bonding,
    statement: "The earth terminal of every outlet and appliance reaches the neutral of the source through the bond.",
    why: "A fault to a case then leaves the case live: nothing opens until somebody touches it.",
    source: "NFPA 70 sections 250.4(A)(5) and 551.54; IEC 60364-4-41 section 411.3.1 (recalled)",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut missing: BTreeMap<usize, (usize, usize)> = BTreeMap::new();
    for island in ctx.islands() {
        if island.meetings.is_empty() {
            continue;
        }
        for piece in fed(ctx, island.state, island.source) {
            let earths = net.nodes.iter().enumerate().filter(|(_, n)| n.piece == Some(piece) && n.role == Role::Earth);
            let reached = earths
                .map(|(n, _)| n)
                .any(|n| island.meetings.iter().any(|m| island.state.live.part[m.earth] == island.state.live.part[n]));
            if !reached {
                missing.entry(piece).or_insert((island.index, island.source));
            }
        }
    }
    // Outlets of one chain that lose their earth together are one finding.
    let mut groups: BTreeMap<(u32, usize, usize), Vec<usize>> = BTreeMap::new();
    for (piece, (state, source)) in missing {
        let part = &ctx.states.states[state].live.part;
        let earth = net.nodes.iter().position(|n| n.piece == Some(piece) && n.role == Role::Earth);
        groups.entry((earth.map_or(0, |n| part[n]), state, source)).or_default().push(piece);
    }
    groups
        .into_iter()
        .map(|((_, state, source), pieces)| {
            let state = &ctx.states.states[state];
            let names: Vec<&str> = pieces.iter().map(|p| ctx.id(*p)).collect();
            let feeder = ctx.piece_words(net.sources[source].piece);
            let statement = format!("The earth of {} never reaches the bond of {feeder}.", names.join(", "));
            let mut f = ctx.finding(&META, Severity::KeepOff, names[0], statement);
            f.evidence.push(format!("State: {}.", ctx.state_words(state)));
            f.evidence.push(format!(
                "From the earth terminal of {} no conductor leads to where the neutral of {feeder} meets earth.",
                names[0]
            ));
            f.way = state.way.clone();
            f.pieces = names.iter().map(|n| (*n).to_owned()).collect();
            f
        })
        .collect()
}
