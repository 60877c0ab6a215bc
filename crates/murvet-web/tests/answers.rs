//! What the server answers to bad input, to strangers, and to two who edit one rig.

mod site;

use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use http_body_util::BodyExt;
use site::{RIG, site};
use tower::ServiceExt;

#[tokio::test(flavor = "multi_thread")]
async fn bad_input_of_each_kind_gets_a_clear_answer_and_loses_nothing() {
    let site = site("bad").await;
    for (text, message) in [
        ("batery x\n", "no kind of component"),
        ("bus p\nrun p : -2m 6mm2, end capped\n", "cannot be negative"),
        ("fuse F: rating 30V\n", "wrong unit"),
        ("bus p\nrun p : 2m 6mm2, nowhere\n", "no component is called"),
        ("bus p\nrun p : 2m 2, end bare\n", "2/0AWG or 2mm2"),
        ("bus <script>\n", "cannot be a name"),
    ] {
        let (status, _, page) = site.post(&site.at("trace"), &[("text", text), ("base", "1")]).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{text}");
        assert!(
            page.contains(message)
                && page.contains(
                    text.trim_end().replace('<', "&#60;").replace('>', "&#62;").lines().last().unwrap_or_default()
                ),
            "{text}\n{page}"
        );
        assert!(!page.contains("<script>"));
    }
    let five_mb = "# padding\n".repeat(500_000);
    let (status, _, page) = site.post(&site.at("trace"), &[("text", &five_mb), ("base", "1")]).await;
    assert_eq!(status, StatusCode::PAYLOAD_TOO_LARGE);
    assert!(page.contains("1000000 bytes"), "{page}");
    let (status, _, _) = site.post(&site.at("trace"), &[("text", &"# padding\n".repeat(120_000)), ("base", "1")]).await;
    assert_eq!(status, StatusCode::PAYLOAD_TOO_LARGE);
    for (value, message) in [
        ("", "Type what the meter shows"),
        ("abc", "type a number"),
        ("-3", "cannot be negative"),
        ("3A", "wrong unit"),
        ("1e99", "out of range"),
    ] {
        let (status, _, page) = site.post(&site.at("readings"), &[("test", "drop:heater"), ("value", value)]).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{value}");
        assert!(page.contains(message) || page.contains("out of range"), "{value}: {page}");
    }
    for (path, fields, status) in [
        (site.at("trace"), vec![("text", "bus a")], StatusCode::UNPROCESSABLE_ENTITY),
        (site.at("trace"), vec![("text", "bus a"), ("base", "x")], StatusCode::UNPROCESSABLE_ENTITY),
        (site.at("safe"), vec![("step", "inlet:s")], StatusCode::CONFLICT),
        (site.at("readings"), vec![("test", "no:such"), ("value", "1")], StatusCode::NOT_FOUND),
        (site.at("readings"), vec![("test", "outlet:s:o"), ("value", "120")], StatusCode::CONFLICT),
        (
            site.at("findings"),
            vec![("finding", "x:y"), ("event", "accepted"), ("note", "because")],
            StatusCode::NOT_FOUND,
        ),
        (
            site.at("findings"),
            vec![("finding", "overcurrent-missing:b.+--heater.+"), ("event", "accepted"), ("note", "because so")],
            StatusCode::UNPROCESSABLE_ENTITY,
        ),
        (site.at("put-right"), vec![("finding", "x"), ("title", "y"), ("base", "7")], StatusCode::CONFLICT),
        (site.at("hand-over"), vec![("name", "Somebody Else")], StatusCode::UNPROCESSABLE_ENTITY),
        (
            "/visits".to_owned(),
            vec![
                ("customer", "c"),
                ("contact", ""),
                ("rig", "r"),
                ("profile", "na-rv"),
                ("day", "tomorrow"),
                ("hours", "4"),
                ("complaint", ""),
            ],
            StatusCode::UNPROCESSABLE_ENTITY,
        ),
    ] {
        let (found, _, page) = site.post(&path, &fields).await;
        assert_eq!(found, status, "{path} {fields:?} {page}");
        assert!(page.contains("<h1"), "a page of ours, not a bare line");
    }
    for path in
        ["states?c0=9&c1=x", "findings?component=none", "readings?test=none", "put-right?finding=none", "hand-over/99"]
    {
        let (status, _) = site.get(&site.at(path)).await;
        assert!(status == StatusCode::OK || status == StatusCode::NOT_FOUND, "{path}: {status}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn another_firms_visit_is_not_found_and_strangers_sign_in_first() {
    let mut site = site("firms").await;
    for station in ["safe", "trace", "states", "readings", "findings", "put-right", "hand-over", "trace/rig.json"] {
        assert_eq!(site.get(&format!("/visits/{}/{station}", site.visit)).await.0, StatusCode::OK, "{station}");
        let (status, page) = site.get(&format!("/visits/{}/{station}", site.foreign)).await;
        assert_eq!(status, StatusCode::NOT_FOUND, "{station}");
        assert!(page.contains("another firm"));
    }
    let fields = [("text", "bus a\n"), ("base", "1")];
    assert_eq!(site.post(&format!("/visits/{}/trace", site.foreign), &fields).await.0, StatusCode::NOT_FOUND);
    assert_eq!(site.get("/visits/x/trace").await.0, StatusCode::BAD_REQUEST);
    let elsewhere =
        Request::post(site.at("trace")).header(header::COOKIE, &site.cookie).header("sec-fetch-site", "cross-site");
    assert_eq!(site.send(elsewhere.body(Body::empty()).expect("a request")).await.0, StatusCode::FORBIDDEN);
    site.cookie = "murvet=stolen".to_owned();
    assert_eq!(site.get(&site.at("trace")).await.0, StatusCode::SEE_OTHER);
}

#[tokio::test(flavor = "multi_thread")]
async fn of_two_who_edit_one_rig_the_second_gets_both_versions() {
    let site = site("two").await;
    let first = format!("{RIG}bus first\n");
    let second = format!("{RIG}bus second\n");
    assert_eq!(site.post(&site.at("trace"), &[("text", &first), ("base", "1")]).await.0, StatusCode::SEE_OTHER);
    let (status, _, page) = site.post(&site.at("trace"), &[("text", &second), ("base", "1")]).await;
    assert_eq!(status, StatusCode::CONFLICT);
    assert!(page.contains("bus first") && page.contains("bus second") && page.contains("revision 2"), "{page}");
    assert_eq!(site.post(&site.at("trace"), &[("text", &second), ("base", "2")]).await.0, StatusCode::SEE_OTHER);
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_keep_to_themselves_and_assets_may_be_kept() {
    let site = site("headers").await;
    let request = Request::get("/sign-in").body(Body::empty()).expect("a request");
    let (_, headers, page) = site.send(request).await;
    assert!(headers[header::CONTENT_SECURITY_POLICY].to_str().expect("text").starts_with("default-src 'self'"));
    let mut total = page.len();
    for asset in page.split('"').filter(|p| p.starts_with("/assets/")) {
        let request = Request::get(asset).body(Body::empty()).expect("a request");
        let answer = site.router.clone().oneshot(request).await.expect("answers");
        assert_eq!(answer.status(), StatusCode::OK, "{asset}");
        assert!(answer.headers()[header::CACHE_CONTROL].to_str().expect("text").contains("immutable"));
        total += answer.into_body().collect().await.expect("a body").to_bytes().len();
    }
    assert!(total < 150_000, "first paint needs {total} bytes");
}

#[tokio::test(flavor = "multi_thread")]
async fn signing_in_and_out_gives_and_takes_the_right_and_nothing_else() {
    let mut site = site("sign").await;
    let signed_in = site.cookie.clone();
    // What is wrong is not told apart: an unknown name and a wrong password read the same.
    let mut pages = Vec::new();
    for (login, password) in [("ana", "s3cret-guess"), ("nobody", "s3cret-guess"), ("ana", ""), ("' OR 1=1 --", "x")] {
        let (status, headers, page) = site.post("/sign-in", &[("login", login), ("password", password)]).await;
        assert_eq!(status, StatusCode::UNAUTHORIZED, "{login}");
        assert!(!headers.contains_key(header::SET_COOKIE), "{login}");
        assert!(!page.contains("s3cret-guess"), "a password is never sent back");
        pages.push(page.replace(&login.replace('\'', "&#39;"), ""));
    }
    assert_eq!(pages[0].len(), pages[2].len());
    assert!(pages[1].contains("Name or password is wrong"));
    // A form that lacks a field is answered by a page of ours.
    let (status, _, page) = site.post("/sign-in", &[("login", "ana")]).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(page.contains("not complete"), "{page}");
    // Signed out, the old cookie opens nothing, also not for writing.
    assert_eq!(site.post("/sign-out", &[]).await.0, StatusCode::SEE_OTHER);
    site.cookie = signed_in;
    for path in ["/visits".to_owned(), site.at("trace"), site.at("hand-over"), site.at("trace/map.svg")] {
        let (status, page) = site.get(&path).await;
        assert_eq!(status, StatusCode::SEE_OTHER, "{path}");
        assert!(page.is_empty(), "nothing leaks");
    }
    let (status, headers, _) = site.post(&site.at("trace"), &[("text", "bus a\n"), ("base", "1")]).await;
    assert_eq!((status, headers[header::LOCATION].to_str().ok()), (StatusCode::SEE_OTHER, Some("/sign-in")));
    // Addresses that lead nowhere, and methods that are not there, are answered too.
    for path in [
        "/nothing",
        "/visits/1/nothing",
        "/assets/none.css",
        "/assets/..%2f..%2fCargo.toml",
        "/visits/99999999999999999999/trace",
    ] {
        let (status, _) = site.get(path).await;
        assert!(status.is_client_error() || status == StatusCode::SEE_OTHER, "{path}: {status}");
    }
    let delete = Request::delete(site.at("trace")).body(Body::empty()).expect("a request");
    assert_eq!(site.send(delete).await.0, StatusCode::METHOD_NOT_ALLOWED);
}
