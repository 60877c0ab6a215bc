//! A repair of the inspector's own: what was done, what it changed in the rig, and which findings it closes or closes in part.

use crate::App;
use crate::auth::Who;
use crate::error::AppError;
use crate::form::Typed;
use crate::page::{VisitContext, off_thread};
use crate::stations::doing::{allowed, on_newest, write_down};
use crate::stations::steps::minutes;
use axum::extract::{Path, State};
use axum::response::Redirect;
use murvet_core::audit::Audit;
use murvet_core::notation::print;
use murvet_core::rules::Finding;
use murvet_core::work::day::kinds;
use murvet_core::work::{Verdict, follow, needed, read};
use murvet_store::{NewAction, NewRepair};
use murvet_visit::{DidTo, LEAST_CHARS, did_to};
use std::collections::BTreeMap;

/// The things that a finding is about.
fn things(f: &Finding) -> Vec<&str> {
    let mut list: Vec<&str> = f.subject.components().chain(f.components.iter().map(String::as_str)).collect();
    list.sort_unstable();
    list.dedup();
    list
}

/// What it did to the findings that were ticked, by the audit after it: closed ones, and those closed in part with what is left.
type Did = (Vec<(String, String)>, Vec<(String, String, String)>);

fn did(before: &Audit, after: &Audit, ticked: &[String]) -> Did {
    let left: Vec<(String, Vec<&str>, &Finding)> = after.findings.iter().map(|f| (f.key(), things(f), f)).collect();
    let left: Vec<(&str, &str, Vec<&str>, &str)> =
        left.iter().map(|(k, t, f)| (k.as_str(), f.rule.slug, t.clone(), f.statement.as_str())).collect();
    let (mut closed, mut parts) = (Vec::new(), Vec::new());
    for f in before.findings.iter().filter(|f| ticked.contains(&f.key())) {
        match did_to((&f.key(), f.rule.slug, &things(f)), &left) {
            DidTo::Closed => closed.push((f.key(), f.statement.clone())),
            DidTo::Part(rest) => parts.push((f.key(), f.statement.clone(), rest)),
        }
    }
    (closed, parts)
}

/// Enters an own repair: `title`, `took`, `parts`, `changes` in the words of steps, `base`, `live_because`, and a `finding` for
/// each that it is for.
pub(crate) async fn add(
    State(app): State<App>,
    who: Who,
    Path(visit): Path<i64>,
    Typed(fields): Typed<Vec<(String, String)>>,
) -> Result<Redirect, AppError> {
    let context = VisitContext::open(&app, who.0, visit).await?;
    let one: BTreeMap<&str, &str> = fields.iter().map(|(k, v)| (k.as_str(), v.trim())).collect();
    let field = |key: &str| one.get(key).copied().unwrap_or_default();
    let bad = |key: &'static str| AppError::BadInput(crate::t(key).to_owned());
    let (title, parts) = (field("title"), field("parts"));
    if !(LEAST_CHARS..=300).contains(&title.chars().count()) || title.contains('"') {
        return Err(bad("own-repair.say-what"));
    }
    if parts.chars().count() > 1_000 {
        return Err(bad("own-repair.parts-too-long"));
    }
    let took = minutes(field("took"))?;
    let base: i32 = field("base").parse().map_err(|_| bad("own-repair.no-revision"))?;
    on_newest(&context, base)?;
    let ticked: Vec<String> = fields.iter().filter(|(k, _)| k == "finding").map(|(_, v)| v.clone()).collect();
    let changes = field("changes").replace("\r\n", "\n");
    let (text, isolate, of_kinds, (closes, part)) = if changes.is_empty() {
        // Nothing that is traced changed, so the audit has what it had: what was ticked and is found by it stays.
        (String::new(), Vec::new(), std::collections::BTreeSet::new(), did(&context.audit, &context.audit, &ticked))
    } else {
        let acts: String = changes.lines().map(|l| format!("  {}\n", l.trim())).collect();
        let entries = read(&format!("step \"{title}\"\n{acts}"));
        let entries = entries.map_err(|e| {
            let words: Vec<String> = e.iter().map(ToString::to_string).collect();
            AppError::BadInput(crate::say("own-repair.changes-cannot-be-read", &[&words.join("; ")]))
        })?;
        let (rig, audit, ticked) = (context.rig.clone(), context.audit.clone(), ticked.clone());
        off_thread(move || {
            let followed = follow(&audit, &rig, &entries);
            for step in &followed.steps {
                match &step.verdict {
                    Verdict::Impossible(_, why) => {
                        return Err(crate::say(
                            "own-repair.cannot-be-made",
                            &[&format!("{}; {}", why.message, why.help)],
                        ));
                    }
                    Verdict::Refused => {
                        let opens: Vec<&str> = step.opens.iter().map(|f| f.statement.as_str()).collect();
                        return Err(crate::say("own-repair.makes-it-worse", &[&opens.join("; ")]));
                    }
                    Verdict::Stands | Verdict::NotToBeLeft(_) => {}
                }
            }
            let isolate = needed(&audit, &followed.audit);
            let did = did(&audit, &followed.audit, &ticked);
            Ok((print(&followed.rig), isolate, kinds(&audit, &followed.audit), did))
        })
        .await?
        .map_err(AppError::NotYet)?
    };
    let live_because = allowed(&app, &context, &of_kinds, &isolate, field("live_because")).await?;
    let repair = NewRepair {
        rig: context.visit.rig_id,
        base,
        text: &text,
        note: &format!("repair: {title}"),
        action: NewAction {
            finding: ticked.first().map_or("", String::as_str),
            title,
            minutes: took.unwrap_or(0),
            live_because: live_because.as_deref(),
            own: true,
            parts,
            took,
            ..NewAction::default()
        },
        closes: &closes,
        parts_of: &part,
    };
    write_down(&app, &context, &repair).await?;
    Ok(Redirect::to(&format!("/visits/{visit}/put-right")))
}
