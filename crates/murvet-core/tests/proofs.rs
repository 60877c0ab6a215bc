//! What the tests at the rig must catch: chargers that give nothing or half, loops whatever the order of the leads, every hot
//! of two. Rigs are made for each system voltage; what a fault does to a reading comes from the solver that is checked by
//! ngspice, and what has to fail or pass is by hand.

mod common;

use common::judge as audited;
use murvet_core::audit::Audit;
use murvet_core::measure::{Fault, World};
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Outcome, Phase, Test, judge, make_safe, plan, uses};

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
        ProfileId::EU_UK,
    )
}

#[test]
fn a_charger_that_gives_nothing_or_half_does_not_pass() {
    for (volts, label, held, bulk) in
        [("12.8V", "14.2V", 14.2, 12.4), ("25.6V", "28.4V", 28.4, 25.0), ("51.2V", "56.8V", 56.8, 50.2)]
    {
        let audit = charger(volts, label, 25);
        let dead = [Fault::Dead { component: "c".to_owned() }];
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
        ProfileId::EU_UK,
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
        probe.setup.controls.clone_from(&inverting.setting.controls);
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
            ProfileId::NA_RV,
        )
    };
    let audit = rig("two-hot");
    let tests = plan(&audit);
    for id in [
        "outlet:shore:a",
        "outlet:shore:b",
        "outlet:shore:k",
        "outlet2:shore:k",
        "outlet-ne:shore:a",
        "outlet-ne:shore:b",
        "hots:shore:k",
        "hots:shore:dryer",
        "legs:shore:p",
        "supply-volts2:shore",
        "supply-hots:shore",
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

/// The isolation step of a battery, in words.
fn off(text: &str, id: &str) -> String {
    let steps = make_safe(&audited(text, ProfileId::EU_UK));
    let ids: Vec<&str> = steps.iter().map(|s| s.id.as_str()).collect();
    let step = steps.iter().find(|s| s.id == id).unwrap_or_else(|| panic!("no {id} in {ids:?}"));
    format!("{}. {}", step.title, step.note)
}

#[test]
fn a_battery_is_taken_off_by_the_switch_that_parts_it_and_by_no_other() {
    let rig = |main: &str, more: &str| {
        format!(
            "place bay: bay \"bench\"\ninlet shore: 230V 16A\nisolator cord in bay: 20A 2-pole \"Cord switch\"\npanel p: 2-pole main 16A rcd 30mA, way o 16A\nsocket o\ncable W1 3x2.5mm2 1m shore -> cord\ncable W2 3x2.5mm2 1m cord -> p.main\ncable W3 3x2.5mm2 1m p.o -> o\narray pv: 5A 22V\nisolator sun: 20A\ncontroller k: 10A 50V\nrun pv.+ : 2m 4mm2, sun, 1m 4mm2, k.pv+\nrun pv.- : 3m 4mm2, k.pv-\nbattery house in bay: lifepo4 12.8V 100Ah\ndc-load alarm: 1A vital\nbus pos\ndc-load l: 5A\nrun house.+ : 0.2m 16mm2, fuse F 60A class-t, 0.2m 16mm2, {main}pos\nrun F.out : 0.1m 1.5mm2, fuse A 3A blade, 1m 1.5mm2, alarm.+\nrun house.- : 1m 1.5mm2, alarm.-\nrun pos : 0.2m 2.5mm2, fuse G 10A blade, 1m 2.5mm2, l.+\nrun house.- : 1m 16mm2, l.-\nrun k.bat+ : 0.3m 4mm2, fuse K 15A blade, 0.2m 4mm2, pos\nrun k.bat- : 0.5m 4mm2, house.-\n{more}"
        )
    };
    // Its own switch by label and place; what is ahead of it by name, and nothing that is behind.
    let with = off(&rig("isolator S in bay 100A \"Battery switch\", 0.2m 16mm2, ", ""), "bat:house");
    assert!(with.contains("open Battery switch (bench)"), "{with}");
    assert!(!with.contains("Cord switch") && !with.contains("sun") && !with.contains("minus lead"), "{with}");
    assert!(with.contains("alarm") && with.contains('F') && !with.contains(", pos") && !with.contains(" G"), "{with}");
    // None: neither that of the cord nor that of the array is the battery's.
    let without = off(&rig("", ""), "bat:house");
    assert!(without.contains("Take off the minus lead") && without.contains("No switch parts it"), "{without}");
    // One to which nothing was traced is a question, and no isolator.
    let unread = rig("", "isolator X in bay: \"Red key\"\n");
    assert!(off(&unread, "ask:X").contains("Red key (bench)"));
    assert!(off(&unread, "bat:house").contains("minus lead"));
    // Several breakers on one post part it together; a contactor parts nothing.
    let several = "battery house: lifepo4 12.8V 100Ah\ndc-load a: 5A\ndc-load b: 5A\nrun house.+ : 0.2m 4mm2, breaker B1 10A dc-rated, 1m 4mm2, a.+\nrun house.+ : 0.2m 4mm2, breaker B2 10A dc-rated, 1m 4mm2, b.+\nrun house.- : 1m 4mm2, a.-\nrun house.- : 1m 4mm2, b.-\n";
    assert!(off(several, "bat:house").contains("open B1 and B2"), "{}", off(several, "bat:house"));
    let contactor = several
        .replace("breaker B1 10A dc-rated", "load-disconnect B1 10A")
        .replace("breaker B2 10A dc-rated", "fuse B2 10A blade");
    assert!(off(&contactor, "bat:house").contains("minus lead"));
    // A switch in a negative that nothing goes round parts it as well.
    let negative = "battery house: agm 12V 100Ah\ndc-load a: 5A\nrun house.+ : 0.2m 4mm2, fuse F 10A blade, 1m 4mm2, a.+\nrun house.- : 0.3m 4mm2, isolator N 50A, 1m 4mm2, a.-\n";
    assert!(off(negative, "bat:house").contains("open N"));
}

#[test]
fn dead_is_proven_at_every_terminal_that_a_hand_may_touch() {
    let rig = "inlet shore: 120V 50A two-hot\npanel p: two-hot main 50A, way c 20A leg1, way spare 15A leg2\ncharger c: 30A 14.2V\ninverter inv: 600W dc 12V ac 120V bond-none isolated\noutlet o\nbattery house: lifepo4 12.8V 100Ah\nbus pos\ndcdc d: 20A 14.2V always isolated\nbattery start: agm 12V 80Ah starter\ncable W1 4x6AWG 90C 2m shore -> p.main\ncable W2 3x12AWG 1m p.c -> c\ncable W3 3x12AWG 1m inv -> o\ncable W4 3x14AWG ? p.spare -> ?\nrun house.+ : 0.2m 2AWG, fuse F 100A class-t, 0.2m 2AWG, isolator S 100A, pos\nrun pos : 0.5m 2AWG, inv.dc+\nrun house.- : 1m 2AWG, inv.dc-\nrun pos : 0.5m 8AWG, c.dc+\nrun house.- : 0.5m 8AWG, c.dc-\nrun pos : 0.5m 8AWG, d.out+\nrun house.- : 0.5m 8AWG, d.out-\nrun start.+ : 0.2m 8AWG, fuse T 40A terminal, 2m 8AWG, d.in+\nrun start.- : 2m 8AWG, d.in-\n";
    let steps = make_safe(&audited(rig, ProfileId::NA_RV));
    let of = |id: &str| steps.iter().find(|s| s.id == id).unwrap_or_else(|| panic!("no {id}")).title.clone();
    let (ac, dc, ends) = (of("prove-dead"), of("prove-dead-dc"), of("loose-ends"));
    assert!(ac.contains("p (two hots)"), "{ac}");
    let pairs = &steps.iter().find(|s| s.id == "prove-dead").expect("there").note;
    assert!(
        pairs.contains("hot to ground, neutral to ground; where there are two hots, each, and one to the other"),
        "{pairs}"
    );
    assert!(["c.ac", "inv.ac"].iter().all(|t| ac.contains(t)), "{ac}");
    assert!(
        ["bar pos", "inv: dc+ to dc-", "c: dc+ to dc-", "d: in+ to in-, out+ to out-"].iter().all(|t| dc.contains(t)),
        "{dc}"
    );
    assert!(ends.contains("loose L of W4"), "{ends}");
}

#[test]
fn a_use_is_barred_by_what_shows_in_its_own_states_and_is_reached_by_its_sources() {
    let rig = |shore_way: &str, pv: &str, main: &str, rcd: &str| {
        format!(
            "chassis frame\ninlet shore: 230V 16A\ngenerator g: 230V 10A bond-fixed\nplug-changeover cord\npanel p: 2-pole main 16A {rcd}, way o 10A, way h 10A\nsocket o\nac-load heater: 1500W\ncable W1 3x2.5mm2 1m shore -> cord.a\ncable W2 3x2.5mm2 1m g -> cord.b\ncable W3 3x2.5mm2 1m cord -> p.main\ncable W4 3x2.5mm2 2m p.o -> o\ncable W5 {shore_way} 2m p.h -> heater\nrun p.PE : 0.5m 6mm2, frame\nbattery house: lifepo4 12.8V 100Ah\narray pv: 5A {pv}\nisolator sun: 20A\ncontroller k: 10A 50V\nrun pv.+ : 2m 4mm2, sun, 1m 4mm2, k.pv+\nrun pv.- : 3m 4mm2, k.pv-\nrun k.bat+ : 0.3m 4mm2, fuse K 15A class-t, 0.2m 4mm2, house.+\nrun k.bat- : 0.5m 4mm2, house.-\ndc-load l: 5A\nrun house.+ : 0.2m 4mm2, {main}isolator S 60A, 1m 4mm2, l.+\nrun house.- : 1m 4mm2, l.-\n"
        )
    };
    let barred = |text: &str| -> Vec<&'static str> {
        let audit = audited(text, ProfileId::EU_UK);
        let list = uses(&audit, &plan(&audit), |_| Some(true));
        list.into_iter().filter(|u| !u.barred_by.is_empty()).map(|u| u.name).collect()
    };
    let (thick, fused, rcd) = ("3x2.5mm2", "fuse F 20A class-t, 0.2m 4mm2, ", "rcd 30mA");
    assert_eq!(barred(&rig(thick, "22V", fused, rcd)), [""; 0]);
    // A thin cable on mains is no matter of the sun's; it is live on the generator too.
    assert_eq!(barred(&rig("3x0.75mm2", "22V", fused, rcd)), ["shore", "generator"]);
    // Too many volts for the controller are the sun's alone.
    assert_eq!(barred(&rig(thick, "60V", fused, rcd)), ["solar"]);
    // An outlet without a residual-current device shows on shore first, and on the generator as well.
    assert_eq!(barred(&rig(thick, "22V", fused, "")), ["shore", "generator"]);
    // What is bare at the battery is live whatever runs; shore and generator here reach no battery.
    assert_eq!(barred(&rig(thick, "22V", "", rcd)), ["solar"]);
    // Not as predicted clears nothing, and an open proof of a loop leaves shore unproven.
    let looped = rounds(false, false);
    let tests = plan(&looped);
    let open = uses(&looped, &tests, |t| (!t.id.as_str().starts_with("loop:")).then_some(true));
    assert!(open.iter().find(|u| u.name == "shore").is_some_and(|u| u.missing > 0));
    assert!(!Outcome::Differs.clears() && Outcome::Pass.clears());
    // What is kept is a code, back and forth; what is none is nothing.
    let codes = [Outcome::Pass, Outcome::Differs, Outcome::Unsettled, Outcome::Fail];
    assert!(codes.iter().all(|o| Outcome::of(o.code()) == Some(*o)) && Outcome::of("failed").is_none());
    assert!(Phase::ALL.iter().all(|p| Phase::of(p.code()) == Some(*p)) && Phase::of("On shore").is_none());
}
