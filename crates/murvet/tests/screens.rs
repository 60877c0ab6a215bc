//! Every screen by the accessibility checker in light and dark and in the hand; a van entered by keyboard and by touch;
//! every finding stepped on the map; an edit answered soon and in few bytes.

mod browser;

use browser::{Person, leave, signed_in};
use fantoccini::Locator;
use fantoccini::key::Key;
use murvet_core::notation::parse;
use murvet_core::rig::Rig;
use serde_json::{Value, json};
use std::collections::BTreeSet;

const KITE: &str = include_str!("../demo/kite.rig");
const VAN: &str = include_str!("van.rig");

/// Screens of the demo world; visit 1 has the faulty rig, 3 one in mid-visit.
const SCREENS: [&str; 59] = [
    "/months",
    "/fleet",
    "/fleet/1?show=all",
    "/fleet/1/rigs/1",
    "/fleet/1/letters",
    "/visits/1/visit",
    "/people",
    "/trail",
    "/account",
    "/shared",
    "/away",
    "/practice",
    "/visits/3/case",
    "/visits/1/complaints",
    "/visits/3/monitor",
    "/visits/2/readings?test=balance:combi",
    "/visits/3/csv",
    "/visits/3/day",
    "/visits/3/diagnosis",
    "/visits/1/photographs?of=house",
    "/visits/1/readings?grid=Everything%20dead",
    "/visits/1/ask",
    "/visits/3/circuits",
    "/visits/1/history/1",
    "/visits/1/sketch",
    "/visits/1/states?fault=0",
    "/bench/cable?visit=1",
    "/visits/1/component/inverter",
    "/visits/1/planned",
    "/visits/2/run?wire=dc.pump--pump.%2B",
    "/visits",
    "/visits/1/safe",
    "/visits/1/trace",
    "/visits/2/ends",
    "/visits/2/ends/at?end=pos.bar",
    "/visits/2/ends/plate?of=cu",
    "/visits/1/states",
    "/visits/1/states?finding=charger-loop:conv&move=1&on=kettle&on=lamps",
    "/visits/1/walk",
    "/visits/2/walk",
    "/visits/1/readings",
    "/visits/3/readings?test=drop:lamps",
    "/visits/1/findings",
    "/visits/1/put-right",
    "/visits/2/work?hours=3&hands=2",
    "/visits/1/steps",
    "/visits/1/put-right?finding=charger-loop:conv",
    "/visits/1/hand-over",
    "/visits/1/owner",
    "/visits/1/next",
    "/visits/1/labels",
    "/visits/2/years",
    "/bundle",
    "/visits?q=heron&due=1",
    "/bench/cable",
    "/bench/residual?time=400ms",
    "/bench/ampacity?size=12",
    "/rules",
    "/rules/charger-loop?visit=1",
];

/// Keeps from the keyboard: what can be pressed and is no control, or cannot be reached.
const UNREACHED: &str = "return [...document.querySelectorAll('[onclick], [role=button], a:not([href]), [tabindex=\"-1\"]')].map((e) => e.outerHTML.slice(0, 120))";

