//! Who may do what, on every route; accounts that are closed and opened; forms that are sent more than once; and pages of other
//! sites.

mod site;

use axum::body::Body;
use axum::http::{Method, Request, StatusCode, header};
use chrono::Utc;
use murvet_store::{Change, NewPerson, Role};
use murvet_web::{App, Clock, router};
use site::{Site, database, fields, site};
use std::collections::BTreeSet;

/// Every route of the application with the methods it answers, read off the list that makes them.
fn routes() -> Vec<(Method, String)> {
    let source = include_str!("../src/lib.rs");
    let flat: String = source.split_whitespace().collect();
    let mut list = Vec::new();
    for part in flat.split(".route(\"").skip(1) {
        let (path, rest) = part.split_once('"').expect("a path");
        let handlers = rest.split(".route(\"").next().unwrap_or_default();
        let handlers = handlers.split(".fallback(").next().unwrap_or_default();
        for (call, method) in [("get(", Method::GET), ("post(", Method::POST)] {
            if handlers.contains(call) {
                list.push((method, path.to_owned()));
            }
        }
    }
    assert!(list.len() > 110, "{}", list.len());
    list
}

/// What an office may write besides what everybody may, by hand: nothing of it makes or changes a verdict.
const OFFICE: [&str; 22] = [
    "/bundle",
    "/fleet",
    "/fleet/{run}/go",
    "/fleet/{run}/rigs/{rig}",
    "/people",
    "/people/{id}/close",
    "/people/{id}/role",
    "/practice/calibrations",
    "/practice/instruments",
    "/practice/instruments/{id}/retire",
    "/practice/licences",
    "/practice/licences/withdraw",
    "/practice/prices",
    "/visits",
    "/visits/{visit}/again",
    "/visits/{visit}/case",
    "/visits/{visit}/complaints",
    "/visits/{visit}/complaints/list",
    "/visits/{visit}/owner",
    "/visits/{visit}/visit",
    "/visits/{visit}/withdraw",
    "/visits/{visit}/years",
];
/// What everybody may send who is signed in: their own account, and questions that write nothing.
const EVERYBODY: [&str; 9] = [
    "/account/second",
    "/shared",
    "/sign-out",
    "/measures",
    "/account/password",
    "/account/sessions",
    "/visits/{visit}/trace/check",
    "/visits/{visit}/trace/open",
    "/visits/{visit}/trace/suggest",
];
/// What nobody has to be signed in for.
const OPEN: [&str; 10] = [
    "/away",
    "/manifest.webmanifest",
    "/",
    "/sign-in",
    "/set-up",
    "/sign-out",
    "/worker.js",
    "/assets/{file}",
    "/health/live",
    "/health/ready",
];

async fn ask(site: &Site, method: &Method, path: &str) -> StatusCode {
    let body = if method == Method::POST { "nothing=here" } else { "" };
    let request = Request::builder()
        .method(method)
        .uri(path)
        .header(header::COOKIE, &site.cookie)
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
        .body(Body::from(body));
    site.send(request.expect("a request")).await.0
}

/// An address of a route in somebody's own visit.
fn own(route: &str, visit: i64) -> String {
    let path = route.replace("{visit}", &visit.to_string());
    let mut out = String::new();
    let mut rest = path.as_str();
    while let Some((before, after)) = rest.split_once('{') {
        out.push_str(before);
        out.push('1');
        rest = after.split_once('}').map_or("", |(_, tail)| tail);
    }
    out + rest
}

