//! What the tests at the rig must catch: chargers that give nothing or half, loops whatever the order of the leads, every hot
//! of two. Rigs are made for each system voltage; what a fault does to a reading comes from the solver that is checked by
//! ngspice, and what has to fail or pass is by hand.

mod common;

use common::judge as audited;
use murvet_core::audit::Audit;
use murvet_core::measure::{Fault, World};
use murvet_core::profiles::ProfileId::{EuUk, NaRv};
use murvet_core::readings::{Outcome, Test, judge, plan};

fn test_of<'a>(tests: &'a [Test], id: &str) -> &'a Test {
    let ids: Vec<&str> = tests.iter().map(|t| t.id.as_str()).collect();
    tests.iter().find(|t| t.id == id).unwrap_or_else(|| panic!("no {id} in {ids:?}"))
}

/// What a test says of the rig with faults in it.
fn outcome(audit: &Audit, id: &str, faults: &[Fault]) -> Outcome {
    let tests = plan(audit);
    let test = test_of(&tests, id);
    let value = World::new(audit, faults).read(test.probe.as_ref().expect("has a probe")).expect("can be read");
    judge(test, value).outcome
}

/// A mains charger on shore, for a system of this voltage: battery volts, charger volts.
fn charger(volts: &str, label: &str, amps: u32) -> Audit {
    audited(
        &format!(
            "inlet shore: 230V 16A\npanel p: 2-pole main 16A rcd 30mA, way c 16A\nbattery house: lifepo4 {volts} 200Ah\ncharger c: {amps}A {label}\ncable W1 3x2.5mm2 1m shore -> p.main\ncable W2 3x2.5mm2 1m p.c -> c\nrun house.+ : 0.2m 16mm2, fuse F 60A class-t, 0.5m 16mm2, c.dc+\nrun house.- : 0.5m 16mm2, c.dc-\n"
        ),
        EuUk,
    )
}

#[test]
fn a_charger_that_gives_nothing_or_half_does_not_pass() {
    for (volts, label, held, bulk) in
        [("12.8V", "14.2V", 14.2, 12.4), ("25.6V", "28.4V", 28.4, 25.0), ("51.2V", "56.8V", 56.8, 50.2)]
    {
        let audit = charger(volts, label, 25);
        let dead = [Fault::Dead { piece: "c".to_owned() }];
        assert_eq!(outcome(&audit, "charge-amps:c", &[]), Outcome::Pass, "{volts}: sound");
        assert_eq!(outcome(&audit, "charge-amps:c", &dead), Outcome::Fail, "{volts}: dead");
        assert_ne!(outcome(&audit, "charge-volts:c", &dead), Outcome::Pass, "{volts}: dead");
        let tests = plan(&audit);
        let (amps, held_at) = (test_of(&tests, "charge-amps:c"), test_of(&tests, "charge-volts:c"));
        // Half of its 25 A is weak; 24 A is sound.
        assert_eq!(judge(amps, 12.0).outcome, Outcome::Fail, "{volts}: weak");
        assert_eq!(judge(amps, 24.0).outcome, Outcome::Pass, "{volts}");
        // In bulk on 200 Ah it follows the bank, which is no fault and no proof; within 2 % of its label it is proven, above not.
        assert_eq!(judge(held_at, bulk).outcome, Outcome::Unsettled, "{volts}: bulk");
        assert_eq!(judge(held_at, held * 0.99).outcome, Outcome::Pass, "{volts}: absorption");
        assert_eq!(judge(held_at, held * 0.96).outcome, Outcome::Unsettled, "{volts}: less than its label");
        assert_eq!(judge(held_at, held * 1.04).outcome, Outcome::Fail, "{volts}: too high");
    }
}

/// A charger on an outlet of the inverter, or on shore alone; the leads of the bank in this order.
fn rounds(looped: bool, turned: bool) -> Audit {
    let mut leads = [
        "run house.+ : 0.2m 70mm2 90C, fuse F 200A class-t, 0.5m 70mm2 90C, inv.dc+",
        "run house.+ : 0.2m 10mm2, fuse G 40A class-t, 0.5m 10mm2, c.dc+",
    ];
    if turned {
        leads.reverse();
    }
    let charger = if looped { "p.c" } else { "s.c" };
    audited(
        &format!(
            "inlet shore: 230V 16A\ntransfer ts: automatic a-first 20A 2-pole\ninverter inv: 1500W dc 12V ac 230V bond-switched isolated idle 10W\npanel s: 2-pole main 16A rcd 30mA, way ts 16A, way c 10A\npanel p: 2-pole main 16A rcd 30mA, way o 10A, way c 10A\nsocket o\nbattery house: lifepo4 12.8V 200Ah\ncharger c: 30A 14.2V\ncable W1 3x2.5mm2 1m shore -> s.main\ncable W2 3x2.5mm2 1m s.ts -> ts.a\ncable W3 3x2.5mm2 1m inv -> ts.b\ncable W4 3x2.5mm2 1m ts.out -> p.main\ncable W5 3x1.5mm2 1m p.o -> o\ncable W6 3x1.5mm2 1m {charger} -> c\n{}\n{}\nrun house.- : 0.5m 70mm2 90C, inv.dc-\nrun house.- : 0.5m 10mm2, c.dc-\n",
            leads[0], leads[1]
        ),
        EuUk,
    )
}

