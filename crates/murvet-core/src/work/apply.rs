//! Acts made on a rig.

use super::act::{Act, Ends, Named, Side};
use super::loosen::{reversed, take_out, turned};
use crate::audit::Audit;
use crate::meaning::{check, nearest};
use crate::notation::{COLOURS, parse, print};
use crate::remedies::{attempt, candidates, trials};
use crate::rig::{Cable, Component, Conductor, LooseEnd, Rig, Run, Status, Step, TermRef, Value};
use crate::units::{Dimension, Quantity};

/// Why an act cannot be made, and what to do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refused {
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}

type Made<T = ()> = Result<T, Refused>;

fn refused<T>(message: impl Into<String>, help: impl Into<String>) -> Made<T> {
    Err(Refused { message: message.into(), help: help.into() })
}

/// Makes an act on a rig. What it names is looked up in the rig as it stands; a repair is looked for among those that `audit`
/// proposes for the rig as it stands.
///
/// # Errors
/// What it names is not there or is several, the statement cannot be read, or the rig would make no sense.
pub fn apply(rig: &Rig, act: &Act, audit: impl FnOnce(&Rig) -> Audit) -> Made<Rig> {
    let mut new = rig.clone();
    match act {
        Act::Fit(statement) => new = fit(rig, statement)?,
        Act::TakeOut { what, ends } => out(&mut new, what, *ends)?,
        Act::Land { what, side, on } => land(&mut new, what, *side, on)?,
        Act::Cores { cable, landings } => {
            let index = cable_of(rig, cable)?;
            let text = cable_line(&new, index, landings);
            let read = fit(&without_cable(&new, index), &text)?;
            new.cables[index] = Cable { comment: new.cables[index].comment.clone(), ..newest_cable(&read)? };
        }
        Act::Move { component, place } => {
            if rig.place(place).is_none() {
                return missing(place, "place", rig.places.iter().map(|p| p.id.as_str()));
            }
            component_of(&mut new, component)?.place = Some(place.clone());
        }
        Act::Replace { what, with } => replace(&mut new, what, with)?,
        Act::Set { what, words } => set(&mut new, what, words)?,
        Act::ReMark { what, colour } => {
            if !COLOURS.contains(&colour.as_str()) {
                let near = nearest(colour, COLOURS.into_iter());
                let help = near
                    .map_or_else(|| format!("expected {}", COLOURS.join(", ")), |n| format!("did you mean \"{n}\"?"));
                return refused(format!("\"{colour}\" is no colour"), help);
            }
            conductor_of(&mut new, what)?.colour = Some(colour.clone());
        }
        Act::Label { what, text } => {
            let (id, way) = what.split_once('.').map_or((what.as_str(), None), |(id, way)| (id, Some(way)));
            let p = component_of(&mut new, id)?;
            match way {
                None => p.label = Some(text.clone()),
                Some(way) => match p.ways.iter_mut().find(|w| w.id == way) {
                    Some(w) => w.label = Some(text.clone()),
                    None => return refused(format!("{id} has no way {way}"), "name a way of the panel"),
                },
            }
        }
        Act::PutRight { on, kind } => {
            let before = new.remarks.len();
            new.remarks.retain(|r| r.on != *on || r.kind != *kind);
            if new.remarks.len() == before {
                let list: Vec<String> = rig.remarks.iter().map(|r| format!("{}: {}", r.on, r.kind)).collect();
                let help = if list.is_empty() { "the rig has no remarks".to_owned() } else { list.join("; ") };
                return refused(format!("{on} has no remark \"{kind}\""), help);
            }
        }
        Act::Repair { finding, title } => new = repaired(rig, finding, title, &audit(rig))?,
    }
    new.normalise();
    match check(&new).into_iter().next() {
        Some(problem) => refused(problem.message, problem.help),
        None => Ok(new),
    }
}

