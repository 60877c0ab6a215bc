//! Whether a rig makes sense: every name defined, every value of the right kind.
//!
//! Both forms of a rig are checked here, so an error reads the same whichever was typed.

use super::{HopEnd, attached, port_of, start_of, walk};
use crate::catalogue::{AttrType, Kind, REMARKS, WELDED, ZONES, remark_kind};
use crate::profiles::{SCHOOLS, school};
use crate::rig::{Cable, Component, Conductor, Rig, Run, Step, Value, Way};
use crate::terminals::anatomy;
use crate::units::{Dimension, Quantity, QuantityError};
use std::collections::BTreeSet;

/// Where in a rig a problem is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Spot {
    /// In the text itself, both counted from 1.
    Text {
        /// Line.
        line: usize,
        /// Column.
        column: usize,
    },
    /// A place by index.
    Place(usize),
    /// A component by index.
    Component(usize),
    /// A run by index, and the step in it.
    Run(usize, Option<usize>),
    /// A cable by index.
    Cable(usize),
    /// A remark by index.
    Remark(usize),
    /// A choice of a school by index.
    Choice(usize),
}

/// One thing wrong with a rig.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// Where.
    pub spot: Spot,
    /// What is wrong.
    pub message: String,
    /// What to do about it.
    pub help: String,
    /// The word at fault, as it stands in the text.
    pub word: Option<String>,
}

/// The place in the file: line and column of a text, or the item of the JSON form.
impl std::fmt::Display for Spot {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Spot::Text { line, column } => write!(f, "{line}:{column}"),
            Spot::Place(i) => write!(f, "places[{i}]"),
            Spot::Component(i) => write!(f, "pieces[{i}]"),
            Spot::Run(i, None) => write!(f, "runs[{i}]"),
            Spot::Run(i, Some(step)) => write!(f, "runs[{i}].steps[{step}]"),
            Spot::Cable(i) => write!(f, "cables[{i}]"),
            Spot::Remark(i) => write!(f, "remarks[{i}]"),
            Spot::Choice(i) => write!(f, "choices[{i}]"),
        }
    }
}

/// The name most like a mistyped one, if any is like it at all.
///
/// A word longer than any name is like none; comparing it would take time in proportion to its length.
pub fn nearest<'a>(word: &str, names: impl Iterator<Item = &'a str>) -> Option<&'a str> {
    if word.len() > LONGEST_WORD {
        return None;
    }
    let word = word.to_lowercase();
    names
        .map(|name| (strsim::damerau_levenshtein(&word, &name.to_lowercase()), name))
        .filter(|(distance, name)| *distance <= 1 + name.len().min(word.len()) / 4)
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, name)| name)
}

/// Words longer than this are not compared with names.
const LONGEST_WORD: usize = 64;

/// At most so many problems are listed: beyond it the rig is none at all.
const MOST_PROBLEMS: usize = 400;

/// At most so many components, and as many runs and cables together: far more than any vehicle has, few enough to be
/// judged while one waits.
pub const MOST_COMPONENTS: usize = 2_000;

struct Checker<'a> {
    rig: &'a Rig,
    found: Vec<Problem>,
}

