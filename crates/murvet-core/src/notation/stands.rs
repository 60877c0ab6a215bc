//! Where a half-typed run stands, and the return that mirrors a run.

use super::{parse, print};
use crate::meaning::{HopEnd, walk};
use crate::rig::{Rig, Run, Step, TermRef, Value};
use crate::units::{Dimension, short};

/// Where a run stands after its last finished step, in words: `from house.+, 1.5 m so far, past F1; at S1.out in Battery
/// bay`. Nothing for a line that is no run, or whose finished part cannot be read.
///
/// ```
/// let rig = murvet_core::notation::parse("battery house: agm 12V 100Ah\nfuse F1: 30A\n").unwrap();
/// let at = murvet_core::notation::stands(&rig, "run house.+ : 0.2m 6mm2, F1, 2m 6").unwrap();
/// assert_eq!(at, "from house.+, 0.2 m so far, past F1; at F1.out");
/// ```
pub fn stands(rig: &Rig, line: &str) -> Option<String> {
    let line = line.trim_start();
    if !line.starts_with("run ") || !line.contains(':') {
        return None;
    }
    // What comes after the last comma is still being typed.
    let done = line.rsplit_once(',').map_or(line, |(done, _)| done);
    let whole = parse(&format!("{}\n{done}\n", print(rig))).ok()?;
    let run = whole.runs.last()?;
    let hops = walk(&whole, run).ok()?;
    let metres: f64 = hops.iter().filter_map(|h| h.conductor?.length.si(Dimension::Length)).sum();
    let name = |component: usize| whole.components[component].id.as_str();
    let mut past: Vec<&str> = Vec::new();
    for hop in &hops {
        if let HopEnd::Terminal(component, _) = &hop.to
            && !past.contains(&name(*component))
        {
            past.push(name(*component));
        }
    }
    // A component is left where a run through it goes on.
    let at = match run.steps.last()? {
        Step::At(at) => whole.component(&at.component).map(|p| (p, if p.kind.is_inline() { ".out" } else { "" })),
        _ => None,
    };
    let mut words = format!("from {}, {} m so far", run.from, short(metres));
    if !past.is_empty() {
        words.push_str(&format!(", past {}", past.join(", ")));
    }
    match at {
        Some((p, end)) => {
            let place = p.place.as_deref().and_then(|id| whole.place(id));
            let place = place.map_or(String::new(), |p| format!(" in {}", p.label.as_deref().unwrap_or(&p.id)));
            words.push_str(&format!("; at {}{end}{place}", p.id));
        }
        None => words.push_str("; at the end of the conductor"),
    }
    Some(words)
}

/// The negative run that goes beside a positive one: from the same component's minus to the last component's, one conductor of
/// each size on the way, without the devices. Nothing where an end has no such terminal.
///
/// ```
/// use murvet_core::notation::{mirrored, parse};
/// let rig = parse("battery b: agm 12V 100Ah\ndc-load l: 5A\nrun b.+ : 0.2m 4mm2 red, fuse F 15A, 2m 4mm2 red, l.+\n").unwrap();
/// assert_eq!(mirrored(&rig, &rig.runs[0]).unwrap(), "run b.- : 2.2m 4mm2 black, l.-");
/// ```
pub fn mirrored(rig: &Rig, run: &Run) -> Option<String> {
    let minus = |t: &TermRef| -> Option<String> {
        let terminal = t.terminal.as_deref()?;
        let other = terminal.strip_suffix('+').map(|stem| format!("{stem}-"))?;
        let component = rig.component(&t.component)?;
        let anatomy = crate::terminals::anatomy(component);
        anatomy.has_terminal(&other).then(|| format!("{}.{other}", t.component))
    };
    let from = minus(&run.from)?;
    let last = run.steps.iter().rev().find_map(|s| match s {
        Step::At(at) => Some(at),
        _ => None,
    })?;
    let to = minus(last)?;
    let mut parts: Vec<(Option<f64>, &Value)> = Vec::new();
    for step in &run.steps {
        if let Step::Conductor(c) = step {
            let metres = c.length.si(Dimension::Length);
            match parts.last_mut() {
                Some((sum, size)) if size.text == c.size.text => *sum = sum.zip(metres).map(|(a, b)| a + b),
                _ => parts.push((metres, &c.size)),
            }
        }
    }
    let part = |(metres, size): &(Option<f64>, &Value)| {
        let length = metres.map_or("length ?".to_owned(), |m| format!("{}m", short(m)));
        let size = if size.is_unseen() { "size ?".to_owned() } else { size.to_string() };
        format!("{length} {size} black")
    };
    let parts: Vec<String> = parts.iter().map(part).collect();
    (!parts.is_empty()).then(|| format!("run {from} : {}, {to}", parts.join(", ")))
}
