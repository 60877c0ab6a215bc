//! Panels that do not suit each other.

use super::{Context, Field, Finding, Hazard, Rule, Severity};
use crate::catalogue::SourceKind;
use crate::network::Source;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "array-unlike",
    hazard: Hazard::Generation,
    statement: "Panels in series are of like current, and strings beside each other of like voltage.",
    why: "The weakest of a string lets no more through than it has itself; beside each other the string of more volts is pulled down, or drives current back into the other.",
    source: "IEC 62548 section 7 (recalled); how much counts as unlike: common practice, no source",
    find,
    is: &[],
    repairs: &[],
    without: "Which panels, fuses or controller fit is chosen from the makers' sheets, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Generation, "unlike panels in one string, or strings of unlike voltage beside each other")],
    schools: &[],
    example: include_str!("examples/array-unlike.rig"),
};

/// Currents in a string that differ by more are unlike.
const CURRENT_SHARE: f64 = 0.1;
/// Voltages beside each other that differ by more are unlike.
const VOLTAGE_SHARE: f64 = 0.05;

fn find(ctx: &Context) -> Vec<Finding> {
    let arrays: Vec<&Source> = ctx.net.sources.iter().filter(|s| s.kind == SourceKind::Array).collect();
    let lower: Vec<usize> = arrays.iter().flat_map(|s| s.below.iter().copied()).collect();
    let tops: Vec<&Source> = arrays.into_iter().filter(|s| !lower.contains(&s.component)).collect();
    let mut found: Vec<Finding> = tops.iter().filter_map(|top| in_series(ctx, top)).collect();
    let part = ctx.whole();
    for (n, a) in tops.iter().enumerate() {
        let beside = tops.iter().skip(n + 1).filter(|b| part[a.plus] == part[b.plus] && part[a.minus] == part[b.minus]);
        found.extend(beside.filter_map(|b| side_by_side(ctx, a, b)));
    }
    found
}

/// The least and the greatest, with the component of each, where they are further apart than a share of the greatest.
fn apart(mut list: Vec<(f64, usize)>, share: f64) -> Option<((f64, usize), (f64, usize))> {
    list.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (least, most) = (*list.first()?, *list.last()?);
    (least.0 < most.0 * (1.0 - share)).then_some((least, most))
}

fn in_series(ctx: &Context, top: &Source) -> Option<Finding> {
    let amps = top.stack().filter_map(|p| Some((ctx.rig.components[p].si("isc", Dimension::Current)?, p)));
    let (least, most) = apart(amps.collect(), CURRENT_SHARE)?;
    let statement = format!(
        "In series {} of {} A lets {} of {} A give no more than itself.",
        ctx.component_words(least.1),
        short(least.0),
        ctx.component_words(most.1),
        short(most.0)
    );
    Some(told(ctx, least.1, most.1, statement, format!("{} A < {} A.", short(least.0), short(most.0))))
}

fn side_by_side(ctx: &Context, a: &Source, b: &Source) -> Option<Finding> {
    let volts =
        |s: &Source| -> Option<f64> { s.stack().map(|p| ctx.rig.components[p].si("voc", Dimension::Voltage)).sum() };
    let list = [a, b].into_iter().filter_map(|s| Some((volts(s)?, s.component)));
    let (least, most) = apart(list.collect(), VOLTAGE_SHARE)?;
    let statement = format!(
        "Beside each other stand {} of {} V and {} of {} V.",
        ctx.component_words(least.1),
        short(least.0),
        ctx.component_words(most.1),
        short(most.0)
    );
    let mut f = told(ctx, least.1, most.1, statement, format!("{} V < {} V.", short(least.0), short(most.0)));
    f.evidence.push("Each of them on a controller of its own gives all it can.".to_owned());
    Some(f)
}

fn told(ctx: &Context, least: usize, most: usize, statement: String, line: String) -> Finding {
    let mut names = [ctx.id(least).to_owned(), ctx.id(most).to_owned()];
    names.sort();
    let mut f = ctx.finding(&RULE, Severity::Advice, &names.join(">"), statement);
    f.evidence.push(line);
    f.components = names.to_vec();
    f
}
