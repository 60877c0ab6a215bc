//! A device below the steady current of what hangs on it.

use super::ways::neighbours;
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::Kind;
use crate::network::EdgeKind;
use crate::units::{apart, short};
use std::collections::BTreeSet;

pub(super) static RULE: Rule = Rule {
    slug: "device-undersized",
    hazard: Hazard::Capacity,
    statement: "A device holds the steady current of what hangs on it.",
    why: "It opens when everything is on and leaves the dark to be found; a larger one is then put in without asking the cable.",
    source: "IEC 60364-4-43 section 433.1, Ib <= In; NFPA 70 section 210.20(A) (recalled)",
    find,
    is: &[],
    repairs: &[Repair::LargerDevice],
    without: "It is a choice between a larger supply and less on together, which the owner makes.",
    proven_by: &[],
    faults: &[(Field::Overcurrent, "a device below the steady current of what hangs on it")],
    schools: &[],
    example: include_str!("examples/device-undersized.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let Some(parked) = ctx.states.states.first() else { return Vec::new() };
    // A contact on mains counts whichever way it stands: somewhere it is closed.
    let near = neighbours(net, |e| {
        let edge = &net.edges[e];
        parked.closed(net, e) || (matches!(edge.what, EdgeKind::Contact(_)) && net.nodes[edge.a].is_mains_side())
    });
    let mut found: Vec<Finding> = Vec::new();
    for (device, edge) in net.edges.iter().enumerate() {
        let EdgeKind::Device { component, way, rating_a } = &edge.what else { continue };
        for (start, before) in [(edge.a, edge.b), (edge.b, edge.a)] {
            // What hangs on this side without another device between, and no source with it.
            let mut seen = BTreeSet::from([start]);
            let mut stack = vec![start];
            while let Some(n) = stack.pop() {
                for &(next, i) in &near[n] {
                    let ends = i == device || matches!(net.edges[i].what, EdgeKind::Device { .. });
                    if !ends && seen.insert(next) {
                        stack.push(next);
                    }
                }
            }
            if seen.contains(&before) || net.sources.iter().any(|s| seen.contains(&s.plus)) {
                continue;
            }
            let on: Vec<_> = net
                .consumers
                .iter()
                .filter(|c| seen.contains(&c.plus) || (c.two_hot && seen.contains(&c.minus)))
                .filter(|c| {
                    !matches!(
                        ctx.rig.components[c.component].kind,
                        Kind::Inverter | Kind::InverterCharger | Kind::Controller
                    )
                })
                .filter_map(|c| Some((c, c.current_a?)))
                .collect();
            // On mains one appliance at a time counts: what is plugged in is not all on. On DC all of them.
            let mains = net.nodes[start].is_mains_side();
            let amps = if mains { on.iter().map(|o| o.1).fold(0.0, f64::max) } else { on.iter().map(|o| o.1).sum() };
            if amps <= rating_a * (1.0 + 1e-6) {
                continue;
            }
            let own = way.as_ref().map_or(ctx.id(*component).to_owned(), |w| format!("{}.{w}", ctx.id(*component)));
            let name = super::protection::device_name(ctx, *component, way.as_deref(), *rating_a);
            let statement =
                format!("{name} holds {} A, and {} A hang on it.", apart(*rating_a, amps).0, apart(*rating_a, amps).1);
            if found.iter().any(|f| f.subject == own) {
                continue;
            }
            let mut f = ctx.finding(&RULE, Severity::Soon, &own, statement);
            f.evidence.extend(on.iter().map(|(c, _)| format!("{}: {}.", ctx.component_words(c.component), c.working)));
            f.evidence.push(format!(
                "{} A > {} A; where it flows for three hours and more, × 1.25.",
                short(amps),
                short(*rating_a)
            ));
            f.components = vec![ctx.id(*component).to_owned()];
            found.push(f);
        }
    }
    found
}
