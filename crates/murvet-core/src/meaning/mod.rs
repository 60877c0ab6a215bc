//! What a traced rig means before anything is computed: whether every name, word and value stands where it can, and which
//! terminals each step of a run reaches.

mod check;
mod compare;
mod walk;

pub(crate) use check::terminal_names;
pub use check::{MOST_COMPONENTS, Problem, Spot, check, nearest};
pub use compare::{Disagreement, NOT_THERE, compare};
pub use walk::{Attached, Hop, HopEnd, WalkError, attached, port_of, start_of, terminal_of, walk};

use crate::rig::Rig;

impl Rig {
    /// Reads the JSON form and checks it.
    ///
    /// # Errors
    /// One problem for JSON that does not fit the schema (with line and column), else every problem
    /// of meaning that [`check`] finds.
    pub fn from_json(text: &str) -> Result<Rig, Vec<Problem>> {
        // A list would be read as a rig whose parts come in order.
        if !text.trim_start().starts_with('{') {
            return Err(vec![Problem {
                spot: Spot::Text { line: 1, column: 1 },
                message: "the JSON form of a rig is an object".to_owned(),
                help: "compare with docs/rig.schema.json".to_owned(),
                word: None,
            }]);
        }
        let mut rig: Rig = serde_json::from_str(text).map_err(|e| {
            vec![Problem {
                spot: Spot::Text { line: e.line(), column: e.column() },
                message: e.to_string(),
                help: "compare with docs/rig.schema.json".to_owned(),
                word: None,
            }]
        })?;
        rig.normalise();
        let problems = check(&rig);
        if problems.is_empty() { Ok(rig) } else { Err(problems) }
    }
}
