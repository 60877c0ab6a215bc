//! Edits to a rig.

use crate::catalogue::Kind;
use crate::meaning::{HopEnd, walk};
use crate::network::WireSpot;
use crate::rig::{Cable, Component, Conductor, Core, Landing, Rig, Run, Status, Step, TermRef, Value};

/// One change.
#[derive(Debug, Clone, PartialEq)]
pub enum Edit {
    /// Puts a two-ended device into a run, a short pigtail away from the named terminal.
    InsertDevice {
        /// The conductor.
        spot: WireSpot,
        /// The terminal it is to be near, as `component.terminal`.
        near: String,
        /// The device.
        component: Component,
    },
    /// Replaces conductors by another size.
    Resize {
        /// The conductors.
        spots: Vec<WireSpot>,
        /// The new size.
        size: String,
    },
    /// Sets or removes an attribute of a component.
    Attribute {
        /// The component.
        component: String,
        /// The attribute.
        key: String,
        /// Its value; nothing removes it.
        value: Option<String>,
    },
    /// Changes the device in a way.
    WayRating {
        /// The component.
        component: String,
        /// The way.
        way: String,
        /// The new rating.
        rating: String,
    },
    /// Puts a residual-current device into a way.
    WayRcd {
        /// The component.
        component: String,
        /// The way.
        way: String,
        /// Its residual operating current.
        rcd: String,
    },
    /// Lands an end of a cable elsewhere.
    Reland {
        /// The cable.
        cable: String,
        /// The start rather than the end.
        start: bool,
        /// Where to.
        to: TermRef,
    },
    /// Lands an end of a run elsewhere.
    RelandRun {
        /// The run, by its place in the rig.
        run: usize,
        /// The start rather than the end.
        start: bool,
        /// Where to.
        to: TermRef,
    },
    /// Takes a run out, with the devices that stand in it alone. The runs after it move up by one: what follows in the same
    /// repair counts them so.
    RemoveRun(usize),
    /// Feeds a way from another hot.
    WayLeg {
        /// The component.
        component: String,
        /// The way.
        way: String,
        /// The hot, as the notation says it; nothing is the first.
        leg: Option<String>,
    },
    /// Changes the inside or the openings of a place.
    Air {
        /// The place.
        place: String,
        /// Which: `vent-low`, `vent-high`.
        key: String,
        /// Its free area.
        value: String,
    },
    /// Puts an inverter-charger where an inverter was, on the same DC conductors, with its power and its settings.
    Combine {
        /// The inverter.
        inverter: String,
        /// The greatest charge current of the unit.
        charge: String,
    },
    /// Moves a component to another place.
    Place {
        /// The component.
        component: String,
        /// The place.
        place: String,
    },
    /// Lands every core of a cable like to like, the earth included.
    LandLikeToLike {
        /// The cable.
        cable: String,
    },
    /// Exchanges the landings of two cores at the end of a cable.
    SwapCores {
        /// The cable.
        cable: String,
        /// One core.
        a: Core,
        /// The other.
        b: Core,
    },
    /// Gives a conductor another length.
    Lengthen {
        /// The conductor.
        spot: WireSpot,
        /// The new length.
        length: String,
    },
    /// Adds a component.
    AddComponent(Component),
    /// Adds a cable.
    AddCable(Cable),
    /// Adds a run.
    AddRun(Run),
    /// Takes a cable out.
    RemoveCable(String),
    /// Takes a component out of use.
    RemoveComponent(String),
    /// Takes a remark off, its fault being put right.
    RemoveRemark {
        /// What it was on.
        on: String,
        /// Its kind.
        kind: String,
    },
}

/// Why an edit does not fit a rig.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// The named thing is not there.
    #[error("{0} is not in the rig")]
    Missing(String),
    /// A device cannot be put into this conductor.
    #[error("a device cannot be put into this conductor")]
    NotInARun,
}

fn pigtail(c: &Conductor) -> Conductor {
    Conductor { length: Value::new("0.15m"), via: Vec::new(), ..c.clone() }
}

