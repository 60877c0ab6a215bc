//! Strings of an array beside each other without a device each.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::SourceKind;
use crate::network::{EdgeKind, Source};
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "array-strings",
    hazard: Hazard::Generation,
    statement: "Of three and more strings beside each other each has a device of its own.",
    why: "A shorted panel is fed by all the other strings at once, with more than its own leads and joints are made for.",
    source: "NFPA 70 section 690.9(A), IEC 62548 section 6.5 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::StringFuses],
    without: "Which panels, fuses or controller fit is chosen from the makers' sheets, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Generation, "strings of an array without a device each")],
    schools: &[],
    example: include_str!("examples/array-strings.rig"),
};

/// From so many strings on the others drive more into one than it gives itself.
const FROM: f64 = 3.0;

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    // Strings beside each other with no device between them, as one array or as several.
    let label = ctx.joined(|e| !matches!(e.what, EdgeKind::Device { .. } | EdgeKind::Bond { .. }));
    let arrays: Vec<_> = net.sources.iter().filter(|s| s.kind == SourceKind::Array && s.limit_a > 0.0).collect();
    let component = |s: &Source| &ctx.rig.components[s.component];
    let strings = |s: &Source| component(s).si("strings", Dimension::Count).unwrap_or(1.0);
    let mut found = Vec::new();
    let mut told: Vec<u32> = Vec::new();
    for first in &arrays {
        if told.contains(&label[first.plus]) {
            continue;
        }
        told.push(label[first.plus]);
        let beside: Vec<_> = arrays
            .iter()
            .filter(|s| label[s.plus] == label[first.plus] && label[s.minus] == label[first.minus])
            .filter(|s| !component(s).flag("string-fuses"))
            .collect();
        let count: f64 = beside.iter().map(|s| strings(s)).sum();
        let Some(one) = beside.first().filter(|_| count >= FROM) else { continue };
        let names: Vec<String> = beside.iter().map(|s| ctx.component_words(s.component)).collect();
        let name = names.join(", ");
        let statement = format!("A fault in one of the {} strings of {name} is fed by all the others.", short(count));
        let mut f = ctx.finding(&RULE, Severity::Soon, &component(one).id, statement);
        let isc: Option<Vec<f64>> = beside.iter().map(|s| component(s).si("isc", Dimension::Current)).collect();
        f.evidence.push(match isc {
            Some(isc) => {
                // Into the weakest string, from all the others.
                let sum: f64 = isc.iter().sum();
                let own = beside.iter().zip(&isc).map(|(s, a)| a / strings(s)).fold(f64::INFINITY, f64::min);
                format!(
                    "({} A - {} A) × {} = {} A into one string, which gives {} A itself.",
                    short(sum),
                    short(own),
                    short(ctx.profile.sun.value),
                    short((sum - own) * ctx.profile.sun.value),
                    short(own)
                )
            }
            None => format!("{} strings drive their short-circuit current into one.", short(count - 1.0)),
        });
        f.evidence.push("A device in each string opens it; two strings need none.".to_owned());
        f.components = beside.iter().map(|s| component(s).id.clone()).collect();
        found.push(f);
    }
    found
}
