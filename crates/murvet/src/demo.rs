//! The demo world: an invented firm, its people, customers, rigs and visits.

mod equipment;
mod firm;

use anyhow::Context;
use chrono::{DateTime, Duration, Utc};
use equipment::Said;
use murvet_core::audit::{audit, choose_profile};
use murvet_core::notation::parse;
use murvet_core::readings::{VisitKind, judge, make_safe, plan};
use murvet_store::{NewPerson, NewReading, NewVisit, Store};

const HERON: &str = include_str!("../demo/heron.rig");
const KITE: &str = include_str!("../demo/kite.rig");
const CURRAWONG: &str = include_str!("../demo/currawong.rig");
const EGRET: &str = include_str!("../demo/egret.rig");

/// Password of both demo people.
const PASSWORD: &str = "paper-and-ink";

/// A customer with a rig and a visit, as far as it has come.
struct World {
    customer: &'static str,
    contact: &'static str,
    rig: &'static str,
    /// Index of who goes there.
    person: usize,
    /// Days from today.
    day: i64,
    hours: f64,
    complaint: &'static str,
    zone: &'static str,
    told: &'static [Said],
    /// Steps of making safe that are done.
    steps: usize,
    readings: &'static [(&'static str, f64)],
}

const WORLDS: [World; 4] = [
    World {
        customer: "Odalys Brennick",
        contact: "+1 555 0142, lot 17, Juniper Flats",
        rig: HERON,
        person: 0,
        day: 0,
        hours: 5.0,
        complaint: "Batteries go flat overnight although the converter hums; bunk heater smells warm.",
        zone: "America/Denver",
        told: &equipment::HERON,
        steps: 3,
        readings: &[("supply-volts:shore", 121.4), ("supply-ne:shore", 0.4)],
    },
    World {
        customer: "Tamsin Aldercote",
        contact: "+44 1632 960 333, Mill Lane",
        rig: KITE,
        person: 1,
        day: -3,
        hours: 3.0,
        complaint: "Wants a check before a winter in the hills.",
        zone: "Europe/London",
        told: &[],
        steps: usize::MAX,
        readings: &KITE_READINGS,
    },
    World {
        customer: "Wirra Dundale",
        contact: "+61 1900 654 321, Red Gum Siding",
        rig: CURRAWONG,
        person: 1,
        day: 0,
        hours: 4.0,
        complaint: "Inverter fitted by a friend; charger under the canopy sometimes stays off.",
        zone: "Australia/Adelaide",
        told: &equipment::CURRAWONG,
        steps: usize::MAX,
        readings: &CURRAWONG_READINGS,
    },
    // Tomorrow's visit: nothing is begun.
    World {
        customer: "Idris Malloway",
        contact: "+1 555 0177, pitch 4, Saltgrass Landing",
        rig: EGRET,
        person: 0,
        day: 1,
        hours: 6.0,
        complaint: "On the generator everything stops when the dryer runs beside an air conditioner.",
        zone: "America/Los_Angeles",
        told: &[],
        steps: 0,
        readings: &[],
    },
];

const KITE_READINGS: [(&str, f64); 30] = [
    ("supply-volts:hookup", 232.0),
    ("supply-ne:hookup", 0.7),
    ("earth:galley", 0.11),
    ("earth:desk", 0.15),
    ("earth:water-heater", 0.12),
    ("n-e:cu", f64::INFINITY),
    ("n-e:hookup", f64::INFINITY),
    ("short:dc", f64::INFINITY),
    ("rest:house", 13.32),
    ("rest:start", 12.71),
    ("drop:lamps", 0.29),
    ("drop:pump", 0.21),
    ("drop:fridge", 0.16),
    ("drop:vent", 0.27),
    ("drop:alarm", 0.02),
    ("earth:body", 0.04),
    ("earth:combi", 0.05),
    ("drop:combi", 0.22),
    ("drop:booster", 0.27),
    ("outlet:combi:galley", 230.4),
    ("outlet-ne:combi:galley", 0.3),
    ("outlet:combi:desk", 230.1),
    ("outlet-ne:combi:desk", 0.4),
    ("pins:combi:hookup", 0.2),
    ("outlet:hookup:galley", 231.6),
    ("outlet-ne:hookup:galley", 0.6),
    ("outlet:hookup:desk", 231.2),
    ("outlet-ne:hookup:desk", 0.7),
    ("rcd:guard", 26.0),
    ("rcd:cu", 31.0),
];

