//! What a change of the rig opens and closes, and whether it is worse than before.

use crate::audit::Audit;
use crate::rules::{Certainty, Finding, Severity};
use std::collections::BTreeSet;

/// Two audits compared.
#[derive(Debug, Clone, Default)]
pub struct Change {
    /// Findings that are gone.
    pub closes: Vec<Finding>,
    /// Findings that are new, or more pressing than they were.
    pub opens: Vec<Finding>,
    /// Findings that go on under another name, for the conductor they are about ends elsewhere now.
    pub moved: Vec<Finding>,
}

impl Change {
    /// What makes it worse: what is new or more pressing, and not advice alone.
    pub fn worse(&self) -> impl Iterator<Item = &Finding> {
        self.opens.iter().filter(|f| f.severity >= Severity::Soon)
    }
}

/// What lies between two audits.
///
/// A finding counts as moved, not as new, only where the same rule found something no less pressing before about the same
/// length of copper at the same terminal: of like length and size, with one end where it was. Anything else counts as new.
pub fn change(before: &Audit, after: &Audit) -> Change {
    let known = |f: &Finding| {
        before.findings.iter().any(|b| {
            b.key() == f.key()
                && b.severity >= f.severity
                && (b.certainty >= f.certainty || f.severity <= Severity::Soon)
        })
    };
    let keys: BTreeSet<String> = after.findings.iter().map(Finding::key).collect();
    let mut closes: Vec<Finding> = before.findings.iter().filter(|f| !keys.contains(&f.key())).cloned().collect();
    let mut change = Change::default();
    for f in after.findings.iter().filter(|f| !known(f)) {
        let was = closes.iter().position(|b| {
            std::ptr::eq(b.rule, f.rule)
                && b.severity >= f.severity
                && (b.certainty == Certainty::Certain || f.certainty == Certainty::Possible)
                && same_copper((before, b), (after, f))
        });
        match was {
            Some(index) => {
                closes.remove(index);
                change.moved.push(f.clone());
            }
            None => change.opens.push(f.clone()),
        }
    }
    change.closes = closes;
    change
}

/// Whether two findings are about conductors of like length and size that share a terminal, each of the later one having its
/// like in the earlier one.
fn same_copper((before, b): (&Audit, &Finding), (after, f): (&Audit, &Finding)) -> bool {
    let of = |audit: &Audit, f: &Finding| -> Vec<(String, u64, u64, String, String)> {
        // The conductor that gives it its name; what else stands under it may be new.
        let own: Vec<&str> = f.subject.conductors().collect();
        let meant = |w: usize| {
            let w = &audit.net.wires[w];
            if own.is_empty() { f.wires.contains(&w.spot) } else { own.contains(&w.key.as_str()) }
        };
        let wires = audit.net.edges.iter().filter_map(|e| match e.what {
            crate::network::EdgeKind::Wire(w) if meant(w) => Some((w, e.a, e.b)),
            _ => None,
        });
        wires
            .map(|(w, a, b)| {
                let w = &audit.net.wires[w];
                let name = |n: usize| audit.net.nodes[n].name.clone();
                (w.title.clone(), w.length_m.to_bits(), w.laid.area_mm2.to_bits(), name(a), name(b))
            })
            .collect()
    };
    let (old, new) = (of(before, b), of(after, f));
    let like = |n: &(String, u64, u64, String, String)| {
        old.iter().any(|o| (o.1, o.2) == (n.1, n.2) && [&o.3, &o.4].iter().any(|end| **end == n.3 || **end == n.4))
    };
    !new.is_empty() && new.iter().all(like)
}
