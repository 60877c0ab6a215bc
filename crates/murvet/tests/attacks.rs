//! What somebody may try against a server, each against a process of its own with the demo world. They take minutes and fill the
//! machine, so they run when asked for: `./murvet attacks`. Each prints a row for the table in `docs/operations.md`; what is asserted
//! is what was answered and how much memory it took, never how long.

mod browser;
mod server;

use browser::{database, free_port};
use server::Server;
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

const FORM: &str = "application/x-www-form-urlencoded";

/// A server with the demo world, and Mara signed in.
fn demo(name: &str) -> Server {
    at(&database(name))
}

fn at(url: &str) -> Server {
    let mut server = Server::start("demo", url, &["--photographs", "memory"], free_port());
    server.sign_in("mara", "paper-and-ink");
    server
}

/// The most memory that a server has had, MB.
fn most_memory(server: &Server) -> usize {
    let status = std::fs::read_to_string(format!("/proc/{}/status", server.child.id())).expect("it runs");
    let line = status.lines().find_map(|l| l.strip_prefix("VmHWM:")).expect("told");
    line.trim().trim_end_matches(" kB").trim().parse::<usize>().expect("a number") / 1024
}

/// Whether an answer has this status.
fn is(answer: &(String, Vec<u8>), status: u16) -> bool {
    answer.0.starts_with(&format!("HTTP/1.1 {status}"))
}

/// Pages that somebody who is signed in asks for meanwhile: the middle of how long each took, ms.
fn meanwhile(server: &Server, pages: usize) -> u128 {
    let mut times: Vec<u128> = (0..pages)
        .map(|_| {
            let begun = Instant::now();
            assert!(is(&server.ask("GET", "/visits", "text/plain", b""), 200));
            begun.elapsed().as_millis()
        })
        .collect();
    times.sort_unstable();
    times[pages / 2]
}

#[test]
#[ignore = "an attack: ./murvet attacks"]
fn sixty_four_guess_passwords() {
    let server = demo("attack_doors");
    let before = meanwhile(&server, 40);
    let over = AtomicBool::new(false);
    let (told, refused) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let during = std::thread::scope(|s| {
        for n in 0..64 {
            let (server, over, told, refused) = (&server, &over, &told, &refused);
            s.spawn(move || {
                let mut tries = 0;
                while !over.load(Ordering::Relaxed) {
                    tries += 1;
                    let guess = format!("login=guess{n}-{tries}&password=wrong-password-{tries}");
                    let Some((head, _)) = server.try_ask("POST", "/sign-in", FORM, guess.as_bytes()) else { continue };
                    assert!(!head.to_lowercase().contains("set-cookie: murvet"), "nobody comes in");
                    if head.starts_with("HTTP/1.1 429") {
                        told.fetch_add(1, Ordering::Relaxed);
                    } else {
                        refused.fetch_add(1, Ordering::Relaxed);
                    }
                }
            });
        }
        let during = meanwhile(&server, 200);
        over.store(true, Ordering::Relaxed);
        during
    });
    let (told, refused) = (told.into_inner(), refused.into_inner());
    assert!(told + refused > 64);
    println!(
        "| 64 clients guess passwords | a page {before} ms alone, {during} ms meanwhile (median); {refused} tried, {told} told to wait; {} MB |",
        most_memory(&server)
    );
}

/// One unit of which hardly anything was seen, so many times.
fn hostile(units: usize) -> String {
    (0..units)
        .map(|n| {
            format!(
                "inverter i{n}: ?\ninlet s{n}: ?\ntransfer t{n}: ?\npanel p{n}: ?\ncable A{n} length ? size ? s{n} -> t{n}.a\n\
                 cable B{n} length ? size ? i{n} -> t{n}.b\ncable C{n} length ? size ? t{n}.out -> p{n}.main\n"
            )
        })
        .collect()
}

