//! From blocks to pages: lines and pages are broken, everything has a place.

use crate::Sheet;
use crate::fonts::{Face, Fonts};
use crate::html::{Block, Span};
use crate::table;
use usvg::Tree;

/// Space around what is printed, points.
pub(crate) const MARGIN: f32 = 42.0;
/// Size of the text.
pub(crate) const BODY: f32 = 9.5;
const LEADING: f32 = 1.35;
/// The tallest a photograph is printed.
const PICTURE: f32 = 190.0;

/// Something at its place; y runs down from the top of the page.
pub(crate) enum Placed {
    Words { x: f32, y: f32, size: f32, face: Face, faint: bool, text: String },
    Line { from: (f32, f32), to: (f32, f32), width: f32 },
    Frame { x: f32, y: f32, width: f32, height: f32 },
    Drawing { x: f32, y: f32, width: f32, height: f32, tree: Box<Tree> },
    Picture { x: f32, y: f32, width: f32, height: f32, bytes: Vec<u8> },
}

/// A page with what is on it.
pub(crate) struct Page {
    pub(crate) size: (f32, f32),
    pub(crate) placed: Vec<Placed>,
}

/// A word or a space that does not break, at its place in a line.
#[derive(Debug, Clone)]
pub(crate) struct Word {
    x: f32,
    width: f32,
    span: Span,
}

/// A line of words and its width.
#[derive(Debug, Clone, Default)]
pub(crate) struct Line {
    pub(crate) words: Vec<Word>,
    pub(crate) width: f32,
}

/// The height of a line of a size.
pub(crate) fn leading(size: f32) -> f32 {
    size * LEADING
}

fn face(span: &Span) -> Face {
    if span.bold { Face::Bold } else { Face::Regular }
}

/// Breaks words into lines of a width, greedily; a word that is wider than a line is broken where it must.
pub(crate) fn lines(spans: &[Span], width: f32, size: f32, fonts: &Fonts) -> Vec<Line> {
    let mut list = vec![Line::default()];
    // A word may go over from one span to the next without a space between.
    let mut tight = false;
    for span in spans {
        for (n, row) in span.text.split('\n').enumerate() {
            if n > 0 {
                list.push(Line::default());
                tight = false;
            }
            let mut first = true;
            for word in row.split(' ') {
                let space = if first && tight { 0.0 } else { fonts.width(" ", Face::Regular) * size };
                let spaced = !first || row.starts_with(' ') || !tight;
                first = false;
                if word.is_empty() {
                    tight = false;
                    continue;
                }
                for part in broken(word, face(span), width, size, fonts) {
                    let wide = fonts.width(&part, face(span)) * size;
                    let line = list.last_mut().filter(|l| {
                        let gap = if l.words.is_empty() { 0.0 } else { space };
                        l.words.is_empty() || l.width + gap + wide <= width + 0.01
                    });
                    let line = match line {
                        Some(line) => line,
                        None => {
                            list.push(Line::default());
                            match list.last_mut() {
                                Some(line) => line,
                                None => continue,
                            }
                        }
                    };
                    let mut gap = if line.words.is_empty() || !spaced { 0.0 } else { space };
                    // A badge has air on both sides of its frame.
                    if spaced && line.words.last().is_some_and(|w| w.span.framed != span.framed) {
                        gap += 3.0;
                    }
                    let x = line.width + gap;
                    line.words.push(Word { x, width: wide, span: Span { text: part, ..span.clone() } });
                    line.width = x + wide;
                }
                tight = true;
            }
            tight = !row.ends_with(' ') && !row.is_empty();
        }
    }
    list
}

/// A word in parts none of which is wider than a line.
fn broken(word: &str, face: Face, width: f32, size: f32, fonts: &Fonts) -> Vec<String> {
    if fonts.width(word, face) * size <= width {
        return vec![word.to_owned()];
    }
    let mut parts = vec![String::new()];
    let mut used = 0.0;
    for c in word.chars() {
        let mut text = [0; 4];
        let wide = fonts.width(c.encode_utf8(&mut text), face) * size;
        if used + wide > width && used > 0.0 {
            parts.push(String::new());
            used = 0.0;
        }
        if let Some(last) = parts.last_mut() {
            last.push(c);
        }
        used += wide;
    }
    parts
}

