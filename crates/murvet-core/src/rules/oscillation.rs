//! Automatic changeovers that never come to rest.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};

pub(super) static RULE: Rule = Rule {
    slug: "transfer-oscillates",
    hazard: Hazard::Backfeed,
    statement: "Automatic changeovers come to rest in every setting of the controls.",
    why: "A relay that feeds its own coil, or cuts it, chatters until its contacts weld, and welded contacts join two sources.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::CableOut],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Backfeed, "a transfer that never comes to rest")],
    schools: &[],
    example: include_str!("examples/transfer-oscillates.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    ctx.states
        .oscillations
        .iter()
        .map(|o| {
            let names: Vec<String> = o.components.iter().map(|p| ctx.component_words(*p)).collect();
            let ids: Vec<&str> = o.components.iter().map(|p| ctx.id(*p)).collect();
            let statement =
                format!("{} never comes to rest: each move takes away what caused it.", names.join(" and "));
            let mut f = ctx.finding(&RULE, Severity::BeforeUse, &ids.join("+"), statement);
            f.evidence.push("From this setting no order of moves ends in a state that wants to stay.".to_owned());
            f.way = o.way.clone();
            f.components = ids.iter().map(|s| (*s).to_owned()).collect();
            f
        })
        .collect()
}
