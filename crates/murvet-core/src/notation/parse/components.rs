//! Places, components and their values.

use super::super::lexer::{Located, Token};
use super::Parser;
use crate::catalogue::ZONES;
use crate::catalogue::{AttrType, Kind, meant};
use crate::meaning::nearest;
use crate::rig::{Component, Place, Status, Value, Way};
use crate::units::{Dimension, Quantity, QuantityError};

impl Parser {
    pub(super) fn place(&mut self, tokens: &[Located], comment: Vec<String>) {
        let Some(id) = self.name(tokens, "place") else {
            return;
        };
        let mut place = Place { id, comment, ..Place::default() };
        let mut at = 1;
        while let Some(located) = tokens.get(at) {
            at += 1;
            match &located.token {
                Token::Text(text) => place.label = Some(text.clone()),
                Token::Colon | Token::Comma => {}
                Token::Word(word) => match word.as_str() {
                    "insulated" => {
                        place.insulated = true;
                        let over = tokens.get(at).and_then(Located::word).and_then(|w| w.parse::<Value>().ok());
                        if let Some(over) = over.filter(|v| v.si(Dimension::Length).is_some()) {
                            place.insulated_over = Some(over);
                            at += 1;
                        }
                    }
                    "opened" | "ambient" | "zone" => {
                        let given = tokens.get(at).and_then(Located::word).unwrap_or_default().to_owned();
                        at += 1;
                        match word.as_str() {
                            "opened" => place.opened = Some(given),
                            "zone" => place.zone = Some(given),
                            _ => place.ambient = self.value(tokens.get(at - 1), &given),
                        }
                    }
                    "sun" => place.sun = true,
                    word if Place::AIR.iter().any(|(key, _)| *key == word) => {
                        let given = tokens.get(at).and_then(Located::word).unwrap_or_default().to_owned();
                        at += 1;
                        if let Some(value) = self.value(tokens.get(at - 1), &given)
                            && let Some(old) = place.air.insert(word.to_owned(), value)
                        {
                            let message = format!("{word} of \"{}\" is there twice", place.id);
                            self.error(located, message, format!("keep one of them: {} stood there first", old.text));
                        }
                    }
                    word if ZONES.contains(&word) => place.zone = Some(word.to_owned()),
                    word => match word.parse::<Value>() {
                        Ok(value) if value.si(Dimension::Temperature).is_some() => place.ambient = Some(value),
                        _ => {
                            let known = ZONES.into_iter().chain(
                                ["ambient", "insulated", "opened", "sun"]
                                    .into_iter()
                                    .chain(Place::AIR.iter().map(|a| a.0)),
                            );
                            let near =
                                nearest(word, known).map_or(String::new(), |n| format!("did you mean \"{n}\"? "));
                            let near = if word == "?" {
                                "name what was not seen: ambient ?, or say opened no. ".to_owned()
                            } else {
                                near
                            };
                            let help = format!(
                                "{near}expected a zone ({}), a temperature, insulated, its inside (wide deep high vent-low vent-high), sun, opened or a \"label\"",
                                ZONES.join(", ")
                            );
                            self.error(located, format!("\"{word}\" says nothing about a place"), help);
                        }
                    },
                },
                _ => self.error(located, "not part of a place", "expected: place bay: bay 45C opened yes"),
            }
        }
        self.lines.places.push(self.line);
        self.rig.places.push(place);
    }

    /// Reads a value with its provenance mark; the mark's error is reported here, the value's own
    /// later by the checker.
    pub(super) fn value(&mut self, at: Option<&Located>, text: &str) -> Option<Value> {
        if text.is_empty() {
            let end = self.end;
            self.error_at(end, 1, "a value is missing", "write the value, or ? when it was not seen");
            return None;
        }
        match text.parse::<Value>() {
            Ok(value) => Some(value),
            Err(message) => {
                let column = at.map_or(self.end, |t| t.column);
                self.error_at(column, text.chars().count(), message, "for example 2.1m@measured");
                None
            }
        }
    }

