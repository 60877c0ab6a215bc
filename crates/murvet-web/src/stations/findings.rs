//! Findings: what is wrong, worked out step by step.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::{Typed, onward};
use crate::names::{Folded, folded};
use crate::page::{Head, VisitContext, html, off_thread, when};
use crate::stations::trace::severity_class;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{Redirect, Response};
use chrono::NaiveDate;
use murvet_core::audit_report::AuditReport;
use murvet_core::readings::{Circuit, circuits};
use murvet_core::rig::{Component, Rig};
use murvet_core::rules::{Finding, Severity, Target};
use murvet_draw::{MapOptions, rig_map, run_profile};
use murvet_store::{FindingEvent, NewEvent};
use murvet_visit::{Decision as Decided, Event, LONGEST_ACCEPTED, Matter, Refusal, decide as decided};
use serde::Deserialize;
use std::sync::Arc;

/// A finding as shown, here and at the hand-over.
pub(crate) struct FindingCard {
    pub number: usize,
    pub key: String,
    pub link: String,
    pub slug: &'static str,
    pub hazard: &'static str,
    pub severity: &'static str,
    pub class: &'static str,
    pub block: bool,
    pub certainty: &'static str,
    pub statement: String,
    /// The same with its long lists of names folded.
    pub headline: Folded,
    /// What it is about, by label and place, the component of each.
    pub things: Vec<(String, String)>,
    /// How many more there are.
    pub more_things: usize,
    pub why: &'static str,
    pub evidence: Vec<String>,
    pub source: String,
    pub way: Vec<String>,
    pub profile: Option<String>,
    /// The conductor it is about, for its run.
    pub wire: Option<String>,
    pub life: Vec<String>,
    pub decided: Option<String>,
    /// What is to be kept off is not accepted.
    pub keep_off: bool,
    /// The piece of the map where it is.
    pub picture: Option<String>,
    /// The same fault in other places, where there are so many that each for itself would hide the rest.
    pub also: Vec<FindingCard>,
}

/// Components named on a card at most.
const MOST_THINGS: usize = 4;

/// A component by its label and place, with its name for an address.
fn thing(rig: &Rig, id: &str) -> Option<(String, String)> {
    let component = rig.component(id)?;
    let place = component.place.as_deref().and_then(|p| rig.place(p));
    let place = place.map(|p| p.label.clone().unwrap_or_else(|| p.id.clone()));
    let title = component.title();
    Some((id.to_owned(), place.map_or_else(|| title.to_owned(), |p| crate::say("names.in-place", &[&title, &p]))))
}

/// Prepares findings for a page.
pub(crate) fn shown(context: &VisitContext, events: &[FindingEvent], with_profile: bool) -> Vec<FindingCard> {
    let one = |(n, f): (usize, &Finding)| {
        let key = f.key();
        let own: Vec<&FindingEvent> = events.iter().filter(|e| e.finding == key).collect();
        let profile = match &f.target {
            Target::Wires { wires, .. } if with_profile => {
                let state = context.audit.states.states.iter().position(|s| s.way == f.way).unwrap_or(0);
                wires.first().and_then(|w| run_profile(&context.audit, *w, state, &[]))
            }
            _ => None,
        };
        FindingCard {
            number: n + 1,
            link: crate::stations::readings::urlencode(&key),
            slug: f.rule.slug,
            hazard: f.rule.hazard.words(),
            severity: f.severity.words(),
            class: severity_class(f.severity),
            block: f.severity >= Severity::BeforeUse,
            certainty: f.certainty.words(),
            statement: f.statement.clone(),
            headline: folded(&context.rig, &f.statement),
            things: f.components.iter().take(MOST_THINGS).filter_map(|id| thing(&context.rig, id)).collect(),
            more_things: f.components.len().saturating_sub(MOST_THINGS),
            why: f.rule.why,
            evidence: f.evidence.clone(),
            source: f.source.clone(),
            way: f.way.clone(),
            profile,
            wire: f
                .wires
                .first()
                .and_then(|spot| context.audit.net.wires.iter().find(|w| w.spot == *spot))
                .map(|w| crate::stations::readings::urlencode(&w.key)),
            life: own
                .iter()
                .map(|e| {
                    let mut note = if e.note.is_empty() { String::new() } else { format!(": {}", e.note) };
                    if let Some(until) = e.until {
                        let condition = e.condition.as_deref().unwrap_or_default();
                        note = format!("{note}; {}", crate::say("findings.accepted-until", &[&until, &condition]));
                    }
                    format!("{}{note}, {}, {}", e.event, e.person, when(&e.at))
                })
                .collect(),
            decided: own
                .last()
                .filter(|e| Event::of(&e.event).is_some_and(Event::is_decision))
                // A risk whose time is over is accepted no longer.
                .filter(|e| e.until.is_none_or(|d| context.today <= d))
                .map(|e| e.event.clone()),
            keep_off: f.severity == Severity::KeepOff,
            picture: None,
            also: Vec::new(),
            key,
        }
    };
    context.audit.findings.iter().enumerate().map(one).collect()
}

