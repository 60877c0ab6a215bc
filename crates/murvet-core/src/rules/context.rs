//! What the rules share: the rig, its network and states, and what follows from them, each worked out once.

use super::islands::{self, Island};
use super::{Certainty, Finding, Rule, Severity, Subject, Target, protection, views};
use crate::catalogue::Kind;
use crate::network::{Edge, EdgeKind, Network, Union, WireSpot, bank_links};
use crate::profiles::{Ampacity, Duty, Laid, Profile, ampacity};
use crate::rig::Rig;
use crate::states::{Explored, State};
use crate::units::short;
use std::cell::{OnceCell, RefCell};

/// Everything a rule may look at.
pub struct Context<'a> {
    /// What was traced.
    pub rig: &'a Rig,
    /// The limits.
    pub profile: &'a Profile,
    /// The graph.
    pub net: &'a Network,
    /// The states.
    pub states: &'a Explored,
    /// Ampacities of the different ways in which wires lie, and which of them each wire has.
    ampacities: Vec<Ampacity>,
    ampacity_of: Vec<usize>,
    groups: Vec<Vec<usize>>,
    links: Vec<bool>,
    protection: OnceCell<Vec<protection::Group>>,
    whole: OnceCell<Vec<u32>>,
    islands: OnceCell<Vec<Island<'a>>>,
    /// What may flow with everything closed and running, and from what stores and feeds alone.
    pub(super) everything: OnceCell<RefCell<protection::Built>>,
    pub(super) everything_stored: OnceCell<RefCell<protection::Built>>,
}

