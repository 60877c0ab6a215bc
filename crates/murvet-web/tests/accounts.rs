//! Firms, people and passwords at the door: the first start, guessing, and what no text may hold.

mod site;

use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use http_body_util::BodyExt;
use murvet_store::{NewPerson, Store, StoreError, one_time_code, password_fits};
use murvet_web::{App, Clock, router};
use site::{database, encode, site};
use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicI64, Ordering};
use tower::ServiceExt;

async fn empty(name: &str) -> Store {
    Store::open(&database::database(&format!("web_{name}")).await).await.expect("opens")
}

async fn post(router: &axum::Router, path: &str, fields: &[(&str, &str)]) -> (StatusCode, header::HeaderMap, String) {
    let body: Vec<String> = fields.iter().map(|(k, v)| format!("{k}={}", encode(v))).collect();
    let request = Request::post(path)
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
        .body(Body::from(body.join("&")));
    let answer = router.clone().oneshot(request.expect("a request")).await.expect("answers");
    let (parts, body) = answer.into_parts();
    let bytes = body.collect().await.expect("a body").to_bytes();
    (parts.status, parts.headers, String::from_utf8_lossy(&bytes).into_owned())
}

fn set_up_form<'a>(code: &'a str, firm: &'a str, password: &'a str) -> [(&'a str, &'a str); 6] {
    [
        ("code", code),
        ("firm", firm),
        ("name", "Ines Moor"),
        ("qualification", "electrician"),
        ("login", "ines"),
        ("password", password),
    ]
}

