//! Following a run or a cable from terminal to terminal.
//!
//! Both the checker and the network use this, so what is accepted and what is computed cannot differ.

use crate::catalogue::{Anatomy, Port, PortUse};
use crate::rig::{Cable, Component, Conductor, LooseEnd, Rig, Run, Step, TermRef};
use crate::terminals::anatomy;

/// Where a hop ends.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum HopEnd {
    /// A terminal of a component, by component index.
    Terminal(usize, String),
    /// A splice between two lengths of one run, by the step it follows.
    Splice(usize),
    /// An end that goes nowhere.
    Loose(usize, LooseEnd),
}

/// One connection of a run: a length of conductor, or two components bolted together.
#[derive(Debug, Clone, PartialEq)]
pub struct Hop<'a> {
    /// Where it starts.
    pub from: HopEnd,
    /// Where it ends.
    pub to: HopEnd,
    /// The conductor, or nothing for a bolted joint.
    pub conductor: Option<&'a Conductor>,
    /// Index of the conductor's step, or of the component's for a bolted joint.
    pub step: usize,
}

/// Why a reference does not lead to a terminal.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WalkError {
    /// The step at fault; `None` for the start of the run.
    pub step: Option<usize>,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
    /// The word at fault.
    pub word: String,
}

fn names(anatomy: &Anatomy, component: &Component) -> String {
    let list: Vec<String> = anatomy.terminals.iter().map(|(t, _)| format!("{}.{t}", component.id)).collect();
    list.join(", ")
}

fn undefined(rig: &Rig, term: &TermRef) -> (String, String) {
    let ids = rig.components.iter().map(|p| p.id.as_str());
    let near = super::nearest(&term.component, ids);
    let help = match near {
        Some(near) => {
            format!("did you mean \"{near}\"? Otherwise enter the component on a line of its own")
        }
        None => format!("enter it first, for example: bus {}", term.component),
    };
    (format!("no component is called \"{}\"", term.component), help)
}

/// The component index and terminal that a reference in a run means.
///
/// # Errors
/// A message and what to do, when the component is undefined, has no such terminal, or has several and
/// none was named.
pub fn terminal_of(rig: &Rig, term: &TermRef, leaving: bool) -> Result<(usize, String), (String, String)> {
    let Some(index) = rig.components.iter().position(|p| p.id == term.component) else {
        return Err(undefined(rig, term));
    };
    let component = &rig.components[index];
    let anatomy = anatomy(component);
    match &term.terminal {
        Some(name) if anatomy.has_terminal(name) => Ok((index, name.clone())),
        Some(name) => {
            let near = super::nearest(name, anatomy.terminals.iter().map(|(t, _)| t.as_str()));
            let meant = near.map_or(String::new(), |n| format!("did you mean \"{}.{n}\"? ", component.id));
            Err((
                format!("\"{}\" has no terminal \"{name}\"", component.id),
                format!("{meant}It has {}", names(&anatomy, component)),
            ))
        }
        None if component.kind.is_inline() => Ok((index, if leaving { "out" } else { "in" }.to_owned())),
        None if anatomy.terminals.len() == 1 => Ok((index, anatomy.terminals[0].0.clone())),
        None => Err((
            format!("\"{}\" has several terminals", component.id),
            format!("name one of {}", names(&anatomy, component)),
        )),
    }
}

/// The component index and port that an end of a cable means.
///
/// # Errors
/// A message and what to do.
pub fn port_of(rig: &Rig, term: &TermRef, as_start: bool) -> Result<(usize, Port), (String, String)> {
    let Some(index) = rig.components.iter().position(|p| p.id == term.component) else {
        return Err(undefined(rig, term));
    };
    let component = &rig.components[index];
    let anatomy = anatomy(component);
    match anatomy.find_port(term.terminal.as_deref(), as_start) {
        Some(port) => Ok((index, port.clone())),
        None => {
            let list: Vec<String> = anatomy.ports.iter().map(|p| format!("{}.{}", component.id, p.name)).collect();
            let (right, wrong) = if as_start { (PortUse::Out, PortUse::In) } else { (PortUse::In, PortUse::Out) };
            let against = anatomy.ports.iter().all(|p| p.usual == wrong && p.usual != right);
            let help = if list.is_empty() {
                format!("a {} takes single conductors: use a run", component.kind.spec().title)
            } else if against && as_start {
                format!("power goes into a {}: write it last, after the ->", component.kind.spec().title)
            } else if against {
                format!(
                    "power comes out of a {}: write it first, {} -> the other end",
                    component.kind.spec().title,
                    component.id
                )
            } else {
                format!("name one of {}", list.join(", "))
            };
            Err((format!("\"{term}\" is not one AC port"), help))
        }
    }
}

