//! What is looked at, pulled and pressed: joints by kind, workmanship by place, signals, displays, and closing up.

use super::{Planner, band};
use crate::catalogue::{Kind, SourceKind};
use crate::readings::safe::elsewhere;
use crate::readings::{LOOK, Phase, Test, TestId, TestKind, Tool};
use crate::units::{Dimension, short};

/// What still flows in a device that has stopped, A (common practice, no source).
const STOPPED_A: f64 = 0.5;

/// Limits of what is only looked at.
fn seen(source: &str) -> crate::readings::Band {
    band(1.0, 1.0, source)
}

impl Planner<'_> {
    fn look(&mut self, id: TestId, phase: Phase, title: String, at: String, meaning: &str) {
        let torque = id.kind == TestKind::Torque;
        self.tests.push(Test {
            title,
            terminals: at,
            state: if phase == Phase::Look { "everything dead and proven so" } else { "as it stands then" }.to_owned(),
            tools: if torque { &[Tool::TorqueKey] } else { &[Tool::Hands] },
            unit: LOOK,
            limit: seen("common practice, no source"),
            meaning: meaning.to_owned(),
            ..Test::of(id, phase)
        });
    }

    pub(super) fn looks(&mut self) {
        let rig = &self.audit.assumed;
        let places: Vec<(String, String, bool)> = rig
            .places
            .iter()
            .map(|p| (p.id.clone(), p.label.clone().unwrap_or_else(|| p.id.clone()), p.opened.as_deref() == Some("no")))
            .collect();
        for (id, title, _) in places.iter().filter(|(.., shut)| !shut) {
            self.look(
                TestId::about(TestKind::Look, id),
                Phase::Look,
                format!("Workmanship in {title}: support, grommets, chafing, splices in boxes, damp, heat, clear air, labels"),
                title.clone(),
                "Enter what is wrong as a remark on Trace, with a photograph.",
            );
        }
        let joints: Vec<(String, &str, &str)> = rig
            .components
            .iter()
            .filter(|p| p.status.present())
            .filter_map(|p| {
                let how = match p.kind {
                    Kind::Battery => "posts: torque by the maker's figure, tug every lug, crimps looked at",
                    Kind::Bus | Kind::Shunt | Kind::JointBox => {
                        "studs: torque, tug every lug, nothing stacked out of order"
                    }
                    Kind::Fuse if p.word("class") != Some("blade") => {
                        "device: torque both ends, holder not warm-coloured"
                    }
                    Kind::Isolator => "studs: torque, tug, label says what it isolates",
                    Kind::Inverter | Kind::InverterCharger => "DC studs: torque, tug; AC clamps: strip length and pull",
                    Kind::Panel | Kind::FuseBlock => {
                        "clamps: torque, pull each conductor, two under one screw looked for"
                    }
                    _ => return None,
                };
                let meaning = if matches!(p.kind, Kind::Panel | Kind::FuseBlock) {
                    "A loose clamp heats under load and is found by nobody until it burns."
                } else {
                    "A loose or crushed joint: excess resistance, heat, a sag under load."
                };
                Some((p.id.clone(), how, meaning))
            })
            .collect();
        for (id, how, meaning) in joints {
            self.look(TestId::about(TestKind::Torque, &id), Phase::Look, format!("{id} {how}"), id.clone(), meaning);
            // With its maker's figure it is measured.
            let component = rig.component(&id);
            if let (Some(set), Some(test)) =
                (component.and_then(|p| p.si("torque", Dimension::Torque)), self.tests.last_mut())
            {
                let document = component.and_then(|p| p.word("document")).map_or(String::new(), |d| format!(": {d}"));
                test.unit = "Nm";
                test.limit = band(0.9 * set, 1.1 * set, &format!("its maker's figure{document}"));
            }
        }
        self.clearances();
        // Large conductors are checked for the copper inside: the mark may lie.
        let net = &self.audit.net;
        let thick: Vec<(String, String)> = (0..net.wires.len())
            .filter(|w| net.wires[*w].laid.area_mm2 >= 16.0 && !net.wires[*w].cranking)
            .map(|w| (net.wires[w].key.clone(), format!("{} ({})", net.wire_ends(w), net.wires[w].title)))
            .collect();
        for (key, title) in thick {
            self.look(
                TestId::about(TestKind::Strands, &key),
                Phase::Look,
                format!("Copper of {title}: size as marked, fine strands, right lug and die, no strand cut away"),
                title.clone(),
                "False or thin cable: weigh a stripped length or measure its resistance on the bench.",
            );
        }
        let signals: Vec<String> = rig
            .components
            .iter()
            .filter(|p| {
                p.status.present()
                    && (p.attrs.contains_key("listens") || p.word("enable").is_some_and(|e| e != "always"))
            })
            .map(|p| p.id.clone())
            .collect();
        for id in signals {
            self.obeys(&id);
        }
        let untraced: Vec<(String, usize)> = self
            .components(Kind::JointBox)
            .into_iter()
            .filter_map(|i| {
                let leads = &crate::terminals::anatomy(&rig.components[i]).ports;
                let landed = |port: &&crate::catalogue::Port| {
                    let at = |t: &String| {
                        net.node(i, t).is_some_and(|n| net.beyond(n).any(|b| net.nodes[b].component != Some(i)))
                    };
                    port.terminals.iter().any(at)
                };
                let open = leads.len() - leads.iter().filter(landed).count();
                (open > 0).then(|| (self.ctx.id(i).to_owned(), open))
            })
            .collect();
        for (id, open) in untraced {
            self.look(
                TestId::about(TestKind::Leads, &id),
                Phase::Look,
                format!("Follow to its end what enters {id} and was not traced: {open}"),
                id.clone(),
                "What nobody followed may be live, and unprotected.",
            );
        }
        let points: Vec<(String, String)> = rig
            .components
            .iter()
            .filter(|p| p.status.present())
            .filter_map(|p| {
                let from = elsewhere(p);
                (!from.is_empty()).then(|| (p.id.clone(), from.join(", ")))
            })
            .collect();
        for (id, from) in points {
            self.look(
                TestId::about(TestKind::Points, &id),
                Phase::Load,
                format!("{id} starts and stops from each of its points: its own switch, {from}"),
                id.clone(),
                "A point that does not stop it, or starts it against the others: nobody can rely on having it off.",
            );
        }
    }

    /// The clear air at each face of what its maker gives a figure for.
    fn clearances(&mut self) {
        let mut list = Vec::new();
        for p in self.audit.assumed.components.iter().filter(|p| p.status.present()) {
            for (key, face, words) in [
                ("clear-above", "above", "above"),
                ("clear-below", "below", "below"),
                ("clear-sides", "sides", "at the sides of"),
            ] {
                let Some(metres) = p.si(key, Dimension::Length) else { continue };
                let document = p.word("document").map_or(String::new(), |d| format!(": {d}"));
                list.push(Test {
                    title: format!("Clear air {words} {}", p.title()),
                    terminals: format!("from {} to what is nearest {words} it", p.id),
                    state: "everything dead and proven so".to_owned(),
                    unit: "mm",
                    limit: band(1000.0 * metres, f64::INFINITY, &format!("its maker's figure{document}")),
                    meaning: "It warms its own air: it gives less, switches off, and ages what stands beside it."
                        .to_owned(),
                    ..Test::of(TestId::about(TestKind::Clearance, &p.id).part(face), Phase::Look)
                });
            }
        }
        self.tests.extend(list);
    }

    /// The monitor of each shunt, once the battery is closed.
    pub(super) fn monitors(&mut self) {
        for i in self.components(Kind::Shunt) {
            let id = self.ctx.id(i).to_owned();
            self.look(
                TestId::about(TestKind::Shunt, &id),
                Phase::Dc,
                format!("The monitor on {id} shows what a clamp shows, with a known appliance on and off"),
                id.clone(),
                "Current goes round the shunt, or it is set for another shunt.",
            );
        }
    }

    pub(super) fn closing(&mut self) {
        let opened: Vec<(String, String)> = self
            .audit
            .assumed
            .places
            .iter()
            .filter(|p| matches!(p.opened.as_deref(), Some("yes" | "part")))
            .map(|p| (p.id.clone(), p.label.clone().unwrap_or_else(|| p.id.clone())))
            .collect();
        for (id, title) in opened {
            self.look(
                TestId::about(TestKind::Closed, &id),
                Phase::Close,
                format!("{title} is closed again, nothing left inside"),
                title.clone(),
                "Close it before handing over, or hand over that it is open.",
            );
        }
    }

    /// What a device that should obey a signal still takes or gives when the signal says stop, and with its wire off: a signal that
    /// is lost must stop it too.
    fn obeys(&mut self, id: &str) {
        let list = [
            (
                TestKind::Signal,
                format!("Current of {id} ten seconds after its signal says stop"),
                "running, then its signal switched to stop at the sender",
                "The signal is not obeyed: not set to listen, not wired, or of the other sense.",
            ),
            (
                TestKind::SignalBroken,
                format!("Current of {id} ten seconds after its signal wire is taken off"),
                "running, its signal wire off at the device",
                "A broken wire lets it run on: the sense is the wrong way round, and nobody will know.",
            ),
        ];
        for (kind, title, state, meaning) in list {
            self.tests.push(Test {
                title,
                terminals: format!("clamp on the leads of {id}"),
                state: state.to_owned(),
                tools: &[Tool::DcClamp],
                unit: "A",
                limit: band(0.0, STOPPED_A, "common practice, no source"),
                meaning: meaning.to_owned(),
                ..Test::of(TestId::about(kind, id), Phase::Charging)
            });
        }
    }

    /// Each device that makes one voltage of another, by itself: its label at its input, its label at its output, its leads off. For
    /// when it is suspected; no visit asks for it of its own.
    pub(super) fn alone(&mut self) {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for s in net.sources.iter().filter(|s| !s.opposite) {
            let component = &self.audit.assumed.components[s.component];
            let (volts, within, input) = match s.kind {
                SourceKind::Charger | SourceKind::DcDc => {
                    let held = crate::measure::held_volts(component, s.volts);
                    let input = match s.kind {
                        SourceKind::Charger => format!("{} V AC at its input", short(self.audit.rules.ac_v.value)),
                        _ => "its label's voltage at its input".to_owned(),
                    };
                    (held, 0.02, input)
                }
                SourceKind::Inverter => {
                    (s.volts, 0.05, "a charged battery at its input, by leads of its own".to_owned())
                }
                _ => continue,
            };
            let ac = s.kind.is_ac();
            list.push(Test {
                title: format!("{} alone: what it gives with its leads off", component.title()),
                terminals: format!("{} to {}", self.name(s.plus), self.name(s.minus)),
                state: format!("made safe, the leads of its output lifted and capped; then {input}"),
                tools: if ac { &[Tool::TrueRms] } else { &[Tool::Voltmeter] },
                unit: "V",
                limit: band(volts * (1.0 - within), volts * (1.0 + within), "its label, common practice, no source"),
                meaning:
                    "It is the device. Within it: look at what feeds it and at what hangs on it. Some give nothing \
                          without a battery on their output: then with a small one."
                        .to_owned(),
                ..Test::of(
                    TestId::about(TestKind::Alone, &component.id).part(if ac { "ac" } else { "dc" }),
                    Phase::Dead,
                )
            });
        }
        self.tests.extend(list);
    }
}