#[tokio::test(flavor = "multi_thread")]
async fn every_screen_is_open_to_everybody_in_light_and_dark_and_in_the_hand() {
    let (person, _kept, profile) = signed_in("screens", 1280, 900).await;
    // The page of a run comes anew when it is over.
    person.go("/fleet/1").await;
    person.until("document.querySelector('main').innerText.includes('Done.')").await;
    let mut found: BTreeSet<String> = BTreeSet::new();
    for light in ["light", "dark"] {
        person.run("localStorage.setItem('murvet-light', arguments[0])", vec![json!(light)]).await;
        for screen in SCREENS {
            person.go(screen).await;
            person.until("window.Alpine").await;
            person.until(&format!("document.documentElement.dataset.light === '{light}'")).await;
            found.extend(person.violations().await.into_iter().map(|v| format!("{light} {screen}: {v}")));
            let kept = person.run(UNREACHED, Vec::new()).await;
            found.extend(
                kept.as_array().into_iter().flatten().map(|e| format!("{screen} keeps from the keyboard: {e}")),
            );
        }
    }
    person.client.set_window_size(390, 844).await.expect("resized");
    for screen in SCREENS {
        person.go(screen).await;
        person.until("document.documentElement.scrollWidth <= window.innerWidth").await;
        let small = person.run("return [...document.querySelectorAll('main button, main .btn-line, main .btn-ink, main select, main input:not([type=hidden]):not([type=checkbox]):not(.btn-check)')].filter((e) => e.checkVisibility() && e.getBoundingClientRect().height < 43 && !e.matches('.btn-link')).map((e) => e.outerHTML.slice(0, 120))", Vec::new()).await;
        found.extend(small.as_array().into_iter().flatten().map(|e| format!("{screen} is too small for a thumb: {e}")));
    }
    assert!(found.is_empty(), "{found:#?}");
    assert_eq!(person.complaints(&[]).await, [""; 0]);

    // Every finding of the faulty rig is stepped from parked to where it shows, and each is one move from its rule, its
    // way on the map and its repair.
    person.go("/visits/1/findings").await;
    let links = person.run("return [...document.querySelectorAll('article.finding')].map((a) => ['/states?finding=', '/rules/', '/put-right?finding='].map((p) => [...a.querySelectorAll('a')].map((l) => l.getAttribute('href')).find((h) => h.includes(p))))", Vec::new()).await;
    let links: Vec<Vec<String>> = serde_json::from_value(links).expect("three links each");
    assert!(links.len() >= 8, "{links:?}");
    for link in &links {
        person.go(&link[0]).await;
        let mut moves = 0;
        while person.client.find(Locator::Css("#step-next")).await.is_ok() {
            person.press("#step-next").await;
            moves += 1;
            assert!(moves < 12, "{link:?} comes to an end");
        }
        person.sees("here it shows").await;
        person.until("document.querySelector('main .map svg')").await;
    }
    for rule in links.iter().map(|l| &l[1]).collect::<BTreeSet<_>>() {
        person.go(rule).await;
        person.sees("A rig that breaks it").await;
        person.sees("In this visit").await;
    }
    leave(person, &profile).await;
}

/// The lines of a rig, without comments.
fn lines(text: &str) -> Vec<&str> {
    text.lines().filter(|l| !l.trim().is_empty() && !l.trim_start().starts_with('#')).collect()
}

/// The rig as saved, without what was said about it beside the lines.
async fn saved(person: &Person, visit: &str) -> Rig {
    let text = person.run(&format!("return fetch('{visit}/trace/rig.json').then((r) => r.text())"), Vec::new()).await;
    Rig::from_json(text.as_str().expect("text")).expect("a rig")
}

fn plain(mut rig: Rig) -> Rig {
    let comments = rig.components.iter_mut().map(|p| &mut p.comment).chain(rig.runs.iter_mut().map(|r| &mut r.comment));
    let comments = comments.chain(rig.cables.iter_mut().map(|c| &mut c.comment));
    comments.chain(rig.places.iter_mut().map(|p| &mut p.comment)).for_each(Vec::clear);
    rig
}

