//! Random realistic rigs: sized as a careful builder would, then broken here and there on purpose. Beside the notation each
//! rig keeps a drawing of its live side, which the judge reads; the judge never sees the program's own network.

use murvet_core::profiles::ProfileId;

/// A small generator of random numbers (SplitMix64), so that a rig is known by its number.
pub struct Dice(u64);

impl Dice {
    pub fn new(seed: u64) -> Dice {
        Dice(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15).wrapping_add(0x1234_5678))
    }

    pub fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        z ^ (z >> 31)
    }

    pub fn below(&mut self, n: usize) -> usize {
        (self.next() % n as u64) as usize
    }

    /// True once in so many times.
    pub fn once_in(&mut self, n: usize) -> bool {
        self.below(n) == 0
    }

    pub fn pick<'a, T>(&mut self, list: &'a [T]) -> &'a T {
        &list[self.below(list.len())]
    }
}

/// A conductor of the live side.
#[derive(Debug, Clone)]
pub struct Lead {
    pub a: usize,
    pub b: usize,
    pub size: usize,
    pub length_m: f64,
    /// The run and step at which it was written, or nothing for a core of a cable, which has a name.
    pub spot: Option<(usize, usize)>,
    pub cable: Option<String>,
    pub mains: bool,
}

/// The live side of a rig.
#[derive(Debug, Clone, Default)]
pub struct Drawing {
    pub nodes: Vec<String>,
    pub leads: Vec<Lead>,
    /// Devices with their rating, A.
    pub devices: Vec<(usize, usize, f64)>,
    /// Solid metal and closed switches.
    pub joints: Vec<(usize, usize)>,
    /// Sources with what they give, A.
    pub sources: Vec<(usize, f64)>,
    /// Appliances with what they ask for, A.
    pub loads: Vec<(usize, f64)>,
}

impl Drawing {
    pub fn node(&mut self, name: &str) -> usize {
        if let Some(n) = self.nodes.iter().position(|n| n == name) {
            return n;
        }
        self.nodes.push(name.to_owned());
        self.nodes.len() - 1
    }
}

/// A rig.
#[derive(Debug, Clone)]
pub struct Sketch {
    pub profile: ProfileId,
    pub lines: Vec<String>,
    pub drawing: Drawing,
    /// How many conductors, runs so far.
    runs: usize,
}

/// Sizes with their ampacity on DC and mains and what a device may be: plain insulation, 30 C (40 C on mains in au-nz).
/// DC: ISO 13297, 70 C, 30 C air; na-rv NFPA 70 tables 551.10(E)(1) and 310.17, 75 C. Mains: BS 7671 table 4F3A, above 4 mm² four
/// fifths of ISO 13297; na-rv NFPA 70 table 310.16, 60 C, and 240.4(D). All recalled.
pub const METRIC: [(&str, f64, f64); 11] = [
    ("1.5mm2", 18.0, 16.0),
    ("2.5mm2", 25.0, 25.0),
    ("4mm2", 35.0, 32.0),
    ("6mm2", 45.0, 36.0),
    ("10mm2", 65.0, 52.0),
    ("16mm2", 90.0, 72.0),
    ("25mm2", 120.0, 96.0),
    ("35mm2", 160.0, 128.0),
    ("50mm2", 210.0, 168.0),
    ("70mm2", 265.0, 212.0),
    ("95mm2", 310.0, 248.0),
];
pub const GAUGES: [(&str, f64, f64); 11] = [
    ("14AWG", 15.0, 15.0),
    ("12AWG", 20.0, 20.0),
    ("10AWG", 30.0, 30.0),
    ("8AWG", 70.0, 40.0),
    ("6AWG", 95.0, 55.0),
    ("4AWG", 125.0, 70.0),
    ("2AWG", 170.0, 95.0),
    ("1/0AWG", 230.0, 125.0),
    ("2/0AWG", 265.0, 145.0),
    ("3/0AWG", 310.0, 165.0),
    ("4/0AWG", 360.0, 195.0),
];

