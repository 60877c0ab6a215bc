//! What a reading tells beside its limits: how long a bank lasts at a measured current, and which source feeds a place.

use super::divided::bank_of;
use super::{Test, TestKind};
use crate::audit::Audit;
use crate::capacity::lasts_h;
use crate::units::short;

/// How near the figures of a source a reading must lie to be told by them, V: meters and loads move it so far (common practice,
/// no source).
const NEAR_V: f64 = 1.5;

/// How long the bank lasts at a current that was measured out of it, beside what was computed; nothing for other tests.
pub fn hours_words(audit: &Audit, test: &Test, value: f64) -> Option<String> {
    // What an idle inverter takes is taken from the bank it hangs on.
    if !matches!(test.id.kind, TestKind::Parasitic | TestKind::Idle) {
        return None;
    }
    let bank = &audit.assumed.components[bank_of(audit, test)?.component];
    let measured = lasts_h(bank, value)?;
    let days = |h: f64| if h >= 72.0 { format!("{} days", short(h / 24.0)) } else { format!("{} h", short(h)) };
    let expected = test.predicted.as_ref().map(|p| 0.5 * (p.low + p.high));
    let beside = expected.and_then(|a| lasts_h(bank, a)).map_or(String::new(), |h| format!(", {} as traced", days(h)));
    Some(format!("At {} A a full {} lasts {}{beside}.", short(value), bank.id, days(measured)))
}

/// Which source feeds a place, by its voltage: the sources whose own outlets were measured within a volt and a half of it.
/// `taken` are the readings so far, the newest of a test last. Nothing where fewer than two sources were measured, or for a test
/// that is not of volts at an outlet.
pub fn fed_by_words(taken: &[(&Test, f64)], test: &Test, value: f64) -> Option<String> {
    let of_place = matches!(
        test.id.kind,
        TestKind::Census | TestKind::Outlet | TestKind::Appliance | TestKind::Fed | TestKind::Loop | TestKind::Pins
    );
    if !of_place || value < 50.0 {
        return None;
    }
    let mut figures: Vec<(&str, f64)> = Vec::new();
    for (t, v) in taken.iter().filter(|(t, v)| t.id.kind == TestKind::Outlet && *v > 50.0 && t.id != test.id) {
        let Some(source) = t.id.source.as_deref() else { continue };
        figures.retain(|(s, _)| *s != source);
        figures.push((source, *v));
    }
    if figures.len() < 2 {
        return None;
    }
    let near: Vec<String> = figures
        .iter()
        .filter(|(_, v)| (v - value).abs() <= NEAR_V)
        .map(|(s, v)| format!("{s} ({} V)", short(*v)))
        .collect();
    Some(match near.len() {
        0 => "By its voltage it is none of the sources that were measured: take its frequency.".to_owned(),
        1 => format!("By its voltage it is fed by {}.", near[0]),
        _ => format!("By its voltage it may be {}: their frequency tells them apart.", near.join(" or ")),
    })
}
