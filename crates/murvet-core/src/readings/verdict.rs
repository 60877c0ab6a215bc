//! What a reading says.

use super::{Band, Test, TestKind};
use crate::audit::Audit;
use crate::measure::{Function, Probe, World};
use crate::units::short;

/// The outcome of one reading.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// Within the limits and as predicted.
    Pass,
    /// Within the limits but not what the traced rig would give: the trace is wrong somewhere.
    Differs,
    /// Within the limits, but it wanders: it says nothing yet.
    Unsettled,
    /// Outside the limits.
    Fail,
}

impl Outcome {
    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Outcome::Pass => "pass",
            Outcome::Differs => "pass, but not as predicted",
            Outcome::Unsettled => "unsettled",
            Outcome::Fail => "fail",
        }
    }

    /// Its stable code, as it is kept.
    pub fn code(self) -> &'static str {
        match self {
            Outcome::Pass => "pass",
            Outcome::Differs => "differs",
            Outcome::Unsettled => "unsettled",
            Outcome::Fail => "fail",
        }
    }

    /// The outcome of a code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<Outcome> {
        [Outcome::Pass, Outcome::Differs, Outcome::Unsettled, Outcome::Fail].into_iter().find(|o| o.code() == code)
    }

    /// Whether it proves anything: what is not as predicted clears nothing, for the trace and the rig differ somewhere.
    pub fn clears(self) -> bool {
        self == Outcome::Pass
    }
}

/// A judged reading.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Verdict {
    /// The outcome.
    pub outcome: Outcome,
    /// What it means, in sentences.
    pub words: String,
}

/// A value with its unit, in a prefix that keeps it short; infinity is over range.
pub fn value_words(value: f64, unit: &str) -> String {
    match unit {
        super::LOOK => if value >= 0.5 { "as it should be" } else { "not as it should be" }.to_owned(),
        _ if value.is_infinite() => "over range".to_owned(),
        "ohm" if value >= 1e6 => format!("{} Mohm", short(value / 1e6)),
        "ohm" if value > 0.0 && value < 0.1 => format!("{} mohm", short(value * 1e3)),
        _ => format!("{} {unit}", short(value)),
    }
}

/// How near a limit a value is shown with one digit more than the limit, as a share of the limit.
const NEAR: f64 = 0.02;

/// A value that lies near a limit, with one digit more than the limit has: rounded to the same digits it would seem to be
/// the limit itself, or on its other side.
fn near_limit(value: f64, limit: &Band, unit: &str) -> Option<String> {
    let bound = [limit.low, limit.high]
        .into_iter()
        .find(|b| b.is_finite() && *b != 0.0 && value.is_finite() && (value - b).abs() <= NEAR * b.abs())?;
    let (scale, prefix) = match unit {
        "ohm" if bound >= 1e6 => (1e-6, "M"),
        "ohm" if bound < 0.1 => (1e3, "m"),
        _ => (1.0, ""),
    };
    let digits = short(bound * scale).split_once('.').map_or(0, |(_, d)| d.len());
    Some(format!("{:.*} {prefix}{unit}", digits + 1, value * scale))
}

fn range(low: f64, high: f64, unit: &str) -> String {
    match (low.is_finite(), high.is_finite()) {
        (true, true) if low == 0.0 => format!("up to {}", value_words(high, unit)),
        (true, true) => format!("{} to {}", value_words(low, unit), value_words(high, unit)),
        (true, false) => format!("{} or more", value_words(low, unit)),
        (false, true) => format!("up to {}", value_words(high, unit)),
        (false, false) => "anything".to_owned(),
    }
}

/// Judges a value in the test's unit; infinity stands for over-range (an open circuit in ohms).
pub fn judge(test: &Test, value: f64) -> Verdict {
    if test.is_look() {
        let fine = value >= 0.5;
        let words = if fine { "As it should be.".to_owned() } else { format!("Not as it should be. {}", test.meaning) };
        return Verdict { outcome: if fine { Outcome::Pass } else { Outcome::Fail }, words };
    }
    let shown = near_limit(value, &test.limit, test.unit).unwrap_or_else(|| value_words(value, test.unit));
    let allowed = range(test.limit.low, test.limit.high, test.unit);
    if !test.limit.holds(value) {
        let mut words = format!("{shown} is outside {allowed} ({}). {}", test.limit.source, test.meaning);
        if let Some(p) = &test.predicted
            && p.holds(value)
        {
            words.push_str(" It is what the traced rig would give: see its finding.");
        }
        return Verdict { outcome: Outcome::Fail, words };
    }
    match &test.predicted {
        // A charger in bulk follows its bank: only what it holds at last tells whether it works, or its current.
        Some(p) if value < p.low && test.id.kind == TestKind::ChargeVolts => Verdict {
            outcome: Outcome::Unsettled,
            words: format!(
                "{shown} is below {}, its label less 2 %: in bulk it follows the bank, dead it shows the bank alone. Measure its current, and its voltage again once that has fallen.",
                value_words(p.low, test.unit)
            ),
        },
        Some(p) if !p.holds(value) => {
            let mut words = format!(
                "{shown} is within {allowed}, but the traced rig would give {}. It clears nothing: look for what was traced wrongly or changed, enter that, and take it again.",
                range(p.low, p.high, test.unit)
            );
            if test.unit == "V" && test.id.kind == TestKind::Drop && value > p.high {
                words.push_str(&format!(
                    " {} V more than predicted are lost in a joint or a thinner conductor.",
                    short(value - p.high)
                ));
            }
            Verdict { outcome: Outcome::Differs, words }
        }
        _ => Verdict { outcome: Outcome::Pass, words: format!("{shown} is within {allowed}.") },
    }
}

/// What a drop above its prediction means in ohms and heat: how much resistance is there that the copper does not explain,
/// and how many watts it makes at this current. Nothing for other tests and for a drop within its prediction.
pub fn excess_words(audit: &Audit, test: &Test, value: f64) -> Option<String> {
    let lost = test.id.kind.is_loss();
    let most = test.predicted.as_ref().map(|p| p.high)?;
    if !lost || test.unit != "V" || !value.is_finite() || value <= most {
        return None;
    }
    let probe = test.probe.as_ref()?;
    let world = World::new(audit, &[]);
    let copper = world.read(probe)?;
    // The clamp goes round the conductor at the first lead.
    let net = &audit.net;
    let start = world.node(&probe.leads.first()?.0)?;
    let along = |other: usize| {
        let leads = vec![(net.nodes[start].name.clone(), net.nodes[other].name.clone())];
        world.read(&Probe { function: Function::DcAmps, leads, setup: probe.setup.clone() })
    };
    let amps = net.beyond(start).filter_map(along).sum::<f64>().abs();
    let over = value - copper;
    (amps > 0.1).then(|| {
        format!(
            "{} V more than the copper explains at {} A: {} mohm in a joint or a thinner conductor, which makes {} W of heat there.",
            short(over),
            short(amps),
            short(over / amps * 1000.0),
            short(over * amps)
        )
    })
}

impl Test {
    /// The limits in words.
    pub fn limit_words(&self) -> String {
        if self.is_look() {
            return "as it should be".to_owned();
        }
        range(self.limit.low, self.limit.high, self.unit)
    }

    /// The prediction in words.
    pub fn predicted_words(&self) -> String {
        self.predicted.as_ref().map_or_else(|| "not predicted".to_owned(), |p| range(p.low, p.high, self.unit))
    }
}
