//! Laws that hold over every rig: nothing hides, form is nothing, corners, physics. Rigs are random and realistic; an
//! independent judge says which conductors are unprotected.

mod at_the_rig;
#[path = "../common/mod.rs"]
mod common;
mod form;
mod judge;
mod mains;
mod nothing_hides;
mod physics;
mod rigs;
mod steps;
mod unseen;
mod uses;
mod words;

/// The rules about overcurrent protection and ampacity.
pub const OVERCURRENT: [&str; 5] =
    ["overcurrent-missing", "device-too-far", "device-oversized", "cable-ampacity", "neutral-shared"];
