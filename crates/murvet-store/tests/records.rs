//! The records on a real PostgreSQL, started by `./murvet test`.

mod database;

use chrono::{DateTime, Duration, NaiveDate, Utc};
use database::database;
use murvet_store::{
    NewAction, NewCalibration, NewComplaint, NewEvent, NewLicence, NewPerson, NewReading, NewReferralBack, NewRepair,
    NewRigVisit, NewVisit, PriceList, Saved, SignIn, Sought, Store, StoreError, Visit, WorkText, verify_record,
};

/// The token of whoever signs in so, from a tablet.
async fn signed_in(store: &Store, login: &str, password: &str, now: DateTime<Utc>) -> Option<String> {
    let told = SignIn { login, password, code: "", device: "a tablet" };
    store.sign_in(told, now).await.expect("asked").token()
}

/// A store on an empty database.
async fn fresh(name: &str) -> Store {
    Store::open(&database(&format!("store_{name}")).await).await.expect("opens and migrates")
}

struct World {
    firm: i64,
    person: i64,
    rig: i64,
    visit: i64,
}

async fn world(store: &Store, login: &str) -> World {
    let now = Utc::now();
    let firm = store.add_firm("A firm").await.expect("firm");
    let new = NewPerson { login, name: "Somebody", qualification: "inspector", password: "a long password" };
    let person = store.add_person(firm, &new).await.expect("person");
    let customer = store.add_customer(firm, "Customer", "").await.expect("customer");
    let rig = store.add_rig(firm, customer, "Rig", "na-rv", "bus a\n", person, now).await.expect("rig");
    let planned_on = NaiveDate::from_ymd_opt(2026, 5, 31).expect("a day");
    let visit = NewVisit { rig, person, planned_on, hours: 4.0, complaint: "", kind: "finished", zone: "UTC" };
    let visit = store.add_visit(firm, &visit).await.expect("visit");
    World { firm, person, rig, visit }
}

#[tokio::test(flavor = "multi_thread")]
async fn people_sign_in_with_their_password_only_and_sessions_end() {
    let store = fresh("people").await;
    let w = world(&store, "ana").await;
    let now = Utc::now();
    assert!(signed_in(&store, "ana", "another password", now).await.is_none());
    assert!(signed_in(&store, "nobody", "a long password", now).await.is_none());
    let token = signed_in(&store, "ana", "a long password", now).await.expect("signed in");
    assert_eq!(store.who(&token, now).await.expect("asked").map(|p| (p.firm_id, p.id)), Some((w.firm, w.person)));
    assert!(store.who(&token, now + Duration::hours(15)).await.expect("asked").is_none(), "it expires");
    store.sign_out(&token).await.expect("signed out");
    assert!(store.who(&token, now).await.expect("asked").is_none());
}

#[tokio::test(flavor = "multi_thread")]
async fn revisions_are_never_overwritten() {
    let store = fresh("revisions").await;
    let w = world(&store, "ana").await;
    let save = |base, text: &'static str| store.save_revision(w.firm, w.rig, base, text, "", w.person, Utc::now());
    assert!(matches!(save(1, "bus b\n").await, Ok(Saved::As(2))));
    match save(1, "bus c\n").await {
        Ok(Saved::Conflict(theirs)) => assert_eq!((theirs.number, theirs.text.as_str()), (2, "bus b\n")),
        other => panic!("{other:?}"),
    }
    // Many at once from one base: exactly one is written.
    let attempts = (0..8).map(|n| {
        let store = store.clone();
        let (firm, rig, person) = (w.firm, w.rig, w.person);
        tokio::spawn(
            async move { store.save_revision(firm, rig, 2, &format!("bus x{n}\n"), "", person, Utc::now()).await },
        )
    });
    let mut written = 0;
    for attempt in attempts.collect::<Vec<_>>() {
        written += usize::from(matches!(attempt.await.expect("ran"), Ok(Saved::As(3))));
    }
    assert_eq!(written, 1);
    assert_eq!(store.revision(w.firm, w.rig, 1).await.expect("kept").text, "bus a\n");
    assert_eq!(store.revisions(w.firm, w.rig).await.expect("listed").len(), 3);
}

