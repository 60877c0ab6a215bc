//! Which ways of using the rig are cleared, limited or barred.

mod precaution;

pub use precaution::{Against, Limit};

use super::{Phase, Proves, Test, TestKind};
use crate::audit::Audit;
use crate::catalogue::{Role, SourceKind};
use crate::network::EdgeKind;
use crate::rules::{Context, Finding, RULES, Severity};
use crate::states::{Exploration, Explored, Live, State};
use precaution::Precautions;
use std::collections::BTreeSet;

/// One way of using the rig, and what stands against it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Use {
    /// Its name: drive, tow, shore, inverter, solar, wind, generator.
    pub name: &'static str,
    /// Findings that bar it.
    pub barred_by: Vec<Against>,
    /// Findings that limit it, each with the precaution that keeps it away.
    pub limited_by: Vec<Limit>,
    /// Titles of its tests whose latest reading failed.
    pub failed: Vec<String>,
    /// How many of its tests have no reading that holds for the rig as it is.
    pub missing: usize,
    /// Whether the audit stopped before everything was judged: then nothing is shown to be satisfactory.
    pub unjudged: bool,
}

/// The sources that a rig is used on, in the order of the list.
const USES: [SourceKind; 7] = [
    SourceKind::Alternator,
    SourceKind::Tow,
    SourceKind::Shore,
    SourceKind::Inverter,
    SourceKind::Array,
    SourceKind::Wind,
    SourceKind::Generator,
];

/// The uses that the sources of a rig allow. `passed` tells for a test whether its latest reading on the
/// rig as it is passed; nothing when there is none.
///
/// A use is cleared by passed tests alone: a rig in which nothing was found and nothing was measured is
/// not proven.
///
/// Complexity: one audit by the states of each use.
pub fn uses(audit: &Audit, tests: &[Test], passed: impl Fn(&Test) -> Option<bool>) -> Vec<Use> {
    let there = |kind: SourceKind| audit.net.sources.iter().any(|s| s.kind == kind);
    let everywhere = found_in(audit, |_| true);
    // By the states in which a source runs alone. What shows only while two run together bars both, or limits them to one.
    let alone: Vec<(SourceKind, BTreeSet<String>)> = USES
        .into_iter()
        .filter(|kind| there(*kind))
        .map(|kind| (kind, found_in(audit, |s| runs(audit, s, kind) && !others(audit, s, kind))))
        .collect();
    let of = |kind: SourceKind| {
        let own: Vec<&Test> = tests.iter().filter(|t| concerns(audit, t, kind)).collect();
        let states: Vec<&State> = audit.states.states.iter().filter(|s| runs(audit, s, kind)).collect();
        let mut here = found_in(audit, |s| runs(audit, s, kind));
        let by_itself = |key: &String| alone.iter().any(|(k, list)| *k == kind && list.contains(key));
        let by_another = |key: &String| alone.iter().any(|(k, list)| *k != kind && list.contains(key));
        here.retain(|key| by_itself(key) || !by_another(key));
        let play: Vec<Play> = states.iter().map(|s| Play::of(audit, s, kind)).collect();
        let bars = |f: &Finding| {
            // What only an answer to something unseen brings about is in no audit of the rig as it is shown.
            let shows = here.contains(&f.key()) || !everywhere.contains(&f.key());
            let nodes = subject_nodes(audit, f);
            f.severity >= Severity::BeforeUse
                && shows
                && (nodes.is_empty() || play.iter().any(|p| nodes.iter().any(|n| p.has(audit, *n))))
        };
        let play_of = |f: &Finding| f.components.iter().any(|id| play.iter().any(|p| p.drives(audit, id)));
        let numbered = |n: usize, f: &Finding| Against { number: n + 1, hazard: f.rule.hazard };
        let (mut barred_by, mut limited_by) = (Vec::new(), Vec::new());
        let mut precautions = Precautions::of(audit, kind);
        for (n, f) in audit.findings.iter().enumerate() {
            if let Some(precaution) = f.precaution.clone().filter(|_| play_of(f)) {
                limited_by.push(Limit { finding: numbered(n, f), precaution });
            } else if bars(f) {
                match precautions.against(f) {
                    Some(precaution) => limited_by.push(Limit { finding: numbered(n, f), precaution }),
                    None => barred_by.push(numbered(n, f)),
                }
            }
        }
        Use {
            name: kind.use_name().unwrap_or_default(),
            barred_by,
            limited_by,
            failed: own.iter().filter(|t| passed(t) == Some(false)).map(|t| t.title.clone()).collect(),
            // A rig that came unplugged has no reading of its skin and needs none.
            missing: own.iter().filter(|t| passed(t).is_none() && t.id.kind != TestKind::Skin).count(),
            unjudged: audit.partly,
        }
    };
    USES.into_iter().filter(|kind| there(*kind)).map(of).collect()
}

