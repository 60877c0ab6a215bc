//! Cables and where their cores land.

use super::super::lexer::{Located, Token};
use super::Parser;
use crate::rig::{Cable, Core, Landing, LooseEnd, Status, TermRef, Value};
use crate::units::{Dimension, Quantity};

impl Parser {
    pub(super) fn cable(&mut self, tokens: &[Located], comment: Vec<String>) {
        let Some(id) = self.name(tokens, "cable") else {
            return;
        };
        let Some(arrow) = tokens.iter().position(|t| t.token == Token::Arrow) else {
            let end = self.end;
            self.error_at(
                end,
                1,
                "expected \"->\" between the two ends",
                "write for example: cable W1 3x2.5mm2 3m shore -> panel.main",
            );
            return;
        };
        let ends = (tokens[..arrow].last().and_then(Located::word), tokens.get(arrow + 1).and_then(Located::word));
        let (Some(from), Some(to), true) = (ends.0, ends.1, arrow >= 2) else {
            self.error(
                &tokens[arrow],
                "a cable has a port on each side of \"->\"",
                "write for example: shore -> panel.main",
            );
            return;
        };
        let mut cable = Cable {
            id,
            cores: 3,
            no_neutral: false,
            length: Value::unseen(),
            size: Value::unseen(),
            earth: None,
            insulation: None,
            flex: false,
            via: Vec::new(),
            bundle: None,
            from: TermRef::from(from),
            to: TermRef::from(to),
            map: Vec::new(),
            status: Status::InPlace,
            comment,
        };
        let before = self.errors.len();
        let (mut length, mut size) = (None, None);
        let mut after = arrow + 2;
        if to == "end" {
            let how = tokens.get(after).and_then(Located::word).unwrap_or_default();
            let Some(how) = LooseEnd::parse(how) else {
                self.error(&tokens[arrow + 1], "how does the end lie?", "expected end capped, taped, bare or unseen");
                return;
            };
            cable.to = TermRef::new(Cable::NOWHERE, how.word());
            after += 1;
        }
        let words: Vec<&Located> = tokens[1..arrow - 1].iter().chain(tokens.get(after..).unwrap_or_default()).collect();
        let mut at = 0;
        while let Some(located) = words.get(at) {
            at += 1;
            let next = words.get(at).and_then(|t| t.word()).unwrap_or_default().to_owned();
            match &located.token {
                Token::Colon | Token::Comma => {}
                Token::Open => at = self.landings(&mut cable, &words, at),
                Token::Word(word) => match word.as_str() {
                    "flex" => cable.flex = true,
                    "no-neutral" => cable.no_neutral = true,
                    "via" => {
                        at += 1;
                        cable.via.push(next);
                    }
                    "bundle" | "earth" | "insulation" | "length" | "size" => {
                        at += 1;
                        if let Some(mut value) = self.value(words.get(at - 1).copied(), &next) {
                            match word.as_str() {
                                "length" => length = Some(value),
                                "size" => size = Some(value),
                                "earth" => cable.earth = Some(value),
                                "insulation" => cable.insulation = Some(value),
                                _ => {
                                    if value.text.parse::<u32>().is_ok() {
                                        value.text = format!("x{}", value.text);
                                    }
                                    cable.bundle = Some(value);
                                }
                            }
                        }
                    }
                    word => {
                        if let Some((status, _)) = Status::ALL.iter().find(|(_, w)| *w == word) {
                            cable.status = *status;
                            continue;
                        }
                        let cores = word.split_once('x').and_then(|(n, rest)| match n {
                            "2" => Some((2, rest)),
                            "3" => Some((3, rest)),
                            "4" => Some((4, rest)),
                            _ => None,
                        });
                        let text = match cores {
                            Some((n, rest)) => {
                                cable.cores = n;
                                rest
                            }
                            None => word,
                        };
                        let Some(value) = self.value(Some(located), text) else {
                            continue;
                        };
                        if value.is_unseen() {
                            if cores.is_some() || length.is_some() {
                                size = Some(value);
                            } else {
                                length = Some(value);
                            }
                            continue;
                        }
                        match Quantity::parse(&value.text) {
                            Ok(q) if q.dimension == Dimension::Length && length.is_none() => length = Some(value),
                            Ok(q) if q.dimension == Dimension::Area && size.is_none() => size = Some(value),
                            Ok(q) if q.dimension == Dimension::Temperature => cable.insulation = Some(value),
                            Ok(_) => self.error(
                                located,
                                format!("\"{word}\" is out of place in a cable"),
                                "expected one size such as 3x2.5mm2 and one length such as 3m",
                            ),
                            Err(error) => self.conductor_error(located, text, &error),
                        }
                    }
                },
                _ => self.error(located, "not part of a cable", "remove it"),
            }
        }
        if self.errors.len() == before {
            for (value, what, example) in [(&length, "length", "3m"), (&size, "size", "3x2.5mm2")] {
                if value.is_none() {
                    let at = &tokens[arrow - 1];
                    self.error_at(
                        at.column,
                        at.length,
                        format!("the cable has no {what}"),
                        format!("write it before the port, for example {example}, or {what} ? when it was not seen"),
                    );
                }
            }
        }
        if let (Some(length), Some(size)) = (length, size)
            && self.errors.len() == before
        {
            cable.length = length;
            cable.size = size;
            self.lines.cables.push(self.line);
            self.rig.cables.push(cable);
        }
    }

    pub(super) fn landings(&mut self, cable: &mut Cable, words: &[&Located], mut at: usize) -> usize {
        while let Some(located) = words.get(at) {
            at += 1;
            match &located.token {
                Token::Close => {
                    // Like to like is what a cable does anyway, so it is not kept, unless another core lands there too.
                    let map = cable.map.clone();
                    let alone = |l: &Landing| map.iter().filter(|o| o.to == l.to).count() == 1;
                    cable.map.retain(|l| l.to != Some(l.from) || !alone(l));
                    return at;
                }
                Token::Comma => {}
                Token::Word(word) => {
                    let landing = word.split_once('>').and_then(|(from, to)| {
                        let to = if to == "-" { Some(None) } else { Core::parse(to).map(Some) };
                        Some(Landing { from: Core::parse(from)?, to: to? })
                    });
                    match landing {
                        Some(l) => cable.map.push(l),
                        None => self.error(
                            located,
                            format!("\"{word}\" does not say where a core lands"),
                            "expected L>L, N>PE, PE>N, L2>L and so on, or PE>- for a core that is not landed",
                        ),
                    }
                }
                _ => self.error(located, "not part of the landings", "expected for example (L>L N>PE PE>N)"),
            }
        }
        let end = self.end;
        self.error_at(end, 1, "the bracket is not closed", "close it with )");
        at
    }
}
