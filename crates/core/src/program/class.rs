//! Character classes as tables.

use std::ops::Range;

use super::certain::Certain;
use crate::batch::formula::begins_formula;
use crate::batch::simd::{self, ByteRange};
use crate::phrase::ast::{Class, ClassPart};
use crate::text::characters::{self, Form};
use crate::text::kind::Kind;

/// A compiled class. An ASCII character needs one table lookup.
#[derive(Debug, Clone)]
pub(crate) struct ClassPlan {
    ascii: [bool; 256],
    runs: Vec<(u8, u8)>,
    parts: Vec<ClassPart>,
}

impl ClassPlan {
    pub(crate) fn new(class: &Class) -> ClassPlan {
        let plan = ClassPlan { ascii: [false; 256], runs: Vec::new(), parts: class.parts.clone() };
        let bytes = (0..128u8).filter(|byte| plan.has_by_parts(char::from(*byte).encode_utf8(&mut [0; 4])));
        let bytes: Vec<u8> = bytes.collect();
        plan.with_ascii(&bytes)
    }

    pub(crate) fn of_ascii(bytes: &[u8]) -> ClassPlan {
        ClassPlan { ascii: [false; 256], runs: Vec::new(), parts: Vec::new() }.with_ascii(bytes)
    }

    fn with_ascii(mut self, bytes: &[u8]) -> ClassPlan {
        let plan = &mut self;
        bytes.iter().for_each(|byte| plan.ascii[usize::from(*byte)] = true);
        let has = |byte: u8| plan.ascii[usize::from(byte)];
        let begins = (0..128u8).filter(|byte| has(*byte) && !byte.checked_sub(1).is_some_and(has));
        plan.runs = begins.map(|first| (first, (first..).take_while(|byte| has(*byte)).last().unwrap_or(first))).collect();
        self
    }

    /// The first byte of a plain text from `at` on that is in the class if `wanted`, or not in it otherwise.
    #[inline]
    pub(crate) fn find_in_plain(&self, text: &[u8], at: usize, wanted: bool) -> Option<usize> {
        let flip = if wanted { 0 } else { 0xFFFF };
        match *self.runs.as_slice() {
            [(first, last)] => {
                let range = ByteRange::new(first, last);
                simd::first(text, at, text.len(), |sixteen| range.has(sixteen) ^ flip)
            }
            [one, other] => {
                let (one, other) = (ByteRange::new(one.0, one.1), ByteRange::new(other.0, other.1));
                simd::first(text, at, text.len(), |sixteen| (one.has(sixteen) | other.has(sixteen)) ^ flip)
            }
            _ => text.get(at..)?.iter().position(|byte| self.has_byte(*byte) == wanted).map(|found| at + found),
        }
    }

    /// Calls `give` with each run of bytes of a plain text that are in the class if `wanted`, or not in it otherwise.
    pub(crate) fn each_run_in_plain(&self, text: &[u8], wanted: bool, give: impl FnMut(Range<usize>)) {
        let flip = if wanted { 0 } else { 0xFFFF };
        match *self.runs.as_slice() {
            [(first, last)] => {
                let range = ByteRange::new(first, last);
                simd::each_run(text, |sixteen| range.has(sixteen) ^ flip, give);
            }
            [one, other] => {
                let (one, other) = (ByteRange::new(one.0, one.1), ByteRange::new(other.0, other.1));
                simd::each_run(text, |sixteen| (one.has(sixteen) | other.has(sixteen)) ^ flip, give);
            }
            _ => {
                let bit = |(lane, byte): (usize, u8)| u32::from(self.has_byte(byte)) << lane;
                simd::each_run(text, |sixteen| sixteen.to_array().into_iter().enumerate().map(bit).sum::<u32>() ^ flip, give);
            }
        }
    }

    pub(crate) fn any_of(text: &str) -> ClassPlan {
        ClassPlan::new(&Class { parts: vec![ClassPart::AnyOf(text.to_owned())] })
    }

    pub(crate) fn one(&self) -> String {
        let part = |part: &ClassPart| match part {
            ClassPart::Digits => "a digit".to_owned(),
            ClassPart::Letters => "a letter".to_owned(),
            ClassPart::Uppercase => "an upper-case letter".to_owned(),
            ClassPart::Lowercase => "a lower-case letter".to_owned(),
            ClassPart::Alphanumeric => "a letter or a digit".to_owned(),
            ClassPart::Spaces => "white space".to_owned(),
            ClassPart::Punctuation => "punctuation".to_owned(),
            ClassPart::AnyOf(text) => format!("one of {}", crate::phrase::words::text(text)),
        };
        self.parts.iter().map(part).collect::<Vec<_>>().join(" or ")
    }

    #[inline]
    pub(crate) fn has_byte(&self, byte: u8) -> bool {
        self.ascii[usize::from(byte)]
    }

    pub(crate) fn runs(&self) -> &[(u8, u8)] {
        &self.runs
    }

    /// The guarantees about plain texts in the class.
    pub(crate) fn certain(&self) -> Certain {
        let is_digits = |(first, last): &(u8, u8)| first.is_ascii_digit() && last.is_ascii_digit();
        let has_digits = |(first, last): &(u8, u8)| *first <= b'9' && *last >= b'0';
        let digits = match (self.runs.iter().all(is_digits), self.runs.iter().any(has_digits)) {
            (true, _) => Some(true),
            (_, false) => Some(false),
            _ => None,
        };
        Certain { digits, is_no_formula: !(0..128).any(|byte| self.has_byte(byte) && begins_formula(byte)) }
    }

    pub(crate) fn has(&self, character: &str) -> bool {
        match character.as_bytes() {
            [byte] => self.has_byte(*byte),
            _ => self.has_by_parts(character),
        }
    }

    pub(crate) fn has_all(&self, text: &str, form: Form) -> bool {
        match form {
            _ if form.is_plain() || characters::is_plain(text) => text.bytes().all(|byte| self.has_byte(byte)),
            Form::Simple => text.char_indices().all(|(at, c)| match u8::try_from(c) {
                Ok(byte) if byte.is_ascii() => self.has_byte(byte),
                _ => self.has_by_parts(&text[at..at + c.len_utf8()]),
            }),
            _ => characters::ranges(text).all(|range| self.has(&text[range])),
        }
    }

    fn has_by_parts(&self, character: &str) -> bool {
        self.parts.iter().any(|part| has(part, character))
    }
}

/// Whether a character is in a part of a class. The base character decides for letters.
fn has(part: &ClassPart, character: &str) -> bool {
    let base_is = |test: fn(char) -> bool| character.chars().next().is_some_and(test);
    match part {
        ClassPart::Digits => Kind::of(character) == Kind::Digit,
        ClassPart::Letters => Kind::of(character) == Kind::Letter,
        ClassPart::Uppercase => base_is(char::is_uppercase),
        ClassPart::Lowercase => base_is(char::is_lowercase),
        ClassPart::Alphanumeric => matches!(Kind::of(character), Kind::Letter | Kind::Digit),
        ClassPart::Spaces => Kind::of(character) == Kind::Space,
        ClassPart::Punctuation => Kind::of(character) == Kind::Punctuation,
        ClassPart::AnyOf(text) => characters::ranges(text).any(|range| &text[range] == character),
    }
}
