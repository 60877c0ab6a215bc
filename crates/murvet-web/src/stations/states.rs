//! States: set the controls, see what is live and where neutral meets earth.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread};
use crate::stations::readings::urlencode;
use askama::Template;
use axum::extract::{Path, Query, State as Shared};
use axum::response::Response;
use murvet_core::audit::Audit;
use murvet_core::catalogue::{Kind, SourceKind};
use murvet_core::faults::one_fault_away;
use murvet_core::readings::{circuits, fed_in};
use murvet_core::rules::{Context, islands_at};
use murvet_core::states::{Exploration, State, settle_at};
use murvet_draw::{MapOptions, Subsystem, position_sign, rig_map};
use std::sync::Arc;

/// States that are listed at most.
const MOST_STATES: usize = 160;

struct ControlRow {
    name: String,
    field: String,
    positions: Vec<(usize, String, bool)>,
}

/// A state as a row of the matrix, or several that differ in nothing but how the controls stand.
struct Row {
    number: usize,
    link: String,
    words: String,
    /// Of each control its sign and in words how it stands, and whether that is not as parked.
    marks: Vec<(String, String, bool)>,
    charging: String,
    feeds: String,
    meets: String,
    hazards: String,
    here: bool,
    /// How many more there are like it.
    alike: usize,
}

/// States that the same supplies feed.
struct Fed {
    by: String,
    rows: Vec<Row>,
}

#[derive(Template)]
#[template(path = "states.html", blocks = ["part"])]
struct StatesPage {
    head: Head,
    controls: Vec<ControlRow>,
    settled: bool,
    words: String,
    way: Vec<String>,
    autos: Vec<(String, String)>,
    live: Vec<(String, String)>,
    map: String,
    fed: Vec<Fed>,
    /// How many rows there are.
    shown: usize,
    /// Whether states that are alike stand each by itself.
    unfolded: bool,
    /// How many states are listed at most.
    most: usize,
    all: usize,
    complete: bool,
    stepped: Option<Stepped>,
    appliances: Vec<(String, bool)>,
    show: &'static str,
    running: Option<OnTogether>,
    /// Faults that bring something, when they are asked for: in words, the address and whether it is the one shown.
    faults: Option<Vec<(String, String, bool)>>,
    broken: Option<Broken>,
    circuits: Vec<(String, String, String)>,
}

/// One fault away, shown as if it had happened.
struct Broken {
    index: usize,
    words: String,
    brings: Vec<(String, String)>,
}

/// A finding stepped from parked, move by move.
struct Stepped {
    number: usize,
    statement: String,
    moves: Vec<(String, bool)>,
    at: usize,
    back: Option<String>,
    next: Option<String>,
    shows: bool,
}

/// What appliances that are on together bring about.
struct OnTogether {
    devices: Vec<(String, String, String, bool)>,
    sources: Vec<(String, String, bool)>,
    banks: Vec<(String, String)>,
    /// A load test of them, foretold: a line each.
    course: Vec<String>,
    dead: String,
}

/// The positions of the controls after so many operations of a way from parked.
fn after(audit: &Audit, way: &[String], moves: usize) -> Vec<u8> {
    let mut at = vec![0u8; audit.net.controls.len()];
    for operation in way.iter().take(moves) {
        for (position, control) in at.iter_mut().zip(&audit.net.controls) {
            if let Some(p) = control.operations.iter().position(|o| o == operation) {
                *position = p as u8;
            }
        }
    }
    at
}

fn stepped(audit: &Audit, key: &str, at: usize, with: &str) -> Option<(Stepped, Vec<u8>)> {
    let (index, f) = audit.findings.iter().enumerate().find(|(_, f)| f.key() == key)?;
    let at = at.min(f.way.len());
    let link = |at: usize| format!("?{with}finding={}&move={at}", urlencode(key));
    let page = Stepped {
        number: index + 1,
        statement: f.statement.clone(),
        moves: f.way.iter().enumerate().map(|(n, w)| (w.clone(), n < at)).collect(),
        at,
        back: at.checked_sub(1).map(link),
        next: (at < f.way.len()).then(|| link(at + 1)),
        shows: at == f.way.len(),
    };
    Some((page, after(audit, &f.way, at)))
}

