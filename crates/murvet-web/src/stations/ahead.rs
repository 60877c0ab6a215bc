//! What comes on the walk after what is asked for now, with the address of each thing, so that a device can keep it before the
//! connection is gone. Without a connection the device goes from one to the next; what it is told is judged when it is sent.

use crate::page::VisitContext;
use crate::stations::findings::FindingCard;
use crate::stations::put_right::Repaired;
use crate::stations::readings::{Records, open_now, upcoming, urlencode};
use murvet_core::readings::Test;
use serde::Serialize;

/// So many tests are offered to be kept.
const MOST: usize = 40;

/// A thing of the walk.
#[derive(Serialize, Debug, Clone, PartialEq, Eq)]
pub(crate) struct Thing {
    /// Its name: what kind of thing, and which.
    pub key: String,
    /// Its address.
    pub at: String,
}

/// What comes, for the script of the page.
#[derive(Serialize)]
pub(crate) struct Ahead {
    /// The name of what is asked for now.
    pub here: String,
    /// The revision of the rig that the pages are of.
    pub revision: i32,
    pub order: Vec<Thing>,
}

impl Ahead {
    /// As JSON that cannot end the element it stands in.
    pub fn json(&self) -> String {
        serde_json::to_string(self).unwrap_or_default().replace('<', "\\u003c")
    }
}

/// The thing of a kind with an identifier, at its address on the walk.
pub(crate) fn thing(visit: i64, kind: &str, id: &str, rest: &str) -> Thing {
    Thing { key: format!("{kind}:{id}"), at: format!("/visits/{visit}/walk?{kind}={}{rest}", urlencode(id)) }
}

/// Everything that comes, in order: steps of making safe, tests, repairs to be proven, findings to decide on. Tests that wait for
/// the rig to be made safe are offered as they will be then.
pub(crate) fn order(
    context: &VisitContext,
    tests: &[Test],
    kept: &Records,
    at: Option<&str>,
    (prove, decide): (&[Repaired], &[FindingCard]),
) -> Vec<Thing> {
    let visit = context.visit.id;
    let mut order: Vec<Thing> = context.open_steps().map(|s| thing(visit, "safe", &s.id, "")).collect();
    let rest = if order.is_empty() { "" } else { "&ahead=safe" };
    let open = open_now(tests, kept, true);
    let coming = upcoming(context, tests, kept, &open, at, MOST);
    order.extend(coming.into_iter().map(|n| thing(visit, "test", tests[n].id.as_str(), rest)));
    order.extend(prove.iter().map(|r| thing(visit, "prove", &r.key, "")));
    order.extend(decide.iter().map(|f| thing(visit, "finding", &f.key, "")));
    order
}
