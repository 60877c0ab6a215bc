//! What starts a converter or closes a contactor: the engine, a wire, a voltage, a coil.

use super::expand::Builder;
use crate::catalogue::WELDED;
use crate::rig::{Component, Step, TermRef};
use crate::terminals::anatomy;

/// What makes a DC-DC charger run.
#[derive(PartialEq)]
pub(super) enum Waking {
    /// While the engine runs.
    Engine,
    /// Always.
    Always,
    /// While something else charges what its input hangs on.
    Voltage,
    /// While the wire on its terminal `signal` is live.
    Signal,
}

impl Builder<'_> {
    /// Line and neutral that a contactor's coil hangs on: those of a source, or its own on the line side.
    pub(super) fn coil(&self, component: usize) -> Option<(usize, usize)> {
        let named = self.rig.components[component].word("coil").filter(|c| *c != WELDED);
        let Some(at) = named else { return Some((self.at(component, "in")?, self.at(component, "N.in")?)) };
        let other = self.rig.components.iter().position(|p| p.id == at)?;
        let anatomy = anatomy(&self.rig.components[other]);
        let port = anatomy.find_port(None, true)?;
        Some((self.at(other, &port.terminals[0])?, self.at(other, &port.terminals[1])?))
    }

    /// What makes a DC-DC charger run. One on a trigger wire on which nothing was seen to land runs always: nobody knows
    /// what holds it off.
    pub(super) fn wakes(&self, p: &Component) -> Waking {
        match p.word("enable") {
            Some("always") => Waking::Always,
            Some("by-voltage") => Waking::Voltage,
            Some("trigger") if self.landed(p, "signal") => Waking::Signal,
            Some("trigger") => Waking::Always,
            _ => Waking::Engine,
        }
    }

    /// Whether a run starts or ends at a terminal of a component.
    fn landed(&self, p: &Component, terminal: &str) -> bool {
        let here = |t: &TermRef| t.component == p.id && t.terminal.as_deref() == Some(terminal);
        self.rig.runs.iter().any(|r| here(&r.from) || r.steps.iter().any(|s| matches!(s, Step::At(t) if here(t))))
    }
}
