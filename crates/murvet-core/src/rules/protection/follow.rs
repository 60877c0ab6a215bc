//! What is wrong with each failing conductor, and which of them one cure puts right together.
//!
//! Nothing may hide behind anything: each conductor is judged for itself, from each end. Conductors stand in one group
//! only where the cure of its first one cures them too, and that is tried: the device that is missing or too far is put
//! in, as large as its own conductor allows, and what still fails has a group of its own.

use super::super::Context;
use super::graphs::{Built, exceeds, positive};
use super::ground::{Beyond, Ground};
use super::legs::{Leg, legs};
use super::{Group, Limiter, Verdict};
use crate::catalogue::Kind;
use crate::network::{EdgeKind, Flow, Union};
use crate::states::State;
use crate::units::short;
use std::collections::{BTreeMap, HashMap, HashSet};

/// Groups by their first conductor, the end it is entered at, and the kind of danger.
pub(super) type Found = BTreeMap<(usize, usize, u8), Group>;

/// What is wrong with a leg against a flow.
struct Judged {
    unlimited: bool,
    /// A way out without any device.
    bare: bool,
    /// A device beyond the distance.
    far: bool,
    /// The devices let out more than the conductor may carry.
    over: bool,
}

impl Judged {
    fn any(&self) -> bool {
        self.bare || self.far || self.over
    }
}

/// The distance allowed for a device, m, with its source.
fn distance_limit<'a>(ctx: &'a Context, leg: &Leg, unlimited: bool) -> (f64, &'a str) {
    let limit = if unlimited { &ctx.profile.first_device_m } else { &ctx.profile.reduction_m };
    let sheathed = ctx.profile.answers.sheathed_m.filter(|_| unlimited && ctx.net.wires[leg.wire].sheathed);
    // By where the source's terminal is: the longer way only at a battery itself.
    let component = ctx.net.nodes[leg.entry].component.map(|p| ctx.rig.components[p].kind);
    let value =
        sheathed.map_or(limit.value, |(battery, other)| if component == Some(Kind::Battery) { battery } else { other });
    (value, &limit.source)
}

/// Judges a leg at whose near end more arrives than it may carry. Every way out must end in a device: with a current
/// without limit near the source, with a limited one near the change of size; and together they must let no more out
/// than the conductor carries.
fn judge(ctx: &Context, leg: &Leg, beyond: &Beyond, flow: &Flow) -> Judged {
    let unlimited = flow.unlimited();
    let base = if unlimited { leg.distance } else { leg.reduced };
    let limit = distance_limit(ctx, leg, unlimited).0;
    Judged {
        unlimited,
        bare: !beyond.bare.is_empty(),
        far: beyond.farthest().is_some_and(|d| base + d > limit * (1.0 + 1e-6)),
        over: beyond.let_out().min(flow.amps) > ctx.ampacity(leg.wire).device_a * (1.0 + 1e-6),
    }
}

