//! Neutral and earth, poles, hots and supplies.

use super::*;

#[test]
fn nothing_opens_a_return_by_itself() {
    let mains = |pole: &str| {
        format!(
            "inlet s: 120V 15A\npanel p: main 15A, way a 15A\noutlet o\ncable W1 3x14AWG 1m s -> p.main\nbreaker b: 15A\n{pole}"
        )
    };
    breaks(
        NA,
        "return-interrupted",
        "b",
        Severity::BeforeUse,
        &mains(
            "{run p.a : 1m 14AWG, o.ac.L\nrun p.N : 1m 14AWG, b, 1m 14AWG, o.ac.N\nrun p.PE : 1m 14AWG, o.ac.PE|run p.a : 1m 14AWG, b, 1m 14AWG, o.ac.L\nrun p.N : 1m 14AWG, o.ac.N\nrun p.PE : 1m 14AWG, o.ac.PE}\n",
        ),
    );
    breaks(
        NA,
        "return-interrupted",
        "b",
        Severity::KeepOff,
        &mains(
            "{run p.PE : 1m 14AWG, b, 1m 14AWG, o.ac.PE|run p.PE : 1m 14AWG, o.ac.PE}\nrun p.a : 1m 14AWG, o.ac.L\nrun p.N : 1m 14AWG, o.ac.N\n",
        ),
    );
    breaks(
        EU,
        "return-interrupted",
        "G",
        Severity::Advice,
        &format!(
            "{BANK}dc-load pump: 5A\nrun house.+ : 0.1m 6mm2, fuse F 20A, 1m 6mm2, pump.+\nrun neg : 0.5m 6mm2, {{fuse G 20A, 0.5m 6mm2, |}}pump.-\n"
        ),
    );
}

#[test]
fn earth_reaches_the_chassis_and_the_negative_does() {
    let rig = |bond: &str| {
        format!(
            "chassis frame\ninlet s: 120V 15A\npanel p: main 15A, way a 15A\noutlet o\ncable W1 3x14AWG 1m s -> p.main\ncable W2 3x14AWG 1m p.a -> o\n{bond}"
        )
    };
    breaks(NA, "chassis-bond", "frame", Severity::BeforeUse, &rig("{|run p.PE : 1m 8AWG, frame\n}"));
    breaks(NA, "chassis-bond", "frame", Severity::Soon, &rig("run p.PE : 1m {10AWG|8AWG}, frame\n"));
    breaks(EU, "chassis-bond", "frame", Severity::Soon, &rig("run p.PE : 1m {2.5mm2|4mm2}, frame\n"));
    breaks(
        EU,
        "negative-floating",
        "b",
        Severity::Advice,
        "battery b: agm 12V 100Ah\nchassis frame\n{|run b.- : 0.3m 16mm2, frame\n}",
    );
    breaks(
        NA,
        "bond-not-isolated",
        "i",
        Severity::KeepOff,
        "inverter i: 1000W dc 12V ac 120V bond-fixed {not-isolated|isolated}\n",
    );
}

#[test]
fn line_and_neutral_go_through_the_same_device() {
    breaks(
        EU,
        "rcd-neutral",
        "p.a",
        Severity::BeforeUse,
        "inlet s: 230V 16A\npanel p: main 16A, way a 10A rcd 30mA, way b 10A rcd 30mA\nsocket o\nsocket q\ncable W1 3x2.5mm2 1m s -> p.main\ncable W3 3x1.5mm2 1m p.b -> q\nrun p.a : 1m 1.5mm2, o.ac.L\nrun {p.b.N|p.a.N} : 1m 1.5mm2, o.ac.N\nrun p.PE : 1m 1.5mm2, o.ac.PE\n",
    );
    breaks(
        EU,
        "rcd-neutral",
        "R",
        Severity::BeforeUse,
        "inlet s: 230V 16A\nrcd R: 25A rcd 30mA\nsocket o\ncable W1 3x2.5mm2 1m s -> R\nrun R.out : 1m 2.5mm2, o.ac.L\nrun {R.N.in|R.N.out} : 1m 2.5mm2, o.ac.N\nrun R.PE : 1m 2.5mm2, o.ac.PE\n",
    );
    breaks(EU, "cable-minimum", "W", Severity::Soon, "inlet s: 230V 6A\nsocket o\ncable W 3x{1mm2|1.5mm2} 1m s -> o\n");
}

