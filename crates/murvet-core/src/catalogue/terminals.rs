//! The terminals of a piece and how they are joined inside.

use super::Kind;
use crate::rig::{Core, Piece};
use crate::units::Dimension;

/// What a terminal is meant to be at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Role {
    /// DC positive.
    Plus,
    /// DC negative.
    Minus,
    /// AC line (hot).
    Line,
    /// AC neutral.
    Neutral,
    /// Protective earth and chassis.
    Earth,
    /// Whatever is landed on it.
    Any,
}

impl Role {
    /// The word used in statements.
    pub fn word(self) -> &'static str {
        match self {
            Role::Plus => "DC positive",
            Role::Minus => "DC negative",
            Role::Line => "AC line",
            Role::Neutral => "neutral",
            Role::Earth => "earth",
            Role::Any => "conductor",
        }
    }
}

/// Which end of a cable a port is usual for, used when a reference names only the piece.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PortUse {
    /// A cable ends here.
    In,
    /// A cable starts here.
    Out,
    /// Either.
    Both,
}

/// A group of AC terminals on which a cable lands.
#[derive(Debug, Clone, PartialEq)]
pub struct Port {
    /// Name within the piece.
    pub name: String,
    /// Direction.
    pub usual: PortUse,
    /// Terminals for L, N and PE.
    pub terminals: [String; 3],
}

impl Port {
    /// The terminal on which this core lands.
    pub fn terminal(&self, core: Core) -> &str {
        &self.terminals[core as usize]
    }
}

/// When a contact inside a piece is closed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Contact {
    /// While the piece's control stands at this position.
    Position(u8),
    /// While the piece's automatic changeover stands at this position.
    Auto(u8),
    /// While the engine runs.
    Engine,
}

/// When a neutral-earth bond inside a piece is joined.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Bond {
    /// Always.
    Fixed,
    /// While the piece is itself the AC source.
    WhileSource,
}

/// A connection between two terminals of one piece.
#[derive(Debug, Clone, PartialEq)]
pub enum Inner {
    /// Solid metal.
    Link,
    /// A device that opens on overcurrent, by attribute of the piece or by way.
    Device {
        /// The way whose device it is, else the piece's own.
        way: Option<String>,
    },
    /// Solid, but counted by a residual-current device.
    Residual,
    /// Both: a residual-current breaker with overcurrent element.
    ResidualDevice {
        /// The way whose device it is, else the piece's own.
        way: Option<String>,
    },
    /// A contact.
    Contact(Contact),
    /// A neutral-earth bond.
    Bond(Bond),
}

/// What feeds energy out of a port.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum SourceKind {
    /// A store: current without limit, energy from itself.
    Battery,
    /// Turned by the engine.
    Alternator,
    /// Driven by light.
    Array,
    /// The supply at the pitch.
    Shore,
    /// Turned by its own engine.
    Generator,
    /// DC to AC.
    Inverter,
    /// AC to DC.
    Charger,
    /// DC to DC.
    DcDc,
    /// Array to battery.
    Controller,
}

impl SourceKind {
    /// Whether it feeds alternating current.
    pub fn is_ac(self) -> bool {
        matches!(self, SourceKind::Shore | SourceKind::Generator | SourceKind::Inverter)
    }

    /// Whether it only passes on energy taken from elsewhere in the rig.
    pub fn converts(self) -> bool {
        matches!(self, SourceKind::Inverter | SourceKind::Charger | SourceKind::DcDc | SourceKind::Controller)
    }
}

/// A source port of a piece.
#[derive(Debug, Clone, PartialEq)]
pub struct SourcePort {
    /// What it is.
    pub kind: SourceKind,
    /// Line or positive terminal.
    pub plus: String,
    /// Neutral or negative terminal.
    pub minus: String,
    /// Earth terminal of an AC source.
    pub earth: Option<String>,
    /// Terminals the energy comes in at, for a converting piece: line or positive, neutral or negative.
    pub input: Option<(String, String)>,
}

/// Everything Murvet knows of a piece's inside.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Anatomy {
    /// Terminals with their roles.
    pub terminals: Vec<(String, Role)>,
    /// AC ports.
    pub ports: Vec<Port>,
    /// Inner connections: terminal, terminal, kind.
    pub inner: Vec<(String, String, Inner)>,
    /// Source ports.
    pub sources: Vec<SourcePort>,
    /// Consumers: line or positive, neutral or negative.
    pub consumers: Vec<(String, String)>,
    /// Positions of the piece's control, parked position first.
    pub positions: Vec<&'static str>,
    /// Positions of an automatic changeover, rest position first.
    pub auto: Vec<&'static str>,
}

impl Anatomy {
    fn terminal(&mut self, name: impl Into<String>, role: Role) {
        self.terminals.push((name.into(), role));
    }

