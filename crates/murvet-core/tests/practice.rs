//! Whole small rigs as they are met, each with what an expert finds there above advice and what is let pass, in all
//! three profiles. What is expected was written down before the rig was judged. Common practice, no source, unless a
//! source is named.

mod common;

use common::judge;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::Rig;
use murvet_core::rules::{Finding, Severity};
use std::collections::BTreeSet;

const NA: ProfileId = ProfileId::NA_RV;
const EU: ProfileId = ProfileId::EU_UK;
const AU: ProfileId = ProfileId::AU_NZ;

/// A rig is found to have exactly these rules broken above advice, and the same in its JSON form.
#[track_caller]
fn expect(profile: ProfileId, text: &str, expected: &[&str]) -> Vec<Finding> {
    let audit = judge(text, profile);
    let above = audit.findings.iter().filter(|f| f.severity > Severity::Advice);
    let found: BTreeSet<&str> = above.clone().map(|f| f.rule.slug).collect();
    let wanted: BTreeSet<&str> = expected.iter().copied().collect();
    let said: Vec<String> = above.map(|f| format!("{}: {}", f.key(), f.statement)).collect();
    assert_eq!(found, wanted, "{said:#?}\n{text}");
    let json = Rig::from_json(&parse(text).expect("parses").to_json()).expect("the same rig");
    let again: Vec<String> = murvet_core::audit::audit(&json, profile).findings.iter().map(Finding::key).collect();
    assert_eq!(again, audit.findings.iter().map(Finding::key).collect::<Vec<_>>(), "both forms give one audit");
    audit.findings
}

/// The DC side of a small van: bank, main device, switch, bars, chassis.
fn dc(more: &str) -> String {
    format!(
        "place bay: bay\nplace cabin: cabin\nbattery house in bay: agm 12V 100Ah internal 5mohm\nchassis frame\nbus pos in bay: 150A\nbus neg in bay: 150A\n\
         run house.+ : 0.2m 16mm2 90C red, fuse F1 80A terminal in bay, 0.3m 16mm2 90C, isolator S1 in bay 100A, 0.2m 16mm2 90C, pos\n\
         run house.- : 0.3m 16mm2 90C black, neg\nrun neg : 0.5m 10mm2, frame\n{more}"
    )
}

/// Shore by inlet, guard and consumer unit with two sockets, in European sizes.
const MAINS: &str = "inlet shore: 230V 16A\nrcbo guard: 16A 30mA 2-pole curve-c\nconsumer-unit cu: way a 10A, way b 10A\nsocket galley\nsocket desk\n\
    cable W1 3x2.5mm2 1m shore -> guard\ncable W2 3x2.5mm2 1m guard -> cu.main\ncable W3 3x1.5mm2 3m cu.a -> galley\ncable W4 3x1.5mm2 3m cu.b -> desk\nrun cu.PE : 1m 6mm2, frame\n";

/// A plain load behind a blade fuse.
const LAMP: &str =
    "dc-load lamp: 2A\nrun pos : 0.1m 1.5mm2, fuse L 5A blade, 3m 1.5mm2, lamp.+\nrun neg : 3m 1.5mm2, lamp.-\n";

#[test]
fn a_plain_van_is_let_pass() {
    expect(EU, &dc(&format!("{LAMP}{MAINS}")), &[]);
    expect(AU, &dc(&format!("{LAMP}{MAINS}")), &[]);
    // A reversed plug where plugs are not polarised is no fault of the rig.
    expect(EU, &dc(&format!("{LAMP}{}", MAINS.replace("230V 16A", "230V 16A supply reversed"))), &[]);
}

#[test]
fn a_vehicle_with_its_own_electrics_is_let_pass() {
    // Cranking cables are outside the audit; both ends of the cable between the banks have a device.
    let vehicle = "place engine: engine 60C\nbattery start in engine: flooded 12V 70Ah starter\nalternator alt in engine: 120A\n\
        run alt.+ : 1m 25mm2, start.+\nrun start.- : 0.3m 25mm2, frame\nrun alt.- : 0.3m 25mm2, frame\n\
        run start.+ : 0.2m 10mm2 90C, fuse A 40A terminal in engine, 4m 10mm2 90C, relay split in cabin 100A engine, 0.5m 10mm2 90C, fuse B 40A terminal in cabin, 0.2m 10mm2 90C, house.+\n";
    expect(EU, &dc(&format!("{LAMP}{vehicle}")), &[]);
    // One device at the starter alone leaves the house end bare.
    expect(
        EU,
        &dc(&format!("{LAMP}{}", vehicle.replace(", fuse B 40A terminal in cabin, 0.2m 10mm2 90C", ""))),
        &["device-too-far"],
    );
    // With none at all both ends are.
    let bare = vehicle
        .replace(", fuse B 40A terminal in cabin, 0.2m 10mm2 90C", "")
        .replace("fuse A 40A terminal in engine, 4m 10mm2 90C, ", "");
    expect(EU, &dc(&format!("{LAMP}{bare}")), &["overcurrent-missing"]);
}

