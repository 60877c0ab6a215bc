//! The `murvet` program.

mod accounts;
mod audit_file;
mod backup;
mod demo;
mod listen;
mod reports;
mod simulate;
mod verify;
mod whole;

use anyhow::Context;
use clap::{Parser, Subcommand};
use murvet_store::Store;
use murvet_web::{App, Clock, metrics, router};
use std::path::PathBuf;
use std::process::ExitCode;

/// Audits power installations of campers, trailers and other vehicles one lives in.
#[derive(Parser)]
#[command(version, about)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Audit a rig in notation or JSON. Exits 0 when nothing must be put right before use, 1 when
    /// something must, 2 when the file cannot be read.
    Audit {
        /// The file; `-` reads standard input.
        file: PathBuf,
        /// Profile: na-rv, eu-uk, au-nz, or a file with one of your own. Without it the rig's own, else na-rv.
        #[arg(long)]
        profile: Option<String>,
        /// text or json.
        #[arg(long, default_value = "text")]
        format: String,
    },
    /// Tell what these appliances bring about together: what opens first and when, what is left of each source, how
    /// long the bank lasts.
    Running {
        /// The file; `-` reads standard input.
        file: PathBuf,
        /// The appliances that are on.
        on: Vec<String>,
        /// Controls away from their parked position, as NAME or NAME=POSITION.
        #[arg(long)]
        with: Vec<String>,
        /// Nothing comes from the array.
        #[arg(long)]
        no_sun: bool,
        /// Minutes that a load test of them takes; half an hour without it.
        #[arg(long)]
        minutes: Option<f64>,
    },
    /// The steps that make a rig safe to touch: what takes each source off, what stays live, where dead is proven.
    Isolate(AtHand),
    /// The test plan in the order of work: terminals, state, what is expected and what is acceptable.
    Plan {
        #[command(flatten)]
        at: AtHand,
        #[command(flatten)]
        visit: Visit,
    },
    /// The repairs of every finding, each tried on a copy.
    Repairs(AtHand),
    /// Steps of work on a rig, with the audit after each: what it opens and closes, what is loose, where it may be left.
    Steps {
        #[command(flatten)]
        at: AtHand,
        /// The list of steps. Without it they stand in the file below the rig.
        #[arg(long)]
        steps: Option<PathBuf>,
    },
    /// The plan of a day: which repairs and own tasks fit the hours, hands and parts, most danger first, exactly.
    Day {
        #[command(flatten)]
        at: AtHand,
        /// Hours, people, parts and own tasks, see docs/day.md. Without it one person has eight hours.
        #[arg(long)]
        day: Option<PathBuf>,
        /// Hours there are, instead of those of the file.
        #[arg(long)]
        hours: Option<f64>,
    },
    /// What may be used, by the findings and by readings.
    Uses(AtHand),
    /// What explains readings, and what to measure next.
    Diagnose(AtHand),
    /// Print the page of rules, remarks and what each of them finds.
    Rules,
    /// Print every value of the profiles with its source.
    Profiles,
    /// Write a rig in another form.
    Export {
        /// The file; `-` reads standard input.
        file: PathBuf,
        /// notation, json, or spice: the DC side as a netlist with every appliance on.
        #[arg(long, default_value = "json")]
        format: String,
    },
    /// Simulate a meter (SCPI over TCP) and a battery monitor (Modbus TCP) on a rig, with hidden faults.
    Simulate {
        /// The file; `-` reads standard input.
        file: PathBuf,
        /// A hidden fault by its number in the list of suspects, or several; `list` prints the list.
        #[arg(long)]
        fault: Vec<String>,
        /// Seed of the noise.
        #[arg(long, default_value_t = 1)]
        seed: u64,
        /// Address of the meter; port 0 takes a free one.
        #[arg(long, default_value = "127.0.0.1:5025")]
        scpi: String,
        /// Address of the monitor; port 0 takes a free one.
        #[arg(long, default_value = "127.0.0.1:5020")]
        modbus: String,
    },
    /// Check a signed hand-over record or a bundle: seal, names, sizes and hashes of everything in it.
    Verify {
        /// The downloaded record or bundle.
        file: PathBuf,
        /// The public key it has to be of, in hexadecimal.
        #[arg(long)]
        key: Option<String>,
    },
    /// Print the JSON schema of a rig or of a report.
    Schema {
        /// rig, audit, isolate, plan, repairs, uses, diagnose, steps, day or record.
        what: String,
    },
    /// Enter a firm into the database in DATABASE_URL.
    #[command(subcommand)]
    Firm(accounts::Firm),
    /// Enter people of a firm, or give one another password. The password is read from the first line of standard input.
    #[command(subcommand)]
    Person(accounts::Person),
    /// Write everything that the application keeps into a folder of its own, and read it back: the database in DATABASE_URL and the
    /// photographs.
    Backup {
        /// A folder that is empty or not there yet.
        to: PathBuf,
        #[command(flatten)]
        kept: backup::Kept,
    },
    /// Put a backup into the empty database in DATABASE_URL, and its photographs to where they are kept.
    Restore {
        /// The folder of the backup.
        from: PathBuf,
        #[command(flatten)]
        kept: backup::Kept,
    },
    /// Serve the application over the database in DATABASE_URL.
    Serve(Listen),
    /// Load the demo world if the database is empty, then serve.
    Demo(Listen),
    /// Judge rigs again that wait in the database in DATABASE_URL, beside servers and other workers, until it is told to end.
    Work {
        /// How the log is written to standard error: `text`, `json` or `quiet`.
        #[arg(long, env = "MURVET_LOG", default_value = "text", value_parser = ["text", "json", "quiet"])]
        log: String,
        /// Its name in the records. Without it that of the machine, with the number of the process.
        #[arg(long)]
        name: Option<String>,
    },
}

