//! The live side as a graph to be walked: what lies beside each terminal, and the shortest way from one to all others.

use super::protection::is_live_side;
use crate::network::{EdgeKind, Network};
use crate::rig::Rig;
use crate::states::State;
use std::collections::{HashMap, VecDeque};

/// For each terminal that is reached the one before it and the edge between.
pub(crate) type Ways = HashMap<usize, (usize, usize)>;

/// For each terminal those beside it along live edges that are closed, each with the edge; bonds are none. O(E).
pub(crate) fn neighbours(net: &Network, closed: impl Fn(usize) -> bool) -> Vec<Vec<(usize, usize)>> {
    let mut near: Vec<Vec<(usize, usize)>> = vec![Vec::new(); net.nodes.len()];
    for (i, e) in net.edges.iter().enumerate() {
        let live = is_live_side(net.nodes[e.a].duty) && is_live_side(net.nodes[e.b].duty);
        if live && !matches!(e.what, EdgeKind::Bond { .. }) && closed(i) {
            near[e.a].push((e.b, i));
            near[e.b].push((e.a, i));
        }
    }
    near
}

/// The shortest way, in edges, from a terminal to each that it reaches: breadth first. O(E).
pub(crate) fn ways(net: &Network, start: usize, closed: impl Fn(usize) -> bool) -> Ways {
    let near = neighbours(net, closed);
    let mut ways = Ways::new();
    let mut queue = VecDeque::from([start]);
    while let Some(node) = queue.pop_front() {
        for &(next, edge) in &near[node] {
            if next != start && !ways.contains_key(&next) {
                ways.insert(next, (node, edge));
                queue.push_back(next);
            }
        }
    }
    ways
}

/// Whether a DC appliance is the other half of one on mains (`else`) that has mains in a state.
pub(crate) fn on_mains(rig: &Rig, net: &Network, state: &State, component: usize) -> bool {
    let id = &rig.components[component].id;
    net.consumers.iter().any(|c| {
        let half = &rig.components[c.component];
        c.ac && half.word("else") == Some(id.as_str()) && state.live.sources_at(net, c.plus).next().is_some()
    })
}
