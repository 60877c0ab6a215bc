//! Law 3: every word decides. Each word of the notation has a pair of rigs that differ in it alone and in a verdict, a
//! prediction, a test or a figure. The pairs are searched for in the rigs of the rule book, the starters and the sound
//! rigs, and for what those do not have in a few of their own; `docs/words.md` is the table of what was found.

use super::common::pair;
use murvet_core::audit::{Audit, audit};
use murvet_core::capacity::running;
use murvet_core::catalogue::{AttrType, Kind};
use murvet_core::faults::one_fault_away;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{make_safe, plan};
use murvet_core::rig::{Rig, Value};
use murvet_core::rules::RULES;
use murvet_core::units::Dimension;
use std::collections::BTreeMap;
use std::fmt::Write;

/// What a rig is told, by name: findings with what they say, tests with what they expect, and what runs.
fn told(audit: &Audit) -> BTreeMap<String, String> {
    let mut out = BTreeMap::new();
    for f in &audit.findings {
        out.insert(
            format!("rule {}", f.key()),
            format!("{:?} {:?} {} {:?}", f.severity, f.certainty, f.statement, f.way),
        );
    }
    for t in plan(audit) {
        out.insert(format!("test {}", t.id), format!("{:?} {:?} {:?}", t.limit, t.predicted, t.state));
    }
    for s in make_safe(audit) {
        out.insert(format!("step {}", s.id), format!("{} {}", s.title, s.note));
    }
    for o in one_fault_away(audit) {
        out.insert(format!("one fault away, {}", o.component), format!("{} {:?}", o.fault, o.findings));
    }
    let all: Vec<&str> = audit.assumed.components.iter().map(|p| p.id.as_str()).collect();
    for (n, state) in audit.states.states.iter().take(24).enumerate() {
        out.insert(format!("running, state {n}"), running(audit, state, &all).text(&state.describe(&audit.net)));
    }
    out
}

/// The first thing that is told otherwise of two rigs: a finding rather than a test, a test rather than a figure.
fn differs(a: &BTreeMap<String, String>, b: &BTreeMap<String, String>) -> Option<String> {
    let keys = a.keys().chain(b.keys());
    let changed = keys.filter(|k| a.get(*k) != b.get(*k));
    let order = |k: &&String| {
        let place = ["rule", "test", "one fault", "step", "running"].iter().position(|w| k.starts_with(w));
        (place.unwrap_or(9), (*k).clone())
    };
    changed.min_by_key(order).map(|k| k.split(", state").next().unwrap_or_default().to_owned())
}

/// Rigs to look for pairs in: name, text and profile.
fn corpus() -> Vec<(String, Rig, ProfileId)> {
    let mut list = Vec::new();
    list.extend(RULES.iter().map(|r| (format!("rule book, {}", r.slug), r.example.to_owned())));
    for (name, text) in OWN {
        list.push(((*name).to_owned(), (*text).to_owned()));
    }
    for (name, text) in SOUND {
        list.push((format!("{name}, a sound rig"), (*text).to_owned()));
    }
    let parsed = list.into_iter().map(|(name, text)| (name, parse(&text).unwrap_or_else(|e| panic!("{e:?}\n{text}"))));
    parsed
        .map(|(name, rig)| {
            let p = rig.profile.unwrap_or(ProfileId::EU_UK);
            (name, rig, p)
        })
        .collect()
}

/// Sound rigs of real size.
const SOUND: [(&str, &str); 4] = [
    ("caravan", include_str!("../sound/caravan.rig")),
    ("coach", include_str!("../sound/coach.rig")),
    ("trailer", include_str!("../sound/trailer.rig")),
    ("van", include_str!("../sound/van.rig")),
];

