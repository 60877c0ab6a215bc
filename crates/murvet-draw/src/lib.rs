//! Drawings of a rig and its audit as SVG text: the rig map, the run profile, device curves, the reading strip, plots and sheets of labels.
//!
//! Everything is drawn from the trace. Presentation attributes, literal colours and `<pattern>` hatches
//! only, so the same text serves page, print and file. Danger is told by hatch, weight and words, and by
//! colour only besides.

mod curves;
mod labels;
mod map;
mod plot;
mod positions;
mod profile;
mod strip;
mod svg;
mod symbols;
mod vehicle;

pub use curves::{device_curves, fault_currents};
pub use labels::label_sheets;
pub use map::{MapOptions, Subsystem, rig_map};
pub use plot::plot;
pub use positions::position_sign;
pub use profile::{PlacedReading, run_profile};
pub use strip::{reading_strip, strip_at};

/// The paper.
pub const PAPER: &str = "#faf6ea";
/// The ink.
pub const INK: &str = "#1d1b16";
/// Faded ink for what is dead or secondary.
pub const FAINT: &str = "#6f6a5c";
/// The one signal colour.
pub const SIGNAL: &str = "#b3261e";
