//! What is in the case, what is left out, what was complained of, and what a reading says of the trace.

mod site;

use axum::http::StatusCode;
use site::{Site, fields, site};

/// A caravan with a bank, one inverter, one charger ahead of it, and a shore inlet.
const RIG: &str = "\
rig \"Osprey\" profile eu-uk
place bay: bay opened yes
battery house in bay: lifepo4 12.8V 200Ah
isolator main in bay: 300A
shunt shunt in bay: 300A
inverter inv in bay: 1200W dc 12V ac 230V bond-switched isolated idle 12W
inlet hook in bay: 230V 16A
panel cu in bay: main 16A rcd 30mA, way conv 10A, way spare 10A
charger conv in bay: 20A 14.4V
panel rear in bay: main 16A rcd 30mA, way sockets 16A
outlet desk in bay
bus neg in bay
run house.+ : 0.2m 50mm2, fuse F1 200A class-t, 0.3m 50mm2, main, 0.8m 50mm2, inv.dc+
run house.- : 0.3m 50mm2, shunt, 0.3m 50mm2, neg
run neg : 0.5m 50mm2, inv.dc-
run conv.dc+ : 0.4m 6mm2, fuse F2 30A, 0.6m 6mm2, main.out
run conv.dc- : 0.8m 6mm2, neg
cable W1 3x2.5mm2 flex 2m hook -> cu.main
cable W2 3x1.5mm2 1m cu.conv -> conv
cable W3 3x2.5mm2 1m inv -> rear.main
cable W4 3x2.5mm2 3m rear.sockets -> desk
";

