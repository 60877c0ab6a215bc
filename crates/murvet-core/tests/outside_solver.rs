//! The DC solver against an independent program: the same networks as netlists, solved by ngspice, which
//! `./murvet test` installs. Drop, sharing between batteries and fault current agree within 0.1 %.

use murvet_core::audit::audit;
use murvet_core::bounds::Side;
use murvet_core::measure::{Function, Probe, TestSetup, World};
use murvet_core::network::{Case, DcNet, Network, expand};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::plan;
use murvet_core::rig::Rig;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io::Write as _;
use std::process::{Command, Stdio};

/// Small numbers in a settled order (a linear congruential generator, constants of MMIX).
struct Dice(u64);

impl Dice {
    fn throw(&mut self, sides: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % sides
    }
}

const SIZES: [&str; 7] = ["2.5mm2", "6mm2", "10mm2", "25mm2", "50mm2", "10AWG", "2/0AWG"];

/// Batteries with inside resistance, bars joined by runs (rings too), fuses and switches, loads and returns.
fn rig(dice: &mut Dice) -> Rig {
    let (bars, banks, loads) = (2 + dice.throw(5), 1 + dice.throw(3), 1 + dice.throw(4));
    let mut text = String::new();
    for n in 0..bars {
        let _ = writeln!(text, "bus p{n}\nbus n{n}");
        if n > 0 {
            for (side, fuse) in [("p", ", fuse"), ("n", "")] {
                let (to, m, size) = (dice.throw(n), 1 + dice.throw(60), SIZES[dice.throw(7) as usize]);
                let device = if fuse.is_empty() { String::new() } else { format!(", fuse f{n} 100A, 0.2m {size}") };
                let _ = writeln!(text, "run {side}{to} : {}.{}m {size}{device}, {side}{n}", m / 10, m % 10);
            }
        }
    }
    if bars > 2 {
        let _ = writeln!(text, "run p0 : 2.5m 16mm2, isolator ring 100A, 1m 16mm2, p{}", bars - 1);
    }
    for n in 0..banks {
        let (mohm, at) = (1 + dice.throw(9), dice.throw(bars));
        let chemistry = ["agm 12V", "lifepo4 12.8V"][dice.throw(2) as usize];
        let _ = writeln!(text, "battery b{n}: {chemistry} 100Ah internal {mohm}.5mohm");
        let _ = writeln!(
            text,
            "run b{n}.+ : 0.{}m 35mm2, p{at}\nrun b{n}.- : 0.{}m 35mm2, n{at}",
            1 + dice.throw(9),
            1 + dice.throw(9)
        );
    }
    for n in 0..loads {
        let (at, amps) = (dice.throw(bars), 1 + dice.throw(50));
        let _ = writeln!(
            text,
            "dc-load l{n}: {amps}A\nrun p{at} : {}m 4mm2, l{n}.+\nrun n{at} : {}m 4mm2, l{n}.-",
            1 + dice.throw(5),
            1 + dice.throw(5)
        );
    }
    parse(&text).unwrap_or_else(|e| panic!("{e:?}\n{text}"))
}

/// Node voltages by node name as ngspice finds them, and the currents out of the batteries.
fn spice(netlist: &str, nodes: usize, cells: usize) -> BTreeMap<String, f64> {
    let mut wanted: Vec<String> = (1..=nodes).map(|n| format!("v({n})")).collect();
    wanted.retain(|w| netlist.contains(&format!(" {} ", &w[2..w.len() - 1])));
    wanted.extend((0..cells).map(|k| format!("i(vb{k})")));
    let asks: String = wanted.iter().map(|w| format!("print {w}\n")).collect();
    let control = format!(".control\nset numdgt=12\nop\n{asks}quit\n.endc\n.end\n");
    let text = netlist.replace(".op\n.end\n", &control);
    let mut child = Command::new("ngspice")
        .arg("-b")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("ngspice is there: ./murvet test installs it");
    child.stdin.take().expect("its input").write_all(text.as_bytes()).expect("written");
    let out = child.wait_with_output().expect("ends");
    let said = String::from_utf8_lossy(&out.stdout).into_owned();
    let found: BTreeMap<String, f64> = said
        .lines()
        .filter_map(|l| l.split_once(" = "))
        .filter_map(|(name, value)| Some((name.trim().to_owned(), value.trim().parse().ok()?)))
        .collect();
    assert!(wanted.iter().all(|w| found.contains_key(w)), "{said}\n{}\n{text}", String::from_utf8_lossy(&out.stderr));
    found
}

