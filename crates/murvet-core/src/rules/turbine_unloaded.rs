//! A wind turbine that can turn with nothing to hold it.

use super::{Certainty, Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED, distinct};
use crate::catalogue::SourceKind;
use crate::network::{EdgeKind, Source};
use crate::states::State;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "turbine-unloaded",
    hazard: Hazard::Generation,
    statement: "A wind turbine that turns has a battery to charge, or a dump load that takes all its power.",
    why: "Without a load it runs away: its voltage rises to a multiple of the battery's and breaks what hangs on it, its blades come off.",
    source: "IEC 61400-2, protection at loss of load (recalled in outline); common practice",
    find,
    is: &[],
    repairs: &[Repair::DumpLoad],
    without: TRIED,
    proven_by: &[],
    faults: &[
        (Field::Generation, "a wind turbine whose battery can be taken off while it turns"),
        (Field::Generation, "a device or a management between a wind turbine and its battery, and no dump load"),
    ],
    schools: &[],
    example: include_str!("examples/turbine-unloaded.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let turbines = ctx.net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Wind);
    turbines.filter_map(|(i, s)| judge(ctx, i, s)).collect()
}

fn judge(ctx: &Context, index: usize, turbine: &Source) -> Option<Finding> {
    let p = &ctx.rig.components[turbine.component];
    let (power, dump) = (p.si("power", Dimension::Power), p.si("dump", Dimension::Power));
    let certain = match (power, dump) {
        (Some(power), Some(dump)) if dump >= power * (1.0 - 1e-6) => return None,
        // Of a dump load without the power to compare it with nothing is certain.
        (None, Some(_)) => false,
        _ => true,
    };
    let name = ctx.component_words(turbine.component);
    let turning = |s: &&State| s.live.active[index];
    let alone = |s: &&State| turning(s) && stores(ctx, turbine, s).is_empty();
    let mut f = if let Some(state) = ctx.states.states.iter().filter(alone).min_by_key(|s| s.way.len()) {
        let statement = format!("{name} can turn with no battery in circuit.");
        let mut f = ctx.finding(&RULE, Severity::KeepOff, &p.id, statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.way = state.way.clone();
        f
    } else {
        let state = ctx.states.states.iter().find(turning)?;
        let devices = distinct(parting(ctx, turbine, state));
        let managed = managed(ctx, turbine, state);
        if devices.is_empty() && managed.is_empty() {
            return None;
        }
        let managements = managed.iter().map(|b| format!("the management of {b}"));
        let words: Vec<String> = devices.iter().map(|d| (*d).to_owned()).chain(managements).collect();
        let between: Vec<&str> = devices.into_iter().chain(managed).collect();
        let statement = format!("{name} runs away when {} opens.", words.join(" or "));
        let mut f = ctx.finding(&RULE, Severity::Soon, &p.id, statement);
        f.evidence
            .push(format!("State: {}. Each of these by itself parts it from every battery.", ctx.state_words(state)));
        f.components = between.iter().map(|d| (*d).to_owned()).collect();
        f
    };
    f.evidence.push(match (power, dump) {
        (Some(power), Some(dump)) => {
            format!("Its dump load takes {} W of {} W.", short(dump), short(power))
        }
        (None, Some(dump)) => format!("Its dump load takes {} W; its own power was not seen.", short(dump)),
        (_, None) => "No dump load was traced.".to_owned(),
    });
    f.evidence.push(
        match p.word("brake") {
            Some("brake-switch" | "brake-by-hand") => {
                "Until then: the brake on before the battery is taken off, and released last."
            }
            _ => "No brake was traced: it turns whenever there is wind.",
        }
        .to_owned(),
    );
    f.components.insert(0, p.id.clone());
    f.certainty = if certain { Certainty::Certain } else { Certainty::Possible };
    Some(f)
}

/// The batteries that hang on both its leads in a state.
fn stores<'a>(ctx: &Context<'a>, turbine: &Source, state: &State) -> Vec<&'a Source> {
    let (net, live) = (ctx.net, &state.live);
    let store = |b: &&Source| b.kind == SourceKind::Battery && live.metal[b.minus] == live.metal[turbine.minus];
    live.sources_at(net, turbine.plus).map(|o| &net.sources[o]).filter(store).collect()
}

/// The batteries on it in a state, where every one of them has a management that takes it off by itself: when it is full, too cold
/// or too hot all of them may go together.
fn managed<'a>(ctx: &'a Context, turbine: &Source, state: &State) -> Vec<&'a str> {
    let own = stores(ctx, turbine, state);
    let opens = |b: &&Source| {
        let word = ctx.rig.components[b.component].word("management");
        matches!(word, Some("management-inside" | "management-contactor"))
    };
    if own.iter().all(opens) { distinct(own.iter().map(|b| ctx.id(b.component)).collect()) } else { Vec::new() }
}

/// The devices each of which, opened in a state, parts a turbine from every battery. States take devices as closed.
fn parting<'a>(ctx: &'a Context, turbine: &Source, state: &State) -> Vec<&'a str> {
    let net = ctx.net;
    let parts = |component: usize, way: &Option<String>| {
        let own =
            |w: &EdgeKind| matches!(w, EdgeKind::Device { component: p, way: y, .. } if *p == component && y == way);
        let label = ctx.joined_in(state, |_, e| own(&e.what));
        let joined = |b: &Source| label[b.plus] == label[turbine.plus] && label[b.minus] == label[turbine.minus];
        !net.sources.iter().any(|b| b.kind == SourceKind::Battery && joined(b))
    };
    let devices = net.edges.iter().filter_map(|e| match &e.what {
        EdgeKind::Device { component, way, .. } if !net.nodes[e.a].is_mains_side() => Some((*component, way)),
        _ => None,
    });
    devices.filter(|(component, way)| parts(*component, way)).map(|(component, _)| ctx.id(component)).collect()
}
