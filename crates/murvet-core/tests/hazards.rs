//! Each hazard in the smallest rig that has it, and the nearest rig that has not. The pairs differ in
//! one place only.

mod common;

use common::{breaks, judge, pair, slugs};
use murvet_core::profiles::ProfileId;
use murvet_core::rules::{Certainty, Severity};

const DC: &str = "battery house: lifepo4 12.8V 100Ah\nrun house.- : 0.3m 25mm2, bus neg\n";

#[test]
fn a_missing_device_is_found_at_the_first_conductor() {
    for profile in [ProfileId::EU_UK, ProfileId::AU_NZ] {
        breaks(
            profile,
            "overcurrent-missing",
            "house.+--heater.+",
            &format!(
                "{DC}dc-load heater: 15A\nrun house.+ : {{1.5m 4mm2|0.2m 4mm2, fuse F 20A, 1.3m 4mm2}}, heater.+\nrun neg : 1.5m 4mm2, heater.-\n"
            ),
        );
    }
    breaks(
        ProfileId::NA_RV,
        "overcurrent-missing",
        "house.+--heater.+",
        &format!(
            "{DC}dc-load heater: 15A\nrun house.+ : {{4ft 10AWG|0.5ft 10AWG, fuse F 30A, 4ft 10AWG}}, heater.+\nrun neg : 4ft 10AWG, heater.-\n"
        ),
    );
}

#[test]
fn a_device_beyond_the_distance_is_too_far_and_one_within_it_is_not() {
    // NFPA 70 551.10(E)(4): 450 mm (18 in). IEC 60364-4-43 434.3 as near as practicable, 0.5 m here.
    for (profile, bad, good) in [(ProfileId::NA_RV, "19in", "17in"), (ProfileId::EU_UK, "0.6m", "0.5m")] {
        breaks(
            profile,
            "device-too-far",
            "house.+--F.in",
            &format!(
                "{DC}dc-load heater: 15A\nrun house.+ : {{{bad}|{good}}} 6mm2, fuse F 20A, 1m 6mm2, heater.+\nrun neg : 1m 6mm2, heater.-\n"
            ),
        );
    }
}

#[test]
fn a_conductor_with_a_source_at_each_end_needs_a_device_at_each() {
    let text = "battery house: agm 12V 100Ah\nbattery start: agm 12V 80Ah starter\nchassis frame\nrun house.- : 0.3m 16mm2, frame\nrun start.- : 0.3m 25mm2, frame\nrelay R: 100A always\n\
        run house.+ : 0.2m 16mm2, fuse A 80A, 0.3m 16mm2, R.in\nrun start.+ : {3m 16mm2|0.2m 16mm2, fuse B 80A, 3m 16mm2}, R.out\n";
    breaks(ProfileId::EU_UK, "device-too-far", "start.+--R.out", text);
}

#[test]
fn a_device_larger_than_its_cable_is_found_and_the_starter_circuit_is_not_judged() {
    // ISO 13297, 70 C insulation: 2.5 mm² carries 25 A.
    breaks(
        ProfileId::EU_UK,
        "device-oversized",
        "F.out--pump.+",
        &format!(
            "{DC}dc-load pump: 8A\nrun house.+ : 0.2m 6mm2, fuse F {{30A|25A}}, 1m 2.5mm2, pump.+\nrun neg : 1m 6mm2, pump.-\n"
        ),
    );
    let cranking = "battery start: agm 12V 80Ah starter\nalternator alt: 150A\nchassis frame\nrun alt.+ : 1m 35mm2, start.+\nrun alt.- : 0.2m 35mm2, frame\nrun start.- : 0.3m 35mm2, frame\n";
    assert_eq!(slugs(&judge(cranking, ProfileId::NA_RV)), [""; 0]);
}

