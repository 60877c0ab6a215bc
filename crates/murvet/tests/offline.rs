//! Without a connection: readings entered on two devices while the server is down are there once and in order when it is
//! back; and whatever was acknowledged outlives a database that is killed.

mod browser;

use browser::{Person, browser, database, driver, free_port, serve};
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
