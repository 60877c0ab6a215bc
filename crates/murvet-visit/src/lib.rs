//! The decisions of a visit, over plain records: which readings hold and what they prove, what may happen to a finding, what
//! closes it. No HTTP, no SQL, no clock: the web asks, the store keeps, neither decides.

mod event;
mod isolated;
mod life;
mod taken;

pub use event::{Event, Matter};
pub use isolated::{NotIsolated, may_be_done};
pub use life::{
    After, Closed, Happened, LEAST_CHARS, LEAST_REASON, Refusal, close, confirm, decide, repairs, to_close,
};
pub use taken::{Readings, Taken};
