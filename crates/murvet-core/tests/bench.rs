//! Single calculations against figures worked by hand, handbooks and standards.

use murvet_core::bench::{CALCULATIONS, Trouble, Worked};
use murvet_core::profiles::ProfileId;
use std::collections::BTreeMap;

fn work(key: &str, typed: &[(&str, &str)], profile: ProfileId) -> Result<Worked, Trouble> {
    let calculation = CALCULATIONS.iter().find(|c| c.key == key).expect(key);
    let typed: BTreeMap<String, String> = typed.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
    calculation.work(&typed, profile.profile())
}

#[track_caller]
fn says(key: &str, typed: &[(&str, &str)], profile: ProfileId, bad: bool, wanted: &str) {
    let worked = work(key, typed, profile).unwrap_or_else(|e| panic!("{e}"));
    let all = format!("{} | {}", worked.answer, worked.lines.join(" | "));
    assert!(all.contains(wanted), "{wanted} in {all}");
    assert_eq!(worked.bad, bad, "{all}");
}

const NA: ProfileId = ProfileId::NA_RV;
const EU: ProfileId = ProfileId::EU_UK;

#[test]
fn conductors_are_those_of_the_tables() {
    // ISO 13297 table A.1 (recalled), 70 C: 10 mm2 65 A; at 50 C x sqrt((70 - 50) / 40) = 46 A.
    says("ampacity", &[("size", "10mm2")], EU, false, "65 A.");
    says("ampacity", &[("size", "10mm2"), ("air", "50C")], EU, false, "46 A.");
    // NFPA 70 table 551.10(E)(1): 12 AWG 20 A.
    says("device", &[("size", "12AWG"), ("current", "14A")], NA, false, "15 A to 20 A.");
    says("device", &[("size", "12AWG"), ("current", "24A")], NA, true, "20 A at the most");
    // 20 A over 5 m at 12.8 V with 3 %: 0.384 V over 10 m at 20 A is 1.92 mohm/m at most; IEC 60228 class 5, hot
    // (x 1.1965 at 70 C): 16 mm2 1.45, 10 mm2 2.29, so 16 mm2.
    says("cable", &[], EU, false, "16mm2, with a device of");
    says("cable", &[("drop", "10%")], EU, false, "4mm2, with a device of");
    says("cable", &[("current", "900A")], EU, true, "No standard size");
}

#[test]
fn copper_is_told_from_less() {
    // Common practice: 2/0 AWG of 0.41 lb a foot is sound, below about 0.40 suspect. Solid area weighs 0.403 lb.
    says("weight", &[("weight", "0.41lb")], NA, false, "It has the copper");
    says("weight", &[("weight", "0.36lb")], NA, true, "% of the copper");
    // IEC 60228 class 5: 10 mm2 at most 1.91 ohm/km at 20 C, so 5 m 9.55 mohm; at 40 C x 1.0786 = 10.3 mohm.
    says("resistance", &[("resistance", "9.5mohm")], EU, false, "within the 9.55 mohm");
    says("resistance", &[("resistance", "9.7mohm")], EU, true, "more than the 9.55 mohm");
    says("resistance", &[("resistance", "10.2mohm"), ("temperature", "40C")], EU, false, "9.46 mohm at 20 C");
}

#[test]
fn batteries_share_by_ohms_law() {
    // Two, leads at one end: I1 R = I2 (R + 2 r), so 200 A divide as 2.6 to 2: 113 A and 87 A; at opposite ends alike.
    says("sharing", &[("count", "x2")], NA, false, "87 A to 113 A, 1.3 times");
    says("sharing", &[("count", "x2"), ("take", "opposite-ends")], NA, false, "100 A to 100 A");
    // Four at opposite ends: mirrored, the outer two alike and more than the inner two.
    let four = work("sharing", &[("take", "opposite-ends")], NA).expect("works");
    let amps: Vec<f64> = four.curve.expect("a curve").points.iter().map(|p| p.1).collect();
    assert!((amps[0] - amps[3]).abs() < 1e-6 && (amps[1] - amps[2]).abs() < 1e-6 && amps[0] > amps[1], "{amps:?}");
    assert!((amps.iter().sum::<f64>() - 200.0).abs() < 1e-6);
    // 13.7 V over 1 mohm and 1 m of 70 mm2 (0.2463 mohm): 10993 A.
    says("fault", &[], NA, false, "10993 A");
    // Common practice: a looped 30 A charger at 13.6 V takes 565 W and loses 157 W at 0.88 x 0.85 and 20 W idle.
    says("loop", &[], NA, true, "157 W lost");
    says("loop", &[], NA, true, "565 W");
}

#[test]
fn arrays_devices_and_units_are_those_of_the_books() {
    // NFPA 70 table 690.7(A): 1.14 at -10 C: 2 x 41 V = 93.5 V; -20 C 1.18: 96.8 V; three panels 140 V.
    says("cold-array", &[], NA, false, "93.5 V");
    says("cold-array", &[("count", "x3")], NA, true, "2 in series at the most");
    says("cold-array", &[], NA, false, "15.6 A");
    // IEC 61008: 300 ms at its current, 150 at twice, 40 at five times, never at half.
    for (test, within) in [("30mA", "300 ms"), ("60mA", "150 ms"), ("150mA", "40 ms")] {
        says("residual", &[("test", test)], EU, false, within);
    }
    says("residual", &[("test", "15mA")], EU, false, "It must hold");
    says("residual", &[("test", "30mA"), ("time", "310ms")], EU, true, "too long");
    says("residual", &[("test", "15mA"), ("time", "40ms")], EU, true, "below half");
    // UL 943 class A: at 6 mA (20 / 6)^1.43 = 5.59 s.
    says("residual", &[("kind", "gfci"), ("test", "6mA")], NA, false, "5.59 s");
    says("torque", &[], NA, false, "5.65 N m");
    says("torque", &[("value", "12"), ("unit", "N m")], NA, false, "106 in-lb");
    says("units", &[], NA, false, "67.4 mm²");
    says("units", &[("value", "104F")], NA, false, "40 C");
}

#[test]
fn what_cannot_be_read_is_named_and_every_calculation_starts_from_sound_values() {
    for c in CALCULATIONS {
        let worked = c.work(&BTreeMap::new(), NA.profile()).unwrap_or_else(|e| panic!("{}: {e}", c.key));
        assert!(!worked.answer.is_empty() && !worked.lines.is_empty() && !worked.source.is_empty(), "{}", c.key);
        for f in c.fields {
            for odd in ["", "12", "x", "-3V", "1e400A", "∞", "0A", "0mm2", "0ohm"] {
                // An error or an answer, never a fault, and never a figure that is none.
                if let Ok(w) = c.work(&[(f.key.to_owned(), odd.to_owned())].into(), EU.profile()) {
                    let text = format!("{}{:?}", w.answer, w.lines);
                    assert!(!text.contains("NaN") && !text.contains("inf"), "{} {} {odd}: {text}", c.key, f.key);
                }
            }
        }
    }
    let trouble = work("cable", &[("length", "5")], EU).expect_err("no unit");
    assert_eq!(trouble.key, "length");
    assert!(trouble.to_string().contains("such as 2.1m"), "{trouble}");
    assert!(work("cable", &[("length", "5V")], EU).is_err() && work("loop", &[("inverter", "120%")], EU).is_err());
}
