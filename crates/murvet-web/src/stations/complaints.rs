//! Complaints and lists of repairs: as they were told, which test shows each, and how it ended.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{Head, VisitContext, html, outcome, when};
use crate::stations::readings::urlencode;
use crate::stations::states::link_of;
use askama::Template;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use murvet_core::catalogue::Kind;
use murvet_core::complaints::{Complaint, Standing, Symptom, reproduced_by};
use murvet_core::readings::{Outcome, Test};
use murvet_store::{NewComplaint, Reading};
use serde::Deserialize;

/// Longest line of a complaint, characters, and most lines of a list.
const MOST_CHARS: usize = 400;
const MOST_LINES: usize = 200;
/// Tests named with a complaint.
const OFFERED: usize = 4;

/// A complaint with how it stands.
pub(crate) struct Told {
    pub id: i64,
    pub told_by: String,
    pub words: String,
    pub symptom: Symptom,
    about: Option<String>,
    on: Option<String>,
    delay_min: Option<u32>,
    pub standing: Standing,
    /// The test it ended by.
    pub test: Option<String>,
    /// What was seen or why it was left, by whom and when.
    pub note: String,
    by: String,
}

impl Told {
    /// As the model understands it.
    pub fn complaint(&self) -> Complaint {
        Complaint { symptom: self.symptom, about: self.about.clone(), on: self.on.clone(), delay_min: self.delay_min }
    }

    /// How it ended, by what and whom, in words; empty while it is open.
    pub fn ended(&self, tests: &[Test]) -> String {
        match &self.test {
            _ if self.standing == Standing::Open => String::new(),
            Some(id) => {
                let title = tests.iter().find(|t| t.id == *id).map_or(id.as_str(), |t| &t.title);
                crate::say("complaints.ended-by", &[&self.standing.words(), &title, &self.note, &self.by])
            }
            None => crate::say("complaints.ended", &[&self.standing.words(), &self.note, &self.by]),
        }
    }

    /// What was understood of it, in words.
    fn understood(&self) -> String {
        match (&self.about, &self.on) {
            (Some(about), Some(on)) => crate::say("complaints.about-on", &[about, &self.symptom.words(), on]),
            (Some(about), None) => format!("{about} {}", self.symptom.words()),
            (None, _) if self.symptom == Symptom::Other => String::new(),
            (None, _) => self.symptom.words().to_owned(),
        }
    }
}

/// The complaints of a visit in order, each with its newest standing.
pub(crate) async fn told(app: &App, firm: i64, visit: i64) -> Result<Vec<Told>, AppError> {
    let standings = app.store.standings(firm, visit).await?;
    let list = app.store.complaints(firm, visit).await?;
    Ok(list
        .into_iter()
        .map(|c| {
            let newest = standings.iter().rfind(|s| s.complaint_id == c.id);
            let by = newest.map_or((&c.person, &c.at), |s| (&s.person, &s.at));
            Told {
                id: c.id,
                by: format!("{}, {}", by.0, when(by.1)),
                symptom: Symptom::parse(&c.symptom).unwrap_or(Symptom::Other),
                about: c.about,
                on: c.on_source,
                delay_min: c.delay_minutes.and_then(|m| u32::try_from(m).ok()),
                standing: newest.and_then(|s| Standing::of(&s.standing)).unwrap_or(Standing::Open),
                test: newest.and_then(|s| s.test.clone()),
                note: newest.map_or_else(String::new, |s| s.note.clone()),
                told_by: c.told_by,
                words: c.words,
            }
        })
        .collect())
}

/// One offered test: address, title, and the outcome of its newest reading.
struct Shows {
    id: String,
    at: String,
    title: String,
    outcome: Option<Outcome>,
}

struct Row {
    told: Told,
    understood: String,
    /// The load test that would show it: its address.
    load: Option<String>,
    shows: Vec<Shows>,
    ended: String,
}

