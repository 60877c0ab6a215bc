//! Too much of an array's power lost in its home run.

use super::cable_drop::drop_of;
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::SourceKind;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "array-drop",
    hazard: Hazard::Generation,
    statement: "The home run of an array loses a small part of its power.",
    why: "48 ft of 8 AWG at 18 V loses nearly a fifth of 1 kW: panels are bought for what the cable eats.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::NextSizes],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Generation, "a home run that eats the array's power")],
    schools: &[],
    example: include_str!("examples/array-drop.rig"),
};

/// Voltage at greatest power over open-circuit voltage of a silicon panel, where only the latter is known (common
/// practice, no source).
const AT_POWER: f64 = 0.82;

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for (index, c) in net.consumers.iter().enumerate().filter(|(_, c)| !c.ac) {
        let controller = net.sources.iter().any(|s| s.kind == SourceKind::Controller && s.component == c.component);
        let part = ctx.whole();
        let array =
            net.sources.iter().find(|s| s.kind == SourceKind::Array && controller && part[s.plus] == part[c.plus]);
        let Some(array) = array else { continue };
        let p = &ctx.rig.components[array.component];
        let Some(voc) = p.si("voc", Dimension::Voltage) else { continue };
        let volts = voc * AT_POWER;
        let amps = match (p.si("power", Dimension::Power), p.si("isc", Dimension::Current)) {
            (Some(watts), _) => watts / volts,
            (None, Some(isc)) => isc * 0.94,
            _ => continue,
        };
        let Some(drop) = drop_of(ctx, index, amps) else { continue };
        let share = drop.total_v() / volts;
        let most = ctx.profile.home_run.value;
        if share <= most + 1e-9 {
            continue;
        }
        let statement = format!(
            "{} loses {} V of {} V ({} %) on the way to {} at {} A.",
            ctx.component_words(array.component),
            short(drop.total_v()),
            short(volts),
            short(share * 100.0),
            ctx.component_words(c.component),
            short(amps)
        );
        let mut f = ctx.finding(&RULE, Severity::Advice, &p.id, statement);
        f.evidence.push(format!(
            "Greatest power at {} V × {AT_POWER} = {} V and {} A.",
            short(voc),
            short(volts),
            short(amps)
        ));
        f.evidence.extend(drop.lines(ctx));
        f.wires = drop.through.iter().map(|(w, ..)| net.wires[*w].spot).collect();
        f.evidence.push(format!(
            "{} V / {} V = {} % > {} %.",
            short(drop.total_v()),
            short(volts),
            short(share * 100.0),
            short(most * 100.0)
        ));
        f.components = vec![p.id.clone(), ctx.id(c.component).to_owned()];
        found.push(f);
    }
    found
}