#[test]
fn two_feeds_into_one_thin_cable_add_up() {
    // 60 A from the bank and 30 A from the solar controller meet on a bar; 10 mm² carries 65 A.
    breaks(
        ProfileId::EU_UK,
        "device-oversized",
        "pos--load.+",
        &format!(
            "{DC}bus pos\ndc-load load: 50A\narray pv: isc 8A voc 40V\ncontroller mppt: 30A\n\
         run house.+ : 0.2m 16mm2, fuse A 60A, 0.3m 16mm2, pos\nrun mppt.bat+ : 0.3m 10mm2, {{pos|fuse C 30A, 0.1m 10mm2, pos}}\nrun mppt.bat- : 0.3m 10mm2, neg\n\
         run pv.+ : 4m 6mm2, mppt.pv+\nrun pv.- : 4m 6mm2, mppt.pv-\nrun pos : {{|fuse B 60A, }}1m 10mm2, load.+\nrun neg : 1m 16mm2, load.-\n"
        ),
    );
}

#[test]
fn a_thin_tap_to_a_near_device_is_sound_and_a_long_one_is_not() {
    breaks(
        ProfileId::NA_RV,
        "device-oversized",
        "pos--T.in",
        &format!(
            "{DC}dc-load lamp: 3A\nrun house.+ : 0.2m 2AWG, fuse M 150A, 1m 2AWG, bus pos\nrun pos : {{0.6m|0.4m}} 14AWG, fuse T 10A, 1m 14AWG, lamp.+\nrun neg : 1m 14AWG, lamp.-\n"
        ),
    );
}

#[test]
fn a_cable_too_small_for_its_load_is_found_with_its_corrections() {
    // NFPA 70 551.10(E)(1): 12 AWG 20 A, 10 AWG 30 A.
    breaks(
        ProfileId::NA_RV,
        "cable-ampacity",
        "F.out--heater.+",
        &format!(
            "{DC}dc-load heater: 24A\nrun house.+ : 0.2m 6AWG, fuse F 30A, 1m {{12AWG|10AWG}}, heater.+\nrun neg : 1m 10AWG, heater.-\n"
        ),
    );
    // 30 A at 30 C, bundled by six: 10 mm² has 65 A x 0.7 = 45.5 A; in a 50 C locker x sqrt(20/40) = 32.2 A.
    let hot = |load: u32, fuse: u32| {
        format!(
            "place hot: locker ambient 50C\n{DC}dc-load heater: {load}A\nrun house.+ : 0.2m 35mm2, fuse F {fuse}A, 1m 10mm2 bundle x6 via hot, heater.+\nrun neg : 1m 25mm2, heater.-\n"
        )
    };
    assert_eq!(slugs(&judge(&hot(35, 40), ProfileId::EU_UK)), ["cable-ampacity"]);
    assert_eq!(slugs(&judge(&hot(30, 32), ProfileId::EU_UK)), [""; 0]);
}

#[test]
fn drop_is_judged_through_supply_and_return() {
    // 10 A over 6 m of 1.5 mm² and back: 13.3 mohm/m at 20 C x 1.1965 = 15.9 mohm/m; 12 m x 10 A = 1.91 V
    // of 12 V = 15.9 %. With 4 mm² 4.95 x 1.1965 = 5.92 mohm/m, 0.71 V = 5.9 %. IEC 60228 (recalled).
    let found = breaks(
        ProfileId::EU_UK,
        "cable-drop",
        "pump",
        &format!(
            "{DC}dc-load pump: 10A\nrun house.+ : 0.1m 6mm2, fuse F 10A, 6m {{1.5mm2|4mm2}}, pump.+\nrun neg : 6m {{1.5mm2|4mm2}}, pump.-\n"
        ),
    );
    assert!(found.findings[0].statement.contains("(16 %)"), "{}", found.findings[0].statement);
    // The same return is thin while the supply is thick: still found.
    let thin_return = format!(
        "{DC}dc-load pump: 10A vital\nrun house.+ : 0.1m 6mm2, fuse F 10A, 3m 6mm2, pump.+\nrun neg : 3m 1.5mm2, pump.-\n"
    );
    assert_eq!(slugs(&judge(&thin_return, ProfileId::EU_UK)), ["cable-drop"]);
}

