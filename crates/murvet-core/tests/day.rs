//! The plan of the day: never worth less than what brute force finds, never without the hours, hands and parts, never with the rig worse at
//! any moment. The judge tries every subset, every worker and every order.

mod common;

use murvet_core::audit::{audit, audit_by};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::Rig;
use murvet_core::rules::Severity;
use murvet_core::work::day::{Day, Hands, Planned, Task, Why, WorkKind, plan, read, tasks, weight};
use std::collections::{BTreeMap, BTreeSet};

struct Dice(u64);

impl Dice {
    fn below(&mut self, n: u32) -> u32 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) % u64::from(n)) as u32
    }
}

const KINDS: [WorkKind; 3] = [WorkKind::ExtraLow, WorkKind::MainsFixed, WorkKind::MainsPlugged];

/// Tasks that change nothing on a rig, so that the choice alone is tried.
fn some(dice: &mut Dice, count: u32, people: u32) -> (Vec<Task>, Day) {
    let mut list: Vec<Task> = Vec::new();
    let mut danger = BTreeMap::new();
    for f in 0..6 {
        danger.insert(format!("f{f}"), [1000, 100, 10, 1][dice.below(4) as usize]);
    }
    for i in 0..count {
        let mut t = Task::new(format!("task {i}"), 10 + 5 * dice.below(12));
        t.hands = if people > 1 && dice.below(6) == 0 { 2 } else { 1 };
        t.kinds.insert(KINDS[dice.below(3) as usize]);
        t.keeps = dice.below(4) > 0;
        if dice.below(3) == 0 {
            t.places.insert(["box", "bay"][dice.below(2) as usize].to_owned());
        }
        if dice.below(3) == 0 {
            t.isolate.insert(["bat", "shore", "pv"][dice.below(3) as usize].to_owned());
        }
        if dice.below(4) == 0 {
            t.parts.insert("fuse".to_owned(), 1 + dice.below(2));
        }
        t.wait = if dice.below(4) == 0 { 20 + 10 * dice.below(3) } else { 0 };
        if i > 0 && dice.below(5) == 0 {
            t.after.insert(dice.below(i) as usize);
        }
        for _ in 0..1 + dice.below(2) {
            t.closes.insert(format!("f{}", dice.below(6)));
        }
        t.worth = if dice.below(3) == 0 { dice.below(20) } else { 0 };
        t.instead = (dice.below(4) == 0).then(|| format!("way {}", dice.below(2)));
        list.push(t);
    }
    let people = (0..people)
        .map(|n| {
            let mut may: BTreeSet<WorkKind> = KINDS.into_iter().filter(|_| dice.below(3) > 0).collect();
            may.insert(KINDS[n as usize % 3]);
            Hands { name: format!("hand {n}"), may }
        })
        .collect();
    let day = Day {
        pace: BTreeMap::new(),
        minutes: 60 + 10 * dice.below(12),
        people,
        parts: BTreeMap::from([("fuse".to_owned(), 1 + dice.below(4))]),
        opening: BTreeMap::from([("box".to_owned(), 10)]),
        isolating: BTreeMap::new(),
        danger,
    };
    (list, day)
}

/// Whether one person's list fits in some order: each order is tried, with what comes before, and every wait.
fn fits(own: &[usize], done: &BTreeSet<usize>, clock: u32, tasks: &[Task], day: &Day) -> bool {
    if clock > day.minutes {
        return false;
    }
    if own.is_empty() {
        return true;
    }
    own.iter().any(|i| {
        let t = &tasks[*i];
        let end = clock + t.minutes;
        if end + t.wait > day.minutes || !t.after.is_subset(done) {
            return false;
        }
        let rest: Vec<usize> = own.iter().copied().filter(|o| o != i).collect();
        let mut done = done.clone();
        done.insert(*i);
        fits(&rest, &done, end, tasks, day)
    })
}

