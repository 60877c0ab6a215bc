//! A reading of several samples, of several values, or one that does not settle.

use super::{Outcome, Test, Verdict, judge};

/// How the values of a test that takes several make one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Combine {
    /// Volts and amperes that go in, volts and amperes that come out: what comes out as a share of what goes in, %.
    Share,
    /// Before and after one change: what it adds.
    Difference,
}

/// One value of a test that takes several.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Part {
    /// What it is.
    pub label: String,
    /// Its unit.
    pub unit: &'static str,
    /// What the meter is put to for it.
    pub probe: crate::measure::Probe,
}

/// The values of a test that takes several, in order.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Parts {
    /// How they make one.
    pub combine: Combine,
    /// Each.
    pub list: Vec<Part>,
}

impl Parts {
    /// The one value that they make; nothing where their number is wrong or nothing goes in.
    pub fn value(&self, each: &[f64]) -> Option<f64> {
        match (self.combine, each) {
            (Combine::Share, [v_in, a_in, v_out, a_out]) => {
                let power = v_in * a_in;
                (power.abs() > 1e-9).then(|| 100.0 * v_out * a_out / power)
            }
            (Combine::Difference, [before, after]) => Some(after - before),
            _ => None,
        }
    }
}

/// What was read for one test.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sampled {
    /// Every value in the order in which it was read; of a test that takes several, those.
    pub samples: Vec<f64>,
    /// Whether whoever read it saw it wander.
    pub wanders: bool,
}

/// Whether samples lie so far apart that no one value can be taken: a fiftieth for volts, a twentieth for amperes, a fifth
/// for ohms, seconds for times that are taken by hand, each with what the last digit may do. Trip times and temperatures
/// differ from sample to sample by nature. Common practice, no source.
fn apart(unit: &str, samples: &[f64]) -> bool {
    let (share, floor) = match unit {
        "V" => (0.02, 0.1),
        "A" => (0.05, 0.3),
        "ohm" => (0.2, 0.05),
        "s" => (0.2, 2.0),
        _ => return false,
    };
    let low = samples.iter().copied().fold(f64::INFINITY, f64::min);
    let high = samples.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    if high.is_infinite() {
        // Over range once and not the next time is a contact that comes and goes, if what it showed is no mere insulation.
        return low < 1e6;
    }
    high - low > (share * high.abs().max(low.abs())).max(floor)
}

/// How far a value lies outside the limits of a test, in its unit; zero within.
fn outside(test: &Test, value: f64) -> f64 {
    if test.limit.holds(value) { 0.0 } else { (test.limit.low - value).max(value - test.limit.high) }
}

/// Judges what was read: the one value that stands for it, and what it says.
///
/// Of several samples the worst stands: the one farthest outside the limits, else the middle one. A fault that shows now and
/// then is a fault. What does not settle neither clears nor guards, however good its samples look.
pub fn judge_sampled(test: &Test, read: &Sampled) -> Option<(f64, Verdict)> {
    let value = match &test.parts {
        Some(parts) => parts.value(&read.samples)?,
        None => {
            let mut sorted = read.samples.clone();
            sorted.sort_by(f64::total_cmp);
            let middle = *sorted.get(sorted.len() / 2)?;
            let worst = sorted.iter().copied().max_by(|a, b| outside(test, *a).total_cmp(&outside(test, *b)))?;
            if outside(test, worst) > 0.0 { worst } else { middle }
        }
    };
    let mut verdict = judge(test, value);
    let several = test.parts.is_none() && read.samples.len() > 1;
    if several {
        verdict.words = format!("Of {} samples: {}", read.samples.len(), verdict.words);
    }
    if read.wanders || (several && apart(test.unit, &read.samples)) {
        let why = "It does not settle: a contact that comes and goes, leads, a low battery of the meter, or a ghost voltage. \
                   Measure again.";
        verdict.words = format!("{} {why}", verdict.words);
        if verdict.outcome != Outcome::Fail {
            verdict.outcome = Outcome::Unsettled;
        }
    }
    Some((value, verdict))
}