#[test]
#[ignore = "an attack: ./murvet attacks"]
fn hostile_rigs_are_sent_and_abandoned() {
    let server = demo("attack_rigs");
    let automatic: String = (0..8)
        .map(|n| format!("transfer t{n}: automatic ?\ngenerator g{n}: ?\ncable A{n} length ? size ? g{n} -> t{n}.b\n"))
        .collect();
    // Waited for, one is answered.
    let body = serde_json::json!({ "text": hostile(10), "base": 1 }).to_string();
    let begun = Instant::now();
    let whole = server.ask("POST", "/visits/1/trace/check", "application/json", body.as_bytes());
    let alone = begun.elapsed().as_millis();
    let said = String::from_utf8_lossy(&whole.1).into_owned();
    assert!(is(&whole, 200) && said.contains("findings"), "{said}");
    for n in 0..48 {
        let text = if n % 2 == 0 { hostile(10) } else { automatic.clone() };
        let body = serde_json::json!({ "text": text, "base": 1 }).to_string();
        let json = [("Content-Type", "application/json")];
        let stream = server.send("POST", "/visits/1/trace/check", &json, body.as_bytes()).expect("sent");
        // The next one is asked at once; this one is given up a moment later, while it is worked on.
        std::thread::spawn(move || {
            std::thread::sleep(Duration::from_millis(30));
            drop(stream);
        });
    }
    let during = meanwhile(&server, 40);
    let begun = Instant::now();
    let found = server.ask("GET", "/visits/1/findings", "text/plain", b"");
    assert!(is(&found, 200));
    let waited = begun.elapsed().as_millis();
    let memory = most_memory(&server);
    assert!(memory < 1_000, "{memory} MB");
    println!(
        "| 48 hostile rigs, abandoned | one that is waited for {alone} ms; a page {during} ms meanwhile (median), a page of findings {waited} ms; {memory} MB |"
    );
}

/// A picture of one colour, so many points a side, of two shades: small as sent, large once it is opened.
fn bomb(side: u32) -> Vec<u8> {
    fn crc(bytes: &[u8]) -> u32 {
        !bytes.iter().fold(!0u32, |c, b| {
            (0..8).fold(c ^ u32::from(*b), |c, _| if c & 1 == 1 { 0xedb8_8320 ^ (c >> 1) } else { c >> 1 })
        })
    }
    let mut png = b"\x89PNG\r\n\x1a\n".to_vec();
    let mut chunk = |kind: &[u8], data: &[u8]| {
        png.extend((data.len() as u32).to_be_bytes());
        let body = [kind, data].concat();
        png.extend(&body);
        png.extend(crc(&body).to_be_bytes());
    };
    chunk(b"IHDR", &[&side.to_be_bytes()[..], &side.to_be_bytes(), &[1, 0, 0, 0, 0]].concat());
    // Rows of nothing, in blocks that are stored as they are (RFC 1951, 3.2.4), under the sum of RFC 1950.
    let raw = vec![0u8; ((side as usize).div_ceil(8) + 1) * side as usize];
    let mut data = vec![0x78, 0x01];
    let blocks = raw.chunks(65_535);
    let last = blocks.len() - 1;
    for (n, block) in blocks.enumerate() {
        data.push(u8::from(n == last));
        data.extend((block.len() as u16).to_le_bytes());
        data.extend((!(block.len() as u16)).to_le_bytes());
        data.extend(block);
    }
    let b = raw.len() as u32 % 65_521;
    data.extend(((b << 16) | 1).to_be_bytes());
    chunk(b"IDAT", &data);
    chunk(b"IEND", b"");
    png
}

#[test]
#[ignore = "an attack: ./murvet attacks"]
fn pictures_that_grow_when_they_are_opened() {
    let server = demo("attack_pictures");
    let send = |side: u32| {
        let mut body = Vec::new();
        for (name, value) in [("subject", "house"), ("moment", "found"), ("note", "")] {
            body.extend(
                format!("--part\r\nContent-Disposition: form-data; name=\"{name}\"\r\n\r\n{value}\r\n").into_bytes(),
            );
        }
        body.extend(b"--part\r\nContent-Disposition: form-data; name=\"photo\"; filename=\"a.png\"\r\nContent-Type: image/png\r\n\r\n");
        body.extend(bomb(side));
        body.extend(b"\r\n--part--\r\n");
        server.ask("POST", "/visits/1/photographs", "multipart/form-data; boundary=part", &body).0
    };
    let (largest, beyond) = std::thread::scope(|s| {
        let (fit, not): (Vec<_>, Vec<_>) = (0..16)
            .map(|_| s.spawn(|| send(7_700)))
            .zip((0..4).map(|_| s.spawn(|| send(9_000))).chain((0..12).map(|_| s.spawn(|| send(8_000)))))
            .unzip();
        let heads = |list: Vec<std::thread::ScopedJoinHandle<'_, String>>| -> Vec<String> {
            list.into_iter()
                .map(|h| h.join().expect("answered").lines().next().unwrap_or_default().to_owned())
                .collect()
        };
        (heads(fit), heads(not))
    });
    assert!(largest.iter().all(|h| h.contains(" 303") || h.contains(" 503")), "{largest:?}");
    assert!(beyond.iter().all(|h| h.contains(" 422")), "{beyond:?}");
    let memory = most_memory(&server);
    assert!(memory < 1_500, "{memory} MB");
    let kept = largest.iter().filter(|h| h.contains(" 303")).count();
    println!("| 16 pictures of 59 million points at once, 16 of more | {kept} kept, 16 refused; {memory} MB |");
}

