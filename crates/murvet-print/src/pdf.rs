//! From placed pages to the bytes of a PDF.

use crate::fonts::{Face, Fonts};
use crate::layout::{MARGIN, Page, Placed};
use crate::{Papers, PrintError};
use krilla::color::rgb;
use krilla::configure::{Archival, ConfigurationBuilder};
use krilla::destination::XyzDestination;
use krilla::geom::{PathBuilder, Point, Rect, Size, Transform};
use krilla::image::Image;
use krilla::metadata::{DateTime, Metadata};
use krilla::num::NormalizedF32;
use krilla::outline::{Outline, OutlineNode};
use krilla::page::PageSettings;
use krilla::paint::{Fill, Stroke};
use krilla::surface::Surface;
use krilla::{Data, Document, SerializeSettings};
use krilla_svg::{SurfaceExt, SvgSettings};

const INK: (u8, u8, u8) = (0x1d, 0x1b, 0x16);
/// Dark enough to be read on paper.
const FAINT: (u8, u8, u8) = (0x55, 0x50, 0x44);
const FOOT: f32 = 7.5;

fn colour(faint: bool) -> rgb::Color {
    let (r, g, b) = if faint { FAINT } else { INK };
    rgb::Color::new(r, g, b)
}

/// An image of one of the two kinds that the application keeps. PDF/A has none that is smoothed by whoever shows it.
fn image(bytes: &[u8]) -> Option<Image> {
    let data = Data::from(bytes.to_vec());
    let read = if bytes.starts_with(b"\x89PNG") { Image::from_png(data, false) } else { Image::from_jpeg(data, false) };
    read.ok()
}

/// Width and height of an image in points, at 96 dots an inch.
pub(crate) fn size_of(bytes: &[u8]) -> Option<(f32, f32)> {
    #[expect(clippy::cast_precision_loss, reason = "dots of an image")]
    image(bytes).map(|i| (i.size().0 as f32 * 0.75, i.size().1 as f32 * 0.75))
}

struct Pen<'a, 's> {
    surface: &'a mut Surface<'s>,
    fonts: &'a Fonts,
}

impl Pen<'_, '_> {
    fn words(&mut self, text: &str, x: f32, y: f32, size: f32, face: Face, faint: bool) {
        self.surface.set_stroke(None);
        self.surface.set_fill(Some(Fill { paint: colour(faint).into(), ..Fill::default() }));
        let mut x = x;
        for piece in self.fonts.pieces(text, face) {
            let font = self.fonts.font(piece.face);
            self.surface.draw_glyphs(Point::from_xy(x, y), &piece.glyphs, font, piece.text, size, false);
            x += piece.width * size;
        }
    }

    fn stroke(&mut self, width: f32, path: PathBuilder) {
        self.surface.set_fill(None);
        let opacity = NormalizedF32::ONE;
        self.surface.set_stroke(Some(Stroke { paint: colour(false).into(), width, opacity, ..Stroke::default() }));
        if let Some(path) = path.finish() {
            self.surface.draw_path(&path);
        }
    }

    fn place(&mut self, what: &Placed) {
        match what {
            Placed::Words { x, y, size, face, faint, text } => self.words(text, *x, *y, *size, *face, *faint),
            Placed::Line { from, to, width } => {
                let mut path = PathBuilder::new();
                path.move_to(from.0, from.1);
                path.line_to(to.0, to.1);
                self.stroke(*width, path);
            }
            Placed::Frame { x, y, width, height } => {
                let mut path = PathBuilder::new();
                if let Some(rect) = Rect::from_xywh(*x, *y, *width, *height) {
                    path.push_rect(rect);
                }
                self.stroke(0.7, path);
            }
            Placed::Drawing { x, y, width, height, tree } => {
                if let Some(size) = Size::from_wh(*width, *height) {
                    self.surface.push_transform(&Transform::from_translate(*x, *y));
                    self.surface.draw_svg(tree, size, SvgSettings::default());
                    self.surface.pop();
                }
            }
            Placed::Picture { x, y, width, height, bytes } => {
                if let (Some(image), Some(size)) = (image(bytes), Size::from_wh(*width, *height)) {
                    self.surface.push_transform(&Transform::from_translate(*x, *y));
                    self.surface.draw_image(image, size);
                    self.surface.pop();
                }
            }
        }
    }
}

/// Writes the pages, with a bookmark for each paper.
pub(crate) fn write(
    papers: &Papers<'_>,
    pages: &[Page],
    marks: &[(&str, usize)],
    fonts: &Fonts,
) -> Result<Vec<u8>, PrintError> {
    let refused = |e: &dyn std::fmt::Debug| PrintError::Written(format!("{e:?}"));
    let configuration = ConfigurationBuilder::new().with_archival_validator(Archival::A2_B).finish();
    let configuration = configuration.map_err(|e| refused(&e))?;
    let mut document = Document::new_with(SerializeSettings { configuration, ..SerializeSettings::default() });
    for (n, page) in pages.iter().enumerate() {
        let size = PageSettings::from_wh(page.size.0, page.size.1).ok_or_else(|| refused(&"a page without a size"))?;
        let mut sheet = document.start_page_with(size);
        let mut surface = sheet.surface();
        let mut pen = Pen { surface: &mut surface, fonts };
        for what in &page.placed {
            pen.place(what);
        }
        let number = format!("{} / {}", n + 1, pages.len());
        let y = page.size.1 - MARGIN / 2.0;
        let room = page.size.0 - 2.0 * MARGIN - fonts.width(&number, Face::Regular) * FOOT - 12.0;
        let mut foot = papers.foot.to_owned();
        while fonts.width(&foot, Face::Regular) * FOOT > room {
            foot.pop();
        }
        pen.words(&foot, MARGIN, y, FOOT, Face::Regular, true);
        let x = page.size.0 - MARGIN - fonts.width(&number, Face::Regular) * FOOT;
        pen.words(&number, x, y, FOOT, Face::Regular, true);
        surface.finish();
        sheet.finish();
    }
    let mut outline = Outline::new();
    for (title, page) in marks {
        let top = XyzDestination::new(*page, Point::from_xy(0.0, 0.0));
        outline.push_child(OutlineNode::new((*title).to_owned(), top));
    }
    document.set_outline(outline);
    let metadata = Metadata::new().title(papers.title.to_owned()).language(papers.language.to_owned());
    let (year, month, day) = papers.made_on;
    let date = DateTime::new(year).month(month).day(day);
    document.set_metadata(metadata.creator("Murvet".to_owned()).creation_date(date));
    document.finish().map_err(|e| refused(&e))
}
