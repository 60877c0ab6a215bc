//! A device rated below the highest voltage that stands on it.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{EdgeKind, charge_volts};
use crate::rules::array_voltage::cold_stack;
use crate::rules::charge_voltage::highest_of_stack;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "device-voltage",
    hazard: Hazard::Overcurrent,
    statement: "A device on DC is rated for the highest voltage that its bank is charged to, or that its array reaches in the cold.",
    why: "Above its rated voltage a device does not put the arc out that it draws: it burns on after it has opened. A bank called 48 V is charged to 58 V and more.",
    source: "NFPA 70 sections 110.3(B) and 240.60; IEC 60947-2 (recalled); ISO 8820-3, blade fuses 32 V (recalled)",
    find,
    is: &[],
    repairs: &[Repair::AnotherDevice],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Overcurrent, "a device below the voltage that stands on it")],
    schools: &[],
    example: include_str!("examples/device-voltage.rig"),
};

/// Rated DC voltage by construction, V (makers' usual figures, common practice, no source).
const BY_CLASS: [(&str, f64); 6] = [
    ("blade", 32.0),
    ("large-blade", 32.0),
    ("bolt-down", 32.0),
    ("terminal", 58.0),
    ("class-t", 125.0),
    ("glass", 32.0),
];

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let part = ctx.whole();
    let mut found: Vec<Finding> = Vec::new();
    for edge in &net.edges {
        let EdgeKind::Device { component, way: None, .. } = &edge.what else { continue };
        let p = &ctx.rig.components[*component];
        let positive = [edge.a, edge.b].iter().all(|n| matches!(net.nodes[*n].duty, Role::Plus | Role::Any));
        if !matches!(p.kind, Kind::Fuse | Kind::Breaker) || !positive || found.iter().any(|f| f.subject == p.id) {
            continue;
        }
        let class = p.word("class").and_then(|c| BY_CLASS.iter().find(|(k, _)| *k == c));
        let Some((rated, from)) = p
            .si("rated", Dimension::Voltage)
            .map(|v| (v, "as marked on it".to_owned()))
            .or_else(|| class.map(|(c, v)| (*v, format!("{c}, usual rating"))))
        else {
            continue;
        };
        let here = |n: usize| part[n] == part[edge.a];
        let highest = net.sources.iter().filter(|s| here(s.plus)).filter_map(|s| {
            let source = &ctx.rig.components[s.component];
            match s.kind {
                SourceKind::Battery => {
                    highest_of_stack(ctx, s).map(|(v, how)| (v, format!("{}: {how}", ctx.component_words(s.component))))
                }
                SourceKind::Array => {
                    cold_stack(ctx, s).map(|(v, how)| (v, format!("{}: {how}", ctx.component_words(s.component))))
                }
                // A charger set higher than its battery may have drives what stands on the same bars just as high.
                kind if kind.is_set() => charge_volts(source)
                    .map(|v| (v, format!("{} charges to {} V", ctx.component_words(s.component), short(v)))),
                _ => None,
            }
        });
        let Some((volts, how)) = highest.max_by(|a, b| a.0.total_cmp(&b.0)) else { continue };
        if volts <= rated * 1.001 {
            continue;
        }
        let statement = format!(
            "{} is rated {} V, and {} V stand on it.",
            ctx.component_words(*component),
            short(rated),
            short(volts)
        );
        let mut f = ctx.finding(&RULE, Severity::BeforeUse, &p.id, statement);
        f.evidence.push(format!("{how}."));
        f.evidence.push(format!("{} V > {} V ({from}).", short(volts), short(rated)));
        f.components = vec![p.id.clone()];
        found.push(f);
    }
    found
}
