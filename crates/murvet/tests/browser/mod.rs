//! A person at a browser, for the tests that need one.
#![allow(dead_code, reason = "each test binary uses a part of this module")]

use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::net::TcpListener;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const AXE: &str = include_str!("../vendor/axe.min.js");

/// A process that ends with the test.
pub struct Running(Child);

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

pub fn free_port() -> u16 {
    TcpListener::bind("127.0.0.1:0").expect("a port").local_addr().expect("an address").port()
}

pub fn serve(database: &str, port: u16) -> Running {
    let mut child = Command::new(env!("CARGO_BIN_EXE_murvet"))
        .args(["demo", "--listen", &format!("127.0.0.1:{port}")])
        .env("DATABASE_URL", database)
        .env("MURVET_LOG", "quiet")
        .stdout(Stdio::piped())
        .spawn()
        .expect("the server starts");
    let out = BufReader::new(child.stdout.take().expect("its output"));
    let listening = out.lines().map_while(Result::ok).any(|l| l.starts_with("listening"));
    assert!(listening, "the server says where it listens");
    Running(child)
}

/// Reads a log of the browser.
#[derive(Debug)]
pub struct Log(&'static str);

impl WebDriverCompatibleCommand for Log {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }
    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(json!({ "type": self.0 }).to_string()))
    }
}

pub async fn browser(driver: u16, profile: &Path, width: u32, height: u32) -> Client {
    let arguments = json!([
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        format!("--user-data-dir={}", profile.display()),
        format!("--window-size={width},{height}")
    ]);
    let capabilities = json!({
        "goog:chromeOptions": { "args": arguments, "binary": "/usr/bin/chromium" },
        "goog:loggingPrefs": { "browser": "ALL", "performance": "ALL" }
    });
    let Value::Object(capabilities) = capabilities else { unreachable!("an object was written above") };
    let mut builder = ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new());
    builder.capabilities(capabilities);
    builder.connect(&format!("http://127.0.0.1:{driver}")).await.expect("the browser starts")
}

/// What is wrong with a page as it stands after an act: letters smaller than 12 px as shown, wherever they are, and what is wider
/// than the screen.
const UNREADABLE: &str = r"
    const out = [];
    const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
    while (walk.nextNode()) {
        const e = walk.currentNode.parentElement;
        if (!walk.currentNode.textContent.trim() || !e.checkVisibility() || e.closest('script, style, noscript, template, option, .sheet')) continue;
        const scale = e.closest('svg') && e.getScreenCTM ? Math.abs(e.getScreenCTM().a) : 1;
        const px = parseFloat(getComputedStyle(e).fontSize) * scale;
        if (px < 11.9) out.push(`${px.toFixed(1)} px: ${walk.currentNode.textContent.trim().slice(0, 40)}`);
    }
    if (document.documentElement.scrollWidth > innerWidth) out.push(`${document.documentElement.scrollWidth} px wide`);
    return out.slice(0, 5)";

/// The kind of page that is open: its address without names and numbers, and what kinds of things are in sight.
const KIND: &str = r"
    const parts = new Set();
    for (const e of document.body.querySelectorAll('*')) {
        if (!e.closest('svg') && e.checkVisibility()) parts.add(e.tagName + '.' + e.className + '.' + (e.getAttribute('role') || '') + '.' + (e.getAttribute('aria-expanded') || ''));
    }
    return [location.pathname.split('/').filter((p) => !/\d/.test(p)).slice(0, 4).join('/'), ...[...parts].sort()].join(' ')";

/// What was seen of the pages on the way: their kinds, and what is wrong with them.
#[derive(Default)]
struct Seen {
    kinds: std::collections::HashSet<String>,
    wrong: std::collections::BTreeSet<String>,
    checked: usize,
}

/// A person at the browser. After every act the page is looked at: the accessibility checker runs on every kind of page that was
/// not met before, and letters and width are measured.
pub struct Person {
    pub client: Client,
    pub base: String,
    seen: std::sync::Mutex<Seen>,
}

impl Person {
    pub fn new(client: Client, base: String) -> Person {
        Person { client, base, seen: std::sync::Mutex::default() }
    }

