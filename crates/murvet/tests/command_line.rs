//! The command line: what it prints and how it exits.

mod browser;

use serde_json::Value;
use std::io::Write;
use std::process::{Command, Output, Stdio};

fn murvet(arguments: &[&str], input: &str) -> Output {
    murvet_on("", arguments, input)
}

/// The same over a database.
fn murvet_on(database: &str, arguments: &[&str], input: &str) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_murvet"))
        .args(arguments)
        .env("DATABASE_URL", database)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("starts");
    // One that refuses its options ends without reading its input.
    match child.stdin.take().expect("its input").write_all(input.as_bytes()) {
        Err(e) if e.kind() != std::io::ErrorKind::BrokenPipe => panic!("{e}"),
        _ => {}
    }
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
        assert!(f["about"].as_array().is_some_and(|l| l.iter().all(|a| a["kind"].is_string())), "{f}");
    }
    assert_eq!(report["schema"], 2);
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
    // A profile of one's own judges by what differs, and prints it; one that is wrong is answered by its field.
    let folder = std::env::temp_dir().join(format!("murvet-profile-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("made");
    let file = folder.join("own.json");
    let name = file.to_str().expect("a name");
    let differs = |value: &str| {
        let text = format!(
            "{{\"base\": \"eu-uk\", \"title\": \"Our vans\", \"differs\": {{\"drop_other\": {{\"value\": {value}, \"source\": \"our book\", \"reason\": \"dim lamps\"}}}}}}"
        );
        std::fs::write(&file, text).expect("written");
        murvet(&["audit", "-", "--profile", name], include_str!("../demo/kite.rig"))
    };
    let said = String::from_utf8_lossy(&differs("0.01").stdout).into_owned();
    for words in ["cable-drop", "our book", "dim lamps"] {
        assert!(said.contains(words), "{words}: {said}");
    }
    let wrong = differs("7");
    let said = String::from_utf8_lossy(&wrong.stderr).into_owned();
    assert!(wrong.status.code() == Some(2) && said.contains("drop_other: 7; a share: 3 % is 0.03"), "{said}");
    let none = murvet(&["plan", "-", "--profile", "moon"], faulty);
    assert!(String::from_utf8_lossy(&none.stderr).contains("expected au-nz, eu-uk or na-rv, or a file with one"));
    std::fs::remove_dir_all(folder).expect("removed");
    // Another profile judges by other limits.
    let other = murvet(&["audit", "-", "--profile", "au-nz"], include_str!("../demo/kite.rig"));
    assert!(String::from_utf8_lossy(&other.stdout).contains("profile au-nz"));
}

#[test]
fn bad_input_exits_2_and_points_at_the_place() {
    for (arguments, input, words) in [
        (vec!["audit", "-"], "fuse F1: 30X\nbattry b\n", vec!["-:1:10:", "-:2:1:", "battery"]),
        (vec!["audit", "-"], "{\"pieces\": [{\"id\": \"F\", \"kind\": \"fuze\"}]}", vec!["-:1:", "fuze"]),
        (
            vec!["audit", "-"],
            "{\"runs\": [{\"from\": \"x.+\", \"steps\": []}]}",
            vec!["runs[0]", "no component is called"],
        ),
        (vec!["audit", "-", "--profile", "us"], "", vec!["au-nz, eu-uk or na-rv"]),
        (vec!["audit", "-", "--format", "xml"], "", vec!["text or json"]),
        (vec!["audit", "no such file"], "", vec!["no such file"]),
    ] {
        let out = murvet(&arguments, input);
        let said = String::from_utf8_lossy(&out.stderr).into_owned();
        assert_eq!(out.status.code(), Some(2), "{arguments:?}: {said}");
        assert!(words.iter().all(|w| said.contains(w)), "{arguments:?}: {said}");
    }
}

#[test]
fn the_forms_of_a_rig_are_written_and_read_back() {
    for rig in [
        include_str!("../demo/heron.rig"),
        include_str!("../demo/kite.rig"),
        include_str!("../demo/currawong.rig"),
        include_str!("../demo/egret.rig"),
    ] {
        let text = |out: Output| -> String {
            assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
            String::from_utf8(out.stdout).expect("text")
        };
        let json = text(murvet(&["export", "-"], rig));
        let notation = text(murvet(&["export", "-", "--format", "notation"], &json));
        assert_eq!(text(murvet(&["export", "-"], &notation)), json, "there and back");
        assert_eq!(text(murvet(&["export", "-", "--format", "notation"], &notation)), notation, "a settled layout");
        // An audit is the same to the letter however the rig was written, and from run to run.
        let audit = |input: &str| murvet(&["audit", "-", "--format", "json"], input).stdout;
        assert_eq!(audit(rig), audit(&json));
        assert_eq!(audit(rig), audit(&notation));
    }
    let out = murvet(&["export", "-", "--format", "drawing"], "bus a\n");
    assert_eq!(out.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&out.stderr).contains("notation, json or spice"));
}

