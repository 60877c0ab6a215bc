//! What the components of a rig offer to land on.

use crate::polarity::Polarity;
use murvet_core::catalogue::{Anatomy, Kind, PortUse, Role};
use murvet_core::meaning::{HopEnd, attached, port_of, start_of, walk};
use murvet_core::rig::{Component, Rig, TermRef};
use murvet_core::terminals::anatomy;
use std::collections::BTreeMap;

/// What can land on an end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Takes {
    /// A single conductor.
    Conductor,
    /// An AC cable, by the way the power usually goes there.
    Cable(PortUse),
    /// A single conductor or a cable: a device that stands in either, with nothing on it yet.
    Either,
}

/// A terminal or an AC port of a component.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct End {
    /// The component.
    pub component: String,
    /// The terminal or port within it, by its name in the notation.
    pub name: String,
    /// What lands there.
    pub takes: Takes,
    /// The polarity it has by itself or by what it is joined to; [`Role::Line`] for a port.
    pub role: Role,
    /// An array feeds it.
    pub sun: bool,
    /// How many conductors and cables land there.
    pub landed: usize,
    /// It may rightly stay empty: a spare way, the load side of an outlet.
    pub spare: bool,
}

impl End {
    /// Whether nothing was traced to it yet and something should be.
    pub fn is_open(&self) -> bool {
        self.landed == 0 && !self.spare
    }

    /// Its name in an address and in the notation: `house.+`.
    pub fn address(&self) -> String {
        format!("{}.{}", self.component, self.name)
    }

    /// The same end taken as the port of a cable: a device that nothing is landed on yet by its port.
    #[must_use]
    pub fn as_port(&self) -> End {
        let (name, usual) = match (self.takes, self.name.as_str()) {
            (Takes::Cable(usual), name) => (name, usual),
            (_, "in") => ("line", PortUse::In),
            (_, "out") => ("load", PortUse::Out),
            (_, name) => (name, PortUse::Both),
        };
        End { name: name.to_owned(), takes: Takes::Cable(usual), role: Role::Line, ..self.clone() }
    }

    /// As a run or a cable names it: a bar has one terminal, and a run enters a two-ended device and leaves it by itself.
    pub(crate) fn term(&self, rig: &Rig, leaving: bool) -> TermRef {
        let kind = rig.component(&self.component).map(|c| c.kind);
        let bare = match kind {
            Some(kind) if kind.is_node() => true,
            Some(kind) if kind.is_inline() => self.name == if leaving { "out" } else { "in" },
            _ => false,
        };
        TermRef { component: self.component.clone(), terminal: (!bare).then(|| self.name.clone()) }
    }
}

/// Every end of every component that is there, component by component in the order of entry.
///
/// ```
/// let rig = murvet_core::notation::parse("battery b: agm 12V 90Ah\nbus pos\nrun b.+ : 1m 16mm2, pos\n").unwrap();
/// let open: Vec<String> = murvet_trace::ends(&rig).iter().filter(|e| e.is_open()).map(|e| e.address()).collect();
/// assert_eq!(open, ["b.-"]);
/// ```
pub fn ends(rig: &Rig) -> Vec<End> {
    let polarity = Polarity::of(rig);
    let landed = Landed::of(rig);
    let there = rig.components.iter().enumerate().filter(|(_, c)| c.status.present());
    there.flat_map(|(n, c)| of_component(n, c, &polarity, &landed)).collect()
}

/// How many conductors and cables land on each terminal and each port, by component.
#[derive(Default)]
struct Landed {
    conductors: BTreeMap<(usize, String), usize>,
    cables: BTreeMap<(usize, String), usize>,
}

impl Landed {
    fn of(rig: &Rig) -> Landed {
        let mut landed = Landed::default();
        for hop in rig.runs.iter().filter_map(|run| walk(rig, run).ok()).flatten() {
            for end in [hop.from, hop.to] {
                if let HopEnd::Terminal(component, terminal) = end {
                    *landed.conductors.entry((component, terminal)).or_default() += 1;
                }
            }
        }
        for cable in &rig.cables {
            let far = cable.loose().is_none().then(|| port_of(rig, &cable.to, false).ok()).flatten();
            for (component, port) in [start_of(rig, cable).ok(), far].into_iter().flatten() {
                *landed.cables.entry((component, port.name)).or_default() += 1;
            }
        }
        for (n, component) in rig.components.iter().enumerate() {
            if matches!(attached(rig, component), Ok(Some(_))) {
                let own = anatomy(component);
                let port = own.ports.first().map(|p| p.name.clone());
                for name in port.into_iter().chain(["+".to_owned(), "-".to_owned()]) {
                    *landed.cables.entry((n, name.clone())).or_default() += 1;
                    *landed.conductors.entry((n, name)).or_default() += 1;
                }
            }
        }
        landed
    }

