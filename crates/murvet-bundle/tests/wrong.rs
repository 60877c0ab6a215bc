//! A bundle comes back as it was; one that was made wrong is refused, and says why.

use ed25519_dalek::{Signature, Signer, SigningKey, VerifyingKey};
use murvet_bundle::{MOST_FILES, Made, Refused, Seal, hex, open, pack};
use std::collections::BTreeMap;
use std::io::{Cursor, Read, Write};
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

fn verify(text: &[u8], seal: &Seal) -> bool {
    let key = seal.key.as_slice().try_into().ok().and_then(|k| VerifyingKey::from_bytes(&k).ok());
    let signature = Signature::from_slice(&seal.signature).ok();
    key.zip(signature).is_some_and(|(k, s)| k.verify_strict(text, &s).is_ok())
}

fn files() -> BTreeMap<String, Vec<u8>> {
    [
        ("rig.txt", b"bus a\n".to_vec()),
        ("readings.csv", b"test,value\nvoltage,12.8\n".to_vec()),
        ("photographs/a1.jpg", vec![0xff, 0xd8, 7, 7, 7]),
    ]
    .map(|(n, b)| (n.to_owned(), b))
    .into()
}

fn key() -> SigningKey {
    SigningKey::from_bytes(&[5; 32])
}

fn sealed(files: &BTreeMap<String, Vec<u8>>) -> Vec<u8> {
    let public = key().verifying_key().to_bytes();
    let made = Made { firm: "Fern Hill Inspections", at: "2026-05-03T10:00:00Z", key: &public };
    pack(&made, files, &|text| key().sign(text).to_bytes().to_vec()).expect("packs")
}

/// The entries of a bundle, to be written again wrongly.
fn entries(bytes: &[u8]) -> Vec<(String, Vec<u8>)> {
    let mut zip = ZipArchive::new(Cursor::new(bytes)).expect("opens");
    (0..zip.len())
        .map(|n| {
            let mut file = zip.by_index(n).expect("an entry");
            let mut bytes = Vec::new();
            file.read_to_end(&mut bytes).expect("reads");
            (file.name().expect("a name").into_owned(), bytes)
        })
        .collect()
}

fn zipped(entries: &[(String, Vec<u8>)]) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in entries {
        zip.start_file(name.as_str(), SimpleFileOptions::default()).expect("starts");
        zip.write_all(bytes).expect("writes");
    }
    zip.finish().expect("finishes").into_inner()
}

/// The good bundle with its entries changed.
fn with(change: impl FnOnce(&mut Vec<(String, Vec<u8>)>)) -> Vec<u8> {
    let mut list = entries(&sealed(&files()));
    change(&mut list);
    zipped(&list)
}

/// The good bundle with another manifest, sealed again by a key.
fn resealed(change: impl FnOnce(String) -> String, by: &SigningKey) -> Vec<u8> {
    with(|list| {
        let text = change(String::from_utf8(list[0].1.clone()).expect("text"));
        let seal = format!(
            "{{\"key\":\"{}\",\"signature\":\"{}\"}}",
            hex(&by.verifying_key().to_bytes()),
            hex(&by.sign(text.as_bytes()).to_bytes())
        );
        list[0].1 = text.into_bytes();
        list[1].1 = seal.into_bytes();
    })
}

/// Writes over bytes wherever they stand: names in both headers of an entry, or fields of a header.
fn over(mut bytes: Vec<u8>, from: &[u8], to: &[u8]) -> Vec<u8> {
    assert_eq!(from.len(), to.len());
    let places: Vec<usize> = (0..bytes.len() - from.len()).filter(|n| bytes[*n..].starts_with(from)).collect();
    assert!(!places.is_empty());
    for n in places {
        bytes[n..n + to.len()].copy_from_slice(to);
    }
    bytes
}

#[test]
fn what_was_packed_comes_back_and_packing_again_gives_the_same_bytes() {
    let bytes = sealed(&files());
    let bundle = open(&bytes, &verify).expect("opens");
    assert_eq!((bundle.files, bundle.firm.as_str()), (files(), "Fern Hill Inspections"));
    assert_eq!(bytes, sealed(&files()));
    for name in ["../rig.txt", "/rig.txt", "a/b/c.txt", "manifest.json", "CON", ".hidden", ""] {
        let one = [(name.to_owned(), Vec::new())].into();
        let made = Made { firm: "f", at: "", key: &[] };
        assert!(pack(&made, &one, &|_| Vec::new()).is_err(), "{name}");
    }
}

