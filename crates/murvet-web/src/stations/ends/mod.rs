//! Open ends: a rig traced by tapping, by somebody who never saw the notation. Every terminal with nothing on it asks what lands
//! there, and each answer is one line of notation, saved at once.

mod marks;
mod part;
mod plate;
mod question;
mod seen;

pub(crate) use marks::{set as set_mark, show as marks, take_away};
pub(crate) use part::{change, show as part};
pub(crate) use plate::{enter, show as plate, way};
pub(crate) use question::{ask, land};
pub(crate) use seen::{confirm, gone, show as seen};

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, off_thread};
use crate::stations::readings::urlencode;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::catalogue::{Kind, ZONES};
use murvet_core::notation::{parse, print};
use murvet_core::profiles::SizesIn;
use murvet_core::rig::{Place, Rig};
use murvet_core::starters::{STARTERS, starter};
use murvet_draw::{MapOptions, rig_map};
use murvet_store::Saved;
use murvet_trace::{End, Written, add, assume, assumed, ends, next_end};
use serde::Deserialize;

/// What was written last, in notation, where it can be taken back: so the notation is learnt by use.
pub(super) fn written_last(context: &VisitContext) -> Option<String> {
    // A repair is not taken back here: it has its own records.
    let number = context.revision.number;
    let back = number > 1 && !context.actions.iter().any(|a| a.revision == number);
    back.then(|| context.revision.note.clone())
}

/// An end in words: what it is on, and which.
pub(super) fn in_words(rig: &Rig, end: &End) -> String {
    let Some(c) = rig.component(&end.component) else { return end.address() };
    if c.kind.is_node() {
        return c.title().to_owned();
    }
    match c.ways.iter().find(|w| w.id == end.name) {
        Some(way) => {
            let label = way.label.as_deref().unwrap_or(&way.id);
            crate::say("ends.way-of", &[&c.title(), &label, &way.rating.text])
        }
        None => format!("{} {}", c.title(), end.name),
    }
}

/// The unit of a length that was typed without one.
pub(super) fn unit(context: &VisitContext) -> &'static str {
    if context.audit.profile.sizes_in.value == SizesIn::Gauge { "ft" } else { "m" }
}

/// What was typed, with its unit where it is a bare number; that of a count stands before it.
pub(super) fn with_unit(typed: &str, unit: &str) -> String {
    if !typed.chars().all(|c| c.is_ascii_digit() || c == '.' || c == ',') {
        return typed.to_owned();
    }
    let number = typed.replace(',', ".");
    if unit == "x" { format!("x{number}") } else { format!("{number}{unit}") }
}

/// A length: what was typed stands before the chip, and a bare number gets the unit of the profile.
pub(super) fn length(context: &VisitContext, chip: &str, typed: &str) -> String {
    if typed.is_empty() { chip.to_owned() } else { with_unit(typed, unit(context)) }
}

/// The printed name of a place, or the words for none.
pub(super) fn place_words(rig: &Rig, id: Option<&str>) -> String {
    let place = id.and_then(|id| rig.place(id));
    place.map_or_else(|| crate::t("ends.no-place").to_owned(), |p| p.label.clone().unwrap_or_else(|| p.id.clone()))
}

/// Saves an answer as a revision and goes on. Where somebody else has changed the trace meanwhile nothing is written, and the
/// same page is shown again on what is there now.
pub(super) async fn keep(
    app: &App,
    context: &VisitContext,
    base: i32,
    written: Written,
    to: &str,
    again: &str,
) -> Result<Response, AppError> {
    let kept = saved(app, context, base, &written).await?;
    Ok(Redirect::to(if kept { to } else { again }).into_response())
}

/// Saves an answer as a revision; false where somebody else has changed the trace meanwhile, and nothing is written.
pub(super) async fn saved(app: &App, context: &VisitContext, base: i32, written: &Written) -> Result<bool, AppError> {
    let text = print(&written.rig);
    if text == context.revision.text && base == context.revision.number {
        return Ok(true);
    }
    let note: String = written.lines.join(" / ").chars().take(200).collect();
    let note = if note.is_empty() { crate::t("ends.taken-out").to_owned() } else { note };
    let saved = app
        .store
        .save_revision(context.firm, context.visit.rig_id, base, &text, &note, context.person.id, app.clock.now())
        .await?;
    Ok(matches!(saved, Saved::As(_)))
}