/// The greatest worth by trying everything: for each task nobody, a person, or all together; for each place who opens it.
fn brute(tasks: &[Task], day: &Day) -> u32 {
    let people = day.people.len();
    let choices = people + if people > 1 { 2 } else { 1 };
    let mut best = 0;
    let mut by = vec![0usize; tasks.len()];
    loop {
        // 0 is nobody, 1.. a person, the last all together.
        let chosen: Vec<usize> = (0..tasks.len()).filter(|i| by[*i] > 0).collect();
        let worth = day.worth(chosen.iter().map(|i| &tasks[*i]));
        if worth > best && allowed(tasks, day, &by, &chosen) && timed(tasks, day, &by, &chosen) {
            best = worth;
        }
        let Some(next) = by.iter().position(|b| b + 1 < choices) else { return best };
        by[next] += 1;
        by[..next].fill(0);
    }
}

fn allowed(tasks: &[Task], day: &Day, by: &[usize], chosen: &[usize]) -> bool {
    let people = day.people.len();
    let may = |i: usize| {
        let t = &tasks[i];
        match by[i] {
            w if w <= people => t.hands < 2 && t.kinds.is_subset(&day.people[w - 1].may),
            _ => day.people.iter().any(|h| t.kinds.is_subset(&h.may)),
        }
    };
    let mut ways = BTreeSet::new();
    let once = chosen.iter().all(|i| tasks[*i].instead.as_ref().is_none_or(|w| ways.insert(w.clone())));
    let fuses: u32 = chosen.iter().filter_map(|i| tasks[*i].parts.get("fuse")).sum();
    chosen.iter().all(|i| may(*i)) && once && fuses <= day.parts["fuse"]
}

fn timed(tasks: &[Task], day: &Day, by: &[usize], chosen: &[usize]) -> bool {
    let people = day.people.len();
    let isolate: BTreeSet<&String> = chosen.iter().flat_map(|i| &tasks[*i].isolate).collect();
    let safe: u32 = isolate.iter().map(|s| day.isolates(s)).sum();
    let together: Vec<usize> = chosen.iter().copied().filter(|i| by[*i] > people).collect();
    let places: BTreeSet<&String> = chosen.iter().flat_map(|i| &tasks[*i].places).collect();
    // Each place is opened by one person, or together; only they work in it, but after together everybody may.
    let places: Vec<&String> = places.into_iter().collect();
    let opener = |place: &String| -> Option<usize> {
        let in_it: BTreeSet<usize> =
            chosen.iter().filter(|i| tasks[**i].places.contains(place)).map(|i| by[*i]).collect();
        let first = *in_it.iter().next()?;
        if in_it.len() == 1 { Some(first) } else { in_it.contains(&(people + 1)).then_some(people + 1) }
    };
    // Two people in one place: only where it is opened together, which anybody may choose to do.
    let openings: Vec<usize> = places.iter().map(|p| opener(p).unwrap_or(people + 1)).collect();
    let both =
        |w: usize| -> u32 { places.iter().zip(&openings).filter(|(_, by)| **by == w).map(|(p, _)| day.opens(p)).sum() };
    let start = safe + if people > 1 { both(people + 1) } else { 0 };
    // Together in any order that fits and ends at the same time.
    let common: u32 = together.iter().map(|i| tasks[*i].minutes).sum();
    if !fits(&together, &BTreeSet::new(), start, tasks, day) {
        return false;
    }
    let done: BTreeSet<usize> = together.iter().copied().collect();
    (1..=people).all(|w| {
        let own: Vec<usize> = chosen.iter().copied().filter(|i| by[*i] == w).collect();
        fits(&own, &done, start + common + both(w), tasks, day)
    })
}

fn empty() -> (Rig, murvet_core::audit::Audit) {
    let rig = parse("bus a\n").expect("reads");
    let audit = audit(&rig, ProfileId::EU_UK);
    (rig, audit)
}

