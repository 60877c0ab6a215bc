//! Pairs of rigs around what charges: arrays, controllers, DC-DC chargers, their settings and sockets, and the devices ahead
//! of them. Each broken rig differs from the sound one in one place. Expected values are by hand or from the named source.

mod common;

use common::{judge, pair, tells};
use murvet_core::audit::Audit;
use murvet_core::capacity::running;
use murvet_core::devices::band;
use murvet_core::profiles::ProfileId;
use murvet_core::profiles::{Duty, Laid, ampacity};
use murvet_core::rules::Certainty::{Certain, Possible};

/// A bank with a controller and what its input is to hang on.
fn solar(rest: &str) -> String {
    format!(
        "battery house: lifepo4 12.8V 200Ah\ncontroller m: 30A 50V\nrun m.bat+ : 0.5m 16mm2, fuse F 40A class-t, 0.2m 16mm2, house.+\nrun m.bat- : 0.7m 16mm2, house.-\n{rest}"
    )
}

#[test]
fn arrays_entered_one_by_one_are_one_string_or_several() {
    // NFPA 70 table 690.7(A), recalled: 1.18 at -20 C. 2 x 21.5 V x 1.18 = 50.7 V on 50 V, 2 x 21 V x 1.18 = 49.6 V.
    let series = solar(
        "array a: 5A {21.5V|21V} coldest -20C\narray b: 5A {21.5V|21V} coldest -20C\nrun a.+ : 2m 6mm2, isolator S 20A, 1m 6mm2, m.pv+\nrun b.+ : 1m 6mm2, a.-\nrun b.- : 3m 6mm2, m.pv-\n",
    );
    let f = tells(ProfileId::EU_UK, "array-voltage", "a", Certain, &series);
    assert!(f.statement.contains("50.7 V"), "{}", f.statement);
    assert!(!judge(&pair(&series).1, ProfileId::EU_UK).findings.iter().any(|f| f.rule.slug == "conductors-crossed"));
    // 12 A and 5 A in one string give 5 A; 40 V beside 22 V.
    let unlike = solar(
        "array a: {12A|5A} 20V\narray b: 5A 20V\nrun a.+ : 2m 6mm2, isolator S 20A, 1m 6mm2, m.pv+\nrun b.+ : 1m 6mm2, a.-\nrun b.- : 3m 6mm2, m.pv-\n",
    );
    tells(ProfileId::EU_UK, "array-unlike", "a>b", Certain, &unlike);
    let beside = solar(
        "array a: 5A {40V|22V}\narray b: 5A 22V\nrun a.+ : 2m 6mm2, isolator S 20A, 1m 6mm2, m.pv+\nrun b.+ : 1m 6mm2, S.in\nrun a.- : 3m 6mm2, m.pv-\nrun b.- : 3m 6mm2, m.pv-\n",
    );
    tells(ProfileId::EU_UK, "array-unlike", "a>b", Certain, &beside);
    // Three arrays beside each other are three strings: (18 A - 6 A) x 1.25 = 15 A into one.
    let three = |third: &str| {
        solar(&format!(
            "array a: 6A 22V\narray b: 6A 22V\narray c: 6A 22V\nbus top\nbus low\nrun a.+ : 2m 6mm2, top\nrun b.+ : 2m 6mm2, top\nrun c.+ : 2m 6mm2, {third}\nrun a.- : 2m 6mm2, low\nrun b.- : 2m 6mm2, low\nrun c.- : 2m 6mm2, low\nrun top : 1m 6mm2, isolator S 30A, 1m 6mm2, m.pv+\nrun low : 1m 6mm2, m.pv-\n"
        ))
    };
    let f = tells(ProfileId::EU_UK, "array-strings", "a", Certain, &three("{top|fuse G 10A gg, 0.1m 6mm2, top}"));
    assert!(f.evidence[0].contains("= 15 A into one string"), "{:?}", f.evidence);
    // NFPA 70 690.8, recalled: 2 x 12 A x 1.25 x 1.25 = 37.5 A behind the bar, half of it ahead; 12 AWG may have 20 A.
    let bar = |trunk: &str| {
        solar(&format!(
            "array a: 12A 22V\narray b: 12A 22V\nbus top\nbus low\nrun a.+ : 2m 12AWG, top\nrun b.+ : 2m 12AWG, top\nrun a.- : 2m 8AWG, low\nrun b.- : 2m 8AWG, low\nrun top : 1m {trunk}, isolator S 40A, 1m 8AWG, m.pv+\nrun low : 1m 8AWG, m.pv-\n"
        ))
    };
    let f = tells(ProfileId::NA_RV, "array-current", "top--S.in", Certain, &bar("{10AWG|8AWG}"));
    assert!(f.statement.contains("37.5 A"), "{}", f.statement);
    assert!(!judge(&pair(&bar("8AWG")).1, ProfileId::NA_RV).findings.iter().any(|f| f.rule.slug == "array-current"));
}

