//! Every rig of the firm judged again: runs, how far they are, whom to call, letters, and figures that name nobody.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::fleet::read;
use crate::form::Typed;
use crate::page::{Top, html, when};
use crate::stations::csv::table;
use crate::stations::readings::urlencode;
use askama::Template;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use chrono::NaiveDate;
use murvet_core::profiles::ProfileId;
use murvet_core::rules::{RULES, Rule};
use murvet_core::severity::Severity;
use murvet_store::{
    FleetCall, FleetCount, FleetFigure, FleetFinding, FleetPlace, FleetRig, FleetRun, FleetShown, FleetSought,
};
use murvet_text::{Locale, Text};
use murvet_visit::{Shift, Verdict};
use serde::{Deserialize, Serialize};

/// Rigs on a page, letters on a page, runs in the list, and lines of figures on the page of a run.
const PAGE: i64 = 50;
const LETTERS: i64 = 100;
const RUNS: i64 = 30;
const LINES: usize = 25;

/// Rows of a CSV that are asked for at a time.
const AT_ONCE: i64 = 500;

/// What became of a verdict, in words.
fn shift_words(shift: Shift) -> &'static str {
    match shift {
        Shift::Appears => crate::t("fleet.appears"),
        Shift::Graver => crate::t("fleet.graver"),
        Shift::Stays => crate::t("fleet.stays"),
        Shift::Milder => crate::t("fleet.milder"),
        Shift::Goes => crate::t("fleet.goes"),
    }
}

/// The state of a run, in words.
pub(crate) fn state_words(run: &FleetRun) -> &'static str {
    match run.state.as_str() {
        "going" => crate::t("fleet.going"),
        "stopped" => crate::t("fleet.stopped"),
        _ => crate::t("fleet.done"),
    }
}

/// How far a run is, in words.
fn progress(count: &FleetCount) -> String {
    crate::say("fleet.progress", &[&(count.rigs - count.waiting), &count.rigs])
}

/// A verdict as it is told: what became of it, how pressing it is, and what it says.
struct Told {
    /// Nothing where the rig was held against nothing.
    shift: Option<&'static str>,
    severity: Severity,
    certainty: &'static str,
    statement: String,
}

/// The verdicts of a rig that are told: those that changed, what is new to its owner first.
fn told(rig: &FleetRig, findings: &[FleetFinding], stays: bool) -> Result<Vec<Told>, AppError> {
    let mut list = Vec::new();
    for f in findings {
        let v = read(f)?;
        let shift = Shift::of(&f.change).ok_or_else(|| AppError::Broken(format!("no such change: {}", f.change)))?;
        if stays || shift != Shift::Stays {
            list.push((Shift::ALL.iter().position(|s| *s == shift), v, shift));
        }
    }
    list.sort_by_key(|a| (a.0, std::cmp::Reverse(a.1.severity)));
    let one = |(_, v, shift): (Option<usize>, Verdict, Shift)| Told {
        shift: is_compared(rig).then(|| shift_words(shift)),
        severity: v.severity,
        certainty: v.certainty.words(),
        statement: v.statement,
    };
    Ok(list.into_iter().map(one).collect())
}

#[derive(Template)]
#[template(path = "fleet.html")]
struct FleetPage {
    top: Top,
    runs: Vec<FleetRun>,
}

pub(crate) async fn show(State(app): State<App>, who: Who) -> Result<Response, AppError> {
    let runs = app.store.fleet_runs(who.0.firm_id, RUNS).await?;
    html(&FleetPage { top: Top::new(&who, "practice", None), runs })
}

#[derive(Deserialize)]
pub(crate) struct BeginForm {
    reason: String,
}

/// Begins a run.
pub(crate) async fn begin(
    State(app): State<App>,
    who: Who,
    Typed(form): Typed<BeginForm>,
) -> Result<Redirect, AppError> {
    let reason = form.reason.trim();
    if !(3..=200).contains(&reason.chars().count()) {
        return Err(AppError::BadInput(crate::t("fleet.say-why").to_owned()));
    }
    let (run, _) = app.store.begin_fleet(who.0.firm_id, reason, who.0.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/fleet/{run}")))
}

/// What is sought in a run.
#[derive(Deserialize, Default, Clone)]
pub(crate) struct Asked {
    #[serde(default)]
    show: String,
    #[serde(default)]
    builder: String,
    #[serde(default)]
    from: String,
    #[serde(default)]
    to: String,
    #[serde(default)]
    due: String,
    #[serde(default)]
    rule: String,
    #[serde(default)]
    after: String,
}

/// The lists of a run: code, and which.
const SHOWN: [(&str, FleetShown); 4] = [
    ("calls", FleetShown::Calls),
    ("changed", FleetShown::Changed),
    ("trouble", FleetShown::Trouble),
    ("all", FleetShown::All),
];

fn shown_words(shown: FleetShown) -> &'static str {
    match shown {
        FleetShown::Calls => crate::t("fleet.to-call"),
        FleetShown::Changed => crate::t("fleet.changed"),
        FleetShown::Trouble => crate::t("fleet.trouble"),
        FleetShown::All => crate::t("fleet.all"),
    }
}

