//! What nobody has seen: the worst and the best it could credibly be.
//!
//! Numbers take the bound of a [`Side`] where the network is expanded. Words (which kind of bond, how
//! many poles) have no order, so every choice is tried: a finding is reported if any choice gives it
//! and is certain only if every choice does, on the best side too.

use crate::catalogue::{AttrType, Kind};
use crate::rig::{Component, Rig, Value};

/// Which bound unseen numbers take.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Side {
    /// The worst credible.
    Worst,
    /// The best credible.
    Best,
}

impl Side {
    /// One of two bounds.
    pub fn pick(self, worst: f64, best: f64) -> f64 {
        match self {
            Side::Worst => worst,
            Side::Best => best,
        }
    }
}

/// A value that matters and was not seen.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize)]
pub struct Unseen {
    /// The component, or the run or cable, as printed.
    pub subject: String,
    /// Key of the value.
    pub key: String,
    /// Whether it is of a stretch of conductor, a run or a cable, and not of a thing with a name of its own.
    #[serde(skip)]
    pub stretch: bool,
}

impl Unseen {
    /// It in a sentence: "the length of the run from pos".
    pub fn words(&self) -> String {
        let article = if self.stretch { "the " } else { "" };
        format!("the {} of {article}{}", self.key, self.subject)
    }
}

/// A word that decides verdicts, with its choices.
#[derive(Debug, Clone)]
pub(crate) struct Open {
    component: usize,
    key: &'static str,
    choices: Vec<&'static str>,
}

impl Open {
    /// Puts in what another rig of the same components has.
    pub(crate) fn put_as_in(&self, rig: &mut Rig, other: &Rig) {
        let id = &rig.components[self.component].id;
        if let Some(value) = other.component(id).and_then(|p| p.attrs.get(self.key)) {
            rig.components[self.component].attrs.insert(self.key.to_owned(), value.clone());
        }
    }

    /// The component it is of by index, its key and its choices.
    pub(crate) fn parts(open: &Open) -> (usize, &'static str, &[&'static str]) {
        (open.component, open.key, &open.choices)
    }

    /// The component it is of, its key and its choices.
    pub(crate) fn asked<'a>(&'a self, rig: &'a Rig) -> (&'a str, &'static str, &'a [&'static str]) {
        (&rig.components[self.component].id, self.key, &self.choices)
    }
}

/// Words whose absence changes a verdict, by kind.
const DECISIVE: &[(Kind, &str)] = &[
    (Kind::Inverter, "bond"),
    (Kind::InverterCharger, "bond"),
    (Kind::InverterCharger, "neutral"),
    (Kind::Generator, "bond"),
    (Kind::Transfer, "poles"),
    (Kind::AcContactor, "poles"),
    (Kind::DcDc, "enable"),
    (Kind::Relay, "enable"),
    (Kind::DcDc, "isolation"),
    (Kind::JointBox, "inside"),
];

/// Words of the same sort for banks with batteries beside each other.
const DECISIVE_IN_BANKS: &[(Kind, &str)] = &[(Kind::Battery, "taps")];

/// Whether a component is a bank with several batteries or strings beside each other.
pub(crate) fn beside_each_other(component: &Component) -> bool {
    let wired = component.word("wiring") == Some("parallel") || component.attrs.contains_key("strings");
    component.kind == Kind::Battery && wired && component.series_and_parallel().1 > 1.0
}

/// Words of the same sort for components on mains alone.
const DECISIVE_ON_MAINS: &[(Kind, &str)] = &[(Kind::Isolator, "poles")];

/// The decisive words that this rig leaves open, whether marked `?` or not mentioned.
pub(crate) fn open_words(rig: &Rig) -> Vec<Open> {
    let mut open = Vec::new();
    for (index, component) in rig.components.iter().enumerate().filter(|(_, p)| p.status.present()) {
        // How two hots lie to each other decides only where there are two.
        let legs = component.unseen("legs").then_some((component.kind, "legs"));
        let mains = rig.cables.iter().any(|c| c.from.component == component.id || c.to.component == component.id);
        let on_mains = DECISIVE_ON_MAINS.iter().copied().filter(|_| mains);
        let in_banks = DECISIVE_IN_BANKS.iter().copied().filter(|_| beside_each_other(component));
        for (kind, key) in DECISIVE.iter().copied().chain(on_mains).chain(in_banks).chain(legs) {
            if component.kind == kind
                && component.word(key).is_none()
                && let Some(AttrType::Word(choices)) = kind.spec().attr(key).map(|a| a.ty)
            {
                // Two poles and three are the same on one hot, one and two on two hots.
                let same = if component.two_hot() { "1-pole" } else { "3-pole" };
                let choices = choices.iter().copied().filter(|c| *c != same).collect();
                open.push(Open { component: index, key, choices });
            }
        }
    }
    open
}

/// At most this many rigs are audited for unseen words; beyond it each word is varied with the others
/// at their first and at their last choice.
const MOST: usize = 64;

/// Rigs with every unseen word put in: all combinations while they are few, else every choice of
/// every word with the others all first and all last. At least one rig.
pub(crate) fn assignments(rig: &Rig, open: &[Open]) -> Vec<Rig> {
    let product: usize =
        open.iter().map(|o| o.choices.len()).try_fold(1usize, usize::checked_mul).unwrap_or(usize::MAX);
    let put = |rig: &mut Rig, o: &Open, choice: usize| {
        rig.components[o.component].attrs.insert(o.key.to_owned(), Value::new(o.choices[choice]));
    };
    let mut rigs = Vec::new();
    if product <= MOST {
        for mut n in 0..product {
            let mut one = rig.clone();
            for o in open {
                put(&mut one, o, n % o.choices.len());
                n /= o.choices.len();
            }
            rigs.push(one);
        }
    } else {
        for base in [0, usize::MAX] {
            for (varied, v) in open.iter().enumerate() {
                for choice in 0..v.choices.len() {
                    let mut one = rig.clone();
                    for (i, o) in open.iter().enumerate() {
                        put(&mut one, o, if i == varied { choice } else { base.min(o.choices.len() - 1) });
                    }
                    rigs.push(one);
                }
            }
        }
    }
    rigs
}