    pub(super) fn component(&mut self, kind: Kind, tokens: &[Located]) -> Option<Component> {
        let spec = kind.spec();
        let mut component = Component::new(self.name(tokens, spec.words[0])?, kind);
        let mut at = 1;
        while let Some(located) = tokens.get(at) {
            at += 1;
            let word = match &located.token {
                Token::Colon | Token::Comma => continue,
                Token::Text(text) => {
                    component.label = Some(text.clone());
                    continue;
                }
                Token::Word(word) => word.as_str(),
                _ => {
                    self.error(located, format!("not part of a {}", spec.title), "remove it");
                    continue;
                }
            };
            let next = tokens.get(at);
            let next_word = next.and_then(Located::word).unwrap_or_default();
            // Whoever was asked, nobody knew: `starter ?@told`.
            let next_unseen = next_word.split('@').next() == Some("?");
            if word == "in" {
                at += 1;
                if next_word.is_empty() {
                    self.error(located, "in which place?", "write the name of a place after \"in\"");
                } else {
                    component.place = Some(next_word.to_owned());
                }
            } else if word == "way" && spec.ways {
                at = self.way(&mut component, tokens, at);
            } else if let Some((status, _)) = Status::ALL.iter().find(|(_, w)| *w == word) {
                component.status = *status;
            } else if let Some(attr) = spec.named(word).filter(|a| a.ty == AttrType::Words) {
                at += 1;
                match next.map(|n| &n.token) {
                    Some(Token::Text(text)) => self.set(&mut component, located, attr.key, Value::new(text.clone())),
                    _ => self.error(
                        located,
                        format!("{word} needs words"),
                        format!("write them in quotes: {word} \"manual, page 12\""),
                    ),
                }
            } else if let Some(attr) = spec.named(word).filter(|a| a.ty != AttrType::Flag || next_unseen) {
                at += 1;
                if let Some(mut value) = self.value(next, next_word) {
                    if attr.ty == AttrType::Quantity(Dimension::Count, true) && value.text.parse::<u32>().is_ok() {
                        value.text = format!("x{}", value.text);
                    }
                    self.set(&mut component, located, attr.key, value);
                }
            } else {
                self.bare(&mut component, located, word);
            }
        }
        Some(component)
    }

    /// Sets a value of a component. A second value for the same quantity is refused: which of the two was meant nobody can tell.
    fn set(&mut self, component: &mut Component, located: &Located, key: &str, value: Value) {
        match component.attrs.get(key) {
            Some(old) => {
                let (message, help) = (
                    format!("{key} of \"{}\" is there twice: {} and {}", component.id, old.text, value.text),
                    format!(
                        "keep one of them; where the second is another quantity, name it: {}",
                        Self::named(component, key)
                    ),
                );
                self.error(located, message, help);
            }
            None => {
                component.attrs.insert(key.to_owned(), value);
            }
        }
    }

    /// Other quantities of the same dimension that a value could have been meant for, by their keys.
    fn named(component: &Component, key: &str) -> String {
        let spec = component.kind.spec();
        let same = |a: &&crate::catalogue::AttrSpec| match (a.ty, spec.attr(key).map(|k| k.ty)) {
            (AttrType::Quantity(d, _), Some(AttrType::Quantity(own, _))) => d == own && a.key != key,
            _ => false,
        };
        let keys: Vec<&str> = spec.attrs.iter().filter(same).map(|a| a.key).collect();
        if keys.is_empty() { "there is none here".to_owned() } else { keys.join(", ") }
    }