/// Judges the failing conductors of one state.
pub(super) fn follow(
    ctx: &Context,
    state: &State,
    index: usize,
    built: &mut Built,
    failing: &[(usize, usize)],
    found: &mut Found,
) {
    let ground = Ground::new(ctx, state);
    let legs = legs(ctx, &ground, built, failing);
    let edge_of: HashMap<usize, usize> = failing.iter().copied().collect();
    let mut groups: Vec<(usize, Group)> = Vec::new();
    // Devices that are missing or too far, nearest to the source first, each put in before the next leg is looked at.
    let mut cured = built.graph.clone();
    let mut fitted: HashSet<usize> = HashSet::new();
    // The group that answers for each leg, or for what comes before it.
    let mut root: Vec<Option<usize>> = vec![None; legs.len()];
    for (i, leg) in legs.iter().enumerate() {
        let beyond = ground.beyond(ctx, built, leg.wire, leg.near, leg.far);
        let above = leg.before.and_then(|b| root[b]);
        let now = judge(ctx, leg, &beyond, &leg.flow);
        if !now.any() {
            root[i] = above;
            continue;
        }
        let amp = ctx.ampacity(leg.wire);
        let own = built.together(ctx, leg.wire, edge_of[&leg.wire]);
        // Only what hangs on the same current without limit can be cured by the device that is to end it.
        if let Some(group) = above.filter(|_| now.unlimited) {
            let flow = cured.max_flow(leg.node, &own);
            let single = flow.cut.len() == 1 && (fitted.contains(&flow.cut[0]) || built.is_device(flow.cut[0]));
            let still = exceeds(&flow, if single { amp.device_a } else { amp.iz_a });
            if !still || !judge(ctx, leg, &beyond, &flow).any() {
                groups[group].1.wires.push(leg.wire);
                root[i] = Some(group);
                continue;
            }
        }
        let Demand { amps: demand_a, greatest, working } = demand(ctx, state, &ground, leg.wire, leg.node);
        let make = |verdict: Verdict, groups: &mut Vec<(usize, Group)>| {
            groups.push((leg.node, group(ctx, index, built, leg, &beyond, verdict, (demand_a, working.clone()))));
            groups.len() - 1
        };
        if now.unlimited && (now.bare || now.far) {
            root[i] = Some(make(if now.bare { Verdict::Missing } else { Verdict::TooFar }, &mut groups));
            for handle in own {
                cured.set_capacity(handle, amp.device_a);
                fitted.insert(handle);
            }
            // Another danger of the same conductor: too thin for its load, so that no device would serve; or a device
            // that is too large as well as too far.
            let thin = greatest.is_some_and(|amps| amps > amp.device_a * (1.0 + 1e-6));
            if thin {
                make(Verdict::TooSmall, &mut groups);
            }
            if !now.bare && now.over && (!thin || ctx.net.wires[leg.wire].size_guessed) {
                make(Verdict::Oversized, &mut groups);
            }
            continue;
        }
        let overloaded = demand_a.is_some_and(|d| d > amp.iz_a * (1.0 + 1e-6));
        let by_device = now.unlimited || built.limiters(ctx, &leg.flow).iter().any(|l| l.device.is_some());
        let verdict = if overloaded || !by_device { Verdict::TooSmall } else { Verdict::Oversized };
        // Of a size that nobody saw the load may be too much, or the device alone: both are told.
        if verdict == Verdict::TooSmall && by_device && ctx.net.wires[leg.wire].size_guessed {
            make(Verdict::Oversized, &mut groups);
        }
        root[i] = Some(make(verdict, &mut groups));
    }
    for (node, group) in groups {
        keep(ctx, found, node, group);
    }
}

/// Keeps a group. The same conductor from the same end in another state: the worse of the two, with the conductors of
/// both.
fn keep(ctx: &Context, found: &mut Found, node: usize, group: Group) {
    let kind = match group.verdict {
        Verdict::Missing | Verdict::TooFar => 0,
        // Of a size that nobody saw both are told.
        Verdict::Oversized if ctx.net.wires[group.wires[0]].size_guessed => 2,
        Verdict::Oversized | Verdict::TooSmall => 1,
    };
    let key = (group.wires[0], node, kind);
    let (mut group, other) = match found.remove(&key) {
        Some(old) if (old.verdict, old.flow_a) >= (group.verdict, group.flow_a) => (old, Some(group)),
        old => (group, old),
    };
    group.wires.extend(other.into_iter().flat_map(|o| o.wires));
    let mut seen = HashSet::new();
    group.wires.retain(|w| seen.insert(*w));
    found.insert(key, group);
}