/// Rigs for what the rule book does not have.
const OWN: &[(&str, &str)] = &[
    (
        "a turbine",
        "rig \"own\" profile eu-uk\nbattery house: lifepo4 12.8V 200Ah\nwind-turbine mill: 400W 12V brake-switch dump 300W\nbus plus\nbus minus\n\
        run house.+ : 0.2m 35mm2, fuse F 125A class-t, 0.2m 35mm2, plus\nrun house.- : 0.6m 35mm2, minus\nrun mill.+ : 2m 4mm2, fuse G 40A gg, 0.1m 10mm2, plus\nrun mill.- : 2m 10mm2, minus\n",
    ),
    (
        "unit on shore and generator",
        "rig \"own\" profile na-rv\nchassis frame\nbattery house: lifepo4 12.8V 200Ah management-signal charge-limit 60A discharge 100A low-cut 10.5V high-cut 14.6V\nbattery start: agm 12V 80Ah starter\nalternator alt: 100A\nbus pos\nbus neg\nshunt sh: 300A\nisolator S: 300A\n\
        run house.+ : 0.2m 2/0AWG, fuse F 250A class-t, 0.2m 2/0AWG, S, 0.2m 2/0AWG, pos\nrun house.- : 0.2m 2/0AWG, sh, 0.2m 2/0AWG, neg\nrun neg : 0.5m 2/0AWG, frame\n\
        inlet shore: 120V 30A\ngenerator gen: 120V 30A bond-none\nplug-changeover cord: 30A\ninverter-charger u: 2000W dc 12V ac 120V 80A absorption 14.2V float 13.5V relay 30A bond-switched isolated neutral-switched warning 11.5V cut-off 10.8V restart 12.8V sine\n\
        run pos : 0.5m 2/0AWG, u.dc+\nrun neg : 0.5m 2/0AWG, u.dc-\nrun u.case : 0.5m 8AWG, frame\ncable W1 3x10AWG 2m shore -> cord.a\ncable W2 3x10AWG 2m gen -> cord.b\ncable W3 3x10AWG 1m cord -> u.in\npanel p: 2-pole main 30A, way a 20A, way b 15A rcd 5mA, way c 20A\ncable W4 3x10AWG 1m u.out -> p.main\n\
        outlet o\ngfci-outlet g\nac-load kettle: 1500W on o\nac-load motor: 900W sine-only\ncharger plug: 10A 14.4V float 13.6V on g\nrcbo rc: 20A 5mA 2-pole curve-c\ncable W5 3x12AWG 2m p.a -> rc\ncable W8 3x12AWG 2m rc -> o\ncable W6 3x14AWG 2m p.b -> motor\ncable W7 3x12AWG 2m p.c -> g.line\n\
        run plug.dc+ : 0.2m 10AWG, fuse P 15A blade, 0.2m 10AWG, pos\nrun plug.dc- : 0.5m 10AWG, neg\n\
        dcdc up: 30A 14.4V float 13.5V engine isolated\nrun start.+ : 0.2m 6AWG, fuse U 50A terminal, 3m 6AWG, up.in+\nrun up.in- : 0.3m 6AWG, frame\nrun up.out+ : 0.2m 8AWG, fuse V 40A blade, 0.2m 8AWG, pos\nrun up.out- : 0.5m 8AWG, neg\nrun alt.+ : 0.5m 2AWG cranking, start.+\nrun alt.- : 0.3m 2AWG, frame\nrun start.- : 0.3m 2AWG, frame\n\
        array sun: 400W 44V 12A x4\ncontroller mppt: 30A 100V float 13.5V\nbreaker B: 20A curve-c 2-pole dc-rated breaking 1kA rated 60V\nrun sun.+ : 3m 10AWG, B, 1m 10AWG, mppt.pv+\nrun sun.- : 4m 10AWG, mppt.pv-\nrun mppt.bat+ : 0.2m 8AWG, breaker C 30A curve-c rated 32V breaking 1kA dc-rated, 0.2m 8AWG, pos\nrun mppt.bat- : 0.5m 8AWG, neg\n\
        fuse-block fb: 60A, way h 30A, way r 20A\nload-disconnect ld: 80A cut-off 11V restart 12.5V\ndc-load heater: 200W\ndc-load coil: resistance 1ohm\nrun pos : 0.2m 8AWG, fuse D 60A bolt-down, 0.2m 8AWG, ld, 0.5m 8AWG, fb.in\nrun neg : 0.5m 8AWG, fb.-\nrun fb.h : 1m 10AWG, heater.+\nrun fb.- : 1m 10AWG, heater.-\nrun fb.r : 1m 12AWG, coil.+\nrun fb.- : 1m 12AWG, coil.-\n",
    ),
    (
        "two hots",
        "rig \"own\" profile na-rv\nchassis frame\ninlet shore: 120V 50A two-hot\ngenerator gen: 120V 50A 10kW two-hot bond-fixed\nplug-changeover cord: two-hot 50A\nguard g: 50A two-hot\nrcd r: 30mA 50A two-hot\nrcbo q: 50A 30mA two-hot 3-pole\nbreaker b: 50A 2-pole two-hot\nisolator m: 50A 3-pole two-hot\npanel p: 2-pole two-hot main 50A, way d 30A both-legs, way k 20A both-legs\nac-load dryer: 4800W two-hot\noutlet o: two-hot\n\
        cable W1 4x6AWG 90C 2m shore -> cord.a\ncable W2 4x6AWG 90C 2m gen -> cord.b\ncable W3 4x6AWG 90C 1m cord -> g\ncable W4 4x6AWG 90C 1m g -> r\ncable W5 4x6AWG 90C 1m r -> q\ncable W6 4x6AWG 90C 1m q -> b\ncable W0 4x6AWG 90C 1m b -> m\ncable W7 4x6AWG 90C 1m m -> p.main\ncable W8 4x10AWG 2m p.d -> dryer\ncable W9 4x12AWG 2m p.k -> o\nac-load kettle: 1500W on o\nrun p.PE : 0.5m 8AWG, frame\n",
    ),
    (
        "contactor of a management unit",
        "rig \"own\" profile eu-uk\nbattery house: lifepo4 12.8V 200Ah management-contactor low-cut 11V\nrun house.+ : 0.2m 50mm2 90C, fuse F1 200A class-t, 0.2m 50mm2 90C, isolator S1 250A, 0.2m 50mm2 90C, load-disconnect K 250A listens pre-charge, 0.2m 50mm2 90C, inv.dc+\nrun house.- : 0.6m 50mm2 90C, inv.dc-\ninverter inv: 1000W dc 12V ac 230V bond-none isolated listens cut-off 11.5V restart 12.5V\ncontroller c: 10A 50V float 13.5V listens\nrun c.bat+ : 0.2m 4mm2, fuse G 15A blade, 0.2m 4mm2, house.+\nrun c.bat- : 0.4m 4mm2, house.-\n",
    ),
    (
        "house on a hook-up",
        "rig \"own\" profile eu-uk\nchassis frame\ninlet shore: 230V 16A\nrcd r: 30mA 40A 2-pole type-a\nbreaker b: 16A 2-pole curve-c\nrcbo q: 16A 30mA 2-pole curve-c type-a\nrcd-outlet g: 30mA type-a\nsocket o\nsocket s\ncable W1 3x2.5mm2 2m shore -> r\nisolator m: 20A 2-pole\ncable W0 3x2.5mm2 1m r -> m\ncable W2 3x2.5mm2 1m m -> b\ncable W3 3x2.5mm2 1m b -> q\ncable W4 3x2.5mm2 1m q -> o\ncable W5 3x2.5mm2 1m o -> s\ncable W6 3x2.5mm2 1m s -> g.line\nac-load heater: 5000W on s\nrun r.PE : 0.5m 6mm2, frame\n",
    ),
    (
        "a unit of two inputs and two outputs",
        "rig \"own\" profile eu-uk\nbattery house: lifepo4 12.8V 100Ah\ninlet shore: 230V 16A\ngenerator gen: 230V 10A bond-fixed\ninverter-charger u: 1000W dc 12V ac 230V 30A relay 20A bond-switched isolated neutral-switched two-input shore-only\nrcbo q: 16A 30mA 2-pole\nrcbo r: 16A 30mA 2-pole\nsocket o\nsocket x\nrun house.+ : 0.2m 35mm2, fuse F 150A class-t, 0.5m 35mm2, u.dc+\nrun house.- : 0.7m 35mm2, u.dc-\ncable W1 3x2.5mm2 1m shore -> u.in\ncable W2 3x2.5mm2 1m gen -> u.in2\ncable W3 3x2.5mm2 1m u.out -> q\ncable W4 3x2.5mm2 1m q -> o\ncable W5 3x2.5mm2 1m u.aux -> r\ncable W6 3x2.5mm2 1m r -> x\n",
    ),
    (
        "a tow vehicle",
        "rig \"own\" profile eu-uk\nbattery house: agm 12V 100Ah\ntow hitch: 30A\nrelay K: 50A engine\nrun hitch.+ : 4m 4mm2, K, 2m 4mm2, fuse F 30A blade, 0.2m 4mm2, house.+\nrun hitch.- : 6m 4mm2, house.-\n",
    ),
    (
        "a charger with a plug",
        "rig \"own\" profile eu-uk\nbattery house: lifepo4 12.8V 100Ah\ninverter inv: 600W dc 12V ac 230V bond-none isolated\ninlet shore: 230V 16A\nrcbo q: 16A 30mA 2-pole\nsocket s\nsocket i\nrun house.+ : 0.2m 35mm2, breaker M 100A breaking 10kA dc-rated, 0.5m 35mm2, inv.dc+\nrun house.- : 0.7m 35mm2, inv.dc-\ncable W1 3x1.5mm2 1m inv -> i\ncable W2 3x2.5mm2 1m shore -> q\ncable W3 3x2.5mm2 1m q -> s\ncharger c: 10A 14.2V\ncable W4 3x1.5mm2 1m s -> c\nrun c.dc+ : 0.2m 4mm2, fuse G 15A blade, 0.2m 4mm2, house.+\nrun c.dc- : 0.4m 4mm2, house.-\n",
    ),
    (
        "a portable array and a charger with two inputs",
        "rig \"own\" profile na-rv\nbattery house: lifepo4 12.8V 200Ah\nbattery start: agm 12V 80Ah starter\narray sun: 200W 44V 6A\narray roof: 200W 22V 11A\ndcdc d: 30A 14.2V trigger pv-input pv-most 50V isolated\ndc-socket s: 30A female\ncontroller m: 20A 50V\nrun sun.+ : 3m 10AWG, m.pv+\nrun sun.- : 3m 10AWG, m.pv-\nrun m.bat+ : 1m 10AWG, s, 1m 10AWG, fuse P 25A class-t, 0.2m 10AWG, house.+\nrun m.bat- : 1m 10AWG, s.N.in\nrun s.N.out : 1m 10AWG, house.-\nrun roof.+ : 3m 10AWG, isolator v 20A, d.pv+\nrun roof.- : 3m 10AWG, d.pv-\nrun start.+ : 0.2m 8AWG, fuse U 50A terminal, 3m 8AWG, d.in+\nrun start.- : 3m 8AWG, d.in-\nrun house.+ : 0.2m 8AWG, fuse V 50A class-t, 1m 8AWG, d.out+\nrun house.- : 1m 8AWG, d.out-\nrun start.+ : 0.2m 14AWG, fuse T 5A, 3m 14AWG, d.signal\n",
    ),
    (
        "a warm box",
        "rig \"own\" profile eu-uk\nplace box: bay 20C wide 1m deep 0.6m high 0.6m vent-low 100cm2 vent-high 100cm2\nbattery house in box: lifepo4 12.8V 100Ah\nbattery start: agm 12V 80Ah starter\ninlet shore: 230V 16A\nrcbo q: 16A 30mA 2-pole\ninverter-charger u in box: 1000W dc 12V ac 230V 30A relay 20A bond-switched isolated neutral-switched\ncharger c in box: 20A 14.2V\ncontroller m in box: 20A 50V\narray a: 10A 22V\ndcdc d in box: 30A 14.2V always isolated\nsocket o\ncable W1 3x2.5mm2 1m shore -> q\ncable W2 3x2.5mm2 1m q -> u.in\ncable W3 3x2.5mm2 1m u.out -> o\ncable W4 3x1.5mm2 1m o -> c\nrun house.+ : 0.2m 50mm2, fuse F 150A class-t, 0.5m 50mm2, u.dc+\nrun house.- : 0.7m 50mm2, u.dc-\nrun F.out : 0.1m 6mm2, fuse G 30A blade, 0.3m 6mm2, c.dc+\nrun house.- : 0.3m 6mm2, c.dc-\nrun F.out : 0.1m 6mm2, fuse H 30A blade, 0.3m 6mm2, m.bat+\nrun house.- : 0.3m 6mm2, m.bat-\nrun a.+ : 2m 6mm2, m.pv+\nrun a.- : 2m 6mm2, m.pv-\nrun F.out : 0.1m 10mm2, fuse I 40A blade, 0.3m 10mm2, d.out+\nrun house.- : 0.3m 10mm2, d.out-\nrun start.+ : 0.2m 10mm2, fuse J 50A terminal, 3m 10mm2, d.in+\nrun start.- : 3m 10mm2, d.in-\n",
    ),
    (
        "contactors of two hots",
        "rig \"own\" profile na-rv\nchassis frame\ninlet shore: 120V 50A two-hot\ngenerator gen: 120V 50A two-hot bond-fixed\nac-contactor K1: 50A 3-pole two-hot interlock k\nac-contactor K2: 50A 3-pole two-hot interlock k\npanel p: 2-pole two-hot main 50A, way d 30A both-legs, way k 20A both-legs\nac-load dryer: 4800W two-hot\noutlet o: two-hot\ncable W1 4x6AWG 90C 2m shore -> K1\ncable W2 4x6AWG 90C 2m gen -> K2\ncable W3 4x6AWG 90C 1m K1 -> p.main\ncable W4 4x6AWG 90C 1m K2 -> p.main\ncable W8 4x10AWG 2m p.d -> dryer\ncable W9 4x12AWG 2m p.k -> o\nac-load kettle: 1500W on o\nrun p.PE : 0.5m 8AWG, frame\n",
    ),
    (
        "contactors of one hot",
        "rig \"own\" profile eu-uk\ninlet shore: 230V 16A\ngenerator g: 230V 16A bond-fixed\nac-contactor K1: 20A 2-pole interlock k\nac-contactor K2: 20A 2-pole interlock k\npanel p: 2-pole main 16A rcd 30mA, way o 10A\nsocket o\ncable W1 3x2.5mm2 2m shore -> K1\ncable W2 3x2.5mm2 2m g -> K2\ncable W3 3x2.5mm2 2m K1 -> p.main\ncable W4 3x2.5mm2 2m K2 -> p.main\ncable W5 3x2.5mm2 2m p.o -> o\n",
    ),
    (
        "closed boxes",
        "rig \"own\" profile eu-uk\nbattery b: lifepo4 12.8V 100Ah\ndc-load pump: 5A\njoint-box j: leads x3 40A\nrun b.+ : 0.2m 4mm2, fuse F 25A blade, 3m 4mm2, j.1\nrun j.3 : 2m 0.75mm2, pump.+\nrun b.- : 5m 4mm2, pump.-\ninlet s: 230V 16A\nrcbo g: 16A 30mA 2-pole curve-c type-a\njoint-box k: joined leads x2\nsocket o\ncable W1 3x2.5mm2 1m s -> g\ncable W2 3x2.5mm2 2m g -> k.1\ncable W3 3x2.5mm2 3m k.2 -> o\n",
    ),
    (
        "an outlet outside",
        "rig \"own\" profile na-rv\nchassis frame\ninlet shore: 120V 30A\npanel p: 2-pole main 30A, way a 30A, way b 20A\ngfci-outlet g: 5mA\ngfci-outlet g2: 30mA\noutlet o\ncable W4 3x12AWG 2m p.b -> g2.line\ncable W1 3x10AWG 2m shore -> p.main\ncable W2 3x10AWG 2m p.a -> g.line\ncable W3 3x10AWG 2m g.load -> o\nrun p.PE : 0.5m 8AWG, frame\n",
    ),
];

