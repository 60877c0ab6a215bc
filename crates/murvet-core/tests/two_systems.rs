//! Rigs of more than one system: two hots, and direct current of two voltages. Every hot and every device has a test of its
//! own, and a current is reckoned with the voltage that is there.

mod common;

use common::{joint_c, judge as judged, outcomes};
use murvet_core::audit::{Audit, audit};
use murvet_core::measure::{Fault, World, suspects};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Outcome, judge, make_safe, plan};

const EGRET: &str = include_str!("../../murvet/demo/egret.rig");
const KITE: &str = include_str!("../../murvet/demo/kite.rig");

/// A joint that no load at hand warms by more than the 30 K that the load test allows.
fn cool(audit: &Audit, fault: &Fault) -> bool {
    let on = audit
        .net
        .consumers
        .iter()
        .filter(|c| !c.ac)
        .map(|c| audit.assumed.components[c.component].id.clone())
        .collect();
    joint_c(audit, fault, on).is_some_and(|c| c <= 51.1)
}

#[test]
fn every_fault_of_a_rig_with_two_hots_shows_in_a_test() {
    for (name, text, profile) in [("egret", EGRET, ProfileId::NA_RV), ("kite", KITE, ProfileId::EU_UK)] {
        let audit = audit(&parse(text).expect("parses"), profile);
        let tests = plan(&audit);
        let sound = outcomes(&tests, &World::new(&audit, &[]));
        let failing: Vec<_> = sound.iter().filter(|(_, o, _)| *o == Outcome::Fail).collect();
        assert!(failing.is_empty(), "{name}: a sound rig fails {failing:?}");
        let all = suspects(&audit);
        let silent: Vec<String> = all
            .iter()
            .filter(|f| outcomes(&tests, &World::new(&audit, std::slice::from_ref(f))) == sound && !cool(&audit, f))
            .map(Fault::words)
            .collect();
        println!("{name}: {} tests, {} faults", tests.len(), all.len());
        assert!(silent.is_empty(), "{name}: {silent:#?}");
    }
}

#[test]
fn each_residual_device_is_tested_behind_itself_on_either_hot() {
    let audit = audit(&parse(EGRET).expect("parses"), ProfileId::NA_RV);
    let tests = plan(&audit);
    let devices = ["sub.galley", "sub.bedroom", "sub.outside"];
    for dead in devices {
        let world = World::new(&audit, &[Fault::DeadRcd { component: dead.to_owned() }]);
        for device in devices {
            for id in [format!("rcd:{device}"), format!("rcd-on:combi:{device}"), format!("rcd-on:genset:{device}")] {
                let test = tests.iter().find(|t| t.id == id).unwrap_or_else(|| panic!("no {id}"));
                let value = world.read(test.probe.as_ref().expect("measured")).expect("reads");
                let wanted = if device == dead { Outcome::Fail } else { Outcome::Pass };
                assert_eq!(judge(test, value).outcome, wanted, "{id} with {dead} dead");
            }
        }
    }
}

#[test]
fn a_second_hot_that_is_swapped_or_lost_fails_the_landing_of_its_core() {
    let audit = audit(&parse(EGRET).expect("parses"), ProfileId::NA_RV);
    let tests = plan(&audit);
    for cable in ["cord", "feed", "to-combi", "from-combi", "c-dryer"] {
        let id = format!("core:{cable}:L2");
        let test = tests.iter().find(|t| t.id == id).unwrap_or_else(|| panic!("no {id}"));
        let probe = test.probe.as_ref().expect("measured");
        let with = |fault: Fault| judge(test, World::new(&audit, &[fault]).read(probe).expect("reads")).outcome;
        let (a, b) = (murvet_core::rig::Core::L2, murvet_core::rig::Core::N);
        assert_eq!(with(Fault::Open { wire: format!("{cable}.L2") }), Outcome::Fail, "{id} open");
        assert_eq!(with(Fault::Swapped { cable: cable.to_owned(), a, b }), Outcome::Fail, "{id} swapped");
    }
    // Nothing that feeds appliances alone is asked for current into a bank, or for what it loses on the way to one.
    assert!(!tests.iter().any(|t| t.id == "charge-amps:step" || t.id == "path:step" || t.id == "signal:step"));
}