#[test]
#[ignore = "an attack: ./murvet attacks"]
fn connections_that_say_nothing() {
    let server = demo("attack_idle");
    let idle: Vec<TcpStream> =
        (0..650).map(|_| TcpStream::connect(("127.0.0.1", server.port)).expect("connects")).collect();
    let during = meanwhile(&server, 40);
    // Each is closed by the server in the end.
    let closed = idle.into_iter().filter(|s| matches!((&mut &*s).read(&mut [0; 64]), Ok(_) | Err(_))).count();
    assert_eq!(closed, 650);
    println!(
        "| 650 connections that say nothing | a page {during} ms meanwhile (median); all closed; {} MB |",
        most_memory(&server)
    );
}

#[test]
#[ignore = "an attack: ./murvet attacks"]
fn pages_of_other_hosts_and_a_character_that_no_text_has() {
    let server = demo("attack_foreign");
    let visit = "customer=C&contact=&rig=R&profile=na-rv&day=2026-05-05&hours=4&kind=finished&zone=UTC&complaint=";
    for (header, value) in [
        ("Origin", "http://other.localhost"),
        ("Origin", "http://127.0.0.1:1"),
        ("Origin", "null"),
        ("Sec-Fetch-Site", "same-site"),
        ("Sec-Fetch-Site", "cross-site"),
    ] {
        let head = [(header, value), ("Content-Type", FORM)];
        let mut stream = server.send("POST", "/visits", &head, visit.as_bytes()).expect("sent");
        let mut answer = String::new();
        stream.read_to_string(&mut answer).expect("answered");
        assert!(answer.starts_with("HTTP/1.1 403"), "{header}: {value}: {answer}");
    }
    let fields: Vec<&str> = visit.split('&').collect();
    for n in 0..fields.len() {
        let mut typed: Vec<String> = fields.iter().map(|f| (*f).to_owned()).collect();
        typed[n].push_str("%00");
        assert!(is(&server.ask("POST", "/visits", FORM, typed.join("&").as_bytes()), 422), "{}", fields[n]);
    }
    let page = server.page("/visits");
    assert!(!page.contains("<strong>R</strong>"), "nothing was written");
    println!(
        "| writes of a sibling host, NUL in each field | 5 refused (403), {} refused (422), nothing written |",
        fields.len()
    );
}

/// Stands between a server and its database and, when told to, passes nothing on.
fn stall(url: &str) -> (String, Arc<AtomicBool>) {
    let (rest, to) = url.split_once('@').expect("an address");
    let (host, name) = to.split_once('/').expect("a name");
    let host = host.to_owned();
    let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
    let own = format!("{rest}@{}/{name}", listener.local_addr().expect("bound"));
    let hangs = Arc::new(AtomicBool::new(false));
    let told = Arc::clone(&hangs);
    std::thread::spawn(move || {
        for near in listener.incoming().map_while(Result::ok) {
            let far = TcpStream::connect(&host).expect("connects");
            for (mut from, mut to) in [(near.try_clone().expect("one"), far.try_clone().expect("one")), (far, near)] {
                let told = Arc::clone(&told);
                std::thread::spawn(move || {
                    let mut some = [0; 16_384];
                    while let Ok(n @ 1..) = from.read(&mut some) {
                        while told.load(Ordering::Relaxed) {
                            std::thread::sleep(Duration::from_millis(5));
                        }
                        if to.write_all(&some[..n]).is_err() {
                            break;
                        }
                    }
                });
            }
        }
    });
    (own, hangs)
}

#[test]
#[ignore = "an attack: ./murvet attacks"]
fn a_database_that_hangs() {
    let (url, hangs) = stall(&database("attack_hung"));
    let server = at(&url);
    hangs.store(true, Ordering::Relaxed);
    let begun = Instant::now();
    let answers: Vec<String> = std::thread::scope(|s| {
        let asked: Vec<_> = (0..24).map(|_| s.spawn(|| server.ask("GET", "/visits", "text/plain", b"").0)).collect();
        assert!(is(&server.ask("GET", "/health/live", "text/plain", b""), 200), "it says that it lives");
        asked.into_iter().map(|a| a.join().expect("answered")).collect()
    });
    let waited = begun.elapsed().as_secs();
    assert!(
        answers.iter().all(|a| a.starts_with("HTTP/1.1 503") && a.to_lowercase().contains("retry-after")),
        "{answers:?}"
    );
    hangs.store(false, Ordering::Relaxed);
    // It goes on by itself.
    while !is(&server.ask("GET", "/visits", "text/plain", b""), 200) {
        std::thread::sleep(Duration::from_millis(50));
    }
    println!(
        "| a database that hangs | 24 pages answered 503 within {waited} s, live all the time; goes on by itself |"
    );
}
