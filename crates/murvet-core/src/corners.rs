//! The corners of what was not seen: every unseen value at each end of what is credible, or at each of its choices.
//!
//! Which end is the dangerous one depends on the rule: a long thin cable loses volts, a short thick one lets a fault
//! current through that no fuse breaks. So no value has "its" worst end: rigs are made at both, and all rules judge them
//! all. While there are few values every combination is tried. Else a few whole corners are taken (thin and long, thick and
//! short, and their opposites), each value is turned from two of them by itself, and more corners let every choice occur
//! and as many pairs of choices meet as there is time for.

use crate::bounds::{Open, Side, Unseen, beside_each_other, open_words};
use crate::catalogue::{AttrType, Kind};
use crate::covering::covering;
use crate::profiles::Profile;
use crate::rig::{Rig, Step, TermRef, Value};
use crate::units::{Dimension, short};

/// Where an unseen value stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Spot {
    Component(usize),
    Way(usize, usize),
    Conductor(usize, usize),
    Cable(usize),
    Place(usize),
}

/// A value that was not seen, with what it may be.
#[derive(Debug, Clone)]
pub(crate) struct OpenValue {
    pub(crate) unseen: Unseen,
    spot: Spot,
    /// Texts of the choices; of a number the low end and the high end, and of a size those of the conductors beside it: a
    /// stretch of one size is judged as a whole, which is so at neither end. Nothing for a word that is not there.
    choices: Vec<Option<String>>,
    /// The dimension of a number.
    pub(crate) number: Option<Dimension>,
    /// The choice that is worse for what a conductor carries and loses.
    worst: usize,
    /// It is a length or a size: of these the other end is worse for a fault current.
    wire: bool,
}

/// One choice for each open value, by its index.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Corner {
    pub(crate) choice: Vec<usize>,
    /// The bound that limits of sources take which nobody mentioned.
    pub(crate) side: Side,
}

/// Corners, and which of them differ in one value alone.
pub(crate) struct Corners {
    pub(crate) list: Vec<Corner>,
    /// Two corners and the value in which alone they differ.
    pub(crate) turns: Vec<(usize, usize, usize)>,
    /// The one with everything at its best for what conductors carry.
    pub(crate) best: usize,
    /// Every value was turned by itself at least once.
    pub(crate) whole: bool,
}

