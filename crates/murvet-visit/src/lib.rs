//! The decisions of a visit, over plain records: which readings hold and what they prove, what may happen to a finding, what
//! closes it. No HTTP, no SQL, no clock: the web asks, the store keeps, neither decides.

mod event;
mod fleet;
mod isolated;
mod life;
mod onward;
pub mod record;
mod scope;
mod taken;
mod years;

pub use event::{Event, Matter};
pub use fleet::{Shift, Told, Verdict, call_for, shifts, verdicts};
pub use isolated::{NotIsolated, may_be_done};
pub use life::{
    After, Closed, Decision, DidTo, Happened, LEAST_CHARS, LEAST_REASON, LONGEST_ACCEPTED, Refusal, close, confirm,
    decide, did_to, repairs, to_close,
};
pub use onward::{Onward, Open};
pub use scope::{HeldLicence, beyond, may_do};
pub use taken::{Readings, Taken};
pub use years::{Course, Due, Trend, courses, due, trend};
