//! What lands here? One end, one answer.

use super::{EndRow, in_words, keep, length, near_map, place_words, row, unit, written_last};
use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html};
use crate::stations::readings::urlencode;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use murvet_core::catalogue::{Core, Kind, Role};
use murvet_core::rig::{Cable, Conductor, Landing, LooseEnd, Provenance, Value};
use murvet_trace::{
    End, FarEnd, Joined, Takes, cable_goes_on, ends, far_ends, fellow, goes_on, land as write, last_conductor,
    may_follow, plug_in, set_plate, written,
};
use serde::Deserialize;

/// So many likely ends are offered at once.
const LIKELY: usize = 6;

/// What is chosen of a conductor or a cable, as text.
#[derive(Default, Clone)]
struct Chosen {
    length: String,
    typed: String,
    size: String,
    colour: String,
    insulation: String,
    via: Vec<String>,
    known: String,
    cores: String,
    flex: bool,
    landed: String,
    bolted: bool,
}

/// A button: what it sends, what it says, and the small print.
struct Offer {
    value: String,
    words: String,
    small: String,
}

#[derive(Template)]
#[template(path = "end.html")]
struct QuestionPage {
    head: Head,
    base: i32,
    end: EndRow,
    address: String,
    polarity: &'static str,
    place: String,
    cable: bool,
    /// Cable or conductor has to be said: nothing stands on the device yet.
    either: bool,
    chosen: Chosen,
    /// What was traced last.
    as_last: Option<Chosen>,
    lengths: Vec<String>,
    sizes: Vec<String>,
    colours: Vec<String>,
    more_colours: Vec<String>,
    insulations: Vec<String>,
    places: Vec<(String, String)>,
    unit: &'static str,
    likely: Vec<Offer>,
    others: Vec<(String, Vec<Offer>)>,
    devices: Vec<Offer>,
    appliances: Vec<Offer>,
    things: Vec<Offer>,
    /// Appliances that may be plugged in, where this is an outlet.
    plugs: Vec<&'static str>,
    /// The component, for what else there is to say of it.
    component: String,
    landings: Vec<(&'static str, &'static str)>,
    loose: Vec<(&'static str, &'static str)>,
    start: String,
    picture: String,
    last: Option<String>,
    problem: Option<String>,
    left: usize,
}

/// How the cores of a cable land.
const LANDINGS: [(&str, &str); 4] = [
    ("like", "ends.like-to-like"),
    ("reversed", "ends.line-neutral-exchanged"),
    ("earth-off", "ends.earth-not-landed"),
    ("crossed", "ends.neutral-earth-exchanged"),
];

fn map_of(landed: &str) -> Vec<Landing> {
    let two = |a, b| vec![Landing { from: a, to: Some(b) }, Landing { from: b, to: Some(a) }];
    match landed {
        "reversed" => two(Core::L, Core::N),
        "crossed" => two(Core::N, Core::PE),
        "earth-off" => vec![Landing { from: Core::PE, to: None }],
        _ => Vec::new(),
    }
}

/// How an end that goes nowhere is found.
const LOOSE: [(LooseEnd, &str); 4] = [
    (LooseEnd::Unseen, "ends.loose-unseen"),
    (LooseEnd::Capped, "ends.loose-capped"),
    (LooseEnd::Taped, "ends.loose-taped"),
    (LooseEnd::Bare, "ends.loose-bare"),
];

/// Names of appliances for one tap, by whether they run on mains.
pub(super) const ON_DC: [&str; 8] = [
    "ends.lights",
    "ends.water-pump",
    "ends.fridge",
    "ends.fan",
    "ends.heater-fan",
    "ends.usb-sockets",
    "ends.step",
    "ends.gas-alarm",
];
const ON_AC: [&str; 5] =
    ["ends.water-heater", "ends.fridge", "ends.air-conditioner", "ends.microwave", "ends.television"];

/// What is often plugged into an outlet.
const PLUGGED: [&str; 5] = ["ends.kettle", "ends.television", "ends.computer", "ends.microwave", "ends.charger"];

/// Kinds of device that stand in cables more often than in single conductors.
fn usually_cabled(kind: Kind) -> bool {
    matches!(kind, Kind::Rcbo | Kind::Rcd | Kind::Guard | Kind::AcContactor)
}

fn end_of(context: &VisitContext, address: &str) -> Result<(Vec<End>, End), AppError> {
    let all = ends(&context.rig);
    let found = all.iter().find(|e| e.address() == address).cloned().ok_or(AppError::NotFound)?;
    Ok((all, found))
}

