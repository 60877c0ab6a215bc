//! Audits made before. An audit follows from the text and the profile alone, so remembering it changes no page; a page
//! after the first, and an edit that is checked against the saved revision, need not make it again.

use crate::error::AppError;
use crate::grounds::Grounds;
use crate::page::off_thread;
use crate::watch::Figures;
use murvet_core::audit::{Audit, audit_for};
use murvet_core::notation::{Diagnostic, parse};
use murvet_core::readings::{Test, plan};
use murvet_core::rig::Rig;
use murvet_core::states::Memory;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use std::time::Instant;

/// An audit with the test plan that follows from it, which is made when it is first asked for.
pub(crate) struct Made {
    audit: Audit,
    tests: OnceLock<Vec<Test>>,
}

impl Made {
    /// The tests of the rig in the order of work.
    pub fn tests(&self) -> &[Test] {
        self.tests.get_or_init(|| plan(&self.audit))
    }
}

impl From<Audit> for Made {
    fn from(audit: Audit) -> Made {
        Made { audit, tests: OnceLock::new() }
    }
}

impl std::ops::Deref for Made {
    type Target = Audit;
    fn deref(&self) -> &Audit {
        &self.audit
    }
}

/// A rig with its audit.
pub(crate) type Judged = (Arc<Rig>, Arc<Made>);

/// At most so many are kept, the oldest going first.
const MOST: usize = 32;

/// What was judged, by what, and what came of it.
type Kept = (Grounds, String, Judged);

/// The audits that a server made last; copies share them.
#[derive(Clone)]
pub(crate) struct Audits {
    made: Arc<Mutex<VecDeque<Kept>>>,
    memory: Memory,
    figures: Figures,
}

impl Audits {
    /// None yet; each that is asked for is counted.
    pub fn new(figures: Figures) -> Audits {
        Audits { made: Arc::default(), memory: Memory::default(), figures }
    }

    /// The audit of a text by its own profile or else by the one given, made on a thread of its own unless it is there already.
    ///
    /// # Errors
    /// The errors of the text, inside; outside them that the thread failed.
    pub(crate) async fn of(&self, text: &str, grounds: Grounds) -> Result<Result<Judged, Vec<Diagnostic>>, AppError> {
        let (audits, text) = (self.clone(), text.to_owned());
        off_thread(move || {
            let rig = match parse(&text) {
                Ok(rig) => rig,
                Err(wrong) => {
                    audits.figures.audited("refused", None);
                    return Ok(Err(wrong));
                }
            };
            let grounds = Grounds { profile: rig.profile.unwrap_or(grounds.profile), ..grounds };
            let made = || audits.made.lock().unwrap_or_else(PoisonError::into_inner);
            if let Some((.., judged)) = made().iter().find(|(g, t, _)| *g == grounds && *t == text) {
                audits.figures.audited("remembered", None);
                return Ok(Ok(judged.clone()));
            }
            let limits = grounds.limits(grounds.profile)?;
            let begun = Instant::now();
            let audit = audit_for(&rig, &limits, &grounds.choices, &audits.memory);
            audits.figures.audited("made", Some(begun.elapsed().as_secs_f64()));
            let judged: Judged = (Arc::new(rig), Arc::new(audit.into()));
            let mut list = made();
            list.truncate(MOST - 1);
            list.push_front((grounds, text, judged.clone()));
            Ok(Ok(judged))
        })
        .await?
    }
}
