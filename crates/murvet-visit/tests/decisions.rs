//! What a visit decides, over plain records.

use chrono::NaiveDate;
use murvet_core::audit::{Audit, audit};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Outcome, Test, plan};
use murvet_core::rules::Severity;
use murvet_visit::{
    After, Closed, Decision, Due, Event, Happened, LEAST_CHARS, LEAST_REASON, LONGEST_ACCEPTED, Matter, Readings,
    Refusal, Taken, close, confirm, decide, due, repairs,
};

const RIG: &str = "battery b: agm 12V 100Ah\ndc-load x: 5A\ndc-load y: 5A\nfuse-block f: way p 10A, way q 10A\n\
    run b.+ : 0.1m 16mm2, fuse F 60A, 1m 16mm2, f.in\nrun f.p : 2m 2.5mm2, x.+\nrun f.q : 2m 2.5mm2, y.+\n\
    run b.- : 1m 16mm2, f.-\nrun f.- : 2m 2.5mm2, x.-\nrun f.- : 2m 2.5mm2, y.-\n";

fn made(text: &str) -> (Audit, Vec<Test>) {
    let audit = audit(&parse(text).unwrap_or_else(|e| panic!("{}", e[0])), ProfileId::EU_UK);
    let tests = plan(&audit);
    (audit, tests)
}

fn taken(id: i64, test: &str, revision: i32, outcome: Outcome) -> Taken {
    Taken { id, test: test.to_owned(), revision, value: 0.2, outcome, lower_rank: false }
}

#[test]
fn a_reading_holds_until_something_on_its_path_changes() {
    let (old, old_tests) = made(RIG);
    let (new, new_tests) = made(&RIG.replace("run f.p : 2m 2.5mm2", "run f.p : 2m 4mm2"));
    let list = vec![
        taken(1, "drop:x", 1, Outcome::Pass),
        taken(2, "drop:y", 1, Outcome::Pass),
        taken(3, "rest:b", 2, Outcome::Pass),
        taken(4, "no-such:z", 1, Outcome::Pass),
    ];
    let mut readings = Readings::of(list, 2);
    assert_eq!(readings.earlier(), [1]);
    assert_eq!([1, 2, 3].map(|id| readings.has(id)), [false, false, true], "before anything is compared");
    readings.carry(1, (&old, &old_tests), (&new, &new_tests));
    // The lead of x is another one; nothing between the battery and y changed; a test that is no more holds nothing.
    assert_eq!([1, 2, 3, 4].map(|id| readings.has(id)), [false, true, true, false]);
    readings.add(taken(5, "drop:x", 2, Outcome::Pass));
    assert!(readings.has(5) && readings.earlier() == [1]);
}

#[test]
fn only_a_passed_reading_of_full_rank_that_holds_proves_anything() {
    let (_, tests) = made(RIG);
    let test = tests.iter().find(|t| t.id == "drop:x").expect("there");
    let stands = |list: Vec<Taken>, now| Readings::of(list, now).stands(test);
    for (outcome, own) in [
        (Outcome::Pass, Some(true)),
        (Outcome::Fail, Some(false)),
        (Outcome::Differs, None),
        (Outcome::Unsettled, None),
    ] {
        assert_eq!(stands(vec![taken(1, "drop:x", 1, outcome)], 1), own, "{outcome:?}");
    }
    // Indicative only: it can fail the test, not pass it.
    let low = |outcome| Taken { lower_rank: true, ..taken(1, "drop:x", 1, outcome) };
    assert_eq!((stands(vec![low(Outcome::Pass)], 1), stands(vec![low(Outcome::Fail)], 1)), (None, Some(false)));
    // Of an earlier revision and not carried over: what passed is nothing, what failed still stands.
    assert_eq!(stands(vec![taken(1, "drop:x", 1, Outcome::Pass)], 2), None);
    assert_eq!(stands(vec![taken(1, "drop:x", 1, Outcome::Fail)], 2), Some(false));
    // The newest governs, whichever way.
    let both = |a, b| stands(vec![taken(1, "drop:x", 1, a), taken(2, "drop:x", 1, b)], 1);
    assert_eq!((both(Outcome::Pass, Outcome::Fail), both(Outcome::Fail, Outcome::Pass)), (Some(false), Some(true)));
    assert_eq!(both(Outcome::Pass, Outcome::Unsettled), None);
    // A monitor counts in full once it was held against a clamp, and no longer when that fails.
    let shunt = |outcome| Readings::of(vec![taken(1, "shunt:b", 1, outcome)], 1).monitor_checked();
    assert!(shunt(Outcome::Pass) && !shunt(Outcome::Fail) && !Readings::default().monitor_checked());
    // Unsettled values explain nothing; the newest settled one does.
    let list = vec![taken(1, "drop:x", 1, Outcome::Fail), taken(2, "drop:y", 1, Outcome::Unsettled)];
    let evidence: Vec<String> = Readings::of(list, 1).evidence(&tests).iter().map(|(t, _)| t.id.to_string()).collect();
    assert_eq!(evidence, ["drop:x"]);
}