/// NFPA 70 section 240.6, as far as it is reached here (recalled).
const STANDARD: [f64; 24] = [
    15.0, 20.0, 25.0, 30.0, 35.0, 40.0, 45.0, 50.0, 60.0, 70.0, 80.0, 90.0, 100.0, 110.0, 125.0, 150.0, 175.0, 200.0,
    225.0, 250.0, 300.0, 350.0, 400.0, 450.0,
];

/// What a conductor carries, and the largest device for it, A.
pub fn ampacity(profile: ProfileId, size: usize, mains: bool) -> (f64, f64) {
    let table = if profile == ProfileId::NA_RV { &GAUGES } else { &METRIC };
    let (_, dc, ac) = table[size];
    // Air of 40 C in au-nz: sqrt((70 - 40) / (70 - 30)); the mains values are taken as they stand there.
    let iz = if mains {
        ac
    } else if profile == ProfileId::AU_NZ {
        dc * 0.75f64.sqrt()
    } else {
        dc
    };
    if profile != ProfileId::NA_RV || size <= 2 {
        return (iz, iz);
    }
    // 240.4(B): the next standard size above.
    (iz, STANDARD.iter().copied().find(|s| *s >= iz).unwrap_or(iz))
}

const FUSES: [u32; 16] = [5, 10, 15, 20, 25, 30, 40, 50, 60, 80, 100, 125, 150, 175, 200, 250];

/// A step of a run as it is written.
pub enum Step {
    Lead { size: usize, dm: usize },
    Fuse(u32),
    Isolator,
    Terminal(String),
}

impl Sketch {
    fn line(&mut self, text: String) {
        self.lines.push(text);
    }

    fn size(&self, size: usize) -> &'static str {
        if self.profile == ProfileId::NA_RV { GAUGES[size].0 } else { METRIC[size].0 }
    }

    /// Writes a run and draws it; `live` says whether it is of the live side.
    fn run(&mut self, from: &str, steps: Vec<Step>, live: bool) {
        let mut text = format!("run {from} : ");
        let run = self.runs;
        self.runs += 1;
        let mut here = self.drawing.node(from);
        let mut pending: Option<(usize, usize, usize)> = None;
        let last = steps.len() - 1;
        let to = |s: &mut Sketch, pending: &mut Option<(usize, usize, usize)>, name: &str, here: &mut usize| {
            let there = s.drawing.node(name);
            if let Some((size, dm, step)) = pending.take() {
                if live {
                    s.drawing.leads.push(Lead {
                        a: *here,
                        b: there,
                        size,
                        length_m: dm as f64 / 10.0,
                        spot: Some((run, step)),
                        cable: None,
                        mains: false,
                    });
                }
            } else if live {
                s.drawing.joints.push((*here, there));
            }
            *here = there;
        };
        for (n, step) in steps.into_iter().enumerate() {
            match step {
                Step::Lead { size, dm } => {
                    // Two lengths after each other are a splice.
                    if pending.is_some() {
                        to(self, &mut pending, &format!("splice {run}.{n}"), &mut here);
                    }
                    text.push_str(&format!("{}.{}m {}", dm / 10, dm % 10, self.size(size)));
                    pending = Some((size, dm, n));
                }
                Step::Fuse(amps) => {
                    let id = format!("f{run}x{n}");
                    text.push_str(&format!("fuse {id} {amps}A"));
                    to(self, &mut pending, &format!("{id}.in"), &mut here);
                    let out = self.drawing.node(&format!("{id}.out"));
                    if live {
                        self.drawing.devices.push((here, out, f64::from(amps)));
                    }
                    here = out;
                }
                Step::Isolator => {
                    let id = format!("s{run}x{n}");
                    text.push_str(&format!("isolator {id}"));
                    to(self, &mut pending, &format!("{id}.in"), &mut here);
                    let out = self.drawing.node(&format!("{id}.out"));
                    if live {
                        self.drawing.joints.push((here, out));
                    }
                    here = out;
                }
                Step::Terminal(name) => {
                    text.push_str(&name);
                    to(self, &mut pending, &name, &mut here);
                }
            }
            if n < last {
                text.push_str(", ");
            }
        }
        self.line(text);
    }

    /// A cable of the mains side: its line is drawn.
    fn cable(&mut self, id: &str, size: usize, dm: usize, (from, to): (&str, &str), (a, b): (&str, &str)) {
        let text = format!("cable {id} 3x{} {}.{}m {from} -> {to}", self.size(size), dm / 10, dm % 10);
        self.line(text);
        let (a, b) = (self.drawing.node(a), self.drawing.node(b));
        self.drawing.leads.push(Lead {
            a,
            b,
            size,
            length_m: dm as f64 / 10.0,
            spot: None,
            cable: Some(id.to_owned()),
            mains: true,
        });
    }

    /// The thinnest size whose device may be this large.
    fn size_for(&self, amps: f64, mains: bool) -> usize {
        (0..METRIC.len()).find(|s| ampacity(self.profile, *s, mains).1 >= amps).unwrap_or(METRIC.len() - 1)
    }

    pub fn text(&self) -> String {
        let mut text = format!("rig \"law\" profile {}\n", self.profile.word());
        for line in &self.lines {
            text.push_str(line);
            text.push('\n');
        }
        text
    }
}