/// Battery, inverter, inlet, changeover, panel and two outlets: sound.
fn mains(bond: &str, poles: &str, jumper: &str, more: &str) -> String {
    format!(
        "battery house: lifepo4 12.8V 200Ah\nrun house.+ : 0.2m 2/0AWG, fuse F 250A class-t, 0.5m 2/0AWG, inv.dc+\nrun house.- : 0.7m 2/0AWG, inv.dc-\n\
         inverter inv: 2000W dc 12V ac 120V {bond} isolated\ninlet shore: 120V 30A\ntransfer T: manual {poles} 30A\n\
         panel P: main 30A {jumper}, way A 15A, way B 15A, way C 15A\noutlet o1\noutlet o2\n\
         cable W1 3x10AWG 2m shore -> T.a\ncable W2 3x10AWG 1m inv -> T.b\ncable W3 3x10AWG 1m T -> P.main\n\
         cable W4 3x14AWG 3m P.A -> o1\ncable W5 3x14AWG 3m P.B -> o2\n{more}"
    )
}

#[test]
fn bonds_are_counted_in_each_state() {
    assert_eq!(slugs(&judge(&mains("bond-switched", "2-pole", "", ""), ProfileId::NA_RV)), [""; 0]);
    // A link in the panel is a second bond on shore.
    let jumper = judge(&mains("bond-switched", "2-pole", "jumper", ""), ProfileId::NA_RV);
    assert_eq!(slugs(&jumper), ["bond-away"]);
    assert_eq!(jumper.findings[0].subject, "P");
    assert_eq!(jumper.findings[0].way, ["plug shore into the shore supply"]);
    // A fixed bond in the inverter is one too, through a common neutral, even with the inverter off.
    let fixed = judge(&mains("bond-fixed", "1-pole", "", ""), ProfileId::NA_RV);
    assert_eq!((slugs(&fixed), fixed.findings[0].subject.as_str()), (vec!["bond-away"], "inv"));
    assert_eq!(slugs(&judge(&mains("bond-fixed", "2-pole", "", ""), ProfileId::NA_RV)), [""; 0]);
    // No bond at all while the inverter feeds two outlets.
    let none = judge(&mains("bond-none", "2-pole", "", ""), ProfileId::NA_RV);
    assert_eq!((slugs(&none), none.findings[0].subject.as_str()), (vec!["bond-missing"], "inv"));
    assert_eq!(none.findings[0].way.len(), 2, "inverter on and transfer moved: {:?}", none.findings[0].way);
}

#[test]
fn one_appliance_on_a_floating_inverter_is_separation() {
    let alone = |more: &str| {
        format!(
            "battery b: agm 12V 100Ah\nrun b.+ : 0.2m 2AWG, fuse F 150A, 0.5m 2AWG, i.dc+\nrun b.- : 0.7m 2AWG, i.dc-\ninverter i: 1000W dc 12V ac 120V bond-none isolated\noutlet o\ncable W 3x14AWG 1m i -> o\n{more}"
        )
    };
    assert_eq!(slugs(&judge(&alone(""), ProfileId::NA_RV)), [""; 0]);
    let two = judge(&alone("outlet p\ncable V 3x14AWG 1m o -> p\n"), ProfileId::NA_RV);
    assert_eq!(slugs(&two), ["bond-missing"]);
}

