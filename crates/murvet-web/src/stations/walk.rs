//! The walk: the whole visit on one page, one thing at a time, in walking order. The stations stay as places to look things up.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread};
use crate::stations::findings::{FindingCard, shown};
use crate::stations::put_right::{Repaired, TrialRow, lives, tried};
use crate::stations::readings::{
    Attempt, Entry, Place, Records, Taken, entry, next, open_now, records, taken, urlencode,
};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use murvet_core::readings::{Outcome, Phase, SafeOf, Test, minutes_of, place_of, things_of};
use murvet_draw::{MapOptions, rig_map};
use murvet_visit::{Onward, Open};
use serde::Deserialize;

/// A part of the visit, and what is left of it.
struct Leg {
    words: &'static str,
    left: usize,
    /// Minutes of its tests.
    minutes: Option<u32>,
    /// What is next belongs to it.
    here: bool,
}

/// What the last reading said.
struct Said {
    test: String,
    title: String,
    reading: Taken,
}

/// The step of making safe that is next.
struct Step {
    id: String,
    title: String,
    note: String,
    number: usize,
}

/// A test with the place where it is taken and how many come after it.
struct Measure {
    place: Option<String>,
    after: usize,
}

#[derive(Template)]
#[template(path = "walk.html")]
struct WalkPage {
    head: Head,
    legs: Vec<Leg>,
    said: Option<Said>,
    step: Option<Step>,
    entry: Option<Entry>,
    measure: Option<Measure>,
    prove: Option<Repaired>,
    finding: Option<FindingCard>,
    trials: Vec<TrialRow>,
    /// Findings that do not keep the rig from use and that nobody decided on.
    lesser: usize,
    /// Tests that are due and cannot be done now.
    held: usize,
    /// Tests that were left out.
    left_out: usize,
    places: Vec<Place>,
    picture: Option<String>,
    /// The test that was read before, to go back to: its address and title.
    back: Option<(String, String)>,
    warnings: Vec<String>,
    base: i32,
    live: bool,
}

impl WalkPage {
    /// How many things are left.
    fn left(&self) -> usize {
        self.legs.iter().map(|l| l.left).sum()
    }

    /// Minutes of all tests that are left.
    fn minutes(&self) -> u32 {
        self.legs.iter().filter_map(|l| l.minutes).sum()
    }
}

#[derive(Deserialize, Default)]
pub(crate) struct WalkQuery {
    /// The test that was read last.
    pub said: Option<String>,
    /// A test to do now, whatever is next.
    pub test: Option<String>,
    /// The place where one stands.
    pub at: Option<String>,
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(query): Query<WalkQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let kept = records(&app, &context).await?;
    page(&app, &context, &kept, query, Attempt::default()).await
}

/// The legs of the walk with what is left of each; those that are done are left out.
fn legs(context: &VisitContext, tests: &[Test], due: &[usize], open: Open, here: (Onward, Option<Phase>)) -> Vec<Leg> {
    let mut legs = Vec::new();
    let mut leg = |words: &'static str, left: usize, minutes: Option<u32>, here: bool| {
        if left > 0 {
            legs.push(Leg { words, left, minutes, here });
        }
    };
    leg(crate::t("station.safe"), open.isolation, None, here.0 == Onward::Isolate);
    let mut phases: Vec<Phase> = due.iter().map(|n| tests[*n].phase).collect();
    phases.dedup();
    for phase in phases {
        let own: Vec<&Test> = due.iter().map(|n| &tests[*n]).filter(|t| t.phase == phase).collect();
        leg(phase.words(), own.len(), Some(minutes_of(own.iter().copied())), here.1 == Some(phase));
    }
    leg(crate::t("walk.to-prove"), open.repaired, None, here.0 == Onward::Prove);
    leg(crate::t("walk.to-decide"), open.undecided, None, here.0 == Onward::Decide);
    if !context.actions.is_empty() || open == Open::default() {
        leg(crate::t("station.hand-over"), 1, None, here.0 == Onward::HandOver);
    }
    legs
}

