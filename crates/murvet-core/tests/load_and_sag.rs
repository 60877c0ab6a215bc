//! Load tests foretold, sags divided, what a current says of hours, which source a voltage tells, and kinds of complaints.

use murvet_core::audit::{Audit, audit};
use murvet_core::capacity::{HALF_HOUR, course};
use murvet_core::complaints::{Complaint, Symptom, as_observed, reproduced_by};
use murvet_core::diagnosis::Models;
use murvet_core::measure::{Fault, Function, World};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Outcome, Test, TestKind, divided, fed_by_words, hours_words, judge, plan};

const KITE: &str = include_str!("../../murvet/demo/kite.rig");

/// A bank of AGM, 100 Ah, with an inverter at the end of 2 m of 16 mm² each way.
const LONG: &str = "rig long profile eu-uk\nbattery b: agm 12V 100Ah\ninverter i: 800W dc 12V ac 230V bond-switched isolated warning 11.5V cut-off 10.5V\n\
    panel p: main 10A rcd 30mA, way o 6A, way k 6A\noutlet s\nac-load kettle: 600W\n\
    run b.+ : 0.2m 16mm2, fuse F 80A class-t, 2m 16mm2, i.dc+\nrun b.- : 2.2m 16mm2, i.dc-\n\
    cable w 3x1.5mm2 1m i -> p.main\ncable v 3x1.5mm2 1m p.o -> s\ncable u 3x1.5mm2 1m p.k -> kettle\n";

fn audited(text: &str) -> Audit {
    let rig = parse(text).expect("parses");
    audit(&rig, rig.profile.unwrap_or(ProfileId::EU_UK))
}

fn of<'a>(tests: &'a [Test], id: &str) -> &'a Test {
    tests.iter().find(|t| t.id == id).unwrap_or_else(|| panic!("no {id}"))
}

#[test]
fn volts_by_time_follow_the_bank_and_what_is_lost_on_the_way() {
    let audit = audited(LONG);
    let state =
        audit.states.states.iter().find(|s| s.setting.controls.iter().any(|c| *c > 0)).expect("the inverter on");
    let c = course(&audit, state, &["kettle"], HALF_HOUR).expect("a bank gives");
    // 600 W over the usual efficiency from 12 V: between 50 and 65 A.
    assert!((50.0..65.0).contains(&c.amps), "{}", c.amps);
    // Resting full 12 V x 1.084 (table of chemistries), less what 55 A lose inside 100 Ah of AGM: some tenths of a volt.
    let (first, last) = (c.moments[0], c.moments[3]);
    assert!((12.4..13.0).contains(&first.bank_v), "{first:?}");
    // Copper of 16 mm² has 1.21 mohm a metre at the most (IEC 60228 class 5, 20 C); nominal area 17.24e-9 / 16e-6 = 1.08.
    let path = first.bank_v - first.at_v;
    let (low, high) = (c.amps * 4.4 * 0.95e-3, c.amps * 4.4 * 1.5e-3);
    assert!(path > low && path < high, "{path} V, {low} to {high}");
    // It falls and never rises, and the way takes the same current all the time or a little more.
    assert!(c.moments.windows(2).all(|w| w[1].at_v < w[0].at_v && w[1].minutes > w[0].minutes));
    assert!((last.minutes - HALF_HOUR).abs() < 1e-9);
    let (warns, cuts) = (c.warns.expect("set"), c.cuts_off.expect("set"));
    let time = |m: Option<f64>| m.unwrap_or(f64::INFINITY);
    assert!(time(warns.minutes) <= time(cuts.minutes), "it warns before it cuts off");
    assert!(c.text().contains("does not prove"));
    // The same with ten times the resistance in the way cuts off at once.
    let thin = audited(&LONG.replace("2m 16mm2", "24m 16mm2"));
    let state = thin.states.states.iter().find(|s| s.setting.controls.iter().any(|c| *c > 0)).expect("on");
    let worse = course(&thin, state, &["kettle"], HALF_HOUR).expect("a bank gives");
    assert!(worse.moments[0].at_v < first.at_v - 5.0 * path);
    // With nothing on nothing is foretold.
    assert!(course(&audit, state, &[], HALF_HOUR).is_none());
}

