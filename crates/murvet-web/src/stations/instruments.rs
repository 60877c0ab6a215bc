//! What is in the case of a visit: the firm's instruments, whether they are in date, and what the plan can be done with.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html};
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{Redirect, Response};
use chrono::NaiveDate;
use murvet_core::catalogue::Kind;
use murvet_core::readings::{Means, Substitute, Test, Tool, means_of, on_monitor};
use murvet_store::{Calibration, Instrument};
use serde::Deserialize;

/// Whether an instrument is in date on a day.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum InDate {
    /// Until this day.
    Until(NaiveDate),
    /// Not since this day.
    Out(NaiveDate),
    /// It was never calibrated.
    Never,
}

/// Whether an instrument was in date on a day, by the newest calibration that was done by then.
pub(crate) fn in_date(calibrations: &[Calibration], instrument: i64, day: NaiveDate) -> InDate {
    let done = calibrations.iter().rfind(|c| c.instrument_id == instrument && c.done_on <= day);
    match done.map(|c| c.due_on) {
        Some(due) if due >= day => InDate::Until(due),
        Some(due) => InDate::Out(due),
        None => InDate::Never,
    }
}

impl InDate {
    /// As printed.
    pub fn words(self) -> String {
        match self {
            InDate::Until(day) => crate::say("case.in-date-until", &[&day]),
            InDate::Out(day) => crate::say("case.out-of-date-since", &[&day]),
            InDate::Never => crate::t("case.never-calibrated").to_owned(),
        }
    }

    /// Whether it is to be warned of.
    pub fn warns(self) -> bool {
        !matches!(self, InDate::Until(_))
    }
}

/// An instrument as it is printed.
pub(crate) fn called(name: &str, serial: &str) -> String {
    crate::say("case.title", &[&name, &serial])
}

/// One instrument.
#[derive(Debug, Clone)]
pub(crate) struct Held {
    pub id: i64,
    pub name: String,
    pub serial: String,
    pub tools: Vec<Tool>,
    pub state: InDate,
    pub in_case: bool,
    pub retired: bool,
}

impl Held {
    pub fn new(i: &Instrument, calibrations: &[Calibration], day: NaiveDate, in_case: bool) -> Held {
        Held {
            id: i.id,
            name: i.name.clone(),
            serial: i.serial.clone(),
            tools: i.tools.split_whitespace().filter_map(Tool::parse).collect(),
            state: in_date(calibrations, i.id, day),
            in_case: in_case && i.retired_at.is_none(),
            retired: i.retired_at.is_some(),
        }
    }

    /// What it is, as printed with a reading.
    pub fn title(&self) -> String {
        called(&self.name, &self.serial)
    }

    pub fn tools_words(&self) -> String {
        self.tools.iter().map(|t| t.words()).collect::<Vec<_>>().join(", ")
    }

    fn serves(&self, tool: Tool) -> bool {
        self.in_case && self.tools.iter().any(|t| t.serves_as(tool))
    }
}

/// What is at hand in a visit.
pub(crate) struct InstrumentsHere {
    pub list: Vec<Held>,
    /// The bank of which the rig has a monitor.
    pub bank: Option<String>,
    /// It was held against a clamp, so what it shows counts in full.
    pub checked: bool,
}

/// What a test is done with.
pub(crate) struct Taken {
    pub instruments: Vec<i64>,
    pub lower: bool,
    /// In words, where it is not what the test asks for.
    pub means: String,
}

/// What one tool of a test can be chosen from: value, words, and whether it is to be warned of.
pub(crate) struct Offer {
    pub tool: &'static str,
    pub words: &'static str,
    pub choices: Vec<(String, String, bool)>,
}

/// One way to do what a tool of a test is asked for.
struct Way<'a> {
    /// The instrument; nothing for hands and for the rig's own monitor.
    held: Option<&'a Held>,
    /// What it takes the place of the tool as, where it is not the tool itself.
    instead: Option<&'static Substitute>,
}

impl Way<'_> {
    /// Its value in forms; hands are not chosen.
    fn key(&self) -> Option<String> {
        let monitor = self.instead.is_some_and(|s| s.by == Tool::Monitor);
        self.held.map(|h| h.id.to_string()).or_else(|| monitor.then(|| MONITOR.to_owned()))
    }
}

/// What takes the place of a tool, in words.
pub(crate) fn instead_words(tool: Tool, s: &Substitute) -> String {
    crate::say("case.instead", &[&s.by.words(), &tool.words(), &s.how])
}

/// The value that stands for the rig's own monitor in forms.
const MONITOR: &str = "monitor";

/// The bank of which the rig has a monitor: its first, where it has a shunt or a monitor is connected.
pub(crate) fn monitored_bank(app: &App, context: &VisitContext) -> Option<String> {
    let first = |kind: Kind| context.rig.components.iter().find(|p| p.kind == kind && p.status.present());
    let monitor = first(Kind::Shunt).is_some() || app.monitor.is_some();
    first(Kind::Battery).filter(|_| monitor).map(|p| p.id.clone())
}

impl InstrumentsHere {
    pub async fn open(app: &App, context: &VisitContext) -> Result<InstrumentsHere, AppError> {
        let (firm, visit) = (context.firm, context.visit.id);
        let calibrations = app.store.calibrations(firm).await?;
        let home = app.store.left_at_home(firm, visit).await?;
        let day = app.clock.now().date_naive();
        let instruments = app.store.instruments(firm).await?;
        let list = instruments.iter().map(|i| Held::new(i, &calibrations, day, !home.contains(&i.id))).collect();
        Ok(InstrumentsHere { list, bank: monitored_bank(app, context), checked: false })
    }