#[test]
fn what_one_failed_part_would_bring_is_listed_apart() {
    use murvet_core::faults::one_fault_away;
    let of = |text: &str, profile: ProfileId| -> Vec<(String, Vec<String>)> {
        let list = one_fault_away(&judge(text, profile));
        list.into_iter().map(|f| (f.fault, f.findings.iter().map(Finding::key).collect())).collect()
    };
    // A bond relay that cannot open gives two bonds on shore even with the inverter off; one that cannot close
    // leaves none. The rig itself has neither finding.
    let trailer = of(include_str!("../sound/trailer.rig"), NA);
    let named = |fault: &str| trailer.iter().find(|f| f.0 == fault).map(|f| f.1.clone());
    assert_eq!(named("the bond relay of ic does not open"), Some(vec!["bond-away:ic".to_owned()]));
    assert_eq!(named("the bond relay of ic does not close"), Some(vec!["bond-missing:ic".to_owned()]));
    assert_eq!(named("the neutral pole of the relay in ic sticks"), None, "it brings nothing while the bond opens");
    // A welded relay joins the banks with the engine off, and closes a circle that the engine used to open.
    let circle = "battery house: agm 12V 100Ah\nbattery start: agm 12V 80Ah starter\nchassis frame\nrun house.- : 0.3m 16mm2, frame\nrun start.- : 0.3m 16mm2, frame\n\
        dcdc up: 20A 14V engine not-isolated\nmaintainer down: 5A 13.6V always not-isolated\n\
        run start.+ : 0.2m 10mm2, fuse A 40A, 1m 10mm2, up.in+\nrun up.out+ : 0.5m 10mm2, fuse B 40A, 0.2m 10mm2, house.+\nrun up.in- : 0.3m 10mm2, frame\nrun up.out- : 0.3m 10mm2, frame\n\
        run house.+ : 0.2m 2.5mm2, fuse C 10A, 1m 2.5mm2, down.in+\nrun down.out+ : 1m 2.5mm2, fuse D 10A, 0.2m 2.5mm2, start.+\nrun down.in- : 0.3m 2.5mm2, frame\nrun down.out- : 0.3m 2.5mm2, frame\n";
    assert!(of(circle, EU).is_empty(), "with the engine running the circle is there now, and a finding of its own");
    // A charger that may be plugged into the inverter's outlet is one plug away from a loop.
    let plug = "battery b: agm 12V 100Ah\nrun b.+ : 0.2m 25mm2 90C, fuse F 100A terminal, 1m 25mm2 90C, i.dc+\nrun b.- : 1m 25mm2 90C, i.dc-\ninverter i: 600W dc 12V bond-none isolated\nsocket own\ncable W 3x1.5mm2 1m i -> own\n\
        inlet s: 10A\nrcbo g: 10A 30mA 2-pole\nsocket o\ncable X 3x1.5mm2 1m s -> g\ncable Y 3x1.5mm2 1m g -> o\ncharger c: 10A 14.4V plug-in on o\nrun c.dc+ : 0.5m 6mm2, fuse G 15A, 0.2m 6mm2, b.+\nrun c.dc- : 0.5m 6mm2, b.-\n";
    let moved = of(plug, EU);
    assert!(moved.iter().any(|f| f.0 == "c is plugged into own" && f.1 == ["charger-loop:c"]), "{moved:?}");
    // A broken interlock is backfeed.
    let lock = "inlet shore: 120V 30A\ngenerator G: 120V 30A bond-none\nbreaker b1: 30A 2-pole interlock bar\nbreaker b2: 30A 2-pole interlock bar\noutlet o\n\
        cable W1 3x10AWG 1m shore -> b1\ncable W2 3x10AWG 1m G -> b2\ncable W3 3x10AWG 1m b1 -> o\ncable W4 3x10AWG 1m b2 -> o\n";
    let broken = of(lock, NA);
    assert!(
        broken.iter().any(|f| f.0 == "the interlock bar is broken" && f.1.iter().any(|k| k.starts_with("ac-backfeed"))),
        "{broken:?}"
    );
    assert!(!judge(lock, NA).findings.iter().any(|f| f.rule.slug == "ac-backfeed"), "whole, it excludes");
}

