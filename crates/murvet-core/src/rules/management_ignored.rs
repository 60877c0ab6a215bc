//! A device that does not obey a management unit which can only signal.

use super::{Context, Finding, Hazard, Meta, Severity, distinct};
use crate::catalogue::{Kind, SourceKind};

pub(super) static META: Meta = Meta {
    slug: "management-ignored",
    hazard: Hazard::Battery,
    statement: "Where a battery's management only signals, every charger and every large load listens and is set to listen.",
    why: "Nothing disconnects by itself then: one charger that does not listen overcharges a cell that the unit has long reported.",
    source: "common practice, no source",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let part = ctx.whole();
    let mut found = Vec::new();
    for b in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
        let battery = &ctx.rig.pieces[b.piece];
        if battery.word("management") != Some("management-signal") {
            continue;
        }
        let charges = net.sources.iter().filter(|s| {
            let kind = ctx.rig.pieces[s.piece].kind;
            !s.kind.is_ac() && !matches!(kind, Kind::Battery | Kind::Array | Kind::Tow) && part[s.plus] == part[b.plus]
        });
        let draws = net.consumers.iter().filter(|c| {
            matches!(ctx.rig.pieces[c.piece].kind, Kind::Inverter | Kind::InverterCharger)
                && part[c.plus] == part[b.plus]
        });
        let deaf: Vec<&str> = charges
            .map(|s| s.piece)
            .chain(draws.map(|c| c.piece))
            .filter(|p| !ctx.rig.pieces[*p].flag("listens"))
            .map(|p| ctx.id(p))
            .collect();
        let deaf = distinct(deaf);
        if deaf.is_empty() {
            continue;
        }
        let statement = format!("{} do not listen to the management of {}.", deaf.join(", "), ctx.piece_words(b.piece));
        let mut f = ctx.finding(&META, Severity::Soon, &battery.id, statement);
        f.evidence.push("Its management opens nothing itself: it only signals.".to_owned());
        f.evidence.push(format!("On the same bank without a link that is obeyed: {}.", deaf.join(", ")));
        f.pieces = std::iter::once(battery.id.as_str()).chain(deaf).map(str::to_owned).collect();
        found.push(f);
    }
    found
}