/// The rig with one more statement of the notation.
fn fit(rig: &Rig, statement: &str) -> Made<Rig> {
    let bare = Rig { comment: Vec::new(), ..rig.clone() };
    let text = print(&bare);
    let last = text.lines().count() + 1;
    match parse(&format!("{text}{statement}\n")) {
        Ok(mut new) => {
            new.comment.clone_from(&rig.comment);
            Ok(new)
        }
        Err(errors) => {
            // The rig alone reads; what is wrong is the statement, wherever it shows.
            let own = errors.iter().find(|e| e.line == last).or(errors.first());
            let (message, help) =
                own.map_or(("it cannot be read".to_owned(), String::new()), |e| (e.message.clone(), e.help.clone()));
            refused(message, help)
        }
    }
}

fn missing<'a, T>(name: &str, what: &str, known: impl Iterator<Item = &'a str>) -> Made<T> {
    let help = nearest(name, known)
        .map_or_else(|| format!("name a {what} of the rig as it stands then"), |n| format!("did you mean \"{n}\"?"));
    refused(format!("the rig has no {what} \"{name}\""), help)
}

fn component_of<'a>(rig: &'a mut Rig, id: &str) -> Made<&'a mut Component> {
    match rig.components.iter().position(|p| p.id == id && p.status.present()) {
        Some(index) => Ok(&mut rig.components[index]),
        None => missing(id, "component", rig.components.iter().map(|p| p.id.as_str())),
    }
}

fn cable_of(rig: &Rig, id: &str) -> Made<usize> {
    match rig.cables.iter().position(|c| c.id == id && c.status.present()) {
        Some(index) => Ok(index),
        None => missing(id, "cable", rig.cables.iter().map(|c| c.id.as_str())),
    }
}

fn without_cable(rig: &Rig, index: usize) -> Rig {
    let mut copy = rig.clone();
    copy.cables.remove(index);
    copy
}

fn newest_cable(rig: &Rig) -> Made<Cable> {
    rig.cables.last().cloned().map_or_else(|| refused("it is no cable", "write a cable line"), Ok)
}

/// The line of a cable with other landings.
fn cable_line(rig: &Rig, index: usize, landings: &str) -> String {
    let cable = Cable { map: Vec::new(), comment: Vec::new(), ..rig.cables[index].clone() };
    let alone = Rig { cables: vec![cable], ..Rig::default() };
    format!("{} ({landings})", print(&alone).trim_end())
}

/// Where a run or a conductor of one is.
enum Found {
    /// A whole run.
    Run(usize),
    /// A conductor, by run and step.
    Conductor(usize, usize),
}

/// Whether a terminal is the one that was named: by its whole name, or by its component.
fn is(term: &TermRef, name: &str) -> bool {
    term.component == name || term.to_string() == name
}

/// The run or conductor between two ends, whole runs first.
fn between(rig: &Rig, from: &str, to: &str, nth: Option<usize>) -> Made<Found> {
    let end = |run: &Run, name: &str| match run.steps.last() {
        Some(Step::At(t)) => is(t, name),
        Some(Step::End(_) | Step::Conductor(_)) => name == "end",
        None => false,
    };
    let mut found: Vec<Found> = Vec::new();
    for (r, run) in rig.runs.iter().enumerate() {
        if (is(&run.from, from) && end(run, to)) || (is(&run.from, to) && end(run, from)) {
            found.push(Found::Run(r));
        }
    }
    if found.is_empty() {
        for (r, run) in rig.runs.iter().enumerate() {
            let mut last = Some(&run.from);
            for (s, step) in run.steps.iter().enumerate() {
                match step {
                    Step::At(t) => last = Some(t),
                    Step::End(_) => last = None,
                    Step::Conductor(_) => {
                        let next = match run.steps.get(s + 1) {
                            Some(Step::At(t)) => Some(t),
                            _ => None,
                        };
                        let at = |t: Option<&TermRef>, name: &str| t.map_or(name == "end", |t| is(t, name));
                        if (at(last, from) && at(next, to)) || (at(last, to) && at(next, from)) {
                            found.push(Found::Conductor(r, s));
                        }
                        if next.is_none() {
                            last = None;
                        }
                    }
                }
            }
        }
    }
    let count = found.len();
    match (nth, count) {
        (_, 0) => refused(
            format!("no run and no conductor lies between {from} and {to}"),
            "name the two ends as the trace has them, a loose one as end",
        ),
        (None, 1) => Ok(found.remove(0)),
        (None, _) => refused(
            format!("{count} runs or conductors lie between {from} and {to}"),
            format!("say which: {from} -> {to} #1 to #{count}, in the order of entry, or name terminals"),
        ),
        (Some(n), _) if n >= 1 && n <= count => Ok(found.swap_remove(n - 1)),
        (Some(n), _) => {
            refused(format!("there is no number {n} between {from} and {to}"), format!("there are {count}"))
        }
    }
}