/// A rig by its number.
pub fn sketch(seed: u64) -> Sketch {
    let mut d = Dice::new(seed);
    let profile = [ProfileId::NA_RV, ProfileId::EU_UK, ProfileId::AU_NZ][(seed % 3) as usize];
    let mut s = Sketch { profile, lines: Vec::new(), drawing: Drawing::default(), runs: 0 };
    s.line(format!("battery house: lifepo4 12.8V {}Ah", 100 * (1 + d.below(4))));
    s.line("bus pos".into());
    s.line("bus neg".into());
    let plus = s.drawing.node("house.+");
    s.drawing.sources.push((plus, f64::INFINITY));
    let most = if d.once_in(6) { 24 } else { 7 };
    let taps = 2 + d.below(most);
    // The main path: mostly right, sometimes too thin, too far, too large or bare.
    let main = *d.pick(&[60u32, 80, 100, 125, 150, 200]);
    let size = s.size_for(f64::from(main), false);
    let wrong = |d: &mut Dice, size: usize| if d.once_in(8) { d.below(size + 1) } else { size };
    let mut steps =
        vec![Step::Lead { size: wrong(&mut d, size), dm: if d.once_in(5) { 6 + d.below(30) } else { 1 + d.below(4) } }];
    if !d.once_in(6) {
        steps.push(Step::Fuse(if d.once_in(8) { main * 2 } else { main }));
        steps.push(Step::Lead { size: wrong(&mut d, size), dm: 1 + d.below(20) });
    }
    if d.once_in(2) {
        steps.push(Step::Isolator);
        steps.push(Step::Lead { size: wrong(&mut d, size), dm: 1 + d.below(5) });
    }
    steps.push(Step::Terminal("pos".into()));
    s.run("house.+", steps, true);
    let back = wrong(&mut d, size);
    s.run("house.-", vec![Step::Lead { size: back, dm: 3 }, Step::Terminal("neg".into())], false);
    for n in 0..taps {
        let amps = *d.pick(&[2u32, 4, 8, 12, 18, 25, 40]);
        let fuse = *FUSES.iter().find(|f| **f * 4 >= amps * 5).unwrap_or(&250);
        let size = s.size_for(f64::from(fuse), false);
        let far = if d.once_in(6) { 5 + d.below(40) } else { 1 + d.below(3) };
        let (id, bar) = (format!("l{n}"), if n > 3 && d.once_in(3) { "sub" } else { "pos" });
        if bar == "sub" && !s.lines.iter().any(|l| l == "bus sub") {
            s.line("bus sub".into());
            let mut steps = vec![Step::Lead { size: 4 + d.below(3), dm: 1 + d.below(20) }];
            if d.once_in(2) {
                steps.push(Step::Fuse(*d.pick(&[40, 60, 80])));
                steps.push(Step::Lead { size: 4 + d.below(3), dm: 1 + d.below(20) });
            }
            steps.push(Step::Terminal("sub".into()));
            s.run("pos", steps, true);
        }
        match d.below(8) {
            0 => {
                // A solar controller or a second charger: a source of its own.
                let give = *d.pick(&[15u32, 20, 30, 50]);
                s.line(format!("array a{n}: isc 8A voc 40V"));
                s.line(format!("controller c{n}: {give}A 100V"));
                let out = s.drawing.node(&format!("c{n}.bat+"));
                s.drawing.sources.push((out, f64::from(give)));
                let array = s.drawing.node(&format!("a{n}.+"));
                s.drawing.sources.push((array, 8.0 * 1.25));
                let into = s.drawing.node(&format!("c{n}.pv+"));
                s.drawing.loads.push((into, 0.0));
                s.run(
                    &format!("a{n}.+"),
                    vec![Step::Lead { size: 2, dm: 40 }, Step::Terminal(format!("c{n}.pv+"))],
                    true,
                );
                s.run(
                    &format!("a{n}.-"),
                    vec![Step::Lead { size: 2, dm: 40 }, Step::Terminal(format!("c{n}.pv-"))],
                    false,
                );
                let size = wrong(&mut d, s.size_for(f64::from(give), false));
                let mut steps = vec![Step::Lead { size, dm: 1 + d.below(15) }];
                if !d.once_in(3) {
                    steps.push(Step::Fuse(if d.once_in(6) { 100 } else { give }));
                    steps.push(Step::Lead { size: wrong(&mut d, size), dm: 1 + d.below(3) });
                }
                steps.push(Step::Terminal(bar.into()));
                s.run(&format!("c{n}.bat+"), steps, true);
                s.run(&format!("c{n}.bat-"), vec![Step::Lead { size, dm: 5 }, Step::Terminal("neg".into())], false);
            }
            _ => {
                s.line(format!("dc-load {id}: {amps}A"));
                let at = s.drawing.node(&format!("{id}.+"));
                s.drawing.loads.push((at, f64::from(amps)));
                let mut steps = vec![Step::Lead { size: wrong(&mut d, size), dm: far }];
                if !d.once_in(8) {
                    steps.push(Step::Fuse(if d.once_in(8) { *d.pick(&FUSES) } else { fuse }));
                    if d.once_in(4) {
                        steps.push(Step::Lead { size: wrong(&mut d, size), dm: 1 + d.below(10) });
                    }
                    steps.push(Step::Lead { size: wrong(&mut d, size), dm: 5 + d.below(30) });
                    if d.once_in(8) {
                        steps.push(Step::Fuse(5));
                        steps.push(Step::Lead { size: 0, dm: 5 });
                    }
                }
                steps.push(Step::Terminal(format!("{id}.+")));
                s.run(bar, steps, true);
                let back = wrong(&mut d, size);
                s.run(
                    "neg",
                    vec![Step::Lead { size: back, dm: 10 + d.below(20) }, Step::Terminal(format!("{id}.-"))],
                    false,
                );
            }
        }
    }
    if d.once_in(4) {
        // A second bank on the bar, or the engine's, through a relay.
        s.line("battery start: agm 12V 80Ah starter".into());
        s.line("relay link: 100A engine".into());
        let plus = s.drawing.node("start.+");
        s.drawing.sources.push((plus, f64::INFINITY));
        let size = wrong(&mut d, 5);
        let mut steps = vec![Step::Lead { size, dm: 1 + d.below(8) }];
        if !d.once_in(3) {
            steps.push(Step::Fuse(*d.pick(&[60, 80, 100])));
            steps.push(Step::Lead { size, dm: 5 + d.below(30) });
        }
        steps.push(Step::Terminal("link.in".into()));
        s.run("start.+", steps, true);
        let (a, b) = (s.drawing.node("link.in"), s.drawing.node("link.out"));
        s.drawing.joints.push((a, b));
        let mut steps = vec![Step::Lead { size: wrong(&mut d, size), dm: 1 + d.below(30) }];
        if !d.once_in(3) {
            steps.push(Step::Fuse(*d.pick(&[60, 80, 100])));
            steps.push(Step::Lead { size, dm: 1 + d.below(4) });
        }
        steps.push(Step::Terminal("pos".into()));
        s.run("link.out", steps, true);
        s.run("start.-", vec![Step::Lead { size: 5, dm: 5 }, Step::Terminal("neg".into())], false);
    }
    if d.once_in(2) {
        mains(&mut s, &mut d);
    }
    s
}

