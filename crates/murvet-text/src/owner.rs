//! What an owner reads: what may be used, what is wrong, what can be tested without opening anything.

use crate::{Text, Value};
use murvet_core::readings::{CardStep, FaultLine, May, Opened, OwnerTask, OwnerWanted, Precaution, Press, Shows, Use};
use murvet_core::rules::{Certainty, Finding, Hazard, Severity};

/// A test that is left to an owner, in words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TaskWords {
    /// How to do it with what an owner has.
    pub how: String,
    /// What must come out.
    pub wanted: String,
    /// When to stop, and what to leave alone then.
    pub stop: String,
}

/// A task in words.
pub fn task(text: &Text, task: &OwnerTask) -> TaskWords {
    let code = task.what.code();
    let values = [("subject", Value::from(task.subject.as_str())), ("source", Value::from(task.source.as_str()))];
    let number = |v: f64| Value::from(text.locale.number(v));
    let unit = |u: &str| ("unit", Value::from(u));
    let wanted = match &task.wanted {
        OwnerWanted::Seen => text.say(&format!("owner-{code}-wanted"), &values),
        OwnerWanted::Range { low, high, unit: u } => match (low.is_finite() && *low > 0.0, high.is_finite()) {
            (true, true) => text.say("owner-between", &[("low", number(*low)), ("high", number(*high)), unit(u)]),
            (true, false) => text.say("owner-at-least", &[("low", number(*low)), unit(u)]),
            (false, true) => text.say("owner-at-most", &[("high", number(*high)), unit(u)]),
            (false, false) => text.say("owner-as-it-should", &[]),
        },
    };
    let stop = format!("{} {}", text.say(&format!("owner-{code}-stop"), &values), text.say("owner-stop", &[]));
    TaskWords { how: text.say(&format!("owner-{code}-how"), &values), wanted, stop }
}

/// A way of using the rig, what stands with it, and why.
pub fn use_of(text: &Text, of: &Use) -> (String, String, Vec<String>) {
    let name = text.say(&format!("owner-use-{}", of.name), &[]);
    let numbers: Vec<String> = of.barred_by.iter().map(|b| b.number.to_string()).collect();
    let by_findings = || {
        let values = [("numbers", Value::from(numbers.join(", "))), ("count", numbers.len().into())];
        text.say("owner-by-finding", &values)
    };
    let mut why: Vec<String> = if numbers.is_empty() { Vec::new() } else { vec![by_findings()] };
    if !of.failed.is_empty() {
        why.push(text.say("owner-by-reading", &[]));
    }
    let barred = !why.is_empty();
    let standing = if barred {
        text.say("owner-standing-barred", &[])
    } else if of.missing > 0 {
        text.say("owner-standing-not-proven", &[("missing", of.missing.into())])
    } else if of.unjudged {
        text.say("owner-partly", &[])
    } else if of.limited_by.is_empty() {
        text.say("owner-standing-cleared", &[])
    } else {
        text.say("owner-standing-limited", &[])
    };
    if !barred {
        why.extend(of.limited_by.iter().map(|l| precaution(text, &l.precaution)));
    }
    (name, standing, why)
}

/// A line of the fault card: what is dead, what to look at, and what to do; each in sentences.
pub fn fault_line(text: &Text, line: &FaultLine) -> (String, String, Vec<String>) {
    let say = |message: &str| text.say(message, &[]);
    let (name, label) = &line.device;
    let mut look = if label.is_empty() { name.clone() } else { format!("{name} \"{label}\"") };
    if let Some(place) = &line.place {
        look = format!("{look}, {}", text.say("owner-fault-in", &[("place", place.as_str().into())]));
    }
    let mut act = vec![
        say(match line.opened {
            Opened::SeenThrough => "owner-fault-seen-through",
            Opened::Hidden => "owner-fault-hidden",
            Opened::Lever => "owner-fault-lever",
            Opened::Residual => "owner-fault-residual",
        }),
        say(match line.may {
            May::ReplaceOnce => "owner-fault-replace-once",
            May::ResetOnce => "owner-fault-reset-once",
            May::LeaveAlone => "owner-fault-leave-alone",
        }),
    ];
    act.extend(line.spare.as_ref().map(|s| text.say("owner-fault-spare", &[("spare", s.as_str().into())])));
    if !line.then.is_empty() {
        act.push(text.say("owner-fault-then", &[("names", line.then.join(", ").into())]));
    }
    (line.dead.join(", "), look, act)
}

