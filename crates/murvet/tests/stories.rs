//! Three stories in a real browser, each to the papers: a retrofit in three visits, a day of repairs from somebody's list, and
//! a rig half done when the rain comes. The papers are read back by poppler.

mod browser;

use browser::{Person, Running, browser, database, driver, free_port, serve};
use serde_json::json;
use std::process::Command;

const RETROFIT: &str = include_str!("../../murvet-core/tests/steps/retrofit.steps");

/// A person at a browser before a server of its own.
async fn person(name: &str, login: &str) -> (Person, [Running; 2]) {
    let database = database(name);
    let port = free_port();
    let server = serve(&database, port);
    let (running, driver_port) = driver().await;
    let profile = std::env::temp_dir().join(format!("murvet-{name}-{}", std::process::id()));
    let client = browser(driver_port, &profile, 1280, 900).await;
    let person = Person::new(client, format!("http://127.0.0.1:{port}"));
    person.sign_in_as(login, "paper-and-ink").await;
    (person, [server, running])
}

/// Opens a visit to a new rig and saves its trace; the address of the visit.
async fn traced(person: &Person, name: &str, text: &str) -> String {
    person.go("/visits").await;
    person.fill("#customer", "Petra Lind").await;
    person.fill("#rig", name).await;
    person.press("form[action='/visits'] .btn-ink").await;
    person.until("window.Alpine").await;
    person.put("#text", text).await;
    person.until("document.querySelector('#result svg')").await;
    person.press("#save").await;
    person.sees("Saved as revision 2").await;
    person.path().await.trim_end_matches("/trace").to_owned()
}

/// Marks every step of making safe done.
async fn made_safe(person: &Person, visit: &str) {
    person.go(&format!("{visit}/safe")).await;
    while person.run("return Boolean(document.querySelector('input[name=step]'))", Vec::new()).await == json!(true) {
        person.press("form:has(input[name=step]) button").await;
    }
}

/// The papers of a visit as text, page by page.
async fn papers(person: &Person, visit: &str, name: &str) -> Vec<String> {
    let bytes = person.fetched(&format!("{visit}/papers.pdf")).await;
    let file = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("{name}.pdf"));
    std::fs::write(&file, bytes).expect("kept");
    let checked = Command::new("qpdf").arg("--check").arg(&file).output().expect("qpdf; ./murvet test installs it");
    assert!(checked.status.success(), "{}", String::from_utf8_lossy(&checked.stdout));
    let text = Command::new("pdftotext").arg(&file).arg("-").output().expect("pdftotext; ./murvet test installs it");
    let text = String::from_utf8(text.stdout).expect("text");
    let pages: Vec<String> = text.split('\u{c}').map(|p| p.split_whitespace().collect::<Vec<_>>().join(" ")).collect();
    pages.into_iter().filter(|p| !p.is_empty()).collect()
}

fn has(pages: &[String], words: &str) {
    assert!(pages.iter().any(|p| p.contains(words)), "{words} on none of {pages:#?}");
}

