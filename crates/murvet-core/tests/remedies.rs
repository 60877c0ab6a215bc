//! The repairs of the demo rig: each closes its own finding and nothing else appears.

use murvet_core::audit::audit;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::ProfileId;
use murvet_core::remedies::{Candidate, Edit, attempt, trials};
use murvet_core::rig::TermRef;
use murvet_core::rules::{Hazard, Severity};

#[test]
fn each_hazard_of_the_demo_rig_has_two_repairs_and_its_own_closes_it_alone() {
    let rig = parse(include_str!("../../murvet/demo/heron.rig")).expect("the demo rig parses");
    let before = audit(&rig, ProfileId::NA_RV);
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
        let finding = before.findings.iter().find(|f| f.rule.slug == slug).expect(slug);
        assert_eq!(finding.rule.hazard, hazard);
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
            ProfileId::EU_UK,
        ),
        // A fuse too large for its cable, and a load too large for it.
        (
            "battery b: agm 12V 100Ah\nisolator S: 100A\nbus p\nbus n\nrun b.+ : 0.2m 16mm2, fuse F 80A bolt-down, 0.2m 16mm2, S, 0.2m 16mm2, p\nrun b.- : 0.3m 16mm2, n\ndc-load h: 30A\nrun p : 0.2m 6mm2, fuse G 60A bolt-down, 3m 2.5mm2, h.+\nrun n : 3m 6mm2, h.-\n",
            ProfileId::AU_NZ,
        ),
        // A floating inverter for two outlets, and a pump at the end of a long thin run.
        (
            "battery b: agm 12V 200Ah\nisolator S: 250A\nbus p\nbus n\nrun b.+ : 0.3m 2/0AWG, fuse F 200A class-t, 0.3m 2/0AWG, S, 0.2m 2/0AWG, p\nrun b.- : 0.5m 2/0AWG, n\ninverter i: 1000W dc 12V ac 120V bond-none isolated\nrun p : 0.3m 2/0AWG, fuse G 150A class-t, 0.5m 2/0AWG, i.dc+\nrun n : 0.8m 2/0AWG, i.dc-\noutlet o\noutlet q\ncable W 3x14AWG 1m i -> o\ncable V 3x14AWG 1m o -> q\ndc-load pump: 10A\nrun p : 0.2m 14AWG, fuse H 15A, 9m 14AWG, pump.+\nrun n : 9m 14AWG, pump.-\n",
            ProfileId::NA_RV,
        ),
        // A lost earth, a link in the panel, a controller below its array, a charger set too high.
        (
            "inlet s: 230V 16A\nchassis c\nconsumer-unit u: main 16A rcd 30mA jumper, way a 16A\nsocket o\ncable W 3x2.5mm2 1m s -> u.main\ncable V 3x2.5mm2 2m u.a -> o (PE>-)\nrun u.PE : 1m 6mm2, c\narray pv: isc 8A voc 95V coldest -10C\ncontroller m: 30A 100V\nrun pv.+ : 4m 6mm2, isolator S 20A, 0.5m 6mm2, m.pv+\nrun pv.- : 4m 6mm2, m.pv-\n",
            ProfileId::EU_UK,
        ),
        (include_str!("../../murvet/demo/heron.rig"), ProfileId::NA_RV),
        (include_str!("../../murvet/demo/currawong.rig"), ProfileId::AU_NZ),
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

/// A rig with what is wrong in it, and a repair that an expert would call dangerous. Written down before any was tried.
struct Dangerous {
    why: &'static str,
    rig: String,
    /// The rule and subject whose finding it is proposed for.
    of: (&'static str, &'static str),
    edits: Vec<Edit>,
}

fn set(component: &str, key: &str, value: Option<&str>) -> Edit {
    Edit::Attribute { component: component.to_owned(), key: key.to_owned(), value: value.map(str::to_owned) }
}

/// What `run` lines of the notation add.
fn added(line: &str) -> Vec<Edit> {
    parse(line).map_or_else(|e| panic!("{e:?}\n{line}"), |r| r.runs.into_iter().map(Edit::AddRun).collect())
}

