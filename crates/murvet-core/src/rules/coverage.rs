//! What goes wrong on such rigs, and where each of it is found. `docs/rules.md` is generated from here and from
//! the rules.

use super::{Field, RULES, Rule};
use crate::catalogue::REMARKS;
use crate::profiles::SCHOOLS;
use crate::test_kinds::TestKind;
use std::fmt::Write;

/// How a fault comes to light.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Found {
    /// By a rule, named by its slug.
    Rule(&'static str),
    /// By looking: a kind of remark.
    Remark(&'static str),
    /// By measuring: the kind of a test in the plan.
    Reading(TestKind),
}

use Found::{Reading, Remark};

/// Faults that no rule computes: what is seen, and what a meter alone shows.
static BESIDE: &[(Field, &str, Found)] = &[
    (Field::Overcurrent, "a polarised device the wrong way round", Remark("wrong-way-round")),
    (Field::Overcurrent, "a device that resets itself", Remark("self-resetting")),
    (Field::Isolation, "two switches in a row, one of them forgotten", Remark("forgotten-switch")),
    (Field::Isolation, "switches without a label", Remark("unlabelled")),
    (Field::Battery, "not strapped down", Remark("not-secured")),
    (Field::Battery, "a metal hold-down near bare posts", Remark("metal-hold-down")),
    (Field::Battery, "gas with nowhere to go", Remark("not-vented")),
    (Field::Battery, "closing onto inverter capacitors without pre-charge", Remark("no-pre-charge")),
    (Field::Battery, "a swollen or leaking battery", Remark("swollen")),
    (Field::Battery, "strings joined without comparing voltages", Remark("strings-unmatched")),
    (Field::Battery, "parallel strings without a device each", Remark("string-unfused")),
    (Field::Battery, "a change of chemistry", Remark("chemistry-changed")),
    (Field::Battery, "a charge below the lowest temperature of lithium", Remark("cold-charge")),
    (Field::Battery, "nothing that can charge again after the management opened", Remark("lock-out")),
    (Field::Cable, "not the copper it is marked as", Remark("wrong-metal")),
    (Field::Cable, "a terminal that bites a few strands", Remark("few-strands")),
    (Field::Cable, "a terminal's own limits", Remark("terminal-limit")),
    (Field::Cable, "solid or coarse conductor where it flexes", Remark("wrong-strands")),
    (Field::Cable, "a sheath against sun, wet, oil or heat", Remark("wrong-sheath")),
    (Field::Bonding, "an RCD that does not open on earth leakage", Reading(TestKind::Rcd)),
    (Field::Bonding, "a bond through paint or rivets", Reading(TestKind::Earth)),
    (Field::Bonding, "AC earth and DC return under one bolt", Remark("shared-bolt")),
    (Field::Bonding, "a dead leg live through an appliance of two hots", Reading(TestKind::CarriedOver)),
    (Field::Backfeed, "a transfer of the wrong kind", Remark("wrong-transfer")),
    (Field::Loop, "the charger's input dead on the inverter", Reading(TestKind::Loop)),
    (Field::Generation, "too many joints on the roof", Remark("roof-joints")),
    (Field::Generation, "unlike panels in parallel", Remark("unlike-panels")),
    (Field::Capacity, "an idle draw that nobody noticed, a transfer coil that is always fed", Remark("heavy-draw")),
    (Field::Workmanship, "heat marks", Remark("hot")),
    (Field::Workmanship, "a device found tripped", Remark("found-tripped")),
    (Field::Workmanship, "a device found blown", Remark("found-blown")),
    (Field::Workmanship, "a device found taken out", Remark("found-removed")),
    (Field::Workmanship, "a device found switched off", Remark("found-off")),
    (Field::Workmanship, "live metal within reach", Remark("bare-live")),
    (Field::Workmanship, "a spark or a vent in a gas locker", Remark("gas-locker")),
    (Field::Workmanship, "loose joints", Remark("loose-joint")),
    (Field::Workmanship, "crushed joints", Remark("crushed-joint")),
    (Field::Workmanship, "a crimp of the wrong die", Remark("wrong-die")),
    (Field::Workmanship, "a lug that is soldered only", Remark("soldered-lug")),
    (Field::Workmanship, "the wrong lug for the terminal", Remark("wrong-lug")),
    (Field::Workmanship, "no ferrule", Remark("no-ferrule")),
    (Field::Workmanship, "two under one screw", Remark("two-under-one")),
    (Field::Workmanship, "torque not verified", Remark("torque-unknown")),
    (Field::Workmanship, "splices outside boxes", Remark("splice-outside")),
    (Field::Workmanship, "no grommet or gland", Remark("no-grommet")),
    (Field::Workmanship, "chafed cable", Remark("chafed")),
    (Field::Workmanship, "unsupported cable or unit", Remark("unsupported")),
    (Field::Workmanship, "held by tape", Remark("taped")),
    (Field::Workmanship, "a wrong attitude", Remark("wrong-attitude")),
    (Field::Workmanship, "no clear air", Remark("no-clear-air")),
    (Field::Workmanship, "several hot units in one bench", Remark("hot-bench")),
    (Field::Workmanship, "too little free conductor", Remark("short-conductor")),
    (Field::Workmanship, "wires near moving contacts", Remark("near-moving")),
    (Field::Workmanship, "cut metal unprimed", Remark("unprimed-metal")),
    (Field::Workmanship, "equipment hard to reach", Remark("hard-to-reach")),
    (Field::Workmanship, "openings not closed", Remark("open-knockout")),
    (Field::Workmanship, "entries not sealed", Remark("unsealed")),
    (Field::Workmanship, "the inlet in spray or too high", Remark("inlet-place")),
    (Field::Workmanship, "equipment where water comes", Remark("wet")),
    (Field::Workmanship, "combustible or unbonded backing", Remark("combustible-backing")),
    (Field::Workmanship, "live studs where things are stowed", Remark("stowage-studs")),
    (Field::Workmanship, "mains and extra-low voltage together", Remark("mixed-systems")),
    (Field::Workmanship, "anything else", Remark("other")),
    (Field::Identification, "no circuit list", Remark("no-legend")),
    (Field::Identification, "a circuit list that is no longer true", Remark("stale-legend")),
    (Field::Identification, "reused cable not marked again", Remark("not-remarked")),
    (Field::Identification, "a colour or a sleeve that misleads in a cable", Remark("colour-misused")),
    (Field::Identification, "a main that does not make the box dead", Remark("main-leaves-live")),
];

/// Every fault of the trade by field, each with where it is found: what the rules cover, then what is seen or measured.
pub fn coverage() -> Vec<(Field, &'static str, Found)> {
    let by_rules =
        RULES.iter().flat_map(|r| r.faults.iter().map(|(field, fault)| (*field, *fault, Found::Rule(r.slug))));
    let mut list: Vec<_> = by_rules.chain(BESIDE.iter().copied()).collect();
    list.sort_by_key(|(field, ..)| *field);
    list
}

/// The kinds of tests that prove a rule mended, as printed.
fn proven_by(rule: &Rule) -> String {
    let codes: Vec<String> = rule.proven_by.iter().map(|k| format!("`{}`", k.code())).collect();
    if codes.is_empty() { "looking again".to_owned() } else { codes.join(", ") }
}

/// The page of rules as Markdown.
pub fn page() -> String {
    let mut out = String::from(
        "# Rules\n\nGenerated by `murvet rules`; do not edit. Murvet advises: local code and licensed practice decide.\n\n\
         ## What is judged\n\n| rule | field | what must hold | why | source | proven by |\n|---|---|---|---|---|---|\n",
    );
    for rule in RULES {
        let _ = writeln!(
            out,
            "| `{}` | {} | {} | {} | {} | {} |",
            rule.slug,
            rule.hazard.words(),
            rule.statement,
            rule.why,
            rule.source,
            proven_by(rule)
        );
    }
    out.push_str("\n## What is remarked\n\n`remark THING: KIND \"in words\"`, on a component, a cable or a place.\n\n| kind | how pressing | says | source |\n|---|---|---|---|\n");
    for kind in REMARKS {
        let _ = writeln!(out, "| `{}` | {} | {} | {} |", kind.word, kind.severity.words(), kind.says, kind.source);
    }
    out.push_str("\n## Questions with more than one school\n\n`choice QUESTION: ANSWER \"reason\"` in a rig; the first answer holds where nothing is chosen.\n\n| question | about | answer | meaning |\n|---|---|---|---|\n");
    for school in SCHOOLS {
        for (word, says) in school.options {
            let _ = writeln!(out, "| `{}` | {} | `{word}` | {says} |", school.key, school.question);
        }
    }
    out.push_str("\n## What goes wrong, and where it is found\n\n| field | fault | found by |\n|---|---|---|\n");
    for (field, fault, found) in coverage() {
        let by = match found {
            Found::Rule(slug) => format!("rule `{slug}`"),
            Remark(word) => format!("remark `{word}`"),
            Reading(kind) => format!("reading `{}`", kind.code()),
        };
        let _ = writeln!(out, "| {} | {fault} | {by} |", field.words());
    }
    out
}
