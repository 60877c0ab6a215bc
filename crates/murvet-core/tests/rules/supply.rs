//! Batteries, chargers, arrays and what can be taken off.

use super::*;

#[test]
fn each_source_can_be_taken_off() {
    breaks(
        EU,
        "battery-isolation",
        "house",
        Severity::Soon,
        &format!(
            "{BANK}dc-load pump: 5A\nrun house.+ : 0.1m 6mm2, fuse F 20A, {{|0.2m 6mm2, isolator S 50A, }}1m 6mm2, pump.+\nrun neg : 1m 6mm2, pump.-\n"
        ),
    );
    // Alarms may stay on; what else hangs ahead of the switch is listed.
    breaks(
        EU,
        "battery-isolation",
        "house",
        Severity::Advice,
        &format!(
            "{BANK}dc-load pump: 5A\ndc-load alarm: 0.2A {{|vital}}\nrun house.+ : 0.1m 6mm2, fuse F 20A, 0.2m 6mm2, bus pos\nrun pos : 0.2m 6mm2, isolator S 50A, 1m 6mm2, pump.+\nrun neg : 1m 6mm2, pump.-\nrun pos : 1m 6mm2, alarm.+\nrun neg : 1m 6mm2, alarm.-\n"
        ),
    );
    breaks(
        EU,
        "array-isolation",
        "pv",
        Severity::Soon,
        "array pv: isc 9A voc 22V\ncontroller c: 20A 50V\nrun pv.+ : 5m 6mm2, {|isolator S 20A, 0.3m 6mm2, }c.pv+\nrun pv.- : 5m 6mm2, c.pv-\n",
    );
}

#[test]
fn an_array_fits_its_controller_and_its_cable() {
    // NFPA 70 table 690.7(A): 1.18 at -20 C: 87 V x 1.18 = 102.7 V.
    let rig = |voc: &str, cold: &str| {
        format!(
            "array pv: isc 10A voc {voc} {cold}\ncontroller c: 30A 100V\nisolator S: 30A\nrun pv.+ : 5m 10AWG, S, 1m 10AWG, c.pv+\nrun pv.- : 5m 10AWG, c.pv-\n"
        )
    };
    let f = breaks(NA, "array-voltage", "pv", Severity::BeforeUse, &rig("87V", "coldest {-20C|0C}"));
    assert!(f.evidence[0].contains("103 V") && f.certainty == Certainty::Certain, "{:?}", f.evidence);
    let f = breaks(NA, "array-voltage", "pv", Severity::BeforeUse, &rig("{87V|80V}", ""));
    assert_eq!(f.certainty, Certainty::Possible, "the coldest morning is not stated");
    // 690.8: 20 A x 1.5625 = 31.25 A; 10 AWG has 30 A.
    breaks(
        NA,
        "array-current",
        "S.out--c.pv+",
        Severity::Soon,
        "array pv: isc {20A|19A} voc 40V\ncontroller c: 50A 100V\nisolator S: 50A\nrun pv.+ : 5m 8AWG, S, 1m 10AWG, c.pv+\nrun pv.- : 5m 8AWG, c.pv-\n",
    );
    breaks(
        EU,
        "alternator-bank",
        "house",
        Severity::Soon,
        &format!(
            "{}battery start: agm 12V 80Ah starter\nalternator alt: 120A\nrelay R: 200A engine\nrun alt.+ : 1m 25mm2 cranking, start.+\nrun alt.- : 0.2m 25mm2, frame\nrun start.- : 0.2m 25mm2, frame\nrun start.+ : 0.2m 25mm2, fuse A 100A, 2m 25mm2, R.in\nrun R.out : 0.5m 25mm2, fuse B 100A, 0.2m 25mm2, house.+\n",
            BANK.replace("lifepo4 12.8V", "{lifepo4|agm} 12.8V")
        ),
    );
}

