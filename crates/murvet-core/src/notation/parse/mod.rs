//! From text to rig. Each statement is read for itself, so an error costs one line and the rest is
//! still read.

mod cables;
mod choices;
mod components;
mod remarks;
mod runs;

use super::Diagnostic;
use super::lexer::{Located, Token, split};
use crate::catalogue::Kind;
use crate::meaning::{Spot, check, nearest};
use crate::profiles::ProfileId;
use crate::rig::{Rig, Vehicle};

/// Longest text that is read, in bytes.
pub const MAX_TEXT: usize = 1_000_000;

/// At most this many errors are listed: beyond it the text is no rig at all.
const MAX_ERRORS: usize = 200;

/// Statement words besides the kinds of component.
pub(super) const STATEMENTS: [&str; 6] = ["rig", "place", "run", "cable", "remark", "choice"];

#[derive(Default)]
struct Lines {
    places: Vec<usize>,
    components: Vec<usize>,
    runs: Vec<usize>,
    cables: Vec<usize>,
    remarks: Vec<usize>,
    choices: Vec<usize>,
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
    // about a component whose own line failed would be noise.
    if parser.errors.is_empty() {
        let lines: Vec<&str> = text.lines().collect();
        for problem in check(&parser.rig).into_iter().take(MAX_ERRORS) {
            let (line, within) = parser.locate(&problem.spot);
            let raw = lines.get(line - 1).copied().unwrap_or_default();
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
            Spot::Component(i) => (line(&self.lines.components, *i), 0),
            Spot::Run(i, step) => (line(&self.lines.runs, *i), step.unwrap_or(0)),
            Spot::Cable(i) => (line(&self.lines.cables, *i), 0),
            Spot::Remark(i) => (line(&self.lines.remarks, *i), 0),
            Spot::Choice(i) => (line(&self.lines.choices, *i), 0),
        }
    }

    /// When some lines could not be read, the others are still checked for names that no line
    /// mentions at all.
    fn undefined_in_readable_lines(&mut self, text: &str) {
        let lines: Vec<&str> = text.lines().collect();
        let bad: Vec<usize> = self.errors.iter().map(|e| e.line).collect();
        let unread: Vec<String> = bad
            .iter()
            .filter_map(|&n| lines.get(n - 1).copied())
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
            let raw = lines.get(line - 1).copied().unwrap_or_default();
            let (column, length) = find_word(raw, problem.word.as_deref(), within);
            self.errors.push(Diagnostic { line, column, length, message: problem.message, help: problem.help });
        }
    }

    fn statement(&mut self, tokens: &[Located], comment: Vec<String>) {
        let Some(word) = tokens[0].word() else {
            self.error(
                &tokens[0],
                "a line starts with a word",
                "start with rig, place, run, cable or a kind of component",
            );
            return;
        };
        match word.to_ascii_lowercase().as_str() {
            "rig" => self.rig_line(&tokens[1..], comment),
            "place" => self.place(&tokens[1..], comment),
            "run" => self.run(tokens, comment),
            "cable" => self.cable(&tokens[1..], comment),
            "remark" => self.remark(&tokens[1..], comment),
            "choice" => self.choice(&tokens[1..], comment),
            word => match Kind::from_word(word) {
                Some(kind) => {
                    if let Some(mut component) = self.component(kind, &tokens[1..]) {
                        component.comment = comment;
                        self.lines.components.push(self.line);
                        self.rig.components.push(component);
                    }
                }
                None => {
                    let kinds = Kind::all().iter().flat_map(|s| s.words.iter().copied());
                    let near = nearest(word, STATEMENTS.into_iter().chain(kinds));
                    let help = match near {
                        Some(near) => format!("did you mean \"{near}\"?"),
                        None => {
                            let kinds: Vec<&str> = Kind::all().iter().map(|s| s.words[0]).collect();
                            format!("expected rig, place, run, cable or a kind of component: {}", kinds.join(", "))
                        }
                    };
                    self.error(&tokens[0], format!("\"{word}\" is no statement and no kind of component"), help);
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
                Token::Word(word) if word == "vehicle" => {
                    at += 1;
                    let given = tokens.get(at).and_then(Located::word).unwrap_or_default();
                    match Vehicle::parse(given) {
                        Some(vehicle) => self.rig.vehicle = Some(vehicle),
                        None => {
                            let spot = tokens.get(at).unwrap_or(located).clone();
                            let words: Vec<&str> = Vehicle::ALL.iter().map(|(_, w)| *w).collect();
                            let message = format!("\"{given}\" is no kind of vehicle");
                            self.error(&spot, message, format!("expected one of {}", words.join(", ")));
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
}
