//! Battery monitors that speak Modbus TCP: a client, and a simulator with this map of input registers (function 4; the same
//! as holding registers, function 3), unit 1:
//!
//! | register | meaning | unit |
//! |---|---|---|
//! | 0 | voltage of the bank | 0.01 V, unsigned |
//! | 1 | current into the bank, negative out of it | 0.1 A, signed |
//! | 2 | state of charge | 0.1 %, unsigned |
//! | 3 | temperature of the bank | 0.1 °C, signed |
//!
//! Requests beyond register 3 get the exception "illegal data address". The map is our own.

use crate::InstrumentError;
use crate::simulated::{Hand, Simulated};
use murvet_core::measure::Function;
use std::future::Future;
use std::net::SocketAddr;
use std::pin::Pin;
use std::time::Duration;
use tokio::net::TcpListener;
use tokio_modbus::prelude::*;
use tokio_modbus::server::Service;
use tokio_modbus::server::tcp::{Server, accept_tcp_connection};

/// Number of registers.
const REGISTERS: u16 = 4;

/// What a monitor shows.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MonitorValues {
    /// Voltage, V.
    pub volts: f64,
    /// Current into the bank, A.
    pub amps: f64,
    /// State of charge, %.
    pub charge: f64,
    /// Temperature, °C.
    pub celsius: f64,
}

/// Reads a monitor once.
///
/// # Errors
/// When it cannot be reached, is silent for longer than the patience given, or answers an exception.
pub async fn read(address: &str, patience: Duration) -> Result<MonitorValues, InstrumentError> {
    let lost = |e: String| InstrumentError::Unreachable(address.to_owned(), e);
    let silent = || InstrumentError::Silent(address.to_owned(), patience.as_millis());
    let socket: SocketAddr = address.parse().map_err(|e| lost(format!("{e}")))?;
    let connected = tokio::time::timeout(patience, tcp::connect_slave(socket, Slave(1))).await;
    let mut client = connected.map_err(|_| silent())?.map_err(|e| lost(e.to_string()))?;
    let answer = tokio::time::timeout(patience, client.read_input_registers(0, REGISTERS)).await;
    let words = answer.map_err(|_| silent())?.map_err(|e| lost(e.to_string()))?;
    let words = words.map_err(|e| InstrumentError::Nonsense(e.to_string()))?;
    let [volts, amps, charge, celsius] = words[..] else { return Err(InstrumentError::Nonsense(format!("{words:?}"))) };
    let signed = |word: u16| f64::from(word.cast_signed());
    Ok(MonitorValues {
        volts: f64::from(volts) / 100.0,
        amps: signed(amps) / 10.0,
        charge: f64::from(charge) / 10.0,
        celsius: signed(celsius) / 10.0,
    })
}

/// A simulated monitor on the first bank of a rig. It shows the rig as it stands now, whoever moved its controls.
#[derive(Clone)]
pub struct Monitor {
    rig: Simulated,
}

impl Monitor {
    /// A monitor of this rig.
    pub fn new(rig: Simulated) -> Monitor {
        Monitor { rig }
    }

    async fn registers(&self) -> [u16; 4] {
        let setup = self.rig.present();
        let (bank, beyond) = self.rig.bank.clone().unwrap_or_default();
        let across = Hand { leads: (format!("{bank}.+"), format!("{bank}.-")), setup: setup.clone() };
        let along = Hand { leads: (beyond, format!("{bank}.+")), setup };
        let volts = self.rig.read(Function::DcVolts, &across).await.unwrap_or(0.0);
        let amps = self.rig.read(Function::DcAmps, &along).await.unwrap_or(0.0);
        let unsigned = |v: f64| v.round().clamp(0.0, f64::from(u16::MAX)) as u16;
        let signed = |v: f64| (v.round().clamp(f64::from(i16::MIN), f64::from(i16::MAX)) as i16).cast_unsigned();
        [unsigned(volts * 100.0), signed(amps * 10.0), 550, 210]
    }
}

impl Service for Monitor {
    type Request = Request<'static>;
    type Response = Response;
    type Exception = ExceptionCode;
    type Future = Pin<Box<dyn Future<Output = Result<Response, ExceptionCode>> + Send>>;

    fn call(&self, request: Self::Request) -> Self::Future {
        let monitor = self.clone();
        Box::pin(async move {
            let words = |from: u16, count: u16, all: [u16; 4]| {
                let end = from.checked_add(count).filter(|end| *end <= REGISTERS && count > 0);
                end.map(|end| all[usize::from(from)..usize::from(end)].to_vec())
                    .ok_or(ExceptionCode::IllegalDataAddress)
            };
            match request {
                Request::ReadInputRegisters(from, count) => {
                    Ok(Response::ReadInputRegisters(words(from, count, monitor.registers().await)?))
                }
                Request::ReadHoldingRegisters(from, count) => {
                    Ok(Response::ReadHoldingRegisters(words(from, count, monitor.registers().await)?))
                }
                _ => Err(ExceptionCode::IllegalFunction),
            }
        })
    }
}

/// Serves a simulated monitor until the listener fails.
///
/// # Errors
/// When the listener fails.
pub async fn simulate(listener: TcpListener, monitor: Monitor) -> std::io::Result<()> {
    let server = Server::new(listener);
    let service = move |_: SocketAddr| Ok(Some(monitor.clone()));
    let connected = |stream, address| {
        let service = service.clone();
        async move { accept_tcp_connection(stream, address, service) }
    };
    server.serve(&connected, |_| {}).await
}