/// The ends of what is credible of a number, low and high: no vehicle has more or less. Common practice, no source.
fn ends(kind: Option<Kind>, key: &str, dimension: Dimension, profile: &Profile) -> (&'static str, &'static str) {
    let mains = profile.ac_v.value;
    match (kind, key, dimension) {
        (_, "length", _) => ("0.05m", "30m"),
        (None, "size", _) => ("0.5mm2", "240mm2"),
        (_, "earth", _) => ("0.5mm2", "25mm2"),
        (_, "insulation", _) => ("60C", "105C"),
        (_, "bundle", _) => ("x1", "x41"),
        (_, "ambient", _) => ("20C", "60C"),
        (_, "links", _) => ("16mm2", "120mm2"),
        (_, "link-length", _) => ("0.1m", "0.6m"),
        (_, "coldest", _) => ("-40C", "10C"),
        (_, "rcd", _) => ("5mA", "300mA"),
        (Some(Kind::Inlet), "rating", _) => ("6A", if mains < 200.0 { "50A" } else { "32A" }),
        (Some(Kind::Generator), "rating", _) => ("5A", "50A"),
        (Some(Kind::Charger | Kind::DcDc | Kind::Controller), "rating", _) | (_, "charge", _) => ("2A", "200A"),
        (Some(Kind::WindTurbine), "rating", _) => ("5A", "60A"),
        (Some(Kind::WindTurbine), "power" | "dump", _) => ("50W", "1000W"),
        (Some(Kind::Alternator), "rating", _) => ("40A", "300A"),
        // There may be no device in the tow vehicle at all.
        (Some(Kind::Tow), "rating", _) => ("10A", "1000000kA"),
        (Some(Kind::Array), "isc", _) => ("1A", "60A"),
        (Some(Kind::DcLoad), "current", _) => ("0.1A", "100A"),
        (Some(Kind::AcLoad), "current", _) => ("0.1A", if mains < 200.0 { "30A" } else { "16A" }),
        (Some(Kind::DcLoad | Kind::AcLoad), "power", _) => ("1W", "3600W"),
        (_, "breaking", _) => ("35A", "100kA"),
        (_, "internal", _) => ("0.2mohm", "50mohm"),
        (_, "efficiency", _) => ("70%", "98%"),
        (_, "idle", _) => ("0W", "60W"),
        (_, "rated", _) => ("32V", "600V"),
        (_, "main", _) => ("6A", "100A"),
        (Some(Kind::Battery), "voltage", _) => ("12V", "48V"),
        (Some(Kind::Array), _, Dimension::Voltage) => ("18V", "150V"),
        (Some(Kind::Inlet | Kind::Generator | Kind::Panel), "voltage", _) | (_, "ac", _) => {
            if mains < 200.0 {
                ("120V", "240V")
            } else {
                ("230V", "240V")
            }
        }
        (_, "dc", _) => ("12V", "48V"),
        (_, _, Dimension::Voltage) => ("9V", "60V"),
        (_, _, Dimension::Current) => ("1A", "1000A"),
        (_, _, Dimension::Power) => ("100W", "6000W"),
        (_, _, Dimension::Charge) => ("20Ah", "1000Ah"),
        (_, _, Dimension::Count) => ("x1", "x8"),
        (_, _, Dimension::Area) => ("1.5mm2", "120mm2"),
        (_, _, Dimension::Temperature) => ("20C", "60C"),
        (_, _, Dimension::Resistance) => ("0.01ohm", "10ohm"),
        (_, _, Dimension::Ratio) => ("50%", "100%"),
        (_, _, Dimension::Time) => ("10ms", "1s"),
        (_, _, Dimension::Torque) => ("1Nm", "50Nm"),
        (_, _, Dimension::Length) => ("0.05m", "30m"),
    }
}

/// Whether the high end of a number is the worse one for what a conductor carries and loses, or for the rule that asks.
fn high_is_worse(kind: Option<Kind>, key: &str) -> bool {
    let carries = matches!(
        kind,
        Some(
            Kind::Isolator
                | Kind::DcSocket
                | Kind::Relay
                | Kind::Shunt
                | Kind::JointBox
                | Kind::Bus
                | Kind::AcContactor
                | Kind::Transfer
                | Kind::PlugChangeover
                | Kind::Guard
        ) | Some(Kind::LoadDisconnect | Kind::Outlet | Kind::FuseBlock)
    );
    match key {
        "size" | "earth" | "insulation" | "breaking" | "internal" | "efficiency" | "rated" | "relay" | "links" => false,
        "charge-limit" | "discharge" | "max-device" | "coldest" | "absorption" | "high-cut" => false,
        "rating" if carries => false,
        _ => true,
    }
}

fn number(unseen: Unseen, spot: Spot, kind: Option<Kind>, dimension: Dimension, profile: &Profile) -> OpenValue {
    let key = unseen.key.as_str();
    let (low, high) = ends(kind, key, dimension, profile);
    let worst = usize::from(high_is_worse(kind, key));
    let wire = kind.is_none() && matches!(key, "length" | "size");
    let choices = vec![Some(low.to_owned()), Some(high.to_owned())];
    OpenValue { unseen, spot, choices, number: Some(dimension), worst, wire }
}

