//! Outlets that some source feeds past every residual-current device.

use super::islands::{Separation, fed, separation};
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::Kind;
use crate::network::{Edge, EdgeKind, Union};
use crate::profiles::Limit;
use crate::rig::Component;
use crate::units::Dimension;
use std::collections::{BTreeMap, BTreeSet};

pub(super) static RULE: Rule = Rule {
    slug: "rcd-missing",
    hazard: Hazard::Bonding,
    statement: "Where the profile wants it, every final circuit is behind a 30 mA residual-current device in every state.",
    why: "Earth leakage through a person stays far below what any fuse opens at; a device before the inverter does nothing for what comes after it.",
    source: "the profile's own",
    find,
    is: &[],
    repairs: &[Repair::FitRcd],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Bonding, "an outlet that some source feeds past every RCD")],
    schools: &[],
    example: include_str!("examples/rcd-missing.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    if let Some(limit) = &ctx.profile.rcd_everywhere_a.limit() {
        return judge(ctx, limit, |_| true);
    }
    // Where not every outlet wants one: those outdoors, at a sink, in a bathroom or in the wet.
    let wet = |p: &Component| {
        let outlet = matches!(p.kind, Kind::Outlet | Kind::GfciOutlet);
        let place = p.place.as_deref().and_then(|id| ctx.rig.place(id));
        outlet && (p.word("stands").is_some() || place.is_some_and(|p| p.zone.as_deref() == Some("outside")))
    };
    ctx.profile.rcd_where_wet_a.limit().map_or_else(Vec::new, |limit| judge(ctx, &limit, wet))
}

/// Outlets and appliances that want a device and are fed past every one that opens within the limit.
fn judge(ctx: &Context, limit: &Limit, wants: impl Fn(&Component) -> bool) -> Vec<Finding> {
    let net = ctx.net;
    // For each outlet the sources that reach it past every device, with the first state.
    let mut bare: BTreeMap<usize, BTreeMap<usize, usize>> = BTreeMap::new();
    let mut defeated: BTreeSet<(usize, usize)> = BTreeSet::new();
    for island in ctx.islands() {
        let components = fed(ctx, island.state, island.source);
        if island.meetings.is_empty() && !matches!(separation(ctx, island), Separation::Not(_)) {
            continue; // electrical separation of a single appliance
        }
        let seen = past_residual(ctx, &[net.sources[island.source].plus], limit.value, |i| island.state.closed(net, i));
        // Where neutral meets earth only after a device, the current of a fault goes back through its other pole: it sees
        // nothing and never opens, though its button works.
        let closed = |i: usize| island.state.closed(net, i);
        let after: Vec<Vec<bool>> =
            island.meetings.iter().map(|m| past_residual(ctx, &[m.neutral], limit.value, closed)).collect();
        for component in components.into_iter().filter(|p| wants(&ctx.rig.components[*p])) {
            let p = &ctx.rig.components[component];
            let ports: &[&str] = if p.kind == Kind::GfciOutlet { &["load.N"] } else { &["ac.N"] };
            let neutral = ports.iter().find_map(|t| net.node(component, t));
            if neutral.is_some_and(|n| !after.is_empty() && after.iter().all(|a| a[n])) {
                bare.entry(component).or_default().entry(net.sources[island.source].component).or_insert(island.index);
                defeated.insert((component, net.sources[island.source].component));
                continue;
            }
            // An outlet with its own device protects its face and its load side.
            let terminals: &[&str] = if p.kind == Kind::GfciOutlet { &["load.L"] } else { &["ac.L", "ac.L2"] };
            if terminals.iter().filter_map(|t| net.node(component, t)).any(|n| seen[n]) {
                bare.entry(component).or_default().entry(net.sources[island.source].component).or_insert(island.index);
            }
        }
    }
    let mut names: Vec<&str> = bare.keys().map(|p| ctx.id(*p)).collect();
    // Named after the first by name: the order of lines is nothing.
    names.sort_unstable();
    let Some(&first) = names.first() else { return Vec::new() };
    let statement = format!("No {} ahead of {} in at least one state.", ctx.profile.words.rcd, names.join(", "));
    // Behind a rod of its own earth faults open nothing else.
    let rod = |p: &usize| ctx.rig.components[*p].word("supply") == Some("tt");
    let by_rod = bare.values().flat_map(|s| s.keys()).any(rod);
    let severity = if by_rod { Severity::KeepOff } else { Severity::BeforeUse };
    let mut f = ctx.finding(&RULE, severity, first, statement);
    if by_rod {
        f.evidence.push("The supply is earthed by a rod: a fault to a case drives too little to open any overcurrent device (IEC 60364-4-41 section 411.5, recalled).".to_owned());
    }
    for (component, sources) in &bare {
        for (source, state) in sources {
            let how = if defeated.contains(&(*component, *source)) {
                "no residual-current device is passed, or neutral meets earth only after it, so that it never opens"
            } else {
                "no residual-current device is passed"
            };
            f.evidence.push(format!(
                "{} ({}): from {} to {} {how}.",
                ctx.state_words(&ctx.states.states[*state]),
                ctx.id(*source),
                ctx.component_words(*source),
                ctx.id(*component)
            ));
        }
    }
    let state = bare.values().flat_map(|s| s.values()).min().copied().unwrap_or(0);
    f.way = ctx.states.states[state].way.clone();
    f.components = names.iter().map(|n| (*n).to_owned()).collect();
    f.source = limit.source.to_owned();
    vec![f]
}

/// Whether each node is reached from some others without passing a residual-current device that opens within a limit, A,
/// over edges that are closed.
pub(super) fn past_residual(ctx: &Context, from: &[usize], limit_a: f64, closed: impl Fn(usize) -> bool) -> Vec<bool> {
    let net = ctx.net;
    let mut sets = Union::new(net.nodes.len());
    for (i, edge) in net.edges.iter().enumerate() {
        // A device that opens at more than the profile allows is none for a person.
        let coarse = || residual_a(ctx, edge).is_some_and(|a| a > limit_a * (1.0 + 1e-6));
        let bond = matches!(edge.what, EdgeKind::Bond { .. });
        if !bond && closed(i) && !net.crosses_earth(edge) && (edge.residual.is_none() || coarse()) {
            sets.join(edge.a, edge.b);
        }
    }
    let starts: Vec<usize> = from.iter().map(|n| sets.find(*n)).collect();
    (0..net.nodes.len()).map(|n| starts.contains(&sets.find(n))).collect()
}

/// Residual operating current of the device that an edge passes, A; nothing where there is none or it was not seen.
fn residual_a(ctx: &Context, edge: &Edge) -> Option<f64> {
    let p = &ctx.rig.components[edge.residual?];
    match &edge.what {
        EdgeKind::Device { way: Some(way), .. } => {
            p.ways.iter().find(|w| w.id == *way)?.rcd.as_ref()?.si(Dimension::Current)
        }
        _ => p.si("rcd", Dimension::Current),
    }
}
