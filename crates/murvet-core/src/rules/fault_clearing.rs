//! A short at the far end that opens nothing, or not in time for the conductor.

use super::ways::neighbours;
use super::{Certainty, Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::SourceKind;
use crate::devices::{Band, adiabatic_s, band};
use crate::network::{Case, DcNet, EdgeKind};
use crate::states::State;
use crate::units::short;
use std::collections::{BTreeMap, BTreeSet, VecDeque};

pub(super) static RULE: Rule = Rule {
    slug: "fault-clearing",
    hazard: Hazard::Overcurrent,
    statement: "The least fault current, at the far end of a circuit, hot and with a low battery, opens its device before the conductor is harmed.",
    why: "A long thin run limits its own fault current: the device takes it for a load, and the fault heats where it is.",
    source: "IEC 60364-4-43 sections 434.5.2, within 5 s, and 433.1 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::NextSizes],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Overcurrent, "a fault current too small to open its device")],
    schools: &[],
    example: include_str!("examples/fault-clearing.rig"),
};

/// The longest time in which a fault is to be cleared, s: IEC 60364-4-43 section 434.5.2 (recalled).
const LONGEST_S: f64 = 5.0;

/// The live side as seen from the batteries, nearest first. Wiring is nearly a tree, so that is the way a fault current
/// takes.
struct Tree {
    /// For each node the edge by which it is reached.
    by: BTreeMap<usize, usize>,
    /// For each node the device on its way that has to open: of several in a row the smallest.
    device: BTreeMap<usize, Option<(usize, f64)>>,
    /// For each node the last device on its way.
    last: BTreeMap<usize, usize>,
}

impl Tree {
    /// Breadth first from all batteries. O(E).
    fn new(ctx: &Context, state: &State) -> Tree {
        let net = ctx.net;
        let near = neighbours(net, |e| state.closed(net, e));
        let mut tree = Tree { by: BTreeMap::new(), device: BTreeMap::new(), last: BTreeMap::new() };
        let mut queue: VecDeque<usize> = VecDeque::new();
        for s in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
            tree.device.insert(s.plus, None);
            queue.push_back(s.plus);
        }
        while let Some(node) = queue.pop_front() {
            let so_far = tree.device[&node];
            for &(next, edge) in &near[node] {
                if tree.device.contains_key(&next) {
                    continue;
                }
                let here = match net.edges[edge].what {
                    EdgeKind::Device { rating_a, .. } if so_far.is_none_or(|(_, r)| rating_a <= r) => {
                        Some((edge, rating_a))
                    }
                    _ => so_far,
                };
                let device = matches!(net.edges[edge].what, EdgeKind::Device { .. });
                if let Some(last) = if device { Some(edge) } else { tree.last.get(&node).copied() } {
                    tree.last.insert(next, last);
                }
                tree.device.insert(next, here);
                tree.by.insert(next, edge);
                queue.push_back(next);
            }
        }
        tree
    }

    /// The conductors between a node and the device that has to open for it.
    fn path(&self, ctx: &Context, mut node: usize, device: usize) -> Vec<usize> {
        let mut wires = Vec::new();
        while let Some(&edge) = self.by.get(&node).filter(|e| **e != device) {
            let e = &ctx.net.edges[edge];
            if let EdgeKind::Wire(w) = e.what {
                wires.push(w);
            }
            node = if e.a == node { e.b } else { e.a };
        }
        wires
    }
}

/// Whether a multiple lies within the points of a band.
fn within(band: &Band, multiple: f64) -> bool {
    band.gates.last().is_some_and(|g| multiple <= g.multiple)
}

/// Where a fault is thought of: at an appliance, or where a conductor ends at another device.
struct Place {
    plus: usize,
    minus: usize,
    words: String,
    /// The appliance, if it is at one.
    component: Option<usize>,
    /// The component it is at.
    at: usize,
}

