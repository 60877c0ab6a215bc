//! Readings: what to measure on this rig, and what each value means.

mod correct;
mod enter;
mod entry;
mod fresh;
pub(crate) mod hours;
mod leave;
pub(crate) mod live;
mod next;

pub(crate) use correct::correct;
pub(crate) use enter::{Told, deliver, enter, override_guards, record, record_grid};
pub(crate) use entry::{Attempt, Entry, Taken, entry, samples_words, taken};
pub(crate) use fresh::{holding, uses_of};
pub(crate) use leave::leave_out;
pub(crate) use live::{from_meter, from_monitor};
pub(crate) use next::{Place, next, open_now, upcoming};

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html};
use crate::stations::instruments::InstrumentsHere;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use chrono::{DateTime, Utc};
use murvet_core::readings::{Means, Outcome, Phase, Test, guards};
use murvet_store::{LeftOut, NewReading, Override, Reading};
use murvet_visit::Readings;
use serde::Deserialize;

struct Line {
    id: String,
    title: String,
    terminals: String,
    limit: String,
    predicted: String,
    latest: Option<Taken>,
    /// Why it is left out, or what of it is not at hand, where it has no reading.
    left: Option<String>,
    /// What a miss would bring, where the hours do not hold it.
    beyond: Option<&'static str>,
    here: bool,
    /// It is left out.
    out: bool,
    /// It can be read in the grid: one number, open, and without a reading on this revision.
    grid: bool,
    unit: &'static str,
}

impl Line {
    fn fails(&self) -> bool {
        self.latest.as_ref().is_some_and(|t| t.outcome == Outcome::Fail && !t.stale)
    }
}

struct Group {
    words: &'static str,
    locked: bool,
    /// Whether the grid of this group is open.
    grid: bool,
    /// Whether it is unfolded.
    open: bool,
    lines: Vec<Line>,
}

/// A test whose newest reading fails.
struct Failing {
    id: String,
    title: String,
    text: String,
    limit: String,
}

impl Group {
    /// Whether something of it can be entered in a grid.
    fn any_grid(&self) -> bool {
        self.lines.iter().any(|l| l.grid)
    }

    /// Tests with a reading that holds.
    fn done(&self) -> usize {
        self.lines.iter().filter(|l| l.latest.as_ref().is_some_and(|t| !t.stale)).count()
    }

    fn failing(&self) -> usize {
        self.lines.iter().filter(|l| l.fails()).count()
    }

    /// Tests that the hours do not hold.
    fn beyond(&self) -> usize {
        self.lines.iter().filter(|l| l.beyond.is_some()).count()
    }

    /// Tests that are still to be done: without a reading that holds, and not left out.
    fn due(&self) -> usize {
        let due = |l: &&Line| l.latest.as_ref().map_or(!l.out, |t| t.stale);
        self.lines.iter().filter(due).count()
    }
}

#[derive(Template)]
#[template(path = "readings.html")]
struct ReadingsPage {
    head: Head,
    groups: Vec<Group>,
    failing: Vec<Failing>,
    next: Option<next::Next>,
    places: Vec<next::Place>,
    /// Words that are looked for.
    seek: String,
    entry: Option<Entry>,
    done: usize,
    left: usize,
    all: usize,
    kind: &'static str,
    warnings: Vec<String>,
    base: i32,
}

#[derive(Deserialize, Default)]
pub(crate) struct ReadingsQuery {
    test: Option<String>,
    /// The phase whose tests are entered in a grid.
    grid: Option<String>,
    /// Words that a test, its terminals or its limit has.
    seek: Option<String>,
    /// The place where one stands.
    at: Option<String>,
}

/// What a page of readings is made from.
pub(crate) struct Records {
    pub readings: Vec<Reading>,
    overrides: Vec<Override>,
    pub left: Vec<LeftOut>,
    pub case: InstrumentsHere,
    /// Whether a meter is connected.
    meter: bool,
    /// Whether the rig's monitor is.
    monitor: bool,
    /// Which readings hold for the rig as it is now.
    pub holding: Readings,
    /// Which tests of the plan this kind of visit asks for.
    pub asked: Vec<bool>,
}

