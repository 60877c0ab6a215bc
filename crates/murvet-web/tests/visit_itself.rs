//! A visit itself: its times are told where it is, it is changed and withdrawn with a reason, and nothing of it is lost.

mod site;

use axum::http::StatusCode;
use site::{RIG, fields, site};

#[tokio::test(flavor = "multi_thread")]
async fn a_visit_is_changed_and_withdrawn_with_a_reason_and_tells_its_own_time() {
    let site = site("itself").await;
    site.make_safe().await;
    let at = site.at("visit");
    let person = {
        let (_, page) = site.get(&at).await;
        page.split("<option value=\"").nth(1).and_then(|p| p.split('"').next()).expect("who makes it").to_owned()
    };
    let typed = |day: &'static str, hours: &'static str, zone: &'static str, reason: &'static str| {
        let fields =
            [("day", day), ("hours", hours), ("zone", zone), ("complaint", "lamps flicker"), ("reason", reason)];
        fields.into_iter().map(|(k, v)| (k, v.to_owned())).chain([("person", person.clone())]).collect::<Vec<_>>()
    };
    let post = async |fields: Vec<(&'static str, String)>| {
        let fields: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (*k, v.as_str())).collect();
        site.post(&at, &fields).await
    };
    // What is wrong is said, what was typed stays, and nothing is written.
    for (fields, words) in [
        (typed("2026-13-01", "3", "Asia/Kolkata", "the owner asked"), "is no day"),
        (typed("2026-12-05", "300", "Asia/Kolkata", "the owner asked"), "between a quarter of an hour"),
        (typed("2026-12-05", "3", "Middle/Earth", "the owner asked"), "is no time zone"),
        (typed("2026-12-05", "3", "Asia/Kolkata", " "), "Write the reason"),
    ] {
        let (status, _, page) = post(fields).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{words}");
        assert!(page.contains(words) && page.contains("lamps flicker"), "{page}");
    }
    let day = async || site.get(&site.at("day")).await.1;
    assert!(day().await.contains("Times are those of UTC"));
    let (status, ..) = post(typed("2026-12-05", "3,5", "Asia/Kolkata", "the owner asked")).await;
    assert_eq!(status, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&at).await;
    assert_eq!(fields(&page, "day"), ["2026-12-05"], "{page}");
    assert!(page.contains("value=\"3.5\"") && page.contains("1970-01-01, 4 h, UTC"), "{page}");
    // India keeps one time all year: UTC + 5:30, IST (IANA time zone database).
    assert!(page.contains(" IST") && site.get(&site.at("safe")).await.1.contains(" IST"), "{page}");
    let told = day().await;
    assert!(told.contains("Times are those of Asia/Kolkata") && told.contains("the owner asked"), "{told}");

    // Withdrawn it leaves the list and cannot be signed; all of it is still there, and it can count again.
    let listed = async |query: &str| site.get(&format!("/visits{query}")).await.1.contains(&site.at("trace"));
    let withdraw = site.at("withdraw");
    let (status, ..) = site.post(&withdraw, &[("withdraw", "yes"), ("reason", "")]).await;
    assert_eq!((status, listed("").await), (StatusCode::UNPROCESSABLE_ENTITY, true));
    for _ in 0..2 {
        let (status, ..) = site.post(&withdraw, &[("withdraw", "yes"), ("reason", "opened twice")]).await;
        assert_eq!(status, StatusCode::SEE_OTHER);
    }
    assert_eq!((listed("").await, listed("?withdrawn=1").await, listed("?due=1").await), (false, true, false));
    let (status, _, page) = site.post(&site.at("hand-over"), &[("name", "Ana Bell")]).await;
    assert!(status == StatusCode::CONFLICT && page.contains("was withdrawn"), "{status} {page}");
    assert!(site.get(&site.at("findings")).await.1.contains("This visit was withdrawn"));
    assert_eq!(day().await.matches("opened twice").count(), 1, "two who withdraw it withdraw it once");
    site.post(&withdraw, &[("withdraw", "no"), ("reason", "it was the other one")]).await;
    assert!(listed("").await);

    // Customers are found by what is typed, and only those of the firm.
    let (_, found) = site.get("/customers?q=cust").await;
    assert_eq!(found, "[\"Customer\"]");
    assert_eq!(site.get("/customers?q=%25").await.1, "[]", "what is typed means itself");
}

#[tokio::test(flavor = "multi_thread")]
async fn figures_by_month_count_what_stands_and_neither_practice_nor_what_was_withdrawn() {
    let mut site = site("months").await;
    let today = chrono::Utc::now().date_naive();
    let day = today.to_string();
    let open = [
        ("customer", "C"),
        ("contact", ""),
        ("rig", "R"),
        ("profile", "na-rv"),
        ("day", &*day),
        ("hours", "4"),
        ("complaint", ""),
    ];
    let (_, headers, _) = site.post("/visits", &open).await;
    let at = headers[axum::http::header::LOCATION]
        .to_str()
        .expect("an address")
        .split('/')
        .nth(2)
        .and_then(|n| n.parse().ok());
    site.visit = at.expect("a visit");
    assert_eq!(site.trace(RIG, "1").await, StatusCode::SEE_OTHER);
    site.make_safe().await;
    let rows = async || site.get("/months?csv=1").await.1.lines().skip(1).map(str::to_owned).collect::<Vec<_>>();
    let month = today.format("%Y-%m");
    assert_eq!(rows().await, [format!("{month},1,0,0,0,0,0,0")]);
    // A reading that another took the place of counts no more.
    for value in ["0.2", "5"] {
        assert_eq!(site.reading("land:heater", value).await, StatusCode::SEE_OTHER);
    }
    let found = fields(&site.get(&site.at("findings")).await.1, "finding").into_iter().next().expect("a finding");
    let deferred = [("finding", &*found), ("event", "deferred"), ("note", "the owner brings the part")];
    assert_eq!(site.post(&site.at("findings"), &deferred).await.0, StatusCode::SEE_OTHER);
    assert_eq!(site.post("/training", &[("profile", "na-rv")]).await.0, StatusCode::SEE_OTHER);
    assert_eq!(rows().await, [format!("{month},1,0,1,1,0,0,1")]);
    let (status, page) = site.get("/months").await;
    assert!(status == StatusCode::OK && page.contains(&format!("<strong>{month}</strong>")), "{page}");
    site.post(&site.at("withdraw"), &[("withdraw", "yes"), ("reason", "opened twice")]).await;
    assert_eq!(rows().await, [""; 0]);
}