fn places(ctx: &Context, tree: &Tree) -> Vec<Place> {
    let net = ctx.net;
    let mut list: Vec<Place> = Vec::new();
    for c in net.consumers.iter().filter(|c| {
        !c.ac && !net.sources.iter().any(|s| s.kind == SourceKind::Controller && s.component == c.component)
    }) {
        list.push(Place {
            plus: c.plus,
            minus: c.minus,
            words: ctx.component_words(c.component),
            component: Some(c.component),
            at: c.component,
        });
    }
    // There the chassis or the bar beside it takes the fault back: what the return of a circuit adds is left out.
    let batteries = net.sources.iter().filter(|s| s.kind == SourceKind::Battery);
    let posts: Vec<usize> = batteries.map(|s| s.minus).collect();
    for (i, e) in net.edges.iter().enumerate() {
        let EdgeKind::Device { component, .. } = e.what else { continue };
        let near = [e.a, e.b].into_iter().find(|n| tree.device.contains_key(n) && tree.by.get(n) != Some(&i));
        // Only where a conductor leads to it: devices on one bar are no place of their own.
        let Some(near) =
            near.filter(|n| tree.by.get(n).is_some_and(|b| matches!(net.edges[*b].what, EdgeKind::Wire(_))))
        else {
            continue;
        };
        let words = &net.nodes[near].name;
        list.extend(posts.iter().map(|m| Place {
            plus: near,
            minus: *m,
            words: words.clone(),
            component: None,
            at: component,
        }));
    }
    list
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let Some(parked) = ctx.states.states.first() else { return Vec::new() };
    let dc = DcNet::new(ctx.rig, net, Case::Weak, |e| parked.closed(net, e));
    let Ok(factored) = dc.factored() else { return Vec::new() };
    let tree = Tree::new(ctx, parked);
    let named: BTreeSet<usize> = ctx.protection().iter().flat_map(|g| g.wires.iter().copied()).collect();
    let mut found: BTreeMap<String, (f64, Finding)> = BTreeMap::new();
    for place in places(ctx, &tree) {
        unread(ctx, &tree, &place, &mut found);
        let Some(&Some((edge, rating))) = tree.device.get(&place.plus) else { continue };
        let EdgeKind::Device { component, way, .. } = &net.edges[edge].what else { continue };
        let (Some(plus), Some(minus)) = (dc.at(place.plus), dc.at(place.minus)) else { continue };
        let amps = factored.fault_through(edge, (plus, minus)).unwrap_or(0.0).abs();
        if amps <= 0.0 || !rating.is_finite() || rating <= 0.0 {
            continue;
        }
        let device = &ctx.rig.components[*component];
        let band = band(device, rating).on_dc();
        let name = super::protection::device_name(ctx, *component, way.as_deref(), rating);
        let multiple = amps / rating;
        let latest = band.latest_s(multiple);
        // Every conductor of the way out, and those that arrive at the appliance on the way back.
        let mut path = tree.path(ctx, place.plus, edge);
        path.extend(net.edges.iter().filter_map(|e| match e.what {
            EdgeKind::Wire(w) if place.component.is_some() && [e.a, e.b].contains(&place.minus) => Some(w),
            _ => None,
        }));
        let device_subject = way.as_ref().map_or(device.id.clone(), |w| format!("{}.{w}", device.id));
        for &wire in &path {
            let laid = &net.wires[wire].laid;
            let stands = adiabatic_s(laid.area_mm2, laid.insulation_c, amps);
            // A conductor that its device is too large for: where it is excused as a tap, it hangs on the short-circuit
            // protection alone.
            let small = ctx.ampacity(wire).device_a < rating * (1.0 - 1e-6);
            let tap = small && !named.contains(&wire);
            let pressing = if tap { Severity::BeforeUse } else { Severity::Soon };
            let (severity, words) = match latest {
                None => (pressing, "may open nothing".to_owned()),
                // Up to 5 s no heat flows off. Beyond the last point of its band, or faster than 0.1 s, a device lets
                // less through than its time says, and what that is only its maker knows.
                Some(t)
                    if band.fuse
                        && t > stands
                        && stands <= LONGEST_S
                        && (within(&band, multiple) || (band.own && stands >= 0.1)) =>
                {
                    (
                        pressing,
                        format!("opens within {} s, and the conductor stands it for {} s", short(t), short(stands)),
                    )
                }
                Some(t) if t > LONGEST_S && band.fuse => (
                    Severity::Advice,
                    format!("opens only within {} s, {} s is the longest for a fault", short(t), short(LONGEST_S)),
                ),
                _ => continue,
            };
            let subject = if small { net.wires[wire].key.clone() } else { device_subject.clone() };
            let statement = format!("A short at {} gives {} A: {name} {words}.", place.words, short(amps));
            if let Some((old, f)) = found.get_mut(&subject) {
                let worse = severity > f.severity || (severity == f.severity && multiple < *old * (1.0 - 1e-9));
                if !worse {
                    f.wires.push(net.wires[wire].spot);
                    continue;
                }
            }
            let mut f = ctx.finding(&RULE, severity, &subject, statement);
            f.evidence.push("Conductors at their greatest resistance and hot, batteries low and with half more than their typical resistance.".to_owned());
            f.evidence.push(format!("{} A / {} A = {} times its rating.", short(amps), short(rating), short(multiple)));
            f.evidence.push(match latest {
                Some(t) => format!("At that it opens within {} s ({}).", short(t), band.source),
                None => {
                    format!(
                        "It opens for certain only from {} times on ({}).",
                        short(band.gates[0].multiple),
                        band.source
                    )
                }
            });
            if stands <= 1000.0 {
                f.evidence.push(format!(
                    "{} stands {} A for {} s: k² S² / I² (IEC 60364-4-43 table 43A, recalled).",
                    ctx.wire_words(wire),
                    short(amps),
                    short(stands)
                ));
            }
            if tap {
                f.evidence.push(format!(
                    "{} may carry {} A and hangs on {} A: what excuses it near a change of size is only that it stands a short until that opens.",
                    ctx.wire_words(wire),
                    short(ctx.ampacity(wire).iz_a),
                    short(rating)
                ));
            }
            if !band.own {
                f.certainty = Certainty::Possible;
                f.evidence.push("Possible: a slow band stands in for its own, which its maker gives.".to_owned());
            }
            f.wires = vec![net.wires[wire].spot];
            f.components = vec![device.id.clone(), ctx.id(place.at).to_owned()];
            found.insert(subject, (multiple, f));
        }
    }
    let tidy = |(_, mut f): (f64, Finding)| {
        f.wires.sort();
        f.wires.dedup();
        f
    };
    found.into_values().map(tidy).collect()
}