impl Checker<'_> {
    fn say(&mut self, spot: Spot, word: &str, message: impl Into<String>, help: impl Into<String>) {
        if self.found.len() >= MOST_PROBLEMS {
            return;
        }
        self.found.push(Problem {
            spot,
            message: message.into(),
            help: help.into(),
            word: (!word.is_empty()).then(|| word.to_owned()),
        });
    }

    fn value(&mut self, spot: Spot, what: &str, value: &Value, dimension: Dimension) {
        if value.is_unseen() {
            return;
        }
        let expected = format!("{what} is {}, or ? when unseen", dimension.describe());
        match Quantity::parse(&value.text) {
            Ok(q) if q.dimension == dimension => {
                if dimension == Dimension::Area && q.si > 1000.0 {
                    self.say(spot, &value.text, format!("\"{}\" is too thick for any cable", q.text), expected);
                }
            }
            Ok(_) => self.say(spot, &value.text, format!("\"{}\" has the wrong unit", value.text), expected),
            Err(QuantityError::NoUnit(text)) if dimension == Dimension::Area => self.say(
                spot,
                &value.text,
                format!("\"{text}\" is no size by itself: {}?", crate::units::sizes_meant(&text)),
                expected,
            ),
            Err(error) => self.say(spot, &value.text, error.to_string(), expected),
        }
    }

    fn id(&mut self, spot: Spot, id: &str, seen: &mut BTreeSet<String>, what: &str) {
        let fits = id.chars().next().is_some_and(char::is_alphabetic)
            && id.chars().all(|c| c.is_alphanumeric() || c == '-' || c == '_');
        if !fits {
            self.say(
                spot,
                id,
                format!("\"{id}\" cannot be a name"),
                "a name starts with a letter and has letters, digits, - and _ only",
            );
        } else if !seen.insert(id.to_owned()) {
            self.say(spot, id, format!("{what} \"{id}\" is there twice"), "give one of them another name");
        }
    }

    fn place_ref(&mut self, spot: Spot, id: &str) {
        if self.rig.place(id).is_none() {
            let near = nearest(id, self.rig.places.iter().map(|p| p.id.as_str()));
            let help = match near {
                Some(near) => format!("did you mean \"{near}\"? Otherwise enter: place {id}"),
                None => format!("enter it on a line of its own: place {id}"),
            };
            self.say(spot, id, format!("no place is called \"{id}\""), help);
        }
    }

    fn component(&mut self, index: usize, component: &Component) {
        let spec = component.kind.spec();
        let spot = || Spot::Component(index);
        if let Some(place) = &component.place {
            self.place_ref(spot(), place);
        }
        for (key, value) in &component.attrs {
            match spec.attr(key).map(|a| a.ty) {
                None => {
                    let known: Vec<&str> = spec.attrs.iter().map(|a| a.key).collect();
                    let near = nearest(key, known.iter().copied());
                    let meant = near.map_or(String::new(), |n| format!("did you mean \"{n}\"? "));
                    self.say(
                        spot(),
                        key,
                        format!("a {} has no \"{key}\"", spec.title),
                        format!("{meant}It has {}", known.join(", ")),
                    );
                }
                Some(AttrType::Quantity(dimension, _)) => self.value(spot(), key, value, dimension),
                Some(AttrType::Word(words)) => {
                    if !value.is_unseen() && !words.contains(&value.text.as_str()) {
                        let help = format!("it is one of {}, or ? when unseen", words.join(", "));
                        self.say(spot(), &value.text, format!("\"{}\" is no {key}", value.text), help);
                    }
                }
                Some(AttrType::Flag) => {
                    if value.text != "yes" && !value.is_unseen() {
                        self.say(
                            spot(),
                            &value.text,
                            format!("\"{key}\" is there or not"),
                            "write yes, or leave it out",
                        );
                    }
                }
                Some(AttrType::Words) => {
                    if value.text.contains(['"', '\n']) {
                        self.say(spot(), &value.text, format!("\"{key}\" has a quote inside"), "write it without");
                    }
                }
                Some(AttrType::Name) => {
                    if value.text.is_empty() || value.text.contains(char::is_whitespace) {
                        self.say(spot(), &value.text, format!("\"{key}\" needs one name"), "write it without spaces");
                    }
                }
            }
        }
        if !spec.ways && !component.ways.is_empty() {
            self.say(spot(), "way", format!("a {} has no ways", spec.title), "only a panel or a fuse-block has");
        }
        let mut seen = BTreeSet::new();
        for way in &component.ways {
            self.id(spot(), &way.id, &mut seen, "way");
            if ["in", "main", "hot", "hot2", "N", "PE"].contains(&way.id.as_str()) {
                self.say(spot(), &way.id, format!("\"{}\" is a bar, not a way", way.id), "give the way another name");
            }
            self.value(spot(), "a way's rating", &way.rating, Dimension::Current);
            if let Some(rcd) = &way.rcd {
                self.value(spot(), "rcd", rcd, Dimension::Current);
            }
            if let Some(leg) = &way.leg {
                if !Way::LEGS.contains(&leg.as_str()) {
                    let help = format!("it is one of {}", Way::LEGS.join(", "));
                    self.say(spot(), leg, format!("\"{leg}\" is no leg"), help);
                } else if !component.two_hot() && leg != Way::LEGS[0] {
                    let help = "write two-hot for a panel with two hot bars, or leave the leg out";
                    self.say(spot(), leg, format!("\"{}\" has one hot bar", component.id), help);
                }
            }
        }
        self.named(index, component);
        if let Err((message, help)) = attached(self.rig, component) {
            let word = component.word("on").unwrap_or_default().to_owned();
            self.say(spot(), &word, message, help);
        }
    }

    /// What a component names that is not landed on it: where its electronics are fed, what it is without mains, what a coil
    /// hangs on.
    fn named(&mut self, index: usize, component: &Component) {
        let spot = || Spot::Component(index);
        if let Some(word) = component.word("control")
            && let Err((message, help)) = super::terminal_of(self.rig, &crate::rig::TermRef::from(word), true)
        {
            self.say(spot(), word, message, help);
        }
        let of = |kinds: &[Kind], word: &str| self.rig.component(word).is_some_and(|p| kinds.contains(&p.kind));
        let sources = [Kind::Inlet, Kind::Generator, Kind::Inverter, Kind::InverterCharger];
        let wrong = |key: &str, kinds: &[Kind]| component.word(key).filter(|w| !of(kinds, w)).map(str::to_owned);
        let coil = wrong("coil", &sources).filter(|w| w != WELDED);
        let other = wrong("else", &[Kind::DcLoad]);
        if let Some(word) = coil {
            let help =
                "name an inlet, a generator or an inverter, or leave it out: its coil then hangs on its own line side";
            self.say(
                spot(),
                &word,
                format!("the coil of \"{}\" hangs on no source called \"{word}\"", component.id),
                help,
            );
        }
        if let Some(word) = other {
            let message = format!("no DC appliance is called \"{word}\"");
            self.say(spot(), &word, message, "enter what it takes on DC as a dc-load, and name that");
        }
    }

    fn conductor(&mut self, spot: &Spot, c: &Conductor) {
        self.value(spot.clone(), "the length", &c.length, Dimension::Length);
        self.value(spot.clone(), "the size", &c.size, Dimension::Area);
        self.common(spot, c.insulation.as_ref(), c.bundle.as_ref(), &c.via);
    }

    /// The vehicle maker's starting circuit lies between the starter battery, its alternator and its starter: the word on
    /// any other conductor would take that out of the audit.
    fn cranking(&mut self, index: usize, run: &Run) {
        let steps = run.steps.iter().enumerate();
        let marked: Vec<usize> =
            steps.filter(|(_, s)| matches!(s, Step::Conductor(c) if c.cranking)).map(|(i, _)| i).collect();
        let Ok(hops) = walk(self.rig, run) else { return };
        let kinds = |p: &Component| match p.kind {
            // The engine's own.
            Kind::Alternator => Some(true),
            Kind::Battery => p.flag("starter").then_some(true),
            // What such a circuit may pass or end at.
            Kind::Chassis | Kind::Bus | Kind::Isolator | Kind::Fuse | Kind::DcLoad | Kind::Shunt => Some(false),
            _ => None,
        };
        // The whole marked stretch is looked at: one of its ends is the engine's own, and none is anything else.
        let ends: Vec<(String, Option<bool>)> = hops
            .iter()
            .filter(|h| h.conductor.is_some_and(|c| c.cranking))
            .flat_map(|h| [&h.from, &h.to])
            .filter_map(|e| match e {
                HopEnd::Terminal(p, _) => Some((self.rig.components[*p].id.clone(), kinds(&self.rig.components[*p]))),
                _ => None,
            })
            .collect();
        let Some(first) = marked.first() else { return };
        let stranger = ends.iter().find(|e| e.1.is_none());
        if stranger.is_none() && ends.iter().any(|e| e.1 == Some(true)) {
            return;
        }
        let message = match stranger {
            Some((id, _)) => format!("\"cranking\" is for the engine's starting circuit, and \"{id}\" is no part of it"),
            None => "\"cranking\" is for the engine's starting circuit, and neither its battery nor its alternator is at this conductor".to_owned(),
        };
        self.say(
            Spot::Run(index, Some(*first)),
            "cranking",
            message,
            "take the word out: the conductor is then judged like any other",
        );
    }

    fn common(&mut self, spot: &Spot, insulation: Option<&Value>, bundle: Option<&Value>, via: &[String]) {
        if let Some(value) = insulation {
            self.value(spot.clone(), "the insulation", value, Dimension::Temperature);
        }
        if let Some(value) = bundle {
            self.value(spot.clone(), "the bundle", value, Dimension::Count);
        }
        for place in via {
            self.place_ref(spot.clone(), place);
        }
    }
}