/// Registers an instrument, calibrated from one day to another; its number.
async fn register(site: &Site, serial: &str, tools: &[&str], days: Option<(&str, &str)>) -> String {
    let mut form = vec![("name", "Meter"), ("serial", serial)];
    form.extend(tools.iter().map(|t| ("tool", *t)));
    assert_eq!(site.post("/practice/instruments", &form).await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get("/practice").await;
    let at = page.find(&format!("Meter no. {serial}</option>")).expect("offered for a calibration");
    let id =
        page[..at].rsplit("<option value=\"").next().and_then(|o| o.split('"').next()).expect("a number").to_owned();
    if let Some((done, due)) = days {
        let form = [("instrument", &*id), ("done_on", done), ("due_on", due), ("certificate", "C 1")];
        assert_eq!(site.post("/practice/calibrations", &form).await.0, StatusCode::SEE_OTHER);
    }
    id
}

async fn csv(site: &Site) -> Vec<String> {
    site.get(&site.at("readings.csv")).await.1.lines().map(str::to_owned).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn tests_ask_for_what_is_in_the_case_and_what_takes_its_place_clears_nothing() {
    let site = site("case").await;
    site.trace(RIG, "1").await;
    site.make_safe().await;
    // Without a register everything is taken to be there.
    assert_eq!(site.reading("n-e:cu", "OL").await, StatusCode::SEE_OTHER);
    let meter = register(&site, "M-1", &["true-rms", "ohmmeter"], Some(("2026-01-10", "2199-01-10"))).await;
    register(&site, "L-1", &["low-ohm"], Some(("2020-01-10", "2021-01-10"))).await;
    let (_, case) = site.get(&site.at("case")).await;
    assert!(case.contains("calibration ran out on 2021-01-10") && case.contains("Cannot be done"), "{case}");
    // Insulation by an ohmmeter: entered, of lower rank, and it opens nothing that it guards.
    assert_eq!(site.reading("n-e:cu", "OL").await, StatusCode::SEE_OTHER);
    let rows = csv(&site).await;
    assert!(rows.last().is_some_and(|r| r.contains(",lower,") && r.contains("M-1")), "{rows:?}");
    for test in ["n-e:rear", "n-e:hook", "earth:desk", "earth:conv", "earth:inv", "insul:cu", "insul:rear"] {
        site.reading(test, if test.starts_with("earth") { "0.05" } else { "OL" }).await;
    }
    let (_, page) = site.get(&site.at("readings?test=outlet:inv:desk")).await;
    assert!(page.contains("must pass before this one") && page.contains("Neutral apart from earth at cu"), "{page}");
    // But it condemns: a short is a short.
    site.reading("n-e:cu", "0.3").await;
    let (_, page) = site.get(&site.at("readings?test=n-e:cu")).await;
    assert!(page.contains("outcome-fail") && page.contains("instead of insulation tester"), "{page}");
    // What was chosen is what it was taken with, though something better lies there.
    register(&site, "I-1", &["insulation"], Some(("2026-01-10", "2199-01-10"))).await;
    let by = async |tool: &str| {
        site.post(&site.at("readings"), &[("test", "n-e:hook"), ("value", "OL"), ("tool", tool)]).await;
        csv(&site).await.pop().unwrap_or_default()
    };
    let row = by(&meter).await;
    assert!(row.contains(",lower,") && row.contains("M-1") && !row.contains("I-1"), "{row}");
    let row = by("").await;
    assert!(row.contains(",full,") && row.contains("I-1"), "{row}");
    // What nothing measures is refused with what to do, and the page offers to leave it out.
    let (status, _, said) = site.post(&site.at("readings"), &[("test", "stray:desk"), ("value", "0.1")]).await;
    assert!(status == StatusCode::CONFLICT || status == StatusCode::NOT_FOUND, "{status} {said}");
    let (_, page) = site.get(&site.at("readings")).await;
    assert!(page.contains("nothing at hand for it") && page.contains("by a substitute"), "{page}");
    let (_, page) = site.get(&site.at("readings?test=rcd:cu")).await;
    assert!(page.contains("No instrument on this visit measures this: residual-current tester"), "{page}");
    // The multimeter stays at home: not even volts.
    site.post(&site.at("case"), &[("instrument", &meter), ("there", "no")]).await;
    let (status, _, said) = site.post(&site.at("readings"), &[("test", "supply-volts:hook"), ("value", "231")]).await;
    assert!(status == StatusCode::CONFLICT && said.contains("Add one, or leave"), "{said}");
    site.post(&site.at("case"), &[("instrument", &meter), ("there", "yes")]).await;
    assert_eq!(site.reading("supply-volts:hook", "231").await, StatusCode::SEE_OTHER);
    // The report names each instrument, and that one was out of date.
    let (_, report) = site.get(&site.at("hand-over")).await;
    assert!(report.contains("Meter no. L-1 (calibration ran out on 2021-01-10)"), "{report}");
    assert!(report.contains("Meter no. M-1") && report.contains("in date until 2199-01-10"), "{report}");
    // A stranger's instrument is not there, and bad days keep what was typed.
    let (status, ..) =
        site.post(&format!("/visits/{}/case", site.foreign), &[("instrument", &meter), ("there", "no")]).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    let bad = [("instrument", &*meter), ("done_on", "2026-05-01"), ("due_on", "2026-04-01"), ("certificate", "C 77-x")];
    let (status, _, page) = site.post("/practice/calibrations", &bad).await;
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("C 77-x") && page.contains("2026-04-01"),
        "{page}"
    );
    let (status, _, page) = site.post("/practice/instruments", &[("name", "Nameless"), ("serial", "N-9")]).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("Nameless") && page.contains("N-9"), "{page}");
}

