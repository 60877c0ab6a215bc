//! The circuit list: what each device feeds, what feeds it in every state, and which legends went stale.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use murvet_core::notation::parse;
use murvet_core::readings::{Circuit, FedBy, StaleLegend, circuits, circuits_as_traced, fed_by, stale_legends};
use murvet_draw::Subsystem;
use serde::Deserialize;

/// Earlier revisions that are looked through for the one in which a legend was written, at most.
const LOOK_BACK: usize = 40;

struct Row {
    device: String,
    label: String,
    stale: Option<String>,
    feeds: String,
    ahead: String,
}

/// Circuits that are fed alike in every state.
struct Group {
    fed: Vec<(String, String)>,
    rows: Vec<Row>,
}

#[derive(Template)]
#[template(path = "circuits.html")]
struct CircuitsPage {
    head: Head,
    show: &'static str,
    groups: Vec<Group>,
    states: usize,
}

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
    show: Option<String>,
}

/// What a circuit is fed by, in words, with the nearest way to it.
fn fed_words(f: &FedBy, all: usize) -> (String, String) {
    let what = f.sources.clone().unwrap_or_else(|| "dead".to_owned());
    let way = if f.way.is_empty() { crate::t("circuits.as-parked").to_owned() } else { f.way.join(", then ") };
    let count = if f.states == all {
        crate::t("circuits.in-every-state").to_owned()
    } else {
        format!("in {} of {all}", f.states)
    };
    (what, format!("{count}; {way}"))
}

/// What a circuit feeds: directly, and through the devices behind it.
pub(crate) fn feeds_words(c: &Circuit) -> String {
    let behind = (!c.behind.is_empty()).then(|| crate::say("circuits.through", &[&c.behind.join(", ")]));
    let direct = (!c.feeds.is_empty()).then(|| c.feeds.join(", "));
    direct.into_iter().chain(behind).collect::<Vec<_>>().join("; ")
}

/// A legend that went stale, in words.
pub(crate) fn stale_words(s: &StaleLegend) -> String {
    let list = |names: &[String]| if names.is_empty() { "nothing".to_owned() } else { names.join(", ") };
    crate::say("circuits.written-when-it-fed-it", &[&list(&s.fed), &list(&s.feeds)])
}

/// Legends that stand for something else than when they were written. `earlier` are the circuits of earlier revisions,
/// the newest first: a legend was written in the oldest of them up to which it stood without a break.
fn stale(now: &[Circuit], earlier: &[Vec<Circuit>]) -> Vec<StaleLegend> {
    let mut list = Vec::new();
    for c in now.iter().filter(|c| !c.label.is_empty()) {
        let same = |o: &&Circuit| o.name() == c.name() && o.label == c.label;
        let written = earlier.iter().map_while(|r| r.iter().find(same)).last();
        if let Some(old) = written {
            list.extend(stale_legends(std::slice::from_ref(old), std::slice::from_ref(c)));
        }
    }
    list
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(asked): Query<Asked>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let head = context.head("states");
    let revisions = app.store.revisions(context.firm, context.visit.rig_id).await?;
    let limits = context.audit.profile.clone();
    let audit = context.audit;
    let number = context.revision.number;
    let page = off_thread(move || {
        let now = circuits(&audit);
        let before = revisions.iter().filter(|(r, _)| r.number < number).take(LOOK_BACK);
        let earlier: Vec<Vec<Circuit>> =
            before.filter_map(|(r, _)| Some(circuits_as_traced(&parse(&r.text).ok()?, &limits))).collect();
        let stale = stale(&now, &earlier);
        let show = Subsystem::asked(asked.show.as_deref()).word();
        let all = audit.states.states.len();
        let shown = now.iter().filter(|c| show == "all" || c.ac == (show == "ac"));
        let row = |c: &Circuit| Row {
            device: c.device.clone(),
            label: c.label.clone(),
            stale: stale.iter().find(|s| s.device == c.name()).map(stale_words),
            feeds: feeds_words(c),
            ahead: c.ahead.join(", "),
        };
        let mut groups: Vec<Group> = Vec::new();
        for c in shown {
            let fed: Vec<_> = fed_by(&audit, c).iter().map(|f| fed_words(f, all)).collect();
            match groups.iter_mut().find(|g| g.fed == fed) {
                Some(g) => g.rows.push(row(c)),
                None => groups.push(Group { fed, rows: vec![row(c)] }),
            }
        }
        CircuitsPage { head, show, groups, states: all }
    })
    .await?;
    html(&page)
}
