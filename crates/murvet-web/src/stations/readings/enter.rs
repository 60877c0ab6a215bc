//! Entering readings: typed, in a grid, and delivered late.

use super::{Attempt, ReadingsQuery, Records, page, records, unguarded, urlencode};
use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::{Body, Typed, onward};
use crate::page::VisitContext;
use crate::stations::walk;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::{DateTime, Utc};
use murvet_core::readings::{LOOK, Sampled, Test, excess_words, fed_by_words, hours_words, judge_sampled};
use murvet_core::units::{Dimension, Quantity};
use murvet_store::NewReading;
use serde::{Deserialize, Serialize};

/// Most samples of one reading.
const MOST_SAMPLES: usize = 40;

fn dimension(unit: &str) -> Dimension {
    match unit {
        "V" => Dimension::Voltage,
        "A" => Dimension::Current,
        "ohm" => Dimension::Resistance,
        "%" => Dimension::Ratio,
        "Nm" => Dimension::Torque,
        "mm" => Dimension::Length,
        _ => Dimension::Time,
    }
}

/// A typed value in a unit: a bare number, a number with a unit of the same kind, or OL.
fn value_of(typed: &str, unit: &str) -> Result<f64, String> {
    if typed.eq_ignore_ascii_case("ol") {
        return Ok(f64::INFINITY);
    }
    if let Ok(value) = typed.parse::<f64>() {
        // A current may come out where it should go in.
        let least = match unit {
            "A" => -1e6,
            "C" => -60.0,
            _ => 0.0,
        };
        return if (least..1e12).contains(&value) {
            Ok(value)
        } else {
            Err(crate::say("readings.is-out-of-range-type", &[&typed]))
        };
    }
    if matches!(unit, "K" | "C" | "Hz") {
        return Err(crate::say("readings.type-a-number-in-or", &[&typed, &unit]));
    }
    let wanted = dimension(unit);
    let (sign, plain) = match typed.strip_prefix('-').filter(|_| unit == "A") {
        Some(rest) => (-1.0, rest),
        None => (1.0, typed),
    };
    match Quantity::parse(plain) {
        Ok(q) if q.dimension == wanted => Ok(sign
            * match unit {
                "ms" => q.si * 1000.0,
                "%" => q.si * 100.0,
                "mm" => q.si * 1000.0,
                _ => q.si,
            }),
        Ok(q) => Err(crate::say("readings.has-the-wrong-unit-this", &[&q.text, &unit])),
        Err(e) => Err(crate::say("readings.type-a-number-in-or", &[&e, &unit])),
    }
}

/// What was typed for a test: one value, several samples parted by blanks or semicolons, the values of a test that takes
/// several, and `~` where it wanders.
fn read(typed: &str, test: &Test) -> Result<Sampled, String> {
    let typed = typed.trim().replace(',', ".");
    if test.unit == LOOK {
        let value = match typed.to_lowercase().as_str() {
            "yes" | "1" => 1.0,
            "no" | "0" => 0.0,
            _ => return Err(crate::t("readings.yes-or-no").to_owned()),
        };
        return Ok(Sampled { samples: vec![value], wanders: false });
    }
    let mut wanders = false;
    let mut words: Vec<String> = Vec::new();
    for group in typed.split(';') {
        let mut fresh = true;
        for word in group.split_whitespace() {
            let is_unit = word.starts_with(|c: char| c.is_alphabetic() || c == '%') && !word.eq_ignore_ascii_case("ol");
            match words.last_mut() {
                _ if word == "~" || word.eq_ignore_ascii_case("unstable") => wanders = true,
                Some(number) if is_unit && !fresh => number.push_str(word),
                _ => {
                    words.push(word.to_owned());
                    fresh = false;
                }
            }
        }
    }
    if words.is_empty() {
        return Err(crate::t("readings.type-what-the-meter-shows").to_owned());
    }
    if words.len() > MOST_SAMPLES {
        return Err(crate::say("readings.too-many-samples", &[&MOST_SAMPLES]));
    }
    let samples = match &test.parts {
        None => words.iter().map(|w| value_of(w, test.unit)).collect::<Result<Vec<f64>, String>>()?,
        Some(parts) if parts.list.len() != words.len() => {
            let labels: Vec<&str> = parts.list.iter().map(|p| p.label.as_str()).collect();
            return Err(crate::say("readings.takes-values", &[&labels.len(), &labels.join("; ")]));
        }
        Some(parts) => {
            let each = words.iter().zip(&parts.list);
            let values: Result<Vec<f64>, String> =
                each.map(|(w, p)| value_of(w, p.unit).map_err(|e| format!("{}: {e}", p.label))).collect();
            let values = values?;
            if values.iter().any(|v| v.is_infinite()) {
                return Err(crate::t("readings.no-over-range-here").to_owned());
            }
            values
        }
    };
    Ok(Sampled { samples, wanders })
}