fn is_cable(context: &VisitContext, end: &End, asked: Option<&str>) -> bool {
    let kind = context.rig.component(&end.component).map(|c| c.kind);
    match (end.takes, asked) {
        (Takes::Cable(_), _) => true,
        (Takes::Conductor, _) => false,
        (Takes::Either, Some(word)) => word == "cable",
        (Takes::Either, None) => kind.is_some_and(usually_cabled),
    }
}

/// Nothing seen, in the usual colour of an end.
fn unseen(end: &End) -> Chosen {
    Chosen {
        length: "?".to_owned(),
        size: "?".to_owned(),
        cores: "3".to_owned(),
        landed: "like".to_owned(),
        colour: murvet_trace::colours(end.role)[0].to_owned(),
        ..Chosen::default()
    }
}

fn as_conductor(end: &End, c: &Conductor) -> Chosen {
    Chosen {
        length: c.length.text.clone(),
        size: c.size.text.clone(),
        insulation: c.insulation.as_ref().map(|v| v.text.clone()).unwrap_or_default(),
        ..unseen(end)
    }
}

fn as_cable(end: &End, c: &Cable) -> Chosen {
    Chosen {
        length: c.length.text.clone(),
        size: c.size.text.clone(),
        cores: c.cores.to_string(),
        flex: c.flex,
        ..unseen(end)
    }
}

/// What is chosen before anything is tapped: a return like its fellow, and the size in which a line goes on. All else is not
/// seen until it is.
fn suggested(context: &VisitContext, end: &End, cable: bool) -> Chosen {
    let rig = &context.rig;
    if cable {
        let on = cable_goes_on(rig, end).map(|c| Chosen { length: "?".to_owned(), ..as_cable(end, c) });
        return on.unwrap_or_else(|| unseen(end));
    }
    match fellow(rig, end) {
        Some((_, c)) => Chosen { via: c.via.clone(), ..as_conductor(end, &c) },
        None => goes_on(rig, end).map_or_else(|| unseen(end), |c| as_conductor(end, &c)),
    }
}

/// What was traced last, for one tap.
fn last(context: &VisitContext, end: &End, cable: bool) -> Option<Chosen> {
    if cable {
        context.rig.cables.last().map(|c| as_cable(end, c))
    } else {
        last_conductor(&context.rig).map(|c| as_conductor(end, c))
    }
}

