//! What an inspector sees and no computation can: workmanship and identification, by kind.
//!
//! A remark is written on a component, a cable or a place; its kind decides how pressing it is and what is printed.

use crate::severity::Severity;

/// One kind of remark.
#[derive(Debug, Clone, Copy)]
pub struct RemarkKind {
    /// The word of the notation.
    pub word: &'static str,
    /// How pressing it is.
    pub severity: Severity,
    /// What is wrong, to be read after the name of the thing.
    pub says: &'static str,
    /// Where the demand comes from.
    pub source: &'static str,
}

const PRACTICE: &str = "common practice, no source";
const WAYS: &str = "NFPA 70 sections 110.12 and 551.47; IEC 60364-5-52 section 522 (recalled)";
const JOINTS: &str = "NFPA 70 section 110.14; IEC 60364-5-52 section 526 (recalled)";
const SIGNS: &str = "NFPA 70 sections 110.22 and 408.4; IEC 60364-5-51 section 514 (recalled)";

const fn kind(word: &'static str, severity: Severity, says: &'static str, source: &'static str) -> RemarkKind {
    RemarkKind { word, severity, says, source }
}

/// Every kind of remark.
pub static REMARKS: &[RemarkKind] = &[
    kind("hot", Severity::KeepOff, "shows heat: browned, melted or smelling", PRACTICE),
    kind("bare-live", Severity::KeepOff, "has a live end or live metal that can be touched", WAYS),
    kind("swollen", Severity::KeepOff, "is swollen, leaking or smells", PRACTICE),
    kind(
        "gas-locker",
        Severity::KeepOff,
        "can make a spark or vent a battery in a gas locker",
        "EN 1949 and NFPA 1192 (recalled); common practice",
    ),
    // As found: who saw it is said in its words. It stays listed until it is said how the device was left.
    kind("found-tripped", Severity::Soon, "was found tripped, and why it opened is not known", PRACTICE),
    kind("found-blown", Severity::Soon, "was found blown, and why it opened is not known", PRACTICE),
    kind("found-removed", Severity::Soon, "was found taken out", PRACTICE),
    kind("found-off", Severity::Advice, "was found switched off", PRACTICE),
    kind("loose-joint", Severity::BeforeUse, "has a loose joint", JOINTS),
    kind(
        "few-strands",
        Severity::BeforeUse,
        "has a terminal that holds only some of the strands, or strands cut away",
        JOINTS,
    ),
    kind("crushed-joint", Severity::Soon, "has a crushed or badly formed crimp", JOINTS),
    kind("wrong-die", Severity::Soon, "has a crimp of the wrong die", JOINTS),
    kind(
        "soldered-lug",
        Severity::Soon,
        "has a lug that is soldered only; a crimp that can be verified is accepted by both schools",
        PRACTICE,
    ),
    kind("wrong-lug", Severity::Soon, "has a fork, ring or hook that the terminal is not made for", JOINTS),
    kind("no-ferrule", Severity::Soon, "has fine strands under a screw without a ferrule", JOINTS),
    kind("two-under-one", Severity::Soon, "has more conductors under one screw than it is made for", JOINTS),
    kind(
        "torque-unknown",
        Severity::Advice,
        "has joints whose torque was not verified against the maker's figure",
        "the maker's figure only",
    ),
    kind("wrong-strands", Severity::Soon, "takes solid or coarse conductor where fine strands are wanted", PRACTICE),
    kind("splice-outside", Severity::Soon, "has a splice outside a box or out of reach", WAYS),
    kind("no-grommet", Severity::BeforeUse, "passes cut metal without a grommet or gland", WAYS),
    kind("chafed", Severity::BeforeUse, "is chafed or rests on an edge", WAYS),
    kind("unsupported", Severity::Soon, "is not supported or hangs on its wires", WAYS),
    kind("taped", Severity::Soon, "is held by tape", PRACTICE),
    kind("wrong-sheath", Severity::Soon, "has a sheath that does not stand sun, wet, oil or heat where it lies", WAYS),
    kind("wrong-attitude", Severity::Soon, "is mounted in an attitude its maker does not allow", PRACTICE),
    kind("no-clear-air", Severity::Soon, "lacks the clear air its maker asks for", PRACTICE),
    kind("hot-bench", Severity::Soon, "shares a closed space with other things that give off heat", PRACTICE),
    kind(
        "short-conductor",
        Severity::Advice,
        "has too little or too much free conductor in its box",
        "NFPA 70 section 300.14 (recalled)",
    ),
    kind("near-moving", Severity::BeforeUse, "has wires near moving contacts or parts", PRACTICE),
    kind(
        "open-knockout",
        Severity::BeforeUse,
        "has an opening that is not closed",
        "NFPA 70 section 110.12(A) (recalled)",
    ),
    kind("unsealed", Severity::Soon, "enters roof, floor or wall unsealed or with bare metal", PRACTICE),
    kind(
        "inlet-place",
        Severity::Soon,
        "sits in wheel spray, too high or hard to reach",
        "IEC 60364-7-721, not above 1.8 m (recalled)",
    ),
    kind("wet", Severity::BeforeUse, "stands under a leak or where water comes", PRACTICE),
    kind(
        "combustible-backing",
        Severity::Soon,
        "stands on carpet or bare combustible backing, or on metal that is not bonded",
        PRACTICE,
    ),
    kind("stowage-studs", Severity::BeforeUse, "has live studs where things are stowed", PRACTICE),
    kind(
        "mixed-systems",
        Severity::Soon,
        "has mains and extra-low voltage in one box or on one tie without a partition",
        "NFPA 70 section 551.42; IEC 60364-5-52 section 528 (recalled)",
    ),
    kind(
        "not-secured",
        Severity::BeforeUse,
        "is a battery that is not strapped down",
        "NFPA 70 section 551.10(F); AS/NZS 3001.2 (recalled in outline)",
    ),
    kind("metal-hold-down", Severity::Soon, "has a metal hold-down near bare posts", PRACTICE),
    kind("not-vented", Severity::BeforeUse, "gasses into a closed space", "NFPA 70 section 551.10(F) (recalled)"),
    kind("no-pre-charge", Severity::Advice, "closes onto inverter capacitors without pre-charge", PRACTICE),
    kind("wrong-metal", Severity::BeforeUse, "is copper-clad aluminium or thinner than marked", PRACTICE),
    kind(
        "self-resetting",
        Severity::Soon,
        "resets itself where a fault would hurt again and again",
        "SAE J553 type I (recalled)",
    ),
    kind("wrong-way-round", Severity::BeforeUse, "is a polarised device the wrong way round", PRACTICE),
    kind("no-legend", Severity::Soon, "has no circuit list", SIGNS),
    kind("stale-legend", Severity::Soon, "has a circuit list that is no longer true", SIGNS),
    kind("unlabelled", Severity::Soon, "is not labelled", SIGNS),
    kind("not-remarked", Severity::Soon, "is reused cable that is not marked for its new duty at both ends", SIGNS),
    kind(
        "colour-misused",
        Severity::Soon,
        "has a colour kept for another duty, such as green for a load conductor",
        SIGNS,
    ),
    kind("main-leaves-live", Severity::BeforeUse, "has a main that does not make the whole box dead", SIGNS),
    kind("unprimed-metal", Severity::Advice, "has cut metal that was not primed", PRACTICE),
    kind("hard-to-reach", Severity::Advice, "is hard to reach when it is needed", PRACTICE),
    kind(
        "terminal-limit",
        Severity::Soon,
        "has a conductor that its terminal is not made for: stranding, size or strip length",
        JOINTS,
    ),
    kind(
        "shared-bolt",
        Severity::Soon,
        "has AC earth and DC return under one bolt: loose, it sends DC through the thin earth",
        PRACTICE,
    ),
    kind("strings-unmatched", Severity::Soon, "was joined in parallel without comparing voltages", PRACTICE),
    kind(
        "string-unfused",
        Severity::Advice,
        "has parallel strings without a device each, which one school wants",
        PRACTICE,
    ),
    kind(
        "chemistry-changed",
        Severity::Soon,
        "replaces one of another chemistry: every charging path is to be looked at again",
        PRACTICE,
    ),
    kind("cold-charge", Severity::Soon, "may be charged below the lowest temperature of its cells", PRACTICE),
    kind(
        "lock-out",
        Severity::Advice,
        "needs a step by hand before anything can charge it again after its management opened",
        PRACTICE,
    ),
    kind("roof-joints", Severity::Advice, "has more joints on the roof than it needs", PRACTICE),
    kind("unlike-panels", Severity::Advice, "has unlike panels in parallel", PRACTICE),
    kind(
        "forgotten-switch",
        Severity::Advice,
        "stands in a row with another switch that is easily forgotten",
        PRACTICE,
    ),
    kind(
        "wrong-transfer",
        Severity::BeforeUse,
        "is a transfer of a kind that does not break before it makes",
        PRACTICE,
    ),
    kind("heavy-draw", Severity::Advice, "draws more when idle than its label says", PRACTICE),
    kind("other", Severity::Advice, "has a remark", PRACTICE),
];

/// The kind of this word.
pub fn remark_kind(word: &str) -> Option<&'static RemarkKind> {
    REMARKS.iter().find(|k| k.word.eq_ignore_ascii_case(word))
}
