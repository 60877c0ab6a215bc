//! What is next on the walk of a visit.

/// What there is to do, counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Open {
    /// Steps of making safe.
    pub isolation: usize,
    /// Tests that can be done now: their guards passed, what they need at hand.
    pub tests: usize,
    /// Repairs that are not yet proven.
    pub repaired: usize,
    /// Findings of *keep off* and *before use* that nobody decided on.
    pub undecided: usize,
}

/// What is next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Onward {
    /// A step of making safe.
    Isolate,
    /// A test.
    Measure,
    /// The proof of a repair.
    Prove,
    /// A finding: its repair, or a decision with its reason.
    Decide,
    /// Nothing but the hand-over.
    HandOver,
}

impl Open {
    /// What is next: the rig is made safe before anything is measured in it, everything is measured that can be before
    /// anything is decided, and a repair is proven before the next one begins, so that a reading that does not come out is
    /// held against the repair that was made last.
    pub fn next(self) -> Onward {
        match self {
            Open { isolation: 1.., .. } => Onward::Isolate,
            Open { tests: 1.., .. } => Onward::Measure,
            Open { repaired: 1.., .. } => Onward::Prove,
            Open { undecided: 1.., .. } => Onward::Decide,
            _ => Onward::HandOver,
        }
    }
}
