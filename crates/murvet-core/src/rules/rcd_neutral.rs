//! An outlet whose line goes through a residual-current device and whose neutral does not, or the other way.

use super::{Context, Field, Finding, Hazard, Rule, Severity};
use crate::catalogue::{Kind, Role};
use crate::network::EdgeKind;
use std::collections::BTreeMap;

pub(super) static RULE: Rule = Rule {
    slug: "rcd-neutral",
    hazard: Hazard::Bonding,
    statement: "Line and neutral of a circuit go through the same residual-current device, and nothing else returns through it.",
    why: "A neutral taken from another circuit trips the device under the first load, and then somebody takes the device out.",
    source: "IEC 60364-5-53 section 531.3; NFPA 70 section 300.3(B) (recalled)",
    find,
    is: &[],
    repairs: &[],
    without: "It is rewired or another unit is bought, by its maker's instructions; then traced and audited.",
    proven_by: &[],
    faults: &[(Field::Bonding, "line and neutral on different sides of an RCD, or a borrowed neutral")],
    schools: &[],
    example: include_str!("examples/rcd-neutral.rig"),
};

/// The edge of a pole, and the node behind it.
type Pole = Option<(usize, usize)>;

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    // Line and neutral pole of each device; one of two hots has two pairs with one neutral.
    let mut poles: BTreeMap<(usize, String), [Pole; 2]> = BTreeMap::new();
    let mut seconds: BTreeMap<(usize, String), Pole> = BTreeMap::new();
    for (i, e) in net.edges.iter().enumerate() {
        let Some(component) = e.residual else { continue };
        let behind = &net.nodes[e.b].terminal;
        let neutral = net.nodes[e.b].role == Role::Neutral;
        let unit = match behind.as_str() {
            "hot" | "N" => "main".to_owned(),
            "out" | "N.out" | "load.L" | "load.N" => "load".to_owned(),
            "hot2" => "main".to_owned(),
            "out2" => "load".to_owned(),
            way => way.trim_end_matches(".N").trim_end_matches(".L2").to_owned(),
        };
        if matches!(behind.as_str(), "hot2" | "out2") || behind.ends_with(".L2") {
            seconds.insert((component, unit), Some((i, e.b)));
        } else {
            poles.entry((component, unit)).or_default()[usize::from(neutral)] = Some((i, e.b));
        }
    }
    let mut found = Vec::new();
    let pairs = poles.into_iter().flat_map(|(unit, [line, neutral])| {
        let second = seconds.get(&unit).copied().flatten();
        let lines = [line, second].into_iter().flatten();
        let all: Vec<usize> = [line, second, neutral].into_iter().flatten().map(|p| p.0).collect();
        lines.map(|l| (unit.clone(), l, neutral, all.clone())).collect::<Vec<_>>()
    });
    for ((component, unit), (line, l), neutral, all) in pairs {
        let Some((neutral, n)) = neutral else { continue };
        let part = ctx.joined(|e| {
            let own = all.iter().any(|&own| std::ptr::eq(e, &net.edges[own]));
            !own && !matches!(e.what, EdgeKind::Bond { .. }) && !net.crosses_earth(e)
        });
        let (l_ahead, n_ahead) = (part[net.edges[line].a], part[net.edges[neutral].a]);
        let mut wrong: Vec<String> = Vec::new();
        for (index, p) in ctx.rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
            let port = match p.kind {
                Kind::Outlet | Kind::AcLoad | Kind::Charger => "ac",
                Kind::GfciOutlet => "line",
                _ => continue,
            };
            let landed = |n: usize| net.edges.iter().any(|e| e.a == n || e.b == n);
            let at = |core: &str| net.node(index, &format!("{port}.{core}")).filter(|n| landed(*n)).map(|n| part[n]);
            // Of two hots the one that hangs on this pole.
            let hot = [at("L"), at("L2")].into_iter().flatten().find(|h| *h == part[l]).or(at("L"));
            let (Some(line_at), Some(neutral_at)) = (hot, at("N")) else { continue };
            // Behind it, and not joined round it to what is ahead of it.
            let (behind_l, behind_n) = (line_at == part[l], neutral_at == part[n]);
            let (ahead_l, ahead_n) = (line_at == l_ahead, neutral_at == n_ahead);
            let crossed = (behind_l && !ahead_l && ahead_n) || (behind_n && !ahead_n && ahead_l);
            if crossed && index != component {
                wrong.push(p.id.clone());
            }
        }
        if wrong.is_empty() {
            continue;
        }
        let name = if unit == "main" || unit == "load" {
            ctx.id(component).to_owned()
        } else {
            format!("{}.{unit}", ctx.id(component))
        };
        let statement = format!(
            "Line and neutral of {} do not both go through the {} {name}.",
            wrong.join(", "),
            ctx.profile.words.rcd
        );
        let mut f = ctx.finding(&RULE, Severity::BeforeUse, &name, statement);
        f.evidence.push(format!(
            "With both poles of {name} taken away, one of the two conductors of {} still hangs on what is ahead of it.",
            wrong.join(", ")
        ));
        f.evidence.push("Its whole load current is then a residual current.".to_owned());
        f.components = std::iter::once(ctx.id(component).to_owned()).chain(wrong).collect();
        found.push(f);
    }
    found
}
