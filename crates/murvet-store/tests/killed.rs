//! A database of its own that is killed fifty times while readings are entered: whatever was acknowledged is there
//! afterwards, once and in order.

use chrono::{Duration, NaiveDate, Utc};
use murvet_store::{NewPerson, NewReading, NewVisit, Store};
use std::path::{Path, PathBuf};
use std::process::Command;

const BIN: &str = "/usr/lib/postgresql/15/bin";

/// PostgreSQL in a folder of its own. It does not run as root, so root runs it as `postgres`.
struct Cluster {
    folder: PathBuf,
    port: u16,
    root: bool,
}

impl Cluster {
    fn run(&self, program: &str, arguments: &[&str]) -> bool {
        let program = format!("{BIN}/{program}");
        let mut command = if self.root {
            let mut c = Command::new("runuser");
            c.args(["-u", "postgres", "--", &program]);
            c
        } else {
            Command::new(program)
        };
        let log = std::fs::File::options().create(true).append(true).open(self.folder.join("said.log")).expect("a log");
        let other = log.try_clone().expect("a log");
        command.args(arguments).current_dir("/").stdout(log).stderr(other).stdin(std::process::Stdio::null());
        command.status().expect("runs").success()
    }

    fn data(&self) -> String {
        self.folder.join("data").display().to_string()
    }

    fn start(&self) {
        let options = format!("-p {} -k {} -c listen_addresses=127.0.0.1", self.port, self.folder.display());
        let log = self.folder.join("server.log").display().to_string();
        assert!(self.run("pg_ctl", &["-D", &self.data(), "-o", &options, "-l", &log, "-w", "start"]), "it starts");
    }

    /// Ends it at once, as when the power goes: no checkpoint, nothing flushed that was not flushed already.
    fn kill(&self) {
        assert!(self.run("pg_ctl", &["-D", &self.data(), "-m", "immediate", "-W", "stop"]), "it is killed");
        // The next start waits until the old one is gone.
        for _ in 0..200 {
            if !Path::new(&self.data()).join("postmaster.pid").exists() {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
        panic!("it does not end");
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        let _ = self.run("pg_ctl", &["-D", &self.data(), "-m", "immediate", "-W", "stop"]);
        let _ = std::fs::remove_dir_all(&self.folder);
    }
}

fn cluster() -> Cluster {
    let said = Command::new("id").arg("-u").output().expect("id").stdout;
    let root = String::from_utf8_lossy(&said).trim() == "0";
    let folder = std::env::temp_dir().join(format!("murvet-killed-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("a folder");
    if root {
        assert!(Command::new("chown").arg("postgres").arg(&folder).status().expect("chown").success());
    }
    let port = std::net::TcpListener::bind("127.0.0.1:0").expect("a port").local_addr().expect("bound").port();
    let c = Cluster { folder, port, root };
    assert!(c.run("initdb", &["-D", &c.data(), "-U", "murvet", "-A", "trust", "--no-sync"]), "a new cluster");
    c
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_acknowledged_outlives_fifty_killings() {
    let cluster = std::sync::Arc::new(cluster());
    cluster.start();
    let store = Store::open(&format!("postgres://murvet@127.0.0.1:{}/postgres", cluster.port)).await.expect("opens");
    let now = Utc::now();
    let firm = store.add_firm("A firm").await.expect("firm");
    let new = NewPerson { login: "ana", name: "Ana", qualification: "", password: "a long password" };
    let person = store.add_person(firm, &new).await.expect("person");
    let customer = store.add_customer(firm, "Customer", "").await.expect("customer");
    let rig = store.add_rig(firm, customer, "Rig", "na-rv", "bus a\n", person, now).await.expect("rig");
    let visit = NewVisit {
        rig,
        person,
        planned_on: NaiveDate::default(),
        hours: 4.0,
        complaint: "",
        kind: "finished",
        zone: "UTC",
    };
    let visit = store.add_visit(firm, &visit).await.expect("visit");

    // One enters readings without pause, each again under its name until it is acknowledged, as a browser does.
    let (enough, mut told) = tokio::sync::watch::channel(false);
    let writer = tokio::spawn({
        let store = store.clone();
        async move {
            let (mut acknowledged, mut failed) = (0u32, 0u32);
            while !*told.borrow_and_update() {
                let client = format!("r-{acknowledged}");
                let (test, value) = (format!("test:{acknowledged}"), f64::from(acknowledged));
                let new = NewReading {
                    revision: 1,
                    test: &test,
                    title: "t",
                    value,
                    unit: "V",
                    outcome: "pass",
                    words: "",
                    client: Some(&client),
                    ..NewReading::default()
                };
                match store.add_reading(firm, visit, &new, person, now + Duration::seconds(acknowledged.into())).await {
                    Ok(_) => acknowledged += 1,
                    Err(_) => {
                        failed += 1;
                        tokio::time::sleep(std::time::Duration::from_millis(5)).await;
                    }
                }
            }
            (acknowledged, failed)
        }
    });
    for n in 0..50u64 {
        // At any moment: between 5 and 95 ms after it was up.
        tokio::time::sleep(std::time::Duration::from_millis(5 + (n * 37) % 91)).await;
        let c = std::sync::Arc::clone(&cluster);
        let again = move || {
            c.kill();
            c.start();
        };
        tokio::task::spawn_blocking(again).await.expect("killed and started");
    }
    tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    enough.send(true).expect("told");
    let (acknowledged, failed) = writer.await.expect("ends");
    let kept = store.readings(firm, visit).await.expect("read");
    println!("{acknowledged} acknowledged, {failed} attempts failed, {} kept", kept.len());
    assert!(acknowledged > 200 && failed >= 20, "{acknowledged} acknowledged, {failed} failed");
    let values: Vec<u32> = kept.iter().map(|r| r.value as u32).collect();
    assert_eq!(values, (0..acknowledged).collect::<Vec<_>>(), "each once, in order, none lost");
}
