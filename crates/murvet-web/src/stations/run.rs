//! One conductor's path: laid out to scale, its devices' curves, and what each length loses.

use crate::App;
use crate::audits::Made;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread, outcome};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use murvet_core::catalogue::{Kind, Role};
use murvet_core::network::EdgeKind;
use murvet_core::profiles::resistance_ohm_per_m;
use murvet_core::readings::{Outcome, value_words};
use murvet_core::units::short;
use murvet_draw::{PlacedReading, device_curves, run_profile};
use murvet_store::Reading;
use serde::Deserialize;

#[derive(Template)]
#[template(path = "run.html")]
struct RunPage {
    head: Head,
    wires: Vec<(String, String, bool)>,
    profile: Option<String>,
    curves: Option<String>,
    facts: Vec<(&'static str, String)>,
    steps: Vec<String>,
    source: String,
    findings: Vec<(usize, String)>,
}

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
    wire: Option<String>,
}

/// The latest reading of every test, at the terminals its test names.
fn placed(audit: &Made, readings: &[Reading]) -> Vec<PlacedReading> {
    let mut list = Vec::new();
    for test in audit.tests() {
        let Some(r) = readings.iter().rfind(|r| r.test == test.id) else { continue };
        let words = value_words(r.value, &r.unit);
        let failed = outcome(r) == Outcome::Fail;
        // What is lost on the way to something belongs to its end, not to the bank that every way starts from.
        let lost = test.id.kind.is_loss();
        let bank = |t: &str| {
            let id = t.split('.').next().unwrap_or_default();
            audit.assumed.component(id).is_some_and(|p| p.kind == Kind::Battery)
        };
        let named = test.terminals.split_whitespace().filter(|t| t.contains('.') && !(lost && bank(t)));
        list.extend(named.map(|t| PlacedReading { terminal: t.to_owned(), words: words.clone(), failed }));
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
    let readings = app.store.readings(context.firm, visit).await?;
    let audit = context.audit;
    let page = off_thread(move || {
        let net = &audit.net;
        let ctx = audit.context();
        let live = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Line);
        let forward = net.edges.iter().filter_map(|e| match e.what {
            EdgeKind::Wire(w) if live(e.a) || live(e.b) => Some(w),
            _ => None,
        });
        let forward: Vec<usize> = forward.collect();
        let chosen = forward.iter().copied().find(|w| asked.wire.as_ref() == Some(&net.wires[*w].key));
        let chosen = chosen.or_else(|| forward.first().copied());
        let named = |w: &usize| {
            let wire = &net.wires[*w];
            (wire.key.clone(), format!("{} ({})", net.wire_ends(*w), wire.title), Some(*w) == chosen)
        };
        let mut page = RunPage {
            head,
            wires: forward.iter().map(named).collect(),
            profile: None,
            curves: None,
            facts: Vec::new(),
            steps: Vec::new(),
            source: String::new(),
            findings: Vec::new(),
        };
        if let Some(w) = chosen {
            let wire = &net.wires[w];
            page.profile = run_profile(&audit, wire.spot, 0, &placed(&audit, &readings));
            page.curves = device_curves(&audit, wire.spot, 0);
            let amp = ctx.ampacity(w);
            let ohm = resistance_ohm_per_m(wire.laid.area_mm2, wire.gauge) * wire.length_m;
            page.facts = vec![
                ("ampacity", format!("{} A", short(amp.iz_a))),
                (crate::t("run.largest-device"), format!("{} A", short(amp.device_a))),
                ("resistance, hot", format!("{} mohm", short(ohm * 1000.0))),
                ("area", page.head.says(&format!("{} mm²", short(wire.laid.area_mm2)))),
                ("length", page.head.says(&format!("{} m", short(wire.length_m)))),
            ];
            page.steps = amp.steps.iter().map(|s| page.head.says(s)).collect();
            page.source.clone_from(&amp.source);
            let on = audit.findings.iter().enumerate().filter(|(_, f)| f.wires.contains(&wire.spot));
            page.findings = on.map(|(n, f)| (n + 1, f.statement.clone())).collect();
        }
        page
    })
    .await?;
    html(&page)
}
