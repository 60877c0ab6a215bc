//! A bond on an inverter whose output is not isolated from its input.

use super::{Certainty, Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, Target};
use crate::catalogue::Kind;

pub(super) static RULE: Rule = Rule {
    slug: "bond-not-isolated",
    hazard: Hazard::Bonding,
    statement: "The neutral of an inverter that is not isolated is not joined to earth.",
    why: "Its output hangs on the battery through its own electronics: the bond puts mains voltage on the battery negative and the chassis, or destroys the inverter.",
    source: "common practice, no source; the maker's manual governs",
    find,
    is: &[Is::BondUnproven],
    repairs: &[Repair::OpenBond],
    without: "It is rewired or another unit is bought, by its maker's instructions; then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Bonding, "a bond on an inverter that is not isolated")],
    schools: &[],
    example: include_str!("examples/bond-not-isolated.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: Vec<Finding> = Vec::new();
    for (index, p) in ctx.rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        if !matches!(p.kind, Kind::Inverter | Kind::InverterCharger) || p.word("isolation") == Some("isolated") {
            continue;
        }
        let known = p.word("isolation").is_some();
        let inside = p.word("bond").filter(|b| *b != "bond-none");
        // A bond anywhere in the rig that its neutral reaches while it is the source.
        let reached = ctx.islands().iter().find_map(|i| {
            let own = ctx.net.sources[i.source].component == index;
            let away = i.meetings.iter().find(|m| !m.own)?;
            own.then_some((i.state, away))
        });
        // What the neutral of an unread inverter meets inside itself its maker answers for.
        if inside.filter(|_| known).is_none() && reached.is_none() {
            continue;
        }
        let isolated = if known { "is not isolated" } else { "is not known to be isolated" };
        let statement = match &reached {
            Some((_, m)) => {
                format!("{} {isolated}, and its neutral meets earth: {}.", ctx.component_words(index), m.words)
            }
            None => format!("{} {isolated} and has a neutral-earth bond.", ctx.component_words(index)),
        };
        let mut f = ctx.finding(&RULE, if known { Severity::KeepOff } else { Severity::BeforeUse }, &p.id, statement);
        f.evidence.push(format!(
            "As traced: {}, {}.",
            inside.unwrap_or("no bond inside"),
            p.word("isolation").unwrap_or("isolation not seen")
        ));
        f.evidence.push(
            "Ask its maker before anything is bonded; an unseen isolation is asked for, never assumed.".to_owned(),
        );
        if !known {
            f.certainty = Certainty::Possible;
            f.evidence.push("Possible: an isolated output may be bonded.".to_owned());
        }
        if let Some((state, m)) = reached {
            f.way = state.way.clone();
            f.target = m.component.map_or(Target::Other, |p| Target::Bond(ctx.id(p).to_owned()));
        } else {
            f.target = Target::Bond(p.id.clone());
        }
        f.components = vec![p.id.clone()];
        found.push(f);
    }
    found
}