impl Records {
    /// The tests that are due, by number: asked for, without a reading that holds, and not left out.
    pub fn due(&self, tests: &[Test]) -> Vec<usize> {
        let due = |(n, t): &(usize, &Test)| {
            self.asked[*n]
                && !self.readings.iter().any(|r| r.test == t.id && self.holding.has(r.id))
                && !self.left.iter().any(|l| l.test == t.id)
        };
        tests.iter().enumerate().filter(due).map(|(n, _)| n).collect()
    }

    /// A reading that was entered a moment ago, so that what follows need not ask the database for it.
    fn add(&mut self, id: i64, new: &NewReading<'_>, person: &str, at: DateTime<Utc>) {
        if self.readings.iter().any(|r| r.id == id) {
            return;
        }
        let reading = Reading {
            id,
            revision: new.revision,
            test: new.test.to_owned(),
            title: new.title.to_owned(),
            value: new.value,
            unit: new.unit.to_owned(),
            outcome: new.outcome.to_owned(),
            words: new.words.to_owned(),
            supersedes: self.readings.iter().rfind(|r| r.test == new.test).map(|r| r.id),
            person: person.to_owned(),
            taken_at: at,
            samples: new.samples.to_vec(),
            instruments: new.instruments.to_vec(),
            lower_rank: new.lower_rank,
            means: new.means.to_owned(),
        };
        self.holding.add(fresh::taken(&reading));
        self.readings.push(reading);
        self.case.checked = self.holding.monitor_checked();
    }
}

pub(crate) async fn records(app: &App, context: &VisitContext) -> Result<Records, AppError> {
    let (firm, visit) = (context.firm, context.visit.id);
    let readings = app.store.readings(firm, visit).await?;
    let mut case = InstrumentsHere::open(app, context).await?;
    let holding = holding(app, context, &readings).await?;
    case.checked = holding.monitor_checked();
    Ok(Records {
        readings,
        overrides: app.store.overrides(firm, visit).await?,
        left: app.store.left_out(firm, visit).await?,
        case,
        meter: app.meter.is_some(),
        monitor: app.monitor.is_some(),
        holding,
        asked: hours::asked(app, context).await?,
    })
}

/// Tests that must have passed before this one and have not: without a passed reading on the rig as it is now.
fn unguarded<'a>(tests: &'a [Test], test: &Test, kept: &Records) -> Vec<&'a Test> {
    if kept.overrides.iter().any(|o| o.phase == test.phase.code()) {
        return Vec::new();
    }
    let passed = |t: &Test| kept.holding.newest_clears(|test| t.id == test);
    // What this kind of visit does not ask for guards nothing on it.
    let asked = |g: &Test| tests.iter().zip(&kept.asked).any(|(t, a)| *a && t.id == g.id);
    let mut open = guards(tests, test);
    open.retain(|t| asked(t) && !passed(t));
    open
}

/// That a test is done with a substitute, or with nothing that is here; nothing where all of it is.
fn not_at_hand(case: &InstrumentsHere, test: &Test) -> Option<String> {
    match case.means(test) {
        Means::Right => None,
        Means::Instead(_) => Some(crate::t("readings.by-a-substitute").to_owned()),
        Means::Lacking(_) => Some(crate::t("readings.nothing-at-hand").to_owned()),
    }
}

