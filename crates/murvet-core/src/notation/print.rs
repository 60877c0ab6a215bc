//! From rig to text, in one settled form.

use crate::catalogue::{AttrType, Kind};
use crate::rig::{Cable, Component, Conductor, LooseEnd, Place, Rig, Run, Status, Step, Value};
use crate::units::Quantity;
use std::collections::BTreeSet;
use std::fmt::Write;

/// Writes a rig so that [`parse`](super::parse) gives it back.
pub fn print(rig: &Rig) -> String {
    let mut out = String::new();
    if !rig.name.is_empty() || rig.profile.is_some() || rig.vehicle.is_some() {
        let _ = write!(out, "rig \"{}\"", rig.name.replace('"', "'"));
        if let Some(profile) = rig.profile {
            let _ = write!(out, " profile {}", profile.word());
        }
        if let Some(vehicle) = rig.vehicle {
            let _ = write!(out, " vehicle {}", vehicle.word());
        }
        out.push('\n');
    }
    for place in &rig.places {
        comments(&mut out, &place.comment);
        print_place(&mut out, place);
    }
    // A component that is written inside a run stands there; one that no run passes stands by itself.
    let mut in_runs: BTreeSet<&str> = BTreeSet::new();
    for run in &rig.runs {
        for step in &run.steps {
            if let Step::At(term) = step
                && term.terminal.is_none()
                && rig.component(&term.component).is_some_and(|p| p.inline)
            {
                in_runs.insert(&term.component);
            }
        }
    }
    for component in rig.components.iter().filter(|p| !in_runs.contains(p.id.as_str())) {
        comments(&mut out, &component.comment);
        print_component(&mut out, component, ": ");
        out.push('\n');
    }
    let mut written = BTreeSet::new();
    for run in &rig.runs {
        comments(&mut out, &run.comment);
        print_run(&mut out, rig, run, &mut written, &in_runs);
    }
    for cable in &rig.cables {
        comments(&mut out, &cable.comment);
        print_cable(&mut out, cable);
    }
    for choice in &rig.choices {
        comments(&mut out, &choice.comment);
        let _ = writeln!(out, "choice {}: {} \"{}\"", choice.school, choice.option, choice.reason);
    }
    for remark in &rig.remarks {
        comments(&mut out, &remark.comment);
        let _ = write!(out, "remark {}: {}", remark.on, remark.kind);
        if let Some(words) = &remark.words {
            let _ = write!(out, " \"{}\"", words.replace('"', "'"));
        }
        out.push('\n');
    }
    comments(&mut out, &rig.comment);
    out
}

fn comments(out: &mut String, lines: &[String]) {
    for line in lines {
        let _ = writeln!(out, "# {line}");
    }
}

fn print_place(out: &mut String, place: &Place) {
    let _ = write!(out, "place {}", place.id);
    let mut words: Vec<String> = Vec::new();
    words.extend(place.zone.clone());
    words.extend(place.ambient.as_ref().map(|v| format!("ambient {v}")));
    if place.insulated {
        words.push("insulated".to_owned());
        words.extend(place.insulated_over.as_ref().map(ToString::to_string));
    }
    words.extend(place.air.iter().map(|(key, value)| format!("{key} {value}")));
    if place.sun {
        words.push("sun".to_owned());
    }
    words.extend(place.opened.as_ref().map(|v| format!("opened {v}")));
    words.extend(place.label.as_ref().map(|v| format!("\"{v}\"")));
    if !words.is_empty() {
        let _ = write!(out, ": {}", words.join(" "));
    }
    out.push('\n');
}

/// An attribute in its shortest form that reads back as the same attribute.
fn attribute(kind: Kind, key: &str, value: &Value) -> String {
    let spec = kind.spec();
    let bare = match spec.attr(key).map(|a| a.ty) {
        Some(AttrType::Flag) if value.is_unseen() => return format!("{key} {value}"),
        // The word says that it is so, with where that came from.
        Some(AttrType::Flag) => return Value { from: value.from, ..Value::new(key) }.to_string(),
        Some(AttrType::Words) => return format!("{key} \"{}\"", value.text),
        Some(AttrType::Word(_)) => !value.is_unseen(),
        Some(AttrType::Quantity(..)) => Quantity::parse(&value.text)
            .is_ok_and(|q| spec.bare_quantity(q.dimension, q.si).is_some_and(|a| a.key == key)),
        _ => false,
    };
    if bare { value.to_string() } else { format!("{key} {value}") }
}

