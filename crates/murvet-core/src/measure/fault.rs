//! Hidden faults: what can be wrong in a rig that was traced rightly.

use super::World;
use crate::audit::Audit;
use crate::catalogue::{Bond, Kind, Role, SourceKind};
use crate::network::{Edge, EdgeKind, Gate, Network, Node, WireSpot};
use crate::rig::Core;
use crate::terminals::anatomy;

/// One hidden fault. Conductors are named by the key of their wire, devices and components by their printed name.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
#[serde(tag = "fault", rename_all = "kebab-case")]
pub enum Fault {
    /// A conductor is cut or has come off.
    Open {
        /// The wire.
        wire: String,
    },
    /// A joint of a conductor has resistance.
    Joint {
        /// The wire.
        wire: String,
        /// What it adds, ohm.
        ohm: f64,
    },
    /// Two cores are swapped at the far end of a cable.
    Swapped {
        /// The cable.
        cable: String,
        /// One core.
        a: Core,
        /// The other.
        b: Core,
    },
    /// A device is blown or tripped.
    Blown {
        /// The device: a component, or a way of one.
        device: String,
    },
    /// A changeover stays where it is.
    Stuck {
        /// The component.
        #[serde(rename = "piece")]
        component: String,
        /// The position it stays at.
        position: u8,
        /// What that position is called.
        side: String,
    },
    /// A bond of a component is not made, or its relay does not close.
    NoBond {
        /// The component.
        #[serde(rename = "piece")]
        component: String,
    },
    /// A bond relay does not open.
    BondStays {
        /// The component.
        #[serde(rename = "piece")]
        component: String,
    },
    /// Neutral and earth are joined at a component.
    ExtraBond {
        /// The component.
        #[serde(rename = "piece")]
        component: String,
    },
    /// A charger, controller or inverter gives nothing.
    Dead {
        /// The component.
        #[serde(rename = "piece")]
        component: String,
    },
    /// A charger's input hangs on another way than traced.
    Moved {
        /// The cable to the charger.
        cable: String,
        /// Panel and way it now hangs on.
        to: String,
    },
    /// The bank is flat: it stands below its full voltage. That mostly follows from something else.
    Flat {
        /// The battery.
        #[serde(rename = "piece")]
        component: String,
        /// What is left of the voltage that it has when charged.
        share: f64,
    },
    /// A battery sags.
    Weak {
        /// The battery.
        #[serde(rename = "piece")]
        component: String,
    },
    /// A conductor of an appliance leaks to earth.
    Leaky {
        /// The appliance.
        #[serde(rename = "piece")]
        component: String,
        /// Line or neutral.
        core: Core,
        /// Resistance of the leak, ohm.
        ohm: f64,
    },
    /// A residual-current device does not open.
    DeadRcd {
        /// The component, or its way.
        #[serde(rename = "piece")]
        component: String,
    },
}

impl Fault {
    /// In words.
    pub fn words(&self) -> String {
        match self {
            Fault::Open { wire } => format!("the conductor {} is open", ends(wire)),
            Fault::Joint { wire, .. } => {
                format!("a joint of the conductor {} has resistance", ends(wire))
            }
            Fault::Swapped { cable, a, b } => {
                format!("{} and {} are swapped at the far end of {cable}", a.word(), b.word())
            }
            Fault::Blown { device } => format!("{device} is blown or has tripped"),
            Fault::Stuck { component, side, .. } => match side.as_str() {
                "open" | "closed" | "on" | "off" => format!("{component} stays {side}"),
                _ => format!("{component} stays on its side {side}"),
            },
            Fault::NoBond { component } => format!("the neutral-earth bond of {component} is missing"),
            Fault::BondStays { component } => format!("the bond relay of {component} does not open"),
            Fault::ExtraBond { component } => format!("neutral and earth are joined at {component}"),
            Fault::Dead { component } => format!("{component} gives nothing"),
            Fault::Moved { cable, to } => format!("{cable} hangs on {to}"),
            Fault::Flat { component, .. } => format!("{component} is flat"),
            Fault::Weak { component } => format!("{component} sags: a weak cell or a spent battery"),
            Fault::Leaky { component, core, .. } => format!("the {} of {component} leaks to earth", core_words(*core)),
            Fault::DeadRcd { component } => format!("the residual-current device of {component} does not open"),
        }
    }

    /// What it is to the rest of the rig, whatever its size: two of one kind at one place are one suspect.
    pub fn same_place(&self, other: &Fault) -> bool {
        match (self, other) {
            (Fault::Joint { wire: a, .. }, Fault::Joint { wire: b, .. }) => a == b,
            (Fault::Leaky { component: a, core: x, .. }, Fault::Leaky { component: b, core: y, .. }) => {
                a == b && x == y
            }
            (Fault::Flat { component: a, .. }, Fault::Flat { component: b, .. }) => a == b,
            _ => self == other,
        }
    }

