//! Operating points per second of the DC side, here and in ngspice: the same network, the same draws, many points in
//! one process on both sides. Prints the ratio; needs ngspice, which `./murvet test` installs.

mod made;

use criterion::{Criterion, criterion_group, criterion_main};
use murvet_core::bounds::Side;
use murvet_core::network::{Case, DcNet, expand};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use std::hint::black_box;
use std::io::Write as _;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

const POINTS: u32 = 2_000;

/// The draw of the first appliance at each point, A.
fn draw(point: u32) -> f64 {
    1.0 + f64::from(point % 100) * 0.1
}

/// Time ngspice takes for all points, its start not counted: the run without points is taken off.
fn theirs(netlist: &str) -> Duration {
    let run = |points: u32| {
        let body: String = (0..points).map(|p| format!("alter il0 = {}\nop\ndestroy all\n", draw(p))).collect();
        let text = netlist.replace(".op\n.end\n", &format!(".control\n{body}quit\n.endc\n.end\n"));
        let start = Instant::now();
        let child =
            Command::new("ngspice").arg("-b").stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::null()).spawn();
        let Ok(mut child) = child else { panic!("ngspice is not installed: run ./murvet test once") };
        if let Some(mut input) = child.stdin.take() {
            let _ = input.write_all(text.as_bytes());
        }
        let _ = child.wait();
        start.elapsed()
    };
    run(POINTS).saturating_sub(run(0))
}

fn points(c: &mut Criterion) {
    let Ok(rig) = parse(&made::rig(120, 8)) else { panic!("the made rig parses") };
    let net = expand(&rig, ProfileId::EU_UK.profile(), Side::Worst);
    let dc = DcNet::new(&rig, &net, Case::Typical, |_| true);
    let netlist_loads: Vec<(usize, usize, f64)> = net
        .consumers
        .iter()
        .filter(|c| !c.ac)
        .filter_map(|c| Some((dc.at(c.plus)?, dc.at(c.minus)?, c.current_a?)))
        .collect();
    let Ok(factored) = dc.factored() else { panic!("the made rig has a solution") };
    let mut loads = netlist_loads.clone();
    let mut all = || {
        for p in 0..POINTS {
            loads[0].2 = draw(p);
            let _ = black_box(factored.volts(&loads));
        }
    };
    let start = Instant::now();
    all();
    let ours = start.elapsed();
    let other = theirs(&dc.spice("bench", &netlist_loads));
    println!(
        "operating points a second: {:.0} here, {:.0} in ngspice, {:.1} times as many",
        f64::from(POINTS) / ours.as_secs_f64(),
        f64::from(POINTS) / other.as_secs_f64(),
        other.as_secs_f64() / ours.as_secs_f64()
    );
    c.bench_function("2,000 operating points of the DC side", |b| b.iter(&mut all));
}

criterion_group!(benches, points);
criterion_main!(benches);
