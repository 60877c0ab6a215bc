//! The load test, and what it does to joints.

use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::measure::{Function, Probe, TestSetup};
use crate::network::EdgeKind;
use crate::network::nominal_system;
use crate::readings::{Combine, Part, Parts, Phase, Test, TestId, TestKind, Tool};
use crate::states::State;
use crate::units::Dimension;

/// Most that a joint may stand above the air, K, and climb in ten minutes, K. Common practice, no source.
const RISE_K: f64 = 30.0;
const SLOPE_K: f64 = 2.0;
/// Minutes between the two readings of the slope.
const SLOPE_MIN: u32 = 10;
/// Share of its voltage at which an inverter without a set cut-off gives up; how far below a half full bank, and above it, the
/// volts under load may be by what is in it. Common practice, no source.
const GIVES_UP: f64 = 0.875;
const FALLS: f64 = 0.04;
const RISES: f64 = 0.04;

impl Planner<'_> {
    /// How warm the joints of the main path get under everything that can be on together, and whether they still climb.
    pub(super) fn endurance(&mut self) {
        let net = &self.audit.net;
        if net.consumers.is_empty() || self.components(Kind::Battery).is_empty() {
            return;
        }
        let rig = &self.audit.assumed;
        let dc = net.consumers.iter().filter(|c| !c.ac && rig.components[c.component].kind == Kind::DcLoad);
        let setup = TestSetup {
            on: dc.map(|c| rig.components[c.component].id.clone()).collect(),
            dark: true,
            ..TestSetup::default()
        };
        // The joint that carries most, else the bank's own: where the thermometer goes first.
        let amps = |w: usize| {
            let leads = vec![(format!("wire:{}", net.wires[w].key), String::new())];
            self.world.read(&Probe { function: Function::DcAmps, leads, setup: setup.clone() }).map_or(0.0, f64::abs)
        };
        let most = net.edges.iter().filter_map(|e| match e.what {
            EdgeKind::Wire(w) => Some((e.a, amps(w))),
            _ => None,
        });
        let bank = net.sources.iter().find(|s| s.kind == SourceKind::Battery).map(|s| s.plus);
        // Of several that carry the same the first on the way from the bank.
        let hottest = most.fold(None::<(usize, f64)>, |best, (n, a)| match best {
            Some((_, most)) if a <= most + 1e-6 => best,
            _ if a > 0.0 => Some((n, a)),
            _ => best,
        });
        let hottest = hottest.map(|(n, _)| n).or(bank);
        let Some(at) = hottest.map(|n| self.name(n)) else { return };
        let joints = self.joints();
        let celsius = |label: &str, setup: &TestSetup| Part {
            label: label.to_owned(),
            unit: "C",
            probe: Probe { function: Function::Celsius, leads: joints.clone(), setup: setup.clone() },
        };
        let rise = "A joint that is hotter than its neighbours has resistance; one that still climbs will not hold.";
        let test = |id: &str, title: &str, high: f64, list: Vec<Part>| {
            Test {
            title: title.to_owned(),
            terminals: format!(
                "every joint: posts, devices, isolator, bars, studs, both ends of what takes most; {at} carries most"
            ),
            state: "everything on that can be on together, longer than the complaint takes to appear, half an hour if unknown"
                .to_owned(),
            tools: &[Tool::Thermometer, Tool::Voltmeter],
            unit: "K",
            limit: band(f64::NEG_INFINITY, high, "common practice, no source"),
            meaning: rise.to_owned(),
            parts: Some(Parts { combine: Combine::Difference, list }),
            ..Test::of(TestId::about(TestKind::Heat, id), Phase::Load)
        }
        };
        let joints = vec![celsius("Air", &TestSetup::default()), celsius("Hottest joint", &setup)];
        let slope = vec![celsius("Hottest joint ten minutes ago", &setup), celsius("Hottest joint now", &setup)];
        let mut climbing = test("slope", "How far the hottest joint climbs in ten minutes", SLOPE_K, slope);
        climbing.wait += SLOPE_MIN;
        let mut list = vec![test("joints", "Hottest joint above the air, after the load", RISE_K, joints), climbing];
        // What an inverter takes passes other joints than the appliances on direct current.
        for (i, s) in net.sources.iter().enumerate().filter(|(_, s)| s.kind == SourceKind::Inverter && !s.opposite) {
            let Some((outlet, state)) = self.heated(i) else { continue };
            let (id, outlet) = (self.ctx.id(s.component), self.ctx.id(outlet));
            let heated =
                TestSetup { heater: Some(outlet.to_owned()), dark: true, ..Self::standing(&state.setting.controls) };
            let mut one = test(
                id,
                &format!("Hottest joint above the air, after half an hour of a 1000 W heater in {outlet}"),
                RISE_K,
                vec![celsius("Air", &TestSetup::default()), celsius("Hottest joint", &heated)],
            );
            list.extend(self.held(i, outlet, state, &heated));
            one.terminals = format!("every joint from the bank to {id} and on to {outlet}");
            one.state = state.describe(net);
            list.push(one);
        }
        self.tests.extend(list);
    }

    /// The volts at an inverter's input at the end of the same half hour: above where it warns, else where it gives up.
    fn held(&self, source: usize, outlet: &str, state: &State, heated: &TestSetup) -> Option<Test> {
        let s = &self.audit.net.sources[source];
        let (plus, minus) = s.input?;
        let component = &self.audit.assumed.components[s.component];
        let bank = self.bank_of(plus)?;
        let set = |key: &str| component.si(key, Dimension::Voltage);
        let (low, from) = match (set("warning"), set("cut-off")) {
            (Some(v), _) => (v, "where it is set to warn"),
            (None, Some(v)) => (v, "where it is set to cut off"),
            (None, None) => (GIVES_UP * nominal_system(bank.volts), "common practice, no source"),
        };
        let probe = Probe::between(Function::DcVolts, &self.name(plus), &self.name(minus), heated.clone());
        let now = self.world.read(&probe)?;
        let (id, system) = (self.ctx.id(s.component), nominal_system(bank.volts));
        Some(Test {
            title: format!("Volts at the input of {id} at the end of half an hour of a 1000 W heater in {outlet}"),
            terminals: format!("{} to {}", self.name(plus), self.name(minus)),
            state: state.describe(&self.audit.net),
            tools: &[Tool::Voltmeter],
            unit: "V",
            // From a bank that is full to one that began half empty and gave for half an hour.
            predicted: Some(band(
                now - FALLS * system,
                now + RISES * system,
                "the rig as traced, by what is in the bank",
            )),
            limit: band(low, 1.25 * system, from),
            meaning: "It will shut down: a joint or a thin conductor on the way, a spent battery, or too large a load."
                .to_owned(),
            probe: Some(probe),
            ..Test::of(TestId::about(TestKind::Held, id), Phase::Load)
        })
    }

    /// Every joint of a conductor on direct current and on what an inverter feeds, each as a place for the thermometer.
    fn joints(&self) -> Vec<(String, String)> {
        let net = &self.audit.net;
        net.wire_ends_once().into_iter().map(|n| (self.name(n), self.name(n))).collect()
    }
}
