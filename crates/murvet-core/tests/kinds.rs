//! Each kind of component has all its parts, and the wind turbine does what the trade says of it.

mod common;

use common::{judge, pair, tells};
use murvet_core::catalogue::SourceKind;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{make_safe, plan, uses};
use murvet_core::rules::{Certainty::Certain, Severity};
use murvet_core::terminals::anatomy;

const EU: ProfileId = ProfileId::EU_UK;

#[test]
fn no_kind_lacks_a_part() {
    let notation = include_str!("../../../docs/notation.md");
    let mut uses_named = std::collections::BTreeSet::new();
    for spec in murvet_core::catalogue::KINDS {
        let word = spec.words[0];
        let rig = parse(&format!("{word} x\n")).unwrap_or_else(|e| panic!("{word}: {}", e[0]));
        assert_eq!(parse(&print(&rig)).expect("again"), rig, "{word}");
        assert!(!spec.title.is_empty() && notation.contains(word), "{word} is not on the page of the notation");
        let own = anatomy(&rig.components[0]);
        assert!(!own.terminals.is_empty(), "{word} has no terminal");
        // What gives has its step of making safe, by its name; what passes energy on goes dead with what feeds it.
        let gives = own.sources.iter().any(|s| !s.kind.converts());
        let steps = make_safe(&murvet_core::audit::audit(&rig, EU));
        let named = steps.iter().any(|s| s.title.split([' ', ',']).any(|w| w == "x"));
        let engine = own.sources.iter().any(|s| s.kind == SourceKind::Alternator);
        assert!(!gives || named || (engine && steps.iter().any(|s| s.id == "engine")), "{word}: {steps:?}");
        uses_named.extend(own.sources.iter().filter_map(|s| s.kind.use_name()));
    }
    assert_eq!(uses_named.len(), 7, "{uses_named:?}");
}

#[test]
fn what_is_said_of_a_component_is_printed_as_it_was_said() {
    use murvet_core::catalogue::AttrType;
    use murvet_core::rig::{Provenance, Value};
    let mut said = 0;
    for spec in murvet_core::catalogue::KINDS {
        let bare = parse(&format!("{} x\n", spec.words[0])).expect("parses");
        for attr in spec.attrs {
            let texts: &[&str] = match attr.ty {
                AttrType::Word(words) => words,
                AttrType::Flag => &["yes"],
                AttrType::Quantity(..) => {
                    &["1V", "2A", "3W", "4Ah", "5mm2", "6m", "x2", "7mohm", "8C", "9s", "10%", "11Nm"]
                }
                AttrType::Name | AttrType::Words => continue,
            };
            for text in texts.iter().chain(&["?"]) {
                for from in [None, Some(Provenance::Measured), Some(Provenance::Told)] {
                    let mut rig = bare.clone();
                    rig.components[0].attrs.insert(attr.key.to_owned(), Value { from, ..Value::new(*text) });
                    // Of the quantities only one has the dimension of this attribute.
                    if murvet_core::meaning::check(&rig).is_empty() {
                        let again = parse(&print(&rig)).unwrap_or_else(|e| panic!("{}: {}", print(&rig), e[0]));
                        assert_eq!(again, rig, "{}", print(&rig));
                        said += 1;
                    }
                }
            }
        }
    }
    assert!(said > 1000, "{said}");
}

/// A turbine on a bank of 200 Ah, with more in its line.
fn mast(turbine: &str, line: &str, more: &str) -> String {
    format!(
        "battery house: lifepo4 12.8V 200Ah charge-limit 60A absorption 14.2V\nwind-turbine mill: {turbine}\nbus plus\nbus minus\n\
         run house.+ : 0.2m 35mm2, fuse F1 125A class-t, 0.2m 35mm2{line}, plus\nrun house.- : 0.6m 35mm2, minus\n\
         run mill.+ : 2m 10mm2, plus\nrun mill.- : 2m 10mm2, minus\n{more}"
    )
}

#[test]
fn a_turbine_is_braked_before_the_battery_and_released_last() {
    for (brake, words) in [
        ("brake-switch", "Brake mill before the battery"),
        ("brake-by-hand", "Stop mill by hand before the battery, and tie its blades"),
        ("brake-none", "Turn mill out of the wind and tie its blades before the battery"),
        ("", "Turn mill out of the wind and tie its blades before the battery"),
    ] {
        let audit = judge(&mast(&format!("400W 35A 12V {brake}"), ", isolator S 150A, 0.2m 35mm2", ""), EU);
        let steps = make_safe(&audit);
        let at = |id: &str| steps.iter().position(|s| s.id == id).unwrap_or_else(|| panic!("{id}: {steps:?}"));
        assert!(at("wind:mill") < at("bat:house"), "{brake}: {steps:?}");
        let step = &steps[at("wind:mill")];
        assert!(step.title.starts_with(words) && step.note.contains("released last"), "{brake}: {step:?}");
        // Without a brake it turns in every state: nobody switches the wind off.
        let turning = audit.states.states.iter().filter(|s| {
            let mill = audit.net.sources.iter().position(|s| s.kind == SourceKind::Wind).expect("a turbine");
            s.live.active[mill]
        });
        let stands = brake == "brake-switch" || brake == "brake-by-hand";
        assert_eq!(turning.count() < audit.states.states.len(), stands, "{brake}");
    }
}