/// Why a reading cannot be entered.
pub(crate) enum Refusal {
    /// The text is no value of this test.
    Value(String),
    Other(AppError),
}

impl Refusal {
    /// Why, in words; an error of ours comes back.
    pub fn words(self) -> Result<String, AppError> {
        match self {
            Refusal::Value(words) | Refusal::Other(AppError::NotYet(words)) => Ok(words),
            Refusal::Other(AppError::NotFound) => Ok(crate::t("readings.no-such-test").to_owned()),
            Refusal::Other(e) => Err(e),
        }
    }
}

/// What was read, as it was typed, and with what.
pub(crate) struct Told<'a> {
    pub test: &'a str,
    pub value: &'a str,
    /// Instruments that were chosen, by number, or `monitor`.
    pub with: &'a [String],
    /// The name it was given where it was taken.
    pub client: Option<&'a str>,
    pub at: DateTime<Utc>,
}

/// Enters one reading, which may pass a guard of the next: judged against the rig as it is now, refused where it would energise on trust or where nothing at hand
/// measures it.
pub(crate) async fn enter(
    app: &App,
    context: &VisitContext,
    tests: &[Test],
    kept: &mut Records,
    told: &Told<'_>,
) -> Result<(), Refusal> {
    let not_yet = |words: String| Refusal::Other(AppError::NotYet(words));
    let test = tests.iter().find(|t| t.id == told.test).ok_or(Refusal::Other(AppError::NotFound))?;
    if test.phase.energises() && !context.is_safe() {
        return Err(not_yet(crate::t("readings.this-reading-energises-the-rig").to_owned()));
    }
    let before = unguarded(tests, test, kept);
    if let Some(first) = before.first() {
        return Err(not_yet(crate::say("readings.not-before", &[&before.len(), &first.title])));
    }
    let with = kept.case.taken(test, told.with).map_err(not_yet)?;
    let sampled = read(told.value, test).map_err(Refusal::Value)?;
    let (value, mut verdict) =
        judge_sampled(test, &sampled).ok_or_else(|| Refusal::Value(crate::t("readings.makes-no-value").to_owned()))?;
    if let Some(excess) = excess_words(&context.audit, test, value) {
        verdict.words = format!("{} {excess}", verdict.words);
    }
    let taken: Vec<(&Test, f64)> = kept
        .readings
        .iter()
        .filter_map(|r| Some((context.audit.tests().iter().find(|t| t.id == r.test)?, r.value)))
        .collect();
    let beside = [hours_words(&context.audit, test, value), fed_by_words(&taken, test, value)];
    for words in beside.into_iter().flatten() {
        verdict.words = format!("{} {words}", verdict.words);
    }
    if with.lower {
        verdict.words = format!("{} {}", verdict.words, crate::t("readings.of-lower-rank"));
    }
    let new = NewReading {
        revision: context.revision.number,
        test: test.id.as_str(),
        title: &test.title,
        value,
        unit: test.unit,
        outcome: verdict.outcome.code(),
        words: &verdict.words,
        client: told.client,
        samples: if sampled.samples.len() > 1 { &sampled.samples } else { &[] },
        instruments: &with.instruments,
        lower_rank: with.lower,
        means: &with.means,
    };
    let added = app.store.add_reading(context.firm, context.visit.id, &new, context.person.id, told.at).await;
    let id = added.map_err(|e| Refusal::Other(e.into()))?;
    kept.add(id, &new, &context.person.name, told.at);
    Ok(())
}

