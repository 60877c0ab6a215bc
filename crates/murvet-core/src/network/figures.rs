//! What sources can give and consumers take, from what was traced.

use super::expand::Builder;
use crate::catalogue::{Kind, SourceKind};
use crate::rig::Component;
use crate::units::{Dimension, short};

impl Builder<'_> {
    /// Limit in A and voltage in V of a source port.
    pub(super) fn source_figures(&self, p: &Component, kind: SourceKind) -> (f64, f64) {
        let amps = |key: &str| p.si(key, Dimension::Current);
        let watts = p.si("power", Dimension::Power);
        let ac_v =
            p.si("ac", Dimension::Voltage).or(p.si("voltage", Dimension::Voltage)).unwrap_or(self.profile.ac_v.value);
        let dc_v = p.si("voltage", Dimension::Voltage).unwrap_or(12.0);
        // Each hot of two opposite ones gives half of the rated power.
        let watts = if p.word("legs") == Some("two-hot") && kind.is_ac() { watts.map(|w| w / 2.0) } else { watts };
        // Where a limit was not seen: the largest that is met on such rigs, or nothing at all.
        let unseen = |most: f64| self.side.pick(most, 0.0);
        match kind {
            SourceKind::Battery => (f64::INFINITY, battery_volts(p)),
            SourceKind::Alternator => (amps("rating").unwrap_or_else(|| unseen(300.0)), 14.0),
            // Behind the coupling stands a battery: without a known device there is no limit.
            SourceKind::Tow => (amps("rating").unwrap_or_else(|| self.side.pick(f64::INFINITY, 0.0)), 14.0),
            SourceKind::Array => {
                let isc = amps("isc").or_else(|| Some(watts? / p.si("voc", Dimension::Voltage)? * 1.1));
                (
                    isc.unwrap_or_else(|| unseen(60.0)) * self.profile.sun.value,
                    p.si("voc", Dimension::Voltage).unwrap_or(22.0),
                )
            }
            SourceKind::Wind => {
                let nominal = p.si("voltage", Dimension::Voltage).unwrap_or(12.0);
                let amps = amps("rating").or(watts.map(|w| w / nominal)).unwrap_or_else(|| unseen(60.0));
                // As a charger of its system holds: 14 V of 12 V.
                (amps, charge_volts(p).unwrap_or(nominal * 14.0 / 12.0))
            }
            SourceKind::Shore => {
                let most = self.profile.supply_most_a.value;
                (amps("rating").unwrap_or_else(|| unseen(most)), ac_v)
            }
            SourceKind::Generator => {
                // Of breaker and engine the weaker governs.
                let both = [amps("rating"), watts.map(|w| w / ac_v)].into_iter().flatten();
                (both.min_by(f64::total_cmp).unwrap_or_else(|| unseen(50.0)), ac_v)
            }
            SourceKind::Inverter => (watts.map(|w| w / ac_v).unwrap_or_else(|| unseen(50.0)), ac_v),
            SourceKind::Charger => {
                let key = if p.kind == Kind::InverterCharger { "charge" } else { "rating" };
                let volts = if p.kind == Kind::InverterCharger { p.si("dc", Dimension::Voltage) } else { Some(dc_v) };
                (amps(key).unwrap_or_else(|| unseen(200.0)), volts.unwrap_or(12.0))
            }
            SourceKind::DcDc => (amps("rating").unwrap_or_else(|| unseen(60.0)), dc_v),
            SourceKind::Controller => (amps("rating").unwrap_or_else(|| unseen(100.0)), 14.0),
        }
    }

    /// `system_v` is the nominal voltage of the direct current that it hangs on.
    pub(super) fn consumer_current(&self, p: &Component, ac: bool, system_v: f64) -> (Option<f64>, String) {
        let watts = p.si("power", Dimension::Power);
        match p.kind {
            Kind::Inverter | Kind::InverterCharger => {
                let Some(watts) = watts else { return (None, String::new()) };
                let nominal = p.si("dc", Dimension::Voltage).unwrap_or(system_v);
                let cut_off = nominal_system(nominal) * self.profile.cut_off.value;
                let efficiency =
                    p.si("efficiency", Dimension::Ratio).unwrap_or(self.profile.efficiency.value).clamp(0.05, 1.0);
                let amps = watts / cut_off / efficiency;
                let text = format!(
                    "{} W / ({} V at cut-off × {}) = {} A",
                    short(watts),
                    short(cut_off),
                    short(efficiency),
                    short(amps)
                );
                (Some(amps), text)
            }
            Kind::DcDc => {
                let Some(out) = charge_amps(p) else { return (None, String::new()) };
                let efficiency =
                    p.si("efficiency", Dimension::Ratio).unwrap_or(self.profile.efficiency.value).clamp(0.05, 1.0);
                let given_v = charge_volts(p).unwrap_or(system_v);
                if nominal_system(given_v) == system_v {
                    let text = format!("{} A / {} = {} A", short(out), short(efficiency), short(out / efficiency));
                    return as_set(p, out / efficiency, text);
                }
                // Between unlike systems power goes through: most current at the lowest voltage of its input.
                let least_v = system_v * self.profile.cut_off.value;
                let amps = out * given_v / (least_v * efficiency);
                let text = format!(
                    "{} A × {} V / ({} V at cut-off × {}) = {} A",
                    short(out),
                    short(given_v),
                    short(least_v),
                    short(efficiency),
                    short(amps)
                );
                as_set(p, amps, text)
            }
            Kind::Charger => {
                let Some(out) = charge_amps(p) else { return (None, String::new()) };
                let volts = p.si("voltage", Dimension::Voltage).unwrap_or(13.6);
                let efficiency =
                    p.si("efficiency", Dimension::Ratio).unwrap_or(self.profile.efficiency.value).clamp(0.05, 1.0);
                let amps = out * volts / efficiency / self.profile.ac_v.value;
                let text = format!(
                    "{} A × {} V / {} / {} V = {} A",
                    short(out),
                    short(volts),
                    short(efficiency),
                    short(self.profile.ac_v.value),
                    short(amps)
                );
                as_set(p, amps, text)
            }
            _ => {
                let hots = if p.two_hot() { 2.0 } else { 1.0 };
                let volts = if ac { hots * self.profile.ac_v.value } else { system_v };
                match (p.si("current", Dimension::Current), watts) {
                    (Some(amps), _) => (Some(amps), format!("{} A rated", short(amps))),
                    (None, Some(watts)) => {
                        let text = format!("{} W / {} V = {} A", short(watts), short(volts), short(watts / volts));
                        (Some(watts / volts), text)
                    }
                    _ => match p.si("resistance", Dimension::Resistance) {
                        Some(ohm) if ohm > 0.0 => (
                            Some(volts / ohm),
                            format!("{} V / {} ohm = {} A", short(volts), short(ohm), short(volts / ohm)),
                        ),
                        _ => (None, String::new()),
                    },
                }
            }
        }
    }

    /// The nominal voltage at a terminal, from what feeds it: its batteries, those in series counted together, else what
    /// charges or converts there. Of several the lowest, at which a power takes most current; 12 V where nothing feeds it.
    /// `part` is the connected part of each node, whatever is open or closed.
    pub(super) fn system_volts(&self, node: usize, part: &[u32]) -> f64 {
        let lowest = |battery: bool| {
            let here = self.net.sources.iter().filter(|s| {
                !s.kind.is_ac()
                    && s.kind != SourceKind::Array
                    && (s.kind == SourceKind::Battery) == battery
                    && part[s.plus] == part[node]
            });
            here.map(|s| nominal_system(s.volts)).min_by(f64::total_cmp)
        };
        lowest(true).or_else(|| lowest(false)).unwrap_or(12.0)
    }
}

