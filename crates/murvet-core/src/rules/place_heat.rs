//! A place that what works in it makes too hot.

use super::{Certainty, Context, Field, Finding, Hazard, Is, Repair, Rule, Severity};
use crate::catalogue::{Kind, SourceKind};
use crate::network::{MOST_C, losses, warmer};
use crate::states::State;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "place-heat",
    hazard: Hazard::Capacity,
    statement: "The air of a place stays below what the components in it stand, with everything working there that can.",
    why: "An inverter in a closed box warms its own air until it gives less, switches off, or ages the batteries beside it; and every cable there carries less.",
    source: "heat balance of walls and openings, as IEC TR 60890 treats enclosures (recalled); its figures and the limits that no maker states: common practice, no source",
    find,
    is: &[Is::MakersFigures],
    repairs: &[Repair::Aired],
    without: "What is moved, matched or ventilated is decided at the rig, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Cable, "a place too hot for what works in it")],
    schools: &[],
    example: include_str!("examples/place-heat.rig"),
};

/// Warmest air where its maker says nothing, C: a battery while it charges, anything that converts.
fn stands(kind: Kind) -> Option<f64> {
    match kind {
        Kind::Battery => Some(45.0),
        Kind::Inverter | Kind::InverterCharger | Kind::Charger | Kind::DcDc | Kind::Controller => Some(50.0),
        _ => None,
    }
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for place in ctx.rig.places.iter().filter(|p| !p.air.is_empty()) {
        let here = |p: usize| ctx.rig.components[p].place.as_deref() == Some(place.id.as_str());
        let working = |state: &State| -> Vec<(usize, f64)> {
            let mut list: Vec<(usize, f64)> = Vec::new();
            for (i, s) in net.sources.iter().enumerate() {
                let works = s.kind.converts() && state.live.active[i] && here(s.component);
                if works && s.kind != SourceKind::Battery && !list.iter().any(|l| l.0 == s.component) {
                    list.push((s.component, losses(&ctx.rig.components[s.component], ctx.profile)));
                }
            }
            list
        };
        let lost = |state: &State| working(state).iter().map(|w| w.1).sum::<f64>();
        let worst =
            ctx.states.states.iter().max_by(|a, b| lost(a).total_cmp(&lost(b)).then(b.way.len().cmp(&a.way.len())));
        let Some(state) = worst.filter(|s| lost(s) > 0.0) else { continue };
        let Some((hot, cool)) = warmer(place, lost(state)) else { continue };
        let outside =
            place.ambient.as_ref().and_then(|v| v.si(Dimension::Temperature)).unwrap_or(ctx.profile.ambient_c.value);
        let limit = |p: usize| {
            let component = &ctx.rig.components[p];
            component
                .si("air-most", Dimension::Temperature)
                .or(stands(component.kind))
                .filter(|_| here(p) && component.status.present())
        };
        let tightest =
            (0..ctx.rig.components.len()).filter_map(|p| Some((p, limit(p)?))).min_by(|a, b| a.1.total_cmp(&b.1));
        let Some((component, most)) = tightest.filter(|t| outside + hot > t.1) else { continue };
        let name = place.label.as_deref().unwrap_or(&place.id);
        // Long before the heat balance is reached the unit switches itself off.
        let (low, high) = (outside + cool, outside + hot);
        let range = match (low > MOST_C, high > MOST_C) {
            (true, _) => format!("{MOST_C:.0} C and more"),
            (_, true) => format!("{low:.0} C and more"),
            _ => format!("{low:.0} to {high:.0} C"),
        };
        let statement =
            format!("The air of {name} becomes {range}; {} stands {} C.", ctx.component_words(component), short(most));
        let mut f = ctx.finding(&RULE, Severity::Soon, &place.id, statement);
        f.certainty = if outside + cool > most { Certainty::Certain } else { Certainty::Possible };
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        let parts: Vec<String> =
            working(state).iter().map(|(p, w)| format!("{} {} W", ctx.component_words(*p), short(*w))).collect();
        f.evidence.push(format!("Lost there at full power: {}.", parts.join(", ")));
        f.evidence.push(format!(
            "Through its walls at 2 to 5 W/m²K and its openings: {range}, from {} C outside.",
            short(outside)
        ));
        let said = ctx.rig.components[component].attrs.contains_key("air-most");
        f.evidence.push(format!(
            "{} C {}.",
            short(most),
            if said {
                "is its maker's figure"
            } else {
                "where its maker's figure was not seen (common practice, no source)"
            }
        ));
        f.evidence.push("Measure the air there after an hour at full load: that figure governs.".to_owned());
        f.way = state.way.clone();
        f.components = std::iter::once(component)
            .chain(working(state).into_iter().map(|w| w.0))
            .map(|p| ctx.id(p).to_owned())
            .collect();
        f.components.dedup();
        found.push(f);
    }
    found
}
