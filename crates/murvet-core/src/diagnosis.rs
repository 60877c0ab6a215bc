//! Which hidden fault explains the readings, and which reading to take next.
//!
//! Every single fault, and pairs of those that explain something, are put into the model; what it then predicts is held
//! against what was measured. A reading within the tolerance costs nothing, one far off costs a bounded amount, so that one
//! slip of the pen accuses nobody and clears nobody. The sound rig is a suspect like the others: as long as it explains all
//! readings, nothing is accused.

use crate::audit::Audit;
use crate::catalogue::{Kind, Role, SourceKind};
use crate::measure::{Fault, Function, Probe, TestSetup, World, suspects};
use crate::network::{EdgeKind, Network, Source};
use crate::readings::Test;
use crate::rig::Core;
use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::Rc;

/// A reading to be explained.
#[derive(Debug, Clone, PartialEq)]
pub struct Observed {
    /// What the meter was put to.
    pub probe: Probe,
    /// What it showed, in the function's unit; infinite for over range.
    pub value: f64,
    /// It was told, not measured: it weighs less.
    pub told: bool,
    /// Where else what was told has a need: dead at one of these it is dead, whatever stands at the probe.
    pub needs: Vec<Probe>,
}

impl Observed {
    /// What a meter showed.
    pub fn measured(probe: Probe, value: f64) -> Observed {
        Observed { probe, value, told: false, needs: Vec::new() }
    }

    /// How badly a prediction fits it. What was told is a memory of a lamp or a fan: it says which way, not how much.
    fn cost(&self, d: f64) -> f64 {
        if self.told { cost(d).min(MOST_TOLD) } else { cost(d) }
    }
}

/// An explanation.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Explanation {
    /// The faults it supposes, one or two.
    pub faults: Vec<Fault>,
    /// How badly it fits: half the sum of squared deviations in tolerances, bounded for each reading, and a share for how
    /// rare the faults are. Less is better.
    pub misfit: f64,
    /// How many readings that the sound rig does not explain it explains.
    pub explains: usize,
    /// How many readings speak against it.
    pub against: usize,
}

/// The answer.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Diagnosis {
    /// Readings that the rig as traced does not explain, by index.
    pub odd: Vec<usize>,
    /// Explanations, the best first; empty where nothing is odd.
    pub explanations: Vec<Explanation>,
    /// Suspects that the readings clear: those that would have shown.
    pub cleared: usize,
    /// The odd readings, by index, put together as far as one fault alone may explain them: each is a trouble of its own.
    pub troubles: Vec<Vec<usize>>,
}

impl Diagnosis {
    /// The explanations that are not far behind the best, each with its weight.
    pub(crate) fn possible(&self) -> (Vec<&Explanation>, Vec<f64>) {
        let best = self.explanations.first().map_or(0.0, |e| e.misfit);
        let near = self.explanations.iter().filter(|e| e.misfit < best + 6.0);
        near.map(|e| (e, (best - e.misfit).exp())).unzip()
    }
}

/// A reading that splits what is still possible.
#[derive(Debug, Clone, PartialEq)]
pub struct NextReading {
    /// What to measure, in words.
    pub title: String,
    /// The test of the plan it is, where it is one.
    pub test: Option<String>,
    /// What the meter is put to.
    pub probe: Probe,
    /// Minutes it takes.
    pub minutes: u32,
    /// How much it is expected to tell, bit.
    pub bits: f64,
}

/// One reading costs at most so much.
const MOST_COST: f64 = 12.0;
/// What was told costs at most so much: a measured reading against it wins.
const MOST_TOLD: f64 = 4.5;
/// A reading beyond so many tolerances is odd.
pub(crate) const ODD: f64 = 3.0;
/// How rare it is that a device is open that was found so.
const SEEN: f64 = 0.1;
/// How rare it is that a bank is flat where something left it so.
const FOLLOWS: f64 = 0.3;
/// A bank below this share of its charged voltage leaves appliances so weak that they are said to be dead: 12.5 V of 13.2 V.
/// Common practice, no source.
const SAID_DEAD: f64 = 0.95;
/// Explanations kept.
const KEPT: usize = 12;
/// Single faults from which pairs are made.
const FOR_PAIRS: usize = 24;