#[test]
fn a_bank_is_of_one_kind_shares_alike_and_stands_where_it_may() {
    // Half a volt apart is still one system; more is not.
    let beside = |v: &str| {
        format!(
            "battery d: agm 17V 100Ah\nbattery e: agm {v} 100Ah\nrun d.+ : 0.1m 16mm2, e.+\nrun d.- : 0.1m 16mm2, e.-\n"
        )
    };
    assert!(of(&judge(&beside("17.5V"), EU), "battery-mixed").is_none());
    assert_eq!(of(&judge(&beside("17.6V"), EU), "battery-mixed").map(|f| f.severity), Some(Severity::KeepOff));
    let two = |other: &str, lead: &str| {
        format!(
            "battery a: agm 12V 100Ah internal 4mohm\nbattery b: {other}\ndc-load heater: 80A\nbus pos\nbus neg\nrun a.+ : 0.3m 25mm2, fuse A 100A, 0.1m 25mm2, pos\nrun b.+ : {lead} 25mm2, fuse B 100A, 0.1m 25mm2, pos\nrun a.- : 0.3m 25mm2, neg\nrun b.- : {lead} 25mm2, neg\nrun pos : 0.5m 50mm2, heater.+\nrun neg : 0.5m 50mm2, heater.-\n"
        )
    };
    breaks(EU, "battery-mixed", "a+b", Severity::BeforeUse, &two("{lifepo4|agm} 12V 100Ah", "0.3m"));
    breaks(EU, "battery-mixed", "a+b", Severity::KeepOff, &two("agm {24V|12V} 100Ah", "0.3m"));
    breaks(EU, "battery-mixed", "a+b", Severity::Advice, &two("agm 12V {60Ah|100Ah}", "0.3m"));
    // By hand: loop of a 4 + 0.7 m x 0.6896 = 4.483 mohm, of b with 6 m leads 4 + 12.1 m = 12.344 mohm. Shares as
    // conductances: 12.344 / 16.827 = 73 % of 80 A = 58.7 A against 40 A, 1.47 times (IEC 60028 copper at 20 C).
    let f = breaks(EU, "battery-sharing", "a", Severity::Soon, &two("agm 12V 100Ah internal 4mohm", "{6m|0.3m}"));
    assert!(f.statement.contains("58.7 A of the 80 A") && f.statement.contains("1.47 times"), "{}", f.statement);
    breaks(EU, "battery-place", "b", Severity::BeforeUse, "place p: {cabin|bay}\nbattery b in p: flooded 12V 100Ah\n");
    breaks(
        AU,
        "battery-place",
        "b",
        Severity::BeforeUse,
        "place p: {cabin|outside}\nbattery b in p: lifepo4 12.8V 100Ah\n",
    );
    breaks(EU, "battery-place", "S", Severity::KeepOff, "place p: {gas|locker}\nisolator S in p: 30A\n");
}

#[test]
fn chargers_fit_their_bank_one_by_one_and_together() {
    let charger = |bank: &str, volts: &str| {
        format!(
            "inlet s: 230V 16A\ncharger c: 20A {volts}\ncable W 3x1.5mm2 1m s -> c\nbattery b: {bank}\nrun c.dc+ : 0.3m 6mm2, fuse F 30A, 0.2m 6mm2, b.+\nrun c.dc- : 0.5m 6mm2, b.-\n"
        )
    };
    let f = breaks(
        EU,
        "charge-voltage",
        "c>b",
        Severity::BeforeUse,
        &charger("lifepo4 12.8V 100Ah absorption 14.2V", "{14.8V|14.2V}"),
    );
    assert_eq!(f.certainty, Certainty::Certain);
    let f = breaks(EU, "charge-voltage", "c>b", Severity::BeforeUse, &charger("gel 12V 100Ah", "{14.8V|14.2V}"));
    assert_eq!(f.certainty, Certainty::Possible, "by chemistry only");
    // An iron-phosphate battery that is called 12 V has four cells for 12.8 V: 14.4 V is right for it.
    let called = judge(&charger("lifepo4 12V 100Ah", "14.4V"), EU);
    assert!(of(&called, "charge-voltage").is_none(), "{:?}", of(&called, "charge-voltage"));
    // A fixed 13.6 V converter underfills (common practice).
    breaks(EU, "charge-voltage", "c>b", Severity::Advice, &charger("agm 12V 100Ah", "{13.6V|14.4V}"));
    breaks(
        EU,
        "charge-sum",
        "b",
        Severity::BeforeUse,
        &format!(
            "{}array pv: isc 9A voc 22V\ncontroller m: {{35A|30A}} 50V\nrun pv.+ : 3m 6mm2, m.pv+\nrun pv.- : 3m 6mm2, m.pv-\nrun m.bat+ : 0.3m 10mm2, fuse G 40A, 0.2m 10mm2, b.+\nrun m.bat- : 0.3m 10mm2, b.-\n",
            charger("lifepo4 12.8V 100Ah charge-limit 50A", "14.2V")
        ),
    );
    breaks(
        EU,
        "discharge-limit",
        "b",
        Severity::Soon,
        "battery b: lifepo4 12.8V 100Ah {x1|x3} parallel discharge 100A\ninverter i: 1500W dc 12V ac 230V bond-none\nrun b.+ : 0.2m 70mm2, fuse F 200A class-t, 1m 70mm2, i.dc+\nrun b.- : 1m 70mm2, i.dc-\n",
    );
}

