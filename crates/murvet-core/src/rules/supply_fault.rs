//! A supply that was tested and found wrong.

use super::{Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::Kind;
use crate::test_kinds::TestKind;

pub(super) static RULE: Rule = Rule {
    slug: "supply-fault",
    hazard: Hazard::Bonding,
    statement: "The supply has an earth, and its polarity where plugs are polarised.",
    why: "Without earth the first leak leaves every case live; reversed, a single-pole switch leaves an appliance live that looks dead.",
    source: "NFPA 70 section 551.40; IEC 60364-7-708 (recalled); reversed is normal where plugs are not polarised, common practice, no source",
    find,
    is: &[Is::OfTheSupply],
    repairs: &[Repair::OtherOutlet],
    without: TRIED,
    proven_by: &[
        TestKind::SupplyVolts,
        TestKind::SupplyVolts2,
        TestKind::SupplyHots,
        TestKind::SupplyNe,
        TestKind::Skin,
    ],
    faults: &[(Field::Bonding, "a reversed supply, or one without earth")],
    schools: &[],
    example: include_str!("examples/supply-fault.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found = Vec::new();
    for inlet in ctx.components(Kind::Inlet) {
        let Some(supply) = ctx.rig.components[inlet].word("supply") else { continue };
        let (severity, words) = match supply {
            "tt" => continue,
            "pme" if !ctx.profile.refuses_pme.value => continue,
            "pme" => (Severity::BeforeUse, "takes its earth from the neutral of the street"),
            "earthless" => (Severity::KeepOff, "has no earth"),
            "reversed-earthless" => (Severity::KeepOff, "is reversed and has no earth"),
            _ if ctx.profile.polarised.value => (Severity::BeforeUse, "is reversed"),
            _ => (Severity::Advice, "is reversed, as the plug allows: devices that open one pole leave the live one"),
        };
        let statement = format!("The supply at {} {words}.", ctx.component_words(inlet));
        let mut f = ctx.finding(&RULE, severity, ctx.id(inlet), statement);
        f.evidence.push("As tested at the supply before plugging in.".to_owned());
        if let Some(source) = ctx.profile.refuses_pme.asked().filter(|_| supply == "pme") {
            f.evidence.push("Where that neutral breaks, everything earthed to it comes up to the line: the skin of the vehicle too.".to_owned());
            f.source = source.to_owned();
        }
        f.evidence.push("It is the pitch's fault, not the rig's: use another outlet and tell who keeps it.".to_owned());
        f.components = vec![ctx.id(inlet).to_owned()];
        found.push(f);
    }
    found
}
