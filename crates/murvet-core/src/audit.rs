//! The one entry point: a rig and a profile in; findings, states and what is unseen out.

use crate::bounds::{Side, Unseen, assignments, open_words, unseen};
use crate::network::{Case, DcNet, Network, expand};
use crate::profiles::{Choice, Profile, ProfileId, school};
use crate::rig::Rig;
use crate::rules::{Certainty, Context, Finding, RULES};
use crate::states::{Explored, Memory, explore, explore_again};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// The result of an audit.
#[derive(Debug, Clone)]
pub struct Audit {
    /// The profile used.
    pub profile: ProfileId,
    /// Its limits with the choices of the rig.
    pub rules: Profile,
    /// Findings, most pressing first.
    pub findings: Vec<Finding>,
    /// Unseen values, those with most findings hanging on them first.
    pub look_next: Vec<LookNext>,
    /// The network with unseen values at their worst, for drawing and readings.
    pub net: Network,
    /// Its states.
    pub states: Arc<Explored>,
    /// The rig with unseen words put in as used for `net`.
    pub assumed: Rig,
    /// What limits this audit, in sentences.
    pub limits: Vec<String>,
    /// The searches it made, for audits of the rig after an edit.
    pub memory: Memory,
    /// What the firm chose among the schools, for audits of the rig after an edit.
    pub firm: Vec<Choice>,
}

/// An unseen value and what hangs on it.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct LookNext {
    /// The value.
    #[serde(flatten)]
    pub unseen: Unseen,
    /// How many findings are possible only and name what it belongs to.
    pub findings: usize,
}

/// The profile to judge by: the one asked for, else the rig's own, else na-rv.
pub fn choose_profile(rig: &Rig, asked: Option<ProfileId>) -> ProfileId {
    asked.or(rig.profile).unwrap_or(ProfileId::NaRv)
}

/// Audits a rig that has passed [`check`](crate::rig::check).
///
/// ```
/// let rig = murvet_core::notation::parse("\
/// battery house: lifepo4 12.8V 100Ah
/// dc-load heater: 25A
/// run house.+ : 3m 2.5mm2, heater.+
/// run house.- : 3m 2.5mm2, heater.-
/// ").unwrap();
/// let audit = murvet_core::audit::audit(&rig, murvet_core::profiles::ProfileId::EuUk);
/// assert!(audit.findings.iter().any(|f| f.meta == "overcurrent-missing"));
/// ```
pub fn audit(rig: &Rig, profile: ProfileId) -> Audit {
    audit_by(rig, &profile.profile().chosen(&rig.choices))
}

/// The same with what a firm chose once and for all among the schools, and with the searches made before. Where the rig
/// answers a question itself, its answer governs.
pub fn audit_for(rig: &Rig, profile: ProfileId, firm: &[Choice], memory: &Memory) -> Audit {
    let mut audit = audit_again(rig, &profile.profile().chosen(firm).chosen(&rig.choices), memory);
    let standing = firm.iter().filter(|c| !rig.choices.iter().any(|own| own.school == c.school));
    audit.limits.extend(standing.filter_map(choice_words));
    audit.firm = firm.to_vec();
    audit
}

/// A choice as it is printed with the audit.
fn choice_words(c: &Choice) -> Option<String> {
    school(&c.school).map(|s| format!("{} Chosen: {}. Reason: {}", s.question, c.option, c.reason))
}

/// The same by limits of one's own.
pub fn audit_by(rig: &Rig, limits_of: &Profile) -> Audit {
    audit_again(rig, limits_of, &Memory::default())
}

