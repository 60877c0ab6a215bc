//! Pairs of rigs on the mains side: neutrals that meet again, contactors, appliances with two needs, and the heat of a place.
//! Each broken rig differs from the sound one in one place. Expected values are by hand or from the named source.

mod common;

use common::{judge, pair, tells};
use murvet_core::capacity::running;
use murvet_core::faults::one_fault_away;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rules::Certainty::{Certain, Possible};

/// A panel on two hots, and a second one behind an inverter-charger; their neutral bars are joined as well.
fn two_panels(link: &str, main: &str) -> String {
    format!(
        "inlet shore: 120V 50A two-hot\ninverter-charger u: 3000W relay 50A dc 12V ac 120V in-phase bond-switched isolated neutral-common 20A\npanel p: two-hot main 50A, way u 50A both-legs, way air 20A leg2, way k 20A leg1\npanel sub: main {main}, way o 20A, way q 15A\nac-load air: 1600W\nac-load k: 1500W\noutlet o\noutlet q\ncable W1 4x6AWG 90C 4m shore -> p.main\ncable W2 4x6AWG 3m p.u -> u.in\ncable W3 3x6AWG 3m u.out -> sub.main\ncable W4 3x12AWG 3m p.air -> air\ncable W5 3x12AWG 3m p.k -> k\ncable W6 3x12AWG 3m sub.o -> o\ncable W7 3x14AWG 3m sub.q -> q\nrun p.N : 0.3m {link} white, sub.N\nbattery house: lifepo4 12.8V 300Ah\nrun house.+ : 0.2m 4/0AWG, fuse F 400A class-t, 1m 4/0AWG, u.dc+\nrun house.- : 1m 4/0AWG, u.dc-\n"
    )
}

#[test]
fn a_neutral_in_a_ring_carries_its_share_of_what_comes_back() {
    // What returns from the first panel goes straight to the inlet. Of the 30 A of the second the link of 0.3 m takes
    // 6 m / (6 m + its own), by chapter 9 table 8 6 m of 6 AWG 9.66 mohm, 0.3 m of 12 AWG 1.95 and of 10 AWG 1.22:
    // 0.832 x 30 = 25 A on 20 A, or 0.888 x 30 = 26.6 A on 30 A. The charger's 20 A x 14.4 V / 0.85 / 120 V = 2.82 A come in
    // half way round, so half of each share: 1.2 A more.
    let f = tells(ProfileId::NA_RV, "neutral-shared", "p.N--sub.N", Certain, &two_panels("{12AWG|10AWG}", "30A"));
    assert!(f.statement.contains("26.1 A"), "{}", f.statement);
    // Not held to 30 A it is given what its ways let through together, 20 A and 15 A: 0.888 x 35 = 31.1 A and 1.2.
    let f = tells(ProfileId::NA_RV, "neutral-shared", "p.N--sub.N", Certain, &two_panels("10AWG", "{50A|30A}"));
    assert!(f.statement.contains("32.3 A"), "{}", f.statement);
}

/// Two supplies on one panel, each behind a contactor.
fn contactors(interlock: &str) -> String {
    format!(
        "inlet shore: 230V 16A\ngenerator g: 230V 16A bond-fixed\nac-contactor K1: 20A 2-pole {interlock}\nac-contactor K2: 20A 2-pole {interlock}\npanel p: 2-pole main 16A rcd 30mA, way o 10A\nsocket o\ncable W1 3x2.5mm2 2m shore -> K1\ncable W2 3x2.5mm2 2m g -> K2\ncable W3 3x2.5mm2 2m K1 -> p.main\ncable W4 3x2.5mm2 2m K2 -> p.main\ncable W5 3x2.5mm2 2m p.o -> o\n"
    )
}

