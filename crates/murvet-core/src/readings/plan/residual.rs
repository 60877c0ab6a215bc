//! Residual-current devices: that they open in time on earth leakage, on every source, and hold at half of it.

use super::{Planner, band};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::measure::{Function, Probe};
use crate::readings::{Band, LOOK, Phase, Test, TestId, TestKind, Tool};
use crate::units::Dimension;

impl Planner<'_> {
    pub(super) fn residual(&mut self) {
        let rig = &self.audit.assumed;
        let typical = self.audit.rules.rcd_usual_a.value;
        let mut devices: Vec<(String, f64)> = Vec::new();
        for p in rig.components.iter().filter(|p| p.status.present()) {
            if matches!(p.kind, Kind::Rcd | Kind::Rcbo | Kind::GfciOutlet)
                || (p.kind == Kind::Panel && p.attrs.contains_key("rcd"))
            {
                devices.push((p.id.clone(), p.si("rcd", Dimension::Current).unwrap_or(typical)));
            }
            for w in p.ways.iter().filter(|w| w.rcd.is_some()) {
                let amps = w.rcd.as_ref().and_then(|v| v.si(Dimension::Current)).unwrap_or(typical);
                devices.push((format!("{}.{}", p.id, w.id), amps));
            }
        }
        for (id, amps) in devices {
            let ma = amps * 1000.0;
            let gfci = ma <= 6.0;
            let (test_ma, limit_ms, source) = if gfci {
                // UL 943: t <= (20 / I)^1.43 s, I in mA; exact by definition.
                (6.0, (20.0f64 / 6.0).powf(1.43) * 1000.0, "UL 943, t <= (20 / I)^1.43 s")
            } else {
                (ma, 300.0, "IEC 61008, 300 ms at the rated residual current (recalled)")
            };
            let shore = self.audit.net.sources.iter().position(|s| s.kind == SourceKind::Shore);
            let probe = |ma: f64| self.leak_on(&id, shore?, ma);
            let rcd = self.audit.rules.words.rcd.as_str();
            let test = |kind, title: String, limit: Band, meaning: &str, probe: Option<Probe>| Test {
                title,
                terminals: probe.as_ref().map_or_else(
                    || format!("line to earth behind {id}"),
                    |p| format!("{} to {} behind {id}", p.leads[0].0, p.leads[0].1),
                ),
                state: "on shore".to_owned(),
                tools: &[Tool::RcdTester],
                unit: "ms",
                limit,
                meaning: meaning.to_owned(),
                probe,
                ..Test::of(TestId::about(kind, &id), Phase::Shore)
            };
            let dead = "It does not open on earth leakage: replace it. Its button proves nothing of this.";
            let mut list = vec![test(
                TestKind::Rcd,
                format!("{rcd} of {id}: time to open at {test_ma:.0} mA"),
                band(0.0, limit_ms, source),
                dead,
                probe(test_ma),
            )];
            if !gfci && (ma - 30.0).abs() < 1.0 {
                let five = band(0.0, 40.0, "IEC 61008, 40 ms at five times the rated residual current (recalled)");
                list.push(test(
                    TestKind::RcdFive,
                    format!("{rcd} of {id}: time to open at {:.0} mA", 5.0 * ma),
                    five,
                    dead,
                    probe(5.0 * ma),
                ));
            }
            let half = band(1000.0, f64::INFINITY, "IEC 61008: it holds at half its rated residual current (recalled)");
            list.push(test(
                TestKind::RcdHalf,
                format!("{rcd} of {id} holds at {:.0} mA", ma / 2.0),
                half,
                "It opens at half: too sensitive, or something behind it leaks already.",
                probe(ma / 2.0),
            ));
            // The same device on every other source: where nothing bonds that source, it never opens, though its button works.
            let (net, ctx) = (&self.audit.net, &self.ctx);
            for (k, s) in net.sources.iter().enumerate() {
                let other = s.kind.is_ac() && s.kind != SourceKind::Shore && !s.opposite;
                let Some(probe) = other.then(|| self.leak_on(&id, k, test_ma)).flatten() else { continue };
                let from = ctx.id(s.component);
                let mut on = test(
                    TestKind::RcdOn,
                    format!("{rcd} of {id} on {from}: time to open at {test_ma:.0} mA"),
                    band(0.0, limit_ms, source),
                    "It does not open while this source feeds it: nothing bonds its neutral, so leakage has no way back. Its \
                     button works all the same.",
                    Some(probe),
                );
                (on.id, on.phase) = (TestId::on(TestKind::RcdOn, from, &id), Phase::on(s.kind));
                on.state = format!("on {from} alone");
                list.push(on);
            }
            for t in list {
                match t.probe.clone() {
                    // Half its current is below what the model calls a trip; what it predicts is what is wanted.
                    Some(p) => self.measured(t, p),
                    None => self.tests.push(t),
                }
            }
            self.tests.push(Test {
                title: format!("The button of {id} opens it"),
                terminals: id.clone(),
                state: "on shore".to_owned(),
                tools: &[Tool::Hands],
                unit: LOOK,
                limit: band(1.0, 1.0, "common practice, no source"),
                meaning: "Dead mechanically. That it opens by its button proves nothing of earth leakage.".to_owned(),
                ..Test::of(TestId::about(TestKind::Button, &id), Phase::Shore)
            });
        }
    }

    /// The same on any hot of a source: what hangs on the second is fed by that.
    fn leak_on(&self, device: &str, source: usize, ma: f64) -> Option<Probe> {
        let sources = &self.audit.net.sources;
        let of = &sources[source];
        let twin = |k: &usize| sources[*k].component == of.component && sources[*k].kind == of.kind;
        (0..sources.len()).filter(twin).find_map(|k| self.leak_at(device, k, ma))
    }

    /// A leak from line to earth at an outlet behind a residual-current device, while this source feeds it alone.
    fn leak_at(&self, device: &str, source: usize, ma: f64) -> Option<Probe> {
        let net = &self.audit.net;
        let rig = &self.audit.assumed;
        let named = |e: &crate::network::Edge| net.residual_device(rig, e);
        // In a panel that has a device of its own, a way's is not told apart from it.
        let devices: Vec<String> = net.edges.iter().filter_map(named).collect();
        let device = match device.split_once('.') {
            Some((panel, _)) if !devices.iter().any(|d| d == device) => panel,
            _ => device,
        };
        // Outlets first, where a tester plugs in; else any line behind it, against the earth of its component or of the inlet.
        let outlet = |n: &usize| {
            let kind = net.nodes[*n].component.map(|p| self.audit.assumed.components[p].kind);
            !matches!(kind, Some(Kind::Outlet | Kind::GfciOutlet))
        };
        let mut lines: Vec<usize> = (0..net.nodes.len()).filter(|&n| net.nodes[n].role == Role::Line).collect();
        lines.sort_by_key(outlet);
        for l in lines {
            let own = net.nodes[l].component;
            let at = |role: Role| net.nodes.iter().position(|n| n.component == own && own.is_some() && n.role == role);
            let Some(e) = at(Role::Earth).or(net.sources[source].earth) else { continue };
            let Some(n) = at(Role::Neutral).or(Some(net.sources[source].minus)) else { continue };
            let Some(state) = self.worst_state(source, l, n).filter(|s| s.live.sources_at(net, l).any(|s| s == source))
            else {
                continue;
            };
            // It stands behind this device and behind no other: without the poles of the one it is cut off from the
            // supply, without those of the others it is not.
            let behind = |without: &dyn Fn(&str) -> bool| {
                let cut = |e: &crate::network::Edge| named(e).is_some_and(|d| without(&d));
                !self.reached(state, (l, net.sources[source].plus), &cut)
            };
            if behind(&|d| d == device) && !behind(&|d| d != device) {
                let setup = Self::standing(&state.setting.controls);
                return Some(Probe::between(Function::TripMs(ma), &self.name(l), &self.name(e), setup));
            }
        }
        None
    }
}
