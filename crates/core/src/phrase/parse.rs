//! Tokens → syntax tree.

use super::ast::{Body, Branch, Marker, Phrase, Position, Side, Sides, Span, Step, StepKind};
use super::reference::nearest_step;
use super::token::{Token, TokenKind, tokens};
use super::{ErrorKind, PhraseError};

/// The greatest position or width that can be asked for, in characters.
const MOST_CHARACTERS: usize = 1_000_000_000;
/// The greatest width that padding fills to, in characters, so that a slip of the finger fills no disk.
const MOST_PADDING: usize = 100_000;

impl Phrase {
    /// Reads a phrase.
    ///
    /// # Errors
    /// Where the words do not make a phrase, or make one that could never give what it says.
    pub fn parse(source: &str) -> Result<Phrase, PhraseError> {
        let tokens = tokens(source)?;
        let mut parser = Parser { source, tokens: &tokens, at: 0 };
        if tokens.is_empty() {
            return Err(PhraseError {
                kind: ErrorKind::Empty,
                span: 0..source.len(),
                mend: format!("write a step, such as {SAMPLE_STEPS}"),
            });
        }
        Ok(Phrase { source: source.to_owned(), branches: parser.branches()? })
    }
}

const SAMPLE_STEPS: &str = r#"`first 3`, `section 2 by "-"` or `whole`"#;

struct Parser<'a> {
    source: &'a str,
    tokens: &'a [Token],
    at: usize,
}

