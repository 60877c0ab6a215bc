//! What a terminal, a port, an inner link and a source are.

use super::Core;

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

/// Which end of a cable a port is usual for, used when a reference names only the component.
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
    /// Name within the component.
    pub name: String,
    /// Direction.
    pub usual: PortUse,
    /// Terminals for L, N and PE.
    pub terminals: [String; 3],
    /// Terminal for the second hot, where the component has one.
    pub second: Option<String>,
}

impl Port {
    /// The terminal on which this core lands; nothing for a second hot on a port of one.
    pub fn terminal(&self, core: Core) -> Option<&str> {
        match core {
            Core::L2 => self.second.as_deref(),
            one => self.terminals.get(one as usize).map(String::as_str),
        }
    }
}

/// When a contact inside a component is closed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Contact {
    /// While the component's control stands at this position.
    Position(u8),
    /// While the component's automatic changeover stands at this position.
    Auto(u8),
    /// While the engine runs.
    Engine,
}

/// When a neutral-earth bond inside a component is joined.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Bond {
    /// Always.
    Fixed,
    /// While the component is itself the AC source.
    WhileSource,
}

/// A connection between two terminals of one component.
#[derive(Debug, Clone, PartialEq)]
pub enum Inner {
    /// Solid metal.
    Link,
    /// A link between two batteries of one bank.
    Strap,
    /// A device that opens on overcurrent, by attribute of the component or by way.
    Device {
        /// The way whose device it is, else the component's own.
        way: Option<String>,
    },
    /// Solid, but counted by a residual-current device.
    Residual,
    /// Both: a residual-current breaker with overcurrent element.
    ResidualDevice {
        /// The way whose device it is, else the component's own.
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
    /// The electrics of the tow vehicle.
    Tow,
    /// Driven by light.
    Array,
    /// Turned by the wind, with its controller.
    Wind,
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

    /// The way of using the rig that this source stands for; none for a store and for what passes energy on.
    pub fn use_name(self) -> Option<&'static str> {
        match self {
            SourceKind::Alternator => Some("drive"),
            SourceKind::Tow => Some("tow"),
            SourceKind::Shore => Some("shore"),
            SourceKind::Inverter => Some("inverter"),
            SourceKind::Array => Some("solar"),
            SourceKind::Wind => Some("wind"),
            SourceKind::Generator => Some("generator"),
            SourceKind::Battery | SourceKind::Charger | SourceKind::DcDc | SourceKind::Controller => None,
        }
    }

    /// Whether it gives when nobody switches it on.
    pub fn is_weather(self) -> bool {
        match self {
            SourceKind::Array | SourceKind::Wind => true,
            SourceKind::Battery
            | SourceKind::Alternator
            | SourceKind::Tow
            | SourceKind::Shore
            | SourceKind::Generator
            | SourceKind::Inverter
            | SourceKind::Charger
            | SourceKind::DcDc
            | SourceKind::Controller => false,
        }
    }

    /// Whether its current goes into a battery and counts in the sum of what charges it.
    pub fn charges(self) -> bool {
        match self {
            SourceKind::Alternator
            | SourceKind::Wind
            | SourceKind::Charger
            | SourceKind::DcDc
            | SourceKind::Controller => true,
            SourceKind::Battery
            | SourceKind::Tow
            | SourceKind::Array
            | SourceKind::Shore
            | SourceKind::Generator
            | SourceKind::Inverter => false,
        }
    }

    /// Whether its voltage rises to what nothing stands when its battery is taken away while it gives.
    pub fn runs_away(self) -> bool {
        match self {
            SourceKind::Controller | SourceKind::Alternator | SourceKind::Wind => true,
            SourceKind::Battery
            | SourceKind::Tow
            | SourceKind::Array
            | SourceKind::Shore
            | SourceKind::Generator
            | SourceKind::Inverter
            | SourceKind::Charger
            | SourceKind::DcDc => false,
        }
    }

    /// Whether the voltage that it charges to is set on it.
    pub fn is_set(self) -> bool {
        match self {
            SourceKind::Charger | SourceKind::DcDc | SourceKind::Controller | SourceKind::Wind => true,
            SourceKind::Battery
            | SourceKind::Alternator
            | SourceKind::Tow
            | SourceKind::Array
            | SourceKind::Shore
            | SourceKind::Generator
            | SourceKind::Inverter => false,
        }
    }

    /// Whether it only passes on energy taken from elsewhere in the rig.
    pub fn converts(self) -> bool {
        matches!(self, SourceKind::Inverter | SourceKind::Charger | SourceKind::DcDc | SourceKind::Controller)
    }
}

/// A source port of a component.
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
    /// Terminals the energy comes in at, for a converting component: line or positive, neutral or negative.
    pub input: Option<(String, String)>,
    /// The second hot of a two-hot source: its voltage is opposite to that of the first.
    pub opposite: bool,
}

/// Everything Murvet knows of a component's inside.
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
    /// Batteries, or strings of them in series, that lie beside each other in a bank: positive, negative.
    pub cells: Vec<(String, String)>,
    /// Consumers: line or positive, neutral or negative.
    pub consumers: Vec<(String, String)>,
    /// Positions of the component's control, parked position first.
    pub positions: Vec<&'static str>,
    /// Positions of an automatic changeover, rest position first.
    pub auto: Vec<&'static str>,
}

impl Anatomy {
    pub(crate) fn terminal(&mut self, name: impl Into<String>, role: Role) {
        self.terminals.push((name.into(), role));
    }

    /// A port of its own terminals, with a second hot or without.
    pub(crate) fn port(&mut self, name: &str, usual: PortUse, two_hot: bool) {
        let own = [format!("{name}.L"), format!("{name}.N"), format!("{name}.PE")];
        for (terminal, role) in own.iter().zip([Role::Line, Role::Neutral, Role::Earth]) {
            self.terminal(terminal.clone(), role);
        }
        let second = two_hot.then(|| format!("{name}.L2"));
        if let Some(second) = &second {
            self.terminal(second.clone(), Role::Line);
        }
        self.ports.push(Port { name: name.to_owned(), usual, terminals: own, second });
    }

    pub(crate) fn join(&mut self, a: impl Into<String>, b: impl Into<String>, inner: Inner) {
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

    /// The other end of a two-ended device, for a run that comes in at this terminal.
    pub fn opposite_end(terminal: &str) -> Option<&'static str> {
        Some(match terminal {
            "in" => "out",
            "out" => "in",
            "in2" => "out2",
            "out2" => "in2",
            _ => return None,
        })
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
