//! A rig over years: what became of each finding from revision to revision, how readings go, and what is due when.

use chrono::{Days, Months, NaiveDate};
use std::collections::{BTreeMap, BTreeSet};

/// What became of a finding over the revisions that were looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Course {
    /// The finding, by its key.
    pub key: String,
    /// Its statement when it was last there.
    pub statement: String,
    /// The first revision that had it.
    pub first: i32,
    /// The last that had it.
    pub last: i32,
    /// Whether the newest revision has it.
    pub open: bool,
    /// The revision in which it was there again after one without it.
    pub again: Option<i32>,
    /// Whether it had been repaired before it came again.
    pub repaired_before: bool,
}

/// The course of every finding. `revisions` are in order, each with its findings by key and statement; `repaired` says which
/// finding a repair closed, and the revision that it made.
///
/// ```
/// use murvet_visit::courses;
/// let found = |list: &[&str]| list.iter().map(|k| (k.to_string(), k.to_string())).collect::<Vec<_>>();
/// let list = courses(&[(1, found(&["a", "b"])), (2, found(&["b"])), (3, found(&["a"]))], &[("a".to_owned(), 2)]);
/// assert_eq!((list[0].key.as_str(), list[0].again, list[0].repaired_before, list[0].open), ("a", Some(3), true, true));
/// assert_eq!((list[1].key.as_str(), list[1].again, list[1].last, list[1].open), ("b", None, 2, false));
/// ```
pub fn courses(revisions: &[(i32, Vec<(String, String)>)], repaired: &[(String, i32)]) -> Vec<Course> {
    let mut list: BTreeMap<&str, Course> = BTreeMap::new();
    let mut before: BTreeSet<&str> = BTreeSet::new();
    for (number, findings) in revisions {
        let now: BTreeSet<&str> = findings.iter().map(|f| f.0.as_str()).collect();
        for (key, statement) in findings {
            let course = list.entry(key).or_insert_with(|| Course {
                key: key.clone(),
                statement: String::new(),
                first: *number,
                last: *number,
                open: false,
                again: None,
                repaired_before: false,
            });
            if course.last != *number && !before.contains(key.as_str()) {
                course.again = Some(*number);
                let last = course.last;
                course.repaired_before = repaired.iter().any(|(k, r)| k == key && *r > last && r <= number);
            }
            course.statement.clone_from(statement);
            course.last = *number;
        }
        before = now;
    }
    let mut list: Vec<Course> =
        list.into_values().map(|c| Course { open: before.contains(c.key.as_str()), ..c }).collect();
    // What came back after it was mended first, then what is open, then what is over.
    list.sort_by_key(|c| (!(c.again.is_some() && c.repaired_before), !c.open, c.key.clone()));
    list
}

/// How the values of a test go from one time to the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Trend {
    /// Up by more than a tenth of its first value over all.
    Rises,
    /// Down by more than a tenth.
    Falls,
    /// Neither.
    Holds,
}

/// How values go, from the first to the last by the line of least squares through them at equal steps: less than a tenth of the
/// middle value over the whole is no trend, for meters and temperatures differ by as much. Nothing with fewer than two values or
/// with one that is no number.
///
/// ```
/// use murvet_visit::{Trend, trend};
/// assert_eq!(trend(&[5.0, 4.1, 2.0]), Some(Trend::Falls));
/// assert_eq!(trend(&[5.0, 5.2, 4.9]), Some(Trend::Holds));
/// assert_eq!(trend(&[5.0]), None);
/// ```
pub fn trend(values: &[f64]) -> Option<Trend> {
    if values.len() < 2 || values.iter().any(|v| !v.is_finite()) {
        return None;
    }
    #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
    let (n, at) = (values.len() as f64, |i: usize| i as f64);
    let (x, y) = ((n - 1.0) / 2.0, values.iter().sum::<f64>() / n);
    let over: f64 = values.iter().enumerate().map(|(i, v)| (at(i) - x) * (v - y)).sum();
    let under: f64 = (0..values.len()).map(|i| (at(i) - x).powi(2)).sum();
    let change = over / under * (n - 1.0);
    Some(match change.abs() > 0.1 * y.abs() {
        false => Trend::Holds,
        true if change > 0.0 => Trend::Rises,
        true => Trend::Falls,
    })
}

/// Why a rig is to be looked at again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Due {
    /// After the first journey: everything was shaken once.
    FirstJourney,
    /// A year after the last visit.
    Yearly,
    /// An accepted risk ends: the finding.
    Risk(String),
}

/// Days in which a first journey is taken to be over (common practice, no source).
const FIRST_JOURNEY_DAYS: u64 = 30;

/// What is due, the earliest first: after the first journey unless a visit was for that, twelve months after the last visit (both
/// common practice, no source), and where the acceptance of a risk ends. `visits` are the days with the codes of their kinds.
pub fn due(visits: &[(NaiveDate, &str)], accepted: &[(String, NaiveDate)]) -> Vec<(NaiveDate, Due)> {
    let mut list: Vec<(NaiveDate, Due)> = Vec::new();
    let (first, last) = (visits.iter().map(|v| v.0).min(), visits.iter().map(|v| v.0).max());
    if let Some(first) = first.filter(|_| visits.iter().all(|v| v.1 != "after-journey")) {
        list.extend(first.checked_add_days(Days::new(FIRST_JOURNEY_DAYS)).map(|d| (d, Due::FirstJourney)));
    }
    list.extend(last.and_then(|d| d.checked_add_months(Months::new(12))).map(|d| (d, Due::Yearly)));
    list.extend(accepted.iter().map(|(finding, until)| (*until, Due::Risk(finding.clone()))));
    list.sort_by_key(|(day, _)| *day);
    list
}
