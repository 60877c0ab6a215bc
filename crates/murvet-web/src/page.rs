//! What every station's page shares: the visit, its rig, its audit, and the head of the page.

use crate::App;
use crate::audits::Made;
use crate::error::AppError;
use crate::grounds::Grounds;
use crate::zone;
use askama::Template;
use axum::response::{Html, IntoResponse, Response};
use chrono::NaiveDate;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Outcome, Phase, SafeStep as Step, make_safe};
use murvet_core::rig::Rig;
use murvet_core::systems::System;
use murvet_draw::{MapOptions, Subsystem, rig_map};
use murvet_store::{Action, Person, Reading, Revision, SafeStep, Visit};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, LazyLock};
use tokio::sync::Semaphore;

/// Renders a template.
pub(crate) fn html(template: &impl Template) -> Result<Response, AppError> {
    Ok(Html(crate::once::with_names(template.render()?)).into_response())
}

/// Stations in the order of work: path and message of the name.
pub(crate) const STATIONS: [(&str, &str); 7] = [
    ("safe", "station.safe"),
    ("trace", "station.trace"),
    ("states", "station.states"),
    ("readings", "station.readings"),
    ("findings", "station.findings"),
    ("put-right", "station.put-right"),
    ("hand-over", "station.hand-over"),
];

/// What lies outside a visit: path and message of the name.
pub(crate) const OUTSIDE: [(&str, &str); 4] = [
    ("visits", "station.visits"),
    ("bench", "station.bench"),
    ("rules", "station.rules"),
    ("practice", "station.practice"),
];

/// The head of a page outside a visit.
pub(crate) struct Top {
    pub person: String,
    pub here: &'static str,
    /// The visit one came from.
    pub visit: Option<i64>,
    system: System,
}

impl Top {
    pub fn new(who: &crate::auth::Who, here: &'static str, visit: Option<i64>) -> Top {
        Top { person: who.0.name.clone(), here, visit, system: System::parse(&who.0.measures) }
    }

    /// A sentence with the reader's own measures beside those in it.
    pub fn says(&self, text: &str) -> String {
        self.system.beside(text)
    }

    /// An address outside a visit, which remembers the visit.
    pub fn to(&self, path: &str) -> String {
        self.visit.map_or_else(|| format!("/{path}"), |v| format!("/{path}?visit={v}"))
    }
}

pub(crate) use crate::zone::when;

/// A visit with everything that its pages are made from.
pub(crate) struct VisitContext {
    pub firm: i64,
    pub person: Person,
    pub visit: Visit,
    pub revision: Revision,
    pub rig: Arc<Rig>,
    pub audit: Arc<Made>,
    pub grounds: Grounds,
    pub steps: Vec<Step>,
    pub done: Vec<SafeStep>,
    pub actions: Vec<Action>,
    /// The day on which the page is made.
    pub today: NaiveDate,
}

impl VisitContext {
    /// Loads a visit of the person's firm, with its newest revision audited.
    pub async fn open(app: &App, person: Person, visit: i64) -> Result<VisitContext, AppError> {
        let firm = person.firm_id;
        let visit = app.store.visit(firm, visit).await?;
        zone::tell_in(&visit.zone);
        let revision = app.store.latest_revision(firm, visit.rig_id).await?;
        let done = app.store.safe_steps(firm, visit.id).await?;
        let actions = app.store.actions(firm, visit.id).await?;
        let asked = ProfileId::parse(&visit.profile).ok_or_else(|| {
            AppError::Broken(format!("rig {} is judged by a profile that is none: {}", visit.rig_id, visit.profile))
        })?;
        let grounds = Grounds::of(app, firm, asked).await?;
        // Only texts that parse are saved; a newer grammar that refused an old text would be our fault.
        let (rig, audit) = app.audits.of(&revision.text, grounds.clone()).await?.map_err(|e| {
            AppError::Broken(format!("revision {} of rig {} no longer parses: {e:?}", revision.number, visit.rig_id))
        })?;
        let steps = make_safe(&audit);
        let today = zone::day(&app.clock.now());
        Ok(VisitContext { firm, person, visit, revision, rig, audit, grounds, steps, done, actions, today })
    }

    /// The profile the rig is judged by: its own, else the one the visit was opened with.
    pub fn profile(&self) -> ProfileId {
        self.rig.profile.unwrap_or(self.grounds.profile)
    }

    /// The steps of making safe that are not done, in their order.
    pub fn open_steps(&self) -> impl Iterator<Item = &Step> {
        self.steps.iter().filter(|s| !self.done.iter().any(|d| d.step == s.id))
    }

    /// Whether every step of making safe is done.
    pub fn is_safe(&self) -> bool {
        self.open_steps().next().is_none()
    }

