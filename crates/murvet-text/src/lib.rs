//! Words for facts: Fluent files in `text/`, one for each language and one for the terms of each region.
//!
//! The core says what is so; this crate says it. [`Text::of`] gives the words of a [`Locale`], [`Text::say`] one message, and
//! [`owner`] the sentences of what an owner reads. A new language is a file with every message of `en.ftl`; a new region a
//! file with its terms. The tests ask every locale for every message.

pub mod owner;

use fluent_bundle::concurrent::FluentBundle;
use fluent_bundle::{FluentArgs, FluentResource, FluentValue};
use std::sync::LazyLock;
use unic_langid::LanguageIdentifier;

/// A language as it is used in a region.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Locale {
    /// English of North America.
    EnUs,
    /// English of the United Kingdom.
    EnGb,
    /// English of Australia and New Zealand.
    EnAu,
    /// Spanish.
    Es,
}

impl Locale {
    /// All of them.
    pub const ALL: [Locale; 4] = [Locale::EnUs, Locale::EnGb, Locale::EnAu, Locale::Es];

    /// Its stable code, as it is kept and as a page says it of itself.
    pub fn code(self) -> &'static str {
        match self {
            Locale::EnUs => "en-US",
            Locale::EnGb => "en-GB",
            Locale::EnAu => "en-AU",
            Locale::Es => "es",
        }
    }

    /// The locale of a code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<Locale> {
        Locale::ALL.into_iter().find(|l| l.code() == code)
    }

    /// Its name in itself.
    pub fn name(self) -> &'static str {
        match self {
            Locale::EnUs => "English (United States)",
            Locale::EnGb => "English (United Kingdom)",
            Locale::EnAu => "English (Australia)",
            Locale::Es => "Español",
        }
    }

    fn language(self) -> LanguageIdentifier {
        self.code().parse().unwrap_or_default()
    }

    /// Its files: the terms first, then the messages.
    fn files(self) -> &'static [&'static str] {
        const EN: &str = include_str!("../text/en.ftl");
        match self {
            Locale::EnUs => &[include_str!("../text/en-US.ftl"), EN],
            Locale::EnGb => &[include_str!("../text/en-GB.ftl"), EN],
            Locale::EnAu => &[include_str!("../text/en-AU.ftl"), EN],
            Locale::Es => &[include_str!("../text/es.ftl")],
        }
    }

    /// A number as it is written there, with at most three digits after the mark.
    ///
    /// ```
    /// use murvet_text::Locale;
    /// assert_eq!(Locale::Es.number(12.45), "12,45");
    /// assert_eq!(Locale::EnGb.number(12.45), "12.45");
    /// ```
    pub fn number(self, value: f64) -> String {
        let digits = format!("{value:.3}");
        let plain = digits.trim_end_matches('0').trim_end_matches('.');
        match self {
            Locale::Es => plain.replace('.', ","),
            Locale::EnUs | Locale::EnGb | Locale::EnAu => plain.to_owned(),
        }
    }
}

/// The words of a locale.
pub struct Text {
    /// Of which.
    pub locale: Locale,
    bundle: FluentBundle<FluentResource>,
}

static TEXTS: LazyLock<Vec<Text>> = LazyLock::new(|| Locale::ALL.into_iter().map(Text::read).collect());

impl Text {
    fn read(locale: Locale) -> Text {
        let mut bundle = FluentBundle::new_concurrent(vec![locale.language()]);
        // Marks around what is put in would be printed by what does not know them.
        bundle.set_use_isolating(false);
        for file in locale.files() {
            // A file that is wrong in part gives what is right in it; the tests hold every message against every locale.
            let resource = FluentResource::try_new((*file).to_owned()).unwrap_or_else(|(part, _)| part);
            bundle.add_resource_overriding(resource);
        }
        Text { locale, bundle }
    }

    /// The words of a locale.
    pub fn of(locale: Locale) -> &'static Text {
        let own = TEXTS.iter().find(|t| t.locale == locale);
        own.unwrap_or(&TEXTS[0])
    }

    /// A message with what is put into it. One that is not there is its own name, so that it is seen.
    ///
    /// ```
    /// use murvet_text::{Locale, Text};
    /// let text = Text::of(Locale::Es);
    /// assert_eq!(text.say("owner-at", &[("names", "F2".into())]), "En: F2.");
    /// ```
    pub fn say(&self, message: &str, values: &[(&str, Value)]) -> String {
        let pattern = self.bundle.get_message(message).and_then(|m| m.value());
        let Some(pattern) = pattern else { return message.to_owned() };
        let mut args = FluentArgs::new();
        for (name, value) in values {
            args.set(*name, value.fluent());
        }
        let mut errors = Vec::new();
        self.bundle.format_pattern(pattern, Some(&args), &mut errors).into_owned()
    }

    /// Whether it has a message, and reads it without an error where these values are put in.
    pub fn has(&self, message: &str, values: &[(&str, Value)]) -> bool {
        let Some(pattern) = self.bundle.get_message(message).and_then(|m| m.value()) else { return false };
        let mut args = FluentArgs::new();
        for (name, value) in values {
            args.set(*name, value.fluent());
        }
        let mut errors = Vec::new();
        self.bundle.format_pattern(pattern, Some(&args), &mut errors);
        errors.is_empty()
    }
}

/// What is put into a message: words as they are, or a count that chooses its form.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// Words.
    Words(String),
    /// How many.
    Count(usize),
}

impl Value {
    fn fluent(&self) -> FluentValue<'_> {
        match self {
            Value::Words(words) => FluentValue::from(words.as_str()),
            Value::Count(n) => FluentValue::from(*n),
        }
    }
}

impl From<&str> for Value {
    fn from(words: &str) -> Value {
        Value::Words(words.to_owned())
    }
}

impl From<String> for Value {
    fn from(words: String) -> Value {
        Value::Words(words)
    }
}

impl From<usize> for Value {
    fn from(n: usize) -> Value {
        Value::Count(n)
    }
}
