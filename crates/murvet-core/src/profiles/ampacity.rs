//! What current a conductor may carry, and its resistance, by profile.

use super::Profile;
use crate::tables::table;
use crate::units::{awg_at_most, awg_name, short};
use serde::{Deserialize, Serialize};

/// By which tables a profile rates conductors.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub enum AmpacityBy {
    /// By gauge: small sizes have fixed limits, mains goes by the 60 C column corrected from that of its insulation.
    Gauge {
        /// Fixed limits of small conductors on DC.
        small_dc: String,
        /// Fixed limits of small conductors on mains.
        small_ac: String,
        /// Conductors together, columns of 60, 75 and 90 C.
        bundled: String,
        /// Single conductors in free air, columns of 75, 90 and 60 C.
        free_air: String,
        /// Insulation marked 105 C.
        marked_105: String,
        /// Flexible cords.
        cord: String,
        /// Factors for loaded conductors together.
        together: String,
    },
    /// By area: DC by insulation, mains by a table of cords up to 4 mm² and the DC table less a fifth above.
    Metric {
        /// Single conductors, columns of 60, 70, 85 and 105 C.
        dc: String,
        /// Cords up to 4 mm².
        cord: String,
        /// Factors for loaded conductors together.
        together: String,
    },
}

/// What a conductor carries.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Duty {
    /// Extra-low-voltage DC.
    Dc,
    /// Mains AC.
    Ac,
}

/// A conductor as it lies: everything the ampacity depends on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Laid {
    /// Cross-section, mm².
    pub area_mm2: f64,
    /// Temperature rating of the insulation, C, when known.
    pub insulation_c: Option<f64>,
    /// Hottest air along it, C, when stated.
    pub ambient_c: Option<f64>,
    /// Whether that air was measured, so that cool air may raise the ampacity.
    pub ambient_measured: bool,
    /// Loaded conductors bundled together.
    pub bundle: f64,
    /// Passes through an engine space.
    pub engine: bool,
    /// Runs inside thermal insulation over this length, m.
    pub in_insulation: Option<f64>,
    /// A flexible cord.
    pub cord: bool,
}

impl Laid {
    /// A conductor in free air with nothing special.
    pub fn plain(area_mm2: f64) -> Laid {
        Laid {
            area_mm2,
            insulation_c: None,
            ambient_c: None,
            ambient_measured: false,
            bundle: 1.0,
            engine: false,
            in_insulation: None,
            cord: false,
        }
    }
}

/// An ampacity with the way it was found.
#[derive(Debug, Clone, PartialEq)]
pub struct Ampacity {
    /// Corrected ampacity Iz, A.
    pub iz_a: f64,
    /// Largest device rating the profile allows for it, A.
    pub device_a: f64,
    /// Worked lines.
    pub steps: Vec<String>,
    /// Source of the table value.
    pub source: String,
}

/// Correction for ambient temperature, sqrt((Tc − Ta) / (Tc − Tref)); zero when the air is as hot as
/// the insulation may be. The heat that a conductor gives off is proportional to its temperature rise,
/// the heat it makes to the square of the current, so the formula is exact for equal surfaces.
///
/// ```
/// let factor = murvet_core::profiles::ambient_factor(75.0, 50.0, 30.0);
/// assert!((factor - 0.745).abs() < 0.001);
/// ```
pub fn ambient_factor(conductor_c: f64, ambient_c: f64, reference_c: f64) -> f64 {
    if ambient_c >= conductor_c { 0.0 } else { ((conductor_c - ambient_c) / (conductor_c - reference_c)).sqrt() }
}

/// Air of an engine space where none is stated, C: common practice, no source.
const ENGINE_C: f64 = 50.0;

/// Factors for a length inside thermal insulation, m, each up to that length: BS 7671 table 52.2 (recalled).
const IN_INSULATION: [(f64, f64); 4] = [(0.05, 0.88), (0.1, 0.78), (0.2, 0.63), (0.4, 0.51)];

/// The factor from half a metre on, and where nothing is said of the length.
const SURROUNDED: f64 = 0.5;

struct Working {
    value: f64,
    steps: Vec<String>,
}

impl Working {
    fn times(&mut self, factor: f64, why: &str) {
        if (factor - 1.0).abs() > 1e-9 {
            self.steps.push(format!("× {factor:.2} for {why} = {} A", short(self.value * factor)));
            self.value *= factor;
        }
    }

