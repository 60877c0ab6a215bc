//! Without a connection: readings entered on two devices while the server is down are there once and in order when it is
//! back; and whatever was acknowledged outlives a database that is killed.

mod browser;

use browser::{Person, browser, database, driver, free_port, leave, serve};
use serde_json::{Value, json};

/// A rig with many outlets on one panel: plenty of dead tests.
fn rig() -> String {
    let mut text = String::from(
        "inlet hook: 230V 16A\npanel p: main 16A rcd 30mA, way a 16A\ncable w-in 3x2.5mm2 2m hook -> p.main\n",
    );
    for n in 0..9 {
        let from = if n == 0 { "p.a".to_owned() } else { format!("o{}", n - 1) };
        text.push_str(&format!("outlet o{n}\ncable w{n} 3x2.5mm2 1m {from} -> o{n}\n"));
    }
    text
}

/// What the server has of each test that was read: value and time, in order.
async fn entered(person: &Person, visit: &str) -> Vec<String> {
    let script = format!(
        "return fetch('{visit}/hand-over').then((r) => r.text()).then((t) => [...new DOMParser().parseFromString(t, 'text/html').querySelectorAll('td.num')].map((e) => e.previousElementSibling.innerText + ': ' + e.innerText).filter((t) => t.includes('termination of')))"
    );
    let list = person.run(&script, Vec::new()).await;
    serde_json::from_value(list).expect("a list")
}

#[tokio::test(flavor = "multi_thread")]
async fn fifty_readings_of_two_devices_arrive_once_and_in_order_after_the_server_was_away() {
    let database = database("offline");
    let port = free_port();
    let server = serve(&database, port);
    let (_driver, driver_port) = driver().await;
    let base = format!("http://127.0.0.1:{port}");
    let mut people = Vec::new();
    let mut folders = Vec::new();
    for n in 0..2 {
        let profile = std::env::temp_dir().join(format!("murvet-offline-{n}-{}", std::process::id()));
        let client = browser(driver_port, &profile, 390, 844).await;
        let person = Person::new(client, base.clone());
        person.sign_in("paper-and-ink").await;
        people.push(person);
        folders.push(profile);
    }
    let first = &people[0];
    first.fill("#customer", "Petra Lind").await;
    first.fill("#rig", "Fieldfare").await;
    first.run("document.getElementById('profile').value = 'eu-uk'", vec![]).await;
    first.press("form[action='/visits'] .btn-ink").await;
    first.until("window.Alpine").await;
    let visit = first.path().await.trim_end_matches("/trace").to_owned();
    first.run("return fetch(arguments[0], {method: 'POST', headers: {'Content-Type': 'application/x-www-form-urlencoded'}, body: new URLSearchParams({text: arguments[1], base: '1'})}).then(() => 1)", vec![json!(format!("{visit}/trace")), json!(rig())]).await;
    let grid = format!("{visit}/readings?grid=Everything%20dead");
    for person in &people {
        // The second visit of the page is kept by the worker that the first one registered.
        person.go(&grid).await;
        person.until("navigator.serviceWorker.controller").await;
        person.go(&grid).await;
        person.until("document.querySelectorAll('.grid-line input').length > 25").await;
    }

    drop(server);
    // Each device fills its own half, in the order of the page, five at a time.
    for (n, person) in people.iter().enumerate() {
        for part in 0..5 {
            let fill = "const [n, part] = arguments; const own = [...document.querySelectorAll('.grid-line input')].filter((f) => f.name.includes('core:')).slice(0, 25); own.slice(part * 5, part * 5 + 5).forEach((f, k) => f.value = ((n + 1) * 100 + part * 5 + k) / 10000); document.querySelector('.grid-entry button.btn-ink').click()";
            person.run(fill, vec![json!(n), json!(part)]).await;
            person.sees(&format!("{} readings wait here", (part + 1) * 5)).await;
        }
        // A reload without a server opens the page again, and everything still waits.
        person.client.refresh().await.expect("opens from the worker");
        person.sees("25 readings wait here").await;
    }

    let _server = serve(&database, port);
    for person in &people {
        person
            .until("document.querySelector('#waiting') && !document.querySelector('#waiting').checkVisibility()")
            .await;
        let left: Value = person.run("return new Promise((done) => { const a = indexedDB.open('murvet', 1); a.onsuccess = () => { const g = a.result.transaction('waiting').objectStore('waiting').getAll(); g.onsuccess = () => done(g.result.length); }; })", vec![]).await;
        assert_eq!(left, json!(0), "nothing waits any more");
    }
    let list = entered(&people[0], &visit).await;
    println!("{} readings", list.len());
    assert_eq!(list.len(), 50, "{list:#?}");
    for n in 0..2 {
        // 0.01 ohm and on, in steps of a tenth of a milliohm, as printed.
        let own: Vec<f64> = list
            .iter()
            .filter_map(|l| l.rsplit(": ").next()?.strip_suffix(" mohm")?.parse::<f64>().ok())
            .filter(|v| (f64::from(n + 1) * 10.0..f64::from(n + 1) * 10.0 + 5.0).contains(v))
            .collect();
        assert_eq!(own.len(), 25, "{own:?}");
        assert!(own.windows(2).all(|w| w[0] < w[1]), "in the order in which they were entered: {own:?}");
    }
    for (person, folder) in people.into_iter().zip(folders) {
        assert_eq!(person.wrong(), [""; 0]);
        person.client.close().await.expect("closed");
        let _ = std::fs::remove_dir_all(folder);
    }
}