#[test]
fn what_can_be_on_together_is_added_up() {
    // 30 A service: air-conditioner 13, microwave 13, dryer 12: too much (common practice).
    let f = breaks(
        NA,
        "load-sum",
        "s",
        Severity::Advice,
        "inlet s: 120V 30A\npanel p: main 30A, way a 20A, way b 20A, way c 15A\nac-load air: 13A\nac-load micro: 13A\nac-load dryer: {12A|3A}\ncable W 3x10AWG 1m s -> p.main\ncable A 3x12AWG 1m p.a -> air\ncable B 3x12AWG 1m p.b -> micro\ncable C 3x14AWG 1m p.c -> dryer\n",
    );
    assert!(f.evidence.last().is_some_and(|e| e.contains("38 A > 30 A")), "{:?}", f.evidence);
}

#[test]
fn settings_stand_in_an_order_that_leaves_a_way_out() {
    let set = |inverter: &str, charger: &str, battery: &str| {
        format!(
            "battery house: lifepo4 12.8V 100Ah x2 series low-cut 11V high-cut 14.6V {battery}\nrun house.b2.- : 0.5m 50mm2, neg\nrun house.+ : 0.2m 50mm2 90C, fuse F 100A class-t, 0.5m 50mm2, inv.dc+\nbus neg\nrun neg : 0.5m 50mm2, inv.dc-\n\
            inverter inv: 1000W dc 24V bond-switched isolated {inverter}\ninlet s: 10A\ncharger c: 10A {charger}\ncable W 3x2.5mm2 1m s -> c\nrun c.dc+ : 0.5m 6mm2, fuse G 15A, 0.2m 6mm2, house.+\nrun c.dc- : 0.5m 6mm2, neg\n"
        )
    };
    let sound = "warning 23.5V cut-off 23V restart 25.6V";
    let order = |subject: &str, severity, inverter: &str, charger: &str| {
        breaks(EU, "thresholds-order", subject, severity, &set(inverter, charger, ""));
    };
    // The management of two in series opens at 22 V and at 29.2 V.
    order("inv", Severity::Soon, &format!("{{warning 22.5V cut-off 21.5V restart 25.6V|{sound}}}"), "28.4V float 27V");
    order("inv", Severity::Advice, &format!("{{warning 22.8V cut-off 23V restart 25.6V|{sound}}}"), "28.4V float 27V");
    order("inv", Severity::Soon, &format!("{{warning 23.5V cut-off 23V restart 22.9V|{sound}}}"), "28.4V float 27V");
    order("inv", Severity::Soon, &format!("{{warning 23.5V cut-off 23V restart 27.2V|{sound}}}"), "28.4V float 27V");
    order("c", Severity::Soon, sound, "{29.3V|28.4V} float 27V");
}

