//! Photographs of a visit: of a component, a joint, a finding or a test, before and after.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::page::{Head, VisitContext, html, off_thread, when};
use crate::pictures::{Picture, prepare};
use crate::stations::readings::urlencode;
use askama::Template;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Redirect, Response};
use murvet_bundle::hex;
use murvet_store::{Mark, NewPhotograph, Photograph};
use object_store::ObjectStoreExt;
use object_store::path::Path as Key;
use serde::Deserialize;

/// When a photograph was taken, seen from the repair.
pub(crate) const MOMENTS: [&str; 3] = ["found", "before", "after"];

/// A photograph as shown.
pub(crate) struct Shot {
    pub id: i64,
    pub moment: String,
    pub subject: String,
    pub note: String,
    pub by: String,
    pub hash: String,
    /// Marks on it.
    pub marks: usize,
}

/// The photographs of a subject, and those on which it is marked; all where none is given.
pub(crate) fn shots(list: &[Photograph], marks: &[Mark], subject: Option<&str>) -> Vec<Shot> {
    let marked = |p: &Photograph, s: &str| marks.iter().any(|m| m.photograph_id == p.id && m.component == s);
    let own = list.iter().filter(|p| subject.is_none_or(|s| p.subject == s || marked(p, s)));
    let shot = |p: &Photograph| Shot {
        id: p.id,
        moment: p.moment.clone(),
        subject: p.subject.clone(),
        note: p.note.clone(),
        by: format!("{}, {}", p.person, when(&p.at)),
        hash: hex(&p.sha256[..p.sha256.len().min(6)]),
        marks: marks.iter().filter(|m| m.photograph_id == p.id).count(),
    };
    own.map(shot).collect()
}

#[derive(Template)]
#[template(path = "photographs.html")]
struct PhotographsPage {
    head: Head,
    of: Option<String>,
    subjects: Vec<String>,
    shots: Vec<Shot>,
    moments: [&'static str; 3],
    problem: Option<String>,
    note: String,
}

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
    of: Option<String>,
}

async fn page(
    app: &App,
    context: &VisitContext,
    of: Option<String>,
    problem: Option<String>,
    note: String,
) -> Result<Response, AppError> {
    let list = app.store.photographs(context.firm, context.visit.id).await?;
    let marks = app.store.marks(context.firm, context.visit.id).await?;
    html(&PhotographsPage {
        head: context.head("findings"),
        shots: shots(&list, &marks, of.as_deref()),
        subjects: context.rig.components.iter().map(|p| p.id.clone()).collect(),
        of,
        moments: MOMENTS,
        problem,
        note,
    })
}

pub(crate) async fn show(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Query(asked): Query<Asked>,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    page(&app, &context, asked.of.filter(|o| !o.is_empty()), None, String::new()).await
}

/// What was sent with a picture.
#[derive(Default)]
struct Sent {
    subject: String,
    moment: String,
    note: String,
    name: String,
    bytes: Vec<u8>,
}

async fn read(mut parts: Multipart) -> Result<Sent, AppError> {
    let mut sent = Sent::default();
    let refused = |e: axum::extract::multipart::MultipartError| {
        if e.status() == StatusCode::PAYLOAD_TOO_LARGE {
            AppError::BadInput(crate::t("photographs.too-large").to_owned())
        } else {
            AppError::BadInput(crate::t("photographs.broken-off").to_owned())
        }
    };
    while let Some(part) = parts.next_field().await.map_err(refused)? {
        let field = part.name().unwrap_or_default().to_owned();
        if field == "photo" {
            part.file_name().unwrap_or_default().clone_into(&mut sent.name);
            sent.bytes = part.bytes().await.map_err(refused)?.to_vec();
            continue;
        }
        let text = part.text().await.map_err(refused)?;
        match field.as_str() {
            "subject" => sent.subject = text,
            "moment" => sent.moment = text,
            "note" => sent.note = text,
            _ => {}
        }
    }
    Ok(sent)
}

