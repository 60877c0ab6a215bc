//! Clients and simulators against each other, and against clients of others: PyVISA with its pure Python back end and
//! pymodbus, from Debian's packages, which `./murvet test` installs.

use murvet_core::audit::audit;
use murvet_core::measure::{Fault, Function, Probe, TestSetup, World};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_instruments::{InstrumentError, Simulated, meter, monitor};
use std::time::Duration;
use tokio::net::TcpListener;

const RIG: &str = "\
battery house: lifepo4 12.8V 100Ah internal 3mohm
dc-load lamps: 10A
run house.+ : 2m 4mm2, fuse F1 15A, 2m 4mm2, lamps.+
run house.- : 4m 4mm2, lamps.-
inlet hook: 230V 16A
outlet far
cable W 3x2.5mm2 10m hook -> far
";
const PATIENCE: Duration = Duration::from_secs(2);

/// A meter and a monitor on the rig with these faults; their addresses, and the rig, whose controls may be moved.
async fn bench(faults: Vec<Fault>) -> (String, String, Simulated) {
    let audit = audit(&parse(RIG).expect("parses"), ProfileId::EU_UK);
    let rig = Simulated::start(audit, faults, 7).expect("starts");
    let (a, b) = (
        TcpListener::bind("127.0.0.1:0").await.expect("a port"),
        TcpListener::bind("127.0.0.1:0").await.expect("a port"),
    );
    let addresses = (a.local_addr().expect("bound").to_string(), b.local_addr().expect("bound").to_string());
    let watch = monitor::Monitor::new(rig.clone());
    tokio::spawn(meter::simulate(a, rig.clone()));
    tokio::spawn(monitor::simulate(b, watch));
    (addresses.0, addresses.1, rig)
}

fn lamps_on() -> TestSetup {
    TestSetup { on: vec!["lamps".to_owned()], dark: true, ..TestSetup::default() }
}