    /// An engine space by a factor of the table, and by the formula for the air there: the lesser. A stated or measured
    /// temperature always counts; where none is, the air of an engine space is taken as 50 C.
    fn engine(&mut self, laid: &Laid, table: Option<f64>, conductor_c: f64, reference_c: f64) {
        let by_formula = laid.ambient_c.map(|c| ambient_factor(conductor_c, c, reference_c));
        match table {
            Some(factor) if by_formula.is_none_or(|f| factor <= f) => self.times(factor, "an engine space"),
            _ => self.ambient(laid, conductor_c, reference_c, ENGINE_C),
        }
    }

    fn insulation(&mut self, laid: &Laid, source: &str) {
        let Some(length) = laid.in_insulation else { return };
        let row = IN_INSULATION.iter().find(|(m, _)| length <= m + 1e-9);
        let factor = row.map_or(SURROUNDED, |(_, factor)| *factor);
        self.times(factor, &format!("{} mm inside thermal insulation ({source})", short(length * 1000.0)));
    }

    fn ambient(&mut self, laid: &Laid, conductor_c: f64, reference_c: f64, default_c: f64) {
        let ambient = laid.ambient_c.unwrap_or(default_c);
        let mut factor = ambient_factor(conductor_c, ambient, reference_c);
        if !laid.ambient_measured {
            factor = factor.min(1.0);
        }
        let why = format!(
            "air at {ambient:.0} C: sqrt(({conductor_c:.0} − {ambient:.0}) / ({conductor_c:.0} − {reference_c:.0}))"
        );
        self.times(factor, &why);
    }
}

