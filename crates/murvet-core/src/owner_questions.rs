//! Which question to the owner tells most: whether something works, and on what, splits what is still possible without a cover
//! being opened.

use crate::complaints::{Complaint, Symptom, as_observed};
use crate::diagnosis::{Diagnosis, Models, Observed, bits};
use crate::readings::{Test, TestKind};

/// A question that is answered by yes or no.
#[derive(Debug, Clone, PartialEq)]
pub struct Asked {
    /// What to ask.
    pub ask: String,
    /// The component and the source it is about; the answer is that it works, or that it is dead.
    pub about: String,
    /// The source.
    pub on: Option<String>,
    /// How much the answer is expected to tell, bit.
    pub bits: f64,
}

/// Questions asked at once.
const MOST: usize = 5;
/// Less than this is not worth a question, bit.
const LEAST_BITS: f64 = 0.05;

/// The questions that best split the explanations, the best first: the expected information of yes and no about which of them
/// holds. What works stands above half of what it has when sound. What was told or measured already is not asked.
///
/// Complexity: one solve for each explanation and stand among the questions.
pub fn owner_questions(models: &Models, tests: &[Test], found: &Diagnosis, seen: &[Observed]) -> Vec<Asked> {
    let audit = models.audit();
    let (possible, weight) = found.possible();
    if possible.len() < 2 {
        return Vec::new();
    }
    let mut asked: Vec<(Asked, Observed)> = Vec::new();
    let mut add = |about: &str, on: Option<&str>, ask: String| {
        let complaint = Complaint {
            symptom: Symptom::Works,
            about: Some(about.to_owned()),
            on: on.map(str::to_owned),
            delay_min: None,
        };
        let Some(observed) = as_observed(audit, tests, &complaint) else { return };
        if !seen.iter().chain(asked.iter().map(|(_, o)| o)).any(|o| o.probe == observed.probe) {
            let (about, on) = (about.to_owned(), on.map(str::to_owned));
            asked.push((Asked { ask, about, on, bits: 0.0 }, observed));
        }
    };
    for t in tests {
        let about = &t.id.subject;
        match (t.id.kind, t.id.source.as_deref()) {
            (TestKind::Outlet | TestKind::Appliance, Some(on)) => {
                add(about, Some(on), format!("Does {about} work on {on}?"));
            }
            (TestKind::Drop, _) => add(about, None, format!("Does {about} work?")),
            (TestKind::ChargeAmps, _) => add(about, None, format!("Does {about} charge?")),
            _ => {}
        }
    }
    let probes: Vec<_> = asked.iter().map(|(_, o)| &o.probe).collect();
    let told: Vec<Vec<f64>> = possible.iter().map(|e| models.predictions(&e.faults, &probes)).collect();
    let all: f64 = weight.iter().sum();
    for (k, (question, sound)) in asked.iter_mut().enumerate() {
        let yes: f64 =
            told.iter().zip(&weight).filter(|(v, _)| v[k].abs() > 0.5 * sound.value.abs()).map(|(_, w)| w).sum();
        let share = yes / all;
        question.bits = bits([share, 1.0 - share].into_iter());
    }
    let mut list: Vec<Asked> = asked.into_iter().map(|(a, _)| a).filter(|a| a.bits > LEAST_BITS).collect();
    list.sort_by(|a, b| b.bits.total_cmp(&a.bits));
    list.truncate(MOST);
    list
}