/// A panel with two hots and one circuit of both on a shared neutral, split at an outlet.
const TWO_HOT: &str = "panel main: two-hot main 50A, way kitchen 20A both-legs\noutlet counter: two-hot\noutlet other\n\
    cable W1 4x6AWG 90C 2m shore -> main.main\ncable W2 4x12AWG 5m main.kitchen -> counter\n\
    ac-load iron: 1200W on counter\nac-load fan: 300W on other\n";

#[test]
fn a_neutral_of_hots_in_phase_carries_their_sum() {
    // NFPA 70 table 310.16, 12 AWG at 60 C: 20 A. An adapter from one hot of 30 A gives each leg 20 A, 30 A at most.
    let f = breaks(
        NA,
        "neutral-shared",
        "W2",
        Severity::BeforeUse,
        &format!("inlet shore: 120V 30A {{in-phase|two-hot}}\n{TWO_HOT}cable W3 3x12AWG 1m counter -> other (L2>L)\n"),
    );
    assert!(f.statement.contains("30 A and carries 20 A"), "{}", f.statement);
    // Two circuits that share a neutral in single conductors, moved to one leg: 2 x 15 A on 14 AWG (15 A).
    let f = breaks(
        NA,
        "neutral-shared",
        "main.N--bar",
        Severity::BeforeUse,
        "inlet shore: 120V 50A two-hot\npanel main: two-hot main 50A, way a 15A leg1, way b 15A {leg1|leg2}\ncable W1 4x6AWG 90C 2m shore -> main.main\n\
        outlet x\noutlet y\nbus bar\nrun main.a : 3m 14AWG, x.ac.L\nrun main.b : 3m 14AWG, y.ac.L\nrun main.N : 3m 14AWG, bar\n\
        run bar : 1m 14AWG, x.ac.N\nrun bar : 1m 14AWG, y.ac.N\nrun main.PE : 3m 14AWG, x.ac.PE\nrun main.PE : 3m 14AWG, y.ac.PE\n",
    );
    assert!(f.statement.contains("30 A and carries 15 A"), "{}", f.statement);
}

#[test]
fn a_lost_neutral_divides_twice_the_voltage_by_ohms_law() {
    // 1200 W and 300 W at 120 V are 12 and 48 ohm: in series across 240 V they get 48 V and 192 V (Ohm's law).
    let f = breaks(
        NA,
        "neutral-lost",
        "counter",
        Severity::KeepOff,
        &format!(
            "inlet shore: 120V 50A two-hot\n{}cable W3 3x12AWG 1m counter -> other (L2>L)\n",
            TWO_HOT.replace("main.kitchen -> counter", "main.kitchen -> counter {(N>-)|}")
        ),
    );
    let last = f.evidence.last().expect("a line");
    assert!(last.contains("12 ohm and 48 ohm") && last.contains("48 V on hot 1 and 192 V on hot 2"), "{last}");
}

#[test]
fn the_hots_of_one_supply_never_meet() {
    let f = breaks(
        NA,
        "legs-joined",
        "shore",
        Severity::KeepOff,
        &format!(
            "inlet shore: 120V 50A {{two-hot|in-phase}}\n{}run counter.ac.L : 0.1m 12AWG, counter.ac.L2\n",
            TWO_HOT
        ),
    );
    assert!(f.evidence[1].contains("240 V"), "{:?}", f.evidence);
}