#[test]
fn a_bank_its_management_and_its_monitor_see_everything() {
    let bank = |more: &str| format!("{BARS}run house.- : 0.3m 50mm2 90C, neg\n{more}");
    breaks(
        EU,
        "management-ignored",
        "house",
        Severity::Soon,
        &bank("inlet s: 10A\ncharger c: 20A 14.2V {|listens}\ncable W 3x2.5mm2 1m s -> c\nrun c.dc+ : 0.5m 6mm2, fuse G 30A, 0.2m 6mm2, pos\nrun c.dc- : 0.5m 6mm2, neg\n")
            .replace("lifepo4 12.8V 200Ah", "lifepo4 12.8V 200Ah management-signal"),
    );
    // A load on the battery's side of the shunt, or nothing behind it.
    let shunt = |load: &str| {
        format!(
            "{BARS}run house.- : 0.3m 50mm2 90C, shunt sh 300A, 0.2m 50mm2 90C, neg\ndc-load fan: 3A\nrun pos : 0.2m 2.5mm2, fuse G 10A, 1m 2.5mm2, fan.+\n{load}"
        )
    };
    breaks(EU, "shunt-bypassed", "sh", Severity::Advice, &shunt("run fan.- : 1m 2.5mm2, {house.-|neg}\n"));
    breaks(
        EU,
        "shunt-bypassed",
        "sh",
        Severity::Advice,
        &format!("{BARS}run house.- : 0.3m 50mm2 90C, neg\nrun neg : 0.2m 50mm2 90C, shunt sh 300A{{|, 0.5m 2.5mm2, fan.-}}\ndc-load fan: 3A\nrun pos : 0.2m 2.5mm2, fuse G 10A, 1m 2.5mm2, fan.+\n").replace("shunt sh 300A, 0.5m", "shunt sh 300A, 0.5m"),
    );
    // An electronic load-disconnect between the bank and an inverter.
    let gate = "load-disconnect ld: 250A\ninverter inv: 1000W dc 12V bond-none isolated\ndc-load fan: 3A\nrun neg : 0.5m 50mm2 90C, inv.dc-\nrun neg : 1m 2.5mm2, fan.-\nrun pos : 0.3m 50mm2 90C, ld, 0.3m 50mm2 90C, {inv.dc+|far}\nbus far\nrun far : 0.2m 2.5mm2, fuse G 10A, 1m 2.5mm2, fan.+\nrun pos : 0.3m 50mm2 90C, inv.dc+\n";
    let f = judge(&bank(&pair(gate).0.replace("run pos : 0.3m 50mm2 90C, inv.dc+\n", "")), EU);
    assert_eq!(of(&f, "load-disconnect-place").map(|f| f.severity), Some(Severity::Soon));
    assert!(of(&judge(&bank(&pair(gate).1), EU), "load-disconnect-place").is_none());
    // Links of 16 mm2 (70 C, ISO 13297: 90 A) behind 200 A.
    breaks(
        EU,
        "bank-link",
        "house",
        Severity::Soon,
        &bank("dc-load winch: 150A\nrun pos : 1m 70mm2 90C, winch.+\nrun neg : 1m 70mm2 90C, winch.-\n")
            .replace("200Ah", "100Ah x2 parallel links {16mm2|70mm2}"),
    );
    // 100 A each: with one open the other is asked 1000 W / 10.5 V / 0.85 = 112 A.
    let asked = |watts: &str| {
        let text = bank(&format!(
            "inverter inv: {watts} dc 12V bond-none isolated\nrun pos : 1m 50mm2 90C, inv.dc+\nrun neg : 1m 50mm2 90C, inv.dc-\n"
        ));
        of(&judge(&text.replace("200Ah", "100Ah x2 parallel discharge 100A"), EU), "discharge-limit")
            .map(|f| f.statement.clone())
    };
    assert!(asked("1000W").is_some_and(|s| s.contains("asked 112 A and may give 100 A")), "{:?}", asked("1000W"));
    assert_eq!(asked("850W"), None);
    breaks(
        EU,
        "source-without-store",
        "mppt",
        Severity::Advice,
        &bank(
            "array pv: isc 8A voc 22V\ncontroller mppt: 20A 50V\ndc-load fan: 3A\nrun pv.+ : 2m 6mm2, mppt.pv+\nrun pv.- : 2m 6mm2, mppt.pv-\nrun mppt.bat- : 0.5m 6mm2, neg\nrun neg : 1m 2.5mm2, fan.-\nrun pos : 0.2m 2.5mm2, fuse G 10A, 1m 2.5mm2, fan.+\nrun mppt.bat+ : 0.5m 6mm2, fuse H 30A, 0.2m 6mm2, {pos|house.+}\n",
        ),
    );
}

