//! A residual-current device that does not see the current of the faults behind it.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::{Kind, Role};

pub(super) static RULE: Rule = Rule {
    slug: "rcd-type",
    hazard: Hazard::Bonding,
    statement: "A residual-current device sees every kind of residual current that its circuit can have.",
    why: "A charger or an inverter leaks pulsating or smooth direct current; a device that is made for sine alone is blinded by it and never opens, though its button works.",
    source: "IEC 62423, IEC 60364-5-53 section 531.3.3 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::BetterRcd],
    without: "Another device or appliance is bought by its marking, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Bonding, "a residual-current device that its circuit blinds")],
    schools: &[],
    example: include_str!("examples/rcd-type.rig"),
};

/// Converters without isolation whose mains terminals hang on the same conductors as a component.
fn bare_converters(ctx: &Context, component: usize) -> Vec<usize> {
    let (net, whole) = (ctx.net, ctx.whole());
    let lines = |p: usize| {
        let own = net.nodes.iter().enumerate().filter(move |(_, n)| n.component == Some(p) && n.duty == Role::Line);
        own.map(|(n, _)| whole[n]).collect::<Vec<u32>>()
    };
    let here = lines(component);
    let converts = |p: &usize| {
        let p = &ctx.rig.components[*p];
        matches!(p.kind, Kind::Inverter | Kind::InverterCharger) && p.word("isolation") == Some("not-isolated")
    };
    let all = (0..ctx.rig.components.len()).filter(|p| ctx.rig.components[*p].status.present()).filter(converts);
    all.filter(|p| lines(*p).iter().any(|l| here.contains(l))).collect()
}

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for (index, p) in ctx.rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let Some(word) = p.word("rcd-type") else { continue };
        let bare = bare_converters(ctx, index);
        let (name, blind) = (ctx.component_words(index), "smooth direct current from");
        let (statement, source) = match (word, ctx.profile.refuses_type_ac.asked()) {
            ("type-b", _) => continue,
            (_, Some(_)) if !bare.is_empty() => {
                let names: Vec<&str> = bare.iter().map(|p| ctx.id(*p)).collect();
                (format!("{name} does not see {blind} {}, which is not isolated.", names.join(", ")), RULE.source)
            }
            ("type-ac", Some(source)) => (format!("{name} is of type AC and sees sine currents alone."), source),
            _ => continue,
        };
        let mut f = ctx.finding(&RULE, Severity::Soon, &p.id, statement);
        f.evidence.push(format!("Marked {word}."));
        f.evidence.push(if bare.is_empty() {
            "Nearly everything plugged in has a rectifier: type A or better.".to_owned()
        } else {
            "Type B, or a converter that isolates its mains side from its battery side.".to_owned()
        });
        f.source = source.to_owned();
        f.components = std::iter::once(index).chain(bare).map(|p| ctx.id(p).to_owned()).collect();
        found.push(f);
    }
    found
}
