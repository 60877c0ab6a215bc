//! The loop that a fault to earth would take, and what a device makes of it.

use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::measure::{Function, Probe};
use crate::network::{Edge, EdgeKind, Union};
use crate::readings::{Phase, Test, TestId, TestKind, Tool};
use crate::rig::Component;
use crate::states::State;
use crate::units::Dimension;

/// Touch voltage that a fault may leave standing, V: IEC 60364-4-41 section 411.5.3 (recalled).
const TOUCH_V: f64 = 50.0;
/// A loop is measured cold: eight tenths of what a hot one may be (BS 7671 appendix 3, recalled).
const COLD: f64 = 0.8;
/// Multiple of its rating at which a circuit breaker opens at once, by curve: IEC 60898-1 (recalled).
const AT_ONCE: [(&str, f64); 3] = [("curve-b", 5.0), ("curve-c", 10.0), ("curve-d", 20.0)];
/// The same where no curve is stated.
const UNSTATED: f64 = 10.0;
/// Rated residual current that is taken where none is stated, A.
const USUAL_A: f64 = 0.03;

/// Rated residual current of a device, A: its own, else the least of its ways, else that of a usual one.
fn residual_a(p: &Component) -> f64 {
    let ways = p.ways.iter().filter_map(|w| w.rcd.as_ref()?.si(Dimension::Current));
    p.si("rcd", Dimension::Current).or_else(|| ways.reduce(f64::min)).unwrap_or(USUAL_A)
}

impl Planner<'_> {
    /// Whether two nodes are joined in a state by anything but bonds and earth, without the edges that are taken out.
    pub(super) fn reached(&self, state: &State, (a, b): (usize, usize), without: &dyn Fn(&Edge) -> bool) -> bool {
        let net = &self.audit.net;
        let mut union = Union::new(net.nodes.len());
        for (k, edge) in net.edges.iter().enumerate() {
            let bond = matches!(edge.what, EdgeKind::Bond { .. });
            if !without(edge) && state.closed(net, k) && !bond && !net.crosses_earth(edge) {
                union.join(edge.a, edge.b);
            }
        }
        union.find(a) == union.find(b)
    }

    /// Loop impedance at each outlet on shore, where the trade measures it: against what the residual-current device ahead
    /// allows, else against what opens the nearest breaker at once.
    pub(super) fn fault_loops(&mut self) {
        if !self.audit.rules.loop_tests.value {
            return;
        }
        let (net, rig) = (&self.audit.net, &self.audit.assumed);
        let Some(shore) = net.sources.iter().position(|s| s.kind == SourceKind::Shore) else { return };
        let plus = net.sources[shore].plus;
        // Only what has poles in some line can stand ahead of one.
        let poles: std::collections::BTreeSet<usize> = net.edges.iter().filter_map(|e| e.residual).collect();
        let mut list = Vec::new();
        for i in self.components(Kind::Outlet).into_iter().chain(self.components(Kind::GfciOutlet)) {
            let at = |core: &str| net.plugged(i, core);
            let (Some(l), Some(n), Some(e)) = (at("L"), at("N"), at("PE")) else { continue };
            let Some(state) = self.worst_state(shore, l, n).filter(|s| self.volts(s, l, n) > 0.0) else { continue };
            let ahead = |without: &dyn Fn(&Edge) -> bool| !self.reached(state, (l, plus), without);
            // The most sensitive device, and the smallest breaker, that stand in this way.
            let residual = poles
                .iter()
                .filter(|p| ahead(&|e| e.residual == Some(**p)))
                .map(|p| residual_a(&rig.components[*p]))
                .fold(f64::INFINITY, f64::min);
            let breakers = net.edges.iter().filter_map(|edge| match &edge.what {
                EdgeKind::Device { component, rating_a, .. } if net.nodes[edge.a].is_mains_side() => {
                    Some((edge, *component, *rating_a))
                }
                _ => None,
            });
            let nearest = breakers
                .filter(|(edge, ..)| ahead(&|e| e.a == edge.a && e.b == edge.b && e.what == edge.what))
                .map(|(_, component, amps)| {
                    let curve = rig.components[component].word("curve").unwrap_or_default();
                    amps * AT_ONCE.iter().find(|(c, _)| *c == curve).map_or(UNSTATED, |(_, times)| *times)
                })
                .fold(f64::INFINITY, f64::min);
            let volts = net.sources[shore].volts;
            let (most, source) = if residual.is_finite() {
                (TOUCH_V / residual, "IEC 60364-4-41 section 411.5.3: 50 V over the residual current (recalled)")
            } else if nearest.is_finite() {
                (COLD * volts / nearest, "IEC 60364-4-41 section 411.4.4, eight tenths for a cold loop (recalled)")
            } else {
                continue;
            };
            let (id, from) = (rig.components[i].id.clone(), self.ctx.id(net.sources[shore].component).to_owned());
            let test = Test {
                title: format!("Loop of line and {} at {}", self.audit.rules.words.earth, rig.components[i].title()),
                terminals: format!("line to {} of {id}", self.audit.rules.words.earth),
                state: state.describe(net),
                tools: &[Tool::LoopTester],
                unit: "ohm",
                limit: band(0.0, most, source),
                meaning: "A fault to a case would not open the device in time. A joint of line or earth, or a supply that is \
                          itself too weak: compare with the loop at the supply outlet."
                    .to_owned(),
                ..Test::of(TestId::on(TestKind::FaultLoop, &from, &id), Phase::Shore)
            };
            let setup = Self::standing(&state.setting.controls);
            list.push((test, Probe::between(Function::LoopOhm, &self.name(l), &self.name(e), setup)));
        }
        self.measured_all(list);
    }
}
