//! What a finding rests on that the inspector has not seen with his own eyes, and where a maker's figure stands.

use crate::network::WireSpot;
use crate::rig::{Provenance, Rig, Step, Value};
use crate::rules::{Finding, Is};

/// Whether a value was told or taken as typical, rather than seen.
fn unsure(value: &Value) -> Option<&'static str> {
    match value.from {
        Some(Provenance::Told) => Some("told"),
        Some(Provenance::Assumed) => Some("assumed"),
        _ => None,
    }
}

/// The values of a rig that were told or assumed and that a finding is about, each in words.
fn behind(rig: &Rig, f: &Finding) -> Vec<String> {
    let mut list = Vec::new();
    let mut note = |what: String, value: &Value| {
        if let Some(how) = unsure(value) {
            list.push(format!("{what} {}, {how}", value.text));
        }
    };
    for spot in &f.wires {
        match spot {
            WireSpot::Run(run, step) => {
                if let Some(Step::Conductor(c)) = rig.runs.get(*run).and_then(|r| r.steps.get(*step)) {
                    let from = &rig.runs[*run].from;
                    note(format!("a length in the run from {from},"), &c.length);
                    note(format!("a size in the run from {from},"), &c.size);
                }
            }
            WireSpot::Cable(cable, _) => {
                if let Some(c) = rig.cables.get(*cable) {
                    note(format!("the length of {}", c.id), &c.length);
                    note(format!("the size of {}", c.id), &c.size);
                }
            }
        }
    }
    for p in f.components.iter().filter_map(|id| rig.component(id)) {
        for (key, value) in &p.attrs {
            note(format!("{key} of {}", p.id), value);
        }
        for way in &p.ways {
            note(format!("rating of {} way {}", p.id, way.id), &way.rating);
        }
    }
    list.sort();
    list.dedup();
    list
}

/// Says of each finding on which told or assumed values it rests.
pub(crate) fn mark(rig: &Rig, findings: &mut [Finding]) {
    for f in findings {
        let list = behind(rig, f);
        if !list.is_empty() {
            f.evidence.push(format!("Rests on what was not seen: {}.", list.join("; ")));
        }
        if f.rule.is(Is::MakersFigures) {
            for p in f.components.iter().filter_map(|id| rig.component(id)) {
                if let Some(document) = p.word("document") {
                    f.evidence.push(format!("Maker's figures of {}: {document}.", p.id));
                }
            }
        }
    }
}
