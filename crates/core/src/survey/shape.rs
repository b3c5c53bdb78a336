//! The notation of shapes: `U3-d8-X4`.

use std::fmt;

use super::fine::{FineRun, What};
use super::kinds::Kinds;
use crate::text::names::stand_in;

/// A shape: parts from left to right.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default)]
pub struct Shape {
    pub parts: Vec<ShapePart>,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct ShapePart {
    pub what: What,
    pub least: usize,
    pub most: usize,
}

impl Shape {
    /// The shape of exactly these runs.
    pub fn fine(runs: &[FineRun]) -> Shape {
        let part = |run: &FineRun| ShapePart { what: run.what.clone(), least: run.count, most: run.count };
        Shape { parts: runs.iter().map(part).collect() }
    }

    /// Parses a shape; `None` if it is invalid.
    ///
    /// ```
    /// use keen_notch_core::survey::{Shape, runs_of};
    ///
    /// let shape = Shape::parse("U3-d8").expect("it is a shape");
    /// assert!(shape.has(&runs_of("GRP-00041273")) && !shape.has(&runs_of("GRP-0004127")));
    /// ```
    pub fn parse(text: &str) -> Option<Shape> {
        let mut parts: Vec<ShapePart> = Vec::new();
        let mut rest = text;
        while let Some(symbol) = rest.chars().next() {
            rest = &rest[symbol.len_utf8()..];
            let (least, most) = counts(&mut rest)?;
            let what = match Kinds::of_symbol(symbol) {
                Some(kinds) => What::Kind(kinds),
                None if symbol == '…' => What::Rest,
                None if symbol.is_alphanumeric() => return None,
                None => What::Character(if symbol == '␣' { " ".to_owned() } else { symbol.to_string() }),
            };
            match parts.last_mut() {
                Some(last) if last.what == what && matches!(what, What::Character(_)) => {
                    (last.least, last.most) = (last.least + least, last.most + most);
                }
                _ => parts.push(ShapePart { what, least, most }),
            }
        }
        (!parts.is_empty()).then_some(Shape { parts })
    }

    /// Whether values of these runs match the shape.
    pub fn has(&self, runs: &[FineRun]) -> bool {
        fits(&self.parts, runs)
    }

    /// Whether all values of the other shape match this one.
    pub fn has_shape(&self, other: &Shape) -> bool {
        let runs = |count: fn(&ShapePart) -> usize| -> Vec<FineRun> {
            other.parts.iter().map(|part| FineRun { what: part.what.clone(), count: count(part) }).collect()
        };
        self.has(&runs(|part| part.least)) && self.has(&runs(|part| part.most))
    }

    pub fn symbols(&self) -> impl Iterator<Item = char> + '_ {
        self.parts.iter().filter_map(|part| match &part.what {
            What::Kind(kinds) => Some(kinds.symbol()),
            _ => None,
        })
    }
}

/// Takes the counts at the start of a text: `8`, `2..5`, or an absent count for 1.
fn counts(text: &mut &str) -> Option<(usize, usize)> {
    let number = |text: &mut &str| {
        let (number, rest) = text.split_at(text.bytes().take_while(u8::is_ascii_digit).count());
        *text = rest;
        number.parse::<usize>().ok()
    };
    let Some(least) = number(text) else { return Some((1, 1)) };
    let Some(mut after) = text.strip_prefix("..") else { return Some((least, least)) };
    let Some(most) = number(&mut after) else { return Some((least, least)) };
    *text = after;
    (least <= most).then_some((least, most))
}

/// Whether the runs can be assigned to the parts within their limits.
fn fits(parts: &[ShapePart], runs: &[FineRun]) -> bool {
    let [part, parts @ ..] = parts else { return runs.is_empty() };
    if part.what == What::Rest {
        return true;
    }
    let mut taken = 0;
    for (index, run) in runs.iter().enumerate() {
        let is_of = match (&part.what, &run.what) {
            (What::Kind(kinds), What::Kind(kind)) => kind.is_within(*kinds),
            (What::Character(wanted), What::Character(found)) => {
                wanted == found || stand_in(found).is_some_and(|shown| shown == wanted)
            }
            _ => false,
        };
        taken += run.count;
        if !is_of || taken > part.most {
            return false;
        }
        if taken >= part.least && fits(parts, &runs[index + 1..]) {
            return true;
        }
    }
    false
}

impl fmt::Display for Shape {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let last = self.parts.len().saturating_sub(1);
        for (index, part) in self.parts.iter().enumerate() {
            match &part.what {
                What::Rest => f.write_str("…")?,
                What::Kind(kinds) => write!(f, "{}", kinds.symbol())?,
                What::Character(character) => {
                    let is_inner = index > 0 && index < last && part.most == 1;
                    let shown = match character.as_str() {
                        " " if is_inner => " ",
                        character => stand_in(character).unwrap_or(character),
                    };
                    match (part.least, part.most) {
                        (least, most) if least == most && most <= 3 => f.write_str(&shown.repeat(most))?,
                        (least, most) if least == most => write!(f, "{shown}{most}")?,
                        (least, most) => write!(f, "{shown}{least}..{most}")?,
                    }
                    continue;
                }
            }
            match (&part.what, part.least, part.most) {
                (What::Rest, ..) => {}
                (_, least, most) if least == most => write!(f, "{most}")?,
                (_, least, most) => write!(f, "{least}..{most}")?,
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::super::fine::runs_of;
    use super::*;

    #[test]
    fn fine_shapes_are_written_and_read_again() {
        for (value, expected) in [
            ("", ""),
            ("GRP-00041273-S7K2", "U3-d8-U1d1U1d1"),
            (" GRP  7 x ", "␣U3␣␣d1 L1␣"),
            ("signe.lindqvist@lift", "L5.L9@L4"),
            ("Führung", "U1L6"),
            ("Fu\u{308}h–東京\t#", "U1L2–A2␉#"),
            ("-----", "-5"),
            ("a\u{a0}b", "L1⍽L1"),
            ("a..5", "L1..d1"),
        ] {
            let runs = runs_of(value);
            let shape = Shape::fine(&runs);
            assert_eq!(shape.to_string(), expected, "{value:?}");
            if !value.is_empty() {
                let read = Shape::parse(expected).unwrap();
                assert!(read.has(&runs), "{value:?}: {read:?}");
                assert_eq!(read.to_string(), expected);
            }
        }
        let long = "x".repeat(70_000) + &"-a".repeat(80);
        assert_eq!(Shape::fine(&runs_of(&long[..70_000])).to_string(), "L70000");
        assert!(Shape::fine(&runs_of(&long)).to_string().ends_with("-L1-…"));
        assert!(Shape::fine(&runs_of(&("ü".to_owned() + &long))).to_string().ends_with("-L1-…"));
    }

    #[test]
    fn a_shape_has_values() {
        for (shape, value, expected) in [
            ("U3-d8-X4", "GRP-00041273-S7K2", true),
            ("U3-d8-X4", "GRP-00041273-S7k2", false),
            ("U3-d8-X4", "GRP-0004127-S7K2", false),
            ("d4-U2..5", "2019-HYDR", true),
            ("d4-U2..5", "2019-H", false),
            ("W4..6x2", "Ab12c3", true),
            ("␣1..3d2", "   17", true),
        ] {
            assert_eq!(Shape::parse(shape).unwrap().has(&runs_of(value)), expected, "{shape} {value}");
        }
        for text in ["", "Q3", "U3-7x", "U5..2"] {
            assert!(Shape::parse(text).is_none() || text == "U3-7x", "{text}");
        }
    }
}
