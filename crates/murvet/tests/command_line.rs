//! The command line: what it prints and how it exits.

use serde_json::Value;
use std::io::Write;
use std::process::{Command, Output, Stdio};

fn murvet(arguments: &[&str], input: &str) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_murvet"))
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("starts");
    child.stdin.take().expect("its input").write_all(input.as_bytes()).expect("written");
    child.wait_with_output().expect("ends")
}

#[test]
fn an_audit_exits_by_what_it_found_in_both_forms() {
    let faulty = include_str!("../demo/heron.rig");
    let out = murvet(&["audit", "-", "--format", "json"], faulty);
    assert_eq!(out.status.code(), Some(1));
    let report: Value = serde_json::from_slice(&out.stdout).expect("JSON");
    let findings = report["findings"].as_array().expect("findings");
    let pressing: Vec<&Value> = findings.iter().filter(|f| f["severity"] != "advice").collect();
    assert_eq!(pressing.len(), 5);
    let hazards: std::collections::BTreeSet<&str> = pressing.iter().filter_map(|f| f["hazard"].as_str()).collect();
    assert_eq!(hazards.len(), 5, "each hazard once: {hazards:?}");
    for f in findings {
        for part in ["slug", "severity", "certainty", "subject", "statement", "evidence", "source", "way_to_reach"] {
            assert!(!f[part].is_null(), "{part}");
        }
    }
    // The JSON form of the rig gives the same audit.
    let json = murvet(&["export", "-"], faulty);
    let again = murvet(&["audit", "-", "--format", "json"], &String::from_utf8(json.stdout).expect("text"));
    assert_eq!(again.stdout, out.stdout);
    let healthy = murvet(&["audit", "-"], include_str!("../demo/kite.rig"));
    assert_eq!(healthy.status.code(), Some(0));
    assert!(String::from_utf8_lossy(&healthy.stdout).contains("No findings."));
    // The DC side as a netlist: the house bank, its load and an end.
    let netlist = murvet(&["export", "-", "--format", "spice"], include_str!("../demo/kite.rig"));
    let netlist = String::from_utf8_lossy(&netlist.stdout).into_owned();
    assert!(
        netlist.starts_with("* Kite")
            && netlist.contains("\nVB0 ")
            && netlist.contains("\nIL0 ")
            && netlist.ends_with(".end\n")
    );
    // Another profile judges by other limits.
    let other = murvet(&["audit", "-", "--profile", "au-nz"], include_str!("../demo/kite.rig"));
    assert!(String::from_utf8_lossy(&other.stdout).contains("profile au-nz"));
}

#[test]
fn bad_input_exits_2_and_points_at_the_place() {
    for (arguments, input, words) in [
        (vec!["audit", "-"], "fuse F1: 30X\nbattry b\n", vec!["-:1:10:", "-:2:1:", "battery"]),
        (vec!["audit", "-"], "{\"pieces\": [{\"id\": \"F\", \"kind\": \"fuze\"}]}", vec!["-:1:", "fuze"]),
        (vec!["audit", "-"], "{\"runs\": [{\"from\": \"x.+\", \"steps\": []}]}", vec!["runs[0]", "no piece is called"]),
        (vec!["audit", "-", "--profile", "us"], "", vec!["na-rv, eu-uk or au-nz"]),
        (vec!["audit", "-", "--format", "xml"], "", vec!["text or json"]),
        (vec!["audit", "no such file"], "", vec!["no such file"]),
    ] {
        let out = murvet(&arguments, input);
        let said = String::from_utf8_lossy(&out.stderr).into_owned();
        assert_eq!(out.status.code(), Some(2), "{arguments:?}: {said}");
        assert!(words.iter().all(|w| said.contains(w)), "{arguments:?}: {said}");
    }
}
