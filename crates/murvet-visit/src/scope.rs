//! Who may do what: by the licences that hold in a region on a day.

use chrono::NaiveDate;
use murvet_core::work::day::WorkKind;
use std::collections::BTreeSet;

/// A licence as decisions need it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HeldLicence {
    /// Whose it is, by the key of the person.
    pub holder: i64,
    /// For what.
    pub kind: WorkKind,
    /// The code of the region's profile.
    pub region: String,
    /// The last day on which it holds.
    pub ends_on: Option<NaiveDate>,
}

/// What a person may do in a region on a day. A firm that keeps no licences leaves it to its people: nothing. In one that does,
/// whoever has none may test and look.
///
/// ```
/// use murvet_core::work::day::WorkKind;
/// use murvet_visit::{HeldLicence, may_do};
/// let day = |d| chrono::NaiveDate::from_ymd_opt(2026, 5, d).unwrap();
/// let one = HeldLicence { holder: 1, kind: WorkKind::MainsFixed, region: "au-nz".to_owned(), ends_on: Some(day(20)) };
/// assert_eq!(may_do(&[], 1, "au-nz", day(1)), None);
/// let may = |person, region, d| may_do(std::slice::from_ref(&one), person, region, day(d)).unwrap().contains(&WorkKind::MainsFixed);
/// assert!(may(1, "au-nz", 20) && !may(1, "au-nz", 21) && !may(2, "au-nz", 1) && !may(1, "eu-uk", 1));
/// ```
pub fn may_do(licences: &[HeldLicence], person: i64, region: &str, day: NaiveDate) -> Option<BTreeSet<WorkKind>> {
    if licences.is_empty() {
        return None;
    }
    let own = licences.iter().filter(|l| l.holder == person && l.region == region);
    let mut may: BTreeSet<WorkKind> = own.filter(|l| l.ends_on.is_none_or(|e| day <= e)).map(|l| l.kind).collect();
    may.insert(WorkKind::TestOnly);
    Some(may)
}

/// The kinds of work of a change that somebody may not do.
pub fn beyond(kinds: &BTreeSet<WorkKind>, may: Option<&BTreeSet<WorkKind>>) -> Vec<WorkKind> {
    may.map_or_else(Vec::new, |may| kinds.difference(may).copied().collect())
}
