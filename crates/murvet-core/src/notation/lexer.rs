//! Words of one line, each with its column.

/// What a token is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Token {
    Word(String),
    Text(String),
    Colon,
    Comma,
    Open,
    Close,
    Arrow,
}

/// A token with its place in the line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Located {
    pub token: Token,
    /// Column of the first character, from 1.
    pub column: usize,
    /// Length in characters.
    pub length: usize,
}

impl Located {
    pub fn word(&self) -> Option<&str> {
        match &self.token {
            Token::Word(word) => Some(word),
            _ => None,
        }
    }
}

/// A line taken apart: tokens, the comment, and the column of a quotation mark that is not closed.
pub(super) struct Line {
    pub tokens: Vec<Located>,
    pub comment: Option<String>,
    pub unclosed: Option<usize>,
}

/// Splits a line. Words end at white space and at `,` `(` `)` `"`; a colon is a token of its own;
/// `#` starts a comment at the start of a word.
pub(super) fn split(line: &str) -> Line {
    let chars: Vec<char> = line.chars().collect();
    let mut out = Line { tokens: Vec::new(), comment: None, unclosed: None };
    let mut at = 0;
    while at < chars.len() {
        let start = at;
        let single = match chars[at] {
            c if c.is_whitespace() => {
                at += 1;
                continue;
            }
            '#' => {
                let text: String = chars[at + 1..].iter().collect();
                out.comment = Some(text.trim().to_owned());
                break;
            }
            '"' => {
                let close = chars[at + 1..].iter().position(|&c| c == '"').map(|n| at + 1 + n);
                if close.is_none() {
                    out.unclosed = Some(start + 1);
                }
                let end = close.unwrap_or(chars.len());
                let text: String = chars[at + 1..end].iter().collect();
                at = (end + 1).min(chars.len());
                Token::Text(text)
            }
            ':' => {
                at += 1;
                Token::Colon
            }
            ',' => {
                at += 1;
                Token::Comma
            }
            '(' => {
                at += 1;
                Token::Open
            }
            ')' => {
                at += 1;
                Token::Close
            }
            _ => {
                while at < chars.len() && !chars[at].is_whitespace() && !",()\":".contains(chars[at]) {
                    at += 1;
                }
                let word: String = chars[start..at].iter().collect();
                if word == "->" { Token::Arrow } else { Token::Word(word) }
            }
        };
        out.tokens.push(Located { token: single, column: start + 1, length: (at - start).max(1) });
    }
    join_numbers(out)
}

/// Joins a number and a unit that were typed apart: `2.1 m`, `2/0 AWG`.
fn join_numbers(mut line: Line) -> Line {
    let mut tokens: Vec<Located> = Vec::with_capacity(line.tokens.len());
    for next in line.tokens.drain(..) {
        if let Some(last) = tokens.last_mut()
            && let (Token::Word(number), Token::Word(unit)) = (&last.token, &next.token)
            && number.chars().next().is_some_and(|c| c.is_ascii_digit())
            && number.chars().all(|c| c.is_ascii_digit() || c == '.' || c == '/')
            && !unit.chars().next().is_some_and(|c| c.is_ascii_digit())
        {
            let bare = unit.split('@').next().unwrap_or(unit);
            let joined = format!("{number}{unit}");
            // "in" is also the word before a place, so it must be typed together with its number.
            if bare != "in" && crate::units::Quantity::parse(&format!("{number}{bare}")).is_ok() {
                last.token = Token::Word(joined);
                last.length = next.column + next.length - last.column;
                continue;
            }
        }
        tokens.push(next);
    }
    line.tokens = tokens;
    line
}