#[derive(Template)]
#[template(path = "complaints.html")]
struct ComplaintsPage {
    head: Head,
    /// What was noted when the visit was opened.
    opened_with: String,
    lists: Vec<(String, Vec<Row>)>,
    open: usize,
    all: usize,
    symptoms: Vec<(&'static str, &'static str)>,
    /// Tests named with a complaint; all of them can be chosen.
    named: usize,
    components: Vec<(String, String)>,
    sources: Vec<String>,
    ends: Vec<(&'static str, &'static str)>,
    problem: Option<String>,
    form: NewForm,
    list_form: ListForm,
}

/// What is typed to enter a complaint.
#[derive(Deserialize, Default)]
pub(crate) struct NewForm {
    told_by: String,
    words: String,
    symptom: String,
    #[serde(default)]
    about: String,
    #[serde(default)]
    on: String,
    /// Minutes until it shows.
    #[serde(default)]
    delay: String,
    /// Where to go back to.
    #[serde(default)]
    back: String,
}

/// What is typed to take over a list.
#[derive(Deserialize, Default)]
pub(crate) struct ListForm {
    told_by: String,
    lines: String,
}

/// The readings of a test in order, whether each cleared; nothing where there is none. What does not settle shows nothing, and
/// what is of lower rank clears nothing.
fn shown(readings: &[Reading], test: &str) -> Vec<bool> {
    let own = readings.iter().filter(|r| r.test == test && outcome(r) != Outcome::Unsettled);
    let cleared = |r: &Reading| outcome(r).clears();
    own.filter(|r| !(r.lower_rank && cleared(r))).map(cleared).collect()
}

/// The load test that shows a complaint: the appliance on, in the state it was told of, for as long as it takes.
fn load_test(context: &VisitContext, told: &Told) -> Option<String> {
    let about = told.about.as_deref()?;
    let slow = matches!(
        told.symptom,
        Symptom::ShutsDown | Symptom::Weak | Symptom::Dim | Symptom::Trips | Symptom::Hot | Symptom::Smells
    );
    let net = &context.audit.net;
    let ctx = context.audit.context();
    let c = net.consumers.iter().find(|c| ctx.id(c.component) == about).filter(|_| slow)?;
    let on = told.on.as_deref();
    let fed = |s: &&murvet_core::states::State| {
        let by = s.live.sources_at(net, c.plus).find(|i| on.is_none_or(|o| ctx.id(net.sources[*i].component) == o));
        by.is_some()
    };
    let state = context.audit.states.states.iter().find(fed)?;
    let with = format!("on={}&minutes={}&", urlencode(about), told.complaint().load_min());
    Some(link_of(state, &with))
}

async fn page(
    app: &App,
    context: &VisitContext,
    problem: Option<String>,
    form: NewForm,
    list_form: ListForm,
) -> Result<Response, AppError> {
    let (firm, visit) = (context.firm, context.visit.id);
    let readings = app.store.readings(firm, visit).await?;
    let tests = context.audit.tests();
    let row = |t: Told| {
        let test = |t: &&Test| Shows {
            at: urlencode(&t.id),
            id: t.id.to_string(),
            title: t.title.clone(),
            outcome: readings.iter().rfind(|r| r.test == t.id).map(outcome),
        };
        let list = reproduced_by(tests, &t.complaint());
        let load = load_test(context, &t);
        Row { load, understood: t.understood(), shows: list.iter().map(test).collect(), ended: t.ended(tests), told: t }
    };
    let all = told(app, firm, visit).await?;
    let open = all.iter().filter(|t| t.standing == Standing::Open).count();
    let mut lists: Vec<(String, Vec<Row>)> = Vec::new();
    let count = all.len();
    for t in all {
        match lists.iter_mut().find(|(by, _)| *by == t.told_by) {
            Some((_, rows)) => rows.push(row(t)),
            None => lists.push((t.told_by.clone(), vec![row(t)])),
        }
    }
    let ctx = context.audit.context();
    let sources = context.audit.net.sources.iter().map(|s| ctx.id(s.component).to_owned());
    let mut sources: Vec<String> = sources.collect();
    sources.dedup();
    let asked = |k: Kind| !matches!(k, Kind::Bus | Kind::Chassis | Kind::Electrode);
    let components = context.rig.components.iter().filter(|p| p.status.present() && asked(p.kind));
    html(&ComplaintsPage {
        head: context.head("safe"),
        opened_with: context.visit.complaint.clone(),
        lists,
        open,
        all: count,
        named: OFFERED,
        symptoms: Symptom::ALL.iter().map(|s| (s.word(), s.words())).collect(),
        components: components.map(|p| (p.id.clone(), p.title().to_owned())).collect(),
        sources,
        ends: Standing::ENDS.iter().map(|s| (s.code(), s.words())).collect(),
        problem,
        form,
        list_form,
    })
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    page(&app, &context, None, NewForm::default(), ListForm::default()).await
}

