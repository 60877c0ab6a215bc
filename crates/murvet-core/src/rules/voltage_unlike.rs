//! A device on a supply of another voltage than its own.

use super::{Context, Field, Finding, Hazard, Repair, Rule, Severity};
use crate::catalogue::{Kind, SourceKind};
use crate::network::{Consumer, Source, nominal_system};
use crate::test_kinds::TestKind;
use crate::units::{Dimension, short};

pub(super) static RULE: Rule = Rule {
    slug: "voltage-unlike",
    hazard: Hazard::Capacity,
    statement: "Everything on a bank or a supply is made for its voltage.",
    why: "A 12 V inverter on a 24 V bank, or a 120 V appliance on 240 V, is destroyed or burns when it is switched on; one made for more does not start and draws the more for it.",
    source: "the marking of the device; NFPA 70 section 110.3(B), IEC 60364-5-51 section 512.1.1 (recalled)",
    find,
    is: &[],
    repairs: &[Repair::OtherVoltage],
    without: "Another device or appliance is bought by its marking, then traced and audited.",
    proven_by: &[TestKind::Input],
    faults: &[(Field::Battery, "a device of another voltage than its bank or supply")],
    schools: &[],
    example: include_str!("examples/voltage-unlike.rig"),
};

/// How far a mains supply may lie from what a device is made for: 110 V beside 120 V and 220 V beside 240 V are one.
/// Common practice, no source.
const MAINS_SLACK: f64 = 0.15;

/// What a consumer says it is made for, V.
fn made_for(ctx: &Context, c: &Consumer) -> Option<f64> {
    let p = &ctx.rig.components[c.component];
    let key = match p.kind {
        Kind::Inverter | Kind::InverterCharger => "dc",
        Kind::DcLoad | Kind::AcLoad => "voltage",
        _ => return None,
    };
    p.si(key, Dimension::Voltage)
}

/// The supply, what it gives, what is made for how much, all in V.
struct Unlike<'a> {
    source: &'a Source,
    gives: f64,
    component: usize,
    made: f64,
}

fn unlike<'a>(ctx: &'a Context) -> Vec<Unlike<'a>> {
    let net = ctx.net;
    let whole = ctx.whole();
    let mut list: Vec<Unlike> = Vec::new();
    let opposite: Vec<usize> = net.opposite_hots().map(|(first, _)| first).collect();
    let mains = |made: f64, gives: f64| (made / gives - 1.0).abs() > MAINS_SLACK;
    for (i, s) in net.sources.iter().enumerate() {
        for c in net.consumers.iter().filter(|c| whole[c.plus] == whole[s.plus]) {
            let Some(made) = made_for(ctx, c) else { continue };
            let gives = match s.kind {
                SourceKind::Battery if !c.ac && whole[c.minus] == whole[s.minus] => nominal_system(s.volts),
                kind if kind.is_ac() && c.ac && !s.opposite => s.volts * if c.two_hot { 2.0 } else { 1.0 },
                _ => continue,
            };
            let wrong = if c.ac { mains(made, gives) } else { (nominal_system(made) - gives).abs() > 3.0 };
            if wrong {
                list.push(Unlike { source: s, gives, component: c.component, made });
            }
        }
        for component in ctx.components(Kind::Panel).filter(|_| s.kind.is_ac() && !s.opposite) {
            let (Some(made), Some(hot)) =
                (ctx.rig.components[component].si("voltage", Dimension::Voltage), net.node(component, "hot"))
            else {
                continue;
            };
            // A panel of two hots is called by either voltage.
            let both = opposite.contains(&i) && !mains(made, 2.0 * s.volts);
            if whole[hot] == whole[s.plus] && mains(made, s.volts) && !both {
                list.push(Unlike { source: s, gives: s.volts, component, made });
            }
        }
    }
    list
}

fn find(ctx: &Context) -> Vec<Finding> {
    let mut found: Vec<Finding> = Vec::new();
    for u in unlike(ctx) {
        let (id, supply) = (ctx.id(u.component), ctx.component_words(u.source.component));
        if found.iter().any(|f| f.subject == id) {
            continue;
        }
        let severity = if u.gives > u.made { Severity::BeforeUse } else { Severity::Soon };
        let statement = format!(
            "{} is made for {} V and hangs on {supply}, which gives {} V.",
            ctx.component_words(u.component),
            short(u.made),
            short(u.gives)
        );
        let mut f = ctx.finding(&RULE, severity, id, statement);
        f.evidence.push(format!("{} V against {} V, by their markings.", short(u.gives), short(u.made)));
        f.components = vec![id.to_owned(), ctx.id(u.source.component).to_owned()];
        found.push(f);
    }
    found
}
