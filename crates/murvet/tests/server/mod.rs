//! A server in a process of its own, and a client that speaks plain HTTP to it.
#![allow(dead_code, reason = "each test binary uses a part of this module")]

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};

pub const MURVET: &str = env!("CARGO_BIN_EXE_murvet");

/// A server and whoever is signed in at it.
pub struct Server {
    pub child: Child,
    pub port: u16,
    pub cookie: String,
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Server {
    /// Starts one on a database, `demo` or `serve`, with these arguments, and waits until it listens. Nobody is signed in.
    pub fn start(what: &str, database: &str, arguments: &[&str], port: u16) -> Server {
        let mut child = Command::new(MURVET)
            .args([what, "--listen", &format!("127.0.0.1:{port}")])
            .args(arguments)
            .env("DATABASE_URL", database)
            .env("MURVET_LOG", "quiet")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("starts");
        let out = child.stdout.take().expect("its output");
        let first = BufReader::new(out).lines().map_while(Result::ok).find(|l| l.starts_with("listening on"));
        assert!(first.is_some(), "the server listens");
        Server { child, port, cookie: String::new() }
    }

    /// Signs somebody in.
    pub fn sign_in(&mut self, login: &str, password: &str) {
        let form = format!("login={login}&password={password}");
        let (head, _) = self.ask("POST", "/sign-in", "application/x-www-form-urlencoded", form.as_bytes());
        let cookie =
            head.lines().find_map(|l| l.to_lowercase().starts_with("set-cookie:").then(|| l[11..].trim().to_owned()));
        self.cookie = cookie.expect("signed in").split(';').next().unwrap_or_default().to_owned();
    }

    /// Sends a request with these lines in its head; its answer is read from the connection.
    pub fn send(&self, method: &str, path: &str, head: &[(&str, &str)], body: &[u8]) -> Option<TcpStream> {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).ok()?;
        let own: String = head.iter().map(|(name, value)| format!("{name}: {value}\r\n")).collect();
        let head = format!(
            "{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nCookie: {}\r\n{own}Content-Length: {}\r\nConnection: close\r\n\r\n",
            self.port,
            self.cookie,
            body.len()
        );
        stream.write_all(head.as_bytes()).ok()?;
        stream.write_all(body).ok()?;
        Some(stream)
    }

    /// Head and body of an answer.
    pub fn ask(&self, method: &str, path: &str, kind: &str, body: &[u8]) -> (String, Vec<u8>) {
        self.try_ask(method, path, kind, body).expect("answered")
    }

    /// The same where the server may be gone: nothing without a whole answer.
    pub fn try_ask(&self, method: &str, path: &str, kind: &str, body: &[u8]) -> Option<(String, Vec<u8>)> {
        let mut stream = self.send(method, path, &[("Content-Type", kind)], body)?;
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer).ok()?;
        let end = answer.windows(4).position(|w| w == b"\r\n\r\n")?;
        Some((String::from_utf8_lossy(&answer[..end]).into_owned(), answer[end + 4..].to_vec()))
    }

    /// A page without what is new at every look: the names of its forms, and the lengths of its pieces as sent.
    pub fn page(&self, path: &str) -> String {
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
