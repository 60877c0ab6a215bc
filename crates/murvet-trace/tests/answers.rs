//! Every answer that can be tapped on any rig of the repository can be written, says what was tapped, and can be taken apart.

use murvet_core::audit::audit;
use murvet_core::catalogue::Kind;
use murvet_core::notation::{parse, print};
use murvet_core::profiles::ProfileId;
use murvet_core::rig::{Conductor, LooseEnd, Rig, Step, Value};
use murvet_core::starters::STARTERS;
use murvet_trace::{
    End, FarEnd, Joined, Takes, assume, assumed, confirm, ends, far_ends, fellow, land, may_follow, next_end, not_here,
    plate, set_plate, set_way,
};

const RIGS: [(&str, &str); 6] = [
    ("heron", include_str!("../../murvet/demo/heron.rig")),
    ("kite", include_str!("../../murvet/demo/kite.rig")),
    ("currawong", include_str!("../../murvet/demo/currawong.rig")),
    ("egret", include_str!("../../murvet/demo/egret.rig")),
    ("coach", include_str!("../../murvet-core/tests/sound/coach.rig")),
    ("van", include_str!("../../murvet/tests/van.rig")),
];

fn rigs() -> impl Iterator<Item = (&'static str, Rig)> {
    RIGS.into_iter().map(|(name, text)| (name, parse(text).expect("parses")))
}

fn joined(end: &End) -> Joined {
    match end.takes {
        Takes::Cable(_) => Joined::Cable {
            cores: 3,
            length: Value::new("2m"),
            size: Value::new("2.5mm2"),
            flex: false,
            map: Vec::new(),
        },
        _ => Joined::Conductor(Box::new(Conductor { colour: Some("red".into()), ..Conductor::new("2m", "6mm2") })),
    }
}

fn landed(rig: &Rig, address: &str) -> usize {
    ends(rig).iter().find(|e| e.address() == address).map_or(0, |e| e.landed)
}

#[test]
fn every_end_takes_every_likely_answer_and_every_new_thing() {
    let mut answers = 0;
    for (name, rig) in rigs() {
        let all = ends(&rig);
        for end in all.iter().filter(|e| e.takes != Takes::Either) {
            for far in
                far_ends(&rig, &all, end).into_iter().filter(|f| f.likely && f.end.takes != Takes::Either).take(4)
            {
                let said = format!("{name}: {} to {}", end.address(), far.end.address());
                let w = land(&rig, end, joined(end), FarEnd::There(far.end.clone()))
                    .unwrap_or_else(|e| panic!("{said}: {e}"));
                assert_eq!(landed(&w.rig, &end.address()), end.landed + 1, "{said}");
                assert_eq!(landed(&w.rig, &far.end.address()), far.end.landed + 1, "{said}");
                assert_eq!(w.lines.len(), 1, "{said}: one line each: {:?}", w.lines);
                answers += 1;
            }
            let (devices, things) = may_follow(end);
            for f in devices.iter().chain(things) {
                let said = format!("{name}: {} to a new {}", end.address(), f.kind.word());
                let far = FarEnd::New { kind: f.kind, end: f.end.to_owned(), label: None, place: None };
                let w = land(&rig, end, joined(end), far).unwrap_or_else(|e| panic!("{said}: {e}"));
                let made = w.made.expect("named");
                assert_eq!(landed(&w.rig, &end.address()), end.landed + 1, "{said}");
                let own: usize = ends(&w.rig).iter().filter(|e| e.component == made).map(|e| e.landed).sum();
                assert_eq!(own, 1, "{said}");
                // What was not there is taken out again, and the rig is the one before.
                let without = not_here(&w.rig, &made).unwrap_or_else(|e| panic!("{said}: {e}")).rig;
                assert_eq!(without.components.len(), rig.components.len(), "{said}");
                answers += 1;
            }
            for (how, _) in LooseEnd::ALL {
                land(&rig, end, joined(end), FarEnd::Loose(how))
                    .unwrap_or_else(|e| panic!("{name} {}: {e}", end.address()));
                answers += 1;
            }
        }
    }
    assert!(answers > 5_000, "{answers}");
}

/// A run of the rig that is one conductor between two terminals, taken out; where it went.
fn without_a_run(rig: &Rig, n: usize) -> Option<(Rig, String, String)> {
    let run = &rig.runs[n];
    let [Step::Conductor(_), Step::At(to)] = &run.steps[..] else { return None };
    let mut less = rig.clone();
    less.runs.remove(n);
    let name = |t: &murvet_core::rig::TermRef, leaving: bool| {
        let (at, terminal) = murvet_core::meaning::terminal_of(rig, t, leaving).expect("stands");
        format!("{}.{terminal}", rig.components[at].id)
    };
    Some((less, name(&run.from, true), name(to, false)))
}

#[test]
fn where_a_conductor_went_is_among_the_six_ends_that_are_offered_first() {
    let (mut first, mut offered, mut asked) = (0, 0, 0);
    for (name, rig) in rigs() {
        for n in 0..rig.runs.len() {
            let Some((less, from, to)) = without_a_run(&rig, n) else { continue };
            let all = ends(&less);
            let end = all.iter().find(|e| e.address() == to || e.address() == to.replace(".in", ".line"));
            let Some(end) = end.filter(|e| e.landed == 0) else { continue };
            let far = far_ends(&less, &all, end);
            let place = far.iter().position(|f| f.end.address() == from);
            assert!(place.is_some(), "{name}: {from} is not offered for {to} at all");
            asked += 1;
            offered += usize::from(place < Some(6));
            first += usize::from(place == Some(0));
        }
    }
    println!("of {asked} conductors {offered} went where one of the first six leads, {first} to the first");
    assert!(asked > 80, "{asked}");
    assert!(offered * 10 >= asked * 8, "{offered} of {asked}");
    assert!(first * 10 >= asked * 4, "{first} of {asked}");
}

