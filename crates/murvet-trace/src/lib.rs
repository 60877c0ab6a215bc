//! A rig traced end by end: which terminals have nothing on them, what is likely to land there, and the line of notation that
//! an answer makes.
//!
//! The way of one answer:
//!
//! 1. [`ends`] lists what every component offers to land on, with the [polarity](End::role) that what is traced gives it.
//! 2. [`far_ends`] orders where the conductor on one of them may go, the likely ends first; [`may_follow`] says which new things
//!    may stand there, [`plate`], [`lengths`] and [`sizes`] which values they usually have.
//! 3. [`land`] writes the answer into the rig, as [`notation`](murvet_core::notation) that was read back and found sound.
//! 4. [`assumed`] lists what a starter put down and nobody has seen yet; [`confirm`] and [`not_here`] answer it.
//!
//! Nothing here judges a rig, and nothing is decided by an order of likelihood: it only saves taps.

mod answer;
mod assumed;
mod ends;
mod likely;
mod next;
mod polarity;
mod reel;
mod usual;

pub use answer::{FarEnd, Joined, Refused, Written, add, change_conductor, land, plug_in, set_plate, set_way, written};
pub use assumed::{Assumption, Part, assume, assumed, confirm, not_here};
pub use ends::{End, Takes, ends};
pub use likely::{Far, far_ends, fellow, may_follow};
pub use next::next_end;
pub use reel::{cable_goes_on, goes_on, last_conductor};
pub use usual::{Follower, Form, PlateField, colours, insulations, lengths, plate, sizes, way_ratings};