#[test]
fn a_source_tied_in_without_exclusion_is_backfeed() {
    let tied = judge(
        &mains("bond-switched", "2-pole", "", "generator G: 120V 15A bond-fixed\ncable W9 3x14AWG 3m G -> P.C\n"),
        ProfileId::NA_RV,
    );
    assert_eq!((slugs(&tied), tied.findings[0].subject.as_str()), (vec!["ac-backfeed"], "G"));
    assert_eq!(tied.findings[0].severity, Severity::KeepOff);
    assert!(tied.findings[0].evidence.iter().any(|e| e.contains("pins of shore inlet live")));
    // The same generator behind a plug changeover is legitimate: exclusive by build.
    let sound = mains(
        "bond-switched",
        "2-pole",
        "",
        "generator G: 120V 15A bond-fixed\nplug-changeover X\ncable W9 3x10AWG 3m G -> X.b\n",
    )
    .replace("shore -> T.a", "shore -> X.a\ncable W10 3x10AWG 1m X -> T.a");
    assert_eq!(slugs(&judge(&sound, ProfileId::NA_RV)), [""; 0]);
    // Interlocked breakers exclude each other, two plain breakers do not.
    let pair = |lock: &str| {
        format!(
            "inlet shore: 120V 30A\ngenerator G: 120V 30A bond-fixed\nbreaker b1: 30A 2-pole {lock}\nbreaker b2: 30A 2-pole {lock}\noutlet o\noutlet p\n\
                 cable W1 3x10AWG 1m shore -> b1\ncable W2 3x10AWG 1m G -> b2\ncable W3 3x10AWG 1m b1 -> o\ncable W4 3x10AWG 1m b2 -> o\ncable W5 3x10AWG 1m o -> p\n"
        )
    };
    assert!(slugs(&judge(&pair(""), ProfileId::NA_RV)).contains(&"ac-backfeed"));
    assert!(!slugs(&judge(&pair("interlock lock"), ProfileId::NA_RV)).contains(&"ac-backfeed"));
}

#[test]
fn a_charger_after_the_transfer_is_a_loop_and_one_ahead_of_it_is_not() {
    let dc = "charger C: 30A 13.6V efficiency 85%\nrun C.dc+ : 0.2m 8AWG, fuse K 40A, 0.2m 8AWG, inv.dc+\nrun C.dc- : 0.4m 8AWG, inv.dc-\n";
    let looped = mains("bond-switched", "2-pole", "", &format!("{dc}cable W9 3x14AWG 1m P.C -> C\n"))
        .replace("0.5m 2/0AWG", "0.5m 4/0AWG");
    let found = judge(&looped.replace("isolated", "isolated efficiency 88% idle 20W"), ProfileId::NA_RV);
    assert_eq!((slugs(&found), found.findings[0].subject.as_str()), (vec!["charger-loop"], "C"));
    // Worked by hand: 30 A x 13.6 V = 408 W; 408 / 0.85 / 0.88 + 20 = 565 W; 157 W lost (common practice).
    let evidence = found.findings[0].evidence.join("\n");
    assert!(evidence.contains("408 W") && evidence.contains("565 W") && evidence.contains("Lost: 157 W"), "{evidence}");
    let ahead = mains("bond-switched", "2-pole", "", &format!("{dc}panel A, way onward 30A, way ch 15A\ncable W9 3x14AWG 1m A.ch -> C\ncable W8 3x10AWG 1m A.onward -> T.a\n"))
        .replace("shore -> T.a", "shore -> A.main")
        .replace("0.5m 2/0AWG", "0.5m 4/0AWG");
    assert_eq!(slugs(&judge(&ahead, ProfileId::NA_RV)), [""; 0]);
}

#[test]
fn an_inverter_charger_does_not_loop_through_itself_but_a_charger_on_its_output_does() {
    let unit = |more: &str| {
        format!(
            "battery b: lifepo4 12.8V 200Ah\nrun b.+ : 0.2m 2/0AWG, fuse F 250A class-t, 0.5m 4/0AWG, u.dc+\nrun b.- : 0.7m 4/0AWG, u.dc-\n\
                 inverter-charger u: 2000W dc 12V ac 120V charge 80A bond-switched neutral-switched isolated shore-only\ninlet shore: 120V 30A\n\
                 panel P: main 30A, way A 15A, way B 15A\noutlet o1\noutlet o2\ncable W1 3x10AWG 1m shore -> u.in\ncable W2 3x10AWG 1m u.out -> P.main\ncable W3 3x14AWG 2m P.A -> o1\ncable W4 3x14AWG 2m o1 -> o2\n{more}"
        )
    };
    assert_eq!(slugs(&judge(&unit(""), ProfileId::NA_RV)), [""; 0]);
    let charger =
        "charger C: 15A 13.6V\nrun C.dc+ : 0.2m 10AWG, fuse K 30A, 0.1m 10AWG, u.dc+\nrun C.dc- : 0.3m 10AWG, u.dc-\n";
    assert_eq!(
        slugs(&judge(&unit(&format!("{charger}cable W5 3x14AWG 1m P.B -> C\n")), ProfileId::NA_RV)),
        ["charger-loop"]
    );
    assert_eq!(slugs(&judge(&unit(&format!("{charger}cable W5 3x10AWG 1m u.aux -> C\n")), ProfileId::NA_RV)), [""; 0]);
}

