//! Steps of work: what is done to a rig one after the other, each step audited as the rig stands then, up to where it is left.
//!
//! [`read`] takes a list of steps apart, [`follow`] makes them on a copy of the rig: after each one it says what it opens and
//! closes, which ends lie loose, which jobs have no holder any more, what has to be isolated for it, and what may be used. A
//! step that makes the rig worse is refused, or marked as *not to be left so*; where the rig is left it is never worse than
//! where it was left before.
//!
//! ```
//! use murvet_core::{audit::audit, notation::parse, profiles::ProfileId, work};
//! let rig = parse("battery b: agm 12V 90Ah\ndc-load pump: 3A\nrun b.+ : 2m 1.5mm2, pump.+\nrun b.- : 2m 1.5mm2, pump.-\n").unwrap();
//! let plan = work::read("step \"A fuse at the battery\"\n  take-out b.+ -> pump.+\n  fit run b.+ : 0.1m 1.5mm2, fuse F1 10A class-t, 2m 1.5mm2, pump.+\n").unwrap();
//! let made = work::follow(&audit(&rig, ProfileId::EU_UK), &rig, &plan);
//! assert!(made.steps[0].stands() && made.steps[0].closes.iter().any(|f| f.rule.slug == "overcurrent-missing"));
//! ```

mod act;
mod apply;
mod change;
pub mod day;
mod follow;
mod holders;
mod isolation;
mod loosen;
pub mod price;
mod script;

pub use act::{Act, Ends, Named, Side};
pub use apply::{Refused, apply};
pub use change::{Change, change};
pub use follow::{Followed, LooseConductor, Rest, StepMade, Verdict, follow};
pub use holders::{Job, lost};
pub use isolation::needed;
pub use script::{Entry, WorkStep, part, print, read};
