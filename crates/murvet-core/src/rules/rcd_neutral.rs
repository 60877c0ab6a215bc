//! An outlet whose line goes through a residual-current device and whose neutral does not, or the other way.

use super::{Context, Finding, Hazard, Meta, Severity};
use crate::catalogue::{Kind, Role};
use crate::network::What;
use std::collections::BTreeMap;

pub(super) static META: Meta = Meta {
    slug: "rcd-neutral",
    hazard: Hazard::Bonding,
    statement: "Line and neutral of a circuit go through the same residual-current device, and nothing else returns through it.",
    why: "A neutral taken from another circuit trips the device under the first load, and then somebody takes the device out.",
    source: "IEC 60364-5-53 section 531.3; NFPA 70 section 300.3(B) (recalled)",
};

/// The edge of a pole, and the node behind it.
type Pole = Option<(usize, usize)>;

pub(super) fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    // Line and neutral pole of each device.
    let mut poles: BTreeMap<(usize, String), [Pole; 2]> = BTreeMap::new();
    for (i, e) in net.edges.iter().enumerate() {
        let Some(piece) = e.residual else { continue };
        let behind = &net.nodes[e.b].terminal;
        let neutral = net.nodes[e.b].role == Role::Neutral;
        let unit = match behind.as_str() {
            "hot" | "N" => "main".to_owned(),
            "out" | "N.out" | "load.L" | "load.N" => "load".to_owned(),
            way => way.trim_end_matches(".N").to_owned(),
        };
        poles.entry((piece, unit)).or_default()[usize::from(neutral)] = Some((i, e.b));
    }
    let mut found = Vec::new();
    for ((piece, unit), pair) in poles {
        let [Some((line, l)), Some((neutral, n))] = pair else { continue };
        let part = ctx.joined(|e| {
            let own = std::ptr::eq(e, &net.edges[line]) || std::ptr::eq(e, &net.edges[neutral]);
            !own && !matches!(e.what, What::Bond { .. }) && !net.crosses_earth(e)
        });
        let (l_ahead, n_ahead) = (part[net.edges[line].a], part[net.edges[neutral].a]);
        let mut wrong: Vec<String> = Vec::new();
        for (index, p) in ctx.rig.pieces.iter().enumerate().filter(|(_, p)| p.status.present()) {
            let port = match p.kind {
                Kind::Outlet | Kind::AcLoad | Kind::Charger => "ac",
                Kind::GfciOutlet => "line",
                _ => continue,
            };
            let at = |core: &str| net.node(index, &format!("{port}.{core}")).map(|n| part[n]);
            let (Some(line_at), Some(neutral_at)) = (at("L"), at("N")) else { continue };
            // Behind it, and not joined round it to what is ahead of it.
            let (behind_l, behind_n) = (line_at == part[l], neutral_at == part[n]);
            let (ahead_l, ahead_n) = (line_at == l_ahead, neutral_at == n_ahead);
            let crossed = (behind_l && !ahead_l && ahead_n) || (behind_n && !ahead_n && ahead_l);
            if crossed && index != piece {
                wrong.push(p.id.clone());
            }
        }
        if wrong.is_empty() {
            continue;
        }
        let name = if unit == "main" || unit == "load" {
            ctx.id(piece).to_owned()
        } else {
            format!("{}.{unit}", ctx.id(piece))
        };
        let statement = format!(
            "Line and neutral of {} do not both go through the {} {name}.",
            wrong.join(", "),
            ctx.profile.words.rcd
        );
        let mut f = ctx.finding(&META, Severity::BeforeUse, &name, statement);
        f.evidence.push(format!(
            "With both poles of {name} taken away, one of the two conductors of {} still hangs on what is ahead of it.",
            wrong.join(", ")
        ));
        f.evidence.push("Its whole load current is then a residual current.".to_owned());
        f.pieces = std::iter::once(ctx.id(piece).to_owned()).chain(wrong).collect();
        found.push(f);
    }
    found
}