#[tokio::test(flavor = "multi_thread")]
async fn every_route_obeys_the_role_and_belongs_to_one_firm() {
    let mut site = site("roles").await;
    let ana = site.store.person_called("ana").await.expect("is there");
    for (login, role) in [("olga", Role::Office), ("rolf", Role::ReadOnly), ("ivo", Role::Inspector)] {
        let new = NewPerson { login, name: login, qualification: "-", password: "a long password" };
        site.store.add_colleague(ana.0, ana.1, &new, role, Utc::now()).await.expect("entered");
    }
    let (visit, foreign) = (site.visit, site.foreign);
    let mut wrong = Vec::new();
    // Nobody.
    site.cookie.clear();
    for (method, route) in routes() {
        let got = ask(&site, &method, &own(&route, visit)).await;
        let turned_away = matches!(got, StatusCode::SEE_OTHER | StatusCode::UNAUTHORIZED);
        if !OPEN.contains(&route.as_str()) && !turned_away {
            wrong.push(format!("{method} {route} for nobody: {got}"));
        }
    }
    for (login, role) in [("olga", Role::Office), ("rolf", Role::ReadOnly), ("ivo", Role::Inspector)] {
        site.sign_in(login).await;
        for (method, route) in routes() {
            // To sign out, or to be signed in anew, would end the walk.
            if OPEN.contains(&route.as_str()) || route == "/account/sessions" {
                continue;
            }
            let r = route.as_str();
            let may = match (role, method == Method::POST) {
                (Role::Inspector, _) => true,
                (_, true) if EVERYBODY.contains(&r) => true,
                (Role::Office, true) => OFFICE.contains(&r),
                (Role::ReadOnly, true) => false,
                (Role::Office, false) => true,
                (Role::ReadOnly, false) => !["/people", "/trail"].contains(&r),
            };
            let got = ask(&site, &method, &own(&route, visit)).await;
            if may == (got == StatusCode::FORBIDDEN) {
                wrong.push(format!("{method} {route} for {}: {got}, may: {may}", role.code()));
            }
            if got.is_server_error() {
                wrong.push(format!("{method} {route} for {}: {got}", role.code()));
            }
            // Another firm's visit is not there for anybody, whatever they may do in their own.
            if route.contains("{visit}") {
                let got = ask(&site, &method, &own(&route, foreign)).await;
                if got.is_success() || got == StatusCode::SEE_OTHER || got.is_server_error() {
                    wrong.push(format!("{method} {route} of another firm for {}: {got}", role.code()));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_account_is_closed_and_opened_and_somebody_who_may_do_everything_is_left() {
    let mut site = site("people").await;
    let (firm, ana) = site.store.person_called("ana").await.expect("is there");
    let (status, _, page) = site
        .post(
            "/people",
            &[
                ("login", "ivo"),
                ("name", "Ivo Brand"),
                ("qualification", "electrician"),
                ("role", "inspector"),
                ("password", "short"),
            ],
        )
        .await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(
        page.contains("12 characters") && page.contains("value=\"Ivo Brand\"") && !page.contains("\"short\""),
        "{page}"
    );
    let entered = [
        ("login", "ivo"),
        ("name", "Ivo Brand"),
        ("qualification", "electrician"),
        ("role", "office"),
        ("password", "a long password"),
    ];
    assert_eq!(site.post("/people", &entered).await.0, StatusCode::SEE_OTHER);
    let (status, _, page) = site.post("/people", &entered).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("signs in with this name already"), "{page}");
    let (_, ivo) = site.store.person_called("ivo").await.expect("entered");

    // The only inspector stays one, however it is tried.
    for (path, fields) in
        [(format!("/people/{ana}/role"), ("role", "read-only")), (format!("/people/{ana}/close"), ("close", "yes"))]
    {
        let (status, _, page) = site.post(&path, &[fields]).await;
        assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("Nobody would be left"), "{page}");
    }
    // Two who may do everything and close each other at once: one stays.
    site.store.set_role(firm, ana, ivo, Role::Inspector, Utc::now()).await.expect("set");
    let (store, now) = (&site.store, Utc::now());
    let both =
        tokio::join!(store.close_person(firm, ana, ivo, true, now), store.close_person(firm, ivo, ana, true, now));
    let made = [both.0.expect("answered"), both.1.expect("answered")].iter().filter(|c| **c == Change::Made).count();
    assert_eq!(made, 1);
    for id in [ana, ivo] {
        store.close_person(firm, id, id, false, now).await.expect("opened");
    }

    // Who has left is signed out everywhere and does not come in; what they did stays, and they may come back.
    let mut other = Site {
        router: site.router.clone(),
        store: site.store.clone(),
        cookie: String::new(),
        visit: site.visit,
        foreign: 0,
    };
    other.sign_in("ivo").await;
    site.sign_in("ana").await;
    assert_eq!(other.get("/visits").await.0, StatusCode::OK);
    assert_eq!(site.post(&format!("/people/{ivo}/close"), &[("close", "yes")]).await.0, StatusCode::SEE_OTHER);
    assert_eq!(other.get("/visits").await.0, StatusCode::SEE_OTHER);
    let refused = other.post("/sign-in", &[("login", "ivo"), ("password", "a long password")]).await;
    assert_eq!(refused.0, StatusCode::UNAUTHORIZED);
    assert_eq!(site.post(&format!("/people/{ivo}/close"), &[("close", "no")]).await.0, StatusCode::SEE_OTHER);
    other.sign_in("ivo").await;

    // One's own sessions: another device is signed out from here; another password ends the rest.
    let (_, page) = site.get("/account").await;
    assert!(page.contains(">here<"), "{page}");
    let mut tablet = Site {
        router: site.router.clone(),
        store: site.store.clone(),
        cookie: String::new(),
        visit: site.visit,
        foreign: 0,
    };
    tablet.sign_in("ana").await;
    let (_, page) = site.get("/account").await;
    let there = fields(&page, "one");
    assert!(page.contains("Sign out there"), "{page} {there:?}");
    let wrong = [("old", "not the password"), ("new", "another long password")];
    assert_eq!(site.post("/account/password", &wrong).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    let right = [("old", "a long password"), ("new", "another long password")];
    assert_eq!(site.post("/account/password", &right).await.0, StatusCode::OK);
    assert_eq!(tablet.get("/visits").await.0, StatusCode::SEE_OTHER);
    assert_eq!(site.get("/visits").await.0, StatusCode::OK);

    // All of it is on the trail of this firm, and on no other's.
    let (_, trail) = site.get("/trail").await;
    for words in
        ["Ivo Brand</strong> signed in", "entered Ivo Brand", "closed the account of Ivo Brand", "changed the password"]
    {
        assert!(trail.contains(words), "{words}: {trail}");
    }
    let mut ben = Site {
        router: site.router.clone(),
        store: site.store.clone(),
        cookie: String::new(),
        visit: site.foreign,
        foreign: 0,
    };
    ben.sign_in("ben").await;
    let (_, trail) = ben.get("/trail").await;
    assert!(!trail.contains("Ivo Brand"), "{trail}");
    for path in [format!("/people/{ivo}/close"), format!("/people/{ivo}/role")] {
        let (status, ..) = ben.post(&path, &[("close", "yes"), ("role", "office")]).await;
        assert_eq!(status, StatusCode::NOT_FOUND, "{path}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_form_that_is_sent_five_times_is_entered_once() {
    let site = site("once").await;
    let (_, page) = site.get("/visits").await;
    let names = fields(&page, "once");
    assert_eq!(names.iter().collect::<BTreeSet<_>>().len(), names.len(), "each form has its own");
    let form = |rig: &'static str, name: &'static str| {
        [
            ("customer", "Petra Lind"),
            ("contact", ""),
            ("rig", rig),
            ("profile", "eu-uk"),
            ("day", "2026-12-01"),
            ("hours", "4"),
            ("complaint", ""),
            ("kind", "finished"),
            ("once", name),
        ]
    };
    let count = async |rig: &str| {
        let (_, page) = site.get(&format!("/visits?q={rig}")).await;
        page.matches(&format!(">{rig}")).count() + page.matches(&format!("{rig}</a>")).count()
    };
    // Five clicks at once.
    let five = form("Wagtail", "a-name-1");
    let all = tokio::join!(
        site.post("/visits", &five),
        site.post("/visits", &five),
        site.post("/visits", &five),
        site.post("/visits", &five),
        site.post("/visits", &five)
    );
    let places: BTreeSet<String> = [all.0, all.1, all.2, all.3, all.4]
        .iter()
        .map(|(status, headers, page)| {
            assert_eq!(*status, StatusCode::SEE_OTHER, "{page}");
            headers[header::LOCATION].to_str().expect("text").to_owned()
        })
        .collect();
    assert_eq!(places.len(), 1, "all lead to the one visit: {places:?}");
    let one = count("Wagtail").await;
    assert!(one >= 1);
    assert_eq!(site.post("/visits", &five).await.1[header::LOCATION].to_str().ok(), places.first().map(String::as_str));
    assert_eq!(count("Wagtail").await, one);
    // What was changed and sent again is another form; what was refused may be sent again as it is.
    assert_eq!(site.post("/visits", &form("Dabchick", "a-name-1")).await.0, StatusCode::SEE_OTHER);
    assert_eq!(count("Dabchick").await, one);
    let without = form("", "a-name-2");
    for _ in 0..2 {
        assert_eq!(site.post("/visits", &without).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    }
    // Two readings of one test are two, when each is sent from its own page.
    site.make_safe().await;
    let (_, page) = site.get(&site.at("readings?test=drop:heater")).await;
    let name = fields(&page, "once").into_iter().last().expect("a name");
    for (value, name) in [("0.1", name.as_str()), ("0.1", name.as_str()), ("0.1", "another")] {
        site.post(&site.at("readings"), &[("test", "drop:heater"), ("value", value), ("once", name)]).await;
    }
    let firm = site.store.person_called("ana").await.expect("is there").0;
    let taken = site.store.readings(firm, site.visit).await.expect("read");
    assert_eq!(taken.iter().filter(|r| r.test == "drop:heater").count(), 2, "{taken:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_of_another_host_writes_nothing_and_tls_binds_the_cookie() {
    let site = site("origin").await;
    let write = async |headers: &[(&str, &str)]| {
        let mut request = Request::post("/measures")
            .header(header::COOKIE, &site.cookie)
            .header(header::HOST, "murvet.test:8080")
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded");
        for (name, value) in headers {
            request = request.header(*name, *value);
        }
        site.send(request.body(Body::from("measures=imperial")).expect("a request")).await.0
    };
    let own = write(&[]).await;
    assert_ne!(own, StatusCode::FORBIDDEN);
    assert_eq!(write(&[("origin", "http://murvet.test:8080"), ("sec-fetch-site", "same-origin")]).await, own);
    for foreign in [
        &[("origin", "http://other.murvet.test:8080")][..],
        &[("origin", "http://murvet.test:9090")],
        &[("origin", "http://murvet.test")],
        &[("origin", "null")],
        &[("sec-fetch-site", "same-site")],
        // A proxy's word counts only where there is one.
        &[("origin", "http://evil.test"), ("x-forwarded-host", "evil.test")],
    ] {
        assert_eq!(write(foreign).await, StatusCode::FORBIDDEN, "{foreign:?}");
    }

    // Behind TLS: the name of the cookie binds it, browsers are told to stay with TLS, and a plain cookie opens nothing.
    let secure = Site {
        router: router(App::new(site.store.clone(), Clock::system(), true)),
        store: site.store.clone(),
        cookie: site.cookie.clone(),
        visit: site.visit,
        foreign: 0,
    };
    assert_eq!(secure.get("/visits").await.0, StatusCode::SEE_OTHER, "a cookie of another name");
    let (status, headers, _) = secure.post("/sign-in", &[("login", "ana"), ("password", "a long password")]).await;
    assert_eq!(status, StatusCode::SEE_OTHER);
    let cookie = headers[header::SET_COOKIE].to_str().expect("text");
    assert!(cookie.starts_with("__Host-murvet=") && cookie.contains("Secure") && cookie.contains("Path=/"), "{cookie}");
    assert!(!cookie.contains("Domain"), "{cookie}");
    assert!(headers.contains_key(header::STRICT_TRANSPORT_SECURITY));
}

#[tokio::test(flavor = "multi_thread")]
async fn servers_that_start_at_once_bring_the_tables_up_to_date_once() {
    let url = database::database("web_at_once").await;
    let open = || murvet_store::Store::open(&url);
    let (a, b, c, d) = tokio::join!(open(), open(), open(), open());
    for store in [a, b, c, d] {
        assert!(store.expect("opens").is_empty().await.expect("asked"));
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_locked_table_is_told_and_the_rest_goes_on() {
    use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
    let url = database::database("web_locked").await;
    let store = murvet_store::Store::open(&url).await.expect("opens");
    let firm = store.add_firm("Moor").await.expect("firm");
    let new = NewPerson { login: "ana", name: "Ana Bell", qualification: "-", password: "a long password" };
    store.add_person(firm, &new).await.expect("person");
    let app = router(App::new(store.clone(), Clock::system(), false));
    let mut site = Site { router: app, store, cookie: String::new(), visit: 1, foreign: 1 };
    site.sign_in("ana").await;
    let mut other = AsyncPgConnection::establish(&url).await.expect("another");
    diesel::sql_query("BEGIN").execute(&mut other).await.expect("begun");
    diesel::sql_query("LOCK TABLE visit IN ACCESS EXCLUSIVE MODE").execute(&mut other).await.expect("locked");
    let request = Request::get("/visits").header(header::COOKIE, &site.cookie).body(Body::empty()).expect("a request");
    let (status, headers, page) = site.send(request).await;
    assert_eq!(status, StatusCode::SERVICE_UNAVAILABLE, "{page}");
    assert!(headers.contains_key(header::RETRY_AFTER));
    assert_eq!(site.get("/rules").await.0, StatusCode::OK, "what does not need the table goes on");
    diesel::sql_query("ROLLBACK").execute(&mut other).await.expect("let go");
    assert_eq!(site.get("/visits").await.0, StatusCode::OK);
}

/// The code that an authenticator shows for a key in base 32, so many seconds from now.
fn authenticator(key: &str, later: u64) -> String {
    let secret = totp_rs::Secret::Encoded(key.to_owned()).to_bytes().expect("base 32");
    let codes = totp_rs::TOTP::new(totp_rs::Algorithm::SHA1, 6, 0, 30, secret).expect("a key");
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).expect("after 1970").as_secs();
    codes.generate(now + later)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_second_factor_is_asked_for_at_the_door_and_each_code_is_taken_once() {
    let mut site = site("second").await;
    // The door is tried from another browser, so that nothing ends what is open here.
    let door = Site {
        router: site.router.clone(),
        store: site.store.clone(),
        cookie: String::new(),
        visit: site.visit,
        foreign: 0,
    };
    let second = async |site: &Site, what: &str, code: &str| {
        let (status, _, page) = site.post("/account/second", &[("what", what), ("code", code)]).await;
        (status, page)
    };
    let come_in = async |door: &Site, code: &str| {
        let typed = [("login", "ana"), ("password", "a long password"), ("code", code)];
        let (status, _, page) = door.post("/sign-in", &typed).await;
        (status, page)
    };
    // Begun it changes nothing at the door; a wrong code does not switch it on.
    assert_eq!(second(&site, "begin", "").await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get("/account").await;
    let key =
        page.split("<p class=\"entry\"><strong>").nth(1).and_then(|p| p.split('<').next()).expect("a key").to_owned();
    assert!(key.len() == 32 && page.contains(&format!("otpauth://totp/Murvet:ana?secret={key}")), "{page}");
    site.sign_in("ana").await;
    assert_eq!(second(&site, "confirm", "").await.0, StatusCode::UNPROCESSABLE_ENTITY);
    // The clock may go on to the next code between making one and sending it: then that one is right.
    let mut code = authenticator(&key, 0);
    let (mut status, mut page) = second(&site, "confirm", &code).await;
    if status != StatusCode::OK {
        code = authenticator(&key, 0);
        (status, page) = second(&site, "confirm", &code).await;
    }
    assert_eq!(status, StatusCode::OK, "{page}");
    let list = page
        .split("<ul class=\"list-unstyled entry mb-0\">")
        .nth(1)
        .and_then(|p| p.split("</ul>").next())
        .expect("codes");
    let recovery: Vec<String> = list.split("<li>").skip(1).map(|l| l.replace("</li>", "")).collect();
    assert_eq!(recovery.len(), 8, "{list}");
    assert!(!site.get("/account").await.1.contains(&recovery[0]), "they are shown once");
    // From now on the password alone does not do, nor a code that was used.
    let (status, page) = come_in(&door, "").await;
    assert!(
        status == StatusCode::UNAUTHORIZED && page.contains("Type your password again") && page.contains("id=\"code\""),
        "{page}"
    );
    let (status, page) = come_in(&door, &code).await;
    assert!(status == StatusCode::UNAUTHORIZED && page.contains("was used already"), "{page}");
    let wrong = [("login", "ana"), ("password", "not the password"), ("code", &*recovery[0])];
    assert_eq!(door.post("/sign-in", &wrong).await.0, StatusCode::UNAUTHORIZED);
    // The next code comes in, once; so does a recovery code, however it is typed.
    let next = authenticator(&key, 30);
    assert_eq!(come_in(&door, &format!("{} {}", &next[..3], &next[3..])).await.0, StatusCode::SEE_OTHER);
    assert_eq!(come_in(&door, &next).await.0, StatusCode::UNAUTHORIZED);
    assert_eq!(come_in(&door, &recovery[0].to_lowercase()).await.0, StatusCode::SEE_OTHER);
    assert_eq!(come_in(&door, &recovery[0]).await.0, StatusCode::UNAUTHORIZED);
    assert!(site.get("/account").await.1.contains("Recovery codes left: 7"));
    let trail = site.get("/trail").await.1;
    assert!(trail.contains("switched a second factor on") && trail.contains("came in by a recovery code"), "{trail}");
    // It is taken off by a code alone, and then the password does again.
    assert_eq!(second(&site, "end", "000000").await.0, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(second(&site, "end", &recovery[1]).await.0, StatusCode::OK);
    site.sign_in("ana").await;
}
