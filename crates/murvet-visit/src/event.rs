//! What happens to a finding, and what a record of it is about.

/// What happened to a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Event {
    /// It was found by readings and seen.
    Opened,
    /// A repair was made that closes it.
    Repaired,
    /// A repair was made that closes a part of it; the rest is open.
    PartRepaired,
    /// The repair was proven, or closed with a reason.
    ReTested,
    /// It is left as it is, with a reason.
    Accepted,
    /// It is left for later, with a reason.
    Deferred,
    /// It went away without a repair.
    Removed,
}

impl Event {
    /// All of them.
    pub const ALL: [Event; 7] = [
        Event::Opened,
        Event::Repaired,
        Event::PartRepaired,
        Event::ReTested,
        Event::Accepted,
        Event::Deferred,
        Event::Removed,
    ];

    /// Its stable code, as it is kept.
    pub fn code(self) -> &'static str {
        match self {
            Event::Opened => "opened",
            Event::Repaired => "repaired",
            Event::PartRepaired => "part-repaired",
            Event::ReTested => "re-tested",
            Event::Accepted => "accepted",
            Event::Deferred => "deferred",
            Event::Removed => "removed",
        }
    }

    /// The event of a code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<Event> {
        Event::ALL.into_iter().find(|e| e.code() == code)
    }

    /// Whether it says that a person leaves the finding as it is.
    pub fn is_decision(self) -> bool {
        matches!(self, Event::Accepted | Event::Deferred)
    }
}

/// What an event is about.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Matter {
    /// A finding of the audit, by its key.
    Finding(String),
    /// What readings were explained by, in words.
    Diagnosis(String),
}

impl Matter {
    const DIAGNOSIS: &'static str = "diagnosis:";

    /// From the name under which it is kept.
    pub fn of(kept: &str) -> Matter {
        match kept.strip_prefix(Matter::DIAGNOSIS) {
            Some(words) => Matter::Diagnosis(words.to_owned()),
            None => Matter::Finding(kept.to_owned()),
        }
    }

    /// The name under which it is kept.
    pub fn kept(&self) -> String {
        match self {
            Matter::Finding(key) => key.clone(),
            Matter::Diagnosis(words) => format!("{}{words}", Matter::DIAGNOSIS),
        }
    }
}
