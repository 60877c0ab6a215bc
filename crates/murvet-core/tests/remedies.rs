//! The repairs of the demo rig: each closes its own finding and nothing else appears.

use murvet_core::audit::audit;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::ProfileId;
use murvet_core::remedies::trials;
use murvet_core::rules::{Hazard, Severity};

#[test]
fn each_hazard_of_the_demo_rig_has_two_repairs_and_its_own_closes_it_alone() {
    let rig = parse(include_str!("../../murvet/demo/heron.rig")).expect("the demo rig parses");
    let before = audit(&rig, ProfileId::NaRv);
    let wanted = [
        ("overcurrent-missing", Hazard::Overcurrent, "Fit a fuse"),
        ("bond-away", Hazard::Bonding, "Remove the link"),
        ("ac-backfeed", Hazard::Backfeed, "Fit a two-pole manual transfer"),
        ("charger-loop", Hazard::ChargerLoop, "ahead of the transfer"),
        ("cable-ampacity", Hazard::Cable, "by 10AWG"),
    ];
    let pressing = before.findings.iter().filter(|f| f.severity > Severity::Advice);
    assert_eq!(pressing.count(), wanted.len(), "the demo rig has each hazard once and nothing else above advice");
    for (slug, hazard, repair) in wanted {
        let finding = before.findings.iter().find(|f| f.meta == slug).expect(slug);
        assert_eq!(finding.rule().hazard, hazard);
        let list = trials(&rig, &before, finding);
        for t in &list {
            println!("{slug}: {} accepted={} {} closes {:?}", t.candidate.title, t.accepted, t.reason, t.closes);
        }
        assert!(list.len() >= 2, "{slug} has at least two candidates");
        let trial = list.iter().find(|t| t.candidate.title.contains(repair)).expect(repair);
        assert!(trial.accepted, "{slug}: {}", trial.reason);
        assert_eq!(trial.closes, [finding.key()], "{slug} closes its own finding only");
        assert!(trial.opens.is_empty(), "{slug} opens nothing");
        let after = trial.rig.as_ref().expect("a repaired rig");
        assert_eq!(parse(&print(after)).as_ref(), Ok(after), "a repaired rig can be written and read");
    }
}

/// Rigs with one or two faults each, for every profile.
fn faulty() -> Vec<(&'static str, ProfileId)> {
    vec![
        // A bank without a main device and a tap without its own.
        (
            "battery b: lifepo4 12.8V 100Ah\nbus p\nbus n\nchassis c\nrun b.+ : 1.5m 25mm2, isolator S 150A, 0.2m 25mm2, p\nrun b.- : 0.3m 25mm2, n\nrun n : 0.3m 16mm2, c\ndc-load h: 20A\nrun p : 2m 4mm2, h.+\nrun n : 2m 4mm2, h.-\n",
            ProfileId::EuUk,
        ),
        // A fuse too large for its cable, and a load too large for it.
        (
            "battery b: agm 12V 100Ah\nisolator S: 100A\nbus p\nbus n\nrun b.+ : 0.2m 16mm2, fuse F 80A bolt-down, 0.2m 16mm2, S, 0.2m 16mm2, p\nrun b.- : 0.3m 16mm2, n\ndc-load h: 30A\nrun p : 0.2m 6mm2, fuse G 60A bolt-down, 3m 2.5mm2, h.+\nrun n : 3m 6mm2, h.-\n",
            ProfileId::AuNz,
        ),
        // A floating inverter for two outlets, and a pump at the end of a long thin run.
        (
            "battery b: agm 12V 200Ah\nisolator S: 250A\nbus p\nbus n\nrun b.+ : 0.3m 2/0AWG, fuse F 200A class-t, 0.3m 2/0AWG, S, 0.2m 2/0AWG, p\nrun b.- : 0.5m 2/0AWG, n\ninverter i: 1000W dc 12V ac 120V bond-none isolated\nrun p : 0.3m 2/0AWG, fuse G 150A class-t, 0.5m 2/0AWG, i.dc+\nrun n : 0.8m 2/0AWG, i.dc-\noutlet o\noutlet q\ncable W 3x14AWG 1m i -> o\ncable V 3x14AWG 1m o -> q\ndc-load pump: 10A\nrun p : 0.2m 14AWG, fuse H 15A, 9m 14AWG, pump.+\nrun n : 9m 14AWG, pump.-\n",
            ProfileId::NaRv,
        ),
        // A lost earth, a link in the panel, a controller below its array, a charger set too high.
        (
            "inlet s: 230V 16A\nchassis c\nconsumer-unit u: main 16A rcd 30mA jumper, way a 16A\nsocket o\ncable W 3x2.5mm2 1m s -> u.main\ncable V 3x2.5mm2 2m u.a -> o (PE>-)\nrun u.PE : 1m 6mm2, c\narray pv: isc 8A voc 95V coldest -10C\ncontroller m: 30A 100V\nrun pv.+ : 4m 6mm2, isolator S 20A, 0.5m 6mm2, m.pv+\nrun pv.- : 4m 6mm2, m.pv-\n",
            ProfileId::EuUk,
        ),
        (include_str!("../../murvet/demo/heron.rig"), ProfileId::NaRv),
        (include_str!("../../murvet/demo/currawong.rig"), ProfileId::AuNz),
    ]
}

