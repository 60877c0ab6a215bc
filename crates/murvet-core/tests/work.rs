//! Steps of work: a retrofit in three visits, what a removed hub leaves without a holder, what has to be isolated, and what is
//! refused. What is expected was worked out by hand from the rigs.

mod common;

use common::judge;
use murvet_core::audit::audit;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::LooseEnd;
use murvet_core::rules::Severity;
use murvet_core::work::{self, Followed, StepMade, Verdict, follow, part, read};
use proptest::prelude::*;

const RETROFIT: &str = include_str!("steps/retrofit.steps");

fn made(text: &str, profile: ProfileId) -> Followed {
    let (rig, steps) = part(text);
    let rig = parse(&rig).unwrap_or_else(|e| panic!("{e:?}"));
    let steps = read(&steps).unwrap_or_else(|e| panic!("{e:?}"));
    follow(&audit(&rig, profile), &rig, &steps)
}

/// The rig of a text with one step below it.
fn one(rig: &str, step: &str) -> StepMade {
    let text = format!("{rig}step \"it\"\n{step}\n");
    made(&text, ProfileId::EU_UK).steps.remove(0)
}

fn lost(step: &StepMade) -> Vec<String> {
    step.lost.iter().map(ToString::to_string).collect()
}

#[test]
fn a_retrofit_in_three_visits_rests_safely_between_them() {
    let all = made(RETROFIT, ProfileId::NA_RV);
    let verdicts: Vec<bool> = all.steps.iter().map(StepMade::stands).collect();
    assert_eq!(verdicts, [true, true, true, false, true, true], "only the battery out is not to be left so");
    assert!(matches!(all.steps[3].verdict, Verdict::NotToBeLeft(_)));
    assert_eq!(all.rests.iter().map(|r| (r.after, r.safe())).collect::<Vec<_>>(), [(3, true), (5, true), (6, true)]);

    // With the panel parted, the charger is dead and nothing charges on shore; three cores of the feed lie capped.
    assert_eq!(lost(&all.steps[0]), ["nothing feeds conv any more", "nothing charges house any more (shore)"]);
    assert_eq!(all.steps[0].loose.len(), 3);
    assert_eq!(all.steps[0].loose.iter().filter(|l| l.live_from.as_deref() == Some("shore")).count(), 1);
    // The lead of the battery is live from the charger, that of its negative is dead.
    let ends: Vec<_> = all.steps[3].loose.iter().map(|l| (l.end, l.live_from.as_deref())).collect();
    assert_eq!(ends, [(LooseEnd::Taped, Some("conv")), (LooseEnd::Taped, None)]);
    // In the end nothing lies loose, nothing but advice is found, and the charger is in no loop.
    let last = all.steps.last().expect("six steps");
    assert!(last.loose.is_empty());
    assert!(all.audit.findings.iter().all(|f| f.severity == Severity::Advice), "{:?}", all.audit.findings);
    let uses: Vec<&str> = last.uses.iter().map(|u| u.name).collect();
    assert_eq!(uses, ["shore", "inverter"]);
    // The rig that comes out says the same when it is read again.
    let again = parse(&murvet_core::notation::print(&all.rig)).expect("reads");
    assert_eq!(again, all.rig);
}