/// Where the next thing goes.
pub(crate) struct Flow<'a> {
    pub(crate) fonts: &'a Fonts,
    pub(crate) left: f32,
    pub(crate) right: f32,
    y: f32,
    sheet: (f32, f32),
    pages: Vec<Page>,
    /// Left edges of the groups that are open, for their rules.
    rules: Vec<(f32, f32)>,
    /// Pages of drawings that come after the page that is being filled.
    drawings: Vec<Page>,
    /// The newest heading, for a drawing on a page of its own.
    heading: String,
}

impl Flow<'_> {
    pub(crate) fn width(&self) -> f32 {
        self.right - self.left
    }

    /// What is left of the page.
    pub(crate) fn room(&self) -> f32 {
        self.sheet.1 - MARGIN - self.y
    }

    /// What a page has.
    pub(crate) fn page_height(&self) -> f32 {
        self.sheet.1 - 2.0 * MARGIN
    }

    pub(crate) fn y(&self) -> f32 {
        self.y
    }

    pub(crate) fn down(&mut self, by: f32) {
        self.y += by;
    }

    pub(crate) fn place(&mut self, what: Placed) {
        if let Some(page) = self.pages.last_mut() {
            page.placed.push(what);
        }
    }

    /// Begins a page; the rules of open groups go on there.
    pub(crate) fn turn(&mut self) {
        self.draw_rules();
        self.pages.append(&mut self.drawings);
        self.pages.push(Page { size: self.sheet, placed: Vec::new() });
        self.y = MARGIN;
        for rule in &mut self.rules {
            rule.1 = MARGIN;
        }
    }

    fn draw_rules(&mut self) {
        let ends: Vec<(f32, f32)> = self.rules.iter().filter(|r| self.y > r.1 + 1.0).copied().collect();
        let bottom = self.y;
        for (x, from) in ends {
            self.place(Placed::Line { from: (x, from), to: (x, bottom), width: 1.5 });
        }
    }

    /// Turns the page where so much does not fit and would on a new one.
    pub(crate) fn need(&mut self, height: f32) {
        if height > self.room() && self.y > MARGIN + 0.5 {
            self.turn();
        }
    }

    /// Places the words of a line; y is the top of the line.
    pub(crate) fn line(&mut self, line: &Line, x: f32, top: f32, size: f32) {
        let y = top + size;
        let mut frame: Option<(f32, f32)> = None;
        let mut frames = Vec::new();
        for word in &line.words {
            let at = x + word.x;
            self.place(Placed::Words {
                x: at,
                y,
                size,
                face: face(&word.span),
                faint: word.span.faint,
                text: word.span.text.clone(),
            });
            match (&mut frame, word.span.framed) {
                (Some(open), true) => open.1 = at + word.width,
                (None, true) => frame = Some((at, at + word.width)),
                (_, false) => frames.extend(frame.take()),
            }
        }
        frames.extend(frame);
        for (from, to) in frames {
            let (x, width) = (from - 1.5, to - from + 3.0);
            self.place(Placed::Frame { x, y: y - size * 0.82, width, height: size * 1.12 });
        }
    }

    fn text(&mut self, spans: &[Span], size: f32, indent: f32, mark: &str) {
        let list = lines(spans, self.width() - indent, size, self.fonts);
        for (n, line) in list.iter().enumerate() {
            // No line of two stands alone.
            self.need(if n == 0 && list.len() > 1 { 2.0 * leading(size) } else { leading(size) });
            if n == 0 && !mark.is_empty() {
                let wide = self.fonts.width(mark, Face::Regular) * size + 4.0;
                let mark = Word { x: 0.0, width: wide, span: Span { text: mark.to_owned(), ..Span::default() } };
                let x = self.left + indent - wide;
                self.line(&Line { words: vec![mark], width: wide }, x, self.y, size);
            }
            self.line(line, self.left + indent, self.y, size);
            self.y += leading(size);
        }
    }

    fn block(&mut self, block: &Block, picture: &dyn Fn(&str) -> Option<Vec<u8>>) {
        match block {
            Block::Heading(level, spans) => {
                let (size, above) =
                    [(17.0, 0.0), (13.0, 12.0), (11.0, 8.0), (BODY, 6.0)][usize::from(*level - 1).min(3)];
                if self.y > MARGIN + 0.5 {
                    self.y += above;
                }
                self.heading = spans.iter().map(|s| s.text.as_str()).collect();
                // A heading stands with what it heads.
                self.need(leading(size) + 4.0 * leading(BODY));
                self.text(spans, size, 0.0, "");
                if *level == 2 {
                    let y = self.y + 1.0;
                    self.place(Placed::Line { from: (self.left, y), to: (self.right, y), width: 1.0 });
                }
                self.y += 4.0;
            }
            Block::Text { spans, mark, depth } => {
                self.text(spans, BODY, f32::from(*depth) * 16.0, mark);
                self.y += 3.0;
            }
            Block::Table { rows, heads } => table::lay(self, rows, *heads),
            Block::Drawing(svg) => self.drawing(svg),
            Block::Picture(address) => {
                if let Some(bytes) = picture(address) {
                    self.picture(bytes);
                }
            }
            Block::Group(blocks) => {
                self.y += 3.0;
                self.need(4.0 * leading(BODY));
                self.rules.push((self.left + 1.0, self.y));
                self.left += 8.0;
                for block in blocks {
                    self.block(block, picture);
                }
                self.left -= 8.0;
                if let Some(rule) = self.rules.pop()
                    && self.y > rule.1 + 1.0
                {
                    let to = (rule.0, self.y - 2.0);
                    self.place(Placed::Line { from: rule, to, width: 1.5 });
                }
                self.y += 4.0;
            }
        }
    }

    fn drawing(&mut self, svg: &str) {
        let Some(tree) = drawing(svg, self.width(), self.fonts) else { return };
        // Drawings count in dots of a screen, 96 to the inch.
        let (w, h) = (tree.size().width() * 0.75, tree.size().height() * 0.75);
        // One that would be shrunk to less than two thirds has a page to itself, laid across where it is broad. The text goes on
        // where it was.
        let scale = (self.width() / w).min(self.page_height() / h).min(1.0);
        let across = (self.sheet.1 - 2.0 * MARGIN) / w;
        if scale < 0.66 && w > h && across > scale * 1.05 {
            let size = (self.sheet.1, self.sheet.0);
            let head = 22.0;
            let scale = across.min((size.1 - 2.0 * MARGIN - head) / h);
            let (width, height) = (w * scale, h * scale);
            let text = self.heading.clone();
            let title = Placed::Words { x: MARGIN, y: MARGIN + 13.0, size: 13.0, face: Face::Bold, faint: false, text };
            let drawing = Placed::Drawing { x: MARGIN, y: MARGIN + head, width, height, tree: Box::new(tree) };
            self.drawings.push(Page { size, placed: vec![title, drawing] });
            return;
        }
        let (width, height) = (w * scale, h * scale);
        self.need(height);
        self.place(Placed::Drawing { x: self.left, y: self.y, width, height, tree: Box::new(tree) });
        self.y += height + 4.0;
    }

    fn picture(&mut self, bytes: Vec<u8>) {
        let Some((w, h)) = crate::pdf::size_of(&bytes) else { return };
        let scale = (self.width() / w).min(PICTURE / h);
        let (width, height) = (w * scale, h * scale);
        self.need(height + leading(BODY));
        self.place(Placed::Picture { x: self.left, y: self.y, width, height, bytes });
        self.y += height + 3.0;
    }
}

