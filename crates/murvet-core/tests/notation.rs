//! Errors point at the place, all at once, and say what to do.

use murvet_core::notation::{complete, parse, print};
use murvet_core::rig::Rig;

/// Line, column, and a part of message and help that must be there.
#[track_caller]
fn error(text: &str, line: usize, column: usize, message: &str, help: &str) {
    let errors = parse(text).expect_err("an error");
    let found = errors
        .iter()
        .find(|e| (e.line, e.column) == (line, column) && e.message.contains(message) && e.help.contains(help));
    assert!(found.is_some(), "no error at {line}:{column} with {message:?} and {help:?} in {errors:#?}");
}

#[test]
fn each_kind_of_bad_input_is_answered_at_its_place() {
    error("batery house: 12V\n", 1, 1, "\"batery\" is no statement", "\"battery\"");
    error("fuse F1: 30A clas-t\n", 1, 14, "clas-t", "class-t");
    error("fuse F1: 30V\n", 1, 10, "no such value", "a current such as 300A");
    error("fuse F1: rating 30V\n", 1, 17, "wrong unit", "a current");
    error("fuse F1: -30A\n", 1, 10, "cannot be negative", "");
    error("fuse F1: 30\n", 1, 10, "no unit", "30A");
    error("bus p\nrun p : -2m 6mm2, end capped\n", 2, 9, "cannot be negative", "");
    error("bus p\nrun p : 2m 2, end capped\n", 2, 12, "no length and no size", "2AWG, 2/0AWG or 2mm2");
    error("bus p\nrun p : 2m 2/0, end capped\n", 2, 12, "no unit", "2/0AWG");
    error("bus p\nrun p : 2m, end capped\n", 2, 9, "no size", "size ?");
    error("bus pos\nrun pso : 1m 6mm2, pos\n", 2, 5, "no component is called \"pso\"", "\"pos\"");
    error("battery b\nbus p\nrun p : 1m 6mm2, b\n", 3, 18, "several terminals", "b.+, b.-");
    error("battery b\nbus p\nrun p : 1m 6mm2, b.x\n", 3, 18, "no terminal \"x\"", "b.+");
    error("inlet s\npanel P\ncable W 3x14AWG 2m s -> P.mian\n", 3, 25, "not one AC port", "P.main");
    error("inlet s\npanel P\ncable W 3x14AWG s -> P.main\n", 3, 17, "no length", "length ?");
    error("inlet s\npanel P\ncable W 3x14AWG 2m s P.main\n", 3, 28, "->", "");
    error("inlet s\npanel P\ncable W 3x14AWG 2m s -> P.main (N>PE)\n", 3, 33, "two cores land", "PE>N");
    error("bus p in bay\n", 1, 10, "no place is called \"bay\"", "place bay");
    error("bus p\nbus p\n", 2, 5, "twice", "another name");
    error("bus \"p\"\n", 1, 5, "needs a name", "bus A1");
    error("rig \"x\" profile na\n", 1, 17, "no profile", "na-rv");
    error("battery b: 12.8V@guessed\n", 1, 12, "@guessed", "@measured");
    error("battery b: \"open\nbus p\n", 1, 12, "not closed", "\"");
}

#[test]
fn all_errors_come_at_once_and_a_bad_line_costs_only_itself() {
    let errors =
        parse("fuse F1: 30X\nbus pos\nrun pos : 2m 6mm2, F1, 1m 6mm2, nowhere\nbattry b\n").expect_err("errors");
    let lines: Vec<usize> = errors.iter().map(|e| e.line).collect();
    assert_eq!(lines, [1, 3, 4], "{errors:#?}");
    // F1 is named on a line that could not be read, so it is not called undefined besides.
    assert!(errors[1].message.contains("nowhere"));
}

#[test]
fn an_end_that_goes_nowhere_is_no_error_and_unseen_never_is() {
    let rig = parse(
        "bus pos\nrun pos : 2m 6mm2, end taped\nrun pos : ? ?\nrun pos : length ? 4mm2 @\n".replace(" @", "").as_str(),
    )
    .expect("parses");
    assert_eq!(rig.runs.len(), 3);
    parse("inverter i: ? bond ? isolation ?\nfuse F ? class-t\ncable W 3x? length ? i -> o\noutlet o\n")
        .expect("unseen everywhere");
}

