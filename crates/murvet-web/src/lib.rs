//! The web application: a visit is a walk past stations.
//!
//! One module a station under `stations`; each asks the records a fixed number of times, parses and
//! audits the rig afresh and renders a page. Web processes keep no state.

mod assets;
mod audits;
mod auth;
mod doors;
mod error;
mod fleet;
mod form;
mod gather;
mod grounds;
mod health;
mod help;
mod installed;
mod names;
mod once;
mod page;
mod pictures;
mod roles;
mod set_up;
mod stations;
mod text;
mod training;
mod watch;
mod zone;

pub use auth::Clock;
pub use fleet::work;
pub(crate) use text::{say, t};
pub use watch::metrics;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::extract::{Request, State};
use axum::http::{HeaderName, HeaderValue, header};
use axum::middleware;
use axum::response::Response;
use axum::routing::{get, post};
use murvet_store::Store;
use object_store::ObjectStore;
use object_store::local::LocalFileSystem;
use object_store::memory::InMemory;
use object_store::prefix::PrefixStore;
use std::sync::Arc;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::timeout::RequestBodyTimeoutLayer;

/// How long an answer may take at most. A database that hangs while it is asked is told so; nothing in the house takes as long.
const MOST_WAIT: std::time::Duration = std::time::Duration::from_secs(60);

/// The same for what is sent in pieces.
const MOST_UPLOAD: std::time::Duration = std::time::Duration::from_secs(900);

/// How long a body that is sent may pause; then its request is over.
const MOST_PAUSE: std::time::Duration = std::time::Duration::from_secs(30);

/// What every handler may use.
#[derive(Clone)]
pub struct App {
    store: Store,
    clock: Clock,
    secure_cookie: bool,
    audits: audits::Audits,
    figures: watch::Figures,
    objects: Arc<dyn ObjectStore>,
    meter: Option<String>,
    monitor: Option<String>,
    doors: doors::Doors,
    set_up: Option<set_up::Code>,
}

impl App {
    /// An application over these records. `secure_cookie` marks the session cookie for TLS only.
    pub fn new(store: Store, clock: Clock, secure_cookie: bool) -> App {
        let figures = watch::Figures::default();
        App {
            store,
            clock,
            secure_cookie,
            audits: audits::Audits::new(figures.clone()),
            figures,
            objects: Arc::new(InMemory::new()),
            meter: None,
            monitor: None,
            doors: doors::Doors::default(),
            set_up: None,
        }
    }

    /// The same with a page that enters the first firm, for whoever types this code, while there is none.
    #[must_use]
    pub fn set_up_with(mut self, code: &str) -> App {
        self.set_up = Some(set_up::Code::new(code));
        self
    }

    /// The same with a meter that speaks SCPI over TCP at this address, host and port.
    #[must_use]
    pub fn meter_at(mut self, address: String) -> App {
        self.meter = Some(address);
        self
    }

    /// The same with a battery monitor that speaks Modbus TCP at this address, host and port.
    #[must_use]
    pub fn monitor_at(mut self, address: String) -> App {
        self.monitor = Some(address);
        self
    }

    /// The same with photographs kept for good: in a folder, or at an address such as `s3://bucket/prefix` with the access
    /// that the environment gives (`AWS_ACCESS_KEY_ID`, `AWS_ENDPOINT` and so on). Without it they are kept in memory.
    ///
    /// # Errors
    /// When the folder cannot be made or the address is not understood, in words.
    pub fn photographs_in(mut self, place: &str) -> Result<App, String> {
        self.objects = photographs_at(place)?;
        Ok(self)
    }
}

/// Where photographs are kept: a folder, which is made where it is not there, or an address such as `s3://bucket/prefix`.
///
/// # Errors
/// When the folder cannot be made or the address is not understood, in words.
pub fn photographs_at(place: &str) -> Result<Arc<dyn ObjectStore>, String> {
    if place.contains("://") {
        let address = url::Url::parse(place).map_err(|e| format!("{place} is no address: {e}"))?;
        let access = std::env::vars().filter(|(k, _)| k.starts_with("AWS_")).map(|(k, v)| (k.to_lowercase(), v));
        let (objects, prefix) = object_store::parse_url_opts(&address, access).map_err(|e| format!("{place}: {e}"))?;
        Ok(Arc::new(PrefixStore::new(objects, prefix)))
    } else {
        std::fs::create_dir_all(place).map_err(|e| format!("{place}: {e}"))?;
        Ok(Arc::new(LocalFileSystem::new_with_prefix(place).map_err(|e| format!("{place}: {e}"))?))
    }
}

