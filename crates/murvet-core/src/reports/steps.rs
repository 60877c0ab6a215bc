//! A list of steps made on a rig, for other programs and for a person.

use super::{Standing, UseReport};
use crate::audit::Audit;
use crate::rig::Rig;
use crate::rules::Finding;
use crate::work::{Entry, LooseConductor, StepMade, Verdict, follow};
use schemars::JsonSchema;
use serde::Serialize;
use std::fmt::Write;

/// A finding, in short.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Named {
    /// Rule and subject.
    pub finding: String,
    /// How pressing.
    pub severity: String,
    /// Certain or possible.
    pub certainty: String,
    /// What is wrong.
    pub statement: String,
}

/// An end that lies loose.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct LooseReport {
    /// The conductor.
    pub conductor: String,
    /// capped, taped, bare or unseen.
    pub end: String,
    /// What makes it live in some state.
    pub live_from: Option<String>,
}

/// What became of a step.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Became {
    /// Made; the rig is no worse.
    Made,
    /// Made; the rig is worse and is not to be left so.
    NotToBeLeft,
    /// Not made: the rig would be worse.
    Refused,
    /// Not made: it does not fit the rig.
    Impossible,
}

/// One step and the rig after it.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct StepReport {
    /// What is done.
    pub title: String,
    /// Minutes for one person, where they were said.
    pub minutes: Option<u32>,
    /// Its acts, as written.
    pub acts: Vec<String>,
    /// What became of it.
    pub became: Became,
    /// Why it was not made, or is not to be left so.
    pub why: Option<String>,
    /// Findings that are gone.
    pub closes: Vec<Named>,
    /// Findings that are new or more pressing.
    pub opens: Vec<Named>,
    /// Findings that go on at another conductor.
    pub moved: Vec<Named>,
    /// Ends that lie loose after it.
    pub loose: Vec<LooseReport>,
    /// Jobs that nothing holds any more.
    pub lost: Vec<String>,
    /// What is isolated before it, in order.
    pub isolate: Vec<String>,
    /// What may be used after it, as far as findings tell.
    pub uses: Vec<UseReport>,
}

/// A moment at which the rig is left.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct RestReport {
    /// What it is called.
    pub title: String,
    /// How many steps of the list come before it.
    pub after: usize,
    /// Whether the rig may be left so.
    pub safe: bool,
    /// Why not.
    pub why: Vec<String>,
    /// What may be used from then on, as far as findings tell.
    pub uses: Vec<UseReport>,
}

/// Steps of work with the audit after each.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct StepsReport {
    /// The steps, in order.
    pub steps: Vec<StepReport>,
    /// Where the rig is left.
    pub rests: Vec<RestReport>,
    /// What is found at the end.
    pub findings: Vec<Named>,
    /// The rig at the end, in the notation.
    pub rig: String,
}

pub(super) fn named(f: &Finding) -> Named {
    Named {
        finding: f.key(),
        severity: f.severity.words().to_owned(),
        certainty: f.certainty.words().to_owned(),
        statement: f.statement.clone(),
    }
}

fn uses(list: &[crate::readings::Use]) -> Vec<UseReport> {
    // Nothing is measured yet: what no finding bars is still to be proven.
    let of = |u: &crate::readings::Use| {
        UseReport::of(u, if u.barred_by.is_empty() { Standing::NotProven } else { Standing::Barred })
    };
    list.iter().map(of).collect()
}

fn step(s: &StepMade) -> StepReport {
    let (became, why) = match &s.verdict {
        Verdict::Stands => (Became::Made, None),
        Verdict::NotToBeLeft(why) => (Became::NotToBeLeft, Some(why.clone())),
        Verdict::Refused => {
            let why = s.opens.iter().find(|f| f.severity >= crate::severity::Severity::Soon);
            (Became::Refused, why.map(|f| format!("it makes the rig worse: {}", f.statement)))
        }
        Verdict::Impossible(act, e) => {
            let act = s.step.acts.get(*act).map_or(String::new(), |a| format!("\"{a}\": "));
            let help = if e.help.is_empty() { String::new() } else { format!("; {}", e.help) };
            (Became::Impossible, Some(format!("{act}{}{help}", e.message)))
        }
    };
    let loose = |l: &LooseConductor| LooseReport {
        conductor: l.conductor.clone(),
        end: l.end.word().to_owned(),
        live_from: l.live_from.clone(),
    };
    StepReport {
        title: s.step.title.clone(),
        minutes: s.step.minutes,
        acts: s.step.acts.iter().map(ToString::to_string).collect(),
        became,
        why,
        closes: s.closes.iter().map(named).collect(),
        opens: s.opens.iter().map(named).collect(),
        moved: s.moved.iter().map(named).collect(),
        loose: s.loose.iter().map(loose).collect(),
        lost: s.lost.iter().map(ToString::to_string).collect(),
        isolate: s.isolation.iter().map(|i| i.title.clone()).collect(),
        uses: uses(&s.uses),
    }
}