#[test]
fn a_text_that_is_too_long_is_refused_at_once() {
    let errors = parse(&"#".repeat(1_000_001)).expect_err("too long");
    assert!(errors[0].message.contains("1000001 bytes"));
    let many = "fuse\n".repeat(100_000);
    assert!(parse(&many).expect_err("errors").len() <= 201);
}

#[test]
fn json_is_checked_like_the_notation() {
    let error = |text: &str| Rig::from_json(text).expect_err("an error")[0].message.clone();
    assert!(error("{\"pieces\": [{\"id\": \"F\", \"kind\": \"fuze\"}]}").contains("unknown variant"));
    assert!(
        error("{\"pieces\": [{\"id\": \"F\", \"kind\": \"fuse\", \"attrs\": {\"rating\": \"30V\"}}]}")
            .contains("wrong unit")
    );
    assert!(error("{\"runs\": [{\"from\": \"x.+\", \"steps\": []}]}").contains("no steps"));
    assert!(error("{\"component\": []}").contains("unknown field"));
}

#[test]
fn the_published_schemas_are_current() {
    for (what, file) in [
        ("rig", include_str!("../../../docs/rig.schema.json")),
        ("audit", include_str!("../../../docs/audit.schema.json")),
        ("isolate", include_str!("../../../docs/isolate.schema.json")),
        ("plan", include_str!("../../../docs/plan.schema.json")),
        ("repairs", include_str!("../../../docs/repairs.schema.json")),
        ("uses", include_str!("../../../docs/uses.schema.json")),
        ("diagnose", include_str!("../../../docs/diagnose.schema.json")),
        ("steps", include_str!("../../../docs/steps.schema.json")),
        ("day", include_str!("../../../docs/day.schema.json")),
    ] {
        let current = murvet_core::schema(what).as_deref() == Some(file.trim_end());
        assert!(current, "run: murvet schema {what} > docs/{what}.schema.json");
    }
}

#[test]
fn every_example_of_the_notation_page_is_read() {
    let page = include_str!("../../../docs/notation.md");
    let mut examples = 0;
    for block in page.split("```rig\n").skip(1) {
        let text = block.split("```").next().unwrap_or_default();
        parse(text).unwrap_or_else(|e| panic!("{e:#?}\n{text}"));
        examples += 1;
    }
    assert!(examples >= 5, "{examples} examples");
}

#[test]
fn completion_knows_where_the_line_stands() {
    let rig = parse("battery house\nbus pos\nplace bay\n").expect("parses");
    let first = |line: &str| complete(&rig, line).first().map(|s| s.word.clone()).unwrap_or_default();
    assert_eq!(first("run ho"), "house.+");
    assert_eq!(first("run house.+ : 2m 6mm2, fu"), "fuse");
    assert_eq!(first("run house.+ : 2m 6mm2, fuse F1 cla"), "class-t");
    assert_eq!(first("fuse F2 in b"), "bay");
    // What a remark is on, then what it says.
    assert_eq!(first("remark ho"), "house");
    assert_eq!(first("remark ba"), "bay");
    assert_eq!(first("remark house: not-s"), "not-secured");
    let kinds = complete(&rig, "remark pos: ");
    assert!(kinds.iter().any(|k| k.word == "loose-joint" && k.about.contains("loose joint")), "{kinds:?}");
    // At the start of a line statements and kinds of component are offered, filtered by what was typed.
    for (typed, offered) in [
        ("r", vec!["run", "remark", "relay", "rcd"]),
        ("pl", vec!["place", "plug-changeover"]),
        ("inv", vec!["inverter", "inverter-charger"]),
        ("ca", vec!["cable"]),
    ] {
        let words: Vec<String> = complete(&rig, typed).into_iter().map(|s| s.word).collect();
        assert!(offered.iter().all(|o| words.iter().any(|w| w == o)), "{typed}: {words:?}");
    }
    assert!(complete(&rig, "zzz").is_empty(), "nothing fits");
}

