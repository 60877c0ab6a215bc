//! A battery where its gas or its fire reaches people, or anything that sparks in a gas locker.

use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity};
use crate::catalogue::Kind;

pub(super) static RULE: Rule = Rule {
    slug: "battery-place",
    hazard: Hazard::Battery,
    statement: "Batteries stand where the profile allows them, and nothing that can spark stands in a gas locker.",
    why: "Lead-acid gives off hydrogen while it charges; a lithium fire in the living space leaves no time; a spark in a gas locker is an explosion.",
    source: "NFPA 70 section 551.10(F); AS/NZS 3001.2:2022; EN 1949 (all recalled in outline); lithium in the living space elsewhere: a school",
    find,
    is: &[Is::AcrossParts],
    repairs: &[Repair::AnotherPlace],
    without: "What is moved, matched or ventilated is decided at the rig, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Battery, "lead-acid that is not vented, lithium open to the living space")],
    schools: &["inverter-beside-battery"],
    example: include_str!("examples/battery-place.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for (index, p) in ctx.rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let Some(place) = p.place.as_deref().and_then(|id| ctx.rig.place(id)) else { continue };
        let zone = place.zone.as_deref().unwrap_or_default();
        let sparks = matches!(
            p.kind,
            Kind::Battery
                | Kind::Fuse
                | Kind::Breaker
                | Kind::Rcd
                | Kind::Rcbo
                | Kind::Isolator
                | Kind::DcSocket
                | Kind::Relay
                | Kind::AcContactor
                | Kind::Transfer
                | Kind::PlugChangeover
                | Kind::Inverter
                | Kind::InverterCharger
                | Kind::Charger
                | Kind::Panel
                | Kind::Outlet
                | Kind::GfciOutlet
                | Kind::FuseBlock
                | Kind::Generator
        );
        let chemistry = p.word("chemistry").unwrap_or_default();
        let lithium = ["lifepo4", "nickel-lithium"].contains(&chemistry);
        let (severity, words) = match zone {
            "gas" if sparks => (Severity::KeepOff, "stands in the gas locker and can make a spark"),
            "cabin" if p.kind == Kind::Battery && chemistry == "flooded" => {
                (Severity::BeforeUse, "gasses into the living space")
            }
            "cabin" if lithium && ctx.profile.lithium_out_of_cabin.value => {
                (Severity::BeforeUse, "is lithium and stands open to the living space")
            }
            _ if matches!(p.kind, Kind::Inverter | Kind::InverterCharger) => match beside(ctx, &place.id) {
                Some(words) => (Severity::Soon, words),
                None => continue,
            },
            _ => continue,
        };
        let name = ctx.component_words(index);
        let mut f = ctx.finding(&RULE, severity, &p.id, format!("{name} {words}."));
        f.evidence.push(format!("{name} is in {}, zone {zone}.", place.label.as_deref().unwrap_or(&place.id)));
        f.evidence.push(
            "A sealed enclosure that is vented outside is a place of its own: enter it as one, in zone bay or outside."
                .to_owned(),
        );
        f.components = vec![p.id.clone()];
        found.push(f);
    }
    found
}

/// Why an inverter should not be in a place, by the batteries that are there.
fn beside(ctx: &Context, place: &str) -> Option<&'static str> {
    let here = |p: &&crate::rig::Component| {
        p.kind == Kind::Battery && p.status.present() && p.place.as_deref() == Some(place) && !p.flag("starter")
    };
    let mut batteries = ctx.rig.components.iter().filter(here).peekable();
    batteries.peek()?;
    if batteries.any(|p| p.word("chemistry") == Some("flooded")) {
        Some("stands beside a battery that gasses")
    } else if ctx.profile.answers.inverter_beside_battery {
        None
    } else {
        Some("stands beside a battery, which the chosen school never accepts")
    }
}