impl Asked {
    /// What is sought; what makes no sense is said.
    fn sought(&self) -> Result<FleetSought<'_>, AppError> {
        let wrong = |what: &str| AppError::BadInput(crate::say("fleet.no-such", &[&what]));
        let year = |text: &str| match text.trim() {
            "" => Ok(None),
            t => t.parse::<i32>().ok().filter(|y| (1900..=2200).contains(y)).map(Some).ok_or_else(|| wrong(t)),
        };
        let due_before = match self.due.trim() {
            "" => None,
            t => Some(t.parse::<NaiveDate>().map_err(|_| wrong(t))?),
        };
        let after = match self.after.as_str() {
            "" => None,
            t => Some(place(t).ok_or_else(|| wrong(t))?),
        };
        Ok(FleetSought {
            shown: SHOWN.iter().find(|(code, _)| *code == self.show).map_or(FleetShown::Calls, |(_, s)| *s),
            builder: self.builder.trim(),
            built_from: year(&self.from)?,
            built_to: year(&self.to)?,
            due_before,
            rule: self.rule.trim(),
            after,
        })
    }

    /// The same for an address, without the place.
    fn rest(&self) -> String {
        let fields = [
            ("show", &self.show),
            ("builder", &self.builder),
            ("from", &self.from),
            ("to", &self.to),
            ("due", &self.due),
            ("rule", &self.rule),
        ];
        let said = fields.iter().filter(|(_, v)| !v.trim().is_empty());
        said.map(|(name, v)| format!("&{name}={}", urlencode(v.trim()))).collect()
    }
}

/// A place in the list, as it stands in an address.
fn place(text: &str) -> Option<FleetPlace> {
    let mut parts = text.split('.');
    let place = FleetPlace {
        danger: parts.next()?.parse().ok()?,
        due_on: NaiveDate::from_epoch_days(parts.next()?.parse().ok()?)?,
        rig: parts.next()?.parse().ok()?,
    };
    parts.next().is_none().then_some(place)
}

fn place_words(place: &FleetPlace) -> String {
    format!("{}.{}.{}", place.danger, place.due_on.to_epoch_days(), place.rig)
}

struct Row {
    rig: FleetRig,
    call_for: Option<Severity>,
    told: Vec<Told>,
}

#[derive(Template)]
#[template(path = "fleet_run.html")]
struct RunPage {
    top: Top,
    run: FleetRun,
    state: &'static str,
    begun: String,
    count: FleetCount,
    progress: String,
    rows: Vec<Row>,
    next: Option<String>,
    asked: Asked,
    rest: String,
    shown: Vec<(&'static str, &'static str, bool)>,
    rules: Vec<(&'static str, String, bool)>,
    figures: Vec<FleetFigure>,
}

impl RunPage {
    fn title(&self, rule: &str) -> String {
        Rule::of(rule).map_or_else(|| rule.to_owned(), Rule::title)
    }
}

/// Whether a rig was held against anything: else everything on it would be new.
fn is_compared(rig: &FleetRig) -> bool {
    rig.against.as_deref() != Some("nothing")
}

/// What is found on a rig and its owner was not told.
fn news<'a>(rig: &FleetRig, findings: &'a [FleetFinding]) -> impl Iterator<Item = &'a FleetFinding> {
    let compared = is_compared(rig);
    findings.iter().filter(move |f| compared && Shift::of(&f.change).is_some_and(Shift::is_news))
}

/// The rigs that are sought with their verdicts, and where the next page begins.
async fn rows(
    app: &App,
    (firm, run): (i64, i64),
    sought: &FleetSought<'_>,
    most: i64,
) -> Result<(Vec<(FleetRig, Vec<FleetFinding>)>, Option<FleetPlace>), AppError> {
    let mut rigs = app.store.fleet_rigs(firm, run, sought, most + 1).await?;
    let more = rigs.len() as i64 > most;
    rigs.truncate(usize::try_from(most).unwrap_or_default());
    let ids: Vec<i64> = rigs.iter().map(|r| r.rig_id).collect();
    let mut findings = app.store.fleet_findings(firm, run, &ids).await?;
    let next = rigs.last().filter(|_| more).map(FleetRig::place);
    let with_its_own = |rig: FleetRig| {
        let own = findings.remove(&rig.rig_id).unwrap_or_default();
        (rig, own)
    };
    Ok((rigs.into_iter().map(with_its_own).collect(), next))
}

