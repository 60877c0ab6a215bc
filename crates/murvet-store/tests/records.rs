//! The records on a real PostgreSQL, started by `./murvet test`.

use chrono::{Duration, NaiveDate, Utc};
use diesel_async::{AsyncConnection, AsyncPgConnection, SimpleAsyncConnection};
use murvet_store::{NewAction, NewEvent, NewPerson, NewReading, NewVisit, Saved, Store, StoreError, verify_record};

/// An empty database of its own for each test.
async fn fresh(name: &str) -> Store {
    let server = std::env::var("MURVET_TEST_SERVER").expect("MURVET_TEST_SERVER is set by ./murvet test");
    let name = format!("store_{name}_{}", std::process::id());
    let mut c = AsyncPgConnection::establish(&format!("{server}/postgres")).await.expect("the server answers");
    c.batch_execute(&format!("DROP DATABASE IF EXISTS {name}")).await.expect("dropped");
    c.batch_execute(&format!("CREATE DATABASE {name}")).await.expect("created");
    Store::open(&format!("{server}/{name}")).await.expect("opens and migrates")
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
    let visit = NewVisit { rig, person, planned_on, hours: 4.0, complaint: "" };
    let visit = store.add_visit(firm, &visit).await.expect("visit");
    World { firm, person, rig, visit }
}

#[tokio::test(flavor = "multi_thread")]
async fn people_sign_in_with_their_password_only_and_sessions_end() {
    let store = fresh("people").await;
    let w = world(&store, "ana").await;
    let now = Utc::now();
    assert!(store.sign_in("ana", "another password", now).await.expect("asked").is_none());
    assert!(store.sign_in("nobody", "a long password", now).await.expect("asked").is_none());
    let token = store.sign_in("ana", "a long password", now).await.expect("asked").expect("signed in");
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
    let reading =
        |value| NewReading { revision: 1, test: "drop:a", title: "t", value, unit: "V", outcome: "pass", words: "" };
    for value in [0.4, f64::INFINITY, 0.3] {
        store.add_reading(w.firm, w.visit, &reading(value), w.person, Utc::now()).await.expect("added");
    }
    let all = store.readings(w.firm, w.visit).await.expect("listed");
    assert_eq!(all.iter().map(|r| r.value).collect::<Vec<_>>(), [0.4, f64::INFINITY, 0.3]);
    assert_eq!(all.iter().map(|r| r.supersedes).collect::<Vec<_>>(), [None, Some(all[0].id), Some(all[1].id)]);
    for event in ["repaired", "re-tested"] {
        let e = NewEvent { finding: "f", statement: "s", event, note: "", revision: 2 };
        store.add_event(w.firm, w.visit, &e, w.person, Utc::now()).await.expect("added");
    }
    let a = NewAction { finding: "f", title: "fuse", minutes: 45, condition: Some("c"), revision: 2 };
    store.add_action(w.firm, w.visit, &a, w.person, Utc::now()).await.expect("added");
    for _ in 0..2 {
        store.add_safe_step(w.firm, w.visit, "step", w.person, Utc::now()).await.expect("added");
    }
    assert_eq!(store.events(w.firm, w.visit).await.expect("listed").len(), 2);
    assert_eq!(store.actions(w.firm, w.visit).await.expect("listed")[0].condition.as_deref(), Some("c"));
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
    let visit = NewVisit { rig: a.rig, person: b.person, planned_on: NaiveDate::default(), hours: 1.0, complaint: "" };
    assert!(matches!(store.add_visit(b.firm, &visit).await, Err(StoreError::NotFound)));
    assert!(store.readings(b.firm, a.visit).await.expect("listed").is_empty());
    assert_eq!(store.visits(a.firm, 50, 0).await.expect("listed").len(), 1);
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