/// Takes a conductor or a run out: what was joined by it is joined no more, and nothing lies loose.
fn unwire(rig: &mut Rig, found: Found) {
    match found {
        Found::Run(index) => {
            let gone = rig.runs.remove(index);
            for step in gone.steps {
                if let Step::At(TermRef { component, terminal: None }) = step {
                    let passed = rig.runs.iter().any(|r| {
                        r.from.component == component
                            || r.steps.iter().any(|s| matches!(s, Step::At(t) if t.component == component))
                    });
                    if let Some(p) = rig.component_mut(&component)
                        && p.inline
                        && !passed
                    {
                        p.status = Status::Removed;
                    }
                }
            }
        }
        Found::Conductor(index, step) => {
            let run = rig.runs.remove(index);
            let mut first = run.steps;
            let mut rest = first.split_off(step);
            rest.remove(0);
            if !first.is_empty() {
                rig.runs.insert(index, Run { from: run.from, steps: first, comment: run.comment });
            }
            if let Some(Step::At(_)) = rest.first()
                && rest.len() > 1
                && let Step::At(from) = rest.remove(0)
            {
                rig.runs.push(Run { from, steps: rest, comment: Vec::new() });
            }
        }
    }
}

fn out(rig: &mut Rig, what: &Named, ends: Ends) -> Made {
    match what {
        Named::Between { from, to, nth } => {
            let found = between(rig, from, to, *nth)?;
            unwire(rig, found);
        }
        Named::Id(id) => {
            if let Ok(index) = cable_of(rig, id) {
                rig.cables[index].status = Status::Removed;
                return Ok(());
            }
            let kind = component_of(rig, id)?.kind;
            if ends == Ends::Joined && !kind.is_inline() {
                let help = "only the two ends of a device in a line can be joined: say ends capped, taped or bare";
                return refused(format!("{id} is no device in a line"), help);
            }
            take_out(rig, id, ends);
        }
    }
    Ok(())
}

fn loose(on: &str) -> Option<LooseEnd> {
    LooseEnd::parse(on.strip_prefix("end ")?.trim())
}