    /// The least and the greatest credible size of a fault that has one, ohm.
    pub(crate) fn size(&self) -> Option<(f64, f64)> {
        match self {
            Fault::Joint { ohm, .. } if *ohm < 0.5 => Some((0.002, 2.0)),
            Fault::Joint { .. } => Some((0.1, 100.0)),
            Fault::Leaky { .. } => Some((500.0, 900_000.0)),
            // From a bank at its cut-off to one that is nearly full.
            Fault::Flat { .. } => Some((0.7, 0.99)),
            _ => None,
        }
    }

    /// The same fault of another size; one without a size stays as it is.
    pub(crate) fn of_size(&self, size: f64) -> Fault {
        match self.clone() {
            Fault::Joint { wire, .. } => Fault::Joint { wire, ohm: size },
            Fault::Leaky { component, core, .. } => Fault::Leaky { component, core, ohm: size },
            Fault::Flat { component, .. } => Fault::Flat { component, share: size },
            other => other,
        }
    }

    /// How rare it is beside the commonest, in the logarithm that the diagnosis adds up (common practice, no source:
    /// joints and devices fail most, relays seldom, cores are swapped by people).
    pub(crate) fn rarity(&self) -> f64 {
        match self {
            Fault::Blown { .. } | Fault::Joint { .. } => 2.0,
            Fault::Open { .. } | Fault::Dead { .. } | Fault::Weak { .. } => 2.5,
            _ => 3.0,
        }
    }

    pub(super) fn put_into(&self, world: &mut World) {
        match self {
            Fault::Open { wire } => {
                if let Some(w) = wire_of(&world.net, wire) {
                    world.net.edges.retain(|e| e.what != EdgeKind::Wire(w));
                }
            }
            Fault::Joint { wire, ohm } => {
                if let Some(w) = wire_of(&world.net, wire) {
                    *world.joints.entry(w).or_default() += ohm;
                }
            }
            Fault::Swapped { cable, a, b } => swap(world, cable, *a, *b),
            Fault::Blown { device } => {
                let rig = &world.rig;
                let open = |e: &Edge| matches!(&e.what, EdgeKind::Device { component, way, .. } if device_named(&rig.components[*component].id, way.as_deref()) == *device);
                world.net.edges.retain(|e| !open(e));
            }
            Fault::Stuck { component, position, .. } => stick(world, component, *position),
            Fault::NoBond { component } => {
                let rig = &world.rig;
                world.net.edges.retain(
                    |e| !matches!(&e.what, EdgeKind::Bond { component: p, .. } if rig.components[*p].id == *component),
                );
            }
            Fault::BondStays { component } => {
                let rig = &world.rig;
                for e in &mut world.net.edges {
                    if let EdgeKind::Bond { component: p, bond, .. } = &mut e.what
                        && rig.components[*p].id == *component
                    {
                        *bond = Bond::Fixed;
                    }
                }
            }
            Fault::ExtraBond { component } => {
                if let Some((index, n, e)) = neutral_and_earth(&world.net, &world.rig, component) {
                    let what = EdgeKind::Bond { component: index, bond: Bond::Fixed, source: None };
                    world.net.edges.push(Edge { a: n, b: e, what, residual: None });
                }
            }
            Fault::Dead { component } => {
                let Some(index) = world.rig.components.iter().position(|p| p.id == *component) else { return };
                // It is there and joined to nothing.
                let name = format!("{component} (dead)");
                let spare = world.net.nodes.len();
                world.net.nodes.push(Node {
                    component: None,
                    terminal: String::new(),
                    name,
                    role: Role::Any,
                    duty: Role::Any,
                });
                for s in world.net.sources.iter_mut().filter(|s| s.component == index) {
                    s.plus = spare;
                }
                world.net.consumers.retain(|c| c.component != index);
            }
            Fault::Moved { cable, to } => move_cable(world, cable, to),
            Fault::Flat { component, share } => {
                if let Some(index) = world.rig.components.iter().position(|p| p.id == *component) {
                    world.weak.insert(index, (*share, 1.0));
                }
            }
            Fault::Weak { component } => {
                if let Some(index) = world.rig.components.iter().position(|p| p.id == *component) {
                    world.weak.insert(index, (0.9, 6.0));
                }
            }
            Fault::Leaky { component, core, ohm } => {
                let index = world.rig.components.iter().position(|p| p.id == *component);
                let at = |role: Role| {
                    world.net.nodes.iter().position(|n| n.component == index && index.is_some() && n.role == role)
                };
                let from = if *core == Core::N { Role::Neutral } else { Role::Line };
                if let (Some(a), Some(b)) = (at(from), at(Role::Earth)) {
                    world.leaks.push((a, b, *ohm));
                }
            }
            Fault::DeadRcd { component } => {
                world.stuck_rcd.push(component.clone());
            }
        }
    }
}