#[test]
fn the_same_retrofit_in_the_wrong_order_is_refused_and_the_rig_stays_as_it_was() {
    // The charger left behind the transfer: with the inverter on it would charge itself.
    let start = RETROFIT.find("step \"Feed the charger").expect("the step");
    let end = RETROFIT.find("rest \"end of the first").expect("the rest");
    let looped = made(&format!("{}{}", &RETROFIT[..start], &RETROFIT[end..]), ProfileId::NA_RV);
    let last = looped.steps.last().expect("steps");
    assert_eq!(last.verdict, Verdict::Refused);
    assert!(last.opens.iter().any(|f| f.rule.slug == "charger-loop"));
    assert!(looped.rig.component("inv").is_none(), "what is refused is not made");

    // A cable as thin as the new breaker, but ahead of it: the supply's 30 A reach it.
    let thin = made(&RETROFIT.replace("cable W7 3x10AWG", "cable W7 3x12AWG"), ProfileId::NA_RV);
    assert_eq!(thin.steps[2].verdict, Verdict::Refused);
    assert!(thin.steps[2].opens.iter().any(|f| f.wires.len() == 1 && f.severity == Severity::BeforeUse));

    // Left with the battery out: not to be left so, whatever comes after it on another day.
    let early = RETROFIT.replace("step \"Lithium in", "rest \"it rains\"\nstep \"Lithium in");
    let early = made(&early, ProfileId::NA_RV);
    let rests: Vec<(&str, bool)> = early.rests.iter().map(|r| (r.title.as_str(), r.safe())).collect();
    assert_eq!(rests[1], ("it rains", false));
    assert!(early.rests[1].marked.is_some() && !early.rests[1].worse.is_empty());

    // A feed that is added, not replaced: the inverter on the panel beside the shore.
    let added = "inlet shore: 230V 16A\nrcbo g: 16A 30mA 2-pole\nconsumer-unit cu: main 16A, way a 10A\nbattery b: agm 12V 100Ah\n\
        inverter inv: 1000W dc 12V ac 230V isolated bond-switched\nrun b.+ : 0.2m 35mm2, fuse F1 150A bolt-down, 0.5m 35mm2, inv.dc+\n\
        run b.- : 0.7m 35mm2, inv.dc-\ncable W1 3x2.5mm2 1m shore -> g\ncable W2 3x2.5mm2 1m g -> cu.main\n";
    let fed = one(added, "  fit cable W3 3x2.5mm2 2m inv -> cu.main");
    assert_eq!(fed.verdict, Verdict::Refused);
    assert!(fed.opens.iter().any(|f| f.rule.slug == "ac-backfeed"), "{:?}", fed.opens);
}

const HUB: &str = "battery b: agm 12V 100Ah\nbus pos\nbus neg\ndc-load pump: 3A\ndc-load fan: 3A\nsolar pv: isc 5A voc 22V 100W\n\
    controller mppt: 10A 50V\nrun b.+ : 0.1m 16mm2, fuse F1 60A bolt-down, 1m 16mm2, isolator S1 100A, 0.5m 16mm2, pos\n\
    run b.- : 1m 16mm2, neg\nrun pos : 0.1m 2.5mm2, fuse F2 10A blade, 3m 2.5mm2, pump.+\nrun neg : 3m 2.5mm2, pump.-\n\
    run pos : 0.1m 2.5mm2, fuse F3 10A blade, 2m 2.5mm2, fan.+\nrun neg : 2m 2.5mm2, fan.-\n\
    run pv.+ : 4m 4mm2, isolator S2 20A, 1m 4mm2, mppt.pv+\nrun pv.- : 5m 4mm2, mppt.pv-\n\
    run mppt.bat+ : 0.5m 4mm2, fuse F4 20A blade, 0.1m 4mm2, pos\nrun mppt.bat- : 0.5m 4mm2, neg\n";

#[test]
fn taking_a_hub_out_lists_every_end_and_every_job_without_a_holder() {
    let gone = one(HUB, "  take-out pos, ends capped");
    assert!(gone.made(), "{:?}", gone.verdict);
    // Four conductors landed on it: from the switch, to two fuses, from the controller's fuse.
    assert_eq!(gone.loose.len(), 4);
    assert!(gone.loose.iter().all(|l| l.end == LooseEnd::Capped));
    let live: Vec<_> = gone.loose.iter().filter_map(|l| l.live_from.as_deref()).collect();
    assert_eq!(live, ["b", "mppt"], "the switch side, and what the sun makes live");
    assert_eq!(
        lost(&gone),
        ["nothing feeds fan any more", "nothing feeds pump any more", "nothing charges b any more (solar)"]
    );
    // A device that was passed keeps its direction: the fuse of the fan is still ahead of it.
    let net = murvet_core::audit::audit(&gone.rig, ProfileId::EU_UK).net;
    let ends: Vec<&str> = net.nodes.iter().filter(|n| n.loose().is_some()).map(|n| n.name.as_str()).collect();
    assert_eq!(ends.len(), 4);
    for fuse in ["F2.in", "F3.in", "F4.out", "S1.out"] {
        assert!(net.wires.iter().any(|w| w.key.contains(fuse) && w.key.contains("loose")), "{fuse}");
    }
    // Bare, the live ones are to be kept off, and the step is refused.
    assert_eq!(one(HUB, "  take-out pos").verdict, Verdict::Refused);
    // Without the switch nothing takes the battery off; joined through, everything is fed as before.
    let joined = one(HUB, "  take-out S1, joined");
    assert!(joined.opens.iter().any(|f| f.rule.slug == "battery-isolation"));
    assert_eq!(lost(&joined), ["no switch takes b off any more"]);
}

