//! As planned: the rig with what is intended in place, beside what is there now.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread};
use crate::stations::circuits::stale_words;
use crate::stations::trace::severity_class;
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use murvet_core::readings::{circuits, stale_legends};
use murvet_core::rules::Finding;
use murvet_draw::{MapOptions, rig_map};

#[derive(Template)]
#[template(path = "planned.html")]
struct PlannedPage {
    head: Head,
    /// Each with whether it is taken as in place.
    intended: Vec<(String, bool)>,
    stale: Vec<(String, String, String)>,
    opens: Vec<(&'static str, &'static str, String)>,
    closes: Vec<String>,
    stays: usize,
    map: String,
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(query): Query<Vec<(String, String)>>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let head = context.head("trace");
    let (rig, now) = (context.rig, context.audit);
    let page = off_thread(move || {
        // Nothing asked means everything.
        let asked: Vec<&str> = query.iter().filter(|(k, _)| k == "with").map(|(_, v)| v.as_str()).collect();
        let all = !query.iter().any(|(k, _)| k == "some");
        let wanted = |id: &str| all || asked.contains(&id);
        let (planned, intended) = rig.planned_with(wanted);
        let intended = intended.into_iter().map(|id| (id.clone(), wanted(&id))).collect();
        let then = now.after(&planned);
        let opens: Vec<&Finding> = now.opened_by(&then).collect();
        let closes = now.findings.iter().filter(|f| !then.findings.iter().any(|o| o.key() == f.key()));
        PlannedPage {
            head,
            stays: then.findings.len() - opens.len(),
            opens: opens
                .iter()
                .map(|f| (f.severity.words(), severity_class(f.severity), f.statement.clone()))
                .collect(),
            closes: closes.map(|f| f.statement.clone()).collect(),
            map: rig_map(&then, &MapOptions { findings: &then.findings, ..MapOptions::default() }),
            stale: stale_legends(&circuits(&now), &circuits(&then))
                .iter()
                .map(|s| (s.device.clone(), s.label.clone(), stale_words(s)))
                .collect(),
            intended,
        }
    })
    .await?;
    html(&page)
}
