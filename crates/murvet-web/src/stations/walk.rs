//! The walk: the whole visit on one page, one thing at a time, in walking order. The stations stay as places to look things up.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread};
use crate::stations::ahead::{Ahead, order};
use crate::stations::findings::{FindingCard, shown};
use crate::stations::put_right::{Repaired, TrialRow, lives, tried};
use crate::stations::readings::{
    Attempt, Entry, Place, Records, Taken, entry, next, open_now, records, taken, urlencode,
};
use crate::training;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use murvet_core::readings::{Outcome, Phase, SafeOf, Test, minutes_of, place_of, things_of};
use murvet_core::work::day::{ISOLATING, REPAIRING};
use murvet_draw::{MapOptions, rig_map};
use murvet_trace::assumed;
use murvet_visit::{Onward, Open};
use serde::Deserialize;

/// A part of the visit, and what is left of it.
struct Leg {
    words: &'static str,
    left: usize,
    /// Minutes of its tests, steps or repairs.
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
    /// What comes, for the script.
    ahead: String,
    /// What to do now, on a rig to learn on.
    guide: Option<&'static str>,
    /// On such a rig: a test that failed, mended now and to be measured again.
    mended: Option<(String, String)>,
    /// On such a rig: things of the trace that are assumed and not confirmed.
    assumed: usize,
    /// The test is shown as it will be when the rig was made safe, and it was not yet.
    not_yet: bool,
}

impl WalkPage {
    /// How many things are left.
    fn left(&self) -> usize {
        self.legs.iter().map(|l| l.left).sum()
    }

