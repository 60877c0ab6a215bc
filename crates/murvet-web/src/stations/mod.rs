//! One module a station, and the list of visits.

pub(crate) mod findings;
pub(crate) mod hand_over;
pub(crate) mod put_right;
pub(crate) mod readings;
pub(crate) mod safe;
pub(crate) mod states;
pub(crate) mod trace;
pub(crate) mod visits;