#[test]
fn one_controller_stands_between_an_array_and_a_battery() {
    let direct = "battery house: agm 12V 100Ah\narray a: 5A 22V\ncontroller m: 10A 50V\nrun a.+ : 2m 4mm2, isolator S 20A, 1m 4mm2, {fuse F 10A blade, 0.2m 4mm2, house.+|m.pv+}\nrun a.- : 3m 4mm2, {house.-|m.pv-}\nrun m.bat+ : 0.5m 4mm2, fuse G 10A blade, 0.2m 4mm2, house.+\nrun m.bat- : 0.7m 4mm2, house.-\n";
    tells(ProfileId::EU_UK, "array-direct", "a", Certain, direct);
    // A portable panel with a controller of its own, plugged in ahead of that of the rig.
    let two = solar(
        "array a: 5A 22V\ncontroller own: 10A 50V\ndc-socket s: 20A female\nrun a.+ : 0.5m 4mm2, {own.pv+|s}\nrun a.- : 0.5m 4mm2, {own.pv-|s.N.in}\nrun s.out : 1m 4mm2, m.pv+\nrun s.N.out : 1m 4mm2, m.pv-\n{run own.bat+ : 1m 4mm2, s.in|}\n{run own.bat- : 1m 4mm2, s.N.in|}\n",
    );
    tells(ProfileId::EU_UK, "array-direct", "m", Certain, &two);
    // Pins on the half that a battery feeds; shrouded, or unseen.
    let socket = |pins: &str| {
        format!(
            "battery house: agm 12V 100Ah\narray a: 5A 22V\ncontroller m: 10A 50V\nrun a.+ : 0.5m 4mm2, m.pv+\nrun a.- : 0.5m 4mm2, m.pv-\nrun m.bat+ : 1m 4mm2, dc-socket s 20A {pins}, 1m 4mm2, fuse F 15A blade, 0.2m 4mm2, house.+\nrun m.bat- : 1m 4mm2, s.N.in\nrun s.N.out : 1m 4mm2, house.-\n"
        )
    };
    tells(ProfileId::EU_UK, "pins-live", "s", Certain, &socket("{male|female}"));
    tells(ProfileId::EU_UK, "pins-live", "s", Possible, &socket("{|female}"));
}

/// A DC-DC charger from the starter battery, and a maintainer back to it.
fn ring(up: &str, back: &str, rest: &str) -> String {
    format!(
        "battery start: agm 12V 80Ah starter\nbattery house: lifepo4 12.8V 200Ah\ndcdc up: 30A 14.2V isolated {up}\ndcdc back: 5A 13.8V isolated {back}\nrun start.+ : 0.2m 10mm2, fuse A 50A class-t, 3m 10mm2, up.in+\nrun start.- : 3m 10mm2, up.in-\nrun house.+ : 0.2m 10mm2, fuse B 50A class-t, 1m 10mm2, up.out+\nrun house.- : 1m 10mm2, up.out-\nrun house.+ : 0.2m 4mm2, fuse C 10A class-t, 1m 4mm2, back.in+\nrun house.- : 1m 4mm2, back.in-\nrun start.+ : 0.2m 4mm2, fuse D 10A class-t, 3m 4mm2, back.out+\nrun start.- : 3m 4mm2, back.out-\n{rest}"
    )
}

