//! The fine shape of a value: each run of one kind with its length, and every other character.

use super::kinds::Kinds;
use crate::text::characters;
use crate::text::kind::Kind;

/// Tags of the encoding: a byte below 0x80 is an ASCII character.
const FIRST_KIND: u8 = 0x80;
const OTHER: u8 = 0x84;
const CUT_OFF: u8 = 0x85;
/// Maximum length of a run in a key. It limits the memory for a corrupt key.
const LONGEST_RUN: usize = 1 << 40;
const MOST_RUNS: usize = 64;

/// A run of a fine shape.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct FineRun {
    pub what: What,
    pub count: usize,
}

#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum What {
    Kind(Kinds),
    Character(String),
    Rest,
}

#[derive(Debug, Clone, Default)]
pub struct Encoder {
    key: Vec<u8>,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Glance {
    /// The number of characters.
    pub length: usize,
    pub plain: bool,
    /// Whether it needs a closer look: spaces at an end or in a row, control characters, or characters beyond ASCII.
    pub odd: bool,
    /// Whether it has more runs than the maximum.
    pub cut_off: bool,
}

const TAGS: [u8; 128] = {
    let mut tags = [0; 128];
    let mut byte = 0;
    while byte < 128 {
        let c = byte as u8;
        tags[byte] = if c.is_ascii_uppercase() {
            FIRST_KIND
        } else if c.is_ascii_lowercase() {
            FIRST_KIND + 1
        } else if c.is_ascii_digit() {
            FIRST_KIND + 2
        } else {
            c
        };
        byte += 1;
    }
    tags
};

impl Encoder {
    /// Encodes a value. [`Encoder::key`] returns the key until the next call.
    #[inline]
    pub fn encode(&mut self, value: &str) -> Glance {
        self.key.clear();
        let plain = characters::is_plain(value);
        let mut glance = if plain { self.plain(value.as_bytes()) } else { self.walk(value) };
        glance.plain = plain;
        glance
    }

    pub fn key(&self) -> &[u8] {
        &self.key
    }

    #[inline]
    fn plain(&mut self, bytes: &[u8]) -> Glance {
        let mut odd = bytes.first() == Some(&b' ') || bytes.last() == Some(&b' ');
        let mut runs = 0;
        let mut at = 0;
        while let Some(byte) = bytes.get(at) {
            let tag = TAGS[usize::from(*byte & 0x7F)];
            let after = at + 1 + bytes[at + 1..].iter().take_while(|byte| TAGS[usize::from(**byte & 0x7F)] == tag).count();
            if runs == MOST_RUNS {
                self.key.push(CUT_OFF);
                return Glance { length: bytes.len(), plain: true, odd: true, cut_off: true };
            }
            odd |= tag < b' ' || tag == 0x7F || (tag == b' ' && after - at > 1);
            self.push(tag, after - at);
            runs += 1;
            at = after;
        }
        Glance { length: bytes.len(), plain: true, odd, cut_off: false }
    }

    fn walk(&mut self, value: &str) -> Glance {
        let mut glance = Glance { odd: true, ..Glance::default() };
        let mut runs = 0;
        let mut last: Option<(&str, Option<Kinds>, usize)> = None;
        for range in characters::ranges(value) {
            glance.length += 1;
            let character = &value[range];
            let kind = kind_of(character);
            match &mut last {
                Some((_, Some(of), count)) if kind == Some(*of) => *count += 1,
                Some((of, None, count)) if kind.is_none() && *of == character => *count += 1,
                _ if runs == MOST_RUNS => glance.cut_off = true,
                _ => {
                    if let Some((character, kind, count)) = last.replace((character, kind, 1)) {
                        self.push_run(character, kind, count);
                        runs += 1;
                    }
                }
            }
        }
        match last {
            Some((character, kind, count)) if runs < MOST_RUNS => self.push_run(character, kind, count),
            Some(_) => glance.cut_off = true,
            None => {}
        }
        if glance.cut_off {
            self.key.push(CUT_OFF);
        }
        glance
    }

