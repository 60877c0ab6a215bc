//! An answer written into the rig.
//!
//! Every change goes through the notation: the rig is printed, read back and checked as if somebody had typed it, so that
//! nothing can be tapped that could not be written.

use crate::assumed::Part;
use crate::ends::{End, Takes};
use murvet_core::catalogue::{Kind, PortUse};
use murvet_core::meaning::{HopEnd, walk};
use murvet_core::notation::{parse, print};
use murvet_core::rig::{Cable, Component, Conductor, Landing, LooseEnd, Rig, Run, Status, Step, TermRef, Value, Way};

/// What joins the two ends.
#[derive(Debug, Clone, PartialEq)]
pub enum Joined {
    /// One conductor.
    Conductor(Box<Conductor>),
    /// Nothing: the two are bolted together.
    Bolted,
    /// An AC cable.
    Cable {
        /// How many cores.
        cores: u8,
        /// Its length.
        length: Value,
        /// The size of each core.
        size: Value,
        /// A flexible cord.
        flex: bool,
        /// Cores that do not land like to like, seen from the end that was asked about.
        map: Vec<Landing>,
    },
}

/// Where it goes.
#[derive(Debug, Clone, PartialEq)]
pub enum FarEnd {
    /// To something that is traced.
    There(End),
    /// To something new, on this terminal or port of it.
    New {
        /// What it is.
        kind: Kind,
        /// The terminal or port.
        end: String,
        /// Its printed name.
        label: Option<String>,
        /// The place it is in.
        place: Option<String>,
    },
    /// Nowhere.
    Loose(LooseEnd),
}

/// A rig with an answer in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Written {
    /// The rig.
    pub rig: Rig,
    /// The lines that it has and the rig before it had not.
    pub lines: Vec<String>,
    /// The component that the answer made.
    pub made: Option<String>,
}

/// An answer that cannot be written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct Refused(pub String);

/// Reads a changed rig back and says which lines are new.
pub fn written(before: &Rig, after: &Rig, made: Option<String>) -> Result<Written, Refused> {
    let text = print(after);
    let rig = parse(&text).map_err(|errors| {
        let said: Vec<String> = errors.iter().take(3).map(|e| format!("{}; {}", e.message, e.help)).collect();
        Refused(said.join(". "))
    })?;
    let old = print(before);
    let old: Vec<&str> = old.lines().collect();
    let lines = text.lines().filter(|l| !old.contains(l)).map(str::to_owned).collect();
    Ok(Written { rig, lines, made })
}

/// A name that is free, made from what a thing is called.
fn name_for(rig: &Rig, called: &str) -> String {
    let mut name: String = called
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' })
        .collect::<String>()
        .split('-')
        .filter(|part| !part.is_empty())
        .collect::<Vec<_>>()
        .join("-");
    if !name.starts_with(|c: char| c.is_ascii_alphabetic()) {
        name.insert(0, 'n');
    }
    let taken = rig.component(&name).is_some() || rig.cable(&name).is_some() || rig.place(&name).is_some();
    // The word of a kind that stands in a run would be read as a new one there.
    let read_as_new = Kind::from_word(&name).is_some_and(|k| k.is_inline() || k.is_node());
    if taken || read_as_new { rig.fresh_id(&format!("{name}-")) } else { name }
}

/// What a thing of a kind is called until somebody names it; devices have a letter and a number, as on drawings.
fn called(rig: &Rig, kind: Kind, end: &str) -> String {
    let letter = match kind {
        Kind::Fuse => "F",
        Kind::Breaker => "CB",
        Kind::Isolator => "S",
        Kind::Rcd | Kind::Rcbo => "RCD",
        Kind::Relay | Kind::LoadDisconnect | Kind::AcContactor => "K",
        Kind::JointBox => "J",
        Kind::DcSocket => "X",
        Kind::Outlet | Kind::GfciOutlet => "socket-",
        _ => "",
    };
    if !letter.is_empty() {
        return rig.fresh_id(letter);
    }
    let word = match kind {
        Kind::Bus if end == "minus" => "neg",
        Kind::Bus => "pos",
        Kind::Chassis => "body",
        Kind::Inlet => "shore-inlet",
        Kind::Charger => "mains-charger",
        Kind::Controller => "solar-controller",
        Kind::Array => "panels",
        Kind::FuseBlock => "dc-fuses",
        Kind::Panel => "ac-panel",
        other => other.word(),
    };
    name_for(rig, word)
}

/// Puts a component into the rig, with nothing known of it but its place; its name is made from its label.
///
/// # Errors
/// When the rig would not be one any more, in words.
///
/// ```
/// use murvet_core::{catalogue::Kind, rig::Rig};
/// let written = murvet_trace::add(&Rig::default(), Kind::DcLoad, Some("Water pump"), None).unwrap();
/// assert_eq!(written.lines, ["dc-load water-pump: \"Water pump\""]);
/// ```
pub fn add(rig: &Rig, kind: Kind, label: Option<&str>, place: Option<&str>) -> Result<Written, Refused> {
    let mut after = rig.clone();
    let made = put(&mut after, kind, "", label, place, false);
    written(rig, &after, Some(made))
}

