//! What one failed part would do: every relay, contact, start signal, interlock and bond relay is failed in turn on
//! a copy of the rig, every plug moved, every bad supply tried, and what then appears is *one fault away*. It is listed
//! apart from what is wrong now.

use crate::audit::Audit;
use crate::catalogue::Kind;
use crate::catalogue::WELDED;
use crate::rig::{Component, Core, Landing, Rig, TermRef, Value};
use crate::rules::{Finding, Is, Severity};

/// A fault and what it brings.
#[derive(Debug, Clone)]
pub struct OneFault {
    /// The component that fails; for an interlock, its first breaker.
    pub component: String,
    /// How it fails, in words.
    pub fault: String,
    /// Findings of *before use* and above that the rig has only with this fault.
    pub findings: Vec<Finding>,
    /// The rig as it then is.
    pub rig: Rig,
}

/// Ways in which one component can fail: in words, the attribute and what it then is as good as.
fn ways(p: &Component) -> Vec<(String, &'static str, &'static str)> {
    let mut list = Vec::new();
    let is = |key: &str, word: &str| p.word(key) == Some(word);
    if matches!(p.kind, Kind::Inverter | Kind::InverterCharger | Kind::Generator) && is("bond", "bond-switched") {
        list.push((format!("the bond relay of {} does not open", p.id), "bond", "bond-fixed"));
        list.push((format!("the bond relay of {} does not close", p.id), "bond", "bond-none"));
    }
    match p.kind {
        Kind::InverterCharger if is("neutral", "neutral-switched") => {
            list.push((format!("the neutral pole of the relay in {} sticks", p.id), "neutral", "neutral-common"));
        }
        // A changeover contact that sticks stays on one throw: it never joins the two.
        Kind::Transfer if is("poles", "2-pole") => {
            list.push((format!("the neutral poles of {} stick", p.id), "poles", "1-pole"));
        }
        Kind::AcContactor if !is("coil", WELDED) => list.push((format!("{} is welded", p.id), "coil", WELDED)),
        Kind::Relay if is("enable", "engine") => {
            list.push((format!("{} is welded", p.id), "enable", "always"));
        }
        Kind::DcDc if is("enable", "engine") => {
            list.push((format!("the start signal of {} stays on", p.id), "enable", "always"));
        }
        _ => {}
    }
    list
}

/// Puts a switch of one pole into a cable.
///
/// Breakers count as closed (see [`crate::states`]); with such a switch in its cable a breaker is free.
pub fn open_ahead(rig: &mut Rig, cable: usize) {
    let mut before = rig.cables[cable].clone();
    let id = rig.fresh_id("free-");
    let mut switch = Component::new(id.clone(), Kind::Isolator).with("poles", "1-pole");
    if before.cores == 4 || before.no_neutral {
        switch = switch.with("legs", "two-hot").with("poles", "2-pole");
    }
    let mut behind = before.clone();
    before.to = TermRef::new(id.clone(), "line");
    // What is swapped or lost is so ahead of the switch; behind it cores land like to like.
    if before.map.iter().any(|l| l.from == Core::L2 && l.to.is_none()) {
        behind.cores = behind.cores.min(3);
    }
    behind.map.clear();
    behind.from = TermRef::new(id.clone(), "load");
    behind.id = rig.fresh_id(&format!("{id}-"));
    rig.components.push(switch);
    rig.cables[cable] = before;
    rig.cables.push(behind);
}

/// How many faults are tried: a rig of very many states only as many as nobody has to wait for.
fn most(now: &Audit) -> usize {
    let one = now.net.nodes.len() * now.states.states.len();
    if now.states.complete { MOST_WORK / one.max(1) } else { 0 }
}

/// What all faults together may take, in nodes judged: some two seconds.
const MOST_WORK: usize = 1_500_000;

/// What to say where not every fault was tried.
pub fn faults_left_out(now: &Audit) -> Option<&'static str> {
    (tries(now).len() > most(now)).then_some("The rig has so many states that not every single fault was tried on it.")
}

/// Every single fault of the kinds above that brings something, in the order of the components. Words that were not
/// seen are taken as in the audit.
///
/// Complexity: one audit a fault.
pub fn one_fault_away(now: &Audit) -> Vec<OneFault> {
    let mut tried = tries(now);
    tried.truncate(most(now));
    let mut out = Vec::new();
    for (component, fault, copy) in tried {
        let then = now.after(&copy);
        let findings: Vec<Finding> = now
            .opened_by(&then)
            .filter(|f| f.severity >= Severity::BeforeUse && f.rule.hazard.is_of_five() && !f.rule.is(Is::OfTheSupply))
            .cloned()
            .collect();
        if !findings.is_empty() {
            out.push(OneFault { component, fault, findings, rig: copy });
        }
    }
    out
}

