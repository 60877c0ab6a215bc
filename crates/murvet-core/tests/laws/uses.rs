//! The law of uses: a way of using the rig is barred or limited exactly when a finding of keep off or before use shows in one of
//! its states. The judge here strips the rig of every other source and follows the conductors by itself.

use super::rigs::sketch;
use murvet_core::audit::{Audit, audit, audit_by};
use murvet_core::catalogue::{Kind, Role, SourceKind};
use murvet_core::network::EdgeKind;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::{plan, uses};
use murvet_core::rig::{Rig, Status};
use murvet_core::rules::{Certainty, Finding, Hazard, Severity};
use std::collections::BTreeSet;

const KINDS: [(&str, SourceKind, Kind); 4] = [
    ("shore", SourceKind::Shore, Kind::Inlet),
    ("inverter", SourceKind::Inverter, Kind::Inverter),
    ("solar", SourceKind::Array, Kind::Array),
    ("generator", SourceKind::Generator, Kind::Generator),
];

/// The rig with no source of another use.
fn alone(rig: &Rig, kind: Kind) -> Rig {
    let mut rig = rig.clone();
    let other = |k: Kind| {
        k != kind
            && matches!(k, Kind::Inlet | Kind::Inverter | Kind::Generator | Kind::Array | Kind::Alternator | Kind::Tow)
    };
    for p in rig.components.iter_mut().filter(|p| other(p.kind)) {
        p.status = Status::Removed;
    }
    rig
}

/// Every node of the live side that a source of a kind could reach, over whatever can close and through what converts; of an
/// inverter what it draws from too.
fn reached(audit: &Audit, kind: SourceKind) -> BTreeSet<usize> {
    let net = &audit.net;
    let back = |n: usize| matches!(net.nodes[n].duty, Role::Minus | Role::Neutral | Role::Earth);
    let own = || net.sources.iter().filter(|s| s.kind == kind);
    let mut open: Vec<usize> = own().map(|s| s.plus).collect();
    open.extend(own().filter(|_| kind == SourceKind::Inverter).filter_map(|s| Some(s.input?.0)));
    let mut seen = BTreeSet::new();
    while let Some(n) = open.pop() {
        if !seen.insert(n) {
            continue;
        }
        for e in net.edges.iter().filter(|e| !matches!(e.what, EdgeKind::Bond { .. })) {
            for (a, b) in [(e.a, e.b), (e.b, e.a)] {
                if a == n && !back(b) {
                    open.push(b);
                }
            }
        }
        let fed =
            |s: &&murvet_core::network::Source| s.input.is_some_and(|(p, _)| p == n) && s.kind != SourceKind::Inverter;
        open.extend(net.sources.iter().filter(fed).map(|s| s.plus));
    }
    seen
}

/// The nodes of the live side that a finding is about; nothing where it is about the way back alone.
fn nodes(audit: &Audit, f: &Finding) -> BTreeSet<usize> {
    let net = &audit.net;
    let of_wires =
        net.edges.iter().filter(|e| matches!(e.what, EdgeKind::Wire(w) if f.wires.contains(&net.wires[w].spot)));
    let mut all: BTreeSet<usize> = of_wires.flat_map(|e| [e.a, e.b]).collect();
    if all.is_empty() {
        let own = |id: &str| f.subject.split('>').any(|s| s == id);
        let at = |n: &usize| net.nodes[*n].component.is_some_and(|p| own(&audit.assumed.components[p].id));
        all = (0..net.nodes.len()).filter(at).collect();
    }
    all.retain(|n| !matches!(net.nodes[*n].duty, Role::Minus | Role::Neutral | Role::Earth));
    all
}

