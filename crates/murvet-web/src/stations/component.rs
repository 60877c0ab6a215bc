//! One component: its terminals in the unit's own order with what lands on each, its values with where they come from, and
//! what was found and measured at it.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, listed};
use crate::stations::photographs::{Shot, shots};
use crate::stations::readings::urlencode;
use askama::Template;
use axum::extract::{Path, State};
use axum::response::Response;
use murvet_core::network::EdgeKind;
use murvet_core::readings::{Test, circuits, things_of};
use murvet_core::rig::{Component, Value};
use murvet_core::terminals::anatomy;

/// A conductor that lands on a terminal: in words, the name for its run, the terminal at its other end, and the component
/// there.
struct Landing {
    words: String,
    run: String,
    other: String,
    component: Option<String>,
}

#[derive(Template)]
#[template(path = "component.html")]
struct ComponentPage {
    head: Head,
    id: String,
    kind: &'static str,
    label: Option<String>,
    place: Option<String>,
    status: Option<&'static str>,
    values: Vec<(String, String, &'static str)>,
    terminals: Vec<(String, Vec<Landing>)>,
    findings: Vec<(usize, &'static str, String)>,
    /// Its circuits, and what each feeds.
    feeds: Vec<(String, String)>,
    tests: Vec<(String, String, String)>,
    remarks: Vec<String>,
    shots: Vec<Shot>,
}

fn whence(value: &Value) -> &'static str {
    match value.from {
        _ if value.is_unseen() => crate::t("component.not-seen"),
        Some(from) => from.word(),
        None => "",
    }
}

fn values(p: &Component) -> Vec<(String, String, &'static str)> {
    let shown = |v: &Value| if v.is_unseen() { "?".to_owned() } else { v.text.clone() };
    let own = p.attrs.iter().map(|(key, v)| (key.clone(), shown(v), whence(v)));
    let ways = p.ways.iter().map(|w| {
        let label = w.label.as_ref().map_or(String::new(), |l| format!(" \"{l}\""));
        (format!("way {}{label}", w.id), shown(&w.rating), whence(&w.rating))
    });
    own.chain(ways).collect()
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path((visit, id)): Path<(i64, String)>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let readings = app.store.readings(context.firm, visit).await?;
    let photographs = app.store.photographs(context.firm, visit).await?;
    let marks = app.store.marks(context.firm, visit).await?;
    let (rig, net) = (&context.rig, &context.audit.net);
    let index = rig.components.iter().position(|p| p.id == id).ok_or(AppError::NotFound)?;
    let p = &rig.components[index];
    let landings = |terminal: &str| -> Vec<Landing> {
        let Some(node) = net.node(index, terminal) else { return Vec::new() };
        let here = net.edges.iter().filter(|e| e.a == node || e.b == node);
        let landing = |e: &murvet_core::network::Edge| {
            let other = &net.nodes[if e.a == node { e.b } else { e.a }];
            let EdgeKind::Wire(w) = e.what else { return None };
            Some(Landing {
                words: net.wires[w].title.clone(),
                run: urlencode(&net.wires[w].key),
                other: other.name.clone(),
                component: other.component.map(|p| rig.components[p].id.clone()),
            })
        };
        here.filter_map(landing).collect()
    };
    let terminals = anatomy(p).terminals.into_iter().map(|(name, _)| {
        let list = landings(&name);
        (name, list)
    });
    let terminals = terminals.collect();
    let at_it = |t: &&Test| things_of(&context.audit, t).contains(&id);
    let tests = context.audit.tests().iter().filter(at_it).map(|t| {
        let read = readings.iter().rfind(|r| r.test == t.id && !readings.iter().any(|o| o.supersedes == Some(r.id)));
        let value = read.map_or(crate::t("component.not-measured-yet").to_owned(), |r| {
            murvet_core::readings::value_words(r.value, t.unit)
        });
        (urlencode(&t.id), t.title.clone(), value)
    });
    let tests = tests.collect();
    let findings = context.audit.findings.iter().enumerate().filter(|(_, f)| f.components.contains(&id));
    let findings = findings.map(|(n, f)| (n + 1, f.severity.words(), f.statement.clone())).collect();
    let fed = circuits(&context.audit);
    let feeds = fed.iter().filter(|c| c.component == index && !c.feeds.is_empty());
    let feeds = feeds.map(|c| (c.name().to_owned(), listed(&c.feeds))).collect();
    let place = p.place.as_deref().and_then(|id| rig.place(id));
    let said = |kind: &str, words: &Option<String>| words.as_ref().map_or(kind.to_owned(), |w| format!("{kind}: {w}"));
    html(&ComponentPage {
        head: context.head("trace"),
        kind: p.kind.spec().title,
        label: p.label.clone(),
        place: place.map(|p| p.label.clone().unwrap_or_else(|| p.id.clone())),
        status: murvet_core::rig::Status::ALL
            .iter()
            .find(|(s, _)| *s == p.status && p.status != murvet_core::rig::Status::InPlace)
            .map(|(_, words)| *words),
        values: values(p),
        terminals,
        findings,
        feeds,
        tests,
        shots: shots(&photographs, &marks, Some(&id)),
        remarks: rig.remarks.iter().filter(|r| r.on == id).map(|r| said(&r.kind, &r.words)).collect(),
        id,
    })
}