#[test]
fn a_charger_that_starts_by_voltage_or_by_a_wire_runs_when_that_is_there() {
    // Started by the voltage that the maintainer holds up, a round never ends; two such hold each other up.
    tells(ProfileId::EU_UK, "charger-loop", "up", Certain, &ring("by-voltage", "{always|out-of-use}", ""));
    tells(ProfileId::EU_UK, "charger-loop", "up", Certain, &ring("by-voltage", "{by-voltage|out-of-use}", ""));
    let alone = judge(&ring("by-voltage", "out-of-use", ""), ProfileId::EU_UK);
    let runs = |a: &Audit, s: usize| {
        let of = |i: &usize| {
            a.assumed.components[a.net.sources[*i].component].id == "up" && a.states.states[s].live.active[*i]
        };
        (0..a.net.sources.len()).any(|i| of(&i))
    };
    assert!(!runs(&alone, 0), "a resting battery starts nothing");
    // A wire on its terminal: off the house bars it is live for good, behind a switch while that is closed.
    let wired = |from: &str| format!("run {from} : 1m 2.5mm2, up.signal\n");
    let live = judge(&ring("trigger", "out-of-use", &wired("B.in")), ProfileId::EU_UK);
    assert!(runs(&live, 0));
    let none = judge(&ring("trigger", "out-of-use", ""), ProfileId::EU_UK);
    assert!(runs(&none, 0), "what holds it off was not seen");
    let keyed = judge(
        &ring(
            "trigger",
            "out-of-use",
            "alternator alt: 100A\nrelay key: 10A engine\nrun alt.+ : 1m 35mm2 cranking, start.+\nrun alt.- : 1m 35mm2 cranking, start.-\nrun A.out : 0.3m 2.5mm2, key, 1m 2.5mm2, up.signal\n",
        ),
        ProfileId::EU_UK,
    );
    assert!(!runs(&keyed, 0) && (1..keyed.states.states.len()).any(|s| runs(&keyed, s)));
}

#[test]
fn settings_of_everything_that_charges_are_judged() {
    // A full 12 V AGM battery rests at 13 V by the table; started at 12.6 V the charger runs it flat.
    tells(
        ProfileId::EU_UK,
        "thresholds-order",
        "up",
        Certain,
        &ring("by-voltage start {12.6V|13.3V}", "out-of-use", ""),
    );
    let set = |more: &str| {
        solar(&format!(
            "array a: 5A 22V\nrun a.+ : 2m 4mm2, isolator S 20A, 1m 4mm2, m.pv+\nrun a.- : 3m 4mm2, m.pv-\n{more}"
        ))
        .replace("controller m: 30A 50V", "controller m: 30A 50V SET")
    };
    // 12.8 V x 1.141 = 14.6 V.
    tells(ProfileId::EU_UK, "charge-voltage", "m>house", Possible, &set("").replace("SET", "absorption {15.2V|14.2V}"));
    tells(
        ProfileId::EU_UK,
        "thresholds-order",
        "m",
        Certain,
        &set("").replace("SET", "float 13.4V rebulk {13.6V|12.9V}"),
    );
    tells(
        ProfileId::EU_UK,
        "thresholds-order",
        "m",
        Certain,
        &set("").replace("SET", "absorption {13.4V|14.2V} float 13.6V"),
    );
    // Two of 30 A into a bank that may have 50 A, unless one is set lower.
    let sum = set("charger c: 30A 14.2V {|current-limit 20A}\ninlet shore: 230V 16A\ncable W 3x2.5mm2 2m shore -> c\nrun c.dc+ : 0.5m 16mm2, fuse G 40A class-t, 0.2m 16mm2, house.+\nrun c.dc- : 0.7m 16mm2, house.-\n")
        .replace("SET", "")
        .replace("200Ah", "200Ah charge-limit 50A");
    tells(ProfileId::EU_UK, "charge-sum", "house", Certain, &sum);
    // A 32 V blade fuse on a bank of 25.6 V, beside a charger of 33 V.
    let high = "battery house: lifepo4 25.6V 100Ah absorption 28.4V\ndc-load x: 5A 24V\ninlet shore: 230V 16A\ncharger c: 10A {33V|28.4V}\ncable W 3x2.5mm2 2m shore -> c\nrun house.+ : 0.2m 6mm2, fuse F 20A class-t, 1m 6mm2, c.dc+\nrun house.- : 1m 6mm2, c.dc-\nrun F.out : 0.1m 6mm2, fuse G 10A blade, 1m 2.5mm2, x.+\nrun house.- : 1m 2.5mm2, x.-\n";
    tells(ProfileId::EU_UK, "device-voltage", "G", Certain, high);
}