/// From so many on, findings of one rule and weight stand on one card.
const ALIKE: usize = 3;

/// Pictures of places on a page at most.
const MOST_PICTURES: usize = 12;

/// Findings of the same rule, weight and certainty on the card of the first of them, in the order of the list.
fn together(findings: Vec<FindingCard>) -> Vec<FindingCard> {
    let same =
        |a: &FindingCard, b: &FindingCard| a.slug == b.slug && a.severity == b.severity && a.certainty == b.certainty;
    let many: Vec<bool> = findings.iter().map(|f| findings.iter().filter(|o| same(f, o)).count() >= ALIKE).collect();
    let mut cards: Vec<FindingCard> = Vec::new();
    for (f, many) in findings.into_iter().zip(many) {
        match cards.iter_mut().find(|c| many && same(c, &f)) {
            Some(card) => card.also.push(f),
            None => cards.push(f),
        }
    }
    cards
}

/// Draws where the first of the findings that block use are.
async fn picture(context: &VisitContext, cards: &mut [FindingCard]) -> Result<(), AppError> {
    let audit = context.audit.clone();
    let blocking: Vec<usize> = cards.iter().filter(|c| c.block).take(MOST_PICTURES).map(|c| c.number - 1).collect();
    let link = format!("/visits/{}/component/{{}}", context.visit.id);
    let drawn = off_thread(move || {
        let near = |n: &usize| {
            let marked = &audit.findings.get(*n)?.components;
            let options = MapOptions { marked, near: true, link: Some(&link), ..MapOptions::default() };
            let svg = (!marked.is_empty()).then(|| rig_map(&audit, &options))?;
            Some((n + 1, svg)).filter(|(_, svg)| svg.contains("data-component"))
        };
        blocking.iter().filter_map(near).collect::<Vec<_>>()
    });
    for (number, svg) in drawn.await? {
        if let Some(card) = cards.iter_mut().find(|c| c.number == number) {
            card.picture = Some(svg);
        }
    }
    Ok(())
}