#[test]
fn an_audit_exits_0_for_what_may_wait_and_lists_what_one_fault_would_bring() {
    // A thin chassis bond may wait, a missing fuse may not.
    let soon = "chassis c\ninlet s: 120V 15A\npanel p: main 15A, way a 15A\noutlet o\ncable W 3x14AWG 1m s -> p.main\ncable V 3x14AWG 1m p.a -> o\nrun p.PE : 1m 10AWG, c\n";
    let out = murvet(&["audit", "-"], soon);
    let said = String::from_utf8_lossy(&out.stdout).into_owned();
    assert_eq!(out.status.code(), Some(0), "{said}");
    assert!(said.contains("[soon] chassis-bond"), "{said}");
    let now = "battery b: agm 12V 100Ah\ndc-load l: 5A\nrun b.+ : 2m 4mm2, l.+\nrun b.- : 2m 4mm2, l.-\n";
    assert_eq!(murvet(&["audit", "-"], now).status.code(), Some(1));
    let out = murvet(&["audit", "-", "--format", "json"], include_str!("../demo/kite.rig"));
    let report: Value = serde_json::from_slice(&out.stdout).expect("JSON");
    let away = report["one_fault_away"].as_array().expect("a list");
    assert!(away.iter().any(|f| f["piece"] == "combi" && f["findings"][0]["slug"] == "bond-away"), "{away:?}");
    assert!(report["findings"].as_array().is_some_and(Vec::is_empty), "apart from what is wrong now");
}

