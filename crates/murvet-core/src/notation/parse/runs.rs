//! Runs of single conductors.

use super::super::COLOURS;
use super::super::lexer::{Located, Token};
use super::Parser;
use crate::catalogue::Kind;
use crate::meaning::nearest;
use crate::rig::{Conductor, LooseEnd, Run, Step, TermRef, Value};
use crate::units::{Dimension, Quantity, QuantityError};

impl Parser {
    pub(super) fn run(&mut self, tokens: &[Located], comment: Vec<String>) {
        let Some(start) = tokens.get(1).and_then(Located::word) else {
            let end = self.end;
            self.error_at(
                end,
                1,
                "a run starts at a terminal",
                "write for example: run house.+ : 0.2m 50mm2, fuse F1 200A",
            );
            return;
        };
        let mut rest = &tokens[2..];
        match rest.first().map(|t| &t.token) {
            Some(Token::Colon) => rest = &rest[1..],
            _ => {
                let column = rest.first().map_or(self.end, |t| t.column);
                self.error_at(
                    column,
                    1,
                    "expected \":\" after the start of the run",
                    "write for example: run house.+ : 0.2m 50mm2",
                );
                return;
            }
        }
        let mut run = Run { from: TermRef::from(start), steps: Vec::new(), comment };
        for part in rest.split(|t| t.token == Token::Comma) {
            if part.is_empty() {
                let column = rest.first().map_or(self.end, |t| t.column);
                if !rest.is_empty() {
                    self.error_at(column, 1, "nothing stands between two commas", "remove one of them");
                }
                continue;
            }
            if let Some(step) = self.step(part) {
                run.steps.push(step);
            }
        }
        self.lines.runs.push(self.line);
        self.rig.runs.push(run);
    }

    pub(super) fn step(&mut self, part: &[Located]) -> Option<Step> {
        let Some(word) = part[0].word() else {
            self.error(&part[0], "a step of a run starts with a word", "expected a length, a component or \"end\"");
            return None;
        };
        if word == "end" {
            let how = part.get(1).and_then(Located::word).unwrap_or_default();
            return match LooseEnd::parse(how) {
                Some(end) => Some(Step::End(end)),
                None => {
                    self.error(&part[0], "how does the end lie?", "expected end capped, taped, bare or unseen");
                    None
                }
            };
        }
        let conductor = word.starts_with(|c: char| c.is_ascii_digit() || c == '?' || c == '-' || c == '.')
            || ["length", "size"].contains(&word)
            || COLOURS.contains(&word);
        if conductor {
            return self.conductor(part).map(Step::Conductor);
        }
        if part.len() == 1 {
            return Some(Step::At(TermRef::from(word)));
        }
        let Some(kind) = Kind::from_word(word) else {
            let kinds = Kind::all().iter().flat_map(|s| s.words.iter().copied());
            let near = nearest(word, kinds).map_or(String::new(), |n| format!("did you mean \"{n}\"? "));
            self.error(
                &part[0],
                format!("\"{word}\" is no kind of component"),
                format!(
                    "{near}a step is a conductor (2.1m 50mm2), a known component (F1), or a new one (fuse F1 300A)"
                ),
            );
            return None;
        };
        let id = part[1].word().unwrap_or_default();
        // "bus pos" after pos is known means that bus, so a run can name the kind again.
        if part.len() == 2 && self.rig.component(id.split('.').next().unwrap_or(id)).is_some_and(|p| p.kind == kind) {
            return Some(Step::At(TermRef::from(id)));
        }
        let mut component = self.component(kind, &part[1..])?;
        component.inline = true;
        let term = TermRef { component: component.id.clone(), terminal: None };
        self.lines.components.push(self.line);
        self.rig.components.push(component);
        Some(Step::At(term))
    }