/// A wire's key as the two terminals it joins; a terminal may itself end in a minus.
pub(crate) fn ends(wire: &str) -> String {
    wire.rsplit_once("--").map_or_else(|| wire.to_owned(), |(a, b)| format!("{a} to {b}"))
}

fn core_words(core: Core) -> &'static str {
    match core {
        Core::L => "line",
        Core::N => "neutral",
        Core::PE => "earth",
        Core::L2 => "second line",
    }
}

fn wire_of(net: &Network, key: &str) -> Option<usize> {
    net.wires.iter().position(|w| w.key == key)
}

/// A device as it is printed.
fn device_named(component: &str, way: Option<&str>) -> String {
    way.map_or_else(|| component.to_owned(), |w| format!("{component}.{w}"))
}

fn neutral_and_earth(net: &Network, rig: &crate::rig::Rig, component: &str) -> Option<(usize, usize, usize)> {
    let index = rig.components.iter().position(|p| p.id == component)?;
    let at = |role: Role| net.nodes.iter().position(|n| n.component == Some(index) && n.role == role);
    Some((index, at(Role::Neutral)?, at(Role::Earth)?))
}

/// Exchanges the far landings of two cores.
fn swap(world: &mut World, cable: &str, a: Core, b: Core) {
    let Some(index) = world.rig.cables.iter().position(|c| c.id == cable) else { return };
    let edge_of = |core: Core| {
        world.net.edges.iter().position(
            |e| matches!(e.what, EdgeKind::Wire(w) if world.net.wires[w].spot == WireSpot::Cable(index, core as usize)),
        )
    };
    if let (Some(x), Some(y)) = (edge_of(a), edge_of(b)) {
        // The far end is the one at the component that the cable leads to.
        let far = world.rig.components.iter().position(|p| p.id == world.rig.cables[index].to.component);
        let at_b = world.net.nodes[world.net.edges[x].b].component == far;
        let end = |e: &Edge| if at_b { e.b } else { e.a };
        let (p, q) = (end(&world.net.edges[x]), end(&world.net.edges[y]));
        for (edge, node) in [(x, q), (y, p)] {
            let e = &mut world.net.edges[edge];
            if at_b { e.b = node } else { e.a = node }
        }
    }
}

/// Contacts of a component stand as at this position for good.
fn stick(world: &mut World, component: &str, position: u8) {
    let Some(index) = world.rig.components.iter().position(|p| p.id == component) else { return };
    let control = world.net.controls.iter().position(|c| c.component == Some(index));
    let auto = world.net.autos.iter().position(|a| a.component == index);
    let own = |gate: Gate| match gate {
        Gate::Control(c, at) => (Some(c) == control).then_some(at),
        Gate::Auto(a, at) => (Some(a) == auto).then_some(at),
    };
    world.net.edges.retain(|e| !matches!(e.what, EdgeKind::Contact(g) if own(g).is_some_and(|at| at != position)));
    for e in &mut world.net.edges {
        if matches!(e.what, EdgeKind::Contact(g) if own(g) == Some(position)) {
            e.what = EdgeKind::Joint;
        }
    }
}

/// Lands the near end of a cable on another way.
fn move_cable(world: &mut World, cable: &str, to: &str) {
    let Some(index) = world.rig.cables.iter().position(|c| c.id == cable) else { return };
    let Some((panel, way)) = to.split_once('.') else { return };
    let Some(component) = world.rig.components.iter().position(|p| p.id == panel) else { return };
    let near = world.rig.components.iter().position(|p| p.id == world.rig.cables[index].from.component);
    for (core, terminal) in [(Core::L, way), (Core::N, "N"), (Core::PE, "PE")] {
        let Some(node) = world.net.node(component, terminal) else { continue };
        let spot = WireSpot::Cable(index, core as usize);
        let wires = &world.net.wires;
        if let Some(e) =
            world.net.edges.iter_mut().find(|e| matches!(e.what, EdgeKind::Wire(w) if wires[w].spot == spot))
        {
            if world.net.nodes[e.a].component == near { e.a = node } else { e.b = node }
        }
    }
}

