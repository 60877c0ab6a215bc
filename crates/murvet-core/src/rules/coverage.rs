//! What goes wrong on such rigs, and where each of it is found. `docs/rules.md` is generated from here and from
//! the rules.

use super::RULES;
use crate::catalogue::REMARKS;
use crate::profiles::SCHOOLS;
use std::fmt::Write;

/// How a fault comes to light.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Found {
    /// By a rule, named by its slug.
    Rule(&'static str),
    /// By looking: a kind of remark.
    Remark(&'static str),
    /// By measuring: the kind of a test in the plan.
    Reading(&'static str),
}

use Found::{Reading, Remark, Rule};

/// Faults by field, each with where it is found.
pub static COVERAGE: &[(&str, &[(&str, Found)])] = &[
    (
        "Overcurrent protection",
        &[
            ("no device at the battery, or only at the far end", Rule("overcurrent-missing")),
            ("the first device is too far from its source", Rule("device-too-far")),
            ("battery electronics taken for a device", Rule("overcurrent-missing")),
            ("old cable fed backwards after a source was moved", Rule("overcurrent-missing")),
            ("a source at each end and one device", Rule("device-too-far")),
            ("a device larger than the thinnest conductor after it", Rule("device-oversized")),
            ("several feeds that meet in one thin cable", Rule("device-oversized")),
            ("a device larger than the appliance's maker allows", Rule("appliance-maximum")),
            ("a 30 A path on a 50 A supply", Rule("cable-ampacity")),
            ("a switch, bar, shunt, relay or transfer below what can flow", Rule("contact-overloaded")),
            ("a device below the voltage that stands on it", Rule("device-voltage")),
            ("an AC device on DC, or a vehicle fuse on mains", Rule("device-kind")),
            ("breaking capacity below what the bank drives", Rule("breaking-capacity")),
            ("a polarised device the wrong way round", Remark("wrong-way-round")),
            ("a device that resets itself", Remark("self-resetting")),
            ("an RCD without overcurrent element taken for a breaker", Rule("device-oversized")),
            ("a fuse taken for a barrier to backfeed", Rule("ac-backfeed")),
            ("two equal devices in series where nobody knows which opens", Rule("devices-in-series")),
            ("a fault current too small to open its device", Rule("fault-clearing")),
            ("protection that differs by state", Rule("cable-ampacity")),
            ("two thin cables for one thick", Rule("parallel-conductors")),
            ("a neutral or an earth opened alone", Rule("return-interrupted")),
            ("a breakaway feed that is long or not fused", Rule("overcurrent-missing")),
            ("a device below the steady current of what hangs on it", Rule("device-undersized")),
            ("an inverter behind a device that does not hold it", Rule("inverter-device")),
        ],
    ),
    (
        "Isolation",
        &[
            ("nothing takes the battery off, or loads stand ahead of the switch", Rule("battery-isolation")),
            ("nothing takes the array off", Rule("array-isolation")),
            ("a single-pole device where all poles must open", Rule("pole-missing")),
            ("a live end that goes nowhere", Rule("loose-end")),
            ("live pins on an unhitched coupling", Rule("pins-live")),
            ("what safety depends on goes off with the main switch", Rule("vital-switched")),
            ("two switches in a row, one of them forgotten", Remark("forgotten-switch")),
            ("switches without a label", Remark("unlabelled")),
        ],
    ),
    (
        "Battery and charging",
        &[
            ("batteries in parallel that do not share alike", Rule("battery-sharing")),
            ("mixed chemistries, voltages or capacities", Rule("battery-mixed")),
            ("a device of another voltage than its bank or supply", Rule("voltage-unlike")),
            ("chargers that add up to more than the bank may take", Rule("charge-sum")),
            ("an inverter that asks more than the bank may give", Rule("discharge-limit")),
            ("a charger set for another battery", Rule("charge-voltage")),
            ("not strapped down", Remark("not-secured")),
            ("a metal hold-down near bare posts", Remark("metal-hold-down")),
            ("lead-acid that is not vented, lithium open to the living space", Rule("battery-place")),
            ("gas with nowhere to go", Remark("not-vented")),
            ("closing onto inverter capacitors without pre-charge", Remark("no-pre-charge")),
            ("a swollen or leaking battery", Remark("swollen")),
            ("thresholds of warning, cut-off and restart out of order", Rule("thresholds-order")),
            ("a shunt with current going round it, or with none", Rule("shunt-bypassed")),
            ("a charging source with no battery in circuit", Rule("source-without-store")),
            ("a load-disconnect in a path that charges or inverts", Rule("load-disconnect-place")),
            ("management that only signals, and devices that do not listen", Rule("management-ignored")),
            ("links of a bank thinner than its main cable", Rule("bank-link")),
            ("one battery that opens and the rest that follow", Rule("discharge-limit")),
            ("runs that land on different posts of a bank", Rule("battery-sharing")),
            ("strings joined without comparing voltages", Remark("strings-unmatched")),
            ("parallel strings without a device each", Remark("string-unfused")),
            ("a change of chemistry", Remark("chemistry-changed")),
            ("a charge below the lowest temperature of lithium", Remark("cold-charge")),
            ("nothing that can charge again after the management opened", Remark("lock-out")),
            ("a load dump when a lithium unit opens under an alternator", Rule("alternator-bank")),
        ],
    ),
    (
        "Cable",
        &[
            ("a place too hot for what works in it", Rule("place-heat")),
            ("too thin for what hangs on it, with ambient and bundling", Rule("cable-ampacity")),
            ("too much voltage lost through supply and return", Rule("cable-drop")),
            ("a chassis return taken for granted", Rule("chassis-return")),
            ("a return thinner than its supply, or shared by many", Rule("device-oversized")),
            ("mains wiring thinner than allowed at all", Rule("cable-minimum")),
            ("a protective core too thin for the device ahead", Rule("earth-size")),
            ("not the copper it is marked as", Remark("wrong-metal")),
            ("a terminal that bites a few strands", Remark("few-strands")),
            ("a terminal's own limits", Remark("terminal-limit")),
            ("solid or coarse conductor where it flexes", Remark("wrong-strands")),
            ("a sheath against sun, wet, oil or heat", Remark("wrong-sheath")),
            ("array cable too thin for continuous sun", Rule("array-current")),
        ],
    ),
    (
        "Neutral and earth",
        &[
            ("joined in the rig while a supply has its own bond", Rule("bond-away")),
            ("joined at several places", Rule("bond-several")),
            ("not joined while the rig is its own source", Rule("bond-missing")),
            ("a bond on an inverter that is not isolated", Rule("bond-not-isolated")),
            ("cores swapped at a terminal", Rule("bond-away")),
            ("an outlet or case whose earth leads nowhere", Rule("earth-missing")),
            ("line and neutral on different sides of an RCD, or a borrowed neutral", Rule("rcd-neutral")),
            ("an outlet that some source feeds past every RCD", Rule("rcd-missing")),
            ("an RCD that does not open on earth leakage", Reading("rcd")),
            ("reversed polarity", Rule("conductors-crossed")),
            ("a reversed supply, or one without earth", Rule("supply-fault")),
            ("a bond in the rig under a reversed supply", Rule("skin-live")),
            ("the chassis not bonded, or by too thin a conductor", Rule("chassis-bond")),
            ("the DC negative not joined to the chassis", Rule("negative-floating")),
            ("a bond through paint or rivets", Reading("earth")),
            ("AC earth and DC return under one bolt", Remark("shared-bolt")),
            ("a neutral on another source's bar, parted from its hot", Rule("neutral-lost")),
            ("a dead leg live through an appliance of two hots", Reading("voltage")),
            ("two hots in phase on one neutral, or both on one leg", Rule("neutral-shared")),
            ("a hot that is lost with an appliance across both", Rule("hot-lost")),
            ("a residual-current device that its circuit blinds", Rule("rcd-type")),
            ("a stepped wave on what needs a sine", Rule("wave-form")),
            ("two hots whose common neutral is lost", Rule("neutral-lost")),
            ("the two hots of one supply joined", Rule("legs-joined")),
        ],
    ),
    (
        "Backfeed",
        &[
            ("two sources that nothing makes exclude each other", Rule("ac-backfeed")),
            ("live pins on an unplugged inlet", Rule("ac-backfeed")),
            ("a transfer that never comes to rest", Rule("transfer-oscillates")),
            ("AC and DC joined by colour", Rule("conductors-crossed")),
            ("feed-in enabled by a setting, or two outputs of one unit joined", Rule("feed-in")),
            ("a transfer of the wrong rating or poles", Rule("contact-overloaded")),
            ("a transfer of the wrong kind", Remark("wrong-transfer")),
        ],
    ),
    (
        "Charger loop",
        &[
            ("a charger on what its own battery feeds", Rule("charger-loop")),
            ("converters in a circle on DC", Rule("charger-loop")),
            ("a heating appliance that moves to the inverter by itself", Rule("heating-moves")),
            ("the charger's input dead on the inverter", Reading("loop")),
        ],
    ),
    (
        "Solar and alternator",
        &[
            ("strings of an array without a device each", Rule("array-strings")),
            ("an array on a battery without a controller, or behind two", Rule("array-direct")),
            ("unlike panels in one string, or strings of unlike voltage beside each other", Rule("array-unlike")),
            ("an array above its controller on a cold morning", Rule("array-voltage")),
            ("a home run that eats the array's power", Rule("array-drop")),
            ("too many joints on the roof", Remark("roof-joints")),
            ("unlike panels in parallel", Remark("unlike-panels")),
            ("a lithium bank straight on the alternator", Rule("alternator-bank")),
        ],
    ),
    (
        "Capacity",
        &[
            ("more on together than the source gives, or an inverter near its limit", Rule("load-sum")),
            ("a bank that falls although the rig is on shore", Rule("dc-balance")),
            ("an idle draw that nobody noticed, a transfer coil that is always fed", Remark("heavy-draw")),
        ],
    ),
    (
        "Workmanship",
        &[
            ("anything that was seen and no computation can find", Rule("remark")),
            ("heat marks", Remark("hot")),
            ("a device found tripped", Remark("found-tripped")),
            ("a device found blown", Remark("found-blown")),
            ("a device found taken out", Remark("found-removed")),
            ("a device found switched off", Remark("found-off")),
            ("live metal within reach", Remark("bare-live")),
            ("a spark or a vent in a gas locker", Remark("gas-locker")),
            ("loose joints", Remark("loose-joint")),
            ("crushed joints", Remark("crushed-joint")),
            ("a crimp of the wrong die", Remark("wrong-die")),
            ("a lug that is soldered only", Remark("soldered-lug")),
            ("the wrong lug for the terminal", Remark("wrong-lug")),
            ("no ferrule", Remark("no-ferrule")),
            ("two under one screw", Remark("two-under-one")),
            ("torque not verified", Remark("torque-unknown")),
            ("splices outside boxes", Remark("splice-outside")),
            ("no grommet or gland", Remark("no-grommet")),
            ("chafed cable", Remark("chafed")),
            ("unsupported cable or unit", Remark("unsupported")),
            ("held by tape", Remark("taped")),
            ("a wrong attitude", Remark("wrong-attitude")),
            ("no clear air", Remark("no-clear-air")),
            ("several hot units in one bench", Remark("hot-bench")),
            ("too little free conductor", Remark("short-conductor")),
            ("wires near moving contacts", Remark("near-moving")),
            ("cut metal unprimed", Remark("unprimed-metal")),
            ("equipment hard to reach", Remark("hard-to-reach")),
            ("openings not closed", Remark("open-knockout")),
            ("entries not sealed", Remark("unsealed")),
            ("the inlet in spray or too high", Remark("inlet-place")),
            ("equipment where water comes", Remark("wet")),
            ("combustible or unbonded backing", Remark("combustible-backing")),
            ("live studs where things are stowed", Remark("stowage-studs")),
            ("mains and extra-low voltage together", Remark("mixed-systems")),
            ("anything else", Remark("other")),
        ],
    ),
    (
        "Identification",
        &[
            ("no circuit list", Remark("no-legend")),
            ("a circuit list that is no longer true", Remark("stale-legend")),
            ("reused cable not marked again", Remark("not-remarked")),
            ("a colour kept for another duty", Rule("colour-reserved")),
            ("a colour or a sleeve that misleads in a cable", Remark("colour-misused")),
            ("a main that does not make the box dead", Remark("main-leaves-live")),
        ],
    ),
];

/// The page of rules as Markdown.
pub fn page() -> String {
    let mut out = String::from(
        "# Rules\n\nGenerated by `murvet rules`; do not edit. Murvet advises: local code and licensed practice decide.\n\n\
         ## What is judged\n\n| rule | field | what must hold | why | source |\n|---|---|---|---|---|\n",
    );
    for (meta, _) in RULES {
        let _ = writeln!(
            out,
            "| `{}` | {} | {} | {} | {} |",
            meta.slug,
            meta.hazard.words(),
            meta.statement,
            meta.why,
            meta.source
        );
    }
    out.push_str("\n## What is remarked\n\n`remark THING: KIND \"in words\"`, on a piece, a cable or a place.\n\n| kind | how pressing | says | source |\n|---|---|---|---|\n");
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
    for (field, faults) in COVERAGE {
        for (fault, found) in *faults {
            let by = match found {
                Rule(slug) => format!("rule `{slug}`"),
                Remark(word) => format!("remark `{word}`"),
                Reading(kind) => format!("reading `{kind}`"),
            };
            let _ = writeln!(out, "| {field} | {fault} | {by} |");
        }
    }
    out
}