/// How far a value lies from what is predicted, in tolerances of the instrument and of what was traced.
pub(crate) fn deviation(function: Function, predicted: f64, value: f64) -> f64 {
    match function {
        Function::Ohms | Function::Insulation => {
            // On a scale of ratios, with half an ohm that leads and contacts may add; over range counts as 1 Gohm.
            let on_scale = |v: f64| (v.clamp(0.0, 1e9) + 0.5).ln();
            let wide = if function == Function::Ohms { 0.25 } else { 0.5 };
            (on_scale(value) - on_scale(predicted)) / wide
        }
        // What lies ahead of the rig is not known: an ohm of it is no news.
        Function::LoopOhm => (value.min(1e4) - predicted.min(1e4)) / (0.2 * predicted.min(1e4) + 1.0),
        // How warm a joint gets hangs on air and time.
        Function::Celsius => (value - predicted) / (0.5 * (predicted - 21.0).abs() + 8.0),
        Function::TripMs(_) => {
            if predicted.is_finite() == value.is_finite() {
                0.0
            } else {
                2.0 * ODD
            }
        }
        // What is lost along copper moves with its warmth and with what its marking allows.
        Function::DcVolts if predicted.abs() < 4.0 => (value - predicted) / (0.09 * predicted.abs() + 0.02),
        Function::DcVolts => (value - predicted) / (0.006 * predicted.abs() + 0.02),
        Function::AcVolts => (value - predicted) / (0.03 * predicted.abs() + 1.5),
        Function::DcAmps | Function::AcAmps => (value - predicted) / (0.04 * predicted.abs() + 0.2),
    }
}

/// What it tells which of these holds, of which each has a share, bit.
pub(crate) fn bits(shares: impl Iterator<Item = f64>) -> f64 {
    shares.filter(|p| *p > 0.0).map(|p| -p * p.log2()).sum()
}

fn cost(d: f64) -> f64 {
    (0.5 * d * d).min(MOST_COST)
}

/// The rig of an audit with everything that could be wrong in it, one model a suspect; models are kept, so that a reading
/// more costs only what is new.
pub struct Models<'a> {
    audit: &'a Audit,
    suspects: Vec<Fault>,
    made: RefCell<HashMap<String, Rc<World>>>,
}

impl<'a> Models<'a> {
    /// The models of a rig; none is made before it is asked.
    pub fn new(audit: &'a Audit) -> Models<'a> {
        Models { audit, suspects: suspects(audit), made: RefCell::default() }
    }

    /// The audit whose rig is modelled.
    pub fn audit(&self) -> &'a Audit {
        self.audit
    }

    fn world(&self, faults: &[Fault]) -> Rc<World> {
        let made = || Rc::new(World::new(self.audit, faults));
        // Sizes that were fitted are many and asked once.
        if faults.len() > 1 || faults.iter().any(|f| f.size().is_some() && !self.suspects.contains(f)) {
            return made();
        }
        Rc::clone(self.made.borrow_mut().entry(format!("{faults:?}")).or_insert_with(made))
    }

    /// What one set of faults predicts for each reading.
    pub(crate) fn predictions(&self, faults: &[Fault], probes: &[&Probe]) -> Vec<f64> {
        let world = self.world(faults);
        // What cannot be read any more is taken as dead.
        probes.iter().map(|p| world.read(p).unwrap_or(0.0)).collect()
    }

