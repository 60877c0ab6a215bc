//! A backup is put back elsewhere, and every page reads the same; one that was touched is refused.

mod browser;
mod server;

use browser::{database, free_port};
use server::{MURVET, Server};
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

/// A server with its photographs in a folder, and Mara signed in.
fn started(what: &str, database: &str, photographs: &Path) -> Server {
    let mut server = Server::start(what, database, &["--photographs", &photographs.display().to_string()], free_port());
    server.sign_in("mara", "paper-and-ink");
    server
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

    let server = started("demo", &here, &photographs);
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
    let other = started("serve", &there, &elsewhere);
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