/// Components with open ends, and how many, for the map.
pub(super) fn counted(all: &[End]) -> Vec<(String, usize)> {
    let mut list: Vec<(String, usize)> = Vec::new();
    for end in all.iter().filter(|e| e.is_open()) {
        match list.iter_mut().find(|(id, _)| *id == end.component) {
            Some((_, n)) => *n += 1,
            None => list.push((end.component.clone(), 1)),
        }
    }
    list
}

/// The map around a component, whose things lead to their ends.
pub(super) async fn near_map(context: &VisitContext, all: &[End], marked: Vec<String>) -> Result<String, AppError> {
    let audit = std::sync::Arc::clone(&context.audit);
    let open = counted(all);
    let link = format!("/visits/{}/ends/on?of={{}}", context.visit.id);
    let drawn = off_thread(move || {
        let options =
            MapOptions { link: Some(&link), marked: &marked, near: true, open: &open, ..MapOptions::default() };
        rig_map(&audit, &options)
    });
    drawn.await
}

/// One end of a list: its name in an address, and in words.
pub(super) struct EndRow {
    pub address: String,
    pub words: String,
}

pub(super) fn row(rig: &Rig, end: &End) -> EndRow {
    EndRow { address: urlencode(end.address()), words: in_words(rig, end) }
}

#[derive(Template)]
#[template(path = "ends.html")]
struct EndsPage {
    head: Head,
    base: i32,
    count: usize,
    next: Option<EndRow>,
    /// Open ends by place.
    places: Vec<(String, Vec<EndRow>)>,
    /// Ends that may stay empty.
    spare: Vec<EndRow>,
    unseen: usize,
    map: String,
    last: Option<String>,
    empty: bool,
    starters: Vec<(&'static str, &'static str)>,
    /// Other rigs of the firm to begin from: visit and name.
    like: Vec<(i64, String)>,
    own_places: Vec<(String, String)>,
    /// Words of a new place, by zone.
    zones: Vec<(&'static str, &'static str)>,
    kinds: Vec<(&'static str, Vec<(&'static str, &'static str)>)>,
}

/// Kinds that stand by themselves, by what they are to the rig.
pub(super) const STANDING: [(&str, &[Kind]); 4] = [
    (
        "ends.sources",
        &[Kind::Battery, Kind::Alternator, Kind::Array, Kind::Inlet, Kind::Generator, Kind::Tow, Kind::WindTurbine],
    ),
    ("ends.converters", &[Kind::InverterCharger, Kind::Inverter, Kind::Charger, Kind::DcDc, Kind::Controller]),
    (
        "ends.distribution",
        &[
            Kind::Bus,
            Kind::Chassis,
            Kind::FuseBlock,
            Kind::Panel,
            Kind::Rcbo,
            Kind::Rcd,
            Kind::Transfer,
            Kind::Isolator,
            Kind::Fuse,
            Kind::Shunt,
            Kind::JointBox,
        ],
    ),
    ("ends.consumers", &[Kind::DcLoad, Kind::AcLoad, Kind::Outlet, Kind::GfciOutlet, Kind::DcSocket]),
];

/// The words a place of a zone begins with.
fn zone_words(zone: &str) -> &'static str {
    match zone {
        "roof" => crate::t("ends.zone-roof"),
        "cabin" => crate::t("ends.zone-cabin"),
        "bay" => crate::t("ends.zone-bay"),
        "underfloor" => crate::t("ends.zone-underfloor"),
        "engine" => crate::t("ends.zone-engine"),
        "locker" => crate::t("ends.zone-locker"),
        "gas" => crate::t("ends.zone-gas"),
        "tow" => crate::t("ends.zone-tow"),
        _ => crate::t("ends.zone-outside"),
    }
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let rig = &context.rig;
    let all = ends(rig);
    let open: Vec<&End> = all.iter().filter(|e| e.is_open()).collect();
    let mut places: Vec<(String, Vec<EndRow>)> = Vec::new();
    for place in rig.places.iter().map(|p| Some(p.id.as_str())).chain([None]) {
        let here = |e: &&&End| rig.component(&e.component).is_some_and(|c| c.place.as_deref() == place);
        let rows: Vec<EndRow> = open.iter().filter(here).map(|e| row(rig, e)).collect();
        if !rows.is_empty() {
            places.push((place_words(rig, place), rows));
        }
    }
    let empty = rig.components.is_empty();
    let like = if empty { others(&app, &context).await? } else { Vec::new() };
    let audit = std::sync::Arc::clone(&context.audit);
    let marks = counted(&all);
    let map = off_thread(move || {
        let link = format!("/visits/{visit}/ends/on?of={{}}");
        rig_map(&audit, &MapOptions { link: Some(&link), open: &marks, ..MapOptions::default() })
    })
    .await?;
    html(&EndsPage {
        head: context.head("trace"),
        base: context.revision.number,
        count: open.len(),
        next: next_end(rig, &all, None).map(|e| row(rig, e)),
        places,
        spare: all.iter().filter(|e| e.landed == 0 && e.spare).map(|e| row(rig, e)).collect(),
        unseen: assumed(rig).len(),
        map,
        last: written_last(&context),
        empty,
        starters: STARTERS.iter().map(|s| (s.key, s.title)).collect(),
        like,
        own_places: rig.places.iter().map(|p| (p.id.clone(), place_words(rig, Some(&p.id)))).collect(),
        zones: ZONES.iter().map(|z| (*z, zone_words(z))).collect(),
        kinds: STANDING
            .iter()
            .map(|(group, kinds)| (crate::t(group), kinds.iter().map(|k| (k.word(), k.spec().title)).collect()))
            .collect(),
    })
}