/// Every single fault: the component, the fault in words, and the rig with it.
fn tries(now: &Audit) -> Vec<(String, String, Rig)> {
    // Each fault is tried on one rig, with what was not seen at its worst: not on every corner of it.
    let rig = &crate::corners::at_worst(&now.assumed, &now.rules);
    let mut tried: Vec<(String, String, Rig)> = Vec::new();
    for (index, component) in rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        for (fault, key, word) in ways(component) {
            let mut copy = rig.clone();
            copy.components[index].attrs.insert(key.to_owned(), Value::new(word));
            tried.push((component.id.clone(), fault, copy));
        }
    }
    let mut locks: Vec<&str> = rig.components.iter().filter_map(|p| p.word("interlock")).collect();
    locks.sort_unstable();
    locks.dedup();
    for lock in locks {
        let mut copy = rig.clone();
        let mut first = None;
        for p in copy.components.iter_mut().filter(|p| p.word("interlock") == Some(lock)) {
            first.get_or_insert_with(|| p.id.clone());
            // Each is still a switch of its own; nothing keeps them apart.
            let alone = format!("{lock}-{}", p.id);
            p.attrs.insert("interlock".to_owned(), Value::new(alone));
        }
        tried.push((first.unwrap_or_default(), format!("the interlock {lock} is broken"), copy));
    }
    // Bad supplies: what this rig adds to them.
    for (index, inlet) in rig.components.iter().enumerate().filter(|(_, p)| p.kind == Kind::Inlet && p.status.present())
    {
        for (word, words) in [("reversed", "is reversed"), ("reversed-earthless", "is reversed and has no earth")] {
            let mut copy = rig.clone();
            copy.components[index].attrs.insert("supply".to_owned(), Value::new(word));
            tried.push((inlet.id.clone(), format!("the supply at {} {words}", inlet.id), copy));
        }
    }
    // The hot lost ahead of something that senses it, by a breaker or at the pitch: it moves, and the neutral that
    // stays joined goes with it.
    for (index, cable) in rig.cables.iter().enumerate().filter(|(_, c)| c.status.present()) {
        let Some(p) = rig.component(&cable.to.component) else { continue };
        let automatic =
            (p.kind == Kind::Transfer && p.word("operation") == Some("automatic")) || p.kind == Kind::AcContactor;
        if p.kind == Kind::InverterCharger || automatic {
            let mut copy = rig.clone();
            open_ahead(&mut copy, index);
            tried.push((p.id.clone(), format!("the hot of {} is lost and its neutral is not", cable.id), copy));
        }
    }
    // A charger with a plug may move to any other outlet: not broken, but one plug away.
    let is_outlet = |p: &&Component| p.status.present() && matches!(p.kind, Kind::Outlet | Kind::GfciOutlet);
    let outlets: Vec<&Component> = rig.components.iter().filter(is_outlet).collect();
    for (index, charger) in
        rig.components.iter().enumerate().filter(|(_, p)| p.kind == Kind::Charger && p.status.present())
    {
        let Some(on) = charger.word("on") else { continue };
        for outlet in outlets.iter().filter(|o| o.id != TermRef::from(on).component) {
            let mut copy = rig.clone();
            copy.components[index].attrs.insert("on".to_owned(), Value::new(outlet.id.clone()));
            tried.push((charger.id.clone(), format!("{} is plugged into {}", charger.id, outlet.id), copy));
        }
    }
    // So may one with a plug that was entered by its cable.
    let plugged = |id: &str| {
        rig.component(id).is_some_and(|p| p.kind == Kind::Charger && p.flag("plug-in") && p.status.present())
    };
    for (index, cable) in rig.cables.iter().enumerate().filter(|(_, c)| c.status.present() && plugged(&c.to.component))
    {
        for outlet in outlets.iter().filter(|o| o.id != cable.from.component) {
            let mut copy = rig.clone();
            let port = if outlet.kind == Kind::GfciOutlet { "load" } else { "ac" };
            copy.cables[index].from = TermRef::new(outlet.id.clone(), port);
            tried.push((
                cable.to.component.clone(),
                format!("{} is plugged into {}", cable.to.component, outlet.id),
                copy,
            ));
        }
    }
    // The neutral of two opposite hots, and each of the hots, lost where the supply comes in.
    let mains = rig.cables.iter().enumerate().filter(|(_, c)| c.status.present() && (c.cores == 4 || c.no_neutral));
    for (index, cable) in mains {
        if rig.component(&cable.to.component).is_some_and(|p| p.kind == Kind::Panel && p.two_hot()) {
            for (core, words) in [(Core::N, "neutral"), (Core::L, "first hot"), (Core::L2, "second hot")] {
                let mut copy = rig.clone();
                copy.cables[index].map.retain(|l| l.from != core);
                copy.cables[index].map.push(Landing { from: core, to: None });
                let fault = format!("the {words} of {} is lost at {}", cable.id, cable.to.component);
                tried.push((cable.to.component.clone(), fault, copy));
            }
        }
    }
    tried
}
