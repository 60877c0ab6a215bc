//! Numbers on which verdicts turn and that are the same for every circuit of a profile. Each stands here once, with
//! its source, so that a test can move every one of them and see a verdict change.

use super::{Profile, ProfileId};

/// Thresholds beside the limits of [`Profile`].
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Thresholds {
    /// Share of the voltage that may be lost on mains circuits. IEC 60364-5-52 annex G, 5 % (recalled).
    pub drop_mains: f64,
    /// Least bond of a chassis or a converter's case, mm². NFPA 70 section 551.20(C) and 551.56(C), 8 AWG (recalled);
    /// elsewhere 4 mm², common practice, no source.
    pub bond_mm2: f64,
    /// Least conductor between the DC negative and the chassis, mm²: as above; elsewhere 6 mm², common practice, no
    /// source.
    pub negative_bond_mm2: f64,
    /// Least fixed mains wiring, mm². IEC 60364-7-721, 1.5 mm²; NFPA 70 section 551.47, 14 AWG (recalled).
    pub mains_mm2: f64,
    /// Least conductor that may lie in parallel, mm²; 0 where there is none. NFPA 70 section 310.10(G), 1/0 AWG
    /// (recalled).
    pub parallel_mm2: f64,
    /// Conductors within this share of each other in length are equal, common practice, no source.
    pub parallel_length: f64,
    /// Largest share of a battery over the mean, both per ampere-hour; common practice, no source.
    pub share: f64,
    /// Short-circuit current of an array in full sun over its label. NFPA 70 section 690.8(A) (recalled).
    pub sun: f64,
    /// Ampacity over a current that flows for hours. NFPA 70 section 690.8(B) (recalled).
    pub continuous: f64,
    /// Lowest air where nothing is stated, C; common practice, no source.
    pub coldest_c: f64,
    /// Nominal voltages this much apart are different systems, V; common practice, no source.
    pub mixed_v: f64,
    /// Capacities this share apart are different, common practice, no source.
    pub mixed_ah: f64,
    /// A charge voltage within this share of the bank's is what its display can tell; common practice, no source.
    pub charge_slack: f64,
    /// A fault current beyond this many times what a device breaks is pressing although nobody stated the bank's
    /// resistance; common practice, no source.
    pub fault_spread: f64,
    /// Cut-off voltage of an inverter over the nominal one, 10.5 V of 12 V; common practice, no source.
    pub cut_off: f64,
    /// Efficiency of a converter where none is stated, best; common practice, no source.
    pub efficiency_best: f64,
    /// Efficiency of a converter where none is stated, worst; common practice, no source.
    pub efficiency_worst: f64,
    /// Power that an idle inverter takes where none is stated, best, W; common practice, no source.
    pub idle_best_w: f64,
    /// Power that an idle inverter takes where none is stated, worst, W; common practice, no source.
    pub idle_worst_w: f64,
    /// Share of an array's voltage that may be lost in its home run; common practice, no source.
    pub home_run: f64,
    /// Share of an inverter's power that appliances may ask together before little is left; common practice, no source.
    pub inverter_share: f64,
    /// Efficiency used for the current of a converter at full power where none is stated; common practice, no source.
    pub efficiency: f64,
}

impl Thresholds {
    pub(super) const COMMON: Thresholds = Thresholds {
        drop_mains: 0.05,
        bond_mm2: 4.0,
        negative_bond_mm2: 6.0,
        mains_mm2: 1.5,
        parallel_mm2: 0.0,
        parallel_length: 0.05,
        share: 1.25,
        sun: 1.25,
        continuous: 1.25,
        coldest_c: -10.0,
        mixed_v: 0.5,
        mixed_ah: 0.05,
        charge_slack: 0.008,
        fault_spread: 2.0,
        cut_off: 10.5 / 12.0,
        efficiency_best: 0.92,
        efficiency_worst: 0.80,
        idle_best_w: 10.0,
        idle_worst_w: 50.0,
        home_run: 0.05,
        inverter_share: 2.0 / 3.0,
        efficiency: 0.85,
    };
    pub(super) const NA: Thresholds = Thresholds {
        bond_mm2: 8.37,
        negative_bond_mm2: 8.37,
        mains_mm2: 2.08,
        parallel_mm2: 53.49,
        coldest_c: -20.0,
        ..Thresholds::COMMON
    };
    pub(super) const AU: Thresholds = Thresholds { coldest_c: 0.0, ..Thresholds::COMMON };
}

/// A number by its name.
pub type Named<'a> = (&'static str, &'a mut f64);

impl Profile {
    /// Every number that a verdict turns on, by name, to be moved.
    pub fn numbers(&mut self) -> Vec<Named<'_>> {
        let t = &mut self.thresholds;
        let mut list = vec![
            ("first_device_m", &mut self.first_device_m.value),
            ("reduction_m", &mut self.reduction_m.value),
            ("drop_vital", &mut self.drop_vital.value),
            ("drop_other", &mut self.drop_other.value),
            ("ambient_c", &mut self.ambient_c),
            ("drop_mains", &mut t.drop_mains),
            ("bond_mm2", &mut t.bond_mm2),
            ("negative_bond_mm2", &mut t.negative_bond_mm2),
            ("mains_mm2", &mut t.mains_mm2),
            ("parallel_mm2", &mut t.parallel_mm2),
            ("parallel_length", &mut t.parallel_length),
            ("share", &mut t.share),
            ("sun", &mut t.sun),
            ("continuous", &mut t.continuous),
            ("coldest_c", &mut t.coldest_c),
            ("mixed_v", &mut t.mixed_v),
            ("mixed_ah", &mut t.mixed_ah),
            ("charge_slack", &mut t.charge_slack),
            ("fault_spread", &mut t.fault_spread),
            ("cut_off", &mut t.cut_off),
            ("efficiency_best", &mut t.efficiency_best),
            ("efficiency_worst", &mut t.efficiency_worst),
            ("idle_best_w", &mut t.idle_best_w),
            ("idle_worst_w", &mut t.idle_worst_w),
            ("efficiency", &mut t.efficiency),
            ("home_run", &mut t.home_run),
            ("inverter_share", &mut t.inverter_share),
        ];
        if let Some(rcd) = &mut self.rcd_everywhere {
            list.push(("rcd_a", &mut rcd.value));
        }
        // Where parallel conductors have no least size there is nothing to move.
        list.retain(|(name, value)| *name != "parallel_mm2" || **value > 0.0 || self.id == ProfileId::NaRv);
        list
    }
}
