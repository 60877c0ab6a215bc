//! A source in the rig with no neutral-earth bond.

use super::islands::{Separation, fed, separation};
use super::{Certainty, Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, Target};
use crate::catalogue::SourceKind;
use crate::test_kinds::TestKind;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "bond-missing",
    hazard: Hazard::Bonding,
    statement: "A source in the rig that feeds more than one outlet or appliance has its neutral joined to earth once.",
    why: "Without the bond a fault to a case has no path back: no device opens and no RCD trips on earth leakage, though its button works.",
    source: "NFPA 70 sections 250.30 and 551.30; IEC 60364-4-41 section 411 (recalled). One appliance on a floating source is electrical separation, IEC 60364-4-41 section 413 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::CloseBond],
    without: TRIED,
    proven_by: &[TestKind::OutletNe],
    faults: &[(Field::Bonding, "not joined while the rig is its own source")],
    schools: &["floating-inverter"],
    example: include_str!("examples/bond-missing.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: BTreeMap<usize, Finding> = BTreeMap::new();
    for island in ctx.islands() {
        let source = &ctx.net.sources[island.source];
        if source.kind == SourceKind::Shore || !island.meetings.is_empty() {
            continue;
        }
        let components = fed(ctx, island.state, island.source);
        let separation = separation(ctx, island);
        if separation == Separation::Holds {
            continue;
        }
        let unseen = separation == Separation::Unseen;
        // What is certain in one state stands before what is possible in another.
        if !unseen && found.get(&source.component).is_some_and(|f| f.certainty == Certainty::Possible) {
            found.remove(&source.component);
        }
        found.entry(source.component).or_insert_with(|| {
            let mut names: Vec<&str> = components.iter().map(|p| ctx.id(*p)).collect();
            if names.is_empty() {
                names.push("units that charge from it");
            }
            let name = ctx.component_words(source.component);
            let statement = format!("While {name} is the source, neutral meets earth nowhere; it feeds {}.", names.join(", "));
            let mut f = ctx.finding(&RULE, Severity::BeforeUse, ctx.id(source.component), statement);
            f.evidence.push(format!("State: {}.", ctx.state_words(island.state)));
            f.evidence.push(format!("Fault from line to a case: line of {name}, case, earth conductor, and no path from earth to its neutral: the current is 0 A, nothing opens."));
            f.evidence.push(match separation {
                Separation::Not(why) => format!("Not excused: {why}."),
                _ => "Excused only if its output is isolated from the battery, which was not seen.".to_owned(),
            });
            f.certainty = if unseen { Certainty::Possible } else { Certainty::Certain };
            f.way = island.state.way.clone();
            f.components = vec![ctx.id(source.component).to_owned()];
            f.target = Target::Source(ctx.id(source.component).to_owned());
            f
        });
    }
    found.into_values().collect()
}
