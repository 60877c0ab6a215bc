//! A van of forty components is traced by somebody who never saw the notation: by touch alone, in the hand, knowing nothing but
//! what stands on the page. What is arrived at is the van as somebody else wrote it down.

mod browser;

use browser::{Person, leave, signed_in};
use fantoccini::Locator;
use murvet_core::audit::audit;
use murvet_core::meaning::compare;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::Rig;
use serde_json::json;
use std::collections::BTreeSet;

const VAN: &str = include_str!("tapped/dunlin.rig");
const TAPS: &str = include_str!("tapped/dunlin.taps");

/// Finds what has these words and marks it; tells whether a page follows when it is tapped.
const FIND: &str = "const words = arguments[0];
    const own = (e) => { const c = e.cloneNode(true); c.querySelectorAll('small, .counts').forEach((s) => s.remove()); return c.textContent.replace(/\\s+/g, ' ').trim(); };
    document.querySelectorAll('[data-tap]').forEach((e) => delete e.dataset.tap);
    const all = words.startsWith('@') ? document.querySelectorAll(`.map a[data-component='${words.slice(1)}']`) : document.querySelectorAll('main button, main a, main label, main summary');
    const found = [...all].find((e) => e.checkVisibility() && (words.startsWith('@') || own(e) === words));
    if (!found) return null;
    found.dataset.tap = 'here';
    return !['LABEL', 'SUMMARY'].includes(found.tagName) && found.type !== 'button';";

/// Keeps of a page: no sideways scroll, no more than four screens before something is unfolded.
const KEEPS: &str =
    "return document.documentElement.scrollWidth <= innerWidth && document.body.scrollHeight <= 4 * innerHeight";

async fn tap(person: &Person, words: &str) -> bool {
    let found = person.run(FIND, vec![json!(words)]).await;
    let Some(leads_on) = found.as_bool() else {
        let page = person.run("return document.querySelector('main').innerText", vec![]).await;
        panic!("\"{words}\" stands nowhere on {}: {page}", person.path().await);
    };
    if leads_on {
        person.press("[data-tap]").await;
    } else {
        // What acts in the page does so once the script has it.
        person.until("[...document.querySelectorAll('main [x-data]')].every((e) => e._x_dataStack)").await;
        person.press_in_place("[data-tap]").await;
    }
    leads_on
}

async fn saved(person: &Person, visit: &str) -> Rig {
    let text = person.run(&format!("return fetch('{visit}/trace/rig.json').then((r) => r.text())"), vec![]).await;
    Rig::from_json(text.as_str().expect("text")).expect("a rig")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_van_is_traced_by_somebody_who_never_saw_the_notation() {
    let (person, _kept, profile) = signed_in("tapped", 390, 844).await;
    person.fill("#customer", "Petra Lind").await;
    person.fill("#rig", "Dunlin").await;
    person.run("document.querySelector('[name=profile]').value = 'eu-uk'", vec![]).await;
    person.press("form[action='/visits'] .btn-ink").await;
    let visit = person.path().await.trim_end_matches("/trace").to_owned();

    let (mut taps, mut pages) = (0, 0);
    let mut checked: BTreeSet<String> = BTreeSet::new();
    for words in TAPS.lines().filter(|l| !l.is_empty() && !l.starts_with('#')) {
        taps += 1;
        if !tap(&person, words).await {
            continue;
        }
        pages += 1;
        assert_eq!(person.run(KEEPS, vec![]).await, json!(true), "after \"{words}\", {}", person.path().await);
        // Each kind of page is open to everybody after what was done on the one before it.
        if checked.insert(person.path().await) {
            assert_eq!(person.violations().await, [""; 0], "after \"{words}\", {}", person.path().await);
        }
    }
    println!("a van of forty components: {taps} taps on {pages} pages");
    assert!(taps < 150, "{taps} taps");
    person.sees("Every end is traced, and everything that was assumed has been seen").await;

    let found = saved(&person, &visit).await;
    let wanted = parse(VAN).expect("parses");
    assert!(wanted.components.len() >= 40, "{} components", wanted.components.len());
    assert_eq!(compare(&wanted, &found), [], "what differs from the van");
    let things = |rig: &Rig| {
        let mut list: Vec<_> = rig
            .components
            .iter()
            .map(|c| (c.id.clone(), c.kind, c.place.clone(), c.attrs.clone(), c.ways.clone()))
            .collect();
        list.sort_by(|a, b| a.0.cmp(&b.0));
        list
    };
    assert_eq!(things(&found), things(&wanted));
    let keys = |rig: &Rig| audit(rig, ProfileId::EU_UK).findings.iter().map(|f| f.key()).collect::<BTreeSet<_>>();
    assert_eq!(keys(&found), keys(&wanted));

    // What was written last is taken back, and is not lost; another tab's answer on what is not there any more is not written.
    person.press("#back").await;
    assert_eq!(saved(&person, &visit).await.components.len(), found.components.len(), "the plate alone was taken back");
    person.sees("taken back").await;
    let old = "return fetch(arguments[0] + '/ends/put', {method: 'POST', headers: {'Content-Type': 'application/x-www-form-urlencoded'}, body: 'base=3&kind=bus&place='}).then((r) => r.status)";
    assert_eq!(person.run(old, vec![json!(visit)]).await, json!(200));
    assert_eq!(saved(&person, &visit).await.components.len(), found.components.len());
    // A length that is none is answered in words, and what was chosen stands.
    tap(&person, "@socket-5").await;
    person.fill("[name=typed]", "two yards").await;
    tap(&person, "outlet").await;
    person
        .until("document.querySelector('[role=alert]') && document.querySelector('[name=typed]').value === 'two yards'")
        .await;
    assert!(person.client.find(Locator::Css("[name=size]:checked")).await.is_ok());
    assert_eq!(person.complaints(&["422"]).await, Vec::<String>::new());
    leave(person, &profile).await;
}
