//! A profile is a file: a value that differs turns the verdicts it should, a file that is wrong says where, and nothing
//! is taken that has no source.

use murvet_core::audit::audit_by;
use murvet_core::notation::parse;
use murvet_core::profiles::{Profile, ProfileId, Trouble, profiles_page};
use serde_json::{Value, json};
use std::collections::BTreeSet;

fn own(base: &str, differs: Value) -> Result<Profile, Vec<Trouble>> {
    Profile::read(&json!({ "base": base, "differs": differs }).to_string())
}

fn slugs(text: &str, limits: &Profile) -> BTreeSet<&'static str> {
    let rig = parse(text).unwrap_or_else(|e| panic!("{}\n{text}", e[0]));
    audit_by(&rig, limits).findings.iter().map(|f| f.rule.slug).collect()
}

#[test]
fn every_profile_that_ships_is_whole_and_says_where_each_value_comes_from() {
    let words: Vec<&str> = ProfileId::all().map(ProfileId::word).collect();
    assert!(words.len() >= 3, "{words:?}");
    for id in ProfileId::all() {
        let p = id.profile();
        assert_eq!(p.id, id.word());
        let text = serde_json::to_string(p).expect("written");
        assert_eq!(Profile::read(&text).as_ref(), Ok(p), "{}", id.word());
        // Every value of the file is on the page, with a source.
        let file: Value = serde_json::from_str(&text).expect("JSON");
        let sourced = file.as_object().expect("an object").values().filter(|v| v.get("source").is_some()).count();
        let fields = p.fields();
        assert_eq!(fields.len(), sourced, "fields.txt and the file of {}", id.word());
        assert!(fields.iter().all(|f| f.source.len() > 3 && f.words.len() > 3));
    }
    assert_eq!(include_str!("../../../docs/profiles.md"), profiles_page(), "run: murvet profiles > docs/profiles.md");
}

const BANK: &str = "battery b: lifepo4 12.8V 100Ah\n";

#[test]
fn a_value_that_differs_turns_the_verdict_that_hangs_on_it() {
    let near = "dc-load l: 20A\nrun b.+ : 0.4m 16mm2, fuse F 30A, 1m 16mm2, l.+\nrun b.- : 1.4m 16mm2, l.-\n";
    let cabin = "place inside: cabin\nbattery b in inside: lifepo4 12.8V 100Ah\n";
    let outlet =
        "inlet s: 16A\nsocket o\nbreaker k: 16A 2-pole\ncable A 3x2.5mm2 1m s -> k\ncable B 3x2.5mm2 4m k -> o\n";
    let pole =
        "inlet s: 16A\nsocket o\nrcbo k: 16A 30mA 1-pole\ncable A 3x2.5mm2 1m s -> k\ncable B 3x2.5mm2 4m k -> o\n";
    let pme = "inlet s: 16A supply pme\nsocket o\nrcbo k: 16A 30mA 2-pole\ncable A 3x2.5mm2 1m s -> k\ncable B 3x2.5mm2 4m k -> o\n";
    let sun =
        "array a: isc 14A voc 20V\ncontroller k: 30A 100V\nrun a.+ : 3m 12AWG, k.pv+\nrun a.- : 3m 12AWG, k.pv-\n";
    let because = |v: Value| json!({ "value": v, "source": "our own rule", "reason": "we had one burn" });
    let cases = [
        ("eu-uk", "first_device_m", json!(0.3), "device-too-far", format!("{BANK}{near}"), true),
        ("eu-uk", "lithium_out_of_cabin", json!(true), "battery-place", cabin.to_owned(), true),
        ("eu-uk", "rcd_everywhere_a", json!(null), "rcd-missing", outlet.to_owned(), false),
        ("eu-uk", "all_poles", json!(false), "pole-missing", pole.to_owned(), false),
        ("eu-uk", "refuses_pme", json!(false), "supply-fault", pme.to_owned(), false),
        ("na-rv", "array_continuous", json!(false), "array-current", format!("{BANK}{sun}"), false),
    ];
    for (base, field, value, slug, text, appears) in cases {
        let standard = ProfileId::parse(base).expect("ships").profile();
        let limits = own(base, json!({ field: because(value) })).unwrap_or_else(|e| panic!("{field}: {}", e[0]));
        let (before, after) = (slugs(&text, standard), slugs(&text, &limits));
        assert_eq!((before.contains(slug), after.contains(slug)), (!appears, appears), "{field}: {before:?} {after:?}");
        // Nothing else moves, and the audit prints what differs, its source and its reason.
        let others = |s: &BTreeSet<&'static str>| s.iter().copied().filter(|m| *m != slug).collect::<Vec<_>>();
        assert_eq!(others(&before), others(&after), "{field}");
        let said = audit_by(&parse(&text).expect("parses"), &limits).limits.join("\n");
        for words in ["our own rule", "we had one burn", standard.title.as_str()] {
            assert!(said.contains(words), "{field}: {words} in {said}");
        }
    }
}