/// What the supply and the unit give with a kettle on, A.
fn given(unit: &str) -> Vec<(String, f64)> {
    let audit = judge(
        &format!(
            "inlet shore: 120V 30A\nbattery house: lifepo4 12.8V 300Ah\ninverter-charger u: 2400W relay 50A dc 12V ac 120V bond-switched isolated neutral-switched 50A {unit}\npanel p: main 30A, way k 20A\nac-load kettle: 1800W\ncable W1 3x6AWG 2m shore -> u.in\ncable W2 3x10AWG 2m u.out -> p.main\ncable W3 3x12AWG 2m p.k -> kettle\nrun house.+ : 0.2m 4/0AWG, fuse F 300A class-t, 1m 4/0AWG, u.dc+\nrun house.- : 1m 4/0AWG, u.dc-\n"
        ),
        ProfileId::NA_RV,
    );
    // Where it only passes shore through, on and off are one state.
    let words = |s: &&murvet_core::states::State| s.describe(&audit.net);
    let on_shore = || audit.states.states.iter().filter(|s| words(s).contains("on shore"));
    let state = on_shore().find(|s| words(s).contains("u on")).or(on_shore().next()).expect("on shore");
    running(&audit, state, &["kettle"]).sources.into_iter().map(|s| (s.name, s.amps)).collect()
}

#[test]
fn an_input_limit_holds_back_the_charger_and_with_assist_the_supply() {
    let of = |list: &[(String, f64)], name: &str| list.iter().find(|s| s.0.contains(name)).map_or(0.0, |s| s.1);
    let near = |a: f64, b: f64| (a - b).abs() < 0.05;
    // 1800 W / 120 V = 15 A; the charger's 50 A x 14.4 V / 0.85 / 120 V = 7.06 A comes on top.
    assert!(near(of(&given(""), "shore"), 22.06), "{:?}", given(""));
    // Set to draw 20 A, 5 A are left for it.
    assert!(near(of(&given("input-limit 20A"), "shore"), 20.0));
    // Set to charge with 20 A: 20 x 14.4 / 0.85 / 120 = 2.82 A.
    assert!(near(of(&given("current-limit 20A"), "shore"), 17.82));
    // With assist, set to 10 A: the inverter gives the other 5 A.
    let helped = given("assist input-limit 10A");
    assert!(near(of(&helped, "shore"), 10.0) && near(of(&helped, "inverter-charger"), 5.0), "{helped:?}");
}

