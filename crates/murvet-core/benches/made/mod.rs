//! Rigs of any size for the benches: one sound motorhome with as many controls and components as asked for.

use std::fmt::Write;

/// A rig with at least this many components and exactly so many two-way controls, at least six.
///
/// The first eleven controls all change what feeds what; the others are switches ahead of groups of appliances.
pub fn rig(components: usize, controls: usize) -> String {
    let mut t = String::from(
        "rig \"Godwit, bench\" profile eu-uk\nplace bay: bay\nplace cabin: cabin\n\
battery house in bay: lifepo4 12.8V 280Ah\nchassis frame\nbus pos in bay: 600A\nbus neg in bay: 600A\n\
run house.- : 0.3m 120mm2 90C, shunt sh 500A in bay, 0.3m 120mm2 90C, neg\nrun neg : 0.5m 16mm2, frame\n\
inverter inv in bay: 2500W dc 12V ac 230V bond-switched isolated\n\
inlet shore: 230V 16A\nrcbo guard in bay: 16A 30mA 2-pole\ntransfer tr in bay: manual 2-pole 16A\n\
consumer-unit cu in cabin: main 16A rcd 30mA, way a 10A, way b 10A, way c 10A\nsocket s1\nsocket s2\n\
cable W1 3x2.5mm2 1m shore -> guard\ncable W2 3x2.5mm2 1m guard -> tr.a\ncable W3 3x2.5mm2 2m inv -> tr.b\ncable W4 3x2.5mm2 2m tr -> cu.main\n\
cable W5 3x1.5mm2 3m cu.a -> s1\ncable W6 3x1.5mm2 3m cu.b -> s2\nrun cu.PE : 1m 6mm2, frame\nrun inv.case : 1m 16mm2, frame\n\
array pv: isc 10A voc 40V 400W\ncontroller mppt in bay: 30A 100V\n\
run mppt.bat- : 0.5m 10mm2, neg\nrun pv.- : 8m 6mm2, mppt.pv-\n\
battery start in bay: agm 12V 90Ah starter\nalternator alt: 120A\nrun alt.+ : 0.6m 35mm2 cranking, start.+\nrun alt.- : 0.3m 35mm2 cranking, frame\nrun start.- : 0.3m 35mm2 cranking, frame\n\
dcdc up in bay: 30A 14.4V engine not-isolated\nrun up.in- : 0.5m 16mm2, frame\nrun up.out- : 0.6m 10mm2 90C, neg\n",
    );
    // Inlet, inverter, transfer and engine are controls in any case; the others come as asked for.
    let mut left = controls.saturating_sub(4);
    let mut switch = |name: &str, rating: u32, before: &str| {
        if left == 0 {
            return String::new();
        }
        left -= 1;
        format!(", {before}, isolator {name} {rating}A in bay")
    };
    let s = switch("s-main", 400, "0.3m 120mm2 90C");
    let _ = writeln!(t, "run house.+ : 0.2m 120mm2 90C, fuse f-main 300A class-t in bay{s}, 0.3m 120mm2 90C, pos");
    let s = switch("s-inverter", 400, "0.2m 120mm2 90C");
    let _ = writeln!(
        t,
        "run pos : 0.2m 120mm2 90C, fuse f-inverter 300A class-t in bay{s}, 0.4m 120mm2 90C, inv.dc+\nrun neg : 0.6m 120mm2 90C, inv.dc-"
    );
    let s = switch("s-solar", 63, "0.2m 10mm2 90C");
    let _ = writeln!(
        t,
        "run mppt.bat+ : 0.3m 10mm2 90C{s}, 0.2m 10mm2 90C, fuse f-solar 40A class-t in bay, 0.2m 10mm2 90C, pos"
    );
    let s = switch("s-array", 32, "2m 6mm2");
    let _ = writeln!(t, "run pv.+ : 6m 6mm2{s}, 1m 6mm2, mppt.pv+");
    let s = switch("s-booster", 100, "0.2m 16mm2 90C");
    let _ = writeln!(t, "run start.+ : 0.2m 16mm2 90C, fuse f-start 60A class-t in bay{s}, 3m 16mm2 90C, up.in+");
    let _ = writeln!(t, "run up.out+ : 0.4m 10mm2 90C, fuse f-up 50A class-t in bay, 0.2m 10mm2 90C, pos");
    if left > 0 {
        left -= 1;
        t.push_str(
            "isolator s-charger in cabin: 20A 2-pole\ncharger ch in bay: 30A 14.2V\nrcbo g2 in bay: 10A 30mA 2-pole\n\
cable W7 3x2.5mm2 1m guard -> g2\ncable W8 3x1.5mm2 1m g2 -> s-charger\ncable W9 3x1.5mm2 1m s-charger -> ch\n\
run ch.dc+ : 0.4m 10mm2 90C, fuse f-ch 40A class-t in bay, 0.2m 10mm2 90C, pos\nrun ch.dc- : 0.6m 10mm2 90C, neg\n",
        );
    }
    if left > 0 {
        left -= 1;
        t.push_str("generator set: 230V 16A bond-fixed\nplug-changeover cord\nrcbo g3 in bay: 16A 30mA 2-pole\ncable W10 3x2.5mm2 1m set -> g3\n\
socket tools\ncable W11 3x2.5mm2 4m g3 -> tools\n");
        t = t.replace("plug-changeover cord\n", "");
    }
    // Groups of appliances, each behind a fuse block.
    let mut count = murvet_core::notation::parse(&t).map_or(0, |r| r.components.len());
    let mut group = 0;
    while count < components || left > 0 {
        group += 1;
        let n = components.saturating_sub(count).clamp(3, 9) - 2;
        let switched = if left > 0 {
            left -= 1;
            count += 1;
            format!(", 0.2m 16mm2 90C, isolator branch-{group} 100A in cabin")
        } else {
            String::new()
        };
        let ways: Vec<String> = (0..n).map(|i| format!("way w{i} 10A")).collect();
        let _ = writeln!(t, "fuse-block d{group} in cabin: 100A, {}", ways.join(", "));
        let _ = writeln!(
            t,
            "run pos : 0.2m 16mm2 90C, fuse f{group} 60A class-t in bay, 2m 16mm2 90C{switched}, 0.2m 16mm2 90C, d{group}.in\nrun neg : 2m 16mm2, d{group}.-"
        );
        for i in 0..n {
            let _ = writeln!(
                t,
                "dc-load l{group}-{i} in cabin: 3A\nrun d{group}.w{i} : 3m 2.5mm2, l{group}-{i}.+\nrun d{group}.- : 3m 2.5mm2, l{group}-{i}.-"
            );
        }
        count += n + 2;
    }
    t
}
