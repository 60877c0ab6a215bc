//! Array conductors too small for continuous sun.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Role, SourceKind};
use crate::network::{EdgeKind, Source};
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "array-current",
    hazard: Hazard::Generation,
    statement: "Conductors of an array carry its short-circuit current × 1.25 × 1.25.",
    why: "Sun at the edge of a cloud exceeds the rating, and it lasts for hours: both allowances are wanted.",
    source: "NFPA 70 section 690.8 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::ArraySize],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Cable, "array cable too thin for continuous sun")],
    schools: &["small-sizes"],
    example: include_str!("examples/array-current.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    if !ctx.profile.array_continuous.value {
        return Vec::new();
    }
    let net = ctx.net;
    let part = ctx.whole();
    let arrays: Vec<_> = net.sources.iter().filter(|s| s.kind == SourceKind::Array && s.limit_a > 0.0).collect();
    let mut found = Vec::new();
    for e in &net.edges {
        let EdgeKind::Wire(w) = e.what else { continue };
        let at = |s: &Source| {
            let mut posts = s.stack().flat_map(|p| ["+", "-"].map(|t| net.node(p, t)));
            posts.any(|n| n.is_some_and(|n| part[n] == part[e.a]))
        };
        let here: Vec<&Source> = arrays.iter().copied().filter(|s| at(s)).collect();
        if here.is_empty() || !matches!(net.nodes[e.a].duty, Role::Plus | Role::Any) {
            continue;
        }
        // With the conductor taken away those on the side of the controller give nothing through it.
        let cut = ctx.joined(|k| !std::ptr::eq(k, e) && !matches!(k.what, EdgeKind::Bond { .. }));
        let of = |end: usize| here.iter().filter(|s| cut[s.plus] == cut[end]).copied().collect::<Vec<_>>();
        let taking = |end: usize| {
            net.sources
                .iter()
                .any(|c| c.kind == SourceKind::Controller && c.input.is_some_and(|i| cut[i.0] == cut[end]))
        };
        let feeding = match (taking(e.a), taking(e.b)) {
            (true, false) => of(e.b),
            (false, true) => of(e.a),
            // Between two of a string, or one of several ways.
            _ => here,
        };
        let isc: Vec<(f64, &str)> = feeding
            .iter()
            .filter_map(|s| Some((ctx.rig.components[s.component].si("isc", Dimension::Current)?, ctx.id(s.component))))
            .collect();
        let sum: f64 = isc.iter().map(|i| i.0).sum();
        let amps = sum * ctx.profile.sun.value * ctx.profile.continuous.value;
        let amp = ctx.ampacity(w);
        if amps <= amp.device_a * (1.0 + 1e-6) {
            continue;
        }
        let names: Vec<&str> = isc.iter().map(|i| i.1).collect();
        let statement = format!(
            "{} may carry {} A, and solar array {} asks for {} A.",
            ctx.wire_words(w),
            short(amp.device_a),
            names.join(" with "),
            short(amps)
        );
        let mut f = ctx.finding(&RULE, Severity::Soon, &net.wires[w].key, statement);
        f.evidence.push(format!(
            "{} A × {} × {} = {} A.",
            short(sum),
            short(ctx.profile.sun.value),
            short(ctx.profile.continuous.value),
            short(amps)
        ));
        f.evidence.push(format!("Ampacity: {}.", amp.steps.join("; ")));
        f.source = format!("{}; ampacity: {}", RULE.source, amp.source);
        f.wires = vec![net.wires[w].spot];
        f.components = names.iter().map(|n| (*n).to_owned()).collect();
        found.push(f);
    }
    found
}