/// Two values of an attribute.
fn choices(kind: Kind, key: &str, ty: AttrType) -> Vec<(String, Option<String>, Option<String>)> {
    match ty {
        AttrType::Word(words) => {
            let pairs = words.iter().enumerate().map(|(n, w)| {
                let other = words.iter().enumerate().filter(|(m, _)| *m != n).map(|(_, o)| (*o).to_owned());
                (w, other.collect::<Vec<_>>())
            });
            let one = words.len() == 1;
            let mut list = Vec::new();
            for (word, others) in pairs {
                if one {
                    list.push(((*word).to_owned(), Some((*word).to_owned()), None));
                }
                for other in others {
                    list.push(((*word).to_owned(), Some((*word).to_owned()), Some(other)));
                }
                list.push(((*word).to_owned(), Some((*word).to_owned()), None));
            }
            list
        }
        AttrType::Flag => vec![(key.to_owned(), Some("yes".to_owned()), None)],
        AttrType::Quantity(dimension, _) => {
            let values: &[&str] = match (dimension, key) {
                (Dimension::Current, "rcd") => &["5mA", "30mA", "300mA"],
                (Dimension::Current, "breaking") => &["100A", "50kA"],
                (Dimension::Current, _) => &["2A", "16A", "60A", "400A"],
                (Dimension::Voltage, "ac" | "voltage") => &["12V", "24V", "14.4V", "120V", "230V"],
                (Dimension::Voltage, _) => &["9V", "11V", "12V", "13V", "14.6V", "60V"],
                (Dimension::Power, _) => &["20W", "500W", "3000W"],
                (Dimension::Charge, _) => &["50Ah", "400Ah"],
                (Dimension::Count, _) => &["x1", "x2", "x4"],
                (Dimension::Resistance, _) => &["0.3mohm", "20mohm", "2ohm"],
                (Dimension::Temperature, _) => &["-30C", "10C", "60C", "90C"],
                (Dimension::Ratio, _) => &["60%", "95%"],
                (Dimension::Area, _) => &["4mm2", "16mm2", "95mm2"],
                (Dimension::Length, _) => &["0.1m", "0.6m"],
                _ => &[],
            };
            let mut list = Vec::new();
            for (n, a) in values.iter().enumerate() {
                for b in &values[n + 1..] {
                    list.push((key.to_owned(), Some((*a).to_owned()), Some((*b).to_owned())));
                }
            }
            list
        }
        AttrType::Name | AttrType::Words => {
            let _ = kind;
            Vec::new()
        }
    }
}