    /// Explains readings.
    ///
    /// Complexity: one model a suspect and one solve for each stand among the readings; pairs of at most 24 suspects.
    pub fn diagnose(&self, seen: &[Observed]) -> Diagnosis {
        let probes: Vec<&Probe> = seen.iter().map(|o| &o.probe).collect();
        let traced = self.predictions(&[], &probes);
        let off = |faults: &[Fault]| -> Vec<f64> {
            let predicted = self.predictions(faults, &probes);
            let shown = |(p, o): (f64, &Observed)| if self.starved(faults, o) { 0.0 } else { p };
            predicted.into_iter().zip(seen).map(|(p, o)| deviation(o.probe.function, shown((p, o)), o.value)).collect()
        };
        let sound = off(&[]);
        let odd: Vec<usize> = (0..seen.len()).filter(|&i| sound[i].abs() > ODD).collect();
        if odd.is_empty() {
            return Diagnosis::default();
        }
        let judge = |faults: Vec<Fault>| {
            let off = off(&faults);
            let explained: Vec<usize> = odd.iter().copied().filter(|&i| off[i].abs() <= ODD).collect();
            // A bank that is flat because it is not charged is no second accident.
            let rare = |f: &Fault| match f {
                Fault::Flat { .. } if faults.iter().any(|f| self.charges(f)) => FOLLOWS,
                Fault::Blown { device } if self.found_open(device) => SEEN,
                _ => f.rarity(),
            };
            let explanation = Explanation {
                misfit: off.iter().zip(seen).map(|(d, o)| o.cost(*d)).sum::<f64>()
                    + faults.iter().map(rare).sum::<f64>(),
                explains: explained.len(),
                against: off.iter().filter(|d| d.abs() > ODD).count(),
                faults,
            };
            (explanation, explained)
        };
        let by_misfit = |list: &mut Vec<Explanation>| list.sort_by(|a, b| a.misfit.total_cmp(&b.misfit));
        let sized = |f: &Fault| match f.size() {
            Some(range) => self.fit(&[], f, range, seen, &traced),
            None => f.clone(),
        };
        let mut list: Vec<Explanation> = Vec::new();
        let mut troubles: Vec<Vec<usize>> = odd.iter().map(|i| vec![*i]).collect();
        for f in &self.suspects {
            let (e, explained) = judge(vec![sized(f)]);
            // Together belong the readings that one fault explains without speaking against any that was as it should be.
            if e.explains > 1 && e.against == odd.len() - e.explains {
                let (mut one, rest): (Vec<_>, Vec<_>) =
                    troubles.into_iter().partition(|t| t.iter().any(|i| explained.contains(i)));
                one = vec![one.concat()];
                troubles = [one, rest].concat();
            }
            list.push(e);
        }
        let cleared = list.iter().filter(|e| e.explains == 0).count();
        by_misfit(&mut list);
        distinct(&mut list);
        // Two faults together, where one alone leaves something unexplained.
        // A bank that is flat has a cause.
        let follows = |e: &Explanation| e.faults.iter().all(|f| matches!(f, Fault::Flat { .. }));
        if list.first().is_none_or(|best| best.against > 0 || follows(best)) {
            let helpful: Vec<Fault> =
                list.iter().filter(|e| e.explains > 0).take(FOR_PAIRS).map(|e| e.faults[0].clone()).collect();
            for (n, a) in helpful.iter().enumerate() {
                for b in helpful[n + 1..].iter().filter(|b| !a.same_place(b)) {
                    list.push(judge(vec![a.clone(), b.clone()]).0);
                }
            }
            // What leaves a bank flat, and the bank as flat as the readings say.
            let causes: Vec<Fault> = self.suspects.iter().filter(|f| self.charges(f)).cloned().collect();
            let flat: Vec<&Fault> = self.suspects.iter().filter(|f| matches!(f, Fault::Flat { .. })).collect();
            for cause in &causes {
                let base = self.predictions(std::slice::from_ref(cause), &probes);
                for f in &flat {
                    let Some(range) = f.size() else { continue };
                    list.push(
                        judge(vec![cause.clone(), self.fit(std::slice::from_ref(cause), f, range, seen, &base)]).0,
                    );
                }
            }
            by_misfit(&mut list);
            distinct(&mut list);
        }
        list.retain(|e| e.explains > 0);
        list.truncate(KEPT);
        troubles.iter_mut().for_each(|t| t.sort_unstable());
        troubles.sort();
        Diagnosis { odd, explanations: list, cleared, troubles }
    }

    /// Whether somebody found a device tripped, blown, taken out or off: it is the first to be thought of.
    fn found_open(&self, device: &str) -> bool {
        let component = device.split('.').next().unwrap_or(device);
        self.audit.assumed.remarks.iter().any(|r| r.is_as_found() && r.on == component)
    }