/// All routes.
pub fn router(app: App) -> Router {
    use stations::{
        account, ask, bench, bundle, circuits, complaints, component, csv, day, diagnosis, ends, findings, fleet,
        hand_over, history, instruments, left_as, licences, limits, monitor, months, next, own_repair, owner, papers,
        people, photographs, planned, practice, prices, put_right, readings, referrals, rigs, rule_book, run, safe,
        sketch, states, steps, trace, visit, visits, walk, work,
    };
    Router::new()
        .route("/", get(visits::home))
        .route("/sign-in", get(auth::sign_in_page).post(auth::sign_in))
        .route("/set-up", get(set_up::show).post(set_up::enter))
        .route("/sign-out", post(auth::sign_out))
        .route("/visits", get(visits::list).post(visits::create))
        .route("/customers", get(visits::customers))
        .route("/training", post(training::begin))
        .route("/visits/{visit}", get(visits::enter))
        .route("/visits/{visit}/visit", get(visit::show).post(visit::edit))
        .route("/visits/{visit}/withdraw", post(visit::withdraw))
        .route("/visits/{visit}/walk", get(walk::show))
        .route("/visits/{visit}/safe", get(safe::show).post(safe::done))
        .route("/visits/{visit}/trace", get(trace::show).post(trace::save))
        .route("/visits/{visit}/trace/check", post(trace::check))
        .route("/visits/{visit}/trace/open", post(trace::open))
        .route("/visits/{visit}/trace/suggest", post(trace::suggest))
        .route("/visits/{visit}/trace/rig.json", get(trace::json))
        .route("/visits/{visit}/trace/map.svg", get(trace::map))
        .route("/visits/{visit}/ends", get(ends::show))
        .route("/visits/{visit}/ends/next", get(ends::next))
        .route("/visits/{visit}/ends/at", get(ends::ask).post(ends::land))
        .route("/visits/{visit}/ends/on", get(ends::on))
        .route("/visits/{visit}/ends/plate", get(ends::plate).post(ends::enter))
        .route("/visits/{visit}/ends/way", post(ends::way))
        .route("/visits/{visit}/ends/seen", get(ends::seen).post(ends::confirm))
        .route("/visits/{visit}/ends/part", get(ends::part).post(ends::change))
        .route("/visits/{visit}/ends/gone", post(ends::gone))
        .route("/visits/{visit}/ends/put", post(ends::put))
        .route("/visits/{visit}/ends/place", post(ends::place))
        .route("/visits/{visit}/ends/begin", post(ends::begin))
        .route("/visits/{visit}/ends/back", post(ends::back))
        .route("/visits/{visit}/states", get(states::show))
        .route("/visits/{visit}/ask", get(ask::show))
        .route("/visits/{visit}/sketch", get(sketch::show).post(sketch::attach))
        .route("/visits/{visit}/history/{revision}", get(history::show))
        .route("/visits/{visit}/circuits", get(circuits::show))
        .route("/visits/{visit}/planned", get(planned::show))
        .route(
            "/visits/{visit}/photographs",
            get(photographs::show).post(photographs::add).layer(DefaultBodyLimit::max(pictures::MOST_BYTES)),
        )
        .route("/visits/{visit}/photographs/{id}", get(photographs::picture))
        .route("/visits/{visit}/photographs/{id}/thumbnail", get(photographs::thumbnail))
        .route("/visits/{visit}/photographs/{id}/marks", get(ends::marks).post(ends::set_mark))
        .route("/visits/{visit}/photographs/{id}/marks/away", post(ends::take_away))
        .route("/visits/{visit}/component/{component}", get(component::show))
        .route("/visits/{visit}/run", get(run::show))
        .route("/visits/{visit}/readings", get(readings::show).post(readings::record))
        .route("/visits/{visit}/diagnosis", get(diagnosis::show).post(diagnosis::confirm))
        .route("/visits/{visit}/readings.csv", get(csv::export))
        .route("/visits/{visit}/csv", get(csv::show).post(csv::import))
        .route("/visits/{visit}/day", get(day::show))
        .route("/visits/{visit}/readings/grid", post(readings::record_grid))
        .route("/visits/{visit}/readings/override", post(readings::override_guards))
        .route("/visits/{visit}/readings/meter", post(readings::from_meter))
        .route("/visits/{visit}/readings/monitor", post(readings::from_monitor))
        .route("/visits/{visit}/hand-over/left-as", post(left_as::leave))
        .route("/visits/{visit}/work", get(work::show).post(work::keep))
        .route("/visits/{visit}/refer", post(referrals::refer))
        .route("/visits/{visit}/refer/{id}", post(referrals::back))
        .route("/visits/{visit}/steps", get(steps::show).post(steps::keep))
        .route("/visits/{visit}/steps/take", post(steps::take))
        .route("/visits/{visit}/steps/done", post(steps::done))
        .route("/visits/{visit}/own-repair", post(own_repair::add))
        .route("/visits/{visit}/next", get(next::show))
        .route("/visits/{visit}/labels", get(papers::labels))
        .route("/visits/{visit}/labels.pdf", get(papers::labels_pdf))
        .route("/visits/{visit}/papers.pdf", get(papers::as_pdf))
        .route("/visits/{visit}/bundle.zip", get(bundle::export))
        .route("/visits/{visit}/origin", get(bundle::show))
        .route("/visits/{visit}/again", post(rigs::again))
        .route("/visits/{visit}/years", get(rigs::show).post(rigs::builder))
        .route("/bundle", get(bundle::form).post(bundle::take_in).layer(DefaultBodyLimit::max(bundle::MOST_BYTES)))
        .route("/visits/{visit}/kind", post(readings::hours::kind))
        .route("/visits/{visit}/hours", get(readings::hours::show).post(readings::hours::leave))
        .route("/visits/{visit}/readings/leave", post(readings::leave_out))
        .route("/visits/{visit}/readings/correct", post(readings::correct))
        .route("/visits/{visit}/case", get(instruments::show).post(instruments::put))
        .route("/visits/{visit}/monitor", get(monitor::show))
        .route("/visits/{visit}/monitor/now", get(monitor::now))
        .route("/visits/{visit}/complaints", get(complaints::show).post(complaints::add))
        .route("/visits/{visit}/complaints/list", post(complaints::add_list))
        .route("/visits/{visit}/complaints/{complaint}", post(complaints::end))
        .route("/visits/{visit}/readings/deliver", post(readings::deliver))
        .route("/visits/{visit}/findings", get(findings::show).post(findings::decide))
        .route("/visits/{visit}/put-right", get(put_right::show).post(put_right::apply))
        .route("/visits/{visit}/put-right/re-test", post(put_right::re_test))
        .route("/visits/{visit}/hand-over", get(hand_over::show).post(hand_over::sign))
        .route("/visits/{visit}/hand-over/{record}", get(hand_over::record))
        .route("/bench", get(bench::first))
        .route("/bench/{calculation}", get(bench::show))
        .route("/bench/{calculation}/part", get(bench::part))
        .route("/bench/{calculation}/keep", post(bench::keep))
        .route("/practice", get(practice::show))
        .route("/practice/instruments", post(practice::register))
        .route("/practice/licences", post(licences::add))
        .route("/practice/licences/withdraw", post(licences::withdraw))
        .route("/practice/prices", post(prices::set))
        .route("/practice/calibrations", post(practice::calibrate))
        .route("/practice/instruments/{id}/retire", post(practice::retire))
        .route("/people", get(people::show).post(people::add))
        .route("/people/{id}/role", post(people::role))
        .route("/people/{id}/close", post(people::close))
        .route("/months", get(months::show))
        .route("/fleet", get(fleet::show).post(fleet::begin))
        .route("/fleet/{run}", get(fleet::run))
        .route("/fleet/{run}/now", get(fleet::now))
        .route("/fleet/{run}/go", post(fleet::go))
        .route("/fleet/{run}/rigs/{rig}", get(fleet::rig).post(fleet::call))
        .route("/fleet/{run}/letters", get(fleet::letters))
        .route("/fleet/{run}/calls.csv", get(fleet::calls_csv))
        .route("/fleet/{run}/figures.csv", get(fleet::figures_csv))
        .route("/trail", get(people::trail))
        .route("/account", get(account::show))
        .route("/account/password", post(account::password))
        .route("/account/sessions", post(account::end_sessions))
        .route("/account/second", post(account::second))
        .route("/measures", post(visits::measures))
        .route("/rules", get(rule_book::list))
        .route("/schools", post(rule_book::choose))
        .route("/limits", post(limits::enter))
        .route("/visits/{visit}/owner", get(owner::show).post(owner::set))
        .route("/rules/{rule}", get(rule_book::show))
        .route("/manifest.webmanifest", get(installed::manifest))
        .route("/away", get(installed::away))
        .route("/shared", get(installed::shared).post(installed::share_again))
        .route("/worker.js", get(assets::worker))
        .route("/assets/{file}", get(assets::serve))
        .route("/health/live", get(health::live))
        .route("/health/ready", get(health::ready))
        .fallback(error::nothing_here)
        .layer(middleware::from_fn_with_state(app.clone(), once::once))
        .layer(middleware::from_fn(zone::of_browser))
        .layer(middleware::from_fn_with_state(app.clone(), guard))
        .layer(DefaultBodyLimit::max(form::MOST_BYTES))
        .layer(RequestBodyTimeoutLayer::new(MOST_PAUSE))
        .layer(CompressionLayer::new())
        .layer(CatchPanicLayer::custom(error::broken))
        .layer(middleware::from_fn_with_state(app.clone(), watch::observed))
        .with_state(app)
}

