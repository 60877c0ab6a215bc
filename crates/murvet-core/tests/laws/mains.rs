//! Bonds, backfeed and charger loops over random wiring of mains voltage, against a judge that knows nothing of the program: it
//! tries every position of every switch by itself and joins what a cable joins, core by core.

use super::rigs::Dice;
use murvet_core::audit::audit;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use std::collections::{BTreeMap, BTreeSet};

const SOURCES: [&str; 3] = ["hook", "gen", "inv"];

/// The wiring: what is joined by cables, what switches, where neutral meets earth.
#[derive(Debug, Clone, Default)]
struct Wiring {
    /// Cables, from and to.
    cables: Vec<(String, String)>,
    /// Changeovers, with whether the neutral is switched too.
    transfers: Vec<(String, bool)>,
    /// Panels with their ways, and whether neutral and earth are joined in it.
    panels: Vec<(String, Vec<String>, bool)>,
    /// Outlets.
    outlets: Vec<String>,
    /// Where the charger's input hangs.
    charger: bool,
    /// How each source is bonded: at its supply or itself, while it is the source, never.
    bond: BTreeMap<&'static str, &'static str>,
    present: Vec<&'static str>,
}

fn wiring(seed: u64) -> Wiring {
    let mut d = Dice::new(seed ^ 0x5EED_0AC0);
    let present = SOURCES.into_iter().filter(|s| *s == "inv" || !d.once_in(4)).collect();
    let mut w = Wiring { present, ..Wiring::default() };
    w.bond.insert("hook", "supply");
    w.bond.insert("gen", if d.once_in(3) { "bond-none" } else { "bond-fixed" });
    w.bond.insert("inv", if d.once_in(3) { "bond-none" } else { "bond-switched" });
    let mut feeds: Vec<String> = w.present.iter().map(|s| (*s).to_owned()).collect();
    let mut number = 0;
    // Every feed ends at a panel, alone or with another one over a changeover.
    while !feeds.is_empty() {
        number += 1;
        let first = feeds.remove(d.below(feeds.len()));
        let from = if !feeds.is_empty() && !d.once_in(3) {
            let second = feeds.remove(d.below(feeds.len()));
            let id = format!("t{number}");
            w.transfers.push((id.clone(), !d.once_in(3)));
            w.cables.push((first, format!("{id}.a")));
            w.cables.push((second, format!("{id}.b")));
            format!("{id}.out")
        } else {
            first
        };
        let id = format!("p{number}");
        let ways: Vec<String> = ["w1", "w2", "w3"].iter().map(|s| (*s).to_owned()).collect();
        w.cables.push((from, format!("{id}.main")));
        w.panels.push((id.clone(), ways, d.once_in(5)));
        for way in ["w1", "w2"] {
            let outlet = format!("o{number}{way}");
            w.cables.push((format!("{id}.{way}"), outlet.clone()));
            w.outlets.push(outlet);
        }
        // A way goes on to a panel of its own, or ends at the charger; or a source is tied to it.
        match d.below(5) {
            0 if number < 4 => feeds.push(format!("{id}.w3")),
            1 | 2 if !w.charger => {
                w.charger = true;
                w.cables.push((format!("{id}.w3"), "c".to_owned()));
            }
            3 if w.panels.len() > 1 => {
                // Two panels tied by a cable from way to way: nothing excludes what feeds them.
                let other = w.panels[0].0.clone();
                if !w.cables.iter().any(|(a, b)| *a == format!("{other}.w3") || *b == format!("{other}.w3")) {
                    w.cables.push((format!("{other}.w3"), format!("{id}.w3")));
                }
            }
            _ => {}
        }
    }
    w
}

impl Wiring {
    fn text(&self) -> String {
        let mut out = String::from(
            "rig \"mains\" profile eu-uk\nchassis frame\nbattery house: lifepo4 12.8V 200Ah\n\
             run house.+ : 0.2m 50mm2, fuse F 200A class-t, 0.2m 50mm2, isolator S 250A, 0.2m 50mm2, inv.dc+\n\
             run house.- : 0.6m 50mm2, inv.dc-\n",
        );
        out.push_str(&format!("inverter inv: 1200W dc 12V ac 230V {} isolated\n", self.bond["inv"]));
        if self.present.contains(&"hook") {
            out.push_str("inlet hook: 230V 16A\n");
        }
        if self.present.contains(&"gen") {
            out.push_str(&format!("generator gen: 230V 10A {}\n", self.bond["gen"]));
        }
        for (id, both) in &self.transfers {
            out.push_str(&format!("transfer {id}: manual {}-pole 16A\n", if *both { 2 } else { 1 }));
        }
        for (id, ways, jumper) in &self.panels {
            let ways: Vec<String> = ways.iter().map(|w| format!("way {w} 10A")).collect();
            let jumper = if *jumper { " jumper" } else { "" };
            out.push_str(&format!("panel {id}: 2-pole main 16A rcd 30mA{jumper}, {}\n", ways.join(", ")));
        }
        for o in &self.outlets {
            out.push_str(&format!("outlet {o}\n"));
        }
        if self.charger {
            out.push_str("charger c: 10A 14.4V\nrun c.dc+ : 0.2m 6mm2, fuse G 20A class-t, 0.2m 6mm2, house.+\nrun c.dc- : 0.4m 6mm2, house.-\n");
        }
        for (n, (from, to)) in self.cables.iter().enumerate() {
            out.push_str(&format!("cable k{n} 3x2.5mm2 1m {from} -> {to}\n"));
        }
        out
    }

