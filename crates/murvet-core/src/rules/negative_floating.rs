//! A DC negative that nothing joins to the chassis.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::What;

pub(super) static META: Meta = Meta {
    slug: "negative-floating",
    hazard: Hazard::Bonding,
    statement: "The DC negative of a vehicle is joined to its chassis once.",
    why: "Without it a positive that chafes through makes the whole chassis positive and opens nothing until a second fault.",
    source: "NFPA 70 section 551.10; ISO 13297 (recalled); a floating system with monitoring is a school of its own",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let frames: Vec<usize> = ctx.pieces(Kind::Chassis).filter_map(|p| net.node(p, "bar")).collect();
    if frames.is_empty() {
        return Vec::new();
    }
    let back = |n: usize| matches!(net.nodes[n].duty, Role::Minus | Role::Earth);
    let part = ctx.joined(|e| !matches!(e.what, What::Bond { .. }) && back(e.a) && back(e.b));
    let house =
        net.sources.iter().filter(|s| s.kind == SourceKind::Battery && !ctx.rig.pieces[s.piece].flag("starter"));
    house
        .filter(|s| frames.iter().all(|f| part[*f] != part[s.minus]))
        .map(|s| {
            let name = ctx.piece_words(s.piece);
            let mut f = ctx.finding(
                &META,
                Severity::Advice,
                ctx.id(s.piece),
                format!("The negative of {name} is not joined to the chassis."),
            );
            f.evidence
                .push(format!("No conductor leads from {} to {}.", net.nodes[s.minus].name, net.nodes[frames[0]].name));
            f.evidence.push("A first fault to the chassis then opens nothing and is not noticed.".to_owned());
            f.pieces = vec![ctx.id(s.piece).to_owned()];
            f
        })
        .collect()
}