#[test]
fn a_loop_of_dc_converters_is_found() {
    let text = "battery house: agm 12V 100Ah\nbattery start: agm 12V 80Ah starter\nchassis frame\nrun house.- : 0.3m 16mm2, frame\nrun start.- : 0.3m 16mm2, frame\n\
        dcdc up: 20A 14V {always|engine}\nmaintainer down: 5A 13.6V {always|engine}\n\
        run start.+ : 0.2m 10mm2, fuse A 40A, 1m 10mm2, up.in+\nrun up.out+ : 0.5m 10mm2, fuse B 40A, 0.2m 10mm2, house.+\nrun up.in- : 0.3m 10mm2, frame\nrun up.out- : 0.3m 10mm2, frame\n\
        run house.+ : 0.2m 2.5mm2, fuse C 10A, 1m 2.5mm2, down.in+\nrun down.out+ : 1m 2.5mm2, fuse D 10A, 0.2m 2.5mm2, start.+\nrun down.in- : 0.3m 2.5mm2, frame\nrun down.out- : 0.3m 2.5mm2, frame\n";
    let (broken, _) = pair(text);
    assert_eq!(slugs(&judge(&broken, ProfileId::EU_UK)), ["charger-loop"]);
}

#[test]
fn swapped_lost_and_crossed_cores_are_found_at_their_cable() {
    let swapped = judge(
        &mains("bond-switched", "2-pole", "", "").replace("P.B -> o2", "P.B -> o2 (N>PE PE>N)"),
        ProfileId::NA_RV,
    );
    assert!(swapped.findings.iter().any(|f| f.rule.slug == "bond-away" && f.subject == "W5"), "{:?}", slugs(&swapped));
    let lost =
        judge(&mains("bond-switched", "2-pole", "", "").replace("P.B -> o2", "P.B -> o2 (PE>-)"), ProfileId::NA_RV);
    assert_eq!((slugs(&lost), lost.findings[0].subject.as_str()), (vec!["earth-missing"], "o2"));
    let reversed =
        judge(&mains("bond-switched", "2-pole", "", "").replace("P.B -> o2", "P.B -> o2 (L>N N>L)"), ProfileId::NA_RV);
    assert!(reversed.findings.iter().any(|f| f.rule.slug == "conductors-crossed" && f.subject == "W5"));
}

#[test]
fn a_residual_current_device_is_wanted_before_and_after_the_inverter() {
    let rig = |guard: &str, main: &str| {
        format!(
            "battery b: lifepo4 12.8V 200Ah\nrun b.+ : 0.2m 50mm2, fuse F 200A class-t, 0.5m 50mm2, i.dc+\nrun b.- : 0.7m 50mm2, i.dc-\n\
                 inverter i: 1200W dc 12V ac 230V bond-switched isolated\ninlet h: 230V 16A\ntransfer T: automatic 2-pole a-first\nconsumer-unit cu: {main}way A 16A, way B 16A\nsocket s1\nsocket s2\n\
                 {guard}\ncable W2 3x2.5mm2 1m i -> T.b\ncable W3 3x2.5mm2 1m T -> cu.main\ncable W4 3x2.5mm2 3m cu.A -> s1\ncable W5 3x2.5mm2 3m cu.B -> s2\n"
        )
    };
    let plain = "cable W1 3x2.5mm2 1m h -> T.a";
    let before = "rcbo R: 16A 30mA 2-pole\ncable W0 3x2.5mm2 1m h -> R\ncable W1 3x2.5mm2 1m R -> T.a";
    assert_eq!(slugs(&judge(&rig(plain, "rcd 30mA, "), ProfileId::EU_UK)), [""; 0]);
    // A device at the inlet does nothing for what the inverter feeds.
    let only_inlet = judge(&rig(before, ""), ProfileId::EU_UK);
    assert_eq!(slugs(&only_inlet), ["rcd-missing"]);
    assert!(only_inlet.findings[0].evidence.iter().all(|e| e.contains("(i)")), "{:?}", only_inlet.findings[0].evidence);
    assert!(
        !slugs(&judge(&rig(plain, ""), ProfileId::NA_RV)).contains(&"rcd-missing"),
        "na-rv does not ask for it everywhere"
    );
}