/// Every problem of meaning in a rig, in the order of its parts; empty when it makes sense.
pub fn check(rig: &Rig) -> Vec<Problem> {
    let mut checker = Checker { rig, found: Vec::new() };
    let counts = [
        ("components", rig.components.len()),
        ("runs and cables", rig.runs.len() + rig.cables.len()),
        ("places, remarks and choices", rig.places.len() + rig.remarks.len() + rig.choices.len()),
    ];
    if let Some((what, count)) = counts.into_iter().find(|(_, n)| *n > MOST_COMPONENTS) {
        let spot = Spot::Text { line: 1, column: 1 };
        checker.say(
            spot,
            "",
            format!("the rig has {count} {what}"),
            format!("a rig may have up to {MOST_COMPONENTS}; split it"),
        );
        return checker.found;
    }
    let mut seen = BTreeSet::new();
    for (index, place) in rig.places.iter().enumerate() {
        let spot = || Spot::Place(index);
        checker.id(spot(), &place.id, &mut seen, "place");
        if let Some(ambient) = &place.ambient {
            checker.value(spot(), "the ambient", ambient, Dimension::Temperature);
        }
        for (key, value) in &place.air {
            match crate::rig::Place::AIR.iter().find(|(k, _)| k == key) {
                Some((_, Dimension::Area))
                    if value.si(Dimension::Area).is_some_and(|a| a > 0.0) || value.is_unseen() => {}
                Some((_, Dimension::Area)) => {
                    let message = format!("\"{}\" is no free area of an opening", value.text);
                    checker.say(spot(), &value.text, message, "write for example vent-low 100cm2");
                }
                Some((_, dimension)) => checker.value(spot(), &format!("the {key}"), value, *dimension),
                None => {
                    let known: Vec<&str> = crate::rig::Place::AIR.iter().map(|a| a.0).collect();
                    checker.say(
                        spot(),
                        key,
                        format!("a place has no \"{key}\""),
                        format!("it has {}", known.join(", ")),
                    );
                }
            }
        }
        if let Some(zone) = &place.zone
            && !ZONES.contains(&zone.as_str())
        {
            let help = format!("it is one of {}", ZONES.join(", "));
            checker.say(spot(), zone, format!("\"{zone}\" is no zone"), help);
        }
        if let Some(opened) = &place.opened
            && !["yes", "part", "no"].contains(&opened.as_str())
        {
            checker.say(
                spot(),
                opened,
                format!("\"{opened}\" does not say how far it was opened"),
                "write yes, part or no",
            );
        }
    }
    let mut seen = BTreeSet::new();
    for (index, component) in rig.components.iter().enumerate() {
        checker.id(Spot::Component(index), &component.id, &mut seen, "component");
        checker.component(index, component);
    }
    for (index, run) in rig.runs.iter().enumerate() {
        for (step, what) in run.steps.iter().enumerate() {
            if let Step::Conductor(c) = what {
                checker.conductor(&Spot::Run(index, Some(step)), c);
            }
        }
        if run.steps.is_empty() {
            let help = "write what comes first, for example: 0.2m 50mm2";
            checker.say(Spot::Run(index, None), "", "the run has no steps", help);
        }
        checker.cranking(index, run);
        if let Err(e) = walk(rig, run) {
            checker.say(Spot::Run(index, e.step), &e.word, e.message, e.help);
        }
    }
    for (index, cable) in rig.cables.iter().enumerate() {
        let spot = Spot::Cable(index);
        checker.id(spot.clone(), &cable.id, &mut seen, "cable or component");
        if !(2..=4).contains(&cable.cores) || (cable.no_neutral && cable.cores != 3) {
            let help = "write 2x for L and N, 3x for L, N and PE, 3x with no-neutral for L, L2 and PE, 4x for all";
            checker.say(spot.clone(), "", format!("a cable of {} cores", cable.cores), help);
        }
        checker.value(spot.clone(), "the length", &cable.length, Dimension::Length);
        checker.value(spot.clone(), "the size", &cable.size, Dimension::Area);
        if let Some(earth) = &cable.earth {
            checker.value(spot.clone(), "the size of the earth", earth, Dimension::Area);
        }
        checker.common(&spot, cable.insulation.as_ref(), cable.bundle.as_ref(), &cable.via);
        let (start, end) = (start_of(rig, cable), port_of(rig, &cable.to, false));
        for (term, port) in [(&cable.from, &start), (&cable.to, &end)] {
            if let Err((message, help)) = port
                && term.component != Cable::NOWHERE
            {
                checker.say(spot.clone(), &term.to_string(), message.clone(), help.clone());
            }
        }
        let mut used = BTreeSet::new();
        for (from, to) in cable.landings() {
            for (term, port, core) in [(&cable.from, &start, Some(from)), (&cable.to, &end, to)] {
                if let (Ok((_, port)), Some(core)) = (port, core)
                    && port.terminal(core).is_none()
                {
                    let message = format!("{term} has no terminal for {}", core.word());
                    let help =
                        "make the component two-hot, take a cable of fewer cores, or land the core elsewhere: (L2>-)";
                    checker.say(spot.clone(), &term.to_string(), message, help);
                }
            }
            // Two on one bar, as found, are said of both.
            let said = |core: crate::rig::Core| {
                let mut lands = cable.landings().into_iter().filter(|(_, to)| *to == Some(core));
                lands.all(|(from, _)| cable.map.iter().any(|l| l.from == from))
            };
            if let Some(core) = to
                && !used.insert(core)
                && !said(core)
            {
                let named = cable.map.iter().find(|l| l.to == Some(core));
                let word = named.map(|l| format!("{}>{}", l.from.word(), core.word())).unwrap_or_default();
                checker.say(
                    spot.clone(),
                    &word,
                    format!("two cores land on {}", core.word()),
                    "name every core that is not landed like to like, for example (N>PE PE>N); where both are on one bar, name both: (N>N PE>N)",
                );
            }
        }
    }
    for (index, choice) in rig.choices.iter().enumerate() {
        let spot = Spot::Choice(index);
        let Some(known) = school(&choice.school) else {
            let keys: Vec<&str> = SCHOOLS.iter().map(|s| s.key).collect();
            let message = format!("\"{}\" is no question of a school", choice.school);
            checker.say(spot, &choice.school, message, format!("it is one of {}", keys.join(", ")));
            continue;
        };
        let words: Vec<&str> = known.options.iter().map(|o| o.0).collect();
        if !words.contains(&choice.option.as_str()) {
            let message = format!("\"{}\" is no answer to {}", choice.option, choice.school);
            checker.say(spot, &choice.option, message, format!("it is one of {}", words.join(", ")));
        } else if choice.reason.trim().is_empty() {
            checker.say(spot, "", "the choice has no reason", "say why: it is printed with the audit");
        } else if rig.choices[..index].iter().any(|c| c.school == choice.school) {
            checker.say(spot, &choice.school, format!("{} is answered twice", choice.school), "keep one of the two");
        }
    }
    for (index, remark) in rig.remarks.iter().enumerate() {
        if remark_kind(&remark.kind).is_none() {
            let help = format!("it is one of {}", REMARKS.iter().map(|k| k.word).collect::<Vec<_>>().join(", "));
            checker.say(Spot::Remark(index), &remark.kind, format!("\"{}\" is no kind of remark", remark.kind), help);
        }
        let known =
            rig.component(&remark.on).is_some() || rig.cable(&remark.on).is_some() || rig.place(&remark.on).is_some();
        if !known {
            let names = rig
                .components
                .iter()
                .map(|p| &p.id)
                .chain(rig.cables.iter().map(|c| &c.id))
                .chain(rig.places.iter().map(|p| &p.id));
            let help = match nearest(&remark.on, names.map(String::as_str)) {
                Some(near) => format!("did you mean \"{near}\"?"),
                None => "name a component, a cable or a place of this rig".to_owned(),
            };
            checker.say(Spot::Remark(index), &remark.on, format!("nothing is called \"{}\"", remark.on), help);
        }
    }
    checker.found
}

/// The terminals of a component as full references, for completion.
pub(crate) fn terminal_names(component: &Component) -> Vec<String> {
    anatomy(component).terminals.iter().map(|(t, _)| format!("{}.{t}", component.id)).collect()
}
