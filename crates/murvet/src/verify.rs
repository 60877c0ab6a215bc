//! `murvet verify`: whether a signed hand-over record or a bundle is what was signed.

use murvet_bundle::{Seal, hex, open, unhex};
use murvet_store::verify_record;
use std::path::Path;
use std::process::ExitCode;

fn check(text: &str) -> Result<String, String> {
    let file: serde_json::Value = serde_json::from_str(text).map_err(|e| format!("it is no record: {e}"))?;
    let part = |name: &str| file[name].as_str().ok_or(format!("it has no \"{name}\""));
    let record = part("record")?;
    let signature = unhex(part("signature")?).ok_or("the signature is no hexadecimal text")?;
    let key = unhex(part("public_key")?).ok_or("the key is no hexadecimal text")?;
    verify_record(record, &signature, &key).map_err(|e| e.to_string())?;
    let inner: serde_json::Value = serde_json::from_str(record).map_err(|e| format!("its content is no JSON: {e}"))?;
    let words = |v: &serde_json::Value| v.as_str().unwrap_or("unknown").to_owned();
    Ok(format!(
        "{}, signed by {} at {}, key {}",
        words(&inner["rig"]["name"]),
        words(&inner["signed"]["by"]),
        words(&inner["signed"]["at"]),
        part("public_key")?
    ))
}

/// Whether a seal fits a text.
fn fits(text: &[u8], seal: &Seal) -> bool {
    std::str::from_utf8(text).is_ok_and(|t| verify_record(t, &seal.signature, &seal.key).is_ok())
}

/// A bundle: its seal and every file; then every signed record in it.
fn check_bundle(bytes: &[u8]) -> Result<String, String> {
    let bundle = open(bytes, &fits).map_err(|e| e.to_string())?;
    let mut lines = vec![format!(
        "bundle of {} sealed at {}, key {}, {} files as they were sealed",
        bundle.firm,
        bundle.made_at,
        hex(&bundle.key),
        bundle.files.len()
    )];
    for (name, bytes) in bundle.files.iter().filter(|(n, _)| n.starts_with("signed/")) {
        let text = std::str::from_utf8(bytes).map_err(|_| format!("{name}: no text"))?;
        lines.push(format!("{name}: {}", check(text).map_err(|e| format!("{name}: {e}"))?));
    }
    Ok(lines.join("\n"))
}

/// Exits 0 when the signature fits and, where a key is asked for, is of that key; 1 when it does not; 2 when the file cannot be read.
pub(crate) fn verify(file: &Path, key: Option<&str>) -> ExitCode {
    let bytes = match std::fs::read(file) {
        Ok(bytes) => bytes,
        Err(e) => {
            eprintln!("{}: {e}", file.display());
            return ExitCode::from(2);
        }
    };
    let checked = if bytes.starts_with(b"PK") {
        check_bundle(&bytes)
    } else {
        String::from_utf8(bytes).map_err(|_| "it is neither a record nor a bundle".to_owned()).and_then(|t| check(&t))
    };
    let checked =
        checked.and_then(|words| match key.map(str::to_lowercase).filter(|k| !words.contains(&format!("key {k}"))) {
            Some(_) => Err("it fits, but it is not of the key that was asked for".to_owned()),
            None => Ok(words),
        });
    match checked {
        Ok(words) => {
            println!("the signature fits: {words}");
            ExitCode::SUCCESS
        }
        Err(words) => {
            eprintln!("{}: {words}", file.display());
            ExitCode::FAILURE
        }
    }
}
