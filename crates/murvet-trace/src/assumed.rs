//! What was put down without having been seen, a thing at a time: it stands marked *assumed* until somebody says "as I see it",
//! changes it, or says that it is not there.

use crate::answer::{Refused, Written, written};
use murvet_core::catalogue::AttrType;
use murvet_core::rig::{Cable, Component, Conductor, Provenance, Rig, Run, Step, TermRef, Value};
use std::collections::BTreeSet;

/// A part of a rig that is seen by itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// What stands on a component.
    Component(String),
    /// A conductor, by the run and the step.
    Conductor {
        /// Which run of the rig.
        run: usize,
        /// Which step of the run.
        step: usize,
    },
    /// A cable.
    Cable(String),
}

/// A component and the conductors that belong to it, with something about them assumed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Assumption {
    /// The component one stands before.
    pub component: String,
    /// What there is to see, in the order of the trace, and whether something about it is assumed.
    pub parts: Vec<(Part, bool)>,
}

/// Marks every value that has no other mark as assumed. A word that is there or not carries no mark.
///
/// ```
/// let mut rig = murvet_core::notation::parse("battery b: agm 12V@marked 90Ah\n").unwrap();
/// murvet_trace::assume(&mut rig);
/// let text = murvet_core::notation::print(&rig);
/// assert_eq!(text, "battery b: agm@assumed 12V@marked 90Ah@assumed\n");
/// ```
pub fn assume(rig: &mut Rig) {
    each(rig, &mut |value| {
        if value.from.is_none() && !value.is_unseen() {
            value.from = Some(Provenance::Assumed);
        }
    });
}

fn each(rig: &mut Rig, visit: &mut impl FnMut(&mut Value)) {
    for component in &mut rig.components {
        of_component(component, visit);
    }
    for step in rig.runs.iter_mut().flat_map(|r| &mut r.steps) {
        if let Step::Conductor(c) = step {
            of_conductor(c, visit);
        }
    }
    for cable in &mut rig.cables {
        of_cable(cable, visit);
    }
}

fn of_component(component: &mut Component, visit: &mut impl FnMut(&mut Value)) {
    let spec = component.kind.spec();
    let marked = |key: &str| matches!(spec.attr(key).map(|a| a.ty), Some(AttrType::Quantity(..) | AttrType::Word(_)));
    component.attrs.iter_mut().filter(|(key, _)| marked(key)).for_each(|(_, value)| visit(value));
    component.ways.iter_mut().flat_map(|w| std::iter::once(&mut w.rating).chain(&mut w.rcd)).for_each(visit);
}

fn of_conductor(c: &mut Conductor, visit: &mut impl FnMut(&mut Value)) {
    [Some(&mut c.length), Some(&mut c.size), c.insulation.as_mut(), c.bundle.as_mut()]
        .into_iter()
        .flatten()
        .for_each(visit);
}

fn of_cable(c: &mut Cable, visit: &mut impl FnMut(&mut Value)) {
    let all = [Some(&mut c.length), Some(&mut c.size), c.earth.as_mut(), c.insulation.as_mut(), c.bundle.as_mut()];
    all.into_iter().flatten().for_each(visit);
}

/// The component that a run belongs to: what it ends at, unless that is a bar and it starts at something else.
fn owner<'a>(rig: &'a Rig, run: &'a Run) -> &'a str {
    let last = run.steps.iter().rev().find_map(|s| match s {
        Step::At(at) => Some(at.component.as_str()),
        _ => None,
    });
    let bar = |id: &str| rig.component(id).is_none_or(|c| c.kind.is_node() || c.kind.is_inline());
    match last {
        Some(last) if !bar(last) || bar(&run.from.component) => last,
        _ => &run.from.component,
    }
}

fn cable_owner(cable: &Cable) -> &str {
    if cable.loose().is_some() { &cable.from.component } else { &cable.to.component }
}

/// The two-ended devices and bars that are written inside a run, and seen with it.
fn inside<'a>(rig: &'a Rig, run: &'a Run) -> impl Iterator<Item = (usize, &'a str)> {
    run.steps.iter().enumerate().filter_map(|(n, s)| match s {
        Step::At(TermRef { component, .. }) if rig.component(component).is_some_and(|c| c.kind.is_inline()) => {
            Some((n, component.as_str()))
        }
        _ => None,
    })
}

fn parts_of(rig: &Rig, component: &str) -> Vec<Part> {
    let mut parts = vec![Part::Component(component.to_owned())];
    for (n, run) in rig.runs.iter().enumerate().filter(|(_, run)| owner(rig, run) == component) {
        let devices: Vec<(usize, &str)> = inside(rig, run).collect();
        for (step, what) in run.steps.iter().enumerate() {
            if let Some((_, id)) = devices.iter().find(|(at, _)| *at == step) {
                parts.push(Part::Component((*id).to_owned()));
            } else if matches!(what, Step::Conductor(_)) {
                parts.push(Part::Conductor { run: n, step });
            }
        }
    }
    parts.extend(rig.cables.iter().filter(|c| cable_owner(c) == component).map(|c| Part::Cable(c.id.clone())));
    let mut seen: Vec<Part> = Vec::new();
    parts.retain(|p| {
        let new = !seen.contains(p);
        seen.push(p.clone());
        new
    });
    parts
}

