//! A mains switch or breaker that leaves the neutral joined where the profile wants all live conductors opened.

use super::{Certainty, Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role};

pub(super) static RULE: Rule = Rule {
    slug: "pole-missing",
    hazard: Hazard::Isolation,
    statement: "Where the profile wants it, every mains switch and final-circuit device opens all live conductors.",
    why: "Where plugs are not polarised the neutral may be the live one: a single pole then leaves an appliance live that looks dead.",
    source: "the profile's own",
    find,
    is: &[Is::AcrossParts],
    repairs: &[Repair::AllPoles],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Isolation, "a single-pole device where all poles must open")],
    schools: &[],
    example: include_str!("examples/pole-missing.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let Some(limit) = ctx.profile.all_poles.asked() else { return Vec::new() };
    let present = || ctx.rig.components.iter().enumerate().filter(|(_, p)| p.status.present());
    let mains = |component: usize| {
        let own = ctx.net.nodes.iter().filter(|n| n.component == Some(component));
        own.into_iter().any(|n| n.terminal == "in" && n.duty == Role::Line)
    };
    // Something that takes the whole rig off the supply in all poles.
    let whole = present().any(|(_, p)| {
        (p.kind == Kind::Rcd && p.word("poles") != Some("1-pole"))
            || matches!(p.word("poles"), Some("2-pole" | "3-pole"))
            || p.attrs.contains_key("rcd")
    });
    let panel = |p: usize| ctx.rig.components[p].kind == Kind::Panel;
    let one = present().filter(|(i, p)| {
        // A residual-current device without a word of its poles opens all: it has to count them.
        let counted = p.kind == Kind::Rcd && p.word("poles").is_some();
        let switches = counted || matches!(p.kind, Kind::Isolator | Kind::Breaker | Kind::Rcbo);
        ((switches && mains(*i)) || (panel(*i) && !p.ways.is_empty()))
            && matches!(p.word("poles"), None | Some("1-pole"))
    });
    one.map(|(index, p)| {
        let known = p.word("poles").is_some();
        let severity = match (known, whole) {
            // Something ahead takes all poles off: what was not seen is then asked for.
            (false, true) => Severity::Advice,
            (true, true) | (false, false) => Severity::Soon,
            (true, false) => Severity::BeforeUse,
        };
        let which = if panel(index) { "The devices of " } else { "" };
        let verb = if panel(index) { "open" } else { "opens" };
        let statement = if known {
            format!("{which}{} {verb} one pole only.", ctx.component_words(index))
        } else {
            format!("How many poles {}{} {verb} was not seen.", which.to_lowercase(), ctx.component_words(index))
        };
        let mut f = ctx.finding(&RULE, severity, &p.id, statement);
        if known {
            f.evidence.push(format!("The neutral runs through: N stays joined while {} is off.", p.id));
        } else {
            f.certainty = Certainty::Possible;
            f.evidence.push("Possible: with two poles it is right. Write 2-pole or 1-pole once it is seen.".to_owned());
        }
        f.evidence.push(if whole {
            "Another device opens all poles ahead of everything or of a part.".to_owned()
        } else {
            "No device of the rig opens all live conductors.".to_owned()
        });
        f.source = limit.to_owned();
        f.components = vec![p.id.clone()];
        f
    })
    .collect()
}
