//! Instruments at the page: the meter followed on the strip, the rig's monitor, and the keys of the pad.

mod browser;

use browser::{Person, browser, database, driver, free_port, serve};
use serde_json::Value;

#[tokio::test(flavor = "multi_thread")]
async fn what_instruments_show_is_followed_and_entered_with_one_key() {
    let database = database("live");
    let port = free_port();
    let _server = serve(&database, port);
    let (_driver, driver_port) = driver().await;
    let profile = std::env::temp_dir().join(format!("murvet-live-{}", std::process::id()));
    let person =
        Person { client: browser(driver_port, &profile, 390, 844).await, base: format!("http://127.0.0.1:{port}") };
    person.sign_in("paper-and-ink").await;

    // The meter is followed: its value stands beside the field, its mark on the strip, until it is let go.
    person.go("/visits/3/readings?test=rest:house").await;
    person.until("window.Alpine && !document.querySelector('.live-mark:not([hidden])')").await;
    person.press_in_place("#follow").await;
    person.until("document.querySelector('.live-mark:not([hidden])') && Number(document.querySelector('output.live').innerText) > 12").await;
    let within = "const m = document.querySelector('.live-mark').getBoundingClientRect(), s = document.querySelector('#strip svg').getBoundingClientRect(); return m.left >= s.left && m.left <= s.right";
    assert_eq!(person.run(within, Vec::new()).await, Value::Bool(true));
    person.press_in_place("#follow").await;
    person.until("!document.querySelector('.live-mark:not([hidden])')").await;

    // The rig's monitor gives the value too, of lower rank until its shunt was held against a clamp.
    person.press_in_place("#from-monitor").await;
    person.until("document.querySelector('#value').value > 12 && document.querySelector('#tool-voltmeter').value === 'monitor'").await;
    person.press("#record").await;
    person.sees("With the rig's own monitor instead of voltmeter").await;
    person.sees("lower rank").await;

    // The pad writes samples, units, and that it wanders.
    person.go("/visits/3/readings?test=drop:lamps").await;
    person.until("window.Alpine").await;
    for key in ["4", "8", "0"] {
        person.press_in_place(&format!("[data-key='{key}']")).await;
    }
    for key in [
        "[data-unit='mV']",
        "[data-key='more']",
        "[data-key='0']",
        "[data-key='.']",
        "[data-key='4']",
        "[data-key='wanders']",
    ] {
        person.press_in_place(key).await;
    }
    person.until("document.querySelector('#value').value === '480 mV; 0.4 ~'").await;
    person.press("#record").await;
    person.sees("unsettled").await;
    person.sees("(0.48; 0.4)").await;

    // What is typed outlives a reload, and a refusal, until it is taken; then the field is empty again.
    let words = "return document.querySelector('#complaint').value";
    person.go("/visits/3/complaints").await;
    person.until("window.Alpine").await;
    person.fill("#complaint", "Pump hums and gives nothing").await;
    person.client.refresh().await.expect("loaded again");
    person.until("window.Alpine").await;
    assert_eq!(person.run(words, Vec::new()).await, Value::from("Pump hums and gives nothing"));
    person.fill("#told_by", "Y").await;
    person.press("form[action='/visits/3/complaints'] .btn-ink").await;
    person.sees("Write who told it").await;
    person.go("/visits/3/complaints").await;
    person.until("window.Alpine").await;
    assert_eq!(person.run(words, Vec::new()).await, Value::from("Pump hums and gives nothing"));
    person.fill("#told_by", "Wirra Dundale").await;
    person.press("form[action='/visits/3/complaints'] .btn-ink").await;
    person.sees("Understood as").await;
    assert_eq!(person.run(words, Vec::new()).await, Value::from(""));

    person.go("/visits/3/monitor").await;
    person.until("[...document.querySelectorAll('.gauge dd')].every((d) => /[0-9]/.test(d.innerText))").await;
    assert_eq!(person.complaints(&["422 (Unprocessable"]).await, [""; 0]);
    let _ = std::fs::remove_dir_all(profile);
}