#[test]
fn a_fourth_profile_is_one_file_and_judges_by_its_own_values() {
    // A whole profile from outside: 110 V site supplies, 60 Hz, everything else by the metric tables.
    let mut file = serde_json::to_value(ProfileId::EU_UK.profile()).expect("JSON");
    for (field, value) in [
        ("ac_v", json!(110.0)),
        ("supply_low_v", json!(99.0)),
        ("supply_high_v", json!(121.0)),
        ("frequency_hz", json!(60.0)),
        ("neutral_colours", json!(["white"])),
    ] {
        file[field] = json!({ "value": value, "source": "made up for this test" });
    }
    file["id"] = json!("yard");
    file["title"] = json!("Yard supplies at 110 V");
    let limits = Profile::read(&file.to_string()).expect("whole");
    // 10 A through 2 x 30 m of 2.5 mm2 at 70 C, 9.55 mohm/m (IEC 60228): 5.7 V, 2.5 % of 230 V and 5.2 % of 110 V.
    let long = "inlet s: 16A\nac-load l: current 10A\nrcbo g: 16A 30mA 2-pole\ncable W 3x2.5mm2 0.01m s -> g\ncable X 3x2.5mm2 30m g -> l\n";
    assert!(!slugs(long, ProfileId::EU_UK.profile()).contains("cable-drop"));
    assert!(slugs(long, &limits).contains("cable-drop"));
    // The plan asks for its frequency and its supply.
    let rig = parse(&format!(
        "{BANK}inlet s: 16A\ninverter i: 1000W dc 12V isolated bond-switched\nsocket o\nrun b.+ : 0.1m 35mm2, fuse F 125A, 1m 35mm2, i.dc+\nrun b.- : 1m 35mm2, i.dc-\ncable X 3x2.5mm2 3m i -> o\n"
    ))
    .expect("parses");
    let plan = murvet_core::readings::plan(&audit_by(&rig, &limits));
    let limit = |id: &str| plan.iter().find(|t| t.id == id).unwrap_or_else(|| panic!("no {id}")).limit.clone();
    assert!(limit("hz:i").low > 59.0 && limit("hz:i").high < 61.0, "{:?}", limit("hz:i"));
    assert_eq!((limit("supply-volts:s").low, limit("supply-volts:s").high), (99.0, 121.0));
}

#[test]
fn a_file_that_is_wrong_is_answered_field_by_field() {
    let whole = |change: &dyn Fn(&mut Value)| {
        let mut file = serde_json::to_value(ProfileId::NA_RV.profile()).expect("JSON");
        change(&mut file);
        Profile::read(&file.to_string()).expect_err("refused")
    };
    let ok = json!({ "value": 0.3, "source": "ours", "reason": "burnt once" });
    let cases: Vec<(Vec<Trouble>, &str, &str)> = vec![
        (Profile::read("not json").expect_err("refused"), "profile", "not JSON"),
        (Profile::read("[]").expect_err("refused"), "profile", "not an object"),
        (own("uk", json!({ "first_device_m": ok })).expect_err("refused"), "base", "expected au-nz, eu-uk or na-rv"),
        (
            own("eu-uk", json!({ "first_devise_m": ok })).expect_err("refused"),
            "first_devise_m",
            "did you mean first_device_m?",
        ),
        (
            own("eu-uk", json!({ "first_device_m": { "source": "ours", "reason": "x" } })).expect_err("refused"),
            "first_device_m",
            "no value",
        ),
        (
            own("eu-uk", json!({ "first_device_m": { "value": 0.3, "source": "ours" } })).expect_err("refused"),
            "first_device_m",
            "no reason",
        ),
        (
            own("eu-uk", json!({ "first_device_m": { "value": 0.3, "reason": "burnt once" } })).expect_err("refused"),
            "first_device_m",
            "no source",
        ),
        (
            own("eu-uk", json!({ "first_device_m": { "value": "near", "source": "ours", "reason": "burnt" } }))
                .expect_err("refused"),
            "first_device_m",
            "something like 0.5",
        ),
        (
            own("eu-uk", json!({ "drop_other": { "value": 3.0, "source": "ours", "reason": "burnt" } }))
                .expect_err("refused"),
            "drop_other",
            "3 % is 0.03",
        ),
        (
            own("eu-uk", json!({ "sun": { "value": -1.0, "source": "ours", "reason": "burnt" } }))
                .expect_err("refused"),
            "sun",
            "above 0",
        ),
        (
            own("eu-uk", json!({ "ratings": { "value": "mine", "source": "ours", "reason": "burnt" } }))
                .expect_err("refused"),
            "ratings",
            "no table",
        ),
        (
            own("eu-uk", json!({ "sizes": { "value": ["2.5"], "source": "ours", "reason": "burnt" } }))
                .expect_err("refused"),
            "sizes",
            "2.5mm2",
        ),
        (
            whole(&|f| {
                f.as_object_mut().map(|o| o.remove("ac_v"));
            }),
            "ac_v",
            "missing",
        ),
        (whole(&|f| f["hats"] = json!(1)), "hats", "no field"),
        (whole(&|f| f["ac_v"]["source"] = json!("")), "ac_v", "no source"),
        (whole(&|f| f["supply_low_v"]["value"] = json!(300.0)), "supply_low_v", "not below"),
    ];
    for (wrong, field, words) in cases {
        let t = wrong.iter().find(|t| t.field == field).unwrap_or_else(|| panic!("{field}: {wrong:?}"));
        assert!(t.to_string().contains(words), "{field}: {t}");
    }
}