/// Everything that nobody saw and that a rig can be made with at either end: values marked `?`, ratings of devices that
/// were not read, and words whose absence changes a verdict.
pub(crate) fn open_values(rig: &Rig, profile: &Profile) -> Vec<OpenValue> {
    let mut list: Vec<OpenValue> = Vec::new();
    let of = |subject: &str, key: &str| Unseen { subject: subject.to_owned(), key: key.to_owned(), stretch: false };
    let stretch_of = |subject: &str, key: &str| Unseen { stretch: true, ..of(subject, key) };
    for open in open_words(rig) {
        let (component, key, choices) = Open::parts(&open);
        let unseen = of(&rig.components[component].id, key);
        let choices = choices.iter().map(|c| Some((*c).to_owned())).collect();
        list.push(OpenValue { unseen, spot: Spot::Component(component), choices, number: None, worst: 0, wire: false });
    }
    for (index, component) in rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let spec = component.kind.spec();
        let unread = component.kind.is_overcurrent_device() && !component.attrs.contains_key("rating");
        let links = beside_each_other(component) && !component.attrs.contains_key("links");
        let marked = component.attrs.iter().filter(|(_, v)| v.is_unseen()).map(|(k, _)| k.as_str());
        for key in marked.chain(unread.then_some("rating")).chain(links.then_some("links")) {
            let unseen = of(&component.id, key);
            let spot = Spot::Component(index);
            if list.iter().any(|o| o.unseen == unseen) {
                continue;
            }
            match spec.attr(key).map(|a| a.ty) {
                Some(AttrType::Quantity(dimension, _)) => {
                    list.push(number(unseen, spot, Some(component.kind), dimension, profile));
                }
                Some(AttrType::Word(words)) => {
                    let choices = words.iter().map(|w| Some((*w).to_owned())).collect();
                    list.push(OpenValue { unseen, spot, choices, number: None, worst: 0, wire: false });
                }
                Some(AttrType::Flag) => {
                    let choices = vec![Some("yes".to_owned()), None];
                    list.push(OpenValue { unseen, spot, choices, number: None, worst: 0, wire: false });
                }
                Some(AttrType::Name | AttrType::Words) | None => {}
            }
        }
        for (w, way) in component.ways.iter().enumerate() {
            if way.rating.is_unseen() {
                let unseen = of(&format!("{}.{}", component.id, way.id), "rating");
                let spot = Spot::Way(index, w);
                let choices = vec![Some("1A".to_owned()), Some("100A".to_owned())];
                list.push(OpenValue { unseen, spot, choices, number: Some(Dimension::Current), worst: 1, wire: false });
            }
        }
    }
    for (r, run) in rig.runs.iter().enumerate() {
        for (s, step) in run.steps.iter().enumerate() {
            let Step::Conductor(c) = step else { continue };
            let subject = format!("run from {}{}", run.from, stretch(&run.steps, s));
            let values = [
                ("length", Some(&c.length), Dimension::Length),
                ("size", Some(&c.size), Dimension::Area),
                ("insulation", c.insulation.as_ref(), Dimension::Temperature),
                ("bundle", c.bundle.as_ref(), Dimension::Count),
            ];
            for (key, value, dimension) in values {
                if value.is_some_and(Value::is_unseen) {
                    let mut open = number(stretch_of(&subject, key), Spot::Conductor(r, s), None, dimension, profile);
                    if key == "size" {
                        open.choices.extend(sizes_beside(rig, r, s).into_iter().map(Some));
                    }
                    list.push(open);
                }
            }
        }
    }
    for (c, cable) in rig.cables.iter().enumerate() {
        let subject = format!("cable {}", cable.id);
        let values = [
            ("length", Some(&cable.length), Dimension::Length),
            ("size", Some(&cable.size), Dimension::Area),
            ("earth", cable.earth.as_ref(), Dimension::Area),
            ("insulation", cable.insulation.as_ref(), Dimension::Temperature),
            ("bundle", cable.bundle.as_ref(), Dimension::Count),
        ];
        for (key, value, dimension) in values {
            if value.is_some_and(Value::is_unseen) {
                list.push(number(stretch_of(&subject, key), Spot::Cable(c), None, dimension, profile));
            }
        }
    }
    for (p, place) in rig.places.iter().enumerate() {
        if place.ambient.as_ref().is_some_and(Value::is_unseen) {
            list.push(number(of(&place.id, "ambient"), Spot::Place(p), None, Dimension::Temperature, profile));
        }
    }
    list
}