#[test]
fn the_return_goes_beside_where_the_positive_comes_from_in_the_same_conductor() {
    let text = "bus neg\nbattery b: agm 12V 90Ah\nfuse-block dc: 60A, way lamps 10A\nrun b.+ : 0.2m 16mm2 red, fuse F1 60A, 1m 16mm2 red, dc.in\nrun b.- : 0.4m 16mm2 black, neg\n\
                dc-load lamps\nrun dc.lamps : 3m 1.5mm2 red, lamps.+\ndc-load fan\nrun b.+ : 0.2m 2.5mm2 red, fuse F2 10A\nrun F2 : 4m 2.5mm2 red, fan.+\n";
    let rig = parse(text).expect("parses");
    let of = |address: &str| {
        let end = ends(&rig).into_iter().find(|e| e.address() == address).expect("an end");
        fellow(&rig, &end)
            .map(|((c, t), w)| format!("{c}.{t} {} {} {}", w.length, w.size, w.colour.unwrap_or_default()))
    };
    assert_eq!(of("lamps.-").as_deref(), Some("dc.- 3m 1.5mm2 black"));
    // Through the fuse back to the battery, whose negative is on the bar.
    assert_eq!(of("fan.-").as_deref(), Some("neg.bar 4m 2.5mm2 black"));
    assert_eq!(of("dc.-").as_deref(), Some("neg.bar 1m 16mm2 black"));
    assert_eq!(of("lamps.+"), None);
    // An appliance that is served is left for the next empty way of its block.
    let all = ends(&rig);
    assert_eq!(next_end(&rig, &all, Some("lamps")).map(End::address).as_deref(), Some("lamps.-"));
}

#[test]
fn a_starter_is_all_assumed_until_each_thing_was_seen_and_then_judged_as_what_it_is() {
    for profile in [ProfileId::NA_RV, ProfileId::EU_UK, ProfileId::AU_NZ] {
        for starter in STARTERS {
            let seen = parse(&starter.rig("Wren", profile)).expect("parses");
            let mut rig = seen.clone();
            assume(&mut rig);
            let list = assumed(&rig);
            assert!(!list.is_empty());
            // That a value is assumed changes no verdict: it is said where a finding rests on it.
            let keys = |rig: &Rig| audit(rig, profile).findings.iter().map(|f| f.key()).collect::<Vec<_>>();
            assert_eq!(keys(&rig), keys(&seen), "{} {}", starter.key, profile.word());
            let mut taps = 0;
            while let Some(a) = assumed(&rig).first() {
                rig = confirm(&rig, &a.component).expect("is there").rig;
                taps += 1;
                assert!(taps <= list.len(), "{}: a tap takes one thing off the list", starter.key);
            }
            assert_eq!(print(&rig), print(&parse(&print(&seen)).expect("parses")), "{}", starter.key);
            // Anything of it may be missing.
            for a in list {
                let less =
                    not_here(&rig, &a.component).unwrap_or_else(|e| panic!("{} {}: {e}", starter.key, a.component));
                assert!(less.rig.component(&a.component).is_none());
            }
        }
    }
}

#[test]
fn every_value_that_a_plate_offers_can_be_entered_and_is_the_value_that_stands_there_then() {
    let mut entered = 0;
    for spec in Kind::all() {
        let text = format!("outlet o\ndc-socket x\n{} it\n", spec.words[0]);
        let rig = parse(&text).expect("parses");
        let it = rig.component("it").expect("is there");
        for field in plate(&rig, it, ProfileId::EU_UK.profile()) {
            for value in field.usual.iter().map(String::as_str).chain(["?"]) {
                let said = format!("{} {} {value}", spec.title, field.key);
                let w = set_plate(&rig, "it", &[(field.key.to_owned(), Some(value.to_owned()))]);
                let w = w.unwrap_or_else(|e| panic!("{said}: {e}"));
                let stands = w.rig.component("it").and_then(|c| c.attrs.get(field.key)).map(|v| v.text.clone());
                assert_eq!(stands.as_deref(), Some(value), "{said}");
                entered += 1;
            }
        }
        if spec.ways {
            let two =
                set_way(&rig, "it", "10A", Some("Lights")).and_then(|w| set_way(&w.rig, "it", "?", Some("Lights")));
            let ways = two.expect("two ways").rig.component("it").expect("is there").ways.clone();
            assert_eq!(ways.iter().map(|w| w.id.as_str()).collect::<Vec<_>>(), ["lights", "lights1"]);
            assert!(set_way(&rig, "it", "ten", None).is_err(), "a rating is a current");
        }
    }
    assert!(entered > 400, "{entered}");
    // That a link joins neutral and earth is not seen in a panel that nobody has looked at, and stays so until it is said.
    let jumper = |text: &str| {
        let rig = parse(text).expect("parses");
        let fields = plate(&rig, &rig.components[0], ProfileId::EU_UK.profile());
        let field = fields.into_iter().find(|f| f.key == "jumper").expect("is asked for");
        (field.first, field.now.map(|v| v.text))
    };
    assert_eq!(jumper("panel p\n"), (true, Some("?".to_owned())));
    assert_eq!(jumper("panel p: 230V\n"), (true, None));
    assert_eq!(jumper("panel p: 230V jumper ?\n"), (true, Some("?".to_owned())));
}