    /// Whether something that was told to do nothing lacks one of its other needs.
    fn starved(&self, faults: &[Fault], o: &Observed) -> bool {
        // Of what hangs on a flat bank somebody says that it is dead.
        let flat = |f: &Fault| matches!(f, Fault::Flat { share, .. } if *share < SAID_DEAD);
        if o.told && o.probe.function == Function::DcVolts && faults.iter().any(flat) {
            return true;
        }
        let probes: Vec<&Probe> = o.needs.iter().collect();
        if probes.is_empty() {
            return false;
        }
        let (sound, now) = (self.predictions(&[], &probes), self.predictions(faults, &probes));
        sound.iter().zip(&now).any(|(s, n)| n.abs() < 0.5 * s.abs())
    }

    /// Whether a bank is left flat by a fault: it parts something that charges from its bank or from what feeds it, silences
    /// it, or makes a loop of it.
    fn charges(&self, fault: &Fault) -> bool {
        let net = &self.audit.net;
        let mut chargers = net.sources.iter().filter(|s| s.kind.converts() && !s.kind.is_ac());
        match fault {
            Fault::Dead { component } => chargers.any(|s| self.audit.assumed.components[s.component].id == *component),
            Fault::Stuck { .. } | Fault::Moved { .. } => true,
            Fault::Blown { .. } | Fault::Open { .. } => {
                let world = self.world(std::slice::from_ref(fault));
                let joined = |net: &Network| net.joined(|e| !matches!(e.what, EdgeKind::Bond { .. }));
                let (sound, now) = (joined(net), joined(world.network()));
                let kept = |part: &[u32], plus: usize| {
                    net.sources.iter().any(|o| o.kind == SourceKind::Battery && part[o.plus] == part[plus])
                };
                let fed = |part: &[u32], s: &Source| {
                    s.input.is_none_or(|(a, _)| {
                        net.sources.iter().any(|o| o.component != s.component && part[o.plus] == part[a])
                    })
                };
                chargers.any(|s| {
                    let works = |part: &[u32]| kept(part, s.plus) && fed(part, s);
                    works(&sound) && !works(&now)
                })
            }
            _ => false,
        }
    }

    /// Several small faults together are common: where the odd readings fall into troubles of their own, each is explained
    /// for itself, without the odd readings of the others. The readings of each come with it, by index.
    ///
    /// Complexity: one diagnosis for each trouble; the models are those of the first.
    pub fn apart(&self, seen: &[Observed], found: Diagnosis) -> Vec<(Vec<usize>, Diagnosis)> {
        if found.troubles.len() < 2 {
            return vec![((0..seen.len()).collect(), found)];
        }
        let of = |own: &Vec<usize>| {
            let kept: Vec<usize> = (0..seen.len()).filter(|i| own.contains(i) || !found.odd.contains(i)).collect();
            let sub: Vec<Observed> = kept.iter().map(|i| seen[*i].clone()).collect();
            (kept, self.diagnose(&sub))
        };
        found.troubles.iter().map(of).collect()
    }

