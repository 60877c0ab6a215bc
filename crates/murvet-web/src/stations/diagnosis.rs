//! Diagnosis: which fault explains the readings, and which reading to take next.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, off_thread};
use crate::stations::complaints::{Told, told};
use crate::stations::readings::holding;
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{Redirect, Response};
use murvet_core::audit::Audit;
use murvet_core::complaints::{Standing, as_observed};
use murvet_core::diagnosis::{Diagnosis, Explanation, Models, NextReading, Observed};
use murvet_core::measure::{Fault, World};
use murvet_core::owner_questions::{Asked, owner_questions};
use murvet_core::readings::{Test, value_words};
use murvet_store::NewEvent;
use murvet_visit::{Event, Matter, Readings, confirm as confirmed};
use serde::Deserialize;

struct Row {
    key: String,
    words: String,
    explains: usize,
    against: usize,
    misfit: String,
}

struct Ask {
    title: String,
    leads: String,
    test: Option<String>,
    minutes: u32,
    bits: String,
}

/// What belongs together: readings that are not as traced, and what explains them.
struct Trouble {
    odd: Vec<(String, String, String)>,
    rows: Vec<Row>,
    cleared: usize,
    next: Option<Ask>,
    questions: Vec<Asked>,
}

#[derive(Template)]
#[template(path = "diagnosis.html")]
struct DiagnosisPage {
    head: Head,
    taken: usize,
    troubles: Vec<Trouble>,
}

fn words(e: &Explanation) -> String {
    e.faults.iter().map(Fault::words).collect::<Vec<_>>().join(", and ")
}

/// What a reading or a complaint says: its title, its unit, and what was observed.
type Said = (String, &'static str, Observed);

/// The latest settled reading of every test that the model can tell something about, on the rig as it is now; then what was
/// told and has not ended as absent.
fn observed(audit: &Audit, tests: &[Test], told: &[Told], holding: &Readings) -> Vec<Said> {
    let measured = holding.evidence(tests);
    let mut list: Vec<Said> = measured.into_iter().map(|(t, o)| (t.title.clone(), t.unit, o)).collect();
    for t in told.iter().filter(|t| !matches!(t.standing, Standing::NotFound | Standing::Done)) {
        let Some(o) = as_observed(audit, tests, &t.complaint()) else { continue };
        // A reading of the same says more than a memory of it.
        if !list.iter().any(|(.., own)| own.probe == o.probe) {
            list.push((crate::say("diagnosis.told", &[&t.words]), o.probe.function.unit(), o));
        }
    }
    list
}

fn explained(head: Head, audit: &Audit, tests: &[Test], told: &[Told], holding: &Readings) -> DiagnosisPage {
    let list = observed(audit, tests, told, holding);
    let seen: Vec<Observed> = list.iter().map(|(.., o)| o.clone()).collect();
    let models = Models::new(audit);
    let found = models.diagnose(&seen);
    let traced = World::new(audit, &[]);
    let odd = |i: &usize| {
        let (title, unit, o) = &list[*i];
        let predicted = traced.read(&o.probe).map_or_else(String::new, |v| value_words(v, unit));
        let shown = if o.told { crate::t("diagnosis.as-told").to_owned() } else { value_words(o.value, unit) };
        (title.clone(), shown, predicted)
    };
    let row = |e: &Explanation| Row {
        key: Matter::Diagnosis(words(e)).kept(),
        words: words(e),
        explains: e.explains,
        against: e.against,
        misfit: format!("{:.1}", e.misfit),
    };
    let ask = |n: NextReading| Ask {
        leads: n
            .probe
            .leads
            .iter()
            .map(|(a, b)| if b.is_empty() { a.clone() } else { format!("{a} to {b}") })
            .collect::<Vec<_>>()
            .join(" plus "),
        title: n.title,
        test: n.test.map(|id| crate::stations::readings::urlencode(&id)),
        minutes: n.minutes,
        bits: format!("{:.1}", n.bits),
    };
    let trouble = |(kept, d): &(Vec<usize>, Diagnosis)| Trouble {
        odd: d.odd.iter().map(|i| odd(&kept[*i])).collect(),
        rows: d.explanations.iter().take(8).map(row).collect(),
        cleared: d.cleared,
        next: models.next_reading(tests, d, &seen).map(ask),
        questions: owner_questions(&models, tests, d, &seen),
    };
    let apart = models.apart(&seen, found);
    let troubles = apart.iter().filter(|(_, d)| !d.odd.is_empty()).map(trouble).collect();
    DiagnosisPage { head, taken: seen.len(), troubles }
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let readings = app.store.readings(context.firm, visit).await?;
    let told = told(&app, context.firm, visit).await?;
    let holding = holding(&app, &context, &readings).await?;
    let (head, audit) = (context.head("readings"), context.audit);
    let page = off_thread(move || explained(head, &audit, audit.tests(), &told, &holding)).await?;
    html(&page)
}

#[derive(Deserialize)]
pub(crate) struct ConfirmForm {
    key: String,
    note: String,
}

/// An explanation that somebody saw to be so becomes a finding of the visit.
pub(crate) async fn confirm(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<ConfirmForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let Matter::Diagnosis(statement) = Matter::of(&form.key) else { return Err(AppError::NotFound) };
    if statement.is_empty() || statement.len() >= 400 {
        return Err(AppError::NotFound);
    }
    let note = form.note.trim();
    confirmed(note).map_err(|_| AppError::BadInput(crate::t("diagnosis.write-what-you-saw").to_owned()))?;
    let (event, revision) = (Event::Opened.code(), context.revision.number);
    let event = NewEvent { finding: &form.key, statement: &statement, event, note, revision, ..NewEvent::default() };
    app.store.add_event(context.firm, visit, &event, context.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/findings#measured")))
}