fn land(rig: &mut Rig, what: &Named, side: Side, on: &str) -> Made {
    let end = loose(on);
    let term = TermRef::from(on);
    match what {
        Named::Id(id) => {
            let index = cable_of(rig, id)?;
            let cable = rig.cables[index].clone();
            rig.cables[index] = match (side, end) {
                (Side::End, None) => Cable { to: term, ..cable },
                (Side::End, Some(end)) => Cable { to: TermRef::new(Cable::NOWHERE, end.word()), ..cable },
                // A cable that lies loose is written from its landed end: its start, once landed, is where power comes from.
                (Side::Start, None) if cable.loose().is_some() => turned(rig, Cable { to: term, ..cable }),
                (Side::Start, None) => Cable { from: term, ..cable },
                (Side::Start, Some(end)) => {
                    turned(rig, Cable { from: TermRef::new(Cable::NOWHERE, end.word()), ..cable })
                }
            };
        }
        Named::Between { from, to, nth } => {
            let run = match between(rig, from, to, *nth)? {
                Found::Run(run) => run,
                Found::Conductor(run, step) => {
                    // A conductor at the end of a longer run is landed by that end.
                    let last = step + 2 >= rig.runs[run].steps.len();
                    if (side == Side::Start && step > 0) || (side == Side::End && !last) {
                        return refused(
                            format!("that end of {from} -> {to} lies in the middle of a run"),
                            "take the conductor out and fit a new one",
                        );
                    }
                    run
                }
            };
            match (side, end) {
                (Side::Start, None) => rig.runs[run].from = term,
                (Side::Start, Some(end)) => {
                    let gone = rig.runs.remove(run);
                    let parts = reversed(rig, gone.steps, end);
                    rig.runs.extend(parts);
                }
                (Side::End, end) => {
                    let steps = &mut rig.runs[run].steps;
                    if matches!(steps.last(), Some(Step::At(_) | Step::End(_))) {
                        steps.pop();
                    }
                    steps.push(end.map_or(Step::At(term), Step::End));
                }
            }
        }
    }
    Ok(())
}

/// A component as its words say, read in the rig as it stands.
fn read_component(rig: &Rig, kind: &str, words: &str) -> Made<Component> {
    let id = rig.fresh_id("new");
    let (kind, place) = kind.split_once(" in ").map_or((kind, ""), |(k, p)| (k, p));
    let place = if place.is_empty() { String::new() } else { format!(" in {place}") };
    let words = if words.is_empty() { String::new() } else { format!(": {words}") };
    let read = fit(rig, &format!("{} {id}{place}{words}", kind.trim()))?;
    read.component(&id).cloned().map_or_else(|| refused("it is no component", "write KIND: words"), Ok)
}

fn replace(rig: &mut Rig, what: &Named, with: &str) -> Made {
    let statement = with.split_whitespace().next().is_some_and(|w| w == "run" || w == "cable");
    match what {
        _ if statement => {
            out(rig, what, Ends::Loose(LooseEnd::Bare))?;
            *rig = fit(rig, with)?;
        }
        Named::Between { .. } => {
            let new = read_conductor(rig, with)?;
            let old = conductor_of(rig, what)?;
            *old = match new {
                // The size alone: as long and as laid as it was.
                (size, None) => Conductor { size: Value::new(size), ..old.clone() },
                (_, Some(new)) => new,
            };
        }
        Named::Id(id) => {
            if let Ok(index) = cable_of(rig, id) {
                return refused(
                    format!("{id} is a cable"),
                    format!("write the new one whole: replace {id} with cable {} ...", rig.cables[index].id),
                );
            }
            let (kind, words) = with.split_once(':').unwrap_or((with, ""));
            let new = read_component(rig, kind.trim(), words.trim())?;
            let old = component_of(rig, id)?;
            *old = Component {
                id: old.id.clone(),
                inline: old.inline,
                place: new.place.clone().or_else(|| old.place.clone()),
                label: new.label.clone().or_else(|| old.label.clone()),
                comment: old.comment.clone(),
                ..new
            };
        }
    }
    Ok(())
}

/// A conductor as its words say: a size alone, or everything.
fn read_conductor(rig: &Rig, words: &str) -> Made<(String, Option<Conductor>)> {
    if !words.contains(char::is_whitespace) && Quantity::parse(words).is_ok_and(|q| q.dimension == Dimension::Area) {
        return Ok((words.to_owned(), None));
    }
    let Some(run) = rig.runs.first() else { return refused("the rig has no run", "fit a run instead") };
    let read = fit(rig, &format!("run {} : {words}, end unseen", run.from))?;
    match read.runs.last().map(|r| &r.steps[..]) {
        Some([Step::Conductor(c), ..]) => Ok((String::new(), Some(c.clone()))),
        _ => refused("it is no conductor", "write its size, or length and size: 2m 25mm2 red"),
    }
}

