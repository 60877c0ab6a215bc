//! Kinds of visits, what fits the hours, complaints with a delay, and how each switch was left.

mod site;

use axum::http::StatusCode;
use site::{Site, site};

const RIG: &str = "rig r profile na-rv\nbattery house: lifepo4 12.8V 100Ah\nisolator S: 100A \"Main switch\"\ninlet s: 120V 15A\npanel p: main 15A, way a 15A rcd 5mA\n\
                   outlet o\nfuse-block f: way l 10A\ndc-load lamp: 5A\nremark S found-off \"owner switched it off\"\n\
                   run house.+ : 0.1m 6AWG, fuse F 60A class-t, 0.5m 6AWG, S, 0.3m 6AWG, f.in\nrun f.l : 2m 12AWG, lamp.+\nrun f.- : 2m 12AWG, lamp.-\n\
                   run house.- : 0.5m 6AWG, f.-\ncable W 3x14AWG 2m s -> p.main\ncable V 3x14AWG 2m p.a -> o\n";

/// Opens a visit of a kind for a rig of its own, and goes on in it.
async fn opened(site: &mut Site, kind: &str) -> StatusCode {
    let fields = [
        ("customer", "Customer"),
        ("contact", ""),
        ("rig", "Second rig"),
        ("profile", "na-rv"),
        ("day", "2026-11-02"),
        ("hours", "0.75"),
        ("complaint", ""),
        ("kind", kind),
    ];
    let (status, headers, _) = site.post("/visits", &fields).await;
    if let Some(to) = headers.get(axum::http::header::LOCATION) {
        let id = to.to_str().expect("text").split('/').nth(2).and_then(|n| n.parse().ok());
        site.visit = id.expect("the visit");
    }
    status
}