/// Rigs of the firm's newest visits, for one to begin from.
async fn others(app: &App, context: &VisitContext) -> Result<Vec<(i64, String)>, AppError> {
    let visits = app.store.find_visits(context.firm, &murvet_store::Sought::default(), 12).await?;
    let mut list: Vec<(i64, String)> = Vec::new();
    for v in visits.into_iter().filter(|v| v.rig_id != context.visit.rig_id) {
        if !list.iter().any(|(_, name)| *name == v.rig_name) && list.len() < 6 {
            list.push((v.id, v.rig_name));
        }
    }
    Ok(list)
}

#[derive(Deserialize, Default)]
pub(crate) struct NearQuery {
    near: Option<String>,
}

/// Leads to the end to ask about next.
pub(crate) async fn next(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(q): Query<NearQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let all = ends(&context.rig);
    let to = match next_end(&context.rig, &all, q.near.as_deref()) {
        Some(end) => format!("/visits/{visit}/ends/at?end={}", urlencode(end.address())),
        None => format!("/visits/{visit}/ends"),
    };
    Ok(Redirect::to(&to).into_response())
}

#[derive(Template)]
#[template(path = "ends_on.html")]
struct OnPage {
    head: Head,
    id: String,
    title: String,
    kind: &'static str,
    place: String,
    open: Vec<EndRow>,
    taken: Vec<EndRow>,
    base: i32,
}

#[derive(Deserialize)]
pub(crate) struct OnQuery {
    of: String,
    /// Everything about it, though it has one end.
    all: Option<u8>,
}

/// The ends of one component; where it has one alone, straight to it.
pub(crate) async fn on(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(q): Query<OnQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let rig = &context.rig;
    let component = rig.component(&q.of).ok_or(AppError::NotFound)?;
    let (open, taken): (Vec<End>, Vec<End>) =
        ends(rig).into_iter().filter(|e| e.component == q.of).partition(|e| e.landed == 0);
    if let ([only], []) | ([], [only]) = (&open[..], &taken[..])
        && q.all.is_none()
    {
        let to = format!("/visits/{visit}/ends/at?end={}", urlencode(only.address()));
        return Ok(Redirect::to(&to).into_response());
    }
    html(&OnPage {
        head: context.head("trace"),
        id: q.of.clone(),
        title: component.title().to_owned(),
        kind: component.kind.spec().title,
        place: place_words(rig, component.place.as_deref()),
        open: open.iter().map(|e| row(rig, e)).collect(),
        taken: taken.iter().map(|e| row(rig, e)).collect(),
        base: context.revision.number,
    })
}