impl<'a> Parser<'a> {
    fn peek(&self) -> Option<&'a Token> {
        self.tokens.get(self.at)
    }

    fn next(&mut self) -> Option<&'a Token> {
        let token = self.tokens.get(self.at);
        self.at += usize::from(token.is_some());
        token
    }

    /// Takes the next token if it is the word `word`.
    fn take_word(&mut self, word: &str) -> bool {
        let found = matches!(self.peek(), Some(Token { kind: TokenKind::Word(found), .. }) if found == word);
        self.at += usize::from(found);
        found
    }

    /// Where the next token stands: an empty place at the end of the phrase where there is none.
    fn here(&self) -> Span {
        self.peek().map_or(self.source.len()..self.source.len(), |token| token.span.clone())
    }

    fn end_of_last(&self) -> usize {
        self.at.checked_sub(1).and_then(|last| self.tokens.get(last)).map_or(0, |token| token.span.end)
    }

    /// `wanted` does not stand here; `mend` says what to write.
    fn expected(&self, wanted: &str, mend: String) -> PhraseError {
        let found = self.peek().map(|token| format!("`{}`", &self.source[token.span.clone()]));
        PhraseError { kind: ErrorKind::Expected { wanted: wanted.to_owned(), found }, span: self.here(), mend }
    }

    /// The phrase with `span` replaced, to be offered as a mend.
    fn with(&self, span: Span, words: &str) -> String {
        let phrase = format!("{}{}{}", &self.source[..span.start], words, &self.source[span.end..]);
        format!("write `{}`", phrase.trim())
    }

    /// The phrase with `words` put in before the next token.
    fn with_inserted(&self, words: &str) -> String {
        match self.peek() {
            Some(token) => self.with(token.span.start..token.span.start, &format!("{words} ")),
            None => format!("write `{} {words}`", self.source.trim()),
        }
    }

    fn branches(&mut self) -> Result<Vec<Branch>, PhraseError> {
        let mut branches = vec![self.branch()?];
        while self.take_word("or") {
            branches.push(self.branch()?);
        }
        match self.peek() {
            None => Ok(branches),
            Some(_) => Err(self.neither_then_nor_or(branches.last())),
        }
    }

    fn branch(&mut self) -> Result<Branch, PhraseError> {
        let start = self.here().start;
        let body = match self.peek() {
            Some(Token { kind: TokenKind::Text(text), .. }) => {
                self.at += 1;
                Body::Literal(text.clone())
            }
            _ => {
                let mut steps = vec![self.step()?];
                while self.take_word("then") {
                    steps.push(self.step()?);
                }
                Body::Steps(steps)
            }
        };
        Ok(Branch { span: start..self.end_of_last(), body })
    }

    /// The error for a token behind a whole branch that neither goes on with it nor begins another.
    fn neither_then_nor_or(&self, before: Option<&Branch>) -> PhraseError {
        let after_literal = matches!(before, Some(Branch { body: Body::Literal(_), .. }));
        let Some(token) = self.peek() else {
            return self.expected("`then` or `or`", String::new());
        };
        let words = &self.source[token.span.clone()];
        if after_literal && words == "then" {
            return PhraseError {
                kind: ErrorKind::StepAfterLiteral,
                span: token.span.start..self.source.len(),
                mend: "write the text as it should stand, or begin the branch with a step".to_owned(),
            };
        }
        let mend = match &token.kind {
            TokenKind::Word(word) if nearest_step(word).is_some_and(|step| step.word == word) => self.with_inserted("then"),
            TokenKind::Word(word) if word.eq_ignore_ascii_case("then") || word == "and" || word == "|" || word == "," => {
                self.with(token.span.clone(), "then")
            }
            TokenKind::Text(_) => self.with_inserted("or"),
            _ => "join steps with `then`, and give what to use instead behind `or`".to_owned(),
        };
        self.expected("`then` or `or`", mend)
    }

    fn step(&mut self) -> Result<Step, PhraseError> {
        let start = self.here().start;
        let Some(Token { kind: TokenKind::Word(word), span }) = self.peek() else {
            let mend = match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) => {
                    "a text is a result only where it stands alone behind `or`; to add one, see `pad`".to_owned()
                }
                _ => format!("write a step, such as {SAMPLE_STEPS}"),
            };
            return Err(self.expected("a step", mend));
        };
        self.at += 1;
        let kind = match word.as_str() {
            "whole" => StepKind::Whole,
            "first" => StepKind::First(self.width("first 3")?),
            "last" => StepKind::Last(self.width("last 4")?),
            "char" => StepKind::Char(self.position("char 1")?),
            "chars" => self.chars()?,
            "drop" => self.drop()?,
            "section" => {
                let which = self.position(r#"section 2 by "-""#)?;
                StepKind::Sections { from: which, to: which, bounded: true, by: self.by_marker()? }
            }
            "sections" => self.sections()?,
            "trim" => StepKind::Trim(match self.side() {
                Some(side) => Sides::Only(side),
                None => Sides::Both,
            }),
            "upper" => StepKind::Upper,
            "lower" => StepKind::Lower,
            "pad" => self.pad()?,
            _ => return Err(self.unknown_step(word, span)),
        };
        Ok(Step { span: start..self.end_of_last(), kind })
    }

    fn unknown_step(&self, word: &str, span: &Span) -> PhraseError {
        let mend = match nearest_step(word) {
            Some(step) => format!("did you mean `{}`? It is written `{}`", step.word, step.form),
            None if word == "then" || word == "or" => format!("write a step before and behind it, such as {SAMPLE_STEPS}"),
            None => format!("a step is a word such as {SAMPLE_STEPS}; a text stands in quotes"),
        };
        PhraseError { kind: ErrorKind::UnknownStep(word.to_owned()), span: span.clone(), mend }
    }

    fn chars(&mut self) -> Result<StepKind, PhraseError> {
        let start = self.here().start;
        let from = self.position("chars 5 to 12")?;
        if self.take_word("for") {
            return Ok(StepKind::CharsFor { from, width: self.width("chars 5 for 8")? });
        }
        let (to, bounded) = self.to(from, start, "chars 5 to 12", "`to` or `for`")?;
        Ok(StepKind::CharsTo { from, to, bounded })
    }

    fn sections(&mut self) -> Result<StepKind, PhraseError> {
        let start = self.here().start;
        let form = r#"sections 1 to 2 by "-""#;
        let from = self.position(form)?;
        let (to, bounded) = self.to(from, start, form, "`to`")?;
        Ok(StepKind::Sections { from, to, bounded, by: self.by_marker()? })
    }

    /// `to 12`, `to -1`, `to end`: the last of a range that began at `from`, and whether it is bounded.
    fn to(&mut self, from: Position, start: usize, form: &str, wanted: &str) -> Result<(Position, bool), PhraseError> {
        if !self.take_word("to") {
            let mend = match self.peek() {
                Some(Token { kind: TokenKind::Number(_), .. }) => self.with_inserted("to"),
                _ => format!("write it like `{form}`"),
            };
            return Err(self.expected(wanted, mend));
        }
        if self.take_word("end") {
            return Ok((Position::LAST, false));
        }
        let to = self.position(form)?;
        let backwards = match (from, to) {
            (Position::FromStart(from), Position::FromStart(to)) => to < from,
            (Position::FromEnd(from), Position::FromEnd(to)) => to > from,
            // Which of the two comes first depends on the length of the value.
            _ => false,
        };
        if backwards {
            let span = start..self.end_of_last();
            let words: Vec<_> = self.source[span.clone()].split_whitespace().collect();
            let swapped = words.iter().rev().copied().collect::<Vec<_>>().join(" ");
            return Err(PhraseError { kind: ErrorKind::Backwards, mend: self.with(span.clone(), &swapped), span });
        }
        Ok((to, true))
    }

    fn drop(&mut self) -> Result<StepKind, PhraseError> {
        if self.take_word("first") {
            Ok(StepKind::DropFirst(self.width("drop first 4")?))
        } else if self.take_word("last") {
            Ok(StepKind::DropLast(self.width("drop last 5")?))
        } else {
            let mend = match self.peek() {
                Some(Token { kind: TokenKind::Number(_), .. }) => self.with_inserted("first"),
                _ => "write it like `drop first 4` or `drop last 5`".to_owned(),
            };
            Err(self.expected("`first` or `last`", mend))
        }
    }

    fn pad(&mut self) -> Result<StepKind, PhraseError> {
        let form = r#"write it like `pad left to 6 with "0"`"#;
        let Some(side) = self.side() else {
            return Err(self.expected("`left` or `right`", form.to_owned()));
        };
        if !self.take_word("to") {
            let mend = match self.peek() {
                Some(Token { kind: TokenKind::Number(_), .. }) => self.with_inserted("to"),
                _ => form.to_owned(),
            };
            return Err(self.expected("`to`", mend));
        }
        let width = self.width_up_to(MOST_PADDING, r#"pad left to 6 with "0""#)?;
        if !self.take_word("with") {
            let mend = match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) => self.with_inserted("with"),
                Some(Token { kind: TokenKind::Number(n), span }) => self.with(span.clone(), &format!("with \"{n}\"")),
                _ => self.with_inserted(r#"with "0""#),
            };
            return Err(self.expected("`with` and the filling", mend));
        }
        let (with, span) = self.text("the filling in quotes")?;
        if with.is_empty() {
            let mend = self.with(span.clone(), r#""0""#);
            return Err(PhraseError { kind: ErrorKind::EmptyFilling, span, mend });
        }
        Ok(StepKind::Pad { side, width, with })
    }

    fn side(&mut self) -> Option<Side> {
        if self.take_word("left") {
            Some(Side::Left)
        } else if self.take_word("right") {
            Some(Side::Right)
        } else {
            None
        }
    }

    fn by_marker(&mut self) -> Result<Marker, PhraseError> {
        if !self.take_word("by") {
            let mend = match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) => self.with_inserted("by"),
                _ => self.with_inserted(r#"by "-""#),
            };
            return Err(self.expected("`by`", mend));
        }
        let (text, span) = self.text("a marker in quotes")?;
        if text.is_empty() {
            let mend = format!("{}, or `chars` to cut by position", self.with(span.clone(), r#""-""#));
            return Err(PhraseError { kind: ErrorKind::EmptyMarker, span, mend });
        }
        Ok(Marker::Text(text))
    }

    /// A quoted text and its place.
    fn text(&mut self, wanted: &str) -> Result<(String, Span), PhraseError> {
        match self.peek() {
            Some(Token { kind: TokenKind::Text(text), span }) => {
                self.at += 1;
                Ok((text.clone(), span.clone()))
            }
            Some(token) => {
                let quoted = format!("\"{}\"", &self.source[token.span.clone()]);
                Err(self.expected(wanted, self.with(token.span.clone(), &quoted)))
            }
            None => Err(self.expected(wanted, self.with_inserted(r#""-""#))),
        }
    }

    fn number(&mut self, wanted: &str, form: &str) -> Result<(i64, Span), PhraseError> {
        match self.next() {
            Some(Token { kind: TokenKind::Number(n), span }) => Ok((*n, span.clone())),
            found => {
                self.at -= usize::from(found.is_some());
                Err(self.expected(wanted, format!("write it like `{form}`")))
            }
        }
    }

    /// 1, 2, 3 …, -1, -2 … or `last`.
    fn position(&mut self, form: &str) -> Result<Position, PhraseError> {
        if self.take_word("last") {
            return Ok(Position::LAST);
        }
        let (n, span) = self.number("a position (1, 2 … or -1, -2 …)", form)?;
        if n == 0 {
            let mend = format!("{}: the first is 1", self.with(span.clone(), "1"));
            return Err(PhraseError { kind: ErrorKind::PositionZero, span, mend });
        }
        let size = at_most(MOST_CHARACTERS, n, &span)?;
        Ok(if n < 0 { Position::FromEnd(size) } else { Position::FromStart(size) })
    }

    fn width(&mut self, form: &str) -> Result<usize, PhraseError> {
        self.width_up_to(MOST_CHARACTERS, form)
    }

    fn width_up_to(&mut self, most: usize, form: &str) -> Result<usize, PhraseError> {
        let (n, span) = self.number("a number of characters", form)?;
        match n {
            0 => {
                let mend = format!("{} or more", self.with(span.clone(), "1"));
                Err(PhraseError { kind: ErrorKind::WidthZero, span, mend })
            }
            n if n < 0 => {
                let mend = self.with(span.clone(), &n.unsigned_abs().to_string());
                Err(PhraseError { kind: ErrorKind::NegativeWidth, span, mend })
            }
            n => at_most(most, n, &span),
        }
    }
}

/// The size of `n`, sign set aside, where it is no more than `most`.
fn at_most(most: usize, n: i64, span: &Span) -> Result<usize, PhraseError> {
    usize::try_from(n.unsigned_abs()).ok().filter(|size| *size <= most).ok_or_else(|| PhraseError {
        kind: ErrorKind::NumberTooLarge { most },
        span: span.clone(),
        mend: format!("write {most} or less"),
    })
}
