//! The fault card: when something is dead, which device is looked at first, where, how it looks open, and what may be done.

use super::circuits::{Circuit, circuits};
use crate::audit::Audit;
use crate::catalogue::{Kind, SourceKind};
use crate::network::EdgeKind;
use crate::rules::{About, Context, Severity};
use crate::units::short;
use std::collections::BTreeSet;

/// How a device shows that it is open.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Opened {
    /// A fuse whose wire can be seen.
    SeenThrough,
    /// A fuse that shows nothing: only a meter tells.
    Hidden,
    /// A lever that stands between on and off.
    Lever,
    /// A lever or button of a residual-current device.
    Residual,
}

/// What an owner may do with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum May {
    /// A like fuse is put in once.
    ReplaceOnce,
    /// It is switched on again once.
    ResetOnce,
    /// Nothing: something is found on its circuit that has to be put right before use.
    LeaveAlone,
}

/// One line of the card.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FaultLine {
    /// What is dead when this device is open.
    pub dead: Vec<String>,
    /// The device, by its name, with its printed one.
    pub device: (String, String),
    /// Where it is, by the label of the place.
    pub place: Option<String>,
    /// How it shows that it is open.
    pub opened: Opened,
    /// What may be done.
    pub may: May,
    /// The spare to carry, for a fuse of known rating: rating and class.
    pub spare: Option<String>,
    /// What is looked at next, the nearest first.
    pub then: Vec<String>,
}

/// The fault card of a rig: a line for each device that feeds something, directly or through others.
///
/// Complexity: devices times devices.
pub fn fault_card(audit: &Audit) -> Vec<FaultLine> {
    let list = circuits(audit);
    let (grave, ctx) = (grave(audit), audit.context());
    list.iter().filter_map(|c| line(audit, &ctx, &list, c, &grave)).collect()
}

/// Components and terminals at which something is found that has to be put right before use: what the finding is about, and both
/// ends of the conductors that it shows at. Of a panel or a fuse block only the way counts, not its neighbours.
fn grave(audit: &Audit) -> BTreeSet<String> {
    let net = &audit.net;
    let ways = |id: &str| audit.assumed.component(id).is_some_and(|p| !p.ways.is_empty());
    let mut names: BTreeSet<String> = BTreeSet::new();
    for f in audit.findings.iter().filter(|f| f.severity >= Severity::BeforeUse) {
        names.extend(
            f.subject
                .components()
                .chain(f.components.iter().map(String::as_str))
                .filter(|id| !ways(id))
                .map(str::to_owned),
        );
        for about in f.subject.about() {
            if let About::Way { component, way } = about {
                names.insert(format!("{component}.{way}"));
            }
        }
        for e in &net.edges {
            if matches!(e.what, EdgeKind::Wire(w) if f.wires.contains(&net.wires[w].spot)) {
                names.extend([e.a, e.b].map(|n| net.nodes[n].name.clone()));
            }
        }
    }
    names
}

