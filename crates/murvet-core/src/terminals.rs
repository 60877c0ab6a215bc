//! Terminals, ports and inner links of each kind.

use crate::catalogue::{Anatomy, Bond, Contact, Inner, Kind, Port, PortUse, Role, SourceKind, SourcePort};
use crate::rig::{Component, Core, Way};
use crate::units::Dimension;

/// The two terminals of an in-line device and its AC pass-through. The second pole of a device that counts residual
/// current is a neutral; that of a switch or breaker may as well stand in a DC negative.
fn inline(anatomy: &mut Anatomy, line: Inner, neutral: Inner, two_hot: bool) {
    let second = if neutral == Inner::Residual { Role::Neutral } else { Role::Any };
    anatomy.terminal("in", Role::Any);
    anatomy.terminal("out", Role::Any);
    anatomy.join("in", "out", line.clone());
    if two_hot {
        anatomy.terminal("in2", Role::Line);
        anatomy.terminal("out2", Role::Line);
        anatomy.join("in2", "out2", line);
    }
    for side in ["in", "out"] {
        anatomy.terminal(format!("N.{side}"), second);
    }
    anatomy.join("N.in", "N.out", neutral);
    anatomy.terminal("PE", Role::Earth);
    for (port, side, usual) in [("line", "in", PortUse::In), ("load", "out", PortUse::Out)] {
        anatomy.ports.push(Port {
            name: port.to_owned(),
            usual,
            terminals: [side.to_owned(), format!("N.{side}"), "PE".to_owned()],
            second: two_hot.then(|| format!("{side}2")),
        });
    }
}

fn ways(anatomy: &mut Anatomy, component: &Component, bar: &str, role: Role) {
    for way in &component.ways {
        anatomy.terminal(way.id.clone(), role);
        let device = if way.rcd.is_some() {
            Inner::ResidualDevice { way: Some(way.id.clone()) }
        } else {
            Inner::Device { way: Some(way.id.clone()) }
        };
        // A way on leg 2 hangs on the second bar; one on both has a pole on each.
        let second = way.leg.as_deref() == Some(Way::LEG_2);
        anatomy.join(if second { "hot2" } else { bar }, way.id.clone(), device.clone());
        if way.both_legs() {
            let pole = format!("{}.L2", way.id);
            anatomy.terminal(pole.clone(), role);
            anatomy.join("hot2", pole, device);
        }
    }
}

/// The second hot of a source: opposite to the first, or fed with it over this joint. An inverter that drives one leg
/// alone leaves the second to what it passes through.
fn second_hot(a: &mut Anatomy, port: &str, legs: Option<&str>, joint: Inner) {
    let (first, second) = (format!("{port}.L"), format!("{port}.L2"));
    match legs {
        Some("two-hot") => {
            if let Some(one) = a.sources.last().cloned() {
                a.sources.push(SourcePort { plus: second, opposite: true, ..one });
            }
        }
        Some("in-phase") => a.join(first, second, joint),
        _ => {}
    }
}

/// The posts of a bank, the links between them, and where its leads are taken off. Only the outer posts of a string in
/// series are at the bank's own potential.
fn bank(a: &mut Anatomy, component: &Component) {
    // How many there are was not seen: the posts of any that a run names.
    let seen = if component.unseen("count") { 8.0 } else { 1.0 };
    let count = component.si("count", Dimension::Count).unwrap_or(seen) as usize;
    let strings = match component.word("wiring") {
        Some("series") => (component.si("strings", Dimension::Count).unwrap_or(1.0) as usize).clamp(1, count.max(1)),
        _ => count,
    };
    let each = count / strings.max(1);
    let post = |string: usize, sign: &str| match sign {
        "+" => format!("b{}.+", string * each + 1),
        _ => format!("b{}.-", (string + 1) * each),
    };
    for string in 0..strings {
        for (sign, role) in [("+", Role::Plus), ("-", Role::Minus)] {
            a.terminal(post(string, sign), role);
            if string > 0 {
                a.join(post(string - 1, sign), post(string, sign), Inner::Strap);
            }
        }
        a.cells.push((post(string, "+"), post(string, "-")));
    }
    let (plus, minus) = match component.word("taps") {
        Some("opposite-ends") => (0, strings.saturating_sub(1)),
        Some("centre") => (strings.saturating_sub(1) / 2, strings.saturating_sub(1) / 2),
        _ => (0, 0),
    };
    if strings > 0 {
        a.join("+", post(plus, "+"), Inner::Link);
        a.join("-", post(minus, "-"), Inner::Link);
    }
}

