//! Which controls can make a difference.

use crate::catalogue::Role;
use crate::network::{EdgeKind, Gate, Network, Union};

/// The controls whose positions are searched. Left out, and so left closed, is a switch of the DC side that only takes
/// appliances off.
///
/// That is exact: with its contacts taken away, what hangs behind them is a part of its own with no source, no
/// converter, nothing that senses or is switched by another contact, no chassis and no mains in it. Opening
/// the switch then changes nothing outside that part, for nothing there depends on it, and inside it leaves
/// everything dead; and every hazard that a dead part could have (what may flow, what is lost on the way) is
/// greatest while it is fed. `tests/states.rs` proves it against the search over every control.
pub fn movable(net: &Network) -> Vec<usize> {
    let mut contacts: Vec<Vec<usize>> = vec![Vec::new(); net.controls.len()];
    for (i, edge) in net.edges.iter().enumerate() {
        if let EdgeKind::Contact(Gate::Control(c, _)) = edge.what {
            contacts[c].push(i);
        }
    }
    (0..net.controls.len()).filter(|&c| !idle(net, c, &contacts[c])).collect()
}

fn idle(net: &Network, control: usize, contacts: &[usize]) -> bool {
    let dc = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Minus);
    let closed = |i: &usize| matches!(net.edges[*i].what, EdgeKind::Contact(Gate::Control(_, 0)));
    let switches = net.sources.iter().any(|s| s.switch.is_some_and(|(c, _)| c == control));
    if switches
        || contacts.is_empty()
        || !contacts.iter().all(|i| closed(i) && dc(net.edges[*i].a) && dc(net.edges[*i].b))
    {
        return false;
    }
    let mut sets = Union::new(net.nodes.len());
    for (_, edge) in net.edges.iter().enumerate().filter(|(i, _)| !contacts.contains(i)) {
        sets.join(edge.a, edge.b);
    }
    let mut lively = vec![false; net.nodes.len()];
    let mut mark = |n: usize, sets: &mut Union| lively[sets.find(n)] = true;
    for s in &net.sources {
        for n in
            [Some(s.plus), Some(s.minus), s.earth, s.input.map(|i| i.0), s.input.map(|i| i.1)].into_iter().flatten()
        {
            mark(n, &mut sets);
        }
    }
    for (a, b) in net.autos.iter().flat_map(|a| a.sensed.iter().flatten().copied()) {
        mark(a, &mut sets);
        mark(b, &mut sets);
    }
    for s in &net.sources {
        if let Some(crate::network::Wake::Signal(n)) = s.wake {
            mark(n, &mut sets);
        }
    }
    for (n, node) in net.nodes.iter().enumerate() {
        if !matches!(node.duty, Role::Plus | Role::Minus | Role::Any) {
            mark(n, &mut sets);
        }
    }
    for (i, edge) in net.edges.iter().enumerate() {
        if matches!(edge.what, EdgeKind::Contact(_)) && !contacts.contains(&i) {
            mark(edge.a, &mut sets);
        }
    }
    contacts.iter().all(|&i| {
        let (a, b) = (sets.find(net.edges[i].a), sets.find(net.edges[i].b));
        a != b && (!lively[a] || !lively[b])
    })
}