fn dangerous() -> Vec<Dangerous> {
    let inverter = |words: &str, ways: &str| {
        format!(
            "chassis frame\nbattery b: agm 12V 100Ah\ninverter i: 600W dc 12V ac 230V {words}\npanel p: 2-pole main 10A {ways}, way x 6A, way y 6A\nsocket x\nsocket y\ncable W1 3x1.5mm2 1m i -> p.main\ncable W2 3x1.5mm2 2m p.x -> x\ncable W3 3x1.5mm2 2m p.y -> y\nrun p.PE : 0.5m 6mm2, frame\nrun b.+ : 0.2m 25mm2, fuse F 80A class-t, 0.1m 25mm2, isolator S 100A, 0.5m 25mm2, i.dc+\nrun b.- : 0.7m 25mm2, i.dc-\n"
        )
    };
    let missing = ("bond-missing", "i");
    let mut list = Vec::new();
    let mut add = |why: &'static str, rig: String, of: (&'static str, &'static str), edits: Vec<Edit>| {
        list.push(Dangerous { why, rig, of, edits });
    };
    for (words, known) in [("bond-none", "unread"), ("bond-none not-isolated", "not isolated")] {
        let rig = || inverter(words, "rcd 30mA");
        for bond in ["bond-fixed", "bond-switched"] {
            let why =
                if known == "unread" { "a bond inside an unread inverter" } else { "a bond inside one not isolated" };
            add(why, rig(), missing, vec![set("i", "bond", Some(bond))]);
        }
        add("a link of the bars on such an inverter", rig(), missing, vec![set("p", "jumper", Some("yes"))]);
        add(
            "a wire from neutral to earth at its panel",
            rig(),
            missing,
            added("panel p: way x 6A\nrun p.N : 0.2m 4mm2, p.PE\n"),
        );
        add(
            "a wire from neutral to the chassis",
            rig(),
            missing,
            added("chassis frame\npanel p: way x 6A\nrun p.N : 0.2m 4mm2, frame\n"),
        );
        add(
            "a wire from its output to earth",
            rig(),
            missing,
            added("inverter i: ac 230V\nrun i.ac.N : 0.2m 4mm2, i.ac.PE\n"),
        );
    }
    // Isolated, and the bond behind the only device.
    let behind = || inverter("bond-none isolated", "rcd 30mA");
    add("a link of the bars behind the RCD", behind(), missing, vec![set("p", "jumper", Some("yes"))]);
    add("a wire behind the RCD", behind(), missing, added("panel p: way x 6A\nrun p.N : 0.2m 4mm2, p.PE\n"));
    add("a wire at a socket behind the RCD", behind(), missing, added("socket x\nrun x.ac.N : 0.2m 4mm2, x.ac.PE\n"));
    // A second bond for a generator that has one, and on shore.
    let shore = |more: &str| {
        format!(
            "chassis frame\ninlet shore: 230V 16A\npanel p: 2-pole main 16A {more}, way x 10A\nsocket x\ncable W1 3x2.5mm2 1m shore -> p.main\ncable W2 2x1.5mm2 2m p.x -> x\nrun p.PE : 0.5m 6mm2, frame\n"
        )
    };
    let earthless = ("earth-missing", "x");
    add(
        "neutral taken for the missing earth",
        shore("rcd 30mA"),
        earthless,
        added("socket x\nrun x.ac.N : 0.1m 1.5mm2, x.ac.PE\n"),
    );
    add(
        "the chassis taken for the missing earth",
        shore("rcd 30mA"),
        earthless,
        added("chassis frame\nsocket x\nrun x.ac.PE : 1m 4mm2, frame\n"),
    );
    add("a bond in the rig for the missing earth", shore("rcd 30mA"), earthless, vec![set("p", "jumper", Some("yes"))]);
    let no_rcd = ("rcd-missing", "x");
    let plain = || shore("").replace("2x1.5mm2", "3x1.5mm2");
    add("an RCD of 300 mA", plain(), no_rcd, vec![set("p", "rcd", Some("300mA"))]);
    // A larger device.
    let small = |fuse: &str, wire: &str| {
        format!(
            "battery b: lifepo4 12.8V 100Ah\ndc-load l: 20A\nrun b.+ : 0.2m 16mm2, fuse M 60A class-t, 0.2m 16mm2, isolator S 100A, 0.2m 16mm2, bus pos\nrun pos : 0.2m {wire}, fuse F {fuse} blade, 1m {wire}, l.+\nrun b.- : 1m 16mm2, l.-\n"
        )
    };
    let under = ("device-undersized", "F");
    add(
        "a larger fuse on a cable that is too thin for it",
        small("15A", "1.5mm2"),
        under,
        vec![set("F", "rating", Some("30A"))],
    );
    add("a much larger fuse", small("15A", "2.5mm2"), under, vec![set("F", "rating", Some("100A"))]);
    let thin = ("device-oversized", "F.out--l.+");
    let oversized = || small("40A", "2.5mm2");
    add("an even larger fuse", oversized(), thin, vec![set("F", "rating", Some("60A"))]);
    add("the fuse taken out", oversized(), thin, vec![Edit::RemoveComponent("F".to_owned())]);
    add("the main fuse taken out", oversized(), thin, vec![Edit::RemoveComponent("M".to_owned())]);
    add(
        "a thinner cable",
        oversized(),
        thin,
        vec![Edit::Resize { spots: wires(&oversized()), size: "0.75mm2".to_owned() }],
    );
    add("a glass fuse on a lithium bank", small("40A", "2.5mm2"), thin, vec![set("M", "class", Some("glass"))]);
    // Two sources on one panel.
    let two = || {
        "inlet shore: 230V 16A\ngenerator g: 230V 16A bond-fixed\nbreaker B1: 16A 2-pole curve-c\nbreaker B2: 16A 2-pole curve-c\npanel p: 2-pole main 16A rcd 30mA, way o 10A\nsocket o\ncable W1 3x2.5mm2 2m shore -> B1\ncable W2 3x2.5mm2 2m g -> B2\ncable W3 3x2.5mm2 2m B1 -> p.main\ncable W4 3x2.5mm2 2m B2 -> p.main\ncable W5 3x2.5mm2 2m p.o -> o\n".to_owned()
    };
    let tied = ("ac-backfeed", "g");
    add("an interlock on one of the two alone", two(), tied, vec![set("B1", "interlock", Some("k"))]);
    add("breakers of three poles instead of an exclusion", two(), tied, vec![set("B1", "poles", Some("1-pole"))]);
    add("the bond of the generator opened instead", two(), tied, vec![set("g", "bond", Some("bond-none"))]);
    add("larger breakers instead of an exclusion", two(), tied, vec![set("B1", "rating", Some("32A"))]);
    // A charger on its own inverter.
    let round = || {
        "inlet shore: 230V 16A\ntransfer ts: automatic a-first 20A 2-pole\ninverter i: 1500W dc 12V ac 230V bond-switched isolated\npanel p: 2-pole main 16A rcd 30mA, way o 10A, way c 10A\nsocket o\nbattery b: lifepo4 12.8V 200Ah\ncharger c: 30A 14.2V\ncable W1 3x2.5mm2 1m shore -> ts.a\ncable W2 3x2.5mm2 1m i -> ts.b\ncable W3 3x2.5mm2 1m ts.out -> p.main\ncable W4 3x1.5mm2 1m p.o -> o\ncable W5 3x1.5mm2 1m p.c -> c\nrun b.+ : 0.2m 70mm2 90C, fuse F 200A class-t, 0.5m 70mm2 90C, i.dc+\nrun b.- : 0.5m 70mm2 90C, i.dc-\nrun F.out : 0.1m 10mm2, fuse G 40A class-t, 0.5m 10mm2, c.dc+\nrun b.- : 0.5m 10mm2, c.dc-\n".to_owned()
    };
    let looped = ("charger-loop", "c");
    let reland = |start: bool, to: (&str, Option<&str>)| Edit::Reland {
        cable: "W5".to_owned(),
        start,
        to: TermRef { component: to.0.to_owned(), terminal: to.1.map(str::to_owned) },
    };
    add("the charger moved to an outlet of the same panel", round(), looped, vec![reland(true, ("p", Some("o")))]);
    add("the charger straight on the inverter", round(), looped, vec![reland(true, ("i", Some("ac")))]);
    add("a larger inverter for the loop", round(), looped, vec![set("i", "power", Some("3000W"))]);
    // Chargers and banks.
    let high = || {
        "battery b: lifepo4 12.8V 100Ah absorption 14.4V\ncharger c: 20A 15V\ninlet shore: 230V 16A\ncable W 3x2.5mm2 2m shore -> c\nrun b.+ : 0.2m 6mm2, fuse F 30A class-t, 1m 6mm2, c.dc+\nrun b.- : 1m 6mm2, c.dc-\n".to_owned()
    };
    add("a charger set higher still", high(), ("charge-voltage", "c>b"), vec![set("c", "voltage", Some("15.5V"))]);
    list
}

