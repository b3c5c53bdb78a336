//! Searching for markers. Texts and classes use byte search and tables; regular expressions are the last resort.

use std::ops::Range;

use aho_corasick::AhoCorasick;
use memchr::memmem::Finder;

use super::class::ClassPlan;
use super::pattern::{self, CompiledRegex, Simple};
use crate::phrase::PhraseError;
use crate::phrase::ast::{Marker, Position, Regex};
use crate::text::characters::{self, Form};
use crate::text::unit::Unit;

#[derive(Debug, Clone)]
pub(crate) struct Matcher {
    strategy: Strategy,
    unit: Unit,
}

#[derive(Debug, Clone)]
enum Strategy {
    Byte(u8),
    Text(Box<Finder<'static>>),
    AnyCase(Box<AhoCorasick>),
    Run(Box<ClassPlan>),
    OneOf(Box<ClassPlan>),
    /// A text in any case, found by a regular expression.
    Folded(Box<CompiledRegex>),
    /// A regular expression. If it amounts to a text, a class or a run of a class, plain texts are searched for that instead.
    Regex(Box<CompiledRegex>, Option<Box<Strategy>>),
}

impl Matcher {
    pub(crate) fn new(marker: &Marker, unit: Unit) -> Result<Matcher, PhraseError> {
        let strategy = match marker {
            Marker::Text { text, any_case: false } => match text.as_bytes() {
                [byte] => Strategy::Byte(*byte),
                bytes => Strategy::Text(Box::new(Finder::new(bytes).into_owned())),
            },
            Marker::Text { text, any_case: true } if text.is_ascii() => {
                match AhoCorasick::builder().ascii_case_insensitive(true).build([text]) {
                    Ok(automaton) => Strategy::AnyCase(Box::new(automaton)),
                    Err(_) => Strategy::Folded(Box::new(pattern::any_case(text)?)),
                }
            }
            Marker::Text { text, any_case: true } => Strategy::Folded(Box::new(pattern::any_case(text)?)),
            Marker::Run(class) => Strategy::Run(Box::new(ClassPlan::new(class))),
            Marker::OneOf(text) => Strategy::OneOf(Box::new(ClassPlan::any_of(text))),
            Marker::Regex(regex) => Strategy::Regex(Box::new(pattern::marker(regex)?), simpler(regex).map(Box::new)),
        };
        Ok(Matcher { strategy, unit })
    }

    pub(crate) fn text(text: &str) -> Matcher {
        Matcher { strategy: Strategy::Text(Box::new(Finder::new(text.as_bytes()).into_owned())), unit: Unit::Characters }
    }

    pub(crate) fn regex(&self) -> Option<&CompiledRegex> {
        if let Strategy::Regex(compiled, _) = &self.strategy { Some(compiled) } else { None }
    }

    pub(super) fn byte(&self) -> Option<u8> {
        if let Strategy::Byte(byte) = self.strategy { Some(byte) } else { None }
    }

    pub(super) fn ascii_text(&self) -> Option<&[u8]> {
        match &self.strategy {
            Strategy::Text(finder) if finder.needle().is_ascii() => Some(finder.needle()),
            Strategy::Byte(byte) => Some(std::slice::from_ref(byte)),
            _ => None,
        }
    }

    /// The first match at or after the notch `at` of `text`. `form` is the known form of the text.
    ///
    /// Both ends of a match are notches, except for regular expressions.
    #[inline]
    pub(crate) fn next(&self, text: &str, at: usize, form: Form) -> Option<Range<usize>> {
        self.next_by(&self.strategy, text, at, form)
    }

