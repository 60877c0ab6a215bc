//! The circuit list: what each device feeds.

use crate::audit::Audit;
use crate::bounds::{Side, assignments, open_words};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{EdgeKind, Network, Union, expand};
use crate::profiles::Profile;
use crate::rig::Rig;
use crate::states::State;
use crate::units::short;
use std::collections::BTreeMap;

/// One circuit.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Circuit {
    /// The device that protects it, or what it hangs on.
    pub device: String,
    /// Printed name.
    pub label: String,
    /// What it feeds, up to the next device.
    pub feeds: Vec<String>,
    /// Devices behind it: what they feed, it feeds too.
    pub behind: Vec<String>,
    /// Devices ahead of it, and sources that nothing stands between.
    pub ahead: Vec<String>,
    /// Other devices, and sources without one, that feed what it feeds.
    pub beside: Vec<String>,
    /// Its conductors.
    pub conductors: Vec<String>,
    /// The component of the device.
    #[serde(skip)]
    pub component: usize,
    /// Its way, where it is one of several.
    #[serde(skip)]
    pub way: Option<String>,
    /// Its rating, A; the worst credible one where it was not read, nothing where it has none.
    #[serde(skip)]
    pub rating_a: Option<f64>,
    /// Whether it is of the AC side.
    #[serde(skip)]
    pub ac: bool,
    /// The node behind its device.
    #[serde(skip)]
    pub fed: usize,
}

impl Circuit {
    /// The device without its rating.
    pub fn name(&self) -> &str {
        self.device.split_once(',').map_or(self.device.as_str(), |(name, _)| name)
    }
}

/// What feeds a circuit in the states of its rig.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FedBy {
    /// The sources, joined; nothing where it is dead.
    pub sources: Option<String>,
    /// In how many distinct states.
    pub states: usize,
    /// The operations from parked to the nearest of them.
    pub way: Vec<String>,
}

/// A printed name that stands for something else now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StaleLegend {
    /// The device it is written at.
    pub device: String,
    /// What is written.
    pub label: String,
    /// What the device fed when it was written.
    pub fed: Vec<String>,
    /// What it feeds now.
    pub feeds: Vec<String>,
}

/// The circuits of a rig: for every overcurrent device what lies behind it up to the next device, with
/// every contact taken as closed.
pub fn circuits(audit: &Audit) -> Vec<Circuit> {
    circuits_in(&audit.net, &audit.assumed)
}

/// The circuits of a rig that is not audited, unseen words put in.
pub fn circuits_as_traced(rig: &Rig, limits: &Profile) -> Vec<Circuit> {
    let rigs = assignments(rig, &open_words(rig));
    let rig = rigs.first().unwrap_or(rig);
    circuits_in(&expand(rig, limits, Side::Worst), rig)
}

/// What feeds a circuit in one state; nothing where it is dead.
pub fn fed_in(audit: &Audit, circuit: &Circuit, state: &State) -> Option<String> {
    let net = &audit.net;
    let mut names: Vec<&str> = state
        .live
        .sources_at(net, circuit.fed)
        .filter(|s| net.sources[*s].kind.is_ac() == circuit.ac)
        .map(|s| audit.assumed.components[net.sources[s].component].id.as_str())
        .collect();
    names.sort_unstable();
    names.dedup();
    (!names.is_empty()).then(|| names.join(" and "))
}

/// What feeds a circuit in every state, the commonest first.
pub fn fed_by(audit: &Audit, circuit: &Circuit) -> Vec<FedBy> {
    let mut list: Vec<FedBy> = Vec::new();
    // States come in the order of their ways, so the first of each kind is the nearest.
    for state in &audit.states.states {
        let sources = fed_in(audit, circuit, state);
        match list.iter_mut().find(|f| f.sources == sources) {
            Some(f) => f.states += 1,
            None => list.push(FedBy { sources, states: 1, way: state.way.clone() }),
        }
    }
    list.sort_by_key(|f| std::cmp::Reverse(f.states));
    list
}

/// Printed names that stood for something else before and were not written anew.
///
/// ```
/// use murvet_core::{notation::parse, profiles::ProfileId, readings::{circuits_as_traced, stale_legends}};
/// let text = |way: &str| format!("battery b: agm 12V 90Ah\nfuse-block p: way F1 10A \"pump\", way F2 10A\ndc-load pump: 3A\nrun b.+ : 1m 4mm2, p.in\nrun p.{way} : 1m 1.5mm2, pump.+\nrun b.- : 1m 1.5mm2, pump.-\n");
/// let of = |way: &str| circuits_as_traced(&parse(&text(way)).unwrap(), ProfileId::EU_UK.profile());
/// assert!(stale_legends(&of("F1"), &of("F1")).is_empty());
/// ```
pub fn stale_legends(before: &[Circuit], now: &[Circuit]) -> Vec<StaleLegend> {
    let labelled = now.iter().filter(|c| !c.label.is_empty());
    let stale = labelled.filter_map(|c| {
        let old = before.iter().find(|o| o.name() == c.name() && o.label == c.label)?;
        let sorted = |c: &Circuit| {
            let mut list = c.feeds.clone();
            list.sort();
            list
        };
        (sorted(old) != sorted(c)).then(|| StaleLegend {
            device: c.name().to_owned(),
            label: c.label.clone(),
            fed: old.feeds.clone(),
            feeds: c.feeds.clone(),
        })
    });
    stale.collect()
}

