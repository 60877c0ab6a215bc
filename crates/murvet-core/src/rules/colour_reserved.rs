//! A conductor in a colour that is kept for another duty.

use super::{Context, Field, Finding, Hazard, Rule, Severity};
use crate::catalogue::Role;
use crate::network::{EdgeKind, WireSpot};
use crate::profiles::Profile;
use crate::rig::Step;

pub(super) static RULE: Rule = Rule {
    slug: "colour-reserved",
    hazard: Hazard::Isolation,
    statement: "Green, with or without yellow, is kept for earth, red for a positive, and on mains white and grey (120 V) or blue (230 V) for a neutral.",
    why: "Whoever works there next takes green for earth and lays hands on it, or lands a live conductor on the earth bar.",
    source: "NFPA 70 sections 250.119 and 310.6; IEC 60445; ABYC E-11 (recalled)",
    find,
    is: &[],
    repairs: &[],
    without: "It is marked over its visible length or replaced; the trace says nothing of marking.",
    proven_by: &[],
    faults: &[(Field::Identification, "a colour kept for another duty")],
    schools: &[],
    example: include_str!("examples/colour-reserved.rig"),
};

/// What is wrong with a colour on a duty. Which are kept for neutrals and lives the profile says.
fn wrong(colour: &str, duty: Role, profile: &Profile) -> Option<(Severity, &'static str)> {
    let kept = |list: &[String]| list.iter().any(|c| c == colour);
    match (colour.starts_with("green"), duty) {
        (true, Role::Plus | Role::Line) => Some((Severity::Soon, "is live in the colour of earth")),
        (true, Role::Minus | Role::Neutral) => Some((Severity::Advice, "carries current in the colour of earth")),
        (false, Role::Minus) if colour == "red" => {
            Some((Severity::Advice, "is a negative in the colour of a positive"))
        }
        (_, Role::Line) if kept(&profile.neutral_colours.value) => {
            Some((Severity::Soon, "is live in the colour of a neutral"))
        }
        (_, Role::Neutral) if kept(&profile.line_colours.value) => {
            Some((Severity::Advice, "is a neutral in the colour of a live conductor"))
        }
        _ => None,
    }
}

fn find(ctx: &Context) -> Vec<Finding> {
    let net = ctx.net;
    let mut found = Vec::new();
    for e in &net.edges {
        let EdgeKind::Wire(w) = e.what else { continue };
        let WireSpot::Run(run, step) = net.wires[w].spot else { continue };
        let Some(Step::Conductor(c)) = ctx.rig.runs.get(run).and_then(|r| r.steps.get(step)) else { continue };
        let (Some(colour), a, b) = (c.colour.as_deref(), net.nodes[e.a].duty, net.nodes[e.b].duty) else { continue };
        // A bond between a negative and the chassis is an earth conductor.
        let earth = a == Role::Earth || b == Role::Earth;
        let duty = if a == Role::Any { b } else { a };
        let Some((severity, words)) = wrong(colour, duty, ctx.profile).filter(|_| !earth) else { continue };
        let statement = format!("{} is {colour} and {words}.", ctx.wire_words(w));
        let mut f = ctx.finding(&RULE, severity, &net.wires[w].key, statement);
        f.evidence.push(format!("{} is {}, {} is {}.", net.nodes[e.a].name, a.word(), net.nodes[e.b].name, b.word()));
        f.evidence.push("Marked over its whole length that can be seen, or replaced.".to_owned());
        f.wires = vec![net.wires[w].spot];
        found.push(f);
    }
    found
}
