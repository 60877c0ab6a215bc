//! An array that exceeds its controller on a cold morning.

use super::{Certainty, Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, SourceKind};
use crate::network::Source;
use crate::rig::Component;
use crate::tables::cold_array_factor;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "array-voltage",
    hazard: Hazard::Generation,
    statement: "The open-circuit voltage of an array on the coldest morning stays below what its controller stands.",
    why: "The controller is destroyed on the first bright frosty morning, and what it then lets through reaches the battery.",
    source: "NFPA 70 section 690.7 and table 690.7(A) (recalled)",
    find,
    is: &[],
    repairs: &[Repair::LargerController],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Generation, "an array above its controller on a cold morning")],
    schools: &[],
    example: include_str!("examples/array-voltage.rig"),
};

/// Open-circuit voltage in the cold of an array with those in series below it, V, and how it was found.
pub(super) fn cold_stack(ctx: &Context, source: &Source) -> Option<(f64, String)> {
    let parts: Option<Vec<(f64, String)>> = source.stack().map(|p| cold_volts(ctx, &ctx.rig.components[p])).collect();
    let mut parts = parts?;
    if parts.len() == 1 {
        return parts.pop();
    }
    let how: Vec<&str> = parts.iter().map(|p| p.1.as_str()).collect();
    let volts: f64 = parts.iter().map(|p| p.0).sum();
    Some((volts, format!("in series: {}; together {} V", how.join("; "), short(volts))))
}

/// Open-circuit voltage in the cold, V, and how it was found.
fn cold_volts(ctx: &Context, array: &Component) -> Option<(f64, String)> {
    let voc = array.si("voc", Dimension::Voltage)?;
    let coldest = array.si("coldest", Dimension::Temperature);
    let c = coldest.unwrap_or(ctx.profile.coldest_c.value);
    let factor = cold_array_factor(c);
    let stated = if coldest.is_some() { "" } else { " (not stated, taken as usual)" };
    Some((voc * factor, format!("{} V × {factor} at {c:.0} C{stated} = {} V", short(voc), short(voc * factor))))
}

/// Where a component says how much its array input stands.
fn most_key(kind: Kind) -> &'static str {
    if kind == Kind::DcDc { "pv-most" } else { "voltage" }
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let part = ctx.whole();
    let mut found = Vec::new();
    for s in net.sources.iter().filter(|s| s.kind == SourceKind::Array) {
        let array = &ctx.rig.components[s.component];
        let Some((volts, how)) = cold_stack(ctx, s) else { continue };
        for c in net.sources.iter().filter(|c| c.kind == SourceKind::Controller) {
            let controller = &ctx.rig.components[c.component];
            let meets = c.input.is_some_and(|(plus, _)| part[plus] == part[s.plus]);
            let Some(most) = controller.si(most_key(controller.kind), Dimension::Voltage).filter(|_| meets) else {
                continue;
            };
            if volts <= most * 1.0005 {
                continue;
            }
            let plain: f64 = s.stack().filter_map(|p| ctx.rig.components[p].si("voc", Dimension::Voltage)).sum();
            let statement = format!(
                "{} reaches {} V and {} stands {} V.",
                ctx.component_words(s.component),
                short(volts),
                ctx.component_words(c.component),
                short(most)
            );
            let mut f = ctx.finding(&RULE, Severity::BeforeUse, &array.id, statement);
            let hangs = plain <= most && !array.attrs.contains_key("coldest");
            f.certainty = if hangs { Certainty::Possible } else { Certainty::Certain };
            f.evidence.push(format!("{how}."));
            f.evidence.push(format!("{} V > {} V.", short(volts), short(most)));
            f.components = vec![array.id.clone(), controller.id.clone()];
            found.push(f);
        }
    }
    found
}
