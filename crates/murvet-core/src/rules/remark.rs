//! What was seen and no computation can find.

use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::remark_kind;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "remark",
    hazard: Hazard::Workmanship,
    statement: "Joints, routes, supports, places and labels are as good practice wants them.",
    why: "Most fires start at a joint, and most mistakes at a missing label.",
    source: "by the kind of remark",
    find,
    is: &[Is::AcrossParts],
    repairs: &[Repair::PutRight],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Workmanship, "anything that was seen and no computation can find")],
    schools: &["soldered-lugs", "backing"],
    example: include_str!("examples/remark.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: BTreeMap<String, Finding> = BTreeMap::new();
    for remark in &ctx.rig.remarks {
        let Some(kind) = remark_kind(&remark.kind) else { continue };
        let component = ctx.rig.components.iter().position(|p| p.id == remark.on);
        if component.is_some_and(|p| !ctx.rig.components[p].status.present()) {
            continue;
        }
        let place = ctx.rig.place(&remark.on);
        let name = match (component, place) {
            (Some(p), _) => ctx.component_words(p),
            (None, Some(place)) => place.label.clone().unwrap_or_else(|| place.id.clone()),
            (None, None) => format!("cable {}", remark.on),
        };
        let subject = format!("{}:{}", remark.on, kind.word);
        let f = found.entry(subject.clone()).or_insert_with(|| {
            let accepted = match kind.word {
                "soldered-lug" => ctx.profile.answers.soldered_lugs,
                "combustible-backing" => ctx.profile.answers.backing,
                _ => false,
            };
            let severity = if accepted { Severity::Advice } else { kind.severity };
            let mut f = ctx.finding(&RULE, severity, &subject, format!("{name} {}.", kind.says));
            f.source = kind.source.to_owned();
            f.evidence.push(format!("Noted on {} as {}.", remark.on, kind.word));
            f.components = component.map(|p| ctx.id(p).to_owned()).into_iter().collect();
            f
        });
        f.evidence.push(match &remark.words {
            Some(words) => format!("Seen: {words}."),
            None => "Seen by the inspector.".to_owned(),
        });
    }
    found.into_values().collect()
}