#[test]
fn a_sag_is_divided_and_the_rest_that_nothing_explains_is_where_the_fault_is() {
    let audit = audited(LONG);
    let tests = plan(&audit);
    let path = of(&tests, "path:i");
    let sound = World::new(&audit, &[]);
    let probe = path.probe.as_ref().expect("measured");
    let should = sound.read(probe).expect("a value");
    let none = |_: &str| None;
    let d = divided(&audit, path, should, &none).expect("a loss");
    assert!(d.unexplained.abs() < 1e-6 && d.next.is_none());
    let sum: f64 = d.parts.iter().map(|p| p.volts).sum();
    assert!((sum - should).abs() < 1e-6, "the parts are the whole: {sum} and {should}");
    assert!(d.parts.iter().filter(|p| p.what.contains("16mm2")).count() >= 3, "{:?}", d.parts);
    // Ten milliohms in a joint: the rest is the current times that, and the next reading finds the half that it is in.
    let key = audit.net.wires.iter().find(|w| w.key.contains("F.out")).expect("the run").key.clone();
    let faulty = World::new(&audit, &[Fault::Joint { wire: key, ohm: 0.01 }]);
    let read = faulty.read(probe).expect("a value");
    let d = divided(&audit, path, read, &none).expect("a loss");
    assert!((d.unexplained - (read - should)).abs() < 1e-6 && d.unexplained > 0.3, "{d:?}");
    let (leads, expected) = d.next.clone().expect("something to measure");
    assert!(leads.starts_with("b.+ to") && expected > 0.0 && expected < should, "{leads}");
    assert!(d.lines().iter().any(|l| l.contains("explained by none")));
    // A sag: the bank's own share stands first; a resting voltage that was measured counts instead of the trace's.
    let held = of(&tests, "held:i");
    let value = sound.read(held.probe.as_ref().expect("measured")).expect("a value");
    let d = divided(&audit, held, value, &none).expect("a sag");
    assert!(d.parts[0].what.contains("inside b") && d.parts[0].volts > 0.1 && d.unexplained.abs() < 0.02, "{d:?}");
    let flat = divided(&audit, held, value - 0.4, &|_: &str| Some(12.0)).expect("a sag");
    assert!(flat.measured < d.measured, "a bank that rested at 12.0 V sags less than it seems");
    assert!(divided(&audit, of(&tests, "rest:b"), 12.5, &none).is_none());
}

#[test]
fn a_measured_current_becomes_hours_and_a_voltage_names_its_source() {
    let audit = audited(LONG);
    let tests = plan(&audit);
    // 100 Ah of AGM, half of it usable, at 2.5 A for twenty hours is its rate: 20 h x (100 / 50)^k x 0.5, k of the table.
    let words = hours_words(&audit, of(&tests, "parasitic:b"), 2.5).expect("hours");
    let k = murvet_core::tables::table("peukert").get("agm", 0).expect("the table");
    let hours = 20.0 * 2.0f64.powf(k) * 0.5;
    assert!(words.contains(&murvet_core::units::short(hours)), "{words} wants {hours}");
    assert!(hours_words(&audit, of(&tests, "rest:b"), 2.5).is_none());
    let kite = audited(KITE);
    let tests = plan(&kite);
    let shore = of(&tests, "outlet:hookup:galley");
    let inverter = of(&tests, "outlet:combi:galley");
    let context = of(&tests, "outlet:combi:desk");
    let taken = vec![(shore, 241.0), (inverter, 230.1)];
    let told = |v: f64| fed_by_words(&taken, context, v);
    assert!(told(230.4).is_some_and(|w| w.contains("combi") && !w.contains("hookup")));
    assert!(told(240.5).is_some_and(|w| w.contains("hookup")));
    assert!(told(235.5).is_some_and(|w| w.contains("none of the sources")));
    assert!(told(3.0).is_none(), "dead is fed by nobody");
    assert!(fed_by_words(&taken[..1], context, 230.0).is_none(), "one figure tells nothing apart");
    let near = vec![(shore, 230.9), (inverter, 230.1)];
    assert!(fed_by_words(&near, context, 230.5).is_some_and(|w| w.contains("frequency")));
}

