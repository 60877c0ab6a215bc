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
