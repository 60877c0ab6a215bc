//! PDFs read back by programs that are not ours: poppler's `pdftotext`, `pdffonts` and `pdfinfo`, and `qpdf --check`.

use murvet_print::{Paper, Papers, Sheet, pdf};
use std::path::{Path, PathBuf};
use std::process::Command;

const DRAWING: &str = "<svg viewBox=\"0 0 1400 300\" width=\"1400\" height=\"300\" font-family=\"Overpass, sans-serif\"><rect width=\"1400\" height=\"300\" fill=\"#faf6ea\"/><text x=\"20\" y=\"40\" font-size=\"16\">House bank</text></svg>";

fn written(name: &str, html: &str, sheet: Sheet) -> PathBuf {
    let papers = [Paper { title: "Report", html }, Paper { title: "Second", html: "<h1>Second paper</h1>" }];
    let papers = Papers {
        title: "Papers of Kestrel",
        language: "en-GB",
        foot: "Fern Hill Inspections; Kestrel",
        sheet,
        made_on: (2026, 5, 3),
        papers: &papers,
    };
    let bytes = pdf(&papers, &|_| None).expect("writes");
    assert_eq!(bytes, pdf(&papers, &|_| None).expect("writes"), "the same papers, the same bytes");
    let path = Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    std::fs::write(&path, bytes).expect("kept");
    path
}

