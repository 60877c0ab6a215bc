//! Meters that speak SCPI over TCP (IEEE 488.2 and SCPI-99 for the common commands; recalled from memory): a client, and a
//! simulator.
//!
//! | command | answer |
//! |---|---|
//! | `*IDN?` | who it is |
//! | `*RST`, `*CLS` | nothing |
//! | `SYST:ERR?` | the oldest error, `0,"No error"` when there is none |
//! | `CONF:VOLT:DC`, `CONF:VOLT:AC`, `CONF:CURR:DC`, `CONF:CURR:AC`, `CONF:RES`, `CONF:INS`, `CONF:TRIP <mA>`, `CONF:LOOP`, `CONF:TEMP` | nothing |
//! | `CONF?` | what it is set to |
//! | `READ?` | the value; 9.9E37 for over range |
//! | `MEAS:VOLT:DC?` and so on | both in one |
//!
//! The simulator knows besides where the leads are and how the rig stands, which a real meter is told by hands:
//! `SIM:LEADS "a","b"`, `SIM:CONTROLS 0,1`, `SIM:ON "lamp"`, `SIM:HEATER "outlet"`, `SIM:OFF "cable"`, `SIM:DARK 1`. Its
//! name ends in `SIMULATED`.

use crate::InstrumentError;
use crate::simulated::{Hand, Simulated};
use murvet_core::measure::{Function, Probe};
use std::collections::VecDeque;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};

/// What stands for over range in SCPI.
pub const OVER_RANGE: f64 = 9.9e37;
/// The longest line that is read, bytes.
const MOST_LINE: usize = 4096;

/// A function as a SCPI header.
pub fn header(function: Function) -> String {
    match function {
        Function::DcVolts => "VOLT:DC".to_owned(),
        Function::AcVolts => "VOLT:AC".to_owned(),
        Function::DcAmps => "CURR:DC".to_owned(),
        Function::AcAmps => "CURR:AC".to_owned(),
        Function::Ohms => "RES".to_owned(),
        Function::Insulation => "INS".to_owned(),
        Function::TripMs(ma) => format!("TRIP {ma}"),
        Function::LoopOhm => "LOOP".to_owned(),
        Function::Celsius => "TEMP".to_owned(),
    }
}

/// Reads a SCPI header, long and short form, in any case.
fn function(text: &str) -> Option<Function> {
    let upper = text.trim().to_uppercase();
    let (head, argument) = upper.split_once(' ').map_or((upper.as_str(), ""), |(h, a)| (h, a.trim()));
    Some(match head.replace("VOLTAGE", "VOLT").replace("CURRENT", "CURR").as_str() {
        "VOLT:DC" | "VOLT" => Function::DcVolts,
        "VOLT:AC" => Function::AcVolts,
        "CURR:DC" | "CURR" => Function::DcAmps,
        "CURR:AC" => Function::AcAmps,
        "RES" | "RESISTANCE" => Function::Ohms,
        "INS" | "INSULATION" => Function::Insulation,
        "LOOP" => Function::LoopOhm,
        "TEMP" | "TEMPERATURE" => Function::Celsius,
        "TRIP" => Function::TripMs(argument.parse().ok().filter(|ma| (0.1..=1000.0).contains(ma))?),
        _ => return None,
    })
}

/// Answers one line after another.
struct Session {
    rig: Simulated,
    hand: Hand,
    set: Function,
    errors: VecDeque<String>,
}

fn quoted(text: &str) -> Vec<String> {
    text.split('"').skip(1).step_by(2).map(str::to_owned).collect()
}

impl Session {
    fn error(&mut self, code: i32, words: &str) {
        if self.errors.len() < 20 {
            self.errors.push_back(format!("{code},\"{words}\""));
        }
    }

    async fn value(&mut self) -> String {
        // The hand that sets the meter has moved the rig.
        self.rig.setup(self.hand.setup.clone());
        match self.rig.read(self.set, &self.hand).await {
            Some(v) if v.is_infinite() => format!("{OVER_RANGE:E}"),
            Some(v) => format!("{v:+.6E}"),
            None => {
                self.error(-221, "Settings conflict; the leads touch nothing that is there");
                format!("{OVER_RANGE:E}")
            }
        }
    }

