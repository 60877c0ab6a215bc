//! The one entry point: a rig and a profile in; findings, states and what is unseen out.

use crate::apart::{Part, parts};
use crate::bounds::{Side, Unseen, assignments, open_words};
use crate::corners::{Corners, OpenValue, corners, open_values, put, sound_up_to};
use crate::network::{Case, DcNet, Network, expand};
use crate::profiles::{Choice, Own, Profile, ProfileId, school};
use crate::rig::Rig;
use crate::rules::{Certainty, Context, Finding, Is, RULES};
use crate::states::{Explored, Memory, explore, explore_again, explore_with};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// The result of an audit.
#[derive(Debug, Clone)]
pub struct Audit {
    /// The limits before anybody chose among the schools, for audits of the rig after an edit.
    pub profile: Profile,
    /// The limits it was judged by: those with the choices of the firm and of the rig.
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
    /// Whether it stopped before every state and every choice of what was not seen was judged; `limits` says what was left.
    pub partly: bool,
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
    /// How many findings come or go with it alone.
    pub findings: usize,
}

/// The profile to judge by: the one asked for, else the rig's own, else na-rv.
pub fn choose_profile(rig: &Rig, asked: Option<ProfileId>) -> ProfileId {
    asked.or(rig.profile).unwrap_or(ProfileId::USUAL)
}

/// Audits a rig that has passed [`check`](crate::meaning::check).
///
/// ```
/// let rig = murvet_core::notation::parse("\
/// battery house: lifepo4 12.8V 100Ah
/// dc-load heater: 25A
/// run house.+ : 3m 2.5mm2, heater.+
/// run house.- : 3m 2.5mm2, heater.-
/// ").unwrap();
/// let audit = murvet_core::audit::audit(&rig, murvet_core::profiles::ProfileId::EU_UK);
/// assert!(audit.findings.iter().any(|f| f.rule.slug == "overcurrent-missing"));
/// ```
pub fn audit(rig: &Rig, profile: ProfileId) -> Audit {
    audit_by(rig, &profile.profile().chosen(&rig.choices))
}

