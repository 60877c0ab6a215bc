//! How pressing something is.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How pressing a finding is, most pressing last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Severity {
    /// Good to know.
    Advice,
    /// To be put right soon.
    Soon,
    /// To be put right before the circuit is used.
    BeforeUse,
    /// Keep off: isolate now.
    KeepOff,
}

impl Severity {
    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Severity::Advice => "advice",
            Severity::Soon => "soon",
            Severity::BeforeUse => "before use",
            Severity::KeepOff => "keep off",
        }
    }

    /// All of them, most pressing first.
    pub const ALL: [Severity; 4] = [Severity::KeepOff, Severity::BeforeUse, Severity::Soon, Severity::Advice];

    /// Its stable code, as it is kept and as reports have it.
    pub fn code(self) -> &'static str {
        match self {
            Severity::Advice => "advice",
            Severity::Soon => "soon",
            Severity::BeforeUse => "before-use",
            Severity::KeepOff => "keep-off",
        }
    }

    /// The severity of a code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<Severity> {
        Severity::ALL.into_iter().find(|s| s.code() == code)
    }
}