#[derive(clap::Args)]
struct AtHand {
    /// The file; `-` reads standard input.
    file: PathBuf,
    /// Readings, a line each: test,value. The names of the tests stand in the plan; `over` is over range.
    #[arg(long)]
    readings: Option<PathBuf>,
    /// Profile: na-rv, eu-uk, au-nz, or a file with one of your own. Without it the rig's own, else na-rv.
    #[arg(long)]
    profile: Option<String>,
    /// text or json.
    #[arg(long, default_value = "text")]
    format: String,
}

#[derive(clap::Args)]
struct Visit {
    /// What the visit is for: before-linings, finished, after-repair or after-journey.
    #[arg(long, default_value = "finished")]
    visit: String,
    /// Hours there are: which tests to take first, and what is not taken. Those in --readings are done.
    #[arg(long)]
    hours: Option<f64>,
    /// The rig as it was, for a visit after a repair.
    #[arg(long)]
    before: Option<PathBuf>,
}

#[derive(clap::Args)]
struct Listen {
    /// Where photographs are kept: a folder, or an address such as s3://bucket/prefix with the access that the environment
    /// gives; `memory` forgets them when the server ends. The demo does so where nothing is said.
    #[arg(long, env = "MURVET_PHOTOGRAPHS")]
    photographs: Option<String>,
    /// A meter that speaks SCPI over TCP, host and port. The demo brings a simulated one.
    #[arg(long, env = "MURVET_METER")]
    meter: Option<String>,
    /// A battery monitor that speaks Modbus TCP, host and port. The demo brings a simulated one.
    #[arg(long, env = "MURVET_MONITOR")]
    monitor: Option<String>,
    /// Address on which figures of the running server are told, as `/metrics` in the open text format. Not for browsers: keep it to
    /// yourself.
    #[arg(long, env = "MURVET_METRICS")]
    metrics: Option<String>,
    /// How the log is written to standard error: `text`, or `json`, a line an event; `quiet` is text with warnings and errors alone.
    #[arg(long, env = "MURVET_LOG", default_value = "text", value_parser = ["text", "json", "quiet"])]
    log: String,
    /// Judge no rigs again in this process: `murvet work` does it, here or on another machine.
    #[arg(long)]
    no_worker: bool,
    /// Address to listen on.
    #[arg(long, default_value = "127.0.0.1:8080")]
    listen: String,
    /// Mark the session cookie for TLS only; set it behind a TLS proxy.
    #[arg(long)]
    secure_cookie: bool,
}

/// Whoever reads the output may have had enough of it, as `head` has: then the program ends without a word.
fn end_quietly_when_nobody_reads() {
    let told = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        let words = panic.payload_as_str().unwrap_or_default();
        if words.contains("failed printing to stdout") && words.contains("Broken pipe") {
            // As a shell counts a program that SIGPIPE ended.
            std::process::exit(141);
        }
        told(panic);
    }));
}

fn main() -> ExitCode {
    end_quietly_when_nobody_reads();
    match Cli::parse().command {
        Command::Audit { file, profile, format } => audit_file::audit(&file, profile.as_deref(), &format),
        Command::Export { file, format } => audit_file::export(&file, &format),
        Command::Running { file, on, with, no_sun, minutes } => {
            audit_file::running(&file, &on, &with, !no_sun, minutes)
        }
        Command::Isolate(a) => reports::isolate(&a),
        Command::Plan { at, visit } => reports::plan(&at, &visit),
        Command::Repairs(a) => reports::repairs(&a),
        Command::Steps { at, steps } => reports::steps(&at, steps.as_deref()),
        Command::Day { at, day, hours } => reports::day(&at, day.as_deref(), hours),
        Command::Uses(a) => reports::uses(&a),
        Command::Diagnose(a) => reports::diagnose(&a),
        Command::Rules => {
            print!("{}", murvet_core::rules::page());
            ExitCode::SUCCESS
        }
        Command::Profiles => {
            print!("{}", murvet_core::profiles::profiles_page());
            ExitCode::SUCCESS
        }
        Command::Schema { what } => audit_file::schema(&what),
        Command::Simulate { file, fault, seed, scpi, modbus } => match tokio::runtime::Runtime::new() {
            Ok(r) => r.block_on(simulate::run(&file, &fault, seed, &scpi, &modbus)),
            Err(e) => audit_file::complain(&[e.to_string()]),
        },
        Command::Verify { file, key } => verify::verify(&file, key.as_deref()),
        Command::Firm(what) => accounts::firm(what),
        Command::Person(what) => accounts::person(what),
        Command::Backup { to, kept } => backup::backup(&to, &kept),
        Command::Restore { from, kept } => backup::restore(&from, &kept),
        Command::Serve(listen) => run(listen, false),
        Command::Demo(listen) => run(listen, true),
        Command::Work { log, name } => ended(&log, work(name)),
    }
}