/// Reads a drawing of the application: white ground, and a size where it has none of its own.
fn drawing(svg: &str, width: f32, fonts: &Fonts) -> Option<Tree> {
    let mut text = fonts.settable(&svg.replace("#faf6ea", "#ffffff"));
    let head = text.find('>')?;
    let tag = &text[..head];
    let mut more = String::new();
    if !tag.contains("xmlns=") {
        more.push_str(" xmlns=\"http://www.w3.org/2000/svg\"");
    }
    if !tag.contains("viewBox=") && !tag.contains(" width=") {
        more.push_str(&format!(" width=\"{width}\""));
    }
    text.insert_str(4, &more);
    let options =
        usvg::Options { fontdb: fonts.drawings.clone(), font_family: "Overpass".to_owned(), ..Default::default() };
    Tree::from_str(&text, &options).ok()
}

/// Lays blocks on pages; there is always one.
pub(crate) fn lay(
    blocks: &[Block],
    fonts: &Fonts,
    sheet: Sheet,
    picture: &dyn Fn(&str) -> Option<Vec<u8>>,
) -> Vec<Page> {
    let size = sheet.size();
    let first = Page { size, placed: Vec::new() };
    let mut flow = Flow {
        fonts,
        left: MARGIN,
        right: size.0 - MARGIN,
        y: MARGIN,
        sheet: size,
        pages: vec![first],
        rules: Vec::new(),
        drawings: Vec::new(),
        heading: String::new(),
    };
    for block in blocks {
        flow.block(block, picture);
    }
    let mut pages = flow.pages;
    pages.append(&mut flow.drawings);
    while pages.len() > 1 && pages.last().is_some_and(|p| p.placed.is_empty()) {
        pages.pop();
    }
    pages
}
