//! A switch, relay, shunt, transfer switch or bar rated below what can flow through it.

use super::protection::{greatest_into, greatest_through};
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role};
use crate::network::{EdgeKind, INFINITE};
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "contact-overloaded",
    hazard: Hazard::Overcurrent,
    statement: "Switches, relays, shunts, transfer switches, bars and outlets are rated for all that the devices around them let through.",
    why: "Contacts overheat and weld long before the device ahead of them opens, and a welded changeover joins two sources.",
    source: "NFPA 70 sections 551.30, 404.15 and 210.21(B); IEC 60364-5-53 section 530 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::LargerContact],
    without: TRIED,
    proven_by: &[],
    faults: &[
        (Field::Overcurrent, "a switch, bar, shunt, relay or transfer below what can flow"),
        (Field::Backfeed, "a transfer of the wrong rating or poles"),
    ],
    schools: &[],
    example: include_str!("examples/contact-overloaded.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for (index, component) in ctx.rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let key = match component.kind {
            Kind::Isolator
            | Kind::DcSocket
            | Kind::Relay
            | Kind::Shunt
            | Kind::JointBox
            | Kind::AcContactor
            | Kind::Transfer
            | Kind::PlugChangeover
            | Kind::Rcd
            | Kind::Guard
            | Kind::LoadDisconnect
            | Kind::FuseBlock
            | Kind::Outlet
            | Kind::GfciOutlet
            | Kind::Bus => "rating",
            Kind::InverterCharger => "relay",
            _ => continue,
        };
        let Some(rating) = component.si(key, Dimension::Current) else { continue };
        let own = |n: usize| ctx.net.nodes[n].component == Some(index);
        let edges = ctx.net.edges.iter().enumerate();
        let inside =
            edges.filter(|(_, e)| own(e.a) && own(e.b) && matches!(e.what, EdgeKind::Joint | EdgeKind::Contact(_)));
        let outlet = matches!(component.kind, Kind::Outlet | Kind::GfciOutlet);
        let through = if outlet || matches!(component.kind, Kind::Bus | Kind::FuseBlock) {
            // What a bar takes in from stores: chargers on it do not add to what they charge. Of an outlet what can be drawn
            // at its face.
            let face = ["load.L", "ac.L", "in", "bar"].iter().find_map(|t| ctx.net.node(index, t));
            face.map(|n| greatest_into(ctx, &[n], &[], !outlet, rating)).unwrap_or_default()
        } else if component.kind == Kind::Shunt
            && (0..ctx.net.nodes.len()).filter(|&n| own(n)).any(|n| ctx.net.nodes[n].duty == Role::Minus)
        {
            // In the negative it carries what the devices of the positive let through to any one appliance at the least.
            let dc = ctx.net.consumers.iter().filter(|c| !c.ac).map(|c| c.plus).collect::<Vec<usize>>();
            greatest_into(ctx, &dc, &[], true, rating)
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
        // Outlets of one rating that a circuit of the next may feed.
        let usual = ctx.profile.outlet_on_a.value.filter(|_| outlet);
        if usual.is_some_and(|(own, circuit)| rating >= own && amps <= circuit) {
            continue;
        }
        let name = ctx.component_words(index);
        let severity = if outlet || matches!(component.kind, Kind::Bus | Kind::FuseBlock) {
            Severity::Soon
        } else {
            Severity::BeforeUse
        };
        let statement = format!("{name} is rated {} A, and {} A can flow through it.", short(rating), short(amps));
        let mut f = ctx.finding(&RULE, severity, &component.id, statement);
        f.evidence.push(format!("Held by: {}.", held.join("; ")));
        f.evidence.push(format!("{} A > {} A rated.", short(amps), short(rating)));
        f.components = vec![component.id.clone()];
        found.push(f);
    }
    found
}