#[test]
fn a_bad_supply_is_told_and_what_the_rig_adds_to_it() {
    let eu = "consumer-unit cu: main 16A rcd 30mA, way a 10A\nsocket s\nchassis frame\ncable W1 3x2.5mm2 1m shore -> cu.main\ncable W2 3x1.5mm2 2m cu.a -> s\nrun cu.PE : 1m 6mm2, frame\n";
    breaks(
        EU,
        "supply-fault",
        "shore",
        Severity::KeepOff,
        &format!("inlet shore: 230V 16A {{supply earthless|}}\n{eu}"),
    );
    breaks(
        AU,
        "supply-fault",
        "shore",
        Severity::BeforeUse,
        &format!("inlet shore: 230V 15A {{supply reversed|}}\n{eu}"),
    );
    // Where plugs are not polarised a reversed supply is no fault of anything.
    let reversed = judge(&format!("inlet shore: 230V 16A supply reversed\n{eu}"), EU);
    assert!(reversed.findings.iter().all(|f| f.severity == Severity::Advice), "{:?}", reversed.findings);
    // A link in the panel makes the skin live on a reversed supply without earth.
    let linked = eu.replace("main 16A", "{jumper main 16A|main 16A}");
    let f = breaks(
        EU,
        "skin-live",
        "cu",
        Severity::KeepOff,
        &format!("inlet shore: 230V 16A supply reversed-earthless\n{linked}"),
    );
    assert!(f.statement.contains("nothing opens"), "{}", f.statement);
    // The same is listed as one fault away for a sound supply, and nothing is for a sound rig.
    let faults = |text: &str| murvet_core::faults::one_fault_away(&judge(text, EU));
    let (broken, sound) = pair(&format!("inlet shore: 230V 16A\n{linked}"));
    assert!(faults(&broken).iter().any(|f| f.fault.contains("no earth") && f.findings[0].rule.slug == "skin-live"));
    assert!(faults(&sound).is_empty());
}

#[test]
fn mains_devices_open_all_poles_where_the_profile_wants_it() {
    let rig = "inlet shore: 230V 16A\nbreaker b: 10A {1-pole|2-pole} curve-c\nrcd g: 30mA 25A\nsocket s\ncable W1 3x2.5mm2 1m shore -> g\ncable W2 3x2.5mm2 1m g -> b\ncable W3 3x2.5mm2 2m b -> s\n";
    breaks(EU, "pole-missing", "b", Severity::Soon, rig);
    breaks(AU, "pole-missing", "b", Severity::BeforeUse, &rig.replace("rcd g: 30mA 25A", "guard g: 25A"));
    assert!(of(&judge(&pair(rig).0, NA), "pole-missing").is_none(), "elsewhere a neutral stays joined");
}

#[test]
fn an_rcd_that_opens_late_is_none_for_a_person() {
    let rig = "inlet s: 16A\nrcbo g: 16A {100mA|30mA} 2-pole\nsocket o\nsocket q\ncable W 3x2.5mm2 1m s -> g\ncable X 3x2.5mm2 1m g -> o\ncable Y 3x2.5mm2 1m o -> q\n";
    breaks(EU, "rcd-missing", "o", Severity::BeforeUse, rig);
}

