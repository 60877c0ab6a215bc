//! What the tests of rules share.
#![allow(dead_code, reason = "each test binary uses a part of this module")]

use murvet_core::audit::{Audit, audit};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rules::{Certainty, Finding, Severity};

pub fn judge(text: &str, profile: ProfileId) -> Audit {
    match parse(text) {
        Ok(rig) => audit(&rig, profile),
        Err(errors) => panic!("{}\n{text}", errors.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")),
    }
}

/// The findings of the five hazards; advice, and what is judged besides, has tests of its own.
pub fn slugs(audit: &Audit) -> Vec<&str> {
    let pressing = audit.findings.iter().filter(|f| f.severity > Severity::Advice && f.rule.hazard.is_of_five());
    pressing.map(|f| f.rule.slug).collect()
}

/// Both versions of a text in which `{..|..}` marks the broken and the sound reading.
pub fn pair(text: &str) -> (String, String) {
    let (mut broken, mut sound) = (String::new(), String::new());
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('{') {
        let (choice, tail) = after.split_once('}').expect("closed");
        let (bad, good) = choice.split_once('|').expect("two readings");
        broken.push_str(before);
        broken.push_str(bad);
        sound.push_str(before);
        sound.push_str(good);
        rest = tail;
    }
    broken.push_str(rest);
    sound.push_str(rest);
    (broken, sound)
}

#[track_caller]
pub fn breaks(profile: ProfileId, slug: &str, subject: &str, text: &str) -> Audit {
    let (broken, sound) = pair(text);
    let found = judge(&broken, profile);
    assert_eq!(slugs(&found), [slug], "the broken rig has this finding alone\n{broken}");
    let first = found.findings.iter().find(|f| f.rule.slug == slug).expect(slug);
    assert_eq!(first.subject, subject);
    assert_eq!(first.certainty, Certainty::Certain);
    assert!(first.evidence.len() >= 2, "the evidence can be followed");
    let silent = judge(&sound, profile);
    assert_eq!(slugs(&silent), [""; 0], "the nearest rig without it is silent\n{sound}");
    found
}

/// The broken version has the finding, with this certainty; the sound one has it not.
#[track_caller]
pub fn tells(profile: ProfileId, slug: &str, subject: &str, certainty: Certainty, text: &str) -> Finding {
    let (broken, sound) = pair(text);
    let list = judge(&broken, profile).findings;
    let keys: Vec<String> = list.iter().map(Finding::key).collect();
    let f = list
        .iter()
        .find(|f| f.rule.slug == slug && f.subject == subject)
        .unwrap_or_else(|| panic!("no {slug} of {subject} in {keys:?}\n{broken}"));
    assert_eq!(f.certainty, certainty, "{}", f.statement);
    let silent = judge(&sound, profile).findings;
    assert!(!silent.iter().any(|f| f.rule.slug == slug && f.subject == subject), "{slug} of {subject}\n{sound}");
    f.clone()
}

/// What each test of a plan says of a rig, by its probe or by its parts: its name, the outcome, and whether it is as
/// predicted. What fails already may still fail otherwise.
pub fn outcomes(
    tests: &[murvet_core::readings::Test],
    world: &murvet_core::measure::World,
) -> Vec<(String, murvet_core::readings::Outcome, bool)> {
    let one = |t: &murvet_core::readings::Test| {
        let value = match (&t.probe, &t.parts) {
            (Some(probe), _) => world.read(probe)?,
            (None, Some(parts)) => {
                let each: Option<Vec<f64>> = parts.list.iter().map(|p| world.read(&p.probe)).collect();
                parts.value(&each?)?
            }
            _ => return None,
        };
        let predicted = t.predicted.as_ref().is_none_or(|p| p.holds(value));
        Some((t.id.to_string(), murvet_core::readings::judge(t, value).outcome, predicted))
    };
    tests.iter().filter_map(one).collect()
}

/// How warm a hidden joint gets with these appliances on, C; nothing for another fault.
pub fn joint_c(audit: &Audit, fault: &murvet_core::measure::Fault, on: Vec<String>) -> Option<f64> {
    use murvet_core::measure::{Fault, Function, Probe, TestSetup, World};
    use murvet_core::network::EdgeKind;
    let Fault::Joint { wire, .. } = fault else { return None };
    let (net, world) = (&audit.net, World::new(audit, std::slice::from_ref(fault)));
    let index = net.wires.iter().position(|w| w.key == *wire)?;
    let name = &net.nodes[net.edges.iter().find(|e| e.what == EdgeKind::Wire(index))?.a].name;
    world.read(&Probe::between(Function::Celsius, name, name, TestSetup { on, dark: true, ..TestSetup::default() }))
}
