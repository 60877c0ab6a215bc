//! Two thousand rigs judged again by two workers, one of which is killed half-way: each once, and the list of calls is that of
//! another way to count.

mod browser;
mod server;

use browser::database;
use chrono::{NaiveDate, Utc};
use murvet_store::{FleetShown, FleetSought, NewFirmLimit, NewPerson, NewVisit, Store};
use serde_json::{Value, json};
use server::MURVET;
use std::collections::{BTreeMap, BTreeSet};
use std::io::Write;
use std::process::{Child, Command, Stdio};

const RIGS: usize = 2_000;

/// A worker in a process of its own, which ends with the test.
struct Worker(Child);

impl Drop for Worker {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn worker(url: &str, name: &str) -> Worker {
    let started = Command::new(MURVET)
        .args(["work", "--log", "quiet", "--name", name])
        .env("DATABASE_URL", url)
        .stdout(Stdio::null())
        .spawn();
    Worker(started.expect("starts"))
}

/// The rigs of the fleet: the first fuse nearer to the battery or farther, the lead to the heater thicker or thinner, and two that
/// the new limit does not touch.
fn templates() -> Vec<String> {
    let rig = |at: &str, size: &str| {
        format!(
            "rig van profile na-rv\nbattery b: agm 12V 100Ah \"House bank\"\ndc-load heater: 15A\nbus neg\n\
             run b.+ : {at} {size}, fuse F1 20A class-T, 2m {size}, heater.+\nrun b.- : 1m {size}, neg\nrun neg : 1m {size}, heater.-\n"
        )
    };
    let mut list = Vec::new();
    for at in ["0.05m", "0.1m", "0.14m", "0.17m", "0.4m", "?"] {
        list.extend(["10AWG", "14AWG"].map(|size| rig(at, size)));
    }
    list.push(include_str!("../demo/kite.rig").to_owned());
    list.push("rig bare profile na-rv\nbus a\n".to_owned());
    list
}

/// An audit by the command line: what a signed record would have.
fn audited(text: &str, profile: Option<&str>) -> Value {
    let mut command = Command::new(MURVET);
    command.args(["audit", "-", "--format", "json"]).args(profile.map(|p| ["--profile", p]).into_iter().flatten());
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().expect("starts");
    child.stdin.take().expect("its input").write_all(text.as_bytes()).expect("sent");
    serde_json::from_slice(&child.wait_with_output().expect("ends").stdout).expect("a report")
}

/// The gravest that is in one report and not in another, or not so grave, counted by hand on the JSON.
fn to_call(before: &Value, now: &Value) -> Option<&'static str> {
    let of = |report: &Value| -> BTreeMap<String, (usize, usize)> {
        let rank = |v: &Value, list: &[&str]| list.iter().position(|w| v == w).expect("a known word");
        let list = report["findings"].as_array().expect("findings");
        list.iter()
            .map(|f| {
                let key = format!("{} {}", f["slug"], f["subject"]);
                let severity = rank(&f["severity"], &["advice", "soon", "before-use", "keep-off"]);
                (key, (severity, rank(&f["certainty"], &["possible", "certain"])))
            })
            .collect()
    };
    let (before, now) = (of(before), of(now));
    let news = now.iter().filter(|(key, rank)| before.get(*key).is_none_or(|b| b < rank));
    match news.map(|(_, rank)| rank.0).max() {
        Some(3) => Some("keep-off"),
        Some(2) => Some("before-use"),
        _ => None,
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_fleet_is_judged_once_by_two_workers_though_one_is_killed() {
    let url = database("fleet");
    let store = Store::open(&url).await.expect("opens");
    let now = Utc::now();
    let firm = store.add_firm("A firm").await.expect("firm");
    let new = NewPerson { login: "ana", name: "Ana Bell", qualification: "inspector", password: "a long password" };
    let person = store.add_person(firm, &new).await.expect("person");
    let customer = store.add_customer(firm, "Owner", "a road").await.expect("customer");
    let templates = templates();
    let before: Vec<Value> = templates.iter().map(|t| audited(t, None)).collect();
    let mut rigs = BTreeMap::new();
    for n in 0..RIGS {
        // The large one now and then.
        let t = if n % 40 == 0 { 12 } else { [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 13][n % 13] };
        let text = &templates[t];
        let profile = if t == 12 { "eu-uk" } else { "na-rv" };
        let rig = store.add_rig(firm, customer, &format!("Rig {n}"), profile, text, person, now).await.expect("rig");
        let planned_on = NaiveDate::from_ymd_opt(2026, 1 + (n % 12) as u32, 5).expect("a day");
        let visit = NewVisit { rig, person, planned_on, hours: 4.0, complaint: "", kind: "finished", zone: "UTC" };
        let visit = store.add_visit(firm, &visit).await.expect("visit");
        // Every fifth was never handed over: its owner was told nothing.
        let signed = n % 5 != 4;
        if signed {
            let record = json!({ "rig": { "trace": text, "revision": 1 }, "audit": before[t] });
            store.sign_hand_over(firm, visit, &record, person, now).await.expect("signed");
        }
        rigs.insert(rig, (t, signed));
    }
    let limit = NewFirmLimit {
        base: "na-rv",
        field: "first_device_m",
        value: Some("0.12"),
        source: "the firm's own book",
        reason: "two fires",
    };
    store.add_firm_limit(firm, &limit, person, now).await.expect("entered");
    // By the command line the same limit stands in a file.
    let file = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("fleet-{}.json", std::process::id()));
    let differs = json!({ "value": 0.12, "source": "the firm's own book", "reason": "two fires" });
    let own = json!({ "base": "na-rv", "title": "Ours", "differs": { "first_device_m": differs } }).to_string();
    std::fs::write(&file, own).expect("written");
    let after: Vec<Value> = templates
        .iter()
        .enumerate()
        .map(|(t, text)| if t == 12 { audited(text, None) } else { audited(text, file.to_str()) })
        .collect();
    let expected: Vec<Option<&str>> = before.iter().zip(&after).map(|(b, a)| to_call(b, a)).collect();
    assert!(expected.iter().flatten().count() >= 2 && expected.iter().flatten().count() < 10, "{expected:?}");

    // While a run is stopped its rigs wait, though workers are there: those of another firm are judged.
    let (run, count) = store.begin_fleet(firm, "fuses nearer to the bank", person, now).await.expect("begun");
    assert_eq!(count, RIGS);
    store.set_fleet_going(firm, run, false).await.expect("stopped");
    let other = store.add_firm("Another").await.expect("firm");
    let new = NewPerson { login: "ben", ..new };
    let ben = store.add_person(other, &new).await.expect("person");
    let theirs = store.add_customer(other, "Owner", "").await.expect("customer");
    let rig = store.add_rig(other, theirs, "Rig", "na-rv", "bus a\n", ben, now).await.expect("rig");
    let visit = NewVisit {
        rig,
        person: ben,
        planned_on: NaiveDate::default(),
        hours: 1.0,
        complaint: "",
        kind: "finished",
        zone: "UTC",
    };
    store.add_visit(other, &visit).await.expect("visit");
    let (theirs, _) = store.begin_fleet(other, "to see", ben, now).await.expect("begun");
    let (mut first, _second) = (worker(&url, "first"), worker(&url, "second"));
    let pause = || tokio::time::sleep(std::time::Duration::from_millis(20));
    while store.fleet_run(other, theirs).await.expect("there").0.state != "done" {
        pause().await;
    }
    assert_eq!(store.fleet_run(firm, run).await.expect("there").1.waiting, RIGS as i64, "stopped");
    assert!(store.fleet_run(other, run).await.is_err() && store.set_fleet_going(other, run, true).await.is_err());

    store.set_fleet_going(firm, run, true).await.expect("gone on with");
    while store.fleet_run(firm, run).await.expect("there").1.waiting > RIGS as i64 / 2 {
        pause().await;
    }
    first.0.kill().expect("killed");
    while store.fleet_run(firm, run).await.expect("there").0.state != "done" {
        pause().await;
    }

    let (_, count) = store.fleet_run(firm, run).await.expect("there");
    assert_eq!((count.rigs, count.waiting, count.failed, count.partly), (RIGS as i64, 0, 0, 0));
    let all = FleetSought { shown: FleetShown::All, ..FleetSought::default() };
    let list = store.fleet_rigs(firm, run, &all, RIGS as i64 + 1).await.expect("listed");
    assert_eq!(list.iter().map(|r| r.rig_id).collect::<BTreeSet<_>>().len(), RIGS, "each once");
    for r in &list {
        let (t, signed) = rigs[&r.rig_id];
        assert_eq!(r.call_for.as_deref(), expected[t].filter(|_| signed), "{t} {signed}: {r:?}");
        let found = &store.fleet_findings(firm, run, &[r.rig_id]).await.expect("listed");
        let standing = found.get(&r.rig_id).map_or(0, |f| f.iter().filter(|f| f.change != "goes").count());
        assert_eq!(standing, after[t]["findings"].as_array().expect("findings").len(), "{t}");
    }
    // Page by page the same list: the most dangerous first, then by the day.
    let (mut paged, mut sought) = (Vec::new(), FleetSought::default());
    loop {
        let page = store.fleet_rigs(firm, run, &sought, 97).await.expect("listed");
        let Some(last) = page.last() else { break };
        sought.after = Some(last.place());
        paged.extend(page);
    }
    let calls: Vec<i64> = list.iter().filter(|r| r.call_for.is_some()).map(|r| r.rig_id).collect();
    assert!(!calls.is_empty() && calls.len() as i64 == count.to_call);
    assert_eq!(paged.iter().map(|r| r.rig_id).collect::<Vec<_>>(), calls);
    assert!(paged.is_sorted_by_key(|r| (r.place().danger, r.place().due_on)));
    assert!(store.fleet_rigs(other, run, &all, 10).await.expect("listed").is_empty());
}