#[test]
fn a_record_that_was_touched_does_not_verify() {
    let folder = std::env::temp_dir().join(format!("murvet-verify-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("a folder");
    let file = folder.join("record.json");
    for text in [
        "",
        "{}",
        "{\"record\": \"{}\", \"signature\": \"zz\", \"public_key\": \"00\"}",
        "{\"record\": \"{}\", \"signature\": \"00\", \"public_key\": \"00\"}",
        "[1, 2, 3]",
    ] {
        std::fs::write(&file, text).expect("written");
        let out = murvet(&["verify", file.to_str().expect("a path")], "");
        let said = String::from_utf8_lossy(&out.stderr).into_owned() + &String::from_utf8_lossy(&out.stdout);
        assert_ne!(out.status.code(), Some(0), "{text}: {said}");
        assert!(!said.is_empty() && !said.contains("panicked"), "{text}: {said}");
    }
    std::fs::remove_dir_all(folder).expect("removed");
    // The pages that are generated are the ones that are published.
    for (arguments, file) in [
        (vec!["schema", "rig"], include_str!("../../../docs/rig.schema.json")),
        (vec!["schema", "audit"], include_str!("../../../docs/audit.schema.json")),
        (vec!["rules"], include_str!("../../../docs/rules.md")),
        (vec!["profiles"], include_str!("../../../docs/profiles.md")),
    ] {
        assert_eq!(String::from_utf8_lossy(&murvet(&arguments, "").stdout), file, "{arguments:?}");
    }
    assert_eq!(murvet(&["schema", "visit"], "").status.code(), Some(2));
}

#[test]
fn what_is_on_is_told_with_what_opens_first() {
    // 1200 W and 1100 W on the inverter of 2000 W, 19.2 A, and the converter, which charges by itself: 45 A x 13.6 V / 0.85 /
    // 120 V = 6.0 A. Together 25.2 A of 16.7 A (2000 W / 120 V).
    let rig = include_str!("../demo/heron.rig");
    let out =
        murvet(&["running", "-", "kettle", "microwave", "--with", "inverter", "--with", "Shore/inverter switch"], rig);
    let said = String::from_utf8_lossy(&out.stdout).into_owned();
    assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
    assert!(said.contains("inverter: 25.2 A of 16.7 A") && said.contains("battery house"), "{said}");
    for (arguments, words) in [
        (["running", "-", "toaster"].as_slice(), "no appliance"),
        (&["running", "-", "kettle", "--with", "engin"], "no control"),
        (&["running", "-", "kettle", "--with", "inverter=sideways"], "no position"),
    ] {
        let out = murvet(arguments, rig);
        let said = String::from_utf8_lossy(&out.stderr).into_owned();
        assert!(out.status.code() == Some(2) && said.contains(words), "{said}");
    }
}

#[test]
fn what_is_done_at_the_rig_is_told_by_a_rig_and_its_readings_alone() {
    let faulty = include_str!("../demo/heron.rig");
    let json = |arguments: &[&str]| -> Value {
        let out = murvet(&[arguments, &["--format", "json"]].concat(), faulty);
        assert_eq!(out.status.code(), Some(0), "{arguments:?}: {}", String::from_utf8_lossy(&out.stderr));
        serde_json::from_slice(&out.stdout).expect("JSON")
    };
    let steps = json(&["isolate", "-"]);
    let battery = steps["steps"].as_array().and_then(|l| l.iter().find(|s| s["id"] == "bat:house")).expect("its step");
    assert!(battery["title"].as_str().is_some_and(|t| t.contains("open main-switch")), "{battery}");
    let plan = json(&["plan", "-"]);
    let tests = plan["tests"].as_array().expect("tests");
    let minutes: u64 = tests.iter().filter_map(|t| t["minutes"].as_u64()).sum();
    let waits: u64 = tests.iter().filter_map(|t| t["wait"].as_u64()).sum();
    let all = plan["minutes"].as_u64().expect("minutes");
    assert!(all > minutes && all < minutes + waits, "what waits in one state waits together: {all}");
    // Of three hours it says what fits and what does not, and of a kind of visit what it asks for.
    let day = json(&["plan", "-", "--hours", "3"]);
    let fits = |t: &&Value| t["fits"] == true;
    let taken = day["tests"].as_array().expect("tests").iter().filter(fits).count();
    assert_eq!(taken + day["hours"]["left"].as_array().expect("left").len(), tests.len());
    assert!(day["hours"]["taken"].as_u64().is_some_and(|m| m <= 180) && taken > 30, "{}", day["hours"]);
    let road = json(&["plan", "-", "--visit", "after-journey"]);
    assert!(road["tests"].as_array().is_some_and(|t| t.len() < tests.len()));
    for (arguments, says) in [
        (["plan", "-", "--visit", "yearly"], "expected before-linings"),
        (["plan", "-", "--visit", "after-repair"], "--before"),
        (["plan", "-", "--hours", "90"], "between"),
    ] {
        let out = murvet(&arguments, faulty);
        assert_eq!(out.status.code(), Some(2), "{arguments:?}");
        assert!(String::from_utf8_lossy(&out.stderr).contains(says), "{arguments:?}");
    }
    // Every finding has a repair that may be done, or the reason why none is proposed.
    let repairs = json(&["repairs", "-"]);
    for f in repairs["findings"].as_array().expect("findings") {
        let accepted = f["repairs"].as_array().is_some_and(|l| l.iter().any(|r| r["accepted"] == true));
        assert_ne!(accepted, f["none_because"].is_string(), "{f}");
    }
    // Readings by the names of the plan: one that fails bars its use and asks for an explanation; a wrong name is answered.
    let folder = std::env::temp_dir().join(format!("murvet-readings-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("made");
    let (good, bad) = (folder.join("good.csv"), folder.join("bad.csv"));
    std::fs::write(&good, "test,value\nloop:inverter:conv,120\nsupply-volts:shore,121\n").expect("written");
    std::fs::write(&bad, "lop:inverter:conv,120\n").expect("written");
    let read = |file: &std::path::Path| file.to_str().expect("a name").to_owned();
    let uses = json(&["uses", "-", "--readings", &read(&good)]);
    let of = |name: &str| {
        uses["uses"].as_array().and_then(|l| l.iter().find(|u| u["name"] == name)).expect("the use").clone()
    };
    assert!(of("inverter")["failed"].as_array().is_some_and(|l| l.len() == 1), "{uses}");
    let found = json(&["diagnose", "-", "--readings", &read(&good)]);
    assert!(
        found["readings"].as_array().is_some_and(|l| l[0]["outcome"] == "fail" && l[1]["outcome"] == "pass"),
        "{found}"
    );
    let wrong = murvet(&["uses", "-", "--readings", &read(&bad)], faulty);
    assert_eq!(wrong.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&wrong.stderr).contains("did you mean \"loop:inverter:conv\""));
    std::fs::remove_dir_all(&folder).expect("removed");
    for command in ["isolate", "plan", "repairs", "uses", "diagnose"] {
        assert_eq!(murvet(&["schema", command], "").status.code(), Some(0), "{command}");
        assert!(!murvet(&[command, "-"], faulty).stdout.is_empty(), "{command}");
    }
}

#[test]
fn a_firm_and_its_people_are_entered_from_the_command_line() {
    const INES: [&str; 8] =
        ["person", "add", "--firm", "Moor Electric", "--qualification", "electrician", "ines", "Ines Moor"];
    let database = browser::database("accounts");
    let with = |arguments: &[&str], input: &str| {
        let out = murvet_on(&database, arguments, input);
        let said = [out.stdout, out.stderr].concat();
        (out.status.success(), String::from_utf8_lossy(&said).into_owned())
    };
    let by_number = INES.map(|word| if word == "Moor Electric" { "1" } else { word });
    let nameless = INES.map(|word| if word == "electrician" { " " } else { word });
    for (arguments, input, done, says) in [
        (&["firm", "add", ""][..], "", false, "the name of the firm"),
        (&INES, "short\n", false, "12 characters"),
        (&INES, "", false, "12 characters"),
        (&nameless, "a long password\n", false, "the qualification"),
        (&INES, "a long password\n", false, "no one firm \"Moor Electric\""),
        (&["firm", "add", "Moor Electric"], "", true, "firm 1: Moor Electric"),
        (&INES, "a long password\n", true, "Ines Moor signs in as ines"),
        // A name to sign in with is one person's; a firm may be named by its number.
        (&by_number, "another password\n", false, "is the name taken?"),
        (&["person", "password", "ines"], "yet another password\n", true, "signed out everywhere"),
        (&["person", "password", "nobody"], "yet another password\n", false, "nobody signs in as nobody"),
    ] {
        let (did, said) = with(arguments, input);
        assert!(did == done && said.contains(says), "{arguments:?}: {said}");
    }
}

#[test]
fn a_server_that_is_asked_to_end_does_not_wait_for_what_is_half_sent() {
    use std::io::{BufRead, BufReader, Read};
    let database = browser::database("ending");
    let mut server = Command::new(env!("CARGO_BIN_EXE_murvet"))
        .args(["serve", "--listen", "127.0.0.1:0", "--photographs", "memory"])
        .env("DATABASE_URL", &database)
        .stdout(Stdio::piped())
        .spawn()
        .expect("starts");
    let mut lines = BufReader::new(server.stdout.take().expect("its output")).lines().map_while(Result::ok);
    let listening = lines.next().expect("where it listens");
    let address = listening.trim_start_matches("listening on http://").to_owned();
    let set_up = lines.next().expect("how to set it up");
    assert!(set_up.contains(&format!("http://{address}/set-up with the code ")), "{set_up}");
    let asked = |request: &str| {
        let mut connection = std::net::TcpStream::connect(&address).expect("connects");
        connection.write_all(request.as_bytes()).expect("sent");
        connection
    };
    for path in ["/health/live", "/health/ready", "/set-up"] {
        let mut answer = String::new();
        let mut connection = asked(&format!("GET {path} HTTP/1.1\r\nhost: here\r\nconnection: close\r\n\r\n"));
        connection.read_to_string(&mut answer).expect("an answer");
        assert!(answer.starts_with("HTTP/1.1 200"), "{path}: {answer}");
    }
    // A form that never comes to its end; the server ends all the same, and says that nothing went wrong.
    let _half = asked(
        "POST /sign-in HTTP/1.1\r\nhost: here\r\ncontent-type: application/x-www-form-urlencoded\r\ncontent-length: 100\r\n\r\nlogin=",
    );
    let told = Command::new("kill").args(["-TERM", &server.id().to_string()]).status().expect("told");
    assert!(told.success());
    assert!(server.wait().expect("ends").success());
}

#[test]
fn how_the_server_is_can_be_seen_and_a_request_whose_head_never_ends_is_over() {
    use std::io::{BufRead, BufReader, Read};
    let database = browser::database("watched");
    let mut server = Command::new(env!("CARGO_BIN_EXE_murvet"))
        .args([
            "serve",
            "--listen",
            "127.0.0.1:0",
            "--photographs",
            "memory",
            "--metrics",
            "127.0.0.1:0",
            "--log",
            "json",
        ])
        .env("DATABASE_URL", &database)
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("starts");
    let mut lines = BufReader::new(server.stdout.take().expect("its output")).lines().map_while(Result::ok);
    let mut log = BufReader::new(server.stderr.take().expect("its log")).lines().map_while(Result::ok);
    let address = |line: &str, start: &str| line.trim_start_matches(start).trim_end_matches("/metrics").to_owned();
    let listening = address(&lines.next().expect("where it listens"), "listening on http://");
    lines.next().expect("how to set it up");
    let figures = address(&lines.next().expect("where figures are"), "figures on http://");
    let ask = |address: &str, path: &str| {
        let mut connection = std::net::TcpStream::connect(address).expect("connects");
        connection
            .write_all(format!("GET {path} HTTP/1.1\r\nhost: here\r\nconnection: close\r\n\r\n").as_bytes())
            .expect("sent");
        let mut answer = String::new();
        connection.read_to_string(&mut answer).expect("an answer");
        answer
    };
    // A head that is never ended is not waited for for ever: the connection is over by itself.
    let mut half = std::net::TcpStream::connect(&listening).expect("connects");
    half.write_all(b"GET /sign-in HTTP/1.1\r\nhost: he").expect("sent");
    // Every request has a line in the log under the name that its answer carries, and is counted by its route.
    let answer = ask(&listening, "/visits/77/findings?place=secret-place");
    let name = answer.lines().find_map(|l| l.strip_prefix("x-request-id: ")).expect("a name").trim().to_owned();
    let line = log.find(|l| l.contains(&name)).expect("a line of the log");
    let line: serde_json::Value = serde_json::from_str(&line).expect("JSON");
    let told = (line["fields"]["route"].as_str(), line["fields"]["status"].as_u64(), line["fields"]["method"].as_str());
    assert_eq!(told, (Some("/visits/{visit}/findings"), Some(303), Some("GET")), "{line}");
    ask(&listening, "/nowhere");
    let figures_told = ask(&figures, "/metrics");
    for wanted in [
        "murvet_requests_total{method=\"GET\",route=\"/visits/{visit}/findings\",status=\"303\"} 1",
        "murvet_requests_total{method=\"GET\",route=\"none\",status=\"404\"} 1",
        "murvet_request_seconds_count{route=\"/visits/{visit}/findings\"} 1",
        "murvet_connections{state=\"idle\"}",
        "murvet_memory_bytes",
        "# EOF",
    ] {
        assert!(figures_told.contains(wanted), "{wanted}: {figures_told}");
    }
    assert!(!figures_told.contains("secret-place") && !figures_told.contains("visits/77"), "{figures_told}");
    assert!(ask(&listening, "/metrics").starts_with("HTTP/1.1 404"), "figures are not for browsers");
    let mut rest = Vec::new();
    let _ = half.read_to_end(&mut rest);
    assert!(!String::from_utf8_lossy(&rest).contains("200 OK"), "{rest:?}");
    server.kill().expect("ended");
    server.wait().expect("ended");
}

#[test]
fn a_reader_that_has_had_enough_ends_it_quietly() {
    use std::io::Read;
    let mut child = Command::new(env!("CARGO_BIN_EXE_murvet"))
        .arg("rules")
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .expect("starts");
    let mut out = child.stdout.take().expect("its output");
    let mut first = [0; 16];
    out.read_exact(&mut first).expect("some of it");
    drop(out);
    let ended = child.wait_with_output().expect("ends");
    assert_eq!(String::from_utf8_lossy(&ended.stderr), "");
}
