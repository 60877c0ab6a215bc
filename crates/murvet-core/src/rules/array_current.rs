//! Array conductors too small for continuous sun.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::{Role, SourceKind};
use crate::network::What;
use crate::profiles::ProfileId;
use crate::units::{Dimension, short};

pub(super) static META: Meta = Meta {
    slug: "array-current",
    hazard: Hazard::Generation,
    statement: "Conductors of an array carry its short-circuit current × 1.25 × 1.25.",
    why: "Sun at the edge of a cloud exceeds the rating, and it lasts for hours: both allowances are wanted.",
    source: "NFPA 70 section 690.8 (recalled)",
};

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    if ctx.profile.id != ProfileId::NaRv {
        return Vec::new();
    }
    let net = ctx.net;
    let part = ctx.whole();
    let mut found = Vec::new();
    for s in net.sources.iter().filter(|s| s.kind == SourceKind::Array) {
        let Some(isc) = ctx.rig.pieces[s.piece].si("isc", Dimension::Current) else { continue };
        let amps = isc * ctx.profile.thresholds.sun * ctx.profile.thresholds.continuous;
        let own = net.edges.iter().filter_map(|e| match e.what {
            What::Wire(w) if part[e.a] == part[s.plus] && net.nodes[e.a].duty == Role::Plus => Some(w),
            _ => None,
        });
        // Beyond the controller other currents flow; its own conductors are judged by those.
        let thin = own
            .filter(|w| amps > ctx.ampacity(*w).device_a * (1.0 + 1e-6))
            .min_by(|a, b| ctx.ampacity(*a).iz_a.total_cmp(&ctx.ampacity(*b).iz_a));
        let Some(w) = thin else { continue };
        let amp = ctx.ampacity(w);
        let statement = format!(
            "{} may carry {} A, and {} asks for {} A.",
            ctx.wire_words(w),
            short(amp.device_a),
            ctx.piece_words(s.piece),
            short(amps)
        );
        let mut f = ctx.finding(&META, Severity::Soon, &net.wires[w].key, statement);
        f.evidence.push(format!(
            "{} A × {} × {} = {} A.",
            short(isc),
            short(ctx.profile.thresholds.sun),
            short(ctx.profile.thresholds.continuous),
            short(amps)
        ));
        f.evidence.push(format!("Ampacity: {}.", amp.steps.join("; ")));
        f.source = format!("{}; ampacity: {}", META.source, amp.source);
        f.wires = vec![net.wires[w].spot];
        f.pieces = vec![ctx.id(s.piece).to_owned()];
        found.push(f);
    }
    found
}
