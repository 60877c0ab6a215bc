//! The plan of a day, for other programs and for a person.

use super::steps::{Named, named};
use crate::audit::Audit;
use crate::readings::{after_repair, make_safe, minutes_of, plan as test_plan};
use crate::rig::Rig;
use crate::work::day::{Day, Part, Task, Why, WorkKind, clock, parts, plan, tasks};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;
use std::fmt::Write;

/// A task that is done.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct DoneReport {
    /// What is done.
    pub title: String,
    /// Who does it.
    pub people: Vec<String>,
    /// Minutes from the beginning of the day.
    pub start: u32,
    /// Minutes from the beginning of the day.
    pub end: u32,
    /// When what it waits for is over.
    pub ready: u32,
    /// Findings that it closes.
    pub closes: Vec<Named>,
    /// Places in which somebody works for it.
    pub at: Vec<String>,
    /// Those of them that are closed and opened for it.
    pub places: Vec<String>,
    /// What is done to the rig, as written in a list of steps.
    pub acts: Vec<String>,
}

/// A task that is not done today.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct LeftReport {
    /// What would be done.
    pub title: String,
    /// Minutes it takes.
    pub minutes: u32,
    /// Why not today.
    pub why: String,
    /// The kinds of work it is, where nobody who is there may do them all.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub beyond: Vec<WorkKind>,
    /// Findings that it would close.
    pub closes: Vec<Named>,
    /// Parts that it takes.
    pub parts: BTreeMap<String, u32>,
    /// What would be done to the rig, as written in a list of steps.
    pub acts: Vec<String>,
}

/// The plan of a day.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct DayReport {
    /// Minutes of the day.
    pub minutes: u32,
    /// Who works.
    pub people: Vec<String>,
    /// What is isolated at the beginning, once, in order.
    pub isolate: Vec<String>,
    /// Minutes of that, its undoing included.
    pub isolate_minutes: u32,
    /// Until when something must stay isolated: the end of the last task that needs it.
    pub isolate_until: u32,
    /// What is done, by its beginning.
    pub done: Vec<DoneReport>,
    /// What is not, and how it would be.
    pub left: Vec<LeftReport>,
    /// What it is worth: 1000 for a finding of keep off, 100 before use, 10 soon, 1 advice, and what own tasks are worth.
    pub worth: u32,
    /// No plan is worth more than this, where the search stopped early; nothing where the plan is the best there is.
    pub bound: Option<f64>,
    /// Parts of everything that is done, metres with a tenth more.
    pub parts: Vec<Part>,
    /// Findings that stay open at the end of the day.
    pub open: Vec<Named>,
    /// The rig at the end of the day, in the notation.
    pub rig: String,
}

/// Plans a day on an audited rig: the accepted repairs of its findings beside own tasks.
///
/// # Errors
/// When the solver finds nothing within its bounds.
pub fn day(rig: &Rig, audit: &Audit, day: &Day, own: &[Task]) -> Result<DayReport, String> {
    let tests = test_plan(audit);
    let retest = |after: &Audit| minutes_of(after_repair(audit, after, &tests)).min(RETEST);
    let (repairs, danger) = tasks(rig, audit, |rule, usual| day.takes(rule, usual), retest);
    // Own tasks first: what they come after is told by their places in the list.
    let list: Vec<Task> = own.iter().cloned().chain(repairs).collect();
    let mut day = day.clone();
    day.danger.extend(danger);
    let planned = plan(rig, audit, &list, &day)?;
    let names = |who: &[usize]| who.iter().map(|w| day.people[*w].name.clone()).collect();
    let closes = |t: &Task| audit.findings.iter().filter(|f| t.closes.contains(&f.key())).map(named).collect();
    let acts = |t: &Task| t.acts.iter().map(ToString::to_string).collect();
    let done = |s: &crate::work::day::Slot| {
        let t = &list[s.task];
        DoneReport {
            title: t.title.clone(),
            people: names(&s.people),
            start: s.start,
            end: s.end,
            ready: s.ready,
            closes: closes(t),
            at: t.at.iter().cloned().collect(),
            places: t.places.iter().cloned().collect(),
            acts: acts(t),
        }
    };
    let left = |l: &crate::work::day::Left| {
        let t = &list[l.task];
        LeftReport {
            title: t.title.clone(),
            minutes: t.minutes,
            why: why(&l.why, &list),
            beyond: beyond(&l.why, &day),
            closes: closes(t),
            parts: t.parts.clone(),
            acts: acts(t),
        }
    };
    let isolate = make_safe(audit).into_iter().filter(|s| planned.isolated.contains(&s.id)).map(|s| s.title).collect();
    Ok(DayReport {
        minutes: day.minutes,
        people: day.people.iter().map(|p| p.name.clone()).collect(),
        isolate,
        isolate_minutes: planned.safe_minutes,
        isolate_until: planned
            .slots
            .iter()
            .filter(|s| !list[s.task].isolate.is_empty())
            .map(|s| s.end)
            .max()
            .unwrap_or(0),
        done: planned.slots.iter().map(done).collect(),
        left: planned.left.iter().map(left).collect(),
        worth: planned.worth,
        bound: planned.bound.filter(|b| b.is_finite()),
        parts: parts(rig, &planned.after.0),
        open: planned.after.1.findings.iter().map(named).collect(),
        rig: crate::notation::print(&planned.after.0),
    })
}