#[test]
fn plug_and_cord_changeover_is_let_pass_and_a_tie_is_not() {
    let rig = |between: &str| {
        format!(
            "inlet shore: 120V 30A\ngenerator set: 120V 20A bond-fixed\n{between}panel p: main 30A, way a 15A, way b 20A\ngfci-outlet g: 5mA\noutlet o\n\
             cable A 3x14AWG 3m p.a -> g\ncable B 3x12AWG 3m p.b -> o\n"
        )
    };
    let cord = "plug-changeover cord: 30A\ncable W1 3x10AWG 3m shore -> cord.a\ncable W2 3x12AWG 3m set -> cord.b\ncable W3 3x10AWG 1m cord -> p.main\n";
    expect(NA, &rig(cord), &[]);
    // A two-pole switch parts the neutrals; one pole leaves the generator's bond on the shore side.
    let transfer = "transfer t: manual 2-pole 30A\ncable W1 3x10AWG 3m shore -> t.a\ncable W2 3x12AWG 3m set -> t.b\ncable W3 3x10AWG 1m t -> p.main\n";
    expect(NA, &rig(transfer), &[]);
    expect(NA, &rig(&transfer.replace("2-pole", "1-pole")), &["bond-away"]);
    // Both on the panel, with a breaker taken for a barrier.
    let tie = "cable W1 3x10AWG 3m shore -> p.main\ncable W2 3x12AWG 3m set -> p.b\n";
    // What it does to the bonds is part of it.
    expect(NA, &rig(tie), &["ac-backfeed"]);
    // A floating generator that feeds the panel: nothing trips.
    expect(NA, &rig(cord).replace("bond-fixed", "bond-none"), &["bond-missing"]);
    // The panel's own link gives a second bond on either source.
    expect(NA, &rig(cord).replace("panel p: main 30A", "panel p: jumper main 30A"), &["bond-away"]);
}

/// An inverter behind a manual switch, with a charger that hangs where `at` says.
fn inverter(at: &str, bond: &str) -> String {
    format!(
        "battery house: lifepo4 12.8V 200Ah internal 2mohm\nchassis frame\nbus pos\nbus neg\nrun house.+ : 0.2m 95mm2 90C, fuse F1 250A class-t, 0.3m 95mm2 90C, isolator S1 300A, 0.2m 95mm2 90C, pos\n\
         run house.- : 0.3m 95mm2 90C, neg\nrun neg : 0.5m 16mm2, frame\ninverter inv: 2000W dc 12V ac 230V {bond} isolated\nrun pos : 0.6m 95mm2 90C, inv.dc+\nrun neg : 0.6m 95mm2 90C, inv.dc-\nrun inv.case : 0.5m 16mm2, frame\n\
         inlet shore: 230V 16A\nrcbo guard: 16A 30mA 2-pole\nconsumer-unit cu: rcd 30mA main 16A, way s 10A, way c 6A\nsocket s1\nsocket s2\ntransfer t: manual 2-pole 16A\n\
         cable W1 3x2.5mm2 1m shore -> guard\ncable W2 3x2.5mm2 1m guard -> t.a\ncable W3 3x2.5mm2 1m inv -> t.b\ncable W4 3x2.5mm2 1m t -> cu.main\ncable W5 3x1.5mm2 2m cu.s -> s1\ncable W6 3x1.5mm2 2m s1 -> s2\nrun cu.PE : 1m 6mm2, frame\n\
         charger c: 20A 14.2V\nrcbo g2: 6A 30mA 2-pole\ncable C1 3x1.5mm2 1m {at} -> g2\ncable C2 3x1.5mm2 1m g2 -> c\nrun c.dc+ : 0.5m 6mm2 90C, fuse G 30A terminal, 0.2m 6mm2 90C, house.+\nrun c.dc- : 0.6m 6mm2 90C, neg\n"
    )
}