/// The port at which a cable starts. One whose other end lies loose is written from the end that is landed, whichever way the
/// power goes there.
///
/// # Errors
/// A message and what to do.
pub fn start_of(rig: &Rig, cable: &Cable) -> Result<(usize, Port), (String, String)> {
    match port_of(rig, &cable.from, true) {
        Err(problem) if cable.loose().is_some() => port_of(rig, &cable.from, false).map_err(|_| problem),
        found => found,
    }
}

/// The host of an attached component, by index, and pairs of own terminal and the host's terminal.
pub type Attached = (usize, Vec<(String, String)>);

/// The two sides of a direct connection made by an `on` attribute: pairs of own terminal and the
/// terminal of the component it is on.
///
/// # Errors
/// A message and what to do when the reference leads nowhere.
pub fn attached(rig: &Rig, component: &Component) -> Result<Option<Attached>, (String, String)> {
    let Some(on) = component.word("on") else {
        return Ok(None);
    };
    let term = TermRef::from(on);
    let own = anatomy(component);
    if let Some(port) = own.ports.first() {
        let (index, other) = port_of(rig, &term, true)?;
        let mut pairs: Vec<(String, String)> = port.terminals.iter().cloned().zip(other.terminals).collect();
        pairs.extend(port.second.clone().zip(other.second));
        return Ok(Some((index, pairs)));
    }
    let (index, plus) = terminal_of(rig, &term, true)?;
    let host = &rig.components[index];
    let mut pairs = vec![("+".to_owned(), plus)];
    if anatomy(host).has_terminal("-") {
        pairs.push(("-".to_owned(), "-".to_owned()));
    }
    Ok(Some((index, pairs)))
}

/// Follows a run. Complexity: linear in the steps, times the components for each look-up.
///
/// # Errors
/// The first step that cannot be followed.
pub fn walk<'a>(rig: &Rig, run: &'a Run) -> Result<Vec<Hop<'a>>, WalkError> {
    let fail = |step, term: &TermRef, (message, help): (String, String)| WalkError {
        step,
        message,
        help,
        word: term.to_string(),
    };
    let (component, terminal) = terminal_of(rig, &run.from, true).map_err(|e| fail(None, &run.from, e))?;
    let mut here = HopEnd::Terminal(component, terminal);
    let mut pending: Option<(&Conductor, usize)> = None;
    let mut hops = Vec::new();
    for (step, what) in run.steps.iter().enumerate() {
        match what {
            Step::Conductor(conductor) => {
                if let Some((earlier, at)) = pending.replace((conductor, step)) {
                    let splice = HopEnd::Splice(at);
                    hops.push(Hop { from: here, to: splice.clone(), conductor: Some(earlier), step: at });
                    here = splice;
                }
            }
            Step::At(term) => {
                let (component, enter) = terminal_of(rig, term, false).map_err(|e| fail(Some(step), term, e))?;
                let (conductor, at) = pending.take().map_or((None, step), |(c, s)| (Some(c), s));
                let to = HopEnd::Terminal(component, enter.clone());
                if conductor.is_some() || here != to {
                    hops.push(Hop { from: here, to, conductor, step: at });
                }
                // A run leaves a two-ended device at its other end, any other component where it came in.
                let across = Anatomy::opposite_end(&enter).filter(|_| rig.components[component].kind.is_inline());
                let leave = across.map_or(enter, str::to_owned);
                here = HopEnd::Terminal(component, leave);
            }
            Step::End(how) => {
                if let Some((conductor, at)) = pending.take() {
                    hops.push(Hop {
                        from: here.clone(),
                        to: HopEnd::Loose(step, *how),
                        conductor: Some(conductor),
                        step: at,
                    });
                }
                if step + 1 != run.steps.len() {
                    return Err(WalkError {
                        step: Some(step + 1),
                        message: "the run goes on after its loose end".to_owned(),
                        help: "start a new run".to_owned(),
                        word: String::new(),
                    });
                }
            }
        }
    }
    if let Some((conductor, at)) = pending {
        // A run may stop in the air: an end that was not followed is no error.
        let to = HopEnd::Loose(run.steps.len(), LooseEnd::Unseen);
        hops.push(Hop { from: here, to, conductor: Some(conductor), step: at });
    }
    Ok(hops)
}
