//! A rig with hidden faults that instruments are put to. The model lives on a thread of its own; whoever asks sends a
//! message and waits for the answer.

use crate::InstrumentError;
use murvet_core::audit::Audit;
use murvet_core::catalogue::SourceKind;
use murvet_core::measure::{Fault, Function, Probe, TestSetup, World};
use std::sync::{Arc, Mutex, PoisonError, mpsc};
use tokio::sync::oneshot;

/// What the hand of an inspector does: where the leads are, and how everything stands.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Hand {
    /// Where the leads are, first and second terminal, by name.
    pub leads: (String, String),
    /// How everything stands.
    pub setup: TestSetup,
}

struct Question {
    probe: Probe,
    answer: oneshot::Sender<Option<f64>>,
}

/// A rig as it really is. Copies ask the same rig.
#[derive(Clone)]
pub struct Simulated {
    ask: mpsc::Sender<Question>,
    /// The first bank of the rig, for its monitor: its name, and the terminal beyond the conductor on its positive.
    pub(crate) bank: Option<(String, String)>,
    /// Number of controls of the rig.
    pub controls: usize,
    /// How the rig stands now: whoever moves a control moves it for every instrument.
    present: Arc<Mutex<TestSetup>>,
}

/// Noise of an instrument in a settled order (constants of MMIX).
struct Noise(u64);

impl Noise {
    /// Between -1 and 1.
    fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1u64 << 52) as f64 - 1.0
    }

    fn on(&mut self, function: Function, value: f64) -> f64 {
        if value.is_infinite() {
            return value;
        }
        let (share, digit) = match function {
            Function::DcVolts => (0.0005, 0.002),
            Function::AcVolts => (0.005, 0.1),
            Function::Ohms => (0.01, 0.01),
            Function::Insulation => (0.03, 1.0),
            Function::DcAmps | Function::AcAmps => (0.01, 0.02),
            Function::TripMs(_) => (0.02, 0.5),
            Function::LoopOhm => (0.02, 0.02),
            Function::Celsius => (0.005, 0.2),
        };
        value + share * value.abs() * self.next() + digit * self.next()
    }
}

impl Simulated {
    /// Starts the rig of an audit with these faults in it; the same seed gives the same noise.
    ///
    /// # Errors
    /// When no thread can be started.
    pub fn start(audit: Audit, faults: Vec<Fault>, seed: u64) -> Result<Simulated, InstrumentError> {
        let (ask, questions) = mpsc::channel::<Question>();
        let net = &audit.net;
        let bank = net.sources.iter().find(|s| s.kind == SourceKind::Battery).map(|s| {
            let beyond = net.beyond(s.plus).next().map_or_else(String::new, |n| net.nodes[n].name.clone());
            (audit.assumed.components[s.component].id.clone(), beyond)
        });
        let controls = audit.net.controls.len();
        let run = move || {
            let world = World::new(&audit, &faults);
            let mut noise = Noise(seed);
            // The thread ends with the last one who could ask.
            for q in questions {
                let value = world.read(&q.probe).map(|v| noise.on(q.probe.function, v));
                let _ = q.answer.send(value);
            }
        };
        std::thread::Builder::new()
            .name("rig".to_owned())
            .spawn(run)
            .map_err(|e| InstrumentError::Rig(format!("the simulated rig does not start: {e}")))?;
        Ok(Simulated { ask, bank, controls, present: Arc::default() })
    }

    /// How the rig stands now.
    pub fn present(&self) -> TestSetup {
        self.present.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Moves its controls.
    pub fn setup(&self, setup: TestSetup) {
        *self.present.lock().unwrap_or_else(PoisonError::into_inner) = setup;
    }

    /// What an instrument shows; nothing where its leads touch nothing.
    pub async fn read(&self, function: Function, hand: &Hand) -> Option<f64> {
        let (answer, wait) = oneshot::channel();
        let probe = Probe { function, leads: vec![hand.leads.clone()], setup: hand.setup.clone() };
        self.ask.send(Question { probe, answer }).ok()?;
        wait.await.ok().flatten()
    }
}
