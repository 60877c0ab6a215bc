//! The timeline of a visit: everything that was done, in the order of time.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, outcome, phase_words};
use crate::stations::visit::change_words;
use crate::zone;
use askama::Template;
use axum::extract::{Path, State};
use axum::response::Response;
use chrono::{DateTime, Utc};
use murvet_core::complaints::Standing;
use murvet_core::readings::value_words;

/// One thing that was done: when, what kind of thing, in words, by whom.
struct Done {
    at: DateTime<Utc>,
    time: String,
    kind: &'static str,
    words: String,
    by: String,
}

#[derive(Template)]
#[template(path = "day.html")]
struct DayPage {
    head: Head,
    days: Vec<(String, Vec<Done>)>,
    zone: String,
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let firm = context.firm;
    let mut list: Vec<Done> = Vec::new();
    let mut add = |at: DateTime<Utc>, kind: &'static str, words: String, by: String| {
        list.push(Done { at, time: zone::clock(&at), kind, words, by });
    };
    for d in &context.done {
        let title = context.steps.iter().find(|s| s.id == d.step).map_or(d.step.as_str(), |s| &s.title);
        add(d.done_at, crate::t("station.safe"), title.to_owned(), d.person.clone());
    }
    for r in app.store.readings(firm, visit).await? {
        let words = format!("{}: {}, {}", r.title, value_words(r.value, &r.unit), outcome(&r).words());
        add(r.taken_at, crate::t("station.readings"), words, r.person);
    }
    for e in app.store.events(firm, visit).await? {
        let note = if e.note.is_empty() { String::new() } else { format!(" ({})", e.note) };
        add(e.at, crate::t("station.findings"), format!("{}: {}{note}", e.event, e.statement), e.person);
    }
    for a in &context.actions {
        add(a.done_at, crate::t("station.put-right"), a.title.clone(), a.person.clone());
    }
    for l in app.store.left_out(firm, visit).await? {
        let key = if l.to_owner { "hand-over.left-to-the-owner" } else { "hand-over.left-out" };
        add(l.at, crate::t(key), format!("{}: {}", l.title, l.reason), l.person);
    }
    let complaints = app.store.complaints(firm, visit).await?;
    for s in app.store.standings(firm, visit).await? {
        let of = complaints.iter().find(|c| c.id == s.complaint_id).map_or("", |c| c.words.as_str());
        add(
            s.at,
            crate::t("complaints.complaints"),
            format!("{of}: {}, {}", Standing::of(&s.standing).map_or("", Standing::words), s.note),
            s.person,
        );
    }
    for c in complaints {
        add(c.at, crate::t("complaints.complaints"), format!("{}: {}", c.told_by, c.words), c.person);
    }
    for o in app.store.overrides(firm, visit).await? {
        add(o.at, crate::t("hand-over.begun-early"), format!("{}: {}", phase_words(&o.phase), o.reason), o.person);
    }
    for p in app.store.photographs(firm, visit).await? {
        add(p.at, crate::t("photographs.photographs"), format!("{}, {} {}", p.subject, p.moment, p.note), p.person);
    }
    for k in app.store.calculations(firm, visit).await? {
        add(k.at, crate::t("station.bench"), format!("{}: {}", k.title, k.answer), k.person);
    }
    for (r, person) in app.store.revisions(firm, context.visit.rig_id).await? {
        add(r.made_at, crate::t("station.trace"), crate::say("day.revision", &[&r.number, &r.note]), person);
    }
    for c in app.store.visit_changes(firm, visit).await? {
        let words = change_words(&c);
        add(c.at, crate::t("visit.this-visit"), words, c.person);
    }
    for h in app.store.hand_overs(firm, visit).await? {
        add(h.signed_at, crate::t("station.hand-over"), crate::t("day.signed").to_owned(), h.person);
    }
    list.sort_by_key(|d| d.at);
    let mut days: Vec<(String, Vec<Done>)> = Vec::new();
    for d in list {
        let day = zone::day(&d.at).format("%-d %B %Y").to_string();
        match days.last_mut() {
            Some((last, own)) if *last == day => own.push(d),
            _ => days.push((day, vec![d])),
        }
    }
    let zone = context.visit.zone.clone();
    html(&DayPage { zone, head: context.head("hand-over"), days })
}
