//! Every number that a verdict turns on, found again from outside: of a rig with one figure left open the audit is
//! asked where its verdict turns, and that must be where the source or a pocket calculator says. Then the number is
//! moved, and the verdict must turn elsewhere: a changed threshold cannot pass unseen.

use murvet_core::audit::audit_by;
use murvet_core::notation::parse;
use murvet_core::profiles::{Profile, ProfileId};
use murvet_core::rules::Severity;
use std::collections::BTreeSet;

/// A rig with `@` for the open figure, and where the verdict turns in na-rv, eu-uk and au-nz.
struct Turn {
    number: &'static str,
    slug: &'static str,
    least: Severity,
    text: &'static str,
    range: (f64, f64),
    at: [Option<f64>; 3],
}

const fn turn(
    number: &'static str,
    slug: &'static str,
    text: &'static str,
    range: (f64, f64),
    at: [Option<f64>; 3],
) -> Turn {
    Turn { number, slug, least: Severity::Advice, text, range, at }
}

const BANK: &str = "battery b: agm 12V 100Ah internal 5mohm\n";

/// Sources stand with the numbers in `profiles/`; the workings beside each line are by hand.
#[rustfmt::skip]
const TURNS: &[Turn] = &[
    // Distances as they stand in the profile.
    turn("first_device_m", "device-too-far", "dc-load l: 20A\nrun b.+ : @m 16mm2 90C, fuse F 30A, 1m 16mm2 90C, l.+\nrun b.- : 1m 16mm2 90C, l.-\n",
        (0.1, 2.0), [Some(0.4572), Some(0.5), Some(0.5)]),
    turn("reduction_m", "device-oversized", "bus p\ndc-load l: 5A\ndc-load m: 80A\nrun b.+ : 0.1m 35mm2 90C, fuse F 90A, 1m 35mm2 90C, p\nrun p : @m 2.5mm2 90C, fuse G 10A, 1m 2.5mm2 90C, l.+\n\
        run p : 0.5m 35mm2 90C, m.+\nrun b.- : 1m 35mm2 90C, m.-\nrun b.- : 1m 2.5mm2 90C, l.-\n",
        (0.1, 9.0), [Some(0.4572), Some(3.0), Some(3.0)]),
    // 10 A through 2.5 mm2 of 7.98 ohm/km at 20 C (IEC 60228), x 1.1965 at 70 C: 0.0955 V/m; 3 % and 10 % of 12 V, less
    // the 0.2 m at the ends.
    turn("drop_vital", "cable-drop", "dc-load l: 10A vital\nrun b.+ : 0.1m 2.5mm2 90C, fuse F 15A, @m 2.5mm2 90C, l.+\nrun b.- : 0.1m 2.5mm2 90C, l.-\n",
        (0.1, 40.0), [Some(3.57), Some(3.57), Some(3.57)]),
    turn("drop_other", "cable-drop", "dc-load l: 10A\nrun b.+ : 0.1m 2.5mm2 90C, fuse F 15A, @m 2.5mm2 90C, l.+\nrun b.- : 0.1m 2.5mm2 90C, l.-\n",
        (0.1, 90.0), [Some(12.37), Some(12.37), Some(12.37)]),
    // 5 % of the mains voltage at 10 A through the same out and back: 6 V or 11.5 V of 0.191 V/m.
    turn("drop_mains", "cable-drop", "inlet s: 16A\nac-load l: current 10A\nrcbo g: 16A 30mA 2-pole\ncable W 3x2.5mm2 0.01m s -> g\ncable X 3x2.5mm2 @m g -> l\n",
        (1.0, 300.0), [Some(31.41), Some(60.2), Some(60.2)]),
    // 2.5 mm2 at 90 C carries 30 A in air of 30 C; in 40 C sqrt((85 - 40) / (85 - 30)) of it, for its
    // column of ISO 13297 begins at 85 C.
    turn("ambient_c", "device-oversized", "dc-load l: 1A\nrun b.+ : 0.1m 2.5mm2 90C, fuse F @A, 1m 2.5mm2 90C, l.+\nrun b.- : 0.1m 2.5mm2 90C, l.-\n",
        (5.0, 60.0), [None, Some(30.0), Some(27.14)]),
    turn("bond_mm2", "chassis-bond", "inverter i: 500W dc 12V isolated bond-switched\nrun b.+ : 0.1m 25mm2 90C, fuse F 60A, 1m 25mm2 90C, i.dc+\nrun b.- : 1m 25mm2 90C, i.dc-\nchassis c\nrun i.case : 1m @mm2, c\n",
        (1.0, 20.0), [Some(8.29), Some(3.96), Some(3.96)]),
    turn("negative_bond_mm2", "negative-floating", "chassis c\nrun b.- : 1m @mm2, c\n", (1.0, 20.0), [Some(8.29), Some(5.94), Some(5.94)]),
    turn("mains_mm2", "cable-minimum", "inlet s: 10A\nsocket o\nrcbo g: 6A 30mA 2-pole\ncable W 3x@mm2 1m s -> g\ncable X 3x4mm2 1m g -> o\n", (0.5, 4.0), [Some(2.06), Some(1.485), Some(1.485)]),
    turn("parallel_mm2", "parallel-conductors", "dc-load l: 5A\nrun b.+ : 0.1m 120mm2, fuse F 20A, 1m @mm2, l.+\nrun F : 1m @mm2, l.+\nrun b.- : 1m 120mm2, l.-\n", (10.0, 110.0), [Some(53.44), None, None]),
    // Two of 2 m and 2 m / 0.95: no longer equal, each then carries the fuse alone.
    turn("parallel_length", "device-oversized", "dc-load l: 40A\nrun b.+ : 0.1m 25mm2 90C, fuse F 45A, 2m 2.5mm2 90C, l.+\nrun F : @m 2.5mm2 90C, l.+\nrun b.- : 1m 25mm2 90C, l.-\n", (2.0, 2.5), [None, Some(2.105), None]),
    // Two in parallel of 5 mohm and R: 2 R / (5 + R) = 1.25 at R = 8.33 mohm (current divider).
    turn("share", "battery-sharing", "battery d: agm 12V 100Ah internal @mohm\ndc-load l: 50A\nrun b.+ : 0.001m 50mm2, p\nrun d.+ : 0.001m 50mm2, p\nbus p\nbus n\nrun b.- : 0.001m 50mm2, n\nrun d.- : 0.001m 50mm2, n\nrun p : 1m 50mm2, l.+\nrun n : 1m 50mm2, l.-\n",
        (5.0, 20.0), [Some(8.33), Some(8.33), Some(8.33)]),
    // NFPA 70 690.8: 12 AWG of 551.10(E) has 20 A; 20 / (1.25 x 1.25).
    turn("continuous", "array-current", "array a: isc @A voc 20V\ncontroller k: 30A 100V\nrun a.+ : 3m 12AWG, k.pv+\nrun a.- : 3m 12AWG, k.pv-\n", (5.0, 30.0), [Some(12.8), None, None]),
    // The array gives 1.25 x Isc: 2.5 mm2 at 90 C has 30 A, in 40 C 27.14 A.
    turn("sun", "cable-ampacity", "array a: isc @A voc 20V\ncontroller k: 30A 100V\nrun a.+ : 3m 2.5mm2 90C, k.pv+\nrun a.- : 3m 2.5mm2 90C, k.pv-\n", (5.0, 40.0), [None, Some(24.0), Some(21.71)]),
    // NFPA 70 table 690.7(A): -20 C 1.18, -10 C 1.14, 0 C 1.10 over 100 V.
    turn("coldest_c", "array-voltage", "array a: isc 5A voc @V\ncontroller k: 30A 100V\nrun a.+ : 3m 6mm2, k.pv+\nrun a.- : 3m 6mm2, k.pv-\n", (60.0, 110.0), [Some(84.75), Some(87.72), Some(90.91)]),
    turn("mixed_v", "battery-mixed", "battery d: agm 17V 100Ah\nbattery e: agm @V 100Ah\nrun d.+ : 0.1m 16mm2, e.+\nrun d.- : 0.1m 16mm2, e.-\n", (17.0, 19.0), [Some(17.5), Some(17.5), Some(17.5)]),
    turn("mixed_ah", "battery-mixed", "battery d: agm 12V @Ah\nrun b.+ : 0.1m 16mm2, d.+\nrun b.- : 0.1m 16mm2, d.-\n", (100.0, 130.0), [Some(105.26), Some(105.26), Some(105.26)]),
    // Absorption 14.4 V stated, and 0.8 % of 12 V beside it.
    turn("charge_slack", "charge-voltage", "battery d: agm 12V 100Ah absorption 14.4V\ninlet s: 10A\ncharger c: 10A @V\ncable W 3x2.5mm2 1m s -> c\nrun c.dc+ : 1m 6mm2, d.+\nrun c.dc- : 1m 6mm2, d.-\n", (14.4, 16.0), [Some(14.496), Some(14.496), Some(14.496)]),
    // 150 A at 10.5 V with 85 %: 1338.75 W, at nominal 12 V 1530 W.
    turn("efficiency", "inverter-device", "inverter i: @W dc 12V isolated bond-switched\nrun b.+ : 0.1m 70mm2 90C, fuse F 150A, 1m 70mm2 90C, i.dc+\nrun b.- : 1m 70mm2 90C, i.dc-\n", (500.0, 3000.0), [Some(1338.75), Some(1338.75), Some(1338.75)]),
    turn("cut_off", "inverter-device", "inverter i: @W dc 12V isolated bond-switched\nrun b.+ : 0.1m 70mm2 90C, fuse F 150A, 1m 70mm2 90C, i.dc+\nrun b.- : 1m 70mm2 90C, i.dc-\n", (500.0, 3000.0), [Some(1338.75), Some(1338.75), Some(1338.75)]),
    Turn { least: Severity::Soon, ..turn("efficiency", "inverter-device", "inverter i: @W dc 12V isolated bond-switched\nrun b.+ : 0.1m 70mm2 90C, fuse F 150A, 1m 70mm2 90C, i.dc+\nrun b.- : 1m 70mm2 90C, i.dc-\n", (500.0, 3000.0), [Some(1530.0), Some(1530.0), Some(1530.0)]) },
    // 0.82 x 20 V at 0.94 x 10 A, 6 mm2 of 3.30 ohm/km x 1.1965 out and back: 5 % of 16.4 V is 0.82 V of 0.0371 V/m, twice.
    turn("home_run", "array-drop", "array a: isc 10A voc 20V\ncontroller k: 30A 100V\nrun a.+ : @m 6mm2, k.pv+\nrun a.- : @m 6mm2, k.pv-\n", (1.0, 60.0), [Some(11.05), Some(11.05), Some(11.05)]),
    // Two thirds of 1200 W.
    turn("inverter_share", "load-sum", "inverter i: 1200W dc 12V isolated bond-switched\nrun b.+ : 0.1m 70mm2 90C, fuse F 150A, 1m 70mm2 90C, i.dc+\nrun b.- : 1m 70mm2 90C, i.dc-\nac-load k: @W\ncable W 3x2.5mm2 1m i -> k\n", (100.0, 1150.0), [Some(800.8), Some(800.8), Some(800.8)]),
    turn("rcd_everywhere_a", "rcd-missing", "inlet s: 16A\nrcbo g: 16A rcd @mA 2-pole\nsocket o\nsocket q\ncable W 3x2.5mm2 1m s -> g\ncable X 3x2.5mm2 1m g -> o\ncable Y 3x2.5mm2 1m o -> q\n", (5.0, 300.0), [None, Some(30.0), Some(30.0)]),
];

