//! A charger set for another battery.

use super::{Certainty, Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::{Kind, SourceKind};
use crate::network::{battery_volts, full_volts, series_and_parallel};
use crate::rig::Piece;
use crate::tables::table;
use crate::units::{Dimension, short};
use std::collections::BTreeSet;

pub(super) static META: Meta = Meta {
    slug: "charge-voltage",
    hazard: Hazard::Battery,
    statement: "A charger's voltage lies within what the battery it charges may have and needs.",
    why: "Above it a lithium management unit opens under charge and lead-acid boils; below it the bank is never full, and lead-acid sulphates.",
    source: "the battery maker's figures; chemistry defaults where these are unseen: common practice, no source",
};

/// Highest charge voltage of a bank, V, and how it was found.
pub(super) fn highest_charge(p: &Piece) -> Option<(f64, String)> {
    let (count, _) = series_and_parallel(p);
    if let Some(v) = p.si("absorption", Dimension::Voltage) {
        return Some((v * count, format!("{} V × {} in series, the maker's figure", short(v), short(count))));
    }
    let factor = table("charge-volts").get(p.word("chemistry")?, 0)?;
    let volts = battery_volts(p);
    Some((
        volts * factor,
        format!("{} V × {factor}, usual for its chemistry, = {} V", short(volts), short(volts * factor)),
    ))
}

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found: Vec<Finding> = Vec::new();
    // Chargers with a voltage of their own.
    let set = net.sources.iter().enumerate().filter_map(|(i, s)| {
        let piece = &ctx.rig.pieces[s.piece];
        let fits = matches!(s.kind, SourceKind::Charger | SourceKind::DcDc)
            && matches!(piece.kind, Kind::Charger | Kind::DcDc);
        Some((i, s, piece, piece.si("voltage", Dimension::Voltage).filter(|_| fits)?))
    });
    let set: Vec<_> = set.collect();
    let mut judged: BTreeSet<(usize, usize)> = BTreeSet::new();
    for (_, state) in ctx.conversion_states() {
        for &(i, s, charger, volts) in set.iter().filter(|(i, ..)| state.live.active[*i]) {
            for b in net.sources.iter().filter(|b| b.kind == SourceKind::Battery) {
                let own = state.live.part[b.plus] == state.live.part[net.sources[i].plus];
                let battery = &ctx.rig.pieces[b.piece];
                if !own || battery.flag("starter") || !judged.insert((s.piece, b.piece)) {
                    continue;
                }
                let subject = format!("{}>{}", charger.id, battery.id);
                let Some((highest, how)) = highest_charge(battery) else { continue };
                let stated = battery.attrs.contains_key("absorption");
                let lowest = battery.word("chemistry").and_then(|c| table("charge-volts").get(c, 1)).unwrap_or(0.0)
                    * battery_volts(battery);
                let names = (ctx.piece_words(s.piece), ctx.piece_words(b.piece));
                // A tenth of a volt in a 12 V system is within any display.
                let slack = ctx.profile.thresholds.charge_slack * battery_volts(battery);
                let (severity, words, line) = if volts > highest + slack {
                    (
                        Severity::BeforeUse,
                        "more than it may have",
                        format!("{} V > {} V ({how}).", short(volts), short(highest)),
                    )
                } else if volts < lowest - slack {
                    (
                        Severity::Advice,
                        "too little to fill it",
                        format!("{} V < {} V, usual for its chemistry.", short(volts), short(lowest)),
                    )
                } else if let Some(f) = floats(ctx, s.piece, b.piece, highest) {
                    found.push(f);
                    continue;
                } else {
                    continue;
                };
                let statement = format!("{} charges {} at {} V, {words}.", names.0, names.1, short(volts));
                let mut f = ctx.finding(&META, severity, &subject, statement);
                // Chemistry defaults stand in for the maker's figures, so the finding hangs on them.
                f.certainty = if stated { Certainty::Certain } else { Certainty::Possible };
                f.evidence.push(line);
                f.evidence.push(format!("State: {}.", ctx.state_words(state)));
                f.way = state.way.clone();
                f.pieces = vec![charger.id.clone(), battery.id.clone()];
                found.push(f);
            }
        }
    }
    found
}

/// A charger that holds a full bank at too high a voltage.
fn floats(ctx: &Context, charger: usize, battery: usize, highest: f64) -> Option<Finding> {
    let (c, b) = (&ctx.rig.pieces[charger], &ctx.rig.pieces[battery]);
    let float = c.si("float", Dimension::Voltage)?;
    let lithium = matches!(b.word("chemistry"), Some("lifepo4" | "nickel-lithium"));
    let slack = ctx.profile.thresholds.charge_slack * battery_volts(b);
    let rest = full_volts(b);
    let (severity, line) = if float > highest + slack {
        (Severity::BeforeUse, format!("{} V > {} V, the highest it may be charged to.", short(float), short(highest)))
    } else if lithium && !ctx.profile.answers.lithium_float && float > rest + slack {
        (
            Severity::Soon,
            format!("{} V > {} V at rest: a full lithium bank is kept charging.", short(float), short(rest)),
        )
    } else {
        return None;
    };
    let statement = format!("{} floats {} at {} V.", ctx.piece_words(charger), ctx.piece_words(battery), short(float));
    let mut f = ctx.finding(&META, severity, &format!("{}>{}", c.id, b.id), statement);
    f.certainty = if b.attrs.contains_key("absorption") { Certainty::Certain } else { Certainty::Possible };
    f.evidence.push(line);
    f.evidence.push("The maker's own figure for the float governs where there is one.".to_owned());
    f.pieces = vec![c.id.clone(), b.id.clone()];
    Some(f)
}
