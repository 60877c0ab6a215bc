//! What has to be isolated before a step: the sources that reach what it touches, in any state.

use crate::audit::Audit;
use crate::catalogue::SourceKind;
use crate::network::{EdgeKind, Network};
use crate::readings::{SafeOf, SafeStep, make_safe};
use crate::rig::{Component, Value, Way};
use std::collections::BTreeSet;

/// The steps of making safe that a change of the rig asks for, by the rig as it stood before it: those of every source that
/// reaches a terminal that is touched, in some state, through whatever converts; the proof that it is dead after them. None
/// where nothing that is touched is ever live.
///
/// A terminal is touched where a conductor is landed on it that is not there after the change, or was not before, or where its
/// component is another. Complexity: states times touched terminals.
pub fn needed(before: &Audit, after: &Audit) -> Vec<SafeStep> {
    let net = &before.net;
    let touched = touched(before, after);
    let mut reached: BTreeSet<usize> = BTreeSet::new();
    for state in &before.states.states {
        for n in &touched {
            reached.extend(state.live.sources_at(net, *n));
        }
    }
    // What converts is dead when what feeds it is.
    loop {
        let mut more = BTreeSet::new();
        for s in &reached {
            if let Some((plus, _)) = net.sources[*s].input {
                for state in &before.states.states {
                    more.extend(state.live.sources_at(net, plus).filter(|s| !reached.contains(s)));
                }
            }
        }
        if more.is_empty() {
            break;
        }
        reached.extend(more);
    }
    if reached.is_empty() {
        return Vec::new();
    }
    let ids: BTreeSet<&str> = reached
        .iter()
        .flat_map(|s| net.sources[*s].stack())
        .map(|component| before.assumed.components[component].id.as_str())
        .collect();
    let engine = reached.iter().any(|s| matches!(net.sources[*s].kind, SourceKind::Alternator | SourceKind::Tow));
    make_safe(before)
        .into_iter()
        .filter(|step| match &step.of {
            SafeOf::Component(id) => ids.contains(id.as_str()),
            SafeOf::Engine => engine,
            SafeOf::Proof => true,
            SafeOf::Everything => false,
        })
        .collect()
}

/// A conductor with its two ends: what it is and where it is landed.
fn laid(net: &Network) -> BTreeSet<(String, String, String)> {
    let wire = |e: &crate::network::Edge| match e.what {
        EdgeKind::Wire(w) => {
            let w = &net.wires[w];
            let mut ends = [net.nodes[e.a].name.clone(), net.nodes[e.b].name.clone()];
            ends.sort();
            let [a, b] = ends;
            Some((a, b, format!("{} {}", w.length_m, w.laid.area_mm2)))
        }
        _ => None,
    };
    net.edges.iter().filter_map(wire).collect()
}

/// What is set at a unit's own screen or buttons: nobody opens anything for it.
const SETTINGS: [&str; 11] = [
    "absorption",
    "float",
    "rebulk",
    "current-limit",
    "input-limit",
    "warning",
    "cut-off",
    "restart",
    "delay",
    "feed-in",
    "start",
];

/// Whether two components are the same to the hand: but for what is set, and what is written on them.
fn same(was: &Component, is: &Component) -> bool {
    let worn = |p: &Component| -> Vec<(String, Value)> {
        p.attrs.iter().filter(|(k, _)| !SETTINGS.contains(&k.as_str())).map(|(k, v)| (k.clone(), v.clone())).collect()
    };
    let ways = |p: &Component| -> Vec<Way> { p.ways.iter().map(|w| Way { label: None, ..w.clone() }).collect() };
    was.kind == is.kind
        && was.place == is.place
        && was.status == is.status
        && worn(was) == worn(is)
        && ways(was) == ways(is)
}

/// The nodes of the rig as it stood that a hand goes to.
fn touched(before: &Audit, after: &Audit) -> Vec<usize> {
    let (old, new) = (laid(&before.net), laid(&after.net));
    let mut names: BTreeSet<&str> =
        old.symmetric_difference(&new).flat_map(|(a, b, _)| [a.as_str(), b.as_str()]).collect();
    let other = |id: &str| match (before.assumed.component(id), after.assumed.component(id)) {
        (Some(was), Some(is)) => !same(was, is),
        _ => true,
    };
    let changed: BTreeSet<usize> =
        (0..before.assumed.components.len()).filter(|i| other(&before.assumed.components[*i].id)).collect();
    for node in before.net.nodes.iter().filter(|n| n.component.is_some_and(|p| changed.contains(&p))) {
        names.insert(&node.name);
    }
    (0..before.net.nodes.len()).filter(|n| names.contains(before.net.nodes[*n].name.as_str())).collect()
}
