//! What a change of the rig opens and closes, and whether it is worse than before.

use crate::audit::Audit;
use crate::network::{Edge, EdgeKind};
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
    let of = |audit: &Audit, f: &Finding| -> Vec<(u64, u64, [String; 2])> {
        // The conductor that gives it its name; what else stands under it may be new.
        let own: Vec<&str> = f.subject.conductors().collect();
        let net = &audit.net;
        let copper = |e: &Edge| {
            let EdgeKind::Wire(w) = e.what else { return None };
            let w = &net.wires[w];
            let meant = if own.is_empty() { f.wires.contains(&w.spot) } else { own.contains(&w.key.as_str()) };
            let ends = [e.a, e.b].map(|n| net.nodes[n].name.clone());
            meant.then(|| (w.length_m.to_bits(), w.laid.area_mm2.to_bits(), ends))
        };
        net.edges.iter().filter_map(copper).collect()
    };
    let (old, new) = (of(before, b), of(after, f));
    let like = |n: &(u64, u64, [String; 2])| {
        old.iter().any(|o| (o.0, o.1) == (n.0, n.1) && o.2.iter().any(|end| n.2.contains(end)))
    };
    !new.is_empty() && new.iter().all(like)
}