/// The table of the words of components, and the words that decide nothing.
fn words_of_components() -> (String, Vec<String>) {
    let corpus = corpus();
    let mut table = String::new();
    let mut silent = Vec::new();
    let mut pairs = 0;
    for spec in Kind::all() {
        for attr in spec.attrs {
            let mut found: BTreeMap<String, Option<String>> = BTreeMap::new();
            let all = choices(spec.kind, attr.key, attr.ty);
            for word in all.iter().map(|c| c.0.clone()) {
                found.entry(word).or_default();
            }
            'rigs: for (name, rig, profile) in &corpus {
                for (index, _) in rig.components.iter().enumerate().filter(|(_, p)| p.kind == spec.kind) {
                    let put = |value: &Option<String>| {
                        let mut copy = rig.clone();
                        match value {
                            Some(v) => copy.components[index].attrs.insert(attr.key.to_owned(), Value::new(v)),
                            None => copy.components[index].attrs.remove(attr.key),
                        };
                        parse(&print(&copy)).ok()
                    };
                    let mut known: BTreeMap<Option<String>, Option<BTreeMap<String, String>>> = BTreeMap::new();
                    for (word, a, b) in &all {
                        if found[word].as_ref().is_some_and(|line| !line.ends_with("running")) {
                            continue;
                        }
                        for value in [a, b] {
                            known
                                .entry(value.clone())
                                .or_insert_with(|| put(value).map(|rig| told(&audit(&rig, *profile))));
                        }
                        let what = match (known.get(a), known.get(b)) {
                            (Some(Some(x)), Some(Some(y))) => differs(x, y),
                            // Without it there is no terminal for a core: the other rig is refused.
                            (Some(Some(_)), Some(None)) if rig.components[index].attrs.contains_key(attr.key) => {
                                Some("the other is refused: a core has nowhere to land".to_owned())
                            }
                            _ => None,
                        };
                        pairs += 1;
                        if let Some(what) = what.filter(|w| w != "running" || found[word].is_none()) {
                            let other = b.clone().unwrap_or_else(|| "not said".to_owned());
                            let line = format!(
                                "{} or {other} | {name}, `{}` | {what}",
                                a.clone().unwrap_or_default(),
                                rig.components[index].id
                            );
                            found.insert(word.clone(), Some(line));
                        }
                    }
                    let settled = |line: &Option<String>| line.as_ref().is_some_and(|l| !l.ends_with("running"));
                    if found.values().all(settled) {
                        break 'rigs;
                    }
                }
            }
            for (word, line) in found {
                match line {
                    Some(line) => {
                        let _ = writeln!(table, "| {} | `{word}` | {line} |", spec.words[0]);
                    }
                    None => silent.push(format!("{} {word}", spec.words[0])),
                }
            }
        }
    }
    println!("{pairs} pairs tried");
    (table, silent)
}