/// The group that a leg begins.
fn group(
    ctx: &Context,
    index: usize,
    built: &Built,
    leg: &Leg,
    beyond: &Beyond,
    verdict: Verdict,
    (demand_a, demand_working): (Option<f64>, Vec<String>),
) -> Group {
    let unlimited = leg.flow.unlimited();
    let amp = ctx.ampacity(leg.wire);
    let (limit, source) = distance_limit(ctx, leg, unlimited);
    let base = if unlimited { leg.distance } else { leg.reduced };
    let devices: Vec<Limiter> = beyond.devices.iter().map(|d| d.words.clone()).collect();
    let over = beyond.let_out().min(leg.flow.amps) > amp.device_a * (1.0 + 1e-6);
    let far = beyond.devices.iter().filter(|d| base + d.distance > limit * (1.0 + 1e-6));
    let mut ends: Vec<String> =
        far.map(|d| format!("{} after {} m", d.words.words, short(base + d.distance))).collect();
    ends.extend(beyond.bare.iter().cloned());
    if over {
        let words: Vec<&str> = devices.iter().map(|d| d.words.as_str()).collect();
        ends.push(format!("{}, more than the conductor before them may carry", words.join(" and ")));
    }
    ends.sort();
    ends.dedup();
    // Near enough, but too large for the conductor between the source and them.
    let let_out = unlimited && matches!(verdict, Verdict::Oversized | Verdict::TooSmall);
    let (flow_a, limiters, allowed_a) = if let_out {
        (beyond.let_out(), devices, amp.device_a)
    } else {
        let single = leg.flow.cut.len() == 1 && built.is_device(leg.flow.cut[0]);
        let allowed = if single { amp.device_a } else { amp.iz_a };
        (leg.flow.amps, built.limiters(ctx, &leg.flow), allowed)
    };
    Group {
        verdict,
        wires: vec![leg.wire],
        entry: leg.entry,
        flow_a,
        let_out,
        allowed_a,
        weakest: leg.wire,
        limiters,
        distance: beyond.farthest().map(|d| (base + d, limit, source.to_owned())),
        ends,
        bare: beyond.bare.clone(),
        demand_a,
        demand_working,
        state: index,
    }
}

/// What hangs on a conductor.
#[derive(Default)]
struct Demand {
    /// All of it together, A.
    amps: Option<f64>,
    /// The greatest single one, A.
    greatest: Option<f64>,
    working: Vec<String>,
}

/// Rated current of everything that hangs on a conductor beyond its entry, when no source is there.
fn demand(ctx: &Context, state: &State, ground: &Ground, wire: usize, entry: usize) -> Demand {
    let net = ctx.net;
    let Some(edge) = net.wire_edge(wire) else { return Demand::default() };
    let own = ctx.parallel(wire);
    let mut side = Union::new(net.nodes.len());
    for (i, e) in net.edges.iter().enumerate() {
        let fits = positive(net.nodes[e.a].duty) && positive(net.nodes[e.b].duty);
        let itself = matches!(e.what, EdgeKind::Wire(w) if own.contains(&w));
        if !itself && fits && state.closed(net, i) && !matches!(e.what, EdgeKind::Bond { .. }) {
            side.join(e.a, e.b);
        }
    }
    let far = if side.same(edge.a, entry) { edge.b } else { edge.a };
    let start = far;
    let (far, near) = (side.find(far), side.find(entry));
    let fed = net.sources.iter().enumerate().any(|(s, source)| {
        let own = state.live.active[s] && !source.kind.converts();
        own && side.find(source.plus) == far
    });
    let mut out = Demand::default();
    if far == near || fed {
        return out;
    }
    for c in &net.consumers {
        if side.find(c.plus) == far
            && let Some(amps) = c.current_a
        {
            out.amps = Some(out.amps.unwrap_or(0.0) + amps);
            out.greatest = Some(out.greatest.unwrap_or(0.0).max(amps));
            out.working.push(format!("{}: {}", ctx.component_words(c.component), c.working));
        }
    }
    // The devices on the way let no more be asked for.
    let edges = net.edges.iter().enumerate();
    let own = edges.filter(|(_, e)| matches!(e.what, EdgeKind::Wire(w) if own.contains(&w))).map(|(i, _)| i);
    let most = ground.asked_at(start, &own.collect::<Vec<_>>());
    if let Some(sum) = out.amps.filter(|sum| *sum > most * (1.0 + 1e-6)) {
        out.working.push(format!("{} A together; devices on the way let {} A through", short(sum), short(most)));
        out.amps = Some(most);
        out.greatest = out.greatest.map(|g| g.min(most));
    }
    out
}
