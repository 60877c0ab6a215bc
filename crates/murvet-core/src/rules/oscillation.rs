//! Automatic changeovers that never come to rest.

use super::{Context, Finding, Hazard, Meta, Severity};

pub(super) static META: Meta = Meta {
    slug: "transfer-oscillates",
    hazard: Hazard::Backfeed,
    statement: "Automatic changeovers come to rest in every setting of the controls.",
    why: "A relay that feeds its own coil, or cuts it, chatters until its contacts weld, and welded contacts join two sources.",
    source: "common practice, no source",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    ctx.states
        .oscillations
        .iter()
        .map(|o| {
            let names: Vec<String> = o.pieces.iter().map(|p| ctx.piece_words(*p)).collect();
            let ids: Vec<&str> = o.pieces.iter().map(|p| ctx.id(*p)).collect();
            let statement =
                format!("{} never comes to rest: each move takes away what caused it.", names.join(" and "));
            let mut f = ctx.finding(&META, Severity::BeforeUse, &ids.join("+"), statement);
            f.evidence.push("From this setting no order of moves ends in a state that wants to stay.".to_owned());
            f.way = o.way.clone();
            f.pieces = ids.iter().map(|s| (*s).to_owned()).collect();
            f
        })
        .collect()
}