/// Words of lines other than components, each with a pair of texts that differ in it alone, by the rigs below.
const LINES: &[(&str, &str)] = &[
    ("length of a run", "@dc {2m|20m} 2.5mm2"),
    ("size of a run", "@dc 2m {0.75mm2|2.5mm2}"),
    ("colour", "@dc 2m 2.5mm2 {green|red}"),
    ("`via`", "@dc 2m 2.5mm2 {via hot|}"),
    ("`bundle` in a run", "@dc 2m 2.5mm2 {bundle x9|}"),
    ("insulation of a run", "@dc 2m 2.5mm2 via warm {60C|105C}"),
    ("`sheathed`", "@boat 1.5m 2.5mm2 {|sheathed}"),
    ("`cranking`", "@start {|cranking}"),
    ("`end bare`", "@end {end bare|end taped}"),
    ("`end taped`", "@end {end taped|end capped}"),
    ("`end capped`", "@end {end capped|l.+}"),
    ("`end unseen`", "@end {end unseen|end capped}"),
    ("length of a cable", "@ac 3x2.5mm2 {90m|2m}"),
    ("size of a cable", "@ac 3x{1mm2|2.5mm2} 2m"),
    ("cores of a cable", "@ac {2x|3x}2.5mm2 2m"),
    ("`earth`", "@ac 3x2.5mm2 2m {earth 0.5mm2|}"),
    ("`flex`", "@cord 3x14AWG 3m {flex|}"),
    ("`bundle` in a cable", "@ac 3x2.5mm2 2m {bundle x9|}"),
    ("insulation of a cable", "@cord 3x14AWG 3m via hot {60C|90C}"),
    ("`via` in a cable", "@ac 3x2.5mm2 2m {via hot|}"),
    ("landing `N>PE PE>N`", "@landed {(N>PE PE>N)|}"),
    ("landing `L>N N>L`", "@landed {(L>N N>L)|}"),
    ("landing `PE>-`", "@landed {(PE>-)|}"),
    ("landing `N>-`", "@landed {(N>-)|}"),
    ("landing `L>-`", "@landed {(L>-)|}"),
    ("landing `L>L2`", "@hots leg1 {(L>L2 L2>L)|}"),
    ("`no-neutral`", "@hots leg1 {no-neutral|}"),
    ("zone `engine`", "@zone {engine|cabin}"),
    ("zone `cabin`", "@zone {cabin|bay}"),
    ("zone `gas`", "@zone {gas|bay}"),
    ("zone `locker`", "@zone {locker|cabin}"),
    ("zone `bay`", "@zone {bay|cabin}"),
    ("zone `underfloor`", "@zone {underfloor|cabin}"),
    ("zone `roof`", "@zone {roof|cabin}"),
    ("zone `tow`", "@zone {tow|cabin}"),
    ("zone `outside`", "@where {outside|cabin}"),
    ("ambient of a place", "@air {70C|20C}"),
    ("`insulated`", "@air {insulated|}"),
    ("length in thermal insulation", "@air insulated {0.5m|50mm}"),
    ("`opened no`", "@air {opened no|opened yes}"),
    ("`opened part`", "@air {opened part|opened yes}"),
    ("`in-place`", "@status {in-place|intended}"),
    ("`intended`", "@status {intended|in-place}"),
    ("`out-of-use`", "@status {out-of-use|in-place}"),
    ("`removed`", "@status {removed|in-place}"),
    ("`temporary`", "@status {temporary|removed}"),
    ("rating of a way", "@way {2A|20A}"),
    ("`rcd` of a way", "@way 16A {|rcd 30mA}"),
    ("`leg2`", "@hots {leg2|leg1}"),
    ("`leg1`", "@hots {leg1|leg2}"),
    ("`both-legs`", "@both {both-legs|leg1}"),
    ("`profile`", "@profile {na-rv|eu-uk}"),
    ("`on`", "@on {on house|on other}"),
    ("`interlock`", "@lock {interlock bar|}"),
    ("`remark`", "@remark {loose-joint|soldered-lug}"),
    ("`choice`", "@choice {never|one-appliance}"),
    ("`@measured`", "@cool {20C@measured|20C}"),
];

