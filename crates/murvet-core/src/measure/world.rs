//! A rig with hidden faults in it.

use super::circuit::Base;
use super::fault::Fault;
use super::{Circuit, Function, Probe, TestSetup};
use crate::audit::Audit;
use crate::bounds::{Side, open_words};
use crate::network::{Network, expand};
use crate::rig::Rig;
use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::Rc;

/// The shortest credible length of a conductor that was not seen, m (common practice, no source).
const SHORTEST_M: f64 = 0.05;

/// Positions of the controls, and what is taken off.
type Standing = (Vec<u8>, Vec<String>);

/// A rig as it really is, which a meter can be put to.
#[derive(Debug)]
pub struct World {
    pub(super) rig: Rig,
    pub(super) net: Network,
    /// Resistance that joints add, by wire.
    pub(super) joints: HashMap<usize, f64>,
    /// Leaks between two nodes, ohm.
    pub(super) leaks: Vec<(usize, usize, f64)>,
    /// Batteries by component whose voltage sags: share of the voltage, factor on the inside resistance.
    pub(super) weak: HashMap<usize, (f64, f64)>,
    /// Residual-current devices that do not open, by name.
    pub(super) stuck_rcd: Vec<String>,
    names: HashMap<String, usize>,
    /// Circuits made before, by stand; nothing for one in which the changeovers never rest.
    made: RefCell<HashMap<TestSetup, Option<Rc<Circuit>>>>,
    /// The same for what the controls alone decide.
    bases: RefCell<HashMap<Standing, Option<Rc<Base>>>>,
}

impl World {
    /// The rig of an audit with these faults in it.
    ///
    /// ```
    /// use murvet_core::{audit::audit, notation::parse, profiles::ProfileId};
    /// use murvet_core::measure::{Function, Probe, TestSetup, World};
    /// let rig = parse("battery b: agm 12V 100Ah\ndc-load lamp: 5A\nrun b.+ : 2m 1.5mm2, lamp.+\nrun b.- : 2m 1.5mm2, lamp.-\n").unwrap();
    /// let world = World::new(&audit(&rig, ProfileId::EU_UK), &[]);
    /// let on = TestSetup { on: vec!["lamp".into()], ..TestSetup::default() };
    /// let lost = world.read(&Probe::between(Function::DcVolts, "b.+", "lamp.+", on)).unwrap();
    /// // 2 m of 1.5 mm2 at 20 C: 23 mohm, times 5 A.
    /// assert!((lost - 5.0 * 2.0 * 1.7241e-8 / 1.5e-6).abs() < 1e-3);
    /// ```
    pub fn new(audit: &Audit, faults: &[Fault]) -> World {
        World::made(audit.assumed.clone(), audit.net.clone(), faults)
    }

    /// The rig of an audit with every unseen number at its best; nothing where that changes no conductor and no source.
    pub(crate) fn at_best(audit: &Audit) -> Option<World> {
        let mut net = expand(&audit.assumed, &audit.rules, Side::Best);
        // Some length it has: without any it would be no conductor to a meter.
        for w in net.wires.iter_mut().filter(|w| w.unseen && w.length_m <= 0.0) {
            w.length_m = SHORTEST_M;
        }
        let wires = net.wires.iter().zip(&audit.net.wires);
        let other = wires.clone().any(|(a, b)| a.length_m != b.length_m || a.laid.area_mm2 != b.laid.area_mm2)
            || net.sources.iter().zip(&audit.net.sources).any(|(a, b)| a.limit_a != b.limit_a || a.volts != b.volts);
        (other && net.nodes.len() == audit.net.nodes.len()).then(|| World::made(audit.assumed.clone(), net, &[]))
    }

    /// A rig that an edit made from the one of an audit, with nothing wrong in it: what was not seen is taken as there.
    pub(crate) fn edited(audit: &Audit, rig: &Rig) -> World {
        let mut rig = rig.clone();
        for o in open_words(&rig) {
            o.put_as_in(&mut rig, &audit.assumed);
        }
        let net = expand(&rig, &audit.rules, Side::Worst);
        World::made(rig, net, &[])
    }

    fn made(rig: Rig, net: Network, faults: &[Fault]) -> World {
        let mut world = World {
            rig,
            net,
            joints: HashMap::new(),
            leaks: Vec::new(),
            weak: HashMap::new(),
            stuck_rcd: Vec::new(),
            names: HashMap::new(),
            made: RefCell::default(),
            bases: RefCell::default(),
        };
        for fault in faults {
            fault.put_into(&mut world);
        }
        world.names = world.net.nodes.iter().enumerate().map(|(n, node)| (node.name.clone(), n)).collect();
        world
    }

    /// The node of a terminal by its printed name.
    pub fn node(&self, name: &str) -> Option<usize> {
        self.names.get(name).copied()
    }

    /// The network as it really is.
    pub fn network(&self) -> &Network {
        &self.net
    }

    /// The circuit in a stand of the controls; nothing when the automatic changeovers never come to rest.
    pub fn circuit(&self, setup: &TestSetup) -> Option<Rc<Circuit>> {
        if let Some(made) = self.made.borrow().get(setup) {
            return made.clone();
        }
        let base = {
            let mut bases = self.bases.borrow_mut();
            let key = (setup.controls.clone(), setup.off.clone());
            bases.entry(key).or_insert_with(|| Base::new(self, setup).map(Rc::new)).clone()
        };
        let circuit = base.map(|b| Rc::new(Circuit::new(b, setup)));
        self.made.borrow_mut().insert(setup.clone(), circuit.clone());
        circuit
    }

    /// What the meter would show; nothing where a terminal does not exist or nothing comes to rest.
    pub fn read(&self, probe: &Probe) -> Option<f64> {
        let circuit = self.circuit(&probe.setup)?;
        let one = |(a, b): &(String, String)| match a.strip_prefix("wire:") {
            Some(key) if probe.function == Function::Ohms => Some(circuit.alone(self, key, b)),
            Some(key) => circuit.clamp(self, probe.function, key),
            None => circuit.read(self, probe.function, self.node(a)?, self.node(b)?),
        };
        if probe.function == Function::Celsius {
            // A thermometer goes along the joints, and the hottest is written down.
            return probe.leads.iter().map(one).try_fold(f64::NEG_INFINITY, |most, c| Some(most.max(c?)));
        }
        probe.leads.iter().map(one).sum()
    }
}
