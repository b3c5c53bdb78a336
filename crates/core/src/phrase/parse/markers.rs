use super::{MOST_CHARACTERS, Next, Parser, at_most};
use crate::phrase::ast::{Class, ClassPart, Marker, Occurrence, Position, Regex};
use crate::phrase::token::{Token, TokenKind};
use crate::phrase::{ErrorKind, PhraseError};
use crate::words;

const CLASSES: [(&str, ClassPart); 8] = [
    ("digits", ClassPart::Digits),
    ("letters", ClassPart::Letters),
    ("uppercase", ClassPart::Uppercase),
    ("lowercase", ClassPart::Lowercase),
    ("alphanumeric", ClassPart::Alphanumeric),
    ("spaces", ClassPart::Spaces),
    ("punctuation", ClassPart::Punctuation),
    ("capitals", ClassPart::Uppercase),
];

const OTHER_NAMES: [(&str, &str); 9] = [
    ("digit", "digits"),
    ("letter", "letters"),
    ("space", "spaces"),
    ("whitespace", "spaces"),
    ("blanks", "spaces"),
    ("upper", "uppercase"),
    ("lower", "lowercase"),
    ("alpha", "letters"),
    ("symbols", "punctuation"),
];

const ORDINAL_WORDS: [(&str, &str); 5] =
    [("first", "1st"), ("second", "2nd"), ("third", "3rd"), ("fourth", "4th"), ("fifth", "5th")];

