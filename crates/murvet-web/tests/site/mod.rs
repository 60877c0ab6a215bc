//! A firm with one visit, and a stranger firm with another, behind the router.
#![allow(dead_code, reason = "each test binary uses a part of this module")]

#[path = "../../../murvet-store/tests/database/mod.rs"]
pub mod database;

use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use chrono::{NaiveDate, Utc};
use http_body_util::BodyExt;
use murvet_store::{NewPerson, NewVisit, Store};
use murvet_web::{App, Clock, router};
use tower::ServiceExt;

pub struct Site {
    pub router: axum::Router,
    pub store: Store,
    pub cookie: String,
    pub visit: i64,
    /// The stranger firm's visit.
    #[allow(dead_code, reason = "each test binary uses a part of this module")]
    pub foreign: i64,
}

pub const RIG: &str = "battery b: lifepo4 12.8V 100Ah\ndc-load heater: 15A\ninlet s: 120V 15A\noutlet o\ncable W 3x14AWG 2m s -> o\n\
                   run b.+ : 2m 10AWG, heater.+\nrun b.- : 2m 10AWG, heater.-\n";

pub async fn site(name: &str) -> Site {
    let store = Store::open(&database::database(&format!("web_{name}")).await).await.expect("opens");
    let mut visits = Vec::new();
    for login in ["ana", "ben"] {
        let firm = store.add_firm(login).await.expect("firm");
        let new = NewPerson { login, name: "Ana Bell", qualification: "inspector", password: "a long password" };
        let person = store.add_person(firm, &new).await.expect("person");
        let customer = store.add_customer(firm, "Customer", "").await.expect("customer");
        let rig = store.add_rig(firm, customer, "Rig", "na-rv", RIG, person, Utc::now()).await.expect("rig");
        let new = NewVisit {
            rig,
            person,
            planned_on: NaiveDate::default(),
            hours: 4.0,
            complaint: "",
            kind: "finished",
            zone: "UTC",
        };
        visits.push(store.add_visit(firm, &new).await.expect("visit"));
    }
    let router = router(App::new(store.clone(), Clock::system(), false));
    let mut site = Site { router, store, cookie: String::new(), visit: visits[0], foreign: visits[1] };
    site.sign_in("ana").await;
    site
}

/// Text as it stands in an address or a form.
pub fn encode(text: &str) -> String {
    text.bytes()
        .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
        .collect()
}

impl Site {
    /// Signs somebody in at a browser of their own; what follows is theirs.
    pub async fn sign_in(&mut self, login: &str) {
        self.cookie.clear();
        let typed = [("login", login), ("password", "a long password")];
        let (status, headers, _) = self.post("/sign-in", &typed).await;
        assert_eq!(status, StatusCode::SEE_OTHER);
        let cookie = headers[header::SET_COOKIE].to_str().expect("text").to_owned();
        assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
        self.cookie = cookie.split(';').next().unwrap_or_default().to_owned();
    }

    pub async fn send(&self, request: Request<Body>) -> (StatusCode, header::HeaderMap, String) {
        let answer = self.router.clone().oneshot(request).await.expect("answers");
        let (parts, body) = answer.into_parts();
        let bytes = body.collect().await.expect("a body").to_bytes();
        (parts.status, parts.headers, String::from_utf8_lossy(&bytes).into_owned())
    }

    pub async fn post(&self, path: &str, fields: &[(&str, &str)]) -> (StatusCode, header::HeaderMap, String) {
        let body: Vec<String> = fields.iter().map(|(k, v)| format!("{k}={}", encode(v))).collect();
        let request = Request::post(path)
            .header(header::COOKIE, &self.cookie)
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
            .body(Body::from(body.join("&")));
        self.send(request.expect("a request")).await
    }

    pub async fn get(&self, path: &str) -> (StatusCode, String) {
        let request = Request::get(path).header(header::COOKIE, &self.cookie).body(Body::empty()).expect("a request");
        let (status, _, text) = self.send(request).await;
        (status, text)
    }

    /// Sends JSON to a station and gives the JSON it answers.
    pub async fn json(&self, path: &str, body: &str) -> (StatusCode, serde_json::Value) {
        let request = Request::post(self.at(path))
            .header(header::COOKIE, &self.cookie)
            .header(header::CONTENT_TYPE, "application/json")
            .body(Body::from(body.to_owned()));
        let (status, _, text) = self.send(request.expect("a request")).await;
        (status, serde_json::from_str(&text).unwrap_or_default())
    }

    pub fn at(&self, station: &str) -> String {
        format!("/visits/{}/{station}", self.visit)
    }

    /// Ticks off every step of making safe, in the order of the page.
    pub async fn make_safe(&self) -> usize {
        for done in 0..60 {
            let (_, page) = self.get(&self.at("safe")).await;
            let Some(rest) = page.split("name=\"step\" value=\"").nth(1) else { return done };
            let step = rest.split('"').next().unwrap_or_default();
            let (status, ..) = self.post(&self.at("safe"), &[("step", step)]).await;
            assert_eq!(status, StatusCode::SEE_OTHER, "{step}");
        }
        panic!("the steps never end");
    }

    pub async fn trace(&self, text: &str, base: &str) -> StatusCode {
        self.post(&self.at("trace"), &[("text", text), ("base", base)]).await.0
    }

    pub async fn begin(&self, test: &str, reason: &str) -> StatusCode {
        self.post(&self.at("readings/override"), &[("test", test), ("reason", reason)]).await.0
    }

    pub async fn reading(&self, test: &str, value: &str) -> StatusCode {
        self.post(&self.at("readings"), &[("test", test), ("value", value)]).await.0
    }
}

/// The value of a hidden field on a page, with the page's escapes undone.
pub fn fields(page: &str, name: &str) -> Vec<String> {
    let mark = format!("name=\"{name}\" value=\"");
    let raw = page.split(&mark).skip(1).filter_map(|p| p.split('"').next());
    raw.map(|v| v.replace("&#62;", ">").replace("&#38;", "&").replace("&#34;", "\"")).collect()
}