    /// Looks at the page after an act.
    pub async fn looks(&self, act: &str) {
        // A page that goes on by itself in this moment is looked at when it is there.
        let Ok(kind) = self.client.execute(KIND, Vec::new()).await else { return };
        let kind = kind.as_str().unwrap_or_default().to_owned();
        if !self.seen.lock().expect("one person").kinds.insert(kind.clone()) {
            return;
        }
        let Ok(small) = self.client.execute(UNREADABLE, Vec::new()).await else { return };
        let small = small.as_array().into_iter().flatten().filter_map(|s| s.as_str().map(str::to_owned));
        let mut wrong: Vec<String> = small.collect();
        wrong.extend(self.found().await.unwrap_or_default());
        let page = kind.split(' ').next().unwrap_or_default().to_owned();
        let mut seen = self.seen.lock().expect("one person");
        seen.checked += 1;
        seen.wrong.extend(wrong.into_iter().map(|w| format!("{page} after {act}: {w}")));
    }

    /// What was wrong with a page after an act, on the whole way.
    pub fn wrong(&self) -> Vec<String> {
        let seen = self.seen.lock().expect("one person");
        println!("{} kinds of page looked at after an act", seen.checked);
        seen.wrong.iter().cloned().collect()
    }

    pub async fn go(&self, path: &str) {
        self.client.goto(&format!("{}{path}", self.base)).await.expect(path);
    }

    pub async fn path(&self) -> String {
        self.client.current_url().await.expect("an address").path().to_owned()
    }

    pub async fn fill(&self, field: &str, text: &str) {
        let field = self.client.find(Locator::Css(field)).await.unwrap_or_else(|e| panic!("{field}: {e}"));
        field.clear().await.expect("cleared");
        field.send_keys(text).await.expect("typed");
    }

    /// Presses something and waits until the page has changed.
    pub async fn press(&self, what: &str) {
        let element = self.client.find(Locator::Css(what)).await.unwrap_or_else(|e| panic!("{what}: {e}"));
        let mark = format!("{}", Instant::now().elapsed().as_nanos());
        self.run(
            &format!("document.body.dataset.mark = '{mark}'; arguments[0].scrollIntoView({{block: 'center', behavior: 'instant'}})"),
            vec![serde_json::to_value(&element).expect("an element")],
        )
        .await;
        element.click().await.unwrap_or_else(|e| panic!("{what}: {e}"));
        self.until(&format!(
            "document.readyState === 'complete' && document.body && document.body.dataset.mark !== '{mark}'"
        ))
        .await;
        self.looks(what).await;
    }

    /// Presses something that changes the page where it stands.
    pub async fn press_in_place(&self, what: &str) {
        let element = self.client.find(Locator::Css(what)).await.unwrap_or_else(|e| panic!("{what}: {e}"));
        let target = vec![serde_json::to_value(&element).expect("an element")];
        self.run("arguments[0].scrollIntoView({block: 'center', behavior: 'instant'})", target).await;
        element.click().await.unwrap_or_else(|e| panic!("{what}: {e}"));
        self.looks(what).await;
    }

    pub async fn run(&self, script: &str, arguments: Vec<Value>) -> Value {
        self.client.execute(script, arguments).await.unwrap_or_else(|e| panic!("{script}: {e}"))
    }

    /// Waits for a condition in the page.
    pub async fn until(&self, condition: &str) {
        // How long it takes is no matter of the test; that it never comes is.
        let end = Instant::now() + Duration::from_secs(180);
        loop {
            let held = self.client.execute(&format!("return Boolean({condition})"), Vec::new()).await;
            if matches!(held, Ok(Value::Bool(true))) {
                return;
            }
            assert!(Instant::now() < end, "{condition} never held on {}", self.path().await);
            tokio::time::sleep(Duration::from_millis(40)).await;
        }
    }

    /// Writes a whole text into a field.
    pub async fn put(&self, field: &str, text: &str) {
        let script = "const t = document.querySelector(arguments[0]); t.value = arguments[1]; t.dispatchEvent(new Event('input', {bubbles: true}))";
        self.run(script, vec![json!(field), json!(text)]).await;
    }

    /// A file behind an address, fetched by the page that is open.
    pub async fn fetched(&self, path: &str) -> Vec<u8> {
        let script = "const done = arguments[1]; fetch(arguments[0]).then(async (r) => done([r.status, Array.from(new Uint8Array(await r.arrayBuffer()))]))";
        let answer =
            self.client.execute_async(script, vec![json!(path)]).await.unwrap_or_else(|e| panic!("{path}: {e}"));
        assert_eq!(answer[0], 200, "{path}");
        serde_json::from_value(answer[1].clone()).expect("bytes")
    }

    /// What the accessibility checker finds on the page that is open, by rule and place.
    pub async fn violations(&self) -> Vec<String> {
        self.found().await.expect("the checker runs")
    }

