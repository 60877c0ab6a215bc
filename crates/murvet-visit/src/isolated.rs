//! Whether a repair may be marked done: what reaches it is isolated, or a reason is printed.

use crate::LEAST_REASON;

/// A repair whose isolation is open, and no reason says why it was done all the same.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotIsolated {
    /// Titles of the steps of making safe that are open, in order.
    pub open: Vec<String>,
}

/// The reason to print with a repair that is marked done; nothing where everything it asks for is isolated.
///
/// `needed` are the steps that it asks for by name and title, `done` the names of those that are done.
///
/// # Errors
/// The steps that are open, where the reason is missing or shorter than [`LEAST_REASON`] characters.
///
/// ```
/// use murvet_visit::may_be_done;
/// let needed = [("bat:house", "Take house off"), ("prove-dead-dc", "Prove dead")];
/// assert_eq!(may_be_done(&needed, &["prove-dead-dc", "bat:house"], ""), Ok(None));
/// assert_eq!(may_be_done(&needed, &["prove-dead-dc"], "in a hurry").unwrap(), Some("in a hurry".to_owned()));
/// assert_eq!(may_be_done(&needed, &["prove-dead-dc"], "quick").unwrap_err().open, ["Take house off"]);
/// ```
pub fn may_be_done(needed: &[(&str, &str)], done: &[&str], reason: &str) -> Result<Option<String>, NotIsolated> {
    let open: Vec<String> =
        needed.iter().filter(|(id, _)| !done.contains(id)).map(|(_, title)| (*title).to_owned()).collect();
    let reason = reason.trim();
    match (open.is_empty(), reason.chars().count() >= LEAST_REASON) {
        (true, _) => Ok(None),
        (false, true) => Ok(Some(reason.to_owned())),
        (false, false) => Err(NotIsolated { open }),
    }
}