/// Whether a source of a kind runs in a state. Light is there in every state.
fn runs(audit: &Audit, state: &State, kind: SourceKind) -> bool {
    audit.net.sources.iter().enumerate().any(|(i, s)| s.kind == kind && state.live.active[i])
}

/// Whether a source of another use runs in a state; the weather beside it is none, for nobody switches that on.
fn others(audit: &Audit, state: &State, kind: SourceKind) -> bool {
    USES.iter().any(|other| *other != kind && !other.is_weather() && runs(audit, state, *other))
}

/// Keys of what is found when only some states can be reached.
fn found_in(audit: &Audit, wanted: impl Fn(&State) -> bool) -> BTreeSet<String> {
    let of = |list: &[State]| list.iter().filter(|s| wanted(s)).cloned().collect::<Vec<State>>();
    let some = Exploration {
        states: of(&audit.states.states),
        passing: of(&audit.states.passing),
        complete: audit.states.complete,
        ..Exploration::default()
    };
    if some.states.is_empty() {
        return BTreeSet::new();
    }
    let explored = Explored::from(some);
    let ctx = Context::new(&audit.assumed, &audit.rules, &audit.net, &explored);
    RULES.iter().flat_map(|r| (r.find)(&ctx)).map(|f| f.key()).collect()
}

/// What a use puts under voltage or draws on in one state: the sources in play, the parts that its sources reach, what they charge through
/// converters, and the bank that an inverter takes its power from.
struct Play<'a> {
    live: &'a Live,
    sources: Vec<usize>,
    parts: Vec<u32>,
    metals: Vec<u32>,
}

