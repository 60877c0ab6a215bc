//! An array on a battery with nothing between that ends the charge.

use super::{Context, Field, Finding, Hazard, Rule, Severity};
use crate::catalogue::SourceKind;
use crate::rules::array_voltage::cold_stack;
use crate::units::short;

pub(super) static RULE: Rule = Rule {
    slug: "array-direct",
    hazard: Hazard::Generation,
    statement: "Between an array and a battery stands one controller, no less and no more.",
    why: "An array follows no voltage: it drives a full battery on until it gasses or its management opens, and what then stands on the bars is the array's own. Behind another controller's output a second one finds no array.",
    source: "IEC 62548, IEC 62509 (recalled); common practice",
    find,
    is: &[],
    repairs: &[],
    without: "Which panels, fuses or controller fit is chosen from the makers' sheets, then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Generation, "an array on a battery without a controller, or behind two")],
    schools: &[],
    example: include_str!("examples/array-direct.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: Vec<Finding> = Vec::new();
    for (i, array) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Array && s.limit_a > 0.0) {
        let store = |s: &crate::states::State| {
            let at = s.live.sources_at(net, array.plus).find(|o| net.sources[*o].kind == SourceKind::Battery);
            at.filter(|b| s.live.active[i] && s.live.metal[net.sources[*b].minus] == s.live.metal[array.minus])
        };
        let Some((state, b)) = ctx.first_state(|s| store(s).is_some()).and_then(|s| Some((s, store(s)?))) else {
            continue;
        };
        let (own, battery) = (ctx.component_words(array.component), ctx.component_words(net.sources[b].component));
        let statement = format!("Nothing ends the charge of {battery} by {own}.");
        let mut f = ctx.finding(&RULE, Severity::BeforeUse, ctx.id(array.component), statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push(format!("{own} stands on the terminals of {battery} with no controller between."));
        if let Some((volts, how)) = cold_stack(ctx, array) {
            f.evidence.push(format!(
                "With the battery off, {} V ({how}) stand on whatever is on its bars, made for {} V.",
                short(volts),
                short(net.sources[b].volts)
            ));
        }
        f.way = state.way.clone();
        f.components = vec![ctx.id(array.component).to_owned(), ctx.id(net.sources[b].component).to_owned()];
        found.push(f);
    }
    for second in net.sources.iter().filter(|s| s.kind == SourceKind::Controller) {
        let Some((input, _)) = second.input else { continue };
        let ahead = |s: &crate::states::State| {
            let mut at = s.live.sources_at(net, input);
            at.find(|o| net.sources[*o].kind == SourceKind::Controller && net.sources[*o].component != second.component)
        };
        let Some((state, first)) = ctx.first_state(|s| ahead(s).is_some()).and_then(|s| Some((s, ahead(s)?))) else {
            continue;
        };
        let first = net.sources[first].component;
        let statement = format!(
            "{} takes its input from the output of {}.",
            ctx.component_words(second.component),
            ctx.component_words(first)
        );
        let mut f = ctx.finding(&RULE, Severity::Soon, ctx.id(second.component), statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push(
            "Two in a row hunt and give little, and the first one may stand on no battery. One of them is passed by, or the panel is used without its own."
                .to_owned(),
        );
        f.way = state.way.clone();
        f.components = vec![ctx.id(second.component).to_owned(), ctx.id(first).to_owned()];
        found.push(f);
    }
    found
}