    /// Hours and minutes of all that is left.
    fn time_left(&self) -> String {
        let minutes = if self.head.training {
            // Nothing is walked to, opened or waited for: about three things a minute.
            u32::try_from(self.left() / 3 + 1).unwrap_or(u32::MAX)
        } else {
            self.legs.iter().filter_map(|l| l.minutes).fold(0, u32::saturating_add)
        };
        match (minutes / 60, minutes % 60) {
            (0, minutes) => crate::say("walk.in-minutes", &[&minutes]),
            (hours, minutes) => crate::say("walk.in-hours", &[&hours, &minutes]),
        }
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
    /// A step of making safe, a repair to prove, a finding to decide on: that one, whatever is next.
    pub safe: Option<String>,
    pub prove: Option<String>,
    pub finding: Option<String>,
    /// A test is shown as it will be when the rig was made safe.
    pub ahead: Option<String>,
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
fn legs(
    context: &VisitContext,
    (tests, due): (&[Test], &[usize]),
    (open, proving, repairing): (Open, u32, u32),
    here: (Onward, Option<Phase>),
) -> Vec<Leg> {
    let times = |many: usize, minutes: u32| Some(u32::try_from(many).unwrap_or(u32::MAX).saturating_mul(minutes));
    let mut legs = Vec::new();
    let mut leg = |words: &'static str, left: usize, minutes: Option<u32>, here: bool| {
        if left > 0 {
            legs.push(Leg { words, left, minutes, here });
        }
    };
    leg(crate::t("station.safe"), open.isolation, times(open.isolation, ISOLATING), here.0 == Onward::Isolate);
    let mut phases: Vec<Phase> = due.iter().map(|n| tests[*n].phase).collect();
    phases.dedup();
    for phase in phases {
        let own: Vec<&Test> = due.iter().map(|n| &tests[*n]).filter(|t| t.phase == phase).collect();
        leg(phase.words(), own.len(), Some(minutes_of(own.iter().copied())), here.1 == Some(phase));
    }
    leg(crate::t("walk.to-prove"), open.repaired, Some(proving), here.0 == Onward::Prove);
    leg(crate::t("walk.to-decide"), open.undecided, times(open.undecided, repairing), here.0 == Onward::Decide);
    if !context.actions.is_empty() || open == Open::default() {
        leg(crate::t("station.hand-over"), 1, None, here.0 == Onward::HandOver);
    }
    legs
}

/// Minutes of a repair: the middle of what the firm's own took, from three on.
fn usual_minutes(taken: &[(String, i32, i32)]) -> u32 {
    let mut took: Vec<u32> = taken.iter().filter_map(|(_, _, took)| u32::try_from(*took).ok()).collect();
    took.sort_unstable();
    if took.len() < 3 { REPAIRING } else { took[took.len() / 2] }
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
    let can = open_now(tests, kept, context.is_safe());
    let open = Open {
        isolation: context.open_steps().count(),
        tests: can.len(),
        repaired: to_test.len(),
        undecided: findings.len(),
    };
    let (nearest, places) = next(context, tests, kept, &can, query.at.as_deref());
    let chosen = query.test.as_deref().filter(|id| tests.iter().any(|t| t.id == *id));
    let step = query.safe.as_deref().and_then(|id| context.open_steps().find(|s| s.id == id));
    let to_prove = query.prove.as_deref().and_then(|key| to_test.iter().position(|r| r.key == key));
    let to_decide = query.finding.as_deref().and_then(|key| findings.iter().position(|f| f.key == key));
    // What was asked for and is done already gives way to what is next.
    let now = match (chosen, step, to_prove, to_decide) {
        (Some(_), ..) => Onward::Measure,
        (_, Some(_), ..) => Onward::Isolate,
        (_, _, Some(_), _) => Onward::Prove,
        (.., Some(_)) => Onward::Decide,
        _ => open.next(),
    };
    let own = |id: &str| tests.iter().find(|t| t.id == id);
    let proving = minutes_of(to_test.iter().flat_map(|r| &r.tests).filter_map(|(id, _)| own(id)));
    let repairing = match findings.len() {
        0 => REPAIRING,
        _ => usual_minutes(&app.store.minutes_taken(context.firm).await?),
    };
    let order = order(context, tests, kept, query.at.as_deref(), (&to_test, &findings));
    let mut here = String::new();
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
        ahead: String::new(),
        guide: context.visit.training.then(|| {
            crate::t(match now {
                Onward::Isolate => "training.isolate",
                Onward::Measure => "training.measure",
                Onward::Prove => "training.prove",
                Onward::Decide => "training.decide",
                Onward::HandOver => "training.hand-over",
            })
        }),
        mended: training::mended(tests, &kept.readings)
            .filter(|_| context.visit.training)
            .map(|t| (urlencode(&t.id), t.title.clone())),
        assumed: if context.visit.training { assumed(&context.rig).len() } else { 0 },
        not_yet: query.ahead.is_some() && !context.is_safe(),
    };
    let mut things: Vec<String> = Vec::new();
    let mut phase = None;
    match now {
        Onward::Isolate => {
            if let Some(s) = step.or_else(|| context.open_steps().next()) {
                here = format!("safe:{}", s.id);
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
                here = format!("test:{id}");
                things = things_of(&context.audit, test);
                phase = Some(test.phase);
                let place = place_of(&context.audit, test).and_then(|p| {
                    let place = context.rig.place(&p)?;
                    Some(place.label.clone().unwrap_or_else(|| place.id.clone()))
                });
                page.measure = Some(Measure { place, after: can.iter().filter(|n| tests[**n].id != id).count() });
                let mut asked = entry(context, tests, kept, &id, attempt).await?;
                asked.locked &= query.ahead.is_none();
                page.entry = Some(asked);
            }
        }
        Onward::Prove => {
            page.prove = to_test.into_iter().nth(to_prove.unwrap_or_default());
            here = page.prove.as_ref().map(|r| format!("prove:{}", r.key)).unwrap_or_default();
        }
        Onward::Decide => {
            if let Some(f) = findings.into_iter().nth(to_decide.unwrap_or_default()) {
                here = format!("finding:{}", f.key);
                let found = context.audit.findings.iter().find(|a| a.key() == f.key);
                things = found.map(|f| f.components.clone()).unwrap_or_default();
                page.trials = tried(app, context, &f.key).await?;
                page.trials.retain(|t| t.accepted);
                page.finding = Some(f);
            }
        }
        Onward::HandOver => {}
    }
    page.ahead = Ahead { here, revision: context.revision.number, order }.json();
    page.legs = legs(context, (tests, &due), (open, proving, repairing), (now, phase));
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
