//! The circuit list: what each device feeds.

use crate::audit::Audit;
use crate::catalogue::Kind;
use crate::network::{Union, What};
use crate::units::short;
use std::collections::BTreeMap;

/// One circuit.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Circuit {
    /// The device that protects it, or what it hangs on.
    pub device: String,
    /// Printed name.
    pub label: String,
    /// What it feeds.
    pub feeds: Vec<String>,
    /// Its conductors.
    pub conductors: Vec<String>,
}

/// The circuits of a rig: for every overcurrent device what lies behind it up to the next device, with
/// every contact taken as closed.
pub fn circuits(audit: &Audit) -> Vec<Circuit> {
    let net = &audit.net;
    let rig = &audit.assumed;
    let mut pads = Union::new(net.nodes.len());
    for e in &net.edges {
        if !matches!(e.what, What::Device { .. } | What::Bond { .. }) && !net.crosses_earth(e) {
            pads.join(e.a, e.b);
        }
    }
    let pad = pads.into_labels();
    // What consumes, by the part it hangs on.
    let mut on: BTreeMap<u32, Vec<String>> = BTreeMap::new();
    for c in &net.consumers {
        on.entry(pad[c.plus]).or_default().push(rig.pieces[c.piece].title().to_owned());
    }
    for (n, node) in net.nodes.iter().enumerate() {
        if let Some(p) = node.piece
            && matches!(rig.pieces[p].kind, Kind::Outlet | Kind::GfciOutlet)
            && node.terminal.ends_with(".L")
        {
            let list = on.entry(pad[n]).or_default();
            let title = rig.pieces[p].title().to_owned();
            if !list.contains(&title) {
                list.push(title);
            }
        }
    }
    let mut out: Vec<Circuit> = Vec::new();
    for e in &net.edges {
        let What::Device { piece, way, rating_a } = &e.what else { continue };
        let p = &rig.pieces[*piece];
        let label = match way {
            Some(way) => p.ways.iter().find(|w| w.id == *way).and_then(|w| w.label.clone()),
            None => p.label.clone(),
        };
        let name = match way {
            Some(way) => format!("{}.{way}", p.id),
            None => p.id.clone(),
        };
        let rating = if rating_a.is_finite() { format!("{} A", short(*rating_a)) } else { "rating unseen".to_owned() };
        let fed = pad[e.b];
        let conductors: Vec<String> = net
            .edges
            .iter()
            .filter(|w| pad[w.a] == fed)
            .filter_map(|w| match w.what {
                What::Wire(i) => Some(net.wires[i].title.clone()),
                _ => None,
            })
            .collect();
        let feeds = on.get(&fed).cloned().unwrap_or_default();
        if !feeds.is_empty() || !conductors.is_empty() {
            out.push(Circuit {
                device: format!("{name}, {rating}"),
                label: label.unwrap_or_default(),
                feeds,
                conductors,
            });
        }
    }
    out
}