pub(crate) async fn run(
    State(app): State<App>,
    who: Who,
    Path(run): Path<i64>,
    Query(asked): Query<Asked>,
) -> Result<Response, AppError> {
    let firm = who.0.firm_id;
    let (found, count) = app.store.fleet_run(firm, run).await?;
    let sought = asked.sought()?;
    let (list, next) = rows(&app, (firm, run), &sought, PAGE).await?;
    let mut figures = app.store.fleet_figures(firm, run).await?;
    figures.truncate(LINES);
    let row = |(rig, findings): (FleetRig, Vec<FleetFinding>)| {
        let told = if is_compared(&rig) { told(&rig, &findings, false)? } else { Vec::new() };
        Ok(Row { call_for: rig.call_for.as_deref().and_then(Severity::of), told, rig })
    };
    html(&RunPage {
        rows: list.into_iter().map(row).collect::<Result<_, AppError>>()?,
        next: next.as_ref().map(place_words),
        rest: asked.rest(),
        shown: SHOWN.iter().map(|(code, s)| (*code, shown_words(*s), *s == sought.shown)).collect(),
        rules: RULES.iter().map(|r| (r.slug, r.title(), r.slug == asked.rule.trim())).collect(),
        figures,
        state: state_words(&found),
        begun: when(&found.begun_at),
        progress: progress(&count),
        run: found,
        count,
        top: Top::new(&who, "practice", None),
        asked,
    })
}

/// How far a run is, for the page that shows it.
#[derive(Serialize)]
struct Now {
    words: String,
    over: bool,
}

pub(crate) async fn now(State(app): State<App>, who: Who, Path(run): Path<i64>) -> Result<Response, AppError> {
    let (found, count) = app.store.fleet_run(who.0.firm_id, run).await?;
    Ok(Json(Now { words: progress(&count), over: found.state != "going" }).into_response())
}

#[derive(Deserialize)]
pub(crate) struct GoForm {
    go: String,
}

/// Stops a run, or goes on with it.
pub(crate) async fn go(
    State(app): State<App>,
    who: Who,
    Path(run): Path<i64>,
    Typed(form): Typed<GoForm>,
) -> Result<Redirect, AppError> {
    app.store.set_fleet_going(who.0.firm_id, run, form.go == "on").await?;
    Ok(Redirect::to(&format!("/fleet/{run}")))
}

#[derive(Template)]
#[template(path = "fleet_rig.html")]
struct RigPage {
    top: Top,
    run: i64,
    row: Row,
    against: &'static str,
    calls: Vec<(FleetCall, String)>,
    visit: Option<i64>,
}

/// One rig of a run: everything that was found on it beside what its owner was told.
pub(crate) async fn rig(
    State(app): State<App>,
    who: Who,
    Path((run, rig)): Path<(i64, i64)>,
) -> Result<Response, AppError> {
    let firm = who.0.firm_id;
    let found = app.store.fleet_rig(firm, run, rig).await?;
    let findings = app.store.fleet_findings(firm, run, &[rig]).await?.remove(&rig).unwrap_or_default();
    let against = match found.against.as_deref() {
        Some("hand-over") => crate::t("fleet.against-hand-over"),
        Some("run") => crate::t("fleet.against-run"),
        _ => crate::t("fleet.against-nothing"),
    };
    let calls = app.store.fleet_calls(firm, run, rig).await?;
    let visits = app.store.visits_of(firm, rig).await?;
    html(&RigPage {
        row: Row {
            call_for: found.call_for.as_deref().and_then(Severity::of),
            told: told(&found, &findings, true)?,
            rig: found,
        },
        calls: calls.into_iter().map(|c| (c.clone(), when(&c.at))).collect(),
        visit: visits.iter().find(|v| !v.withdrawn).map(|v| v.id),
        top: Top::new(&who, "practice", None),
        run,
        against,
    })
}

#[derive(Deserialize)]
pub(crate) struct CallForm {
    #[serde(default)]
    reached: String,
    note: String,
}