async fn page(
    context: &VisitContext,
    address: &str,
    asked: Option<&str>,
    kept: Option<Chosen>,
    problem: Option<String>,
) -> Result<Response, AppError> {
    let rig = &context.rig;
    let (all, end) = end_of(context, address)?;
    let cable = is_cable(context, &end, asked);
    let profile = &context.audit.profile;
    let chosen = kept.unwrap_or_else(|| suggested(context, &end, cable));
    let takes = if cable { end.as_port() } else { end.clone() };
    let far = far_ends(rig, &all, &takes);
    let offer = |e: &End| {
        let place = rig.component(&e.component).and_then(|c| c.place.as_deref());
        Offer {
            value: format!("there|{}|{}", e.component, e.name),
            words: in_words(rig, e),
            small: place_words(rig, place),
        }
    };
    let mut likely: Vec<Offer> = Vec::new();
    let mut others: Vec<(String, Vec<Offer>)> = Vec::new();
    for f in &far {
        if f.likely && likely.len() < LIKELY {
            likely.push(offer(&f.end));
            continue;
        }
        let o = offer(&f.end);
        match others.iter_mut().find(|(place, _)| *place == o.small) {
            Some((_, list)) => list.push(o),
            None => others.push((o.small.clone(), vec![o])),
        }
    }
    let (devices, things) = may_follow(&takes);
    let kinds = |list: &[murvet_trace::Follower]| -> Vec<Offer> {
        let twice = |kind: Kind| list.iter().filter(|f| f.kind == kind).count() > 1;
        list.iter()
            .map(|f| {
                let title = f.kind.spec().title;
                let words = if twice(f.kind) { format!("{title} ({})", f.end) } else { title.to_owned() };
                Offer { value: format!("new|{}|{}", f.kind.word(), f.end), words, small: String::new() }
            })
            .collect()
    };
    let named = |kind: &str, end: &str, name: &str| Offer {
        value: format!("new|{kind}|{end}|{name}"),
        words: name.to_owned(),
        small: String::new(),
    };
    // An alarm is vital whatever is printed on it.
    let appliance = |kind: &str, end: &str, key: &'static str| {
        let mut offer = named(kind, end, crate::t(key));
        if key == "ends.gas-alarm" {
            offer.value.push_str("|vital");
        }
        offer
    };
    let mut appliances: Vec<Offer> = Vec::new();
    let host = rig.component(&end.component);
    let way = host.and_then(|c| c.ways.iter().find(|w| w.id == end.name));
    let outlet = host.is_some_and(|c| matches!(c.kind, Kind::Outlet | Kind::GfciOutlet));
    let on = if cable { ("ac-load", "ac", &ON_AC[..]) } else { ("dc-load", "+", &ON_DC[..]) };
    if takes.role == Role::Plus && !takes.sun || (cable && !outlet && things.iter().any(|f| f.kind == Kind::AcLoad)) {
        let mut usual: Vec<Offer> = on.2.iter().map(|key| appliance(on.0, on.1, key)).collect();
        // What the label of the way says comes first.
        if let Some(label) = way.and_then(|w| w.label.as_deref()) {
            let known = usual.iter().position(|o| o.words == label).map(|n| usual.remove(n));
            appliances.push(known.unwrap_or_else(|| named(on.0, on.1, label)));
        }
        appliances.extend(usual);
    }
    let own = |list: Vec<String>, now: &str| -> Vec<String> {
        let mut list = list;
        if now != "?" && !now.is_empty() && !list.iter().any(|v| v == now) {
            list.insert(0, now.to_owned());
        }
        list
    };
    let colours: Vec<String> = murvet_trace::colours(end.role).into_iter().map(str::to_owned).collect();
    let colours = own(colours, &chosen.colour);
    let (colours, more_colours) = colours.split_at(4.min(colours.len()));
    let picture = near_map(context, &all, vec![end.component.clone()]).await?;
    let start = if cable { format!("cable {}", end.address()) } else { format!("run {} :", end.address()) };
    html(&QuestionPage {
        head: context.head("trace"),
        base: context.revision.number,
        address: end.address(),
        polarity: if cable { "" } else { takes.role.word() },
        place: place_words(rig, host.and_then(|c| c.place.as_deref())),
        cable,
        either: end.takes == Takes::Either,
        as_last: last(context, &end, cable),
        lengths: own(murvet_trace::lengths(rig, profile, cable), &chosen.length),
        sizes: own(murvet_trace::sizes(rig, profile, cable), &chosen.size),
        colours: colours.to_vec(),
        more_colours: more_colours.to_vec(),
        insulations: murvet_trace::insulations().into_iter().map(str::to_owned).collect(),
        places: rig.places.iter().map(|p| (p.id.clone(), place_words(rig, Some(&p.id)))).collect(),
        unit: unit(context),
        likely,
        others,
        devices: kinds(devices),
        things: kinds(things)
            .into_iter()
            .filter(|o| appliances.is_empty() || o.value != format!("new|{}|{}", on.0, on.1))
            .collect(),
        appliances,
        plugs: if outlet { PLUGGED.iter().map(|key| crate::t(key)).collect() } else { Vec::new() },
        component: urlencode(&end.component),
        landings: LANDINGS.iter().map(|(word, key)| (*word, crate::t(key))).collect(),
        loose: LOOSE.iter().map(|(end, key)| (end.word(), crate::t(key))).collect(),
        start,
        picture,
        last: written_last(context),
        problem,
        left: all.iter().filter(|e| e.is_open()).count(),
        end: row(rig, &end),
        chosen,
    })
}

#[derive(Deserialize)]
pub(crate) struct AskQuery {
    end: String,
    #[serde(rename = "as")]
    taken: Option<String>,
    /// The rig was changed elsewhere, and the answer not written.
    changed: Option<u8>,
}

pub(crate) async fn ask(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(q): Query<AskQuery>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let problem = q.changed.map(|_| crate::t("ends.changed-elsewhere").to_owned());
    page(&context, &q.end, q.taken.as_deref(), None, problem).await
}

/// Fields of the form by name; `via` may stand more than once.
struct Fields(Vec<(String, String)>);

impl Fields {
    fn get(&self, key: &str) -> &str {
        self.0.iter().find(|(k, _)| k == key).map_or("", |(_, v)| v.trim())
    }
}

