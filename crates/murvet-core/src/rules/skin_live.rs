//! A neutral-earth bond in the rig under a reversed supply.

use super::islands::islands_at;
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, Target};
use crate::catalogue::SourceKind;
use crate::test_kinds::TestKind;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "skin-live",
    hazard: Hazard::Bonding,
    statement: "On no supply, reversed or without earth, does the metal of the rig become live.",
    why: "A bond in the rig joins what the supply makes the hot to the chassis. With an earth the pitch's device may open; without one the whole skin stands at mains voltage against the ground that people stand on.",
    source: "NFPA 70 section 551.54(C); IEC 60364-7-708 and 7-721 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::OpenBond],
    without: TRIED,
    proven_by: &[TestKind::Skin, TestKind::Stray, TestKind::NeutralEarth],
    faults: &[(Field::Bonding, "a bond in the rig under a reversed supply")],
    schools: &[],
    example: include_str!("examples/skin-live.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: BTreeMap<String, Finding> = BTreeMap::new();
    for (index, _) in ctx.mains_states() {
        for island in islands_at(ctx, index) {
            let source = &ctx.net.sources[island.source];
            let supply = ctx.rig.components[source.component].word("supply").unwrap_or_default();
            if source.kind != SourceKind::Shore || !supply.starts_with("reversed") {
                continue;
            }
            let earthless = supply.ends_with("earthless");
            for meeting in island.meetings.iter().filter(|m| !m.own) {
                found.entry(meeting.subject.clone()).or_insert_with(|| {
                    let what = if earthless {
                        "makes the whole skin live, and nothing opens"
                    } else {
                        "joins the live conductor to the chassis"
                    };
                    let statement = format!("On a reversed supply the bond in the rig, {}, {what}.", meeting.words);
                    let mut f = ctx.finding(&RULE, Severity::KeepOff, &meeting.subject, statement);
                    f.evidence.push(format!("State: {}.", ctx.state_words(island.state)));
                    f.evidence.push(format!(
                        "Reversed, the supply's hot arrives on the rig's neutral, which meets earth {}.",
                        meeting.words
                    ));
                    f.evidence.push(if earthless {
                        "Without an earth in the cord no fault current flows: neither a breaker nor an RCD opens."
                            .to_owned()
                    } else {
                        "A dead short through the earth conductor, until the device at the pitch opens.".to_owned()
                    });
                    f.way = island.state.way.clone();
                    f.components = meeting.component.map(|p| ctx.id(p).to_owned()).into_iter().collect();
                    f.target = meeting.component.map_or(Target::Other, |p| Target::Bond(ctx.id(p).to_owned()));
                    f
                });
            }
        }
    }
    found.into_values().collect()
}