#[test]
fn a_repair_is_closed_by_its_own_reading_or_by_a_reason() {
    let matter = Matter::Finding("device-too-far:b".to_owned());
    let other = Matter::Finding("cable-drop:x".to_owned());
    let happened = |matter: &Matter, event, revision| Happened { matter: matter.clone(), event, revision };
    let list = [happened(&matter, Event::Repaired, 2), happened(&other, Event::Repaired, 3)];
    let proof = |list: Vec<Taken>| {
        let readings = Readings::of(list, 3);
        readings.proof(&["drop:x".to_owned(), "rest:b".to_owned()], 2).map(|r| r.id)
    };
    assert_eq!(proof(vec![taken(1, "drop:x", 3, Outcome::Pass), taken(2, "drop:x", 3, Outcome::Fail)]), Some(1));
    assert_eq!(proof(vec![taken(1, "drop:x", 1, Outcome::Pass)]), None, "taken before the repair");
    assert_eq!(proof(vec![taken(1, "drop:y", 3, Outcome::Pass)]), None, "of another test");

    let reading = || Some("Lost by x: 0.2 V".to_owned());
    assert_eq!(close(&matter, &list, false, reading(), " "), Ok(Closed::Proven("Lost by x: 0.2 V".to_owned())));
    assert_eq!(
        close(&matter, &list, false, reading(), "felt cold"),
        Ok(Closed::Proven("Lost by x: 0.2 V; felt cold".to_owned()))
    );
    let why = "no load to hand on this pitch";
    assert_eq!(close(&matter, &list, false, None, why), Ok(Closed::Reason(why.to_owned())));
    assert_eq!(close(&matter, &list, false, None, "fine"), Err(Refusal::WriteWhy(LEAST_REASON)));
    // What the rig as traced still has is not mended, whatever was measured; what was never repaired is not closed.
    assert_eq!(close(&matter, &list, true, reading(), why), Err(Refusal::StillThere));
    assert_eq!(close(&Matter::Finding("x:y".to_owned()), &list, false, reading(), why), Err(Refusal::NoRepair));
    // Closed once, it waits for nothing until it is repaired anew.
    assert_eq!(repairs(&list), [(0, After::Waits), (1, After::Waits)]);
    let done = [&list[..], &[happened(&matter, Event::ReTested, 3)]].concat();
    assert_eq!(repairs(&done), [(0, After::Closed(2)), (1, After::Waits)]);
    assert_eq!(close(&matter, &done, false, reading(), ""), Err(Refusal::NoRepair));
    let again = [&done[..], &[happened(&matter, Event::Repaired, 4)]].concat();
    assert_eq!(repairs(&again), [(0, After::Closed(2)), (1, After::Waits), (3, After::Waits)]);
    let deferred = [&list[..], &[happened(&other, Event::Deferred, 3)]].concat();
    assert_eq!(repairs(&deferred), [(0, After::Waits), (1, After::Overtaken)]);
}

#[test]
fn what_is_left_as_it_is_has_a_reason_and_is_never_what_one_keeps_off() {
    let reason = "the owner sells it next week";
    for severity in [Severity::Advice, Severity::Soon, Severity::BeforeUse, Severity::KeepOff] {
        let today = NaiveDate::from_ymd_opt(2026, 5, 3).expect("a day");
        let left = |event, reason, days: i64, condition| {
            let until = Some(today + chrono::Duration::days(days));
            decide(&Decision { event, reason, until, condition }, severity, today)
        };
        let condition = "ends when the heater is moved: look at the label";
        let accepted = left(Event::Accepted, reason, 90, condition);
        assert_eq!(accepted, if severity == Severity::KeepOff { Err(Refusal::KeepOff) } else { Ok(()) });
        if severity != Severity::KeepOff {
            // A risk is accepted until a day to come within a year or so, and under a condition.
            for (days, condition) in [(0, condition), (-1, condition), (LONGEST_ACCEPTED + 1, condition), (90, "")] {
                assert_eq!(left(Event::Accepted, reason, days, condition), Err(Refusal::NoEnd));
            }
        }
        assert_eq!(left(Event::Deferred, reason, 0, ""), Ok(()));
        assert_eq!(left(Event::Deferred, " no ", 0, ""), Err(Refusal::WriteWhy(LEAST_CHARS)));
        for event in [Event::Opened, Event::Repaired, Event::PartRepaired, Event::ReTested, Event::Removed] {
            assert_eq!(left(event, reason, 90, condition), Err(Refusal::NoDecision));
        }
    }
    assert_eq!(confirm("two strands left"), Ok(()));
    assert!(confirm("yes").is_err() && confirm(&"x".repeat(401)).is_err());
    // Codes and names go there and back; what is none is nothing.
    assert!(Event::ALL.iter().all(|e| Event::of(e.code()) == Some(*e)) && Event::of("gone").is_none());
    for matter in [Matter::Finding("a:b".to_owned()), Matter::Diagnosis("joint loose".to_owned())] {
        assert_eq!(Matter::of(&matter.kept()), matter);
    }
}

