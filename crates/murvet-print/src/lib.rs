//! The papers of a visit: pages of the application laid out on paper and written as PDF/A-2b.
//!
//! A page is given as the HTML that the application shows, so that paper and screen say the same. What is for the screen alone
//! (`no-print`, forms' controls) is left out, what is for paper alone (`d-print-...`) comes in.
//!
//! 1. `html::read` makes blocks of the HTML: headings, paragraphs, tables, figures.
//! 2. `layout::lay` breaks lines and pages and places every word, line and figure.
//! 3. `pdf::write` writes them, with embedded fonts, bookmarks and page numbers.
//!
//! ```
//! use murvet_print::{Paper, Papers, Sheet, pdf};
//! let paper = Paper { title: "Hand over", html: "<h1>Hand over</h1><p>Nothing is open.</p>" };
//! let papers = Papers { title: "Kestrel", language: "en", foot: "Kestrel, 3 May 2026", sheet: Sheet::A4, made_on: (2026, 5, 3), papers: &[paper] };
//! let bytes = pdf(&papers, &|_| None).unwrap();
//! assert!(bytes.starts_with(b"%PDF-1.7"));
//! ```

mod dom;
mod fonts;
mod html;
mod layout;
mod pdf;
mod table;

/// Why there is no PDF.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PrintError {
    /// A font that ships with the program cannot be read.
    #[error("a font of the program cannot be read")]
    Font,
    /// The writer refused the document.
    #[error("the PDF could not be written: {0}")]
    Written(String),
}

/// Sizes of paper, in points.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sheet {
    /// ISO 216.
    A4,
    /// ANSI/ASME Y14.1, size A.
    Letter,
}

impl Sheet {
    /// Width and height upright, points of 1/72 inch.
    pub fn size(self) -> (f32, f32) {
        match self {
            Sheet::A4 => (595.28, 841.89),
            Sheet::Letter => (612.0, 792.0),
        }
    }
}

/// One paper of several: it begins on a page of its own and has a bookmark.
#[derive(Debug, Clone, Copy)]
pub struct Paper<'a> {
    /// What the bookmark says.
    pub title: &'a str,
    /// The page as it is shown; where it has a `main`, only what is in it.
    pub html: &'a str,
}

/// Papers that go into one file.
#[derive(Debug, Clone, Copy)]
pub struct Papers<'a> {
    /// The title of the file.
    pub title: &'a str,
    /// Its language (BCP 47).
    pub language: &'a str,
    /// What stands at the foot of each page, beside its number.
    pub foot: &'a str,
    /// The paper.
    pub sheet: Sheet,
    /// Year, month and day on which it is made.
    pub made_on: (u16, u8, u8),
    /// What it holds.
    pub papers: &'a [Paper<'a>],
}

/// The papers as a PDF. `picture` answers the address of an image with a JPEG or PNG; without one the place stays empty.
///
/// The same papers give the same bytes. Runs in time linear in the text.
///
/// # Errors
/// When a font or the writer fails; there is no input that a page of the application can hold which does so.
pub fn pdf(papers: &Papers<'_>, picture: &dyn Fn(&str) -> Option<Vec<u8>>) -> Result<Vec<u8>, PrintError> {
    let fonts = fonts::Fonts::new()?;
    let mut pages = Vec::new();
    let mut marks = Vec::new();
    for paper in papers.papers {
        marks.push((paper.title, pages.len()));
        pages.extend(layout::lay(&html::read(&fonts.settable(paper.html)), &fonts, papers.sheet, picture));
    }
    let foot = fonts.settable(papers.foot);
    pdf::write(&Papers { foot: &foot, ..*papers }, &pages, &marks, &fonts)
}
