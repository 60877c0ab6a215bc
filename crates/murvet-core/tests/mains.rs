//! Neutral, earth, backfeed and charger loop on every small mains system there is: two of three sources behind a
//! changeover, the third tied to the panel or absent, every kind of bond, one pole or two. Each is judged a second
//! time here by tables of who hangs on whom, which know nothing of the graph in the core.

mod common;

use common::judge;
use murvet_core::profiles::ProfileId;
use std::collections::BTreeSet;

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Source {
    Shore,
    Set,
    Inverter,
}
use Source::{Inverter, Set, Shore};

const ALL: [Source; 3] = [Shore, Set, Inverter];

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Bond {
    None,
    Fixed,
    Switched,
}

/// One small system.
#[derive(Clone, Copy, Debug)]
struct System {
    inputs: [Source; 2],
    tied: Option<Source>,
    two_pole: bool,
    set_bond: Bond,
    inverter_bond: Bond,
    jumper: bool,
    outlets: usize,
    charger: bool,
}

impl System {
    fn text(&self) -> String {
        let name = |s: Source| match s {
            Shore => "shore",
            Set => "set",
            Inverter => "inv",
        };
        let word = |b: Bond| match b {
            Bond::None => "bond-none",
            Bond::Fixed => "bond-fixed",
            Bond::Switched => "bond-switched",
        };
        let mut text = format!(
            "battery house: lifepo4 12.8V 200Ah\nrun house.+ : 0.2m 2/0AWG, fuse F 250A class-t, 0.5m 2/0AWG, inv.dc+\n\
             run house.- : 0.7m 2/0AWG, inv.dc-\ninverter inv: 1800W dc 12V ac 120V {} isolated\ninlet shore: 120V 30A\n\
             generator set: 120V 20A {}\ntransfer T: manual {} 30A\npanel P: main 30A {}, way a 15A, way b 15A, way c 15A, way t 20A\n\
             cable A 3x10AWG 1m {} -> T.a\ncable B 3x10AWG 1m {} -> T.b\ncable M 3x10AWG 1m T -> P.main\n",
            word(self.inverter_bond),
            word(self.set_bond),
            if self.two_pole { "2-pole" } else { "1-pole" },
            if self.jumper { "jumper" } else { "" },
            name(self.inputs[0]),
            name(self.inputs[1]),
        );
        for n in 0..self.outlets {
            text.push_str(&format!("outlet o{n}\ncable O{n} 3x14AWG 1m P.{} -> o{n}\n", ["a", "b"][n]));
        }
        if let Some(s) = self.tied {
            text.push_str(&format!("cable TIE 3x10AWG 1m {} -> P.t\n", name(s)));
        }
        if self.charger {
            text.push_str("charger C: 20A 13.6V\ncable C1 3x14AWG 1m P.c -> C\nrun C.dc+ : 0.2m 10AWG, fuse K 30A, 0.2m 10AWG, inv.dc+\nrun C.dc- : 0.4m 10AWG, inv.dc-\n");
        }
        text
    }

    /// What a person would say, going through the positions one by one.
    fn expected(&self) -> BTreeSet<&'static str> {
        let mut found = BTreeSet::new();
        for code in 0..16usize {
            let running = |s: Source| code & (1 << ALL.iter().position(|a| *a == s).unwrap_or(0)) != 0;
            let at = usize::from(code & 8 != 0);
            // Whose line hangs on the panel, and whose neutral.
            let line = |s: Source| self.inputs[at] == s || self.tied == Some(s);
            let neutral = |s: Source| line(s) || (!self.two_pole && self.inputs.contains(&s));
            // The supply's bond and a switched one are there while their source runs, a fixed one always.
            let bonded = |s: Source| match s {
                Shore => running(Shore),
                Set => self.set_bond == Bond::Fixed,
                Inverter => {
                    self.inverter_bond == Bond::Fixed || (self.inverter_bond == Bond::Switched && running(Inverter))
                }
            };
            let on_panel: Vec<Source> = ALL.into_iter().filter(|s| line(*s)).collect();
            if on_panel.len() > 1 && on_panel.iter().any(|s| running(*s)) {
                found.insert("ac-backfeed");
            }
            if self.charger && line(Inverter) && running(Inverter) {
                found.insert("charger-loop");
            }
            for s in ALL.into_iter().filter(|s| running(*s)) {
                let alone = !line(s) || on_panel.iter().filter(|o| running(**o)).count() == 1;
                if !alone {
                    continue;
                }
                let own = bonded(s);
                // Bonds that the same neutral meets: those of sources tied to the same line are part of the backfeed.
                let others = ALL.into_iter().filter(|o| {
                    let met = *o != s && neutral(*o) && neutral(s) && bonded(*o);
                    met && !(line(*o) && line(s))
                });
                let tied_bonds = ALL.into_iter().filter(|o| *o != s && line(*o) && line(s) && bonded(*o)).count();
                let jumper = usize::from(self.jumper && neutral(s));
                let away = others.count() + jumper;
                if own && away > 0 {
                    found.insert("bond-away");
                }
                let meetings = usize::from(own) + away + tied_bonds;
                if !own && meetings >= 2 {
                    found.insert("bond-several");
                }
                let fed = if line(s) { self.outlets + usize::from(self.charger) } else { 0 };
                if meetings == 0 && fed >= 2 && s != Shore {
                    found.insert("bond-missing");
                }
            }
        }
        found
    }
}