fn on_part(rig: &mut Rig, part: &Part, visit: &mut impl FnMut(&mut Value)) {
    match part {
        Part::Component(id) => {
            if let Some(c) = rig.component_mut(id) {
                of_component(c, visit);
            }
        }
        Part::Conductor { run, step } => {
            if let Some(Step::Conductor(c)) = rig.runs.get_mut(*run).and_then(|r| r.steps.get_mut(*step)) {
                of_conductor(c, visit);
            }
        }
        Part::Cable(id) => {
            if let Some(c) = rig.cables.iter_mut().find(|c| c.id == *id) {
                of_cable(c, visit);
            }
        }
    }
}

/// The components about which something is assumed, each with its conductors and the devices in them, in the order of entry. A
/// device in a line is seen with the line, a line with what it ends at.
///
/// ```
/// use murvet_trace::{assume, assumed, confirm};
/// let text = "battery b: agm 12V 90Ah\nbus pos\nrun b.+ : 1m 16mm2, fuse F1 100A, 1m 16mm2, pos\n";
/// let mut rig = murvet_core::notation::parse(text).unwrap();
/// assume(&mut rig);
/// let list = assumed(&rig);
/// assert_eq!((list[0].component.as_str(), list[0].parts.len()), ("b", 4));
/// assert!(assumed(&confirm(&rig, "b").unwrap().rig).is_empty());
/// ```
pub fn assumed(rig: &Rig) -> Vec<Assumption> {
    let mut copy = rig.clone();
    let mut told: BTreeSet<String> =
        rig.runs.iter().flat_map(|r| inside(rig, r)).map(|(_, id)| id.to_owned()).collect();
    let mut list = Vec::new();
    for component in &rig.components {
        if !told.insert(component.id.clone()) {
            continue;
        }
        let mut parts = Vec::new();
        for part in parts_of(rig, &component.id) {
            let mut open = false;
            on_part(&mut copy, &part, &mut |v| open |= v.from == Some(Provenance::Assumed));
            parts.push((part, open));
        }
        if parts.iter().any(|(_, open)| *open) {
            list.push(Assumption { component: component.id.clone(), parts });
        }
    }
    list
}

/// Takes the mark *assumed* off a component, its conductors and the devices in them: somebody has seen them.
///
/// # Errors
/// When the component is not there any more.
pub fn confirm(rig: &Rig, component: &str) -> Result<Written, Refused> {
    let mut after = rig.clone();
    if rig.component(component).is_none() {
        return Err(Refused(format!("\"{component}\" is not in the trace any more: go back to the list")));
    }
    for part in parts_of(rig, component) {
        on_part(&mut after, &part, &mut |v| {
            if v.from == Some(Provenance::Assumed) {
                v.from = None;
            }
        });
    }
    written(rig, &after, None)
}

/// Takes a component out of the trace with the lines that start or end at it and the devices in them. Through a device in a
/// line the line goes on without it.
///
/// # Errors
/// When what is left would not be a rig, in words.
///
/// ```
/// let text = "battery b: agm 12V 90Ah\nbus pos\nrun b.+ : 1m 16mm2, fuse F1 100A, 2m 16mm2, pos\n";
/// let rig = murvet_core::notation::parse(text).unwrap();
/// let without = murvet_trace::not_here(&rig, "F1").unwrap();
/// assert_eq!(without.lines, ["run b.+ : 1m 16mm2, 2m 16mm2, pos"]);
/// ```
pub fn not_here(rig: &Rig, component: &str) -> Result<Written, Refused> {
    let mut after = rig.clone();
    let Some(found) = rig.component(component) else {
        return Err(Refused(format!("\"{component}\" is not in the trace any more: go back to the list")));
    };
    let at_it = |s: &Step| matches!(s, Step::At(at) if at.component == component);
    let mut gone: BTreeSet<String> = BTreeSet::from([component.to_owned()]);
    if found.kind.is_inline() {
        // What leaves it goes on in the line that comes to it.
        if let Some(before) = after.runs.iter().position(|r| r.steps.last().is_some_and(at_it)) {
            let starts = |r: &Run| r.from.component == component;
            if let Some(behind) = after.runs.iter().position(starts).filter(|n| *n != before) {
                let steps = after.runs[behind].steps.clone();
                after.runs[before].steps.extend(steps);
                after.runs.remove(behind);
            }
        }
    } else {
        let (leave, stay): (Vec<Run>, Vec<Run>) =
            after.runs.into_iter().partition(|r| r.from.component == component || r.steps.last().is_some_and(at_it));
        let used: BTreeSet<&str> = stay.iter().flat_map(|r| inside(rig, r)).map(|(_, id)| id).collect();
        gone.extend(
            leave
                .iter()
                .flat_map(|r| inside(rig, r))
                .map(|(_, id)| id.to_owned())
                .filter(|id| !used.contains(id.as_str())),
        );
        after.runs = stay;
    }
    for run in &mut after.runs {
        run.steps.retain(|s| !matches!(s, Step::At(at) if gone.contains(&at.component)));
    }
    after.runs.retain(|r| !r.steps.is_empty());
    after.cables.retain(|c| !gone.contains(&c.from.component) && !gone.contains(&c.to.component));
    after.components.retain(|c| !gone.contains(&c.id));
    for c in &mut after.components {
        let on = c.attrs.get("on").is_some_and(|v| gone.contains(v.text.split('.').next().unwrap_or_default()));
        if on {
            c.attrs.remove("on");
        }
    }
    after.remarks.retain(|r| !gone.contains(&r.on));
    written(rig, &after, None)
}
