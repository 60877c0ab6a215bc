//! Which states a rule has to look at: of all those that look alike to it, one.

use super::Context;
use crate::catalogue::Role;
use crate::network::{EdgeKind, Network};
use crate::states::State;
use std::collections::{HashMap, HashSet};

/// A set of small numbers.
#[derive(Clone, PartialEq, Eq, Hash, Default)]
struct Bits(Vec<u64>);

impl Bits {
    fn of(flags: impl Iterator<Item = bool>) -> Bits {
        let mut words = Vec::new();
        for (n, flag) in flags.enumerate() {
            if n % 64 == 0 {
                words.push(0);
            }
            if flag && let Some(last) = words.last_mut() {
                *last |= 1u64 << (n % 64);
            }
        }
        Bits(words)
    }

    fn within(&self, other: &Bits) -> bool {
        self.0.iter().zip(&other.0).all(|(a, b)| a & !b == 0)
    }

    fn count(&self) -> u32 {
        self.0.iter().map(|w| w.count_ones()).sum()
    }
}

/// Contacts of the mains side, and of the DC side.
fn contacts(net: &Network) -> (Vec<usize>, Vec<usize>) {
    let dc = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Minus);
    // Where something joins the two sides, everything belongs to both.
    let mixed = net.edges.iter().any(|e| {
        let mains = |n: usize| matches!(net.nodes[n].duty, Role::Line | Role::Neutral);
        (mains(e.a) && dc(e.b)) || (mains(e.b) && dc(e.a))
    });
    let all = (0..net.edges.len()).filter(|&i| matches!(net.edges[i].what, EdgeKind::Contact(_)));
    all.partition(|&i| mixed || !(dc(net.edges[i].a) && dc(net.edges[i].b)))
}

fn mains_key(net: &Network, mains: &[usize], state: &State) -> Bits {
    let closed = mains.iter().map(|&i| state.closed(net, i));
    let ac = net.sources.iter().zip(&state.live.active).filter(|(s, _)| s.kind.is_ac());
    // One that assists runs beside what passes.
    Bits::of(closed.chain(ac.map(|(s, active)| *active || s.assists(&state.setting))))
}

/// The first of the states that look alike from the mains side: where its contacts stand and which AC sources
/// run. In between nothing of neutral, earth and AC sources differs.
pub(super) fn mains_states(ctx: &Context) -> Vec<usize> {
    let (mains, _) = contacts(ctx.net);
    let mut seen = HashSet::new();
    let states = ctx.states.states.iter().enumerate();
    states.filter(|(_, s)| seen.insert(mains_key(ctx.net, &mains, s))).map(|(i, _)| i).collect()
}

/// For each way the mains side can stand, the states in which most of the DC side is joined and running: those
/// that are part of no other. What can flow only grows with connections and sources, so a conductor that is safe
/// in these is safe in all. The mains side is not treated so: there two sources at once are another hazard.
///
/// Complexity: O(S · W) for S states and the W that are left, which are few.
pub(super) fn widest(ctx: &Context) -> Vec<usize> {
    let net = ctx.net;
    let (mains, dc) = contacts(net);
    let mut groups: HashMap<Bits, Vec<(Bits, usize)>> = HashMap::new();
    for (index, state) in ctx.states.states.iter().enumerate() {
        let closed = dc.iter().map(|&i| state.closed(net, i));
        let active = net.sources.iter().zip(&state.live.active).filter(|(s, _)| !s.kind.is_ac()).map(|(_, a)| *a);
        let bits = Bits::of(closed.chain(active));
        groups.entry(mains_key(net, &mains, state)).or_default().push((bits, index));
    }
    let mut out = Vec::new();
    for mut list in groups.into_values() {
        list.sort_by_key(|(bits, index)| (std::cmp::Reverse(bits.count()), *index));
        let mut kept: Vec<(Bits, usize)> = Vec::new();
        for (bits, index) in list {
            if !kept.iter().any(|(k, _)| bits.within(k)) {
                kept.push((bits, index));
            }
        }
        out.extend(kept.into_iter().map(|(_, index)| index));
    }
    out.sort_unstable();
    out
}

/// Of the widest states the first of those that look alike from the DC side: where its contacts stand and which DC
/// sources run. What can flow there depends on nothing else.
pub(super) fn dc_states(ctx: &Context) -> Vec<usize> {
    let net = ctx.net;
    let (_, dc) = contacts(net);
    let mut seen = HashSet::new();
    let alike = |state: &State| {
        let closed = dc.iter().map(|&i| state.closed(net, i));
        // Where the two sides are joined somewhere, every contact counts.
        let mixed = dc.is_empty() && net.edges.iter().any(|e| matches!(e.what, EdgeKind::Contact(_)));
        let all = net.edges.iter().enumerate().filter(|(_, e)| mixed && matches!(e.what, EdgeKind::Contact(_)));
        let active = net.sources.iter().zip(&state.live.active).filter(|(s, _)| mixed || !s.kind.is_ac());
        Bits::of(closed.chain(all.map(|(i, _)| state.closed(net, i))).chain(active.map(|(_, a)| *a)))
    };
    ctx.widest().filter(|(_, s)| seen.insert(alike(s))).map(|(i, _)| i).collect()
}

/// What hangs together with a node: which contacts are closed in its part, and which sources give there.
///
/// Two states in which this is the same for a node have the same part around it: the part is what closed contacts and what
/// is never switched join to the node, so each of the two contains the other. What can flow to the node is then the same
/// too, for nothing flows from one part into another but through a source of that part.
#[derive(PartialEq, Eq, Hash)]
pub(super) struct Around(Bits);

/// Looks at what hangs together with nodes, state after state.
pub(super) struct Surroundings<'a> {
    net: &'a Network,
    contacts: Vec<usize>,
}

impl<'a> Surroundings<'a> {
    pub(super) fn new(net: &'a Network) -> Self {
        let contacts = (0..net.edges.len()).filter(|&i| matches!(net.edges[i].what, EdgeKind::Contact(_)));
        Surroundings { net, contacts: contacts.collect() }
    }

    /// O(C + S) for C contacts and S sources.
    pub(super) fn of(&self, state: &State, node: usize) -> Around {
        let (part, net) = (&state.live.part, self.net);
        let here = |n: usize| part[n] == part[node];
        let closed = self.contacts.iter().map(|&i| {
            let e = &net.edges[i];
            (here(e.a) || here(e.b)) && state.closed(net, i)
        });
        let gives = net
            .sources
            .iter()
            .zip(&state.live.active)
            .map(|(s, active)| here(s.plus) && (*active || s.assists(&state.setting)));
        Around(Bits::of(closed.chain(gives)))
    }
}

/// The first of the states that look alike to the converters: which of them run, and which of their terminals and
/// of the batteries' hang together.
pub(super) fn conversion_states(ctx: &Context) -> Vec<usize> {
    let net = ctx.net;
    let nodes: Vec<usize> =
        net.sources.iter().flat_map(|s| [Some(s.plus), s.input.map(|i| i.0), s.input.map(|i| i.1)]).flatten().collect();
    let mut seen = HashSet::new();
    let states = ctx.states.states.iter().enumerate();
    states
        .filter(|(_, s)| {
            // The names of the parts follow from the switched contacts in one order, so equal names are equal parts; the
            // same parts under other names are only looked at once more.
            let labels: Vec<u32> = nodes.iter().map(|&n| s.live.part[n]).collect();
            seen.insert((s.live.active.clone(), labels))
        })
        .map(|(i, _)| i)
        .collect()
}