#[test]
fn what_was_not_seen_makes_a_finding_possible_and_is_listed() {
    // The bond of the inverter was not seen: with none it is missing, with a fixed one it is a second.
    let open = judge(&mains("bond ?", "1-pole", "", ""), ProfileId::NA_RV);
    let possible: Vec<&str> =
        open.findings.iter().filter(|f| f.certainty == Certainty::Possible).map(|f| f.rule.slug).collect();
    assert_eq!(possible, ["bond-away", "bond-missing"]);
    assert_eq!(open.look_next[0].unseen.subject, "inv");
    assert_eq!(open.look_next[0].findings, 2);
    // A fuse of unseen rating: possible; a missing one stays certain whatever else is unseen.
    let fuse = judge(
        &format!(
            "{DC}dc-load pump: 5A\nrun house.+ : 0.1m 2.5mm2, fuse F ?, 1m 2.5mm2, pump.+\nrun neg : 1m 2.5mm2, pump.-\n"
        ),
        ProfileId::EU_UK,
    );
    let of_five: Vec<_> =
        fuse.findings.iter().filter(|f| f.rule.hazard.is_of_five() && f.severity > Severity::Advice).collect();
    assert!(!of_five.is_empty() && of_five.iter().all(|f| f.certainty == Certainty::Possible), "{of_five:?}");
    let bare = judge(
        &format!("{DC}dc-load pump: 5A\nrun house.+ : 3m ?, pump.+\nrun neg : 1m 2.5mm2, pump.-\n"),
        ProfileId::EU_UK,
    );
    assert!(bare.findings.iter().any(|f| f.rule.slug == "overcurrent-missing"));
}

#[test]
fn an_intended_device_does_not_protect_yet() {
    let text = format!(
        "{DC}dc-load heater: 15A\nrun house.+ : 0.2m 4mm2, fuse F 20A {{intended|in-place}}, 1.3m 4mm2, heater.+\nrun neg : 1.5m 4mm2, heater.-\n"
    );
    let (broken, sound) = pair(&text);
    assert_eq!(slugs(&judge(&broken, ProfileId::EU_UK)), ["overcurrent-missing"]);
    assert_eq!(slugs(&judge(&sound, ProfileId::EU_UK)), [""; 0]);
}

#[test]
fn the_healthy_demo_rigs_are_silent_and_the_one_under_way_is_not() {
    let kite = judge(include_str!("../../murvet/demo/kite.rig"), ProfileId::EU_UK);
    assert_eq!(slugs(&kite), [""; 0]);
    let egret = judge(include_str!("../../murvet/demo/egret.rig"), ProfileId::NA_RV);
    assert_eq!(slugs(&egret), [""; 0]);
    let currawong = judge(include_str!("../../murvet/demo/currawong.rig"), ProfileId::AU_NZ);
    assert_eq!(slugs(&currawong), ["device-too-far", "rcd-missing"]);
}