fn together(audit: &Audit, state: &State, on: &[&str], minutes: f64) -> OnTogether {
    let r = murvet_core::capacity::running(audit, state, on);
    let amps = |a: f64| format!("{} A", murvet_core::units::short(a));
    let devices =
        r.devices.iter().map(|d| (d.name.clone(), amps(d.amps), d.verdict(), d.amps > d.rating_a * (1.0 + 1e-9)));
    let sources = r.sources.iter().map(|s| {
        let of = if s.limit_a.is_finite() { format!("{} of {}", amps(s.amps), amps(s.limit_a)) } else { amps(s.amps) };
        (s.name.clone(), of, s.amps > s.limit_a * (1.0 + 1e-9))
    });
    let banks = r.banks.iter().map(|b| (format!("{}: {}", b.name, amps(b.amps)), b.verdict()));
    let course = murvet_core::capacity::course(audit, state, on, minutes);
    let course = course.map_or_else(Vec::new, |c| {
        c.lines().into_iter().chain([c.joints(), murvet_core::capacity::PROVES_NOT.to_owned()]).collect()
    });
    OnTogether {
        course,
        devices: devices.collect(),
        sources: sources.collect(),
        banks: banks.collect(),
        dead: r.dead.join(", "),
    }
}

fn kind_words(kind: SourceKind) -> &'static str {
    match kind {
        SourceKind::Battery => "battery",
        SourceKind::Alternator => "alternator",
        SourceKind::Tow => crate::t("states.tow-vehicle"),
        SourceKind::Array => "array",
        SourceKind::Wind => "wind",
        SourceKind::Shore => "shore",
        SourceKind::Generator => "generator",
        SourceKind::Inverter => "inverting",
        SourceKind::Charger => "charging",
        SourceKind::DcDc => crate::t("states.dc-dc-charging"),
        SourceKind::Controller => crate::t("states.solar-charging"),
    }
}

/// Whether a source feeds the rig from outside or out of a store; the others only charge one.
fn supplies(kind: SourceKind) -> bool {
    match kind {
        SourceKind::Alternator | SourceKind::Tow | SourceKind::Shore | SourceKind::Generator | SourceKind::Inverter => {
            true
        }
        SourceKind::Battery
        | SourceKind::Array
        | SourceKind::Wind
        | SourceKind::Charger
        | SourceKind::DcDc
        | SourceKind::Controller => false,
    }
}

/// The sources of a state that supply, or those that charge, each once.
fn running(audit: &Audit, state: &State, supply: bool) -> String {
    let mut list: Vec<String> = Vec::new();
    for (_, s) in audit.net.sources.iter().enumerate().filter(|(i, s)| {
        state.live.active[*i]
            && !matches!(s.kind, SourceKind::Battery | SourceKind::Array)
            && supplies(s.kind) == supply
    }) {
        let words = format!("{} ({})", audit.assumed.components[s.component].id, kind_words(s.kind));
        if !list.contains(&words) {
            list.push(words);
        }
    }
    list.join(", ")
}

/// The address of a state on this page.
pub(crate) fn link_of(state: &State, with: &str) -> String {
    let parts: Vec<String> = state.setting.controls.iter().enumerate().map(|(n, at)| format!("c{n}={at}")).collect();
    format!("?{with}{}", parts.join("&"))
}

/// Of each control how it stands in a state: its sign, in words, and whether that is not as parked.
fn marks(audit: &Audit, state: &State) -> Vec<(String, String, bool)> {
    let controls = audit.net.controls.iter().zip(&state.setting.controls);
    let mark = |(c, at): (&murvet_core::network::Control, &u8)| {
        let at = usize::from(*at);
        (position_sign(c.codes[at]).to_owned(), format!("{} {}", c.name, c.positions[at]), at > 0)
    };
    controls.map(mark).collect()
}

/// The states by what feeds the rig, those that differ in nothing but how the controls stand in one row, the first to be reached
/// for all; and how many rows there are.
fn matrix(ctx: &Context, audit: &Audit, chosen: &[u8], with: &str, unfolded: bool) -> (Vec<Fed>, usize) {
    let (mut fed, mut shown): (Vec<Fed>, usize) = (Vec::new(), 0);
    for (index, state) in audit.states.states.iter().enumerate().take(MOST_STATES) {
        let here = islands_at(ctx, index);
        let feeds: Vec<String> = here
            .iter()
            .map(|i| {
                let fed = murvet_core::rules::fed(ctx, i.state, i.source);
                let names: Vec<&str> = fed.iter().map(|p| audit.assumed.components[*p].id.as_str()).collect();
                let source = &audit.assumed.components[audit.net.sources[i.source].component].id;
                format!("{source}: {}", if names.is_empty() { "nothing".to_owned() } else { names.join(", ") })
            })
            .collect();
        let mut meets: Vec<String> = here.iter().map(murvet_core::rules::meeting_lines).collect();
        meets.dedup();
        let found = audit.findings.iter().enumerate().filter(|(_, f)| f.way == state.way);
        let row = Row {
            number: index + 1,
            link: link_of(state, with),
            words: state.describe(&audit.net),
            marks: marks(audit, state),
            charging: running(audit, state, false),
            feeds: feeds.join("; "),
            meets: meets.join("; "),
            hazards: found.map(|(n, f)| format!("{} {}", n + 1, f.rule.slug)).collect::<Vec<_>>().join(", "),
            here: state.setting.controls == chosen,
            alike: 0,
        };
        let by = running(audit, state, true);
        let by = if by.is_empty() { crate::t("states.batteries-only").to_owned() } else { by };
        let at = fed.iter().position(|g| g.by == by).unwrap_or_else(|| {
            fed.push(Fed { by, rows: Vec::new() });
            fed.len() - 1
        });
        let same = |r: &&mut Row| {
            (&r.charging, &r.feeds, &r.meets) == (&row.charging, &row.feeds, &row.meets)
                && row.hazards.is_empty()
                && !unfolded
        };
        match fed[at].rows.iter_mut().find(same) {
            Some(known) => {
                known.alike += 1;
                known.here |= row.here;
            }
            None => {
                shown += 1;
                fed[at].rows.push(row);
            }
        }
    }
    (fed, shown)
}