    /// The size at which a fault fits best, by a coarse look and golden section over its logarithm: what it predicts moves
    /// one way with its size, so the cost has one valley for each reading and one in all near the best of them. Only readings that the
    /// fault moves at all are looked at, and only where it betters them.
    fn fit(
        &self,
        beside: &[Fault],
        fault: &Fault,
        (least, most): (f64, f64),
        seen: &[Observed],
        traced: &[f64],
    ) -> Fault {
        let probes: Vec<&Probe> = seen.iter().map(|o| &o.probe).collect();
        let with = |f: Fault| [beside, &[f]].concat();
        let usual = self.predictions(&with(fault.clone()), &probes);
        let moved: Vec<usize> = (0..seen.len())
            .filter(|&i| usual[i] != traced[i] && deviation(probes[i].function, traced[i], usual[i]).abs() > 0.05)
            .collect();
        let asked: Vec<&Probe> = moved.iter().map(|&i| probes[i]).collect();
        // A cost that grows slowly, so that a search sees which way is better from afar.
        let slope = |values: &[f64]| -> f64 {
            let each = values.iter().zip(&moved).map(|(v, &i)| deviation(probes[i].function, *v, seen[i].value));
            each.map(|d| (1.0 + d * d).ln()).sum()
        };
        // It is worth a search where it moves something odd towards what was shown, however far its usual size goes.
        let towards = |&i: &usize| {
            let odd = deviation(probes[i].function, traced[i], seen[i].value).abs() > ODD;
            // Over range is more than anything.
            let way = |v: f64| v.min(1e9) - traced[i].min(1e9);
            odd && way(usual[i]) * way(seen[i].value) > 0.0
        };
        if !moved.iter().any(towards) {
            return fault.clone();
        }
        let at = |x: f64| slope(&self.predictions(&with(fault.of_size(x.exp())), &asked));
        // A coarse look first: beyond what an inverter can still draw the cost is flat, and a search would lose its way.
        let pitch = (most / least).ln() / 9.0;
        let point = |n: usize| least.ln() + pitch * n as f64;
        let best = (0..10).map(|n| (n, at(point(n)))).min_by(|a, b| a.1.total_cmp(&b.1)).map_or(0, |(n, _)| n);
        let golden = 0.5 * (5f64.sqrt() - 1.0);
        let (mut a, mut b) = (point(best) - pitch, point(best) + pitch);
        let (mut c, mut d) = (b - golden * (b - a), a + golden * (b - a));
        let (mut at_c, mut at_d) = (at(c), at(d));
        for _ in 0..11 {
            if at_c < at_d {
                (b, d, at_d) = (d, c, at_c);
                c = b - golden * (b - a);
                at_c = at(c);
            } else {
                (a, c, at_c) = (c, d, at_d);
                d = a + golden * (b - a);
                at_d = at(d);
            }
        }
        fault.of_size((0.5 * (a + b)).exp())
    }

    /// The reading that best splits the explanations for the minutes it costs: the expected information about which of them
    /// holds, in bit, over the minutes. Tests of the plan without a reading are asked first among equals; beside them every
    /// conductor of a suspect may be measured along.
    ///
    /// Complexity: one model an explanation, one solve for each stand among the candidates.
    pub fn next_reading(&self, tests: &[Test], found: &Diagnosis, seen: &[Observed]) -> Option<NextReading> {
        let (possible, weight) = found.possible();
        if possible.len() < 2 {
            return None;
        }
        let sum: f64 = weight.iter().sum();
        let from_plan = tests.iter().filter_map(|t: &Test| {
            Some(NextReading {
                title: t.title.clone(),
                test: Some(t.id.to_string()),
                probe: t.probe.clone()?,
                minutes: t.minutes,
                bits: 0.0,
            })
        });
        let mut asked: Vec<NextReading> = from_plan.chain(along(self.audit, &possible, seen)).collect();
        asked.retain(|n| !seen.iter().any(|o| o.probe == n.probe));
        let probes: Vec<&Probe> = asked.iter().map(|n| &n.probe).collect();
        let all: Vec<Vec<f64>> = possible.iter().map(|e| self.predictions(&e.faults, &probes)).collect();
        for (k, next) in asked.iter_mut().enumerate() {
            // Explanations whose predictions the meter cannot tell apart stay together.
            let function = next.probe.function;
            let mut groups: Vec<(f64, f64)> = Vec::new();
            for (e, w) in all.iter().zip(&weight) {
                match groups.iter_mut().find(|(v, _)| deviation(function, *v, e[k]).abs() < ODD) {
                    Some((_, sum)) => *sum += w,
                    None => groups.push((e[k], *w)),
                }
            }
            next.bits = bits(groups.iter().map(|(_, w)| w / sum));
        }
        let worth = |n: &NextReading| n.bits / f64::from(n.minutes.max(1));
        asked.into_iter().filter(|n| n.bits > 0.02).max_by(|a, b| worth(a).total_cmp(&worth(b)))
    }
}

