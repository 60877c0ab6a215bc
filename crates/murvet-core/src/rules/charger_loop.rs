//! A battery that charges itself through its own inverter or converters.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, Target};
use crate::catalogue::{Kind, SourceKind};
use crate::states::State;
use crate::tables::table;
use crate::test_kinds::TestKind;
use crate::units::{Dimension, short};
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "charger-loop",
    hazard: Hazard::ChargerLoop,
    statement: "In no reachable state does energy go round from a battery through converters back to the battery.",
    why: "The loop always loses: a rig that seems to be on charge goes flat, and inverter and charger run hot for nothing. Pass-through or a transfer switch alone, with the charger still after it, does not cure it.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::MoveCharger, Repair::PlugElsewhere, Repair::Combined],
    without: TRIED,
    proven_by: &[TestKind::Loop, TestKind::Carries, TestKind::Idle],
    faults: &[(Field::Loop, "a charger on what its own battery feeds"), (Field::Loop, "converters in a circle on DC")],
    schools: &[],
    example: include_str!("examples/charger-loop.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: BTreeMap<usize, Finding> = BTreeMap::new();
    for (_, state) in ctx.conversion_states() {
        let links = conversions(ctx, state);
        let chargers: Vec<usize> =
            links.iter().map(|l| l.source).filter(|&s| kind(ctx, s) == SourceKind::Charger).collect();
        let dc: Vec<usize> = links.iter().map(|l| l.source).filter(|&s| kind(ctx, s) == SourceKind::DcDc).collect();
        for s in &chargers {
            if let Some(round) = loop_through(ctx, state, &links, *s) {
                found.entry(*s).or_insert_with(|| report(ctx, state, *s, &round));
                note(ctx, state, found.get_mut(s));
            }
        }
        // A loop of DC converters alone is reported once, at its last converter.
        let closing = dc.iter().rev().find_map(|s| {
            let round = loop_through(ctx, state, &links, *s)?;
            let mains = round.iter().any(|r| kind(ctx, *r) == SourceKind::Charger);
            (!mains && !carried(ctx, state, &round)).then_some((*s, round))
        });
        if let Some((s, round)) = closing {
            found.entry(s).or_insert_with(|| report(ctx, state, s, &round));
        }
    }
    found.into_values().collect()
}

/// Whether a running alternator stands on a part of the round: it gives more than the round loses.
fn carried(ctx: &Context, state: &State, round: &[usize]) -> bool {
    let net = ctx.net;
    let parts: Vec<u32> = round.iter().map(|r| state.live.part[net.sources[*r].plus]).collect();
    net.sources.iter().enumerate().any(|(i, s)| {
        s.kind == SourceKind::Alternator && state.live.active[i] && parts.contains(&state.live.part[s.plus])
    })
}

fn kind(ctx: &Context, source: usize) -> SourceKind {
    ctx.net.sources[source].kind
}

struct Link {
    source: usize,
    from: u32,
    to: u32,
}

/// Every running conversion as an arc between parts.
fn conversions(ctx: &Context, state: &State) -> Vec<Link> {
    let live = &state.live;
    let mut links = Vec::new();
    for (source, s) in ctx.net.sources.iter().enumerate() {
        let Some(input) = s.input.filter(|_| live.active[source]) else { continue };
        // The fed one of the two input terminals: under reversed polarity it is the neutral one.
        let fed = [input.0, input.1]
            .into_iter()
            .find(|&n| live.sources_at(ctx.net, n).any(|o| o != source || s.kind != SourceKind::Inverter));
        if let Some(n) = fed {
            links.push(Link { source, from: live.part[n], to: live.part[s.plus] });
        }
    }
    links
}

/// The conversions of a round that starts and ends with this one and passes a battery, shortest first.
fn loop_through(ctx: &Context, state: &State, links: &[Link], source: usize) -> Option<Vec<usize>> {
    let start = links.iter().find(|l| l.source == source)?;
    let mut before: BTreeMap<u32, Vec<usize>> = BTreeMap::from([(start.to, vec![source])]);
    let mut queue = std::collections::VecDeque::from([start.to]);
    while let Some(part) = queue.pop_front() {
        if part == start.from {
            let round = before.remove(&part)?;
            let parts: Vec<u32> =
                links.iter().filter(|l| round.contains(&l.source)).flat_map(|l| [l.from, l.to]).collect();
            let stored = ctx
                .net
                .sources
                .iter()
                .any(|s| s.kind == SourceKind::Battery && parts.contains(&state.live.part[s.plus]));
            return stored.then_some(round);
        }
        for link in links.iter().filter(|l| l.from == part && l.source != source) {
            if !before.contains_key(&link.to) {
                let mut path = before[&part].clone();
                path.push(link.source);
                before.insert(link.to, path);
                queue.push_back(link.to);
            }
        }
    }
    None
}

/// Adds the other states in which a loop runs, as far as they differ in what feeds the rig.
fn note(ctx: &Context, state: &State, finding: Option<&mut Finding>) {
    let on_shore = ctx
        .net
        .sources
        .iter()
        .enumerate()
        .any(|(i, s)| matches!(s.kind, SourceKind::Shore | SourceKind::Generator) && state.live.active[i]);
    let line =
        "The same happens with a supply plugged in or a generator running, as long as the inverter feeds this circuit."
            .to_owned();
    if let Some(f) = finding
        && on_shore
        && !f.evidence.contains(&line)
    {
        f.evidence.push(line);
    }
}

