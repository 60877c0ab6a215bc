//! An independent, slow judge of overcurrent protection: it reads the drawing of a rig, not the program's network, and
//! uses an independent maximum flow. Each conductor is argued for itself, from each of its ends.

use super::rigs::{Drawing, Lead, Sketch, ampacity};
use murvet_core::profiles::ProfileId;
use petgraph::graph::{Graph, NodeIndex};
use std::collections::BTreeSet;

const MUCH: u32 = 100_000_000;

/// First device: NFPA 70 551.10(E)(4), 18 in = 457.2 mm; elsewhere 0.5 m as the profile measures "as near as practicable".
/// Reduction of size: the same in na-rv, 3 m by IEC 60364-4-43 433.2.2. All recalled.
fn distances(profile: ProfileId) -> (f64, f64) {
    if profile == ProfileId::NA_RV { (0.4572, 0.4572) } else { (0.5, 3.0) }
}

/// A hundredth of an ampere as one, so that the flow is in whole numbers.
fn whole(amps: f64) -> u32 {
    if amps.is_finite() { (amps * 100.0).round() as u32 } else { MUCH }
}

struct Judge<'a> {
    drawing: &'a Drawing,
    profile: ProfileId,
    graph: Graph<(), u32>,
    at: Vec<NodeIndex>,
    source: NodeIndex,
    /// The two arcs of each conductor.
    arcs: Vec<[petgraph::graph::EdgeIndex; 2]>,
}

/// What is wrong with a conductor from one end.
struct Danger {
    lead: usize,
    from: usize,
    flow: u32,
}

/// The conductors that no device protects, by their place in the drawing.
///
/// A conductor is endangered from an end where more can arrive than it may carry (maximum flow with it taken away). It is
/// protected all the same where every way out beyond it ends in a device, near enough, and the devices together let no
/// more out than it may carry. Of a current without limit the distance counts from the source, else from the last
/// change to a smaller size.
pub fn unprotected(sketch: &Sketch) -> BTreeSet<usize> {
    let drawing = &sketch.drawing;
    let mut graph = Graph::new();
    let at: Vec<NodeIndex> = drawing.nodes.iter().map(|_| graph.add_node(())).collect();
    let source = graph.add_node(());
    let mut both =
        |a: usize, b: usize, amps: u32| [graph.add_edge(at[a], at[b], amps), graph.add_edge(at[b], at[a], amps)];
    let arcs = drawing.leads.iter().map(|l| both(l.a, l.b, MUCH)).collect();
    for &(a, b, amps) in &drawing.devices {
        both(a, b, whole(amps));
    }
    for &(a, b) in &drawing.joints {
        both(a, b, MUCH);
    }
    for &(n, amps) in &drawing.sources {
        graph.add_edge(source, at[n], whole(amps));
    }
    let judge = Judge { drawing, profile: sketch.profile, graph, at, source, arcs };
    let mut dangers = Vec::new();
    for (lead, l) in drawing.leads.iter().enumerate() {
        for from in [l.a, l.b] {
            let flow = judge.arriving(lead, from);
            let (iz, device) = ampacity(judge.profile, l.size, l.mains);
            // A single device may be of the next standard size, anything else not.
            let allowed = if judge.single(lead, from, flow) { device } else { iz };
            if flow > whole(allowed) {
                dangers.push(Danger { lead, from, flow });
            }
        }
    }
    dangers.iter().filter(|d| !judge.held(d, &dangers)).map(|d| d.lead).collect()
}

