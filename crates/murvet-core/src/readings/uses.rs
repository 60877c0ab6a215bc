//! Which ways of using the rig are cleared.

use super::Test;
use crate::audit::Audit;
use crate::catalogue::SourceKind;
use crate::rules::{Finding, Severity};

/// One way of using the rig, and what stands against it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Use {
    /// Its name: drive, shore, inverter, solar, generator.
    pub name: &'static str,
    /// Findings that bar it: number in the list and hazard.
    pub barred_by: Vec<String>,
    /// Titles of its tests whose latest reading failed.
    pub failed: Vec<String>,
    /// How many of its tests have no reading that holds for the rig as it is.
    pub missing: usize,
}

const USES: [(&str, SourceKind); 6] = [
    ("drive", SourceKind::Alternator),
    ("tow", SourceKind::Tow),
    ("shore", SourceKind::Shore),
    ("inverter", SourceKind::Inverter),
    ("solar", SourceKind::Array),
    ("generator", SourceKind::Generator),
];

/// The uses that the sources of a rig allow. `passed` tells for a test whether its latest reading on the
/// rig as it is passed; nothing when there is none.
///
/// A use is cleared by passed tests alone: a rig in which nothing was found and nothing was measured is
/// not proven.
pub fn uses(audit: &Audit, tests: &[Test], passed: impl Fn(&Test) -> Option<bool>) -> Vec<Use> {
    let there = |kind: SourceKind| audit.net.sources.iter().any(|s| s.kind == kind);
    let of = |(name, kind)| {
        let numbered = audit.findings.iter().enumerate();
        let own: Vec<&Test> = tests.iter().filter(|t| concerns(audit, t, kind)).collect();
        Use {
            name,
            barred_by: numbered
                .filter(|(_, f)| bars(audit, f, kind))
                .map(|(n, f)| format!("{} {}", n + 1, f.rule().hazard.words()))
                .collect(),
            failed: own.iter().filter(|t| passed(t) == Some(false)).map(|t| t.title.clone()).collect(),
            // A rig that came unplugged has no reading of its skin and needs none.
            missing: own.iter().filter(|t| passed(t).is_none() && !t.id.starts_with("skin:")).count(),
        }
    };
    USES.into_iter().filter(|(_, kind)| there(*kind)).map(of).collect()
}

/// A finding that stands as parked bars every use; any other bars the uses whose source it names or whose
/// source runs in the state where it shows.
fn bars(audit: &Audit, f: &Finding, kind: SourceKind) -> bool {
    if f.severity < Severity::BeforeUse {
        return false;
    }
    let net = &audit.net;
    let ctx = audit.context();
    let state = audit.states.states.iter().find(|s| s.way == f.way);
    let running =
        |s: &crate::states::State| net.sources.iter().enumerate().any(|(i, x)| x.kind == kind && s.live.active[i]);
    let named = net.sources.iter().filter(|s| s.kind == kind).any(|s| {
        let words = ctx.piece_words(s.piece);
        f.pieces.contains(&audit.assumed.pieces[s.piece].id) || f.evidence.iter().any(|e| e.contains(&words))
    });
    // Light is there in every state, so a state says nothing about use on solar alone.
    let there = kind != SourceKind::Array && state.is_none_or(running);
    f.way.is_empty() || named || there
}

/// Whether a test must have passed before this source is used.
fn concerns(audit: &Audit, test: &Test, kind: SourceKind) -> bool {
    let mut parts = test.id.split(':');
    match (parts.next().unwrap_or_default(), parts.next()) {
        ("skin" | "supply-volts" | "supply-ne", _) => kind == SourceKind::Shore,
        ("earth" | "n-e" | "rcd", _) => kind.is_ac(),
        // What it takes while idle empties a bank and hurts nobody.
        ("idle", _) => false,
        ("rest" | "drop", _) => !kind.is_ac() || kind == SourceKind::Inverter,
        (_, Some(from)) => {
            let fed = |s: &&crate::network::Source| audit.assumed.pieces[s.piece].id == from;
            audit.net.sources.iter().filter(fed).any(|s| s.kind == kind)
        }
        _ => true,
    }
}
