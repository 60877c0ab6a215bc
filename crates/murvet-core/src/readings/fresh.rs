//! Whether a reading still holds after the rig was changed: it goes stale when anything on its path changed.
//!
//! What counts as its path errs on the side of measuring again. Volts lost along direct current and continuity hang on what
//! lies between the leads: every conductor, device and contact on any way from one to the other. Everything else, insulation
//! and currents and whether something is dead, hangs on whatever is joined to the leads at all, earth and chassis apart, since
//! they join the whole vehicle.

use super::{Phase, Test};
use crate::audit::Audit;
use crate::catalogue::{Kind, Role};
use crate::measure::{Function, Probe};
use crate::network::{EdgeKind, Network};
use std::collections::BTreeSet;

/// Whether a reading of a test on one revision of a rig holds on another: the test asks for the same, and nothing on its path
/// is different.
///
/// Complexity: linear in the network for each probe.
///
/// ```
/// use murvet_core::{audit::audit, notation::parse, profiles::ProfileId, readings::{plan, still_holds}};
/// let text = "battery b: agm 12V 100Ah\ndc-load x: 5A\ndc-load y: 5A\nbus p\nbus n\nrun b.+ : 1m 6mm2, fuse F 15A, 1m 6mm2, p\n\
///     run b.- : 1m 6mm2, n\nrun p : 2m 2.5mm2, x.+\nrun n : 2m 2.5mm2, x.-\nrun p : 2m 2.5mm2, y.+\nrun n : 2m 2.5mm2, y.-\n";
/// let old = audit(&parse(text).unwrap(), ProfileId::EU_UK);
/// let new = audit(&parse(&text.replacen("2m 2.5mm2, y.+", "2m 4mm2, y.+", 1)).unwrap(), ProfileId::EU_UK);
/// let holds = |id: &str| {
///     let of = |a| plan(a).into_iter().find(|t| t.id == id).unwrap();
///     still_holds((&old, &of(&old)), (&new, &of(&new)))
/// };
/// assert!(holds("drop:x") && !holds("drop:y"));
/// ```
pub fn still_holds((old, was): (&Audit, &Test), (new, is): (&Audit, &Test)) -> bool {
    let asks = |t: &Test| (t.id.clone(), t.terminals.clone(), t.state.clone(), t.unit, t.limit.clone());
    asks(was) == asks(is) && path(old, was) == path(new, is)
}

/// Everything that a reading hangs on, each thing described so that two revisions can be compared.
fn path(audit: &Audit, test: &Test) -> BTreeSet<String> {
    let mut all = BTreeSet::new();
    // The supply is not of the rig.
    if test.phase == Phase::Supply {
        return all;
    }
    let parts = test.parts.iter().flat_map(|p| &p.list).map(|p| &p.probe);
    let probes: Vec<&Probe> = test.probe.iter().chain(parts).collect();
    // What a joint warms to hangs on everything that is on.
    if probes.is_empty() || probes.iter().any(|p| p.function == Function::Celsius) {
        return of_subject(audit, test);
    }
    for probe in probes {
        for (a, b) in &probe.leads {
            all.extend(of_leads(audit, reach(test, probe), a, b));
        }
        // What flows is what is switched on.
        for name in probe.setup.on.iter().chain(&probe.setup.heater) {
            let own = audit.assumed.components.iter().position(|p| p.id == *name);
            all.extend(own.map(|p| format!("on: {}", component(audit, p))));
        }
    }
    all
}

/// How far what a reading hangs on reaches.
#[derive(Clone, Copy, PartialEq)]
enum Reach {
    /// What lies between its leads: volts lost to an appliance that takes its current whatever comes, and continuity.
    Between,
    /// Whatever is joined to its leads. That nothing is shorted hangs on everything that could be.
    Joined,
    /// The same across conversions: what flows on one side is asked for on the other.
    Across,
}

fn reach(test: &Test, probe: &Probe) -> Reach {
    match probe.function {
        Function::DcAmps | Function::AcAmps => Reach::Across,
        Function::DcVolts if test.id.kind == super::TestKind::Path => Reach::Across,
        Function::DcVolts => Reach::Between,
        Function::Ohms if test.limit.high.is_finite() => Reach::Between,
        _ => Reach::Joined,
    }
}