/// Makes an edit.
///
/// # Errors
/// When what it names is not there.
pub fn apply(rig: &mut Rig, edit: &Edit) -> Result<(), EditError> {
    let missing = |what: &str| EditError::Missing(what.to_owned());
    match edit {
        Edit::InsertDevice { spot, near, component } => {
            let &WireSpot::Run(run, step) = spot else { return Err(EditError::NotInARun) };
            let hops = walk(rig, rig.runs.get(run).ok_or_else(|| missing("the run"))?);
            let hops = hops.map_err(|e| EditError::Missing(e.message))?;
            let hop = hops.iter().find(|h| h.step == step && h.conductor.is_some()).ok_or(EditError::NotInARun)?;
            let is_near = |end: &HopEnd| match end {
                HopEnd::Terminal(p, t) => {
                    let p = &rig.components[*p];
                    format!("{}.{t}", p.id) == *near || (p.kind.is_node() && p.id == *near)
                }
                _ => false,
            };
            let at_end = is_near(&hop.to) && !is_near(&hop.from);
            let short = hop.conductor.map(pigtail).ok_or(EditError::NotInARun)?;
            let device = Step::At(TermRef { component: component.id.clone(), terminal: None });
            let mut component = component.clone();
            component.inline = true;
            rig.components.push(component);
            let steps = &mut rig.runs[run].steps;
            if at_end {
                steps.splice(step + 1..step + 1, [device, Step::Conductor(short)]);
            } else {
                steps.splice(step..step, [Step::Conductor(short), device]);
            }
        }
        Edit::Resize { spots, size } => {
            for spot in spots {
                match *spot {
                    WireSpot::Run(run, step) => match rig.runs.get_mut(run).and_then(|r| r.steps.get_mut(step)) {
                        Some(Step::Conductor(c)) => c.size = Value::new(size.clone()),
                        _ => return Err(missing("the conductor")),
                    },
                    WireSpot::Cable(cable, core) => {
                        let cable = rig.cables.get_mut(cable).ok_or_else(|| missing("the cable"))?;
                        // A protective core of its own size is replaced alone.
                        match &mut cable.earth {
                            Some(earth) if core == Core::PE as usize => *earth = Value::new(size.clone()),
                            _ => cable.size = Value::new(size.clone()),
                        }
                    }
                }
            }
        }
        Edit::Attribute { component, key, value } => {
            let p = rig.component_mut(component).ok_or_else(|| missing(component))?;
            match value {
                Some(value) => {
                    p.attrs.insert(key.clone(), Value::new(value.clone()));
                }
                None => {
                    p.attrs.remove(key);
                }
            }
        }
        Edit::WayRating { component, way, rating } => {
            let p = rig.component_mut(component).ok_or_else(|| missing(component))?;
            let w = p.ways.iter_mut().find(|w| w.id == *way).ok_or_else(|| missing(way))?;
            w.rating = Value::new(rating.clone());
        }
        Edit::WayRcd { component, way, rcd } => {
            let p = rig.component_mut(component).ok_or_else(|| missing(component))?;
            let w = p.ways.iter_mut().find(|w| w.id == *way).ok_or_else(|| missing(way))?;
            w.rcd = Some(Value::new(rcd.clone()));
        }
        Edit::Reland { cable, start, to } => {
            let c = rig.cables.iter_mut().find(|c| c.id == *cable).ok_or_else(|| missing(cable))?;
            if *start {
                c.from = to.clone();
            } else {
                c.to = to.clone();
            }
        }
        Edit::RelandRun { run, start, to } => {
            let run = rig.runs.get_mut(*run).ok_or_else(|| missing("the run"))?;
            if *start {
                run.from = to.clone();
            } else if let Some(Step::At(end)) = run.steps.last_mut() {
                *end = to.clone();
            } else {
                return Err(missing("the end of the run"));
            }
        }
        Edit::RemoveRun(run) => {
            if *run >= rig.runs.len() {
                return Err(missing("the run"));
            }
            let gone = rig.runs.remove(*run);
            let passed = gone.steps.iter().filter_map(|s| match s {
                Step::At(t) if t.terminal.is_none() => Some(&t.component),
                _ => None,
            });
            for id in passed {
                if let Some(p) = rig.components.iter_mut().find(|p| p.id == *id && p.inline) {
                    p.status = Status::Removed;
                }
            }
        }
        Edit::WayLeg { component, way, leg } => {
            let p = rig.component_mut(component).ok_or_else(|| missing(component))?;
            let w = p.ways.iter_mut().find(|w| w.id == *way).ok_or_else(|| missing(way))?;
            w.leg.clone_from(leg);
        }
        Edit::Air { place, key, value } => {
            let p = rig.places.iter_mut().find(|p| p.id == *place).ok_or_else(|| missing(place))?;
            p.air.insert(key.clone(), Value::new(value.clone()));
        }
        Edit::Combine { inverter, charge } => {
            let p = rig.component_mut(inverter).ok_or_else(|| missing(inverter))?;
            p.kind = Kind::InverterCharger;
            p.attrs.insert("charge".to_owned(), Value::new(charge.clone()));
        }
        Edit::Place { component, place } => {
            rig.component_mut(component).ok_or_else(|| missing(component))?.place = Some(place.clone());
        }
        Edit::LandLikeToLike { cable } => {
            let c = rig.cables.iter_mut().find(|c| c.id == *cable).ok_or_else(|| missing(cable))?;
            c.map.clear();
            c.cores = c.cores.max(3);
        }
        Edit::SwapCores { cable, a, b } => {
            let c = rig.cables.iter_mut().find(|c| c.id == *cable).ok_or_else(|| missing(cable))?;
            let landed = c.landings();
            let to = |core: Core| landed.iter().find(|(from, _)| *from == core).and_then(|(_, to)| *to);
            let (at_a, at_b) = (to(*b), to(*a));
            c.map.retain(|l| l.from != *a && l.from != *b);
            // What lands like to like needs no word.
            for (from, to) in [(*a, at_a), (*b, at_b)] {
                if to != Some(from) {
                    c.map.push(Landing { from, to });
                }
            }
        }
        Edit::Lengthen { spot, length } => match *spot {
            WireSpot::Run(run, step) => match rig.runs.get_mut(run).and_then(|r| r.steps.get_mut(step)) {
                Some(Step::Conductor(c)) => c.length = Value::new(length.clone()),
                _ => return Err(missing("the conductor")),
            },
            WireSpot::Cable(cable, _) => {
                rig.cables.get_mut(cable).ok_or_else(|| missing("the cable"))?.length = Value::new(length.clone());
            }
        },
        Edit::AddComponent(component) => rig.components.push(component.clone()),
        Edit::AddCable(cable) => rig.cables.push(cable.clone()),
        Edit::RemoveCable(cable) => {
            rig.cables.iter_mut().find(|c| c.id == *cable).ok_or_else(|| missing(cable))?.status = Status::Removed;
        }
        Edit::AddRun(run) => rig.runs.push(run.clone()),
        Edit::RemoveRemark { on, kind } => rig.remarks.retain(|r| r.on != *on || r.kind != *kind),
        Edit::RemoveComponent(component) => {
            rig.component_mut(component).ok_or_else(|| missing(component))?.status = Status::Removed
        }
    }
    Ok(())
}