#[test]
fn brakes_of_a_breakaway_switch_are_live_when_its_pin_is_pulled_and_no_steady_load() {
    // A converter of 10 A, 9 A of lights, and brakes of 15 A: the balance holds without them.
    let rig = "battery house: agm 12V 100Ah\ncharger c: 10A 13.6V\ninlet shore: 230V 16A\ncable W 3x2.5mm2 2m shore -> c\nrun c.dc+ : 0.5m 6mm2, fuse G 20A class-t, 0.2m 6mm2, house.+\nrun c.dc- : 0.7m 6mm2, house.-\ndc-load lights: 9A\ndc-load brakes: 15A {|breakaway}\nrun G.in : 0.1m 4mm2, fuse L 15A blade, 1m 4mm2, lights.+\nrun house.- : 1m 4mm2, lights.-\nrun G.in : 0.1m 6mm2, fuse K 20A blade, 1m 6mm2, isolator pin 30A pull-pin, 2m 6mm2, brakes.+\nrun house.- : 3m 6mm2, brakes.-\n";
    assert!(
        judge(&rig.replace("pull-pin", "").replace("{|breakaway}", ""), ProfileId::EU_UK)
            .findings
            .iter()
            .any(|f| f.rule.slug == "dc-balance")
    );
    let audit = judge(&pair(rig).1, ProfileId::EU_UK);
    assert!(!audit.findings.iter().any(|f| f.rule.slug == "dc-balance"));
    let pulled = audit.states.states.iter().find(|s| s.way == ["pull the pin of pin"]).expect("the pin can be pulled");
    let brakes =
        audit.net.consumers.iter().find(|c| audit.assumed.components[c.component].id == "brakes").expect("there").plus;
    assert!(audit.states.states[0].live.sources_at(&audit.net, brakes).next().is_none());
    assert!(pulled.live.sources_at(&audit.net, brakes).next().is_some());
}

#[test]
fn devices_open_as_their_marking_and_their_current_have_it() {
    use murvet_core::catalogue::Kind;
    use murvet_core::rig::Component;
    // IEC 60898-2, recalled: on direct current B opens at once at 7, C at 15 times its rating.
    let c = band(&Component::new("b", Kind::Breaker).with("class", "curve-c"), 16.0);
    assert_eq!(c.latest_s(12.0), Some(0.1));
    assert_eq!(c.clone().on_dc().latest_s(12.0), Some(60.0));
    assert_eq!(c.on_dc().latest_s(15.0), Some(0.1));
    // IEC 60127-2, recalled: at 4 times its rating a quick cartridge opens within 0.3 s, a slow one within 5 s.
    let glass = |m: &str| band(&Component::new("f", Kind::Fuse).with("class", "glass").with("marking", m), 10.0);
    assert_eq!((glass("F10AL250V").latest_s(4.0), glass("T10AL250V").latest_s(4.0)), (Some(0.3), Some(5.0)));
    // A low one breaks 35 A or ten times its rating, whichever is more; 5 A: 50 A. 30 Ah of 90 mohm give 144 A at most.
    let rig = "battery b: agm 12V 30Ah internal 90mohm\ndc-load x: 2A\nrun b.+ : 0.1m 2.5mm2, fuse f 5A glass marking {F5AL250V|F5AH250V}, 1m 2.5mm2, x.+\nrun b.- : 1m 2.5mm2, x.-\n";
    tells(ProfileId::EU_UK, "breaking-capacity", "f", Certain, rig);
    // Two of one rating in a row on mains.
    let row = "inlet shore: 230V 16A\nrcbo r: 16A 30mA 2-pole curve-c\npanel p: 2-pole, way o {16A|10A}\nsocket o\ncable W1 3x2.5mm2 1m shore -> r\ncable W2 3x2.5mm2 1m r -> p.main\ncable W3 3x2.5mm2 1m p.o -> o\n";
    tells(ProfileId::EU_UK, "devices-in-series", "r>p way o", Certain, row);
}

#[test]
fn small_conductors_go_by_the_boat_code_where_that_was_chosen() {
    use murvet_core::profiles::{Choice, ProfileId};
    let chosen = |option: &str| {
        let reason = "the owner's insurer asks for it".to_owned();
        let choice =
            Choice { school: "small-sizes".to_owned(), option: option.to_owned(), reason, comment: Vec::new() };
        let p = ProfileId::NA_RV.profile().chosen(&[choice]);
        let laid = Laid { insulation_c: Some(105.0), ..Laid::plain(3.309) };
        ampacity(&p, Duty::Dc, &laid).iz_a
    };
    // NFPA 70 table 551.10(E)(1): 12 AWG 20 A; ABYC E-11, 105 C: 45 A (both recalled).
    assert!((chosen("rv-code") - 20.0).abs() < 0.01 && (chosen("boat-code") - 45.0).abs() < 0.5);
}

