//! Two devices in a row of which nobody knows which opens.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::{Role, SourceKind};
use crate::devices::band;
use crate::network::{EdgeKind, Union};
use crate::units::short;

pub(super) static RULE: Rule = Rule {
    slug: "devices-in-series",
    hazard: Hazard::Overcurrent,
    statement: "Of two devices in a row the nearer one to the fault opens first.",
    why: "Where the one at the battery opens for a fault far away everything goes dark, and the spare fuse is put into the wrong holder.",
    source: "NFPA 70 section 240.12; IEC 60364-5-53 section 536 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::Graded],
    without: "Which of the two opens first is not known: that is written beside both, and both are looked at when something is dead.",
    proven_by: &[],
    faults: &[(Field::Overcurrent, "two equal devices in series where nobody knows which opens")],
    schools: &[],
    example: include_str!("examples/devices-in-series.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    // What hangs together without devices; two devices meet where they share such a stretch.
    let live = |n: usize| super::protection::is_live_side(net.nodes[n].duty);
    let mut stretch = Union::new(net.nodes.len());
    for e in &net.edges {
        if !matches!(e.what, EdgeKind::Device { .. } | EdgeKind::Bond { .. }) && live(e.a) && live(e.b) {
            stretch.join(e.a, e.b);
        }
    }
    let label = stretch.into_labels();
    let devices: Vec<(usize, usize, Option<String>, f64)> = net
        .edges
        .iter()
        .enumerate()
        .filter_map(|(i, e)| match &e.what {
            EdgeKind::Device { component, way, rating_a } if live(e.a) && live(e.b) && rating_a.is_finite() => {
                Some((i, *component, way.clone(), *rating_a))
            }
            _ => None,
        })
        .collect();
    // On DC from the battery, on mains from what the rig is fed by.
    let begins = |k: SourceKind| k == SourceKind::Battery || k.is_ac();
    let fed = |l: u32| net.sources.iter().any(|s| begins(s.kind) && label[s.plus] == l);
    let own_band = |component: usize, edge: usize, rating: f64| {
        let band = band(&ctx.rig.components[component], rating);
        if net.nodes[net.edges[edge].a].duty == Role::Plus { band.on_dc() } else { band }
    };
    let mut found = Vec::new();
    for (up_edge, up, _, up_a) in devices.iter().filter(|d| d.2.is_none()) {
        let e = &net.edges[*up_edge];
        // From the battery outward: the stretch behind it has no battery of its own.
        let Some((_, behind)) = [(e.a, e.b), (e.b, e.a)].into_iter().find(|(a, b)| fed(label[*a]) && !fed(label[*b]))
        else {
            continue;
        };
        let here = label[behind];
        // A device with a battery on its other side feeds this stretch as well: it is no second one in the row.
        let onward = |i: usize| {
            let ends = [net.edges[i].a, net.edges[i].b];
            ends.iter().any(|n| label[*n] == here) && !ends.iter().any(|n| label[*n] != here && fed(label[*n]))
        };
        let next: Vec<_> =
            devices.iter().filter(|(i, p, way, _)| i != up_edge && (p != up || way.is_some()) && onward(*i)).collect();
        for (down_edge, down, way, down_a) in next {
            // Both carry the fault alike; at ten times the smaller rating both bands lie open.
            let amps = 10.0 * down_a.min(*up_a);
            let soonest = own_band(*up, *up_edge, *up_a).soonest_s(amps / up_a);
            let latest = own_band(*down, *down_edge, *down_a).latest_s(amps / down_a);
            if *down_a < up_a * 0.99 {
                continue;
            }
            let own = way.as_ref().map_or(ctx.id(*down).to_owned(), |w| format!("{} way {w}", ctx.id(*down)));
            let subject = format!("{}>{own}", ctx.id(*up));
            // Of a rating that nobody read the bands say nothing.
            if ctx.unread(*up, None) || ctx.unread(*down, way.as_deref()) {
                let statement = format!(
                    "{} may open before {own}: the rating of one of them was not read.",
                    ctx.component_words(*up)
                );
                let mut f = ctx.finding(&RULE, Severity::Advice, &subject, statement);
                f.evidence.push("The device nearer to the fault is to be the smaller or the quicker one.".to_owned());
                f.components = vec![ctx.id(*up).to_owned(), ctx.id(*down).to_owned()];
                found.push(f);
                continue;
            }
            let (Some(soonest), Some(latest)) = (soonest, latest) else { continue };
            if latest < soonest {
                continue;
            }
            let name = ctx.component_words(*up);
            let mut f = ctx.finding(
                &RULE,
                Severity::Advice,
                &subject,
                format!("{name} {} A may open before {own} {} A.", short(*up_a), short(*down_a)),
            );
            f.evidence.push(format!(
                "{} A > or = {} A: the device nearer to the fault is no smaller than the one behind it.",
                short(*down_a),
                short(*up_a)
            ));
            f.evidence.push(format!(
                "At {} A {} may open after {} s, and {own} opens within {} s ({}).",
                short(amps),
                ctx.id(*up),
                short(soonest),
                short(latest),
                own_band(*down, *down_edge, *down_a).source
            ));
            f.components = vec![ctx.id(*up).to_owned(), ctx.id(*down).to_owned()];
            found.push(f);
        }
    }
    found
}
