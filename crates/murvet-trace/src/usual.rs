//! Values as they are usually met, for one tap each. What was used last in this rig comes first. Common practice, no source:
//! an offer, never an assumption.

use murvet_core::catalogue::{AttrType, Kind, Role};
use murvet_core::notation::COLOURS;
use murvet_core::profiles::{Profile, SizesIn};
use murvet_core::rig::{Component, Conductor, Rig, Step, Value};
use murvet_core::units::{Dimension, short};

/// A kind of component that may stand at a far end, and the terminal or port on which the line then lands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Follower {
    /// The kind.
    pub kind: Kind,
    /// Its terminal or port.
    pub end: &'static str,
}

/// How a field of a plate is answered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// One of a few words.
    Word,
    /// A number; typed without a unit it has this one, which stands before it for a count.
    Quantity(&'static str),
    /// There, not there or not seen.
    Flag,
    /// The outlet or terminal it is plugged into.
    On,
}

/// One thing to read off a component.
#[derive(Debug, Clone, PartialEq)]
pub struct PlateField {
    /// The attribute.
    pub key: &'static str,
    /// What it means, in a sentence.
    pub asks: &'static str,
    /// How it is answered.
    pub form: Form,
    /// What it usually is, as the notation says it.
    pub usual: Vec<String>,
    /// What is known of it now.
    pub now: Option<Value>,
    /// Stands on most plates: shown at once, the others when asked for.
    pub first: bool,
    /// That nothing is said means that there is none, or one: then "not seen" has to be said.
    pub none: bool,
}

fn earlier<'a>(values: impl Iterator<Item = &'a Value>, most: usize) -> Vec<String> {
    let mut list: Vec<String> = Vec::new();
    for value in values.filter(|v| !v.is_unseen()) {
        if list.len() < most && !list.contains(&value.text) {
            list.push(value.text.clone());
        }
    }
    list
}

fn with_usual(mut list: Vec<String>, usual: &[&str]) -> Vec<String> {
    for value in usual {
        if !list.iter().any(|v| v == value) {
            list.push((*value).to_owned());
        }
    }
    list
}

/// Every conductor, the one traced last first.
pub(crate) fn conductors(rig: &Rig) -> impl Iterator<Item = &Conductor> {
    let steps = rig.runs.iter().rev().flat_map(|r| r.steps.iter().rev());
    steps.filter_map(|s| match s {
        Step::Conductor(c) => Some(c),
        _ => None,
    })
}

fn gauge(profile: &Profile) -> bool {
    profile.sizes_in.value == SizesIn::Gauge
}

/// Lengths of conductors, or of cables: the last four used here, then usual ones.
pub fn lengths(rig: &Rig, profile: &Profile, cable: bool) -> Vec<String> {
    let own = if cable {
        earlier(rig.cables.iter().rev().map(|c| &c.length), 4)
    } else {
        earlier(conductors(rig).map(|c| &c.length), 4)
    };
    let usual: &[&str] = match (gauge(profile), cable) {
        (true, false) => &["6in", "1ft", "2ft", "3ft", "5ft", "8ft", "10ft", "15ft", "20ft"],
        (true, true) => &["3ft", "5ft", "8ft", "10ft", "15ft", "20ft", "25ft"],
        (false, false) => &["0.15m", "0.2m", "0.3m", "0.5m", "0.8m", "1m", "1.5m", "2m", "3m", "4m", "5m"],
        (false, true) => &["1m", "1.5m", "2m", "2.5m", "3m", "4m", "5m", "6m"],
    };
    with_usual(own, usual)
}

/// Sizes of conductors, or of the cores of cables: the last four used here, then usual ones.
pub fn sizes(rig: &Rig, profile: &Profile, cable: bool) -> Vec<String> {
    let own = if cable {
        earlier(rig.cables.iter().rev().map(|c| &c.size), 4)
    } else {
        earlier(conductors(rig).map(|c| &c.size), 4)
    };
    let usual: &[&str] = match (gauge(profile), cable) {
        (true, false) => {
            &["18AWG", "16AWG", "14AWG", "12AWG", "10AWG", "8AWG", "6AWG", "4AWG", "2AWG", "1/0AWG", "2/0AWG", "4/0AWG"]
        }
        (true, true) => &["16AWG", "14AWG", "12AWG", "10AWG", "8AWG", "6AWG"],
        (false, false) => {
            &["1mm2", "1.5mm2", "2.5mm2", "4mm2", "6mm2", "10mm2", "16mm2", "25mm2", "35mm2", "50mm2", "70mm2", "95mm2"]
        }
        (false, true) => &["1mm2", "1.5mm2", "2.5mm2", "4mm2", "6mm2"],
    };
    with_usual(own, usual)
}

/// Colours, the usual one of a polarity first.
///
/// ```
/// use murvet_core::catalogue::Role;
/// assert_eq!(murvet_trace::colours(Role::Minus)[0], "black");
/// ```
pub fn colours(role: Role) -> Vec<&'static str> {
    let first = match role {
        Role::Minus => "black",
        Role::Earth => "green-yellow",
        _ => "red",
    };
    let rest = COLOURS.into_iter().filter(|c| *c != first);
    std::iter::once(first).chain(rest).collect()
}