/// The same with what a firm chose once and for all among the schools, and with the searches made before. Where the rig
/// answers a question itself, its answer governs.
pub fn audit_for(rig: &Rig, profile: &Profile, firm: &[Choice], memory: &Memory) -> Audit {
    let mut audit = audit_again(rig, &profile.chosen(firm).chosen(&rig.choices), memory);
    audit.profile = profile.clone();
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

/// At most so many corners of what was not seen are judged, and at least so many, however large the rig: the whole corners
/// and as many more as let every choice occur.
const CORNERS: std::ops::RangeInclusive<usize> = 12..=128;

/// What all corners of a rig may take together, in nodes judged: a second or so.
const MOST_WORK: usize = 1_500_000;

/// What one audit of a network takes, in nodes judged.
fn work(net: &Network, states: &Explored) -> usize {
    // Beside its states an audit has the numbers to look at; a step of the search takes about a fifth of a look at a node.
    net.nodes.len() * (states.states.len() + 16) + states.effort / 5
}

/// How often an audit may be made to see what hangs on what was not seen.
struct Room {
    /// Corners.
    corners: usize,
    /// Searches for the value up to which something is sound.
    searches: usize,
}

impl Room {
    /// The room where one audit takes so much, for one of so many rigs that share the time.
    fn of(work: usize, share: usize) -> Room {
        let audits = MOST_WORK / share.max(1) / work.max(1);
        Room { corners: audits.clamp(*CORNERS.start(), *CORNERS.end()), searches: (audits / 16).min(2) }
    }
}

/// The same with the searches that were made for the rig before an edit.
pub fn audit_again(rig: &Rig, limits_of: &Profile, memory: &Memory) -> Audit {
    // The rig as it is shown: words at their first choice, numbers left open.
    let assumed = assignments(rig, &open_words(rig)).into_iter().next().unwrap_or_else(|| rig.clone());
    let net = expand(&assumed, limits_of, Side::Worst);
    let states = explore_again(&net, memory);
    let open = open_values(rig, limits_of);
    let mut not_seen: Vec<Unseen> = open.iter().map(|o| o.unseen.clone()).collect();
    not_seen.sort();
    not_seen.dedup();
    // Limits of sources that nobody mentioned take both bounds as well.
    let sides = {
        let best = expand(&assumed, limits_of, Side::Best);
        // So does the air of a place that what works in it warms.
        net.sources.iter().zip(&best.sources).any(|(a, b)| a.limit_a != b.limit_a)
            || net.wires.iter().zip(&best.wires).any(|(a, b)| a.laid.ambient_c != b.laid.ambient_c)
    };
    let (judged, complete) = if open.is_empty() && !sides {
        (Judged::plain(apply(&Context::new(&assumed, limits_of, &net, &states))), states.complete)
    } else {
        let apart = parts(rig);
        if apart.len() > 1 {
            judge_apart(rig, limits_of, memory, &apart, sides)
        } else {
            let room = Room::of(work(&net, &states), 1);
            let corners = corners(&open, sides, room.corners);
            judge_corners(rig, limits_of, memory, &open, &corners, room.searches)
        }
    };
    let Judged { mut findings, whole } = judged;
    findings.sort_by(|a, b| {
        let rank = |f: &Finding| (std::cmp::Reverse(f.severity), std::cmp::Reverse(f.certainty));
        rank(a).cmp(&rank(b)).then_with(|| a.rule.hazard.cmp(&b.rule.hazard)).then_with(|| a.key().cmp(&b.key()))
    });
    crate::hearsay::mark(rig, &mut findings);
    let mut limits = Vec::new();
    if !complete {
        limits.push(format!(
            "The controls have more positions together than are searched ({} at the most; {} states were judged): states beyond them were not judged.",
            crate::states::MOST_SETTINGS,
            states.states.len()
        ));
    }
    if !whole {
        limits.push("Too many values were not seen to turn each of them by itself; they were turned together. A hazard that shows only with some of them one way and others the other way may not have been found: look at them.".to_owned());
    }
    for place in rig.places.iter().filter(|p| matches!(p.opened.as_deref(), Some("no" | "part"))) {
        let how = if place.opened.as_deref() == Some("no") { "not opened" } else { "opened in part" };
        limits.push(format!("{} was {how}.", place.label.as_deref().unwrap_or(&place.id)));
    }
    if !not_seen.is_empty() {
        limits.push(match not_seen.len() {
            1 => "One value was not seen; it was taken at both ends of what is credible.".to_owned(),
            n => format!("{n} values were not seen; each was taken at both ends of what is credible."),
        });
    }
    limits.extend(rig.choices.iter().filter_map(choice_words));
    limits.extend(limits_of.own.iter().flat_map(Own::sentences));
    let look_next = rank(not_seen, &findings);
    Audit {
        profile: limits_of.clone(),
        rules: limits_of.clone(),
        findings,
        look_next,
        net,
        states,
        assumed,
        limits,
        partly: !complete || !whole,
        memory: memory.clone(),
        firm: Vec::new(),
    }
}

/// What was found over all corners.
struct Judged {
    findings: Vec<Finding>,
    /// Every unseen value was turned by itself.
    whole: bool,
}

impl Judged {
    fn plain(findings: Vec<Finding>) -> Judged {
        let mut one: BTreeMap<String, Finding> = BTreeMap::new();
        for f in findings {
            match one.get(&f.key()) {
                Some(old) if old.severity >= f.severity => {}
                _ => {
                    one.insert(f.key(), f);
                }
            }
        }
        Judged { findings: one.into_values().collect(), whole: true }
    }
}

/// Judges parts that do not touch each for itself, and the whole rig by the rules that look across.
fn judge_apart(rig: &Rig, limits_of: &Profile, memory: &Memory, parts: &[Part], sides: bool) -> (Judged, bool) {
    let mut out = Judged { findings: Vec::new(), whole: true };
    let mut complete = true;
    for part in parts {
        let open = open_values(&part.rig, limits_of);
        let room = Room::of(work_of(&part.rig, limits_of, memory), parts.len());
        let corners = corners(&open, sides, room.corners);
        let (judged, done) = judge_corners(&part.rig, limits_of, memory, &open, &corners, room.searches);
        out.whole &= judged.whole;
        complete &= done;
        let own = judged.findings.into_iter().filter(|f| !f.rule.is(Is::AcrossParts));
        out.findings.extend(own.map(|f| part.in_whole(f)));
    }
    // These ask for no state: the parked one serves. Words and numbers are taken at their worst and at their best.
    let open = open_values(rig, limits_of);
    let ends = corners(&open, sides, 2);
    let mut across: Vec<Vec<Finding>> = Vec::new();
    for corner in ends.list.iter().take(2) {
        let one = put(rig, &open, &corner.choice);
        let net = expand(&one, limits_of, corner.side);
        let states = Arc::new(explore_with(&net, &[]));
        let ctx = Context::new(&one, limits_of, &net, &states);
        let rules = RULES.iter().filter(|r| r.is(Is::AcrossParts));
        across.push(rules.flat_map(|r| (r.find)(&ctx)).collect());
    }
    let everywhere = |key: &str| across.iter().all(|list| list.iter().any(|f| f.key() == key));
    let mut all: Vec<Finding> = across.iter().flatten().cloned().collect();
    for f in &mut all {
        if !everywhere(&f.key()) {
            f.certainty = Certainty::Possible;
            f.evidence.push("Possible: an answer to what was not seen can clear it.".to_owned());
        }
    }
    out.findings.extend(Judged::plain(all).findings);
    (out, complete)
}

/// What one audit of a rig takes with everything unseen at its worst.
fn work_of(rig: &Rig, limits_of: &Profile, memory: &Memory) -> usize {
    let assumed = assignments(rig, &open_words(rig)).into_iter().next().unwrap_or_else(|| rig.clone());
    let net = expand(&assumed, limits_of, Side::Worst);
    let states = explore_again(&net, memory);
    work(&net, &states)
}

/// Judges every corner. What is found in any of them is reported; what is found in all of them is certain. A finding hangs
/// on a value where turning that value alone makes it come or go.
fn judge_corners(
    rig: &Rig,
    limits_of: &Profile,
    memory: &Memory,
    open: &[OpenValue],
    corners: &Corners,
    searches: usize,
) -> (Judged, bool) {
    let judge = |rig: &Rig, side: Side| {
        let net = expand(rig, limits_of, side);
        let states = explore_again(&net, memory);
        let found = Judged::plain(apply(&Context::new(rig, limits_of, &net, &states))).findings;
        (found, states.complete)
    };
    let results = in_parallel(&corners.list, |c| judge(&put(rig, open, &c.choice), c.side));
    let complete = results.iter().all(|r| r.1);
    let keys: Vec<BTreeMap<String, &Finding>> =
        results.iter().map(|(list, _)| list.iter().map(|f| (f.key(), f)).collect()).collect();
    let all: BTreeSet<&String> = keys.iter().flat_map(BTreeMap::keys).collect();
    let mut findings: Vec<Finding> = Vec::new();
    for key in all {
        let here: Vec<&&Finding> = keys.iter().filter_map(|k| k.get(key)).collect();
        let Some(worst) = here.iter().map(|f| f.severity).max() else { continue };
        let everywhere = here.len() == keys.len();
        let alike = here.iter().all(|f| f.severity == worst && f.certainty == Certainty::Certain);
        // What stands whatever the answers are is told with them at their best, anything else at its worst.
        let best = keys[corners.best].get(key).filter(|f| everywhere && f.severity == worst);
        let told = best.or_else(|| here.iter().copied().find(|f| f.severity == worst));
        let Some(mut f) = told.map(|f| (*f).clone()) else { continue };
        let mut hangs: BTreeSet<usize> = BTreeSet::new();
        for &(a, b, v) in &corners.turns {
            let severity = |c: usize| keys[c].get(key).map(|f| f.severity);
            if severity(a) != severity(b) {
                hangs.insert(v);
            }
        }
        f.hangs_on = hangs.into_iter().map(|v| open[v].unseen.clone()).collect();
        if !everywhere || !alike {
            f.certainty = Certainty::Possible;
        }
        if !everywhere {
            f.evidence.push("Possible: an answer to what was not seen can clear it.".to_owned());
        } else if f.certainty == Certainty::Possible && here.iter().any(|f| f.severity != worst) {
            f.evidence.push(
                "Possible: it stands whatever was not seen turns out to be, but may be less pressing.".to_owned(),
            );
        }
        findings.push(f);
    }
    not_judged(rig, open, corners, &keys, &mut findings, searches, |rig| {
        judge(rig, Side::Best).0.iter().map(Finding::key).collect()
    });
    (Judged { findings, whole: corners.whole }, complete)
}

/// Puts into words what hangs on a number that was not seen: the figures of a corner are no figures of the rig, so none is
/// printed but the value up to which it is sound, where the finding hangs on one value alone.
fn not_judged(
    rig: &Rig,
    open: &[OpenValue],
    corners: &Corners,
    keys: &[BTreeMap<String, &Finding>],
    findings: &mut [Finding],
    searches: usize,
    judge: impl Fn(&Rig) -> BTreeSet<String>,
) {
    let place = |u: &Unseen| open.iter().position(|o| o.unseen == *u);
    let mut asked: Vec<(usize, usize, usize)> = Vec::new();
    for (i, f) in findings.iter_mut().enumerate() {
        let numbers: Vec<usize> = f.hangs_on.iter().filter_map(place).filter(|v| open[*v].number.is_some()).collect();
        if f.certainty == Certainty::Certain || numbers.is_empty() || keys.iter().all(|k| k.contains_key(&f.key())) {
            continue;
        }
        let values: Vec<String> = f.hangs_on.iter().map(Unseen::words).collect();
        let rule = f.rule;
        let subject = rig.component(&f.subject).and_then(|p| p.label.as_deref()).unwrap_or(&f.subject);
        f.statement = format!("{} at {subject}: not judged, for {} not seen.", rule.title(), seen_words(&values));
        f.evidence = vec![
            format!("It would stand at one end of what is credible of {}, and not at the other.", values.join(", ")),
            format!("Wanted: {}", rule.statement),
            "Possible: an answer to what was not seen can clear it.".to_owned(),
        ];
        if let [v] = numbers[..]
            && f.hangs_on.len() == 1
        {
            // Which end is sound: that of the corner without it.
            let turn = corners.turns.iter().filter(|t| t.2 == v).find_map(|&(a, b, _)| {
                // From end to end; a size beside it lies between.
                let (x, y) = (corners.list[a].choice[v], corners.list[b].choice[v]);
                match (keys[a].contains_key(&f.key()), keys[b].contains_key(&f.key())) {
                    _ if x > 1 || y > 1 => None,
                    (true, false) => Some(y),
                    (false, true) => Some(x),
                    _ => None,
                }
            });
            asked.extend(turn.map(|sound| (i, v, sound)));
        }
    }
    // Each value can stand at one point at a time: the findings that hang on one are asked one after the other, as far as
    // nobody has to wait for it.
    for _ in 0..searches {
        let mut round: Vec<(usize, usize, usize)> = Vec::new();
        asked.retain(|a| {
            let later = round.iter().any(|r| r.1 == a.1);
            if !later {
                round.push(*a);
            }
            later
        });
        if round.is_empty() {
            return;
        }
        let wanted: Vec<String> = round.iter().map(|(i, ..)| findings[*i].key()).collect();
        let values: Vec<(usize, usize)> = round.iter().map(|&(_, v, sound)| (v, sound)).collect();
        let sound = sound_up_to(rig, open, &corners.list[corners.best], &values, |rig| {
            let there = judge(rig);
            wanted.iter().map(|k| there.contains(k)).collect()
        });
        for ((i, _, sound_end), text) in round.into_iter().zip(sound) {
            let Some(text) = text else { continue };
            let f = &mut findings[i];
            let which = if sound_end == 0 { "up to" } else { "from" };
            f.statement.pop();
            f.statement.push_str(&format!("; sound {which} {text}."));
        }
    }
}

/// Values in a sentence, with the verb.
fn seen_words(values: &[String]) -> String {
    match values {
        [one] => format!("{one} was"),
        many => format!("{} were", many.join(", ")),
    }
}

/// Works through a list on all cores, results in the order of the list.
fn in_parallel<T: Sync, R: Send>(list: &[T], work: impl Fn(&T) -> R + Sync) -> Vec<R> {
    let threads = std::thread::available_parallelism().map_or(1, usize::from).min(list.len().max(1));
    if threads < 2 {
        return list.iter().map(work).collect();
    }
    let next = std::sync::atomic::AtomicUsize::new(0);
    let mut parts: Vec<(usize, R)> = std::thread::scope(|scope| {
        let run = || {
            let mut own = Vec::new();
            loop {
                let at = next.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
                match list.get(at) {
                    Some(one) => own.push((at, work(one))),
                    None => return own,
                }
            }
        };
        let started: Vec<_> = (0..threads).map(|_| scope.spawn(run)).collect();
        // A thread that panicked takes the whole audit with it, as it would have without threads.
        started.into_iter().flat_map(|t| t.join().unwrap_or_else(|e| std::panic::resume_unwind(e))).collect()
    });
    parts.sort_by_key(|(at, _)| *at);
    parts.into_iter().map(|(_, r)| r).collect()
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
    RULES.iter().flat_map(|r| (r.find)(ctx)).collect()
}

/// Unseen values by how many findings an answer would settle: those that come or go with it.
fn rank(not_seen: Vec<Unseen>, findings: &[Finding]) -> Vec<LookNext> {
    let hangs = |u: &Unseen| findings.iter().filter(|f| f.hangs_on.contains(u)).count();
    let mut list: Vec<LookNext> =
        not_seen.into_iter().map(|unseen| LookNext { findings: hangs(&unseen), unseen }).collect();
    list.sort_by(|a, b| b.findings.cmp(&a.findings).then_with(|| a.unseen.cmp(&b.unseen)));
    list
}

impl Audit {
    /// Audits a rig that an edit made from this one, by the same profile.
    pub fn after(&self, rig: &Rig) -> Audit {
        audit_for(rig, &self.profile, &self.firm, &self.memory)
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
