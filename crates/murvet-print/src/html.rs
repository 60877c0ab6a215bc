//! From the HTML of a page to blocks.

use crate::dom::{Child, Element, Page};

/// Words in one manner.
#[derive(Debug, Clone, PartialEq, Default)]
pub(crate) struct Span {
    pub(crate) text: String,
    pub(crate) bold: bool,
    pub(crate) faint: bool,
    /// A badge with a frame.
    pub(crate) framed: bool,
}

/// Something that stands below what came before.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Block {
    /// Level 1 to 4.
    Heading(u8, Vec<Span>),
    /// A paragraph, with the mark of its list and how deep it is.
    Text { spans: Vec<Span>, mark: String, depth: u8 },
    /// Rows of cells; the first so many are headings and stand again on each page.
    Table { rows: Vec<Vec<Cell>>, heads: usize },
    /// SVG.
    Drawing(String),
    /// The address of an image.
    Picture(String),
    /// What belongs together, with a rule at its side.
    Group(Vec<Block>),
}

/// A cell of a table.
#[derive(Debug, Clone, PartialEq, Default)]
pub(crate) struct Cell {
    pub(crate) spans: Vec<Span>,
    /// Its words stand at the right.
    pub(crate) number: bool,
    /// Its words stay on one line.
    pub(crate) whole: bool,
    /// How many columns it takes.
    pub(crate) columns: usize,
}

/// What is for the hand or for the ear, not for paper.
const LEFT_OUT: &[&str] = &["script", "style", "template", "input", "select", "textarea", "button", "nav", "noscript"];

/// Reads a page.
pub(crate) fn read(html: &str) -> Vec<Block> {
    let page = Page::read(html);
    let mut reader = Reader::default();
    reader.children(&page.main(), Manner::default());
    reader.flush();
    reader.blocks
}

#[derive(Clone, Copy, Default)]
struct Manner {
    bold: bool,
    faint: bool,
    framed: bool,
}

#[derive(Default)]
struct Reader {
    blocks: Vec<Block>,
    spans: Vec<Span>,
    mark: String,
    depth: u8,
}

/// Whether an element is not for paper.
fn hidden(e: &Element) -> bool {
    let on_paper = e.classes().iter().any(|c| c.starts_with("d-print-") && c != "d-print-none");
    let off = ["no-print", "d-print-none", "visually-hidden"].iter().any(|c| e.has(c)) || e.has("d-none") && !on_paper;
    off || e.attr("hidden").is_some() || LEFT_OUT.contains(&e.name())
}

impl Reader {
    fn children(&mut self, e: &Element, manner: Manner) {
        for child in e.children() {
            match child {
                Child::Text(text) => self.words(&text, manner),
                Child::Element(child) if !hidden(&child) => self.element(&child, manner),
                Child::Element(_) => {}
            }
        }
    }

    /// Adds words; white space is one space, none at the beginning.
    fn words(&mut self, text: &str, manner: Manner) {
        let open = self.spans.last().is_none_or(|s| s.text.ends_with([' ', '\n']));
        let mut out = String::new();
        for c in text.chars() {
            if c.is_whitespace() && c != '\u{a0}' {
                if !(out.ends_with(' ') || out.is_empty() && open) {
                    out.push(' ');
                }
            } else {
                out.push(c);
            }
        }
        if !out.is_empty() {
            let Manner { bold, faint, framed } = manner;
            self.spans.push(Span { text: out, bold, faint, framed });
        }
    }

    fn flush(&mut self) {
        let spans = trimmed(std::mem::take(&mut self.spans));
        let mark = std::mem::take(&mut self.mark);
        if !spans.is_empty() {
            self.blocks.push(Block::Text { spans, mark, depth: self.depth });
        }
    }

