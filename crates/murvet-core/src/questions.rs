//! What to ask of a rig: what nobody said yet of its components, what an unopened place may hide, and what alterations leave
//! behind. A question names what it decides and what to write when it is answered.

use crate::audit::Audit;
use crate::catalogue::{AttrType, Kind};
use crate::rig::Rig;

/// One question.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Question {
    /// The component or place it is about; nothing for the whole rig.
    pub about: Option<String>,
    /// What to ask.
    pub ask: String,
    /// Why it matters.
    pub why: String,
    /// Words that answer it in the notation, where it is a choice.
    pub answers: Vec<&'static str>,
    /// How many findings hang on the answer.
    pub findings: usize,
}

/// What alterations leave behind, each with the kinds of component that make it worth asking. Common practice, no source.
const ALTERED: &[(&[Kind], &str, &str)] = &[
    (
        &[Kind::Battery],
        "Was the bank moved, enlarged or changed in kind since the rig was built?",
        "Cables that fed it then run backwards and the device at their old end protects nothing; a new chemistry opens every charging path anew.",
    ),
    (
        &[Kind::Inverter, Kind::InverterCharger],
        "Was the inverter added later, and how does it reach the outlets?",
        "A plug, a second cord or a breaker that feeds the panel backwards leaves pins live, and the old charger then runs from its own battery.",
    ),
    (
        &[Kind::Array],
        "Were panels added, or were other ones joined to them?",
        "Unlike panels in parallel, a higher open voltage on a cold morning, and more current than the first cable was chosen for.",
    ),
    (
        &[Kind::Panel, Kind::Inlet],
        "Was anything fed from the panel re-fed, or a breaker moved or doubled?",
        "Legends go stale, neutrals stay behind on the other bar, and two circuits meet after separate residual-current devices.",
    ),
    (
        &[Kind::Alternator, Kind::DcDc, Kind::Relay],
        "What charges from the engine, and was it there when the vehicle was built?",
        "A direct cable or a combining relay beside a newer charger makes a second path that nothing limits.",
    ),
    (
        &[Kind::Charger],
        "Is there a second charger, plugged in or in a drawer?",
        "Its circuit may be fed by the inverter, and the sum of all chargers may exceed what the bank takes.",
    ),
    (
        &[Kind::Battery, Kind::Inlet],
        "What was replaced because it failed, and did it fail again?",
        "A dead device opens the question of what killed it.",
    ),
];

/// What an unopened place may hide. Common practice, no source.
const HIDDEN: &[(&str, &str)] = &[
    (
        "What leads into it, and does each conductor have a device outside?",
        "What enters unprotected is unprotected inside too.",
    ),
    ("Is there a device or a switch inside that can open?", "A device that nobody finds is pressed last."),
    ("Are neutral and earth joined inside?", "A bond that nobody saw is a second one on shore."),
    (
        "What is the maker's plate: input range, charge figures, own largest device?",
        "The maker's figure governs where it is stricter.",
    ),
    (
        "How long does it take to open, and what would have to be taken off?",
        "It is a limit of the audit until then, and is printed.",
    ),
];

/// Words that say something only where they are written: not to find them is an answer.
const SILENT: [&str; 2] = ["legs", "supply"];

/// The questions of an audited rig: those on which most findings hang, then what alterations leave behind, then what
/// unopened places hide, then what is not stated and decides nothing yet.
///
/// ```
/// use murvet_core::{audit::audit, notation::parse, profiles::ProfileId, questions::questions};
/// let rig = parse("place bay zone bay opened no\nbattery b in bay: lifepo4 12.8V 100Ah\n").unwrap();
/// let list = questions(&rig, &audit(&rig, ProfileId::EU_UK));
/// assert!(list.iter().any(|q| q.ask.contains("moved, enlarged")));
/// ```
pub fn questions(rig: &Rig, audit: &Audit) -> Vec<Question> {
    let mut list = Vec::new();
    for p in rig.components.iter().filter(|p| p.status.present()) {
        for attr in p.kind.spec().attrs {
            let hanging = audit.look_next.iter().find(|l| l.unseen.key == attr.key && stem(&l.unseen.subject) == p.id);
            // A number that is not stated is asked for only where something hangs on it; a choice always is. Flags say
            // that something is so; that it is not needs no answer.
            let answers = match attr.ty {
                AttrType::Word(words)
                    if (hanging.is_some() || !SILENT.contains(&attr.key))
                        && p.attrs.get(attr.key).is_none_or(crate::rig::Value::is_unseen) =>
                {
                    words
                }
                AttrType::Quantity(..) if hanging.is_some() => &[],
                _ => continue,
            };
            list.push(of(p.title(), &p.id, attr.doc, answers, hanging.map_or(0, |l| l.findings)));
        }
    }
    list.sort_by_key(|q| std::cmp::Reverse(q.findings));
    let rest = list.split_off(list.iter().take_while(|q| q.findings > 0).count());
    let there = |kinds: &[Kind]| rig.components.iter().any(|p| p.status.present() && kinds.contains(&p.kind));
    list.extend(ALTERED.iter().filter(|(kinds, ..)| there(kinds)).map(|(_, ask, why)| Question {
        about: None,
        ask: (*ask).to_owned(),
        why: (*why).to_owned(),
        answers: Vec::new(),
        findings: 0,
    }));
    for place in rig.places.iter().filter(|p| matches!(p.opened.as_deref(), Some("no" | "part"))) {
        let title = place.label.as_deref().unwrap_or(&place.id);
        list.extend(HIDDEN.iter().map(|(ask, why)| Question {
            about: Some(place.id.clone()),
            ask: format!("{title}: {ask}"),
            why: (*why).to_owned(),
            answers: Vec::new(),
            findings: 0,
        }));
    }
    list.extend(rest);
    list
}

fn stem(subject: &str) -> &str {
    let last = subject.rsplit(' ').next().unwrap_or_default();
    last.split('.').next().unwrap_or_default()
}

fn of(title: &str, id: &str, doc: &str, answers: &[&'static str], findings: usize) -> Question {
    Question {
        about: Some(id.to_owned()),
        ask: format!("{title}: {doc}"),
        why: match findings {
            0 => "Not stated. Until it is, the usual is assumed or the worst is taken.".to_owned(),
            1 => "One finding hangs on it.".to_owned(),
            n => format!("{n} findings hang on it."),
        },
        answers: answers.to_vec(),
        findings,
    }
}