async fn signed(person: &Person, visit: &str, name: &str) {
    person.go(&format!("{visit}/hand-over")).await;
    person.fill("#name", name).await;
    person.press("form:has(#name) .btn-ink").await;
    person.sees("signature fits the record").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_retrofit_in_three_visits() {
    let (person, _running) = person("retrofit", "joao").await;
    let (rig, list) = murvet_core::work::part(RETROFIT);
    let mut visit = traced(&person, "Sora", &rig).await;
    person.go(&format!("{visit}/steps")).await;
    person.put("#list", &list).await;
    person.press("form:has(#list) .btn-ink").await;
    person.sees("Next: Part the feed of the panel").await;
    // Nothing is marked done on a rig that is live.
    person.press("form[action$='/steps/done'] .btn-ink").await;
    person.sees("Unplug shore").await;
    for (n, steps) in [3, 2, 1].into_iter().enumerate() {
        made_safe(&person, &visit).await;
        for step in 0..steps {
            person.go(&format!("{visit}/steps")).await;
            person.fill("#took", "30").await;
            person.press("form[action$='/steps/done'] .btn-ink").await;
            // The first step of the first and of the second visit is not to be left so: nobody signs there.
            if step == 0 && n < 2 {
                person.go(&format!("{visit}/hand-over")).await;
                person.sees("The rig is not to be left as it is").await;
            }
        }
        signed(&person, &visit, "João Tavarede").await;
        let pages = papers(&person, &visit, &format!("retrofit-{n}")).await;
        has(
            &pages,
            ["Feed the charger ahead of the transfer", "Lithium in, on heavier leads", "Inverter on the second input"]
                [n],
        );
        has(&pages, "For the next technician");
        assert!(!pages.iter().any(|p| p.contains("not to be left")), "{pages:#?}");
        if n < 2 {
            person.go(&format!("{visit}/years")).await;
            person.press_in_place("details:has(form[action$='/again']) summary").await;
            person.press("form[action$='/again'] .btn-ink").await;
            visit = person.path().await.trim_end_matches("/safe").to_owned();
        }
    }
    // The whole visit as a bundle, checked without a database: as it was sealed, with another key, with one bit turned.
    let bundle = person.fetched(&format!("{visit}/bundle.zip")).await;
    let checked = |bytes: &[u8], more: &[&str]| {
        let file = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join("visit.zip");
        std::fs::write(&file, bytes).expect("kept");
        let out =
            Command::new(env!("CARGO_BIN_EXE_murvet")).arg("verify").arg(&file).args(more).output().expect("runs");
        (out.status.success(), String::from_utf8_lossy(&[out.stdout, out.stderr].concat()).into_owned())
    };
    let (fits, words) = checked(&bundle, &[]);
    assert!(fits && words.contains("files as they were sealed") && words.contains("signed/"), "{words}");
    assert!(!checked(&bundle, &["--key", &"00".repeat(32)]).0);
    let mut turned = bundle.clone();
    let middle = turned.len() / 2;
    turned[middle] ^= 1;
    assert!(!checked(&turned, &[]).0);
    // At the end no step is left, and three visits of one rig stand one under the other.
    person.go(&format!("{visit}/years")).await;
    person.until("document.querySelectorAll('a[href$=\"/hand-over\"]').length >= 3").await;
    assert_eq!(person.complaints(&["409"]).await, Vec::<String>::new());
    assert_eq!(person.wrong(), [""; 0]);
    person.client.close().await.ok();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_day_of_repairs_from_somebodys_list() {
    let (person, _running) = person("list", "mara").await;
    let (rig, _) = murvet_core::work::part(RETROFIT);
    let visit = traced(&person, "Sora", &rig).await;
    // Fourteen lines of a list, six hours, two people; two lines are of a kind that neither has a licence for.
    let lines = [
        ("Reseal the roof edge", "30min, worth 20"),
        ("Grease the entry step", "15min, worth 8"),
        ("New lamp over the stove", "40min, worth 15, needs extra-low"),
        ("Second inlet for the awning", "120min, worth 60, needs mains-fixed"),
        ("Outlet in the bath moved", "90min, worth 60, needs mains-fixed"),
        ("Hinge of the battery box", "20min, worth 10, in box"),
        ("Drain of the shower", "45min, worth 12, hands 2"),
        ("Label the panel", "15min, worth 9, needs test-only"),
        ("Clean the solar panels", "25min, worth 6"),
        ("Sealant cures, then the trim", "20min, worth 7, wait 60min, after \\\"Reseal the roof edge\\\""),
        ("Fan of the fridge", "35min, worth 14, needs extra-low"),
        ("Lock of the hatch", "30min, worth 5"),
        ("Smoke alarm renewed", "10min, worth 40, needs extra-low"),
        ("Curtain rail", "20min, worth 2"),
    ];
    let tasks: String =
        lines.iter().map(|(title, rest)| format!("task \"{title}\" {}\n", rest.replace("\\\"", "\""))).collect();
    let day =
        format!("day 6h\nperson \"Mara Ellingsund\": extra-low mains-plugged\nperson \"Tom\": extra-low\n{tasks}");
    person.go(&format!("{visit}/work")).await;
    person.press_in_place("details:has(textarea[name=text]) summary").await;
    person.put("textarea[name=text]", &day).await;
    person.press("form:has(textarea[name=text]) .btn-ink").await;
    person.sees("Beyond the licences of those here").await;
    person.sees("Smoke alarm renewed").await;
    for title in ["Second inlet for the awning", "Outlet in the bath moved"] {
        let form = format!("details:has(input[value='{title}'])");
        person.press_in_place(&format!("{form} summary")).await;
        person.press(&format!("{form} .btn-ink")).await;
        person.until("document.querySelector('input[name=certificate]')").await;
    }
    // One of them comes back with its certificate; an hour is lost, and the day is planned again.
    for (field, text) in [("done_by", "Fern Electric"), ("certificate", "FE 2210"), ("issuer", "Board of Trades")] {
        person.fill(&format!("input[name={field}]"), text).await;
    }
    person.press("form:has(input[name=certificate]) .btn-line").await;
    person.sees("certificate FE 2210 of Board of Trades").await;
    person.press_in_place("details:has(textarea[name=text]) summary").await;
    person.press("button[name=lost]").await;
    person.until("document.querySelector('textarea[name=text]').value.startsWith('day 300min')").await;
    let pages = papers(&person, &visit, "list").await;
    for words in [
        "Second inlet for the awning",
        "certificate FE 2210 of Board of Trades",
        "Not back yet",
        "Make safe first, in this order:",
    ] {
        has(&pages, words);
    }
    assert_eq!(person.complaints(&[]).await, Vec::<String>::new());
    assert_eq!(person.wrong(), [""; 0]);
    person.client.close().await.ok();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rig_half_done_because_rain_came() {
    let (person, _running) = person("rain", "joao").await;
    let (rig, _) = murvet_core::work::part(RETROFIT);
    let visit = traced(&person, "Sora", &rig).await;
    made_safe(&person, &visit).await;
    let list = "step \"The old battery out\" 30min, not-to-be-left \"its leads lie bare in the box\"\n  take-out house\nstep \"The new battery in\" 60min\n  fit battery bank in box: agm 12V 100Ah\n";
    person.go(&format!("{visit}/steps")).await;
    person.put("#list", list).await;
    person.press("form:has(#list) .btn-ink").await;
    person.press("form[action$='/steps/done'] .btn-ink").await;
    // Rain: the rig stands with bare leads. Nobody signs for that.
    person.go(&format!("{visit}/hand-over")).await;
    person.sees("its leads lie bare in the box").await;
    person.fill("#name", "João Tavarede").await;
    person.press("form:has(#name) .btn-ink").await;
    person.sees("not to be left as it is").await;
    // So the leads are taken out as well, and the rest of the list waits for the next visit.
    person.go(&format!("{visit}/put-right")).await;
    person.press_in_place("details:has(#own-title) summary").await;
    person.fill("#own-title", "Leads of the old battery taken out").await;
    person.put("#own-changes", "take-out end -> F1\ntake-out F1 -> S1\ntake-out end -> neg").await;
    person.press("form:has(#own-title) .btn-ink").await;
    person.sees("Leads of the old battery taken out").await;
    signed(&person, &visit, "João Tavarede").await;
    let pages = papers(&person, &visit, "rain").await;
    has(&pages, "Leads of the old battery taken out");
    has(&pages, "The old battery out");
    assert!(!pages.iter().any(|p| p.contains("not to be left as it is")), "{pages:#?}");
    person.go(&format!("{visit}/steps")).await;
    person.until("document.querySelector('#list').value.includes('The new battery in')").await;
    assert_eq!(person.complaints(&["409"]).await, Vec::<String>::new());
    assert_eq!(person.wrong(), [""; 0]);
    person.client.close().await.ok();
}
