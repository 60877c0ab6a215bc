//! Breadth-first search over operations.

use super::{Live, Setting, evaluate, gate_closed};
use crate::network::{Network, What};
use std::collections::{BTreeSet, HashMap, HashSet, VecDeque};

/// The search stops after so many settled settings and says so.
pub const MOST_SETTINGS: usize = 20_000;

/// A settled state, one for each electrically different one.
#[derive(Debug, Clone)]
pub struct State {
    /// Where everything stands.
    pub setting: Setting,
    /// The shortest sequence of operations from parked, in words.
    pub way: Vec<String>,
    /// What is live.
    pub live: Live,
}

/// Automatic devices that never come to rest.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Oscillation {
    /// The shortest sequence of operations that leads to it.
    pub way: Vec<String>,
    /// The pieces that keep moving, by index.
    pub pieces: Vec<usize>,
}

/// All states.
#[derive(Debug, Clone)]
pub struct Exploration {
    /// Distinct states in the order in which the search met them, parked first.
    pub states: Vec<State>,
    /// Settings with no settled state.
    pub oscillations: Vec<Oscillation>,
    /// Whether every reachable setting was visited.
    pub complete: bool,
}

impl State {
    /// Whether an edge conducts at this setting.
    pub fn closed(&self, net: &Network, edge: usize) -> bool {
        match &net.edges[edge].what {
            What::Contact(gate) => gate_closed(&self.setting, *gate),
            What::Bond { bond, source, .. } => self.live.bond_joined(*bond, *source),
            _ => true,
        }
    }

    /// The state in a few words: every control away from its parked position and every changeover away
    /// from rest.
    pub fn describe(&self, net: &Network) -> String {
        let mut words: Vec<String> = Vec::new();
        for (control, &at) in net.controls.iter().zip(&self.setting.controls) {
            if at != 0 {
                words.push(format!("{} {}", control.name, control.positions[usize::from(at)]));
            }
        }
        if words.is_empty() { "parked".to_owned() } else { words.join(", ") }
    }
}

/// The settled settings that can follow once a setting is made, and the moving devices if there are
/// none. Every order of moves is tried, because relays do not move at the same instant.
fn settle(net: &Network, start: Setting, seen: &mut HashMap<Setting, Live>) -> (Vec<Setting>, Vec<usize>) {
    if net.autos.is_empty() {
        return (vec![start], Vec::new());
    }
    let mut settled = Vec::new();
    let mut visited = HashSet::new();
    let mut moving = BTreeSet::new();
    let mut stack = vec![start];
    while let Some(setting) = stack.pop() {
        if !visited.insert(setting.clone()) {
            continue;
        }
        let live = seen.entry(setting.clone()).or_insert_with(|| evaluate(net, &setting));
        let wanted = live.wanted.clone();
        if wanted == setting.autos {
            settled.push(setting);
            continue;
        }
        for (i, &to) in wanted.iter().enumerate() {
            if setting.autos[i] != to {
                moving.insert(net.autos[i].piece);
                let mut next = setting.clone();
                next.autos[i] = to;
                stack.push(next);
            }
        }
    }
    settled.sort();
    (settled, moving.into_iter().collect())
}

/// The state in which the automatic devices come to rest with the controls at these positions, starting
/// from their rest positions; nothing when they never do.
pub fn settle_at(net: &Network, controls: &[u8]) -> Option<State> {
    let start = Setting { controls: controls.to_vec(), autos: vec![0; net.autos.len()] };
    let mut seen = HashMap::new();
    let (settled, _) = settle(net, start, &mut seen);
    let setting = settled.into_iter().next()?;
    let live = seen.remove(&setting).unwrap_or_else(|| evaluate(net, &setting));
    let moved = net.controls.iter().zip(controls).filter(|(_, at)| **at != 0);
    let way = moved.filter_map(|(c, at)| c.operations.get(usize::from(*at)).cloned()).collect();
    Some(State { setting, way, live })
}

/// Operations allowed at a setting: each control to each other position, unless an interlock forbids
/// it.
fn operations(net: &Network, setting: &Setting) -> Vec<(usize, u8)> {
    let mut list = Vec::new();
    for (c, control) in net.controls.iter().enumerate() {
        for position in 0..control.positions.len() as u8 {
            if setting.controls[c] == position {
                continue;
            }
            let blocked = position != 0
                && control.interlock.as_ref().is_some_and(|name| {
                    net.controls
                        .iter()
                        .enumerate()
                        .any(|(o, other)| o != c && other.interlock.as_ref() == Some(name) && setting.controls[o] != 0)
                });
            if !blocked {
                list.push((c, position));
            }
        }
    }
    list
}

/// Visits every settled setting that operations can reach from parked.
///
/// Complexity: one evaluation for each setting (the product of the positions), each linear in the
/// network; states that differ only in contacts of dead parts are kept once.
pub fn explore(net: &Network) -> Exploration {
    let parked = Setting { controls: vec![0; net.controls.len()], autos: vec![0; net.autos.len()] };
    let mut seen: HashMap<Setting, Live> = HashMap::new();
    let mut reached: HashSet<Setting> = HashSet::new();
    let mut queue: VecDeque<(Setting, Vec<String>)> = VecDeque::new();
    let mut out = Exploration { states: Vec::new(), oscillations: Vec::new(), complete: true };
    let mut stuck: HashSet<Vec<usize>> = HashSet::new();
    let mut started: HashSet<Setting> = HashSet::new();
    let mut arrive = |start: Setting,
                      way: &dyn Fn() -> Vec<String>,
                      seen: &mut HashMap<Setting, Live>,
                      queue: &mut VecDeque<(Setting, Vec<String>)>,
                      out: &mut Exploration| {
        // Many operations lead to one setting; the first way to it is a shortest.
        if !started.insert(start.clone()) {
            return;
        }
        let (settled, moving) = settle(net, start, seen);
        if settled.is_empty() && stuck.insert(moving.clone()) {
            out.oscillations.push(Oscillation { way: way(), pieces: moving });
        }
        for setting in settled {
            if reached.insert(setting.clone()) {
                queue.push_back((setting, way()));
            }
        }
    };
    arrive(parked, &Vec::new, &mut seen, &mut queue, &mut out);
    let mut distinct: HashSet<(Vec<bool>, Vec<bool>)> = HashSet::new();
    let mut visited = 0usize;
    while let Some((setting, way)) = queue.pop_front() {
        visited += 1;
        if visited > MOST_SETTINGS {
            out.complete = false;
            break;
        }
        for (control, position) in operations(net, &setting) {
            let mut next = setting.clone();
            next.controls[control] = position;
            let further = || {
                let mut way = way.clone();
                way.push(net.controls[control].operations[usize::from(position)].clone());
                way
            };
            arrive(next, &further, &mut seen, &mut queue, &mut out);
        }
        let live = seen.remove(&setting).unwrap_or_else(|| evaluate(net, &setting));
        let state = State { setting, way, live };
        // Contacts in parts that no source reaches make no difference.
        let mut lit: HashSet<u32> = HashSet::new();
        for (s, source) in net.sources.iter().enumerate() {
            if state.live.active[s] {
                lit.insert(state.live.metal[source.plus]);
                lit.insert(state.live.metal[source.minus]);
            }
        }
        let contacts = net
            .edges
            .iter()
            .enumerate()
            .filter(|(_, e)| matches!(e.what, What::Contact(_)))
            .map(|(i, e)| state.closed(net, i) && (lit.contains(&state.live.metal[e.a])))
            .collect();
        if distinct.insert((contacts, state.live.active.clone())) {
            out.states.push(state);
        }
    }
    out
}