#[test]
fn what_has_to_be_isolated_is_what_reaches_the_place_that_is_touched() {
    let titles = |step: &StepMade| step.isolation.iter().map(|s| s.id.clone()).collect::<Vec<_>>();
    // The main fuse is on the battery, and on the sun through its controller.
    let main = one(HUB, "  replace F1 with fuse: 60A bolt-down");
    assert!(titles(&main).is_empty(), "a like for like is no change");
    let main = one(HUB, "  replace F1 with fuse: 50A bolt-down");
    for id in ["pv:pv", "bat:b", "prove-tester", "prove-dead-dc", "prove-again"] {
        assert!(titles(&main).iter().any(|t| t == id), "{id} in {:?}", titles(&main));
    }
    // The leads of the array are live from the sun alone.
    let array = one(HUB, "  replace pv.+ -> S2 with 6mm2");
    assert!(titles(&array).contains(&"pv:pv".to_owned()) && !titles(&array).contains(&"bat:b".to_owned()));
    // A label opens nothing.
    assert!(titles(&one(HUB, "  label F2 \"pump\"")).is_empty());
    // So does a setting, at the unit's own buttons.
    assert!(titles(&one(HUB, "  set mppt: absorption 14.2V")).is_empty());
    // What converts is dead when what feeds it is: behind the charger, shore.
    let shore = "inlet shore: 230V 16A\nbattery b: agm 12V 100Ah\ncharger c: 20A 14.4V\ncable W1 3x2.5mm2 1m shore -> c\n\
        run b.+ : 0.1m 6mm2, fuse F1 30A blade, 1m 6mm2, c.dc+\nrun b.- : 1m 6mm2, c.dc-\n";
    let swapped = one(shore, "  replace F1 -> c with 10mm2");
    assert!(titles(&swapped).contains(&"inlet:shore".to_owned()), "{:?}", titles(&swapped));
}

