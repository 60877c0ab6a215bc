//! What the demo firm carries, and what its customers complain of.

use chrono::{DateTime, Duration, Utc};
use murvet_core::readings::Tool;
use murvet_store::{NewCalibration, NewComplaint, Store};

/// Name, serial number, what it can do, days since its calibration and days for which that holds, certificate.
type Carried = (&'static str, &'static str, &'static str, i64, i64, &'static str);

const CASE: [Carried; 7] = [
    ("Multimeter, bench grey", "LR-0417", "true-rms low-impedance ohmmeter", 120, 365, "C 25-1188"),
    ("Low-ohm meter", "LR-0203", "low-ohm", 40, 365, "C 25-2004"),
    ("Insulation tester", "LR-0119", "insulation", 402, 365, "C 24-0871"),
    ("Clamp, AC and DC", "LR-0332", "dc-clamp ac-clamp", 95, 365, "C 25-1310"),
    ("Residual-current tester", "LR-0560", "rcd-tester loop-tester", 210, 365, "C 25-0644"),
    ("Contact thermometer", "LR-0078", "thermometer", 210, 730, "C 25-0645"),
    ("Torque wrench 2 to 20 Nm", "LR-0081", "torque-key", 300, 365, "C 25-0112"),
];

/// Registers the firm's instruments. One is out of date, so that the warning is seen.
pub(super) async fn instruments(store: &Store, firm: i64, by: i64, now: DateTime<Utc>) -> anyhow::Result<()> {
    let today = now.date_naive();
    for (name, serial, tools, ago, holds, certificate) in CASE {
        let id = store.add_instrument(firm, name, serial, tools).await?;
        let done_on = today - Duration::days(ago);
        let new = NewCalibration { done_on, due_on: done_on + Duration::days(holds), certificate };
        store.add_calibration(firm, id, &new, by, now).await?;
    }
    let old = store.add_instrument(firm, "Multimeter, cracked case", "LR-0009", "voltmeter ohmmeter").await?;
    store.retire_instrument(firm, old, Some(now - Duration::days(33))).await?;
    Ok(())
}

/// The instruments of the firm that serve as these tools.
pub(super) async fn used(store: &Store, firm: i64, wanted: &[Tool]) -> anyhow::Result<Vec<i64>> {
    let there = store.instruments(firm).await?;
    let serves = |tools: &str, tool: Tool| tools.split(' ').filter_map(Tool::parse).any(|t| t.serves_as(tool));
    let first = |&tool: &Tool| there.iter().find(|i| i.retired_at.is_none() && serves(&i.tools, tool)).map(|i| i.id);
    Ok(wanted.iter().filter_map(first).collect())
}

/// Told by whom, as it was told, what kind, about what, on which source.
pub(super) type Said = (&'static str, &'static str, &'static str, Option<&'static str>, Option<&'static str>);

/// The trailer.
pub(super) const HERON: [Said; 5] = [
    ("Owner", "Batteries go flat overnight although the converter hums", "falls", Some("house"), None),
    ("Owner", "Bunk heater smells warm after half an hour", "hot", Some("bunk-heater"), None),
    ("Owner's handyman, list of last spring", "Bath outlet trips when the kettle is on", "trips", Some("bath-1"), None),
    ("Owner's handyman, list of last spring", "Entry step slow in the cold", "weak", Some("step"), None),
    ("Owner's handyman, list of last spring", "Reseal the roof", "other", None, None),
];
/// The tray.
pub(super) const CURRAWONG: [Said; 2] = [
    ("Owner", "Charger under the canopy sometimes stays off", "dead", Some("mains"), Some("site")),
    ("Owner", "Compressor slow when the inverter is on", "weak", Some("compressor"), None),
];

/// Enters what the customers of a rig told.
pub(super) async fn complaints(
    store: &Store,
    firm: i64,
    visit: i64,
    by: i64,
    list: &[Said],
    now: DateTime<Utc>,
) -> anyhow::Result<()> {
    let new = |&(told_by, words, symptom, about, on_source): &Said| NewComplaint {
        told_by,
        words,
        symptom,
        about,
        on_source,
        delay_minutes: None,
    };
    let new: Vec<NewComplaint<'_>> = list.iter().map(new).collect();
    store.add_complaints(firm, visit, &new, by, now - Duration::minutes(165)).await?;
    Ok(())
}
