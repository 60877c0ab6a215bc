//! Links inside a bank that are thinner than what passes them.

use super::protection::{asked_at, greatest_into};
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::Role;
use crate::network::{Case, DcNet, EdgeKind, INFINITE};
use crate::profiles::{Ampacity, Duty, Laid, ampacity};
use crate::rig::Component;
use crate::units::{Dimension, apart, short};

pub(super) static RULE: Rule = Rule {
    slug: "bank-link",
    hazard: Hazard::Battery,
    statement: "The links between the batteries of a bank carry what is drawn at its taps, with one battery missing too.",
    why: "A link that is thinner than its share is the hottest part of the bank, in the middle of it, and no device stands before it.",
    source: "IEC 60364-4-43 section 434.3 (recalled); shares computed from resistances; common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::Links],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Battery, "links of a bank thinner than its main cable")],
    schools: &["battery-device"],
    example: include_str!("examples/bank-link.rig"),
};

/// A link with what it may carry.
struct Link {
    edge: usize,
    words: String,
    subject: String,
    components: Vec<usize>,
    wire: Option<usize>,
    amp: Ampacity,
}

fn of_bank(ctx: &Context, p: &Component) -> Option<Ampacity> {
    let area = p.si("links", Dimension::Area)?;
    Some(ampacity(ctx.profile, Duty::Dc, &Laid::plain(area)))
}

fn links(ctx: &Context) -> Vec<Link> {
    let net = ctx.net;
    let mut list = Vec::new();
    for (edge, e) in net.edges.iter().enumerate() {
        let ends = [e.a, e.b].into_iter().filter_map(|n| net.nodes[n].component);
        match e.what {
            EdgeKind::Strap { component, ohm } if ohm > 0.0 => {
                let p = &ctx.rig.components[component];
                let Some(amp) = of_bank(ctx, p) else { continue };
                list.push(Link {
                    edge,
                    words: format!("the link {} to {}", net.nodes[e.a].name, net.nodes[e.b].name),
                    subject: p.id.clone(),
                    components: vec![component],
                    wire: None,
                    amp,
                });
            }
            EdgeKind::Wire(w) if ctx.is_link(w) => list.push(Link {
                edge,
                words: ctx.wire_words(w),
                subject: ctx.wire_subject(w),
                components: ends.collect(),
                wire: Some(w),
                amp: ctx.ampacity(w).clone(),
            }),
            _ => {}
        }
    }
    list
}

/// Currents drawn from a bank at once.
struct Draw {
    words: String,
    /// What appliances take, rather than what their devices would let through.
    rated: bool,
    /// Positive and negative node of the network, A.
    loads: Vec<(usize, usize, f64)>,
}

/// What can be drawn: by each appliance alone up to what its devices let through, and by all of them together as far as
/// the devices on the way allow.
fn draws(ctx: &Context) -> Vec<Draw> {
    let net = ctx.net;
    let mut alone = Vec::new();
    let mut together = Vec::new();
    for c in net.consumers.iter().filter(|c| !c.ac) {
        let (most, held) = greatest_into(ctx, &[c.plus], &[], true, 0.0);
        let name = ctx.component_words(c.component);
        if let Some(amps) = c.current_a {
            let words = format!("{name}, {}", c.working);
            alone.push(Draw { words, rated: true, loads: vec![(c.plus, c.minus, amps.min(most))] });
            together.push((c.plus, c.minus, amps.min(most)));
        }
        if most > 0.0 && most < INFINITE * 0.5 {
            let words = format!("{name}, {} A held by: {}", short(most), held.join("; "));
            alone.push(Draw { words, rated: false, loads: vec![(c.plus, c.minus, most)] });
        }
    }
    let banks = net.stores.iter().map(|s| s.plus);
    if let Some(state) = ctx.widest().map(|w| w.1).next()
        && together.len() > 1
    {
        let sum: f64 = together.iter().map(|t| t.2).sum();
        let asked = banks.map(|n| asked_at(ctx, state, n)).fold(0.0, f64::max);
        let part = if sum > 0.0 { (asked / sum).min(1.0) } else { 0.0 };
        let scaled = together.into_iter().map(|(a, b, amps)| (a, b, amps * part)).collect();
        let words = format!("everything on together, {} A", short(sum * part));
        alone.push(Draw { words, rated: true, loads: scaled });
    }
    alone
}

