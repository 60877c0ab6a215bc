//! Seeing the server run: figures in the open text format for whatever collects them, and a line of the log for each request.
//!
//! Nothing of a firm is in a figure: routes stand as they are written in the list of routes, without the names and numbers in them.
//! The log names firm and person by their keys.

use crate::App;
use crate::page;
use axum::Router;
use axum::extract::{MatchedPath, Request, State};
use axum::http::{HeaderName, HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use murvet_store::form_name;
use prometheus_client::encoding::EncodeLabelSet;
use prometheus_client::encoding::text::encode;
use prometheus_client::metrics::counter::Counter;
use prometheus_client::metrics::family::Family;
use prometheus_client::metrics::gauge::Gauge;
use prometheus_client::metrics::histogram::Histogram;
use prometheus_client::registry::{Registry, Unit};
use std::sync::{Arc, OnceLock};
use std::time::Instant;

/// Ends of the steps in which times are counted, seconds: a page is to take 20 ms, and what takes 10 s is broken.
const STEPS: [f64; 10] = [0.005, 0.01, 0.02, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 10.0];

fn times() -> Histogram {
    Histogram::new(STEPS)
}

/// What a request was for and how it ended.
#[derive(Clone, Debug, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Asked {
    method: String,
    route: String,
    status: u16,
}

/// What a time is of.
#[derive(Clone, Debug, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Of {
    route: String,
}

/// How an audit came about: made, remembered, or refused because the text has errors.
#[derive(Clone, Debug, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Came {
    outcome: &'static str,
}

/// Connections to the database, by what they do.
#[derive(Clone, Debug, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Stands {
    state: &'static str,
}

/// What is counted while the server runs; copies share it.
#[derive(Clone)]
pub(crate) struct Figures {
    registry: Arc<Registry>,
    requests: Family<Asked, Counter>,
    request_seconds: Family<Of, Histogram>,
    audits: Family<Came, Counter>,
    audit_seconds: Histogram,
    connections: Family<Stands, Gauge>,
    waiting: Gauge,
    memory: Gauge,
}

impl Default for Figures {
    fn default() -> Figures {
        let requests = Family::<Asked, Counter>::default();
        let request_seconds = Family::<Of, Histogram>::new_with_constructor(times);
        let audits = Family::<Came, Counter>::default();
        let audit_seconds = times();
        let connections = Family::<Stands, Gauge>::default();
        let (waiting, memory) = (Gauge::default(), Gauge::default());
        let mut registry = Registry::with_prefix("murvet");
        registry.register("requests", "Requests by method, route and status", requests.clone());
        let help = "How long answers took";
        registry.register_with_unit("request", help, Unit::Seconds, request_seconds.clone());
        registry.register(
            "audits",
            "Audits that were made, remembered, or refused for errors of the text",
            audits.clone(),
        );
        registry.register_with_unit(
            "audit",
            "How long audits took that were made",
            Unit::Seconds,
            audit_seconds.clone(),
        );
        registry.register("connections", "Connections to the database by what they do", connections.clone());
        registry.register("work_waiting", "Pieces of work that wait for a core", waiting.clone());
        registry.register_with_unit("memory", "Memory of the process", Unit::Bytes, memory.clone());
        Figures {
            registry: Arc::new(registry),
            requests,
            request_seconds,
            audits,
            audit_seconds,
            connections,
            waiting,
            memory,
        }
    }
}

impl Figures {
    /// An audit that was asked for, and how long it took where it was made.
    pub fn audited(&self, outcome: &'static str, seconds: Option<f64>) {
        self.audits.get_or_create(&Came { outcome }).inc();
        if let Some(seconds) = seconds {
            self.audit_seconds.observe(seconds);
        }
    }
}

/// Memory that the process has in the machine, bytes; nothing where the machine does not tell.
fn memory() -> Option<i64> {
    let told = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = told.lines().find_map(|l| l.strip_prefix("VmRSS:"))?;
    let kilobytes: i64 = line.trim().strip_suffix("kB")?.trim().parse().ok()?;
    Some(kilobytes * 1024)
}

/// The figures as text.
async fn tell(State(app): State<App>) -> Response {
    let figures = &app.figures;
    let pool = app.store.pool_state();
    let set = |state, many: usize| figures.connections.get_or_create(&Stands { state }).set(many as i64);
    set("used", pool.used);
    set("idle", pool.idle);
    set("waited_for", pool.waited_for);
    figures.waiting.set(page::waiting() as i64);
    if let Some(bytes) = memory() {
        figures.memory.set(bytes);
    }
    let mut out = String::new();
    match encode(&mut out, &figures.registry) {
        Ok(()) => {
            let kind = "application/openmetrics-text; version=1.0.0; charset=utf-8";
            ([(header::CONTENT_TYPE, kind)], out).into_response()
        }
        Err(_) => StatusCode::INTERNAL_SERVER_ERROR.into_response(),
    }
}

/// The page of figures, `/metrics`, for an address of its own: it is for whoever runs the server, and for no browser of a firm.
pub fn metrics(app: App) -> Router {
    Router::new().route("/metrics", get(tell)).with_state(app)
}

/// Who made a request, for its line in the log: firm and person, by key. Whoever is found out to have asked is written here.
#[derive(Clone, Default)]
pub(crate) struct Asker(Arc<OnceLock<(i64, i64)>>);

impl Asker {
    /// Writes down who asks.
    pub fn is(&self, firm: i64, person: i64) {
        // It is found out once for each request; a second time would be the same person.
        let _ = self.0.set((firm, person));
    }
}

/// Counts a request and writes its line in the log. The answer carries the name of the request, by which its line is found.
pub(crate) async fn observed(State(app): State<App>, mut request: Request, next: Next) -> Response {
    let route = request.extensions().get::<MatchedPath>().map_or("none", MatchedPath::as_str).to_owned();
    let method = request.method().to_string();
    let name = form_name().unwrap_or_default();
    let asker = Asker::default();
    request.extensions_mut().insert(asker.clone());
    let begun = Instant::now();
    let mut response = next.run(request).await;
    let took = begun.elapsed().as_secs_f64();
    let status = response.status().as_u16();
    app.figures.request_seconds.get_or_create(&Of { route: route.clone() }).observe(took);
    let silent = route.starts_with("/assets/") || route.starts_with("/health/");
    if !silent {
        let (firm, person) = asker.0.get().copied().unzip();
        tracing::info!(request = name, method, route, status, ms = (took * 1000.0).round(), firm, person, "answered");
    }
    app.figures.requests.get_or_create(&Asked { method, route, status }).inc();
    if let Ok(value) = HeaderValue::from_str(&name) {
        response.headers_mut().insert(HeaderName::from_static("x-request-id"), value);
    }
    response
}
