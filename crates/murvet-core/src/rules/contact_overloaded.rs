//! A switch, relay, shunt, transfer switch or bar rated below what can flow through it.

use super::protection::{greatest_into, greatest_through};
use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::Kind;
use crate::network::{INFINITE, What};
use crate::units::{Dimension, short};

pub(super) static META: Meta = Meta {
    slug: "contact-overloaded",
    hazard: Hazard::Overcurrent,
    statement: "Switches, relays, shunts, transfer switches and bars are rated for all that the devices around them let through.",
    why: "Contacts overheat and weld long before the device ahead of them opens, and a welded changeover joins two sources.",
    source: "NFPA 70 sections 551.30 and 404.15; IEC 60364-5-53 section 530 (recalled)",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for (index, piece) in ctx.rig.pieces.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let key = match piece.kind {
            Kind::Isolator
            | Kind::Relay
            | Kind::Shunt
            | Kind::Transfer
            | Kind::PlugChangeover
            | Kind::Rcd
            | Kind::Guard
            | Kind::LoadDisconnect
            | Kind::Bus => "rating",
            Kind::InverterCharger => "relay",
            _ => continue,
        };
        let Some(rating) = piece.si(key, Dimension::Current) else { continue };
        let own = |n: usize| ctx.net.nodes[n].piece == Some(index);
        let edges = ctx.net.edges.iter().enumerate();
        let inside = edges.filter(|(_, e)| own(e.a) && own(e.b) && matches!(e.what, What::Joint | What::Contact(_)));
        let through = if piece.kind == Kind::Bus {
            // What a bar takes in from stores: chargers on it do not add to what they charge.
            let bar = ctx.net.nodes.iter().position(|n| n.piece == Some(index));
            bar.map(|n| greatest_into(ctx, &[n], &[], true, rating)).unwrap_or_default()
        } else {
            inside
                // What an inverter-charger makes itself does not pass its relay: that is open then.
                .map(|(i, _)| greatest_through(ctx, i, rating))
                .max_by(|a, b| a.0.total_cmp(&b.0))
                .unwrap_or_default()
        };
        let (amps, held) = through;
        // Without limit: that is a missing device, found as such.
        if amps >= INFINITE * 0.5 || amps <= rating * (1.0 + 1e-6) {
            continue;
        }
        let name = ctx.piece_words(index);
        let severity = if piece.kind == Kind::Bus { Severity::Soon } else { Severity::BeforeUse };
        let statement = format!("{name} is rated {} A, and {} A can flow through it.", short(rating), short(amps));
        let mut f = ctx.finding(&META, severity, &piece.id, statement);
        f.evidence.push(format!("Held by: {}.", held.join("; ")));
        f.evidence.push(format!("{} A > {} A rated.", short(amps), short(rating)));
        f.pieces = vec![piece.id.clone()];
        found.push(f);
    }
    found
}
