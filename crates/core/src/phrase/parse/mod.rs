//! The parser: phrases, branches, and shared grammar.
//!
//! At the end of the tokens, the parser records what it would accept. Completion uses that record, so the grammar exists once.

mod conditions;
mod markers;
mod steps;

pub(crate) use markers::ordinal;

use std::cell::RefCell;

pub use self::markers::class_names;
use super::ast::{Body, Branch, Condition, DateFormat, Field, Phrase, Position, Span, Step, StepKind, step_with_several};
use super::guesses;
use super::reference::nearest_step;
use super::token::{Token, TokenKind, tokens};
use super::{ErrorKind, PhraseError, quoted};

const MOST_CHARACTERS: usize = 1_000_000_000;

const SAMPLE_STEPS: &str = r#"`first 3`, `section 2 by "-"` or `whole`"#;

impl Phrase {
    /// Parses a phrase.
    ///
    /// # Errors
    /// The phrase is invalid.
    pub fn parse(source: &str) -> Result<Phrase, PhraseError> {
        Phrase::parse_as_written(source).map_err(|error| {
            let meant = guesses::phrase(source);
            let is_one = |meant: &String| meant.starts_with("build \"") || Phrase::parse_as_written(meant).is_ok();
            offer(error, meant.filter(is_one), |offered| Phrase::parse_as_written(offered).is_ok())
        })
    }

    fn parse_as_written(source: &str) -> Result<Phrase, PhraseError> {
        let tokens = tokens(source)?;
        if tokens.is_empty() {
            return Err(PhraseError {
                kind: ErrorKind::Empty,
                span: 0..source.len(),
                help: format!("write a step, such as {SAMPLE_STEPS}"),
            });
        }
        let branches = Parser::new(source, &tokens).branches()?;
        Ok(Phrase { source: source.to_owned(), branches })
    }
}

impl Condition {
    /// Parses a single condition.
    ///
    /// # Errors
    /// The condition is invalid.
    pub fn parse(source: &str) -> Result<Condition, PhraseError> {
        Condition::parse_as_written(source).map_err(|error| {
            let meant = guesses::condition(source);
            let can_be_read = |text: &str| Condition::parse_as_written(text).is_ok();
            offer(error, meant.filter(|meant| can_be_read(meant)), can_be_read)
        })
    }

    /// Whether a text is a condition. Cheaper than [`Condition::parse`] if it is not, since no suggestion is sought.
    pub fn is_valid(source: &str) -> bool {
        Condition::parse_as_written(source).is_ok()
    }

    fn parse_as_written(source: &str) -> Result<Condition, PhraseError> {
        let tokens = tokens(source)?;
        let mut parser = Parser::new(source, &tokens);
        let condition = parser.condition()?;
        match parser.peek() {
            None => Ok(condition),
            Some(_) => {
                let help = "combine conditions with `and` or `or`, or write each by itself".to_owned();
                Err(parser.expected("the end of the condition", help))
            }
        }
    }
}

/// Adds a suggestion to an error, unless its help already holds a valid one.
fn offer(error: PhraseError, meant: Option<String>, can_be_read: impl Fn(&str) -> bool) -> PhraseError {
    let offered = error.help.strip_prefix("write `").and_then(|offered| offered.split('`').next());
    match meant {
        Some(meant) if !offered.is_some_and(can_be_read) => PhraseError { help: format!("write `{meant}`"), ..error },
        _ => error,
    }
}