/// Enters one complaint.
pub(crate) async fn add(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<NewForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let (by, words) = (form.told_by.trim(), form.words.trim());
    let component = form.about.trim();
    let delay = form.delay.trim().parse::<i32>().ok().filter(|m| (0..=1440).contains(m));
    let problem = if !(2..=80).contains(&by.chars().count()) {
        Some(crate::t("complaints.who-told-it").to_owned())
    } else if !(3..=MOST_CHARS).contains(&words.chars().count()) {
        Some(crate::say("complaints.as-it-was-told", &[&MOST_CHARS]))
    } else if !component.is_empty() && context.rig.component(component).is_none() {
        Some(crate::say("complaints.no-such-component", &[&component]))
    } else if !form.delay.trim().is_empty() && delay.is_none() {
        Some(crate::say("complaints.delay-in-minutes", &[&form.delay]))
    } else {
        None
    };
    let symptom = Symptom::parse(&form.symptom);
    let (Some(symptom), None) = (symptom, &problem) else {
        let problem = problem.or_else(|| Some(crate::t("complaints.say-what-kind").to_owned()));
        let page = page(&app, &context, problem, form, ListForm::default()).await?;
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    };
    let some = |text: &'_ str| (!text.trim().is_empty()).then(|| text.trim().to_owned());
    let (about, on) = (some(component), some(&form.on));
    let new = NewComplaint {
        told_by: by,
        words,
        symptom: symptom.word(),
        about: about.as_deref(),
        on_source: on.as_deref(),
        delay_minutes: delay,
    };
    app.store.add_complaints(context.firm, visit, &[new], context.person.id, app.clock.now()).await?;
    let back = if form.back == "diagnosis" { "diagnosis" } else { "complaints" };
    Ok(Redirect::to(&format!("/visits/{visit}/{back}")).into_response())
}

/// Takes over somebody's list, a line each, as it was told. Numbers and dashes before a line are left away; empty lines too.
pub(crate) async fn add_list(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<ListForm>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let by = form.told_by.trim();
    let plain = |line: &str| -> String {
        let bare = line.trim().trim_start_matches(|c: char| c.is_ascii_digit() || " .)-*•".contains(c));
        bare.split_whitespace().collect::<Vec<_>>().join(" ")
    };
    let lines: Vec<(usize, String)> =
        form.lines.lines().map(plain).enumerate().filter(|(_, l)| !l.is_empty()).collect();
    let long = lines.iter().find(|(_, l)| l.chars().count() > MOST_CHARS);
    let problem = if !(2..=80).contains(&by.chars().count()) {
        Some(crate::t("complaints.whose-list").to_owned())
    } else if lines.is_empty() || lines.len() > MOST_LINES {
        Some(crate::say("complaints.lines", &[&MOST_LINES]))
    } else {
        long.map(|(n, _)| crate::say("complaints.long-line", &[&(n + 1), &MOST_CHARS]))
    };
    if problem.is_some() {
        let page = page(&app, &context, problem, NewForm::default(), form).await?;
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
    }
    let new = |(_, words): &'_ (usize, String)| -> (String, Option<String>, Symptom) {
        let (symptom, about) = guess(&context, words);
        (words.clone(), about, symptom)
    };
    let understood: Vec<_> = lines.iter().map(new).collect();
    let list: Vec<NewComplaint<'_>> = understood
        .iter()
        .map(|(words, about, symptom)| NewComplaint {
            told_by: by,
            words,
            symptom: symptom.word(),
            about: about.as_deref(),
            on_source: None,
            delay_minutes: None,
        })
        .collect();
    app.store.add_complaints(context.firm, visit, &list, context.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/complaints")).into_response())
}