    fn conductors(&self, component: usize, terminal: &str) -> usize {
        self.conductors.get(&(component, terminal.to_owned())).copied().unwrap_or(0)
    }

    fn cables(&self, component: usize, port: &str) -> usize {
        self.cables.get(&(component, port.to_owned())).copied().unwrap_or(0)
    }
}

/// Kinds that stand in a single conductor only.
fn never_cabled(kind: Kind) -> bool {
    matches!(kind, Kind::Fuse | Kind::Shunt | Kind::Relay | Kind::LoadDisconnect | Kind::DcSocket)
}

fn of_component(n: usize, component: &Component, polarity: &Polarity, landed: &Landed) -> Vec<End> {
    let a = anatomy(component);
    let mut list: Vec<End> = Vec::new();
    let mut push = |name: &str, takes: Takes, count: usize, spare: bool| {
        let (role, sun) = match takes {
            Takes::Cable(_) => (Role::Line, false),
            _ => polarity.at(n, name),
        };
        let (component, name) = (component.id.clone(), name.to_owned());
        list.push(End { component, name, takes, role, sun, landed: count, spare });
    };
    let kind = component.kind;
    if kind.is_inline() {
        two_ended(n, component, &a, landed, &mut push);
        return list;
    }
    if kind == Kind::JointBox {
        for port in &a.ports {
            let count = landed.conductors(n, &port.name) + landed.cables(n, &port.name);
            push(&port.name, Takes::Either, count, false);
        }
        return list;
    }
    for port in &a.ports {
        let spare =
            (kind == Kind::GfciOutlet && port.name == "load") || component.ways.iter().any(|w| w.id == port.name);
        push(&port.name, Takes::Cable(port.usual), landed.cables(n, &port.name), spare);
    }
    for (terminal, _) in &a.terminals {
        let in_a_port = a.ports.iter().any(|p| p.terminals.contains(terminal) || p.second.as_ref() == Some(terminal));
        // The earth bar of a panel takes single conductors beside its cables.
        let bar = kind == Kind::Panel && terminal == "PE";
        let inside = kind == Kind::Panel || (kind == Kind::Battery && terminal.contains('.'));
        if bar || !(in_a_port || inside) {
            let count: usize = match kind {
                // A lead on a post of the bank is a lead of the bank.
                Kind::Battery => posts(n, &a, terminal, landed),
                _ => landed.conductors(n, terminal),
            };
            let spare = component.ways.iter().any(|w| w.id == *terminal) || terminal == "signal";
            push(terminal, Takes::Conductor, count, spare);
        }
    }
    // In the unit's own order.
    list.sort_by_key(|end| {
        let port = a.ports.iter().find(|p| p.name == end.name).map_or(end.name.as_str(), |p| p.terminals[0].as_str());
        a.terminals.iter().position(|(t, _)| t == port)
    });
    list
}

fn posts(n: usize, a: &Anatomy, sign: &str, landed: &Landed) -> usize {
    let own = a.terminals.iter().filter(|(t, _)| t.ends_with(sign));
    own.map(|(t, _)| landed.conductors(n, t)).sum()
}

/// The two ends of a device: ports once a cable lands on it, terminals once a conductor does, either before.
fn two_ended(
    n: usize,
    component: &Component,
    a: &Anatomy,
    landed: &Landed,
    push: &mut impl FnMut(&str, Takes, usize, bool),
) {
    let sides = [("in", "line", PortUse::In), ("out", "load", PortUse::Out)];
    let cabled = !never_cabled(component.kind) && sides.iter().any(|(_, port, _)| landed.cables(n, port) > 0);
    let run = sides.iter().any(|(terminal, ..)| landed.conductors(n, terminal) > 0);
    for (terminal, port, usual) in sides {
        if cabled {
            push(port, Takes::Cable(usual), landed.cables(n, port), false);
        } else {
            let takes = if run || never_cabled(component.kind) { Takes::Conductor } else { Takes::Either };
            push(terminal, takes, landed.conductors(n, terminal), false);
        }
    }
    let second = component.word("poles") == Some("2-pole") || component.kind == Kind::DcSocket;
    if second && run && a.has_terminal("N.in") {
        for terminal in ["N.in", "N.out"] {
            push(terminal, Takes::Conductor, landed.conductors(n, terminal), component.kind == Kind::DcSocket);
        }
    }
}
