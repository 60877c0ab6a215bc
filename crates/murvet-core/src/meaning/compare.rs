//! One account of a rig against another: an owner's sketch against what was traced.

use super::{HopEnd, walk};
use crate::rig::{Component, Conductor, Rig, Value};
use crate::units::Quantity;
use std::collections::BTreeMap;

/// What an account says of a component that it does not have.
pub const NOT_THERE: &str = "not there";

/// A place where two accounts do not agree.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Disagreement {
    /// The component, or the two that are joined.
    pub about: String,
    /// The components it concerns.
    #[serde(rename = "pieces")]
    pub components: Vec<String>,
    /// What is in question: a key of the catalogue, `kind`, `place`, `there`, `joined` or `size`.
    pub key: String,
    /// As drawn or told.
    pub said: String,
    /// As traced.
    pub found: String,
}

/// Everything in which the trace differs from what was said. What the sketch does not mention is not held against it,
/// except components that were traced and are missing from it.
///
/// ```
/// use murvet_core::{notation::parse, meaning::compare};
/// let said = parse("battery b: lifepo4 12.8V 100Ah\nfuse F1 60A\n").unwrap();
/// let found = parse("battery b: lifepo4 12.8V 200Ah\n").unwrap();
/// let list = compare(&said, &found);
/// assert_eq!((list[0].key.as_str(), list[0].found.as_str()), ("capacity", "200Ah"));
/// assert_eq!((list[1].about.as_str(), list[1].found.as_str()), ("F1", "not there"));
/// ```
///
/// Complexity: O(pieces² + conductors log conductors).
pub fn compare(said: &Rig, found: &Rig) -> Vec<Disagreement> {
    let mut out = Vec::new();
    for s in said.components.iter().filter(|p| p.status.present()) {
        match found.components.iter().find(|p| p.id == s.id && p.status.present()) {
            Some(f) => component(s, f, &mut out),
            None => out.push(one(&s.id, "there", s.kind.spec().title, NOT_THERE)),
        }
    }
    for f in found.components.iter().filter(|p| p.status.present()) {
        if !said.components.iter().any(|p| p.id == f.id && p.status.present()) {
            out.push(one(&f.id, "there", NOT_THERE, f.kind.spec().title));
        }
    }
    let (drawn, traced) = (joints(said), joints(found));
    let known =
        |rig: &Rig, ends: &(String, String)| rig.component(&ends.0).is_some() && rig.component(&ends.1).is_some();
    for (ends, sizes) in &drawn {
        let of = |key: &str, said: String, found: String| Disagreement {
            about: format!("{} and {}", ends.0, ends.1),
            components: vec![ends.0.clone(), ends.1.clone()],
            key: key.to_owned(),
            said,
            found,
        };
        match traced.get(ends) {
            // A component that is not there at all was said already.
            None if known(found, ends) => out.push(of("joined", "joined".to_owned(), "not joined".to_owned())),
            Some(other) if !sizes.is_empty() && !alike(sizes, other) => {
                out.push(of("size", sizes.join(", "), other.join(", ")));
            }
            _ => {}
        }
    }
    for ends in traced.keys().filter(|ends| known(said, ends) && !drawn.contains_key(ends)) {
        out.push(Disagreement {
            about: format!("{} and {}", ends.0, ends.1),
            components: vec![ends.0.clone(), ends.1.clone()],
            key: "joined".to_owned(),
            said: "not joined".to_owned(),
            found: "joined".to_owned(),
        });
    }
    out
}

fn one(id: &str, key: &str, said: &str, found: &str) -> Disagreement {
    Disagreement {
        about: id.to_owned(),
        components: vec![id.to_owned()],
        key: key.to_owned(),
        said: said.to_owned(),
        found: found.to_owned(),
    }
}

fn same(a: &Value, b: &Value) -> bool {
    match (Quantity::parse(&a.text), Quantity::parse(&b.text)) {
        // Two gauges of one wire in two systems differ by rounding.
        (Ok(a), Ok(b)) => a.dimension == b.dimension && (a.si - b.si).abs() <= 0.02 * a.si.abs().max(b.si.abs()),
        _ => a.text == b.text,
    }
}

fn component(s: &Component, f: &Component, out: &mut Vec<Disagreement>) {
    if s.kind != f.kind {
        out.push(one(&s.id, "kind", s.kind.spec().title, f.kind.spec().title));
        return;
    }
    if let Some(place) = s.place.as_deref().filter(|p| Some(*p) != f.place.as_deref()) {
        out.push(one(&s.id, "place", place, f.place.as_deref().unwrap_or("not stated")));
    }
    for (key, said) in s.attrs.iter().filter(|(_, v)| !v.is_unseen()) {
        let found = f.attrs.get(key);
        if !found.is_some_and(|v| v.is_unseen() || same(said, v)) {
            out.push(one(&s.id, key, &said.text, found.map_or("not stated", |v| &v.text)));
        }
    }
    for way in &s.ways {
        let about = format!("{}.{}", s.id, way.id);
        let mut differs = |key: &str, said: &str, found: &str| {
            out.push(Disagreement { components: vec![s.id.clone()], ..one(&about, key, said, found) });
        };
        match f.ways.iter().find(|w| w.id == way.id) {
            None => differs("there", "way", NOT_THERE),
            Some(w) => {
                if !way.rating.is_unseen() && !w.rating.is_unseen() && !same(&way.rating, &w.rating) {
                    differs("rating", &way.rating.text, &w.rating.text);
                }
                if let Some(label) = way.label.as_deref().filter(|l| Some(*l) != w.label.as_deref()) {
                    differs("label", label, w.label.as_deref().unwrap_or("no label"));
                }
            }
        }
    }
}

/// Components that are joined, with the sizes of the conductors between them.
type Joints = BTreeMap<(String, String), Vec<String>>;

fn joints(rig: &Rig) -> Joints {
    let mut list: Joints = BTreeMap::new();
    let mut join = |a: &str, b: &str, size: Option<&Value>| {
        let ends = if a < b { (a.to_owned(), b.to_owned()) } else { (b.to_owned(), a.to_owned()) };
        let sizes = list.entry(ends).or_default();
        if let Some(size) = size.filter(|s| !s.is_unseen()) {
            sizes.push(size.text.clone());
        }
    };
    for run in &rig.runs {
        let Ok(hops) = walk(rig, run) else { continue };
        // A splice joins two lengths; what counts is which components the whole joins.
        let mut from: Option<&str> = None;
        let mut sizes: Vec<&Conductor> = Vec::new();
        for hop in &hops {
            if let HopEnd::Terminal(p, _) = &hop.from {
                from = Some(&rig.components[*p].id);
                sizes.clear();
            }
            sizes.extend(hop.conductor);
            if let (Some(a), HopEnd::Terminal(b, _)) = (from, &hop.to) {
                join(a, &rig.components[*b].id, sizes.iter().map(|c| &c.size).find(|s| !s.is_unseen()));
            }
        }
    }
    for cable in rig.cables.iter().filter(|c| c.status.present()) {
        join(&cable.from.component, &cable.to.component, Some(&cable.size));
    }
    list.values_mut().for_each(|sizes| sizes.sort());
    list
}

fn alike(a: &[String], b: &[String]) -> bool {
    let value = |text: &String| Value::new(text.clone());
    a.len() == b.len() && a.iter().zip(b).all(|(a, b)| same(&value(a), &value(b)))
}