    /// Minutes of the repairs that are done.
    pub fn spent_minutes(&self) -> f64 {
        self.actions.iter().map(|a| f64::from(a.took.unwrap_or(a.minutes))).sum()
    }

    /// The head of a page at a station.
    pub fn head(&self, station: &'static str) -> Head {
        let left = self.visit.hours - self.spent_minutes() / 60.0;
        let missing = self.open_steps().count();
        let words = |open: &'static str| {
            if missing == 0 { crate::t("page.made-safe").to_owned() } else { crate::say(open, &[&missing]) }
        };
        Head {
            visit: self.visit.id,
            rig: self.visit.rig_name.clone(),
            profile: self.audit.profile.id.clone(),
            customer: self.visit.customer_name.clone(),
            revision: self.revision.number,
            safe: self.is_safe(),
            believed: words("page.take-everything-as-live-steps"),
            believed_short: words("page.live-short"),
            withdrawn: self.visit.withdrawn,
            training: self.visit.training,
            partly: self.audit.partly,
            hours_left: format!("{left:.1} of {:.1} h", self.visit.hours),
            person: self.person.name.clone(),
            system: System::parse(&self.person.measures),
            station,
        }
    }
}

/// Things one after the other, as printed.
pub(crate) fn listed<T: std::fmt::Display>(list: &[T]) -> String {
    list.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ")
}

/// The outcome of a reading. The database keeps no other code; one that it should not have proves nothing.
pub(crate) fn outcome(r: &Reading) -> Outcome {
    Outcome::of(&r.outcome).unwrap_or(Outcome::Unsettled)
}

/// A phase as printed, by its code.
pub(crate) fn phase_words(code: &str) -> String {
    Phase::of(code).map_or_else(|| code.to_owned(), |p| p.words().to_owned())
}

/// How many pieces of work of the core run at once: as many as the machine has cores. What waits and is not waited for any more,
/// because its client has gone, never begins.
static BENCHES: LazyLock<Semaphore> =
    LazyLock::new(|| Semaphore::new(std::thread::available_parallelism().map_or(2, usize::from).max(2)));

/// How many pieces of work wait for one.
static WAITING: AtomicUsize = AtomicUsize::new(0);

/// One that waits, for as long as it does, whether it is waited for or given up.
struct Waits;

impl Waits {
    fn begin() -> Waits {
        WAITING.fetch_add(1, Ordering::Relaxed);
        Waits
    }
}

impl Drop for Waits {
    fn drop(&mut self) {
        WAITING.fetch_sub(1, Ordering::Relaxed);
    }
}

/// How many pieces of work wait for a core now.
pub(crate) fn waiting() -> usize {
    WAITING.load(Ordering::Relaxed)
}

/// Runs the core away from the threads that answer requests.
pub(crate) async fn off_thread<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, AppError> {
    let waits = Waits::begin();
    let bench = BENCHES.acquire().await.map_err(|e| AppError::Broken(e.to_string()))?;
    drop(waits);
    // The bench goes with the work: whoever asked may leave, the work is on it until it is done.
    let work = move || {
        let _bench = bench;
        work()
    };
    tokio::task::spawn_blocking(work).await.map_err(|e| AppError::Broken(e.to_string()))
}

/// The map of a rig with its findings, drawn away from the threads that answer requests.
pub(crate) async fn mapped(audit: &Arc<Made>, subsystem: Subsystem) -> Result<String, AppError> {
    let audit = Arc::clone(audit);
    off_thread(move || rig_map(&audit, &MapOptions { subsystem, findings: &audit.findings, ..MapOptions::default() }))
        .await
}

/// The head of a station's page.
pub(crate) struct Head {
    pub visit: i64,
    pub rig: String,
    pub profile: String,
    pub customer: String,
    pub revision: i32,
    pub safe: bool,
    pub believed: String,
    /// The same for a narrow screen.
    pub believed_short: String,
    /// Whether the visit was withdrawn.
    pub withdrawn: bool,
    /// Whether its rig is made up, to learn on.
    pub training: bool,
    /// Whether its audit stopped before everything was judged.
    pub partly: bool,
    pub hours_left: String,
    pub person: String,
    system: System,
    pub station: &'static str,
}

impl Head {
    /// A sentence with the reader's own measures beside those in it.
    pub fn says(&self, text: &str) -> String {
        self.system.beside(text)
    }

    /// Stations with number, path, name and whether this is it.
    pub fn walk(&self) -> Vec<(usize, &'static str, &'static str, bool)> {
        STATIONS
            .iter()
            .enumerate()
            .map(|(n, (path, name))| (n + 1, *path, crate::t(name), *path == self.station))
            .collect()
    }
}

/// The address of an asset, for templates.
pub(crate) fn asset(name: &str) -> String {
    crate::assets::address(name)
}