    fn element(&mut self, e: &Element, manner: Manner) {
        let has = |class: &str| e.has(class);
        match e.name() {
            "strong" | "b" | "th" | "summary" => self.children(e, Manner { bold: true, ..manner }),
            "span" | "em" | "a" | "abbr" | "time" | "code" | "small" | "label" => {
                let framed = manner.framed || has("sev") || e.classes().iter().any(|c| c.starts_with("sev-"));
                let bold = manner.bold || framed || has("outcome-fail");
                self.children(e, Manner { bold, faint: manner.faint || has("faint"), framed });
            }
            "br" => {
                if let Some(last) = self.spans.last_mut() {
                    last.text.push('\n');
                }
            }
            "h1" | "h2" | "h3" | "h4" => {
                self.flush();
                let level = e.name().as_bytes()[1] - b'0';
                let spans = inline(e, Manner { bold: true, ..manner });
                if !spans.is_empty() {
                    self.blocks.push(Block::Heading(level, spans));
                }
            }
            "ul" | "ol" => {
                self.flush();
                let plain = has("list-unstyled");
                let items = e.elements().into_iter().filter(|c| c.name() == "li" && !hidden(c));
                let outer = self.depth;
                for (n, item) in items.enumerate() {
                    if item.has("finding") {
                        self.group(&item, manner);
                        continue;
                    }
                    self.depth = if plain { outer } else { outer + 1 };
                    self.mark = match (plain, e.name()) {
                        (true, _) => String::new(),
                        (false, "ol") => format!("{}.", n + 1),
                        (false, _) => "•".to_owned(),
                    };
                    self.children(&item, manner);
                    self.flush();
                }
                self.depth = outer;
            }
            "table" => {
                self.flush();
                self.table(e, manner);
            }
            "svg" => {
                self.flush();
                self.blocks.push(Block::Drawing(e.html()));
            }
            "img" => {
                self.flush();
                self.blocks.extend(e.attr("src").map(Block::Picture));
            }
            "article" => self.group(e, manner),
            _ => {
                self.flush();
                self.children(e, Manner { faint: manner.faint || has("faint"), ..manner });
                self.flush();
            }
        }
    }

    fn group(&mut self, e: &Element, manner: Manner) {
        self.flush();
        let mut inner = Reader::default();
        inner.children(e, manner);
        inner.flush();
        if !inner.blocks.is_empty() {
            self.blocks.push(Block::Group(inner.blocks));
        }
    }

    fn table(&mut self, e: &Element, manner: Manner) {
        let mut rows = Vec::new();
        let mut heads = 0;
        for part in e.elements().into_iter().filter(|c| !hidden(c)) {
            let head = part.name() == "thead";
            let direct = part.name() == "tr";
            let list = if direct { vec![part] } else { part.elements() };
            for row in list.into_iter().filter(|r| r.name() == "tr" && !hidden(r)) {
                let faint = row.has("faint");
                let cells = row.elements().into_iter().filter(|c| matches!(c.name(), "td" | "th") && !hidden(c));
                let cell = |c: Element| {
                    let bold = manner.bold || head || c.name() == "th";
                    let faint = faint || c.has("faint");
                    Cell {
                        spans: inline(&c, Manner { bold, faint, ..manner }),
                        number: c.has("num"),
                        whole: c.has("text-nowrap"),
                        columns: c.attr("colspan").and_then(|n| n.parse().ok()).unwrap_or(1),
                    }
                };
                rows.push(cells.map(cell).collect::<Vec<Cell>>());
                heads += usize::from(head);
            }
        }
        rows.retain(|r| !r.is_empty());
        if !rows.is_empty() {
            self.blocks.push(Block::Table { heads: heads.min(rows.len()), rows });
        }
    }
}

/// Everything in an element as one line of words.
fn inline(e: &Element, manner: Manner) -> Vec<Span> {
    let mut reader = Reader::default();
    reader.children(e, manner);
    reader.flush();
    let mut spans: Vec<Span> = Vec::new();
    for block in reader.blocks {
        if let Block::Text { spans: more, mark, .. } = block {
            if let Some(last) = spans.last_mut() {
                last.text.push('\n');
            }
            if !mark.is_empty() {
                spans.push(Span { text: format!("{mark} "), ..Span::default() });
            }
            spans.extend(more);
        }
    }
    spans
}

/// Without white space at its end.
fn trimmed(mut spans: Vec<Span>) -> Vec<Span> {
    while let Some(last) = spans.last_mut() {
        let length = last.text.trim_end().len();
        last.text.truncate(length);
        if length > 0 {
            break;
        }
        spans.pop();
    }
    spans
}
