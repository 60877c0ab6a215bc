//! Corners: over all assignments of the unseen values everything found somewhere is reported, and what is reported certain
//! is found everywhere. Brute force on rigs with a few values unseen.

use super::OVERCURRENT;
use super::rigs::{Dice, sketch};
use murvet_core::audit::audit;
use murvet_core::measure::World;
use murvet_core::network::WireSpot;
use murvet_core::notation::parse;
use murvet_core::readings::{TestKind, plan};
use murvet_core::rules::{Certainty, Finding};
use std::collections::BTreeSet;

/// Values that a token of the notation might have had.
fn answers(token: &str, na: bool) -> Option<[String; 3]> {
    let of = |list: [&str; 3]| Some(list.map(str::to_owned));
    let number = token.starts_with(|c: char| c.is_ascii_digit());
    if let Some(rest) = token.strip_prefix("3x") {
        return answers(rest, na).map(|list| list.map(|a| format!("3x{a}")));
    }
    match token {
        _ if !number => None,
        t if t.ends_with("mm2") || t.ends_with("AWG") => {
            if na {
                of(["14AWG", "6AWG", "4/0AWG"])
            } else {
                of(["1.5mm2", "16mm2", "120mm2"])
            }
        }
        t if t.ends_with("mA") || t.ends_with("Ah") => None,
        t if t.ends_with('m') => of(["0.1m", "2m", "14m"]),
        t if t.ends_with('A') => of(["5A", "40A", "200A"]),
        _ => None,
    }
}

/// Conductors that some finding of the live side names.
fn conductors(list: &[Finding]) -> BTreeSet<WireSpot> {
    list.iter().filter(|f| OVERCURRENT.contains(&f.rule.slug)).flat_map(|f| f.wires.iter().copied()).collect()
}

/// A rig with up to three values of conductors and devices unseen, and the same with each of their answers.
struct HalfSeen {
    text: String,
    answered: Vec<String>,
}

fn half_seen(seed: u64) -> HalfSeen {
    let s = sketch(seed);
    let na = s.profile.word() == "na-rv";
    let mut d = Dice::new(seed ^ 0xABCD);
    let mut lines: Vec<Vec<String>> =
        s.lines.iter().map(|l| l.replace(',', " ,").split(' ').map(str::to_owned).collect()).collect();
    let spots: Vec<(usize, usize)> = lines
        .iter()
        .enumerate()
        .filter(|(_, words)| ["run", "cable"].contains(&words[0].as_str()))
        .flat_map(|(l, words)| {
            let fits = (0..words.len()).filter(|&w| answers(&words[w], na).is_some());
            fits.map(move |w| (l, w)).collect::<Vec<_>>()
        })
        .collect();
    let mut chosen: BTreeSet<(usize, usize)> = BTreeSet::new();
    while chosen.len() < 3.min(spots.len()) {
        chosen.insert(*d.pick(&spots));
    }
    let text = |lines: &[Vec<String>]| {
        let body: Vec<String> = lines.iter().map(|w| w.join(" ").replace(" ,", ",")).collect();
        format!("rig \"law\" profile {}\n{}\n", s.profile.word(), body.join("\n"))
    };
    let asked: Vec<((usize, usize), [String; 3])> =
        chosen.iter().map(|&(l, w)| ((l, w), answers(&lines[l][w], na).expect("answers"))).collect();
    let whole = lines.clone();
    for &(l, w) in &chosen {
        lines[l][w] = if lines[l][w].starts_with("3x") { "3x?".into() } else { "?".into() };
    }
    let answer = |n: usize| {
        let mut answered = whole.clone();
        for (k, ((l, w), list)) in asked.iter().enumerate() {
            answered[*l][*w] = list[n / 3usize.pow(k as u32) % 3].clone();
        }
        text(&answered)
    };
    HalfSeen { text: text(&lines), answered: (0..27).map(answer).collect() }
}

#[test]
fn what_is_predicted_holds_whatever_the_answers_are() {
    let (mut rigs, mut values) = (0, 0);
    for seed in 0..120 {
        let profile = sketch(seed).profile;
        let half = half_seen(seed);
        let tests = plan(&audit(&parse(&half.text).expect("parses"), profile));
        rigs += 1;
        // The corners of three values and their middle.
        for n in [0, 2, 6, 8, 13, 18, 20, 24, 26] {
            let full = audit(&parse(&half.answered[n]).expect("parses"), profile);
            let world = World::new(&full, &[]);
            // What a charger holds at last is its label's; in bulk it follows its bank, and that is judged as not settled.
            for t in tests.iter().filter(|t| t.id.kind != TestKind::ChargeVolts) {
                let (Some(probe), Some(predicted)) = (&t.probe, &t.predicted) else { continue };
                let Some(v) = world.read(probe) else { continue };
                values += 1;
                assert!(
                    predicted.holds(v),
                    "rig {seed}: {} predicts {} to {}, and {v} is read\n{}\n{}",
                    t.id,
                    predicted.low,
                    predicted.high,
                    half.text,
                    half.answered[n]
                );
            }
        }
    }
    println!("{rigs} half-seen rigs, {values} values, each as predicted");
}

#[test]
fn whatever_the_answers_are_nothing_is_missed_and_what_is_certain_stands() {
    let (mut rigs, mut corners, mut open, mut certain) = (0, 0, 0, 0);
    for seed in 0..300 {
        let s = sketch(seed);
        let half = half_seen(seed);
        let half_seen = &half.text;
        let rig = parse(half_seen).unwrap_or_else(|e| panic!("rig {seed}: {e:?}\n{half_seen}"));
        let judged = audit(&rig, s.profile);
        let reported: BTreeSet<String> = judged.findings.iter().map(|f| f.key()).collect();
        let named = conductors(&judged.findings);
        let sure: BTreeSet<String> =
            judged.findings.iter().filter(|f| f.certainty == Certainty::Certain).map(|f| f.key()).collect();
        rigs += 1;
        open += reported.len() - sure.len();
        certain += sure.len();
        for full in &half.answered {
            let answer = audit(&parse(full).expect("parses"), s.profile).findings;
            let here: BTreeSet<String> = answer.iter().map(Finding::key).collect();
            corners += 1;
            // A conductor may stand under another whose device cures both, and which of them heads the finding hangs on
            // the answers: named it has to be.
            let missed: Vec<String> = answer
                .iter()
                .filter(|f| !reported.contains(&f.key()))
                .filter(|f| !OVERCURRENT.contains(&f.rule.slug) || !f.wires.iter().all(|w| named.contains(w)))
                .map(Finding::key)
                .collect();
            assert!(
                missed.is_empty(),
                "rig {seed}: {missed:?} is found and was not reported\nhalf seen:\n{half_seen}\nanswered:\n{full}"
            );
            let named_here = conductors(&answer);
            let wrong: Vec<String> = judged
                .findings
                .iter()
                .filter(|f| sure.contains(&f.key()) && !here.contains(&f.key()))
                .filter(|f| !OVERCURRENT.contains(&f.rule.slug) || !f.wires.iter().all(|w| named_here.contains(w)))
                .map(Finding::key)
                .collect();
            assert!(
                wrong.is_empty(),
                "rig {seed}: {wrong:?} was certain and is not there\nhalf seen:\n{half_seen}\nanswered:\n{full}"
            );
        }
    }
    println!("{rigs} half-seen rigs, {corners} corners: {certain} certain and {open} possible findings");
}