/// What a program of Debian says; it must be content.
fn says(program: &str, arguments: &[&str], file: &Path) -> String {
    let mut out = Command::new(program);
    out.args(arguments).arg(file);
    if program == "pdftotext" {
        out.arg("-");
    }
    let out = out.output().unwrap_or_else(|e| panic!("{program}: {e}; ./murvet test installs it"));
    assert!(out.status.success(), "{program}: {}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8(out.stdout).expect("text")
}

#[test]
fn words_tables_and_drawings_are_there_and_what_is_for_the_screen_is_not() {
    let html = format!(
        "<header>not this</header><main><h1>Über 5 Ω, α ≤ β</h1><p class=\"no-print\">press here</p>\
         <p>First <strong>bold</strong>, then <span class=\"sev sev-keep-off\">keep off</span>.</p>\
         <form><input value=\"typed\"><button>Save</button><select><option>choice</option></select></form>\
         <span class=\"d-none d-print-inline\">on paper only</span><span class=\"d-none\">nowhere</span>\
         <table><thead><tr><th>Test</th><th class=\"num\">Value</th></tr></thead><tbody><tr><td>volts of the bank</td><td class=\"num\">12.8 V</td></tr></tbody></table>\
         <ol><li>one</li><li>two</li></ol>{DRAWING}</main>"
    );
    let file = written("parts.pdf", &html, Sheet::A4);
    let text = says("pdftotext", &["-layout"], &file);
    let plain: String = text.split_whitespace().collect();
    assert!(plain.contains("1/3"));
    for there in [
        "Über 5 Ω, α ≤ β",
        "First bold, then keep off.",
        "on paper only",
        "12.8 V",
        "2.",
        "House bank",
        "Second paper",
        "Fern Hill",
    ] {
        assert!(text.contains(there), "{there} in {text}");
    }
    for not in ["not this", "press here", "typed", "Save", "choice", "nowhere"] {
        assert!(!text.contains(not), "{not} in {text}");
    }
    // Every font is embedded and can be copied from.
    let fonts = says("pdffonts", &[], &file);
    let rows: Vec<&str> = fonts.lines().skip(2).collect();
    assert!(rows.len() >= 3, "{fonts}");
    for row in rows {
        let cells: Vec<&str> = row.split_whitespace().collect();
        assert!(
            cells[cells.len() - 5..cells.len() - 2] == ["yes", "yes", "yes"],
            "embedded, subset, to Unicode: {row}"
        );
    }
    let info = says("pdfinfo", &["-l", "9"], &file);
    let expected =
        ["Title:           Papers of Kestrel", "Pages:           3", "841.89 x 595.28", "PDF version:     1.7"];
    expected.iter().for_each(|e| assert!(info.contains(e), "{e} in {info}"));
    assert!(says("qpdf", &["--check"], &file).contains("No syntax or stream encoding errors"));
    assert!(says("pdfinfo", &["-meta"], &file).contains("<pdfaid:part>2</pdfaid:part>"), "it says that it is PDF/A-2");
}

#[test]
fn long_tables_go_over_pages_with_their_head_and_nothing_leaves_the_sheet() {
    let long = "the conductor between the fuse block and the inverter carries more than it may ".repeat(4);
    let word = "x".repeat(400);
    let row = |n: usize| format!("<tr><td>reading-{n}</td><td>{long}</td><td class=\"num\">{n}.5 V</td></tr>");
    let rows: String = (0..150).map(row).collect();
    let giant = "<tr><td>giant</td><td>".to_owned() + &"very long cell ".repeat(3000) + "</td><td>1</td></tr>";
    let html = format!(
        "<main><h1>Readings</h1><article class=\"finding\"><p>{long}</p></article><p>{word}</p><table><thead><tr><th>Heading</th><th>Meaning</th><th>Value</th></tr></thead><tbody>{rows}{giant}</tbody></table></main>"
    );
    let file = written("long.pdf", &html, Sheet::Letter);
    let text = says("pdftotext", &["-layout"], &file);
    let pages: Vec<&str> = text.trim_end_matches('\u{c}').split('\u{c}').collect();
    assert!(pages.len() > 12, "{}", pages.len());
    for (n, page) in pages[..pages.len() - 1].iter().enumerate() {
        assert!(page.contains("Heading"), "page {} has no head: {page}", n + 1);
        let plain: String = page.split_whitespace().collect();
        assert!(plain.contains(&format!("{}/{}", n + 1, pages.len())), "{page}");
    }
    (0..150).for_each(|n| assert_eq!(text.matches(&format!("reading-{n} ")).count(), 1, "reading-{n}"));
    assert_eq!(text.matches("very").count(), 3000, "not a word of a cell that no page holds is lost");
    assert_eq!(text.matches('x').count() - text.matches("Ex").count(), 400);
    // Words lie within the sheet: poppler gives the box of each.
    let boxes = says("pdftotext", &["-bbox"], &file);
    let number = |line: &str, key: &str| -> f64 {
        line.split(&format!("{key}=\"")).nth(1).and_then(|r| r.split('"').next()?.parse().ok()).expect("a number")
    };
    for line in boxes.lines().filter(|l| l.contains("<word ")) {
        assert!(number(line, "xMin") >= 40.0 && number(line, "xMax") <= 612.0 - 40.0, "{line}");
        assert!(number(line, "yMin") >= 30.0 && number(line, "yMax") <= 792.0 - 15.0, "{line}");
    }
}

#[test]
fn what_no_font_has_is_marked_and_never_stops_the_papers() {
    let odd = "\u{feff}电池 🔋 \u{7} \u{200b}\u{2007}end";
    let html = format!(
        "<main><h1>Bank {odd}</h1><p>{odd}</p><table><tr><td>{odd}</td></tr></table>\
         <svg viewBox=\"0 0 200 40\" width=\"200\" height=\"40\"><text x=\"2\" y=\"20\" font-size=\"12\">{odd}</text></svg></main>"
    );
    let text = says("pdftotext", &["-layout"], &written("odd.pdf", &html, Sheet::A4));
    assert!(text.contains("Bank") && text.matches("end").count() == 4 && text.contains('\u{fffd}'), "{text}");
    // A page that is no HTML, one with nothing on it and no page at all are papers too.
    for html in ["", "<main></main>", "<<<&&&>", "<table><tr></tr></table>", "<svg><<</svg>"] {
        written("none.pdf", html, Sheet::A4);
    }
}

/// A picture of one dot.
const DOT: &[u8] = &[
    0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 13, b'I', b'H', b'D', b'R', 0, 0, 0, 1, 0, 0, 0, 1, 8, 2,
    0, 0, 0, 0x90, 0x77, 0x53, 0xde, 0, 0, 0, 12, b'I', b'D', b'A', b'T', 0x08, 0xd7, 0x63, 0xf8, 0xcf, 0xc0, 0, 0, 3,
    1, 1, 0, 0x18, 0xdd, 0x8d, 0xb0, 0, 0, 0, 0, b'I', b'E', b'N', b'D', 0xae, 0x42, 0x60, 0x82,
];

#[test]
fn photographs_are_in_it_and_one_that_cannot_be_read_is_left_out() {
    let papers = [Paper { title: "Report", html: "<main><img src=\"/a\"><img src=\"/b\"><img src=\"/c\"></main>" }];
    let papers =
        Papers { title: "t", language: "en", foot: "", sheet: Sheet::A4, made_on: (2026, 5, 3), papers: &papers };
    let picture = |address: &str| match address {
        "/a" => Some(DOT.to_vec()),
        "/b" => Some(b"no picture".to_vec()),
        _ => None,
    };
    let file = Path::new(env!("CARGO_TARGET_TMPDIR")).join("pictures.pdf");
    std::fs::write(&file, pdf(&papers, &picture).expect("writes")).expect("kept");
    assert_eq!(says("pdfimages", &["-list"], &file).lines().skip(2).count(), 1);
}