const LAMP: &str = "place hot: engine 70C\nplace warm: cabin 50C\nbattery house: agm 12V 100Ah\ndc-load l: 8A\nrun house.- : 2m 6mm2, l.-\n";
const SOCKET: &str = "place hot: engine 60C\nchassis frame\ninlet shore: 230V 16A\nrcbo q: 16A 30mA 2-pole curve-c\nsocket o\nac-load kettle: 3000W on o\ncable W1 3x2.5mm2 2m shore -> q\nrun q.PE : 0.5m 6mm2, frame\n";

/// The rig that a pair is put into, by its first word.
fn line_rig(text: &str) -> String {
    let (base, rest) = text.split_once(' ').unwrap_or((text, ""));
    let air = |words: &str| {
        format!(
            "place x: cabin {words}\nbattery house: agm 12V 100Ah\ndc-load l: 8A\nrun house.- : 2m 6mm2, l.-\nrun house.+ : 0.2m 2.5mm2, fuse F 20A blade, 2m 2.5mm2 via x, l.+\n"
        )
    };
    match base {
        "@dc" => format!("{LAMP}run house.+ : 0.2m 2.5mm2, fuse F 20A blade, {rest}, l.+\n"),
        "@boat" => format!("{LAMP}choice first-device: boat-code \"asked for\"\nrun house.+ : {rest}, fuse F 20A blade, 2m 2.5mm2, l.+\n"),
        "@start" => format!("battery start: agm 12V 80Ah starter\nbus p\nalternator alt: 100A\nrun alt.+ : 3m 35mm2 {rest}, p\nrun p : 0.5m 35mm2 cranking, start.+\nrun alt.- : 1m 35mm2, start.-\n"),
        "@end" => format!("{LAMP}run house.+ : 0.2m 2.5mm2, fuse F 20A blade, 2m 2.5mm2, {rest}\n"),
        "@ac" => format!("{SOCKET}cable W2 {rest} q -> o\n"),
        "@landed" => format!("{SOCKET}cable W2 3x2.5mm2 2m q -> o {rest}\n"),
        "@cord" => format!("rig \"r\" profile na-rv\nplace hot: cabin 50C\nchassis frame\ninlet shore: 120V 20A\npanel p: 2-pole main 20A, way a 15A\ncable W1 {rest} shore -> p.main\nrun p.PE : 0.5m 8AWG, frame\n"),
        "@hots" => {
            let (leg, rest) = rest.split_once(' ').unwrap_or((rest, ""));
            format!("rig \"r\" profile na-rv\ninlet s: 120V 30A two-hot\npanel p: 2-pole two-hot main 30A, way d 30A both-legs, way a 20A {leg}\nac-load dryer: 4800W two-hot\nac-load air: 1500W\ncable W 4x10AWG 2m s -> p.main\ncable D 4x10AWG 2m p.d -> dryer {rest}\ncable A 3x12AWG 2m p.a -> air\n").replace("4x10AWG 2m p.d -> dryer no-neutral", "3x10AWG no-neutral 2m p.d -> dryer")
        }
        "@zone" => format!("place x: {rest}\nbattery house in x: flooded 12V 100Ah\nisolator S in x: 60A\ndc-load l: 8A\nrun house.- : 2m 6mm2, l.-\nrun house.+ : 0.2m 2.5mm2, fuse F 20A blade in x, 2m 2.5mm2, S, 0.5m 2.5mm2, l.+\n"),
        "@where" => format!("rig \"r\" profile na-rv\nplace x: {rest}\ninlet shore: 120V 20A\npanel p: 2-pole main 20A, way a 15A\noutlet o in x\ncable W1 3x12AWG 2m shore -> p.main\ncable W2 3x14AWG 2m p.a -> o\n"),
        "@air" => air(rest),
        "@cool" => air(rest).replace("20A", "27A"),
        "@both" => format!("inlet s: 120V 30A two-hot\npanel p: 2-pole two-hot main 30A, way a 15A {rest}\nac-load air: 2000W\ncable W 4x10AWG 2m s -> p.main\ncable A 3x12AWG 2m p.a -> air (L2>L)\n").replace("(L2>L)", if rest == "both-legs" { "(L2>L L>-)" } else { "" }),
        "@status" => format!("{LAMP}fuse F: 20A blade {rest}\nrun house.+ : 0.2m 2.5mm2, F, 2m 2.5mm2, l.+\n"),
        "@way" => format!("inlet shore: 230V 16A\npanel p: 2-pole main 16A, way a {rest}\nsocket o\nac-load kettle: 2000W on o\ncable W1 3x2.5mm2 2m shore -> p.main\ncable W2 3x1.5mm2 2m p.a -> o\n"),
        "@profile" => format!("rig \"r\" profile {rest}\n{SOCKET}cable W2 3x1.5mm2 2m q -> o\n"),
        "@on" => format!("battery b: agm 12V 100Ah\ninverter i: 600W dc 12V ac 230V bond-none isolated\ninlet shore: 230V 16A\nsocket house\nsocket other\ncable W1 3x1.5mm2 1m i -> house\ncable W2 3x2.5mm2 1m shore -> other\ncharger c: 10A 14.2V {rest}\nrun b.+ : 0.2m 25mm2, fuse F 80A, 0.5m 25mm2, i.dc+\nrun b.- : 0.7m 25mm2, i.dc-\nrun c.dc+ : 0.3m 4mm2, fuse G 15A blade, 0.1m 4mm2, b.+\nrun c.dc- : 0.4m 4mm2, b.-\n"),
        "@lock" => format!("inlet shore: 230V 16A\ngenerator g: 230V 10A bond-none\nbreaker x: 16A 2-pole {rest}\nbreaker y: 16A 2-pole {rest}\npanel p: 2-pole main 16A rcd 30mA, way a 10A\ncable W1 3x2.5mm2 1m shore -> x\ncable W2 3x2.5mm2 1m g -> y\ncable W3 3x2.5mm2 1m x -> p.main\ncable W4 3x2.5mm2 1m y -> p.main\n"),
        "@remark" => format!("{LAMP}fuse F: 20A blade\nremark F: {rest} \"seen\"\nrun house.+ : 0.2m 2.5mm2, F, 2m 2.5mm2, l.+\n"),
        "@choice" => format!("battery b: agm 12V 100Ah\ninverter i: 600W dc 12V ac 230V bond-none isolated\nsocket o\ncable W1 3x1.5mm2 1m i -> o\nrun b.+ : 0.2m 25mm2, fuse F 80A, 0.5m 25mm2, i.dc+\nrun b.- : 0.7m 25mm2, i.dc-\nchoice floating-inverter: {rest} \"reason\"\n"),
        other => panic!("no rig {other}"),
    }
}