/// Sizes of the conductors that meet a conductor of a run, or that a device or bar lies between, each once and in order of
/// size; two at the most.
fn sizes_beside(rig: &Rig, run: usize, step: usize) -> Vec<String> {
    let at = |run: &crate::rig::Run, step: usize| {
        let components = run.steps.iter().enumerate().filter_map(|(i, s)| match s {
            Step::At(t) => Some((i as isize, t.component.clone())),
            _ => None,
        });
        let mut all: Vec<(isize, String)> = vec![(-1, run.from.component.clone())];
        all.extend(components);
        let here = step as isize;
        let before = all.iter().rev().find(|(i, _)| *i < here).map(|p| p.1.clone());
        let after = all.iter().find(|(i, _)| *i > here).map(|p| p.1.clone());
        [before, after].into_iter().flatten().collect::<Vec<String>>()
    };
    let own = at(&rig.runs[run], step);
    let mut sizes: Vec<(f64, String)> = Vec::new();
    for (r, other) in rig.runs.iter().enumerate() {
        for (s, what) in other.steps.iter().enumerate().filter(|(s, _)| (r, *s) != (run, step)) {
            let Step::Conductor(c) = what else { continue };
            if let Some(area) = c.size.si(Dimension::Area)
                && at(other, s).iter().any(|p| own.contains(p))
                && !sizes.iter().any(|(a, _)| (a - area).abs() < 1e-9)
            {
                sizes.push((area, c.size.text.clone()));
            }
        }
    }
    // The thickest say most: what is thinner than they are is protected for less.
    sizes.sort_by(|a, b| b.0.total_cmp(&a.0));
    sizes.truncate(2);
    sizes.into_iter().map(|s| s.1).collect()
}

/// Which stretch of a run a conductor is, where the run has several: up to what it ends at.
fn stretch(steps: &[Step], at: usize) -> String {
    if steps.iter().filter(|s| matches!(s, Step::Conductor(_))).count() < 2 {
        return String::new();
    }
    let end = steps[at + 1..].iter().find_map(|s| match s {
        Step::At(TermRef { component, .. }) => Some(format!(" to {component}")),
        _ => None,
    });
    end.unwrap_or_default()
}

/// Puts a corner's choices into a copy of a rig.
pub(crate) fn put(rig: &Rig, open: &[OpenValue], choice: &[usize]) -> Rig {
    let texts = open.iter().zip(choice).map(|(o, c)| o.choices.get(*c).cloned().flatten());
    put_texts(rig, open, texts)
}

/// A copy of a rig with everything unseen at its worst for what conductors carry and lose.
pub(crate) fn at_worst(rig: &Rig, profile: &Profile) -> Rig {
    let open = open_values(rig, profile);
    put(rig, &open, &open.iter().map(|o| o.worst).collect::<Vec<_>>())
}

/// Puts texts into a copy of a rig, one for each open value; nothing for a word that is not there.
fn put_texts(rig: &Rig, open: &[OpenValue], texts: impl Iterator<Item = Option<String>>) -> Rig {
    let mut rig = rig.clone();
    for (o, text) in open.iter().zip(texts) {
        let key = o.unseen.key.as_str();
        let value = text.as_deref().map(Value::stand_in);
        match o.spot {
            Spot::Component(p) => {
                match value {
                    Some(value) => rig.components[p].attrs.insert(key.to_owned(), value),
                    None => rig.components[p].attrs.remove(key),
                };
            }
            Spot::Way(p, w) => rig.components[p].ways[w].rating = value.unwrap_or_else(Value::unseen),
            Spot::Conductor(r, s) => {
                let Some(value) = value else { continue };
                if let Some(Step::Conductor(c)) = rig.runs[r].steps.get_mut(s) {
                    match key {
                        "length" => c.length = value,
                        "size" => c.size = value,
                        "insulation" => c.insulation = Some(value),
                        _ => c.bundle = Some(value),
                    }
                }
            }
            Spot::Cable(c) => {
                let Some(value) = value else { continue };
                let cable = &mut rig.cables[c];
                match key {
                    "length" => cable.length = value,
                    "size" => cable.size = value,
                    "earth" => cable.earth = Some(value),
                    "insulation" => cable.insulation = Some(value),
                    _ => cable.bundle = Some(value),
                }
            }
            Spot::Place(p) => rig.places[p].ambient = value,
        }
    }
    rig
}

