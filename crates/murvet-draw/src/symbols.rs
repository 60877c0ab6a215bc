//! Schematic symbols after IEC 60617, drawn around a centre in a box of about 36 by 26 units.

use crate::svg::Svg;
use murvet_core::catalogue::Kind;

/// Draws the symbol of a kind.
pub(crate) fn symbol(svg: &mut Svg, kind: Kind, x: f64, y: f64, ink: &str) {
    let line = format!("stroke=\"{ink}\" stroke-width=\"1.6\" fill=\"none\" stroke-linecap=\"round\"");
    let thick = format!("stroke=\"{ink}\" stroke-width=\"3.2\" fill=\"none\"");
    let letter = format!("fill=\"{ink}\" font-size=\"12.5\" font-weight=\"700\" text-anchor=\"middle\"");
    let box_of = |svg: &mut Svg, w: f64, h: f64| svg.rect(x - w / 2.0, y - h / 2.0, w, h, &line);
    // A converter is a square with a diagonal and the kind of current on each side.
    let converter = |svg: &mut Svg, from: &str, to: &str| {
        svg.rect(x - 14.0, y - 13.0, 28.0, 26.0, &line);
        svg.line(x - 14.0, y + 13.0, x + 14.0, y - 13.0, &line);
        svg.text(x - 6.0, y - 2.0, from, &letter);
        svg.text(x + 7.0, y + 10.0, to, &letter);
    };
    match kind {
        Kind::Battery => {
            svg.line(x - 18.0, y, x - 7.0, y, &line);
            svg.line(x - 7.0, y - 11.0, x - 7.0, y + 11.0, &line);
            svg.line(x - 2.0, y - 5.0, x - 2.0, y + 5.0, &thick);
            svg.line(x + 4.0, y - 11.0, x + 4.0, y + 11.0, &line);
            svg.line(x + 9.0, y - 5.0, x + 9.0, y + 5.0, &thick);
            svg.line(x + 9.0, y, x + 18.0, y, &line);
        }
        Kind::Fuse => {
            box_of(svg, 26.0, 11.0);
            svg.line(x - 18.0, y, x + 18.0, y, &line);
        }
        Kind::Breaker | Kind::Rcbo => {
            svg.line(x - 18.0, y, x - 8.0, y, &line);
            svg.line(x - 8.0, y, x + 8.0, y - 9.0, &line);
            svg.line(x + 8.0, y, x + 18.0, y, &line);
            svg.path(&format!("M{:.1} {:.1}l6 6m0 -6l-6 6", x + 5.0, y - 3.0), &line);
            if kind == Kind::Rcbo {
                svg.text(x, y + 13.0, "IΔ", &letter);
            }
        }
        Kind::Isolator | Kind::DcSocket => {
            svg.line(x - 18.0, y, x - 8.0, y, &line);
            svg.line(x - 8.0, y, x + 8.0, y - 9.0, &line);
            svg.line(x + 8.0, y, x + 18.0, y, &line);
            svg.line(x + 8.0, y - 5.0, x + 8.0, y + 5.0, &line);
        }
        Kind::Relay | Kind::AcContactor => {
            box_of(svg, 28.0, 12.0);
            svg.line(x - 6.0, y + 6.0, x + 6.0, y - 6.0, &line);
        }
        Kind::LoadDisconnect => {
            box_of(svg, 28.0, 12.0);
            svg.line(x - 6.0, y + 6.0, x + 6.0, y - 6.0, &line);
            svg.line(x, y - 6.0, x, y - 13.0, &line);
        }
        Kind::Guard => {
            box_of(svg, 28.0, 18.0);
            svg.path(&format!("M{:.1} {:.1}l8 -12m0 5v-5h-5", x - 4.0, y + 6.0), &line);
        }
        Kind::Tow => {
            svg.path(&format!("M{:.1} {:.1}a9 9 0 0 0 0 18z", x + 2.0, y - 9.0), &line);
            for dy in [-4.0, 0.0, 4.0] {
                svg.line(x + 2.0, y + dy, x + 12.0, y + dy, &line);
            }
        }
        Kind::Rcd => {
            box_of(svg, 28.0, 22.0);
            svg.text(x, y + 4.0, "IΔ", &letter);
        }
        Kind::Transfer | Kind::PlugChangeover => {
            svg.line(x - 18.0, y - 8.0, x - 6.0, y - 8.0, &line);
            svg.line(x - 18.0, y + 8.0, x - 6.0, y + 8.0, &line);
            svg.line(x + 18.0, y, x + 6.0, y, &line);
            svg.line(x + 6.0, y, x - 5.0, y - 8.0, &line);
            if kind == Kind::PlugChangeover {
                svg.circle(x + 6.0, y, 3.0, &line);
            }
        }
        Kind::Bus => svg.line(x - 18.0, y, x + 18.0, y, &format!("stroke=\"{ink}\" stroke-width=\"6\"")),
        Kind::JointBox => {
            box_of(svg, 22.0, 22.0);
            svg.line(x - 11.0, y, x + 11.0, y, &line);
            svg.line(x, y, x, y + 11.0, &line);
            svg.path(&format!("M{:.1} {y:.1}a2.5 2.5 0 1 0 5 0a2.5 2.5 0 1 0 -5 0", x - 2.5), &thick);
        }
        Kind::Shunt => {
            box_of(svg, 26.0, 10.0);
            svg.line(x - 18.0, y, x - 13.0, y, &line);
            svg.line(x + 13.0, y, x + 18.0, y, &line);
            svg.line(x - 7.0, y - 5.0, x - 7.0, y - 11.0, &line);
            svg.line(x + 7.0, y - 5.0, x + 7.0, y - 11.0, &line);
        }
        Kind::Inlet => {
            svg.path(&format!("M{:.1} {:.1}a9 9 0 0 1 0 18z", x - 2.0, y - 9.0), &line);
            svg.line(x - 12.0, y - 4.0, x - 2.0, y - 4.0, &line);
            svg.line(x - 12.0, y + 4.0, x - 2.0, y + 4.0, &line);
            svg.line(x + 7.0, y, x + 16.0, y, &line);
        }
        Kind::Generator | Kind::Alternator => {
            svg.circle(x, y, 13.0, &line);
            svg.text(x, y + 1.0, "G", &letter);
            svg.text(x, y + 10.0, if kind == Kind::Generator { "~" } else { "=" }, &letter);
        }
        Kind::WindTurbine => {
            // A machine that gives direct current, and the blade that turns it.
            svg.circle(x, y + 3.0, 11.0, &line);
            svg.text(x, y + 3.0, "G", &letter);
            svg.text(x, y + 11.0, "=", &letter);
            svg.line(x, y - 8.0, x, y - 12.0, &line);
            svg.line(x - 13.0, y - 11.0, x + 13.0, y - 13.0, &thick);
        }
        Kind::Inverter => converter(svg, "=", "~"),
        Kind::InverterCharger => {
            converter(svg, "=", "~");
            svg.line(x - 18.0, y - 13.0, x - 18.0, y + 13.0, &line);
        }
        Kind::Charger => converter(svg, "~", "="),
        Kind::DcDc | Kind::Controller => converter(svg, "=", "="),
        Kind::Array => {
            box_of(svg, 30.0, 18.0);
            svg.path(&format!("M{:.1} {:.1}l15 9l15 -9", x - 15.0, y - 9.0), &line);
            svg.path(&format!("M{:.1} {:.1}l6 6m-1 -4l1 4l-4 -1", x - 20.0, y - 15.0), &line);
        }
        Kind::Panel | Kind::FuseBlock => {
            box_of(svg, 32.0, 24.0);
            svg.line(x - 11.0, y - 5.0, x + 11.0, y - 5.0, &thick);
            for dx in [-8.0, 0.0, 8.0] {
                svg.line(x + dx, y - 5.0, x + dx, y + 8.0, &line);
            }
        }
        Kind::Chassis | Kind::Electrode => {
            svg.line(x, y - 10.0, x, y, &line);
            svg.line(x - 12.0, y, x + 12.0, y, &line);
            for dx in [-12.0, -4.0, 4.0, 12.0] {
                svg.line(x + dx, y, x + dx - 5.0, y + 7.0, &line);
            }
        }
        Kind::Outlet | Kind::GfciOutlet => {
            svg.path(&format!("M{:.1} {:.1}a10 10 0 0 1 20 0", x - 10.0, y + 5.0), &line);
            svg.line(x, y - 5.0, x, y - 12.0, &line);
            svg.line(x - 6.0, y - 12.0, x + 6.0, y - 12.0, &line);
            if kind == Kind::GfciOutlet {
                svg.text(x, y + 13.0, "IΔ", &letter);
            }
        }
        Kind::AcLoad => {
            box_of(svg, 28.0, 18.0);
            svg.text(x, y + 4.0, "~", &letter);
        }
        Kind::DcLoad => {
            box_of(svg, 28.0, 18.0);
            svg.text(x, y + 4.0, "=", &letter);
        }
    }
}
