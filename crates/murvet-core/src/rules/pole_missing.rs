//! A mains switch or breaker that leaves the neutral joined where the profile wants all live conductors opened.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::{Kind, Role};

pub(super) static META: Meta = Meta {
    slug: "pole-missing",
    hazard: Hazard::Isolation,
    statement: "Where the profile wants it, every mains switch and final-circuit device opens all live conductors.",
    why: "Where plugs are not polarised the neutral may be the live one: a single pole then leaves an appliance live that looks dead.",
    source: "the profile's own",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let Some(limit) = ctx.profile.all_poles else { return Vec::new() };
    let present = || ctx.rig.pieces.iter().enumerate().filter(|(_, p)| p.status.present());
    let mains = |piece: usize| {
        let own = ctx.net.nodes.iter().filter(|n| n.piece == Some(piece));
        own.into_iter().any(|n| n.terminal == "in" && n.duty == Role::Line)
    };
    // Something that takes the whole rig off the supply in all poles.
    let whole = present().any(|(_, p)| {
        p.kind == Kind::Rcd || matches!(p.word("poles"), Some("2-pole" | "3-pole")) || p.attrs.contains_key("rcd")
    });
    let one = present().filter(|(i, p)| {
        matches!(p.kind, Kind::Isolator | Kind::Breaker | Kind::Rcbo) && p.word("poles") == Some("1-pole") && mains(*i)
    });
    one.map(|(index, p)| {
        let severity = if whole { Severity::Soon } else { Severity::BeforeUse };
        let statement = format!("{} opens one pole only.", ctx.piece_words(index));
        let mut f = ctx.finding(&META, severity, &p.id, statement);
        f.evidence.push(format!("Its neutral runs through: N stays joined while {} is off.", p.id));
        f.evidence.push(if whole {
            "Another device opens all poles ahead of everything or of a part.".to_owned()
        } else {
            "No device of the rig opens all live conductors.".to_owned()
        });
        f.source = limit.to_owned();
        f.pieces = vec![p.id.clone()];
        f
    })
    .collect()
}