fn print_component(out: &mut String, component: &Component, separator: &str) {
    let _ = write!(out, "{} {}", component.kind.word(), component.id);
    if let Some(place) = &component.place {
        let _ = write!(out, " in {place}");
    }
    let mut words: Vec<String> = Vec::new();
    for spec in component.kind.spec().attrs {
        if let Some(value) = component.attrs.get(spec.key) {
            words.push(attribute(component.kind, spec.key, value));
        }
    }
    if component.status != Status::InPlace {
        words.extend(Status::ALL.iter().find(|(s, _)| *s == component.status).map(|(_, w)| (*w).to_owned()));
    }
    words.extend(component.label.as_ref().map(|v| format!("\"{v}\"")));
    let mut parts: Vec<String> = Vec::new();
    if !words.is_empty() {
        parts.push(words.join(" "));
    }
    for way in &component.ways {
        let mut text = format!("way {} {}", way.id, way.rating);
        if let Some(rcd) = &way.rcd {
            let _ = write!(text, " rcd {rcd}");
        }
        if let Some(leg) = &way.leg {
            let _ = write!(text, " {leg}");
        }
        if let Some(label) = &way.label {
            let _ = write!(text, " \"{label}\"");
        }
        parts.push(text);
    }
    if !parts.is_empty() {
        let _ = write!(out, "{separator}{}", parts.join(", "));
    }
}

fn common(words: &mut Vec<String>, insulation: Option<&Value>, bundle: Option<&Value>, via: &[String]) {
    words.extend(insulation.map(|v| format!("insulation {v}")));
    words.extend(bundle.map(|v| format!("bundle {v}")));
    words.extend(via.iter().map(|p| format!("via {p}")));
}

fn conductor(c: &Conductor) -> String {
    let mut words = Vec::new();
    let length = if c.length.is_unseen() { format!("length {}", c.length) } else { c.length.to_string() };
    let size = if c.size.is_unseen() { format!("size {}", c.size) } else { c.size.to_string() };
    words.push(length);
    words.push(size);
    words.extend(c.colour.clone());
    common(&mut words, c.insulation.as_ref(), c.bundle.as_ref(), &c.via);
    if c.sheathed {
        words.push("sheathed".to_owned());
    }
    if c.cranking {
        words.push("cranking".to_owned());
    }
    words.join(" ")
}

fn print_run<'a>(
    out: &mut String,
    rig: &'a Rig,
    run: &'a Run,
    written: &mut BTreeSet<&'a str>,
    in_runs: &BTreeSet<&str>,
) {
    let _ = write!(out, "run {} :", run.from);
    for (index, step) in run.steps.iter().enumerate() {
        out.push_str(if index == 0 { " " } else { ", " });
        match step {
            Step::Conductor(c) => out.push_str(&conductor(c)),
            Step::End(how) => {
                let _ = write!(out, "end {}", how.word());
            }
            Step::At(term) => {
                let new = term.terminal.is_none() && in_runs.contains(term.component.as_str());
                match rig.component(&term.component) {
                    Some(component) if new && written.insert(&term.component) => print_component(out, component, " "),
                    _ => {
                        let _ = write!(out, "{term}");
                    }
                }
            }
        }
    }
    out.push('\n');
}

fn print_cable(out: &mut String, cable: &Cable) {
    let mut words = vec![format!("cable {}", cable.id)];
    if cable.size.is_unseen() {
        words.push(format!("{}x?", cable.cores));
    } else {
        words.push(format!("{}x{}", cable.cores, cable.size));
    }
    for (there, word) in [(cable.no_neutral, "no-neutral"), (cable.flex, "flex")] {
        if there {
            words.push(word.to_owned());
        }
    }
    words.push(if cable.length.is_unseen() { format!("length {}", cable.length) } else { cable.length.to_string() });
    if let Some(earth) = &cable.earth {
        words.push(format!("earth {earth}"));
    }
    common(&mut words, cable.insulation.as_ref(), cable.bundle.as_ref(), &cable.via);
    if let Some((_, word)) = Status::ALL.iter().find(|(s, _)| *s == cable.status && cable.status != Status::InPlace) {
        words.push((*word).to_owned());
    }
    words.push(match cable.loose() {
        Some(LooseEnd::Unseen) => format!("{} -> ?", cable.from),
        Some(how) => format!("{} -> end {}", cable.from, how.word()),
        None => format!("{} -> {}", cable.from, cable.to),
    });
    if !cable.map.is_empty() {
        let map: Vec<String> =
            cable.map.iter().map(|l| format!("{}>{}", l.from.word(), l.to.map_or("-", |core| core.word()))).collect();
        words.push(format!("({})", map.join(" ")));
    }
    let _ = writeln!(out, "{}", words.join(" "));
}
