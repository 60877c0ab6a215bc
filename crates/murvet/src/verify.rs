//! `murvet verify`: whether a signed hand-over record is what was signed.

use murvet_store::verify_record;
use std::path::Path;
use std::process::ExitCode;

fn bytes(hex: &str) -> Option<Vec<u8>> {
    if !hex.is_ascii() || !hex.len().is_multiple_of(2) {
        return None;
    }
    (0..hex.len()).step_by(2).map(|i| u8::from_str_radix(&hex[i..i + 2], 16).ok()).collect()
}

fn check(text: &str) -> Result<String, String> {
    let file: serde_json::Value = serde_json::from_str(text).map_err(|e| format!("it is no record: {e}"))?;
    let part = |name: &str| file[name].as_str().ok_or(format!("it has no \"{name}\""));
    let record = part("record")?;
    let signature = bytes(part("signature")?).ok_or("the signature is no hexadecimal text")?;
    let key = bytes(part("public_key")?).ok_or("the key is no hexadecimal text")?;
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

/// Exits 0 when the signature fits, 1 when it does not, 2 when the file cannot be read.
pub(crate) fn verify(file: &Path) -> ExitCode {
    let text = match std::fs::read_to_string(file) {
        Ok(text) => text,
        Err(e) => {
            eprintln!("{}: {e}", file.display());
            return ExitCode::from(2);
        }
    };
    match check(&text) {
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