/// The ampacity of a conductor under a profile.
///
/// By gauge, DC: up to 10 AWG the smaller of NFPA 70 table 551.10(E)(1) and the corrected 75 C column of
/// 310.16 (or ABYC E-11 by choice, where it is marked 105 C); above, the school of table 310.17 (75 C, or 90 C where the insulation is marked so), or of
/// ABYC E-11 where it is marked 105 C. By gauge, AC: the 60 C column of 310.16 (334.80), corrections
/// taken from the 90 C column, capped by 240.4(D). By area, DC: ISO 13297 by insulation, 70 C
/// where unseen. AC: BS 7671 table 4F3A, above 4 mm² ISO 13297 less a fifth.
pub fn ampacity(profile: &Profile, duty: Duty, laid: &Laid) -> Ampacity {
    let area = laid.area_mm2;
    let size = format!("{} mm²", short(area));
    let mut w = Working { value: 0.0, steps: Vec::new() };
    let source;
    let mut cap = f64::INFINITY;
    let mut small = false;
    match &profile.ampacity_by.value {
        AmpacityBy::Gauge { small_dc, small_ac, bundled, free_air, marked_105, cord, together } => {
            let gauge = awg_at_most(area);
            let gauge_text = gauge.map_or_else(|| "under 40 AWG".to_owned(), |n| format!("{} AWG", awg_name(n)));
            // 10 AWG and thinner have a fixed largest device, unless the boat code was chosen for insulation it knows.
            let boat =
                duty == Duty::Dc && profile.answers.small_by_boat && laid.insulation_c.is_some_and(|t| t >= 105.0);
            small = gauge.is_none_or(|n| n >= 10) && !boat;
            let limits = table(if duty == Duty::Dc { small_dc } else { small_ac });
            if small {
                cap = limits.at_most(area, 0).map_or_else(|| limits.between(area, 0).unwrap_or(0.0), |(a, _)| a);
            }
            match duty {
                Duty::Dc if !small && laid.insulation_c.is_some_and(|t| t >= 105.0) => {
                    let t = table(marked_105);
                    source = t.cite();
                    w.value = t.between(area, 0).unwrap_or(0.0);
                    w.steps.push(format!("{size}, 105 C insulation: {} A", short(w.value)));
                    if laid.engine {
                        // This factor is the same insulation at 50 C, so no ambient correction comes on top.
                        w.engine(laid, Some(0.85), 105.0, 30.0);
                    } else {
                        w.ambient(laid, 105.0, 30.0, 30.0);
                    }
                }
                Duty::Dc if !small => {
                    let t = table(free_air);
                    source = t.cite();
                    let (column, tc) = match laid.insulation_c {
                        Some(c) if c >= 90.0 => (1, 90.0),
                        Some(c) if c < 75.0 => (2, 60.0),
                        _ => (0, 75.0),
                    };
                    w.value = t.between(area, column).unwrap_or(0.0);
                    w.steps.push(format!("{size} in free air, {tc:.0} C column: {} A", short(w.value)));
                    w.ambient(laid, tc, 30.0, if laid.engine { ENGINE_C } else { 30.0 });
                }
                Duty::Dc => {
                    let t = table(bundled);
                    source = format!("{} and {}", limits.cite(), t.cite());
                    let (column, tc) = if laid.insulation_c.is_some_and(|c| c < 75.0) { (0, 60.0) } else { (1, 75.0) };
                    w.value = t.between(area, column).unwrap_or(0.0);
                    w.steps.push(format!("{gauge_text}, {tc:.0} C column: {} A", short(w.value)));
                    w.ambient(laid, tc, 30.0, if laid.engine { ENGINE_C } else { 30.0 });
                }
                Duty::Ac if laid.cord && area < 14.0 => {
                    // A cord by its own table, for conductors of 60 C in 30 C air.
                    let t = table(cord);
                    source = t.cite();
                    w.value = t.at_most(area, 0).map_or(0.0, |(a, _)| a);
                    w.steps.push(format!("{gauge_text} cord: {} A", short(w.value)));
                    cap = w.value;
                    // Insulation marked higher may run hotter than the 60 C of the table, and never above its figure.
                    let tc = laid.insulation_c.unwrap_or(60.0);
                    if tc > 60.0 {
                        let air = laid.ambient_c.unwrap_or(if laid.engine { ENGINE_C } else { 30.0 });
                        let factor = ambient_factor(tc, air, tc - 30.0);
                        w.times(factor, &format!("air at {air:.0} C: sqrt(({tc:.0} − {air:.0}) / (60 − 30))"));
                    } else {
                        w.ambient(laid, tc, 30.0, if laid.engine { ENGINE_C } else { 30.0 });
                    }
                    small = true;
                }
                Duty::Ac => {
                    let t = table(bundled);
                    source = if small { format!("{} and {}", t.cite(), limits.cite()) } else { t.cite() };
                    // Insulation marked lower is corrected from its own column.
                    let (from, tc) = match laid.insulation_c {
                        Some(c) if c < 75.0 => (0, 60.0),
                        Some(c) if c < 90.0 => (1, 75.0),
                        _ => (2, 90.0),
                    };
                    w.value = t.between(area, from).unwrap_or(0.0);
                    w.steps.push(format!("{gauge_text}, {tc:.0} C column for corrections: {} A", short(w.value)));
                    w.ambient(laid, tc, 30.0, if laid.engine { ENGINE_C } else { 30.0 });
                    let column = t.between(area, 0).unwrap_or(0.0);
                    cap = cap.min(column);
                }
            }
            // The boat code's factors start at 50 V, so for extra-low voltage those of NFPA 70 serve both.
            w.times(table(together).from_count(laid.bundle), &format!("{:.0} loaded conductors together", laid.bundle));
            w.insulation(laid, "BS 7671 table 52.2, used as a school");
            if cap < w.value {
                w.steps.push(format!("at most {} A for {gauge_text}", short(cap)));
                w.value = cap;
            }
        }
        AmpacityBy::Metric { dc, cord, together } => {
            match duty {
                Duty::Dc => {
                    let t = table(dc);
                    source = t.cite();
                    let (column, tc) = match laid.insulation_c {
                        Some(c) if c >= 105.0 => (3, 105.0),
                        Some(c) if c >= 85.0 => (2, 85.0),
                        Some(c) if c < 70.0 => (0, 60.0),
                        _ => (1, 70.0),
                    };
                    w.value = t.between(area, column).unwrap_or(0.0);
                    let assumed =
                        if laid.insulation_c.is_none() { " (insulation not stated, 70 C assumed)" } else { "" };
                    w.steps.push(format!("{size}, {tc:.0} C insulation{assumed}: {} A", short(w.value)));
                    if laid.engine {
                        // 60 C insulation has no factor in the table; 70 C has 0.75, which is more than the formula gives at
                        // 50 C (0.71): the lesser is taken.
                        let factor = match tc {
                            t if t < 85.0 => None,
                            t if t < 100.0 => Some(0.82),
                            _ => Some(0.86),
                        };
                        w.engine(laid, factor, tc, 30.0);
                    } else {
                        w.ambient(laid, tc, 30.0, profile.ambient_c.value);
                    }
                }
                Duty::Ac => {
                    let cord = table(cord);
                    // The Australian tables start from 40 C air and list more than these values there, so
                    // the cord table stands in for them at 40 C without a further correction.
                    let reference = profile.ambient_c.value;
                    if area <= 4.01 {
                        source = cord.cite();
                        w.value =
                            cord.at_most(area, 0).map_or_else(|| cord.between(area, 0).unwrap_or(0.0), |(a, _)| a);
                        w.steps.push(format!("{size} cord: {} A", short(w.value)));
                    } else {
                        let t = table(dc);
                        source =
                            format!("{}, less a fifth for a multicore cable (common practice, no source)", t.cite());
                        w.value = (t.between(area, 1).unwrap_or(0.0) * 0.8).max(32.0);
                        w.steps.push(format!("{size} multicore: {} A", short(w.value)));
                    }
                    // The cord table is for 60 C copper by most recollections, the safe side in hot places.
                    let usual = if area <= 4.01 { 60.0 } else { 70.0 };
                    let tc = laid.insulation_c.map_or(usual, |c| c.min(usual));
                    w.ambient(laid, tc, reference, if laid.engine { ENGINE_C.max(reference) } else { reference });
                }
            }
            w.times(table(together).from_count(laid.bundle), &format!("{:.0} loaded conductors together", laid.bundle));
            w.insulation(laid, "BS 7671 table 52.2");
        }
    }
    let iz = w.value;
    // 240.4(B): the next standard rating above the ampacity; the fixed limits of small conductors stay.
    let fixed = if small { cap } else { f64::INFINITY };
    let mut device_a = iz;
    // Never from nothing: a conductor that may carry nothing has no device.
    if profile.next_size_up.value
        && iz > 0.0
        && iz < fixed
        && let Some(next) = profile.ratings().values().find(|r| *r >= iz - 1e-9 && *r <= 800.0)
    {
        device_a = next.min(fixed);
    }
    if device_a > iz + 1e-9 {
        w.steps.push(format!(
            "next standard device {} A is allowed (NFPA 70 section 240.4(B), recalled)",
            short(device_a)
        ));
    }
    Ampacity { iz_a: iz, device_a, steps: w.steps, source }
}

