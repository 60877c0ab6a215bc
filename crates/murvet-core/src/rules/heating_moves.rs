//! A heating appliance that chooses mains by itself and so moves to the inverter.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, SourceKind};
use crate::test_kinds::TestKind;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "heating-moves",
    hazard: Hazard::ChargerLoop,
    statement: "An appliance that chooses mains by itself hangs where only shore or a generator feeds it.",
    why: "A refrigerator or heater that takes mains whenever there is mains drains the bank by the inverter in a few hours, with nobody doing anything.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::NotByItself],
    without: TRIED,
    proven_by: &[TestKind::Moves],
    faults: &[(Field::Loop, "a heating appliance that moves to the inverter by itself")],
    schools: &[],
    example: include_str!("examples/heating-moves.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for c in net.consumers.iter().filter(|c| c.ac && ctx.rig.components[c.component].kind == Kind::AcLoad) {
        let p = &ctx.rig.components[c.component];
        if !p.flag("chooses-mains") {
            continue;
        }
        let by = |s: &crate::states::State| {
            s.live.sources_at(net, c.plus).find(|i| net.sources[*i].kind == SourceKind::Inverter)
        };
        let Some(state) = ctx.first_state(|s| by(s).is_some()) else { continue };
        let inverter = by(state).map(|i| ctx.component_words(net.sources[i].component)).unwrap_or_default();
        let name = ctx.component_words(c.component);
        let mut f = ctx.finding(
            &RULE,
            Severity::Soon,
            &p.id,
            format!("{name} chooses mains by itself, and {inverter} can feed it."),
        );
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        if let Some(watts) = p.si("power", Dimension::Power) {
            let efficiency = ctx.profile.efficiency.value;
            f.evidence.push(format!(
                "{} W / {} = {} W out of the bank while it heats.",
                short(watts),
                short(efficiency),
                short(watts / efficiency)
            ));
        }
        f.evidence.push("Move it to the shore-only side, or set it to gas or DC by hand.".to_owned());
        f.way = state.way.clone();
        f.components = vec![p.id.clone()];
        found.push(f);
    }
    found
}