#[tokio::test(flavor = "multi_thread")]
async fn samples_are_kept_and_what_wanders_opens_nothing() {
    let site = site("samples").await;
    site.trace(RIG, "1").await;
    site.make_safe().await;
    site.reading("supply-volts:hook", "229; 231 230").await;
    site.reading("supply-volts:hook", "231 ~").await;
    let (_, page) = site.get(&site.at("readings?test=supply-volts:hook")).await;
    for words in ["230 V</strong> (229; 231; 230)", "unsettled", "Of 3 samples", "does not settle"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    let (_, page) = site.get(&site.at("readings?test=outlet:hook:desk")).await;
    assert!(!page.contains("name=\"value\"") || page.contains("must pass before"), "{page}");
    // Two values that make one; what makes none is refused, and both stay typed.
    site.begin("idle:inv", "inverter alone, everything else unplugged").await;
    let form = [("test", "idle:inv"), ("part", "0.1"), ("part", "1,3 A")];
    assert_eq!(site.post(&site.at("readings"), &form).await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("readings?test=idle:inv")).await;
    assert!(page.contains("1.2 A</strong> (0.1; 1.3)"), "{page}");
    let form = [("test", "balance:inv"), ("part", "13.1"), ("part", "0"), ("part", "230"), ("part", "four")];
    let (status, _, page) = site.post(&site.at("readings"), &form).await;
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY
            && page.contains("value=\"13.1\"")
            && page.contains("value=\"four\""),
        "{page}"
    );
    let form = [("test", "balance:inv"), ("part", "12.9"), ("part", "88"), ("part", "229"), ("part", "6.1")];
    site.post(&site.at("readings"), &form).await;
    let (_, page) = site.get(&site.at("readings?test=balance:inv")).await;
    // By hand: 229 x 6.1 = 1396.9 W out of 12.9 x 88 = 1135.2 W: 123 %.
    assert!(page.contains("123 %") && page.contains("another source feeds"), "{page}");
    // All of it goes out as CSV and comes in again.
    let before = csv(&site).await;
    assert!(before.iter().any(|r| r.contains("229; 231; 230")), "{before:?}");
    assert_eq!(site.post(&site.at("csv"), &[("text", &before.join("\n"))]).await.0, StatusCode::SEE_OTHER);
    let after = csv(&site).await;
    let values = |rows: &[String]| -> Vec<String> {
        rows.iter().map(|r| r.split(',').next().unwrap_or_default().to_owned()).collect()
    };
    assert_eq!(values(&after[before.len()..]), values(&before[1..]));
    assert_eq!(after.iter().filter(|r| r.contains("229; 231; 230")).count(), 2);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_test_is_left_with_a_reason_and_to_an_owner_only_what_is_safe() {
    let site = site("left").await;
    site.trace(RIG, "1").await;
    site.make_safe().await;
    let leave = |test: &'static str, how: &'static str, reason: &'static str| {
        let site = &site;
        async move { site.post(&site.at("readings/leave"), &[("test", test), ("how", how), ("reason", reason)]).await.0 }
    };
    assert_eq!(leave("earth:desk", "out", "no").await, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(leave("earth:desk", "owner", "he may do it himself").await, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(leave("earth:desk", "out", "behind the fridge, no access").await, StatusCode::SEE_OTHER);
    assert_eq!(leave("button:cu", "owner", "once a month").await, StatusCode::SEE_OTHER);
    assert_eq!(leave("rest:house", "out", "bank is charging").await, StatusCode::SEE_OTHER);
    assert_eq!(leave("rest:house", "again", "").await, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("readings")).await;
    assert!(
        page.contains("2 are left out") && page.contains("left out: behind the fridge, no access (Ana Bell"),
        "{page}"
    );
    // What is left out guards all the same.
    let (_, page) = site.get(&site.at("readings?test=outlet:inv:desk")).await;
    assert!(page.contains("Continuity of earth to desk"), "{page}");
    let (_, report) = site.get(&site.at("hand-over")).await;
    for words in [
        "Left out",
        "behind the fridge",
        "Left to the owner",
        "press the test button of cu",
        "Stop when:",
        "unplug and use no outlet",
    ] {
        assert!(report.contains(words), "{words}: {report}");
    }
    assert!(!report.contains("bank is charging"));
    // The owner's sheet names no test that needs a cover off.
    site.post(&site.at("hand-over"), &[("name", "Ana Bell")]).await;
    let (_, day) = site.get(&site.at("day")).await;
    assert!(day.contains("behind the fridge") && day.contains("once a month"), "{day}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_complaint_ends_by_the_test_that_shows_it() {
    let site = site("complaints").await;
    site.trace(RIG, "1").await;
    site.make_safe().await;
    let bad = [("told_by", "Owner"), ("words", "Desk socket has no power"), ("symptom", "dead"), ("about", "desc")];
    let (status, _, page) = site.post(&site.at("complaints"), &bad).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("Desk socket has no power"), "{page}");
    let good = [
        ("told_by", "Owner"),
        ("words", "Desk socket has no power"),
        ("symptom", "dead"),
        ("about", "desk"),
        ("on", "inv"),
    ];
    site.post(&site.at("complaints"), &good).await;
    let list = "1) cu trips in rain\n\n - conv runs <hot>\n  3. Wash the curtains\n";
    site.post(&site.at("complaints/list"), &[("told_by", "Workshop in town"), ("lines", list)]).await;
    let (_, page) = site.get(&site.at("complaints")).await;
    for words in [
        "4 of 4 are open",
        "cu trips in rain",
        "cu opens by itself",
        "conv gets hot",
        "Wash the curtains",
        "desk is dead on inv",
    ] {
        assert!(page.contains(words), "{words}: {page}");
    }
    assert!(!page.contains("<hot>"), "what was told is text");
    // What was told is in the diagnosis before anything was measured, and asks on.
    let (_, page) = site.get(&site.at("diagnosis")).await;
    assert!(page.contains("Told: Desk socket has no power") && page.contains("as told"), "{page}");
    let end = |id: &'static str, standing: &'static str, test: &'static str| {
        let site = &site;
        async move {
            let form = [("standing", standing), ("test", test), ("note", "seen at the socket")];
            site.post(&site.at(&format!("complaints/{id}")), &form).await.0
        }
    };
    // Nothing is confirmed, cleared or done without its reading.
    for standing in ["confirmed", "not-found", "done"] {
        assert_eq!(end("1", standing, "outlet:inv:desk").await, StatusCode::CONFLICT, "{standing}");
    }
    site.begin("outlet:inv:desk", "the owner waits, bank and inverter alone").await;
    site.reading("outlet:inv:desk", "0.4").await;
    assert_eq!(end("1", "not-found", "outlet:inv:desk").await, StatusCode::CONFLICT, "it shows");
    assert_eq!(end("1", "done", "outlet:inv:desk").await, StatusCode::CONFLICT, "it still shows");
    assert_eq!(end("1", "confirmed", "outlet:inv:desk").await, StatusCode::SEE_OTHER);
    site.reading("outlet:inv:desk", "230").await;
    assert_eq!(end("1", "done", "outlet:inv:desk").await, StatusCode::SEE_OTHER);
    assert_eq!(end("4", "not-reached", "").await, StatusCode::SEE_OTHER);
    assert_eq!(end("9", "not-reached", "").await, StatusCode::NOT_FOUND);
    let (status, ..) = site
        .post(
            &format!("/visits/{}/complaints/1", site.foreign),
            &[("standing", "not-reached"), ("test", ""), ("note", "mine")],
        )
        .await;
    assert_eq!(status, StatusCode::NOT_FOUND, "a stranger's visit");
    let (_, report) = site.get(&site.at("hand-over")).await;
    for words in ["done, by", "not reached: seen at the socket", "<strong>open</strong>", "Workshop in town"] {
        assert!(report.contains(words), "{words}: {report}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_reading_that_contradicts_the_trace_offers_its_correction() {
    let site = site("correct").await;
    site.trace(RIG, "1").await;
    site.make_safe().await;
    // Neutral and earth are joined in the rear panel, where nobody traced a link.
    site.reading("supply-volts:hook", "231").await;
    site.reading("core:W1:L", "0.05").await;
    site.reading("n-e:rear", "0.2").await;
    let (_, page) = site.get(&site.at("readings?test=n-e:rear")).await;
    let titles = fields(&page, "title");
    assert!(titles.iter().any(|t| t == "rear has a link between neutral and earth"), "{titles:?}");
    let correct = |base: &'static str, title: &'static str| {
        let site = &site;
        async move {
            let form = [("test", "n-e:rear"), ("title", title), ("base", base)];
            site.post(&site.at("readings/correct"), &form).await.0
        }
    };
    let link = "rear has a link between neutral and earth";
    assert_eq!(correct("1", link).await, StatusCode::CONFLICT, "an older revision");
    assert_eq!(correct("2", "rear is made of gold").await, StatusCode::NOT_FOUND);
    assert_eq!(correct("2", link).await, StatusCode::SEE_OTHER);
    let (_, trace) = site.get(&site.at("trace")).await;
    assert!(trace.contains("jumper") && trace.contains("traced anew: rear has a link"), "{trace}");
    // What hangs on the panel went stale with it; the cord and the supply did not.
    let (_, page) = site.get(&site.at("readings?test=n-e:rear")).await;
    assert!(page.contains("went stale"), "{page}");
    for test in ["supply-volts:hook", "core:W1:L"] {
        let (_, page) = site.get(&site.at(&format!("readings?test={test}"))).await;
        assert!(
            page.contains("pass</span>") && !page.contains("it went stale: something on its path changed"),
            "{test}: {page}"
        );
    }
    // Now it is as traced, and the hazard is found.
    site.reading("n-e:rear", "0.2").await;
    let (_, page) = site.get(&site.at("readings?test=n-e:rear")).await;
    assert!(fields(&page, "title").is_empty() && page.contains("what the traced rig would give"), "{page}");
    let (_, findings) = site.get(&site.at("findings")).await;
    assert!(findings.contains("rear"), "{findings}");
}
