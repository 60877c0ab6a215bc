//! What is kept between two audits changes no verdict.

use murvet_core::audit::{Audit, audit, audit_again};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::{Rig, Status, Step, Value};
use murvet_core::states::Memory;

/// Everything an audit tells.
fn told(audit: &Audit) -> Vec<String> {
    let findings = audit.findings.iter().map(|f| format!("{f:?}"));
    let states = audit.states.states.iter().map(|s| format!("{:?} {:?} {:?}", s.setting, s.way, s.live.active));
    findings.chain(states).chain(audit.limits.clone()).collect()
}

/// Edits of one place each: conductors of other sizes and lengths, devices of other ratings, components taken out, the size
/// not seen.
fn edits(rig: &Rig) -> Vec<Rig> {
    let mut list = Vec::new();
    let mut push = |change: &dyn Fn(&mut Rig)| {
        let mut copy = rig.clone();
        change(&mut copy);
        copy.normalise();
        if copy != *rig && murvet_core::meaning::check(&copy).is_empty() {
            list.push(copy);
        }
    };
    for (r, run) in rig.runs.iter().enumerate() {
        for (s, step) in run.steps.iter().enumerate() {
            if matches!(step, Step::Conductor(_)) {
                for size in ["0.75mm2", "70mm2", "?"] {
                    push(&|rig| {
                        if let Step::Conductor(c) = &mut rig.runs[r].steps[s] {
                            c.size = if size == "?" { Value::unseen() } else { Value::new(size) };
                        }
                    });
                }
            }
        }
    }
    for p in 0..rig.components.len() {
        push(&|rig| rig.components[p].status = Status::Removed);
        if rig.components[p].attrs.contains_key("rating") {
            push(&|rig| {
                rig.components[p].attrs.insert("rating".to_owned(), Value::new("7A"));
            });
        }
        for word in ["bond-fixed", "bond-none"] {
            if rig.components[p].attrs.contains_key("bond") {
                push(&|rig| {
                    rig.components[p].attrs.insert("bond".to_owned(), Value::new(word));
                });
            }
        }
    }
    list
}

#[test]
fn an_audit_with_a_memory_of_others_tells_the_same() {
    let memory = Memory::default();
    let (mut tried, mut changed) = (0, 0);
    for (text, profile) in [
        (include_str!("../../murvet/demo/heron.rig"), ProfileId::NA_RV),
        (include_str!("../../murvet/demo/currawong.rig"), ProfileId::AU_NZ),
        (include_str!("sound/coach.rig"), ProfileId::NA_RV),
    ] {
        let rig = parse(text).expect("parses");
        let before = told(&audit(&rig, profile));
        let all = edits(&rig);
        for rig in all.iter().step_by(all.len() / 40 + 1) {
            let limits = profile.profile().chosen(&rig.choices);
            let (fresh, again) = (told(&audit(rig, profile)), told(&audit_again(rig, &limits, &memory)));
            assert_eq!(fresh, again, "{}", murvet_core::notation::print(rig));
            tried += 1;
            changed += usize::from(fresh != before);
        }
    }
    assert!(tried >= 80 && changed >= 40, "{changed} of {tried}");
}