/// What a line of a list is about, by the names and labels of the rig that stand in it, and what kind it is, by a few words.
/// Nothing is lost where it is not understood: the line stands as it was told, and its test is chosen by hand.
fn guess(context: &VisitContext, words: &str) -> (Symptom, Option<String>) {
    let low = words.to_lowercase();
    // Whole words only: "in" is no inverter called "inv".
    let spaced = |text: &str| -> String {
        let plain: String = text.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { ' ' }).collect();
        format!(" {} ", plain.split_whitespace().collect::<Vec<_>>().join(" "))
    };
    let line = spaced(words);
    let named = |name: &str| line.contains(&spaced(name));
    let component = context.rig.components.iter().filter(|p| p.status.present());
    let about = component.filter(|p| named(&p.id) || named(p.title())).max_by_key(|p| p.title().len().max(p.id.len()));
    let any = |list: &[&str]| list.iter().any(|w| low.contains(w));
    let symptom = if any(&["shuts down", "cuts out", "stops by itself", "switches off by itself"]) {
        Symptom::ShutsDown
    } else if any(&["flat by morning", "flat in the morning", "flat overnight"]) {
        Symptom::FlatByMorning
    } else if any(&["smell", "burn"]) {
        Symptom::Smells
    } else if any(&["dim", "flicker"]) {
        Symptom::Dim
    } else if any(&["trip", "pops", "blows", "opens by"]) {
        Symptom::Trips
    } else if any(&["tingl", "shock"]) {
        Symptom::Tingles
    } else if any(&["hot", "melt", "scorch"]) {
        Symptom::Hot
    } else if any(&["flat", "goes down", "not charg", "does not charge", "falls", "drain"]) {
        Symptom::Falls
    } else if any(&["slow", "weak", "sags"]) {
        Symptom::Weak
    } else if any(&["dead", "no power", "not work", "off", "nothing"]) {
        Symptom::Dead
    } else {
        Symptom::Other
    };
    (symptom, about.map(|p| p.id.clone()))
}

#[derive(Deserialize)]
pub(crate) struct EndForm {
    standing: String,
    test: String,
    note: String,
}

/// Says how a complaint ends, by the test that shows it.
pub(crate) async fn end(
    State(app): State<App>,
    who: Who,
    Path((visit, complaint)): Path<(i64, i64)>,
    Typed(form): Typed<EndForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let standing = Standing::of(&form.standing).ok_or(AppError::NotFound)?;
    let test = form.test.trim();
    let note = form.note.trim();
    if !(3..=MOST_CHARS).contains(&note.chars().count()) {
        return Err(AppError::BadInput(crate::t("complaints.write-what-you-saw").to_owned()));
    }
    let readings = app.store.readings(context.firm, visit).await?;
    let by_test = shown(&readings, test);
    if let Some(why) = standing.refused((!test.is_empty()).then_some(&by_test[..])) {
        return Err(AppError::NotYet(why.to_owned()));
    }
    let test = (!test.is_empty()).then_some(test);
    let said = (standing.code(), test, note);
    app.store.add_standing(context.firm, visit, complaint, said, context.person.id, app.clock.now()).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/complaints#c{complaint}")))
}