#[test]
fn a_turbine_runs_away_without_its_battery_unless_a_dump_load_takes_all_of_it() {
    // An isolator between it and the bank: opened while it turns.
    let switch = ", isolator S 150A, 0.2m 35mm2";
    for turbine in ["400W 35A 12V brake-switch {dump 300W|dump 400W}", "400W 35A 12V brake-none {|dump 450W}"] {
        let f = tells(EU, "turbine-unloaded", "mill", Certain, &mast(turbine, switch, ""));
        assert_eq!(f.severity, Severity::KeepOff);
        assert!(f.way.iter().any(|step| step.contains("open S")), "{:?}", f.way);
    }
    // A fuse alone: it runs away on the day that opens. A dump load of unread power beside a read one is not known enough.
    let f = tells(EU, "turbine-unloaded", "mill", Certain, &mast("400W 35A 12V brake-switch {|dump 400W}", "", ""));
    assert_eq!(
        (f.severity, f.components.as_slice()),
        (Severity::Soon, ["mill".to_owned(), "F1".to_owned()].as_slice())
    );
    let open = judge(&mast("35A 12V brake-switch dump 400W", "", ""), EU);
    let f = open.findings.iter().find(|f| f.rule.slug == "turbine-unloaded").expect("possible");
    assert_ne!(f.certainty, Certain, "{}", f.statement);
    // A bank whose own management takes it off leaves it alone too, with no device between them; with a second bank it does not.
    let bank = "battery house: lifepo4 12.8V 200Ah {management-inside|management-signal}\nwind-turbine mill: 400W 35A 12V brake-switch\n\
                run mill.+ : 2m 35mm2, house.+\nrun mill.- : 2m 35mm2, house.-\n";
    let f = tells(EU, "turbine-unloaded", "mill", Certain, bank);
    assert!(f.severity == Severity::Soon && f.statement.contains("the management of house"), "{}", f.statement);
    let second = "battery lead: agm 12V 100Ah\nrun lead.+ : 0.3m 35mm2, house.+\nrun lead.- : 0.3m 35mm2, house.-\n";
    let both = judge(&(pair(bank).0 + second), EU);
    assert!(both.findings.iter().all(|f| f.rule.slug != "turbine-unloaded"));
    // The switch in the negative parts it as well.
    let text = mast("400W 35A 12V brake-switch", "", "")
        .replace("house.- : 0.6m 35mm2, minus", "house.- : 0.3m 35mm2, isolator N 150A, 0.3m 35mm2, minus");
    let f = judge(&text, EU).findings.into_iter().find(|f| f.rule.slug == "turbine-unloaded").expect("found");
    assert_eq!(f.severity, Severity::KeepOff, "{}", f.statement);
}

#[test]
fn a_turbine_counts_as_a_charger_a_source_and_a_way_of_using_the_rig() {
    // 35 A of wind and 30 A of a charger into a bank that may take 60 A; 25 A of wind are 55 A.
    let charger = "inlet s: 16A\ncharger c: 30A 14.2V\ncable W 3x2.5mm2 1m s -> c\nrun c.dc+ : 1m 10mm2, plus\nrun c.dc- : 1m 10mm2, minus\n";
    tells(EU, "charge-sum", "house", Certain, &mast("400W {35A|25A} 12V brake-switch", "", charger));
    // It is set for another battery.
    tells(EU, "charge-voltage", "mill>house", Certain, &mast("400W 35A 12V charges {14.8V|14.2V}", "", ""));
    // Its own current in its own lead, with no device at its end: 35 A (1.5 mm2 carries some 20 A, ISO 13297).
    let lead = mast("400W 35A 12V brake-switch", "", "")
        .replace("mill.+ : 2m 10mm2", "mill.+ : 2m {1.5mm2|10mm2}, fuse G 40A gg, 0.1m 10mm2");
    let (thin, thick) = pair(&lead);
    let own = |text: &str| judge(text, EU).findings.iter().filter(|f| f.subject.starts_with("mill.+--")).count();
    assert_eq!((own(&thin), own(&thick)), (2, 0), "a device of 40 A and a source of 35 A on 18 A");
    // A line in what may be used, tests of its own, and no ampere counted on in the autonomy.
    let audit = judge(
        &mast(
            "400W 35A 12V brake-switch dump 400W absorption 14.2V",
            "",
            "dc-load l: 10A\nrun plus : 0.1m 2.5mm2, fuse F3 15A, 1m 2.5mm2, l.+\nrun minus : 1m 2.5mm2, l.-\n",
        ),
        EU,
    );
    let tests = plan(&audit);
    let all = uses(&audit, &tests, |_| Some(true));
    assert!(all.iter().any(|u| u.name == "wind"), "{all:?}");
    for id in ["settings:mill", "charge-volts:mill", "charge-amps:mill", "path:mill"] {
        assert!(tests.iter().any(|t| t.id == id), "{id}");
    }
    let state = audit.states.states.iter().find(|s| s.live.active.iter().all(|a| *a)).expect("turning");
    let running = murvet_core::capacity::running_in(&audit, state, &["l"], true);
    let bank = running.text("turning");
    // 200 Ah, eight tenths usable (chemistry table), at 10 A: 16 h, not longer for the wind.
    assert!(bank.contains("lasts 16 h"), "{bank}");
}
