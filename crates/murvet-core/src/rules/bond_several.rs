//! A source without a bond of its own whose neutral meets earth at several places.

use super::islands::meeting_lines;
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, Target};
use crate::test_kinds::TestKind;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "bond-several",
    hazard: Hazard::Bonding,
    statement: "Neutral meets earth once in each state.",
    why: "Between two bonds the neutral current divides over earth and chassis, and an RCD between them does not see what it should.",
    source: "NFPA 70 section 250.30(A)(1); IEC 60364-5-54 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::OpenBond],
    without: TRIED,
    proven_by: &[TestKind::Stray, TestKind::NeutralEarth],
    faults: &[(Field::Bonding, "joined at several places")],
    schools: &[],
    example: include_str!("examples/bond-several.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: BTreeMap<String, Finding> = BTreeMap::new();
    for island in ctx.islands() {
        if island.meetings.len() < 2 || island.meetings.iter().any(|m| m.own) {
            continue;
        }
        let subject: Vec<&str> = island.meetings.iter().map(|m| m.subject.as_str()).collect();
        let subject = subject.join("+");
        found.entry(subject.clone()).or_insert_with(|| {
            let source = ctx.component_words(ctx.net.sources[island.source].component);
            let statement =
                format!("While {source} is the source, neutral meets earth at {} places.", island.meetings.len());
            let mut f = ctx.finding(&RULE, Severity::BeforeUse, &subject, statement);
            f.evidence.push(format!("{}: {}.", ctx.state_words(island.state), meeting_lines(island)));
            f.way = island.state.way.clone();
            f.components = island.meetings.iter().filter_map(|m| m.component).map(|p| ctx.id(p).to_owned()).collect();
            if let Some(last) = f.components.last() {
                f.target = Target::Bond(last.clone());
            }
            f
        });
    }
    found.into_values().collect()
}
