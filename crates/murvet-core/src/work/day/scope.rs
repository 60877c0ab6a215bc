//! Kinds of work, of which a person may do some.

use crate::audit::Audit;
use crate::network::EdgeKind;
use std::collections::BTreeSet;

/// A kind of work, as licences part it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum WorkKind {
    /// Batteries and everything at their voltage.
    ExtraLow,
    /// Mains wiring that is fixed.
    MainsFixed,
    /// What is plugged into mains.
    MainsPlugged,
    /// Anything in a gas locker.
    GasLocker,
    /// Tests and looks alone.
    TestOnly,
}

impl WorkKind {
    /// All of them with their words.
    pub const ALL: [(WorkKind, &'static str); 5] = [
        (WorkKind::ExtraLow, "extra-low"),
        (WorkKind::MainsFixed, "mains-fixed"),
        (WorkKind::MainsPlugged, "mains-plugged"),
        (WorkKind::GasLocker, "gas-locker"),
        (WorkKind::TestOnly, "test-only"),
    ];

    /// The word.
    pub fn word(self) -> &'static str {
        WorkKind::ALL.iter().find(|(k, _)| *k == self).map_or("", |(_, w)| w)
    }

    /// Reads the word.
    pub fn parse(word: &str) -> Option<WorkKind> {
        WorkKind::ALL.iter().find(|(_, w)| *w == word).map(|(k, _)| *k)
    }
}

/// The kinds of work that a change of a rig is: by the duty of what is touched and the place it is in.
///
/// What is touched on the mains side is fixed wiring, but for cords and what stands on a plug; everything else is at extra-low
/// voltage, and what lies in a gas locker is work there as well.
pub fn kinds(before: &Audit, after: &Audit) -> BTreeSet<WorkKind> {
    let mut kinds = BTreeSet::new();
    for audit in [before, after] {
        let (net, rig) = (&audit.net, &audit.assumed);
        let other = if std::ptr::eq(audit, before) { after } else { before };
        let there = |key: &str| other.net.wires.iter().any(|w| w.key == key);
        for e in &net.edges {
            let EdgeKind::Wire(w) = e.what else { continue };
            let wire = &net.wires[w];
            let same = other.net.wires.iter().find(|o| o.key == wire.key);
            if there(&wire.key)
                && same.is_some_and(|o| (o.length_m, o.laid.area_mm2) == (wire.length_m, wire.laid.area_mm2))
            {
                continue;
            }
            let mains = net.nodes[e.a].is_mains_side() || net.nodes[e.b].is_mains_side();
            kinds.insert(match (mains, wire.laid.cord) {
                (true, true) => WorkKind::MainsPlugged,
                (true, false) => WorkKind::MainsFixed,
                (false, _) => WorkKind::ExtraLow,
            });
        }
        for (index, p) in rig.components.iter().enumerate() {
            let was = other.assumed.component(&p.id);
            if was.is_some_and(|o| (&o.attrs, &o.ways, o.kind, o.status) == (&p.attrs, &p.ways, p.kind, p.status)) {
                continue;
            }
            let on_mains = net.nodes.iter().any(|n| n.component == Some(index) && n.is_mains_side());
            kinds.insert(match (on_mains, p.flag("plug-in") || p.attrs.contains_key("on")) {
                (true, true) => WorkKind::MainsPlugged,
                (true, false) => WorkKind::MainsFixed,
                (false, _) => WorkKind::ExtraLow,
            });
            let zone = p.place.as_deref().and_then(|id| rig.place(id)).and_then(|p| p.zone.as_deref());
            if zone == Some("gas") {
                kinds.insert(WorkKind::GasLocker);
            }
        }
    }
    kinds
}