#[test]
fn what_a_button_or_a_main_leaves_live_is_said() {
    let audit = audit(&parse(EGRET).expect("parses"), ProfileId::NA_RV);
    let steps = make_safe(&audit);
    let step = steps.iter().find(|s| s.id == "leaves-live").expect("a step");
    // The inverter-charger goes on feeding its half when the main is off; the microwave has no residual-current device.
    let of = |name: &str| {
        let at = step.note.split(". ").find(|s| s.starts_with(name));
        at.unwrap_or_else(|| panic!("nothing of {name}: {}", step.note))
            .split_once("; still live")
            .expect("both halves")
    };
    let (off, live) = of("The main switch of main");
    assert!(off.contains("dryer") && !off.contains("galley-1") && live.contains("galley-1"), "{}", step.note);
    let (off, live) = of("The button of sub");
    assert!(off.contains("galley-1") && live.contains("microwave"), "{}", step.note);
}

/// A 48 V bank, a converter to 12 V and an appliance on it by its watts.
fn low_side(watts: u32, fuse: &str) -> String {
    format!(
        "battery b: lifepo4 51.2V 100Ah\nisolator S: 100A\nbus pos\nbus neg\nrun b.+ : 0.2m 16mm2, fuse F 80A class-t, 0.2m 16mm2, S, 0.2m 16mm2, pos\nrun b.- : 0.4m 16mm2, neg\n\
         dcdc d: 30A 13.4V always not-isolated\nrun pos : 0.1m 4mm2, fuse G 16A class-t, 0.3m 4mm2, d.in+\nrun neg : 0.4m 4mm2, d.in-\n\
         dc-load heater: {watts}W\nrun d.out+ : 0.1m 6mm2, fuse H {fuse} terminal, 1m 6mm2, heater.+\nrun d.out- : 1.1m 6mm2, heater.-\n"
    )
}

#[test]
fn a_power_takes_the_current_of_the_voltage_that_feeds_it() {
    let findings = |text: &str, slug: &str| -> Vec<String> {
        let audit = judged(text, ProfileId::EU_UK);
        audit.findings.iter().filter(|f| f.rule.slug == slug).map(|f| f.statement.clone()).collect()
    };
    // 240 W at 12 V are 20 A: too much for 15 A, and by the bank's 48 V it would have been 5 A.
    let found = findings(&low_side(240, "15A"), "device-undersized");
    assert!(found.iter().any(|s| s.contains("20 A")), "{found:?}");
    assert!(findings(&low_side(240, "25A"), "device-undersized").iter().all(|s| !s.contains("fuse H")));
    // Into the converter 30 A × 13.4 V / (42 V × 0.85) = 11.3 A at 48 V × 0.875: 16 A hold that, and 10 A do not.
    assert!(findings(&low_side(100, "25A"), "device-undersized").is_empty());
    let small = low_side(100, "25A").replace("fuse G 16A", "fuse G 10A");
    let found = findings(&small, "device-undersized");
    assert!(found.iter().any(|s| s.contains("11.3 A")), "{found:?}");
}

#[test]
fn of_two_banks_each_feeds_its_own_whatever_the_order_of_lines() {
    let banks = ["battery big: agm 24V 100Ah\n", "battery small: agm 12V 100Ah\n"];
    let rest = "dc-load pump: 240W\nrun small.+ : 0.1m 6mm2, fuse F 15A, 1m 6mm2, pump.+\nrun small.- : 1m 6mm2, pump.-\n\
        dc-load lamp: 100W\nrun big.+ : 0.1m 6mm2, fuse G 15A, 1m 6mm2, lamp.+\nrun big.- : 1m 6mm2, lamp.-\n";
    for order in [[0, 1], [1, 0]] {
        let text = format!("{}{}{rest}", banks[order[0]], banks[order[1]]);
        let audit = judged(&text, ProfileId::EU_UK);
        let of = |id: &str| {
            let c =
                audit.net.consumers.iter().find(|c| audit.assumed.components[c.component].id == id).expect("it takes");
            c.current_a.expect("known")
        };
        assert!(
            (of("pump") - 20.0).abs() < 1e-9 && (of("lamp") - 100.0 / 24.0).abs() < 1e-9,
            "{} {}",
            of("pump"),
            of("lamp")
        );
        assert!(audit.findings.iter().any(|f| f.rule.slug == "device-undersized" && f.components == ["F"]));
    }
}