/// Enters a call to the owner of a rig.
pub(crate) async fn call(
    State(app): State<App>,
    who: Who,
    Path((run, rig)): Path<(i64, i64)>,
    Typed(form): Typed<CallForm>,
) -> Result<Redirect, AppError> {
    let call = (form.reached == "yes", form.note.trim());
    app.store.add_fleet_call(who.0.firm_id, (run, rig), call, who.0.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/fleet/{run}/rigs/{rig}")))
}

/// Whose a rig is and how to reach them.
pub(crate) fn reached_at(rig: &FleetRig) -> String {
    if rig.contact.is_empty() { rig.customer.clone() } else { format!("{}, {}", rig.customer, rig.contact) }
}

/// A letter to an owner: its words are those of the owner's language and region.
struct Letter {
    text: &'static Text,
    title: String,
    from: String,
    to: String,
    lines: Vec<Vec<String>>,
}

impl Letter {
    fn t(&self, message: &str) -> String {
        self.text.say(message, &[])
    }
}

#[derive(Template)]
#[template(path = "fleet_letters.html")]
struct LettersPage {
    top: Top,
    run: i64,
    letters: Vec<Letter>,
    next: Option<String>,
    rest: String,
}

/// Letters to the owners of the rigs that are sought, of those alone who are to be called.
pub(crate) async fn letters(
    State(app): State<App>,
    who: Who,
    Path(run): Path<i64>,
    Query(asked): Query<Asked>,
) -> Result<Response, AppError> {
    let firm = who.0.firm_id;
    app.store.fleet_run(firm, run).await?;
    let name = app.store.firm_name(firm).await?;
    let day = crate::zone::day(&app.clock.now()).to_string();
    let sought = FleetSought { shown: FleetShown::Calls, ..asked.sought()? };
    let (list, next) = rows(&app, (firm, run), &sought, LETTERS).await?;
    let mut letters = Vec::new();
    for (rig, findings) in list {
        let region = ProfileId::parse(&rig.profile).and_then(|p| Locale::of(&p.profile().locale));
        let text = Text::of(rig.language.as_deref().and_then(Locale::of).or(region).unwrap_or(Locale::EnGb));
        let mut lines = Vec::new();
        for f in news(&rig, &findings) {
            let v = read(f)?;
            if let Some(rule) = Rule::of(&v.rule).filter(|_| v.severity >= Severity::BeforeUse) {
                let words = murvet_text::owner::told(text, (v.severity, rule.hazard, v.certainty), &v.names);
                lines.push((std::cmp::Reverse(v.severity), words));
            }
        }
        lines.sort();
        letters.push(Letter {
            title: text.say("fleet-letter-title", &[("rig", rig.rig.as_str().into())]),
            from: text.say("fleet-letter-from", &[("firm", name.as_str().into()), ("day", day.as_str().into())]),
            to: reached_at(&rig),
            lines: lines.into_iter().map(|(_, l)| l).collect(),
            text,
        });
    }
    let next = next.as_ref().map(place_words);
    html(&LettersPage { top: Top::new(&who, "practice", None), run, letters, next, rest: asked.rest() })
}

/// The list of calls as CSV: for whoever calls, so with names.
pub(crate) async fn calls_csv(
    State(app): State<App>,
    who: Who,
    Path(run): Path<i64>,
    Query(asked): Query<Asked>,
) -> Result<Response, AppError> {
    let firm = who.0.firm_id;
    app.store.fleet_run(firm, run).await?;
    let mut sought = asked.sought()?;
    let mut lines = Vec::new();
    loop {
        let (list, next) = rows(&app, (firm, run), &sought, AT_ONCE).await?;
        for (rig, findings) in list {
            let news: Vec<&str> = news(&rig, &findings).map(|f| f.statement.as_str()).collect();
            lines.push(vec![
                rig.call_for.unwrap_or_default(),
                rig.due_on.map_or_else(String::new, |d| d.to_string()),
                rig.rig_id.to_string(),
                rig.rig,
                rig.customer,
                rig.contact,
                rig.language.unwrap_or_default(),
                rig.builder,
                rig.built.map_or_else(String::new, |y| y.to_string()),
                rig.changes.to_string(),
                news.join(" "),
                rig.trouble.unwrap_or_default(),
            ]);
        }
        let Some(next) = next else { break };
        sought.after = Some(next);
    }
    let head = [
        "call for",
        "due",
        "number",
        "rig",
        "customer",
        "contact",
        "language",
        "builder",
        "built",
        "changes",
        "new",
        "not judged",
    ];
    table(&format!("calls-{run}"), &head, lines.into_iter())
}

/// Faults by rule, builder and age as CSV: no owner is in it.
pub(crate) async fn figures_csv(State(app): State<App>, who: Who, Path(run): Path<i64>) -> Result<Response, AppError> {
    app.store.fleet_run(who.0.firm_id, run).await?;
    let figures = app.store.fleet_figures(who.0.firm_id, run).await?;
    let row = |f: FleetFigure| {
        let years = f.years_from.map_or_else(String::new, |y| format!("{y} to {}", y + 4));
        vec![f.rule, f.builder, years, f.rigs.to_string(), f.found.to_string(), f.new.to_string()]
    };
    let head = ["rule", "builder", "built", "rigs judged", "rigs with it", "rigs to which it is new"];
    table(&format!("faults-{run}"), &head, figures.into_iter().map(row))
}