/// The walk goes on without a connection: steps of making safe, readings and a decision are kept in order and entered once when the
/// server is back; what is asked for next comes by itself.
#[tokio::test(flavor = "multi_thread")]
async fn the_walk_goes_on_without_a_connection() {
    let database = database("walk_away");
    let port = free_port();
    let server = serve(&database, port);
    let (_driver, driver_port) = driver().await;
    let profile = std::env::temp_dir().join(format!("murvet-away-{}", std::process::id()));
    let person = Person::new(browser(driver_port, &profile, 390, 844).await, format!("http://127.0.0.1:{port}"));
    person.sign_in("paper-and-ink").await;
    // Heron has steps of making safe open. Everything that comes is fetched while one looks at the first of them.
    let visit = "/visits/1";
    person.go(&format!("{visit}/walk")).await;
    person.until("navigator.serviceWorker.controller").await;
    person.go(&format!("{visit}/walk")).await;
    let order = "JSON.parse(document.getElementById('ahead').textContent).order";
    let kept = format!(
        "const done = arguments[0]; (async () => {{ const c = await caches.open('murvet-visits'); const all = await Promise.all({order}.map(async (t) => Boolean(await c.match(t.at)))); done(all.filter((k) => !k).length); }})()"
    );
    while person.client.execute_async(&kept, vec![]).await.expect("the cache answers") != json!(0) {
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    let coming = person.run(&format!("return {order}.map((t) => t.key)"), vec![]).await;
    let coming: Vec<String> = serde_json::from_value(coming).expect("names");
    let steps = coming.iter().filter(|k| k.starts_with("safe:")).count();
    assert!(steps > 5 && coming.len() > steps + 20, "{coming:?}");

    drop(server);
    // A page that was never opened says so, and nothing is lost.
    person.go(&format!("{visit}/circuits")).await;
    person.sees("No connection").await;
    person.go(&format!("{visit}/walk")).await;
    let here = "JSON.parse(document.getElementById('ahead').textContent).here";
    for key in &coming[..steps] {
        person.until(&format!("{here} === {}", json!(key))).await;
        person.press_in_place("#onward").await;
        person.until(&format!("document.getElementById('ahead') && {here} !== {}", json!(key))).await;
    }
    // Then tests: of each the value it would have, or that it is as it should be.
    person.sees("Only when every step of making safe").await;
    for key in &coming[steps..steps + 6] {
        person.until(&format!("window.Alpine && {here} === {}", json!(key))).await;
        let look = person.run("return Boolean(document.querySelector('button.look'))", vec![]).await == json!(true);
        if look {
            person.press_in_place("button.look[value=yes]").await;
        } else {
            person.run("const all = [...document.querySelectorAll('#value, [name=part]')]; for (const f of all) f.value = '0'", vec![]).await;
            person.press_in_place("#record").await;
        }
        person.until(&format!("document.getElementById('ahead') && {here} !== {}", json!(key))).await;
    }
    // A finding is deferred; its page was kept as well.
    let finding = coming.iter().find(|k| k.starts_with("finding:")).expect("a finding to decide on");
    let at = person.run(&format!("return {order}.find((t) => t.key === arguments[0]).at"), vec![json!(finding)]).await;
    person.go(at.as_str().expect("an address")).await;
    person.until(&format!("{here} === {}", json!(finding))).await;
    person.fill("form[action$='/findings'] [name=note]", "the owner brings the part").await;
    person.press_in_place("form[action$='/findings'] button[value=deferred]").await;
    person.sees(&format!("{} ", steps + 7)).await;
    person.until(&format!("document.querySelector('#waiting').innerText.includes('{}')", steps + 7)).await;

    // The server is back: all of it is entered, once and in order, and nothing is refused.
    let _server = serve(&database, port);
    person.until("document.querySelector('#waiting') && !document.querySelector('#waiting').checkVisibility()").await;
    person.go(&format!("{visit}/day")).await;
    let day = person.run("return document.querySelector('main').innerText", vec![]).await;
    let day = day.as_str().expect("a day");
    assert_eq!(day.matches("the owner brings the part").count(), 1, "{day}");
    person.go(&format!("{visit}/walk")).await;
    person.until("document.getElementById('ahead')").await;
    let left: Vec<String> =
        serde_json::from_value(person.run(&format!("return {order}.map((t) => t.key)"), vec![]).await).expect("names");
    let again: Vec<&String> = coming[..steps + 6].iter().filter(|k| left.contains(k)).collect();
    assert!(again.is_empty() && !left.contains(finding), "asked for again: {again:?}");
    let refused = "return [...document.querySelectorAll('[x-data=waiting] p')].filter((p) => p.checkVisibility()).map((p) => p.innerText)";
    assert_eq!(person.run(refused, vec![]).await, json!([]), "nothing is refused");
    leave(person, &profile).await;
}
