//! A list of steps as text: `step "what" 90min`, its acts on the lines below it, and `rest "where"` where the rig is left.

use super::act::{Act, VERBS, act};
use crate::notation::Diagnostic;

/// One step: acts that are done together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WorkStep {
    /// What is done, in words.
    pub title: String,
    /// Minutes for one person, where they were said.
    pub minutes: Option<u32>,
    /// Why the rig may be worse after it for a while: a step that is not to be left so.
    pub not_to_be_left: Option<String>,
    /// What is done, in order.
    pub acts: Vec<Act>,
    /// Its line in the list, from 1.
    pub line: usize,
}

/// A line of the list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Entry {
    /// Something is done.
    Step(WorkStep),
    /// The rig is left as it is then, and may be used.
    Rest {
        /// What is called so: the end of a day, of a visit.
        title: String,
        /// Its line, from 1.
        line: usize,
    },
}

/// The longest list that is read, in steps.
const MOST_STEPS: usize = 200;

/// Reads a list of steps. An act that stands before any step is a step of its own.
///
/// # Errors
/// Every error with its place.
pub fn read(text: &str) -> Result<Vec<Entry>, Vec<Diagnostic>> {
    let mut entries: Vec<Entry> = Vec::new();
    let mut errors: Vec<Diagnostic> = Vec::new();
    for (line, raw) in text.lines().enumerate().map(|(n, raw)| (n + 1, raw)) {
        let indent = raw.chars().take_while(|c| c.is_whitespace()).count();
        let words = uncommented(raw).trim();
        if words.is_empty() {
            continue;
        }
        let verb = words.split_whitespace().next().unwrap_or_default();
        match verb {
            "step" => match header(words, line, indent + 1) {
                Ok(step) => entries.push(Entry::Step(step)),
                Err(e) => errors.push(e),
            },
            "rest" => {
                let title = quoted(words).unwrap_or("left as it is").to_owned();
                entries.push(Entry::Rest { title, line });
            }
            _ => match act(words, line, indent + 1) {
                // What stands by itself at the margin is a step of its own.
                Ok(one) => match entries.last_mut() {
                    Some(Entry::Step(step)) if indent > 0 => step.acts.push(one),
                    _ => entries.push(Entry::Step(WorkStep {
                        title: words.to_owned(),
                        minutes: None,
                        not_to_be_left: None,
                        acts: vec![one],
                        line,
                    })),
                },
                Err(e) => errors.push(e),
            },
        }
    }
    for entry in &entries {
        if let Entry::Step(step) = entry
            && step.acts.is_empty()
            && errors.is_empty()
        {
            errors.push(Diagnostic {
                line: step.line,
                column: 1,
                length: 4,
                message: format!("nothing is done in the step \"{}\"", step.title),
                help: "write its acts below it, each on a line that begins with blanks".to_owned(),
            });
        }
    }
    if entries.len() > MOST_STEPS {
        errors.push(Diagnostic {
            line: 1,
            column: 1,
            length: 1,
            message: format!("the list has {} steps", entries.len()),
            help: format!("a list may have up to {MOST_STEPS} steps; split it"),
        });
    }
    if errors.is_empty() { Ok(entries) } else { Err(errors) }
}

/// Parts a text into a rig and its list of steps: the list begins at the first line that starts with `step`, `rest` or an act.
/// Lines keep their numbers, those of the other part being empty.
///
/// ```
/// let (rig, steps) = murvet_core::work::part("bus a\nstep \"One more\"\n  fit bus b\n");
/// assert_eq!((rig.as_str(), steps.as_str()), ("bus a\n", "\nstep \"One more\"\n  fit bus b\n"));
/// ```
pub fn part(text: &str) -> (String, String) {
    let begins = |line: &str| {
        let word = line.split_whitespace().next().unwrap_or_default();
        word == "step" || word == "rest" || VERBS.iter().any(|(v, _)| *v == word)
    };
    let before = text.lines().take_while(|l| !begins(l)).count();
    let rig: String = text.lines().take(before).map(|l| format!("{l}\n")).collect();
    let steps: String = text.lines().skip(before).map(|l| format!("{l}\n")).collect();
    (rig, format!("{}{steps}", "\n".repeat(before)))
}

/// What stands before a comment; a `#` before a number is one of several of the same name.
fn uncommented(raw: &str) -> &str {
    let mut quoted = false;
    let mut before = ' ';
    for (i, c) in raw.char_indices() {
        match c {
            '"' => quoted = !quoted,
            '#' if !quoted && before.is_whitespace() && !raw[i + 1..].starts_with(|c: char| c.is_ascii_digit()) => {
                return &raw[..i];
            }
            _ => {}
        }
        before = c;
    }
    raw
}

/// The first text between quotation marks.
fn quoted(words: &str) -> Option<&str> {
    let (_, after) = words.split_once('"')?;
    Some(after.split('"').next().unwrap_or(after))
}

fn header(words: &str, line: usize, column: usize) -> Result<WorkStep, Diagnostic> {
    let wrong = |column: usize, length: usize, message: &str| {
        let help = "write for example: step \"Fit the transfer switch\" 90min, not-to-be-left \"its output is open\"";
        Err(Diagnostic { line, column, length: length.max(1), message: message.to_owned(), help: help.to_owned() })
    };
    let Some(title) = quoted(words).map(str::trim).filter(|t| !t.is_empty()) else {
        return wrong(column, words.chars().count(), "a step says in quotation marks what is done");
    };
    let after = words.splitn(3, '"').nth(2).unwrap_or_default();
    let (plain, reason) = match after.split_once("not-to-be-left") {
        Some((plain, rest)) => {
            let reason = quoted(rest).map(str::trim).filter(|t| !t.is_empty());
            if reason.is_none() {
                let at = column + words.find("not-to-be-left").map_or(0, |i| words[..i].chars().count());
                return wrong(at, "not-to-be-left".len(), "why is it not to be left so?");
            }
            (plain, reason)
        }
        None => (after, None),
    };
    let mut minutes = None;
    for word in plain.split([' ', ',']).filter(|w| !w.is_empty()) {
        let number = word.strip_suffix("min").and_then(|n| n.parse::<u32>().ok()).filter(|n| *n <= 10_000);
        if number.is_none() {
            let at = column + words.find(word).map_or(0, |i| words[..i].chars().count());
            return wrong(at, word.chars().count(), &format!("\"{word}\" is no part of a step"));
        }
        minutes = number;
    }
    let not_to_be_left = reason.map(str::to_owned);
    Ok(WorkStep { title: title.to_owned(), minutes, not_to_be_left, acts: Vec::new(), line })
}

/// Writes a list of steps so that [`read`] gives the same list.
pub fn print(entries: &[Entry]) -> String {
    let mut out = String::new();
    for entry in entries {
        match entry {
            Entry::Rest { title, .. } => out.push_str(&format!("rest \"{title}\"\n")),
            Entry::Step(step) => {
                out.push_str(&format!("step \"{}\"", step.title.replace('"', "'")));
                if let Some(minutes) = step.minutes {
                    out.push_str(&format!(" {minutes}min"));
                }
                if let Some(why) = &step.not_to_be_left {
                    out.push_str(&format!(", not-to-be-left \"{}\"", why.replace('"', "'")));
                }
                out.push('\n');
                for act in &step.acts {
                    out.push_str(&format!("  {act}\n"));
                }
            }
        }
    }
    out
}