#[test]
fn two_contactors_exclude_each_other_by_an_interlock_alone() {
    tells(ProfileId::EU_UK, "ac-backfeed", "g", Certain, &contactors("{|interlock k}"));
    let away = |text: &str| {
        let list = one_fault_away(&judge(text, ProfileId::EU_UK));
        list.into_iter()
            .filter(|o| o.findings.iter().any(|f| f.rule.slug == "ac-backfeed"))
            .map(|o| o.fault)
            .collect::<Vec<_>>()
    };
    // A mechanical interlock holds although one of the two is welded; broken it holds nothing.
    assert_eq!(away(&contactors("interlock k")), ["the interlock k is broken"]);
    // The neutral of a contactor whose poles nobody counted may stay joined.
    let poles = "inlet shore: 230V 16A\ngenerator g: 230V 16A bond-fixed\nac-contactor K1: 20A {|2-pole} interlock k\nac-contactor K2: 20A 2-pole interlock k\npanel p: 2-pole main 16A rcd 30mA, way o 10A\nsocket o\ncable W1 3x2.5mm2 2m shore -> K1\ncable W2 3x2.5mm2 2m g -> K2\ncable W3 3x2.5mm2 2m K1 -> p.main\ncable W4 3x2.5mm2 2m K2 -> p.main\ncable W5 3x2.5mm2 2m p.o -> o\n";
    let keys: Vec<String> = judge(&pair(poles).0, ProfileId::EU_UK)
        .findings
        .iter()
        .map(|f| format!("{} {:?}", f.rule.slug, f.certainty))
        .collect();
    assert!(keys.iter().any(|k| k.ends_with("Possible")), "{keys:?}");
    // A coil on the other supply: this one closes on the generator, whatever its own line side does.
    let crossed = contactors("interlock k").replace("K1: 20A 2-pole", "K1: 20A 2-pole coil g");
    let audit = judge(&crossed, ProfileId::EU_UK);
    let on_shore = audit.states.states.iter().find(|s| s.way == ["plug shore into the shore supply"]);
    let o = audit
        .net
        .consumers
        .first()
        .map_or_else(|| audit.net.nodes.iter().position(|n| n.name == "o.ac.L").expect("there"), |c| c.plus);
    assert!(on_shore.is_none_or(|s| s.live.sources_at(&audit.net, o).next().is_none()), "its coil is dead on shore");
    assert!(parse(&crossed.replace("coil g", "coil gen")).is_err(), "a coil hangs on something that is there");
}

#[test]
fn an_appliance_with_two_needs_runs_on_both_and_one_with_a_choice_on_one() {
    let rig = |more: &str| {
        format!(
            "inlet shore: 230V 16A\nbattery house: agm 12V 100Ah\npanel p: 2-pole main 16A rcd 30mA, way a 16A, way f 10A\ncable W1 3x2.5mm2 2m shore -> p.main\nfuse-block fb: 40A, way e 5A, way r 15A\nrun house.+ : 0.2m 6mm2, fuse F 40A class-t, 0.2m 6mm2, isolator S 60A, 0.5m 6mm2, fb.in\nrun house.- : 1m 6mm2, fb.-\nac-load air: 1600W control fb.e\ncable W2 3x2.5mm2 2m p.a -> air\ndc-load cold: 150W on fb.r\nac-load cold230: 175W {more}\ncable W3 3x1.5mm2 2m p.f -> cold230\n"
        )
    };
    let of = |text: &str, on: &[&str], words: &[&str]| {
        let audit = judge(text, ProfileId::EU_UK);
        let fits = |s: &&murvet_core::states::State| words.iter().all(|w| s.describe(&audit.net).contains(w));
        let state = audit.states.states.iter().find(fits).expect("this state");
        running(&audit, state, on)
    };
    let plain = rig("else cold");
    // The electronics of the air conditioner hang on the DC side: with that off it is dead on shore.
    assert!(of(&plain, &["air"], &["on shore"]).dead.is_empty());
    let apart = plain.replace("fb.in\nrun house.-", "fb.in\ninverter i: 300W dc 12V ac 230V bond-none isolated\nrun S.out : 1m 6mm2, i.dc+\nrun house.- : 1m 6mm2, i.dc-\nrun house.-");
    assert_eq!(of(&apart, &["air"], &["on shore", "S open"]).dead, ["air"]);
    // A refrigerator that chooses takes 0.76 A of 230 V or 12.5 A of 12 V, never both.
    let amps = |text: &str, words: &[&str]| {
        of(text, &["cold", "cold230"], words)
            .sources
            .iter()
            .filter(|s| s.name.contains("battery"))
            .map(|s| s.amps)
            .sum::<f64>()
    };
    assert!(amps(&plain, &["on shore"]) < 0.01 && (amps(&plain, &["parked"]) - 12.5).abs() < 0.01);
    assert!((amps(&rig(""), &["on shore"]) - 12.5).abs() < 0.01, "two that do not know of each other take both");
    assert!(parse(&rig("else nothing")).is_err());
}