impl<'a> Context<'a> {
    /// Prepares what the rules share.
    pub fn new(rig: &'a Rig, profile: &'a Profile, net: &'a Network, states: &'a Explored) -> Context<'a> {
        let mut duty = vec![Duty::Dc; net.wires.len()];
        for edge in &net.edges {
            if let EdgeKind::Wire(w) = edge.what
                && net.nodes[edge.a].is_mains_side()
            {
                duty[w] = Duty::Ac;
            }
        }
        let groups = net.parallel_wires(profile.parallel_length.value);
        let mut ways: Vec<(Duty, Laid, usize)> = Vec::new();
        let (mut ampacities, mut ampacity_of) = (Vec::new(), Vec::with_capacity(net.wires.len()));
        for ((wire, duty), group) in net.wires.iter().zip(duty).zip(&groups) {
            let way = (duty, wire.laid, group.len());
            let index = ways.iter().position(|w| *w == way).unwrap_or_else(|| {
                let mut amp = ampacity(profile, duty, &wire.laid);
                if group.len() > 1 {
                    // Equal in size and length, so they share equally.
                    amp.iz_a *= group.len() as f64;
                    amp.device_a *= group.len() as f64;
                    amp.steps.push(format!("× {} equal conductors in parallel = {} A", group.len(), short(amp.iz_a)));
                }
                ampacities.push(amp);
                ways.push(way);
                ways.len() - 1
            });
            ampacity_of.push(index);
        }
        Context {
            rig,
            profile,
            net,
            states,
            ampacities,
            ampacity_of,
            groups,
            links: bank_links(rig, net),
            protection: OnceCell::new(),
            whole: OnceCell::new(),
            islands: OnceCell::new(),
            everything: OnceCell::new(),
            everything_stored: OnceCell::new(),
        }
    }

    /// The ampacity of a wire.
    pub fn ampacity(&self, wire: usize) -> &Ampacity {
        &self.ampacities[self.ampacity_of[wire]]
    }

    /// The conductors that lie in parallel with a wire, itself included: same terminals, size, insulation
    /// and length.
    pub fn parallel(&self, wire: usize) -> &[usize] {
        &self.groups[wire]
    }

    /// Whether a wire is a link between batteries of one bank, and so part of the source.
    pub(super) fn is_link(&self, wire: usize) -> bool {
        self.links[wire]
    }

    /// The stable name that a finding about a wire has: that of its cable, or its own.
    pub(super) fn wire_subject(&self, wire: usize) -> String {
        let wire = &self.net.wires[wire];
        match wire.spot {
            WireSpot::Cable(c, _) => self.rig.cables[c].id.clone(),
            WireSpot::Run(..) => wire.key.clone(),
        }
    }

    /// Whether two wires are cores of one cable.
    pub fn same_cable(&self, a: usize, b: usize) -> bool {
        match (self.net.wires[a].spot, self.net.wires[b].spot) {
            (WireSpot::Cable(x, _), WireSpot::Cable(y, _)) => x == y,
            _ => false,
        }
    }

    /// Components of a kind that are there now, by index.
    pub fn components(&self, kind: Kind) -> impl Iterator<Item = usize> + '_ {
        let all = self.rig.components.iter().enumerate();
        all.filter(move |(_, p)| p.kind == kind && p.status.present()).map(|(i, _)| i)
    }

    /// Labels of nodes that hang together by the edges that a test lets through.
    pub fn joined(&self, keep: impl Fn(&Edge) -> bool) -> Vec<u32> {
        self.net.joined(keep)
    }

    /// Labels of nodes that hang together in a state with some edges opened beside, without bonds and what joins earth to another
    /// conductor. `opened` is asked with the place of an edge.
    pub(super) fn joined_in(&self, state: &State, opened: impl Fn(usize, &Edge) -> bool) -> Vec<u32> {
        let net = self.net;
        let mut sets = Union::new(net.nodes.len());
        for (_, e) in net.edges.iter().enumerate().filter(|(at, e)| state.closed(net, *at) && !opened(*at, e)) {
            if !matches!(e.what, EdgeKind::Bond { .. }) && !net.crosses_earth(e) {
                sets.join(e.a, e.b);
            }
        }
        sets.into_labels()
    }

    /// Labels of nodes that hang together with every contact closed, without bonds and what joins earth to another
    /// conductor, worked out once.
    pub fn whole(&self) -> &[u32] {
        self.whole
            .get_or_init(|| self.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }) && !self.net.crosses_earth(e)))
    }

    /// States in which most is joined and running, in the order of the search, worked out once.
    pub fn widest(&self) -> impl Iterator<Item = (usize, &'a State)> + '_ {
        let list = self.states.widest.get_or_init(|| views::widest(self));
        list.iter().map(|&i| (i, &self.states.states[i]))
    }

    /// Of the widest states the first of those that look alike from the DC side, worked out once.
    pub fn dc_states(&self) -> &'a [usize] {
        self.states.direct.get_or_init(|| views::dc_states(self))
    }

    /// One state for each way the mains side can stand, in the order of the search, worked out once.
    pub fn mains_states(&self) -> impl Iterator<Item = (usize, &'a State)> + '_ {
        let list = self.states.mains.get_or_init(|| views::mains_states(self));
        list.iter().map(|&i| (i, &self.states.states[i]))
    }

    /// The first of the states that look alike to the converters, worked out once: which of them run, and which of their
    /// terminals and of the batteries' hang together.
    pub fn conversion_states(&self) -> impl Iterator<Item = (usize, &'a State)> + '_ {
        let list = self.states.conversions.get_or_init(|| views::conversion_states(self));
        list.iter().map(|&i| (i, &self.states.states[i]))
    }

    /// Every running AC source in each of these states, worked out once.
    pub fn islands(&self) -> &[Island<'a>] {
        self.islands
            .get_or_init(|| self.mains_states().flat_map(|(index, _)| islands::islands_at(self, index)).collect())
    }

    /// The first state that a test finds, with the sources of its way.
    pub(super) fn first_state(&self, fits: impl Fn(&State) -> bool) -> Option<&'a State> {
        self.states.states.iter().find(|s| fits(s))
    }

    /// Conductors that no device protects as the profile wants, worked out once.
    pub fn protection(&self) -> &[protection::Group] {
        self.protection.get_or_init(|| protection::analyse(self))
    }

    /// Whether nobody read the rating of a device, whatever stands in for it.
    pub fn unread(&self, component: usize, way: Option<&str>) -> bool {
        let p = &self.rig.components[component];
        let value = match way {
            Some(way) => p.ways.iter().find(|w| w.id == way).map(|w| &w.rating),
            None if p.kind == Kind::Panel => p.attrs.get("main"),
            None => p.attrs.get("rating"),
        };
        value.is_none_or(crate::rig::Value::is_guess)
    }

    /// Identifier of a component.
    pub fn id(&self, component: usize) -> &str {
        &self.rig.components[component].id
    }

    /// A component in words: its kind and name.
    pub fn component_words(&self, component: usize) -> String {
        let p = &self.rig.components[component];
        let kind = p.kind.spec().title;
        let said = kind.split(' ').any(|word| p.id.eq_ignore_ascii_case(word));
        if said { kind.to_owned() } else { format!("{kind} {}", p.id) }
    }

    /// One battery of a bank in words: by its number where the bank has several.
    pub(super) fn store_words(&self, component: usize, number: usize) -> String {
        let name = self.component_words(component);
        let several = self.net.stores.iter().filter(|s| s.component == component).count() > 1;
        if several { format!("number {number} of {name}") } else { name }
    }

    /// A wire in words.
    pub fn wire_words(&self, wire: usize) -> String {
        format!("{} ({})", self.net.wires[wire].title, self.net.wire_ends(wire))
    }

    /// A finding with what most of them share.
    pub(super) fn finding(
        &self,
        rule: &'static Rule,
        severity: Severity,
        subject: &str,
        mut statement: String,
    ) -> Finding {
        // A sentence starts with a capital, unless it starts with somebody's name for a thing.
        let first = statement.split(' ').next().unwrap_or_default();
        let named =
            self.rig.component(first).is_some() || self.rig.cable(first).is_some() || first.contains(['.', '-']);
        if !named && let Some(letter) = statement.get_mut(0..1) {
            letter.make_ascii_uppercase();
        }
        Finding {
            rule,
            severity,
            certainty: Certainty::Certain,
            subject: Subject::of(self, subject),
            statement,
            evidence: Vec::new(),
            source: rule.source.to_owned(),
            way: Vec::new(),
            components: Vec::new(),
            wires: Vec::new(),
            target: Target::Other,
            hangs_on: Vec::new(),
            precaution: None,
        }
    }

    /// The state in words for an evidence line.
    pub(super) fn state_words(&self, state: &State) -> String {
        state.describe(self.net)
    }
}
