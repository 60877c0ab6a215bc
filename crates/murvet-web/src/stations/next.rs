//! For the next technician: what is open and how it is put right, what nobody saw, readings with their limits, photographs.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread, outcome, when};
use crate::stations::photographs::{Shot, shots};
use crate::stations::readings::holding;
use crate::stations::trace::severity_class;
use askama::Template;
use axum::extract::{Path, State};
use axum::response::Response;
use murvet_core::audit_report::AuditReport;
use murvet_core::readings::{Outcome, proofs, value_words};
use murvet_core::remedies::{Trial, trials, why_none};
use murvet_core::work::lost;
use murvet_store::{Referral, ReferralBack};

/// Most tests that prove a repair, as named here.
const NAMED: usize = 3;

/// Something that is open, with how it would be put right.
struct Open {
    severity: &'static str,
    class: &'static str,
    statement: String,
    certainty: &'static str,
    /// The repair that was tried on a copy and stood, or why there is none.
    how: String,
    /// What has to be true for it.
    condition: Option<String>,
    proved_by: Vec<String>,
}

struct ReadingRow {
    title: String,
    value: String,
    limit: String,
    outcome: Outcome,
    by: String,
    stale: bool,
    lower: bool,
}

#[derive(Template)]
#[template(path = "next.html")]
struct NextPage {
    head: Head,
    day: String,
    open: Vec<Open>,
    unseen: Vec<(String, usize)>,
    limits: Vec<String>,
    readings: Vec<ReadingRow>,
    missing: usize,
    referred: Vec<(Referral, Option<ReferralBack>)>,
    loose: Vec<String>,
    shots: Vec<Shot>,
}

pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let readings = app.store.readings(context.firm, visit).await?;
    let held = holding(&app, &context, &readings).await?;
    let photographs = app.store.photographs(context.firm, visit).await?;
    let (rig, audit) = (context.rig.clone(), context.audit.clone());
    let open = off_thread(move || {
        let one = |f: &murvet_core::rules::Finding| {
            // One that takes nothing out of use before one that does.
            let keeps = |t: &Trial| t.after.as_ref().is_some_and(|after| lost(&audit, after).is_empty());
            let mut accepted: Vec<Trial> = trials(&rig, &audit, f).into_iter().filter(|t| t.accepted).collect();
            let first = accepted.iter().position(keeps).unwrap_or(0);
            let best = (!accepted.is_empty()).then(|| accepted.swap_remove(first));
            let proved_by = best.as_ref().and_then(|t| t.after.as_ref()).map_or_else(Vec::new, |after| {
                let plan = murvet_core::readings::plan(after);
                proofs(&audit, after, &plan).iter().take(NAMED).map(|t| t.title.clone()).collect()
            });
            Open {
                severity: f.severity.words(),
                class: severity_class(f.severity),
                statement: f.statement.clone(),
                certainty: f.certainty.words(),
                condition: best.as_ref().and_then(|t| t.candidate.condition.clone()),
                how: best.map_or_else(|| why_none(f).to_owned(), |t| t.candidate.title),
                proved_by,
            }
        };
        audit.findings.iter().map(one).collect()
    })
    .await?;
    let tests = context.audit.tests();
    let newest = |r: &&murvet_store::Reading| !readings.iter().any(|o| o.supersedes == Some(r.id));
    let row = |r: &murvet_store::Reading| ReadingRow {
        title: r.title.clone(),
        value: value_words(r.value, &r.unit),
        limit: tests.iter().find(|t| t.id == r.test).map_or_else(String::new, |t| t.limit_words()),
        outcome: outcome(r),
        by: format!("{}, {}", r.person, when(&r.taken_at)),
        stale: !held.has(r.id),
        lower: r.lower_rank,
    };
    let report = AuditReport::new(&context.audit);
    let net = &context.audit.net;
    let ends = net.nodes.iter().enumerate().filter_map(|(n, node)| Some((n, node.loose()?)));
    let loose = ends.filter_map(|(n, end)| {
        let (wire, _) = net.wire_at(n)?;
        Some(format!("{}: {}", context.audit.context().wire_words(wire), end.word()))
    });
    html(&NextPage {
        day: context.visit.planned_on.to_string(),
        open,
        unseen: report.look_next.into_iter().map(|l| (l.subject, l.findings)).collect(),
        limits: report.limits,
        missing: tests.iter().filter(|t| !readings.iter().any(|r| r.test == t.id)).count(),
        readings: readings.iter().filter(newest).map(row).collect(),
        referred: app.store.referrals(context.firm, visit).await?,
        loose: loose.collect(),
        shots: shots(&photographs, &[], None),
        head: context.head("hand-over"),
    })
}