    /// The answer to a line; nothing for a command that has none.
    async fn answer(&mut self, line: &str) -> Option<String> {
        let line = line.trim();
        let upper = line.to_uppercase();
        let (head, rest) = line.split_once(' ').map_or((line, ""), |(h, r)| (h, r.trim()));
        match upper.as_str() {
            "" => return None,
            "*IDN?" => return Some(format!("MURVET,METER,0,{} SIMULATED", env!("CARGO_PKG_VERSION"))),
            "*RST" => {
                self.set = Function::DcVolts;
                return None;
            }
            "*CLS" => {
                self.errors.clear();
                return None;
            }
            "*OPC?" => return Some("1".to_owned()),
            "SYST:ERR?" | "SYSTEM:ERROR?" => {
                return Some(self.errors.pop_front().unwrap_or_else(|| "0,\"No error\"".to_owned()));
            }
            "CONF?" | "CONFIGURE?" => return Some(format!("\"{}\"", header(self.set))),
            "READ?" => return Some(self.value().await),
            _ => {}
        }
        let tail = |prefixes: [&str; 2]| prefixes.iter().find_map(|p| upper.strip_prefix(p)).map(str::to_owned);
        if let Some(wanted) = tail(["CONF:", "CONFIGURE:"]) {
            match function(&wanted) {
                Some(set) => self.set = set,
                None => self.error(-113, "Undefined header"),
            }
            return None;
        }
        if let Some(wanted) = tail(["MEAS:", "MEASURE:"]) {
            // The argument stands behind the question mark.
            match function(&wanted.replacen('?', "", 1)).filter(|_| wanted.contains('?')) {
                Some(set) => {
                    self.set = set;
                    return Some(self.value().await);
                }
                None => self.error(-113, "Undefined header"),
            }
            return None;
        }
        match head.to_uppercase().as_str() {
            "SIM:LEADS" => match &quoted(rest)[..] {
                [a, b] => self.hand.leads = (a.clone(), b.clone()),
                _ => self.error(-109, "Missing parameter; two terminals in quotation marks"),
            },
            "SIM:CONTROLS" => {
                let list: Option<Vec<u8>> =
                    rest.split(',').filter(|p| !p.trim().is_empty()).map(|p| p.trim().parse().ok()).collect();
                match list.filter(|l| l.len() <= self.rig.controls) {
                    Some(list) => self.hand.setup.controls = list,
                    None => self.error(-222, "Data out of range; one position a control"),
                }
            }
            "SIM:ON" => self.hand.setup.on = quoted(rest),
            "SIM:OFF" => self.hand.setup.off = quoted(rest),
            "SIM:HEATER" => self.hand.setup.heater = quoted(rest).into_iter().next(),
            "SIM:DARK" => self.hand.setup.dark = rest == "1",
            _ => self.error(-113, "Undefined header"),
        }
        None
    }
}

async fn serve_one(stream: TcpStream, rig: Simulated) -> std::io::Result<()> {
    let (reader, mut writer) = stream.into_split();
    let mut lines = BufReader::new(reader);
    let mut session = Session { rig, hand: Hand::default(), set: Function::DcVolts, errors: VecDeque::new() };
    let mut line = Vec::new();
    loop {
        line.clear();
        use tokio::io::AsyncReadExt;
        let read = (&mut lines).take(MOST_LINE as u64).read_until(b'\n', &mut line).await?;
        // A line without an end that is as long as allowed is no SCPI: the connection is given up.
        if read == 0 || (read == MOST_LINE && line.last() != Some(&b'\n')) {
            return Ok(());
        }
        let text = String::from_utf8_lossy(&line).into_owned();
        // Several commands may stand on a line.
        let mut answers = Vec::new();
        for part in text.split(';') {
            answers.extend(session.answer(part.trim_start_matches(':')).await);
        }
        if !answers.is_empty() {
            writer.write_all(format!("{}\n", answers.join(";")).as_bytes()).await?;
        }
    }
}

/// Serves a simulated meter until the listener fails. Every connection is a meter of its own, put to the same rig.
///
/// # Errors
/// When the listener fails.
pub async fn simulate(listener: TcpListener, rig: Simulated) -> std::io::Result<()> {
    loop {
        let (stream, _) = listener.accept().await?;
        let rig = rig.clone();
        tokio::spawn(async move { serve_one(stream, rig).await });
    }
}