impl Parser<'_> {
    /// `[NTH] MARKER`; the first one without an ordinal.
    pub(super) fn occurrence(&mut self, step: &str) -> Result<Occurrence, PhraseError> {
        self.occurrence_of(step, Parser::marker)
    }

    /// The same, but `and` ends the marker and does not join classes.
    pub(super) fn occurrence_before_and(&mut self, step: &str) -> Result<Occurrence, PhraseError> {
        self.occurrence_of(step, |parser| parser.marker_of(false))
    }

    fn occurrence_of(
        &mut self,
        step: &str,
        marker: impl FnOnce(&mut Self) -> Result<Marker, PhraseError>,
    ) -> Result<Occurrence, PhraseError> {
        if let Some(word) = self.peek_word()
            && let Some((_, figure)) = ORDINAL_WORDS.iter().find(|(name, _)| *name == word)
        {
            let help = format!("write `{step} {figure} \"-\"`: an ordinal in figures, and a marker after it");
            return Err(self.expected("an ordinal in figures, or a marker", help));
        }
        self.ask([Next::Word("2nd")]);
        let nth = self.nth()?.unwrap_or(Position::FIRST);
        Ok(Occurrence { nth, marker: marker(self)? })
    }

    /// The ordinal here, if any: 1st, 2nd …, `last`, `2nd last` …, or 1, 2 …, -1, -2 …
    pub(super) fn nth(&mut self) -> Result<Option<Position>, PhraseError> {
        match self.peek() {
            Some(Token { kind: TokenKind::Ordinal(0), span }) => {
                let help = self.with(span.clone(), "1st");
                Err(PhraseError { kind: ErrorKind::PositionZero, span: span.clone(), help })
            }
            Some(Token { kind: TokenKind::Ordinal(n), span }) => {
                self.at += 1;
                let size = at_most(MOST_CHARACTERS, *n, span)?;
                Ok(Some(if self.take_word("last") { Position::FromEnd(size) } else { Position::FromStart(size) }))
            }
            Some(Token { kind: TokenKind::Number(0), span }) => {
                let help = format!("{}: the first is 1", self.with(span.clone(), "1"));
                Err(PhraseError { kind: ErrorKind::PositionZero, span: span.clone(), help })
            }
            Some(Token { kind: TokenKind::Number(n), span }) => {
                self.at += 1;
                let size = at_most(MOST_CHARACTERS, *n, span)?;
                Ok(Some(if *n < 0 { Position::FromEnd(size) } else { Position::FromStart(size) }))
            }
            _ => Ok(self.take_word("last").then_some(Position::LAST)),
        }
    }

    pub(super) fn any_case(&mut self) -> Result<bool, PhraseError> {
        let any_case = self.take_word("any");
        if any_case && !self.take_word("case") {
            return Err(self.expected("`case`", self.with_inserted("case")));
        }
        Ok(any_case)
    }

    pub(super) fn marker(&mut self) -> Result<Marker, PhraseError> {
        self.marker_of(true)
    }

    fn marker_of(&mut self, several_classes: bool) -> Result<Marker, PhraseError> {
        if let Some(Token { kind: TokenKind::Text(text), span }) = self.peek() {
            self.at += 1;
            if text.is_empty() {
                let help = format!("{}, or cut by position with `chars`", self.with(span.clone(), r#""-""#));
                return Err(PhraseError { kind: ErrorKind::EmptyMarker, span: span.clone(), help });
            }
            return Ok(Marker::Text { text: text.clone(), any_case: self.any_case()? });
        }
        if let Some(regex) = self.regex_if_any() {
            return Ok(Marker::Regex(regex));
        }
        let is_which = self.peek_word() == Some("last")
            || matches!(self.peek(), Some(Token { kind: TokenKind::Ordinal(_) | TokenKind::Number(_), .. }));
        if let (true, Some(next)) = (is_which, self.tokens.get(self.at + 1)) {
            let help = self.with(self.here().start..next.span.start, "");
            return Err(self.expected("a marker without an ordinal", help));
        }
        if let Some(word) = self.peek_word()
            && word != "any"
            && class_named(word).is_none()
        {
            let help = match nearest_class(word) {
                Some(class) => format!("did you mean `{class}`? A text to look for goes in quotes: `\"{word}\"`"),
                None => self.with(self.here(), &format!("\"{word}\"")),
            };
            return Err(self.expected("a marker in quotes", help));
        }
        if !matches!(self.peek(), Some(Token { kind: TokenKind::Word(_), .. })) {
            self.ask([Next::Marker]);
            self.ask_class();
            return self.text("a marker in quotes").map(|(text, _)| Marker::Text { text, any_case: false });
        }
        let class =
            if several_classes { self.class("after digits")? } else { Class { parts: vec![self.class_part("after digits")?] } };
        Ok(match class.parts.as_slice() {
            [ClassPart::AnyOf(characters)] => Marker::OneOf(characters.clone()),
            _ => Marker::Run(class),
        })
    }

    pub(super) fn regex_if_any(&mut self) -> Option<Regex> {
        let Some(Token { kind: TokenKind::Regex { pattern, flags }, span }) = self.peek() else { return None };
        self.at += 1;
        Some(Regex { pattern: pattern.clone(), flags: flags.clone(), span: span.clone() })
    }

    fn ask_class(&self) {
        // One of two synonyms is enough.
        let names = class_names();
        self.ask(names.chain(["any"]).map(Next::Word));
    }

    pub(super) fn is_at_class(&self) -> bool {
        self.ask_class();
        self.peek_word().is_some_and(|word| word == "any" || class_named(word).is_some())
    }

    pub(super) fn class(&mut self, form: &str) -> Result<Class, PhraseError> {
        let mut parts = vec![self.class_part(form)?];
        while self.another_class_follows() && self.take_word("and") {
            parts.push(self.class_part(form)?);
        }
        Ok(Class { parts })
    }

    /// Whether an `and` here joins classes. In a condition, it joins conditions unless a class follows.
    fn another_class_follows(&self) -> bool {
        match self.tokens.get(self.at + 1) {
            Some(next) => !(self.is_in_condition && Parser::begins_condition(next)),
            None => !self.is_in_condition,
        }
    }

    fn class_part(&mut self, form: &str) -> Result<ClassPart, PhraseError> {
        if self.take_word("any") {
            if !self.take_word("of") {
                return Err(self.expected("`of`", self.with_inserted("of")));
            }
            let (text, span) = self.text("the characters in quotes")?;
            if text.is_empty() {
                let help = self.with(span.clone(), r#""-/""#);
                return Err(PhraseError { kind: ErrorKind::EmptyMarker, span, help });
            }
            return Ok(ClassPart::AnyOf(text));
        }
        self.ask_class();
        let Some(word) = self.peek_word() else {
            return Err(self.expected("a class such as `digits`", format!("write it like `{form}`")));
        };
        match class_named(word) {
            Some(part) => {
                self.at += 1;
                Ok(part)
            }
            None => {
                let names = CLASSES.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ");
                let help = match nearest_class(word) {
                    Some(class) => self.with(self.here(), class),
                    None => format!("the classes are {names} and any of \"…\""),
                };
                Err(self.expected("a class such as `digits`", help))
            }
        }
    }
}

fn class_named(word: &str) -> Option<ClassPart> {
    CLASSES.iter().find(|(name, _)| *name == word).map(|(_, part)| part.clone())
}

pub fn class_names() -> impl Iterator<Item = &'static str> {
    CLASSES.iter().map(|(name, _)| *name).filter(|name| *name != "capitals")
}

fn nearest_class(word: &str) -> Option<&'static str> {
    let also = OTHER_NAMES.iter().find(|(other, _)| *other == word).map(|(_, class)| *class);
    also.or_else(|| words::nearest(word, CLASSES.iter().map(|(name, _)| *name)))
}

pub(crate) fn ordinal(n: i64) -> String {
    let ending = match (n % 100, n % 10) {
        (11..=13, _) => "th",
        (_, 1) => "st",
        (_, 2) => "nd",
        (_, 3) => "rd",
        _ => "th",
    };
    format!("{n}{ending}")
}
