//! The law of steps: after every step that stands the rig is no worse than before it; where it is left it is no worse than where
//! it was left before. And what is taken out leaves every conductor where it was, but for the end that landed on it.
//!
//! The judge audits each rig from the beginning and compares by severity; of the conductors it reads the notation alone.

use super::rigs::{Dice, sketch};
use murvet_core::audit::audit_by;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::ProfileId;
use murvet_core::rig::{LooseEnd, Rig, Step};
use murvet_core::rules::{Finding, Severity};
use murvet_core::work::{Act, Ends, Entry, Named, Side, Verdict, WorkStep, apply, follow};
use std::collections::BTreeMap;

fn step(acts: Vec<Act>, marked: bool) -> Entry {
    let title = acts.iter().map(ToString::to_string).collect::<Vec<_>>().join("; ");
    let not_to_be_left = marked.then(|| "it is half done".to_owned());
    Entry::Step(WorkStep { title, minutes: None, not_to_be_left, acts, line: 1 })
}

/// Something that a hand might do to this rig, wise or not.
fn act(rig: &Rig, dice: &mut Dice) -> Act {
    let component = |dice: &mut Dice| dice.pick(&rig.components).id.clone();
    let ends = |dice: &mut Dice| Ends::Loose(*dice.pick(&[LooseEnd::Capped, LooseEnd::Taped, LooseEnd::Bare]));
    let run = |dice: &mut Dice| {
        let run = dice.pick(&rig.runs);
        let to = match run.steps.last() {
            Some(Step::At(t)) => t.to_string(),
            _ => "end".to_owned(),
        };
        Named::Between { from: run.from.to_string(), to, nth: Some(1) }
    };
    match dice.below(9) {
        0 => Act::TakeOut { what: Named::Id(component(dice)), ends: ends(dice) },
        1 => Act::TakeOut { what: Named::Id(component(dice)), ends: Ends::Joined },
        2 => Act::TakeOut { what: run(dice), ends: ends(dice) },
        3 => Act::Land { what: run(dice), side: Side::End, on: component(dice) },
        4 => Act::Land { what: run(dice), side: Side::Start, on: "end capped".to_owned() },
        5 => Act::Replace { what: run(dice), with: (*dice.pick(&["1.5mm2", "25mm2", "50mm2"])).to_owned() },
        6 => Act::Fit(format!("bus extra{}", dice.below(1000))),
        7 => {
            let rating = *dice.pick(&["5A", "40A", "400A"]);
            Act::Replace { what: Named::Id(component(dice)), with: format!("fuse: {rating} class-t") }
        }
        _ => Act::Fit(format!("run {} : 0.5m 4mm2, {}", component(dice), component(dice))),
    }
}

#[test]
fn after_every_step_the_rig_is_no_worse_than_before_it() {
    let (mut stands, mut marked, mut refused, mut impossible, mut unsafe_rests) = (0, 0, 0, 0, 0);
    for seed in 0..60u64 {
        let sketch = sketch(seed);
        let rig = parse(&sketch.text()).expect("reads");
        let limits = sketch.profile.profile();
        let before = audit_by(&rig, limits);
        let mut dice = Dice::new(seed + 9000);
        let mut now = rig.clone();
        let mut entries = Vec::new();
        for n in 0..8 {
            // What it names may be gone when its turn comes: then it is impossible, and nothing else.
            let one = act(&now, &mut dice);
            if let Ok(next) = apply(&now, &one, |r| before.after(r)) {
                now = next;
            }
            entries.push(step(vec![one], dice.once_in(4)));
            if n == 3 {
                entries.push(Entry::Rest { title: "noon".to_owned(), line: 1 });
            }
        }
        let all = follow(&before, &rig, &entries);
        let fresh = |rig: &Rig| audit_by(rig, limits).findings;
        let mut last = (rig.clone(), before.findings.clone());
        let mut states = vec![last.1.clone()];
        for s in &all.steps {
            match &s.verdict {
                Verdict::Stands => stands += 1,
                Verdict::NotToBeLeft(_) => marked += 1,
                Verdict::Refused => refused += 1,
                Verdict::Impossible(..) => impossible += 1,
            }
            if !s.made() {
                assert_eq!(print(&s.rig), print(&last.0), "{seed}: what is not made changes nothing: {}", s.step.title);
            }
            let after = fresh(&s.rig);
            if s.stands() {
                let worse = worse(&last.1, &after);
                let moved: Vec<String> = s.moved.iter().map(Finding::key).collect();
                for key in worse {
                    assert!(moved.contains(&key), "{seed}: {} opens {key}", s.step.title);
                }
                // What goes on under another name took the place of something like it.
                for f in &s.moved {
                    let old = last.1.iter().filter(|o| o.rule.slug == f.rule.slug).count();
                    let new = after.iter().filter(|o| o.rule.slug == f.rule.slug).count();
                    assert!(new <= old, "{seed}: {} for {}", f.key(), s.step.title);
                }
            }
            states.push(after.clone());
            last = (s.rig.clone(), after);
        }
        let mut left = 0;
        for r in &all.rests {
            if r.safe() {
                let moved = worse(&states[left], &states[r.after]).len();
                assert!(moved <= all.steps[left..r.after].iter().map(|s| s.moved.len()).sum(), "{seed}: {}", r.title);
            } else {
                unsafe_rests += 1;
            }
            left = r.after;
        }
    }
    println!(
        "{stands} stand, {marked} not to be left so, {refused} refused, {impossible} impossible; {unsafe_rests} unsafe rests"
    );
    assert!(stands >= 60 && marked >= 5 && refused >= 60 && unsafe_rests >= 5, "the rigs try every outcome");
}