/// Appliances and chargers that can be switched on, each once.
fn appliances(audit: &Audit) -> Vec<&str> {
    let mut ids: Vec<&str> = Vec::new();
    for c in &audit.net.consumers {
        let p = &audit.assumed.components[c.component];
        if matches!(p.kind, Kind::AcLoad | Kind::DcLoad | Kind::Charger) && !ids.contains(&p.id.as_str()) {
            ids.push(&p.id);
        }
    }
    ids
}

pub(crate) async fn show(
    Shared(app): Shared<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(query): Query<Vec<(String, String)>>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let head = context.head("states");
    let audit = context.audit;
    let part = query.iter().any(|(k, _)| k == "part");
    let page = off_thread(move || {
        let asked = |key: &str| query.iter().find(|(k, _)| k == key).map(|(_, v)| v.as_str());
        // A fault stands for the whole page: controls, map and table are those of the rig that has it.
        let faults = asked("fault").map(|_| one_fault_away(&audit));
        let index = asked("fault").and_then(|n| n.parse::<usize>().ok());
        let fault = faults.as_ref().zip(index).and_then(|(list, n)| Some((n, list.get(n)?)));
        let broken = fault.map(|(n, f)| Broken {
            index: n,
            words: f.fault.clone(),
            brings: f
                .findings
                .iter()
                .map(|b| (b.statement.clone(), format!("?fault={n}&finding={}&move=0", urlencode(b.key()))))
                .collect(),
        });
        let audit = fault.map_or_else(|| audit.clone(), |(_, f)| Arc::new(audit.after(&f.rig).into()));
        let listed = faults.as_ref().map(|list| {
            let row = |(n, f): (usize, &murvet_core::faults::OneFault)| {
                (f.fault.clone(), format!("?fault={n}"), Some(n) == index)
            };
            list.iter().enumerate().map(row).collect()
        });
        let with = index.map_or(String::new(), |n| format!("fault={n}&"));
        let net = &audit.net;
        // An unknown or impossible position counts as parked.
        let mut chosen: Vec<u8> = net
            .controls
            .iter()
            .enumerate()
            .map(|(n, c)| {
                let at = asked(&format!("c{n}")).and_then(|v| v.parse::<u8>().ok()).unwrap_or(0);
                if usize::from(at) < c.positions.len() { at } else { 0 }
            })
            .collect();
        let moves = asked("move").and_then(|v| v.parse::<usize>().ok()).unwrap_or(0);
        let stepped = asked("finding").and_then(|key| stepped(&audit, key, moves, &with)).map(|(page, controls)| {
            chosen = controls;
            page
        });
        let on: Vec<&str> = query.iter().filter(|(k, _)| k == "on").map(|(_, v)| v.as_str()).collect();
        let minutes = asked("minutes").and_then(|v| v.parse::<f64>().ok()).filter(|m| (1.0..=1440.0).contains(m));
        let minutes = minutes.unwrap_or(murvet_core::capacity::HALF_HOUR);
        let state = settle_at(net, &chosen);
        let ctx = audit.context();
        let controls = net
            .controls
            .iter()
            .enumerate()
            .map(|(n, c)| ControlRow {
                name: c.name.clone(),
                field: format!("c{n}"),
                positions: c
                    .positions
                    .iter()
                    .enumerate()
                    .map(|(p, words)| (p, words.clone(), usize::from(chosen[n]) == p))
                    .collect(),
            })
            .collect();
        let unfolded = asked("unfold").is_some();
        let (fed, shown) = matrix(&ctx, &audit, &chosen, &with, unfolded);
        let mut page = StatesPage {
            head,
            fed,
            shown,
            unfolded,
            most: MOST_STATES,
            controls,
            settled: state.is_some(),
            words: String::new(),
            way: Vec::new(),
            autos: Vec::new(),
            live: Vec::new(),
            map: String::new(),
            all: audit.states.states.len(),
            complete: audit.states.complete,
            stepped,
            appliances: appliances(&audit).into_iter().map(|id| (id.to_owned(), on.contains(&id))).collect(),
            show: Subsystem::asked(asked("show")).word(),
            faults: listed,
            broken,
            circuits: Vec::new(),
            running: state.as_ref().filter(|_| !on.is_empty()).map(|s| together(&audit, s, &on, minutes)),
        };
        let subsystem = Subsystem::asked(asked("show"));
        if let Some(state) = &state {
            page.words = state.describe(net);
            page.way.clone_from(&state.way);
            page.autos = net
                .autos
                .iter()
                .zip(&state.setting.autos)
                .map(|(a, at)| {
                    (audit.assumed.components[a.component].id.clone(), a.positions[usize::from(*at)].clone())
                })
                .collect();
            page.live = live_lines(&audit, state);
            let fed = |c: &murvet_core::readings::Circuit| {
                let by = fed_in(&audit, c, state).unwrap_or_else(|| "dead".to_owned());
                let label = if c.label.is_empty() { c.feeds.join(", ") } else { c.label.clone() };
                (c.device.clone(), label, by)
            };
            page.circuits = circuits(&audit).iter().map(fed).collect();
            let link = format!("/visits/{visit}/component/{{}}");
            let moved = moved_on(&audit, &chosen, &with, subsystem);
            page.map = rig_map(
                &audit,
                &MapOptions {
                    subsystem,
                    state: Some(state),
                    findings: &audit.findings,
                    link: Some(&link),
                    controls: &moved,
                    ..MapOptions::default()
                },
            );
        }
        page
    })
    .await?;
    if part {
        return html(&page.as_part());
    }
    html(&page)
}