#[test]
fn every_small_system_is_judged_as_by_going_through_its_positions() {
    let judged = ["bond-away", "bond-missing", "bond-several", "ac-backfeed", "charger-loop"];
    let pairs = [[Shore, Set], [Shore, Inverter], [Set, Inverter], [Set, Shore], [Inverter, Shore], [Inverter, Set]];
    let (mut systems, mut silent) = (0, 0);
    for code in 0..(6 * 2 * 2 * 2 * 3 * 2 * 2 * 2) {
        let mut left: usize = code;
        let mut of = |n: usize| {
            let digit = left % n;
            left /= n;
            digit
        };
        let inputs = pairs[of(6)];
        let third = ALL.into_iter().find(|s| !inputs.contains(s));
        let system = System {
            inputs,
            tied: third.filter(|_| of(2) == 1),
            two_pole: of(2) == 1,
            set_bond: [Bond::None, Bond::Fixed][of(2)],
            inverter_bond: [Bond::None, Bond::Fixed, Bond::Switched][of(3)],
            jumper: of(2) == 1,
            outlets: 1 + of(2),
            charger: of(2) == 1,
        };
        let audit = judge(&system.text(), ProfileId::NA_RV);
        let found: BTreeSet<&str> = audit.findings.iter().map(|f| f.rule.slug).filter(|m| judged.contains(m)).collect();
        assert_eq!(found, system.expected(), "{system:?}\n{}", system.text());
        systems += 1;
        silent += usize::from(found.is_empty());
    }
    println!("{systems} systems, {silent} of them sound");
    assert!(systems == 1152 && silent >= 40, "{systems}, {silent}");
}

/// Where the charger of a rig with an inverter-charger hangs.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Charger {
    Nowhere,
    OnTheOutput,
    OnTheShoreOnlyOutput,
    AheadOfTheUnit,
}

/// An inverter-charger behind one supply, or behind a changeover between shore and a generator.
#[derive(Clone, Copy, Debug)]
struct Unit {
    bond: Bond,
    neutral_common: bool,
    charger: Charger,
    jumper: bool,
    outlets: usize,
    /// The generator's bond, and whether the changeover parts the neutrals.
    set: Option<(Bond, bool)>,
}

impl Unit {
    fn text(&self) -> String {
        let word = |b: Bond| match b {
            Bond::None => "bond-none",
            Bond::Fixed => "bond-fixed",
            Bond::Switched => "bond-switched",
        };
        let mut text = format!(
            "battery house: lifepo4 12.8V 200Ah\nrun house.+ : 0.2m 4/0AWG, fuse F 300A class-t, 0.5m 4/0AWG, u.dc+\nrun house.- : 0.7m 4/0AWG, u.dc-\n\
             inverter-charger u: 2000W dc 12V ac 120V charge 50A {} {} shore-only isolated\ninlet shore: 120V 30A\npanel A: main 30A, way on 30A, way ch 15A\n\
             panel P: main 30A {}, way a 15A, way b 15A, way c 15A\ncable IN 3x10AWG 1m A.on -> u.in\ncable OUT 3x10AWG 1m u.out -> P.main\n",
            word(self.bond),
            if self.neutral_common { "neutral-common" } else { "neutral-switched" },
            if self.jumper { "jumper" } else { "" },
        );
        text.push_str(&match self.set {
            None => "cable S 3x10AWG 1m shore -> A.main\n".to_owned(),
            Some((bond, two_pole)) => format!(
                "generator set: 120V 25A {}\ntransfer T: manual {} 30A\ncable S 3x10AWG 1m shore -> T.a\ncable G 3x10AWG 1m set -> T.b\ncable T1 3x10AWG 1m T -> A.main\n",
                word(bond),
                if two_pole { "2-pole" } else { "1-pole" }
            ),
        });
        for n in 0..self.outlets {
            text.push_str(&format!("outlet o{n}\ncable O{n} 3x14AWG 1m P.{} -> o{n}\n", ["a", "b"][n]));
        }
        let from = match self.charger {
            Charger::Nowhere => return text,
            Charger::OnTheOutput => "P.c",
            Charger::OnTheShoreOnlyOutput => "u.aux",
            Charger::AheadOfTheUnit => "A.ch",
        };
        text.push_str(&format!("charger C: 20A 13.6V\ncable C1 3x14AWG 1m {from} -> C\nrun C.dc+ : 0.2m 10AWG, fuse K 30A, 0.2m 10AWG, u.dc+\nrun C.dc- : 0.4m 10AWG, u.dc-\n"));
        text
    }

