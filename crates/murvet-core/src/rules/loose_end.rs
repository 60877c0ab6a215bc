//! An end that goes nowhere and is live in some state.

use super::{Certainty, Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::PortUse;
use crate::network::{Edge, EdgeKind, WireSpot};
use crate::rig::{LooseEnd, Status};
use crate::terminals::anatomy;
use crate::test_kinds::TestKind;

pub(super) static RULE: Rule = Rule {
    slug: "loose-end",
    hazard: Hazard::Isolation,
    statement: "A conductor that goes nowhere is dead in every state, or its end is capped and listed.",
    why: "Tape comes off and a bare end touches the first metal it meets: an arc from a battery, mains in a hand.",
    source: "NFPA 70 section 110.12 and 300.15; IEC 60364-5-52 section 526 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::LooseOut],
    without: "Where the end belongs is found at the rig: capped and listed, landed, or taken out.",
    proven_by: &[TestKind::LooseEnd],
    faults: &[(Field::Isolation, "a live end that goes nowhere")],
    schools: &[],
    example: include_str!("examples/loose-end.rig"),
};

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: Vec<Finding> = Vec::new();
    for (n, how) in net.nodes.iter().enumerate().filter_map(|(n, node)| Some((n, node.loose()?))) {
        let Some(state) = ctx.first_state(|s| s.live.sources_at(net, n).next().is_some()) else { continue };
        let from = state
            .live
            .sources_at(net, n)
            .next()
            .map_or(String::new(), |s| ctx.component_words(net.sources[s].component));
        let Some((wire, _)) = net.wire_at(n) else { continue };
        let (severity, words) = match how {
            LooseEnd::Bare => (Severity::KeepOff, "is bare"),
            LooseEnd::Taped => (Severity::BeforeUse, "is only taped"),
            LooseEnd::Capped => (Severity::Advice, "is capped and goes nowhere"),
            LooseEnd::Unseen => (Severity::BeforeUse, "was not followed"),
        };
        let subject = net.wires[wire].key.clone();
        if found.iter().any(|f| f.subject == subject && f.severity >= severity) {
            continue;
        }
        found.retain(|f| f.subject != subject);
        let statement = format!("The end of {} {words}, and {from} makes it live.", ctx.wire_words(wire));
        let mut f = ctx.finding(&RULE, severity, &subject, statement);
        f.evidence.push(format!("State: {}.", ctx.state_words(state)));
        f.evidence.push(match how {
            LooseEnd::Capped => "List it, label it, and say what it was for.".to_owned(),
            _ => "Take its fuse out and hold it, cap the end, and list it; or take the conductor out.".to_owned(),
        });
        if how == LooseEnd::Unseen {
            f.certainty = Certainty::Possible;
            f.evidence.push("Possible: it may end well behind what was not opened.".to_owned());
            f.evidence.extend(candidates(ctx, wire));
        }
        f.way = state.way.clone();
        f.wires = vec![net.wires[wire].spot];
        found.push(f);
    }
    found.extend(unused(ctx));
    found
}

/// Components at which a cable that was not followed may end: what takes mains and has nothing landed on it, has as many cores, and
/// asks for no more than the cable carries.
pub(crate) fn may_end_at(ctx: &Context, wire: usize) -> Vec<usize> {
    let net = ctx.net;
    let WireSpot::Cable(cable, _) = net.wires[wire].spot else { return Vec::new() };
    let landed = |n: usize| net.edges.iter().any(|e| matches!(e.what, EdgeKind::Wire(_)) && (e.a == n || e.b == n));
    let two_hot = ctx.rig.cables[cable].cores >= 4;
    // Of unseen size it may be thick enough for anything.
    let carries = if net.wires[wire].unseen { f64::INFINITY } else { ctx.ampacity(wire).device_a };
    let open = |(index, p): &(usize, &crate::rig::Component)| {
        let anatomy = anatomy(p);
        let takes = |port: &&crate::catalogue::Port| port.usual != PortUse::Out;
        let mut ports = anatomy.ports.iter().filter(takes);
        let free = ports.any(|port| net.node(*index, &port.terminals[0]).is_some_and(|n| !landed(n)));
        let asks = net.consumers.iter().filter(|c| c.ac && c.component == *index).filter_map(|c| c.current_a);
        // A two-hot appliance wants both hots; anything else may hang on one of them.
        let cores = two_hot || !net.consumers.iter().any(|c| c.component == *index && c.two_hot);
        p.status.present() && !p.kind.is_inline() && free && cores && asks.fold(0.0, f64::max) <= carries * (1.0 + 1e-6)
    };
    ctx.rig.components.iter().enumerate().filter(open).map(|(index, _)| index).collect()
}

/// Where a cable that was not followed may end, in words.
fn candidates(ctx: &Context, wire: usize) -> Option<String> {
    let WireSpot::Cable(..) = ctx.net.wires[wire].spot else { return None };
    let names: Vec<String> = may_end_at(ctx, wire).into_iter().map(|index| ctx.component_words(index)).collect();
    Some(if names.is_empty() {
        "Nothing that was traced waits for it: it ends at something that was not seen. Dead, ring it out with a lead on one core at the panel.".to_owned()
    } else {
        format!("It may end at {}: dead, ring it out with a lead on one core at the panel.", names.join(", "))
    })
}

/// Conductors that are live up to equipment that is out of use, or to where something was taken out.
fn unused(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: Vec<Finding> = Vec::new();
    for (index, p) in ctx.rig.components.iter().enumerate() {
        let (severity, words) = match p.status {
            Status::OutOfUse => (Severity::Soon, "is out of use and still wired"),
            Status::Removed => (Severity::Advice, "was taken out, and the conductor to it is left"),
            _ => continue,
        };
        let own = |n: usize| net.nodes[n].component == Some(index);
        let at = |e: &&Edge| matches!(e.what, EdgeKind::Wire(_)) && (own(e.a) || own(e.b));
        // A run passes straight through a device that is not there.
        if p.kind.is_inline() && net.edges.iter().filter(at).count() > 1 {
            continue;
        }
        for e in net.edges.iter().filter(at) {
            let EdgeKind::Wire(w) = e.what else { continue };
            let end = if own(e.a) { e.a } else { e.b };
            let live = ctx.first_state(|s| s.live.sources_at(net, end).next().is_some());
            let Some(state) = live.filter(|_| found.iter().all(|f| f.subject != net.wires[w].key)) else { continue };
            let statement = format!("{} {words}: {} is live.", ctx.component_words(index), ctx.wire_words(w));
            let mut f = ctx.finding(&RULE, severity, &net.wires[w].key, statement);
            f.evidence.push(format!("State: {}.", ctx.state_words(state)));
            f.evidence
                .push("Take its fuse out and hold it, cap the end, and list it; or take the conductor out.".to_owned());
            f.way = state.way.clone();
            f.wires = vec![net.wires[w].spot];
            f.components = vec![p.id.clone()];
            found.push(f);
        }
    }
    found
}