/// Temperature ratings of insulation.
pub fn insulations() -> [&'static str; 4] {
    ["60C", "75C", "90C", "105C"]
}

/// Ratings of the devices in the ways of a block or a panel, those used last in the same component first.
pub fn way_ratings(component: &Component) -> Vec<String> {
    let own = earlier(component.ways.iter().rev().map(|w| &w.rating), 3);
    let usual: &[&str] = match component.kind {
        Kind::FuseBlock => &["3A", "5A", "7.5A", "10A", "15A", "20A", "25A", "30A"],
        _ => &["6A", "10A", "15A", "16A", "20A", "30A"],
    };
    with_usual(own, usual)
}

/// Attributes that stand on most plates of a kind.
fn first(kind: Kind) -> &'static [&'static str] {
    match kind {
        Kind::Battery => &["chemistry", "voltage", "capacity", "count", "starter"],
        Kind::Inlet => &["voltage", "rating"],
        Kind::Generator => &["voltage", "rating", "bond"],
        Kind::Inverter => &["power", "dc", "ac", "bond", "isolation"],
        Kind::InverterCharger => &["power", "dc", "ac", "charge", "relay", "bond", "neutral", "isolation"],
        Kind::Charger => &["rating", "voltage"],
        Kind::DcDc => &["rating", "voltage", "enable", "isolation"],
        Kind::Array => &["isc", "voc", "power"],
        Kind::Controller => &["rating", "voltage"],
        Kind::WindTurbine => &["power", "rating", "voltage", "brake", "dump"],
        Kind::Relay => &["rating", "enable"],
        Kind::Transfer => &["operation", "poles", "rating"],
        Kind::Fuse => &["rating", "class"],
        Kind::Breaker => &["rating", "poles", "class"],
        Kind::Rcd => &["rating", "rcd", "poles"],
        Kind::Rcbo => &["rating", "rcd", "poles", "class"],
        Kind::JointBox => &["leads", "inside"],
        Kind::Panel => &["voltage", "main", "rcd", "jumper", "poles"],
        Kind::DcSocket => &["rating", "pins"],
        Kind::Outlet => &["rating"],
        Kind::GfciOutlet => &["rating", "rcd"],
        Kind::AcLoad => &["power", "on"],
        Kind::DcLoad => &["current", "vital"],
        _ => &["rating"],
    }
}

/// Attributes of which nothing said means none or one, by the catalogue.
fn none(kind: Kind, key: &str) -> bool {
    matches!(
        (kind, key),
        (Kind::Panel, "main" | "rcd") | (Kind::Battery, "count") | (Kind::WindTurbine, "dump") | (_, "on")
    )
}

/// What stands for a word that nobody was asked about yet and that hides a hazard where it is left out: that a link joins neutral
/// and earth in a panel is not seen until somebody has looked.
fn unasked(component: &Component, key: &str) -> Option<Value> {
    (component.attrs.is_empty() && key == "jumper").then(Value::unseen)
}

fn quantities(kind: Kind, key: &str, dimension: Dimension) -> &'static [&'static str] {
    match (kind, key) {
        (Kind::Battery, "voltage") => &["12.8V", "12V", "25.6V", "24V", "51.2V"],
        (Kind::Battery, "capacity") => &["80Ah", "100Ah", "150Ah", "200Ah", "280Ah", "300Ah"],
        (Kind::Battery, "count") => &["x2", "x3", "x4"],
        (Kind::Inlet, "rating") => &["10A", "15A", "16A", "30A", "50A"],
        (Kind::Generator, "rating") => &["10A", "13A", "23A", "30A"],
        (Kind::Inverter | Kind::InverterCharger, "power") => &["600W", "1000W", "1200W", "2000W", "3000W", "5000W"],
        (_, "dc") => &["12V", "24V", "48V"],
        (Kind::InverterCharger, "charge") => &["50A", "70A", "80A", "100A", "120A"],
        (Kind::InverterCharger, "relay") => &["16A", "30A", "32A", "50A"],
        (Kind::Charger, "rating") => &["10A", "20A", "30A", "45A", "60A"],
        (Kind::Charger | Kind::DcDc, "voltage") => &["13.6V", "14.2V", "14.4V", "14.6V"],
        (Kind::DcDc, "rating") => &["18A", "20A", "25A", "30A", "40A", "50A", "60A"],
        (Kind::Array, "isc") => &["6A", "9A", "10A", "11A", "18A"],
        (Kind::Array, "voc") => &["22V", "24V", "40V", "44V", "50V"],
        (Kind::Array, "power") => &["100W", "180W", "200W", "330W", "400W"],
        (Kind::Controller, "rating") => &["10A", "15A", "20A", "30A", "40A", "50A"],
        (Kind::Controller, "voltage") => &["50V", "75V", "100V", "150V"],
        (Kind::Fuse, "rating") => &[
            "3A", "5A", "10A", "15A", "20A", "25A", "30A", "40A", "50A", "60A", "80A", "100A", "125A", "150A", "175A",
            "200A", "250A", "300A", "400A",
        ],
        (Kind::Rcbo | Kind::Rcd, "rating") => &["6A", "10A", "16A", "20A", "25A", "32A", "40A"],
        (Kind::Breaker, "rating") => &["10A", "15A", "16A", "20A", "30A", "40A", "50A", "60A", "100A", "150A", "200A"],
        (Kind::Alternator, "rating") => &["90A", "120A", "150A", "180A", "220A"],
        (Kind::Isolator, "rating") => &["32A", "100A", "150A", "200A", "275A", "300A", "350A"],
        (Kind::Bus, "rating") => &["100A", "150A", "250A", "300A", "500A", "600A"],
        (Kind::Shunt, "rating") => &["300A", "500A"],
        (Kind::FuseBlock, "rating") => &["80A", "100A", "125A"],
        (Kind::Outlet | Kind::GfciOutlet, "rating") => &["10A", "13A", "15A", "16A", "20A"],
        (Kind::Panel, "main") => &["10A", "16A", "20A", "30A", "32A", "50A"],
        (Kind::AcLoad, "power") => &["60W", "140W", "500W", "800W", "900W", "1200W", "1500W", "2000W"],
        (Kind::DcLoad, "current") => &["0.2A", "1A", "2A", "3A", "4A", "5A", "6A", "8A", "10A", "20A"],
        (_, "rcd") => &["30mA", "10mA", "5mA"],
        (_, "rating") => &["10A", "16A", "20A", "30A", "50A", "80A", "100A", "200A"],
        _ if dimension == Dimension::Count => &["x2", "x3", "x4"],
        _ => &[],
    }
}