#[tokio::test(flavor = "multi_thread")]
async fn a_visit_of_a_kind_asks_for_its_tests_and_says_what_does_not_fit() {
    let mut site = site("kinds").await;
    assert_eq!(opened(&mut site, "yearly").await, StatusCode::UNPROCESSABLE_ENTITY, "no such kind");
    assert_eq!(opened(&mut site, "after-journey").await, StatusCode::SEE_OTHER);
    assert_eq!(site.trace(RIG, "1").await, StatusCode::SEE_OTHER);
    let (_, road) = site.get(&site.at("readings")).await;
    assert!(road.contains("after the first journey") && road.contains("torque:S") && !road.contains("core:W:L"));
    assert_eq!(opened(&mut site, "finished").await, StatusCode::SEE_OTHER);
    assert_eq!(site.trace(RIG, "1").await, StatusCode::SEE_OTHER);
    let (_, whole) = site.get(&site.at("readings")).await;
    assert!(whole.contains("core:W:L") && whole.contains("finished rig"));
    // Opened as another kind, it is changed; what is no kind is refused, and a stranger's visit is not there.
    assert_eq!(site.post(&site.at("kind"), &[("kind", "yearly")]).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(site.post(&site.at("kind"), &[("kind", "before-linings")]).await.0, StatusCode::SEE_OTHER);
    let (_, open) = site.get(&site.at("readings")).await;
    assert!(open.contains("core:W:L") && !open.contains("rcd:p.a"), "nothing runs before the linings close");
    assert_eq!(site.post(&site.at("kind"), &[("kind", "finished")]).await.0, StatusCode::SEE_OTHER);
    let foreign = format!("/visits/{}/kind", site.foreign);
    assert_eq!(site.post(&foreign, &[("kind", "finished")]).await.0, StatusCode::NOT_FOUND);
    // Three quarters of an hour do not do: what does not fit is said, and left out with one press and its reason.
    let (status, page) = site.get(&site.at("hours")).await;
    assert_eq!(status, StatusCode::OK);
    assert!(page.contains("45 min are left") && page.contains("Does not fit"), "{page}");
    let left = page.split("<textarea name=\"tests\" hidden>").nth(1).and_then(|p| p.split("</textarea>").next());
    let left = left.expect("the list").trim().to_owned();
    assert!(left.lines().count() > 3, "{left}");
    // The list of readings marks the same ones, with what would be lost, until they are left out.
    let marked = async || site.get(&site.at("readings")).await.1.matches("Does not fit the hours:").count();
    assert_eq!(marked().await, left.lines().count());
    let (status, ..) = site.post(&site.at("hours"), &[("tests", &left)]).await;
    assert_eq!(marked().await, 0);
    assert_eq!(status, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("hours")).await;
    assert!(!page.contains("Does not fit"), "what is left out is not asked for again");
    let (_, page) = site.get(&site.at("hand-over")).await;
    assert!(page.matches("the hours did not reach").count() >= left.lines().count());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_complaint_with_a_delay_has_its_load_test_and_a_wrong_delay_loses_nothing() {
    let site = site("delays").await;
    assert_eq!(site.trace(RIG, "1").await, StatusCode::SEE_OTHER);
    let told = |delay: &'static str| {
        [("words", "lamp goes dim"), ("told_by", "Owner"), ("symptom", "dim"), ("about", "lamp"), ("delay", delay)]
    };
    let (status, _, page) = site.post(&site.at("complaints"), &told("a while")).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(page.contains("no number of minutes") && page.contains("lamp goes dim") && page.contains("a while"));
    assert_eq!(site.post(&site.at("complaints"), &told("40")).await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("complaints")).await;
    let link = page.split("href=\"").find(|l| l.contains("minutes=60")).and_then(|l| l.split('"').next());
    let link = link.expect("a load test half as long again").replace("&#38;", "&").replace("&amp;", "&");
    let (status, page) = site.get(&link).await;
    assert_eq!(status, StatusCode::OK);
    assert!(page.contains("As a load test") && page.contains("After 60 min"), "{page}");
}

#[tokio::test(flavor = "multi_thread")]
async fn how_each_switch_was_left_is_said_printed_and_signed() {
    let site = site("left").await;
    assert_eq!(site.trace(RIG, "1").await, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("hand-over")).await;
    assert!(page.contains("How each was left") && page.contains("found off: owner switched it off"), "{page}");
    let leave = |at: &'static str, note: &'static str| [("p:S", at), ("n:S", note), ("p:s", ""), ("n:s", "")];
    let path = site.at("hand-over/left-as");
    assert_eq!(site.post(&path, &leave("ajar", "")).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(site.post(&path, &leave("locked-off", "until the fuse is there")).await.0, StatusCode::SEE_OTHER);
    assert_eq!(site.post(&path, &leave("on", "fuse fitted")).await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("hand-over")).await;
    assert!(page.contains("fuse fitted") && !page.contains("until the fuse"), "the newest word counts");
    assert_eq!(site.post(&site.at("hand-over"), &[("name", "Ana Bell")]).await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("hand-over")).await;
    let link = page.split("href=\"").find(|p| p.contains("Signed record")).and_then(|p| p.split('"').next());
    let (_, file) = site.get(link.expect("a link to the record")).await;
    assert!(file.contains("fuse fitted") && file.contains("left_as"));
}

#[tokio::test(flavor = "multi_thread")]
async fn an_owner_reads_in_the_words_of_the_region_or_in_the_language_that_was_chosen() {
    let mut site = site("owner").await;
    assert_eq!(opened(&mut site, "finished").await, StatusCode::SEE_OTHER);
    assert_eq!(site.trace(RIG, "1").await, StatusCode::SEE_OTHER);
    let fields = [("test", "button:p.a"), ("reason", "breaker behind the fridge"), ("how", "owner")];
    assert_eq!(site.post(&site.at("readings/leave"), &fields).await.0, StatusCode::SEE_OTHER);
    site.post(&site.at("hand-over/left-as"), &[("p:S", "locked-off"), ("n:S", "key with the owner")]).await;
    let (status, page) = site.get(&site.at("owner")).await;
    assert_eq!(status, StatusCode::OK);
    for words in
        ["lang=\"en-US\"", "Plugged in at the pedestal", "locked off: do not switch it on", "press the test button"]
    {
        assert!(page.contains(words), "{words}: {page}");
    }
    assert_eq!(site.post(&site.at("owner"), &[("language", "xx")]).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(site.post(&site.at("owner"), &[("language", "es")]).await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("owner")).await;
    for words in
        ["lang=\"es\"", "Qué puede usar", "bloqueado en apagado", "pulse el botón de prueba", "key with the owner"]
    {
        assert!(page.contains(words), "{words}: {page}");
    }
    assert!(!page.contains("Plugged in at"), "nothing is left in English: {page}");
    // The tests left to the owner stand in that language in the report as well; without a choice the region's is back.
    let (_, report) = site.get(&site.at("hand-over")).await;
    assert!(report.contains("pulse el botón de prueba"), "{report}");
    site.post(&site.at("owner"), &[("language", "")]).await;
    assert!(site.get(&site.at("owner")).await.1.contains("lang=\"en-US\""));
    let foreign = format!("/visits/{}/owner", site.foreign);
    assert_eq!(site.get(&foreign).await.0, StatusCode::NOT_FOUND);
    assert_eq!(site.post(&foreign, &[("language", "es")]).await.0, StatusCode::NOT_FOUND);
}