/// The mains side: a supply, a panel, circuits.
fn mains(s: &mut Sketch, d: &mut Dice) {
    let na = s.profile == ProfileId::NA_RV;
    let (volts, amps) = if na { (120, *d.pick(&[30u32, 50])) } else { (230, *d.pick(&[10u32, 16, 32])) };
    s.line(format!("inlet shore: {volts}V {amps}A"));
    let plus = s.drawing.node("shore.out.L");
    s.drawing.sources.push((plus, f64::from(amps)));
    let ways = 1 + d.below(5);
    let ratings: Vec<u32> =
        (0..ways).map(|_| *d.pick(if na { &[15u32, 20][..] } else { &[6u32, 10, 16][..] })).collect();
    let list: Vec<String> = ratings.iter().enumerate().map(|(n, r)| format!("way w{n} {r}A rcd 30mA")).collect();
    let main = amps;
    s.line(format!("panel ac: main {main}A rcd 30mA, {}", list.join(", ")));
    let size = s.size_for(f64::from(amps), true);
    let thin = if d.once_in(4) { 0 } else { size };
    if d.once_in(4) {
        s.line(format!("guard g: {amps}A"));
        s.cable("W0", thin, 10 + d.below(20), ("shore", "g"), ("shore.out.L", "g.in"));
        let (a, b) = (s.drawing.node("g.in"), s.drawing.node("g.out"));
        s.drawing.joints.push((a, b));
        s.cable("W1", thin, 10 + d.below(20), ("g", "ac.main"), ("g.out", "ac.main.L"));
    } else {
        s.cable("W0", thin, 10 + d.below(20), ("shore", "ac.main"), ("shore.out.L", "ac.main.L"));
    }
    let (a, b) = (s.drawing.node("ac.main.L"), s.drawing.node("ac.hot"));
    s.drawing.devices.push((a, b, f64::from(main)));
    for (n, rating) in ratings.iter().enumerate() {
        let way = s.drawing.node(&format!("ac.w{n}"));
        s.drawing.devices.push((b, way, f64::from(*rating)));
        let size = if d.once_in(5) { 0 } else { s.size_for(f64::from(*rating), true) };
        let mut from = (format!("ac.w{n}"), format!("ac.w{n}"));
        for k in 0..1 + d.below(3) {
            let id = format!("o{n}x{k}");
            s.line(format!("outlet {id}"));
            let live = format!("{id}.ac.L");
            s.cable(&format!("C{n}x{k}"), size, 10 + d.below(40), (&from.0, &id), (&from.1, &live));
            let at = s.drawing.node(&live);
            s.drawing.loads.push((at, 0.0));
            from = (id, live);
        }
    }
}
