//! What of the trace a reading contradicts: edits to the rig as traced under which the reading is what it should be.
//!
//! A reading that is not as predicted means a fault in the rig or one in the trace. [`diagnosis`](crate::diagnosis) tries the
//! faults; here the trace is tried: every word that was not seen, links and bonds, swapped cores, cables that hang elsewhere,
//! sizes and lengths. Each is made on a copy, the copy is put through the same model, and only what explains a reading and
//! takes the explanation from none is offered.

use crate::audit::Audit;
use crate::bounds::open_words;
use crate::catalogue::{AttrType, Kind};
use crate::diagnosis::{ODD, Observed, deviation};
use crate::meaning::check;
use crate::measure::{Function, Probe, World, ends};
use crate::network::{RHO_20, WireSpot};
use crate::remedies::{Edit, apply};
use crate::rig::{Core, Rig, TermRef};
use crate::units::{Quantity, short};

/// A correction of the trace.
#[derive(Debug, Clone, PartialEq)]
pub struct Correction {
    /// What it says of the rig, in words.
    pub title: String,
    /// How the trace is changed.
    pub edits: Vec<Edit>,
    /// How many readings that the trace does not explain it explains.
    pub explains: usize,
    /// How far the readings lie from what it predicts, the sum of squares in tolerances. Less is better.
    pub misfit: f64,
}

/// A reading within so many tolerances is explained.
const NEAR: f64 = 1.5;
/// Corrections kept.
const KEPT: usize = 6;
/// Least current in a conductor for its size or length to be in question, A.
const LEAST_A: f64 = 0.5;
/// A length that would have to be wrong by more than this factor is no slip of the tape.
const MOST_LONGER: f64 = 4.0;
/// A fit this much worse than the best is no rival to it, sum of squares.
const RIVAL: f64 = 12.0;

/// The corrections that explain readings, the best first. `odd` are the readings, by index, that are not as predicted by the
/// bands of their tests; the others must stay as they are.
///
/// Complexity: one network and one solve for each candidate, of which there are as many as cables times ways and conductors
/// times sizes; all readings are looked at only where an odd one is explained.
///
/// ```
/// use murvet_core::{audit::audit, corrections::corrections, diagnosis::Observed, notation::parse, profiles::ProfileId, readings::plan};
/// let rig = parse("inlet hook: 230V 16A\npanel cu: main 16A rcd 30mA, way s 10A\noutlet o\n\
///     cable a 3x2.5mm2 3m hook -> cu.main\ncable b 3x1.5mm2 2m cu.s -> o\n").unwrap();
/// let audit = audit(&rig, ProfileId::EU_UK);
/// let core = plan(&audit).into_iter().find(|t| t.id == "core:b:PE").unwrap();
/// // Earth does not arrive where it should.
/// let seen = Observed::measured(core.probe.unwrap(), f64::INFINITY);
/// let list = corrections(&rig, &audit, &[seen], &[0]);
/// assert!(list.iter().any(|c| c.title.contains("N and PE are swapped")), "{list:?}");
/// ```
pub fn corrections(rig: &Rig, audit: &Audit, seen: &[Observed], odd: &[usize]) -> Vec<Correction> {
    let traced = World::new(audit, &[]);
    let off = |world: &World, o: &Observed| deviation(o.probe.function, world.read(&o.probe).unwrap_or(0.0), o.value);
    let before: Vec<f64> = seen.iter().map(|o| off(&traced, o)).collect();
    let odd: Vec<usize> = odd.iter().copied().filter(|&i| i < seen.len() && !seen[i].told).collect();
    if odd.is_empty() {
        return Vec::new();
    }
    // It must lie well within the tolerance then, and much nearer than before.
    let fits = |i: usize, d: f64| d.abs() <= NEAR && d.abs() <= 0.5 * before[i].abs();
    let asked: Vec<&Observed> = odd.iter().map(|&i| &seen[i]).collect();
    let mut list = Vec::new();
    for (title, edits) in candidates(rig, audit, &traced, &asked) {
        let mut copy = rig.clone();
        if edits.iter().any(|e| apply(&mut copy, e).is_err()) || !check(&copy).is_empty() {
            continue;
        }
        let world = World::edited(audit, &copy);
        let explains = odd.iter().filter(|&&i| fits(i, off(&world, &seen[i]))).count();
        if explains == 0 {
            continue;
        }
        let after: Vec<f64> = seen.iter().map(|o| off(&world, o)).collect();
        let takes = (0..seen.len()).any(|i| before[i].abs() <= ODD && after[i].abs() > ODD);
        if !takes {
            let misfit = after.iter().map(|d| (d * d).min(4.0 * ODD * ODD)).sum();
            list.push(Correction { title, edits, explains, misfit });
        }
    }
    list.sort_by(|a, b| b.explains.cmp(&a.explains).then(a.misfit.total_cmp(&b.misfit)));
    // Sizes and lengths that fit far worse than another are no rival to it.
    let best = list.first().map_or(0.0, |c| c.misfit);
    list.retain(|c| c.misfit <= best + RIVAL);
    list.truncate(KEPT);
    list
}

