//! From text to rig. Each statement is read for itself, so an error costs one line and the rest is
//! still read.

use super::lexer::{Located, Token, split};
use super::{COLOURS, Diagnostic, ZONES};
use crate::catalogue::{AttrType, Kind};
use crate::profiles::ProfileId;
use crate::rig::{
    Cable, Conductor, Core, Landing, LooseEnd, Piece, Place, Rig, Run, Spot, Status, Step, TermRef, Value, Way, check,
    nearest,
};
use crate::units::{Dimension, Quantity, QuantityError};

/// Longest text that is read, in bytes.
pub const MAX_TEXT: usize = 1_000_000;

/// At most this many errors are listed: beyond it the text is no rig at all.
const MAX_ERRORS: usize = 200;

/// Statement words besides the kinds of piece.
pub(super) const STATEMENTS: [&str; 4] = ["rig", "place", "run", "cable"];

#[derive(Default)]
struct Lines {
    places: Vec<usize>,
    pieces: Vec<usize>,
    runs: Vec<usize>,
    cables: Vec<usize>,
}

struct Parser {
    rig: Rig,
    lines: Lines,
    errors: Vec<Diagnostic>,
    line: usize,
    /// One past the last column of the line, for errors about something missing.
    end: usize,
}

/// Reads the text form of a rig.
///
/// # Errors
/// Every error with line and column, in the order of the text, never only the first.
pub fn parse(text: &str) -> Result<Rig, Vec<Diagnostic>> {
    if text.len() > MAX_TEXT {
        return Err(vec![Diagnostic {
            line: 1,
            column: 1,
            length: 1,
            message: format!("the text has {} bytes", text.len()),
            help: format!("a rig may have up to {MAX_TEXT} bytes; split it or remove what is no part of it"),
        }]);
    }
    let mut parser = Parser { rig: Rig::default(), lines: Lines::default(), errors: Vec::new(), line: 0, end: 1 };
    let mut comments: Vec<String> = Vec::new();
    for (index, raw) in text.lines().enumerate() {
        parser.line = index + 1;
        parser.end = raw.chars().count() + 1;
        let line = split(raw);
        if let Some(column) = line.unclosed {
            parser.error_at(column, 1, "this quotation mark is not closed", "close it with \" on the same line");
        }
        comments.extend(line.comment);
        if line.tokens.is_empty() {
            continue;
        }
        parser.statement(&line.tokens, std::mem::take(&mut comments));
        if parser.errors.len() > MAX_ERRORS {
            break;
        }
    }
    parser.rig.comment.extend(comments);
    // Names are checked even where a line could not be read, but only in lines that could: an error
    // about a piece whose own line failed would be noise.
    if parser.errors.is_empty() {
        for problem in check(&parser.rig) {
            let (line, within) = parser.locate(&problem.spot);
            let raw = text.lines().nth(line - 1).unwrap_or_default();
            let (column, length) = find_word(raw, problem.word.as_deref(), within);
            parser.errors.push(Diagnostic { line, column, length, message: problem.message, help: problem.help });
        }
    } else {
        parser.undefined_in_readable_lines(text);
    }
    if parser.errors.is_empty() {
        parser.rig.normalise();
        return Ok(parser.rig);
    }
    parser.errors.sort_by_key(|e| (e.line, e.column));
    parser.errors.dedup();
    parser.errors.truncate(MAX_ERRORS);
    Err(parser.errors)
}

/// Column and length of the word at fault, searched after the given share of the line's commas.
fn find_word(raw: &str, word: Option<&str>, after_commas: usize) -> (usize, usize) {
    let chars: Vec<char> = raw.chars().collect();
    let start = match after_commas {
        0 => 0,
        n => chars.iter().enumerate().filter(|(_, c)| **c == ',').map(|(i, _)| i + 1).nth(n - 1).unwrap_or(0),
    };
    let Some(word) = word else {
        let first = chars[start..].iter().position(|c| !c.is_whitespace()).unwrap_or(0);
        return (start + first + 1, chars.len().saturating_sub(start + first).max(1));
    };
    let wanted: Vec<char> = word.chars().collect();
    let found = |from: usize| {
        (from..=chars.len().saturating_sub(wanted.len())).find(|&i| {
            let boundary = |c: Option<&char>| c.is_none_or(|c| !(c.is_alphanumeric() || *c == '-' || *c == '_'));
            chars.get(i..i + wanted.len()) == Some(&wanted[..])
                && boundary(i.checked_sub(1).and_then(|j| chars.get(j)))
                && boundary(chars.get(i + wanted.len()))
        })
    };
    match found(start).or_else(|| found(0)) {
        Some(at) => (at + 1, wanted.len().max(1)),
        None => (1, chars.len().max(1)),
    }
}