/// Puts an AC appliance into the rig that is plugged into an outlet, in the same place.
///
/// # Errors
/// When the outlet is not there any more.
///
/// ```
/// let rig = murvet_core::notation::parse("outlet galley\n").unwrap();
/// assert_eq!(murvet_trace::plug_in(&rig, "galley", "Kettle").unwrap().lines, ["ac-load kettle: on galley \"Kettle\""]);
/// ```
pub fn plug_in(rig: &Rig, outlet: &str, label: &str) -> Result<Written, Refused> {
    let mut after = rig.clone();
    let place = found(&mut after, outlet)?.place.clone();
    let made = put(&mut after, Kind::AcLoad, "", Some(label), place.as_deref(), false);
    found(&mut after, &made)?.attrs.insert("on".to_owned(), Value::new(outlet));
    written(rig, &after, Some(made))
}

fn put(rig: &mut Rig, kind: Kind, end: &str, label: Option<&str>, place: Option<&str>, inline: bool) -> String {
    let label = label.map(|l| l.trim().replace('"', "'")).filter(|l| !l.is_empty());
    let id = match &label {
        Some(label) => name_for(rig, label),
        None => called(rig, kind, end),
    };
    let mut component = Component { label, inline, ..Component::new(id.clone(), kind) };
    component.place = place.map(str::to_owned);
    rig.components.push(component);
    id
}

/// Writes what lands on an end.
///
/// # Errors
/// When it cannot be written, in words that say what to do.
///
/// ```
/// use murvet_core::{catalogue::Kind, rig::Conductor};
/// use murvet_trace::{FarEnd, Joined, ends, land};
/// let rig = murvet_core::notation::parse("battery house: lifepo4 12.8V 100Ah\n").unwrap();
/// let plus = ends(&rig).into_iter().find(|e| e.name == "+").unwrap();
/// let far = FarEnd::New { kind: Kind::Fuse, end: "in".into(), label: None, place: None };
/// let written = land(&rig, &plus, Joined::Conductor(Box::new(Conductor::new("0.2m", "50mm2"))), far).unwrap();
/// assert_eq!(written.lines, ["run house.+ : 0.2m 50mm2, fuse F1"]);
/// ```
pub fn land(rig: &Rig, from: &End, joined: Joined, far: FarEnd) -> Result<Written, Refused> {
    let mut after = rig.clone();
    let cabled = matches!(joined, Joined::Cable { .. });
    let (to, made) = match far {
        FarEnd::There(end) => (Ok(end), None),
        FarEnd::New { kind, end, label, place } => {
            let side = if from.role == murvet_core::catalogue::Role::Minus { "minus" } else { "" };
            let inline = kind.is_inline() && !cabled;
            let id = put(&mut after, kind, side, label.as_deref(), place.as_deref(), inline);
            let takes = match (cabled, kind.is_inline()) {
                (false, _) => Takes::Conductor,
                (true, true) if end == "load" => Takes::Cable(PortUse::Out),
                (true, true) => Takes::Cable(PortUse::In),
                (true, false) => Takes::Cable(usual_of(&after, &id, &end)),
            };
            let end =
                End { component: id.clone(), name: end, takes, sun: false, landed: 0, spare: false, ..from.clone() };
            (Ok(end), Some(id))
        }
        FarEnd::Loose(how) => (Err(how), None),
    };
    match joined {
        Joined::Cable { cores, length, size, flex, map } => {
            let id = after.fresh_id("W");
            let (mut a, mut b) = (port(from), to.as_ref().map_or_else(|how| nowhere(*how), port));
            let mut map = map;
            if let Ok(end) = &to
                && backwards(from, end)
            {
                std::mem::swap(&mut a, &mut b);
                let turned = |l: Landing| match l.to {
                    Some(to) => Landing { from: to, to: Some(l.from) },
                    None => l,
                };
                map = map.into_iter().map(turned).collect();
            }
            let comment = Vec::new();
            let rest = (None, None, None, Vec::new());
            let (earth, insulation, bundle, via) = rest;
            let status = Status::default();
            let no_neutral = false;
            after.cables.push(Cable {
                id,
                cores,
                no_neutral,
                length,
                size,
                earth,
                insulation,
                flex,
                via,
                bundle,
                from: a,
                to: b,
                map,
                status,
                comment,
            });
        }
        single => {
            let mut steps = Vec::new();
            match single {
                Joined::Conductor(c) => steps.push(Step::Conductor(*c)),
                _ if to.is_err() => {
                    return Err(Refused(
                        "what is bolted to nothing is not there: say which conductor ends here".to_owned(),
                    ));
                }
                _ => {}
            }
            steps.push(match &to {
                Ok(end) => Step::At(end.term(&after, false)),
                Err(how) => Step::End(*how),
            });
            match run_into(&after, from) {
                Some(run) => after.runs[run].steps.extend(steps),
                None => {
                    let from = from.term(&after, true);
                    after.runs.push(Run { from, steps, comment: Vec::new() });
                }
            }
        }
    }
    written(rig, &after, made)
}