#[test]
fn what_is_due_comes_from_visits_and_from_risks_that_end() {
    let day = |m, d| NaiveDate::from_ymd_opt(2026, m, d).expect("a day");
    let first = due(&[(day(3, 1), "finished")], &[("a:b".to_owned(), day(8, 1))]);
    let next = day(3, 1).checked_add_months(chrono::Months::new(12)).expect("a day");
    let risk = Due::Risk("a:b".to_owned());
    assert_eq!(first, [(day(3, 31), Due::FirstJourney), (day(8, 1), risk), (next, Due::Yearly)]);
    let later = due(&[(day(3, 1), "finished"), (day(4, 9), "after-journey")], &[]);
    assert_eq!(later.len(), 1, "{later:?}");
    assert_eq!(due(&[], &[]), []);
}

#[test]
fn the_published_schema_of_a_record_is_current() {
    let current = format!("{:#}", murvet_visit::record::schema());
    let kept = include_str!("../../../docs/record.schema.json");
    assert!(current == kept.trim_end(), "run: murvet schema record > docs/record.schema.json");
}

#[test]
fn a_record_is_written_and_read_back_whole_and_an_older_one_too() {
    use murvet_visit::record::{FORMAT, Record};
    let rig = parse("rig r profile na-rv\nbattery b: agm 12V 90Ah\n").expect("reads");
    let audit = murvet_core::audit_report::AuditReport::new(&audit(&rig, rig.profile.expect("its own")));
    let text = format!(
        "{{\"format\":\"{FORMAT}\",\"visit\":{{\"id\":1,\"day\":\"2026-05-03\",\"kind\":\"finished\",\"hours\":4.0,\"customer\":\"c\",\"complaint\":\"\"}},\
         \"rig\":{{\"name\":\"r\",\"profile\":\"na-rv\",\"revision\":1,\"trace\":\"bus a\"}},\"audit\":{},\"tables\":[],\
         \"readings\":[{{\"id\":1,\"test\":\"t\",\"title\":\"T\",\"value\":\"OL\",\"number\":null,\"unit\":\"ohm\",\"outcome\":\"pass\",\"revision\":1,\
         \"supersedes\":null,\"rank\":\"full\",\"instruments\":[],\"means\":\"\",\"by\":\"Ana\",\"at\":\"2026-05-03T10:00:00Z\"}}],\
         \"instruments\":[],\"complaints\":[],\"left_out\":[],\"left_as\":[],\"events\":[],\"actions\":[],\"referrals\":[],\"photographs\":[]}}",
        serde_json::to_string(&audit).expect("JSON")
    );
    // What a later field would hold is not asked for, and what is there goes back as it came.
    let record: Record = serde_json::from_str(&text).expect("reads");
    assert!(record.readings[0].number.is_none() && record.signed.is_none());
    let again: Record = serde_json::from_str(&serde_json::to_string(&record).expect("JSON")).expect("reads");
    assert_eq!(record, again);
}

#[test]
fn the_walk_makes_safe_first_and_hands_over_last() {
    use murvet_visit::{Onward, Open};
    // Every mix of what is open, by counting through them.
    for n in 0..16usize {
        let open = Open { isolation: n & 1, tests: n >> 1 & 1, repaired: n >> 2 & 1, undecided: n >> 3 & 1 };
        let next = open.next();
        assert_eq!(next == Onward::Isolate, open.isolation > 0, "nothing comes before making safe: {open:?}");
        assert_eq!(next == Onward::HandOver, open == Open::default(), "nothing is left behind: {open:?}");
        if next == Onward::Decide {
            assert_eq!((open.tests, open.repaired), (0, 0), "measured and proven before the next repair: {open:?}");
        }
        if next == Onward::Prove {
            assert_eq!(open.tests, 0, "what proves it is measured first: {open:?}");
        }
    }
}