impl Parser {
    fn error_at(&mut self, column: usize, length: usize, message: impl Into<String>, help: impl Into<String>) {
        self.errors.push(Diagnostic { line: self.line, column, length, message: message.into(), help: help.into() });
    }

    fn error(&mut self, at: &Located, message: impl Into<String>, help: impl Into<String>) {
        self.error_at(at.column, at.length, message, help);
    }

    /// Line of a spot, and how many commas come before it in the line.
    fn locate(&self, spot: &Spot) -> (usize, usize) {
        let line = |list: &Vec<usize>, index: usize| list.get(index).copied().unwrap_or(1);
        match spot {
            Spot::Text { line, .. } => (*line, 0),
            Spot::Place(i) => (line(&self.lines.places, *i), 0),
            Spot::Piece(i) => (line(&self.lines.pieces, *i), 0),
            Spot::Run(i, step) => (line(&self.lines.runs, *i), step.unwrap_or(0)),
            Spot::Cable(i) => (line(&self.lines.cables, *i), 0),
        }
    }

    /// When some lines could not be read, the others are still checked for names that no line
    /// mentions at all.
    fn undefined_in_readable_lines(&mut self, text: &str) {
        let bad: Vec<usize> = self.errors.iter().map(|e| e.line).collect();
        let unread: Vec<String> = bad
            .iter()
            .filter_map(|&n| text.lines().nth(n - 1))
            .flat_map(|raw| split(raw).tokens)
            .filter_map(|t| t.word().map(str::to_owned))
            .collect();
        for problem in check(&self.rig) {
            let (line, within) = self.locate(&problem.spot);
            let word = problem.word.clone().unwrap_or_default();
            let stem = word.split('.').next().unwrap_or_default();
            if bad.contains(&line) || unread.iter().any(|w| w == stem) {
                continue;
            }
            let raw = text.lines().nth(line - 1).unwrap_or_default();
            let (column, length) = find_word(raw, problem.word.as_deref(), within);
            self.errors.push(Diagnostic { line, column, length, message: problem.message, help: problem.help });
        }
    }

    fn statement(&mut self, tokens: &[Located], comment: Vec<String>) {
        let Some(word) = tokens[0].word() else {
            self.error(&tokens[0], "a line starts with a word", "start with rig, place, run, cable or a kind of piece");
            return;
        };
        match word.to_ascii_lowercase().as_str() {
            "rig" => self.rig_line(&tokens[1..], comment),
            "place" => self.place(&tokens[1..], comment),
            "run" => self.run(tokens, comment),
            "cable" => self.cable(&tokens[1..], comment),
            word => match Kind::from_word(word) {
                Some(kind) => {
                    if let Some(mut piece) = self.piece(kind, &tokens[1..]) {
                        piece.comment = comment;
                        self.lines.pieces.push(self.line);
                        self.rig.pieces.push(piece);
                    }
                }
                None => {
                    let kinds = Kind::all().iter().flat_map(|s| s.words.iter().copied());
                    let near = nearest(word, STATEMENTS.into_iter().chain(kinds));
                    let help = match near {
                        Some(near) => format!("did you mean \"{near}\"?"),
                        None => {
                            let kinds: Vec<&str> = Kind::all().iter().map(|s| s.words[0]).collect();
                            format!("expected rig, place, run, cable or a kind of piece: {}", kinds.join(", "))
                        }
                    };
                    self.error(&tokens[0], format!("\"{word}\" is no statement and no kind of piece"), help);
                }
            },
        }
    }

    fn rig_line(&mut self, tokens: &[Located], comment: Vec<String>) {
        self.rig.comment.extend(comment);
        let mut at = 0;
        while let Some(located) = tokens.get(at) {
            match &located.token {
                Token::Text(text) => self.rig.name = text.clone(),
                Token::Word(word) if word == "profile" => {
                    at += 1;
                    let given = tokens.get(at).and_then(Located::word).unwrap_or_default();
                    match ProfileId::parse(given) {
                        Some(profile) => self.rig.profile = Some(profile),
                        None => {
                            let spot = tokens.get(at).unwrap_or(located).clone();
                            self.error(&spot, format!("\"{given}\" is no profile"), "expected na-rv, eu-uk or au-nz");
                        }
                    }
                }
                Token::Word(word) if self.rig.name.is_empty() => self.rig.name = word.clone(),
                Token::Colon | Token::Comma => {}
                _ => {
                    let located = located.clone();
                    self.error(&located, "not part of a rig line", "expected: rig \"name\" profile na-rv");
                }
            }
            at += 1;
        }
    }

