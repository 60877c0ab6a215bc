//! Voltages at which devices act, in an order that leaves no way out.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::SourceKind;
use crate::network::{charge_volts, full_volts};
use crate::rig::Component;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "thresholds-order",
    hazard: Hazard::Battery,
    statement: "Warning stands above cut-off, restart above cut-off and below float, and all of them inside the limits of the battery's management.",
    why: "Where the management unit opens before the inverter does, everything goes dark at once and what charges may not start again by itself; a restart above the float never comes.",
    source: "common practice, no source; the maker's figures govern",
    find,
    is: &[],
    repairs: &[Repair::Thresholds],
    without: "The settings are chosen by the battery maker's figures, entered, and audited.",
    proven_by: &[],
    faults: &[(Field::Battery, "thresholds of warning, cut-off and restart out of order")],
    schools: &[],
    example: include_str!("examples/thresholds-order.rig"),
};

/// A stated voltage of a component.
fn volts(p: &Component, key: &str) -> Option<f64> {
    p.si(key, Dimension::Voltage)
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let whole = ctx.whole();
    let mut found = Vec::new();
    for (index, p) in ctx.rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        let own = |component: usize, n: usize| net.nodes[n].component == Some(component);
        let joined = |other: usize| {
            let mine = (0..net.nodes.len()).filter(|&n| own(index, n));
            mine.into_iter().any(|a| (0..net.nodes.len()).any(|b| own(other, b) && whole[a] == whole[b]))
        };
        let mut wrong: Vec<(Severity, String)> = Vec::new();
        let mut above = |severity, high: Option<f64>, low: Option<f64>, words: &str| {
            if let (Some(high), Some(low)) = (high, low)
                && high <= low
            {
                wrong.push((severity, format!("{words}: {} V is not above {} V.", short(high), short(low))));
            }
        };
        let (cut, restart) = (volts(p, "cut-off"), volts(p, "restart"));
        above(Severity::Advice, volts(p, "warning"), cut, "Warning over cut-off");
        above(
            Severity::Soon,
            volts(p, "float"),
            volts(p, "rebulk"),
            "Float over the voltage at which charging starts again",
        );
        above(Severity::Advice, charge_volts(p).map(|v| v + 1e-6), volts(p, "float"), "Charge voltage over float");
        above(Severity::Soon, restart, cut, "Restart over cut-off");
        let (mut others, mut components) = (false, vec![p.id.clone()]);
        if cut.is_some() || restart.is_some() || charge_volts(p).is_some() {
            for s in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
                let b = &ctx.rig.components[s.component];
                let (low, high) = (volts(b, "low-cut"), volts(b, "high-cut"));
                if s.component == index || (low.is_none() && high.is_none()) || !joined(s.component) {
                    continue;
                }
                // Of several in series the first to open parts them all: like ones count together.
                let (own, _) = b.series_and_parallel();
                let count = own * (1 + s.below.len()) as f64;
                others = true;
                components.push(b.id.clone());
                above(
                    Severity::Soon,
                    cut,
                    low.map(|v| v * count),
                    "Cut-off over what the battery's management opens at",
                );
                let words = "What the battery's management opens at over the charge voltage";
                above(Severity::Soon, high.map(|v| v * count), charge_volts(p), words);
            }
            if let Some(restart) = restart {
                for (other, c) in ctx.rig.components.iter().enumerate().filter(|(_, c)| c.status.present()) {
                    if volts(c, "float").is_some() && joined(other) {
                        others = true;
                        components.push(c.id.clone());
                        above(Severity::Soon, volts(c, "float"), Some(restart), "Float over restart");
                    }
                }
            }
        }
        if let (Some(start), Some(input)) = (volts(p, "start"), net.node(index, "in+")) {
            for s in net.sources.iter().filter(|s| s.kind == SourceKind::Battery && whole[s.plus] == whole[input]) {
                others = true;
                components.push(ctx.id(s.component).to_owned());
                let rest: f64 = s.stack().map(|b| full_volts(&ctx.rig.components[b])).sum();
                let words = "Start over the rest voltage of what feeds it, which it would run flat";
                above(Severity::Soon, Some(start), Some(rest), words);
            }
        }
        let Some(severity) = wrong.iter().map(|w| w.0).max() else { continue };
        let statement = format!("The voltages at which {} acts stand in the wrong order.", ctx.component_words(index));
        let mut f = ctx.finding(&RULE, severity, &p.id, statement);
        f.evidence.extend(wrong.into_iter().map(|w| w.1));
        f.evidence.push(if others {
            "Compared with what hangs on the same battery, several in series counted together.".to_owned()
        } else {
            "As set on the device itself.".to_owned()
        });
        components.dedup();
        f.components = components;
        found.push(f);
    }
    found
}