#[test]
fn every_act_changes_what_it_names_and_nothing_else() {
    let rig = "place box: bay\nplace shelf: cabin\nbattery b in box: agm 12V 100Ah\nfuse-block p in shelf: way a 10A, way c 5A\n\
        dc-load pump: 3A\ndc-load fan: 2A\nrun b.+ : 0.1m 6mm2, fuse F1 30A blade, 1m 6mm2 red, p.in\nrun b.- : 1m 6mm2 black, p.-\n\
        run p.a : 2m 1.5mm2, pump.+\nrun p.- : 2m 1.5mm2, pump.-\nrun p.c : 3m 1.5mm2, fan.+\nrun p.- : 3m 1.5mm2, fan.-\n\
        remark pump: chafed\ninlet shore: 230V 16A\nsocket s\nrcbo g: 16A 30mA 2-pole\ncable W1 3x2.5mm2 1m shore -> g\n\
        cable W2 3x2.5mm2 2m g -> s (N>PE PE>N)\n";
    let before = murvet_core::notation::print(&parse(rig).expect("reads"));
    // Each with the lines that are gone and those that are new.
    let cases: &[(&str, &[&str], &[&str])] = &[
        (
            "move p to box",
            &["fuse-block p in shelf: way a 10A, way c 5A"],
            &["fuse-block p in box: way a 10A, way c 5A"],
        ),
        (
            "set p: way a 7.5A",
            &["fuse-block p in shelf: way a 10A, way c 5A"],
            &["fuse-block p in shelf: way a 7.5A, way c 5A"],
        ),
        ("set box: vent-low 50cm2", &["place box: bay"], &["place box: bay vent-low 50cm2"]),
        (
            "label p.c \"fan\"",
            &["fuse-block p in shelf: way a 10A, way c 5A"],
            &["fuse-block p in shelf: way a 10A, way c 5A \"fan\""],
        ),
        ("re-mark p.a -> pump.+ red", &["run p.a : 2m 1.5mm2, pump.+"], &["run p.a : 2m 1.5mm2 red, pump.+"]),
        ("replace p.a -> pump.+ with 2.5mm2", &["run p.a : 2m 1.5mm2, pump.+"], &["run p.a : 2m 2.5mm2, pump.+"]),
        (
            "replace pump.+ -> p.a with 1m 4mm2 red via box",
            &["run p.a : 2m 1.5mm2, pump.+"],
            &["run p.a : 1m 4mm2 red via box, pump.+"],
        ),
        (
            "replace F1 with breaker: 25A",
            &["run b.+ : 0.1m 6mm2, fuse F1 30A blade, 1m 6mm2 red, p.in"],
            &["run b.+ : 0.1m 6mm2, breaker F1 25A, 1m 6mm2 red, p.in"],
        ),
        ("land p.c -> fan.+ start on p.a", &["run p.c : 3m 1.5mm2, fan.+"], &["run p.a : 3m 1.5mm2, fan.+"]),
        ("land p.c -> fan.+ end on end taped", &["run p.c : 3m 1.5mm2, fan.+"], &["run p.c : 3m 1.5mm2, end taped"]),
        ("cores W2 (N>N PE>PE)", &["cable W2 3x2.5mm2 2m g -> s (N>PE PE>N)"], &["cable W2 3x2.5mm2 2m g -> s"]),
        (
            "land W2 start on end capped",
            &["cable W2 3x2.5mm2 2m g -> s (N>PE PE>N)"],
            &["cable W2 3x2.5mm2 2m s.ac -> end capped (PE>N N>PE)"],
        ),
        ("put-right pump: chafed", &["remark pump: chafed"], &[]),
        (
            "take-out W2",
            &["cable W2 3x2.5mm2 2m g -> s (N>PE PE>N)"],
            &["cable W2 3x2.5mm2 2m removed g -> s (N>PE PE>N)"],
        ),
        ("take-out p.c -> fan.+", &["run p.c : 3m 1.5mm2, fan.+"], &[]),
        ("fit bus extra in box", &[], &["bus extra in box"]),
    ];
    for (act, gone, new) in cases {
        let step = one(rig, &format!("  {act}"));
        assert!(!matches!(step.verdict, Verdict::Impossible(..)), "{act}: {:?}", step.verdict);
        // Also where it is refused: what it would have made is asked of the act alone.
        let [work::Entry::Step(read)] = &read(&format!("step \"x\"\n  {act}\n")).expect("reads")[..] else { panic!() };
        let after = work::apply(&parse(rig).expect("reads"), &read.acts[0], |r| audit(r, ProfileId::EU_UK)).expect(act);
        let after = murvet_core::notation::print(&after);
        let lines = |of: &str, without: &str| -> Vec<String> {
            of.lines().filter(|l| !without.lines().any(|w| w == *l)).map(str::to_owned).collect()
        };
        assert_eq!(
            (lines(&before, &after), lines(&after, &before)),
            (gone.iter().map(|s| (*s).to_owned()).collect(), new.iter().map(|s| (*s).to_owned()).collect()),
            "{act}"
        );
    }
}

#[test]
fn what_cannot_be_made_or_read_says_where_and_what_to_do() {
    let rig = "battery b: agm 12V 100Ah\ndc-load pump: 3A\nrun b.+ : 0.1m 6mm2, fuse F1 10A blade, 1m 6mm2, pump.+\nrun b.- : 1m 6mm2, pump.-\n";
    for (act, message, help) in [
        ("fit fuze F2: 10A", "no kind", "fuse"),
        ("take-out F9", "no component \"F9\"", "F1"),
        ("take-out b.+ -> pump.- ", "no run and no conductor", "two ends"),
        ("move F1 to attic", "no place \"attic\"", "place"),
        ("re-mark b.- -> pump.- purpel", "no colour", "violet"),
        ("replace b.- -> pump.- with 6", "no size by itself", "6AWG"),
        ("set F1: 12X", "\"X\" is not a unit", "300A"),
        ("take-out b, joined", "no device in a line", "capped"),
        ("put-right pump: chafed", "no remark", "no remarks"),
        ("repair overcurrent-missing:b by \"x\"", "no finding", ""),
    ] {
        match one(rig, &format!("  {act}")).verdict {
            Verdict::Impossible(0, e) => {
                let said = format!("{} {}", e.message, e.help);
                assert!(e.message.contains(message) || said.contains(message), "{act}: {said}");
                assert!(e.help.contains(help) || said.contains(help), "{act}: {said}");
            }
            other => panic!("{act}: {other:?}"),
        }
    }
    for (text, line, column, message) in [
        ("step \"a\"\n  tak-out F1\n", 2, 3, "no act"),
        ("step a\n  take-out F1\n", 1, 1, "quotation marks"),
        ("step \"a\"\nrest\n", 1, 1, "nothing is done"),
        ("step \"a\" 10\n  take-out F1\n", 1, 10, "no part of a step"),
        ("step \"a\", not-to-be-left\n  take-out F1\n", 1, 11, "why"),
        ("step \"a\"\n  take-out F1, ends tied\n", 2, 16, "no way to leave an end"),
        ("step \"a\"\n  land W1 on b\n", 2, 8, "which end"),
        ("step \"a\"\n  move b box\n", 2, 13, "expected \"to\""),
    ] {
        let errors = read(text).expect_err(text);
        assert_eq!((errors[0].line, errors[0].column), (line, column), "{text}: {errors:?}");
        assert!(errors[0].message.contains(message), "{text}: {errors:?}");
    }
}

