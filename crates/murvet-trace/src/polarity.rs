//! Which polarity a terminal has by what is traced so far.

use murvet_core::catalogue::{Kind, Role};
use murvet_core::meaning::{HopEnd, walk};
use murvet_core::rig::Rig;
use murvet_core::terminals::anatomy;
use std::collections::BTreeMap;

type At = (usize, String);

/// The polarity of every terminal that conductors, two-ended devices and bars join to one whose polarity is its own.
pub(crate) struct Polarity {
    class: BTreeMap<At, usize>,
    roles: Vec<(Role, bool)>,
}

impl Polarity {
    /// Complexity: the conductors and inner links, times the depth of a chain of devices.
    ///
    /// What is joined forms classes; a class takes the role of the members that have one of their own. Where a class holds both
    /// a negative and an earth, as a bar that is bonded to the chassis does, it counts as the negative.
    pub(crate) fn of(rig: &Rig) -> Polarity {
        let mut joins: Vec<(At, At)> = Vec::new();
        for hop in rig.runs.iter().filter_map(|run| walk(rig, run).ok()).flatten() {
            if let (HopEnd::Terminal(a, s), HopEnd::Terminal(b, t)) = (hop.from, hop.to) {
                joins.push(((a, s), (b, t)));
            }
        }
        let mut own: Vec<(At, Role, bool)> = Vec::new();
        for (n, component) in rig.components.iter().enumerate() {
            let a = anatomy(component);
            let sun = component.kind == Kind::Array;
            own.extend(
                a.terminals.iter().map(|(t, role)| ((n, t.clone()), *role, sun || matches!(t.as_str(), "pv+" | "pv-"))),
            );
            if component.kind.is_inline() || component.kind == Kind::JointBox || component.kind == Kind::Battery {
                joins.extend(a.inner.iter().map(|(s, t, _)| ((n, s.clone()), (n, t.clone()))));
            }
        }
        let mut class: BTreeMap<At, usize> = own.iter().enumerate().map(|(n, (at, ..))| (at.clone(), n)).collect();
        // The lowest number of either side goes to both, until nothing changes.
        let mut changed = true;
        while changed {
            changed = false;
            for (a, b) in &joins {
                let (Some(x), Some(y)) = (class.get(a).copied(), class.get(b).copied()) else { continue };
                if x != y {
                    class.insert(a.clone(), x.min(y));
                    class.insert(b.clone(), x.min(y));
                    changed = true;
                }
            }
        }
        let mut roles = vec![(Role::Any, false); own.len()];
        for (at, role, sun) in &own {
            let (so_far, from_sun) = &mut roles[class[at]];
            *so_far = rank(*so_far, *role);
            *from_sun |= *sun;
        }
        Polarity { class, roles }
    }

    /// The role of a terminal, and whether an array feeds it.
    pub(crate) fn at(&self, component: usize, terminal: &str) -> (Role, bool) {
        self.class.get(&(component, terminal.to_owned())).map_or((Role::Any, false), |n| self.roles[*n])
    }
}

/// The role that says more of what a conductor carries.
fn rank(a: Role, b: Role) -> Role {
    let order = [Role::Plus, Role::Minus, Role::Line, Role::Neutral, Role::Earth, Role::Any];
    order.into_iter().find(|r| *r == a || *r == b).unwrap_or(Role::Any)
}
