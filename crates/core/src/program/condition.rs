use std::cmp::Ordering;
use std::sync::Arc;

use crate::batch::Sixteen;
use pulp::{Simd, WithSimd};

use super::certain::Certain;
use super::class::ClassPlan;
use super::date::DatePlan;
use super::matcher::Matcher;
use super::pattern::{self, CompiledRegex};
use super::setting::{List, ListTexts, NoList, Setting};
use crate::batch::simd::{self, ByteRange};
use crate::batch::{Span, Texts};
use crate::check::{Violation, ViolationKind, check_digit, email};
use crate::decimal;
use crate::phrase::ast::{CheckDigit, Condition, ConditionKind, Day, Marker};
use crate::phrase::{ErrorKind, PhraseError};
use crate::text::blank::is_blank;
use crate::text::case::fold;
use crate::text::characters::{self, Form};
use crate::text::unit::Unit;

#[derive(Debug, Clone)]
pub struct ConditionPlan {
    negated: bool,
    test: Test,
    words: String,
}

#[derive(Debug, Clone)]
enum Test {
    Required,
    Blank,
    Length {
        from: usize,
        to: Option<usize>,
        unit: Unit,
    },
    Class(Box<ClassPlan>),
    /// The regular expression matches somewhere; it contains anchors if needed.
    Matches(Box<CompiledRegex>),
    MatchesStart(Box<CompiledRegex>),
    StartsWith {
        text: String,
        unit: Unit,
    },
    EndsWith {
        text: String,
        unit: Unit,
    },
    StartsFolded {
        compiled: Box<CompiledRegex>,
        unit: Unit,
    },
    EndsFolded {
        compiled: Box<CompiledRegex>,
        unit: Unit,
    },
    FirstOf(Box<ClassPlan>),
    LastOf(Box<ClassPlan>),
    Contains(Box<Matcher>),
    ContainsWord(Box<Matcher>),
    OneOf {
        texts: Vec<String>,
        any_case: bool,
    },
    Range {
        from: Option<String>,
        to: Option<String>,
    },
    Days {
        from: Option<String>,
        to: Option<String>,
    },
    Date(Box<DatePlan>),
    ListedIn {
        list: List,
        file: String,
        any_case: bool,
    },
    Email,
    CheckDigit(CheckDigit),
    All(Vec<ConditionPlan>),
    Any(Vec<ConditionPlan>),
}

impl ConditionPlan {
    /// Adds the indices of failing texts, in ascending order. Blank texts pass unless `asks_blank` is set. Returns true if a text passed
    /// only because it is blank. `width` is the common width of the texts in bytes, if they have one.
    pub(crate) fn note_failing(&self, texts: Texts, width: Option<usize>, asks_blank: bool, failing: &mut Vec<u32>) -> bool {
        let source = texts.text.as_bytes();
        let define = |index: usize| self.test.holds(texts.get(index), texts.forms.of(index));
        let mut note =
            FailureCollector { texts, asks_blank, negated: self.negated, define: &define, failing, skips_blank: false };
        match &self.test {
            Test::Required => note.unless_at_once(|span| !is_blank(span.text(texts.text))),
            Test::Length { from, to, .. } => {
                let to = to.unwrap_or(usize::MAX);
                // The cut may already guarantee the width.
                if !self.negated && width.is_some_and(|width| (*from..=to).contains(&width)) {
                    return false;
                }
                note.unless_at_once(|span| (*from <= span.width()) & (span.width() <= to));
            }
            Test::Class(class) => match *class.runs() {
                [(first, last)] => {
                    let range = ByteRange::new(first, last);
                    note.unless_all(source, move |sixteen| range.has(sixteen));
                }
                [one, other] => {
                    let (one, other) = (ByteRange::new(one.0, one.1), ByteRange::new(other.0, other.1));
                    note.unless_all(source, move |sixteen| one.has(sixteen) | other.has(sixteen));
                }
                _ => note.unless(|span| !span.is_empty() && span.bytes(source).iter().all(|byte| class.has_byte(*byte))),
            },
            Test::All(parts) => {
                let mut found = Vec::new();
                for part in parts {
                    note.skips_blank |= part.note_failing(texts, width, asks_blank, &mut found);
                }
                found.sort_unstable();
                found.dedup();
                note.failing.append(&mut found);
            }
            Test::Any(parts) => {
                let mut found = Vec::new();
                if let [first, others @ ..] = parts.as_slice() {
                    note.skips_blank = first.note_failing(texts, width, asks_blank, &mut found);
                    let holds = |index: usize| {
                        let (text, form) = (texts.get(index), texts.forms.of(index));
                        others.iter().any(|part| part.holds_in(text, form))
                    };
                    found.retain(|index| !holds(*index as usize));
                }
                note.failing.append(&mut found);
            }
            _ => note.by_definition(),
        }
        note.skips_blank
    }

