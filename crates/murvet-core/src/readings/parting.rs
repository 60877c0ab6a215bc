//! What parts a battery from the rig, what stays live past it, and where dead is proven.

use crate::audit::Audit;
use crate::catalogue::{Kind, PortUse, Role, SourceKind};
use crate::network::{Edge, EdgeKind, Source, Union};
use crate::rig::Component;
use crate::terminals::anatomy;

/// How a battery is taken off.
pub(super) struct Parting {
    /// Isolators and breakers at the border of what stays on it, by component.
    pub switches: Vec<usize>,
    /// What stays live with all of them open, by component: appliances, chargers, fuses and bars ahead of them.
    pub live: Vec<usize>,
}

/// Whether an edge is a contact or device that a hand opens and that then stays open: an isolator or a breaker. A relay, a
/// contactor or a fuse is none.
fn opens(audit: &Audit, e: &Edge) -> Option<usize> {
    let rig = &audit.assumed;
    audit.net.contact_of(e).filter(|component| {
        let p = &rig.components[*component];
        matches!(p.kind, Kind::Isolator | Kind::Breaker) && !p.flag("pull-pin")
    })
}

/// The switches between a battery's posts of one sign and the rest, and what hangs on it up to them.
///
/// What is reached from the post over everything that conducts, relays and fuses taken as closed, without passing a switch,
/// stays live; a switch of which one end is reached and the other is not is what parts it. O(E).
fn border(audit: &Audit, post: usize, role: Role) -> (Vec<usize>, Vec<usize>) {
    let (net, rig) = (&audit.net, &audit.assumed);
    let fits = |n: usize| net.nodes[n].duty == role || net.nodes[n].duty == Role::Any;
    let side = |e: &&Edge| fits(e.a) && fits(e.b) && !matches!(e.what, EdgeKind::Bond { .. });
    let mut sets = Union::new(net.nodes.len());
    for e in net.edges.iter().filter(side).filter(|e| opens(audit, e).is_none()) {
        sets.join(e.a, e.b);
    }
    let label = sets.into_labels();
    let reached = |n: usize| label[n] == label[post];
    let mut switches: Vec<usize> = net
        .edges
        .iter()
        .filter(side)
        .filter(|e| reached(e.a) != reached(e.b))
        .filter_map(|e| opens(audit, e))
        .collect();
    switches.sort_unstable();
    switches.dedup();
    let battery = net.nodes[post].component;
    let mut live: Vec<usize> = (0..net.nodes.len())
        .filter(|&n| reached(n))
        .filter_map(|n| net.nodes[n].component)
        .filter(|p| Some(*p) != battery && !switches.contains(p) && rig.components[*p].kind != Kind::Chassis)
        .collect();
    live.sort_unstable();
    live.dedup();
    (switches, live)
}

/// How a battery is taken off: by switches in its positive, else by those in its negative where no chassis goes round them.
pub(super) fn parting(audit: &Audit, battery: &Source) -> Parting {
    let (switches, live) = border(audit, battery.plus, Role::Plus);
    if !switches.is_empty() {
        return Parting { switches, live };
    }
    let (in_minus, ahead) = border(audit, battery.minus, Role::Minus);
    let frame = ahead.iter().any(|p| audit.assumed.components[*p].kind == Kind::Chassis)
        || audit.net.edges.iter().any(|e| {
            let earth = |n: usize| audit.net.nodes[n].duty == Role::Earth;
            (e.a == battery.minus && earth(e.b)) || (e.b == battery.minus && earth(e.a))
        });
    // With the negative open the whole positive side still stands at the battery's voltage against its own minus post.
    Parting { switches: if frame { Vec::new() } else { in_minus }, live }
}

/// The switches that take a battery off, by component; none where only its leads do.
pub fn switches_of(audit: &Audit, battery: &Source) -> Vec<usize> {
    parting(audit, battery).switches
}

/// Switches to which nothing was traced: what they part is a question.
pub(super) fn unread(audit: &Audit) -> Vec<&Component> {
    let (net, rig) = (&audit.net, &audit.assumed);
    let landed = |p: usize| {
        net.edges.iter().any(|e| {
            matches!(e.what, EdgeKind::Wire(_)) && [e.a, e.b].iter().any(|n| net.nodes[*n].component == Some(p))
        })
    };
    let switches = rig.components.iter().enumerate().filter(|(_, p)| p.kind == Kind::Isolator && p.status.present());
    switches.filter(|(i, _)| !landed(*i)).map(|(_, p)| p).collect()
}

/// The points of the AC side, by name, and of the DC side, with their pairs, at which dead is proven.
pub(super) fn points(audit: &Audit) -> (Vec<String>, Vec<String>) {
    let (net, rig) = (&audit.net, &audit.assumed);
    let line = &audit.rules.words.line;
    let at = |name: &str, two: bool| if two { format!("{name} (two {line}s)") } else { name.to_owned() };
    let panels = rig.components.iter().any(|p| p.kind == Kind::Panel && p.status.present());
    let (mut ac, mut dc) = (Vec::new(), Vec::new());
    for (index, p) in rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let wired = |t: &str| net.node(index, t).is_some_and(|n| net.beyond(n).next().is_some());
        match p.kind {
            Kind::Panel => ac.push(at(&p.id, p.two_hot())),
            // Where there is no panel, the sockets are where a hand goes in.
            Kind::Outlet | Kind::GfciOutlet if !panels => ac.push(at(&p.id, p.two_hot())),
            Kind::Inverter
            | Kind::InverterCharger
            | Kind::Charger
            | Kind::Transfer
            | Kind::PlugChangeover
            | Kind::AcContactor => {
                for port in &anatomy(p).ports {
                    if wired(&port.terminals[0]) || (p.kind == Kind::Charger && port.usual == PortUse::In) {
                        ac.push(at(&format!("{}.{}", p.id, port.name), port.second.is_some()));
                    }
                }
            }
            _ => {}
        }
        match p.kind {
            Kind::FuseBlock => dc.push(format!("{}: in to -, and every way to -", p.id)),
            Kind::Inverter | Kind::InverterCharger | Kind::Charger => dc.push(format!("{}: dc+ to dc-", p.id)),
            Kind::DcDc => {
                dc.push(format!("{}: in+ to in-, out+ to out-", p.id));
                if p.flag("pv-input") {
                    dc.push(format!("{}: pv+ to pv-", p.id));
                }
            }
            Kind::Controller => dc.push(format!("{}: pv+ to pv-, bat+ to bat-", p.id)),
            Kind::WindTurbine => dc.push(format!("{}: + to -, its brake on", p.id)),
            Kind::Bus if net.node(index, "bar").is_some_and(|n| net.nodes[n].duty == Role::Plus) => {
                dc.push(format!("bar {}: to negative and to the chassis", p.id));
            }
            Kind::Tow | Kind::DcSocket => dc.push(format!("{}: pin to pin", p.id)),
            _ => {}
        }
    }
    (ac, dc)
}

/// Ends that go nowhere and are live in some state, in words.
pub(super) fn loose_ends(audit: &Audit) -> Vec<String> {
    let net = &audit.net;
    let mut list = Vec::new();
    for (n, node) in net.nodes.iter().enumerate().filter(|(_, n)| n.loose().is_some()) {
        if audit.states.states.iter().any(|s| s.live.sources_at(net, n).next().is_some()) {
            list.push(node.name.clone());
        }
    }
    list.sort();
    list
}

/// The batteries of a rig, one source for each component.
pub(super) fn batteries(audit: &Audit) -> Vec<&Source> {
    audit.net.sources.iter().filter(|s| s.kind == SourceKind::Battery).collect()
}