    fn next_by(&self, strategy: &Strategy, text: &str, at: usize, form: Form) -> Option<Range<usize>> {
        match strategy {
            Strategy::Byte(byte) => {
                let find = |at| memchr::memchr(*byte, text.as_bytes().get(at..)?).map(|n| at + n..at + n + 1);
                self.between_characters(text, at, form, find)
            }
            Strategy::Text(finder) => {
                let width = finder.needle().len();
                let find = |at| finder.find(text.as_bytes().get(at..)?).map(|n| at + n..at + n + width);
                self.between_characters(text, at, form, find)
            }
            Strategy::AnyCase(automaton) => {
                let find = |at| automaton.find(text.get(at..)?).map(|found| at + found.start()..at + found.end());
                self.between_characters(text, at, form, find)
            }
            Strategy::Folded(compiled) => self.between_characters(text, at, form, |at| compiled.find(text, at)),
            Strategy::Run(class) if form.is_plain() => {
                let bytes = text.as_bytes();
                let start = class.find_in_plain(bytes, at, true)?;
                Some(start..class.find_in_plain(bytes, start, false).unwrap_or(bytes.len()))
            }
            Strategy::Run(class) => {
                let rest = text.get(at..)?;
                let mut ranges = characters::ranges(rest).skip_while(|range| !class.has(&rest[range.clone()]));
                let first = ranges.next()?;
                let last = ranges.take_while(|range| class.has(&rest[range.clone()])).last();
                Some(at + first.start..at + last.map_or(first.end, |last| last.end))
            }
            Strategy::OneOf(class) if form.is_plain() => {
                class.find_in_plain(text.as_bytes(), at, true).map(|start| start..start + 1)
            }
            Strategy::OneOf(class) => {
                let rest = text.get(at..)?;
                let found = characters::ranges(rest).find(|range| class.has(&rest[range.clone()]))?;
                Some(at + found.start..at + found.end)
            }
            Strategy::Regex(_, Some(simpler)) if form.is_plain() => self.next_by(simpler, text, at, form),
            Strategy::Regex(compiled, _) => compiled.find(text, at),
        }
    }

    #[inline]
    fn between_characters(
        &self,
        text: &str,
        mut at: usize,
        form: Form,
        find: impl Fn(usize) -> Option<Range<usize>>,
    ) -> Option<Range<usize>> {
        let mut known = at;
        loop {
            let found = find(at)?;
            if form.is_simple() {
                return Some(found);
            }
            if self.unit.is_notch_after(text, &mut known, found.start) {
                let mut known = known;
                if self.unit.is_notch_after(text, &mut known, found.end) {
                    return Some(found);
                }
            }
            // Continue at the next code point.
            at = found.start + text[found.start..].chars().next().map_or(1, char::len_utf8);
        }
    }

    pub(crate) fn occurrences<'a>(&'a self, text: &'a str, form: Form) -> impl Iterator<Item = Range<usize>> + 'a {
        let mut at = 0;
        let mut matches = match &self.strategy {
            Strategy::Regex(compiled, simpler) if simpler.is_none() || !form.is_plain() => Some(compiled.matches(text)),
            _ => None,
        };
        std::iter::from_fn(move || {
            let found = match &mut matches {
                Some(matches) => matches.next(at, None)?,
                None => self.next(text, at, form)?,
            };
            at = found.end;
            Some(found)
        })
    }

    pub(crate) fn each(&self, text: &str, form: Form, give: impl FnMut(Range<usize>)) {
        let strategy = match &self.strategy {
            Strategy::Regex(_, Some(simpler)) => simpler,
            strategy => strategy,
        };
        match strategy {
            Strategy::Run(class) if form.is_plain() => class.each_run_in_plain(text.as_bytes(), true, give),
            _ => self.occurrences(text, form).for_each(give),
        }
    }

    pub(crate) fn nth(&self, text: &str, nth: Position, form: Form) -> Option<Range<usize>> {
        if let (Strategy::Byte(byte), Position::LAST) = (&self.strategy, nth) {
            // Single bytes do not overlap, so the last match can be found from the end.
            let is_found = |at: &usize| form.is_simple() || (self.unit.is_notch(text, *at) && self.unit.is_notch(text, at + 1));
            return memchr::memrchr_iter(*byte, text.as_bytes()).find(is_found).map(|at| at..at + 1);
        }
        pick(|| self.occurrences(text, form), nth)
    }
}

/// A simpler search for plain texts, if the regular expression amounts to a text, a class, or a run of a class.
fn simpler(regex: &Regex) -> Option<Strategy> {
    match pattern::simple(regex)? {
        Simple::Text(text) => Some(Strategy::Text(Box::new(Finder::new(&text).into_owned()))),
        Simple::One(bytes) => Some(Strategy::OneOf(Box::new(ClassPlan::of_ascii(&bytes)))),
        Simple::Run(bytes) => Some(Strategy::Run(Box::new(ClassPlan::of_ascii(&bytes)))),
    }
}

/// An item of an iterator, counted from either end. Counting from the end needs two passes.
pub(crate) fn pick<T, I: Iterator<Item = T>>(iterate: impl Fn() -> I, which: Position) -> Option<T> {
    match which {
        Position::FromStart(n) => iterate().nth(n - 1),
        Position::FromEnd(1) => iterate().last(),
        Position::FromEnd(n) => iterate().nth(iterate().count().checked_sub(n)?),
    }
}