pub(crate) async fn land(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(fields): Typed<Vec<(String, String)>>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let fields = Fields(fields);
    let base: i32 = fields.get("base").parse().unwrap_or(0);
    let address = fields.get("end").to_owned();
    let (all, end) = end_of(&context, &address)?;
    let asked = fields.get("as").to_owned();
    let cable = is_cable(&context, &end, Some(&asked).filter(|a| !a.is_empty()).map(String::as_str));
    let get = |key: &str| fields.get(key).to_owned();
    let chosen = Chosen {
        length: get("length"),
        typed: get("typed"),
        size: get("size"),
        colour: get("colour"),
        insulation: get("insulation"),
        via: fields.0.iter().filter(|(k, v)| k == "via" && !v.is_empty()).map(|(_, v)| v.clone()).collect(),
        known: get("known"),
        cores: get("cores"),
        flex: !fields.get("flex").is_empty(),
        landed: get("landed"),
        bolted: !fields.get("bolted").is_empty(),
    };
    let from = if cable { end.as_port() } else { end.clone() };
    let answer = match fields.get("far").split_once('|') {
        Some(("plug", label)) => plug_in(&context.rig, &end.component, label).map_err(|e| e.0),
        _ => joined(&context, &chosen, cable).and_then(|joined| {
            let far = far_end(&context, &all, &end, fields.get("far"))?;
            let w = write(&context.rig, &from, joined, far).map_err(|e| e.0)?;
            match (fields.get("far").split('|').nth(4), &w.made) {
                (Some(flag), Some(made)) => {
                    let flagged = set_plate(&w.rig, made, &[(flag.to_owned(), Some("yes".to_owned()))]);
                    let flagged = flagged.map_err(|e| e.0)?.rig;
                    written(&context.rig, &flagged, w.made).map_err(|e| e.0)
                }
                _ => Ok(w),
            }
        }),
    };
    match answer {
        Err(problem) => {
            let page = page(&context, &address, Some(&asked), Some(chosen), Some(problem)).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Ok(written) => {
            let near = match fields.get("far").split('|').collect::<Vec<_>>()[..] {
                ["there", component, _] => Some(component),
                _ => None,
            };
            let to = match (&written.made, near) {
                (Some(made), _) => format!("/visits/{visit}/ends/plate?of={}&then=next", urlencode(made)),
                (None, Some(near)) => {
                    // From an appliance on: the way that feeds it is what one stands before.
                    let own = murvet_trace::ends(&written.rig);
                    let open = own.iter().any(|e| e.is_open() && e.component == end.component);
                    let device = written.rig.component(near).is_some_and(|c| c.kind.is_inline());
                    let near = if device || !open && own.iter().any(|e| e.is_open() && e.component == near) {
                        near
                    } else {
                        &end.component
                    };
                    format!("/visits/{visit}/ends/next?near={}", urlencode(near))
                }
                _ => format!("/visits/{visit}/ends/next?near={}", urlencode(&end.component)),
            };
            let again = format!("/visits/{visit}/ends/at?end={}&changed=1", urlencode(&address));
            keep(&app, &context, base, written, &to, &again).await
        }
    }
}

/// The conductor or cable that the fields describe.
fn joined(context: &VisitContext, chosen: &Chosen, cable: bool) -> Result<Joined, String> {
    let length = length(context, &chosen.length, &chosen.typed);
    let known = Provenance::ALL.into_iter().find(|p| p.word() == chosen.known);
    let value = |text: &str| -> Result<Value, String> {
        let text = if text.is_empty() { "?" } else { text };
        let value: Value = text.parse()?;
        Ok(Value { from: value.from.or(known).filter(|_| !value.is_unseen()), ..value })
    };
    let (length, size) = (value(&length)?, value(&chosen.size)?);
    if cable {
        let cores = chosen.cores.parse().unwrap_or(3);
        return Ok(Joined::Cable { cores, length, size, flex: chosen.flex, map: map_of(&chosen.landed) });
    }
    if chosen.bolted {
        return Ok(Joined::Bolted);
    }
    let some = |text: &str| Some(text.to_owned()).filter(|t| !t.is_empty());
    Ok(Joined::Conductor(Box::new(Conductor {
        length,
        size,
        colour: some(&chosen.colour),
        insulation: some(&chosen.insulation).map(Value::new),
        via: chosen.via.clone(),
        ..Conductor::new("?", "?")
    })))
}

/// The far end that a button names.
fn far_end(context: &VisitContext, all: &[End], from: &End, far: &str) -> Result<FarEnd, String> {
    let parts: Vec<&str> = far.split('|').collect();
    let not_said = || crate::t("ends.say-where-it-goes").to_owned();
    match parts[..] {
        ["there", component, name] => {
            let found = all.iter().find(|e| e.component == component && e.name == name);
            found.cloned().map(FarEnd::There).ok_or_else(|| crate::t("ends.changed-elsewhere").to_owned())
        }
        ["new", kind, end, ..] => {
            let kind = Kind::from_word(kind).ok_or_else(not_said)?;
            let place = context.rig.component(&from.component).and_then(|c| c.place.clone());
            Ok(FarEnd::New { kind, end: end.to_owned(), label: parts.get(3).map(|l| (*l).to_owned()), place })
        }
        ["loose", word] => LooseEnd::parse(word).map(FarEnd::Loose).ok_or_else(not_said),
        _ => Err(not_said()),
    }
}
