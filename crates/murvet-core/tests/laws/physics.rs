//! Physics: no sentence of a finding has a voltage lost above that of the source, a share above 100 %, a fault current above
//! V / R, an infinity, an empty name, or two figures told to differ and printed alike.

use super::rigs::{Dice, sketch};
use murvet_core::audit::audit;
use murvet_core::notation::parse;

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