#[test]
fn no_plan_of_a_small_day_is_worth_more() {
    let (rig, audit) = empty();
    let mut dice = Dice(41);
    let (mut plans, mut full, mut two) = (0, 0, 0);
    for case in 0..200 {
        // One person has up to nine tasks, two have up to six: what brute force can try.
        let people = if case % 3 == 2 { 2 } else { 1 };
        let count = if people == 1 { 4 + dice.below(6) } else { 3 + dice.below(4) };
        let (list, day) = some(&mut dice, count, people);
        let planned = plan(&rig, &audit, &list, &day).expect("a plan");
        assert!(planned.bound.is_none(), "{case}: exact");
        let best = brute(&list, &day);
        assert_eq!(planned.worth, best, "{case}: {list:#?} {day:#?} {:?}", planned.slots);
        keeps(&list, &day, &planned);
        plans += 1;
        full += usize::from(planned.left.iter().any(|l| l.why == Why::Hours));
        two += usize::from(planned.slots.iter().any(|s| s.people.len() == 2));
    }
    println!("{plans} plans, {full} of them short of hours, {two} with work for two");
    assert!(full > 50 && two > 10);
}

/// Hours, hands, parts and orders hold in the times that are given.
fn keeps(list: &[Task], day: &Day, p: &Planned) {
    for s in &p.slots {
        let t = &list[s.task];
        assert_eq!(s.end - s.start, t.minutes);
        assert!(s.ready <= day.minutes && s.start >= p.safe_minutes, "{}: {s:?} of {}", t.title, day.minutes);
        assert!(t.isolate.is_subset(&p.isolated));
        assert!(s.people.len() >= t.hands as usize);
        assert!(s.people.iter().any(|w| t.kinds.is_subset(&day.people[*w].may)), "{}", t.title);
        for place in &t.places {
            assert!(s.people.iter().all(|w| p.opened[place].contains(w)), "{place} is opened by who works in it");
        }
        for before in &t.after {
            let first = p.slots.iter().find(|o| o.task == *before).expect("what comes before is done");
            assert!(first.end <= s.start, "{} after {}", t.title, list[*before].title);
        }
        for o in p.slots.iter().filter(|o| o.task != s.task && o.people.iter().any(|w| s.people.contains(w))) {
            assert!(o.end <= s.start || s.end <= o.start, "{} and {} at once", t.title, list[o.task].title);
        }
    }
    for (part, there) in &day.parts {
        assert!(p.slots.iter().filter_map(|s| list[s.task].parts.get(part)).sum::<u32>() <= *there);
    }
    assert_eq!(p.slots.len() + p.left.len(), list.len(), "each task is done or said why not");
}

#[test]
fn the_most_dangerous_comes_first_and_what_waits_before_it() {
    let (rig, audit) = empty();
    let mut grave = Task::new("grave", 30);
    grave.closes.insert("keep off".to_owned());
    let mut mild = Task::new("mild", 30);
    mild.closes.insert("advice".to_owned());
    let mut glue = Task::new("glue", 10);
    (glue.wait, glue.worth) = (60, 1);
    let mut day = Day::new(80, vec![Hands { name: "one".to_owned(), may: BTreeSet::new() }]);
    day.danger.insert("keep off".to_owned(), weight(Severity::KeepOff));
    day.danger.insert("advice".to_owned(), weight(Severity::Advice));
    let order = |minutes: u32| {
        let p = plan(&rig, &audit, &[mild.clone(), glue.clone(), grave.clone()], &Day { minutes, ..day.clone() })
            .expect("a plan");
        p.slots.iter().map(|s| s.task).collect::<Vec<_>>()
    };
    assert_eq!(order(80), [1, 2, 0], "what cures is begun first, and the hours are full");
    assert_eq!(order(60), [2, 0], "there is no time for it to cure");
    assert_eq!(order(40), [2], "the dangerous before everything");
    assert_eq!(order(20), [0; 0]);
}

