//! A visit as one sealed file, and a visit from one that another firm sent.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::gather;
use crate::page::{Head, Top, VisitContext, html, mapped, off_thread, when};
use crate::pictures::prepare;
use crate::stations::csv::readings_csv;
use crate::stations::papers;
use crate::stations::photographs::{MOMENTS, keep, stored};
use askama::Template;
use axum::extract::{Multipart, Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Redirect, Response};
use chrono::{DateTime, NaiveDate, Utc};
use murvet_bundle::{Bundle, Made, Seal, hex, open, pack, unhex};
use murvet_core::complaints::Symptom;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{Outcome, VisitKind};
use murvet_draw::Subsystem;
use murvet_store::{NewComplaint, NewOrigin, NewReading, NewRigVisit, NewVisit, verify_record};
use murvet_visit::record::{FORMAT, ReadingPart, Record};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;

/// The largest bundle that is taken in, bytes.
pub(crate) const MOST_BYTES: usize = 120 << 20;
/// Most readings that are taken in.
const MOST_READINGS: usize = 5_000;

fn broken(e: impl std::fmt::Display) -> AppError {
    AppError::Broken(e.to_string())
}

/// Whether a seal fits a text.
fn fits(text: &[u8], seal: &Seal) -> bool {
    std::str::from_utf8(text).is_ok_and(|t| verify_record(t, &seal.signature, &seal.key).is_ok())
}

/// The bundle of a visit.
pub(crate) async fn export(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0.clone(), visit).await?;
    let record = gather::record(&app, &context, None).await?;
    let mut files: BTreeMap<String, Vec<u8>> = BTreeMap::new();
    files.insert("record.json".to_owned(), serde_json::to_vec_pretty(&record).map_err(broken)?);
    files.insert("rig.txt".to_owned(), context.revision.text.clone().into_bytes());
    files.insert("rig.json".to_owned(), serde_json::to_vec_pretty(&*context.rig).map_err(broken)?);
    files.insert("readings.csv".to_owned(), readings_csv(&app, context.firm, visit).await?);
    files.insert("drawings/map.svg".to_owned(), mapped(&context.audit, Subsystem::All).await?.into_bytes());
    let audit = context.audit.clone();
    let sheets = off_thread(move || murvet_draw::label_sheets(&audit)).await?;
    for (n, svg) in sheets.into_iter().enumerate() {
        files.insert(format!("drawings/labels-{}.svg", n + 1), svg.into_bytes());
    }
    for p in app.store.photographs(context.firm, visit).await? {
        files.insert(format!("photographs/{}.jpg", hex(&p.sha256)), stored(&app, &p.object).await?);
    }
    for h in app.store.hand_overs(context.firm, visit).await? {
        let file = serde_json::json!({
            "record": h.record, "signature": hex(&h.signature), "public_key": hex(&h.public_key)
        });
        files.insert(format!("signed/{}.json", h.id), file.to_string().into_bytes());
    }
    files.insert("papers.pdf".to_owned(), papers::all(&app, &who, visit).await?);
    let firm = app.store.firm_name(context.firm).await?;
    let key = app.store.public_key(context.firm).await?;
    let sign = app.store.signer(context.firm).await?;
    let at = app.clock.now().to_rfc3339();
    let packed = off_thread(move || pack(&Made { firm: &firm, at: &at, key: &key }, &files, &sign)).await?;
    let bytes = packed.map_err(|e| AppError::BadInput(e.to_string()))?;
    let name = format!("attachment; filename=\"visit-{visit}.zip\"");
    Ok(([(header::CONTENT_TYPE, "application/zip".to_owned()), (header::CONTENT_DISPOSITION, name)], bytes)
        .into_response())
}

#[derive(Template)]
#[template(path = "bundle.html")]
struct BundlePage {
    top: Top,
    problem: Option<String>,
}

pub(crate) async fn form(who: Who) -> Result<Response, AppError> {
    html(&BundlePage { top: Top::new(&who, "visits", None), problem: None })
}

/// Opens a bundle as a new visit.
pub(crate) async fn take_in(State(app): State<App>, who: Who, parts: Multipart) -> Result<Response, AppError> {
    match taken(&app, &who, parts).await {
        Ok(visit) => Ok(Redirect::to(&format!("/visits/{visit}/origin")).into_response()),
        Err(AppError::BadInput(problem)) => {
            let page = html(&BundlePage { top: Top::new(&who, "visits", None), problem: Some(problem) })?;
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response())
        }
        Err(other) => Err(other),
    }
}