/// Whether the finding is there with this figure.
fn found(t: &Turn, limits: &Profile, figure: f64) -> bool {
    let text = format!("{BANK}{}", t.text.replace('@', &format!("{figure:.6}")));
    let rig = parse(&text).unwrap_or_else(|e| panic!("{}\n{text}", e[0]));
    audit_by(&rig, limits).findings.iter().any(|f| f.rule.slug == t.slug && f.severity >= t.least)
}

/// The figure at which the verdict turns, by halving; nothing when it does not turn in the range.
fn turns_at(t: &Turn, limits: &Profile) -> Option<f64> {
    let (mut low, mut high) = t.range;
    let first = found(t, limits, low);
    if first == found(t, limits, high) {
        return None;
    }
    while high - low > 1e-4 * high {
        let middle = f64::midpoint(low, high);
        if found(t, limits, middle) == first { low = middle } else { high = middle }
    }
    Some(low)
}

/// Figures that go into evidence and turn no verdict of their own: they are pinned below.
const FIGURES: [&str; 5] = ["efficiency_best", "efficiency_worst", "idle_best_w", "idle_worst_w", "fault_spread"];

#[test]
fn verdicts_turn_where_the_source_says_and_move_with_the_number() {
    let mut wrong = Vec::new();
    for (n, id) in [ProfileId::NA_RV, ProfileId::EU_UK, ProfileId::AU_NZ].into_iter().enumerate() {
        let mut seen: BTreeSet<&str> = BTreeSet::new();
        for t in TURNS {
            let Some(expected) = t.at[n] else { continue };
            let at = turns_at(t, id.profile());
            let near = |a: f64| (a - expected).abs() <= 0.004 * expected;
            if !at.is_some_and(near) {
                wrong.push(format!("{} {}: turns at {at:?}, by hand at {expected}", id.word(), t.number));
                continue;
            }
            let moved = |factor: f64| {
                let mut limits = id.profile().clone();
                for (name, value) in limits.numbers() {
                    if name == t.number {
                        *value = if *value == 0.0 { -1.0 } else { *value * factor };
                    }
                }
                turns_at(t, &limits)
            };
            let still = |a: f64| at.is_some_and(|old| (a - old).abs() <= 3e-4 * old);
            if [0.9, 1.1].into_iter().all(|f| moved(f).is_some_and(still)) {
                wrong.push(format!("{} {}: moved by a tenth the verdict turns where it did", id.word(), t.number));
            }
            seen.insert(t.number);
        }
        for (name, _) in id.profile().clone().numbers() {
            let elsewhere = TURNS.iter().any(|t| t.number == name);
            if !FIGURES.contains(&name) && !elsewhere {
                wrong.push(format!("{name} is turned by no test"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn figures_of_a_charger_loop_are_those_of_the_trade() {
    // 30 A x 13.6 V back at the best and the worst of what is unstated: 408 W / 0.92 / 0.92 + 10 W and
    // 408 W / 0.80 / 0.80 + 50 W out (common practice, no source).
    let text = "battery b: agm 12V 100Ah\ninverter i: 1000W dc 12V ac 120V bond-switched isolated\nrun b.+ : 0.2m 35mm2, fuse F 150A, 0.5m 35mm2, i.dc+\n\
        run b.- : 0.5m 35mm2, i.dc-\ncharger c: 30A 13.6V\noutlet o\ncable W 3x12AWG 1m i -> o\ncable X 3x12AWG 1m o -> c\nrun c.dc+ : 0.5m 10mm2, fuse G 40A, 0.2m 10mm2, b.+\nrun c.dc- : 0.5m 10mm2, b.-\n";
    let rig = parse(text).expect("parses");
    let limits = ProfileId::NA_RV.profile();
    let said = |limits: &Profile| -> String {
        let audit = audit_by(&rig, limits);
        audit.findings.iter().find(|f| f.rule.slug == "charger-loop").map(|f| f.evidence.join("\n")).expect("a loop")
    };
    let now = said(limits);
    // Into the inverter 492 W at best and 688 W at worst, 84 W and 280 W more than come back.
    for watts in ["688", "84", "280"] {
        assert!(now.contains(&format!("{watts} ")), "{watts} in\n{now}");
    }
    for figure in FIGURES.into_iter().filter(|f| *f != "fault_spread") {
        let mut other = limits.clone();
        for (_, value) in other.numbers().into_iter().filter(|(name, _)| *name == figure) {
            *value *= 1.05;
        }
        assert_ne!(said(&other), now, "{figure}");
    }
}

#[test]
fn a_fault_beyond_the_spread_of_an_unstated_bank_is_pressing() {
    // A blade fuse breaks 1 kA at 32 V (reference values of the trade, recalled). The finding turns from soon to before
    // use at twice that, wherever the bank's own strength puts it.
    let severity = |ah: f64, spread: f64| {
        let text = format!(
            "battery b: lifepo4 12.8V {ah}Ah\ndc-load l: 5A\nrun b.+ : 0.1m 16mm2, fuse F 10A blade, 1m 16mm2, l.+\nrun b.- : 0.1m 16mm2, l.-\n"
        );
        let mut limits = ProfileId::EU_UK.profile().clone();
        limits.fault_spread.value = spread;
        let audit = audit_by(&parse(&text).expect("parses"), &limits);
        audit.findings.iter().find(|f| f.rule.slug == "breaking-capacity").map(|f| (f.severity, f.statement.clone()))
    };
    let mut last = 0.0;
    for ah in (10..400).map(|n| f64::from(n) * 0.5) {
        let Some((now, statement)) = severity(ah, 2.0) else { continue };
        let amps: f64 =
            statement.split("and ").nth(1).and_then(|s| s.split(' ').next()?.parse().ok()).expect("a figure");
        if (amps - 2000.0).abs() < 1.0 {
            continue; // rounded as printed
        }
        assert_eq!(now, if amps > 2000.0 { Severity::BeforeUse } else { Severity::Soon }, "{statement}");
        if (last..=amps).contains(&2000.0) {
            assert_eq!(severity(ah, 2.5).map(|s| s.0), Some(Severity::Soon));
        }
        last = amps;
    }
    assert!(last > 2000.0);
}
