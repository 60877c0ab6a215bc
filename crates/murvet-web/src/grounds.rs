//! What a rig is judged by: a profile, what the firm chose among the schools, and what the firm has otherwise.

use crate::App;
use crate::error::AppError;
use crate::page::when;
use chrono::{DateTime, Utc};
use murvet_core::profiles::{Choice, Differs, Profile, ProfileId};
use murvet_store::{FirmChoice, FirmLimit};

/// The grounds of an audit.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Grounds {
    /// The profile that the visit was opened with; a rig that names one itself is judged by its own.
    pub profile: ProfileId,
    /// What the firm chose.
    pub choices: Vec<Choice>,
    /// What the firm has otherwise, with the name of the profile it differs from.
    pub own: Vec<(String, Differs)>,
}

impl Grounds {
    /// The grounds of a firm under a profile.
    ///
    /// # Errors
    /// When the database fails, or a value that it keeps is none.
    pub(crate) async fn of(app: &App, firm: i64, profile: ProfileId) -> Result<Grounds, AppError> {
        Grounds::until(app, firm, profile, app.clock.now()).await
    }

    /// The same as they stood at a moment.
    ///
    /// # Errors
    /// As [`Grounds::of`].
    pub(crate) async fn until(
        app: &App,
        firm: i64,
        profile: ProfileId,
        at: DateTime<Utc>,
    ) -> Result<Grounds, AppError> {
        let (mut chosen, mut limits) = (app.store.firm_choices(firm).await?, app.store.firm_limits(firm).await?);
        chosen.retain(|c| c.at <= at);
        limits.retain(|l| l.at <= at);
        Ok(Grounds { profile, choices: standing(&chosen), own: standing_limits(&limits)? })
    }

    /// The limits of a profile with what the firm has otherwise.
    ///
    /// # Errors
    /// When a limit that was accepted once is refused by this version, in its words.
    pub(crate) fn limits(&self, profile: ProfileId) -> Result<Profile, AppError> {
        let own: Vec<Differs> = self.own.iter().filter(|(b, _)| b == profile.word()).map(|(_, d)| d.clone()).collect();
        let refused = |wrong: Vec<murvet_core::profiles::Trouble>| {
            let lines: Vec<String> = wrong.iter().map(ToString::to_string).collect();
            AppError::Broken(format!("a limit of the firm's own: {}", lines.join("; ")))
        };
        profile.profile().differing(&own).map_err(refused)
    }
}

/// Of entries with the newest first, the first of each that are about the same.
fn newest<T>(made: &[T], same: impl Fn(&T, &T) -> bool) -> impl Iterator<Item = &T> {
    made.iter().enumerate().filter(move |(n, e)| !made[..*n].iter().any(|o| same(o, e))).map(|(_, e)| e)
}

/// The choices that stand: the newest of each school, unless it was taken back. Who chose and when goes with the reason.
fn standing(made: &[FirmChoice]) -> Vec<Choice> {
    let choice = |c: &FirmChoice| {
        let reason = format!("{} ({}, {})", c.reason, c.person, when(&c.at));
        Some(Choice { school: c.school.clone(), option: c.option.clone()?, reason, comment: Vec::new() })
    };
    newest(made, |a, b| a.school == b.school).filter_map(choice).collect()
}

/// The limits that stand: the newest of each field, unless it was taken back.
fn standing_limits(made: &[FirmLimit]) -> Result<Vec<(String, Differs)>, AppError> {
    let mut list = Vec::new();
    for l in newest(made, |a, b| a.base == b.base && a.field == b.field) {
        let Some(value) = &l.value else { continue };
        let value =
            serde_json::from_str(value).map_err(|e| AppError::Broken(format!("{} {}: {e}", l.base, l.field)))?;
        let reason = format!("{} ({}, {})", l.reason, l.person, when(&l.at));
        list.push((l.base.clone(), Differs { field: l.field.clone(), value, source: l.source.clone(), reason }));
    }
    Ok(list)
}