fn report(ctx: &Context, state: &State, source: usize, round: &[usize]) -> Finding {
    let net = ctx.net;
    let s = &net.sources[source];
    let component = s.component;
    let names: Vec<String> = round.iter().rev().map(|r| ctx.component_words(net.sources[*r].component)).collect();
    let store = net.sources.iter().find(|b| {
        b.kind == SourceKind::Battery
            && round.iter().any(|r| state.live.part[net.sources[*r].plus] == state.live.part[b.plus])
    });
    let bank = store.map_or_else(|| "the battery".to_owned(), |b| ctx.component_words(b.component));
    let statement = format!("{bank} charges itself: {bank}, {}, {bank}.", names.join(", "));
    let mut f = ctx.finding(&RULE, Severity::BeforeUse, ctx.id(component), statement);
    f.evidence.push(format!("State: {}.", ctx.state_words(state)));
    for (r, next) in round.iter().zip(round.iter().cycle().skip(1)) {
        f.evidence.push(format!(
            "{} feeds {} at {}.",
            ctx.component_words(net.sources[*r].component),
            ctx.component_words(net.sources[*next].component),
            net.sources[*next].input.map_or("its input", |(n, _)| net.nodes[n].name.as_str())
        ));
    }
    let charger = &ctx.rig.components[component];
    let volts = charger.si("voltage", Dimension::Voltage).unwrap_or(if s.volts > 20.0 { s.volts * 1.13 } else { 13.6 });
    if s.limit_a.is_finite() && s.limit_a > 0.0 {
        let out_w = s.limit_a * volts;
        let low = taken(ctx, round, out_w, true, &mut Vec::new());
        let mut lines = Vec::new();
        let high = taken(ctx, round, out_w, false, &mut lines);
        f.evidence.push(format!(
            "Back into the battery at full charge current: {} A × {} V = {} W.",
            short(s.limit_a),
            short(volts),
            short(out_w)
        ));
        f.evidence.extend(lines);
        f.evidence.push(format!("Lost: {} W to {} W.", short(low - out_w), short(high - out_w)));
        if let Some(store) = store {
            hours(ctx, store.component, low - out_w, high - out_w, &mut f.evidence);
        }
    }
    f.way = state.way.clone();
    let mut components: Vec<usize> = round.iter().map(|r| net.sources[*r].component).collect();
    components.extend(store.map(|b| b.component));
    f.components = components.into_iter().map(|p| ctx.id(p).to_owned()).collect();
    f.target = if charger.kind == Kind::Charger { Target::Loop(charger.id.clone()) } else { Target::Other };
    f
}

/// Watts taken from the battery for `out_w` put back, at the best or the worst of what is unstated.
fn taken(ctx: &Context, round: &[usize], out_w: f64, best: bool, lines: &mut Vec<String>) -> f64 {
    let t = ctx.profile;
    let mut watts = out_w;
    for r in round {
        let s = &ctx.net.sources[*r];
        let p = &ctx.rig.components[s.component];
        let stated = p.si("efficiency", Dimension::Ratio).filter(|e| *e > 0.05);
        let efficiency =
            stated.unwrap_or(if best { t.efficiency_best.value } else { t.efficiency_worst.value }).min(1.0);
        let idle = match (s.kind, p.si("idle", Dimension::Power)) {
            (SourceKind::Inverter, Some(idle)) => idle,
            (SourceKind::Inverter, None) if best => t.idle_best_w.value,
            (SourceKind::Inverter, None) => t.idle_worst_w.value,
            _ => 0.0,
        };
        let next = watts / efficiency + idle;
        let how = if stated.is_some() { "stated" } else { "at worst" };
        lines.push(format!(
            "Into {}: {} W / {} ({how}) + {} W idle = {} W.",
            ctx.component_words(s.component),
            short(watts),
            short(efficiency),
            short(idle),
            short(next)
        ));
        watts = next;
    }
    watts
}

fn hours(ctx: &Context, battery: usize, low_w: f64, high_w: f64, evidence: &mut Vec<String>) {
    let p = &ctx.rig.components[battery];
    let Some(ah) = p.si("capacity", Dimension::Charge) else { return };
    let ah = ah * p.series_and_parallel().1;
    let chemistry = table("chemistry");
    let usable = p.word("chemistry").and_then(|c| chemistry.get(c, 0)).unwrap_or(0.5);
    // With those below it in series.
    let own = ctx.net.sources.iter().filter(|s| s.kind == SourceKind::Battery && s.component == battery);
    let volts = own.map(|s| s.volts).fold(0.0, f64::max);
    let wh = ah * volts * usable;
    if low_w > 0.0 && high_w > 0.0 {
        evidence.push(format!(
            "{} Ah × {} V × {} usable = {} Wh; flat after {} to {} hours.",
            short(ah),
            short(volts),
            short(usable),
            short(wh),
            short(wh / high_w),
            short(wh / low_w)
        ));
    }
}