#[test]
fn a_use_is_barred_or_limited_exactly_by_what_shows_in_its_states() {
    let mut rigs: Vec<(String, ProfileId)> = (0..200).map(|seed| (sketch(seed).text(), sketch(seed).profile)).collect();
    for text in [
        include_str!("../../../murvet/demo/heron.rig"),
        include_str!("../../../murvet/demo/kite.rig"),
        include_str!("../../../murvet/demo/currawong.rig"),
    ] {
        rigs.push((text.to_owned(), ProfileId::NA_RV));
    }
    let (mut checked, mut barred, mut free) = (0, 0, 0);
    for (text, profile) in &rigs {
        let rig = parse(text).expect("parses");
        let whole = audit(&rig, rig.profile.unwrap_or(*profile));
        let list = uses(&whole, &plan(&whole), |_| Some(true));
        for (name, kind, component) in KINDS {
            let Some(here) = list.iter().find(|u| u.name == name) else { continue };
            // An inverter inside a unit that charges as well cannot be taken out by itself.
            if rig.components.iter().any(|p| p.kind == Kind::InverterCharger) {
                continue;
            }
            let stripped = audit_by(&alone(&rig, component), &whole.profile);
            let far = reached(&whole, kind);
            for (n, f) in whole.findings.iter().enumerate().filter(|(_, f)| f.severity >= Severity::BeforeUse) {
                checked += 1;
                let number = format!("{} ", n + 1);
                let bars =
                    here.barred_by.iter().chain(here.limited_by.iter().map(|l| &l.finding)).map(ToString::to_string);
                let bars = bars.clone().any(|b| b.starts_with(&number));
                let at = nodes(&whole, f);
                let touched = at.is_empty() || at.iter().any(|n| far.contains(n));
                assert!(!bars || touched, "{name} is barred by {}, which it does not reach\n{text}", f.key());
                let same = |o: &&Finding| o.key() == f.key() && o.severity >= Severity::BeforeUse;
                let shows = stripped.findings.iter().find(same).is_some_and(|o| o.certainty == Certainty::Certain);
                let direct = !at.is_empty() && touched;
                assert!(bars || !(shows && direct), "{name} is free although {} shows in it\n{text}", f.key());
                barred += usize::from(bars);
                free += usize::from(!bars);
            }
        }
    }
    println!("{} rigs, {checked} findings by uses: {barred} bar or limit, {free} do not", rigs.len());
    assert!(barred > 100 && free > 20, "{barred} {free}");
}

#[test]
fn a_use_is_limited_where_one_control_left_alone_keeps_the_finding_away() {
    let rig = |selector: &str| {
        format!(
            "rig r profile eu-uk\nbattery house: lifepo4 12.8V 200Ah\ninverter inv: 1000W dc 12V ac 230V bond-switched isolated\n\
             inlet hook: 230V 16A\ntransfer pick: {selector}2-pole 16A\nconverter conv: 10A 14.4V\noutlet desk\n\
             panel front: main 16A rcd 30mA, way a 10A\npanel rear: main 10A rcd 30mA, way c 6A, way s 6A\n\
             run house.+ : 0.2m 25mm2, fuse F1 125A class-t, 0.5m 25mm2, inv.dc+\nrun house.- : 0.7m 25mm2, inv.dc-\n\
             run conv.dc+ : 0.3m 6mm2, fuse F2 20A class-t, 0.2m 6mm2, house.+\nrun conv.dc- : 0.5m 6mm2, house.-\n\
             cable w1 3x2.5mm2 1m hook -> front.main\ncable w2 3x1.5mm2 1m inv -> rear.main\n\
             cable w3 3x1.5mm2 1m front.a -> pick.a\ncable w4 3x1.5mm2 1m rear.c -> pick.b\ncable w5 3x1.5mm2 1m pick.out -> conv\n\
             cable w6 3x1.5mm2 1m rear.s -> desk\n"
        )
    };
    let rig = parse(&rig("manual ")).expect("parses");
    let whole = audit(&rig, ProfileId::EU_UK);
    let f = whole.findings.iter().find(|f| f.rule.slug == "charger-loop").expect("a loop by the selector");
    assert_eq!(f.severity, Severity::BeforeUse);
    let list = uses(&whole, &plan(&whole), |_| Some(true));
    let inverter = list.iter().find(|u| u.name == "inverter").expect("the use");
    assert!(inverter.barred_by.iter().all(|b| b.hazard != Hazard::ChargerLoop), "{:?}", inverter.barred_by);
    let limit =
        inverter.limited_by.iter().find(|l| l.finding.hazard == Hazard::ChargerLoop).expect("limited by the loop");
    assert!(limit.precaution.to_string().contains("pick stays"), "{}", limit.precaution);
}
