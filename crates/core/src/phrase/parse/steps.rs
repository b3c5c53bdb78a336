//! Parsers of steps with arguments.

use super::{MOST_CHARACTERS, Next, Parser, SAMPLE_STEPS, at_most};
use crate::phrase::ast::{
    Class, DateOutput, Division, Group, LookupPair, NumberExample, NumberStyle, Pattern, Position, Range, Side, Sides, Span,
    Step, StepKind,
};
use crate::phrase::reference::{entries, nearest_step};
use crate::phrase::token::{Token, TokenKind};
use crate::phrase::{ErrorKind, PhraseError};
use crate::text::unit::Unit;

/// Maximum width of padding, in characters, so that a typing mistake does not fill the disk.
const MOST_PADDING: usize = 100_000;

const GROUPS_FORM: &str = r"groups of /([A-Z]+)-(\d+)/";
const LOOKUP_FORM: &str = r#"lookup in "families.csv""#;

impl Parser<'_> {
    #[allow(clippy::too_many_lines, reason = "a table of the steps")]
    pub(super) fn step(&mut self, several: bool) -> Result<Step, PhraseError> {
        let start = self.here().start;
        // Several results can arise once. The caller knows whether `joined with` is possible.
        let can_come = |word: &&str| *word != "joined" && !(several && ["numbers", "runs", "matches", "groups"].contains(word));
        self.ask(entries().map(|entry| entry.word).filter(can_come).map(Next::Word));
        let Some(Token { kind: TokenKind::Word(word), span }) = self.peek() else {
            let help = match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) => {
                    "a text is a result only where it is alone after `or`; to add one, write `prefix` or `suffix`".to_owned()
                }
                Some(Token { kind: TokenKind::Regex { .. }, .. }) => self.with_inserted("match"),
                _ => format!("write a step, such as {SAMPLE_STEPS}"),
            };
            return Err(self.expected("a step", help));
        };
        self.at += 1;
        let kind = match word.as_str() {
            "whole" => StepKind::Whole,
            "first" => StepKind::First(self.width("first 3")?),
            "last" => StepKind::Last(self.width("last 4")?),
            "char" => StepKind::Char(self.position("char 1")?),
            "chars" => self.chars()?,
            "drop" => self.drop()?,
            "before" => StepKind::Before(self.occurrence("before")?),
            "after" => StepKind::After(self.occurrence("after")?),
            "from" => StepKind::From(self.occurrence("from")?),
            "through" => StepKind::Through(self.occurrence("through")?),
            "between" => self.between()?,
            "section" => {
                let which = self.position(r#"section 2 by "-""#)?;
                StepKind::Sections { range: Range { from: which, to: which, bounded: true }, by: self.division()? }
            }
            "sections" => self.sections()?,
            "number" => {
                let which = self.nth()?.unwrap_or(Position::FIRST);
                StepKind::Number { which, style: self.number_style()? }
            }
            "numbers" => StepKind::AllNumbers(self.number_style()?),
            "run" => StepKind::Run { which: self.position("run 2")?, of: self.of_class()? },
            "runs" => StepKind::AllRuns(self.of_class()?),
            "match" => StepKind::Match(self.pattern("match")?),
            "groups" => self.groups()?,
            "matches" => StepKind::AllMatches(self.pattern("matches")?),
            "length" => self.length_step()?,
            "position" => {
                self.of(r#"position of "-""#)?;
                StepKind::PositionOf(self.occurrence("position of")?)
            }
            "count" => {
                self.of(r#"count of "-""#)?;
                StepKind::CountOf(self.marker()?)
            }
            "row" => {
                self.word("number", "row number")?;
                StepKind::RowNumber
            }
            "whether" => StepKind::Whether(self.enclosed_condition()?),
            "if" => StepKind::If { column: self.column_of_if(), condition: self.enclosed_condition()? },
            "joined" => StepKind::Joined(self.with_text(r#"joined with "; ""#)?.0),
            "trim" => StepKind::Trim(self.side().map_or(Sides::Both, Sides::Only)),
            "squeeze" => StepKind::Squeeze,
            "upper" => StepKind::Upper,
            "lower" => StepKind::Lower,
            "title" => StepKind::Title,
            "keep" => StepKind::Keep(self.class("keep digits")?),
            "replace" => {
                let marker = self.marker()?;
                let (with, with_span) = self.with_text(r#"replace "/" with "-""#)?;
                StepKind::Replace { marker, with, with_span }
            }
            "pad" => self.pad()?,
            "clip" => self.clip()?,
            "prefix" => StepKind::Prefix(self.text("the text in quotes")?.0),
            "suffix" => StepKind::Suffix(self.text("the text in quotes")?.0),
            "plain" => self.plain()?,
            "add" => {
                let form = "add check digit luhn";
                self.word("check", form)?;
                StepKind::AddCheckDigit(self.check_digit(form)?)
            }
            "lookup" => self.lookup()?,
            "date" => StepKind::Date { format: self.date_format()?, output: self.date_output()? },
            _ => return Err(self.unknown_step(word, span)),
        };
        Ok(Step { span: start..self.end_of_last(), kind })
    }

    fn unknown_step(&self, word: &str, span: &Span) -> PhraseError {
        let help = match nearest_step(word) {
            Some(step) => format!("did you mean `{}`? It is written `{}`", step.word, step.form),
            None if word == "then" || word == "or" => format!("write a step before and after it, such as {SAMPLE_STEPS}"),
            None => format!("a step is a word such as {SAMPLE_STEPS}; a text goes in quotes"),
        };
        PhraseError { kind: ErrorKind::UnknownStep(word.to_owned()), span: span.clone(), help }
    }

    fn length_step(&mut self) -> Result<StepKind, PhraseError> {
        if !self.take_word("in") {
            return Ok(StepKind::Length(None));
        }
        let units = [("characters", Unit::Characters), ("codepoints", Unit::Codepoints), ("bytes", Unit::Bytes)];
        match units.iter().find(|(name, _)| self.take_word(name)) {
            Some((_, unit)) => Ok(StepKind::Length(Some(*unit))),
            None => Err(self.expected("`bytes`, `codepoints` or `characters`", "write it like `length in bytes`".to_owned())),
        }
    }

    fn chars(&mut self) -> Result<StepKind, PhraseError> {
        let start = self.here().start;
        let from = self.position("chars 5 to 12")?;
        if self.take_word("for") {
            return Ok(StepKind::CharsFor { from, width: self.width("chars 5 for 8")? });
        }
        Ok(StepKind::CharsTo(self.range_from(from, start, "chars 5 to 12", "`to` or `for`")?))
    }

    fn sections(&mut self) -> Result<StepKind, PhraseError> {
        self.ask([Next::Word("by")]);
        if self.peek_word() == Some("by") {
            return Ok(StepKind::AllSections(self.division()?));
        }
        let start = self.here().start;
        let form = r#"sections 1 to 2 by "-""#;
        let from = self.position(form)?;
        let range = self.range_from(from, start, form, "`to`")?;
        Ok(StepKind::Sections { range, by: self.division()? })
    }

    /// The rest of a range after `from`: `to 12`, `to -1` or `to end`.
    fn range_from(&mut self, from: Position, start: usize, form: &str, wanted: &str) -> Result<Range, PhraseError> {
        if !self.take_word("to") {
            let help = match self.peek() {
                Some(Token { kind: TokenKind::Number(_), .. }) => self.with_inserted("to"),
                _ => format!("write it like `{form}`"),
            };
            return Err(self.expected(wanted, help));
        }
        if self.take_word("end") {
            return Ok(Range { from, to: Position::LAST, bounded: false });
        }
        let to = self.position(form)?;
        let backwards = match (from, to) {
            (Position::FromStart(from), Position::FromStart(to)) => to < from,
            (Position::FromEnd(from), Position::FromEnd(to)) => to > from,
            // Their order depends on the length of the value.
            _ => false,
        };
        if backwards { Err(self.backwards(start..self.end_of_last())) } else { Ok(Range { from, to, bounded: true }) }
    }

    fn drop(&mut self) -> Result<StepKind, PhraseError> {
        if self.take_word("first") {
            return Ok(StepKind::DropFirst(self.width("drop first 4")?));
        }
        if self.take_word("last") {
            return Ok(StepKind::DropLast(self.width("drop last 5")?));
        }
        if let Some(Token { kind: TokenKind::Number(_), .. }) = self.peek() {
            return Err(self.expected("`first`, `last` or a class", self.with_inserted("first")));
        }
        Ok(StepKind::DropClass(self.class("drop spaces")?))
    }

    fn between(&mut self) -> Result<StepKind, PhraseError> {
        let first = self.occurrence_before_and("between")?;
        if !self.take_word("and") {
            let help = match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) => self.with_inserted("and"),
                _ => r#"write it like `between "(" and ")"`"#.to_owned(),
            };
            return Err(self.expected("`and` and the second marker", help));
        }
        let nth = self.nth()?;
        Ok(StepKind::Between { first, second: self.marker()?, nth })
    }

    /// The column before a colon: `kind:`, `"crew id":` or `#4:`.
    fn column_of_if(&mut self) -> Option<String> {
        let Token { kind, span } = self.peek()?;
        if let TokenKind::Word(word) = kind
            && let Some(name) = word.strip_suffix(':').filter(|name| !name.is_empty())
        {
            self.at += 1;
            return Some(name.to_owned());
        }
        let colon = self.tokens.get(self.at + 1)?;
        let is_named = matches!(kind, TokenKind::Word(_) | TokenKind::Text(_));
        if !is_named || !matches!(&colon.kind, TokenKind::Word(word) if word == ":") {
            return None;
        }
        self.at += 2;
        Some(self.source[span.clone()].to_owned())
    }

    fn groups(&mut self) -> Result<StepKind, PhraseError> {
        self.of(GROUPS_FORM)?;
        let wrong =
            |parser: &Self| parser.expected("a regular expression between slashes", format!("write it like `{GROUPS_FORM}`"));
        self.regex_if_any().map(StepKind::AllGroups).ok_or_else(|| wrong(self))
    }

    fn lookup(&mut self) -> Result<StepKind, PhraseError> {
        self.ask([Next::Word("in")]);
        if self.peek_word() == Some("in") {
            return Ok(StepKind::LookupIn(self.file_columns(LOOKUP_FORM, true)?));
        }
        let mut pairs = vec![self.lookup_pair()?];
        loop {
            match self.peek() {
                Some(Token { kind: TokenKind::Comma, .. }) => {
                    self.at += 1;
                    pairs.push(self.lookup_pair()?);
                }
                Some(Token { kind: TokenKind::Text(_), span }) => {
                    let help = self.with(span.start..span.start, ", ").replace(" , ", ", ");
                    return Err(self.expected("a comma between the pairs", help));
                }
                _ => return Ok(StepKind::LookupPairs { pairs, any_case: self.any_case()? }),
            }
        }
    }

    fn lookup_pair(&mut self) -> Result<LookupPair, PhraseError> {
        if !matches!(self.peek(), Some(Token { kind: TokenKind::Text(_), .. })) {
            let help = format!("write it like `{LOOKUP_FORM}` or `lookup \"M\" as \"Male\", \"F\" as \"Female\"`");
            return Err(self.expected("`in` or a text in quotes", help));
        }
        let (key, span) = self.text("a text in quotes")?;
        if !self.take_word("as") {
            let help = match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) => self.with_inserted("as"),
                _ if key.contains('.') => self.with(span.start..span.start, "in ").replace("in  ", "in "),
                _ => "write it like `lookup \"M\" as \"Male\", \"F\" as \"Female\"`".to_owned(),
            };
            return Err(self.expected("`as`", help));
        }
        let (result, end) = self.text_like("the result in quotes", "grip")?;
        Ok(LookupPair { key, result, span: span.start..end.end })
    }

    fn date_output(&mut self) -> Result<Option<DateOutput>, PhraseError> {
        if !self.take_word("as") {
            return Ok(None);
        }
        self.ask([Next::DateFormat]);
        let (text, span) = self.text_like("the format of the result in quotes", "%d.%m.%Y")?;
        Ok(Some(DateOutput { text, span }))
    }

    fn division(&mut self) -> Result<Division, PhraseError> {
        if !self.take_word("by") {
            let help = match self.peek() {
                Some(Token { kind: TokenKind::Text(_) | TokenKind::Regex { .. }, .. }) => self.with_inserted("by"),
                _ => self.with_inserted(r#"by "-""#),
            };
            return Err(self.expected("`by`", help));
        }
        let marker = self.marker()?;
        let skipping_empty = self.take_word("skipping");
        if skipping_empty && !self.take_word("empty") {
            return Err(self.expected("`empty`", self.with_inserted("empty")));
        }
        Ok(Division { marker, skipping_empty })
    }

    fn number_style(&mut self) -> Result<NumberStyle, PhraseError> {
        let mut style = NumberStyle { signed: false, like: Vec::new() };
        loop {
            if self.take_word("signed") {
                style.signed = true;
            } else if style.like.is_empty() && self.take_word("like") {
                style.like = self.examples()?;
            } else {
                return Ok(style);
            }
        }
    }

    /// Examples of a number, which differ in the sign. Any other text after `or` is a branch.
    fn examples(&mut self) -> Result<Vec<NumberExample>, PhraseError> {
        let (text, span) = self.text("an example in quotes")?;
        let mut examples = vec![NumberExample { text, span }];
        while let Some([or, Token { kind: TokenKind::Text(text), span }]) = self.tokens.get(self.at..self.at + 2)
            && or.kind == TokenKind::Word("or".to_owned())
            && examples.iter().all(|example| example.differs_in_sign(text))
        {
            examples.push(NumberExample { text: text.clone(), span: span.clone() });
            self.at += 2;
        }
        Ok(examples)
    }

    fn of_class(&mut self) -> Result<Option<Class>, PhraseError> {
        if self.take_word("of") { self.class("runs of digits").map(Some) } else { Ok(None) }
    }

    fn pattern(&mut self, step: &str) -> Result<Pattern, PhraseError> {
        let Some(regex) = self.regex_if_any() else {
            let help = match self.peek() {
                Some(Token { kind: TokenKind::Text(text), span }) => {
                    self.with(span.clone(), &format!("/{}/", text.replace('/', r"\/")))
                }
                _ => format!(r"write it like `{step} /WO:(\d+)/ group 1`"),
            };
            return Err(self.expected("a regular expression between slashes", help));
        };
        if !self.take_word("group") {
            return Ok(Pattern { regex, group: None });
        }
        match self.peek() {
            Some(Token { kind: TokenKind::Word(name) | TokenKind::Text(name), span }) => {
                self.at += 1;
                Ok(Pattern { regex, group: Some(Group { name: name.clone(), span: span.clone() }) })
            }
            Some(Token { kind: TokenKind::Number(n), span }) if *n >= 0 => {
                self.at += 1;
                Ok(Pattern { regex, group: Some(Group { name: n.to_string(), span: span.clone() }) })
            }
            _ => Err(self.expected("the number or the name of a group", format!("write it like `{step} /WO:(\\d+)/ group 1`"))),
        }
    }

    fn of(&mut self, form: &str) -> Result<(), PhraseError> {
        if self.take_word("of") { Ok(()) } else { Err(self.expected("`of`", format!("write it like `{form}`"))) }
    }

    fn with_text(&mut self, form: &str) -> Result<(String, Span), PhraseError> {
        if !self.take_word("with") {
            let help = match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) => self.with_inserted("with"),
                _ => format!("write it like `{form}`"),
            };
            return Err(self.expected("`with`", help));
        }
        self.text("a text in quotes")
    }

    fn pad(&mut self) -> Result<StepKind, PhraseError> {
        let form = r#"pad left to 6 with "0""#;
        let Some(side) = self.side() else {
            return Err(self.expected("`left` or `right`", format!("write it like `{form}`")));
        };
        self.to(form)?;
        let width = self.width_up_to(MOST_PADDING, form)?;
        if !self.take_word("with") {
            let help = match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) => self.with_inserted("with"),
                Some(Token { kind: TokenKind::Number(n), span }) => self.with(span.clone(), &format!("with \"{n}\"")),
                _ => self.with_inserted(r#"with "0""#),
            };
            return Err(self.expected("`with` and the padding", help));
        }
        let (with, span) = self.text("the padding in quotes")?;
        if with.is_empty() {
            let help = self.with(span.clone(), r#""0""#);
            return Err(PhraseError { kind: ErrorKind::EmptyFilling, span, help });
        }
        Ok(StepKind::Pad { side, width, with })
    }

    fn clip(&mut self) -> Result<StepKind, PhraseError> {
        let form = r#"clip to 10 with "…""#;
        self.to(form)?;
        let width = self.width(form)?;
        self.ask([Next::Word("with")]);
        let mark = if self.peek_word() == Some("with") { self.with_text(form)?.0 } else { String::new() };
        Ok(StepKind::Clip { width, mark })
    }

    fn to(&mut self, form: &str) -> Result<(), PhraseError> {
        if self.take_word("to") {
            return Ok(());
        }
        let help = match self.peek() {
            Some(Token { kind: TokenKind::Number(_), .. }) => self.with_inserted("to"),
            _ => format!("write it like `{form}`"),
        };
        Err(self.expected("`to`", help))
    }

    fn plain(&mut self) -> Result<StepKind, PhraseError> {
        if self.take_word("number") {
            let like = if self.take_word("like") { self.examples()? } else { Vec::new() };
            return Ok(StepKind::PlainNumber(like));
        }
        match self.take_word("digits") {
            true => Ok(StepKind::PlainDigits),
            false => Err(self.expected("`number` or `digits`", self.with_inserted("number"))),
        }
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

    pub(super) fn length(&mut self, form: &str) -> Result<usize, PhraseError> {
        let (n, span) = self.number("a number of characters", form)?;
        if n < 0 {
            let help = self.with(span.clone(), &n.unsigned_abs().to_string());
            return Err(PhraseError { kind: ErrorKind::NegativeWidth, span, help });
        }
        at_most(MOST_CHARACTERS, n, &span)
    }
}
