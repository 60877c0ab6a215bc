//! Every rig judged again, on its pages: begun, followed, called for; letters in the owner's language; figures that name nobody.

mod site;

use axum::http::StatusCode;
use chrono::Utc;
use murvet_web::{App, Clock, work};
use serde_json::json;
use site::site;

/// What an owner was told: that all is well.
const TOLD_NOTHING: &str = "rig r profile na-rv\nbattery b: agm 12V 100Ah \"House bank\"\ndc-load heater: 15A\nrun b.+ : 2m 14AWG, heater.+\nrun b.- : 2m 14AWG, heater.-\n";

#[tokio::test(flavor = "multi_thread")]
async fn whoever_is_to_be_called_is_listed_and_written_to() {
    let mut site = site("fleet").await;
    let (firm, ana) = site.store.person_called("ana").await.expect("is there");
    let record = json!({ "rig": { "trace": TOLD_NOTHING, "revision": 1 }, "audit": { "findings": [
        { "slug": "gone-rule", "subject": "x", "statement": "It was so", "severity": "soon", "certainty": "certain" } ] } });
    site.store.sign_hand_over(firm, site.visit, &record, ana, Utc::now()).await.expect("signed");
    site.store.set_customer_language(firm, site.visit, Some("es")).await.expect("kept");
    site.store.set_builder(firm, site.visit, "=Vans & Co", Some(2021)).await.expect("kept");

    let (status, _, page) = site.post("/fleet", &[("reason", " ")]).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("why every rig"), "{page}");
    let (status, headers, _) = site.post("/fleet", &[("reason", "first devices <nearer>")]).await;
    assert_eq!(status, StatusCode::SEE_OTHER);
    let at = headers["location"].to_str().expect("text").to_owned();
    let (_, page) = site.get(&at).await;
    assert!(page.contains("0 of 1 rigs judged") && page.contains("first devices &#60;nearer&#62;"), "{page}");
    // Stopped, gone on with, and judged by a worker.
    site.post(&format!("{at}/go"), &[("go", "off")]).await;
    assert!(site.get(&at).await.1.contains("Stopped:"));
    site.post(&format!("{at}/go"), &[("go", "on")]).await;
    let app = App::new(site.store.clone(), Clock::system(), false);
    let worker = tokio::spawn(work(app, "w".to_owned(), std::future::pending()));
    while !site.get(&format!("{at}/now")).await.1.contains("\"over\":true") {
        tokio::time::sleep(std::time::Duration::from_millis(10)).await;
    }
    worker.abort();

    let (_, page) = site.get(&at).await;
    for words in ["1 of 1 rigs judged", "Done.", "Customer", "New: ", "keep off", "No longer found", "It was so"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    for (query, listed) in [
        ("builder=vans&from=2020&to=2021&rule=overcurrent-missing", true),
        ("builder=boats", false),
        ("from=2022", false),
        ("rule=charger-loop", false),
        ("rule=gone-rule&show=all", false),
        ("due=1970-01-01", false),
        ("show=trouble", false),
    ] {
        assert_eq!(site.get(&format!("{at}?{query}")).await.1.contains("<article"), listed, "{query}");
    }
    for query in ["from=soon", "due=soon", "after=1.2", "after=1.x.3"] {
        let (status, page) = site.get(&format!("{at}?{query}")).await;
        assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("neither a year"), "{query}: {page}");
    }
    // The letter is Spanish, by the labels of the things; the figures name no owner and no formula.
    let (_, letters) = site.get(&format!("{at}/letters")).await;
    for words in ["lang=\"es\"", "Sobre la instalación", "No se acerque", "En: House bank.", "Llámenos"] {
        assert!(letters.contains(words), "{words}: {letters}");
    }
    let (_, calls) = site.get(&format!("{at}/calls.csv")).await;
    assert!(calls.lines().count() == 2 && calls.contains("keep-off") && calls.contains("Customer"), "{calls}");
    let (_, figures) = site.get(&format!("{at}/figures.csv")).await;
    assert!(figures.contains("overcurrent-missing,'=Vans & Co,2020 to 2024,1,1,1"), "{figures}");
    assert!(!figures.contains("Customer") && !figures.contains("gone-rule"), "{figures}");
    // A call is entered and counted.
    let rig = site.store.visit(firm, site.visit).await.expect("there").rig_id;
    let own = format!("{at}/rigs/{rig}");
    assert!(site.get(&own).await.1.contains("told at the last hand-over"));
    site.post(&own, &[("reached", "no"), ("note", "rang out")]).await;
    assert!(site.get(&at).await.1.contains("<dt>Owner reached</dt><dd>0</dd>"));
    site.post(&own, &[("reached", "yes"), ("note", "keeps it off")]).await;
    assert!(site.get(&own).await.1.contains("keeps it off") && site.get(&at).await.1.contains("<dd>1</dd>"));
    assert!(site.get(&at).await.1.contains("<dt>Owner reached</dt><dd>1</dd>"));

    // A second run holds the rig against the hand-over again; nobody else's firm sees any of it.
    site.sign_in("ben").await;
    for path in ["", "/now", "/letters", "/calls.csv", "/figures.csv", &format!("/rigs/{rig}")] {
        assert_eq!(site.get(&format!("{at}{path}")).await.0, StatusCode::NOT_FOUND, "{path}");
    }
    assert_eq!(site.post(&own, &[("reached", "yes"), ("note", "")]).await.0, StatusCode::NOT_FOUND);
    assert_eq!(site.post(&format!("{at}/go"), &[("go", "on")]).await.0, StatusCode::NOT_FOUND);
}