    fn port(&mut self, name: &str, usual: PortUse) {
        let own = [format!("{name}.L"), format!("{name}.N"), format!("{name}.PE")];
        for (terminal, role) in own.iter().zip([Role::Line, Role::Neutral, Role::Earth]) {
            self.terminal(terminal.clone(), role);
        }
        self.ports.push(Port { name: name.to_owned(), usual, terminals: own });
    }

    fn join(&mut self, a: impl Into<String>, b: impl Into<String>, inner: Inner) {
        self.inner.push((a.into(), b.into(), inner));
    }

    /// The port a reference means: by name, or the only one that fits the direction.
    pub fn find_port(&self, name: Option<&str>, as_start: bool) -> Option<&Port> {
        match name {
            Some(name) => self.ports.iter().find(|p| p.name == name),
            None => {
                let (right, wrong) = if as_start { (PortUse::Out, PortUse::In) } else { (PortUse::In, PortUse::Out) };
                only(self.ports.iter().filter(|p| p.usual == right))
                    .or_else(|| only(self.ports.iter().filter(|p| p.usual != wrong)))
            }
        }
    }

    /// Whether a terminal of this name exists.
    pub fn has_terminal(&self, name: &str) -> bool {
        self.terminals.iter().any(|(t, _)| t == name)
    }
}

/// The only item of an iterator.
fn only<T>(mut items: impl Iterator<Item = T>) -> Option<T> {
    items.next().filter(|_| items.next().is_none())
}

/// The two terminals of an in-line device and its AC pass-through.
fn inline(anatomy: &mut Anatomy, line: Inner, neutral: Inner) {
    anatomy.terminal("in", Role::Any);
    anatomy.terminal("out", Role::Any);
    anatomy.join("in", "out", line);
    for side in ["in", "out"] {
        anatomy.terminal(format!("N.{side}"), Role::Neutral);
    }
    anatomy.join("N.in", "N.out", neutral);
    anatomy.terminal("PE", Role::Earth);
    for (port, side, usual) in [("line", "in", PortUse::In), ("load", "out", PortUse::Out)] {
        anatomy.ports.push(Port {
            name: port.to_owned(),
            usual,
            terminals: [side.to_owned(), format!("N.{side}"), "PE".to_owned()],
        });
    }
}

fn ways(anatomy: &mut Anatomy, piece: &Piece, bar: &str, role: Role) {
    for way in &piece.ways {
        anatomy.terminal(way.id.clone(), role);
        let device = if way.rcd.is_some() {
            Inner::ResidualDevice { way: Some(way.id.clone()) }
        } else {
            Inner::Device { way: Some(way.id.clone()) }
        };
        anatomy.join(bar, way.id.clone(), device);
    }
}

