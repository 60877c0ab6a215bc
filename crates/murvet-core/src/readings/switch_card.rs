//! The card beside the door: every switch in the order of shutting down, and backwards for starting up, with what is seen.

use super::parting::{batteries, parting};
use super::safe::array_switches;
use crate::audit::Audit;
use crate::catalogue::Kind;
use crate::rig::Component;

/// What is done with a source to shut it down.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Press {
    /// Its cord is pulled at the supply.
    Unplug,
    /// The tow vehicle is uncoupled.
    Uncouple,
    /// It is stopped at its own switch.
    Stop,
    /// Its own switch, remote or screen.
    SwitchOff,
    /// These switches, by their labels.
    Open(Vec<String>),
    /// Its brake, and it is seen to stand still.
    Brake,
    /// Nothing that an owner may touch takes it off.
    NoSwitch,
}

/// What kind of source it is, for what is seen when it goes off and comes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shows {
    /// Shore: outlets, chargers.
    Shore,
    /// A generator.
    Generator,
    /// The engine or a tow vehicle.
    Vehicle,
    /// An inverter: its lamp, its outlets.
    Inverter,
    /// The array: the light of its controller.
    Sun,
    /// A turbine.
    Wind,
    /// A bank: everything that runs on it.
    Bank,
}

/// One line of the card.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CardStep {
    /// The source, by its id and label; no id for the engine.
    pub source: (String, String),
    /// Where it is, by the label of the place.
    pub place: Option<String>,
    /// What is done.
    pub press: Press,
    /// What is seen.
    pub shows: Shows,
}

/// The lines in the order of shutting down: what makes alternating current before what feeds it, every source that charges
/// before the bank that it charges into, as in making safe. Starting up is the same backwards, but for a turbine, which is
/// released last.
///
/// Complexity: that of the walk round each battery.
pub fn switch_card(audit: &Audit) -> Vec<CardStep> {
    let rig = &audit.assumed;
    let of = |kind: Kind| rig.components.iter().filter(move |p| p.kind == kind && p.status.present());
    let line = |p: &Component, press: Press, shows: Shows| CardStep {
        source: (p.id.clone(), p.title().to_owned()),
        place: place(audit, p),
        press,
        shows,
    };
    let mut card = Vec::new();
    card.extend(of(Kind::Inlet).map(|p| line(p, Press::Unplug, Shows::Shore)));
    card.extend(of(Kind::Generator).map(|p| line(p, Press::Stop, Shows::Generator)));
    if audit.net.controls.iter().any(|c| c.component.is_none()) {
        let source = (String::new(), String::new());
        card.push(CardStep { source, place: None, press: Press::Stop, shows: Shows::Vehicle });
    }
    let inverters = of(Kind::Inverter).chain(of(Kind::InverterCharger));
    card.extend(inverters.map(|p| line(p, Press::SwitchOff, Shows::Inverter)));
    card.extend(of(Kind::Tow).map(|p| line(p, Press::Uncouple, Shows::Vehicle)));
    for p in of(Kind::Array) {
        let switches = array_switches(audit, &p.id);
        let press = if switches.is_empty() { Press::NoSwitch } else { Press::Open(switches) };
        card.push(line(p, press, Shows::Sun));
    }
    for p in of(Kind::WindTurbine) {
        let braked = matches!(p.word("brake"), Some("brake-switch" | "brake-by-hand"));
        card.push(line(p, if braked { Press::Brake } else { Press::NoSwitch }, Shows::Wind));
    }
    for s in batteries(audit) {
        let p = &rig.components[s.component];
        let switches: Vec<String> =
            parting(audit, s).switches.iter().map(|i| named(audit, &rig.components[*i])).collect();
        let press = if switches.is_empty() { Press::NoSwitch } else { Press::Open(switches) };
        card.push(line(p, press, Shows::Bank));
    }
    card
}

fn place(audit: &Audit, p: &Component) -> Option<String> {
    let place = audit.assumed.place(p.place.as_deref()?)?;
    Some(place.label.clone().unwrap_or_else(|| place.id.clone()))
}

/// A switch by its label, with the place it is in.
fn named(audit: &Audit, p: &Component) -> String {
    place(audit, p).map_or_else(|| p.title().to_owned(), |place| format!("{} ({place})", p.title()))
}