    fn name(&mut self, tokens: &[Located], what: &str) -> Option<String> {
        match tokens.first().map(|t| (t, t.word())) {
            Some((_, Some(word))) => Some(word.to_owned()),
            Some((located, None)) => {
                let located = located.clone();
                self.error(&located, format!("{what} needs a name"), format!("write for example: {what} A1"));
                None
            }
            None => {
                let end = self.end;
                self.error_at(end, 1, format!("{what} needs a name"), format!("write for example: {what} A1"));
                None
            }
        }
    }

    fn place(&mut self, tokens: &[Located], comment: Vec<String>) {
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
                    "insulated" => place.insulated = true,
                    "opened" | "ambient" | "zone" => {
                        let given = tokens.get(at).and_then(Located::word).unwrap_or_default().to_owned();
                        at += 1;
                        match word.as_str() {
                            "opened" => place.opened = Some(given),
                            "zone" => place.zone = Some(given),
                            _ => place.ambient = self.value(tokens.get(at - 1), &given),
                        }
                    }
                    word if ZONES.contains(&word) => place.zone = Some(word.to_owned()),
                    word => match word.parse::<Value>() {
                        Ok(value) if value.si(Dimension::Temperature).is_some() => place.ambient = Some(value),
                        _ => {
                            let known = ZONES.into_iter().chain(["ambient", "insulated", "opened"]);
                            let near =
                                nearest(word, known).map_or(String::new(), |n| format!("did you mean \"{n}\"? "));
                            let help = format!(
                                "{near}expected a zone ({}), a temperature, insulated, opened or a \"label\"",
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
    fn value(&mut self, at: Option<&Located>, text: &str) -> Option<Value> {
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

    fn piece(&mut self, kind: Kind, tokens: &[Located]) -> Option<Piece> {
        let spec = kind.spec();
        let mut piece = Piece::new(self.name(tokens, spec.words[0])?, kind);
        let mut at = 1;
        while let Some(located) = tokens.get(at) {
            at += 1;
            let word = match &located.token {
                Token::Colon | Token::Comma => continue,
                Token::Text(text) => {
                    piece.label = Some(text.clone());
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
            if word == "in" {
                at += 1;
                if next_word.is_empty() {
                    self.error(located, "in which place?", "write the name of a place after \"in\"");
                } else {
                    piece.place = Some(next_word.to_owned());
                }
            } else if word == "way" && spec.ways {
                at = self.way(&mut piece, tokens, at);
            } else if let Some((status, _)) = Status::ALL.iter().find(|(_, w)| *w == word) {
                piece.status = *status;
            } else if let Some(attr) = spec.attr(word).filter(|a| a.ty != AttrType::Flag) {
                at += 1;
                if let Some(mut value) = self.value(next, next_word) {
                    if attr.ty == AttrType::Quantity(Dimension::Count, true) && value.text.parse::<u32>().is_ok() {
                        value.text = format!("x{}", value.text);
                    }
                    piece.attrs.insert(attr.key.to_owned(), value);
                }
            } else {
                self.bare(&mut piece, located, word);
            }
        }
        Some(piece)
    }

    /// A word of a piece that stands for itself: a quantity, a choice, a flag or `?`.
    fn bare(&mut self, piece: &mut Piece, located: &Located, word: &str) {
        let spec = piece.kind.spec();
        let Some(value) = self.value(Some(located), word) else {
            return;
        };
        if value.is_unseen() {
            let open = spec
                .attrs
                .iter()
                .find(|a| matches!(a.ty, AttrType::Quantity(_, true)) && !piece.attrs.contains_key(a.key));
            match open {
                Some(attr) => {
                    piece.attrs.insert(attr.key.to_owned(), value);
                }
                None => {
                    let keys: Vec<&str> = spec.attrs.iter().map(|a| a.key).collect();
                    self.error(located, "what was not seen?", format!("name it before the ?: {}", keys.join(", ")));
                }
            }
            return;
        }
        if let Some((attr, word)) = spec.bare_word(&value.text) {
            piece.attrs.insert(attr.key.to_owned(), Value { text: word.to_owned(), from: value.from });
            return;
        }
        let starts_like_number = word.starts_with(|c: char| c.is_ascii_digit() || c == '-' || c == '.');
        match Quantity::parse(&value.text) {
            Ok(quantity) => match spec.bare_quantity(quantity.dimension, quantity.si) {
                Some(attr) => {
                    piece.attrs.insert(attr.key.to_owned(), value);
                }
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
                let near = nearest(&value.text, known.iter().copied());
                let meant = near.map_or(String::new(), |n| format!("did you mean \"{n}\"? "));
                let help = format!("{meant}expected one of {}", known.join(", "));
                self.error(located, format!("\"{word}\" says nothing about a {}", spec.title), help);
            }
        }
    }

    /// `way NAME RATING [rcd 30mA] ["label"]`; gives the index of the first token after it.
    fn way(&mut self, piece: &mut Piece, tokens: &[Located], mut at: usize) -> usize {
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
        let mut way = Way { id: id.to_owned(), rating, rcd: None, label: None };
        at += 2;
        while let Some(located) = tokens.get(at) {
            match &located.token {
                Token::Text(text) => way.label = Some(text.clone()),
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
        piece.ways.push(way);
        at
    }

    fn run(&mut self, tokens: &[Located], comment: Vec<String>) {
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

    fn step(&mut self, part: &[Located]) -> Option<Step> {
        let Some(word) = part[0].word() else {
            self.error(&part[0], "a step of a run starts with a word", "expected a length, a piece or \"end\"");
            return None;
        };
        if word == "end" {
            let how = part.get(1).and_then(Located::word).unwrap_or_default();
            return match LooseEnd::ALL.iter().find(|(_, w)| *w == how) {
                Some((end, _)) => Some(Step::End(*end)),
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
                format!("\"{word}\" is no kind of piece"),
                format!("{near}a step is a conductor (2.1m 50mm2), a known piece (F1), or a new one (fuse F1 300A)"),
            );
            return None;
        };
        let id = part[1].word().unwrap_or_default();
        // "bus pos" after pos is known means that bus, so a run can name the kind again.
        if part.len() == 2 && self.rig.piece(id.split('.').next().unwrap_or(id)).is_some_and(|p| p.kind == kind) {
            return Some(Step::At(TermRef::from(id)));
        }
        let mut piece = self.piece(kind, &part[1..])?;
        piece.inline = true;
        let term = TermRef { piece: piece.id.clone(), terminal: None };
        self.lines.pieces.push(self.line);
        self.rig.pieces.push(piece);
        Some(Step::At(term))
    }

    fn conductor(&mut self, part: &[Located]) -> Option<Conductor> {
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
                word if COLOURS.contains(&word) => c.colour = Some(word.to_owned()),
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
                        Ok(q) if q.dimension == Dimension::Temperature => c.insulation = Some(value),
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

    fn conductor_error(&mut self, located: &Located, word: &str, error: &QuantityError) {
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

    fn cable(&mut self, tokens: &[Located], comment: Vec<String>) {
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
            length: Value::unseen(),
            size: Value::unseen(),
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
        let words: Vec<&Located> = tokens[1..arrow - 1].iter().chain(&tokens[arrow + 2..]).collect();
        let mut at = 0;
        while let Some(located) = words.get(at) {
            at += 1;
            let next = words.get(at).and_then(|t| t.word()).unwrap_or_default().to_owned();
            match &located.token {
                Token::Colon | Token::Comma => {}
                Token::Open => at = self.landings(&mut cable, &words, at),
                Token::Word(word) => match word.as_str() {
                    "flex" => cable.flex = true,
                    "via" => {
                        at += 1;
                        cable.via.push(next);
                    }
                    "bundle" | "insulation" | "length" | "size" => {
                        at += 1;
                        if let Some(mut value) = self.value(words.get(at - 1).copied(), &next) {
                            match word.as_str() {
                                "length" => length = Some(value),
                                "size" => size = Some(value),
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

    fn landings(&mut self, cable: &mut Cable, words: &[&Located], mut at: usize) -> usize {
        while let Some(located) = words.get(at) {
            at += 1;
            match &located.token {
                Token::Close => return at,
                Token::Comma => {}
                Token::Word(word) => {
                    let landing = word.split_once('>').and_then(|(from, to)| {
                        let to = if to == "-" { Some(None) } else { Core::parse(to).map(Some) };
                        Some(Landing { from: Core::parse(from)?, to: to? })
                    });
                    match landing {
                        // Like to like is what a cable does anyway, so it is not kept.
                        Some(l) if l.to == Some(l.from) => {}
                        Some(l) => cable.map.push(l),
                        None => self.error(
                            located,
                            format!("\"{word}\" does not say where a core lands"),
                            "expected L>L, N>PE, PE>N and so on, or PE>- for a core that is not landed",
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