/// The host that a browser asked for. Behind a proxy for TLS that is what the proxy says.
fn host<'a>(app: &App, headers: &'a axum::http::HeaderMap) -> Option<&'a str> {
    let told = |name: &str| headers.get(name).and_then(|v| v.to_str().ok());
    told("x-forwarded-host").filter(|_| app.secure_cookie).or(told("host"))
}

/// Whether a page of another site, or of another host of the same site, started a request. A browser says so in one header or
/// the other; what says neither is no browser and has no cookie of anybody's.
fn is_foreign(app: &App, headers: &axum::http::HeaderMap) -> bool {
    let site = headers.get("sec-fetch-site");
    if site.is_some_and(|v| !matches!(v.as_bytes(), b"same-origin" | b"none")) {
        return true;
    }
    let Some(origin) = headers.get(header::ORIGIN) else { return false };
    let from = origin.to_str().ok().and_then(|o| o.split_once("://")).map(|(_, host)| host);
    from.is_none() || from.map(str::to_ascii_lowercase) != host(app, headers).map(str::to_ascii_lowercase)
}

/// Refuses writes that another site started, and sets the headers that keep pages to themselves.
async fn guard(State(app): State<App>, request: Request, next: middleware::Next) -> Response {
    if !request.method().is_safe() && is_foreign(&app, request.headers()) {
        return error::AppError::Refused("This request was started by another site.".to_owned()).page();
    }
    // Photographs and bundles take as long as the way they come; `MOST_PAUSE` ends those that stop.
    let kind = request.headers().get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let wait = if kind.starts_with("multipart/") { MOST_UPLOAD } else { MOST_WAIT };
    let mut response = match tokio::time::timeout(wait, next.run(request)).await {
        Ok(response) => response,
        Err(_) => error::AppError::Away(format!("no answer within {} s", wait.as_secs())).page(),
    };
    let headers = response.headers_mut();
    for (name, value) in [
        (
            header::CONTENT_SECURITY_POLICY,
            "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
        ),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "same-origin"),
        (HeaderName::from_static("cross-origin-opener-policy"), "same-origin"),
    ] {
        headers.insert(name, HeaderValue::from_static(value));
    }
    if app.secure_cookie {
        // Two years, as browsers ask for; only where TLS is known to be there.
        headers.insert(header::STRICT_TRANSPORT_SECURITY, HeaderValue::from_static("max-age=63072000"));
    }
    headers.entry(header::CACHE_CONTROL).or_insert(HeaderValue::from_static("no-store"));
    response
}
