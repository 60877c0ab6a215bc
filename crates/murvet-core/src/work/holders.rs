//! Jobs that something did and nothing does any more.

use crate::audit::Audit;
use crate::catalogue::SourceKind;
use crate::readings::switches_of;
use crate::states::State;
use std::collections::BTreeSet;

/// A job.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Job {
    /// A consumer is fed in some state.
    Feeds(String),
    /// A battery is charged by a source in some state.
    Charges {
        /// The battery.
        battery: String,
        /// What it was charged from, by the name of the use: shore, drive, solar and so on.
        from: &'static str,
    },
    /// A battery can be taken off by a switch.
    Isolates(String),
}

impl std::fmt::Display for Job {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Job::Feeds(load) => write!(f, "nothing feeds {load} any more"),
            Job::Charges { battery, from } => write!(f, "nothing charges {battery} any more ({from})"),
            Job::Isolates(battery) => write!(f, "no switch takes {battery} off any more"),
        }
    }
}

/// The jobs that are held in a rig as it stands.
///
/// Complexity: states times consumers and batteries.
fn held(audit: &Audit) -> BTreeSet<Job> {
    let (net, rig) = (&audit.net, &audit.assumed);
    let id = |component: usize| rig.components[component].id.clone();
    let mut jobs = BTreeSet::new();
    let batteries: Vec<usize> =
        (0..net.sources.len()).filter(|s| net.sources[*s].kind == SourceKind::Battery).collect();
    for state in &audit.states.states {
        for c in &net.consumers {
            if state.live.sources_at(net, c.plus).next().is_some() {
                jobs.insert(Job::Feeds(id(c.component)));
            }
        }
        for &b in &batteries {
            let charging = state.live.sources_at(net, net.sources[b].plus);
            for s in charging.filter(|s| net.sources[*s].kind != SourceKind::Battery) {
                for from in origins(audit, state, s) {
                    jobs.insert(Job::Charges { battery: id(net.sources[b].component), from });
                }
            }
        }
    }
    for &b in &batteries {
        if !switches_of(audit, &net.sources[b]).is_empty() {
            jobs.insert(Job::Isolates(id(net.sources[b].component)));
        }
    }
    jobs
}

/// From what a running source gets its energy, by the names of the uses, through what converts. An inverter is no origin: it
/// lives on a battery.
fn origins(audit: &Audit, state: &State, source: usize) -> BTreeSet<&'static str> {
    let net = &audit.net;
    let mut seen = BTreeSet::from([source]);
    let mut open = vec![source];
    let mut names = BTreeSet::new();
    while let Some(s) = open.pop() {
        match (net.sources[s].kind, net.sources[s].input) {
            (SourceKind::Inverter | SourceKind::Battery, _) => {}
            (_, Some((plus, _))) => open.extend(state.live.sources_at(net, plus).filter(|s| seen.insert(*s))),
            (kind, None) => names.extend(kind.use_name()),
        }
    }
    names
}

/// Jobs that had a holder and have none, for what is still there to ask for it.
pub fn lost(before: &Audit, after: &Audit) -> Vec<Job> {
    let there = |id: &str| after.assumed.component(id).is_some_and(|p| p.status.present());
    // Whichever charger does it: the job is that the battery is charged on shore, by the engine, by the sun.
    let wanted = |job: &&Job| match job {
        Job::Feeds(id) | Job::Charges { battery: id, .. } | Job::Isolates(id) => there(id),
    };
    let now = held(after);
    held(before).difference(&now).filter(wanted).cloned().collect()
}