#[test]
fn an_accepted_repair_holds_what_it_promises() {
    let (mut findings, mut accepted) = (0, 0);
    for (text, profile) in faulty() {
        let rig = parse(text).unwrap_or_else(|e| panic!("{e:?}\n{text}"));
        let before = audit(&rig, profile);
        assert!(before.findings.iter().any(|f| f.severity > Severity::Advice), "{text}");
        for finding in before.findings.iter().filter(|f| f.severity > Severity::Advice) {
            findings += 1;
            for trial in trials(&rig, &before, finding) {
                // A candidate is never tried on the rig itself, and says why it is rejected.
                assert!(!trial.candidate.title.is_empty() && trial.candidate.minutes > 0);
                if !trial.accepted {
                    assert!(trial.reason.starts_with("It "), "{}", trial.reason);
                    continue;
                }
                accepted += 1;
                // Written down and read again, the repaired rig is audited as the trial was.
                let repaired = trial.rig.as_ref().expect("an accepted repair has a rig");
                let again = parse(&print(repaired)).unwrap_or_else(|e| panic!("{}: {e:?}", trial.candidate.title));
                let after = audit(&again, profile);
                let keys: Vec<String> = after.findings.iter().map(|f| f.key()).collect();
                assert!(!keys.contains(&finding.key()), "{}: {} is still there", trial.candidate.title, finding.key());
                assert!(trial.closes.iter().all(|k| !keys.contains(k)), "{}", trial.candidate.title);
                let worse = |f: &&murvet_core::rules::Finding| {
                    let old = before.findings.iter().find(|b| b.key() == f.key());
                    f.severity >= Severity::Soon && old.is_none_or(|b| f.severity > b.severity)
                };
                assert!(!after.findings.iter().any(|f| worse(&f)), "{}: {keys:?}", trial.candidate.title);
            }
        }
    }
    println!("{findings} findings, {accepted} repairs accepted");
    assert!(findings >= 14 && accepted >= findings, "{findings} findings, {accepted} repairs");
}

#[test]
fn put_right_one_by_one_a_rig_comes_clean() {
    for (text, profile) in faulty() {
        let mut rig = parse(text).expect("parses");
        for step in 0..12 {
            let now = audit(&rig, profile);
            let Some(worst) = now.findings.iter().find(|f| f.severity > Severity::Advice) else { break };
            assert!(step < 11, "{:?} are left\n{text}", now.findings.iter().map(|f| f.key()).collect::<Vec<_>>());
            let next = trials(&rig, &now, worst).into_iter().find(|t| t.accepted).and_then(|t| t.rig);
            rig = next.unwrap_or_else(|| panic!("no repair is accepted for {}\n{text}", worst.key()));
        }
    }
}