impl Judge<'_> {
    fn without(&self, lead: usize) -> Graph<(), u32> {
        let mut graph = self.graph.clone();
        for arc in self.arcs[lead] {
            graph[arc] = 0;
        }
        graph
    }

    fn arriving(&self, lead: usize, end: usize) -> u32 {
        let flow = petgraph::algo::ford_fulkerson(&self.without(lead), self.source, self.at[end]).0;
        flow.min(MUCH)
    }

    /// Whether one device alone holds the flow: made smaller by itself the flow falls as much.
    fn single(&self, lead: usize, end: usize, flow: u32) -> bool {
        self.drawing.devices.iter().filter(|d| whole(d.2) == flow).any(|d| {
            let mut graph = self.without(lead);
            let (a, b) = (self.at[d.0], self.at[d.1]);
            for e in graph.edge_indices().collect::<Vec<_>>() {
                let ends = graph.edge_endpoints(e);
                if graph[e] == whole(d.2) && (ends == Some((a, b)) || ends == Some((b, a))) {
                    graph[e] = 0;
                }
            }
            petgraph::algo::ford_fulkerson(&graph, self.source, self.at[end]).0 == 0
        })
    }

    /// Nodes that are one component of metal with a node.
    fn metal(&self, node: usize) -> BTreeSet<usize> {
        let mut all = BTreeSet::from([node]);
        loop {
            let before = all.len();
            for &(a, b) in &self.drawing.joints {
                if all.contains(&a) || all.contains(&b) {
                    all.extend([a, b]);
                }
            }
            if all.len() == before {
                return all;
            }
        }
    }

    fn other(&self, lead: &Lead, metal: &BTreeSet<usize>) -> usize {
        if metal.contains(&lead.a) { lead.b } else { lead.a }
    }

    /// How far an end lies from the source, or from the last change to a smaller size, along endangered conductors.
    fn upstream(&self, danger: &Danger, dangers: &[Danger], seen: &mut Vec<usize>) -> f64 {
        let here = self.metal(danger.from);
        let unlimited = danger.flow >= MUCH / 2;
        // At the source itself nothing lies before it.
        if unlimited && self.drawing.sources.iter().any(|(n, a)| a.is_infinite() && here.contains(n)) {
            return 0.0;
        }
        let own = ampacity(self.profile, self.drawing.leads[danger.lead].size, self.drawing.leads[danger.lead].mains).0;
        let mut nearest: Option<f64> = None;
        for d in dangers.iter().filter(|d| d.lead != danger.lead && (d.flow >= MUCH / 2) == unlimited) {
            let lead = &self.drawing.leads[d.lead];
            let start = self.metal(d.from);
            let far = self.other(lead, &start);
            if !here.contains(&far) || seen.contains(&d.lead) {
                continue;
            }
            if !unlimited && ampacity(self.profile, lead.size, lead.mains).0 > own {
                nearest = Some(nearest.unwrap_or(0.0));
                continue;
            }
            seen.push(d.lead);
            let before = self.upstream(d, dangers, seen) + lead.length_m;
            seen.pop();
            // The nearest source for a current without limit, the longest way at a reduction.
            nearest = Some(nearest.map_or(before, |n: f64| if unlimited { n.min(before) } else { n.max(before) }));
        }
        nearest.unwrap_or(0.0)
    }

    /// Every way out from the far end: devices with their distance and what they let out, and ends without one.
    fn outward(&self, from: &BTreeSet<usize>, at: usize, way: f64, passed: &mut BTreeSet<usize>, out: &mut Outward) {
        let here = self.metal(at);
        let mut onward = 0;
        if self.drawing.sources.iter().any(|(n, _)| here.contains(n))
            || self.drawing.loads.iter().any(|(n, _)| here.contains(n))
        {
            out.bare = true;
            onward += 1;
        }
        for (n, &(a, b, amps)) in self.drawing.devices.iter().enumerate() {
            if here.contains(&a) == here.contains(&b) {
                continue;
            }
            onward += 1;
            let far = if here.contains(&a) { b } else { a };
            if from.contains(&far) {
                continue;
            }
            let known = out.devices.iter_mut().find(|d| d.0 == n);
            match known {
                Some(d) => d.1 = d.1.min(way),
                None => out.devices.push((n, way, amps, self.asked(n, far, amps))),
            }
        }
        for (n, lead) in self.drawing.leads.iter().enumerate() {
            if passed.contains(&n) || here.contains(&lead.a) == here.contains(&lead.b) {
                continue;
            }
            onward += 1;
            let far = self.other(lead, &here);
            if from.contains(&far) {
                continue;
            }
            passed.insert(n);
            self.outward(from, far, way + lead.length_m, passed, out);
            passed.remove(&n);
        }
        out.bare |= onward == 0;
    }

    /// What hangs beyond a device, at most its rating; its rating where it leads round to where it came from.
    fn asked(&self, device: usize, far: usize, rating: f64) -> f64 {
        let (a, b, _) = self.drawing.devices[device];
        let before = if far == a { b } else { a };
        // Appliances as sources, devices as limits.
        let mut graph: Graph<(), u32> = Graph::new();
        let at: Vec<NodeIndex> = self.drawing.nodes.iter().map(|_| graph.add_node(())).collect();
        let top = graph.add_node(());
        let join = |graph: &mut Graph<(), u32>, a: usize, b: usize, amps: u32| {
            graph.add_edge(at[a], at[b], amps);
            graph.add_edge(at[b], at[a], amps);
        };
        for l in &self.drawing.leads {
            join(&mut graph, l.a, l.b, MUCH);
        }
        for &(a, b) in &self.drawing.joints {
            join(&mut graph, a, b, MUCH);
        }
        for (_, &(a, b, amps)) in self.drawing.devices.iter().enumerate().filter(|(n, _)| *n != device) {
            join(&mut graph, a, b, whole(amps));
        }
        if petgraph::algo::has_path_connecting(&graph, at[before], at[far], None) {
            return rating;
        }
        for &(n, amps) in &self.drawing.loads {
            graph.add_edge(top, at[n], if amps > 0.0 { whole(amps) } else { MUCH });
        }
        let flow = petgraph::algo::ford_fulkerson(&graph, top, at[far]).0;
        (f64::from(flow) / 100.0).min(rating)
    }

    fn held(&self, danger: &Danger, dangers: &[Danger]) -> bool {
        let lead = &self.drawing.leads[danger.lead];
        let near = self.metal(danger.from);
        let far = self.other(lead, &near);
        let unlimited = danger.flow >= MUCH / 2;
        let base = self.upstream(danger, dangers, &mut vec![danger.lead]);
        let mut out = Outward::default();
        self.outward(&near, far, base + lead.length_m, &mut BTreeSet::from([danger.lead]), &mut out);
        if out.bare || out.devices.is_empty() {
            return false;
        }
        let limit = if unlimited { distances(self.profile).0 } else { distances(self.profile).1 };
        let near_enough = out.devices.iter().all(|d| d.1 <= limit * 1.000_001);
        let sum: f64 = out.devices.iter().map(|d| d.3).sum();
        let spare = out.devices.iter().map(|d| d.2 - d.3).fold(0.0, f64::max);
        let let_out = (sum + spare).min(f64::from(danger.flow) / 100.0);
        near_enough && let_out <= ampacity(self.profile, lead.size, lead.mains).1 * 1.000_001
    }
}

#[derive(Default)]
struct Outward {
    /// Which, how far, its rating, what hangs on it.
    devices: Vec<(usize, f64, f64, f64)>,
    bare: bool,
}