pub(crate) async fn add(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    parts: Multipart,
) -> Result<Response, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let sent = read(parts).await?;
    let subject = sent.subject.trim().to_owned();
    let long = subject.is_empty() || subject.len() > 300 || sent.note.chars().count() > 300;
    let problem = if long {
        Some("photographs.say-of-what")
    } else if !MOMENTS.contains(&sent.moment.as_str()) {
        Some("photographs.say-when")
    } else if sent.name.contains(['/', '\\', '\0']) || sent.name.contains("..") {
        Some("photographs.path-in-name")
    } else if sent.bytes.is_empty() {
        Some("photographs.choose-one")
    } else {
        None
    };
    let made = match problem {
        Some(key) => Err(key),
        None => {
            let bytes = sent.bytes;
            off_thread(move || prepare(&bytes)).await?
        }
    };
    let picture = match made {
        Ok(picture) => picture,
        Err(key) => {
            let page = page(&app, &context, Some(subject), Some(crate::t(key).to_owned()), sent.note).await?;
            return Ok((StatusCode::UNPROCESSABLE_ENTITY, page).into_response());
        }
    };
    let what = (subject.as_str(), sent.moment.as_str(), sent.note.trim());
    keep(&app, context.firm, visit, what, picture, context.person.id).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/photographs?of={}", urlencode(&subject))).into_response())
}

/// Keeps a picture of a subject at a moment, with a note.
pub(crate) async fn keep(
    app: &App,
    firm: i64,
    visit: i64,
    (subject, moment, note): (&str, &str, &str),
    picture: Picture,
    person: i64,
) -> Result<(), AppError> {
    // Named by its content: the same picture is kept once, and no name of anybody's reaches the store.
    let hash = hex(&picture.sha256);
    let object = format!("{firm}/{visit}/{hash}.jpg");
    let thumbnail = format!("{firm}/{visit}/{hash}-small.jpg");
    for (name, bytes) in [(&object, picture.jpeg), (&thumbnail, picture.thumbnail)] {
        let kept = app.objects.put(&Key::from(name.as_str()), bytes.into()).await;
        kept.map_err(|e| AppError::Broken(format!("the object store refused {name}: {e}")))?;
    }
    let new = NewPhotograph {
        subject,
        moment,
        note,
        object: &object,
        thumbnail: &thumbnail,
        sha256: &picture.sha256,
        size: picture.size,
    };
    app.store.add_photograph(firm, visit, &new, person, app.clock.now()).await?;
    Ok(())
}

/// The bytes of a kept picture.
pub(crate) async fn stored(app: &App, key: &str) -> Result<Vec<u8>, AppError> {
    let found = app.objects.get(&Key::from(key)).await;
    let found = found.map_err(|e| AppError::Broken(format!("the object store has no {key}: {e}")))?;
    Ok(found.bytes().await.map_err(|e| AppError::Broken(e.to_string()))?.to_vec())
}

async fn bytes_of(app: &App, key: &str) -> Result<Response, AppError> {
    let bytes = stored(app, key).await?;
    let headers =
        [(header::CONTENT_TYPE, "image/jpeg"), (header::CACHE_CONTROL, "private, max-age=31536000, immutable")];
    Ok((headers, bytes).into_response())
}

pub(crate) async fn picture(
    State(app): State<App>,
    who: Who,
    Path((visit, id)): Path<(i64, i64)>,
) -> Result<Response, AppError> {
    bytes_of(&app, &app.store.photograph(who.0.firm_id, visit, id).await?.object).await
}

pub(crate) async fn thumbnail(
    State(app): State<App>,
    who: Who,
    Path((visit, id)): Path<(i64, i64)>,
) -> Result<Response, AppError> {
    bytes_of(&app, &app.store.photograph(who.0.firm_id, visit, id).await?.thumbnail).await
}