    async fn found(&self) -> Result<Vec<String>, fantoccini::error::CmdError> {
        self.client.execute(AXE, Vec::new()).await?;
        let script = "const done = arguments[arguments.length - 1]; axe.run(document, {resultTypes: ['violations'], runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'], rules: {'color-contrast-enhanced': {enabled: true}}}).then((r) => done(r.violations.map((v) => v.id + ': ' + v.nodes.map((n) => n.html.slice(0, 160)).slice(0, 3).join(' | '))), (e) => done(['the checker failed: ' + e]))";
        let found = self.client.execute_async(script, Vec::new()).await?;
        Ok(found.as_array().into_iter().flatten().filter_map(|v| v.as_str().map(str::to_owned)).collect())
    }

    pub async fn sees(&self, text: &str) {
        self.until(&format!("document.body.innerText.includes({})", json!(text))).await;
    }

    pub async fn sees_not(&self, text: &str) {
        self.until(&format!("!document.body.innerText.includes({})", json!(text))).await;
    }

    pub async fn sign_in(&self, password: &str) {
        self.sign_in_as("mara", password).await;
    }

    pub async fn sign_in_as(&self, login: &str, password: &str) {
        self.go("/sign-in").await;
        self.fill("#login", login).await;
        self.fill("#password", password).await;
        self.press("form button").await;
    }

    /// Script errors, and requests to anywhere but the server.
    pub async fn complaints(&self, allowed: &[&str]) -> Vec<String> {
        let mut found = Vec::new();
        let log = self.client.issue_cmd(Log("browser")).await.expect("the log");
        for entry in log.as_array().into_iter().flatten() {
            let text = entry["message"].as_str().unwrap_or_default().to_owned();
            if entry["level"] == "SEVERE" && !allowed.iter().any(|a| text.contains(a)) {
                found.push(text);
            }
        }
        let log = self.client.issue_cmd(Log("performance")).await.expect("the log");
        for entry in log.as_array().into_iter().flatten() {
            let message: Value = serde_json::from_str(entry["message"].as_str().unwrap_or("{}")).unwrap_or_default();
            if message["message"]["method"] == "Network.requestWillBeSent" {
                let address = message["message"]["params"]["request"]["url"].as_str().unwrap_or_default();
                // The browser's own new tab is part of the browser.
                let own = ["data:", "chrome://"].iter().any(|s| address.starts_with(s));
                if !address.starts_with(&self.base) && !own {
                    found.push(format!("request to {address}"));
                }
            }
        }
        found
    }
}

/// A new database on the server that `./murvet test` started.
pub fn database(name: &str) -> String {
    let server_url = std::env::var("MURVET_TEST_SERVER").expect("MURVET_TEST_SERVER is set by ./murvet test");
    let name = format!("test_{name}_{}", std::process::id());
    let made = Command::new("/usr/lib/postgresql/15/bin/createdb")
        .args([&format!("--maintenance-db={server_url}/postgres"), &name])
        .status();
    assert!(made.expect("createdb runs").success());
    format!("{server_url}/{name}")
}

/// ChromeDriver on a free port.
pub async fn driver() -> (Running, u16) {
    let port = free_port();
    let driver = Running(
        Command::new("/usr/bin/chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver starts"),
    );
    let end = Instant::now() + Duration::from_secs(20);
    while std::net::TcpStream::connect(("127.0.0.1", port)).is_err() {
        assert!(Instant::now() < end, "chromedriver answers");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    (driver, port)
}

/// The demo world in a browser of its own, signed in; what must live as long, and the browser's folder.
pub async fn signed_in(name: &str, width: u32, height: u32) -> (Person, impl Sized, std::path::PathBuf) {
    let database = database(name);
    let port = free_port();
    let server = serve(&database, port);
    let (driver, driver_port) = driver().await;
    let profile = std::env::temp_dir().join(format!("murvet-{name}-{}", std::process::id()));
    let client = browser(driver_port, &profile, width, height).await;
    let person = Person::new(client, format!("http://127.0.0.1:{port}"));
    person.sign_in("paper-and-ink").await;
    person.sees("Heron, 24 ft travel trailer").await;
    (person, (server, driver), profile)
}

/// Closes a browser and takes its folder away.
pub async fn leave(person: Person, profile: &Path) {
    assert_eq!(person.wrong(), [""; 0]);
    person.client.close().await.expect("closed");
    let _ = std::fs::remove_dir_all(profile);
}