/// The run that ends at the other side of a device, so that what leaves the device goes on in the same line.
fn run_into(rig: &Rig, from: &End) -> Option<usize> {
    let index = rig.components.iter().position(|c| c.id == from.component && c.kind.is_inline())?;
    let entered = murvet_core::catalogue::Anatomy::opposite_end(&from.name)?;
    let at = HopEnd::Terminal(index, entered.to_owned());
    let ends_there = |run: &Run| walk(rig, run).is_ok_and(|hops| hops.last().is_some_and(|h| h.to == at));
    rig.runs.iter().position(ends_there)
}

fn nowhere(how: LooseEnd) -> TermRef {
    let terminal = (how != LooseEnd::Unseen).then(|| how.word().to_owned());
    TermRef { component: Cable::NOWHERE.to_owned(), terminal }
}

/// An end as a cable names it.
fn port(end: &End) -> TermRef {
    TermRef::new(end.component.clone(), end.as_port().name)
}

fn way_of(end: &End) -> PortUse {
    match end.as_port().takes {
        Takes::Cable(usual) => usual,
        _ => PortUse::Both,
    }
}

fn usual_of(rig: &Rig, id: &str, port: &str) -> PortUse {
    let anatomy = rig.component(id).map(murvet_core::terminals::anatomy);
    let usual = anatomy.and_then(|a| a.ports.iter().find(|p| p.name == port).map(|p| p.usual));
    usual.unwrap_or(PortUse::Both)
}

/// A cable is written from the source: whether that is the far end.
fn backwards(from: &End, to: &End) -> bool {
    way_of(from) == PortUse::In || (way_of(to) == PortUse::Out && way_of(from) != PortUse::Out)
}

/// Writes what was read off a component: for each attribute its value as the notation says it, `?` for not seen, nothing for
/// not there.
///
/// # Errors
/// When a value does not fit, in words.
pub fn set_plate(rig: &Rig, id: &str, values: &[(String, Option<String>)]) -> Result<Written, Refused> {
    let mut after = rig.clone();
    let component = found(&mut after, id)?;
    for (key, value) in values {
        match value {
            Some(text) => component.attrs.insert(key.clone(), read(text)?),
            None => component.attrs.remove(key),
        };
    }
    written(rig, &after, None)
}

/// Puts a way into a block or a panel, named after its label.
///
/// # Errors
/// When the rating does not fit or nothing more fits in, in words.
pub fn set_way(rig: &Rig, id: &str, rating: &str, label: Option<&str>) -> Result<Written, Refused> {
    let mut after = rig.clone();
    let rating = read(rating)?;
    let component = found(&mut after, id)?;
    let label = label.map(|l| l.trim().replace('"', "'")).filter(|l| !l.is_empty());
    let stem = label.as_deref().map_or_else(|| "way".to_owned(), |l| name_for(&Rig::default(), l));
    let taken = |name: &str| component.ways.iter().any(|w| w.id == name);
    let way = if label.is_some() && !taken(&stem) {
        stem
    } else {
        (1..).map(|n| format!("{stem}{n}")).find(|name| !taken(name)).unwrap_or(stem)
    };
    component.ways.push(Way { id: way, rating, rcd: None, leg: None, label });
    written(rig, &after, None)
}

/// Changes a conductor or a cable: its length, its size, its colour and the rating of its insulation, each where something is
/// said.
///
/// # Errors
/// When there is no such conductor any more, or a value does not fit.
pub fn change_conductor(
    rig: &Rig,
    part: &Part,
    length: Option<&str>,
    size: Option<&str>,
    colour: Option<&str>,
    insulation: Option<&str>,
) -> Result<Written, Refused> {
    let mut after = rig.clone();
    let gone = || Refused("this conductor is not in the trace any more: go back to the list".to_owned());
    let (l, s, i) = match part {
        Part::Conductor { run, step } => {
            let found = after.runs.get_mut(*run).and_then(|r| r.steps.get_mut(*step));
            let Some(Step::Conductor(c)) = found else { return Err(gone()) };
            if let Some(colour) = colour {
                c.colour = Some(colour.to_owned());
            }
            (&mut c.length, &mut c.size, &mut c.insulation)
        }
        Part::Cable(id) => {
            let c = after.cables.iter_mut().find(|c| c.id == *id).ok_or_else(gone)?;
            (&mut c.length, &mut c.size, &mut c.insulation)
        }
        Part::Component(_) => return Err(gone()),
    };
    if let Some(text) = length {
        *l = read(text)?;
    }
    if let Some(text) = size {
        *s = read(text)?;
    }
    if let Some(text) = insulation {
        *i = Some(read(text)?);
    }
    written(rig, &after, None)
}

fn found<'a>(rig: &'a mut Rig, id: &str) -> Result<&'a mut Component, Refused> {
    rig.component_mut(id).ok_or_else(|| Refused(format!("\"{id}\" is not in the trace any more: go back to the list")))
}

fn read(text: &str) -> Result<Value, Refused> {
    text.trim().parse().map_err(Refused)
}