/// A meter at an address. It connects when first asked and again after a connection was lost.
pub struct Meter {
    address: String,
    patience: Duration,
    open: Option<BufReader<TcpStream>>,
}

impl Meter {
    /// A meter; no connection is made yet. `patience` is how long one answer may take.
    pub fn at(address: impl Into<String>, patience: Duration) -> Meter {
        Meter { address: address.into(), patience, open: None }
    }

    /// Sends a line and gives the answer where it asks for one. A lost connection is made anew once.
    ///
    /// # Errors
    /// When the meter cannot be reached or is silent for longer than the patience given.
    pub async fn ask(&mut self, line: &str) -> Result<String, InstrumentError> {
        let first = self.try_once(line).await;
        if matches!(first, Err(InstrumentError::Unreachable(..))) {
            self.open = None;
            return self.try_once(line).await;
        }
        if first.is_err() {
            self.open = None;
        }
        first
    }

    async fn try_once(&mut self, line: &str) -> Result<String, InstrumentError> {
        let lost = |e: &dyn std::fmt::Display| InstrumentError::Unreachable(self.address.clone(), e.to_string());
        let silent = || InstrumentError::Silent(self.address.clone(), self.patience.as_millis());
        if self.open.is_none() {
            let made = tokio::time::timeout(self.patience, TcpStream::connect(&self.address)).await;
            self.open = Some(BufReader::new(made.map_err(|_| silent())?.map_err(|e| lost(&e))?));
        }
        let Some(stream) = &mut self.open else { return Err(silent()) };
        stream.get_mut().write_all(format!("{line}\n").as_bytes()).await.map_err(|e| lost(&e))?;
        if !line.contains('?') {
            return Ok(String::new());
        }
        let mut answer = String::new();
        let read = tokio::time::timeout(self.patience, stream.read_line(&mut answer)).await;
        match read.map_err(|_| silent())?.map_err(|e| lost(&e))? {
            0 => Err(lost(&"it closed the connection")),
            _ => Ok(answer.trim().to_owned()),
        }
    }

    /// Who it is.
    ///
    /// # Errors
    /// As [`Meter::ask`].
    pub async fn identity(&mut self) -> Result<String, InstrumentError> {
        self.ask("*IDN?").await
    }

    /// One value, in the unit of the function; infinite for over range.
    ///
    /// # Errors
    /// As [`Meter::ask`]; and when it answers something that is no number.
    pub async fn measure(&mut self, function: Function) -> Result<f64, InstrumentError> {
        self.ask(&format!("CONF:{}", header(function))).await?;
        let answer = self.ask("READ?").await?;
        let value: f64 = answer.parse().map_err(|_| InstrumentError::Nonsense(answer))?;
        Ok(if value.abs() >= 9.8e37 { f64::INFINITY } else { value })
    }

    /// The value of a probe. A simulated meter is told where the leads are and how everything stands; for a real one that
    /// is the work of hands, and only a probe of one pair of leads can be read at once.
    ///
    /// # Errors
    /// As [`Meter::measure`].
    pub async fn probe(&mut self, probe: &Probe) -> Result<f64, InstrumentError> {
        if !self.identity().await?.ends_with("SIMULATED") {
            return self.measure(probe.function).await;
        }
        let list = |names: &[String]| names.iter().map(|n| format!("\"{n}\"")).collect::<Vec<_>>().join(",");
        let s = &probe.setup;
        let controls: Vec<String> = s.controls.iter().map(u8::to_string).collect();
        for line in [
            format!("SIM:CONTROLS {}", controls.join(",")),
            format!("SIM:ON {}", list(&s.on)),
            format!("SIM:OFF {}", list(&s.off)),
            format!("SIM:HEATER {}", s.heater.as_ref().map_or(String::new(), |h| format!("\"{h}\""))),
            format!("SIM:DARK {}", u8::from(s.dark)),
        ] {
            self.ask(&line).await?;
        }
        let mut sum = 0.0;
        for (a, b) in &probe.leads {
            self.ask(&format!("SIM:LEADS \"{a}\",\"{b}\"")).await?;
            sum += self.measure(probe.function).await?;
        }
        Ok(sum)
    }
}
