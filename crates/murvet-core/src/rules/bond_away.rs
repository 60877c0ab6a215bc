//! A second place where neutral meets earth, away from the source.

use super::islands::meeting_lines;
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, Target};
use crate::catalogue::Kind;
use crate::test_kinds::TestKind;
use std::collections::{BTreeMap, BTreeSet};

pub(super) static RULE: Rule = Rule {
    slug: "bond-away",
    hazard: Hazard::Bonding,
    statement: "While a source has its own neutral-earth bond, neutral meets earth nowhere else in the rig.",
    why: "Neutral current then returns through earth and chassis, an RCD ahead of it trips or is defeated, and a lost neutral or a reversed supply makes the whole skin live.",
    source: "NFPA 70 section 551.54(C), neutral insulated from enclosure; IEC 60364-7-721 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::OpenBond, Repair::LandAlike],
    without: TRIED,
    proven_by: &[TestKind::NeutralEarth, TestKind::Stray],
    faults: &[
        (Field::Bonding, "joined in the rig while a supply has its own bond"),
        (Field::Bonding, "cores swapped at a terminal"),
    ],
    schools: &[],
    example: include_str!("examples/bond-away.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: BTreeMap<String, Finding> = BTreeMap::new();
    let mut told: BTreeSet<(String, String)> = BTreeSet::new();
    for island in ctx.islands() {
        let source = &ctx.net.sources[island.source];
        if !island.meetings.iter().any(|m| m.own) {
            continue;
        }
        for meeting in island.meetings.iter().filter(|m| !m.own) {
            // The bond of another source whose line is tied in as well: that is backfeed, and reported so.
            let tied = meeting.component.is_some_and(|p| {
                ctx.rig.components[p].kind != Kind::InverterCharger
                    && ctx.net.sources.iter().any(|s| {
                        s.component == p
                            && s.kind.is_ac()
                            && island.state.live.part[s.plus] == island.state.live.part[source.plus]
                    })
            });
            if tied {
                continue;
            }
            // The supply's own bond is where it belongs: what is away then is the bond in the rig, which
            // reaches the supply through a neutral that stays joined.
            let at_supply = meeting.component.is_some_and(|p| ctx.rig.components[p].kind == Kind::Inlet);
            let own = island.meetings.iter().find(|m| m.own);
            let meeting = own.filter(|_| at_supply).unwrap_or(meeting);
            let line = format!(
                "fed by {}, neutral meets earth {}.",
                ctx.component_words(source.component),
                meeting_lines(island)
            );
            let f = found.entry(meeting.subject.clone()).or_insert_with(|| {
                let statement = format!(
                    "Neutral meets earth at a second place while {} feeds the rig: {}.",
                    ctx.component_words(source.component),
                    meeting.words
                );
                let mut f = ctx.finding(&RULE, Severity::KeepOff, &meeting.subject, statement);
                f.way = island.state.way.clone();
                f.components = meeting.component.map(|p| ctx.id(p).to_owned()).into_iter().collect();
                f.target = match meeting.component {
                    Some(p) => Target::Bond(ctx.id(p).to_owned()),
                    None => Target::Other,
                };
                f.evidence.push("Places where neutral meets earth, in each state in which the source has a bond of its own; one is right:".to_owned());
                f
            });
            // The same place once, whatever the state.
            if told.insert((meeting.subject.clone(), line.clone())) {
                f.evidence.push(format!("{}: {line}", ctx.state_words(island.state)));
            }
        }
    }
    found.into_values().collect()
}