/// One reading: `test`, `value` or a `part` for each value it takes, and a `tool` for each instrument that was chosen.
pub(crate) async fn record(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<Vec<(String, String)>>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let tests = context.audit.tests();
    let mut kept = records(&app, &context).await?;
    let all = |key: &str| -> Vec<String> { form.iter().filter(|(k, _)| k == key).map(|(_, v)| v.clone()).collect() };
    let test = all("test").into_iter().next_back().ok_or_else(|| AppError::BadInput("test?".to_owned()))?;
    let parts = all("part");
    // A button's value stands behind the empty one of its field.
    let typed = if parts.is_empty() { vec![all("value").pop().unwrap_or_default()] } else { parts };
    let value = typed.join(";");
    let with = all("tool");
    let from = all("from").pop().unwrap_or_default();
    let told = Told { test: &test, value: &value, with: &with, client: None, at: app.clock.now() };
    match enter(&app, &context, tests, &mut kept, &told).await {
        Ok(()) => {
            let otherwise = format!("readings?test={}#entry", urlencode(&test));
            Ok(onward(visit, &from, Some(&test), &otherwise).into_response())
        }
        Err(Refusal::Value(problem)) if from == "walk" => {
            let choice = walk::WalkQuery { test: Some(test), ..walk::WalkQuery::default() };
            let page = walk::page(&app, &context, &kept, choice, Attempt { typed, problem: Some(problem) }).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(Refusal::Value(problem)) => {
            let choice = ReadingsQuery { test: Some(test), ..ReadingsQuery::default() };
            let page = page(&context, tests, &kept, choice, Attempt { typed, problem: Some(problem) }).await?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(Refusal::Other(e)) => Err(e),
    }
}

/// Several tests at once, from the grid of a phase: each field is `v:` and the test; empty ones are left alone. What
/// cannot be taken is named, and everything else is entered.
pub(crate) async fn record_grid(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<Vec<(String, String)>>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let tests = context.audit.tests();
    let mut kept = records(&app, &context).await?;
    let mut problems = Vec::new();
    let phase = form.iter().find(|(k, _)| k == "grid").map(|(_, v)| v.clone());
    for (key, typed) in form.iter().filter(|(_, v)| !v.trim().is_empty()) {
        let Some(id) = key.strip_prefix("v:") else { continue };
        let told = Told { test: id, value: typed, with: &[], client: None, at: app.clock.now() };
        let Err(refusal) = enter(&app, &context, tests, &mut kept, &told).await else { continue };
        let title = tests.iter().find(|t| t.id == id).map_or(id, |t| &t.title);
        problems.push(format!("{title}: {}", refusal.words()?));
    }
    if !problems.is_empty() {
        return Err(AppError::BadInput(problems.join(" ")));
    }
    let grid = phase.map_or(String::new(), |p| format!("?grid={}", urlencode(&p)));
    Ok(Redirect::to(&format!("/visits/{visit}/readings{grid}")).into_response())
}

#[derive(Deserialize)]
pub(crate) struct OverrideForm {
    test: String,
    reason: String,
    #[serde(default)]
    from: String,
}

/// Lets a phase begin before its guards have passed; the reason is printed at the hand-over.
pub(crate) async fn override_guards(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<OverrideForm>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let tests = context.audit.tests();
    let test = tests.iter().find(|t| t.id == form.test).ok_or(AppError::NotFound)?;
    let reason = form.reason.trim();
    if !(10..=400).contains(&reason.chars().count()) {
        return Err(AppError::BadInput(crate::t("readings.write-why-before").to_owned()));
    }
    app.store.add_override(context.firm, visit, test.phase.code(), reason, context.person.id, app.clock.now()).await?;
    Ok(onward(visit, &form.from, None, &format!("readings?test={}#entry", urlencode(&test.id))))
}

/// A reading that waited in a browser.
#[derive(Deserialize)]
pub(crate) struct Waited {
    client: String,
    test: String,
    value: String,
    /// Instruments that were chosen.
    #[serde(default)]
    with: Vec<String>,
    at: DateTime<Utc>,
}

#[derive(Serialize)]
struct Delivered {
    client: String,
    /// Why it was not entered, and will not be.
    refused: Option<String>,
}

/// Takes what waited in a browser, in the order in which it was recorded. A name that is known is not entered again, so
/// whatever was not answered may be sent once more.
pub(crate) async fn deliver(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Body(list): Body<Vec<Waited>>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let tests = context.audit.tests();
    let mut kept = records(&app, &context).await?;
    let mut answers = Vec::new();
    for w in list.into_iter().take(200) {
        let name = w.client.len() <= 64 && w.client.chars().all(|c| c.is_ascii_alphanumeric() || c == '-');
        // A clock that is ahead counts as now.
        let at = w.at.min(app.clock.now());
        let refused = if !name || w.client.is_empty() {
            Some(crate::t("readings.no-name").to_owned())
        } else {
            let told = Told { test: &w.test, value: &w.value, with: &w.with, client: Some(&w.client), at };
            match enter(&app, &context, tests, &mut kept, &told).await {
                Ok(()) => None,
                Err(refusal) => Some(refusal.words()?),
            }
        };
        answers.push(Delivered { client: w.client, refused });
    }
    Ok(axum::Json(answers).into_response())
}

#[cfg(test)]
mod tests {
    use super::read;
    use murvet_core::readings::{Test, plan};

    fn tests() -> Vec<Test> {
        let rig = murvet_core::notation::parse(include_str!("../../../../murvet/demo/kite.rig")).expect("parses");
        plan(&murvet_core::audit::audit(&rig, murvet_core::profiles::ProfileId::EU_UK))
    }

    #[test]
    fn samples_units_and_wandering_are_read_as_they_are_typed() {
        let tests = tests();
        let of = |id: &str, typed: &str| read(typed, tests.iter().find(|t| t.id == id).expect("a test"));
        let all = [
            ("rest:house", "13,2 13.3;13.25", vec![13.2, 13.3, 13.25], false),
            ("rest:house", "13.2 V; 13300 mV ~", vec![13.2, 13.3], true),
            ("earth:galley", "80 mohm 0.09 OL", vec![0.08, 0.09, f64::INFINITY], false),
            ("rcd:cu", "0.02 s; 25", vec![20.0, 25.0], false),
            ("balance:combi", "12.7;88;228 V;4.3 A", vec![12.7, 88.0, 228.0, 4.3], false),
            ("idle:combi", "-0.2 A; 800mA unstable", vec![-0.2, 0.8], true),
            ("look:bay", "yes", vec![1.0], false),
        ];
        for (id, typed, samples, wanders) in all {
            let read = of(id, typed).unwrap_or_else(|e| panic!("{id} {typed}: {e}"));
            let near = |(a, b): (&f64, &f64)| a == b || (a - b).abs() < 1e-9;
            assert!(
                read.samples.len() == samples.len() && read.samples.iter().zip(&samples).all(near),
                "{typed}: {read:?}"
            );
            assert_eq!(read.wanders, wanders, "{typed}");
        }
        for (id, typed) in [
            ("rest:house", ""),
            ("rest:house", "~"),
            ("rest:house", "V 13"),
            ("rest:house", "13 ohm"),
            ("balance:combi", "12.7;88;228"),
            ("balance:combi", "12.7;88;228;OL"),
            ("look:bay", "13"),
        ] {
            assert!(of(id, typed).is_err(), "{id}: {typed}");
        }
        assert!(of("rest:house", &"13 ".repeat(41)).is_err());
    }
}
