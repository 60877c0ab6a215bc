//! Two AC sources that nothing keeps apart.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, Target};
use crate::catalogue::{Kind, SourceKind};
use crate::states::State;
use crate::test_kinds::TestKind;
use std::collections::{BTreeMap, BTreeSet};

pub(super) static RULE: Rule = Rule {
    slug: "ac-backfeed",
    hazard: Hazard::Backfeed,
    statement: "In no reachable state do two AC sources stand on one conductor, nor does one reach another's terminals.",
    why: "The pins of an unplugged inlet are live in somebody's hand; a running inverter or generator is destroyed or feeds the pitch; a breaker or fuse is no exclusion.",
    source: "NFPA 70 sections 551.30(B), 551.31 and 551.33, sources exclude each other; IEC 60364-5-55 section 551 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::PartSources],
    without: TRIED,
    proven_by: &[TestKind::Pins, TestKind::Loop, TestKind::Stray, TestKind::NeutralEarth],
    faults: &[
        (Field::Overcurrent, "a fuse taken for a barrier to backfeed"),
        (Field::Backfeed, "two sources that nothing makes exclude each other"),
        (Field::Backfeed, "live pins on an unplugged inlet"),
    ],
    schools: &[],
    example: include_str!("examples/ac-backfeed.rig"),
};

struct Clash {
    line: String,
    way: Vec<String>,
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let ac: Vec<usize> = (0..net.sources.len()).filter(|&s| net.sources[s].kind.is_ac()).collect();
    // Each pair of components with what happens between them, in the order of the states.
    let mut clashes: BTreeMap<(usize, usize), Vec<Clash>> = BTreeMap::new();
    // Positions that a relay passes through are looked at too: what is live until it has moved is live.
    for state in ctx.mains_states().map(|(_, s)| s).chain(&ctx.states.passing) {
        for &running in ac.iter().filter(|&&s| state.live.active[s]) {
            for &other in ac.iter().filter(|&&s| net.sources[s].component != net.sources[running].component) {
                if let Some(line) = clash(ctx, state, running, other) {
                    let (a, b) = (net.sources[running].component, net.sources[other].component);
                    let list = clashes.entry((a.min(b), a.max(b))).or_default();
                    let kind = line.split(':').next().unwrap_or_default().to_owned();
                    if !list.iter().any(|c| c.line.starts_with(&kind)) {
                        list.push(Clash { line, way: state.way.clone() });
                    }
                }
            }
        }
    }
    roots(ctx, &clashes)
        .into_iter()
        .map(|(root, pairs)| {
            let others: Vec<usize> = pairs.iter().map(|(a, b)| if *a == root { *b } else { *a }).collect();
            let names: Vec<String> = others.iter().map(|p| ctx.component_words(*p)).collect();
            let statement = format!(
                "No interlock or transfer switch keeps {} and {} apart.",
                ctx.component_words(root),
                names.join(", ")
            );
            let mut f = ctx.finding(&RULE, Severity::KeepOff, ctx.id(root), statement);
            let all: Vec<&Clash> = pairs.iter().flat_map(|p| &clashes[p]).collect();
            f.evidence = all.iter().map(|c| format!("{} Way: {}.", c.line, way_words(&c.way))).collect();
            f.evidence
                .push("Overcurrent devices do not count as exclusion: each of them is taken as closed.".to_owned());
            f.way = all.iter().min_by_key(|c| c.way.len()).map(|c| c.way.clone()).unwrap_or_default();
            f.components = std::iter::once(root).chain(others.iter().copied()).map(|p| ctx.id(p).to_owned()).collect();
            f.target = Target::Tie {
                source: ctx.id(root).to_owned(),
                others: others.iter().map(|p| ctx.id(*p).to_owned()).collect(),
            };
            f
        })
        .collect()
}

fn way_words(way: &[String]) -> String {
    if way.is_empty() { "as parked".to_owned() } else { way.join(", then ") }
}

/// What a running source does to another in one state, if it reaches it.
fn clash(ctx: &Context, state: &State, running: usize, other: usize) -> Option<String> {
    let net = ctx.net;
    let (r, o) = (&net.sources[running], &net.sources[other]);
    let live = &state.live;
    if live.part[r.plus] != live.part[o.plus] {
        return None;
    }
    let (name, reached) = (ctx.component_words(r.component), ctx.component_words(o.component));
    if live.active[other] {
        // Each pair once, from its first source.
        return (running < other).then(|| format!("In parallel: {name} and {reached} stand on one conductor."));
    }
    match o.kind {
        SourceKind::Shore => Some(format!("Live pins: {name} makes the pins of {reached} live while it is unplugged.")),
        _ if ctx.rig.components[o.component].kind == Kind::InverterCharger => {
            // Its own certified relay passes shore through on purpose.
            let passing = o.auto.is_some_and(|(auto, at)| state.setting.autos[auto] != at);
            (!passing).then(|| format!("Into a source: {name} feeds the output of {reached}."))
        }
        _ => Some(format!("Into a source: {name} feeds the output of {reached}, which is off.")),
    }
}

/// Groups pairs by the source that has nothing to exclude it: the one in most pairs, and among equals
/// never the shore inlet.
fn roots(ctx: &Context, clashes: &BTreeMap<(usize, usize), Vec<Clash>>) -> Vec<(usize, Vec<(usize, usize)>)> {
    let mut left: BTreeSet<(usize, usize)> = clashes.keys().copied().collect();
    let mut out = Vec::new();
    while !left.is_empty() {
        let mut count: BTreeMap<usize, usize> = BTreeMap::new();
        for (a, b) in &left {
            *count.entry(*a).or_default() += 1;
            *count.entry(*b).or_default() += 1;
        }
        let best = count.into_iter().max_by_key(|&(p, n)| (n, ctx.rig.components[p].kind != Kind::Inlet, p));
        let Some((root, _)) = best else { break };
        let pairs: Vec<(usize, usize)> = left.iter().copied().filter(|(a, b)| *a == root || *b == root).collect();
        for pair in &pairs {
            left.remove(pair);
        }
        out.push((root, pairs));
    }
    out
}
