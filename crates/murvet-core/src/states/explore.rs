//! Breadth-first search over operations.

use super::compact::{Compact, Shape, Small};
use super::layout::{Explored, Layout};
use super::movable::movable;
use super::{Live, Setting, gate_closed};
use crate::network::{EdgeKind, Network};
use std::collections::{BTreeSet, HashMap, HashSet, VecDeque};
use std::hash::Hash;
use std::sync::{Arc, Mutex, PoisonError};

/// The search stops after so many settled settings and says so.
pub const MOST_SETTINGS: usize = 20_000;

/// How much a search may take before it stops and says so: judgements of a setting, times what each has to look at. Half a
/// second or so, whatever the shape of the rig.
const MOST_WORK: usize = 15_000_000;

/// At most so many electrically different states are judged, and as many that are only passed through.
const MOST_STATES: usize = 4_000;

/// What all states of a rig may weigh together, in labels of parts: what judging them takes and what keeping them takes
/// both go with it.
const MOST_WEIGHT: usize = 900_000;

/// Fewer states than this are judged of no rig, however large.
const FEWEST_STATES: usize = 500;

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
    /// The components that keep moving, by index.
    pub components: Vec<usize>,
}

/// All states.
#[derive(Debug, Clone, Default)]
pub struct Exploration {
    /// Distinct states in the order in which the search met them, parked first.
    pub states: Vec<State>,
    /// Positions that automatic devices pass through and leave again, one for each electrically different one: pins that
    /// are live until a relay has moved are live pins.
    pub passing: Vec<State>,
    /// Settings with no settled state.
    pub oscillations: Vec<Oscillation>,
    /// Whether every reachable setting was visited.
    pub complete: bool,
    /// What the search took: judgements of a setting, times what each had to look at.
    pub effort: usize,
}