/// The anatomy of one component as traced. Words that are unseen count as the choice that the caller has
/// already put in (see [`crate::bounds`]).
pub fn anatomy(component: &Component) -> Anatomy {
    let mut a = Anatomy::default();
    let source = |kind, plus: &str, minus: &str, earth: Option<&str>, input: Option<(&str, &str)>| SourcePort {
        kind,
        plus: plus.to_owned(),
        minus: minus.to_owned(),
        earth: earth.map(str::to_owned),
        input: input.map(|(p, n)| (p.to_owned(), n.to_owned())),
        opposite: false,
    };
    let bond = match component.word("bond") {
        Some("bond-fixed") => Some(Bond::Fixed),
        Some("bond-switched") => Some(Bond::WhileSource),
        _ => None,
    };
    let two_hot = component.two_hot();
    // On two hots two poles are the hots; the neutral takes a third.
    let neutral_opens = match component.word("poles") {
        Some("3-pole") => true,
        Some("2-pole") => !two_hot,
        _ => false,
    };
    let legs = component.word("legs");
    match component.kind {
        Kind::Battery => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.sources.push(source(SourceKind::Battery, "+", "-", None, None));
            bank(&mut a, component);
        }
        Kind::Inlet => {
            a.port("out", PortUse::Out, two_hot);
            a.sources.push(source(SourceKind::Shore, "out.L", "out.N", Some("out.PE"), None));
            second_hot(&mut a, "out", legs, Inner::Link);
            a.positions = vec!["unplugged", "on shore"];
        }
        Kind::Generator => {
            a.port("out", PortUse::Out, two_hot);
            a.sources.push(source(SourceKind::Generator, "out.L", "out.N", Some("out.PE"), None));
            second_hot(&mut a, "out", legs, Inner::Link);
            a.positions = vec!["off", "running"];
            if let Some(bond) = bond {
                a.join("out.N", "out.PE", Inner::Bond(bond));
            }
        }
        Kind::Inverter => {
            a.terminal("dc+", Role::Plus);
            a.terminal("dc-", Role::Minus);
            a.port("ac", PortUse::Out, two_hot);
            a.terminal("case", Role::Earth);
            a.join("case", "ac.PE", Inner::Link);
            a.sources.push(source(SourceKind::Inverter, "ac.L", "ac.N", Some("ac.PE"), Some(("dc+", "dc-"))));
            second_hot(&mut a, "ac", legs, Inner::Link);
            a.consumers.push(("dc+".into(), "dc-".into()));
            a.positions = vec!["off", "on"];
            if let Some(bond) = bond {
                a.join("ac.N", "ac.PE", Inner::Bond(bond));
            }
        }
        Kind::InverterCharger => {
            a.terminal("dc+", Role::Plus);
            a.terminal("dc-", Role::Minus);
            // Its inputs in the order in which it prefers them.
            let inputs: &[&str] = if component.flag("two-input") { &["in", "in2"] } else { &["in"] };
            for input in inputs {
                a.port(input, PortUse::In, two_hot);
            }
            a.port("out", PortUse::Out, two_hot);
            a.terminal("case", Role::Earth);
            a.join("case", "out.PE", Inner::Link);
            let outputs: &[&str] = if component.flag("shore-only") { &["out", "aux"] } else { &["out"] };
            if outputs.len() > 1 {
                a.port("aux", PortUse::Both, two_hot);
                a.join("aux.PE", "out.PE", Inner::Link);
            }
            for (input, at) in inputs.iter().zip(1u8..) {
                let passing = || Inner::Contact(Contact::Auto(at));
                a.join(format!("{input}.PE"), "out.PE", Inner::Link);
                for output in outputs {
                    a.join(format!("{input}.L"), format!("{output}.L"), passing());
                    let common = *output == "out" && component.word("neutral") == Some("neutral-common");
                    let neutral = if common { Inner::Link } else { passing() };
                    a.join(format!("{input}.N"), format!("{output}.N"), neutral);
                    if two_hot {
                        a.join(format!("{input}.L2"), format!("{output}.L2"), passing());
                    }
                }
            }
            a.sources.push(source(SourceKind::Inverter, "out.L", "out.N", Some("out.PE"), Some(("dc+", "dc-"))));
            second_hot(&mut a, "out", legs, Inner::Contact(Contact::Auto(0)));
            for input in inputs {
                let (line, neutral) = (format!("{input}.L"), format!("{input}.N"));
                a.sources.push(source(SourceKind::Charger, "dc+", "dc-", None, Some((&line, &neutral))));
            }
            a.consumers.push(("dc+".into(), "dc-".into()));
            a.positions = vec!["off", "on"];
            a.auto = match inputs.len() {
                1 => vec!["inverting or idle", "passing shore through"],
                _ => vec!["inverting or idle", "passing in", "passing in2"],
            };
            if let Some(bond) = bond {
                a.join("out.N", "out.PE", Inner::Bond(bond));
            }
        }
        Kind::Charger => {
            a.port("ac", PortUse::In, false);
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
            if component.word("isolation") != Some("isolated") {
                a.join("in-", "out-", Inner::Link);
            }
            a.sources.push(source(SourceKind::DcDc, "out+", "out-", None, Some(("in+", "in-"))));
            a.consumers.push(("in+".into(), "in-".into()));
            if component.word("enable") == Some("trigger") {
                a.terminal("signal", Role::Plus);
            }
            if component.flag("pv-input") {
                a.terminal("pv+", Role::Plus);
                a.terminal("pv-", Role::Minus);
                a.join("pv-", "out-", Inner::Link);
                a.sources.push(source(SourceKind::Controller, "out+", "out-", None, Some(("pv+", "pv-"))));
                a.consumers.push(("pv+".into(), "pv-".into()));
            }
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
        Kind::WindTurbine => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.sources.push(source(SourceKind::Wind, "+", "-", None, None));
            // Without a brake it turns whenever there is wind, and of one whose brake was not seen nothing better is known.
            if matches!(component.word("brake"), Some("brake-switch" | "brake-by-hand")) {
                a.positions = vec!["braked", "turning"];
            }
        }
        Kind::Alternator => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.sources.push(source(SourceKind::Alternator, "+", "-", None, None));
        }
        Kind::Tow => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.sources.push(source(SourceKind::Tow, "+", "-", None, None));
            a.positions = vec!["unhitched", "hitched, its engine running"];
        }
        Kind::Isolator => {
            let pin = component.flag("pull-pin");
            let closed = || Inner::Contact(Contact::Position(u8::from(pin)));
            inline(&mut a, closed(), if neutral_opens { closed() } else { Inner::Link }, two_hot);
            a.positions = if pin { vec!["pin in", "pin pulled"] } else { vec!["closed", "open"] };
        }
        Kind::DcSocket => {
            // The plug takes both poles off.
            let closed = || Inner::Contact(Contact::Position(1));
            inline(&mut a, closed(), closed(), false);
            a.positions = vec!["unplugged", "plugged in"];
        }
        Kind::Relay => {
            let inner = match component.word("enable") {
                Some("always") => Inner::Link,
                _ => Inner::Contact(Contact::Engine),
            };
            inline(&mut a, inner, Inner::Link, false);
        }
        Kind::AcContactor => {
            let closed = || Inner::Contact(Contact::Auto(1));
            inline(&mut a, closed(), if neutral_opens { closed() } else { Inner::Link }, two_hot);
            a.auto = vec!["open", "closed"];
        }
        Kind::Transfer => {
            let automatic = component.word("operation") == Some("automatic");
            let at = |n| {
                if automatic { Contact::Auto(n) } else { Contact::Position(n) }
            };
            // The rest position of an automatic switch is the input it does not prefer: its coil
            // is fed from the preferred one.
            let preferred = if component.word("priority") == Some("b-first") { "b" } else { "a" };
            let (first, second) = match (automatic, preferred) {
                (true, "a") => ("b", "a"),
                _ => ("a", "b"),
            };
            for name in ["a", "b"] {
                a.port(name, PortUse::In, two_hot);
            }
            a.port("out", PortUse::Out, two_hot);
            for (n, input) in [(0u8, first), (1, second)] {
                a.join(format!("{input}.L"), "out.L", Inner::Contact(at(n)));
                if two_hot {
                    a.join(format!("{input}.L2"), "out.L2", Inner::Contact(at(n)));
                }
                let neutral = if neutral_opens { Inner::Contact(at(n)) } else { Inner::Link };
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
                a.port(name, PortUse::In, two_hot);
            }
            a.port("out", PortUse::Out, two_hot);
            for (n, input) in [(0u8, "a"), (1, "b")] {
                let second = two_hot.then_some(Core::L2);
                for core in Core::ONE_HOT.into_iter().chain(second) {
                    let core = core.word();
                    a.join(format!("{input}.{core}"), format!("out.{core}"), Inner::Contact(Contact::Position(n)));
                }
            }
            a.positions = vec!["in a", "in b", "unplugged"];
        }
        Kind::Fuse => inline(&mut a, Inner::Device { way: None }, Inner::Link, false),
        Kind::Breaker => {
            // Breakers count as closed, see `states`; an interlocked one is a control.
            inline(&mut a, Inner::Device { way: None }, Inner::Link, two_hot);
            if component.word("interlock").is_some() {
                a.positions = vec!["off", "on"];
                let closed = Inner::Contact(Contact::Position(1));
                let hots = a.inner.iter().position(|(from, ..)| from == "N.in").unwrap_or(0);
                for n in 0..hots {
                    let (ahead, behind) = (a.inner[n].0.clone(), format!("mid{}", if n == 0 { "" } else { "2" }));
                    a.terminal(behind.clone(), Role::Any);
                    a.inner[n].0.clone_from(&behind);
                    a.join(ahead, behind, closed.clone());
                }
                if neutral_opens {
                    a.inner[hots].2 = closed;
                }
            }
        }
        Kind::Rcd => inline(&mut a, Inner::Residual, Inner::Residual, two_hot),
        Kind::Rcbo => inline(&mut a, Inner::ResidualDevice { way: None }, Inner::Residual, two_hot),
        Kind::Shunt => inline(&mut a, Inner::Link, Inner::Link, false),
        Kind::Guard => inline(&mut a, Inner::Link, Inner::Link, two_hot),
        Kind::LoadDisconnect => {
            inline(&mut a, Inner::Contact(Contact::Position(0)), Inner::Link, false);
            a.positions = vec!["closed", "open"];
        }
        Kind::JointBox => {
            let leads = component.si("leads", Dimension::Count).unwrap_or(2.0).clamp(1.0, 12.0) as usize;
            for lead in 1..=leads {
                a.terminal(lead.to_string(), Role::Any);
                a.terminal(format!("N.{lead}"), Role::Any);
                a.terminal(format!("PE.{lead}"), Role::Earth);
                a.ports.push(Port {
                    name: lead.to_string(),
                    usual: PortUse::Both,
                    terminals: [lead.to_string(), format!("N.{lead}"), format!("PE.{lead}")],
                    second: None,
                });
                if lead > 1 && component.word("inside") != Some("apart") {
                    a.join("1", lead.to_string(), Inner::Link);
                    a.join("N.1", format!("N.{lead}"), Inner::Link);
                    if component.word("inside") != Some("earths-apart") {
                        a.join("PE.1", format!("PE.{lead}"), Inner::Link);
                    }
                }
            }
        }
        Kind::Bus => a.terminal("bar", Role::Any),
        Kind::Chassis | Kind::Electrode => a.terminal("bar", Role::Earth),
        Kind::Panel => {
            a.terminal("main.L", Role::Line);
            a.terminal("main.N", Role::Neutral);
            a.terminal("hot", Role::Line);
            a.terminal("N", Role::Neutral);
            a.terminal("PE", Role::Earth);
            let has_main = component.attrs.contains_key("main");
            let residual = component.attrs.contains_key("rcd");
            let main = match (has_main, residual) {
                (true, true) => Inner::ResidualDevice { way: None },
                (true, false) => Inner::Device { way: None },
                (false, true) => Inner::Residual,
                (false, false) => Inner::Link,
            };
            if two_hot {
                a.terminal("main.L2", Role::Line);
                a.terminal("hot2", Role::Line);
                a.join("main.L2", "hot2", main.clone());
            }
            a.join("main.L", "hot", main);
            a.join("main.N", "N", if residual { Inner::Residual } else { Inner::Link });
            a.ports.push(Port {
                name: "main".to_owned(),
                usual: PortUse::In,
                terminals: ["main.L".into(), "main.N".into(), "PE".into()],
                second: two_hot.then(|| "main.L2".to_owned()),
            });
            ways(&mut a, component, "hot", Role::Line);
            for way in &component.ways {
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
                    second: way.both_legs().then(|| format!("{}.L2", way.id)),
                });
            }
            if component.flag("jumper") {
                a.join("N", "PE", Inner::Bond(Bond::Fixed));
            }
        }
        Kind::FuseBlock => {
            a.terminal("in", Role::Plus);
            a.terminal("-", Role::Minus);
            ways(&mut a, component, "in", Role::Plus);
        }
        Kind::Outlet => a.port("ac", PortUse::Both, two_hot),
        Kind::GfciOutlet => {
            a.port("line", PortUse::In, false);
            a.port("load", PortUse::Out, false);
            a.join("line.L", "load.L", Inner::Residual);
            a.join("line.N", "load.N", Inner::Residual);
            a.join("line.PE", "load.PE", Inner::Link);
        }
        Kind::AcLoad => {
            a.port("ac", PortUse::In, two_hot);
            let back = if two_hot { "ac.L2" } else { "ac.N" };
            a.consumers.push(("ac.L".into(), back.into()));
        }
        Kind::DcLoad => {
            a.terminal("+", Role::Plus);
            a.terminal("-", Role::Minus);
            a.consumers.push(("+".into(), "-".into()));
        }
    }
    a
}