#[test]
fn a_finding_goes_on_only_with_the_copper_it_was_about() {
    // An unfused lead, with a shunt put into it: the same lead goes on unfused. Another one beside it is new.
    let rig = "battery b: agm 12V 100Ah\nbus pos\nrun b.+ : 2m 6mm2, pos\ndc-load pump: 3A\nrun pos : 1m 6mm2, pump.+\nrun b.- : 1m 6mm2, pump.-\n";
    assert!(judge(rig, ProfileId::EU_UK).findings.iter().any(|f| f.rule.slug == "overcurrent-missing"));
    let same = one(rig, "  take-out b.+ -> pos\n  fit run b.+ : 2m 6mm2, isolator S1 50A, 0.2m 6mm2, pos");
    assert!(!same.moved.is_empty() || same.opens.is_empty(), "{:?}", same.opens);
    let more = one(rig, "  fit dc-load fan: 2A\n  fit run b.+ : 3m 2.5mm2, fan.+\n  fit run b.- : 3m 2.5mm2, fan.-");
    assert_eq!(more.verdict, Verdict::Refused, "a second unfused lead is new");
}

fn acts() -> impl Strategy<Value = String> {
    let name = "[a-z][a-z0-9]{0,6}";
    let named = prop_oneof![
        name.prop_map(String::from),
        (name, name).prop_map(|(a, b)| format!("{a} -> {b}")),
        (name, name, 1..4usize).prop_map(|(a, b, n)| format!("{a} -> {b} #{n}"))
    ];
    (named, name, 0..9usize).prop_map(|(what, other, kind)| match kind {
        0 => format!("fit bus {other}"),
        1 => format!("take-out {what}, ends capped"),
        2 => format!("take-out {what}, joined"),
        3 => format!("land {what} start on {other}.a"),
        4 => format!("land {what} end on end bare"),
        5 => format!("replace {what} with 2m 6mm2 red"),
        6 => format!("set {other}: 10A \"a label\""),
        7 => format!("re-mark {what} black"),
        _ => format!("repair rule:{other} by \"do it\""),
    })
}

proptest! {
    #[test]
    fn a_list_of_steps_is_written_and_read_alike(
        steps in prop::collection::vec(("[A-Z][A-Za-z ,.>-]{0,20}[a-z]", prop::option::of(1..600u32), any::<bool>(), prop::collection::vec(acts(), 1..4)), 1..6),
        rest in any::<bool>(),
    ) {
        let mut text = String::new();
        for (title, minutes, worse, acts) in &steps {
            text.push_str(&format!("step \"{title}\""));
            minutes.iter().for_each(|m| text.push_str(&format!(" {m}min")));
            if *worse { text.push_str(", not-to-be-left \"open\""); }
            text.push('\n');
            acts.iter().for_each(|a| text.push_str(&format!("  {a}\n")));
            if rest { text.push_str("rest \"home\"\n"); }
        }
        let read_once = read(&text).map_err(|e| TestCaseError::fail(format!("{e:?}\n{text}")))?;
        prop_assert_eq!(work::print(&read_once), text);
    }

    /// Nothing that is typed brings it down.
    #[test]
    fn any_text_is_read_or_refused(text in "(step|rest|fit|land|take-out|replace|cores|label|[a-z\"#:>, \n()-]){0,40}") {
        let (_, steps) = part(&text);
        let _ = read(&steps);
        let _ = read(&text);
    }
}