/// The same with the searches that were made for the rig before an edit.
pub fn audit_again(rig: &Rig, limits_of: &Profile, memory: &Memory) -> Audit {
    let open = open_words(rig);
    let rigs = assignments(rig, &open);
    let not_seen = unseen(rig);
    // Words are put in one by one; what is left are numbers, with a worst and a best.
    let numbers = rigs.first().is_some_and(|r| !unseen(r).is_empty());
    let mut found: BTreeMap<String, Finding> = BTreeMap::new();
    let mut always: Option<BTreeSet<String>> = None;
    let mut shown: Option<(Network, Arc<Explored>, Rig)> = None;
    let mut complete = true;
    for (n, one) in rigs.into_iter().enumerate() {
        let net = expand(&one, limits_of, Side::Worst);
        let states = explore_again(&net, memory);
        complete &= states.complete;
        let mut here = BTreeSet::new();
        for f in apply(&Context::new(&one, limits_of, &net, &states)) {
            let key = f.key();
            here.insert(key.clone());
            match found.get(&key) {
                Some(old) if old.severity >= f.severity => {}
                _ => {
                    found.insert(key, f);
                }
            }
        }
        // Numbers at their best: what still stands does not hang on them.
        let best: BTreeSet<String> = if !numbers {
            here
        } else {
            let net = expand(&one, limits_of, Side::Best);
            let states = explore_again(&net, memory);
            apply(&Context::new(&one, limits_of, &net, &states)).iter().map(Finding::key).collect()
        };
        always = Some(match always {
            None => best,
            Some(old) => old.intersection(&best).cloned().collect(),
        });
        if n == 0 {
            shown = Some((net, states, one));
        }
    }
    let always = always.unwrap_or_default();
    let mut findings: Vec<Finding> = found.into_values().collect();
    for f in &mut findings {
        if !always.contains(&f.key()) {
            f.certainty = Certainty::Possible;
            f.evidence.push(
                "Possible: it hangs on values that were not seen, taken here at their worst credible bound.".to_owned(),
            );
        }
    }
    findings.sort_by(|a, b| {
        let rank = |f: &Finding| (std::cmp::Reverse(f.severity), std::cmp::Reverse(f.certainty));
        rank(a).cmp(&rank(b)).then_with(|| a.rule().hazard.cmp(&b.rule().hazard)).then_with(|| a.key().cmp(&b.key()))
    });
    let mut limits = Vec::new();
    if !complete {
        limits.push(format!(
            "The rig has more settings than are searched ({}); states beyond them were not judged.",
            crate::states::MOST_SETTINGS
        ));
    }
    for place in rig.places.iter().filter(|p| matches!(p.opened.as_deref(), Some("no" | "part"))) {
        let how = if place.opened.as_deref() == Some("no") { "not opened" } else { "opened in part" };
        limits.push(format!("{} was {how}.", place.label.as_deref().unwrap_or(&place.id)));
    }
    if !not_seen.is_empty() {
        limits.push(format!(
            "{} values were not seen; each was taken at its worst credible bound for the rule at hand.",
            not_seen.len()
        ));
    }
    limits.extend(rig.choices.iter().filter_map(choice_words));
    let look_next = rank(not_seen, &findings);
    let (net, states, assumed) = shown.unwrap_or_else(|| {
        let net = expand(rig, limits_of, Side::Worst);
        let states = explore_again(&net, memory);
        (net, states, rig.clone())
    });
    Audit {
        profile: limits_of.id,
        rules: *limits_of,
        findings,
        look_next,
        net,
        states,
        assumed,
        limits,
        memory: memory.clone(),
        firm: Vec::new(),
    }
}

/// The DC side of a rig as a SPICE netlist: parked, every DC appliance and inverter on at its rated current,
/// batteries full with their typical inside resistance. Checked by ngspice in the tests.
pub fn spice(rig: &Rig, profile: ProfileId) -> String {
    let rigs = assignments(rig, &open_words(rig));
    let rig = rigs.first().unwrap_or(rig);
    let net = expand(rig, profile.profile(), Side::Worst);
    let states = explore(&net);
    let dc = DcNet::new(rig, &net, Case::Typical, |e| states.states.first().is_none_or(|s| s.closed(&net, e)));
    let loads: Vec<(usize, usize, f64)> = net
        .consumers
        .iter()
        .filter(|c| !c.ac)
        .filter_map(|c| Some((dc.at(c.plus)?, dc.at(c.minus)?, c.current_a?)))
        .collect();
    let name = if rig.name.is_empty() { "unnamed rig" } else { &rig.name };
    dc.spice(name, &loads)
}

fn apply(ctx: &Context) -> Vec<Finding> {
    RULES.iter().flat_map(|(_, find)| find(ctx)).collect()
}

fn rank(not_seen: Vec<Unseen>, findings: &[Finding]) -> Vec<LookNext> {
    let mut list: Vec<LookNext> = not_seen
        .into_iter()
        .map(|unseen| {
            let stem = unseen.subject.rsplit(' ').next().unwrap_or_default();
            let stem = stem.split('.').next().unwrap_or_default();
            let hangs = |f: &&Finding| {
                f.certainty == Certainty::Possible
                    && (f.pieces.iter().any(|p| p == stem)
                        || f.subject.contains(stem)
                        || f.evidence.iter().any(|e| e.contains(stem)))
            };
            LookNext { findings: findings.iter().filter(hangs).count(), unseen }
        })
        .collect();
    list.sort_by(|a, b| b.findings.cmp(&a.findings).then_with(|| a.unseen.cmp(&b.unseen)));
    list
}

impl Audit {
    /// Audits a rig that an edit made from this one, by the same profile.
    pub fn after(&self, rig: &Rig) -> Audit {
        audit_for(rig, self.profile, &self.firm, &self.memory)
    }

    /// What another audit has that this one has not, or has less pressing.
    pub fn opened_by<'a>(&'a self, other: &'a Audit) -> impl Iterator<Item = &'a Finding> {
        let known = |f: &Finding| self.findings.iter().any(|n| n.key() == f.key() && n.severity >= f.severity);
        other.findings.iter().filter(move |f| !known(f))
    }

    /// A context for more questions about the same network.
    pub fn context(&self) -> Context<'_> {
        Context::new(&self.assumed, &self.rules, &self.net, &self.states)
    }

    /// Whether anything must be put right before use.
    pub fn blocks_use(&self) -> bool {
        self.findings.iter().any(|f| f.severity >= crate::rules::Severity::BeforeUse)
    }
}
