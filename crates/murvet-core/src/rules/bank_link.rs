//! Links inside a bank that are thinner than what the main device lets through.

use super::protection::greatest_into;
use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::SourceKind;
use crate::network::{INFINITE, series_and_parallel};
use crate::profiles::{Duty, Laid, ampacity};
use crate::units::{Dimension, short};

pub(super) static META: Meta = Meta {
    slug: "bank-link",
    hazard: Hazard::Battery,
    statement: "The links between the batteries of a bank carry what its main device lets through, with one battery missing too.",
    why: "A link that is thinner than the main cable is the hottest part of the bank, in the middle of it.",
    source: "IEC 60364-4-43 section 434.3 (recalled); common practice, no source",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for s in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
        let p = &ctx.rig.pieces[s.piece];
        let Some(area) = p.si("links", Dimension::Area) else { continue };
        let (series, parallel) = series_and_parallel(p);
        if series.max(parallel) < 2.0 {
            continue;
        }
        let amp = ampacity(ctx.profile, Duty::Dc, &Laid::plain(area));
        // What leaves the bank: the devices next to its posts let it through.
        let beyond: Vec<usize> = net
            .consumers
            .iter()
            .filter(|c| !c.ac && ctx.whole()[c.plus] == ctx.whole()[s.plus])
            .map(|c| c.plus)
            .collect();
        let (amps, held) = greatest_into(ctx, &beyond, &[], true, amp.device_a);
        if amps >= INFINITE * 0.5 || amps <= amp.device_a * (1.0 + 1e-6) {
            continue;
        }
        let name = ctx.piece_words(s.piece);
        let statement =
            format!("The links of {name} may carry {} A, and {} A can be drawn.", short(amp.device_a), short(amps));
        let mut f = ctx.finding(&META, Severity::Soon, &p.id, statement);
        f.evidence.push(format!("Ampacity of {} mm²: {}.", short(area), amp.steps.join("; ")));
        f.evidence.push(format!("{} A > {} A, held by: {}.", short(amps), short(amp.device_a), held.join("; ")));
        f.pieces = vec![p.id.clone()];
        found.push(f);
    }
    found
}
