//! The two hots of one supply joined.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::rig::Core;

pub(super) static RULE: Rule = Rule {
    slug: "legs-joined",
    hazard: Hazard::Backfeed,
    statement: "The two hots of a supply whose voltages are opposite never meet.",
    why: "Between them stands twice the voltage: the first closing of a breaker is a dead short, and where a thin jumper takes it, a fire.",
    source: "NFPA 70 section 551.40; common practice for adapters, no source",
    find,
    is: &[],
    repairs: &[Repair::LandHots, Repair::HotsApart],
    without: "The conductor or setting at fault is found by measuring, then the trace is put right.",
    proven_by: &[],
    faults: &[(Field::Bonding, "the two hots of one supply joined")],
    schools: &[],
    example: include_str!("examples/legs-joined.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: Vec<Finding> = Vec::new();
    for (first, second) in net.opposite_hots() {
        let s = &net.sources[second];
        let joined = |st: &crate::states::State| {
            st.live.active[first]
                && st.live.active[second]
                && st.live.part[net.sources[first].plus] == st.live.part[s.plus]
        };
        let Some(state) = ctx.first_state(joined) else { continue };
        let statement = format!("The two hots of {} are joined.", ctx.component_words(s.component));
        let mut f = ctx.finding(&RULE, Severity::KeepOff, ctx.id(s.component), statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push(format!(
            "{} and {} hang together, and {} V stand between them.",
            net.nodes[net.sources[first].plus].name,
            net.nodes[s.plus].name,
            crate::units::short(2.0 * s.volts)
        ));
        let hot = |c: Core| matches!(c, Core::L | Core::L2);
        let swapped = ctx.rig.cables.iter().filter(|c| c.status.present());
        for cable in
            swapped.filter(|c| c.map.iter().any(|l| hot(l.from) && l.to.is_some_and(|t| hot(t) && t != l.from)))
        {
            f.evidence.push(format!("Cable {} lands a hot on the terminal of the other.", cable.id));
        }
        f.way = state.way.clone();
        f.components = vec![ctx.id(s.component).to_owned()];
        found.push(f);
    }
    found
}
