//! What a practitioner would do about a finding is among the repairs that pass their trial, alone or as a set; what looks
//! like a repair and is none is among the rejected, with the reason. The repairs are common practice, no source.

use murvet_core::audit::audit;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::remedies::trials;

/// A rig, the rule whose finding is asked for, and a part of the title of a repair that must be accepted.
struct Wanted {
    why: &'static str,
    profile: ProfileId,
    rig: &'static str,
    rule: &'static str,
    title: &'static [&'static str],
}

/// A charger on a plug in an outlet that the inverter feeds, and another outlet that shore alone feeds.
const PLUGGED: &str = "chassis frame\nbattery house: lifepo4 12.8V 200Ah\ninverter inv: 1000W dc 12V ac 230V bond-switched isolated\n\
    inlet hook: 230V 16A\npanel front: main 16A 2-pole rcd 30mA, way a 16A\npanel rear: main 10A 2-pole rcd 30mA, way s 10A\noutlet ashore\noutlet desk\n\
    charger c: 10A 14.4V on desk\ncable w1 3x2.5mm2 1m hook -> front.main\ncable w2 3x2.5mm2 1m inv -> rear.main\n\
    cable w3 3x2.5mm2 1m front.a -> ashore\ncable w4 3x2.5mm2 1m rear.s -> desk\nrun front.PE : 1m 6mm2, frame\nrun rear.PE : 1m 6mm2, frame\n\
    run house.+ : 0.2m 25mm2, fuse F1 125A class-t, 0.5m 25mm2, isolator S 200A, 0.2m 25mm2, inv.dc+\nrun house.- : 0.9m 25mm2, inv.dc-\n\
    run c.dc+ : 0.3m 6mm2, fuse F2 20A class-t, 0.2m 6mm2, house.+\nrun c.dc- : 0.5m 6mm2, house.-\n";

/// Inverter, transfer switch and charger by themselves, the charger behind the transfer.
const SEPARATE: &str = "chassis frame\nbattery house: lifepo4 12.8V 200Ah\ninverter inv: 1000W dc 12V ac 230V bond-switched isolated\n\
    inlet hook: 230V 16A\ntransfer t: manual 2-pole 16A\npanel p: main 16A 2-pole rcd 30mA, way c 10A, way s 10A\noutlet desk\n\
    charger conv: 20A 14.4V\ncable w1 3x2.5mm2 1m hook -> t.a\ncable w2 3x2.5mm2 1m inv -> t.b\ncable w3 3x2.5mm2 1m t.out -> p.main\n\
    cable w4 3x2.5mm2 1m p.c -> conv\ncable w5 3x2.5mm2 1m p.s -> desk\nrun p.PE : 1m 6mm2, frame\n\
    run house.+ : 0.2m 25mm2, fuse F1 125A class-t, 0.5m 25mm2, isolator S 200A, 0.2m 25mm2, inv.dc+\nrun house.- : 0.9m 25mm2, inv.dc-\n\
    run conv.dc+ : 0.3m 6mm2, fuse F2 30A class-t, 0.2m 6mm2, house.+\nrun conv.dc- : 0.5m 6mm2, house.-\n";