/// The page for what is next, or for a test that was chosen.
///
/// # Errors
/// When there is no such test, or the database is gone.
pub(crate) async fn page(
    app: &App,
    context: &VisitContext,
    kept: &Records,
    query: WalkQuery,
    attempt: Attempt,
) -> Result<Response, AppError> {
    let (visit, tests) = (context.visit.id, context.audit.tests());
    let events = app.store.events(context.firm, visit).await?;
    let (to_test, _) = lives(app, context, &events).await?;
    let mut findings = shown(context, &events, false);
    findings.retain(|f| f.decided.is_none());
    let lesser = findings.iter().filter(|f| !f.block).count();
    findings.retain(|f| f.block);
    let due = kept.due(tests);
    let can = open_now(context, tests, kept);
    let open = Open {
        isolation: context.open_steps().count(),
        tests: can.len(),
        repaired: to_test.len(),
        undecided: findings.len(),
    };
    let (nearest, places) = next(context, tests, kept, &can, query.at.as_deref());
    let chosen = query.test.as_deref().filter(|id| tests.iter().any(|t| t.id == *id));
    let now = if chosen.is_some() { Onward::Measure } else { open.next() };
    let mut page = WalkPage {
        head: context.head("walk"),
        legs: Vec::new(),
        said: None,
        step: None,
        entry: None,
        measure: None,
        prove: None,
        finding: None,
        trials: Vec::new(),
        lesser,
        held: due.len() - can.len(),
        left_out: kept.left.len(),
        places,
        picture: None,
        back: None,
        warnings: kept.case.warnings(),
        base: context.revision.number,
        live: !context.is_safe(),
    };
    let mut things: Vec<String> = Vec::new();
    let mut phase = None;
    match now {
        Onward::Isolate => {
            if let Some(s) = context.open_steps().next() {
                if let SafeOf::Component(id) = &s.of {
                    things.push(id.clone());
                }
                let (id, title, note) = (s.id.clone(), s.title.clone(), s.note.clone());
                let number = context.steps.iter().position(|of| of.id == s.id).unwrap_or_default() + 1;
                page.step = Some(Step { id, title, note, number });
            }
        }
        Onward::Measure => {
            let id = chosen.map(str::to_owned).or_else(|| nearest.map(|n| n.id)).unwrap_or_default();
            if let Some(test) = tests.iter().find(|t| t.id == id) {
                things = things_of(&context.audit, test);
                phase = Some(test.phase);
                let place = place_of(&context.audit, test).and_then(|p| {
                    let place = context.rig.place(&p)?;
                    Some(place.label.clone().unwrap_or_else(|| place.id.clone()))
                });
                page.measure = Some(Measure { place, after: can.iter().filter(|n| tests[**n].id != id).count() });
                page.entry = Some(entry(context, tests, kept, &id, attempt).await?);
            }
        }
        Onward::Prove => page.prove = to_test.into_iter().next(),
        Onward::Decide => {
            if let Some(f) = findings.into_iter().next() {
                let found = context.audit.findings.iter().find(|a| a.key() == f.key);
                things = found.map(|f| f.components.clone()).unwrap_or_default();
                page.trials = tried(app, context, &f.key).await?;
                page.trials.retain(|t| t.accepted);
                page.finding = Some(f);
            }
        }
        Onward::HandOver => {}
    }
    page.legs = legs(context, tests, &due, open, (now, phase));
    let newest = |id: &str| kept.readings.iter().rfind(|r| r.test == id);
    page.said = query.said.as_deref().filter(|_| chosen.is_none()).and_then(newest).map(|r| Said {
        test: urlencode(&r.test),
        title: r.title.clone(),
        reading: taken(r, &kept.readings, kept),
    });
    page.back = kept
        .readings
        .iter()
        .rev()
        .find(|r| Some(r.test.as_str()) != chosen)
        .map(|r| (urlencode(&r.test), r.title.clone()));
    if !things.is_empty() {
        let (audit, link) = (context.audit.clone(), format!("/visits/{visit}/component/{{}}"));
        let drawn = off_thread(move || {
            let options = MapOptions { marked: &things, near: true, link: Some(&link), ..MapOptions::default() };
            rig_map(&audit, &options)
        });
        page.picture = Some(drawn.await?).filter(|svg| svg.contains("data-component"));
    }
    html(&page)
}
