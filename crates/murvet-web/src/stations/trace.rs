//! Trace: the rig as text, checked while it is typed, with its map.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::{Body, Typed};
use crate::grounds::Grounds;
use crate::page::{Head, VisitContext, html, mapped, off_thread, when};
use askama::Template;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::catalogue::Kind;
use murvet_core::notation::{Diagnostic, Suggestion, complete, mirrored, parse, print, stands};
use murvet_core::rig::Rig;
use murvet_core::starters::{STARTERS, starter};
use murvet_draw::{MapOptions, Subsystem, rig_map};
use murvet_store::{Revision, Saved};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;

/// An error with its line taken apart around the word at fault.
pub(crate) struct ErrorShown {
    pub at: String,
    /// Its line, counted from zero, and where the word stands in it: in units of UTF-16, as browsers count.
    pub row: usize,
    pub from: usize,
    pub to: usize,
    pub before: String,
    pub word: String,
    pub after: String,
    pub message: String,
    pub help: String,
}

pub(crate) fn shown(text: &str, errors: &[Diagnostic]) -> Vec<ErrorShown> {
    errors
        .iter()
        .take(60)
        .map(|e| {
            let line: Vec<char> = text.lines().nth(e.line - 1).unwrap_or_default().chars().collect();
            let start = (e.column - 1).min(line.len());
            let end = (start + e.length).min(line.len());
            let units = |to: usize| line[..to].iter().map(|c| c.len_utf16()).sum();
            ErrorShown {
                row: e.line - 1,
                from: units(start),
                to: units(end),
                at: format!("line {}, column {}", e.line, e.column),
                before: line[..start].iter().collect(),
                word: if start == end { " ".to_owned() } else { line[start..end].iter().collect() },
                after: line[end..].iter().collect(),
                message: e.message.clone(),
                help: e.help.clone(),
            }
        })
        .collect()
}

/// What stands beside the text: errors, or the findings and the map.
#[derive(Template)]
#[template(path = "trace_result.html")]
struct ResultPart {
    visit: i64,
    errors: Vec<ErrorShown>,
    findings: Vec<(&'static str, &'static str, String)>,
    /// Whether the audit stopped before everything was judged.
    partly: bool,
    counts: String,
    map: String,
    /// Findings that this text has and the saved revision has not, and the other way round.
    appeared: Vec<String>,
    vanished: Vec<String>,
}

#[derive(Template)]
#[template(path = "trace.html")]
struct TracePage {
    head: Head,
    text: String,
    /// Every word that names a kind of component.
    kinds: String,
    base: i32,
    result: String,
    posted: bool,
    saved: bool,
    revisions: Vec<(i32, String, String, String)>,
    starters: Vec<(&'static str, &'static str)>,
    /// A component whose line is taken up to be changed.
    edit: Option<String>,
}

#[derive(Template)]
#[template(path = "conflict.html")]
struct ConflictPage {
    head: Head,
    mine: String,
    theirs: String,
    their_number: i32,
    changes: Vec<(&'static str, String)>,
}

/// Judges a text and renders what stands beside it.
async fn result_part(
    app: &App,
    visit: i64,
    text: String,
    grounds: Grounds,
    saved: Vec<(String, String)>,
) -> Result<String, AppError> {
    let judged = app.audits.of(&text, grounds).await?;
    off_thread(move || {
        let part = match judged {
            Err(errors) => ResultPart {
                visit,
                errors: shown(&text, &errors),
                findings: Vec::new(),
                partly: false,
                counts: String::new(),
                map: String::new(),
                appeared: Vec::new(),
                vanished: Vec::new(),
            },
            Ok((rig, audit)) => {
                let link = format!("/visits/{visit}/component/{{}}");
                let options = MapOptions { findings: &audit.findings, link: Some(&link), ..MapOptions::default() };
                let map = rig_map(&audit, &options);
                let keys: Vec<(String, String)> =
                    audit.findings.iter().map(|f| (f.key(), f.statement.clone())).collect();
                let not_in = |a: &[(String, String)], b: &[(String, String)]| -> Vec<String> {
                    a.iter().filter(|(k, _)| !b.iter().any(|(o, _)| o == k)).map(|(_, s)| s.clone()).collect()
                };
                ResultPart {
                    visit,
                    errors: Vec::new(),
                    counts: crate::say(
                        "trace.components-runs-cables-distinct-states",
                        &[&rig.components.len(), &rig.runs.len(), &rig.cables.len(), &audit.states.states.len()],
                    ),
                    appeared: not_in(&keys, &saved),
                    vanished: not_in(&saved, &keys),
                    partly: audit.partly,
                    findings: audit
                        .findings
                        .iter()
                        .map(|f| (f.severity.words(), severity_class(f.severity), f.statement.clone()))
                        .collect(),
                    map,
                }
            }
        };
        part.render()
    })
    .await?
    .map_err(AppError::from)
}

/// Class of a severity word.
pub(crate) fn severity_class(severity: murvet_core::rules::Severity) -> &'static str {
    use murvet_core::rules::Severity;
    match severity {
        Severity::KeepOff => "sev sev-keep-off hatched",
        Severity::BeforeUse => "sev sev-before-use",
        Severity::Soon | Severity::Advice => "sev",
    }
}

