//! One act of a step, in words: what a hand does to the rig.

use crate::notation::Diagnostic;
use crate::rig::LooseEnd;

/// What an act names: a component, cable or place by its name, or a conductor or run by its two ends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Named {
    /// By its name.
    Id(String),
    /// By its ends, each a component or a terminal, in either order; `end` is an end that lies loose.
    Between {
        /// One end.
        from: String,
        /// The other.
        to: String,
        /// Which of several, from 1, in the order of entry.
        nth: Option<usize>,
    },
}

/// An end of a cable or a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Where it is written first.
    Start,
    /// Where it is written last.
    End,
}

/// What becomes of the conductors that landed on something that is taken out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ends {
    /// They lie so.
    Loose(LooseEnd),
    /// The two of a device in a line are joined to each other.
    Joined,
}

/// One act.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Act {
    /// Something new, as a statement of the notation.
    Fit(String),
    /// Something comes out.
    TakeOut {
        /// What.
        what: Named,
        /// How what landed on it is left.
        ends: Ends,
    },
    /// An end is landed elsewhere.
    Land {
        /// The cable or run.
        what: Named,
        /// Which end.
        side: Side,
        /// The terminal, or `end capped` and the like.
        on: String,
    },
    /// The cores of a cable are landed anew, as the bracket of the notation says.
    Cores {
        /// The cable.
        cable: String,
        /// `L>L N>N PE>PE` for like to like.
        landings: String,
    },
    /// A component goes to another place.
    Move {
        /// The component.
        component: String,
        /// The place.
        place: String,
    },
    /// Something takes the place of something else.
    Replace {
        /// What comes out.
        what: Named,
        /// A component as `KIND: words`, a conductor as its words, or a whole statement that starts with `run` or `cable`.
        with: String,
    },
    /// Values are set: attributes of a component, the inside of a place.
    Set {
        /// The component or place.
        what: String,
        /// As the notation says them.
        words: String,
    },
    /// A conductor is marked with another colour at both ends.
    ReMark {
        /// The conductor.
        what: Named,
        /// The colour.
        colour: String,
    },
    /// A label is written: on a component, or on a way of one.
    Label {
        /// `component` or `component.way`.
        what: String,
        /// What it says.
        text: String,
    },
    /// What a remark says is put right.
    PutRight {
        /// What the remark is on.
        on: String,
        /// Its kind.
        kind: String,
    },
    /// A repair that the rule proposes, by its title.
    Repair {
        /// The key of the finding.
        finding: String,
        /// What is to be done, as it is proposed.
        title: String,
    },
}

/// The words that an act begins with, each with its form.
pub(super) const VERBS: [(&str, &str); 11] = [
    ("fit", "fit fuse F9 in bay: 15A blade"),
    ("take-out", "take-out F1, ends capped (or taped, bare, joined)"),
    ("land", "land W3 start on panel.a, or land b.+ -> pump.+ end on bus"),
    ("cores", "cores W3 (L>L N>N PE>PE)"),
    ("move", "move inverter to bay"),
    ("replace", "replace F1 with fuse: 60A bolt-down, or replace b.+ -> F1 with 25mm2"),
    ("set", "set charger: absorption 14.4V"),
    ("re-mark", "re-mark b.- -> bus black"),
    ("label", "label panel.a \"fridge\""),
    ("put-right", "put-right W3: chafed"),
    ("repair", "repair overcurrent-missing:b.+ to pump.+ by \"title\""),
];

fn wrong<T>(line: usize, column: usize, length: usize, message: String, help: String) -> Result<T, Diagnostic> {
    Err(Diagnostic { line, column, length: length.max(1), message, help })
}

