//! Devices, contacts and parallel conductors.

use super::*;

#[test]
fn parallel_conductors_must_be_safe_with_one_open() {
    // ISO 13297, 90 C: 35 mm² 185 A; two of them 370 A. Behind 350 A one alone would carry 350 A.
    let f = breaks(
        EU,
        "parallel-conductors",
        "F.out--load.+",
        Severity::Soon,
        &format!(
            "{BANK}dc-load load: 100A\nrun house.+ : 0.2m 150mm2 90C, fuse F {{350A|150A}} class-t, 2m 35mm2 90C, load.+\nrun F : 2m 35mm2 90C, load.+\nrun neg : 2m 150mm2 90C, load.-\n"
        ),
    );
    assert!(f.statement.contains("350 A and may carry 185 A"), "{}", f.statement);
    // Together they carry what one alone could not: neither is reported as too small.
    let audit = judge(
        &format!(
            "{BANK}dc-load load: 100A\nrun house.+ : 0.2m 150mm2 90C, fuse F 350A class-t, 2m 35mm2 90C, load.+\nrun F : 2m 35mm2 90C, load.+\nrun neg : 2m 150mm2 90C, load.-\n"
        ),
        EU,
    );
    let at_it = audit.findings.iter().filter(|f| f.subject.starts_with("F.out--load.+"));
    assert_eq!(at_it.map(|f| f.rule.slug).collect::<Vec<_>>(), ["parallel-conductors"]);
    // Of unequal length they do not share alike, and each is judged for itself.
    let audit = judge(
        &format!(
            "{BANK}dc-load load: 100A\nrun house.+ : 0.2m 150mm2 90C, fuse F 350A class-t, 4m 35mm2 90C, load.+\nrun F : 5m 35mm2 90C, load.+\nrun neg : 2m 150mm2 90C, load.-\n"
        ),
        EU,
    );
    assert!(of(&audit, "device-oversized").is_some());
}

#[test]
fn a_first_device_must_break_what_the_bank_can_drive() {
    // 280 Ah: 2.4 mohm x 100 / 280 x 12.8 / 12 = 0.914 mohm; 13.7 V / 0.914 mohm = 15 kA at its posts (the
    // trade's 13 to 15 kA, common practice). A blade fuse breaks 1 kA, class T 20 kA.
    let f = breaks(
        EU,
        "breaking-capacity",
        "F",
        Severity::BeforeUse,
        "battery house: lifepo4 12.8V 280Ah\ndc-load pump: 20A\nrun house.+ : 0.1m 16mm2, fuse F 60A {blade|class-t}, 1m 16mm2, pump.+\nrun house.- : 1m 16mm2, pump.-\n",
    );
    assert!(f.evidence[0].contains("0.914 mohm") && f.evidence[0].contains("= 14980 A"), "{}", f.evidence[0]);
    assert_eq!(f.certainty, Certainty::Possible, "the resistance of the bank is a typical one");
    // Marked and stated, it is certain: 13.7 V / (5 + 0.1 m of 16 mm² 0.108 mohm) = 2.68 kA.
    let f = breaks(
        EU,
        "breaking-capacity",
        "F",
        Severity::BeforeUse,
        "battery house: lifepo4 12.8V 100Ah internal 5mohm\ndc-load pump: 20A\nrun house.+ : 0.1m 16mm2, fuse F 60A breaking {2.5kA|3kA}, 1m 16mm2, pump.+\nrun house.- : 1m 16mm2, pump.-\n",
    );
    assert_eq!(f.certainty, Certainty::Certain);
    // Lead-acid of unstated resistance drives less, and less certainly: it may wait.
    breaks(
        EU,
        "breaking-capacity",
        "F",
        Severity::Soon,
        "battery b: agm 12V 100Ah\ndc-load pump: 10A\nrun b.+ : 0.1m 16mm2, fuse F 20A {blade|terminal}, 1m 4mm2, pump.+\nrun b.- : 1m 4mm2, pump.-\n",
    );
    // Two banks in parallel exceed what one class T fuse breaks: each wants its own. By less than the spread of a
    // resistance that nobody stated it is not yet pressing; stated, it is.
    let two = |count: &str| {
        judge(
            &format!(
                "battery house: lifepo4 12.8V 280Ah {count} parallel\ndc-load pump: 20A\nrun house.+ : 0.1m 4/0AWG, fuse F 300A class-t, 1m 4/0AWG, pump.+\nrun house.- : 1m 4/0AWG, pump.-\n"
            ),
            NA,
        )
    };
    assert_eq!(of(&two("x2"), "breaking-capacity").map(|f| f.severity), Some(Severity::Soon));
    assert_eq!(of(&two("x2 internal 1mohm"), "breaking-capacity").map(|f| f.severity), Some(Severity::BeforeUse));
    assert!(of(&two("x1"), "breaking-capacity").is_none());
}