fn finding_keys(context: &VisitContext) -> Vec<(String, String)> {
    context.audit.findings.iter().map(|f| (f.key(), f.statement.clone())).collect()
}

async fn page(
    app: &App,
    context: &VisitContext,
    text: String,
    base: i32,
    posted: bool,
    saved: bool,
    edit: Option<String>,
) -> Result<Response, AppError> {
    let result =
        result_part(app, context.visit.id, text.clone(), context.grounds.clone(), finding_keys(context)).await?;
    let revisions = app.store.revisions(context.firm, context.visit.rig_id).await?;
    let row = |(n, (r, name)): (usize, &(Revision, String))| {
        let before = revisions.get(n + 1).map(|(b, _)| b.text.as_str());
        let changed = change_words(before, &r.text);
        let note = if changed.is_empty() { r.note.clone() } else { format!("{}: {changed}", r.note) };
        (r.number, when(&r.made_at), name.clone(), note)
    };
    html(&TracePage {
        head: context.head("trace"),
        kinds: Kind::all().iter().flat_map(|k| k.words).copied().collect::<Vec<_>>().join(" "),
        text,
        base,
        result,
        posted,
        saved,
        edit,
        revisions: revisions.iter().enumerate().take(12).map(row).collect(),
        starters: if context.rig.components.is_empty() {
            STARTERS.iter().map(|s| (s.key, s.title)).collect()
        } else {
            Vec::new()
        },
    })
}

#[derive(Deserialize, Default)]
pub(crate) struct ShowQuery {
    saved: Option<u8>,
    /// An earlier revision whose text is taken back.
    revision: Option<i32>,
    /// A component whose line is taken up to be changed.
    edit: Option<String>,
    /// A starter rig to correct, for a rig in which nothing is traced yet.
    starter: Option<String>,
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    axum::extract::Query(q): axum::extract::Query<ShowQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let base = context.revision.number;
    // What is taken is not saved until somebody saves it, on top of the newest revision.
    if let Some(number) = q.revision {
        let old = app.store.revision(context.firm, context.visit.rig_id, number).await?;
        return page(&app, &context, old.text, base, true, false, None).await;
    }
    if let Some(starter) = q.starter.as_deref().and_then(starter) {
        let text = starter.rig(&context.visit.rig_name, context.profile());
        let mut rig = parse(&text).map_err(|e| AppError::Broken(format!("a starter does not parse: {e:?}")))?;
        murvet_trace::assume(&mut rig);
        let text = print(&rig);
        return page(&app, &context, text, base, true, false, None).await;
    }
    page(&app, &context, context.revision.text.clone(), base, false, q.saved.is_some(), q.edit).await
}

#[derive(Deserialize)]
pub(crate) struct SaveForm {
    text: String,
    base: i32,
    #[serde(default)]
    note: String,
}

pub(crate) async fn save(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<SaveForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let text = form.text.replace("\r\n", "\n");
    if text.len() > murvet_core::notation::MAX_TEXT {
        return Err(AppError::TooLarge);
    }
    if parse(&text).is_err() {
        // Nothing is written and nothing typed is lost: the page comes back with every error.
        let page = page(&app, &context, text, form.base, true, false, None).await?;
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    }
    let note = if form.note.trim().is_empty() { "trace" } else { form.note.trim() };
    let saved = app
        .store
        .save_revision(context.firm, context.visit.rig_id, form.base, &text, note, context.person.id, app.clock.now())
        .await?;
    match saved {
        Saved::As(_) => Ok(Redirect::to(&format!("/visits/{visit}/trace?saved=1")).into_response()),
        Saved::Conflict(theirs) => {
            let page = html(&ConflictPage {
                head: context.head("trace"),
                changes: line_changes(&theirs.text, &text),
                mine: text,
                their_number: theirs.number,
                theirs: theirs.text,
            })?;
            Ok((StatusCode::CONFLICT, page).into_response())
        }
    }
}

