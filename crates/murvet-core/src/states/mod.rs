//! Every state the rig's controls can reach, and what is live in it.
//!
//! A person operates controls; automatic changeovers then settle by what is energised at their inputs.
//! The search is breadth first from the parked state over one operation at a time, so the way kept for
//! each state is a shortest one.
//!
//! Breakers count as closed. That is exact for the hazards judged here as long as the breaker carries
//! no neutral, earth or bond and the hazard only grows with connections. A breaker ahead of something
//! that senses its supply takes the hot away and leaves the neutral joined: that is tried apart, as one
//! fault away ([`crate::faults`]), for it is a rare and passing state; an interlocked breaker is a control.
//! `tests/states.rs` frees the breakers of whole rigs one by one and finds nothing hidden.

mod compact;
mod evaluate;
mod explore;
mod layout;
mod movable;

pub use evaluate::{Labels, Live, Setting, evaluate, gate_closed};
pub use explore::{
    Exploration, MOST_SETTINGS, Memory, Oscillation, State, explore, explore_again, explore_with, settle_at,
};
pub use layout::Explored;
pub use movable::movable;