type Candidate = (String, Vec<Edit>);

fn candidates(rig: &Rig, audit: &Audit, traced: &World, asked: &[&Observed]) -> Vec<Candidate> {
    let mut list = words(rig);
    let mains = |f: Function| !matches!(f, Function::DcVolts | Function::DcAmps);
    if asked.iter().any(|o| mains(o.probe.function)) {
        list.extend(landings(rig));
    }
    for o in asked.iter().filter(|o| o.probe.function == Function::DcVolts) {
        list.extend(conductors(rig, audit, traced, o));
    }
    list
}

/// Words that were not seen, bonds, and links between neutral and earth.
fn words(rig: &Rig) -> Vec<Candidate> {
    let attribute = |component: &str, key: &str, value: Option<&str>| Edit::Attribute {
        component: component.to_owned(),
        key: key.to_owned(),
        value: value.map(str::to_owned),
    };
    let mut list: Vec<Candidate> = Vec::new();
    let mut add = |title: String, edit: Edit| {
        if !list.iter().any(|(_, e)| e[..] == [edit.clone()]) {
            list.push((title, vec![edit]));
        }
    };
    for open in open_words(rig) {
        let (component, key, choices) = open.asked(rig);
        for choice in choices {
            add(format!("{component} is {choice}"), attribute(component, key, Some(choice)));
        }
    }
    for p in rig.components.iter().filter(|p| p.status.present()) {
        if let (Some(AttrType::Word(choices)), Some(now)) = (p.kind.spec().attr("bond").map(|a| a.ty), p.word("bond")) {
            for choice in choices.iter().filter(|c| **c != now) {
                add(format!("{} is {choice}", p.id), attribute(&p.id, "bond", Some(choice)));
            }
        }
        if p.kind == Kind::Panel {
            let (title, value) = if p.flag("jumper") {
                (format!("{} has no link between neutral and earth", p.id), None)
            } else {
                (format!("{} has a link between neutral and earth", p.id), Some("yes"))
            };
            add(title, attribute(&p.id, "jumper", value));
        }
    }
    list
}