/// A device of unread rating behind which a fault is thought of: whether it opens in time cannot be told. It may be the
/// smallest of its row, or not.
fn unread(ctx: &Context, tree: &Tree, place: &Place, found: &mut BTreeMap<String, (f64, Finding)>) {
    let Some(&edge) = tree.last.get(&place.plus) else { return };
    let EdgeKind::Device { component, way, .. } = &ctx.net.edges[edge].what else { return };
    if !ctx.unread(*component, way.as_deref()) {
        return;
    }
    let own = way.as_ref().map_or(ctx.id(*component).to_owned(), |w| format!("{}.{w}", ctx.id(*component)));
    let path = tree.path(ctx, place.plus, edge);
    let wires = path.into_iter().map(|w| ctx.net.wires[w].key.clone());
    for subject in wires.chain([own.clone()]) {
        found.entry(subject.clone()).or_insert_with(|| {
            let statement = format!(
                "Whether a short at {} opens {own} in time was not judged: its rating was not read.",
                place.words
            );
            let mut f = ctx.finding(&RULE, Severity::Advice, &subject, statement);
            f.certainty = Certainty::Possible;
            f.evidence.push("Possible: the rating decides.".to_owned());
            f.components = vec![ctx.id(*component).to_owned()];
            (f64::INFINITY, f)
        });
    }
}
