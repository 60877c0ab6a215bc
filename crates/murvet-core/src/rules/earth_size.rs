//! A protective core thinner than its circuit wants.

use super::rcd_missing::past_residual;
use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity, TRIED};
use crate::catalogue::SourceKind;
use crate::devices::adiabatic_k;
use crate::network::{EdgeKind, WireSpot};
use crate::profiles::EarthBy;
use crate::rig::Core;
use crate::tables::table;
use crate::units::{Dimension, Quantity, short};

pub(super) static RULE: Rule = Rule {
    slug: "earth-size",
    hazard: Hazard::Bonding,
    statement: "The protective core of a mains cable is large enough for the device ahead of it.",
    why: "The earth carries the whole fault until the device opens: too thin, it burns through and leaves the case live.",
    source: "the profile's table",
    find,
    is: &[],
    repairs: &[Repair::NextSizes],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Cable, "a protective core too thin for the device ahead")],
    schools: &[],
    example: include_str!("examples/earth-size.rig"),
};

/// How long a fault lasts before a residual-current device opens at five times its current, and before a breaker opens at once, s.
const RCD_S: f64 = 0.04;
const BREAKER_S: f64 = 0.1;

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mains = net.sources.iter().filter(|s| s.kind.is_ac());
    let starts: Vec<usize> = mains.map(|s| s.plus).collect();
    let limit = ctx.profile.rcd_everywhere_a.value.unwrap_or(0.03);
    let bare = past_residual(ctx, &starts, limit, |_| true);
    let mut found = Vec::new();
    for (index, cable) in ctx.rig.cables.iter().enumerate() {
        let core = |core: Core| {
            let spot = WireSpot::Cable(index, core as usize);
            net.wires.iter().position(|w| w.spot == spot)
        };
        let (Some(earth), Some(line)) = (core(Core::PE), core(Core::L)) else { continue };
        if cable.earth.is_none() || net.wires[earth].unseen {
            continue;
        }
        let (area, live_area) = (net.wires[earth].laid.area_mm2, net.wires[line].laid.area_mm2);
        let (least, mut lines) = match &ctx.profile.earth_by.value {
            EarthBy::Device(name) => {
                let Some(amps) = super::protection::greatest_flow(ctx, line) else { continue };
                let rows = &table(name).rows;
                let row = rows.iter().find(|r| {
                    let rating = Quantity::parse(&r.key).ok().filter(|q| q.dimension == Dimension::Current);
                    rating.is_some_and(|q| q.si >= amps * (1.0 - 1e-6))
                });
                let Some(least) = row.and_then(|r| r.values.first()).map(|v| v.min(live_area)) else { continue };
                (least, vec![format!("{} A can flow before a device ahead opens.", short(amps)), table(name).cite()])
            }
            EarthBy::Line(name) => {
                let by_table = match name {
                    Some(name) => table(name).at_most(live_area, 0).map_or(live_area, |(v, _)| v),
                    // IEC 60364-5-54 table 54.7.
                    None if live_area <= 16.0 => live_area,
                    None => (live_area / 2.0).max(16.0),
                };
                let cite = name.as_ref().map_or("IEC 60364-5-54 table 54.7 (recalled)".to_owned(), |n| table(n).cite());
                let mut lines =
                    vec![format!("By the line of {} mm²: {} mm² ({cite}).", short(live_area), short(by_table))];
                let heat = by_heat(ctx, net.edges.iter().any(|e| e.what == EdgeKind::Wire(line) && bare[e.a]));
                if let Some((least, working)) = &heat {
                    lines.push(working.clone());
                    (by_table.min(*least), lines)
                } else {
                    (by_table, lines)
                }
            }
        };
        if area >= least * 0.99 {
            continue;
        }
        let words = &ctx.profile.words.earth;
        let statement =
            format!("The {words} of {} is {} mm², and {} mm² are wanted.", cable.id, short(area), short(least));
        let mut f = ctx.finding(&RULE, Severity::Soon, &cable.id, statement);
        lines.push(format!("{} mm² < {} mm².", short(area), short(least)));
        f.evidence = lines;
        f.wires = vec![net.wires[earth].spot];
        found.push(f);
    }
    found
}

/// The smallest protective core that stands the fault current at the end of a hook-up lead until it is cut off, mm².
fn by_heat(ctx: &Context, past_rcd: bool) -> Option<(f64, String)> {
    let shore = ctx.net.sources.iter().find(|s| s.kind == SourceKind::Shore)?;
    // A lead of 25 m has 2.5 mm² for 16 A, 4 for 25 A, 6 for 32 A (BS 7671 section 721); a larger supply is not
    // limited by a lead that is known.
    let lead = [(16.0, 2.5), (25.0, 4.0), (32.0, 6.0)].into_iter().find(|(a, _)| shore.limit_a <= *a)?.1;
    let ohm = 2.0 * 25.0 * table("iec60228-class5").between(lead, 0)? / 1000.0;
    let (amps, seconds) = (shore.volts / ohm, if past_rcd { BREAKER_S } else { RCD_S });
    let k = adiabatic_k(None);
    let least = amps * seconds.sqrt() / k;
    let by = if past_rcd { "a breaker at once" } else { "a residual-current device" };
    let working = format!(
        "Or by heat: behind a lead of 25 m of {} mm² a fault gives {} V / {} ohm = {} A; {by} opens within {} s: {} A × √{} / {k} = {} mm² (IEC 60364-5-54 section 543.1.2, recalled).",
        short(lead),
        short(shore.volts),
        short(ohm),
        short(amps),
        short(seconds),
        short(amps),
        short(seconds),
        short(least)
    );
    Some((least, working))
}
