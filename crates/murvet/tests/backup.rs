//! A backup is put back elsewhere, and every page reads the same; one that was touched is refused.

mod browser;

use browser::{database, free_port};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};

const MURVET: &str = env!("CARGO_BIN_EXE_murvet");

/// A server with its photographs in a folder.
struct Server {
    child: Child,
    port: u16,
    cookie: String,
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Server {
    fn start(what: &str, database: &str, photographs: &Path) -> Server {
        let port = free_port();
        let mut child = Command::new(MURVET)
            .args([what, "--listen", &format!("127.0.0.1:{port}"), "--photographs"])
            .arg(photographs)
            .env("DATABASE_URL", database)
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("starts");
        let out = child.stdout.take().expect("its output");
        let first = BufReader::new(out).lines().map_while(Result::ok).find(|l| l.starts_with("listening on"));
        assert!(first.is_some(), "the server listens");
        let mut server = Server { child, port, cookie: String::new() };
        let (head, _) =
            server.ask("POST", "/sign-in", "application/x-www-form-urlencoded", b"login=mara&password=paper-and-ink");
        let cookie =
            head.lines().find_map(|l| l.to_lowercase().starts_with("set-cookie:").then(|| l[11..].trim().to_owned()));
        server.cookie = cookie.expect("signed in").split(';').next().unwrap_or_default().to_owned();
        server
    }

    /// Head and body of an answer.
    fn ask(&self, method: &str, path: &str, kind: &str, body: &[u8]) -> (String, Vec<u8>) {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).expect("connects");
        let head = format!(
            "{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nCookie: {}\r\nContent-Type: {kind}\r\nContent-Length: {}\r\nConnection: close\r\n\r\n",
            self.port,
            self.cookie,
            body.len()
        );
        stream.write_all(head.as_bytes()).expect("sent");
        stream.write_all(body).expect("sent");
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer).expect("answered");
        let end = answer.windows(4).position(|w| w == b"\r\n\r\n").expect("a head");
        (String::from_utf8_lossy(&answer[..end]).into_owned(), answer[end + 4..].to_vec())
    }

    /// A page without what is new at every look: the names of its forms, and the lengths of its pieces as sent.
    fn page(&self, path: &str) -> String {
        let (head, body) = self.ask("GET", path, "text/plain", b"");
        assert!(head.starts_with("HTTP/1.1 200"), "{path}: {head}");
        let text = String::from_utf8_lossy(&body).into_owned();
        let mut out = String::new();
        let mut rest = text.as_str();
        while let Some((before, after)) = rest.split_once("name=\"once\" value=\"") {
            out.push_str(before);
            rest = after.split_once('"').map_or("", |(_, tail)| tail);
        }
        let whole = out + rest;
        whole
            .lines()
            .filter(|l| l.trim().is_empty() || !l.trim().chars().all(|c| c.is_ascii_hexdigit()))
            .collect::<Vec<_>>()
            .join("\n")
    }
}

fn murvet(arguments: &[&str], database: &str, photographs: &Path) -> Output {
    Command::new(MURVET)
        .args(arguments)
        .arg("--photographs")
        .arg(photographs)
        .env("DATABASE_URL", database)
        .output()
        .expect("runs")
}

fn words(output: &Output) -> String {
    String::from_utf8_lossy(&[output.stdout.clone(), output.stderr.clone()].concat()).into_owned()
}

