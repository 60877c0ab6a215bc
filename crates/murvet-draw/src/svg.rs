//! A small writer for SVG text.

use std::fmt::Write;

/// SVG text under construction.
pub(crate) struct Svg {
    out: String,
}

/// Escapes text for element content and attributes.
pub(crate) fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

impl Svg {
    /// Starts a drawing of a size in user units, with a title for those who cannot see it.
    pub fn new(width: f64, height: f64, title: &str) -> Svg {
        Svg::part((0.0, 0.0, width, height), title)
    }

    /// Starts a drawing of which a part is seen: left, top, width and height in user units.
    pub fn part((left, top, width, height): (f64, f64, f64, f64), title: &str) -> Svg {
        let mut out = String::with_capacity(16_384);
        let _ = write!(
            out,
            "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"{left:.0} {top:.0} {width:.0} {height:.0}\" width=\"{width:.0}\" height=\"{height:.0}\" role=\"img\" aria-label=\"{}\" font-family=\"Overpass, sans-serif\">",
            escape(title)
        );
        let _ = write!(
            out,
            "<defs><pattern id=\"hatch\" width=\"6\" height=\"6\" patternUnits=\"userSpaceOnUse\" patternTransform=\"rotate(45)\"><rect width=\"6\" height=\"6\" fill=\"{}\"/><rect width=\"2.2\" height=\"6\" fill=\"{}\"/></pattern></defs>",
            crate::PAPER,
            crate::SIGNAL
        );
        Svg { out }
    }

    /// Says that there are links in it, so that it is not read out as one picture.
    pub fn holds_links(&mut self) {
        self.out = self.out.replacen("role=\"img\"", "role=\"group\"", 1);
    }

    /// Opens a group with attributes.
    pub fn open(&mut self, attributes: &str) {
        let _ = write!(self.out, "<g {attributes}>");
    }

    /// Opens the group of a component, as a link where there is somewhere to go; `moves` says that following it moves a control.
    pub fn open_component(&mut self, id: &str, link: Option<&str>, moves: bool) {
        if let Some(link) = link {
            let moves = if moves { " data-move=\"\"" } else { "" };
            let _ = write!(self.out, "<a href=\"{}\" data-component=\"{}\"{moves}>", escape(link), escape(id));
        } else {
            let _ = write!(self.out, "<g data-component=\"{}\">", escape(id));
        }
    }

    /// Closes the group of a component.
    pub fn close_component(&mut self, linked: bool) {
        self.out.push_str(if linked { "</a>" } else { "</g>" });
    }

    /// Closes a group.
    pub fn close(&mut self) {
        self.out.push_str("</g>");
    }

    /// Adds a tooltip to the open group.
    pub fn title(&mut self, text: &str) {
        let _ = write!(self.out, "<title>{}</title>", escape(text));
    }

    /// A rectangle.
    pub fn rect(&mut self, x: f64, y: f64, w: f64, h: f64, style: &str) {
        let _ = write!(self.out, "<rect x=\"{x:.1}\" y=\"{y:.1}\" width=\"{w:.1}\" height=\"{h:.1}\" {style}/>");
    }

    /// A line.
    pub fn line(&mut self, x1: f64, y1: f64, x2: f64, y2: f64, style: &str) {
        let _ = write!(self.out, "<line x1=\"{x1:.1}\" y1=\"{y1:.1}\" x2=\"{x2:.1}\" y2=\"{y2:.1}\" {style}/>");
    }

    /// A circle.
    pub fn circle(&mut self, x: f64, y: f64, r: f64, style: &str) {
        let _ = write!(self.out, "<circle cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"{r:.1}\" {style}/>");
    }

    /// A path.
    pub fn path(&mut self, d: &str, style: &str) {
        let _ = write!(self.out, "<path d=\"{d}\" {style}/>");
    }

    /// Text at a baseline.
    pub fn text(&mut self, x: f64, y: f64, text: &str, style: &str) {
        let _ = write!(self.out, "<text x=\"{x:.1}\" y=\"{y:.1}\" {style}>{}</text>", escape(text));
    }

    /// The finished text.
    pub fn finish(mut self) -> String {
        self.out.push_str("</svg>");
        self.out
    }
}

/// Cuts a label to a number of characters.
pub(crate) fn cut(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        return text.to_owned();
    }
    let mut short: String = text.chars().take(most.saturating_sub(1)).collect();
    short.push('…');
    short
}