/// Where each component that a person can operate leads on the map: its control one position on. One that has several
/// controls is operated from the list of controls.
fn moved_on(audit: &Audit, chosen: &[u8], with: &str, show: Subsystem) -> Vec<(String, String, String)> {
    let net = &audit.net;
    let mut list = Vec::new();
    for (n, control) in net.controls.iter().enumerate() {
        let Some(component) = control.component else { continue };
        if net.controls.iter().filter(|c| c.component == Some(component)).count() > 1 {
            continue;
        }
        let positions = control.positions.len();
        let next = (usize::from(chosen[n]) + 1) % positions.max(1);
        let at = |c: usize| if c == n { next } else { usize::from(chosen[c]) };
        let settings: Vec<String> =
            (0..chosen.len()).filter(|c| at(*c) != 0).map(|c| format!("c{c}={}", at(c))).collect();
        let show = if show == Subsystem::All { String::new() } else { format!("&show={}", show.word()) };
        let id = audit.assumed.components[component].id.clone();
        list.push((
            id,
            format!("?{with}{}{show}", settings.join("&")),
            control.positions[usize::from(chosen[n])].clone(),
        ));
    }
    list
}

/// What each running source makes live, and where its neutral meets earth.
fn live_lines(audit: &Audit, state: &State) -> Vec<(String, String)> {
    let net = &audit.net;
    let single = Exploration { states: vec![state.clone()], complete: true, ..Exploration::default() }.into();
    let ctx = Context::new(&audit.assumed, &audit.rules, net, &single);
    let islands = islands_at(&ctx, 0);
    let mut lines = Vec::new();
    for (i, s) in net.sources.iter().enumerate().filter(|(i, _)| state.live.active[*i]) {
        let name = format!("{} ({})", audit.assumed.components[s.component].id, kind_words(s.kind));
        let mut components: Vec<&str> = Vec::new();
        for (n, node) in net.nodes.iter().enumerate() {
            let duty = matches!(node.duty, murvet_core::catalogue::Role::Plus | murvet_core::catalogue::Role::Line);
            if let Some(p) = node.component
                && duty
                && state.live.part[n] == state.live.part[s.plus]
            {
                let id = audit.assumed.components[p].id.as_str();
                if p != s.component && !components.contains(&id) {
                    components.push(id);
                }
            }
        }
        let mut text = if components.is_empty() { "nothing".to_owned() } else { components.join(", ") };
        if s.kind.is_ac() {
            let meets = islands.iter().find(|x| x.source == i).map_or_else(
                || crate::t("states.two-sources-on-one-conductor").to_owned(),
                murvet_core::rules::meeting_lines,
            );
            text = crate::say("states.neutral-meets-earth-2", &[&text, &meets]);
        }
        lines.push((name, text));
    }
    lines
}
