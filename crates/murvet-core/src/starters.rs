//! Starter rigs: vehicles of usual build, to be corrected rather than typed. They are sound in every profile, which a
//! test proves, and none presumes a converter.

use crate::profiles::{ProfileId, SizesIn};

/// One starter rig.
#[derive(Debug, Clone, Copy)]
pub struct Starter {
    /// Its name in addresses.
    pub key: &'static str,
    /// Printed name.
    pub title: &'static str,
    /// The notation, with `{north american|metric}` where the two differ.
    text: &'static str,
}

/// Every starter rig, smallest first.
pub static STARTERS: &[Starter] = &[
    Starter { key: "trailer", title: "Small trailer", text: include_str!("../starters/trailer.rig") },
    Starter { key: "towed", title: "Towed caravan", text: include_str!("../starters/towed.rig") },
    Starter { key: "van", title: "Panel van", text: include_str!("../starters/van.rig") },
    Starter { key: "motorhome", title: "Motorhome", text: include_str!("../starters/motorhome.rig") },
    Starter { key: "bus", title: "Bus", text: include_str!("../starters/bus.rig") },
];

/// A small rig with faults in it, to learn on: no overcurrent device at the battery, and one that is too large for its conductor.
pub static TRAINING: Starter =
    Starter { key: "trailer", title: "Practice trailer", text: include_str!("../starters/training.rig") };

/// The starter rig of a name.
pub fn starter(key: &str) -> Option<&'static Starter> {
    STARTERS.iter().find(|s| s.key == key)
}

impl Starter {
    /// The rig in notation, under a name and a profile.
    ///
    /// ```
    /// use murvet_core::profiles::ProfileId;
    /// let text = murvet_core::starters::starter("van").unwrap().rig("Wagtail", ProfileId::EU_UK);
    /// assert_eq!(murvet_core::notation::parse(&text).unwrap().name, "Wagtail");
    /// ```
    pub fn rig(&self, name: &str, profile: ProfileId) -> String {
        let mut out = format!("rig \"{}\" profile {} vehicle {}\n\n", name.replace('"', "'"), profile.word(), self.key);
        let mut rest = self.text;
        while let Some((before, after)) = rest.split_once('{') {
            let (choice, tail) = after.split_once('}').unwrap_or((after, ""));
            let (american, metric) = choice.split_once('|').unwrap_or((choice, choice));
            out.push_str(before);
            out.push_str(if profile.profile().sizes_in.value == SizesIn::Gauge { american } else { metric });
            rest = tail;
        }
        out.push_str(rest);
        out
    }
}
