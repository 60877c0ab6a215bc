//! A device that does not obey a management unit which cannot open by itself, or opens a contactor under it.

use super::{Context, Field, Finding, Hazard, Precaution, Repair, Rule, Severity, TRIED, distinct};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{EdgeKind, Network, Source};
use crate::rig::Component;
use crate::units::short;

pub(super) static RULE: Rule = Rule {
    slug: "management-ignored",
    hazard: Hazard::Battery,
    statement: "Where a battery's management only signals, every charger and every large load listens and is set to listen; where it opens a contactor, nothing charges on behind it and no inverter meets it uncharged.",
    why: "Nothing disconnects by itself then: one charger that does not listen overcharges a cell that the unit has long reported. A contactor that opens under charge leaves the charger on the loads alone; one that closes onto empty capacitors welds.",
    source: "common practice, no source",
    find,
    is: &[],
    repairs: &[Repair::WireSignals],
    without: TRIED,
    proven_by: &[],
    faults: &[(Field::Battery, "management that only signals, and devices that do not listen")],
    schools: &[],
    example: include_str!("examples/management-ignored.rig"),
};

/// From here on a DC appliance can empty a bank past its end in a night, A (common practice, no source).
const LARGE_A: f64 = 5.0;

/// Labels of the positive side with everything taken away that opens at a signal or at a low battery.
fn without_obeying(ctx: &Context) -> Vec<u32> {
    let net = ctx.net;
    ctx.joined(|e| {
        let component =
            net.nodes[e.a].component.filter(|p| net.nodes[e.b].component == Some(*p)).map(|p| &ctx.rig.components[p]);
        let opens = component
            .is_some_and(|p| p.kind == Kind::LoadDisconnect && (p.flag("listens") || p.attrs.contains_key("cut-off")));
        let live = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Any);
        live(e.a) && live(e.b) && !opens && !matches!(e.what, EdgeKind::Bond { .. })
    })
}

/// Components that charge into a part, and components that draw much from it, without obeying.
fn deaf<'a>(ctx: &'a Context, bank: &Source, part: &[u32], far: usize, loads: Option<&[u32]>) -> Vec<&'a str> {
    let net: &Network = ctx.net;
    let here = |n: usize| part[n] == part[far];
    let charges = net.sources.iter().filter(|s| {
        let kind = ctx.rig.components[s.component].kind;
        !s.kind.is_ac() && !matches!(kind, Kind::Battery | Kind::Array | Kind::Tow) && here(s.plus)
    });
    let draws = net.consumers.iter().filter(|c| {
        let large = |p: &Component| p.kind == Kind::DcLoad && !c.vital && c.current_a.is_some_and(|a| a >= LARGE_A);
        let p = &ctx.rig.components[c.component];
        let inverts = matches!(p.kind, Kind::Inverter | Kind::InverterCharger) && here(c.plus);
        inverts || (large(p) && loads.is_some_and(|l| l[c.plus] == l[bank.plus]))
    });
    let listens = |p: &usize| ctx.rig.components[*p].flag("listens");
    let all = charges.map(|s| s.component).chain(draws.map(|c| c.component)).filter(|p| !listens(p));
    distinct(all.map(|p| ctx.id(p)).collect())
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for b in net.sources.iter().filter(|s| s.kind == SourceKind::Battery) {
        match ctx.rig.components[b.component].word("management") {
            Some("management-signal") => found.extend(only_signals(ctx, b)),
            Some("management-contactor") => found.extend(opens_contactor(ctx, b)),
            _ => {}
        }
    }
    found
}

fn only_signals(ctx: &Context, b: &Source) -> Option<Finding> {
    let loads = without_obeying(ctx);
    let deaf = deaf(ctx, b, ctx.whole(), b.plus, Some(&loads));
    if deaf.is_empty() {
        return None;
    }
    let statement =
        format!("{} do not listen to the management of {}.", deaf.join(", "), ctx.component_words(b.component));
    let id = ctx.id(b.component);
    let mut f = ctx.finding(&RULE, Severity::Soon, id, statement);
    f.evidence.push("Its management opens nothing itself: it only signals.".to_owned());
    f.evidence.push(format!("On the same bank without a link that is obeyed: {}.", deaf.join(", ")));
    f.evidence.push(format!(
        "Appliances count from {} A; a load disconnect that listens, or has a cut-off of its own, obeys for what hangs on it.",
        short(LARGE_A)
    ));
    let names = deaf.iter().map(|d| (*d).to_owned()).collect();
    f.precaution = Some(Precaution::Watched { battery: id.to_owned(), names });
    f.components = std::iter::once(id).chain(deaf).map(str::to_owned).collect();
    Some(f)
}

/// The unit's own contactor: what charges behind it must stop first, and an inverter's capacitors be charged first.
fn opens_contactor(ctx: &Context, b: &Source) -> Option<Finding> {
    let net = ctx.net;
    let id = ctx.id(b.component);
    let own = |n: usize| matches!(net.nodes[n].duty, Role::Plus | Role::Any);
    let contactor = |e: &crate::network::Edge| {
        let component = net.nodes[e.a].component.filter(|p| net.nodes[e.b].component == Some(*p));
        component
            .filter(|p| ctx.rig.components[*p].kind == Kind::LoadDisconnect && ctx.rig.components[*p].flag("listens"))
    };
    let part =
        ctx.joined(|e| own(e.a) && own(e.b) && contactor(e).is_none() && !matches!(e.what, EdgeKind::Bond { .. }));
    // A contactor that obeys, with the battery on one side of it alone.
    let gates: Vec<(usize, usize)> = net
        .edges
        .iter()
        .filter_map(|e| {
            let component = contactor(e)?;
            let far = [e.a, e.b].into_iter().find(|n| part[*n] != part[b.plus])?;
            (part[e.a] == part[b.plus] || part[e.b] == part[b.plus]).then_some((component, far))
        })
        .collect();
    let mut lines = Vec::new();
    let mut components = vec![id.to_owned()];
    let behind = |n: usize| gates.iter().any(|(_, far)| part[*far] == part[n]);
    // What still hangs on the battery itself when the contactor has opened.
    let past: Vec<&str> = deaf(ctx, b, &part, b.plus, None);
    if gates.is_empty() || !past.is_empty() {
        let what = if gates.is_empty() {
            "no contactor that obeys it was found".to_owned()
        } else {
            format!("{} lie past it", past.join(", "))
        };
        lines.push(format!("It opens a contactor, and {what}."));
    }
    for (gate, far) in &gates {
        let deaf = deaf(ctx, b, &part, *far, None);
        if !deaf.is_empty() {
            lines.push(format!("{} do not stop before {} opens.", deaf.join(", "), ctx.id(*gate)));
            components.extend(deaf.into_iter().map(str::to_owned));
        }
        let inverts = net.consumers.iter().any(|c| {
            matches!(ctx.rig.components[c.component].kind, Kind::Inverter | Kind::InverterCharger) && behind(c.plus)
        });
        if inverts && !ctx.rig.components[*gate].flag("pre-charge") {
            lines.push(format!("{} closes onto an inverter without pre-charge.", ctx.id(*gate)));
            components.push(ctx.id(*gate).to_owned());
        }
    }
    let first = lines.first()?.clone();
    let name = ctx.component_words(b.component);
    let statement = format!(
        "The contactor of the management of {name} is not served: {}",
        first.trim_end_matches('.').to_owned() + "."
    );
    let mut f = ctx.finding(&RULE, Severity::Soon, id, statement);
    f.evidence.extend(lines);
    components.dedup();
    f.components = components;
    Some(f)
}
