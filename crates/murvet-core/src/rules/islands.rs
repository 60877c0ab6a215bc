//! What the neutral-and-earth rules share: for each state and running AC source, the places where its
//! neutral meets earth.

use super::Context;
use crate::catalogue::{Kind, Role};
use crate::network::EdgeKind;
use crate::states::State;

/// A place where neutral meets earth.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Meeting {
    /// Stable name: the component, or the cable.
    pub subject: String,
    /// In words.
    pub words: String,
    /// The component, when it is inside one.
    pub component: Option<usize>,
    /// The earth-side node.
    pub earth: usize,
    /// The neutral-side node.
    pub neutral: usize,
    /// It is the source's own.
    pub own: bool,
}

/// One running AC source in one state.
pub struct Island<'a> {
    /// Index of the state.
    pub index: usize,
    /// The state.
    pub state: &'a State,
    /// The source.
    pub source: usize,
    /// Where its neutral meets earth, each once.
    pub meetings: Vec<Meeting>,
}

/// The islands of one state with a single running source each. Where several sources run on one conductor, that
/// is backfeed, and what it does to the bonds is part of it.
pub fn islands_at<'a>(ctx: &Context<'a>, index: usize) -> Vec<Island<'a>> {
    let net = ctx.net;
    let Some(state) = ctx.states.states.get(index) else { return Vec::new() };
    let mut out = Vec::new();
    for (source, s) in net.sources.iter().enumerate() {
        let alone = state.live.sources_at(net, s.plus).filter(|o| net.sources[*o].kind.is_ac()).count() == 1;
        if s.kind.is_ac() && state.live.active[source] && alone {
            out.push(Island { index, state, source, meetings: meetings(ctx, state, source) });
        }
    }
    out
}

/// Whether an edge joins a neutral to earth, and its neutral end and earth end.
fn neutral_to_earth(ctx: &Context, edge: &crate::network::Edge) -> Option<(usize, usize)> {
    let duty = |n: usize| ctx.net.nodes[n].duty;
    match (duty(edge.a), duty(edge.b)) {
        (Role::Neutral, Role::Earth) => Some((edge.a, edge.b)),
        (Role::Earth, Role::Neutral) => Some((edge.b, edge.a)),
        _ => None,
    }
}

fn meetings(ctx: &Context, state: &State, source: usize) -> Vec<Meeting> {
    let net = ctx.net;
    let s = &net.sources[source];
    let live = &state.live;
    let mut list: Vec<Meeting> = Vec::new();
    for (i, edge) in net.edges.iter().enumerate() {
        let Some((neutral, earth)) = neutral_to_earth(ctx, edge) else { continue };
        if live.part[neutral] != live.part[s.minus] || !state.closed(net, i) {
            continue;
        }
        let meeting = match &edge.what {
            EdgeKind::Bond { component, source: with, .. } => {
                let p = &ctx.rig.components[*component];
                let own = *with == Some(source) || *component == s.component;
                let words = match p.kind {
                    Kind::Inlet => format!("at the {}", ctx.profile.words.supply),
                    Kind::Panel => {
                        format!("the link between the neutral and {} bars of {}", ctx.profile.words.earth, p.id)
                    }
                    _ => format!("inside {}", ctx.component_words(*component)),
                };
                Meeting { subject: p.id.clone(), words, component: Some(*component), earth, neutral, own }
            }
            EdgeKind::Wire(w) => {
                let words = format!("conductor {}", ctx.wire_words(*w));
                Meeting { subject: ctx.wire_subject(*w), words, component: None, earth, neutral, own: false }
            }
            _ => {
                let words = format!("{} joined to {}", net.nodes[neutral].name, net.nodes[earth].name);
                let subject = format!("{}--{}", net.nodes[neutral].name, net.nodes[earth].name);
                Meeting { subject, words, component: None, earth, neutral, own: false }
            }
        };
        if !list.iter().any(|m| m.subject == meeting.subject) {
            list.push(meeting);
        }
    }
    list
}

/// Outlets and appliances that a source feeds in a state: an appliance on an outlet counts with it.
pub fn fed(ctx: &Context, state: &State, source: usize) -> Vec<usize> {
    let net = ctx.net;
    let part = state.live.part[net.sources[source].plus];
    let mut components: Vec<usize> = Vec::new();
    for (n, node) in net.nodes.iter().enumerate() {
        let Some(component) = node.component.filter(|p| ctx.rig.components[*p].status.present()) else { continue };
        let p = &ctx.rig.components[component];
        let outlet = matches!(p.kind, Kind::Outlet | Kind::GfciOutlet);
        let appliance = matches!(p.kind, Kind::AcLoad | Kind::Charger) && !p.attrs.contains_key("on");
        if (outlet || appliance)
            && node.role == Role::Line
            && state.live.part[n] == part
            && !components.contains(&component)
        {
            components.push(component);
        }
    }
    components
}

/// The meetings in words, for evidence.
pub fn meeting_lines(island: &Island) -> String {
    if island.meetings.is_empty() {
        return "nowhere".to_owned();
    }
    let words: Vec<&str> = island.meetings.iter().map(|m| m.words.as_str()).collect();
    words.join("; ")
}

/// What a floating source is to the appliances on it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Separation {
    /// Electrical separation of a single appliance.
    Holds,
    /// So it would be if the source is isolated, which nobody saw.
    Unseen,
    /// None, and why.
    Not(String),
}

/// Whether a source without a bond is electrical separation of a single appliance: the firm accepts that, no more than one
/// appliance hangs on it, counted at the faces of a strip too and with what charges from it, and its output is isolated
/// from the battery (IEC 60364-4-41 section 413, recalled).
pub(super) fn separation(ctx: &Context, island: &Island) -> Separation {
    let net = ctx.net;
    let source = &net.sources[island.source];
    if !ctx.profile.answers.floating_inverter {
        return Separation::Not("the chosen school accepts no floating inverter at all".to_owned());
    }
    let on = |outlet: &str| {
        let plugged = ctx.rig.components.iter().filter(|p| p.status.present());
        let here = plugged.filter(|p| p.word("on").is_some_and(|on| on.split('.').next() == Some(outlet)));
        here.count().max(1)
    };
    let outlets = fed(ctx, island.state, island.source).into_iter().map(|p| on(ctx.id(p)));
    // A unit that charges from it is an appliance of it.
    let line = |p: usize| ["in.L", "in2.L"].iter().filter_map(|t| net.node(p, t)).collect::<Vec<usize>>();
    let part = island.state.live.part[source.plus];
    let units = ctx
        .components(Kind::InverterCharger)
        .filter(|p| *p != source.component && line(*p).iter().any(|n| island.state.live.part[*n] == part));
    let count: usize = outlets.sum::<usize>() + units.count();
    let p = &ctx.rig.components[source.component];
    let converts = matches!(p.kind, Kind::Inverter | Kind::InverterCharger);
    match p.word("isolation") {
        _ if count > 1 => Separation::Not(format!(
            "{count} outlets or appliances hang on it, so it is no electrical separation of a single one"
        )),
        Some("not-isolated") if converts && count > 0 => {
            Separation::Not("its output is not isolated from the battery, so it separates nothing".to_owned())
        }
        None if converts && count > 0 => Separation::Unseen,
        _ => Separation::Holds,
    }
}
