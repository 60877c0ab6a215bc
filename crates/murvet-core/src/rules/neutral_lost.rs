//! Appliances of two opposite hots whose common neutral leads nowhere.

use super::islands::{fed, islands_at};
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role};
use crate::network::EdgeKind;
use crate::test_kinds::TestKind;
use crate::units::short;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "neutral-lost",
    hazard: Hazard::Bonding,
    statement: "The neutral of whatever is live leads back to the source of its hot in every state.",
    why: "What looks dead is live. Where two opposite hots share the neutral, the appliances of both lie in series across twice their voltage: the lighter ones get most of it and burn.",
    source: "NFPA 70 section 300.13(B) (recalled); the division of the voltage is Ohm's law",
    find,
    is: &[],
    repairs: &[Repair::LandNeutral],
    without: TRIED,
    proven_by: &[TestKind::CarriedOver],
    faults: &[
        (Field::Bonding, "a neutral on another source's bar, parted from its hot"),
        (Field::Bonding, "two hots whose common neutral is lost"),
    ],
    schools: &[],
    example: include_str!("examples/neutral-lost.rig"),
};

/// What hangs between one hot and a neutral that leads nowhere.
#[derive(Default)]
struct Side {
    components: Vec<String>,
    siemens: f64,
    working: Vec<String>,
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: BTreeMap<String, Finding> = BTreeMap::new();
    for (index, state) in ctx.mains_states() {
        for (first, second) in net.opposite_hots().filter(|(_, second)| state.live.active[*second]) {
            let s = &net.sources[second];
            let legs = [first, second].map(|l| state.live.part[net.sources[l].plus]);
            // By the stretch of neutral they share: what hangs on each leg.
            let mut shared: BTreeMap<u32, [Side; 2]> = BTreeMap::new();
            for (n, node) in net.nodes.iter().enumerate().filter(|(_, n)| n.role == Role::Line) {
                let Some(leg) = legs.iter().position(|l| *l == state.live.part[n]) else { continue };
                let Some(component) = node.component else { continue };
                let p = &ctx.rig.components[component];
                let takes = matches!(p.kind, Kind::Outlet | Kind::GfciOutlet | Kind::AcLoad | Kind::Charger);
                let port = node.terminal.split('.').next().unwrap_or_default();
                let Some(neutral) = net.node(component, &format!("{port}.N")).filter(|_| takes) else { continue };
                if state.live.metal[neutral] == state.live.metal[s.minus] {
                    continue;
                }
                let side = &mut shared.entry(state.live.part[neutral]).or_default()[leg];
                // An appliance of both hots stands on both sides of the neutral and divides nothing.
                if net.consumers.iter().any(|c| c.component == component && c.two_hot) {
                    continue;
                }
                if !side.components.contains(&p.id) {
                    side.components.push(p.id.clone());
                }
                let rated =
                    net.consumers.iter().find(|c| c.component == component && c.plus == n && c.minus == neutral);
                if let Some(amps) = rated.and_then(|c| c.current_a) {
                    side.siemens += amps / s.volts;
                    side.working.push(format!(
                        "{}: {} A at {} V = {} ohm",
                        p.id,
                        short(amps),
                        short(s.volts),
                        short(s.volts / amps)
                    ));
                }
            }
            for sides in shared.into_values().filter(|s| s.iter().all(|side| !side.components.is_empty())) {
                let name = sides[0].components[0].clone();
                found.entry(name.clone()).or_insert_with(|| finding(ctx, index, &name, &sides, 2.0 * s.volts));
            }
        }
        single(ctx, index, state, &mut found);
    }
    found.into_values().collect()
}

/// Outlets and appliances of one hot whose neutral does not lead back to the source of that hot.
fn single(ctx: &Context, index: usize, state: &crate::states::State, found: &mut BTreeMap<String, Finding>) {
    let net = ctx.net;
    for island in islands_at(ctx, index) {
        let s = &net.sources[island.source];
        for component in fed(ctx, state, island.source) {
            let p = &ctx.rig.components[component];
            let port = if p.kind == Kind::GfciOutlet { "line" } else { "ac" };
            let Some(neutral) = net.node(component, &format!("{port}.N")) else { continue };
            let back = state.live.part[neutral] == state.live.part[s.minus];
            let known = found.values().any(|f| f.components.contains(&p.id));
            // An appliance between two hots needs no neutral; one that is crossed is reported as that.
            if back || known || p.two_hot() || net.nodes[neutral].duty != Role::Neutral {
                continue;
            }
            let part = state.live.part[neutral];
            // A neutral landed on earth is a bond away from the source, and reported as that.
            let on_earth = net.edges.iter().any(|e| {
                let duty = |n: usize| net.nodes[n].duty;
                let meets = |n: usize, m: usize| {
                    duty(n) == Role::Neutral && duty(m) == Role::Earth && state.live.part[n] == part
                };
                matches!(e.what, EdgeKind::Wire(_)) && (meets(e.a, e.b) || meets(e.b, e.a))
            });
            if on_earth {
                continue;
            }
            let other = net.sources.iter().find(|o| o.kind.is_ac() && state.live.part[o.minus] == part);
            let words = match other {
                Some(o) => format!("is on the neutral of {}", ctx.component_words(o.component)),
                None => "leads nowhere".to_owned(),
            };
            let name = ctx.component_words(s.component);
            let statement = format!("{} is live from {name}, and its neutral {words}.", ctx.component_words(component));
            let mut f = ctx.finding(&RULE, Severity::BeforeUse, &p.id, statement);
            f.evidence.push(format!("State: {}.", ctx.state_words(state)));
            f.evidence.push(format!(
                "From {} no neutral conductor leads to {}: it looks dead and is live, or its current returns through earth.",
                net.nodes[neutral].name, net.nodes[s.minus].name
            ));
            f.way = state.way.clone();
            f.components = vec![p.id.clone()];
            found.insert(p.id.clone(), f);
        }
    }
}

fn finding(ctx: &Context, state: usize, name: &str, sides: &[Side; 2], volts: f64) -> Finding {
    let all: Vec<String> = sides.iter().flat_map(|s| s.components.clone()).collect();
    let statement = format!("The neutral that {} share leads nowhere.", all.join(", "));
    let mut f = ctx.finding(&RULE, Severity::KeepOff, name, statement);
    f.evidence.push(format!("State: {}.", ctx.state_words(&ctx.states.states[state])));
    for (n, side) in sides.iter().enumerate() {
        f.evidence.push(format!("On hot {}: {}.", n + 1, side.components.join(", ")));
        f.evidence.extend(side.working.iter().map(|w| format!("{w}.")));
    }
    let (g1, g2) = (sides[0].siemens, sides[1].siemens);
    f.evidence.push(if g1 > 0.0 && g2 > 0.0 {
        let first = volts * g2 / (g1 + g2);
        format!(
            "In series across {} V: {} ohm and {} ohm divide it into {} V on hot 1 and {} V on hot 2.",
            short(volts),
            short(1.0 / g1),
            short(1.0 / g2),
            short(first),
            short(volts - first)
        )
    } else {
        format!("What is plugged in divides {} V: the smaller appliance gets the most of it.", short(volts))
    });
    f.way = ctx.states.states[state].way.clone();
    f.components = all;
    f
}
