//! A hot that is dead at its supply and live through an appliance between two hots.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::Role;
use crate::network::Consumer;
use crate::states::State;
use crate::test_kinds::TestKind;
use crate::units::short;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "hot-lost",
    hazard: Hazard::Bonding,
    statement: "Each hot of what works between two hots is fed by its source, in every state.",
    why: "Where one hot is lost, an appliance between the two carries the other over: what looks dead stands at the full voltage to earth, and whatever else is on that leg runs in series at part of it and burns.",
    source: "the division of the voltage is Ohm's law; common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::LandHot],
    without: "The conductor or setting at fault is found by measuring, then the trace is put right.",
    proven_by: &[TestKind::CarriedOver],
    faults: &[(Field::Bonding, "a hot that is lost with an appliance across both")],
    schools: &[],
    example: include_str!("examples/hot-lost.rig"),
};

/// What hangs on a dead leg: appliances that carry a hot over to it, and those between it and the neutral.
#[derive(Default)]
struct Leg<'a> {
    over: Vec<(&'a Consumer, usize)>,
    on: Vec<&'a Consumer>,
    /// Terminals of other components than the appliances that carry over.
    terminals: Vec<usize>,
}

/// The legs that no source feeds and an appliance of two hots carries over to, by their part.
fn legs<'a>(ctx: &'a Context, state: &State) -> BTreeMap<u32, Leg<'a>> {
    let net = ctx.net;
    let live = &state.live;
    let mut legs: BTreeMap<u32, Leg> = BTreeMap::new();
    for c in net.consumers.iter().filter(|c| c.two_hot) {
        for (dead, fed) in [(c.plus, c.minus), (c.minus, c.plus)] {
            let source = live.sources_at(net, fed).find(|s| net.sources[*s].kind.is_ac());
            if let Some(source) = source.filter(|_| live.sources_at(net, dead).next().is_none()) {
                legs.entry(live.part[dead]).or_default().over.push((c, source));
            }
        }
    }
    for (part, leg) in &mut legs {
        let own = |n: usize| leg.over.iter().any(|(c, _)| Some(c.component) == net.nodes[n].component);
        let here = (0..net.nodes.len()).filter(|&n| live.part[n] == *part && net.nodes[n].duty == Role::Line);
        leg.terminals = here.filter(|&n| !own(n)).collect();
        leg.on = net.consumers.iter().filter(|c| c.ac && !c.two_hot && live.part[c.plus] == *part).collect();
    }
    // A hot that is not landed at the appliance itself leads nowhere else.
    legs.retain(|_, l| !l.terminals.is_empty());
    legs
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: BTreeMap<String, Finding> = BTreeMap::new();
    for (_, state) in ctx.mains_states() {
        for leg in legs(ctx, state).into_values() {
            let (first, source) = leg.over[0];
            let subject = ctx.id(first.component).to_owned();
            if found.contains_key(&subject) {
                continue;
            }
            let volts = net.sources[source].volts;
            // A resistance by its rated current at twice the voltage of one hot.
            let ohm = |c: &Consumer, volts: f64| c.current_a.filter(|a| *a > 0.0).map(|a| volts / a);
            let over: Vec<f64> = leg.over.iter().filter_map(|(c, _)| ohm(c, 2.0 * volts)).collect();
            let on: Vec<f64> = leg.on.iter().filter_map(|c| ohm(c, volts)).collect();
            let siemens = |list: &[f64]| list.iter().map(|r| 1.0 / r).sum::<f64>();
            let (g, h) = (siemens(&over), siemens(&on));
            let at = net.nodes[leg.terminals[0]].name.clone();
            let name = ctx.component_words(first.component);
            let statement =
                format!("No source feeds {at}, and {name} carries {} V over to it from the other hot.", short(volts));
            let mut f = ctx.finding(&RULE, Severity::BeforeUse, &subject, statement);
            f.evidence.push(format!("State: {}.", ctx.state_words(state)));
            for (c, _) in &leg.over {
                f.evidence.push(match ohm(c, 2.0 * volts) {
                    Some(r) => format!("{} lies between the hots: {} ohm.", ctx.component_words(c.component), short(r)),
                    None => format!("{} lies between the hots.", ctx.component_words(c.component)),
                });
            }
            f.evidence
                .push(format!("With nothing else on that leg it stands at {} V to neutral and earth.", short(volts)));
            if g > 0.0 && h > 0.0 {
                let names: Vec<String> = leg.on.iter().map(|c| ctx.component_words(c.component)).collect();
                f.evidence.push(format!(
                    "With {} on: {} ohm in series with {} ohm across {} V leave {} V there.",
                    names.join(", "),
                    short(1.0 / g),
                    short(1.0 / h),
                    short(volts),
                    short(volts * g / (g + h))
                ));
            }
            f.way = state.way.clone();
            f.components = leg
                .over
                .iter()
                .map(|(c, _)| *c)
                .chain(leg.on.iter().copied())
                .map(|c| ctx.id(c.component).to_owned())
                .collect();
            found.insert(subject, f);
        }
    }
    found.into_values().collect()
}