#[tokio::test(flavor = "multi_thread")]
async fn readings_are_superseded_and_kept_and_a_life_is_a_list_of_events() {
    let store = fresh("readings").await;
    let w = world(&store, "ana").await;
    let reading = |value| NewReading {
        revision: 1,
        test: "drop:a",
        title: "t",
        value,
        unit: "V",
        outcome: "pass",
        words: "",
        ..NewReading::default()
    };
    for value in [0.4, f64::INFINITY, 0.3] {
        store.add_reading(w.firm, w.visit, &reading(value), w.person, Utc::now()).await.expect("added");
    }
    let all = store.readings(w.firm, w.visit).await.expect("listed");
    assert_eq!(all.iter().map(|r| r.value).collect::<Vec<_>>(), [0.4, f64::INFINITY, 0.3]);
    assert_eq!(all.iter().map(|r| r.supersedes).collect::<Vec<_>>(), [None, Some(all[0].id), Some(all[1].id)]);
    for event in ["repaired", "re-tested"] {
        let e = NewEvent { finding: "f", statement: "s", event, note: "", revision: 2, ..NewEvent::default() };
        store.add_event(w.firm, w.visit, &e, w.person, Utc::now()).await.expect("added");
    }
    for _ in 0..2 {
        store.add_safe_step(w.firm, w.visit, "step", w.person, Utc::now()).await.expect("added");
    }
    assert_eq!(store.events(w.firm, w.visit).await.expect("listed").len(), 2);
    assert_eq!(store.safe_steps(w.firm, w.visit).await.expect("listed").len(), 1, "a step is done once");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_firm_sees_nothing_of_another() {
    let store = fresh("firms").await;
    let (a, b) = (world(&store, "ana").await, world(&store, "ben").await);
    assert!(matches!(store.visit(b.firm, a.visit).await, Err(StoreError::NotFound)));
    assert!(matches!(store.latest_revision(b.firm, a.rig).await, Err(StoreError::NotFound)));
    assert!(matches!(
        store.save_revision(b.firm, a.rig, 1, "", "", b.person, Utc::now()).await,
        Err(StoreError::NotFound)
    ));
    let visit = NewVisit {
        rig: a.rig,
        person: b.person,
        planned_on: NaiveDate::default(),
        hours: 1.0,
        complaint: "",
        kind: "finished",
        zone: "UTC",
    };
    assert!(matches!(store.add_visit(b.firm, &visit).await, Err(StoreError::NotFound)));
    assert!(store.readings(b.firm, a.visit).await.expect("listed").is_empty());
    assert_eq!(store.find_visits(a.firm, &Sought::default(), 50).await.expect("listed").len(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_signed_record_verifies_until_a_letter_changes() {
    let store = fresh("sign").await;
    let w = world(&store, "ana").await;
    let record = serde_json::json!({ "b": 1.0, "a": [1e3, "ü"], "c": null });
    store.sign_hand_over(w.firm, w.visit, &record, w.person, Utc::now()).await.expect("signed");
    let kept = store.hand_overs(w.firm, w.visit).await.expect("listed").remove(0);
    // RFC 8785: names sorted, shortest numbers, no white space.
    assert_eq!(kept.record, "{\"a\":[1000,\"ü\"],\"b\":1,\"c\":null}");
    assert!(verify_record(&kept.record, &kept.signature, &kept.public_key).is_ok());
    assert!(verify_record(&kept.record.replace("1000", "1001"), &kept.signature, &kept.public_key).is_err());
    assert!(verify_record(&kept.record, &kept.signature[1..], &kept.public_key).is_err());
    assert!(verify_record(&kept.record, &kept.signature, &[0; 3]).is_err());
}

fn repair(w: &World, base: i32) -> NewRepair<'static> {
    NewRepair {
        rig: w.rig,
        base,
        text: "bus repaired\n",
        note: "repair: fuse",
        action: NewAction {
            finding: "f",
            title: "fuse",
            minutes: 45,
            condition: Some("c"),
            live_because: None,
            took: Some(50),
            ..NewAction::default()
        },
        closes: &[],
        parts_of: &[],
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_repair_is_written_as_one_or_not_at_all() {
    let store = fresh("repairs").await;
    let (w, other) = (world(&store, "ana").await, world(&store, "ben").await);
    let closes = [("f".to_owned(), "no fuse".to_owned()), ("g".to_owned(), "a tap".to_owned())];
    let whole = NewRepair { closes: &closes, ..repair(&w, 1) };
    assert!(matches!(store.save_repair(w.firm, w.visit, &whole, w.person, Utc::now()).await, Ok(Saved::As(2))));
    let actions = store.actions(w.firm, w.visit).await.expect("listed");
    assert_eq!((actions.len(), actions[0].revision, actions[0].condition.as_deref()), (1, 2, Some("c")));
    let events = store.events(w.firm, w.visit).await.expect("listed");
    let lives: Vec<(&str, &str, i32)> =
        events.iter().map(|e| (e.finding.as_str(), e.event.as_str(), e.revision)).collect();
    assert_eq!(lives, [("f", "repaired", 2), ("g", "repaired", 2)]);
    // On an older revision: both versions, and nothing written.
    match store.save_repair(w.firm, w.visit, &repair(&w, 1), w.person, Utc::now()).await {
        Ok(Saved::Conflict(theirs)) => assert_eq!((theirs.number, theirs.text.as_str()), (2, "bus repaired\n")),
        unexpected => panic!("{unexpected:?}"),
    }
    // A visit or a rig of another firm, or a person of one: the revision is not written either.
    for (visit, person) in [(other.visit, w.person), (w.visit, other.person)] {
        assert!(store.save_repair(w.firm, visit, &repair(&w, 2), person, Utc::now()).await.is_err());
    }
    let foreign = NewRepair { rig: other.rig, ..repair(&w, 1) };
    assert!(store.save_repair(w.firm, w.visit, &foreign, w.person, Utc::now()).await.is_err());
    assert_eq!(store.latest_revision(w.firm, w.rig).await.expect("there").number, 2);
    assert_eq!(store.latest_revision(other.firm, other.rig).await.expect("there").number, 1);
    assert_eq!(store.actions(w.firm, w.visit).await.expect("listed").len(), 1);
    // Six at once on one revision: one is written, with its action.
    let attempts: Vec<_> = (0..6)
        .map(|_| {
            let (store, new) = (store.clone(), repair(&w, 2));
            let (firm, visit, person) = (w.firm, w.visit, w.person);
            tokio::spawn(async move { store.save_repair(firm, visit, &new, person, Utc::now()).await })
        })
        .collect();
    let mut written = 0;
    for attempt in attempts {
        written += usize::from(matches!(attempt.await.expect("ran"), Ok(Saved::As(3))));
    }
    assert_eq!(written, 1);
    assert_eq!(store.actions(w.firm, w.visit).await.expect("listed").len(), 2);
}

#[tokio::test(flavor = "multi_thread")]
async fn visits_are_listed_newest_first_page_by_page_and_names_may_be_odd() {
    let store = fresh("pages").await;
    let w = world(&store, "ana").await;
    let day = |n: u32| NaiveDate::from_ymd_opt(2026, 6, n).expect("a day");
    for n in 1..=9 {
        let odd = "'); DROP TABLE visit; -- \u{1f50c}";
        let visit = NewVisit {
            rig: w.rig,
            person: w.person,
            planned_on: day(n),
            hours: 2.5,
            complaint: odd,
            kind: "finished",
            zone: "UTC",
        };
        store.add_visit(w.firm, &visit).await.expect("added");
    }
    let after = |page: &[Visit]| Sought { after: page.last().map(|v| (v.planned_on, v.id)), ..Sought::default() };
    let first = store.find_visits(w.firm, &Sought::default(), 4).await.expect("listed");
    let second = store.find_visits(w.firm, &after(&first), 4).await.expect("listed");
    let days: Vec<NaiveDate> = first.iter().chain(&second).map(|v| v.planned_on).collect();
    assert_eq!(days, (2..=9).rev().map(day).collect::<Vec<_>>());
    assert!(first[0].complaint.contains("DROP TABLE"), "kept as typed");
    assert_eq!(store.find_visits(w.firm, &after(&second), 50).await.expect("listed").len(), 2);
    let rest = store.find_visits(w.firm, &after(&second), 50).await.expect("listed");
    assert!(store.find_visits(w.firm, &after(&rest), 50).await.expect("listed").is_empty());
    // One customer may have several rigs, and a name may be taken twice.
    let a = store.add_customer(w.firm, "Same", "").await.expect("added");
    let b = store.add_customer(w.firm, "Same", "other").await.expect("added");
    assert_ne!(a, b);
    assert!(store.add_rig(w.firm, a, "Rig", "eu-uk", "", w.person, Utc::now()).await.is_ok());
    assert!(store.add_rig(w.firm, i64::MAX, "Rig", "eu-uk", "", w.person, Utc::now()).await.is_err());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_session_is_its_own_and_its_secret_is_not_in_the_database() {
    let store = fresh("sessions").await;
    let w = world(&store, "ana").await;
    let now = Utc::now();
    let one = signed_in(&store, "ana", "a long password", now).await.expect("signed in");
    let two = signed_in(&store, "ana", "a long password", now).await.expect("signed in");
    assert_ne!(one, two);
    store.sign_out(&one).await.expect("signed out");
    assert!(store.who(&one, now).await.expect("asked").is_none());
    assert_eq!(store.who(&two, now).await.expect("asked").map(|p| p.id), Some(w.person));
    for guess in ["", "x", &two[..two.len() - 1], &format!("{two}0"), "' OR 1=1 --"] {
        assert!(store.who(guess, now).await.expect("asked").is_none(), "{guess}");
    }
    // A login belongs to one person of all firms; the same again is refused.
    let firm = store.add_firm("Another").await.expect("firm");
    let new = NewPerson { login: "ana", name: "Other", qualification: "", password: "another password" };
    assert!(store.add_person(firm, &new).await.is_err());
    assert_eq!(store.people(w.firm).await.expect("listed").len(), 1);
    assert!(store.people(firm).await.expect("listed").is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_at_hand_and_what_was_told_belongs_to_one_firm_and_the_newest_word_counts() {
    let store = fresh("at_hand").await;
    let (ours, theirs) = (world(&store, "ana").await, world(&store, "ben").await);
    let (now, missing) = (Utc::now(), |r: Result<(), StoreError>| matches!(r, Err(StoreError::NotFound)));
    let meter = store.add_instrument(ours.firm, "Meter", "M-1", "voltmeter ohmmeter").await.expect("registered");
    let day = |d| NaiveDate::from_ymd_opt(2026, 5, d).expect("a day");
    let calibration = |d| NewCalibration { done_on: day(d), due_on: day(d + 2), certificate: "C" };
    // Entered in any order, they come in the order in which they were done.
    for d in [20, 4, 11] {
        store.add_calibration(ours.firm, meter, &calibration(d), ours.person, now).await.expect("entered");
    }
    let done = store.calibrations(ours.firm).await.expect("listed");
    assert_eq!(done.iter().map(|c| c.done_on).collect::<Vec<_>>(), [day(4), day(11), day(20)]);
    assert!(missing(store.add_calibration(theirs.firm, meter, &calibration(1), theirs.person, now).await));
    assert!(missing(store.retire_instrument(theirs.firm, meter, Some(now)).await));
    assert!(missing(store.put_in_case(theirs.firm, theirs.visit, meter, false, theirs.person, now).await));
    assert!(missing(store.put_in_case(ours.firm, theirs.visit, meter, false, ours.person, now).await));
    assert!(store.instruments(theirs.firm).await.expect("listed").is_empty());
    for there in [false, true, false] {
        store.put_in_case(ours.firm, ours.visit, meter, there, ours.person, now).await.expect("said");
        let home = store.left_at_home(ours.firm, ours.visit).await.expect("asked");
        assert_eq!(home.contains(&meter), !there);
    }
    // A test is left out, taken up again and left out for another reason; another one stays as it is.
    let leave = |test: &'static str, reason: &'static str| {
        store.leave_out(ours.firm, ours.visit, (test, "A test"), (reason, false), ours.person, now)
    };
    for (test, reason) in [("a", "no access"), ("b", "no tool"), ("a", ""), ("a", "no hours")] {
        leave(test, reason).await.expect("said");
    }
    let left = store.left_out(ours.firm, ours.visit).await.expect("listed");
    let words: Vec<(&str, &str)> = left.iter().map(|l| (l.test.as_str(), l.reason.as_str())).collect();
    assert_eq!(words, [("b", "no tool"), ("a", "no hours")]);
    // Complaints are entered all or none, and end in their own visit.
    let told = |words| NewComplaint {
        told_by: "Owner",
        words,
        symptom: "dead",
        about: Some("x"),
        on_source: None,
        delay_minutes: None,
    };
    let list = [told("one"), told("two")];
    store.add_complaints(ours.firm, ours.visit, &list, ours.person, now).await.expect("entered");
    assert!(missing(store.add_complaints(ours.firm, theirs.visit, &list, ours.person, now).await));
    let all = store.complaints(ours.firm, ours.visit).await.expect("listed");
    assert_eq!(all.iter().map(|c| c.words.as_str()).collect::<Vec<_>>(), ["one", "two"]);
    assert!(store.complaints(theirs.firm, theirs.visit).await.expect("listed").is_empty());
    let say = |w: &World, id| {
        let (store, firm, visit, person) = (store.clone(), w.firm, w.visit, w.person);
        async move { store.add_standing(firm, visit, id, ("confirmed", Some("t"), "seen"), person, now).await }
    };
    say(&ours, all[1].id).await.expect("said");
    assert!(missing(say(&theirs, all[1].id).await));
    let standings = store.standings(ours.firm, ours.visit).await.expect("listed");
    assert_eq!(standings.iter().map(|s| s.complaint_id).collect::<Vec<_>>(), [all[1].id]);
    // A reading keeps its samples, over range among them, and what it was taken with.
    let samples = [0.08, f64::INFINITY];
    let new = NewReading {
        revision: 1,
        test: "earth:x",
        title: "Continuity",
        value: f64::INFINITY,
        unit: "ohm",
        outcome: "fail",
        words: "",
        samples: &samples,
        instruments: &[meter],
        lower_rank: true,
        ..NewReading::default()
    };
    store.add_reading(ours.firm, ours.visit, &new, ours.person, now).await.expect("added");
    let kept = store.readings(ours.firm, ours.visit).await.expect("listed");
    assert_eq!(
        (&kept[0].samples[..], &kept[0].instruments[..], kept[0].lower_rank),
        (&samples[..], &[meter][..], true)
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_first_visit_is_opened_whole_or_not_at_all() {
    let store = fresh("opened").await;
    let w = world(&store, "ada").await;
    let planned_on = NaiveDate::from_ymd_opt(2026, 6, 1).expect("a day");
    let told = |symptom| NewComplaint {
        told_by: "Owner",
        words: "the lights go out",
        symptom,
        about: None,
        on_source: None,
        delay_minutes: None,
    };
    let new = NewRigVisit {
        customer: "New customer",
        contact: "",
        rig: "New rig",
        profile: "na-rv",
        text: "bus a\n",
        visit: NewVisit {
            rig: 0,
            person: w.person,
            planned_on,
            hours: 3.0,
            complaint: "lights",
            kind: "no kind",
            zone: "UTC",
        },
    };
    let count = async || {
        let visits = store.find_visits(w.firm, &Sought::default(), 100).await.expect("visits").len();
        (store.find_customers(w.firm, "", 50).await.expect("customers").len(), visits)
    };
    let before = count().await;
    let now = Utc::now();
    store.open_visit(w.firm, &new, &[told("dim")], now).await.expect_err("no such kind of visit");
    assert_eq!(count().await, before, "no customer without a rig, no rig without a visit");

    let visit = NewVisit { kind: "finished", ..new.visit.clone() };
    let new = NewRigVisit { visit, ..new };
    let first = store.open_visit(w.firm, &new, &[told("dim")], now).await.expect("opened");
    assert_eq!(count().await, (before.0 + 1, before.1 + 1));
    assert_eq!(store.complaints(w.firm, first).await.expect("complaints").len(), 1);
    // A second rig of the same customer makes no second customer.
    store.open_visit(w.firm, &NewRigVisit { rig: "Other", ..new.clone() }, &[], now).await.expect("opened");
    assert_eq!(count().await, (before.0 + 1, before.1 + 2));
}

#[tokio::test(flavor = "multi_thread")]
async fn visits_are_found_by_customer_builder_finding_and_by_what_is_due() {
    let store = fresh("found").await;
    let (w, other) = (world(&store, "ana").await, world(&store, "ben").await);
    let now = Utc::now();
    store.set_builder(w.firm, w.visit, "Coach_works 50%", Some(2019)).await.expect("kept");
    let e = NewEvent {
        finding: "wire-size:a",
        statement: "Cable too thin",
        event: "deferred",
        revision: 1,
        ..NewEvent::default()
    };
    store.add_event(w.firm, w.visit, &e, w.person, now).await.expect("an event");
    let found = async |words: &str, last_before| {
        let list =
            store.find_visits(w.firm, &Sought { words, last_before, ..Sought::default() }, 10).await.expect("answers");
        list.into_iter().map(|v| v.id).collect::<Vec<_>>()
    };
    for words in ["customer", "RIG", "coach_w", "50%", "too thin", "wire-size"] {
        assert_eq!(found(words, None).await, [w.visit], "{words}");
    }
    // What is typed means itself, and nobody finds what is another firm's.
    assert!(found("coachXworks", None).await.is_empty() && found("nothing", None).await.is_empty());
    assert!(store.set_builder(other.firm, w.visit, "x", None).await.is_err());
    // A rig is due by its newest visit alone.
    let day = |m, d| NaiveDate::from_ymd_opt(2026, m, d).expect("a day");
    assert_eq!((found("", Some(day(6, 1))).await, found("", Some(day(5, 31))).await), (vec![w.visit], vec![]));
    let again = NewVisit {
        rig: w.rig,
        person: w.person,
        planned_on: day(9, 9),
        hours: 1.0,
        complaint: "",
        kind: "after-journey",
        zone: "UTC",
    };
    let later = store.add_visit(w.firm, &again).await.expect("a visit");
    assert_eq!((found("", Some(day(6, 1))).await, found("", Some(day(10, 1))).await), (vec![], vec![later]));
    assert_eq!(store.visits_of(w.firm, w.rig).await.expect("answers").len(), 2);
}

#[tokio::test(flavor = "multi_thread")]
async fn licences_referrals_and_prices_are_the_firms_own() {
    let store = fresh("licences").await;
    let (w, other) = (world(&store, "ana").await, world(&store, "ben").await);
    let now = Utc::now();
    let licence = NewLicence { holder: w.person, kind: "mains-fixed", region: "au-nz", number: "E 1", ends_on: None };
    store.add_licence(w.firm, &licence, w.person, now).await.expect("entered");
    let foreign = NewLicence { holder: other.person, ..licence.clone() };
    assert!(store.add_licence(w.firm, &foreign, w.person, now).await.is_err(), "of another firm's person");
    assert!(store.add_licence(w.firm, &NewLicence { kind: "plumbing", ..licence }, w.person, now).await.is_err());
    assert_eq!(
        (store.licences(w.firm).await.expect("list").len(), store.licences(other.firm).await.expect("list").len()),
        (1, 0)
    );
    // Work is referred once under its title, and comes back once, to the visit it went from.
    let what = ("New inlet", "mains-fixed", "everything there is to know");
    let id = store.refer(w.firm, w.visit, what, w.person, now).await.expect("referred");
    assert_eq!(store.refer(w.firm, w.visit, what, w.person, now).await.expect("known"), id);
    let back = NewReferralBack { done_by: "Jo", certificate: "C 7", issuer: "Board", done_on: now.date_naive() };
    assert!(store.refer_back(other.firm, (other.visit, id), &back, other.person, now).await.is_err());
    store.refer_back(w.firm, (w.visit, id), &back, w.person, now).await.expect("back");
    assert!(store.refer_back(w.firm, (w.visit, id), &back, w.person, now).await.is_err(), "once");
    let list = store.referrals(w.firm, w.visit).await.expect("list");
    assert!(list.len() == 1 && list[0].1.as_ref().is_some_and(|b| b.certificate == "C 7"));
    // The newest text and list of prices count.
    for text in ["day 6h", "day 5h"] {
        store.set_work_text(w.firm, w.visit, (WorkText::Day, text), w.person, now).await.expect("kept");
    }
    let day = store.work_text(w.firm, w.visit, WorkText::Day).await.expect("text").map(|t| t.0);
    assert_eq!(day.as_deref(), Some("day 5h"));
    assert_eq!(store.work_text(w.firm, w.visit, WorkText::Steps).await.expect("none"), None);
    let prices =
        PriceList { csv: "label,0.40".to_owned(), currency: "AUD".to_owned(), tax_tenths: 100, hour_cents: 9_000 };
    store.set_prices(w.firm, &prices, w.person, now).await.expect("kept");
    let wrong = PriceList { currency: "dollars".to_owned(), ..prices };
    assert!(store.set_prices(w.firm, &wrong, w.person, now).await.is_err());
    assert!(store.prices(w.firm).await.expect("list").is_some_and(|p| p.tax_tenths == 100));
    assert!(store.prices(other.firm).await.expect("none").is_none());
}