/// What passes a link at the worst.
struct Passing {
    amps: f64,
    /// What is drawn, in words.
    drawn: String,
    /// It passes in use, with every battery there, and is too much.
    in_use: bool,
    /// The battery that gives nothing.
    missing: Option<String>,
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let links = links(ctx);
    let inner = net.stores.iter().any(|s| of_bank(ctx, &ctx.rig.components[s.component]).is_some());
    if links.is_empty() && !inner {
        return series_outside(ctx).into_iter().chain(no_device_each(ctx)).collect();
    }
    let dc = DcNet::new(ctx.rig, net, Case::Typical, |_| true);
    let draws = draws(ctx);
    let mut worst: Vec<Option<Passing>> = links.iter().map(|_| None).collect();
    let mut strings: Vec<Option<Passing>> = net.stores.iter().map(|_| None).collect();
    for missing in std::iter::once(None).chain((0..dc.cells.len()).map(Some)) {
        let mut left = dc.clone();
        let gone = missing.map(|m| left.cells.remove(m));
        if left.cells.is_empty() {
            continue;
        }
        let Ok(factored) = left.factored() else { continue };
        for draw in &draws {
            let loads: Vec<(usize, usize, f64)> =
                draw.loads.iter().filter_map(|(p, m, a)| Some((dc.at(*p)?, dc.at(*m)?, *a))).collect();
            let (Ok(volts), Ok(shares)) = (factored.volts(&loads), factored.shares(&loads)) else { continue };
            // What fails in use stands before what a device would let through, and before one battery missing.
            let note = |slot: &mut Option<Passing>, amps: f64, iz_a: f64| {
                let in_use = gone.is_none() && draw.rated && amps > iz_a * (1.0 + 1e-6);
                if slot.as_ref().is_none_or(|p| (p.in_use, p.amps) < (in_use, amps)) {
                    let missing = gone.as_ref().map(|c| ctx.store_words(c.component, c.number));
                    *slot = Some(Passing { amps, drawn: draw.words.clone(), in_use, missing });
                }
            };
            for (link, slot) in links.iter().zip(&mut worst) {
                let branch = left.branches.iter().find(|(e, _)| *e == link.edge);
                if let Some((_, r)) = branch {
                    note(slot, ((volts[r.a] - volts[r.b]) / r.ohm).abs(), link.amp.iz_a);
                }
            }
            for (cell, amps) in left.cells.iter().zip(&shares) {
                let at = net.stores.iter().position(|s| s.component == cell.component && s.number == cell.number);
                let p = &ctx.rig.components[cell.component];
                if let (Some(at), Some(amp), true) = (at, of_bank(ctx, p), p.series_and_parallel().0 > 1.0) {
                    note(&mut strings[at], amps.abs(), amp.iz_a);
                }
            }
        }
    }
    let mut found: Vec<Finding> = Vec::new();
    let mut tell = |link: &Link, p: Passing| {
        // A load never above the ampacity; what a device lets through, or passes until a missing battery is noticed, up to
        // the device that the conductor may have.
        let may = if p.in_use { link.amp.iz_a } else { link.amp.device_a };
        if p.amps <= may * (1.0 + 1e-6) {
            return;
        }
        // Of one bank the worst link stands for all.
        if link.wire.is_none() && found.iter().any(|f| f.subject == link.subject && f.wires.is_empty()) {
            return;
        }
        let severity = if p.in_use { Severity::BeforeUse } else { Severity::Soon };
        let (may, can) = apart(may, p.amps);
        let with = p.missing.as_ref().map_or_else(String::new, |m| format!(" with {m} missing"));
        let statement = format!("{} may carry {may} A, and {can} A can pass it{with}.", link.words);
        let mut f = ctx.finding(&RULE, severity, &link.subject, statement);
        f.evidence.push(format!("Ampacity: {}.", link.amp.steps.join("; ")));
        f.evidence.push(format!("Drawn: {}.", p.drawn));
        f.evidence.push(format!(
            "Each battery behind its inside resistance, each link by length and size: {can} A in this one, {can} A > {may} A."
        ));
        f.components = link.components.iter().map(|p| ctx.id(*p).to_owned()).collect();
        f.wires = link.wire.into_iter().map(|w| net.wires[w].spot).collect();
        found.push(f);
    };
    let mut all: Vec<(Link, Passing)> = links.into_iter().zip(worst).filter_map(|(l, p)| Some((l, p?))).collect();
    for (store, passing) in net.stores.iter().zip(strings) {
        let p = &ctx.rig.components[store.component];
        if let (Some(amp), Some(passing)) = (of_bank(ctx, p), passing) {
            let words = format!("a link in series in {}", ctx.store_words(store.component, store.number));
            let (subject, components) = (p.id.clone(), vec![store.component]);
            all.push((Link { edge: usize::MAX, words, subject, components, wire: None, amp }, passing));
        }
    }
    // The worst first: what fails in use.
    all.sort_by(|(a, x), (b, y)| {
        let over = |l: &Link, p: &Passing| (p.in_use, p.amps / l.amp.iz_a);
        let (x, y) = (over(a, x), over(b, y));
        y.0.cmp(&x.0).then(y.1.total_cmp(&x.1))
    });
    for (link, passing) in all {
        tell(&link, passing);
    }
    found.extend(series_outside(ctx));
    found.extend(no_device_each(ctx));
    found
}