impl<'a> Play<'a> {
    fn of(audit: &Audit, state: &'a State, kind: SourceKind) -> Play<'a> {
        let net = &audit.net;
        let live = &state.live;
        let mut play = Play { live, sources: Vec::new(), parts: Vec::new(), metals: Vec::new() };
        let mut list: Vec<usize> =
            (0..net.sources.len()).filter(|&i| net.sources[i].kind == kind && live.active[i]).collect();
        let mut at = 0;
        while let Some(&i) = list.get(at) {
            at += 1;
            let s = &net.sources[i];
            play.add(s.plus, s.minus);
            if let Some((plus, minus)) = s.input.filter(|_| s.kind == SourceKind::Inverter) {
                play.add(plus, minus);
            }
            for (o, other) in net.sources.iter().enumerate().filter(|(o, _)| live.active[*o]) {
                let fed = other.input.is_some_and(|(plus, _)| play.parts.contains(&live.part[plus]));
                // A store that is charged is in play with all that hangs on it; an inverter on it is a use of its own.
                if fed && other.kind != SourceKind::Inverter && !list.contains(&o) {
                    list.push(o);
                }
            }
        }
        play.sources = list;
        play
    }

    /// Whether a component gives current in this use, or is an appliance that it keeps supplied.
    fn drives(&self, audit: &Audit, id: &str) -> bool {
        let own = |component: usize| audit.assumed.components[component].id == id;
        let gives =
            |s: &&usize| audit.net.sources[**s].kind != SourceKind::Battery && own(audit.net.sources[**s].component);
        let takes = |c: &crate::network::Consumer| {
            audit.assumed.components[c.component].kind == crate::catalogue::Kind::DcLoad
                && own(c.component)
                && self.has(audit, c.plus)
        };
        self.sources.iter().any(|s| gives(&s)) || audit.net.consumers.iter().any(takes)
    }

    fn add(&mut self, plus: usize, minus: usize) {
        self.parts.push(self.live.part[plus]);
        self.metals.push(self.live.metal[minus]);
    }

    /// Whether a node takes part: one of the live side by what it is joined to, one of the way back by its metal.
    fn has(&self, audit: &Audit, node: usize) -> bool {
        match audit.net.nodes[node].duty {
            Role::Minus | Role::Neutral | Role::Earth => self.metals.contains(&self.live.metal[node]),
            _ => self.parts.contains(&self.live.part[node]),
        }
    }
}

/// The nodes that a finding is about: ends of its conductors, else terminals of its subject, else of the components it names. Of a
/// component those of the live side, where it has any: a common negative says nothing about which source reaches it.
fn subject_nodes(audit: &Audit, f: &Finding) -> Vec<usize> {
    let net = &audit.net;
    let of_wires: Vec<usize> = net
        .edges
        .iter()
        .filter(|e| matches!(e.what, EdgeKind::Wire(w) if f.wires.contains(&net.wires[w].spot)))
        .flat_map(|e| [e.a, e.b])
        .collect();
    if !of_wires.is_empty() {
        return of_wires;
    }
    let of_component = |id: &str| -> Vec<usize> {
        let own = |n: &usize| net.nodes[*n].component.is_some_and(|p| audit.assumed.components[p].id == id);
        let all: Vec<usize> = (0..net.nodes.len()).filter(own).collect();
        let back = |n: &usize| matches!(net.nodes[*n].duty, Role::Minus | Role::Neutral | Role::Earth);
        let live: Vec<usize> = all.iter().copied().filter(|n| !back(n)).collect();
        if live.is_empty() { all } else { live }
    };
    let own: Vec<usize> =
        f.subject.devices().filter(|(_, way)| way.is_none()).flat_map(|(id, _)| of_component(id)).collect();
    if own.is_empty() { f.components.iter().flat_map(|p| of_component(p)).collect() } else { own }
}

/// Whether a test must have passed before this source is used, by what its kind proves.
fn concerns(audit: &Audit, test: &Test, kind: SourceKind) -> bool {
    match test.id.kind.proves() {
        Proves::All => true,
        Proves::Shore => kind == SourceKind::Shore,
        Proves::Mains => kind.is_ac(),
        Proves::Direct => !kind.is_ac() || kind == SourceKind::Inverter,
        Proves::Loop => matches!(kind, SourceKind::Shore | SourceKind::Inverter),
        Proves::Source => {
            let name = test.id.source.as_ref().unwrap_or(&test.id.subject);
            let own = |s: &&crate::network::Source| audit.assumed.components[s.component].id == *name;
            audit
                .net
                .sources
                .iter()
                .filter(own)
                .any(|s| s.kind == kind || charges_from(s.kind, kind) && test.phase != Phase::Inverter)
        }
        Proves::Nothing => false,
    }
}

/// Whether a source turns what a use runs on into charge.
fn charges_from(source: SourceKind, used: SourceKind) -> bool {
    match source {
        SourceKind::Controller => used == SourceKind::Array,
        SourceKind::DcDc => matches!(used, SourceKind::Alternator | SourceKind::Tow),
        SourceKind::Charger => used == SourceKind::Shore,
        _ => false,
    }
}