/// What a charger draws, no more than its input is set to.
fn as_set(p: &Component, amps: f64, text: String) -> (Option<f64>, String) {
    match p.si("input-limit", Dimension::Current).filter(|limit| *limit < amps) {
        Some(limit) => (Some(limit), format!("{text}, its input set to {} A", short(limit))),
        None => (Some(amps), text),
    }
}

/// Voltage a component charges to, as set, V.
pub(crate) fn charge_volts(p: &Component) -> Option<f64> {
    let key = match p.kind {
        Kind::Charger | Kind::DcDc => "voltage",
        Kind::Controller | Kind::InverterCharger | Kind::WindTurbine => "absorption",
        _ => return None,
    };
    p.si(key, Dimension::Voltage)
}

/// Charge current of a component, A: what it can give, or what it is set to where that is less.
pub(crate) fn charge_amps(p: &Component) -> Option<f64> {
    let most = p.si(if p.kind == Kind::InverterCharger { "charge" } else { "rating" }, Dimension::Current);
    let set = p.si("current-limit", Dimension::Current);
    [most, set].into_iter().flatten().min_by(f64::total_cmp)
}

/// Nominal voltage of a bank. The voltage belongs to chemistry and cell count, not to the name: an iron-phosphate
/// battery that is called 12, 24 or 48 V has cells of 3.2 V for 12.8, 25.6 or 51.2 V.
pub(crate) fn battery_volts(p: &Component) -> f64 {
    let iron = p.word("chemistry") == Some("lifepo4");
    let one = match p.si("voltage", Dimension::Voltage).unwrap_or(12.0) {
        called if iron && [12.0, 24.0, 36.0, 48.0].contains(&called) => called / 12.0 * 12.8,
        volts => volts,
    };
    one * p.series_and_parallel().0
}

/// The system a voltage belongs to: 12, 24 or 48 V; anything else stays as it is.
pub(crate) fn nominal_system(volts: f64) -> f64 {
    match volts {
        v if (10.0..16.0).contains(&v) => 12.0,
        v if (20.0..32.0).contains(&v) => 24.0,
        v if (40.0..60.0).contains(&v) => 48.0,
        v => v,
    }
}