#[test]
fn a_charger_belongs_ahead_of_the_transfer_with_its_own_device() {
    expect(EU, &inverter("guard", "bond-switched"), &[]);
    // Behind the transfer it is a loop, whatever the transfer is.
    expect(EU, &inverter("cu.c", "bond-switched"), &["charger-loop"]);
    expect(
        EU,
        &inverter("cu.c", "bond-switched").replace("manual 2-pole", "automatic a-first 2-pole"),
        &["charger-loop"],
    );
    // No bond while inverting, and the button of every RCD works.
    let floating = expect(EU, &inverter("guard", "bond-none"), &["bond-missing"]);
    assert!(floating[0].evidence.iter().any(|e| e.contains("the current is 0 A")));
    // Whether it is bonded was not seen: possible, and the first thing to look at.
    let unseen = expect(EU, &inverter("guard", "bond ?"), &["bond-missing"]);
    assert_eq!(unseen[0].certainty, murvet_core::rules::Certainty::Possible);
    let audit = judge(&inverter("guard", "bond ?"), EU);
    assert_eq!((audit.look_next[0].unseen.subject.as_str(), audit.look_next[0].unseen.key.as_str()), ("inv", "bond"));
}

#[test]
fn sources_that_were_moved_leave_cables_that_run_backwards() {
    // The bank moved to the tongue: the old device at the far end protects nothing of the run under the floor.
    let moved = |device: &str, more: &str| {
        format!(
            "place tongue: outside\nplace floor: underfloor\nbattery house in tongue: agm 12V 100Ah internal 5mohm\nchassis frame\nrun house.- : 0.3m 6AWG, frame\nrun house.+ : 0.15m 6AWG, {device}5m 6AWG via floor, breaker old 50A dc-rated breaking 5kA, 0.3m 6AWG, dc.in\n\
             isolator S: 60A\nfuse-block dc: 60A, way a 15A\nrun frame : 2m 6AWG, dc.-\ndc-load pump: 7A\nrun dc.a : 3m 14AWG, pump.+\nrun dc.- : 3m 14AWG, pump.-\n{more}"
        )
    };
    let findings = expect(NA, &moved("", ""), &["device-too-far"]);
    assert!(findings.iter().any(|f| f.rule.slug == "device-too-far" && f.statement.contains("5.15 m")), "{findings:?}");
    expect(NA, &moved("fuse main 50A terminal, ", ""), &[]);
}

#[test]
fn a_derated_load_and_a_short_thin_tap_are_let_pass() {
    // A 2000 W inverter on the cable it has, behind a device for that cable: advice at most.
    let findings = expect(EU, &inverter("guard", "bond-switched").replace("fuse F1 250A", "fuse F1 200A"), &[]);
    assert!(findings.iter().any(|f| f.rule.slug == "inverter-device" && f.severity == Severity::Advice));
    // Less than the device holds at nominal voltage is no advice any more.
    expect(EU, &inverter("guard", "bond-switched").replace("fuse F1 250A", "fuse F1 150A"), &["inverter-device"]);
    // A tap of 4 mm2 to a branch fuse within three metres (IEC 60364-4-43 433.2.2), and one that is longer. One of
    // 1.5 mm2 does not stand the short until the main device opens: k² S² = 115² x 1.5² = 29 800 A²s, and 80 A at three
    // to four times takes longer than 0.4 s.
    let tap = |m: &str, size: &str| {
        dc(&format!(
            "dc-load fan: 2A\nrun pos : {m} {size}, fuse T 5A blade, 1m 1.5mm2, fan.+\nrun neg : 2m 1.5mm2, fan.-\n"
        ))
    };
    expect(EU, &tap("2.5m", "6mm2"), &[]);
    expect(EU, &tap("2.5m", "1.5mm2"), &["fault-clearing"]);
    expect(EU, &tap("3.5m", "6mm2"), &["device-oversized"]);
    expect(NA, &tap("0.4m", "6mm2"), &[]);
}

#[test]
fn mains_cables_carry_what_their_devices_let_through() {
    // NFPA 70 table 310.16 at 60 C and 240.4(D): 14 AWG 15 A, 12 AWG 20 A, 10 AWG 30 A.
    let rig = |way: &str, size: &str, inlet: &str| {
        format!(
            "inlet shore: 120V {inlet}\npanel p: main {inlet}, way a {way}\noutlet o\ncable W1 3x10AWG 3m shore -> p.main\ncable W2 3x{size} 4m p.a -> o\n"
        )
    };
    for (way, size) in [("15A", "14AWG"), ("20A", "12AWG"), ("30A", "10AWG")] {
        expect(NA, &rig(way, size, "30A"), &[]);
    }
    expect(NA, &rig("20A", "14AWG", "30A"), &["device-oversized"]);
    // A 30 A path on a 50 A supply: only the supply's breaker protects cord and inlet.
    let cord = rig("15A", "14AWG", "50A");
    let findings = expect(NA, &cord, &["cable-ampacity"]);
    assert!(findings[0].evidence.iter().any(|e| e.contains("50 A")), "{:?}", findings[0].evidence);
    // BS 7671 section 721 (recalled): no fixed conductor below 1.5 mm2.
    let thin = MAINS.replace("W3 3x1.5mm2", "W3 3x1mm2");
    expect(EU, &dc(&format!("{LAMP}{thin}")), &["cable-minimum"]);
}