fn dc_of(rig: &Rig) -> (Network, DcNet) {
    let net = expand(rig, ProfileId::EU_UK.profile(), Side::Worst);
    let dc = DcNet::new(rig, &net, Case::Typical, |_| true);
    (net, dc)
}

#[track_caller]
fn near(ours: f64, theirs: f64, scale: f64, what: &str) {
    assert!((ours - theirs).abs() <= 0.001 * theirs.abs().max(1e-3 * scale), "{what}: {ours} here, {theirs} there");
}

#[test]
fn thirty_two_networks_agree_with_an_open_circuit_simulator() {
    let mut dice = Dice(20_260_531);
    let (mut drops, mut shares, mut faults) = (0, 0, 0);
    for round in 0..32 {
        let rig = rig(&mut dice);
        let (net, dc) = dc_of(&rig);
        let at = |n: usize| dc.at(n).expect("on the DC side");
        let loads: Vec<(usize, usize, f64)> =
            net.consumers.iter().map(|c| (at(c.plus), at(c.minus), c.current_a.unwrap_or(0.0))).collect();
        let volts = dc.volts(&loads).expect("solves");
        let theirs = spice(&dc.spice("loads", &loads), dc.nodes + 1, dc.cells.len());
        // The first reference is node 0 there.
        let v = |n: usize| theirs.get(&format!("v({})", n + 1)).copied().unwrap_or(0.0);
        for &(plus, minus, _) in &loads {
            near(volts[plus] - volts[minus], v(plus) - v(minus), 12.0, &format!("round {round}: volts at a load"));
            drops += 1;
        }
        for (k, amps) in dc.shares(&loads).expect("solves").iter().enumerate() {
            // ngspice counts current into the positive end of a source.
            near(*amps, -theirs[&format!("i(vb{k})")], 10.0, &format!("round {round}: share of battery {k}"));
            shares += 1;
        }
        // A dead short at each load, fed by every battery.
        for &(plus, minus, _) in &loads {
            let mut shorted = dc.clone();
            shorted.branches.push((usize::MAX, murvet_core::network::Resistor { a: plus, b: minus, ohm: 1e-6 }));
            let theirs = spice(&shorted.spice("fault", &[]), dc.nodes + 1, dc.cells.len());
            let total: f64 = (0..dc.cells.len()).map(|k| -theirs[&format!("i(vb{k})")]).sum();
            let ours: f64 = shorted.shares(&[]).expect("solves").iter().sum();
            near(ours, total, 100.0, &format!("round {round}: fault current"));
            faults += 1;
        }
    }
    println!("{drops} load voltages, {shares} shares and {faults} fault currents agree");
    assert!(drops >= 32 && shares >= 32 && faults >= 32);
}

#[test]
fn handbook_cases_come_out_as_by_hand() {
    // Two full banks (agm, 12 V x 1.084 = 13.008 V), 4 mohm each, equal leads of 1 m 35 mm²
    // out and back (0.4926 mohm each way): a short at their bar draws 2 x 13.008 / (4 + 0.985) mohm = 5219 A.
    let rig = parse(
        "battery a: agm 12V 100Ah internal 4mohm\nbattery b: agm 12V 100Ah internal 4mohm\nbus p\nbus n\nfuse F: 100A\nbus q\n\
                     run a.+ : 1m 35mm2, p\nrun b.+ : 1m 35mm2, p\nrun a.- : 1m 35mm2, n\nrun b.- : 1m 35mm2, n\nrun p : 0m 35mm2, F, 0m 35mm2, q\n",
    );
    let rig = rig.expect("parses");
    let (net, dc) = dc_of(&rig);
    let node = |id: &str| dc.at(net.nodes.iter().position(|n| n.name == id).expect(id)).expect("on the DC side");
    let edge =
        net.edges.iter().position(|e| matches!(e.what, murvet_core::network::EdgeKind::Device { .. })).expect("F");
    let amps = dc.fault_through(edge, (node("q"), node("n"))).expect("solves").abs();
    near(amps, 5219.0, 1.0, "fault");
    // Equal, so each gives half of any load.
    let shares = dc.shares(&[(node("p"), node("n"), 100.0)]).expect("solves");
    near(shares[0], 50.0, 1.0, "share");
    near(shares[1], 50.0, 1.0, "share");
}