#[test]
fn the_proofs_of_a_loop_fail_on_a_loop_whatever_the_order_of_the_leads() {
    for turned in [false, true] {
        let sound = rounds(false, turned);
        assert_eq!(outcome(&sound, "loop:inv:c", &[]), Outcome::Pass, "sound, {turned}");
        assert_eq!(outcome(&sound, "fed:c", &[]), Outcome::Pass, "sound, {turned}");
        assert_eq!(outcome(&sound, "into:house:c", &[]), Outcome::Pass, "sound, {turned}");
        // Traced as sound, and its cable hangs on the inverter's panel.
        let moved = [Fault::Moved { cable: "W6".to_owned(), to: "p.c".to_owned() }];
        assert_eq!(outcome(&sound, "loop:inv:c", &moved), Outcome::Fail, "moved, {turned}");
        let looped = rounds(true, turned);
        assert_eq!(outcome(&looped, "loop:inv:c", &[]), Outcome::Fail, "looped, {turned}");
        // The net current of the bank is out of it on the inverter alone, whichever lead the clamp would have met first.
        let net = |a: &Audit| {
            let tests = plan(a);
            let probe = test_of(&tests, "into:house:c").probe.clone().expect("has a probe");
            assert_eq!(probe.leads.len(), 2, "both leads of the post");
            probe
        };
        let mut probe = net(&looped);
        let inverting = looped.states.states.iter().find(|s| s.describe(&looped.net) == "inv on").expect("inverting");
        probe.stand.controls.clone_from(&inverting.setting.controls);
        assert!(World::new(&looped, &[]).read(&probe).expect("read") < -1.0, "looped, {turned}");
    }
}

#[test]
fn every_hot_of_two_has_its_tests() {
    let rig = |legs: &str| {
        audited(
            &format!(
                "inlet shore: 120V 50A {legs}\npanel p: two-hot main 50A, way a 20A leg1, way b 20A leg2, way d 30A both-legs, way k 20A both-legs\noutlet a\noutlet b\noutlet k: two-hot\nac-load dryer: 4800W two-hot\ncable W1 4x6AWG 90C 3m shore -> p.main\ncable W2 3x12AWG 2m p.a -> a\ncable W3 3x12AWG 2m p.b -> b\ncable W4 4x10AWG 2m p.d -> dryer\ncable W5 4x12AWG 2m p.k -> k\n"
            ),
            NaRv,
        )
    };
    let audit = rig("two-hot");
    let tests = plan(&audit);
    for id in [
        "outlet:shore:a", "outlet:shore:b", "outlet:shore:k", "outlet2:shore:k", "outlet-ne:shore:a", "outlet-ne:shore:b",
        "hots:shore:k", "hots:shore:dryer", "legs:shore:p", "supply-volts2:shore", "supply-hots:shore",
    ] {
        test_of(&tests, id);
    }
    for id in ["outlet:shore:a", "outlet:shore:b", "outlet2:shore:k", "hots:shore:dryer", "legs:shore:p"] {
        assert_eq!(outcome(&audit, id, &[]), Outcome::Pass, "{id}");
    }
    // 240 V between opposite hots, none where one hot comes twice; either where the other was traced fails.
    let between = |a: &Audit, volts: f64| judge(test_of(&plan(a), "legs:shore:p"), volts).outcome;
    assert_eq!((between(&audit, 240.0), between(&audit, 0.0)), (Outcome::Pass, Outcome::Fail));
    let adapter = rig("in-phase");
    assert_eq!((between(&adapter, 0.0), between(&adapter, 240.0)), (Outcome::Pass, Outcome::Fail));
    // A lost second hot leaves its outlet dead.
    let lost = [Fault::Open { wire: "W1.L2".to_owned() }];
    assert_eq!(outcome(&audit, "outlet:shore:b", &lost), Outcome::Fail);
    assert_eq!(outcome(&audit, "legs:shore:p", &lost), Outcome::Fail);
}
