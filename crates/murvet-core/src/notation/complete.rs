//! What may come next at the end of a half-typed line.

use super::COLOURS;
use super::lexer::{Located, Token, split};
use super::parse::STATEMENTS;
use crate::catalogue::{AttrType, Kind, REMARKS};
use crate::rig::{Conductor, Rig, Step, Value};
use crate::terminals::anatomy;
use std::collections::BTreeMap;

/// One word that may come next.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Suggestion {
    /// The word to insert.
    pub word: String,
    /// What it is.
    pub about: String,
}

/// At most so many words are offered.
const MOST: usize = 60;

/// Words that may come next, those that start with the word being typed first. `rig` supplies the
/// names known so far; the line is the text before the cursor.
///
/// ```
/// use murvet_core::{notation::complete, rig::Rig};
/// let words = complete(&Rig::default(), "batt");
/// assert_eq!(words[0].word, "battery");
/// ```
pub fn complete(rig: &Rig, line: &str) -> Vec<Suggestion> {
    let tokens = split(line).tokens;
    let typing = !line.ends_with(|c: char| c.is_whitespace() || c == ',' || c == ':');
    let (done, partial) = match tokens.split_last() {
        Some((last, rest)) if typing => (rest, last.word().unwrap_or_default().to_owned()),
        _ => (&tokens[..], String::new()),
    };
    let mut options = Vec::new();
    let mut push = |word: &str, about: &str| {
        options.push(Suggestion { word: word.to_owned(), about: about.to_owned() });
    };
    match done.first().and_then(Located::word) {
        None => {
            // Most lines are conductors.
            for word in STATEMENTS {
                push(word, "statement");
            }
            for spec in Kind::all() {
                push(spec.words[0], spec.title);
            }
        }
        Some("run") => {
            let started = done.iter().any(|t| t.token == Token::Colon);
            let part: Vec<&Located> =
                done.iter().rev().take_while(|t| t.token != Token::Comma && t.token != Token::Colon).collect();
            let kind = part.last().and_then(|t| t.word()).and_then(Kind::from_word);
            match (started, part.is_empty(), kind) {
                (false, ..) => terminals(rig, &partial, &mut push),
                (true, true, _) => {
                    for length in earlier(rig, |c| &c.length) {
                        push(&length, "a length of conductor, as before");
                    }
                    push("2m", "a length of conductor");
                    push("length ?", "a length that nobody saw");
                    for component in &rig.components {
                        if component.kind.is_inline() || component.kind.is_node() {
                            push(&component.id, component.kind.spec().title);
                        }
                    }
                    for spec in Kind::all().iter().filter(|s| s.kind.is_inline() || s.kind.is_node()) {
                        push(spec.words[0], spec.title);
                    }
                    terminals(rig, &partial, &mut push);
                    push("end", "goes nowhere: capped, taped, bare or unseen");
                }
                (true, false, Some(kind)) => attributes(kind, &mut push),
                (true, false, None) => {
                    for size in earlier(rig, |c| &c.size) {
                        push(&size, "size, as before");
                    }
                    for colour in ["red", "black"].into_iter().chain(COLOURS.into_iter().skip(2)) {
                        push(colour, "colour");
                    }
                    push("size ?", "a size that nobody saw");
                    for size in ["2.5mm2", "6mm2", "16mm2", "35mm2", "50mm2", "70mm2", "10AWG", "6AWG", "2/0AWG"] {
                        push(size, "size");
                    }
                    for word in ["via", "bundle", "sheathed", "cranking"] {
                        push(word, "conductor");
                    }
                    places(rig, &mut push);
                }
            }
        }
        Some("cable") => {
            for component in &rig.components {
                for port in anatomy(component).ports {
                    push(&format!("{}.{}", component.id, port.name), component.kind.spec().title);
                }
            }
            for word in ["3x2.5mm2", "3x14AWG", "3x10AWG", "flex", "via", "->"] {
                push(word, "cable");
            }
        }
        Some("remark") if done.len() > 1 => {
            for kind in REMARKS {
                push(kind.word, kind.says);
            }
        }
        Some("remark") => {
            for component in &rig.components {
                push(&component.id, component.kind.spec().title);
            }
            for cable in &rig.cables {
                push(&cable.id, "cable");
            }
            places(rig, &mut push);
        }
        Some("choice") => {
            let key = done.get(1).and_then(|w| w.word());
            match key.and_then(crate::profiles::school) {
                Some(school) => school.options.iter().for_each(|(word, says)| push(word, says)),
                None => crate::profiles::SCHOOLS.iter().for_each(|s| push(s.key, s.question)),
            }
        }
        Some("place") => {
            for zone in crate::catalogue::ZONES {
                push(zone, "zone");
            }
            for word in ["ambient", "insulated", "opened"] {
                push(word, "place");
            }
        }
        Some(word) => {
            if let Some(kind) = Kind::from_word(word)
                && done.len() > 1
            {
                if done.last().and_then(Located::word) == Some("in") {
                    places(rig, &mut push);
                } else {
                    attributes(kind, &mut push);
                }
            }
        }
    }
    let lower = partial.to_lowercase();
    options.retain(|s| s.word.to_lowercase().contains(&lower) && s.word != partial);
    options.sort_by_key(|s| !s.word.to_lowercase().starts_with(&lower));
    let mut seen = std::collections::HashSet::new();
    options.retain(|s| seen.insert(s.word.clone()));
    options.truncate(MOST);
    options
}

/// Values that conductors of the rig have, those had most often first.
fn earlier<'a>(rig: &'a Rig, of: impl Fn(&'a Conductor) -> &'a Value) -> Vec<String> {
    let mut count: BTreeMap<&str, usize> = BTreeMap::new();
    for step in rig.runs.iter().flat_map(|r| &r.steps) {
        if let Step::Conductor(c) = step
            && !of(c).is_unseen()
        {
            *count.entry(of(c).text.as_str()).or_default() += 1;
        }
    }
    let mut list: Vec<(&str, usize)> = count.into_iter().collect();
    list.sort_by_key(|(text, n)| (std::cmp::Reverse(*n), *text));
    list.into_iter().take(5).map(|(text, _)| text.to_owned()).collect()
}

fn places(rig: &Rig, push: &mut impl FnMut(&str, &str)) {
    for place in &rig.places {
        push(&place.id, "place");
    }
}

/// Components first, then the terminals of the one chosen: on a large rig all terminals at once are too many to choose from.
fn terminals(rig: &Rig, partial: &str, push: &mut impl FnMut(&str, &str)) {
    let few = rig.components.iter().map(|p| anatomy(p).terminals.len()).sum::<usize>() <= 14;
    for component in &rig.components {
        if component.kind.is_node() {
            push(&component.id, component.kind.spec().title);
        } else if !few && !partial.starts_with(&format!("{}.", component.id)) {
            push(&format!("{}.", component.id), component.kind.spec().title);
        } else {
            for name in crate::meaning::terminal_names(component) {
                push(&name, component.kind.spec().title);
            }
        }
    }
}

fn attributes(kind: Kind, push: &mut impl FnMut(&str, &str)) {
    push("in", "place");
    for attr in kind.spec().attrs {
        match attr.ty {
            AttrType::Word(words) => words.iter().for_each(|w| push(w, attr.doc)),
            _ => push(attr.key, attr.doc),
        }
    }
    if kind.spec().ways {
        push("way", "a way with its own device");
    }
}