#[test]
fn earth_is_a_conductor_and_neutral_is_not_its_bar() {
    // The earth of one socket on the neutral bar, and of another not landed.
    let swapped = MAINS.replace("cu.a -> galley", "cu.a -> galley (N>PE PE>N)");
    expect(EU, &dc(&format!("{LAMP}{swapped}")), &["bond-away"]);
    let lost = MAINS.replace("cu.b -> desk", "cu.b -> desk (PE>-)");
    expect(EU, &dc(&format!("{LAMP}{lost}")), &["earth-missing"]);
    // A rod in the ground takes its place no more than the chassis does.
    expect(EU, &dc(&format!("{LAMP}{lost}electrode rod\nrun desk.ac.PE : 2m 6mm2, rod\n")), &["earth-missing"]);
    // The chassis not joined to the mains earth.
    expect(EU, &dc(&format!("{LAMP}{}", MAINS.replace("run cu.PE : 1m 6mm2, frame\n", ""))), &["chassis-bond"]);
}

#[test]
fn two_hots_by_the_book_and_not() {
    // 50 A, 120/240 V: 6 AWG (60 C 55 A), a dryer between the hots, a kitchen of two hots on one neutral.
    let rig = |inlet: &str, leg: &str| {
        format!(
            "inlet shore: 120V 50A {inlet}\npanel p: two-hot main 50A, way dryer 30A both-legs, way a 20A leg1, way b 20A {leg}\nac-load dryer: 4800W two-hot\n\
             outlet left\noutlet right\nbus splice\ncable W1 4x6AWG 4m shore -> p.main\ncable W2 4x10AWG 5m p.dryer -> dryer\n\
             run p.a : 5m 12AWG, left.ac.L\nrun p.b : 5m 12AWG, right.ac.L\nrun p.N : 4m 12AWG, splice\nrun splice : 1m 12AWG, left.ac.N\nrun splice : 1m 12AWG, right.ac.N\n\
             run p.PE : 5m 12AWG, left.ac.PE\nrun p.PE : 5m 12AWG, right.ac.PE\n"
        )
    };
    expect(NA, &rig("two-hot", "leg2"), &[]);
    expect(NA, &rig("two-hot", "leg1"), &["neutral-shared"]);
    expect(NA, &rig("in-phase", "leg2"), &["neutral-shared"]);
    // The neutral of the supply lost at the panel: keep off.
    let lost =
        expect(NA, &rig("two-hot", "leg2").replace("shore -> p.main", "shore -> p.main (N>-)"), &["neutral-lost"]);
    assert_eq!(lost[0].severity, Severity::KeepOff);
    // The hots swapped at one end are as good as before.
    expect(NA, &rig("two-hot", "leg2").replace("shore -> p.main", "shore -> p.main (L>L2 L2>L)"), &[]);
    // A link between the hot bars is a dead short of twice the voltage.
    let joined = format!("{}run p.hot : 0.1m 6AWG, p.hot2\n", rig("two-hot", "leg2"));
    assert!(expect(NA, &joined, &["legs-joined"]).iter().any(|f| f.severity == Severity::KeepOff));
}