#[tokio::test(flavor = "multi_thread")]
async fn a_van_is_entered_by_keyboard_and_by_touch() {
    let (person, _kept, profile) = signed_in("entry", 1280, 900).await;
    let wanted = plain(parse(VAN).expect("parses"));
    assert!(wanted.components.len() >= 40, "{} components", wanted.components.len());

    // By keyboard alone, from an empty page.
    person.fill("#customer", "Petra Lind").await;
    person.fill("#rig", "Wagtail").await;
    person.press("form[action='/visits'] .btn-ink").await;
    person.until("window.Alpine").await;
    let visit = person.path().await.trim_end_matches("/trace").to_owned();
    let enter = |key: Key| format!("{}", char::from(key));
    let entry = person.client.find(Locator::Css("#entry")).await.expect("the line");
    person.run("const t = document.getElementById('text'); t.value = ''; t.dispatchEvent(new Event('input', {bubbles: true}))", vec![]).await;
    let mut entries = 0;
    for line in lines(VAN) {
        entry.send_keys(&format!("{line}{}", enter(Key::Enter))).await.expect("typed");
        entries += 1;
    }
    person.until("document.querySelector('#result').innerText.includes('components')").await;
    // Undo takes the last line back, redo brings it again; a return is made from its run.
    entry.send_keys(&format!("{}z{}", char::from(Key::Alt), char::from(Key::Null))).await.expect("undone");
    person.until("!document.getElementById('text').value.includes('rear -> shelf')").await;
    entry.send_keys(&format!("{}y{}", char::from(Key::Alt), char::from(Key::Null))).await.expect("redone");
    person.until("document.getElementById('text').value.includes('rear -> shelf')").await;
    entry.send_keys(&format!("{}s{}", char::from(Key::Alt), char::from(Key::Null))).await.expect("saved");
    person.sees("Saved as revision 2").await;
    println!("by keyboard: {entries} entries for {} components", wanted.components.len());
    assert!(entries <= 220);
    assert_eq!(plain(saved(&person, &visit).await), wanted);

    // Words have their colour, letter on letter; the one at fault is underlined until it is mended.
    let word = |class: &str, text: &str| {
        format!("[...document.querySelectorAll('.behind .{class}')].some((e) => e.textContent === '{text}')")
    };
    for (class, text) in [("of-kind", "battery"), ("of-name", "house"), ("of-kind", "run")] {
        person.until(&word(class, text)).await;
    }
    person
        .until("document.querySelector('.behind').textContent.trim() === document.getElementById('text').value.trim()")
        .await;
    let entry = person.client.find(Locator::Css("#entry")).await.expect("the line");
    entry.send_keys(&format!("batery spare{}", enter(Key::Enter))).await.expect("typed");
    person.until(&word("wrong", "batery")).await;
    entry.send_keys(&format!("{}z{}", char::from(Key::Alt), char::from(Key::Null))).await.expect("undone");
    person.until("!document.querySelector('.behind .wrong')").await;

    // The run says where it stands; Tab takes what is offered.
    person.fill("#entry", "run pos : 0.15m 10mm2 red, fuse fuse-x in bay 50A bolt-down, 1m 10").await;
    person.sees("from pos, 0.15 m so far, past fuse-x; at fuse-x.out in Battery bay").await;
    let entry = person.client.find(Locator::Css("#entry")).await.expect("the line");
    person.fill("#entry", "run house.+ : 2m hea").await;
    person.fill("#entry", "dc-lo").await;
    person.until("document.querySelector('.choices button')?.innerText === 'dc-load'").await;
    entry.send_keys(&enter(Key::Tab)).await.expect("taken");
    person.until("document.getElementById('entry').value === 'dc-load '").await;
    person.fill("#entry", "").await;

    // A part of the line is changed in place, and a line of the text is taken up and put back.
    person.go(&format!("{visit}/trace?edit=house")).await;
    person.until("document.getElementById('entry').value.startsWith('battery house')").await;
    person.press_in_place(".parts button:last-child").await;
    person.until("document.querySelector('.parts button:last-child').ariaPressed === 'true'").await;
    person.press_in_place("#unseen").await;
    person.until("document.getElementById('entry').value.endsWith('?')").await;
    person.press_in_place("#add").await;
    person.until("document.getElementById('text').value.split('\\n').filter((l) => l.startsWith('battery house')).length === 1").await;
    person.until("document.getElementById('text').value.match(/battery house.*\\?\\n/)").await;
    person.press_in_place("#undo").await;

    // The same by touch at 390 px: what is offered is tapped, the rest typed, each line added by its button.
    person.client.set_window_size(390, 844).await.expect("resized");
    person.go("/visits").await;
    person.fill("#customer", "Petra Lind").await;
    person.fill("#rig", "Dabchick").await;
    person.press("form[action='/visits'] .btn-ink").await;
    person.until("window.Alpine").await;
    let visit = person.path().await.trim_end_matches("/trace").to_owned();
    person.run("const t = document.getElementById('text'); t.value = ''; t.dispatchEvent(new Event('input', {bubbles: true}))", vec![]).await;
    let (mut taps, mut typed) = (0, 0);
    for line in lines(VAN) {
        let entry = person.client.find(Locator::Css("#entry")).await.expect("the line");
        let (first, rest) = line.split_once(' ').expect("two words");
        let choice = format!(".choices button[data-word='{first}']");
        // The first word by thumb where it is among those offered.
        person.until("document.querySelectorAll('.choices button').length > 3").await;
        // Found and tapped in one go, for what is offered may be drawn anew in between.
        let tap = "const b = document.querySelector(arguments[0]); b?.click(); return Boolean(b)";
        if person.run(tap, vec![json!(choice)]).await == json!(true) {
            person.until(&format!("document.getElementById('entry').value === {}", json!(format!("{first} ")))).await;
            taps += 1;
            entry.send_keys(rest).await.expect("typed");
        } else {
            entry.send_keys(line).await.expect("typed");
        }
        typed += 1;
        person.press_in_place("#add").await;
        person.until("document.getElementById('entry').value === ''").await;
        taps += 1;
    }
    person.press("#save").await;
    person.sees("Saved as revision 2").await;
    println!("by touch: {taps} taps and {typed} times typed");
    assert!(taps >= lines(VAN).len() + 10, "{taps}");
    assert_eq!(plain(saved(&person, &visit).await), wanted);

    // A starter rig is there to be corrected, and an earlier revision can be taken back.
    person.go(&format!("{visit}/trace?revision=1")).await;
    person.until("document.getElementById('text').value.includes('rig \"Dabchick\"') && !document.getElementById('text').value.includes('house')").await;
    let complaints = person.complaints(&[]).await;
    assert!(complaints.is_empty(), "{complaints:#?}");
    leave(person, &profile).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn in_the_hand_the_stations_are_at_the_thumb_and_what_is_typed_finds_at_once() {
    let (person, _kept, profile) = signed_in("hand", 390, 844).await;
    // No screen is longer than four screens before something is unfolded, and what is folded is there when it is asked for.
    for screen in SCREENS {
        person.go(screen).await;
        person.until("document.body.scrollHeight <= 4 * 844").await;
    }
    person.go("/visits/1/hand-over").await;
    person.until("document.querySelectorAll('.unfolds').length > 8").await;
    let shut = "[...document.querySelectorAll('.unfolds')].map((b) => [b, document.getElementById(b.getAttribute('aria-controls').split(' ')[0])])";
    person.until(&format!("{shut}.every(([b, e]) => !e.checkVisibility() && b.offsetHeight >= 44)")).await;
    person.press_in_place(".unfolds").await;
    person
        .until(&format!("{shut}.filter(([b, e]) => e.checkVisibility() && b.ariaExpanded === 'true').length === 1"))
        .await;
    assert_eq!(person.violations().await, [""; 0], "with one part unfolded");
    person.until("document.querySelector('#name').checkVisibility()").await;
    person.go("/visits/1/findings#f9").await;
    person.until("document.querySelector('#f9').checkVisibility()").await;
    // Every station is in the lower part, in sight, and large enough.
    person.go("/visits/3/readings").await;
    person.until("window.Alpine").await;
    let bar = "const a = [...document.querySelectorAll('.stations a')].filter((e) => e.checkVisibility()).map((e) => e.getBoundingClientRect()); return a.length === 7 && a.every((r) => r.top > innerHeight - 120 && r.bottom <= innerHeight && r.left >= 0 && r.right <= innerWidth && r.height >= 44)";
    assert_eq!(person.run(bar, vec![]).await, json!(true));
    // The menu opens and shuts by key and gives the focus back.
    person.run("document.querySelector('.menu summary').focus()", vec![]).await;
    let summary = person.client.find(Locator::Css(".menu summary")).await.expect("the menu");
    summary.send_keys(&char::from(Key::Enter).to_string()).await.expect("opened");
    person.until("document.querySelector('#sign-out').checkVisibility()").await;
    summary.send_keys(&char::from(Key::Escape).to_string()).await.expect("shut");
    person.until("!document.querySelector('.menu').open && document.activeElement.matches('.menu summary')").await;
    // ? tells what the screen is for, and goes again; so does its key in the head.
    person.run("document.activeElement.blur()", vec![]).await;
    let body = person.client.find(Locator::Css("body")).await.expect("a page");
    body.send_keys("?").await.expect("asked");
    person
        .until("document.querySelector('#help').checkVisibility() && document.querySelectorAll('#help li').length <= 5")
        .await;
    person.sees("All tests by phase").await;
    assert_eq!(person.violations().await, [""; 0], "with help");
    body.send_keys("?").await.expect("enough");
    person.until("!document.querySelector('#help').checkVisibility()").await;
    person.press_in_place(".ask-help").await;
    person.until("document.querySelector('#help').checkVisibility()").await;
    person.press_in_place("#help button").await;
    person.until("!document.querySelector('#help').checkVisibility()").await;
    // Folded phases have their counts; what is typed unfolds what has it, and nothing else.
    let shown = "[...document.querySelectorAll('.sought')].filter((e) => e.checkVisibility()).length";
    person.until(&format!("{shown} === 0 && document.querySelectorAll('.phase').length > 5")).await;
    person.fill("#seek", "compressor").await;
    person.until(&format!("{shown} > 0")).await;
    let others = "return [...document.querySelectorAll('.sought')].filter((e) => e.checkVisibility() && !e.textContent.toLowerCase().includes('compressor')).length";
    assert_eq!(person.run(others, vec![]).await, json!(0));
    assert_eq!(person.violations().await, [""; 0], "while something is sought");
    // The next test is in the place where one stands, and is one tap away.
    let places = "return [...document.querySelectorAll('#at option')].map((o) => o.value)";
    let places: Vec<String> = serde_json::from_value(person.run(places, vec![]).await).expect("places");
    let place = places.last().expect("a place");
    person.run("const s = document.querySelector('#at'); s.value = arguments[0]; s.dispatchEvent(new Event('change', {bubbles: true}))", vec![json!(place)]).await;
    person
        .until(&format!("location.search === '?at={place}' && document.querySelector('#at').value === '{place}'"))
        .await;
    person.press("#next").await;
    person.until("document.querySelector('#entry h2')").await;
    let complaints = person.complaints(&[]).await;
    assert!(complaints.is_empty(), "{complaints:#?}");
    // With letters twice as large everything is there still, and nothing runs out of the screen.
    person.client.set_window_size(1280, 800).await.expect("resized");
    for screen in SCREENS {
        person.go(screen).await;
        person.run("document.documentElement.style.fontSize = '200%'", vec![]).await;
        person.until("document.documentElement.scrollWidth <= window.innerWidth").await;
    }
    leave(person, &profile).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_edit_is_answered_in_few_bytes() {
    let (person, _kept, profile) = signed_in("edit", 1280, 900).await;
    let script = "const [text, address] = [arguments[0], arguments[1]]; const done = arguments[arguments.length - 1];
        (async () => {
            const ask = () => fetch(address, {method: 'POST', headers: {'Content-Type': 'application/json'}, body: JSON.stringify({text})});
            await (await ask()).json();
            performance.clearResourceTimings();
            const times = [];
            for (let n = 0; n < 9; n++) { const from = performance.now(); const html = (await (await ask()).json()).html; document.getElementById('result').innerHTML = html; times.push(performance.now() - from); }
            await new Promise((next) => setTimeout(next, 100));
            const sizes = performance.getEntriesByType('resource').filter((e) => e.name.includes(address)).map((e) => e.encodedBodySize);
            done({median: times.sort((a, b) => a - b)[4], bytes: Math.max(...sizes), drawn: document.querySelectorAll('#result svg [data-component]').length});
        })().catch((e) => done({error: String(e)}))";
    person.go("/visits/2/trace").await;
    person.until("window.Alpine").await;
    let mut text = KITE.to_owned();
    for n in 0..88 {
        text.push_str(&format!(
            "dc-load more-{n} in cabin: 1A\nrun dc.lamps : 1m 1.5mm2, more-{n}.+\nrun dc.- : 1m 1.5mm2, more-{n}.-\n"
        ));
    }
    let said: Value = person
        .client
        .execute_async(script, vec![json!(text), json!("/visits/2/trace/check")])
        .await
        .expect("the page answers");
    println!("an edit of a rig of 120 components: {said}");
    assert!(said["drawn"].as_u64().is_some_and(|n| n >= 120), "{said}");
    assert!(said["bytes"].as_u64().is_some_and(|n| n > 0 && n < 30_000), "{said}");
    leave(person, &profile).await;
}
