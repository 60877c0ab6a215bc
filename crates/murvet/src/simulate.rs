//! `murvet simulate`: a meter and a battery monitor on a rig with hidden faults.

use crate::audit_file::{complain, read};
use murvet_core::audit::{audit, choose_profile};
use murvet_core::measure::{Fault, suspects};
use murvet_instruments::{Simulated, meter, monitor};
use std::path::Path;
use std::process::ExitCode;
use tokio::net::TcpListener;

/// Serves both until one of them fails or the program is ended.
pub(crate) async fn run(file: &Path, faults: &[String], seed: u64, scpi: &str, modbus: &str) -> ExitCode {
    let rig = match read(file) {
        Ok(rig) => rig,
        Err(lines) => return complain(&lines),
    };
    let audit = audit(&rig, choose_profile(&rig, None));
    let all = suspects(&audit);
    if faults.iter().any(|f| f == "list") {
        for (n, f) in all.iter().enumerate() {
            println!("{n}\t{}", f.words());
        }
        return ExitCode::SUCCESS;
    }
    let mut hidden: Vec<Fault> = Vec::new();
    for word in faults {
        match word.parse::<usize>().ok().and_then(|n| all.get(n)) {
            Some(f) => hidden.push(f.clone()),
            None => {
                let last = all.len().saturating_sub(1);
                return complain(&[format!(
                    "\"{word}\" is no suspect of this rig; expected list, or a number up to {last}"
                )]);
            }
        }
    }
    let simulated = match Simulated::start(audit, hidden, seed) {
        Ok(simulated) => simulated,
        Err(e) => return complain(&[e.to_string()]),
    };
    let monitor = monitor::Monitor::new(simulated.clone());
    let (meters, monitors) = match (TcpListener::bind(scpi).await, TcpListener::bind(modbus).await) {
        (Ok(a), Ok(b)) => (a, b),
        (Err(e), _) => return complain(&[format!("cannot listen on {scpi}: {e}")]),
        (_, Err(e)) => return complain(&[format!("cannot listen on {modbus}: {e}")]),
    };
    for (what, listener) in [("meter, SCPI over TCP", &meters), ("battery monitor, Modbus TCP", &monitors)] {
        if let Ok(address) = listener.local_addr() {
            println!("{what}: {address}");
        }
    }
    let ended = tokio::select! {
        r = meter::simulate(meters, simulated) => r,
        r = monitor::simulate(monitors, monitor) => r,
        _ = tokio::signal::ctrl_c() => Ok(()),
    };
    match ended {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => complain(&[e.to_string()]),
    }
}
