//! Instruments over open protocols: a client for meters that speak SCPI over TCP, one for battery monitors that speak Modbus
//! TCP, and simulators of both that answer from a rig, its present state and hidden faults.
//!
//! The simulators read the same model as the predictions do (`murvet_core::measure`), with noise from a seed. Any SCPI or
//! Modbus client may talk to them.

pub mod meter;
pub mod monitor;
mod simulated;

pub use simulated::{Hand, Simulated};

/// Why an instrument gave nothing.
#[derive(Debug, thiserror::Error)]
pub enum InstrumentError {
    /// It cannot be reached, or the connection was lost.
    #[error("the instrument at {0} cannot be reached: {1}")]
    Unreachable(String, String),
    /// It did not answer in time.
    #[error("the instrument at {0} did not answer within {1} ms")]
    Silent(String, u128),
    /// It answered something else than asked.
    #[error("the instrument answered \"{0}\", which is no value")]
    Nonsense(String),
    /// The rig to be simulated cannot be used.
    #[error("{0}")]
    Rig(String),
}