#[tokio::test(flavor = "multi_thread")]
async fn the_client_reads_what_the_model_predicts_and_reconnects() {
    let (address, _, _) = bench(Vec::new()).await;
    let mut meter = meter::Meter::at(&address, PATIENCE);
    assert!(meter.identity().await.expect("answers").ends_with("SIMULATED"));
    let audit = audit(&parse(RIG).expect("parses"), ProfileId::EU_UK);
    let world = World::new(&audit, &[]);
    let plugged = TestSetup { controls: vec![1], heater: Some("far".to_owned()), ..TestSetup::default() };
    let plugged_alone = TestSetup { heater: None, ..plugged.clone() };
    for (function, leads, setup, within) in [
        (Function::DcVolts, [("house.+", "house.-")].as_slice(), lamps_on(), 0.02),
        (Function::DcVolts, &[("house.+", "lamps.+"), ("lamps.-", "house.-")], lamps_on(), 0.02),
        (Function::DcAmps, &[("house.+", "F1.in")], lamps_on(), 0.2),
        (Function::AcVolts, &[("far.ac.L", "far.ac.N")], plugged, 2.0),
        (Function::Ohms, &[("hook.out.PE", "far.ac.PE")], TestSetup::default(), 0.02),
        (Function::LoopOhm, &[("far.ac.L", "far.ac.PE")], plugged_alone, 0.05),
        (Function::Celsius, &[("house.+", "house.+")], lamps_on(), 0.5),
    ] {
        let leads = leads.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect();
        let probe = Probe { function, leads, setup };
        let (shown, wanted) = (meter.probe(&probe).await.expect("reads"), world.read(&probe).expect("predicts"));
        assert!((shown - wanted).abs() <= within, "{probe:?}: {shown} shown, {wanted} predicted");
    }
    let open = Probe::between(Function::Insulation, "far.ac.N", "far.ac.PE", TestSetup::default());
    assert!(meter.probe(&open).await.expect("reads").is_infinite(), "over range");
    // What the meter does not know it says so, and goes on.
    meter.ask("CONF:WEIGHT").await.expect("sent");
    assert!(meter.ask("SYST:ERR?").await.expect("answers").starts_with("-113"));
    assert!(meter.ask("SYST:ERR?").await.expect("answers").starts_with("0,"));

    // A meter that was switched off and on again is found again; one that is away or silent is named.
    let gone = TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let nobody = gone.local_addr().expect("bound").to_string();
    let mut silent = meter::Meter::at(&nobody, Duration::from_millis(200));
    assert!(matches!(silent.identity().await, Err(InstrumentError::Silent(..))));
    drop(gone);
    assert!(matches!(meter::Meter::at(&nobody, PATIENCE).identity().await, Err(InstrumentError::Unreachable(..))));
    let audit = murvet_core::audit::audit(&parse(RIG).expect("parses"), ProfileId::EU_UK);
    let again = TcpListener::bind(&nobody).await.expect("the port is free");
    tokio::spawn(meter::simulate(again, Simulated::start(audit, Vec::new(), 1).expect("starts")));
    assert!(silent.identity().await.expect("is back").contains("METER"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_hidden_fault_shows_on_the_meter_and_on_the_monitor() {
    let (_, sound, setup) = bench(Vec::new()).await;
    let (_, blown, other) = bench(vec![Fault::Blown { device: "F1".to_owned() }]).await;
    setup.setup(lamps_on());
    other.setup(lamps_on());
    let (with, without) =
        (monitor::read(&sound, PATIENCE).await.expect("reads"), monitor::read(&blown, PATIENCE).await.expect("reads"));
    assert!((with.amps + 10.0).abs() < 0.4 && without.amps.abs() < 0.2, "{with:?} {without:?}");
    assert!(with.volts < without.volts && (12.0..14.0).contains(&with.volts), "{with:?} {without:?}");
}

/// Runs a Python script of Debian's interpreter with two addresses.
async fn python(script: &str, address: &str) -> String {
    let (host, port) = address.split_once(':').expect("host and port");
    let out = tokio::process::Command::new("/usr/bin/python3")
        .args(["-c", script, host, port])
        .output()
        .await
        .expect("python3 is there");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8_lossy(&out.stdout).trim().to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn stock_clients_of_others_read_the_simulators() {
    let (scpi, modbus, setup) = bench(Vec::new()).await;
    setup.setup(lamps_on());
    let script = "import sys, pyvisa
m = pyvisa.ResourceManager('@py').open_resource('TCPIP::%s::%s::SOCKET' % (sys.argv[1], sys.argv[2]), read_termination='\\n', write_termination='\\n')
print(m.query('*IDN?'))
m.write('SIM:ON \"lamps\"'); m.write('SIM:LEADS \"house.+\",\"house.-\"')
print(m.query('MEAS:VOLT:DC?'))
m.write('SIM:LEADS \"house.+\",\"F1.in\"'); m.write('CONF:CURR:DC')
print(m.query('READ?'), m.query('SYST:ERR?'))";
    let said = python(script, &scpi).await;
    let lines: Vec<&str> = said.lines().collect();
    assert!(lines[0].ends_with("SIMULATED"), "{said}");
    let volts: f64 = lines[1].parse().expect("a number");
    let amps: f64 = lines[2].split(' ').next().and_then(|a| a.parse().ok()).expect("a number");
    assert!(
        (12.5..13.7).contains(&volts) && (amps - 10.0).abs() < 0.3 && lines[2].ends_with("0,\"No error\""),
        "{said}"
    );

    let script = "import sys
from pymodbus.client import ModbusTcpClient
c = ModbusTcpClient(sys.argv[1], port=int(sys.argv[2])); c.connect()
print(c.read_input_registers(0, 4, slave=1).registers, c.read_holding_registers(0, 2, slave=1).registers, c.read_input_registers(3, 2, slave=1).isError())";
    let said = python(script, &modbus).await;
    let numbers: Vec<i64> =
        said.split(|c: char| !(c.is_ascii_digit() || c == '-')).filter_map(|n| n.parse().ok()).collect();
    assert!((1250..1370).contains(&numbers[0]) && (65_430..65_440).contains(&numbers[1]), "{said}");
    assert!(said.ends_with("True"), "beyond the map is refused: {said}");
}
