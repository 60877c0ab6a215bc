//! What each test would find of everything that the simulator can hide in the rig, and what a miss of it is worth.

use super::again::value_in;
use super::{Outcome, Test, TestKind, judge};
use crate::audit::Audit;
use crate::catalogue::{Kind, Role};
use crate::measure::{Fault, World, suspects};
use crate::network::Network;
use crate::rig::{Core, Rig};
use crate::rules::Severity;

/// What one severity is worth beside another when tests are weighed: what can kill before what burns, what burns before what
/// spoils (common practice, no source).
pub(crate) fn worth(severity: Severity) -> f64 {
    match severity {
        Severity::KeepOff => 30.0,
        Severity::BeforeUse => 10.0,
        Severity::Soon => 3.0,
        Severity::Advice => 1.0,
    }
}

/// One thing that may be wrong although nothing of it is in the trace.
#[derive(Debug, Clone)]
pub struct Hidden {
    /// What is wrong.
    pub fault: Fault,
    /// How bad it is.
    pub danger: Severity,
}

/// What a plan can find.
#[derive(Debug, Clone, Default)]
pub struct Settles {
    /// Everything that may be hidden.
    pub hidden: Vec<Hidden>,
    /// By test, in the order of the plan: which of the hidden it shows, by number.
    pub shows: Vec<Vec<usize>>,
    /// By test: how many possible findings are about the same thing, so that its reading settles them.
    pub possible: Vec<usize>,
}

/// What each reading says of a rig: its value put to its limits and to its prediction; nothing where the model says nothing.
fn readings(tests: &[Test], world: &World) -> Vec<Option<(Outcome, bool)>> {
    let one = |t: &Test| {
        let v = value_in(t, world)?;
        Some((judge(t, v).outcome, t.predicted.as_ref().is_none_or(|p| p.holds(v))))
    };
    tests.iter().map(one).collect()
}

/// What the tests of a plan show of what may be hidden.
///
/// Complexity: one model a hidden fault, one solve a stand of the controls in it.
pub fn settles(audit: &Audit, tests: &[Test]) -> Settles {
    let sound = readings(tests, &World::new(audit, &[]));
    let mut shows = vec![Vec::new(); tests.len()];
    let mut hidden = Vec::new();
    for fault in suspects(audit) {
        let n = hidden.len();
        let with = readings(tests, &World::new(audit, std::slice::from_ref(&fault)));
        for (list, (a, b)) in shows.iter_mut().zip(sound.iter().zip(&with)) {
            if a != b {
                list.push(n);
            }
        }
        let danger = danger(&audit.assumed, &audit.net, &fault);
        hidden.push(Hidden { fault, danger });
    }
    let open: Vec<&crate::rules::Finding> =
        audit.findings.iter().filter(|f| f.certainty == crate::rules::Certainty::Possible).collect();
    let about = |t: &Test, f: &crate::rules::Finding| {
        t.id.names().any(|n| f.subject == n || f.components.iter().any(|p| p == n))
    };
    let possible = tests.iter().map(|t| open.iter().filter(|f| about(t, f)).count()).collect();
    Settles { hidden, shows, possible }
}

/// How bad a hidden fault is to whoever uses the rig. Common practice, no source.
fn danger(rig: &Rig, net: &Network, fault: &Fault) -> Severity {
    let duty = |wire: &str| {
        let index = net.wires.iter().position(|w| w.key == *wire)?;
        let e = net.wire_edge(index)?;
        let earth = [e.a, e.b].iter().any(|n| net.nodes[*n].duty == Role::Earth);
        Some(if earth { Role::Earth } else { net.nodes[e.a].duty })
    };
    match fault {
        Fault::Open { wire } => match duty(wire) {
            // Nobody feels a lost earth until a case is live.
            Some(Role::Earth) => Severity::KeepOff,
            // A neutral that is lost under two hots puts both voltages on what is small.
            Some(Role::Neutral) => Severity::BeforeUse,
            _ => Severity::Soon,
        },
        Fault::Joint { .. } => Severity::BeforeUse,
        Fault::Swapped { a, b, .. } if *a == Core::PE || *b == Core::PE => Severity::KeepOff,
        Fault::Swapped { .. } => Severity::BeforeUse,
        Fault::NoBond { .. } | Fault::DeadRcd { .. } => Severity::KeepOff,
        Fault::BondStays { .. } | Fault::ExtraBond { .. } | Fault::Moved { .. } | Fault::Leaky { .. } => {
            Severity::BeforeUse
        }
        Fault::Stuck { component, .. } => match rig.component(component).map(|p| p.kind) {
            Some(Kind::Transfer | Kind::AcContactor) => Severity::BeforeUse,
            _ => Severity::Soon,
        },
        Fault::Weak { .. } | Fault::Dead { .. } | Fault::Flat { .. } | Fault::Blown { .. } => Severity::Soon,
    }
}

/// What only a kind of test finds, beside what the simulator hides: a broken strand, a torque, a button.
pub(crate) fn own_worth(kind: TestKind) -> f64 {
    0.3 * worth(kind.miss())
}