    /// The guarantees about plain texts that pass, unless they are blank.
    pub(crate) fn certain(&self) -> Certain {
        match &self.test {
            Test::Class(class) if !self.negated => class.certain(),
            Test::All(parts) if !self.negated => {
                parts.iter().map(ConditionPlan::certain).fold(Certain::default(), Certain::and)
            }
            _ => Certain::default(),
        }
    }

    /// Compiles a condition.
    ///
    /// # Errors
    /// An invalid regular expression or date format, or a condition that needs other columns or rows.
    pub fn new(condition: &Condition, setting: &Setting) -> Result<ConditionPlan, PhraseError> {
        let unit = setting.unit;
        let words = crate::phrase::words::condition(&Condition { negated: !condition.negated, ..condition.clone() });
        let not_here = |name: &'static str, help: &str| {
            Err(PhraseError { kind: ErrorKind::NotHere(name), span: condition.span.clone(), help: help.to_owned() })
        };
        let test = match &condition.kind {
            ConditionKind::Required => Test::Required,
            ConditionKind::Blank => Test::Blank,
            ConditionKind::Length { from, to } => Test::Length { from: *from, to: *to, unit },
            ConditionKind::Class(class) => Test::Class(Box::new(ClassPlan::new(class))),
            ConditionKind::Fits(regex) => Test::Matches(Box::new(pattern::compile_whole(regex)?)),
            ConditionKind::StartsWith(marker) => match marker {
                Marker::Text { text, any_case: false } => Test::StartsWith { text: text.clone(), unit },
                Marker::Text { text, any_case: true } => {
                    Test::StartsFolded { compiled: Box::new(pattern::any_case(text)?), unit }
                }
                Marker::Regex(regex) => Test::MatchesStart(Box::new(pattern::compile(regex)?)),
                Marker::Run(class) => Test::FirstOf(Box::new(ClassPlan::new(class))),
                Marker::OneOf(text) => Test::FirstOf(Box::new(ClassPlan::any_of(text))),
            },
            ConditionKind::EndsWith(marker) => match marker {
                Marker::Text { text, any_case: false } => Test::EndsWith { text: text.clone(), unit },
                Marker::Text { text, any_case: true } => {
                    Test::EndsFolded { compiled: Box::new(pattern::any_case_end(text)?), unit }
                }
                Marker::Regex(regex) => Test::Matches(Box::new(pattern::compile_end(regex)?)),
                Marker::Run(class) => Test::LastOf(Box::new(ClassPlan::new(class))),
                Marker::OneOf(text) => Test::LastOf(Box::new(ClassPlan::any_of(text))),
            },
            ConditionKind::Contains(marker) => Test::Contains(Box::new(Matcher::new(marker, unit)?)),
            ConditionKind::ContainsWord(text) => {
                let marker = Marker::Text { text: text.clone(), any_case: false };
                Test::ContainsWord(Box::new(Matcher::new(&marker, unit)?))
            }
            ConditionKind::OneOf { texts, any_case } => Test::OneOf { texts: texts.clone(), any_case: *any_case },
            ConditionKind::Range { from, to } => Test::Range { from: from.clone(), to: to.clone() },
            ConditionKind::Days { from, to } => {
                let day = |day: &Day| match day {
                    Day::Date(date) => Ok(date.clone()),
                    Day::Today => (setting.today)().ok_or_else(|| PhraseError {
                        kind: ErrorKind::NoToday,
                        span: condition.span.clone(),
                        help: "write the date, such as `range 2020-01-01 to 2025-12-31`".to_owned(),
                    }),
                };
                Test::Days { from: from.as_ref().map(day).transpose()?, to: to.as_ref().map(day).transpose()? }
            }
            ConditionKind::Date(format) => Test::Date(Box::new(DatePlan::new(format)?)),
            ConditionKind::ListedIn { list: source, any_case } => match setting.files.list(source) {
                Ok(list) if *any_case => {
                    let texts = list.texts.iter().map(|text| fold(text).into()).collect();
                    let folded = ListTexts { texts, header: list.header.as_ref().map(|header| fold(header).into()) };
                    Test::ListedIn { list: Arc::new(folded), file: source.file.clone(), any_case: true }
                }
                Ok(list) => Test::ListedIn { list, file: source.file.clone(), any_case: false },
                Err(NoList { reason, help }) => {
                    return Err(PhraseError { kind: ErrorKind::NoList(reason), span: condition.span.clone(), help });
                }
            },
            ConditionKind::Email => Test::Email,
            ConditionKind::CheckDigit(algorithm) => Test::CheckDigit(*algorithm),
            ConditionKind::Unique => {
                return not_here("unique", "it belongs in `check` or in `keep` of [rows], which see all rows");
            }
            ConditionKind::All(_) | ConditionKind::Any(_) => {
                let (is_all, parts) = condition.split();
                let parts = parts.iter().map(|part| ConditionPlan::new(part, setting)).collect::<Result<Vec<_>, _>>()?;
                let test = if is_all { Test::All(parts) } else { Test::Any(parts) };
                return Ok(ConditionPlan { negated: false, test, words });
            }
            ConditionKind::SameAs { .. } => {
                return not_here("same as", "it belongs in `check`, `when` or `keep` of [rows], which see the other columns");
            }
        };
        Ok(ConditionPlan { negated: condition.negated, test, words })
    }

    pub(crate) fn reads_list(&self) -> bool {
        match &self.test {
            Test::ListedIn { .. } => true,
            Test::All(parts) | Test::Any(parts) => parts.iter().any(ConditionPlan::reads_list),
            _ => false,
        }
    }

    /// The file of the list, if `text` is not in it but equals the header of its column.
    pub(crate) fn header_of_list(&self, text: &str) -> Option<&str> {
        match &self.test {
            Test::ListedIn { list, file, any_case } if !self.negated => {
                let header = list.header.as_deref()?;
                let is_header = if *any_case { header == fold(text) } else { header == text };
                is_header.then_some(file)
            }
            Test::All(parts) | Test::Any(parts) => parts.iter().find_map(|part| part.header_of_list(text)),
            _ => None,
        }
    }

    /// Why `text` fails. Call it only if it does.
    pub fn violation(&self, text: &str) -> Violation {
        match &self.test {
            Test::All(parts) if let Some(first) = parts.iter().find(|part| !part.holds(text)) => first.violation(text),
            _ if self.negated => Violation::new(ViolationKind::NotAllowed, format!("it {}", self.words)),
            test => test.violation(text, &self.words),
        }
    }

    /// Whether the condition holds for `text`.
    pub fn holds(&self, text: &str) -> bool {
        self.holds_in(text, Form::of(text))
    }

    fn holds_in(&self, text: &str, form: Form) -> bool {
        self.test.holds(text, form) != self.negated
    }
}

