//! What was traced: places, components, runs of conductor and cables, each value with its provenance.
//!
//! A [`Rig`] holds exactly what a person wrote, in either of its two forms (the notation and JSON).
//! It gives no meaning to it: terminals come from the [catalogue](crate::catalogue), connections
//! from the [network](crate::network).

mod component;
mod conductors;
mod value;

pub use crate::catalogue::Core;
pub use component::{Component, Place, Remark, Status, TermRef, Way};
pub use conductors::{Cable, Conductor, Landing, LooseEnd, Run, Step};
pub use value::{Provenance, Value};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A whole installation as traced.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Rig {
    /// Name of the rig.
    #[serde(default)]
    pub name: String,
    /// Profile it is to be judged by, unless another is asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub profile: Option<crate::profiles::ProfileId>,
    /// What kind of vehicle it is, for the drawing of it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub vehicle: Option<Vehicle>,
    /// Places, in order of entry.
    #[serde(default)]
    pub places: Vec<Place>,
    /// Components, in order of entry.
    #[serde(default)]
    #[serde(rename = "pieces")]
    pub components: Vec<Component>,
    /// Runs, in order of entry.
    #[serde(default)]
    pub runs: Vec<Run>,
    /// Cables, in order of entry.
    #[serde(default)]
    pub cables: Vec<Cable>,
    /// What was seen and no computation can find, in order of entry.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub remarks: Vec<Remark>,
    /// Answers to the questions on which the trade has more than one school, in order of entry.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub choices: Vec<crate::profiles::Choice>,
    /// Comment lines after the last statement.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

/// Kinds of vehicle, by how they are drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Vehicle {
    /// A small trailer, a canopy or a slide-in on one axle.
    Trailer,
    /// A caravan or fifth wheel on several axles.
    Towed,
    /// A panel van.
    Van,
    /// A motorhome with a cab of its own.
    Motorhome,
    /// A bus.
    Bus,
}

impl Vehicle {
    /// All of them with their words.
    pub const ALL: [(Vehicle, &'static str); 5] = [
        (Vehicle::Trailer, "trailer"),
        (Vehicle::Towed, "towed"),
        (Vehicle::Van, "van"),
        (Vehicle::Motorhome, "motorhome"),
        (Vehicle::Bus, "bus"),
    ];

    /// The word of the notation.
    pub fn word(self) -> &'static str {
        Vehicle::ALL.iter().find(|(v, _)| *v == self).map_or("", |(_, word)| word)
    }

    /// Reads the word.
    pub fn parse(word: &str) -> Option<Vehicle> {
        Vehicle::ALL.iter().find(|(_, w)| *w == word).map(|(v, _)| *v)
    }
}

impl Rig {
    /// The rig with everything intended in place, and the names of what that is.
    ///
    /// ```
    /// let rig = murvet_core::notation::parse("outlet o: intended\noutlet p\n").unwrap();
    /// let (planned, names) = rig.planned();
    /// assert_eq!(names, ["o"]);
    /// assert!(planned.components.iter().all(|p| p.status.present()));
    /// ```
    pub fn planned(&self) -> (Rig, Vec<String>) {
        self.planned_with(|_| true)
    }

    /// The same with only those of the intended in place that are wanted; the names are of all that is intended.
    pub fn planned_with(&self, wanted: impl Fn(&str) -> bool) -> (Rig, Vec<String>) {
        let mut rig = self.clone();
        let components = rig.components.iter_mut().map(|p| (&p.id, &mut p.status));
        let cables = rig.cables.iter_mut().map(|c| (&c.id, &mut c.status));
        let mut names = Vec::new();
        for (id, status) in components.chain(cables).filter(|(_, s)| **s == Status::Intended) {
            if wanted(id) {
                *status = Status::InPlace;
            }
            names.push(id.clone());
        }
        (rig, names)
    }

    /// Puts the components into the order in which the notation writes them: those with a line of their own
    /// first, then those written inside runs in the order in which the runs meet them. Two rigs that
    /// say the same in the same order of entry are then equal.
    pub fn normalise(&mut self) {
        let mut met: Vec<&str> = Vec::new();
        for step in self.runs.iter().flat_map(|r| &r.steps) {
            if let Step::At(TermRef { component, terminal: None }) = step
                && !met.contains(&component.as_str())
            {
                met.push(component);
            }
        }
        let rank = |p: &Component| met.iter().position(|m| *m == p.id).filter(|_| p.inline && p.comment.is_empty());
        let mut ranked: Vec<(Option<usize>, Component)> =
            self.components.iter().map(|p| (rank(p), p.clone())).collect();
        ranked.sort_by_key(|(rank, _)| *rank);
        self.components = ranked
            .into_iter()
            .map(|(rank, mut component)| {
                component.inline = rank.is_some();
                component
            })
            .collect();
    }

    /// The component of this name.
    pub fn component(&self, id: &str) -> Option<&Component> {
        self.components.iter().find(|p| p.id == id)
    }

    /// The component of this name, to change it.
    pub fn component_mut(&mut self, id: &str) -> Option<&mut Component> {
        self.components.iter_mut().find(|p| p.id == id)
    }

    /// The cable of this name.
    pub fn cable(&self, id: &str) -> Option<&Cable> {
        self.cables.iter().find(|c| c.id == id)
    }

    /// The place of this name.
    pub fn place(&self, id: &str) -> Option<&Place> {
        self.places.iter().find(|p| p.id == id)
    }

    /// A name that no component or cable has yet, made from a stem and a number.
    pub fn fresh_id(&self, stem: &str) -> String {
        (1..)
            .map(|n| format!("{stem}{n}"))
            .find(|id| self.component(id).is_none() && self.cable(id).is_none())
            .unwrap_or_else(|| stem.to_owned())
    }

    /// The JSON form.
    pub fn to_json(&self) -> String {
        serde_json::to_string_pretty(self).unwrap_or_default()
    }
}

fn is_false(flag: &bool) -> bool {
    !*flag
}
