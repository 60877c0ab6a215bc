//! With which precaution a finding does not show while a source is used.

use super::{Play, found_in, runs};
use crate::audit::Audit;
use crate::catalogue::{Kind, SourceKind};
use crate::rules::{Certainty, Finding, Hazard, Precaution, Severity};
use crate::states::State;
use std::collections::BTreeSet;

/// A finding that stands against a use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Against {
    /// Its number in the list.
    pub number: usize,
    /// Its hazard.
    pub hazard: Hazard,
}

impl std::fmt::Display for Against {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} {}", self.number, self.hazard.words())
    }
}

/// A finding that limits a use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Limit {
    /// The finding.
    pub finding: Against,
    /// With what precaution the use is left.
    pub precaution: Precaution,
}

/// What can be left in one position so that a finding does not show while a source is used.
///
/// A precaution is a single control that stays where it is: a source that is left off, a switch that stays open or closed. It is
/// accepted where the rules, asked by the states that are left, no longer find it; and only for what must be put right before use,
/// never for what one keeps off from, for a control can be moved by anybody; and only for what is certain, for with another unseen
/// value the precaution may not keep it away.
pub(super) struct Precautions<'a> {
    audit: &'a Audit,
    kind: SourceKind,
    /// Each control and position with what is still found; made when it is first asked for.
    tried: Option<Vec<(Precaution, BTreeSet<String>)>>,
}

impl<'a> Precautions<'a> {
    pub(super) fn of(audit: &'a Audit, kind: SourceKind) -> Precautions<'a> {
        Precautions { audit, kind, tried: None }
    }

    /// The precaution against a finding; nothing where no single control keeps it away.
    pub(super) fn against(&mut self, finding: &Finding) -> Option<Precaution> {
        if finding.severity != Severity::BeforeUse || finding.certainty != Certainty::Certain {
            return None;
        }
        let (audit, kind) = (self.audit, self.kind);
        let tried = self.tried.get_or_insert_with(|| tried(audit, kind));
        // What shows in no state as the rig is shown hangs on something unseen: no position of a control keeps that away.
        let shows = tried.iter().any(|(_, found)| found.contains(&finding.key()));
        let (words, _) = tried.iter().find(|(_, found)| shows && !found.contains(&finding.key()))?;
        Some(words.clone())
    }
}

/// Whether a source still does in a state what one uses it for: feed an outlet or an appliance, or charge a battery.
fn serves(audit: &Audit, state: &State, kind: SourceKind) -> bool {
    let net = &audit.net;
    let play = Play::of(audit, state, kind);
    let fed = |n: usize| play.parts.contains(&state.live.part[n]);
    let outlet = |p: &usize| {
        let id = audit.assumed.components[*p].kind;
        matches!(id, Kind::Outlet | Kind::GfciOutlet) && net.plugged(*p, "L").is_some_and(fed)
    };
    let store = net.sources.iter().any(|s| s.kind == SourceKind::Battery && fed(s.plus));
    if kind == SourceKind::Inverter && !store {
        return false;
    }
    if kind.is_ac() {
        let loads = net.consumers.iter().filter(|c| c.ac && audit.assumed.components[c.component].kind == Kind::AcLoad);
        loads.map(|c| c.plus).any(fed) || (0..audit.assumed.components.len()).any(|p| outlet(&p))
    } else {
        store
    }
}

/// What is found while a source runs, with each control left where it is, other sources first, then switches.
///
/// Complexity: one round of the rules a position.
fn tried(audit: &Audit, kind: SourceKind) -> Vec<(Precaution, BTreeSet<String>)> {
    let net = &audit.net;
    let states = &audit.states.states;
    let source_of = |c: usize| {
        let component = net.controls[c].component?;
        net.sources.iter().find(|s| s.component == component && s.kind != SourceKind::Battery)
    };
    let mut list: Vec<(bool, Precaution, BTreeSet<String>)> = Vec::new();
    for (c, control) in net.controls.iter().enumerate() {
        let source = source_of(c);
        // Its own source is what the use is about; another one is left off, never left on.
        if source.is_some_and(|s| s.kind == kind) || control.component.is_none() {
            continue;
        }
        for at in 0..control.positions.len() {
            if source.is_some() && at != 0 {
                continue;
            }
            let here = |s: &State| s.setting.controls[c] as usize == at && runs(audit, s, kind);
            // In a rig that never has it elsewhere this says nothing.
            let elsewhere = |s: &State| s.setting.controls[c] as usize != at && runs(audit, s, kind);
            if states.iter().any(|s| here(s) && serves(audit, s, kind)) && states.iter().any(elsewhere) {
                let stays =
                    Precaution::Stays { control: control.name.clone(), position: control.positions[at].clone() };
                list.push((source.is_none(), stays, found_in(audit, here)));
            }
        }
    }
    list.sort_by_key(|(switch, ..)| *switch);
    list.into_iter().map(|(_, words, found)| (words, found)).collect()
}