fn of_leads(audit: &Audit, reach: Reach, a: &str, b: &str) -> BTreeSet<String> {
    let net = &audit.net;
    let node = |name: &str| net.nodes.iter().position(|n| n.name == name);
    // A clamp round a conductor by its key.
    let ends = a.strip_prefix("wire:").and_then(|key| {
        let wire = net.wires.iter().position(|w| w.key == key)?;
        net.wire_edge(wire).map(|e| (e.a, e.b))
    });
    let Some((a, b)) = ends.or_else(|| node(a).zip(node(b))) else { return BTreeSet::new() };
    let joined = |across: bool| joined_to(audit, a, across).union(&joined_to(audit, b, across)).copied().collect();
    let edges: BTreeSet<usize> = match reach {
        Reach::Between => between(net, a, b),
        Reach::Joined => joined(false),
        Reach::Across => joined(true),
    };
    let leads = [a, b].into_iter().filter_map(|n| net.nodes[n].component);
    // What feeds the part is in it by its settings.
    let touched = |n: usize| edges.iter().any(|e| net.edges[*e].a == n || net.edges[*e].b == n);
    let feeds = net.sources.iter().filter(|s| reach != Reach::Between && touched(s.plus)).map(|s| s.component);
    let own: Vec<String> = leads.chain(feeds).map(|p| component(audit, p)).collect();
    let mut all = described(audit, edges.iter().copied());
    all.extend(own);
    all
}

/// What a test without a probe is about: components, a place, a conductor, by the parts of its name; the whole rig where it names
/// nothing.
fn of_subject(audit: &Audit, test: &Test) -> BTreeSet<String> {
    let (rig, net) = (&audit.assumed, &audit.net);
    let names: Vec<&str> = test.id.names().collect();
    let of = |name: &str| rig.components.iter().position(|p| name == p.id || name.split('.').next() == Some(&p.id));
    let components: Vec<usize> = names.iter().filter_map(|n| of(n)).collect();
    let touches =
        |e: usize, p: usize| [net.edges[e].a, net.edges[e].b].iter().any(|n| net.nodes[*n].component == Some(p));
    if let Some(wire) = net.wires.iter().position(|w| w.key == test.id.subject) {
        let own = (0..net.edges.len()).filter(|e| net.edges[*e].what == EdgeKind::Wire(wire));
        return described(audit, own);
    }
    if let Some(place) = rig.places.iter().find(|p| names.contains(&p.id.as_str())) {
        let there: Vec<usize> =
            (0..rig.components.len()).filter(|p| rig.components[*p].place.as_deref() == Some(&place.id)).collect();
        let passes = |e: &usize| match net.edges[*e].what {
            EdgeKind::Wire(w) => {
                there.iter().any(|p| touches(*e, *p)) || net.wires[w].title.split([' ', ',']).any(|t| t == place.id)
            }
            _ => there.iter().any(|p| touches(*e, *p)),
        };
        let mut all = described(audit, (0..net.edges.len()).filter(passes));
        all.extend(there.iter().map(|p| component(audit, *p)));
        return all;
    }
    if components.is_empty() {
        return described(audit, 0..net.edges.len());
    }
    let mut edges = BTreeSet::new();
    for &p in &components {
        if test.phase == Phase::Look {
            edges.extend((0..net.edges.len()).filter(|e| touches(*e, p)));
        } else {
            let own: Vec<usize> = (0..net.nodes.len()).filter(|n| net.nodes[*n].component == Some(p)).collect();
            // What has a mains side is tested there.
            let mains = own.iter().any(|n| net.nodes[*n].is_mains_side());
            let sides = own.into_iter().filter(|n| !mains || net.nodes[*n].is_mains_side());
            edges.extend(sides.flat_map(|n| joined_to(audit, n, false)));
        }
    }
    let mut all = described(audit, edges.into_iter());
    all.extend(components.iter().map(|p| component(audit, *p)));
    all
}

fn component(audit: &Audit, index: usize) -> String {
    let p = &audit.assumed.components[index];
    format!("{} {:?} {:?} {:?} {:?}", p.id, p.kind, p.status, p.place, p.attrs)
}

/// Edges in words that do not change with their number: conductors with size, length and way of laying, devices with their
/// rating, and the components they are in.
fn described(audit: &Audit, edges: impl Iterator<Item = usize>) -> BTreeSet<String> {
    let (rig, net) = (&audit.assumed, &audit.net);
    let mut all = BTreeSet::new();
    for e in edges {
        let edge = &net.edges[e];
        let (a, b) = (&net.nodes[edge.a], &net.nodes[edge.b]);
        let what = match &edge.what {
            EdgeKind::Wire(w) => {
                let wire = &net.wires[*w];
                format!("{} {} {:?} {:?} {}", wire.key, wire.title, wire.length_m, wire.laid, wire.cranking)
            }
            EdgeKind::Device { component, way, .. } => {
                let ways = rig.components[*component].ways.iter().find(|w| Some(&w.id) == way.as_ref());
                format!("device {:?} {:?}", way, ways.map(|w| (&w.rating, &w.rcd, &w.leg)))
            }
            EdgeKind::Bond { bond, .. } => format!("bond {bond:?}"),
            EdgeKind::Contact(_) => "contact".to_owned(),
            EdgeKind::Joint => "joint".to_owned(),
            EdgeKind::Strap { ohm, .. } => format!("link {ohm:?}"),
        };
        all.insert(format!("{} {} {what}", a.name, b.name));
        // A conductor that ends at a component says nothing of what else is set inside it.
        if !matches!(edge.what, EdgeKind::Wire(_)) {
            all.extend([a.component, b.component].into_iter().flatten().map(|p| component(audit, p)));
        }
    }
    all
}