/// One explanation for each place: of joints that differ only in their resistance the best stays.
fn distinct(list: &mut Vec<Explanation>) {
    let mut kept: Vec<Explanation> = Vec::new();
    for e in std::mem::take(list) {
        let same = |k: &Explanation| {
            k.faults.len() == e.faults.len() && k.faults.iter().all(|a| e.faults.iter().any(|b| a.same_place(b)))
        };
        if !kept.iter().any(same) {
            kept.push(e);
        }
    }
    *list = kept;
}

/// Readings along the conductors of the suspects: across each in the stands of the odd readings.
fn along(audit: &Audit, possible: &[&Explanation], seen: &[Observed]) -> Vec<NextReading> {
    let net = &audit.net;
    let mut list: Vec<NextReading> = Vec::new();
    let mut setups: Vec<&Probe> = Vec::new();
    for o in seen {
        if !setups.iter().any(|p| p.setup == o.probe.setup && p.function.dead() == o.probe.function.dead()) {
            setups.push(&o.probe);
        }
    }
    let involved = |a: &str, b: &str, wire: Option<&str>| {
        possible.iter().flat_map(|e| &e.faults).any(|f| match f {
            Fault::Open { wire: w } | Fault::Joint { wire: w, .. } => Some(w.as_str()) == wire,
            Fault::Blown { device } => a.starts_with(device.as_str()) || b.starts_with(device.as_str()),
            _ => false,
        })
    };
    for e in &net.edges {
        let (a, b) = (&net.nodes[e.a].name, &net.nodes[e.b].name);
        let wire = if let EdgeKind::Wire(w) = e.what { Some(net.wires[w].key.as_str()) } else { None };
        let device = matches!(e.what, EdgeKind::Device { .. });
        if (wire.is_none() && !device) || !involved(a, b, wire) {
            continue;
        }
        let mains = net.nodes[e.a].is_mains_side();
        for p in &setups {
            let function = match (p.function.dead(), mains) {
                (true, _) => Function::Ohms,
                (false, true) => Function::AcVolts,
                (false, false) => Function::DcVolts,
            };
            list.push(NextReading {
                title: if function == Function::Ohms {
                    format!("resistance from {a} to {b}")
                } else {
                    format!("voltage from {a} to {b}")
                },
                test: None,
                probe: Probe::between(function, a, b, p.setup.clone()),
                minutes: 2,
                bits: 0.0,
            });
        }
    }
    for f in possible.iter().flat_map(|e| &e.faults) {
        if let Fault::Leaky { component, core, .. } = f {
            list.extend(alone(audit, component, *core));
        }
    }
    list
}

/// The insulation of one component alone, its cables and its plug off; and of its whole circuit, by the way that feeds it.
fn alone(audit: &Audit, component: &str, core: Core) -> Vec<NextReading> {
    let (rig, net) = (&audit.assumed, &audit.net);
    let Some(index) = rig.components.iter().position(|p| p.id == component) else { return Vec::new() };
    let role = if core == Core::N { Role::Neutral } else { Role::Line };
    let at = |role: Role| net.nodes.iter().find(|n| n.component == Some(index) && n.role == role);
    let (Some(live), Some(earth)) = (at(role), at(Role::Earth)) else { return Vec::new() };
    let touching = rig.cables.iter().filter(|c| c.from.component == component || c.to.component == component);
    let mut off: Vec<String> = touching.map(|c| c.id.clone()).collect();
    // Its own plug and what is plugged into it.
    off.push(component.to_owned());
    let reading = |title: String, a: &str, b: &str, off: Vec<String>, minutes| NextReading {
        title,
        test: None,
        probe: Probe::between(Function::Insulation, a, b, TestSetup { off, ..TestSetup::default() }),
        minutes,
        bits: 0.0,
    };
    let mut list = vec![reading(
        format!("insulation of {component} alone, its cables and plug off"),
        &live.name,
        &earth.name,
        off,
        6,
    )];
    if core == Core::L {
        for p in rig.components.iter().filter(|p| p.kind == Kind::Panel && p.status.present()) {
            for way in &p.ways {
                let name = format!("{}.{}", p.id, way.id);
                let title = format!("insulation of the circuit behind {name}, the way off");
                list.push(reading(title, &name, &format!("{}.PE", p.id), vec![name.clone()], 2));
            }
        }
    }
    list
}
