//! What is recorded at the rig: readings delivered late and twice, a grid at once, and what explains them.

mod site;

use axum::http::StatusCode;
use serde_json::json;
use site::{Site, site};

/// A small rig with a fuse block, on which nothing mains hangs.
const DC: &str = "\
place bay: bay
battery house in bay: lifepo4 12.8V 100Ah
isolator main in bay: 100A
fuse-block dc in bay: 60A, way pump 10A, way lamps 10A
dc-load pump in bay: 6A
dc-load lamps in bay: 4A
run house.+ : 0.2m 16mm2, fuse F1 60A bolt-down, 0.3m 16mm2, main, 0.5m 16mm2, dc.in
run house.- : 0.5m 16mm2, dc.-
run dc.pump : 4m 2.5mm2, pump.+
run dc.- : 4m 2.5mm2, pump.-
run dc.lamps : 5m 2.5mm2, lamps.+
run dc.- : 5m 2.5mm2, lamps.-
";

/// The tests of the plan with a mark of whether each has a reading, as the page lists them.
async fn latest(site: &Site, test: &str) -> String {
    let (_, page) = site.get(&site.at(&format!("readings?test={test}"))).await;
    page
}

#[tokio::test(flavor = "multi_thread")]
async fn what_waited_is_entered_once_and_in_order_however_often_it_is_sent() {
    let site = site("deliver").await;
    site.post(&site.at("trace"), &[("text", DC), ("base", "1")]).await;
    let one = |client: &str, test: &str, value: &str| json!({"client": client, "test": test, "value": value, "at": "2026-05-31T09:30:00Z"});
    let list =
        json!([one("a-1", "short:dc", "OL"), one("a-2", "rest:house", "13.3"), one("a-3", "rest:house", "13.31")]);
    let (status, said) = site.json("readings/deliver", &list.to_string()).await;
    assert_eq!(status, StatusCode::OK, "{said}");
    assert!(said.as_array().is_some_and(|l| l.len() == 3 && l.iter().all(|a| a["refused"].is_null())), "{said}");
    // The answer was lost: the same is sent again, with one more.
    let again =
        json!([one("a-2", "rest:house", "13.3"), one("a-3", "rest:house", "13.31"), one("a-4", "drop:pump", "0.4")]);
    let (_, said) = site.json("readings/deliver", &again.to_string()).await;
    assert!(said.as_array().is_some_and(|l| l.iter().all(|a| a["refused"].is_null())), "{said}");
    let page = latest(&site, "rest:house").await;
    assert_eq!((page.matches("V is within").count(), page.matches("(superseded)").count()), (2, 1), "{page}");
    assert!(page.contains("31 May 2026, 09:30 UTC"), "it was taken when it was taken: {page}");
    // What cannot be taken says why, and does not hold up what follows.
    let bad = json!([
        one("a-5", "nonsense", "1"),
        one("", "drop:pump", "1"),
        one("a-6", "drop:pump", "x"),
        one("a-7", "sag:house", "13.2")
    ]);
    let (_, said) = site.json("readings/deliver", &bad.to_string()).await;
    let refused: Vec<bool> = said.as_array().into_iter().flatten().map(|a| !a["refused"].is_null()).collect();
    assert_eq!(refused, [true, true, true, false], "{said}");
    // Another firm's visit takes nothing.
    let (status, _, _) = site.post(&format!("/visits/{}/readings/grid", site.foreign), &[("v:short:dc", "OL")]).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_grid_takes_many_and_the_diagnosis_names_what_explains_them() {
    let site = site("grid").await;
    site.post(&site.at("trace"), &[("text", DC), ("base", "1")]).await;
    let (_, page) = site.get(&site.at("readings?grid=DC%20live")).await;
    assert!(page.contains("name=\"v:drop:pump\"") && !page.contains("name=\"v:short:dc\""), "{page}");
    // The battery is not closed on trust: the short is looked for first.
    let grid = [("grid", "DC live"), ("v:drop:pump", "0.41"), ("v:drop:lamps", "0.34")];
    let (status, _, page) = site.post(&site.at("readings/grid"), &grid).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("No short between positive"), "{page}");
    site.post(&site.at("readings/grid"), &[("v:short:dc", "OL")]).await;
    let (status, ..) = site.post(&site.at("readings/grid"), &grid).await;
    assert_eq!(status, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("diagnosis")).await;
    assert!(page.contains("nothing is accused"), "{page}");
    // The lamps lose a volt more than their copper explains.
    site.post(&site.at("readings/grid"), &[("v:drop:lamps", "1.15")]).await;
    let (_, page) = site.get(&site.at("diagnosis")).await;
    assert!(page.contains("a joint of the conductor") && page.contains("lamps"), "{page}");
    assert!(page.contains("Take next") && page.contains("cleared"), "{page}");
    let key = page.split("name=\"key\" value=\"").nth(1).and_then(|k| k.split('"').next()).expect("a key").to_owned();
    let (status, ..) = site.post(&site.at("diagnosis"), &[("key", &key), ("note", "no")]).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    site.post(&site.at("diagnosis"), &[("key", &key), ("note", "green lug at the block, turns by hand")]).await;
    for page in ["findings", "hand-over"] {
        let (_, page) = site.get(&site.at(page)).await;
        assert!(page.contains("green lug at the block"), "{page}");
    }
}
