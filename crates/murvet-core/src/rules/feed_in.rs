//! An inverter-charger that may feed the supply, or whose outputs are joined.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::{Kind, SourceKind};

pub(super) static RULE: Rule = Rule {
    slug: "feed-in",
    hazard: Hazard::Backfeed,
    statement: "No inverter-charger feeds energy back into the supply, and its shore-only output is never fed by its inverter.",
    why: "A pitch is no place to export to: its meter, its device and its keeper do not expect it, and two outputs joined put one against the other.",
    source: "NFPA 70 section 551.31; IEC 60364-5-55 section 551.7 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::FeedInOff],
    without: "The conductor or setting at fault is found by measuring, then the trace is put right.",
    proven_by: &[],
    faults: &[(Field::Backfeed, "feed-in enabled by a setting, or two outputs of one unit joined")],
    schools: &[],
    example: include_str!("examples/feed-in.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for component in ctx.components(Kind::InverterCharger) {
        let p = &ctx.rig.components[component];
        let name = ctx.component_words(component);
        if p.flag("feed-in") {
            let mut f =
                ctx.finding(&RULE, Severity::BeforeUse, &p.id, format!("{name} is set to feed back into the supply."));
            f.evidence.push("As found in its settings.".to_owned());
            f.evidence
                .push("Repair: switch the setting off; it needs no tools but its display or its lead.".to_owned());
            f.components = vec![p.id.clone()];
            found.push(f);
        }
        let Some(aux) = net.node(component, "aux.L") else { continue };
        let Some(own) = net.sources.iter().position(|s| s.component == component && s.kind == SourceKind::Inverter)
        else {
            continue;
        };
        let joined =
            |s: &crate::states::State| s.live.active[own] && s.live.part[aux] == s.live.part[net.sources[own].plus];
        let Some(state) = ctx.first_state(joined) else { continue };
        let mut f = ctx.finding(
            &RULE,
            Severity::KeepOff,
            &format!("{}.aux", p.id),
            format!("The two outputs of {name} are joined."),
        );
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push("While it inverts, its shore-only output is live from its backed one.".to_owned());
        f.way = state.way.clone();
        f.components = vec![p.id.clone()];
        found.push(f);
    }
    found
}
