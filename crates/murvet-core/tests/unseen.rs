//! What nobody has seen: a sound rig in which one value is unseen is never called faulty for certain, and what
//! could be wrong is listed with the value to look at.

mod common;

use common::judge;
use murvet_core::audit::audit;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::{Rig, Step, Value};
use murvet_core::rules::{Certainty, Finding, Severity};

const RIGS: [(&str, ProfileId); 4] = [
    (include_str!("sound/van.rig"), ProfileId::EU_UK),
    (include_str!("sound/trailer.rig"), ProfileId::NA_RV),
    (include_str!("sound/caravan.rig"), ProfileId::AU_NZ),
    (include_str!("sound/coach.rig"), ProfileId::NA_RV),
];

/// Every rig that is this one with one value unseen, with what it is.
fn blanked(rig: &Rig) -> Vec<(String, String, Rig)> {
    let mut list = Vec::new();
    let mut with = |subject: String, key: &str, change: &dyn Fn(&mut Rig)| {
        let mut copy = rig.clone();
        change(&mut copy);
        list.push((subject, key.to_owned(), copy));
    };
    for (i, p) in rig.components.iter().enumerate() {
        for (key, value) in &p.attrs {
            // Flags and names are there or not; they have no unseen form.
            if value.text == "yes" || ["on", "interlock"].contains(&key.as_str()) {
                continue;
            }
            with(p.id.clone(), key, &|r| {
                r.components[i].attrs.insert(key.clone(), Value::unseen());
            });
        }
        for w in 0..p.ways.len() {
            with(format!("{}.{}", p.id, p.ways[w].id), "rating", &|r| r.components[i].ways[w].rating = Value::unseen());
        }
    }
    for (i, run) in rig.runs.iter().enumerate() {
        for (s, step) in run.steps.iter().enumerate() {
            if let Step::Conductor(_) = step {
                with(format!("run from {}", run.from), "size", &|r| {
                    if let Step::Conductor(c) = &mut r.runs[i].steps[s] {
                        c.size = Value::unseen();
                    }
                });
                with(format!("run from {}", run.from), "length", &|r| {
                    if let Step::Conductor(c) = &mut r.runs[i].steps[s] {
                        c.length = Value::unseen();
                    }
                });
            }
        }
    }
    for (i, cable) in rig.cables.iter().enumerate() {
        with(format!("cable {}", cable.id), "size", &|r| r.cables[i].size = Value::unseen());
        with(format!("cable {}", cable.id), "length", &|r| r.cables[i].length = Value::unseen());
    }
    list
}

#[test]
fn one_unseen_value_of_a_sound_rig_gives_possible_findings_only() {
    let (mut tried, mut possible) = (0, 0);
    for (text, profile) in RIGS {
        let sound = parse(text).expect("parses");
        for (subject, key, rig) in blanked(&sound) {
            let problems = murvet_core::meaning::check(&rig);
            assert!(problems.is_empty(), "unseen is never an error: {problems:?}");
            tried += 1;
            let audit = audit(&rig, profile);
            let above: Vec<&Finding> = audit.findings.iter().filter(|f| f.severity > Severity::Advice).collect();
            for f in &above {
                assert_eq!(f.certainty, Certainty::Possible, "{subject} {key}: {}", f.statement);
                assert!(
                    f.evidence.iter().any(|e| ["Possible", "not stated", "usual"].iter().any(|w| e.contains(w))),
                    "{f:?}"
                );
            }
            possible += usize::from(!above.is_empty());
            let listed = audit.look_next.iter().any(|l| l.unseen.subject.starts_with(&subject) && l.unseen.key == key);
            assert!(listed, "{subject} {key} is on the list of what to look at: {:?}", audit.look_next);
        }
    }
    println!("{tried} values unseen, {possible} of them leave something open");
    assert!(tried >= 250 && possible >= 60, "{tried}, {possible}");
}

#[test]
fn both_bounds_are_tried_and_what_hangs_on_most_comes_first() {
    // A fuse whose rating nobody read: the cable after it may be too thin, until it is read.
    let rig = |rating: &str| {
        format!(
            "battery b: agm 12V 100Ah\nisolator S: 100A\nrun b.+ : 0.2m 16mm2, fuse F {rating} bolt-down, 0.3m 16mm2, S, 1m 6mm2, load.+\nrun b.- : 1m 6mm2, load.-\ndc-load load: 20A\n"
        )
    };
    let certainty = |rating: &str| -> Vec<(&'static str, Certainty)> {
        let audit = judge(&rig(rating), ProfileId::EU_UK);
        let pressing = audit.findings.iter().filter(|f| f.severity > Severity::Advice && f.rule.hazard.is_of_five());
        pressing.map(|f| (f.rule.slug, f.certainty)).collect()
    };
    assert_eq!(certainty("40A"), []);
    // The conductor to the load and the one back.
    assert_eq!(certainty("80A"), [("device-oversized", Certainty::Certain); 2]);
    assert!(certainty("?").iter().all(|(_, c)| *c == Certainty::Possible) && !certainty("?").is_empty());
    // Something missing is missing whatever else was not seen.
    let bare = judge("battery b: ?\ndc-load l: ?\nrun b.+ : ? ?, l.+\nrun b.- : ? ?, l.-\n", ProfileId::NA_RV);
    let missing = bare.findings.iter().find(|f| f.rule.slug == "overcurrent-missing").expect("found");
    assert_eq!((missing.certainty, missing.severity), (Certainty::Certain, Severity::KeepOff));
    // The bond of the inverter decides two findings, the size of a load's cable at the most one.
    let open = judge(
        "battery b: lifepo4 12.8V 200Ah\nisolator S: 250A\nrun b.+ : 0.2m 2/0AWG, fuse F 250A class-t, 0.3m 2/0AWG, S, 0.3m 2/0AWG, i.dc+\nrun b.- : 0.7m 2/0AWG, i.dc-\n\
         inverter i: 1800W dc 12V ac 120V bond ? isolated\ninlet s: 120V 30A\ntransfer T: manual 1-pole 30A\npanel P: main 30A, way A 15A, way B 15A\noutlet o\noutlet q\n\
         cable W1 3x10AWG 1m s -> T.a\ncable W2 3x10AWG 1m i -> T.b\ncable W3 3x10AWG 1m T -> P.main\ncable W4 3x14AWG ? P.A -> o\ncable W5 3x14AWG 2m P.B -> q\n",
        ProfileId::NA_RV,
    );
    assert_eq!((open.look_next[0].unseen.subject.as_str(), open.look_next[0].unseen.key.as_str()), ("i", "bond"));
    assert!(open.look_next[0].findings > open.look_next.last().map_or(0, |l| l.findings));
    assert!(open.limits.iter().any(|l| l.contains("were not seen")), "{:?}", open.limits);
}
