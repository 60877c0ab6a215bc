//! An inverter behind a device that does not hold its full power.

use super::protection::greatest_into;
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::Kind;
use crate::network::{INFINITE, nominal_system};
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "inverter-device",
    hazard: Hazard::Capacity,
    statement: "The DC device of an inverter holds its full power at the cut-off voltage, or the inverter is used for less on a recorded condition.",
    why: "1500 W at 12 V on 150 A is tight and 3000 W on 350 A is right: a device that opens under load takes the lights with it, and a larger one is then put in without asking the cable.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::Derate],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Overcurrent, "an inverter behind a device that does not hold it")],
    schools: &[],
    example: include_str!("examples/inverter-device.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for c in &ctx.net.consumers {
        let p = &ctx.rig.components[c.component];
        if !matches!(p.kind, Kind::Inverter | Kind::InverterCharger) {
            continue;
        }
        let Some(full_a) = c.current_a else { continue };
        let (amps, held) = greatest_into(ctx, &[c.plus], &[], true, f64::INFINITY);
        if amps >= INFINITE * 0.5 || amps <= 0.0 || amps >= full_a * 0.999 {
            continue;
        }
        // At nominal voltage it may still hold: then it is tight.
        let nominal = p.si("dc", Dimension::Voltage).map_or(12.0, nominal_system);
        let at_nominal = full_a * ctx.profile.cut_off.value;
        let (severity, words) =
            if amps >= at_nominal { (Severity::Advice, "is tight for") } else { (Severity::Soon, "does not hold") };
        let statement =
            format!("{} {words} the full power of {}.", held.join(" and "), ctx.component_words(c.component));
        let mut f = ctx.finding(&RULE, severity, &p.id, statement);
        f.evidence.push(format!("{}.", c.working));
        f.evidence.push(format!("At {} V: {} A. Held by: {}.", short(nominal), short(at_nominal), held.join("; ")));
        f.evidence.push(format!("{} A < {} A.", short(amps), short(full_a)));
        f.components = vec![p.id.clone()];
        found.push(f);
    }
    found
}