/// Keys that are new, or more pressing, and more than advice.
fn worse(before: &[Finding], after: &[Finding]) -> Vec<String> {
    let new = |f: &&Finding| {
        f.severity >= Severity::Soon && !before.iter().any(|b| b.key() == f.key() && b.severity >= f.severity)
    };
    after.iter().filter(new).map(Finding::key).collect()
}

/// Every length of copper with its colour, and how often.
fn copper(rig: &Rig) -> BTreeMap<String, usize> {
    let mut list = BTreeMap::new();
    for step in rig.runs.iter().flat_map(|r| &r.steps) {
        if let Step::Conductor(c) = step {
            *list.entry(format!("{} {} {:?} {:?}", c.length, c.size, c.colour, c.via)).or_default() += 1;
        }
    }
    list
}

/// How often each terminal is landed on, devices passed counting on both sides.
fn landings(rig: &Rig) -> BTreeMap<String, usize> {
    let net = murvet_core::network::expand(rig, ProfileId::NA_RV.profile(), murvet_core::bounds::Side::Worst);
    let mut list = BTreeMap::new();
    for e in &net.edges {
        if let murvet_core::network::EdgeKind::Wire(_) = e.what {
            for n in [e.a, e.b] {
                *list.entry(net.nodes[n].name.clone()).or_default() += 1;
            }
        }
    }
    list
}

#[test]
fn what_is_taken_out_leaves_every_other_end_where_it_was() {
    let mut cut = 0;
    for seed in 0..80u64 {
        let sketch = sketch(seed);
        let rig = parse(&sketch.text()).expect("reads");
        for component in &rig.components {
            let out = Act::TakeOut { what: Named::Id(component.id.clone()), ends: Ends::Loose(LooseEnd::Capped) };
            let Ok(after) = apply(&rig, &out, |r| audit_by(r, sketch.profile.profile())) else { continue };
            let own = |name: &str| name == component.id || name.starts_with(&format!("{}.", component.id));
            let (before, now) = (landings(&rig), landings(&after));
            for (name, count) in before.iter().filter(|(name, _)| !own(name) && !name.contains(' ')) {
                assert_eq!(now.get(name), Some(count), "{seed}: {name}, with {} out", component.id);
            }
            assert!(now.keys().all(|name| !own(name)), "{seed}: nothing lands on {} any more", component.id);
            let both_ends = |r: &murvet_core::rig::Run| {
                let at = |t: &murvet_core::rig::TermRef| t.component == component.id;
                at(&r.from) || r.steps.iter().any(|s| matches!(s, Step::At(t) if at(t)))
            };
            if rig.runs.iter().any(both_ends) {
                cut += 1;
            }
            // A conductor from a component to itself is the only one that goes with it.
            let (old, new) = (copper(&rig), copper(&after));
            let lost: usize = old.iter().map(|(c, n)| n - new.get(c).copied().unwrap_or(0).min(*n)).sum();
            assert!(lost == 0, "{seed}: {lost} conductors gone with {}", component.id);
        }
    }
    println!("{cut} components with runs taken out");
    assert!(cut >= 500, "{cut}");
}

#[test]
fn no_plan_of_a_day_has_a_moment_at_which_the_rig_is_worse() {
    use murvet_core::work::day::{Day, Hands, Task, plan};
    use std::collections::BTreeSet;
    let (mut plans, mut done, mut left, mut again) = (0, 0, 0, 0);
    for seed in 0..250u64 {
        let sketch = sketch(seed % 125);
        let rig = parse(&sketch.text()).expect("reads");
        let limits = sketch.profile.profile();
        let before = audit_by(&rig, limits);
        let mut dice = Dice::new(seed + 70_000);
        for _ in 0..4 {
            let tasks: Vec<Task> = (0..2 + dice.below(5))
                .map(|n| {
                    let acts = (0..1 + dice.below(2)).map(|_| act(&rig, &mut dice)).collect();
                    let minutes = 10 + 10 * dice.below(5) as u32;
                    let worth = dice.below(50) as u32;
                    Task { acts, worth, ..Task::new(format!("task {n}"), minutes) }
                })
                .collect();
            let people =
                (0..1 + dice.below(2)).map(|n| Hands { name: format!("hand {n}"), may: BTreeSet::new() }).collect();
            let day = Day {
                minutes: 60 + 30 * dice.below(4) as u32,
                people,
                parts: BTreeMap::new(),
                opening: BTreeMap::new(),
                isolating: BTreeMap::new(),
                danger: BTreeMap::new(),
                pace: BTreeMap::new(),
            };
            let Ok(p) = plan(&rig, &before, &tasks, &day) else { continue };
            plans += 1;
            again += usize::from(p.rounds > 0);
            let mut order = p.slots.clone();
            order.sort_by_key(|s| (s.end, s.start, s.task));
            let (mut now, mut found) = (rig.clone(), before.findings.clone());
            for s in &order {
                for act in &tasks[s.task].acts {
                    now = apply(&now, act, |r| audit_by(r, limits)).unwrap_or_else(|e| panic!("{seed}: {act}: {e:?}"));
                }
                let next = audit_by(&now, limits).findings;
                // A finding that goes on at the same copper took the place of one of its rule.
                for key in worse(&found, &next) {
                    let slug = key.split(':').next().unwrap_or_default().to_owned();
                    let count = |list: &[Finding]| list.iter().filter(|f| f.rule.slug == slug).count();
                    assert!(count(&next) <= count(&found), "{seed}: {} opens {key}", tasks[s.task].title);
                }
                found = next;
                done += 1;
            }
            left += p.left.len();
        }
    }
    println!("{plans} plans, {done} tasks done, {left} left, {again} chosen again");
    assert!(plans >= 950 && done >= 800 && again >= 200);
}