fn circuits_in(net: &Network, rig: &Rig) -> Vec<Circuit> {
    let mut pads = Union::new(net.nodes.len());
    for e in &net.edges {
        if !matches!(e.what, EdgeKind::Device { .. } | EdgeKind::Bond { .. }) && !net.crosses_earth(e) {
            pads.join(e.a, e.b);
        }
    }
    let pad = pads.into_labels();
    // What consumes, by the part it hangs on.
    let mut on: BTreeMap<u32, Vec<String>> = BTreeMap::new();
    for c in &net.consumers {
        on.entry(pad[c.plus]).or_default().push(rig.components[c.component].title().to_owned());
    }
    for (n, node) in net.nodes.iter().enumerate() {
        if let Some(p) = node.component
            && matches!(rig.components[p].kind, Kind::Outlet | Kind::GfciOutlet)
            && node.terminal.ends_with(".L")
        {
            let list = on.entry(pad[n]).or_default();
            let title = rig.components[p].title().to_owned();
            if !list.contains(&title) {
                list.push(title);
            }
        }
    }
    let title = |component: &usize, way: &Option<String>| match way {
        Some(way) => format!("{}.{way}", rig.components[*component].id),
        None => rig.components[*component].id.clone(),
    };
    // Devices and sources by the parts that they hang on.
    let (mut behind, mut ahead): (BTreeMap<u32, Vec<String>>, BTreeMap<u32, Vec<String>>) = Default::default();
    for e in &net.edges {
        if let EdgeKind::Device { component, way, .. } = &e.what {
            behind.entry(pad[e.a]).or_default().push(title(component, way));
            ahead.entry(pad[e.b]).or_default().push(title(component, way));
        }
    }
    // A source without a device stands ahead of what hangs on it; behind a device, that device is all that parts it from the rest.
    for s in &net.sources {
        let id = || rig.components[s.component].id.clone();
        ahead.entry(pad[s.plus]).or_default().push(id());
        if s.kind != SourceKind::Battery {
            behind.entry(pad[s.plus]).or_default().push(id());
        }
    }
    let others = |list: Option<&Vec<String>>, own: &str| {
        let mut list: Vec<String> = list.into_iter().flatten().filter(|n| *n != own).cloned().collect();
        list.sort();
        list.dedup();
        list
    };
    let mut out: Vec<Circuit> = Vec::new();
    for e in &net.edges {
        let EdgeKind::Device { component, way, rating_a } = &e.what else { continue };
        let p = &rig.components[*component];
        let label = match way {
            Some(way) => p.ways.iter().find(|w| w.id == *way).and_then(|w| w.label.clone()),
            None => p.label.clone(),
        };
        let name = title(component, way);
        let rating = if rating_a.is_finite() { format!("{} A", short(*rating_a)) } else { "rating unseen".to_owned() };
        let fed = pad[e.b];
        let conductors: Vec<String> = net
            .edges
            .iter()
            .filter(|w| pad[w.a] == fed)
            .filter_map(|w| match w.what {
                EdgeKind::Wire(i) => Some(net.wires[i].title.clone()),
                _ => None,
            })
            .collect();
        let feeds = on.get(&fed).cloned().unwrap_or_default();
        let next = others(behind.get(&fed), &name);
        // The poles of one device are one circuit.
        if let Some(same) = out.iter_mut().find(|c| c.name() == name) {
            let add = |list: &mut Vec<String>, more: Vec<String>| {
                more.into_iter().for_each(|m| {
                    if !list.contains(&m) {
                        list.push(m)
                    }
                });
            };
            add(&mut same.feeds, feeds);
            add(&mut same.behind, next);
            add(&mut same.conductors, conductors);
            continue;
        }
        // A legend without a circuit is shown too: it may once have stood for one.
        if !feeds.is_empty() || !next.is_empty() || !conductors.is_empty() || label.is_some() {
            out.push(Circuit {
                device: format!("{name}, {rating}"),
                label: label.unwrap_or_default(),
                feeds,
                behind: next,
                beside: others(ahead.get(&fed), &name),
                ahead: others(ahead.get(&pad[e.a]), &name),
                conductors,
                component: *component,
                way: way.clone(),
                rating_a: rating_a.is_finite().then_some(*rating_a),
                ac: matches!(net.nodes[e.b].duty, Role::Line | Role::Neutral),
                fed: e.b,
            });
        }
    }
    out
}