async fn sent(mut parts: Multipart) -> Result<Vec<u8>, AppError> {
    let refused = |e: axum::extract::multipart::MultipartError| match e.status() {
        StatusCode::PAYLOAD_TOO_LARGE => AppError::BadInput(crate::t("bundle.too-large").to_owned()),
        _ => AppError::BadInput(crate::t("photographs.broken-off").to_owned()),
    };
    while let Some(part) = parts.next_field().await.map_err(refused)? {
        if part.name() == Some("bundle") {
            return Ok(part.bytes().await.map_err(refused)?.to_vec());
        }
    }
    Err(AppError::BadInput(crate::t("bundle.choose-one").to_owned()))
}

/// A file of a bundle that every bundle has.
fn part<'a>(bundle: &'a Bundle, name: &str) -> Result<&'a [u8], AppError> {
    let found = bundle.files.get(name).map(Vec::as_slice);
    found.ok_or_else(|| AppError::BadInput(crate::say("bundle.lacks", &[&name])))
}

/// At most so many characters.
fn cut(text: &str, most: usize) -> String {
    text.chars().filter(|c| !c.is_control()).take(most).collect()
}

/// The record and the trace of a bundle, once they say the same.
fn record_of(bundle: &Bundle) -> Result<Record, AppError> {
    let wrong = |what: &dyn std::fmt::Display| AppError::BadInput(crate::say("bundle.cannot-be-read", &[what]));
    let record: Record = serde_json::from_slice(part(bundle, "record.json")?).map_err(|e| wrong(&e))?;
    if record.format != FORMAT {
        return Err(AppError::BadInput(crate::say("bundle.another-form", &[&record.format])));
    }
    if part(bundle, "rig.txt")? != record.rig.trace.as_bytes() {
        return Err(AppError::BadInput(crate::t("bundle.two-rigs").to_owned()));
    }
    parse(&record.rig.trace).map_err(|e| wrong(&e.first().map(ToString::to_string).unwrap_or_default()))?;
    if record.readings.len() > MOST_READINGS {
        return Err(wrong(&crate::t("bundle.too-many-readings")));
    }
    Ok(record)
}

struct Elsewhere {
    means: String,
    outcome: &'static str,
    value: f64,
    at: DateTime<Utc>,
}

fn elsewhere(r: &ReadingPart, firm: &str, now: DateTime<Utc>) -> Elsewhere {
    let outcome = Outcome::of(&r.outcome).unwrap_or(Outcome::Unsettled);
    let at = DateTime::parse_from_rfc3339(&r.at).map_or(now, |t| t.with_timezone(&Utc)).min(now);
    Elsewhere {
        means: crate::say("bundle.from-elsewhere", &[&cut(&r.by, 80), &cut(firm, 80)]),
        outcome: outcome.code(),
        value: r.number.unwrap_or(f64::INFINITY),
        at,
    }
}