#[test]
fn the_way_to_a_finding_is_a_shortest_one_whatever_else_can_be_switched() {
    // Six switches that have nothing to do with it: neither the finding nor its way depends on them.
    let more: String = (0..6)
        .map(|n| format!("dc-load x{n}: 2A\nrun pos : 0.1m 4mm2, fuse g{n} 10A, 0.1m 4mm2, isolator i{n} 20A, 2m 4mm2, x{n}.+\nrun neg : 2m 4mm2, x{n}.-\n"))
        .collect();
    let way = |text: &str, slug: &str, subject: &str, profile: ProfileId| -> Vec<String> {
        let audit = judge(&format!("{text}{more}"), profile);
        let found = audit.findings.iter().find(|f| f.rule.slug == slug && f.subject == subject);
        let keys: Vec<String> = audit.findings.iter().map(|f| f.key()).collect();
        found.unwrap_or_else(|| panic!("no {slug} at {subject} in {keys:?}")).way.clone()
    };
    let bank = "battery house: agm 12V 100Ah\nbus pos\nbus neg\nrun house.+ : 0.2m 35mm2, fuse M 150A class-t, 0.3m 35mm2, pos\nrun house.- : 0.3m 35mm2, neg\n";
    // As parked.
    let thin = format!("{bank}dc-load l: 5A\nrun pos : 5m 2.5mm2, l.+\nrun neg : 5m 16mm2, l.-\n");
    assert_eq!(way(&thin, "device-oversized", "pos--l.+", ProfileId::EU_UK), [""; 0]);
    // Behind a relay that the engine closes.
    let relay = format!("{bank}relay R: 150A engine\nbus q\nrun pos : 0.3m 50mm2, R, 5m 2.5mm2, q\n");
    assert_eq!(way(&relay, "device-oversized", "R.out--q", ProfileId::EU_UK), ["start the engine"]);
    // Behind the second throw of a changeover: the source started and the switch moved, in either order.
    let throw = format!(
        "{bank}chassis c\nrun neg : 0.3m 16mm2, c\ninlet s: 230V 16A\ngenerator g: 230V 25A bond-fixed\ntransfer T: manual 2-pole 32A\npanel P: main 16A rcd 30mA, way a 10A\nsocket o\n\
         cable W1 3x4mm2 1m s -> T.a\ncable W2 3x1mm2 4m g -> T.b\ncable W3 3x4mm2 1m T -> P.main\ncable W4 3x1.5mm2 1m P.a -> o\nrun P.PE : 0.5m 6mm2, c\n"
    );
    assert_eq!(way(&throw, "cable-ampacity", "W2.L", ProfileId::EU_UK), ["start g"]);
    let after = throw.replace("W2 3x1mm2 4m", "W2 3x4mm2 1m").replace("W3 3x4mm2 1m", "W3 3x1mm2 4m");
    // From shore already: 16 A against 10 A, one operation; the generator's 25 A would take two.
    let ways = way(&after, "cable-ampacity", "W3.L", ProfileId::EU_UK);
    assert!(ways.len() <= 2 && !ways.is_empty(), "{ways:?}");
    // A loop that needs inverter and changeover says both, and nothing of the switches.
    let looped = format!(
        "{bank}inlet s: 230V 16A\ninverter i: 800W dc 12V ac 230V bond-switched isolated\ntransfer T: manual 2-pole 16A\nconsumer-unit P: main 16A rcd 30mA, way a 10A\ncharger C: 20A 14.4V\n\
         run pos : 0.3m 35mm2, i.dc+\nrun neg : 0.3m 35mm2, i.dc-\ncable W1 3x2.5mm2 1m s -> T.a\ncable W2 3x2.5mm2 1m i -> T.b\ncable W3 3x2.5mm2 1m T -> P.main\ncable W4 3x1.5mm2 1m P.a -> C\n\
         run C.dc+ : 0.2m 6mm2, fuse K 30A, 0.1m 6mm2, pos\nrun C.dc- : 0.3m 6mm2, neg\n"
    );
    let ways = way(&looped, "charger-loop", "C", ProfileId::EU_UK);
    assert_eq!(ways.len(), 2, "{ways:?}");
    assert!(ways.iter().any(|w| w.contains("switch i on")) && ways.iter().any(|w| w.contains('T')), "{ways:?}");
}