#[test]
fn devices_fit_their_voltage_and_their_kind_of_current() {
    // Four of 12.8 V in series are charged to 4 x 14.6 V = 58.4 V.
    breaks(
        EU,
        "device-voltage",
        "F",
        Severity::BeforeUse,
        "battery house: lifepo4 12.8V 100Ah x4 series\ndc-load pump: 2A\nrun house.+ : 0.1m 6mm2, fuse F 20A {blade|class-t}, 1m 6mm2, pump.+\nrun house.- : 1m 6mm2, pump.-\n",
    );
    breaks(
        EU,
        "device-voltage",
        "F",
        Severity::BeforeUse,
        "battery house: lifepo4 12.8V 100Ah x4 series absorption 14.4V\ndc-load pump: 2A\nrun house.+ : 0.1m 6mm2, fuse F 20A rated {48V|58V}, 1m 6mm2, pump.+\nrun house.- : 1m 6mm2, pump.-\n",
    );
    breaks(
        EU,
        "device-kind",
        "F",
        Severity::BeforeUse,
        &format!(
            "{BANK}dc-load pump: 5A\nrun house.+ : 0.1m 6mm2, breaker F 20A curve-c {{|dc-rated}}, 1m 6mm2, pump.+\nrun neg : 1m 6mm2, pump.-\n"
        ),
    );
    breaks(
        NA,
        "device-kind",
        "F",
        Severity::BeforeUse,
        "inlet s: 120V 15A\nfuse F: 15A {blade|gg}\noutlet o\ncable W1 3x14AWG 1m s -> F\ncable W2 3x14AWG 1m F -> o\n",
    );
}

#[test]
fn contacts_and_appliances_are_not_asked_for_more_than_they_stand() {
    breaks(
        EU,
        "contact-overloaded",
        "S",
        Severity::BeforeUse,
        &format!(
            "{BANK}dc-load load: 50A\nrun house.+ : 0.2m 50mm2, fuse F 150A class-t, 0.5m 50mm2, isolator S {{100A|150A}}, 1m 50mm2, load.+\nrun neg : 1m 50mm2, load.-\n"
        ),
    );
    breaks(
        NA,
        "contact-overloaded",
        "T",
        Severity::BeforeUse,
        "inlet s: 120V 30A\ngenerator g: 120V 20A bond-fixed\ntransfer T: manual 2-pole {20A|30A}\npanel p: main 30A, way a 15A\noutlet o\ncable W1 3x10AWG 1m s -> T.a\ncable W2 3x10AWG 1m g -> T.b\ncable W3 3x10AWG 1m T -> p.main\ncable W4 3x14AWG 1m p.a -> o\n",
    );
    breaks(
        EU,
        "appliance-maximum",
        "pump",
        Severity::BeforeUse,
        &format!(
            "{BANK}dc-load pump: 5A max-device 10A\nrun house.+ : 0.1m 6mm2, fuse F {{20A|10A}}, 1m 6mm2, pump.+\nrun neg : 1m 6mm2, pump.-\n"
        ),
    );
    // 3000 W / 10.5 V / 0.85 = 336 A at cut-off, 294 A at 12 V (common practice).
    let inverter = |fuse: &str| {
        format!(
            "{BANK}inverter i: 3000W dc 12V ac 230V bond-none isolated\nrun house.+ : 0.2m 150mm2 90C, fuse F {fuse} class-t, 1m 150mm2 90C, i.dc+\nrun neg : 1m 150mm2 90C, i.dc-\n"
        )
    };
    breaks(EU, "inverter-device", "i", Severity::Soon, &inverter("{250A|350A}"));
    breaks(EU, "inverter-device", "i", Severity::Advice, &inverter("{300A|350A}"));
}

#[test]
fn a_short_far_away_opens_its_device_in_time() {
    // 12.8 V, 40 m of 1.5 mm2 out and back at 13.3 ohm/km x 1.1965: 12.8 / (1.273 + small) = 10 A, no more than the fuse.
    let f = breaks(
        EU,
        "fault-clearing",
        "F",
        Severity::Soon,
        "battery b: lifepo4 12.8V 100Ah\ndc-load lamp: 1A\nrun b.+ : 0.1m 1.5mm2, fuse F 10A blade, {40m|4m} 1.5mm2, lamp.+\nrun b.- : {40m|4m} 1.5mm2, lamp.-\n",
    );
    let amps: f64 =
        f.statement.split("gives ").nth(1).and_then(|s| s.split(' ').next()?.parse().ok()).expect("a figure");
    assert!((amps - 12.8 / (2.0 * 40.05 * 0.0133 * 1.1965)).abs() < 0.3, "{}", f.statement);
    // 100 A in 0.75 mm2: (115 x 0.75 / 100)² = 0.74 s, and a large blade of 25 A takes up to 7 s at
    // 3.5 times and 1 s at six: on logarithmic scales 7 x (1/7)^(ln(3.98/3.5) / ln(6/3.5)) = 4.4 s at 3.98 times.
    let f = breaks(
        EU,
        "fault-clearing",
        "F.out--lamp.+",
        Severity::Soon,
        "battery b: lifepo4 12.8V 100Ah\ndc-load lamp: 1A\nrun b.+ : 0.1m 0.75mm2, fuse F 25A {large-blade|blade}, 1.9m 0.75mm2, lamp.+\nrun b.- : 2m 0.75mm2, lamp.-\n",
    );
    assert!(f.statement.contains("within 4.4 s"), "{}", f.statement);
    // Equal devices in a row: nobody knows which opens.
    breaks(
        EU,
        "devices-in-series",
        "F>G",
        Severity::Advice,
        "battery b: lifepo4 12.8V 100Ah\ndc-load lamp: 1A\nrun b.+ : 0.1m 6mm2, fuse F 20A blade, 1m 6mm2, fuse G {20A|5A} blade, 1m 6mm2, lamp.+\nrun b.- : 2m 6mm2, lamp.-\n",
    );
}
