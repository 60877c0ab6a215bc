//! Values from outside the project, each with its source beside the check. Published values were
//! recalled from memory and are to be verified against the print; formulas are exact by definition.

use murvet_core::network::{FlowGraph, Resistor, solve};
use murvet_core::profiles::{Duty, Laid, ProfileId, ambient_factor, ampacity, resistance_ohm_per_m};
use murvet_core::readings::{Outcome, judge, plan};
use murvet_core::tables::{all, table};
use murvet_core::units::{Quantity, awg_area_mm2};

#[track_caller]
fn near(found: f64, wanted: f64, share: f64) {
    assert!((found / wanted - 1.0).abs() <= share, "{found} is not {wanted} within {} %", share * 100.0);
}

fn area(size: &str) -> f64 {
    Quantity::parse(size).expect(size).si
}

#[test]
fn gauges_follow_their_definition() {
    // ASTM B258: 36 AWG is 0.127 mm, 4/0 is 11.684 mm, and areas grow by 92^(2/39) a step.
    near(awg_area_mm2(36), std::f64::consts::PI / 4.0 * 0.127 * 0.127, 1e-12);
    near(area("4/0AWG"), std::f64::consts::PI / 4.0 * 11.684 * 11.684, 1e-4);
    // Handbook areas, mm²: 14 AWG 2.08, 10 AWG 5.26, 2 AWG 33.6, 2/0 67.4.
    for (size, mm2) in [("14AWG", 2.08), ("10AWG", 5.26), ("2AWG", 33.6), ("2/0AWG", 67.4)] {
        near(area(size), mm2, 0.003);
    }
}

#[test]
fn resistances_are_those_of_the_books() {
    // NFPA 70 chapter 9 table 8, ohm/kft at 75 C: 2/0 0.0967, 10 AWG 1.24; 1.018 to 1.026 of the formula.
    near(resistance_ohm_per_m(area("2/0AWG"), true) * 304.8, 0.0967, 1e-9);
    near(resistance_ohm_per_m(area("10AWG"), true) * 304.8, 1.24, 1e-9);
    for row in &table("nfpa70-ch9-t8").rows {
        // IEC 60028: 1.7241e-8 ohm m at 20 C, 0.00393 /K.
        let formula = 1.7241e-8 * (1.0 + 0.00393 * 55.0) / (area(&row.key) * 1e-6) * 304.8;
        let lay = row.values[0] / formula;
        assert!((1.012..1.030).contains(&lay), "{}: {lay}", row.key);
    }
    // IEC 60228 class 5, ohm/km at 20 C: 2.5 mm² 7.98, 70 mm² 0.272; a sound cable has 86 to 91 % of its area.
    near(table("iec60228-class5").get("2.5mm2", 0).unwrap_or(0.0), 7.98, 1e-12);
    for row in &table("iec60228-class5").rows {
        let share = 17.241 / row.values[0] / area(&row.key);
        assert!((0.85..0.93).contains(&share), "{}: {share}", row.key);
    }
}

#[test]
fn a_worked_solar_run_loses_what_the_handbooks_say() {
    // 48 ft of 8 AWG one way, 18 V, 1 kW: 18.6 % at 20 C, 23 % at 75 C (common practice).
    let amps = 1000.0 / 18.0;
    let metres = 48.0 * 0.3048 * 2.0;
    let cold = 1.7241e-8 / (area("8AWG") * 1e-6) * metres * amps / 18.0;
    near(cold, 0.186, 0.02);
    let warm = resistance_ohm_per_m(area("8AWG"), true) * metres * amps / 18.0;
    near(warm, 0.23, 0.01);
    // The nodal solver gives the same through supply and return.
    let ohm = resistance_ohm_per_m(area("8AWG"), true) * metres / 2.0;
    let r = [Resistor { a: 0, b: 1, ohm }, Resistor { a: 2, b: 3, ohm }];
    let s = solve(4, &r, &[(0, 18.0), (3, 0.0)], &[(1, amps), (2, -amps)]).expect("solves");
    near((18.0 - (s.volts[1] - s.volts[2])) / 18.0, warm, 1e-9);
}