/// An inverter of 2000 W at 85 % in a box: 353 W of heat.
fn boxed(place: &str, most: &str) -> String {
    format!(
        "place box: bay {place}\nbattery house: lifepo4 12.8V 200Ah\ninverter inv in box: 2000W dc 12V ac 230V bond-none isolated {most}\nrun house.+ : 0.2m 120mm2 105C, fuse F1 300A class-t, 0.2m 120mm2 105C, isolator S1 300A, 0.5m 120mm2 105C, inv.dc+\nrun house.- : 0.9m 120mm2 105C, inv.dc-\n"
    )
}

#[test]
fn what_works_in_a_closed_place_warms_its_air_and_its_cables() {
    // Six faces of 0.25 m² at 5 W/m²K give 7.5 W/K: 353 W / 7.5 = 47 K above 30 C at the least.
    let f = tells(ProfileId::EU_UK, "place-heat", "box", Certain, &boxed("30C {wide 0.5m deep 0.5m high 0.5m|}", ""));
    assert!(f.statement.contains("77 C and more"), "{}", f.statement);
    // A large one with wide openings stays cool: 4 m², and 0.2 m² low and high over 1 m: at 10 K at the least
    // 8 x 0.67 x 10 = 54 W through the walls and 1200 x 0.4 x 0.141 x √(2 x 9.81 x 1 x 10 / 300) x 10 = 549 W by air.
    let open = "30C wide 1m deep 1m high 1m vent-low {0.01cm2|2000cm2} vent-high 2000cm2";
    tells(ProfileId::EU_UK, "place-heat", "box", Possible, &boxed(open, "air-most 60C"));
    // The maker's figure governs, and a measured temperature stands for itself.
    tells(
        ProfileId::EU_UK,
        "place-heat",
        "box",
        Certain,
        &boxed("30C wide 1m deep 1m high 1m vent-low 2000cm2 vent-high 2000cm2", "air-most {32C|50C}"),
    );
    // 25 mm² of 105 C insulation at 100 A: ISO 13297 gives 170 A in 30 C air, × √((105 - 77) / 75) = 104 A in 77 C and nothing
    // in 100 C; with the air measured at 40 C nothing is said.
    let thin = |ambient: &str| {
        boxed(&format!("{ambient} wide 0.5m deep 0.5m high 0.5m"), "")
            .replace("120mm2 105C", "25mm2 105C")
            .replace("300A class-t", "125A class-t")
            .replace("2000W", "1000W")
    };
    tells(ProfileId::EU_UK, "cable-ampacity", "S1.out--inv.dc+", Possible, &thin("{30C|40C@measured}"));
}

#[test]
fn an_earth_that_the_chassis_alone_completes_is_none_and_no_missing_bond_hides_it() {
    let rig = |bond: &str, core: &str| {
        format!(
            "chassis frame\nbattery b: agm 12V 100Ah\ninverter i: 600W dc 12V ac 230V {bond} isolated\npanel p: 2-pole main 10A rcd 30mA, way x 6A, way y 6A\nsocket x\nsocket y\ncable W1 3x1.5mm2 1m i -> p.main\ncable W2 3x1.5mm2 2m p.x -> x\ncable W3 3x1.5mm2 2m p.y -> y {core}\nrun p.PE : 0.5m 6mm2, frame\nrun y.ac.PE : 0.5m 6mm2, frame\nrun b.+ : 0.2m 25mm2, fuse F 80A class-t, 0.1m 25mm2, isolator S 100A, 0.5m 25mm2, i.dc+\nrun b.- : 0.7m 25mm2, i.dc-\n"
        )
    };
    let f = tells(ProfileId::EU_UK, "earth-missing", "y", Certain, &rig("bond-switched", "{(PE>-)|}"));
    assert!(f.evidence.iter().any(|e| e.contains("over the chassis")), "{:?}", f.evidence);
    tells(ProfileId::EU_UK, "earth-missing", "y", Certain, &rig("bond-none", "{(PE>-)|}"));
    tells(ProfileId::EU_UK, "bond-missing", "i", Certain, &rig("{bond-none|bond-switched}", "(PE>-)"));
}