/// Parses a field of a layout without `<` and `>`: `name`, `name 3`, `name 3 to 5`, each with an optional class.
pub(crate) fn parse_field(source: &str) -> Result<Field, PhraseError> {
    let tokens = tokens(source)?;
    let mut parser = Parser::new(source, &tokens);
    let form = "<family 3 uppercase>";
    let Some(Token { kind: TokenKind::Word(name) | TokenKind::Text(name), .. }) = parser.peek() else {
        return Err(parser.expected("a name", format!("write it like `{form}`")));
    };
    parser.at += 1;
    let (mut from, mut to) = (1, None);
    if let Some(Token { kind: TokenKind::Number(_), span }) = parser.peek() {
        let start = span.start;
        from = parser.width(form)?;
        to = Some(if parser.take_word("to") { parser.width("<team 2 to 5 uppercase>")? } else { from });
        if to.is_some_and(|to| to < from) {
            return Err(parser.backwards(start..parser.end_of_last()));
        }
    }
    let class = if parser.peek().is_some() { Some(parser.class(form)?) } else { None };
    match parser.peek() {
        None => Ok(Field { name: name.clone(), from, to, class }),
        Some(_) => Err(parser.expected("the end of the piece", format!("write it like `{form}`"))),
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Next {
    Word(&'static str),
    Marker,
    Column,
    DateFormat,
    File,
}

/// The tokens that could follow a phrase, or a condition if `is_condition`, in the order in which the parser tried them.
pub(super) fn next(source: &str, is_condition: bool) -> Result<Vec<Next>, PhraseError> {
    let tokens = tokens(source)?;
    let mut parser = Parser::new(source, &tokens);
    // The error is that something is missing, or there is none.
    let _ = if is_condition { parser.condition().map(drop) } else { parser.branches().map(drop) };
    let mut asked = parser.asked.into_inner();
    // Conditions inside a phrase test only the text.
    asked.retain(|next| is_condition || ![Next::Word("unique"), Next::Word("same")].contains(next));
    Ok(asked)
}

struct Parser<'a> {
    source: &'a str,
    tokens: &'a [Token],
    at: usize,
    /// Whether the parser is in a condition, where `and` can also join conditions.
    is_in_condition: bool,
    /// The number of open parentheses.
    depth: usize,
    asked: RefCell<Vec<Next>>,
}

impl<'a> Parser<'a> {
    fn new(source: &'a str, tokens: &'a [Token]) -> Parser<'a> {
        Parser { source, tokens, at: 0, is_in_condition: false, depth: 0, asked: RefCell::default() }
    }

    fn ask(&self, next: impl IntoIterator<Item = Next>) {
        if self.at == self.tokens.len() {
            let mut asked = self.asked.borrow_mut();
            for next in next {
                if !asked.contains(&next) {
                    asked.push(next);
                }
            }
        }
    }

    fn peek(&self) -> Option<&'a Token> {
        self.tokens.get(self.at)
    }

    fn peek_word(&self) -> Option<&'a str> {
        match self.peek() {
            Some(Token { kind: TokenKind::Word(word), .. }) => Some(word),
            _ => None,
        }
    }

    fn take_word(&mut self, word: &'static str) -> bool {
        self.ask([Next::Word(word)]);
        let found = self.peek_word() == Some(word);
        self.at += usize::from(found);
        found
    }

    fn here(&self) -> Span {
        self.peek().map_or(self.source.len()..self.source.len(), |token| token.span.clone())
    }

    fn end_of_last(&self) -> usize {
        self.at.checked_sub(1).and_then(|last| self.tokens.get(last)).map_or(0, |token| token.span.end)
    }

    fn expected(&self, wanted: &str, help: String) -> PhraseError {
        let found = self.peek().map(|token| format!("`{}`", &self.source[token.span.clone()]));
        PhraseError { kind: ErrorKind::Expected { wanted: wanted.to_owned(), found }, span: self.here(), help }
    }

    fn with(&self, span: Span, words: &str) -> String {
        let phrase = format!("{}{}{}", &self.source[..span.start], words, &self.source[span.end..]);
        format!("write `{}`", phrase.trim())
    }

    fn with_inserted(&self, words: &str) -> String {
        match self.peek() {
            Some(token) => self.with(token.span.start..token.span.start, &format!("{words} ")),
            None => format!("write `{} {words}`", self.source.trim()),
        }
    }

    fn branches(&mut self) -> Result<Vec<Branch>, PhraseError> {
        let mut branches = vec![self.branch()?];
        loop {
            let is_else = branches.last().is_some_and(begins_with_if) && self.take_word("else");
            if !is_else && !self.take_word("or") {
                break;
            }
            let at = self.at;
            let branch = self.branch().map_err(|error| self.enclosing(branches.last(), at, error))?;
            branches.push(Branch { is_else, ..branch });
        }
        match self.peek() {
            None => Ok(branches),
            Some(token) => Err(self.neither_then_nor_or(token, branches.last())),
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
                let mut steps = vec![self.step(false)?];
                loop {
                    let then = self.take_word("then");
                    let several = step_with_several(&steps).is_some();
                    if several {
                        self.ask([Next::Word("joined")]);
                    }
                    // `then` before `joined with` is optional.
                    if !then && self.peek_word() != Some("joined") {
                        break;
                    }
                    let is_after_if = steps.iter().all(|step| matches!(step.kind, StepKind::If { .. }));
                    if let (true, Some(Token { kind: TokenKind::Text(text), span })) = (is_after_if, self.peek()) {
                        self.at += 1;
                        steps.push(Step { span: span.clone(), kind: StepKind::Text(text.clone()) });
                        break;
                    }
                    steps.push(self.step(several)?);
                }
                Body::Steps(steps)
            }
        };
        Ok(Branch { span: start..self.end_of_last(), is_else: false, body })
    }

    /// The error of a branch at token `at`. If the branch is a condition, its `or` probably continues the condition before it, and the
    /// help says how.
    fn enclosing(&self, before: Option<&Branch>, at: usize, error: PhraseError) -> PhraseError {
        let condition = match before.map(|branch| &branch.body) {
            Some(Body::Steps(steps)) => match steps.last().map(|step| &step.kind) {
                Some(StepKind::Whether(condition) | StepKind::If { condition, .. }) => condition,
                _ => return error,
            },
            _ => return error,
        };
        let mut parser = Parser { at, ..Parser::new(self.source, self.tokens) };
        match parser.condition() {
            Ok(next) => {
                let both = condition.span.start..next.span.end;
                let help = self.with(both.clone(), &format!("({})", &self.source[both]));
                PhraseError { help, ..error }
            }
            Err(_) => error,
        }
    }

    fn neither_then_nor_or(&self, token: &Token, before: Option<&Branch>) -> PhraseError {
        let after_literal = match before.map(|branch| &branch.body) {
            Some(Body::Literal(_)) => true,
            Some(Body::Steps(steps)) => matches!(steps.last(), Some(Step { kind: StepKind::Text(_), .. })),
            None => false,
        };
        let words = &self.source[token.span.clone()];
        if after_literal && words == "then" {
            return PhraseError {
                kind: ErrorKind::StepAfterLiteral,
                span: token.span.start..self.source.len(),
                help: "write the complete text, or begin the branch with a step".to_owned(),
            };
        }
        let help = match &token.kind {
            TokenKind::Word(word) if word == "else" => {
                format!("{}; `else` follows only a branch that begins with `if`", self.with(token.span.clone(), "or"))
            }
            TokenKind::Word(word) if nearest_step(word).is_some_and(|step| step.word == word) => self.with_inserted("then"),
            TokenKind::Word(word) if word.eq_ignore_ascii_case("then") || word == "and" || word == "|" => {
                self.with(token.span.clone(), "then")
            }
            TokenKind::Comma => self.with(token.span.clone(), " then"),
            TokenKind::Open | TokenKind::Close => {
                "remove it; parentheses group conditions, as in `whether (digits or blank)`".to_owned()
            }
            TokenKind::Text(_) => self.with_inserted("or"),
            _ => "join steps with `then`, and give what to use instead after `or`".to_owned(),
        };
        let error = self.expected("`then` or `or`", help);
        if words == "and" { self.enclosing(before, self.at + 1, error) } else { error }
    }

    fn text(&mut self, wanted: &str) -> Result<(String, Span), PhraseError> {
        self.text_like(wanted, "-")
    }

    /// A text in quotes, with an example for the error.
    fn text_like(&mut self, wanted: &str, example: &str) -> Result<(String, Span), PhraseError> {
        match self.peek() {
            Some(Token { kind: TokenKind::Text(text), span }) => {
                self.at += 1;
                Ok((text.clone(), span.clone()))
            }
            Some(token) => {
                let text = format!("\"{}\"", &self.source[token.span.clone()]);
                Err(self.expected(wanted, self.with(token.span.clone(), &text)))
            }
            None => Err(self.expected(wanted, self.with_inserted(&quoted(example)))),
        }
    }

    fn number(&mut self, wanted: &str, form: &str) -> Result<(i64, Span), PhraseError> {
        match self.peek() {
            Some(Token { kind: TokenKind::Number(n), span }) => {
                self.at += 1;
                Ok((*n, span.clone()))
            }
            _ => Err(self.expected(wanted, format!("write it like `{form}`"))),
        }
    }

    fn position(&mut self, form: &str) -> Result<Position, PhraseError> {
        match self.nth()? {
            Some(position) => Ok(position),
            None => Err(self.expected("a position (1, 2 … or -1, -2 …)", format!("write it like `{form}`"))),
        }
    }

    fn date_format(&mut self) -> Result<DateFormat, PhraseError> {
        self.ask([Next::DateFormat]);
        let (text, span) = self.text_like("the date format in quotes", "%d.%m.%Y")?;
        if !self.take_word("from") {
            return Ok(DateFormat { text, from: None, span });
        }
        let form = r#"date "%d.%m.%y" from 1930"#;
        let (year, at) = self.number("the first year of the hundred", form)?;
        match i16::try_from(year).ok().filter(|year| (1..=9900).contains(year)) {
            Some(year) => Ok(DateFormat { text, from: Some(year), span: span.start..at.end }),
            None => Err(PhraseError {
                kind: ErrorKind::Expected { wanted: "a year from 1 to 9900".to_owned(), found: Some(format!("`{year}`")) },
                span: at,
                help: format!("write it like `{form}`, for years from 1930 to 2029"),
            }),
        }
    }

    fn width(&mut self, form: &str) -> Result<usize, PhraseError> {
        self.width_up_to(MOST_CHARACTERS, form)
    }

    fn width_up_to(&mut self, most: usize, form: &str) -> Result<usize, PhraseError> {
        let (n, span) = self.number("a number of characters", form)?;
        match n {
            0 => {
                let help = format!("{} or more", self.with(span.clone(), "1"));
                Err(PhraseError { kind: ErrorKind::WidthZero, span, help })
            }
            n if n < 0 => {
                let help = self.with(span.clone(), &n.unsigned_abs().to_string());
                Err(PhraseError { kind: ErrorKind::NegativeWidth, span, help })
            }
            n => at_most(most, n, &span),
        }
    }

    fn backwards(&self, span: Span) -> PhraseError {
        let words: Vec<_> = self.source[span.clone()].split_whitespace().collect();
        let swapped = words.iter().rev().copied().collect::<Vec<_>>().join(" ");
        PhraseError { kind: ErrorKind::Backwards, help: self.with(span.clone(), &swapped), span }
    }
}

fn begins_with_if(branch: &Branch) -> bool {
    matches!(&branch.body, Body::Steps(steps) if matches!(steps.first(), Some(Step { kind: StepKind::If { .. }, .. })))
}

fn at_most(most: usize, n: i64, span: &Span) -> Result<usize, PhraseError> {
    usize::try_from(n.unsigned_abs()).ok().filter(|size| *size <= most).ok_or_else(|| PhraseError {
        kind: ErrorKind::NumberTooLarge { most },
        span: span.clone(),
        help: format!("write {most} or less"),
    })
}
