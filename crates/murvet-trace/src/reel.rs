//! Which conductor an end is likely to have on it. Only where the size follows from how it is built is it put down before it was
//! tapped: in a line that goes on behind a device, and in a cable that goes on from an outlet. A length never is.

use crate::ends::End;
use crate::usual::conductors;
use murvet_core::catalogue::Anatomy;
use murvet_core::meaning::{HopEnd, walk};
use murvet_core::rig::{Cable, Conductor, Rig, Value};

/// The conductor in which a line goes on at the other side of a device: that which comes to it, its length not seen.
///
/// ```
/// let rig = murvet_core::notation::parse("battery b: agm 12V 90Ah\nrun b.+ : 0.2m 16mm2 red, fuse F1 60A\n").unwrap();
/// let end = murvet_trace::ends(&rig).into_iter().find(|e| e.address() == "F1.out").unwrap();
/// let on = murvet_trace::goes_on(&rig, &end).unwrap();
/// assert!(on.length.is_unseen());
/// assert_eq!(on.size.text, "16mm2");
/// ```
pub fn goes_on(rig: &Rig, end: &End) -> Option<Conductor> {
    let index = rig.components.iter().position(|c| c.id == end.component && c.kind.is_inline())?;
    let came = HopEnd::Terminal(index, Anatomy::opposite_end(&end.name)?.to_owned());
    let hops = rig.runs.iter().filter_map(|run| walk(rig, run).ok()).flatten();
    let found = hops.filter(|h| h.to == came || h.from == came).find_map(|h| h.conductor)?;
    Some(Conductor { length: Value::unseen(), via: Vec::new(), ..found.clone() })
}

/// The cable that goes on from an outlet or behind a device: that which comes to it.
pub fn cable_goes_on<'a>(rig: &'a Rig, end: &End) -> Option<&'a Cable> {
    let component = rig.component(&end.component)?;
    let passes = component.kind.is_inline() || end.landed > 0;
    let comes = |c: &&Cable| c.to.component == end.component || c.from.component == end.component;
    rig.cables.iter().filter(|_| passes).find(comes)
}

/// The conductor that was traced last.
pub fn last_conductor(rig: &Rig) -> Option<&Conductor> {
    conductors(rig).next()
}