/// A line of the card of switches: the source and where it is, what is done, and what is seen.
pub fn switch_line(text: &Text, step: &CardStep) -> (String, String, String) {
    let say = |message: &str| text.say(message, &[]);
    let mut source = if step.source.0.is_empty() { say("owner-switches-engine") } else { step.source.1.clone() };
    if let Some(place) = &step.place {
        source = format!("{source}, {}", text.say("owner-fault-in", &[("place", place.as_str().into())]));
    }
    let press = match (&step.press, step.shows) {
        (Press::Unplug, _) => say("owner-press-unplug"),
        (Press::Uncouple, _) => say("owner-press-uncouple"),
        (Press::Stop, _) => say("owner-press-stop"),
        (Press::SwitchOff, _) => say("owner-press-switch-off"),
        (Press::Open(switches), _) => text.say("owner-press-open", &[("switches", switches.join(", ").into())]),
        (Press::Brake, _) => say("owner-press-brake"),
        (Press::NoSwitch, Shows::Sun) => say("owner-press-no-switch-sun"),
        (Press::NoSwitch, Shows::Bank) => say("owner-press-no-switch-bank"),
        (Press::NoSwitch, _) => say("owner-press-no-switch"),
    };
    let shows = say(match step.shows {
        Shows::Shore => "owner-shows-shore",
        Shows::Generator => "owner-shows-generator",
        Shows::Vehicle => "owner-shows-vehicle",
        Shows::Inverter => "owner-shows-inverter",
        Shows::Sun => "owner-shows-sun",
        Shows::Wind => "owner-shows-wind",
        Shows::Bank => "owner-shows-bank",
    });
    (source, press, shows)
}

/// With which precaution something may be used.
pub fn precaution(text: &Text, of: &Precaution) -> String {
    match of {
        Precaution::Stays { control, position } => {
            text.say("owner-stays", &[("control", control.as_str().into()), ("position", position.as_str().into())])
        }
        Precaution::Watched { battery, names } => {
            let (listed, count) = (names.join(", ").into(), names.len().into());
            text.say("owner-deaf", &[("battery", battery.as_str().into()), ("names", listed), ("count", count)])
        }
    }
}

/// How pressing a finding is, what can happen, whether it is certain, and where; each a sentence.
pub fn finding(text: &Text, f: &Finding, names: &[String]) -> Vec<String> {
    told(text, (f.severity, f.rule.hazard, f.certainty), names)
}

/// The same of a finding of which no more is known than this.
pub fn told(text: &Text, of: (Severity, Hazard, Certainty), names: &[String]) -> Vec<String> {
    let (severity, hazard, certainty) = of;
    let severity = match severity {
        Severity::KeepOff => "owner-severity-keep-off",
        Severity::BeforeUse => "owner-severity-before-use",
        Severity::Soon => "owner-severity-soon",
        Severity::Advice => "owner-severity-advice",
    };
    let hazard = match hazard {
        Hazard::Overcurrent => "owner-hazard-overcurrent",
        Hazard::Bonding => "owner-hazard-bonding",
        Hazard::Backfeed => "owner-hazard-backfeed",
        Hazard::ChargerLoop => "owner-hazard-charger-loop",
        Hazard::Cable => "owner-hazard-cable",
        Hazard::Isolation => "owner-hazard-isolation",
        Hazard::Battery => "owner-hazard-battery",
        Hazard::Generation => "owner-hazard-generation",
        Hazard::Capacity => "owner-hazard-capacity",
        Hazard::Workmanship => "owner-hazard-workmanship",
    };
    let mut lines = vec![text.say(severity, &[]), text.say(hazard, &[])];
    if certainty == Certainty::Possible {
        lines.push(text.say("owner-certainty-possible", &[]));
    }
    if !names.is_empty() {
        lines.push(text.say("owner-at", &[("names", names.join(", ").into())]));
    }
    lines
}
