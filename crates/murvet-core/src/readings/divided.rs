//! What is lost on a way, divided over every cable, joint and share of the bank on it, with what none of them explains.

use super::{Test, TestKind};
use crate::audit::Audit;
use crate::catalogue::SourceKind;
use crate::measure::{Function, Probe, TestSetup, World};
use crate::network::EdgeKind;
use crate::units::short;
use std::collections::{HashMap, VecDeque};

/// One part of what is lost.
#[derive(Debug, Clone, PartialEq)]
pub struct Lost {
    /// The conductor, device or bank.
    pub what: String,
    /// What it should lose as traced, V.
    pub volts: f64,
}

/// A loss, divided.
#[derive(Debug, Clone, PartialEq)]
pub struct Divided {
    /// From the source onward, then the way back.
    pub parts: Vec<Lost>,
    /// What was measured, V.
    pub measured: f64,
    /// What no part explains, V; below nothing where less is lost than expected.
    pub unexplained: f64,
    /// The reading that halves what is left: where to put the leads, and what should stand there.
    pub next: Option<(String, f64)>,
}

/// Below this nothing is told from the digits of a meter, V.
const DIGIT_V: f64 = 0.01;

/// Divides what a reading of a loss, or of a sag under load, says. `rest` gives the resting voltage of a bank, by name,
/// where it was measured; without it that of the trace stands. Nothing for other tests.
///
/// Complexity: one breadth-first search a lead, one reading an edge of the way.
pub fn divided(audit: &Audit, test: &Test, value: f64, rest: &dyn Fn(&str) -> Option<f64>) -> Option<Divided> {
    let probe = test.probe.as_ref().filter(|_| value.is_finite())?;
    let world = World::new(audit, &[]);
    let net = &audit.net;
    let mut parts = Vec::new();
    let mut way: Vec<(String, String)> = Vec::new();
    let (measured, leads) = match test.id.kind {
        kind if kind.is_loss() => (value, probe.leads.clone()),
        TestKind::Sag | TestKind::Held => {
            let bank = bank_of(audit, test)?;
            let name = |n: usize| net.nodes[n].name.clone();
            let across = |setup: TestSetup| {
                world.read(&Probe::between(Function::DcVolts, &name(bank.plus), &name(bank.minus), setup))
            };
            let quiet = across(TestSetup { dark: true, ..TestSetup::default() })?;
            let inside = quiet - across(probe.setup.clone())?;
            parts.push(Lost { what: format!("inside {}", audit.assumed.components[bank.component].id), volts: inside });
            let (plus, minus) = probe.leads.first()?.clone();
            let leads = match test.id.kind {
                TestKind::Held => vec![(name(bank.plus), plus), (minus, name(bank.minus))],
                _ => Vec::new(),
            };
            (rest(&audit.assumed.components[bank.component].id).unwrap_or(quiet) - value, leads)
        }
        _ => return None,
    };
    for (a, b) in &leads {
        let steps = steps(audit, world.node(a)?, world.node(b)?)?;
        for (from, to, what) in steps {
            let (from, to) = (net.nodes[from].name.clone(), net.nodes[to].name.clone());
            let volts = world.read(&Probe::between(probe.function, &from, &to, probe.setup.clone())).unwrap_or(0.0);
            parts.push(Lost { what, volts });
            way.push((from, to));
        }
    }
    let expected: f64 = parts.iter().map(|p| p.volts).sum();
    let unexplained = measured - expected;
    // Half of the way on, by conductors: whatever the rest is, it lies on one side of it.
    let next = (unexplained > DIGIT_V && way.len() > 1).then(|| {
        let half = way.len() / 2;
        let own = parts.len() - way.len();
        let should: f64 = parts[own..own + half].iter().map(|p| p.volts).sum();
        (format!("{} to {}", way[0].0, way[half - 1].1), should)
    });
    Some(Divided { parts, measured, unexplained, next })
}

/// The bank that a test is about: its own, or the one that its inverter draws from.
pub(super) fn bank_of<'a>(audit: &'a Audit, test: &Test) -> Option<&'a crate::network::Source> {
    let net = &audit.net;
    let id = |p: usize| audit.assumed.components[p].id == test.id.subject;
    let banks = || net.sources.iter().filter(|s| s.kind == SourceKind::Battery);
    if let Some(own) = banks().find(|s| id(s.component)) {
        return Some(own);
    }
    let (plus, _) = net.sources.iter().find(|s| s.kind == SourceKind::Inverter && id(s.component))?.input?;
    let parked = audit.states.states.first()?;
    banks().find(|s| parked.live.part[s.plus] == parked.live.part[plus])
}

/// The edges of the shortest way between two nodes over conductors, devices and contacts, each with its name.
fn steps(audit: &Audit, a: usize, b: usize) -> Option<Vec<(usize, usize, String)>> {
    let net = &audit.net;
    let mut from: HashMap<usize, (usize, usize)> = HashMap::new();
    let mut open = VecDeque::from([a]);
    while let Some(n) = open.pop_front().filter(|n| *n != b) {
        for (k, e) in net.edges.iter().enumerate().filter(|(_, e)| !matches!(e.what, EdgeKind::Bond { .. })) {
            for (x, y) in [(e.a, e.b), (e.b, e.a)] {
                if x == n && y != a && !from.contains_key(&y) {
                    from.insert(y, (n, k));
                    open.push_back(y);
                }
            }
        }
    }
    let mut list = Vec::new();
    let mut at = b;
    while at != a {
        let (before, k) = *from.get(&at)?;
        let what = match &net.edges[k].what {
            EdgeKind::Wire(w) => Some(format!("{}, {}", net.wires[*w].title, net.wire_ends(*w))),
            EdgeKind::Device { component, .. } => Some(audit.assumed.components[*component].id.clone()),
            EdgeKind::Contact(_) => net.nodes[at].component.map(|p| audit.assumed.components[p].id.clone()),
            _ => None,
        };
        if let Some(what) = what {
            list.push((before, at, what));
        }
        at = before;
    }
    list.reverse();
    Some(list)
}

impl Divided {
    /// In lines for a person: each part, what no part explains, and where to put the leads next.
    pub fn lines(&self) -> Vec<String> {
        let mut out: Vec<String> =
            self.parts.iter().map(|p| format!("{}: {} V as traced", p.what, short(p.volts))).collect();
        out.push(match self.unexplained {
            u if u > DIGIT_V => {
                format!("{} V measured, {} V of it explained by none of these", short(self.measured), short(u))
            }
            u if u < -DIGIT_V => format!("{} V measured, {} V less than these", short(self.measured), short(-u)),
            _ => format!("{} V measured, all of it explained", short(self.measured)),
        });
        if let Some((leads, volts)) = &self.next {
            out.push(format!(
                "Next, with the same on: {leads}, {} V as traced; what is more lies there, the rest beyond",
                short(*volts)
            ));
        }
        out
    }
}