/// Cores that are swapped, cables that hang elsewhere, inputs of a changeover exchanged.
fn landings(rig: &Rig) -> Vec<Candidate> {
    let mut list: Vec<Candidate> = Vec::new();
    let present = || rig.cables.iter().filter(|c| c.status.present());
    for c in present().filter(|c| c.cores >= 3 && !c.no_neutral) {
        for (a, b) in [(Core::L, Core::N), (Core::N, Core::PE), (Core::L, Core::PE)] {
            let title = format!("{} and {} are swapped at the end of {}", a.word(), b.word(), c.id);
            list.push((title, vec![Edit::SwapCores { cable: c.id.clone(), a, b }]));
        }
    }
    for c in present() {
        let Some(to) = rig.component(&c.to.component) else { continue };
        if !matches!(to.kind, Kind::Outlet | Kind::GfciOutlet | Kind::AcLoad | Kind::Charger | Kind::Panel) {
            continue;
        }
        for p in rig.components.iter().filter(|p| p.status.present() && p.id != to.id) {
            let ways: Vec<Option<String>> = match p.kind {
                Kind::Panel => p.ways.iter().map(|w| Some(w.id.clone())).collect(),
                Kind::Outlet => vec![None],
                _ => continue,
            };
            for terminal in ways {
                let at = TermRef { component: p.id.clone(), terminal };
                if at != c.from {
                    let words = at.terminal.as_ref().map_or_else(|| p.id.clone(), |t| format!("{}.{t}", p.id));
                    let edit = Edit::Reland { cable: c.id.clone(), start: true, to: at };
                    list.push((format!("{} hangs on {words}", c.id), vec![edit]));
                }
            }
        }
    }
    for p in rig.components.iter().filter(|p| p.kind == Kind::Transfer && p.status.present()) {
        let into = |port: &str| present().find(|c| c.to.component == p.id && c.to.terminal.as_deref() == Some(port));
        if let (Some(a), Some(b)) = (into("a"), into("b")) {
            let land = |c: &crate::rig::Cable, to: &TermRef| Edit::Reland {
                cable: c.id.clone(),
                start: false,
                to: to.clone(),
            };
            list.push((
                format!("{} and {} are exchanged at {}", a.id, b.id, p.id),
                vec![land(a, &b.to), land(b, &a.to)],
            ));
        }
    }
    list
}

/// Another size or another length of each conductor that carries current in the stand of a reading of lost volts.
fn conductors(rig: &Rig, audit: &Audit, traced: &World, o: &Observed) -> Vec<Candidate> {
    let Some(predicted) = traced.read(&o.probe) else { return Vec::new() };
    let mut list: Vec<Candidate> = Vec::new();
    for wire in audit.net.wires.iter().filter(|w| matches!(w.spot, WireSpot::Run(..)) && w.length_m > 0.0) {
        let clamp = Probe {
            function: Function::DcAmps,
            leads: vec![(format!("wire:{}", wire.key), String::new())],
            setup: o.probe.setup.clone(),
        };
        let amps = traced.read(&clamp).map_or(0.0, f64::abs);
        let lost = amps * wire.length_m * RHO_20 / (wire.laid.area_mm2 * 1e-6);
        if amps < LEAST_A || lost < 1e-4 {
            continue;
        }
        let area = wire.laid.area_mm2;
        // The size of which the copper would lose what was read, and its neighbours.
        let fits = area * lost / (lost + o.value - predicted).max(1e-3);
        let near = |size: &&str| {
            Quantity::parse(size).is_ok_and(|q| (q.si / fits).ln().abs() < 0.5 && (q.si / area).ln().abs() > 0.05)
        };
        for size in audit.rules.on_sale().filter(near) {
            let title = format!("the conductor {} is {size}, not {}", ends(&wire.key), wire.title);
            list.push((title, vec![Edit::Resize { spots: vec![wire.spot], size: (*size).to_owned() }]));
        }
        let longer = (lost + o.value - predicted) / lost;
        let taped = length_is_measured(rig, wire.spot);
        if !taped && (1.0 / MOST_LONGER..MOST_LONGER).contains(&longer) && (longer - 1.0).abs() > 0.1 {
            let length = format!("{}m", short(wire.length_m * longer));
            let title = format!("the conductor {} is {length} long, not {}", ends(&wire.key), wire.title);
            list.push((title, vec![Edit::Lengthen { spot: wire.spot, length }]));
        }
    }
    list
}

fn length_is_measured(rig: &Rig, spot: WireSpot) -> bool {
    use crate::rig::{Provenance, Step};
    let WireSpot::Run(run, step) = spot else { return true };
    let found = rig.runs.get(run).and_then(|r| r.steps.get(step));
    matches!(found, Some(Step::Conductor(c)) if c.length.from == Some(Provenance::Measured))
}