#[test]
fn a_bundle_that_was_made_wrong_is_refused_in_words() {
    let good = sealed(&files());
    let other = SigningKey::from_bytes(&[9; 32]);
    let push = |name: &str, bytes: &[u8]| with(|l| l.push((name.to_owned(), bytes.to_vec())));
    let link = {
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        zip.add_symlink("rig.txt", "/etc/passwd", SimpleFileOptions::default()).expect("a link");
        zip.finish().expect("finishes").into_inner()
    };
    let many: Vec<(String, Vec<u8>)> = (0..MOST_FILES + 3).map(|n| (format!("f{n}"), Vec::new())).collect();
    // Zeros that swell to fifty megabytes out of fifty kilobytes.
    let bomb = push("readings-2.csv", &vec![0; 50 << 20]);
    // One that swells behind a header which says that it does not.
    let hidden = {
        let list = with(|l| {
            l.retain(|e| e.0 != "rig.txt");
            l.push(("rig.txt".to_owned(), vec![0; 30 << 20]));
        });
        over(list, &(30u32 << 20).to_le_bytes(), &6u32.to_le_bytes())
    };
    let twice = over(push("rig.tx2", b"bus b\n"), b"rig.tx2", b"rig.txt");
    let size = |t: String| t.replace("\"size\":6", "\"size\":7");
    let hash = |t: String| t.replacen("\"sha256\":\"", "\"sha256\":\"00", 1);
    let at = good.windows(7).position(|w| w == b"rig.txt").expect("its name");
    let named = |from: &str, to: &str| over(good.clone(), from.as_bytes(), to.as_bytes());
    let cases: Vec<(&str, Vec<u8>, &str)> = vec![
        ("nothing", Vec::new(), "not a ZIP"),
        ("no archive", b"a letter".to_vec(), "not a ZIP"),
        ("breaks off", good[..good.len() - 9].to_vec(), "its end is missing"),
        ("more behind it", [&good[..], b"more"].concat(), "its end is missing"),
        ("leads out", named("rig.txt", "../.txt"), "no name for a file"),
        ("from the root", named("rig.txt", "/ig.txt"), "no name for a file"),
        ("a drive", named("rig.txt", "c:g.txt"), "no name for a file"),
        ("other slashes", named("rig.txt", "a\\g.txt"), "no name for a file"),
        ("no letters", named("rig.txt", "r\0g.txt"), "no name for a file"),
        ("no text", over(good.clone(), b"rig.txt", b"rig\xff\xfext"), "no name for a file"),
        ("two names", [&good[..at], b"R", &good[at + 1..]].concat(), "another name where it stands"),
        ("a link", link, "a link or a folder"),
        ("one name twice", twice, "one name"),
        ("too many", zipped(&many), "larger than a bundle may be"),
        ("swells", bomb, "larger than a bundle may be"),
        ("swells unseen", hidden, "rig.txt"),
        ("no manifest", with(|l| drop(l.remove(0))), "\"manifest.json\" is missing"),
        ("no seal", with(|l| drop(l.remove(1))), "\"seal.json\" is missing"),
        ("manifest is no JSON", with(|l| l[0].1 = b"{".to_vec()), "the manifest cannot be read"),
        ("manifest says more", resealed(|t| t.replacen('{', "{\"more\":1,", 1), &key()), "unknown field"),
        (
            "seal is no text of bytes",
            with(|l| l[1].1 = b"{\"key\":\"zz\",\"signature\":\"00\"}".to_vec()),
            "hexadecimal",
        ),
        ("another form", resealed(|t| t.replace("bundle 1", "bundle 9"), &key()), "does not open"),
        (
            "manifest changed",
            with(|l| l[0].1 = size(String::from_utf8(l[0].1.clone()).expect("text")).into_bytes()),
            "does not fit",
        ),
        ("sealed with another key", resealed(|t| t, &other), "another key"),
        ("a file is gone", with(|l| l.retain(|e| e.0 != "rig.txt")), "\"rig.txt\" is missing"),
        ("a file more", push("more.txt", b"x"), "\"more.txt\" does not belong"),
        ("named twice", resealed(|t| t.replace("readings.csv", "rig.txt"), &key()), "does not belong"),
        ("another size", resealed(size, &key()), "another size"),
        (
            "a file was changed",
            with(|l| l.iter_mut().filter(|e| e.0 == "rig.txt").for_each(|e| e.1 = b"bus b\n".to_vec())),
            "was changed",
        ),
        ("another hash", resealed(hash, &key()), "was changed"),
    ];
    for (what, bytes, says) in &cases {
        let refused: Refused = open(bytes, &verify).expect_err(what);
        assert!(refused.to_string().contains(says), "{what}: {refused}");
    }
    println!("{} wrong bundles refused", cases.len());
}
