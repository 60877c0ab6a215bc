//! A charger set for another battery.

use super::{Certainty, Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::SourceKind;
use crate::network::{Source, battery_volts, charge_volts, full_volts};
use crate::rig::Component;
use crate::tables::table;
use crate::units::{Dimension, short};
use std::collections::BTreeSet;

pub(super) static RULE: Rule = Rule {
    slug: "charge-voltage",
    hazard: Hazard::Battery,
    statement: "A charger's voltage lies within what the battery it charges may have and needs.",
    why: "Above it a lithium management unit opens under charge and lead-acid boils; below it the bank is never full, and lead-acid sulphates.",
    source: "the battery maker's figures; chemistry defaults where these are unseen: common practice, no source",
    find,
    is: &[Is::MakersFigures],
    repairs: &[Repair::SetCharger],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Battery, "a charger set for another battery")],
    schools: &["lithium-float"],
    example: include_str!("examples/charge-voltage.rig"),
};

/// Highest charge voltage of one cell of a chemistry, V: makers' usual figures, common practice, no source.
const CELL_V: [(&str, f64); 5] =
    [("flooded", 2.48), ("agm", 2.46), ("gel", 2.4), ("lifepo4", 3.65), ("nickel-lithium", 4.2)];

/// Highest charge voltage of a battery with those in series below it, V, and how it was found.
pub(crate) fn highest_of_stack(ctx: &Context, bank: &Source) -> Option<(f64, String)> {
    let parts: Option<Vec<(f64, String)>> = bank.stack().map(|p| highest_charge(&ctx.rig.components[p])).collect();
    let mut parts = parts?;
    if parts.len() == 1 {
        return parts.pop();
    }
    let how: Vec<&str> = parts.iter().map(|p| p.1.as_str()).collect();
    Some((parts.iter().map(|p| p.0).sum(), format!("in series: {}", how.join("; "))))
}

/// Highest charge voltage of a bank, V, and how it was found.
fn highest_charge(p: &Component) -> Option<(f64, String)> {
    let (count, _) = p.series_and_parallel();
    if let Some(v) = p.si("absorption", Dimension::Voltage) {
        return Some((v * count, format!("{} V × {} in series, the maker's figure", short(v), short(count))));
    }
    let chemistry = p.word("chemistry")?;
    let cell = CELL_V.iter().find(|(c, _)| *c == chemistry).map(|(_, v)| *v);
    if let (Some(cells), Some(cell)) = (p.si("cells", Dimension::Count), cell) {
        let volts = cells * count * cell;
        return Some((
            volts,
            format!("{} cells × {cell} V, usual for its chemistry, = {} V", short(cells * count), short(volts)),
        ));
    }
    let factor = table("charge-volts").get(chemistry, 0)?;
    let volts = battery_volts(p);
    Some((
        volts * factor,
        format!("{} V × {factor}, usual for its chemistry, = {} V", short(volts), short(volts * factor)),
    ))
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: Vec<Finding> = Vec::new();
    // Chargers with a voltage of their own.
    let set = net.sources.iter().enumerate().filter_map(|(i, s)| {
        let component = &ctx.rig.components[s.component];
        let fits = s.kind.is_set();
        Some((i, s, component, charge_volts(component).filter(|_| fits)?))
    });
    let set: Vec<_> = set.collect();
    let mut judged: BTreeSet<(usize, usize)> = BTreeSet::new();
    for (_, state) in ctx.conversion_states() {
        for &(i, s, charger, volts) in set.iter().filter(|(i, ..)| state.live.active[*i]) {
            for b in net.sources.iter().filter(|b| b.kind == SourceKind::Battery) {
                let own = state.live.part[b.plus] == state.live.part[net.sources[i].plus];
                let battery = &ctx.rig.components[b.component];
                if !own || battery.flag("starter") || !judged.insert((s.component, b.component)) {
                    continue;
                }
                let subject = format!("{}>{}", charger.id, battery.id);
                let Some((highest, how)) = highest_of_stack(ctx, b) else { continue };
                let stated = b.stack().all(|p| ctx.rig.components[p].attrs.contains_key("absorption"));
                let lowest =
                    battery.word("chemistry").and_then(|c| table("charge-volts").get(c, 1)).unwrap_or(0.0) * b.volts;
                let names = (ctx.component_words(s.component), ctx.component_words(b.component));
                // A tenth of a volt in a 12 V system is within any display.
                let slack = ctx.profile.charge_slack.value * b.volts;
                let (severity, words, line) = if volts > highest + slack {
                    (
                        Severity::BeforeUse,
                        "more than it may have",
                        format!("{} V > {} V ({how}).", short(volts), short(highest)),
                    )
                } else if volts < lowest - slack {
                    (
                        Severity::Advice,
                        "too little to fill it",
                        format!("{} V < {} V, usual for its chemistry.", short(volts), short(lowest)),
                    )
                } else if let Some(f) = floats(ctx, s.component, b, highest) {
                    found.push(f);
                    continue;
                } else {
                    continue;
                };
                let statement = format!("{} charges {} at {} V, {words}.", names.0, names.1, short(volts));
                let mut f = ctx.finding(&RULE, severity, &subject, statement);
                // Chemistry defaults stand in for the maker's figures, so the finding hangs on them.
                f.certainty = if stated { Certainty::Certain } else { Certainty::Possible };
                f.evidence.push(line);
                f.evidence.push(format!("State: {}.", ctx.state_words(state)));
                f.way = state.way.clone();
                f.components = vec![charger.id.clone(), battery.id.clone()];
                found.push(f);
            }
        }
    }
    found
}

/// A charger that holds a full bank at too high a voltage.
fn floats(ctx: &Context, charger: usize, bank: &Source, highest: f64) -> Option<Finding> {
    let battery = bank.component;
    let (c, b) = (&ctx.rig.components[charger], &ctx.rig.components[battery]);
    let float = c.si("float", Dimension::Voltage)?;
    let lithium = matches!(b.word("chemistry"), Some("lifepo4" | "nickel-lithium"));
    let slack = ctx.profile.charge_slack.value * bank.volts;
    let rest: f64 = bank.stack().map(|p| full_volts(&ctx.rig.components[p])).sum();
    let (severity, line) = if float > highest + slack {
        (Severity::BeforeUse, format!("{} V > {} V, the highest it may be charged to.", short(float), short(highest)))
    } else if lithium && !ctx.profile.answers.lithium_float && float > rest + slack {
        (
            Severity::Soon,
            format!("{} V > {} V at rest: a full lithium bank is kept charging.", short(float), short(rest)),
        )
    } else {
        return None;
    };
    let statement =
        format!("{} floats {} at {} V.", ctx.component_words(charger), ctx.component_words(battery), short(float));
    let mut f = ctx.finding(&RULE, severity, &format!("{}>{}", c.id, b.id), statement);
    f.certainty = if b.attrs.contains_key("absorption") { Certainty::Certain } else { Certainty::Possible };
    f.evidence.push(line);
    f.evidence.push("The maker's own figure for the float governs where there is one.".to_owned());
    f.components = vec![c.id.clone(), b.id.clone()];
    Some(f)
}
