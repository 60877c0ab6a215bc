//! What is recorded at the rig: readings delivered late and twice, a grid at once, and what explains them.

mod site;

use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use http_body_util::BodyExt;
use serde_json::json;
use site::{Site, site};
use tower::ServiceExt;

/// A small rig with a fuse block, on which nothing mains hangs.
const DC: &str = "\
place bay: bay
battery house in bay: lifepo4 12.8V 100Ah
isolator main in bay: 100A
fuse-block dc in bay: 60A, way pump 10A, way lamps 10A
dc-load pump in bay: 6A
dc-load lamps in bay: 4A
run house.+ : 0.2m 16mm2, fuse F1 60A bolt-down, 0.3m 16mm2, main, 0.5m 16mm2, dc.in
run house.- : 0.5m 16mm2, dc.-
run dc.pump : 4m 2.5mm2, pump.+
run dc.- : 4m 2.5mm2, pump.-
run dc.lamps : 5m 2.5mm2, lamps.+
run dc.- : 5m 2.5mm2, lamps.-
";

/// The tests of the plan with a mark of whether each has a reading, as the page lists them.
async fn latest(site: &Site, test: &str) -> String {
    let (_, page) = site.get(&site.at(&format!("readings?test={test}"))).await;
    page
}

#[tokio::test(flavor = "multi_thread")]
async fn what_waited_is_entered_once_and_in_order_however_often_it_is_sent() {
    let site = site("deliver").await;
    site.post(&site.at("trace"), &[("text", DC), ("base", "1")]).await;
    let one = |client: &str, test: &str, value: &str| json!({"client": client, "test": test, "value": value, "at": "2026-05-31T09:30:00Z"});
    let list =
        json!([one("a-1", "short:dc", "OL"), one("a-2", "rest:house", "13.3"), one("a-3", "rest:house", "13.31")]);
    let (status, said) = site.json("readings/deliver", &list.to_string()).await;
    assert_eq!(status, StatusCode::OK, "{said}");
    assert!(said.as_array().is_some_and(|l| l.len() == 3 && l.iter().all(|a| a["refused"].is_null())), "{said}");
    // The answer was lost: the same is sent again, with one more.
    let again =
        json!([one("a-2", "rest:house", "13.3"), one("a-3", "rest:house", "13.31"), one("a-4", "drop:pump", "0.4")]);
    let (_, said) = site.json("readings/deliver", &again.to_string()).await;
    assert!(said.as_array().is_some_and(|l| l.iter().all(|a| a["refused"].is_null())), "{said}");
    let page = latest(&site, "rest:house").await;
    assert_eq!((page.matches("V is within").count(), page.matches("(superseded)").count()), (2, 1), "{page}");
    assert!(page.contains("31 May 2026, 09:30 UTC"), "it was taken when it was taken: {page}");
    // What cannot be taken says why, and does not hold up what follows.
    let bad = json!([
        one("a-5", "nonsense", "1"),
        one("", "drop:pump", "1"),
        one("a-6", "drop:pump", "x"),
        one("a-7", "sag:house", "13.2")
    ]);
    let (_, said) = site.json("readings/deliver", &bad.to_string()).await;
    let refused: Vec<bool> = said.as_array().into_iter().flatten().map(|a| !a["refused"].is_null()).collect();
    assert_eq!(refused, [true, true, true, false], "{said}");
    // Another firm's visit takes nothing.
    let (status, _, _) = site.post(&format!("/visits/{}/readings/grid", site.foreign), &[("v:short:dc", "OL")]).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_grid_takes_many_and_the_diagnosis_names_what_explains_them() {
    let site = site("grid").await;
    site.post(&site.at("trace"), &[("text", DC), ("base", "1")]).await;
    let (_, page) = site.get(&site.at("readings?grid=DC%20live")).await;
    assert!(page.contains("name=\"v:drop:pump\"") && !page.contains("name=\"v:short:dc\""), "{page}");
    // The battery is not closed on trust: the short is looked for first.
    let grid = [("grid", "DC live"), ("v:drop:pump", "0.41"), ("v:drop:lamps", "0.34")];
    let (status, _, page) = site.post(&site.at("readings/grid"), &grid).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("No short between positive"), "{page}");
    site.post(&site.at("readings/grid"), &[("v:short:dc", "OL")]).await;
    let (status, ..) = site.post(&site.at("readings/grid"), &grid).await;
    assert_eq!(status, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&site.at("diagnosis")).await;
    assert!(page.contains("nothing is accused"), "{page}");
    // The lamps lose a volt more than their copper explains.
    site.post(&site.at("readings/grid"), &[("v:drop:lamps", "1.15")]).await;
    let (_, page) = site.get(&site.at("diagnosis")).await;
    assert!(page.contains("a joint of the conductor") && page.contains("lamps"), "{page}");
    assert!(page.contains("Take next") && page.contains("cleared"), "{page}");
    let key = page.split("name=\"key\" value=\"").nth(1).and_then(|k| k.split('"').next()).expect("a key").to_owned();
    let (status, ..) = site.post(&site.at("diagnosis"), &[("key", &key), ("note", "no")]).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    site.post(&site.at("diagnosis"), &[("key", &key), ("note", "green lug at the block, turns by hand")]).await;
    for page in ["findings", "hand-over"] {
        let (_, page) = site.get(&site.at(page)).await;
        assert!(page.contains("green lug at the block"), "{page}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn readings_go_out_as_csv_and_come_in_with_bad_rows_set_aside() {
    let site = site("csv").await;
    site.post(&site.at("trace"), &[("text", DC), ("base", "1")]).await;
    let rows = "value, test,taken_at,note\nOL,short:dc,2026-05-31T09:30:00Z,first\n13.3,rest:house,2026-05-31T09:31:00Z,\n\
                twelve,drop:pump,,\n0.4,drop:nothing,,\n0.41,drop:pump,yesterday,\n\"0.42 V\",drop:pump,2026-05-31T09:33:00Z,ok\n";
    let (status, _, page) = site.post(&site.at("csv"), &[("text", rows)]).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    for words in [
        "3 rows were taken, 3 are set aside",
        "Line 4: ",
        "Line 5: ",
        "Line 6: taken_at is no time",
        "twelve,drop:pump",
    ] {
        assert!(page.contains(words), "{words}: {page}");
    }
    assert!(!page.contains("OL,short:dc"), "what was taken is not set aside");
    let (_, out) = site.get(&site.at("readings.csv")).await;
    let lines: Vec<&str> = out.lines().collect();
    assert_eq!(lines.len(), 4, "{out}");
    assert!(
        lines[0].starts_with("test,title,value,unit") && lines[1].starts_with("short:dc,") && lines[1].contains(",OL,"),
        "{out}"
    );
    assert!(lines[3].contains("2026-05-31T09:33:00+00:00,Ana Bell,no"), "{out}");
    // What went out comes in again, each superseding itself.
    assert_eq!(site.post(&site.at("csv"), &[("text", &out)]).await.0, StatusCode::SEE_OTHER);
    let (_, again) = site.get(&site.at("readings.csv")).await;
    assert_eq!((again.lines().count(), again.matches(",yes").count()), (7, 3), "{again}");
    let (status, _, page) = site.post(&site.at("csv"), &[("text", "a,b\n1,2\n")]).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("a,b"), "{page}");
    let (_, day) = site.get(&site.at("day")).await;
    assert!(day.contains("31 May 2026") && day.contains("09:31") && day.contains("Resting voltage"), "{day}");
}

/// A form with a file in it, as a browser sends it.
fn form(name: &str, bytes: &[u8], subject: &str) -> (String, Vec<u8>) {
    let mut body = Vec::new();
    for (field, value) in [("subject", subject), ("moment", "before"), ("note", "as found")] {
        body.extend(format!("--edge\r\nContent-Disposition: form-data; name=\"{field}\"\r\n\r\n{value}\r\n").bytes());
    }
    body.extend(format!("--edge\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"{name}\"\r\nContent-Type: image/jpeg\r\n\r\n").bytes());
    body.extend(bytes);
    body.extend(b"\r\n--edge--\r\n");
    ("multipart/form-data; boundary=edge".to_owned(), body)
}

async fn upload(site: &Site, name: &str, bytes: &[u8], subject: &str) -> (StatusCode, String) {
    let (kind, body) = form(name, bytes, subject);
    let request =
        Request::post(site.at("photographs")).header(header::COOKIE, &site.cookie).header(header::CONTENT_TYPE, kind);
    let (status, _, page) = site.send(request.body(Body::from(body)).expect("a request")).await;
    (status, page)
}

async fn download(site: &Site, path: &str) -> Vec<u8> {
    let request =
        Request::get(site.at(path)).header(header::COOKIE, &site.cookie).body(Body::empty()).expect("a request");
    let answer = site.router.clone().oneshot(request).await.expect("answers");
    answer.into_body().collect().await.expect("a body").to_bytes().to_vec()
}

/// A picture twice as wide as high, as a camera writes it that was held upright: turned by a mark, with the place beside it
/// (Exif 2.32: tag 0x0112 orientation, 6 is a quarter turn to the right; tag 0x8825 leads to the place).
fn camera() -> Vec<u8> {
    let mut plain = Vec::new();
    let picture = image::RgbImage::from_fn(64, 32, |x, _| image::Rgb([if x < 32 { 250 } else { 5 }, 120, 60]));
    picture.write_with_encoder(image::codecs::jpeg::JpegEncoder::new(&mut plain)).expect("encodes");
    let mut tiff: Vec<u8> = b"II*\0\x08\0\0\0\x02\0".to_vec();
    tiff.extend(b"\x12\x01\x03\0\x01\0\0\0\x06\0\0\0");
    tiff.extend(b"\x25\x88\x04\0\x01\0\0\0\x26\0\0\0\0\0\0\0");
    tiff.extend(b"\x01\0\x1b\0\x02\0\x14\0\0\0\x38\0\0\0\0\0\0\0");
    tiff.extend(b"BEHIND-THE-OLD-MILL\0");
    let mut out = plain[..2].to_vec();
    out.extend([0xff, 0xe1]);
    out.extend(u16::try_from(tiff.len() + 8).expect("short").to_be_bytes());
    out.extend(b"Exif\0\0");
    out.extend(&tiff);
    out.extend(&plain[2..]);
    out
}

#[tokio::test(flavor = "multi_thread")]
async fn a_photograph_is_kept_upright_without_its_place() {
    let site = site("photo").await;
    site.post(&site.at("trace"), &[("text", DC), ("base", "1")]).await;
    let sent = camera();
    assert!(sent.windows(8).any(|w| w == b"OLD-MILL"));
    let (status, page) = upload(&site, "IMG 1.jpg", &sent, "house").await;
    assert_eq!(status, StatusCode::SEE_OTHER, "{page}");
    let kept = download(&site, "photographs/1").await;
    for trace in [&b"OLD-MILL"[..], b"Exif"] {
        assert!(!kept.windows(trace.len()).any(|w| w == trace), "the place is gone");
    }
    let picture = image::load_from_memory(&kept).expect("a picture");
    assert_eq!((picture.width(), picture.height()), (32, 64), "it stands upright");
    // What was left is on top after a quarter turn to the right.
    assert!(picture.to_rgb8().get_pixel(16, 8)[0] > 200 && picture.to_rgb8().get_pixel(16, 56)[0] < 60);
    let small = image::load_from_memory(&download(&site, "photographs/1/thumbnail").await).expect("a thumbnail");
    assert!(small.width() <= 320 && small.height() <= 320);
    for path in ["component/house", "photographs?of=house", "hand-over"] {
        let (_, page) = site.get(&site.at(path)).await;
        assert!(page.contains("photographs/1/thumbnail") && page.contains("as found"), "{path}: {page}");
    }
    assert_eq!(site.get(&format!("/visits/{}/photographs/1", site.foreign)).await.0, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rig_is_traced_from_marks_on_a_photograph() {
    let site = site("marks").await;
    site.post(&site.at("trace"), &[("text", DC), ("base", "1")]).await;
    assert_eq!(upload(&site, "bay.jpg", &camera(), "Battery bay").await.0, StatusCode::SEE_OTHER);
    let at = site.at("photographs/1/marks");
    let set = async |fields: &[(&str, &str)]| site.post(&at, &[&[("base", "2")], fields].concat()).await;
    assert_eq!(set(&[("across", "12,5"), ("down", "40"), ("component", "house")]).await.0, StatusCode::SEE_OTHER);
    // What is refused says why and keeps what was typed; nothing is traced for it.
    for (fields, words) in [
        (&[("across", "130"), ("down", "40"), ("kind", "battery")][..], "0 to 100 percent"),
        (&[("across", ""), ("down", ""), ("component", "house")], "0 to 100 percent"),
        (&[("across", "50"), ("down", "61.7"), ("component", "nothing")], "Choose what stands"),
    ] {
        let (status, _, page) = set(fields).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
        let kept = fields[..2].iter().all(|(_, v)| page.contains(&format!("value=\"{v}\"")));
        assert!(page.contains(words) && kept, "{page}");
    }
    // Something new is traced with its mark; on a trace that has changed meanwhile it is neither.
    assert_eq!(set(&[("across", "50"), ("down", "61.7"), ("kind", "controller")]).await.0, StatusCode::SEE_OTHER);
    let (status, _, page) = set(&[("across", "70"), ("down", "70"), ("kind", "inverter")]).await;
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("Somebody else has changed the trace"),
        "{page}"
    );
    let (_, rig) = site.get(&site.at("trace/rig.json")).await;
    assert_eq!((rig.matches("controller").count() > 0, rig.contains("inverter")), (true, false), "{rig}");
    let (_, page) = site.get(&at).await;
    assert_eq!(page.matches("class=\"mark").count() - page.matches("class=\"marking").count(), 2, "{page}");
    assert!(page.contains("cx=\"12.50%\" cy=\"40.00%\"") && page.contains("cx=\"50.00%\" cy=\"61.70%\""), "{page}");
    // The picture is among those of the component, though it was taken of something else.
    assert!(site.get(&site.at("component/house")).await.1.contains("photographs/1/thumbnail"));
    // A mark is taken away once; its number is not given again.
    let away = format!("{at}/away");
    assert_eq!(site.post(&away, &[("number", "2")]).await.0, StatusCode::SEE_OTHER);
    assert_eq!(site.post(&away, &[("number", "2")]).await.0, StatusCode::NOT_FOUND);
    assert_eq!(set(&[("across", "1"), ("down", "1"), ("component", "house")]).await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get(&at).await;
    assert!(page.contains("id=\"m3\"") && !page.contains("id=\"m2\""), "{page}");
    let foreign = format!("/visits/{}/photographs/1/marks", site.foreign);
    assert_eq!(site.get(&foreign).await.0, StatusCode::NOT_FOUND);
    assert_eq!(
        site.post(&foreign, &[("base", "1"), ("across", "1"), ("down", "1"), ("component", "house")]).await.0,
        StatusCode::NOT_FOUND
    );
}

/// The check sum of a PNG chunk (PNG specification, annex D).
fn crc(bytes: &[u8]) -> u32 {
    !bytes.iter().fold(u32::MAX, |c, b| {
        (0..8).fold(c ^ u32::from(*b), |c, _| if c & 1 == 1 { 0xedb8_8320 ^ (c >> 1) } else { c >> 1 })
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn a_hostile_upload_is_refused_in_words_and_leaves_no_trace() {
    let site = site("hostile").await;
    // A few bytes that claim 19,000 by 19,000 pixels.
    let mut head: Vec<u8> = b"IHDR".to_vec();
    head.extend(19_000u32.to_be_bytes());
    head.extend(19_000u32.to_be_bytes());
    head.extend([8, 2, 0, 0, 0]);
    let mut bomb: Vec<u8> = b"\x89PNG\r\n\x1a\n\0\0\0\x0d".to_vec();
    bomb.extend(&head);
    bomb.extend(crc(&head).to_be_bytes());
    let data = b"IDAT\x78\x9c\x03\0\0\0\0\x01";
    bomb.extend(8u32.to_be_bytes());
    bomb.extend(data);
    bomb.extend(crc(data).to_be_bytes());
    bomb.extend(b"\0\0\0\0IEND\xae\x42\x60\x82");
    let good = camera();
    let huge = vec![0xff; 21_000_000];
    let cases: [(&str, &[u8], &str, &str); 7] = [
        ("photo.jpg", b"<script>alert(1)</script>", "house", "no JPEG, PNG or WebP"),
        ("photo.jpg", b"GIF89a\x01\0\x01\0", "house", "no JPEG, PNG or WebP"),
        ("bomb.png", &bomb, "house", "60 million pixels"),
        ("half.jpg", &good[..good.len() / 2], "house", "cannot be unpacked"),
        ("../../etc/cron.d/x.jpg", &good, "house", "contains a path"),
        ("photo.jpg", &good, "", "Say what the picture is of"),
        ("huge.jpg", &huge, "house", "larger than 20 MB"),
    ];
    for (name, bytes, subject, words) in cases {
        let (status, page) = upload(&site, name, bytes, subject).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{name}");
        assert!(page.contains(words) && page.contains("role=\"alert\"") || page.contains(words), "{name}: {page}");
    }
    let (_, page) = site.get(&site.at("photographs")).await;
    assert!(page.contains("None yet") && !page.contains("<img"), "nothing was kept");
    assert_eq!(site.get(&site.at("photographs/1")).await.0, StatusCode::NOT_FOUND);
}