/// The table of the words of other lines, and those that decide nothing.
fn words_of_lines() -> (String, Vec<String>) {
    let mut table = String::new();
    let mut silent = Vec::new();
    for (word, text) in LINES {
        let (a, b) = pair(text);
        let read = |text: &str| {
            let text = line_rig(text);
            let rig = parse(&text).unwrap_or_else(|e| panic!("{e:?}\n{text}"));
            let profile = rig.profile.unwrap_or(ProfileId::EU_UK);
            let audit = audit(&rig, profile);
            let mut told = told(&audit);
            told.insert("limits of the audit".to_owned(), format!("{:?}", audit.limits));
            told
        };
        match differs(&read(&a), &read(&b)) {
            Some(what) => {
                let (a, b) = (a.trim_start_matches('@'), b.trim_start_matches('@'));
                let _ = writeln!(table, "| {word} | `{}` or `{}` | {what} |", a.trim(), b.trim());
            }
            None => silent.push(format!("{word}: {text}")),
        }
    }
    (table, silent)
}

/// Where the table stands.
const PAGE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/words.md");

#[test]
fn every_word_decides() {
    let (lines, mut silent) = words_of_lines();
    let (components, more) = words_of_components();
    silent.extend(more);
    assert!(silent.is_empty(), "{} words decide nothing: {silent:#?}", silent.len());
    let page = format!(
        "# Every word decides\n\nGenerated by the test `every_word_decides`; do not edit. Each word of the notation with a pair of rigs that differ in it\nalone, and what is told otherwise of the two: a rule's finding, a test of the plan, what is one fault away, a step of\nisolation, or what runs. Colours other than those named are kept and shown, and decide nothing.\n\n## Runs, cables, places, ways\n\n| word | pair | what changes |\n|---|---|---|\n{lines}\n## Components\n\n| component | word | values | rig | what changes |\n|---|---|---|---|---|\n{components}"
    );
    if std::env::var_os("MURVET_WRITE").is_some() {
        std::fs::write(PAGE, &page).expect("written");
    }
    let kept = std::fs::read_to_string(PAGE).unwrap_or_default();
    assert!(
        kept == page,
        "docs/words.md is not current: MURVET_WRITE=1 cargo test -p murvet-core --test laws every_word"
    );
}
