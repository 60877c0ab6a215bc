//! Batteries in parallel that do not share alike.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::network::{Case, Consumer, DcNet};
use crate::test_kinds::TestKind;
use crate::units::{Dimension, apart, short};

pub(super) static RULE: Rule = Rule {
    slug: "battery-sharing",
    hazard: Hazard::Battery,
    statement: "Batteries in parallel give shares in proportion to their capacity, and none more than its own limit.",
    why: "The battery nearest the load works hardest, ages first and is the first whose management unit opens; the rest follow at once.",
    source: "computed from resistances; a quarter above the mean as the measure is common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::ShareAlike],
    without: "What is moved, matched or ventilated is decided at the rig, then traced and audited.",
    proven_by: &[TestKind::Share],
    faults: &[
        (Field::Battery, "batteries in parallel that do not share alike"),
        (Field::Battery, "runs that land on different posts of a bank"),
    ],
    schools: &[],
    example: include_str!("examples/battery-sharing.rig"),
};

/// One battery, or a string of them in series, with what it gives of a load.
struct Share {
    name: String,
    component: usize,
    ohm: f64,
    ah: f64,
    amps: f64,
    /// Its maker's greatest current, A.
    limit_a: Option<f64>,
}

/// What a load takes from each battery.
struct Drawn<'a> {
    load: &'a Consumer,
    amps: f64,
    shares: Vec<Share>,
}

impl Drawn<'_> {
    /// Fair share of one battery, A.
    fn fair(&self, of: &Share) -> f64 {
        self.amps * of.ah / self.shares.iter().map(|s| s.ah).sum::<f64>()
    }

    /// The battery that gives most for its capacity.
    fn hardest(&self) -> Option<&Share> {
        self.shares.iter().max_by(|a, b| (a.amps / a.ah).total_cmp(&(b.amps / b.ah)))
    }

    fn ratio(&self) -> f64 {
        self.hardest().map_or(0.0, |s| s.amps / self.fair(s))
    }

    /// The battery that is asked most beyond its maker's figure, with that figure, A.
    fn beyond(&self) -> Option<(&Share, f64)> {
        let over = self.shares.iter().filter_map(|s| Some((s, s.limit_a.filter(|l| s.amps > l * (1.0 + 1e-6))?)));
        over.max_by(|a, b| (a.0.amps / a.1).total_cmp(&(b.0.amps / b.1)))
    }
}

/// What each load that is not small beside the largest draws from the batteries that feed it, as parked.
fn drawn<'a>(ctx: &'a Context) -> Vec<Drawn<'a>> {
    let net = ctx.net;
    let Some(parked) = ctx.states.states.first() else { return Vec::new() };
    let dc = DcNet::new(ctx.rig, net, Case::Typical, |e| parked.closed(net, e));
    if dc.cells.len() < 2 {
        return Vec::new();
    }
    let fed = |c: &&Consumer| !c.ac && parked.live.sources_at(net, c.plus).count() > 0;
    let loads: Vec<(&Consumer, f64, usize, usize)> = net
        .consumers
        .iter()
        .filter(fed)
        .filter_map(|c| Some((c, c.current_a?, dc.at(c.plus)?, dc.at(c.minus)?)))
        .collect();
    let largest = loads.iter().map(|l| l.1).fold(0.0, f64::max);
    // Without load the batteries may still push currents into each other; the load's part is the difference.
    let Ok(factored) = dc.factored() else { return Vec::new() };
    let Ok(idle) = factored.shares(&[]) else { return Vec::new() };
    // Of those in series the top one stands for all: one current passes them.
    let lower: Vec<usize> = net.sources.iter().flat_map(|s| s.below.iter().copied()).collect();
    let mut list = Vec::new();
    for (load, amps, plus, minus) in loads.into_iter().filter(|l| l.1 > 0.0 && l.1 >= 0.5 * largest) {
        let Ok(now) = factored.shares(&[(plus, minus, amps)]) else { continue };
        let cells = dc.cells.iter().zip(now.iter().zip(&idle)).filter(|(c, _)| !lower.contains(&c.component));
        let mut shares: Vec<Share> = Vec::new();
        for (cell, (now, idle)) in cells {
            let p = &ctx.rig.components[cell.component];
            shares.push(Share {
                name: ctx.store_words(cell.component, cell.number),
                component: cell.component,
                ohm: cell.ohm,
                ah: p.si("capacity", Dimension::Charge).unwrap_or(100.0),
                amps: now - idle,
                limit_a: p.si("discharge", Dimension::Current),
            });
        }
        shares.retain(|s| s.amps.abs() > amps * 1e-3);
        if shares.len() > 1 {
            list.push(Drawn { load, amps, shares });
        }
    }
    list
}

fn find(ctx: &Context) -> Vec<Finding> {
    let list = drawn(ctx);
    let uneven = list.iter().filter(|d| d.ratio() > ctx.profile.share.value);
    let uneven = uneven.max_by(|a, b| a.ratio().total_cmp(&b.ratio()));
    // Within a bank that may give the whole, one battery of it may be asked too much.
    let whole = |d: &Drawn| d.shares.iter().filter_map(|s| s.limit_a).sum::<f64>() >= d.amps;
    let beyond = list.iter().filter(|d| whole(d)).find(|d| d.beyond().is_some());
    let Some(d) = uneven.or(beyond) else { return Vec::new() };
    let (Some(hardest), amps) = (d.beyond().map(|b| b.0).or(d.hardest()), d.amps) else { return Vec::new() };
    let load = ctx.component_words(d.load.component);
    let (fair, ratio) = (d.fair(hardest), hardest.amps / d.fair(hardest));
    let statement = match d.beyond() {
        Some((s, limit)) => {
            let (gives, may) = apart(s.amps, limit);
            format!("{} gives {gives} A of the {} A for {load} and may give {may} A.", s.name, short(amps))
        }
        None => format!(
            "{} gives {} A of the {} A for {load}: {} times its fair share.",
            hardest.name,
            short(hardest.amps),
            short(amps),
            short(ratio)
        ),
    };
    let id = ctx.id(hardest.component);
    let mut f = ctx.finding(&RULE, Severity::Soon, id, statement);
    f.evidence.push(format!("Load: {}.", d.load.working));
    for s in &d.shares {
        f.evidence.push(format!(
            "{}: {} mohm inside, {} Ah, {} A.",
            s.name,
            short(s.ohm * 1000.0),
            short(s.ah),
            short(s.amps)
        ));
    }
    f.evidence.push(format!(
        "Fair share: {} A × {} Ah / {} Ah = {} A; {} A / {} A = {}.",
        short(amps),
        short(hardest.ah),
        short(d.shares.iter().map(|s| s.ah).sum::<f64>()),
        short(fair),
        short(hardest.amps),
        short(fair),
        short(ratio)
    ));
    f.evidence.push("Conductors and links cold and of nominal area; where inside resistances are not stated the typical one of the chemistry is used.".to_owned());
    let mut components: Vec<String> = d.shares.iter().map(|s| ctx.id(s.component).to_owned()).collect();
    components.dedup();
    f.components = components;
    vec![f]
}
