//! Batteries in parallel that do not share alike.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::network::{Case, DcNet, series_and_parallel};
use crate::units::{Dimension, short};

pub(super) static META: Meta = Meta {
    slug: "battery-sharing",
    hazard: Hazard::Battery,
    statement: "Batteries in parallel give shares in proportion to their capacity, and none more than its own limit.",
    why: "The battery nearest the load works hardest, ages first and is the first whose management unit opens; the rest follow at once.",
    source: "computed from resistances; a quarter above the mean as the measure is common practice, no source",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let Some(parked) = ctx.states.states.first() else { return Vec::new() };
    let dc = DcNet::new(ctx.rig, net, Case::Typical, |e| parked.closed(net, e));
    if dc.cells.len() < 2 {
        return Vec::new();
    }
    // The load that is asked most of: the largest consumer that these batteries feed.
    let largest = net.consumers.iter().filter(|c| !c.ac).filter_map(|c| {
        let (plus, minus) = (dc.at(c.plus)?, dc.at(c.minus)?);
        let fed = parked.live.sources_at(net, c.plus).count() > 0;
        Some((c.current_a.filter(|_| fed)?, plus, minus, c))
    });
    let Some((amps, plus, minus, consumer)) = largest.max_by(|a, b| a.0.total_cmp(&b.0)) else { return Vec::new() };
    if dc.cells.len() < 2 {
        return Vec::new();
    }
    let Ok(factored) = dc.factored() else { return Vec::new() };
    let Ok(shares) = factored.shares(&[(plus, minus, amps)]) else { return Vec::new() };
    // Without load the batteries may still push currents into each other; the load's part is the difference.
    let Ok(idle) = factored.shares(&[]) else { return Vec::new() };
    let feeding: Vec<(usize, f64, f64)> = dc
        .cells
        .iter()
        .zip(shares.iter().zip(&idle))
        .filter(|(_, (s, i))| (*s - *i).abs() > amps * 1e-3)
        .map(|(c, (s, i))| {
            let p = &ctx.rig.pieces[c.piece];
            let (_, count) = series_and_parallel(p);
            (c.piece, s - i, p.si("capacity", Dimension::Charge).unwrap_or(100.0) * count)
        })
        .collect();
    if feeding.len() < 2 {
        return Vec::new();
    }
    let total_ah: f64 = feeding.iter().map(|f| f.2).sum();
    let mean = amps / total_ah;
    let Some(&(piece, share, ah)) = feeding.iter().max_by(|a, b| (a.1 / a.2).total_cmp(&(b.1 / b.2))) else {
        return Vec::new();
    };
    let ratio = share / ah / mean;
    if ratio <= ctx.profile.thresholds.share {
        return Vec::new();
    }
    let p = &ctx.rig.pieces[piece];
    let statement = format!(
        "{} gives {} A of the {} A for {}: {} times its fair share.",
        ctx.piece_words(piece),
        short(share),
        short(amps),
        ctx.piece_words(consumer.piece),
        short(ratio)
    );
    let mut f = ctx.finding(&META, Severity::Soon, &p.id, statement);
    f.evidence.push(format!("Load: {}.", consumer.working));
    for (cell, (_, share, ah)) in dc.cells.iter().filter(|c| feeding.iter().any(|f| f.0 == c.piece)).zip(&feeding) {
        f.evidence.push(format!(
            "{}: {} mohm inside, {} Ah, {} A.",
            ctx.piece_words(cell.piece),
            short(cell.ohm * 1000.0),
            short(*ah),
            short(*share)
        ));
    }
    f.evidence.push(format!(
        "Fair share: {} A × {} Ah / {} Ah = {} A; {} A / {} A = {}.",
        short(amps),
        short(ah),
        short(total_ah),
        short(mean * ah),
        short(share),
        short(mean * ah),
        short(ratio)
    ));
    f.evidence.push("Conductors cold and of nominal area; where inside resistances are not stated the typical one of the chemistry is used.".to_owned());
    f.pieces = feeding.iter().map(|f| ctx.id(f.0).to_owned()).collect();
    vec![f]
}