fn run(listen: Listen, with_demo: bool) -> ExitCode {
    let log = listen.log.clone();
    ended(&log, serve(listen, with_demo))
}

/// Runs to the end, with a log, and says what went wrong.
fn ended(log: &str, running: impl Future<Output = anyhow::Result<()>>) -> ExitCode {
    let lines = tracing_subscriber::fmt().with_ansi(false).with_writer(std::io::stderr);
    match log {
        "json" => lines.json().init(),
        "quiet" => lines.with_max_level(tracing_subscriber::filter::LevelFilter::WARN).init(),
        _ => lines.init(),
    }
    match tokio::runtime::Runtime::new().context("no runtime").and_then(|r| r.block_on(running)) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("murvet: {error:#}");
            ExitCode::FAILURE
        }
    }
}

/// What a worker is called where nobody says: the machine and the process.
fn worker_name() -> String {
    let machine = std::fs::read_to_string("/etc/hostname").unwrap_or_default();
    format!("{}-{}", machine.trim(), std::process::id())
}

/// Where the database is.
fn address_of_the_database() -> anyhow::Result<String> {
    std::env::var("DATABASE_URL")
        .context("DATABASE_URL is not set; it says where the database is, and ./murvet demo sets it")
}

/// Judges what waits until it is asked to end.
async fn work(name: Option<String>) -> anyhow::Result<()> {
    let url = address_of_the_database()?;
    let store = Store::open(&url).await?;
    let name = name.unwrap_or_else(worker_name);
    println!("{name} judges what waits");
    murvet_web::work(App::new(store, Clock::system(), false), name, asked_to_end()).await;
    Ok(())
}

/// Waits for SIGTERM or the interrupt key.
async fn asked_to_end() {
    let Ok(mut end) = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) else {
        return std::future::pending().await;
    };
    tokio::select! {
        _ = end.recv() => {}
        _ = tokio::signal::ctrl_c() => {}
    }
}

async fn serve(listen: Listen, with_demo: bool) -> anyhow::Result<()> {
    let url = address_of_the_database()?;
    let store = Store::open(&url).await?;
    let clock = Clock::system();
    if with_demo && store.is_empty().await? {
        demo::load(&store, clock.now()).await?;
    }
    let socket = tokio::net::TcpListener::bind(&listen.listen)
        .await
        .with_context(|| format!("cannot listen on {}", listen.listen))?;
    println!("listening on http://{}", socket.local_addr()?);
    let empty = store.is_empty().await?;
    let mut app = App::new(store, clock, listen.secure_cookie);
    if empty {
        let code = murvet_store::one_time_code()?;
        println!("there is no firm yet: set one up at http://{}/set-up with the code {code}", socket.local_addr()?);
        app = app.set_up_with(&code);
    }
    // A place that does not last has to be asked for: nobody should find out after a restart.
    if listen.photographs.is_none() && !with_demo {
        anyhow::bail!(
            "say where photographs are kept: --photographs FOLDER, or --photographs memory to forget them at the end"
        );
    }
    if let Some(place) = listen.photographs.as_ref().filter(|p| *p != "memory") {
        app = app.photographs_in(place).map_err(|e| anyhow::anyhow!("photographs cannot be kept there: {e}"))?;
    }
    let (mut meter, mut monitor) = (listen.meter, listen.monitor);
    if with_demo && (meter.is_none() || monitor.is_none()) {
        let (simulated_meter, simulated_monitor) = demo::instruments().await?;
        meter.get_or_insert(simulated_meter);
        monitor.get_or_insert(simulated_monitor);
    }
    if let Some(address) = meter {
        eprintln!("meter at {address}");
        app = app.meter_at(address);
    }
    if let Some(address) = monitor {
        eprintln!("battery monitor at {address}");
        app = app.monitor_at(address);
    }
    if let Some(address) = listen.metrics {
        let socket =
            tokio::net::TcpListener::bind(&address).await.with_context(|| format!("cannot listen on {address}"))?;
        println!("figures on http://{}/metrics", socket.local_addr()?);
        let figures = metrics(app.clone());
        tokio::spawn(async move { axum::serve(socket, figures).await });
    }
    if !listen.no_worker {
        tokio::spawn(murvet_web::work(app.clone(), worker_name(), asked_to_end()));
    }
    listen::listen(socket, router(app), asked_to_end()).await;
    Ok(())
}
