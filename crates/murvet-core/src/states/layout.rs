//! What a rig is like apart from its numbers, so that what follows from that alone is worked out once.

use super::explore::Exploration;
use crate::catalogue::{Bond, Role, SourceKind};
use crate::network::{EdgeKind, Gate, Network, Wake};
use std::sync::OnceLock;

/// How an edge joins, without sizes and ratings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Join {
    Wire,
    Joint,
    Device,
    Contact(Gate),
    Bond(Bond, Option<usize>),
}

/// A source without its limit and voltage.
type Feed = (
    SourceKind,
    usize,
    usize,
    Option<usize>,
    Option<(usize, usize)>,
    (bool, bool),
    Option<(usize, u8)>,
    Option<(usize, u8)>,
    Option<Wake>,
);

/// An automatic device: its component, what it senses, whether it is held, and its interlock.
type Sensing = (usize, Vec<Vec<(usize, usize)>>, bool, Option<String>);

/// A network without its numbers: duties of the nodes, what joins them, sources, automatic devices and the words of the
/// controls. Two rigs of one layout have the same states, told in the same words, and the same states look alike in them.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Layout {
    nodes: Vec<(Role, Role)>,
    edges: Vec<(usize, usize, Join)>,
    sources: Vec<Feed>,
    autos: Vec<Sensing>,
    controls: Vec<(Vec<String>, Option<String>)>,
}

impl Layout {
    pub(super) fn new(net: &Network) -> Layout {
        let join = |what: &EdgeKind| match what {
            EdgeKind::Wire(_) => Join::Wire,
            EdgeKind::Joint | EdgeKind::Strap { .. } => Join::Joint,
            EdgeKind::Device { .. } => Join::Device,
            EdgeKind::Contact(gate) => Join::Contact(*gate),
            EdgeKind::Bond { bond, source, .. } => Join::Bond(*bond, *source),
        };
        let feed = |s: &crate::network::Source| {
            (s.kind, s.plus, s.minus, s.earth, s.input, (s.opposite, s.assist), s.switch, s.auto, s.wake)
        };
        Layout {
            nodes: net.nodes.iter().map(|n| (n.role, n.duty)).collect(),
            edges: net.edges.iter().map(|e| (e.a, e.b, join(&e.what))).collect(),
            sources: net.sources.iter().map(feed).collect(),
            autos: net.autos.iter().map(|a| (a.component, a.sensed.clone(), a.held, a.interlock.clone())).collect(),
            controls: net.controls.iter().map(|c| (c.operations.clone(), c.interlock.clone())).collect(),
        }
    }
}

/// The states of a layout, and which of them each kind of question has to look at, found when first asked.
#[derive(Debug, Default)]
pub struct Explored {
    all: Exploration,
    pub(crate) mains: OnceLock<Vec<usize>>,
    pub(crate) widest: OnceLock<Vec<usize>>,
    pub(crate) direct: OnceLock<Vec<usize>>,
    pub(crate) conversions: OnceLock<Vec<usize>>,
}

impl From<Exploration> for Explored {
    fn from(all: Exploration) -> Explored {
        Explored { all, ..Explored::default() }
    }
}

impl std::ops::Deref for Explored {
    type Target = Exploration;

    fn deref(&self) -> &Exploration {
        &self.all
    }
}
