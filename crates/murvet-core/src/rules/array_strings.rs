//! Strings of an array beside each other without a device each.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::Kind;
use crate::units::{Dimension, short};

pub(super) static META: Meta = Meta {
    slug: "array-strings",
    hazard: Hazard::Generation,
    statement: "Of three and more strings beside each other each has a device of its own.",
    why: "A shorted panel is fed by all the other strings at once, with more than its own leads and joints are made for.",
    source: "NFPA 70 section 690.9(A), IEC 62548 section 6.5 (recalled)",
};

/// From so many strings on the others drive more into one than it gives itself.
const FROM: f64 = 3.0;

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for index in ctx.pieces(Kind::Array) {
        let p = &ctx.rig.pieces[index];
        let strings = p.si("strings", Dimension::Count).unwrap_or(1.0);
        if strings < FROM || p.flag("string-fuses") {
            continue;
        }
        let name = ctx.piece_words(index);
        let statement = format!("A fault in one of the {} strings of {name} is fed by all the others.", short(strings));
        let mut f = ctx.finding(&META, Severity::Soon, &p.id, statement);
        f.evidence.push(match p.si("isc", Dimension::Current) {
            Some(isc) => {
                let back = isc * (strings - 1.0) / strings * ctx.profile.thresholds.sun;
                format!(
                    "{} A × {} / {} × {} = {} A into one string, which gives {} A itself.",
                    short(isc),
                    short(strings - 1.0),
                    short(strings),
                    short(ctx.profile.thresholds.sun),
                    short(back),
                    short(isc / strings)
                )
            }
            None => format!("{} strings drive their short-circuit current into one.", short(strings - 1.0)),
        });
        f.evidence.push("A device in each string opens it; two strings need none.".to_owned());
        f.pieces = vec![p.id.clone()];
        found.push(f);
    }
    found
}
