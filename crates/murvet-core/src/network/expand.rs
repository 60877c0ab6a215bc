//! Building the graph.

use super::figures::charge_amps;
use super::waking::Waking;
use super::{Auto, Consumer, Control, Edge, EdgeKind, Gate, Network, Node, Source, Store, Wire, WireSpot};
use crate::bounds::Side;
use crate::catalogue::{Anatomy, Bond, Contact, Inner, Kind, Role, SourceKind, WELDED};
use crate::meaning::{HopEnd, attached, port_of, start_of, walk};
use crate::profiles::{Laid, Profile};
use crate::rig::{Component, Core, LooseEnd, Provenance, Rig, Value};
use crate::terminals::anatomy;
use crate::units::Dimension;
use std::collections::HashMap;

/// What a device of unread rating might let through, A: it is a device, only not known to protect anything here.
pub(crate) const UNREAD_A: f64 = 1000.0;

pub(super) struct Builder<'a> {
    pub(super) rig: &'a Rig,
    pub(super) profile: &'a Profile,
    pub(super) side: Side,
    pub(super) net: Network,
    index: HashMap<(usize, String), usize>,
    /// What runs and cables join, until it is laid in a settled order.
    pending: Vec<Pending>,
}

/// A conductor with its ends, or two terminals bolted together.
struct Pending {
    ends: (usize, usize),
    wire: Option<Wire>,
}

/// Expands a rig that has passed [`check`](crate::meaning::check) into a network. Unseen numbers take the
/// bound of the given side; unseen words must have been chosen before. References that lead nowhere
/// are left out, which the checker prevents.
///
/// Complexity: linear in components and steps, times the look-ups.
pub fn expand(rig: &Rig, profile: &Profile, side: Side) -> Network {
    let mut b = Builder { rig, profile, side, net: Network::default(), index: HashMap::new(), pending: Vec::new() };
    let anatomies: Vec<Anatomy> = rig.components.iter().map(anatomy).collect();
    // In the order of their names, whatever the order of the lines: what is found must not hang on it.
    let mut order: Vec<usize> = (0..rig.components.len()).collect();
    order.sort_by(|a, b| rig.components[*a].id.cmp(&rig.components[*b].id));
    for &component in &order {
        let anatomy = &anatomies[component];
        for (terminal, role) in &anatomy.terminals {
            let p = &rig.components[component];
            let name = if p.kind.is_node() { p.id.clone() } else { format!("{}.{terminal}", p.id) };
            let node = b.add_node(Some(component), terminal, name, *role);
            b.index.insert((component, terminal.clone()), node);
        }
    }
    let engine = b.engine_control();
    for &component in &order {
        b.component(component, &anatomies[component], engine);
    }
    b.runs();
    b.cables();
    b.lay();
    b.attachments(&order);
    super::bank::stack(&mut b.net);
    b.consumers(&order, &anatomies);
    b.assign_duties();
    b.net
}