#[test]
fn neutrals_lead_back_and_outputs_stay_apart() {
    // The neutral of the inverter's outlet on the bar of the shore side: live, and its current returns through earth.
    let parted = "inlet s: 16A\nrcbo g: 16A 30mA 2-pole\ninverter i: 1000W dc 12V bond-fixed isolated\nbattery b: agm 12V 100Ah\nrun b.+ : 0.2m 25mm2 90C, fuse F 125A terminal, 1m 35mm2 90C, i.dc+\nrun b.- : 1m 35mm2 90C, i.dc-\n\
        socket a\nsocket o\ncable W 3x2.5mm2 1m s -> g\ncable X 3x2.5mm2 1m g -> a\nrun i.ac.L : 1m 2.5mm2, o.ac.L\nrun {a.ac.N|i.ac.N} : 1m 2.5mm2, o.ac.N\nrun i.ac.PE : 1m 2.5mm2, o.ac.PE\n";
    let audit = judge(&pair(parted).0, EU);
    let f = of(&audit, "neutral-lost").expect("found");
    assert_eq!((f.subject.as_str(), f.severity), ("o", Severity::BeforeUse));
    assert!(of(&judge(&pair(parted).1, EU), "neutral-lost").is_none());
    assert!(f.statement.contains("on the neutral of shore inlet"), "{}", f.statement);
    let unit = "battery b: agm 12V 200Ah\ninverter-charger u: 2000W dc 12V charge 50A shore-only neutral-switched bond-switched isolated {feed-in|}\n";
    breaks(EU, "feed-in", "u", Severity::BeforeUse, unit);
    let joined = "battery b: agm 12V 200Ah\ninverter-charger u: 2000W dc 12V charge 50A shore-only neutral-switched bond-switched isolated\nrun b.+ : 0.2m 70mm2 90C, fuse F 250A class-t, 1m 70mm2 90C, u.dc+\nrun b.- : 1m 70mm2 90C, u.dc-\nsocket o\nsocket q\ncable A 3x2.5mm2 1m u.out -> o\ncable B 3x2.5mm2 1m u.aux -> q\n{cable C 3x2.5mm2 1m o -> q|}\n";
    breaks(EU, "feed-in", "u.aux", Severity::KeepOff, joined);
}

#[test]
fn an_earth_is_as_large_as_its_circuit_wants() {
    // NFPA 70 table 250.122: 14 AWG for 15 A, 12 for 20 A, 10 for 30 to 60 A, and never more than the hot.
    let panel = |device: &str, size: &str, earth: &str| {
        format!(
            "inlet shore: 120V 50A\npanel p: main 50A, way a {device}\noutlet o\ncable W1 3x6AWG 2m shore -> p\ncable W2 3x{size} earth {earth} 3m p.a -> o\n"
        )
    };
    let na = |device: &str, size: &str, broken: &str, sound: &str| {
        let f = breaks(NA, "earth-size", "W2", Severity::Soon, &panel(device, size, &format!("{{{broken}|{sound}}}")));
        assert!(f.evidence.iter().any(|e| e.contains("250.122")), "{f:?}");
    };
    na("15A", "14AWG", "16AWG", "14AWG");
    na("20A", "12AWG", "14AWG", "12AWG");
    na("30A", "10AWG", "12AWG", "10AWG");
    na("40A", "8AWG", "12AWG", "10AWG");
    // IEC 60364-5-54 table 54.7 asks 4 mm2 beside 4 mm2. By its section 543.1.2 less is enough: 25 m of 2.5 mm2 at
    // 7.98 ohm/km, out and back, are 0.399 ohm; 230 V / 0.399 ohm = 576 A; for 0.04 s to the RCD over k = 115 that is
    // 1.00 mm2, for 0.1 s to a breaker alone 1.59 mm2.
    let eu = |rcd: &str, earth: &str| {
        format!(
            "inlet shore: 230V 16A\nconsumer-unit cu: main 16A{rcd}, way a 16A\nsocket o\ncable W1 3x4mm2 2m shore -> cu\ncable W2 3x4mm2 earth {earth} 3m cu.a -> o\n"
        )
    };
    breaks(EU, "earth-size", "W2", Severity::Soon, &eu(" rcd 30mA", "{0.9mm2|1mm2}"));
    breaks(EU, "earth-size", "W2", Severity::Soon, &eu("", "{1.5mm2|1.6mm2}"));
    breaks(EU, "earth-size", "W2", Severity::Soon, &eu("{| rcd 30mA}", "1.5mm2"));
    // AS/NZS 3000 table 5.1 asks 2.5 mm2 beside 4 mm2, which a larger supply than any known lead cannot make less.
    let au = eu(" rcd 30mA", "{1.5mm2|2.5mm2}").replace("inlet shore: 230V 16A", "inlet shore: 230V 40A");
    breaks(AU, "earth-size", "W2", Severity::Soon, &au.replace("3x4mm2 2m", "3x10mm2 2m"));
}
