//! What becomes of the conductors when something is taken out: runs are cut there, and what landed on it lies loose.

use super::act::Ends;
use crate::meaning::port_of;
use crate::rig::{Cable, Landing, LooseEnd, Rig, Run, Status, Step, TermRef};

/// Takes a component out of the rig and leaves what landed on it as it is said. The component stays in the list as removed.
pub(super) fn take_out(rig: &mut Rig, id: &str, ends: Ends) {
    let loose = match ends {
        // The run passes straight through a device that is not there: its two conductors are joined.
        Ends::Joined => None,
        Ends::Loose(end) => Some(end),
    };
    if let Some(end) = loose {
        let runs = std::mem::take(&mut rig.runs);
        for run in runs {
            rig.runs.extend(cut(rig, run, id, end));
        }
        let cables = std::mem::take(&mut rig.cables);
        rig.cables = cables.into_iter().filter_map(|c| off(rig, c, id, end)).collect();
    }
    for other in &mut rig.components {
        // What was plugged into it, or hung on it, hangs on nothing.
        if other.attrs.get("on").is_some_and(|v| TermRef::from(v.text.as_str()).component == id) {
            other.attrs.remove("on");
        }
    }
    if let Some(p) = rig.component_mut(id) {
        p.status = Status::Removed;
    }
}

/// A cable without the end that landed on a component; nothing where both did.
fn off(rig: &Rig, cable: Cable, id: &str, end: LooseEnd) -> Option<Cable> {
    let nowhere = TermRef::new(Cable::NOWHERE, end.word());
    match (cable.from.component == id, cable.to.component == id) {
        (false, false) => Some(cable),
        (false, true) => Some(Cable { to: nowhere, map: kept(&cable), ..cable }),
        // It is written from the end that is landed.
        (true, false) if cable.loose().is_none() => Some(turned(rig, Cable { from: nowhere, ..cable })),
        (true, _) => None,
    }
}

/// Landings that say something of a loose end: cores that were not landed before stay so.
fn kept(cable: &Cable) -> Vec<Landing> {
    cable.map.iter().filter(|l| l.to.is_none()).cloned().collect()
}

/// The same cable written from its other end. A component alone means its input at the end of a cable and its output at the
/// start of one, so each end is named by its port.
pub(super) fn turned(rig: &Rig, cable: Cable) -> Cable {
    let named = |term: &TermRef, as_start: bool| match port_of(rig, term, as_start) {
        Ok((_, port)) => TermRef::new(&term.component, port.name),
        Err(_) => term.clone(),
    };
    let (from, to) = (named(&cable.to, false), named(&cable.from, true));
    let map = cable.map.iter().filter_map(|l| Some(Landing { from: l.to?, to: Some(l.from) })).collect();
    Cable { from, to, map, ..cable }
}

/// A run cut at every place where it meets a component, the component left out. Each part keeps its direction where it still
/// starts at a terminal, and is written from its other end where it does not.
fn cut(rig: &Rig, run: Run, id: &str, end: LooseEnd) -> Vec<Run> {
    let meets = |t: &TermRef| t.component == id;
    let there = run.steps.iter().any(|s| matches!(s, Step::At(t) if meets(t)));
    if !meets(&run.from) && !there {
        return vec![run];
    }
    let mut parts: Vec<Run> = Vec::new();
    let mut from = (!meets(&run.from)).then(|| run.from.clone());
    let mut steps: Vec<Step> = Vec::new();
    let mut close = |from: Option<TermRef>, mut steps: Vec<Step>, at: bool| {
        if !steps.iter().any(|s| matches!(s, Step::Conductor(_))) {
            return;
        }
        match from {
            Some(from) => {
                if at {
                    steps.push(Step::End(end));
                }
                parts.push(Run { from, steps, comment: Vec::new() });
            }
            // Loose at its start: written from its other end, where there is one.
            None => parts.extend(reversed(rig, steps, end)),
        }
    };
    for step in run.steps {
        match step {
            Step::At(t) if meets(&t) => {
                close(from.take(), std::mem::take(&mut steps), true);
                from = None;
            }
            step => steps.push(step),
        }
    }
    close(from, steps, false);
    if let Some(first) = parts.first_mut() {
        first.comment = run.comment;
    }
    parts
}

/// Steps whose start lies loose, written from their end. A device that was passed keeps its direction: the run is parted
/// there, and each part names the terminal at which it ends.
pub(super) fn reversed(rig: &Rig, steps: Vec<Step>, end: LooseEnd) -> Vec<Run> {
    let mut parts: Vec<Run> = Vec::new();
    // From the start, each part up to a terminal.
    let mut waiting: Vec<Step> = vec![Step::End(end)];
    let mut left: Option<TermRef> = None;
    for step in steps {
        let Step::At(t) = step else {
            waiting.push(step);
            continue;
        };
        let inline = t.terminal.is_none() && rig.component(&t.component).is_some_and(|p| p.kind.is_inline());
        let (arrive, leave) =
            if inline { (TermRef::new(&t.component, "in"), TermRef::new(&t.component, "out")) } else { (t.clone(), t) };
        waiting.reverse();
        let mut steps = std::mem::take(&mut waiting);
        if let Some(before) = left.take() {
            steps.push(Step::At(before));
        }
        parts.push(Run { from: arrive, steps, comment: Vec::new() });
        left = Some(leave);
    }
    // What is left after the last terminal hangs on it, and ends as it did.
    if let Some(from) = left
        && waiting.iter().any(|s| matches!(s, Step::Conductor(_)))
    {
        parts.push(Run { from, steps: waiting, comment: Vec::new() });
    }
    parts
}