/// The unit of a number that was typed without one.
fn unit(dimension: Dimension) -> &'static str {
    match dimension {
        Dimension::Voltage => "V",
        Dimension::Current => "A",
        Dimension::Power => "W",
        Dimension::Charge => "Ah",
        Dimension::Length => "m",
        Dimension::Area => "mm2",
        Dimension::Resistance => "mohm",
        Dimension::Temperature => "C",
        Dimension::Torque => "Nm",
        Dimension::Time => "s",
        Dimension::Ratio => "%",
        Dimension::Count => "x",
    }
}

/// What can be read off a component, what stands on most plates first.
///
/// ```
/// use murvet_core::{notation::parse, profiles::ProfileId};
/// let rig = parse("fuse F1: 30A\n").unwrap();
/// let fields = murvet_trace::plate(&rig, &rig.components[0], ProfileId::EU_UK.profile());
/// assert_eq!((fields[0].key, fields[0].now.as_ref().unwrap().text.as_str()), ("rating", "30A"));
/// ```
pub fn plate(rig: &Rig, component: &Component, profile: &Profile) -> Vec<PlateField> {
    let kind = component.kind;
    let firsts = first(kind);
    let mut list: Vec<PlateField> = Vec::new();
    for spec in kind.spec().attrs {
        let (form, usual) = match spec.ty {
            AttrType::Word(words) => (Form::Word, words.iter().map(|w| (*w).to_owned()).collect()),
            AttrType::Quantity(dimension, _) => {
                let alike = rig.components.iter().rev().filter(|c| c.kind == kind && c.id != component.id);
                let own = earlier(alike.filter_map(|c| c.attrs.get(spec.key)), 3);
                let mains =
                    matches!((kind, spec.key), (Kind::Inlet | Kind::Generator | Kind::Panel, "voltage") | (_, "ac"));
                let nominal = format!("{}V", short(profile.ac_v.value));
                let usual = if mains { vec![nominal.as_str()] } else { quantities(kind, spec.key, dimension).to_vec() };
                (Form::Quantity(unit(dimension)), with_usual(own, &usual))
            }
            AttrType::Flag => (Form::Flag, vec!["yes".to_owned()]),
            AttrType::Name if spec.key == "on" => (Form::On, sockets(rig, kind)),
            AttrType::Name | AttrType::Words => continue,
        };
        list.push(PlateField {
            key: spec.key,
            asks: spec.doc,
            form,
            usual,
            now: component.attrs.get(spec.key).cloned().or_else(|| unasked(component, spec.key)),
            first: firsts.contains(&spec.key),
            none: none(kind, spec.key) || spec.ty == AttrType::Flag,
        });
    }
    list.sort_by_key(|f| firsts.iter().position(|k| *k == f.key).unwrap_or(usize::MAX));
    list
}

/// Where an appliance may be plugged in.
fn sockets(rig: &Rig, kind: Kind) -> Vec<String> {
    let fits = |k: Kind| match kind {
        Kind::DcLoad => k == Kind::DcSocket,
        _ => matches!(k, Kind::Outlet | Kind::GfciOutlet),
    };
    rig.components.iter().filter(|c| fits(c.kind) && c.status.present()).map(|c| c.id.clone()).collect()
}
