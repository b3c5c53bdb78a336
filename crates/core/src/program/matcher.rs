//! Finding markers. A marker that is a text or a class is found by byte search and tables; a regular
//! expression is the last resort.

use std::ops::Range;

use aho_corasick::AhoCorasick;
use memchr::memmem::Finder;

use super::class::ClassPlan;
use super::pattern::{self, Compiled, Simple};
use crate::phrase::PhraseError;
use crate::phrase::ast::{Marker, Position, Regex};
use crate::text::characters::{self, Form};
use crate::text::unit::Unit;

/// A marker made ready to be found.
#[derive(Debug, Clone)]
pub(crate) struct Matcher {
    strategy: Strategy,
    unit: Unit,
}

#[derive(Debug, Clone)]
enum Strategy {
    /// Matches if and only if this byte, an ASCII character, is there. One `memchr`.
    Byte(u8),
    /// Matches if and only if this text is there. One substring search, made ready once.
    Text(Box<Finder<'static>>),
    /// Matches if and only if this ASCII text is there in any case. One automaton, made once.
    AnyCase(Box<AhoCorasick>),
    /// Matches an unbroken run of the class, as long as it is. One look into a table a character.
    Run(Box<ClassPlan>),
    /// Matches one character of the class. One look into a table a character.
    OneOf(Box<ClassPlan>),
    /// Matches if and only if the text is there in any case, which this regular expression finds.
    Folded(Box<Compiled>),
    /// Matches what the regular expression matches. In plain texts, one that is no more than a text, a class or a run of a class
    /// is looked for as that.
    Regex(Box<Compiled>, Option<Box<Strategy>>),
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

    /// The marker for a text as it is.
    pub(crate) fn text(text: &str) -> Matcher {
        Matcher { strategy: Strategy::Text(Box::new(Finder::new(text.as_bytes()).into_owned())), unit: Unit::Characters }
    }

    /// The regular expression after the marker, if there is one.
    pub(crate) fn regex(&self) -> Option<&Compiled> {
        if let Strategy::Regex(compiled, _) = &self.strategy { Some(compiled) } else { None }
    }

    /// The byte that the marker is, if it is one.
    pub(super) fn byte(&self) -> Option<u8> {
        if let Strategy::Byte(byte) = self.strategy { Some(byte) } else { None }
    }

    /// The ASCII text that the marker is, if it is one.
    pub(super) fn ascii_text(&self) -> Option<&[u8]> {
        match &self.strategy {
            Strategy::Text(finder) if finder.needle().is_ascii() => Some(finder.needle()),
            Strategy::Byte(byte) => Some(std::slice::from_ref(byte)),
            _ => None,
        }
    }

    /// The first place at or after the notch `at` of `text` where the marker is. `form` is what is known of the characters of
    /// the text.
    ///
    /// Both ends of what is found are notches, but for a regular expression's, which are its own affair.
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

    /// The first place that `find` gives whose ends both are between characters.
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
            // Look on from the next code point.
            at = found.start + text[found.start..].chars().next().map_or(1, char::len_utf8);
        }
    }

    /// All places where the marker is, from left to right; they do not overlap.
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

    /// Calls `give` with each of these places.
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

    /// One of the places where the marker is, counted over the whole text.
    pub(crate) fn nth(&self, text: &str, nth: Position, form: Form) -> Option<Range<usize>> {
        if let (Strategy::Byte(byte), Position::LAST) = (&self.strategy, nth) {
            // Occurrences of one byte do not overlap, so the last can be looked for from the end.
            let is_found = |at: &usize| form.is_simple() || (self.unit.is_notch(text, *at) && self.unit.is_notch(text, at + 1));
            return memchr::memrchr_iter(*byte, text.as_bytes()).find(is_found).map(|at| at..at + 1);
        }
        pick(|| self.occurrences(text, form), nth)
    }
}

/// How a regular expression is looked for in plain texts that is no more than a text, a class, or a run of a class.
fn simpler(regex: &Regex) -> Option<Strategy> {
    match pattern::simple(regex)? {
        Simple::Text(text) => Some(Strategy::Text(Box::new(Finder::new(&text).into_owned()))),
        Simple::One(bytes) => Some(Strategy::OneOf(Box::new(ClassPlan::of_ascii(&bytes)))),
        Simple::Run(bytes) => Some(Strategy::Run(Box::new(ClassPlan::of_ascii(&bytes)))),
    }
}

/// One of the things that an iterator gives, counted from either end. It is begun twice to count from the
/// end.
pub(crate) fn pick<T, I: Iterator<Item = T>>(iterate: impl Fn() -> I, which: Position) -> Option<T> {
    match which {
        Position::FromStart(n) => iterate().nth(n - 1),
        Position::FromEnd(1) => iterate().last(),
        Position::FromEnd(n) => iterate().nth(iterate().count().checked_sub(n)?),
    }
}
