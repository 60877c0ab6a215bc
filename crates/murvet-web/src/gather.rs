//! The record of a visit, gathered from the store.

use crate::App;
use crate::error::AppError;
use crate::page::{VisitContext, off_thread, outcome};
use crate::stations::complaints::told;
use crate::stations::instruments::in_date;
use murvet_bundle::hex;
use murvet_core::audit_report::AuditReport;
use murvet_core::readings::value_words;
use murvet_visit::record::{
    ActionPart, ComplaintPart, EventPart, FORMAT, InstrumentPart, LeftAsPart, LeftOutPart, OriginPart, PhotographPart,
    ReadingPart, Record, ReferralBackPart, ReferralPart, RigPart, SignedPart, TablePart, VisitPart,
};

/// Everything of a visit as it stands now.
pub(crate) async fn record(app: &App, context: &VisitContext, signed: Option<SignedPart>) -> Result<Record, AppError> {
    let (firm, visit) = (context.firm, context.visit.id);
    let (store, today) = (&app.store, app.clock.now().date_naive());
    let readings = store.readings(firm, visit).await?;
    let calibrations = store.calibrations(firm).await?;
    let used = |id: &i64| readings.iter().any(|r| r.instruments.contains(id));
    let audit = context.audit.clone();
    let report = off_thread(move || AuditReport::new(&audit).with_faults(&audit)).await?;
    Ok(Record {
        format: FORMAT.to_owned(),
        visit: VisitPart {
            id: visit,
            day: context.visit.planned_on.to_string(),
            kind: context.visit.kind.clone(),
            hours: context.visit.hours,
            customer: context.visit.customer_name.clone(),
            complaint: context.visit.complaint.clone(),
        },
        rig: RigPart {
            name: context.visit.rig_name.clone(),
            profile: context.visit.profile.clone(),
            revision: context.revision.number,
            trace: context.revision.text.clone(),
            builder: context.visit.builder.clone(),
            built: context.visit.built,
        },
        audit: report,
        tables: murvet_core::tables::all()
            .iter()
            .map(|t| TablePart {
                id: t.id.clone(),
                source: t.source.clone(),
                edition: t.edition.clone(),
                recalled: t.recalled,
            })
            .collect(),
        instruments: store
            .instruments(firm)
            .await?
            .iter()
            .filter(|i| used(&i.id))
            .map(|i| InstrumentPart {
                id: i.id,
                name: i.name.clone(),
                serial: i.serial.clone(),
                calibration: in_date(&calibrations, i.id, today).words(),
            })
            .collect(),
        readings: readings
            .iter()
            .map(|r| ReadingPart {
                id: r.id,
                test: r.test.clone(),
                title: r.title.clone(),
                value: value_words(r.value, &r.unit),
                // Over-range has no number in JSON.
                number: r.value.is_finite().then_some(r.value),
                unit: r.unit.clone(),
                outcome: outcome(r).code().to_owned(),
                words: r.words.clone(),
                revision: r.revision,
                supersedes: r.supersedes,
                samples: r.samples.iter().copied().filter(|v| v.is_finite()).collect(),
                rank: if r.lower_rank { "lower" } else { "full" }.to_owned(),
                instruments: r.instruments.clone(),
                means: r.means.clone(),
                by: r.person.clone(),
                at: r.taken_at.to_rfc3339(),
            })
            .collect(),
        complaints: told(app, firm, visit)
            .await?
            .into_iter()
            .map(|t| ComplaintPart {
                symptom: t.symptom.word().to_owned(),
                standing: t.standing.code().to_owned(),
                told_by: t.told_by,
                words: t.words,
                test: t.test,
                note: t.note,
            })
            .collect(),
        left_out: store
            .left_out(firm, visit)
            .await?
            .into_iter()
            .map(|l| LeftOutPart {
                test: l.test,
                title: l.title,
                reason: l.reason,
                to_owner: l.to_owner,
                by: l.person,
                at: l.at.to_rfc3339(),
            })
            .collect(),
        left_as: store
            .left_as(firm, visit)
            .await?
            .into_iter()
            .map(|l| LeftAsPart {
                component: l.component,
                position: l.position,
                note: l.note,
                by: l.person,
                at: l.at.to_rfc3339(),
            })
            .collect(),
        events: store
            .events(firm, visit)
            .await?
            .into_iter()
            .map(|e| EventPart {
                finding: e.finding,
                statement: e.statement,
                event: e.event,
                note: e.note,
                until: e.until.map(|d| d.to_string()),
                condition: e.condition,
                revision: e.revision,
                by: e.person,
                at: e.at.to_rfc3339(),
            })
            .collect(),
        actions: context
            .actions
            .iter()
            .map(|a| ActionPart {
                finding: a.finding.clone(),
                done: a.title.clone(),
                own: a.own,
                parts: a.parts.clone(),
                minutes: a.minutes,
                took: a.took,
                condition: a.condition.clone(),
                not_to_be_left: a.not_to_be_left.clone(),
                live_because: a.live_because.clone(),
                revision: a.revision,
                by: a.person.clone(),
                at: a.done_at.to_rfc3339(),
            })
            .collect(),
        referrals: store
            .referrals(firm, visit)
            .await?
            .into_iter()
            .map(|(r, back)| ReferralPart {
                title: r.title,
                kinds: r.kinds.split_whitespace().map(str::to_owned).collect(),
                brief: r.brief,
                back: back.map(|b| ReferralBackPart {
                    done_by: b.done_by,
                    certificate: b.certificate,
                    issuer: b.issuer,
                    done_on: b.done_on.to_string(),
                }),
            })
            .collect(),
        photographs: store
            .photographs(firm, visit)
            .await?
            .into_iter()
            .map(|p| PhotographPart {
                subject: p.subject,
                moment: p.moment,
                note: p.note,
                sha256: hex(&p.sha256),
                by: p.person,
                at: p.at.to_rfc3339(),
            })
            .collect(),
        origin: store.origin(firm, visit).await?.map(|o| OriginPart {
            firm: o.firm,
            key: hex(&o.public_key),
            sha256: hex(&o.sha256),
        }),
        signed,
    })
}
