//! Rigs of shapes that once took long.

use std::fmt::Write;

/// Generators through isolators on one panel.
pub fn generators(n: usize) -> String {
    let mut text = String::from("panel p: main 50A, way a 15A\noutlet o\ncable C 3x14AWG 2m p.a -> o\n");
    for i in 0..n {
        let _ = write!(
            text,
            "generator g{i}: 120V 20A bond-fixed\nisolator s{i}: 30A 2-pole\ncable A{i} 3x10AWG 1m g{i} -> s{i}\ncable B{i} 3x10AWG 1m s{i} -> p.main\n"
        );
    }
    text
}

/// Automatic transfer switches in a chain, each with a generator.
pub fn transfers(n: usize) -> String {
    let mut text = String::from("inlet s: 120V 30A\n");
    let mut before = "s".to_owned();
    for i in 0..n {
        let _ = write!(
            text,
            "generator g{i}: 120V 20A bond-fixed\ntransfer t{i}: automatic 2-pole a-first 30A\ncable A{i} 3x10AWG 1m {before} -> t{i}.a\ncable B{i} 3x10AWG 1m g{i} -> t{i}.b\n"
        );
        before = format!("t{i}");
    }
    let _ = write!(text, "outlet o\ncable C 3x14AWG 2m {before} -> o\n");
    text
}

/// DC-DC chargers between two bars.
pub fn dc_chargers(n: usize) -> String {
    let mut text = String::from(
        "battery h: lifepo4 12.8V 100Ah\nbattery st: agm 12V 80Ah starter\nbus pos\nbus neg\nbus sp\nrun h.+ : 0.2m 2/0AWG, fuse F 250A class-t, 0.2m 2/0AWG, pos\nrun h.- : 0.2m 2/0AWG, neg\nrun st.+ : 0.2m 2/0AWG, fuse G 250A class-t, 0.2m 2/0AWG, sp\nrun st.- : 0.2m 2/0AWG, neg\n",
    );
    for i in 0..n {
        let _ = write!(
            text,
            "dcdc d{i}: 30A 14.4V engine isolated\nrun sp : 0.2m 6AWG, fuse a{i} 50A blade, 1m 6AWG, d{i}.in+\nrun d{i}.in- : 1m 6AWG, neg\nrun d{i}.out+ : 1m 8AWG, fuse b{i} 40A blade, 0.2m 8AWG, pos\nrun d{i}.out- : 1m 8AWG, neg\n"
        );
    }
    text
}

/// Blocks that do not touch, of which nothing was seen.
pub fn unseen_blocks(n: usize) -> String {
    let mut text = String::new();
    for i in 0..n {
        let _ = write!(
            text,
            "battery h{i}: ?\ninverter i{i}: ? bond ?\ninlet s{i}: ?\ntransfer t{i}: poles ?\npanel p{i}: main ?, way a ?\noutlet o{i}\nrun h{i}.+ : ? ?, fuse f{i} ?, ? ?, i{i}.dc+\nrun h{i}.- : ? ?, i{i}.dc-\ncable A{i} 3x? ? i{i} -> t{i}.a\ncable B{i} 3x? ? s{i} -> t{i}.b\ncable C{i} 3x? ? t{i} -> p{i}.main\ncable D{i} 3x? ? p{i}.a -> o{i}\n"
        );
    }
    text
}