fn wanted() -> Vec<Wanted> {
    vec![
        Wanted {
            why: "both halves of a bank feed the bar: one fuse leaves the other half bare",
            profile: ProfileId::EU_UK,
            rig: "battery a: agm 12V 100Ah internal 4mohm\nbattery b: agm 12V 100Ah internal 4mohm\nbus pos\nbus neg\ndc-load heater: 60A\nrun a.+ : 0.3m 25mm2, isolator A1 125A, 0.2m 25mm2, pos\nrun b.+ : 0.3m 25mm2, isolator B1 125A, 0.2m 25mm2, pos\nrun a.- : 0.3m 25mm2, neg\nrun b.- : 0.3m 25mm2, neg\nrun pos : 0.5m 25mm2, heater.+\nrun neg : 0.5m 25mm2, heater.-\n",
            rule: "overcurrent-missing",
            title: &["Fit a fuse of 100 A within 0.15 m of b.+"],
        },
        Wanted {
            why: "a supply without a device gets one that holds its load and that its thin return stands",
            profile: ProfileId::EU_UK,
            rig: "battery house: lifepo4 12.8V 100Ah\nbus neg\nrun house.- : 0.3m 25mm2, neg\ndc-load heater: 15A\nrun house.+ : 1.5m 4mm2, heater.+\nrun neg : 1.5m 1mm2, heater.-\n",
            rule: "overcurrent-missing",
            title: &["Fit a fuse of 15 A"],
        },
        Wanted {
            why: "a pump that returns on the battery goes round the shunt",
            profile: ProfileId::EU_UK,
            rig: "battery house: lifepo4 12.8V 100Ah\nbus pos\nbus neg\nrun house.+ : 0.2m 50mm2 90C, fuse F1 200A class-t, 0.3m 50mm2 90C, isolator S1 250A, 0.2m 50mm2 90C, pos\nrun house.- : 0.2m 50mm2 90C, shunt sh 300A, 0.2m 50mm2 90C, neg\ndc-load fan: 3A\nrun pos : 0.2m 2.5mm2, fuse G 10A blade, 1m 2.5mm2, fan.+\nrun neg : 1m 2.5mm2, fan.-\ndc-load pump: 5A\nrun pos : 0.2m 2.5mm2, fuse H 10A blade, 1m 2.5mm2, pump.+\nrun house.- : 1m 2.5mm2, pump.-\n",
            rule: "shunt-bypassed",
            title: &["Land pump.- behind"],
        },
        Wanted {
            why: "a charger's cable tapped from a thick feed gets a device where it is tapped",
            profile: ProfileId::NA_RV,
            rig: "chassis frame\ninlet shore: 120V 30A\npanel p: main 30A, way a 20A rcd 5mA\noutlet o\njoint-box tap: joined leads x3\ncharger c: 20A 14.4V\nbattery b: lifepo4 12.8V 100Ah\ncable W1 3x10AWG 90C 2m shore -> tap.1\ncable W2 3x10AWG 90C 1m tap.2 -> p.main\ncable W3 3x14AWG 1m tap.3 -> c\ncable W4 3x12AWG 2m p.a -> o\nrun p.PE : 0.5m 8AWG green, frame\nrun c.dc+ : 0.3m 8AWG, fuse F 30A class-t, 0.1m 8AWG, isolator S 60A, 0.2m 8AWG, b.+\nrun c.dc- : 0.5m 8AWG, b.-\n",
            rule: "cable-ampacity",
            title: &["breaker of", "tapped off"],
        },
        Wanted {
            why: "six batteries tapped at one end share badly: a lead goes to the far end",
            profile: ProfileId::EU_UK,
            rig: "battery bank: agm 12V 100Ah x6 parallel same-end links 70mm2 internal 3mohm discharge 60A\nisolator S: 400A\nbus pos\nbus neg\ndc-load winch: 300A\nrun bank.+ : 0.2m 150mm2 90C, fuse F 350A class-t, 0.2m 150mm2 90C, S, 0.2m 150mm2 90C, winch.+\nrun bank.- : 0.4m 150mm2 90C, winch.-\n",
            rule: "battery-sharing",
            title: &["far end of the bank"],
        },
        Wanted {
            why: "too much on one hot: a way goes to the other",
            profile: ProfileId::NA_RV,
            rig: "chassis frame\ninlet shore: 120V 30A two-hot\npanel main: two-hot main 30A 2-pole, way air 20A, way heat 20A, way lamps 15A leg2\ncable W1 4x10AWG 90C 3m shore -> main.main\nac-load air: 1900W\nac-load heater: 1900W\nac-load lamps: 200W\ncable W2 3x12AWG 3m main.air -> air\ncable W3 3x12AWG 3m main.heat -> heater\ncable W4 3x14AWG 3m main.lamps -> lamps\nrun main.PE : 0.5m 8AWG green, frame\n",
            rule: "load-sum",
            title: &["to the second hot"],
        },
        Wanted {
            why: "an inverter on too thin a cable is used for less until the cable is enlarged",
            profile: ProfileId::EU_UK,
            rig: "battery house: lifepo4 12.8V 200Ah\nisolator S: 250A\ninverter inv: 2000W dc 12V ac 230V bond-none isolated\nrun house.+ : 0.2m 35mm2 90C, fuse F1 200A class-t, 0.3m 35mm2 90C, S, 0.4m 35mm2 90C, inv.dc+\nrun house.- : 0.9m 35mm2 90C, inv.dc-\n",
            rule: "cable-ampacity",
            title: &["at the most", "until the cable is enlarged"],
        },
        Wanted {
            why: "a bonded inverter that is not isolated gives way to one that is",
            profile: ProfileId::NA_RV,
            rig: "battery house: lifepo4 12.8V 200Ah\nisolator S: 150A\nchassis frame\ninverter inv: 1000W dc 12V ac 120V bond-fixed not-isolated\noutlet o\nrun house.+ : 0.2m 1/0AWG 90C, fuse F1 125A class-t, 0.3m 1/0AWG 90C, S, 0.4m 1/0AWG 90C, inv.dc+\nrun house.- : 0.9m 1/0AWG 90C, inv.dc-\ncable W1 3x12AWG 2m inv -> o\n",
            rule: "bond-not-isolated",
            title: &["isolated unit"],
        },
        Wanted {
            why: "an alarm that dies with the battery switch is fed from ahead of it",
            profile: ProfileId::EU_UK,
            rig: include_str!("../src/rules/examples/vital-switched.rig"),
            rule: "vital-switched",
            title: &["alarm.+", "ahead of the switch"],
        },
        Wanted {
            why: "the engine charges a bank of lithium through a DC-DC charger",
            profile: ProfileId::EU_UK,
            rig: include_str!("../src/rules/examples/alternator-bank.rig"),
            rule: "alternator-bank",
            title: &["DC-DC charger of 40 A"],
        },
        Wanted {
            why: "chargers that give more than a battery takes are set for less",
            profile: ProfileId::EU_UK,
            rig: include_str!("../src/rules/examples/charge-sum.rig"),
            rule: "charge-sum",
            title: &["Set", "of charge"],
        },
        Wanted {
            why: "thresholds in the wrong order are set in the right one, clear of what the management opens at",
            profile: ProfileId::EU_UK,
            rig: include_str!("../src/rules/examples/thresholds-order.rig"),
            rule: "thresholds-order",
            title: &["Set inv to warning", "restart"],
        },
        Wanted {
            why: "a box that gets too hot is opened low and high",
            profile: ProfileId::EU_UK,
            rig: include_str!("../src/rules/examples/place-heat.rig"),
            rule: "place-heat",
            title: &["Cut openings of 800", "one low and one high"],
        },
        Wanted {
            why: "a charger on a plug goes into the outlet that shore alone feeds",
            profile: ProfileId::EU_UK,
            rig: PLUGGED,
            rule: "charger-loop",
            title: &["Plug c into ashore instead of desk"],
        },
        Wanted {
            why: "inverter, transfer and charger make room for one unit that manages it",
            profile: ProfileId::EU_UK,
            rig: SEPARATE,
            rule: "charger-loop",
            title: &["Replace inv and conv by one inverter-charger"],
        },
        Wanted {
            why: "a live conductor that goes nowhere comes out with its fuse",
            profile: ProfileId::EU_UK,
            rig: include_str!("../src/rules/examples/loose-end.rig"),
            rule: "loose-end",
            title: &["Take the conductor from pos out"],
        },
    ]
}

#[test]
fn what_a_practitioner_would_do_passes_its_trial() {
    let mut missing = Vec::new();
    for w in wanted() {
        let rig = parse(w.rig).unwrap_or_else(|e| panic!("{}: {e:?}", w.why));
        let before = audit(&rig, w.profile);
        let found: Vec<_> = before.findings.iter().filter(|f| f.rule.slug == w.rule).collect();
        if found.is_empty() {
            let all: Vec<String> = before.findings.iter().map(|f| f.key()).collect();
            missing.push(format!("{}: no finding of {}, only {all:?}", w.why, w.rule));
            continue;
        }
        let tried: Vec<_> = found.iter().flat_map(|f| trials(&rig, &before, f)).collect();
        let fits = |title: &str| w.title.iter().all(|part| title.contains(part));
        if !tried.iter().any(|t| t.accepted && fits(&t.candidate.title)) {
            let list: Vec<String> =
                tried.iter().map(|t| format!("  {} {}: {}", t.accepted, t.candidate.title, t.reason)).collect();
            missing.push(format!("{}:\n{}", w.why, list.join("\n")));
        }
    }
    assert!(missing.is_empty(), "{}", missing.join("\n"));
}