/// Texts made to hurt: each is answered within the limits of the parser, none makes it fail.
#[test]
fn hostile_texts_are_answered_and_do_not_blow_up() {
    let long = |unit: &str| unit.repeat(1_000_000 / unit.len());
    let many = |line: &str| format!("bus a\n{}", line.repeat(990_000 / line.len()));
    let texts = [
        long("("),
        long("\""),
        long("a"),
        long(","),
        long("run a : "),
        long("9"),
        long("\u{0}"),
        long("\u{202e}\u{1f50c}"),
        format!("run {} : 1m 6mm2, a\n", "a.".repeat(400_000)),
        format!("bus a\nrun a : {} end bare\n", "1m 6mm2, ".repeat(100_000)),
        format!("panel p: {}\n", (0..30_000).map(|n| format!("way w{n} 15A, ")).collect::<String>()),
        many("bus a\n"),
        many("run a : 1m 6mm2, b\n"),
        many("run a : 1m 6mm2, fuse f 30A\n"),
        many("remark a: hot\n"),
        (0..40_000).map(|n| format!("bus b{n}\n")).collect(),
        (0..20_000).map(|n| format!("place p{n}: bay {n}C\n")).collect(),
        "battery b: 1e309V 99999999999999999999Ah x999999999999\n".to_owned(),
        "cable W 3x2.5mm2 1m a.b.c -> d.e (L>N N>L L>PE PE>- N>N)\n".to_owned(),
    ];
    for text in &texts {
        if let Err(errors) = parse(text) {
            assert!(!errors.is_empty() && errors.len() <= 201, "{} errors", errors.len());
            for e in &errors {
                assert!(e.line >= 1 && e.column >= 1 && e.length >= 1 && !e.message.is_empty(), "{e:?}");
                assert!(e.message.len() < 1_100_000, "a message does not grow beyond its text");
            }
        }
    }
    for json in ["", "{", "[]", "null", "{\"pieces\": 3}", "{\"runs\": [{\"from\": \"a\", \"steps\": [{\"at\": 3}]}]}"]
    {
        assert!(!Rig::from_json(json).expect_err("an error").is_empty(), "{json}");
    }
    let deep = format!("{}{}", "[".repeat(100_000), "]".repeat(100_000));
    assert!(Rig::from_json(&deep).is_err(), "deep nesting is refused, not followed");
}

#[test]
fn both_forms_are_checked_for_the_same_mistakes() {
    // Each mistake in notation and in JSON: the message is the same.
    let json = |components: &str, more: &str| format!("{{\"pieces\": [{components}]{more}}}");
    let bus = "{\"id\": \"p\", \"kind\": \"bus\"}";
    for (text, json, message) in [
        (
            "fuse F: rating 30V\n",
            json("{\"id\": \"F\", \"kind\": \"fuse\", \"attrs\": {\"rating\": \"30V\"}}", ""),
            "wrong unit",
        ),
        ("bus p\nbus p\n", json(&format!("{bus}, {bus}"), ""), "twice"),
        ("bus p in bay\n", json("{\"id\": \"p\", \"kind\": \"bus\", \"place\": \"bay\"}", ""), "no place is called"),
        (
            "bus p\nrun p : 1m 6mm2, q\n",
            json(
                bus,
                ", \"runs\": [{\"from\": \"p\", \"steps\": [{\"conductor\": {\"length\": \"1m\", \"size\": \"6mm2\"}}, {\"at\": \"q\"}]}]",
            ),
            "no component is called",
        ),
        (
            "bus p\nremark p: hott\n",
            json(bus, ", \"remarks\": [{\"on\": \"p\", \"kind\": \"hott\"}]"),
            "no kind of remark",
        ),
        (
            "bus p\nremark q: hot\n",
            json(bus, ", \"remarks\": [{\"on\": \"q\", \"kind\": \"hot\"}]"),
            "nothing is called",
        ),
    ] {
        let written = parse(text).expect_err("an error");
        assert!(written.iter().any(|e| e.message.contains(message)), "{text}: {written:?}");
        let machine = Rig::from_json(&json).expect_err("an error");
        assert!(machine.iter().any(|e| e.message.contains(message)), "{json}: {machine:?}");
    }
    // What was meant is proposed.
    error("bus p\nremark p: hott\n", 2, 11, "no kind of remark", "\"hot\"");
    error("bus pos\nremark pso: hot\n", 2, 8, "nothing is called", "\"pos\"");
}

