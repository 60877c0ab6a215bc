//! Nothing hides behind anything: every conductor that an independent judge calls unprotected is named.

use super::OVERCURRENT;
use super::common::judge;
use super::judge::unprotected;
use super::rigs::sketch;
use super::rigs::{GAUGES, METRIC, ampacity};
use murvet_core::audit::audit;
use murvet_core::meaning::{HopEnd, walk};
use murvet_core::network::WireSpot;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::{Component, Rig, Step, TermRef, Value};
use murvet_core::rules::{Finding, Target};
use std::collections::BTreeSet;

#[test]
fn no_conductor_that_the_judge_calls_unprotected_is_unnamed() {
    let (mut failing, mut silent) = (0, 0);
    for seed in 0..1000 {
        let s = sketch(seed);
        let text = s.text();
        let rig = parse(&text).unwrap_or_else(|e| panic!("{seed}: {e:?}\n{text}"));
        let audit = judge(&text, s.profile);
        let spots: BTreeSet<WireSpot> = audit
            .findings
            .iter()
            .filter(|f| OVERCURRENT.contains(&f.rule.slug))
            .flat_map(|f| f.wires.iter().copied())
            .collect();
        let named = |lead: usize| {
            let lead = &s.drawing.leads[lead];
            spots.iter().any(|spot| match (spot, lead.spot, &lead.cable) {
                (WireSpot::Run(r, step), Some(at), _) => (*r, *step) == at,
                (WireSpot::Cable(c, _), _, Some(id)) => rig.cables[*c].id == *id,
                _ => false,
            })
        };
        let wanted = unprotected(&s);
        failing += wanted.len();
        silent += s.drawing.leads.len() - wanted.len();
        for (n, lead) in s.drawing.leads.iter().enumerate() {
            let between = format!("{} to {}", s.drawing.nodes[lead.a], s.drawing.nodes[lead.b]);
            assert!(named(n) || !wanted.contains(&n), "rig {seed}: {between} is not named\n{text}");
            let missing =
                audit.findings.iter().any(|f| f.rule.slug == "overcurrent-missing" || f.rule.slug == "device-too-far");
            // What hangs on a lead without a device is named with it; beside that nothing sound is accused.
            assert!(wanted.contains(&n) || !named(n) || missing, "rig {seed}: {between} is named and is sound\n{text}");
        }
    }
    println!("1000 rigs: {failing} conductors unprotected by the judge, each named; {silent} sound");
    assert!(failing > 1000 && silent > 5000, "{failing}, {silent}");
}

/// A name of a conductor that stays while others are changed: its length, which is unlike any other's, or its cable.
fn tag(rig: &Rig, spot: WireSpot) -> String {
    match spot {
        WireSpot::Run(r, s) => match &rig.runs[r].steps[s] {
            Step::Conductor(c) => c.length.text.clone(),
            _ => String::new(),
        },
        WireSpot::Cable(c, core) => format!("{}.{core}", rig.cables[c].id),
    }
}

/// Makes every length unlike any other, by less than a hundredth of a millimetre downward.
fn tagged(rig: &mut Rig) {
    let mut n = 0;
    for c in rig.runs.iter_mut().flat_map(|r| &mut r.steps) {
        if let Step::Conductor(c) = c {
            n += 1;
            let metres: f64 = c.length.text.trim_end_matches('m').parse().expect("metres");
            c.length = Value::new(format!("{:.8}m", metres - 1e-8 * f64::from(n)));
        }
    }
}

/// The largest standard device for a size.
fn device_for(profile: ProfileId, size: &str, mains: bool) -> u32 {
    let table = if profile == ProfileId::NA_RV { &GAUGES } else { &METRIC };
    let at = table.iter().position(|t| t.0 == size).expect("a size of the table");
    ampacity(profile, at, mains).1 as u32
}

