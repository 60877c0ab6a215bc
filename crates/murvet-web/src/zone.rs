//! The zone in which times are told: on the pages of a visit that of the visit, elsewhere that of the browser, which its script
//! says in a cookie. What is kept is UTC.

use axum::extract::Request;
use axum::middleware::Next;
use axum::response::Response;
use axum_extra::extract::CookieJar;
use chrono::{DateTime, NaiveDate, Utc};
use chrono_tz::Tz;
use std::cell::Cell;

tokio::task_local! {
    /// The zone of the page that is made in this task.
    static HERE: Cell<Tz>;
}

/// The cookie in which the script says where the browser is.
const COOKIE: &str = "murvet-zone";

/// A zone by its name; nothing where there is none of that name.
pub(crate) fn named(name: &str) -> Option<Tz> {
    name.trim().parse().ok()
}

/// The zone in which times are told here.
pub(crate) fn here() -> Tz {
    HERE.try_with(Cell::get).unwrap_or(Tz::UTC)
}

/// From now on the page tells times in the zone of its visit.
pub(crate) fn tell_in(name: &str) {
    // A name that the database should not have leaves the zone of the browser.
    if let Some(zone) = named(name) {
        let _ = HERE.try_with(|here| here.set(zone));
    }
}

/// A time as printed, with the letters of its zone.
pub(crate) fn when(at: &DateTime<Utc>) -> String {
    at.with_timezone(&here()).format("%-d %b %Y, %H:%M %Z").to_string()
}

/// The day that a time falls on.
pub(crate) fn day(at: &DateTime<Utc>) -> NaiveDate {
    at.with_timezone(&here()).date_naive()
}

/// The hour and minute of a time.
pub(crate) fn clock(at: &DateTime<Utc>) -> String {
    at.with_timezone(&here()).format("%H:%M").to_string()
}

/// Begins each request in the zone of its browser.
pub(crate) async fn of_browser(request: Request, next: Next) -> Response {
    let told = CookieJar::from_headers(request.headers()).get(COOKIE).and_then(|c| named(c.value()));
    HERE.scope(Cell::new(told.unwrap_or(Tz::UTC)), next.run(request)).await
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;

    #[tokio::test]
    async fn a_time_is_told_where_the_visit_is() {
        let at = Utc.with_ymd_and_hms(2026, 11, 30, 22, 5, 0).single().expect("a time");
        assert_eq!(when(&at), "30 Nov 2026, 22:05 UTC");
        let told = HERE
            .scope(Cell::new(Tz::UTC), async {
                tell_in("Australia/Adelaide");
                tell_in("no such zone");
                (when(&at), day(&at).to_string(), clock(&at))
            })
            .await;
        // Ten and a half hours ahead in summer; IANA time zone database.
        assert_eq!(told, ("1 Dec 2026, 08:35 ACDT".to_owned(), "2026-12-01".to_owned(), "08:35".to_owned()));
    }
}
