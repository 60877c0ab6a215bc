//! Physics: no sentence of a finding has a voltage lost above that of the source, a share above 100 %, a fault current above
//! V / R, an infinity, an empty name, or two figures told to differ and printed alike.

use super::common::judge;
use super::rigs::{Dice, sketch};
use murvet_core::audit::audit;
use murvet_core::capacity::course;
use murvet_core::measure::World;
use murvet_core::notation::parse;
use murvet_core::readings::{divided, plan};

/// The number before a unit in a sentence, wherever it stands.
fn figures<'a>(text: &'a str, unit: &'a str) -> impl Iterator<Item = f64> + 'a {
    let words: Vec<&str> = text.split(' ').collect();
    let pairs: Vec<f64> = words
        .windows(2)
        .filter(|w| w[1].trim_end_matches([',', '.', ';', ':', ')']) == unit)
        .filter_map(|w| w[0].trim_start_matches('(').parse().ok())
        .collect();
    pairs.into_iter()
}

#[track_caller]
fn sane(text: &str, what: &str, ah: f64) {
    for bad in ["inf", "NaN", "nan ", "1e9", "  ", "from .", "held by: .", " and  ", "of  ", "\"\""] {
        assert!(!text.contains(bad), "{what}: \"{bad}\" in \"{text}\"");
    }
    assert!(figures(text, "%").all(|n| (0.0..=100.0).contains(&n)), "{what}: {text}");
    assert!(figures(text, "V").all(|n| n < 1000.0), "{what}: {text}");
    // 13.7 V behind the least resistance of the bank: V / R, with a fifth for the second battery.
    let most = 13.9 / (2.4e-3 * 100.0 / ah) * 1.2 + 2000.0;
    assert!(figures(text, "A").all(|n| n <= most), "{what}: more than {most} A: {text}");
    assert!(figures(text, "m").all(|n| n <= 500.0), "{what}: {text}");
    if let Some((carries, may)) = text.split_once(" A and may carry ") {
        let carries = carries.rsplit(' ').next().unwrap_or_default();
        let may = may.split(' ').next().unwrap_or_default();
        assert_ne!(carries, may, "{what}: {text}");
    }
}

#[test]
fn every_sentence_obeys_physics() {
    let mut sentences = 0;
    for seed in 0..300 {
        let s = sketch(seed);
        let mut d = Dice::new(seed);
        let mut lines = s.lines.clone();
        // Half of the rigs are half seen.
        if seed % 2 == 0 {
            for line in lines.iter_mut().filter(|l| l.starts_with("run")) {
                if d.once_in(2) {
                    continue;
                }
                let words: Vec<String> = line
                    .replace(',', " ,")
                    .split(' ')
                    .map(|w| {
                        let value = w.starts_with(|c: char| c.is_ascii_digit());
                        if value && d.once_in(3) { "?".to_owned() } else { w.to_owned() }
                    })
                    .collect();
                *line = words.join(" ").replace(" ,", ",");
            }
        }
        let ah: f64 = lines[0].split(' ').filter_map(|w| w.strip_suffix("Ah")?.parse().ok()).next().unwrap_or(400.0);
        let text = format!("rig \"law\" profile {}\n{}\n", s.profile.word(), lines.join("\n"));
        let rig = parse(&text).unwrap_or_else(|e| panic!("rig {seed}: {e:?}\n{text}"));
        let judged = audit(&rig, s.profile);
        for f in &judged.findings {
            for sentence in std::iter::once(&f.statement).chain(&f.evidence) {
                sane(sentence, &format!("rig {seed}, {}", f.key()), ah);
                sentences += 1;
            }
        }
    }
    println!("{sentences} sentences");
    assert!(sentences > 5000);
}

#[test]
fn what_is_foretold_by_time_and_divided_by_place_obeys_physics() {
    let (mut courses, mut losses) = (0, 0);
    for seed in 0..150 {
        let s = sketch(seed);
        let audit = judge(&s.text(), s.profile);
        let rig = &audit.assumed;
        let on: Vec<&str> = audit.net.consumers.iter().map(|c| rig.components[c.component].id.as_str()).collect();
        let highest = audit.net.sources.iter().filter(|s| !s.kind.is_ac()).map(|s| s.volts).fold(0.0, f64::max);
        for state in audit.states.states.iter().take(6) {
            let Some(c) = course(&audit, state, &on, 45.0) else { continue };
            courses += 1;
            for m in &c.moments {
                assert!(m.bank_v.is_finite() && m.at_v.is_finite(), "rig {seed}: {m:?}");
                assert!(m.bank_v <= 1.25 * highest && m.at_v <= m.bank_v + 1e-6, "rig {seed}: {m:?} of {highest} V");
            }
            assert!(
                c.moments.windows(2).all(|w| w[1].bank_v <= w[0].bank_v + 1e-6),
                "rig {seed}: a bank fills by giving"
            );
            assert!(c.text().lines().all(|l| !l.contains("NaN") && !l.contains("inf")), "rig {seed}: {}", c.text());
            if let (Some(warns), Some(cuts)) = (c.warns, c.cuts_off)
                && warns.volts >= cuts.volts
            {
                let time = |m: Option<f64>| m.unwrap_or(f64::INFINITY);
                assert!(time(warns.minutes) <= time(cuts.minutes), "rig {seed}: it cuts off before it warns");
            }
        }
        // The parts of a loss are the whole, whatever is read; a reading as traced leaves nothing unexplained.
        let world = World::new(&audit, &[]);
        for t in plan(&audit).iter().filter(|t| t.id.kind.is_loss()) {
            let Some(v) = t.probe.as_ref().and_then(|p| world.read(p)) else { continue };
            let Some(d) = divided(&audit, t, v, &|_| None) else { continue };
            losses += 1;
            let sum: f64 = d.parts.iter().map(|p| p.volts).sum();
            assert!((sum - v).abs() < 1e-6 * v.abs().max(1.0), "rig {seed}: {} parts {sum} V, whole {v} V", t.id);
            assert!(d.lines().iter().all(|l| !l.contains("NaN") && !l.contains("inf ")), "rig {seed}: {:?}", d.lines());
        }
    }
    println!("{courses} load tests and {losses} losses");
    assert!(courses > 100 && losses > 300, "{courses} {losses}");
}
