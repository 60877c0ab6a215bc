//! A first device that cannot break what the bank can drive through it.

use super::{Certainty, Context, Field, Finding, Hazard, Is, Repair, Rule, Severity, TRIED};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::devices::Cartridge;
use crate::network::{Case, DcNet, EdgeKind, full_volts, internal_ohm};
use crate::tables::table;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "breaking-capacity",
    hazard: Hazard::Overcurrent,
    statement: "The first device after a battery breaks the greatest fault current that the battery can drive at its terminals.",
    why: "A fuse asked to break more than it can goes on as an arc, or bursts; lithium banks drive ten times what a blade fuse breaks.",
    source: "NFPA 70 section 110.9; IEC 60364-4-43 section 434.5.1; ABYC E-11 (recalled); resistance of batteries: common practice, no source",
    find,
    is: &[Is::Unprotected],
    repairs: &[Repair::AnotherDevice],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Overcurrent, "breaking capacity below what the bank drives")],
    schools: &[],
    example: include_str!("examples/breaking-capacity.rig"),
};

/// What a device breaks at a voltage, A, at the least and at the most, with where that comes from; nothing when
/// its make was not seen.
fn capacity(ctx: &Context, component: usize, volts: f64) -> Option<(f64, f64, String)> {
    let p = &ctx.rig.components[component];
    if let Some(amps) = p.si("breaking", Dimension::Current) {
        return Some((amps, amps, "as marked on it".to_owned()));
    }
    let class = p.word("class")?;
    let t = table("breaking-capacity");
    let column = 2 * [15.0, 32.5, 60.0, 130.0].iter().position(|most| volts <= *most)?;
    let (mut least, mut most) = (t.get(class, column)?, t.get(class, column + 1)?);
    if class == "glass" && least > 0.0 && matches!(Cartridge::of(p).and_then(|c| c.breaking), Some('H' | 'E')) {
        // 1500 A and 150 A are for alternating current; on direct current a tenth of it is common practice, no source.
        let amps = if Cartridge::of(p).and_then(|c| c.breaking) == Some('H') { 1500.0 } else { 150.0 };
        return Some((least.max(amps / 10.0), most.max(amps), "by its marking, IEC 60127-2 (recalled)".to_owned()));
    }
    if class == "glass" && least > 0.0 {
        // IEC 60127, low breaking capacity: 35 A or ten times the rating, whichever is more.
        let ten = 10.0 * p.si("rating", Dimension::Current).unwrap_or(0.0);
        (least, most) = (least.max(ten), most.max(ten));
    }
    Some((least, most, format!("{class} at {} V, {}", short(volts), t.source)))
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let dc = DcNet::new(ctx.rig, net, Case::Strong, |_| true);
    // What a battery reaches without passing a device.
    let bare =
        ctx.joined(|e| !matches!(e.what, EdgeKind::Device { .. } | EdgeKind::Bond { .. }) && !net.crosses_earth(e));
    let Ok(factored) = dc.factored() else { return Vec::new() };
    let mut found: Vec<Finding> = Vec::new();
    for (index, edge) in net.edges.iter().enumerate() {
        let EdgeKind::Device { component, way, .. } = &edge.what else { continue };
        let p = &ctx.rig.components[*component];
        if !matches!(p.kind, Kind::Fuse | Kind::Breaker) || way.is_some() || found.iter().any(|f| f.subject == p.id) {
            continue;
        }
        let stores = net.sources.iter().filter(|s| s.kind == SourceKind::Battery);
        let first = stores.clone().filter(|s| [edge.a, edge.b].iter().any(|n| bare[*n] == bare[s.plus]));
        let mut worst: Option<(f64, usize)> = None;
        for s in first {
            for end in [edge.a, edge.b] {
                let (Some(end), Some(minus)) = (dc.at(end), dc.at(s.minus)) else { continue };
                let amps = factored.fault_through(index, (end, minus)).unwrap_or(0.0).abs();
                if worst.is_none_or(|(old, _)| amps > old) {
                    worst = Some((amps, s.component));
                }
            }
        }
        let Some((amps, bank)) = worst else { continue };
        if net.nodes[edge.a].duty == Role::Minus && net.nodes[edge.b].duty == Role::Minus {
            continue;
        }
        let battery = &ctx.rig.components[bank];
        let stack = net.sources.iter().find(|s| s.kind == SourceKind::Battery && s.component == bank);
        let parts: Vec<usize> = stack.map_or_else(|| vec![bank], |s| s.stack().collect());
        let inside: Vec<(f64, bool)> =
            parts.iter().map(|p| internal_ohm(&ctx.rig.components[*p], Case::Strong)).collect();
        let volts: f64 = parts.iter().map(|p| full_volts(&ctx.rig.components[*p])).sum();
        let (ohm, stated) = (inside.iter().map(|i| i.0).sum::<f64>(), inside.iter().all(|i| i.1));
        let name = ctx.component_words(*component);
        let lithium = matches!(battery.word("chemistry"), Some("lifepo4" | "nickel-lithium") | None);
        let known = capacity(ctx, *component, volts);
        let (severity, certainty, statement) = match &known {
            Some((least, ..)) if *least >= amps => continue,
            // Within what makers give for this construction: its marking decides.
            Some((least, most, _)) if *most >= amps => (
                Severity::Advice,
                Certainty::Possible,
                format!(
                    "{name} breaks {} A to {} A by its make, and {} A can flow through it in a fault: read its marking.",
                    short(*least),
                    short(*most),
                    short(amps)
                ),
            ),
            // What a lead-acid bank drives is known less well, and falls away within the arc: not so pressing. Nor
            // is what exceeds the device by less than the spread of a resistance that nobody stated.
            Some((_, most, _)) => (
                if stated || (lithium && amps > ctx.profile.fault_spread.value * most) {
                    Severity::BeforeUse
                } else {
                    Severity::Soon
                },
                if stated { Certainty::Certain } else { Certainty::Possible },
                if *most > 0.0 {
                    format!("{name} breaks {} A, and {} A can flow through it in a fault.", short(*most), short(amps))
                } else {
                    format!(
                        "{name} is not made for {} V, and {} A can flow through it in a fault.",
                        short(volts),
                        short(amps)
                    )
                },
            ),
            None => (
                Severity::Advice,
                Certainty::Possible,
                format!(
                    "The {} of {name} is not recorded; {} A can flow through it in a fault.",
                    ctx.profile.words.breaking,
                    short(amps)
                ),
            ),
        };
        let mut f = ctx.finding(&RULE, severity, &p.id, statement);
        f.certainty = certainty;
        f.evidence.push(format!(
            "{}: {} V full, {} mohm inside{}; a dead short there alone gives {} V / {} mohm = {} A.",
            ctx.component_words(bank),
            short(volts),
            short(ohm * 1000.0),
            if stated { "" } else { " (not stated; the least for its chemistry and capacity)" },
            short(volts),
            short(ohm * 1000.0),
            short(volts / ohm)
        ));
        f.evidence.push(format!("Through the conductors as traced, cold and of nominal area, with every battery feeding, {} A reach a short at {name}.", short(amps)));
        if let Some((least, _, from)) = known {
            f.evidence.push(format!("{} A > {} A ({from}).", short(amps), short(least)));
        }
        f.components = vec![p.id.clone(), battery.id.clone()];
        found.push(f);
    }
    found
}