    fn expected(&self) -> BTreeSet<&'static str> {
        let mut found = BTreeSet::new();
        for code in 0..16usize {
            let (shore, at_set, on) = (code & 1 != 0, code & 2 != 0 && self.set.is_some(), code & 4 != 0);
            let running = code & 8 != 0 && self.set.is_some();
            let set_bond = self.set.map_or(Bond::None, |s| s.0);
            // Which supply the unit senses; it passes it through, and inverts when there is none.
            let fed = if at_set { running.then_some(Set) } else { shore.then_some(Shore) };
            let inverting = on && fed.is_none();
            // Neutrals that hang on the input: the chosen supply's, and the other's too through one pole.
            let parted = self.set.is_none_or(|s| s.1);
            let neutral_in = |s: Source| match s {
                Shore => !at_set || !parted,
                Set => self.set.is_some() && (at_set || !parted),
                Inverter => false,
            };
            let through = self.neutral_common || fed.is_some();
            let bonded = |s: Source| match s {
                Shore => shore,
                Set => set_bond == Bond::Fixed,
                Inverter => self.bond == Bond::Fixed || (self.bond == Bond::Switched && inverting),
            };
            let behind = usize::from(self.jumper);
            let charger = |ways: &[Charger]| usize::from(ways.contains(&self.charger));
            for s in [Shore, Set, Inverter] {
                let runs = match s {
                    Shore => shore,
                    Set => running,
                    Inverter => inverting,
                };
                if !runs {
                    continue;
                }
                let own = bonded(s);
                let away = if s == Inverter {
                    let supplies = [Shore, Set].into_iter().filter(|o| through && neutral_in(*o) && bonded(*o)).count();
                    supplies + behind
                } else {
                    let other = if s == Shore { Set } else { Shore };
                    // The neutrals of the two supplies meet in a changeover of one pole only.
                    let beside = usize::from(self.set.is_some() && !parted && bonded(other));
                    let inside = usize::from(through && neutral_in(s)) * (usize::from(bonded(Inverter)) + behind);
                    beside + inside
                };
                if own && away > 0 {
                    found.insert("bond-away");
                }
                if !own && away >= 2 {
                    found.insert("bond-several");
                }
                let feeds = if s == Inverter {
                    self.outlets + charger(&[Charger::OnTheOutput])
                } else if fed == Some(s) {
                    let all = [Charger::OnTheOutput, Charger::OnTheShoreOnlyOutput, Charger::AheadOfTheUnit];
                    // The unit is an appliance of what feeds its input.
                    self.outlets + charger(&all) + 1
                } else {
                    0
                };
                if !own && away == 0 && feeds >= 2 && s != Shore {
                    found.insert("bond-missing");
                }
            }
            if inverting && self.charger == Charger::OnTheOutput {
                found.insert("charger-loop");
            }
        }
        found
    }
}

#[test]
fn every_rig_with_an_inverter_charger_is_judged_as_by_going_through_its_positions() {
    let judged = ["bond-away", "bond-missing", "bond-several", "ac-backfeed", "charger-loop"];
    let sets = [
        None,
        Some((Bond::None, true)),
        Some((Bond::Fixed, true)),
        Some((Bond::None, false)),
        Some((Bond::Fixed, false)),
    ];
    let chargers = [Charger::Nowhere, Charger::OnTheOutput, Charger::OnTheShoreOnlyOutput, Charger::AheadOfTheUnit];
    let (mut units, mut silent) = (0, 0);
    for set in sets {
        for charger in chargers {
            for bond in [Bond::None, Bond::Fixed, Bond::Switched] {
                for code in 0..8usize {
                    let unit = Unit {
                        bond,
                        neutral_common: code & 1 != 0,
                        charger,
                        jumper: code & 2 != 0,
                        outlets: 1 + (code >> 2),
                        set,
                    };
                    let audit = judge(&unit.text(), ProfileId::NA_RV);
                    let found: BTreeSet<&str> =
                        audit.findings.iter().map(|f| f.rule.slug).filter(|m| judged.contains(m)).collect();
                    assert_eq!(found, unit.expected(), "{unit:?}\n{}", unit.text());
                    units += 1;
                    silent += usize::from(found.is_empty());
                }
            }
        }
    }
    println!("{units} units, {silent} of them sound");
    assert!(units == 480 && silent >= 20, "{units}, {silent}");
}