fn line(audit: &Audit, ctx: &Context, list: &[Circuit], c: &Circuit, grave: &BTreeSet<String>) -> Option<FaultLine> {
    let of = |name: &str| list.iter().find(|o| o.name() == name);
    let ways = Ways { audit, list };
    // What hangs on a device that is dead without this one, each once.
    let mut dead: Vec<String> = Vec::new();
    let own: Vec<String> = std::iter::once(c.name().to_owned()).chain(c.beside.iter().cloned()).collect();
    let dies = |o: &Circuit| ways.dies(if o.name() == c.name() { &own } else { &o.ahead }, c.name());
    for o in list.iter().filter(|o| dies(o)) {
        o.feeds.iter().for_each(|f| {
            if !dead.contains(f) {
                dead.push(f.clone())
            }
        });
    }
    if dead.is_empty() {
        return None;
    }
    let mut then: Vec<String> = Vec::new();
    let mut next: Vec<String> = c.ahead.clone();
    while !next.is_empty() {
        let fresh: Vec<String> = next.into_iter().filter(|n| *n != c.name() && !then.contains(n)).collect();
        next = fresh.iter().filter_map(|n| of(n)).flat_map(|o| o.ahead.clone()).collect();
        then.extend(fresh);
    }
    let p = &audit.assumed.components[c.component];
    let way = c.way.as_deref();
    let residual = way.map_or(p.kind == Kind::Rcbo, |w| p.ways.iter().any(|o| o.id == w && o.rcd.is_some()));
    let fuse = p.kind == Kind::Fuse || p.kind == Kind::FuseBlock;
    let class = p.word("class").unwrap_or(if p.kind == Kind::FuseBlock { "blade" } else { "" });
    let opened = match (fuse, residual) {
        (true, _) if matches!(class, "blade" | "large-blade" | "glass") => Opened::SeenThrough,
        (true, _) => Opened::Hidden,
        (false, true) => Opened::Residual,
        (false, false) => Opened::Lever,
    };
    let on_it =
        |name: &String| audit.assumed.components.iter().any(|o| o.title() == name && grave.contains(o.id.as_str()));
    let may = if grave.contains(c.name()) || c.feeds.iter().any(on_it) {
        May::LeaveAlone
    } else if fuse {
        May::ReplaceOnce
    } else {
        May::ResetOnce
    };
    let read = !ctx.unread(c.component, way);
    let spare = c.rating_a.filter(|_| read && fuse && may != May::LeaveAlone);
    let place = p.place.as_deref().and_then(|id| audit.assumed.place(id));
    Some(FaultLine {
        dead,
        device: (c.name().to_owned(), c.label.clone()),
        place: place.map(|p| p.label.clone().unwrap_or_else(|| p.id.clone())),
        opened,
        may,
        spare: spare.map(|amps| format!("{} A {class}", short(amps)).trim().to_owned()),
        then,
    })
}

/// What feeds what, over devices and converters.
struct Ways<'a> {
    audit: &'a Audit,
    list: &'a [Circuit],
}

impl Ways<'_> {
    /// What stands ahead of a device or a source: for a device what is listed, for what converts the devices that feed it.
    fn ahead(&self, name: &str) -> Vec<String> {
        if let Some(c) = self.list.iter().find(|c| c.name() == name) {
            return c.ahead.clone();
        }
        let title = self.audit.assumed.component(name).map_or(name, |p| p.title());
        let feeding = self.list.iter().filter(|c| c.feeds.iter().any(|f| f == title));
        feeding.map(|c| c.name().to_owned()).collect()
    }

    fn kind(&self, name: &str) -> Option<SourceKind> {
        let net = &self.audit.net;
        net.sources.iter().find(|s| self.audit.assumed.components[s.component].id == name).map(|s| s.kind)
    }

    /// Whether what has these ahead of it is fed without passing another device, by sources that count.
    fn fed(&self, ahead: &[String], without: &str, counts: Counts) -> bool {
        let mut seen: BTreeSet<String> = BTreeSet::new();
        let mut open: Vec<String> = ahead.to_vec();
        while let Some(name) = open.pop() {
            if name == without || !seen.insert(name.clone()) {
                continue;
            }
            match self.kind(&name) {
                Some(kind) if kind.charges() && counts != Counts::Everything => {}
                Some(SourceKind::Inverter) if counts == Counts::Supplies => {}
                Some(SourceKind::Charger | SourceKind::DcDc | SourceKind::Controller) | None => {
                    open.extend(self.ahead(&name));
                }
                Some(_) => return true,
            }
        }
        false
    }

    /// Whether what has these ahead of it is fed, and is not without a device. The best kind of source that feeds it counts: a bar that the
    /// battery feeds is dead for its owner when the battery is off, sun or shore or not; an outlet that shore feeds is looked at
    /// while plugged in.
    fn dies(&self, ahead: &[String], without: &str) -> bool {
        let best = [Counts::Supplies, Counts::Stores, Counts::Everything];
        let best = best.into_iter().find(|counts| self.fed(ahead, "", *counts));
        best.is_some_and(|counts| !self.fed(ahead, without, counts))
    }
}

/// Which sources count as feeding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Counts {
    /// Batteries, shore and generators.
    Supplies,
    /// Inverters as well.
    Stores,
    /// What charges, too.
    Everything,
}