/// Lines that only one of two texts has.
pub(crate) fn line_changes(theirs: &str, mine: &str) -> Vec<(&'static str, String)> {
    let only = |a: &str, b: &str| -> Vec<String> {
        let other: HashSet<&str> = b.lines().collect();
        a.lines().filter(|l| !l.trim().is_empty() && !other.contains(l)).map(str::to_owned).collect()
    };
    let mut list: Vec<(&'static str, String)> = only(theirs, mine).into_iter().map(|l| ("only saved", l)).collect();
    list.extend(only(mine, theirs).into_iter().map(|l| ("only yours", l)));
    list
}

#[derive(Deserialize)]
pub(crate) struct CheckBody {
    text: String,
}

#[derive(Serialize)]
struct CheckAnswer {
    html: String,
}

pub(crate) async fn check(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Body(body): Body<CheckBody>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let html = result_part(&app, visit, body.text, context.grounds.clone(), finding_keys(&context)).await?;
    Ok(axum::Json(CheckAnswer { html }).into_response())
}

#[derive(Deserialize)]
pub(crate) struct SuggestBody {
    text: String,
    line: String,
}

#[derive(Serialize)]
struct SuggestAnswer {
    choices: Vec<Suggestion>,
    /// Where the run of the line stands.
    stands: Option<String>,
    /// The return that mirrors the last run of the text.
    mirror: Option<String>,
}

pub(crate) async fn suggest(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Body(body): Body<SuggestBody>,
) -> Result<Response, AppError> {
    app.store.visit(who.0.firm_id, visit).await?;
    let answer = off_thread(move || {
        // Names come from the lines that can be read, so completion works in a text with errors.
        let readable: String = match parse(&body.text) {
            Ok(_) => body.text.clone(),
            Err(errors) => {
                let bad: Vec<usize> = errors.iter().map(|e| e.line).collect();
                let lines = body.text.lines().enumerate().filter(|(n, _)| !bad.contains(&(n + 1)));
                lines.map(|(_, l)| format!("{l}\n")).collect()
            }
        };
        let rig = parse(&readable).unwrap_or_default();
        SuggestAnswer {
            choices: complete(&rig, &body.line),
            stands: stands(&rig, &body.line),
            mirror: rig.runs.last().and_then(|run| mirrored(&rig, run)),
        }
    })
    .await?;
    Ok(axum::Json(answer).into_response())
}

#[derive(Serialize)]
struct OpenAnswer {
    /// The notation of what was opened.
    text: Option<String>,
    /// Why it cannot be opened.
    message: Option<String>,
}

/// A file of somebody's: notation as it is, JSON as notation.
pub(crate) async fn open(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Body(body): Body<CheckBody>,
) -> Result<Response, AppError> {
    app.store.visit(who.0.firm_id, visit).await?;
    if !body.text.trim_start().starts_with('{') {
        return Ok(axum::Json(OpenAnswer { text: Some(body.text), message: None }).into_response());
    }
    let answer = off_thread(move || match Rig::from_json(&body.text) {
        Ok(rig) => OpenAnswer { text: Some(print(&rig)), message: None },
        Err(problems) => {
            let lines: Vec<String> =
                problems.iter().take(5).map(|p| format!("at {}: {}; {}", p.spot, p.message, p.help)).collect();
            OpenAnswer { text: None, message: Some(crate::say("trace.this-is-no-rig", &[&lines.join(". ")])) }
        }
    })
    .await?;
    Ok(axum::Json(answer).into_response())
}

/// What a text has more and less than the one before it, in words.
fn change_words(before: Option<&str>, text: &str) -> String {
    let Some(before) = before else { return String::new() };
    let changes = line_changes(before, text);
    let less = changes.iter().filter(|(side, _)| *side == "only saved").count();
    let more = changes.len() - less;
    let lines = |n: usize, word: &str| match n {
        0 => None,
        1 => Some(format!("1 line {word}")),
        n => Some(format!("{n} lines {word}")),
    };
    let words: Vec<String> = [lines(more, "more"), lines(less, "less")].into_iter().flatten().collect();
    words.join(", ")
}

pub(crate) async fn json(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    Ok(([(header::CONTENT_TYPE, "application/json")], Rig::to_json(&context.rig)).into_response())
}

#[derive(Deserialize, Default)]
pub(crate) struct MapQuery {
    show: Option<String>,
}

pub(crate) async fn map(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    axum::extract::Query(q): axum::extract::Query<MapQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let subsystem = Subsystem::asked(q.show.as_deref());
    let svg = mapped(&context.audit, subsystem).await?;
    Ok(([(header::CONTENT_TYPE, "image/svg+xml")], svg).into_response())
}
