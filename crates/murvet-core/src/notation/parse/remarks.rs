//! Remarks: workmanship and identification.

use super::super::lexer::{Located, Token};
use super::Parser;
use crate::catalogue::{REMARKS, remark_kind};
use crate::meaning::nearest;
use crate::rig::Remark;

impl Parser {
    pub(super) fn remark(&mut self, tokens: &[Located], comment: Vec<String>) {
        let Some(on) = self.name(tokens, "remark") else { return };
        let mut kind: Option<String> = None;
        let mut words = None;
        for located in &tokens[1..] {
            match &located.token {
                Token::Colon | Token::Comma => {}
                Token::Text(text) => words = Some(text.clone()),
                Token::Word(word) if kind.is_none() => match remark_kind(word) {
                    Some(known) => kind = Some(known.word.to_owned()),
                    None => {
                        let help = match nearest(word, REMARKS.iter().map(|k| k.word)) {
                            Some(near) => format!("did you mean \"{near}\"?"),
                            None => format!(
                                "it is one of {}",
                                REMARKS.iter().map(|k| k.word).collect::<Vec<_>>().join(", ")
                            ),
                        };
                        self.error(located, format!("\"{word}\" is no kind of remark"), help);
                        return;
                    }
                },
                _ => self.error(located, "not part of a remark", "expected: remark F1: loose-joint \"in words\""),
            }
        }
        match kind {
            Some(kind) => {
                self.lines.remarks.push(self.line);
                self.rig.remarks.push(Remark { on, kind, words, comment });
            }
            None => {
                let end = self.end;
                self.error_at(
                    end,
                    1,
                    "the remark has no kind",
                    "write for example: remark F1: loose-joint \"in words\"",
                );
            }
        }
    }
}