#[derive(Template)]
#[template(path = "findings.html")]
struct FindingsPage {
    head: Head,
    findings: Vec<FindingCard>,
    /// Possible findings under the value, not seen, that they hang on.
    folded: Vec<(String, Vec<FindingCard>)>,
    faults: Vec<(String, Vec<(&'static str, String)>)>,
    look_next: Vec<(String, String, usize)>,
    limits: Vec<String>,
    cautions: Vec<String>,
    /// What was confirmed by measuring: statement, what was seen, by whom, and what became of it.
    measured: Vec<(String, String, String, String)>,
    component: Option<String>,
    places: Vec<FilterOption>,
    hazards: Vec<FilterOption>,
    certainties: Vec<FilterOption>,
    circuits: Vec<FilterOption>,
    all: usize,
    /// How many of them are shown, folded ones included.
    shown: usize,
}

/// What the list is cut down to; an empty word is no cut.
#[derive(Deserialize, Default)]
pub(crate) struct Filter {
    component: Option<String>,
    place: Option<String>,
    hazard: Option<String>,
    certainty: Option<String>,
    circuit: Option<String>,
}

impl Filter {
    fn keeps(&self, context: &VisitContext, circuits: &[Circuit], f: &Finding) -> bool {
        let rig = &context.audit.assumed;
        let asked = |word: &Option<String>| word.clone().filter(|w| !w.is_empty());
        let in_place = |place: &str| {
            f.components.iter().filter_map(|id| rig.component(id)).any(|p| p.place.as_deref() == Some(place))
        };
        // A finding is of a circuit when it names its device or something the device feeds.
        let of_circuit = |name: &str| {
            let Some(c) = circuits.iter().find(|c| c.name() == name) else { return false };
            let device = name.split('.').next().unwrap_or_default();
            let own = |p: &&Component| p.id == device || c.feeds.iter().any(|title| p.title() == title);
            f.components.iter().filter_map(|id| rig.component(id)).any(|p| own(&p))
                || f.subject.components().any(|id| id == name)
        };
        asked(&self.component).is_none_or(|component| f.components.contains(&component))
            && asked(&self.place).is_none_or(|place| in_place(&place))
            && asked(&self.circuit).is_none_or(|circuit| of_circuit(&circuit))
            && asked(&self.hazard).is_none_or(|h| f.rule.hazard.words() == h)
            && asked(&self.certainty).is_none_or(|c| f.certainty.words() == c)
    }
}

/// A choice of a filter: its words, what they stand for, and whether it is made.
type FilterOption = (String, String, bool);

/// Words that the findings have, each once, with a first one for all.
fn choices(words: impl Iterator<Item = (String, String)>, made: Option<&String>) -> Vec<FilterOption> {
    let all: std::collections::BTreeMap<String, String> = words.collect();
    let every = (String::new(), "all".to_owned());
    std::iter::once(every).chain(all).map(|(value, words)| (value.clone(), words, made == Some(&value))).collect()
}

/// Acceptances of risks that stand: the newest word on each finding counts.
pub(crate) fn accepted_risks(events: &[FindingEvent]) -> impl Iterator<Item = &FindingEvent> {
    let newest = |(n, e): &(usize, &FindingEvent)| !events[n + 1..].iter().any(|later| later.finding == e.finding);
    let kept = events.iter().enumerate().filter(newest).map(|(_, e)| e);
    kept.filter(|e| Event::of(&e.event) == Some(Event::Accepted))
}

/// Findings that came from readings, with their latest event.
pub(crate) fn measured(events: &[FindingEvent]) -> Vec<(String, String, String, String)> {
    let opened = events.iter().filter(|e| {
        Event::of(&e.event) == Some(Event::Opened) && matches!(Matter::of(&e.finding), Matter::Diagnosis(_))
    });
    let row = |e: &FindingEvent| {
        let last = events.iter().rfind(|l| l.finding == e.finding && Event::of(&l.event) != Some(Event::Opened));
        let state = last.map_or(crate::t("findings.measured-open"), |l| l.event.as_str());
        (e.statement.clone(), e.note.clone(), format!("{}, {}", e.person, when(&e.at)), state.to_owned())
    };
    opened.map(row).collect()
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(filter): Query<Filter>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let events = app.store.events(context.firm, visit).await?;
    let mut findings = shown(&context, &events, true);
    let all = findings.len();
    let circuits = circuits(&context.audit);
    findings.retain(|s| filter.keeps(&context, &circuits, &context.audit.findings[s.number - 1]));
    let every = &context.audit.findings;
    let rig = &context.audit.assumed;
    let places =
        every.iter().flat_map(|f| &f.components).filter_map(|id| rig.place(rig.component(id)?.place.as_deref()?));
    let places = places.map(|p| (p.id.clone(), p.label.clone().unwrap_or_else(|| p.id.clone())));
    let places = choices(places, filter.place.as_ref());
    let same = |word: &'static str| (word.to_owned(), word.to_owned());
    let hazards = choices(every.iter().map(|f| same(f.rule.hazard.words())), filter.hazard.as_ref());
    let certainties = choices(every.iter().map(|f| same(f.certainty.words())), filter.certainty.as_ref());
    let named = circuits.iter().map(|c| {
        let label = if c.label.is_empty() { c.feeds.join(", ") } else { c.label.clone() };
        (c.name().to_owned(), format!("{}: {label}", c.name()))
    });
    let circuit_choices = choices(named, filter.circuit.as_ref());
    let head = context.head("findings");
    let audit = Arc::clone(&context.audit);
    let report = off_thread(move || AuditReport::new(&audit).with_faults(&audit)).await?;
    let shown_of_all = findings.len();
    let mut folded = Vec::new();
    for (words, list) in report.under_unseen() {
        let (under, rest): (Vec<FindingCard>, Vec<FindingCard>) =
            findings.into_iter().partition(|s| list.contains(&(s.number - 1)));
        findings = rest;
        if !under.is_empty() {
            folded.push((words, under));
        }
    }
    let mut findings = together(findings);
    picture(&context, &mut findings).await?;
    html(&FindingsPage {
        head,
        findings,
        folded,
        shown: shown_of_all,
        faults: report
            .one_fault_away
            .into_iter()
            .map(|f| (f.fault, f.findings.into_iter().map(|f| (f.severity.words(), f.statement)).collect()))
            .collect(),
        look_next: report.look_next.into_iter().map(|l| (l.subject, l.key, l.findings)).collect(),
        limits: report.limits,
        cautions: report.cautions,
        measured: measured(&events),
        component: filter.component.filter(|p| !p.is_empty()),
        places,
        hazards,
        certainties,
        circuits: circuit_choices,
        all,
    })
}

#[derive(Deserialize)]
pub(crate) struct Decision {
    finding: String,
    event: String,
    note: String,
    #[serde(default)]
    until: String,
    #[serde(default)]
    condition: String,
    #[serde(default)]
    from: String,
}

pub(crate) async fn decide(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<Decision>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let finding = context.audit.findings.iter().find(|f| f.key() == form.finding).ok_or(AppError::NotFound)?;
    let note = form.note.trim();
    let event = Event::of(&form.event).ok_or(Refusal::NoDecision);
    let until = form.until.trim().parse::<NaiveDate>().ok();
    let (reason, condition) = (note, form.condition.trim());
    let whole = event.map(|event| Decided { event, reason, until, condition });
    whole.and_then(|d| decided(&d, finding.severity, context.today)).map_err(|refusal| {
        AppError::BadInput(match refusal {
            Refusal::WriteWhy(_) => crate::say("findings.write-why-it-is-the", &[&form.event]),
            Refusal::NoEnd => crate::say("findings.until-when", &[&LONGEST_ACCEPTED]),
            Refusal::KeepOff => crate::t("findings.a-finding-of-keep-off").to_owned(),
            _ => crate::t("findings.a-finding-is-accepted-or").to_owned(),
        })
    })?;
    let key = finding.key();
    let event = NewEvent {
        finding: &key,
        statement: &finding.statement,
        event: &form.event,
        note,
        revision: context.revision.number,
        until: until.filter(|_| form.event == Event::Accepted.code()),
        condition: Some(condition).filter(|c| !c.is_empty() && form.event == Event::Accepted.code()),
    };
    app.store.add_event(context.firm, visit, &event, context.person.id, app.clock.now()).await?;
    Ok(onward(visit, &form.from, None, "findings"))
}
