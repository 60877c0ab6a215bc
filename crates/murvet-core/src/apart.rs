//! Parts of a rig that do not touch: nothing joins them, so what is unseen in one decides nothing in another.

use crate::network::WireSpot;
use crate::rig::{Rig, Step, TermRef};
use crate::rules::{Finding, Target};
use std::collections::HashMap;

/// A part with the places its runs and cables have in the whole rig.
pub(crate) struct Part {
    pub(crate) rig: Rig,
    runs: Vec<usize>,
    cables: Vec<usize>,
}

impl Part {
    /// A finding of the part with the conductors it names as they are counted in the whole rig.
    pub(crate) fn in_whole(&self, mut f: Finding) -> Finding {
        let whole = |spot: &mut WireSpot| match spot {
            WireSpot::Run(run, _) => *run = self.runs[*run],
            WireSpot::Cable(cable, _) => *cable = self.cables[*cable],
        };
        f.wires.iter_mut().for_each(whole);
        match &mut f.target {
            Target::Wires { wires, .. } | Target::Drop { wires, .. } => wires.iter_mut().for_each(whole),
            _ => {}
        }
        f
    }
}

/// The parts of a rig, each a rig of its own with all places and choices; one part alone where everything touches. Components
/// hang together by runs, cables, what they are plugged into, a common interlock, and the engine, which everything that
/// depends on it shares. O(n log n).
pub(crate) fn parts(rig: &Rig) -> Vec<Part> {
    let index: HashMap<&str, usize> = rig.components.iter().enumerate().map(|(i, p)| (p.id.as_str(), i)).collect();
    let mut sets = crate::network::Union::new(rig.components.len());
    let mut join = |ids: &[&str]| {
        let known: Vec<usize> = ids.iter().filter_map(|id| index.get(id).copied()).collect();
        for pair in known.windows(2) {
            sets.join(pair[0], pair[1]);
        }
    };
    let of_run = |run: &crate::rig::Run| -> Vec<String> {
        let steps = run.steps.iter().filter_map(|s| match s {
            Step::At(TermRef { component, .. }) => Some(component.clone()),
            _ => None,
        });
        std::iter::once(run.from.component.clone()).chain(steps).collect()
    };
    for run in &rig.runs {
        let ids = of_run(run);
        join(&ids.iter().map(String::as_str).collect::<Vec<_>>());
    }
    for cable in &rig.cables {
        join(&[&cable.from.component, &cable.to.component]);
    }
    let mut engine: Vec<&str> = Vec::new();
    let mut interlocks: HashMap<&str, Vec<&str>> = HashMap::new();
    for p in &rig.components {
        if let Some(on) = p.word("on") {
            join(&[&p.id, on.split('.').next().unwrap_or(on)]);
        }
        if let Some(coil) = p.word("coil") {
            join(&[&p.id, coil]);
        }
        if let Some(name) = p.word("interlock") {
            interlocks.entry(name).or_default().push(&p.id);
        }
        if matches!(
            p.kind,
            crate::catalogue::Kind::Alternator | crate::catalogue::Kind::DcDc | crate::catalogue::Kind::Relay
        ) {
            engine.push(&p.id);
        }
    }
    join(&engine);
    for list in interlocks.values() {
        join(list);
    }
    let label: Vec<u32> = sets.into_labels();
    let mut order: Vec<u32> = label.clone();
    order.sort_unstable();
    order.dedup();
    let part_of = |id: &str| index.get(id).map(|i| label[*i]);
    let part = |own: &[u32]| {
        let mine = |id: &str| part_of(id).is_some_and(|p| own.contains(&p));
        let mut part = Part {
            rig: Rig { runs: Vec::new(), cables: Vec::new(), ..rig.clone() },
            runs: Vec::new(),
            cables: Vec::new(),
        };
        part.rig.components.retain(|p| mine(&p.id));
        part.rig.remarks.clear();
        for (i, run) in rig.runs.iter().enumerate().filter(|(_, r)| mine(&r.from.component)) {
            part.rig.runs.push(run.clone());
            part.runs.push(i);
        }
        for (i, cable) in rig.cables.iter().enumerate().filter(|(_, c)| mine(&c.from.component)) {
            part.rig.cables.push(cable.clone());
            part.cables.push(i);
        }
        part
    };
    let size = |own: &u32| label.iter().filter(|l| *l == own).count();
    let (groups, alone): (Vec<u32>, Vec<u32>) = order.into_iter().partition(|own| size(own) > 1);
    let mut parts: Vec<Part> = groups.into_iter().map(|own| part(&[own])).collect();
    // Components that nothing touches are one part together: what is wrong with one of them is told all the same.
    if !alone.is_empty() {
        parts.push(part(&alone));
    }
    parts
}
