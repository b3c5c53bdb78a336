use super::{Next, Parser};
use crate::phrase::ast::{CheckDigit, Condition, ConditionKind, Day, ListSource, LookupSource, Span};
use crate::phrase::token::{Token, TokenKind};
use crate::phrase::{ErrorKind, PhraseError};
use crate::words;

const CONDITIONS: [&str; 17] = [
    "required", "blank", "length", "fits", "starts", "ends", "contains", "one", "listed", "range", "date", "email", "check",
    "unique", "same", "not", "digits",
];

/// Maximum nesting of parentheses.
const MOST_DEPTH: usize = 20;

const CHECK_DIGITS: [(&str, CheckDigit); 8] = [
    ("luhn", CheckDigit::Luhn),
    ("gs1", CheckDigit::Gs1),
    ("isbn10", CheckDigit::Isbn10),
    ("mod97", CheckDigit::Mod97),
    ("mod11-2", CheckDigit::Mod112),
    ("iban", CheckDigit::Iban),
    ("verhoeff", CheckDigit::Verhoeff),
    ("damm", CheckDigit::Damm),
];

impl Parser<'_> {
    /// A condition where `or` and `and` combine: by itself, or in parentheses.
    pub(super) fn condition(&mut self) -> Result<Condition, PhraseError> {
        self.within_condition(|parser| {
            parser.joined("or", ConditionKind::Any, |parser| parser.joined("and", ConditionKind::All, Parser::single_condition))
        })
    }

    /// A condition inside a phrase, where `or` begins a branch, so a combination is in parentheses.
    pub(super) fn enclosed_condition(&mut self) -> Result<Condition, PhraseError> {
        self.within_condition(Parser::single_condition)
    }

    fn within_condition(
        &mut self,
        read: impl Fn(&mut Self) -> Result<Condition, PhraseError>,
    ) -> Result<Condition, PhraseError> {
        let was_in_condition = std::mem::replace(&mut self.is_in_condition, true);
        let condition = read(self);
        self.is_in_condition = was_in_condition;
        condition
    }

    /// Whether a condition other than a class begins at a token.
    pub(super) fn begins_condition(token: &Token) -> bool {
        match &token.kind {
            TokenKind::Open => true,
            TokenKind::Word(word) => CONDITIONS.contains(&word.as_str()) && !super::class_names().any(|class| class == word),
            _ => false,
        }
    }

    fn joined(
        &mut self,
        word: &'static str,
        kind: fn(Vec<Condition>) -> ConditionKind,
        part: impl Fn(&mut Self) -> Result<Condition, PhraseError>,
    ) -> Result<Condition, PhraseError> {
        let first = part(self)?;
        let start = first.span.start;
        let mut parts = vec![first];
        // `unique` stands alone, so no word is offered after it.
        let is_offered = |parser: &Self, parts: &[Condition]| {
            parser.peek().is_some() || parts.iter().all(|part| part.kind != ConditionKind::Unique)
        };
        while is_offered(self, &parts) && self.take_word(word) {
            parts.push(part(self)?);
        }
        match <[Condition; 1]>::try_from(parts) {
            Ok([only]) => Ok(only),
            Err(parts) => Ok(Condition { span: start..self.end_of_last(), negated: false, kind: kind(parts) }),
        }
    }

    fn single_condition(&mut self) -> Result<Condition, PhraseError> {
        let start = self.here().start;
        let negated = self.take_word("not");
        self.ask([Next::Word("(")]);
        if !matches!(self.peek(), Some(Token { kind: TokenKind::Open, .. })) {
            let kind = self.condition_kind()?;
            return Ok(Condition { span: start..self.end_of_last(), negated, kind });
        }
        if self.depth == MOST_DEPTH {
            let help = format!("use at most {MOST_DEPTH} levels of parentheses");
            return Err(self.expected("a condition without parentheses", help));
        }
        self.at += 1;
        self.depth += 1;
        let inside = self.condition()?;
        self.depth -= 1;
        self.ask([Next::Word(")")]);
        if !matches!(self.peek(), Some(Token { kind: TokenKind::Close, .. })) {
            let end = self.end_of_last();
            return Err(self.expected("`)`, `and` or `or`", self.with(end..end, ")")));
        }
        self.at += 1;
        Ok(Condition { span: start..self.end_of_last(), negated: inside.negated != negated, kind: inside.kind })
    }

    fn condition_kind(&mut self) -> Result<ConditionKind, PhraseError> {
        self.ask(CONDITIONS.map(Next::Word));
        if self.is_at_class() {
            return Ok(ConditionKind::Class(self.class("digits")?));
        }
        let Some(Token { kind: TokenKind::Word(word), span }) = self.peek() else {
            return Err(
                self.expected("a condition", "write one such as `digits`, `length 8` or `starts with \"GRP\"`".to_owned())
            );
        };
        self.at += 1;
        Ok(match word.as_str() {
            "required" => ConditionKind::Required,
            "blank" => ConditionKind::Blank,
            "length" => self.length_condition()?,
            "fits" => match self.regex_if_any() {
                Some(regex) => ConditionKind::Fits(regex),
                None => {
                    return Err(
                        self.expected("a regular expression between slashes", r"write it like `fits /[A-Z]{3}\d+/`".to_owned())
                    );
                }
            },
            "starts" => {
                self.word("with", r#"starts with "GRP""#)?;
                ConditionKind::StartsWith(self.marker()?)
            }
            "ends" => {
                self.word("with", r#"ends with "-""#)?;
                ConditionKind::EndsWith(self.marker()?)
            }
            "contains" if self.take_word("word") => {
                let (text, span) = self.text("the word in quotes")?;
                if text.is_empty() {
                    let help = self.with(span.clone(), r#""WO""#);
                    return Err(PhraseError { kind: ErrorKind::EmptyMarker, span, help });
                }
                ConditionKind::ContainsWord(text)
            }
            "contains" => ConditionKind::Contains(self.marker()?),
            "one" => self.one_of()?,
            "listed" => {
                let LookupSource { keys: list, any_case, .. } = self.file_columns(r#"listed in "sites.csv""#, false)?;
                ConditionKind::ListedIn { list, any_case }
            }
            "range" => self.range_condition()?,
            "date" => ConditionKind::Date(self.date_format()?),
            "email" => ConditionKind::Email,
            "check" => ConditionKind::CheckDigit(self.check_digit("check digit luhn")?),
            "unique" => ConditionKind::Unique,
            "same" => {
                self.word("as", "same as COLUMN")?;
                ConditionKind::SameAs { name: self.column()?, any_case: self.any_case()? }
            }
            _ => return Err(self.unknown_condition(word, span)),
        })
    }

    /// The rest of `listed in "sites.csv"` or of `lookup in "families.csv"`, after the first word.
    pub(super) fn file_columns(&mut self, form: &str, gives: bool) -> Result<LookupSource, PhraseError> {
        self.word("in", form)?;
        self.ask([Next::File]);
        let file = self.text_like("the file in quotes", "families.csv")?.0;
        let keys = ListSource { file, column: None, has_header: true };
        let mut source = LookupSource { keys, give: None, any_case: false };
        loop {
            if source.keys.column.is_none() && self.take_word("column") {
                source.keys.column = Some(self.text_like("the column in quotes", "code")?.0);
            } else if gives && source.give.is_none() && self.take_word("give") {
                source.give = Some(self.text_like("the column in quotes", "code")?.0);
            } else if !source.any_case && self.any_case()? {
                source.any_case = true;
            } else if source.keys.has_header && self.take_word("no") {
                self.word("header", &format!("{form} no header"))?;
                source.keys.has_header = false;
            } else {
                return Ok(source);
            }
        }
    }

    fn unknown_condition(&self, word: &str, span: &Span) -> PhraseError {
        const NUMBERS: [&str; 6] = ["number", "numbers", "numeric", "decimal", "float", "real"];
        let help = match words::nearest(word, CONDITIONS.into_iter().chain(super::class_names())) {
            _ if self.source.split_whitespace().next_back().is_some_and(|last| NUMBERS.contains(&last)) => {
                r"write `digits` for digits only, `range 0 to 999` for a number within limits, or `fits /\d+\.\d{2}/` for its form"
                    .to_owned()
            }
            Some(nearest) => format!("did you mean `{nearest}`?"),
            None => "conditions are such as `required`, `digits`, `length 8`, `one of \"A\", \"B\"` or `starts with \"GRP\"`"
                .to_owned(),
        };
        PhraseError { kind: ErrorKind::UnknownCondition(word.to_owned()), span: span.clone(), help }
    }

    pub(super) fn word(&mut self, word: &'static str, form: &str) -> Result<(), PhraseError> {
        if self.take_word(word) { Ok(()) } else { Err(self.expected(&format!("`{word}`"), format!("write it like `{form}`"))) }
    }

    fn length_condition(&mut self) -> Result<ConditionKind, PhraseError> {
        let start = self.here().start;
        let from = self.length("length 8")?;
        if !self.take_word("to") {
            return Ok(ConditionKind::Length { from, to: Some(from) });
        }
        if !matches!(self.peek(), Some(Token { kind: TokenKind::Number(_), .. })) {
            return Ok(ConditionKind::Length { from, to: None });
        }
        let to = self.length("length 4 to 8")?;
        if to < from {
            Err(self.backwards(start..self.end_of_last()))
        } else {
            Ok(ConditionKind::Length { from, to: Some(to) })
        }
    }

    fn one_of(&mut self) -> Result<ConditionKind, PhraseError> {
        self.word("of", r#"one of "A", "B""#)?;
        let mut texts = vec![self.text("a text in quotes")?.0];
        loop {
            let comma = matches!(self.peek(), Some(Token { kind: TokenKind::Comma, .. }));
            self.at += usize::from(comma);
            match self.peek() {
                Some(Token { kind: TokenKind::Text(_), .. }) if comma => texts.push(self.text("a text in quotes")?.0),
                Some(Token { kind: TokenKind::Text(_), span }) => {
                    let help = self.with(span.start..span.start, ", ").replace(" , ", ", ");
                    return Err(self.expected("a comma between the texts", help));
                }
                _ if comma => return Err(self.expected("a text in quotes", "write a text after the comma".to_owned())),
                _ => return Ok(ConditionKind::OneOf { texts, any_case: self.any_case()? }),
            }
        }
    }

    fn range_condition(&mut self) -> Result<ConditionKind, PhraseError> {
        let start = self.here().start;
        let day = self.day_if_any()?;
        if day.is_some() || self.tokens.get(self.at + 1).is_some_and(|next| self.peek_word() == Some("to") && is_day(next)) {
            return self.days(start, day);
        }
        let from = self.decimal_if_any();
        if from.is_none() && self.peek_word().is_some_and(|word| word.starts_with(|c: char| c.is_ascii_digit())) {
            let help = "write numbers, such as `range 1 to 999`, or dates in ISO 8601, such as `range 2020-01-31 to today`";
            return Err(self.expected("a number or a date", help.to_owned()));
        }
        self.word("to", "range 1 to 999")?;
        let to = self.decimal_if_any();
        match (&from, &to) {
            (None, None) => Err(self
                .expected("a number at one end", "write it like `range 1 to 999`, `range 1 to` or `range to 999`".to_owned())),
            (Some(from), Some(to)) if crate::decimal::compare(from, to) == Some(std::cmp::Ordering::Greater) => {
                Err(self.backwards(start..self.end_of_last()))
            }
            _ => Ok(ConditionKind::Range { from, to }),
        }
    }

    /// The rest of `range 2020-01-01 to today`, with either end left open.
    fn days(&mut self, start: usize, from: Option<Day>) -> Result<ConditionKind, PhraseError> {
        self.word("to", "range 2020-01-01 to today")?;
        let to = self.day_if_any()?;
        if to.is_none() && matches!(self.peek(), Some(Token { kind: TokenKind::Number(_) | TokenKind::Decimal(_), .. })) {
            return Err(self.expected("a date", "write both ends as dates, such as `range 2020-01-01 to today`".to_owned()));
        }
        match (&from, &to) {
            (Some(Day::Date(from)), Some(Day::Date(to))) if from > to => Err(self.backwards(start..self.end_of_last())),
            _ => Ok(ConditionKind::Days { from, to }),
        }
    }

    fn day_if_any(&mut self) -> Result<Option<Day>, PhraseError> {
        self.ask([Next::Word("today")]);
        let Some(token) = self.peek().filter(|token| is_day(token)) else { return Ok(None) };
        let text = &self.source[token.span.clone()];
        let day = match text {
            "today" => Day::Today,
            text if text.parse::<jiff::civil::Date>().is_ok() => Day::Date(text.to_owned()),
            _ => return Err(self.expected("a date that exists", "write it like `range 2020-01-31 to today`".to_owned())),
        };
        self.at += 1;
        Ok(Some(day))
    }

    fn decimal_if_any(&mut self) -> Option<String> {
        let Some(Token { kind: TokenKind::Number(_) | TokenKind::Decimal(_), span }) = self.peek() else { return None };
        self.at += 1;
        Some(self.source[span.clone()].to_owned())
    }

    pub(super) fn check_digit(&mut self, form: &str) -> Result<CheckDigit, PhraseError> {
        self.word("digit", form)?;
        self.ask(CHECK_DIGITS.map(|(name, _)| Next::Word(name)));
        let named = self.peek_word().and_then(|word| CHECK_DIGITS.iter().find(|(name, _)| *name == word));
        match named {
            Some((_, algorithm)) => {
                self.at += 1;
                Ok(*algorithm)
            }
            None => {
                let names: Vec<_> = CHECK_DIGITS.iter().map(|(name, _)| *name).collect();
                Err(self.expected("the name of a check digit", format!("the names are {}", names.join(", "))))
            }
        }
    }

    fn column(&mut self) -> Result<String, PhraseError> {
        self.ask([Next::Column]);
        match self.peek() {
            Some(Token { kind: TokenKind::Word(name), .. }) => {
                self.at += 1;
                Ok(name.clone())
            }
            Some(Token { kind: TokenKind::Text(_), span }) => {
                self.at += 1;
                Ok(self.source[span.clone()].to_owned())
            }
            _ => Err(self.expected("a column", "write it like `same as crew_id` or `same as \"crew id\"`".to_owned())),
        }
    }
}

/// Whether a token is `today` or has the form of an ISO date.
fn is_day(token: &Token) -> bool {
    let TokenKind::Word(word) = &token.kind else { return false };
    let parts: Vec<&str> = word.split('-').collect();
    let are_digits = || parts.iter().all(|part| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit()));
    word == "today" || (parts.len() == 3 && are_digits())
}
