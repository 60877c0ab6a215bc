//! How each switch and device was left, for whoever presses what first.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{VisitContext, when};
use axum::extract::{Path, State};
use axum::response::Redirect;
use murvet_core::catalogue::Kind;
use murvet_core::rig::Component;
use murvet_store::LeftAs;

/// Longest remark, characters.
const MOST_CHARS: usize = 200;

/// How something can be left: its code and what it is called.
const POSITIONS: [(&str, &str); 4] = [
    ("on", "left-as.on"),
    ("off", "left-as.off"),
    ("locked-off", "left-as.locked-off"),
    ("removed", "left-as.removed"),
];

/// One line of the list.
pub(crate) struct Row {
    pub id: String,
    pub title: String,
    /// How it was found, and what the remark says.
    pub found: String,
    /// Positions with whether it was left so.
    pub positions: Vec<(&'static str, &'static str, bool)>,
    pub note: String,
    pub by: String,
}

impl Row {
    /// Whether nobody has said how it was left.
    pub fn is_open(&self) -> bool {
        self.code().is_none()
    }

    /// How it was left, by its code; nothing where nobody has said.
    pub fn code(&self) -> Option<&'static str> {
        self.positions.iter().find(|(.., here)| *here).map(|(code, ..)| *code)
    }

    /// How it was left, in words.
    pub fn words(&self) -> &'static str {
        self.positions.iter().find(|(.., here)| *here).map_or(crate::t("left-as.not-said"), |(_, words, _)| words)
    }
}

/// What one leaves on or off: switches, changeovers, what makes mains, and whatever was found otherwise than it should be.
fn asked(component: &Component) -> bool {
    matches!(
        component.kind,
        Kind::Isolator | Kind::Transfer | Kind::Inverter | Kind::InverterCharger | Kind::Generator | Kind::Inlet
    )
}

/// The list for a visit.
pub(crate) fn rows(context: &VisitContext, said: &[LeftAs]) -> Vec<Row> {
    let found = |id: &str| {
        let own = context
            .rig
            .remarks
            .iter()
            .filter(|r| r.is_as_found() && (r.on == id || r.on.split('.').next() == Some(id)));
        let words = |r: &murvet_core::rig::Remark| match r.words.as_deref() {
            Some(note) => format!("{}: {note}", r.kind.replace('-', " ")),
            None => r.kind.replace('-', " "),
        };
        own.map(words).collect::<Vec<_>>().join("; ")
    };
    let components = context.rig.components.iter().filter(|p| p.status.present());
    components
        .filter(|p| asked(p) || !found(&p.id).is_empty())
        .map(|p| {
            let left = said.iter().find(|l| l.component == p.id);
            Row {
                id: p.id.clone(),
                title: if p.title() == p.id { p.id.clone() } else { format!("{} ({})", p.title(), p.id) },
                found: found(&p.id),
                positions: POSITIONS
                    .iter()
                    .map(|(code, key)| (*code, crate::t(key), left.is_some_and(|l| l.position == *code)))
                    .collect(),
                note: left.map_or_else(String::new, |l| l.note.clone()),
                by: left.map_or_else(String::new, |l| format!("{}, {}", l.person, when(&l.at))),
            }
        })
        .collect()
}

/// Takes down how the listed ones were left; what was not touched stays as it was said.
pub(crate) async fn leave(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(form): Typed<Vec<(String, String)>>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let said = app.store.left_as(context.firm, visit).await?;
    let value = |key: String| form.iter().find(|(k, _)| *k == key).map_or("", |(_, v)| v.trim());
    let listed = rows(&context, &said);
    let mut list: Vec<(&str, &str, &str)> = Vec::new();
    for r in &listed {
        let (position, note) = (value(format!("p:{}", r.id)), value(format!("n:{}", r.id)));
        if note.chars().count() > MOST_CHARS {
            return Err(AppError::BadInput(crate::say("left-as.long-note", &[&r.id, &MOST_CHARS])));
        }
        let known = POSITIONS.iter().any(|(code, _)| *code == position);
        if !position.is_empty() && !known {
            return Err(AppError::BadInput(crate::say("left-as.no-position", &[&position, &r.id])));
        }
        let same = r.positions.iter().any(|(code, _, here)| *here && *code == position) && r.note == note;
        if known && !same {
            list.push((&r.id, position, note));
        }
    }
    if !list.is_empty() {
        app.store.leave_as(context.firm, visit, &list, context.person.id, app.clock.now()).await?;
    }
    Ok(Redirect::to(&format!("/visits/{visit}/hand-over#left-as")))
}