    /// A word of a component that stands for itself: a quantity, a choice, a flag or `?`.
    pub(super) fn bare(&mut self, component: &mut Component, located: &Located, word: &str) {
        let spec = component.kind.spec();
        let Some(value) = self.value(Some(located), word) else {
            return;
        };
        if value.is_unseen() {
            let open = spec
                .attrs
                .iter()
                .find(|a| matches!(a.ty, AttrType::Quantity(_, true)) && !component.attrs.contains_key(a.key));
            match open {
                Some(attr) => self.set(component, located, attr.key, value),
                None => {
                    let keys: Vec<&str> = spec.attrs.iter().map(|a| a.key).collect();
                    self.error(located, "what was not seen?", format!("name it before the ?: {}", keys.join(", ")));
                }
            }
            return;
        }
        // 2s2p: two in series, two such strings beside each other.
        let strings = value.text.strip_suffix('p').and_then(|t| t.split_once('s'));
        if let Some((series, beside)) = strings.filter(|_| spec.attr("strings").is_some())
            && let (Ok(series), Ok(beside)) = (series.parse::<u32>(), beside.parse::<u32>())
        {
            let made = |text: String| Value { from: value.from, ..Value::new(&text) };
            self.set(component, located, "count", made(format!("x{}", series.saturating_mul(beside))));
            self.set(component, located, "wiring", made("series".to_owned()));
            self.set(component, located, "strings", made(format!("x{beside}")));
            return;
        }
        if let Some((attr, word)) = spec.bare_word(&value.text) {
            self.set(component, located, attr.key, Value { from: value.from, ..Value::new(word) });
            return;
        }
        let starts_like_number = word.starts_with(|c: char| c.is_ascii_digit() || c == '-' || c == '.');
        match Quantity::parse(&value.text) {
            Ok(quantity) => match spec.bare_quantity(quantity.dimension, quantity.si) {
                Some(attr) => self.set(component, located, attr.key, value),
                None => {
                    let takes = spec.attrs.iter().filter_map(|a| match a.ty {
                        AttrType::Quantity(d, true) => Some(format!("{} ({})", a.key, d.describe())),
                        _ => None,
                    });
                    let takes: Vec<String> = takes.collect();
                    let help = if takes.is_empty() {
                        "remove it".to_owned()
                    } else {
                        format!("expected {}", takes.join("; "))
                    };
                    self.error(located, format!("a {} has no such value as \"{word}\"", spec.title), help);
                }
            },
            Err(error) if starts_like_number => {
                let help = match error {
                    QuantityError::NoUnit(_) => {
                        format!("write the unit: {word}A, {word}V, {word}W or {word}Ah")
                    }
                    _ => "write a number with its unit, such as 300A".to_owned(),
                };
                self.error(located, error.to_string(), help);
            }
            Err(_) => {
                let mut known: Vec<&str> = vec!["in"];
                for attr in spec.attrs {
                    known.push(attr.key);
                    if let AttrType::Word(words) = attr.ty {
                        known.extend(words);
                    }
                }
                if spec.ways {
                    known.push("way");
                }
                if let Some(write) = meant(component.kind, &value.text) {
                    self.error(located, format!("\"{word}\" says nothing about a {}", spec.title), write);
                    return;
                }
                let near = nearest(&value.text, known.iter().copied());
                let meant = near.map_or(String::new(), |n| format!("did you mean \"{n}\"? "));
                let help = format!("{meant}expected one of {}", known.join(", "));
                self.error(located, format!("\"{word}\" says nothing about a {}", spec.title), help);
            }
        }
    }

    /// `way NAME RATING [rcd 30mA] ["label"]`; gives the index of the first token after it.
    pub(super) fn way(&mut self, component: &mut Component, tokens: &[Located], mut at: usize) -> usize {
        let (Some(id), Some(rating)) =
            (tokens.get(at).and_then(Located::word), tokens.get(at + 1).and_then(Located::word))
        else {
            let end = tokens.get(at).map_or(self.end, |t| t.column);
            self.error_at(end, 1, "a way needs a name and a rating", "write for example: way B1 15A \"outlets\"");
            return tokens.len();
        };
        let Some(rating) = self.value(tokens.get(at + 1), rating) else {
            return tokens.len();
        };
        let mut way = Way { id: id.to_owned(), rating, rcd: None, leg: None, label: None };
        at += 2;
        while let Some(located) = tokens.get(at) {
            match &located.token {
                Token::Text(text) => way.label = Some(text.clone()),
                Token::Word(word) if Way::LEGS.contains(&word.as_str()) => way.leg = Some(word.clone()),
                Token::Word(word) if word == "rcd" || word == "gfci" => {
                    at += 1;
                    let given = tokens.get(at).and_then(Located::word).unwrap_or_default().to_owned();
                    way.rcd = self.value(tokens.get(at), &given);
                }
                Token::Word(word)
                    if word.parse::<Value>().is_ok_and(|v| v.si(Dimension::Current).is_some_and(|a| a < 1.0)) =>
                {
                    way.rcd = word.parse().ok();
                }
                _ => break,
            }
            at += 1;
        }
        component.ways.push(way);
        at
    }
}