    #[inline]
    fn push_run(&mut self, character: &str, kind: Option<Kinds>, count: usize) {
        let index = kind.and_then(|kind| Kinds::EACH.iter().position(|each| *each == kind));
        match (index, character.as_bytes()) {
            (Some(index), _) => self.push(FIRST_KIND + index as u8, count),
            (None, [byte]) => self.push(*byte, count),
            (None, bytes) => {
                // Real characters are shorter; a longer one counts as its first bytes.
                let width = bytes.len().min(255);
                self.key.extend_from_slice(&[OTHER, width as u8]);
                self.key.extend_from_slice(&bytes[..width]);
                self.count(count);
            }
        }
    }

    #[inline]
    fn push(&mut self, tag: u8, count: usize) {
        self.key.push(tag);
        self.count(count);
    }

    /// Encodes a count in one byte, or as a zero and eight bytes.
    #[inline]
    fn count(&mut self, count: usize) {
        match u8::try_from(count) {
            Ok(count) => self.key.push(count),
            Err(_) => {
                self.key.push(0);
                self.key.extend_from_slice(&(count as u64).to_le_bytes());
            }
        }
    }
}

/// The kind of a letter or digit; `None` for other characters.
pub fn kind_of(character: &str) -> Option<Kinds> {
    match (Kind::of(character), character.chars().next()) {
        (Kind::Letter, Some(c)) => Some(Kinds::of_letter(c)),
        (Kind::Digit, _) => Some(Kinds::DIGIT),
        _ => None,
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Token<'k> {
    Kind(Kinds, usize),
    Character(&'k [u8], usize),
    Rest,
}

/// The runs of a key.
pub fn tokens(key: &[u8]) -> impl Iterator<Item = Token<'_>> {
    let mut rest = key;
    std::iter::from_fn(move || {
        let (tag, after) = rest.split_first()?;
        rest = after;
        if *tag == CUT_OFF {
            return Some(Token::Rest);
        }
        let character = match *tag {
            OTHER => {
                let (width, after) = rest.split_first()?;
                let (character, after) = after.split_at_checked(usize::from(*width))?;
                rest = after;
                Some(character)
            }
            tag if tag >= FIRST_KIND => None,
            _ => Some(std::slice::from_ref(tag)),
        };
        let (count, after) = rest.split_first()?;
        rest = after;
        let count = match *count {
            0 => {
                let (bytes, after) = rest.split_first_chunk::<8>()?;
                rest = after;
                usize::try_from(u64::from_le_bytes(*bytes)).unwrap_or(LONGEST_RUN).min(LONGEST_RUN)
            }
            count => usize::from(count),
        };
        Some(match character {
            Some(character) => Token::Character(character, count),
            None => Token::Kind(Kinds::EACH[usize::from(*tag - FIRST_KIND) % 4], count),
        })
    })
}

pub fn decode(key: &[u8]) -> Vec<FineRun> {
    let run = |token| match token {
        Token::Kind(kinds, count) => FineRun { what: What::Kind(kinds), count },
        Token::Character(character, count) => {
            FineRun { what: What::Character(String::from_utf8_lossy(character).into_owned()), count }
        }
        Token::Rest => FineRun { what: What::Rest, count: 1 },
    };
    tokens(key).map(run).collect()
}

pub fn runs_of(value: &str) -> Vec<FineRun> {
    let mut encoder = Encoder::default();
    encoder.encode(value);
    decode(encoder.key())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn runs_beyond_the_maximum_are_reported() {
        for count in 60..70 {
            for value in ["a-".repeat(count / 2), "é-".repeat(count / 2), format!("{}-é", "-a".repeat((count - 2) / 2))] {
                let mut encoder = Encoder::default();
                let glance = encoder.encode(&value);
                let runs = value.chars().count();
                assert_eq!((glance.cut_off, glance.length), (runs > MOST_RUNS, runs), "{runs} runs");
                assert_eq!(decode(encoder.key()).len(), runs.min(MOST_RUNS) + usize::from(runs > MOST_RUNS));
            }
        }
    }
}