async fn page(
    context: &VisitContext,
    tests: &[Test],
    kept: &Records,
    choice: ReadingsQuery,
    attempt: Attempt,
) -> Result<Response, AppError> {
    let readings = &kept.readings[..];
    let chosen = choice.test;
    let safe = context.is_safe();
    let locked = |phase: Phase| phase.energises() && !safe;
    let number = context.revision.number;
    let reason = |id: &str| kept.left.iter().find(|l| l.test == id);
    let in_hours = hours::in_hours(context, kept).await?;
    let beyond: Vec<(&str, &'static str)> = in_hours.beyond().map(|(t, miss)| (t.id.as_str(), miss)).collect();
    let mut groups: Vec<Group> = Vec::new();
    let (mut done, mut left) = (0, 0);
    // What another kind of visit would ask for stands here once it was read.
    let here = |(t, asked): &(&Test, &bool)| **asked || readings.iter().any(|r| r.test == t.id);
    let listed: Vec<&Test> = tests.iter().zip(&kept.asked).filter(here).map(|(t, _)| t).collect();
    for t in listed {
        let latest = readings.iter().rev().find(|r| r.test == t.id).map(|r| taken(r, readings, kept));
        let out = reason(t.id.as_str()).filter(|_| latest.is_none());
        done += usize::from(latest.is_some());
        left += usize::from(out.is_some());
        let line = Line {
            id: t.id.to_string(),
            title: t.title.clone(),
            terminals: t.terminals.clone(),
            limit: t.limit_words(),
            predicted: t.predicted_words(),
            left: if latest.is_some() { None } else { out.map(leave::words).or_else(|| not_at_hand(&kept.case, t)) },
            beyond: beyond.iter().find(|(id, _)| latest.is_none() && *id == t.id.as_str()).map(|(_, miss)| *miss),
            latest,
            here: chosen.as_deref() == Some(t.id.as_str()),
            out: out.is_some(),
            grid: !t.is_look()
                && t.parts.is_none()
                && !readings.iter().any(|r| r.test == t.id && kept.holding.has(r.id)),
            unit: t.unit,
        };
        match groups.last_mut() {
            Some(g) if g.words == t.phase.words() => g.lines.push(line),
            _ => groups.push(Group {
                words: t.phase.words(),
                locked: locked(t.phase),
                grid: choice.grid.as_deref() == Some(t.phase.words()),
                open: false,
                lines: vec![line],
            }),
        }
    }
    let all = groups.iter().map(|g| g.lines.len()).sum();
    let failing = groups.iter().flat_map(|g| &g.lines).filter(|l| l.fails()).filter_map(|l| {
        let text = l.latest.as_ref()?.text.clone();
        Some(Failing { id: l.id.clone(), title: l.title.clone(), text, limit: l.limit.clone() })
    });
    let failing = failing.collect();
    let open = open_now(tests, kept, context.is_safe());
    let (next, places) = next(context, tests, kept, &open, choice.at.as_deref());
    let seek = choice.seek.unwrap_or_default();
    if !seek.trim().is_empty() {
        let wanted = seek.trim().to_lowercase();
        let has = |l: &Line| [&l.title, &l.terminals, &l.limit].iter().any(|w| w.to_lowercase().contains(&wanted));
        groups.iter_mut().for_each(|g| g.lines.retain(has));
        groups.retain(|g| !g.lines.is_empty());
    }
    for g in &mut groups {
        g.open = !seek.trim().is_empty() || g.grid;
    }
    let kind = hours::kind_of(context)?.words();
    let entry = match &chosen {
        None => None,
        Some(id) => Some(entry(context, tests, kept, id, attempt).await?),
    };
    html(&ReadingsPage {
        head: context.head("readings"),
        groups,
        failing,
        next,
        places,
        seek,
        entry,
        done,
        left,
        all,
        kind,
        warnings: kept.case.warnings(),
        base: number,
    })
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(choice): Query<ReadingsQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let tests = context.audit.tests();
    let kept = records(&app, &context).await?;
    page(&context, tests, &kept, choice, Attempt::default()).await
}

/// Escapes a name for a query.
pub(crate) fn urlencode(text: impl AsRef<str>) -> String {
    text.as_ref()
        .bytes()
        .map(|b| match b {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'_' | b'.' | b':' => char::from(b).to_string(),
            other => format!("%{other:02X}"),
        })
        .collect()
}
