//! What starts a converter or closes a contactor: the engine, a wire, a voltage, a coil.

use super::expand::Builder;
use crate::catalogue::WELDED;
use crate::rig::{Piece, Step, TermRef};
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
    pub(super) fn coil(&self, piece: usize) -> Option<(usize, usize)> {
        let named = self.rig.pieces[piece].word("coil").filter(|c| *c != WELDED);
        let Some(at) = named else { return Some((self.at(piece, "in")?, self.at(piece, "N.in")?)) };
        let other = self.rig.pieces.iter().position(|p| p.id == at)?;
        let anatomy = anatomy(&self.rig.pieces[other]);
        let port = anatomy.find_port(None, true)?;
        Some((self.at(other, &port.terminals[0])?, self.at(other, &port.terminals[1])?))
    }

    /// What makes a DC-DC charger run. One on a trigger wire on which nothing was seen to land runs always: nobody knows
    /// what holds it off.
    pub(super) fn wakes(&self, p: &Piece) -> Waking {
        match p.word("enable") {
            Some("always") => Waking::Always,
            Some("by-voltage") => Waking::Voltage,
            Some("trigger") if self.landed(p, "signal") => Waking::Signal,
            Some("trigger") => Waking::Always,
            _ => Waking::Engine,
        }
    }

    /// Whether a run starts or ends at a terminal of a piece.
    fn landed(&self, p: &Piece, terminal: &str) -> bool {
        let here = |t: &TermRef| t.piece == p.id && t.terminal.as_deref() == Some(terminal);
        self.rig.runs.iter().any(|r| here(&r.from) || r.steps.iter().any(|s| matches!(s, Step::At(t) if here(t))))
    }
}