/// The tests after a repair are shared with those after the next: no more than so many minutes are counted for one.
const RETEST: u32 = 20;

/// The kinds of work of a task that no single person who is there may do all of.
fn beyond(why: &Why, day: &Day) -> Vec<WorkKind> {
    match why {
        Why::Nobody(kinds) if !day.people.iter().any(|p| kinds.is_subset(&p.may)) => kinds.iter().copied().collect(),
        _ => Vec::new(),
    }
}

fn why(why: &Why, list: &[Task]) -> String {
    match why {
        Why::Nobody(kinds) => {
            let kinds: Vec<&str> = kinds.iter().map(|k| k.word()).collect();
            format!("nobody who is there may do it ({})", kinds.join(", "))
        }
        Why::Part(part) => format!("not in the van: {part}"),
        Why::OtherWay => "done in another way".to_owned(),
        Why::After(before) => format!("it comes after \"{}\"", list[*before].title),
        Why::Worse => "the rig would be worse after it, or it does not fit beside what is done".to_owned(),
        Why::Hours => "the hours are full of what is worth more".to_owned(),
    }
}

impl DayReport {
    /// What is not done and would close something that stays open; what was done in another way needs no line.
    pub fn still_wanted(&self) -> impl Iterator<Item = &LeftReport> {
        let open = |f: &Named| self.open.iter().any(|o| o.finding == f.finding);
        self.left.iter().filter(move |l| l.closes.is_empty() || l.closes.iter().any(open))
    }

    /// In lines for a person.
    pub fn text(&self) -> String {
        let mut out = String::new();
        let _ = writeln!(out, "{} for {}.", clock(self.minutes), self.people.join(", "));
        if !self.isolate.is_empty() {
            let _ = writeln!(out, "0:00 to {}  make safe, once:", clock(self.isolate_minutes));
            self.isolate.iter().for_each(|s| out.push_str(&format!("   {s}\n")));
        }
        for d in &self.done {
            let who = if self.people.len() > 1 { format!(" [{}]", d.people.join(" and ")) } else { String::new() };
            let _ = writeln!(out, "{} to {}{who}  {}", clock(d.start), clock(d.end), d.title);
            if d.ready > d.end {
                let _ = writeln!(out, "   waits until {}", clock(d.ready));
            }
            for f in &d.closes {
                let _ = writeln!(out, "   closes [{}] {}", f.severity, f.statement);
            }
        }
        if self.done.is_empty() {
            out.push_str("Nothing is done.\n");
        }
        match self.bound {
            Some(bound) => {
                let _ = writeln!(
                    out,
                    "Worth {}; the search stopped early, and nothing is worth more than {bound:.0}.",
                    self.worth
                );
            }
            None => {
                let _ = writeln!(out, "Worth {}: no plan of these hours, hands and parts is worth more.", self.worth);
            }
        }
        if !self.parts.is_empty() {
            let _ =
                writeln!(out, "Parts: {}.", self.parts.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "));
        }
        let left: Vec<&LeftReport> = self.still_wanted().collect();
        if !left.is_empty() {
            out.push_str("Not today:\n");
        }
        for l in left {
            let _ = writeln!(out, "   {} ({} min): {}", l.title, l.minutes, l.why);
        }
        let _ = writeln!(out, "Open at the end: {}.", self.open.len());
        for f in &self.open {
            let _ = writeln!(out, "   [{}] {}", f.severity, f.statement);
        }
        out
    }
}