/// The edges that end at each node, by index.
fn ends_at(nodes: usize, ends: impl Iterator<Item = (usize, usize)>) -> Vec<Vec<usize>> {
    let mut at: Vec<Vec<usize>> = vec![Vec::new(); nodes];
    for (e, (x, y)) in ends.enumerate() {
        at[x].push(e);
        at[y].push(e);
    }
    at
}

/// Edges on any simple way from one node to another: those in one block with a link between the two. Sources count as ways
/// through, since what they give comes back to them.
///
/// Blocks are found by one depth-first walk (Hopcroft and Tarjan, 1973): an edge that is left on the stack when nothing below
/// it reaches above its upper end closes a block. O(nodes + edges).
fn between(net: &Network, a: usize, b: usize) -> BTreeSet<usize> {
    // The last edge of the list is the link; those before it that are no edges of the network are sources.
    let mut ends: Vec<(usize, usize)> = net.edges.iter().map(|e| (e.a, e.b)).collect();
    ends.extend(net.sources.iter().map(|s| (s.plus, s.minus)));
    let link = ends.len();
    ends.push((a, b));
    let at = ends_at(net.nodes.len(), ends.iter().copied());
    let (mut order, mut low) = (vec![usize::MAX; net.nodes.len()], vec![usize::MAX; net.nodes.len()]);
    let mut used = vec![false; ends.len()];
    let (mut walked, mut count): (Vec<usize>, usize) = (Vec::new(), 0);
    // Node, the edge by which it was entered, and how many of its edges were looked at.
    let mut stack: Vec<(usize, usize, usize)> = vec![(a, usize::MAX, 0)];
    (order[a], low[a]) = (0, 0);
    while let Some((node, by, seen)) = stack.last_mut() {
        let (node, by) = (*node, *by);
        if let Some(&e) = at[node].get(*seen) {
            *seen += 1;
            if used[e] {
                continue;
            }
            used[e] = true;
            walked.push(e);
            let other = if ends[e].0 == node { ends[e].1 } else { ends[e].0 };
            if order[other] == usize::MAX {
                count += 1;
                (order[other], low[other]) = (count, count);
                stack.push((other, e, 0));
            } else {
                low[node] = low[node].min(order[other]);
            }
            continue;
        }
        stack.pop();
        let Some((above, ..)) = stack.last() else { break };
        low[*above] = low[*above].min(low[node]);
        if low[node] >= order[*above] {
            let from = walked.iter().rposition(|e| *e == by).unwrap_or(0);
            let block = walked.split_off(from);
            if block.contains(&link) {
                return block.into_iter().filter(|e| *e < net.edges.len()).collect();
            }
        }
    }
    BTreeSet::new()
}

/// Every edge that is joined to a node, without passing on through earth or chassis; on the other side of a conversion only
/// where that is asked for.
fn joined_to(audit: &Audit, start: usize, across: bool) -> BTreeSet<usize> {
    let (rig, net) = (&audit.assumed, &audit.net);
    // By what a terminal is, not by what it serves as: a bar of direct-current returns may serve as earth.
    let earth = |n: usize| net.nodes[n].role == Role::Earth;
    let chassis = |n: usize| {
        net.nodes[n].component.is_some_and(|p| matches!(rig.components[p].kind, Kind::Chassis | Kind::Electrode))
    };
    // From an earth one goes on along earth, never past the chassis; from anything else not beyond the first earth.
    // What flows may come back by the chassis.
    let common = |n: usize| if chassis(n) { !across } else { earth(n) && !earth(start) };
    let at = ends_at(net.nodes.len(), net.edges.iter().map(|e| (e.a, e.b)));
    let mut edges = BTreeSet::new();
    let mut seen = vec![false; net.nodes.len()];
    let mut open = vec![start];
    seen[start] = true;
    while let Some(n) = open.pop() {
        if common(n) && n != start {
            continue;
        }
        let converts = net.sources.iter().filter(|s| across && s.input.is_some());
        for s in converts {
            let (a, b) = s.input.unwrap_or((s.plus, s.minus));
            if [s.plus, s.minus, a, b].contains(&n) {
                for side in
                    [s.plus, s.minus, a, b].into_iter().filter(|side| !std::mem::replace(&mut seen[*side], true))
                {
                    open.push(side);
                }
            }
        }
        for &e in &at[n] {
            let edge = &net.edges[e];
            edges.insert(e);
            let other = if edge.a == n { edge.b } else { edge.a };
            if !seen[other] {
                seen[other] = true;
                open.push(other);
            }
        }
    }
    edges
}