/// What a meter is predicted to show on direct current, in every stand that the plans of the demo rigs ask for, against
/// the same stand in an open circuit simulator.
#[test]
fn predicted_readings_agree_with_an_open_circuit_simulator() {
    let rigs = [
        (include_str!("../../murvet/demo/heron.rig"), ProfileId::NA_RV),
        (include_str!("../../murvet/demo/kite.rig"), ProfileId::EU_UK),
        (include_str!("../../murvet/demo/currawong.rig"), ProfileId::AU_NZ),
    ];
    let mut compared = 0;
    for (text, profile) in rigs {
        let audit = audit(&parse(text).expect("parses"), profile);
        let world = World::new(&audit, &[]);
        let mut setups: BTreeMap<TestSetup, Vec<Probe>> = BTreeMap::new();
        for p in plan(&audit).into_iter().filter_map(|t| t.probe).filter(|p| p.function == Function::DcVolts) {
            setups.entry(p.setup.clone()).or_default().push(p);
        }
        for (setup, probes) in setups {
            let circuit = world.circuit(&setup).expect("comes to rest");
            let netlist = circuit.spice(&world);
            let count = world.network().nodes.len();
            let theirs = spice(&netlist, count, 0);
            let v = |name: &str| {
                let n = circuit.spice_node(world.node(name).expect(name));
                theirs.get(&format!("v({n})")).copied().unwrap_or(0.0)
            };
            for p in probes {
                let ours = world.read(&p).expect("reads");
                let there: f64 = p.leads.iter().map(|(a, b)| v(a) - v(b)).sum();
                near(ours, there, 12.0, &format!("{:?} in {setup:?}", p.leads));
                compared += 1;
            }
        }
    }
    println!("{compared} predicted readings agree");
    assert!(compared >= 50, "{compared}");
}

#[test]
fn predicted_mains_readings_come_out_as_by_hand() {
    // 230 V behind 0.3 ohm; 10 m of 2.5 mm² out and back: 2 x 10 x 0.0172410 / 2.5 = 0.137928 ohm (IEC 60028, 20 C);
    // a heater of 1000 W at 230 V is 52.9 ohm. I = 230 / (0.3 + 0.137928 + 52.9) = 4.312099 A; at the outlet
    // 52.9 x I = 228.1100 V; neutral against earth, which carries nothing, the drop of one core: 0.297380 V; earth loop
    // dead: 10 m x 6.8964 mohm/m = 68.964 mohm.
    let text = "inlet hook: 230V 16A\noutlet far\ncable W 3x2.5mm2 10m hook -> far\n";
    let audit = audit(&parse(text).expect("parses"), ProfileId::EU_UK);
    let world = World::new(&audit, &[]);
    let plugged = TestSetup { controls: vec![1], heater: Some("far".to_owned()), ..TestSetup::default() };
    let read = |function, a: &str, b: &str, setup: &TestSetup| {
        world.read(&Probe::between(function, a, b, setup.clone())).expect("reads")
    };
    near(read(Function::AcVolts, "far.ac.L", "far.ac.N", &plugged), 228.1100, 230.0, "at the outlet");
    near(read(Function::AcVolts, "far.ac.N", "far.ac.PE", &plugged), 0.297380, 1.0, "neutral against earth");
    near(read(Function::AcAmps, "hook.out.L", "far.ac.L", &plugged), 4.312099, 4.0, "in the line");
    near(read(Function::Ohms, "hook.out.PE", "far.ac.PE", &TestSetup::default()), 0.068964, 0.07, "earth, dead");
    assert!(read(Function::Insulation, "far.ac.N", "far.ac.PE", &TestSetup::default()).is_infinite());
}