    /// What hangs together of one core with the changeovers so: a label for each end.
    fn joined(&self, at: &[bool], neutral: bool) -> BTreeMap<String, usize> {
        let mut pairs: Vec<(String, String)> = self.cables.clone();
        for ((id, both), second) in self.transfers.iter().zip(at) {
            // A common neutral is one bar, whatever the lever says.
            let sides: &[&str] = match (neutral && !both, second) {
                (true, _) => &["a", "b"],
                (false, false) => &["a"],
                (false, true) => &["b"],
            };
            pairs.extend(sides.iter().map(|s| (format!("{id}.{s}"), format!("{id}.out"))));
        }
        for (id, ways, _) in &self.panels {
            pairs.extend(ways.iter().map(|w| (format!("{id}.{w}"), format!("{id}.main"))));
        }
        let mut label: BTreeMap<String, usize> = BTreeMap::new();
        for name in pairs.iter().flat_map(|(a, b)| [a, b]).chain(&self.outlets) {
            let next = label.len();
            label.entry(name.clone()).or_insert(next);
        }
        for s in &self.present {
            let next = label.len();
            label.entry((*s).to_owned()).or_insert(next);
        }
        // Labels spread until nothing changes: slow, and plainly right.
        loop {
            let mut changed = false;
            for (a, b) in &pairs {
                let least = label[a].min(label[b]);
                changed |= label[a] != least || label[b] != least;
                label.insert(a.clone(), least);
                label.insert(b.clone(), least);
            }
            if !changed {
                return label;
            }
        }
    }

    /// What the judge finds: kinds of hazard.
    fn judged(&self) -> BTreeSet<&'static str> {
        let mut found = BTreeSet::new();
        for levers in 0..1u32 << self.transfers.len() {
            let at: Vec<bool> = (0..self.transfers.len()).map(|k| levers & (1 << k) != 0).collect();
            let (lines, neutrals) = (self.joined(&at, false), self.joined(&at, true));
            for (n, a) in self.present.iter().enumerate() {
                if self.present[n + 1..].iter().any(|b| lines[*a] == lines[*b]) {
                    found.insert("backfeed");
                }
                // This source alone.
                let same = |name: &str| neutrals.get(name) == Some(&neutrals[*a]);
                let jumpers = self.panels.iter().filter(|(id, _, j)| *j && same(&format!("{id}.main"))).count();
                let own = usize::from(self.bond[a] != "bond-none");
                // A generator's fixed bond stays where it is, whether it runs or not; those of the others are there while they
                // are on as well, which a common neutral brings here.
                let others = || self.present.iter().filter(|b| *b != a && self.bond[*b] != "bond-none" && same(b));
                let always = others().filter(|b| **b == "gen").count();
                let foreign = others().count();
                let feeds = self.outlets.iter().filter(|o| lines[*o] == lines[*a]).count();
                if feeds > 1 && own + jumpers + always == 0 {
                    found.insert("no bond");
                }
                if feeds > 0 && own > 0 && jumpers + foreign > 0 {
                    found.insert("second bond");
                }
                if *a == "inv" && self.charger && lines.get("c") == Some(&lines["inv"]) {
                    found.insert("loop");
                }
            }
        }
        found
    }
}

#[test]
fn bonds_backfeed_and_loops_agree_with_a_judge_of_every_position() {
    let slugs = |kind: &str| -> &[&str] {
        match kind {
            "backfeed" => &["ac-backfeed"],
            "no bond" => &["bond-missing"],
            "second bond" => &["bond-away", "bond-several"],
            _ => &["charger-loop"],
        }
    };
    let mut count: BTreeMap<&str, [usize; 2]> = BTreeMap::new();
    for seed in 0..400 {
        let w = wiring(seed);
        let text = w.text();
        let rig = parse(&text).unwrap_or_else(|e| panic!("{seed}: {e:?}\n{text}"));
        let findings = audit(&rig, ProfileId::EU_UK).findings;
        let judged = w.judged();
        for kind in ["backfeed", "no bond", "second bond", "loop"] {
            // Two sources on one conductor make one island of both: its bonds are told with the backfeed.
            if kind != "backfeed" && judged.contains("backfeed") {
                continue;
            }
            let found = findings.iter().any(|f| slugs(kind).contains(&f.rule.slug));
            let keys: Vec<String> = findings.iter().map(|f| f.key()).collect();
            assert_eq!(found, judged.contains(kind), "{seed}: {kind}, found {keys:?}\n{text}");
            count.entry(kind).or_default()[usize::from(found)] += 1;
        }
    }
    println!("400 rigs: {count:?} without and with");
    assert!(count.values().all(|[without, with]| *without > 20 && *with > 20), "{count:?}");
}