/// The anatomy of one piece as traced. Words that are unseen count as the choice that the caller has
/// already put in (see [`crate::bounds`]).
pub fn anatomy(piece: &Piece) -> Anatomy {
    let mut a = Anatomy::default();
    let source = |kind, plus: &str, minus: &str, earth: Option<&str>, input: Option<(&str, &str)>| SourcePort {
        kind,
        plus: plus.to_owned(),
        minus: minus.to_owned(),
        earth: earth.map(str::to_owned),
        input: input.map(|(p, n)| (p.to_owned(), n.to_owned())),
    };
    let bond = match piece.word("bond") {
        Some("bond-fixed") => Some(Bond::Fixed),
        Some("bond-switched") => Some(Bond::WhileSource),
        _ => None,
    };
    let two_pole = piece.word("poles") == Some("2-pole");
    match piece.kind {
        Kind::Battery => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.sources.push(source(SourceKind::Battery, "+", "-", None, None));
            let count = piece.si("count", Dimension::Count).unwrap_or(1.0) as usize;
            let series = piece.word("wiring") == Some("series");
            for n in 1..=count {
                for post in ["+", "-"] {
                    // In a series string only the outer posts are at the bank's own potential.
                    let outer = !series || (post == "+" && n == 1) || (post == "-" && n == count);
                    if outer {
                        let role = if post == "+" { Role::Plus } else { Role::Minus };
                        a.terminal(format!("b{n}.{post}"), role);
                        a.join(format!("b{n}.{post}"), post, Inner::Link);
                    }
                }
            }
        }
        Kind::Inlet => {
            a.port("out", PortUse::Out);
            a.sources.push(source(SourceKind::Shore, "out.L", "out.N", Some("out.PE"), None));
            a.positions = vec!["unplugged", "on shore"];
        }
        Kind::Generator => {
            a.port("out", PortUse::Out);
            a.sources.push(source(SourceKind::Generator, "out.L", "out.N", Some("out.PE"), None));
            a.positions = vec!["off", "running"];
            if let Some(bond) = bond {
                a.join("out.N", "out.PE", Inner::Bond(bond));
            }
        }
        Kind::Inverter => {
            a.terminal("dc+", Role::Plus);
            a.terminal("dc-", Role::Minus);
            a.port("ac", PortUse::Out);
            a.terminal("case", Role::Earth);
            a.join("case", "ac.PE", Inner::Link);
            a.sources.push(source(SourceKind::Inverter, "ac.L", "ac.N", Some("ac.PE"), Some(("dc+", "dc-"))));
            a.consumers.push(("dc+".into(), "dc-".into()));
            a.positions = vec!["off", "on"];
            if let Some(bond) = bond {
                a.join("ac.N", "ac.PE", Inner::Bond(bond));
            }
        }
        Kind::InverterCharger => {
            a.terminal("dc+", Role::Plus);
            a.terminal("dc-", Role::Minus);
            a.port("in", PortUse::In);
            a.port("out", PortUse::Out);
            a.terminal("case", Role::Earth);
            a.join("case", "out.PE", Inner::Link);
            a.join("in.PE", "out.PE", Inner::Link);
            let passing = || Inner::Contact(Contact::Auto(1));
            a.join("in.L", "out.L", passing());
            let neutral = if piece.word("neutral") == Some("neutral-common") { Inner::Link } else { passing() };
            a.join("in.N", "out.N", neutral);
            if piece.flag("shore-only") {
                a.port("aux", PortUse::Both);
                a.join("in.L", "aux.L", passing());
                a.join("in.N", "aux.N", passing());
                a.join("aux.PE", "out.PE", Inner::Link);
            }
            a.sources.push(source(SourceKind::Inverter, "out.L", "out.N", Some("out.PE"), Some(("dc+", "dc-"))));
            a.sources.push(source(SourceKind::Charger, "dc+", "dc-", None, Some(("in.L", "in.N"))));
            a.consumers.push(("dc+".into(), "dc-".into()));
            a.positions = vec!["off", "on"];
            a.auto = vec!["inverting or idle", "passing shore through"];
            if let Some(bond) = bond {
                a.join("out.N", "out.PE", Inner::Bond(bond));
            }
        }
        Kind::Charger => {
            a.port("ac", PortUse::In);
            a.terminal("dc+", Role::Plus);
            a.terminal("dc-", Role::Minus);
            a.terminal("case", Role::Earth);
            a.join("case", "ac.PE", Inner::Link);
            a.sources.push(source(SourceKind::Charger, "dc+", "dc-", None, Some(("ac.L", "ac.N"))));
            a.consumers.push(("ac.L".into(), "ac.N".into()));
        }
        Kind::DcDc => {
            for (name, role) in [("in+", Role::Plus), ("in-", Role::Minus), ("out+", Role::Plus), ("out-", Role::Minus)]
            {
                a.terminal(name, role);
            }
            if piece.word("isolation") != Some("isolated") {
                a.join("in-", "out-", Inner::Link);
            }
            a.sources.push(source(SourceKind::DcDc, "out+", "out-", None, Some(("in+", "in-"))));
            a.consumers.push(("in+".into(), "in-".into()));
        }
        Kind::Array => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.sources.push(source(SourceKind::Array, "+", "-", None, None));
        }
        Kind::Controller => {
            for (name, role) in [("pv+", Role::Plus), ("pv-", Role::Minus), ("bat+", Role::Plus), ("bat-", Role::Minus)]
            {
                a.terminal(name, role);
            }
            a.join("pv-", "bat-", Inner::Link);
            a.sources.push(source(SourceKind::Controller, "bat+", "bat-", None, Some(("pv+", "pv-"))));
            a.consumers.push(("pv+".into(), "pv-".into()));
        }
        Kind::Alternator => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.sources.push(source(SourceKind::Alternator, "+", "-", None, None));
        }
        Kind::Isolator => {
            let closed = || Inner::Contact(Contact::Position(0));
            inline(&mut a, closed(), if two_pole { closed() } else { Inner::Link });
            a.positions = vec!["closed", "open"];
        }
        Kind::Relay => {
            let inner = match piece.word("enable") {
                Some("always") => Inner::Link,
                _ => Inner::Contact(Contact::Engine),
            };
            inline(&mut a, inner, Inner::Link);
        }
        Kind::Transfer => {
            let automatic = piece.word("operation") == Some("automatic");
            let at = |n| {
                if automatic { Contact::Auto(n) } else { Contact::Position(n) }
            };
            // The rest position of an automatic switch is the input it does not prefer: its coil
            // is fed from the preferred one.
            let preferred = if piece.word("priority") == Some("b-first") { "b" } else { "a" };
            let (first, second) = match (automatic, preferred) {
                (true, "a") => ("b", "a"),
                _ => ("a", "b"),
            };
            for name in ["a", "b"] {
                a.port(name, PortUse::In);
            }
            a.port("out", PortUse::Out);
            for (n, input) in [(0u8, first), (1, second)] {
                a.join(format!("{input}.L"), "out.L", Inner::Contact(at(n)));
                let neutral = if two_pole { Inner::Contact(at(n)) } else { Inner::Link };
                a.join(format!("{input}.N"), "out.N", neutral);
                a.join(format!("{input}.PE"), "out.PE", Inner::Link);
            }
            match (automatic, first) {
                (true, "a") => a.auto = vec!["at a", "at b"],
                (true, _) => a.auto = vec!["at b", "at a"],
                (false, _) => a.positions = vec!["at a", "at b"],
            }
        }
        Kind::PlugChangeover => {
            for name in ["a", "b"] {
                a.port(name, PortUse::In);
            }
            a.port("out", PortUse::Out);
            for (n, input) in [(0u8, "a"), (1, "b")] {
                for core in Core::ALL {
                    let core = core.word();
                    a.join(format!("{input}.{core}"), format!("out.{core}"), Inner::Contact(Contact::Position(n)));
                }
            }
            a.positions = vec!["in a", "in b", "unplugged"];
        }
        Kind::Fuse => inline(&mut a, Inner::Device { way: None }, Inner::Link),
        Kind::Breaker => {
            // Breakers count as closed, see `states`; an interlocked one is a control.
            if piece.word("interlock").is_some() {
                a.positions = vec!["off", "on"];
                a.terminal("mid", Role::Any);
                inline(&mut a, Inner::Device { way: None }, Inner::Link);
                let (_, out, device) = a.inner.remove(0);
                a.join("in", "mid", Inner::Contact(Contact::Position(1)));
                a.join("mid", out, device);
                if two_pole {
                    a.inner[0].2 = Inner::Contact(Contact::Position(1));
                }
            } else {
                inline(&mut a, Inner::Device { way: None }, Inner::Link);
            }
        }
        Kind::Rcd => inline(&mut a, Inner::Residual, Inner::Residual),
        Kind::Rcbo => inline(&mut a, Inner::ResidualDevice { way: None }, Inner::Residual),
        Kind::Shunt => inline(&mut a, Inner::Link, Inner::Link),
        Kind::Bus => a.terminal("bar", Role::Any),
        Kind::Chassis => a.terminal("bar", Role::Earth),
        Kind::Panel => {
            a.terminal("main.L", Role::Line);
            a.terminal("main.N", Role::Neutral);
            a.terminal("hot", Role::Line);
            a.terminal("N", Role::Neutral);
            a.terminal("PE", Role::Earth);
            let has_main = piece.attrs.contains_key("main");
            let residual = piece.attrs.contains_key("rcd");
            let main = match (has_main, residual) {
                (true, true) => Inner::ResidualDevice { way: None },
                (true, false) => Inner::Device { way: None },
                (false, true) => Inner::Residual,
                (false, false) => Inner::Link,
            };
            a.join("main.L", "hot", main);
            a.join("main.N", "N", if residual { Inner::Residual } else { Inner::Link });
            a.ports.push(Port {
                name: "main".to_owned(),
                usual: PortUse::In,
                terminals: ["main.L".into(), "main.N".into(), "PE".into()],
            });
            ways(&mut a, piece, "hot", Role::Line);
            for way in &piece.ways {
                let neutral = if way.rcd.is_some() {
                    // A residual-current way takes the neutral through itself as well.
                    let own = format!("{}.N", way.id);
                    a.terminal(own.clone(), Role::Neutral);
                    a.join("N", own.clone(), Inner::Residual);
                    own
                } else {
                    "N".to_owned()
                };
                a.ports.push(Port {
                    name: way.id.clone(),
                    usual: PortUse::Out,
                    terminals: [way.id.clone(), neutral, "PE".to_owned()],
                });
            }
            if piece.flag("jumper") {
                a.join("N", "PE", Inner::Bond(Bond::Fixed));
            }
        }
        Kind::FuseBlock => {
            a.terminal("in", Role::Plus);
            a.terminal("-", Role::Minus);
            ways(&mut a, piece, "in", Role::Plus);
        }
        Kind::Outlet => a.port("ac", PortUse::Both),
        Kind::GfciOutlet => {
            a.port("line", PortUse::In);
            a.port("load", PortUse::Out);
            a.join("line.L", "load.L", Inner::Residual);
            a.join("line.N", "load.N", Inner::Residual);
            a.join("line.PE", "load.PE", Inner::Link);
        }
        Kind::AcLoad => {
            a.port("ac", PortUse::In);
            a.consumers.push(("ac.L".into(), "ac.N".into()));
        }
        Kind::DcLoad => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.consumers.push(("+".into(), "-".into()));
        }
    }
    a
}
