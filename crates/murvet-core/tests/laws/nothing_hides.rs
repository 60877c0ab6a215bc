//! Nothing hides behind anything: every conductor that an independent judge calls unprotected is named.

use super::OVERCURRENT;
use super::common::judge;
use super::judge::unprotected;
use super::rigs::sketch;
use murvet_core::network::WireSpot;
use murvet_core::notation::parse;
use std::collections::BTreeSet;

#[test]
fn no_conductor_that_the_judge_calls_unprotected_is_unnamed() {
    let (mut failing, mut silent) = (0, 0);
    for seed in 0..1000 {
        let s = sketch(seed);
        let text = s.text();
        let rig = parse(&text).unwrap_or_else(|e| panic!("{seed}: {e:?}\n{text}"));
        let audit = judge(&text, s.profile);
        let spots: BTreeSet<WireSpot> = audit
            .findings
            .iter()
            .filter(|f| OVERCURRENT.contains(&f.meta))
            .flat_map(|f| f.wires.iter().copied())
            .collect();
        let named = |lead: usize| {
            let lead = &s.drawing.leads[lead];
            spots.iter().any(|spot| match (spot, lead.spot, &lead.cable) {
                (WireSpot::Run(r, step), Some(at), _) => (*r, *step) == at,
                (WireSpot::Cable(c, _), _, Some(id)) => rig.cables[*c].id == *id,
                _ => false,
            })
        };
        let wanted = unprotected(&s);
        failing += wanted.len();
        silent += s.drawing.leads.len() - wanted.len();
        for (n, lead) in s.drawing.leads.iter().enumerate() {
            let between = format!("{} to {}", s.drawing.nodes[lead.a], s.drawing.nodes[lead.b]);
            assert!(named(n) || !wanted.contains(&n), "rig {seed}: {between} is not named\n{text}");
            let missing = audit.findings.iter().any(|f| f.meta == "overcurrent-missing" || f.meta == "device-too-far");
            // What hangs on a lead without a device is named with it; beside that nothing sound is accused.
            assert!(wanted.contains(&n) || !named(n) || missing, "rig {seed}: {between} is named and is sound\n{text}");
        }
    }
    println!("1000 rigs: {failing} conductors unprotected by the judge, each named; {silent} sound");
    assert!(failing > 1000 && silent > 5000, "{failing}, {silent}");
}
