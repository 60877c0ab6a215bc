//! The fonts of the program, and how wide a word is in them.

use crate::PrintError;
use krilla::Data;
use krilla::text::{Font, GlyphId, KrillaGlyph};
use skrifa::instance::{LocationRef, Size};
use skrifa::{FontRef, MetadataProvider};
use std::sync::Arc;
use usvg::fontdb;

const REGULAR: &[u8] = include_bytes!("../../../assets/vendor/overpass/overpass-latin-400-normal.ttf");
const BOLD: &[u8] = include_bytes!("../../../assets/vendor/overpass/overpass-latin-700-normal.ttf");
/// For what the others lack: Greek, Cyrillic, mathematical signs.
const OTHERS: &[u8] = include_bytes!("../../../assets/vendor/dejavu/dejavu-sans.ttf");

/// A face by its place in [`Fonts`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Face {
    Regular,
    Bold,
    Others,
}

struct One {
    font: Font,
    charmap: skrifa::charmap::Charmap<'static>,
    advances: skrifa::metrics::GlyphMetrics<'static>,
    units: f32,
}

impl One {
    fn new(bytes: &'static [u8]) -> Result<One, PrintError> {
        let font = Font::new(Data::from(bytes), 0).ok_or(PrintError::Font)?;
        let read = FontRef::new(bytes).map_err(|_| PrintError::Font)?;
        let units = font.units_per_em();
        let advances = read.glyph_metrics(Size::unscaled(), LocationRef::default());
        Ok(One { charmap: read.charmap(), advances, units, font })
    }
}

/// The three faces, and the same for drawings.
pub(crate) struct Fonts {
    faces: [One; 3],
    pub(crate) drawings: Arc<fontdb::Database>,
}

/// A glyph: where its character begins, its number, its width in ems, and how many bytes the character has.
type Glyph = (usize, u32, f32, usize);

/// A piece of text in one face: its glyphs with the bytes they stand for, and its width in ems.
pub(crate) struct Piece<'a> {
    pub(crate) face: Face,
    pub(crate) text: &'a str,
    pub(crate) glyphs: Vec<KrillaGlyph>,
    pub(crate) width: f32,
}

impl Fonts {
    pub(crate) fn new() -> Result<Fonts, PrintError> {
        let mut drawings = fontdb::Database::new();
        for bytes in [REGULAR, BOLD, OTHERS] {
            drawings.load_font_data(bytes.to_vec());
        }
        drawings.set_sans_serif_family("Overpass");
        Ok(Fonts { faces: [One::new(REGULAR)?, One::new(BOLD)?, One::new(OTHERS)?], drawings: Arc::new(drawings) })
    }

    pub(crate) fn font(&self, face: Face) -> Font {
        self.of(face).font.clone()
    }

    fn of(&self, face: Face) -> &One {
        &self.faces[match face {
            Face::Regular => 0,
            Face::Bold => 1,
            Face::Others => 2,
        }]
    }

    /// Text that can be set: a character that no font has is the sign for that, and one that means nothing on paper is left out.
    /// PDF/A has no place for either.
    pub(crate) fn settable(&self, text: &str) -> String {
        let unmeant = |c: char| {
            (c.is_control() && !matches!(c, '\n' | '\t')) || matches!(c, '\u{feff}' | '\u{fffe}' | '\u{ffff}')
        };
        let known = |c: char| c.is_whitespace() || self.faces.iter().any(|f| f.charmap.map(c).is_some());
        text.chars().filter(|c| !unmeant(*c)).map(|c| if known(c) { c } else { '\u{fffd}' }).collect()
    }

    /// The face a character is set in, its glyph and its width in ems.
    fn glyph(&self, character: char, wanted: Face) -> (Face, u32, f32) {
        for face in [wanted, Face::Others] {
            let one = self.of(face);
            if let Some(id) = one.charmap.map(character) {
                return (face, id.to_u32(), one.advances.advance_width(id).unwrap_or(0.0) / one.units);
            }
        }
        // White space of a kind that no font has is a space; nothing else gets here past `settable`.
        let one = self.of(Face::Regular);
        let space = one.charmap.map(' ').unwrap_or_default();
        (Face::Regular, space.to_u32(), one.advances.advance_width(space).unwrap_or(0.0) / one.units)
    }

    /// Width of a text in ems.
    pub(crate) fn width(&self, text: &str, face: Face) -> f32 {
        text.chars().map(|c| self.glyph(c, face).2).sum()
    }

    /// The text in pieces of one face each.
    pub(crate) fn pieces<'a>(&self, text: &'a str, wanted: Face) -> Vec<Piece<'a>> {
        let mut runs: Vec<(Face, usize, Vec<Glyph>)> = Vec::new();
        for (at, character) in text.char_indices() {
            let (face, id, width) = self.glyph(character, wanted);
            let glyph = (at, id, width, character.len_utf8());
            match runs.last_mut() {
                Some((last, _, glyphs)) if *last == face => glyphs.push(glyph),
                _ => runs.push((face, at, vec![glyph])),
            }
        }
        let end = |from: &[Glyph]| from.last().map_or(0, |g| g.0 + g.3);
        runs.into_iter()
            .map(|(face, start, glyphs)| Piece {
                face,
                text: &text[start..end(&glyphs)],
                width: glyphs.iter().map(|g| g.2).sum(),
                glyphs: glyphs
                    .iter()
                    .map(|g| {
                        let range = g.0 - start..g.0 - start + g.3;
                        KrillaGlyph::new(GlyphId::new(g.1), g.2, 0.0, 0.0, 0.0, range, None)
                    })
                    .collect(),
            })
            .collect()
    }
}