#[test]
fn a_backup_is_put_back_elsewhere_and_reads_the_same() {
    let folder = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("backup-{}", std::process::id()));
    let _ = std::fs::remove_dir_all(&folder);
    let (here, there) = (database("backup_here"), database("backup_there"));
    let (photographs, elsewhere, backup) =
        (folder.join("photographs"), folder.join("elsewhere"), folder.join("backup"));

    let server = Server::start("demo", &here, &photographs);
    // A photograph beside what the demo world brings: the smallest PNG there is to be decoded.
    let picture: &[u8] = &[
        137, 80, 78, 71, 13, 10, 26, 10, 0, 0, 0, 13, 73, 72, 68, 82, 0, 0, 0, 1, 0, 0, 0, 1, 8, 6, 0, 0, 0, 31, 21,
        196, 137, 0, 0, 0, 13, 73, 68, 65, 84, 120, 156, 99, 96, 96, 96, 248, 15, 0, 1, 4, 1, 0, 95, 229, 195, 75, 0,
        0, 0, 0, 73, 69, 78, 68, 174, 66, 96, 130,
    ];
    let mut form = b"--cut\r\nContent-Disposition: form-data; name=\"subject\"\r\n\r\nhouse\r\n--cut\r\nContent-Disposition: form-data; name=\"moment\"\r\n\r\nfound\r\n--cut\r\nContent-Disposition: form-data; name=\"note\"\r\n\r\n\r\n--cut\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"a.png\"\r\nContent-Type: image/png\r\n\r\n".to_vec();
    form.extend_from_slice(picture);
    form.extend_from_slice(b"\r\n--cut--\r\n");
    let (head, _) = server.ask("POST", "/visits/1/photographs", "multipart/form-data; boundary=cut", &form);
    assert!(head.starts_with("HTTP/1.1 303"), "{head}");
    let (_, sealed) = server.ask("GET", "/visits/1/bundle.zip", "text/plain", b"");

    let made = murvet(&["backup", backup.to_str().expect("text")], &here, &photographs);
    assert!(made.status.success(), "{}", words(&made));
    assert!(words(&made).contains("every one read back"), "{}", words(&made));
    let again = murvet(&["backup", backup.to_str().expect("text")], &here, &photographs);
    assert!(!again.status.success() && words(&again).contains("is not empty"), "{}", words(&again));

    let pages = [
        "/visits",
        "/visits/1/findings",
        "/visits/2/readings",
        "/visits/3/readings",
        "/visits/1/photographs?of=house",
        "/visits/1/trace",
        "/practice",
        "/people",
    ];
    let before: Vec<String> = pages.iter().map(|p| server.page(p)).collect();
    let put = murvet(&["restore", backup.to_str().expect("text")], &there, &elsewhere);
    assert!(put.status.success(), "{}", words(&put));
    let other = Server::start("serve", &there, &elsewhere);
    for (path, was) in pages.iter().zip(&before) {
        assert_eq!(&other.page(path), was, "{path}");
    }
    // The signing key came along: what is sealed there has the key of here.
    assert!(sealed.len() > 10_000);
    let sealed_there = other.ask("GET", "/visits/1/bundle.zip", "text/plain", b"").1;
    assert!(sealed_there.len() > 10_000);

    // Into a database that has tables nothing is put; a file that was touched, cut or taken away is refused, and nothing is written.
    let full = murvet(&["restore", backup.to_str().expect("text")], &there, &elsewhere);
    assert!(!full.status.success() && words(&full).contains("empty"), "{}", words(&full));
    let third = database("backup_third");
    let records = backup.join("records.dump");
    let whole = std::fs::read(&records).expect("reads");
    let mut touched = whole.clone();
    let middle = touched.len() / 2;
    touched[middle] ^= 1;
    for (bytes, why) in [(touched, "one bit"), (whole[..middle].to_vec(), "half of it")] {
        std::fs::write(&records, bytes).expect("written");
        let refused = murvet(&["restore", backup.to_str().expect("text")], &third, &elsewhere);
        assert!(
            !refused.status.success() && words(&refused).contains("records.dump is not what was backed up"),
            "{why}: {}",
            words(&refused)
        );
    }
    std::fs::write(&records, whole).expect("written");
    std::fs::remove_file(backup.join("backup.json")).expect("gone");
    let refused = murvet(&["restore", backup.to_str().expect("text")], &third, &elsewhere);
    assert!(!refused.status.success() && words(&refused).contains("is no backup"), "{}", words(&refused));

    // Everything of a firm in one archive, without what proves who somebody is; then it is removed for good, and another firm stays.
    let firm = "Longreach Mobile Inspection";
    let second =
        Command::new(MURVET).args(["firm", "add", "Other Firm"]).env("DATABASE_URL", &there).output().expect("runs");
    assert!(second.status.success(), "{}", words(&second));
    let archive = folder.join("firm.zip");
    let export =
        |name: &str, to: &Path| murvet(&["firm", "export", name, to.to_str().expect("text")], &there, &elsewhere);
    let made = export(firm, &archive);
    assert!(made.status.success(), "{}", words(&made));
    assert!(!export(firm, &archive).status.success(), "nothing is written over");
    let mut zip = zip::ZipArchive::new(std::fs::File::open(&archive).expect("opens")).expect("a ZIP");
    let names: Vec<String> = zip.file_names().map(|n| n.expect("a name").into_owned()).collect();
    let mut text = |name: &str| {
        let mut out = String::new();
        std::io::Read::read_to_string(&mut zip.by_name(name).expect(name), &mut out).expect("text");
        out
    };
    assert_eq!((text("visit.jsonl").lines().count(), text("person.jsonl").lines().count()), (4, 2));
    assert_eq!(names.iter().filter(|n| n.starts_with("photographs/")).count(), 2, "{names:?}");
    for name in names.iter().filter(|n| n.ends_with(".jsonl")) {
        let rows = text(name);
        assert!(
            !rows.contains("password_hash") && !rows.contains("signing_seed") && !rows.contains("Other Firm"),
            "{name}"
        );
        assert!(
            rows.lines().filter(|l| !l.is_empty()).all(|l| serde_json::from_str::<serde_json::Value>(l).is_ok()),
            "{name}"
        );
    }
    assert!(!names.iter().any(|n| n.starts_with("session") || n.starts_with("second_factor")), "{names:?}");
    let remove = |more: &[&str]| murvet(&[&["firm", "remove", firm], more].concat(), &there, &elsewhere);
    let refused = remove(&[]);
    assert!(!refused.status.success() && words(&refused).contains("gone for good"), "{}", words(&refused));
    let gone = remove(&["--for-good", firm]);
    assert!(gone.status.success() && words(&gone).contains("2 pictures are gone"), "{}", words(&gone));
    assert!(!remove(&["--for-good", firm]).status.success());
    assert!(other.ask("GET", "/visits", "text/plain", b"").0.starts_with("HTTP/1.1 303"), "nobody of it is signed in");
    let again = export("Other Firm", &folder.join("other.zip"));
    assert!(again.status.success() && words(&again).contains(": 1 rows and 0 pictures"), "{}", words(&again));
    drop((server, other));
    let _ = std::fs::remove_dir_all(&folder);
}