fn conductor_of<'a>(rig: &'a mut Rig, what: &Named) -> Made<&'a mut Conductor> {
    let (run, step) = match what {
        Named::Id(id) => return refused(format!("{id} is no conductor"), "name its two ends: A -> B"),
        Named::Between { from, to, nth } => match between(rig, from, to, *nth)? {
            Found::Conductor(run, step) => (run, step),
            Found::Run(run) => {
                let of = |s: &Step| matches!(s, Step::Conductor(_));
                let lengths: Vec<usize> =
                    (0..rig.runs[run].steps.len()).filter(|i| of(&rig.runs[run].steps[*i])).collect();
                match lengths[..] {
                    [only] => (run, only),
                    _ => {
                        return refused(
                            format!("{from} -> {to} has {} conductors", lengths.len()),
                            "name the two ends of one of them",
                        );
                    }
                }
            }
        },
    };
    match &mut rig.runs[run].steps[step] {
        Step::Conductor(c) => Ok(c),
        _ => refused("it is no conductor", "name its two ends: A -> B"),
    }
}

fn set(rig: &mut Rig, what: &str, words: &str) -> Made {
    if let Some(index) = rig.places.iter().position(|p| p.id == what) {
        let id = rig.fresh_id("place");
        let read = fit(rig, &format!("place {id}: {words}"))?;
        let Some(new) = read.places.last() else { return refused("it is no place", "name a place or a component") };
        let old = &mut rig.places[index];
        old.air.extend(new.air.clone());
        old.zone = new.zone.clone().or_else(|| old.zone.clone());
        old.ambient = new.ambient.clone().or_else(|| old.ambient.clone());
        old.opened = new.opened.clone().or_else(|| old.opened.clone());
        old.label = new.label.clone().or_else(|| old.label.clone());
        old.insulated |= new.insulated;
        old.insulated_over = new.insulated_over.clone().or_else(|| old.insulated_over.clone());
        old.sun |= new.sun;
        return Ok(());
    }
    let kind = component_of(rig, what)?.kind;
    let new = read_component(rig, kind.word(), words)?;
    let old = component_of(rig, what)?;
    old.attrs.extend(new.attrs);
    if new.status != Status::InPlace {
        old.status = new.status;
    }
    old.label = new.label.or_else(|| old.label.clone());
    for way in new.ways {
        match old.ways.iter_mut().find(|w| w.id == way.id) {
            Some(own) => *own = crate::rig::Way { label: way.label.clone().or_else(|| own.label.clone()), ..way },
            None => old.ways.push(way),
        }
    }
    Ok(())
}

fn repaired(rig: &Rig, finding: &str, title: &str, audit: &Audit) -> Made<Rig> {
    let Some(f) = audit.findings.iter().find(|f| f.key() == finding) else {
        let keys: Vec<String> = audit.findings.iter().map(crate::rules::Finding::key).collect();
        return missing(finding, "finding", keys.iter().map(String::as_str));
    };
    // One that stands alone is tried alone; only sets of repairs ask for all trials.
    let alone = candidates(rig, audit, f).into_iter().find(|c| c.title == title).map(|c| attempt(rig, audit, f, c));
    let list = alone.map_or_else(|| trials(rig, audit, f), |t| vec![t]);
    match list.iter().find(|t| t.candidate.title == title) {
        Some(t) if t.accepted => t.rig.clone().map_or_else(|| refused("it cannot be made", t.reason.clone()), Ok),
        Some(t) => refused(format!("\"{title}\" is rejected"), t.reason.clone()),
        None => {
            let titles: Vec<&str> = list.iter().filter(|t| t.accepted).map(|t| t.candidate.title.as_str()).collect();
            let help = if titles.is_empty() { "none is proposed".to_owned() } else { titles.join("; ") };
            refused(format!("no repair of {finding} is called \"{title}\""), help)
        }
    }
}