/// At most so many corners are made to let choices meet.
const MOST_MEETING: usize = 24;

/// The corners to be judged, at most so many. The first has everything at its worst for what conductors carry.
pub(crate) fn corners(open: &[OpenValue], sides: bool, most: usize) -> Corners {
    // Of a number the two ends; what lies between is turned by itself.
    let ends_of = |o: &OpenValue| if o.number.is_some() { 2 } else { o.choices.len() };
    let product = open.iter().map(ends_of).try_fold(1usize, usize::checked_mul).unwrap_or(usize::MAX);
    let sides: &[Side] = if sides { &[Side::Worst, Side::Best] } else { &[Side::Worst] };
    let worst: Vec<usize> = open.iter().map(|o| o.worst).collect();
    if product.saturating_mul(sides.len()) <= most.min(32) {
        let mut list = Vec::new();
        for &side in sides {
            for mut n in 0..product {
                // Counted from the worst choice of each.
                let choice = open.iter().zip(&worst).map(|(o, w)| {
                    let c = (n + w) % ends_of(o);
                    n /= ends_of(o);
                    c
                });
                list.push(Corner { choice: choice.collect(), side });
            }
        }
        let mut turns = Vec::new();
        for (a, one) in list.iter().enumerate() {
            for (b, other) in list.iter().enumerate().skip(a + 1) {
                let mut differ = (0..open.len()).filter(|&v| one.choice[v] != other.choice[v]);
                if let (Some(v), None, true) = (differ.next(), differ.next(), one.side == other.side) {
                    turns.push((a, b, v));
                }
            }
        }
        let best = list.len() - 1;
        let ends = list.len();
        for (v, o) in open.iter().enumerate().filter(|(_, o)| o.number.is_some()) {
            for c in 2..o.choices.len() {
                for base in 0..ends {
                    if list.len() >= most {
                        break;
                    }
                    if list[base].choice[v] != o.worst {
                        continue;
                    }
                    let mut turned = list[base].clone();
                    turned.choice[v] = c;
                    turns.push((base, list.len(), v));
                    list.push(turned);
                }
            }
        }
        return Corners { list, turns, best, whole: true };
    }
    let last = |o: &OpenValue| if o.number.is_some() { 1 - o.worst } else { o.choices.len() - 1 };
    let best: Vec<usize> = open.iter().map(last).collect();
    let mixed = |base: &[usize], other: &[usize]| -> Vec<usize> {
        open.iter().enumerate().map(|(i, o)| if o.wire { other[i] } else { base[i] }).collect()
    };
    let (weak, strong) = (mixed(&best, &worst), mixed(&worst, &best));
    let mut list: Vec<Corner> = Vec::new();
    for (choice, side) in [
        (&worst, Side::Worst),
        (&best, Side::Best),
        (&strong, Side::Worst),
        (&weak, Side::Best),
        (&worst, Side::Best),
        (&best, Side::Worst),
    ] {
        let corner = Corner { choice: choice.clone(), side: if sides.len() > 1 { side } else { Side::Worst } };
        if !list.contains(&corner) {
            list.push(corner);
        }
    }
    let bases = list.len().min(4);
    // Each value is turned from the worst and from the best. What room that leaves lets them meet; where there is no room for
    // it, half of it is better used so.
    let turned: usize = 2 * open.iter().map(|o| o.choices.len() - 1).sum::<usize>();
    let kept = most.checked_sub(list.len() + turned).unwrap_or(most / 2).min(MOST_MEETING);
    let meet = |list: &mut Vec<Corner>, most: usize| {
        let choices: Vec<usize> = open.iter().map(ends_of).collect();
        let met: Vec<Vec<usize>> = list.iter().map(|c| c.choice.clone()).collect();
        let room = most.saturating_sub(list.len());
        for (n, choice) in covering(&choices, &met, room).into_iter().enumerate() {
            list.push(Corner { choice, side: sides[n % sides.len()] });
        }
    };
    // Before anything is turned, so that every choice occurs whatever the room.
    let whole_corners = list.len();
    meet(&mut list, (whole_corners + kept).min(most.max(whole_corners)));
    let mut turns = Vec::new();
    let mut whole = true;
    for base in 0..bases {
        for (v, o) in open.iter().enumerate() {
            let own = list[base].choice[v];
            // What lies between the ends is turned from the worst and the best alone.
            let most_c = if base > 1 { ends_of(o) } else { o.choices.len() };
            for c in (0..most_c).filter(|c| *c != own) {
                if list.len() >= most {
                    whole &= base > 1;
                    break;
                }
                let mut turned = list[base].clone();
                turned.choice[v] = c;
                let at = list.iter().position(|l| *l == turned).unwrap_or_else(|| {
                    list.push(turned);
                    list.len() - 1
                });
                turns.push((base, at, v));
            }
        }
    }
    Corners { list, turns, best: 1, whole }
}