#[tokio::test(flavor = "multi_thread")]
async fn the_first_firm_is_entered_once_by_whoever_has_the_code() {
    let store = empty("first").await;
    let code = one_time_code().expect("a code");
    assert_eq!((code.len(), code.split('-').count()), (11, 2), "{code}");
    let router = router(App::new(store.clone(), Clock::system(), false).set_up_with(&code));
    let good = "twelve or more letters";
    for (typed, firm, password, why) in [
        ("WRONG-CODES", "Moor Electric", good, "The code is not the one"),
        (&*code, "", good, "Name of"),
        (&*code, "Moor Electric", "short", "12 characters"),
    ] {
        let (status, _, page) = post(&router, "/set-up", &set_up_form(typed, firm, password)).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{page}");
        assert!(page.contains(why) || why == "Name of" && page.contains("Firm: write it"), "{why}: {page}");
        // What was typed is still there, but for what is secret.
        assert!(page.contains("value=\"Ines Moor\"") && !page.contains(good) && !page.contains(&code), "{page}");
    }
    // Two at once: one firm.
    let form = set_up_form(&code, "Moor Electric", good);
    let small = code.to_lowercase();
    let again = set_up_form(&small, "Moor Electric", good);
    let (one, two) = tokio::join!(post(&router, "/set-up", &form), post(&router, "/set-up", &again));
    let answers = BTreeSet::from([one.0.as_u16(), two.0.as_u16()]);
    assert_eq!(answers, BTreeSet::from([303, 404]));
    let firm = store.firm_called("Moor Electric").await.expect("one firm");
    assert_eq!(store.people(firm).await.expect("people").len(), 1);
    let (status, headers, _) = post(&router, "/sign-in", &[("login", "ines"), ("password", good)]).await;
    assert_eq!((status, headers.contains_key(header::SET_COOKIE)), (StatusCode::SEE_OTHER, true));
    // Afterwards there is no such page.
    let gone = router.clone().oneshot(Request::get("/set-up").body(Body::empty()).expect("a request")).await;
    assert_eq!(gone.expect("answers").status(), StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_code_that_was_guessed_at_ten_times_is_none_any_more() {
    let store = empty("guessed").await;
    let router = router(App::new(store.clone(), Clock::system(), false).set_up_with("ABCDE-FGHJK"));
    for n in 0..10 {
        let code = format!("AAAAA-AAAA{n}");
        let (status, ..) = post(&router, "/set-up", &set_up_form(&code, "Moor", "twelve or more letters")).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    }
    let (status, ..) = post(&router, "/set-up", &set_up_form("ABCDE-FGHJK", "Moor", "twelve or more letters")).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(store.is_empty().await.expect("asked"));
}

#[tokio::test(flavor = "multi_thread")]
async fn guessing_waits_and_the_right_password_elsewhere_does_not() {
    let store = empty("guess").await;
    let firm = store.add_firm("Moor").await.expect("a firm");
    let ines = NewPerson {
        login: "ines",
        name: "Ines Moor",
        qualification: "electrician",
        password: "twelve or more letters",
    };
    store.add_person(firm, &ines).await.expect("a person");
    // Behind a proxy for TLS, which says who asks.
    let start = chrono::Utc::now();
    let later = Arc::new(AtomicI64::new(0));
    let seconds = later.clone();
    let clock = Clock::told(move || start + chrono::Duration::seconds(seconds.load(Ordering::Relaxed)));
    let router = router(App::new(store, clock, true));
    let knock = |from: &str, login: &str, password: &str| {
        let request = Request::post("/sign-in")
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
            .header("x-forwarded-for", format!("203.0.113.77, {from}"))
            .body(Body::from(format!("login={}&password={}", encode(login), encode(password))));
        let answer = router.clone().oneshot(request.expect("a request"));
        async move {
            let answer = answer.await.expect("answers");
            (answer.status(), answer.headers().get(header::RETRY_AFTER).cloned())
        }
    };
    // Sixty-four at once are no more than sixty-four in a row, and an unknown name is answered as a known one.
    for name in ["ines", "nobody"] {
        let from = if name == "ines" { "198.51.100.1" } else { "198.51.100.2" };
        let mut guesses = tokio::task::JoinSet::new();
        for n in 0..64 {
            guesses.spawn(knock(from, name, &format!("guess number {n}")));
        }
        let all = guesses.join_all().await;
        let of = |wanted: StatusCode| all.iter().filter(|(s, _)| *s == wanted).count();
        assert_eq!(of(StatusCode::UNAUTHORIZED) + of(StatusCode::TOO_MANY_REQUESTS), 64);
        assert_eq!(of(StatusCode::UNAUTHORIZED), 5, "{name}");
        assert!(all.iter().all(|(s, wait)| (*s == StatusCode::TOO_MANY_REQUESTS) == wait.is_some()));
    }
    // Thirty-two right ones at once all come in: an office opens in the morning.
    let mut morning = tokio::task::JoinSet::new();
    for _ in 0..32 {
        morning.spawn(knock("198.51.100.3", "ines", "twelve or more letters"));
    }
    assert!(morning.join_all().await.iter().all(|(s, _)| *s == StatusCode::SEE_OTHER));
    // From there not even the right one is let in; from anywhere else it is.
    assert_eq!(knock("198.51.100.1", "ines", "twelve or more letters").await.0, StatusCode::TOO_MANY_REQUESTS);
    assert_eq!(knock("192.0.2.5", "ines", "twelve or more letters").await.0, StatusCode::SEE_OTHER);
    // A little later it is let in from there too.
    later.store(2, Ordering::Relaxed);
    assert_eq!(knock("198.51.100.1", "ines", "twelve or more letters").await.0, StatusCode::SEE_OTHER);
}

#[tokio::test(flavor = "multi_thread")]
async fn another_password_ends_every_session_and_a_new_sign_in_the_one_before() {
    let mut site = site("password").await;
    let before = site.cookie.clone();
    assert_eq!(site.get("/visits").await.0, StatusCode::OK);
    // Signing in anew from the same browser leaves no second session behind.
    let typed = |password| [("login", "ana"), ("password", password)];
    let (_, headers, _) = site.post("/sign-in", &typed("a long password")).await;
    let cookie = headers[header::SET_COOKIE].to_str().expect("text");
    let now = cookie.split(';').next().unwrap_or_default().to_owned();
    site.cookie = before;
    assert_eq!(site.get("/visits").await.0, StatusCode::SEE_OTHER);
    site.cookie = now;
    assert_eq!(site.get("/visits").await.0, StatusCode::OK);
    let store = site.store.clone();
    assert!(matches!(store.set_password("nobody", "a longer password").await, Err(StoreError::NotFound)));
    store.set_password("ana", "a longer password").await.expect("changed");
    assert_eq!(site.get("/visits").await.0, StatusCode::SEE_OTHER, "signed out everywhere");
    assert_eq!(site.post("/sign-in", &typed("a long password")).await.0, StatusCode::UNAUTHORIZED);
    assert_eq!(site.post("/sign-in", &typed("a longer password")).await.0, StatusCode::SEE_OTHER);
    assert!(password_fits("eleven lett").is_err() && password_fits("twelve lette").is_ok());
    assert!(password_fits(&"x".repeat(201)).is_err());
}

/// The forms of a page: where each is sent, and the names of its fields.
fn forms(page: &str, at: &str) -> Vec<(String, BTreeSet<String>)> {
    let mut list = Vec::new();
    for form in page.split("<form ").skip(1).filter_map(|f| f.split("</form>").next()) {
        let (tag, inside) = form.split_once('>').unwrap_or((form, ""));
        if !tag.contains("method=\"post\"") || tag.contains("multipart") {
            continue;
        }
        let action = tag.split("action=\"").nth(1).and_then(|a| a.split('"').next());
        let names = inside.split("name=\"").skip(1).filter_map(|n| n.split('"').next());
        list.push((action.unwrap_or(at).to_owned(), names.map(str::to_owned).collect()));
    }
    list
}

#[tokio::test(flavor = "multi_thread")]
async fn no_field_of_any_form_takes_what_no_text_may_hold_nor_more_than_anybody_writes() {
    let site = site("nul").await;
    site.make_safe().await;
    let mut tried = BTreeSet::new();
    let stations = [
        "trace",
        "readings?test=rest:b",
        "findings",
        "put-right",
        "hand-over",
        "case",
        "complaints",
        "work",
        "steps",
        "hours",
        "owner",
        "csv",
        "years",
        "origin",
        "diagnosis",
        "walk",
        "visit",
    ];
    let pages =
        stations.iter().map(|s| site.at(s)).chain(["/visits", "/practice", "/rules", "/bench"].map(str::to_owned));
    for at in pages {
        let (_, page) = site.get(&at).await;
        for (action, names) in forms(&page, &at) {
            if action == "/sign-out" {
                continue;
            }
            for name in &names {
                if !tried.insert((action.clone(), name.clone())) {
                    continue;
                }
                let typed: Vec<(&str, &str)> =
                    names.iter().map(|n| (n.as_str(), if n == name { "a\0b" } else { "1" })).collect();
                let (status, _, answer) = site.post(&action, &typed).await;
                assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{action} {name}: {answer}");
                assert!(answer.contains("(NUL)"), "{action} {name}: {answer}");
                // Longer than anybody writes, and days beyond reason; a text may be as long as a rig, which has its own limit.
                let long = "w".repeat(200_001);
                for (beyond, words) in
                    [(long.as_str(), "characters"), ("9999-12-31", "is not a day"), ("0001-01-01", "is not a day")]
                {
                    if name == "text" && beyond == long {
                        continue;
                    }
                    let typed: Vec<(&str, &str)> =
                        names.iter().map(|n| (n.as_str(), if n == name { beyond } else { "1" })).collect();
                    let (status, _, answer) = site.post(&action, &typed).await;
                    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{action} {name}: {answer}");
                    assert!(answer.contains(words) && answer.contains(name.as_str()), "{action} {name}: {answer}");
                }
            }
        }
    }
    println!("{} fields", tried.len());
    assert!(tried.len() > 60, "{} fields", tried.len());
    let (status, _) = site.json("trace/check", "{\"text\":\"battery b\\u0000\"}").await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
}
