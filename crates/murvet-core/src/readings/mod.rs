//! What to measure on this rig: the tests with their terminals, state, prediction and limits, and what
//! a reading means.

mod again;
mod circuits;
mod divided;
mod fault_card;
mod fit;
mod fresh;
mod leaves;
mod owner;
mod parting;
mod plan;
mod safe;
mod sampled;
mod settles;
mod switch_card;
mod told;
mod tools;
mod uses;
mod verdict;
mod walk;

pub use crate::rules::Precaution;
pub(crate) use crate::test_kinds::Proves;
pub use crate::test_kinds::{Phase, TestId, TestKind, VisitKind};
pub use again::{after_repair, for_visit, proofs, wanted};
pub use circuits::{Circuit, FedBy, StaleLegend, circuits, circuits_as_traced, fed_by, fed_in, stale_legends};
pub use divided::{Divided, Lost, divided};
pub use fault_card::{FaultLine, May, Opened, fault_card};
pub use fit::{Fitted, fit, minutes_of};
pub use fresh::still_holds;
pub use owner::{OwnerDoes, OwnerTask, OwnerWanted, for_owner};
pub use parting::switches_of;
pub use plan::{guards, moves, plan};
pub use safe::{SafeOf, SafeStep, make_safe};
pub use sampled::{Combine, Part, Parts, Sampled, judge_sampled};
pub use settles::{Hidden, Settles, settles};
pub use switch_card::{CardStep, Press, Shows, switch_card};
pub use told::{fed_by_words, hours_words};
pub use tools::{Means, OnMonitor, Substitute, Tool, means_of, on_monitor};
pub use uses::{Against, Limit, Use, uses};
pub use verdict::{Outcome, Verdict, excess_words, judge, value_words};
pub use walk::{Stand, nearest, place_of, stand_after, things_of, walk};

/// A range of values with its source; an open end is infinite.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Band {
    /// Lowest value, in the test's unit.
    pub low: f64,
    /// Highest value, in the test's unit.
    pub high: f64,
    /// Where it comes from.
    pub source: String,
}

impl Band {
    /// Whether a value lies within, a hair of rounding allowed.
    pub fn holds(&self, value: f64) -> bool {
        // Over range is no rounding: it lies within only where the band has no upper end.
        let hair = if value.is_finite() { 1e-9 * value.abs().max(1.0) } else { 0.0 };
        value >= self.low - hair && value <= self.high + hair
    }
}

/// One test.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Test {
    /// Its name: kind, source and subject.
    pub id: TestId,
    /// When it belongs.
    pub phase: Phase,
    /// What is measured, in words.
    pub title: String,
    /// Where the leads go.
    pub terminals: String,
    /// How everything must stand.
    pub state: String,
    /// What to measure with, all of them together.
    pub tools: &'static [Tool],
    /// Unit of the value.
    pub unit: &'static str,
    /// What the traced rig would give.
    pub predicted: Option<Band>,
    /// What is acceptable.
    pub limit: Band,
    /// What a miss means.
    pub meaning: String,
    /// Minutes of work, the leads in place.
    pub minutes: u32,
    /// Minutes that must pass before; tests in one state wait together.
    pub wait: u32,
    /// The values it takes, where they are several that make one.
    pub parts: Option<Parts>,
    /// What a meter is put to, where the model can tell what it would show.
    pub probe: Option<crate::measure::Probe>,
}

/// The unit of what is looked at: 1 is as it should be, 0 is not.
pub const LOOK: &str = "seen";

impl Test {
    /// Whether it is looked at rather than measured.
    pub fn is_look(&self) -> bool {
        self.unit == LOOK
    }

    /// How the controls stand for it, where several values make one for the last of them; nothing where that does not matter.
    pub fn controls(&self) -> Option<&[u8]> {
        let last = || self.parts.as_ref().and_then(|p| p.list.last()).map(|p| &p.probe);
        self.probe.as_ref().or_else(last).map(|p| p.setup.controls.as_slice())
    }

    /// A test with what is usual: everything dead or live by its phase, looked at with the hands, and nothing predicted. What
    /// differs is written over it.
    pub(crate) fn of(id: TestId, phase: Phase) -> Test {
        Test {
            minutes: id.kind.minutes(),
            wait: id.kind.wait(),
            id,
            phase,
            title: String::new(),
            terminals: String::new(),
            state: String::new(),
            tools: &[Tool::Hands],
            unit: LOOK,
            predicted: None,
            limit: Band { low: 1.0, high: 1.0, source: "common practice, no source".to_owned() },
            meaning: String::new(),
            parts: None,
            probe: None,
        }
    }
}
