//! The walk: what it asks for next, and that every act on it leads on.

mod site;

use axum::http::{StatusCode, header};
use site::{Site, fields, site};

/// A battery without a fuse, and an outlet on an inlet.
const BARE: &str = "\
battery b: lifepo4 12.8V 100Ah
dc-load heater: 15A
inlet s: 120V 15A
outlet o
cable W 3x14AWG 2m s -> o
run b.+ : 2m 10AWG, heater.+
run b.- : 2m 10AWG, heater.-
";

async fn walk(site: &Site, query: &str) -> String {
    let (status, page) = site.get(&site.at(&format!("walk{query}"))).await;
    assert_eq!(status, StatusCode::OK, "{page}");
    page
}

/// Sends a form of the walk; it leads on along the walk.
async fn act(site: &Site, to: &str, form: &[(&str, &str)]) -> String {
    let (status, headers, page) = site.post(&site.at(to), &[&[("from", "walk")], form].concat()).await;
    assert_eq!(status, StatusCode::SEE_OTHER, "{to} {form:?}: {page}");
    let onward = headers[header::LOCATION].to_str().expect("an address").to_owned();
    assert!(onward.starts_with(&site.at("walk")), "{onward}");
    onward
}

/// The test that the walk asks for.
fn asked(page: &str) -> Option<String> {
    let entry = page.split("id=\"entry\"").nth(1)?;
    fields(entry, "test").into_iter().next()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_walk_leads_from_the_first_step_to_the_hand_over() {
    let site = site("onward").await;
    assert_eq!(site.trace(BARE, "1").await, StatusCode::SEE_OTHER);
    // First the rig is made safe, step by step; nothing else is offered.
    let mut steps = 0;
    loop {
        let page = walk(&site, "").await;
        let Some(step) = fields(&page, "step").into_iter().next() else { break };
        assert!(asked(&page).is_none() && !page.contains("name=\"title\""), "{page}");
        assert_eq!(act(&site, "safe", &[("step", &step)]).await, site.at("walk"));
        steps += 1;
    }
    assert!(steps >= 5, "{steps} steps");

    // What was typed wrong is told on the walk, with what was typed; what is read is told with what it means, above what is next.
    let (mut read, mut left) = (0, 0);
    let (mut wrong, mut failed) = (false, false);
    let mut page = walk(&site, "").await;
    while let Some(test) = asked(&page) {
        let number = page.contains("id=\"value\"");
        if number && !wrong {
            wrong = true;
            let (status, _, again) =
                site.post(&site.at("readings"), &[("from", "walk"), ("test", &test), ("value", "3 bananas")]).await;
            assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
            assert!(
                again.contains("3 bananas") && again.contains("id=\"record\"") && again.contains("Walk:"),
                "{again}"
            );
            assert_eq!(asked(&again).as_deref(), Some(&*test));
        }
        let onward = if page.contains("class=\"btn-ink look\"") {
            // One look fails: its meaning stands on the next page, and the walk goes on all the same.
            let value = if failed { "yes" } else { "no" };
            failed = true;
            act(&site, "readings", &[("test", &test), ("value", ""), ("value", value)]).await
        } else {
            left += 1;
            act(
                &site,
                "readings/leave",
                &[("test", &test), ("how", "out"), ("reason", "no instrument for it was at hand")],
            )
            .await
        };
        page = walk(&site, onward.split_once("walk").map_or("", |(_, q)| q)).await;
        if onward.contains("said=") {
            read += 1;
            assert!(page.contains("id=\"said\""), "{page}");
        }
        assert_ne!(asked(&page), Some(test), "what is done is not asked for again");
        assert!(read + left < 100, "the tests never end");
    }
    assert!(read >= 1 && left > 3, "{read} read, {left} left out");
    assert!(page.contains("tests were left out"), "{page}");

    // Then the missing fuse: its repairs stand on the page. Doing one asks for its proof before the next finding.
    assert!(page.contains("No overcurrent device") && page.contains("data-component=\"b\""), "{page}");
    let (finding, base) = (fields(&page, "finding")[0].clone(), fields(&page, "base")[0].clone());
    let title = fields(&page, "title").into_iter().find(|t| t.starts_with("Fit a fuse")).expect("a fuse is proposed");
    act(&site, "put-right", &[("finding", &finding), ("title", &title), ("base", &base)]).await;
    let mut page = walk(&site, "").await;
    while let Some(test) = asked(&page) {
        assert!(page.contains("class=\"btn-ink look\"") || page.contains("id=\"value\""), "{page}");
        act(&site, "readings/leave", &[("test", &test), ("how", "out"), ("reason", "looked at with the repair")]).await;
        page = walk(&site, "").await;
    }
    assert!(page.contains("/put-right/re-test"), "{page}");
    act(&site, "put-right/re-test", &[("finding", &finding), ("note", "250 A read, lugs tugged")]).await;

    // What is left is decided with a reason, until nothing is left but the hand-over.
    let mut decided = 0;
    loop {
        let page = walk(&site, "").await;
        let Some(finding) = fields(&page, "finding").into_iter().next() else {
            assert!(
                page.contains(&format!("href=\"{}\"", site.at("hand-over"))) && page.contains("id=\"onward\""),
                "{page}"
            );
            break;
        };
        act(&site, "findings", &[("finding", &finding), ("event", "deferred"), ("note", "the owner brings the part")])
            .await;
        decided += 1;
        assert!(decided < 20, "findings never end");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_beyond_a_licence_is_referred_from_the_walk_and_stays_open() {
    let site = site("beyond").await;
    assert_eq!(site.trace(BARE, "1").await, StatusCode::SEE_OTHER);
    site.make_safe().await;
    // Whoever is signed in may work on mains, and not on a battery.
    let licence =
        [("holder", "1"), ("kind", "mains-fixed"), ("region", "na-rv"), ("number", "P 7"), ("ends_on", "2199-01-01")];
    assert_eq!(site.post("/practice/licences", &licence).await.0, StatusCode::SEE_OTHER);
    let mut page = walk(&site, "").await;
    while let Some(test) = asked(&page) {
        act(&site, "readings/leave", &[("test", &test), ("how", "out"), ("reason", "another visit is for these")])
            .await;
        page = walk(&site, "").await;
    }
    assert!(page.contains("you have no licence for here: extra-low"), "{page}");
    let (finding, title) = (fields(&page, "finding")[0].clone(), fields(&page, "title")[0].clone());
    let base = fields(&page, "base");
    let tried = [("finding", &*finding), ("title", &title), ("base", "2")];
    assert!(
        base.is_empty() && site.post(&site.at("put-right"), &tried).await.0 == StatusCode::CONFLICT,
        "not done here"
    );
    let form = [
        ("finding", &*finding),
        ("title", &title),
        ("kinds", "extra-low"),
        ("brief", "Fit the fuse at the battery, 0.2 m from it."),
    ];
    act(&site, "refer", &form).await;
    // It is behind one on the walk, not out of the world.
    let (_, findings) = site.get(&site.at("findings")).await;
    assert!(findings.contains("No overcurrent device") && findings.contains("referred: "), "{findings}");
    assert!(!fields(&walk(&site, "").await, "finding").contains(&finding));
    let (_, work) = site.get(&site.at("work")).await;
    assert!(work.contains("Fit the fuse at the battery, 0.2 m from it."), "{work}");
}
