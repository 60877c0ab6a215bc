//! Answers to the questions on which the trade has more than one school.

use super::super::lexer::{Located, Token};
use super::Parser;
use crate::meaning::nearest;
use crate::profiles::{Choice, SCHOOLS, school};

impl Parser {
    pub(super) fn choice(&mut self, tokens: &[Located], comment: Vec<String>) {
        let Some(key) = self.name(tokens, "choice") else { return };
        let (mut option, mut reason) = (None, None);
        for located in &tokens[1..] {
            match &located.token {
                Token::Colon | Token::Comma => {}
                Token::Text(text) => reason = Some(text.clone()),
                Token::Word(word) if option.is_none() => option = Some(word.clone()),
                _ => self.error(located, "not part of a choice", "expected: choice first-device: boat-code \"reason\""),
            }
        }
        let Some(known) = school(&key) else {
            let keys = SCHOOLS.iter().map(|s| s.key);
            let help = match nearest(&key, keys.clone()) {
                Some(near) => format!("did you mean \"{near}\"?"),
                None => format!("it is one of {}", keys.collect::<Vec<_>>().join(", ")),
            };
            self.error(&tokens[0], format!("\"{key}\" is no question of a school"), help);
            return;
        };
        let end = self.end;
        match (option, reason) {
            (Some(option), Some(reason)) => {
                self.lines.choices.push(self.line);
                self.rig.choices.push(Choice { school: key, option, reason, comment });
            }
            (None, _) => {
                let words: Vec<&str> = known.options.iter().map(|o| o.0).collect();
                let help = format!("write one of {} and the reason in quotes", words.join(", "));
                self.error_at(end, 1, "the choice has no answer", help);
            }
            (_, None) => {
                self.error_at(end, 1, "the choice has no reason", "write why in quotes: it is printed with the audit");
            }
        }
    }
}