#[test]
fn ampacities_are_those_of_the_tables() {
    let iz = |profile: ProfileId, duty, size: &str, change: fn(&mut Laid)| {
        let mut laid = Laid::plain(area(size));
        change(&mut laid);
        ampacity(profile.profile(), duty, &laid)
    };
    let plain = |_: &mut Laid| {};
    // NFPA 70 table 551.10(E)(1): device for 18 AWG 6 A, 14 AWG 15 A, 10 AWG 30 A.
    for (size, amps) in [("18AWG", 6.0), ("16AWG", 8.0), ("14AWG", 15.0), ("12AWG", 20.0), ("10AWG", 30.0)] {
        near(iz(ProfileId::NaRv, Duty::Dc, size, plain).device_a, amps, 1e-12);
    }
    // NFPA 70 table 310.17, 75 C: 6 AWG 95, 2/0 265, 4/0 360; 240.4(B) next standard size up.
    for (size, amps, device) in [("6AWG", 95.0, 100.0), ("2/0AWG", 265.0, 300.0), ("4/0AWG", 360.0, 400.0)] {
        let found = iz(ProfileId::NaRv, Duty::Dc, size, plain);
        near(found.iz_a, amps, 1e-9);
        near(found.device_a, device, 1e-9);
    }
    // NFPA 70 table 310.16, 60 C column for non-metallic sheathed cable (334.80) and 240.4(D).
    for (size, amps) in [("14AWG", 15.0), ("12AWG", 20.0), ("10AWG", 30.0), ("8AWG", 40.0), ("6AWG", 55.0)] {
        near(iz(ProfileId::NaRv, Duty::Ac, size, plain).iz_a, amps, 1e-9);
    }
    // ABYC E-11, 105 C: 2/0 330 A outside, x 0.85 in an engine space.
    near(iz(ProfileId::NaRv, Duty::Dc, "2/0AWG", |l| l.insulation_c = Some(105.0)).iz_a, 330.0, 1e-9);
    let engine = |l: &mut Laid| {
        l.insulation_c = Some(105.0);
        l.engine = true;
    };
    near(iz(ProfileId::NaRv, Duty::Dc, "2/0AWG", engine).iz_a, 280.5, 1e-9);
    // ISO 13297: 16 mm² 90 A at 70 C, 54 A at 60 C, 100 A at 85 C, 130 A at 105 C; never between columns.
    near(iz(ProfileId::EuUk, Duty::Dc, "16mm2", plain).iz_a, 90.0, 1e-9);
    for (c, amps) in [(60.0, 54.0), (70.0, 90.0), (80.0, 90.0), (85.0, 100.0), (90.0, 100.0), (105.0, 130.0)] {
        let mut laid = Laid::plain(16.0);
        laid.insulation_c = Some(c);
        near(ampacity(ProfileId::EuUk.profile(), Duty::Dc, &laid).iz_a, amps, 1e-9);
    }
    // BS 7671 table 4F3A: 1.5 mm² 16 A, 2.5 mm² 25 A, 4 mm² 32 A.
    for (size, amps) in [("1.5mm2", 16.0), ("2.5mm2", 25.0), ("4mm2", 32.0)] {
        near(iz(ProfileId::EuUk, Duty::Ac, size, plain).iz_a, amps, 1e-9);
    }
    // Correction for ambient: sqrt((75 - 50) / (75 - 30)) = 0.745, NFPA 70 prints 0.75; nothing is left at 75 C.
    near(ambient_factor(75.0, 50.0, 30.0), 0.75, 0.01);
    assert!(ambient_factor(75.0, 75.0, 30.0) == 0.0);
    // Cool air raises the ampacity only where it was measured.
    near(iz(ProfileId::EuUk, Duty::Dc, "16mm2", |l| l.ambient_c = Some(10.0)).iz_a, 90.0, 1e-9);
    // Bundles: NFPA 70 310.15(C)(1) 4 to 6 0.80, 7 to 9 0.70, 10 to 20 0.50.
    for (count, factor) in [(3.0, 1.0), (4.0, 0.8), (6.0, 0.8), (7.0, 0.7), (10.0, 0.5)] {
        near(table("bundle-nfpa70").from_count(count), factor, 1e-12);
    }
}

#[test]
fn every_table_says_where_it_is_from() {
    assert_eq!(all().len(), 19, "every data file is read");
    for t in all() {
        assert!(
            !t.source.is_empty() && !t.columns.is_empty() && t.rows.iter().all(|r| r.values.len() == t.columns.len()),
            "{}",
            t.id
        );
        assert!(t.recalled, "{}: no value was checked against the print", t.id);
    }
}

#[test]
fn the_rule_of_currents_for_inverters_holds() {
    // Full power at the cut-off voltage over efficiency: 1500 W on 150 A is tight, 3000 W on 350 A right
    // (common practice): 1500 / 10.5 / 0.85 = 168 A, 3000 / 10.5 / 0.85 = 336 A.
    let rig = murvet_core::notation::parse(
        "battery b: lifepo4 12.8V 400Ah\ninverter i: 3000W dc 12V ac 120V bond-none\nrun b.+ : 0.2m 4/0AWG, fuse F 350A, 1m 4/0AWG, i.dc+\nrun b.- : 1m 4/0AWG, i.dc-\n",
    );
    let audit = murvet_core::audit::audit(&rig.expect("parses"), ProfileId::NaRv);
    near(audit.net.consumers[0].current_a.unwrap_or(0.0), 336.1, 0.001);
    let against = ["device-oversized", "cable-ampacity", "inverter-device"];
    assert!(audit.findings.iter().all(|f| !against.contains(&f.meta)), "350 A on 4/0 AWG is right for 3000 W");
}

#[test]
fn residual_current_limits_are_those_of_the_standards() {
    let rig = murvet_core::notation::parse(
        "inlet s: 120V 15A\ngfci-outlet g: 5mA\ncable W 3x14AWG 2m s -> g\nrcd R: 25A rcd 30mA\n",
    );
    let tests = plan(&murvet_core::audit::audit(&rig.expect("parses"), ProfileId::NaRv));
    let of = |id: &str| tests.iter().find(|t| t.id == id).expect("planned");
    // UL 943: t <= (20 / I)^1.43 s, exact: at 6 mA 5.59 s.
    near(of("rcd:g").limit.high, 5594.0, 0.001);
    // IEC 61008: 300 ms at the rated residual current.
    near(of("rcd:R").limit.high, 300.0, 1e-12);
    assert_eq!(judge(of("rcd:R"), 299.0).outcome, Outcome::Pass);
    assert_eq!(judge(of("rcd:R"), 301.0).outcome, Outcome::Fail);
    assert_eq!(judge(of("rcd:R"), f64::INFINITY).outcome, Outcome::Fail, "never opening is a failure");
}

#[test]
fn two_fused_feeds_add_at_their_bar() {
    // By hand: two batteries behind 100 A each feed one bar, a third feed is limited to 40 A.
    let mut g = FlowGraph::new(4);
    for n in [0, 1] {
        g.feed(n, f64::INFINITY);
        g.edge(n, 2, 100.0);
    }
    g.feed(2, 40.0);
    g.edge(2, 3, f64::INFINITY);
    let flow = g.max_flow(3, &[]);
    assert_eq!((flow.amps, flow.cut.len()), (240.0, 3));
}