impl State {
    /// Whether an edge conducts at this setting.
    pub fn closed(&self, net: &Network, edge: usize) -> bool {
        match &net.edges[edge].what {
            EdgeKind::Contact(gate) => gate_closed(&self.setting, *gate),
            EdgeKind::Bond { bond, source, .. } => self.live.bond_joined(*bond, *source),
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

/// The settled settings that can follow once a setting is made, and the automatic devices that move if there are
/// none. Every order of moves is tried, because relays do not move at the same instant; at most so many settings are judged.
fn settle(shape: &Shape, start: Setting, most: usize) -> Settled {
    let (mut settled, mut passing) = (Vec::new(), Vec::new());
    let mut visited = HashSet::new();
    let mut moving = BTreeSet::new();
    let mut stack = vec![start];
    let mut whole = true;
    while let Some(setting) = stack.pop() {
        if settled.len() + passing.len() >= most {
            whole = false;
            break;
        }
        if !shape.positions.is_empty() && !visited.insert(setting.autos.clone()) {
            continue;
        }
        let small = shape.judge(&setting);
        if small.wanted == setting.autos {
            settled.push((setting, small));
            continue;
        }
        for (i, &to) in small.wanted.iter().enumerate() {
            if setting.autos[i] != to {
                moving.insert(i);
                let mut next = setting.clone();
                next.autos[i] = to;
                stack.push(next);
            }
        }
        passing.push((setting, small));
    }
    settled.sort_by(|a, b| a.0.cmp(&b.0));
    Settled { settled, passing, moving: moving.into_iter().collect(), whole }
}

/// What follows once a setting is made.
struct Settled {
    /// Settings that stay.
    settled: Vec<(Setting, Small)>,
    /// Settings that automatic devices leave again.
    passing: Vec<(Setting, Small)>,
    /// The automatic devices that move.
    moving: Vec<usize>,
    /// Every order of moves was tried.
    whole: bool,
}

/// The state in which the automatic devices come to rest with the controls at these positions, starting
/// from their rest positions; nothing when they never do.
pub fn settle_at(net: &Network, controls: &[u8]) -> Option<State> {
    let compact = Compact::new(net);
    let start = Setting { controls: controls.to_vec(), autos: vec![0; net.autos.len()] };
    let most = MOST_WORK / compact.shape.size().max(1);
    let (setting, small) = settle(&compact.shape, start, most).settled.into_iter().next()?;
    let moved = net.controls.iter().zip(controls).filter(|(_, at)| **at != 0);
    let way = moved.filter_map(|(c, at)| c.operations.get(usize::from(*at)).cloned()).collect();
    Some(State { setting, way, live: compact.live(&small) })
}

/// Settings that were met, by number: a bit each while they are few.
enum Codes {
    Few(Vec<u64>),
    Many(HashSet<u128>),
}

impl Codes {
    fn new(count: u128) -> Codes {
        match usize::try_from(count) {
            Ok(count) if count <= 1 << 24 => Codes::Few(vec![0; count.div_ceil(64)]),
            _ => Codes::Many(HashSet::new()),
        }
    }

    /// Whether it was not met before.
    fn insert(&mut self, code: u128) -> bool {
        match self {
            Codes::Few(bits) => {
                let code = code as usize;
                let (word, bit) = (&mut bits[code / 64], 1u64 << (code % 64));
                let fresh = *word & bit == 0;
                *word |= bit;
                fresh
            }
            Codes::Many(set) => set.insert(code),
        }
    }
}

/// Operations allowed at a setting: each control that matters to each other position, unless an interlock forbids
/// it.
fn operations(shape: &Shape, movable: &[usize], setting: &Setting) -> Vec<(usize, u8)> {
    let mut list = Vec::new();
    for &c in movable {
        let (positions, interlock) = &shape.controls[c];
        for position in (0..*positions).filter(|p| setting.controls[c] != *p) {
            let others = || shape.controls.iter().zip(&setting.controls).enumerate().filter(|(o, _)| *o != c);
            let blocked = position != 0
                && interlock.is_some()
                && others().any(|(_, ((_, other), at))| other == interlock && *at != 0);
            if !blocked {
                list.push((c, position));
            }
        }
    }
    list
}

/// Controls one after the other, each with the position it is brought to.
type Operations = Vec<(usize, u8)>;

/// What a search found, in the terms of the shape alone.
#[derive(Debug)]
struct Found {
    /// Distinct states with the operations that lead to each.
    states: Vec<(Setting, Operations, Small)>,
    /// The same for the positions passed through.
    passing: Vec<(Setting, Operations, Small)>,
    /// Ways to settings without rest, and the automatic devices that keep moving.
    oscillations: Vec<(Operations, Vec<usize>)>,
    complete: bool,
    effort: usize,
}

impl Found {
    /// How many states it holds, those passed through with them.
    fn count(&self) -> usize {
        self.states.len() + self.passing.len()
    }
}

/// Searches already made, so that an edit which leaves the shape of a rig alone (a size, a length, a rating, an
/// appliance) does not search again. What is found depends on the shape and the searched controls only, so remembering
/// changes no result. Copies share what they remember.
#[derive(Debug, Clone, Default)]
pub struct Memory {
    searches: Arc<Mutex<Kept<Searched, Found>>>,
    layouts: Arc<Mutex<Kept<Layout, Explored>>>,
}

/// What is remembered, and how many labels of parts it holds.
#[derive(Debug)]
struct Kept<K, V> {
    all: HashMap<K, Arc<V>>,
    weight: usize,
}

impl<K, V> Default for Kept<K, V> {
    fn default() -> Kept<K, V> {
        Kept { all: HashMap::new(), weight: 0 }
    }
}

impl<K: Eq + Hash, V> Kept<K, V> {
    /// At most so many labels are kept, some 24 MB; then all are forgotten.
    const MOST: usize = 6_000_000;

    fn keep(&mut self, key: K, found: &Arc<V>, weight: usize) {
        if self.weight + weight > Self::MOST {
            self.all.clear();
            self.weight = 0;
        }
        self.weight += weight;
        self.all.insert(key, Arc::clone(found));
    }
}

/// A shape and the controls that were searched.
type Searched = (Shape, Vec<usize>);

impl Memory {
    /// The states of a network, from those of its layout or of its shape where they are known.
    fn states(&self, net: &Network) -> Arc<Explored> {
        let layout = Layout::new(net);
        let known = || self.layouts.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(explored) = known().all.get(&layout) {
            return Arc::clone(explored);
        }
        let compact = Compact::new(net);
        let found = self.search(&compact.shape, &movable(net));
        let explored = Arc::new(Explored::from(spell(net, &compact, &found)));
        // The layout itself is kept too: its edges weigh about ten labels each.
        let weight = found.count() * compact.shape.labels() + 10 * (net.nodes.len() + net.edges.len());
        known().keep(layout, &explored, weight);
        explored
    }

    fn search(&self, shape: &Shape, movable: &[usize]) -> Arc<Found> {
        let key = (shape.clone(), movable.to_vec());
        // A thread that died while it held the lock left whole entries, so what is there can be used.
        let known = || self.searches.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = known().all.get(&key) {
            return Arc::clone(found);
        }
        let found = Arc::new(search(shape, movable));
        let weight = (found.count() + 10) * shape.labels();
        known().keep(key, &found, weight);
        found
    }
}

/// Visits every settled setting that operations can reach from parked.
///
/// Switches that only take appliances off stay closed, see [`movable`]. States that differ only in contacts of dead
/// parts are kept once.
///
/// Complexity: for each setting (the product of the positions) one judgement of the contracted network and a look at
/// each operation; for each state kept, linear in the nodes.
pub fn explore(net: &Network) -> Explored {
    explore_with(net, &movable(net))
}

/// The same with the searches that were made before.
pub fn explore_again(net: &Network, memory: &Memory) -> Arc<Explored> {
    memory.states(net)
}

/// The same over the named controls, the others staying where they are parked.
pub fn explore_with(net: &Network, movable: &[usize]) -> Explored {
    let compact = Compact::new(net);
    spell(net, &compact, &search(&compact.shape, movable)).into()
}

/// What was found, in the nodes and words of a network.
fn spell(net: &Network, compact: &Compact, found: &Found) -> Exploration {
    let words = |way: &[(usize, u8)]| -> Vec<String> {
        way.iter().map(|&(c, p)| net.controls[c].operations[usize::from(p)].clone()).collect()
    };
    let state = |(setting, way, small): &(Setting, Operations, Small)| State {
        setting: setting.clone(),
        way: words(way),
        live: compact.live(small),
    };
    let oscillations = found.oscillations.iter().map(|(way, autos)| {
        let mut components: Vec<usize> = autos.iter().map(|&a| net.autos[a].component).collect();
        components.sort_unstable();
        Oscillation { way: words(way), components }
    });
    Exploration {
        states: found.states.iter().map(state).collect(),
        passing: found.passing.iter().map(state).collect(),
        oscillations: oscillations.collect(),
        complete: found.complete,
        effort: found.effort,
    }
}

/// The search itself, by shape.
fn search(shape: &Shape, movable: &[usize]) -> Found {
    let mut out =
        Found { states: Vec::new(), passing: Vec::new(), oscillations: Vec::new(), complete: true, effort: 0 };
    // A setting as a number: what each control adds for a step of its position. More controls than fit into a number
    // cannot be searched to the end anyway; those beyond stay parked.
    let mut weight = vec![0u128; shape.controls.len()];
    let mut next_weight = 1u128;
    let mut auto_weight = Vec::with_capacity(shape.positions.len());
    for positions in &shape.positions {
        auto_weight.push(next_weight);
        // Beyond what fits into a number settings are taken for met, and the search for incomplete.
        next_weight = next_weight.checked_mul(u128::from(*positions)).unwrap_or_else(|| {
            out.complete = false;
            next_weight
        });
    }
    let mut searched: Vec<usize> = Vec::new();
    for &c in movable {
        match next_weight.checked_mul(u128::from(shape.controls[c].0.max(1))) {
            Some(next) => {
                weight[c] = std::mem::replace(&mut next_weight, next);
                searched.push(c);
            }
            None => out.complete = false,
        }
    }
    let code = |s: &Setting| {
        let autos = s.autos.iter().zip(&auto_weight).map(|(&at, w)| u128::from(at) * w).sum::<u128>();
        autos + s.controls.iter().zip(&weight).map(|(&at, w)| u128::from(at) * w).sum::<u128>()
    };
    let mut stuck: HashSet<Vec<usize>> = HashSet::new();
    let mut distinct: HashSet<(Vec<bool>, Vec<bool>)> = HashSet::new();
    let mut fleeting: HashSet<(Vec<bool>, Vec<bool>)> = HashSet::new();
    // Settings in the order in which they were reached, each with the one before it and the operation between.
    let mut reached: Vec<(Setting, usize, (usize, u8))> = Vec::new();
    let (mut known, mut started) = (Codes::new(next_weight), Codes::new(next_weight));
    let way_to = |reached: &[(Setting, usize, (usize, u8))], mut at: usize, last: Option<(usize, u8)>| {
        let mut way: Vec<(usize, u8)> = last.into_iter().collect();
        while at != 0 {
            way.push(reached[at].2);
            at = reached[at].1;
        }
        way.reverse();
        way
    };
    let most = (MOST_WEIGHT / shape.labels().max(1)).clamp(FEWEST_STATES, MOST_STATES);
    // What one judgement looks at.
    let size = shape.size();
    let mut next_at = 0;
    let mut queue: VecDeque<Small> = VecDeque::new();
    let parked = Setting { controls: vec![0; shape.controls.len()], autos: vec![0; shape.positions.len()] };
    let mut arrivals = vec![(parked, 0, None)];
    loop {
        for (start, from, by) in arrivals.drain(..) {
            let Settled { settled, passing, moving, whole } =
                settle(shape, start, MOST_WORK.saturating_sub(out.effort) / size.max(1));
            out.complete &= whole;
            out.effort += size * (settled.len() + passing.len()).max(1);
            for (setting, small) in passing {
                if out.passing.len() >= most {
                    out.complete = false;
                } else if fleeting.insert((shape.lit_contacts(&small, &setting), shape.giving(&small, &setting))) {
                    let way = if reached.is_empty() { Vec::new() } else { way_to(&reached, from, by) };
                    out.passing.push((setting, way, small));
                }
            }
            if settled.is_empty() && whole && stuck.insert(moving.clone()) {
                let way = if reached.is_empty() { Vec::new() } else { way_to(&reached, from, by) };
                out.oscillations.push((way, moving));
            }
            for (setting, small) in settled {
                if known.insert(code(&setting)) {
                    reached.push((setting, from, by.unwrap_or_default()));
                    queue.push_back(small);
                }
            }
        }
        let Some(small) = queue.pop_front() else { break };
        let at = next_at;
        next_at += 1;
        if next_at > MOST_SETTINGS || out.effort > MOST_WORK || out.states.len() >= most {
            out.complete = false;
            break;
        }
        let setting = reached[at].0.clone();
        let here = code(&setting);
        for (control, position) in operations(shape, &searched, &setting) {
            // Many operations lead to one setting; the first way to it is a shortest.
            let (now, w) = (u128::from(setting.controls[control]), weight[control]);
            if started.insert(here - now * w + u128::from(position) * w) {
                let mut next = setting.clone();
                next.controls[control] = position;
                arrivals.push((next, at, Some((control, position))));
            }
        }
        if distinct.insert((shape.lit_contacts(&small, &setting), shape.giving(&small, &setting))) {
            out.states.push((setting, way_to(&reached, at, None), small));
        }
    }
    out
}