/// Resistance of a conductor, ohm per metre, for drop: the greatest a sound one may have, at working
/// temperature. Gauges: NFPA 70 chapter 9 table 8 at 75 C, between its sizes the ASTM B258 area with
/// 2.6 % lay. Metric: IEC 60228 class 5 at 20 C, taken to 70 C with alpha 0.00393 /K.
pub fn resistance_ohm_per_m(area_mm2: f64, gauge: bool) -> f64 {
    const RHO_20: f64 = 1.7241e-8; // ohm m, IEC 60028
    const ALPHA: f64 = 0.00393; // 1/K, IEC 60028
    let plain = |t: f64| RHO_20 * (1.0 + ALPHA * (t - 20.0)) / (area_mm2 * 1e-6);
    if gauge {
        let listed = table("nfpa70-ch9-t8")
            .at_most(area_mm2, 0)
            .filter(|(_, key)| crate::units::Quantity::parse(key).is_ok_and(|q| (q.si / area_mm2 - 1.0).abs() < 0.01));
        match listed {
            Some((ohm_per_kft, _)) => ohm_per_kft / 304.8,
            None => 1.026 * plain(75.0),
        }
    } else {
        let listed = table("iec60228-class5")
            .at_most(area_mm2, 0)
            .filter(|(_, key)| crate::units::Quantity::parse(key).is_ok_and(|q| (q.si / area_mm2 - 1.0).abs() < 0.01));
        match listed {
            Some((ohm_per_km, _)) => ohm_per_km / 1000.0 * (1.0 + ALPHA * 50.0),
            // A class 5 conductor at its greatest resistance has about 86 % of its nominal area.
            None => plain(70.0) / 0.86,
        }
    }
}