/// Conductors that join batteries in series without being a link in one place, and without a device in that string: each
/// battery feeds a fault on them.
fn series_outside(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    if net.sources.iter().all(|s| s.below.is_empty()) {
        return Vec::new();
    }
    let bare =
        ctx.joined(|e| !matches!(e.what, EdgeKind::Device { .. } | EdgeKind::Contact(_) | EdgeKind::Bond { .. }));
    let mut found = Vec::new();
    for e in &net.edges {
        let EdgeKind::Wire(w) = e.what else { continue };
        let duties = (net.nodes[e.a].duty, net.nodes[e.b].duty);
        let series = matches!(duties, (Role::Plus, Role::Minus) | (Role::Minus, Role::Plus));
        let post = |plus: bool| net.stores.iter().any(|s| bare[if plus { s.plus } else { s.minus }] == bare[e.a]);
        let between = series && post(true) && post(false);
        if !between || ctx.is_link(w) {
            continue;
        }
        let statement = format!(
            "{} joins batteries in series that do not stand side by side, and no device stands in it.",
            ctx.wire_words(w)
        );
        let mut f = ctx.finding(&RULE, Severity::BeforeUse, &ctx.wire_subject(w), statement);
        f.evidence
            .push("A link is part of the bank while it is short and both batteries stand in one place.".to_owned());
        f.wires = vec![net.wires[w].spot];
        found.push(f);
    }
    found
}

/// Batteries in parallel without a device each, where the firm wants one.
fn no_device_each(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    if !ctx.profile.answers.battery_device || net.stores.len() < 2 {
        return Vec::new();
    }
    let bare =
        ctx.joined(|e| !matches!(e.what, EdgeKind::Device { .. } | EdgeKind::Bond { .. }) && !net.crosses_earth(e));
    let dc = DcNet::new(ctx.rig, net, Case::Strong, |_| true);
    let mut found: Vec<Finding> = Vec::new();
    for (n, s) in net.stores.iter().enumerate() {
        let beside = net.stores.iter().enumerate().find(|(m, o)| *m != n && bare[o.plus] == bare[s.plus]);
        let id = ctx.id(s.component);
        if beside.is_none() || found.iter().any(|f| f.subject == id) {
            continue;
        }
        let statement = format!(
            "A shorted cell in {} is fed by the batteries beside it, and no device opens.",
            ctx.component_words(s.component)
        );
        let mut f = ctx.finding(&RULE, Severity::Soon, id, statement);
        let other: f64 = dc
            .cells
            .iter()
            .filter(|c| (c.component, c.number) != (s.component, s.number))
            .map(|c| c.volts / c.ohm)
            .sum();
        f.evidence
            .push(format!("The others drive up to {} A into it, held by their inside resistance alone.", short(other)));
        f.evidence.push("Chosen: each battery has a device of its own (battery-device).".to_owned());
        f.components = vec![id.to_owned()];
        found.push(f);
    }
    found
}
