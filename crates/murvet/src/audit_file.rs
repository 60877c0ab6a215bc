//! Commands that need no database.

use murvet_core::audit::{Audit, audit_for, choose_profile, spice};
use murvet_core::audit_report::AuditReport;
use murvet_core::capacity::HALF_HOUR;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::{Profile, ProfileId};
use murvet_core::rig::Rig;
use murvet_core::states::Memory;
use std::io::Read;
use std::path::Path;
use std::process::ExitCode;

/// Exit code for input that cannot be read.
const BAD_INPUT: u8 = 2;

pub(crate) fn complain(lines: &[String]) -> ExitCode {
    for line in lines {
        eprintln!("{line}");
    }
    ExitCode::from(BAD_INPUT)
}

/// The text of a file, of standard input for `-`.
pub(crate) fn text_of(file: &Path) -> Result<String, Vec<String>> {
    let mut text = String::new();
    let got = if file.as_os_str() == "-" {
        std::io::stdin().read_to_string(&mut text).map(|_| ())
    } else {
        std::fs::read_to_string(file).map(|t| text = t)
    };
    got.map_err(|e| vec![format!("{}: {e}", file.display())])?;
    Ok(text.trim_start_matches('\u{feff}').to_owned())
}

/// Errors with the place of each in a file.
pub(crate) fn placed(file: &Path, errors: &[murvet_core::notation::Diagnostic]) -> Vec<String> {
    let name = file.display();
    errors.iter().map(|e| format!("{name}:{}:{}: {}; {}", e.line, e.column, e.message, e.help)).collect()
}

/// Reads a rig in either form; JSON starts with a brace.
pub(crate) fn read(file: &Path) -> Result<Rig, Vec<String>> {
    read_text(file, &text_of(file)?)
}

/// Reads a rig from the text of a file.
pub(crate) fn read_text(file: &Path, text: &str) -> Result<Rig, Vec<String>> {
    if text.trim_start().starts_with('{') {
        Rig::from_json(text).map_err(|problems| {
            let name = file.display();
            let line = |p: &murvet_core::meaning::Problem| format!("{name}:{}: {}; {}", p.spot, p.message, p.help);
            problems.iter().map(line).collect()
        })
    } else {
        parse(text).map_err(|errors| placed(file, &errors))
    }
}

/// The limits that were asked for: a profile by its word, or a file with one; without either the rig's own.
///
/// # Errors
/// Lines that say what is wrong with the word or the file.
pub(crate) fn limits_of(asked: Option<&str>, rig: &Rig) -> Result<Profile, Vec<String>> {
    let Some(word) = asked else { return Ok(choose_profile(rig, None).profile().clone()) };
    if let Some(id) = ProfileId::parse(word) {
        return Ok(id.profile().clone());
    }
    let text = std::fs::read_to_string(word).map_err(|e| {
        let none = format!("\"{word}\" is no profile; expected {}, or a file with one", ProfileId::words());
        vec![if e.kind() == std::io::ErrorKind::NotFound { none } else { format!("{word}: {e}") }]
    })?;
    Profile::read(&text).map_err(|wrong| wrong.iter().map(|t| format!("{word}: {t}")).collect())
}

/// Audits a rig by limits.
pub(crate) fn judge(rig: &Rig, limits: &Profile) -> Audit {
    audit_for(rig, limits, &[], &Memory::default())
}

/// `murvet audit`.
pub(crate) fn audit(file: &Path, profile: Option<&str>, format: &str) -> ExitCode {
    if !["text", "json"].contains(&format) {
        return complain(&[format!("\"{format}\" is no format; expected text or json")]);
    }
    let rig = match read(file) {
        Ok(rig) => rig,
        Err(lines) => return complain(&lines),
    };
    let limits = match limits_of(profile, &rig) {
        Ok(limits) => limits,
        Err(lines) => return complain(&lines),
    };
    let audit = judge(&rig, &limits);
    let report = AuditReport::new(&audit).with_faults(&audit);
    if format == "json" {
        match serde_json::to_string_pretty(&report) {
            Ok(text) => println!("{text}"),
            Err(e) => return complain(&[e.to_string()]),
        }
    } else {
        print!("{}", report.text());
    }
    ExitCode::from(u8::from(audit.blocks_use()))
}

/// `murvet running`: what these appliances bring about with the named controls moved.
pub(crate) fn running(file: &Path, on: &[String], with: &[String], sun: bool, minutes: Option<f64>) -> ExitCode {
    if let Some(m) = minutes.filter(|m| !(1.0..=1440.0).contains(m)) {
        return complain(&[format!("{m} minutes: a load test takes between 1 and 1440")]);
    }
    let rig = match read(file) {
        Ok(rig) => rig,
        Err(lines) => return complain(&lines),
    };
    let audit = judge(&rig, choose_profile(&rig, None).profile());
    let net = &audit.net;
    let mut controls = vec![0u8; net.controls.len()];
    for moved in with {
        let (name, at) = moved.split_once('=').unwrap_or((moved, ""));
        let Some(index) = net.controls.iter().position(|c| c.name == name) else {
            let names: Vec<&str> = net.controls.iter().map(|c| c.name.as_str()).collect();
            return complain(&[format!("no control is called \"{name}\"; there are {}", names.join(", "))]);
        };
        let positions = &net.controls[index].positions;
        let place = if at.is_empty() { Some(1) } else { positions.iter().position(|p| p == at) };
        match place.filter(|p| *p < positions.len()) {
            Some(p) => controls[index] = p as u8,
            None => return complain(&[format!("{name} has no position \"{at}\"; it has {}", positions.join(", "))]),
        }
    }
    let known = |id: &&String| net.consumers.iter().any(|c| rig.components[c.component].id == **id);
    if let Some(strange) = on.iter().find(|id| !known(id)) {
        return complain(&[format!("\"{strange}\" is no appliance of this rig")]);
    }
    let Some(state) = murvet_core::states::settle_at(net, &controls) else {
        return complain(&["the automatic devices never come to rest at this setting".to_owned()]);
    };
    let on: Vec<&str> = on.iter().map(String::as_str).collect();
    let running = murvet_core::capacity::running_in(&audit, &state, &on, sun);
    print!("{}", running.text(&state.describe(net)));
    if let Some(course) = murvet_core::capacity::course(&audit, &state, &on, minutes.unwrap_or(HALF_HOUR)) {
        print!("{}", course.text());
    }
    ExitCode::SUCCESS
}

/// `murvet export`.
pub(crate) fn export(file: &Path, format: &str) -> ExitCode {
    match (read(file), format) {
        (Err(lines), _) => complain(&lines),
        (Ok(rig), "json") => {
            println!("{}", rig.to_json());
            ExitCode::SUCCESS
        }
        (Ok(rig), "notation") => {
            print!("{}", print(&rig));
            ExitCode::SUCCESS
        }
        (Ok(rig), "spice") => {
            print!("{}", spice(&rig, choose_profile(&rig, None)));
            ExitCode::SUCCESS
        }
        _ => complain(&[format!("\"{format}\" is no format; expected notation, json or spice")]),
    }
}

/// `murvet schema`.
pub(crate) fn schema(what: &str) -> ExitCode {
    let own = || (what == "record").then(|| format!("{:#}", murvet_visit::record::schema()));
    match murvet_core::schema(what).or_else(own) {
        Some(text) => {
            println!("{text}");
            ExitCode::SUCCESS
        }
        None => complain(&[format!(
            "\"{what}\" has no schema; expected rig, audit, isolate, plan, repairs, uses, diagnose, steps, day or record"
        )]),
    }
}