/// Puts right what a finding names: the device that is missing or too far is put in where the danger enters, as large as
/// its conductor allows; any other conductor is made thick enough for anything.
fn put_right(rig: &mut Rig, tags: &[String], f: &Finding, profile: ProfileId) {
    let missing = ["overcurrent-missing", "device-too-far"].contains(&f.rule.slug);
    for (n, tag) in tags.iter().enumerate() {
        if let Some((id, _)) = tag.split_once('.').filter(|(id, _)| rig.cable(id).is_some()) {
            let id = id.to_owned();
            for c in rig.cables.iter_mut().filter(|c| c.id == id) {
                c.size = Value::new("240mm2");
            }
            continue;
        }
        let at = rig.runs.iter().enumerate().find_map(|(r, run)| {
            let step = run.steps.iter().position(|s| matches!(s, Step::Conductor(c) if c.length.text == *tag))?;
            Some((r, step))
        });
        let Some((r, step)) = at else { continue };
        if !missing {
            if let Step::Conductor(c) = &mut rig.runs[r].steps[step] {
                c.size = Value::new("240mm2");
            }
            continue;
        }
        if n > 0 {
            continue;
        }
        let Target::Wires { entry, .. } = &f.target else { continue };
        let from = {
            let hops = walk(rig, &rig.runs[r]).expect("walks");
            let hop = hops.iter().find(|h| h.step == step && h.conductor.is_some()).expect("a hop");
            match &hop.from {
                HopEnd::Terminal(p, t) => {
                    let component = &rig.components[*p];
                    if component.kind.is_node() {
                        component.id == *entry
                    } else {
                        format!("{}.{t}", component.id) == *entry
                    }
                }
                _ => false,
            }
        };
        let Step::Conductor(c) = rig.runs[r].steps[step].clone() else { continue };
        let id = rig.fresh_id("new");
        rig.components.push(
            Component::new(&id, murvet_core::catalogue::Kind::Fuse)
                .with("rating", format!("{}A", device_for(profile, &c.size.text, false))),
        );
        let stub = Step::Conductor(murvet_core::rig::Conductor { length: Value::new("0.02m"), ..c.clone() });
        let fuse = Step::At(TermRef { component: id, terminal: None });
        let put: [Step; 2] = if from { [stub, fuse] } else { [fuse, stub] };
        let place = if from { step } else { step + 1 };
        rig.runs[r].steps.splice(place..place, put);
    }
}

#[test]
fn with_everything_named_put_right_nothing_that_was_wrong_is_new() {
    let also = ["contact-overloaded", "appliance-maximum"];
    let counts = |f: &&Finding| OVERCURRENT.contains(&f.rule.slug) || also.contains(&f.rule.slug);
    let mut changed = 0;
    for seed in 0..1000 {
        let s = sketch(seed);
        let text = s.text();
        let mut rig = parse(&text).expect("parses");
        tagged(&mut rig);
        let before = audit(&rig, s.profile);
        let found: Vec<(&Finding, Vec<String>)> = before
            .findings
            .iter()
            .filter(counts)
            .map(|f| (f, f.wires.iter().map(|w| tag(&rig, *w)).collect()))
            .collect();
        let named: BTreeSet<&String> = found.iter().flat_map(|(_, tags)| tags).collect();
        let keys: BTreeSet<String> = found.iter().map(|(f, _)| f.key()).collect();
        let mut mended = rig.clone();
        // What is missing first, by the sizes as they are.
        let missing = |f: &Finding| ["overcurrent-missing", "device-too-far"].contains(&f.rule.slug);
        let (first, then): (Vec<_>, Vec<_>) = found.iter().partition(|(f, _)| missing(f));
        for (f, tags) in first.into_iter().chain(then) {
            put_right(&mut mended, tags, f, s.profile);
        }
        changed += usize::from(!found.is_empty());
        let after = audit(&mended, s.profile);
        for f in after.findings.iter().filter(counts) {
            let known = keys.contains(&f.key()) || f.wires.iter().any(|w| named.contains(&tag(&mended, *w)));
            assert!(
                known,
                "rig {seed}: {} was hidden: {}\n{text}\nmended:\n{}",
                f.key(),
                f.statement,
                murvet_core::notation::print(&mended)
            );
        }
    }
    println!("1000 rigs, {changed} of them mended wherever anything was named; nothing was hidden");
}
