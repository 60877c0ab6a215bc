//! Words that people say and the notation does not have, with what to write instead.

use super::Kind;

/// What is said, of which kinds (of any where none is named), and what to write.
static SAID: &[(&[&str], &[Kind], &str)] = &[
    (
        &["lead-acid", "lead", "sla", "vrla"],
        &[Kind::Battery],
        "write flooded, agm or gel by what is printed on it, or chemistry ? when it was not seen",
    ),
    (
        &["lithium", "li-ion", "lithium-ion", "lfp"],
        &[Kind::Battery],
        "write lifepo4 (3.2 V a cell) or nickel-lithium (3.6 V a cell), or chemistry ? when it was not seen",
    ),
    (&["double-pole", "two-pole", "dp", "2p", "double"], &[], "write 2-pole"),
    (&["single-pole", "one-pole", "sp", "1p", "single"], &[], "write 1-pole"),
    (&["triple-pole", "three-pole", "3p", "triple"], &[], "write 3-pole"),
    (&["modified-sine", "modified", "quasi-sine", "square"], &[Kind::Inverter, Kind::InverterCharger], "write stepped"),
    (&["pure-sine", "true-sine", "sinus"], &[Kind::Inverter, Kind::InverterCharger], "write sine"),
    (&["floating", "unbonded"], &[], "write bond-none"),
    (&["bonded"], &[], "write bond-fixed, or bond-switched where a relay joins it only while it is the source"),
    (&["split-phase", "120/240"], &[], "write two-hot"),
    (&["outside", "exterior"], &[Kind::Outlet, Kind::GfciOutlet], "write outdoors"),
    (&["shower", "bath"], &[Kind::Outlet, Kind::GfciOutlet], "write bathroom"),
];

/// What to write instead of a word that people say for something the notation has another word for.
///
/// ```
/// use murvet_core::catalogue::{Kind, meant};
/// assert_eq!(meant(Kind::Breaker, "double-pole"), Some("write 2-pole"));
/// assert_eq!(meant(Kind::Breaker, "lead-acid"), None);
/// ```
pub fn meant(kind: Kind, word: &str) -> Option<&'static str> {
    let word = word.to_lowercase();
    let fits = |(said, kinds, _): &&(&[&str], &[Kind], &str)| {
        said.contains(&word.as_str()) && (kinds.is_empty() || kinds.contains(&kind))
    };
    SAID.iter().find(fits).map(|(_, _, write)| *write)
}
