//! A bond on an inverter whose output is not isolated from its input.

use super::{Context, Finding, Hazard, Meta, Severity, Target};
use crate::catalogue::Kind;

pub(super) static META: Meta = Meta {
    slug: "bond-not-isolated",
    hazard: Hazard::Bonding,
    statement: "The neutral of an inverter that is not isolated is not joined to earth.",
    why: "Its output hangs on the battery through its own electronics: the bond puts mains voltage on the battery negative and the chassis, or destroys the inverter.",
    source: "common practice, no source; the maker's manual governs",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for (index, p) in ctx.rig.pieces.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let inverter = matches!(p.kind, Kind::Inverter | Kind::InverterCharger);
        let bond = p.word("bond").filter(|b| *b != "bond-none");
        if let (true, Some(bond), Some("not-isolated")) = (inverter, bond, p.word("isolation")) {
            let statement = format!("{} is not isolated and has a neutral-earth bond.", ctx.piece_words(index));
            let mut f = ctx.finding(&META, Severity::KeepOff, &p.id, statement);
            f.evidence.push(format!("As traced: {bond}, not-isolated."));
            f.evidence.push(
                "Ask its maker before anything is bonded; an unseen isolation is asked for, never assumed.".to_owned(),
            );
            f.pieces = vec![p.id.clone()];
            f.target = Target::Bond(p.id.clone());
            found.push(f);
        }
    }
    found
}