/// The steps of a list made on an audited rig.
pub fn steps(audit: &Audit, rig: &Rig, entries: &[Entry]) -> StepsReport {
    let followed = follow(audit, rig, entries);
    let rest = |r: &crate::work::Rest| {
        let marked = r.marked.as_ref().map(|(title, why)| format!("\"{title}\" is not to be left so: {why}"));
        let worse = r.worse.iter().map(|f| format!("worse than where it was left before: {}", f.statement));
        RestReport {
            title: r.title.clone(),
            after: r.after,
            safe: r.safe(),
            why: marked.into_iter().chain(worse).collect(),
            uses: uses(&r.uses),
        }
    };
    StepsReport {
        steps: followed.steps.iter().map(step).collect(),
        rests: followed.rests.iter().map(rest).collect(),
        findings: followed.audit.findings.iter().map(named).collect(),
        rig: crate::notation::print(&followed.rig),
    }
}

impl StepsReport {
    /// Whether every step was made and the rig may be left wherever it is left.
    pub fn holds(&self) -> bool {
        self.steps.iter().all(|s| matches!(s.became, Became::Made | Became::NotToBeLeft))
            && self.rests.iter().all(|r| r.safe)
    }

    /// In lines for a person.
    pub fn text(&self) -> String {
        let mut out = String::new();
        let mut rests = self.rests.iter().peekable();
        for (n, s) in self.steps.iter().enumerate() {
            let minutes = s.minutes.map_or(String::new(), |m| format!(" ({m} min)"));
            let _ = writeln!(out, "{}. {}{minutes}", n + 1, s.title);
            let why = s.why.as_deref().unwrap_or_default();
            let became = match s.became {
                Became::Made => "Made.".to_owned(),
                Became::NotToBeLeft => format!("Made; not to be left so: {why}."),
                Became::Refused => format!("REFUSED: {why}"),
                Became::Impossible => format!("CANNOT BE MADE: {why}."),
            };
            let _ = writeln!(out, "   {became}");
            let mut lines = |what: &str, list: Vec<String>| {
                for line in list {
                    let _ = writeln!(out, "   {what}: {line}");
                }
            };
            lines("isolate first", s.isolate.clone());
            let words = |list: &[Named]| list.iter().map(|f| format!("{} [{}]", f.statement, f.severity)).collect();
            lines("closes", words(&s.closes));
            lines("opens", words(&s.opens));
            lines("goes on", words(&s.moved));
            let live = |l: &LooseReport| match &l.live_from {
                Some(from) => format!("{}, {}, LIVE from {from}", l.conductor, l.end),
                None => format!("{}, {}, dead in every state", l.conductor, l.end),
            };
            lines("loose end", s.loose.iter().map(live).collect());
            lines("no holder", s.lost.clone());
            while let Some(r) = rests.next_if(|r| r.after == n + 1) {
                rest_lines(&mut out, r);
            }
        }
        rests.for_each(|r| rest_lines(&mut out, r));
        let _ = writeln!(out, "Found at the end: {}.", self.findings.len());
        for f in &self.findings {
            let _ = writeln!(out, "   {}: {}", f.severity, f.statement);
        }
        out
    }
}

fn rest_lines(out: &mut String, r: &RestReport) {
    let verdict = if r.safe { "the rig may be left so" } else { "THE RIG IS NOT TO BE LEFT SO" };
    let _ = writeln!(out, "-- {}: {verdict}.", r.title);
    for why in &r.why {
        let _ = writeln!(out, "   {why}");
    }
    for u in &r.uses {
        let words = if u.barred_by.is_empty() {
            "no finding stands against it; to be proven by its tests".to_owned()
        } else {
            format!("do not use, by {}", u.barred_by.join("; "))
        };
        let _ = writeln!(out, "   {}: {words}", u.name);
        u.limited_by.iter().for_each(|l| out.push_str(&format!("      {l}\n")));
    }
}