#[test]
fn colours_of_neutrals_are_not_used_for_live_conductors() {
    let rig = |l: &str, n: &str| {
        format!(
            "inlet shore: 16A\npanel p: 2-pole main 16A rcd 30mA, way a 10A\nsocket o\ncable W 3x2.5mm2 2m shore -> p.main\nrun p.a : 2m 2.5mm2 {l}, o.ac.L\nrun p.N : 2m 2.5mm2 {n}, o.ac.N\nrun p.PE : 2m 2.5mm2 green-yellow, o.ac.PE\n"
        )
    };
    // IEC 60445: blue is the neutral's; NFPA 70 200.6, white and grey (both recalled).
    tells(ProfileId::EU_UK, "colour-reserved", "p.a--o.ac.L", Certain, &rig("{blue|brown}", "blue"));
    tells(ProfileId::EU_UK, "colour-reserved", "p.N--o.ac.N", Certain, &rig("brown", "{brown|blue}"));
    tells(ProfileId::NA_RV, "colour-reserved", "p.a--o.ac.L", Certain, &rig("{white|black}", "white"));
}

#[test]
fn a_box_that_nobody_opened_may_join_what_it_likes() {
    let dc = |inside: &str, size: &str| {
        format!(
            "battery b: lifepo4 12.8V 100Ah\ndc-load lamps: 3A\ndc-load pump: 5A\njoint-box j: leads x3 {inside}\nrun b.+ : 0.2m 4mm2, fuse F 15A blade, 3m 4mm2, j.1\nrun j.2 : 2m 4mm2, lamps.+\nrun j.3 : 2m {size}, pump.+\nrun b.- : 5m 4mm2, lamps.-\nrun b.- : 5m 4mm2, pump.-\n"
        )
    };
    // 0.75 mm2 of 70 C insulation may carry 10 A (ISO 10133 table A.1): joined to a 15 A fuse it is too thin, and apart it is not fed.
    tells(ProfileId::EU_UK, "device-oversized", "j.3--pump.+", Possible, &dc("", "{0.75mm2|4mm2}"));
    tells(ProfileId::EU_UK, "device-oversized", "j.3--pump.+", Certain, &dc("{joined|apart}", "0.75mm2"));
    let audit = judge(&dc("", "0.75mm2"), ProfileId::EU_UK);
    assert_eq!((audit.look_next[0].unseen.subject.as_str(), audit.look_next[0].unseen.key.as_str()), ("j", "inside"));
    let ac = |inside: &str| {
        format!(
            "inlet s: 230V 16A\nrcbo g: 16A 30mA 2-pole curve-c type-a\njoint-box j: {inside}\nsocket o\ncable W1 3x2.5mm2 1m s -> g\ncable W2 3x2.5mm2 2m g -> j.1\ncable W3 3x2.5mm2 3m j.2 -> o\n"
        )
    };
    tells(ProfileId::EU_UK, "earth-missing", "o", Possible, &ac("{|joined}"));
    tells(ProfileId::EU_UK, "earth-missing", "o", Certain, &ac("{earths-apart|joined}"));
}

#[test]
fn a_maker_s_figure_governs_where_it_is_stricter() {
    let rig = |more: &str, device: &str, size: &str| {
        format!(
            "battery b: lifepo4 12.8V 200Ah\ninverter u: 1000W dc 12V ac 230V bond-none isolated {more}\nrun b.+ : 0.2m 50mm2 90C, fuse F {device} class-t, 1m {size} 90C, u.dc+\nrun b.- : 1.2m 50mm2 90C, u.dc-\n"
        )
    };
    let text = rig("max-device 125A document \"manual 4, page 12\"", "{150A|125A}", "50mm2");
    let f = tells(ProfileId::EU_UK, "appliance-maximum", "u", Certain, &text);
    assert!(f.evidence.iter().any(|e| e == "Maker's figures of u: manual 4, page 12."), "{:?}", f.evidence);
    // 35 mm2 carries the 125 A of its device (ISO 10133, 90 C: 185 A), and its maker asks for more.
    tells(ProfileId::EU_UK, "cable-minimum", "F.out--u.dc+", Certain, &rig("min-size 50mm2", "125A", "{35mm2|50mm2}"));
    let tests = murvet_core::readings::plan(&judge(&rig("torque 12Nm", "125A", "50mm2"), ProfileId::EU_UK));
    let torque = tests.iter().find(|t| t.id == "torque:u").expect("its joints are tightened to a figure");
    assert_eq!((torque.unit, torque.limit.holds(10.9), torque.limit.holds(13.3)), ("Nm", true, false));
}