    /// Whether the firm keeps a register at all. Where it does not, everything is taken to be at hand.
    pub fn kept(&self) -> bool {
        self.list.iter().any(|h| !h.retired)
    }

    /// Whether the rig's monitor shows something of a test.
    fn monitored(&self, test: &Test) -> bool {
        self.bank.as_deref().is_some_and(|bank| on_monitor(bank, test).is_some())
    }

    fn at_hand(&self, test: &Test) -> Vec<Tool> {
        let monitor = self.monitored(test).then_some(Tool::Monitor);
        self.list.iter().filter(|h| h.in_case).flat_map(|h| h.tools.iter().copied()).chain(monitor).collect()
    }

    /// How a test is done with what is at hand.
    pub fn means(&self, test: &Test) -> Means {
        if self.kept() { means_of(test.tools, &self.at_hand(test)) } else { Means::Right }
    }

    /// What a tool of a test can be done with, the best first: what it is, what is in date first, then what may take its place.
    fn options(&self, test: &Test, tool: Tool) -> Vec<Way<'_>> {
        let serving = |t: Tool| {
            let mut list: Vec<&Held> = self.list.iter().filter(|h| h.serves(t)).collect();
            list.sort_by_key(|h| h.state.warns());
            list
        };
        let right = serving(tool).into_iter().map(|h| Way { held: Some(h), instead: None });
        let instead = tool.substitutes().iter().flat_map(|s| match s.by {
            Tool::Monitor if !self.monitored(test) => Vec::new(),
            Tool::Hands | Tool::Monitor => vec![Way { held: None, instead: Some(s) }],
            by => serving(by).into_iter().map(|h| Way { held: Some(h), instead: Some(s) }).collect(),
        });
        right.chain(instead).collect()
    }

    /// What each tool of a test can be chosen from, the best first; only where there is a choice or something to warn of.
    pub fn offers(&self, test: &Test) -> Vec<Offer> {
        let offer = |&tool: &Tool| {
            let mut choices: Vec<(String, String, bool)> = Vec::new();
            for o in self.options(test, tool) {
                let Some(key) = o.key().filter(|key| choices.iter().all(|(other, ..)| other != key)) else { continue };
                choices.push(match o.held {
                    Some(h) => (key, format!("{}; {}", h.title(), h.state.words()), h.state.warns()),
                    None => (key, Tool::Monitor.words().to_owned(), false),
                });
            }
            Offer { tool: tool.word(), words: tool.words(), choices }
        };
        let offers = test.tools.iter().filter(|t| **t != Tool::Hands).map(offer);
        offers.filter(|o| o.choices.len() > 1 || o.choices.iter().any(|(.., warns)| *warns)).collect()
    }

    /// What a reading is taken with: what was chosen, else the first that serves and is in date. A reading names what it was
    /// taken with, though something better lies there.
    ///
    /// # Errors
    /// In words, where nothing at hand serves.
    pub fn taken(&self, test: &Test, chosen: &[String]) -> Result<Taken, String> {
        let mut taken = Taken { instruments: Vec::new(), lower: false, means: String::new() };
        if !self.kept() {
            return Ok(taken);
        }
        let mut instead: Vec<String> = Vec::new();
        for &tool in test.tools.iter().filter(|t| **t != Tool::Hands) {
            let options = self.options(test, tool);
            let picked = options.iter().find(|o| o.key().is_some_and(|key| chosen.contains(&key)));
            let Some(with) = picked.or(options.first()) else {
                return Err(crate::say("case.nothing-at-hand", &[&tool.words()]));
            };
            taken.instruments.extend(with.held.map(|h| h.id));
            if let Some(s) = with.instead {
                taken.lower |= s.lower && !(s.by == Tool::Monitor && self.checked);
                instead.push(instead_words(tool, s));
            }
        }
        taken.instruments.sort_unstable();
        taken.instruments.dedup();
        taken.means = instead.join(" ");
        Ok(taken)
    }

    /// Warnings of instruments in the case that are out of date.
    pub fn warnings(&self) -> Vec<String> {
        let out = self.list.iter().filter(|h| h.in_case && h.state.warns());
        out.map(|h| format!("{}: {}", h.title(), h.state.words())).collect()
    }
}

#[derive(Template)]
#[template(path = "instruments.html")]
struct CasePage {
    head: Head,
    kept: bool,
    list: Vec<Held>,
    /// Tests that are done with something else: title, and how.
    instead: Vec<(String, String)>,
    /// Tests that cannot be done: title, and what lacks.
    lacking: Vec<(String, String)>,
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let case = InstrumentsHere::open(&app, &context).await?;
    let (mut instead, mut lacking) = (Vec::new(), Vec::new());
    for t in context.audit.tests() {
        match case.means(t) {
            Means::Right => {}
            Means::Instead(by) => {
                instead.push((
                    t.title.clone(),
                    by.iter().map(|(tool, s)| instead_words(*tool, s)).collect::<Vec<_>>().join(" "),
                ));
            }
            Means::Lacking(tools) => {
                lacking.push((t.title.clone(), tools.iter().map(|t| t.words()).collect::<Vec<_>>().join(", ")));
            }
        }
    }
    let (kept, head) = (case.kept(), context.head("readings"));
    html(&CasePage { head, kept, list: case.list.into_iter().filter(|h| !h.retired).collect(), instead, lacking })
}

#[derive(Deserialize)]
pub(crate) struct PutForm {
    instrument: i64,
    there: String,
}

/// Puts an instrument into the case of a visit, or leaves it at home.
pub(crate) async fn put(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<PutForm>,
) -> Result<Redirect, AppError> {
    let (firm, by) = (who.0.firm_id, who.0.id);
    app.store.put_in_case(firm, visit, form.instrument, form.there == "yes", by, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/case")))
}
