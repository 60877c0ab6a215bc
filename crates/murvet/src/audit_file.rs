//! Commands that need no database.

use murvet_core::audit::{audit as judge, choose_profile, spice};
use murvet_core::audit_report::AuditReport;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::ProfileId;
use murvet_core::rig::{Rig, Spot};
use std::io::Read;
use std::path::Path;
use std::process::ExitCode;

/// Exit code for input that cannot be read.
const BAD_INPUT: u8 = 2;

fn complain(lines: &[String]) -> ExitCode {
    for line in lines {
        eprintln!("{line}");
    }
    ExitCode::from(BAD_INPUT)
}

/// Reads a rig in either form; JSON starts with a brace.
fn read(file: &Path) -> Result<Rig, Vec<String>> {
    let name = file.display();
    let mut text = String::new();
    let got = if file.as_os_str() == "-" {
        std::io::stdin().read_to_string(&mut text).map(|_| ())
    } else {
        std::fs::read_to_string(file).map(|t| text = t)
    };
    got.map_err(|e| vec![format!("{name}: {e}")])?;
    let text = text.trim_start_matches('\u{feff}');
    if text.trim_start().starts_with('{') {
        Rig::from_json(text).map_err(|problems| {
            let line = |p: &murvet_core::rig::Problem| {
                let at = match &p.spot {
                    Spot::Text { line, column } => format!("{line}:{column}"),
                    Spot::Place(i) => format!("places[{i}]"),
                    Spot::Piece(i) => format!("pieces[{i}]"),
                    Spot::Run(i, None) => format!("runs[{i}]"),
                    Spot::Run(i, Some(step)) => format!("runs[{i}].steps[{step}]"),
                    Spot::Cable(i) => format!("cables[{i}]"),
                    Spot::Remark(i) => format!("remarks[{i}]"),
                    Spot::Choice(i) => format!("choices[{i}]"),
                };
                format!("{name}:{at}: {}; {}", p.message, p.help)
            };
            problems.iter().map(line).collect()
        })
    } else {
        parse(text).map_err(|errors| {
            errors.iter().map(|e| format!("{name}:{}:{}: {}; {}", e.line, e.column, e.message, e.help)).collect()
        })
    }
}

/// `murvet audit`.
pub(crate) fn audit(file: &Path, profile: Option<&str>, format: &str) -> ExitCode {
    let asked = match profile.map(|p| (p, ProfileId::parse(p))) {
        None => None,
        Some((_, Some(profile))) => Some(profile),
        Some((word, None)) => return complain(&[format!("\"{word}\" is no profile; expected na-rv, eu-uk or au-nz")]),
    };
    if !["text", "json"].contains(&format) {
        return complain(&[format!("\"{format}\" is no format; expected text or json")]);
    }
    let rig = match read(file) {
        Ok(rig) => rig,
        Err(lines) => return complain(&lines),
    };
    let audit = judge(&rig, choose_profile(&rig, asked));
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
    match murvet_core::schema(what) {
        Some(text) => {
            println!("{text}");
            ExitCode::SUCCESS
        }
        None => complain(&[format!("\"{what}\" has no schema; expected rig or audit")]),
    }
}