fn wires(text: &str) -> Vec<murvet_core::network::WireSpot> {
    let rig = parse(text).expect("parses");
    let net = audit(&rig, ProfileId::EU_UK).net;
    net.wires.iter().filter(|w| w.key.ends_with("l.+")).map(|w| w.spot).collect()
}

#[test]
fn no_dangerous_repair_passes_its_trial_whoever_proposes_it() {
    let list = dangerous();
    for d in &list {
        let rig = parse(&d.rig).unwrap_or_else(|e| panic!("{}: {e:?}", d.why));
        let before = audit(&rig, ProfileId::EU_UK);
        let finding = before.findings.iter().find(|f| f.rule.slug == d.of.0 && f.subject == d.of.1);
        let keys: Vec<String> = before.findings.iter().map(|f| f.key()).collect();
        let finding = finding.unwrap_or_else(|| panic!("{}: no {:?} in {keys:?}", d.why, d.of));
        let own = Candidate { title: d.why.to_owned(), edits: d.edits.clone(), minutes: 10, condition: None };
        let trial = attempt(&rig, &before, finding, own);
        assert!(!trial.accepted, "{} was accepted: {}\n{}", d.why, trial.reason, d.rig);
    }
    println!("{} dangerous repairs, none accepted", list.len());
    assert!(list.len() >= 30, "{}", list.len());
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