impl Test {
    fn holds(&self, text: &str, form: Form) -> bool {
        match self {
            Test::Required => !is_blank(text),
            Test::Blank => is_blank(text),
            Test::Length { from, to, unit } => {
                let length = unit.in_form(form).count(text);
                length >= *from && to.is_none_or(|to| length <= to)
            }
            Test::Class(class) => !text.is_empty() && class.has_all(text, form),
            Test::Matches(compiled) => compiled.is_match(text),
            Test::MatchesStart(compiled) => compiled.starts(text),
            Test::StartsWith { text: start, unit } => text.starts_with(start.as_str()) && unit.is_notch(text, start.len()),
            Test::EndsWith { text: end, unit } => {
                text.strip_suffix(end.as_str()).is_some_and(|rest| unit.is_notch(text, rest.len()))
            }
            Test::StartsFolded { compiled, unit } => {
                compiled.find(text, 0).is_some_and(|found| found.start == 0 && unit.is_notch(text, found.end))
            }
            Test::EndsFolded { compiled, unit } => compiled.find(text, 0).is_some_and(|found| unit.is_notch(text, found.start)),
            Test::FirstOf(class) => !text.is_empty() && class.has(&text[..characters::notch(text, 1)]),
            Test::LastOf(class) => !text.is_empty() && class.has(&text[characters::notch_from_end(text, 1)..]),
            Test::Contains(matcher) => matcher.next(text, 0, form).is_some(),
            Test::ContainsWord(matcher) => contains_word(matcher, text, form),
            Test::OneOf { texts, any_case: false } => texts.iter().any(|one| one == text),
            Test::OneOf { texts, any_case: true } => texts.iter().any(|one| fold(one) == fold(text)),
            Test::Range { from, to } => {
                let at_least =
                    |from: &String| matches!(decimal::compare(text, from), Some(Ordering::Equal | Ordering::Greater));
                let at_most = |to: &String| matches!(decimal::compare(text, to), Some(Ordering::Equal | Ordering::Less));
                from.as_ref().is_none_or(at_least) && to.as_ref().is_none_or(at_most)
            }
            Test::Days { from, to } => day_of(text).is_some_and(|day| {
                from.as_ref().is_none_or(|from| from.as_str() <= day) && to.as_ref().is_none_or(|to| day <= to.as_str())
            }),
            Test::Date(date) => date.reads(text),
            Test::ListedIn { list, any_case: false, .. } => list.texts.contains(text),
            Test::ListedIn { list, any_case: true, .. } => list.texts.contains(&*fold(text)),
            Test::Email if form.is_plain() => email::holds_for_plain(text),
            Test::Email => email::check(text).is_ok(),
            Test::CheckDigit(algorithm) => check_digit::check(*algorithm, text).is_ok(),
            Test::All(parts) => parts.iter().all(|part| part.holds_in(text, form)),
            Test::Any(parts) => parts.iter().any(|part| part.holds_in(text, form)),
        }
    }