#[test]
fn a_cable_whose_far_end_was_not_seen_names_where_it_may_end() {
    let rig = |end: &str| {
        format!(
            "inlet shore: 230V 16A\npanel p: 2-pole main 16A rcd 30mA, way a 10A, way b 10A\nsocket o\nsocket spare\ncable W1 3x2.5mm2 1m shore -> p.main\ncable W2 3x1.5mm2 1m p.a -> o\ncable W3 3x1.5mm2 1m p.b -> {end}\n"
        )
    };
    let f = tells(ProfileId::EU_UK, "loose-end", "W3.L", Possible, &rig("{?|spare}"));
    let last = f.evidence.last().expect("says where");
    assert!(last.contains("spare") && !last.contains("outlet o"), "{last}");
    tells(ProfileId::EU_UK, "loose-end", "W3.L", Certain, &rig("{end bare|spare}"));
    // Neutral and earth on one bar, as found, can be entered on the cable.
    let bar = "inlet shore: 230V 16A\npanel p: 2-pole main 16A rcd 30mA, way a 10A\nsocket o\ncable W1 3x2.5mm2 1m shore -> p.main\ncable W2 3x1.5mm2 1m p.a -> o {(N>N PE>N)|}\n";
    tells(ProfileId::EU_UK, "bond-away", "W2", Certain, bar);
}

#[test]
fn what_takes_a_store_off_a_source_and_unlike_conductors_are_found_however_they_are_made() {
    // The lights hang on the controller's side: a breaker opened by hand takes the battery off as a switch does.
    let rig = solar(
        "array a: 5A 22V\ndc-load lights: 3A\nrun a.+ : 2m 4mm2, isolator S 20A, 1m 4mm2, m.pv+\nrun a.- : 3m 4mm2, m.pv-\nrun m.bat+ : 0.1m 2.5mm2, fuse L 5A blade, 1m 2.5mm2, lights.+\nrun house.- : 1m 2.5mm2, lights.-\n",
    );
    let broken =
        rig.replace("fuse F 40A class-t", "{breaker F 40A breaking 20kA dc-rated rated 60V|fuse F 40A class-t}");
    let f = tells(ProfileId::EU_UK, "source-without-store", "m", Certain, &broken);
    assert_eq!(f.way.last().map(String::as_str), Some("open F"));
    // 35 and 10 mm² of one length: 10 / 45 of 80 A, 18 A, and all of it once the other is open. (IEC 60228 class 5: 0.554 and
    // 1.91 ohm/km, 22 %.)
    let two = "battery house: lifepo4 12.8V 100Ah\ndc-load l: 60A\nrun house.+ : 0.2m 35mm2, fuse F 80A class-t, 0.2m 35mm2, isolator S 100A, 0.2m 35mm2, bus x\nrun x : 1m 35mm2, l.+\nrun x : 1m {10mm2|35mm2}, l.+\nrun house.- : 1m 35mm2, l.-\n";
    let f = tells(ProfileId::EU_UK, "parallel-conductors", "x--l.+#2", Certain, two);
    assert!(f.evidence.iter().any(|e| e.contains("takes 22 %")), "{:?}", f.evidence);
}

#[test]
fn a_finding_says_what_it_rests_on_that_nobody_saw() {
    let rests = |length: &str| {
        let text = format!(
            "battery b: agm 12V 100Ah\ndc-load l: 10A\nrun b.+ : 0.2m 4mm2, fuse F 15A blade, {length} 1.5mm2, l.+\nrun b.- : 6m 4mm2, l.-\n"
        );
        let audit = judge(&text, ProfileId::EU_UK);
        let drop = audit.findings.into_iter().find(|f| f.rule.slug == "cable-drop").expect("found");
        drop.evidence.iter().any(|e| e.starts_with("Rests on"))
    };
    assert!(rests("6m@told") && rests("6m@assumed") && !rests("6m@measured") && !rests("6m"));
}
