//! Labels to print and stick: one for each device, a legend for each panel, and flags for both ends of each conductor of 6 mm2 and
//! more.

use crate::svg::Svg;
use crate::{INK, PAPER};
use murvet_core::audit::Audit;
use murvet_core::network::EdgeKind;
use murvet_core::readings::{Circuit, circuits};

/// Sheet and cell, millimetres: A4 and Letter both hold it within their margins.
const WIDTH: f64 = 180.0;
const HEIGHT: f64 = 246.0;
const COLUMNS: usize = 3;
const CELL: (f64, f64) = (58.0, 23.0);
const GAP: f64 = 2.0;
/// Letters of the small size that go into a millimetre, at most.
const LETTERS: f64 = 0.62;

/// Conductors from this size on have flags.
const THICK_MM2: f64 = 6.0;

/// What stands on a label: its head, and lines below it.
struct Label {
    head: String,
    lines: Vec<String>,
}

/// Breaks words to lines of so many letters.
fn wrapped(text: &str, letters: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= letters => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines
}

fn of(c: &Circuit) -> Label {
    let mut lines = Vec::new();
    if !c.label.is_empty() {
        lines.push(c.label.clone());
    }
    if !c.feeds.is_empty() {
        lines.push(format!("feeds {}", c.feeds.join(", ")));
    } else if !c.behind.is_empty() {
        lines.push(format!("feeds {}", c.behind.join(", ")));
    }
    if !c.ahead.is_empty() {
        lines.push(format!("off at {}", c.ahead.join(", ")));
    }
    Label { head: c.device.clone(), lines }
}

/// Labels of devices that stand alone, legends of those with ways, flags of thick conductors.
fn labels(audit: &Audit) -> (Vec<Label>, Vec<(String, Vec<Label>)>) {
    let list = circuits(audit);
    let mut single = Vec::new();
    let mut panels: Vec<(usize, Vec<Label>)> = Vec::new();
    for c in &list {
        if c.way.is_none() {
            single.push(of(c));
        } else if let Some((_, ways)) = panels.iter_mut().find(|(p, _)| *p == c.component) {
            ways.push(of(c));
        } else {
            panels.push((c.component, vec![of(c)]));
        }
    }
    let net = &audit.net;
    for e in &net.edges {
        let EdgeKind::Wire(w) = e.what else { continue };
        let wire = &net.wires[w];
        if wire.laid.area_mm2 < THICK_MM2 {
            continue;
        }
        // Its size without its length: that of a label does not change when it is cut.
        let size = wire.title.split_once(' ').map_or("", |(_, size)| size);
        let (a, b) = (&net.nodes[e.a].name, &net.nodes[e.b].name);
        for (here, there) in [(a, b), (b, a)] {
            single.push(Label { head: here.clone(), lines: vec![format!("{size} to {there}")] });
        }
    }
    let title = |p: &usize| audit.assumed.components.get(*p).map_or_else(String::new, |c| c.title().to_owned());
    (single, panels.into_iter().map(|(p, ways)| (title(&p), ways)).collect())
}

fn label(svg: &mut Svg, x: f64, y: f64, label: &Label) {
    let frame = format!("fill=\"{PAPER}\" stroke=\"{INK}\" stroke-width=\"0.4\"");
    svg.rect(x, y, CELL.0, CELL.1, &frame);
    let bold = format!("font-size=\"4.2\" font-weight=\"700\" fill=\"{INK}\"");
    let plain = format!("font-size=\"2.9\" fill=\"{INK}\"");
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "letters on a label")]
    let (wide, small) = (((CELL.0 - 4.0) * 0.44) as usize, ((CELL.0 - 4.0) * LETTERS) as usize);
    let mut at = y + 5.4;
    for line in wrapped(&label.head, wide).iter().take(2) {
        svg.text(x + 2.0, at, line, &bold);
        at += 4.6;
    }
    let lines: Vec<String> = label.lines.iter().flat_map(|l| wrapped(l, small)).collect();
    for line in &lines {
        if at > y + CELL.1 - 0.8 {
            break;
        }
        svg.text(x + 2.0, at, line, &plain);
        at += 3.5;
    }
}

/// The text of a sheet, with its size in millimetres.
fn finished(svg: Svg) -> String {
    let unit = |side: f64| format!("=\"{side:.0}\"");
    svg.finish().replacen(&format!("width{}", unit(WIDTH)), &format!("width=\"{WIDTH:.0}mm\""), 1).replacen(
        &format!("height{}", unit(HEIGHT)),
        &format!("height=\"{HEIGHT:.0}mm\""),
        1,
    )
}

fn sheet(title: &str) -> Svg {
    Svg::new(WIDTH, HEIGHT, title)
}

/// Sheets of labels as SVG, one unit a millimetre: print them without scaling.
///
/// ```
/// let rig = murvet_core::notation::parse("battery b: agm 12V 90Ah\ndc-load lamp: 3A\nrun b.+ : 0.1m 2.5mm2, fuse F1 15A blade, 2m 2.5mm2, lamp.+\nrun b.- : 2m 2.5mm2, lamp.-\n").unwrap();
/// let audit = murvet_core::audit::audit(&rig, murvet_core::profiles::ProfileId::parse("eu-uk").unwrap());
/// let sheets = murvet_draw::label_sheets(&audit);
/// assert!(sheets[0].contains("F1") && sheets[0].contains("feeds lamp"));
/// ```
pub fn label_sheets(audit: &Audit) -> Vec<String> {
    let (single, panels) = labels(audit);
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "rows of a sheet")]
    let rows = ((HEIGHT + GAP) / (CELL.1 + GAP)) as usize;
    let mut sheets = Vec::new();
    for page in single.chunks(rows * COLUMNS) {
        let mut svg = sheet("Labels of devices and conductors");
        for (n, one) in page.iter().enumerate() {
            #[expect(clippy::cast_precision_loss, reason = "places on a sheet")]
            let (column, row) = ((n % COLUMNS) as f64, (n / COLUMNS) as f64);
            label(&mut svg, column * (CELL.0 + GAP), row * (CELL.1 + GAP), one);
        }
        sheets.push(finished(svg));
    }
    for (title, ways) in panels {
        for page in ways.chunks(24) {
            let mut svg = sheet(&format!("Legend of {title}"));
            svg.rect(
                0.5,
                0.5,
                WIDTH - 1.0,
                HEIGHT - 1.0,
                &format!("fill=\"{PAPER}\" stroke=\"{INK}\" stroke-width=\"0.6\""),
            );
            svg.text(5.0, 11.0, &title, &format!("font-size=\"7\" font-weight=\"700\" fill=\"{INK}\""));
            let mut y = 20.0;
            for way in page {
                svg.text(5.0, y, &way.head, &format!("font-size=\"4.2\" font-weight=\"700\" fill=\"{INK}\""));
                let words = way.lines.join("; ");
                for line in wrapped(&words, 62).iter().take(2) {
                    svg.text(66.0, y, line, &format!("font-size=\"3.6\" fill=\"{INK}\""));
                    y += 4.4;
                }
                y = y.max(20.0) + 2.2;
                svg.line(5.0, y - 3.4, WIDTH - 5.0, y - 3.4, &format!("stroke=\"{INK}\" stroke-width=\"0.2\""));
                y += 2.4;
            }
            sheets.push(finished(svg));
        }
    }
    sheets
}