    fn violation(&self, text: &str, words: &str) -> Violation {
        let fails_to = |kind| Violation::new(kind, format!("it {words}"));
        match self {
            Test::Required if text.is_empty() => Violation::new(ViolationKind::Missing, "it is missing"),
            Test::Required => Violation::new(ViolationKind::Missing, "it has only white space"),
            Test::Blank => Violation::new(ViolationKind::NotBlank, "it is not blank"),
            Test::Length { from, to, unit } => {
                let length = unit.count(text);
                let kind = if length < *from { ViolationKind::TooShort } else { ViolationKind::TooLong };
                let wanted = match to {
                    Some(to) if to == from => from.to_string(),
                    Some(to) => format!("{from} to {to}"),
                    None => format!("{from} or more"),
                };
                let one = match unit {
                    Unit::Characters => "character",
                    Unit::Codepoints => "code point",
                    Unit::Bytes => "byte",
                };
                let s = if length == 1 { "" } else { "s" };
                Violation::new(kind, format!("it has {length} {one}{s}, not {wanted}"))
            }
            Test::Class(class) => {
                let wrong = characters::ranges(text).position(|range| !class.has(&text[range]));
                Violation::at_character(text, wrong.unwrap_or(0), &class.one())
            }
            Test::Matches(_) | Test::All(_) | Test::Any(_) => fails_to(ViolationKind::DoesNotFit),
            Test::MatchesStart(_)
            | Test::StartsWith { .. }
            | Test::StartsFolded { .. }
            | Test::FirstOf(_)
            | Test::EndsWith { .. }
            | Test::EndsFolded { .. }
            | Test::LastOf(_) => fails_to(ViolationKind::WrongEnd),
            Test::Contains(_) | Test::ContainsWord(_) => fails_to(ViolationKind::Lacks),
            Test::OneOf { texts, .. } => match crate::words::nearest(text, texts.iter().map(String::as_str)) {
                Some(nearest) => {
                    Violation::new(ViolationKind::NotListed, format!("it is not an allowed value; did you mean {nearest}?"))
                }
                None => Violation::new(ViolationKind::NotListed, "it is not an allowed value"),
            },
            Test::ListedIn { file, .. } => Violation::new(ViolationKind::NotListed, format!("it is not listed in {file}")),
            Test::Range { .. } if decimal::compare(text, "0").is_none() => {
                Violation::new(ViolationKind::NotANumber, "it is not a number")
            }
            Test::Range { .. } => fails_to(ViolationKind::OutOfRange),
            Test::Days { .. } if day_of(text).is_none() => {
                Violation::new(ViolationKind::NotADate, "it is not a date such as 2025-03-01")
            }
            Test::Days { from, to } => {
                let is_early = from.as_ref().is_some_and(|from| day_of(text).is_some_and(|day| day < from.as_str()));
                let (limit, side) = if is_early { (from, "before") } else { (to, "after") };
                let detail = format!("it is {side} {}", limit.as_deref().unwrap_or_default());
                Violation::new(ViolationKind::OutOfRange, detail)
            }
            Test::Date(_) => fails_to(ViolationKind::NotADate),
            Test::Email => match email::check(text) {
                Ok(()) => fails_to(ViolationKind::NotAnEmail),
                Err(wrong) => Violation { kind: ViolationKind::NotAnEmail, detail: wrong.reason, at: wrong.at },
            },
            Test::CheckDigit(algorithm) => {
                let reason = check_digit::check(*algorithm, text).err().unwrap_or_default();
                Violation::new(ViolationKind::WrongCheckDigit, reason)
            }
        }
    }
}