/// A number between the two ends of an open value, as text: in proportion for what is never zero, else in the middle.
/// `share` runs from 0 at the sound end to 1 at the other.
fn between(o: &OpenValue, sound: usize, share: f64) -> Option<String> {
    let dimension = o.number?;
    let end = |c: usize| Value::new(o.choices[c].clone()?).si(dimension);
    let (from, to) = (end(sound)?, end(1 - sound)?);
    let value = if from > 0.0 && to > 0.0 { from * (to / from).powf(share) } else { from + (to - from) * share };
    let unit = match dimension {
        Dimension::Length => "m",
        Dimension::Area => "mm2",
        Dimension::Voltage => "V",
        Dimension::Current => "A",
        Dimension::Power => "W",
        Dimension::Charge => "Ah",
        Dimension::Temperature => "C",
        Dimension::Resistance => "ohm",
        Dimension::Time => "s",
        Dimension::Torque => "Nm",
        Dimension::Count => return Some(format!("x{}", value.round())),
        Dimension::Ratio => return Some(format!("{}%", short(value * 100.0))),
    };
    Some(format!("{}{unit}", short(value)))
}

/// Up to which value each of some findings stays away, found by halving, for all of them at once: each hangs on a value of
/// its own, with everything else at its best. `asked` are an open value, and which of its ends is sound, no value twice;
/// `found` says for a rig whether each of them is there. Gives the last sound text of each.
pub(crate) fn sound_up_to(
    rig: &Rig,
    open: &[OpenValue],
    best: &Corner,
    asked: &[(usize, usize)],
    mut found: impl FnMut(&Rig) -> Vec<bool>,
) -> Vec<Option<String>> {
    const HALVINGS: usize = 7;
    let mut low = vec![0.0f64; asked.len()];
    let mut high = vec![1.0f64; asked.len()];
    for _ in 0..HALVINGS {
        let mut texts: Vec<Option<String>> =
            open.iter().zip(&best.choice).map(|(o, c)| o.choices.get(*c).cloned().flatten()).collect();
        for (i, &(v, sound)) in asked.iter().enumerate() {
            texts[v] = between(&open[v], sound, 0.5 * (low[i] + high[i]));
        }
        for (i, is) in found(&put_texts(rig, open, texts.into_iter())).into_iter().enumerate() {
            let middle = 0.5 * (low[i] + high[i]);
            if is {
                high[i] = middle;
            } else {
                low[i] = middle;
            }
        }
    }
    asked.iter().zip(&low).map(|(&(v, sound), share)| between(&open[v], sound, *share)).collect()
}
