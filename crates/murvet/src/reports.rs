//! What is done at the rig, from the command line: isolation steps, plan, repairs, uses, diagnosis.

use crate::audit_file::{complain, judge, limits_of, placed, read, read_text, text_of};
use crate::{AtHand, Visit};
use murvet_core::audit::Audit;
use murvet_core::readings::VisitKind;
use murvet_core::reports::{
    Asked, DayReport, PlanReport, StepsReport, day as planned_day, diagnosis, isolation, readings_of, repairs as tried,
    steps as made, test_plan, uses_by,
};
use murvet_core::rig::Rig;
use murvet_core::work::day::read as read_day;
use murvet_core::work::{part, read as read_steps};
use serde::Serialize;
use std::path::Path;
use std::process::ExitCode;

/// What was asked for is a format that there is.
fn known_format(asked: &AtHand) -> Result<(), Vec<String>> {
    if ["text", "json"].contains(&asked.format.as_str()) {
        Ok(())
    } else {
        Err(vec![format!("\"{}\" is no format; expected text or json", asked.format)])
    }
}

/// Reads what was asked for and audits it.
fn audited(asked: &AtHand) -> Result<(Rig, Audit), Vec<String>> {
    known_format(asked)?;
    let rig = read(&asked.file)?;
    let audit = judge(&rig, &limits_of(asked.profile.as_deref(), &rig)?);
    Ok((rig, audit))
}

/// The readings of the file that was named, none without one.
fn readings(asked: &AtHand) -> Result<Vec<(String, f64)>, Vec<String>> {
    let Some(file) = &asked.readings else { return Ok(Vec::new()) };
    let named = |e: String| vec![format!("{}: {e}", file.display())];
    readings_of(&std::fs::read_to_string(file).map_err(|e| named(e.to_string()))?).map_err(named)
}

fn told<R: Serialize>(asked: &AtHand, report: &R, text: impl Fn(&R) -> String) -> ExitCode {
    if asked.format == "text" {
        print!("{}", text(report));
        return ExitCode::SUCCESS;
    }
    match serde_json::to_string_pretty(report) {
        Ok(json) => {
            println!("{json}");
            ExitCode::SUCCESS
        }
        Err(e) => complain(&[e.to_string()]),
    }
}

/// `murvet isolate`.
pub(crate) fn isolate(asked: &AtHand) -> ExitCode {
    match audited(asked) {
        Ok((_, audit)) => told(asked, &isolation(&audit), |r| r.text()),
        Err(lines) => complain(&lines),
    }
}

/// `murvet plan`.
pub(crate) fn plan(asked: &AtHand, visit: &Visit) -> ExitCode {
    match planned(asked, visit) {
        Ok(report) => told(asked, &report, |r| r.text()),
        Err(lines) => complain(&lines),
    }
}

fn planned(asked: &AtHand, visit: &Visit) -> Result<PlanReport, Vec<String>> {
    let kind = VisitKind::of(&visit.visit).ok_or_else(|| {
        let known: Vec<&str> = VisitKind::ALL.iter().map(|k| k.code()).collect();
        vec![format!("\"{}\" is no kind of visit; expected {}", visit.visit, known.join(", "))]
    })?;
    let minutes = minutes_of(visit.hours)?;
    let (_, now) = audited(asked)?;
    let before = match &visit.before {
        Some(file) => Some(judge(&read(file)?, &now.profile)),
        None => None,
    };
    let plan = Asked { visit: kind, before: before.as_ref(), minutes, readings: &readings(asked)? };
    test_plan(&now, &plan).map_err(|e| vec![e])
}

/// Hours as minutes.
fn minutes_of(hours: Option<f64>) -> Result<Option<u32>, Vec<String>> {
    match hours {
        Some(h) if !(0.1..=24.0).contains(&h) => Err(vec![format!("{h} hours: a visit takes between 0.1 and 24")]),
        hours => Ok(hours.map(|h| (h * 60.0).round() as u32)),
    }
}

/// `murvet repairs`.
pub(crate) fn repairs(asked: &AtHand) -> ExitCode {
    match audited(asked) {
        Ok((rig, audit)) => told(asked, &tried(&rig, &audit), |r| r.text()),
        Err(lines) => complain(&lines),
    }
}

/// `murvet uses`.
pub(crate) fn uses(asked: &AtHand) -> ExitCode {
    let report = audited(asked).and_then(|(_, audit)| uses_by(&audit, &readings(asked)?).map_err(|e| vec![e]));
    match report {
        Ok(report) => told(asked, &report, |r| r.text()),
        Err(lines) => complain(&lines),
    }
}

/// `murvet diagnose`.
pub(crate) fn diagnose(asked: &AtHand) -> ExitCode {
    let report = audited(asked).and_then(|(_, audit)| diagnosis(&audit, &readings(asked)?).map_err(|e| vec![e]));
    match report {
        Ok(report) => told(asked, &report, |r| r.text()),
        Err(lines) => complain(&lines),
    }
}

/// `murvet steps`: fails where a step was not made or the rig is left so as it is not to be left.
pub(crate) fn steps(asked: &AtHand, list: Option<&Path>) -> ExitCode {
    match stepped(asked, list) {
        Ok(report) => {
            let done = told(asked, &report, |r| r.text());
            if report.holds() { done } else { ExitCode::FAILURE }
        }
        Err(lines) => complain(&lines),
    }
}

fn stepped(asked: &AtHand, list: Option<&Path>) -> Result<StepsReport, Vec<String>> {
    known_format(asked)?;
    let whole = text_of(&asked.file)?;
    let (rig, steps, from) = match list {
        Some(file) => (whole, text_of(file)?, file),
        None => {
            let (rig, steps) = part(&whole);
            (rig, steps, asked.file.as_path())
        }
    };
    let rig = read_text(&asked.file, &rig)?;
    let entries = read_steps(&steps).map_err(|errors| placed(from, &errors))?;
    if entries.is_empty() {
        let say = format!("{}: no steps; write them below the rig, or name their file with --steps", from.display());
        return Err(vec![say]);
    }
    let audit = judge(&rig, &limits_of(asked.profile.as_deref(), &rig)?);
    Ok(made(&audit, &rig, &entries))
}

/// `murvet day`.
pub(crate) fn day(asked: &AtHand, file: Option<&Path>, hours: Option<f64>) -> ExitCode {
    match day_planned(asked, file, hours) {
        Ok(report) => told(asked, &report, |r| r.text()),
        Err(lines) => complain(&lines),
    }
}

fn day_planned(asked: &AtHand, file: Option<&Path>, hours: Option<f64>) -> Result<DayReport, Vec<String>> {
    let text = file.map_or_else(|| Ok(String::new()), text_of)?;
    let name = file.unwrap_or(asked.file.as_path());
    let (mut day, own) = read_day(&text).map_err(|errors| placed(name, &errors))?;
    if let Some(minutes) = minutes_of(hours)? {
        day.minutes = minutes;
    }
    let (rig, audit) = audited(asked)?;
    planned_day(&rig, &audit, &day, &own).map_err(|e| vec![e])
}