/// Collects the failing texts of a column. The test for plain texts is a generic parameter, so that the loop over them is specialised;
/// other texts use the definition.
struct FailureCollector<'a, D: Fn(usize) -> bool> {
    texts: Texts<'a>,
    asks_blank: bool,
    negated: bool,
    define: D,
    failing: &'a mut Vec<u32>,
    skips_blank: bool,
}

impl<D: Fn(usize) -> bool> FailureCollector<'_, D> {
    /// For cheap tests: first finds out whether any text fails, with one loop for all texts.
    // A separate function, so that the loop keeps its variables in registers.
    #[inline(never)]
    fn unless_at_once(&mut self, holds: impl Fn(Span) -> bool) {
        let fails = |span: &Span| (self.asks_blank | !span.is_empty()) & (holds(*span) == self.negated);
        if !self.texts.forms.are_plain() || self.texts.spans.iter().fold(false, |any, span| any | fails(span)) {
            self.unless(holds);
        }
    }

    // A separate function, so that the loop keeps its variables in registers.
    #[inline(never)]
    fn unless_all(&mut self, source: &[u8], test: impl Fn(Sixteen) -> u32) {
        let all = |span: Span| simd::all(source, span.start as usize, span.end as usize, &test);
        // Empty texts have no failing byte.
        let passes = |spans| simd::for_this_processor(AllPass { source, spans, test: &test });
        if self.negated || self.asks_blank || !self.texts.forms.are_plain() || !passes(self.texts.spans) {
            self.unless(|span| !span.is_empty() && all(span));
        }
    }

    #[inline]
    fn unless(&mut self, holds: impl Fn(Span) -> bool) {
        let has_rough = !self.texts.forms.are_plain();
        for (index, span) in self.texts.spans.iter().enumerate() {
            if !self.asks_blank && span.is_empty() {
                continue;
            }
            let holds = if has_rough && !self.texts.forms.of(index).is_plain() { (self.define)(index) } else { holds(*span) };
            if holds == self.negated {
                self.note(index);
            }
        }
    }

    fn by_definition(&mut self) {
        for (index, span) in self.texts.spans.iter().enumerate() {
            if (self.asks_blank || !span.is_empty()) && (self.define)(index) == self.negated {
                self.note(index);
            }
        }
    }

    fn note(&mut self, index: usize) {
        match self.asks_blank || !is_blank(self.texts.get(index)) {
            true => self.failing.push(index as u32),
            false => self.skips_blank = true,
        }
    }
}

/// The day of a date in ISO 8601, which can have a time.
fn day_of(text: &str) -> Option<&str> {
    let (day, rest) = text.split_at_checked(10)?;
    let is_day = rest.is_empty() || rest.starts_with(['T', ' ']);
    (is_day && day.parse::<jiff::civil::Date>().is_ok()).then_some(day)
}

struct AllPass<'a, T> {
    source: &'a [u8],
    spans: &'a [Span],
    test: &'a T,
}

impl<T: Fn(Sixteen) -> u32> WithSimd for AllPass<'_, T> {
    type Output = bool;

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) -> bool {
        let all = |span: &Span| simd::all(self.source, span.start as usize, span.end as usize, self.test);
        self.spans.iter().fold(true, |so_far, span| so_far & all(span))
    }
}

/// Includes overlapping matches, because a match inside a word may overlap a valid one.
fn contains_word(matcher: &Matcher, text: &str, form: Form) -> bool {
    let is_part_of_word = |c: char| c.is_alphabetic() || c.is_numeric();
    let mut at = 0;
    while let Some(found) = matcher.next(text, at, form) {
        let before = characters::last_base(&text[..found.start]);
        let after = text[found.end..].chars().next();
        if !before.is_some_and(is_part_of_word) && !after.is_some_and(is_part_of_word) {
            return true;
        }
        at = found.start + characters::width_at(text, found.start);
    }
    false
}
