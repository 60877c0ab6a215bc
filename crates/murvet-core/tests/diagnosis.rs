//! What a complaint and a few readings say: the cause before what follows from it, both sides of what has two needs, and no
//! test of a drop that a dead appliance would pass.

use murvet_core::audit::{Audit, audit};
use murvet_core::complaints::{Complaint, Symptom, as_observed};
use murvet_core::diagnosis::{Models, Observed};
use murvet_core::measure::{Fault, World};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Outcome, Test, judge, plan};

const VAN: &str = "\
battery house: lifepo4 12.8V 100Ah
isolator S: 150A
bus pos
bus neg
chassis frame
run house.+ : 0.2m 2AWG 90C, fuse F1 100A class-t, 0.3m 2AWG 90C, S, 0.3m 2AWG 90C, pos
run house.- : 0.5m 2AWG 90C, neg
run neg : 0.5m 6AWG, frame
fuse-block fb: way lights 10A, way aircon 5A, way pump 10A
run pos : 0.2m 8AWG, fuse F2 40A terminal, 0.3m 8AWG, fb.in
run neg : 0.5m 8AWG, fb.-
dc-load lights: 4A
dc-load pump: 6A
run fb.lights : 3m 14AWG, lights.+
run fb.- : 3m 14AWG, lights.-
run fb.pump : 3m 14AWG, pump.+
run fb.- : 3m 14AWG, pump.-
inlet shore: 120V 30A
panel ac: main 30A, way conv 15A, way cool 20A, way desk 15A rcd 5mA
converter conv: 45A 14.4V
outlet desk
ac-load cooler: 1300W control fb.aircon
cable W1 3x10AWG 90C 3m shore -> ac.main
cable W2 3x14AWG 1m ac.conv -> conv
cable W3 3x12AWG 3m ac.cool -> cooler
cable W4 3x14AWG 3m ac.desk -> desk
run ac.PE : 0.5m 8AWG green, frame
run conv.dc+ : 0.3m 6AWG, fuse F3 60A terminal, 0.2m 6AWG, pos
run conv.dc- : 0.5m 6AWG, neg
";

fn van() -> (Audit, Vec<Test>) {
    let audit = audit(&parse(VAN).expect("parses"), ProfileId::NA_RV);
    let tests = plan(&audit);
    (audit, tests)
}

fn measured(tests: &[Test], id: &str, value: f64) -> Observed {
    let test = tests.iter().find(|t| t.id == id).unwrap_or_else(|| panic!("no test {id}"));
    Observed::measured(test.probe.clone().expect("it is measured"), value)
}

fn told(audit: &Audit, tests: &[Test], about: &str, symptom: Symptom, on: Option<&str>) -> Observed {
    let c = Complaint { symptom, about: Some(about.to_owned()), on: on.map(str::to_owned), delay_min: None };
    as_observed(audit, tests, &c).unwrap_or_else(|| panic!("{about} says nothing"))
}

#[test]
fn a_dead_charger_comes_before_the_flat_bank_that_follows_from_it() {
    let (audit, tests) = van();
    let models = Models::new(&audit);
    let seen = [
        told(&audit, &tests, "lights", Symptom::Dead, None),
        told(&audit, &tests, "desk", Symptom::Works, Some("shore")),
        measured(&tests, "fed:conv", 121.0),
        measured(&tests, "charge-volts:conv", 12.1),
    ];
    let found = models.diagnose(&seen);
    let best = &found.explanations.first().expect("an explanation").faults;
    assert!(best.contains(&Fault::Dead { component: "conv".to_owned() }), "{best:?}");
    // Said with it: the bank is flat, as far as the voltage says.
    let share = best.iter().find_map(|f| match f {
        Fault::Flat { component, share } if component == "house" => Some(*share),
        _ => None,
    });
    let share = share.unwrap_or_else(|| panic!("the bank is not said to be flat: {best:?}"));
    assert!(share < 0.99, "{share}");
}

#[test]
fn what_has_two_needs_accuses_both_sides() {
    let (audit, tests) = van();
    let models = Models::new(&audit);
    let seen = [told(&audit, &tests, "cooler", Symptom::Dead, Some("shore"))];
    let found = models.diagnose(&seen);
    let accused =
        |device: &str| found.explanations.iter().any(|e| e.faults == [Fault::Blown { device: device.to_owned() }]);
    assert!(accused("ac.cool") && accused("fb.aircon"), "{:?}", found.explanations);
    // A lamp on the same block that works clears the block's own fuse, not the way of the electronics.
    let more = [seen[0].clone(), told(&audit, &tests, "lights", Symptom::Works, None)];
    let found = models.diagnose(&more);
    let first: Vec<_> = found.explanations.iter().take(4).map(|e| e.faults.clone()).collect();
    assert!(!first.contains(&vec![Fault::Blown { device: "F2".to_owned() }]), "{first:?}");
    assert!(first.contains(&vec![Fault::Blown { device: "fb.aircon".to_owned() }]), "{first:?}");
}

#[test]
fn no_test_of_a_drop_passes_on_a_dead_appliance() {
    let (audit, tests) = van();
    let drops: Vec<&Test> = tests.iter().filter(|t| t.id.as_str().starts_with("drop:") && t.probe.is_some()).collect();
    assert!(drops.len() >= 2);
    for test in drops {
        let probe = test.probe.as_ref().expect("it is measured");
        let component = &test.id.subject;
        assert_eq!(judge(test, World::new(&audit, &[]).read(probe).expect("reads")).outcome, Outcome::Pass);
        for wire in [format!("fb.{component}--{component}.+"), format!("fb.---{component}.-")] {
            let broken = World::new(&audit, &[Fault::Open { wire: wire.clone() }]);
            // The whole voltage stands across the break: nothing is taken, so nothing is lost along the rest.
            let value = broken.read(probe).expect("reads");
            assert!((12.0..13.5).contains(&value), "{wire}: {value} V");
            assert_eq!(judge(test, value).outcome, Outcome::Fail, "{wire}");
        }
        // An appliance that is off or broken takes nothing, and nothing is lost.
        assert_eq!(judge(test, 0.0).outcome, Outcome::Fail, "{component} dead");
    }
}

#[test]
fn what_was_found_open_is_thought_of_first_and_stays_listed() {
    // The pump is dead; its own way, its conductors and the block's feed may all be the reason.
    let first = |text: &str| {
        let audit = audit(&parse(text).expect("parses"), ProfileId::NA_RV);
        let tests = plan(&audit);
        let seen = [told(&audit, &tests, "pump", Symptom::Dead, None)];
        (Models::new(&audit).diagnose(&seen).explanations[0].clone(), audit)
    };
    let (untold, _) = first(VAN);
    let (found, audit) = first(&format!("{VAN}remark F2: found-blown \"by Mara, on arrival\"\n"));
    assert_eq!(found.faults, [Fault::Blown { device: "F2".to_owned() }]);
    assert!(found.misfit < untold.misfit);
    let listed = audit.findings.iter().find(|f| f.subject == "F2:found-blown").expect("it is listed");
    assert!(listed.evidence.iter().any(|e| e.contains("by Mara, on arrival")), "{:?}", listed.evidence);
}