const CURRAWONG_READINGS: [(&str, f64); 9] = [
    ("supply-volts:site", 239.0),
    ("supply-ne:site", 0.9),
    ("earth:gpo1", 0.09),
    ("earth:gpo2", 0.9),
    ("earth:gpo2", 0.14),
    ("n-e:cu", f64::INFINITY),
    ("short:dc", f64::INFINITY),
    ("rest:house", 13.28),
    ("drop:compressor", 1.55),
];

/// Enters the demo world into an empty database.
pub(crate) async fn load(store: &Store, now: DateTime<Utc>) -> anyhow::Result<()> {
    let firm = store.add_firm("Longreach Mobile Inspection").await?;
    let mut people = Vec::new();
    for (login, name, qualification) in [
        ("mara", "Mara Ellingsund", "Inspector, extra-low voltage and recreational vehicles"),
        ("joao", "João Tavarede", "Licensed electrician, mains and extra-low voltage"),
    ] {
        people.push(store.add_person(firm, &NewPerson { login, name, qualification, password: PASSWORD }).await?);
    }
    equipment::instruments(store, firm, people[0], now).await?;
    firm::licences(store, firm, &people, now).await?;
    for world in &WORLDS {
        enter(store, firm, people[world.person], world, now)
            .await
            .with_context(|| format!("the visit of {}", world.customer))?;
    }
    // What later runs over every rig are held against.
    store.begin_fleet(firm, "First pass over every rig", people[0], now).await?;
    Ok(())
}

/// Enters one customer, and puts the visit under way: steps of making safe done so far and readings taken.
async fn enter(store: &Store, firm: i64, person: i64, world: &World, now: DateTime<Utc>) -> anyhow::Result<()> {
    let rig = parse(world.rig).map_err(|e| anyhow::anyhow!("{e:?}"))?;
    let profile = choose_profile(&rig, None);
    let customer = store.add_customer(firm, world.customer, world.contact).await?;
    let id = store.add_rig(firm, customer, &rig.name, profile.word(), world.rig, person, now).await?;
    let new = NewVisit {
        rig: id,
        person,
        planned_on: now.date_naive() + Duration::days(world.day),
        hours: world.hours,
        complaint: world.complaint,
        kind: VisitKind::Finished.code(),
        zone: world.zone,
    };
    let visit = store.add_visit(firm, &new).await?;
    if !world.told.is_empty() {
        equipment::complaints(store, firm, visit, person, world.told, now).await?;
    }
    if world.steps == 0 {
        return Ok(());
    }
    let audit = audit(&rig, profile);
    for (n, step) in make_safe(&audit).iter().take(world.steps).enumerate() {
        let at = now - Duration::minutes(150 - 3 * n as i64);
        store.add_safe_step(firm, visit, &step.id, person, at).await?;
    }
    let tests = plan(&audit);
    for (n, (id, value)) in world.readings.iter().enumerate() {
        let test = tests.iter().find(|t| t.id == *id).with_context(|| format!("no test {id}"))?;
        let verdict = judge(test, *value);
        let with = equipment::used(store, firm, test.tools).await?;
        let new = NewReading {
            revision: 1,
            test: test.id.as_str(),
            title: &test.title,
            value: *value,
            unit: test.unit,
            outcome: verdict.outcome.code(),
            words: &verdict.words,
            instruments: &with,
            ..NewReading::default()
        };
        let at = now - Duration::minutes(2 * (world.readings.len() - n) as i64);
        store.add_reading(firm, visit, &new, person, at).await?;
    }
    Ok(())
}

/// A simulated meter and battery monitor on the rig of the visit that is under way, with one thing wrong with it; their
/// addresses.
pub(crate) async fn instruments() -> anyhow::Result<(String, String)> {
    use murvet_instruments::{Simulated, meter, monitor};
    let rig = parse(CURRAWONG).map_err(|e| anyhow::anyhow!("the demo rig: {e:?}"))?;
    let audit = audit(&rig, choose_profile(&rig, None));
    let joint = murvet_core::measure::Fault::Joint { wire: "dc.comp--compressor.+".to_owned(), ohm: 0.03 };
    let simulated = Simulated::start(audit, vec![joint], 20_261_125)?;
    let meters = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
    let monitors = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
    let addresses = (meters.local_addr()?.to_string(), monitors.local_addr()?.to_string());
    tokio::spawn(monitor::simulate(monitors, monitor::Monitor::new(simulated.clone())));
    tokio::spawn(meter::simulate(meters, simulated));
    Ok(addresses)
}