#[test]
fn repairs_of_a_rig_are_planned_so_that_it_is_no_worse_after_each() {
    for (name, text, hours) in [
        ("heron", include_str!("../../murvet/demo/heron.rig"), 6),
        ("currawong", include_str!("../../murvet/demo/currawong.rig"), 2),
    ] {
        let rig = parse(text).expect("reads");
        let profile = rig.profile.expect("its own");
        let before = audit(&rig, profile);
        let (list, danger) = tasks(&rig, &before, |_, usual| usual, |_| 5);
        let (mut day, _) = read(&format!("day {hours}h\n")).expect("reads");
        day.danger = danger;
        let p = plan(&rig, &before, &list, &day).expect("a plan");
        keeps(&list, &day, &p);
        // The end of the day, audited from the beginning: closed is closed, and nothing of weight is new.
        let after = audit_by(&p.after.0, profile.profile());
        let has = |a: &murvet_core::audit::Audit, key: &str| a.findings.iter().any(|f| f.key() == key);
        let mut closed = 0;
        for key in p.slots.iter().flat_map(|s| &list[s.task].closes) {
            assert!(!has(&after, key), "{name}: {key} is closed");
            closed += 1;
        }
        for f in after.findings.iter().filter(|f| f.severity >= Severity::Soon) {
            assert!(has(&before, &f.key()), "{name}: {} is new", f.key());
        }
        println!(
            "{name}: {} tasks, {} done, {closed} findings closed, worth {} in {} rounds",
            list.len(),
            p.slots.len(),
            p.worth,
            p.rounds + 1
        );
        assert!(closed >= 3, "{name}");
    }
}

#[test]
fn a_day_is_read_and_what_is_wrong_in_it_is_said() {
    let (day, list) = read(
        "day 6h\nperson \"Mara\": extra-low mains-fixed\nperson \"Tom\": extra-low\npart \"lamp\" x2\nopen box 10min\n\
         task \"Hole\" 30min, in box, hands 2\ntask \"Lamp\" 40min, worth 5, needs extra-low, takes \"lamp\" x1, wait 20min, after \"Hole\"\n  fit dc-load lamp2: 1A\n",
    )
    .expect("reads");
    assert_eq!(
        (day.minutes, day.people.len(), day.parts["lamp"], day.opens("box"), day.opens("bay")),
        (360, 2, 2, 10, 15)
    );
    assert_eq!((list[1].minutes, list[1].worth, list[1].wait, list[1].acts.len()), (40, 5, 20, 1));
    assert_eq!((list[1].after.clone(), list[0].hands), (BTreeSet::from([0]), 2));
    for (text, line, says) in [
        ("day six\n", 1, "day 6h"),
        ("day 6h\nperson Mara\n", 2, "person \"Mara\""),
        ("task \"x\" 10min, needs welding\n", 1, "needs extra-low"),
        ("task \"x\" 10min, after \"y\"\n", 1, "title"),
        ("  fit bus b\n", 1, "task"),
        ("task \"x\" 10min\n  fitt bus b\n", 2, "fit"),
        ("lunch 1h\n", 1, "expected day"),
    ] {
        let errors = read(text).expect_err(text);
        assert_eq!(errors[0].line, line, "{text}");
        assert!(errors[0].help.contains(says), "{text}: {errors:?}");
    }
}

/// How long it takes is in the benches.
#[test]
fn a_long_list_is_planned_and_an_early_end_tells_its_bound() {
    let rig = parse("battery b: agm 12V 100Ah\n").expect("reads");
    let audit = audit(&rig, ProfileId::EU_UK);
    let mut early = 0;
    for seed in 0..24 {
        let mut dice = Dice(seed * 77 + 5);
        let people = 1 + dice.below(3);
        let (list, mut day) = some(&mut dice, 30, people);
        day.minutes = 360;
        let p = plan(&rig, &audit, &list, &day).expect("a plan");
        keeps(&list, &day, &p);
        early += u32::from(p.bound.is_some());
        assert!(
            p.bound.is_none_or(|b| b + 1e-6 >= f64::from(p.worth) && b <= 1.02 * f64::from(p.worth)),
            "{seed}: {p:?}"
        );
    }
    assert!(early < 12, "{early} of 24 ended early");
}