#[test]
fn each_kind_of_complaint_speaks_to_the_diagnosis_and_has_its_tests() {
    let audit = audited(LONG);
    let tests = plan(&audit);
    let complaint =
        |symptom, about: &str| Complaint { symptom, about: Some(about.to_owned()), on: None, delay_min: Some(15) };
    // It shuts down: the inverter saw its cut-off with the kettle on. Joints of its way and the bank come first.
    let down = complaint(Symptom::ShutsDown, "kettle");
    let seen = as_observed(&audit, &tests, &down).expect("a reading that was told");
    assert_eq!(seen.probe.function, Function::DcVolts);
    assert!((seen.value - 10.5).abs() < 1e-9 && seen.told && seen.probe.setup.on == ["kettle"]);
    let found = Models::new(&audit).diagnose(&[seen]);
    let first: Vec<String> =
        found.explanations.iter().take(6).flat_map(|e| e.faults.iter().map(Fault::words)).collect();
    assert!(first.iter().any(|w| w.contains("joint") || w.contains("flat") || w.contains("sags")), "{first:?}");
    assert_eq!(reproduced_by(&tests, &down)[0].id.kind, TestKind::Held);
    // Flat by morning: the bank, and before it what empties or does not fill it.
    let flat = complaint(Symptom::FlatByMorning, "b");
    let seen = as_observed(&audit, &tests, &flat).expect("a reading that was told");
    assert!(seen.value < of(&tests, "rest:b").limit.low);
    assert_eq!(reproduced_by(&tests, &flat)[0].id.kind, TestKind::Parasitic);
    // Every kind has its word, back and forth, and every one has a test on a real rig.
    let kite = audited(KITE);
    let all = plan(&kite);
    for symptom in Symptom::ALL {
        assert_eq!(Symptom::parse(symptom.word()), Some(symptom));
        let c = Complaint { symptom, about: None, on: None, delay_min: None };
        assert!(!reproduced_by(&all, &c).is_empty(), "{symptom:?}");
    }
    assert_eq!(Symptom::parse("shut"), None);
}

#[test]
fn a_device_alone_and_a_signal_are_tested_by_numbers() {
    let tests = plan(&audited(KITE));
    let signals: Vec<&Test> =
        tests.iter().filter(|t| matches!(t.id.kind, TestKind::Signal | TestKind::SignalBroken)).collect();
    assert!(signals.len() >= 2 && signals.len().is_multiple_of(2), "with the signal and with its wire off");
    assert!(signals.iter().all(|t| t.unit == "A" && t.limit.high <= 0.5));
    // A charger holds its label within 2 % by itself.
    let alone = of(&tests, "alone:combi:dc");
    let middle = 0.5 * (alone.limit.low + alone.limit.high);
    assert!((alone.limit.high / middle - 1.02).abs() < 1e-9 && (13.8..14.6).contains(&middle), "{:?}", alone.limit);
    assert!(!alone.id.kind.on_visit(murvet_core::readings::VisitKind::Finished), "only when it is suspected");
}

#[test]
fn a_cable_whose_end_nobody_saw_is_rung_out_at_what_may_wait_for_it() {
    let rig = |size: &str, cable: &str| {
        format!(
            "rig r profile na-rv\ninlet shore: 120V 30A\npanel p: main 30A, way a 20A, way b 15A rcd 5mA\noutlet o\n\
             ac-load heater: 2000W\nac-load lamp: 60W\nac-load dryer: 4800W two-hot\n\
             cable w1 3x10AWG 2m shore -> p.main\ncable w2 3x14AWG 2m p.b -> o\ncable w3 {cable}{size} 4m p.a -> ?\n"
        )
    };
    let ends = |text: &str| -> Vec<String> {
        let tests = plan(&audited(text));
        let own = tests.iter().filter(|t| t.id.kind == TestKind::Identify);
        own.map(|t| t.id.as_str().trim_start_matches("identify:w3:").to_owned()).collect()
    };
    // 12 AWG carries the 16.7 A of the heater and the lamp; 14 AWG, with 15 A at the most, the lamp alone; neither two hots.
    assert_eq!(ends(&rig("12AWG", "3x")), ["heater", "lamp"]);
    assert_eq!(ends(&rig("14AWG", "3x")), ["lamp"]);
    // Of unseen size it may be either.
    assert_eq!(ends(&rig("?", "3x")), ["heater", "lamp"]);
    // Where nothing waits for it, it is energised alone, under guard, after everything that is dead.
    let none = rig("14AWG", "3x").replace("ac-load lamp: 60W\n", "");
    assert_eq!(ends(&none), ["live"]);
    let tests = plan(&audited(&none));
    let live = tests.iter().find(|t| t.id.kind == TestKind::Identify).expect("the guarded test");
    assert!(live.phase.energises() && live.state.contains("nobody touching") && live.terminals.contains("30 mA"));
}

#[test]
fn clear_air_is_measured_against_its_makers_figure() {
    let audit =
        audited(&LONG.replace("warning 11.5V", "warning 11.5V clear-above 150mm clear-sides 5cm document \"sheet 2\""));
    let tests = plan(&audit);
    let above = of(&tests, "clear:i:above");
    assert!((above.limit.low - 150.0).abs() < 1e-9 && above.limit.source.contains("sheet 2"), "{:?}", above.limit);
    assert!((of(&tests, "clear:i:sides").limit.low - 50.0).abs() < 1e-9);
    assert!(!tests.iter().any(|t| t.id == "clear:i:below"), "only where a figure is given");
    assert_eq!(judge(above, 149.0).outcome, Outcome::Fail);
    assert_eq!(judge(above, 150.0).outcome, Outcome::Pass);
}