async fn taken(app: &App, who: &Who, parts: Multipart) -> Result<i64, AppError> {
    let bytes = sent(parts).await?;
    let sha256 = Sha256::digest(&bytes).to_vec();
    let opened = off_thread(move || open(&bytes, &fits)).await?;
    let bundle = opened.map_err(|e| AppError::BadInput(crate::say("bundle.refused", &[&e])))?;
    let record = record_of(&bundle)?;
    let profile = ProfileId::parse(&record.rig.profile);
    let profile = profile.ok_or_else(|| AppError::BadInput(crate::say("bundle.no-profile", &[&record.rig.profile])))?;
    let now = app.clock.now();
    let (firm, person) = (who.0.firm_id, who.0.id);
    let origin = cut(&bundle.firm, 120);
    let more: Vec<Elsewhere> = record.readings.iter().map(|r| elsewhere(r, &origin, now)).collect();
    let readings: Vec<(NewReading<'_>, DateTime<Utc>)> = record
        .readings
        .iter()
        .zip(&more)
        .map(|(r, e)| {
            let new = NewReading {
                revision: 1,
                test: &r.test,
                title: &r.title,
                value: e.value,
                unit: &r.unit,
                outcome: e.outcome,
                words: &r.words,
                samples: &r.samples,
                // It can fail a test here, and passes none.
                lower_rank: true,
                means: &e.means,
                ..NewReading::default()
            };
            (new, e.at)
        })
        .collect();
    let complaints: Vec<NewComplaint<'_>> = record
        .complaints
        .iter()
        .map(|c| NewComplaint {
            told_by: &c.told_by,
            words: &c.words,
            symptom: Symptom::parse(&c.symptom).unwrap_or(Symptom::Other).word(),
            about: None,
            on_source: None,
            delay_minutes: None,
        })
        .collect();
    let (customer, rig) = (cut(&record.visit.customer, 200), cut(&record.rig.name, 200));
    let contact = crate::say("bundle.contact", &[&origin]);
    let text = serde_json::to_string(&record).map_err(broken)?;
    let new = NewOrigin {
        visit: NewRigVisit {
            customer: &customer,
            contact: &contact,
            rig: &rig,
            profile: profile.word(),
            text: &record.rig.trace,
            visit: NewVisit {
                rig: 0,
                person,
                planned_on: crate::zone::day(&now),
                hours: if (0.25..=24.0).contains(&record.visit.hours) { record.visit.hours } else { 4.0 },
                complaint: &record.visit.complaint,
                kind: VisitKind::of(&record.visit.kind).unwrap_or(VisitKind::Finished).code(),
                zone: crate::zone::here().name(),
            },
        },
        complaints: &complaints,
        readings: &readings,
        firm: &origin,
        public_key: &bundle.key,
        sha256: &sha256,
        made_at: &cut(&bundle.made_at, 40),
        record: &text,
    };
    // Pictures are looked at before anything is written.
    let mut pictures = Vec::new();
    for p in &record.photographs {
        let wrong = || AppError::BadInput(crate::say("bundle.no-picture", &[&cut(&p.sha256, 64)]));
        let hash = unhex(&p.sha256).filter(|h| h.len() == 32).ok_or_else(wrong)?;
        let jpeg = part(&bundle, &format!("photographs/{}.jpg", p.sha256))?.to_vec();
        if Sha256::digest(&jpeg).as_slice() != hash || !jpeg.starts_with(&[0xff, 0xd8]) {
            return Err(wrong());
        }
        let bytes = jpeg.clone();
        let mut picture = off_thread(move || prepare(&bytes)).await?.map_err(|_| wrong())?;
        // The picture stays as it was sealed; only its thumbnail is made here.
        (picture.jpeg, picture.sha256) = (jpeg, hash);
        let moment = MOMENTS.into_iter().find(|m| *m == p.moment).unwrap_or(MOMENTS[0]);
        pictures.push((cut(&p.subject, 300), moment, cut(&p.note, 300), picture));
    }
    let visit = app.store.take_in(firm, &new, person, now).await?;
    if let Some((builder, built)) = builder_of(&record) {
        app.store.set_builder(firm, visit, &builder, built).await?;
    }
    for (subject, moment, note, picture) in pictures {
        keep(app, firm, visit, (&subject, moment, &note), picture, person).await?;
    }
    Ok(visit)
}

/// Builder and year, where the record has any.
fn builder_of(record: &Record) -> Option<(String, Option<i32>)> {
    let builder = cut(&record.rig.builder, 120);
    let built = record.rig.built.filter(|y| (1900..=2200).contains(y));
    (!builder.is_empty() || built.is_some()).then_some((builder, built))
}

#[derive(Template)]
#[template(path = "origin.html")]
struct OriginPage {
    head: Head,
    firm: String,
    key: String,
    sha256: String,
    made_at: String,
    opened: String,
    day: Option<NaiveDate>,
    /// Findings there that are none here, and the other way.
    only_there: Vec<String>,
    only_here: Vec<String>,
    events: Vec<(String, String)>,
    actions: Vec<(String, String)>,
    signed: Option<String>,
    readings: usize,
}

/// Where a visit came from, and what was done there.
pub(crate) async fn show(State(app): State<App>, who: Who, Path(visit): Path<i64>) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let origin = app.store.origin(context.firm, visit).await?.ok_or(AppError::NotFound)?;
    let record: Record = serde_json::from_str(&origin.record).map_err(broken)?;
    // The rig as it came is the first revision here.
    let first = app.store.revision(context.firm, context.visit.rig_id, 1).await?;
    let here = app.audits.of(&first.text, context.grounds.clone()).await?;
    let here: Vec<(String, String)> = match &here {
        Ok((_, audit)) => audit.findings.iter().map(|f| (f.key(), f.statement.clone())).collect(),
        Err(_) => Vec::new(),
    };
    let key = |f: &murvet_core::audit_report::FindingReport| format!("{}:{}", f.slug, f.subject);
    let there: Vec<String> = record.audit.findings.iter().map(key).collect();
    let missing = record.audit.findings.iter().filter(|f| !here.iter().any(|(k, _)| *k == key(f)));
    html(&OriginPage {
        key: hex(&origin.public_key),
        sha256: hex(&origin.sha256),
        made_at: origin.made_at,
        opened: format!("{}, {}", origin.person, when(&origin.at)),
        firm: origin.firm,
        day: record.visit.day.parse().ok(),
        only_there: missing.map(|f| f.statement.clone()).collect(),
        only_here: here.into_iter().filter(|(k, _)| !there.contains(k)).map(|(_, s)| s).collect(),
        events: record
            .events
            .iter()
            .map(|e| (format!("{}: {}", e.statement, e.event), format!("{} {}, {}", e.note, e.by, e.at)))
            .collect(),
        actions: record.actions.iter().map(|a| (a.done.clone(), format!("{}, {}", a.by, a.at))).collect(),
        signed: record.signed.map(|s| format!("{}, {}", s.by, s.at)),
        readings: record.readings.len(),
        head: context.head("hand-over"),
    })
}