#[test]
fn a_line_offers_what_was_used_before_and_knows_where_it_stands() {
    use murvet_core::notation::{mirrored, stands};
    let rig = parse(
        "place bay: bay \"Battery bay\"\nbattery b in bay: agm 12V 100Ah\nchassis c\nbus p in bay\nfuse-block d: way a 10A\ndc-load l: 5A\ninverter i: 500W dc 12V ac 120V bond-none\n\
run b.+ : 0.3m 16mm2 red, fuse F1 in bay 80A class-t, 0.3m 16mm2 red, p\nrun p : 2m 16mm2 red, d.in\nrun d.a : 4m 2.5mm2 red, l.+\nrun b.- : 0.6m 16mm2 black, c\n",
    )
    .expect("parses");
    let offered = |line: &str| -> Vec<String> { complete(&rig, line).into_iter().map(|s| s.word).collect() };
    // Most lines are conductors; the values had most often come first, and what nobody saw is one of them.
    assert_eq!(offered("")[..3], ["rig", "place", "run"]);
    assert_eq!(offered("run p : ")[..2], ["0.3m", "0.6m"], "{:?}", offered("run p : "));
    assert!(offered("run p : ").iter().any(|w| w == "length ?"));
    assert_eq!(offered("run p : 1m ")[..2], ["16mm2", "2.5mm2"]);
    assert!(offered("run p : 1m 16mm2 r").iter().any(|w| w == "red"));

    // Through a new device, at a bar, at a splice; nothing for what is no run or cannot be read.
    let at = |line: &str| stands(&rig, line);
    assert_eq!(
        at("run p : 0.2m 6mm2, fuse F9 in bay 30A, 1.5m 6").as_deref(),
        Some("from p, 0.2 m so far, past F9; at F9.out in Battery bay")
    );
    assert_eq!(at("run b.+ : 2m 6mm2, p, 1m").as_deref(), Some("from b.+, 2 m so far, past p; at p in Battery bay"));
    assert_eq!(at("run b.+ : 2m 6mm2, 1m").as_deref(), Some("from b.+, 2 m so far; at the end of the conductor"));
    for line in ["", "run b.+", "cable W 3x2.5mm2", "run nobody : 2m 6mm2, 1m", "run b.+ : 2m sixty, 1m", "bus x"] {
        assert_eq!(at(line), None, "{line}");
    }

    // A return beside a run: through bars and devices there is none to know, and where there is no minus neither.
    let back = |n: usize| mirrored(&rig, &rig.runs[n]);
    assert_eq!(back(0), None, "a bar has no minus");
    assert_eq!(back(3), None, "a return has none of its own");
    let more = parse("battery b: agm 12V 100Ah\ninverter i: 500W dc 12V ac 120V bond-none\nrun b.+ : 0.2m 16mm2, fuse F 80A, length ? 16mm2, 0.4m 10mm2, i.dc+\n").expect("parses");
    assert_eq!(
        mirrored(&more, &more.runs[0]).as_deref(),
        Some("run b.- : length ? 16mm2 black, 0.4m 10mm2 black, i.dc-")
    );
    assert!(parse(&format!("{}{}\n", print(&more), mirrored(&more, &more.runs[0]).unwrap_or_default())).is_ok());
}

#[test]
fn a_kind_of_vehicle_and_an_earth_of_its_own_go_through_both_forms() {
    let text = "rig \"Dipper\" profile eu-uk vehicle van\noutlet o\noutlet p\ncable W 3x2.5mm2 3m earth 1.5mm2@marked o -> p\n";
    let rig = parse(text).expect("parses");
    assert_eq!(parse(&print(&rig)).expect("parses"), rig);
    assert_eq!(murvet_core::rig::Rig::from_json(&rig.to_json()).expect("reads"), rig);
    let wrong = parse("rig \"Dipper\" vehicle boat\n").expect_err("no boat");
    assert!(
        wrong[0].message.contains("boat") && wrong[0].help.contains("motorhome") && wrong[0].column == 22,
        "{wrong:?}"
    );
    assert!(parse("outlet o\noutlet p\ncable W 3x2.5mm2 3m earth 3A o -> p\n").is_err());
}
