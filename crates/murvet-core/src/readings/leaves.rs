//! What a residual-current device or a breaker leaves live when it is off: neither is an isolation.

use crate::audit::Audit;
use crate::catalogue::Kind;
use crate::network::{Edge, EdgeKind, Union};
use crate::rules::distinct;

/// Named at most; more are counted.
const NAMED: usize = 6;
/// States looked at, at most.
const STATES: usize = 64;

/// A sentence for each residual-current device, each main of a panel and the breakers of one pole.
///
/// Complexity: one union of the network's edges for each device and state.
pub(super) fn leaves_live(audit: &Audit) -> Vec<String> {
    let (net, rig, ctx) = (&audit.net, &audit.assumed, audit.context());
    let outlets = ctx.components(Kind::Outlet).chain(ctx.components(Kind::GfciOutlet));
    let mut points: Vec<(usize, usize)> = outlets.filter_map(|p| Some((p, net.plugged(p, "L")?))).collect();
    // What is plugged in is told by its outlet.
    let wired = |c: &&crate::network::Consumer| c.ac && !rig.components[c.component].attrs.contains_key("on");
    points.extend(net.consumers.iter().filter(wired).map(|c| (c.component, c.plus)));
    // Live in any state that the rig comes to rest in: a relay that passes one source is not closed while another feeds.
    let states = &audit.states.states[..audit.states.states.len().min(STATES)];
    let live = |off: &dyn Fn(&Edge) -> bool| -> Vec<bool> {
        let mut any = vec![false; points.len()];
        for state in states {
            let mut union = Union::new(net.nodes.len());
            for (k, e) in net.edges.iter().enumerate() {
                if !off(e) && state.closed(net, k) && !matches!(e.what, EdgeKind::Bond { .. }) && !net.crosses_earth(e)
                {
                    union.join(e.a, e.b);
                }
            }
            let part = union.into_labels();
            let on = |i: usize| net.sources[i].kind.is_ac() && state.live.active[i];
            for ((_, n), any) in points.iter().zip(&mut any) {
                *any |= (0..net.sources.len()).any(|i| on(i) && part[net.sources[i].plus] == part[*n]);
            }
        }
        any
    };
    let before = live(&|_| false);
    let sentence = |name: String, after: Vec<bool>| {
        let (mut off, mut on) = (Vec::new(), Vec::new());
        for ((component, _), (was, is)) in points.iter().zip(before.iter().zip(after)) {
            match (was, is) {
                (true, false) => off.push(ctx.id(*component)),
                (true, true) => on.push(ctx.id(*component)),
                _ => {}
            }
        }
        let (off, on) = (distinct(off), distinct(on));
        let on: Vec<&str> = on.into_iter().filter(|p| !off.contains(p)).collect();
        let words = |list: &[&str]| match list.len() {
            0 => "nothing".to_owned(),
            n if n > NAMED => format!("{} and {} more", list[..NAMED].join(", "), n - NAMED),
            _ => list.join(", "),
        };
        let rest = if on.is_empty() { String::new() } else { format!(", {}", words(&on)) };
        format!("{name} takes off {}; still live: its supply side{rest}.", words(&off))
    };
    let mut list = Vec::new();
    for (index, p) in rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        if net.edges.iter().any(|e| e.residual == Some(index)) {
            list.push(sentence(format!("The button of {}", p.title()), live(&|e| e.residual == Some(index))));
        }
        let main = |e: &Edge| matches!(&e.what, EdgeKind::Device { component, way: None, .. } if *component == index);
        if p.kind == Kind::Panel && net.edges.iter().any(main) {
            list.push(sentence(format!("The main switch of {}", p.title()), live(&main)));
        }
    }
    let single = ctx.components(Kind::Panel).filter(|p| !rig.components[*p].ways.is_empty());
    let single: Vec<&str> =
        single.filter(|p| rig.components[*p].word("poles") != Some("2-pole")).map(|p| ctx.id(p)).collect();
    if !single.is_empty() {
        list.push(format!(
            "A way of {} opens its {} alone: the neutral stays joined.",
            single.join(", "),
            audit.rules.words.line
        ));
    }
    list
}
