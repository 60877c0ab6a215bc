//! A day as text: hours, people, parts in the van, own tasks.
//!
//! ```text
//! day 6h
//! person "Mara": extra-low mains-fixed mains-plugged
//! person "Tom": extra-low
//! part "fuse 250A class-t" x2
//! open box 10min
//! task "Second light over the stove" 40min, worth 5, in cabin, needs extra-low, takes "lamp" x1, wait 20min
//!   fit dc-load lamp2: 1A
//! ```

use super::super::act::act;
use super::{Day, Hands, Task, WorkKind};
use crate::notation::Diagnostic;
use std::collections::BTreeSet;

/// Reads a day. Without a person there is one who may do everything; without hours there are eight. Tasks come after one another
/// by their titles: `after "title"`.
///
/// # Errors
/// Every error with its place.
pub fn read(text: &str) -> Result<(Day, Vec<Task>), Vec<Diagnostic>> {
    let mut day = Day::new(480, Vec::new());
    let mut tasks: Vec<Task> = Vec::new();
    let mut afters: Vec<(usize, String, usize)> = Vec::new();
    let mut errors: Vec<Diagnostic> = Vec::new();
    for (line, raw) in text.lines().enumerate().map(|(n, raw)| (n + 1, raw)) {
        let indent = raw.chars().take_while(|c| c.is_whitespace()).count();
        let words = raw.trim();
        if words.is_empty() || words.starts_with('#') {
            continue;
        }
        let mut wrong = |message: String, help: &str| {
            let length = words.chars().count();
            errors.push(Diagnostic { line, column: indent + 1, length, message, help: help.to_owned() });
        };
        if indent > 0 {
            match (act(words, line, indent + 1), tasks.last_mut()) {
                (Ok(one), Some(task)) => task.acts.push(one),
                (Ok(_), None) => wrong("an act stands below a task".to_owned(), "write first: task \"what\" 30min"),
                (Err(e), _) => errors.push(e),
            }
            continue;
        }
        let (verb, rest) = words.split_once(char::is_whitespace).unwrap_or((words, ""));
        let done = match verb {
            "day" => duration(rest).map(|m| day.minutes = m).ok_or("write for example: day 6h"),
            "person" => person(rest).map(|h| day.people.push(h)),
            "part" => amount(rest)
                .map(|(name, n)| *day.parts.entry(name).or_default() += n)
                .ok_or("write for example: part \"fuse 15A blade\" x4"),
            "open" => named_minutes(rest)
                .map(|(k, m)| day.opening.extend([(k, m)]))
                .ok_or("write for example: open box 10min"),
            "isolate" => named_minutes(rest)
                .map(|(k, m)| day.isolating.extend([(k, m)]))
                .ok_or("write for example: isolate bat:house 5min"),
            "task" => task(rest).map(|(t, after)| {
                afters.extend(after.into_iter().map(|a| (tasks.len(), a, line)));
                tasks.push(t);
            }),
            _ => Err("expected day, person, part, open, isolate or task"),
        };
        if let Err(help) = done {
            wrong(format!("\"{words}\" is no line of a day"), help);
        }
    }
    for (task, title, line) in afters {
        match tasks.iter().position(|t| t.title == title) {
            Some(before) if before != task => tasks[task].after.extend([before]),
            _ => errors.push(Diagnostic {
                line,
                column: 1,
                length: 4,
                message: format!("there is no other task \"{title}\""),
                help: "write the title of a task as it stands there".to_owned(),
            }),
        }
    }
    if day.people.is_empty() {
        day.people.push(Hands::for_everything("one person"));
    }
    if errors.is_empty() { Ok((day, tasks)) } else { Err(errors) }
}

/// `6h`, `90min`.
fn duration(word: &str) -> Option<u32> {
    let word = word.trim();
    let minutes = match word.strip_suffix('h') {
        Some(h) => h.trim().parse::<f64>().ok()? * 60.0,
        None => word.strip_suffix("min")?.trim().parse::<f64>().ok()?,
    };
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "within a few days")]
    (1.0..=10_000.0).contains(&minutes).then_some(minutes.round() as u32)
}

/// The first text in quotation marks, and what follows.
fn quoted(words: &str) -> Option<(&str, &str)> {
    words.trim().strip_prefix('"')?.split_once('"')
}

fn person(words: &str) -> Result<Hands, &'static str> {
    const HELP: &str = "write for example: person \"Mara\": extra-low mains-fixed mains-plugged gas-locker test-only";
    let (name, rest) = quoted(words).ok_or(HELP)?;
    let list = rest.trim().strip_prefix(':').unwrap_or(rest);
    let may: Option<BTreeSet<WorkKind>> = list.split_whitespace().map(WorkKind::parse).collect();
    let mut may = may.ok_or(HELP)?;
    // Whoever may work may test.
    may.insert(WorkKind::TestOnly);
    Ok(Hands { name: name.to_owned(), may })
}

/// `"name" x4`.
fn amount(words: &str) -> Option<(String, u32)> {
    let (name, rest) = quoted(words)?;
    Some((name.to_owned(), rest.trim().strip_prefix('x')?.parse().ok()?))
}

fn named_minutes(words: &str) -> Option<(String, u32)> {
    let (name, rest) = words.trim().split_once(char::is_whitespace)?;
    Some((name.to_owned(), duration(rest)?))
}

fn task(words: &str) -> Result<(Task, Vec<String>), &'static str> {
    const HELP: &str = "write for example: task \"what\" 40min, hands 2, worth 5, in box, needs extra-low, takes \"lamp\" x1, wait 20min, after \"other\"";
    let (title, rest) = quoted(words).ok_or(HELP)?;
    let mut parts = rest.split(',').map(str::trim);
    let minutes = parts.next().and_then(duration).ok_or(HELP)?;
    let mut task = Task { worth: 1, ..Task::new(title, minutes) };
    let mut after = Vec::new();
    for part in parts {
        let (key, value) = part.split_once(char::is_whitespace).ok_or(HELP)?;
        let value = value.trim();
        match key {
            "hands" => task.hands = value.parse().ok().filter(|n| (1..=2).contains(n)).ok_or(HELP)?,
            "worth" => task.worth = value.parse().ok().filter(|n| *n <= 100_000).ok_or(HELP)?,
            "in" => {
                task.places.extend([value.to_owned()]);
                task.at.extend([value.to_owned()]);
            }
            "needs" => task.kinds.extend([WorkKind::parse(value).ok_or(HELP)?]),
            "takes" => {
                let (name, n) = amount(value).ok_or(HELP)?;
                *task.parts.entry(name).or_default() += n;
            }
            "wait" => task.wait = duration(value).ok_or(HELP)?,
            "isolate" => task.isolate.extend([value.to_owned()]),
            "after" => after.push(quoted(value).ok_or(HELP)?.0.to_owned()),
            _ => return Err(HELP),
        }
    }
    Ok((task, after))
}