/// Every single fault that a rig could have, of the kinds above, with typical sizes.
pub fn suspects(audit: &Audit) -> Vec<Fault> {
    let (rig, net) = (&audit.assumed, &audit.net);
    let mut list = Vec::new();
    let there = |n: usize| net.nodes[n].component.is_none_or(|p| rig.components[p].status.present());
    let used = |n: usize| {
        net.edges.iter().filter(|e| e.a == n || e.b == n).count() > 1
            || net.consumers.iter().any(|c| c.plus == n || c.minus == n)
            || net.sources.iter().any(|s| s.plus == n || s.minus == n)
            || rig.components.iter().any(|p| p.word("control") == Some(net.nodes[n].name.as_str()))
    };
    for e in &net.edges {
        if !there(e.a) || !there(e.b) {
            continue;
        }
        match &e.what {
            EdgeKind::Wire(w) if net.wires[*w].length_m > 0.0 => {
                let wire = net.wires[*w].key.clone();
                let mains = matches!(net.nodes[e.a].duty, Role::Line | Role::Neutral | Role::Earth);
                list.push(Fault::Open { wire: wire.clone() });
                list.push(Fault::Joint { wire, ohm: if mains { 2.0 } else { 0.012 } });
            }
            // A spare way, with nothing on it, is no suspect.
            EdgeKind::Device { component, way, .. } if used(e.a) && used(e.b) => {
                list.push(Fault::Blown { device: device_named(&rig.components[*component].id, way.as_deref()) });
            }
            EdgeKind::Bond { component, bond, .. } if rig.components[*component].kind != Kind::Inlet => {
                let id = rig.components[*component].id.clone();
                if *bond == Bond::WhileSource {
                    list.push(Fault::BondStays { component: id.clone() });
                }
                list.push(Fault::NoBond { component: id });
            }
            _ => {}
        }
    }
    for c in rig.cables.iter().filter(|c| c.status.present() && !c.no_neutral && c.cores >= 3) {
        let second = (c.cores >= 4).then_some((Core::L2, Core::N));
        for (a, b) in [(Core::L, Core::N), (Core::N, Core::PE)].into_iter().chain(second) {
            list.push(Fault::Swapped { cable: c.id.clone(), a, b });
        }
    }
    for p in rig.components.iter().filter(|p| p.status.present()) {
        let id = || p.id.clone();
        match p.kind {
            Kind::Transfer | Kind::AcContactor => {
                let a = anatomy(p);
                let sides = if a.auto.is_empty() { a.positions } else { a.auto };
                let at = |(n, side): (usize, &&str)| Fault::Stuck {
                    component: id(),
                    position: n as u8,
                    side: side.trim_start_matches("at ").to_owned(),
                };
                list.extend(sides.iter().enumerate().take(2).map(at));
            }
            Kind::Battery => {
                list.extend([Fault::Weak { component: id() }, Fault::Flat { component: id(), share: 0.92 }])
            }
            Kind::Inverter
            | Kind::InverterCharger
            | Kind::Charger
            | Kind::DcDc
            | Kind::Controller
            | Kind::WindTurbine
            | Kind::Generator => {
                list.push(Fault::Dead { component: id() });
            }
            _ => {}
        }
        if matches!(p.kind, Kind::Panel | Kind::Outlet | Kind::GfciOutlet | Kind::AcLoad)
            && neutral_and_earth(net, rig, &p.id).is_some()
        {
            list.push(Fault::ExtraBond { component: id() });
        }
        if matches!(p.kind, Kind::AcLoad | Kind::Outlet | Kind::GfciOutlet | Kind::Charger) {
            for core in [Core::L, Core::N] {
                list.push(Fault::Leaky { component: id(), core, ohm: 20_000.0 });
            }
        }
    }
    list.extend(net.edges.iter().filter_map(|e| Some(Fault::DeadRcd { component: net.residual_device(rig, e)? })));
    // Chargers on another way of another panel: what inverters feed makes a loop of them.
    let feeds = |k: SourceKind| net.sources.iter().any(|s| s.kind == k);
    for c in rig.cables.iter().filter(|c| c.status.present() && feeds(SourceKind::Inverter)) {
        if rig.component(&c.to.component).is_none_or(|p| p.kind != Kind::Charger) {
            continue;
        }
        for panel in
            rig.components.iter().filter(|p| p.kind == Kind::Panel && p.status.present() && p.id != c.from.component)
        {
            if let Some(way) = panel.ways.first() {
                list.push(Fault::Moved { cable: c.id.clone(), to: format!("{}.{}", panel.id, way.id) });
            }
        }
    }
    let mut unique: Vec<Fault> = Vec::new();
    for fault in list {
        if !unique.contains(&fault) {
            unique.push(fault);
        }
    }
    unique
}