/// Reads one act. Columns are those of the whole line, `at` that of its first character.
///
/// # Errors
/// What is wrong and where.
pub(super) fn act(text: &str, line: usize, at: usize) -> Result<Act, Diagnostic> {
    let (verb, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
    let rest_at = at + verb.chars().count() + 1 + rest.chars().take_while(|c| c.is_whitespace()).count();
    let rest = rest.trim();
    let Some((_, form)) = VERBS.iter().find(|(v, _)| *v == verb) else {
        let near = crate::meaning::nearest(verb, VERBS.iter().map(|(v, _)| *v));
        let help = match near {
            Some(near) => format!("did you mean \"{near}\"?"),
            None => format!("expected one of {}", VERBS.iter().map(|(v, _)| *v).collect::<Vec<_>>().join(", ")),
        };
        return wrong(line, at, verb.chars().count(), format!("\"{verb}\" is no act"), help);
    };
    let form = || format!("write for example: {form}");
    let end = rest_at + rest.chars().count();
    // Splits at a word and says what is missing where it is not there.
    let parts = |word: &str| match rest.split_once(word) {
        Some((a, b)) if !a.trim().is_empty() && !b.trim().is_empty() => Ok((a.trim(), b.trim())),
        _ => wrong(line, end, 1, format!("expected \"{}\" after {verb}", word.trim()), form()),
    };
    if rest.is_empty() {
        return wrong(line, end, 1, format!("{verb} what?"), form());
    }
    Ok(match verb {
        "fit" => Act::Fit(rest.to_owned()),
        "take-out" => {
            let (what, how) = rest.split_once(',').unwrap_or((rest, ""));
            let ends = match how.trim() {
                "" => Ends::Loose(LooseEnd::Bare),
                "joined" => Ends::Joined,
                how => {
                    let word = how.strip_prefix("ends ").unwrap_or(how).trim();
                    match LooseEnd::parse(word) {
                        Some(end) => Ends::Loose(end),
                        None => {
                            let column = rest_at + rest.find(',').map_or(0, |i| rest[..=i].chars().count()) + 1;
                            let help = "expected ends capped, ends taped, ends bare or joined".to_owned();
                            let length = how.chars().count();
                            return wrong(line, column, length, format!("\"{how}\" is no way to leave an end"), help);
                        }
                    }
                }
            };
            Act::TakeOut { what: named(what), ends }
        }
        "land" => {
            let (what, on) = parts(" on ")?;
            let (what, side) = match what.rsplit_once(char::is_whitespace) {
                Some((what, "start")) => (what, Side::Start),
                Some((what, "end")) if !what.trim_end().ends_with("->") => (what, Side::End),
                _ => {
                    let message = "which end: start or end?".to_owned();
                    return wrong(line, rest_at, what.chars().count(), message, form());
                }
            };
            Act::Land { what: named(what), side, on: on.to_owned() }
        }
        "cores" => {
            let (cable, landings) = parts("(")?;
            Act::Cores { cable: cable.to_owned(), landings: landings.trim_end_matches(')').trim().to_owned() }
        }
        "move" => {
            let (component, place) = parts(" to ")?;
            Act::Move { component: component.to_owned(), place: place.to_owned() }
        }
        "replace" => {
            let (what, with) = parts(" with ")?;
            Act::Replace { what: named(what), with: with.to_owned() }
        }
        "set" => {
            let (what, words) = parts(":")?;
            Act::Set { what: what.to_owned(), words: words.to_owned() }
        }
        "re-mark" => match rest.rsplit_once(char::is_whitespace) {
            Some((what, colour)) => Act::ReMark { what: named(what), colour: colour.to_owned() },
            None => return wrong(line, end, 1, "which colour?".to_owned(), form()),
        },
        "label" => {
            let (what, text) = parts("\"")?;
            Act::Label { what: what.to_owned(), text: text.trim_end_matches('"').to_owned() }
        }
        "put-right" => {
            let (on, kind) = parts(":")?;
            Act::PutRight { on: on.to_owned(), kind: kind.to_owned() }
        }
        _ => {
            let (finding, title) = parts(" by \"")?;
            Act::Repair { finding: finding.to_owned(), title: title.trim_end_matches('"').to_owned() }
        }
    })
}

/// `A -> B`, `A -> B #2`, or a name.
fn named(text: &str) -> Named {
    match text.split_once("->") {
        Some((from, to)) => {
            let (to, nth) = match to.rsplit_once('#') {
                Some((to, n)) => (to, n.trim().parse().ok()),
                None => (to, None),
            };
            Named::Between { from: from.trim().to_owned(), to: to.trim().to_owned(), nth }
        }
        None => Named::Id(text.trim().to_owned()),
    }
}

impl std::fmt::Display for Named {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Named::Id(id) => f.write_str(id),
            Named::Between { from, to, nth } => {
                write!(f, "{from} -> {to}")?;
                nth.map_or(Ok(()), |n| write!(f, " #{n}"))
            }
        }
    }
}

impl std::fmt::Display for Act {
    /// As it is written in a list of steps.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Act::Fit(statement) => write!(f, "fit {statement}"),
            Act::TakeOut { what, ends: Ends::Joined } => write!(f, "take-out {what}, joined"),
            Act::TakeOut { what, ends: Ends::Loose(LooseEnd::Bare) } => write!(f, "take-out {what}"),
            Act::TakeOut { what, ends: Ends::Loose(end) } => write!(f, "take-out {what}, ends {}", end.word()),
            Act::Land { what, side, on } => {
                write!(f, "land {what} {} on {on}", if *side == Side::Start { "start" } else { "end" })
            }
            Act::Cores { cable, landings } => write!(f, "cores {cable} ({landings})"),
            Act::Move { component, place } => write!(f, "move {component} to {place}"),
            Act::Replace { what, with } => write!(f, "replace {what} with {with}"),
            Act::Set { what, words } => write!(f, "set {what}: {words}"),
            Act::ReMark { what, colour } => write!(f, "re-mark {what} {colour}"),
            Act::Label { what, text } => write!(f, "label {what} \"{text}\""),
            Act::PutRight { on, kind } => write!(f, "put-right {on}: {kind}"),
            Act::Repair { finding, title } => write!(f, "repair {finding} by \"{title}\""),
        }
    }
}