impl Builder<'_> {
    fn add_node(&mut self, component: Option<usize>, terminal: &str, name: String, role: Role) -> usize {
        self.net.nodes.push(Node { component, terminal: terminal.to_owned(), name, role, duty: role });
        self.net.nodes.len() - 1
    }

    pub(super) fn at(&self, component: usize, terminal: &str) -> Option<usize> {
        self.index.get(&(component, terminal.to_owned())).copied()
    }

    fn edge(&mut self, a: usize, b: usize, what: EdgeKind, residual: Option<usize>) {
        self.net.edges.push(Edge { a, b, what, residual });
    }

    /// One control for the engine, if anything depends on it.
    fn engine_control(&mut self) -> Option<usize> {
        let needs = self.rig.components.iter().any(|p| {
            p.kind == Kind::Alternator
                || (p.kind == Kind::Relay && p.word("enable") != Some("always"))
                || (p.kind == Kind::DcDc && self.wakes(p) == Waking::Engine)
        });
        needs.then(|| {
            self.net.controls.push(Control {
                component: None,
                name: "engine".to_owned(),
                positions: vec!["stopped".to_owned(), "running".to_owned()],
                codes: vec!["stopped", "running"],
                operations: vec!["stop the engine".to_owned(), "start the engine".to_owned()],
                interlock: None,
            });
            self.net.controls.len() - 1
        })
    }

    fn component(&mut self, component: usize, anatomy: &Anatomy, engine: Option<usize>) {
        let p = &self.rig.components[component];
        if !p.status.present() {
            // A device that is not there leaves the run it would stand in unbroken and unprotected.
            if p.kind.is_inline() {
                for (a, b, _) in &anatomy.inner {
                    if let (Some(a), Some(b)) = (self.at(component, a), self.at(component, b)) {
                        self.edge(a, b, EdgeKind::Joint, None);
                    }
                }
            }
            return;
        }
        let control = (!anatomy.positions.is_empty()).then(|| {
            let name = p.title().to_owned();
            let positions: Vec<String> = anatomy.positions.iter().map(|at| self.position(p, at)).collect();
            let operations = positions.iter().map(|to| operation(p, to)).collect();
            self.net.controls.push(Control {
                component: Some(component),
                name,
                positions,
                codes: anatomy.positions.clone(),
                operations,
                interlock: p.word("interlock").map(str::to_owned),
            });
            self.net.controls.len() - 1
        });
        let auto = (!anatomy.auto.is_empty()).then(|| {
            // An inverter-charger senses its inputs; an automatic transfer switch its preferred one.
            let inputs: &[&str] = match (p.kind, p.word("priority")) {
                (Kind::AcContactor, _) => &[],
                (Kind::InverterCharger, _) if p.flag("two-input") => &["in", "in2"],
                (Kind::InverterCharger, _) => &["in"],
                (_, Some("b-first")) => &["b"],
                _ => &["a"],
            };
            let pairs = |input: &&str| {
                let node = |core: &str| self.at(component, &format!("{input}.{core}")).unwrap_or(0);
                let hots = p.two_hot().then(|| (node("L"), node("L2")));
                std::iter::once((node("L"), node("N"))).chain(hots).collect()
            };
            let mut sensed: Vec<Vec<(usize, usize)>> = inputs.iter().map(pairs).collect();
            if p.kind == Kind::AcContactor {
                sensed.push(self.coil(component).into_iter().collect());
            }
            let positions = anatomy.auto.iter().map(|at| self.position(p, at)).collect();
            let held = p.kind == Kind::AcContactor && p.word("coil") == Some(WELDED);
            let interlock = p.word("interlock").map(str::to_owned);
            self.net.autos.push(Auto { component, positions, sensed, held, interlock });
            self.net.autos.len() - 1
        });
        let first_source = self.net.sources.len();
        let mut taken = 0;
        for port in &anatomy.sources {
            let (Some(plus), Some(minus)) = (self.at(component, &port.plus), self.at(component, &port.minus)) else {
                continue;
            };
            let input = port.input.as_ref().and_then(|(a, b)| Some((self.at(component, a)?, self.at(component, b)?)));
            let (switch, own_auto) = match (p.kind, port.kind) {
                (Kind::InverterCharger, SourceKind::Inverter) => (control.map(|c| (c, 1)), auto.map(|a| (a, 0))),
                (Kind::InverterCharger, SourceKind::Charger) => {
                    // One for each input, at the position that takes it.
                    taken += 1;
                    (None, auto.map(|a| (a, taken)))
                }
                (Kind::Alternator, _) => (engine.map(|c| (c, 1)), None),
                (Kind::DcDc, SourceKind::DcDc) if self.wakes(p) == Waking::Engine => (engine.map(|c| (c, 1)), None),
                _ => (control.map(|c| (c, 1)), None),
            };
            let (limit_a, volts) = self.source_figures(p, port.kind);
            self.net.sources.push(Source {
                component,
                kind: port.kind,
                plus,
                minus,
                earth: port.earth.as_deref().and_then(|t| self.at(component, t)),
                input,
                limit_a,
                set_a: charge_amps(p)
                    .filter(|_| port.kind.converts() && !port.kind.is_ac())
                    .map_or(limit_a, |a| a.min(limit_a)),
                volts,
                opposite: port.opposite,
                assist: port.kind == SourceKind::Inverter && p.flag("assist"),
                below: Vec::new(),
                switch,
                auto: own_auto,
                wake: match (port.kind, self.wakes(p)) {
                    (SourceKind::DcDc, Waking::Signal) => self.at(component, "signal").map(super::Wake::Signal),
                    (SourceKind::DcDc, Waking::Voltage) => Some(super::Wake::Voltage),
                    _ => None,
                },
            });
        }
        if p.kind == Kind::Inlet
            && let (Some(n), Some(e)) = (self.at(component, "out.N"), self.at(component, "out.PE"))
        {
            // The supply's own bond, at the supply: there exactly while the inlet is plugged in.
            let what = EdgeKind::Bond { component, bond: Bond::WhileSource, source: Some(first_source) };
            self.edge(n, e, what, None);
        }
        for (a, b, inner) in &anatomy.inner {
            let (Some(a), Some(b)) = (self.at(component, a), self.at(component, b)) else { continue };
            let mut residual = None;
            let what = match inner {
                Inner::Link => EdgeKind::Joint,
                Inner::Strap => EdgeKind::Strap { component, ohm: super::bank::link_ohm(p) },
                Inner::Residual => {
                    residual = Some(component);
                    EdgeKind::Joint
                }
                Inner::Device { way } => self.device(component, way.as_deref()),
                Inner::ResidualDevice { way } => {
                    residual = Some(component);
                    self.device(component, way.as_deref())
                }
                Inner::Contact(Contact::Position(n)) => match control {
                    Some(c) => EdgeKind::Contact(Gate::Control(c, *n)),
                    None => EdgeKind::Joint,
                },
                Inner::Contact(Contact::Auto(n)) => match auto {
                    Some(c) => EdgeKind::Contact(Gate::Auto(c, *n)),
                    None => EdgeKind::Joint,
                },
                Inner::Contact(Contact::Engine) => match engine {
                    Some(c) => EdgeKind::Contact(Gate::Control(c, 1)),
                    None => EdgeKind::Joint,
                },
                Inner::Bond(bond) => {
                    let source = (self.net.sources.len() > first_source).then_some(first_source);
                    EdgeKind::Bond { component, bond: *bond, source }
                }
            };
            self.edge(a, b, what, residual);
        }
        for ((plus, minus), number) in anatomy.cells.iter().zip(1..) {
            if let (Some(plus), Some(minus)) = (self.at(component, plus), self.at(component, minus)) {
                self.net.stores.push(Store { component, number, plus, minus });
            }
        }
    }

    /// What the components take, once the batteries in series are known.
    fn consumers(&mut self, order: &[usize], anatomies: &[Anatomy]) {
        let part = self.net.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }));
        for &component in order.iter().filter(|p| self.rig.components[**p].status.present()) {
            let p = &self.rig.components[component];
            for (plus, minus) in &anatomies[component].consumers {
                if let (Some(plus), Some(minus)) = (self.at(component, plus), self.at(component, minus)) {
                    let ac = matches!(p.kind, Kind::AcLoad | Kind::Charger);
                    let system_v = self.system_volts(plus, &part);
                    let (current_a, working) = self.consumer_current(p, ac, system_v);
                    self.net.consumers.push(Consumer {
                        component,
                        plus,
                        minus,
                        ac,
                        two_hot: ac && p.two_hot(),
                        current_a,
                        working,
                        vital: p.flag("vital") || p.flag("breakaway"),
                    });
                }
            }
        }
    }

    /// A position in words: that of a changeover with what is cabled to it.
    fn position(&self, p: &Component, at: &str) -> String {
        let Some(input) = at.strip_prefix("at ").or(at.strip_prefix("in ")).or(at.strip_prefix("passing ")) else {
            return at.to_owned();
        };
        let lands_here = |c: &&crate::rig::Cable| c.to.component == p.id && c.to.terminal.as_deref() == Some(input);
        match self.rig.cables.iter().filter(|c| c.status.present()).find(lands_here) {
            Some(cable) => format!("{at} ({})", cable.from.component),
            None => at.to_owned(),
        }
    }

    fn device(&self, component: usize, way: Option<&str>) -> EdgeKind {
        let p = &self.rig.components[component];
        let value = match way {
            Some(way) => p.ways.iter().find(|w| w.id == way).map(|w| &w.rating),
            None if p.kind == Kind::Panel => p.attrs.get("main"),
            None => p.attrs.get("rating"),
        };
        let known = value.and_then(|v| v.si(Dimension::Current));
        let rating_a = known.unwrap_or_else(|| self.side.pick(UNREAD_A, 0.0));
        EdgeKind::Device { component, way: way.map(str::to_owned), rating_a }
    }

    fn wire(
        &mut self,
        (spot, key): (WireSpot, Option<String>),
        length: &Value,
        size: &Value,
        mut laid: Laid,
        (cranking, sheathed): (bool, bool),
        ends: (usize, usize),
    ) {
        let known_length = length.si(Dimension::Length);
        let known_area = size.si(Dimension::Area);
        // Bounds for what nobody saw: no vehicle has a longer or thinner power conductor than the worst.
        let length_m = known_length.unwrap_or_else(|| self.side.pick(30.0, 0.0));
        laid.area_mm2 = known_area.unwrap_or_else(|| self.side.pick(0.5, 240.0));
        let words = |v: &Value, what: &str| if v.is_guess() { format!("unseen {what}") } else { v.text.clone() };
        let wire = Wire {
            spot,
            key: key.unwrap_or_default(),
            title: format!("{} {}", words(length, "length"), words(size, "size")),
            length_m,
            laid,
            gauge: size.quantity().is_some_and(|q| q.is_gauge()),
            cranking,
            sheathed,
            unseen: known_length.is_none() || known_area.is_none(),
            size_guessed: size.is_guess(),
        };
        self.pending.push(Pending { ends, wire: Some(wire) });
    }

    /// Lays what runs and cables join in the order of its ends and sizes, so that the order of the lines, or whether
    /// one run was entered in several, changes nothing. Several conductors between the same terminals are told apart
    /// by their number in that order.
    fn lay(&mut self) {
        let mut list = std::mem::take(&mut self.pending);
        let nodes = &self.net.nodes;
        let name = |p: &Pending| (nodes[p.ends.0].name.clone(), nodes[p.ends.1].name.clone());
        list.sort_by_cached_key(|p| {
            let wire = p.wire.as_ref().map(|w| (w.key.clone(), w.title.clone(), format!("{:?}", w.laid), w.sheathed));
            (name(p), wire)
        });
        let mut joined: HashMap<String, usize> = HashMap::new();
        for Pending { ends, wire } in list {
            let Some(mut wire) = wire else {
                self.edge(ends.0, ends.1, EdgeKind::Joint, None);
                continue;
            };
            if wire.key.is_empty() {
                let stem = format!("{}--{}", self.net.nodes[ends.0].name, self.net.nodes[ends.1].name);
                let count = joined.entry(stem.clone()).or_default();
                *count += 1;
                wire.key = if *count == 1 { stem } else { format!("{stem}#{count}") };
            }
            let index = self.net.wires.len();
            self.net.wires.push(wire);
            self.edge(ends.0, ends.1, EdgeKind::Wire(index), None);
        }
    }

    /// The hottest place a conductor passes, as far as stated.
    fn laid(&self, via: &[String], insulation: Option<&Value>, bundle: Option<&Value>) -> Laid {
        let mut laid = Laid::plain(0.0);
        laid.insulation_c = insulation.and_then(|v| v.si(Dimension::Temperature));
        laid.bundle = bundle
            .and_then(|v| v.si(Dimension::Count))
            .unwrap_or_else(|| if bundle.is_some_and(Value::is_unseen) { self.side.pick(4.0, 1.0) } else { 1.0 });
        for place in via.iter().filter_map(|id| self.rig.place(id)) {
            let measured = place.ambient.as_ref().is_some_and(|v| v.from == Some(Provenance::Measured));
            // A measured temperature stands for itself; otherwise what works there warms the place.
            if let Some((hot, cool)) = super::air(self.rig, self.profile, place).filter(|_| !measured) {
                let c = self.side.pick(hot, cool);
                if laid.ambient_c.is_none_or(|old| c > old) {
                    laid.ambient_c = Some(c);
                    laid.ambient_measured = false;
                }
            } else if let Some(value) = &place.ambient {
                let c = value.si(Dimension::Temperature).unwrap_or_else(|| self.side.pick(60.0, 25.0));
                if laid.ambient_c.is_none_or(|old| c > old) {
                    laid.ambient_c = Some(c);
                    laid.ambient_measured = value.from == Some(Provenance::Measured);
                }
            }
            laid.engine |= place.zone.as_deref() == Some("engine");
            if place.insulated {
                let over = place.insulated_over.as_ref().and_then(|v| v.si(Dimension::Length)).unwrap_or(0.5);
                laid.in_insulation = Some(laid.in_insulation.unwrap_or(0.0).max(over));
            }
        }
        laid
    }

    fn runs(&mut self) {
        let mut order: Vec<usize> = (0..self.rig.runs.len()).collect();
        order.sort_by_cached_key(|r| format!("{:?}", self.rig.runs[*r]));
        for r in order {
            let run = &self.rig.runs[r];
            let Ok(hops) = walk(self.rig, run) else { continue };
            let mut local: HashMap<HopEnd, usize> = HashMap::new();
            let named = self.between_terminals(&hops);
            for (hop, (before, after)) in hops.iter().zip(named) {
                let mut find = |end: &HopEnd, b: &mut Self| match end {
                    HopEnd::Terminal(component, terminal) => b.at(*component, terminal),
                    other => Some(*local.entry(other.clone()).or_insert_with(|| {
                        // By the terminals it lies between, so that a run cut in two elsewhere names it alike.
                        let name = match other {
                            HopEnd::Splice(_) => format!("splice between {before} and {after}"),
                            _ => format!("loose end from {before}"),
                        };
                        let how = match other {
                            HopEnd::Loose(_, how) => how.word(),
                            _ => "",
                        };
                        b.add_node(None, how, name, Role::Any)
                    })),
                };
                let (Some(a), Some(b)) = (find(&hop.from, self), find(&hop.to, self)) else { continue };
                match hop.conductor {
                    Some(c) => {
                        let places = self.places(&c.via, a, b);
                        let laid = self.laid(&places, c.insulation.as_ref(), c.bundle.as_ref());
                        self.wire(
                            (WireSpot::Run(r, hop.step), None),
                            &c.length,
                            &c.size,
                            laid,
                            (c.cranking, c.sheathed),
                            (a, b),
                        );
                    }
                    None => self.pending.push(Pending { ends: (a, b), wire: None }),
                }
            }
        }
    }

    /// For each hop of a run the terminals it lies between, as printed; nothing after the last.
    fn between_terminals(&self, hops: &[crate::meaning::Hop]) -> Vec<(String, String)> {
        let name = |end: &HopEnd| match end {
            HopEnd::Terminal(component, terminal) => {
                self.at(*component, terminal).map(|n| self.net.nodes[n].name.clone())
            }
            _ => None,
        };
        let mut list: Vec<(String, String)> = Vec::with_capacity(hops.len());
        let mut before = String::new();
        for hop in hops {
            before = name(&hop.from).unwrap_or(before);
            list.push((before.clone(), String::new()));
        }
        let mut after = String::new();
        for (hop, (_, to)) in hops.iter().zip(&mut list).rev() {
            after = name(&hop.to).unwrap_or(after);
            to.clone_from(&after);
        }
        list
    }

    /// A conductor lies in the places it was said to pass and in those of the components at its ends.
    fn places(&self, via: &[String], a: usize, b: usize) -> Vec<String> {
        let mut places = via.to_vec();
        for node in [a, b] {
            let component = self.net.nodes[node].component.map(|p| &self.rig.components[p]);
            if let Some(place) = component.and_then(|p| p.place.clone())
                && !places.contains(&place)
            {
                places.push(place);
            }
        }
        places
    }

    fn cables(&mut self) {
        let mut order: Vec<usize> = (0..self.rig.cables.len()).collect();
        order.sort_by(|a, b| self.rig.cables[*a].id.cmp(&self.rig.cables[*b].id));
        for c in order {
            let cable = &self.rig.cables[c];
            if !cable.status.present() {
                continue;
            }
            let Ok((from, out)) = start_of(self.rig, cable) else { continue };
            let loose = cable.loose();
            let far = port_of(self.rig, &cable.to, false).ok();
            if loose.is_none() && far.is_none() {
                continue;
            }
            for (core, landing) in cable.landings() {
                let Some(a) = out.terminal(core).and_then(|t| self.at(from, t)) else { continue };
                let b = match (landing, &far) {
                    (Some(end), Some((to, into))) => into.terminal(end).and_then(|t| self.at(*to, t)),
                    _ => Some(self.add_node(
                        None,
                        loose.unwrap_or(LooseEnd::Bare).word(),
                        format!("loose {} of {}", core.word(), cable.id),
                        Role::Any,
                    )),
                };
                let Some(b) = b else { continue };
                let places = self.places(&cable.via, a, b);
                let mut laid = self.laid(&places, cable.insulation.as_ref(), cable.bundle.as_ref());
                laid.cord = cable.flex;
                let spot = WireSpot::Cable(c, core as usize);
                let own = cable.earth.as_ref().filter(|_| core == Core::PE);
                let key = Some(format!("{}.{}", cable.id, core.word()));
                self.wire((spot, key), &cable.length, own.unwrap_or(&cable.size), laid, (false, true), (a, b));
            }
        }
    }

    fn attachments(&mut self, order: &[usize]) {
        for &p in order {
            let component = &self.rig.components[p];
            if !component.status.present() {
                continue;
            }
            if let Ok(Some((host, pairs))) = attached(self.rig, component) {
                for (own, other) in pairs {
                    if let (Some(a), Some(b)) = (self.at(p, &own), self.at(host, &other)) {
                        self.edge(a, b, EdgeKind::Joint, None);
                    }
                }
            }
        }
    }

    /// Gives every bar, device and splice the role of the nearest terminal that has one, so that an
    /// edge between two different roles is the place where they were joined. Breadth first from all
    /// terminals with a role at once: linear.
    fn assign_duties(&mut self) {
        let mut neighbours: Vec<Vec<usize>> = vec![Vec::new(); self.net.nodes.len()];
        for edge in &self.net.edges {
            if !matches!(edge.what, EdgeKind::Bond { .. }) {
                neighbours[edge.a].push(edge.b);
                neighbours[edge.b].push(edge.a);
            }
        }
        // Of two roles equally near the one that carries current governs: a bar between a battery's negative and the
        // chassis is a negative bar.
        let mut first: Vec<usize> =
            (0..self.net.nodes.len()).filter(|&n| self.net.nodes[n].duty != Role::Any).collect();
        first.sort_by_key(|n| self.net.nodes[*n].duty);
        let mut queue: std::collections::VecDeque<usize> = first.into();
        while let Some(node) = queue.pop_front() {
            for &next in &neighbours[node] {
                if self.net.nodes[next].duty == Role::Any {
                    self.net.nodes[next].duty = self.net.nodes[node].duty;
                    queue.push_back(next);
                }
            }
        }
    }
}

fn operation(p: &Component, to: &str) -> String {
    let name = p.title();
    match (p.kind, to) {
        (Kind::Inlet, "on shore") => format!("plug {name} into the shore supply"),
        (Kind::Inlet, _) => format!("unplug {name} from the shore supply"),
        (Kind::Generator, "running") => format!("start {name}"),
        (Kind::Generator, _) => format!("stop {name}"),
        (Kind::Isolator, "pin in") => format!("put the pin of {name} back"),
        (Kind::Isolator, "pin pulled") => format!("pull the pin of {name}"),
        (Kind::DcSocket, "unplugged") => format!("unplug {name}"),
        (Kind::DcSocket, _) => format!("plug {name} in"),
        (Kind::Isolator, "open") => format!("open {name}"),
        (Kind::Isolator, _) => format!("close {name}"),
        (Kind::PlugChangeover, "unplugged") => format!("unplug {name}"),
        (Kind::PlugChangeover, to) => format!("plug {name} {}", to.replacen("in ", "into ", 1)),
        (Kind::Transfer, to) => format!("move {name} to {}", to.trim_start_matches("at ")),
        (_, to) => format!("switch {name} {to}"),
    }
}