#[derive(Deserialize)]
pub(crate) struct AddForm {
    base: i32,
    kind: String,
    #[serde(default)]
    place: String,
}

/// A component that stands by itself.
pub(crate) async fn put(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<AddForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let kind = Kind::from_word(&form.kind).ok_or(AppError::NotFound)?;
    let place = context.rig.place(&form.place).map(|p| p.id.as_str());
    let written = add(&context.rig, kind, None, place).map_err(|e| AppError::BadInput(e.0))?;
    let made = written.made.clone().unwrap_or_default();
    let to = format!("/visits/{visit}/ends/plate?of={}&then=next", urlencode(made));
    keep(&app, &context, form.base, written, &to, &format!("/visits/{visit}/ends")).await
}

#[derive(Deserialize)]
pub(crate) struct PlaceForm {
    base: i32,
    zone: String,
}

/// A place of the vehicle, open to be looked into.
pub(crate) async fn place(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<PlaceForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let zone = ZONES.iter().find(|z| **z == form.zone).ok_or(AppError::NotFound)?;
    let mut after = Rig::clone(&context.rig);
    let taken = |id: &str| context.rig.place(id).is_some() || context.rig.component(id).is_some();
    let id = std::iter::once((*zone).to_owned())
        .chain((2..).map(|n| format!("{zone}{n}")))
        .find(|id| !taken(id))
        .unwrap_or_default();
    let label = Some(zone_words(zone).to_owned());
    after.places.push(Place {
        id,
        zone: Some((*zone).to_owned()),
        opened: Some("yes".to_owned()),
        label,
        ..Place::default()
    });
    let written = murvet_trace::written(&context.rig, &after, None).map_err(|e| AppError::BadInput(e.0))?;
    let to = format!("/visits/{visit}/ends#add");
    keep(&app, &context, form.base, written, &to, &to).await
}

#[derive(Deserialize)]
pub(crate) struct BeginForm {
    base: i32,
    #[serde(default)]
    starter: String,
    #[serde(default)]
    like: Option<i64>,
}

/// A rig that is everything but seen: a starter, or a rig of the firm's like this one.
pub(crate) async fn begin(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<BeginForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    if !context.rig.components.is_empty() {
        return Err(AppError::NotYet(crate::t("ends.only-at-the-start").to_owned()));
    }
    let name = context.visit.rig_name.clone();
    let text = match (starter(&form.starter), form.like) {
        (Some(starter), _) => starter.rig(&name, context.profile()),
        (None, Some(like)) => {
            let other = app.store.visit(context.firm, like).await?;
            app.store.latest_revision(context.firm, other.rig_id).await?.text
        }
        (None, None) => return Err(AppError::NotFound),
    };
    let broken = |e| AppError::Broken(format!("what a trace begins from cannot be read: {e:?}"));
    let mut rig = parse(&text).map_err(broken)?;
    rig.name = name;
    rig.profile = Some(context.profile());
    // What was seen on another rig was not seen on this one.
    assume(&mut rig);
    rig.remarks.clear();
    let mut written = murvet_trace::written(&context.rig, &rig, None).map_err(|e| AppError::BadInput(e.0))?;
    written.lines = vec![crate::say("ends.begun-from", &[&written.lines.len()])];
    let to = format!("/visits/{visit}/ends/seen");
    keep(&app, &context, form.base, written, &to, &format!("/visits/{visit}/ends")).await
}

#[derive(Deserialize)]
pub(crate) struct BackForm {
    base: i32,
}

/// Takes the last revision back: the one before it is saved again as the newest, so nothing is lost.
pub(crate) async fn back(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<BackForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let to = format!("/visits/{visit}/ends");
    if form.base != context.revision.number || form.base < 2 {
        return Ok(Redirect::to(&to).into_response());
    }
    let before = app.store.revision(context.firm, context.visit.rig_id, form.base - 1).await?;
    let note = crate::say("ends.taken-back", &[&context.revision.note]);
    let note: String = note.chars().take(200).collect();
    let (firm, rig) = (context.firm, context.visit.rig_id);
    app.store.save_revision(firm, rig, form.base, &before.text, &note, context.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&to).into_response())
}
