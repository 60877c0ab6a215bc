//! Repairs that are dangerous whatever they close: they pass no trial, whoever proposes them.
//!
//! A trial compares the audits before and after, so what was wrong before and stays wrong is not held against a repair. That
//! is not enough where the repair itself rests on the wrong: a bond on an inverter that is not known isolated, a bond behind
//! the device that it is to serve, a larger device ahead of a conductor that is too thin for it already.

use super::Edit;
use crate::audit::Audit;
use crate::catalogue::{Kind, Role};
use crate::network::EdgeKind;
use crate::rig::{Component, Rig, Step, Value};
use crate::rules::{Finding, Is, Severity, Target};
use crate::units::Dimension;

/// Why a repair is dangerous; nothing where it is none of these.
pub(super) fn forbidden(before: &Rig, edits: &[Edit], after: &Audit) -> Option<String> {
    bonds_unread_inverter(edits, after)
        .or_else(|| bonds_behind_residual(edits, after))
        .or_else(|| larger_device(before, edits, after))
}

fn joins(word: Option<&str>) -> bool {
    matches!(word, Some("bond-fixed" | "bond-switched"))
}

/// A bond made inside an inverter that is not known to be isolated, or one outside that its neutral then meets.
fn bonds_unread_inverter(edits: &[Edit], after: &Audit) -> Option<String> {
    let unread = |p: &Component| {
        matches!(p.kind, Kind::Inverter | Kind::InverterCharger) && p.word("isolation") != Some("isolated")
    };
    let rig = &after.assumed;
    for edit in edits {
        if let Edit::Attribute { component, key, value } = edit
            && key == "bond"
            && joins(value.as_deref())
            && rig.component(component).is_some_and(unread)
        {
            return Some(format!("It bonds {component}, which is not known to be isolated: its maker is asked first."));
        }
    }
    let made = edits.iter().any(|e| added_bond(e).is_some() || matches!(e, Edit::AddRun(_)));
    let meets = after.findings.iter().find(|f| f.rule.is(Is::BondUnproven)).filter(|_| made)?;
    Some(format!("It leaves a bond on an inverter that is not known to be isolated: {}", meets.statement))
}

/// The component at whose neutral bar an edit makes a bond.
fn added_bond(edit: &Edit) -> Option<&str> {
    match edit {
        Edit::Attribute { component, key, value } if key == "jumper" && value.is_some() => Some(component),
        _ => None,
    }
}

/// Neutral terminals at which an edit makes a bond: a jumper, or a conductor between a neutral and an earth.
fn bonded_at(edit: &Edit, after: &Audit) -> Vec<usize> {
    let net = &after.net;
    let component = |id: &str| after.assumed.components.iter().position(|p| p.id == id);
    if let Some(id) = added_bond(edit) {
        return component(id).and_then(|p| net.node(p, "N")).into_iter().collect();
    }
    let Edit::AddRun(run) = edit else { return Vec::new() };
    let ends = std::iter::once(&run.from).chain(run.steps.iter().filter_map(|s| match s {
        Step::At(t) => Some(t),
        _ => None,
    }));
    let nodes: Vec<usize> = ends
        .filter_map(|t| crate::meaning::terminal_of(&after.assumed, t, true).ok())
        .filter_map(|(p, t)| net.node(p, &t))
        .collect();
    let earth = nodes.iter().any(|n| net.nodes[*n].role == Role::Earth);
    nodes.into_iter().filter(|n| earth && net.nodes[*n].duty == Role::Neutral).collect()
}

/// A bond that every source reaches through a residual-current device alone: that device then counts the fault current on its
/// way out and on its way back, and never opens.
fn bonds_behind_residual(edits: &[Edit], after: &Audit) -> Option<String> {
    let net = &after.net;
    let places: Vec<usize> = edits.iter().flat_map(|e| bonded_at(e, after)).collect();
    if places.is_empty() {
        return None;
    }
    let ahead = after.context().joined(|e| {
        e.residual.is_none()
            && net.nodes[e.a].duty == Role::Neutral
            && net.nodes[e.b].duty == Role::Neutral
            && !matches!(e.what, EdgeKind::Bond { .. })
    });
    let reached = |n: &usize| net.sources.iter().any(|s| s.kind.is_ac() && ahead[s.minus] == ahead[*n]);
    let behind = places.iter().find(|n| !reached(n))?;
    Some(format!(
        "It bonds neutral at {}, behind the residual-current device: that then never opens.",
        net.nodes[*behind].name
    ))
}

/// A device that is made larger while a conductor on it stays unprotected.
fn larger_device(before: &Rig, edits: &[Edit], after: &Audit) -> Option<String> {
    let amps = |v: Option<&Value>| v.and_then(|v| v.si(Dimension::Current));
    for edit in edits {
        let (component, old, new) = match edit {
            Edit::Attribute { component, key, value: Some(value) } if key == "rating" || key == "main" => {
                let p = before.component(component).filter(|p| p.kind.is_overcurrent_device() || p.kind == Kind::Panel);
                (component, amps(p.and_then(|p| p.attrs.get(key))), amps(Some(&Value::new(value.clone()))))
            }
            Edit::WayRating { component, way, rating } => {
                let of = before.component(component).and_then(|p| p.ways.iter().find(|w| w.id == *way));
                (component, amps(of.map(|w| &w.rating)), amps(Some(&Value::new(rating.clone()))))
            }
            _ => continue,
        };
        let grows = matches!((old, new), (Some(old), Some(new)) if new > old * (1.0 + 1e-6));
        let held_by = |f: &Finding| match &f.target {
            Target::Wires { devices, .. } => devices.iter().any(|d| d.0 == *component),
            _ => false,
        };
        let bare = after.findings.iter().find(|f| {
            f.rule.is(Is::Unprotected)
                && f.severity >= Severity::Soon
                && (f.components.contains(component) || held_by(f))
        });
        if let Some(f) = bare.filter(|_| grows) {
            return Some(format!("It makes a device larger ahead of what it does not protect: {}", f.statement));
        }
    }
    None
}