    pub(super) fn conductor(&mut self, part: &[Located]) -> Option<Conductor> {
        let mut length: Option<Value> = None;
        let mut size: Option<Value> = None;
        let mut c = Conductor::new("?", "?");
        let mut at = 0;
        let before = self.errors.len();
        while let Some(located) = part.get(at) {
            at += 1;
            let Some(word) = located.word() else {
                self.error(located, "not part of a conductor", "expected for example: 2.1m 50mm2 red via underfloor");
                continue;
            };
            let next = part.get(at).and_then(Located::word).unwrap_or_default().to_owned();
            match word {
                "via" => {
                    at += 1;
                    c.via.push(next);
                }
                "cranking" => c.cranking = true,
                "sheathed" => c.sheathed = true,
                "length" | "size" | "insulation" | "bundle" => {
                    at += 1;
                    if let Some(mut value) = self.value(part.get(at - 1), &next) {
                        match word {
                            "length" => length = Some(value),
                            "size" => size = Some(value),
                            "insulation" => c.insulation = Some(value),
                            _ => {
                                if value.text.parse::<u32>().is_ok() {
                                    value.text = format!("x{}", value.text);
                                }
                                c.bundle = Some(value);
                            }
                        }
                    }
                }
                word if COLOURS.contains(&word) => {
                    if let Some(old) = c.colour.replace(word.to_owned()) {
                        self.error(
                            located,
                            format!("the conductor has two colours, {old} and {word}"),
                            "keep one of them",
                        );
                    }
                }
                word => {
                    let Some(value) = self.value(Some(located), word) else {
                        continue;
                    };
                    if value.is_unseen() {
                        if length.is_none() {
                            length = Some(value);
                        } else {
                            size = Some(value);
                        }
                        continue;
                    }
                    match Quantity::parse(&value.text) {
                        Ok(q) if q.dimension == Dimension::Length && length.is_none() => length = Some(value),
                        Ok(q) if q.dimension == Dimension::Area && size.is_none() => size = Some(value),
                        Ok(q) if q.dimension == Dimension::Temperature && c.insulation.is_none() => {
                            c.insulation = Some(value)
                        }
                        Ok(_) => self.error(
                            located,
                            format!("\"{word}\" is out of place in a conductor"),
                            "expected one length, one size and a temperature of the insulation",
                        ),
                        Err(error) => self.conductor_error(located, word, &error),
                    }
                }
            }
        }
        if self.errors.len() > before {
            return None;
        }
        let (first, last) = (&part[0], &part[part.len() - 1]);
        match (length, size) {
            (Some(length), Some(size)) => {
                c.length = length;
                c.size = size;
                Some(c)
            }
            (length, _) => {
                let missing = if length.is_none() { "length" } else { "size" };
                let width = last.column + last.length - first.column;
                self.error_at(
                    first.column,
                    width,
                    format!("the conductor has no {missing}"),
                    format!("write it, or {missing} ? when it was not seen"),
                );
                None
            }
        }
    }

    pub(super) fn conductor_error(&mut self, located: &Located, word: &str, error: &QuantityError) {
        let bare_gauge = word.split_once('/').is_some_and(|(n, zero)| n.parse::<u8>().is_ok() && zero == "0");
        let (message, help) = match error {
            _ if bare_gauge => (format!("\"{word}\" has no unit"), format!("did you mean {word}AWG?")),
            QuantityError::NoUnit(text) => (
                format!("\"{text}\" is no length and no size by itself"),
                format!(
                    "did you mean {} for the size, {text}m or {text}ft for the length?",
                    crate::units::sizes_meant(text)
                ),
            ),
            _ if word.starts_with(|c: char| c.is_ascii_digit() || c == '-') => {
                (error.to_string(), "write for example 2.1m or 7ft, 50mm2 or 2/0AWG".to_owned())
            }
            _ => {
                let known = COLOURS.into_iter().chain(["via", "bundle", "cranking", "sheathed", "insulation"]);
                let near = nearest(word, known).map_or(String::new(), |n| format!("did you mean \"{n}\"? "));
                (
                    format!("\"{word}\" says nothing about a conductor"),
                    format!("{near}expected a length, a size, a colour, via PLACE, bundle x4, cranking or sheathed"),
                )
            }
        };
        self.error(located, message, help);
    }
}