#[test]
fn small_trailers_and_their_couplings() {
    let rig = |charge: &str| {
        format!(
            "place tongue: outside\nbattery house in tongue: agm 12V 80Ah internal 5mohm\nchassis frame\nrun house.- : 0.3m 8AWG, frame\ntow hitch: 30A\nrun hitch.- : 1m 10AWG, frame\n{charge}\
             run house.+ : 0.15m 10AWG, fuse F1 30A terminal, 0.1m 10AWG, isolator S1 50A, 3m 10AWG, dc.in\nrun frame : 3m 10AWG, dc.-\nfuse-block dc: 30A, way lights 10A, way fan 5A\n\
             dc-load lights: 2A\ndc-load fan: 2A\nrun dc.lights : 8ft 14AWG, lights.+\nrun dc.- : 8ft 14AWG, lights.-\nrun dc.fan : 6ft 16AWG, fan.+\nrun dc.- : 6ft 16AWG, fan.-\n\
             dc-load brakes: 12A vital\nrun house.+ : 0.15m 12AWG, fuse BF 20A terminal, 0.2m 12AWG, isolator pin 20A, 1.5m 12AWG, brakes.+\nrun brakes.- : 1m 12AWG, frame\n"
        )
    };
    // The charge line has a device in the tow vehicle and one at the battery.
    let both = "run hitch.+ : 2m 10AWG, breaker TB 30A dc-rated breaking 5kA, 0.2m 10AWG, house.+\n";
    let findings = expect(NA, &rig(both), &[]);
    assert!(findings.iter().any(|f| f.rule.slug == "pins-live" && f.severity == Severity::Advice));
    // Without the one at the battery the line is bare from there to the coupling.
    expect(NA, &rig("run hitch.+ : 2.2m 10AWG, house.+\n"), &["overcurrent-missing"]);
    // What is in the tow vehicle was not seen: a bare line from there on, possibly.
    let unseen = expect(NA, &rig(both).replace("tow hitch: 30A", "tow hitch: ?"), &["device-too-far"]);
    assert!(
        unseen
            .iter()
            .any(|f| f.rule.slug == "device-too-far" && f.certainty == murvet_core::rules::Certainty::Possible)
    );
}

#[test]
fn lithium_in_the_cabin_and_chargers_for_another_battery() {
    let rig = |zone: &str, chemistry: &str, charger: &str| {
        format!(
            "place box: {zone}\nbattery house in box: {chemistry} 12V 100Ah internal 5mohm\nchassis frame\nrun house.- : 0.3m 16mm2 90C, frame\ninlet shore: 230V 10A\nrcbo g: 10A 30mA 2-pole\n\
             charger c: 20A {charger}\ncable W1 3x2.5mm2 1m shore -> g\ncable W2 3x2.5mm2 1m g -> c\nrun c.dc+ : 0.5m 6mm2 90C, isolator S 50A, 0.2m 6mm2 90C, fuse G 30A terminal, 0.2m 6mm2 90C, house.+\nrun c.dc- : 0.5m 6mm2 90C, frame\nrun g.PE : 1m 6mm2, frame\n"
        )
    };
    // au-nz: lithium is enclosed from the living space (AS/NZS 3001.2:2022, recalled in outline).
    expect(AU, &rig("cabin", "lifepo4", "14.2V"), &["battery-place"]);
    expect(AU, &rig("bay", "lifepo4", "14.2V"), &[]);
    expect(EU, &rig("cabin", "lifepo4", "14.2V"), &[]);
    expect(EU, &rig("cabin", "flooded", "14.4V"), &["battery-place"]);
    // An equalising charger of 15.5 V on lithium.
    expect(EU, &rig("bay", "lifepo4", "15.5V"), &["charge-voltage"]);
    // A fixed 13.6 V converter fills nothing: advice.
    let low = expect(EU, &rig("bay", "agm", "13.6V"), &[]);
    assert!(low.iter().any(|f| f.rule.slug == "charge-voltage" && f.severity == Severity::Advice));
    // A spark in the gas locker.
    expect(EU, &rig("gas", "agm", "14.4V"), &["battery-place"]);
}

#[test]
fn banks_of_48_volts_need_devices_for_58() {
    let rig = |fuse: &str, inverter: &str| {
        format!(
            "battery house: lifepo4 51.2V 100Ah internal 20mohm\nchassis frame\nrun house.- : 0.3m 35mm2 90C, bus neg\nrun neg : 0.3m 16mm2, frame\nrun house.+ : 0.2m 35mm2 90C, fuse F1 125A {fuse}, 0.5m 35mm2 90C, isolator S 150A, 0.5m 35mm2 90C, inv.dc+\n\
             inverter inv: {inverter} dc 48V ac 230V bond-none isolated\nrun neg : 1m 35mm2 90C, inv.dc-\nrun inv.case : 0.5m 16mm2, frame\nsocket o\ncable W 3x6mm2 2m inv -> o\n"
        )
    };
    expect(EU, &rig("class-t", "3000W"), &[]);
    // A 32 V vehicle fuse on a bank that is charged to 58.4 V.
    assert!(
        expect(EU, &rig("bolt-down", "3000W"), &["device-voltage", "breaking-capacity"])
            .iter()
            .any(|f| f.statement.contains("58.4 V"))
    );
    // 5000 W at 42 V and 85 %: 140 A, more than the device holds at nominal voltage too (123 A is tight).
    let tight = expect(EU, &rig("class-t", "5000W"), &[]);
    assert!(tight.iter().any(|f| f.rule.slug == "inverter-device" && f.severity == Severity::Advice), "{tight:?}");
    expect(EU, &rig("class-t", "6000W"), &["inverter-device"]);
}
