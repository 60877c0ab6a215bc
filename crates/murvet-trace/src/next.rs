//! Which end to ask about next.

use crate::ends::End;
use murvet_core::catalogue::Kind;
use murvet_core::meaning::{HopEnd, walk};
use murvet_core::rig::Rig;

/// The end to ask about after `near` was answered: an open one of the same component, the next empty way of a block that it
/// hangs on, an open one in the same place, then any.
///
/// ```
/// use murvet_trace::{ends, next_end};
/// let text = "fuse-block dc: way lamps 5A, way fan 5A\ndc-load lamps: 2A\nrun dc.lamps : 1m 1.5mm2, lamps.+\n";
/// let rig = murvet_core::notation::parse(text).unwrap();
/// let all = ends(&rig);
/// assert_eq!(next_end(&rig, &all, Some("lamps")).unwrap().address(), "lamps.-");
/// ```
pub fn next_end<'a>(rig: &Rig, all: &'a [End], near: Option<&str>) -> Option<&'a End> {
    let block = |id: &str| rig.component(id).is_some_and(|c| matches!(c.kind, Kind::FuseBlock | Kind::Panel));
    let empty = |e: &&End, spare: bool| e.landed == 0 && (spare || !e.spare);
    let of = |id: &str, spare: bool| all.iter().find(|e| e.component == id && empty(e, spare));
    if let Some(near) = near {
        let own = of(near, block(near));
        let behind = || neighbours(rig, near).into_iter().filter(|id| block(id)).find_map(|id| of(&id, true));
        let place = rig.component(near).and_then(|c| c.place.as_deref());
        let here = |e: &&End| rig.component(&e.component).and_then(|c| c.place.as_deref()) == place;
        let nearby = || all.iter().find(|e| e.is_open() && here(e));
        if let Some(found) = own.or_else(behind).or_else(nearby) {
            return Some(found);
        }
    }
    all.iter().find(|e| e.is_open())
}

/// The components at the other ends of what lands on one.
fn neighbours(rig: &Rig, id: &str) -> Vec<String> {
    let mut list = Vec::new();
    let Some(own) = rig.components.iter().position(|c| c.id == id) else { return list };
    for hop in rig.runs.iter().filter_map(|run| walk(rig, run).ok()).flatten() {
        match (&hop.from, &hop.to) {
            (HopEnd::Terminal(a, _), HopEnd::Terminal(b, _)) if *b == own => list.push(rig.components[*a].id.clone()),
            (HopEnd::Terminal(a, _), HopEnd::Terminal(b, _)) if *a == own => list.push(rig.components[*b].id.clone()),
            _ => {}
        }
    }
    for cable in &rig.cables {
        if cable.to.component == id {
            list.push(cable.from.component.clone());
        } else if cable.from.component == id {
            list.push(cable.to.component.clone());
        }
    }
    list
}