#[test]
fn what_safety_hangs_on_stays_alive_and_pins_are_dead() {
    let bank = format!(
        "{BARS}run house.- : 0.3m 50mm2 90C, neg\nchassis c\nrun neg : 0.3m 16mm2, c\ndc-load fan: 3A\nrun pos : 0.2m 2.5mm2, fuse G 10A, 1m 2.5mm2, fan.+\nrun neg : 1m 2.5mm2, fan.-\n"
    );
    breaks(
        EU,
        "vital-switched",
        "S1",
        Severity::Advice,
        &format!(
            "{bank}dc-load alarm: 0.1A vital\nrun {{pos|house.+}} : 0.1m 1.5mm2, fuse V 3A, 2m 1.5mm2, alarm.+\nrun alarm.- : 1m 1.5mm2, c\n"
        ),
    );
    // A switch of its own, such as the pin of a breakaway, takes off nothing else.
    assert!(of(&judge(&format!("{bank}dc-load brakes: 12A vital\nrun house.+ : 0.1m 4mm2, fuse V 20A, 0.2m 4mm2, isolator pin 20A, 1m 4mm2, brakes.+\nrun brakes.- : 1m 4mm2, c\n"), EU), "vital-switched").is_none());
    breaks(
        EU,
        "pins-live",
        "hitch",
        Severity::Advice,
        &format!(
            "{bank}tow hitch: 20A\nrun hitch.- : 1m 4mm2, c\nrun hitch.+ : 2m 4mm2, {{fuse T 20A|relay T 30A engine}}, 0.2m 4mm2, house.+\n"
        ),
    );
}

#[test]
fn energy_goes_where_it_is_meant() {
    let rig = "battery house: lifepo4 12.8V 200Ah\ninverter-charger u: 2000W dc 12V charge 50A shore-only neutral-switched bond-switched isolated\nrun house.+ : 0.2m 70mm2 90C, fuse F 250A class-t, 1m 70mm2 90C, u.dc+\nrun house.- : 1m 70mm2 90C, u.dc-\n\
        ac-load fridge: 1200W chooses-mains\ncable A 3x2.5mm2 1m {u.out|u.aux} -> fridge\n";
    breaks(EU, "heating-moves", "fridge", Severity::Soon, rig);
    let shore = "battery house: agm 12V 100Ah\ninlet s: 10A\ncharger c: {10A|30A} 14.4V\ncable W 3x2.5mm2 1m s -> c\nrun c.dc+ : 0.5m 10mm2, fuse G 40A, 0.2m 10mm2, house.+\nrun c.dc- : 0.5m 10mm2, house.-\ndc-load a: 12A\ndc-load b: 8A\nrun house.+ : 0.2m 6mm2, fuse A 20A, 1m 6mm2, a.+\nrun house.- : 1m 6mm2, a.-\nrun house.+ : 0.2m 6mm2, fuse B 20A, 1m 6mm2, b.+\nrun house.- : 1m 6mm2, b.-\n";
    let f = breaks(EU, "dc-balance", "house", Severity::Advice, shore);
    assert!(f.evidence.iter().any(|e| e == "a 12 A + b 8 A = 20 A > 10 A."), "{:?}", f.evidence);
    // Fact of the trade (common practice, no source): 48 ft of 8 AWG at 18 V and 1 kW lose 23 % at 75 C.
    let f = breaks(
        NA,
        "array-drop",
        "pv",
        Severity::Advice,
        "array pv: isc 60A voc 21.95V 1000W\ncontroller k: 60A 100V\nrun pv.+ : 48ft {8AWG|1/0AWG}, k.pv+\nrun pv.- : 48ft {8AWG|1/0AWG}, k.pv-\n",
    );
    assert!(f.statement.contains("(23 %)") || f.statement.contains("(23."), "{}", f.statement);
    // A third of an inverter is left for motor starts: 1500 W of 2000 W is more than two thirds.
    breaks(
        EU,
        "load-sum",
        "i",
        Severity::Advice,
        "battery b: agm 12V 200Ah\ninverter i: 2000W dc 12V bond-none isolated\nrun b.+ : 0.2m 70mm2 90C, fuse F 250A class-t, 1m 70mm2 90C, i.dc+\nrun b.- : 1m 70mm2 90C, i.dc-\nac-load kettle: {1500W|1300W}\ncable W 3x2.5mm2 1m i -> kettle\n",
    );
}
